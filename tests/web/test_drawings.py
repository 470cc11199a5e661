"""The pictures as data: where things stand, and that nothing is drawn over something else."""

import re
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.bench.assessment import assess
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Switching
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind
from irongauge.core.shop import Job, Promise, Technician, Vehicle
from irongauge.demo.shelf import MORE_SENSORS
from irongauge.web.bench.connector import draw_connector
from irongauge.web.bench.ladder import draw_ladder
from irongauge.web.floor.strips import draw_days
from irongauge.web.shelf.thumbs import draw_curve
from tests.cards import GOOD, SENSOR, case, empty

PIN_VOLTS = [test_point for test_point in GOOD if test_point.startswith(("open_v", "mated_v", "lamp_negative_v"))]


def ladder(values, active=None, **card):
    return draw_ladder(assess(case(values, **card)), None if active is None else TestPoint.from_text(active))


def test_every_reading_at_a_pin_is_drawn_once_and_lamps_below():
    drawn = ladder(GOOD)
    assert len(drawn.dots) == len(PIN_VOLTS)
    assert [lamp.text for lamp in drawn.lamps] == ["lamp − dim", "lamp + bright", "lamp + dark"]
    assert "None is out." in drawn.summary


@given(st.lists(st.floats(-1, 18), min_size=2, max_size=2).map(sorted))
def test_more_volts_stand_higher(pair):
    low, high = (ladder({"open_v:A": volts}).dots[0].y for volts in pair)
    assert high <= low


@given(st.lists(st.floats(-1, 14), min_size=3, max_size=3))
def test_labels_in_a_lane_never_stand_on_each_other(volts):
    values = {"mated_v:A": 4.9, "mated_v:C:0": volts[0], "mated_v:C:1": volts[1], "open_v:C": volts[2]}
    drawn = ladder(GOOD | values)
    lanes = {}
    for dot in drawn.dots:
        lanes.setdefault(dot.x, []).append(dot.label_y)
        assert drawn.top - 20 <= dot.label_y <= drawn.bottom
    for heights in lanes.values():
        heights.sort()
        assert all(b - a >= 18.9 for a, b in pairwise(heights))


def test_the_figures_of_the_scale_never_stand_on_each_other():
    for sensor in (SENSOR, *MORE_SENSORS):
        heights = sorted(tick.y for tick in draw_ladder(assess(empty(sensor)), None).ticks)
        assert all(b - a >= 18 for a, b in pairwise(heights)), sensor.name


def test_the_window_that_is_asked_for_stands_out():
    assert [band.state for band in ladder({}, "open_v:A").bands].count("now") == 1
    assert "done" in {band.state for band in ladder(GOOD).bands}
    assert {band.state for band in ladder({}).bands} == {"open"}


def test_what_live_data_should_show_is_drawn_only_while_it_is_asked_for():
    assert len(ladder(GOOD, "live_v::0").bands) == len(ladder(GOOD).bands) + 1


def test_nothing_is_drawn_outside_the_picture():
    drawn = ladder(GOOD | {"open_v:C": 17.9, "mated_v:B": -1.1})
    assert drawn.right <= drawn.width
    for band in drawn.bands:
        assert drawn.top - 1 <= band.y
        assert band.y + band.height <= drawn.height
        assert band.x + band.width <= drawn.right


def test_a_failed_reading_is_named_in_the_words_for_the_picture():
    assert "Plugged-in volts: 0.218 V, fail" in ladder(GOOD | {"mated_v:B": 0.218}).summary


@pytest.mark.parametrize(
    ("test_point", "probe", "where", "touches"),
    [
        ("open_v:A", "Meter, red lead", "Black lead: battery negative", True),
        ("lamp_negative:A", "Test lamp", "Other end: battery negative", True),
        ("lamp_positive:B", "Test lamp", "Other end: battery positive", True),
        ("live_lamp_positive_v:C", "Test lamp", "Other end: battery positive", True),
        ("battery_v", "Meter, red lead", "Across the battery", False),
        ("live_v::0", "Live data", "", False),
    ],
)
def test_the_face_shows_where_the_probe_goes(test_point, probe, where, touches):
    made = case(GOOD)
    test = next(s for s in assess(made).tests if str(s.test_point) == test_point)
    face = draw_connector(made, test)
    assert (face.probe, face.where) == (probe, where)
    assert (face.lead_x is not None) is touches
    assert [c.cavity for c in face.cavities if c.active] == ([test_point.split(":")[1]] if touches else [])


