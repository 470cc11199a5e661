"""A circuit's parameters: arrays with one entry per sample, and the draws that fill them."""

from __future__ import annotations

import numpy as np

from irongauge.core.diagnosis.role_points import Array, Flags

__all__ = ["CUT", "NOT_THERE", "Generator", "Parameters", "coin", "log_uniform", "spread_out"]

CUT = 1e9  # ohms of a wire that is not connected
NOT_THERE = 1e12  # ohms of a branch that does not exist
Parameters = dict[str, Array]
Generator = np.random.Generator


def log_uniform(rng: Generator, low: float, high: float, n: int) -> Array:
    """`n` draws that are as likely in every decade."""
    return np.exp(spread_out(rng, np.log(low), np.log(high), n))


def spread_out(rng: Generator, low: float, high: float, n: int) -> Array:
    """`n` uniform draws, one in each of `n` equal strata, in no order: few samples then leave no gap."""
    return np.asarray(low + (high - low) * (rng.permutation(n) + rng.random(n)) / n)


def coin(rng: Generator, n: int) -> Flags:
    """`n` draws of yes or no."""
    return np.asarray(rng.integers(0, 2, n), dtype=bool)
