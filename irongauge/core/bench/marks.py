"""A circuit by its marks alone: every reading judged, its five proofs, and the verdict that these come to.

This needs the card and the readings, and no model of the circuit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.diagnosed import Diagnosis, FoundInput
from irongauge.core.bench.judgement import Judgement, judge
from irongauge.core.bench.own_marks import Proof
from irongauge.core.bench.sequence import Test, tests_of
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.pulses.record import PulseKind, PulseMark
from irongauge.core.sensors.circuits import Circuit, Role
from irongauge.core.sensors.licensed import Licence, licence_of

__all__ = [
    "SET_UP",
    "Assessment",
    "Proof",
    "ProofMark",
    "Verdict",
    "VerdictLevel",
    "assess",
    "assessed",
    "proof_of",
    "sentence",
    "titles",
]


@dataclass(frozen=True)
class ProofMark:
    """How far one of the five is proved: its mark, and how many of its readings are in."""

    proof: Proof
    mark: Mark
    taken: int
    wanted: int


class VerdictLevel(StrEnum):
    """What can be said of the circuit now."""

    GOOD = "proved good"
    WIRING = "wiring good, slope not proved"
    PART = "good as far as it can be read"
    FAULT = "fault found"
    GROUP = "cannot tell apart"
    CONTRADICTS = "readings contradict"
    OPEN = "not proved yet"

    @property
    def is_done(self) -> bool:
        """True where the circuit may be handed over: as good, or expressly as one of which something is not proved."""
        return self in {VerdictLevel.GOOD, VerdictLevel.WIRING, VerdictLevel.PART}


@dataclass(frozen=True)
class Verdict:
    """The answer in words: a headline, and a sentence that says why or what is missing."""

    level: VerdictLevel
    headline: str
    detail: str


@dataclass(frozen=True, kw_only=True)
class Assessment:
    """Everything that a page or a program wants to know of one circuit. `diagnosis` is None until it is asked for.

    `asks` is an input of which only settings or a diagram tell whether it is meant as it was found, where all else is proved.
    """

    case: BenchCase
    tests: tuple[Test, ...]
    judgements: Mapping[TestPoint, Judgement]
    proofs: tuple[ProofMark, ...]
    verdict: Verdict
    next_test: Test | None
    measure_again: tuple[Test, ...]
    diagnosis: Diagnosis | None = None
    asks: FoundInput | None = None

    @property
    def licence(self) -> Licence | None:
        """Whose work the circuit is, where it is left to those who are licensed for it: nothing is asked of it here."""
        return self.case.circuit.licence

    @property
    def left(self) -> tuple[Test, ...]:
        """The readings that are wanted, can be taken and have not been."""
        return _left(self.case, self.tests)

    @property
    def pulses_out(self) -> tuple[PulseMark, ...]:
        """Checks of the sensor's pulses that failed, or, where none did, that are undecided."""
        return _pulses_with(self.case, Mark.FAIL) or _pulses_with(self.case, Mark.UNDECIDED)


_LIVE = {Action.LIVE_V, Action.LIVE_VALUE, Action.LIVE_HZ, Action.LIVE_RUNNING_VALUE, Action.COUNTED}
_OF_THE_WIRE = {
    Action.OPEN_V, Action.LAMP_POSITIVE, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_JUMPED_V, Action.LIVE_GROUNDED_V,
    Action.LIVE_UNPLUGGED_V, Action.WIRE_OHM, Action.LIVE_JUMPED_VALUE, Action.LIVE_UNPLUGGED_VALUE, Action.SHIELD_OHM,
    Action.SHIELD_LIFTED_OHM, Action.LIVE_LAMP_POSITIVE_VALUE, Action.LIVE_JUMPED_RETURN_VALUE,
    Action.LIVE_KILOHM_V, Action.LIVE_KILOHM_VALUE,
}  # fmt: skip
_NO_PROOF = {
    Action.BATTERY_V, Action.BATTERY_LAMP, Action.OFF_OHM, Action.SHARERS_OFF_V, Action.SENSOR_OHM, Action.WAY_V,
}  # fmt: skip
# Which of the five a check of the pulses counts towards, beside the readings; the others are only kept.
_PULSE_PROOFS = {
    PulseKind.PRINCIPLE: Proof.SIGNAL_WIRE,
    PulseKind.WAVEFORM: Proof.SIGNAL,
    PulseKind.GAP: Proof.SIGNAL,
    PulseKind.FUEL: Proof.SIGNAL,
    PulseKind.SPEED: Proof.LIVE,
    PulseKind.BUS: Proof.LIVE,
}
_LICENSED = (
    "{} is of {}. No lamp, no ohms, no jumper and no reading here: the maker’s procedure and those who are licensed for it test "
    "it. If it is none, {}."
)
SET_UP = {Action.BATTERY_V, Action.BATTERY_LAMP}


