"""Readers as shops have them: without volts, stopped at 0, silent on a channel. None of that is a fault of the circuit."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import Proof, VerdictLevel, assess, conclude
from irongauge.core.bench.judgement import judge
from irongauge.core.bench.sequence import tests_of as points_of
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.live_reader import LiveReader, Shown
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import GOOD, PULL_UP, PULLED_DOWN, case, circuit_of

NO_LIVE = {k: v for k, v in GOOD.items() if not k.startswith("live_")}
DEAD_PIN = NO_LIVE | {"mated_v:C:0": 0.02, "mated_v:C:1": 0.02}
WIRED = {"live_lamp_positive_v:C": 5.0}
VALUE_ONLY = LiveReader(shows_signal=False)
NOTHING = LiveReader(shows_signal=False, shows_value=False)


def told(readings, reader=LiveReader(), **more):
    made = case(readings, **more)
    return conclude(assess(replace(made, circuit=replace(made.circuit, reader=reader))))


def leader(assessment):
    assert assessment.diagnosis is not None
    return assessment.diagnosis.leader


@pytest.mark.parametrize(
    ("what", "reader", "live"),
    [
        ("stops at 0, nobody said so", LiveReader(), WIRED | {"live_value::0": 0.0, "live_value::1": 0.0}),
        ("stops at 0, as said", LiveReader(least=0.0), WIRED | {"live_value::0": 0.0, "live_value::1": 0.0}),
        ("shows no volts", replace(VALUE_ONLY, least=0.0), {"live_value::0": 0.0, "live_value::1": 0.0}),
        ("goes on below 0", LiveReader(), WIRED | {"live_value::0": -120.0, "live_value::1": -121.0}),
        ("shows a default once a fault is set", LiveReader(fault_value=250.0),
         WIRED | {"live_value::0": 250.0, "live_value::1": 250.0}),
    ],
)  # fmt: skip
def test_a_dead_sensor_is_found_whatever_its_reader_makes_of_it(what, reader, live):
    found = told(DEAD_PIN | live, reader)
    assert leader(found).fault == "sensor_low", what
    assert "crossed" not in found.verdict.headline


def test_an_end_stop_is_no_value():
    dead = DEAD_PIN | {"live_v::0": 0.02, "live_v::1": 0.02, "live_value::0": 0.0, "live_value::1": 0.0}
    for reader in (LiveReader(least=0.0), LiveReader()):
        made = case(dead)
        made = replace(made, circuit=replace(made.circuit, reader=reader))
        first = judge(made, made.readings[TestPoint(Action.LIVE_VALUE, None, 0)])
        assert first.mark is Mark.PASS, "0 bar is what it shows of −1.2 bar"
        second = judge(made, made.readings[TestPoint(Action.LIVE_VALUE, None, 1)])
        assert second.mark is Mark.FAIL
        assert "4.6 bar is applied" in second.sentence


def test_a_value_that_fits_its_volts_but_not_what_is_applied_does_not_pass():
    """−30 bar shown at 180 bar applied used to pass, since the scaling was right."""
    made = case(GOOD | {"mated_v:C:1": 0.3, "live_v::1": 0.3, "live_value::1": -50.0})
    judged = judge(made, made.readings[TestPoint(Action.LIVE_VALUE, None, 1)])
    assert judged.mark is Mark.FAIL
    assert "The sensor voltage is wrong, not the scaling" in judged.sentence


@pytest.mark.parametrize("pull_up", [None, PULL_UP])
@pytest.mark.parametrize("reader", [VALUE_ONLY, NOTHING, LiveReader(shows_value=False)])
def test_nothing_is_asked_for_that_the_reader_does_not_show(reader, pull_up):
    made = case(NO_LIVE | ({"open_v:C": 4.97} if pull_up else {}), pull_up=pull_up)
    made = replace(made, circuit=replace(made.circuit, reader=reader))
    shown = {ACTIONS[Action(test.test_point.action)].shown for test in points_of(made)} - {None}
    assert shown <= {what for what in Shown if reader.shows(what)}
    asked = told(NO_LIVE, reader).diagnosis
    assert asked is not None
    for check in asked.next_tests:
        assert {ACTIONS[Action(t.action)].shown for t in check.test_points} <= {None, *shown}


def test_a_value_alone_proves_the_wire_and_the_scaling():
    whole = NO_LIVE | {"live_lamp_positive_value:C": 1000.0, "live_value::0": 0.5, "live_value::1": 461.0}
    found = told(whole | PULLED_DOWN, VALUE_ONLY)
    assert found.verdict.level is VerdictLevel.GOOD
    assert {p.proof for p in found.proofs} == set(Proof)
    wrong = told(whole | {"live_value::1": 650.0}, VALUE_ONLY)
    assert next(p.mark for p in wrong.proofs if p.proof is Proof.LIVE) is Mark.FAIL
    assert "at the pin" in judge(wrong.case, wrong.case.readings[TestPoint(Action.LIVE_VALUE, None, 1)]).sentence


def test_without_live_data_the_scaling_is_not_called_proved():
    """Of an input that is known to have no pull-up; of any other an open wire would not show either."""
    assert told(NO_LIVE, NOTHING).verdict.level is VerdictLevel.OPEN
    found = told(NO_LIVE, NOTHING, unpulled=True)
    assert found.verdict.level is VerdictLevel.WIRING
    assert "scaling in the controller is not proved" in found.verdict.detail


def test_what_is_not_shown_counts_neither_way():
    base, hidden = told(NO_LIVE), told(NO_LIVE, NOTHING)
    assert base.diagnosis is not None
    assert hidden.diagnosis is not None
    of = {s.fault: s.probability for s in base.diagnosis.suspects}
    for suspect in hidden.diagnosis.suspects:
        if suspect.fault in of:
            assert suspect.probability == pytest.approx(of[suspect.fault], abs=0.02)


def test_a_temperature_that_only_shows_its_low_end_speaks_for_an_open_circuit():
    ntc = circuit_of(next(s for s in MORE_SENSORS if s.family is Family.THERMISTOR))
    made = case({"battery_v": 12.6, "battery_lamp": "bright", "live_value::0": -40.0})
    made = replace(made, circuit=replace(ntc, reader=VALUE_ONLY))
    found = conclude(assess(made)).diagnosis
    assert found is not None
    opens = sum(s.probability for s in found.suspects if s.fault.endswith("_open"))
    shorts = sum(s.probability for s in found.suspects if "short_ground" in s.fault or s.fault == "thermistor_short")
    healthy = next((s.probability for s in found.suspects if s.is_healthy), 0.0)
    assert opens > 10 * max(healthy, shorts, 0.004)
