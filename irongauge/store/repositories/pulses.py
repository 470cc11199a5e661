"""Checks of pulses and captured waveforms."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass, fields
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Select, delete, func, select, update
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import InstrumentedAttribute, Session

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import Examination, examination_from
from irongauge.core.pulses.record import About, Capture, KeptPulse, PulseKind, PulseMark, about_of
from irongauge.errors import NotFoundError
from irongauge.store.among import among
from irongauge.store.pulse_models import CapturePieceRow, CaptureRow, CaptureWaitingRow, PulseCheckRow

__all__ = ["CaptureWaiting", "PulseRepository", "Samples"]


@dataclass(frozen=True)
class Samples:
    """The bytes of a capture as they are stored (`CaptureRow`)."""

    signal: bytes
    overview: bytes
    times: bytes = b""
    overview_times: bytes = b""


@dataclass(frozen=True, kw_only=True)
class CaptureWaiting:
    """A capture that waits since `added_at`: its file's name, what was told of it, how far its reading is, why it was refused."""

    name: str
    given: dict[str, Any]
    doing: str
    share: float
    refused: str
    added_at: datetime


def _capture_of(row: CaptureRow) -> Capture:
    return Capture(
        uid=row.uid,
        name=row.name,
        note=row.note,
        samples=row.samples,
        seconds=row.seconds,
        step_s=row.step_s,
        about=about_of({field.name: getattr(row, field.name) for field in fields(About)}),
        examination=examination_from(row.examination),
        taken_at=row.taken_at,
        circuit_uid=row.circuit_uid,
        kept_uid=row.kept_uid,
    )


class PulseRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def marks_of(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[PulseMark, ...]]:
        """The newest check of each kind, of each circuit, as far as it counts towards the proofs."""
        found: dict[UUID, list[PulseMark]] = {uid: [] for uid in circuit_uids}
        columns = (PulseCheckRow.circuit_uid, PulseCheckRow.kind, PulseCheckRow.mark, PulseCheckRow.finding)
        query = (
            select(*columns)
            .where(among(PulseCheckRow.circuit_uid, found))
            .ext(distinct_on(PulseCheckRow.circuit_uid, PulseCheckRow.kind))
            .order_by(PulseCheckRow.circuit_uid, PulseCheckRow.kind, PulseCheckRow.taken_at.desc(), PulseCheckRow.uid)
        )
        for circuit_uid, kind, mark, finding in self._session.execute(query):
            found[circuit_uid].append(PulseMark(PulseKind(kind), Mark(mark), finding))
        return {uid: tuple(group) for uid, group in found.items()}

    def newest_given(self, kind: PulseKind) -> Mapping[str, Any]:
        """The fields that the newest check of a kind was found from; empty where there is none."""
        query = select(PulseCheckRow.given).where(PulseCheckRow.kind == kind).order_by(PulseCheckRow.taken_at.desc())
        return self._session.scalars(query.limit(1)).first() or {}

    def checks_of(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[KeptPulse, ...]]:
        """Every check of each circuit, the newest first."""
        found: dict[UUID, list[KeptPulse]] = {uid: [] for uid in circuit_uids}
        query = (
            select(PulseCheckRow)
            .where(among(PulseCheckRow.circuit_uid, found))
            .order_by(PulseCheckRow.taken_at.desc(), PulseCheckRow.uid)
        )
        for row in self._session.scalars(query):
            found[row.circuit_uid].append(
                KeptPulse(
                    uid=row.uid,
                    kind=PulseKind(row.kind),
                    mark=Mark(row.mark),
                    finding=row.finding,
                    sentence=row.sentence,
                    given=row.given,
                    technician_uid=row.technician_uid,
                    taken_at=row.taken_at,
                )
            )
        return {uid: tuple(group) for uid, group in found.items()}

    def add_check(self, circuit_uid: UUID, check: KeptPulse) -> None:
        self._session.add(
            PulseCheckRow(
                uid=check.uid,
                circuit_uid=circuit_uid,
                kind=check.kind,
                mark=check.mark,
                finding=check.finding,
                sentence=check.sentence,
                given=dict(check.given),
                technician_uid=check.technician_uid,
                taken_at=check.taken_at,
            )
        )
        self._session.flush()

    # Captures

    def captures(self, shop_uid: UUID, most: int) -> tuple[Capture, ...]:
        """The newest captures of the shop."""
        newest_first = (CaptureRow.taken_at.desc(), CaptureRow.uid)
        query = select(CaptureRow).where(CaptureRow.shop_uid == shop_uid)
        return self._captures(query.order_by(*newest_first).limit(most))

    def captures_by(self, check_uids: Iterable[UUID]) -> dict[UUID, UUID]:
        """The capture that each check is kept by, where there is one."""
        query = select(CaptureRow.kept_uid, CaptureRow.uid).where(CaptureRow.kept_uid.in_(list(check_uids)))
        return {kept: uid for kept, uid in self._session.execute(query) if kept is not None}

    def capture(self, uid: UUID) -> Capture:
        found = self._captures(select(CaptureRow).where(CaptureRow.uid == uid))
        if not found:
            raise NotFoundError("capture", str(uid))
        return found[0]

    def has_capture(self, uid: UUID) -> bool:
        return self._session.scalar(select(CaptureRow.uid).where(CaptureRow.uid == uid)) is not None

    def _captures(self, query: Select[CaptureRow]) -> tuple[Capture, ...]:
        return tuple(_capture_of(row) for row in self._session.scalars(query))

    def add_capture(self, shop_uid: UUID, capture: Capture, samples: Samples) -> None:
        self._session.add(
            CaptureRow(
                uid=capture.uid,
                shop_uid=shop_uid,
                circuit_uid=capture.circuit_uid,
                kept_uid=capture.kept_uid,
                name=capture.name,
                note=capture.note,
                samples=capture.samples,
                seconds=capture.seconds,
                step_s=capture.step_s,
                **asdict(capture.about),
                examination=asdict(capture.examination),
                taken_at=capture.taken_at,
                signal=samples.signal,
                overview=samples.overview,
                times=samples.times,
                overview_times=samples.overview_times,
            )
        )
        self._session.flush()

    def samples(self, uid: UUID) -> Samples:
        """All of a capture."""
        query = select(CaptureRow.signal, CaptureRow.overview, CaptureRow.times, CaptureRow.overview_times)
        row = self._session.execute(query.where(CaptureRow.uid == uid)).one()
        return Samples(*row)

    def part(self, uid: UUID, column: InstrumentedAttribute[bytes], first: int, count: int) -> bytes:
        """So many bytes of one of a capture's columns, from `first`."""
        return bytes(
            self._session.scalar(select(func.substring(column, first + 1, count)).where(CaptureRow.uid == uid)) or b""
        )

    def tell(self, uid: UUID, about: About, examination: Examination) -> None:
        """Put another examination in the place of the one before, made from what is now told of the ring and the input."""
        row = self._row(uid)
        for name, value in asdict(about).items():
            setattr(row, name, value)
        row.examination = asdict(examination)
        self._session.flush()

    def keep(self, uid: UUID, circuit_uid: UUID, check_uid: UUID) -> None:
        """Say by which check of a circuit a capture is kept."""
        row = self._row(uid)
        row.circuit_uid, row.kept_uid = circuit_uid, check_uid
        self._session.flush()

    def remove(self, uid: UUID) -> bool:
        """Remove a capture; False, with nothing removed, for one that is kept with a circuit."""
        statement = (
            delete(CaptureRow).where(CaptureRow.uid == uid, CaptureRow.kept_uid.is_(None)).returning(CaptureRow.uid)
        )
        return self._session.scalar(statement) is not None

    def _row(self, uid: UUID) -> CaptureRow:
        row = self._session.get(CaptureRow, uid)
        if row is None:
            raise NotFoundError("capture", str(uid))
        return row

    # Captures that wait

    def add_waiting(
        self, shop_uid: UUID, uid: UUID, name: str, *, given: dict[str, Any], moment: datetime, pieces: Iterable[bytes]
    ) -> None:
        """Keep a capture's file, a piece at a time, until it is read."""
        row = CaptureWaitingRow(
            uid=uid, shop_uid=shop_uid, name=name, given=given, doing="Waiting", share=0.0, refused="", added_at=moment
        )
        self._session.add(row)
        self._session.flush()
        for place, content in enumerate(pieces):
            self._session.execute(insert(CapturePieceRow).values(capture_uid=uid, place=place, content=content))

    def waiting(self, uid: UUID, *, lock: bool = False) -> CaptureWaiting | None:
        query = select(CaptureWaitingRow).where(CaptureWaitingRow.uid == uid)
        row = self._session.scalar(query.with_for_update() if lock else query)
        if row is None:
            return None
        return CaptureWaiting(
            name=row.name, given=row.given, doing=row.doing, share=row.share, refused=row.refused, added_at=row.added_at
        )

    def all_waiting(self) -> tuple[UUID, ...]:
        """Captures that are to be read still, the oldest first."""
        query = select(CaptureWaitingRow.uid).where(CaptureWaitingRow.refused == "")
        return tuple(self._session.scalars(query.order_by(CaptureWaitingRow.added_at)))

    def tell_waiting(self, uid: UUID, **columns: Any) -> None:  # noqa: ANN401  columns of the row
        self._session.execute(update(CaptureWaitingRow).where(CaptureWaitingRow.uid == uid).values(**columns))

    def waiting_pieces(self, uid: UUID) -> Iterator[bytes]:
        places = self._session.scalars(
            select(CapturePieceRow.place).where(CapturePieceRow.capture_uid == uid).order_by(CapturePieceRow.place)
        ).all()
        for place in places:
            own = (CapturePieceRow.capture_uid == uid, CapturePieceRow.place == place)
            yield bytes(self._session.scalar(select(CapturePieceRow.content).where(*own)) or b"")

    def drop_waiting_pieces(self, uid: UUID) -> None:
        self._session.execute(delete(CapturePieceRow).where(CapturePieceRow.capture_uid == uid))

    def drop_waiting(self, uid: UUID) -> None:
        self._session.execute(delete(CaptureWaitingRow).where(CaptureWaitingRow.uid == uid))
