"""Planning against a real database: what is kept, what is refused, and two people at once."""

from __future__ import annotations

from dataclasses import replace
from datetime import time, timedelta
from uuid import uuid4

import pytest

from irongauge.core.plan.board import PinAt, PinState, PullUpNeed
from irongauge.core.plan.harness import End, Harness
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.modules import PinKind
from irongauge.core.plan.record import VehiclePlan
from irongauge.core.plan.room import MoveKind, NoRoom, Want
from irongauge.core.shop import Promise, Shop
from irongauge.demo.shelf import uid_of
from irongauge.errors import (
    BadListError,
    ChangedMeanwhileError,
    EntryError,
    JobClosedError,
    NotFoundError,
    RefusedRequestError,
)
from irongauge.formats.job_json import read_job, write_job
from irongauge.workflows.bench.readings import NewReading, look_at_bench, record_reading
from irongauge.workflows.plan.kits import add_kit_lines, look_at_kit, tick_kit_line
from irongauge.workflows.plan.plans import (
    assign,
    changes_of,
    do_moves,
    find_room,
    fit_module,
    function_for,
    look_at_plan,
    remove_function,
    remove_module,
    save_function,
    save_module_type,
    tick_place,
)
from irongauge.workflows.plan.wirings import remove_feed, save_harness, ways_of_blamed_wire
from irongauge.workflows.shop.jobs import hand_over, look_at_floor, look_at_job
from irongauge.workflows.shop.transfer import export_job, import_job
from irongauge.workflows.shop.vehicles import (
    add_note,
    change_vehicle,
    find_vehicles,
    look_at_vehicle,
    move_promise,
    retire_circuit,
)
from irongauge.workflows.work.work_list import list_work
from tests.shops import open_shop
from tests.workflows.named import circuit_named

LT7, D3, G12 = (uid_of(tag) for tag in ("LT-7", "D-3", "G-12"))
FAN = uid_of("function old fan")
CONTROLLER = uid_of("LT-7 controller")


def at(pin):
    return PinAt(CONTROLLER, pin)


def person(demo):
    return look_at_plan(demo, LT7).people.technicians[0].uid


def test_a_full_controller_makes_room_by_freeing_what_is_not_used_and_moving_a_button(demo):
    view = look_at_plan(demo, LT7)
    room = find_room(view, (Want(1, (PinKind.ANALOGUE,), name="Pump pressure"),))
    told = [(m.kind, m.function.name, m.to.pin) for m in room.moves]
    assert told == [(MoveKind.FREE, "Old fan sensor", "DI 1"), (MoveKind.MOVE, "Winch button", "DI 1")]
    do_moves(demo, LT7, room)
    after = look_at_plan(demo, LT7)
    stands = {f.name: None if f.at is None else f.at.pin for f in after.plan.functions}
    assert (stands["Winch button"], stands["Old fan sensor"], stands["Pump pressure"]) == ("DI 1", None, "AI 6")
    assert next(p for p in after.plan.board if p.at == at("AI 6")).state is PinState.RESERVED
    assert find_room(after, (Want(1, (PinKind.OUTPUT,)),)).cost == 0


def test_without_room_the_smallest_module_of_the_shelf_is_named(demo):
    found = find_room(look_at_plan(demo, LT7), (Want(2, (PinKind.ANALOGUE,)),))
    assert isinstance(found, NoRoom)
    assert found.module.name == "Lantern G3 gauge display"


def test_moving_a_function_opens_again_what_was_ticked_and_a_stale_page_is_told(demo):
    view = look_at_plan(demo, LT7)
    boost = view.function(uid_of("function Boost pressure"))
    table = view.plan.places_of(boost.uid)[0]
    tick_place(demo, LT7, table.uid, person(demo))
    assign(demo, LT7, boost.uid, None, seen=f"{CONTROLLER}:AI 2")
    moved = look_at_plan(demo, LT7)
    assert not any(place.done for place in moved.plan.places_of(boost.uid))
    assert "point it to AI 2" in changes_of(moved, moved.function(boost.uid), at("AI 2"))[0].sentence
    with pytest.raises(ChangedMeanwhileError, match="the input of Boost pressure"):
        assign(demo, LT7, boost.uid, at("AI 2"), seen=f"{CONTROLLER}:AI 2")
    with pytest.raises(EntryError, match="no such pin"):
        assign(demo, LT7, boost.uid, at("AI 99"))
    with pytest.raises(NotFoundError):
        assign(demo, LT7, uuid4(), None)