def test_the_face_of_unknown_pins_says_so():
    face = draw_connector(case({}, known=False), None)
    assert face.probe == ""
    assert face.summary == "Connector with pins A of unknown role, B of unknown role, C of unknown role"


TODAY = date(2026, 11, 25)
HALF_PAST_THREE = datetime.combine(TODAY, time(15, 30))


def _job(promised_in, by=None, *, done=False):
    return Job(
        uid=uuid4(),
        number=1,
        vehicle=Vehicle(uid=uuid4(), tag="LT-8", description="", system_v=12.0, height_m=0.0),
        title="x",
        received_on=TODAY - timedelta(days=4),
        promise=Promise(TODAY + timedelta(days=promised_in), by),
        technician=Technician(uuid4(), "Nell"),
        handed_over_at=datetime(2026, 11, 24, tzinfo=UTC) if done else None,
        reviewed_by=Technician(uuid4(), "Bram") if done else None,
    )


@pytest.mark.parametrize(
    ("promised_in", "by", "done", "words", "late"),
    [
        (0, None, False, "promised today", False),
        (0, time(15, 45), False, "promised today by 15:45", False),
        (0, time(15, 30), False, "promised today by 15:30", False),
        (0, time(15, 29), False, "promised today by 15:29, late", True),
        (1, None, False, "promised tomorrow", False),
        (1, time(8), False, "promised tomorrow by 8:00", False),
        (2, None, False, "promised Fri 27 Nov", False),
        (-1, None, False, "promised Tue 24 Nov, 1 day late", True),
        (-3, time(9, 5), False, "promised Sun 22 Nov by 9:05, 3 days late", True),
        (-3, time(9, 5), True, "was promised Sun 22 Nov by 9:05", False),
    ],
)
def test_a_promise_is_said_as_a_person_says_it(promised_in, by, done, words, late):
    strip = draw_days(HALF_PAST_THREE, _job(promised_in, by, done=done))
    assert (strip.words, strip.late) == (words, late)
    assert sum(day.kind.startswith("stay") for day in strip.days) == promised_in + 5


def test_a_promise_outside_the_two_weeks_has_no_pointer():
    assert draw_days(HALF_PAST_THREE, _job(40)).promised_x is None
    assert draw_days(HALF_PAST_THREE, _job(8)).promised_x is not None


def test_a_curve_is_drawn_from_its_low_to_its_high_end():
    thumb = draw_curve(SENSOR, "bar")
    (low_x, low_y), (high_x, high_y) = thumb.ends
    assert low_x < high_x
    assert low_y > high_y, "more volts stand higher"
    assert thumb.summary == "0 bar at 0.50 V, 10 bar gauge at 4.50 V, supply 5 V"


@pytest.mark.parametrize(
    ("family", "element"),
    [
        (Family.THERMISTOR, Thermistor(2500.0, 3500.0)),
        (Family.RELUCTANCE, Coil(800.0, 12.0, (3.0, 6.0))),
        (
            Family.FREQUENCY,
            FrequencyCurve(
                value_low=0,
                value_high=100,
                hz_low=50,
                hz_high=150,
                degc_low=-40,
                degc_high=125,
                pulse_low_ms=1,
                pulse_high_ms=5,
            ),
        ),
        (Family.THERMOCOUPLE, ThermocoupleKind(41.0)),
        (Family.HALL, Switching(low_when_present=True)),
        (Family.SWITCH, None),
    ],
)
def test_a_sensor_without_a_curve_is_drawn_inside_its_box(family: Family, element: object):
    thumb = draw_curve(replace(SENSOR, family=family, curve=None, element=element), None)
    numbers = [float(n) for n in re.findall(r"-?[\d.]+", thumb.path)]
    assert numbers, "something is drawn"
    assert all(0 <= n <= 120 for n in numbers)
    assert not thumb.ends
