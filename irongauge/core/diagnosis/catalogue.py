"""The faults that a circuit can have, and the samples of each.

A healthy circuit is drawn first, as the scatter of real ones; then every fault rewrites its own block of samples.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irongauge.core.diagnosis.changes import change
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.family_rules import rules_of
from irongauge.core.diagnosis.parameters import Generator, Parameters, spread_out
from irongauge.core.diagnosis.shown_value import reader_parameters

__all__ = ["draw", "faults_of"]

_WAY_SEED = 11  # a place that is read must change no other draw


def faults_of(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults that a circuit of this family can have, `healthy` first."""
    return rules_of(subject.family).faults(subject)


def draw(subject: CircuitUnderTest, faults: Sequence[str], per_fault: int, rng: Generator) -> Parameters:
    """Parameters for `per_fault` samples of each fault, in the order of `faults`: arrays of `(len(faults)·per_fault,)`.

    Every fault is put into the same `per_fault` healthy circuits, and its sizes come from the same random numbers, so that
    two faults are compared on equal ground (common random numbers; Glasserman 2003, *Monte Carlo Methods*, 4.2).
    """
    healthy = rules_of(subject.family).samples(subject, per_fault, rng)
    p = {name: np.tile(values, len(faults)) for name, values in healthy.items()}
    p |= reader_parameters(subject, per_fault, len(faults))
    p |= _where_on_the_way(subject, per_fault, len(faults))
    seed = int(rng.integers(2**32))
    for place, fault in enumerate(faults):
        block = slice(place * per_fault, (place + 1) * per_fault)
        change(p, fault, block, per_fault, np.random.default_rng(seed))
    return p


def _where_on_the_way(subject: CircuitUnderTest, per_fault: int, faults: int) -> Parameters:
    """Where on its way what is wrong with a wire lies, as a share from the controller; drawn apart, so that a place that is
    read changes no other draw.
    """
    rng = np.random.default_rng(_WAY_SEED)
    drawn = {f"fault_at.{pin}": spread_out(rng, 0.0, 1.0, per_fault) for pin in subject.ways}
    return {name: np.tile(values, faults) for name, values in drawn.items()}
