"""A plan at once: each vehicle's steps in an order, given their time one after the other, as early as may be."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Any

from irongauge.core.work.changes import fewest_changes
from irongauge.core.work.plan import Plan, PlannedStep, plan_of
from irongauge.core.work.steps import COOL_MIN, WARM_MIN, Step, Work, change_min

__all__ = ["Turn", "entry_order", "first_plan", "timed"]

_FAR = 1 << 30  # a vehicle that is not promised


class Turn(StrEnum):
    """Whose turn it is where several vehicles could go on."""

    PROMISE = "the vehicle with the least time left to its promise"
    SOONEST = "the step that could begin first"


def timed(work: Work, orders: Mapping[str, Sequence[Step]], turn: Turn | Sequence[str] = Turn.PROMISE) -> Plan | None:
    """Each vehicle's steps in their order, as early as people, tools and places allow; None where the time does not suffice.

    `turn` may also be keys of all steps in the order in which they are given their time.
    """
    queue = _Queue(work, orders)
    for _ in work.steps:
        step = queue.next(turn) if isinstance(turn, Turn) else queue.named(turn[len(queue.planned)])
        found = None if step is None else queue.earliest(step)
        if found is None:
            return None
        queue.take(found)
    return plan_of(work, queue.planned)


class _Queue:
    """What is planned so far, and what may come next."""

    def __init__(self, work: Work, orders: Mapping[str, Sequence[Step]]) -> None:
        self._free = _Free(work)
        self._left = {key: list(steps) for key, steps in orders.items()}
        self._minutes = {key: sum(step.minutes for step in steps) for key, steps in orders.items()}
        self._last = {v.key: (v.state, v.is_hot, 0) for v in work.vehicles}
        self._promise = {v.key: _FAR if v.promise is None else v.promise for v in work.vehicles}
        self._promise |= {v.key: -_FAR for v in work.vehicles if v.goes_first}
        self._done: dict[str, int] = {}
        self.planned: list[PlannedStep] = []

    def ready(self) -> list[Step]:
        heads = [steps[0] for steps in self._left.values() if steps]
        return [step for step in heads if all(after.key in self._done for after in step.after)]

    def named(self, key: str) -> Step | None:
        return next((step for step in self.ready() if step.key == key), None)

    def next(self, turn: Turn) -> Step | None:
        ready = self.ready()
        if turn is Turn.PROMISE:
            return min(ready, key=self._slack, default=None)
        placed = [found for step in ready if (found := self.earliest(step)) is not None]
        first = min(placed, key=lambda found: (found.start, *self._slack(found.step)), default=None)
        return None if first is None else first.step

    def _slack(self, step: Step) -> tuple[int, str]:
        return self._promise[step.vehicle] - self._minutes[step.vehicle], step.vehicle

    def earliest(self, step: Step) -> PlannedStep | None:
        ready = max((self._done[after.key] for after in step.after), default=0)
        return self._free.earliest(step, self._last[step.vehicle], ready)

    def take(self, found: PlannedStep) -> None:
        step = found.step
        self._free.take(found)
        self._left[step.vehicle].pop(0)
        self._minutes[step.vehicle] -= step.minutes
        self._last[step.vehicle] = (step.state, step.leaves_hot(self._last[step.vehicle][1]), found.end)
        self._done[step.key] = found.end
        self.planned.append(found)


class _Free:
    """What is still free: the windows of people, and how much of each tool and place is taken when."""

    def __init__(self, work: Work) -> None:
        self._work = work
        self._people = {t.key: list(t.windows) for t in work.technicians}
        self._taken: dict[str, list[tuple[int, int]]] = defaultdict(list)
        self._on: dict[str, tuple[str, ...]] = {}  # who worked on a vehicle last, and knows it

    def earliest(self, step: Step, last: tuple[Any, bool, int], ready: int) -> PlannedStep | None:
        state, is_hot, free_from = last
        heat = step.leaves_hot(is_hot)
        waits = COOL_MIN if is_hot and not heat else 0
        setup = change_min(state, step.state) + (WARM_MIN if heat and not is_hot else 0)
        size = setup + step.minutes
        least = max(free_from + waits, ready, step.not_before)
        if step.pinned_at is not None:
            least = max(least, step.pinned_at - setup)
        windows = sorted({max(first, least) for spans in self._people.values() for first, _ in spans} | {least})
        busy_ends = sorted({end for spans in self._taken.values() for _, end in spans if end > least})
        pinned = None if step.pinned_at is None else step.pinned_at - setup
        for start in sorted({*windows, *busy_ends}):
            if pinned is not None and start != pinned:
                continue
            people = self._there(step, start, start + size)
            if len(people) >= step.people and self._has_things(step, start, start + size):
                stays = self._on.get(step.vehicle, ())
                order = sorted(people, key=lambda key: (key not in stays, self._tightness(key, start), key))
                chosen = tuple(order[: step.people])
                return PlannedStep(
                    step=step, start=start, begins=start + setup, end=start + size, people=chosen, waits=waits
                )
        return None

    def _tightness(self, key: str, start: int) -> int:
        """How little of a person's window would be left before: whoever has been working goes on."""
        return min(start - a for a, b in self._people[key] if a <= start < b)

    def _there(self, step: Step, start: int, end: int) -> list[str]:
        """Who may do it and is there all the time."""
        return [
            key
            for key, spans in self._people.items()
            if (not step.only or key in step.only) and any(a <= start and end <= b for a, b in spans)
        ]

    def _has_things(self, step: Step, start: int, end: int) -> bool:
        for name, most in self._work.scarce_for(step):
            marks = sorted({start, *(a for a, _ in self._taken[name] if start < a < end)})
            if any(sum(a <= mark < b for a, b in self._taken[name]) >= most for mark in marks):
                return False
        return True

    def take(self, found: PlannedStep) -> None:
        step, start, end = found.step, found.start, found.end
        self._on[step.vehicle] = found.people
        for key in found.people:
            cut = []
            for a, b in self._people[key]:
                if a <= start and end <= b:
                    cut += [(a, start), (end, b)]
                else:
                    cut.append((a, b))
            self._people[key] = [(a, b) for a, b in cut if b > a]
        for name, _ in self._work.scarce_for(step):
            self._taken[name].append((start, end))


def entry_order(work: Work) -> Plan | None:
    """The same steps in the order in which they were entered, as far as they may be: what no plan would cost."""
    orders: dict[str, list[Step]] = {v.key: [] for v in work.vehicles}
    left, done, ranked = list(work.steps), set[str](), list[str]()
    while left:
        step = next((s for s in left if all(a.key in done for a in s.after)), None)
        if step is None:
            return None
        left.remove(step)
        done.add(step.key)
        ranked.append(step.key)
        orders[step.vehicle].append(step)
    return timed(work, orders, ranked)


def first_plan(work: Work) -> Plan | None:
    """A good plan at once: each vehicle in its order of fewest changes, the nearest promise first."""
    orders = {v.key: fewest_changes(v, [s for s in work.steps if s.vehicle == v.key]).steps for v in work.vehicles}
    plans = [plan for turn in Turn if (plan := timed(work, orders, turn)) is not None]
    return min(plans, key=lambda plan: plan.cost, default=None)
