"""The size of a fault: one of its parameters in its samples, as drawn, and moved to where the readings have it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from irongauge.core.diagnosis.model import OHM_KINDS
from irongauge.core.diagnosis.role_points import NO_CONTACT_V, Array, Flags, Kind, Observation, RolePoint
from irongauge.core.diagnosis.sample_sets import SampleSet, resolved
from irongauge.core.diagnosis.sampling import moved_to_fit, percentiles

__all__ = ["ReadParts", "Sized", "sized_by"]

_SLOPE_OVER = 8.0  # of the range of a size: over that much of it, what it makes of a reading is about straight

ReadParts = Mapping[str, Observation]


@dataclass(frozen=True)
class Sized:
    """A hypothesis's own samples: which they are, their weights, and a parameter in them as drawn and as moved."""

    own: Flags
    weights: Array
    scale: Array
    moved: Array
    in_decades: bool

    @property
    def told(self) -> tuple[float, float, float]:
        """Middle, 10th and 90th percentile of the parameter."""
        kept = self.weights > self.weights.max() * 1e-6
        low, _, high = percentiles(self.scale[kept], self.weights[kept])
        least, middle, most = percentiles(self.moved[kept], self.weights[kept])
        low, high = min(low, least), max(high, most)  # the slope is not known so well that it could narrow them
        return (math.exp(middle), math.exp(low), math.exp(high)) if self.in_decades else (middle, low, high)

    def carried(self, values: Array) -> Array:
        """What samples predict, moved with the size of their fault to where the readings have it."""
        own = values[self.own]
        # The few samples that carry the weight would make any slope: all of about its size do, alike.
        middle = (self.weights * self.moved).sum() / self.weights.sum()
        apart = (self.scale - middle) / ((self.scale.max() - self.scale.min()) / _SLOPE_OVER + 1e-12)
        near = np.exp(-0.5 * apart**2)
        near /= near.sum()
        in_decades = bool((own > 0).all())
        read = np.log(own) if in_decades else own
        centred = self.scale - (near * self.scale).sum()
        slope = (near * centred * read).sum() / ((near * centred**2).sum() + 1e-12)
        told = np.clip(read + slope * (self.moved - self.scale), read.min(), read.max())
        moved = values.copy()
        moved[self.own] = np.exp(told) if in_decades else told
        return moved


def sized_by(
    sample_set: SampleSet,
    own: Flags,
    weights: Array,
    *,
    name: str,
    taken: Mapping[RolePoint, ReadParts],
    assignment: Mapping[str, str],
) -> Sized | None:
    """The samples `own` with the parameter `name`, moved by the readings `taken`; None where they do not have it.

    `weights` are those of the own samples.
    """
    values = sample_set.model.p[name][own]
    if weights.sum() <= 0 or np.isnan(values).any():
        return None
    # Sizes are drawn evenly in every decade, so between two samples they are told apart in decades too.
    in_decades = bool((values > 0).all())
    scale = np.log(values) if in_decades else values
    by_sample = weights / weights.sum()
    off = _off(sample_set, own, taken, assignment)
    moved = np.clip(moved_to_fit(scale, by_sample, off), scale.min(), scale.max())
    return Sized(own, by_sample, scale, moved, in_decades)


def _off(
    sample_set: SampleSet, own: Flags, taken: Mapping[RolePoint, ReadParts], assignment: Mapping[str, str]
) -> Array:
    """By how much each of some samples misses each numeric reading, in decades where it can, `(readings, samples)`."""
    missed = []
    for role_point, answer in taken.items():
        for name, part in sample_set.model.parts(resolved(role_point, assignment)).items():
            seen = answer.get(name)
            if not isinstance(seen, float) or part.kind in {Kind.WORD, Kind.GLOW}:
                continue
            values = part.values[own]
            if part.kind in OHM_KINDS:
                missed.append(values - math.log(max(seen, 0.05)))
            elif seen > 0 and (values > 0).all():
                missed.append(np.log(values) - math.log(seen))
            elif (values != NO_CONTACT_V).all():
                missed.append(values - seen)
    return np.array(missed).reshape(-1, int(own.sum()))
