"""References, joints, returns, chains, and places that use a value."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.chain import Form, Side, Stage, first_mismatch
from irongauge.core.plan.joints import Joint, JointPlace, advise_joint, advise_return
from irongauge.core.plan.modules import ModulePin, PinKind
from irongauge.core.plan.places import PlaceKind, ValuePlace, changes_for, may_be_removed, moved_from, uses_now
from irongauge.core.plan.rails import RailLoad, budget_of
from irongauge.core.plan.record import PlannedFunction, VehiclePlan
from tests.core.plan.boards import at, module, pin


@pytest.mark.parametrize(
    ("currents", "limit", "mark", "says"),
    [
        ([8.0, 12.0], 100.0, Mark.PASS, "20 mA for 2 sensors, of 100 mA."),
        ([60.0, 50.0], 100.0, Mark.FAIL, "110 mA for 2 sensors: more than the 100 mA that it gives."),
        ([60.0, 25.0, None], 100.0, Mark.UNDECIDED, "95 mA for 3 sensors, 1 of them counted with 10 mA"),
        ([8.0], None, Mark.UNDECIDED, "8 mA for 1 sensor; what the regulator gives is not known."),
        ([], 100.0, Mark.PASS, "0 mA for 0 sensors"),
    ],
)
def test_a_reference_is_added_up(currents, limit, mark, says):
    budget = budget_of([RailLoad(f"s{n}", ma) for n, ma in enumerate(currents)], limit)
    assert budget.mark is mark
    assert says in budget.sentence
    assert len(budget.goes_down) == len(currents)


def test_a_vehicles_references_are_those_of_modules_that_feed_sensors():
    """Two reference pins of 30 and 20 mA; three sensors hang on them, one that hangs elsewhere is not counted."""

    def rail(name, ma):
        return ModulePin(name=name, kind=PinKind.REFERENCE, reference_v=5.0, reference_ma=ma)

    feeds = module("controller", pin("A1"), pin("A2"), pin("A3"), rail("R1", 30.0), rail("R2", 20.0))
    silent = module("display", pin("G1"), rail("R", None))
    plain = module("block", pin("X1"))
    functions = tuple(
        PlannedFunction(uid=UUID(int=n), name=f"s{n}", kinds=(PinKind.ANALOGUE,), at=place, current_ma=12.0, on_reference=on)
        for n, (place, on) in enumerate([
            (at(feeds, "A1"), True), (at(feeds, "A2"), True), (at(feeds, "A3"), False), (at(silent, "G1"), True), (None, True)])
    )  # fmt: skip
    found = VehiclePlan(modules=(feeds, silent, plain), functions=functions).references()
    assert [(m.name, b.total_ma, b.limit_ma, b.mark) for m, b in found] == [
        ("controller", 24.0, 50.0, Mark.PASS), ("display", 12.0, None, Mark.UNDECIDED)]  # fmt: skip


def test_what_an_offset_costs_is_told_for_a_device_with_its_own_supply_too():
    own = advise_return(own_supply=True, offset_v=0.02, span=100.0, span_v=4.0)
    assert own.error == pytest.approx(0.5)
    assert "must not run through" in own.why
    assert advise_return(own_supply=False, offset_v=0.02, span=100.0, span_v=None).error is None


@pytest.mark.parametrize(
    ("place", "school", "joint", "reason"),
    [
        (JointPlace(), None, Joint.SOLDER, "both wires move together"),
        (JointPlace(moves_together=False), None, Joint.CRIMP, "one side is fixed"),
        (JointPlace(vibrates=True), None, Joint.CRIMP, "vibration"),
        (JointPlace(hot_degc=140), None, Joint.CRIMP, "140 °C softens the sleeve"),
        (JointPlace(opened_later=True), None, Joint.CRIMP, "opened again"),
        (JointPlace(vibrates=True), Joint.SOLDER, Joint.SOLDER, "vibration"),
        (JointPlace(), Joint.CRIMP, Joint.CRIMP, "both wires move together"),
    ],
)
def test_a_joint_is_advised_with_why_and_the_shops_school_wins(place, school, joint, reason):
    advice = advise_joint(place, school)
    assert advice.joint is joint
    assert reason in advice.reasons[0]
    assert ("against these reasons" in advice.other) == (school is Joint.SOLDER and place.vibrates)


def test_a_return_goes_to_sensor_ground_and_the_offset_has_its_price():
    """50 mV of 4 V for 10 bar: 0.125 bar."""
    sensor = advise_return(own_supply=False, offset_v=0.05, span=10.0, span_v=4.0)
    assert sensor.to == "the controller’s sensor ground"
    assert sensor.error == pytest.approx(0.125)
    assert advise_return(own_supply=True, offset_v=0.05, span=None, span_v=None).to.startswith("a clean stud")


COIL = Stage("Axle coil", None, Side(form=Form.SINE, most_v=40.0))
SQUARER = Stage("Squarer", Side(form=Form.SINE), Side(form=Form.SQUARE, most_v=5.0, pulses_per_km=8000.0, pull_up=True))


@pytest.mark.parametrize(
    ("takes", "says", "do"),
    [
        (Side(form=Form.SQUARE, least_v=3.5, most_v=16.0, pulses_per_km=8000.0), None, None),
        (
            Side(form=Form.SINE),
            "gives a square wave, and a sine is taken by Gauge.",
            "converter from square wave to sine",
        ),
        (Side(form=Form.SQUARE, most_v=3.3), "gives up to 5 V, more than the 3.3 V of Gauge.", "divider"),
        (Side(form=Form.SQUARE, least_v=8.0), "gives at most 5 V, less than the 8 V", "never switches"),
        (Side(form=Form.SQUARE, pulses_per_km=4000.0), "8000 pulses per km, and 4000 are expected", "ratio of 0.5 "),
        (Side(form=Form.SQUARE, pull_up=False), "needs a pull-up, and none is in Gauge.", "Fit a resistor"),
    ],
)
def test_the_first_stages_that_do_not_match_are_named(takes, says, do):
    found = first_mismatch([COIL, SQUARER, Stage("Gauge", takes, None)])
    if says is None:
        assert found is None
        return
    assert says in found.sentence
    assert do in found.do
    assert (found.giver, found.taker) == ("Squarer", "Gauge")


def test_a_sine_into_a_square_input_asks_for_a_squarer_and_a_gap_in_knowledge_is_said():
    found = first_mismatch([COIL, Stage("Controller", Side(form=Form.SQUARE), None)])
    assert found.do == "Fit a squaring conditioner between them."
    assert "Nobody said" in first_mismatch([Stage("a", None, None), Stage("b", None, None)]).sentence


def place(number, kind, name, **more):
    return ValuePlace(uid=UUID(int=number), function_uid=UUID(int=9), kind=kind, name=name, **more)


def test_everything_that_uses_a_value_is_listed_and_an_armed_output_is_called_one():
    places = [
        place(1, PlaceKind.TABLE, "Boost target"),
        place(2, PlaceKind.OUTPUT, "Fan relay"),
        place(3, PlaceKind.LOG, "Oil", done=True),
    ]
    changes = changes_for(places, "A5", "A7")
    assert [change.place.name for change in changes] == ["Fan relay", "Boost target", "Oil"]
    assert "Log channel Oil: point it to A7." in changes[2].sentence, (
        "what was ticked for the old input is to be changed again"
    )
    assert changes[0].is_armed
    assert "follows whatever stands on A5, and will switch on by itself" in changes[0].sentence
    assert "point it to A7" in changes[1].sentence
    assert "take it out" in changes_for(places, "A5", None)[1].sentence
    assert not may_be_removed(places)
    assert may_be_removed([places[2]])


BOARD = module("Rime", pin("AI 8"), pin("AI 9"), pin("DI 1"))
HORN = PlannedFunction(uid=UUID(int=9), name="Horn", kinds=(PinKind.DIGITAL,), at=at(BOARD, "DI 1"))
BUTTON = PlannedFunction(uid=UUID(int=8), name="Winch button", kinds=(PinKind.ANALOGUE,), at=at(BOARD, "AI 8"))
RELAY = place(2, PlaceKind.OUTPUT, "AI 8 high", was_at=at(BOARD, "AI 8"))


READS = "Output’s condition AI 8 high still reads AI 8, where "
AWAY = "Take it out, or give it another value: Horn is on no input. Until then it follows "
TO = "Point it to DI 1: Horn is on DI 1. Until then it follows "


@pytest.mark.parametrize(
    ("functions", "says"),
    [
        ((HORN,), f"nothing stands now. {TO}whatever is put on AI 8 and can switch on by itself."),
        ((HORN, BUTTON), f"Winch button stands now. {TO}Winch button on AI 8 and can switch on by itself."),
        ((replace(HORN, at=None),), f"nothing stands now. {AWAY}whatever is put on AI 8 and can switch on by itself."),
    ],
)  # fmt: skip
def test_an_armed_relay_is_told_with_the_pin_it_still_reads_and_what_stands_there(functions, says):
    plan = VehiclePlan(modules=(BOARD,), functions=functions, places=(RELAY, place(3, PlaceKind.LOG, "Horn")))
    here = None if functions[0].at is None else "DI 1"
    found = uses_now(plan.places, here, plan.left_behind_at)
    assert (found[0].sentence, found[0].is_armed) == (READS + says, True)
    assert not found[1].is_armed
    assert [left.place for left in plan.left_behind()] == [RELAY]


@pytest.mark.parametrize(
    ("was", "done", "left", "to", "points_to"),
    [
        (None, True, "AI 8", "DI 1", "AI 8"),  # entered for AI 8, and its function leaves it
        (None, False, "AI 8", None, "AI 8"),
        ("AI 8", False, "AI 9", "DI 1", "AI 8"),  # never changed since the move before
        ("AI 8", False, "AI 9", "AI 8", None),  # and back to where it still points
        (None, False, None, "DI 1", None),
    ],
)
def test_a_place_points_to_where_it_was_entered_last(was, done, left, to, points_to):
    pins = {name: None if name is None else at(BOARD, name) for name in (was, left, to, points_to)}
    entered = place(1, PlaceKind.GAUGE, "Dash", was_at=pins[was], done=done)
    assert moved_from(entered, pins[left], pins[to]) == pins[points_to]
