"""Planning on a vehicle: module types of the Shelf, fitted modules, assigned inputs, and room for more."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from uuid import UUID, uuid4

from irongauge.core.plan.board import PinAt, PullUpNeed
from irongauge.core.plan.modules import FittedModule, ModuleType, PinKind
from irongauge.core.plan.places import Change, ValuePlace, changes_for, may_be_removed, moved_from, uses_now
from irongauge.core.plan.record import PlannedFunction, VehiclePlan
from irongauge.core.plan.room import Move, MoveKind, NoRoom, Room, Want, make_room
from irongauge.core.sensors.circuits import FAMILIES, Circuit
from irongauge.core.sensors.families import Family
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.errors import ChangedMeanwhileError, EntryError, NotFoundError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.shelf import named, numbered
from irongauge.workflows.shop.view import People, now, people_of, require_known, require_own_name, require_shop

__all__ = [
    "PlanView",
    "add_place",
    "assign",
    "changes_of",
    "do_moves",
    "find_room",
    "fit_module",
    "function_for",
    "look_at_module_types",
    "look_at_plan",
    "remove_function",
    "remove_module",
    "save_function",
    "save_module_type",
    "tick_place",
    "uses_of",
]


@dataclass(frozen=True, kw_only=True)
class PlanView:
    """A vehicle's plan, and what may be added to it."""

    shop: Shop
    vehicle: Vehicle
    plan: VehiclePlan
    shelf: tuple[ModuleType, ...]
    circuits: tuple[tuple[Job, Circuit], ...]
    people: People

    def function(self, uid: UUID) -> PlannedFunction:
        """One of its functions; `NotFoundError` for none of them."""
        return _function_in(self.plan, uid)

    def place_name(self, at: PinAt | None) -> str:
        """A pin as people call it."""
        return "no input" if at is None else self.plan.input_name(at)


def _function_in(plan: VehiclePlan, uid: UUID) -> PlannedFunction:
    found = next((function for function in plan.functions if function.uid == uid), None)
    if found is None:
        raise NotFoundError("function", str(uid))
    return found


def _to_be_changed(store: Store, plan: VehiclePlan, before: PlannedFunction, after: PlannedFunction) -> None:
    """Every place that uses a function's value points to the pin that it leaves, so that what was ticked before is open again.

    Of one that is read by two nobody said which input a place reads: when either is left, all of them are to be looked at.
    """
    left = next((at for at in before.stands_at if at not in after.stands_at), None)
    if set(before.stands_at) == set(after.stands_at):
        return
    for place in plan.places_of(before.uid):
        is_behind = place.was_at is not None and not place.done
        if left is None and before.stands_at and not is_behind:
            continue  # a second input came, and the first one is as it was
        points_to = place.was_at if is_behind else left
        was_at = moved_from(place, left, points_to if points_to in after.stands_at else after.at)
        store.plans.save_place(replace(place, done=False, was_at=was_at), None, None)


def look_at_plan(database: Database, vehicle_uid: UUID, *, wiring: bool = True, power: bool = True) -> PlanView:
    """A vehicle's plan, without its harness or its feeds where those are not asked for."""
    with database.unit() as store:
        shop = require_shop(store)
        vehicle = store.jobs.vehicle(vehicle_uid)
        jobs = store.jobs.jobs_of(vehicle_uid)
        of_jobs = store.circuits.of_jobs([job.uid for job in jobs])
        circuits = tuple((job, c) for job in jobs for c in of_jobs[job.uid] if not c.retired_why)
        return PlanView(
            shop=shop,
            vehicle=vehicle,
            plan=store.plans.plan(vehicle, wiring=wiring, power=power),
            shelf=store.plans.module_types(shop.uid),
            circuits=circuits,
            people=people_of(store, shop),
        )


# Module types of the Shelf


def look_at_module_types(database: Database) -> tuple[Shop, tuple[ModuleType, ...]]:
    with database.unit() as store:
        shop = require_shop(store)
        return shop, store.plans.module_types(shop.uid)


