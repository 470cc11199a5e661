"""The room Trace as a browser without scripts would use it, and by program."""

from __future__ import annotations

import re

import pytest

from irongauge.demo.shelf import uid_of
from irongauge.workflows.shop.queue import work_off
from tests.web.visitor import Page, circuit
from tests.workflows.test_logs import as_csv, by_tens
from tools.logging_drives import made_drive

LT7, P2 = uid_of("LT-7"), uid_of("P-2")
LOG = uid_of("log slipway run.csv")


def hand_in(visitor, content, name="drive.csv", **fields):
    form = visitor.get("/trace").form("/trace/logs")
    data = {**form.fields, "vehicle_uid": str(P2), **fields}
    files = {"file": (name, content, "text/csv")} if content is not None else {"file": ("", b"")}
    return Page(visitor.client.post(form.action, data=data, files=files, follow_redirects=True))


def test_a_log_is_handed_in_read_and_judged_on_its_page(visitor, demo):
    page = hand_in(visitor, as_csv(made_drive(None, 12).log))
    assert page.status == 200
    assert "It is being read" in page.text
    state = page.response.url.path + "/state"
    assert visitor.client.get(state).json() == {"state": "waiting", "doing": "Waiting to be read", "share": 0.0}
    work_off(demo)
    assert visitor.client.get(state).json()["state"] == "ready"
    read = visitor.get(page.response.url.path)
    assert "No fault is found, but not all is as usual" in read.text
    assert "Against this vehicle’s normals" in read.text
    assert "To its job" in read.text
    told = visitor.send(read.form("/well"), is_well="yes")
    assert "The vehicle was well on this log" in told.text
    assert "the vehicle was well" in visitor.get("/trace").text
    gone = visitor.send(told.form("/remove"))
    assert gone.response.url.path == "/trace"
    assert visitor.get(page.response.url.path).status == 404


def test_a_level_far_from_usual_says_what_to_do_about_it_and_leads_to_the_job(visitor, demo):
    halved = as_csv(made_drive(None, 12).log, change={"Oil pressure (kPa)": lambda value: 0.5 * value})
    page = hand_in(visitor, halved)
    work_off(demo)
    read = visitor.get(page.response.url.path)
    assert "Look at the oil’s level and grade, then measure it with a gauge at the gallery, hot." in read.text
    assert "To its job" in read.text


def test_what_times_are_in_is_told_with_one_tap_beside_the_log(visitor, demo):
    page = hand_in(visitor, by_tens())
    work_off(demo)
    read = visitor.get(page.response.url.path)
    assert "does not say what its times are in; taken as ms" in read.text
    told = visitor.send(read.form("/times"), time_unit="s")
    work_off(demo)
    assert "taken as s ." in visitor.get(told.response.url.path).text
    assert visitor.send(read.form("/times"), time_unit="days").status == 422


@pytest.mark.parametrize(
    ("content", "fields", "says"),
    [
        (None, {}, "No log was chosen."),
        (b"time,rpm\n", {"vehicle_uid": ""}, "Choose the vehicle"),
        (b"", {}, "It is empty."),
    ],
)
def test_what_is_not_handed_in_right_is_refused_and_stays_typed(visitor, content, fields, says):
    page = hand_in(visitor, content, time_unit="ms", **fields)
    assert page.status == 422
    assert says in page.text
    assert page.form("/trace/logs").fields["time_unit"] == "ms"


def test_a_log_that_cannot_be_read_says_why_and_offers_another(visitor, demo):
    page = hand_in(visitor, b"time,rpm\n1,2\n", name="two\x07 rows.csv")
    work_off(demo)
    refused = visitor.get(page.response.url.path)
    assert "rows.csv" in refused.text
    assert "Read another file" in refused.text
    assert "not read" in visitor.get("/trace").text


def test_the_demos_logs_say_what_is_in_them(standing):
    assert "1 found" in standing.get("/trace").text
    launcher = standing.get(f"/trace/logs/{LOG}")
    assert "it is cut off there" in launcher.text
    assert "To confirm: Compare with a gauge in parallel" in launcher.text
    assert "A log alone proves no part bad" in launcher.text
    de_icer = standing.get(f"/trace/logs/{uid_of('log taxiway.csv')}")
    assert "Fuel pressure drop at the same moment" in de_icer.text
    groomer = standing.get(f"/trace/logs/{uid_of('log piste, first snow.csv')}")
    assert "Battery: ripples by" in groomer.text


