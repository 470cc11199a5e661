"""What is planned for vehicles: module types of the shop, and of each vehicle its modules, functions, harness and feeds."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Row, delete, func, select
from sqlalchemy.orm import Session

from irongauge.core.plan.board import PinAt, PullUpNeed
from irongauge.core.plan.chain import Form, Trial
from irongauge.core.plan.harness import WITH_CAVITIES, End, Harness, Node, NodeKind, Wire
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.modules import FittedModule, ModuleKind, ModulePin, ModuleType, PinKind, PullUpFitted, Shows
from irongauge.core.plan.places import PlaceKind, ValuePlace
from irongauge.core.plan.power import Feed, Load, WireRun
from irongauge.core.plan.record import KeptFeed, KeptMap, PlannedFunction, VehiclePlan
from irongauge.core.shop import Vehicle
from irongauge.errors import NotFoundError
from irongauge.store.plan_models import (
    FeedRow,
    FittedModuleRow,
    FunctionRow,
    KitLineRow,
    LoadRow,
    MapRow,
    ModuleTypeRow,
    NodeRow,
    TrialRow,
    ValuePlaceRow,
    WireRow,
)

__all__ = ["PlanRepository"]


def _type_of(row: ModuleTypeRow) -> ModuleType:
    pins = tuple(
        ModulePin(**{**data, "kind": PinKind(data["kind"]), "pull_up": PullUpFitted(data["pull_up"])})
        for data in row.pins
    )
    return ModuleType(
        uid=row.uid, name=row.name, maker=row.maker, kind=ModuleKind(row.kind), shows=Shows(row.shows), pins=pins
    )


def _function_of(row: Row[Any]) -> PlannedFunction:
    return PlannedFunction(
        uid=row.uid,
        name=row.name,
        kinds=tuple(PinKind(kind) for kind in row.kinds),
        pull_up=PullUpNeed(row.pull_up),
        most_v=row.most_v,
        own_pull_up_ohm=row.own_pull_up_ohm,
        at=None if row.module_uid is None or row.pin is None else PinAt(row.module_uid, row.pin),
        pull_up_on=row.pull_up_on,
        in_use=row.in_use,
        movable=row.movable,
        reserved=row.reserved,
        circuit_uid=row.circuit_uid,
        current_ma=row.current_ma,
        on_reference=row.on_reference,
        fed_by_uid=row.fed_by_uid,
    )


def _place_of(row: Row[Any]) -> ValuePlace:
    return ValuePlace(
        uid=row.uid,
        function_uid=row.function_uid,
        kind=PlaceKind(row.kind),
        name=row.name,
        done=row.done_at is not None,
    )


def _feed_of(row: FeedRow, system_v: float) -> KeptFeed:
    run = WireRun(
        supply_m=row.supply_m,
        return_m=row.return_m,
        area_mm2=row.area_mm2,
        around_degc=row.around_degc,
        rated_a=row.rated_a,
        terminal_a=row.terminal_a,
    )
    loads = tuple(
        Load(
            name=load.name,
            steady_a=load.steady_a,
            peak_a=load.peak_a,
            duty=load.duty,
            keyed=load.keyed,
            sleep_ma=load.sleep_ma,
        )
        for load in row.loads
    )
    feed = Feed(name=row.name, fuse_a=row.fuse_a, run=run, loads=loads, system_v=system_v, keyed=row.keyed)
    return KeptFeed(row.uid, feed)


def _kit_of(row: KitLineRow) -> KitLine:
    return KitLine(
        uid=row.uid,
        kind=KitKind(row.kind),
        text=row.text,
        price=row.price,
        done_by_uid=row.done_by_uid,
        done_at=row.done_at,
    )


def _cavities(rows: list[list[str]]) -> tuple[Cavity, ...]:
    return tuple(Cavity(*row) for row in rows)


_FUNCTIONS, _PLACES = FunctionRow.__table__.columns, ValuePlaceRow.__table__.columns


class PlanRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    # Module types of the shop

    def module_types(self, shop_uid: UUID) -> tuple[ModuleType, ...]:
        query = select(ModuleTypeRow).where(ModuleTypeRow.shop_uid == shop_uid).order_by(ModuleTypeRow.name)
        return tuple(_type_of(row) for row in self._session.scalars(query))

    def module_type(self, uid: UUID) -> ModuleType:
        row = self._session.get(ModuleTypeRow, uid)
        if row is None:
            raise NotFoundError("module type", str(uid))
        return _type_of(row)

    def save_module_type(self, shop_uid: UUID, kind: ModuleType) -> None:
        """Add a module type, or write its changed card."""
        pins = [{name: value for name, value in asdict(pin).items() if value is not None} for pin in kind.pins]
        self._session.merge(
            ModuleTypeRow(
                uid=kind.uid,
                shop_uid=shop_uid,
                name=kind.name,
                maker=kind.maker,
                kind=kind.kind,
                shows=kind.shows,
                pins=pins,
            )
        )
        self._session.flush()

    def used_pins(self, type_uid: UUID) -> frozenset[str]:
        """Names of a type's pins that something stands on, on any vehicle."""
        query = (
            select(FunctionRow.pin)
            .join(FittedModuleRow, FittedModuleRow.uid == FunctionRow.module_uid)
            .where(FittedModuleRow.type_uid == type_uid)
        )
        return frozenset(pin for pin in self._session.scalars(query) if pin is not None)

    # One vehicle's plan

    def plan(self, vehicle: Vehicle, *, wiring: bool = True, power: bool = True) -> VehiclePlan:
        """Everything that is planned and wired on a vehicle; without its harness and connector maps, or its feeds, where those
        are not asked for.
        """
        plan = self.inputs(vehicle.uid)
        if wiring:
            plan = replace(plan, harness=self.harness(vehicle.uid), maps=self.maps(vehicle.uid))
            plan = replace(plan, trials=self.trials(vehicle.uid))
        return replace(plan, feeds=self.feeds(vehicle)) if power else plan

    def inputs(self, vehicle_uid: UUID) -> VehiclePlan:
        """A vehicle's modules, functions and the places that use them, and nothing else of its plan."""
        # Columns instead of mapped objects: half the time, and a full controller has some dozens.
        functions = self._session.execute(
            select(*_FUNCTIONS).where(FunctionRow.vehicle_uid == vehicle_uid).order_by(FunctionRow.name)
        )
        places = self._session.execute(
            select(*_PLACES)
            .join(FunctionRow, FunctionRow.uid == ValuePlaceRow.function_uid)
            .where(FunctionRow.vehicle_uid == vehicle_uid)
            .order_by(ValuePlaceRow.kind, ValuePlaceRow.name)
        )
        return VehiclePlan(
            modules=self.modules(vehicle_uid),
            functions=tuple(_function_of(row) for row in functions),
            places=tuple(_place_of(row) for row in places),
        )

    def reserved(self, vehicle_uids: Collection[UUID]) -> dict[UUID, tuple[tuple[UUID, str], ...]]:
        """The functions of each of these vehicles that have an input reserved and are still to be fitted, by name."""
        query = (
            select(FunctionRow.vehicle_uid, FunctionRow.uid, FunctionRow.name)
            .where(FunctionRow.vehicle_uid.in_(vehicle_uids), FunctionRow.reserved)
            .order_by(FunctionRow.name)
        )
        found: dict[UUID, list[tuple[UUID, str]]] = {uid: [] for uid in vehicle_uids}
        for vehicle_uid, uid, name in self._session.execute(query):
            found[vehicle_uid].append((uid, name))
        return {uid: tuple(functions) for uid, functions in found.items()}

    def modules(self, vehicle_uid: UUID) -> tuple[FittedModule, ...]:
        rows = self._session.scalars(
            select(FittedModuleRow).where(FittedModuleRow.vehicle_uid == vehicle_uid).order_by(FittedModuleRow.name)
        )
        return tuple(FittedModule(row.uid, row.name, _type_of(row.type)) for row in rows)

    def feeds(self, vehicle: Vehicle) -> tuple[KeptFeed, ...]:
        """A vehicle's feeds, at its system's volts."""
        rows = self._session.scalars(select(FeedRow).where(FeedRow.vehicle_uid == vehicle.uid).order_by(FeedRow.name))
        return tuple(_feed_of(row, vehicle.system_v) for row in rows)

    def maps(self, vehicle_uid: UUID) -> tuple[KeptMap, ...]:
        """Connectors of a vehicle that were put together, the newest first."""
        rows = self._session.scalars(
            select(MapRow).where(MapRow.vehicle_uid == vehicle_uid).order_by(MapRow.kept_at.desc())
        )
        return tuple(
            KeptMap(
                uid=row.uid,
                name=row.name,
                ours=_cavities(row.ours),
                theirs=_cavities(row.theirs),
                kept_at=row.kept_at,
                technician_uid=row.technician_uid,
            )
            for row in rows
        )

    def trials(self, vehicle_uid: UUID) -> tuple[Trial, ...]:
        """Outputs of conditioners that were tried on a vehicle, the oldest first."""
        rows = self._session.scalars(
            select(TrialRow).where(TrialRow.vehicle_uid == vehicle_uid).order_by(TrialRow.tried_at, TrialRow.uid)
        )
        return tuple(
            Trial(
                uid=row.uid,
                at=row.at,
                form=Form(row.form),
                worked=row.worked,
                note=row.note,
                technician_uid=row.technician_uid,
                tried_at=row.tried_at,
            )
            for row in rows
        )

    def keep_trial(self, vehicle_uid: UUID, trial: Trial) -> None:
        self._session.add(TrialRow(vehicle_uid=vehicle_uid, **asdict(trial)))
        self._session.flush()

    def harness(self, vehicle_uid: UUID) -> Harness:
        """A vehicle's nodes and wires. Columns are read, not rows as objects: a harness has hundreds."""
        nodes = self._session.execute(
            select(NodeRow.name, NodeRow.kind, NodeRow.rows, NodeRow.columns, NodeRow.note)
            .where(NodeRow.vehicle_uid == vehicle_uid)
            .order_by(NodeRow.place)
        )
        w = WireRow
        wires = self._session.execute(
            select(
                w.name,
                w.start_node,
                w.start_cavity,
                w.end_node,
                w.end_cavity,
                w.colour,
                w.area_mm2,
                w.length_m,
                w.shield,
            )
            .where(w.vehicle_uid == vehicle_uid)
            .order_by(w.place)
        )
        return Harness(
            tuple(
                Node(name=name, kind=NodeKind(kind), rows=rows, columns=columns, note=note)
                for name, kind, rows, columns, note in nodes
            ),
            tuple(
                Wire(
                    name=name,
                    start=End(start_node, start_cavity),
                    end=End(end_node, end_cavity),
                    colour=colour,
                    area_mm2=area_mm2,
                    length_m=length_m,
                    shield=shield,
                )
                for name, start_node, start_cavity, end_node, end_cavity, colour, area_mm2, length_m, shield in wires
            ),
        )

    def connectors(self, vehicle_uid: UUID) -> tuple[tuple[str, int], ...]:
        """Connectors and adapters of a vehicle, with how many cavities each has."""
        query = (
            select(NodeRow.name, NodeRow.rows * NodeRow.columns)
            .where(NodeRow.vehicle_uid == vehicle_uid, NodeRow.kind.in_(WITH_CAVITIES))
            .order_by(NodeRow.place)
        )
        return tuple((name, cavities) for name, cavities in self._session.execute(query))

    def vehicle_of_function(self, uid: UUID) -> UUID:
        row = self._session.get(FunctionRow, uid)
        if row is None:
            raise NotFoundError("function", str(uid))
        return row.vehicle_uid

    def require_new_function(self, uid: UUID) -> None:
        """Raise `NotFoundError` where a function of that identity is another vehicle's."""
        if self._session.get(FunctionRow, uid) is not None:
            raise NotFoundError("function", str(uid))

    def add_module(self, vehicle_uid: UUID, module: FittedModule) -> None:
        there = self._session.get(FittedModuleRow, module.uid)
        if there is not None and (there.vehicle_uid, there.type_uid) != (vehicle_uid, module.type.uid):
            raise NotFoundError("module", str(module.uid))
        self._session.merge(
            FittedModuleRow(uid=module.uid, vehicle_uid=vehicle_uid, type_uid=module.type.uid, name=module.name)
        )
        self._session.flush()

    def remove_module(self, vehicle_uid: UUID, uid: UUID) -> None:
        self._session.execute(
            delete(FittedModuleRow).where(FittedModuleRow.uid == uid, FittedModuleRow.vehicle_uid == vehicle_uid)
        )
        self._session.flush()

    def save_function(self, vehicle_uid: UUID, function: PlannedFunction) -> None:
        """Add a function, or write its changed card and place."""
        self._session.merge(
            FunctionRow(
                uid=function.uid,
                vehicle_uid=vehicle_uid,
                name=function.name,
                kinds=list(function.kinds),
                pull_up=function.pull_up,
                most_v=function.most_v,
                own_pull_up_ohm=function.own_pull_up_ohm,
                module_uid=None if function.at is None else function.at.module_uid,
                pin=None if function.at is None else function.at.pin,
                pull_up_on=function.pull_up_on,
                in_use=function.in_use,
                movable=function.movable,
                reserved=function.reserved,
                circuit_uid=function.circuit_uid,
                current_ma=function.current_ma,
                on_reference=function.on_reference,
                fed_by_uid=function.fed_by_uid,
            )
        )
        self._session.flush()

    def remove_function(self, uid: UUID) -> None:
        """Remove a function with the places that used it; they are all changed by then."""
        self._session.execute(delete(ValuePlaceRow).where(ValuePlaceRow.function_uid == uid))
        self._session.execute(delete(FunctionRow).where(FunctionRow.uid == uid))
        self._session.flush()

    def save_place(self, place: ValuePlace, done_by_uid: UUID | None, done_at: datetime | None) -> None:
        self._session.merge(
            ValuePlaceRow(
                uid=place.uid,
                function_uid=place.function_uid,
                kind=place.kind,
                name=place.name,
                done_by_uid=done_by_uid,
                done_at=done_at,
            )
        )
        self._session.flush()

    def save_harness(self, vehicle_uid: UUID, harness: Harness) -> None:
        """Write a vehicle's nodes and wires anew, whole."""
        for table in (WireRow, NodeRow):
            self._session.execute(delete(table).where(table.vehicle_uid == vehicle_uid))
        self._session.add_all(
            NodeRow(
                vehicle_uid=vehicle_uid,
                name=node.name,
                place=place,
                kind=node.kind,
                rows=node.rows,
                columns=node.columns,
                note=node.note,
            )
            for place, node in enumerate(harness.nodes)
        )
        self._session.add_all(
            WireRow(
                vehicle_uid=vehicle_uid,
                name=wire.name,
                place=place,
                start_node=wire.start.node,
                start_cavity=wire.start.cavity,
                end_node=wire.end.node,
                end_cavity=wire.end.cavity,
                colour=wire.colour,
                area_mm2=wire.area_mm2,
                length_m=wire.length_m,
                shield=wire.shield,
            )
            for place, wire in enumerate(harness.wires)
        )
        self._session.flush()

    def save_feed(self, vehicle_uid: UUID, kept: KeptFeed) -> None:
        """Add a feed with its loads, or write it anew."""
        feed, run = kept.feed, kept.feed.run
        self.remove_feed(vehicle_uid, kept.uid)
        self._session.add(
            FeedRow(
                uid=kept.uid,
                vehicle_uid=vehicle_uid,
                name=feed.name,
                fuse_a=feed.fuse_a,
                supply_m=run.supply_m,
                return_m=run.return_m,
                area_mm2=run.area_mm2,
                around_degc=run.around_degc,
                rated_a=run.rated_a,
                terminal_a=run.terminal_a,
                keyed=feed.keyed,
                loads=[LoadRow(place=place, **asdict(load)) for place, load in enumerate(feed.loads)],
            )
        )
        self._session.flush()

    def remove_feed(self, vehicle_uid: UUID, uid: UUID) -> None:
        """Remove a feed, if it is there; `NotFoundError` for another vehicle's."""
        row = self._session.get(FeedRow, uid)
        if row is not None and row.vehicle_uid != vehicle_uid:
            raise NotFoundError("feed", str(uid))
        if row is not None:
            self._session.delete(row)
            self._session.flush()

    def keep_map(self, vehicle_uid: UUID, kept: KeptMap) -> None:
        self._session.add(
            MapRow(
                uid=kept.uid,
                vehicle_uid=vehicle_uid,
                name=kept.name,
                ours=[[c.number, c.colour, c.function] for c in kept.ours],
                theirs=[[c.number, c.colour, c.function] for c in kept.theirs],
                technician_uid=kept.technician_uid,
                kept_at=kept.kept_at,
            )
        )
        self._session.flush()

    # The kit of a job

    def kit(self, job_uid: UUID) -> tuple[KitLine, ...]:
        return self.kits([job_uid])[job_uid]

    def kits(self, job_uids: Collection[UUID]) -> dict[UUID, tuple[KitLine, ...]]:
        """The kit of each of these jobs."""
        query = select(KitLineRow).where(KitLineRow.job_uid.in_(job_uids)).order_by(KitLineRow.place)
        found: dict[UUID, list[KitLine]] = {uid: [] for uid in job_uids}
        for row in self._session.scalars(query):
            found[row.job_uid].append(_kit_of(row))
        return {uid: tuple(lines) for uid, lines in found.items()}

    def add_kit_lines(self, job_uid: UUID, lines: Sequence[KitLine]) -> None:
        query = select(func.coalesce(func.max(KitLineRow.place) + 1, 0)).where(KitLineRow.job_uid == job_uid)
        first = self._session.scalars(query).one()
        self._session.add_all(
            KitLineRow(
                uid=line.uid,
                job_uid=job_uid,
                place=first + index,
                kind=line.kind,
                text=line.text,
                price=line.price,
                done_by_uid=line.done_by_uid,
                done_at=line.done_at,
            )
            for index, line in enumerate(lines)
        )
        self._session.flush()

    def kit_line(self, uid: UUID) -> tuple[KitLine, UUID]:
        """A line, and the job that it belongs to."""
        row = self._session.get(KitLineRow, uid)
        if row is None:
            raise NotFoundError("kit line", str(uid))
        return _kit_of(row), row.job_uid

    def tick(self, uid: UUID, by_uid: UUID | None, at: datetime | None) -> None:
        row = self._session.get(KitLineRow, uid)
        if row is None:
            raise NotFoundError("kit line", str(uid))
        row.done_by_uid, row.done_at = by_uid, at
        self._session.flush()

    def remove_kit_line(self, uid: UUID) -> None:
        self._session.execute(delete(KitLineRow).where(KitLineRow.uid == uid))
        self._session.flush()
