"""Answers of the Pulse room kept with a circuit, and pairs of speeds read from a recorded drive."""

from __future__ import annotations

import json
from uuid import UUID, uuid4

import numpy as np
import pytest

from tests.web.visitor import Page, circuit

BY = "Ottoline Marsh"


@pytest.fixture
def axle(visitor):
    return circuit(visitor, "Axle speed")


@pytest.fixture
def who(visitor):
    text = visitor.get("/pulse/gap").response.text.split('name="technician_uid"')[1].split("</select>")[0]
    return next(part.split('"')[0] for part in text.split('<option value="') if f">{BY}<" in part)


KEPT = [
    ("/pulse?teeth=48&axle_ratio=1&tyre=0.92+m&speed=21", "What it should read: expect 96.8769 Hz"),
    ("/pulse/principle?wires=2&coil_ohm=812", "Principle and pull-up: reluctance"),
    ("/pulse/gap?readings=1.5+1.6+1.4", "Air gap: move the sensor 0.45 mm towards the ring"),
    ("/pulse/fuel?frequency_hz=180", "Fuel sensor: no reading"),
    ("/pulse/bus?low_hz=20&high_hz=400&duty=fan&pulses=4&frame_hz=5", "Bus channel: set as it should be"),
    (
        "/pulse/speed?pairs=50+55.1%0A80+87.9%0A100+110.2&old=1.25&old_is=multiplier",
        "Road speed: as found, it reads 9.17 ± 0.45 % low",
    ),
]


@pytest.mark.parametrize(("path", "says"), KEPT, ids=[k[1] for k in KEPT])
def test_an_answer_is_kept_once_with_its_circuit_and_its_person(visitor, axle, who, path, says):
    page = visitor.get(f"{path}{'&' if '?' in path else '?'}circuit_uid={axle}&technician_uid={who}")
    form = page.form(path.split("?")[0])
    keeper = next(
        f for f in page.reader.forms if "token" in f.fields and "technician_uid" in f.fields and "into" not in f.fields
    )
    assert form.action.split("?")[0].endswith(path.split("?")[0])
    kept = visitor.send(keeper)
    assert kept.status == 200
    assert says in kept.text
    assert f", {BY}" in kept.text
    assert "Kept with Axle speed ." in kept.text
    again = visitor.send(keeper)
    assert again.text.count(says) == 1
    sheet = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    assert says.split(": ")[1] in visitor.get(f"/jobs/{sheet['uid']}/handover").text


def _keeper(visitor, path, axle, who):
    page = visitor.get(f"{path}&circuit_uid={axle}&technician_uid={who}")
    return next(f for f in page.reader.forms if "token" in f.fields)


def test_what_cannot_be_kept_says_why_and_loses_nothing(visitor, axle, who):
    keeper = _keeper(visitor, "/pulse/gap?readings=1.0+1.1+1.0", axle, who)
    for changed, says in (
        ({"circuit_uid": ""}, "An answer is kept with a circuit"),
        ({"technician_uid": ""}, "Choose who did it"),
        ({"readings": ""}, "There is nothing to keep yet"),
        ({"readings": "1.0 thick"}, "“thick” is not a plain number"),
        ({"circuit_uid": str(UUID(int=0))}, "An answer is kept with a circuit"),
    ):
        page = visitor.send(keeper, **changed)
        assert page.status == 422
        assert says in page.text
        wanted = changed.get("readings", "1.0 1.1 1.0")
        assert page.form("/pulse/gap").fields["readings"] == wanted
    assert visitor.send(keeper, technician_uid=str(uuid4())).status == 404


def test_a_character_that_no_database_stores_is_refused_and_nothing_is_lost(visitor, axle, who):
    keeper = _keeper(visitor, "/pulse/bus?low_hz=20&high_hz=200", axle, who)
    page = visitor.send(keeper, node="5\0")
    assert page.status == 422
    assert "It has a character that cannot be shown" in page.text
    assert "high hz 200" in page.text


def test_nothing_is_kept_with_a_job_that_was_handed_over(visitor, who):
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "D-3")
    uid = job["circuits"][0]["uid"]
    keeper = _keeper(visitor, "/pulse/gap?readings=1.0+1.1+1.0", uid, who)
    visitor.send(visitor.get(f"/jobs/{job['uid']}/handover").form("/handover"), reviewer_uid=who)
    page = visitor.send(keeper)
    assert page.status in {409, 422}
    assert "handed over" in page.text or "kept with a circuit" in page.text


def test_a_failed_check_keeps_a_proved_job_from_being_handed_over(visitor, who):
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "D-3")
    uid = job["circuits"][0]["uid"]
    visitor.send(_keeper(visitor, "/pulse/gap?readings=1.8+1.9+1.8", uid, who))
    sheet = visitor.get(f"/jobs/{job['uid']}/handover")
    assert "Air gap: move the sensor 0.80 mm towards the ring" in sheet.text
    assert not any(f.action.endswith("/handover") for f in sheet.reader.forms)
    bench = visitor.get(f"/circuits/{uid}/bench")
    assert "Repair, then retest" in bench.text
    again = visitor.get(bench.link("/pulse/gap"))
    assert "Kept with" in again.text
    visitor.send(_keeper(visitor, "/pulse/gap?readings=1.0+1.1+1.0", uid, who))
    sheet = visitor.get(f"/jobs/{job['uid']}/handover")
    assert "You tested it, so somebody else reviews it." in sheet.text
    assert "tested this job" in visitor.send(sheet.form("/handover")).text
    visitor.send(visitor.get("/shelf/shop").form("/shop"), foreman_alone="yes")
    signed = visitor.send(visitor.get(f"/jobs/{job['uid']}/handover").form("/handover"))
    assert "Handed over" in signed.text
    assert "who also tested it, as this shop allows" in signed.text


