"""Steps from records and the rules no order breaks; hours as people write them; times that are learned."""

import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.quantities import VehicleState
from irongauge.core.plan.kit import KitKind
from irongauge.core.sensors.licensed import licence_of
from irongauge.core.work.arising import CircuitToDo, VehicleToDo, opened_up, steps_of, with_rules
from irongauge.core.work.changes import all_before
from irongauge.core.work.hours import Shift, clock_from, clock_text, hours_from, hours_text, windows_of
from irongauge.core.work.learned import FEWEST, WorkEvent, learned_from, times_of, with_learned
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.steps import Heat, Step, StepKind, Technician, VehicleWork, Work, WorkState, problems_of
from irongauge.core.work.turns import entry_order, first_plan
from irongauge.errors import EntryError
from tools.working import broken_rules

ON, OFF = WorkState.KEY_ON, WorkState.BATTERY_OFF
LT7 = UUID(int=7)
MONDAY = datetime(2026, 11, 30, 6, 0, tzinfo=UTC)  # in winter the clocks of London show UTC


def todo(*circuits, kit=(), road_test=False):
    return VehicleToDo(key="LT-7", tag="LT-7", circuits=circuits, kit=kit, road_test=road_test)


def steps(*circuits, **more):
    return with_rules(steps_of(todo(*circuits, **more)))


def titled(found, part):
    return next(s for s in found if part in s.title)


OIL = CircuitToDo(key="oil", name="Winch oil pressure", to_fit=True, readings=((VehicleState.KEY_ON, 3),), calibration_points=5,
                  tools=frozenset({"hand pump"}))  # fmt: skip
COOLANT = CircuitToDo(key="coolant", name="Coolant temperature", to_fit=True)
AXLE = CircuitToDo(
    key="axle", name="Axle speed", readings=((VehicleState.BATTERY_OFF, 2), (VehicleState.IDLE, 1)), pulses=True
)
SPARK = CircuitToDo(key="srs", name="Airbag squib", readings=((VehicleState.KEY_ON, 1),))


def test_a_jobs_records_become_its_steps():
    found = steps(OIL, AXLE, kit=(("k1", KitKind.UPDATE, "C8 to 4.2"), ("k2", KitKind.SPARE, "a fuse")), road_test=True)
    assert [(s.title, s.minutes, s.state) for s in found] == [
        ("Update: C8 to 4.2", 10, WorkState.KEY_OFF),
        ("Fit and join Winch oil pressure", 30, OFF),
        ("Ohms to ground of Winch oil pressure, before its fuse goes in", 5, OFF),
        ("Power up Winch oil pressure: fuse in, watch its current", 5, ON),
        ("Test Winch oil pressure: 3 readings", 6, ON),
        ("Calibrate Winch oil pressure: 5 points", 20, ON),
        ("Test Axle speed: 2 readings", 4, OFF),
        ("Test Axle speed: 1 reading", 2, WorkState.IDLE),
        ("Capture the pulses of Axle speed", 15, WorkState.RAISED),
        ("Road test", 30, WorkState.ROAD),
        ("Hand over", 15, WorkState.KEY_OFF),
    ]


def test_the_battery_stays_off_until_every_circuit_has_passed():
    """Of what needs power nothing comes before the last ohms of any circuit, and circuits are powered up one by one."""
    found = steps(OIL, COOLANT, AXLE)
    before = all_before(found)
    checks = {s.key for s in found if s.kind is StepKind.KEY_OFF_CHECK}
    assert len(checks) == 2
    for step in found:
        if step.state not in {OFF, WorkState.KEY_OFF}:
            assert checks <= before[step.key], step.title
    first, second = (s for s in found if s.kind is StepKind.POWER_UP)
    assert first.key in before[second.key]
    assert second.key in before[titled(found, "Test Winch").key]


def test_what_can_hurt_says_so():
    found = steps(COOLANT, AXLE, road_test=True)
    fit = titled(found, "Fit and join Coolant")
    assert fit.heat is Heat.COLD
    assert "scalds" in fit.caution
    for state in (WorkState.IDLE, WorkState.RAISED, WorkState.ROAD):
        assert all(s.caution for s in found if s.state is state)


def test_entries_change_together_after_the_calibration_and_with_a_key_cycle():
    entries = (("e1", "Engine input 2", "the figures as calibrated"), ("e2", "Dash gauge 1", "the figures"))
    found = steps(replace(OIL, entries=entries))
    changes = [s for s in found if s.kind is StepKind.ENTRY]
    assert [(s.title, s.minutes) for s in changes] == [
        ("Change “Engine input 2” to the figures as calibrated of Winch oil pressure, then turn the key off and on", 7),
        ("Change “Dash gauge 1” to the figures of Winch oil pressure, then turn the key off and on", 7),
    ]
    calibration = titled(found, "Calibrate")
    assert all(calibration.key in {after.key for after in s.after} for s in changes)
    without = [s for s in steps(replace(AXLE, entries=entries)) if s.kind is StepKind.ENTRY]
    assert len(without) == 2
    assert not any("cal:" in after.key for s in without for after in s.after)


