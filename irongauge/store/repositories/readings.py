"""Readings: added, never changed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from uuid import UUID

from sqlalchemy import Row, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from irongauge.core.measure.quantities import Reading, Reason, Slot, VehicleState
from irongauge.store.models import ReadingRow

__all__ = ["ReadingRepository"]


# Plain columns instead of mapped objects: the Floor reads every reading of the shop's open jobs.
_COLUMNS = ReadingRow.__table__.columns


def _reading_of(row: Row[Any]) -> Reading:
    return Reading(
        row.uid,
        Slot(row.action, row.cavity, row.point),
        row.value,
        row.word,
        row.unit,
        VehicleState(row.state),
        row.typed,
        row.technician_uid,
        row.taken_at,
        row.instrument_uid,
        row.stimulus_value,
        row.stimulus_instrument_uid,
        row.supersedes_uid,
        None if row.reason is None else Reason(row.reason),
    )


class ReadingRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def of_circuits(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[Reading, ...]]:
        """Every reading of each circuit, superseded ones too, oldest first."""
        found: dict[UUID, list[Reading]] = {uid: [] for uid in circuit_uids}
        query = select(*_COLUMNS).where(ReadingRow.circuit_uid.in_(found)).order_by(ReadingRow.taken_at, ReadingRow.uid)
        for row in self._session.execute(query):
            found[row.circuit_uid].append(_reading_of(row))
        return {uid: tuple(readings) for uid, readings in found.items()}

    def add(self, circuit_uid: UUID, reading: Reading) -> bool:
        """Store a reading. False, with nothing stored, when it exists or when its slot already went on otherwise.

        Both are decided by the unique indexes, so they hold between processes as well.
        """
        statement = (
            insert(ReadingRow)
            .values(
                uid=reading.uid,
                circuit_uid=circuit_uid,
                action=reading.slot.action,
                cavity=reading.slot.cavity,
                point=reading.slot.point,
                value=reading.value,
                word=reading.word,
                unit=reading.unit,
                state=reading.state,
                typed=reading.typed,
                stimulus_value=reading.stimulus_value,
                instrument_uid=reading.instrument_uid,
                stimulus_instrument_uid=reading.stimulus_instrument_uid,
                technician_uid=reading.technician_uid,
                taken_at=reading.taken_at,
                supersedes_uid=reading.supersedes_uid,
                reason=reading.reason,
            )
            .on_conflict_do_nothing()
            .returning(ReadingRow.uid)
        )
        return self._session.scalar(statement) is not None
