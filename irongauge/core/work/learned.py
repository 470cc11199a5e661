"""Minutes that steps take in this shop, learned from what was said of them, with their spread."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from statistics import median, quantiles
from uuid import UUID

from irongauge.core.work.record import Status
from irongauge.core.work.steps import Step, StepKind

__all__ = ["FEWEST", "Learned", "WorkEvent", "learned_from", "times_of", "with_learned"]

FEWEST = 5  # times of a kind of step before they count
_LONGEST = 12 * 60  # a step that was left begun overnight tells nothing of its time


@dataclass(frozen=True, kw_only=True)
class WorkEvent:
    """What was said of a step at one time. `usual_min` are the default minutes that it had: how much of its kind it was."""

    vehicle_uid: UUID
    key: str
    title: str
    kind: StepKind
    usual_min: int
    status: Status
    at: datetime
    by_uid: UUID | None = None
    why: str = ""


@dataclass(frozen=True, kw_only=True)
class Learned:
    """How much longer (over 1) or shorter than the default a kind of step takes here: median and quartiles of `count` times."""

    median: float
    lower: float
    upper: float
    count: int

    def minutes(self, usual_min: int) -> int:
        """What a step takes here, from what it usually takes."""
        return max(1, round(usual_min * self.median))

    def spread(self, usual_min: int) -> tuple[int, int]:
        """The minutes between which half of them lay."""
        return max(1, round(usual_min * self.lower)), max(1, round(usual_min * self.upper))


def times_of(events: Iterable[WorkEvent]) -> list[tuple[StepKind, float]]:
    """Of each step that was begun and done: its kind, and its minutes over the default ones. Pauses do not count.

    `events` are in the order in which they were said.
    """
    begun: dict[str, datetime] = {}
    worked: dict[str, float] = defaultdict(float)
    found = []
    for event in events:
        since = begun.pop(event.key, None)
        if since is not None:
            worked[event.key] += (event.at - since).total_seconds() / 60
        if event.status is Status.STARTED:
            begun[event.key] = event.at
        elif event.status is Status.DONE and event.key in worked:
            minutes = worked.pop(event.key)
            if 0 < minutes <= _LONGEST:
                found.append((event.kind, minutes / event.usual_min))
        elif event.status is not Status.PAUSED:
            worked.pop(event.key, None)
    return found


def learned_from(times: Sequence[tuple[StepKind, float]]) -> dict[StepKind, Learned]:
    """What each kind of step takes here, of those that were done often enough; the median, since one long day is no rule."""
    by_kind: dict[StepKind, list[float]] = defaultdict(list)
    for kind, share in times:
        by_kind[kind].append(share)
    found = {}
    for kind, shares in by_kind.items():
        if len(shares) >= FEWEST:
            lower, _, upper = quantiles(shares, n=4, method="inclusive")
            found[kind] = Learned(median=median(shares), lower=lower, upper=upper, count=len(shares))
    return found


def with_learned(step: Step, learned: Mapping[StepKind, Learned]) -> Step:
    """A step with the minutes that it takes here, where they are known."""
    own = learned.get(step.kind)
    return step if own is None else replace(step, minutes=own.minutes(step.minutes))