def test_a_stretch_has_what_the_picture_needs(standing):
    address = f"/trace/logs/{LOG}/stretch"
    told = standing.client.get(address, params={"from_s": 0, "until_s": 240, "channels": "0,3", "columns": 200}).json()
    assert [one["place"] for one in told] == [0, 3]
    assert all(len(one["time_s"]) == len(one["low"]) == len(one["high"]) <= 202 for one in told)
    for query in ({"from_s": 0, "until_s": 1, "channels": "99"}, {"from_s": "nan", "until_s": 1, "channels": "0"}, {}):
        assert standing.client.get(address, params=query).status_code in {404, 422}
    backwards = {"from_s": 1e300, "until_s": -5, "channels": "0,x,,²"}
    assert standing.client.get(address, params=backwards).status_code == 200


def test_what_a_channel_is_of_is_changed_and_judged_again(visitor, demo):
    page = visitor.get(f"/trace/logs/{LOG}?channel=6")
    form = page.form("/channel")
    assert (form.fields["heading"], form.fields["sense"]) == ("Oil pressure", "oil pressure")
    wrong = visitor.send(form, unit="furlongs")
    assert wrong.status == 422
    assert "“furlongs” is no unit that is known here." in wrong.text
    assert wrong.form("/channel").fields["unit"] == "furlongs"
    clash = visitor.send(form, unit="°C")
    assert "Oil pressure is not in °C." in clash.text
    winch = circuit(visitor, "Winch oil pressure")
    told = visitor.send(form, unit="bar", circuit_uid=winch)
    assert told.status == 200
    work_off(demo)
    again = visitor.get(f"/trace/logs/{LOG}")
    assert "Winch oil pressure" in again.text
    assert "beyond" not in again.text.split("Channels")[0] or "its curve goes from" in again.text


def test_peaks_are_listed_and_a_band_is_told(standing):
    page = standing.get(f"/trace/logs/{LOG}/peaks?place=6&above=300")
    assert "Oil pressure was above for" in page.text
    assert standing.get(f"/trace/logs/{LOG}/peaks?place=6&above=x").status == 422
    assert standing.get(f"/trace/logs/{LOG}/peaks?place=²&below=99999").status == 200


def test_rules_are_tried_kept_and_taken_away(visitor):
    tried = visitor.get("/trace/rules?when=battery volts > 13 V for 5 s")
    assert tried.text.count("Battery it holds") == 6
    bad = visitor.get("/trace/rules?when=nonsense")
    assert bad.status == 422
    assert "cannot be read as a condition" in bad.text
    form = bad.form("/trace/rules")
    fields = {"name": "Ours", "when": "battery volts > 13 V", "means": "is charged", "check": "Look."}
    form = next(
        f for f in visitor.get("/trace/rules").reader.forms if f.method == "post" and f.action.endswith("/rules")
    )
    refused = visitor.send(form, **{**fields, "when": "nonsense"})
    assert refused.status == 422
    kept = visitor.send(form, **fields)
    assert "Ours" in kept.text
    assert "Ours" not in visitor.send(kept.form("/remove")).text


def test_normals_show_what_is_known_and_what_is_not(standing):
    known = standing.get(f"/vehicles/{P2}/normals")
    assert "Oil pressure" in known.text
    assert "±" in known.text
    unknown = standing.get(f"/vehicles/{LT7}/normals")
    assert "Nothing is known yet of oil pressure" in unknown.text
    assert "more readings are of logs that nobody called well" in unknown.text


@pytest.mark.parametrize(
    "path",
    [f"/trace/logs/{P2}", "/trace/logs/x", f"/trace/logs/{P2}/state", f"/trace/logs/{P2}/peaks", "/vehicles/x/normals"],
)
def test_what_is_not_there_is_not_there(standing, path):
    assert standing.get(path).status == 404


