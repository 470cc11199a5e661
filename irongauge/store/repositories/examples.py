"""What a shop has of its own to show where a page is still empty."""

from __future__ import annotations

from uuid import UUID

from sqlalchemy import ColumnElement, exists, select
from sqlalchemy.orm import Session

from irongauge.store.models import CircuitRow, JobRow, VehicleRow
from irongauge.store.plan_models import FeedRow, FunctionRow, WireRow

__all__ = ["ExampleRepository"]


class ExampleRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def job(self, shop_uid: UUID, but: UUID) -> UUID | None:
        """The customer's job, other than `but`, that has circuits and came in last."""
        query = (
            select(JobRow.uid)
            .join(VehicleRow, VehicleRow.uid == JobRow.vehicle_uid)
            .where(VehicleRow.shop_uid == shop_uid, JobRow.uid != but, JobRow.is_practice.is_(False))
            .where(exists().where(CircuitRow.job_uid == JobRow.uid))
            .order_by(JobRow.received_on.desc(), JobRow.number.desc())
            .limit(1)
        )
        return self._session.scalar(query)

    def wired(self, shop_uid: UUID, but: UUID) -> UUID | None:
        """A vehicle, other than `but`, that has wires in its lists."""
        return self._vehicle(shop_uid, but, exists().where(WireRow.vehicle_uid == VehicleRow.uid))

    def fed(self, shop_uid: UUID, but: UUID) -> UUID | None:
        """A vehicle, other than `but`, of which a feed is known."""
        return self._vehicle(shop_uid, but, exists().where(FeedRow.vehicle_uid == VehicleRow.uid))

    def planned(self, shop_uid: UUID, but: UUID) -> UUID | None:
        """A vehicle, other than `but`, that has something on the pins of a module."""
        on_a_pin = exists().where(FunctionRow.vehicle_uid == VehicleRow.uid, FunctionRow.module_uid.is_not(None))
        return self._vehicle(shop_uid, but, on_a_pin)

    def _vehicle(self, shop_uid: UUID, but: UUID, has: ColumnElement[bool]) -> UUID | None:
        mine = (VehicleRow.shop_uid == shop_uid, VehicleRow.uid != but)
        return self._session.scalar(select(VehicleRow.uid).where(*mine, has).order_by(VehicleRow.tag).limit(1))
