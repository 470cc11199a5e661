"""Second thoughts about a sensor's card, before it goes on the Shelf: what cannot be, and what is seldom meant.

A refusal stands where the figures contradict each other or physics; a doubt says why it looks like a slip and leaves the
choice to the technician. Every finding is one sentence with the figures in it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.unit_names import units_named
from irongauge.core.measure.units import PressureBase, Quantity, show, to_fixed
from irongauge.core.sensors.circuits import SensorType
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.transfer import (
    LOOP_MA,
    LOOP_MEASURES_FROM_MA,
    CurveKind,
    LinearCurve,
    StraightCurve,
    TableCurve,
)

__all__ = ["Doubt", "Weight", "doubts_about"]


class Weight(StrEnum):
    """Whether it cannot be, or is only unusual."""

    CANNOT_BE = "cannot be"
    LOOK_AGAIN = "look again"


@dataclass(frozen=True)
class Doubt:
    """One thing that was noticed; `field` is the part of the card that it is about."""

    field: str
    weight: Weight
    sentence: str


# Spans outside which a vehicle's sensor of a quantity is seldom sold, in the fixed unit.
_USUAL_SPAN = {
    Quantity.PRESSURE: (2.0, 350_000.0),
    Quantity.TEMPERATURE: (20.0, 1500.0),
    Quantity.ANGLE: (5.0, 1080.0),
    Quantity.LENGTH: (0.001, 3.0),
    Quantity.SHARE: (5.0, 200.0),
    Quantity.LAMBDA: (0.3, 10.0),
}
_LIVE_ZERO = 0.02  # share of the supply that a good signal keeps from both ends, so that a broken wire shows
_MOST_MA = 30.0
_WIDE_PCT, _NARROW_PCT = 10.0, 0.1  # of span: no automotive sensor is sold outside of these
_LITTLE_ABOVE_KPA, _MANIFOLD_KPA = 60.0, 500.0  # a vacuum; a range made for manifolds
_GREATEST_ATMOSPHERE_KPA = 105.0  # that the weather makes at sea level
_VACUUM_KPA = -101.325  # gauge, at the standard atmosphere
# A range in a name: 0–10 bar, 20-250 kPa, -1..3 bar
_RANGE = re.compile(
    r"(?P<low>[-−]?\d+(?:[.,]\d+)?)\s*(?:–|-|to|\.\.)\s*(?P<high>\d+(?:[.,]\d+)?)\s*(?P<unit>[A-Za-z°%]+)"
)
_ABSOLUTE_NAME = re.compile(r"\babs(olute)?\b", re.IGNORECASE)
_GAUGE_NAME = re.compile(r"\bgau?ge\b", re.IGNORECASE)


def doubts_about(sensor: SensorType) -> tuple[Doubt, ...]:
    """All that is odd about a card, what cannot be first."""
    found = [*_about_faults(sensor), *_about_tolerance(sensor)]
    if sensor.curve is not None:
        for rule in (_about_signal, _about_span, _about_base, _about_name, _about_shape):
            found += rule(sensor, sensor.curve)
    return tuple(sorted(found, key=lambda doubt: doubt.weight is not Weight.CANNOT_BE))


def _volts(sensor: SensorType, curve: StraightCurve) -> tuple[float, float]:
    ends = [curve.value_to_signal_v(v, sensor.supply_v) for v in (curve.value_low, curve.value_high)]
    return min(ends), max(ends)


def _about_current(curve: StraightCurve) -> Iterator[Doubt]:
    low, high = sorted((curve.signal_low, curve.signal_high))
    if low < 0 or high > _MOST_MA:
        yield Doubt(
            "signal_high" if high > _MOST_MA else "signal_low",
            Weight.CANNOT_BE,
            f"The current runs from {low:g} to {high:g} mA; a loop carries 4 to 20, and above {_MOST_MA:g} nothing.",
        )
    elif low < LOOP_MEASURES_FROM_MA or high > LOOP_MA[1]:
        yield Doubt(
            "signal_low" if low < LOOP_MEASURES_FROM_MA else "signal_high",
            Weight.LOOK_AGAIN,
            f"The current runs from {low:g} to {high:g} mA. Most loops keep to 4 to 20 mA, so that a broken wire or a failed "
            "sensor shows; here it would look like a value.",
        )


def _about_signal(sensor: SensorType, curve: StraightCurve) -> Iterator[Doubt]:
    if curve.kind is CurveKind.CURRENT:
        yield from _about_current(curve)
        return
    low_v, high_v = _volts(sensor, curve)
    supply_v = sensor.supply_v
    if low_v < 0 or high_v > supply_v:
        yield Doubt(
            "signal_high" if high_v > supply_v else "signal_low",
            Weight.CANNOT_BE,
            f"The signal runs from {low_v:.3g} to {high_v:.3g} V, but a supply of {supply_v:g} V lets it reach 0 to "
            f"{supply_v:g} V only.",
        )
    elif sensor.family is not Family.CONTROLLER_OUT and (
        low_v < _LIVE_ZERO * supply_v or high_v > (1 - _LIVE_ZERO) * supply_v
    ):
        yield Doubt(
            "signal_low",
            Weight.LOOK_AGAIN,
            f"The signal runs from {low_v:.2f} to {high_v:.2f} V of {supply_v:g} V. Most sensors keep clear of both ends, so "
            "that a broken wire shows; here it would look like a value.",
        )


def _about_span(_sensor: SensorType, curve: StraightCurve) -> Iterator[Doubt]:
    usual = _USUAL_SPAN.get(curve.quantity)
    if usual is not None and not usual[0] <= curve.span <= usual[1]:
        yield Doubt(
            "value_high",
            Weight.LOOK_AGAIN,
            f"A span of {show(curve.span, curve.unit, trim=True)} is unusual for {curve.quantity}: usual is "
            f"{show(usual[0], curve.unit, trim=True)} to {show(usual[1], curve.unit, trim=True)}. Check the unit.",
        )


def _about_base(_sensor: SensorType, curve: StraightCurve) -> Iterator[Doubt]:
    low, high = curve.value_low, curve.value_high
    if curve.pressure_base is PressureBase.ABSOLUTE and low < 0:
        yield Doubt(
            "pressure_base",
            Weight.CANNOT_BE,
            f"It starts at {show(low, 'kPa', trim=True)}, but nothing lies below 0 kPa absolute. "
            "Choose gauge, or check the sign.",
        )
    if curve.pressure_base is PressureBase.GAUGE and low < _VACUUM_KPA:
        yield Doubt(
            "value_low",
            Weight.CANNOT_BE,
            f"It starts at {show(low, 'kPa', trim=True)} gauge, which is below a vacuum (−101 kPa). Check the unit.",
        )
    # A gauge sensor starts at the atmosphere (0) or below it; one that starts a little above vacuum counts from vacuum.
    if curve.pressure_base is PressureBase.GAUGE and 0 < low <= _LITTLE_ABOVE_KPA and high <= _MANIFOLD_KPA:
        yield Doubt(
            "pressure_base",
            Weight.LOOK_AGAIN,
            f"A gauge sensor that starts at {show(low, 'kPa', trim=True)} could not show the atmosphere, which is 0 gauge. "
            "Ranges like this one are mostly absolute.",
        )
    if curve.pressure_base is PressureBase.ABSOLUTE and not low <= _GREATEST_ATMOSPHERE_KPA <= high:
        yield Doubt(
            "pressure_base",
            Weight.LOOK_AGAIN,
            f"An absolute sensor of {show(low, 'kPa', trim=True)} to {show(high, 'kPa', trim=True)} could not show the "
            "atmosphere (about 101 kPa). Check whether its sheet says gauge.",
        )


def _about_name(sensor: SensorType, curve: StraightCurve) -> Iterator[Doubt]:
    base = curve.pressure_base
    for said, pattern in ((PressureBase.ABSOLUTE, _ABSOLUTE_NAME), (PressureBase.GAUGE, _GAUGE_NAME)):
        if base is not None and base is not said and pattern.search(sensor.name):
            yield Doubt("pressure_base", Weight.LOOK_AGAIN, f"Its name says {said}, and {base} was chosen.")
    match = _RANGE.search(sensor.name)
    if match is None:
        return
    units = units_named(match["unit"], curve.quantity)
    if len(units) == 1:
        high = to_fixed(float(match["high"].replace(",", ".")), units[0].code)
        if abs(high - curve.value_high) > 0.02 * max(abs(high), abs(curve.value_high)):
            yield Doubt(
                "value_high",
                Weight.LOOK_AGAIN,
                f"Its name ends at {match['high']} {units[0].label}, and the curve at "
                f"{show(curve.value_high, units[0].code, trim=True)}. Check the unit.",
            )


def _about_shape(_sensor: SensorType, curve: StraightCurve) -> Iterator[Doubt]:
    falls = curve.signal_high < curve.signal_low
    if falls and curve.quantity is Quantity.PRESSURE:
        yield Doubt(
            "signal_high", Weight.LOOK_AGAIN, "The signal falls as the pressure rises. Most rise: check the two ends."
        )
    if isinstance(curve, LinearCurve):
        return
    assert isinstance(curve, TableCurve)
    low, high = curve.usable_range
    for end, edge, where in ((curve.value_low, low, "below"), (curve.value_high, high, "above")):
        if end != edge:
            yield Doubt(
                "table",
                Weight.LOOK_AGAIN,
                f"The curve is flat {where} {show(edge, curve.unit, trim=True)}: the signal cannot tell values there. "
                "It is read as that edge.",
            )
    slopes = [abs((s1 - s0) / (v1 - v0)) for (s0, v0), (s1, v1) in zip(curve.points, curve.points[1:], strict=False)]
    mean = abs(curve.signal_high - curve.signal_low) / curve.span
    steep = max(range(len(slopes)), key=lambda at: slopes[at])
    if slopes[steep] > 12 * mean:
        (s0, v0), (s1, v1) = curve.points[steep : steep + 2]
        unit = {CurveKind.RATIO: "", CurveKind.CURRENT: " mA"}.get(curve.kind, " V")
        yield Doubt(
            "table",
            Weight.LOOK_AGAIN,
            f"From {show(v0, curve.unit, trim=True)} to {show(v1, curve.unit, trim=True)} the signal jumps from {s0:.4g} to "
            f"{s1:.4g}{unit}, over 12 times the slope of the rest: a digit may be wrong there.",
        )


def _about_faults(sensor: SensorType) -> Iterator[Doubt]:
    if sensor.curve is None or sensor.curve.kind is CurveKind.CURRENT:
        return
    low_v, high_v = _volts(sensor, sensor.curve)
    if sensor.fault_low_v is not None and sensor.fault_low_v > low_v:
        yield Doubt(
            "fault_low_v",
            Weight.CANNOT_BE,
            f"Below {sensor.fault_low_v:g} V would be a fault, but the curve itself goes down to {low_v:.3g} V.",
        )
    if sensor.fault_high_v is not None and sensor.fault_high_v < high_v:
        yield Doubt(
            "fault_high_v",
            Weight.CANNOT_BE,
            f"Above {sensor.fault_high_v:g} V would be a fault, but the curve itself goes up to {high_v:.3g} V.",
        )


def _about_tolerance(sensor: SensorType) -> Iterator[Doubt]:
    if not _NARROW_PCT <= sensor.tolerance_pct_span <= _WIDE_PCT:
        yield Doubt(
            "tolerance_pct_span",
            Weight.LOOK_AGAIN,
            f"± {sensor.tolerance_pct_span:g} % of span is unusual; sheets say 0.25 to 5 %.",
        )
