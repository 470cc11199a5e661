"""Setting up the shop and filling its Shelf."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import count
from uuid import UUID, uuid4

from sqlalchemy.exc import IntegrityError

from irongauge.core.measure.uncertainty import USUAL_METERS
from irongauge.core.sensors.circuits import Instrument, InstrumentKind, SensorType
from irongauge.core.shop import Shop, Technician
from irongauge.errors import ChangedMeanwhileError, EntryError, NotFoundError, RefusedRequestError, quoted
from irongauge.formats.pictures import CleanPicture
from irongauge.store.database import Database, broken_constraint
from irongauge.workflows.shop.view import People, people_of, require_shop

__all__ = [
    "ShelfView",
    "add_instrument",
    "add_sensor_type",
    "add_technician",
    "add_usual_meter",
    "change_instrument",
    "change_sensor_type",
    "change_shop",
    "logo_of",
    "look_at_instrument",
    "look_at_sensor_type",
    "look_at_shelf",
    "named",
    "numbered",
    "set_logo",
]

_CHANGED_MEANWHILE = "Somebody changed this meanwhile."


@dataclass(frozen=True)
class ShelfView:
    shop: Shop
    people: People
    sensor_types: tuple[SensorType, ...]


@contextmanager
def named(constraint: str, field: str, typed: str, kind: str) -> Iterator[None]:
    """A write that gives something a name: `EntryError` where another of its kind has it, which breaks `constraint`.

    Whatever else the database refuses is not for the person who typed the name.
    """
    try:
        yield
    except IntegrityError as error:
        if broken_constraint(error) != constraint:
            raise
        raise EntryError(
            field, typed, f"{quoted(typed)} is already the name of {kind}.", "Choose another name."
        ) from error


def numbered(stem: str, taken: Collection[str], first: int = 2) -> str:
    """The stem with the first number from `first` on that makes a name which nothing has."""
    return next(name for n in count(first) if (name := f"{stem} {n}") not in taken)


def change_shop(database: Database, shop: Shop, was: Shop) -> None:
    """Write the shop's changed settings; `ChangedMeanwhileError` where they are not as they were looked at any more."""
    with database.unit() as store:
        if store.shops.first(lock=True) != was:
            raise ChangedMeanwhileError("units and limits")
        store.shops.save(shop)


def logo_of(database: Database) -> tuple[str, bytes] | None:
    """Media type and bytes of the picture at the head of the shop's sheets."""
    with database.unit() as store:
        return store.shops.logo(require_shop(store).uid)


def set_logo(database: Database, logo: CleanPicture | None) -> None:
    with database.unit() as store:
        shop = require_shop(store)
        store.shops.set_logo(shop.uid, None if logo is None else (logo.media_type, logo.content))


def look_at_shelf(database: Database) -> ShelfView:
    with database.unit() as store:
        shop = require_shop(store)
        return ShelfView(shop, people_of(store, shop), store.shelf.sensor_types(shop.uid))


def add_technician(database: Database, name: str) -> Technician:
    technician = Technician(uuid4(), name)
    with named("uq_technician_shop_uid_name", "name", name, "a technician"), database.unit() as store:
        store.shops.add_technician(require_shop(store).uid, technician)
    return technician


def add_instrument(database: Database, instrument: Instrument) -> None:
    with named("uq_instrument_shop_uid_name", "name", instrument.name, "an instrument"), database.unit() as store:
        store.shelf.add_instrument(require_shop(store).uid, instrument)


def add_usual_meter(database: Database, shows: str) -> Instrument:
    """Put the shop's meter on the Shelf by what it shows of 5 V, one of `USUAL_METERS`; `EntryError` for anything else."""
    if shows not in USUAL_METERS:
        raise EntryError("shows", shows, f"{quoted(shows)} is none of the usual meters.", "Describe it on the Shelf.")
    meter = Instrument(uid=uuid4(), kind=InstrumentKind.METER, name=f"Meter ({shows})", meter=USUAL_METERS[shows])
    add_instrument(database, meter)
    return meter


def add_sensor_type(database: Database, sensor: SensorType) -> None:
    with named("uq_sensor_type_shop_uid_name", "name", sensor.name, "a sensor type"), database.unit() as store:
        store.shelf.add_sensor_type(require_shop(store).uid, sensor)


def look_at_sensor_type(database: Database, uid: UUID) -> tuple[Shop, SensorType]:
    with database.unit() as store:
        return require_shop(store), store.shelf.sensor_type(uid)


def look_at_instrument(database: Database, uid: UUID) -> tuple[Shop, Instrument]:
    with database.unit() as store:
        shop = require_shop(store)
        found = next((i for i in store.shelf.instruments(shop.uid) if i.uid == uid and not i.retired), None)
        if found is None:
            raise NotFoundError("instrument", str(uid))
        return shop, found


def change_sensor_type(database: Database, uid: UUID, changed: SensorType) -> None:
    """Put a changed card in place of a sensor type's. Circuits of open jobs follow it; what was handed over, and every
    calibration, keeps the card that it was done with.
    """
    with named("uq_sensor_type_shop_uid_name", "name", changed.name, "a sensor type"), database.unit() as store:
        shop = require_shop(store)
        old = store.shelf.sensor_type(uid)
        if (old.family, old.quantity) != (changed.family, changed.quantity):
            problem = "A type keeps its wiring and what it senses, since circuits are built on them."
            raise EntryError("quantity", changed.family, problem, "Add another type instead.")
        if not store.shelf.replace_sensor_type(shop.uid, uid, changed):
            raise RefusedRequestError(_CHANGED_MEANWHILE, "Open it again from the Shelf.")


def change_instrument(database: Database, uid: UUID, changed: Instrument) -> None:
    """Put a changed card in place of an instrument's: a new due date, a better specification."""
    with named("uq_instrument_shop_uid_name", "name", changed.name, "an instrument"), database.unit() as store:
        if not store.shelf.replace_instrument(require_shop(store).uid, uid, changed):
            raise RefusedRequestError(_CHANGED_MEANWHILE, "Open it again from the Shelf.")
