"""A circuit as a whole: every reading judged, its proof marks, the verdict, the next step.

Judging needs the card and the readings alone. The diagnosis, which takes longer, is asked for where a page or a program
wants to know what is wrong (`conclude`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.judgement import Judgement, judge
from irongauge.core.bench.sequence import Step, step_at, test_steps
from irongauge.core.diagnosis.faults import FAULT_WORDS, PAIR_JOIN, SURE, Standing
from irongauge.core.measure.quantities import Mark, Slot
from irongauge.core.measure.units import show_chance
from irongauge.core.pulses.record import PulseKind, PulseMark
from irongauge.core.sensors.circuits import Role

if TYPE_CHECKING:
    from irongauge.core.bench.reasoning import Diagnosis

__all__ = ["Assessment", "Proof", "ProofMark", "Verdict", "VerdictLevel", "assess", "conclude"]


class Proof(StrEnum):
    """The five things that a circuit must be proved at before hand-over."""

    REFERENCE = "reference"
    RETURN = "return"
    SIGNAL_WIRE = "signal wire"
    SIGNAL = "signal"
    LIVE = "live data"


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
    FAULT = "fault found"
    GROUP = "cannot tell apart"
    CONTRADICTS = "readings contradict"
    OPEN = "not proved yet"


@dataclass(frozen=True)
class Verdict:
    """The answer in words: a headline, and a sentence that says why or what is missing."""

    level: VerdictLevel
    headline: str
    detail: str


@dataclass(frozen=True)
class Assessment:
    """Everything that a page or a program wants to know of one circuit. `diagnosis` is None until it is asked for."""

    case: BenchCase
    steps: tuple[Step, ...]
    judgements: Mapping[Slot, Judgement]
    proofs: tuple[ProofMark, ...]
    verdict: Verdict
    next_step: Step | None
    measure_again: tuple[Step, ...]
    diagnosis: Diagnosis | None = None

    @property
    def pulses_out(self) -> tuple[PulseMark, ...]:
        """Checks of the sensor's pulses that failed, or, where none did, that are undecided."""
        return _pulses_with(self.case, Mark.FAIL) or _pulses_with(self.case, Mark.UNDECIDED)


