"""The order of the work: against every order, its rules, what holds a step, what would keep a promise, and what has no plan."""

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irongauge.core.work.bounds import least_cost
from irongauge.core.work.changes import fewest_changes, least_worked_min
from irongauge.core.work.reasons import Help, HelpKind, WaitKind, critical, remedy_for, waits_of
from irongauge.core.work.solver import improve
from irongauge.core.work.steps import (
    After,
    Heat,
    Step,
    Technician,
    VehicleWork,
    Work,
    WorkState,
    change_min,
    problems_of,
)
from irongauge.core.work.turns import entry_order, first_plan
from tools.working import Size, broken_rules, cheapest_by_enumeration, cooling_work, random_work

OFF, KEY, IDLE, ROAD = WorkState.BATTERY_OFF, WorkState.KEY_ON, WorkState.IDLE, WorkState.ROAD
DAY = 24 * 60
TWO_DAYS = ((0, 240), (270, 480), (DAY, DAY + 240), (DAY + 270, DAY + 480))
KIM, LU = Technician("Kim", TWO_DAYS), Technician("Lu", TWO_DAYS)


def step(key, minutes=10, *, vehicle="LT-7", state=KEY, after=(), **more):
    waits = tuple(After(a) if isinstance(a, str) else a for a in after)
    return Step(key=key, vehicle=vehicle, title=key, minutes=minutes, state=state, after=waits, **more)


def work(*steps, people=(KIM, LU), promises=None, **more):
    keys = dict.fromkeys(s.vehicle for s in steps)
    vehicles = tuple(VehicleWork(key=key, promise=(promises or {}).get(key)) for key in keys)
    return Work(steps=steps, vehicles=vehicles, technicians=people, **more)


@pytest.mark.parametrize("seed", range(40))
def test_a_short_list_costs_what_the_best_of_every_order_costs(seed):
    rng = random.Random(seed)
    made = random_work(rng, Size(rng.randint(3, 6), rng.randint(1, 2), 1))
    found = improve(made, first_plan(made), 20.0)
    assert (None if found is None else found.cost) == cheapest_by_enumeration(made)


@settings(max_examples=60)
@given(st.integers(0, 10**6), st.integers(1, 30), st.integers(1, 4), st.integers(1, 4))
def test_no_plan_breaks_a_rule_and_none_costs_less_than_the_bound(seed, steps, vehicles, people):
    made = random_work(random.Random(seed), Size(steps, vehicles, people))
    for plan in (first_plan(made), entry_order(made)):
        if plan is not None:
            assert broken_rules(made, plan) == []
            assert plan.cost >= least_cost(made)


def test_a_broken_plan_is_told_as_one():
    """The check that the other tests rest on sees what it is there for."""
    made = work(step("a"), step("b", after=["a"], state=OFF))
    plan = first_plan(made)
    early = replace(plan.at("b"), start=0, begins=5, end=15)
    broken = broken_rules(made, replace(plan, steps=(plan.at("a"), early)))
    assert any("comes before" in text for text in broken)
    assert any("before its vehicle is free" in text for text in broken)


def test_the_same_list_gives_the_same_plan():
    made = random_work(random.Random(3), Size(20, 3, 2))
    assert first_plan(made) == first_plan(made)
    assert improve(made, first_plan(made), 0.1) == improve(made, first_plan(made), 0.1)


@pytest.mark.parametrize(
    ("states", "minutes"),
    # Key on from key off 1; battery off 4, then 4 to leave and 1 to enter: done together they are changed once.
    [([KEY, OFF, KEY, OFF], 1 + 4), ([KEY, KEY, KEY], 1), ([OFF, KEY], 4 + 5), ([ROAD, IDLE, ROAD], 1 + 4)],
)
def test_steps_of_one_state_are_done_together(states, minutes):
    steps = [step(f"s{n}", state=state) for n, state in enumerate(states)]
    found = fewest_changes(VehicleWork(key="LT-7"), steps)
    assert found.is_proved
    assert found.minutes == min(minutes, _changes(found.steps))
    assert _changes(found.steps) == found.minutes


def _changes(steps):
    at, total = WorkState.KEY_OFF, 0
    for one in steps:
        total += change_min(at, one.state)
        at = one.state
    return total


