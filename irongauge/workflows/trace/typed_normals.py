"""Readings of a vehicle that was well, typed off a gauge: kept beside those of its logs, taken back where mistyped."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID, uuid5

from irongauge.core.traces.normals import NormalReading
from irongauge.core.traces.record import KeptReading
from irongauge.errors import NotFoundError
from irongauge.store.database import Database

__all__ = ["remove_typed", "type_normals"]


def type_normals(database: Database, vehicle_uid: UUID, uid: UUID, readings: Sequence[NormalReading]) -> None:
    """Keep them; the same identity twice is one request."""
    with database.unit() as store:
        vehicle = store.jobs.vehicle(vehicle_uid)
        kept = [_kept(reading, uuid5(uid, str(place))) for place, reading in enumerate(readings)]
        known = {reading.uid for reading in store.traces.normal_readings(vehicle.uid)}
        store.traces.add_normal_readings(vehicle.uid, [reading for reading in kept if reading.uid not in known])


def _kept(reading: NormalReading, uid: UUID) -> KeptReading:
    assert reading.taken_at is not None  # of the day that was typed with it
    return KeptReading(
        channel=reading.channel,
        condition=str(reading.condition),
        value=reading.value,
        unit=reading.unit,
        at_least=reading.at_least,
        taken_at=reading.taken_at,
        uid=uid,
    )


def remove_typed(database: Database, vehicle_uid: UUID, uid: UUID) -> None:
    """Take a typed reading back; `NotFoundError` for one that is of a log or of another vehicle."""
    with database.unit() as store:
        if not any(r.uid == uid and r.log_uid is None for r in store.traces.normal_readings(vehicle_uid)):
            raise NotFoundError("reading", str(uid))
        store.traces.drop_normal_reading(uid)
