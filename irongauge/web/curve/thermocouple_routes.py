"""A thermocouple's millivolts and its temperature, one from the other."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.units import Quantity, from_fixed
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType
from irongauge.core.shop import Shop, Vehicle
from irongauge.errors import EntryError
from irongauge.web.curve.junction import METALS, Junction, ThermocoupleForm, draw_junction, junction_of
from irongauge.web.deps import DatabaseDep, PagesDep
from irongauge.web.forms import FormState, read_form
from irongauge.web.navigation import last_circuit, way_back
from irongauge.web.permissions import LOOK
from irongauge.workflows.curve.controllers import circuit_worked_on, look_at_shelf_types
from irongauge.workflows.shop.known import KnownFigure

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

_EXAMPLE_DEGC = {"cold": 23.0, "degc": 320.0}


@router.get("/curve/thermocouple", dependencies=[LOOK], name="thermocouple")
def get_thermocouple(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """Millivolts and degrees of a thermocouple, with its cold end."""
    shop, _ = look_at_shelf_types(database)
    worked_on = _thermocouple(circuit_worked_on(database, last_circuit(request)))
    typed = {**_kind_of(worked_on), **request.query_params}
    form, state = read_form(ThermocoupleForm, typed)
    found = None
    if form is not None:
        try:
            found = junction_of(form, shop)
        except EntryError as error:
            state = state.with_error(error)
    if found is not None:
        state = FormState({**state.values, found.follows[0]: found.follows[1]}, state.errors)
    example = _example(shop)
    sample = None
    if not any(typed.get(name, "").strip() for name in ("mv", "degc", "cold")) and form is not None:
        sample = _sample(form.kind, example, shop)
    shown = found or sample
    return pages.render(
        request,
        "thermocouple.html",
        422 if state.errors else 200,
        state=state,
        shop=shop,
        found=found,
        sample=sample,
        drawing=None if shown is None else draw_junction(shown, shop),
        example={} if sample is None else {**example, "mv": sample.follows[1]},
        known=_known(worked_on),
        vehicle=None if worked_on is None else worked_on[1],
        back=way_back(typed.get("back", "")),
        unit=shop.units[Quantity.TEMPERATURE],
        kinds=[(kind.value, f"{kind} ({METALS[kind]})") for kind in ThermocoupleType],
        tab="convert",
    )


def _thermocouple(worked_on: tuple[Circuit, Vehicle] | None) -> tuple[Circuit, Vehicle] | None:
    """The circuit last worked on, if it is a thermocouple of a known kind."""
    if worked_on is None:
        return None
    element = worked_on[0].sensor.element
    is_one = isinstance(element, ThermocoupleKind) and element.letter is not None
    return worked_on if is_one else None


def _kind_of(worked_on: tuple[Circuit, Vehicle] | None) -> dict[str, str]:
    element = None if worked_on is None else worked_on[0].sensor.element
    letter = element.letter if isinstance(element, ThermocoupleKind) else None
    return {"kind": letter or ThermocoupleType.K}


def _known(worked_on: tuple[Circuit, Vehicle] | None) -> KnownFigure | None:
    if worked_on is None:
        return None
    return KnownFigure(_kind_of(worked_on)["kind"], f"as {worked_on[0].name} of {worked_on[1].tag} has it")


def _example(shop: Shop) -> dict[str, str]:
    unit = shop.units[Quantity.TEMPERATURE]
    return {name: f"{from_fixed(degc, unit):.0f}" for name, degc in _EXAMPLE_DEGC.items()}


def _sample(kind: str, example: dict[str, str], shop: Shop) -> Junction | None:
    return junction_of(ThermocoupleForm(kind=kind, **example), shop)
