"""Which readings cannot be taken: what was said of one of them, and which others it holds for too."""

from __future__ import annotations

from irongauge.core.bench.actions import ACTIONS, Action, Lead, Probe
from irongauge.core.bench.case import BenchCase
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.unreadable import Hindrance, Unreadable

__all__ = ["hindrance_of", "hindrances_at", "is_named_by"]

# Who lacks a meter's leads for one action may have them for another; who has no lamp has none for any.
_ONE_TOOL = {Probe.LAMP, Probe.SCOPE, Probe.RESISTOR}


def is_named_by(circuit: Circuit, test_point: TestPoint) -> bool:
    """True where the circuit has the cavity and the stimulus that the test point names, and there is such an action."""
    return (
        test_point.action in set(Action)
        and (test_point.cavity is None or test_point.cavity in {pin.cavity for pin in circuit.pins})
        and (test_point.point is None or test_point.point in range(len(circuit.stimuli)))
    )


def hindrance_of(case: BenchCase, test_point: TestPoint) -> Hindrance | None:
    """Why a test point cannot be read here; None for one that can, or that was read all the same."""
    if test_point in case.readings:
        return None
    if ACTIONS[Action(test_point.action)].probe in case.lacking:
        return Hindrance.SHOP_HAS_NONE
    said = next((one.hindrance for one in case.circuit.unreadable if _holds_for(one, test_point)), None)
    if said is None and ACTIONS[Action(test_point.action)].lead is Lead.BATTERY_POSITIVE:
        # Battery positive may touch a pin only once its volts are read.
        return hindrance_of(case, TestPoint(Action.OPEN_V, test_point.cavity))
    return said


def _holds_for(one: Unreadable, test_point: TestPoint) -> bool:
    said, asked = ACTIONS[Action(one.test_point.action)], ACTIONS[Action(test_point.action)]
    match one.hindrance:
        case Hindrance.NO_TOOL | Hindrance.SHOP_HAS_NONE:
            no_reader = said.probe is Probe.SCREEN and asked.from_live_data
            return said.action is asked.action or no_reader or (said.probe is asked.probe and said.probe in _ONE_TOOL)
        case Hindrance.NO_PROBE:
            return one.test_point.cavity == test_point.cavity and said.plugged_in is asked.plugged_in
        case Hindrance.NO_STIMULUS:
            return one.test_point.point == test_point.point
        case Hindrance.OTHER:
            return one.test_point == test_point


def hindrances_at(test_point: TestPoint) -> tuple[Hindrance, ...]:
    """What somebody may say is in the way of a test point, the likeliest first."""
    found = [Hindrance.NO_TOOL]
    if test_point.cavity is not None:
        found.append(Hindrance.NO_PROBE)
    if test_point.point is not None:
        found.append(Hindrance.NO_STIMULUS)
    return (*found, Hindrance.OTHER)
