"""What controllers ask for: one curve in every form, what rounding costs, and a form that was entered read back.

A form is a function from the input (volts, hertz or milliseconds) to the value in the unit and on the base that the
controller wants. Forms are made from a curve, rounded to what the controller takes, compared with the curve over its range,
and compared with each other. `reading` below is the input in its fixed unit; `shown` a value in the wanted unit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.interpolation import Number, between
from irongauge.core.measure.units import unit_for
from irongauge.core.sensors.conversion import Feed, Scale, reading_at, reading_range, reading_unit, value_from_reading
from irongauge.core.sensors.transfer import Curve, LinearCurve, TableCurve

__all__ = [
    "FORM_WORDS",
    "Bands",
    "Cells",
    "Counts",
    "EndPoints",
    "FormKind",
    "Forms",
    "Input",
    "Limit",
    "Offered",
    "OffsetSlope",
    "Polynomial",
    "Scaled",
    "Target",
    "ZeroFive",
    "cells_of",
    "cost_pct",
    "forms_of",
    "line_of",
    "spread",
    "usable_range",
]

_GRID = 201  # places over the range at which a form is held against the curve
_LARGEST_COUNT = 65_535  # multiplier and divider are kept to what a 16-bit field takes
_MOST_BITS = 24  # of any converter
_MARGIN_SHARE = 0.05  # warning bands start this far inside the range


class FormKind(StrEnum):
    """The forms that controllers ask for."""

    END_POINTS = "end points"
    ZERO_FIVE = "value at 0 V and 5 V"
    OFFSET_SLOPE = "offset and slope"
    SCALED = "multiplier and divider"
    COUNTS = "converter counts"
    POLYNOMIAL = "polynomial"
    CELLS = "table"
    LIMIT = "limit"


FORM_WORDS = {
    FormKind.END_POINTS: "Two points: a reading and a value at each end",
    FormKind.ZERO_FIVE: "The value at 0 V and at 5 V",
    FormKind.OFFSET_SLOPE: "The value at 0, and how much it grows per volt (hertz, ms)",
    FormKind.SCALED: "Millivolts (hertz, ms) times a multiplier over a divider, plus an offset",
    FormKind.COUNTS: "Steps of the controller’s converter: the value at 0, and how much it grows per step",
    FormKind.POLYNOMIAL: "A polynomial of the volts: up to the third power",
    FormKind.CELLS: "A table of cells: a reading and a value in each",
    FormKind.LIMIT: "A limit that caps the value",
}


class ControllerForm(Protocol):
    """Anything that makes a shown value of a reading."""

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """Shown values, shape (n,), of readings of shape (n,)."""


@dataclass(frozen=True)
class EndPoints:
    """A straight line by two readings and the values there."""

    reading_low: float
    reading_high: float
    shown_low: float
    shown_high: float

    def __post_init__(self) -> None:
        if self.reading_low == self.reading_high:
            msg = "the two ends have different readings"
            raise ValueError(msg)

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        share = (reading - self.reading_low) / (self.reading_high - self.reading_low)
        return self.shown_low * (1 - share) + self.shown_high * share


@dataclass(frozen=True)
class ZeroFive:
    """The value at 0 V and at 5 V, which mostly lie outside the sensor's range."""

    shown_at_0: float
    shown_at_5: float

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        return self.shown_at_0 + (self.shown_at_5 - self.shown_at_0) * reading / 5.0


@dataclass(frozen=True)
class OffsetSlope:
    """shown = offset + slope · reading."""

    offset: float
    slope: float

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        return self.offset + self.slope * reading


@dataclass(frozen=True)
class Scaled:
    """shown = counts · multiplier / divider + offset, with whole numbers; `counts` per unit of the reading (1000: mV)."""

    multiplier: int
    divider: int
    offset: float
    counts: float = 1000.0

    def __post_init__(self) -> None:
        if self.divider == 0 or self.counts <= 0:
            msg = "a divider is not 0, and there are counts"
            raise ValueError(msg)

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        return reading * self.counts * self.multiplier / self.divider + self.offset


@dataclass(frozen=True)
class Counts:
    """shown = offset + per_count · counts, where a converter of so many bits makes `2**bits` steps of its full scale."""

    offset: float
    per_count: float
    bits: int = 10
    full_scale_v: float = 5.0

    def __post_init__(self) -> None:
        if not 1 <= self.bits <= _MOST_BITS or self.full_scale_v <= 0:
            msg = f"a converter has 1 to {_MOST_BITS} bits and a full scale above 0 V"
            raise ValueError(msg)

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        return self.offset + self.per_count * reading / self.full_scale_v * 2.0**self.bits


