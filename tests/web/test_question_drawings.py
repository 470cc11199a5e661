"""What the questions of Pulse and Curve look like: where things stand in the drawings, worked out by hand."""

from __future__ import annotations

import re
from itertools import pairwise

import pytest

from irongauge.core.controllers.figures import Cells, EndPoints, Input
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.pulses.ratio import SpeedPair, fit_ratio
from irongauge.core.pulses.signal_parts import air_gap
from irongauge.core.sensors.choosing import Converter, Need, fits_for
from irongauge.core.sensors.conversion import Feed, Scale
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import NtcCurve
from irongauge.web.axes import Axes
from irongauge.web.curve.drawings import draw_choice, draw_entry, draw_numbers, draw_pairs, draw_point, draw_scale
from irongauge.web.pulse.drawings import draw_bus, draw_fuel, draw_gap, draw_speeds
from tests.cards import SENSOR

WINDOW = (0.8, 1.3)
SEEN = Input(SENSOR.curve, Feed(5.0, None, 5.0))
BAR = Scale("bar", PressureBase.GAUGE, 101.325)


def test_axes_put_the_ends_at_their_edges_and_what_lies_beyond_just_outside():
    axes = Axes(x_low=0, x_high=10, y_low=-5, y_high=5)
    assert (axes.x(0), axes.x(10), axes.y(-5), axes.y(5)) == (64.0, 620.0, 340.0, 22.0)
    assert 620 < axes.x(1e9) < axes.width
    assert 0 < axes.y(1e9) < 22
    assert [t.text for t in axes.y_ticks] == ["−4", "−2", "0", "2", "4"]


def test_a_wide_axis_gives_every_decade_the_same_width():
    axes = Axes(x_low=30.0, x_high=300_000.0, y_low=-40.0, y_high=150.0, is_log_x=True)
    assert (axes.x(30.0), axes.x(3000.0), axes.x(300_000.0)) == (64.0, 342.0, 620.0)
    assert [t.text for t in axes.x_ticks] == ["100", "1000", "10000", "100000"]
    assert axes.x(1e-9) < 64 < axes.width
    assert [t.text for t in Axes.around([40, 900], [0, 1], is_log_x=True).x_ticks] == [
        "50",
        "100",
        "200",
        "500",
        "1000",
    ]


@pytest.mark.parametrize(("feed", "is_wide"), [(Feed(5.0, None, 5.0), True), (Feed(5.0, 2200.0, 5.0), False)])
def test_a_thermistors_ohms_stand_on_decades_and_its_volts_do_not(feed, is_wide):
    seen = Input(NtcCurve(Thermistor(10_000.0, 3435.0)), feed)
    drawn = draw_point(seen, Scale("degC"), (seen.reading_range[0], 150.0))
    assert drawn.axes.is_log_x is is_wide
    xs = [float(x) for x in re.findall(r"[ML]([\d.]+) ", drawn.right_path)]
    steps = [b - a for a, b in pairwise(sorted(xs))]
    assert max(steps) < min(steps) + 0.3  # the curve is drawn as finely at its low end as at its high one


def test_every_feeler_stands_at_its_place_with_its_shape():
    readings = [1.0, 1.0, 1.0, 1.5, 1.0, 1.0]
    drawn = draw_gap(readings, WINDOW, air_gap(readings, *WINDOW))
    assert [f.kind for f in drawn.feelers] == ["in", "in", "in", "odd", "in", "in"]
    assert (drawn.feelers[0].x, drawn.feelers[3].x) == (190.0, 190.0)
    assert drawn.feelers[0].y < 190 < drawn.feelers[3].y
    assert drawn.inner < drawn.outer
    assert drawn.words == "6 places round the ring, 0 outside the window; place 4 stands out of the ring"


@pytest.mark.parametrize(
    ("readings", "move", "away"),
    [
        ([1.5, 1.5, 1.5], "0.45 mm", False),
        ([0.3, 0.3, 0.3], "0.75 mm", True),
        ([1.0, 1.0, 1.0], "", False),
        ([0.1, 2.0, 1.0], "", True),
    ],
)
def test_the_sensor_is_moved_only_where_that_helps(readings, move, away):
    drawn = draw_gap(readings, WINDOW, air_gap(readings, *WINDOW))
    assert drawn.move == move
    assert not move or drawn.away is away


def test_shown_over_true_lies_above_the_right_line_where_a_display_is_high():
    pairs = [SpeedPair(22, 20), SpeedPair(44, 40), SpeedPair(66, 60)]
    drawn = draw_speeds(pairs, (), fit_ratio(pairs), 1.0, ("km/h", 1.0))
    (x, y), *_ = drawn.dots
    assert drawn.axes.y(20) > y == drawn.axes.y(22)
    assert x == drawn.axes.x(20)
    assert drawn.offset is None
    assert "10.0 % high" in drawn.words


