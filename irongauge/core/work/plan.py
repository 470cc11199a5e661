"""A plan: every step in time, with what it costs.

Cost, in this order of weight: minutes by which promises are missed, times their weight; minutes until a vehicle that goes home
first is ready; minutes of changes and of cooling; the minute at which the last step ends.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from irongauge.core.work.steps import Step, VehicleWork, Work

__all__ = ["FIRST_COST", "LATE_COST", "SETUP_COST", "Plan", "PlannedStep", "cost_of", "plan_of"]

# A minute late is worth more than any change of place or order.
LATE_COST, FIRST_COST, SETUP_COST = 10_000, 600, 60


@dataclass(frozen=True, kw_only=True)
class PlannedStep:
    """A step in time: what is changed from `start` on, the work itself from `begins`, both by `people`, till `end`."""

    step: Step
    start: int
    begins: int
    end: int
    people: tuple[str, ...]
    waits: int = 0

    @property
    def setup(self) -> int:
        """Minutes of getting ready before it begins."""
        return self.begins - self.start


@dataclass(frozen=True)
class Plan:
    """Every step in time, in the order of their starts. `bound` is what no plan can cost less than, where that is known."""

    steps: tuple[PlannedStep, ...]
    cost: int
    bound: int = 0

    @cached_property
    def _by_key(self) -> Mapping[str, PlannedStep]:
        return {planned.step.key: planned for planned in self.steps}

    def at(self, key: str) -> PlannedStep:
        """A step as it is planned; `KeyError` for one that is not."""
        return self._by_key[key]

    def of_vehicle(self, key: str) -> tuple[PlannedStep, ...]:
        """The steps on one vehicle, in their order."""
        return tuple(planned for planned in self.steps if planned.step.vehicle == key)

    def done_at(self, vehicle: str) -> int:
        """The minute at which a vehicle's last step ends; 0 for one without any."""
        return max((planned.end for planned in self.of_vehicle(vehicle)), default=0)

    def late_min(self, vehicle: VehicleWork) -> int:
        """Minutes by which a promise is missed; 0 where it holds."""
        return 0 if vehicle.promise is None else max(0, self.done_at(vehicle.key) - vehicle.promise)

    @property
    def setup_min(self) -> int:
        """Minutes of getting ready and of waiting in all."""
        return sum(planned.setup + planned.waits for planned in self.steps)

    @property
    def changes(self) -> int:
        """How often something is changed between steps."""
        return sum(planned.setup + planned.waits > 0 for planned in self.steps)


def cost_of(work: Work, steps: Sequence[PlannedStep]) -> int:
    """The cost of a plan; see the head of this file."""
    ends: dict[str, int] = defaultdict(int)
    for planned in steps:
        ends[planned.step.vehicle] = max(ends[planned.step.vehicle], planned.end)
    late = sum(v.weight * max(0, ends[v.key] - v.promise) for v in work.vehicles if v.promise is not None)
    setups = sum(planned.setup + planned.waits for planned in steps)
    first = sum(ends[v.key] for v in work.vehicles if v.goes_first)
    return LATE_COST * late + FIRST_COST * first + SETUP_COST * setups + max(ends.values(), default=0)


def plan_of(work: Work, steps: Sequence[PlannedStep], bound: int = 0) -> Plan:
    """A plan of these steps, in the order of their starts, with its cost."""
    return Plan(tuple(sorted(steps, key=lambda p: (p.start, p.step.key))), cost_of(work, steps), bound)
