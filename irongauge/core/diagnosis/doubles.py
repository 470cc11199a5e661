"""Two faults at once: which pairs the readings make likely, and samples of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from irongauge.core.diagnosis.changes import change
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY, may_stand_together
from irongauge.core.diagnosis.model import CircuitModel
from irongauge.core.diagnosis.parameters import Parameters
from irongauge.core.diagnosis.role_points import Array
from irongauge.core.diagnosis.sample_sets import SampleSet
from irongauge.core.diagnosis.sampling import COARSE, drawn_by_weight

__all__ = ["double_sample_set", "likely_doubles"]

_SECOND_FAULT = 0.0015  # of faulty circuits have a second fault
_FIRST_FAULTS, _DOUBLES_KEPT, _PER_DOUBLE = 3, 8, 32  # what can be solved within a reading's 50 ms


def likely_doubles(base: SampleSet, weights: Array) -> list[tuple[str, str]]:
    """Pairs of a leading fault and any that can stand beside it, those that promise most, the best of them first.

    `weights` are those of the samples of single faults, `(assignments, samples)`, not scaled. Empty where nothing stands beside.
    """
    by_fault = np.bincount(base.model.fault_of, weights.sum(axis=0), minlength=len(base.model.faults))
    order = [i for i in np.argsort(-by_fault) if base.model.faults[i] != HEALTHY][:_FIRST_FAULTS]
    firsts = [base.model.faults[i] for i in order]
    doubles = dict.fromkeys(
        (first, second) for first in firsts for second in base.model.faults if may_stand_together(first, second)
    )
    if not doubles:
        return []
    promise = _promise(base, weights)
    likely = sorted(doubles, key=lambda double: -promise(*double))
    kept = {frozenset(double): double for double in reversed(likely[: 2 * _DOUBLES_KEPT])}
    return list(kept.values())[: -_DOUBLES_KEPT - 1 : -1]


def _promise(base: SampleSet, weights: Array) -> Callable[[str, str], float]:
    """How promising a pair looks before it is solved: as if each reading were explained by the better of the two."""
    names, fault_of = base.model.faults, base.model.fault_of
    likely = np.array([np.exp(COARSE * fits) for fits in base.log_likelihoods.values()])  # (checks, a, n)
    left = weights.sum(axis=0) + 1e-300

    def by_fault(of_samples: Array) -> Array:
        return np.array([np.bincount(fault_of, row, minlength=len(names)) for row in of_samples])

    prior = np.log(by_fault(likely.mean(axis=1)) / base.model.per_fault)
    weighed = (likely * weights).sum(axis=1)
    posterior = np.log(by_fault(weighed) / by_fault(left[None]) + 1e-300)

    def promise(first: str, second: str) -> float:
        return float(np.maximum(posterior[:, names.index(first)], prior[:, names.index(second)]).sum())

    return promise


def double_sample_set(
    subject: CircuitUnderTest,
    base: SampleSet,
    doubles: Sequence[tuple[str, str]],
    *,
    weights: Array,
    best: float,
    seed: int,
) -> SampleSet:
    """Samples of pairs: the first fault drawn as the readings leave it, the second over all of its range.

    Since the first is drawn by its posterior, not its prior, each sample is weighed by its evidence over its own
    likelihood (importance sampling). `weights` are over e to the `best`. The readings are not weighed in it yet.
    """
    flat = weights.sum(axis=0)
    chosen, log_prior = [], []
    names = base.model.faults
    alone = np.log(flat + 1e-300) + best
    for first, _ in doubles:
        own = np.where(base.model.fault_of == names.index(first), flat, 0.0)
        picked = drawn_by_weight(own, _PER_DOUBLE, np.random.default_rng(seed))
        chosen.append(picked)
        # log of: P(first) P(second | first) · evidence of the first / likelihood of this sample of it
        evidence = np.log(own.sum()) + best
        likelihood = alone[picked] - base.log_prior[picked]
        log_prior.append(evidence - likelihood + np.log(_SECOND_FAULT / len(names) / _PER_DOUBLE / len(weights)))
    place = np.concatenate(chosen)
    p: Parameters = {name: values[place].copy() for name, values in base.model.p.items()}
    for i, (_, second) in enumerate(doubles):
        block = slice(i * _PER_DOUBLE, (i + 1) * _PER_DOUBLE)
        change(p, second, block, _PER_DOUBLE, np.random.default_rng(seed))
    joined = [DOUBLE_JOIN.join(sorted(double)) for double in doubles]
    model = CircuitModel(subject, joined, p, per_fault=_PER_DOUBLE, base=base.model)
    return SampleSet(model=model, log_prior=np.concatenate(log_prior))
