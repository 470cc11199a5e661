"""Small pictures: a job's days on the Floor, and a sensor's curve on the Shelf."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from irongauge.core.circuits import SensorType
from irongauge.core.units import show

__all__ = ["CurveThumb", "DayStrip", "draw_curve", "draw_days"]

_DAYS, _DAY_W = 14, 26.0
_BACK = 5


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
    """A curve as a line in a 120 × 64 box, with its ends in words."""

    x1: float
    y1: float
    x2: float
    y2: float
    low: str
    high: str
    summary: str


def draw_curve(sensor: SensorType, unit: str | None) -> CurveThumb | None:
    """The thumbnail of a sensor's curve: signal upwards from 0 to its supply, value to the right; None without one."""
    curve = sensor.curve
    if curve is None or unit is None:
        return None
    low_v = curve.value_to_signal_v(curve.value_low, sensor.supply_v)
    high_v = curve.value_to_signal_v(curve.value_high, sensor.supply_v)

    def height(volts: float) -> float:
        return 60 - 56 * min(max(volts / sensor.supply_v, 0.0), 1.0)

    low, high = (show(value, unit, trim=True) for value in (curve.value_low, curve.value_high))
    base = f" {curve.pressure_base}" if curve.pressure_base is not None else ""
    summary = f"{low} at {low_v:.2f} V, {high}{base} at {high_v:.2f} V, supply {sensor.supply_v:g} V"
    return CurveThumb(6, height(low_v), 114, height(high_v), low, high, summary)
