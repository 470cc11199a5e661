"""Which readings a good circuit must have been proved at, in the order that saves key cycles.

The order is: prove meter and lamp; connector off, volts at each pin; lamp from negative on what is near the reference;
lamp from positive on what is not; prove the signal wire; then plugged in: reference, return, signal and live data at
each stimulus. A reading that can hurt something is not offered until an earlier one has shown that it is safe.

This is the order in which proofs are completed; while something may be wrong, the diagnosis chooses what comes next.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from irongauge.core.bench.actions import ACTIONS, Action, ActionSpec, Lead
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.reach import hindrance_of
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.circuit_under_test import DRIVEN_FROM_V
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Role
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.unreadable import Hindrance

__all__ = ["FROM_POSITIVE", "Test", "can_be_read", "is_allowed", "test_at", "tests_of"]


@dataclass(frozen=True)
class Test:
    """One reading that is wanted, with how to ask for it."""

    case: BenchCase
    test_point: TestPoint
    spec: ActionSpec
    title: str
    cautions: tuple[str, ...]

    @cached_property
    def hindrance(self) -> Hindrance | None:
        """What is in the way of it, where somebody said that something is."""
        return hindrance_of(self.case, self.test_point)

    @cached_property
    def ask(self) -> str:
        """What the technician is asked to do, with the pin and the stimulus named."""
        ask = self.spec.ask
        if self.test_point.cavity is not None:
            ask = ask.format(pin=self.case.pin_name(self.test_point.cavity), place=self.test_point.place)
            if self.case.senses_heat(self.test_point):
                ask = ask.replace("this channel", "the temperature").replace("value", "temperature")
        if self.test_point.point is not None:
            label = self.case.circuit.stimuli[self.test_point.point].label
            applied = self.case.stimulus_value(self.test_point.point)
            at = "" if applied is None else f": {self.case.value_text(applied, trim=True)}"
            ask = f"{label[:1].upper()}{label[1:]}{at}. {ask}"
        return ask


def tests_of(case: BenchCase) -> tuple[Test, ...]:
    """Every step this circuit needs, given what is known so far, in order; steps already answered are included."""
    wanted = list(
        dict.fromkeys(_three_wire_points(case) if case.circuit.family in _THREE_WIRE else _required_points(case))
    )
    # A reading that was taken stays in the list when a later answer makes it unnecessary.
    listed = set(wanted)
    wanted += [test_point for test_point in case.readings if test_point not in listed]
    return tuple(test_at(case, test_point) for test_point in wanted)


# How the signal wire is driven to prove it: volts say the most, a value will do.
_PULLED_DOWN = (Action.LIVE_JUMPED_V, Action.LIVE_JUMPED_RETURN_VALUE)
_PULLED_UP = (Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_LAMP_POSITIVE_VALUE)
_THREE_WIRE = {Family.RATIOMETRIC, Family.POTENTIOMETER}


def _three_wire_points(case: BenchCase) -> list[TestPoint]:
    test_points = [TestPoint(Action.BATTERY_V), TestPoint(Action.BATTERY_LAMP)]
    test_points += [TestPoint(Action.OPEN_V, pin.cavity) for pin in case.circuit.pins]
    test_points += _lamp_negative_points(case)
    test_points += _lamp_positive_points(case)
    test_points += _signal_wire_points(case)
    test_points += _follow_up_points(case)
    test_points += _plugged_in_points(case)
    return test_points


def _required_points(case: BenchCase) -> list[TestPoint]:
    """What the circuit's family must be proved at, unplugged volts first, since they make the lamp safe."""
    wiring = wiring_of(case)
    needed = [test_point for role_point in wiring.required for test_point in wiring.test_points_of(role_point)]
    test_points = [TestPoint(Action.BATTERY_V)]
    if any(test_point.action in _WITH_LAMP for test_point in needed) or not wiring.is_known:
        test_points.append(TestPoint(Action.BATTERY_LAMP))
        test_points += [TestPoint(Action.OPEN_V, pin.cavity) for pin in case.circuit.pins]
    return test_points + needed


FROM_POSITIVE = {action for action, spec in ACTIONS.items() if spec.lead is Lead.BATTERY_POSITIVE}
_WITH_LAMP = {Action.LAMP_NEGATIVE, *FROM_POSITIVE}


tests_of.__test__ = False  # type: ignore[attr-defined]  # a step of a test, not a test of ours


def is_allowed(case: BenchCase, test_point: TestPoint) -> bool:
    """True when the circuit has that pin and point, and the action may be done to it in what is known."""
    if test_point.action not in set(Action):
        return False
    if case.circuit.licence is not None:
        return False
    action = Action(test_point.action)
    if action in FROM_POSITIVE:  # also when it was read before: what was not known then may be the reference
        return _is_safe_from_positive(case, test_point.cavity)
    if test_point in case.readings:
        return True
    return _exists(case, test_point)


def can_be_read(case: BenchCase, test_point: TestPoint) -> bool:
    """True when the circuit has such a reading at all, whether or not it would be safe to ask for it now."""
    return test_point.action in set(Action) and _exists(case, test_point)


def _is_safe_from_positive(case: BenchCase, cavity: str | None) -> bool:
    """True once a pin was read unplugged and is neither driven nor the reference: battery positive may touch it."""
    no_lamp = wiring_of(case).subject.is_two_leg or case.circuit.shunt_ohm is not None  # the shunt is made for 20 mA
    if cavity not in {pin.cavity for pin in case.circuit.pins} or no_lamp:
        return False
    if case.number(Action.OPEN_V, cavity) is None or case.is_driven(cavity):
        return False
    known = case.proved_role_of(str(cavity))
    # A pin of unknown role could be the reference of a dead controller, until another pin is found to be driven.
    others_driven = any(case.is_driven(p.cavity) for p in case.circuit.pins)
    not_found = case.role_of(str(cavity)) is not Role.REFERENCE
    return not_found and known is not Role.REFERENCE and (known is not None or others_driven)


