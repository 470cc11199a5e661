"""Live data as a browser without scripts would use it, as its stream tells it, and by program."""

from __future__ import annotations

import json
from uuid import UUID

import pytest

from irongauge.demo.shelf import uid_of
from irongauge.instruments.simulated_meter import SimulatedMeter
from irongauge.settings import get_settings
from irongauge.workflows.live.watching import samples_after
from irongauge.workflows.shop.queue import work_off
from tests.web.visitor import Page, circuit
from tools.holding import held, until

LT7, JOB = uid_of("LT-7"), uid_of("job LT-7")
PLUG, BOARD_PLUG = uid_of("plug LT-7"), uid_of("plug BOARD")


def events(visitor, after=0, count=3, **headers):
    """The first events of the stream: kind, number, data."""
    found = []
    address = f"/trace/live/{PLUG}/events?after={after}"
    with visitor.client.stream("GET", address, headers=headers, timeout=60) as stream:
        assert stream.headers["content-type"].startswith("text/event-stream")
        one = {}
        for line in stream.iter_lines():
            if line and not line.startswith(":"):
                name, _, value = line.partition(": ")
                one[name] = value
            elif one:
                found.append((one.get("event"), int(one.get("id", 0)), json.loads(one["data"])))
                one = {}
                if len(found) == count:
                    return found
    return found


def rows(demo, count):
    """Wait until so many more samples have come."""
    before = len(samples_after(demo, PLUG, 0))
    until(lambda: len(samples_after(demo, PLUG, 0)) >= before + count)


def test_values_come_as_a_stream_and_a_browser_that_slept_is_told_all(visitor, demo):
    with held(demo, PLUG):
        first, *more = events(visitor)
        assert first[0] == "values"
        names = [tile["name"] for tile in first[2]["tiles"]]
        assert names[:2] == ["Engine speed", "Coolant temperature"]
        assert all(one[2]["age_s"] < 2 for one in more)
        rows(demo, 8)
        again = events(visitor, after=0, count=1, **{"Last-Event-ID": str(first[1])})
        assert again[0][1] > more[-1][1]
        times = [point[0] for point in again[0][2]["points"]]
        assert len(times) > 5  # all that came while it slept
        assert times == sorted(times)


def test_a_silent_bus_is_told_in_the_stream(visitor):
    (kind, _, data) = events(visitor, count=1)[0]
    assert kind == "silent"
    assert "Nothing comes off the bus" in data["trouble"]


def test_a_recording_is_begun_ended_and_read(visitor, demo):
    with held(demo, PLUG):
        page = visitor.get("/trace/live")
        begun = visitor.send(page.form("/record"))
        assert "Recording since" in begun.text
        refused = Page(
            visitor.client.post(f"/trace/live/{PLUG}/remove", data=begun.form("/remove").fields, follow_redirects=True)
        )
        assert "A recording is running there" in refused.text
        rows(demo, 25)
        log = visitor.send(begun.form("/end"))
        assert log.response.url.path.startswith("/trace/logs/")
    work_off(demo)
    read = visitor.get(log.response.url.path)
    assert "Live 2" in read.text
    assert "Engine speed" in read.text


def test_bands_are_kept_in_the_unit_that_is_shown(visitor, demo):
    with held(demo, PLUG):
        form = visitor.get("/trace/live").form("/watch")
        page = visitor.send(form, **{"below:Oil pressure": "9,5", "above:Oil pressure": ""})
        assert "not below 9.50 bar" in page.text
        with demo.unit() as store:
            watched = {one.channel: one for one in store.live.port(PLUG).watched}
        assert watched["Oil pressure"].below == pytest.approx(950)  # kPa, as the bus has it
        tiles = {tile["name"]: tile for tile in events(visitor, count=2)[1][2]["tiles"]}
        assert tiles["Oil pressure"]["is_beyond"] is True
        wrong = visitor.send(form, **{"below:Oil pressure": "low"})
        assert wrong.status == 422
        assert "Type an end of the band of Oil pressure" in wrong.text
        assert wrong.form("/watch").fields["below:Oil pressure"] == "low"


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"name": "Green plug", "interface": "virtual"}, "“Green plug” is there already"),
        ({"name": "Red", "interface": "socketcan", "channel": ""}, "It is not said where the bus is"),
        ({"name": "", "interface": "socketcan", "channel": "can0"}, "what the shop calls it"),
        ({"name": "Red", "interface": "socketcan", "channel": "can0", "bitrate": "5"}, "bits a second"),
    ],
)
def test_a_bus_that_is_not_told_right_is_refused_and_stays_typed(visitor, fields, says):
    form = visitor.get("/trace/live").form("/trace/live/ports")
    page = visitor.send(form, **({"bitrate": "500000"} | fields))
    assert page.status == 422
    assert says in page.text
    assert page.form("/trace/live/ports").fields["name"] == fields["name"]


