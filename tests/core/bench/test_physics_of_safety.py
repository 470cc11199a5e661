"""What may be done to a pin, held against physics that is written here and not against the code's own sets.

Battery positive on a reference lifts every sensor on it to about 11 V; on a coil, a thermocouple or a shunt it burns what it
touches; an ohmmeter on a live circuit reads wrong. Which actions do so is derived from what they are asked in.
"""

from dataclasses import replace
from itertools import product

import pytest

from irongauge.core.bench import sequence
from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind, Lead, Probe
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.measure.quantities import TestPoint, VehicleState
from irongauge.core.measure.units import Quantity
from irongauge.core.sensors.circuits import Pin, Role
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS, SENSORS
from tests.cards import case
from tests.cards import empty as untouched

# By hand, from the words "from battery positive" in what is asked.
TOUCHES_POSITIVE = {"lamp_positive", "live_lamp_positive_v", "live_lamp_positive_value"}
# Made for millivolts or for 20 mA: battery volts through a lamp are too much for the sensor's own pair or for the shunt.
BEARS_NO_LAMP = {Family.RELUCTANCE, Family.THERMOCOUPLE, Family.CURRENT_LOOP}
DRIVEN_V = 1.0
OPEN_V = {
    Role.REFERENCE: 4.98,
    Role.RETURN: 0.002,
    Role.SIGNAL: 0.01,
    Role.TEMPERATURE: 4.9,
    Role.PLUS: 0.0,
    Role.MINUS: 0.0,
}


def _cases(sensor):
    """A circuit of that type with its roles written and not, and read as a person may find it: its truth beside it."""
    told = untouched(sensor)
    truth = {pin.cavity: pin.role for pin in told.circuit.pins}
    bare = replace(told.circuit, pins=tuple(Pin(pin.cavity) for pin in told.circuit.pins))
    read = [
        {},
        {c: OPEN_V[role] for c, role in truth.items()},
        dict.fromkeys(truth, 0.0),  # the controller is off
        dict.fromkeys(truth, 12.4),
        {c: OPEN_V[role] for c, role in truth.items() if role is not Role.REFERENCE},
        {c: OPEN_V[role] for c, role in truth.items() if role is Role.REFERENCE},
        dict.fromkeys(truth, 4.9),
    ]
    for circuit, volts in product((told.circuit, bare), read):
        seen = case({f"open_v:{c}": v for c, v in volts.items()}).readings
        yield replace(told, circuit=circuit, readings=seen), truth, volts


@pytest.mark.parametrize("sensor", [*SENSORS, *MORE_SENSORS], ids=lambda s: s.name)
def test_no_action_puts_battery_positive_where_physics_forbids_it(sensor):
    for made, truth, volts in _cases(sensor):
        for action, cavity, point in product(Action, [*truth, None], (None, 0, 1)):
            if action not in TOUCHES_POSITIVE or not is_allowed(made, TestPoint(action, cavity, point)):
                continue
            assert sensor.family not in BEARS_NO_LAMP, (action, cavity)
            assert truth[cavity] is not Role.REFERENCE, (action, cavity, volts)
            assert volts.get(cavity, 99.0) <= DRIVEN_V, (action, cavity, volts)
            roles_are_known = all(pin.role is not None for pin in made.circuit.pins)
            assert roles_are_known or max(volts.values()) > DRIVEN_V, "it may be the reference of a dead controller"


def test_what_touches_battery_positive_says_so_and_the_table_knows():
    asked = {a for a, spec in ACTIONS.items() if "battery positive" in spec.ask}
    assert asked == TOUCHES_POSITIVE
    assert {a for a, spec in ACTIONS.items() if spec.lead is Lead.BATTERY_POSITIVE} == TOUCHES_POSITIVE
    assert all(ACTIONS[a].probe is Probe.LAMP and not ACTIONS[a].plugged_in for a in TOUCHES_POSITIVE)


