"""From a sensor's curve to what a meter or a controller reads, and back, in any unit and on either pressure base.

A curve knows a signal; a meter at the controller's end reads volts (or hertz, or the width of a pulse). Between them stand
the reference, which a share is taken of, the pull-up, which turns ohms into volts: `V = Vs·R/(R + Rp)`, hence
`R = Rp·V/(Vs − V)`, and the shunt, which turns a loop's current into volts: `V = I·R`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.interpolation import Number
from irongauge.core.measure.units import FIXED_UNIT, PressureBase, Quantity, from_fixed, rebase, to_fixed
from irongauge.core.sensors.transfer import Curve, CurveKind

__all__ = [
    "Evaluated",
    "Feed",
    "Scale",
    "evaluate",
    "ohm_to_v",
    "reading_at",
    "reading_per_reference",
    "reading_quantity",
    "reading_range",
    "reading_to_signal",
    "reading_unit",
    "signal_to_reading",
    "value_from_reading",
    "value_per_reading",
]


@dataclass(frozen=True)
class Feed:
    """What the sensor is fed with: its reference in volts, and for a thermistor the pull-up that it divides with.

    Without `pull_up_ohm` a thermistor is read in ohms, unplugged; without `shunt_ohm` a loop is read in mA.
    """

    reference_v: float = 5.0
    pull_up_ohm: float | None = None
    pull_up_v: float = 5.0
    shunt_ohm: float | None = None

    def __post_init__(self) -> None:
        ohms = [ohm for ohm in (self.pull_up_ohm, self.shunt_ohm) if ohm is not None]
        if self.reference_v <= 0 or self.pull_up_v <= 0 or min(ohms, default=1.0) <= 0:
            msg = "a sensor is fed with positive volts through positive ohms"
            raise ValueError(msg)


_QUANTITIES = {
    CurveKind.RATIO: Quantity.VOLTAGE,
    CurveKind.VOLTS: Quantity.VOLTAGE,
    CurveKind.HERTZ: Quantity.FREQUENCY,
    CurveKind.PULSE: Quantity.DURATION,
    CurveKind.DUTY: Quantity.SHARE,
}


def reading_quantity(kind: CurveKind, feed: Feed) -> Quantity:
    """What a meter at the controller's end reads of such a signal."""
    if kind is CurveKind.OHMS:
        return Quantity.RESISTANCE if feed.pull_up_ohm is None else Quantity.VOLTAGE
    if kind is CurveKind.CURRENT:
        return Quantity.CURRENT if feed.shunt_ohm is None else Quantity.VOLTAGE
    return _QUANTITIES[kind]


def reading_unit(kind: CurveKind, feed: Feed) -> str:
    """Code of the fixed unit of that reading."""
    return FIXED_UNIT[reading_quantity(kind, feed)]


def ohm_to_v(ohm: Number, feed: Feed) -> Number:
    """Volts across a resistance to ground behind the pull-up."""
    assert feed.pull_up_ohm is not None  # asked only where there is one
    return feed.pull_up_v * ohm / (ohm + feed.pull_up_ohm)


def _v_per_ma(feed: Feed) -> float:
    """Volts of the reading per mA; 1 where it is the current itself that is read."""
    return 1.0 if feed.shunt_ohm is None else feed.shunt_ohm / 1000


def signal_to_reading(kind: CurveKind, signal: Number, feed: Feed) -> Number:
    """What is read at the controller's end, in `reading_unit`, when the sensor gives a signal."""
    if kind is CurveKind.RATIO:
        return signal * feed.reference_v
    if kind is CurveKind.DUTY:
        return signal * 100.0
    if kind is CurveKind.CURRENT:
        return signal * _v_per_ma(feed)
    return ohm_to_v(signal, feed) if kind is CurveKind.OHMS and feed.pull_up_ohm is not None else signal


def reading_to_signal(kind: CurveKind, reading: Number, feed: Feed) -> Number:
    """The signal that makes a reading; the inverse of `signal_to_reading`.

    Volts at or above the pull-up's supply, or at or below 0, have no resistance: single numbers then give infinity or 0.
    """
    if kind is CurveKind.RATIO:
        return reading / feed.reference_v
    if kind is CurveKind.DUTY:
        return reading / 100.0
    if kind is CurveKind.CURRENT:
        return reading / _v_per_ma(feed)
    if kind is not CurveKind.OHMS or feed.pull_up_ohm is None:
        return reading
    if isinstance(reading, (int, float)) and reading >= feed.pull_up_v:
        return float("inf")
    return feed.pull_up_ohm * reading / (feed.pull_up_v - reading)


