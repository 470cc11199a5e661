"""A thermocouple's millivolts and its temperature, one from the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.units import Quantity, from_fixed, show, show_difference
from irongauge.core.sensors.thermocouple import ThermocoupleType, degc_at_mv, mv_at_degc, range_degc, uv_per_k_at
from irongauge.core.shop import Shop
from irongauge.errors import EntryError, as_sentence
from irongauge.web.deps import DatabaseDep, PagesDep
from irongauge.web.forms import PostedForm, choice, read_form
from irongauge.workflows.controllers import look_at_shelf_types

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

# Colours differ from standard to standard, so a kind is told by its metals.
_METALS = {
    "K": "nickel-chromium and nickel-aluminium",
    "J": "iron and copper-nickel",
    "T": "copper and copper-nickel",
    "E": "nickel-chromium and copper-nickel",
    "N": "nickel-chromium-silicon and nickel-silicon",
    "R": "platinum-13 % rhodium and platinum",
    "S": "platinum-10 % rhodium and platinum",
    "B": "platinum-30 % and -6 % rhodium",
}
_LEAST_MV = 0.1  # a shop meter's last digit


class ThermocoupleForm(PostedForm):
    kind: Annotated[str, choice(*ThermocoupleType)] = ThermocoupleType.K
    side: Annotated[str, choice("", "mv", "degc")] = ""
    mv: str = ""
    degc: str = ""
    cold: str = ""


@dataclass(frozen=True)
class Junction:
    """What the page says: the figure, how it came, and what a shop's meter makes of it; what the other field shows."""

    mv: str
    degc: str
    headline: str
    detail: str
    caution: str


def _junction(form: ThermocoupleForm, shop: Shop) -> Junction | None:
    if not form.mv.strip() and not form.degc.strip():
        return None
    kind = ThermocoupleType(form.kind)
    unit = shop.units[Quantity.TEMPERATURE]
    if not form.cold.strip():
        would_do = "Measure at the terminals where the two metals end, such as 23."
        raise EntryError("cold", "", "Millivolts alone are a difference of temperatures.", would_do)
    cold = parse_entry(form.cold, Quantity.TEMPERATURE, field="cold", unit=unit).value
    assert cold is not None  # no over-range word is allowed here
    from_mv = bool(form.mv.strip()) and form.side != "degc"
    field = "mv" if from_mv else "degc"
    try:
        if from_mv:
            volts = parse_entry(form.mv, Quantity.VOLTAGE, field="mv", unit="mV").value
            assert volts is not None
            mv = 1000 * volts
            degc = degc_at_mv(kind, mv, cold)
            headline = show(degc, unit)
        else:
            value = parse_entry(form.degc, Quantity.TEMPERATURE, field="degc", unit=unit).value
            assert value is not None
            degc = value
            mv = mv_at_degc(kind, degc, cold)
            headline = f"{mv:.3f} mV"
    except ValueError as error:
        raise EntryError(field, getattr(form, field), as_sentence(error), "Check the kind and the leads.") from error
    uv_per_k = uv_per_k_at(kind, min(max(degc, range_degc(kind)[0]), range_degc(kind)[1]))
    detail = (
        f"Type {kind}, {_METALS[kind]}, its terminals at {show(cold, unit)}; there it gives {uv_per_k:.1f} µV per K."
    )
    caution = (
        f"One digit of {_LEAST_MV:g} mV is {show_difference(1000 * _LEAST_MV / uv_per_k, unit)} here, and the terminals "
        "count in full."
    )
    return Junction(f"{mv:.3f}", f"{from_fixed(degc, unit):.1f}", headline, detail, caution)


@router.get("/curve/thermocouple", name="thermocouple")
def get_thermocouple(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    shop, _ = look_at_shelf_types(database)
    form, state = read_form(ThermocoupleForm, {"kind": "K", **request.query_params})
    found = None
    if form is not None:
        try:
            found = _junction(form, shop)
        except EntryError as error:
            state = state.with_error(error)
    return pages.render(
        request,
        "thermocouple.html",
        422 if state.errors else 200,
        state=state,
        shop=shop,
        found=found,
        unit=shop.units[Quantity.TEMPERATURE],
        kinds=[(kind.value, f"{kind} ({_METALS[kind]})") for kind in ThermocoupleType],
        tab="convert",
    )
