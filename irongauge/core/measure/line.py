"""The straight line of least squares, and how well it is known."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["FittedLine", "StraightLine", "fit_line"]


_SAME = 1e-12  # of the largest: nearer is what is left of a sum


@dataclass(frozen=True)
class StraightLine:
    """signal = intercept + slope · value."""

    intercept: float
    slope: float

    def signal_at(self, value: float) -> float:
        """The signal that the line has at a value."""
        return self.intercept + self.slope * value

    def value_at(self, signal: float) -> float:
        """The value at which the line has a signal; `ZeroDivisionError` for a flat one."""
        return (signal - self.intercept) / self.slope


@dataclass(frozen=True, kw_only=True)
class FittedLine:
    """A least-squares line and how well it is known.

    `residual_sd` has n − 2 degrees of freedom; it and the standard errors are None with two points, through which any line
    goes.
    """

    line: StraightLine
    count: int
    residuals: tuple[float, ...]
    residual_sd: float | None
    slope_se: float | None
    intercept_se: float | None
    r_squared: float


def fit_line(values: Sequence[float], signals: Sequence[float]) -> FittedLine | None:
    """Ordinary least squares of the signal on the value, with intercept; None when all values or all signals are equal, or fewer
    than two.

    Arguments have shape (n,). Source: JCGM 100:2008, H.3; the sums are taken about the means, which keeps their digits.

    >>> fit_line((0.0, 10.0), (0.5, 4.5)).line
    StraightLine(intercept=0.5, slope=0.4)
    """
    n = len(values)
    if n < 2:  # noqa: PLR2004
        return None
    mean_x, mean_y = math.fsum(values) / n, math.fsum(signals) / n
    dx, dy = [x - mean_x for x in values], [y - mean_y for y in signals]
    sxx = math.fsum(a * a for a in dx)
    largest = max(abs(x) for x in values)
    if sxx <= n * (_SAME * largest) ** 2:
        return None
    syy = math.fsum(b * b for b in dy)
    if syy <= n * (_SAME * max(abs(y) for y in signals)) ** 2:
        return None  # a signal that stands still: what slope there is comes of rounding
    slope = math.fsum(a * b for a, b in zip(dx, dy, strict=True)) / sxx
    if slope == 0.0:
        return None
    line = StraightLine(mean_y - slope * mean_x, slope)
    residuals = tuple(b - slope * a for a, b in zip(dx, dy, strict=True))
    ssr = math.fsum(r * r for r in residuals)
    sd = slope_se = intercept_se = None
    if n > 2:  # noqa: PLR2004
        sd = math.sqrt(ssr / (n - 2))
        slope_se = sd / math.sqrt(sxx)
        intercept_se = sd * math.sqrt(1 / n + mean_x * mean_x / sxx)
    return FittedLine(
        line=line,
        count=n,
        residuals=residuals,
        residual_sd=sd,
        slope_se=slope_se,
        intercept_se=intercept_se,
        r_squared=1 - ssr / syy,
    )
