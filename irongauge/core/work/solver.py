"""Who does which step when: by CP-SAT of OR-Tools, from a plain plan on to better ones.

A vehicle is worked on by one step at a time. Its steps stand in an order, a round trip through all of them from how it stands
now (`AddCircuit`), and what the change from one to the next takes belongs to the later step: whoever does it makes the change.
An engine that has to cool keeps the vehicle waiting and nobody busy. Technicians have windows, tools and places a number.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from irongauge.core.work.bounds import least_cost, least_last
from irongauge.core.work.changes import all_before, fewest_changes
from irongauge.core.work.plan import FIRST_COST, LATE_COST, SETUP_COST, Plan, PlannedStep, plan_of
from irongauge.core.work.steps import COOL_MIN, WARM_MIN, Heat, Step, Technician, VehicleWork, Work, change_min

if TYPE_CHECKING:
    from ortools.sat.python import cp_model

__all__ = ["Help", "HelpKind", "WorkModel", "improve", "solver_of", "with_evenings"]

_DAY_MIN = 24 * 60  # minutes
_ROUNDING = 1e-6  # of the solver's bound, which is a float


class _Order:
    """A vehicle's steps as a round trip from how it stands: `arcs` from place i to place j, 0 for the start."""

    def __init__(self, model: cp_model.CpModel, vehicle: VehicleWork, steps: Sequence[Step]) -> None:
        self.arcs: dict[tuple[int, int], Any] = {}
        longest = 40 + WARM_MIN
        self.setups = [model.new_int_var(0, longest, "") for _ in steps]
        self.waits = [model.new_int_var(0, COOL_MIN, "") for _ in steps]
        self._steps, self._is_hot = steps, vehicle.is_hot
        hot = self._hot = [int(vehicle.is_hot), *(_heat_var(model, step) for step in steps)]
        before = all_before(steps)
        states = [vehicle.state, *(step.state for step in steps)]
        for i in range(len(steps) + 1):
            for j in range(len(steps) + 1):
                if i == j or (i and j and steps[j - 1].key in before[steps[i - 1].key]):
                    continue
                arc = self.arcs[i, j] = model.new_bool_var("")
                if j == 0:
                    continue
                change = change_min(states[i], states[j])
                setup, wait = self.setups[j - 1], self.waits[j - 1]
                if steps[j - 1].heat is Heat.ANY:  # a step that does not mind leaves the engine as it is
                    model.add(hot[j] == hot[i]).only_enforce_if(arc)
                    model.add(setup == change).only_enforce_if(arc)
                    model.add(wait == 0).only_enforce_if(arc)
                elif steps[j - 1].heat is Heat.HOT:
                    model.add(setup == change + WARM_MIN * (1 - hot[i])).only_enforce_if(arc)
                    model.add(wait == 0).only_enforce_if(arc)
                else:
                    model.add(setup == change).only_enforce_if(arc)
                    model.add(wait == COOL_MIN * hot[i]).only_enforce_if(arc)
        model.add_circuit([(i, j, arc) for (i, j), arc in self.arcs.items()])

    def hint(self, model: cp_model.CpModel, order: Sequence[Step]) -> None:
        """Begin the search from this order."""
        place = {step.key: n for n, step in enumerate(self._steps, start=1)}
        trip = [0, *(place[step.key] for step in order), 0]
        taken = set(pairwise(trip))
        for pair, arc in self.arcs.items():
            model.add_hint(arc, pair in taken)
        is_hot = self._is_hot
        for step in order:
            is_hot = step.leaves_hot(is_hot)
            if step.heat is Heat.ANY:
                model.add_hint(self._hot[place[step.key]], is_hot)


def _heat_var(model: cp_model.CpModel, step: Step) -> Any:  # noqa: ANN401  a variable or a constant
    return model.new_bool_var("") if step.heat is Heat.ANY else int(step.heat is Heat.HOT)


def solver_of(deterministic_s: float) -> cp_model.CpSolver:
    """One that gives the same answer to the same question, on any machine: its time is counted in its own steps."""
    from ortools.sat.python import cp_model

    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = deterministic_s
    return solver


# The whole


class HelpKind(StrEnum):
    """What would make more possible."""

    TOOL = "one more of a tool"
    PLACE = "one more place"
    HOURS = "two hours more in the evening"
    PART = "its part at once"
    PROMISE = "another vehicle's promise gives way"


@dataclass(frozen=True, order=True)
class Help:
    """One thing that would help: of which tool, place, person, step or vehicle."""

    kind: HelpKind
    key: str


_MORE_MIN = 120  # two hours more in the evening