def _exists(case: BenchCase, test_point: TestPoint) -> bool:
    if Action(test_point.action) in {Action.BATTERY_V, Action.BATTERY_LAMP}:
        return test_point.cavity is None and test_point.point is None
    if wiring_of(case).role_point_of(test_point) is not None:
        return True
    # Where the card knows no roles the diagnosis looks at one state of a pin; readings may have told since which the signal is.
    return test_point in _plugged_in_points(case)


def _reference_dead(case: BenchCase) -> bool:
    volts = case.at(Action.OPEN_V, Role.REFERENCE)
    return volts is not None and volts < case.limits.absent_v


def _expects_bias(case: BenchCase, cavity: str) -> bool:
    return case.role_of(cavity) is Role.SIGNAL and case.circuit.pull_up is not None


def _lamp_negative_points(case: BenchCase) -> list[TestPoint]:
    """On the reference; and on any other wire that turns out to be driven, to see whether it is a bias."""
    cavities = []
    for pin in case.circuit.pins:
        volts = case.number(Action.OPEN_V, pin.cavity)
        surprising = not _expects_bias(case, pin.cavity) or _reference_dead(case)
        driven = case.is_driven(pin.cavity) and volts is not None and not case.is_battery(volts)
        if case.given_role_of(pin.cavity) is Role.REFERENCE or (driven and surprising):
            cavities.append(pin.cavity)
    return [TestPoint(action, c) for c in cavities for action in (Action.LAMP_NEGATIVE, Action.LAMP_NEGATIVE_V)]


def _lamp_positive_points(case: BenchCase) -> list[TestPoint]:
    """Only on wires read as undriven: never where the pin may be the reference (it would lift the shared rail).

    Planned also for wires whose role is written on the card and that have not been read yet; asked for only after that.
    """
    cavities = []
    for pin in case.circuit.pins:
        unread = case.number(Action.OPEN_V, pin.cavity) is None
        may = _is_safe_from_positive(case, pin.cavity) or (unread and pin.role not in {None, Role.REFERENCE})
        if may and not _expects_bias(case, pin.cavity):
            cavities.append(pin.cavity)
    return [TestPoint(Action.LAMP_POSITIVE, c) for c in cavities]


def _signal_wire_points(case: BenchCase) -> list[TestPoint]:
    signal = case.pin_of(Role.SIGNAL)
    if signal is None:
        return []
    # With a bias an open wire already reads full scale, so only pulling it down proves anything.
    biased = case.circuit.pull_up is not None or case.is_driven(signal.cavity)
    ways = _PULLED_DOWN if biased else _PULLED_UP
    return [TestPoint(action, signal.cavity) for action in ways if _is_shown(case, action)][:1]


def _is_shown(case: BenchCase, action: Action) -> bool:
    """True for what this technician's live data reader shows, and for all that is not read there."""
    shown = ACTIONS[action].shown
    return shown is None or case.circuit.reader.shows(shown)


def _follow_up_points(case: BenchCase) -> list[TestPoint]:
    test_points: list[TestPoint] = []
    reference, signal = case.pin_of(Role.REFERENCE), case.pin_of(Role.SIGNAL)
    if reference is not None:
        open_v = case.at(Action.OPEN_V, Role.REFERENCE)
        if open_v is not None and open_v < case.reference_window().low:
            test_points.append(TestPoint(Action.SHARERS_OFF_V, reference.cavity))
        if _reference_dead(case):
            test_points.append(TestPoint(Action.OFF_OHM, reference.cavity))
    if signal is not None and case.circuit.pull_up is not None:
        open_v = case.at(Action.OPEN_V, Role.SIGNAL)
        if open_v is not None and open_v < DRIVEN_FROM_V:
            test_points.append(TestPoint(Action.OFF_OHM, signal.cavity))
    return test_points


def _plugged_in_points(case: BenchCase) -> list[TestPoint]:
    test_points = []
    for role in (Role.REFERENCE, Role.RETURN):
        pin = case.pin_of(role)
        if pin is not None:
            test_points.append(TestPoint(Action.MATED_V, pin.cavity))
    signal = case.pin_of(Role.SIGNAL)
    for point in case.points():
        if signal is not None:
            test_points.append(TestPoint(Action.MATED_V, signal.cavity, point))
        shown = [action for action in (Action.LIVE_V, Action.LIVE_VALUE) if _is_shown(case, action)]
        test_points += [TestPoint(action, None, point) for action in shown]
    return test_points


def test_at(case: BenchCase, test_point: TestPoint) -> Test:
    """How to ask for one test point."""
    spec = ACTIONS[Action(test_point.action)]
    title, cautions = spec.title, spec.cautions
    if test_point.cavity is not None:
        role = case.role_of(test_point.cavity)
        title = f"{title}: pin {test_point.cavity}" if role is None else f"{title}: {role} ({test_point.cavity})"
        title += f" at {test_point.place}" if test_point.place else ""
    if test_point.point is not None:
        title = f"{title}, {case.circuit.stimuli[test_point.point].label}"
        cautions = (*cautions, *(c for c in ACTIONS[Action.LIVE_V].cautions if c not in cautions))
    return Test(case, test_point, spec, title, cautions)