def _licensed(circuit: Circuit, licence: Licence) -> str:
    """Why nothing is read there, and what to do where it is wrong."""
    by_name = licence_of(circuit.name) is licence
    undo = "change its name" if by_name and not licence.can_be_denied else "say so in its data"
    return _LICENSED.format("By its name it" if by_name else "By its data it", licence, undo)


def proof_of(case: BenchCase, test_point: TestPoint) -> Proof | None:
    """Which of the five a reading counts towards; None for set-up and follow-up readings."""
    action, role = Action(test_point.action), case.role_of(test_point.cavity) if test_point.cavity is not None else None
    if action in _NO_PROOF or (test_point.cavity is not None and role is None):
        return None
    if action in _LIVE:
        return Proof.LIVE
    if role is Role.REFERENCE:
        return Proof.REFERENCE
    if role is Role.RETURN:
        return Proof.RETURN
    if role in {Role.SIGNAL, Role.TEMPERATURE} and action in {Action.LAMP_NEGATIVE, Action.LAMP_NEGATIVE_V}:
        return None
    return Proof.SIGNAL_WIRE if action in _OF_THE_WIRE else Proof.SIGNAL


def assess(case: BenchCase, *, with_set_up: bool = True) -> Assessment:
    """Judge everything that is known of a circuit. Pure: the same case gives the same answer in any order of reading.

    Without `with_set_up` meter and lamp are somebody else's: their proofs are not asked for.
    """
    case = case.with_legs().in_order()
    tests = tests_of(case)
    if not with_set_up:
        tests = tuple(t for t in tests if t.spec.action not in SET_UP or t.test_point in case.readings)
    return assessed(case, tests, {p: judge(case, reading) for p, reading in case.readings.items()})


def assessed(case: BenchCase, tests: tuple[Test, ...], judgements: Mapping[TestPoint, Judgement]) -> Assessment:
    """What judged readings come to by themselves, before anything is weighed."""
    judged = [(test, judgements[test.test_point]) for test in tests if test.test_point in judgements]
    out = [(test, judgement) for test, judgement in judged if judgement.mark is Mark.FAIL]
    failed, odd = ([test for test, judgement in out if judgement.soft is soft] for soft in (False, True))
    proofs = _proof_marks(case, tests, judgements)
    missing = list(_left(case, tests))
    undecided = [test for test, judgement in judged if judgement.mark is Mark.UNDECIDED]
    licence = case.circuit.licence
    if licence is not None:
        missing = []
    hindered = [test for test in tests if test.hindrance is not None]
    verdict = _verdict(case, failed, odd, missing=missing, hindered=hindered, undecided=undecided, proofs=proofs)
    again = (*failed, *odd) or (tuple(undecided) if not missing else ())
    if licence is not None:
        verdict, again = Verdict(VerdictLevel.OPEN, "Left to licensed work", _licensed(case.circuit, licence)), ()
    return Assessment(
        case=case,
        tests=tests,
        judgements=judgements,
        proofs=proofs,
        verdict=verdict,
        next_test=missing[0] if missing else None,
        measure_again=again,
    )


def _left(case: BenchCase, tests: tuple[Test, ...]) -> tuple[Test, ...]:
    return tuple(test for test in tests if test.hindrance is None and test.test_point not in case.readings)


def sentence(words: str) -> str:
    """Words with a capital at the beginning."""
    return words[:1].upper() + words[1:]


def _proof_marks(
    case: BenchCase, tests: tuple[Test, ...], judgements: Mapping[TestPoint, Judgement]
) -> tuple[ProofMark, ...]:
    marks = []
    for proof in Proof:
        test_points = [test.test_point for test in tests if proof_of(case, test.test_point) is proof]
        if not test_points and case.is_known:
            continue  # a two-wire sensor has no reference to prove
        taken = [judgements[test_point].mark for test_point in test_points if test_point in judgements]
        pulses = [p.mark for p in case.pulses if _PULSE_PROOFS.get(p.kind) is proof]
        if Mark.FAIL in (*taken, *pulses):
            mark = Mark.FAIL
        elif not test_points or len(taken) < len(test_points):
            mark = Mark.NOT_MEASURED
        else:
            mark = Mark.UNDECIDED if Mark.UNDECIDED in (*taken, *pulses) else Mark.PASS
        marks.append(ProofMark(proof, mark, len(taken) + len(pulses), len(test_points) + len(pulses)))
    return tuple(marks)


def _pulses_with(case: BenchCase, mark: Mark) -> tuple[PulseMark, ...]:
    return tuple(p for p in case.pulses if p.mark is mark and p.kind in _PULSE_PROOFS)