@dataclass(frozen=True)
class Polynomial:
    """shown = p0 + p1·V + p2·V² + p3·V³."""

    powers: tuple[float, ...]

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; any shape."""
        total = reading * 0.0
        for power in reversed(self.powers):
            total = total * reading + power
        return total


@dataclass(frozen=True)
class Cells:
    """A table of N cells with straight lines between; beyond its ends it holds the last value, as controllers do."""

    readings: tuple[float, ...]
    shown: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.readings) != len(self.shown) or len(self.readings) <= 1:
            msg = "a table has at least two cells, each with a reading and a value"
            raise ValueError(msg)
        if any(b <= a for a, b in zip(self.readings, self.readings[1:], strict=False)):
            msg = "the readings of a table rise from cell to cell"
            raise ValueError(msg)

    @property
    def rows(self) -> tuple[tuple[float, float], ...]:
        """Each cell's reading with its value."""
        return tuple(zip(self.readings, self.shown, strict=True))

    def shown_at(self, reading: NDArray[np.float64]) -> NDArray[np.float64]:
        """What is shown at readings in volts, in the shown unit; past the ends as at the ends."""
        return between(reading.clip(self.readings[0], self.readings[-1]), self.readings, self.shown)


@dataclass(frozen=True)
class Limit:
    """A cap on the value, such as the greatest pressure that is believed; not a function of the reading."""

    shown: float


@dataclass(frozen=True)
class Input:
    """A sensor as a controller sees it: its curve and what feeds it."""

    curve: Curve
    feed: Feed

    @property
    def unit(self) -> str:
        """Code of the reading's unit."""
        return reading_unit(self.curve.kind, self.feed)

    @property
    def reading_range(self) -> tuple[float, float]:
        """The least and the greatest reading of the curve at this input."""
        return reading_range(self.curve, self.feed)

    def shown_at(self, reading: Number, scale: Scale) -> Number:
        """What the curve itself makes of readings."""
        return scale.shown(value_from_reading(self.curve, reading, self.feed), self.curve.pressure_base)

    def shown_ends(self, scale: Scale) -> tuple[float, float]:
        """The curve's least and greatest value, as wanted."""
        low: float = scale.shown(self.curve.value_low, self.curve.pressure_base)
        high: float = scale.shown(self.curve.value_high, self.curve.pressure_base)
        return low, high

    def grid(self) -> NDArray[np.float64]:
        """Readings spread over the range, evenly in the value, where the curve tells it."""
        low, high = usable_range(self.curve)
        values = np.linspace(low, high, _GRID)
        return reading_at(self.curve, values, self.feed)


def usable_range(curve: Curve) -> tuple[float, float]:
    """The part of a curve's range in which the signal tells the value."""
    return curve.usable_range if isinstance(curve, TableCurve) else (curve.value_low, curve.value_high)


@dataclass(frozen=True)
class Target:
    """What the controller takes: unit and base of its values, decimals, and how many of a reading."""

    scale: Scale
    decimals: int = 1
    reading_decimals: int = 2

    @classmethod
    def usual(cls, scale: Scale) -> Target:
        """As many decimals as the unit usually has."""
        return cls(scale, unit_for(scale.unit).decimals)


@dataclass(frozen=True)
class Offered:
    """A form as it should be entered, and what entering it so costs: the greatest error in % of span."""

    kind: FormKind
    form: ControllerForm
    cost_pct: float


@dataclass(frozen=True, kw_only=True)
class Bands:
    """Least and greatest value, where a warning should start, and the readings beyond which the wiring is at fault."""

    shown_low: float
    shown_high: float
    warn_low: float
    warn_high: float
    fault_low: float
    fault_high: float


@dataclass(frozen=True)
class Forms:
    """Every form of one curve; `offered` has those that fit the kind of input."""

    offered: tuple[Offered, ...]
    bands: Bands

    def of(self, kind: FormKind) -> Offered | None:
        """The offer in one form; None where the curve has none in it."""
        return next((o for o in self.offered if o.kind is kind), None)


_USUAL = Counts(0.0, 1.0)  # ten bits over 5 V


def forms_of(
    seen: Input,
    target: Target,
    readings: Sequence[float] = (),
    *,
    fault: tuple[float | None, float | None] = (None, None),
    warn: tuple[float | None, float | None] = (None, None),
) -> Forms:
    """All forms of a curve, rounded to what the target takes.

    `readings` are those of the table's cells (nine over the range where none are given); `fault` the fault volts of the
    sensor's card, `warn` the shown values at which to warn, each where known.
    """
    cells = cells_of(seen, target, readings or spread(*seen.reading_range, 9))
    line = line_of(seen, target.scale)
    made: list[tuple[FormKind, ControllerForm]] = [(FormKind.END_POINTS, _end_points(seen, target))]
    if seen.unit == "V":
        at_0, at_5 = (round(v, target.decimals) for v in (line.offset, line.offset + 5.0 * line.slope))
        made.append((FormKind.ZERO_FIVE, ZeroFive(at_0, at_5)))
    made.append((FormKind.OFFSET_SLOPE, _rounded_line(line, seen, target)))
    made.append((FormKind.SCALED, _scaled(line, target, 1000.0 if seen.unit == "V" else 1.0)))
    if seen.unit == "V":
        counts = Counts(round(line.offset, target.decimals), line.slope * _USUAL.full_scale_v / 2.0**_USUAL.bits)
        made.append((FormKind.COUNTS, replace(counts, per_count=round(counts.per_count, target.decimals + 4))))
        made.append((FormKind.POLYNOMIAL, _polynomial(seen, target)))
    made.append((FormKind.CELLS, cells))
    return Forms(
        tuple(Offered(kind, form, cost_pct(seen, target.scale, form)) for kind, form in made),
        _bands(seen, target, fault, warn),
    )


