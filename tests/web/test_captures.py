"""Captured waveforms over HTTP: taken in, refused, drawn, told more, kept with a circuit, written out again."""

from __future__ import annotations

import gzip
import json
import socket
import threading
import time
from uuid import uuid4

import numpy as np
import pytest

from irongauge.instruments.pickup_words import WRONGS
from irongauge.instruments.waveforms import Pickup, Ring, capture
from irongauge.workflows.shop.queue import work_off
from tests.captured import csv_of
from tests.web.visitor import Page, circuit

STREAM = {"Accept": "text/event-stream"}


UNEVEN = csv_of(Ring(24, late_pct={7: 6.0}))


def hand_in(visitor, content, name="bench.csv", headers=None, **fields):
    form = visitor.get("/pulse/waveform").form("/pulse/captures")
    files = {"file": (name, content)} if content is not None else {}
    return visitor.client.post(form.action, data=form.fields | fields, files=files, headers=headers or {})


def kept(visitor, page, circuit_name, by="Ottoline Marsh"):
    form = page.form("/keep")
    people = dict(zip(*_options(page.response.text, "technician_uid"), strict=True))
    return visitor.send(form, circuit_uid=circuit(visitor, circuit_name), technician_uid=people[by])


def _options(text, name):
    inside = text.split(f'name="{name}"')[1].split("</select>")[0]
    values = [part.split('"')[0] for part in inside.split('<option value="')[1:]]
    texts = [part.split(">")[1].split("<")[0] for part in inside.split('<option value="')[1:]]
    return texts, values


def test_a_file_is_read_and_what_is_wrong_with_it_named(visitor):
    page = Page(hand_in(visitor, UNEVEN))
    assert page.status == 200
    assert "of 24 stands" in page.text
    assert "% of a pitch late" in page.text
    assert "120 Hz" in page.text
    assert "20,000 samples, time in column 1 (s), volts in column 2 (V)" in page.text
    assert "bench.csv" in visitor.get("/pulse/waveform").text


def test_the_progress_is_told_line_by_line(visitor):
    answer = hand_in(visitor, UNEVEN, headers=STREAM)
    lines = [json.loads(line) for line in answer.text.splitlines()]
    assert [line["doing"] for line in lines[:-1]] == [
        "Waiting for another capture", "Reading the rows", "Measuring 20,000 samples", "Storing", "Done",
    ]  # fmt: skip
    shares = [line["share"] for line in lines[:-1]]
    assert shares == sorted(shares)
    assert "uneven tooth" in visitor.get(lines[-1]["done"]).text.lower()


def test_a_page_that_is_left_meanwhile_finds_its_capture_later(visitor, demo):
    form = visitor.get("/pulse/waveform").form("/pulse/captures")
    large = csv_of(Ring(24, late_pct={7: 6.0}), seconds=20.0, rate_hz=20_000)
    with visitor.client.stream(
        "POST", form.action, data=form.fields, files={"file": ("left.csv", large)}, headers=STREAM
    ) as answer:
        assert "doing" in next(answer.iter_lines())
    work_off(demo)
    deadline = time.monotonic() + 60
    while "left.csv" not in visitor.get("/pulse/waveform").text:
        assert time.monotonic() < deadline
        time.sleep(0.1)


FILES = [
    ("semicolons and commas", csv_of(heading="Zeit (s);Kanal (V)", mark=";").replace(b".", b",")),
    ("millivolts", csv_of(heading="t (s)\tsignal (V)", mark="\t")),
    ("gzip", gzip.compress(csv_of())),
]


@pytest.mark.parametrize("content", [f[1] for f in FILES], ids=[f[0] for f in FILES])
def test_files_of_any_layout_give_the_same(visitor, content):
    page = Page(hand_in(visitor, content))
    assert "Nothing wrong is found" in page.text
    assert "120 Hz" in page.text


def test_units_that_stand_nowhere_are_asked_for_and_then_taken(visitor):
    content = csv_of(heading="").lstrip()
    page = Page(hand_in(visitor, content))
    assert page.status == 422
    assert "Its times name no unit" in page.text
    page = Page(hand_in(visitor, content, time_unit="s", volts_unit="V"))
    assert "Nothing wrong is found" in page.text


