"""A reading that cannot be taken: said with one key on the Bench, kept on the circuit's card, and taken back as easily."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from irongauge.core.bench.actions import Action
from irongauge.core.bench.reach import hindrances_at
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.unreadable import Hindrance, Unreadable
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.workflows.shop.view import open_job

__all__ = ["tell_readable", "tell_unreadable"]


def tell_unreadable(database: Database, circuit_uid: UUID, point_text: str, hindrance_text: str) -> Circuit:
    """Keep what is in the way of a test point; `NotFoundError` for one that this circuit does not have, or for another word."""
    test_point = _test_point(point_text)
    with database.unit() as store:
        circuit, _ = open_job(store, circuit_uid)
        if not _is_there(circuit, test_point) or hindrance_text not in hindrances_at(test_point):
            raise NotFoundError("test point", point_text)
        others = tuple(one for one in circuit.unreadable if one.test_point != test_point)
        told = replace(circuit, unreadable=(*others, Unreadable(test_point, Hindrance(hindrance_text))))
        store.circuits.change(told)
    return told


def tell_readable(database: Database, circuit_uid: UUID, point_text: str) -> Circuit:
    """What was said of this test point holds no longer: it is asked for again, and all others that it held for."""
    test_point = _test_point(point_text)
    with database.unit() as store:
        circuit, _ = open_job(store, circuit_uid)
        left = tuple(one for one in circuit.unreadable if one.test_point != test_point)
        told = replace(circuit, unreadable=left)
        store.circuits.change(told)
    return told


def _is_there(circuit: Circuit, test_point: TestPoint) -> bool:
    return (
        test_point.action in set(Action)
        and (test_point.cavity is None or test_point.cavity in {pin.cavity for pin in circuit.pins})
        and (test_point.point is None or test_point.point < len(circuit.stimuli))
    )


def _test_point(text: str) -> TestPoint:
    try:
        return TestPoint.from_text(text)
    except ValueError:
        raise NotFoundError("test point", text) from None
