"""Why a step stands where it stands, and what would keep a promise that is missed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from irongauge.core.work.plan import Plan, PlannedStep
from irongauge.core.work.solver import Help, HelpKind, WorkModel, solver_of, with_evenings
from irongauge.core.work.steps import VehicleWork, Work
from irongauge.core.work.turns import first_plan

__all__ = ["Help", "HelpKind", "Remedy", "Wait", "WaitKind", "critical", "remedy_for", "waits_of"]


class WaitKind(StrEnum):
    """What a step waits for."""

    STEP = "a step before it"
    VEHICLE = "the work before it on this vehicle"
    COOLING = "the engine to cool"
    PART = "its part"
    PEOPLE = "somebody to be free"
    TOOL = "a tool"
    PLACE = "a place"
    PIN = "the time that was set for it"
    NOTHING = "nothing: it can begin at once"


@dataclass(frozen=True)
class Wait:
    """One thing that a step waits for: of what (a step's key, a tool, a place), until when, and why where that was said."""

    kind: WaitKind
    of: str = ""
    until: int = 0
    why: str = ""


def waits_of(work: Work, plan: Plan, key: str) -> tuple[Wait, ...]:
    """What holds a step where it is: everything that ends just when it begins."""
    planned = plan.at(key)
    step = planned.step
    if step.pinned_at is not None:
        return (Wait(WaitKind.PIN, until=planned.start),)
    found = [
        Wait(WaitKind.STEP, after.key, planned.start, after.why)
        for after in step.after
        if plan.at(after.key).end == planned.start
    ]
    same = [p for p in plan.of_vehicle(step.vehicle) if p.end <= planned.start and p.step.key != key]
    before = max(same, key=lambda p: p.end, default=None)
    if before is not None and before.end + planned.waits == planned.start:
        kind = WaitKind.COOLING if planned.waits else WaitKind.VEHICLE
        if planned.waits or before.step.key not in {wait.of for wait in found}:
            found.append(Wait(kind, before.step.key, planned.start))
    if step.not_before == planned.start and step.not_before:
        found.append(Wait(WaitKind.PART, until=planned.start))
    if not found:
        found += _things_waited_for(work, plan, planned)
    return tuple(found) or (Wait(WaitKind.NOTHING),)


def _things_waited_for(work: Work, plan: Plan, planned: PlannedStep) -> list[Wait]:
    step = planned.step
    ended = [p for p in plan.steps if p.end == planned.start and p.step.key != step.key]
    for tool in sorted(step.tools):
        held = next((p for p in ended if tool in p.step.tools), None)
        if held is not None and tool in work.tools:
            return [Wait(WaitKind.TOOL, tool, planned.start)]
    if step.place and any(p.step.place == step.place for p in ended):
        return [Wait(WaitKind.PLACE, step.place, planned.start)]
    begins = {first for t in work.technicians if t.key in planned.people for first, _ in t.windows}
    if planned.start in begins or any(set(p.people) & set(planned.people) for p in ended):
        return [Wait(WaitKind.PEOPLE, ", ".join(planned.people), planned.start)] if planned.start else []
    return []


def critical(work: Work, plan: Plan, vehicle: str) -> tuple[str, ...]:
    """The keys of the steps that make a vehicle ready when it is: from its last step back along what each waits for."""
    steps = plan.of_vehicle(vehicle)
    if not steps:
        return ()
    at: PlannedStep | None = max(steps, key=lambda p: p.end)
    path: list[str] = []
    while at is not None and at.step.key not in path:
        path.append(at.step.key)
        of_steps = {WaitKind.STEP, WaitKind.VEHICLE, WaitKind.COOLING}
        back = next((w.of for w in waits_of(work, plan, at.step.key) if w.kind in of_steps), None)
        at = None if back is None else plan.at(back)
    return tuple(reversed(path))


@dataclass(frozen=True)
class Remedy:
    """The fewest things that would keep a promise, none worse kept for it.

    `is_possible` is False where it is proved that nothing does, None where the time did not suffice to tell; `is_least` says that
    nothing less would do.
    """

    helps: tuple[Help, ...]
    is_possible: bool | None
    done_at: int
    is_least: bool = False


def remedy_for(work: Work, plan: Plan, vehicle: VehicleWork, deterministic_s: float = 0.2) -> Remedy:
    """What would keep one vehicle's promise: by the solver, which may use one more of each tool and place, two hours more in the
    evenings of anybody, parts at once, or let another promise go. No other promise may be missed by more than now, else.
    """
    from ortools.sat.python import cp_model

    whole = WorkModel(work, helps=True)
    for other in work.vehicles:
        if other.key not in whole.late or other.promise is None:
            continue
        if other.key == vehicle.key:
            whole.model.add(whole.late[other.key] == 0)
            continue
        held = whole.model.add(whole.late[other.key] <= plan.late_min(other))
        held.only_enforce_if(whole.help(HelpKind.PROMISE, other.key).Not())
    whole.model.minimize(sum(_PRICE[help_.kind] * used for help_, used in whole.used.items()))
    by_one = _by_one(work, plan, vehicle, sorted(whole.used, key=lambda one: (_PRICE[one.kind], one.key)))
    if by_one is not None:
        whole.hint(by_one[1])
        for help_, used in whole.used.items():
            whole.model.add_hint(used, help_ == by_one[0])
    solver = solver_of(deterministic_s)
    status = solver.solve(whole.model)
    if status not in {cp_model.OPTIMAL, cp_model.FEASIBLE}:
        is_possible = False if status == cp_model.INFEASIBLE else None
        return Remedy((), is_possible=is_possible, done_at=plan.done_at(vehicle.key))
    used = tuple(sorted(help_ for help_, var in whole.used.items() if solver.value(var)))
    done_at = solver.value(whole.done[vehicle.key])
    return Remedy(used, is_possible=True, done_at=done_at, is_least=status == cp_model.OPTIMAL)


def _by_one(work: Work, plan: Plan, vehicle: VehicleWork, possible: Sequence[Help]) -> tuple[Help, Plan] | None:
    """The first single thing with which a plain plan keeps the promise, and that plan: where the solver begins."""
    for one in possible:
        found = first_plan(_with_help(work, one))
        if found is None or found.late_min(vehicle):
            continue
        others = [v for v in work.vehicles if Help(HelpKind.PROMISE, v.key) != one]
        if all(found.late_min(v) <= plan.late_min(v) for v in others):
            return one, found
    return None


def _with_help(work: Work, one: Help) -> Work:
    match one.kind:
        case HelpKind.TOOL:
            return replace(work, tools={**work.tools, one.key: work.tools[one.key] + 1})
        case HelpKind.PLACE:
            return replace(work, places={**work.places, one.key: work.places[one.key] + 1})
        case HelpKind.PART:
            return replace(work, steps=tuple(replace(s, not_before=0) if s.key == one.key else s for s in work.steps))
        case HelpKind.PROMISE:
            gives_way = tuple(replace(v, promise=None) if v.key == one.key else v for v in work.vehicles)
            return replace(work, vehicles=gives_way)
        case HelpKind.HOURS:
            longer = tuple(
                with_evenings(t, work.horizon, work.start_min) if t.key == one.key else t for t in work.technicians
            )
            return replace(work, technicians=longer)


# Fewest first; of the same number, what troubles nobody else before what does.
_PRICE = {HelpKind.TOOL: 10, HelpKind.PLACE: 10, HelpKind.PART: 11, HelpKind.HOURS: 12, HelpKind.PROMISE: 13}
