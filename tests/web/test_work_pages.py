"""The order of the work as a browser without scripts would use it, and by program."""

from __future__ import annotations

import re
from collections import Counter
from datetime import datetime, timedelta
from urllib.parse import unquote
from zoneinfo import ZoneInfo

import icalendar
import pytest

from irongauge.core.work.record import Status
from irongauge.demo.shelf import uid_of
from irongauge.workflows.work.session import look_at_work
from tests.web.visitor import Page, circuit

API = "/api/v1/plan/session"
P2, D3, BRAM, NELL = (str(uid_of(name)) for name in ("P-2", "D-3", "Bram Keldby", "Nell Tregenza"))
HOSE, RUN = (f"{P2}/added:{uid_of(name)}" for name in ("step hose", "step run"))


def keys(page):
    return [unquote(found) for found in re.findall(r'href="/work\?step=([^"#]+)#step"', page.response.text)]


def add_form(visitor, path="/work"):
    return visitor.get(path).form("/work/steps")


def say(visitor, key, status, **more):
    form = visitor.get("/work").form("/work/steps")  # any form of the page has the token
    return visitor.send(type(form)("/work/status", "post", dict(form.fields)), key=key, status=status, **more)


def planned(visitor, key):
    return next((s for s in visitor.client.get(API).json()["steps"] if s["key"] == key), None)


def test_the_week_of_the_depot_is_planned_and_says_what_is_late(visitor):
    form = next(f for f in visitor.get("/work").reader.forms if f.action.endswith("/work/hours"))
    page = visitor.send(form, hours="Mon-Sun 0-24")  # so that it matters not which day is today
    assert page.status == 200
    assert "4 vehicles" in page.text
    assert "D-3 is promised for" in page.text
    assert len(set(keys(page))) > 20
    asked = visitor.get(page.link(f"why={D3}"))
    assert "It would be kept with the part for “Fit the spray valve” at once; nothing less would do." in asked.text


def test_every_step_opens_and_says_what_it_waits_for(standing):
    for key in set(keys(standing.get("/work"))):
        page = standing.client.get("/work", params={"step": key})
        assert page.status_code == 200
        assert "It waits:" in page.text


@pytest.mark.parametrize(
    "path", ["/work?step=nothing", "/work?why=nothing", f"/work?step={'x' * 900}", f"/vehicles/{P2}/work"]
)
def test_what_is_not_in_the_list_opens_the_list(standing, path):
    assert standing.get(path).status == 200


@pytest.mark.parametrize("path", [f"/vehicles/{uid_of('nobody')}/work", "/vehicles/x/work", f"/work/{uid_of('nobody')}.ics",
                                  "/work/x.ics", f"/api/v1/vehicles/{uid_of('nobody')}/session"])  # fmt: skip
def test_what_is_not_there_is_said_so(standing, path):
    assert standing.client.get(path).status_code == 404


def test_a_technicians_calendar_has_the_same_steps(standing):
    told = standing.client.get(API).json()
    busiest = Counter(who for step in told["steps"] for who in step["people"]).most_common(1)[0][0]
    calendar = icalendar.Calendar.from_ical(standing.client.get(f"/work/{busiest}.ics").content)
    events = {str(e["uid"]): e for e in calendar.walk("VEVENT")}
    mine = [s for s in told["steps"] if busiest in s["people"]]
    assert len(mine) == len(events) > 3
    start = datetime.fromisoformat(told["start"])
    for step in mine:
        event = events[f"{step['key']}@iron-gauge"]
        assert event.decoded("dtend") - event.decoded("dtstart") == timedelta(minutes=step["end"] - step["start"])
        assert abs(event.decoded("dtstart") - start - timedelta(minutes=step["start"])) <= timedelta(minutes=15)
        assert step["title"] in str(event["summary"])