BAD = [
    ("nothing chosen", None, {}, "No file was chosen"),
    ("empty", b"", {}, "It is empty"),
    ("one row", b"time,volts\n0,1\n", {}, "rows of numbers"),
    ("binary", b"\x00\x01\x02\x03" * 200, {}, "It is not text"),
    ("a damaged gzip", gzip.compress(UNEVEN)[:500], {}, "breaks off or is damaged"),
    ("time that goes back", csv_of() + b"\n0.5,1", {}, "Its time goes back"),
    ("no columns", b"\n".join(b"one two three %d" % n for n in range(50)), {}, "cannot be told apart"),
    ("commas in and between", b"\n".join(b"0,%03d,4,97" % n for n in range(50)), {}, "both between and inside"),
    ("teeth in words", UNEVEN, {"teeth": "many"}, "“many” is not a plain number"),
    ("half a tooth", UNEVEN, {"teeth": "24.5"}, "24.5 is not a whole number of teeth"),
    ("all gap", UNEVEN, {"teeth": "10", "gap_teeth": "9"}, "9 of 10 left out is no gap"),
]


@pytest.mark.parametrize(("content", "fields", "says"), [b[1:] for b in BAD], ids=[b[0] for b in BAD])
@pytest.mark.parametrize("headers", [None, STREAM], ids=["page", "stream"])
def test_what_is_no_capture_is_refused_in_words_and_nothing_is_lost(visitor, content, fields, says, headers):
    answer = hand_in(visitor, content, headers=headers, **fields)
    if headers:
        assert says in json.loads(answer.text.splitlines()[-1])["refused"]
    else:
        assert answer.status_code == 422
        assert says in Page(answer).text
        for name, typed in fields.items():
            assert Page(answer).form("/pulse/captures").fields[name] == typed
    assert [c["name"] for c in visitor.client.get("/api/v1/captures").json()] == ["axle-turned-by-hand.csv"]


def test_a_small_file_that_unpacks_to_gigabytes_is_refused_before_it_does(visitor):
    bomb = gzip.compress(b"0.001,1.0\n" * 30_000_000, compresslevel=1)
    answer = hand_in(visitor, bomb, "bomb.csv.gz")
    assert answer.status_code == 422
    assert "more than 200 MB of text" in Page(answer).text


def test_a_size_that_is_only_claimed_is_refused_before_it_is_read(visitor):
    address = visitor.client.base_url
    with socket.create_connection((address.host, address.port), timeout=10) as line:
        head = f"POST /pulse/captures HTTP/1.1\r\nHost: {address.host}\r\nContent-Length: 2000000000\r\n\r\n"
        line.sendall(head.encode())
        assert b" 413 " in line.recv(200)


def test_a_name_that_cannot_be_shown_is_shown_as_far_as_it_can(visitor):
    made = visitor.client.post("/api/v1/captures", params={"name": "a\0b\n.csv"}, content=UNEVEN)
    assert made.status_code == 201
    assert made.json()["name"] == "a b .csv"


def test_the_same_form_twice_is_one_capture(visitor):
    form = visitor.get("/pulse/waveform").form("/pulse/captures")
    answers = []

    def send():
        answers.append(
            visitor.client.post(form.action, data=form.fields, files={"file": ("twice.csv", UNEVEN)}).status_code
        )

    send()
    send()
    assert answers == [200, 200]
    assert visitor.get("/pulse/waveform").text.count("twice.csv") == 1


def test_captures_that_arrive_together_take_turns(visitor):
    pages = []
    forms = [visitor.get("/pulse/waveform").form("/pulse/captures") for _ in range(4)]

    def send(form):
        pages.append(visitor.client.post(form.action, data=form.fields, files={"file": ("at-once.csv", UNEVEN)}))

    threads = [threading.Thread(target=send, args=(form,)) for form in forms]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all(page.status_code == 200 and "uneven tooth" in page.text.lower() for page in pages)
    assert visitor.get("/pulse/waveform").text.count("at-once.csv") == 4


