"""The pages as a visitor gets them: from nothing to a printed sheet, with wrong input on the way."""

import json
from uuid import UUID

import pytest

from tests.web.visitor import circuit


def bench(brake, step=""):
    return f"/circuits/{brake}/bench" + (f"?test={step}" if step else "")


def record(visitor, brake, step, **fields):
    return visitor.send(visitor.get(bench(brake, step)).form("/readings"), **fields)


def test_every_page_of_the_demo_opens(visitor, jobs):
    paths = [
        "/",
        "/shelf",
        "/shelf/shop",
        "/shelf/instruments/new",
        "/shelf/sensor-types/new",
        "/vehicles/new",
        "/jobs/new",
    ]
    for job in jobs.values():
        paths += [f"/jobs/{job['uid']}"]
        if job["vehicle"] != "BOARD":  # a job for practice has no sheet
            paths += [f"/jobs/{job['uid']}/handover"]
        paths += [f"/circuits/{c['uid']}/{room}" for c in job["circuits"] for room in ("bench", "card")]
    for path in paths:
        page = visitor.get(path)
        assert page.status == 200, path
        outside = [s for s in page.reader.sources if "://" in s and not s.startswith(str(visitor.client.base_url))]
        assert outside == [], f"{path} asks another host"
        assert " style=" not in page.response.text
        assert "<script>" not in page.response.text


def test_a_shop_starts_from_nothing_and_proves_its_first_reading(newcomer):
    page = newcomer.get("/")
    assert "Whose shop is this?" in page.text
    page = newcomer.send(page.form("/first"), name="", technician="Ottoline", height_m="12")
    assert "Type the shop's name." in page.text
    told = {"name": "Boat shed", "technician": "Ottoline", "height_m": "12"}
    page = newcomer.send(page.form("/first"), **told, password="short", repeated="short")
    assert "it needs 12" in page.text
    secret = "cormorant lathe bisque tuesday"
    page = newcomer.send(page.form("/first"), **told, password=secret, repeated=secret)
    assert "Nothing on the floor" in page.text
    page = newcomer.send(
        newcomer.get("/shelf/sensor-types/new").form("/sensor-types"),
        name="P10", pressure_base="gauge", value_low="0", value_high="10 bar",
    )  # fmt: skip
    assert "0 bar at 0.50 V, 10 bar gauge at 4.50 V" in page.text
    instrument = newcomer.get("/shelf/instruments/new").form("/instruments")
    newcomer.send(instrument, name="Meter 1", reading_pct="0.5", digits="2", counts="6000")
    page = newcomer.send(newcomer.get("/vehicles/new").form("/vehicles"), tag="LT-8", description="Tractor")
    technician = next(iter(page.form("/jobs").fields))
    assert technician
    people = newcomer.client.get("/api/v1/shelf").json()
    page = newcomer.send(page.form("/jobs"), title="New sensor", technician_uid=people["technicians"][0]["uid"])
    assert "Add a circuit" in page.text
    page = newcomer.send(
        page.form("/circuits"),
        name="Oil line", sensor_type_uid=people["sensor_types"][0]["uid"], role_0="reference", role_1="return",
        role_2="signal", colour_0="red", label_1="pumped", stimulus_1="4.5",
    )  # fmt: skip
    assert "Put the meter across the battery" in page.text
    page = newcomer.send(page.form("/readings"), value="12.6")
    assert "12.60 V is within 11.80 to 15.00 V." in page.text
    assert "1 of 18 readings in" in page.text


def test_what_could_be_of_the_brakes_is_asked_and_then_left_or_tested(visitor, brake):
    card = visitor.get(f"/circuits/{brake}/card").form("/card")
    assert card.fields["part_of"] == "none of these"
    asked = visitor.send(card, part_of="not told")
    assert asked.status == 422
    assert "“Brake line pressure” could be part of the brakes, which are left to licensed work." in asked.text
    left = visitor.send(asked.form("/card"), part_of="brakes")
    assert "By its name it is of brakes. No lamp, no ohms, no jumper and no reading here" in left.text
    assert visitor.get(bench(brake, "off_ohm:B")).status == 404
    again = visitor.send(visitor.get(f"/circuits/{brake}/card").form("/card"), part_of="none of these")
    assert "Put the meter across the battery" in again.text
    winch = visitor.get(f"/circuits/{brake}/card").form("/card")
    assert visitor.send(winch, name="Winch line", part_of="not told").status == 200, (
        "no name of a brake, nothing to ask"
    )


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("", "Nothing was typed."),
        ("abc", "“abc” is not a number."),
        ("OL", "means that the meter was over its range"),
        ("1e400", "larger than any reading can be"),
        ("-3", "swapped meter leads"),
        ("7" * 300, "That is 300 characters; a reading has at most 40."),
        ("<b>5</b>", "“<b>5</b>” is not a number."),
    ],
)
def test_a_bad_reading_gets_its_message_and_keeps_the_typed_text(visitor, brake, typed, says):
    page = record(visitor, brake, "open_v:A", value=typed)
    assert page.status == 422
    assert says in page.text
    assert page.form("/readings").fields["value"] == typed
    assert visitor.client.get(f"/api/v1/circuits/{brake}/readings").json() == []


