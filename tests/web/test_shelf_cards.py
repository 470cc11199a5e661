"""Cards on the Shelf: curves of every shape typed in, second thoughts told, and changes that keep what was."""

from __future__ import annotations

import pytest

CARD = {"name": "New type", "pressure_base": "gauge", "value_low": "0", "value_high": "10", "kind": "volts",
        "signal_low": "0.5", "signal_high": "4.5"}  # fmt: skip
BENT = "bar;V\n0;0,50\n2;1,00\n6;3,00\n10;4,50"


def _card(visitor, **fields):
    return visitor.send(visitor.get("/shelf/sensor-types/new").form("/sensor-types"), **(CARD | fields))


def _types(visitor):
    return {t["name"]: t for t in visitor.client.get("/api/v1/shelf").json()["sensor_types"]}


def test_a_table_is_pasted_shown_and_taken_away_as_csv(visitor):
    look = visitor.get("/shelf/sensor-types/new")
    seen = visitor.client.post("/shelf/sensor-types/look", data=look.form("/sensor-types").fields | CARD | {
        "shape": "table", "table": BENT, "maker": "x"})  # fmt: skip
    assert "table of 4 points, 0 bar at 0.50 V, 10 bar gauge at 4.50 V" in seen.text
    assert "value before signal by its heading" in seen.text
    assert "New type" not in _types(visitor)
    assert _card(visitor, shape="table", table=BENT, maker="x").status == 200
    kept = _types(visitor)["New type"]
    assert kept["curve"]["points"] == [[0.5, 0.0], [1.0, 200.0], [3.0, 600.0], [4.5, 1000.0]]
    csv = visitor.client.get(f"/shelf/sensor-types/{kept['uid']}/curve.csv").text
    assert csv.splitlines() == ["pressure (bar),signal (V)", "0.0,0.5", "2.0,1.0", "6.0,3.0", "10.0,4.5"]
    file = {"table_file": ("curve.csv", csv.encode(), "text/csv")}
    fields = (
        visitor.get("/shelf/sensor-types/new").form("/sensor-types").fields
        | CARD
        | {"shape": "table", "name": "From a file"}
    )
    assert visitor.client.post("/shelf/sensor-types", data=fields, files=file).status_code == 200
    assert _types(visitor)["From a file"]["curve"]["points"] == kept["curve"]["points"]


def test_a_thermistor_is_given_by_three_points(visitor):
    fields = {"family": "thermistor-2w", "ntc_by": "points", "ntc_points": "-10 9150\n30 1680\n90 243", "name": "N3"}
    assert _card(visitor, **fields).status == 200
    element = _types(visitor)["N3"]["element"]
    assert element["points"] == [[-10.0, 9150.0], [30.0, 1680.0], [90.0, 243.0]]
    assert element["ohm_25"] == pytest.approx(2033.76, abs=0.01)
    source = f"sensor:{_types(visitor)['N3']['uid']}"
    assert "59.6 °C" in visitor.get(f"/curve/convert?source={source}&reading=600&side=reading").text


REFUSED = [
    ({"shape": "table", "table": "0;0.5\n5;3\n10;2"}, "From 5 bar to 10 bar the signal falls from 3 to 2"),
    ({"shape": "table", "table": "0;0.5\n5;3\n5;4"}, "The value 5 bar stands in two rows"),
    ({"shape": "table", "table": "0;2\n5;2"}, "rises throughout or falls throughout"),
    ({"shape": "table", "table": ""}, "Nothing was pasted."),
    ({"shape": "table", "table": "0;0.5\n10;5.5"}, "lets it reach 0 to 5 V only"),
    (
        {"family": "thermistor-2w", "ntc_by": "points", "ntc_points": "0 100\n10 200\n20 300"},
        "An NTC falls as it warms",
    ),
    ({"value_low": "-3", "value_high": "10"}, "below a vacuum"),
    ({"fault_low_v": "0.6"}, "the curve itself goes down to 0.5 V"),
]


@pytest.mark.parametrize(("fields", "says"), REFUSED, ids=[r[1] for r in REFUSED])
def test_a_card_that_cannot_be_is_refused_with_the_reason(standing, fields, says):
    page = _card(standing, **fields)
    assert page.status == 422
    assert says in page.text
    kept = page.form("/sensor-types").fields
    assert all(kept[name].replace("\r", "") == value for name, value in fields.items() if name != "family")


def test_a_doubt_is_told_and_taken_once_it_is_confirmed(visitor):
    page = _card(visitor, name="New type, 0–10 bar", value_high="10 kPa")
    assert page.status == 422
    assert "Its name ends at 10 bar, and the curve at 0.1 bar" in page.text
    form = page.form("/sensor-types")
    assert visitor.send(form).status == 422
    assert visitor.send(form, sure="yes").status == 200
    assert "New type, 0–10 bar" in _types(visitor)


