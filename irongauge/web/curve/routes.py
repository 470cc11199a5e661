"""The Curve room's tools that keep nothing: convert, choose, controller numbers."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.units import FIXED_UNIT, Quantity, from_fixed
from irongauge.core.sensors.choosing import Place, fits_for
from irongauge.core.sensors.circuits import SensorType
from irongauge.core.sensors.conversion import reading_quantity
from irongauge.core.shop import Shop
from irongauge.errors import EntryError
from irongauge.formats.entries_text import forms_csv, forms_json
from irongauge.store.database import Database
from irongauge.web.curve.answers import convert, curve_drawn, kept_verdicts, numbers
from irongauge.web.curve.drawings import draw_choice
from irongauge.web.curve.forms import (
    BITS,
    ChooseForm,
    ConvertForm,
    NumbersForm,
    feed_from,
    need_from,
)
from irongauge.web.curve.tool_page import read_tool, subject_of, tool_page, typed_of, with_scale
from irongauge.web.deps import DatabaseDep, PagesDep
from irongauge.web.forms import read_form
from irongauge.web.navigation import last_circuit, way_back
from irongauge.web.pages import Pages
from irongauge.web.permissions import LOOK
from irongauge.web.shelf.forms import SENSED
from irongauge.workflows.curve.controllers import (
    ToolSubject,
    circuit_worked_on,
    look_at_shelf_types,
)
from irongauge.workflows.curve.entries import KeptVerdict
from irongauge.workflows.shop.view import today

router = APIRouter(include_in_schema=False)


@router.get("/curve/convert", dependencies=[LOOK], name="convert")
def get_convert(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """A curve's values and signals, each from the other."""
    typed = typed_of(request)
    subject = subject_of(request, database, typed)
    form, state = read_tool(ConvertForm, typed)
    found = None
    if form is not None and subject.channel is not None:
        try:
            found = convert(subject, form)
        except EntryError as error:
            state = state.with_error(error)
    unit, drawing = "V", None
    if subject.channel is not None and form is not None:
        with suppress(EntryError):  # said beside its field already
            drawing = curve_drawn(subject, form, found)
        feed = feed_from(form, subject.channel, subject.nominal_feed, subject.measured_reference_v)
        unit = FIXED_UNIT[reading_quantity(subject.channel.curve.kind, feed)]
    return tool_page(
        request,
        pages,
        "convert.html",
        subject=subject,
        state=state,
        found=found,
        tab="convert",
        reading_unit=unit,
        drawing=drawing,
    )


@router.get("/curve/choose", dependencies=[LOOK], name="choose")
def get_choose(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """Which range suits, and what its resolution comes to."""
    shop, shelf = look_at_shelf_types(database)
    start = {"quantity": "pressure", "base": "gauge", "margin_pct": "10", "bits": "10", "full_scale_v": "5",
             "height_m": f"{shop.height_m:g}"}  # fmt: skip
    worked_on = circuit_worked_on(database, last_circuit(request))
    if worked_on is not None and worked_on[0].sensor.channels:
        curve = worked_on[0].sensor.channels[0].curve
        start |= {"quantity": curve.quantity, "base": curve.pressure_base or ""}
    typed = {**start, **typed_of(request)}
    form, state = read_form(ChooseForm, typed)
    found, need, place = None, None, Place()
    quantity = Quantity(typed["quantity"]) if typed["quantity"] in set(Quantity) else Quantity.PRESSURE
    sample = not (typed.get("least", "").strip() or typed.get("greatest", "").strip() or state.errors)
    if sample:
        form, _ = read_form(ChooseForm, {**typed, **_example_need(quantity, shelf, shop)})
    if form is not None and form.least.strip() and form.greatest.strip():
        try:
            need, converter, place = need_from(form, shop)
            found = fits_for(need, shelf, converter, shop.units[quantity], place)
        except EntryError as error:
            state = state.with_error(error)
    drawing = None
    if found and need is not None and form is not None:
        drawing = draw_choice(found, need, form.margin_pct, shop.units[quantity], place.peak_kpa)
    return pages.render(
        request,
        "choose.html",
        shop=shop,
        found=found,
        need=need,
        drawing=drawing,
        sample=sample,
        vehicle=None if worked_on is None else worked_on[1],
        back=way_back(typed.get("back", "")),
        sensed=SENSED,
        unit=shop.units[quantity],
        bits=BITS,
        tab="choose",
        state=state,
    )


def _example_need(quantity: Quantity, shelf: Sequence[SensorType], shop: Shop) -> dict[str, str]:
    """Most of the range of a sensor of this shop, as an example; nothing where none senses the quantity."""
    curve = next((c.curve for s in shelf for c in s.channels if c.curve.quantity is quantity), None)
    if curve is None:
        return {}
    unit = shop.units[quantity]
    low, high = (
        from_fixed(v, unit) for v in (curve.value_low, curve.value_low + 0.7 * (curve.value_high - curve.value_low))
    )
    return {"least": f"{low:.3g}", "greatest": f"{high:.3g}", "base": curve.pressure_base or ""}


@router.get("/curve/numbers", dependencies=[LOOK], name="numbers")
def get_numbers(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """Every number that a controller asks for, from one curve."""
    return _numbers_page(request, database, pages, "numbers.html")


@router.get("/curve/numbers/slip", dependencies=[LOOK], name="numbers_slip")
def get_slip(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The numbers as a slip to take to the vehicle."""
    return _numbers_page(request, database, pages, "slip.html")


def _numbers_page(request: Request, database: Database, pages: Pages, template: str) -> Response:
    typed = typed_of(request)
    subject = subject_of(request, database, typed)
    form, state = read_tool(NumbersForm, typed)
    found = None
    kept: tuple[KeptVerdict, ...] = ()
    if form is not None and subject.channel is not None:
        try:
            found = numbers(subject, form)
            kept = kept_verdicts(subject, form)
        except EntryError as error:
            state = state.with_error(error)
    state = with_scale(subject, form, state)
    return tool_page(
        request,
        pages,
        template,
        subject=subject,
        state=state,
        found=found,
        kept=kept,
        tab="numbers",
        today=today(subject.shop),
    )


@router.get("/curve/numbers.json", dependencies=[LOOK], name="numbers_json")
def numbers_json(request: Request, database: DatabaseDep) -> Response:
    """The numbers for programs."""
    subject, found = _numbers_file(request, database)
    text = forms_json(subject.title, found.forms, found.target, found.reading_unit)
    return _file(text, "application/json", "controller-numbers.json")


@router.get("/curve/numbers.csv", dependencies=[LOOK], name="numbers_csv")
def numbers_csv(request: Request, database: DatabaseDep) -> Response:
    """The numbers as a table."""
    _, found = _numbers_file(request, database)
    return _file(
        forms_csv(found.forms, found.target, found.reading_unit), "text/csv; charset=utf-8", "controller-table.csv"
    )


def _numbers_file(request: Request, database: Database) -> tuple[ToolSubject, Any]:
    typed = typed_of(request)
    subject = subject_of(request, database, typed)
    form, state = read_tool(NumbersForm, typed)
    if form is None or subject.channel is None:
        field, problem = next(iter(state.errors.items()), ("source", "There is no curve on the Shelf."))
        raise EntryError(field, typed.get(field, ""), problem)
    return subject, numbers(subject, form)


def _file(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