def test_a_bus_is_added_with_its_frames_and_taken_away(visitor):
    form = visitor.get("/trace/live").form("/trace/live/ports")
    data = {**form.fields, "name": "Red plug", "interface": "socketcan", "channel": "can7", "bitrate": "250000"}
    bad = {"frames": ("odd.dbc", b"no frames", "text/plain")}
    refused = Page(visitor.client.post(form.action, data=data, files=bad, follow_redirects=True))
    assert "odd.dbc" in refused.text
    good = {
        "frames": ("own.dbc", b'VERSION ""\nBU_: A\nBO_ 100 F: 8 A\n SG_ Tiller_speed : 0|16@1+ (1,0) [0|1] "rpm" A\n')
    }
    added = Page(visitor.client.post(form.action, data=data, files=good, follow_redirects=True))
    assert "Red plug" in added.text
    assert "It is not said which vehicle" in added.text
    plugged = visitor.send(added.form("/plug"), vehicle_uid=str(uid_of("D-3")))
    assert "D-3, Red plug" in plugged.text
    gone = visitor.send(plugged.form("/remove"))
    assert "Red plug" not in gone.text


def test_codes_are_read_cleared_only_when_that_is_meant_and_stand_on_the_sheet(visitor, demo):
    with held(demo, PLUG):
        page = visitor.get(f"/jobs/{JOB}/codes")
        assert "Not read yet" in page.text
        read = visitor.send(page.form("/codes/ask"))
        assert "P1A00" in read.text
        assert "Engine speed 1480 rpm" in read.text  # the freeze frame
        unsure = visitor.send(read.form("/codes/ask"), clear="yes")
        assert unsure.status == 422
        assert "Nothing was cleared" in unsure.text
        cleared = visitor.send(unsure.form("/codes/ask"), clear="yes", sure="yes")
        assert "before clearing" in cleared.text
        until(lambda: "P1A00 is back, and pending" in asked_again(visitor))  # its sensor is dead
    sheet = visitor.get(f"/jobs/{JOB}/handover")
    assert "Trouble codes" in sheet.text
    assert "P1A00 is back" in sheet.text


def test_a_bus_that_does_not_answer_is_said_on_the_page(visitor, monkeypatch):
    monkeypatch.setattr("irongauge.workflows.live.codes._WAIT_S", 0.2)
    page = visitor.send(visitor.get(f"/jobs/{JOB}/codes").form("/codes/ask"))
    assert page.status == 409
    assert "The bus does not answer" in page.text


def test_codes_of_a_handheld_reader_are_typed(visitor):
    page = visitor.get(f"/jobs/{JOB}/codes")
    wrong = visitor.send(typed_form(page), stored="P05")
    assert "“P05” is no trouble code" in wrong.text
    assert typed_form(wrong).fields["stored"] == "P05"
    kept = visitor.send(typed_form(wrong), stored="p0118")
    assert "P0118 is stored" in kept.text
    assert "handheld reader" in kept.text


def asked_again(visitor):
    return visitor.send(visitor.get(f"/jobs/{JOB}/codes").form("/codes/ask")).text


def typed_form(page):
    return next(form for form in page.reader.forms if form.action.endswith("/codes"))


def test_a_recording_that_is_too_short_is_ended_and_says_so(visitor, demo):
    with held(demo, PLUG):
        begun = visitor.send(visitor.get("/trace/live").form("/record"))
        short = visitor.send(begun.form("/end"))
        assert "The recording is ended" in short.text
        assert "Recording since" not in visitor.get("/trace/live").text


# The Bench


@pytest.fixture
def practice(visitor):
    """The Bench of a practice circuit, and the network meter that is on the Shelf."""
    return f"/circuits/{circuit(visitor, 'Oil pressure')}/bench", str(uid_of("m7"))


