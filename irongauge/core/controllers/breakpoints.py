"""Where a table's cells stand best: so many of them with the least error of the straight lines between.

Each segment goes as far as it may with an error below a bound, and the bound is halved until the cells just suffice (the greedy
cover of a curve by chords, which is the fewest for one that bends one way).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from irongauge.core.controllers.figures import Cells, Input
from irongauge.core.sensors.conversion import Scale

__all__ = ["best_cells"]

_HALVINGS = 40
_DIGITS = 3  # of a reading in V or Hz and more, of a value in its unit: what a controller's fields take


def best_cells(seen: Input, scale: Scale, count: int, ends: tuple[float, float]) -> Cells:
    """`count` cells between two readings, rounded as they are typed, whose straight lines cost least."""
    whole = seen.grid()
    inside = np.sort(whole[(whole > ends[0]) & (whole < ends[1])])
    low, high = seen.reading_range
    grid = np.concatenate(([max(ends[0], low)], inside, [min(ends[1], high)]))
    values = seen.shown_at(grid, scale)
    low, high = 0.0, float(np.ptp(values))
    for _ in range(_HALVINGS):
        bound = (low + high) / 2
        if len(_cover(grid, values, bound)) > count:
            low = bound
        else:
            high = bound
    places = _cover(grid, values, high)
    rows = {round(float(grid[n]), _DIGITS): round(float(values[n]), _DIGITS) for n in places}
    return Cells(tuple(rows), tuple(rows.values()))


def _cover(grid: NDArray[np.float64], values: NDArray[np.float64], bound: float) -> list[int]:
    """Places of the cells, each as far from the one before as the chord between them stays within the bound."""
    places = [0]
    while places[-1] < len(grid) - 1:
        start = places[-1]
        near, far = start + 1, len(grid) - 1
        while near < far:
            middle = (near + far + 1) // 2
            if _off(grid, values, start, middle) <= bound:
                near = middle
            else:
                far = middle - 1
        places.append(near)
    return places


def _off(grid: NDArray[np.float64], values: NDArray[np.float64], start: int, end: int) -> float:
    """The greatest distance of the values from the chord between two of them."""
    part = slice(start, end + 1)
    share = (grid[part] - grid[start]) / (grid[end] - grid[start])
    return float(abs(values[part] - values[start] - share * (values[end] - values[start])).max())
