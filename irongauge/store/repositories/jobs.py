"""Vehicles and the jobs that they are in for."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from sqlalchemy import select, text, update
from sqlalchemy.orm import Session

from irongauge.core.shop import Job, Promise, Vehicle
from irongauge.errors import NotFoundError
from irongauge.store.models import JobRow, VehicleRow
from irongauge.store.repositories.shops import technician_of

__all__ = ["JobRepository"]


def _vehicle_of(row: VehicleRow) -> Vehicle:
    return Vehicle(
        uid=row.uid,
        tag=row.tag,
        description=row.description,
        system_v=row.system_v,
        height_m=row.height_m,
        batteries=row.batteries,
    )


def _job_of(row: JobRow) -> Job:
    reviewer = None if row.reviewed_by is None else technician_of(row.reviewed_by)
    return Job(
        uid=row.uid,
        number=row.number,
        vehicle=_vehicle_of(row.vehicle),
        title=row.title,
        received_on=row.received_on,
        promise=Promise(row.promised_on, row.promised_by),
        technician=technician_of(row.technician),
        handed_over_at=row.handed_over_at,
        reviewed_by=reviewer,
        reviewed_alone=row.reviewed_alone,
        is_practice=row.is_practice,
        goes_first=row.goes_first,
    )


class JobRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def vehicles(self, shop_uid: UUID) -> tuple[Vehicle, ...]:
        # Columns instead of mapped objects: a shop has thousands, and its Floor names them.
        v = VehicleRow
        query = select(v.uid, v.tag, v.description, v.system_v, v.height_m, v.batteries)
        return tuple(
            Vehicle(**row._asdict())
            for row in self._session.execute(query.where(v.shop_uid == shop_uid).order_by(v.tag))
        )

    def add_vehicle(self, shop_uid: UUID, vehicle: Vehicle) -> None:
        self._session.add(
            VehicleRow(
                uid=vehicle.uid,
                shop_uid=shop_uid,
                tag=vehicle.tag,
                description=vehicle.description,
                system_v=vehicle.system_v,
                height_m=vehicle.height_m,
                batteries=vehicle.batteries,
            )
        )
        self._session.flush()

    def jobs(
        self, shop_uid: UUID, *, is_open: bool | None = None, limit: int | None = None, offset: int = 0
    ) -> tuple[Job, ...]:
        """Jobs: the open ones, the soonest promised first, then those handed over, the latest first.

        `is_open` asks for one of the two kinds; `limit` and `offset` for a part of the list.
        """
        query = (
            select(JobRow)
            .join(JobRow.vehicle)
            .where(VehicleRow.shop_uid == shop_uid)
            .order_by(JobRow.handed_over_at.desc().nulls_first(), JobRow.promised_on, JobRow.promised_by, JobRow.number)
            .limit(limit)
            .offset(offset)
        )
        if is_open is not None:
            query = query.where(JobRow.handed_over_at.is_(None) if is_open else JobRow.handed_over_at.is_not(None))
        return tuple(_job_of(row) for row in self._session.scalars(query))

    def jobs_of(self, vehicle_uid: UUID) -> tuple[Job, ...]:
        """Every job of a vehicle, the newest first."""
        query = select(JobRow).where(JobRow.vehicle_uid == vehicle_uid).order_by(JobRow.number.desc())
        return tuple(_job_of(row) for row in self._session.scalars(query))

    def vehicle(self, uid: UUID, *, lock: bool = False) -> Vehicle:
        """A vehicle; with `lock` nobody else changes it until this unit of work ends."""
        row = self._session.get(VehicleRow, uid, with_for_update=lock or None)
        if row is None:
            raise NotFoundError("vehicle", str(uid))
        return _vehicle_of(row)

    def job(self, uid: UUID, lock: Literal["share", "update"] | None = None) -> Job:
        """One job. Until this unit of work ends, `share` keeps others from handing it over, `update` from adding too."""
        if lock is not None:  # before it is read: who waited for the lock must see what the other one wrote
            held = select(JobRow.uid).where(JobRow.uid == uid).with_for_update(read=lock == "share")
            self._session.execute(held)
        query = select(JobRow).where(JobRow.uid == uid).execution_options(populate_existing=True)
        row = self._session.scalars(query).first()
        if row is None:
            raise NotFoundError("job", str(uid))
        return _job_of(row)

    def numbered(self, shop_uid: UUID, number: int) -> Job | None:
        """The job of that number; None where there is none."""
        query = select(JobRow).join(JobRow.vehicle).where(VehicleRow.shop_uid == shop_uid, JobRow.number == number)
        row = self._session.scalars(query).first()
        return None if row is None else _job_of(row)

    def set_first(self, uid: UUID, *, goes_first: bool) -> None:
        """Put a job before all others, or back among them."""
        changed = update(JobRow).where(JobRow.uid == uid).values(goes_first=goes_first).returning(JobRow.uid)
        if self._session.execute(changed).one_or_none() is None:
            raise NotFoundError("job", str(uid))

    def has_job(self, uid: UUID) -> bool:
        return self._session.get(JobRow, uid) is not None

    def add_job(self, job: Job, *, keep_number: bool = False) -> int:
        """Add a job and give back its number: the next free one, or its own when `keep_number` and still free."""
        row = JobRow(
            uid=job.uid,
            vehicle_uid=job.vehicle.uid,
            title=job.title,
            received_on=job.received_on,
            promised_on=job.promise.on,
            promised_by=job.promise.by,
            technician_uid=job.technician.uid,
            handed_over_at=job.handed_over_at,
            reviewed_by_uid=None if job.reviewed_by is None else job.reviewed_by.uid,
            reviewed_alone=job.reviewed_alone,
            is_practice=job.is_practice,
            goes_first=job.goes_first,
        )
        if keep_number:
            row.number = job.number
        self._session.add(row)
        self._session.flush()
        if keep_number:  # later jobs count on from the highest number in use
            self._session.execute(
                text("SELECT setval(pg_get_serial_sequence('job', 'number'), (SELECT max(number) FROM job))")
            )
        return row.number

    def number_is_free(self, number: int) -> bool:
        return self._session.scalar(select(JobRow.uid).where(JobRow.number == number)) is None

    def move_promise(self, uid: UUID, promise: Promise) -> None:
        """Promise a job, which the caller holds, for another day or time."""
        moved = update(JobRow).where(JobRow.uid == uid).values(promised_on=promise.on, promised_by=promise.by)
        self._session.execute(moved)

    def hand_over(self, uid: UUID, at: datetime | None, reviewer_uid: UUID | None, *, alone: bool = False) -> None:
        """Close the job, or reopen it with None and None."""
        row = self._session.scalars(select(JobRow).where(JobRow.uid == uid).with_for_update(of=JobRow)).first()
        if row is None:
            raise NotFoundError("job", str(uid))
        row.handed_over_at = at
        row.reviewed_by_uid = reviewer_uid
        row.reviewed_alone = alone
        self._session.flush()