def test_an_empty_field_is_filled_from_the_meter_and_keeps_what_it_said(visitor, demo, practice, monkeypatch):
    bench, meter = practice
    with SimulatedMeter() as made:
        monkeypatch.setenv("IRON_METER_PORT", str(made.port))
        get_settings.cache_clear()
        page = visitor.get(bench)
        filled = visitor.send(page.form("/readings"), value="", instrument_uid=meter)
        assert filled.status == 200
        form = filled.form("/readings")
        assert 11 < float(form.fields["value"]) < 14
        assert "Press Enter to record it" in filled.text
        recorded = visitor.send(form)
        assert recorded.status == 200
    get_settings.cache_clear()
    with demo.unit() as store:
        (reading,) = store.readings.of_circuits([UUID(circuit(visitor, "Oil pressure"))]).popitem()[1]
    assert reading.read_off.startswith("simulated meter, Meter 7 (network): DC volts, range 100: +1.")


def test_a_meter_that_cannot_be_reached_is_said_beside_the_field(visitor, practice, monkeypatch):
    bench, meter = practice
    monkeypatch.setenv("IRON_METER_PORT", "9")
    get_settings.cache_clear()
    page = visitor.send(visitor.get(bench).form("/readings"), value="", instrument_uid=meter)
    get_settings.cache_clear()
    assert page.status == 422
    assert "does not answer" in page.text


def test_a_customers_circuit_is_not_read_with_the_simulated_meter(visitor):
    bench = visitor.get(f"/circuits/{circuit(visitor, 'Brake line pressure')}/bench")
    page = visitor.send(bench.form("/readings"), value="", instrument_uid=str(uid_of("m7")))
    assert "reads circuits of jobs for practice" in page.text


def test_a_live_data_step_is_filled_from_the_bus(visitor, demo, practice):
    bench, _ = practice
    with held(demo, BOARD_PLUG):
        page = visitor.get(f"{bench}?test=live_value::0")
        assert "on the simulated bus" in page.text
        filled = visitor.send(page.form("/readings"), value="")
        if filled.status == 200:
            assert "simulated bus, " in filled.form("/readings").fields["read_off"]
        else:  # its hidden fault keeps the channel silent
            assert "sends nothing" in filled.text
        now = visitor.client.get(bench.replace("/bench", "/bus?test=live_value::0")).json()
        assert "on the simulated bus" in now["text"]


@pytest.mark.parametrize(
    ("address", "says"), [("nowhere at all", "is no address of a meter"), ("", ""), ("10.0.0.9:5025", "")]
)
def test_a_meters_address_is_told_on_its_card(visitor, address, says):
    page = visitor.send(
        visitor.get(f"/shelf/instruments/{uid_of('m2')}/edit").form("/shelf/instruments"), address=address
    )
    assert says in page.text
    assert page.status == (422 if says else 200)


# By program


def test_live_values_and_codes_are_there_for_programs(visitor, demo):
    api = visitor.client
    with held(demo, PLUG):
        live = api.get(f"/api/v1/vehicles/{LT7}/live").json()
        assert {"channel": "Barometer", "unit": "kPa abs", "value": pytest.approx(101, abs=3)} in live["values"]
        who = {"technician_uid": str(uid_of("Bram Keldby"))}
        assert api.post(f"/api/v1/jobs/{JOB}/codes/ask", json=who).status_code == 204
        assert api.post(f"/api/v1/vehicles/{LT7}/live/recording").status_code == 204
        rows(demo, 25)
        log = api.delete(f"/api/v1/vehicles/{LT7}/live/recording")
        assert log.status_code == 200
    assert api.post(f"/api/v1/jobs/{JOB}/codes", json={**who, "stored": ["P0118"]}).status_code == 204
    codes = api.get(f"/api/v1/jobs/{JOB}/codes").json()
    assert [reading["stored"] for reading in codes["readings"]] == [["P1A00"], ["P0118"]]
    assert {story["code"] for story in codes["stories"]} == {"P1A00", "P0118"}
    work_off(demo)
    assert api.get(f"/api/v1/logs/{log.json()}").json()["state"] == "ready"
    assert api.get(f"/api/v1/vehicles/{uid_of('G-12')}/live").status_code == 404
    assert api.post(f"/api/v1/jobs/{JOB}/codes", json={**who, "stored": ["P9"]}).status_code == 422