def test_an_output_that_reads_an_old_input_is_a_line_of_the_job_and_of_the_order_until_it_is_changed(demo):
    button = uid_of("function winch button")
    job_uid = uid_of("job LT-7")
    assert not look_at_job(demo, job_uid).view.left_behind
    assign(demo, LT7, button, at("DI 1"), seen=f"{CONTROLLER}:AI 6")
    (left,) = look_at_job(demo, job_uid).view.left_behind
    assert "Winch enable still reads AI 6, where nothing stands now. Point it to DI 1" in left.change.sentence
    titles = {step.title: step for step in list_work(demo, LT7).work.steps}
    step = titles["Output’s condition “Winch enable” still reads AI 6. Point it to DI 1"]
    assert "can switch on by itself" in step.caution
    handed = replace(look_at_job(demo, job_uid).view, circuits=())
    assert not handed.may_be_handed_over
    tick_place(demo, LT7, left.place.uid, person(demo))
    assert not look_at_job(demo, job_uid).view.left_behind
    assign(demo, LT7, button, at("AI 6"))
    assert look_at_job(demo, job_uid).view.left_behind[0].old_input == "DI 1"
    assign(demo, LT7, button, at("DI 1"))
    assert not look_at_job(demo, job_uid).view.left_behind, "it is back where the condition reads it"


def test_a_pull_up_that_is_switched_opens_nothing_again(demo):
    view = look_at_plan(demo, LT7)
    boost = view.function(uid_of("function Boost pressure"))
    tick_place(demo, LT7, view.plan.places_of(boost.uid)[0].uid, person(demo))
    assign(demo, LT7, boost.uid, boost.at, pull_up_on=True)
    assert any(place.done for place in look_at_plan(demo, LT7).plan.places_of(boost.uid))


def test_nothing_is_removed_while_a_place_still_uses_it(demo):
    with pytest.raises(RefusedRequestError, match="Fan relay on above 88 °C"):
        remove_function(demo, LT7, FAN)
    for place in look_at_plan(demo, LT7).plan.places_of(FAN):
        tick_place(demo, LT7, place.uid, person(demo))
    remove_function(demo, LT7, FAN)
    assert all(f.uid != FAN for f in look_at_plan(demo, LT7).plan.functions)
    with pytest.raises(RefusedRequestError, match="still stand on it"):
        remove_module(demo, LT7, CONTROLLER)


def test_names_are_used_once_and_a_pin_in_use_stays_on_its_type(demo):
    view = look_at_plan(demo, LT7)
    with pytest.raises(EntryError, match="already the name"):
        fit_module(demo, LT7, view.shelf[0].uid, "Controller")
    kind = view.plan.modules[0].type
    with pytest.raises(EntryError, match="Pin AI 1 is in use"):
        save_module_type(demo, replace(kind, pins=tuple(p for p in kind.pins if p.name != "AI 1")))
    button = next(f for f in view.plan.functions if f.name == "Winch button")
    with pytest.raises(EntryError, match="already the name"):
        save_function(demo, LT7, replace(button, uid=uuid4()))


@pytest.mark.parametrize(
    ("name", "kinds", "need"),
    [
        ("Boost pressure", (PinKind.ANALOGUE,), PullUpNeed.UNWANTED),
        ("Coolant temperature", (PinKind.ANALOGUE,), PullUpNeed.NEEDED),
        ("Propeller shaft speed", (PinKind.FREQUENCY, PinKind.DIGITAL), PullUpNeed.NEEDED),
        ("Axle speed", (PinKind.FREQUENCY,), PullUpNeed.UNWANTED),
        ("Exhaust temperature", (PinKind.THERMOCOUPLE,), PullUpNeed.UNWANTED),
        ("Tiller oil level", (PinKind.DIGITAL, PinKind.ANALOGUE), PullUpNeed.NEEDED),
    ],
)
def test_a_circuit_asks_for_what_its_family_needs(demo, name, kinds, need):
    function = function_for(circuit_named(demo, name))
    assert (function.kinds, function.pull_up) == (kinds, need)


def test_a_harness_that_contradicts_itself_is_not_written(demo):
    harness = look_at_plan(demo, D3).plan.harness
    with pytest.raises(BadListError, match="goes to X9"):
        save_harness(
            demo, D3, Harness(harness.nodes, (*harness.wires, replace(harness.wires[0], name="9", end=End("X9", "1"))))
        )
    assert look_at_plan(demo, D3).plan.harness == harness
    view = look_at_plan(demo, D3)
    spray = next(c for _, c in view.circuits if c.name == "Spray pressure")
    ways = dict(view.plan.paths_of(spray))
    assert [str(end) for end in ways["C"].ends] == ["Spray pressure:C", "X4:3", "Rime controller:CH 7"]


