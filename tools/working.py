"""Measures of the order of the work: against every order of short lists, a full week of a shop, and what a plan saves."""

from __future__ import annotations

import random
import statistics
import time
from dataclasses import dataclass, replace
from itertools import permutations

from irongauge.core.work.bounds import least_cost
from irongauge.core.work.plan import FIRST_COST, LATE_COST, SETUP_COST, Plan
from irongauge.core.work.solver import improve
from irongauge.core.work.steps import (
    COOL_MIN,
    WARM_MIN,
    After,
    Heat,
    Step,
    Technician,
    VehicleWork,
    Work,
    WorkState,
    change_min,
)
from irongauge.core.work.turns import entry_order, first_plan
from tools.figures import Figure

__all__ = ["broken_rules", "cheapest_by_enumeration", "figures", "random_work"]

_DAY_MIN = 24 * 60
_TOOLS = ("hand pump", "scope", "lift key", "fuel gauge")


@dataclass(frozen=True)
class Size:
    """How much there is of everything."""

    steps: int
    vehicles: int
    technicians: int
    days: int = 5
    first_share: float = 0.1  # of the vehicles go home first


def random_work(rng: random.Random, size: Size) -> Work:
    """A list as a shop might have it: tests with the key on, joints with the battery off, some with the engine hot or cold."""
    vehicles = [f"V{n}" for n in range(size.vehicles)]
    of: dict[str, list[str]] = {vehicle: [] for vehicle in vehicles}
    steps = []
    for n in range(size.steps):
        vehicle = rng.choice(vehicles)
        earlier = of[vehicle]
        state = rng.choice([WorkState.BATTERY_OFF, WorkState.KEY_ON, WorkState.KEY_ON, WorkState.IDLE, *WorkState])
        heat = Heat.COLD if state is WorkState.BATTERY_OFF and rng.random() < 0.2 else Heat.ANY  # noqa: PLR2004
        if state in {WorkState.IDLE, WorkState.ROAD} and rng.random() < 0.3:  # noqa: PLR2004
            heat = Heat.HOT
        after = (After(rng.choice(earlier)),) if earlier and rng.random() < 0.4 else ()  # noqa: PLR2004
        steps.append(
            Step(
                key=f"s{n}",
                vehicle=vehicle,
                title=f"step {n} of {vehicle}",
                minutes=rng.choice([5, 10, 15, 20, 30, 45]),
                state=state,
                heat=heat,
                people=2 if state is WorkState.ROAD and size.technicians > 1 else 1,
                tools=frozenset(rng.sample(_TOOLS, 1)) if rng.random() < 0.25 else frozenset(),  # noqa: PLR2004
                after=after,
                not_before=rng.choice([0] * 9 + [_DAY_MIN]),
            )
        )
        earlier.append(f"s{n}")
    hours = [
        (day * _DAY_MIN + first, day * _DAY_MIN + last)
        for day in range(size.days)
        for first, last in ((0, 285), (315, 540))
    ]
    made = [
        VehicleWork(key=v, promise=rng.choice([540, _DAY_MIN + 540, 2 * _DAY_MIN + 540]), weight=rng.choice([1, 1, 2]))
        for v in vehicles
    ]
    return Work(
        steps=tuple(steps),
        vehicles=tuple(replace(v, goes_first=rng.random() < size.first_share) for v in made),
        technicians=tuple(Technician(f"T{n}", tuple(hours)) for n in range(size.technicians)),
        tools=dict.fromkeys(_TOOLS, 1),
    )


def cooling_work(rng: random.Random) -> Work:
    """A short list aimed at bounds: hot and cold in turn, and stretches of work so short that nights come between."""
    steps: list[Step] = []
    for n in range(rng.randint(3, 6)):
        heat = rng.choice([Heat.COLD, Heat.HOT, Heat.ANY, Heat.HOT])
        state = rng.choice([WorkState.BATTERY_OFF, WorkState.KEY_OFF, WorkState.KEY_ON])
        vehicle = rng.choice("VVW")
        same = [step.key for step in steps if step.vehicle == vehicle]
        steps.append(
            Step(
                key=f"s{n}",
                vehicle=vehicle,
                title="",
                minutes=rng.choice([10, 30, 60]),
                state=WorkState.IDLE if heat is Heat.HOT else state,
                heat=heat,
                after=(After(rng.choice(same)),) if same and rng.randrange(2) else (),
            )
        )
    length = rng.choice([120, 150, 200])
    return Work(
        steps=tuple(steps),
        vehicles=tuple(
            VehicleWork(
                key=key,
                promise=rng.choice([None, 100, _DAY_MIN + 60]),
                is_hot=rng.randrange(2) == 0,
                goes_first=rng.randrange(3) == 0,
            )
            for key in "VW"
        ),
        technicians=(Technician("T", tuple((day * _DAY_MIN, day * _DAY_MIN + length) for day in range(9))),),
    )


