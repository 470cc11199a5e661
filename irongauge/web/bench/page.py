"""What the Bench and the Handover sheet show, worked out: no rule is left to a template."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.bench.actions import Answer
from irongauge.core.bench.assessment import VerdictLevel, proof_of
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.judgement import (
    GlowExpectation,
    Judgement,
    WindowExpectation,
    WordExpectation,
    expect,
    window_text,
)
from irongauge.core.bench.sequence import Step, is_allowed, step_at
from irongauge.core.measure.quantities import Reading, Slot
from irongauge.core.measure.units import PressureBase, unit_for
from irongauge.core.pulses.record import PULSE_FAMILIES, PulseKind
from irongauge.core.sensors.circuits import Instrument, InstrumentKind
from irongauge.web.bench.connector import ConnectorFace, draw_connector
from irongauge.web.bench.ladder import Ladder, draw_ladder
from irongauge.workflows.bench import Ahead, BenchView, needs_stimulus
from irongauge.workflows.simulate import may_simulate
from irongauge.workflows.view import CircuitView

__all__ = ["AskedStep", "BenchPage", "EvidenceLine", "bench_page", "evidence_line"]


@dataclass(frozen=True)
class EvidenceLine:
    """One step as the list shows it: the reading in force with its judgement, and those it superseded."""

    step: Step
    proof: str
    reading: Reading | None
    judgement: Judgement | None
    text: str
    wanted: str
    taken_with: str
    who: str
    earlier: tuple[tuple[Reading, str], ...]
    allowed: bool


@dataclass(frozen=True)
class RunnerUp:
    """Another check that would tell nearly as much."""

    step: Step
    minutes: float


@dataclass(frozen=True)
class AskedStep:
    """The step that the page asks for: its form's choices and what its field is called."""

    step: Step
    number: int
    of: int
    unit: str
    wanted: str
    current: Reading | None
    current_text: str
    needs_stimulus: bool
    stimulus_unit: str
    stimulus_hint: str
    meters: tuple[Instrument, ...]
    gauges: tuple[Instrument, ...]
    minutes: float | None
    runner_ups: tuple[RunnerUp, ...]
    words: tuple[tuple[str, str], ...]


_PULSE_PAGES = {
    PulseKind.EXPECTED: "pulse",
    PulseKind.PRINCIPLE: "pulse_principle",
    PulseKind.WAVEFORM: "pulse_waveform",
    PulseKind.GAP: "pulse_gap",
    PulseKind.SPEED: "pulse_speed",
    PulseKind.FUEL: "pulse_fuel",
    PulseKind.BUS: "pulse_bus",
}


@dataclass(frozen=True)
class BenchPage:
    bench: BenchView
    asked: AskedStep | None
    evidence: tuple[EvidenceLine, ...]
    saved: EvidenceLine | None
    note: str
    ladder: Ladder
    connector: ConnectorFace
    next_circuit: CircuitView | None
    may_hand_over: bool
    detail: str
    no_meter: bool
    ahead: Ahead | None
    may_simulate: bool

    @property
    def makes_pulses(self) -> bool:
        """True for a sensor whose waveform is worth a look."""
        return self.bench.view.circuit.family in PULSE_FAMILIES

    @staticmethod
    def pulse_page(kind: PulseKind) -> str:
        """The name of the page on which a check of the pulses is taken again."""
        return _PULSE_PAGES[kind]


def bench_page(view: BenchView, step: Step | None, saved: str, note: str, ahead: Ahead | None = None) -> BenchPage:
    """Everything that the template shows, worked out."""
    assessment = view.view.assessment
    evidence = tuple(evidence_line(view, s) for s in assessment.steps)
    open_job = view.job.job.handed_over_at is None
    asked = _asked(view, step) if step is not None and open_job else None
    still_open = [v for v in view.job.circuits if v.assessment.verdict.level is not VerdictLevel.GOOD]
    return BenchPage(
        view,
        asked,
        evidence,
        next((line for line in evidence if line.reading is not None and str(line.reading.uid) == saved), None),
        note,
        draw_ladder(assessment, None if asked is None else asked.step.slot),
        draw_connector(assessment.case, None if asked is None else asked.step),
        still_open[0] if still_open else None,
        view.job.may_be_handed_over,
        _detail(view),
        not any(i.kind is InstrumentKind.METER for i in view.people.usable),
        ahead,
        may_simulate(view),
    )


