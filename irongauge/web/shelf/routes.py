"""The Shelf: sensor types with their curves, instruments with their due dates, the shop's units and limits."""

from __future__ import annotations

from zoneinfo import available_timezones

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.case import SHOP_LIMITS
from irongauge.core.measure.units import units_of
from irongauge.core.plan.joints import Joint
from irongauge.core.sensors.circuits import FAMILIES, Instrument, SensorType
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.plausibility import Weight, doubts_about
from irongauge.core.sensors.transfer import Curve, LinearCurve, NtcCurve, TableCurve
from irongauge.core.shop import Shop
from irongauge.errors import BadFileError, EntryError, NotFoundError, quoted
from irongauge.formats.curve_table import LONGEST_TEXT, read_table, write_table
from irongauge.formats.pictures import MOST_BYTES, clean_picture
from irongauge.store.database import Database
from irongauge.web.curve.drawings import draw_type
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, ShopDep, uid_or_missing
from irongauge.web.edit_conflicts import SEEN, changed_meanwhile, seen_text
from irongauge.web.forms import FormState, read_form
from irongauge.web.navigation import way_back
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, RUN
from irongauge.web.shelf.forms import (
    IN_UNITS,
    SENSED,
    SensorTypeForm,
    sensor_from_form,
    sensor_values,
    shop_from_posted,
    shop_values,
)
from irongauge.web.shelf.instrument_forms import InstrumentForm, instrument_from_form, instrument_values
from irongauge.web.shelf.thumbs import draw_curve
from irongauge.workflows.shop.shelf import (
    add_instrument,
    add_sensor_type,
    change_instrument,
    change_sensor_type,
    change_shop,
    logo_of,
    look_at_instrument,
    look_at_sensor_type,
    look_at_shelf,
    set_logo,
)
from irongauge.workflows.shop.view import today

router = APIRouter(include_in_schema=False)