def test_a_log_is_handed_in_and_asked_for_by_program(visitor, demo):
    client, address = visitor.client, f"/api/v1/vehicles/{P2}/logs"
    content = as_csv(made_drive(None, 13).log, change={"Battery (V)": lambda v: v - 2.5})
    made = client.post(address, params={"name": "by program.csv"}, content=content)
    assert made.status_code == 202
    uid = made.json()["uid"]
    assert made.json()["state"] == "waiting"
    work_off(demo)
    told = client.get(f"/api/v1/logs/{uid}").json()
    assert told["state"] == "ready"
    assert {c["name"] for c in told["channels"]} >= {"Oil pressure", "Battery"}
    stands = client.get(f"/api/v1/logs/{uid}/standings").json()
    assert {s["mark"] for s in stands if s["channel"] == "battery volts"} >= {"fail"}
    assert uid in {log["uid"] for log in client.get(address).json()}
    mean = [{"heading": "Oil pressure", "sense": "oil pressure", "unit": "psi"}]
    assert client.post(f"/api/v1/logs/{uid}/channels", json=mean).status_code == 204
    assert client.post(f"/api/v1/logs/{uid}/channels", json=[{**mean[0], "unit": "°C"}]).status_code == 422
    assert client.post(f"/api/v1/logs/{uid}/channels", json=[{**mean[0], "heading": "None"}]).status_code == 404
    before = client.get(f"/api/v1/vehicles/{P2}/normals").json()["normals"]
    assert client.post(f"/api/v1/logs/{uid}/well", json={"is_well": True}).status_code == 204
    after = client.get(f"/api/v1/vehicles/{P2}/normals").json()["normals"]
    assert sum(n["count"] for n in after) > sum(n["count"] for n in before)


def test_a_rule_is_tried_by_program(standing):
    tried = standing.client.post("/api/v1/traces/rule", json={"when": "battery volts > 13 V for 5 s"}).json()
    assert [one["holds"] for one in tried] == [True] * 6
    assert standing.client.post("/api/v1/traces/rule", json={"when": "nonsense"}).status_code == 422


@pytest.mark.parametrize(
    ("method", "path"),
    [("GET", f"/api/v1/logs/{P2}"), ("GET", "/api/v1/vehicles/x/logs"), ("GET", f"/api/v1/vehicles/{LOG}/logs"),
     ("GET", f"/api/v1/vehicles/{LOG}/normals"), ("GET", f"/api/v1/logs/{P2}/standings"),
     ("POST", f"/api/v1/vehicles/{LOG}/logs?name=x")],
)  # fmt: skip
def test_by_program_too_what_is_not_there_is_not_there(standing, method, path):
    assert standing.client.request(method, path, content=b"time,rpm\n").status_code == 404


def test_a_split_scale_is_shown_and_asked_for_as_its_display_does(visitor, demo):
    rows = [f"{at / 10},{800 + at % 7},{-20 + at * 0.1:.2f}" for at in range(400)]
    page = hand_in(visitor, ("Time (s),RPM,Boost (inHg/psi)\n" + "\n".join(rows)).encode())
    work_off(demo)
    path = page.response.url.path
    assert "20.00 inHg vacuum" in visitor.get(path).text
    peaks = visitor.get(f"{path}/peaks?place=1&below=-10&above=10")
    assert "19.90 psi" in peaks.text
    # By hand: -20 to -10 takes 10 s of the ramp, and 10 to 19.9 the last 10 s.
    assert "below for 10.0 s" in peaks.text
    assert "above for 9.8 s" in peaks.text or "above for 9.9 s" in peaks.text


def test_the_picture_has_the_curve_of_a_sensor_that_is_mapped(standing):
    page = standing.get(f"/trace/logs/{LOG}").response.text
    assert "&#34;curve&#34;: [[0." in page  # Boost pressure, 20 to 250 kPa over 0.40 to 4.65 V
    assert "[0.4, 20.0]" in page
    assert "[4.65, 250.0]" in page


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        (("0:10", "1:30"), "The vehicle was well on this log from 0:10.0 to 1:30.0"),
        (("20", ""), "The vehicle was well on this log from 0:20.0 to"),
        (("soon", ""), "“soon” is no time in the log"),
        (("90", "10"), "lies between 0 and"),
    ],
)
def test_a_stretch_of_a_log_is_marked_as_well(visitor, demo, typed, says):
    path = f"/trace/logs/{uid_of('log taxiway.csv')}"
    page = visitor.send(visitor.get(path).form("/well"), is_well="yes", from_s=typed[0], until_s=typed[1])
    work_off(demo)
    assert says in (page.text if page.status == 422 else visitor.get(path).text)