def test_work_is_followed_as_it_goes(visitor):
    refused = say(visitor, HOSE, "started", technician_uid=BRAM)
    assert refused.status == 422
    assert "Let the reservoir down to nothing first" in refused.text
    early = say(visitor, RUN, "started", technician_uid=BRAM, confirmed="yes")
    assert early.status == 422
    assert "comes before it" in early.text
    begun = say(visitor, HOSE, "started", technician_uid=BRAM, confirmed="yes")
    assert begun.status == 200
    assert "started" in begun.text
    assert planned(visitor, HOSE)["people"] == [BRAM]
    assert say(visitor, HOSE, "done", technician_uid=BRAM).status == 200
    assert planned(visitor, HOSE) is None
    assert "1 done or not possible" in visitor.get("/work").text
    assert say(visitor, HOSE, "open").status == 200
    assert planned(visitor, HOSE) is not None
    told = visitor.client.get("/work", params={"step": HOSE}).text
    for status in ("started", "done", "open"):
        assert f": {status}" in " ".join(told.split()), "what was said stays told"


def test_what_is_not_possible_says_why_and_the_plan_goes_on(visitor):
    page = say(visitor, HOSE, "not possible", technician_uid=BRAM)
    assert page.status == 422
    assert "Say why it is not possible." in page.text
    assert say(visitor, HOSE, "not possible", technician_uid=BRAM, why="the hose is the wrong one").status == 200
    assert "the hose is the wrong one" in visitor.get("/work").text
    assert planned(visitor, HOSE) is None
    assert planned(visitor, RUN) is not None
    assert say(visitor, HOSE, "done").status == 422, "nobody said so"


def test_a_step_is_set_for_a_time_and_a_person_and_let_go(visitor):
    told = visitor.client.get(API).json()
    start = datetime.fromisoformat(told["start"])
    begins = next(s for s in told["steps"] if s["key"] == HOSE)["begins"]
    at = (start + timedelta(minutes=begins + 24 * 60)).astimezone(ZoneInfo("Europe/London"))
    while at.weekday() >= 5 or not 8 <= at.hour < 10:
        at += timedelta(minutes=30)
    page = visitor.client.get("/work", params={"step": HOSE})
    form = next(
        f
        for f in type(visitor.get("/work"))(page).reader.forms
        if f.action.endswith("/work/pin") and "only_uid" in f.fields
    )
    local = at.strftime("%Y-%m-%dT%H:%M")
    assert visitor.send(form, key=HOSE, at=local, only_uid=NELL).status == 200
    found = planned(visitor, HOSE)
    assert found["people"] == [NELL]
    now = datetime.fromisoformat(visitor.client.get(API).json()["start"])
    assert now + timedelta(minutes=found["begins"]) == at.replace(second=0, microsecond=0)
    assert [w["kind"] for w in found["waits_for"]] == ["the time that was set for it"]
    bad = visitor.send(form, key=HOSE, at="tomorrow")
    assert bad.status == 422
    assert "“tomorrow” is no day and time." in bad.text
    assert visitor.send(form, key=HOSE, at="", only_uid="").status == 200


def test_a_step_is_added_and_taken_away(visitor):
    form = add_form(visitor)
    page = visitor.send(
        form, vehicle_uid=D3, title="Wash <b>it</b>", minutes="20", state="key off", heat="any", people="1"
    )
    assert page.status == 200
    assert "Wash <b>it</b>" in page.text
    assert "<b>it</b>" not in page.response.text
    key = next(s["key"] for s in visitor.client.get(API).json()["steps"] if s["title"].startswith("Wash"))
    assert visitor.send(page.form("/work/remove"), key=key).status == 200
    assert planned(visitor, key) is None
    own = next(s["key"] for s in visitor.client.get(API).json()["steps"] if s["title"] == "Hand over")
    assert visitor.send(page.form("/work/remove"), key=own).status == 403


