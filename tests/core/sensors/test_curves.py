"""Curves of every shape, both ways, and what a reading at the controller's end makes of them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.diagnosis.circuit_under_test import SignalCurve
from irongauge.core.measure.units import PressureBase, Quantity, rebase, units_of
from irongauge.core.sensors.conversion import (
    Feed,
    Scale,
    evaluate,
    reading_at,
    reading_per_reference,
    reading_to_signal,
    value_from_reading,
    value_per_reading,
)
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, NtcCurve, TableCurve
from tests.curves import B25, N10, P10

FUEL = LinearCurve(
    kind=CurveKind.HERTZ, quantity=Quantity.SHARE, signal_low=50.0, signal_high=150.0, value_low=0.0, value_high=100.0
)
FUEL_HEAT = LinearCurve(
    kind=CurveKind.PULSE,
    quantity=Quantity.TEMPERATURE,
    signal_low=1.0,
    signal_high=5.0,
    value_low=-40.0,
    value_high=125.0,
)
BENT = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 1.0, 3.0, 4.5), (0.0, 20.0, 60.0, 100.0))

# Check values worked out by hand from the formulas of docs/curves.md.
CHECKED = [
    ("ratiometric, measured reference", P10, 2.31, Feed(4.93), 460.7, 0.05),
    ("ratiometric, nominal assumed", P10, 2.31, Feed(5.0), 452.5, 0.05),
    ("absolute in volts", B25, 1.90, Feed(), 101.176, 0.001),
    ("fuel composition", FUEL, 112.0, Feed(), 62.0, 1e-9),
    ("fuel temperature", FUEL_HEAT, 2.74, Feed(), 31.775, 1e-9),
    ("NTC through 2.2 kΩ", N10, 2.1521, Feed(pull_up_ohm=2200.0), 80.0, 0.01),
    ("NTC unplugged, in ohms", N10, 1662.4, Feed(), 80.0, 0.01),
]


@pytest.mark.parametrize(
    ("curve", "reading", "feed", "value", "off"), [c[1:] for c in CHECKED], ids=[c[0] for c in CHECKED]
)
def test_a_reading_becomes_the_known_value_and_back(curve, reading, feed, value, off):
    assert value_from_reading(curve, reading, feed) == pytest.approx(value, abs=off)
    assert reading_at(curve, value_from_reading(curve, reading, feed), feed) == pytest.approx(reading, rel=1e-12)


def test_three_points_of_an_ntc_give_the_textbook_temperature():
    ntc = Thermistor.from_points(((90, 243), (-10, 9150), (30, 1680)))
    assert ntc.degc_at(600.0) == pytest.approx(59.592, abs=0.0005)
    for degc, ohm in ntc.points:
        assert ntc.ohm_at(degc) == pytest.approx(ohm, rel=1e-9)
        assert ntc.degc_at(ohm) == pytest.approx(degc, abs=1e-9)


def test_a_table_of_an_ntc_returns_its_points_and_follows_beta_between_them():
    beta = Thermistor(10_000.0, 3435.0)
    table = Thermistor.from_points(tuple((t, beta.ohm_at(float(t))) for t in range(-40, 141, 20)))
    assert table.ohm_25 == pytest.approx(10_000.0, rel=1e-9)
    assert table.beta_k == pytest.approx(3435.0, rel=1e-9)
    assert table.ohm_at(33.0) == pytest.approx(beta.ohm_at(33.0), rel=1e-9)


@pytest.mark.parametrize(
    ("points", "says"),
    [
        (((0, 100), (10, 90)), "at least three"),
        (((0, 100), (10, 90), (20, 95)), "falls as it warms"),
        (((0, 100), (10, 0), (20, 95)), "positive ohms"),
    ],
)
def test_points_that_make_no_ntc_are_refused(points, says):
    with pytest.raises(ValueError, match=says):
        Thermistor.from_points(points)


CURVES = [P10, B25, FUEL, FUEL_HEAT, N10, BENT, NtcCurve(Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243))))]
FEEDS = st.builds(
    Feed,
    st.floats(4.5, 5.5),
    st.one_of(st.none(), st.floats(300, 10_000)),
    st.floats(4.5, 5.5),
)


@given(st.sampled_from(CURVES), FEEDS, st.floats(0, 1))
def test_value_to_reading_and_back_loses_nothing(curve, feed, share):
    value = curve.value_low + share * (curve.value_high - curve.value_low)
    span = curve.value_high - curve.value_low
    assert value_from_reading(curve, reading_at(curve, value, feed), feed) == pytest.approx(value, abs=1e-7 * span)


@given(st.sampled_from(CURVES), FEEDS, st.floats(0.05, 0.95))
def test_sensitivities_are_the_slopes_of_the_curve(curve, feed, share):
    value = curve.value_low + share * (curve.value_high - curve.value_low)
    if isinstance(curve, TableCurve) and min(abs(value - v) for v in curve.values) < 1.0:
        return  # a corner of the table has a slope on either side
    step = 1e-5 * (curve.value_high - curve.value_low)
    rise = reading_at(curve, value + step, feed) - reading_at(curve, value - step, feed)
    assert value_per_reading(curve, value, feed) == pytest.approx(2 * step / rise, rel=1e-5)
    more = Feed(feed.reference_v * 1.001, feed.pull_up_ohm, feed.pull_up_v * 1.001)
    supply_v = feed.pull_up_v if curve.kind is CurveKind.OHMS else feed.reference_v
    change = (reading_at(curve, value, more) - reading_at(curve, value, feed)) / (0.001 * supply_v)
    assert reading_per_reference(curve, value, feed) == pytest.approx(change, abs=1e-9)


@given(st.sampled_from(CURVES), FEEDS)
def test_arrays_and_single_numbers_agree(curve, feed):
    values = np.linspace(curve.value_low, curve.value_high, 23)
    whole = evaluate(curve, values, is_reading=False, feed=feed)
    assert whole.readings == pytest.approx([reading_at(curve, float(v), feed) for v in values], rel=1e-12)
    back = evaluate(curve, whole.readings, is_reading=True, feed=feed)
    assert back.values == pytest.approx(values, abs=1e-7 * (values[-1] - values[0]))
    assert not back.outside.any()


def test_values_outside_the_range_are_carried_on_and_said():
    seen = evaluate(P10, np.array([0.2, 2.5, 4.8]), is_reading=True, feed=Feed())
    assert seen.outside.tolist() == [True, False, True]
    assert seen.values == pytest.approx([-75.0, 500.0, 1075.0])
    assert evaluate(BENT, np.array([5.0]), is_reading=True, feed=Feed()).outside.tolist() == [True]


@pytest.mark.parametrize("reading_v", [-0.1, 0.0, 5.0, 5.2])
@pytest.mark.parametrize(
    "ntc", [N10, NtcCurve(Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243))))], ids=["beta", "points"]
)
def test_a_thermistor_shorted_or_open_has_no_temperature(ntc, reading_v):
    feed = Feed(pull_up_ohm=2200.0)
    assert math.isnan(value_from_reading(ntc, reading_v, feed))
    with np.errstate(all="ignore"):
        seen = evaluate(ntc, np.array([reading_v, 2.0]), is_reading=True, feed=feed)
    assert np.isnan(seen.values).tolist() == [True, False]
    assert seen.outside.tolist() == [True, False]


def test_a_thermistor_at_the_supply_has_no_resistance():
    assert math.isinf(reading_to_signal(CurveKind.OHMS, 5.0, Feed(pull_up_ohm=2200.0)))
    assert math.isinf(reading_to_signal(CurveKind.OHMS, 5.1, Feed(pull_up_ohm=2200.0)))


FLAT = TableCurve(
    CurveKind.VOLTS, Quantity.PRESSURE, (0.5, 0.5, 2.0, 2.0, 4.5, 4.5), (0, 10, 40, 60, 90, 100), PressureBase.GAUGE
)


def test_a_flat_end_is_read_as_its_edge_and_a_flat_stretch_as_its_middle():
    assert FLAT.usable_range == (10, 90)
    assert [FLAT.value_at(v) for v in (0.5, 2.0, 4.5)] == [10, 50, 90]
    falling = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (4.5, 4.5, 1.0), (0, 10, 100))
    assert falling.usable_range == (10, 100)
    assert falling.value_at(4.5) == 10


@pytest.mark.parametrize(
    ("signals", "values", "says"),
    [
        ((0.5, 4.5), (0,), "each with a signal and a value"),
        ((0.5, 2.0, 4.5), (0, 10, 10), "values of a table rise"),
        ((0.5, 2.0, 1.0), (0, 10, 20), "rises throughout or falls throughout"),
        ((0.5, 0.5, 0.5), (0, 10, 20), "rises throughout or falls throughout"),
    ],
)
def test_a_table_that_is_no_curve_is_refused(signals, values, says):
    with pytest.raises(ValueError, match=says):
        TableCurve(CurveKind.VOLTS, Quantity.SHARE, signals, values)


@given(
    st.sampled_from(list(PressureBase)),
    st.sampled_from(units_of(Quantity.PRESSURE)),
    st.floats(-80, 3000),
    st.floats(60, 108),
)
def test_any_unit_and_base_comes_back(base, unit, value, atmosphere_kpa):
    scale = Scale(unit.code, base, atmosphere_kpa)
    for own in PressureBase:
        assert scale.fixed(scale.shown(value, own), own) == pytest.approx(value, abs=1e-9)


def test_gauge_and_absolute_lie_one_atmosphere_apart():
    assert rebase(0.0, PressureBase.GAUGE, PressureBase.ABSOLUTE, 81.188) == 81.188
    assert rebase(5.0, None, None, 81.188) == 5.0


def test_the_diagnosis_takes_a_table_as_the_curve_it_is():
    straight = SignalCurve(0, 100, 0.1, 0.9)
    bent = SignalCurve(0, 100, 0.1, 0.9, ((0.2, 0.2), (0.6, 0.6)))
    parts = np.linspace(0, 1, 11)
    assert bent.share_at(parts) == pytest.approx([0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.675, 0.75, 0.825, 0.9])
    assert bent.part_at(bent.share_at(parts)) == pytest.approx(parts)
    assert straight.part_at(straight.share_at(parts)) == pytest.approx(parts)


def test_a_hundred_thousand_points_keep_their_shape():
    readings = np.linspace(0.5, 4.5, 100_000)
    for curve in (P10, BENT, N10):
        assert evaluate(curve, readings, is_reading=True, feed=Feed(pull_up_ohm=2200.0)).values.shape == (100_000,)


LEVEL = TableCurve(
    CurveKind.RATIO, Quantity.PRESSURE, (0.1, 0.5, 0.5, 0.9), (0.0, 400.0, 600.0, 1000.0), PressureBase.GAUGE
)


@pytest.mark.parametrize(
    "curve", [LEVEL, TableCurve(CurveKind.RATIO, Quantity.ANGLE, (0.9, 0.5, 0.5, 0.1), LEVEL.values)]
)
@pytest.mark.parametrize("value", [0.0, 100.0, 200.0, 399.0, 601.0, 800.0, 1000.0])
def test_a_level_stretch_bends_none_of_its_neighbours(curve, value):
    assert curve.value_at(curve.signal_at(value)) == pytest.approx(value, abs=1e-6)
    assert curve.value_at(np.array([curve.signal_at(value)]))[0] == pytest.approx(value, abs=1e-6)


def test_a_level_stretch_is_read_as_its_range():
    assert LEVEL.level_at(0.5) == (400.0, 600.0)
    assert LEVEL.value_at(0.5) == 500.0
    assert LEVEL.level_at(0.4) is None


@given(
    st.floats(300, 100_000),
    st.floats(2800, 4600),
    st.floats(-40, 60),
    st.floats(8, 60),
    st.floats(8, 60),
    st.sampled_from([-40.0, 0.0, 25.0, 90.0, 150.0]),
)
def test_three_points_of_any_part_are_read_back_or_refused(ohm_25, beta_k, first, second, third, degc):
    """Ohms of four digits, as a sheet has them: what is not refused has one temperature for one resistance."""
    at = (first, first + second, first + second + third)
    points = [(t, float(f"{ohm_25 * math.exp(beta_k * (1 / (t + 273.15) - 1 / 298.15)):.4g}")) for t in at]
    made = Thermistor.from_points(tuple(points))
    ohm = made.ohm_at(degc)
    assert made.degc_at(ohm) == pytest.approx(degc, abs=1e-5)
    assert made.ohm_at(np.array([degc]))[0] == pytest.approx(ohm, rel=1e-9)
    assert ohm == pytest.approx(ohm_25 * math.exp(beta_k * (1 / (degc + 273.15) - 1 / 298.15)), rel=0.25)


def test_three_points_that_no_part_has_are_refused_with_their_distance():
    """A digit wrong at the middle of three points two kelvin apart gave 0.1 Ω for 300 Ω."""
    with pytest.raises(ValueError, match="two are 2 K apart"):
        Thermistor.from_points(((20.0, 2500.0), (22.0, 2290.0), (24.0, 2250.0)))