def save_module_type(database: Database, kind: ModuleType) -> None:
    """Add a module type, or change its card; refused where a pin would go that a vehicle uses."""
    with (
        named("uq_module_type_shop_uid_name", "name", kind.name, "a module type"),
        database.unit() as store,
    ):
        pins = {pin.name for pin in kind.pins}
        used = store.plans.used_pins(kind.uid)
        gone = sorted(pin for pin in used if pin not in pins)
        if gone:
            problem = f"Pin {', '.join(gone)} is in use on a vehicle, so it cannot go from the type."
            raise EntryError("pins", "", problem, "Move what stands on it first.")
        store.plans.save_module_type(require_shop(store).uid, kind)


# Modules and functions of a vehicle


def fit_module(database: Database, vehicle_uid: UUID, type_uid: UUID, name: str, uid: UUID | None = None) -> None:
    """Fit a module; one that is there under that `uid` already only gets the name."""
    with named("uq_fitted_module_vehicle_uid_name", "name", name, "a module here"), database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        kind = store.plans.module_type(type_uid)
        store.plans.add_module(vehicle_uid, FittedModule(uid or uuid4(), name, kind))


def remove_module(database: Database, vehicle_uid: UUID, uid: UUID) -> None:
    """Take a module out; refused while something stands on it."""
    with database.unit() as store:
        plan = store.plans.inputs(vehicle_uid)
        on_it = [f.name for f in plan.functions if uid in {f.fed_by_uid, *(at.module_uid for at in f.stands_at)}]
        if on_it:
            raise RefusedRequestError(f"{', '.join(on_it)} still stand on it.", "Move them first.")
        store.plans.remove_module(vehicle_uid, uid)


_READ_BY = {
    Family.HALL: (PinKind.FREQUENCY, PinKind.DIGITAL),
    Family.FREQUENCY: (PinKind.FREQUENCY,),
    Family.RELUCTANCE: (PinKind.FREQUENCY,),
    Family.THERMOCOUPLE: (PinKind.THERMOCOUPLE,),
    Family.SWITCH: (PinKind.DIGITAL, PinKind.ANALOGUE),
}
_NEEDS_PULL_UP = {Family.HALL, Family.FREQUENCY, Family.SWITCH, Family.THERMISTOR}


def function_for(circuit: Circuit) -> PlannedFunction:
    """What reading a circuit's signal asks of an input."""
    family = circuit.family
    unwanted = FAMILIES[family].needs_curve or family in {Family.RELUCTANCE, Family.THERMOCOUPLE}
    pull_up = PullUpNeed.NEEDED if family in _NEEDS_PULL_UP else PullUpNeed.UNWANTED if unwanted else PullUpNeed.EITHER
    return PlannedFunction(
        uid=uuid4(),
        name=circuit.name,
        kinds=_READ_BY.get(family, (PinKind.ANALOGUE,)),
        pull_up=pull_up,
        most_v=circuit.live_full_scale_v if family is not Family.RELUCTANCE else 100.0,
        circuit_uid=circuit.uid,
        on_reference=family == Family.RATIOMETRIC or (FAMILIES[family].needs_curve and not circuit.battery_fed),
    )


def save_function(database: Database, vehicle_uid: UUID, function: PlannedFunction) -> None:
    """Add a function, or change its card."""
    with (
        named("uq_input_function_vehicle_uid_name", "name", function.name, "a function here"),
        database.unit() as store,
    ):
        store.jobs.vehicle(vehicle_uid)
        if function.circuit_uid is not None:
            store.circuits.circuit(function.circuit_uid)
        plan = store.plans.inputs(vehicle_uid)
        before = next((f for f in plan.functions if f.uid == function.uid), None)
        _check_pins(plan, function)
        if before is None:
            store.plans.require_new_function(function.uid)
        store.plans.save_function(vehicle_uid, function)
        if before is not None:
            _to_be_changed(store, plan, before, function)


