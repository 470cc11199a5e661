"""A tool works on what one stands at, is filled with what is known, and leads back to where one came from."""

from __future__ import annotations

import pytest

from irongauge.web.navigation import way_back

UID = "11111111-2222-4333-8444-555555555555"


@pytest.fixture
def circuits(jobs):
    return {c["name"]: c["uid"] for job in jobs.values() for c in job["circuits"]}


@pytest.mark.parametrize(
    ("path", "name"),
    [
        (f"/circuits/{UID}/bench", "the Bench"),
        (f"/jobs/{UID}", "the Job"),
        (f"/jobs/{UID}/handover", "the Handover sheet"),
        ("https://elsewhere.example/", None),
        ("//elsewhere.example/jobs", None),
        (f"/jobs/{UID}/../../me", None),
        (f"/circuits/{UID}/bench\n", None),
        ("javascript:alert(1)", None),
        ("", None),
    ],
)
def test_the_way_back_is_a_page_of_the_shop_or_nothing(path, name):
    found = way_back(path)
    assert (None if found is None else found.name) == name


def test_a_tool_from_the_menu_works_on_the_circuit_last_worked_on(visitor, circuits):
    visitor.get(f"/circuits/{circuits['Winch oil pressure']}/bench")
    for path in ("/curve/convert", "/curve/numbers", "/curve/check"):
        page = visitor.get(path)
        assert page.form(path).fields["source"] == f"circuit:{circuits['Winch oil pressure']}"
    visitor.get(f"/circuits/{circuits['Axle speed']}/bench")
    assert visitor.get("/pulse/gap").form("/pulse/gap").fields["circuit_uid"] == circuits["Axle speed"]


def test_a_pulse_question_takes_the_pulse_sensor_beside_a_pressure_one(visitor, jobs):
    tractor = {c["name"]: c["uid"] for c in jobs["LT-7"]["circuits"]}
    visitor.get(f"/circuits/{tractor['Brake line pressure']}/bench")
    chosen = visitor.get("/pulse").form("/pulse").fields["circuit_uid"]
    assert chosen in tractor.values()


def test_a_tampered_cookie_is_no_circuit(visitor):
    visitor.client.cookies.set("iron_at", "nonsense")
    assert visitor.get("/curve/convert").status == 200
    assert visitor.get("/pulse").status == 200


def test_the_way_back_survives_what_is_typed_and_what_is_kept(visitor, circuits):
    back = f"/circuits/{circuits['Brake line pressure']}/bench"
    page = visitor.get(f"/curve/convert?source=circuit:{circuits['Brake line pressure']}&reading=2.5&back={back}")
    assert "Back to the Bench" in page.text
    assert page.form("/curve/convert").fields["back"] == back
    noted = visitor.send(next(f for f in page.reader.forms if f.action.endswith("/notes")))
    assert noted.response.url.path == back


def test_an_answer_noted_with_the_vehicle_stands_there(visitor, circuits):
    page = visitor.get(f"/curve/convert?source=circuit:{circuits['Brake line pressure']}&reading=2.5")
    keeper = next(f for f in page.reader.forms if f.action.endswith("/notes"))
    noted = visitor.send(keeper)
    assert "Brake line pressure: 5.000 bar gauge at 2.500 V at the controller’s end" in noted.text


def test_known_figures_fill_the_fields_and_say_where_they_are_from(visitor, circuits):
    uid = circuits["Propeller shaft speed"]
    first = visitor.get(f"/pulse?circuit_uid={uid}&teeth=48&axle_ratio=1&tyre=0.92+m&speed=20")
    keeper = next(f for f in first.reader.forms if f.method == "post" and "teeth" in f.fields)
    keeper.fields["technician_uid"] = _anyone(first)
    assert visitor.send(keeper).status == 200
    speed = visitor.get(f"/pulse/speed?circuit_uid={uid}")
    fields = speed.form("/pulse/speed").fields
    assert (fields["teeth"], fields["axle_ratio"], fields["tyre"]) == ("48", "1", "0.92 m")
    assert speed.text.count("as kept with Propeller shaft speed") == 3
    typed_over = visitor.get(f"/pulse/speed?circuit_uid={uid}&teeth=50")
    assert typed_over.form("/pulse/speed").fields["teeth"] == "50"
    assert typed_over.text.count("as kept with Propeller shaft speed") == 2


