"""Fuses, wires and what is lost on the way."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.feeds import Feed, Load, WireRun, next_fuse_a
from irongauge.core.plan.power import days_asleep, fuse_would_do, judge_feed
from irongauge.core.plan.wires import (
    AWG_SIZES,
    METRIC_MM2,
    area_carrying_mm2,
    area_for_drop_mm2,
    awg_mm2,
    carries_a,
    drop_v,
    fuse_holds_s,
    next_awg,
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
    ("amps", "peak", "fuse"),
    [(4.0, 4.0, 5.0), (4.01, 0, 7.5), (6.0, 7.5, 7.5), (0.1, 0, 2.0), (64.0, 80, 80.0), (65.0, 0, None),
     (1.2, 3.0, 3.0), (1, 90, None)],
)  # fmt: skip
def test_a_fuse_is_loaded_to_four_fifths_and_bears_the_start(amps, peak, fuse):
    assert next_fuse_a(amps, peak) == fuse


# IEC 60204-1, table 6, B1, amperes at 40 °C; table D.1, the factors for other air; table D.2, for more loaded circuits together.
_B1 = {0.75: 8.6, 1.0: 10.3, 1.5: 13.5, 2.5: 18.3, 4.0: 25, 6.0: 32, 10.0: 44, 16.0: 60, 25.0: 77, 35.0: 97}
_AIR = {30: 1.15, 35: 1.08, 40: 1.0, 45: 0.91, 50: 0.82, 55: 0.71, 60: 0.58}
_TOGETHER = {1: 1.0, 2: 0.8, 4: 0.65, 6: 0.57, 9: 0.5}


@pytest.mark.parametrize(("mm2", "amps"), _B1.items())
@pytest.mark.parametrize(("degc", "cooler"), _AIR.items())
@pytest.mark.parametrize(("together", "left"), _TOGETHER.items())
def test_what_a_wire_carries_is_the_standards_table(mm2, amps, degc, cooler, together, left):
    assert carries_a(mm2, degc, circuits_together=together) == pytest.approx(amps * cooler * left, rel=0.01)


@pytest.mark.parametrize("mm2", _B1)
def test_a_size_that_just_carries_it_is_taken(mm2):
    area = area_carrying_mm2(_B1[mm2])
    assert area == pytest.approx(mm2, rel=1e-12)
    assert next_metric_mm2(area) == mm2


@given(st.floats(0.1, 200), st.floats(-20, 140), st.sampled_from([70, 85, 100, 125, 150]), st.integers(1, 12))
def test_area_and_amperes_are_each_others_inverse(amps, around, insulation, together):
    of = {"insulation_degc": insulation, "circuits_together": together}
    area = area_carrying_mm2(amps, around, **of)
    if around >= insulation:
        assert area == math.inf
        assert carries_a(1.5, around, **of) == 0
    else:
        assert carries_a(area, around, **of) == pytest.approx(amps, rel=1e-9)


def test_hotter_insulation_carries_more_by_the_heat_it_lets_go():
    """PVC at 100 °C class in 70 °C air has the same 30 K to give away; its copper has 1.098 times the ohms of 70 °C."""
    ohms = (1 + 0.00393 * 80) / (1 + 0.00393 * 50)
    assert carries_a(1.5, 70, insulation_degc=100) == pytest.approx(13.5 / math.sqrt(ohms), rel=1e-6)
    assert carries_a(1.5, 70) == 0


@pytest.mark.parametrize(
    ("times", "seconds"), [(1.0, math.inf), (1.1, 360_000), (1.35, 0.75), (1.36, 0.25), (2, 0.15), (3.5, 0.04), (7, 0)]
)
def test_a_blade_fuse_holds_at_least_what_its_standard_says(times, seconds):
    assert fuse_holds_s(times) == seconds


@given(st.floats(0.2, 40), st.floats(0.1, 30), st.floats(0.05, 1.0), st.floats(-40, 120))
def test_a_wire_of_the_needed_area_loses_what_is_allowed(amps, metres, volts, degc):
    area = area_for_drop_mm2(amps, metres, volts, degc)
    assert drop_v(amps, metres, area, degc) == pytest.approx(volts, rel=1e-9)


def test_a_good_feed_passes_and_names_the_sizes():
    verdict = judge_feed(feed(Load(name="Oil gauge", steady_a=0.4), Load(name="Lamps", steady_a=1.6)))
    assert verdict.mark is Mark.PASS
    assert verdict.fuses_a == (3.0, 4.0, 5.0, 7.5, 10.0, 15.0)
    assert verdict.fuse_sentence == "A fuse of 3 to 15 A would do."
    # the return: 0.0172·(1 + 0.00393·20)·3·2/0.1 = 1.113 mm²; the fuse of 10 A needs 0.97 mm²
    assert verdict.needed_mm2 == pytest.approx(1.1131, abs=1e-3)
    assert (verdict.metric_mm2, verdict.awg) == (1.25, 16)
    assert verdict.missing == (
        "No peak is typed for Oil gauge, Lamps: the start is reckoned with what flows steadily.",
    )


STARTS = tuple(Load(name=name, steady_a=1.5, peak_a=2.2) for name in ("Oil", "Fuel", "Boost"))


@pytest.mark.parametrize(
    ("changed", "mark", "says"),
    [
        ({"loads": (Load(name="Heater", steady_a=9.0),)}, Mark.FAIL, "9 A steady on a fuse of 10 A: 90 %"),
        ({"fuse_a": 25.0}, Mark.FAIL, "The fuse of 25 A is too big: the wire carries only 18.3 A and would burn first."),
        ({"run": replace(RUN, rated_a=30.0), "fuse_a": 25.0}, Mark.PASS, "protects a wire that carries 30 A"),
        ({"run": replace(RUN, terminal_a=8.0)}, Mark.FAIL, "is too big: the terminals carry only 8 A"),
        ({"run": replace(RUN, circuits_together=2, area_mm2=1.0)}, Mark.FAIL, "the wire carries only 8.24 A"),
        ({"run": replace(RUN, around_degc=80.0)}, Mark.FAIL,
         "insulated for 70 °C carries nothing with 80 °C around it: take one insulated for 100"),
        ({"run": replace(RUN, around_degc=80.0, insulation_degc=125.0, area_mm2=4.0)}, Mark.PASS, "carries 28.2 A"),
        ({"run": replace(RUN, return_m=9.0)}, Mark.FAIL, "at most 0.1 V: what shares this return reads off by as much"),
        ({"run": replace(RUN, return_m=9.0), "shares_return": False}, Mark.PASS, "return wire, at most 0.36 V."),
        ({"loads": (Load(name="Gauges", steady_a=4.58),)}, Mark.FAIL, "0.102 V drop in the return wire, at most 0.1 V"),
        ({"loads": STARTS}, Mark.PASS, "6.6 A while all its loads start: the fuse of 10 A holds it"),
        ({"loads": STARTS, "fuse_a": 5.0}, Mark.FAIL, "4.5 A steady on a fuse of 5 A: 90 %"),
        ({"loads": (Load(name="Pump", steady_a=1.0, peak_a=10.5),)}, Mark.PASS, "holds 105 % for hours"),
        ({"loads": (Load(name="Pump", steady_a=1.0, peak_a=14.0),)}, Mark.UNDECIDED,
         "140 % of the fuse of 10 A, which may open after 0.25 s"),
        ({"loads": (Load(name="Pump", steady_a=1.0, peak_a=61.0),)}, Mark.FAIL, "6.1 times the fuse of 10 A: it opens at once"),
        ({"loads": STARTS}, Mark.PASS, "; 0.15 V while all start."),
        ({"system_v": 6.0, "run": replace(RUN, supply_m=13.0)}, Mark.FAIL, "drop in the supply wire, at most 0.18 V"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_feed_is_told_with_its_figure(changed, mark, says):
    good = feed(Load(name="Gauges", steady_a=2.0))
    verdict = judge_feed(replace(good, **changed))
    assert any(says in sentence for _, sentence in verdict.checks), verdict.checks
    # the drop of a big start or load may speak too: the sentence's own mark is what is asked
    assert next(m for m, sentence in verdict.checks if says in sentence) is mark


THIN = feed(Load(name="Gauges", steady_a=3.0), fuse_a=5.0, run=WireRun(supply_m=1, return_m=0.5, area_mm2=0.5))


@pytest.mark.parametrize(
    ("typed", "fuse_a", "mark", "says"),
    [
        (THIN, 7.5, Mark.PASS,
         "Yes. 3 A steady on a fuse of 7.5 A: 40 %, at most 80 %. The fuse of 7.5 A protects a wire that carries 7.5 A."),
        (THIN, 7.51, Mark.FAIL, "No. The fuse of 7.51 A is too big: the wire"),
        (THIN, 2.0, Mark.FAIL, "No. 3 A steady on a fuse of 2 A: 150 %, at most 80 %."),
        (replace(THIN, run=replace(THIN.run, terminal_a=6.0)), 7.5, Mark.FAIL,
         "No. The fuse of 7.5 A is too big: the terminals"),
        (replace(THIN, loads=(Load(name="x", steady_a=1, peak_a=4.5),)), 3.0, Mark.UNDECIDED,
         "Perhaps. 4.5 A while all its loads start is 150 %"),
        (THIN, 6.0, Mark.PASS, "6 A is no size of a blade fuse."),
        (replace(THIN, run=replace(THIN.run, return_m=9)), 7.5, Mark.PASS,
         "It does not put the rest right: see the other lines."),
    ],
)  # fmt: skip
def test_another_fuse_is_held_against_load_start_and_wire(typed, fuse_a, mark, says):
    found, sentence = fuse_would_do(typed, fuse_a)
    assert found is mark
    assert says in sentence


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        (feed(Load(name="x", steady_a=1.2, peak_a=3)), "A fuse of 3 to 15 A would do."),
        (replace(THIN, loads=(Load(name="x", steady_a=6.0),)), "A fuse of 7.5 A would do."),
        (replace(THIN, loads=(Load(name="x", steady_a=7.5),)),
         "No fuse would do: the load needs 10 A, and the wire carries 7.5 A. Take a wire of 1 mm² (AWG 16)."),
        (replace(THIN, loads=(Load(name="x", steady_a=7.5),), run=replace(THIN.run, terminal_a=8)),
         "Its terminals must carry 10 A."),
        (feed(Load(name="x", steady_a=70)), "No fuse would do: 80 A is the largest. Part the loads."),
    ],
)  # fmt: skip
def test_the_fuses_that_would_do_are_named_or_why_none_does(typed, says):
    assert judge_feed(typed).fuse_sentence.endswith(says)


def test_the_fuse_may_need_more_area_than_the_drop():
    """A fuse of 20 A needs 2.86 mm² by the power law from 2.5 (18.3 A) to 4 mm² (25 A): 3 mm², or AWG 12 of 3.31 mm²."""
    verdict = judge_feed(
        feed(Load(name="Lamp", steady_a=1.0), fuse_a=20.0, run=WireRun(supply_m=1, return_m=1, area_mm2=6.0))
    )
    assert verdict.needed_mm2 == pytest.approx(2.858, abs=0.002)
    assert (verdict.metric_mm2, verdict.awg) == (3.0, 12)
    huge = judge_feed(feed(Load(name="Lamp", steady_a=1.0), fuse_a=500.0))
    assert (huge.metric_mm2, huge.awg) == (None, None)


def test_an_american_size_is_found_from_the_area_not_from_the_next_metric_size():
    """A fuse of 12 A needs 1.25 mm²: AWG 16 has 1.31; by way of the metric 1.5 it would be 14."""
    by_area = min((n for n in AWG_SIZES if awg_mm2(n) >= area_carrying_mm2(12.0)), key=awg_mm2)
    verdict = judge_feed(feed(fuse_a=12.0))
    assert verdict.awg == by_area == 16
    assert verdict.metric_mm2 == min(mm2 for mm2 in METRIC_MM2 if carries_a(mm2) >= 12.0)


def test_the_makers_amperes_are_the_wires():
    run = replace(RUN, area_mm2=0.5, rated_a=11.0)
    assert judge_feed(feed(fuse_a=11.0, run=run)).metric_mm2 == 0.5
    assert judge_feed(feed(fuse_a=15.0, run=run)).metric_mm2 == 1.0


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
