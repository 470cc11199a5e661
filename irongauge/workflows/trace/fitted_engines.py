"""Engines that are fitted, and the readings of what is usual that go with them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from operator import attrgetter
from uuid import UUID

from irongauge.core.traces.fitted_engines import ENGINE_SENSES, EngineFitting, stretches_of
from irongauge.core.traces.record import KeptReading
from irongauge.errors import EntryError, NotFoundError
from irongauge.store.database import Database
from irongauge.store.repositories import Store

__all__ = ["UsualReadings", "fit_engine", "of_its_engine", "remove_fitting"]

_ALWAYS = datetime(1970, 1, 1, tzinfo=UTC)  # an engine whose vehicle had it as far back as anybody knows


def fit_engine(database: Database, fitting: EngineFitting, came_from: UUID | None = None) -> None:
    """Keep that an engine was fitted; one that `came_from` a vehicle of which nobody told was that one's first.

    Raises `EntryError` for an engine that came from where another one is said to have been.
    """
    with database.unit() as store:
        store.jobs.vehicle(fitting.vehicle_uid)
        known = store.traces.engine_fittings()
        if any(one.uid == fitting.uid for one in known):
            return
        if came_from is not None:
            store.jobs.vehicle(came_from)
            before = [one for one in known if one.vehicle_uid == came_from and one.fitted_at < fitting.fitted_at]
            if came_from == fitting.vehicle_uid:
                raise EntryError("came_from", "", "It cannot come from the vehicle that it goes to.", "Choose another.")
            if before and before[-1].engine.casefold() != fitting.engine.casefold():
                said = f"“{before[-1].engine}” was in that vehicle then."
                raise EntryError(
                    "engine", fitting.engine, said, "Type that engine’s number, or choose another vehicle."
                )
            if not before:
                first = EngineFitting(
                    uid=UUID(int=fitting.uid.int ^ 1), vehicle_uid=came_from, engine=fitting.engine, fitted_at=_ALWAYS
                )
                store.traces.add_engine_fitting(first)
        store.traces.add_engine_fitting(fitting)


def remove_fitting(database: Database, vehicle_uid: UUID, uid: UUID) -> None:
    """Take back that an engine was fitted."""
    with database.unit() as store:
        if not any(one.uid == uid and one.vehicle_uid == vehicle_uid for one in store.traces.engine_fittings()):
            raise NotFoundError("engine", str(uid))
        store.traces.drop_engine_fitting(uid)


@dataclass(frozen=True)
class UsualReadings:
    """Readings of a vehicle as it is now: those that are usual, and those of logs that nobody called well."""

    well: tuple[KeptReading, ...]
    others: tuple[KeptReading, ...]


def of_its_engine(
    store: Store, vehicle_uid: UUID, fittings: Sequence[EngineFitting], of_the_bench: Sequence[KeptReading] = ()
) -> UsualReadings:
    """What is usual for a vehicle and for the engine that is in it now, from wherever that engine was, the oldest first;
    `fittings` are all that were told, `of_the_bench` what live data showed there.
    """
    stretches = stretches_of(fittings, vehicle_uid)
    well: list[KeptReading] = []
    others: list[KeptReading] = []
    for vehicle in dict.fromkeys([vehicle_uid, *(one.vehicle_uid for one in stretches or ())]):
        well_logs = store.traces.well_logs(vehicle)
        is_its = vehicle == vehicle_uid
        for reading in (*store.traces.normal_readings(vehicle), *(of_the_bench if is_its else ())):
            if stretches is None or reading.channel not in ENGINE_SENSES:
                counts = is_its
            else:
                counts = any(one.has(vehicle, reading.taken_at) for one in stretches)
            if counts:
                (well if reading.log_uid is None or reading.log_uid in well_logs else others).append(reading)
    by_time = attrgetter("taken_at")
    return UsualReadings(tuple(sorted(well, key=by_time)), tuple(sorted(others, key=by_time)))
