"""The tables of recorded logs: the file until it is read, channels with their values, what headings mean, rules, normals."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import CheckConstraint, ForeignKey, Index, LargeBinary, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.core.measure.units import PressureBase
from irongauge.core.traces.record import LogState
from irongauge.core.traces.senses import Sense
from irongauge.store.models import Base, finite, length, one_of

__all__ = ["ChannelMeaningRow", "LogChannelRow", "LogPieceRow", "LogRow", "LogTimesRow", "NormalReadingRow", "RuleRow"]


_TIME_UNITS = "('', 's', 'ms', 'µs', 'min')"


class LogRow(Base):
    """A log, from the moment its file was handed in; `digest` is its file's SHA-256, `logger` tells the loggers' ways of writing
    apart, `taken_unit` is that of times which the file does not say.
    """

    __tablename__ = "log"
    __table_args__ = (
        length("name", 120, 1),
        length("note", 1000),
        length("doing", 300),
        one_of("state", LogState),
        CheckConstraint("share BETWEEN 0 AND 1", name="share_possible"),
        CheckConstraint("seconds >= 0", name="seconds_possible"),
        Index("ix_log_vehicle", "vehicle_uid", "added_at"),
        Index("ix_log_digest", "digest"),
        Index("ix_log_logger", "logger"),
        CheckConstraint(f"taken_unit IN {_TIME_UNITS}", name="taken_unit_known"),
        CheckConstraint("well_until_s > well_from_s", name="well_stretch"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"))
    job_uid: Mapped[UUID | None] = mapped_column(ForeignKey("job.uid"), index=True)
    name: Mapped[str]
    note: Mapped[str]
    state: Mapped[str]
    doing: Mapped[str]
    share: Mapped[float]
    seconds: Mapped[float]
    started_at: Mapped[datetime | None]
    added_at: Mapped[datetime]
    technician_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    is_well: Mapped[bool]
    given: Mapped[dict[str, Any]] = mapped_column(JSONB)
    findings: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    digest: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    logger: Mapped[str] = mapped_column(server_default="")
    taken_unit: Mapped[str] = mapped_column(server_default="")
    well_from_s: Mapped[float | None]
    well_until_s: Mapped[float | None]


class LogPieceRow(Base):
    """A piece of a log's file, in order, until it is read; `part` 0 is the log itself, 1 the description of its bus."""

    __tablename__ = "log_piece"
    __table_args__ = (CheckConstraint("part IN (0, 1)", name="part_known"),)

    log_uid: Mapped[UUID] = mapped_column(ForeignKey("log.uid", ondelete="CASCADE"), primary_key=True)
    part: Mapped[int] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)


class LogTimesRow(Base):
    """Times that channels share, stored uncompressed: 64-bit floats in s, and every 64th of them; none where they come evenly."""

    __tablename__ = "log_times"
    __table_args__ = (
        CheckConstraint("rows > 0", name="rows_possible"),
        CheckConstraint("(step_s IS NULL) = (octet_length(times) = 8 * rows)", name="times_where_uneven"),
    )

    log_uid: Mapped[UUID] = mapped_column(ForeignKey("log.uid", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    rows: Mapped[int]
    begin_s: Mapped[float]
    step_s: Mapped[float | None]
    times: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    overview_times: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class LogChannelRow(Base):
    """A channel's values as its file has them, uncompressed: 32-bit floats, and the least and greatest of every 64."""

    __tablename__ = "log_channel"
    __table_args__ = (
        length("name", 90, 1),
        length("written_unit", 20),
        length("unit", 20),
        one_of("sense", Sense),
        CheckConstraint("octet_length(content) = 4 * rows", name="content_whole"),
        finite("low"),
        finite("high"),
    )

    log_uid: Mapped[UUID] = mapped_column(ForeignKey("log.uid", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    written_unit: Mapped[str]
    unit: Mapped[str]
    quantity: Mapped[str | None]
    base: Mapped[str | None]
    sense: Mapped[str]
    circuit_uid: Mapped[UUID | None] = mapped_column(ForeignKey("circuit.uid"))
    rows: Mapped[int]
    times: Mapped[int]
    scale: Mapped[float]
    offset: Mapped[float]
    scale_below: Mapped[float | None]
    low: Mapped[float | None]
    high: Mapped[float | None]
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    overview: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class ChannelMeaningRow(Base):
    """What a heading means on a vehicle."""

    __tablename__ = "channel_meaning"
    __table_args__ = (
        length("heading", 90, 1),
        length("unit", 20),
        one_of("sense", Sense),
        one_of("base", PressureBase),
    )

    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), primary_key=True)
    heading: Mapped[str] = mapped_column(primary_key=True)
    sense: Mapped[str]
    unit: Mapped[str]
    base: Mapped[str | None]
    circuit_uid: Mapped[UUID | None] = mapped_column(ForeignKey("circuit.uid"))


class LoggerHabitRow(Base):
    """What a shop has told of files that one logger writes: the unit of their times."""

    __tablename__ = "logger_habit"
    __table_args__ = (
        length("logger", 64, 1),
        CheckConstraint(f"time_unit IN {_TIME_UNITS}", name="time_unit_known"),
    )

    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"), primary_key=True)
    logger: Mapped[str] = mapped_column(primary_key=True)
    time_unit: Mapped[str]


class RuleRow(Base):
    """A shop's own health rule."""

    __tablename__ = "health_rule"
    __table_args__ = (
        length("name", 80, 1),
        length("condition", 300, 1),
        length("means", 200, 1),
        length("follow_up", 200, 1),
        length("why", 300),
        UniqueConstraint("shop_uid", "name"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    condition: Mapped[str]
    means: Mapped[str]
    follow_up: Mapped[str]
    why: Mapped[str]


class EngineFittingRow(Base):
    """That an engine was fitted to a vehicle."""

    __tablename__ = "engine_fitting"
    __table_args__ = (length("engine", 60, 1),)

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    engine: Mapped[str]
    fitted_at: Mapped[datetime]


class NormalReadingRow(Base):
    """A reading of what is usual for a vehicle: of a log that was driven when it was well, or typed in."""

    __tablename__ = "normal_reading"
    __table_args__ = (
        length("channel", 90, 1),
        length("condition", 60, 1),
        length("unit", 20),
        finite("value"),
        Index("ix_normal_reading_vehicle", "vehicle_uid", "channel"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"))
    log_uid: Mapped[UUID | None] = mapped_column(ForeignKey("log.uid", ondelete="CASCADE"), index=True)
    job_uid: Mapped[UUID | None] = mapped_column(ForeignKey("job.uid"))
    channel: Mapped[str]
    condition: Mapped[str]
    value: Mapped[float]
    unit: Mapped[str]
    at_least: Mapped[bool]
    taken_at: Mapped[datetime]
