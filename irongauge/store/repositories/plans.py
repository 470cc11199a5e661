"""What is planned for vehicles: module types of the shop, and of each vehicle its modules and functions."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Row, delete, select
from sqlalchemy.orm import Session

from irongauge.core.plan.board import PinAt, PullUpNeed
from irongauge.core.plan.modules import FittedModule, ModuleKind, ModulePin, ModuleType, PinKind, PullUpFitted, Shows
from irongauge.core.plan.places import LeftBehind, PlaceKind, ValuePlace
from irongauge.core.plan.record import PlannedFunction, VehiclePlan
from irongauge.core.shop import Vehicle
from irongauge.errors import NotFoundError
from irongauge.store.plan_models import (
    FittedModuleRow,
    FunctionRow,
    ModuleTypeRow,
    ValuePlaceRow,
)
from irongauge.store.repositories.wirings import WiringRepository

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
        shares=row.shares,
        inputs=row.inputs,
        also_at=None
        if row.also_module_uid is None or row.also_pin is None
        else PinAt(row.also_module_uid, row.also_pin),
        also_on=row.also_on,
    )


def _place_of(row: Row[Any]) -> ValuePlace:
    return ValuePlace(
        uid=row.uid,
        function_uid=row.function_uid,
        kind=PlaceKind(row.kind),
        name=row.name,
        done=row.done_at is not None,
        was_at=None if row.was_module_uid is None or row.was_pin is None else PinAt(row.was_module_uid, row.was_pin),
    )


_FUNCTIONS, _PLACES = FunctionRow.__table__.columns, ValuePlaceRow.__table__.columns


class PlanRepository:
    def __init__(self, session: Session) -> None:
        self._session = session
        self._wirings = WiringRepository(session)

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
            plan = replace(plan, harness=self._wirings.harness(vehicle.uid), maps=self._wirings.maps(vehicle.uid))
            plan = replace(plan, trials=self._wirings.trials(vehicle.uid))
        return replace(plan, feeds=self._wirings.feeds(vehicle)) if power else plan

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

    def left_behind(self, vehicle_uids: Collection[UUID]) -> dict[UUID, tuple[LeftBehind, ...]]:
        """The places of each of these vehicles that still point to an input which their function has left."""
        query = (
            select(FunctionRow.vehicle_uid)
            .join(ValuePlaceRow, ValuePlaceRow.function_uid == FunctionRow.uid)
            .where(
                FunctionRow.vehicle_uid.in_(vehicle_uids),
                ValuePlaceRow.was_module_uid.is_not(None),
                ValuePlaceRow.done_at.is_(None),
            )
            .distinct()
        )
        return {uid: self.inputs(uid).left_behind() for uid in self._session.scalars(query).all()}

    def modules(self, vehicle_uid: UUID) -> tuple[FittedModule, ...]:
        rows = self._session.scalars(
            select(FittedModuleRow).where(FittedModuleRow.vehicle_uid == vehicle_uid).order_by(FittedModuleRow.name)
        )
        return tuple(FittedModule(row.uid, row.name, _type_of(row.type)) for row in rows)

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
                shares=function.shares,
                inputs=function.inputs,
                also_module_uid=None if function.also_at is None else function.also_at.module_uid,
                also_pin=None if function.also_at is None else function.also_at.pin,
                also_on=function.also_on,
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
                was_module_uid=None if place.was_at is None else place.was_at.module_uid,
                was_pin=None if place.was_at is None else place.was_at.pin,
            )
        )
        self._session.flush()
