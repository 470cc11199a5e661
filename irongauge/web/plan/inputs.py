"""Inputs: the board, functions and what uses them, room to be made, references."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.plan.board import PinAt, PinView, PullUpNeed
from irongauge.core.plan.modules import INPUTS, FittedModule, PinKind
from irongauge.core.plan.places import Change, PlaceKind
from irongauge.core.plan.record import PlannedFunction
from irongauge.core.plan.room import MoveKind, NoRoom, Room
from irongauge.errors import EntryError, NotFoundError
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.plan.forms import (
    READ_BY,
    AssignForm,
    FitForm,
    FunctionForm,
    PlaceForm,
    RoomForm,
    TickForm,
    function_from,
    function_values,
    pin_from,
    pin_text,
    wants_from,
)
from irongauge.workflows.plan.plans import (
    PlanView,
    add_place,
    assign,
    changes_of,
    do_moves,
    find_room,
    fit_module,
    function_for,
    look_at_plan,
    remove_function,
    remove_module,
    save_function,
    tick_place,
    uses_of,
)
from irongauge.workflows.shop.examples import planned_example

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True)
class BoardModule:
    """A module with its pins as the board shows them: inputs and outputs, and how many others it has."""

    module: FittedModule
    pins: tuple[PinView, ...]
    others: int


@dataclass(frozen=True)
class ChosenFunction:
    """The function that is looked at: its card, where it stands, what uses its value."""

    function: PlannedFunction
    stands: str
    changes: tuple[Change, ...]


def _board(view: PlanView) -> tuple[BoardModule, ...]:
    found, board = [], view.plan.board
    for module in view.plan.modules:
        mine = [p for p in board if p.at.module_uid == module.uid]
        shown = tuple(p for p in mine if p.pin.is_input or p.pin.kind is PinKind.OUTPUT)
        found.append(BoardModule(module, shown, len(mine) - len(shown)))
    return tuple(found)


@dataclass(frozen=True, kw_only=True)
class ExampleBoard:
    """Some pins of another vehicle's module: where each is drawn, its name and what it reads."""

    whose: str
    cells: tuple[tuple[float, str, str], ...]
    width: float
    said: str


_CELL, _MOST_CELLS, _LONGEST = 160.0, 4, 16


