"""The tables of calibrations, cross-checks and controller entries. Triggers of migration 0003 keep what was recorded."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import CheckConstraint, ForeignKey, ForeignKeyConstraint, Index, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Manner, PointReason, Stage
from irongauge.core.controllers.cross_checks import CheckKind
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import PressureBase
from irongauge.store.models import Base, SensorTypeRow, finite, length, one_of

__all__ = ["CalibrationPointRow", "CalibrationRow", "ControllerEntryRow", "CrossCheckRow"]


class CalibrationRow(Base):
    """A calibration's set-up and signature. A trigger refuses any change once it is signed, and its removal at all."""

    __tablename__ = "calibration"
    __table_args__ = (
        length("serial", 80),
        length("remark", 400),
        one_of("stage", Stage),
        one_of("manner", Manner),
        one_of("stimulus_base", PressureBase),
        CheckConstraint("reference_v > 0 AND reference_v <= 32", name="reference_v_possible"),
        CheckConstraint("pull_up_ohm > 0", name="pull_up_ohm_possible"),
        CheckConstraint("shunt_ohm > 0 AND shunt_ohm < 'Infinity'", name="shunt_ohm_possible"),
        CheckConstraint("pull_up_v > 0 AND pull_up_v <= 32", name="pull_up_v_possible"),
        CheckConstraint("atmosphere_kpa BETWEEN 30 AND 120", name="atmosphere_possible"),
        CheckConstraint("(signed_at IS NULL) = (signed_by_uid IS NULL)", name="signed_by_someone"),
        CheckConstraint("supersedes_uid <> uid", name="not_itself"),
        UniqueConstraint("supersedes_uid"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"), index=True)
    circuit_uid: Mapped[UUID | None] = mapped_column(ForeignKey("circuit.uid"), index=True)
    sensor_type_uid: Mapped[UUID] = mapped_column(ForeignKey("sensor_type.uid"))
    channel: Mapped[str]
    stage: Mapped[str]
    manner: Mapped[str]
    plan: Mapped[list[list[Any]]] = mapped_column(JSONB)
    serial: Mapped[str]
    meter_uid: Mapped[UUID | None] = mapped_column(ForeignKey("instrument.uid"))
    gauge_uid: Mapped[UUID | None] = mapped_column(ForeignKey("instrument.uid"))
    reference_v: Mapped[float | None]
    reference_each: Mapped[bool]
    pull_up_ohm: Mapped[float | None]
    shunt_ohm: Mapped[float | None]
    pull_up_v: Mapped[float]
    stimulus_base: Mapped[str | None]
    atmosphere_kpa: Mapped[float]
    atmosphere_measured: Mapped[bool]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    started_at: Mapped[datetime]
    signed_at: Mapped[datetime | None]
    signed_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    remark: Mapped[str]
    supersedes_uid: Mapped[UUID | None] = mapped_column(ForeignKey("calibration.uid"))

    sensor: Mapped[SensorTypeRow] = relationship(lazy="joined", innerjoin=True)


class CalibrationPointRow(Base):
    """A point; append-only, and none is added to a signed calibration (triggers)."""

    __tablename__ = "calibration_point"
    __table_args__ = (
        one_of("run", Run),
        one_of("reason", PointReason),
        length("typed_stimulus", 80),
        length("typed_reading", 80),
        length("left_out", 200),
        finite("stimulus"),
        finite("reading"),
        CheckConstraint("place BETWEEN 0 AND 999", name="place_few"),
        CheckConstraint("reference_v > 0 AND reference_v <= 32", name="reference_v_possible"),
        CheckConstraint("stimulus_step >= 0", name="stimulus_step_possible"),
        CheckConstraint("(supersedes_uid IS NULL) = (reason IS NULL)", name="supersedes_says_why"),
        CheckConstraint("supersedes_uid <> uid", name="not_itself"),
        UniqueConstraint("uid", "calibration_uid", "place"),
        ForeignKeyConstraint(
            ["supersedes_uid", "calibration_uid", "place"],
            ["calibration_point.uid", "calibration_point.calibration_uid", "calibration_point.place"],
            name="fk_calibration_point_supersedes_same_place",
        ),
        UniqueConstraint("supersedes_uid"),
        Index(
            "uq_calibration_point_first_of_place",
            "calibration_uid",
            "place",
            unique=True,
            postgresql_where=text("supersedes_uid IS NULL"),
        ),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    calibration_uid: Mapped[UUID] = mapped_column(ForeignKey("calibration.uid"), index=True)
    place: Mapped[int]
    run: Mapped[str]
    stimulus: Mapped[float]
    reading: Mapped[float]
    reference_v: Mapped[float | None]
    stimulus_step: Mapped[float]
    typed_stimulus: Mapped[str]
    typed_reading: Mapped[str]
    taken_at: Mapped[datetime]
    supersedes_uid: Mapped[UUID | None]
    reason: Mapped[str | None]
    left_out: Mapped[str]


class CrossCheckRow(Base):
    """A check of one thing against another, with what it found; append-only (a trigger)."""

    __tablename__ = "cross_check"
    __table_args__ = (
        one_of("kind", CheckKind),
        one_of("mark", Mark),
        length("sentence", 600),
        length("cause", 600),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"), index=True)
    kind: Mapped[str]
    given: Mapped[dict[str, Any]] = mapped_column(JSONB)
    mark: Mapped[str]
    finding: Mapped[str]
    sentence: Mapped[str]
    cause: Mapped[str]
    difference: Mapped[float | None]
    expanded_u: Mapped[float | None]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    taken_at: Mapped[datetime]


class ControllerEntryRow(Base):
    """An entry in a controller that uses a circuit's sensor, as it was last read there; append-only (a trigger).

    The latest of one circuit and name counts; one without figures says that the entry is no longer there.
    """

    __tablename__ = "controller_entry"
    __table_args__ = (length("name", 80, 1), one_of("base", PressureBase))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"), index=True)
    name: Mapped[str]
    figures: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    unit: Mapped[str]
    base: Mapped[str | None]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    entered_at: Mapped[datetime]