def cheapest_by_enumeration(work: Work) -> int | None:
    """The least cost over every order of all steps, for one technician; written apart from the planner."""
    (technician,) = work.technicians
    best = None
    keys = [step.key for step in work.steps]
    for order in permutations(range(len(keys))):
        place = {keys[at]: n for n, at in enumerate(order)}
        if any(place[a.key] > place[s.key] for s in work.steps for a in s.after):
            continue
        cost = _cost_in_order(work, [work.steps[at] for at in order], technician)
        if cost is not None and (best is None or cost < best):
            best = cost
    return best


def _cost_in_order(work: Work, order: list[Step], technician: Technician) -> int | None:
    stand = {v.key: (v.state, v.is_hot, 0) for v in work.vehicles}
    now, setups, ends = 0, 0, dict[str, int]()
    for step in order:
        state, is_hot, free = stand[step.vehicle]
        hot = is_hot if step.heat is Heat.ANY else step.heat is Heat.HOT
        wait = COOL_MIN if is_hot and not hot else 0
        setup = change_min(state, step.state) + (WARM_MIN if hot and not is_hot else 0)
        start = max(now, free + wait, step.not_before)
        fits = [max(a, start) for a, b in technician.windows if max(a, start) + setup + step.minutes <= b]
        if not fits:
            return None
        now = fits[0] + setup + step.minutes
        setups += setup + wait
        stand[step.vehicle] = (step.state, hot, now)
        ends[step.vehicle] = now
    late = sum(v.weight * max(0, ends.get(v.key, 0) - v.promise) for v in work.vehicles if v.promise is not None)
    first = sum(ends.get(v.key, 0) for v in work.vehicles if v.goes_first)
    return LATE_COST * late + FIRST_COST * first + SETUP_COST * setups + max(ends.values(), default=0)


def broken_rules(work: Work, plan: Plan) -> list[str]:
    """Everything in a plan that may not be, by looking at each minute's claims: written apart from the planner."""
    found = []
    at = {planned.step.key: planned for planned in plan.steps}
    if sorted(at) != sorted(step.key for step in work.steps):
        found.append("not every step is there once")
    for vehicle in work.vehicles:
        state, is_hot, end = vehicle.state, vehicle.is_hot, 0
        for planned in sorted(plan.of_vehicle(vehicle.key), key=lambda p: p.start):
            step = planned.step
            hot = is_hot if step.heat is Heat.ANY else step.heat is Heat.HOT
            cool = COOL_MIN if is_hot and not hot else 0
            if planned.start < end + cool:
                found.append(f"{step.title} begins before its vehicle is free")
            if planned.begins - planned.start < change_min(state, step.state) + (WARM_MIN if hot and not is_hot else 0):
                found.append(f"{step.title} has no time for its change")
            state, is_hot, end = step.state, hot, planned.end
    windows = {t.key: t.windows for t in work.technicians}
    for planned in plan.steps:
        step = planned.step
        found += [f"{step.title} comes before {a.key}" for a in step.after if at[a.key].end > planned.start]
        if planned.start < step.not_before or len(set(planned.people)) != step.people:
            found.append(f"{step.title} has no part or not its people")
        for who in planned.people:
            if not any(a <= planned.start and planned.end <= b for a, b in windows[who]) or (
                step.only and who not in step.only
            ):
                found.append(f"{step.title} is outside the hours of {who}")
    pairs = [
        (a, b)
        for a in plan.steps
        for b in plan.steps
        if a.step.key < b.step.key and a.start < b.end and b.start < a.end
    ]
    found += [f"{a.step.title} and {b.step.title} share a person" for a, b in pairs if set(a.people) & set(b.people)]
    found += [
        f"{a.step.title} and {b.step.title} share the {tool}"
        for a, b in pairs
        for tool in a.step.tools & b.step.tools
        if work.tools.get(tool) == 1
    ]
    return found