def test_an_offset_is_drawn_at_rest_in_the_shop_s_unit():
    pairs = [SpeedPair(v + 6, v) for v in (20, 40, 60, 80)]
    drawn = draw_speeds(pairs, (), fit_ratio(pairs), 1.0, ("mph", 1.609344))
    assert drawn.offset is not None
    at, text = drawn.offset
    assert text == "3.7 mph at rest"
    assert at == drawn.axes.y(6 / 1.609344)


def test_a_fuel_sensor_s_figures_lie_on_their_scales():
    drawn = draw_fuel(100.0, 3.0)
    assert (drawn.hertz_x, drawn.pulse_x) == (267.5, 300.0)
    assert drawn.low_x is not None
    assert draw_fuel(0.0, None).low_x is None
    assert draw_fuel(100.0, None).pulse_x is None


def test_a_slow_channel_shows_late_and_in_few_frames():
    drawn = draw_bus(10.0, 2, 5.0, 1.0)
    assert drawn.delay_text == "400 ms late"
    assert drawn.delay[1] > drawn.delay[0]
    assert "5 frames while it lasts" in drawn.words
    assert draw_bus(100.0, 1, 1000.0, 0.2).frames_cut


def test_the_point_lies_on_the_curve():
    drawn = draw_point(SEEN, BAR, (2.5, 5.0))
    assert drawn.point == (drawn.axes.x(2.5), drawn.axes.y(5.0))
    assert drawn.words == "The curve from 0 to 10 bar; the point lies at 2.5 and 5"
    assert draw_point(SEEN, BAR, None).point is None


def test_an_entry_s_worst_place_is_marked_with_how_far_it_is_off():
    drawn = draw_entry(SEEN, BAR, EndPoints(0.5, 4.5, 0.0, 9.0))
    assert drawn.worst_text == "−1 bar"
    assert drawn.worst == (drawn.axes.x(4.5), drawn.axes.y(10), drawn.axes.y(9))
    assert drawn.words.endswith("worst −1 bar at 4.5 V")


def test_the_cells_of_a_table_lie_on_the_curve():
    drawn = draw_numbers(SEEN, BAR, None, Cells((0.5, 2.5, 4.5), (0.0, 5.0, 10.0)))
    assert drawn.cells == tuple((drawn.axes.x(x), drawn.axes.y(y)) for x, y in ((0.5, 0), (2.5, 5), (4.5, 10)))
    assert drawn.entry_path == ""


def test_pairs_of_one_unit_have_a_line_of_agreement_and_others_none():
    same = draw_pairs([(50, 48), (100, 98)], 3.0, "kPa")
    assert same.band_path
    assert same.x_title == "source, kPa"
    other = draw_pairs([(1, 50), (2, 100)], None, "kPa")
    assert (other.band_path, other.x_title) == ("", "what drives it")


@pytest.mark.parametrize(("second", "meets"), [(101.0, True), (110.0, False)])
def test_two_readings_meet_or_leave_a_gap_as_their_bands_do(second, meets):
    drawn = draw_scale([("first", "100", 100.0, 2.0), ("second", "14.6 psi", second, 2.0)], "kPa")
    assert (drawn.shared is not None, drawn.gap is None) == (meets, meets)
    left, right = drawn.shared or drawn.gap
    assert left < right
    assert drawn.bars[1].typed == "14.6 psi"


@pytest.mark.parametrize(
    ("least", "greatest", "lacks"),
    [(0.0, 500.0, 0), (0.0, 1250.0, 1), (-50.0, 1250.0, 2)],
    ids=["fits", "short", "both"],
)
def test_what_a_sensor_lacks_is_drawn_beyond_its_range(least, greatest, lacks):
    need = Need(Quantity.PRESSURE, least, greatest, PressureBase.GAUGE)
    fits = fits_for(need, (SENSOR,), Converter(), "bar")
    drawn = draw_choice(fits, need, 0.0, "bar", peak_kpa=1300.0)
    (bar,) = drawn.ranges
    assert len(bar.lacks) == lacks
    assert bar.said.startswith("range 0 bar to 10 bar, ")
    assert drawn.need[0] < drawn.need[1] == drawn.margin[0] == drawn.margin[1]
    assert drawn.peak is not None
    assert drawn.peak > drawn.need[1]


def test_the_margin_is_told_from_the_need():
    need = Need(Quantity.PRESSURE, 0.0, 110.0, PressureBase.GAUGE)
    drawn = draw_choice(fits_for(need, (SENSOR,), Converter(), "bar"), need, 10.0, "bar")
    bare = drawn.need[1] - drawn.need[0]
    assert (drawn.margin[1] - drawn.margin[0]) / bare == pytest.approx(0.1, abs=0.01)
    assert drawn.ranges[0].goes_on
