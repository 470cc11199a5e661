"""Forms of the Curve room's tools: convert, choose, controller numbers, an entry read back, comparisons."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated

from irongauge.core.controllers.cross_checks import CheckKind
from irongauge.core.controllers.figures import FormKind, Input, Target, spread
from irongauge.core.measure.entry import parse_entry, parse_plain_number, parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import UNITS, PressureBase, Quantity, rebase, show, standard_atmosphere_kpa
from irongauge.core.sensors.choosing import Converter, Need, Place
from irongauge.core.sensors.circuits import Channel
from irongauge.core.sensors.conversion import Feed, Scale, reading_quantity
from irongauge.core.sensors.transfer import CurveKind
from irongauge.core.shop import HEIGHT_M, Shop
from irongauge.errors import EntryError
from irongauge.web.curve.calibration_forms import atmosphere_from
from irongauge.web.forms import OptionalUid, PostedForm, choice, number, optional_number, text

__all__ = [
    "GRADES",
    "CheckForm",
    "ChooseForm",
    "CompareForm",
    "ConvertForm",
    "NumbersForm",
    "Surroundings",
    "feed_from",
    "need_from",
    "reading_from",
    "readings_from",
    "scale_from",
    "target_from",
]

# Accuracy classes of pressure gauges, in % of full scale (EN 837-1, table 4).
GRADES = ("0.1", "0.25", "0.6", "1", "1.6", "2.5", "4")
BITS = ("8", "10", "12", "14", "16")


class _AboutCurve(PostedForm):
    """Which curve, and what feeds the sensor."""

    sensor: OptionalUid = None
    circuit: OptionalUid = None
    calibration: OptionalUid = None
    channel: str = ""
    reference_v: Annotated[float | None, optional_number(1, 32, what="the reference in volts")] = None
    pull_up_ohm: Annotated[float | None, optional_number(10, 1e6, what="the pull-up in ohms")] = None
    shunt_ohm: Annotated[float | None, optional_number(1, 2000, what="the shunt in ohms")] = None
    divides: Annotated[str, choice("", "yes", "no")] = ""
    barometer: str = ""


class ConvertForm(_AboutCurve):
    """A value or a signal to be converted."""

    side: Annotated[str, choice("", "reading", "value")] = ""
    reading: str = ""
    value: str = ""


class NumbersForm(_AboutCurve):
    """For which controller the numbers of a curve are wanted."""

    unit: str = ""
    base: Annotated[str, choice("", *PressureBase)] = ""
    decimals: Annotated[float | None, optional_number(0, 8, what="how many decimals")] = None
    reading_decimals: Annotated[float | None, optional_number(0, 6, what="how many decimals")] = None
    cells: str = ""
    warn_low: Annotated[float | None, optional_number(-1e9, 1e9, what="a value")] = None
    warn_high: Annotated[float | None, optional_number(-1e9, 1e9, what="a value")] = None


class CheckForm(NumbersForm):
    """Entries as they stand in a controller."""

    kind: Annotated[str, choice(*FormKind)] = FormKind.END_POINTS
    allowance_pct: Annotated[float, number(0.01, 20, what="the allowance in % of span")] = 0.5
    name: Annotated[str, text(80, what="where it is entered", needed=False)] = ""
    technician_uid: OptionalUid = None


class ChooseForm(PostedForm):
    """What a sensor is wanted for."""

    quantity: Annotated[str, choice(*Quantity)] = Quantity.PRESSURE
    least: str = ""
    greatest: str = ""
    base: Annotated[str, choice("", *PressureBase)] = ""
    margin_pct: Annotated[float, number(0, 200, what="the margin in %")] = 10
    height_m: Annotated[
        float | None, optional_number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")
    ] = None
    bits: Annotated[str, choice(*BITS)] = "10"
    full_scale_v: Annotated[float, number(0.5, 32, what="the input's full scale in volts")] = 5.0
    place_low_degc: Annotated[float | None, optional_number(-273, 2000, what="a temperature in °C")] = None
    place_high_degc: Annotated[float | None, optional_number(-273, 2000, what="a temperature in °C")] = None
    peak: str = ""


class CompareForm(PostedForm):
    """Readings that should agree."""

    circuit: OptionalUid = None
    kind: Annotated[str, choice(*CheckKind)] = CheckKind.INSTRUMENTS
    quantity: Annotated[str, choice(*Quantity)] = Quantity.PRESSURE
    first: str = ""
    second: str = ""
    first_uid: OptionalUid = None
    second_uid: OptionalUid = None
    barometer: str = ""
    full_scale: str = ""
    known_to: str = ""
    known_to_second: str = ""
    grade: Annotated[str, choice("", *GRADES)] = ""
    tolerance: str = ""
    pairs: str = ""
    expected: str = ""
    shown: str = ""
    supply_v: Annotated[float | None, optional_number(0.5, 32, what="the sensor's supply in volts")] = None
    reference_v: Annotated[float | None, optional_number(0.5, 32, what="the controller's reference in volts")] = None
    tolerance_pct: Annotated[float, number(0.01, 50, what="the tolerance in % of span")] = 2
    technician_uid: OptionalUid = None


@dataclass(frozen=True)
class Surroundings:
    """What a page knows beside its form: the shop and the height at which things stand."""

    shop: Shop
    height_m: float

    def atmosphere(self, typed: str) -> tuple[float, bool]:
        """The atmosphere in kPa, as typed or by the height, and whether it was typed."""
        return atmosphere_from(typed, standard_atmosphere_kpa(self.height_m), self.shop)


def feed_from(form: _AboutCurve, channel: Channel, nominal: Feed, measured_v: float | None = None) -> Feed:
    """What feeds the sensor: as typed, else nominal; the reference measured at its calibration for a controller that reads plain
    volts. One that divides by its reference sees a share, the same at any reference: a sag is never counted twice.
    """
    if form.reference_v is None and form.divides == "no" and measured_v is not None:
        return Feed(measured_v, None, nominal.pull_up_v)
    pull_up_ohm = form.pull_up_ohm if form.pull_up_ohm is not None else nominal.pull_up_ohm
    supply_v = form.reference_v if form.reference_v is not None else nominal.reference_v
    if channel.curve.kind is CurveKind.CURRENT:
        return Feed(supply_v, shunt_ohm=nominal.shunt_ohm if form.shunt_ohm is None else form.shunt_ohm)
    if channel.curve.kind is CurveKind.OHMS:
        return Feed(nominal.reference_v, pull_up_ohm, supply_v)
    return Feed(supply_v, None, nominal.pull_up_v)


def reading_from(typed: str, channel: Channel, feed: Feed) -> float:
    """A reading at the controller's end, in its fixed unit."""
    quantity = reading_quantity(channel.curve.kind, feed)
    entry = parse_entry(typed, quantity, field="reading", limits=Limits(-1e7, 1e8))
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