def test_a_binary_or_huge_file_is_told(standing):
    fields = standing.get("/shelf/sensor-types/new").form("/sensor-types").fields | CARD | {"shape": "table"}
    for content, says in (
        (b"\xff\xfe\x00\x01", "is not plain text"),
        (b"1;2\n" * 110_000, "A table is a page of text."),
    ):
        answer = standing.client.post(
            "/shelf/sensor-types", data=fields, files={"table_file": ("t.csv", content, "text/csv")}
        )
        assert answer.status_code == 422
        assert says in answer.text


def test_a_changed_card_is_followed_by_open_jobs_and_not_by_what_was_handed_over(visitor):
    jobs = {j["vehicle"]: j for j in visitor.client.get("/api/v1/jobs").json()}
    old = _types(visitor)["Orrin P10, 0–10 bar"]
    form = visitor.get(f"/shelf/sensor-types/{old['uid']}/edit").form(f"/sensor-types/{old['uid']}")
    assert form.fields["signal_low"] == "10"
    assert visitor.send(form, tolerance_pct_span="1", source="measured").status == 200
    new = _types(visitor)["Orrin P10, 0–10 bar"]
    assert (new["tolerance_pct_span"], new["uid"] != old["uid"]) == (1.0, True)
    files = {vehicle: visitor.client.get(f"/api/v1/jobs/{job['uid']}").json() for vehicle, job in jobs.items()}
    fitted = {v: {s["uid"]: s["tolerance_pct_span"] for s in f["sensor_types"]} for v, f in files.items()}
    assert fitted["LT-7"][new["uid"]] == 1.0
    assert old["uid"] not in fitted["LT-7"]
    assert fitted["P-2"][old["uid"]] == 2.0
    stale = visitor.send(form, name="Another name")
    assert stale.status == 403
    assert "Somebody changed this meanwhile." in stale.text
    other = visitor.send(visitor.get(f"/shelf/sensor-types/{new['uid']}/edit").form("/sensor-types/"), quantity="angle",
                         value_high="90", sure="yes")  # fmt: skip
    assert "A type keeps its wiring and what it senses" in other.text


def test_an_instrument_gets_a_new_due_date_and_old_records_keep_the_old(visitor):
    shelf = visitor.get("/shelf")
    link = next(href for href in shelf.reader.links if "/instruments/" in href and href.endswith("/edit"))
    form = visitor.get(link).form("/instruments/")
    assert visitor.send(form, due="2027-11-01").status == 200
    page = visitor.get("/shelf")
    assert "1 Nov 2027" in page.text
    assert page.text.count(form.fields["name"]) == shelf.text.count(form.fields["name"])
    assert visitor.send(form, due="2028-01-01").status == 404


def test_a_thermometer_can_stand_among_the_instruments(visitor):
    form = visitor.get("/shelf/instruments/new").form("/instruments")
    fields = {
        "kind": "gauge",
        "name": "Probe 1",
        "quantity": "temperature",
        "full_scale": "150",
        "full_scale_pct": "0.5",
    }
    assert visitor.send(form, **fields).status == 200
    assert "± 0.5 % of 150.0 °C" in visitor.get("/shelf").text


def test_what_a_sensor_bears_is_kept_and_held_against_its_place(visitor):
    bears = {"bears_low_degc": "-40", "bears_high_degc": "125", "overpressure": "20 bar"}
    assert _card(visitor, signal_low="0.5", name="Tough", **bears).status == 200
    kept = _types(visitor)["Tough"]
    assert (kept["bears_low_degc"], kept["bears_high_degc"], kept["overpressure_kpa"]) == (-40.0, 125.0, 2000.0)
    again = visitor.get(f"/shelf/sensor-types/{kept['uid']}/edit").form("/sensor-types").fields
    assert again["bears_high_degc"] == "125"
    place = "/curve/choose?quantity=pressure&base=gauge&least=0&greatest=8+bar&place_high_degc=130&peak=18+bar"
    said = visitor.get(place).text
    assert "Not for 130 °C: its limit is 125 °C." in said
    assert "Bears a peak of 18 bar gauge; its limit is 20 bar." in said


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("overpressure", "8 bar", "Its range goes to 10 bar already."),
        ("overpressure", "lots", "is not a number"),
        ("bears_high_degc", "-50", "It is not above the least."),
        ("bears_high_degc", "5000", "from -273 to 2000"),
    ],
)
def test_what_a_sensor_cannot_bear_is_said_at_its_field(visitor, field, typed, says):
    page = _card(visitor, name="Odd", **({"bears_low_degc": "-40"} | {field: typed}))
    assert page.status == 422
    assert says in page.text
    assert page.form("/sensor-types").fields[field] == typed
