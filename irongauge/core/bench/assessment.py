"""A circuit as a whole: its marks and the diagnosis weighed together, the verdict that people read, the next step.

Marks need the card and the readings alone (`marks.py`). The diagnosis, which takes longer, is asked for where a page or a
program wants to know what is wrong (`conclude`).
"""

from __future__ import annotations

from dataclasses import replace

from irongauge.core.bench.actions import ACTIONS, Action, Probe
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.diagnosed import Diagnosis, FoundInput, Suspect
from irongauge.core.bench.marks import (
    SET_UP,
    Assessment,
    Proof,
    ProofMark,
    Verdict,
    VerdictLevel,
    assess,
    assessed,
    proof_of,
    sentence,
    titles,
)
from irongauge.core.bench.own_marks import own_marks_pass, own_parts, part_read
from irongauge.core.bench.reasoning import diagnose
from irongauge.core.bench.sequence import Test, test_at
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, FAULT_WORDS, SURE, Standing
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.measure.units import show_chance
from irongauge.core.sensors.circuits import Role

__all__ = ["Assessment", "Proof", "ProofMark", "Verdict", "VerdictLevel", "assess", "conclude", "needs_diagnosis"]

_NOT_RULED_OUT = 0.05  # a circuit is never good while one fault holds more
_WORTH_A_WORD = 0.01  # of what would not show: less is not said
_RING_FAULTS = frozenset({"ring_uneven", "ring_joints"})
_NAMED_FROM = 0.01  # of a group; the others stand in the list


def needs_diagnosis(assessment: Assessment) -> bool:
    """False where the diagnosis leaves the verdict as the marks have it: set-up not proved, a repair not, nothing read."""
    if _older_than_repair(assessment) or _set_up_out(assessment) or _set_up_left(assessment):
        return False
    return any(ACTIONS[Action(test_point.action)].tells_faults_apart for test_point in assessment.case.readings)


def _set_up_left(assessment: Assessment) -> list[Test]:
    """Proofs of meter and lamp that are still to be read: they come before anything else."""
    return [s for s in assessment.left if s.spec.action in SET_UP]


def _set_up_out(assessment: Assessment) -> bool:
    """True where meter or lamp failed its proof, so that no later reading is worth anything."""
    return any(test.spec.action in SET_UP for test in assessment.measure_again)


def conclude(assessment: Assessment, *, with_set_up: bool = True) -> Assessment:
    """The assessment with the diagnosis: the fault named where one is, and the step that tells the most chosen next.

    Meter and lamp are to be proved before anything else, but for `with_set_up` left out.
    """
    if assessment.licence is not None:
        return assessment
    found = diagnose(assessment.case)
    if found.roles:  # from here on as if the card had said so
        pins = found.pins
        case = assessment.case.with_roles({cavity: Role(role) for cavity, role in found.roles.items()})
        assessment, found = assess(case, with_set_up=with_set_up), replace(diagnose(case), pins=pins)
    told = replace(assessment, diagnosis=found)
    set_up = _set_up_left(assessment)
    if _set_up_out(assessment) or set_up:
        return replace(told, next_test=set_up[0] if set_up else None)
    stale = _older_than_repair(assessment)
    if stale:
        return replace(told, next_test=stale[0])
    return _weighed(told, found)


def _weighed(told: Assessment, found: Diagnosis) -> Assessment:
    """Marks and model together: good only where both say it, a fault never by what is only unusual."""
    if found.leader.is_healthy and found.standing is not Standing.CONTRADICTS:
        told = _excused(told)
    if not told.verdict.level.is_done:
        return _not_proved(told, found)
    rivals = [s for s in found.suspects if not s.is_healthy and _weight_of(s) > _NOT_RULED_OUT]
    asks = _input_to_ask_about(found, rivals)
    if asks is not None:
        detail = f"Every reading is within its limits. {asks.sentence} {asks.to_be_asked}"
        verdict = Verdict(VerdictLevel.GROUP, f"Good, if the {asks.signal} input is meant to {asks.meant}", detail)
        return replace(told, next_test=None, verdict=verdict, asks=asks)
    if not found.leader.is_healthy:
        return _all_pass_but_a_fault_leads(told, found)
    ring = [s for s in found.suspects if s.fault in _RING_FAULTS and s.probability > _NOT_RULED_OUT]
    if {s.fault for s in rivals} - _RING_FAULTS:
        return _good_or_else(told, found, rivals)
    if ring:
        left = (p for role_point in found.next_tests for p in role_point.test_points if p not in told.case.readings)
        scoped = next((test_at(told.case, p) for p in left if ACTIONS[Action(p.action)].probe is Probe.SCOPE), None)
        return replace(told, next_test=scoped, verdict=_with_what_would_not_show(_but_for_the_ring(told), found))
    return replace(told, next_test=None, verdict=_with_what_would_not_show(told.verdict, found))


