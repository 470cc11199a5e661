"""The vehicle's page, and what is written on it."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.plan.board import PinState
from irongauge.core.shop import Promise
from irongauge.errors import BadFileError, ChangedMeanwhileError, EntryError, RefusedRequestError
from irongauge.formats.pictures import MOST_BYTES, clean_picture
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.navigation import way_back
from irongauge.web.pages import Pages, go_to
from irongauge.web.paging import paged
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.vehicle.forms import CardForm, NoteForm, PictureForm, PromiseForm, RetireForm
from irongauge.workflows.shop.vehicles import (
    VehicleView,
    add_note,
    add_picture,
    change_vehicle,
    find_vehicles,
    look_at_picture,
    look_at_vehicle,
    move_promise,
    remove_picture,
    retire_circuit,
)

router = APIRouter(include_in_schema=False)

_VEHICLES = 48  # of the plan's list on one page


def _values(view: VehicleView) -> dict[str, str]:
    v = view.vehicle
    card = {
        "tag": v.tag,
        "description": v.description,
        "system_v": f"{v.system_v:g}",
        "height_m": f"{v.height_m:.10g}",
        "batteries": "" if v.batteries is None else str(v.batteries),
    }
    return card | {f"seen_{name}": value for name, value in card.items()}


def _page(
    request: Request,
    pages: Pages,
    view: VehicleView,
    *,
    state: FormState | None = None,
    status: int = 200,
    part: str = "",
) -> Response:
    """The page; `part` names the form whose errors `state` has."""
    fresh = FormState(_values(view))
    states = dict.fromkeys(("card", "promise", "note", "picture"), fresh)
    if state is not None:
        states[part] = state.over(fresh.values)
    board = view.plan.board
    counts = {state: sum(p.state is state and p.pin.is_input for p in board) for state in PinState}
    return pages.render(
        request, "vehicle.html", status, view=view, states=states, part=part, counts=counts, tab="vehicle"
    )


@router.get("/plan", dependencies=[LOOK], name="plan")
def get_plan(request: Request, database: DatabaseDep, pages: PagesDep, q: str = "", page: str = "") -> Response:
    """The room's first page: every vehicle's plan."""
    shop, found = find_vehicles(database, q[:100])
    if q and len(found) == 1:
        return go_to(request.url_for("vehicle", uid=found[0].uid))
    return pages.render(request, "plan.html", shop=shop, shown=paged(found, page, _VEHICLES), asked=q[:100])


@router.get("/vehicles/{uid}", dependencies=[LOOK], name="vehicle")
def get_vehicle(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """A vehicle with all that is kept of it."""
    return _page(request, pages, look_at_vehicle(database, uid_or_missing("vehicle", uid)))


@router.post("/vehicles/{uid}", dependencies=[ARRANGE], name="change_vehicle")
def post_vehicle(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Change a vehicle's card."""
    view = look_at_vehicle(database, uid_or_missing("vehicle", uid))
    form, state = read_form(CardForm, posted.values)
    if form is not None:
        try:
            change_vehicle(database, form.card_of(view.vehicle), form.seen_of(view.vehicle), form.technician_uid)
        except EntryError as error:
            state = state.with_error(error)
        except ChangedMeanwhileError as error:
            kept = {name: value for name, value in state.values.items() if not name.startswith("seen_")}
            return _page(request, pages, view, state=FormState(kept, {"tag": str(error)}), status=409, part="card")
        else:
            return go_to(request.url_for("vehicle", uid=uid))
    return _page(request, pages, view, state=state, status=422, part="card")


@router.post("/jobs/{uid}/promise", dependencies=[ARRANGE], name="move_promise")
def post_promise(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Move a job's promise, with the reason."""
    form, state = read_form(PromiseForm, posted.values)
    vehicle_uid = uid_or_missing("vehicle", posted.values.get("vehicle_uid", ""))
    if form is not None:
        try:
            move_promise(
                database,
                uid_or_missing("job", uid),
                Promise(form.promised_on, form.promised_by),
                why=form.why,
                technician_uid=form.technician_uid,
                seen=Promise(form.seen_promised_on, form.seen_promised_by),
            )
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(request.url_for("vehicle", uid=vehicle_uid))
    return _page(request, pages, look_at_vehicle(database, vehicle_uid), state=state, status=422, part="promise")


@router.post("/vehicles/{uid}/notes", dependencies=[MEASURE], name="add_note")
def post_note(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Add a note."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(NoteForm, posted.values)
    if form is not None:
        try:
            if form.technician_uid is None:
                raise EntryError("technician_uid", "", "Choose who writes it.")
            add_note(database, vehicle_uid, form.note, form.technician_uid)
        except EntryError as error:
            state = state.with_error(error)
        else:
            back = way_back(posted.values.get("back", ""))
            return go_to(f"{request.url_for('vehicle', uid=uid)}#notes" if back is None else back.href)
    return _page(request, pages, look_at_vehicle(database, vehicle_uid), state=state, status=422, part="note")


@router.post("/vehicles/{uid}/pictures", dependencies=[MEASURE], name="add_picture")
def post_picture(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Add a picture."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(PictureForm, posted.values)
    file = posted.files.get("file")
    try:
        if form is None:
            raise state.first_error()
        if file is None or not file.filename:
            raise EntryError("file", "", "No picture was chosen.", "Choose a JPEG or PNG.")
        clean = clean_picture(file.filename, file.file.read(MOST_BYTES + 1))
        add_picture(database, vehicle_uid, form.title, clean)
    except EntryError as error:
        state = state.with_error(error)
    except BadFileError as error:
        state = FormState(state.values, {"file": str(error)})
    else:
        return go_to(f"{request.url_for('vehicle', uid=uid)}#pictures")
    return _page(request, pages, look_at_vehicle(database, vehicle_uid), state=state, status=422, part="picture")


@router.get("/pictures/{uid}", dependencies=[LOOK], name="picture")
def get_picture(database: DatabaseDep, uid: str) -> Response:
    """One picture."""
    picture, content = look_at_picture(database, uid_or_missing("picture", uid))
    kept = {"Cache-Control": "private, max-age=31536000, immutable", "Content-Disposition": "inline"}
    return Response(content, media_type=picture.media_type, headers=kept)


@router.post("/pictures/{uid}/remove", dependencies=[ARRANGE], name="remove_picture")
def post_remove_picture(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Remove a picture."""
    vehicle_uid = uid_or_missing("vehicle", posted.values.get("vehicle_uid", ""))
    remove_picture(database, uid_or_missing("picture", uid))
    return go_to(f"{request.url_for('vehicle', uid=vehicle_uid)}#pictures")


@router.post("/circuits/{uid}/retire", dependencies=[ARRANGE], name="retire_circuit")
def post_retire(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Say that a circuit is not there any more."""
    circuit_uid: UUID = uid_or_missing("circuit", uid)
    form, state = read_form(RetireForm, posted.values)
    back = posted.values.get("back") == "yes"
    if form is None or (not form.why and not back):
        problem = next(iter(state.errors.values()), "Type why it is not there any more.")
        raise RefusedRequestError(problem, "Nothing was changed.")
    job_uid = retire_circuit(database, circuit_uid, "" if back else form.why)
    return go_to(request.url_for("job", uid=job_uid))
