"""Forms of an instrument's card: a meter, a lamp, a gauge."""

from __future__ import annotations

from typing import Annotated
from uuid import uuid4

from irongauge.core.live.meter import SIMULATED, meter_resource
from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import (
    Quantity,
    from_fixed,
)
from irongauge.core.sensors.circuits import (
    Instrument,
    InstrumentKind,
)
from irongauge.core.shop import Shop
from irongauge.errors import EntryError, quoted
from irongauge.web.forms import (
    FormState,
    OptionalDay,
    PostedForm,
    choice,
    optional_number,
    text,
)

__all__ = ["InstrumentForm", "instrument_from_form", "instrument_values"]


class InstrumentForm(PostedForm):
    """An instrument's card as its form sends it."""

    kind: Annotated[str, choice(*InstrumentKind)]
    name: Annotated[str, text(80, what="what the shop calls it")]
    serial: Annotated[str, text(80, what="its number", needed=False)] = ""
    reading_pct: Annotated[float | None, optional_number(0, 20, what="% of reading")]
    digits: Annotated[float | None, optional_number(0, 100, what="digits")]
    counts: Annotated[float | None, optional_number(1000, 2_000_000, what="the counts of its display")]
    quantity: Annotated[str, choice(*Quantity)] = Quantity.PRESSURE
    full_scale: str = ""
    full_scale_pct: Annotated[float | None, optional_number(0, 20, what="% of full scale")]
    due: OptionalDay = None
    address: Annotated[str, text(120, what="its address", needed=False)] = ""


def instrument_from_form(form: InstrumentForm, shop: Shop) -> Instrument:
    """The instrument; `EntryError` when what its kind needs is missing."""
    kind = InstrumentKind(form.kind)
    meter = gauge = None
    if kind is InstrumentKind.METER:
        reading_pct, digits, counts = (_needed(form, name) for name in ("reading_pct", "digits", "counts"))
        meter = MeterSpec(reading_pct, digits, int(counts))
    if kind is InstrumentKind.GAUGE:
        quantity = Quantity(form.quantity)
        full_scale = parse_entry(
            form.full_scale,
            quantity,
            field="full_scale",
            unit=shop.units[quantity],
            limits=Limits(0.001, 1e6),
            impossible="Type the end of its scale.",
        )
        if form.full_scale_pct is None:
            raise EntryError("full_scale_pct", "", "A gauge needs this.", "It stands on its dial, such as 0.6 or 1.0.")
        assert full_scale.value is not None  # no over-range word is allowed here
        gauge = GaugeSpec(quantity, full_scale.value, form.full_scale_pct)
    return Instrument(
        uid=uuid4(),
        kind=kind,
        name=form.name,
        serial=form.serial,
        meter=meter,
        gauge=gauge,
        due=form.due,
        address=_address(form) if kind is InstrumentKind.METER else "",
    )


def _address(form: InstrumentForm) -> str:
    """Where a meter is on the network; `EntryError` where that is no address."""
    if form.address and form.address != SIMULATED:
        try:
            meter_resource(form.address)
        except ValueError:
            problem = f"{quoted(form.address)} is no address of a meter."
            do = "Such as 192.168.1.40 or meter-3.local:5025; leave it empty where it is not on the network."
            raise EntryError("address", form.address, problem, do) from None
    return form.address


def _needed(form: InstrumentForm, name: str) -> float:
    """A figure that every meter has."""
    figure: float | None = getattr(form, name)
    if figure is None:
        raise EntryError(name, "", "A meter needs this.", "It stands in its specification, such as 0.5 % + 2 digits.")
    return figure


def instrument_values(instrument: Instrument, shop: Shop) -> FormState:
    """An instrument's card as the form shows it."""
    values = {"kind": str(instrument.kind), "name": instrument.name, "serial": instrument.serial, "counts": "6000"}
    if instrument.due is not None:
        values["due"] = instrument.due.isoformat()
    if instrument.meter is not None:
        m = instrument.meter
        values["address"] = instrument.address
        values |= {"reading_pct": f"{m.reading_pct:g}", "digits": f"{m.digits:g}", "counts": f"{m.counts}"}
    if instrument.gauge is not None:
        g = instrument.gauge
        shown = from_fixed(g.full_scale, shop.units[g.quantity])
        values |= {
            "quantity": str(g.quantity),
            "full_scale": f"{shown:.10g}",
            "full_scale_pct": f"{g.full_scale_pct:g}",
        }
    return FormState(values)