def cost_pct(seen: Input, scale: Scale, form: ControllerForm) -> float:
    """The greatest difference between a form and the curve over the range, in % of span."""
    grid = seen.grid()
    low, high = seen.shown_ends(scale)
    return float(abs(form.shown_at(grid) - seen.shown_at(grid, scale)).max()) / abs(high - low) * 100


def line_of(seen: Input, scale: Scale) -> OffsetSlope:
    """The straight line of a curve: exact for a straight one, the best in least squares for any other."""
    grid = seen.grid()
    shown = seen.shown_at(grid, scale)
    x, y = grid - grid.mean(), shown - shown.mean()
    slope = float((x * y).sum() / (x * x).sum())
    return OffsetSlope(float(shown.mean() - slope * grid.mean()), slope)


def cells_of(seen: Input, target: Target, readings: Sequence[float]) -> Cells:
    """A table at the given readings, which are sorted and rounded as the controller takes them."""
    at = sorted({round(float(r), target.reading_decimals) for r in readings})
    if len(at) <= 1:
        msg = "a table has at least two cells with different readings"
        raise ValueError(msg)
    low, high = seen.reading_range
    # Beyond its range a straight sensor's line goes on; any other curve says nothing there, and holds.
    straight = isinstance(seen.curve, LinearCurve)
    shown = [seen.shown_at(r if straight else min(max(r, low), high), target.scale) for r in at]
    return Cells(tuple(at), tuple(round(v, target.decimals) for v in shown))


def spread(low: float, high: float, count: int) -> tuple[float, ...]:
    """`count` readings evenly from one to the other."""
    return tuple(low if count == 1 else low + (high - low) * at / (count - 1) for at in range(count))


def _end_points(seen: Input, target: Target) -> EndPoints:
    ends = []
    for value in usable_range(seen.curve):
        reading = round(float(reading_at(seen.curve, value, seen.feed)), target.reading_decimals)
        shown: float = target.scale.shown(value, seen.curve.pressure_base)
        ends.append((reading, round(shown, target.decimals)))
    (low, shown_low), (high, shown_high) = sorted(ends)
    return EndPoints(low, high, shown_low, shown_high)


def _rounded_line(line: OffsetSlope, seen: Input, target: Target) -> OffsetSlope:
    """Slope with the decimals of the value and two more, since it is multiplied by the reading."""
    if seen.unit != "V":
        return OffsetSlope(round(line.offset, target.decimals), round(line.slope, target.decimals + 4))
    return OffsetSlope(round(line.offset, target.decimals), round(line.slope, target.decimals + 1))


def _polynomial(seen: Input, target: Target) -> Polynomial:
    """The cubic of least squares over the range, to seven digits or more: rounded further, its powers do not cancel."""
    grid = seen.grid()
    powers = np.polynomial.polynomial.polyfit(
        grid, seen.shown_at(grid, target.scale), 1 if isinstance(seen.curve, LinearCurve) else 3
    )
    return Polynomial(tuple(float(f"{power:.{max(7, target.decimals + 6)}g}") for power in powers))


def _scaled(line: OffsetSlope, target: Target, counts: float) -> Scaled:
    ratio = Fraction(line.slope / counts).limit_denominator(_LARGEST_COUNT)
    largest = _LARGEST_COUNT
    while abs(ratio.numerator) > _LARGEST_COUNT and largest > 1:
        largest //= 2
        ratio = Fraction(line.slope / counts).limit_denominator(largest)
    return Scaled(ratio.numerator, ratio.denominator, round(line.offset, target.decimals), counts)


def _bands(
    seen: Input,
    target: Target,
    fault: tuple[float | None, float | None],
    warn: tuple[float | None, float | None],
) -> Bands:
    low, high = (round(v, target.decimals) for v in seen.shown_ends(target.scale))
    margin = _MARGIN_SHARE * (high - low)
    least, most = seen.reading_range
    full = seen.feed.reference_v if seen.unit == "V" else most * 1.1
    # Halfway between the range and the end of the scale, where the card says nothing.
    below = least / 2 if fault[0] is None else fault[0]
    above = (most + full) / 2 if fault[1] is None else fault[1]
    return Bands(
        shown_low=low,
        shown_high=high,
        warn_low=round(low + margin, target.decimals) if warn[0] is None else warn[0],
        warn_high=round(high - margin, target.decimals) if warn[1] is None else warn[1],
        fault_low=round(below, target.reading_decimals),
        fault_high=round(max(above, most), target.reading_decimals),
    )
