"""Small pictures: a job's days on the Floor, and a sensor's curve on the Shelf."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from irongauge.core.measure.units import show
from irongauge.core.sensors.circuits import SensorType, Switching, ThermocoupleKind
from irongauge.core.sensors.families import Coil, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor

__all__ = ["CurveThumb", "DayStrip", "draw_curve", "draw_days"]

_DAYS, _DAY_W = 14, 26.0
_BACK = 5
_MOST_DOTS = 12


@dataclass(frozen=True)
class Day:
    x: float
    text: str
    kind: str  # before, stay, today, promised, after


@dataclass(frozen=True)
class DayStrip:
    """Two weeks around today; `words` says the same in a sentence."""

    width: float
    day_width: float
    days: tuple[Day, ...]
    today_x: float
    promised_x: float | None
    words: str
    late: bool


def draw_days(today: date, received_on: date, promised_on: date, *, done: bool) -> DayStrip:
    """The strip of a job: the days it is in the shop, today, and the day it is promised."""
    first = today - timedelta(days=_BACK)
    days = []
    for place in range(_DAYS):
        day = first + timedelta(days=place)
        kind = "stay" if received_on <= day <= promised_on else "free"
        if day.weekday() >= 5:  # noqa: PLR2004  Saturday and Sunday
            kind += " weekend"
        days.append(Day(place * _DAY_W, str(day.day), kind))
    ahead = (promised_on - first).days
    return DayStrip(
        _DAYS * _DAY_W,
        _DAY_W,
        tuple(days),
        _BACK * _DAY_W,
        ahead * _DAY_W if 0 <= ahead < _DAYS else None,
        _promise(today, promised_on, done=done),
        late=not done and promised_on < today,
    )


def _promise(today: date, promised_on: date, *, done: bool) -> str:
    days = (promised_on - today).days
    name = f"{promised_on:%a} {promised_on.day} {promised_on:%b}"
    if done:
        return f"was promised {name}"
    if days < 0:
        return f"promised {name}, {-days} day{'s' if days < -1 else ''} late"
    return f"promised {'today' if days == 0 else 'tomorrow' if days == 1 else name}"


@dataclass(frozen=True)
class CurveThumb:
    """A curve as a path in a 120 × 64 box, with the points that its sheet gives; `summary` is empty without such."""

    path: str
    ends: tuple[tuple[float, float], ...] = ()
    summary: str = ""


def draw_curve(sensor: SensorType, unit: str | None) -> CurveThumb:
    """The thumbnail of a sensor: its curve, signal upwards from 0 to its supply and value to the right; without a curve
    what it gives: ohms over temperature, or its signal in time.
    """
    curve = sensor.curve
    if curve is None or unit is None:
        return CurveThumb(_element_path(sensor))
    low_v = curve.value_to_signal_v(curve.value_low, sensor.supply_v)
    high_v = curve.value_to_signal_v(curve.value_high, sensor.supply_v)

    def height(volts: float) -> float:
        return 60 - 56 * min(max(volts / sensor.supply_v, 0.0), 1.0)

    low, high = (show(value, unit, trim=True) for value in (curve.value_low, curve.value_high))
    base = f" {curve.pressure_base}" if curve.pressure_base is not None else ""
    summary = f"{low} at {low_v:.2f} V, {high}{base} at {high_v:.2f} V, supply {sensor.supply_v:g} V"
    points = tuple(
        (6.0 + 108.0 * (value - curve.value_low) / curve.span, height(curve.value_to_signal_v(value, sensor.supply_v)))
        for _, value in curve.points
    )
    if len(points) > 2:  # noqa: PLR2004
        summary = f"table of {len(points)} points, {summary}"
    return CurveThumb(_line(points), points if len(points) <= _MOST_DOTS else (points[0], points[-1]), summary)


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
