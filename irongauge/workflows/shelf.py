"""Setting up the shop and filling its Shelf."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import uuid4

from sqlalchemy.exc import IntegrityError

from irongauge.core.circuits import Instrument, SensorType
from irongauge.core.shop import Shop, Technician
from irongauge.errors import EntryError, RefusedRequestError, quoted
from irongauge.store.database import Database
from irongauge.workflows.view import People, people_of, require_shop

__all__ = [
    "ShelfView",
    "add_instrument",
    "add_sensor_type",
    "add_technician",
    "change_shop",
    "look_at_shelf",
    "name_taken",
    "open_shop",
]


@dataclass(frozen=True)
class ShelfView:
    shop: Shop
    people: People
    sensor_types: tuple[SensorType, ...]


def name_taken(field: str, typed: str, kind: str) -> EntryError:
    """The error for a name that another of its kind has."""
    return EntryError(field, typed, f"{quoted(typed)} is already the name of {kind}.", "Choose another name.")


def open_shop(database: Database, shop: Shop, technician_name: str) -> None:
    """The first thing ever done: name the shop and its first technician."""
    with database.unit() as store:
        if store.shops.first() is not None:
            raise RefusedRequestError("This shop has been set up already.", "Go to the Floor.")
        store.shops.save(shop)
        store.shops.add_technician(shop.uid, Technician(uuid4(), technician_name))


def change_shop(database: Database, shop: Shop) -> None:
    with database.unit() as store:
        store.shops.save(shop)


def look_at_shelf(database: Database) -> ShelfView:
    with database.unit() as store:
        shop = require_shop(store)
        return ShelfView(shop, people_of(store, shop), store.shelf.sensor_types(shop.uid))


def add_technician(database: Database, name: str) -> Technician:
    technician = Technician(uuid4(), name)
    try:
        with database.unit() as store:
            store.shops.add_technician(require_shop(store).uid, technician)
    except IntegrityError as error:
        raise name_taken("name", name, "a technician") from error
    return technician


def add_instrument(database: Database, instrument: Instrument) -> None:
    try:
        with database.unit() as store:
            store.shelf.add_instrument(require_shop(store).uid, instrument)
    except IntegrityError as error:
        raise name_taken("name", instrument.name, "an instrument") from error


def add_sensor_type(database: Database, sensor: SensorType) -> None:
    try:
        with database.unit() as store:
            store.shelf.add_sensor_type(require_shop(store).uid, sensor)
    except IntegrityError as error:
        raise name_taken("name", sensor.name, "a sensor type") from error
