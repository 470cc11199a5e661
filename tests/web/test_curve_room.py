"""The Curve room over HTTP: records that grow and stay, tools that answer, and every slip told beside its field."""

from __future__ import annotations

import json
import re

import psycopg
import pytest

from irongauge.core.measure.units import from_fixed
from irongauge.demo.saltmarsh import SHOP
from irongauge.demo.shelf import MORE_SENSORS, SENSORS


def _uids(page, part):
    return re.findall(rf'<option value="([0-9a-f-]{{36}})"[^>]*>{part}', page.response.text)


_LATE_POINT = """
    INSERT INTO calibration_point (uid, calibration_uid, place, run, stimulus, reading, stimulus_step, typed_stimulus,
                                   typed_reading, taken_at, left_out)
    SELECT gen_random_uuid(), %s, 9, 'up', 1, 1, 0, '', '', now(), ''
"""


@pytest.fixture
def circuits(visitor):
    jobs = visitor.client.get("/api/v1/jobs").json()
    return {c["name"]: c["uid"] for job in jobs for c in job["circuits"]}


def _setup(visitor, circuit, manner="", **fields):
    page = visitor.get(f"/calibrations/new?circuit={circuit}&manner={manner}")
    chosen = {
        "technician_uid": _uids(page, "Ottoline")[0], "meter_uid": _uids(page, "Meter 4")[0],
        "gauge_uid": _uids(page, "Dial 16 bar")[0], "reference_v": "4.963",
    }  # fmt: skip
    return visitor.send(page.form("/calibrations"), **(chosen | fields))


def _take(visitor, page, stimulus, reading, **more):
    return visitor.send(page.form("/points"), stimulus=stimulus, reading=reading, **more)


def _path(page):
    return page.response.url.path


def test_a_calibration_grows_is_signed_and_stays(visitor, circuits, demo):
    page = _setup(visitor, circuits["Brake line pressure"], count="2", down="no", serial="OR-1")
    assert "Point 1 of 2" in page.text
    page = _take(visitor, page, "0,00", "0,497")
    assert "Point 2 of 2" in page.text
    page = _take(visitor, page, "10.00", "4.468")
    assert "All planned points are taken" in page.text
    assert "Within tolerance at every point" in page.text
    record = _path(page)
    assert "OR-1" in visitor.get(record).text
    page = visitor.send(page.form("/sign"), technician_uid=_uids(page, "Bram")[0], remark="hose new")
    assert re.search(r"pass · Signed .* by Bram.*: hose new", page.text)
    assert not [f for f in page.reader.forms if "/points" in f.action]
    # Nothing gets round the signature, not even a statement of its own.
    uid = record.rsplit("/", 1)[1]
    late = visitor.client.post(f"{record}/points", data={"token": page.form("/supersede").fields["token"], "place": "2",
                                                         "stimulus": "5", "reading": "2.5"})  # fmt: skip
    assert late.status_code == 403
    assert "signed, so it stays as it is" in late.text
    url = demo.engine.url.render_as_string(hide_password=False).replace("+psycopg", "")
    for statement in (
        "UPDATE calibration SET remark = 'x' WHERE uid = %s",
        "DELETE FROM calibration WHERE uid = %s",
        "DELETE FROM calibration_point WHERE calibration_uid = %s",
        _LATE_POINT,
    ):
        with psycopg.connect(url) as connection, pytest.raises(psycopg.errors.RaiseException):
            connection.execute(statement, (uid,))
    # A correction is another record that names this one.
    newer = visitor.send(page.form("/supersede"))
    assert "This record corrects an earlier one" in newer.text
    assert _path(newer) != record
    assert "This record was corrected" in visitor.get(record).text
    again = visitor.client.post(f"{record}/supersede", data=page.form("/supersede").fields)
    assert again.status_code == 403