class WorkModel:
    """The whole work as one model. With `helps` each thing that would help is a choice of the solver (`used`)."""

    def __init__(self, work: Work, *, helps: bool = False) -> None:
        from ortools.sat.python import cp_model

        self.work = work
        self.model = cp_model.CpModel()
        horizon = work.horizon
        new = self.model.new_int_var
        self.starts = {s.key: new(0, horizon, "") for s in work.steps}
        self.ends = {s.key: new(0, horizon, "") for s in work.steps}
        self.setups: dict[str, Any] = {}
        self.waits: dict[str, Any] = {}
        self.does: dict[tuple[str, str], Any] = {}
        self.late: dict[str, Any] = {}
        self.done: dict[str, Any] = {}
        self.used: dict[Help, Any] = {}
        self._helps = helps
        self._orders: dict[str, _Order] = {}
        self._sizes: dict[str, Any] = {}
        self._sized: dict[str, list[Any]] = defaultdict(list)
        for vehicle in work.vehicles:
            self._vehicle(vehicle, [s for s in work.steps if s.vehicle == vehicle.key])
        for step in work.steps:
            self._step(step)
        self._people()
        self.last = new(0 if helps else least_last(work), horizon, "")
        for end in self.ends.values():
            self.model.add(self.last >= end)

    def _vehicle(self, vehicle: VehicleWork, steps: Sequence[Step]) -> None:
        if not steps:
            return
        order = self._orders[vehicle.key] = _Order(self.model, vehicle, steps)
        for step, setup, wait in zip(steps, order.setups, order.waits, strict=True):
            self.setups[step.key], self.waits[step.key] = setup, wait
        fewest = fewest_changes(vehicle, steps)
        if fewest.is_proved:
            self.model.add(sum(order.setups) + sum(order.waits) >= fewest.minutes)
        for (i, j), arc in order.arcs.items():
            if i > 0 and j > 0:
                before, after = steps[i - 1].key, steps[j - 1].key
                self.model.add(self.starts[after] >= self.ends[before] + self.waits[after]).only_enforce_if(arc)
            elif j > 0:
                self.model.add(self.starts[steps[j - 1].key] >= self.waits[steps[j - 1].key]).only_enforce_if(arc)
        self.done[vehicle.key] = self.model.new_int_var(0, self.work.horizon, "")
        for step in steps:
            self.model.add(self.done[vehicle.key] >= self.ends[step.key])
        if vehicle.promise is not None:
            self.late[vehicle.key] = self.model.new_int_var(0, self.work.horizon + max(0, -vehicle.promise), "")
            self.model.add(self.late[vehicle.key] >= self.done[vehicle.key] - vehicle.promise)

    def _step(self, step: Step) -> None:
        start, end, setup = self.starts[step.key], self.ends[step.key], self.setups[step.key]
        size = self.model.new_int_var(step.minutes, step.minutes + 40 + WARM_MIN, "")
        self.model.add(size == setup + step.minutes)
        self.model.add(end == start + size)
        for after in step.after:
            self.model.add(start >= self.ends[after.key])
        if step.not_before:
            at_hand = self.model.add(start >= step.not_before)
            if self._helps:
                at_hand.only_enforce_if(self.help(HelpKind.PART, step.key).Not())
        if step.pinned_at is not None:
            self.model.add(start + setup == step.pinned_at)
        interval = self.model.new_interval_var(start, size, end, "")
        for name, _ in self.work.scarce_for(step):
            self._sized[name].append(interval)
        may = [t for t in self.work.technicians if t.windows and (not step.only or t.key in step.only)]
        for t in may:
            self.does[step.key, t.key] = self.model.new_bool_var("")
        self.model.add(sum(self.does[step.key, t.key] for t in may) == step.people)
        self._sizes[step.key] = size

    def help(self, kind: HelpKind, key: str) -> Any:  # noqa: ANN401  a variable
        """The variable that says whether a help is used; made when first asked for."""
        return self.used.setdefault(Help(kind, key), self.model.new_bool_var(""))

    def _people(self) -> None:
        for t in self.work.technicians:
            busy = [
                self.model.new_optional_interval_var(
                    self.starts[key], self._sizes[key], self.ends[key], self.does[key, who], ""
                )
                for key, who in self.does
                if who == t.key
            ]
            self.model.add_no_overlap([*busy, *self._off(t)])
        for name, intervals in self._sized.items():
            kind, _, thing = name.partition(" ")
            most = (self.work.tools if kind == "tool" else self.work.places)[thing]
            if self._helps:
                more = self.help(HelpKind.TOOL if kind == "tool" else HelpKind.PLACE, thing)
                self.model.add_cumulative(intervals, [1] * len(intervals), most + more)
            elif most == 1:
                self.model.add_no_overlap(intervals)
            else:
                self.model.add_cumulative(intervals, [1] * len(intervals), most)

    def _off(self, technician: Technician) -> list[Any]:
        """The stretches in which a technician does not work; the first two hours of an evening may be worked where that helps."""
        found = []
        for first, last, is_evening in _off_spans(technician, self.work.horizon, self.work.start_min):
            cut = first + _MORE_MIN if self._helps and is_evening and last - first > _MORE_MIN else first
            if cut > first:
                stays = self.help(HelpKind.HOURS, technician.key).Not()
                found.append(self.model.new_optional_fixed_size_interval_var(first, _MORE_MIN, stays, ""))
            found.append(self.model.new_fixed_size_interval_var(cut, last - cut, ""))
        return found

    def cost(self) -> Any:  # noqa: ANN401  a linear expression
        """What a plan costs: lateness by weight, changes, waiting, and what comes first being late."""
        weights = {v.key: v.weight for v in self.work.vehicles}
        late = sum(LATE_COST * weights[key] * var for key, var in self.late.items())
        changes = sum(self.setups.values()) + sum(self.waits.values())
        first = sum(FIRST_COST * self.done[v.key] for v in self.work.vehicles if v.goes_first and v.key in self.done)
        return late + first + SETUP_COST * changes + self.last

    def hint(self, plan: Plan) -> None:
        """Begin the search from a plan."""
        for planned in plan.steps:
            key = planned.step.key
            self.model.add_hint(self.starts[key], planned.start)
            self.model.add_hint(self.ends[key], planned.end)
            self.model.add_hint(self.setups[key], planned.setup)
            self.model.add_hint(self.waits[key], planned.waits)
            self.model.add_hint(self._sizes[key], planned.end - planned.start)
            for t in self.work.technicians:
                if (key, t.key) in self.does:
                    self.model.add_hint(self.does[key, t.key], t.key in planned.people)
        self.model.add_hint(self.last, max(planned.end for planned in plan.steps))
        for vehicle in self.work.vehicles:
            if vehicle.key in self._orders:
                self._orders[vehicle.key].hint(self.model, [planned.step for planned in plan.of_vehicle(vehicle.key)])
                self.model.add_hint(self.done[vehicle.key], plan.done_at(vehicle.key))
            if vehicle.key in self.late:
                self.model.add_hint(self.late[vehicle.key], plan.late_min(vehicle))

    def plan(self, value: Callable[[Any], int], bound: float) -> Plan:
        """The plan that the solver's values mean, with how far a better one could be away."""
        steps = []
        for step in self.work.steps:
            start, setup = value(self.starts[step.key]), value(self.setups[step.key])
            people = tuple(
                t.key
                for t in self.work.technicians
                if (step.key, t.key) in self.does and value(self.does[step.key, t.key])
            )
            steps.append(
                PlannedStep(
                    step=step,
                    start=start,
                    begins=start + setup,
                    end=start + setup + step.minutes,
                    people=people,
                    waits=value(self.waits[step.key]),
                )
            )
        return plan_of(self.work, steps, max(least_cost(self.work), math.ceil(bound - _ROUNDING)))


