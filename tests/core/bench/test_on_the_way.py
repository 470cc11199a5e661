"""Readings at a place on the way of a wire: what they say of where a fault lies, and how a test point names the place."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.bench.case import BenchCase, current_readings
from irongauge.core.bench.reasoning import diagnose
from irongauge.core.measure.quantities import TestPoint
from tests.cards import GOOD, METER, PULL_UP, circuit, reading

# X1 lies a quarter of the way from the controller, X2 three quarters.
SHARES = {"X1:3": 0.25, "X2:3": 0.75}
OPEN_REFERENCE = {"battery_v": 12.6, "open_v:A": 0.01, "open_v:B": 0.004, "lamp_positive:B": "bright", "off_ohm:A": "OL",
                  "mated_v:A": 0.02, "mated_v:B": 0.001, "mated_v:C:0": 0.01, "live_v::0": 0.01}  # fmt: skip
# With a pull-up on the input: cut off from it the sensor's volts stand at the pin, and the pull-up's at the input.
OPEN_SIGNAL = {k: v for k, v in GOOD.items() if not k.startswith(("live", "mated_v:C", "lamp_positive:C"))} | {
    "open_v:C": 0.01, "live_jumped_v:C": 5.0, "mated_v:C:0": 0.505, "live_v::0": 5.0, "mated_v:C:1": 2.31, "live_v::1": 5.0,
}  # fmt: skip


def _case(values, on_the_way):
    readings = [reading(point, value, second) for second, (point, value) in enumerate(values.items())]
    for second, (point, value) in enumerate(on_the_way.items(), start=len(readings)):
        test_point = TestPoint.from_text(point)
        bare = reading("open_v:A", value, second)
        readings.append(replace(bare, test_point=test_point, way_share=SHARES[test_point.place]))
    made = circuit(pull_up=PULL_UP if values is OPEN_SIGNAL else None)
    return BenchCase(
        circuit=made, readings=current_readings(readings), instruments={METER.uid: METER}, value_unit="bar"
    )


@pytest.mark.parametrize(
    ("values", "on_the_way", "fault", "nearer_than"),
    [
        # 5 V still stand at X2 although none arrive: the break lies between it and the sensor.
        (OPEN_REFERENCE, {"way_v:A@X2:3": 4.98}, "reference_open", {"X2:3": False}),
        (OPEN_REFERENCE, {"way_v:A@X2:3": 0.02}, "reference_open", {"X2:3": True}),
        (OPEN_REFERENCE, {"way_v:A@X2:3": 0.02, "way_v:A@X1:3": 4.99}, "reference_open", {"X2:3": True, "X1:3": False}),
        # The sensor's 0.5 V stand at X1 and do not reach the controller.
        (OPEN_SIGNAL, {"way_v:C@X1:3": 0.504}, "signal_open", {"X1:3": True}),
        (OPEN_SIGNAL, {"way_v:C@X2:3": 4.99}, "signal_open", {"X2:3": False}),
    ],
    ids=["sensor's end", "controller's side", "between", "signal, controller's end", "signal, sensor's end"],
)
def test_a_reading_on_the_way_says_on_which_side_the_break_is(values, on_the_way, fault, nearer_than):
    found = diagnose(_case(values, on_the_way))
    assert found.leader.fault == fault
    (chances,) = found.chances_on_the_way.values()
    assert {place: chance > 0.95 for place, chance in chances.items()} == nearer_than
    assert all(chance > 0.95 or chance < 0.05 for chance in chances.values())


def test_a_reading_on_the_way_is_weighed_like_any_other():
    """Without the lamp nothing tells an open wire from a dead regulator; 5 V on the way do."""
    few = {"battery_v": 12.6, "open_v:A": 0.01, "open_v:B": 0.003, "open_v:C": 0.01, "mated_v:A": 0.02}

    def chance(on_the_way):
        suspects = {s.fault: s.probability for s in diagnose(_case(few, on_the_way)).suspects}
        return suspects.get("reference_wrong", 0.0)

    assert chance({"way_v:A@X1:3": 4.98}) < chance({}) / 10


@given(st.text(st.characters(exclude_characters=":"), min_size=1, max_size=40), st.sampled_from(["", ":3", ":12"]))
def test_a_place_comes_back_from_its_text(node, cavity):
    test_point = TestPoint("way_v", "A", None, node + cavity)
    assert TestPoint.from_text(str(test_point)) == test_point


@pytest.mark.parametrize("test_point", [TestPoint("open_v", "A", None, "X1:3"), TestPoint("way_v", "A", None, "X1:3")])
def test_only_a_reading_on_the_way_says_how_far_along_it_is(test_point):
    with pytest.raises(ValueError, match="how far along"):
        replace(reading("open_v:A", 4.98), test_point=test_point)
