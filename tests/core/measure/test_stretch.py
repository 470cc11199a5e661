"""What a picture gets of a capture: few columns, no peak lost."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.stretch import BLOCK, even_step_s, overview_of, stretch_of


def _volts(seed, count):
    return np.random.default_rng(seed).normal(0, 1, count).astype(np.float32)


@given(st.integers(0, 1000), st.integers(1, 3000), st.integers(1, 400))
def test_columns_are_few_in_order_and_hold_every_peak(seed, count, columns):
    volts = _volts(seed, count)
    time_s = np.sort(np.random.default_rng(seed + 1).uniform(0, 1, count)) + np.arange(count) * 1e-6
    found = stretch_of(time_s, volts, volts, columns)
    assert 1 <= len(found.time_s) <= max(columns, 1)
    assert (np.diff(found.time_s) > 0).all()
    assert set(found.time_s) <= set(time_s)
    assert (found.low.min(), found.high.max()) == (volts.min(), volts.max())
    assert (found.low <= found.high).all()


@given(st.integers(0, 1000), st.integers(1, 2000))
def test_with_room_for_all_every_sample_is_its_own_column(seed, count):
    volts = _volts(seed, count)
    time_s = np.arange(count) * 0.1
    found = stretch_of(time_s, volts, volts, count)
    assert np.array_equal(found.time_s, time_s)
    assert np.array_equal(found.low, volts)
    assert np.array_equal(found.high, volts)


@given(st.integers(0, 1000), st.integers(1, 1000))
def test_an_overview_has_the_least_and_greatest_of_every_block(seed, count):
    volts = _volts(seed, count)
    pairs = overview_of(volts)
    assert pairs.shape == (-(-count // BLOCK), 2)
    for at, (low, high) in enumerate(pairs):
        block = volts[at * BLOCK : (at + 1) * BLOCK]
        assert (low, high) == (block.min(), block.max())


def test_columns_from_the_overview_and_from_the_samples_agree():
    volts = _volts(7, 64_000)
    time_s = np.arange(64_000) * 1e-5
    pairs = overview_of(volts)
    rough = stretch_of(time_s[::BLOCK], pairs[:, 0], pairs[:, 1], 100)
    fine = stretch_of(time_s, volts, volts, 100)
    assert rough.low.min() == fine.low.min()
    assert rough.high.max() == fine.high.max()
    assert len(rough.time_s) == len(fine.time_s) == 100


@pytest.mark.parametrize(
    ("time_s", "step_s"),
    [
        (np.arange(100) * 0.25, 0.25),
        (np.arange(100) * 0.25 + np.tile([0, 0.01], 50), 0.25),  # rounded by whoever wrote it
        (np.arange(100) * 0.25 + np.tile([0, 0.1], 50), None),
        (np.concatenate((np.arange(50), np.arange(60, 110))) * 0.25, None),  # a gap
    ],
    ids=["even", "nearly even", "uneven", "with a gap"],
)
def test_steps_are_even_where_no_sample_is_far_from_its_place(time_s, step_s):
    assert even_step_s(time_s) == (None if step_s is None else pytest.approx(step_s, rel=1e-3))