def figures(number: int | None) -> list[Figure]:
    """`number` is how many short lists are held against every order; 300 where it is left out."""
    return [*_against_every_order(number or 300), *_bounds(2000), *_full_shop(), *_saved(50), *_rules(number or 300)]


def _against_every_order(number: int) -> list[Figure]:
    other = 0
    for seed in range(number):
        rng = random.Random(seed)  # noqa: S311  cases, no secrets
        work = random_work(rng, Size(rng.randint(3, 8 if seed % 10 == 0 else 7), rng.randint(1, 2), 1))
        found = improve(work, first_plan(work), 20.0)
        other += (None if found is None else found.cost) != cheapest_by_enumeration(work)
    return [Figure(f"plans that cost other than the best of every order, of {number} lists", other, "", "0")]


_CHEAP_NIGHTS = (29112, 55818)  # lists in which an order that waits longer has less to work at


def _bounds(number: int) -> list[Figure]:
    over = 0
    for seed in (*range(number), *_CHEAP_NIGHTS):
        work = cooling_work(random.Random(seed))  # noqa: S311  cases, no secrets
        least = cheapest_by_enumeration(work)
        over += least is not None and least_cost(work) > least
    return [Figure(f"bounds above the best of every order, of {number} lists with nights and heat", over, "", "0")]


def _full_shop() -> list[Figure]:
    work = random_work(random.Random(7), Size(200, 12, 6, first_share=0.0))  # noqa: S311  cases, no secrets
    started = time.perf_counter()
    plan = first_plan(work)
    first_s = time.perf_counter() - started
    assert plan is not None  # a week is long enough
    started = time.perf_counter()
    better = improve(work, plan, 0.3)
    assert better is not None  # it begins from one
    return [
        Figure("200 steps, 6 technicians, 12 vehicles: first plan", first_s, "s", "2"),
        Figure("its cost over the solver's bound", 100 * (better.cost / max(better.bound, 1) - 1), "%", "5"),
        Figure("the bound was known after", time.perf_counter() - started, "s", "20"),
        Figure("the same of four lists with promises that nobody can keep, median", statistics.median(_missed()), "%"),
    ]


def _missed() -> list[float]:
    found = []
    for seed in range(8, 12):
        work = random_work(random.Random(seed), Size(200, 12, 6, first_share=0.0))  # noqa: S311  cases, no secrets
        better = improve(work, first_plan(work), 0.3)
        assert better is not None
        found.append(100 * (better.cost / better.bound - 1))
    return found


def _saved(weeks: int) -> list[Figure]:
    minutes, changes = [], []
    for seed in range(weeks):
        work = random_work(random.Random(1000 + seed), Size(60, 5, 4))  # noqa: S311  cases, no secrets
        entered, planned = entry_order(work), first_plan(work)
        if entered is not None and planned is not None:
            minutes.append(100 * (1 - planned.setup_min / max(entered.setup_min, 1)))
            changes.append(100 * (1 - planned.changes / max(entered.changes, 1)))
    low, middle, high = statistics.quantiles(minutes, n=4)
    return [
        Figure(f"minutes of changes saved against the order of entry, {len(minutes)} weeks: median", middle, "%"),
        Figure("  of a quarter of the weeks at most", low, "%"),
        Figure("  of a quarter of the weeks at least", high, "%"),
        Figure("changes saved, median", statistics.median(changes), "%"),
    ]


def _rules(number: int) -> list[Figure]:
    broken = 0
    for seed in range(number):
        rng = random.Random(5000 + seed)  # noqa: S311  cases, no secrets
        work = random_work(rng, Size(rng.randint(1, 40), rng.randint(1, 6), rng.randint(1, 5)))
        plan = first_plan(work)
        broken += plan is not None and bool(broken_rules(work, plan))
    return [Figure(f"plans that break a rule, of {number} random lists", broken, "", "0")]