def _gauge(visitor, vehicle, day, readings):
    form = visitor.get(f"/vehicles/{vehicle}/normals").form("/normals")
    told = {"sense": "fuel pressure", "heat": "hot", "speed": "at idle", "load": "", "read_on": day}
    return visitor.send(form, readings=readings, **told)


def _usual_bar(page):
    found = re.search(r"Fuel pressure hot, at idle ([\d.]+)", page.text)
    return None if found is None else round(float(found[1]) / 100, 2)


def test_a_form_that_is_refused_stands_open_and_the_other_does_not(visitor):
    page = visitor.get(f"/vehicles/{P2}/normals")
    is_open = lambda answer, name: f'id="{name}" open' in answer.response.text  # noqa: E731
    assert not is_open(page, "type-normals")
    refused = visitor.send(page.form("/normals"), readings="4 bar", heat="lukewarm")
    assert (is_open(refused, "type-normals"), is_open(refused, "engines")) == (True, False)
    refused = visitor.send(page.form("/engines"), engine="")
    assert (is_open(refused, "type-normals"), is_open(refused, "engines")) == (False, True)


def test_what_is_usual_of_an_engine_goes_with_it_to_another_vehicle(visitor):
    its = _usual_bar(_gauge(visitor, LT7, "2026-03-01", "3.00 bar\n3.02 bar\n3.01 bar\n2.99 bar"))
    page = _gauge(visitor, P2, "2026-03-02", "4.00 bar\n4.02 bar\n4.01 bar\n3.99 bar")
    before = _usual_bar(page)
    assert abs(before - its) > 0.3
    form = page.form("/engines")
    refused = visitor.send(form, engine="", came_from=str(LT7))
    assert refused.status == 422
    assert "number or name" in refused.text
    assert "has not come yet" in visitor.send(form, engine="4711", fitted_on="2099-01-01").text
    moved = visitor.send(form, engine="4711", came_from=str(LT7))
    assert "Engine 4711" in moved.text
    assert _usual_bar(moved) == its, "what it read in LT-7"
    assert "its first" in visitor.get(f"/vehicles/{LT7}/normals").text
    other = visitor.send(form, engine_uid=str(P2), engine="4712", came_from=str(LT7))
    assert other.status == 422
    assert "“4711” was in that vehicle then" in other.text
    assert _usual_bar(visitor.send(moved.form("/engines/"))) == before


def test_what_a_gauge_shows_becomes_a_normal_and_can_be_taken_back(visitor):
    page = visitor.get(f"/vehicles/{LT7}/normals")
    typed = "1.8 bar at 88; 1.9 at 90; 1.85 at 91\n7+ bar"
    form = page.form("/normals")
    refused = visitor.send(form, sense="oil pressure", readings="1.8 bar; nonsense", read_on="2026-03-01")
    assert refused.status == 422
    assert "“nonsense” is no reading." in refused.text
    assert "1.8 bar; nonsense" in refused.text  # what was typed stays
    late = visitor.send(form, sense="oil pressure", readings=typed, read_on="2099-01-01")
    assert late.status == 422
    assert "has not come yet" in late.text
    kept = visitor.send(form, sense="oil pressure", readings=typed, read_on="2026-03-01")
    again = visitor.send(form, sense="oil pressure", readings=typed, read_on="2026-03-01")  # sent twice, kept once
    assert kept.status == again.status == 200
    assert "Typed readings (4)" in again.text
    assert "at least 700 kPa" in again.text
    assert again.response.text.count("normal-strips") == 1
    gone = visitor.send(again.form("/remove"))
    assert "Typed readings (3)" in gone.text
