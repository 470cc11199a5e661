"""The picture of a calibration as data: where things stand, and that it stays in its frame."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import judge_calibration
from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.conversion import Feed, Scale, reading_at
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, NtcCurve, TableCurve
from irongauge.web.axes import nice_ticks
from irongauge.web.curve.plot import draw_calibration
from irongauge.web.shelf.thumbs import draw_curve
from tests.cards import CURVE, SENSOR

FEED = Feed(5.0, 2200.0)
SOURCES = Sources(meter=MeterSpec(0.3, 2), stimulus_u=4.6)
BENT = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 1.0, 3.0, 4.5), (0.0, 20.0, 60.0, 100.0))
NTC = NtcCurve(Thermistor(10_000.0, 3435.0))
BAR = Scale("bar", PressureBase.GAUGE)


def _drawn(points, curve=CURVE, scale=BAR, **more):
    found = judge_calibration(curve, points, 2.0, FEED, SOURCES)
    return draw_calibration(curve, FEED, scale, result=found, tolerance_pct=2.0, reading_unit="V", **more)


@given(st.floats(-500, 500), st.floats(0.001, 5000), st.integers(3, 9))
def test_ticks_are_round_and_inside(low, span, most):
    ticks = nice_ticks(low, low + span, most)
    assert all(low - 1e-6 * span <= t <= low + span * (1 + 1e-6) for t in ticks)
    assert 1 <= len(ticks) <= most + 1


@given(st.lists(st.tuples(st.floats(-200, 1300), st.floats(-1, 6)), min_size=1, max_size=12))
def test_every_point_stands_in_the_frame_whatever_was_read(pairs):
    plot = _drawn([CalibrationPoint(stimulus=v, reading=r) for v, r in pairs])
    assert len(plot.dots) == len(pairs)
    for dot in plot.dots:
        assert plot.axes.left - 1 <= dot.x <= plot.axes.right + 1
        assert plot.axes.top - 9 <= dot.y <= plot.axes.bottom + 9
        assert plot.strip.top - 9 <= dot.whisker_top <= dot.error_y <= dot.whisker_bottom <= plot.strip.bottom + 9


@given(st.floats(0, 990), st.floats(1, 10))
def test_more_of_the_value_stands_further_right_and_more_volts_higher(value, more):
    low, high = _drawn(
        [CalibrationPoint(stimulus=v, reading=reading_at(CURVE, v, FEED)) for v in (value, value + more)]
    ).dots
    assert low.x < high.x
    assert low.y > high.y


def test_a_failing_point_lies_outside_the_band_and_says_so():
    points = [CalibrationPoint(stimulus=v, reading=reading_at(CURVE, v, FEED)) for v in (0.0, 500.0)]
    plot = _drawn([*points, CalibrationPoint(stimulus=1000.0, reading=4.8, run=Run.DOWN)], next_value=250.0, typed=2)
    good, _, bad = plot.dots
    assert plot.tolerance_top < good.error_y < plot.tolerance_bottom
    assert bad.error_y < plot.tolerance_top
    assert (bad.mark, bad.run, bad.typed) == ("fail", "down", True)
    assert plot.words == "Transfer curve with 3 points: 2 pass, 1 fail"
    assert plot.axes.left < plot.next_x < plot.axes.right
    assert plot.line_path


def test_a_point_left_out_and_one_off_the_line_are_marked():
    points = [
        CalibrationPoint(stimulus=v, reading=reading_at(CURVE, v, FEED))
        for v in (0.0, 200.0, 400.0, 600.0, 800.0, 1000.0)
    ]
    points[2] = CalibrationPoint(stimulus=400.0, reading=points[2].reading + 0.2)
    assert [d.is_outlier for d in _drawn(points).dots].index(True) == 2
    points[2] = CalibrationPoint(stimulus=400.0, reading=points[2].reading, left_out="hose")
    dots = _drawn(points).dots
    assert (dots[2].left_out, any(d.is_outlier for d in dots)) == (True, False)


@pytest.mark.parametrize(("curve", "scale"), [(BENT, Scale("percent")), (NTC, Scale("degF"))], ids=["table", "ntc"])
def test_a_curve_that_is_not_straight_is_drawn_bent(curve, scale):
    points = [CalibrationPoint(stimulus=v, reading=reading_at(curve, v, FEED)) for v in (20.0, 60.0, 90.0)]
    found = judge_calibration(curve, points, 5.0, FEED, Sources(meter=MeterSpec(0.1, 1), stimulus_u=0.1))
    plot = draw_calibration(curve, FEED, scale, result=found, tolerance_pct=5.0, reading_unit="V")
    numbers = [float(n) for n in re.findall(r"-?[\d.]+", plot.curve_path)]
    xs, ys = numbers[::2], numbers[1::2]
    slopes = {round((ys[at + 1] - ys[at]) / (xs[at + 1] - xs[at]), 2) for at in range(len(xs) - 1)}
    assert len(slopes) > 2
    assert [d.mark for d in plot.dots] == ["pass"] * 3


def test_a_plot_without_points_has_the_curve_alone():
    plot = _drawn([])
    assert (plot.dots, plot.line_path) == ((), "")
    assert plot.curve_path.count("L") == 1


def test_the_thumbnail_of_a_table_has_its_bends():
    table = TableCurve(CurveKind.RATIO, Quantity.PRESSURE, (0.1, 0.5, 0.9), (0, 200, 1000), PressureBase.GAUGE)
    thumb = draw_curve(replace(SENSOR, curve=table), "bar")
    assert thumb.path.count("L") == 2
    assert thumb.summary.startswith("table of 3 points, 0 bar at 0.50 V")
    many = TableCurve(CurveKind.RATIO, Quantity.ANGLE, tuple(n / 100 for n in range(5, 95)), tuple(range(90)))
    assert len(draw_curve(replace(SENSOR, curve=many), "deg").ends) == 2
