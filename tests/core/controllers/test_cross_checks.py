"""One thing held against another: what each check says, and with what uncertainty."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.controllers.cross_checks import (
    instruments_agree,
    instruments_differ,
    own_regulator,
    sensors_agree,
    under_boost,
)
from irongauge.core.controllers.following import Displayed, clipped, displays_agree
from irongauge.core.measure.quantities import Mark


@pytest.mark.parametrize(
    ("a", "b", "mark"), [(455.0, 450.0, Mark.PASS), (461.0, 450.0, Mark.PASS), (463.0, 450.0, Mark.FAIL)]
)
def test_two_instruments_agree_within_their_combined_uncertainty(a, b, mark):
    """U = 2·√(4.6² + 3²) = 10.98 kPa; 11 apart is a hair outside, so 461 needs 4.62 and 3.0."""
    found = instruments_agree(a, 4.62, b, 3.0, "kPa")
    assert found.expanded_u == pytest.approx(11.017, abs=0.001)
    assert found.mark is mark


KEY_ON = [
    ("same air", 101.0, 101.6, 0.2, Mark.PASS, "agree"),
    ("manifold high", 106.0, 101.4, 0.2, Mark.FAIL, "manifold sensor is off"),
    ("barometer low", 101.2, 95.0, 0.2, Mark.FAIL, "barometric sensor is off"),
    ("too close to say", 103.2, 101.3, 0.3, Mark.UNDECIDED, "undecided"),
]


@pytest.mark.parametrize(("m", "b", "u", "mark", "finding"), [k[1:] for k in KEY_ON], ids=[k[0] for k in KEY_ON])
def test_manifold_and_barometer_stand_in_the_same_air(m, b, u, mark, finding):
    found = sensors_agree(m, b, u, atmosphere_kpa=101.3)
    assert (found.mark, found.finding) == (mark, finding)


CHARGED = "the barometer stands in boosted air"
BOOST = [
    ("boost", 180.0, 101.0, 250.0, Mark.PASS, "rises"),
    ("both clipped at full scale", 105.0, 105.0, 105.0, Mark.FAIL, "both clipped"),
    ("barometer in boosted air, far from the end of a scale of 300", 251.0, 250.0, 300.0, Mark.FAIL, CHARGED),
    ("barometer in boosted air, and both clipped", 250.0, 250.0, 250.0, Mark.FAIL, CHARGED),
    ("barometer in boosted air, scale unknown", 250.0, 249.8, None, Mark.FAIL, CHARGED),
    ("barometer behind the throttle, boost rises", 220.0, 150.0, 300.0, Mark.FAIL, CHARGED),
    ("the highest air that was ever measured", 180.0, 108.4, 300.0, Mark.PASS, "rises"),
    ("no boost", 101.3, 101.0, 250.0, Mark.FAIL, "does not rise"),
    ("exchanged", 101.0, 180.0, 250.0, Mark.FAIL, "below 1"),
    ("one at full scale", 249.0, 101.0, 250.0, Mark.UNDECIDED, "at full scale"),
]


@pytest.mark.parametrize(("m", "b", "full", "mark", "finding"), [b[1:] for b in BOOST], ids=[b[0] for b in BOOST])
def test_the_ratio_must_rise_under_boost(m, b, full, mark, finding):
    found = under_boost(m, b, 0.3, full)
    assert (found.mark, found.finding) == (mark, finding)


def _shown(by, sources=(50.0, 100.0, 150.0, 200.0, 240.0)):
    return [Displayed(s, by(s)) for s in sources]


SHOWN = [
    ("good", _shown(lambda s: s + 0.4), Mark.PASS, "good"),
    ("offset", _shown(lambda s: s - 12.0), Mark.FAIL, "offset"),
    ("slope", _shown(lambda s: s * 1.08), Mark.FAIL, "slope"),
    ("offset and slope", _shown(lambda s: s * 1.08 - 30.0), Mark.FAIL, "offset and slope"),
    ("fixed", _shown(lambda _: 101.0), Mark.FAIL, "fixed"),
    ("clipped", _shown(lambda s: min(s, 152.0)), Mark.FAIL, "clipped"),
    ("too few", _shown(lambda s: s)[:2], Mark.NOT_MEASURED, "too few"),
    ("not moved", _shown(lambda s: s + 9, (100.0, 100.2, 100.4)), Mark.UNDECIDED, "not moved"),
    ("too close to say", _shown(lambda s: s + 2.2), Mark.UNDECIDED, "undecided"),
]


@pytest.mark.parametrize(("pairs", "mark", "finding"), [s[1:] for s in SHOWN], ids=[s[0] for s in SHOWN])
def test_a_display_is_good_or_off_in_a_named_way(pairs, mark, finding):
    found = displays_agree(pairs, 0.3, 2.5, "kPa")
    assert (found.mark, found.finding) == (mark, finding)
    assert found.cause


@given(st.floats(-40, 40).filter(lambda x: abs(x) > 5), st.integers(0, 500))
def test_an_offset_is_found_with_its_size(offset, seed):
    noise = [((seed * k * 7919) % 101 - 50) / 500 for k in range(1, 6)]
    found = displays_agree([Displayed(p.source, p.shown + e) for p, e in zip(_shown(lambda s: s + offset), noise, strict=True)],
                           0.2, 2.0, "kPa")  # fmt: skip
    assert found.finding == "offset"
    assert found.difference == pytest.approx(offset, abs=found.expanded_u)


DRIVEN = [
    ("rises throughout", [1, 2, 3, 4, 5, 6], [10, 20, 30, 40, 50, 60], Mark.PASS, "rises throughout"),
    ("clamped", [1, 2, 3, 4, 5, 6], [10, 20, 30, 40, 40, 40], Mark.FAIL, "clipped"),
    ("dead", [1, 2, 3, 4], [10, 10, 10, 10], Mark.FAIL, "fixed"),
    ("too few", [1, 2, 3], [1, 2, 3], Mark.NOT_MEASURED, "too few"),
]


@pytest.mark.parametrize(("driver", "signal", "mark", "finding"), [d[1:] for d in DRIVEN], ids=[d[0] for d in DRIVEN])
def test_a_signal_that_stops_rising_is_seen(driver, signal, mark, finding):
    found = clipped(driver, signal, 0.2, "kPa")
    assert (found.mark, found.finding) == (mark, finding)


def test_a_regulator_of_its_own_is_an_error_that_can_be_computed():
    """At 90 % of 5.10 V seen against 4.95 V over a span of 80 %: 0.9·(5.10/4.95 − 1)/0.8 = 3.409 %."""
    found = own_regulator(5.10, 4.95, 0.9, span_share=0.8, tolerance_pct=2.0, u_v=0.005)
    assert found.difference == pytest.approx(3.409, abs=0.001)
    assert found.mark is Mark.FAIL
    assert own_regulator(5.0, 4.99, 0.9, span_share=0.8, tolerance_pct=2.0, u_v=0.005).mark is Mark.PASS
    assert own_regulator(5.05, 4.96, 0.9, span_share=0.8, tolerance_pct=2.0, u_v=0.005).mark is Mark.UNDECIDED


def test_noise_alone_neither_rises_nor_falls_however_many_readings_there_are():
    """200 dead signals: with the range against 2 u most of them rose."""
    named = []
    for seed in range(200):
        rng = np.random.default_rng(seed)
        n = int(rng.integers(4, 40))
        driver = np.linspace(0, 100, n).tolist()
        named.append(clipped(driver, (50 + rng.normal(0, 1.0, n)).tolist(), 1.0, "kPa").finding)
    assert named.count("fixed") >= 198


def test_a_signal_that_falls_is_no_signal_that_rises_throughout():
    found = clipped([0, 1, 2, 3, 4], [90, 70, 50, 30, 10], 0.5, "kPa")
    assert (found.mark, found.finding) == (Mark.FAIL, "falls")


@pytest.mark.parametrize(
    ("off", "mark"), [(0.5, Mark.PASS), (0.9, Mark.UNDECIDED), (1.2, Mark.UNDECIDED), (2.0, Mark.FAIL)]
)
def test_a_difference_inside_the_guard_band_is_undecided(off, mark):
    pairs = [Displayed(v, v + off) for v in (0.0, 50.0, 100.0)]
    assert displays_agree(pairs, u=0.15, tolerance=1.0, unit="kPa").mark is mark


@pytest.mark.parametrize(
    ("manifold", "u_kpa", "mark"),
    [(106.4, 3.0, Mark.UNDECIDED), (101.3, 0.3, Mark.FAIL), (101.3, 6.0, Mark.UNDECIDED), (180.0, 0.3, Mark.PASS)],
)
def test_boost_that_may_have_come_is_undecided(manifold, u_kpa, mark):
    assert under_boost(manifold, 101.3, u_kpa).mark is mark


def test_the_barometer_has_an_uncertainty_of_its_own():
    narrow, wide = under_boost(200.0, 100.0, 0.3), under_boost(200.0, 100.0, 0.3, barometer_u_kpa=3.0)
    assert wide.expanded_u == pytest.approx(2 * math.hypot(0.3 / 100, 3.0 * 200 / 100**2))
    assert narrow.expanded_u < wide.expanded_u


def test_two_gauges_of_unknown_grade_say_how_far_they_differ_and_what_would_settle_it():
    found = instruments_differ(400.0, 410.0, "kPa")
    assert (found.mark, found.difference) == (Mark.UNDECIDED, -10.0)
    assert "differ by 10.0 kPa" in found.sentence
    assert "no better than ± 7.1 kPa" in found.cause


@pytest.mark.parametrize(
    ("pairs", "finding"),
    [
        (((50, 50), (100, 100), (200, 120)), "stops following"),
        (((50, 50), (150, 120), (200, 120)), "clipped"),
        (((50, 50), (100, 100), (150, 120), (200, 120)), "clipped"),
        (((50, 60), (100, 120), (200, 240)), "slope"),
        (((50, 30), (150, 120), (200, 120)), "offset"),  # nothing before the flat shows its source
    ],
)
def test_a_clip_is_seen_in_few_points(pairs, finding):
    found = displays_agree([Displayed(*pair) for pair in pairs], u=0.1, tolerance=2.0, unit="kPa")
    assert (found.mark, found.finding) == (Mark.FAIL, finding)