def _input_to_ask_about(found: Diagnosis, rivals: list[Suspect]) -> FoundInput | None:
    """An input that the card leaves blank, where all is good but for whether it is meant to be as it was found."""
    one = next((i for i in found.inputs if {s.fault for s in rivals} == {f"{i.signal}_{i.would_be}"}), None)
    if one is None or not any(s.is_healthy and s.in_group for s in found.suspects) or found.standing is Standing.OPEN:
        return None
    return one


def _weight_of(suspect: Suspect) -> float:
    """What stands against "good": an open wire has no size that could be too small to show, so all that it holds counts."""
    return suspect.probability if suspect.fault.endswith("_open") else suspect.showing


def _all_pass_but_a_fault_leads(told: Assessment, found: Diagnosis) -> Assessment:
    """Every mark passes, and a fault fits best: one of which no limit speaks is named once sure, any other is looked into."""
    has_marks = all(own_parts(one) for one in found.leader.fault.split(DOUBLE_JOIN))
    if not has_marks and found.leader.probability >= SURE:
        return _not_proved(replace(told, verdict=replace(told.verdict, level=VerdictLevel.OPEN)), found)
    again = _strongest(told.case, found)
    following = _test_of(told.case, found)
    return replace(told, next_test=following, verdict=_nothing_to_move(found, again), measure_again=again)


def _excused(told: Assessment) -> Assessment:
    """The marks once the circuit as a whole is explained best by nothing wrong: what only looked odd no longer counts."""
    excused = {
        test_point: replace(judgement, mark=Mark.PASS)
        if judgement.soft and judgement.mark is not Mark.PASS
        else judgement
        for test_point, judgement in told.judgements.items()
    }
    again = assessed(told.case, told.tests, excused)
    return replace(again, diagnosis=told.diagnosis)


def _good_or_else(told: Assessment, found: Diagnosis, rivals: list[Suspect]) -> Assessment:
    """Every mark passes, and a fault is left that they do not rule out: that is not good yet."""
    named = " or ".join(f"{s.title} ({show_chance(s.probability)})" for s in rivals[:3])
    following = _test_of(told.case, found)
    if following is not None and found.next_tests:
        detail = f"Every reading is within its limits. Not ruled out yet: {named}."
        return replace(told, next_test=following, verdict=Verdict(VerdictLevel.OPEN, "Nothing wrong so far", detail))
    detail = f"Every reading is within its limits, and none that is left would rule it out. {found.inspect}".strip()
    verdict = Verdict(VerdictLevel.GROUP, sentence(f"nothing wrong, or {named}"), detail)
    return replace(told, next_test=None, verdict=verdict)


def _with_what_would_not_show(verdict: Verdict, found: Diagnosis) -> Verdict:
    """A good verdict with what could be there all the same without any of these readings showing it."""
    if found.inputs:
        said = " ".join(one.sentence for one in found.inputs)
        verdict = replace(verdict, detail=f"{verdict.detail} {said} The circuit's card does not say so yet.")
    unseen = [s for s in found.suspects if not s.is_healthy and s.probability > _WORTH_A_WORD]
    small = [s.unseen for s in unseen if s.fault not in _RING_FAULTS]  # a ring has a sentence of its own
    if not small:
        return verdict
    return replace(verdict, detail=f"{verdict.detail} These readings would not show: {'; '.join(small[:2])}.")


def _but_for_the_ring(told: Assessment) -> Verdict:
    detail = "Uneven teeth would not show in these readings. Capture the pulses under Pulse, where a scope is at hand."
    return Verdict(VerdictLevel.WIRING, f"{told.verdict.headline}; the ring’s teeth not", detail)


