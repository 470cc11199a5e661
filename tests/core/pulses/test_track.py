"""Two records of one drive laid over each other, and the pairs read from it."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.core.pulses.ratio import fit_ratio
from irongauge.core.pulses.track import Track, distance_m, speed_from_places, steady_pairs

# A drive: speeds held for so many seconds, with ten seconds from one to the next.
HELD = ((0, 20), (30, 40), (50, 40), (70, 40), (45, 30), (0, 20))


def _drive(seed=1):
    rng = np.random.default_rng(seed)
    times, speeds, at = [0.0], [0.0], 0.0
    for kmh, seconds in HELD:
        times += [at + 10, at + 10 + seconds]
        speeds += [kmh, kmh]
        at += 10 + seconds
    grid = np.arange(0, at, 0.2)
    return grid, np.maximum(np.interp(grid, times, speeds) + rng.normal(0, 0.05, len(grid)), 0)


@pytest.mark.parametrize("later_s", [0.0, 3.0, -12.0, 40.0])
@pytest.mark.parametrize("reads", [1.0, 0.909, 1.08])
def test_the_ratio_of_a_drive_is_found_at_any_shift(later_s, reads):
    time_s, kmh = _drive()
    true_at = np.arange(0, time_s[-1], 1.0)  # a satellite fix a second
    shown = Track(time_s, kmh * reads)
    true = Track(true_at + later_s, np.interp(true_at, time_s, kmh))
    found = steady_pairs(shown, true)
    assert found.later_s == pytest.approx(later_s, abs=0.5)
    assert found.correlation > 0.99
    fit = fit_ratio(found.pairs)
    assert fit.ratio == pytest.approx(1 / reads, rel=2e-3)
    assert not fit.is_offset
    speeds = {round(p.true_kmh, -1) for p in found.pairs}
    assert speeds >= {30, 50, 70}


def test_an_offset_of_the_display_shows():
    time_s, kmh = _drive()
    found = steady_pairs(Track(time_s, kmh + 5), Track(time_s, kmh))
    assert fit_ratio(found.pairs).is_offset


def test_clocks_that_are_shared_bound_the_shift():
    time_s, kmh = _drive()
    start = 1_780_000_000.0
    shown = Track(time_s + start, kmh, has_clock=True)
    assert steady_pairs(shown, Track(time_s + start + 4, kmh, has_clock=True)).later_s == pytest.approx(4, abs=0.5)
    with pytest.raises(ValueError, match="clocks are of different times"):
        steady_pairs(shown, Track(time_s + start + 86_400, kmh, has_clock=True))


def test_a_tunnel_is_left_out_not_bridged():
    """No fix for 25 s, in which the speed was changed twice: a straight line over it would be a held speed that nobody drove."""
    time_s, kmh = _drive()
    true_at = np.arange(0, time_s[-1], 1.0)
    inside = (true_at > 95) & (true_at < 150)
    fixes = true_at[~inside]
    found = steady_pairs(Track(time_s, kmh), Track(fixes, np.interp(fixes, time_s, kmh)))
    whole = steady_pairs(Track(time_s, kmh), Track(true_at, np.interp(true_at, time_s, kmh)))
    assert len(found.pairs) < len(whole.pairs)
    assert all(abs(pair.shown_kmh - pair.true_kmh) < 0.5 for pair in found.pairs)


REFUSED = [
    ("another drive", lambda t, _: Track(t, 40 + 20 * np.sin(t / 3)), "do not go together"),
    ("too short", lambda t, v: Track(t[:100], v[:100]), "at least 60 s long"),
    ("never held", Track, "held steady for 8 s"),
    ("milliseconds", lambda t, v: Track(t * 1000, v), "may be in ms"),
]


@pytest.mark.parametrize(("make", "says"), [r[1:] for r in REFUSED], ids=[r[0] for r in REFUSED])
def test_records_that_give_no_pair_are_refused_in_words(make, says):
    time_s, kmh = _drive()
    if "held" in says:
        kmh = 40 + 20 * np.sin(time_s / 5)
    with pytest.raises(ValueError, match=says):
        steady_pairs(Track(time_s, kmh), make(time_s, kmh))


def test_a_long_drive_gives_at_most_sixty_pairs():
    time_s = np.arange(0, 3600, 1.0)
    kmh = 40 + 15 * np.sign(np.sin(time_s / 60)) + 5 * np.sign(np.sin(time_s / 300))
    assert 20 <= len(steady_pairs(Track(time_s, kmh), Track(time_s, kmh)).pairs) <= 60


def test_ways_on_the_globe():
    """One degree of latitude is 2πR/360; one of longitude at 60° is half as much (spherical trigonometry)."""
    assert distance_m(np.array([0.0, 1.0]), np.array([5.0, 5.0]))[0] == pytest.approx(111_194.9, abs=1)
    assert distance_m(np.array([60.0, 60.0]), np.array([0.0, 1.0]))[0] == pytest.approx(55_597, rel=1e-3)
    time_s = np.arange(0, 60.0)
    north = time_s * 20 / 111_194.9  # 20 m/s
    assert speed_from_places(time_s, 54 + north, np.full(60, -3.0)) == pytest.approx(np.full(60, 72.0), rel=1e-5)