def test_a_unit_typed_with_the_number_means_the_same(visitor, brake):
    record(visitor, brake, "open_v:B", value="12mV")
    record(visitor, brake, "open_v:C", value="0.012")
    values = [r["reading"]["value"] for r in visitor.client.get(f"/api/v1/circuits/{brake}/readings").json()]
    assert values == [0.012, 0.012]


def test_a_stale_form_keeps_what_was_typed_and_can_be_sent_again(visitor, brake):
    stale = visitor.get(bench(brake, "open_v:A")).form("/readings")
    record(visitor, brake, "open_v:A", value="4.98")
    page = visitor.send(stale, value="4.11")
    assert page.status == 409
    assert "was recorded as 4.98 V after this page was opened, so nothing was saved over it." in page.text
    again = page.form("/readings")
    assert again.fields["value"] == "4.11"
    page = visitor.send(again)
    assert page.status == 200
    assert "4.11 V is 0.64 V below what is wanted" in page.text
    assert "before: 4.98 V (measured again)" in page.text


def test_sending_a_form_twice_stores_one_reading(visitor, brake):
    form = visitor.get(bench(brake, "open_v:A")).form("/readings")
    for _ in range(2):
        assert visitor.send(form, value="4.98").status == 200
    assert len(visitor.client.get(f"/api/v1/circuits/{brake}/readings?every=true").json()) == 1


def test_html_in_a_name_is_text(visitor):
    page = visitor.send(
        visitor.get("/vehicles/new").form("/vehicles"), tag="<i>X</i>", description="<script>x</script>"
    )
    assert page.status == 200
    assert "<script>x" not in page.response.text
    assert "<i>X</i>, <script>x</script>" in page.text


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"tag": ""}, "Type the number or tag that the shop calls it by."),
        ({"tag": "LT-7"}, "“LT-7” is already the name of a vehicle."),
        ({"tag": "X" * 300}, "That is 300 characters. At most 20 fit here."),
        ({"tag": "A\x00B"}, "a character that cannot be shown"),
        ({"tag": "N-1", "height_m": "high"}, "“high” is not a plain number."),
        ({"tag": "N-1", "height_m": "9999"}, "a number from -500 to 9000"),
        ({"tag": "N-1", "system_v": "48"}, "“48” is not one of the choices."),
    ],
)
def test_a_bad_vehicle_gets_its_message(standing, fields, says):
    page = standing.send(standing.get("/vehicles/new").form("/vehicles"), **fields)
    assert page.status == 422
    assert says in page.text


def test_a_bad_circuit_names_every_field_that_does_not_fit(visitor, jobs):
    form = visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new").form("/circuits")
    page = visitor.send(form, name="", reference_v="five", cavity_1="A")
    assert "Type a name for the circuit." in page.text
    assert "“five” is not a plain number." in page.text
    shelf = visitor.client.get("/api/v1/shelf").json()
    p10 = next(s["uid"] for s in shelf["sensor_types"] if "P10" in s["name"])
    for fields, says in [
        ({"sensor_type_uid": ""}, "Choose the sensor that is fitted."),
        ({"cavity_1": "A"}, "Cavity A is named twice."),
        ({"role_0": "signal", "role_1": "signal"}, "Two pins are the signal."),
        ({"pull_up_ohm": "1000"}, "A pull-up has both ohms and volts."),
        ({"stimulus_0": "40 bar"}, "The sensor goes from 0.000 bar to 10.000 bar"),
        ({"label_1": "", "stimulus_1": "4 bar"}, "Say how the sensor is put there."),
        ({"name": "Throttle position"}, "already the name of a circuit of this job"),
    ]:
        page = visitor.send(form, **({"name": "New", "sensor_type_uid": p10, "label_1": ""} | fields))
        assert says in page.text
        assert page.status == 422


def test_a_card_can_be_corrected_and_its_cavities_stay(visitor, brake):
    form = visitor.get(f"/circuits/{brake}/card").form("/card")
    page = visitor.send(form, role_0="signal", role_2="reference", colour_0="white")
    assert "A signal" in page.text
    form = visitor.get(f"/circuits/{brake}/card").form("/card")
    page = visitor.send(form, cavity_0="Z")
    assert "This cavity is A in the readings." in page.text
    page = visitor.send(form, label_1="", stimulus_1="")
    assert "This circuit is read at 2 stimuli." in page.text


