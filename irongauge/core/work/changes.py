"""One vehicle's steps in the order whose changes of state take least.

A change depends on the state and the heat before and after alone, so whatever can be done as the vehicle stands is done at once:
it costs nothing and can only open more (it is never worse to have it behind one). What is left to choose is which change comes
next: uniform-cost search (Dijkstra 1959) over what is done and how the vehicle stands, which is proved least when it ends.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import count

from irongauge.core.work.steps import COOL_MIN, WARM_MIN, Step, VehicleWork, WorkState, change_min

__all__ = ["FewestChanges", "all_before", "fewest_changes", "least_worked_min"]

# More than a list that can be proved ever needs: beyond it the best so far is finished by the cheapest next change.
_MOST_LOOKED_AT = 2000


@dataclass(frozen=True)
class FewestChanges:
    """An order, the minutes of its changes and of waiting for the engine to cool, and whether none takes less."""

    steps: tuple[Step, ...]
    minutes: int
    is_proved: bool


def all_before(steps: Sequence[Step]) -> dict[str, set[str]]:
    """For each step all that must come before it, also by way of others."""
    direct = {step.key: {after.key for after in step.after} for step in steps}
    found: dict[str, set[str]] = {}

    def of(key: str) -> set[str]:
        if key not in found:
            found[key] = set()
            for one in direct.get(key, ()):
                found[key] |= {one} | of(one)
        return found[key]

    return {key: of(key) for key in direct}


@dataclass(frozen=True)
class _Stand:
    """What is done, as bits, and how the vehicle stands."""

    done: int
    state: WorkState
    is_hot: bool


class _Search:
    def __init__(self, steps: Sequence[Step], cool_min: int) -> None:
        self.steps, self.cool_min = steps, cool_min
        bit = {step.key: 1 << place for place, step in enumerate(steps)}
        self.needs = [sum({bit[a.key] for a in step.after if a.key in bit}) for step in steps]
        self.all = (1 << len(steps)) - 1

    def open(self, done: int) -> list[int]:
        return [
            place
            for place in range(len(self.steps))
            if not done >> place & 1 and self.needs[place] & done == self.needs[place]
        ]

    def free_work(self, stand: _Stand) -> tuple[_Stand, tuple[int, ...]]:
        """Everything that can be done as it stands, one after the other."""
        done, order = stand.done, list[int]()
        while True:
            free = [p for p in self.open(done) if self._costs_nothing(p, stand)]
            if not free:
                return _Stand(done, stand.state, stand.is_hot), tuple(order)
            for place in free:
                done |= 1 << place
                order.append(place)

    def _costs_nothing(self, place: int, stand: _Stand) -> bool:
        step = self.steps[place]
        return step.state is stand.state and step.leaves_hot(stand.is_hot) == stand.is_hot

    def changes(self, stand: _Stand) -> dict[tuple[WorkState, bool], int]:
        """Ways to stand in which something more can be done, each with its minutes."""
        found = {}
        for place in self.open(stand.done):
            step = self.steps[place]
            is_hot = step.leaves_hot(stand.is_hot)
            warm = WARM_MIN if is_hot and not stand.is_hot else self.cool_min if stand.is_hot and not is_hot else 0
            found[step.state, is_hot] = change_min(stand.state, step.state) + warm
        return found


def fewest_changes(vehicle: VehicleWork, steps: Sequence[Step]) -> FewestChanges:
    """The order; steps that can be done together stay as they were entered. `steps` hold no circle."""
    return _fewest(_Stand(0, vehicle.state, vehicle.is_hot), tuple(steps), COOL_MIN)


def least_worked_min(vehicle: VehicleWork, steps: Sequence[Step]) -> int:
    """Minutes of changes that somebody works at in whatever order, since it may cool while nobody does; 0 where not proved."""
    found = _fewest(_Stand(0, vehicle.state, vehicle.is_hot), tuple(steps), 0)
    return found.minutes if found.is_proved else 0


@lru_cache(maxsize=256)
def _fewest(stands: _Stand, steps: tuple[Step, ...], cool_min: int) -> FewestChanges:
    """Kept, since a plan, its bounds and the solver's model all ask for it."""
    search, tie = _Search(steps, cool_min), count()
    first, order = search.free_work(stands)
    heap = [(0, next(tie), first, order)]
    seen: set[_Stand] = set()
    is_proved = True
    while heap:
        minutes, _, stand, order = heapq.heappop(heap)
        if stand.done == search.all:
            return FewestChanges(tuple(steps[place] for place in order), minutes, is_proved)
        if stand in seen:
            continue
        seen.add(stand)
        if len(seen) > _MOST_LOOKED_AT:
            is_proved, heap = False, []
        for (state, is_hot), more in search.changes(stand).items():
            then, did = search.free_work(_Stand(stand.done, state, is_hot))
            heapq.heappush(heap, (minutes + more, next(tie), then, order + did))
    return FewestChanges(steps, 0, is_proved=False)
