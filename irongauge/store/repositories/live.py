"""Live data: ways onto a bus, what they told, recordings, requests and trouble codes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Select, delete, exists, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from irongauge.core.live.codes import CodeReading, CodesWhen
from irongauge.core.live.record import BusAsked, BusPort, BusRequest, LiveSample, Recording, Watched
from irongauge.core.live.watching import LiveChannel
from irongauge.core.traces.senses import Sense
from irongauge.errors import NotFoundError
from irongauge.store.live_models import (
    BusPortRow,
    BusRequestRow,
    CodeReadingRow,
    LiveRecordingRow,
    LiveSampleRow,
)

__all__ = ["LiveRepository"]


def _port_of(row: BusPortRow) -> BusPort:
    return BusPort(
        uid=row.uid,
        name=row.name,
        interface=row.interface,
        channel=row.channel,
        bitrate=row.bitrate,
        vehicle_uid=row.vehicle_uid,
        frames_name=row.frames_name,
        is_simulated=row.is_simulated,
        wired=row.wired,
        memory=row.memory,
        acts=row.acts,
        acted_at=row.acted_at,
        watched=tuple(Watched(**told) for told in row.watched),
        channels=tuple(LiveChannel(name, unit, Sense(sense)) for name, unit, sense in row.channels),
        heard_at=row.heard_at,
        trouble=row.trouble,
    )


def _recording_of(row: LiveRecordingRow) -> Recording:
    return Recording(
        uid=row.uid,
        port_uid=row.port_uid,
        vehicle_uid=row.vehicle_uid,
        technician_uid=row.technician_uid,
        begun_at=row.begun_at,
        ended_at=row.ended_at,
    )


_IS_RECORDED = exists().where(LiveRecordingRow.port_uid == BusPortRow.uid, LiveRecordingRow.ended_at.is_(None))
_IS_ASKED = exists().where(BusRequestRow.port_uid == BusPortRow.uid, BusRequestRow.done_at.is_(None))


class LiveRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    # Ways onto a bus

    def ports(self, shop_uid: UUID) -> tuple[BusPort, ...]:
        query = select(BusPortRow).where(BusPortRow.shop_uid == shop_uid).order_by(BusPortRow.name)
        return tuple(map(_port_of, self._session.scalars(query)))

    def port(self, uid: UUID, *, lock: bool = False) -> BusPort:
        query = select(BusPortRow).where(BusPortRow.uid == uid)
        row = self._session.scalar(query.with_for_update() if lock else query)
        if row is None:
            raise NotFoundError("bus port", str(uid))
        return _port_of(row)

    def port_of(self, vehicle_uid: UUID) -> BusPort | None:
        """The one that is plugged in to a vehicle."""
        query = select(BusPortRow).where(BusPortRow.vehicle_uid == vehicle_uid).order_by(BusPortRow.name).limit(1)
        row = self._session.scalar(query)
        return None if row is None else _port_of(row)

    def add_port(self, shop_uid: UUID, port: BusPort) -> None:
        columns = {name: value for name, value in asdict(port).items() if name not in {"watched", "channels"}}
        watched = [asdict(one) for one in port.watched]
        self._session.add(BusPortRow(**columns, shop_uid=shop_uid, watched=watched, channels=[]))
        self._session.flush()

    def frames(self, uid: UUID) -> bytes:
        """The description of a port's frames, which may be large; empty where there is none."""
        return bytes(self._session.scalar(select(BusPortRow.frames).where(BusPortRow.uid == uid)) or b"")

    def rewire(self, uid: UUID, **columns: Any) -> None:  # noqa: ANN401  columns of the row
        """Write columns that an open port has to be opened anew for."""
        self.tell_port(uid, **columns, wired=BusPortRow.wired + 1)

    def tell_port(self, uid: UUID, **columns: Any) -> None:  # noqa: ANN401  columns of the row
        """Write some of a port's columns."""
        self._session.execute(update(BusPortRow).where(BusPortRow.uid == uid).values(**columns))

    def tell_watched(self, uid: UUID, watched: Iterable[Watched]) -> None:
        self.tell_port(uid, watched=[asdict(one) for one in watched])

    def tell_channels(self, uid: UUID, channels: Iterable[LiveChannel]) -> None:
        self.tell_port(uid, channels=[[c.name, c.unit, str(c.sense)] for c in channels])

    def remove_port(self, uid: UUID) -> None:
        self._session.execute(delete(BusPortRow).where(BusPortRow.uid == uid))

    def want(self, uid: UUID, until: datetime) -> None:
        """Somebody looks at it for that long at least."""
        later = or_(BusPortRow.wanted_until.is_(None), BusPortRow.wanted_until < until)
        self._session.execute(update(BusPortRow).where(BusPortRow.uid == uid, later).values(wanted_until=until))

    def wanted(self, now: datetime) -> tuple[UUID, ...]:
        """Those that somebody looks at, records, or asks something of."""
        query = select(BusPortRow.uid).where(or_(BusPortRow.wanted_until > now, _IS_RECORDED, _IS_ASKED))
        return tuple(self._session.scalars(query))

    # What they told

    def add_samples(self, port_uid: UUID, told: Sequence[tuple[datetime, Mapping[str, float]]]) -> None:
        rows = [{"port_uid": port_uid, "at": at, "told": dict(values)} for at, values in told]
        self._session.execute(insert(LiveSampleRow), rows)

    def samples(self, port_uid: UUID, after: int, most: int) -> tuple[LiveSample, ...]:
        """What came after a sample, the oldest first."""
        query = _samples(port_uid).where(LiveSampleRow.number > after).order_by(LiveSampleRow.number).limit(most)
        return tuple(LiveSample(row.number, row.at, row.told) for row in self._session.execute(query))

    def newest_samples(self, port_uid: UUID, since: datetime) -> tuple[LiveSample, ...]:
        """What came since a moment, the newest first."""
        query = _samples(port_uid).where(LiveSampleRow.at >= since).order_by(LiveSampleRow.number.desc())
        return tuple(LiveSample(row.number, row.at, row.told) for row in self._session.execute(query))

    def newest_number(self, port_uid: UUID) -> int:
        query = select(func.max(LiveSampleRow.number)).where(LiveSampleRow.port_uid == port_uid)
        return self._session.scalar(query) or 0

    def recorded(self, recording: Recording, until: datetime) -> Iterator[LiveSample]:
        """What a recording holds until a moment."""
        inside = LiveSampleRow.at.between(recording.begun_at, until)
        query = _samples(recording.port_uid).where(inside).order_by(LiveSampleRow.number)
        for row in self._session.execute(query.execution_options(yield_per=2000)):
            yield LiveSample(row.number, row.at, row.told)

    def drop_samples(self, port_uid: UUID, before: datetime) -> None:
        """Forget what came before a moment, unless a recording that runs holds it."""
        begun = select(LiveRecordingRow.begun_at).where(
            LiveRecordingRow.port_uid == port_uid, LiveRecordingRow.ended_at.is_(None)
        )
        earliest = func.least(before, func.coalesce(begun.scalar_subquery(), before))
        self._session.execute(
            delete(LiveSampleRow).where(LiveSampleRow.port_uid == port_uid, LiveSampleRow.at < earliest)
        )

    # Recordings

    def recording(self, port_uid: UUID, *, lock: bool = False) -> Recording | None:
        """The one that runs."""
        query = select(LiveRecordingRow).where(
            LiveRecordingRow.port_uid == port_uid, LiveRecordingRow.ended_at.is_(None)
        )
        row = self._session.scalar(query.with_for_update() if lock else query)
        return None if row is None else _recording_of(row)

    def begin_recording(self, recording: Recording) -> bool:
        """False, with nothing begun, where one runs already or this one was there before."""
        statement = insert(LiveRecordingRow).values(**asdict(recording)).on_conflict_do_nothing()
        return self._session.execute(statement.returning(LiveRecordingRow.uid)).first() is not None

    def end_recording(self, uid: UUID, moment: datetime) -> None:
        self._session.execute(update(LiveRecordingRow).where(LiveRecordingRow.uid == uid).values(ended_at=moment))

    # Requests

    def ask(self, request: BusRequest, moment: datetime) -> None:
        self._session.execute(insert(BusRequestRow).values(**asdict(request), asked_at=moment).on_conflict_do_nothing())

    def request(self, uid: UUID) -> BusRequest:
        row = self._session.get(BusRequestRow, uid)
        if row is None:
            raise NotFoundError("request", str(uid))
        return _request_of(row)

    def requests(self, port_uid: UUID) -> tuple[BusRequest, ...]:
        """What is asked and not done, the oldest first."""
        query = select(BusRequestRow).where(BusRequestRow.port_uid == port_uid, BusRequestRow.done_at.is_(None))
        return tuple(map(_request_of, self._session.scalars(query.order_by(BusRequestRow.asked_at))))

    def close_request(self, uid: UUID, moment: datetime, trouble: str = "") -> None:
        values = {"done_at": moment, "trouble": trouble[:300]}
        self._session.execute(update(BusRequestRow).where(BusRequestRow.uid == uid).values(**values))

    # Codes

    def add_codes(self, reading: CodeReading) -> None:
        self._session.execute(
            insert(CodeReadingRow)
            .values(
                uid=reading.uid,
                job_uid=reading.job_uid,
                taken_at=reading.taken_at,
                technician_uid=reading.technician_uid,
                source=reading.source,
                reason=reading.when,
                stored=list(reading.stored),
                pending=list(reading.pending),
                permanent=list(reading.permanent),
                not_told=list(reading.not_told),
                frozen_code=reading.frozen_code,
                frozen=dict(reading.frozen),
                told=dict(reading.values),
            )
            .on_conflict_do_nothing()
        )

    def codes(self, job_uid: UUID) -> tuple[CodeReading, ...]:
        """Every reading of codes of a job, the oldest first."""
        query = select(CodeReadingRow).where(CodeReadingRow.job_uid == job_uid)
        return tuple(
            CodeReading(
                uid=row.uid,
                job_uid=row.job_uid,
                taken_at=row.taken_at,
                technician_uid=row.technician_uid,
                source=row.source,
                when=CodesWhen(row.reason),
                stored=tuple(row.stored),
                pending=tuple(row.pending),
                permanent=tuple(row.permanent),
                not_told=tuple(row.not_told),
                frozen_code=row.frozen_code,
                frozen=row.frozen,
                values=row.told,
            )
            for row in self._session.scalars(query.order_by(CodeReadingRow.taken_at, CodeReadingRow.uid))
        )


def _samples(port_uid: UUID) -> Select[int, datetime, dict[str, float]]:
    query = select(LiveSampleRow.number, LiveSampleRow.at, LiveSampleRow.told)
    return query.where(LiveSampleRow.port_uid == port_uid)


def _request_of(row: BusRequestRow) -> BusRequest:
    return BusRequest(
        uid=row.uid,
        port_uid=row.port_uid,
        job_uid=row.job_uid,
        technician_uid=row.technician_uid,
        asked=BusAsked(row.asked),
        done_at=row.done_at,
        trouble=row.trouble,
    )
