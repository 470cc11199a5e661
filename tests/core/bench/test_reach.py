"""Readings that nobody can take: not asked for again, never taken for good, and said with the verdict."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS, Action, Lead, Probe
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.reach import hindrance_of, hindrances_at
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.unreadable import Hindrance, Unreadable
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import GOOD, PULLED_DOWN, SENSOR, case, circuit_of, empty


def hindered(made, **by_point):
    said = tuple(Unreadable(TestPoint.from_text(p), h) for p, h in by_point.items())
    return replace(made, circuit=replace(made.circuit, unreadable=said))


def without(*points):
    return {point: value for point, value in GOOD.items() if point not in points}


@pytest.mark.parametrize(
    ("said", "hindrance", "not_readable", "readable"),
    [
        ("lamp_negative:A", Hindrance.NO_TOOL, ["lamp_positive:B", "lamp_negative_v:A", "live_lamp_positive_v:C"],
         ["open_v:A", "mated_v:A", "live_v::0"]),
        ("live_v::0", Hindrance.NO_TOOL, ["live_value::1", "live_jumped_v:C", "live_lamp_positive_v:C"], ["mated_v:C:0"]),
        ("mated_v:B", Hindrance.NO_TOOL, ["mated_v:C:0"], ["open_v:B", "off_ohm:B"]),
        ("mated_v:B", Hindrance.NO_PROBE, [], ["mated_v:C:0", "mated_v:A", "open_v:B"]),
        ("open_v:C", Hindrance.NO_PROBE, ["lamp_positive:C", "off_ohm:C"], ["mated_v:C:0", "open_v:B"]),
        ("mated_v:C:1", Hindrance.NO_STIMULUS, ["live_v::1", "live_value::1"], ["mated_v:C:0", "live_v::0"]),
        ("mated_v:C:1", Hindrance.OTHER, [], ["mated_v:C:0", "live_v::1", "mated_v:A"]),
    ],
)  # fmt: skip
def test_what_is_said_of_one_reading_holds_for_those_that_need_the_same(said, hindrance, not_readable, readable):
    made = hindered(case({}), **{said: hindrance})
    for point in (said, *not_readable):
        assert hindrance_of(made, TestPoint.from_text(point)) is hindrance, point
    for point in readable:
        assert hindrance_of(made, TestPoint.from_text(point)) is None, point


def test_what_was_read_all_the_same_is_not_out_of_reach():
    made = hindered(case({"mated_v:A": 4.93}), **{"mated_v:A": Hindrance.NO_PROBE})
    assert hindrance_of(made, TestPoint.from_text("mated_v:A")) is None


def test_only_what_can_be_in_the_way_of_a_reading_is_offered():
    assert Hindrance.NO_STIMULUS not in hindrances_at(TestPoint.from_text("mated_v:B"))
    assert Hindrance.NO_PROBE not in hindrances_at(TestPoint.from_text("live_v::1"))
    assert Hindrance.NO_STIMULUS in hindrances_at(TestPoint.from_text("live_v::1"))


@pytest.mark.parametrize(
    ("said", "hindrance", "left_out", "words"),
    [
        ("mated_v:C:1", Hindrance.NO_STIMULUS, ("mated_v:C:1", "live_v::1", "live_value::1"), "cannot be put to that"),
        ("mated_v:B", Hindrance.NO_PROBE, ("mated_v:B",), "no probe reaches the pin"),
        ("lamp_negative:A", Hindrance.NO_TOOL,
         ("battery_lamp", "lamp_negative:A", "lamp_negative_v:A", "lamp_positive:B", "lamp_positive:C", "live_lamp_positive_v:C"),
         "no tool for it"),
    ],
)  # fmt: skip
def test_a_good_circuit_is_good_as_far_as_it_can_be_read(said, hindrance, left_out, words):
    found = conclude(assess(hindered(case(without(*left_out) | PULLED_DOWN), **{said: hindrance})))
    assert found.verdict.level is VerdictLevel.PART
    assert found.verdict.level.is_done
    assert found.next_test is None
    assert words in found.verdict.detail
    assert any(proof.mark is Mark.NOT_MEASURED for proof in found.proofs)


def test_a_fault_is_found_without_what_cannot_be_read():
    values = without("mated_v:B", "live_value::0", "live_value::1") | {"lamp_positive:B": "dark", "mated_v:C:0": 4.9,
        "mated_v:C:1": 4.9, "live_v::0": 4.9, "live_v::1": 4.9}  # fmt: skip
    found = conclude(assess(hindered(case(values), **{"mated_v:B": Hindrance.NO_PROBE})))
    assert found.diagnosis.leader.fault == "return_open"
    assert all(hindrance_of(found.case, p) is None for test in found.diagnosis.next_tests for p in test.test_points)


@pytest.mark.parametrize("sensor", [SENSOR, *MORE_SENSORS], ids=lambda sensor: str(sensor.family))
@pytest.mark.parametrize("hindrance", [Hindrance.NO_TOOL, Hindrance.OTHER])
def test_nothing_is_proved_by_saying_of_everything_that_it_cannot_be_read(sensor, hindrance):
    blank = empty(sensor)
    everything = {str(test.test_point): hindrance for test in assess(blank).tests}
    found = conclude(assess(hindered(blank, **everything)))
    assert not found.verdict.level.is_done
    assert all(test.test_point not in blank.readings and test.hindrance is None for test in found.left)


@pytest.mark.parametrize("sensor", [SENSOR, *MORE_SENSORS], ids=lambda sensor: str(sensor.family))
def test_battery_positive_is_not_asked_for_where_the_volts_of_the_pin_cannot_be_read(sensor):
    blank = empty(sensor)
    unread = {f"open_v:{pin.cavity}": Hindrance.NO_PROBE for pin in circuit_of(sensor).pins}
    found = assess(hindered(blank, **unread))
    assert not [t for t in found.left if ACTIONS[Action(t.test_point.action)].lead is Lead.BATTERY_POSITIVE]


def test_a_shop_without_a_scope_is_asked_for_none():
    coil = next(sensor for sensor in MORE_SENSORS if sensor.family is Family.RELUCTANCE)
    lacking = replace(empty(coil), lacking=frozenset({Probe.SCOPE}))
    by_scope = [p for p in map(TestPoint, Action) if ACTIONS[Action(p.action)].probe is Probe.SCOPE]
    assert by_scope
    assert {hindrance_of(lacking, point) for point in by_scope} == {Hindrance.SHOP_HAS_NONE}