def test_what_needs_the_engine_cold_comes_before_it_is_warmed_up():
    cold, hot = step("plug", state=KEY, heat=Heat.COLD), step("at idle", state=IDLE, heat=Heat.HOT)
    found = fewest_changes(VehicleWork(key="LT-7"), [hot, cold])
    assert [s.key for s in found.steps] == ["plug", "at idle"]
    waits = fewest_changes(VehicleWork(key="LT-7"), [hot, replace(cold, after=(After("at idle"),))])
    worked = least_worked_min(VehicleWork(key="LT-7"), [hot, replace(cold, after=(After("at idle"),))])
    assert waits.minutes - worked == 90, "nobody works while it cools"


def test_a_road_test_takes_two_people_at_once():
    plan = first_plan(work(step("a"), step("road", state=ROAD, people=2, after=["a"])))
    assert set(plan.at("road").people) == {"Kim", "Lu"}


def test_a_promise_goes_before_fewer_changes():
    """One change more for the second vehicle's sake: without the promise all of LT-7 would go first."""
    steps = (step("a", 100), step("b", 100, vehicle="G-12"), step("c", 100))
    made = work(*steps, people=(KIM,), promises={"G-12": 120})
    found = improve(made, first_plan(made))
    assert found.late_min(made.vehicles[1]) == 0
    assert found.steps[0].step.key == "b"


def test_a_step_that_is_set_for_a_time_stays_there_and_only_who_may_does_it():
    made = work(step("a"), step("b", pinned_at=300, only=frozenset({"Lu"})))
    found = first_plan(made)
    assert (found.at("b").begins, found.at("b").people) == (300, ("Lu",))
    better = improve(made, found)
    assert (better.at("b").begins, better.at("b").people) == (300, ("Lu",))


BOTH_PUMP = (
    step("a", 200, tools=frozenset({"pump"})),
    step("b", 200, vehicle="G-12", tools=frozenset({"pump"})),
    step("c", 100, vehicle="G-12", after=[After("b", "the gauge is read against it")]),
)


def test_each_step_says_what_it_waits_for():
    made = work(*BOTH_PUMP, step("late part", not_before=300, vehicle="D-3"), tools={"pump": 1}, promises={"LT-7": 240})
    plan = first_plan(made)
    kinds = {p.step.key: [wait.kind for wait in waits_of(made, plan, p.step.key)] for p in plan.steps}
    assert kinds["a"] == [WaitKind.NOTHING]
    assert kinds["late part"] == [WaitKind.PART]
    assert kinds["c"][0] is WaitKind.STEP or plan.at("c").start > plan.at("b").end
    assert critical(made, plan, "G-12")[-1] == "c"


@pytest.mark.parametrize(
    ("steps", "people", "promises", "tools", "help_"),
    [
        (BOTH_PUMP, (KIM, LU), {"LT-7": 240, "G-12": 480}, {"pump": 1}, Help(HelpKind.TOOL, "pump")),
        ((step("a", 200, not_before=DAY),), (KIM,), {"LT-7": 300}, {}, Help(HelpKind.PART, "a")),
        ((step("a", 200), step("b", 200), step("c", 100)), (KIM,), {"LT-7": 700}, {}, Help(HelpKind.HOURS, "Kim")),
        ((step("a", 200), step("b", 200, vehicle="G-12")), (KIM,), {"LT-7": 210, "G-12": 210}, {}, None),
    ],
    ids=["a second pump", "the part", "an evening", "another promise"],
)
def test_what_would_keep_a_promise_is_found(steps, people, promises, tools, help_):
    made = work(*steps, people=people, promises=promises, tools=tools)
    plan = improve(made, first_plan(made))
    late = [v for v in made.vehicles if plan.late_min(v)]
    assert len(late) == 1
    remedy = remedy_for(made, plan, late[0])
    assert remedy.is_possible
    other = next((v.key for v in made.vehicles if v.key != late[0].key), "")
    assert remedy.helps == (help_ or Help(HelpKind.PROMISE, other),)
    assert remedy.done_at <= promises[late[0].key]


@pytest.mark.parametrize("start_min", [0, 450, 465, 720, 950])
def test_an_evening_is_counted_from_midnight_whenever_the_plan_begins(start_min):
    """Hours of 7:30 to 16:30: what does not fit till then is kept by two hours more the same evening."""
    windows = tuple((max(a - start_min, 0), b - start_min) for a, b in ((450, 990), (1890, 2430)) if b > start_min)
    left = windows[0][1] - windows[0][0]
    first, then = max(left - 20, 10), 60  # the second one ends in the evening, or the next day
    promise = windows[0][1] + 110
    made = work(step("a", first), step("b", then), people=(Technician("Kim", windows),), promises={"LT-7": promise})
    made = replace(made, start_min=start_min)
    plan = improve(made, first_plan(made))
    remedy = remedy_for(made, plan, made.vehicles[0])
    assert remedy.helps == (Help(HelpKind.HOURS, "Kim"),)


