"""The order of the work: lanes, lists, why each step stands where it stands, and what people say of it."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import JSONResponse, Response

from irongauge.core.work.hours import hours_from, hours_text
from irongauge.core.work.reasons import remedy_for
from irongauge.core.work.record import Status
from irongauge.core.work.steps import Heat, WorkState
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, ARRANGE_FOR_OTHERS, LOOK, MEASURE, RUN, RUN_FOR_OTHERS
from irongauge.web.work.calendar import calendar_of
from irongauge.web.work.forms import (
    AddForm,
    BeforeForm,
    CoverForm,
    HoursForm,
    PinForm,
    StatusForm,
    cover_from,
    moment_from,
    said_from,
    tools_from,
    tools_text,
)
from irongauge.web.work.lanes import Lanes, draw_lanes
from irongauge.web.work.page import Saved, above_pct, help_texts, none_helps, step_view, vehicle_lines
from irongauge.workflows.work.session import (
    add_step,
    change_hours,
    change_tools,
    find_better,
    go_first,
    look_at_work,
    pin_step,
    put_before,
    remove_step,
    say_status,
)

router = APIRouter(include_in_schema=False)

_COOKIE = "iron_work"


def _page(
    request: Request,
    database: Database,
    pages: Pages,
    *,
    vehicle_uid: UUID | None,
    state: FormState | None = None,
    status: int = 200,
    chosen: str = "",
    why: str = "",
    by: str = "",
) -> Response:
    view = look_at_work(database, vehicle_uid)
    lanes: Lanes | None = None if view.plan is None else draw_lanes(view, view.plan, chosen, by_vehicle=by == "vehicle")
    asked = next((v for v in view.late if v.key == why), None)
    remedy = None if asked is None or view.plan is None else remedy_for(view.work, view.plan, asked)
    saved = None
    if view.plan is not None and view.entered is not None:
        saved = Saved(view.entered.setup_min, view.plan.setup_min, view.entered.changes, view.plan.changes)
    who = "".join(recall(request, _COOKIE, 1))
    shown = step_view(database, view, chosen) if chosen else None
    if not who and shown is not None and shown.planned is not None:
        who = shown.planned.people[0]
    values = {
        "technician_uid": who,
        "tools": tools_text(view.shop),
        "minutes": "30",
        "cover_minutes": "5",
        "back_minutes": "5",
        "shop_hours": hours_text(view.shop.hours),
    }
    if view.only is not None:
        values["vehicle_uid"] = str(view.only.uid)
    return pages.render(
        request,
        "work.html",
        status,
        view=view,
        vehicle=view.only,
        lanes=lanes,
        late={v.key: view.plan.late_min(v) for v in view.late} if view.plan is not None else {},
        asked=asked,
        remedy=remedy,
        helps=() if remedy is None else help_texts(view, remedy),
        none_helps="" if asked is None or remedy is None else none_helps(view, asked, remedy),
        chosen=shown,
        vehicles=vehicle_lines(view),
        saved=saved,
        above=above_pct(view),
        state=(state or FormState()).over(values),
        states=tuple(WorkState),
        heats=tuple(Heat),
        hours_text=hours_text,
        tab="work",
    )


@router.get("/work", dependencies=[LOOK], name="work")
def get_work(
    request: Request, database: DatabaseDep, pages: PagesDep, *, step: str = "", why: str = "", lanes: str = ""
) -> Response:
    """The order of the work of the shop."""
    return _page(request, database, pages, vehicle_uid=None, chosen=step[:200], why=why[:60], by=lanes)


@router.get("/vehicles/{uid}/work", dependencies=[LOOK], name="vehicle_work")
def get_vehicle_work(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, step: str = "", why: str = ""
) -> Response:
    """The order of the work on one vehicle."""
    return _page(request, database, pages, vehicle_uid=uid_or_missing("vehicle", uid), chosen=step[:200], why=why[:60])


def _back(request: Request, posted: dict[str, str], step: str = "") -> Response:
    """To where the form was: the list of one vehicle, or of the shop."""
    uid = posted.get("of_vehicle", "")
    address = request.url_for("vehicle_work", uid=uid_or_missing("vehicle", uid)) if uid else request.url_for("work")
    return go_to(address.include_query_params(step=step) if step else address)


def _scope(posted: dict[str, str]) -> UUID | None:
    uid = posted.get("of_vehicle", "")
    return uid_or_missing("vehicle", uid) if uid else None


def _refused(
    request: Request, database: Database, pages: Pages, posted: Posted, state: FormState, *, chosen: str = ""
) -> Response:
    """The page that the form was on, with what was typed and why it would not do."""
    scope = _scope(posted.values)
    return _page(request, database, pages, vehicle_uid=scope, state=state, status=422, chosen=chosen)


@router.post("/work/status", dependencies=[MEASURE], name="say_status")
def post_status(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Say how far a step is."""
    form, state = read_form(StatusForm, posted.values)
    if form is not None:
        status = Status(form.status)
        try:
            say_status(database, form.key, status, form.technician_uid, why=form.why, confirmed=form.confirmed == "yes")
        except EntryError as error:
            state = state.with_error(error)
        else:
            response = _back(request, posted.values, "" if status.is_over else form.key)
            remember(response, _COOKIE, (form.technician_uid,))
            return response
    return _refused(request, database, pages, posted, state, chosen=posted.values.get("key", ""))