_LIVE = {Action.LIVE_V, Action.LIVE_VALUE, Action.LIVE_HZ, Action.LIVE_RUNNING_VALUE, Action.COUNTED}
_OF_THE_WIRE = {
    Action.OPEN_V, Action.LAMP_POSITIVE, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_JUMPED_V, Action.LIVE_GROUNDED_V,
    Action.LIVE_UNPLUGGED_V, Action.WIRE_OHM, Action.LIVE_JUMPED_VALUE, Action.LIVE_UNPLUGGED_VALUE, Action.SHIELD_OHM,
    Action.SHIELD_LIFTED_OHM,
}  # fmt: skip
_NO_PROOF = {
    Action.BATTERY_V, Action.BATTERY_LAMP, Action.OFF_OHM, Action.SHARERS_OFF_V, Action.SENSOR_OHM,
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
_NAMED_FROM = 0.01  # of a group; the others stand in the list
_SET_UP = {Action.BATTERY_V, Action.BATTERY_LAMP}


def proof_of(case: BenchCase, slot: Slot) -> Proof | None:
    """Which of the five a reading counts towards; None for set-up and follow-up readings."""
    action, role = Action(slot.action), case.role_of(slot.cavity) if slot.cavity is not None else None
    if action in _NO_PROOF or (slot.cavity is not None and role is None):
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


def assess(case: BenchCase) -> Assessment:
    """Judge everything that is known of a circuit. Pure: the same case gives the same answer in any order of reading."""
    steps = test_steps(case)
    judgements = {slot: judge(case, reading) for slot, reading in case.readings.items()}
    failed = [step for step in steps if step.slot in judgements and judgements[step.slot].mark is Mark.FAIL]
    proofs = _proof_marks(case, steps, judgements)
    missing = [step for step in steps if step.slot not in case.readings]
    undecided = [step for step in steps if step.slot in judgements and judgements[step.slot].mark is Mark.UNDECIDED]
    verdict = _verdict(case, failed, missing, undecided, proofs)
    again = tuple(failed) or (tuple(undecided) if not missing else ())
    return Assessment(case, steps, judgements, proofs, verdict, missing[0] if missing else None, again)


def conclude(assessment: Assessment, *, set_up_first: bool = True) -> Assessment:
    """The assessment with the diagnosis: the fault named where one is, and the step that tells the most chosen next.

    Meter and lamp are to be proved before anything else, unless `set_up_first` is left out.
    """
    from irongauge.core.bench.reasoning import diagnose  # noqa: PLC0415  the Floor's marks need no numbers package

    case, verdict = assessment.case, assessment.verdict
    found = diagnose(case)
    told = replace(assessment, diagnosis=found)
    set_up = [s for s in assessment.steps if s.spec.action in _SET_UP and s.slot not in case.readings]
    bad_set_up = [s for s in assessment.measure_again if s.spec.action in _SET_UP]
    if bad_set_up or (set_up and set_up_first):
        return replace(told, next_step=set_up[0] if set_up else None)
    if verdict.level is VerdictLevel.GOOD:
        return replace(told, next_step=None)
    stale = _older_than_repair(assessment)
    if stale:
        return replace(told, next_step=stale[0])
    out = tuple(s for s in assessment.measure_again if s.spec.action not in _SET_UP)
    if found.standing is Standing.OPEN and found.next_checks and not _rests(found):
        if out:
            verdict = replace(verdict, level=VerdictLevel.OPEN, headline=_so_far(found))
        return replace(told, next_step=_step_of(case, found) or assessment.next_step, verdict=verdict)
    # While nothing is out and proofs are missing, they are what tells most, however sure the ranking is.
    goes_on = found.leader.is_healthy and assessment.next_step is not None
    if found.standing is not Standing.CONTRADICTS and (_only_proofs_missing(found) or goes_on) and not out:
        return told
    verdict, again = _named(told, found, out)
    return replace(told, next_step=None, verdict=verdict, measure_again=again)


def _named(assessment: Assessment, found: Diagnosis, out: tuple[Step, ...]) -> tuple[Verdict, tuple[Step, ...]]:
    """What is said when no further reading would tell more, and the readings worth taking again."""
    case, again = assessment.case, assessment.measure_again
    if found.standing is Standing.CONTRADICTS:
        detail = f"No fault, nor two, explain all of them. Check again first: {_titles_at(case, found.unexplained)}."
        verdict = Verdict(VerdictLevel.CONTRADICTS, "Something was read that nothing explains", detail)
        return verdict, _steps_at(case, found.unexplained) or again
    if PAIR_JOIN in found.leader.fault and found.group_probability >= SURE:
        return _two_faults(found), out or again
    if found.standing is Standing.GROUPED and len(found.group) > 1:
        named = [s for s in found.group if s.probability >= _NAMED_FROM] or list(found.group[:1])
        head = _sentence(" or ".join(s.title for s in named))
        return Verdict(
            VerdictLevel.GROUP, head, "No reading that can be taken tells these apart; an inspection does."
        ), again
    if found.leader.is_healthy and out:
        detail = f"{assessment.verdict.detail} No fault of the wiring or the sensor explains it; measure it again."
        return replace(assessment.verdict, detail=detail), again
    if found.group_probability >= SURE:
        failed = {step.slot for step in out}
        told = [r for r in found.reasons if r.explained]
        why = next((r.sentence for r in told if r.slot in failed), told[0].sentence if told else "")
        again = out or _steps_at(case, tuple(r.slot for r in found.reasons[:2]))
        return Verdict(VerdictLevel.FAULT, _sentence(found.leader.title), why), again
    likely = ", ".join(f"{s.title} ({show_chance(s.probability)})" for s in found.suspects[:3])
    return Verdict(VerdictLevel.GROUP, "No further reading would settle it", f"It may be {likely}."), again


def _two_faults(found: Diagnosis) -> Verdict:
    """Two faults at once: the likelier of them first, for only when it is right do readings tell the other for sure."""
    first = next(s for s in found.group if PAIR_JOIN not in s.fault)
    pairs = [s.fault.split(PAIR_JOIN) for s in found.group if PAIR_JOIN in s.fault]
    seconds = {FAULT_WORDS[code].title: None for pair in pairs for code in pair if code != first.fault}
    return Verdict(
        VerdictLevel.FAULT,
        f"{_sentence(first.title)}, and with it {' or '.join(seconds)}",
        "Put the first right, then measure again: only then do readings tell the second for sure.",
    )


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:]


def _older_than_repair(assessment: Assessment) -> list[Step]:
    """Failed readings from before the repair that is being proved: they are to be taken again first."""
    case = assessment.case
    if case.evidence_from is None:
        return []
    return [step for step in assessment.measure_again if case.readings[step.slot].taken_at < case.evidence_from]


def _only_proofs_missing(found: Diagnosis) -> bool:
    return found.leader.is_healthy and found.group_probability >= SURE