@pytest.mark.parametrize(("fields", "says"), [
    ({"title": ""}, "what is to be done"), ({"vehicle_uid": ""}, "Choose the vehicle."),
    ({"minutes": "2.5"}, "Minutes come whole."),
    ({"minutes": "a while"}, "a while"), ({"minutes": "0"}, "1 to"), ({"not_before": "31.12."}, "is no day and time"),
    ({"after": "nothing/there"}, "a step that is not there"), ({"title": "x" * 121}, "120"),
    ({"not_before": "9999-12-31T10:00"}, "no day"),
])  # fmt: skip
def test_an_odd_step_is_refused_and_what_was_typed_stays(standing, fields, says):
    given = {
        "vehicle_uid": D3,
        "title": "Wash it",
        "minutes": "20",
        "state": "key off",
        "heat": "any",
        "people": "1",
    } | fields
    page = standing.send(add_form(standing), **given)
    assert page.status == 422
    assert says in page.text
    assert "caution" in fields or page.form("/work/steps").fields["minutes"] == given["minutes"]


def test_a_step_longer_than_any_day_is_told_and_the_list_stays(visitor):
    page = visitor.send(
        add_form(visitor), vehicle_uid=D3, title="Paint it", minutes="900", state="key off", heat="any", people="1"
    )
    assert page.status == 200
    assert "Paint it takes 900 min, and the longest stretch of work is" in page.text
    assert visitor.client.get(API).json()["problems"]


def test_a_cover_is_taken_off_before_what_is_behind_it_and_put_back_after(visitor):
    vehicle = uid_of("LT-7")
    form = visitor.get(f"/vehicles/{vehicle}/work").form("/work/covers")
    bad = visitor.send(form, cover="Take the seat off", back="Put the seat back")
    assert bad.status == 422
    assert "Nothing is behind it." in bad.text
    assert bad.form("/work/covers").fields["cover"] == "Take the seat off"
    elsewhere = visitor.send(form, cover="x", back="y", **{f"behind.{uid_of('nothing')}": "yes"})
    assert "is not on this vehicle" in elsewhere.text
    axle = circuit(visitor, "Axle speed")
    page = visitor.send(form, cover="Take the seat off", back="Put the seat back", **{f"behind.{axle}": "yes"})
    assert page.status == 200
    steps = {s["title"]: s for s in visitor.client.get(f"/api/v1/vehicles/{vehicle}/session").json()["steps"]}
    tests = [s for title, s in steps.items() if title.startswith("Test Axle speed")]
    assert len(tests) >= 1
    for test in tests:
        assert steps["Take the seat off"]["end"] <= test["start"]
        assert test["end"] <= steps["Put the seat back"]["start"]
    off = steps["Take the seat off"]["key"]
    assert say(visitor, off, "done", technician_uid=BRAM).status == 200
    assert planned(visitor, f"{off}/back") is not None, "what is off is put back, whoever took it off"
    assert planned(visitor, off) is None


def test_a_step_whose_wait_was_taken_away_is_planned_all_the_same(visitor):
    """What was accepted breaks no plan later: neither that step nor what comes and goes with the readings is missed."""
    form = add_form(visitor)
    given = {"vehicle_uid": D3, "minutes": "20"}
    visitor.send(form, title="Wash it", **given)
    wash = next(s["key"] for s in visitor.client.get(API).json()["steps"] if s["title"] == "Wash it")
    visitor.send(form, title="Dry it", after=wash, **given)
    remove = visitor.client.get("/work", params={"step": wash})
    assert visitor.send(Page(remove).form("/work/remove"), key=wash).status == 200
    told = visitor.client.get(API).json()
    assert told["problems"] == []
    assert "Dry it" in {s["title"] for s in told["steps"]}


def test_a_wait_for_another_vehicle_is_refused_in_words(standing):
    page = standing.send(add_form(standing), vehicle_uid=D3, title="Wash it", minutes="20", after=HOSE)
    assert page.status == 422
    assert "It waits for a step that is not there. Choose one of the same vehicle." in page.text


