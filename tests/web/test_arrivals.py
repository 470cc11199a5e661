"""From a vehicle at the gate to the first reading: few pages, few fields, and what is missing is added on the way."""

from __future__ import annotations

import io

import pytest
from PIL import Image

from tests.web.visitor import Form

TYPED = {
    "type_name": "Gull S6, 0–6 bar",
    "type_pressure_base": "gauge",
    "type_value_low": "0 bar",
    "type_value_high": "6 bar",
}


def _arrive(visitor, **typed):
    return visitor.send(visitor.get("/vehicles/new").form("/vehicles"), **typed)


def _described(page, **typed) -> Form:
    form = page.form("/circuits")
    start = {"type_family": "ratiometric-3w", "type_quantity": "pressure", "type_kind": "ratio", "type_signal_low": "10",
             "type_signal_high": "90", "type_tolerance_pct_span": "2", "label_1": ""}  # fmt: skip
    return Form(form.action, form.method, {**form.fields, "sensor_type_uid": "new", **start, **TYPED, **typed})


def test_three_unknown_wires_are_measured_after_three_pages_and_nine_fields(visitor):
    page = _arrive(visitor, tag="N-9", title="Gauge dead")
    assert "N-9" in page.text
    assert "Gauge dead" in page.text
    bench = visitor.send(_described(page, name="Feed pressure"))
    assert "Put the meter across the battery" in bench.text
    assert "12.60 V is within" in visitor.send(bench.form("/readings"), value="12.6").text
    shelf = visitor.client.get("/api/v1/shelf").json()
    assert any(s["name"] == "Gull S6, 0–6 bar" for s in shelf["sensor_types"])


# Three wires of a good 0 to 6 bar sensor: supply, return, signal; vented, and pumped to 4.5 bar.
READ = {
    "battery_v": "12.58", "battery_lamp": "bright", "open_v:A": "4.98", "open_v:B": "2mV", "open_v:C": "6mV",
    "lamp_negative:A": "dim", "lamp_negative_v:A": "4.90", "lamp_positive:B": "bright", "lamp_positive:C": "dark",
    "live_lamp_positive_v:C": "5.00", "live_jumped_v:C": "0", "mated_v:A": "4.93", "mated_v:B": "11mV", "mated_v:C": "0.50",
    "mated_v:C:0": "0.50", "live_v::0": "0.49", "live_value::0": "0.02", "mated_v:C:1": "3.46", "live_v::1": "3.45",
    "live_value::1": "4.50", "live_unplugged_v:C": "0", "off_ohm:C": "180k", "off_ohm:B": "0.3", "off_ohm:A": "OL",
    "live_grounded_v:C": "0", "sharers_off_v:A": "4.98",
}  # fmt: skip


def test_three_unknown_wires_are_proved_by_answering_whatever_is_asked(visitor):
    page = _arrive(visitor, tag="N-9", title="Gauge dead")
    bench = visitor.send(_described(page, name="Feed pressure", label_1="pumped", stimulus_1="4.5 bar"))
    for _ in range(len(READ)):
        forms = [f for f in bench.reader.forms if f.action.endswith("/readings")]
        if not forms:
            break
        bench = visitor.send(forms[0], value=READ[forms[0].fields["test_point"]])
        assert bench.status == 200, bench.text[:300]
    assert "Proved good. Next:" in bench.text


def test_a_vehicle_that_the_shop_knows_gets_another_job(visitor):
    page = _arrive(visitor, tag="LT-7", title="Winch slow")
    assert "LT-7, job" in page.text
    assert sum(job["vehicle"] == "LT-7" for job in visitor.client.get("/api/v1/jobs").json()) == 2