def scale_from(form: NumbersForm, channel: Channel, around: Surroundings) -> Scale:
    """The unit and base that a controller wants; the shop's unit and the curve's own base where nothing is chosen."""
    curve = channel.curve
    unit = form.unit or around.shop.units[curve.quantity]
    if unit not in UNITS or UNITS[unit].quantity is not curve.quantity:
        unit = around.shop.units[curve.quantity]
    base = None
    if curve.pressure_base is not None:
        base = PressureBase(form.base) if form.base else curve.pressure_base
    return Scale(unit, base, around.atmosphere(form.barometer)[0])


def target_from(form: NumbersForm, channel: Channel, around: Surroundings) -> Target:
    """What the controller takes."""
    scale = scale_from(form, channel, around)
    usual = Target.usual(scale)
    return Target(
        scale,
        usual.decimals if form.decimals is None else int(form.decimals),
        usual.reading_decimals if form.reading_decimals is None else int(form.reading_decimals),
    )


_MOST_CELLS = 512


def readings_from(typed: str, seen: Input) -> tuple[float, ...]:
    """The readings of a table's cells: how many over the range, or a list of them.

    A single whole number is a count; anything else is a list, parted by blanks, semicolons, new lines or commas with a blank.
    """
    parts = re.sub(r",(?=\s|$)|;", " ", typed).split()
    if not parts:
        return ()
    numbers = [
        parse_plain_number(part, field="cells", limits=Limits(-1e6, 1e6), what="a number of cells, or their readings")
        for part in parts
    ]
    if len(numbers) == 1:
        if not (numbers[0] == int(numbers[0]) and 2 <= numbers[0] <= _MOST_CELLS):  # noqa: PLR2004
            raise EntryError(
                "cells", typed, f"A table has 2 to {_MOST_CELLS} cells.", "Type how many, or list their readings."
            )
        return spread(*seen.reading_range, int(numbers[0]))
    if len(numbers) > _MOST_CELLS:
        raise EntryError("cells", typed, f"That is {len(numbers)} cells.", f"At most {_MOST_CELLS} fit here.")
    return tuple(numbers)


def need_from(form: ChooseForm, shop: Shop) -> tuple[Need, Converter, Place]:
    """What is needed, margin included, and what is met there; `EntryError` naming the field that does not fit."""
    quantity = Quantity(form.quantity)
    atmosphere_kpa = standard_atmosphere_kpa(shop.height_m if form.height_m is None else form.height_m)
    ends, bases = [], []
    for name in ("least", "greatest"):
        typed: str = getattr(form, name)
        sensed = parse_sensed(typed, quantity, field=name, unit=shop.units[quantity])
        ends.append(sensed.value)
        bases.append(sensed.said)
    base = None
    if quantity is Quantity.PRESSURE:
        chosen = PressureBase(form.base) if form.base else None
        base = bases[1] or chosen or bases[0]
        if base is None:
            raise EntryError("base", "", "A pressure is gauge or absolute.", "Boost on a dial is gauge: choose that.")
        ends = [
            rebase(end, said or chosen or base, base, atmosphere_kpa) for end, said in zip(ends, bases, strict=True)
        ]
    low, high = ends
    if low >= high:
        raise EntryError("greatest", form.greatest, "The greatest is not above the least.", "Exchange the two.")
    high += form.margin_pct / 100 * (high - low)
    need = Need(quantity, low, high, base, atmosphere_kpa)
    return need, Converter(int(form.bits), form.full_scale_v), _place_from(form, need, shop)


def _place_from(form: ChooseForm, need: Need, shop: Shop) -> Place:
    low_degc, high_degc = form.place_low_degc, form.place_high_degc
    if low_degc is not None and high_degc is not None and low_degc > high_degc:
        raise EntryError("place_high_degc", f"{high_degc:g}", "It is below the coldest.", "Exchange the two.")
    peak_kpa = None
    if need.quantity is Quantity.PRESSURE and form.peak.strip():
        sensed = parse_sensed(form.peak, Quantity.PRESSURE, field="peak", unit=shop.units[Quantity.PRESSURE])
        peak_kpa = rebase(sensed.value, sensed.said or need.base, need.base, need.atmosphere_kpa)
        if peak_kpa < need.greatest:
            greatest = show(need.greatest, shop.units[Quantity.PRESSURE], trim=True)
            raise EntryError("peak", form.peak, f"A peak lies above the greatest of {greatest}.", "Leave it out else.")
    return Place(low_degc=low_degc, high_degc=high_degc, peak_kpa=peak_kpa)
