"""Recorded logs: the file until it is read, channels and their values, meanings of headings, rules, readings of normals."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from psycopg import Connection
from sqlalchemy import Row, Select, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import InstrumentedAttribute, Session

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.fitted_engines import EngineFitting
from irongauge.core.traces.record import ChannelMeaning, KeptChannel, KeptLog, KeptReading, KeptRule, LogState
from irongauge.core.traces.senses import Sense
from irongauge.errors import NotFoundError
from irongauge.store.trace_models import (
    ChannelMeaningRow,
    EngineFittingRow,
    LogChannelRow,
    LoggerHabitRow,
    LogPieceRow,
    LogRow,
    LogTimesRow,
    NormalReadingRow,
    RuleRow,
)

__all__ = ["ChannelBytes", "TimesBytes", "TraceRepository"]


@dataclass(frozen=True)
class TimesBytes:
    """Times as they are stored (`LogTimesRow`)."""

    rows: int
    begin_s: float
    step_s: float | None
    times: bytes
    overview_times: bytes


@dataclass(frozen=True)
class ChannelBytes:
    """A channel's values as they are stored (`LogChannelRow`)."""

    channel: KeptChannel
    content: bytes
    overview: bytes


_CHANNEL_COLUMNS = [c for c in LogChannelRow.__table__.columns if c.name not in {"content", "overview"}]


def _channel_of(row: Row[Any]) -> KeptChannel:
    return KeptChannel(
        place=row.place,
        name=row.name,
        written_unit=row.written_unit,
        unit=row.unit,
        quantity=None if row.quantity is None else Quantity(row.quantity),
        base=None if row.base is None else PressureBase(row.base),
        sense=Sense(row.sense),
        circuit_uid=row.circuit_uid,
        rows=row.rows,
        times=row.times,
        scale=row.scale,
        offset=row.offset,
        scale_below=row.scale_below,
        low=row.low,
        high=row.high,
    )


def _finding_of(told: dict[str, Any]) -> LogFinding:
    return LogFinding(
        **{
            **told,
            "kind": FindingKind(told["kind"]),
            "at_s": tuple((a, b) for a, b in told["at_s"]),
            "others": tuple(told["others"]),
        }
    )


_PIECE = "SELECT content FROM log_piece WHERE log_uid = %s AND part = %s AND place = %s"


class TraceRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    # Logs

    def logs(self, vehicle_uid: UUID | None, most: int) -> tuple[KeptLog, ...]:
        """The newest logs of a vehicle, or of all, without their channels."""
        query = select(LogRow).order_by(LogRow.added_at.desc(), LogRow.uid).limit(most)
        return self._logs(query if vehicle_uid is None else query.where(LogRow.vehicle_uid == vehicle_uid))

    def log(self, uid: UUID, *, lock: bool = False) -> KeptLog:
        """A log with its channels."""
        query = select(LogRow).where(LogRow.uid == uid)
        found = self._logs(query.with_for_update() if lock else query)
        if not found:
            raise NotFoundError("log", str(uid))
        columns = select(*_CHANNEL_COLUMNS).where(LogChannelRow.log_uid == uid).order_by(LogChannelRow.place)
        channels = tuple(_channel_of(row) for row in self._session.execute(columns))
        return replace(found[0], channels=channels)

    def well_logs(self, vehicle_uid: UUID) -> frozenset[UUID]:
        """Logs of a vehicle that were driven when it was well."""
        query = select(LogRow.uid).where(LogRow.vehicle_uid == vehicle_uid, LogRow.is_well)
        return frozenset(self._session.scalars(query))

    def has_log(self, uid: UUID) -> bool:
        return self._session.scalar(select(LogRow.uid).where(LogRow.uid == uid)) is not None

    def _logs(self, query: Select[LogRow]) -> tuple[KeptLog, ...]:
        return tuple(
            KeptLog(
                uid=row.uid,
                vehicle_uid=row.vehicle_uid,
                job_uid=row.job_uid,
                name=row.name,
                note=row.note,
                state=LogState(row.state),
                doing=row.doing,
                share=row.share,
                seconds=row.seconds,
                started_at=row.started_at,
                added_at=row.added_at,
                technician_uid=row.technician_uid,
                is_well=row.is_well,
                well_stretch_s=None
                if row.well_from_s is None or row.well_until_s is None
                else (row.well_from_s, row.well_until_s),
                logger=row.logger,
                taken_unit=row.taken_unit,
                findings=tuple(_finding_of(told) for told in row.findings),
            )
            for row in self._session.scalars(query)
        )

    def log_of_file(self, digest: bytes, but: UUID) -> KeptLog | None:
        """Another log of the very same file."""
        query = select(LogRow).where(LogRow.digest == digest, LogRow.uid != but, LogRow.state != LogState.REFUSED)
        return next(iter(self._logs(query.limit(1))), None)

    def add_log(self, log: KeptLog, given: dict[str, Any]) -> None:
        """Keep a log that is to be read; `given` is what was told of its file."""
        self._session.add(
            LogRow(
                uid=log.uid,
                vehicle_uid=log.vehicle_uid,
                job_uid=log.job_uid,
                name=log.name,
                note=log.note,
                state=log.state,
                doing=log.doing,
                share=log.share,
                seconds=log.seconds,
                started_at=log.started_at,
                added_at=log.added_at,
                technician_uid=log.technician_uid,
                is_well=log.is_well,
                given=given,
                findings=[],
            )
        )
        self._session.flush()

    def given(self, uid: UUID) -> dict[str, Any]:
        return dict(self._session.scalar(select(LogRow.given).where(LogRow.uid == uid)) or {})

    def tell(self, uid: UUID, **columns: Any) -> None:  # noqa: ANN401  columns of the row
        """Write some of a log's columns."""
        self._session.execute(update(LogRow).where(LogRow.uid == uid).values(**columns))

    def date(self, uid: UUID, moment: datetime, *, is_well: bool) -> None:
        """Say when a log was driven that does not say so itself, and whether the vehicle was well."""
        self.tell(uid, started_at=moment, added_at=moment, is_well=is_well)
        self._session.execute(update(NormalReadingRow).where(NormalReadingRow.log_uid == uid).values(taken_at=moment))

    def tell_findings(self, uid: UUID, findings: Iterable[LogFinding]) -> None:
        self.tell(uid, findings=[asdict(finding) for finding in findings])

    def waiting(self) -> tuple[UUID, ...]:
        """Logs that no worker has begun yet."""
        query = select(LogRow.uid).where(LogRow.state == LogState.WAITING)
        return tuple(self._session.scalars(query.order_by(LogRow.added_at)))

    def remove_log(self, uid: UUID) -> None:
        self._session.execute(delete(LogRow).where(LogRow.uid == uid))

    # The file

    def add_piece(self, uid: UUID, part: int, place: int, content: bytes) -> None:
        self._session.execute(insert(LogPieceRow).values(log_uid=uid, part=part, place=place, content=content))

    def pieces(self, uid: UUID, part: int) -> Iterator[bytes]:
        """The file's bytes, a piece at a time."""
        own = (LogPieceRow.log_uid == uid, LogPieceRow.part == part)
        places = self._session.scalars(select(LogPieceRow.place).where(*own).order_by(LogPieceRow.place)).all()
        # The driver's own cursor, since only that is sent bytes as bytes: as text they take twice as long.
        driver: Connection[Any] = self._session.connection().connection.driver_connection  # type: ignore[assignment]
        with driver.cursor(binary=True) as cursor:
            for place in places:
                found = cursor.execute(_PIECE, (uid, part, place)).fetchone()
                yield b"" if found is None else found[0]

    def drop_pieces(self, uid: UUID) -> None:
        self._session.execute(delete(LogPieceRow).where(LogPieceRow.log_uid == uid))

    # Channels

    def drop_channels(self, uid: UUID) -> None:
        self._session.execute(delete(LogChannelRow).where(LogChannelRow.log_uid == uid))
        self._session.execute(delete(LogTimesRow).where(LogTimesRow.log_uid == uid))

    def add_times(self, uid: UUID, place: int, times: TimesBytes) -> None:
        self._session.execute(insert(LogTimesRow).values(log_uid=uid, place=place, **asdict(times)))

    def change_times(self, uid: UUID, place: int, times: TimesBytes) -> None:
        own = (LogTimesRow.log_uid == uid, LogTimesRow.place == place)
        self._session.execute(update(LogTimesRow).where(*own).values(**asdict(times)))

    def add_channel(self, uid: UUID, kept: ChannelBytes) -> None:
        self._session.execute(
            insert(LogChannelRow).values(
                log_uid=uid, **asdict(kept.channel), content=kept.content, overview=kept.overview
            )
        )

    def change_channel(self, uid: UUID, channel: KeptChannel) -> None:
        own = (LogChannelRow.log_uid == uid, LogChannelRow.place == channel.place)
        self._session.execute(update(LogChannelRow).where(*own).values(**asdict(channel)))

    def times(self, uid: UUID, place: int) -> tuple[int, float, float | None]:
        """Rows, begin and step of a channel's times; no step where they do not come evenly."""
        columns = select(LogTimesRow.rows, LogTimesRow.begin_s, LogTimesRow.step_s)
        row = self._session.execute(columns.where(LogTimesRow.log_uid == uid, LogTimesRow.place == place)).one()
        return row.rows, row.begin_s, row.step_s

    def times_part(self, uid: UUID, place: int, column: InstrumentedAttribute[bytes], first: int, count: int) -> bytes:
        own = (LogTimesRow.log_uid == uid, LogTimesRow.place == place)
        return bytes(self._session.scalar(select(func.substring(column, first + 1, count)).where(*own)) or b"")

    def channel_part(
        self, uid: UUID, place: int, column: InstrumentedAttribute[bytes], first: int, count: int
    ) -> bytes:
        own = (LogChannelRow.log_uid == uid, LogChannelRow.place == place)
        return bytes(self._session.scalar(select(func.substring(column, first + 1, count)).where(*own)) or b"")

    def channel_senses(self, vehicle_uid: UUID) -> frozenset[Sense]:
        """What the channels of a vehicle's logs are of."""
        query = select(LogChannelRow.sense).join(LogRow, LogRow.uid == LogChannelRow.log_uid)
        return frozenset(
            Sense(s) for s in self._session.scalars(query.where(LogRow.vehicle_uid == vehicle_uid).distinct())
        )

    # What headings mean

    def meanings(self, vehicle_uid: UUID) -> dict[str, ChannelMeaning]:
        """By heading, in small letters."""
        rows = self._session.scalars(select(ChannelMeaningRow).where(ChannelMeaningRow.vehicle_uid == vehicle_uid))
        return {
            row.heading: ChannelMeaning(
                heading=row.heading,
                sense=Sense(row.sense),
                unit=row.unit,
                base=None if row.base is None else PressureBase(row.base),
                circuit_uid=row.circuit_uid,
            )
            for row in rows
        }

    def meanings_by_logger(self, logger: str, but: UUID) -> dict[str, ChannelMeaning]:
        """By heading, what was told alike on all other vehicles of which there is a log that is written so; no circuits."""
        others = select(LogRow.vehicle_uid).where(LogRow.logger == logger, LogRow.vehicle_uid != but)
        columns = (ChannelMeaningRow.heading, ChannelMeaningRow.sense, ChannelMeaningRow.unit, ChannelMeaningRow.base)
        rows = self._session.execute(select(*columns).where(ChannelMeaningRow.vehicle_uid.in_(others)).distinct()).all()
        said = Counter(row.heading for row in rows)
        return {
            row.heading: ChannelMeaning(
                heading=row.heading,
                sense=Sense(row.sense),
                unit=row.unit,
                base=None if row.base is None else PressureBase(row.base),
            )
            for row in rows
            if said[row.heading] == 1
        }

    def time_units(self, shop_uid: UUID) -> dict[str, str]:
        """By logger, the unit of the times that its files do not say."""
        rows = self._session.scalars(select(LoggerHabitRow).where(LoggerHabitRow.shop_uid == shop_uid))
        return {row.logger: row.time_unit for row in rows}

    def keep_time_unit(self, shop_uid: UUID, logger: str, unit: str) -> None:
        statement = insert(LoggerHabitRow).values(shop_uid=shop_uid, logger=logger, time_unit=unit)
        self._session.execute(
            statement.on_conflict_do_update(index_elements=["shop_uid", "logger"], set_={"time_unit": unit})
        )

    def keep_meaning(self, vehicle_uid: UUID, meaning: ChannelMeaning) -> None:
        values = {**asdict(meaning), "vehicle_uid": vehicle_uid, "heading": meaning.heading.casefold()}
        statement = insert(ChannelMeaningRow).values(**values)
        self._session.execute(
            statement.on_conflict_do_update(
                index_elements=["vehicle_uid", "heading"],
                set_={name: statement.excluded[name] for name in values if name not in {"vehicle_uid", "heading"}},
            )
        )

    # A shop's own rules

    def rules(self, shop_uid: UUID) -> tuple[KeptRule, ...]:
        rows = self._session.scalars(select(RuleRow).where(RuleRow.shop_uid == shop_uid).order_by(RuleRow.name))
        return tuple(
            KeptRule(uid=r.uid, name=r.name, when=r.condition, means=r.means, check=r.follow_up, why=r.why)
            for r in rows
        )

    def add_rule(self, shop_uid: UUID, rule: KeptRule) -> None:
        self._session.add(
            RuleRow(
                uid=rule.uid,
                shop_uid=shop_uid,
                name=rule.name,
                condition=rule.when,
                means=rule.means,
                follow_up=rule.check,
                why=rule.why,
            )
        )
        self._session.flush()

    def remove_rule(self, shop_uid: UUID, uid: UUID) -> None:
        own = (RuleRow.uid == uid, RuleRow.shop_uid == shop_uid)
        if self._session.scalar(delete(RuleRow).where(*own).returning(RuleRow.uid)) is None:
            raise NotFoundError("rule", str(uid))

    # Normals

    def normal_readings(self, vehicle_uid: UUID) -> tuple[KeptReading, ...]:
        """Every reading of what is usual for a vehicle, the oldest first."""
        rows = self._session.scalars(
            select(NormalReadingRow)
            .where(NormalReadingRow.vehicle_uid == vehicle_uid)
            .order_by(NormalReadingRow.taken_at, NormalReadingRow.uid)
        )
        return tuple(
            KeptReading(
                channel=row.channel,
                condition=row.condition,
                value=row.value,
                unit=row.unit,
                at_least=row.at_least,
                taken_at=row.taken_at,
                log_uid=row.log_uid,
                job_uid=row.job_uid,
                uid=row.uid,
            )
            for row in rows
        )

    def engine_fittings(self) -> tuple[EngineFitting, ...]:
        """Every engine that was fitted, the oldest first."""
        rows = self._session.scalars(
            select(EngineFittingRow).order_by(EngineFittingRow.fitted_at, EngineFittingRow.uid)
        )
        return tuple(
            EngineFitting(uid=row.uid, vehicle_uid=row.vehicle_uid, engine=row.engine, fitted_at=row.fitted_at)
            for row in rows
        )

    def add_engine_fitting(self, fitting: EngineFitting) -> None:
        self._session.add(EngineFittingRow(**asdict(fitting)))
        self._session.flush()

    def drop_engine_fitting(self, uid: UUID) -> None:
        self._session.execute(delete(EngineFittingRow).where(EngineFittingRow.uid == uid))

    def add_normal_readings(self, vehicle_uid: UUID, readings: Sequence[KeptReading]) -> None:
        self._session.add_all(
            NormalReadingRow(vehicle_uid=vehicle_uid, **asdict(reading) | {"uid": reading.uid or uuid4()})
            for reading in readings
        )
        self._session.flush()

    def drop_normal_reading(self, uid: UUID) -> None:
        """Forget one reading."""
        self._session.execute(delete(NormalReadingRow).where(NormalReadingRow.uid == uid))

    def drop_normal_readings(self, log_uid: UUID) -> None:
        self._session.execute(delete(NormalReadingRow).where(NormalReadingRow.log_uid == log_uid))
