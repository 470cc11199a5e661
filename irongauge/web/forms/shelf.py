"""Forms of the Shelf and of the shop itself."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated
from uuid import uuid4

from irongauge.core.case import SHOP_LIMITS, ShopLimits
from irongauge.core.circuits import Family, Instrument, InstrumentKind, SensorType
from irongauge.core.entry import parse_entry, parse_plain_number
from irongauge.core.quantities import Limits
from irongauge.core.shop import Shop
from irongauge.core.transfer import CurveKind, LinearCurve
from irongauge.core.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.units import PressureBase, Quantity, units_of
from irongauge.errors import EntryError, quoted
from irongauge.web.forms.base import (
    Form,
    FormState,
    OptionalDay,
    Timezone,
    choice,
    number,
    optional_number,
    read_form,
    text,
)

__all__ = [
    "SENSED",
    "FirstForm",
    "InstrumentForm",
    "SensorTypeForm",
    "TechnicianForm",
    "instrument_from_form",
    "sensor_from_form",
    "shop_from_posted",
    "shop_values",
]

# What the sensors of today can sense, in the order in which the form offers it.
SENSED = (Quantity.PRESSURE, Quantity.ANGLE, Quantity.LENGTH, Quantity.SHARE, Quantity.TEMPERATURE)


class FirstForm(Form):
    name: Annotated[str, text(80, what="the shop's name")]
    technician: Annotated[str, text(80, what="your name")]
    height_m: Annotated[float, number(-400, 6000, what="the height above sea level in metres")]
    timezone: Timezone = "UTC"

    def to_core(self) -> Shop:
        return Shop(uuid4(), self.name, self.height_m, self.timezone)


class TechnicianForm(Form):
    name: Annotated[str, text(80, what="a name")]


class InstrumentForm(Form):
    kind: Annotated[str, choice(*InstrumentKind)]
    name: Annotated[str, text(80, what="what the shop calls it")]
    serial: Annotated[str, text(80, what="its number", needed=False)] = ""
    reading_pct: Annotated[float | None, optional_number(0, 20, what="% of reading")]
    digits: Annotated[float | None, optional_number(0, 100, what="digits")]
    counts: Annotated[float | None, optional_number(1000, 2_000_000, what="the counts of its display")]
    full_scale: str = ""
    full_scale_pct: Annotated[float | None, optional_number(0, 20, what="% of full scale")]
    due: OptionalDay = None


class SensorTypeForm(Form):
    name: Annotated[str, text(80, what="the type's name")]
    maker: Annotated[str, text(80, what="its maker", needed=False)] = ""
    family: Annotated[str, choice(*Family)]
    supply_v: Annotated[float, number(1, 32, what="its supply in volts")]
    quantity: Annotated[str, choice(*SENSED)]
    pressure_base: Annotated[str, choice("", *PressureBase)] = ""
    kind: Annotated[str, choice(*CurveKind)]
    signal_low: Annotated[float, number(-1000, 1000, what="the signal at the low end")]
    signal_high: Annotated[float, number(-1000, 1000, what="the signal at the high end")]
    value_low: str = ""
    value_high: str = ""
    tolerance_pct_span: Annotated[float, number(0.05, 50, what="the tolerance in % of span")]
    source: Annotated[str, text(200, what="where the curve is from", needed=False)] = ""


def instrument_from_form(form: InstrumentForm, shop: Shop) -> Instrument:
    """The instrument; `EntryError` when what its kind needs is missing."""
    kind = InstrumentKind(form.kind)
    meter = gauge = None
    if kind is InstrumentKind.METER:
        reading_pct, digits, counts = (_needed(form, name) for name in ("reading_pct", "digits", "counts"))
        meter = MeterSpec(reading_pct, digits, int(counts))
    if kind is InstrumentKind.GAUGE:
        full_scale = parse_entry(
            form.full_scale,
            Quantity.PRESSURE,
            field="full_scale",
            unit=shop.units[Quantity.PRESSURE],
            limits=Limits(0.1, 1e6),
            impossible="Type the end of its scale.",
        )
        if form.full_scale_pct is None:
            raise EntryError("full_scale_pct", "", "A gauge needs this.", "It stands on its dial, such as 0.6 or 1.0.")
        assert full_scale.value is not None  # no over-range word is allowed here
        gauge = GaugeSpec(Quantity.PRESSURE, full_scale.value, form.full_scale_pct)
    return Instrument(uuid4(), kind, form.name, form.serial, meter, gauge, form.due)


def _needed(form: InstrumentForm, name: str) -> float:
    """A figure that every meter has."""
    figure: float | None = getattr(form, name)
    if figure is None:
        raise EntryError(name, "", "A meter needs this.", "It stands in its specification, such as 0.5 % + 2 digits.")
    return figure


def sensor_from_form(form: SensorTypeForm, shop: Shop) -> SensorType:
    """The sensor type; `EntryError` naming the field that does not fit the others."""
    quantity, kind = Quantity(form.quantity), CurveKind(form.kind)
    base = PressureBase(form.pressure_base) if form.pressure_base else None
    if quantity is Quantity.PRESSURE and base is None:
        raise EntryError(
            "pressure_base", "", "A pressure is gauge or absolute.", "Choose which one the data sheet says."
        )
    if quantity is not Quantity.PRESSURE:
        base = None
    low, high = form.signal_low, form.signal_high
    if low == high:
        raise EntryError("signal_high", f"{high:g}", "Both ends have the same signal.", "Type the signal at each end.")
    most = 100.0 if kind is CurveKind.RATIO else form.supply_v
    for name, signal in (("signal_low", low), ("signal_high", high)):
        if not 0 <= signal <= most:
            what = "0 to 100 % of the supply" if kind is CurveKind.RATIO else f"0 to {most:g} V, which is its supply"
            raise EntryError(name, f"{signal:g}", f"{signal:g} is outside {what}.", "Check % against volts.")
    scale = 0.01 if kind is CurveKind.RATIO else 1.0
    values = [
        parse_entry(typed, quantity, field=name, unit=shop.units[quantity]).value
        for name, typed in (("value_low", form.value_low), ("value_high", form.value_high))
    ]
    assert values[0] is not None  # no over-range word is allowed here
    assert values[1] is not None
    if values[0] >= values[1]:
        raise EntryError(
            "value_high", form.value_high, "The high end is not above the low end.", "Swap the two points."
        )
    curve = LinearCurve(kind, quantity, low * scale, high * scale, values[0], values[1], base)
    return SensorType(
        uuid4(), form.name, form.maker, Family(form.family), form.supply_v, curve, form.tolerance_pct_span, form.source
    )


def shop_values(shop: Shop) -> FormState:
    """The shop's own form as it starts."""
    values = {"name": shop.name, "height_m": f"{shop.height_m:g}", "timezone": shop.timezone}
    values |= {f"unit_{quantity}": shop.units[quantity] for quantity in SENSED}
    values |= {spec.name: f"{getattr(shop.limits, spec.name):g}" for spec in SHOP_LIMITS}
    return FormState(values)


