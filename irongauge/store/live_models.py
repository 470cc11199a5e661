"""The tables of live data: ways onto a bus, what they told of late, recordings, requests, trouble codes."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index, LargeBinary, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.core.live.codes import CodesWhen
from irongauge.core.live.record import BusAsked
from irongauge.store.models import Base, length, one_of

__all__ = ["BusPortRow", "BusRequestRow", "CodeReadingRow", "LiveRecordingRow", "LiveSampleRow"]


class BusPortRow(Base):
    """A way onto a bus. `wanted_until` is how long somebody looks: it is left alone after that; `wired` counts its changes."""

    __tablename__ = "bus_port"
    __table_args__ = (
        length("name", 60, 1),
        length("interface", 20, 1),
        length("channel", 60, 1),
        length("frames_name", 120),
        length("trouble", 300),
        CheckConstraint("bitrate BETWEEN 10000 AND 8000000", name="bitrate_possible"),
        UniqueConstraint("shop_uid", "name"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    interface: Mapped[str]
    channel: Mapped[str]
    bitrate: Mapped[int]
    vehicle_uid: Mapped[UUID | None] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    frames_name: Mapped[str]
    frames: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    is_simulated: Mapped[bool]
    wired: Mapped[int] = mapped_column(server_default=text("0"))
    memory: Mapped[dict[str, Any]] = mapped_column(JSONB)
    acts: Mapped[dict[str, str]] = mapped_column(JSONB)
    acted_at: Mapped[datetime | None]
    watched: Mapped[list[Any]] = mapped_column(JSONB)
    channels: Mapped[list[Any]] = mapped_column(JSONB)
    heard_at: Mapped[datetime | None]
    trouble: Mapped[str]
    wanted_until: Mapped[datetime | None]


class LiveSampleRow(Base):
    """What a bus told at a moment, by the names of its channels. Kept for some minutes, and as long as it is recorded."""

    __tablename__ = "live_sample"
    __table_args__ = (Index("ix_live_sample_port", "port_uid", "number"),)

    number: Mapped[int] = mapped_column(BigInteger, Identity(always=True), primary_key=True)
    port_uid: Mapped[UUID] = mapped_column(ForeignKey("bus_port.uid", ondelete="CASCADE"))
    at: Mapped[datetime]
    told: Mapped[dict[str, float]] = mapped_column(JSONB)


class LiveRecordingRow(Base):
    """A recording that runs, or has been made a log of the same identity."""

    __tablename__ = "live_recording"
    __table_args__ = (
        CheckConstraint("ended_at >= begun_at", name="ended_after"),
        Index("uq_live_recording_open", "port_uid", unique=True, postgresql_where=text("ended_at IS NULL")),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    port_uid: Mapped[UUID] = mapped_column(ForeignKey("bus_port.uid", ondelete="CASCADE"))
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"))
    technician_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    begun_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class BusRequestRow(Base):
    """Codes that are to be read or cleared by whoever holds the bus."""

    __tablename__ = "bus_request"
    __table_args__ = (
        one_of("asked", BusAsked),
        length("trouble", 300),
        Index("ix_bus_request_open", "port_uid", postgresql_where=text("done_at IS NULL")),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    port_uid: Mapped[UUID] = mapped_column(ForeignKey("bus_port.uid", ondelete="CASCADE"))
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    asked: Mapped[str]
    asked_at: Mapped[datetime]
    done_at: Mapped[datetime | None]
    trouble: Mapped[str]


class CodeReadingRow(Base):
    """Trouble codes as they were at a moment. Added, never changed."""

    __tablename__ = "code_reading"
    __table_args__ = (
        one_of("reason", CodesWhen),
        length("source", 120, 1),
        length("frozen_code", 5),
        Index("ix_code_reading_job", "job_uid", "taken_at"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    taken_at: Mapped[datetime]
    technician_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    source: Mapped[str]
    reason: Mapped[str]
    stored: Mapped[list[str]] = mapped_column(JSONB)
    pending: Mapped[list[str]] = mapped_column(JSONB)
    permanent: Mapped[list[str]] = mapped_column(JSONB, server_default=text("'[]'"))
    not_told: Mapped[list[str]] = mapped_column(JSONB, server_default=text("'[]'"))
    frozen_code: Mapped[str]
    frozen: Mapped[dict[str, float]] = mapped_column(JSONB)
    told: Mapped[dict[str, float]] = mapped_column(JSONB)
