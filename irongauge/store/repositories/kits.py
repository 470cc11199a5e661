"""The kit of a job: what it takes, and what of it is there."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.errors import NotFoundError
from irongauge.store.plan_models import (
    KitLineRow,
)

__all__ = ["KitRepository"]


def _kit_of(row: KitLineRow) -> KitLine:
    return KitLine(
        uid=row.uid,
        kind=KitKind(row.kind),
        text=row.text,
        price=row.price,
        done_by_uid=row.done_by_uid,
        done_at=row.done_at,
    )


class KitRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def of_job(self, job_uid: UUID) -> tuple[KitLine, ...]:
        return self.of_jobs([job_uid])[job_uid]

    def of_jobs(self, job_uids: Collection[UUID]) -> dict[UUID, tuple[KitLine, ...]]:
        """The kit of each of these jobs."""
        query = select(KitLineRow).where(KitLineRow.job_uid.in_(job_uids)).order_by(KitLineRow.place)
        found: dict[UUID, list[KitLine]] = {uid: [] for uid in job_uids}
        for row in self._session.scalars(query):
            found[row.job_uid].append(_kit_of(row))
        return {uid: tuple(lines) for uid, lines in found.items()}

    def add(self, job_uid: UUID, lines: Sequence[KitLine]) -> None:
        query = select(func.coalesce(func.max(KitLineRow.place) + 1, 0)).where(KitLineRow.job_uid == job_uid)
        first = self._session.scalars(query).one()
        self._session.add_all(
            KitLineRow(
                uid=line.uid,
                job_uid=job_uid,
                place=first + index,
                kind=line.kind,
                text=line.text,
                price=line.price,
                done_by_uid=line.done_by_uid,
                done_at=line.done_at,
            )
            for index, line in enumerate(lines)
        )
        self._session.flush()

    def line(self, uid: UUID) -> tuple[KitLine, UUID]:
        """A line, and the job that it belongs to."""
        row = self._session.get(KitLineRow, uid)
        if row is None:
            raise NotFoundError("kit line", str(uid))
        return _kit_of(row), row.job_uid

    def tick(self, uid: UUID, by_uid: UUID | None, at: datetime | None) -> None:
        row = self._session.get(KitLineRow, uid)
        if row is None:
            raise NotFoundError("kit line", str(uid))
        row.done_by_uid, row.done_at = by_uid, at
        self._session.flush()

    def remove(self, uid: UUID) -> None:
        self._session.execute(delete(KitLineRow).where(KitLineRow.uid == uid))
        self._session.flush()
