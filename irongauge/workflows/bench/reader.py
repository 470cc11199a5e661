"""What a live data reader shows: said once for a circuit, and remembered for the next one on that type of controller."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.live_reader import LiveReader, Shown
from irongauge.core.shop import Shop
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.cards import on_card, point_named

__all__ = ["known_controllers", "reader_without", "remembered_reader", "tell_not_shown", "tell_reader"]


def remembered_reader(store: Store, shop: Shop, circuit: Circuit) -> LiveReader:
    """As on the shop's newest circuit of that type of controller; where values stop only from one that senses the same."""
    if not circuit.controller:
        return circuit.reader
    others = [c for c in store.circuits.last_on(shop.uid, circuit.controller) if c.uid != circuit.uid]
    alike = [c for c in others if c.sensor.quantity is circuit.sensor.quantity]
    if alike:
        return alike[0].reader
    if others:
        return LiveReader(shows_signal=others[0].reader.shows_signal, shows_value=others[0].reader.shows_value)
    return circuit.reader


def known_controllers(database: Database, shop: Shop) -> tuple[str, ...]:
    """The types of controllers that this shop has named so far."""
    with database.unit() as store:
        return store.circuits.controllers(shop.uid)


def reader_without(reader: LiveReader, test_point: TestPoint) -> LiveReader:
    """The reader, but for what a test point asks it to show; `NotFoundError` for one that is not read there."""
    action = test_point.action
    shown = ACTIONS[Action(action)].shown if action in set(Action) else None
    if shown is None:
        raise NotFoundError("live data test point", str(test_point))
    return replace(reader, shows_value=False) if shown is Shown.VALUE else replace(reader, shows_signal=False)


def tell_reader(database: Database, circuit_uid: UUID, reader: LiveReader, controller: str | None = None) -> Circuit:
    """Write on a circuit's card what the reader shows, and which controller is behind it unless that is left out."""

    def told(circuit: Circuit) -> Circuit:
        return replace(circuit, reader=reader, controller=circuit.controller if controller is None else controller)

    return on_card(database, circuit_uid, told)


def tell_not_shown(database: Database, circuit_uid: UUID, point_text: str) -> Circuit:
    """The reader does not show what this test point asks for: it is not asked again, and counts neither way."""
    test_point = point_named(point_text)
    return on_card(database, circuit_uid, lambda c: replace(c, reader=reader_without(c.reader, test_point)))