def test_ohms_are_read_with_the_battery_off_or_of_a_sensor_in_the_hand():
    for action, spec in ACTIONS.items():
        if spec.answer is AnswerKind.OHMS:
            in_the_hand = spec.ask.startswith("Sensor in the hand")
            assert not spec.plugged_in, action
            assert spec.state is (VehicleState.KEY_OFF if in_the_hand else VehicleState.BATTERY_OFF), action


@pytest.mark.parametrize("sensor", [*SENSORS, *MORE_SENSORS], ids=lambda s: s.name)
def test_nothing_jumps_the_reference(sensor):
    made = untouched(sensor)
    wiring = wiring_of(made)
    for role_point in wiring.role_points:
        for test_point in wiring.test_points_of(role_point):
            if ACTIONS[Action(test_point.action)].probe is Probe.JUMPER and test_point.cavity is not None:
                assert made.role_of(test_point.cavity) is not Role.REFERENCE, test_point


POSTS, LIFTS, BUS, BAG = "battery posts", "may be the reference", "a data bus", "airbag or belt connector"
OFF, TURNS, JUMP, PIERCE = "Battery negative off first", "clear of what turns", "Never jump the reference", "pierce"
FITTING, BURNS, SERIES, KILOHM = "pressure down before a fitting", "Exhaust parts burn", "mA sockets", "half a watt"
# What must stand beside every step, by hand: one line for each action, and one that is missing here fails.
CAUTIONS = {
    "battery_v": (POSTS,), "battery_lamp": (), "open_v": (), "sharers_off_v": (), "live_unplugged_v": (),
    "lamp_negative": (BUS, BAG), "lamp_negative_v": (BUS, BAG), "lamp_positive": (LIFTS, BUS, BAG),
    "live_lamp_positive_v": (LIFTS, BUS, BAG), "live_lamp_positive_value": (LIFTS, BUS, BAG),
    "live_jumped_v": (JUMP,), "live_jumped_return_value": (JUMP,), "live_grounded_v": (JUMP,),
    "live_jumped_value": (), "live_unplugged_value": (), "live_kilohm_v": (KILOHM,), "live_kilohm_value": (KILOHM,),
    "mated_v": (PIERCE,), "way_v": (PIERCE,), "live_v": (FITTING,), "live_value": (FITTING,),
    "off_ohm": (OFF, BAG), "wire_ohm": (OFF, BAG), "shield_ohm": (OFF, BAG), "shield_lifted_ohm": (OFF, BAG),
    "sensor_ohm": (), "coil_ohm": (), "leg_ohm": (), "loop_ohm": (), "polarity": (), "thermo_v": (BURNS,),
    "turning_low_v": (TURNS,), "turning_high_v": (TURNS,), "frequency_hz": (TURNS,), "pulse_ms": (TURNS,),
    "live_hz": (TURNS,), "live_running_value": (TURNS,), "ac_loose_v": (TURNS,), "ac_mated_v": (TURNS,),
    "counted": (TURNS,), "ring_places": (TURNS,), "ring_uneven_pct": (TURNS,), "loop_ma": (SERIES,),
}  # fmt: skip


def test_every_action_has_its_line_here():
    assert set(CAUTIONS) == {str(action) for action in Action}


@pytest.mark.parametrize("sensor", [*SENSORS, *MORE_SENSORS], ids=lambda s: s.name)
def test_each_step_of_each_circuit_has_its_cautions_beside_it(sensor):
    made = untouched(sensor)
    wiring = wiring_of(made)
    seen = 0
    for role_point in (*wiring.role_points, *wiring.required):
        for test_point in wiring.test_points_of(role_point):
            said = " ".join(sequence.test_at(made, test_point).cautions)
            for needed in CAUTIONS[test_point.action]:
                assert needed in said, (test_point, needed)
            if test_point.point is not None and sensor.quantity is Quantity.PRESSURE:
                assert FITTING in said, f"{test_point}: the pressure has to be made"
            seen += 1
    assert seen > 5
