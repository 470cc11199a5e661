"""The steps that a vehicle's job still has, as they follow from its records; and the rules that no order breaks.

Minutes are defaults until the shop's own times are known. What the rules ask for is told with each wait, since the maker's
procedure, local codes and licensed practice win over all of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from irongauge.core.measure.quantities import VehicleState
from irongauge.core.plan.kit import KitKind
from irongauge.core.plan.places import LeftBehind
from irongauge.core.sensors.licensed import Licence, PartOf, licence_of
from irongauge.core.work.record import SaidOfStep
from irongauge.core.work.steps import After, Heat, Step, StepKind, WorkState

__all__ = ["CAUTIONS", "CircuitToDo", "VehicleToDo", "circuit_of", "opened_up", "set_before", "steps_of", "with_rules"]

# Minutes of one reading, and of the other things that come by themselves: defaults of the trade.
READING_MIN, CALIBRATION_POINT_MIN, PULSE_MIN, ENTRY_MIN, KIT_MIN = 2, 4, 15, 6, 10
FIT_MIN, CHECK_MIN, POWER_UP_MIN, REPAIR_MIN, HAND_OVER_MIN, ROAD_MIN, KEY_CYCLE_MIN = 30, 5, 5, 25, 15, 30, 1
_STATES = {
    VehicleState.BATTERY_OFF: WorkState.BATTERY_OFF,
    VehicleState.KEY_OFF: WorkState.KEY_OFF,
    VehicleState.KEY_ON: WorkState.KEY_ON,
    VehicleState.IDLE: WorkState.IDLE,
}
CAUTIONS = {
    WorkState.CRANKING: "Keep clear of belts and the fan; out of gear, brake on.",
    WorkState.IDLE: "Exhaust gas outdoors or drawn off; hands, hair and leads clear of belts and fans.",
    WorkState.RAISED: "On stands that are made for it, wheels chocked, nobody beside what turns.",
    WorkState.ROAD: "The driver drives and the passenger reads. Local law applies.",
}
# What a fitting holds back, by its name in the languages of the trade; a pressure of anything but air is held back too.
_FLUID = re.compile(
    r"coolant|radiator|heater|fuel|\brail\b|\boil\b|hydraul|refrigerant|\bgas\b|\blpg\b|\bcng\b|steam|urea|adblue|kühl|kraftstoff|öl(?:druck|temp)|"
    r"kältemittel|refroid|carburant|\bhuile|refrigerante|combustible|aceite|koel|brandstof|\bolie|paliw|olej",
    re.IGNORECASE,
)
_AIR = re.compile(
    r"\b(air|boost|manifold|map|baro\w*|intake|inlet|crank[\s-]?case|vacuum|exhaust|tyre|tire|lade\w*|luft\w*)\b",
    re.IGNORECASE,
)
_COLD = (
    "Only cold and with its pressure let down: hot coolant scalds, fuel burns, oil under pressure goes through skin."
)


@dataclass(frozen=True, kw_only=True)
class CircuitToDo:
    """What is open on a circuit: readings by the state that they need, points of a calibration, and whether it is to be fitted,
    put right or captured; `is_pressure` where it senses one. `entries` are those of a controller that do not fit the sensor, each
    by its key, its name and what to change it to. `overdue` says which instrument of a calibration is overdue, where no other one
    could take its place.
    """

    key: str
    name: str
    readings: tuple[tuple[VehicleState, int], ...] = ()
    calibration_points: int = 0
    tools: frozenset[str] = frozenset()
    to_fit: bool = False
    repair: str = ""
    pulses: bool = False
    entries: tuple[tuple[str, str, str], ...] = ()
    overdue: str = ""
    is_pressure: bool = False
    part_of: PartOf = PartOf.NOT_TOLD

    @property
    def licence(self) -> Licence | None:
        """Whose work it is, where it is left to those who are licensed for it."""
        return licence_of(self.name, self.part_of)

    @property
    def holds_back(self) -> bool:
        """True where something hot, burning or under pressure comes out with the sensor."""
        return bool(_FLUID.search(self.name)) or (self.is_pressure and not _AIR.search(self.name))


@dataclass(frozen=True, kw_only=True)
class VehicleToDo:
    """A vehicle's job: its circuits, the open lines of its kit, each with its kind, what still reads an old input, and how its
    batteries come off.
    """

    key: str
    tag: str
    circuits: tuple[CircuitToDo, ...]
    kit: tuple[tuple[str, KitKind, str], ...] = ()
    left_behind: tuple[LeftBehind, ...] = ()
    road_test: bool = False
    battery_off: str = ""


def steps_of(todo: VehicleToDo) -> tuple[Step, ...]:
    """The steps of a vehicle with their waits, before the rules. Circuits that are left to licensed work have none."""
    steps: list[Step] = []
    parts = [
        _step(todo, f"kit:{key}", f"{'Update: ' if kind is KitKind.UPDATE else 'Fetch '}{text}", minutes=KIT_MIN,
              kind=StepKind.UPDATE if kind is KitKind.UPDATE else StepKind.KIT, state=WorkState.KEY_OFF)
        for key, kind, text in todo.kit
        if kind is not KitKind.SPARE
    ]  # fmt: skip
    steps += parts
    fetched = tuple(After(part.key, "it must be there first") for part in parts)
    for circuit in todo.circuits:
        if circuit.licence is None:
            steps += _of_circuit(todo, circuit, fetched)
    steps += [_pointed_anew(todo, left) for left in todo.left_behind]
    if todo.road_test:
        before = tuple(After(step.key) for step in steps)
        road = _step(
            todo, "road", "Road test", minutes=ROAD_MIN, kind=StepKind.ROAD_TEST, state=WorkState.ROAD, after=before
        )
        steps.append(replace(road, people=2))
    before = tuple(After(step.key) for step in steps)
    steps.append(
        _step(
            todo,
            "hand over",
            "Hand over",
            minutes=HAND_OVER_MIN,
            kind=StepKind.HAND_OVER,
            state=WorkState.KEY_OFF,
            after=before,
        )
    )
    return tuple(steps)


def _pointed_anew(todo: VehicleToDo, left: LeftBehind) -> Step:
    key = f"place:{left.place.uid}"
    step = _step(todo, key, left.title, minutes=ENTRY_MIN, kind=StepKind.ENTRY, state=WorkState.KEY_ON)
    return replace(step, caution=left.change.sentence if left.place.may_switch else "")


def _step(
    todo: VehicleToDo,
    key: str,
    title: str,
    *,
    minutes: int,
    kind: StepKind,
    state: WorkState,
    after: tuple[After, ...] = (),
    tools: frozenset[str] = frozenset(),
) -> Step:
    return Step(
        key=f"{todo.key}/{key}",
        vehicle=todo.key,
        title=title,
        minutes=minutes,
        kind=kind,
        state=state,
        after=after,
        tools=tools,
        caution=todo.battery_off if state is WorkState.BATTERY_OFF else CAUTIONS.get(state, ""),
    )


def _of_circuit(todo: VehicleToDo, circuit: CircuitToDo, fetched: tuple[After, ...]) -> list[Step]:
    found: list[Step] = []
    ready: tuple[After, ...] = ()
    if circuit.to_fit or circuit.repair:
        title = f"Fit and join {circuit.name}" if circuit.to_fit else f"Put right {circuit.name}: {circuit.repair}"
        kind, minutes = (StepKind.INSTALL, FIT_MIN) if circuit.to_fit else (StepKind.JOINT, REPAIR_MIN)
        fit = _step(
            todo, f"fit:{circuit.key}", title, minutes=minutes, kind=kind, state=WorkState.BATTERY_OFF, after=fetched
        )
        takes_out = circuit.to_fit or "sensor" in circuit.repair.casefold()
        if circuit.holds_back:
            said = _COLD if takes_out else f"If the sensor comes out: {_COLD[:1].lower()}{_COLD[1:]}"
            fit = replace(fit, heat=Heat.COLD if takes_out else fit.heat, caution=f"{said} {todo.battery_off}".strip())
        ohms = f"Ohms to ground of {circuit.name}, before its fuse goes in"
        check = _step(
            todo,
            f"check:{circuit.key}",
            ohms,
            minutes=CHECK_MIN,
            kind=StepKind.KEY_OFF_CHECK,
            state=WorkState.BATTERY_OFF,
            after=(After(fit.key),),
        )
        up = _step(todo, f"power:{circuit.key}", f"Power up {circuit.name}: fuse in, watch its current", minutes=POWER_UP_MIN,
                   kind=StepKind.POWER_UP, state=WorkState.KEY_ON,
                   after=(After(check.key, "its ohms to ground come before its fuse"),))  # fmt: skip
        found += [fit, check, up]
        ready = (After(up.key, "it must have been powered up"),)
    for state, count in circuit.readings:
        title = f"Test {circuit.name}: {count} reading{'' if count == 1 else 's'}"
        found.append(
            _step(
                todo,
                f"test:{circuit.key}:{state}",
                title,
                minutes=READING_MIN * count,
                kind=StepKind.TEST,
                state=_STATES[state],
                after=ready,
            )
        )
    tested = tuple(After(step.key, "a calibration of a faulty circuit is worth nothing") for step in found)
    calibrated: tuple[After, ...] = ()
    if circuit.calibration_points:
        minutes = CALIBRATION_POINT_MIN * circuit.calibration_points
        title = f"Calibrate {circuit.name}: {circuit.calibration_points} points"
        step = _step(
            todo,
            f"cal:{circuit.key}",
            title,
            minutes=minutes,
            kind=StepKind.CALIBRATE,
            state=WorkState.KEY_ON,
            after=tested,
            tools=circuit.tools,
        )
        found.append(replace(step, caution=circuit.overdue))
        calibrated = (After(step.key, "its figures come from the calibration"),)
    if circuit.pulses:
        title = f"Capture the pulses of {circuit.name}"
        found.append(
            _step(
                todo,
                f"pulse:{circuit.key}",
                title,
                minutes=PULSE_MIN,
                kind=StepKind.PULSE,
                state=WorkState.RAISED,
                after=ready,
                tools=frozenset({"scope"}),
            )
        )
    for key, name, to in circuit.entries:
        title = f"Change “{name}” to {to} of {circuit.name}, then turn the key off and on"
        found.append(_step(todo, f"entry:{circuit.key}:{key}", title, minutes=ENTRY_MIN + KEY_CYCLE_MIN, kind=StepKind.ENTRY,
                           state=WorkState.KEY_ON, after=(*ready, *calibrated)))  # fmt: skip
    return found


def circuit_of(step: Step) -> str:
    """The key of the circuit that a step that came by itself is on; empty for others."""
    of = step.key.removeprefix(f"{step.vehicle}/").split(":")
    return of[1] if len(of) > 1 and of[0] in {"fit", "check", "power", "test", "cal", "pulse", "entry"} else ""


def opened_up(steps: Sequence[Step], added: Iterable[SaidOfStep]) -> tuple[Step, ...]:
    """The steps with what is opened up for them and closed after them; once off, a cover serves every step behind it."""
    found = list(steps)
    for said in added:
        if not said.back_title:
            continue
        back = said.step_back()
        behind = {s.key for s in found if s.vehicle == back.vehicle and circuit_of(s) in said.behind}
        waits = (*back.after, *(After(key, "it is behind it") for key in sorted(behind)))
        opened = After(said.key, "it must be open")
        found = [replace(s, after=(*s.after, opened)) if s.key in behind else s for s in found]
        found.append(replace(back, after=waits))
    return tuple(found)


def set_before(steps: Sequence[Step], said: Iterable[SaidOfStep]) -> tuple[Step, ...]:
    """The steps with the waits of those before which a person set another."""
    keys = {step.key for step in steps}
    waits: dict[str, list[After]] = {}
    for one in said:
        for key in one.before:
            if one.key in keys:
                waits.setdefault(key, []).append(After(one.key, "it was set before"))
    return tuple(replace(s, after=(*s.after, *waits[s.key])) if s.key in waits else s for s in steps)


_NEEDS_BATTERY_OFF = {StepKind.INSTALL, StepKind.JOINT, StepKind.KEY_OFF_CHECK}
_NEEDS_POWER = set(WorkState) - {WorkState.BATTERY_OFF, WorkState.KEY_OFF}


def with_rules(steps: Sequence[Step]) -> tuple[Step, ...]:
    """The steps with the waits that no order may break.

    Both battery cables stay off until every circuit has passed its checks with the key off; circuits are powered up one by one,
    each seen right before the next; a road comes last but for the hand-over, and that after everything.
    """
    found = []
    for vehicle in dict.fromkeys(step.vehicle for step in steps):
        own = [step for step in steps if step.vehicle == vehicle]
        for step in own:
            waits = [*step.after, *_waits_for_power(step, own), *_waits_for_the_rest(step, own)]
            found.append(replace(step, after=_once(waits)))
    return tuple(found)


def _waits_for_power(step: Step, own: Sequence[Step]) -> list[After]:
    """Battery off till all has passed its checks, then one circuit after the other, then the rest."""
    ups = [s for s in own if s.kind is StepKind.POWER_UP]
    waits: list[After] = []
    if step.state in _NEEDS_POWER:
        off = [s for s in own if s.kind in _NEEDS_BATTERY_OFF and s.state is WorkState.BATTERY_OFF]
        waits += _waits(off, step, "both battery cables stay off until every circuit has passed its checks")
    if step.kind is StepKind.POWER_UP:
        before = ups[: ups.index(step)]
        waits += _waits(before[-1:], step, "one circuit at a time, each seen right before the next")
    elif step.state in _NEEDS_POWER:
        waits += _waits(ups, step, "first every circuit is powered up by itself")
    return waits


def _waits_for_the_rest(step: Step, own: Sequence[Step]) -> list[After]:
    """The hand-over after everything, a road after everything but that."""
    if step.kind is StepKind.HAND_OVER:
        return _waits(own, step, "")
    if step.state is not WorkState.ROAD:
        return []
    last = [s for s in own if s.state is not WorkState.ROAD and s.kind is not StepKind.HAND_OVER]
    return _waits(last, step, "the road comes last")


def _waits(before: Iterable[Step], step: Step, why: str) -> list[After]:
    return [After(other.key, why) for other in before if other.key != step.key]


def _once(waits: Sequence[After]) -> tuple[After, ...]:
    """Each wait once; the reason that was said first stays, unless it had none."""
    found: dict[str, After] = {}
    for wait in waits:
        if wait.key not in found or (wait.why and not found[wait.key].why):
            found[wait.key] = wait
    return tuple(found.values())
