"""What the Bench and the Handover sheet show, worked out: no rule is left to a template."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.bench.actions import AnswerKind
from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.expectations import GlowExpectation, WindowExpectation, WordExpectation, expect
from irongauge.core.bench.judgement import Judgement, window_text
from irongauge.core.bench.marks import proof_of
from irongauge.core.bench.next_tool import ToolOffer, tools_for
from irongauge.core.bench.reach import hindrances_at
from irongauge.core.bench.sequence import Test, is_allowed, test_at
from irongauge.core.measure.quantities import Mark, Reading, TestPoint
from irongauge.core.measure.uncertainty import USUAL_METERS
from irongauge.core.measure.units import PressureBase, unit_for
from irongauge.core.pulses.record import PULSE_FAMILIES, PulseKind
from irongauge.core.sensors.circuits import Instrument, InstrumentKind
from irongauge.core.sensors.unreadable import Hindrance
from irongauge.web.bench.connector import ConnectorFace, draw_connector
from irongauge.web.bench.filling import BusLine
from irongauge.web.bench.ladder import Ladder, draw_ladder
from irongauge.workflows.bench.readings import Ahead, BenchView, needs_stimulus
from irongauge.workflows.bench.simulate import Debrief, debrief, may_simulate
from irongauge.workflows.live.meter import may_fill
from irongauge.workflows.plan.wirings import WireWay
from irongauge.workflows.shop.view import CircuitView

__all__ = ["AskedTest", "BenchPage", "EvidenceLine", "bench_page", "evidence_line"]


@dataclass(frozen=True, kw_only=True)
class EvidenceLine:
    """One step as the list shows it: the reading in force with its judgement, and those it superseded."""

    test: Test
    proof: str
    reading: Reading | None
    judgement: Judgement | None
    text: str
    wanted: str
    taken_with: str
    who: str
    earlier: tuple[tuple[Reading, str], ...]
    allowed: bool

    @property
    def is_done(self) -> bool:
        """True for a good reading, of which nothing is left to do."""
        return self.judgement is not None and self.judgement.mark is Mark.PASS


@dataclass(frozen=True)
class RunnerUp:
    """Another check that would tell nearly as much."""

    test: Test
    minutes: float


@dataclass(frozen=True, kw_only=True)
class AskedTest:
    """The step that the page asks for: its form's choices and what its field is called."""

    test: Test
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
    hindrances: tuple[str, ...]
    reads_itself: bool


_PULSE_PAGES = {
    PulseKind.EXPECTED: "pulse",
    PulseKind.PRINCIPLE: "pulse_principle",
    PulseKind.WAVEFORM: "pulse_waveform",
    PulseKind.GAP: "pulse_gap",
    PulseKind.SPEED: "pulse_speed",
    PulseKind.FUEL: "pulse_fuel",
    PulseKind.BUS: "pulse_bus",
}


@dataclass(frozen=True, kw_only=True)
class BenchPage:
    """Everything that the Bench's template shows."""

    bench: BenchView
    asked: AskedTest | None
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
    debrief: Debrief | None
    wire_ways: tuple[WireWay, ...] = ()
    bus: BusLine | None = None
    filled: bool = False
    stands: tuple[str, str] | None = None
    tools: tuple[ToolOffer, ...] = ()
    newest: tuple[EvidenceLine, ...] = ()

    @property
    def usual_meters(self) -> tuple[str, ...]:
        """What usual meters show of 5 V."""
        return tuple(USUAL_METERS)

    @property
    def unreadable(self) -> tuple[tuple[Test, Hindrance], ...]:
        """What somebody said cannot be read here, and what is in the way."""
        case = self.bench.view.assessment.case
        return tuple((test_at(case, one.test_point), one.hindrance) for one in case.circuit.unreadable)

    @property
    def makes_pulses(self) -> bool:
        """True for a sensor whose waveform is worth a look."""
        return self.bench.view.circuit.family in PULSE_FAMILIES

    @staticmethod
    def pulse_page(kind: PulseKind) -> str:
        """The name of the page on which a check of the pulses is taken again."""
        return _PULSE_PAGES[kind]


def bench_page(
    view: BenchView, test: Test | None, saved: str, note: str, ahead: Ahead | None = None, *, show_hidden: bool = False
) -> BenchPage:
    """Everything that the template shows, worked out. What is hidden is shown at the end, or on demand."""
    assessment = view.view.assessment
    evidence = tuple(evidence_line(view, s) for s in assessment.tests)
    open_job = view.job.job.handed_over_at is None
    asked = _asked(view, test) if test is not None and open_job else None
    still_open = [v for v in view.job.standing if not v.assessment.verdict.level.is_done]
    return BenchPage(
        bench=view,
        asked=asked,
        evidence=evidence,
        saved=next((line for line in evidence if line.reading is not None and str(line.reading.uid) == saved), None),
        note=note,
        ladder=draw_ladder(assessment, None if asked is None else asked.test.test_point),
        connector=draw_connector(assessment.case, None if asked is None else asked.test),
        next_circuit=still_open[0] if still_open else None,
        may_hand_over=view.job.may_be_handed_over,
        detail=_detail(view),
        no_meter=not any(i.kind is InstrumentKind.METER for i in view.people.usable),
        ahead=ahead,
        may_simulate=may_simulate(view),
        debrief=debrief(view) if asked is None or show_hidden else None,
        tools=tools_for(assessment),
        newest=_newest(evidence, saved),
    )


