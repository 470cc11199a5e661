"""What is usual for a vehicle: each channel as a picture, and readings typed off a gauge."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.shop import Shop
from irongauge.core.traces.fitted_engines import EngineFitting
from irongauge.core.traces.normals import HEATS, LOADS, SPEEDS
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.typed_normals import SENSES_TYPED, typed_readings
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.trace.forms import EngineForm, NormalsForm
from irongauge.web.trace.normal_pictures import normal_pictures
from irongauge.web.trace.page import usual_text, value_text
from irongauge.workflows.shop.view import today
from irongauge.workflows.trace.fitted_engines import fit_engine, remove_fitting
from irongauge.workflows.trace.normals import look_at_normals
from irongauge.workflows.trace.typed_normals import remove_typed, type_normals

__all__ = ["router"]

router = APIRouter(include_in_schema=False)


@router.get("/vehicles/{uid}/normals", dependencies=[LOOK], name="normals")
def get_normals(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """What is usual for a vehicle."""
    return _normals(request, database, pages, uid=uid_or_missing("vehicle", uid), state=FormState(request.query_params))


def _normals(
    request: Request, database: Database, pages: Pages, *, uid: UUID, state: FormState, status: int = 200
) -> Response:
    view = look_at_normals(database, uid)
    start = {
        "uid": str(uuid4()),
        "engine_uid": str(uuid4()),
        "fitted_on": f"{today(view.shop):%Y-%m-%d}",
        "sense": Sense.OIL_PRESSURE,
        "heat": "hot",
        "speed": "at idle",
        "read_on": f"{today(view.shop):%Y-%m-%d}",
    }
    return pages.render(
        request,
        "normals.html",
        status,
        view=view,
        vehicle=view.vehicle,
        state=state.over(start),
        pictures=normal_pictures(view),
        donors={str(one.uid): one.tag for one in view.vehicles},
        senses=SENSES_TYPED,
        heats=HEATS,
        speeds=SPEEDS,
        loads=LOADS,
        shown=value_text,
        usual=usual_text,
        tab="normals",
    )


@router.post("/vehicles/{uid}/normals", dependencies=[MEASURE], name="type_normals")
def post_normals(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, posted: FormDep, shop: ShopDep
) -> Response:
    """Keep readings of a vehicle that was well, off a gauge."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(NormalsForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        at = _day_at(form.read_on, shop, "read_on", posted.values)
        readings = typed_readings(form.readings, Sense(form.sense), form.condition, at)
        type_normals(database, vehicle_uid, form.uid or uuid4(), readings)
    except EntryError as error:
        return _normals(request, database, pages, uid=vehicle_uid, state=state.with_error(error), status=422)
    return go_to(request.url_for("normals", uid=vehicle_uid))


@router.post("/vehicles/{uid}/engines", dependencies=[MEASURE], name="fit_engine")
def post_engine(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, posted: FormDep, shop: ShopDep
) -> Response:
    """Say that another engine was fitted: what is usual of it is its own."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(EngineForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        at = _day_at(form.fitted_on, shop, "fitted_on", posted.values)
        fitting = EngineFitting(
            uid=form.engine_uid or uuid4(), vehicle_uid=vehicle_uid, engine=form.engine, fitted_at=at
        )
        fit_engine(database, fitting, form.came_from)
    except EntryError as error:
        return _normals(request, database, pages, uid=vehicle_uid, state=state.with_error(error), status=422)
    return go_to(request.url_for("normals", uid=vehicle_uid))


@router.post("/vehicles/{uid}/engines/{fitting_uid}/remove", dependencies=[ARRANGE], name="remove_engine")
def post_remove_engine(
    request: Request, database: DatabaseDep, uid: str, fitting_uid: str, _posted: FormDep
) -> Response:
    """Take back that an engine was fitted."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    remove_fitting(database, vehicle_uid, uid_or_missing("engine", fitting_uid))
    return go_to(request.url_for("normals", uid=vehicle_uid))


def _day_at(day: date | None, shop: Shop, field: str, posted: Mapping[str, str]) -> datetime:
    """Noon of that day, of today where none was typed; `EntryError` for one that has not come yet."""
    at = datetime.combine(day or today(shop), time(12), ZoneInfo(shop.timezone))
    if at.date() > today(shop):
        raise EntryError(
            field, posted.get(field, ""), f"{at:%d %b %Y} has not come yet.", "Type the day on which it was."
        )
    return at


@router.post("/vehicles/{uid}/normals/{reading_uid}/remove", dependencies=[ARRANGE], name="remove_normal")
def post_remove_normal(
    request: Request, database: DatabaseDep, uid: str, reading_uid: str, _posted: FormDep
) -> Response:
    """Take a typed reading back."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    remove_typed(database, vehicle_uid, uid_or_missing("reading", reading_uid))
    return go_to(request.url_for("normals", uid=vehicle_uid))
