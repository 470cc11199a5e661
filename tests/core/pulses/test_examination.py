"""What is said of a capture: every fault that a simulated pickup can have is named, with its place, and a good one has none."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import examine
from irongauge.core.pulses.train import SteepEdge
from irongauge.core.pulses.waveform import Shape
from irongauge.instruments.waveforms import Pickup, Ring, capture

COIL = Pickup(coil_v_per_hz=0.01)
REVERSED = Pickup(coil_v_per_hz=0.01, reversed_leads=True)


def _taken(ring, pickup, turn_hz=(10, 10), seconds=2.0, seed=4):
    return capture(ring, pickup, turn_hz=turn_hz, seconds=seconds, rate_hz=40_000, seed=seed)


# what is captured, and what is found: its name, and a part of its sentence
FOUND = [
    ("a late tooth", Ring(24, late_pct={7: 5}), Pickup(), {}, "uneven tooth", "of 24 stands 5.2 % of a pitch late"),
    ("a late tooth, coil", Ring(24, late_pct={7: 5}), COIL, {}, "uneven tooth", "of 24 stands 5.0 % of a pitch late"),
    ("an early tooth, coil", Ring(24, late_pct={7: -5}), REVERSED, {}, "uneven tooth", "% of a pitch early"),
    ("a lost tooth", Ring(24, missing=frozenset({7})), COIL, {"gap_teeth": 0}, "missing tooth", "of 24 is missing"),
    ("off its centre", Ring(30, run_out_pct=3), Pickup(), {"teeth": 30}, "run-out", "swings by ± 3.0 % once a turn"),
    ("halves apart", Ring(30, joint_pct=6), COIL, {}, "unequal joints", "differ by 12.0 % of a pitch"),
    ("two pull-ups", Ring(24), Pickup(low_v=1.3, high_v=11.8), {}, "low level too high", "two pull-ups"),
    ("loaded", Ring(24), Pickup(high_v=3), {"pull_up_v": 5.0}, "high level too low", "above 3.50 V (70 % of 5 V)"),
    ("noise", Ring(24), Pickup(noise_v=0.3), {}, "noise pick-up", "on a swing of 4.9 V"),
    ("ignition", Ring(24), Pickup(spikes=20), {}, "extra pulses", "8 pulses too many"),
    ("ignition, coil", Ring(24), Pickup(coil_v_per_hz=0.01, spikes=20), {}, "extra pulses", "pulses too many"),
    ("a loose pin", Ring(24), Pickup(dropouts=3), {}, "pulses drop out", "where no tooth is missing"),
    ("a cut wave", Ring(24), Pickup(coil_v_per_hz=0.01, clip_v=1.8), {}, "flat tops", "The wave is cut at"),
    ("a wave cut hard", Ring(24), Pickup(coil_v_per_hz=0.01, clip_v=0.7), {}, "flat tops", "Flat at -0.70 and at 0.70 V"),
    ("a weak pull-up", Ring(24), Pickup(rise_s=1e-3), {}, "slow edges", "the pull-up is too weak"),
    ("nothing turns", Ring(24), Pickup(low_v=5), {}, "no pulses", "The capture rests at 5.00 V"),
]  # fmt: skip


@pytest.mark.parametrize(("ring", "pickup", "told", "what", "says"), [f[1:] for f in FOUND], ids=[f[0] for f in FOUND])
def test_a_fault_is_named_and_nothing_else(ring, pickup, told, what, says):
    found = examine(*_taken(ring, pickup), **told)
    assert [f.what for f in found.findings] == [what]
    (finding,) = found.findings
    assert says in finding.sentence
    assert finding.do
    assert found.mark is finding.mark
    assert found.headline == what


@pytest.mark.parametrize("pickup", [Pickup(), COIL, REVERSED], ids=["square", "coil", "coil, leads reversed"])
@pytest.mark.parametrize(
    "turn_hz", [(10, 10), (4, 12), (12, 4), (10, 0.01)], ids=["steady", "faster", "slower", "to a stand"]
)
def test_nothing_is_found_of_a_good_one(pickup, turn_hz):
    found = examine(*_taken(Ring(24), pickup, turn_hz), teeth=24)
    assert found.findings == ()
    assert (found.mark, found.headline) == (Mark.PASS, "nothing wrong is found")


def test_a_signal_that_is_lost_while_it_still_turns_is_told_from_a_stand():
    for pickup, turn_hz, when in [
        (Pickup(lost_below_hz=100), (10, 1), "after"),
        (Pickup(coil_v_per_hz=0.01, lost_below_hz=100), (1, 10), "before"),
    ]:
        (finding,) = examine(*_taken(Ring(24), pickup, turn_hz)).findings
        assert finding.what == "signal lost below a speed"
        assert f"No pulses {when} " in finding.sentence
        assert "turned at 101 Hz" in finding.sentence


def test_the_volts_of_a_coil_rise_in_proportion_to_the_speed():
    sweep = examine(*_taken(Ring(24), COIL, (3, 12)))
    assert sweep.rise_power == pytest.approx(1.0, abs=0.05)
    assert sweep.volts_per_hz == pytest.approx(0.02, rel=0.02)  # ± 0.01 V per Hz
    cut = examine(*_taken(Ring(24), Pickup(coil_v_per_hz=0.01, clip_v=1.5), (3, 12)))
    assert "volts do not rise with speed" in [f.what for f in cut.findings]
    assert (sweep.slowest_hz, sweep.fastest_hz) == pytest.approx((72, 288), rel=0.07)


@pytest.mark.parametrize(
    ("pickup", "steep"),
    [(COIL, SteepEdge.FALLING), (REVERSED, SteepEdge.RISING)],
    ids=["as it should", "leads reversed"],
)
@pytest.mark.parametrize(
    "ring", [Ring(36, missing=frozenset({7, 8})), Ring(24, late_pct={5: 4}), Ring(30, joint_pct=5)]
)
def test_the_polarity_of_a_coil_shows_at_a_gap_and_at_an_odd_tooth(ring, pickup, steep):
    assert examine(*_taken(ring, pickup)).steep_edge is steep


def test_a_perfect_ring_does_not_tell_the_polarity():
    assert examine(*_taken(Ring(36), COIL), teeth=36).steep_edge is None


def test_a_gap_on_purpose_is_no_finding_but_another_one_is():
    gap = _taken(Ring(36, missing=frozenset({7, 8})), COIL)
    assert examine(*gap, gap_teeth=2).findings == ()
    (asked,) = examine(*gap).findings
    assert (asked.what, asked.mark) == ("missing tooth or index gap", Mark.UNDECIDED)
    assert len(examine(*gap, gap_teeth=0).findings) == 2
    assert len(examine(*gap, gap_teeth=1).findings) == 2
    apart = _taken(Ring(36, missing=frozenset({7, 20})), COIL)
    assert [f.what for f in examine(*apart, gap_teeth=2).findings] == ["missing tooth"] * 2
    whole = examine(*_taken(Ring(36, missing=frozenset({7, 8}), late_pct={20: 5}), COIL), gap_teeth=2)
    assert [f.what for f in whole.findings] == ["uneven tooth"]


def test_a_finding_stands_where_it_shows():
    time_s, signal_v = _taken(Ring(24, missing=frozenset({7})), Pickup())
    (finding,) = examine(time_s, signal_v).findings
    assert np.diff(finding.at_s) == pytest.approx(0.1, abs=1e-3)  # ten turns a second
    begin_s = finding.at_s[0]
    inside = (time_s > begin_s + 0.3 / 240) & (time_s < begin_s + finding.wide_s)
    assert np.ptp(signal_v[inside & (time_s > begin_s + 0.6 * finding.wide_s)]) < 1, "no pulse in the second half"
    time_s, signal_v = _taken(Ring(24), Pickup(dropouts=1), seed=5)
    (finding,) = examine(time_s, signal_v).findings
    gone = (time_s > finding.at_s[0] + 0.003) & (time_s < finding.at_s[0] + 0.015)
    assert np.ptp(signal_v[gone]) < 0.2


def test_of_very_many_places_some_are_given_over_the_whole_capture():
    late = Ring(8, late_pct={3: 6})
    taken = capture(late, Pickup(), turn_hz=(100, 100), seconds=10.0, rate_hz=40_000, seed=1)
    (finding,) = examine(*taken, teeth=8).findings
    assert 250 < len(finding.at_s) <= 400
    assert (finding.at_s[0], finding.at_s[-1]) == pytest.approx((0, 10), abs=0.05)


def test_a_gap_in_the_capture_is_said_and_pulses_are_not_counted_across_it():
    time_s, signal_v = _taken(Ring(24, late_pct={7: 5}), Pickup())
    kept = (time_s < 0.713) | (time_s > 0.861)
    found = examine(time_s[kept], signal_v[kept], teeth=24)
    assert [f.what for f in found.findings] == ["uneven tooth", "a gap in the capture"]
    assert "Time jumps 1 time, first after 0.713 s" in found.findings[1].sentence
    assert "Only 0.861 to 2 s was looked at." in found.findings[1].sentence
    assert min(found.findings[0].at_s) > 0.86
    assert found.seconds == pytest.approx(2.0, abs=1e-3)
    assert found.frequency_hz == pytest.approx(240, rel=5e-4)


def test_the_frequency_leaves_out_pulses_too_many_and_teeth_too_few():
    for ring, pickup in [(Ring(24), Pickup(spikes=20)), (Ring(24, missing=frozenset({3})), COIL)]:
        assert examine(*_taken(ring, pickup)).frequency_hz == pytest.approx(240, rel=5e-4)


def test_noise_alone_is_no_signal_and_a_few_samples_are_enough_to_say_so():
    time_s = np.arange(4000) / 1000
    found = examine(time_s, 2.5 + np.random.default_rng(1).normal(0, 0.4, 4000))
    assert (found.shape, found.frequency_hz, [f.what for f in found.findings]) == (Shape.FLAT, None, ["no pulses"])
    short = examine(np.arange(8.0), np.array([0, 5, 5, 0, 0, 5, 5, 0.0]))
    assert short.ring is None
    assert short.seconds == 7.0


def test_the_ring_is_drawn_from_the_mean_error_of_every_pitch():
    ring = examine(*_taken(Ring(24, late_pct={7: 5}), Pickup(jitter_pct=0, noise_v=0)), teeth=24).ring
    assert len(ring.error_pct) == ring.teeth == 24
    (tooth,) = ring.wrong
    assert ring.error_pct[tooth - 1] == pytest.approx(5, abs=0.4)  # the pitch before a late tooth is wide
    assert ring.error_pct[tooth] == pytest.approx(-5, abs=0.4)
    assert ring.missing == ()
