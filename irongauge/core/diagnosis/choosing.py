"""What a check would tell: how far it would lower the entropy of a ranking, and which faults it would tell apart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.role_points import Array, RolePoint
from irongauge.core.diagnosis.sample_sets import PER_GROUPED, SampleSet, SampleSets
from irongauge.core.diagnosis.sampling import Integers, drawn_by_weight, entropy

__all__ = ["expected_gains", "told_apart"]

_PARTICLES, _TRIES = 384, 48  # gains then scatter by less than the cost of a minute


def expected_gains(
    every: SampleSets, of: list[SampleSet], weights: Array, role_points: Sequence[RolePoint], seed: int
) -> dict[RolePoint, float]:
    """Expected fall of the entropy of the ranking, in nats, for each of some checks.

    `of` are the first of the sample sets, and `weights`, `(assignments, samples)`, those of their samples.
    """
    rng = np.random.default_rng(seed)
    drawn = every.drawn(drawn_by_weight(weights.ravel(), _PARTICLES, rng), of)
    tries = np.arange(int(rng.integers(_PARTICLES // _TRIES)), _PARTICLES, _PARTICLES // _TRIES)
    kinds, which = np.unique(drawn.hypothesis * len(weights) + drawn.assignment, return_inverse=True)
    member = np.zeros((_PARTICLES, len(kinds)), dtype=np.float32)
    member[np.arange(_PARTICLES), which] = 1
    now = entropy(member.mean(axis=0)[None])[0]
    found: dict[RolePoint, float] = {}
    for role_point in role_points:
        fits = every.fits(role_point, drawn, tries)
        if fits is None:
            found[role_point] = 0.0
            continue
        after = np.exp(fits - fits.max(axis=1, keepdims=True)) @ member
        after /= after.sum(axis=1, keepdims=True)
        found[role_point] = max(0.0, float(now - entropy(after).mean()))
    return found


def told_apart(
    every: SampleSets,
    weights: Array,
    names: Sequence[str],
    *,
    leader: str,
    rivals: Sequence[str],
    role_points: Sequence[RolePoint],
    seed: int,
) -> list[bool]:
    """For each rival: whether some check would read otherwise under it than under the leader.

    The measure is the total variation between the answers that each would give: 0 for the same, 1 for never. `names` are
    all hypotheses, in the order of the samples' numbers.
    """
    if not rivals:
        return []
    rng = np.random.default_rng(seed)
    flat, hypothesis_of = weights.ravel(), np.tile(every.hypothesis_of(), len(weights))

    def drawn(fault: str) -> Integers:
        return drawn_by_weight(np.where(hypothesis_of == names.index(fault), flat, 0), PER_GROUPED, rng)

    of_rivals = [drawn(fault) for fault in rivals]
    if leader == HEALTHY:
        return every.differ_from_good(np.concatenate(of_rivals), role_points)
    return every.differ([drawn(leader), *of_rivals], role_points)
