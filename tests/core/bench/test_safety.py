"""What may be done to a pin: every rule of it in a table, from the case up to the page and the programs' interface.

The lamp from battery positive lifts a reference, and every sensor on it, to about 11 V. So it goes only to a wire that was read
unplugged and is not driven, is not the reference, and cannot be the reference of a controller that is off: while a pin's role
is not known, some other pin must be found driven first.
"""

from dataclasses import replace
from itertools import product

import pytest

from irongauge.core.bench.actions import ACTIONS, Action, Lead, Probe
from irongauge.core.bench.sequence import FROM_POSITIVE, is_allowed, tests_of
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Pin, Role
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import PULL_UP, case, circuit, circuit_of
from tests.cards import empty as untouched

# What is known of pin C, what it read unplugged, what its neighbour A read unplugged: may battery positive touch C?
RULES = [
    ("the signal, read and dead", Role.SIGNAL, 0.02, 4.99, True),
    ("the signal, read and dead, its neighbour dead too", Role.SIGNAL, 0.02, 0.01, True),
    ("the signal, read and dead, its neighbour not read", Role.SIGNAL, 0.02, None, True),
    ("the signal, at the border of what counts as driven", Role.SIGNAL, 1.0, 4.99, True),
    ("the signal, a little above that border", Role.SIGNAL, 1.01, 4.99, False),
    ("the signal, with a bias on it", Role.SIGNAL, 4.97, 4.99, False),
    ("the signal, not read yet", Role.SIGNAL, None, 4.99, False),
    ("the return, read and dead", Role.RETURN, 0.003, 4.99, True),
    ("the return, on the battery", Role.RETURN, 12.4, 4.99, False),
    ("the reference, read and good", Role.REFERENCE, 4.99, 0.01, False),
    ("the reference, read and dead", Role.REFERENCE, 0.02, 0.01, False),
    ("the reference, read and dead, its neighbour driven", Role.REFERENCE, 0.02, 4.99, False),
    ("the reference, not read", Role.REFERENCE, None, None, False),
    ("not known, read and dead, no other driven", None, 0.02, 0.01, False),
    ("not known, read and dead, the other not read", None, 0.02, None, False),
    ("not known, read and dead, another driven", None, 0.02, 4.99, True),
    ("not known, read and driven", None, 4.97, 4.99, False),
    ("not known, not read, another driven", None, None, 4.99, False),
]


def _with(role, open_v, other_v, **more):
    """A three-wire circuit whose pin C has a role, or none, and pins A and B have none."""
    readings = {k: v for k, v in (("open_v:C", open_v), ("open_v:A", other_v)) if v is not None} | more
    made = case(readings, known=False)
    pins = tuple(Pin(p.cavity, role=role if p.cavity == "C" else None) for p in made.circuit.pins)
    return replace(made, circuit=replace(made.circuit, pins=pins))


@pytest.mark.parametrize("action", sorted(FROM_POSITIVE))
@pytest.mark.parametrize(("role", "open_v", "other_v", "may"), [r[1:] for r in RULES], ids=[r[0] for r in RULES])
def test_battery_positive_touches_only_what_cannot_be_the_reference(role, open_v, other_v, may, action):
    assert is_allowed(_with(role, open_v, other_v), TestPoint(action, "C")) is may


@pytest.mark.parametrize(("role", "open_v", "other_v", "may"), [r[1:] for r in RULES], ids=[r[0] for r in RULES])
def test_what_was_read_once_is_not_safe_for_that(role, open_v, other_v, may):
    made = _with(role, open_v, other_v, **{"lamp_positive:C": "bright"})
    found = made.role_of("C")  # the lamp's answer may have settled what the pin is
    assert is_allowed(made, TestPoint(Action.LAMP_POSITIVE, "C")) is (may or (found is Role.RETURN and open_v == 0.02))


def test_a_pin_that_turns_out_to_be_the_reference_is_not_touched_again():
    made = _with(Role.REFERENCE, 0.02, 4.99, **{"lamp_positive:C": "bright"})
    assert not is_allowed(made, TestPoint(Action.LAMP_POSITIVE, "C"))


