"""A stretch of a capture or a log as a picture needs it: of each column the least and the greatest, so that no peak is lost.

One of millions of samples also has an overview, the least and greatest of every 64 samples; a wide stretch is drawn from
that, a narrow one from the samples themselves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Values = NDArray[np.float32]

__all__ = ["BLOCK", "MOST_COLUMNS", "Stretch", "even_step_s", "overview_of", "stretch_of"]

BLOCK = 64  # samples to one pair of the overview
MOST_COLUMNS = 2000  # pixels of a wide screen
_EVEN = 0.05  # of a step, that a sample may come early or late and still count as even


@dataclass(frozen=True)
class Stretch:
    """Columns from left to right: the time at which each begins, and the least and greatest value in it; shape (n,)."""

    time_s: Floats
    low: Values
    high: Values


def even_step_s(time_s: Floats) -> float | None:
    """The step between samples where they come evenly; None where they do not."""
    step = float(time_s[-1] - time_s[0]) / (len(time_s) - 1)
    off = np.abs(time_s - time_s[0] - step * np.arange(len(time_s)))
    return step if float(off.max()) <= _EVEN * step else None


def overview_of(values: Values) -> Values:
    """The least and greatest of every `BLOCK` samples, shape (blocks, 2); not a number where all of them are none."""
    starts = np.arange(0, len(values), BLOCK)
    return np.column_stack((np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts)))


def stretch_of(time_s: Floats, low: Values, high: Values, columns: int) -> Stretch:
    """The given samples, or blocks, gathered into at most so many columns of equal time; empty columns are left out.

    Times rise; arrays of shape (n,). With no more than `columns` of them each is its own column.
    """
    if len(time_s) <= columns:
        return Stretch(time_s, low, high)
    edges = np.linspace(time_s[0], time_s[-1], columns + 1)[:-1]
    starts = np.unique(np.searchsorted(time_s, edges))
    return Stretch(time_s[starts], np.fmin.reduceat(low, starts), np.fmax.reduceat(high, starts))
