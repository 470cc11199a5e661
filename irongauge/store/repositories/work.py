"""What people said of steps, and the best plans that were found."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Row, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from irongauge.core.work.learned import WorkEvent
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.steps import Heat, StepKind, WorkState
from irongauge.errors import NotFoundError
from irongauge.store.work_models import WorkEventRow, WorkPlanRow, WorkStepRow

__all__ = ["WorkRepository"]

_STEPS = WorkStepRow.__table__.columns
_EVENTS = WorkEventRow.__table__.columns
_PLANS_KEPT = 20


def _said_of(row: Row[Any]) -> SaidOfStep:
    return SaidOfStep(
        uid=row.uid,
        vehicle_uid=row.vehicle_uid,
        key=row.key,
        title=row.title,
        minutes=row.minutes,
        state=None if row.state is None else WorkState(row.state),
        heat=None if row.heat is None else Heat(row.heat),
        people=row.people,
        tools=tuple(row.tools),
        after=tuple(row.after),
        before=tuple(row.before),
        behind=tuple(row.behind),
        back_title=row.back_title,
        back_minutes=row.back_minutes,
        caution=row.caution,
        not_before=row.not_before,
        pinned_at=row.pinned_at,
        only_uid=row.only_uid,
        status=Status(row.status),
        status_at=row.status_at,
        status_by_uid=row.status_by_uid,
        why=row.why,
    )


class WorkRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def said(self, vehicle_uids: Collection[UUID]) -> tuple[SaidOfStep, ...]:
        """Everything that was said of steps of these vehicles, in the order of their keys."""
        query = select(*_STEPS).where(WorkStepRow.vehicle_uid.in_(vehicle_uids)).order_by(WorkStepRow.key)
        return tuple(_said_of(row) for row in self._session.execute(query))

    def said_of(self, vehicle_uid: UUID, key: str) -> SaidOfStep | None:
        """What was said of a step, held for writing until the unit of work ends."""
        query = select(*_STEPS).where(WorkStepRow.vehicle_uid == vehicle_uid, WorkStepRow.key == key).with_for_update()
        row = self._session.execute(query).one_or_none()
        return None if row is None else _said_of(row)

    def save(self, said: SaidOfStep) -> None:
        """Write what is said of a step now; of two who say it at once the later counts."""
        values = {name: getattr(said, name) for name in _STEPS.keys()}  # noqa: SIM118  a collection of columns, not a dict
        values |= {"tools": list(said.tools), "after": list(said.after), "behind": list(said.behind)}
        values["before"] = list(said.before)
        statement = insert(WorkStepRow).values(values)
        changed = {name: statement.excluded[name] for name in values if name not in {"uid", "vehicle_uid", "key"}}
        self._session.execute(statement.on_conflict_do_update(index_elements=["vehicle_uid", "key"], set_=changed))

    def remove(self, vehicle_uid: UUID, key: str) -> None:
        """Remove a step that a person added."""
        gone = delete(WorkStepRow).where(WorkStepRow.vehicle_uid == vehicle_uid, WorkStepRow.key == key)
        if self._session.execute(gone.returning(WorkStepRow.uid)).one_or_none() is None:
            raise NotFoundError("step", key)

    def add_event(self, event: WorkEvent) -> None:
        """Keep what was said of a step; nothing is ever taken back."""
        self._session.add(WorkEventRow(**{name: getattr(event, name) for name in WorkEvent.__dataclass_fields__}))

    def events(self, most: int, key: str | None = None) -> list[WorkEvent]:
        """The last things said of all steps, or of one, the oldest first."""
        query = select(*_EVENTS).order_by(WorkEventRow.number.desc()).limit(most)
        rows = self._session.execute(query if key is None else query.where(WorkEventRow.key == key)).all()
        return [
            WorkEvent(
                vehicle_uid=row.vehicle_uid,
                key=row.key,
                title=row.title,
                kind=StepKind(row.kind),
                usual_min=row.usual_min,
                status=Status(row.status),
                at=row.at,
                by_uid=row.by_uid,
                why=row.why,
            )
            for row in reversed(rows)
        ]

    def plan(self, digest: str) -> list[Any] | None:
        """The best plan that was found of a list of work."""
        return self._session.scalar(select(WorkPlanRow.steps).where(WorkPlanRow.digest == digest))

    def keep_plan(self, shop_uid: UUID, digest: str, steps: list[Any], at: datetime) -> None:
        """Keep a plan; the oldest go."""
        row = {"digest": digest, "shop_uid": shop_uid, "steps": steps, "found_at": at}
        statement = insert(WorkPlanRow).values(row)
        self._session.execute(
            statement.on_conflict_do_update(index_elements=["digest"], set_={"steps": steps, "found_at": at})
        )
        kept = select(WorkPlanRow.digest).where(WorkPlanRow.shop_uid == shop_uid)
        newest = kept.order_by(WorkPlanRow.found_at.desc()).limit(_PLANS_KEPT)
        self._session.execute(
            delete(WorkPlanRow).where(WorkPlanRow.shop_uid == shop_uid, WorkPlanRow.digest.not_in(newest))
        )