def _not_proved(told: Assessment, found: Diagnosis) -> Assessment:
    """Something is missing or out: the test that tells the most, or what it is once no test would tell more."""
    case, verdict = told.case, told.verdict
    first = _volts_of_every_pin(told)
    if first is not None:
        return replace(told, next_test=first, verdict=replace(verdict, level=VerdictLevel.OPEN))
    out = tuple(s for s in told.measure_again if s.spec.action not in SET_UP)
    doubtful = next((s for s in out if s.test_point not in case.confirmed and s.test_point in case.readings), None)
    if found.leader.is_healthy and not found.next_tests and doubtful is not None:
        # Nothing explains it: read once more before anything is said.
        said = replace(verdict, level=VerdictLevel.OPEN, headline=f"Measure again: {doubtful.title}")
        return replace(told, next_test=doubtful, verdict=said)
    if found.standing is Standing.OPEN and found.next_tests and not _rests(found):
        if out:
            verdict = replace(verdict, level=VerdictLevel.OPEN, headline=_so_far(found))
        return replace(told, next_test=_following(told, found) or told.next_test, verdict=verdict)
    return _settled(told, found, out)


def _settled(told: Assessment, found: Diagnosis, out: tuple[Test, ...]) -> Assessment:
    """No check of the diagnosis would tell more: the proofs go on, or it is said what it is."""
    # While nothing is out and proofs are missing, they are what tells most, however sure the ranking is.
    goes_on = found.leader.is_healthy and told.next_test is not None
    contradicts = found.standing is Standing.CONTRADICTS
    if not contradicts and (_only_proofs_missing(found) or goes_on) and not out:
        return told
    if found.group_probability >= SURE and not contradicts and not _is_borne_out(told, found):
        again, following = out or _strongest(told.case, found), _own_test(told, found.leader.fault)
        return replace(told, next_test=following, verdict=_nothing_to_move(found, again), measure_again=again)
    verdict, again = _named(told, found, out)
    return replace(told, next_test=None, verdict=verdict, measure_again=again)


def _following(told: Assessment, found: Diagnosis) -> Test | None:
    """What the diagnosis asks next; of a circuit that seems good, what proves it before what would only make it surer."""
    following = _test_of(told.case, found)
    if not found.leader.is_healthy or told.next_test is None or following is None:
        return following
    wanted = {test.test_point for test in told.tests}
    return following if following.test_point in wanted else told.next_test


def _volts_of_every_pin(told: Assessment) -> Test | None:
    """While nobody knows which pin is which, the volts of each come first: they make everything after them safe."""
    if told.case.roles_are_given:
        return None
    return next((t for t in told.left if t.spec.action is Action.OPEN_V), None)


def _strongest(case: BenchCase, found: Diagnosis) -> tuple[Test, ...]:
    """The two readings that speak most for the likeliest."""
    return _tests_at(case, tuple(reason.test_point for reason in found.reasons[:2]))


def _do_not_fit(first: str) -> Verdict:
    detail = f"Neither one fault nor two explain all the readings. Measure again first: {first}."
    return Verdict(VerdictLevel.CONTRADICTS, "The readings do not fit together", detail)


def _not_told_apart(found: Diagnosis) -> Verdict:
    named = [s for s in found.group if s.probability >= _NAMED_FROM] or list(found.group[:1])
    head = sentence(" or ".join(s.title for s in named))
    return Verdict(VerdictLevel.GROUP, head, "No reading tells these apart; an inspection does.")


def _why(found: Diagnosis, out: tuple[Test, ...]) -> str:
    """The reading that says the most for the leader, one that is out of its limits first."""
    failed = {test.test_point for test in out}
    told = [r for r in found.reasons if r.explained]
    return next((r.sentence for r in told if r.test_point in failed), told[0].sentence if told else "")


def _named(assessment: Assessment, found: Diagnosis, out: tuple[Test, ...]) -> tuple[Verdict, tuple[Test, ...]]:
    """What is said when no further reading would tell more, and the readings worth taking again."""
    case, again = assessment.case, assessment.measure_again
    if found.standing is Standing.CONTRADICTS:
        return _do_not_fit(_titles_at(case, found.unexplained)), _tests_at(case, found.unexplained) or again
    if DOUBLE_JOIN in found.leader.fault and found.group_probability >= SURE:
        return _two_faults(found), out or again
    if found.standing is Standing.GROUPED and len(found.group) > 1:
        return _not_told_apart(found), again
    if found.leader.is_healthy and out:
        detail = f"{assessment.verdict.detail} No fault of the wiring or the sensor explains it; measure it again."
        return replace(assessment.verdict, detail=detail), again
    if found.group_probability >= SURE:
        detail = f"{_looked_at(found)}{_why(found, out)}"
        return Verdict(VerdictLevel.FAULT, sentence(found.leader.title), detail), out or _strongest(case, found)
    likely = ", ".join(f"{s.title} ({show_chance(s.probability)})" for s in found.suspects[:3])
    return Verdict(VerdictLevel.GROUP, "No further reading would settle it", f"It may be {likely}."), again