def _check_pins(plan: VehiclePlan, function: PlannedFunction) -> None:
    """The pin that it is on, and the module whose reference it hangs on, are this vehicle's."""
    for at in function.stands_at:
        if not any(m.uid == at.module_uid and _has_pin(m, at.pin) for m in plan.modules):
            field = "also_at" if at == function.also_at else "at"
            raise EntryError(field, at.pin, "There is no such pin on this vehicle.", "Choose one of the board.")
    if function.fed_by_uid is not None and function.fed_by_uid not in {m.uid for m in plan.modules}:
        raise EntryError("fed_by_uid", "", "There is no such module on this vehicle.", "Choose one of the board.")


def assign(
    database: Database,
    vehicle_uid: UUID,
    function_uid: UUID,
    at: PinAt | None,
    *,
    seen: str | None = None,
    pull_up_on: bool = False,
    reserved: bool = False,
    also: tuple[PinAt | None, bool] = (None, False),
) -> None:
    """Put a function on a pin, or on none. `seen` is the pin that the page showed it on: where somebody has moved it since,
    `ChangedMeanwhileError`. `also` is the second input of one that is read by two, and its switch. Every place that uses its
    value is to be changed then, so that what was ticked before is open again.
    """
    with database.unit() as store:
        view = store.plans.inputs(vehicle_uid)
        function = _function_in(view, function_uid)
        also_at, also_on = also if at is not None and function.inputs > 1 else (None, False)
        if also_at == at and at is not None:
            raise EntryError("also_at", at.pin, "It is read there already.", "Choose another input, or none.")
        moved = replace(function, at=at, pull_up_on=pull_up_on, reserved=reserved, also_at=also_at, also_on=also_on)
        _check_pins(view, moved)
        stands = "" if function.at is None else f"{function.at.module_uid}:{function.at.pin}"
        if seen is not None and seen != stands:
            raise ChangedMeanwhileError(f"the input of {function.name}")
        store.plans.save_function(vehicle_uid, moved)
        _to_be_changed(store, view, function, moved)


def _has_pin(module: FittedModule, name: str) -> bool:
    return any(pin.name == name for pin in module.type.pins)


def add_place(database: Database, place: ValuePlace) -> None:
    """Say that something uses a function's value."""
    with database.unit() as store:
        store.plans.vehicle_of_function(place.function_uid)
        store.plans.save_place(place, None, None)


def tick_place(database: Database, vehicle_uid: UUID, uid: UUID, technician_uid: UUID | None) -> None:
    """Say that a place was changed; without a technician, that it is open again."""
    with database.unit() as store:
        plan = store.plans.inputs(vehicle_uid)
        place = next((p for p in plan.places if p.uid == uid), None)
        if place is None:
            raise NotFoundError("place", str(uid))
        require_known(store, technician_uid)
        require_own_name(technician_uid)
        done_at = None if technician_uid is None else now()
        changed = replace(place, done=True, was_at=None) if technician_uid is not None else replace(place, done=False)
        store.plans.save_place(changed, technician_uid, done_at)


def changes_of(
    view: PlanView, function: PlannedFunction, to: PinAt | None, leaves: PinAt | None = None
) -> tuple[Change, ...]:
    """Everything that will have to be changed when a function goes to another input, or away; from its first unless told."""
    new = None if to is None else view.place_name(to)
    return changes_for(view.plan.places_of(function.uid), view.place_name(leaves or function.at), new)


def uses_of(view: PlanView, function: PlannedFunction) -> tuple[Change, ...]:
    """Everything that uses a function's value, as it stands now."""
    here = " or ".join(view.place_name(at) for at in function.stands_at) or None
    return uses_now(view.plan.places_of(function.uid), here, view.plan.left_behind_at)