def _measured_on_the_way(demo, place, typed):
    """A reading of the winch's return wire at a connector, and the ways of the wire that the verdict then blames."""
    circuit = circuit_named(demo, "Winch oil pressure")
    new = NewReading(uid=uuid4(), test_point=f"way_v:2@{place}", typed=typed, technician_uid=person(demo))
    recorded = record_reading(demo, circuit.uid, new)
    return recorded, ways_of_blamed_wire(demo, look_at_bench(demo, circuit.uid))


def test_a_verdict_on_a_wire_shows_its_way_and_is_narrowed_by_what_is_read_on_it(demo):
    circuit = circuit_named(demo, "Winch oil pressure")
    (way,) = ways_of_blamed_wire(demo, look_at_bench(demo, circuit.uid))
    assert [str(end) for end in way.ends] == ["Winch oil pressure:2", "X12:2", "X20:2", "Controller:SG"]
    assert str(way.test_point) == "way_v:2@X12:2", "X20 is nearer to the middle, but behind a panel that takes 12 min"
    assert (way.half.minutes, round(way.half.expected_minutes, 1)) == (4.0, 17.8), "4 + 0.92 · 15"
    recorded, (way,) = _measured_on_the_way(demo, "X20:2", "4mV")  # 218 mV stand at the sensor, nothing here
    assert recorded.reading.way_share == pytest.approx(1.4 / 5.0)
    assert [str(end) for end in way.between] == ["Winch oil pressure:2", "X20:2"]
    assert str(way.test_point) == "way_v:2@X12:2"
    _, (way,) = _measured_on_the_way(demo, "X12:2", "216mV")
    assert [str(end) for end in way.between] == ["X12:2", "X20:2"]
    assert way.test_point is None, "no connector lies between them"


def test_what_is_read_on_the_way_goes_with_the_job(demo):
    _measured_on_the_way(demo, "X20:2", "4mV")
    text = write_job(export_job(demo, uid_of("job LT-7")))
    assert '"place": "X20:2"' in text
    read = [r for c in read_job("job.json", text.encode()).circuits for r in c.readings if r.test_point.place]
    assert [(str(r.test_point), r.way_share) for r in read] == [("way_v:2@X20:2", pytest.approx(0.28))]


@pytest.mark.parametrize("place", ["X9:1", "", "X12:7", "Throttle position:A"])
def test_a_place_that_is_on_no_way_of_the_wire_is_not_read(demo, place):
    with pytest.raises(NotFoundError):
        _measured_on_the_way(demo, place, "4mV")


def test_a_changed_card_keeps_what_it_was_and_the_second_of_two_people_is_told(demo):
    vehicle = look_at_vehicle(demo, LT7).vehicle
    change_vehicle(
        demo, replace(vehicle, description="Marram 60 with a new crane", height_m=4.0), vehicle, person(demo)
    )
    changes = {c.what: (c.old, c.new) for c in look_at_vehicle(demo, LT7).changes}
    assert changes["height"] == ("12 m", "4 m")
    with pytest.raises(ChangedMeanwhileError, match="the description, height of LT-7"):
        change_vehicle(demo, replace(vehicle, tag="LT-9"), vehicle, None)
    now = look_at_vehicle(demo, LT7).vehicle
    assert now.tag == "LT-7"
    with pytest.raises(EntryError, match="already the name"):
        change_vehicle(demo, replace(now, tag="D-3"), now, None)


def test_a_promise_moves_with_its_reason_and_not_before_the_vehicle_came(demo):
    job = next(j.job for j in look_at_vehicle(demo, LT7).jobs)
    later = Promise(job.promise.on + timedelta(days=3), time(14, 30))
    move_promise(demo, job.uid, later, why="the sensor is not there", technician_uid=person(demo), seen=job.promise)
    view = look_at_vehicle(demo, LT7)
    assert view.jobs[0].job.promise == later
    assert view.changes[0].new == f"{later.on.isoformat()} 14:30"
    assert (view.changes[0].what, view.changes[0].why) == (f"promise of job {job.number}", "the sensor is not there")
    with pytest.raises(ChangedMeanwhileError):
        move_promise(demo, job.uid, later, why="again", technician_uid=None, seen=job.promise)
    with pytest.raises(EntryError, match="before the day it came in"):
        move_promise(demo, job.uid, Promise(job.received_on - timedelta(days=1)), why="no", technician_uid=None)
    done = next(j.job for j in look_at_floor(demo).jobs if j.job.handed_over_at is not None)
    with pytest.raises(JobClosedError):
        move_promise(demo, done.uid, later, why="no", technician_uid=None)


