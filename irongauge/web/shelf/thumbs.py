"""A sensor's curve as a small picture."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.measure.units import show
from irongauge.core.sensors.circuits import SensorType, Switching
from irongauge.core.sensors.families import Coil, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind
from irongauge.core.sensors.transfer import CurveKind

__all__ = ["CurveThumb", "draw_curve"]


_MOST_DOTS = 12
_LOOP_FULL_MA = 24.0


def _element_path(sensor: SensorType) -> str:
    match sensor.element:
        case Thermistor():
            ohm = [sensor.element.ohm_at(degc) for degc in range(0, 121, 10)]
            return _line([(6 + 9 * place, 58 - 50 * at / ohm[0]) for place, at in enumerate(ohm)])
        case Coil():
            return _line([(6 + x, 34 - 24 * math.sin(2 * math.pi * x / 36)) for x in range(0, 109, 3)])
        case FrequencyCurve():
            return "M6 52 H20 V14 H34 V52 H46 V14 H58 V52 H68 V14 H78 V52 H86 V14 H94 V52 H102 V14 H108"
        case ThermocoupleKind():
            return "M6 58 L114 10"
        case Switching():
            return "M6 14 H32 V54 H60 V14 H88 V54 H114"
    return "M6 14 H60 V54 H114"


def _line(points: Sequence[tuple[float, float]]) -> str:
    return "M" + " L".join(f"{x:.1f} {y:.1f}" for x, y in points)


@dataclass(frozen=True)
class CurveThumb:
    """A curve as a path in a 120 × 64 box, with the points that its sheet gives; `summary` is empty without such."""

    path: str
    ends: tuple[tuple[float, float], ...] = ()
    summary: str = ""


def draw_curve(sensor: SensorType, unit: str | None) -> CurveThumb:
    """The thumbnail of a sensor: its curve, signal upwards from 0 to its supply (a current to 24 mA) and value to the right;
    without a curve what it gives: ohms over temperature, or its signal in time.
    """
    curve = sensor.curve
    if curve is None or unit is None:
        return CurveThumb(_element_path(sensor))
    is_loop = curve.kind is CurveKind.CURRENT  # its signal is mA, whatever it is fed with
    unit_drawn, full, decimals = ("mA", _LOOP_FULL_MA, 1) if is_loop else ("V", sensor.supply_v, 2)
    low_drawn, high_drawn = (curve.value_to_signal_v(v, sensor.supply_v) for v in (curve.value_low, curve.value_high))

    def height(signal: float) -> float:
        return 60 - 56 * min(max(signal / full, 0.0), 1.0)

    low, high = (show(value, unit, trim=True) for value in (curve.value_low, curve.value_high))
    base = f" {curve.pressure_base}" if curve.pressure_base is not None else ""
    summary = (
        f"{low} at {low_drawn:.{decimals}f} {unit_drawn}, {high}{base} at {high_drawn:.{decimals}f} {unit_drawn}, "
        f"supply {sensor.supply_v:g} V"
    )
    points = tuple(
        (6.0 + 108.0 * (value - curve.value_low) / curve.span, height(curve.value_to_signal_v(value, sensor.supply_v)))
        for _, value in curve.points
    )
    if len(points) > 2:  # noqa: PLR2004
        summary = f"table of {len(points)} points, {summary}"
    return CurveThumb(_line(points), points if len(points) <= _MOST_DOTS else (points[0], points[-1]), summary)
