"""A reading that cannot be taken: said with one key on the Bench, kept on the circuit's card, and taken back as easily."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from irongauge.core.bench.reach import hindrances_at, is_named_by
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.unreadable import Hindrance, Unreadable
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.workflows.bench.cards import on_card, point_named

__all__ = ["tell_readable", "tell_unreadable"]


def tell_unreadable(database: Database, circuit_uid: UUID, point_text: str, hindrance_text: str) -> Circuit:
    """Keep what is in the way of a test point; `NotFoundError` for one that this circuit does not have, or for another word."""
    test_point = point_named(point_text)

    def told(circuit: Circuit) -> Circuit:
        if not is_named_by(circuit, test_point) or hindrance_text not in hindrances_at(test_point):
            raise NotFoundError("test point", point_text)
        said = Unreadable(test_point, Hindrance(hindrance_text))
        return replace(circuit, unreadable=(*_others(circuit, test_point), said))

    return on_card(database, circuit_uid, told)


def tell_readable(database: Database, circuit_uid: UUID, point_text: str) -> Circuit:
    """What was said of this test point holds no longer: it is asked for again, and all others that it held for."""
    test_point = point_named(point_text)
    return on_card(database, circuit_uid, lambda c: replace(c, unreadable=_others(c, test_point)))


def _others(circuit: Circuit, test_point: TestPoint) -> tuple[Unreadable, ...]:
    return tuple(one for one in circuit.unreadable if one.test_point != test_point)
