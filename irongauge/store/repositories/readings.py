"""Readings: added, never changed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any
from uuid import UUID

from sqlalchemy import Row, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint, VehicleState
from irongauge.store.among import among
from irongauge.store.models import ReadingRow

__all__ = ["ReadingRepository"]


# Plain columns instead of mapped objects: the Floor reads every reading of the shop's open jobs.
_COLUMNS = ReadingRow.__table__.columns
_AT_ONCE = 1000  # rows of 20 values each: PostgreSQL takes 65 535 values in one statement
_MADE_KEPT = 30_000


@lru_cache(maxsize=_MADE_KEPT)
def _reading_of(row: Row[Any]) -> Reading:
    """The reading that a row tells. Rows are never changed, so what was made of one is kept."""
    return Reading(
        uid=row.uid,
        test_point=TestPoint(row.action, row.cavity, row.point, row.place),
        value=row.value,
        word=row.word,
        unit=row.unit,
        state=VehicleState(row.state),
        typed=row.typed,
        technician_uid=row.technician_uid,
        taken_at=row.taken_at,
        instrument_uid=row.instrument_uid,
        stimulus_value=row.stimulus_value,
        stimulus_instrument_uid=row.stimulus_instrument_uid,
        supersedes_uid=row.supersedes_uid,
        reason=None if row.reason is None else SupersedeReason(row.reason),
        way_share=row.way_share,
        read_off=row.read_off,
        overdue_why=row.overdue_why,
    )


class ReadingRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def of_circuits(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[Reading, ...]]:
        """Every reading of each circuit, superseded ones too, oldest first."""
        found: dict[UUID, list[Reading]] = {uid: [] for uid in circuit_uids}
        query = (
            select(*_COLUMNS).where(among(ReadingRow.circuit_uid, found)).order_by(ReadingRow.taken_at, ReadingRow.uid)
        )
        for row in self._session.execute(query):
            found[row.circuit_uid].append(_reading_of(row))
        return {uid: tuple(readings) for uid, readings in found.items()}

    def newest_circuit(self, circuit_uids: Iterable[UUID]) -> UUID | None:
        """Which of these circuits was read last; None where none was."""
        query = select(ReadingRow.circuit_uid).where(ReadingRow.circuit_uid.in_(tuple(circuit_uids)))
        return self._session.scalars(query.order_by(ReadingRow.taken_at.desc()).limit(1)).first()

    def add(self, circuit_uid: UUID, reading: Reading) -> bool:
        """Store a reading. False, with nothing stored, when it exists or when its test point already went on otherwise.

        Both are decided by the unique indexes, so they hold between processes as well.
        """
        return self.add_all(circuit_uid, [reading]) == 1

    def add_all(self, circuit_uid: UUID, readings: Sequence[Reading]) -> int:
        """Store readings, oldest first, in few statements; gives back how many of them were not there already."""
        stored = 0
        for first in range(0, len(readings), _AT_ONCE):
            rows = [_values_of(circuit_uid, reading) for reading in readings[first : first + _AT_ONCE]]
            statement = insert(ReadingRow).values(rows).on_conflict_do_nothing().returning(ReadingRow.uid)
            stored += len(self._session.execute(statement).all())
        return stored


def _values_of(circuit_uid: UUID, reading: Reading) -> dict[str, Any]:
    return {
        "uid": reading.uid,
        "circuit_uid": circuit_uid,
        "action": reading.test_point.action,
        "cavity": reading.test_point.cavity,
        "point": reading.test_point.point,
        "place": reading.test_point.place,
        "way_share": reading.way_share,
        "read_off": reading.read_off,
        "overdue_why": reading.overdue_why,
        "value": reading.value,
        "word": reading.word,
        "unit": reading.unit,
        "state": reading.state,
        "typed": reading.typed,
        "stimulus_value": reading.stimulus_value,
        "instrument_uid": reading.instrument_uid,
        "stimulus_instrument_uid": reading.stimulus_instrument_uid,
        "technician_uid": reading.technician_uid,
        "taken_at": reading.taken_at,
        "supersedes_uid": reading.supersedes_uid,
        "reason": reading.reason,
    }
