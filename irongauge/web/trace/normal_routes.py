"""What is usual for a vehicle: each channel as a picture, and readings typed off a gauge."""

from __future__ import annotations

from datetime import datetime, time
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.traces.normals import HEATS, LOADS, SPEEDS
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.typed_normals import SENSES_TYPED, typed_readings
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.trace.forms import NormalsForm
from irongauge.web.trace.normal_pictures import normal_pictures
from irongauge.web.trace.page import usual_text, value_text
from irongauge.workflows.shop.view import today
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
        at = datetime.combine(form.read_on or today(shop), time(12), ZoneInfo(shop.timezone))
        if at.date() > today(shop):
            problem = f"{at:%d %b %Y} has not come yet."
            raise EntryError("read_on", posted.values.get("read_on", ""), problem, "Type the day on which it was read.")
        readings = typed_readings(form.readings, Sense(form.sense), form.condition, at)
        type_normals(database, vehicle_uid, form.uid or uuid4(), readings)
    except EntryError as error:
        return _normals(request, database, pages, uid=vehicle_uid, state=state.with_error(error), status=422)
    return go_to(request.url_for("normals", uid=vehicle_uid))


@router.post("/vehicles/{uid}/normals/{reading_uid}/remove", dependencies=[ARRANGE], name="remove_normal")
def post_remove_normal(
    request: Request, database: DatabaseDep, uid: str, reading_uid: str, _posted: FormDep
) -> Response:
    """Take a typed reading back."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    remove_typed(database, vehicle_uid, uid_or_missing("reading", reading_uid))
    return go_to(request.url_for("normals", uid=vehicle_uid))