def _rests(found: Diagnosis) -> bool:
    """True when only the proofs of a good circuit are still wanted, which come in the order that saves key cycles."""
    return _only_proofs_missing(found) and not found.hangs_on and not found.unexplained


def _so_far(found: Diagnosis) -> str:
    leader = found.leader
    if leader.is_healthy:
        return "Something is out; which it is shows next"
    return f"Most likely {leader.title} ({show_chance(leader.probability)}); the next reading tells more"


def _step_of(case: BenchCase, found: Diagnosis) -> Step | None:
    """The first slot of the best check that is still to be filled; a check that must be borne out is asked again."""
    if found.unfinished is not None:
        return step_at(case, found.unfinished)
    for check in found.next_checks:
        for slot in check.slots:
            if slot not in case.readings:
                return step_at(case, slot)
        if check.slots:
            return step_at(case, check.slots[-1])
    return None


def _steps_at(case: BenchCase, slots: tuple[Slot, ...]) -> tuple[Step, ...]:
    return tuple(step_at(case, slot) for slot in slots)


def _titles_at(case: BenchCase, slots: tuple[Slot, ...]) -> str:
    return ", ".join(step.title for step in _steps_at(case, slots))


def _proof_marks(
    case: BenchCase, steps: tuple[Step, ...], judgements: Mapping[Slot, Judgement]
) -> tuple[ProofMark, ...]:
    marks = []
    for proof in Proof:
        slots = [step.slot for step in steps if proof_of(case, step.slot) is proof]
        if not slots and case.is_known:
            continue  # a two-wire sensor has no reference to prove
        taken = [judgements[slot].mark for slot in slots if slot in judgements]
        pulses = [p.mark for p in case.pulses if _PULSE_PROOFS.get(p.kind) is proof]
        if Mark.FAIL in (*taken, *pulses):
            mark = Mark.FAIL
        elif not slots or len(taken) < len(slots):
            mark = Mark.NOT_MEASURED
        else:
            mark = Mark.UNDECIDED if Mark.UNDECIDED in (*taken, *pulses) else Mark.PASS
        marks.append(ProofMark(proof, mark, len(taken) + len(pulses), len(slots) + len(pulses)))
    return tuple(marks)


def _pulses_with(case: BenchCase, mark: Mark) -> tuple[PulseMark, ...]:
    return tuple(p for p in case.pulses if p.mark is mark and p.kind in _PULSE_PROOFS)


def _verdict(
    case: BenchCase, failed: list[Step], missing: list[Step], undecided: list[Step], proofs: tuple[ProofMark, ...]
) -> Verdict:
    set_up = [step for step in failed if step.spec.action in _SET_UP]
    if set_up:
        return Verdict(VerdictLevel.OPEN, "Put the set-up right first", f"{_titles(set_up)} is outside its window.")
    if failed:
        detail = f"Outside its window: {_titles(failed)}."
        return Verdict(VerdictLevel.FAULT, f"Out of limits: {_titles(failed)}", detail)
    bad = _pulses_with(case, Mark.FAIL)
    if bad:
        detail = "Put it right, then take and keep it again under Pulse."
        return Verdict(VerdictLevel.FAULT, _pulses_named(bad), detail)
    if missing:
        open_proofs = [m for m in proofs if m.mark is not Mark.PASS]
        names = ", ".join(f"{m.proof} ({m.taken} of {m.wanted})" if m.wanted else str(m.proof) for m in open_proofs)
        detail = f"Missing: {names}." if names else f"Missing: {_titles(missing)}."
        return Verdict(VerdictLevel.OPEN, f"{len(missing)} reading{'s' if len(missing) > 1 else ''} to go", detail)
    doubtful = _pulses_with(case, Mark.UNDECIDED)
    if undecided or doubtful:
        return _too_close(undecided, doubtful)
    proved = ", ".join(str(m.proof) for m in proofs)
    return Verdict(VerdictLevel.GOOD, f"Proved: {proved}", "No reading is out.")


def _pulses_named(pulses: tuple[PulseMark, ...]) -> str:
    return "; ".join(_sentence(f"{p.kind}: {p.finding}") for p in pulses)


def _too_close(undecided: list[Step], doubtful: tuple[PulseMark, ...]) -> Verdict:
    if undecided:
        detail = f"Measure with a better instrument: {_titles(undecided)}."
        return Verdict(VerdictLevel.OPEN, "Too close to call", detail)
    detail = "Look into it, then take and keep it again under Pulse."
    return Verdict(VerdictLevel.OPEN, _pulses_named(doubtful), detail)


def _titles(steps: list[Step]) -> str:
    return ", ".join(step.title for step in steps)