def _stretch(visitor, address, **query):
    found = visitor.client.get(f"{address}/stretch", params=query).json()
    return tuple(np.array(found[name]) for name in ("time_s", "low_v", "high_v"))


@pytest.mark.parametrize("columns", [10, 333, 2000])
def test_every_zoom_has_few_columns_and_every_peak(visitor, demo, columns):
    time_s, signal_v = capture(Ring(24), Pickup(), turn_hz=(5, 5), seconds=4.0, rate_hz=50_000, seed=3)
    signal_v = signal_v.copy()
    signal_v[123_457] = 17.5  # one sample of 200 000
    content = "time (s),A (V)\n" + "\n".join(f"{t:.6f},{v:.4f}" for t, v in zip(time_s, signal_v, strict=True))
    address = str(hand_in(visitor, content.encode()).url)
    work_off(demo)
    at = time_s[123_457]
    for half in (4.0, 1.0, 0.1, 0.001):
        begin, end = max(at - half, 0), min(at + half, 4.0)
        t, low, high = _stretch(visitor, address, from_s=begin, until_s=end, columns=columns)
        assert len(t) <= columns
        assert high.max() == 17.5
        assert (low <= high).all()
        assert (np.diff(t) > 0).all()
        assert begin - 0.01 <= t[0] <= begin + 1e-9
        inside = signal_v[(time_s >= begin) & (time_s <= end)]
        assert low.min() <= inside.min() + 1e-4


def test_times_that_do_not_come_evenly_are_kept_as_they_are(visitor):
    rng = np.random.default_rng(4)
    time_s = np.cumsum(rng.uniform(20e-6, 200e-6, 30_000))
    signal_v = np.where((time_s * 80) % 1 < 0.4, 5.0, 0.1)
    content = "time (s),A (V)\n" + "\n".join(f"{t:.7f},{v:.2f}" for t, v in zip(time_s, signal_v, strict=True))
    answer = hand_in(visitor, content.encode())
    address = str(answer.url)
    assert "80 Hz" in Page(answer).text
    t, low, high = _stretch(visitor, address, from_s=1.0, until_s=1.02, columns=2000)
    wanted = time_s - time_s[0]
    assert np.abs(wanted[np.searchsorted(wanted, t - 5e-7)] - t).max() < 1e-6
    assert (low.min(), high.max()) == pytest.approx((0.1, 5.0))
    whole_t, _, whole_high = _stretch(visitor, address, from_s=0, until_s=9, columns=50)
    assert len(whole_t) <= 50
    assert whole_high.max() == 5.0


@pytest.mark.parametrize(
    "query", ["", "?from_s=a&until_s=1", "?from_s=nan&until_s=1", "?from_s=0&until_s=1&columns=99999"]
)
def test_a_stretch_that_cannot_be_is_refused(visitor, query):
    address = str(hand_in(visitor, UNEVEN).url)
    assert visitor.client.get(f"{address}/stretch{query}").status_code == 422
    assert visitor.client.get(f"/pulse/captures/{uuid4()}/stretch?from_s=0&until_s=1").status_code == 404
    assert visitor.get("/pulse/captures/nothing").status == 404


def test_a_capture_written_out_reads_back_the_same(visitor):
    first = hand_in(visitor, UNEVEN, "Bench, “LT-7”.csv")
    answer = visitor.client.get(f"{first.url}/samples.csv")
    assert answer.headers["content-disposition"] == 'attachment; filename="Bench---LT-7-.csv"'
    again = hand_in(visitor, answer.content)
    for name in ("of 24 stands", "120 Hz"):
        assert name in Page(again).text
    rows = answer.text.splitlines()
    assert len(rows) == 20_001
    assert [float(x) for x in rows[101].split(",")] == pytest.approx(
        [float(x) for x in UNEVEN.decode().splitlines()[101].split(",")], abs=1e-6
    )