def _newest(evidence: tuple[EvidenceLine, ...], saved: str) -> tuple[EvidenceLine, ...]:
    """The last three readings in force, the newest first; the one just saved is shown by itself already."""
    read = [(line.reading.taken_at, at, line) for at, line in enumerate(evidence) if line.reading is not None]
    newest = [line for _, _, line in sorted(read, key=lambda r: r[:2], reverse=True)][:_LAST_SHOWN]
    return tuple(line for line in newest if line.reading is not None and str(line.reading.uid) != saved)


_LAST_SHOWN = 3


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
        assessment.verdict.level is VerdictLevel.OPEN and assessment.next_test and not assessment.measure_again
    )
    return "" if only_missing else assessment.verdict.detail


def evidence_line(view: BenchView, test: Test) -> EvidenceLine:
    """A step with its reading, its judgement, and what it took the place of."""
    assessment, people = view.view.assessment, view.people
    case = assessment.case
    reading = case.readings.get(test.test_point)
    instruments = [] if reading is None else [reading.instrument_uid, reading.stimulus_instrument_uid]
    names = [instrument.name for uid in instruments if (instrument := people.instrument(uid)) is not None]
    earlier = tuple(
        (r, case.reading_text(r))
        for r in view.view.readings
        if reading is not None and r.test_point == test.test_point and r.uid != reading.uid
    )
    return EvidenceLine(
        test=test,
        proof=proof_of(case, test.test_point) or "",
        reading=reading,
        judgement=assessment.judgements.get(test.test_point),
        text="" if reading is None else case.reading_text(reading),
        wanted=_wanted_text(view, test.test_point),
        taken_with=", ".join(names) + (f" (overdue: {reading.overdue_why})" if reading and reading.overdue_why else ""),
        who="" if reading is None else people.technician_name(reading.technician_uid),
        earlier=earlier,
        allowed=is_allowed(case, test.test_point),
    )


def _wanted_text(view: BenchView, test_point: TestPoint) -> str:
    """What a test point should read, in few words; empty while nothing can be expected."""
    case = view.view.assessment.case
    expectation = expect(case, test_point)
    if isinstance(expectation, WindowExpectation):
        return window_text(case, test_point, expectation.window)
    if isinstance(expectation, GlowExpectation | WordExpectation):
        return " or ".join(sorted(expectation.wanted))
    return ""


def _unit_of(case: BenchCase, test: Test, value_unit: str) -> str:
    """The unit beside the field."""
    if test.spec.answer is not AnswerKind.VALUE:
        return _UNITS.get(test.spec.answer, "")
    return unit_for(case.heat_unit).label if case.senses_heat(test.test_point) else value_unit


def _asked(view: BenchView, test: Test) -> AskedTest:
    assessment = view.view.assessment
    case, sensor = assessment.case, view.view.circuit.sensor
    current = case.readings.get(test.test_point)
    value_unit = "" if case.value_unit is None else unit_for(case.value_unit).label
    base = f" {sensor.pressure_base}" if sensor.pressure_base is not None else ""
    return AskedTest(
        test=test,
        number=len([s for s in assessment.tests if s.test_point in case.readings]),
        of=len([s for s in assessment.tests if s.hindrance is None]),
        unit=_unit_of(case, test, value_unit + base),
        wanted=_wanted_text(view, test.test_point),
        current=current,
        current_text="" if current is None else case.reading_text(current),
        needs_stimulus=needs_stimulus(case, test.test_point),
        stimulus_unit=value_unit + base,
        stimulus_hint=_stimulus_hint(view),
        meters=tuple(i for i in view.people.usable if i.kind is InstrumentKind.METER),
        gauges=tuple(i for i in view.people.usable if i.gauge is not None and i.gauge.quantity is sensor.quantity),
        minutes=_minutes(view, test),
        runner_ups=_runner_ups(view, test),
        words=_words(test),
        hindrances=() if current is not None else tuple(str(h) for h in hindrances_at(test.test_point)),
        reads_itself=any(may_fill(test.spec, i) for i in view.people.usable),
    )


_UNITS = {
    AnswerKind.VOLTS: "V",
    AnswerKind.OHMS: "Ω",
    AnswerKind.HERTZ: "Hz",
    AnswerKind.MILLISECONDS: "ms",
    AnswerKind.PERCENT: "%",
    AnswerKind.MILLIAMPS: "mA",
}
_GLOWS = (("dark", "D"), ("dim", "G"), ("bright", "B"))


def _words(test: Test) -> tuple[tuple[str, str], ...]:
    """The answers of a step that is answered in words, each with its key."""
    if test.spec.answer is AnswerKind.GLOW:
        return _GLOWS
    return tuple((word, key.upper()) for word, key in test.spec.words)


def _minutes(view: BenchView, test: Test) -> float | None:
    """Minutes that the asked check takes, where the diagnosis has chosen it."""
    found = view.view.assessment.diagnosis
    checks = () if found is None else found.next_tests
    return next((check.minutes for check in checks if test.test_point in check.test_points), None)


def _runner_ups(view: BenchView, test: Test) -> tuple[RunnerUp, ...]:
    """The two next best checks, for who would rather do one of them."""
    assessment = view.view.assessment
    if assessment.diagnosis is None or _minutes(view, test) is None:
        return ()
    others = [
        check
        for check in assessment.diagnosis.next_tests
        if check.test_points and test.test_point not in check.test_points
    ]
    return tuple(RunnerUp(test_at(assessment.case, check.test_points[0]), check.minutes) for check in others[:2])