def _is_borne_out(assessment: Assessment, found: Diagnosis) -> bool:
    """False where every reading of the named part itself passes: nothing is to be moved or replaced on that."""
    case = assessment.case
    if found.leader.is_healthy or not case.is_known:
        return True
    judged = [
        (part_read(case, test_point, proof_of(case, test_point)), judgement)
        for test_point, judgement in assessment.judgements.items()
    ]
    return not own_marks_pass(found.leader.fault, judged)


def _own_test(assessment: Assessment, fault: str) -> Test | None:
    """The proof still missing that looks at the part itself; else the next of the others."""
    case, own = assessment.case, {part for one in fault.split(DOUBLE_JOIN) for part in own_parts(one)}
    return next((test for test in assessment.left if proof_of(case, test.test_point) in own), assessment.next_test)


def _nothing_to_move(found: Diagnosis, again: tuple[Test, ...]) -> Verdict:
    """Most likely one thing, of which nothing that was read is out: that is looked into, not repaired."""
    detail = (
        "Every reading taken of it is within its limits, so nothing is to be moved or replaced on this. "
        f"Measure again: {titles(list(again))}."
    )
    chance = show_chance(found.leader.probability)
    return Verdict(
        VerdictLevel.OPEN,
        f"{sentence(found.leader.title)} would fit best ({chance}), but nothing read shows it",
        detail,
    )


def _two_faults(found: Diagnosis) -> Verdict:
    """Two faults at once: the likelier of them first, for only when it is right do readings tell the other for sure."""
    pairs = [s.fault.split(DOUBLE_JOIN) for s in found.group if DOUBLE_JOIN in s.fault]
    # Either of the pair may be so unlikely by itself that it is not among the suspects.
    alone = next((s for s in found.suspects if s.fault in pairs[0]), None)
    first, title = (pairs[0][0], FAULT_WORDS[pairs[0][0]].title) if alone is None else (alone.fault, alone.title)
    seconds = {FAULT_WORDS[code].title: None for pair in pairs for code in pair if code != first}
    return Verdict(
        VerdictLevel.FAULT,
        f"{sentence(title)}, and with it {' or '.join(seconds)}",
        "Fix the first, then measure again: only then do the readings show the second for sure.",
    )


def _looked_at(found: Diagnosis) -> str:
    """The direct readings that a verdict stands on: `Return under load 12 mV; signal wire by itself 0.02 V. `"""
    looks = "; ".join(f"{look.of} {look.seen}" for look in found.looks if look.seen)
    return f"{sentence(looks)}. " if looks else ""


def _older_than_repair(assessment: Assessment) -> list[Test]:
    """Failed readings from before the repair that is being proved: they are to be taken again first."""
    case = assessment.case
    if case.evidence_from is None:
        return []
    return [test for test in assessment.measure_again if case.readings[test.test_point].taken_at < case.evidence_from]


def _only_proofs_missing(found: Diagnosis) -> bool:
    return found.leader.is_healthy and found.group_probability >= SURE


def _rests(found: Diagnosis) -> bool:
    """True when only the proofs of a good circuit are still wanted, which come in the order that saves key cycles."""
    return _only_proofs_missing(found) and not found.hangs_on and not found.unexplained


def _so_far(found: Diagnosis) -> str:
    leader = found.leader
    if leader.is_healthy:
        return "Something is off; the next reading narrows it down"
    return f"Most likely {leader.title} ({show_chance(leader.probability)}); the next reading tells more"


def _test_of(case: BenchCase, found: Diagnosis) -> Test | None:
    """The first test point of the best check that is still to be filled; a check that must be borne out is asked again."""
    if found.unfinished is not None:
        return test_at(case, found.unfinished)
    for role_point in found.next_tests:
        for test_point in role_point.test_points:
            if test_point not in case.readings:
                return test_at(case, test_point)
        if role_point.test_points:
            return test_at(case, role_point.test_points[-1])
    return None


def _tests_at(case: BenchCase, test_points: tuple[TestPoint, ...]) -> tuple[Test, ...]:
    return tuple(test_at(case, test_point) for test_point in test_points)


def _titles_at(case: BenchCase, test_points: tuple[TestPoint, ...]) -> str:
    return ", ".join(test.title for test in _tests_at(case, test_points))