def test_as_found_and_as_left_both_stand_on_the_sheet(visitor, axle, who):
    pairs = "pairs=50+55.1%0A80+87.9%0A100+110.2&old=1.25&old_is=multiplier"
    visitor.send(_keeper(visitor, f"/pulse/speed?{pairs}", axle, who))
    left = f"/pulse/speed?{pairs}&after=55.0+55.1%0A87.9+87.9%0A110.1+110.2"
    page = visitor.send(_keeper(visitor, left, axle, who))
    assert "as left, it reads 0.07 ± 0.19 % low" in page.text
    assert "1.3761 was to be typed in place of 1.25" in page.text
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    sheet = visitor.get(f"/jobs/{job['uid']}/handover").text
    assert sheet.index("as found, it reads 9.17") < sheet.index("as left, it reads 0.07")
    exported = json.loads(visitor.client.get(f"/jobs/{job['uid']}/export.json").text)
    kinds = [c["kind"] for part in exported["circuits"] for c in part["pulse_checks"]]
    assert kinds.count("road speed") == 2


def test_the_last_circuit_and_person_are_remembered_on_the_device(visitor, axle, who):
    visitor.send(_keeper(visitor, "/pulse/gap?readings=1.0+1.1+1.0", axle, who))
    fields = visitor.get("/pulse/fuel").form("/pulse/fuel").fields
    assert (fields["circuit_uid"], fields["technician_uid"]) == (axle, who)


def test_before_there_is_a_shop_the_room_still_works_out(newcomer):
    page = newcomer.get("/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30")
    assert "316.836 Hz" in page.text
    assert "Belongs to" not in page.text


# A recorded drive


def _drive():
    times, speeds, at = [0.0], [0.0], 0.0
    for kmh in (0, 30, 50, 70, 40, 0):
        times += [at + 10, at + 45]
        speeds += [kmh, kmh]
        at += 45
    grid = np.arange(0, at, 0.5)
    return grid, np.interp(grid, times, speeds)


def _log(shown=0.9, unit="km/h", kmh_per=1.0):
    grid, kmh = _drive()
    rows = "\n".join(f"{t:.1f},{v * shown / kmh_per:.2f}" for t, v in zip(grid, kmh, strict=True))
    return f"time (s),speed ({unit})\n{rows}".encode()


def _gpx():
    grid, kmh = _drive()
    way = np.concatenate(([0.0], np.cumsum(kmh[:-1] / 3.6 * 0.5)))
    fixes = [
        (f"09:{int(t + 7) // 60:02d}:{int(t + 7) % 60:02d}", 54 + m / 111_194.9) for t, m in zip(grid, way, strict=True)
    ]
    points = "".join(
        f'<trkpt lat="{lat:.9f}" lon="-3.2"><time>2026-11-20T{clock}Z</time></trkpt>' for clock, lat in fixes[::2]
    )
    return f'<?xml version="1.0"?><gpx version="1.1" creator="r"><trk><trkseg>{points}</trkseg></trk></gpx>'.encode()


def _read(visitor, log, track, **fields):
    form = visitor.get("/pulse/speed?old=1.25&old_is=multiplier").form("/pulse/speed/track")
    files = {"log": ("display.csv", log), "track": ("drive.gpx", track)}
    return Page(visitor.client.post(form.action, data=form.fields | fields, files=files))


@pytest.mark.parametrize(("unit", "per"), [("km/h", 1.0), ("mph", 1.609344)])
def test_a_satellite_track_beside_the_log_gives_the_figure_to_type(visitor, unit, per):
    page = _read(visitor, _log(unit=unit, kmh_per=per), _gpx())
    assert page.status == 200
    assert "Type this in place of 1.25: 1.38" in page.text
    pairs = page.form("/pulse/speed").fields["pairs"].split("\n")
    assert 6 <= len(pairs) <= 60


def test_the_drive_afterwards_goes_into_the_check(visitor):
    first = _read(visitor, _log(), _gpx())
    form = first.form("/pulse/speed/track")
    files = {"log": ("display.csv", _log(shown=1.002)), "track": ("drive.gpx", _gpx())}
    page = Page(visitor.client.post(form.action, data=form.fields | {"into": "after"}, files=files))
    assert "as left, it reads 0.2" in page.text
    assert page.form("/pulse/speed").fields["pairs"] == first.form("/pulse/speed").fields["pairs"]


@pytest.mark.parametrize(
    ("log", "track", "says"),
    [
        (b"", _gpx(), "No line of it names its columns"),
        (_log(), b"<gpx", "It is not GPX that can be read"),
        (_log(), _log(), None),
        (b"time,speed\n" + b"\n".join(b"%d,%d" % (n, n * 7 % 60) for n in range(300)), _gpx(), "do not go together"),
    ],
    ids=["an empty log", "a broken track", "a log as the track", "another drive"],
)
def test_files_that_give_no_pairs_say_why(visitor, log, track, says):
    page = _read(visitor, log, track)
    if says is None:
        assert "True is 1.0000 × shown" in page.text
    else:
        assert page.status == 422
        assert says in page.text
        assert page.form("/pulse/speed").fields["old"] == "1.25"


def test_both_files_are_needed(visitor):
    form = visitor.get("/pulse/speed").form("/pulse/speed/track")
    page = Page(visitor.client.post(form.action, data=form.fields, files={"log": ("display.csv", _log())}))
    assert "Both are needed, of the same drive" in page.text
