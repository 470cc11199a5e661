"""What is left of a list once some of it is done or not possible: the rules are not got round."""

import pytest

from irongauge.core.measure.quantities import VehicleState
from irongauge.core.work.arising import CircuitToDo, VehicleToDo, steps_of, with_rules
from irongauge.core.work.standing import left_of
from irongauge.core.work.steps import After, Step, StepKind

ON = ((VehicleState.KEY_ON, 2),)


def listed(*circuits, road_test=False):
    return with_rules(steps_of(VehicleToDo(key="V", tag="V", circuits=circuits, road_test=road_test)))


OIL = CircuitToDo(key="oil", name="Oil", to_fit=True, readings=ON)
FUEL = CircuitToDo(key="fuel", name="Level", to_fit=True, readings=ON)
AXLE = CircuitToDo(key="axle", name="Axle", readings=ON)
AXLE_TEST = f"V/test:axle:{VehicleState.KEY_ON}"
KEYS = {part: f"V/{part}" for part in ("fit:oil", "check:oil", "power:oil", "fit:fuel", "check:fuel", "power:fuel")}


def keys(steps):
    return {step.key for step in steps}


def test_what_is_done_ends_what_waited_for_it():
    steps = listed(OIL)
    left, held = left_of(steps, {KEYS["fit:oil"], KEYS["check:oil"]}, set())
    up = next(s for s in left if s.key == KEYS["power:oil"])
    assert up.after == ()
    assert held == ()
    assert keys(left) == keys(steps) - {KEYS["fit:oil"], KEYS["check:oil"]}


@pytest.mark.parametrize("blocked", ["check:oil", "power:oil"])
def test_a_check_that_is_not_possible_holds_back_all_that_needs_power(blocked):
    """Both battery cables stay off until every circuit has passed: calling a check not possible does not get round that."""
    left, held = left_of(listed(OIL, FUEL, AXLE), {KEYS["fit:oil"]}, {KEYS[blocked]})
    assert {one.by.key for one in held} == {KEYS[blocked]}
    kept_back = {one.step.key for one in held}
    assert {KEYS["power:fuel"], AXLE_TEST, "V/hand over"} <= kept_back
    assert not any(s.kind in {StepKind.TEST, StepKind.HAND_OVER} for s in left)
    assert {KEYS["fit:fuel"], KEYS["check:fuel"]} <= keys(left), "what needs no power goes on"


def test_a_circuit_that_cannot_be_fitted_has_nothing_more_to_do_and_the_others_go_on():
    left, held = left_of(listed(OIL, FUEL, AXLE), set(), {KEYS["fit:oil"]})
    assert held == ()
    assert not [s for s in left if "oil" in s.key]
    assert {KEYS["power:fuel"], AXLE_TEST, "V/hand over"} <= keys(left)


def test_waits_go_on_through_what_is_over():
    """Of three circuits that are powered up one by one the second is not fitted: the third still waits for the first."""
    third = CircuitToDo(key="third", name="Third", to_fit=True, readings=ON)
    left, _ = left_of(listed(OIL, FUEL, third), set(), {KEYS["fit:fuel"]})
    up = next(s for s in left if s.key == "V/power:third")
    assert KEYS["power:oil"] in {after.key for after in up.after}
    assert KEYS["power:fuel"] not in {after.key for after in up.after}


def test_what_else_is_not_possible_holds_back_nothing_and_what_is_gone_is_not_waited_for():
    steps = [Step(key="a", vehicle="V", title="a", minutes=5), Step(key="b", vehicle="V", title="b", minutes=5,
             after=(After("a"), After("gone")))]  # fmt: skip
    left, held = left_of(steps, set(), {"a"})
    assert [(s.key, s.after) for s in left] == [("b", ())]
    assert held == ()
