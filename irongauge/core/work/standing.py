"""What is left of a list once some of it is done and some is not possible: no rule is got round by what is not possible."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace

from irongauge.core.work.arising import circuit_of
from irongauge.core.work.changes import all_before
from irongauge.core.work.steps import After, Step, StepKind

__all__ = ["BLOCKS", "Held", "left_of"]

BLOCKS = {StepKind.KEY_OFF_CHECK, StepKind.POWER_UP}  # what has not passed these is not gone on with
_FITS = {StepKind.INSTALL, StepKind.JOINT}


@dataclass(frozen=True)
class Held:
    """A step that is held back, and the step that is not possible and holds it."""

    step: Step
    by: Step


def left_of(
    steps: Sequence[Step], done: AbstractSet[str], impossible: AbstractSet[str]
) -> tuple[tuple[Step, ...], tuple[Held, ...]]:
    """What is left to do of steps that have their rules already, and what is held back.

    A circuit that could not be fitted or put right has nothing more to do. A check with the key off, or a first power-up, that is
    not possible holds back everything that waits for it. What else is not possible holds back nothing. Waits for what is over,
    or is not there any more, end.
    """
    before, by_key = all_before(steps), {step.key: step for step in steps}
    over = set(done) | set(impossible)
    for key in impossible & by_key.keys():
        fit = by_key[key]
        if fit.kind in _FITS and circuit_of(fit):
            over |= {s.key for s in steps if _of_one_circuit(s, fit) and key in before[s.key]}
    blocks = [by_key[key] for key in sorted(impossible & by_key.keys()) if by_key[key].kind in BLOCKS]
    held = []
    for step in steps:
        by = None if step.key in over else next((block for block in blocks if block.key in before[step.key]), None)
        held += [] if by is None else [Held(step, by)]
    kept = by_key.keys() - over - {one.step.key for one in held}
    left = [replace(s, after=_waits_of(s, kept, by_key)) for s in steps if s.key in kept]
    return tuple(left), tuple(held)


def _waits_of(step: Step, kept: AbstractSet[str], by_key: Mapping[str, Step]) -> tuple[After, ...]:
    """What a step waits for of what is left: of a step that is over, what that one waited for."""
    found, seen, ahead = dict[str, After](), set[str](), list(step.after)
    while ahead:
        after = ahead.pop(0)
        if after.key in kept:
            found.setdefault(after.key, after)
        elif after.key in by_key and after.key not in seen:
            seen.add(after.key)
            ahead += by_key[after.key].after
    return tuple(found.values())


def _of_one_circuit(step: Step, other: Step) -> bool:
    return step.vehicle == other.vehicle and circuit_of(step) == circuit_of(other)
