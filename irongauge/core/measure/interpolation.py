"""Straight lines between points, for single numbers and for arrays alike.

Leaves out splines: a data sheet's table says no more than its points. Beyond the first and the last point the nearest
segment is carried on, so that a caller can see how far outside a value lies.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

__all__ = ["Number", "between", "segment_slope"]

# One float, or an array of them; what comes in comes out. Single numbers need no NumPy, which a first page does not load.
Number = TypeVar("Number", float, "NDArray[np.float64]")


def between(x: Number, xs: Sequence[float], ys: Sequence[float]) -> Number:
    """`y` at `x` on the line through the points (`xs`, `ys`); `xs` rises strictly and has at least two.

    >>> between(2.5, (0.0, 5.0), (0.0, 10.0))
    5.0
    """
    if isinstance(x, (int, float)):
        at = min(max(bisect_right(xs, x) - 1, 0), len(xs) - 2)
        share = (x - xs[at]) / (xs[at + 1] - xs[at])
        # Weighing both ends returns a point's own value exactly at that point.
        return ys[at] * (1.0 - share) + ys[at + 1] * share

    known_x, known_y = np.asarray(xs, dtype=float), np.asarray(ys, dtype=float)
    at = np.clip(np.searchsorted(known_x, x, side="right") - 1, 0, len(known_x) - 2)
    part = (x - known_x[at]) / (known_x[at + 1] - known_x[at])
    found: NDArray[np.float64] = known_y[at] * (1.0 - part) + known_y[at + 1] * part
    return found


def segment_slope(x: float, xs: Sequence[float], ys: Sequence[float]) -> float:
    """Rise of `y` per `x` in the segment that holds `x`; at a point, of the segment above it."""
    at = min(max(bisect_right(xs, x) - 1, 0), len(xs) - 2)
    return (ys[at + 1] - ys[at]) / (xs[at + 1] - xs[at])