@router.post("/work/pin", dependencies=[ARRANGE_FOR_OTHERS], name="pin_step")
def post_pin(request: Request, database: DatabaseDep, shop: ShopDep, pages: PagesDep, posted: FormDep) -> Response:
    """Say when a step is to be done, and by whom."""
    form, state = read_form(PinForm, posted.values)
    if form is not None:
        try:
            pin_step(database, form.key, moment_from(form.at, shop, "at"), form.only_uid)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, posted.values, form.key)
    return _refused(request, database, pages, posted, state, chosen=posted.values.get("key", ""))


@router.post("/work/before", dependencies=[ARRANGE], name="put_before")
def post_before(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Set a step before another."""
    form, state = read_form(BeforeForm, posted.values)
    if form is not None:
        try:
            put_before(database, form.key, form.before[:200])
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, posted.values, form.key)
    return _refused(request, database, pages, posted, state, chosen=posted.values.get("key", ""))


@router.post("/work/steps", dependencies=[ARRANGE], name="add_step")
def post_step(request: Request, database: DatabaseDep, shop: ShopDep, pages: PagesDep, posted: FormDep) -> Response:
    """Add a step."""
    form, state = read_form(AddForm, posted.values)
    if form is not None:
        try:
            said = said_from(form, shop)
            add_step(database, said)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, posted.values, said.key)
    return _refused(request, database, pages, posted, state)


@router.post("/vehicles/{uid}/work/covers", dependencies=[ARRANGE], name="add_cover")
def post_cover(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep, uid: str) -> Response:
    """Say what lies over a place."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(CoverForm, posted.values)
    if form is not None:
        try:
            said = cover_from(form, vehicle_uid, posted.values)
            add_step(database, said)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, posted.values, said.key)
    return _page(request, database, pages, vehicle_uid=vehicle_uid, state=state, status=422)


@router.post("/work/remove", dependencies=[ARRANGE], name="remove_step")
def post_remove(request: Request, database: DatabaseDep, posted: FormDep) -> Response:
    """Remove a step."""
    remove_step(database, posted.values.get("key", "")[:200])
    return _back(request, posted.values)


@router.post("/work/first", dependencies=[ARRANGE], name="go_first")
def post_first(request: Request, database: DatabaseDep, posted: FormDep) -> Response:
    """Let a vehicle go first."""
    job_uid = uid_or_missing("job", posted.values.get("job_uid", ""))
    go_first(database, job_uid, goes_first=posted.values.get("goes_first") == "yes")
    return _back(request, posted.values)


@router.post("/work/hours", dependencies=[RUN_FOR_OTHERS], name="work_hours")
def post_hours(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Say when somebody works."""
    form, state = read_form(HoursForm, posted.values)
    if form is not None:
        try:
            hours = None if form.own == "shop" and form.worker_uid is not None else hours_from(form.hours[:400])
            change_hours(database, form.worker_uid, hours)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _back(request, posted.values)
    return _refused(request, database, pages, posted, state)


@router.post("/work/tools", dependencies=[RUN], name="work_tools")
def post_tools(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Say which tools there are, and how many."""
    state = FormState(posted.values)
    try:
        change_tools(database, tools_from(posted.values.get("tools", "")[:4000]))
    except EntryError as error:
        return _refused(request, database, pages, posted, state.with_error(error))
    return _back(request, posted.values)


@router.post("/work/better", dependencies=[ARRANGE], name="find_better")
def post_better(database: DatabaseDep, posted: FormDep) -> Response:
    """Look for a better plan for a few seconds; the page asks again while it is looked at, and can be left at any time."""
    view, is_better = find_better(database, _scope(posted.values))
    if view.plan is None:
        raise RefusedRequestError("There is no plan to make better.", "See what the page says of it.")
    is_best = view.plan.cost <= view.plan.bound
    return JSONResponse(
        {"better": is_better, "best": is_best, "changes_min": view.plan.setup_min, "late": len(view.late)}
    )


@router.get("/work/{technician_uid}.ics", dependencies=[LOOK], name="work_calendar")
def get_calendar(database: DatabaseDep, technician_uid: str) -> Response:
    """Somebody's steps as a calendar."""
    uid = uid_or_missing("technician", technician_uid)
    view = look_at_work(database)
    if uid not in {t.uid for t in view.people.technicians}:
        raise NotFoundError("technician", technician_uid)
    headers = {"Content-Disposition": 'attachment; filename="work.ics"'}
    return Response(calendar_of(view, str(uid)), media_type="text/calendar; charset=utf-8", headers=headers)