def remove_function(database: Database, vehicle_uid: UUID, uid: UUID) -> None:
    """Remove a function; refused while a place that uses its value has not been changed."""
    with database.unit() as store:
        plan = store.plans.inputs(vehicle_uid)
        function = _function_in(plan, uid)
        places = plan.places_of(uid)
        if not may_be_removed(places):
            still = ", ".join(place.name for place in places if not place.done)
            raise RefusedRequestError(f"{still} still use {function.name}.", "Change them, and tick them off, first.")
        store.plans.remove_function(uid)


def find_room(view: PlanView, wants: Sequence[Want]) -> Room | NoRoom:
    """The fewest moves that give these inputs on a vehicle, or why there are none."""
    return make_room(view.plan.modules, view.plan.functions, wants, view.shelf)


_TURNS = {MoveKind.SWITCH_ON, MoveKind.SWITCH_OFF}


def do_moves(database: Database, vehicle_uid: UUID, room: Room) -> None:
    """Do what was found: move and free functions, reserve the inputs that were wanted."""
    with database.unit() as store:
        plan = store.plans.inputs(vehicle_uid)
        known = {f.uid: f for f in plan.functions}
        # A switch stays as it is until somebody turns it.
        on = {leg.at for f in plan.functions for leg in f.legs if leg.pull_up_on}
        for move in room.moves:
            before = known.get(move.function.uid)
            if before is None:
                continue
            function = known[before.uid] = _moved(before, move, on)
            store.plans.save_function(vehicle_uid, function)
            _to_be_changed(store, plan, before, function)
        _share_switches(store, vehicle_uid, known, room)
        for function in _reserved(room, {f.name for f in known.values()}, on):
            store.plans.save_function(vehicle_uid, function)


def _moved(function: PlannedFunction, move: Move, on: Collection[PinAt | None]) -> PlannedFunction:
    """A function once one of the moves is done; `on` are the inputs whose pull-up is on."""
    if move.kind is MoveKind.FREE:
        return replace(function, at=None, also_at=None, reserved=False)
    if move.kind is MoveKind.TAKE_OUT:
        return replace(function, own_pull_up_ohm=None)
    if move.kind is MoveKind.MOVE:
        if move.leaves is not None and move.leaves == function.also_at:
            return replace(function, also_at=move.to, also_on=move.to in on)
        return replace(function, at=move.to, pull_up_on=move.to in on)
    if move.kind in _TURNS:
        is_on = move.kind is MoveKind.SWITCH_ON
        return replace(function, also_on=is_on) if move.to == function.also_at else replace(function, pull_up_on=is_on)
    return function


def _reserved(room: Room, names: set[str], on: Collection[PinAt | None]) -> Iterator[PlannedFunction]:
    """The functions that were wanted, on the inputs found for them, under names that nothing else bears."""
    turned = {
        (move.function.uid, move.to): move.kind is MoveKind.SWITCH_ON for move in room.moves if move.kind in _TURNS
    }
    for f, where in groupby(room.placed, key=lambda placed: placed.function):
        first, *second = [placed.to for placed in where]
        name = f.name if f.name not in names else numbered(f.name, names)
        names.add(name)
        yield PlannedFunction(
            uid=uuid4(),
            name=name,
            kinds=f.kinds,
            pull_up=f.pull_up,
            most_v=f.most_v,
            at=first,
            pull_up_on=turned.get((f.uid, first), first in on),
            reserved=True,
            shares=f.shares,
            inputs=f.inputs,
            also_at=second[0] if second else None,
            also_on=bool(second) and turned.get((f.uid, second[0]), second[0] in on),
        )


def _share_switches(store: Store, vehicle_uid: UUID, known: dict[UUID, PlannedFunction], room: Room) -> None:
    """A switch that was turned is turned for all who stand on its input."""
    for move in room.moves:
        if move.kind not in _TURNS:
            continue
        for function in known.values():
            turned = replace(function, pull_up_on=move.kind is MoveKind.SWITCH_ON)
            if function.at == move.to and turned != function:
                known[function.uid] = turned
                store.plans.save_function(vehicle_uid, turned)