def test_a_time_that_cannot_be_is_named_and_the_plan_bends(visitor):
    page = visitor.client.get("/work", params={"step": HOSE})
    form = [f for f in Page(page).reader.forms if f.action.endswith("/work/pin")][-1]
    night = (datetime.now(ZoneInfo("Europe/London")) + timedelta(days=2)).strftime("%Y-%m-%dT02:00")
    page = visitor.send(form, key=HOSE, at=night, only_uid="")
    assert page.status == 200
    assert "“Renew the brake hose” of P-2 cannot be at" in page.text
    assert planned(visitor, HOSE) is not None
    assert planned(visitor, RUN) is not None
    visitor.send(form, key=HOSE, at="2026-01-05T02:00", only_uid="")
    assert "cannot be at" not in visitor.get("/work").text, "it is long past"
    assert planned(visitor, HOSE) is not None


def test_a_part_that_comes_in_weeks_is_planned_for_then(visitor):
    there = datetime.now(ZoneInfo("Europe/London")) + timedelta(days=31)
    visitor.send(
        add_form(visitor),
        vehicle_uid=D3,
        title="Fit the late pump",
        minutes="30",
        not_before=there.strftime("%Y-%m-%dT%H:%M"),
    )
    told = visitor.client.get(API).json()
    assert told["problems"] == []
    late = next(s for s in told["steps"] if s["title"] == "Fit the late pump")
    assert datetime.fromisoformat(told["start"]) + timedelta(minutes=late["begins"]) >= there.replace(
        second=0, microsecond=0
    )


def test_what_is_done_at_once_was_cautioned_of_and_in_its_turn_too(visitor):
    page = say(visitor, HOSE, "done", technician_uid=BRAM)
    assert page.status == 422
    assert "Let the reservoir down to nothing first" in page.text
    assert "comes before it" in say(visitor, RUN, "done", technician_uid=BRAM, confirmed="yes").text
    assert say(visitor, HOSE, "done", technician_uid=BRAM, confirmed="yes").status == 200


def test_a_check_that_is_not_possible_holds_back_what_waits_for_it(visitor):
    steps = visitor.client.get(API).json()["steps"]
    check = next(s for s in steps if s["title"].startswith("Ohms to ground of Blade tilt"))
    up = next(s for s in steps if s["title"].startswith("Power up Blade tilt"))
    page = say(visitor, check["key"], "not possible", technician_uid=BRAM, why="no meter")
    assert "“Ohms to ground of Blade tilt angle, before its fuse goes in” of G-12 is not possible" in page.text
    assert planned(visitor, up["key"]) is None
    assert say(visitor, up["key"], "started", technician_uid=BRAM, confirmed="yes").status == 404
    say(visitor, check["key"], "open")
    assert planned(visitor, up["key"]) is not None


def test_a_full_shop_is_planned_by_its_nearest_promises(demo, monkeypatch):
    monkeypatch.setattr("irongauge.workflows.work.work_list._MOST_STEPS", 20)
    view = look_at_work(demo)
    assert view.plan is not None
    assert [job.vehicle.tag for job in view.later] == ["LT-7"]
    assert len(view.work.steps) <= 20
    monkeypatch.setattr("irongauge.workflows.work.work_list._MOST_VEHICLES", 1)
    view = look_at_work(demo)
    assert len(view.jobs) == 1
    assert len(view.later) == 3
    assert look_at_work(demo, uid_of("LT-7")).later == (), "its own page has all of it"


def test_odd_hours_of_one_stand_beside_their_own_field(visitor):
    shop, *own = [f for f in visitor.get("/work").reader.forms if f.action.endswith("/work/hours")]
    nell = next(f for f in own if f.fields["worker_uid"] == NELL)
    page = visitor.send(nell, hours="eight to four")
    assert page.status == 422
    fields = [f.fields["hours"] for f in page.reader.forms if f.action.endswith("/work/hours")]
    assert fields.count("eight to four") == 1
    assert fields[0] == shop.fields["hours"]