def test_an_overdue_standard_is_said_beside_its_calibration():
    said = "Every gauge of the shop is overdue (Dial since 2026-01-31): have one calibrated first, or borrow one."
    assert titled(steps(replace(OIL, overdue=said)), "Calibrate").caution == said


@pytest.mark.parametrize(("name", "is_left"), [
    ("Airbag squib", True), ("SRS crash sensor", True), ("air bag", True), ("Seat belt tensioner", True),
    ("Air pressure", False), ("Airline pressure", False), ("Tensioner", False),
])  # fmt: skip
def test_airbag_circuits_are_left_to_licensed_work(name, is_left):
    assert (licence_of(name) is not None) is is_left
    found = steps(CircuitToDo(key="x", name=name, readings=((VehicleState.KEY_ON, 1),)))
    assert [s.title for s in found] == (["Hand over"] if is_left else [f"Test {name}: 1 reading", "Hand over"])


@pytest.mark.parametrize(
    ("name", "is_pressure", "repair", "is_cold", "says"),
    [
        ("Fuel rail", True, "Sensor stuck in mid range", True, "Only cold"),
        ("Coolant temperature", False, "Sensor off by a constant", True, "Only cold"),
        ("Oil pressure", True, "About 38 Ω in the return wire", False, "If the sensor comes out: only cold"),
        ("Refrigerant", True, "Sensor dead", True, "Only cold"),
        ("Öldruck", False, "Sensor dead", True, "Only cold"),
        ("Winch", True, "Sensor dead", True, "Only cold"),  # a pressure of nobody knows what
        ("Boost pressure", True, "Sensor dead", False, ""),
        ("Barometer", True, "Sensor dead", False, ""),
        ("Blade tilt angle", False, "Sensor dead", False, ""),
    ],
)
def test_a_sensor_that_holds_something_back_is_put_right_cold(name, is_pressure, repair, is_cold, says):
    found = steps(CircuitToDo(key="x", name=name, is_pressure=is_pressure, repair=repair))
    fit = titled(found, "Put right")
    assert (fit.heat is Heat.COLD) is is_cold
    assert fit.caution.startswith(says) if says else fit.caution == ""


def test_what_a_person_added_comes_before_the_hand_over_too():
    added = Step(key="x", vehicle="LT-7", title="Wash it", minutes=20)
    found = with_rules((*steps_of(todo(AXLE)), added))
    assert "x" in all_before(found)["LT-7/hand over"]


def cover(*behind, **more):
    return SaidOfStep(uid=LT7, vehicle_uid=LT7, key="seat", title="Take the seat off", minutes=5, back_title="Put the seat back",
                      back_minutes=7, behind=behind, **more)  # fmt: skip


def test_a_cover_that_is_off_serves_every_step_behind_it():
    """Once off before all of them, once back after all of them, and before the road and the hand-over."""
    own = todo(OIL, AXLE, COOLANT, road_test=True)
    own = VehicleToDo(key=str(LT7), tag="LT-7", circuits=own.circuits, road_test=True)
    said = cover("oil", "axle", heat=Heat.COLD, caution="Mind the springs.")
    found = with_rules(opened_up((*steps_of(own), said.step()), [said]))
    before = all_before(found)
    off, back = titled(found, "Take the seat off"), titled(found, "Put the seat back")
    assert (off.minutes, back.minutes, off.heat, back.heat, back.caution) == (5, 7, Heat.COLD, Heat.ANY, "")
    behind = [s for s in found if "Winch oil" in s.title or "Axle" in s.title]
    assert len(behind) == 8
    for step in behind:
        assert off.key in before[step.key]
        assert step.key in before[back.key]
    assert off.key not in before[titled(found, "Fit and join Coolant").key]
    for last in ("Road test", "Hand over"):
        assert back.key in before[titled(found, last).key]
    made = Work(steps=found, vehicles=(VehicleWork(key=str(LT7)),),
                technicians=tuple(Technician(t, ((0, 480), (1440, 1920))) for t in ("Kim", "Lu")))  # fmt: skip
    plan = first_plan(made)
    assert broken_rules(made, plan) == []
    assert [p.step.kind for p in plan.steps].count(StepKind.OPEN_UP) == 1