def test_knowing_more_of_the_ring_changes_what_is_found(visitor):
    gap = csv_of(Ring(36, missing=frozenset({7, 8})), turn_hz=(4, 4), rate_hz=20_000)
    page = Page(hand_in(visitor, gap))
    assert "A gap of 2 places side by side comes once in 36" in page.text
    told = visitor.send(page.form("/look"), teeth="36", gap_teeth="2")
    assert "Nothing wrong is found" in told.text
    weak = visitor.send(told.form("/look"), pull_up_v="12")
    assert "should be above 8.40 V" in weak.text
    refused = visitor.send(told.form("/look"), teeth="0")
    assert refused.status == 422
    assert refused.form("/look").fields["teeth"] == "0"


def test_a_ring_made_unequal_is_judged_by_its_angles_with_one_tap(visitor):
    time_s = np.arange(0, 3, 1e-4)
    off = (5 * time_s[:, None] - np.array([0, 20, 90, 180, 270])[None, :] / 360) % 1
    volts = np.where((off < 0.03).any(axis=1), 0.2, 5.0)
    lines = "\n".join(f"{t:.4f},{v}" for t, v in zip(time_s, volts, strict=True))
    page = Page(hand_in(visitor, f"time s,volts V\n{lines}\n".encode()))
    assert "5 pulses a turn stand unequal, alike in every turn: at 0, 20" in page.text
    made_so, telling = (form for form in page.reader.forms if "/look" in form.action)
    refused = visitor.send(telling, angles="0 20 banana")
    assert refused.status == 422
    assert "0 20 banana" in refused.response.text
    assert "5 angles are typed for 60 teeth" in visitor.send(telling, angles="0 20 90 180 270", teeth="60").text
    made = visitor.send(made_so)
    assert "Nothing wrong is found" in made.text
    assert made.form("/look").fields["angles"].startswith("0 20")
    assert "Kept with" in kept(visitor, made, "Axle speed").text


@pytest.mark.parametrize("kind", ["switch", "coil"])
@pytest.mark.parametrize("wrong", WRONGS)
def test_the_simulated_pickup_shows_what_it_is_asked_for(visitor, wrong, kind):
    form = visitor.get("/pulse/waveform").form("/simulated")
    page = visitor.send(form, wrong=wrong, kind=kind, sim_teeth="30")
    assert page.status == 200
    if wrong == "nothing":
        assert "Nothing wrong is found" in page.text
    elif not (wrong == "two pull-ups" and kind == "coil"):  # a coil has none
        assert "Nothing wrong is found" not in page.text


def test_a_simulator_that_is_asked_for_the_impossible_says_so(visitor):
    form = visitor.get("/pulse/waveform").form("/simulated")
    assert "is not one of the choices" in visitor.send(form, wrong="a flat battery").text
    assert visitor.send(form, sim_teeth="2").status == 422


def test_a_kept_capture_counts_towards_the_proofs_and_stands_on_the_sheet(visitor):
    page = kept(visitor, Page(hand_in(visitor, UNEVEN)), "Propeller shaft speed")
    assert "Kept with Propeller shaft speed" in page.text
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    uid = circuit(visitor, "Propeller shaft speed")
    bench = visitor.get(f"/circuits/{uid}/bench")
    assert "Captured waveform : uneven tooth" in bench.text
    assert "fault found" in visitor.get(f"/jobs/{job['uid']}").text
    sheet = visitor.get(f"/jobs/{job['uid']}/handover")
    assert "Captured waveform: uneven tooth" in sheet.text
    assert "Ottoline Marsh" in sheet.text
    mended = kept(visitor, Page(hand_in(visitor, csv_of())), "Propeller shaft speed")
    assert "Captured waveform : nothing wrong is found" in mended.text
    assert "uneven tooth" not in visitor.get(f"/circuits/{uid}/bench").text
    again = visitor.get(f"/jobs/{job['uid']}/handover")
    assert "nothing wrong is found" in again.text
    assert "uneven tooth" not in again.text


