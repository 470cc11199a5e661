"""Waveforms with a known truth: what is measured of them, and what is found of the ring behind."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.core.pulses.edges import find_edges
from irongauge.core.pulses.ring import RingFault, examine_ring, teeth_of
from irongauge.core.pulses.train import steep_edges
from irongauge.core.pulses.waveform import Shape, measure_waveform
from irongauge.instruments.waveforms import Pickup, Ring, capture

SEEDS = range(24)


def _drawn(seed):
    """A turning ring as a shop may meet it: teeth, speed, sampling, a square output or a coil, noise and jitter."""
    rng = np.random.default_rng(1000 + seed)
    teeth, turn_hz = int(rng.integers(12, 80)), float(rng.uniform(3, 40))
    rate_hz = teeth * turn_hz * float(rng.uniform(40, 150))
    coil = None if seed % 2 else float(rng.uniform(1, 4)) / (teeth * turn_hz)
    pickup = Pickup(
        low_v=float(rng.uniform(0, 0.6)), high_v=float(rng.uniform(4, 12)), duty=float(rng.uniform(0.3, 0.7)),
        rise_s=float(rng.uniform(0, 2)) / rate_hz, noise_v=float(rng.uniform(0, 0.05)), jitter_pct=float(rng.uniform(0, 0.15)),
        offset_v=float(rng.uniform(-0.3, 0.3)), coil_v_per_hz=coil,
    )  # fmt: skip
    return rng, teeth, turn_hz, rate_hz, pickup


def _captured(seed, ring=None, sweep=1.0):
    rng, teeth, turn_hz, rate_hz, pickup = _drawn(seed)
    ring = Ring(teeth) if ring is None else ring(teeth, rng)
    speeds = (turn_hz * 2 / (1 + sweep), turn_hz * 2 * sweep / (1 + sweep))
    taken = capture(ring, pickup, turn_hz=speeds, seconds=12 / turn_hz, rate_hz=rate_hz, seed=seed)
    return measure_waveform(*taken), ring, pickup, teeth * turn_hz


def _ring(found, teeth):
    return examine_ring(steep_edges(found, teeth)[1], teeth)


@pytest.mark.parametrize("seed", SEEDS)
def test_frequency_duty_and_shape_are_those_that_were_made(seed):
    found, _, pickup, frequency_hz = _captured(seed)
    assert found.frequency_hz == pytest.approx(frequency_hz, rel=5e-4)
    assert found.shape is (Shape.SINE if pickup.coil_v_per_hz else Shape.SQUARE)
    if pickup.coil_v_per_hz is None:
        assert found.duty_pct == pytest.approx(100 * pickup.duty, abs=0.2)
        assert found.low_v == pytest.approx(pickup.low_v + pickup.offset_v, abs=0.05)
        assert found.high_v == pytest.approx(pickup.high_v + pickup.offset_v, abs=0.05)
    assert found.noise_v == pytest.approx(pickup.noise_v, rel=0.5, abs=0.3 if pickup.coil_v_per_hz else 0.01)


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("sweep", [1.0, 1.25])
def test_a_clean_ring_has_no_finding(seed, sweep):
    found, ring, _, _ = _captured(seed, sweep=sweep)
    figures = _ring(found, ring.teeth)
    assert figures.findings == ()


def _late(teeth, rng):
    return Ring(teeth, late_pct={int(rng.integers(1, teeth - 1)): float(rng.uniform(2.5, 10) * rng.choice([-1, 1]))})


@pytest.mark.parametrize("seed", SEEDS)
def test_an_uneven_tooth_is_named_with_its_place_and_size(seed):
    found, ring, _, _ = _captured(seed, _late, sweep=1.1)
    (finding,) = _ring(found, ring.teeth).findings
    ((_, late_pct),) = ring.late_pct.items()
    assert finding.fault is RingFault.UNEVEN
    assert finding.size_pct == pytest.approx(abs(late_pct), abs=1.0)
    assert ("late" if late_pct > 0 else "early") in finding.sentence


@pytest.mark.parametrize("seed", SEEDS)
def test_run_out_is_measured(seed):
    found, ring, _, _ = _captured(seed, lambda teeth, rng: Ring(teeth, run_out_pct=float(rng.uniform(1.5, 6))))
    figures = _ring(found, ring.teeth)
    assert {f.fault for f in figures.findings} == {RingFault.RUN_OUT}
    assert figures.run_out_pct == pytest.approx(ring.run_out_pct, rel=0.05)


@pytest.mark.parametrize("seed", SEEDS)
def test_a_missing_tooth_is_found_and_the_ring_counted_by_it(seed):
    found, ring, _, _ = _captured(
        seed, lambda teeth, rng: Ring(teeth, missing=frozenset({int(rng.integers(1, teeth - 1))}))
    )
    assert teeth_of(found.edges.rising_s) == ring.teeth
    assert [f.fault for f in _ring(found, ring.teeth).findings] == [RingFault.MISSING]


@pytest.mark.parametrize("seed", SEEDS)
def test_unequal_joints_of_a_split_ring_are_told_from_teeth(seed):
    found, ring, _, _ = _captured(seed, lambda teeth, rng: Ring(teeth, joint_pct=float(rng.uniform(3, 10))))
    assert [f.fault for f in _ring(found, ring.teeth).findings] == [RingFault.JOINTS]


@pytest.mark.parametrize(
    ("first_mm", "second_mm", "fault", "says"),
    [
        # 36 teeth on a pitch of 19.5 mm; by the rule that two gaps differ by what one has more than the other.
        (-0.3, 0.3, RingFault.JOINTS, "differ by 3.1 % of a pitch"),
        (1.0, 1.6, RingFault.JOINTS, "differ by 3.1 % of a pitch"),
        (1.0, -1.0, RingFault.JOINTS, "differ by 10.3 % of a pitch"),
        (1.3, 1.3, RingFault.OPEN_JOINTS, "% of a pitch wider than the rest: the joints stand alike"),
        (-0.8, -0.8, RingFault.OPEN_JOINTS, "% of a pitch narrower than the rest: the joints stand alike"),
    ],
)
def test_two_joints_differ_by_what_one_gap_has_more_than_the_other(first_mm, second_mm, fault, says):
    teeth, pitch_mm = 36, 19.5
    gaps = np.full(teeth, pitch_mm)
    gaps[5] += first_mm
    gaps[5 + teeth // 2] += second_mm
    edges_s = np.cumsum(np.tile(gaps, 20)) / gaps.sum() / 12.0  # twelve turns a second
    (finding,) = examine_ring(edges_s + np.random.default_rng(4).normal(0, 1e-6, len(edges_s)), teeth).findings
    assert finding.fault is fault
    assert says in finding.sentence


def test_the_place_of_an_uneven_tooth_follows_the_tooth():
    """The first edge of the capture may be any tooth, so places are counted from it: the same ring gives neighbours in order."""
    pickup = Pickup(noise_v=0.0, jitter_pct=0.0)
    places = []
    for tooth in (10, 11, 12):
        taken = capture(Ring(40, late_pct={tooth: 5.0}), pickup, turn_hz=(10, 10), seconds=1.0, rate_hz=40_000, seed=3)
        (finding,) = examine_ring(measure_waveform(*taken).edges.rising_s, 40).findings
        places.append(finding.tooth)
    assert np.diff(places).tolist() == [1, 1]


def test_noise_about_the_middle_makes_no_edges_of_its_own():
    time_s = np.arange(20_000) / 20_000
    rng = np.random.default_rng(5)
    signal_v = 2.5 + 2.0 * np.sin(2 * np.pi * 50 * time_s) + rng.normal(0, 0.15, len(time_s))
    found = measure_waveform(time_s, signal_v)
    assert len(found.edges.rising_s) in {49, 50, 51}
    assert found.frequency_hz == pytest.approx(50, rel=2e-3)


def test_times_that_are_not_even_are_taken_as_they_are():
    rng = np.random.default_rng(6)
    time_s = np.sort(rng.uniform(0, 1, 50_000))
    signal_v = np.where((time_s * 80) % 1 < 0.3, 5.0, 0.0)
    found = measure_waveform(time_s, signal_v)
    assert found.frequency_hz == pytest.approx(80, rel=1e-3)
    assert found.duty_pct == pytest.approx(30, abs=0.3)


def test_the_rise_is_from_ten_to_ninety_per_cent():
    taken = capture(
        Ring(20), Pickup(rise_s=1e-3, noise_v=0.0, jitter_pct=0.0), turn_hz=(2, 2), seconds=2.0, rate_hz=50_000, seed=1
    )
    found = measure_waveform(*taken)
    assert found.rise_s == pytest.approx(0.8e-3, rel=0.05)
    assert found.fall_s == pytest.approx(0.8e-3, rel=0.05)


def test_a_flat_line_and_a_single_pulse_have_no_frequency():
    time_s = np.arange(1000) / 1000
    flat = measure_waveform(time_s, np.full(1000, 4.97))
    assert (flat.shape, flat.frequency_hz) == (Shape.FLAT, None)
    pulse = measure_waveform(time_s, np.where((time_s > 0.4) & (time_s < 0.6), 5.0, 0.0))
    assert pulse.frequency_hz is None
    assert (len(pulse.edges.rising_s), len(pulse.edges.falling_s)) == (1, 1)
    assert examine_ring(np.arange(5.0), 60) is None
    assert len(find_edges(time_s, np.zeros(1000), 0.0, high_v=0.0).rising_s) == 0


@pytest.mark.parametrize(
    ("time_s", "signal_v", "says"),
    [
        (np.arange(3.0), np.zeros(3), "at least 8 samples"),
        (np.arange(9.0), np.zeros(8), "each with a time and volts"),
        (np.zeros(9), np.zeros(9), "times of a waveform rise"),
        (np.arange(9.0), np.full(9, np.nan), "every sample"),
    ],
    ids=["one row", "columns of two lengths", "time that stands", "not a number"],
)
def test_what_is_no_waveform_is_refused(time_s, signal_v, says):
    with pytest.raises(ValueError, match=says):
        measure_waveform(time_s, signal_v)


def test_a_perfect_ring_does_not_tell_its_teeth():
    taken = capture(Ring(40), Pickup(), turn_hz=(10, 10), seconds=2.0, rate_hz=40_000, seed=3)
    assert teeth_of(measure_waveform(*taken).edges.rising_s) is None