def test_hours_of_the_shop_and_of_one(visitor):
    page = visitor.get("/work")
    shop, *own = [f for f in page.reader.forms if f.action.endswith("/work/hours")]
    bad = visitor.send(shop, hours="8-12")
    assert bad.status == 422
    assert "has no days" in bad.text
    nell = next(f for f in own if f.fields["worker_uid"] == NELL)
    assert visitor.send(nell, hours="").status == 200
    assert not [s for s in visitor.client.get(API).json()["steps"] if NELL in s["people"]]
    assert visitor.send(shop, hours="").status == 200, "nobody works"
    assert "Nobody has hours in this time." in visitor.get("/work").text
    assert visitor.client.get(API).json()["problems"]
    assert visitor.send(shop, hours="Mon-Sun 0-24").status == 200
    assert visitor.client.get(API).json()["problems"] == []


def test_a_tool_that_is_not_there_is_told(visitor):
    form = visitor.get("/work").form("/work/tools")
    page = visitor.send(form, tools="hand pump: two")
    assert page.status == 422
    assert "“hand pump: two” is no tool with a number." in page.text
    assert visitor.send(form, tools="scope: 0\nhand pump: 2").status == 200
    assert "needs the scope, and none is fit to use" in visitor.get("/work").text


def test_one_action_lets_another_vehicle_go_home_first(visitor):
    before = visitor.get("/work")
    form = next(
        f
        for f in before.reader.forms
        if f.action.endswith("/work/first") and f.fields["job_uid"] == str(uid_of("job LT-7"))
    )
    page = visitor.send(form, goes_first="yes")
    assert "Goes home first: take back" in page.text
    with_first = visitor.client.get(API).json()
    ends = {s["vehicle"]: s["end"] for s in sorted(with_first["steps"], key=lambda s: s["end"])}
    assert visitor.send(form, goes_first="").status == 200
    without = {s["vehicle"]: s["end"] for s in sorted(visitor.client.get(API).json()["steps"], key=lambda s: s["end"])}
    assert ends[str(uid_of("LT-7"))] <= without[str(uid_of("LT-7"))]


def test_a_better_plan_is_kept(visitor):
    form = visitor.get("/work").form("/work/better")
    told = visitor.client.post(form.action, data=form.fields).json()
    cost = visitor.client.get(API).json()["cost"]
    assert set(told) == {"better", "best", "changes_min", "late"}
    again = visitor.client.post(form.action, data=form.fields).json()
    assert visitor.client.get(API).json()["cost"] <= cost
    assert again["changes_min"] <= told["changes_min"] or again["late"] <= told["late"]


def test_two_people_at_once_lose_nothing(visitor):
    say(visitor, HOSE, "started", technician_uid=BRAM, confirmed="yes")
    say(visitor, HOSE, "paused", technician_uid=NELL)
    told = " ".join(visitor.client.get("/work", params={"step": HOSE}).text.split())
    assert ": started, Bram Keldby" in told
    assert ": paused, Nell Tregenza" in told


def test_times_of_the_weeks_before_are_used(demo):
    """Six tests took a median of 1.19 of their default minutes in the demo: a reading takes 2.4 min, not 2."""
    view = look_at_work(demo)
    test = next(s for s in view.work.steps if str(s.kind) == "test")
    usual = view.usual[test.key].minutes
    assert test.minutes == round(usual * (13 / 10 + 13 / 12) / 2) == view.learned[test.kind].minutes(usual)
    assert view.status(test.key) is Status.OPEN


# By program


def example(visitor):
    described = visitor.client.get("/api/v1/openapi.json").json()["paths"][API]["post"]
    return next(iter(described["requestBody"]["content"]["application/json"]["examples"].values()))["value"]


def test_the_example_is_planned_to_the_least(standing):
    told = standing.client.post(API, json=example(standing) | {"effort": 0.1}).json()
    assert [s["key"] for s in told["steps"]][-1] == "power"
    assert told["changes_min"] == 4 + 5, "battery off once, then 4 to leave it and 1 for the key"
    assert told["cost"] == told["bound"] == 60 * 9 + 44
    assert told["changes_min_by_entry"] == 4 + 5 + 4
    assert told["late"] == []


