"""What people said of a step, and how it stands."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from uuid import UUID

from irongauge.core.work.steps import After, Heat, Step, StepKind, WorkState

__all__ = ["SaidOfStep", "Status"]


class Status(StrEnum):
    """How a step stands."""

    OPEN = "open"
    STARTED = "started"
    PAUSED = "paused"
    DONE = "done"
    NOT_POSSIBLE = "not possible"

    @property
    def is_over(self) -> bool:
        """True where nothing is left to do."""
        return self in {Status.DONE, Status.NOT_POSSIBLE}


@dataclass(frozen=True, kw_only=True)
class SaidOfStep:
    """What was said of a step by its `key`. One with a `title` was added by a person; else only what is set was changed.

    It comes before the steps of `before`, whatever else they wait for.

    One with a `back_title` opens something up, a cover, a seat, a duct, a drain: it comes before the steps of the circuits that
    are `behind` it, and the step back (`back_minutes`) after all of them. `why` says why it is not possible.
    """

    uid: UUID
    vehicle_uid: UUID
    key: str
    title: str = ""
    minutes: int | None = None
    state: WorkState | None = None
    heat: Heat | None = None
    people: int | None = None
    tools: tuple[str, ...] = ()
    after: tuple[str, ...] = ()
    before: tuple[str, ...] = ()
    behind: tuple[str, ...] = ()
    back_title: str = ""
    back_minutes: int | None = None
    caution: str = ""
    not_before: datetime | None = None
    pinned_at: datetime | None = None
    only_uid: UUID | None = None
    status: Status = Status.OPEN
    status_at: datetime | None = None
    status_by_uid: UUID | None = None
    why: str = ""

    def __post_init__(self) -> None:
        if (self.status is Status.OPEN) != (self.status_at is None):
            msg = "a step that is not open says since when"
            raise ValueError(msg)
        if (self.back_title == "") != (self.back_minutes is None):
            msg = "what is opened up takes its minutes to be closed again"
            raise ValueError(msg)

    def step(self) -> Step:
        """The step that a person added."""
        return Step(
            key=self.key,
            vehicle=str(self.vehicle_uid),
            title=self.title,
            kind=StepKind.OPEN_UP if self.back_title else StepKind.OTHER,
            minutes=self.minutes or 1,
            state=self.state or WorkState.KEY_OFF,
            heat=self.heat or Heat.ANY,
            people=self.people or 1,
            tools=frozenset(self.tools),
            after=tuple(After(key) for key in self.after),
            caution=self.caution,
        )

    def step_back(self) -> Step:
        """The step that closes again what was opened up, at once where nothing is behind it."""
        return replace(
            self.step(),
            key=f"{self.key}/back",
            kind=StepKind.CLOSE_UP,
            title=self.back_title,
            minutes=self.back_minutes or 1,
            heat=Heat.ANY,
            tools=frozenset(),
            after=(After(self.key),),
            caution="",
        )

    def over(self, step: Step, start: datetime) -> Step:
        """A step with what was said of it; moments become minutes from `start` on."""

        def minute(at: datetime) -> int:
            return max(0, int((at - start).total_seconds() // 60))

        changed = replace(step, minutes=self.minutes or step.minutes)
        if self.not_before is not None:
            changed = replace(changed, not_before=minute(self.not_before))
        if self.pinned_at is not None and self.pinned_at >= start:  # a time that went by unused is no time any more
            changed = replace(changed, pinned_at=minute(self.pinned_at))
        return changed if self.only_uid is None else replace(changed, only=frozenset({str(self.only_uid)}))