def _verdict(  # noqa: PLR0911  one way out for each verdict
    case: BenchCase,
    failed: list[Test],
    odd: list[Test],
    *,
    missing: list[Test],
    hindered: list[Test],
    undecided: list[Test],
    proofs: tuple[ProofMark, ...],
) -> Verdict:
    """By the marks alone; `odd` is what good circuits seldom read, which convicts nothing by itself."""
    set_up = [test for test in (*failed, *odd) if test.spec.action in SET_UP]
    if set_up:
        return Verdict(VerdictLevel.OPEN, "Fix the set-up first", f"{titles(set_up)} is outside its window.")
    if failed:
        detail = f"Outside its window: {titles(failed)}."
        return Verdict(VerdictLevel.FAULT, f"Out of limits: {titles(failed)}", detail)
    bad = _pulses_with(case, Mark.FAIL)
    if bad:
        detail = "Fix it, then take and keep the check again under Pulse."
        return Verdict(VerdictLevel.FAULT, _pulses_named(bad), detail)
    if odd:
        detail = f"Not as good circuits usually read: {titles(odd)}."
        return Verdict(VerdictLevel.OPEN, "Something is off; the next reading narrows it down", detail)
    if missing:
        return _to_go(missing, proofs)
    doubtful = _pulses_with(case, Mark.UNDECIDED)
    if undecided or doubtful:
        return _too_close(undecided, doubtful)
    return _as_far_as_read(hindered, proofs) if hindered else _proved(case, proofs)


def _to_go(missing: list[Test], proofs: tuple[ProofMark, ...]) -> Verdict:
    open_proofs = [m for m in proofs if m.mark is not Mark.PASS]
    names = ", ".join(f"{m.proof} ({m.taken} of {m.wanted})" if m.wanted else str(m.proof) for m in open_proofs)
    detail = f"Missing: {names}." if names else f"Missing: {titles(missing)}."
    return Verdict(VerdictLevel.OPEN, f"{len(missing)} reading{'s' if len(missing) > 1 else ''} to go", detail)


def _proved(case: BenchCase, proofs: tuple[ProofMark, ...]) -> Verdict:
    """Every reading is taken and good: what that proves."""
    proved = ", ".join(str(m.proof) for m in proofs)
    if not case.circuit.shows_slope:
        return Verdict(VerdictLevel.WIRING, "Right at one point", _one_point(case))
    if case.circuit.sensor.quantity is not None and not case.circuit.reader.shows_value:
        detail = (
            "The reader does not show this channel’s value, so its scaling in the controller is not proved. "
            "Compare what the gauge or another reader shows with what is applied."
        )
        return Verdict(VerdictLevel.WIRING, f"Proved: {proved}; the shown value not", detail)
    return Verdict(VerdictLevel.GOOD, f"Proved: {proved}", "No reading is out.")


def _as_far_as_read(hindered: list[Test], proofs: tuple[ProofMark, ...]) -> Verdict:
    """Every reading that can be taken is good: what the others would have proved is said, and stays open."""
    by_hindrance: dict[str, list[Test]] = {}
    for test in hindered:
        by_hindrance.setdefault(str(test.hindrance), []).append(test)
    not_read = "; ".join(f"{titles(tests)} ({hindrance})" for hindrance, tests in by_hindrance.items())
    unproved = [str(m.proof) for m in proofs if not m.taken]
    if unproved:
        headline = f"Cannot be proved here: {', '.join(unproved)}"
        return Verdict(VerdictLevel.OPEN, headline, f"Nothing of it could be read. Not read: {not_read}.")
    proved = ", ".join(f"{m.proof} ({m.taken} of {m.wanted})" if m.taken < m.wanted else str(m.proof) for m in proofs)
    return Verdict(VerdictLevel.PART, f"No reading is out: {proved}", f"Not read: {not_read}.")


def _one_point(case: BenchCase) -> str:
    at = case.circuit.stimuli[0].label
    return f"Every reading at “{at}” fits; a wrong slope would fit there too. Add a second point to its data and measure it."


def _pulses_named(pulses: tuple[PulseMark, ...]) -> str:
    return "; ".join(sentence(f"{p.kind}: {p.finding}") for p in pulses)


def _too_close(undecided: list[Test], doubtful: tuple[PulseMark, ...]) -> Verdict:
    if undecided:
        detail = f"Measure with a better instrument: {titles(undecided)}."
        return Verdict(VerdictLevel.OPEN, "Too close to call", detail)
    detail = "Look into it, then take and keep the check again under Pulse."
    return Verdict(VerdictLevel.OPEN, _pulses_named(doubtful), detail)


def titles(tests: list[Test]) -> str:
    """Tests by their titles, for a sentence."""
    return ", ".join(test.title for test in tests)