@router.get("/shelf", dependencies=[LOOK], name="shelf")
def shelf(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The Shelf: sensor types, instruments, and the shop's limits."""
    view = look_at_shelf(database)
    units = view.shop.units
    thumbs = [
        (sensor, draw_curve(sensor, None if sensor.quantity is None else units[sensor.quantity]))
        for sensor in view.sensor_types
    ]
    return pages.render(request, "shelf.html", shelf=view, thumbs=thumbs, families=FAMILIES, today=today(view.shop))


@router.get("/shelf/instruments/new", dependencies=[LOOK], name="new_instrument")
def new_instrument(request: Request, shop: ShopDep, pages: PagesDep) -> Response:
    """The form for an instrument."""
    return _instrument_page(request, pages, shop, state=FormState({"kind": "meter", "counts": "6000"}))


def _instrument_page(
    request: Request, pages: Pages, shop: Shop, *, state: FormState, status: int = 200, old: Instrument | None = None
) -> Response:
    title = "Add an instrument" if old is None else f"Change {old.name}"
    units = [shop.units[quantity] for quantity in SENSED]
    return pages.render(
        request, "instrument_form.html", status, title=title, old=old, sensed=SENSED, units=units, state=state
    )


@router.post("/shelf/instruments", dependencies=[ARRANGE], name="add_instrument")
def post_instrument(
    request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep
) -> Response:
    """Put an instrument on the Shelf."""
    form, state = read_form(InstrumentForm, posted.values)
    if form is not None:
        try:
            add_instrument(database, instrument_from_form(form, shop))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(str(request.url_for("shelf")) + "#instruments")
    return _instrument_page(request, pages, shop, state=state, status=422)


@router.get("/shelf/instruments/{uid}/edit", dependencies=[LOOK], name="edit_instrument")
def edit_instrument(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """An instrument's card."""
    shop, old = look_at_instrument(database, uid_or_missing("instrument", uid))
    return _instrument_page(request, pages, shop, state=instrument_values(old, shop), old=old)


@router.post("/shelf/instruments/{uid}", dependencies=[ARRANGE], name="change_instrument")
def post_changed_instrument(
    request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep
) -> Response:
    """Change an instrument's card; readings keep the one they were taken with."""
    shop, old = look_at_instrument(database, uid_or_missing("instrument", uid))
    form, state = read_form(InstrumentForm, posted.values)
    if form is not None:
        try:
            change_instrument(database, old.uid, instrument_from_form(form, shop))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return go_to(str(request.url_for("shelf")) + "#instruments")
    return _instrument_page(request, pages, shop, state=state, status=422, old=old)


@router.get("/shelf/sensor-types/new", dependencies=[LOOK], name="new_sensor_type")
def new_sensor_type(request: Request, shop: ShopDep, pages: PagesDep, back: str = "") -> Response:
    """The form for a sensor type."""
    values = {
        "back": back,
        "supply_v": "5.0",
        "quantity": "pressure",
        "kind": "ratio",
        "signal_low": "10",
        "signal_high": "90",
        "tolerance_pct_span": "2",
    }
    return _sensor_page(request, pages, shop, FormState(values))


def _sensor_page(
    request: Request,
    pages: Pages,
    shop: Shop,
    state: FormState,
    status: int = 200,
    *,
    old: SensorType | None = None,
    seen: SensorType | None = None,
    confirm: bool = False,
) -> Response:
    """The form of a card. `seen` is what was typed, where it makes a card: it is drawn, and second thoughts are told."""
    units = [shop.units[quantity] for quantity in SENSED]
    unit = None if seen is None or seen.quantity is None else shop.units[seen.quantity]
    nothing_typed = not any(
        state.values.get(end, "").strip() for end in ("value_low", "value_high", "table", "ntc_points")
    )
    drawn = seen or (_example_type(shop) if nothing_typed and old is None and not _is_curveless(state) else None)
    return pages.render(
        request,
        "sensor_form.html",
        status,
        title="Add a sensor type" if old is None else f"Change {old.name}",
        old=old,
        families=[(family, spec.title) for family, spec in FAMILIES.items()],
        sensed=SENSED,
        units=units,
        seen=seen,
        thumb=None if seen is None else draw_curve(seen, unit),
        note="" if seen is None else _read_as(state, seen, shop),
        doubts=() if seen is None else doubts_about(seen),
        drawing=None if drawn is None else draw_type(drawn, shop),
        is_example=seen is None and drawn is not None,
        back=way_back(state.values.get("back", "")),
        confirm=confirm,
        state=state,
    )


def _example_type(shop: Shop) -> SensorType:
    """What a line by two points looks like, until one is typed."""
    typed = {
        "name": "example",
        "family": "ratiometric-3w",
        "supply_v": "5",
        "pressure_base": "gauge",
        "signal_low": "10",
    }
    typed |= {"signal_high": "90", "value_low": "0 bar", "value_high": "10 bar", "tolerance_pct_span": "2"}
    return sensor_from_form(SensorTypeForm.model_validate(typed), shop)


def _is_curveless(state: FormState) -> bool:
    family = state.values.get("family", "")
    return family in set(Family) and not FAMILIES[Family(family)].needs_curve


def _read_as(state: FormState, sensor: SensorType, shop: Shop) -> str:
    """How a pasted table was understood."""
    curve = sensor.curve
    if not isinstance(curve, TableCurve):
        return ""
    return read_table(state.values.get("table", ""), curve.kind, curve.quantity, shop.units[curve.quantity]).note


def _typed_card(posted: Posted) -> dict[str, str]:
    """The form's fields, with a file that came with it in place of the pasted table."""
    values = dict(posted.values)
    file = posted.files.get("table_file")
    if file is not None and file.size:
        if file.size > LONGEST_TEXT:
            raise EntryError(
                "table", file.filename or "", f"That file has {file.size:,} bytes.", "A table is a page of text."
            )
        try:
            values["table"] = file.file.read().decode("utf-8-sig")
        except UnicodeDecodeError:
            problem = f"{quoted(file.filename or 'The file')} is not plain text."
            raise EntryError("table", file.filename or "", problem, "Save it from the sheet as CSV (UTF-8).") from None
    return values


def _card(posted: Posted, shop: Shop) -> tuple[SensorType | None, SensorTypeForm | None, FormState]:
    """The card that was typed, None where it is none yet, with the messages."""
    try:
        values = _typed_card(posted)
    except EntryError as error:
        return None, None, FormState(posted.values).with_error(error)
    form, state = read_form(SensorTypeForm, values)
    if form is None:
        return None, None, state
    try:
        return sensor_from_form(form, shop), form, state
    except EntryError as error:
        return None, form, state.with_error(error)


@router.post("/shelf/sensor-types/look", dependencies=[LOOK], name="look_sensor_type")
def look_sensor_type(request: Request, pages: PagesDep, shop: ShopDep, posted: FormDep) -> Response:
    """The card as it is being typed: its picture and what is odd about it. Nothing is kept."""
    seen, _, state = _card(posted, shop)
    return _sensor_page(request, pages, shop, state, seen=seen)


@router.post("/shelf/sensor-types", dependencies=[ARRANGE], name="add_sensor_type")
def post_sensor_type(
    request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep
) -> Response:
    """Put a sensor type on the Shelf."""
    return _take_card(request, database, pages, shop=shop, posted=posted, old=None)


@router.get("/shelf/sensor-types/{uid}/edit", dependencies=[LOOK], name="edit_sensor_type")
def edit_sensor_type(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """A sensor type's card."""
    shop, old = look_at_sensor_type(database, uid_or_missing("sensor type", uid))
    return _sensor_page(request, pages, shop, sensor_values(old, shop), old=old, seen=old)


@router.post("/shelf/sensor-types/{uid}", dependencies=[ARRANGE], name="change_sensor_type")
def post_changed_type(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Change a sensor type's card."""
    shop, old = look_at_sensor_type(database, uid_or_missing("sensor type", uid))
    return _take_card(request, database, pages, shop=shop, posted=posted, old=old)


def _take_card(
    request: Request, database: Database, pages: Pages, *, shop: Shop, posted: Posted, old: SensorType | None
) -> Response:
    """Keep a card, or show it again with what is wrong or doubtful. A doubt is kept out only until it is confirmed."""
    seen, form, state = _card(posted, shop)
    if seen is None or form is None:
        return _sensor_page(request, pages, shop, state, 422, old=old)
    doubts = doubts_about(seen)
    refused = next((d for d in doubts if d.weight is Weight.CANNOT_BE), None)
    if refused is not None:
        state = state.with_error(EntryError(refused.field, "", refused.sentence))
    elif doubts and form.sure != "yes":
        return _sensor_page(request, pages, shop, state, 422, old=old, seen=seen, confirm=True)
    else:
        try:
            back = way_back(posted.values.get("back", ""))
            if old is None:
                add_sensor_type(database, seen)
            else:
                change_sensor_type(database, old.uid, seen)
            return go_to(request.url_for("shelf") if back is None else f"{back.href}?sensor={seen.uid}")
        except EntryError as error:
            state = state.with_error(error)
    return _sensor_page(request, pages, shop, state, 422, old=old, seen=seen)


@router.get("/shelf/sensor-types/{uid}/curve.csv", dependencies=[LOOK], name="curve_csv")
def curve_csv(database: DatabaseDep, uid: str) -> Response:
    """Its curve as a table."""
    shop, sensor = look_at_sensor_type(database, uid_or_missing("sensor type", uid))
    if not sensor.channels:
        raise NotFoundError("curve", sensor.name)
    curve = sensor.channels[0].curve
    text = write_table(curve, _points_of(curve), shop.units[curve.quantity])
    headers = {"Content-Disposition": 'attachment; filename="curve.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


_NTC_STEP_K = 10


def _points_of(curve: Curve) -> list[tuple[float, float]]:
    """A curve's own points as (signal, value); a thermistor without any, every ten kelvin."""
    if isinstance(curve, (LinearCurve, TableCurve)):
        return list(curve.points)
    assert isinstance(curve, NtcCurve)
    if curve.thermistor.points:
        return [(ohm, degc) for degc, ohm in curve.thermistor.points]
    places = range(int(curve.value_low), int(curve.value_high) + 1, _NTC_STEP_K)
    return [(float(curve.signal_at(float(degc))), float(degc)) for degc in places]


@router.get("/shelf/shop", dependencies=[LOOK], name="shop_form")
def shop_form(request: Request, database: DatabaseDep, shop: ShopDep, pages: PagesDep) -> Response:
    """The shop's own data, units and limits."""
    values = shop_values(shop).values
    return _shop_page(request, pages, database, FormState({**values, SEEN: seen_text(values)}))


@router.get("/shelf/shop/logo", dependencies=[LOOK], name="logo")
def logo(database: DatabaseDep) -> Response:
    """The picture at the head of its sheets."""
    found = logo_of(database)
    if found is None:
        raise NotFoundError("picture", "logo")
    return Response(found[1], media_type=found[0])


@router.post("/shelf/shop/logo", dependencies=[RUN], name="set_logo")
def post_logo(request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep) -> Response:
    """Set that picture, or take it away."""
    file = posted.files.get("file")
    values = shop_values(shop).values
    try:
        if posted.values.get("remove") == "yes":
            set_logo(database, None)
        elif file is None or not file.filename:
            raise BadFileError("no file", "No picture was chosen.", "Choose a JPEG or PNG.")
        else:
            set_logo(database, clean_picture(file.filename, file.file.read(MOST_BYTES + 1)))
    except BadFileError as error:
        state = FormState({**values, SEEN: seen_text(values)}, {"file": str(error)})
        return _shop_page(request, pages, database, state, 422)
    return go_to(str(request.url_for("shop_form")) + "#logo")


def _shop_page(request: Request, pages: Pages, database: DatabaseDep, state: FormState, status: int = 200) -> Response:
    choices = [(quantity, units_of(quantity)) for quantity in IN_UNITS]
    zones = sorted(available_timezones())
    return pages.render(
        request,
        "shop_form.html",
        status,
        units=choices,
        limits=SHOP_LIMITS,
        zones=zones,
        schools=tuple(Joint),
        has_logo=logo_of(database) is not None,
        state=state,
    )


@router.post("/shelf/shop", dependencies=[RUN], name="change_shop")
def post_shop(request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, posted: FormDep) -> Response:
    """Change the shop's data, units and limits."""
    changed, state = shop_from_posted(shop, posted.values)
    if changed is None:
        return _shop_page(request, pages, database, state, 422)
    newer = changed_meanwhile(posted.values, shop_values(shop).values, state)
    if newer is not None:
        return _shop_page(request, pages, database, newer, 409)
    change_shop(database, changed, shop)
    return go_to(request.url_for("shelf"))
