"""What good circuits of a card read, as windows and words: no good circuit is outside, and a plain fault is."""

import math
from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.expectations import expect
from irongauge.core.bench.healthy import healthy_glows, healthy_window, healthy_words
from irongauge.core.bench.judgement import judge
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.measure.quantities import Glow, Mark, TestPoint
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from tests.cards import empty, reading

BY_FAMILY = {str(sensor.family): sensor for sensor in MORE_SENSORS}
ABOUT = {
    ("thermistor-2w", "open_v:A"): (4.8, 5.2),
    ("thermistor-2w", "sensor_ohm:A"): (7_000, 20_000),
    ("hall-3w", "mated_v:C:1"): (-0.2, 0.6),
    ("hall-3w", "mated_v:C:0"): (4.5, 5.4),
    ("vr-2w", "coil_ohm"): (600, 1040),
    ("vr-2w", "ac_loose_v"): (1.5, 9),
    ("frequency-3w", "frequency_hz:C:0"): (55, 65),
    ("thermocouple", "loop_ohm"): (0, 60),
    ("thermocouple", "live_value::1"): (300, 340),
    ("switch", "mated_v:A:1"): (-0.1, 0.3),
    ("combo-4w", "live_value:D:0"): (10, 40),
    ("controller-out", "mated_v:C:0"): (0.7, 1.3),
}


def parts_of(sensor):
    case = empty(sensor)
    wiring = Wiring(case)
    test_points = dict.fromkeys(
        test_point for role_point in wiring.role_points for test_point in wiring.test_points_of(role_point)
    )
    return case, wiring, tuple(test_points)


@pytest.mark.parametrize(("family", "test_point"), ABOUT, ids=lambda x: x)
def test_a_window_is_about_where_the_card_says(family, test_point):
    window = healthy_window(empty(BY_FAMILY[family]), TestPoint.from_text(test_point))
    low, high = ABOUT[family, test_point]
    assert low <= window.low <= window.high <= high


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_good_circuits_that_were_not_drawn_for_it_read_inside(sensor):
    """Of hundreds of readings of other good circuits, hardly any is outside its window."""
    case, wiring, test_points = parts_of(sensor)
    outside, count = [], 0
    for seed in range(8):
        vehicle = SimulatedVehicle(replace(wiring.subject, battery_v=12.6), HEALTHY, 400 + seed)
        for test_point in test_points:
            value, answer = read_test_point(vehicle, wiring, test_point), ACTIONS[Action(test_point.action)].answer
            count += 1
            if answer is AnswerKind.GLOW:
                fits = Glow(value) in healthy_glows(case, test_point)
            elif answer is AnswerKind.WORD:
                fits = value in healthy_words(case, test_point)
            elif isinstance(value, str):
                fits = math.isinf(healthy_window(case, test_point).high)
            else:
                window = healthy_window(case, test_point)
                # A drawn battery moves what hangs on it by more than a meter's part.
                fits = window.low - 0.2 <= value <= window.high + 0.2 or abs(value) > 11
            outside += [] if fits else [(str(test_point), value)]
    assert len(outside) <= 0.02 * count, outside


@pytest.mark.parametrize(
    ("family", "test_point", "value"),
    [
        ("thermistor-2w", "mated_v:A:0", 0.02),
        ("thermistor-2w", "sensor_ohm:A", 300.0),
        ("hall-3w", "mated_v:C:1", 4.9),
        ("vr-2w", "coil_ohm", 40.0),
        ("vr-2w", "polarity", "-"),
        ("vr-2w", "counted", "no signal"),
        ("vr-2w", "ring_places", "two"),
        ("frequency-3w", "frequency_hz:C:0", 190.0),
        ("thermocouple", "live_value::1", 20.0),
        ("thermocouple", "shield_ohm", "OL"),
        ("switch", "mated_v:A:1", 4.9),
        ("combo-4w", "live_value:D:1", -40.0),
        ("combo-4w", "live_v:D:0", "no data"),
        ("controller-out", "live_value::1", 5.0),
    ],
)
def test_what_no_good_circuit_reads_is_out_with_a_sentence(family, test_point, value):
    case = empty(BY_FAMILY[family])
    made = reading(test_point, value)
    judged = judge(replace(case, readings={made.test_point: made}), made)
    assert judged.mark is Mark.FAIL
    assert judged.sentence.endswith(".")


@pytest.mark.parametrize(("test_point", "unit"), [("live_value:D:0", "°C"), ("live_value::0", "kPa")])
def test_each_channel_of_a_sensor_with_two_is_read_in_its_own_unit(test_point, unit):
    case = empty(BY_FAMILY["combo-4w"])
    assert unit in case.number_text(TestPoint.from_text(test_point), 60.0)


@pytest.mark.parametrize("tolerance_pct", [0.25, 1.0, 2.0, 5.0])
@pytest.mark.parametrize("point", [0, 1])
def test_a_loops_window_is_as_wide_as_its_card_says(tolerance_pct, point):
    """By Ohm's law over the shunt, within 1 %, and the least that controllers' grounds differ by."""
    sensor = next(s for s in MORE_SENSORS if s.family is Family.CURRENT_LOOP)
    made = empty(replace(sensor, tolerance_pct_span=tolerance_pct))
    window = expect(made, TestPoint("mated_v", "B", point)).window
    shunt_ohm, off_ma = made.circuit.shunt_ohm, tolerance_pct / 100 * 16
    part = made.circuit.stimuli[point].value / sensor.curve.value_high  # its range begins at 0
    ma = 4 + 16 * part
    for good_ma in (ma - 0.8 * off_ma, ma, ma + 0.8 * off_ma):
        assert good_ma / 1000 * shunt_ohm in window
    unsure_v = 0.02 * ma / 1000 * shunt_ohm + 0.08  # two hundredths of the shunt, and what its ground lies off
    for bad_ma in (ma - 3 * off_ma, ma + 3 * off_ma):
        apart_v = abs(bad_ma - ma) / 1000 * shunt_ohm
        beyond_v = ma / 1000 * shunt_ohm + math.copysign(apart_v + unsure_v, bad_ma - ma)
        assert beyond_v not in window


@pytest.mark.parametrize("low_v", [0.01, 0.05, 0.2, 0.4])
def test_a_bipolar_output_on_is_not_out_of_its_window(low_v):
    """An open collector keeps up to 0.4 V when it is on; what a shorted wire leaves is beyond."""
    hall = next(s for s in MORE_SENSORS if s.family is Family.HALL)
    window = expect(empty(hall), TestPoint("mated_v", "C", 1)).window
    assert low_v in window
    assert 0.8 not in window  # what the trade takes for the end of a low level
