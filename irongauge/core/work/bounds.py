"""What no plan can cost less than, and before when no plan can end."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise

from irongauge.core.work.changes import all_before, fewest_changes, least_worked_min
from irongauge.core.work.plan import FIRST_COST, LATE_COST, SETUP_COST
from irongauge.core.work.steps import Step, VehicleWork, Work

__all__ = ["least_cost", "least_last"]


def least_cost(work: Work) -> int:
    """What no plan can cost less than: the fewest changes of each vehicle, what its promise is missed by however it goes, the
    earliest end of one that goes home first, and the earliest end of all, which the solver is told too.
    """
    changes = first = late = 0
    for vehicle in work.vehicles:
        steps = [s for s in work.steps if s.vehicle == vehicle.key]
        fewest = fewest_changes(vehicle, steps)
        changes += fewest.minutes if fewest.is_proved else 0
        end = _least_end(work, vehicle, steps) if steps else 0
        first += end if vehicle.goes_first else 0
        late += vehicle.weight * max(0, end - (end if vehicle.promise is None else vehicle.promise))
    return LATE_COST * late + FIRST_COST * first + SETUP_COST * changes + least_last(work)


def _least_end(work: Work, vehicle: VehicleWork, steps: Sequence[Step]) -> int:
    """A minute before which a vehicle cannot be ready: its work and its fewest changes, whenever anybody works, and its parts."""
    spans = _union([span for t in work.technicians for span in t.windows])
    before = all_before(steps)
    there = 0
    for part in {step.not_before for step in steps if step.not_before}:
        late = {step.key for step in steps if step.not_before >= part}
        minutes = sum(step.minutes for step in steps if step.key in late or before[step.key] & late)
        there = max(there, _worked_off(minutes, [(max(a, part), b) for a, b in spans if b > part], 1))
    worked = _worked_off(sum(s.minutes for s in steps) + least_worked_min(vehicle, steps), spans, 1)
    return max(there, worked)


def least_last(work: Work) -> int:
    """A minute before which the last step cannot end: by the work of each vehicle, each tool and all people together."""
    open_spans = _union([span for t in work.technicians for span in t.windows])
    least = max((step.not_before + step.minutes for step in work.steps), default=0)
    for vehicle in work.vehicles:
        own = [s for s in work.steps if s.vehicle == vehicle.key]
        least = max(least, _least_end(work, vehicle, own) if own else 0)
    things: dict[str, int] = defaultdict(int)
    most: dict[str, int] = {}
    for step in work.steps:
        for name, count in work.scarce_for(step):
            things[name] += step.minutes
            most[name] = count
    for name, minutes in things.items():
        least = max(least, _worked_off(minutes, open_spans, most[name]))
    every = sorted(span for t in work.technicians for span in t.windows)
    return max(least, _worked_by_all(sum(s.minutes * s.people for s in work.steps), every))


def _union(spans: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for first, last in sorted(spans):
        if found and first <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], last))
        else:
            found.append((first, last))
    return found


def _worked_off(minutes: int, spans: Sequence[tuple[int, int]], at_once: int) -> int:
    """When so many minutes are worked off where somebody works, so many at once."""
    left = -(-minutes // at_once)
    for first, last in spans:
        if left <= last - first:
            return first + left if left else 0
        left -= last - first
    return spans[-1][1] if spans else 0


def _worked_by_all(minutes: int, windows: Sequence[tuple[int, int]]) -> int:
    """When so many minutes are worked off by everybody together."""
    marks = sorted({edge for span in windows for edge in span})
    left = minutes
    for first, last in pairwise(marks):
        people = sum(a <= first and last <= b for a, b in windows)
        if people and left <= people * (last - first):
            return first + -(-left // people)
        left -= people * (last - first)
    return marks[-1] if marks else 0
