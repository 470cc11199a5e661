"""The sums over weighed samples, against what is known in closed form."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.sampling import drawn_by_weight, entropy, flattened, moved_to_fit, percentiles, variation
from irongauge.core.diagnosis.session import Session
from irongauge.instruments.simulated import SimulatedVehicle
from tests.subjects import PRESSURE

EVEN = np.full(64, 1 / 64)


@given(st.integers(0, 2**31), st.integers(2, 40))
def test_places_are_drawn_in_proportion_to_their_weight(seed, count):
    weights = np.array([0.0, 3.0, 1.0, 0.0])
    drawn = drawn_by_weight(weights, 4 * count, np.random.default_rng(seed))
    shares = np.bincount(drawn, minlength=4)
    assert shares[0] == shares[3] == 0
    assert abs(shares[1] - 3 * count) <= 1


@given(st.floats(-5, 5), st.floats(0.2, 3), st.integers(0, 1000))
def test_samples_that_lie_on_a_line_are_moved_onto_the_reading(offset, slope, seed):
    """What reads `slope · size + offset` in every sample reads nothing off only at one size, and all are moved there."""
    size = np.random.default_rng(seed).uniform(-3, 3, 64)
    seen = slope * 0.7 + offset
    off = (slope * size + offset - seen)[None]
    assert moved_to_fit(size, EVEN, off) == pytest.approx(0.7, abs=1e-6)


def test_without_readings_samples_stay_where_they_are():
    size = np.linspace(0, 1, 64)
    assert moved_to_fit(size, EVEN, np.zeros((0, 64))) == pytest.approx(size)


def test_percentiles_of_even_weights_are_those_of_the_values():
    low, middle, high = percentiles(np.arange(101.0), np.full(101, 1.0))
    assert (low, middle, high) == pytest.approx((10, 50, 90), abs=0.5)


def test_entropy_is_nothing_when_sure_and_greatest_when_even():
    assert entropy(np.array([[1.0, 0.0], [0.5, 0.5]])) == pytest.approx([0, np.log(2)], abs=1e-9)


def test_variation_is_nothing_for_the_same_and_one_for_what_never_meets():
    same, never = np.float32([0.2, 0.8]), np.float32([0.0])
    assert variation(same, same) == pytest.approx(0)
    assert variation(np.float32([1.0]), never) == pytest.approx(1)


@pytest.mark.parametrize("seed", range(6))
def test_the_size_of_a_fault_is_found_within_a_tenth(seed):
    """Resistance in the return wire, by its drop and by ohms: whatever the sensor draws and wherever the samples lie."""
    vehicle = SimulatedVehicle(PRESSURE, "return_resistance", seed)
    session = Session(PRESSURE)
    for role_point in (RolePoint("off_ohm", "return"), RolePoint("return_drop"), RolePoint("mated_v", "signal", "x1")):
        session.update(role_point, vehicle.ask(role_point))
    true_ohm = float(vehicle._bench.p["wire.return"][0])
    middle, low, high = session.parameter("return_resistance", "wire.return")
    assert middle == pytest.approx(true_ohm, rel=0.1, abs=0.6), "leads and contacts add some tenths of an ohm"
    assert low <= middle <= high


@given(st.integers(0, 1000), st.floats(1.0, 12.0))
def test_flattened_weights_keep_their_sum_and_order_and_count_for_more(seed, least):
    weights = np.random.default_rng(seed).exponential(1.0, 64) ** 4
    weights[:3] = 0.0
    flat = flattened(weights, least)
    assert flat.sum() == pytest.approx(weights.sum())
    assert (flat[:3] == 0).all()
    assert (np.diff(flat[np.argsort(weights)]) >= -1e-12).all()

    def effective(w):
        return w.sum() ** 2 / (w**2).sum()

    assert effective(flat) >= effective(weights) - 1e-9
    if effective(weights) >= least:
        assert flat == pytest.approx(weights)


def test_one_heavy_sample_does_not_speak_alone():
    weights = np.concatenate([[1.0], np.full(40, 1e-3)])
    assert (flattened(weights, 8.0)[1:].sum() / flattened(weights, 8.0).sum()) > 0.5
