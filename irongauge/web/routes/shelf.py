"""The Shelf: sensor types with their curves, instruments with their due dates, the shop's units and limits."""

from __future__ import annotations

from zoneinfo import available_timezones

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.case import SHOP_LIMITS
from irongauge.core.circuits import FAMILIES
from irongauge.core.units import units_of
from irongauge.errors import EntryError
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, ShopDep
from irongauge.web.drawings.strips import draw_curve
from irongauge.web.forms.base import FormState, read_form
from irongauge.web.forms.shelf import (
    SENSED,
    InstrumentForm,
    SensorTypeForm,
    TechnicianForm,
    instrument_from_form,
    sensor_from_form,
    shop_from_posted,
    shop_values,
)
from irongauge.web.pages import Pages, go_to
from irongauge.workflows.shelf import (
    add_instrument,
    add_sensor_type,
    add_technician,
    change_shop,
    look_at_shelf,
)
from irongauge.workflows.view import today

router = APIRouter(include_in_schema=False)

_EMPTY = FormState()


@router.get("/shelf", name="shelf")
def shelf(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    return _shelf_page(request, pages, database, _EMPTY)


def _shelf_page(request: Request, pages: Pages, database: DatabaseDep, state: FormState, status: int = 200) -> Response:
    view = look_at_shelf(database)
    units = view.shop.units
    thumbs = [
        (sensor, draw_curve(sensor, None if sensor.quantity is None else units[sensor.quantity]))
        for sensor in view.sensor_types
    ]
    return pages.render(
        request, "shelf.html", status, shelf=view, thumbs=thumbs, families=FAMILIES, today=today(view.shop), state=state
    )


@router.post("/technicians", name="add_technician")
def post_technician(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    form, state = read_form(TechnicianForm, posted.values)
    if form is not None:
        try:
            add_technician(database, form.name)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(str(request.url_for("shelf")) + "#technicians")
    return _shelf_page(request, pages, database, state, 422)


@router.get("/shelf/instruments/new", name="new_instrument")
def new_instrument(request: Request, shop: ShopDep, pages: PagesDep) -> Response:
    return pages.render(
        request, "instrument_form.html", shop=shop, state=FormState({"kind": "meter", "counts": "6000"})
    )


@router.post("/shelf/instruments", name="add_instrument")
def post_instrument(
    request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep
) -> Response:
    form, state = read_form(InstrumentForm, posted.values)
    if form is not None:
        try:
            add_instrument(database, instrument_from_form(form, shop))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(str(request.url_for("shelf")) + "#instruments")
    return pages.render(request, "instrument_form.html", 422, shop=shop, state=state)


@router.get("/shelf/sensor-types/new", name="new_sensor_type")
def new_sensor_type(request: Request, shop: ShopDep, pages: PagesDep) -> Response:
    values = {
        "supply_v": "5.0",
        "quantity": "pressure",
        "kind": "ratio",
        "signal_low": "10",
        "signal_high": "90",
        "tolerance_pct_span": "2",
    }
    return _sensor_page(request, pages, shop, FormState(values))


def _sensor_page(request: Request, pages: Pages, shop: ShopDep, state: FormState, status: int = 200) -> Response:
    units = [shop.units[quantity] for quantity in SENSED]
    return pages.render(
        request,
        "sensor_form.html",
        status,
        families=[(family, spec.title) for family, spec in FAMILIES.items()],
        sensed=SENSED,
        units=units,
        state=state,
    )


@router.post("/shelf/sensor-types", name="add_sensor_type")
def post_sensor_type(
    request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep
) -> Response:
    form, state = read_form(SensorTypeForm, posted.values)
    if form is not None:
        try:
            add_sensor_type(database, sensor_from_form(form, shop))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(request.url_for("shelf"))
    return _sensor_page(request, pages, shop, state, 422)


@router.get("/shelf/shop", name="shop_form")
def shop_form(request: Request, shop: ShopDep, pages: PagesDep) -> Response:
    return _shop_page(request, pages, shop_values(shop))


def _shop_page(request: Request, pages: Pages, state: FormState, status: int = 200) -> Response:
    choices = [(quantity, units_of(quantity)) for quantity in SENSED]
    zones = sorted(available_timezones())
    return pages.render(request, "shop_form.html", status, units=choices, limits=SHOP_LIMITS, zones=zones, state=state)


@router.post("/shelf/shop", name="change_shop")
def post_shop(request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep) -> Response:
    changed, state = shop_from_posted(shop, posted.values)
    if changed is None:
        return _shop_page(request, pages, state, 422)
    change_shop(database, changed)
    return go_to(request.url_for("shelf"))