def _stimulus_hint(view: BenchView) -> str:
    """What may be typed where the dial and the sensor count pressure from different zeros."""
    case = view.view.assessment.case
    if case.circuit.sensor.pressure_base is not PressureBase.ABSOLUTE or case.value_unit is None:
        return ""
    unit = unit_for(case.value_unit).label
    return f"A dial that reads gauge: type it so, such as 0.8 {unit} gauge."


def _detail(view: BenchView) -> str:
    """The verdict's second sentence, unless it would only list what the five marks show."""
    assessment = view.view.assessment
    only_missing = (
        assessment.verdict.level is VerdictLevel.OPEN and assessment.next_step and not assessment.measure_again
    )
    return "" if only_missing else assessment.verdict.detail


def evidence_line(view: BenchView, step: Step) -> EvidenceLine:
    assessment, people = view.view.assessment, view.people
    case = assessment.case
    reading = case.readings.get(step.slot)
    instruments = [] if reading is None else [reading.instrument_uid, reading.stimulus_instrument_uid]
    names = [instrument.name for uid in instruments if (instrument := people.instrument(uid)) is not None]
    earlier = tuple(
        (r, case.reading_text(r))
        for r in view.view.readings
        if reading is not None and r.slot == step.slot and r.uid != reading.uid
    )
    return EvidenceLine(
        step,
        proof_of(case, step.slot) or "",
        reading,
        assessment.judgements.get(step.slot),
        "" if reading is None else case.reading_text(reading),
        _wanted_text(view, step.slot),
        ", ".join(names),
        "" if reading is None else people.technician_name(reading.technician_uid),
        earlier,
        is_allowed(case, step.slot),
    )


def _wanted_text(view: BenchView, slot: Slot) -> str:
    """What a slot should read, in few words; empty while nothing can be expected."""
    case = view.view.assessment.case
    expectation = expect(case, slot)
    if isinstance(expectation, WindowExpectation):
        return window_text(case, slot, expectation.window)
    if isinstance(expectation, GlowExpectation | WordExpectation):
        return " or ".join(sorted(expectation.wanted))
    return ""


def _unit_of(case: BenchCase, step: Step, value_unit: str) -> str:
    """The unit beside the field."""
    if step.spec.answer is not Answer.VALUE:
        return _UNITS.get(step.spec.answer, "")
    return unit_for(case.heat_unit).label if case.senses_heat(step.slot) else value_unit


def _asked(view: BenchView, step: Step) -> AskedStep:
    assessment = view.view.assessment
    case, sensor = assessment.case, view.view.circuit.sensor
    current = case.readings.get(step.slot)
    value_unit = "" if case.value_unit is None else unit_for(case.value_unit).label
    base = f" {sensor.pressure_base}" if sensor.pressure_base is not None else ""
    return AskedStep(
        step,
        len([s for s in assessment.steps if s.slot in case.readings]),
        len(assessment.steps),
        _unit_of(case, step, value_unit + base),
        _wanted_text(view, step.slot),
        current,
        "" if current is None else case.reading_text(current),
        needs_stimulus(case, step.slot),
        value_unit + base,
        _stimulus_hint(view),
        tuple(i for i in view.people.usable if i.kind is InstrumentKind.METER),
        tuple(i for i in view.people.usable if i.gauge is not None and i.gauge.quantity is sensor.quantity),
        _minutes(view, step),
        _runner_ups(view, step),
        _words(step),
    )


_UNITS = {Answer.VOLTS: "V", Answer.OHMS: "Ω", Answer.HERTZ: "Hz", Answer.MILLISECONDS: "ms", Answer.PERCENT: "%"}
_GLOWS = (("dark", "D"), ("dim", "G"), ("bright", "B"))


def _words(step: Step) -> tuple[tuple[str, str], ...]:
    """The answers of a step that is answered in words, each with its key."""
    if step.spec.answer is Answer.GLOW:
        return _GLOWS
    return tuple((word, key.upper()) for word, key in step.spec.words)


def _minutes(view: BenchView, step: Step) -> float | None:
    """Minutes that the asked check takes, where the diagnosis has chosen it."""
    found = view.view.assessment.diagnosis
    checks = () if found is None else found.next_checks
    return next((check.minutes for check in checks if step.slot in check.slots), None)


def _runner_ups(view: BenchView, step: Step) -> tuple[RunnerUp, ...]:
    """The two next best checks, for who would rather do one of them."""
    assessment = view.view.assessment
    if assessment.diagnosis is None or _minutes(view, step) is None:
        return ()
    others = [check for check in assessment.diagnosis.next_checks if check.slots and step.slot not in check.slots]
    return tuple(RunnerUp(step_at(assessment.case, check.slots[0]), check.minutes) for check in others[:2])