def test_without_a_complaint_the_vehicle_is_only_added(visitor):
    assert "Start a job" in _arrive(visitor, tag="N-8").text
    assert "already the name of a vehicle" in _arrive(visitor, tag="N-8").text


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"tag": "", "title": "x"}, "Type the number or tag"),
        ({"tag": "N-7", "title": "x", "promised_on": "2026-13-01"}, "is not a date"),
        ({"tag": "N-7", "title": "x", "received_on": "2026-11-20", "promised_on": "2026-11-01"}, "before"),
        ({"tag": "N-7", "title": "x", "height_m": "high"}, "is not a plain number"),
    ],
)
def test_a_slip_keeps_what_was_typed_and_adds_nothing(visitor, typed, says):
    page = _arrive(visitor, **typed)
    assert page.status == 422
    assert says in page.text
    assert page.form("/vehicles").fields["title"] == "x"
    assert not any(job["vehicle"] == "N-7" for job in visitor.client.get("/api/v1/jobs").json())


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"type_value_low": "", "type_value_high": ""}, "Type the values at both ends of its range."),
        ({"type_pressure_base": ""}, "A pressure is gauge or absolute."),
        ({"type_value_high": "many bar"}, "many bar"),
        ({"type_name": ""}, "Type the type’s name".replace("’", "'")),
        ({"name": ""}, "Type a name for the circuit."),
        ({"name": "Throttle position"}, "already the name of a circuit of this job"),
    ],
)
def test_neither_type_nor_circuit_is_kept_where_one_does_not_fit(visitor, jobs, typed, says):
    page = visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new")
    answer = visitor.send(_described(page, **{"name": "New one", **typed}))
    assert answer.status == 422
    assert says in answer.text
    assert not any("Gull" in s["name"] for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"])
    kept = answer.form("/circuits").fields
    assert kept["sensor_type_uid"] == "new"
    assert kept["type_value_low"] == {**TYPED, **typed}["type_value_low"]


def test_a_type_put_on_the_shelf_on_the_way_is_chosen_at_the_way_back(visitor, jobs):
    circuit = f"/jobs/{jobs['LT-7']['uid']}/circuits/new"
    away = visitor.get(visitor.get(circuit).link("/shelf/sensor-types/new"))
    form = away.form("/shelf/sensor-types")
    assert form.fields["back"] == circuit
    back = visitor.send(
        form, name="Gull N1", family="thermistor-2w", quantity="temperature", ohm_25="10000", beta_k="3435"
    )
    assert back.response.url.path == circuit
    uid = next(s["uid"] for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"] if s["name"] == "Gull N1")
    assert back.form("/circuits").fields["sensor_type_uid"] == uid
    assert "cavity_2" not in back.form("/circuits").fields
    elsewhere = visitor.send(form, name="Gull N2", family="thermistor-2w", quantity="temperature", ohm_25="9000",
                             beta_k="3435", back="https://elsewhere.example/")  # fmt: skip
    assert elsewhere.response.url.path == "/shelf"
    assert visitor.get(f"{circuit}?sensor=nonsense").form("/circuits").fields["sensor_type_uid"] == ""


def test_a_doubtful_type_waits_until_it_is_confirmed(visitor, jobs):
    page = visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new")
    odd = _described(page, name="Odd one", type_value_high="9000 bar")
    asked = visitor.send(odd)
    assert asked.status == 422
    assert "It is so on the data sheet" in asked.text
    odd.fields["type_sure"] = "yes"
    assert visitor.send(odd).status == 200


def test_the_connector_and_the_curve_follow_what_is_typed_and_nothing_is_kept(visitor, jobs):
    uid = jobs["LT-7"]["uid"]
    form = _described(visitor.get(f"/jobs/{uid}/circuits/new"), name="Seen", colour_0="red/white", role_0="reference")
    form.action = f"/jobs/{uid}/circuits/look"
    page = visitor.send(form)
    assert page.status == 200
    assert page.response.text.count('stroke="#c62828"') == 1
    assert "The curve from 0 to 6 bar" in page.response.text
    assert not any("Gull" in s["name"] for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"])


def test_a_picture_of_the_plug_stands_with_the_vehicle(visitor, jobs):
    form = _described(visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new"), name="Pictured")
    drawn = io.BytesIO()
    Image.new("RGB", (40, 30), "white").save(drawn, "PNG")
    answer = visitor.client.post(
        form.action, data=form.fields, files={"plug": ("plug.png", drawn.getvalue(), "image/png")}
    )
    assert answer.url.path.endswith("/bench")
    page = visitor.get(visitor.get(f"/jobs/{jobs['LT-7']['uid']}").link("/vehicles/"))
    assert "Plug of Pictured" in page.text


def test_a_file_that_is_no_picture_is_refused_beside_it(visitor, jobs):
    form = _described(visitor.get(f"/jobs/{jobs['LT-7']['uid']}/circuits/new"), name="Pictured")
    answer = visitor.client.post(form.action, data=form.fields, files={"plug": ("plug.png", b"words", "image/png")})
    assert answer.status_code == 422
    assert 'id="problem-plug"' in answer.text
