"""Which tool a circuit's readings call for beside the next test, and why."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.bench.actions import Action
from irongauge.core.bench.assessment import Assessment, VerdictLevel
from irongauge.core.measure.quantities import Mark, Reading, TestPoint
from irongauge.core.pulses.record import PULSE_FAMILIES
from irongauge.core.sensors.circuits import Role

__all__ = ["Tool", "ToolOffer", "tools_for"]

_VALUES = {Action.LIVE_VALUE, Action.LIVE_RUNNING_VALUE}
_VOLTS = {Action.MATED_V, Action.LIVE_V}
_HERTZ = {Action.FREQUENCY_HZ, Action.LIVE_HZ}


class Tool(StrEnum):
    """What is opened."""

    READ_BACK = "read the entry back"
    OTHER_SENSORS = "other sensors on this reference"
    PRINCIPLE = "which principle is it"
    SPEED = "road speed"


@dataclass(frozen=True)
class ToolOffer:
    """A tool, and the reading that calls for it; `test_point` is asked for on the Bench where that is the tool."""

    tool: Tool
    why: str
    test_point: TestPoint | None = None


def tools_for(assessment: Assessment) -> tuple[ToolOffer, ...]:
    """At most one offer of each tool, those first that the readings are surest about."""
    found = (_entry(assessment), _reference(assessment), _no_pulses(assessment), _speed(assessment))
    return tuple(offer for offer in found if offer is not None)


def _marked(assessment: Assessment, actions: set[Action], role: Role | None = None) -> list[tuple[Mark, Reading]]:
    case = assessment.case
    return [
        (judgement.mark, case.readings[point])
        for point, judgement in assessment.judgements.items()
        if Action(point.action) in actions
        and point in case.readings
        and (role is None or (point.cavity is not None and case.role_of(point.cavity) is role))
    ]


def _entry(assessment: Assessment) -> ToolOffer | None:
    """The volts are right and the value is not: then it is what the controller was told."""
    values = _marked(assessment, _VALUES)
    volts = [mark for mark, _ in _marked(assessment, _VOLTS, Role.SIGNAL)]
    volts += [mark for mark, _ in _marked(assessment, {Action.LIVE_V})]
    if not any(mark is Mark.FAIL for mark, _ in values) or not volts or Mark.FAIL in volts:
        return None
    if not assessment.case.circuit.sensor.channels or _blames_something_else(assessment):
        return None
    return ToolOffer(Tool.READ_BACK, "The volts are right and the value is not: see what the controller was told.")


def _blames_something_else(assessment: Assessment) -> bool:
    """True where another reading fails too, or the fault that was found is none of what the controller was told: that explains
    the value as well.
    """
    found = assessment.diagnosis
    if found is not None and assessment.verdict.level is VerdictLevel.FAULT:
        return "scaling" not in found.leader.fault
    return any(j.mark is Mark.FAIL for p, j in assessment.judgements.items() if Action(p.action) not in _VALUES)


def _reference(assessment: Assessment) -> ToolOffer | None:
    low = [
        reading
        for mark, reading in _marked(assessment, {Action.MATED_V, Action.OPEN_V}, Role.REFERENCE)
        if mark is Mark.FAIL and reading.value is not None and reading.value < assessment.case.circuit.reference_v
    ]
    if not low:
        return None
    asked = next((t.test_point for t in assessment.tests if Action(t.test_point.action) is Action.SHARERS_OFF_V), None)
    return ToolOffer(Tool.OTHER_SENSORS, "The reference is low: another sensor may pull it down.", asked)


def _no_pulses(assessment: Assessment) -> ToolOffer | None:
    if any(reading.value == 0 for _, reading in _marked(assessment, _HERTZ)):
        return ToolOffer(Tool.PRINCIPLE, "No pulses: see what it is, and whether it has its supply and one pull-up.")
    return None


def _speed(assessment: Assessment) -> ToolOffer | None:
    if assessment.case.circuit.family not in PULSE_FAMILIES:
        return None
    counted = _marked(assessment, {Action.COUNTED})
    shown = _marked(assessment, {Action.LIVE_RUNNING_VALUE})
    if any(mark is Mark.FAIL for mark, _ in [*counted, *shown]):
        return ToolOffer(Tool.SPEED, "It counts, but the display is off: find the one figure to type.")
    return None