def _anyone(page):
    text = page.response.text.split('name="technician_uid"')[1]
    return next(part.split('"')[0] for part in text.split('<option value="')[1:] if part[0] != '"')


def test_an_entry_that_was_kept_is_filled_in_where_a_reading_led_to_it(visitor, circuits):
    uid = circuits["Brake line pressure"]
    form = visitor.get(f"/curve/check?source=circuit:{uid}").form("/curve/check")
    assert form.fields["name"] == "AI 3"
    end_points = {"end_points.reading_low": "0.5", "end_points.shown_low": "0", "end_points.reading_high": "4.5"}
    end_points |= {"end_points.shown_high": "9", "kind": "end points", "name": "dash gauge 2"}
    who = visitor.client.get("/api/v1/shelf").json()["technicians"][0]["uid"]
    assert visitor.send(form, **end_points, technician_uid=who).status == 200
    page = visitor.get(f"/curve/check?source=circuit:{uid}&back=/circuits/{uid}/bench")
    assert "Filled in as kept: dash gauge 2" in page.text
    assert page.form("/curve/check").fields["end_points.shown_high"] == "9"
    assert "worst −1 bar" in page.response.text
    assert "Filled in" not in visitor.get(f"/curve/check?source=circuit:{uid}").text


def test_a_sensor_is_chosen_by_what_the_circuit_senses(visitor, circuits):
    visitor.get(f"/circuits/{circuits['Boost pressure']}/bench")
    fields = visitor.get("/curve/choose").form("/curve/choose").fields
    assert (fields["quantity"], fields["base"]) == ("pressure", "absolute")
    visitor.get(f"/circuits/{circuits['Throttle position']}/bench")
    assert visitor.get("/curve/choose").form("/curve/choose").fields["quantity"] == "angle"


def test_what_was_read_on_the_bench_fills_which_principle_it_is(visitor, circuits):
    uid = circuits["Axle speed"]
    page = visitor.get(f"/pulse/principle?circuit_uid={uid}")
    fields = page.form("/pulse/principle").fields
    assert fields["wires"] == "2"
    if fields["coil_ohm"]:
        assert "read on the Bench" in page.text


@pytest.mark.parametrize(
    "path", ["/pulse", "/pulse/gap", "/pulse/speed", "/pulse/fuel", "/pulse/bus", "/pulse/principle"]
)
def test_an_empty_question_shows_an_example_that_cannot_be_kept(standing, path):
    page = standing.get(f"{path}?circuit_uid=")
    assert "An example" in page.text
    assert "Keep with" not in page.text


def test_an_example_goes_at_the_first_figure(visitor):
    assert "An example" in visitor.get("/pulse/gap").text
    assert "An example" not in visitor.get("/pulse/gap?readings=1").text
    assert "An example" in visitor.get("/curve/compare").text
    assert "An example" not in visitor.get("/curve/compare?first=1").text
    assert "An example" in visitor.get("/curve/choose").text
    assert "An example" not in visitor.get("/curve/choose?least=1").text


def test_an_example_that_was_kept_before_more_was_asked_breaks_nothing(visitor, circuits):
    uid = circuits["Axle speed"]
    page = visitor.get(f"/pulse/gap?circuit_uid={uid}&readings=1.0+1.1+1.2")
    keeper = next(f for f in page.reader.forms if f.method == "post" and "readings" in f.fields)
    keeper.fields["technician_uid"] = _anyone(page)
    visitor.send(keeper)
    assert 'placeholder="1.0 1.1 1.2"' in visitor.get("/pulse/gap?circuit_uid=").response.text