def _example(view: PlanView | None) -> ExampleBoard | None:
    used = [] if view is None else [(m, p) for m in _board(view) for p in m.pins if p.functions]
    if view is None or not used:
        return None
    module = used[0][0]
    pins = [p for m, p in used if m is module][:_MOST_CELLS]
    told = [(p.pin.name, ", ".join(f.name for f in p.functions)) for p in pins]
    cells = tuple(
        (n * _CELL, pin, text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…")
        for n, (pin, text) in enumerate(told)
    )
    return ExampleBoard(
        whose=f"{module.module.name} of {view.vehicle.tag}",
        cells=cells,
        width=_CELL * len(cells),
        said="Pins with what they read: " + ", ".join(f"{pin} {text}" for pin, text in told),
    )


def _chosen(view: PlanView, typed: str) -> ChosenFunction | None:
    found = next((f for f in view.plan.functions if str(f.uid) == typed), None)
    if found is None:
        return None
    stands = " and ".join(view.place_name(at) for at in found.stands_at) or view.place_name(None)
    return ChosenFunction(found, stands, uses_of(view, found))


@dataclass(frozen=True)
class AskedMove:
    """A move that leaves something behind, before it is done: what was asked for, and every place that must be changed then."""

    form: AssignForm
    to: str
    changes: tuple[Change, ...]


def _asked(view: PlanView, form: AssignForm, at: PinAt | None) -> AskedMove | None:
    """What a person is to know before a function leaves its pin; None where nothing uses it, or it was seen already."""
    function = None if form.function_uid is None else view.function(form.function_uid)
    if form.warned or function is None or form.seen != pin_text(function.at):
        return None
    also = pin_from(form.also_at) if at is not None and function.inputs > 1 else None
    leaves = next((stood for stood in function.stands_at if stood not in {at, also}), None)
    to = also if leaves is not None and leaves == function.also_at else at
    changes = () if leaves is None else changes_of(view, function, to, leaves)
    return AskedMove(form, view.place_name(to), changes) if changes else None


def _left_by(view: PlanView, room: Room | NoRoom | None) -> dict[UUID, tuple[Change, ...]]:
    """By the function that would be moved or freed: every place that will have to be changed then."""
    if not isinstance(room, Room):
        return {}
    return {
        move.function.uid: changes_of(
            view, view.function(move.function.uid), move.to if move.kind is MoveKind.MOVE else None, move.leaves
        )
        for move in room.moves
        if move.kind in {MoveKind.MOVE, MoveKind.FREE}
    }


_FRESH = {
    "read_by": "analogue",
    "pull_up": PullUpNeed.EITHER,
    "most_v": "5",
    "in_use": "yes",
    "movable": "yes",
    "on_reference": "yes",
    "count": "1",
    "want_kind": PinKind.ANALOGUE,
    "want_pull_up": PullUpNeed.EITHER,
    "inputs": "1",
    "want_inputs": "1",
}


def _page(
    request: Request,
    pages: Pages,
    view: PlanView,
    state: FormState | None = None,
    status: int = 200,
    *,
    chosen: str = "",
    room: Room | NoRoom | None = None,
    asked: AskedMove | None = None,
    example: ExampleBoard | None = None,
) -> Response:
    taken = {f.circuit_uid for f in view.plan.functions}
    function = _chosen(view, chosen)
    values = {**_FRESH, **(function_values(function.function) if function else {})}
    return pages.render(
        request,
        "inputs.html",
        status,
        view=view,
        vehicle=view.vehicle,
        modules=_board(view),
        loose=tuple(f for f in view.plan.functions if f.at is None),
        chosen=function,
        state=(state or FormState()).over(values),
        room_found=room,
        asked=asked,
        uses=_left_by(view, room),
        has_room=isinstance(room, Room),
        references=view.plan.references(),
        elsewhere=view.plan.regulators_apart(c for _, c in view.circuits),
        unplanned=[(job, c) for job, c in view.circuits if c.uid not in taken and not job.handed_over_at],
        kinds=INPUTS,
        needs=tuple(PullUpNeed),
        read_by=READ_BY,
        place_kinds=tuple(PlaceKind),
        example=example,
        tab="inputs",
    )


@router.get("/vehicles/{uid}/inputs", dependencies=[LOOK], name="inputs")
def get_inputs(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, function: str = "") -> Response:
    """The controllers' inputs and what stands on each."""
    view = look_at_plan(database, uid_or_missing("vehicle", uid), wiring=False, power=False)
    typed = {name: value[:200] for name, value in request.query_params.items()}
    if "count" not in typed:
        example = None if view.plan.modules else _example(planned_example(database, view.vehicle.uid))
        return _page(request, pages, view, chosen=function, example=example)
    form, state = read_form(RoomForm, typed)
    if form is not None:
        try:
            room = find_room(view, wants_from(form))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _page(request, pages, view, state, room=room)
    return _page(request, pages, view, state, 422)


def _back(request: Request, uid: str, function: UUID | None = None) -> Response:
    address = request.url_for("inputs", uid=uid)
    return go_to(address if function is None else address.include_query_params(function=function))


@router.post("/vehicles/{uid}/modules", dependencies=[ARRANGE], name="fit_module")
def post_module(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Fit a module."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(FitForm, posted.values)
    if form is not None:
        try:
            if form.type_uid is None:
                raise EntryError("type_uid", "", "Choose what is fitted.", "Add its type on the Shelf first.")
            fit_module(database, vehicle_uid, form.type_uid, form.name)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, uid)
    return _page(request, pages, look_at_plan(database, vehicle_uid, wiring=False, power=False), state, 422)


@router.post("/vehicles/{uid}/modules/{module_uid}/remove", dependencies=[ARRANGE], name="remove_module")
def post_remove_module(
    request: Request, database: DatabaseDep, uid: str, module_uid: str, _posted: FormDep
) -> Response:
    """Take a module out; refused while something stands on it."""
    remove_module(database, uid_or_missing("vehicle", uid), uid_or_missing("module", module_uid))
    return _back(request, uid)


@router.post("/vehicles/{uid}/functions", dependencies=[ARRANGE], name="save_function")
def post_function(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep a function."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    view = look_at_plan(database, vehicle_uid, wiring=False, power=False)
    form, state = read_form(FunctionForm, posted.values)
    old_uid = posted.values.get("uid", "")
    if form is not None:
        old = None if form.uid is None else view.function(form.uid)
        try:
            function = function_from(form, old)
            save_function(database, vehicle_uid, function)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, uid, function.uid)
    return _page(request, pages, view, state, 422, chosen=old_uid)


@router.post("/vehicles/{uid}/functions/of-circuit", dependencies=[ARRANGE], name="plan_circuit")
def post_plan_circuit(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Take a circuit of a job onto the board, with what its family asks of an input."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    view = look_at_plan(database, vehicle_uid, wiring=False, power=False)
    circuit_uid = uid_or_missing("circuit", posted.values.get("circuit_uid", ""))
    circuit = next((c for _, c in view.circuits if c.uid == circuit_uid), None)
    if circuit is None:
        raise NotFoundError("circuit", str(circuit_uid))
    function = function_for(circuit)
    save_function(database, vehicle_uid, function)
    return _back(request, uid, function.uid)


@router.post("/vehicles/{uid}/assign", dependencies=[ARRANGE], name="assign")
def post_assign(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Put a function on a pin, or take it off."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(AssignForm, posted.values)
    if form is not None:
        try:
            if form.function_uid is None:
                raise EntryError("function_uid", "", "Choose what is moved.")
            at: PinAt | None = pin_from(form.at)
            view = look_at_plan(database, vehicle_uid, wiring=False, power=False)
            asked = _asked(view, form, at)
            if asked is not None:
                return _page(request, pages, view, state, 409, chosen=str(form.function_uid), asked=asked)
            assign(
                database,
                vehicle_uid,
                form.function_uid,
                at,
                seen=form.seen,
                pull_up_on=form.pull_up_on == "yes",
                reserved=form.reserved == "yes",
                also=(pin_from(form.also_at), form.also_on == "yes"),
            )
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, uid, form.function_uid)
    chosen = posted.values.get("function_uid", "")
    return _page(
        request, pages, look_at_plan(database, vehicle_uid, wiring=False, power=False), state, 422, chosen=chosen
    )


@router.post("/vehicles/{uid}/places", dependencies=[ARRANGE], name="add_place")
def post_place(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Add a place where a value must be entered."""
    form, state = read_form(PlaceForm, {**posted.values, "name": posted.values.get("place_name", "")})
    if form is not None:
        try:
            add_place(database, form.to_core())
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, uid, form.function_uid)
    errors = {("place_name" if name == "name" else name): text for name, text in state.errors.items()}
    view = look_at_plan(database, uid_or_missing("vehicle", uid), wiring=False, power=False)
    kept = {name: value for name, value in posted.values.items() if name != "name"}
    return _page(request, pages, view, FormState(kept, errors), 422, chosen=posted.values.get("function_uid", ""))


@router.post("/vehicles/{uid}/places/{place_uid}/tick", dependencies=[MEASURE], name="tick_place")
def post_tick(request: Request, database: DatabaseDep, uid: str, place_uid: str, posted: FormDep) -> Response:
    """Tick such a place."""
    form, state = read_form(TickForm, posted.values)
    if form is None:
        raise state.first_error()
    tick_place(database, uid_or_missing("vehicle", uid), uid_or_missing("place", place_uid), form.who())
    function_uid = uid_or_missing("function", posted.values.get("function_uid", ""))
    return _back(request, uid, function_uid)


@router.post("/vehicles/{uid}/functions/{function_uid}/remove", dependencies=[ARRANGE], name="remove_function")
def post_remove_function(
    request: Request, database: DatabaseDep, uid: str, function_uid: str, _posted: FormDep
) -> Response:
    """Remove a function; refused while its value is used."""
    remove_function(database, uid_or_missing("vehicle", uid), uid_or_missing("function", function_uid))
    return _back(request, uid)


@router.post("/vehicles/{uid}/room", dependencies=[ARRANGE], name="do_moves")
def post_room(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Do the moves that were shown: found again on what stands now, so that nobody's change is undone."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    view = look_at_plan(database, vehicle_uid, wiring=False, power=False)
    form, state = read_form(RoomForm, posted.values)
    if form is None:
        return _page(request, pages, view, state, 422)
    room = find_room(view, wants_from(form))
    if isinstance(room, NoRoom):
        return _page(request, pages, view, state, 409, room=room)
    do_moves(database, vehicle_uid, room)
    return _back(request, uid)
