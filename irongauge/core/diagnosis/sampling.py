"""Sums over weighed samples: draws, percentiles, entropies, and samples moved to where they would give the readings."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from irongauge.core.diagnosis.role_points import Array

__all__ = [
    "COARSE",
    "_NEAR",
    "Floats32",
    "Integers",
    "drawn_by_weight",
    "entropy",
    "flattened",
    "moved_to_fit",
    "percentiles",
    "variation",
]

Floats32 = NDArray[np.float32]
Integers = NDArray[np.int_]
COARSE = 0.6  # power of the evidence: readings share what the model has wrong (docs/diagnosis.md)
_FLATTEST = 0.3  # a flatter weight would let samples speak that the readings speak against
_NEAR = 0.25  # power of the weights by which samples count for a slope: those nearby, but more than a few


def drawn_by_weight(weights: Array, count: int, rng: np.random.Generator) -> Integers:
    """`count` places drawn by weight, evenly (systematic resampling)."""
    sums = np.cumsum(weights)
    at = (np.arange(count) + rng.random()) / count * sums[-1]
    return np.asarray(np.minimum(np.searchsorted(sums, at), len(weights) - 1))


def flattened(weights: Array, least_count: float) -> Array:
    """Weights of the same sum, raised to a power at which they count for at least so many samples, where there are so many.

    How many they count for is Kish's effective sample size, (Σw)²/Σw².
    """
    total, power = weights.sum(), 1.0
    shares = weights / weights.max()
    flat = shares
    while flat.sum() ** 2 / (flat**2).sum() < least_count and power > _FLATTEST:
        power *= 0.8
        flat = np.where(shares > 0, shares**power, 0.0)
    return np.asarray(flat * (total / flat.sum()))


def percentiles(values: Array, weights: Array) -> tuple[float, float, float]:
    """10th, 50th and 90th percentile of weighed values."""
    order = np.argsort(values)
    at = (np.cumsum(weights[order]) - weights[order] / 2) / weights.sum()
    low, middle, high = (float(x) for x in np.interp((0.1, 0.5, 0.9), at, values[order]))
    return low, middle, high


def moved_to_fit(scale: Array, weights: Array, off: Array) -> Array:
    """The samples' parameter, each moved along its slope over the two best of the readings to where it misses neither."""
    near = weights**_NEAR / (weights**_NEAR).sum()
    middle = scale - (near * scale).sum()
    centred = off - (off * near).sum(axis=1, keepdims=True)
    spread = np.sqrt((centred**2 * near).sum(axis=1) * (middle**2 * near).sum()) + 1e-12
    bond = np.abs((centred * middle * near).sum(axis=1)) / spread
    best = off[np.argsort(-bond)[:2]]
    columns = np.concatenate([np.ones((1, len(scale))), best])
    root = np.sqrt(near)
    slopes, *_ = np.linalg.lstsq((columns * root).T, scale * root, rcond=1e-6)
    return np.asarray(scale - slopes[1:] @ best)


def variation(one: Floats32, other: Floats32) -> Floats32:
    """How far two likelihoods are apart: 0 where they are the same, 1 where one of them is nothing."""
    return np.asarray(np.abs(one - other) / (one + other), dtype=np.float32)


def entropy(probabilities: NDArray[np.floating]) -> Array:
    """Entropy of each row, in nats."""
    safe = np.maximum(probabilities, 1e-12)
    return np.asarray(-(probabilities * np.log(safe)).sum(axis=1), dtype=float)
