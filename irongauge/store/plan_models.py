"""The tables of the vehicle and its plan: modules and their inputs, what uses a value, harness, power, kit, notes, pictures."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import CheckConstraint, ForeignKey, LargeBinary, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from irongauge.core.plan.board import PullUpNeed
from irongauge.core.plan.chain import Form
from irongauge.core.plan.harness import NodeKind
from irongauge.core.plan.kit import KitKind
from irongauge.core.plan.modules import ModuleKind, Shows
from irongauge.core.plan.places import PlaceKind
from irongauge.core.sensors.licensed import PartOf
from irongauge.store.models import Base, finite, length, one_of

__all__ = [
    "FeedRow",
    "FittedModuleRow",
    "FunctionRow",
    "KitLineRow",
    "LoadRow",
    "MapRow",
    "ModuleTypeRow",
    "NodeRow",
    "PictureRow",
    "TrialRow",
    "ValuePlaceRow",
    "VehicleChangeRow",
    "VehicleNoteRow",
    "WireRow",
]


class ModuleTypeRow(Base):
    __tablename__ = "module_type"
    __table_args__ = (
        length("name", 80, 1),
        length("maker", 60),
        one_of("kind", ModuleKind),
        one_of("shows", Shows),
        UniqueConstraint("shop_uid", "name"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    maker: Mapped[str]
    kind: Mapped[str]
    shows: Mapped[str]
    pins: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)


class FittedModuleRow(Base):
    __tablename__ = "fitted_module"
    __table_args__ = (length("name", 60, 1), UniqueConstraint("vehicle_uid", "name"))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    type_uid: Mapped[UUID] = mapped_column(ForeignKey("module_type.uid"))
    name: Mapped[str]

    type: Mapped[ModuleTypeRow] = relationship(lazy="joined", innerjoin=True)


class FunctionRow(Base):
    """Something that is read on a vehicle, and the pin that it is on; two on one pin are told as a conflict, not refused."""

    __tablename__ = "input_function"
    __table_args__ = (
        length("name", 80, 1),
        one_of("pull_up", PullUpNeed),
        CheckConstraint("most_v > 0 AND most_v <= 100", name="most_v_possible"),
        CheckConstraint("own_pull_up_ohm > 0 AND own_pull_up_ohm <= 1e7", name="own_pull_up_ohm_possible"),
        CheckConstraint("current_ma >= 0 AND current_ma <= 10000", name="current_ma_possible"),
        CheckConstraint("(module_uid IS NULL) = (pin IS NULL)", name="at_whole"),
        CheckConstraint("inputs BETWEEN 1 AND 2", name="inputs_possible"),
        CheckConstraint(
            "(also_module_uid IS NULL) = (also_pin IS NULL) AND "
            "(also_pin IS NULL OR inputs = 2 AND pin IS NOT NULL AND (also_module_uid, also_pin) <> (module_uid, pin))",
            name="also_whole",
        ),
        length("shares", 60),
        UniqueConstraint("vehicle_uid", "name"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    name: Mapped[str]
    kinds: Mapped[list[str]] = mapped_column(JSONB)
    pull_up: Mapped[str]
    most_v: Mapped[float]
    own_pull_up_ohm: Mapped[float | None]
    module_uid: Mapped[UUID | None] = mapped_column(ForeignKey("fitted_module.uid"))
    pin: Mapped[str | None]
    pull_up_on: Mapped[bool]
    in_use: Mapped[bool]
    movable: Mapped[bool]
    reserved: Mapped[bool]
    circuit_uid: Mapped[UUID | None] = mapped_column(ForeignKey("circuit.uid"))
    current_ma: Mapped[float | None]
    on_reference: Mapped[bool]
    fed_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("fitted_module.uid"))
    shares: Mapped[str] = mapped_column(server_default=text("''"))
    inputs: Mapped[int] = mapped_column(server_default=text("1"))
    also_module_uid: Mapped[UUID | None] = mapped_column(ForeignKey("fitted_module.uid"))
    also_pin: Mapped[str | None]
    also_on: Mapped[bool] = mapped_column(server_default=text("false"))


class ValuePlaceRow(Base):
    __tablename__ = "value_place"
    __table_args__ = (
        length("name", 80, 1),
        one_of("kind", PlaceKind),
        CheckConstraint("(done_at IS NULL) = (done_by_uid IS NULL)", name="done_by_someone"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    function_uid: Mapped[UUID] = mapped_column(ForeignKey("input_function.uid"), index=True)
    kind: Mapped[str]
    name: Mapped[str]
    done_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    done_at: Mapped[datetime | None]
    was_module_uid: Mapped[UUID | None]  # of no foreign key: what points there still does when the module is taken out
    was_pin: Mapped[str | None]


class NodeRow(Base):
    __tablename__ = "harness_node"
    __table_args__ = (
        length("name", 40, 1),
        length("note", 200),
        one_of("kind", NodeKind),
        CheckConstraint("rows BETWEEN 1 AND 20 AND columns BETWEEN 1 AND 100", name="cavities_possible"),
        CheckConstraint(
            "reach_minutes BETWEEN 0 AND 1000 AND cover_minutes BETWEEN 0 AND 1000", name="minutes_possible"
        ),
        length("cover", 40),
        length("plug", 40),
        length("side", 40),
    )

    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    place: Mapped[int]
    kind: Mapped[str]
    rows: Mapped[int]
    columns: Mapped[int]
    note: Mapped[str]
    reach_minutes: Mapped[float | None]
    cover: Mapped[str] = mapped_column(server_default=text("''"))
    cover_minutes: Mapped[float] = mapped_column(server_default=text("0"))
    plug: Mapped[str] = mapped_column(server_default=text("''"))
    side: Mapped[str] = mapped_column(server_default=text("''"))


class WireRow(Base):
    __tablename__ = "wire"
    __table_args__ = (
        length("name", 40, 1),
        length("colour", 24),
        length("shield", 40),
        one_of("part_of", PartOf),
        CheckConstraint("length_m > 0 AND length_m <= 1000", name="length_possible"),
        CheckConstraint("area_mm2 > 0 AND area_mm2 <= 500", name="area_possible"),
    )

    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    place: Mapped[int]
    start_node: Mapped[str]
    start_cavity: Mapped[str]
    end_node: Mapped[str]
    end_cavity: Mapped[str]
    colour: Mapped[str]
    area_mm2: Mapped[float]
    length_m: Mapped[float]
    shield: Mapped[str]
    part_of: Mapped[str] = mapped_column(server_default=text("'not told'"))


class FeedRow(Base):
    __tablename__ = "feed"
    __table_args__ = (
        length("name", 60, 1),
        CheckConstraint("fuse_a > 0 AND fuse_a <= 500", name="fuse_possible"),
        CheckConstraint("supply_m > 0 AND return_m > 0 AND area_mm2 > 0", name="run_possible"),
        CheckConstraint("rated_a > 0 AND terminal_a > 0", name="ratings_possible"),
        CheckConstraint("insulation_degc BETWEEN 60 AND 300", name="insulation_possible"),
        CheckConstraint("circuits_together BETWEEN 1 AND 50", name="loom_possible"),
        finite("around_degc"),
        UniqueConstraint("vehicle_uid", "name"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    name: Mapped[str]
    fuse_a: Mapped[float]
    supply_m: Mapped[float]
    return_m: Mapped[float]
    area_mm2: Mapped[float]
    around_degc: Mapped[float]
    insulation_degc: Mapped[float]
    circuits_together: Mapped[int]
    rated_a: Mapped[float | None]
    terminal_a: Mapped[float | None]
    keyed: Mapped[bool]
    shares_return: Mapped[bool]

    loads: Mapped[list[LoadRow]] = relationship(order_by="LoadRow.place", cascade="all, delete-orphan", lazy="selectin")


class LoadRow(Base):
    __tablename__ = "feed_load"
    __table_args__ = (
        length("name", 60, 1),
        CheckConstraint("steady_a >= 0 AND steady_a <= 500 AND sleep_ma >= 0", name="currents_possible"),
        CheckConstraint("peak_a >= steady_a AND peak_a <= 5000", name="peak_possible"),
        CheckConstraint("duty BETWEEN 0 AND 1", name="duty_share"),
        CheckConstraint("branch_m BETWEEN 0 AND 1000 AND branch_mm2 > 0 AND branch_mm2 <= 500", name="branch_possible"),
    )

    feed_uid: Mapped[UUID] = mapped_column(ForeignKey("feed.uid"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    name: Mapped[str]
    steady_a: Mapped[float]
    peak_a: Mapped[float | None]
    duty: Mapped[float]
    keyed: Mapped[bool]
    sleep_ma: Mapped[float]
    branch_m: Mapped[float] = mapped_column(server_default=text("0"))
    branch_mm2: Mapped[float | None]
    own_return: Mapped[bool] = mapped_column(server_default=text("false"))


class MapRow(Base):
    """Two connectors put together; append-only, the newest of a name counts."""

    __tablename__ = "connector_map"
    __table_args__ = (length("name", 60, 1),)

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    name: Mapped[str]
    ours: Mapped[list[list[str]]] = mapped_column(JSONB)
    theirs: Mapped[list[list[str]]] = mapped_column(JSONB)
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    kept_at: Mapped[datetime]


class TrialRow(Base):
    """An output of a conditioner that was tried; append-only."""

    __tablename__ = "conditioner_trial"
    __table_args__ = (length("at", 80, 1), length("note", 200), one_of("form", Form))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    at: Mapped[str]
    form: Mapped[str]
    worked: Mapped[bool]
    note: Mapped[str]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    tried_at: Mapped[datetime]


class KitLineRow(Base):
    __tablename__ = "kit_line"
    __table_args__ = (
        length("text", 200, 1),
        one_of("kind", KitKind),
        CheckConstraint("price >= 0 AND price <= 1e6", name="price_possible"),
        CheckConstraint("(done_at IS NULL) = (done_by_uid IS NULL)", name="done_by_someone"),
        UniqueConstraint("job_uid", "place"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    place: Mapped[int]
    kind: Mapped[str]
    text: Mapped[str]
    price: Mapped[float | None]
    done_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    done_at: Mapped[datetime | None]


class VehicleNoteRow(Base):
    __tablename__ = "vehicle_note"
    __table_args__ = (length("text", 2000, 1),)

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    text: Mapped[str]
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    written_at: Mapped[datetime]


class PictureRow(Base):
    """A picture of a vehicle, encoded anew without what a camera writes into it."""

    __tablename__ = "picture"
    __table_args__ = (
        length("title", 120),
        one_of("media_type", ("image/jpeg", "image/png")),
        CheckConstraint("octet_length(content) <= 10485760", name="content_size"),
        CheckConstraint("width > 0 AND height > 0", name="size_possible"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    title: Mapped[str]
    media_type: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    added_at: Mapped[datetime]
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class VehicleChangeRow(Base):
    """What was changed of a vehicle or of the promise of one of its jobs; append-only."""

    __tablename__ = "vehicle_change"
    __table_args__ = (length("what", 60, 1), length("old", 200), length("new", 200), length("why", 200))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"), index=True)
    job_uid: Mapped[UUID | None] = mapped_column(ForeignKey("job.uid"))
    what: Mapped[str]
    old: Mapped[str]
    new: Mapped[str]
    why: Mapped[str]
    technician_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    changed_at: Mapped[datetime]
