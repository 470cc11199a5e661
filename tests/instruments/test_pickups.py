"""The simulated pickup: what it is asked to have wrong, it has, and always the same for the same seed."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.core.pulses.examination import examine
from irongauge.instruments.pickup_words import SURPRISE, WRONGS
from irongauge.instruments.pickups import PickupPlan, simulate_pickup
from irongauge.instruments.waveforms import Pickup, Ring, capture

SHOWS = {
    "nothing": set(),
    "a tooth out of place": {"uneven tooth"},
    "a tooth missing": {"missing tooth"},
    "a ring off its centre": {"run-out"},
    "halves of a ring apart": {"unequal joints"},
    "two pull-ups": {"low level too high"},
    "noise": {"noise pick-up"},
    "sparks": {"extra pulses"},
    "a loose pin": {"pulses drop out"},
    "lost below a speed": {"signal lost below a speed"},
    "a wave that is cut": {"flat tops"},
}


def test_every_wrong_thing_is_shown_here():
    assert set(SHOWS) == set(WRONGS)
    assert SURPRISE not in WRONGS


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("wrong", WRONGS)
def test_what_is_wrong_is_found(wrong, seed):
    found = examine(*simulate_pickup(PickupPlan(wrong, teeth=30), seed), teeth=30, gap_teeth=0)
    assert {f.what for f in found.findings} == SHOWS[wrong]


@pytest.mark.parametrize("seed", [142, 215, 309, 614])
def test_a_tooth_that_is_out_by_little_is_found_without_being_told_how_many_there_are(seed):
    found = examine(*simulate_pickup(PickupPlan("a tooth out of place", teeth=30), seed))
    assert [f.what for f in found.findings] == ["uneven tooth"]
    assert found.ring is not None
    assert found.ring.teeth == 30


def test_the_same_seed_gives_the_same_capture_and_another_one_another():
    first, again, other = (simulate_pickup(PickupPlan("noise"), seed)[1] for seed in (1, 1, 2))
    assert np.array_equal(first, again)
    assert not np.array_equal(first, other)


def test_a_surprise_is_one_of_the_others():
    named = {
        frozenset(f.what for f in examine(*simulate_pickup(PickupPlan(SURPRISE, teeth=30), seed), teeth=30).findings)
        for seed in range(12)
    }
    assert len(named) > 3
    assert all(any(names == SHOWS[w] for w in WRONGS) for names in named)


@pytest.mark.parametrize(("teeth", "turn_hz"), [(6, 0.2), (200, 100), (48, 5)])
def test_a_capture_has_twelve_turns_and_no_more_than_a_million_samples(teeth, turn_hz):
    time_s, signal_v = simulate_pickup(PickupPlan("nothing", teeth, turn_hz), 1)
    assert len(time_s) == len(signal_v) <= 1_000_000
    assert time_s[-1] * turn_hz == pytest.approx(12, rel=0.01)
    assert examine(time_s, signal_v).frequency_hz == pytest.approx(teeth * turn_hz, rel=1e-3)


def test_what_it_does_not_know_is_refused():
    with pytest.raises(ValueError, match="a flat tyre is nothing that the simulated pickup knows"):
        simulate_pickup(PickupPlan("a flat tyre"), 1)


def test_the_volts_of_a_coil_stand_still_about_a_missing_tooth_and_rise_with_speed():
    pickup = Pickup(coil_v_per_hz=0.01, noise_v=0.0, jitter_pct=0.0)
    ring = Ring(12, missing=frozenset({5}))
    time_s, signal_v = capture(ring, pickup, turn_hz=(5, 10), seconds=2.0, rate_hz=20_000, seed=1)
    still = np.abs(signal_v) < 1e-12
    assert np.mean(still) == pytest.approx(1 / 12, rel=0.1)
    early, late = (np.ptp(signal_v[part]) for part in (time_s < 0.3, time_s > 1.7))
    assert late / early == pytest.approx(10 / 5.75, rel=0.1)


def test_reversed_leads_turn_the_wave_over():
    about = {"turn_hz": (5, 5), "seconds": 1.0, "rate_hz": 10_000, "seed": 1}
    one = capture(Ring(12), Pickup(coil_v_per_hz=0.01, noise_v=0.0), **about)[1]
    other = capture(Ring(12), Pickup(coil_v_per_hz=0.01, noise_v=0.0, reversed_leads=True), **about)[1]
    assert one == pytest.approx(-other)
