"""What the Bench and the Handover sheet show, worked out: no rule is left to a template."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.actions import Action, Answer
from irongauge.core.assessment import VerdictLevel, proof_of
from irongauge.core.circuits import Instrument, InstrumentKind
from irongauge.core.judgement import GlowExpectation, Judgement, WindowExpectation, expect, window_text
from irongauge.core.quantities import Reading, Slot
from irongauge.core.sequence import Step, is_allowed
from irongauge.core.units import PressureBase, unit_for
from irongauge.web.drawings.connector import ConnectorFace, draw_connector
from irongauge.web.drawings.ladder import Ladder, draw_ladder
from irongauge.workflows.bench import BenchView
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


def bench_page(view: BenchView, step: Step | None, saved: str, note: str) -> BenchPage:
    """Everything that the template shows, worked out."""
    assessment = view.view.assessment
    evidence = tuple(evidence_line(view, s) for s in assessment.steps)
    open_job = view.job.job.handed_over_at is None
    asked = _asked(view, step) if step is not None and open_job else None
    others = [
        v for v in view.job.circuits if v.assessment.verdict.level is not VerdictLevel.GOOD and v is not view.view
    ]
    return BenchPage(
        view,
        asked,
        evidence,
        next((line for line in evidence if line.reading is not None and str(line.reading.uid) == saved), None),
        note,
        draw_ladder(assessment, None if asked is None else asked.step.slot),
        draw_connector(assessment.case, None if asked is None else asked.step),
        others[0] if others else None,
        view.job.may_be_handed_over,
        _detail(view),
        not any(i.kind is InstrumentKind.METER for i in view.people.instruments),
    )


def _stimulus_hint(view: BenchView) -> str:
    """What may be typed where the dial and the sensor count pressure from different zeros."""
    case = view.view.assessment.case
    if case.circuit.sensor.curve.pressure_base is not PressureBase.ABSOLUTE:
        return ""
    unit = unit_for(case.value_unit).label
    return f"A dial that reads gauge: type it so, such as 0.8 {unit} gauge."


def _detail(view: BenchView) -> str:
    """The verdict's second sentence, unless it would only list what the five marks show."""
    assessment = view.view.assessment
    only_missing = assessment.verdict.level is VerdictLevel.OPEN and assessment.next_step and not assessment.unexplained
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
    if isinstance(expectation, GlowExpectation):
        return " or ".join(sorted(expectation.wanted))
    return ""


def _asked(view: BenchView, step: Step) -> AskedStep:
    assessment = view.view.assessment
    case, curve = assessment.case, view.view.circuit.sensor.curve
    current = case.readings.get(step.slot)
    value_unit = unit_for(case.value_unit).label
    base = f" {curve.pressure_base}" if curve.pressure_base is not None else ""
    units = {Answer.VOLTS: "V", Answer.OHMS: "Ω", Answer.GLOW: "", Answer.VALUE: value_unit + base}
    numbers = [s.slot for s in assessment.steps]
    return AskedStep(
        step,
        numbers.index(step.slot) + 1,
        len(numbers),
        units[step.spec.answer],
        _wanted_text(view, step.slot),
        current,
        "" if current is None else case.reading_text(current),
        step.spec.action is Action.MATED_V and step.slot.point is not None,
        value_unit + base,
        _stimulus_hint(view),
        tuple(i for i in view.people.instruments if i.kind is InstrumentKind.METER),
        tuple(i for i in view.people.instruments if i.gauge is not None and i.gauge.quantity is curve.quantity),
    )