def test_a_promise_by_a_time_ends_then_and_else_when_the_shop_closes(demo):
    job = look_at_vehicle(demo, LT7).jobs[0].job
    day = job.promise.on + timedelta(days=(2 - job.promise.on.weekday()) % 7)  # a Wednesday: the shop closes at 16:30
    ends = {}
    for by in (None, time(10, 15), time(20)):
        move_promise(demo, job.uid, Promise(day, by), why="x", technician_uid=None)
        (vehicle,) = list_work(demo, LT7).work.vehicles
        ends[by] = vehicle.promise
    assert ends[None] - ends[time(10, 15)] == 6 * 60 + 15
    assert ends[time(20)] - ends[None] == 3 * 60 + 30


def test_a_retired_circuit_does_not_hold_the_hand_over_up_and_can_come_back(demo):
    tilt = circuit_named(demo, "Blade tilt angle")
    job_uid = retire_circuit(demo, tilt.uid, "blade taken off for good")
    page = look_at_job(demo, job_uid)
    assert tilt.name not in [v.circuit.name for v in page.view.standing]
    for view in page.view.standing:
        if not view.assessment.verdict.level.is_done:
            retire_circuit(demo, view.circuit.uid, "not fitted on this one")
    with pytest.raises(RefusedRequestError, match=r"Cab gauges, power: 0\.44 V drop in the return wire"):
        hand_over(demo, job_uid, person(demo))
    remove_feed(demo, G12, uid_of("feed gauges"))
    with pytest.raises(RefusedRequestError, match="tested this job"):
        hand_over(demo, job_uid, person(demo))
    ottoline = next(t.uid for t in page.people.technicians if t.name == "Ottoline Marsh")
    hand_over(demo, job_uid, ottoline)
    with pytest.raises(JobClosedError):
        retire_circuit(demo, tilt.uid, "")


def test_vehicles_are_found_by_the_words_of_their_tag_and_description(demo):
    assert [v.tag for v in find_vehicles(demo, "rime DE-icer")[1]] == ["D-3"]
    assert len(find_vehicles(demo, "")[1]) == 5
    assert [j.job.vehicle.tag for j in look_at_floor(demo, "groomer blade").jobs] == ["G-12"]
    assert look_at_floor(demo, "nothing like it").jobs == ()


def test_a_note_is_kept_with_who_wrote_it(demo):
    add_note(demo, LT7, "The left fuse box\nhas a loose lid.", person(demo))
    assert look_at_vehicle(demo, LT7).notes[0].text.startswith("The left fuse box")


def test_a_kit_is_ticked_by_someone_and_its_open_lines_are_told_with_the_job(demo):
    job = next(j.job for j in look_at_vehicle(demo, LT7).jobs)
    assert len(look_at_job(demo, job.uid).kit_open) == 3
    line = look_at_kit(demo, job.uid).lines[1]
    tick_kit_line(demo, line.uid, person(demo))
    add_kit_lines(demo, job.uid, [KitLine(uid=uuid4(), kind=KitKind.TOOL, text="18 mm crow foot")])
    assert [x.text for x in look_at_job(demo, job.uid).kit_open][-1] == "18 mm crow foot"
    tick_kit_line(demo, line.uid, None)
    assert len(look_at_job(demo, job.uid).kit_open) == 4


def test_a_plan_travels_with_its_job_and_an_older_file_is_read(demo, database):
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    job = next(j.job for j in look_at_vehicle(demo, LT7).jobs)
    record = export_job(demo, job.uid)
    text = write_job(record)
    assert read_job("job.json", text.encode()) == record
    imported = import_job(database, read_job("job.json", text.encode()), "job.json")
    there = export_job(database, imported.job_uid)
    assert there.kit == record.kit
    assert there.plan.functions == record.plan.functions
    assert there.plan.modules == record.plan.modules
    older = text.replace('"version": 2', '"version": 1')
    start = older.index(',\n  "kit"')
    old = read_job("old.json", (older[:start] + "\n}\n").encode())
    assert (old.kit, old.plan) == ((), VehiclePlan())
    assert old.circuits == record.circuits
