"""A circuit as a whole: every reading judged, five proof marks, the faults found, the verdict, the next step."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.actions import Action
from irongauge.core.case import BenchCase
from irongauge.core.circuits import Role
from irongauge.core.faults import Finding, Rule, consider
from irongauge.core.judgement import Judgement, judge
from irongauge.core.quantities import Mark, Slot
from irongauge.core.sequence import Step, test_steps

__all__ = ["Assessment", "Proof", "ProofMark", "Verdict", "VerdictLevel", "assess"]


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
    OPEN = "not proved yet"


@dataclass(frozen=True)
class Verdict:
    """The answer in words: a headline, and a sentence that says why or what is missing."""

    level: VerdictLevel
    headline: str
    detail: str


@dataclass(frozen=True)
class Assessment:
    """Everything that a page or a program wants to know of one circuit."""

    case: BenchCase
    steps: tuple[Step, ...]
    judgements: Mapping[Slot, Judgement]
    proofs: tuple[ProofMark, ...]
    findings: tuple[Finding, ...]
    unexplained: tuple[Slot, ...]
    possible: tuple[Rule, ...]
    verdict: Verdict
    next_step: Step | None
    measure_again: tuple[Step, ...]


_PROOF_OF = {
    (Action.OPEN_V, Role.REFERENCE): Proof.REFERENCE,
    (Action.LAMP_NEGATIVE, Role.REFERENCE): Proof.REFERENCE,
    (Action.LAMP_NEGATIVE_V, Role.REFERENCE): Proof.REFERENCE,
    (Action.MATED_V, Role.REFERENCE): Proof.REFERENCE,
    (Action.OPEN_V, Role.RETURN): Proof.RETURN,
    (Action.LAMP_POSITIVE, Role.RETURN): Proof.RETURN,
    (Action.MATED_V, Role.RETURN): Proof.RETURN,
    (Action.OPEN_V, Role.SIGNAL): Proof.SIGNAL_WIRE,
    (Action.LAMP_POSITIVE, Role.SIGNAL): Proof.SIGNAL_WIRE,
    (Action.LIVE_LAMP_POSITIVE_V, Role.SIGNAL): Proof.SIGNAL_WIRE,
    (Action.LIVE_JUMPED_V, Role.SIGNAL): Proof.SIGNAL_WIRE,
    (Action.MATED_V, Role.SIGNAL): Proof.SIGNAL,
    (Action.LIVE_V, None): Proof.LIVE,
    (Action.LIVE_VALUE, None): Proof.LIVE,
}
_SET_UP = {Action.BATTERY_V, Action.BATTERY_LAMP}


def proof_of(case: BenchCase, slot: Slot) -> Proof | None:
    """Which of the five a reading counts towards; None for set-up and follow-up readings."""
    role = case.role_of(slot.cavity) if slot.cavity is not None else None
    return _PROOF_OF.get((Action(slot.action), role))


def assess(case: BenchCase) -> Assessment:
    """Judge everything that is known of a circuit. Pure: the same case gives the same answer in any order of reading."""
    steps = test_steps(case)
    judgements = {slot: judge(case, reading) for slot, reading in case.readings.items()}
    found, possible = consider(case, {slot: judgement.mark for slot, judgement in judgements.items()})
    explained = frozenset[Slot]().union(*(finding.explains for finding in found))
    failed = [step for step in steps if step.slot in judgements and judgements[step.slot].mark is Mark.FAIL]
    unexplained = tuple(step.slot for step in failed if step.slot not in explained)
    proofs = _proof_marks(case, steps, judgements)
    missing = [step for step in steps if step.slot not in case.readings]
    undecided = [step for step in steps if step.slot in judgements and judgements[step.slot].mark is Mark.UNDECIDED]
    verdict = _verdict(found, [s for s in failed if s.slot in unexplained], missing, undecided, proofs)
    held = any(finding.rule.before_going_on for finding in found)
    again = tuple(failed) or (tuple(undecided) if not missing else ())
    return Assessment(
        case,
        steps,
        judgements,
        proofs,
        found,
        unexplained,
        possible,
        verdict,
        None if held or not missing else missing[0],
        again,
    )


def _proof_marks(
    case: BenchCase, steps: tuple[Step, ...], judgements: Mapping[Slot, Judgement]
) -> tuple[ProofMark, ...]:
    marks = []
    for proof in Proof:
        slots = [step.slot for step in steps if proof_of(case, step.slot) is proof]
        taken = [judgements[slot].mark for slot in slots if slot in judgements]
        if Mark.FAIL in taken:
            mark = Mark.FAIL
        elif not slots or len(taken) < len(slots):
            mark = Mark.NOT_MEASURED
        else:
            mark = Mark.UNDECIDED if Mark.UNDECIDED in taken else Mark.PASS
        marks.append(ProofMark(proof, mark, len(taken), len(slots)))
    return tuple(marks)


def _verdict(
    found: tuple[Finding, ...],
    unexplained: list[Step],
    missing: list[Step],
    undecided: list[Step],
    proofs: tuple[ProofMark, ...],
) -> Verdict:
    if found:
        headline = "; ".join(finding.rule.title for finding in found)
        detail = " ".join(finding.because for finding in found)
        if unexplained:
            detail += f" Not explained by this: {_titles(unexplained)}. Keep looking."
        return Verdict(VerdictLevel.FAULT, headline, detail)
    if unexplained:
        set_up = [step for step in unexplained if step.spec.action in _SET_UP]
        if set_up:
            return Verdict(VerdictLevel.OPEN, "Put the set-up right first", f"{_titles(set_up)} is outside its window.")
        detail = f"Outside its window, and no single fault is settled by it yet: {_titles(unexplained)}."
        if missing:
            detail += f" Next: {missing[0].title}."
        else:
            detail += " Measure it again; if it stays, the circuit is not good."
        return Verdict(VerdictLevel.FAULT, f"Out of limits: {_titles(unexplained)}", detail)
    if missing:
        open_proofs = [m for m in proofs if m.mark is not Mark.PASS]
        names = ", ".join(f"{m.proof} ({m.taken} of {m.wanted})" if m.wanted else str(m.proof) for m in open_proofs)
        detail = f"Missing: {names}." if names else f"Missing: {_titles(missing)}."
        return Verdict(VerdictLevel.OPEN, f"{len(missing)} reading{'s' if len(missing) > 1 else ''} to go", detail)
    if undecided:
        return Verdict(
            VerdictLevel.OPEN, "Too close to call", f"Measure with a better instrument: {_titles(undecided)}."
        )
    return Verdict(
        VerdictLevel.GOOD, "Reference, return, signal wire, signal and live data proved", "No reading is out."
    )


def _titles(steps: list[Step]) -> str:
    return ", ".join(step.title for step in steps)