class _ShopForm(Form):
    name: Annotated[str, text(80, what="the shop's name")]
    height_m: Annotated[float, number(-400, 6000, what="the height above sea level in metres")]
    timezone: Timezone


def shop_from_posted(shop: Shop, posted: dict[str, str]) -> tuple[Shop | None, FormState]:
    """The changed shop, or None with the messages: its form has one field per unit and per limit of their tables."""
    form, state = read_form(_ShopForm, posted)
    errors = dict(state.errors)
    units = dict(shop.units)
    for quantity in SENSED:
        code = posted.get(f"unit_{quantity}", "")
        if code not in {unit.code for unit in units_of(quantity)}:
            errors[f"unit_{quantity}"] = f"{quoted(code)} is not a unit of {quantity}. Choose one from the list."
        units[quantity] = code
    limits = {}
    for spec in SHOP_LIMITS:
        try:
            limits[spec.name] = parse_plain_number(
                posted.get(spec.name, ""), field=spec.name, limits=spec.allowed, what="a limit"
            )
        except EntryError as error:
            errors[spec.name] = str(error)
    if form is None or errors:
        return None, FormState(posted, errors)
    changed = replace(
        shop, name=form.name, height_m=form.height_m, timezone=form.timezone, units=units, limits=ShopLimits(**limits)
    )
    return changed, state