def test_a_circle_is_named_with_its_members(standing):
    body = example(standing)
    body["steps"][0]["after"] = ["power"]
    told = standing.client.post(API, json=body).json()
    assert "Ohms to ground" in told["problems"][0]
    assert "Power up" in told["problems"][0]
    assert told["steps"] == []


def one_with(*windows):
    return {"technicians": [{"key": "Bram", "windows": list(windows)}]}


@pytest.mark.parametrize(("change", "status"), [
    ({"technicians": []}, 422), ({"vehicles": [{"key": "other"}]}, 422),
    ({"steps": [{"key": "a", "vehicle": "LT-7", "minutes": 0}]}, 422), ({"effort": 1e9}, 422), ({"odd": 1}, 422),
    (one_with([9, 3]), 422), (one_with([0, 9], [3, 12]), 422), (one_with(), 200), (one_with([0, 20]), 200),
    (one_with([0, 30], [40, 71]), 200), (one_with([0, 144_000]), 200),
    ({"steps": []}, 200), ({"vehicles": [{"key": "LT-7", "promise": -500}]}, 200),
])  # fmt: skip
def test_odd_lists_are_answered_in_words(standing, change, status):
    answer = standing.client.post(API, json=example(standing) | change)
    assert answer.status_code == status, answer.text
    if status == 200:
        told = answer.json()
        assert bool(told["problems"]) != bool(told["steps"])
    else:
        assert answer.json()["detail"]


def test_a_promise_in_the_past_is_late_by_what_it_is(standing):
    body = example(standing) | {"vehicles": [{"key": "LT-7", "promise": -500}], "helps": True}
    told = standing.client.post(API, json=body).json()
    end = max(s["end"] for s in told["steps"])
    assert told["late"] == [{"vehicle": "LT-7", "late_min": end + 500, "can_be_kept": False, "helps": []}]


def test_the_plan_of_one_vehicle_has_only_its_own(standing):
    told = standing.client.get(f"/api/v1/vehicles/{P2}/session").json()
    assert {s["vehicle"] for s in told["steps"]} == {P2}


def test_a_lane_for_each_vehicle_says_who_does_it(standing):
    by_people, by_vehicle = (standing.get(path).response.text for path in ("/work", "/work?lanes=vehicle"))
    assert by_people.count('data-lane="') == 5
    lanes = by_vehicle.count('data-lane=""')
    assert lanes == len({s["key"].split("/")[0] for s in standing.client.get(API).json()["steps"]}) > 2
    assert 'class="work-tag"' in by_vehicle
    assert "lanes=vehicle&amp;step=" in by_vehicle


def _entries_to_change(visitor):
    steps = visitor.client.get(API).json()["steps"]
    return {s["title"].split("”")[0].split("“")[1] for s in steps if s["title"].startswith("Change “")}


def test_what_a_controller_holds_of_another_sensor_is_a_step(visitor):
    source = f"circuit:{circuit(visitor, 'Boost pressure')}"
    wrong = {"Greatest pressure believed", "Dash gauge 1"}  # the demo's own: one hides the top, one has the other base
    assert _entries_to_change(visitor) == wrong
    form = visitor.get(f"/curve/check?source={source}").form("/curve/check")
    figures = {"reading_low": "0.4", "shown_low": "20", "reading_high": "4.65", "shown_high": "36.26"}
    typed = {f"end_points.{name}": value for name, value in figures.items()}
    kept = visitor.send(
        form, unit="kPa", base="absolute", kind="end points", name="Fuel table", technician_uid=BRAM, **typed
    )
    assert _entries_to_change(visitor) == wrong | {"Fuel table"}
    visitor.send(kept.form("/entries/forget"), name="Fuel table")
    assert _entries_to_change(visitor) == wrong
