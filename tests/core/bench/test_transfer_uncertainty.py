"""Curves both ways, and what an instrument's specification does to a decision."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec, combine, guarded_mark
from irongauge.core.measure.units import Quantity
from irongauge.core.sensors.transfer import CurveKind, LinearCurve
from tests.cards import CURVE
from tests.curves import B25, FALLING


@pytest.mark.parametrize(
    ("curve", "signal_v", "reference_v", "value"),
    [
        (CURVE, 2.31, 4.93, 460.7),  # hand: (2.31/4.93 − 0.1)/0.8·1000
        (CURVE, 2.31, 5.00, 452.5),  # what the assumed 5 V would make of it
        (B25, 1.90, 4.93, 101.176),  # hand: 20 + 1.5/4.25·230
        (FALLING, 2.50, 5.00, 45.0),
    ],
    ids=["ratiometric", "reference assumed", "fixed volts ignore the reference", "falling"],
)
def test_volts_become_the_value(curve, signal_v, reference_v, value):
    assert curve.signal_v_to_value(signal_v, reference_v) == pytest.approx(value, abs=0.05)


@given(st.sampled_from([CURVE, B25, FALLING]), st.floats(3.0, 6.0), st.floats(0, 1))
def test_a_curve_is_its_own_inverse(curve, reference_v, share):
    value = curve.value_low + share * curve.span
    back = curve.signal_v_to_value(curve.value_to_signal_v(value, reference_v), reference_v)
    assert back == pytest.approx(value, abs=1e-9 * curve.span)


@given(st.sampled_from([CURVE, B25]), st.floats(3.0, 6.0), st.floats(0, 5), st.floats(0, 5))
def test_more_volts_never_make_less_of_the_value(curve, reference_v, one_v, other_v):
    low_v, high_v = sorted([one_v, other_v])
    assert curve.signal_v_to_value(low_v, reference_v) <= curve.signal_v_to_value(high_v, reference_v)


@pytest.mark.parametrize(
    "points",
    [(0.1, 0.1, 0.0, 10.0, None), (0.1, 0.9, 10.0, 10.0, None), (0.1, 0.9, 10.0, 0.0, None)],
    ids=["one signal", "one value", "reversed"],
)
def test_two_points_that_make_no_curve_are_refused(points):
    with pytest.raises(ValueError, match="two different signals"):
        LinearCurve(
            kind=CurveKind.RATIO,
            quantity=Quantity.ANGLE,
            **dict(zip(("signal_low", "signal_high", "value_low", "value_high", "pressure_base"), points, strict=True)),
        )


def test_a_pressure_says_gauge_or_absolute():
    with pytest.raises(ValueError, match="gauge or absolute"):
        LinearCurve(
            kind=CurveKind.RATIO,
            quantity=Quantity.PRESSURE,
            signal_low=0.1,
            signal_high=0.9,
            value_low=0.0,
            value_high=10.0,
        )


@pytest.mark.parametrize(
    ("value", "resolution"),
    [(0.0, 1e-4), (0.3, 1e-4), (5.0, 1e-3), (5.999, 1e-3), (6.001, 1e-2), (12.6, 1e-2), (59.9, 1e-2)],
)
def test_a_6000_count_display_changes_range(value, resolution):
    assert MeterSpec(0.5, 2, 6000).resolution(value) == pytest.approx(resolution)


def test_a_specification_is_a_rectangular_distribution():
    # 0.5 % of 5 V is 25 mV, 2 digits are 2 mV: 27 mV half-width, over root three (JCGM 100, 4.3.7)
    assert MeterSpec(0.5, 2).standard_uncertainty(5.0) == pytest.approx(0.027 / math.sqrt(3))
    assert GaugeSpec(Quantity.PRESSURE, 1600, 0.5).standard_uncertainty() == pytest.approx(8 / math.sqrt(3))
    assert combine(3.0, 4.0) == pytest.approx(5.0)


@pytest.mark.parametrize(
    ("value", "mark"),
    [
        (4.70, Mark.FAIL),
        (4.74, Mark.UNDECIDED),
        (4.75, Mark.UNDECIDED),
        (4.76, Mark.UNDECIDED),
        (4.78, Mark.PASS),
        (5.22, Mark.PASS),
        (5.24, Mark.UNDECIDED),
        (5.28, Mark.FAIL),
        (math.inf, Mark.FAIL),
    ],
)
def test_near_a_limit_nothing_is_decided(value, mark):
    assert guarded_mark(value, Limits(4.75, 5.25), 0.02, 0.02) is mark


@given(st.floats(-10, 10), st.floats(0, 10), st.floats(0, 3), st.floats(0, 3), st.lists(st.floats(-40, 40), min_size=2))
def test_a_decision_moves_one_way_as_the_value_does(low, width, guard_low, guard_high, values):
    window = Limits(low, low + width)
    marks = [guarded_mark(v, window, guard_low, guard_high) for v in sorted(values)]
    rank = {Mark.FAIL: 0, Mark.UNDECIDED: 1, Mark.PASS: 2}
    climb = [rank[m] for m in marks]
    peak = climb.index(max(climb))
    assert climb[: peak + 1] == sorted(climb[: peak + 1])
    assert climb[peak:] == sorted(climb[peak:], reverse=True)