def test_what_is_undecided_may_be_accepted_with_a_reason_and_what_failed_may_not(visitor):
    page = Page(hand_in(visitor, csv_of(Ring(30, run_out_pct=2.0), rate_hz=20_000), teeth="30"))
    assert "run-out" in page.text
    form = page.form("/keep")
    uid = circuit(visitor, "Throttle position")  # proved good by its readings
    who = dict(zip(*_options(page.response.text, "technician_uid"), strict=True))["Bram Keldby"]
    opened = visitor.send(form, circuit_uid=uid, technician_uid=who)
    assert "Kept with Throttle position" in opened.text
    verdict = lambda: visitor.client.get(f"/api/v1/circuits/{uid}/verdict").json()["level"]  # noqa: E731
    assert verdict() == "not proved yet"
    again = Page(hand_in(visitor, csv_of(Ring(30, run_out_pct=2.0), rate_hz=20_000), teeth="30")).form("/keep")
    accepted = visitor.send(again, circuit_uid=uid, technician_uid=who, accepted="a speed display only.")
    assert "accepted: run-out" in accepted.text
    assert "Accepted because: a speed display only. Measured" not in accepted.text
    assert "Accepted because: a speed display only." in accepted.text
    assert verdict() == "proved good"
    failed = Page(hand_in(visitor, UNEVEN)).form("/keep")
    refused = visitor.send(failed, circuit_uid=uid, technician_uid=who, accepted="it looks fine")
    assert refused.status == 422
    assert "Its finding is not undecided: uneven tooth." in refused.text


def test_a_capture_of_a_finished_job_still_says_where_it_is_kept(visitor):
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "D-3")
    page = kept(visitor, Page(hand_in(visitor, csv_of(), "good.csv")), "Spray pressure")
    assert "Kept with Spray pressure" in page.text
    visitor.send(visitor.get("/shelf/shop").form("/shop"), foreman_alone="yes")
    handover = visitor.get(f"/jobs/{job['uid']}/handover").form("/handover")
    assert "Handed over" in visitor.send(handover).text
    again = visitor.get(str(page.response.url))
    assert "Kept with Spray pressure" in again.text
    assert not any(f.action.endswith("/keep") for f in again.reader.forms)


def test_what_is_kept_leads_back_to_its_capture(visitor):
    page = kept(visitor, Page(hand_in(visitor, UNEVEN)), "Axle speed")
    listed = visitor.get(f"/pulse/gap?circuit_uid={circuit(visitor, 'Axle speed')}")
    assert listed.response.url.join(listed.link("/pulse/captures/")) == page.response.url
    told = visitor.send(page.form("/look"), teeth="24", pull_up_v="5")
    assert "Kept with Axle speed before more was known of it" in told.text
    again = kept(visitor, told, "Axle speed")
    assert "It stands on the Handover sheet" in again.text


def test_what_is_kept_is_not_removed_and_what_is_not_can_be(visitor):
    loose = Page(hand_in(visitor, UNEVEN, "loose.csv"))
    assert "loose.csv" not in visitor.send(loose.form("/remove")).text
    held = Page(hand_in(visitor, UNEVEN, "held.csv"))
    form = held.form("/remove")
    page = kept(visitor, held, "Axle speed")
    assert not any("/remove" in f.action for f in page.reader.forms)
    refused = visitor.send(form)
    assert refused.status == 403
    assert "kept with a circuit" in refused.text
    assert "held.csv" in visitor.get("/pulse/waveform").text


def test_keeping_asks_for_a_circuit_and_a_person(visitor):
    page = Page(hand_in(visitor, UNEVEN))
    form = page.form("/keep")
    assert "A capture is kept with a circuit" in visitor.send(form, circuit_uid="", technician_uid="").text
    uid = circuit(visitor, "Axle speed")
    assert "Choose who captured it" in visitor.send(form, circuit_uid=uid, technician_uid="").text
    assert visitor.send(form, circuit_uid=uid, technician_uid=str(uuid4())).status == 404


def test_a_kept_capture_goes_with_its_job_in_its_file(visitor):
    kept(visitor, Page(hand_in(visitor, UNEVEN)), "Axle speed")
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    text = visitor.client.get(f"/jobs/{job['uid']}/export.json").text
    checks = [c for part in json.loads(text)["circuits"] for c in part["pulse_checks"]]
    (waveform,) = (c for c in checks if c["kind"] == "captured waveform")
    assert (waveform["mark"], waveform["finding"]) == ("fail", "uneven tooth")
    assert waveform["given"]["frequency_hz"] == pytest.approx(120, rel=1e-3)