def reading_at(curve: Curve, value: Number, feed: Feed) -> Number:
    """What is read at a value (fixed unit, on the curve's own base)."""
    return signal_to_reading(curve.kind, curve.signal_at(value), feed)


def value_from_reading(curve: Curve, reading: Number, feed: Feed) -> Number:
    """The value behind a reading, in the fixed unit, on the curve's own base; `reading_at` the other way.

    >>> from irongauge.core.sensors.thermistor import Thermistor
    >>> from irongauge.core.sensors.transfer import NtcCurve
    >>> ntc, feed = NtcCurve(Thermistor(10_000, 3435)), Feed(pull_up_ohm=2200.0)
    >>> round(reading_at(ntc, 80.0, feed), 4), round(value_from_reading(ntc, 2.1521, feed), 2)
    (2.1521, 80.0)
    """
    return curve.value_at(reading_to_signal(curve.kind, reading, feed))


def reading_range(curve: Curve, feed: Feed) -> tuple[float, float]:
    """Least and greatest reading over the curve's range."""
    ends = [reading_at(curve, value, feed) for value in (curve.value_low, curve.value_high)]
    return min(ends), max(ends)


def value_per_reading(curve: Curve, value: float, feed: Feed) -> float:
    """Change of the value per unit of the reading, there: what a meter's error is multiplied by."""
    signal = curve.signal_at(value)
    slope = curve.slope_at(value)
    if curve.kind is CurveKind.RATIO:
        slope *= feed.reference_v
    elif curve.kind is CurveKind.DUTY:
        slope *= 100.0
    elif curve.kind is CurveKind.CURRENT:
        slope *= _v_per_ma(feed)
    elif curve.kind is CurveKind.OHMS and feed.pull_up_ohm is not None:
        slope *= feed.pull_up_v * feed.pull_up_ohm / (signal + feed.pull_up_ohm) ** 2
    return 1.0 / slope if slope else float("inf")


def reading_per_reference(curve: Curve, value: float, feed: Feed) -> float:
    """Volts of the reading per volt of the reference: the share for a ratiometric signal, else 0."""
    if curve.kind is CurveKind.RATIO:
        return curve.signal_at(value)
    if curve.kind is CurveKind.OHMS and feed.pull_up_ohm is not None:
        signal = curve.signal_at(value)
        return signal / (signal + feed.pull_up_ohm)
    return 0.0


@dataclass(frozen=True)
class Scale:
    """How values are wanted: the unit's code, the pressure base, and the atmosphere that lies between the two bases."""

    unit: str
    base: PressureBase | None = None
    atmosphere_kpa: float = 101.325

    def shown(self, value: Number, base: PressureBase | None) -> Number:
        """A value in the fixed unit on `base`, as wanted."""
        return from_fixed(rebase(value, base, self.base, self.atmosphere_kpa), self.unit)

    def fixed(self, shown: Number, base: PressureBase | None) -> Number:
        """The value in the fixed unit on `base` that is shown so; the inverse of `shown`."""
        return rebase(to_fixed(shown, self.unit), self.base, base, self.atmosphere_kpa)


@dataclass(frozen=True)
class Evaluated:
    """Arrays of shape (n,): values in the fixed unit on the curve's base, signals, readings, and where the value lies
    outside the curve's range.
    """

    values: NDArray[np.float64]
    signals: NDArray[np.float64]
    readings: NDArray[np.float64]
    outside: NDArray[np.bool_]


def evaluate(curve: Curve, given: NDArray[np.float64], is_reading: bool, feed: Feed) -> Evaluated:  # noqa: FBT001
    """A whole column of readings, or of values, through a curve.

    `given` has shape (n,); it holds readings in `reading_unit` where `is_reading`, else values in the fixed unit on the
    curve's base.
    """
    if is_reading:
        readings = given
        signals = reading_to_signal(curve.kind, readings, feed)
        values = curve.value_at(signals)
    else:
        values = given
        signals = curve.signal_at(values)
        readings = signal_to_reading(curve.kind, signals, feed)
    slack = 1e-9 * (curve.value_high - curve.value_low)
    outside = ~((values >= curve.value_low - slack) & (values <= curve.value_high + slack))
    return Evaluated(values, signals, readings, outside)
