"""The Pulse room's smaller questions and its captures for programs."""

from __future__ import annotations

import gzip
from uuid import UUID, uuid4

import pytest

from irongauge.instruments.waveforms import Pickup, Ring
from tests.captured import csv_of
from tests.web.visitor import circuit

UNEVEN = csv_of(Ring(24, late_pct={7: 6.0}))

ASKED = [
    ("principle", {"wires": 3, "supply_v": 12, "low_v": 1.2, "high_v": 11.8}, {"one_too_many": True}),
    ("principle", {"wires": 3, "supply_v": 12, "low_v": 0.2, "high_v": 11.8}, {"principle": "Hall or optical"}),
    ("principle", {"wires": 2, "coil_ohm": 820}, {"principle": "reluctance", "needs_conditioner": True}),
    ("principle", {"wires": 2, "coil_ohm": 820, "input_takes_sine": True}, {"needs_conditioner": False}),
    ("pull-up", {"to_v": 5, "highest_hz": 2000, "wire_m": 4}, {"ohm": 1800.0}),
    ("pull-up", {"to_v": 12, "highest_hz": 1_000_000, "wire_m": 100}, {"ohm": None}),
    ("air-gap", {"readings_mm": [1.5, 1.6, 1.4], "least_mm": 0.8, "most_mm": 1.3}, {"fits": False, "move_mm": -0.45}),
    ("fuel", {"frequency_hz": 112, "low_pulse_ms": 2.74}, {"share_pct": 62.0, "temperature_degc": 31.775}),
    ("fuel", {"frequency_hz": 0}, {"share_pct": None, "fault": "No pulses: no pull-up, or no supply."}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "body", "wanted"), ASKED)
def test_a_small_question_is_answered(standing, name, body, wanted):
    answer = standing.client.post(f"/api/v1/pulse/{name}", json=body)
    assert answer.status_code == 200, answer.text
    found = answer.json()
    for key, value in wanted.items():
        assert found[key] == (pytest.approx(value) if isinstance(value, float) else value)


def test_a_channel_over_a_module_is_late_by_its_pulses_and_a_frame(standing):
    body = {"low_hz": 400, "high_hz": 20, "pulses": 4, "frame_hz": 20, "needed_hz": 5}
    found = standing.client.post("/api/v1/pulse/bus", json=body).json()
    assert found["lowest"]["delay_s"] == pytest.approx(4 / 20 + 1 / 20)  # N/f and a frame
    assert found["highest"]["delay_s"] == pytest.approx(4 / 400 + 1 / 20)
    assert (found["best"]["frame_hz"], found["best"]["pulses"]) == (50, 1)


def test_every_example_of_the_small_questions_is_answered(standing):
    paths = standing.client.get("/api/v1/openapi.json").json()["paths"]
    asked = 0
    for path, methods in paths.items():
        if path.startswith("/api/v1/pulse/"):
            for example in methods["post"]["requestBody"]["content"]["application/json"]["examples"].values():
                answer = standing.client.post(path, json=example["value"])
                assert answer.status_code == 200, answer.text
                asked += 1
    assert asked >= 8


BAD = [
    ("principle", {"wires": 7}, "less than or equal to 4"),
    ("principle", {"wires": 3, "colour": "red"}, "not permitted"),
    ("pull-up", {"to_v": 0, "highest_hz": 1, "wire_m": 1}, "greater than or equal to 0.1"),
    ("air-gap", {"readings_mm": [1, 1], "least_mm": 0.8, "most_mm": 1.3}, "at least 3"),
    ("air-gap", {"readings_mm": [1, 1, 1], "least_mm": 1.8, "most_mm": 1.3}, "needs three or more feeler readings"),
    ("fuel", {"frequency_hz": -1}, "greater than or equal to 0"),
    ("bus", {"low_hz": 0, "high_hz": 10}, "greater than or equal to 0.001"),
]


@pytest.mark.parametrize(("name", "body", "says"), BAD)
def test_what_cannot_be_is_a_problem_with_its_reason(standing, name, body, says):
    answer = standing.client.post(f"/api/v1/pulse/{name}", json=body)
    assert answer.status_code == 422
    assert says in answer.json()["detail"]


@pytest.mark.parametrize("pack", [bytes, gzip.compress], ids=["plain", "gzip"])
def test_a_capture_is_handed_in_by_a_program_and_found_again(visitor, pack):
    uid = circuit(visitor, "Propeller shaft speed")
    query = {"name": "from the logger.csv", "teeth": 24, "circuit_uid": uid}
    answer = visitor.client.post("/api/v1/captures", params=query, content=pack(UNEVEN))
    assert answer.status_code == 201, answer.text
    made = answer.json()
    assert [f["what"] for f in made["found"]["findings"]] == ["uneven tooth"]
    assert (made["circuit_uid"], made["kept"]) == (uid, False)
    assert visitor.client.get(f"/api/v1/captures/{made['uid']}").json() == made
    assert made in visitor.client.get("/api/v1/captures").json()
    assert "from the logger.csv" in visitor.get("/pulse/waveform").text


def test_what_is_told_with_a_capture_counts(visitor):
    weak = csv_of(Ring(24), Pickup(high_v=3.0))
    ask = lambda **more: visitor.client.post("/api/v1/captures", params={"name": "x", **more}, content=weak).json()  # noqa: E731
    assert ask()["found"]["headline"] == "nothing wrong is found"
    assert ask(pull_up_v=5)["found"]["headline"] == "high level too low"
    shaft = circuit(visitor, "Propeller shaft speed")  # its card says 5 V
    assert ask(circuit_uid=shaft)["found"]["headline"] == "high level too low"


@pytest.mark.parametrize(
    ("params", "content", "status", "says"),
    [
        ({}, UNEVEN, 422, "name: Field required"),
        ({"name": "x", "teeth": 1}, UNEVEN, 422, "greater than or equal to 2"),
        ({"name": "notes.txt"}, b"a few words\n" * 40, 422, "cannot be told apart"),
        ({"name": "x", "circuit_uid": str(UUID(int=0))}, UNEVEN, 404, "circuit"),
    ],
    ids=["no name", "one tooth", "no capture", "no circuit"],
)
def test_a_capture_that_cannot_be_is_a_problem_with_its_reason(visitor, params, content, status, says):
    before = len(visitor.client.get("/api/v1/captures").json())
    answer = visitor.client.post("/api/v1/captures", params=params, content=content)
    assert answer.status_code == status
    assert says in answer.json()["detail"]
    assert len(visitor.client.get("/api/v1/captures").json()) == before


def test_the_checks_of_a_circuit_are_listed(standing):
    uid = circuit(standing, "Axle speed")
    kept = standing.client.get(f"/api/v1/circuits/{uid}/pulses").json()
    assert [(k["kind"], k["mark"]) for k in kept] == [("air gap", "pass"), ("what it should read", "not measured")]
    assert kept[0]["given"]["readings"] == "0.95 1.00 1.10 1.05"
    for path in (f"/circuits/{uuid4()}/pulses", "/circuits/nothing/pulses", f"/captures/{uuid4()}"):
        assert standing.client.get(f"/api/v1{path}").status_code == 404
