"""What the Bench writes on a circuit's card, and test points as links and forms name them."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.workflows.shop.view import open_job

__all__ = ["on_card", "point_named"]


def on_card(database: Database, circuit_uid: UUID, changed: Callable[[Circuit], Circuit]) -> Circuit:
    """Change a circuit's card while its job is held open."""
    with database.unit() as store:
        circuit = changed(open_job(store, circuit_uid)[0])
        store.circuits.change(circuit)
    return circuit


def point_named(text: str) -> TestPoint:
    """The test point that is written so; `NotFoundError` where that is none."""
    try:
        return TestPoint.from_text(text)
    except ValueError:
        raise NotFoundError("test point", text) from None