def test_a_card_asks_for_two_points_and_takes_the_second_later(visitor, jobs):
    form = visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new").form("/circuits")
    p10 = next(s["uid"] for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"] if "P10" in s["name"])
    page = visitor.send(form, name="One point", sensor_type_uid=p10)
    assert "A second value proves the slope." in page.text
    page = visitor.send(form, name="One point", sensor_type_uid=p10, label_1="")
    assert page.status == 200
    uid = circuit(visitor, "One point")
    page = visitor.send(visitor.get(f"/circuits/{uid}/card").form("/card"), label_1="pumped", stimulus_1="4.6 bar")
    assert page.status == 200
    points = visitor.client.get(f"/api/v1/circuits/{uid}").json()["stimuli"]
    assert [(p["label"], round(p["value"], 6)) for p in points] == [("vented", 0.0), ("pumped", 460.0)]


def test_the_handover_sheet_shows_what_is_open_and_signs_what_is_not(visitor, jobs):
    page = visitor.get(f"/jobs/{jobs['LT-7']['uid']}/handover")
    assert "Not ready. 7 of 8 circuits open." in page.text
    assert "of resistance in the return wire" in page.text
    page = visitor.get(f"/jobs/{jobs['D-3']['uid']}/handover")
    assert "4.96 V 4.69 V" in page.text, "the replaced reading stands beside the one in force"
    page = visitor.send(page.form("/handover"))
    assert "Handed over" in page.text
    assert "Reviewed by Ottoline Marsh" in page.text
    spray = jobs["D-3"]["circuits"][0]["uid"]
    assert "Its readings are a finished record." in visitor.get(bench(spray)).text
    page = visitor.send(page.form("/reopen"))
    assert "Hand it over" in page.text
    assert "I have reviewed it: hand it over" in visitor.get(page.link("/handover")).text


def test_units_and_limits_change_every_page(visitor, jobs):
    form = visitor.get("/shelf/shop").form("/shelf/shop")
    page = visitor.send(form, unit_pressure="psi", return_limit_mv="300", return_aim_mv="0")
    assert "a number from 1 to 1000" in page.text
    visitor.send(form, unit_pressure="psi", return_limit_mv="300")
    winch = next(c["uid"] for c in jobs["LT-7"]["circuits"] if c["name"] == "Winch oil pressure")
    page = visitor.get(bench(winch))
    assert "0.218 V is within −0.30 to 0.30 V" in page.text
    assert "psi" in page.text


def test_a_job_goes_out_as_a_file_and_comes_back_only_once(visitor, jobs):
    uid = jobs["G-12"]["uid"]
    exported = visitor.client.get(f"/jobs/{uid}/export.json")
    assert exported.headers["content-disposition"] == 'attachment; filename="G-12-job-1002.json"'
    form = visitor.get("/").form("/jobs/import")

    def take_in(name, content):
        return visitor.client.post(form.action, data=form.fields, files={"file": (name, content)})

    assert "is this very job, so it is not added twice" in take_in("job.json", exported.content).text
    assert "This is not JSON." in take_in("notes.txt", b"hello").text
    assert "No file was chosen." in take_in("", b"").text
    assert take_in("huge.json", b" " * 6_000_000).status_code == 413
    assert json.loads(exported.content)["job"]["uid"] == uid
    csv = visitor.client.get(f"/jobs/{uid}/readings.csv")
    assert csv.text.startswith("job,vehicle,circuit,action")


@pytest.mark.parametrize(
    "path",
    [
        "/jobs/abc",
        f"/jobs/{UUID(int=0)}",
        f"/circuits/{UUID(int=0)}/bench",
        "/circuits/x/card",
        "/nothing/here",
        f"/jobs/{UUID(int=0)}/handover",
    ],
)
def test_a_wrong_address_gets_a_page_and_a_way_back(standing, path):
    page = standing.get(path)
    assert page.status == 404
    assert "To the Floor" in page.text


def test_a_wrong_step_gets_a_page(visitor, brake):
    assert "There is no test point “open_v:Q” in this shop." in visitor.get(bench(brake, "open_v:Q")).text


def test_the_floor_says_what_is_out_the_worst_first(visitor):
    """A group that no reading tells apart is out as much as a fault with one name is."""
    page = visitor.get("/")
    assert "Winch oil pressure: About 38 Ω of resistance in the return wire (and 1 more)" in page.text
    assert "Blade tilt angle: Sensor stuck in mid range" in page.text
    assert "Ready to hand over" in page.text


def test_an_overdue_meter_is_seen_before_it_is_used_and_needs_a_reason(visitor, brake):
    page = visitor.get(bench(brake))
    assert "Meter 2 (spare), overdue since" in page.text
    meter = next(
        i["uid"] for i in visitor.client.get("/api/v1/shelf").json()["instruments"] if i["name"].startswith("Meter 2")
    )
    refused = visitor.send(page.form("/readings"), value="12.6", instrument_uid=meter)
    assert "say why it is used all the same" in refused.text
    assert refused.form("/readings").fields["value"] == "12.6"
    saved = visitor.send(refused.form("/readings"), overdue_why="Meter 4 is at LT-7")
    assert "12.60 V is within" in saved.text
    again = visitor.get(f"{bench(brake)}?test=open_v:A").form("/readings")
    assert again.fields["overdue_why"] == "Meter 4 is at LT-7", "it is not typed for every reading"
