"""One reading against its window: the mark, and the sentence that says why."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.bench.expectations import expect, instrument_u
from irongauge.core.bench.judgement import judge
from irongauge.core.measure.quantities import Mark, TestPoint
from tests.cards import GOOD, GOOD_BIASED, PULL_UP, case, reading


def judged(values, test_point, **card):
    made = case(values, **card)
    return judge(made, made.readings[TestPoint.from_text(test_point)])


@pytest.mark.parametrize(
    ("test_point", "value", "mark", "says"),
    [
        ("battery_v", 12.6, Mark.PASS, "12.60 V is within 11.80 to 15.00 V"),
        ("battery_v", 11.2, Mark.FAIL, "Charge the battery"),
        ("battery_v", 13.3, Mark.PASS, "Freshly charged, on a charger or with the engine running: go on."),
        ("battery_v", 14.2, Mark.PASS, "Freshly charged, on a charger or with the engine running: go on."),
        ("battery_v", 15.6, Mark.FAIL, "Is the system voltage on the vehicle's page right?"),
        ("battery_lamp", "dark", Mark.FAIL, "the lamp or its leads are bad"),
        ("open_v:A", 4.98, Mark.PASS, "only a load shows whether it holds"),
        ("open_v:A", 4.31, Mark.FAIL, "4.31 V is 0.44 V below what is wanted (4.75 to 5.25 V)"),
        ("open_v:A", 4.74, Mark.UNDECIDED, "too near the limit of 4.75 V to call"),
        ("open_v:A", 12.4, Mark.FAIL, "another supply is on this wire"),
        ("open_v:B", 0.31, Mark.FAIL, "0.21 V above what is wanted (−100 to 100 mV)"),
        ("open_v:C", 2.5, Mark.PASS, "What hangs on this input is not known"),
        ("open_v:C", 9.0, Mark.FAIL, "another supply is on this wire"),
        ("lamp_negative:A", "dim", Mark.PASS, "the reference carries the load"),
        ("lamp_negative:A", "dark", Mark.FAIL, "cannot carry the lamp"),
        ("lamp_negative_v:A", 0.06, Mark.FAIL, "It collapses under load"),
        ("lamp_positive:B", "dark", Mark.FAIL, "no path to ground on the return"),
        ("lamp_positive:B", "dim", Mark.PASS, "there is a path to ground"),
        ("lamp_positive:C", "bright", Mark.FAIL, "should not be there"),
        ("live_lamp_positive_v:C", 5.0, Mark.PASS, "5.00 V, at least 4.90 V wanted"),
        ("live_lamp_positive_v:C", 0.01, Mark.FAIL, "The channel does not follow"),
        ("mated_v:B", 0.011, Mark.PASS, "The return is good."),
        ("mated_v:B", 0.08, Mark.PASS, "Above the 50 mV that a clean joint gives"),
        ("mated_v:B", 0.218, Mark.FAIL, "Volts are lost in the return"),
        ("mated_v:C:1", 2.31, Mark.PASS, "that is 4.592 bar; 4.6 bar is applied, so 2.313 V is expected"),
        ("mated_v:C:1", 2.80, Mark.FAIL, "5.837 bar"),
        ("live_v::1", 2.30, Mark.PASS, "The controller sees what the pin has"),
        ("live_v::1", 1.10, Mark.FAIL, "wrong channel, or a bad joint"),
        ("live_value::1", 461.0, Mark.PASS, "The controller's scaling fits"),
        ("live_value::1", 690.0, Mark.FAIL, "the controller is scaled for another curve"),
    ],
)
def test_a_reading_is_judged_with_its_reason(test_point, value, mark, says):
    judgement = judged(GOOD | {test_point: value}, test_point)
    assert judgement.mark is mark
    assert says in judgement.sentence


def test_an_input_that_is_known_to_have_no_pull_up_has_no_volts():
    judgement = judge(case(GOOD | {"open_v:C": 2.5}, unpulled=True), reading("open_v:C", 2.5))
    assert judgement.mark is Mark.FAIL
    assert "Something drives the signal wire" in judgement.sentence


def test_the_measured_reference_decides_what_the_signal_should_be():
    low = judged(GOOD | {"mated_v:A": 4.76, "mated_v:C:1": 2.226}, "mated_v:C:1")
    assert low.mark is Mark.PASS
    at_nominal = judged(GOOD | {"mated_v:A": 5.0, "mated_v:C:1": 2.226}, "mated_v:C:1")
    assert at_nominal.mark is not Mark.PASS


def test_until_the_reference_is_measured_the_signal_may_be_what_any_good_one_gives():
    assert judged({"mated_v:C:1": 2.226}, "mated_v:C:1").mark is Mark.PASS
    nominal = judged({"mated_v:C:1": 2.0}, "mated_v:C:1")
    assert nominal.mark is Mark.FAIL
    assert "the reference not measured plugged in, so nominal" in nominal.sentence


def test_a_bias_is_expected_where_the_controller_has_a_pull_up():
    assert judged(GOOD_BIASED, "open_v:C", pull_up=PULL_UP).mark is Mark.PASS
    absent = judged(GOOD_BIASED | {"open_v:C": 0.0}, "open_v:C", pull_up=PULL_UP)
    assert "pull-up missing, wire open or shorted" in absent.sentence


@pytest.mark.parametrize(
    ("volts", "hint"), [(4.98, "reference or a bias"), (0.004, "return or the signal"), (2.5, "next")]
)
def test_a_pin_of_unknown_role_is_said_but_not_judged(volts, hint):
    judgement = judged({"open_v:A": volts}, "open_v:A", known=False)
    assert judgement.mark is Mark.UNDECIDED
    assert hint in judgement.sentence


NUMBERS = [test_point for test_point, value in GOOD.items() if isinstance(value, float)]


@given(st.sampled_from(NUMBERS), st.lists(st.floats(-0.5, 16.0), min_size=2, max_size=12))
def test_a_mark_moves_one_way_as_its_reading_does(test_point, values):
    rank = {Mark.FAIL: 0, Mark.UNDECIDED: 1, Mark.PASS: 2}
    climb = [rank[judged(GOOD | {test_point: value}, test_point).mark] for value in sorted(values)]
    peak = climb.index(max(climb))
    assert climb[: peak + 1] == sorted(climb[: peak + 1])
    assert climb[peak:] == sorted(climb[peak:], reverse=True)


def test_every_step_of_a_known_circuit_has_an_expectation():
    made = case(GOOD)
    assert all(expect(made, test_point) is not None for test_point in made.readings)


def test_a_number_is_given_its_expanded_uncertainty():
    """JCGM 100:2008, 6.2: a meter of 0.3 % + 2 digits on 6 000 counts at 4.98 V, a rectangle, k = 2."""
    limit = 0.003 * 4.98 + 2 * 0.001
    found = judged(GOOD, "open_v:A").uncertainty
    assert found == pytest.approx(2 * limit / 3**0.5, rel=0.2)
    assert judged(GOOD, "battery_lamp").uncertainty is None


def test_what_is_too_near_to_call_is_said_with_the_doubt_at_that_end():
    low, high = judged(GOOD | {"open_v:A": 4.755}, "open_v:A"), judged(GOOD | {"open_v:A": 5.245}, "open_v:A")
    assert low.mark is high.mark is Mark.UNDECIDED
    assert "the limit of 4.75 V" in low.sentence
    assert "the limit of 5.25 V" in high.sentence
    near, far = (float(j.sentence.split("± ")[1].split(" ")[0]) for j in (low, high))
    assert near < far, "a meter knows less of more volts"


def test_a_value_that_is_not_read_yet_is_expected_from_its_volts():
    """With live volts read, what is wanted of the value follows from them before it is read."""
    made = case({k: v for k, v in GOOD.items() if k != "live_value::1"} | {"live_v::1": 2.5})
    wanted = expect(made, TestPoint.from_text("live_value::1")).window
    assert wanted.low < 500.0 < wanted.high
    assert wanted.high - wanted.low < 60


def test_a_value_without_volts_blames_neither_them_nor_the_scaling():
    alone = judged({"live_value::1": 0.0}, "live_value::1")
    assert alone.mark is Mark.FAIL
    assert "Its volts show whether they are wrong" in alone.sentence
    assert "scaling is not" not in alone.sentence


def test_what_is_near_the_reference_is_within_twice_its_tolerance():
    made = case(GOOD)
    assert [made.near_reference(v) for v in (4.4975, 4.5025, 5.4975, 5.5025)] == [False, True, True, False]


def test_what_was_applied_is_what_stands_with_the_signal():
    made = case({k: v for k, v in GOOD.items() if k.startswith(("live_value", "mated_v:C"))})
    point = {str(t): r for t, r in made.readings.items()}
    readings = {
        TestPoint.from_text("live_value::0"): replace(point["live_value::0"], stimulus_value=7.0),
        TestPoint.from_text("mated_v:C:0"): replace(point["mated_v:C:0"], stimulus_value=5.0),
    }
    assert replace(made, readings=readings).stimulus_value(0) == 5.0
    del readings[TestPoint.from_text("mated_v:C:0")]
    assert replace(made, readings=readings).stimulus_value(0) == 7.0


def test_a_current_is_known_half_as_well_as_volts_by_the_same_meter():
    """Data sheets of handheld meters give some 0.5 % on volts and 1 % and more on milliamperes."""
    made = case(GOOD)
    volts, amps = reading("mated_v:A", 12.0), reading("loop_ma", 12.0)
    assert instrument_u(made, amps, 12.0) == pytest.approx(2 * instrument_u(made, volts, 12.0))
