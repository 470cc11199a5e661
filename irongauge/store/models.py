"""The tables. What must always be true stands here as a constraint, not only in Python.

Readings are append-only (a trigger of the first migration refuses UPDATE and DELETE). A test point's readings form one chain:
the first supersedes nothing (partial unique index) and each is superseded at most once (unique), so two tabs can never
both be "the" reading of a test point.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, time
from typing import Any
from uuid import UUID

from sqlalchemy import (
    CheckConstraint,
    Computed,
    DateTime,
    ForeignKey,
    ForeignKeyConstraint,
    Identity,
    Index,
    MetaData,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.measure.entry import NO_DATA, OVER_RANGE, VOLTAGE_PRESENT
from irongauge.core.measure.quantities import Glow, SupersedeReason, VehicleState
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.people.roles import Role as RoleInShop
from irongauge.core.plan.joints import Joint
from irongauge.core.sensors.circuits import InstrumentKind, Role
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.sensors.transfer import OF_A_SENSOR

__all__ = [
    "Base",
    "CircuitRow",
    "InstrumentRow",
    "JobRow",
    "PinRow",
    "ReadingRow",
    "SensorTypeRow",
    "ShopRow",
    "StimulusRow",
    "TechnicianRow",
    "VehicleRow",
    "VerdictRow",
    "finite",
    "length",
    "one_of",
]

PAPERS = ("a4", "letter")
NAMING = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {datetime: DateTime(timezone=True)}  # noqa: RUF012  SQLAlchemy reads it as declared


def one_of(column: str, words: Iterable[str]) -> CheckConstraint:
    listed = ", ".join(f"'{word}'" for word in words)
    return CheckConstraint(f"{column} IN ({listed})", name=f"{column}_known")


def length(column: str, longest: int, shortest: int = 0) -> CheckConstraint:
    return CheckConstraint(f"char_length({column}) BETWEEN {shortest} AND {longest}", name=f"{column}_length")


def finite(column: str) -> CheckConstraint:
    # NaN sorts above infinity in PostgreSQL, so one comparison on each side refuses all three.
    return CheckConstraint(f"{column} > '-Infinity' AND {column} < 'Infinity'", name=f"{column}_finite")


def _unique_name(table: str) -> Index:
    """No two things in use have one name; what was replaced keeps its own."""
    return Index(
        f"uq_{table}_shop_uid_name", "shop_uid", "name", unique=True, postgresql_where=text("replaced_by_uid IS NULL")
    )


class ShopRow(Base):
    __tablename__ = "shop"
    __table_args__ = (
        length("name", 80, 1),
        CheckConstraint("height_m BETWEEN -500 AND 9000", name="height_m_possible"),
        one_of("joint_school", Joint),
        one_of("paper", PAPERS),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str]
    height_m: Mapped[float]
    timezone: Mapped[str]
    units: Mapped[dict[str, str]] = mapped_column(JSONB)
    limits: Mapped[dict[str, float]] = mapped_column(JSONB)
    joint_school: Mapped[str | None]
    hours: Mapped[list[list[int]] | None] = mapped_column(JSONB(none_as_null=True))
    tools: Mapped[dict[str, int] | None] = mapped_column(JSONB(none_as_null=True))
    paper: Mapped[str] = mapped_column(server_default=text("'a4'"))
    foreman_alone: Mapped[bool] = mapped_column(server_default=text("false"))
    made_at: Mapped[datetime] = mapped_column(server_default=text("now()"))


class TechnicianRow(Base):
    __tablename__ = "technician"
    __table_args__ = (length("name", 80, 1), one_of("role", RoleInShop), UniqueConstraint("shop_uid", "name"))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    hours: Mapped[list[list[int]] | None] = mapped_column(JSONB(none_as_null=True))
    role: Mapped[str] = mapped_column(server_default=text("'technician'"))
    has_left: Mapped[bool] = mapped_column(server_default=text("false"))


class InstrumentRow(Base):
    __tablename__ = "instrument"
    __table_args__ = (
        length("name", 80, 1),
        length("serial", 80),
        length("address", 120),
        one_of("kind", InstrumentKind),
        CheckConstraint(
            "(kind = 'meter') = (reading_pct IS NOT NULL AND digits IS NOT NULL AND counts IS NOT NULL)",
            name="meter_spec",
        ),
        CheckConstraint(
            "(kind = 'gauge') = (full_scale IS NOT NULL AND full_scale_pct IS NOT NULL AND quantity IS NOT NULL)",
            name="gauge_spec",
        ),
        one_of("quantity", Quantity),
        CheckConstraint("reading_pct >= 0 AND digits >= 0 AND counts >= 1000", name="meter_possible"),
        CheckConstraint("full_scale > 0 AND full_scale_pct >= 0", name="gauge_possible"),
        CheckConstraint("replaced_by_uid <> uid", name="not_by_itself"),
        _unique_name("instrument"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    kind: Mapped[str]
    name: Mapped[str]
    serial: Mapped[str]
    reading_pct: Mapped[float | None]
    digits: Mapped[float | None]
    counts: Mapped[int | None]
    quantity: Mapped[str | None]
    full_scale: Mapped[float | None]
    full_scale_pct: Mapped[float | None]
    address: Mapped[str] = mapped_column(server_default=text("''"))
    due: Mapped[date | None]
    replaced_by_uid: Mapped[UUID | None] = mapped_column(
        ForeignKey("instrument.uid", deferrable=True, initially="DEFERRED")
    )


class SensorTypeRow(Base):
    __tablename__ = "sensor_type"
    __table_args__ = (
        length("name", 80, 1),
        length("maker", 80),
        length("source", 200),
        one_of("family", Family),
        one_of("curve_kind", OF_A_SENSOR),
        one_of("quantity", Quantity),
        one_of("pressure_base", PressureBase),
        CheckConstraint("(quantity = 'pressure') = (pressure_base IS NOT NULL)", name="pressure_has_base"),
        CheckConstraint("signal_low <> signal_high AND value_low < value_high", name="curve_not_flat"),
        CheckConstraint(
            "(curve_kind IS NULL) = (quantity IS NULL) AND (curve_kind IS NULL) = (signal_low IS NULL) "
            "AND (curve_kind IS NULL) = (signal_high IS NULL) AND (curve_kind IS NULL) = (value_low IS NULL) "
            "AND (curve_kind IS NULL) = (value_high IS NULL)",
            name="curve_whole",
        ),
        CheckConstraint("supply_v > 0 AND supply_v <= 32", name="supply_v_possible"),
        CheckConstraint("tolerance_pct_span > 0 AND tolerance_pct_span <= 50", name="tolerance_possible"),
        finite("signal_low"),
        finite("signal_high"),
        finite("value_low"),
        finite("value_high"),
        CheckConstraint("fault_low_v < fault_high_v", name="fault_volts_apart"),
        CheckConstraint("bears_low_degc < bears_high_degc", name="temperatures_apart"),
        finite("bears_low_degc"),
        finite("bears_high_degc"),
        finite("overpressure_kpa"),
        CheckConstraint("replaced_by_uid <> uid", name="not_by_itself"),
        _unique_name("sensor_type"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    maker: Mapped[str]
    family: Mapped[str]
    supply_v: Mapped[float]
    curve_kind: Mapped[str | None]
    quantity: Mapped[str | None]
    pressure_base: Mapped[str | None]
    signal_low: Mapped[float | None]
    signal_high: Mapped[float | None]
    value_low: Mapped[float | None]
    value_high: Mapped[float | None]
    tolerance_pct_span: Mapped[float]
    source: Mapped[str]
    # The figures of a family's own kind, by name: a thermistor's, a coil's, a frequency curve's.
    element: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    # Every point of a table as [signal, value]; none for a straight line, whose ends stand above.
    curve_points: Mapped[list[list[float]] | None] = mapped_column(JSONB(none_as_null=True))
    fault_low_v: Mapped[float | None]
    fault_high_v: Mapped[float | None]
    bears_low_degc: Mapped[float | None]
    bears_high_degc: Mapped[float | None]
    overpressure_kpa: Mapped[float | None]
    # A change on the Shelf is a new row; what was measured with the old one goes on naming it.
    replaced_by_uid: Mapped[UUID | None] = mapped_column(
        ForeignKey("sensor_type.uid", deferrable=True, initially="DEFERRED")
    )


class VehicleRow(Base):
    __tablename__ = "vehicle"
    __table_args__ = (
        length("tag", 20, 1),
        length("description", 120),
        CheckConstraint("system_v IN (12, 24)", name="system_v_known"),
        CheckConstraint("height_m BETWEEN -500 AND 9000", name="height_m_possible"),
        CheckConstraint("batteries BETWEEN 1 AND 8", name="batteries_possible"),
        UniqueConstraint("shop_uid", "tag"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    tag: Mapped[str]
    description: Mapped[str]
    system_v: Mapped[float]
    height_m: Mapped[float]
    batteries: Mapped[int | None]


class JobRow(Base):
    __tablename__ = "job"
    __table_args__ = (
        length("title", 120, 1),
        CheckConstraint("promised_on >= received_on", name="promised_after_received"),
        CheckConstraint("(handed_over_at IS NULL) = (reviewed_by_uid IS NULL)", name="hand_over_reviewed"),
        CheckConstraint("NOT is_practice OR handed_over_at IS NULL", name="practice_not_handed_over"),
        CheckConstraint("NOT reviewed_alone OR handed_over_at IS NOT NULL", name="alone_reviewed"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(Identity(start=1001), unique=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    title: Mapped[str]
    received_on: Mapped[date]
    promised_on: Mapped[date]
    promised_by: Mapped[time | None]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    handed_over_at: Mapped[datetime | None]
    reviewed_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    reviewed_alone: Mapped[bool] = mapped_column(server_default=text("false"))
    is_practice: Mapped[bool]
    goes_first: Mapped[bool] = mapped_column(server_default=text("false"))

    vehicle: Mapped[VehicleRow] = relationship(lazy="joined", innerjoin=True)
    technician: Mapped[TechnicianRow] = relationship(foreign_keys=[technician_uid], lazy="joined", innerjoin=True)
    reviewed_by: Mapped[TechnicianRow | None] = relationship(foreign_keys=[reviewed_by_uid], lazy="joined")


class PinRow(Base):
    __tablename__ = "pin"
    __table_args__ = (
        length("cavity", 4, 1),
        length("wire_colour", 24),
        one_of("role", Role),
        UniqueConstraint("circuit_uid", "place"),
        UniqueConstraint("circuit_uid", "role"),
    )

    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"), primary_key=True)
    cavity: Mapped[str] = mapped_column(primary_key=True)
    place: Mapped[int]
    wire_colour: Mapped[str]
    role: Mapped[str | None]


class StimulusRow(Base):
    __tablename__ = "stimulus"
    __table_args__ = (
        length("label", 40, 1),
        finite("value"),
        finite("temperature_degc"),
        CheckConstraint("point BETWEEN 0 AND 9", name="point_few"),
    )

    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"), primary_key=True)
    point: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    label: Mapped[str]
    value: Mapped[float | None]
    temperature_degc: Mapped[float | None]


class CircuitRow(Base):
    __tablename__ = "circuit"
    __table_args__ = (
        length("name", 80, 1),
        length("live_channel", 40),
        length("sharers", 200),
        length("controller", 60),
        length("retired_why", 200),
        finite("reader_least"),
        finite("reader_most"),
        finite("reader_fault_value"),
        CheckConstraint("reader_least < reader_most", name="reader_ends_rise"),
        one_of("family", Family),
        CheckConstraint("reference_v > 0 AND reference_v <= 32", name="reference_v_possible"),
        CheckConstraint("live_full_scale_v > 0 AND live_full_scale_v <= 32", name="full_scale_possible"),
        CheckConstraint("(pull_up_ohm IS NULL) = (pull_up_to_v IS NULL)", name="pull_up_whole"),
        CheckConstraint("pull_up_ohm > 0 AND pull_up_to_v > 0", name="pull_up_possible"),
        CheckConstraint(
            "(temperature_pull_up_ohm IS NULL) = (temperature_pull_up_to_v IS NULL)", name="temperature_pull_up_whole"
        ),
        CheckConstraint(
            "temperature_pull_up_ohm > 0 AND temperature_pull_up_to_v > 0", name="temperature_pull_up_possible"
        ),
        CheckConstraint("(family = 'current-loop-2w') = (shunt_ohm IS NOT NULL)", name="loop_has_shunt"),
        CheckConstraint("shunt_ohm > 0 AND shunt_ohm < 'Infinity'", name="shunt_possible"),
        one_of("part_of", PartOf),
        UniqueConstraint("job_uid", "name"),
        UniqueConstraint("job_uid", "place"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    place: Mapped[int]
    name: Mapped[str]
    family: Mapped[str]
    reference_v: Mapped[float]
    pull_up_ohm: Mapped[float | None]
    pull_up_to_v: Mapped[float | None]
    sensor_type_uid: Mapped[UUID] = mapped_column(ForeignKey("sensor_type.uid"))
    live_channel: Mapped[str]
    retired_why: Mapped[str]
    live_full_scale_v: Mapped[float]
    sharers: Mapped[str]
    temperature_pull_up_ohm: Mapped[float | None]
    temperature_pull_up_to_v: Mapped[float | None]
    battery_fed: Mapped[bool] = mapped_column(server_default=text("false"))
    differential: Mapped[bool] = mapped_column(server_default=text("false"))
    shielded: Mapped[bool] = mapped_column(server_default=text("false"))
    unpulled: Mapped[bool] = mapped_column(server_default=text("false"))
    controller: Mapped[str] = mapped_column(server_default=text("''"))
    reader_shows_signal: Mapped[bool] = mapped_column(server_default=text("true"))
    reader_shows_value: Mapped[bool] = mapped_column(server_default=text("true"))
    reader_least: Mapped[float | None]
    reader_most: Mapped[float | None]
    reader_fault_value: Mapped[float | None]
    shunt_ohm: Mapped[float | None]
    unreadable: Mapped[list[list[str]]] = mapped_column(JSONB, server_default=text("'[]'"))
    part_of: Mapped[str] = mapped_column(server_default=text("'not told'"))
    to_wire: Mapped[bool] = mapped_column(server_default=text("false"))

    sensor: Mapped[SensorTypeRow] = relationship(lazy="joined", innerjoin=True)
    # Three pins and two stimuli make six joined rows a circuit: less work than two more queries.
    pins: Mapped[list[PinRow]] = relationship(order_by=PinRow.place, lazy="joined", cascade="all, delete-orphan")
    stimuli: Mapped[list[StimulusRow]] = relationship(
        order_by=StimulusRow.point, lazy="joined", cascade="all, delete-orphan"
    )


class VerdictRow(Base):
    """What was last concluded of a circuit, and a digest of all that it follows from."""

    __tablename__ = "verdict"
    __table_args__ = (
        one_of("level", VerdictLevel),
        CheckConstraint("char_length(facts) = 64", name="facts_whole"),
    )

    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid", ondelete="CASCADE"), primary_key=True)
    facts: Mapped[str]
    level: Mapped[str]
    headline: Mapped[str]
    detail: Mapped[str]


def _words_allowed() -> str:
    """Which words each action may be answered in."""
    allowed: dict[tuple[str, ...], list[str]] = {}
    for spec in ACTIONS.values():
        if spec.answer is AnswerKind.GLOW:
            words = tuple(str(glow) for glow in Glow)
        elif spec.answer is AnswerKind.OHMS:
            words = (OVER_RANGE, VOLTAGE_PRESENT)
        elif spec.from_live_data:
            words = (NO_DATA,)
        else:
            words = tuple(word for word, _ in spec.words)
        if words:
            allowed.setdefault(words, []).append(spec.action)
    parts = [
        f"word IN ({', '.join(map(repr, words))}) AND action IN ({', '.join(repr(str(a)) for a in actions)})"
        for words, actions in allowed.items()
    ]
    return " OR ".join(["word IS NULL", *parts])


_WORDS = _words_allowed()


class ReadingRow(Base):
    __tablename__ = "reading"
    __table_args__ = (
        one_of("action", Action),
        one_of("state", VehicleState),
        one_of("reason", SupersedeReason),
        length("typed", 300),
        length("read_off", 200),
        length("overdue_why", 200),
        length("place", 60),
        CheckConstraint("(place = '') = (way_share IS NULL)", name="way_has_share"),
        CheckConstraint("way_share BETWEEN 0 AND 1", name="way_share_possible"),
        CheckConstraint("(value IS NULL) <> (word IS NULL)", name="value_or_word"),
        CheckConstraint("(value IS NULL) = (unit IS NULL)", name="value_has_unit"),
        CheckConstraint(
            _WORDS,
            name="word_known",
        ),
        finite("value"),
        finite("stimulus_value"),
        CheckConstraint("(supersedes_uid IS NULL) = (reason IS NULL)", name="supersedes_says_why"),
        CheckConstraint("supersedes_uid <> uid", name="not_itself"),
        ForeignKeyConstraint(["circuit_uid", "cavity"], ["pin.circuit_uid", "pin.cavity"], name="fk_reading_pin"),
        ForeignKeyConstraint(
            ["circuit_uid", "point"], ["stimulus.circuit_uid", "stimulus.point"], name="fk_reading_stimulus"
        ),
        UniqueConstraint("uid", "circuit_uid", "slot"),
        ForeignKeyConstraint(
            ["supersedes_uid", "circuit_uid", "slot"],
            ["reading.uid", "reading.circuit_uid", "reading.slot"],
            name="fk_reading_supersedes_same_slot",
        ),
        UniqueConstraint("supersedes_uid"),
        Index(
            "uq_reading_first_of_slot",
            "circuit_uid",
            "slot",
            unique=True,
            postgresql_where=text("supersedes_uid IS NULL"),
        ),
        Index("ix_reading_circuit_uid_taken_at", "circuit_uid", "taken_at"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    circuit_uid: Mapped[UUID] = mapped_column(ForeignKey("circuit.uid"))
    action: Mapped[str]
    cavity: Mapped[str | None]
    point: Mapped[int | None]
    place: Mapped[str] = mapped_column(server_default=text("''"))
    read_off: Mapped[str] = mapped_column(server_default=text("''"))
    overdue_why: Mapped[str] = mapped_column(server_default=text("''"))
    way_share: Mapped[float | None]
    slot: Mapped[str] = mapped_column(
        Computed(
            "action || ':' || coalesce(cavity, '') || ':' || coalesce(point::text, '') || "
            "CASE WHEN place = '' THEN '' ELSE '@' || place END",
            persisted=True,
        )
    )
    value: Mapped[float | None]
    word: Mapped[str | None]
    unit: Mapped[str | None]
    state: Mapped[str]
    typed: Mapped[str]
    stimulus_value: Mapped[float | None]
    instrument_uid: Mapped[UUID | None] = mapped_column(ForeignKey("instrument.uid"))
    stimulus_instrument_uid: Mapped[UUID | None] = mapped_column(ForeignKey("instrument.uid"))
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    taken_at: Mapped[datetime]
    supersedes_uid: Mapped[UUID | None]
    reason: Mapped[str | None]
