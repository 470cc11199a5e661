"""The tables of pulse checks and captured waveforms. Triggers of migration 0004 keep what was recorded."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import CheckConstraint, ForeignKey, LargeBinary, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.record import PulseKind
from irongauge.store.models import Base, length, one_of

__all__ = ["CapturePieceRow", "CaptureRow", "CaptureWaitingRow", "PulseCheckRow"]


class PulseCheckRow(Base):
    """A check of a sensor's pulses, with what it found; append-only (a trigger). The newest of a kind counts."""

    __tablename__ = "pulse_check"
    __table_args__ = (
        one_of("kind", PulseKind),
        one_of("mark", Mark),
        length("finding", 200, 1),
        length("sentence", 2000),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"), index=True)
    kind: Mapped[str]
    mark: Mapped[str]
    finding: Mapped[str]
    sentence: Mapped[str]
    given: Mapped[dict[str, Any]] = mapped_column(JSONB)
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    taken_at: Mapped[datetime]


class CaptureRow(Base):
    """A captured waveform with its samples. Those are stored uncompressed, so that a stretch is read without the rest.

    `signal` are 32-bit floats in V, `overview` pairs of them, the least and greatest of every 64; `times` and `overview_times`
    are 64-bit floats in s, there only where the samples do not come evenly. All are little-endian.
    """

    __tablename__ = "capture"
    __table_args__ = (
        length("name", 120, 1),
        length("note", 400),
        CheckConstraint("samples BETWEEN 8 AND 5000000", name="samples_possible"),
        CheckConstraint("seconds > 0 AND step_s > 0", name="times_possible"),
        CheckConstraint("teeth BETWEEN 2 AND 1000", name="teeth_possible"),
        CheckConstraint("gap_teeth BETWEEN 0 AND 20", name="gap_teeth_possible"),
        CheckConstraint("pull_up_v > 0 AND pull_up_v <= 32", name="pull_up_v_possible"),
        CheckConstraint("shunt_ohm > 0 AND shunt_ohm <= 10000", name="shunt_ohm_possible"),
        CheckConstraint("octet_length(signal) = 4 * samples", name="signal_whole"),
        CheckConstraint("(step_s IS NULL) = (octet_length(times) = 8 * samples)", name="times_where_uneven"),
        CheckConstraint("kept_uid IS NULL OR circuit_uid IS NOT NULL", name="kept_with_circuit"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"), index=True)
    circuit_uid: Mapped[UUID | None] = mapped_column(ForeignKey("circuit.uid"), index=True)
    kept_uid: Mapped[UUID | None] = mapped_column(ForeignKey("pulse_check.uid"), index=True)
    name: Mapped[str]
    note: Mapped[str]
    samples: Mapped[int]
    seconds: Mapped[float]
    step_s: Mapped[float | None]
    teeth: Mapped[int | None]
    gap_teeth: Mapped[int | None]
    pull_up_v: Mapped[float | None]
    shunt_ohm: Mapped[float | None]
    angles_deg: Mapped[list[float]] = mapped_column(JSONB, server_default=text("'[]'"))
    examination: Mapped[dict[str, Any]] = mapped_column(JSONB)
    taken_at: Mapped[datetime]
    signal: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    overview: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    times: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    overview_times: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class CaptureWaitingRow(Base):
    """A large capture's file until a worker has read it; `refused` says why it never will be."""

    __tablename__ = "capture_waiting"
    __table_args__ = (
        length("name", 120, 1),
        length("doing", 300),
        length("refused", 600),
        CheckConstraint("share BETWEEN 0 AND 1", name="share_possible"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    given: Mapped[dict[str, Any]] = mapped_column(JSONB)
    doing: Mapped[str]
    share: Mapped[float]
    refused: Mapped[str]
    added_at: Mapped[datetime]


class CapturePieceRow(Base):
    """A piece of a waiting capture's file, in order."""

    __tablename__ = "capture_piece"

    capture_uid: Mapped[UUID] = mapped_column(ForeignKey("capture_waiting.uid", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True)
    content: Mapped[bytes] = mapped_column(LargeBinary)