def _off_spans(technician: Technician, horizon: int, start_min: int) -> list[tuple[int, int, bool]]:
    """The stretches in which a technician does not work, up to the end of the time that is planned; True for an evening, which
    ends on another day than it begins.
    """
    found, at = [], 0
    for first, last in technician.windows:
        if first > at:
            is_night = (first + start_min) // _DAY_MIN > (at - 1 + start_min) // _DAY_MIN
            found.append((at, first, at > 0 and is_night))
        at = last
    return found if at >= horizon else [*found, (at, horizon, at > 0)]


def with_evenings(technician: Technician, horizon: int, start_min: int) -> Technician:
    """A technician who works up to two hours more in every evening."""
    spans = _off_spans(technician, horizon, start_min)
    evenings = {first: min(first + _MORE_MIN, last) for first, last, is_evening in spans if is_evening}
    return replace(technician, windows=tuple((first, evenings.get(last, last)) for first, last in technician.windows))


def improve(
    work: Work,
    plan: Plan | None,
    deterministic_s: float = 8.0,
    better: Callable[[Plan], bool] | None = None,
) -> Plan | None:
    """A better plan than the one given, or that one with the bound of what any costs; None where there is none.

    `better` is told each one that is found, and gives back False to stop.
    """
    from ortools.sat.python import cp_model

    whole = WorkModel(work)
    if plan is not None:
        whole.hint(plan)
    whole.model.minimize(whole.cost())

    class Told(cp_model.CpSolverSolutionCallback):
        def on_solution_callback(self) -> None:
            found = whole.plan(self.value, self.best_objective_bound)
            if better is not None and (plan is None or found.cost < plan.cost) and not better(found):
                self.stop_search()

    solver = solver_of(deterministic_s)
    status = solver.solve(whole.model, Told())
    if status not in {cp_model.OPTIMAL, cp_model.FEASIBLE}:
        return None if plan is None else Plan(plan.steps, plan.cost, least_cost(work))
    found = whole.plan(solver.value, solver.best_objective_bound)
    if plan is not None and plan.cost < found.cost:
        return Plan(plan.steps, plan.cost, found.bound)
    return found