def test_a_point_is_corrected_left_out_and_never_lost(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"], count="5", down="no")
    for stimulus, reading in (("0", "0.497"), ("2.5", "1.489"), ("5", "2.482"), ("7.5", "3.60"), ("10", "4.468")):
        page = _take(visitor, page, stimulus, reading)
    assert "Point 4 lies" in page.text
    record = _path(page)
    page = visitor.send(page.form("/points/3/line"), why="the hose slipped")
    assert "not in the line: the hose slipped" in page.text
    page = visitor.send(page.form("/points/3/line"))
    assert "not in the line: the hose" not in page.text
    page = visitor.get(f"{record}?point=3")
    assert "correcting" in page.text
    page = _take(visitor, page, "7.50", "3.475", reason="mistyped")
    assert "Point 4 lies" not in page.text
    assert "3.60" in page.text  # the old reading, struck through
    rows = visitor.client.get(f"{record}/points.csv").text.splitlines()
    assert len(rows) == 6
    assert rows[4].startswith("4,up,750.0,3.475,")


def test_the_same_form_sent_twice_is_one_point_and_a_late_one_is_told(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"])
    form = page.form("/points")
    for _ in range(2):
        assert visitor.send(form, stimulus="0", reading="0.497").status == 200
    late = visitor.send(form, uid="00000000-0000-4000-8000-000000000001", stimulus="0", reading="0.511")
    assert late.status == 409
    assert "was recorded as 0.497" in late.text
    assert late.form("/points").fields["reading"] == "0.511"


def test_two_points_on_the_floor(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"], "quick")
    assert "Bring it to 0 bar gauge" in page.text
    page = _take(visitor, _take(visitor, page, "0", "0.497"), "8", "3.674")
    assert "All planned points are taken" in page.text
    assert "linearity" not in page.text


def test_an_instrument_out_of_date_and_a_missing_reference_are_on_the_record(visitor, circuits):
    new = visitor.get(f"/calibrations/new?circuit={circuits['Brake line pressure']}")
    assert "OVERDUE" in new.text
    page = _setup(
        visitor, circuits["Brake line pressure"], meter_uid=_uids(new, "Meter 2")[0], reference="none", count="1"
    )
    page = _take(visitor, page, "0", "0.497")
    assert "Meter 2 (spare) was out of date" in page.text
    assert "The reference was not measured: 5 V ± 2 % was taken" in page.text
    assert "One point gives an error, but no line" in page.text
    bare = _setup(visitor, circuits["Brake line pressure"], gauge_uid="", meter_uid="")
    assert "No reference instrument is named" in bare.text


SLIPS = [
    ({"stimulus": "", "reading": "2.5"}, "Nothing was typed"),
    ({"stimulus": "5", "reading": "2.5.1"}, "“2.5.1” is not a number"),
    ({"stimulus": "5 V", "reading": "2.5"}, "is not a unit that fits here"),
    ({"stimulus": "5000", "reading": "2.5"}, "Look at the gauge and its unit again"),
    ({"stimulus": "5", "reading": "250"}, "which cannot be right here"),
    ({"stimulus": "5", "reading": "OL"}, "no number to record"),
]


@pytest.mark.parametrize(("fields", "says"), SLIPS, ids=[s[1] for s in SLIPS])
def test_a_slip_is_told_beside_the_field_and_kept(visitor, circuits, fields, says):
    page = _setup(visitor, circuits["Brake line pressure"])
    wrong = _take(visitor, page, **fields)
    assert wrong.status == 422
    assert says in wrong.text
    kept = wrong.form("/points").fields
    assert (kept["stimulus"], kept["reading"]) == (fields["stimulus"], fields["reading"])


SETUPS = [
    ({"technician_uid": ""}, "Choose who calibrates."),
    ({"first": "10", "last": "10"}, "The last point is the same as the first."),
    ({"last": "500"}, "far outside this sensor"),
    ({"count": "0"}, "a number from 1 to 50"),
    ({"reference_v": ""}, "The signal is a share of this."),
    ({"barometer": "29"}, "A barometer shows 60 to 108 kPa"),
    ({"gauge_base": ""}, "counts from the atmosphere or from vacuum"),
]


@pytest.mark.parametrize(("fields", "says"), SETUPS, ids=[s[1] for s in SETUPS])
def test_a_set_up_that_does_not_fit_is_told(visitor, circuits, fields, says):
    page = _setup(visitor, circuits["Brake line pressure"], **fields)
    assert page.status == 422
    assert says in page.text
    kept = page.form("/calibrations").fields
    assert all(kept[name] == value for name, value in fields.items() if name not in {"gauge_base", "technician_uid"})


def test_a_reversed_range_and_mixed_units_are_understood(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"], first="10", last="0", count="3", down="no")
    assert "going down" in page.text
    page = _take(visitor, page, "145.04 psi", "4468mV")
    page = _take(visitor, page, "601.3 kPa abs", "2.48")
    rows = visitor.client.get(f"{_path(page)}/points.csv").text.splitlines()
    assert float(rows[1].split(",")[2]) == pytest.approx(1000.0, abs=0.02)
    assert float(rows[2].split(",")[2]) == pytest.approx(500.0, abs=0.3)


def test_a_thermistor_is_calibrated_through_its_pull_up(visitor, circuits):
    page = visitor.get(f"/calibrations/new?circuit={circuits['Coolant temperature']}")
    form = page.form("/calibrations")
    assert form.fields["pull_up_ohm"] == "2200"
    page = visitor.send(form, technician_uid=_uids(page, "Ottoline")[0], reference_v="5.000", count="2", down="no")
    page = _take(visitor, page, "0", "4.683")
    assert "Meter at the controller’s end V" in page.text
    assert re.search(r"(pass|undecided|fail)", page.text)


def test_what_is_typed_is_shown_and_nothing_is_kept(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"])
    seen = visitor.get(f"{_path(page)}?stimulus=0&reading=0.9&point=0")
    assert "Out of tolerance" in seen.text
    assert "No point yet" in visitor.get(_path(page)).text


def test_the_sheet_and_the_job_file_carry_the_signed_calibration(standing):
    jobs = {j["vehicle"]: j for j in standing.client.get("/api/v1/jobs").json()}
    sheet = standing.get(f"/jobs/{jobs['P-2']['uid']}/handover").text
    assert "Calibration, as left , sensor OP-0417 : 10 points, worst error" in sheet or "OP-0417" in sheet
    file = standing.client.get(f"/api/v1/jobs/{jobs['P-2']['uid']}").json()
    kept = [c for circuit in file["circuits"] for c in circuit["calibrations"]]
    assert kept[0]["setup"]["serial"] == "OP-0417"
    assert len(kept[0]["points"]) == 10


def test_numbers_follow_the_calibration_and_can_be_taken_away(standing):
    room = standing.get("/curve")
    record = room.link("/calibrations/")
    nominal = standing.get("/curve/numbers").text
    assert "offset and slope" in nominal
    files = standing.get(f"/curve/numbers?calibration={record.rsplit('/', 1)[1]}&unit=psi&decimals=2")
    assert "as calibrated (as found)" in files.text
    body = json.loads(standing.client.get(files.link("numbers.json")).text)
    assert body["unit"] == "psi"
    table = standing.client.get(files.link("numbers.csv")).text.splitlines()
    assert table[0] == "value (psi),reading (V)"
    assert len(table) == 10
    slip = standing.get(files.link("slip"))
    assert "multiplier and divider" in slip.text
    assert "cells" not in standing.get("/curve/numbers?cells=3").response.text.split("hint-cells")[0][-40:]


def test_the_reference_that_was_measured_is_carried_over_and_asked_about(visitor, circuits):
    """Half a volt less reference: a controller that divides sees the same share, one that reads plain volts sees the sag."""
    page = _setup(visitor, circuits["Brake line pressure"], reference_v="4.940")
    page = _take(visitor, page, "0", "0.494")
    uid = _path(page).rsplit("/", 1)[1]
    one = visitor.get(f"/curve/numbers?calibration={uid}").text
    assert "nominal: its calibration gives no line yet" in one
    assert "as calibrated" not in one
    _take(visitor, page, "10", "4.446")
    asked = visitor.get(f"/curve/numbers?calibration={uid}").text
    assert "as calibrated" in asked
    assert "Its reference read 4.940 V: choose whether the controller divides by it." in asked
    assert "0.50 V" in visitor.get(f"/curve/numbers?calibration={uid}&divides=yes").text
    plain = visitor.get(f"/curve/numbers?calibration={uid}&divides=no").text
    assert "Volts at the measured reference of 4.940 V" in plain
    assert "0.49 V" in plain


@pytest.mark.parametrize(
    ("value", "says"),
    [("-300 bar", "nothing is emptier than a vacuum"), ("-5 kPa abs", "below 0 absolute"), ("2 bar", "2.000 bar")],
)
def test_a_pressure_that_cannot_be_is_not_converted(visitor, circuits, value, says):
    source = f"circuit:{circuits['Brake line pressure']}"
    page = visitor.client.get("/curve/convert", params={"source": source, "value": value, "side": "value"})
    assert says in page.text


def test_a_comparison_starts_with_no_vehicle(visitor):
    assert "Keep it with" not in visitor.get("/curve/compare").text


def test_a_calibration_becomes_a_certificate_and_goes_on_as_left(visitor, circuits):
    page = _setup(visitor, circuits["Brake line pressure"], serial="OP-1", reference_v="5.000", count="2", down="no")
    for stimulus, reading in (("0", "0.50"), ("10", "4.50")):
        page = _take(visitor, page, stimulus, reading)
    paper = visitor.get(f"{_path(page)}/certificate")
    for said in ("Calibration certificate", "serial OP-1", "a reference of 5.000 V, measured", "|error| + U within it", "k",
                 "not signed: no certificate yet"):  # fmt: skip
        assert said in paper.text
    uid = _path(page).rsplit("/", 1)[1]
    form = visitor.get(f"/calibrations/new?circuit={circuits['Brake line pressure']}&after={uid}").form("/calibrations")
    assert (form.fields["stage"], form.fields["serial"], form.fields["count"]) == ("as left", "OP-1", "2")
    assert (form.fields["first"], form.fields["last"]) == ("0", "10")


TOOLS = [
    ("/curve/convert?reading=x&side=reading", "“x” is not a number"),
    ("/curve/convert?value=10+V&side=value", "is not a unit that fits here"),
    ("/curve/convert?reading=2&side=reading&barometer=7", "A barometer shows"),
    ("/curve/choose?least=5&greatest=1", "The greatest is not above the least."),
    ("/curve/choose?least=0&greatest=10&peak=5", "A peak lies above the greatest"),
    ("/curve/choose?least=0&greatest=1&place_low_degc=90&place_high_degc=20", "It is below the coldest."),
    ("/curve/choose?least=0&greatest=1&base=", "A pressure is gauge or absolute."),
    ("/curve/numbers?cells=1", "A table has 2 to 512 cells."),
    ("/curve/numbers?cells=1+x", "“x” is not a plain number."),
    ("/curve/check?kind=table&table.table=1", "is not two numbers"),
    ("/curve/check?kind=end+points&end_points.reading_low=0.5", "Nothing was typed"),
    ("/curve/compare?first=1&second=2", "They differ by 1.000 bar."),
    ("/curve/compare?first=1&second=2", "If each is good to no better than ± 0.707 bar, they agree"),
    ("/curve/compare?first=-8.65+psi+gauge&second=41.7+kPa+abs&barometer=101.34+kPa", "They differ by 0.000 bar."),
    (
        "/curve/compare?first=9.9&second=10&grade=1&full_scale=10",
        "They differ by 0.100 bar; combined uncertainty ± 0.163 bar.",
    ),
    ("/curve/compare?first=x&second=2", "is not a number"),
    (
        "/curve/compare?kind=manifold+against+barometer+at+key+on&first=0&second=1",
        "Nothing lies at or below 0 absolute.",
    ),
    ("/curve/compare?kind=source+against+display&pairs=1%0A2", "is not two numbers"),
]


@pytest.mark.parametrize(("path", "says"), TOOLS, ids=[t[0] for t in TOOLS])
def test_a_tool_says_what_it_cannot_read(standing, path, says):
    page = standing.get(path)
    assert page.status == 200
    assert says in page.text


def test_conversion_goes_both_ways_with_todays_air(standing):
    shelf = standing.client.get("/api/v1/shelf").json()["sensor_types"]
    p10 = next(s["uid"] for s in shelf if s["name"].startswith("Orrin P10"))
    page = standing.get(
        f"/curve/convert?source=sensor:{p10}&reading=2.31&side=reading&reference_v=4.93&barometer=1013.25+mbar"
    )
    assert "4.607 bar gauge" in page.text
    assert "81.51 psi" in page.text  # 5.6205 bar absolute
    back = standing.get(
        f"/curve/convert?source=sensor:{p10}&value=5.6205+bar+abs&side=value&reference_v=4.93&barometer=1013.25+mbar"
    )
    assert 'value="2.3101"' in back.response.text
    high_up = standing.get(f"/curve/convert?source=sensor:{p10}&value=0&side=value&barometer=1830+m")
    assert "81.2 kPa" in high_up.text
    vacuum = standing.get(f"/curve/convert?source=sensor:{p10}&value=-0.5&side=value")
    assert "inHg below 0, psi above 14.76 inHg vacuum" in vacuum.text
    assert "Outside its range" in standing.get(f"/curve/convert?source=sensor:{p10}&reading=4.9&side=reading").text


@pytest.mark.parametrize(
    ("reading", "says"), [("0", "a short to ground"), ("5.0", "an open circuit"), ("-1", "a short")]
)
def test_a_thermistor_shorted_or_open_is_told(standing, reading, says):
    shelf = standing.client.get("/api/v1/shelf").json()["sensor_types"]
    n10 = next(s["uid"] for s in shelf if s["name"].startswith("Corrie N10"))
    page = standing.get(f"/curve/convert?source=sensor:{n10}&pull_up_ohm=2200&reading={reading}&side=reading")
    assert page.status == 200
    assert says in page.text


def test_an_entry_is_read_back_kept_and_listed_for_change(visitor, circuits):
    source = f"circuit:{circuits['Boost pressure']}"
    page = visitor.get(f"/curve/check?source={source}")
    assert "Dash gauge 1" in page.text
    assert "hides the top" in page.text  # the limit of the demo
    form = page.form("/curve/check")
    typed = {"unit": "kPa", "base": "absolute", "kind": "end points", "end_points.reading_low": "0.4",
             "end_points.shown_low": "20", "end_points.reading_high": "4.65", "end_points.shown_high": "36.26"}  # fmt: skip
    nameless = visitor.send(form, **typed, name="")
    assert nameless.status == 422
    assert "Say where it is entered." in nameless.text
    kept = visitor.send(form, **typed, name="Fuel table", technician_uid=_uids(page, "Ottoline")[0])
    assert kept.status == 200
    assert "Fuel table" in kept.text
    gone = visitor.send(kept.form("/entries/forget"), name="Fuel table")
    assert "Fuel table" not in gone.text


@pytest.mark.parametrize(
    ("expected", "shown", "says"),
    [
        ("2.5", "2.5", "arrives"),
        ("500 kPa", "2.5 V", "arrives"),
        ("5 bar", "4 bar", "0.40 V less than should arrive: 10 %"),
        ("2.5", "two", "Type volts, such as 2.38, or a value with its unit, such as 3 bar."),
        ("99", "2.5", "which cannot be right here"),
    ],
)
def test_what_should_arrive_is_volts_or_a_value_of_the_sensor(visitor, circuits, expected, shown, says):
    source = f"circuit:{circuits['Brake line pressure']}"
    kind = "expected at the input against shown"
    query = {"source": source, "kind": kind, "expected": expected, "shown": shown, "tolerance_pct": "2"}
    page = visitor.client.get("/curve/compare", params=query).text
    assert says in page
    assert f'value="{shown}"' in page


def test_a_comparison_is_kept_with_its_circuit(visitor, circuits):
    source = f"circuit:{circuits['Boost pressure']}"
    page = visitor.get(f"/curve/compare?source={source}")
    kind = "manifold against barometer at key on"
    fields = {"kind": kind, "first": "1.06", "second": "1.012", "technician_uid": _uids(page, "Bram")[0]}
    kept = visitor.send(page.form("/curve/compare"), **fields)
    assert "manifold sensor is off" in kept.text.split("Kept with")[1]
    empty = visitor.send(page.form("/curve/compare"), **(fields | {"first": ""}))
    assert empty.status == 422
    assert "There is nothing to keep yet." in empty.text


@pytest.mark.parametrize(
    ("query", "says"),
    [
        ("kind=K&cold=25&mv=20", "508.3 °C"),
        ("kind=J&cold=0&degc=100&side=degc", "5.269 mV"),
        ("kind=K&cold=25&mv=0.02+V", "508.3 °C"),
        ("kind=K&mv=20", "Millivolts alone are a difference of temperatures."),
        ("kind=T&cold=20&mv=40", "never 40 mV"),
        ("kind=K&cold=warm&mv=20", "is not a number"),
        ("", "Type the millivolts, or a temperature."),
    ],
)
def test_a_thermocouple_is_read_with_its_terminals(visitor, query, says):
    assert says in visitor.get(f"/curve/thermocouple?{query}").text


def test_a_thermocouple_is_read_for_programs_too(standing):
    ask = lambda **body: standing.client.post("/api/v1/curves/thermocouple", json=body)  # noqa: E731
    assert ask(kind="K", cold_degc=25, mv=20).json()["degc"] == pytest.approx(508.34, abs=0.05)
    assert ask(kind="K", cold_degc=0, degc=100).json()["mv"] == pytest.approx(4.096, abs=6e-4)
    assert ask(kind="K", cold_degc=0).status_code == 422
    assert "never" in ask(kind="T", cold_degc=0, mv=40).json()["detail"]


@pytest.mark.parametrize(
    ("typed", "headline", "detail"),
    [
        ("reading=2.5", "5.000 bar gauge", "2.500 V at the controller’s end; 50.00 % of the reference"),
        ("value=5&side=value", "2.500 V", "5.000 bar gauge; 50.00 % of the reference"),
    ],
)
def test_the_big_number_is_the_one_that_was_asked_for(visitor, jobs, typed, headline, detail):
    brake = next(c["uid"] for c in jobs["LT-7"]["circuits"] if c["name"] == "Brake line pressure")
    page = visitor.get(f"/curve/convert?source=circuit:{brake}&{typed}")
    assert f'<p class="big-number num">{headline}</p>' in page.response.text
    assert detail in page.text


_CURVES = [(s, channel) for s in (*SENSORS, *MORE_SENSORS) for channel in s.channels]


@pytest.mark.parametrize(("sensor", "channel"), _CURVES, ids=lambda x: x.name)
def test_every_curve_of_the_shelf_goes_through_every_tool(visitor, sensor, channel):
    source = f"source=sensor:{sensor.uid}&channel={channel.name}"
    kind, unit = channel.curve, SHOP.units[channel.curve.quantity]
    value = f"{from_fixed(kind.value_low + 0.6 * (kind.value_high - kind.value_low), unit):.6g}"
    there = visitor.get(f"/curve/convert?{source}&side=value&value={value}")
    assert there.status == 200
    reading = there.form("/curve/convert").fields["reading"]
    back = visitor.get(f"/curve/convert?{source}&side=reading&reading={reading}")
    assert float(back.form("/curve/convert").fields["value"]) == pytest.approx(float(value), rel=1e-3)
    assert visitor.get(f"/curve/numbers?{source}").status == 200
    assert visitor.get(f"/curve/check?{source}").status == 200
    page = visitor.get(f"/calibrations/new?sensor={sensor.uid}&channel={channel.name}")
    people = {"technician_uid": _uids(page, "Ottoline")[0], "meter_uid": _uids(page, "Meter 4")[0]}
    begun = visitor.send(page.form("/calibrations"), **people, count="2", down="no", reference_v="5.000")
    assert begun.status == 200, begun.text
    taken = _take(visitor, begun, value, reading)
    assert taken.status == 200, taken.text
    assert "Point 2 of 2" in taken.text
