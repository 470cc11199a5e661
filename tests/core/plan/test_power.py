"""Fuses, wires and what is lost on the way."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.power import (
    Feed,
    Load,
    WireRun,
    area_for_drop_mm2,
    awg_mm2,
    carries_a,
    days_asleep,
    drop_v,
    judge_feed,
    may_raise_fuse,
    next_awg,
    next_fuse_a,
    next_metric_mm2,
)

RUN = WireRun(supply_m=3.0, return_m=3.0, area_mm2=2.5)


def feed(*loads, fuse_a=10.0, run=RUN, **more):
    return Feed(name="Gauges", fuse_a=fuse_a, run=run, loads=loads, **more)


def test_the_drop_is_the_check_value():
    """0.5 mm² copper, 6 m there and back, 4 A: 0.8256 V; at 80 °C 0.393 %/K more."""
    assert drop_v(4.0, 6.0, 0.5) == pytest.approx(0.8256, abs=1e-12)
    assert drop_v(4.0, 6.0, 0.5, 80.0) == pytest.approx(0.8256 * (1 + 0.00393 * 60), rel=1e-12)


@pytest.mark.parametrize(
    ("size", "mm2"), [(20, 0.5189), (18, 0.8230), (16, 1.3095), (12, 3.3088), (0, 53.4751), (-3, 107.2193)]
)
def test_american_sizes_have_the_area_that_astm_b258_prints(size, mm2):
    assert awg_mm2(size) == pytest.approx(mm2, rel=0.003), "its diameters are rounded to 0.1 mil"


@pytest.mark.parametrize(
    ("mm2", "metric", "awg"), [(0.5, 0.5, 20), (0.51, 0.75, 20), (0.83, 1.0, 16), (2.4, 2.5, 12), (130.0, None, None)]
)
def test_the_next_size_up_is_taken(mm2, metric, awg):
    assert (next_metric_mm2(mm2), next_awg(mm2)) == (metric, awg)


@pytest.mark.parametrize(
    ("amps", "fuse"), [(4.0, 5.0), (4.01, 7.5), (6.0, 7.5), (0.1, 2.0), (64.0, 80.0), (65.0, None)]
)
def test_a_fuse_is_loaded_to_four_fifths(amps, fuse):
    assert next_fuse_a(amps) == fuse


@pytest.mark.parametrize(("mm2", "degc", "amps"), [(1.5, 40, 13.5), (2.5, 30, 18.3 * 1.15), (2.5, 55, 18.3 * 0.71)])
def test_what_a_wire_carries_is_the_table_and_its_factors(mm2, degc, amps):
    """IEC 60204-1, tables 6 and D.1: 1.15 at 30 °C, 0.71 at 55 °C."""
    assert carries_a(mm2, degc) == pytest.approx(amps, rel=0.01)


@given(st.floats(0.2, 40), st.floats(0.1, 30), st.floats(0.05, 1.0), st.floats(-40, 120))
def test_a_wire_of_the_needed_area_loses_what_is_allowed(amps, metres, volts, degc):
    area = area_for_drop_mm2(amps, metres, volts, degc)
    assert drop_v(amps, metres, area, degc) == pytest.approx(volts, rel=1e-9)


def test_a_good_feed_passes_and_names_the_sizes():
    verdict = judge_feed(feed(Load(name="Oil gauge", steady_a=0.4), Load(name="Lamps", steady_a=1.6)))
    assert verdict.mark is Mark.PASS
    assert verdict.fuse_a == 3.0
    # the return: 0.0172·(1 + 0.00393·20)·3·2/0.1 = 1.113 mm²; the fuse of 10 A needs 1.0 mm² and more
    assert verdict.needed_mm2 == pytest.approx(1.1131, abs=1e-3)
    assert (verdict.metric_mm2, verdict.awg) == (1.25, 16)


@pytest.mark.parametrize(
    ("changed", "mark", "says"),
    [
        ({"loads": (Load(name="Heater", steady_a=9.0),)}, Mark.FAIL, "9 A steady on a fuse of 10 A: 90 %"),
        ({"fuse_a": 25.0}, Mark.FAIL, "The fuse of 25 A protects a wire that carries 18.3 A."),
        ({"run": replace(RUN, rated_a=30.0), "fuse_a": 25.0}, Mark.PASS, "carries 30 A"),
        ({"run": replace(RUN, terminal_a=8.0)}, Mark.FAIL, "carries 8 A"),
        ({"run": replace(RUN, return_m=9.0)}, Mark.FAIL, "lost on the way back, at most 0.1 V"),
        ({"loads": (Load(name="Pump", steady_a=1.0, peak_a=14.0),)}, Mark.UNDECIDED, "14 A for a moment is more than"),
        ({"system_v": 6.0, "run": replace(RUN, supply_m=13.0)}, Mark.FAIL, "lost on the way there, at most 0.18 V"),
    ],
)
def test_what_is_wrong_with_a_feed_is_told_with_its_figure(changed, mark, says):
    good = feed(Load(name="Gauges", steady_a=2.0))
    verdict = judge_feed(replace(good, **changed))
    assert verdict.mark is mark
    assert any(says in sentence for _, sentence in verdict.checks), verdict.checks


def test_a_greater_fuse_goes_in_only_where_wire_and_terminals_carry_it():
    thin = feed(Load(name="Gauges", steady_a=3.0), fuse_a=5.0, run=WireRun(supply_m=1, return_m=0.5, area_mm2=0.5))
    assert may_raise_fuse(thin, 7.5) == (
        True,
        "Yes: wire and terminals carry 7.5 A, and 7.5 A would be allowed to flow.",
    )
    small = replace(thin, run=replace(thin.run, terminal_a=6.0))
    assert may_raise_fuse(small, 7.5)[1].startswith("No: the weaker of wire and terminal carries 6 A")


def test_a_greater_fuse_that_leaves_the_rest_wrong_says_so():
    long = feed(Load(name="Gauges", steady_a=3.0), fuse_a=5.0, run=WireRun(supply_m=1, return_m=9, area_mm2=0.5))
    may, said = may_raise_fuse(long, 7.5)
    assert may
    assert said.endswith("But it does not put the rest right: see the other lines.")
    assert may_raise_fuse(long, 7.51)[0] is False


def test_the_fuse_may_need_more_area_than_the_drop():
    """1 A over 1 m needs 0.186 mm² for 0.1 V; a fuse of 20 A needs 3 mm², which carries 20.5 A, where 2.5 carries 18.3."""
    verdict = judge_feed(
        feed(Load(name="Lamp", steady_a=1.0), fuse_a=20.0, run=WireRun(supply_m=1, return_m=1, area_mm2=6.0))
    )
    assert verdict.needed_mm2 == 3.0
    assert (verdict.metric_mm2, verdict.awg) == (3.0, 12)
    huge = judge_feed(feed(Load(name="Lamp", steady_a=1.0), fuse_a=500.0))
    assert (huge.needed_mm2, huge.metric_mm2, huge.awg) == (math.inf, None, None)


def test_a_peak_at_the_fuse_is_let_pass_and_one_over_it_is_undecided():
    at = feed(Load(name="Pump", steady_a=1.0, peak_a=10.0))
    assert judge_feed(at).mark is Mark.PASS
    assert judge_feed(replace(at, loads=(Load(name="Pump", steady_a=1.0, peak_a=10.1),))).mark is Mark.UNDECIDED


def test_sums_of_a_feed_and_its_sleep():
    both = feed(
        Load(name="Clock", steady_a=0.1, keyed=False, sleep_ma=12.0),
        Load(name="Fan", steady_a=4.0, peak_a=9.0, duty=0.25),
    )
    assert (both.steady_a, both.peak_a, both.mean_a, both.sleep_ma) == (4.1, 9.1, 1.1, 12.0)
    assert days_asleep(12.0, 70.0) == pytest.approx(121.5, abs=0.1)
    assert days_asleep(0.0, 70.0) == math.inf


@pytest.mark.parametrize("make", [
    lambda: Load(name="x", steady_a=-1), lambda: Load(name="x", steady_a=2, peak_a=1), lambda: Load(name="x", steady_a=1, duty=2),
    lambda: WireRun(supply_m=0, return_m=1, area_mm2=1), lambda: WireRun(supply_m=1, return_m=1, area_mm2=0),
])  # fmt: skip
def test_what_cannot_be_is_refused(make):
    with pytest.raises(ValueError, match=r"x|wire"):
        make()
