"""What a good circuit of a card reads, where no limit of the shop says it: the model's healthy samples, as windows."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.catalogue import draw
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.model import OHM_KINDS, CircuitModel
from irongauge.core.diagnosis.role_points import WORDS, Array, Kind, RolePoint, glow_classes
from irongauge.core.measure.quantities import Glow, Limits, TestPoint

__all__ = ["healthy_glows", "healthy_window", "healthy_words"]

_SAMPLES = 48  # enough for the ends of a window, which `_MARGIN` then widens
_MARGIN = 0.4  # of the samples' range, on either side: they are few, and a window must not fail a good circuit
_LEAST = {Kind.VOLTS: 0.02, Kind.BATTERY_VOLTS: 0.15, Kind.LIVE_VOLTS: 0.03, Kind.MILLIVOLTS: 10.0, Kind.HERTZ: 1.0,
          Kind.MILLISECONDS: 0.05, Kind.PERCENT: 1.0, Kind.THERMO_MILLIVOLTS: 0.08, Kind.MILLIAMPS: 0.1}  # fmt: skip
_ISOLATED_OHM = 1e6  # wires with nothing between them: meters end at tens of megohms
_OHM_FACTOR, _OHM_LEADS = 1.15, 0.5  # the tolerance of ohms, and what leads and contacts add


@lru_cache(maxsize=256)
def _model(subject: CircuitUnderTest) -> CircuitModel:
    return CircuitModel(
        subject, (HEALTHY,), draw(subject, (HEALTHY,), _SAMPLES, np.random.default_rng(7)), per_fault=_SAMPLES
    )


def _samples(case: BenchCase, test_point: TestPoint) -> tuple[RolePoint, Kind, Array] | None:
    """The healthy samples of what a test point would read, in the unit of the test point's reading."""
    wiring = wiring_of(case)
    role_point = wiring.role_point_of(test_point)
    if role_point is None or len(wiring.assignments) != 1:
        return None
    model = _model(wiring.subject)
    real = RolePoint(role_point.kind, wiring.assignments[0].get(role_point.pin, role_point.pin), role_point.state)
    name = wiring.part_of(real, test_point)
    part = model.parts(real).get(name)
    if part is None:
        return None
    values = model.sample_set(real, name, HEALTHY)
    return real, part.kind, values / 1000 if name == "mv" else values


def healthy_window(case: BenchCase, test_point: TestPoint) -> Limits | None:
    """The numbers that a good circuit reads at a test point, in its unit; None where the model says nothing of it."""
    found = _samples(case, test_point)
    if found is None:
        return None
    _, kind, values = found
    low, high = float(values.min()), float(values.max())
    if kind in OHM_KINDS:
        if low > _ISOLATED_OHM:
            return Limits(_ISOLATED_OHM)
        return Limits(max(0.0, low / _OHM_FACTOR - _OHM_LEADS), high * _OHM_FACTOR + _OHM_LEADS)
    least = _LEAST.get(kind, 0.01 * _model(wiring_of(case).subject).value_span())
    if kind in {Kind.MILLIVOLTS, Kind.THERMO_MILLIVOLTS}:
        least /= 1000
    margin = max(least, _MARGIN * (high - low))
    return Limits(low - margin, high + margin)


def healthy_glows(case: BenchCase, test_point: TestPoint) -> frozenset[Glow] | None:
    """The glows that a good circuit may give."""
    found = _samples(case, test_point)
    if found is None:
        return None
    current_a = np.abs(found[2])
    names = (Glow.DARK, Glow.DIM, Glow.BRIGHT)
    return frozenset(names[i] for share in (0.9, 1.1) for i in np.unique(glow_classes(current_a * share)))


def healthy_words(case: BenchCase, test_point: TestPoint) -> frozenset[str] | None:
    """The words that a good circuit may be answered in."""
    found = _samples(case, test_point)
    if found is None:
        return None
    role_point, _, values = found
    return frozenset(WORDS[role_point.kind][float(v)] for v in np.unique(values))
