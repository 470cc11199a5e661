"""Sensor transfer curves, both ways.

A curve joins a value (in the fixed unit of its quantity, on its pressure base) and a signal (in the unit of its kind: a
share of the reference, volts, ohms, hertz, milliseconds, a duty share). Three shapes are known: the straight line by two
points, a table with straight lines between, and the NTC. Every method takes one number or an array of them.

Leaves out volts at the controller: those need the reference and the pull-up, and stand in `conversion`.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import Protocol

import numpy as np

from irongauge.core.measure.interpolation import Number, between, segment_slope
from irongauge.core.measure.units import FIXED_UNIT, PressureBase, Quantity
from irongauge.core.sensors.thermistor import Thermistor

__all__ = [
    "IN_VOLTS",
    "LOOP_FAILS_BELOW_MA",
    "LOOP_FAILS_FROM_MA",
    "LOOP_MA",
    "LOOP_MEASURES_FROM_MA",
    "OF_A_SENSOR",
    "Curve",
    "CurveKind",
    "LinearCurve",
    "NtcCurve",
    "StraightCurve",
    "TableCurve",
    "over_shunt",
]


class CurveKind(StrEnum):
    """What the signal of a curve is; its unit stands beside it."""

    RATIO = "ratio"  # share of the measured reference, 0.1 for 10 %
    VOLTS = "volts"  # V
    OHMS = "ohms"  # Ω, read through a pull-up
    HERTZ = "hertz"  # Hz
    PULSE = "pulse"  # width of the low pulse, ms
    DUTY = "duty"  # share of the period
    CURRENT = "current"  # mA, read over a shunt


_NTC_LOW_DEGC, _NTC_HIGH_DEGC = -40.0, 150.0  # what vehicle thermistors are made for
# Kinds that the straight curve of a three-wire sensor may have: a signal in volts, given as such or as a share.
LOOP_MA = (4.0, 20.0)  # of a current loop: IEC 60381-1
LOOP_MEASURES_FROM_MA, LOOP_FAILS_BELOW_MA, LOOP_FAILS_FROM_MA = 3.8, 3.6, 21.0  # NAMUR NE 43
IN_VOLTS = (CurveKind.RATIO, CurveKind.VOLTS)
# Those that a sensor type may be given by.
OF_A_SENSOR = (*IN_VOLTS, CurveKind.CURRENT)


class Curve(Protocol):
    """A value and a signal that belong together."""

    @property
    def kind(self) -> CurveKind:
        """What its signal is."""

    @property
    def quantity(self) -> Quantity:
        """What its value is."""

    @property
    def pressure_base(self) -> PressureBase | None:
        """What a pressure is counted from; None for other values."""

    @property
    def value_low(self) -> float:
        """The low end of its range, in the fixed unit."""

    @property
    def value_high(self) -> float:
        """The high end of its range, in the fixed unit."""

    def signal_at(self, value: Number) -> Number:
        """The signal at a value."""

    def value_at(self, signal: Number) -> Number:
        """The value that makes a signal."""

    def slope_at(self, value: float) -> float:
        """Signal per value there, for uncertainties."""


_LEAST_STEP = 1e-9  # of a volt, of a kPa, or of the number itself: far below the last digit of anything


def _check_base(quantity: Quantity, base: PressureBase | None) -> None:
    if (quantity is Quantity.PRESSURE) != (base is not None):
        msg = "a pressure curve says gauge or absolute, and no other curve does"
        raise ValueError(msg)


def _tells_apart(one: float, other: float) -> bool:
    """True for two numbers that sums can hold apart: neither nearer than any instrument shows, nor beyond what is finite."""
    return _LEAST_STEP * max(1.0, abs(one), abs(other)) <= abs(other - one) < math.inf


class _InVolts(ABC):
    """What any curve can do whose signal is in volts, a share of the reference, or mA once a shunt makes volts of them."""

    kind: CurveKind
    quantity: Quantity

    @property
    def unit(self) -> str:
        """Code of the fixed unit of its values."""
        return FIXED_UNIT[self.quantity]

    @property
    def span(self) -> float:
        """Greatest value less least, in the fixed unit."""
        points = self.points
        return points[-1][1] - points[0][1]

    @property
    @abstractmethod
    def points(self) -> tuple[tuple[float, float], ...]:
        """Its points as (signal, value), values rising."""

    @abstractmethod
    def signal_at(self, value: Number) -> Number:
        """The signal at a value."""

    @abstractmethod
    def value_at(self, signal: Number) -> Number:
        """The value that makes a signal."""

    def value_to_signal_v(self, value: Number, reference_v: float) -> Number:
        """Volts between signal and return that the sensor gives at a value, with the reference it really gets."""
        return self._to_v(self.signal_at(value), reference_v)

    def signal_v_to_value(self, signal_v: Number, reference_v: float) -> Number:
        """The value, in the fixed unit, that makes this signal; the inverse of `value_to_signal_v`.

        A ratiometric signal is divided by the *measured* reference.

        >>> curve = LinearCurve(
        ...     kind=CurveKind.RATIO, quantity=Quantity.PRESSURE, signal_low=0.1, signal_high=0.9,
        ...     value_low=0.0, value_high=1000.0, pressure_base=PressureBase.GAUGE,
        ... )
        >>> round(curve.signal_v_to_value(2.31, 4.93), 1)
        460.7
        """
        return self.value_at(signal_v / reference_v if self.kind is CurveKind.RATIO else signal_v)

    def window_v(self, value: float, tolerance: float, reference_v: float) -> tuple[float, float]:
        """Least and greatest volts of a sensor that is right within `tolerance`, at a value in the same unit."""
        low_v, high_v = (self.value_to_signal_v(value + part, reference_v) for part in (-tolerance, tolerance))
        return min(low_v, high_v), max(low_v, high_v)

    def _to_v(self, signal: Number, reference_v: float) -> Number:
        return signal * reference_v if self.kind is CurveKind.RATIO else signal


@dataclass(frozen=True, kw_only=True)
class LinearCurve(_InVolts):
    """A straight line from (`signal_low`, `value_low`) to (`signal_high`, `value_high`).

    A falling line (a signal that drops as the value rises) is allowed; two equal signals or two equal values are not a
    curve.
    """

    kind: CurveKind
    quantity: Quantity
    signal_low: float
    signal_high: float
    value_low: float
    value_high: float
    pressure_base: PressureBase | None = None

    def __post_init__(self) -> None:
        rises = self.value_high - self.value_low
        if not _tells_apart(self.signal_low, self.signal_high) or not (rises > 0 and _tells_apart(0.0, rises)):
            msg = "a curve needs two different signals and a value that rises from its first point to its second"
            raise ValueError(msg)
        _check_base(self.quantity, self.pressure_base)

    @property
    def points(self) -> tuple[tuple[float, float], ...]:
        """Its points as (signal, value), values rising."""
        return (self.signal_low, self.value_low), (self.signal_high, self.value_high)

    def signal_at(self, value: Number) -> Number:
        """The signal at a value, also beyond the ends; any shape."""
        share = (value - self.value_low) / self.span
        return self.signal_low * (1.0 - share) + self.signal_high * share

    def value_at(self, signal: Number) -> Number:
        """The value at a signal, also beyond the ends; any shape."""
        share = (signal - self.signal_low) / (self.signal_high - self.signal_low)
        return self.value_low * (1.0 - share) + self.value_high * share

    def slope_at(self, value: float) -> float:  # noqa: ARG002  the same everywhere
        """Signal for each unit of the value."""
        return (self.signal_high - self.signal_low) / self.span


@dataclass(frozen=True)
class TableCurve(_InVolts):
    """A curve by its points: `signals` and `values`, equally many, values rising strictly, straight lines between.

    The signal rises or falls throughout; it may stay level over part of the range, where it cannot tell the value
    (`level_at`): a flat end is then read as its inner edge, and exactly the level of a flat stretch between as its middle.
    """

    kind: CurveKind
    quantity: Quantity
    signals: tuple[float, ...]
    values: tuple[float, ...]
    pressure_base: PressureBase | None = None

    def __post_init__(self) -> None:
        if len(self.signals) != len(self.values) or len(self.values) <= 1:
            msg = "a table has at least two points, each with a signal and a value"
            raise ValueError(msg)
        if any(b <= a or not _tells_apart(a, b) for a, b in zip(self.values, self.values[1:], strict=False)):
            msg = "the values of a table rise from point to point"
            raise ValueError(msg)
        steps = [b - a for a, b in zip(self.signals, self.signals[1:], strict=False)]
        if min(steps) < 0 < max(steps) or not _tells_apart(self.signals[0], self.signals[-1]):
            msg = "the signal of a table rises throughout or falls throughout"
            raise ValueError(msg)
        _check_base(self.quantity, self.pressure_base)

    @property
    def value_low(self) -> float:
        """The low end of its range, in the fixed unit."""
        return self.values[0]

    @property
    def value_high(self) -> float:
        """The high end of its range, in the fixed unit."""
        return self.values[-1]

    @property
    def signal_low(self) -> float:
        """Signal at the least value."""
        return self.signals[0]

    @property
    def signal_high(self) -> float:
        """Signal at the greatest value."""
        return self.signals[-1]

    @property
    def points(self) -> tuple[tuple[float, float], ...]:
        """Its points as (signal, value), values rising."""
        return tuple(zip(self.signals, self.values, strict=True))

    @cached_property
    def _levels(self) -> dict[float, tuple[float, float]]:
        """Least and greatest value of each signal that stays level over a stretch."""
        runs: dict[float, list[float]] = {}
        for signal, value in self.points:
            runs.setdefault(signal, []).append(value)
        return {signal: (values[0], values[-1]) for signal, values in runs.items() if len(values) > 1}

    def level_at(self, signal: float) -> tuple[float, float] | None:
        """The values between which the signal is level, None where it tells one value."""
        return self._levels.get(signal)

    @cached_property
    def _inverse(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """Strictly rising signals, and the value at each; beside a level stretch the signals next to it, with its ends."""
        rises = self.signals[-1] > self.signals[0]
        told: dict[float, float] = {}
        for signal, value in self.points:
            level = self._levels.get(signal)
            if level is None:
                told[signal] = value
                continue
            low, high = level if rises else level[::-1]
            if signal == min(self.signals):
                told[signal] = high
            elif signal == max(self.signals):
                told[signal] = low
            else:
                told[math.nextafter(signal, -math.inf)] = low
                told[signal] = (low + high) / 2
                told[math.nextafter(signal, math.inf)] = high
        signals = sorted(told)
        return tuple(signals), tuple(told[signal] for signal in signals)

    @property
    def usable_range(self) -> tuple[float, float]:
        """The part of its range in which the signal moves, so that it tells the value: without flat ends."""
        low, high = (self._inverse[1][0], self._inverse[1][-1])
        return min(low, high), max(low, high)

    def signal_at(self, value: Number) -> Number:
        """The signal at a value, on the straight line between two rows; any shape."""
        return between(value, self.values, self.signals)

    def value_at(self, signal: Number) -> Number:
        """The value at a signal, on the straight line between two rows; any shape."""
        return between(signal, *self._inverse)

    def slope_at(self, value: float) -> float:
        """Signal for each unit of the value, of the stretch that it lies on."""
        return segment_slope(value, self.values, self.signals)


@dataclass(frozen=True)
class NtcCurve:
    """A thermistor as a curve from °C to Ω. A table's ends are its limits, else what such a part is sold for."""

    thermistor: Thermistor
    kind: CurveKind = CurveKind.OHMS
    quantity: Quantity = Quantity.TEMPERATURE
    pressure_base: PressureBase | None = None

    @property
    def value_low(self) -> float:
        """The coldest that it is reckoned with, in °C."""
        return self.thermistor.points[0][0] if self.thermistor.points else _NTC_LOW_DEGC

    @property
    def value_high(self) -> float:
        """The hottest that it is reckoned with, in °C."""
        return self.thermistor.points[-1][0] if self.thermistor.points else _NTC_HIGH_DEGC

    def signal_at(self, value: Number) -> Number:
        """Ohms at temperatures in °C; any shape."""
        return self.thermistor.ohm_at(value)

    def value_at(self, signal: Number) -> Number:
        """The temperature; not a number where no thermistor has such ohms (none, or endlessly many)."""
        if isinstance(signal, (int, float)):
            return self.thermistor.degc_at(signal) if 0 < signal < math.inf else math.nan

        told = (signal > 0) & np.isfinite(signal)
        return np.where(told, self.thermistor.degc_at(np.where(told, signal, 1.0)), np.nan)

    def slope_at(self, value: float) -> float:
        """Ohms for each kelvin there."""
        return self.thermistor.ohm_slope(value)


# The curve of a sensor whose signal is in volts.
StraightCurve = LinearCurve | TableCurve


def over_shunt(curve: StraightCurve, shunt_ohm: float) -> StraightCurve:
    """A curve as an input sees it: a current makes `V = I·R` over its shunt; any other curve is left as it is."""
    if curve.kind is not CurveKind.CURRENT:
        return curve
    v_per_ma = shunt_ohm / 1000
    if isinstance(curve, TableCurve):
        return replace(curve, kind=CurveKind.VOLTS, signals=tuple(ma * v_per_ma for ma in curve.signals))
    return replace(
        curve,
        kind=CurveKind.VOLTS,
        signal_low=curve.signal_low * v_per_ma,
        signal_high=curve.signal_high * v_per_ma,
    )
