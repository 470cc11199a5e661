"""`POST /api/v1/diagnose`: a program drives a whole session on a circuit that is in no job, and bad input is told plainly."""

import copy
import uuid

import pytest

from irongauge.core.bench.actions import ACTIONS
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.faults import FAULT_WORDS
from irongauge.core.measure.quantities import TestPoint
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from irongauge.web.api.diagnose import _EXAMPLE
from tests.cards import case


@pytest.fixture
def diagnose(visitor):
    def call(**changes):
        return visitor.client.post("/api/v1/diagnose", json=copy.deepcopy(_EXAMPLE) | changes)

    return call


def sizes(answer) -> dict[str, float]:
    return {s["fault"]: s["probability"] for s in answer.json()["diagnosis"]["ranking"]}


def test_the_example_in_the_description_is_answered_with_an_open_return(diagnose):
    answer = diagnose()
    assert answer.status_code == 200, answer.text
    body = answer.json()
    assert body["diagnosis"]["ranking"][0]["fault"] == "return_open"
    assert body["diagnosis"]["ranking"][0]["do"]
    assert {r["test_point"] for r in body["diagnosis"]["reasons"]} >= {"lamp_positive:B", "off_ohm:B"}
    assert all(r["sentence"] for r in body["diagnosis"]["reasons"])


def test_nothing_read_is_no_verdict_and_a_first_check_with_its_gain_and_cost(diagnose):
    body = diagnose(readings=[]).json()
    assert body["level"] == "not proved yet"
    first = body["diagnosis"]["next_tests"][0]
    assert first["gain_nats"] > 0
    assert first["cost_min"] > 0
    assert first["test_points"][0]["ask"]


def test_a_program_drives_a_session_to_the_hidden_fault(diagnose):
    """Every check that is asked for is answered by a simulated vehicle, until none is asked for."""
    wiring = Wiring(case({}))
    vehicle = SimulatedVehicle(wiring.subject, "return_open", 5)
    readings = []
    while len(readings) < 40:
        answer = diagnose(readings=readings).json()
        role_points = answer["diagnosis"]["next_tests"]
        if answer["level"] != "not proved yet" or not role_points:
            break
        for test_point in role_points[0]["test_points"]:
            value = read_test_point(
                vehicle, wiring, TestPoint(test_point["action"], test_point["cavity"], test_point["point"])
            )
            readings.append(
                {
                    "action": test_point["action"],
                    "cavity": test_point["cavity"],
                    "point": test_point["point"],
                    "value": value,
                }
            )
    assert answer["level"] == "fault found", readings
    assert answer["diagnosis"]["group"] == ["return_open"]


def test_the_order_of_readings_and_a_repeated_one_make_no_difference(diagnose):
    readings = _EXAMPLE["readings"]
    straight, back = sizes(diagnose()), sizes(diagnose(readings=readings[::-1]))
    assert straight.keys() == back.keys()
    assert all(straight[fault] == pytest.approx(back[fault], abs=1e-6) for fault in straight)
    twice = sizes(diagnose(readings=[*readings, readings[-1]]))
    assert max(twice, key=twice.get) == "return_open"


def test_pins_without_roles_are_found(diagnose):
    card = copy.deepcopy(_EXAMPLE["circuit"])
    for pin in card["pins"]:
        del pin["role"]
    readings = [
        {"action": "open_v", "cavity": "C", "value": 4.98},
        {"action": "open_v", "cavity": "A", "value": 0.003},
        {"action": "open_v", "cavity": "B", "value": 0.01},
        {"action": "lamp_negative", "cavity": "C", "value": "dim"},
        {"action": "lamp_positive", "cavity": "A", "value": "bright"},
    ]
    pins = {p["cavity"]: p for p in diagnose(circuit=card, readings=readings).json()["diagnosis"]["pins"]}
    assert pins["C"]["role"] == "reference"
    assert pins["A"]["role"] == "return"
    assert pins["C"]["probability"] > 0.8


@pytest.mark.parametrize(
    ("readings", "says"),
    [
        ([{"action": "open_v", "cavity": "A", "value": -3}], "cannot be right here"),
        ([{"action": "open_v", "cavity": "A", "value": 40}], "cannot be right here"),
        ([{"action": "open_v", "cavity": "A", "value": "4..98"}], "4..98"),
        ([{"action": "open_v", "cavity": "A", "value": ""}], "Nothing was typed"),
        ([{"action": "open_v", "cavity": "Z", "value": 5}], "has no open_v:Z"),
        ([{"action": "coil_ohm", "value": 800}], "has no coil_ohm"),
        ([{"action": "lamp_positive", "cavity": "B", "value": "glowing"}], "not a way that a lamp glows"),
        ([{"action": "mated_v", "cavity": "C", "point": 7, "value": 1}], "Input should be less than 2"),
        ([{"action": "weigh_it", "value": 1}], "action"),
        ([{"action": "open_v", "cavity": "A"}], "value"),
    ],
)
def test_a_reading_that_cannot_be_is_refused_by_its_place(diagnose, readings, says):
    answer = diagnose(readings=[*_EXAMPLE["readings"], *readings])
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert says in answer.text
    assert "readings" in answer.text
    assert "4" in answer.text


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"sensor": _EXAMPLE["sensor"] | {"family": "hall-3w"}}, "no straight curve"),
        ({"sensor": _EXAMPLE["sensor"] | {"curve": None}}, "curve"),
        ({"circuit": _EXAMPLE["circuit"] | {"pins": _EXAMPLE["circuit"]["pins"][:2]}}, "3 pins"),
        ({"circuit": _EXAMPLE["circuit"] | {"stimuli": []}}, "stimul"),
        ({"system_v": "twelve"}, "system_v"),
        ({"colour": "blue"}, "colour"),
    ],
)
def test_a_card_that_cannot_be_is_refused(diagnose, changes, says):
    answer = diagnose(**changes)
    assert answer.status_code == 422
    assert says in answer.text.lower() or says in answer.text