@pytest.mark.parametrize("cavity", [None, "Q", ""])
@pytest.mark.parametrize("action", sorted(FROM_POSITIVE))
def test_battery_positive_touches_no_pin_that_is_not_there(action, cavity):
    made = case({"open_v:A": 4.99, "open_v:B": 0.01, "open_v:C": 0.02})
    assert not is_allowed(made, TestPoint(action, cavity))


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: s.name)
def test_no_family_ever_has_its_reference_or_a_leg_of_its_own_touched(sensor):
    made = untouched(sensor)
    bears_none = sensor.family in {Family.RELUCTANCE, Family.THERMOCOUPLE, Family.CURRENT_LOOP}
    for pin, volts in product(made.circuit.pins, (0.0, 0.5, 4.9, 12.0)):
        seen = case({f"open_v:{p.cavity}": volts if p is pin else 4.9 for p in made.circuit.pins})
        here = replace(made, readings=seen.readings)
        told = is_allowed(here, TestPoint(Action.LAMP_POSITIVE, pin.cavity))
        assert told is (volts <= 1.0 and pin.role is not Role.REFERENCE and not bears_none), (pin, volts)


PLANS = [
    ("roles written, nothing read", {}, True, None, {"B", "C"}),
    ("roles written, all read", {"A": 4.99, "B": 0.004, "C": 0.02}, True, None, {"B", "C"}),
    ("roles written, the reference dead", {"A": 0.01, "B": 0.004, "C": 0.02}, True, None, {"B", "C"}),
    ("roles written, a bias that nobody wrote down", {"A": 4.99, "B": 0.004, "C": 3.1}, True, None, {"B"}),
    ("roles written, a bias on the signal", {}, True, PULL_UP, {"B"}),
    ("roles not known, nothing read", {}, False, None, set()),
    ("roles not known, all read", {"A": 4.99, "B": 0.004, "C": 0.02}, False, None, {"B", "C"}),
    ("roles not known, none driven", {"A": 0.01, "B": 0.004, "C": 0.02}, False, None, set()),
    ("roles not known, two driven", {"A": 4.99, "B": 0.004, "C": 4.98}, False, None, {"B"}),
]


@pytest.mark.parametrize(("open_v", "known", "pull_up", "asked"), [p[1:] for p in PLANS], ids=[p[0] for p in PLANS])
def test_the_plan_asks_for_the_lamp_from_positive_only_where_it_may_go(open_v, known, pull_up, asked):
    made = case({f"open_v:{c}": v for c, v in open_v.items()}, known=known, pull_up=pull_up)
    points = [test.test_point for test in tests_of(made)]
    assert {p.cavity for p in points if p.action == Action.LAMP_POSITIVE} == asked
    assert all(p.cavity == "C" for p in points if p.action == Action.LIVE_LAMP_POSITIVE_V)


def test_what_was_read_while_its_pin_was_not_known_may_be_read_again():
    point = TestPoint(Action.MATED_V, "A", 0)  # the reference is read without a stimulus, now that it is known
    assert not is_allowed(case({}), point)
    assert is_allowed(case({"mated_v:A:0": 4.93}), point)


@pytest.mark.parametrize("spec", ACTIONS.values(), ids=lambda s: s.action)
def test_the_caution_stands_beside_the_step_that_needs_it(spec):
    said = " ".join(spec.cautions)
    if spec.lead is Lead.BATTERY_POSITIVE and spec.probe is Probe.LAMP and spec.action is not Action.BATTERY_LAMP:
        assert "must not touch a wire that may be the reference" in said
        assert "airbag" in said
        assert "data bus" in said
    elif spec.probe is Probe.LAMP and spec.action is not Action.BATTERY_LAMP:
        assert "never on a controller output or a data bus" in said
    if spec.probe is Probe.JUMPER:
        assert "Never jump the reference to anything." in said
    if "battery off" in spec.state:
        assert "Battery negative off first" in said


def test_a_jumper_goes_on_signals_only():
    seen = {f"open_v:{c}": v for c, v in zip("ABC", (4.99, 0.01, 0.02), strict=True)}
    for action in (a for a, s in ACTIONS.items() if s.probe is Probe.JUMPER):
        told = {c: is_allowed(case(seen, pull_up=PULL_UP), TestPoint(action, c)) for c in "ABC"}
        assert not told["A"], action
        assert not told["B"], action


def test_the_rules_hold_for_the_pins_of_every_card():
    made = circuit()
    assert [p.role for p in made.pins] == [Role.REFERENCE, Role.RETURN, Role.SIGNAL]
    assert circuit_of(MORE_SENSORS[0]).pins
