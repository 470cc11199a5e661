"""How well an instrument knows what it shows, and what that does to a decision.

A maker's specification is taken as the half-width of a rectangular distribution (JCGM 100:2008, 4.3.7), so the standard
uncertainty is specification / √3; contributions add as root sum of squares; U is expanded with k = 2. A decision is
taken by guarded acceptance (JCGM 106:2012, 8.3): inside the limits by more than U passes, outside by more than U fails,
and what lies between is undecided.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.units import Quantity

__all__ = [
    "COVERAGE_K",
    "UNKNOWN_METER",
    "USUAL_METERS",
    "GaugeSpec",
    "MeterSpec",
    "combine",
    "coverage_k",
    "guarded_mark",
    "student_t",
]

# Student's t, two-sided 95.45 %, from so many degrees of freedom on (JCGM 100:2008, table G.2).
_T_95_45 = (
    (1, 13.97), (2, 4.53), (3, 3.31), (4, 2.87), (5, 2.65), (6, 2.52), (7, 2.43), (8, 2.37), (9, 2.32), (10, 2.28),
    (11, 2.25), (12, 2.23), (13, 2.21), (14, 2.20), (15, 2.18), (16, 2.17), (18, 2.15), (20, 2.13), (25, 2.11), (30, 2.09),
    (40, 2.06), (50, 2.05), (100, 2.025), (500, 2.0),
)  # fmt: skip
COVERAGE_K = 2.0  # about 95 % (JCGM 100, 6.3.3)
_FINEST_V = 1e-4  # a handheld meter's best step on its lowest direct-voltage range


@dataclass(frozen=True)
class MeterSpec:
    """A digital meter's specification: % of reading + `digits` last digits, on a display of `counts`."""

    reading_pct: float
    digits: float
    counts: int = 6000

    def __post_init__(self) -> None:
        if self.reading_pct < 0 or self.digits < 0 or self.counts < 1000:  # noqa: PLR2004  a 3-digit meter
            msg = "a meter has no negative error and at least 1 000 counts"
            raise ValueError(msg)

    def resolution(self, value: float) -> float:
        """The last digit's worth when an auto-ranging display of `counts` shows this value, in the value's unit."""
        if abs(value) <= _FINEST_V * self.counts:
            return _FINEST_V
        decade = math.ceil(math.log10(abs(value) / self.counts) - 1e-12)
        return float(max(_FINEST_V, 10.0**decade))

    def digits_uncertainty(self, value: float) -> float:
        """Standard uncertainty of the last digits alone of a value shown, in its unit."""
        return self.digits * self.resolution(value) / math.sqrt(3.0)

    def standard_uncertainty(self, value: float) -> float:
        """Standard uncertainty of a value shown, in its unit.

        >>> round(MeterSpec(0.5, 2, 6000).standard_uncertainty(5.0), 4)
        0.0156
        """
        half_width = abs(value) * self.reading_pct / 100.0 + self.digits * self.resolution(value)
        return half_width / math.sqrt(3.0)


# What a reading is judged by that names no meter: a cheap handheld one. The Shelf's own meters are mostly better.
UNKNOWN_METER = MeterSpec(reading_pct=1.0, digits=5, counts=2000)


# Three usual handheld meters, by what each shows of 5 V: who stands at the vehicle can look, and has no data sheet there.
USUAL_METERS = {
    "4.98": MeterSpec(reading_pct=0.8, digits=3, counts=2000),
    "4.980": MeterSpec(reading_pct=0.5, digits=2, counts=6000),
    "4.9803": MeterSpec(reading_pct=0.05, digits=5, counts=50_000),
}


@dataclass(frozen=True)
class GaugeSpec:
    """A dial or digital gauge's specification: % of its full scale, which is in the fixed unit of its quantity."""

    quantity: Quantity
    full_scale: float
    full_scale_pct: float

    def __post_init__(self) -> None:
        if self.full_scale <= 0 or self.full_scale_pct < 0:
            msg = "a gauge has a positive full scale and no negative error"
            raise ValueError(msg)

    def standard_uncertainty(self) -> float:
        """Standard uncertainty anywhere on the scale, in the unit of `full_scale`."""
        return self.full_scale * self.full_scale_pct / 100.0 / math.sqrt(3.0)


def combine(*standard: float) -> float:
    """Combined standard uncertainty of independent contributions: root sum of squares (JCGM 100, 5.1.2)."""
    return math.hypot(*standard)


def student_t(freedom: float) -> float:
    """Student's t, two-sided 95.45 %, for 1 degree of freedom or more; between the table's entries the one before counts."""
    return next(t for least, t in reversed(_T_95_45) if freedom >= least)


def coverage_k(combined: float, scatter: float, freedom: int) -> float:
    """K for a combined standard uncertainty of which `scatter` is known from so few repeats, all else for certain.

    By the effective degrees of freedom of Welch and Satterthwaite, `ν u⁴ / s⁴` (JCGM 100:2008, G.4.1).
    """
    if scatter <= 0 or combined <= 0:
        return COVERAGE_K
    return student_t(max(freedom * (combined / scatter) ** 4, 1.0))


def guarded_mark(value: float, window: Limits, guard_low: float, guard_high: float) -> Mark:
    """Pass, fail or undecided by guarded acceptance.

    The guards are the expanded uncertainties *at the two limits*, not at the value, so that the answer can only move
    one way as the value moves one way. A window narrower than its guards can never pass.
    """
    if value < window.low - guard_low or value > window.high + guard_high:
        return Mark.FAIL
    if window.low + guard_low <= value <= window.high - guard_high:
        return Mark.PASS
    return Mark.UNDECIDED