def test_contradicting_readings_are_never_settled(diagnose):
    """Volts on the reference and a reference that is tied to ground by half an ohm cannot both be."""
    readings = [
        {"action": "open_v", "cavity": "A", "value": 4.98},
        {"action": "off_ohm", "cavity": "A", "value": 0.5},
        {"action": "lamp_negative", "cavity": "A", "value": "dark"},
        {"action": "mated_v", "cavity": "A", "value": 4.97},
        {"action": "open_v", "cavity": "B", "value": 0.002},
        {"action": "lamp_positive", "cavity": "B", "value": "dark"},
        {"action": "mated_v", "cavity": "B", "value": 0.01},
    ]
    assert diagnose(readings=readings).json()["level"] not in {"proved good", "fault found"}


def test_every_name_is_in_the_description(visitor):
    text = str(visitor.client.get("/api/v1/openapi.json").json())
    for name in (*ACTIONS, *FAULT_WORDS):
        assert f"`{name}`" in text, name


@pytest.mark.parametrize(
    ("name", "part_of"), [("Side airbags", "none of these"), ("Brake pressure", "not told"), ("P1", "steering")]
)
def test_what_is_left_to_licensed_work_is_refused(diagnose, name, part_of):
    answer = diagnose(circuit=_EXAMPLE["circuit"] | {"name": name, "part_of": part_of})
    assert answer.status_code == 422
    assert "left to licensed work" in answer.text


def test_identities_are_not_wanted(diagnose):
    answer = diagnose(circuit=_EXAMPLE["circuit"] | {"uid": str(uuid.uuid4())})
    assert answer.status_code == 200


SENSORS = {
    "thermistor-2w": ({"element": {"kind": "thermistor", "ohm_25": 10_000, "beta_k": 3435}}, ("signal", "return")),
    "hall-3w": ({"element": {"kind": "switching"}}, ("reference", "return", "signal")),
    "vr-2w": ({"element": {"kind": "coil", "ohm": 800, "tolerance_pct": 12, "loose_vac": [3, 6]}}, ("plus", "minus")),
    "thermocouple": ({"element": {"kind": "thermocouple", "uv_per_k": 41}}, ("plus", "minus")),
    "switch": ({}, ("signal", "return")),
}
STIMULI = {
    "thermistor-2w": [{"label": "cold", "value": 18}, {"label": "warm", "value": 80}],
    "hall-3w": [{"label": "away"}, {"label": "there"}],
    "vr-2w": [{"label": "turning"}],
    "thermocouple": [{"label": "cold", "value": 20}, {"label": "hot", "value": 320}],
    "switch": [{"label": "up"}, {"label": "down"}],
}


@pytest.mark.parametrize(
    ("family", "readings", "leader"),
    [
        ("thermistor-2w", [("sensor_ohm", "A", None, "OL"), ("live_v", None, 0, 5.0), ("open_v", "A", None, 4.98)],
         "thermistor_open"),
        ("hall-3w", [("open_v", "A", None, 0.0), ("lamp_negative", "A", None, "dark"), ("off_ohm", "A", None, "OL"),
                     ("open_v", "C", None, 4.97)], "reference_open"),
        ("vr-2w", [("coil_ohm", None, None, "OL"), ("ac_loose_v", None, None, 0.0), ("counted", None, None, "no signal")],
         "coil_open"),
        ("vr-2w", [("polarity", None, None, "-"), ("coil_ohm", None, None, 805), ("ac_loose_v", None, None, 4.4)],
         "coil_reversed"),
        ("thermocouple", [("loop_ohm", None, None, "OL"), ("thermo_v", "A", 1, 0.0)], "junction_open"),
        ("switch", [("sensor_ohm", "A", 1, "OL"), ("mated_v", "A", 1, 4.97), ("open_v", "A", None, 4.98)], "contact_open"),
    ],
)  # fmt: skip
def test_a_circuit_of_any_family_can_be_handed_in(diagnose, family, readings, leader):
    sensor, roles = SENSORS[family]
    pins = [{"cavity": c, "role": role} for c, role in zip("ABC", roles, strict=False)]
    card = {"name": "A circuit", "family": family, "reference_v": 5, "pins": pins, "stimuli": STIMULI[family]}
    if family in {"thermistor-2w", "hall-3w", "switch"}:
        card["pull_up"] = {"resistance_ohm": 4700, "to_v": 5}
    answer = diagnose(
        sensor={"name": "A sensor", "family": family, "supply_v": 5, "tolerance_pct_span": 3} | sensor,
        circuit=card,
        readings=[{"action": a, "cavity": c, "point": p, "value": v} for a, c, p, v in readings],
    )
    assert answer.status_code == 200, answer.text
    assert answer.json()["diagnosis"]["ranking"][0]["fault"] == leader