def test_a_cover_with_nothing_behind_it_is_only_off_and_back():
    found = opened_up((cover("other").step(),), [cover("other")])
    assert [(s.title, [a.key for a in s.after]) for s in found] == [
        ("Take the seat off", []),
        ("Put the seat back", ["seat"]),
    ]
    with pytest.raises(ValueError, match="closed again"):
        SaidOfStep(uid=LT7, vehicle_uid=LT7, key="k", back_title="x")


@given(st.integers(0, 10**6))
def test_no_plan_of_records_breaks_a_rule(seed):
    rng = random.Random(seed)
    states = list(VehicleState)[:4]
    circuits = [
        CircuitToDo(
            key=str(n),
            name=rng.choice(["Oil", "Coolant temperature", "Fuel level", "SRS crash"]),
            readings=tuple((state, rng.randint(1, 4)) for state in states if rng.random() < 0.4),
            calibration_points=rng.choice([0, 0, 5]),
            to_fit=rng.random() < 0.3,
            repair=rng.choice(["", "", "open reference"]),
            pulses=rng.random() < 0.2,
        )
        for n in range(rng.randint(1, 5))
    ]
    found = steps(*circuits, road_test=rng.random() < 0.4)
    made = Work(
        steps=found,
        vehicles=(VehicleWork(key="LT-7"),),
        technicians=tuple(Technician(t, ((0, 240), (270, 480), (1440, 1920), (2880, 3360))) for t in ("Kim", "Lu")),
    )
    assert problems_of(made) == ()
    for plan in (first_plan(made), entry_order(made)):
        assert plan is not None
        assert broken_rules(made, plan) == []
        ends = {p.step.key: p.end for p in plan.steps}
        checks = [p.end for p in plan.steps if p.step.kind is StepKind.KEY_OFF_CHECK]
        for p in plan.steps:
            if p.step.state not in {OFF, WorkState.KEY_OFF}:
                assert all(end <= p.start for end in checks)
        assert max(ends.values()) == ends["LT-7/hand over"]


# Hours


@pytest.mark.parametrize(("typed", "shifts"), [
    ("Mon 8-12", [(0, 480, 720)]),
    ("mon-fri 7:30-12:00, 12.45-16h30", [(d, a, b) for d in range(5) for a, b in ((450, 720), (765, 990))]),
    ("Sat–Mon 8 to 9", [(0, 480, 540), (5, 480, 540), (6, 480, 540)]),
    ("Monday 8–12; Tuesday 9–10\nSun 0-24", [(0, 480, 720), (1, 540, 600), (6, 0, 1440)]),
    ("", []), (" ; ", []),
])  # fmt: skip
def test_hours_are_read_as_people_write_them(typed, shifts):
    found = hours_from(typed)
    assert [(s.weekday, s.first_min, s.last_min) for s in found] == shifts
    assert hours_from(hours_text(found)) == found


@pytest.mark.parametrize(("typed", "says"), [
    ("8-12", "has no days"), ("Mon", "has no days"), ("Mon 12-8", "no stretch"), ("Mon 8", "no stretch"), ("Xyz 8-12", "no day"),
    ("Mon 8-25", "no stretch"), ("Mon 8-12, 11-13", "overlap"),
    ("Mon 8-12-14", "no stretch"), ("Mon-Fri eight-nine", "no stretch"),
])  # fmt: skip
def test_odd_hours_are_refused_in_words(typed, says):
    with pytest.raises(EntryError) as told:
        hours_from(typed)
    assert says in told.value.problem
    assert told.value.typed == typed


@pytest.mark.parametrize(("typed", "minute"), [
    ("14:30", 870), ("14.30", 870), ("14h30", 870), ("14h", 840), ("14 Uhr", 840), ("9", 540), ("09:05", 545), ("2 pm", 840),
    ("2:30pm", 870), ("2.30 p.m.", 870), ("12 am", 0), ("12 pm", 720), ("12:15 AM", 15), ("noon", 720), ("14:30:00", 870),
    ("9 o'clock", 540), ("0:00", 0),
])  # fmt: skip
def test_a_time_of_day_is_read_as_people_write_it(typed, minute):
    found = clock_from(f" {typed} ")
    assert found.hour * 60 + found.minute == minute
    assert clock_from(clock_text(found)) == found


@pytest.mark.parametrize(
    "typed", ["25:10", "14:60", "13 pm", "0 am", "24:00", "midnight", "teatime", "-3", "14:3", "1430", "2 pm-3"]
)
def test_what_is_no_time_of_day_is_kept_and_said(typed):
    with pytest.raises(EntryError, match="no time of day") as told:
        clock_from(typed, "promised_by")
    assert (told.value.field, told.value.typed) == ("promised_by", typed)


