"""Which engine was in which vehicle when: what is usual of an engine goes with it, and ends where another is fitted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from uuid import UUID

from irongauge.core.traces.senses import Sense

__all__ = ["ENGINE_SENSES", "EngineFitting", "EngineStretch", "stretches_of"]

ENGINE_SENSES = frozenset({
    Sense.ENGINE_SPEED, Sense.LOAD, Sense.COOLANT_TEMPERATURE, Sense.OIL_TEMPERATURE, Sense.EXHAUST_TEMPERATURE,
    Sense.OIL_PRESSURE, Sense.FUEL_PRESSURE, Sense.COOLANT_PRESSURE, Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE,
    Sense.CRANKCASE_PRESSURE, Sense.LAMBDA, Sense.INJECTION_TIME, Sense.IGNITION_ANGLE,
})  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class EngineFitting:
    """That an engine, by its number or name, was fitted to a vehicle."""

    uid: UUID
    vehicle_uid: UUID
    engine: str
    fitted_at: datetime


@dataclass(frozen=True)
class EngineStretch:
    """That an engine was in a vehicle from one moment until another; to this day where `until` is None."""

    vehicle_uid: UUID
    since: datetime
    until: datetime | None

    def has(self, vehicle_uid: UUID, at: datetime) -> bool:
        return vehicle_uid == self.vehicle_uid and self.since <= at and (self.until is None or at < self.until)


def stretches_of(fittings: Sequence[EngineFitting], vehicle_uid: UUID) -> tuple[EngineStretch, ...] | None:
    """Where and when the engine was that is in this vehicle now; None where nobody has told of any, so that it is its first.

    An engine leaves a vehicle when another is fitted there, or when it is fitted to another.
    """
    order = sorted(fittings, key=lambda one: (one.fitted_at, one.uid))
    own = [one for one in order if one.vehicle_uid == vehicle_uid]
    if not own:
        return None
    engine = own[-1].engine.casefold()
    found = []
    for vehicle in dict.fromkeys(one.vehicle_uid for one in order):
        there: list[EngineFitting | None] = [*(one for one in order if one.vehicle_uid == vehicle), None]
        for one, then in pairwise(there):
            if one is None or one.engine.casefold() != engine:
                continue
            moved = (o.fitted_at for o in order if o.engine.casefold() == engine and o.fitted_at > one.fitted_at)
            ends = [moment for moment in (None if then is None else then.fitted_at, next(moved, None)) if moment]
            found.append(EngineStretch(vehicle, one.fitted_at, min(ends, default=None)))
    return tuple(found)
