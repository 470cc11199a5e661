"""What is to be done, as steps: what each needs, what must come before it, and what it costs to change from one to the next.

Times are whole minutes from a start that the caller chooses. A step may need a state of the vehicle, a cold or a hot engine, one
or two people, a place and tools. What takes the vehicle from one state to another is not a step: it follows from the order.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from graphlib import CycleError, TopologicalSorter

__all__ = [
    "COOL_MIN",
    "WARM_MIN",
    "After",
    "Heat",
    "Step",
    "StepKind",
    "Technician",
    "VehicleWork",
    "Work",
    "WorkState",
    "change_min",
    "problems_of",
]


class WorkState(StrEnum):
    """What a vehicle is in for a step, from the safest on."""

    BATTERY_OFF = "battery off"
    KEY_OFF = "key off"
    KEY_ON = "key on"
    CRANKING = "cranking"
    IDLE = "idle"
    RAISED = "loaded or wheels raised"
    ROAD = "road"


class Heat(StrEnum):
    """How the engine has to be."""

    ANY = "any"
    COLD = "cold"
    HOT = "hot"


class StepKind(StrEnum):
    """What a step comes from."""

    INSTALL = "fit"
    JOINT = "join"
    OPEN_UP = "open up"
    CLOSE_UP = "close up"
    UPDATE = "update a module"
    KEY_OFF_CHECK = "check with the key off"
    POWER_UP = "power up"
    TEST = "test"
    CALIBRATE = "calibrate"
    PULSE = "check pulses"
    ENTRY = "change a figure"
    KIT = "fetch"
    ROAD_TEST = "road test"
    HAND_OVER = "hand over"
    OTHER = "other"


# Minutes to leave a state and to enter one: battery clamps with what is noted before, wheels on stands, belts and papers.
_LEAVE_MIN = {WorkState.BATTERY_OFF: 4, WorkState.RAISED: 6, WorkState.ROAD: 2}
_ENTER_MIN = {
    WorkState.BATTERY_OFF: 4,
    WorkState.KEY_OFF: 1,
    WorkState.KEY_ON: 1,
    WorkState.CRANKING: 1,
    WorkState.IDLE: 1,
    WorkState.RAISED: 6,
    WorkState.ROAD: 4,
}
WARM_MIN, COOL_MIN = 20, 90  # defaults: an engine at idle to hot; and until a fitting on hot coolant may be opened


def change_min(before: WorkState, after: WorkState) -> int:
    """Minutes from one state into another; nothing where they are the same.

    >>> change_min(WorkState.BATTERY_OFF, WorkState.KEY_ON)
    5
    """
    return 0 if before is after else _LEAVE_MIN.get(before, 0) + _ENTER_MIN[after]


@dataclass(frozen=True)
class After:
    """A step that must be done before, by its key, and why."""

    key: str
    why: str = ""


@dataclass(frozen=True, kw_only=True)
class Step:
    """One step. `only` names the technicians who may do it, empty for all; `pinned_at` is when its work begins where somebody
    has fixed it. `not_before` is when its part comes. A `caution` is confirmed before it is begun.
    """

    key: str
    vehicle: str
    title: str
    minutes: int
    kind: StepKind = StepKind.OTHER
    state: WorkState = WorkState.KEY_OFF
    heat: Heat = Heat.ANY
    people: int = 1
    place: str = ""
    tools: frozenset[str] = frozenset()
    after: tuple[After, ...] = ()
    not_before: int = 0
    only: frozenset[str] = frozenset()
    pinned_at: int | None = None
    caution: str = ""

    def __post_init__(self) -> None:
        if self.minutes < 1 or not 1 <= self.people <= 2:  # noqa: PLR2004  a road test needs two, nothing needs more
            msg = f"{self.title}: a step takes a minute or more and one or two people"
            raise ValueError(msg)

    def leaves_hot(self, is_hot: bool) -> bool:  # noqa: FBT001
        """How the engine is after it; one that does not mind leaves it as it is."""
        return is_hot if self.heat is Heat.ANY else self.heat is Heat.HOT


@dataclass(frozen=True, kw_only=True)
class VehicleWork:
    """A vehicle: when it is promised (None: not), how much that promise weighs, and how it stands now. One that goes home
    first is ready as soon as it can be, whatever that changes; only promises weigh more.
    """

    key: str
    promise: int | None = None
    weight: int = 1
    state: WorkState = WorkState.KEY_OFF
    is_hot: bool = False
    goes_first: bool = False


@dataclass(frozen=True)
class Technician:
    """Who works when: windows of (first, last) minute, in order, not overlapping."""

    key: str
    windows: tuple[tuple[int, int], ...]


@dataclass(frozen=True, kw_only=True)
class Work:
    """All that is to be planned. `tools` and `places` say how many of each there are; what is not named there is no limit.

    `start_min` is the minute of the day at which minute 0 lies, so that a night is a night.
    """

    steps: tuple[Step, ...]
    vehicles: tuple[VehicleWork, ...]
    technicians: tuple[Technician, ...]
    tools: Mapping[str, int] = field(default_factory=dict)
    places: Mapping[str, int] = field(default_factory=dict)
    start_min: int = 0

    def step(self, key: str) -> Step:
        """A step by its key; `StopIteration` for one that is not there."""
        return next(step for step in self.steps if step.key == key)

    def scarce_for(self, step: Step) -> list[tuple[str, int]]:
        """Tools and the place that a step needs and of which there are only so many, with how many."""
        found = [(f"tool {name}", self.tools[name]) for name in sorted(step.tools) if name in self.tools]
        if step.place in self.places:
            found.append((f"place {step.place}", self.places[step.place]))
        return found

    @property
    def horizon(self) -> int:
        """The last minute at which anybody works."""
        return max((last for t in self.technicians for _, last in t.windows), default=0)


def problems_of(work: Work) -> tuple[str, ...]:
    """Everything for which there can be no plan: a circle of steps, a step that nobody can do, tools that are not there."""
    keys = {step.key for step in work.steps}
    found = [
        f"{step.title} waits for a step that is not there."
        for step in work.steps
        if any(after.key not in keys for after in step.after)
    ]
    circle = _circle(work.steps)
    if circle:
        names = " → ".join(work.step(key).title for key in (*circle, circle[0]))
        found.append(f"These steps wait for each other in a circle: {names}. Take one of the waits out.")
    working = [t for t in work.technicians if t.windows]
    if work.steps and not working:
        found.append("Nobody has hours in this time. Give one technician hours, or plan a longer time.")
    for step in work.steps if working else ():
        found += _undoable(work, step, working)
    return tuple(found)


def _undoable(work: Work, step: Step, working: Sequence[Technician]) -> list[str]:
    may = [t for t in working if not step.only or t.key in step.only]
    longest = max((last - first for t in may for first, last in t.windows), default=0)
    found = []
    if len(may) < step.people:
        found.append(f"{step.title} needs {step.people} people, and {len(may)} with hours may do it.")
    elif step.minutes > longest:
        found.append(
            f"{step.title} takes {step.minutes} min, and the longest stretch of work is {longest} min: part it."
        )
    found += [
        f"{step.title} needs the {tool}, and none is fit to use."
        for tool in sorted(step.tools)
        if work.tools.get(tool, 1) < 1
    ]
    if step.place and work.places.get(step.place, 1) < 1:
        found.append(f"{step.title} needs the {step.place}, and there is none.")
    return found


def _circle(steps: Sequence[Step]) -> list[str]:
    """The members of a circle of steps, in their order; empty where there is none."""
    waits = TopologicalSorter({step.key: [after.key for after in step.after] for step in steps})
    try:
        waits.prepare()
    except CycleError as error:
        return list(error.args[1][:-1])  # its first member stands at its end again
    return []