def test_no_time_of_day_is_none():
    assert clock_from("  ") is None


def test_windows_begin_now_and_keep_the_wall_clock_when_the_clocks_change():
    hours = hours_from("Mon-Sun 8-12")
    windows = windows_of(hours, MONDAY + timedelta(hours=3), 2, "Europe/London")
    assert windows == ((0, 180), (1380, 1620))
    saturday = datetime(2027, 3, 27, 0, 0, tzinfo=UTC)  # the clocks go forward on the 28th
    assert windows_of(hours, saturday, 2, "Europe/London") == ((480, 720), (24 * 60 + 420, 24 * 60 + 660))
    assert windows_of(hours, MONDAY, 2, "Europe/London", off=[date(2026, 11, 30)]) == ((1560, 1800),)
    assert windows_of((Shift(2, 0, 60),), MONDAY, 2, "Europe/London") == ()


# What was said, and what is learned of it


def event(key, status, minute, *, kind=StepKind.TEST, usual=10):
    return WorkEvent(vehicle_uid=LT7, key=key, title=key, kind=kind, usual_min=usual, status=status,
                     at=MONDAY + timedelta(minutes=minute))  # fmt: skip


def test_minutes_are_counted_without_pauses_and_only_of_what_was_begun_and_done():
    told = [
        event("a", Status.STARTED, 0), event("b", Status.DONE, 1), event("a", Status.PAUSED, 5), event("a", Status.STARTED, 60),
        event("c", Status.STARTED, 60), event("a", Status.DONE, 67), event("c", Status.NOT_POSSIBLE, 70),
        event("d", Status.STARTED, 80), event("d", Status.OPEN, 85), event("d", Status.DONE, 90),
        event("e", Status.STARTED, 100), event("e", Status.DONE, 100 + 13 * 60),
    ]  # fmt: skip
    assert times_of(told) == [(StepKind.TEST, 1.2)]


def test_what_is_learned_is_a_median_with_its_spread():
    shares = [0.8, 1.0, 1.2, 1.4, 30.0]  # one long day is no rule
    learned = learned_from([(StepKind.TEST, s) for s in shares] + [(StepKind.PULSE, 2.0)] * (FEWEST - 1))
    assert set(learned) == {StepKind.TEST}
    one = learned[StepKind.TEST]
    assert (one.minutes(10), one.spread(10), one.count) == (12, (10, 14), 5)
    test = Step(key="t", vehicle="LT-7", title="t", minutes=10, kind=StepKind.TEST)
    pulse = Step(key="p", vehicle="LT-7", title="p", minutes=10, kind=StepKind.PULSE)
    assert with_learned(test, learned).minutes == 12
    assert with_learned(pulse, learned).minutes == 10
    assert with_learned(Step(key="s", vehicle="v", title="s", minutes=1, kind=StepKind.TEST), learned).minutes == 1


def test_what_was_said_changes_a_step_and_no_more():
    step = Step(key="k", vehicle=str(LT7), title="t", minutes=10)
    said = SaidOfStep(uid=LT7, vehicle_uid=LT7, key="k", pinned_at=MONDAY + timedelta(hours=2), only_uid=LT7)
    changed = said.over(step, MONDAY)
    assert (changed.pinned_at, changed.only, changed.minutes) == (120, frozenset({str(LT7)}), 10)
    late = SaidOfStep(uid=LT7, vehicle_uid=LT7, key="k", not_before=MONDAY - timedelta(hours=2))
    assert late.over(step, MONDAY).not_before == 0
    with pytest.raises(ValueError, match="since when"):
        SaidOfStep(uid=LT7, vehicle_uid=LT7, key="k", status=Status.DONE)


def test_a_time_that_went_by_unused_is_no_time_any_more():
    step = Step(key="k", vehicle=str(LT7), title="t", minutes=10)
    said = SaidOfStep(uid=LT7, vehicle_uid=LT7, key="k", pinned_at=MONDAY - timedelta(minutes=1))
    assert said.over(step, MONDAY).pinned_at is None
    assert said.over(step, MONDAY - timedelta(minutes=1)).pinned_at == 0


def test_a_road_test_is_a_step_for_a_driver_and_a_reader():
    """The driver drives and the passenger reads: the trade's rule, and the law's in most places."""
    road = next(s for s in steps(OIL, road_test=True) if s.state is WorkState.ROAD)
    assert road.people == 2
    assert "The driver drives and the passenger reads" in road.caution
    assert all(s.people == 1 for s in steps(OIL, road_test=True) if s is not road and s.state is not WorkState.ROAD)