# In the last two, an order that waits longer has less to work at: its nights are cheaper.
@pytest.mark.parametrize("seed", [*range(40), 29112, 55818])
def test_a_bound_is_a_bound_with_nights_in_which_engines_cool(seed):
    """Against every order, written apart: what is cold and hot in turn, and work that ends near the end of the day."""
    assert least_cost(cooling_work(random.Random(seed))) <= cheapest_by_enumeration(cooling_work(random.Random(seed)))


def test_what_nothing_would_keep_is_said_so():
    made = work(step("a", 200), promises={"LT-7": 100})
    assert not remedy_for(made, first_plan(made), made.vehicles[0]).is_possible


@pytest.mark.parametrize(
    ("made", "says"),
    [
        (work(step("a", after=["c"]), step("b", after=["a"]), step("c", after=["b"])), "in a circle: "),
        (work(step("a", after=["gone"])), "waits for a step that is not there"),
        (work(step("a"), people=(Technician("Kim", ()),)), "Nobody has hours"),
        (work(step("a", 300)), "takes 300 min, and the longest stretch of work is 240 min"),
        (work(step("road", people=2), people=(KIM,)), "needs 2 people, and 1 with hours"),
        (work(step("a", tools=frozenset({"scope"})), tools={"scope": 0}), "needs the scope, and none is fit"),
        (work(step("a", place="lift"), places={"lift": 0}), "needs the lift, and there is none"),
        (work(step("a", only=frozenset({"Nobody"}))), "needs 1 people, and 0"),
    ],
)
def test_a_list_for_which_there_is_no_plan_is_told_with_its_members(made, says):
    assert any(says in problem for problem in problems_of(made))


def test_a_circle_names_its_members():
    made = work(
        step("fuse in", after=["ohms"]), step("ohms", after=["wire"]), step("wire", after=["fuse in"]), step("paint")
    )
    (problem,) = problems_of(made)
    assert all(name in problem for name in ("fuse in", "ohms", "wire"))
    assert "paint" not in problem


def test_a_list_without_trouble_has_none():
    assert problems_of(work(*BOTH_PUMP, tools={"pump": 1})) == ()
    assert first_plan(work()) is not None


def test_a_vehicle_that_goes_home_first_is_ready_first():
    steps = [step(f"{v}{n}", 60, vehicle=v, state=state) for v in ("A", "B") for n, state in enumerate((OFF, KEY))]
    made = work(*steps, people=(KIM,))
    for first in ("A", "B"):
        put = replace(made, vehicles=tuple(replace(v, goes_first=v.key == first) for v in made.vehicles))
        plan = improve(put, first_plan(put), 5.0)
        other = "B" if first == "A" else "A"
        assert plan.done_at(first) < plan.done_at(other)
        assert plan.cost >= plan.bound


def test_a_wait_that_is_said_twice_counts_once():
    made = work(step("c", after=["a", "a", "b"]), step("b", after=["a", "a"]), step("a"), people=(KIM,))
    assert [s.key for s in fewest_changes(made.vehicles[0], made.steps).steps] == ["a", "b", "c"]
    assert [p.step.key for p in first_plan(made).steps] == ["a", "b", "c"]


def test_a_list_too_long_for_the_fewest_changes_still_keeps_its_waits(monkeypatch):
    monkeypatch.setattr("irongauge.core.work.changes._MOST_LOOKED_AT", 0)
    made = work(step("c", after=["b"], state=IDLE), step("b", after=["a"], state=OFF), step("a"), step("d", state=IDLE))
    found = fewest_changes(made.vehicles[0], made.steps)
    assert not found.is_proved
    order = [s.key for s in found.steps]
    assert order.index("a") < order.index("b") < order.index("c")
    assert first_plan(made) is not None


def test_what_is_not_told_in_time_is_not_said_to_be_impossible():
    made = work(
        *(step(f"{n}", 50, state=state) for n, state in enumerate([OFF, KEY, IDLE] * 3)), promises={"LT-7": 420}
    )
    plan = first_plan(made)
    assert plan.late_min(made.vehicles[0])
    assert remedy_for(made, plan, made.vehicles[0], 1e-9).is_possible is None


def test_whoever_works_on_a_vehicle_stays_with_it():
    steps = [step(f"{v}{n}", 30, vehicle=v) for v in ("A", "B") for n in range(4)]
    made = work(*steps)
    for v in ("A", "B"):
        assert len({p.people for p in first_plan(made).of_vehicle(v)}) == 1
