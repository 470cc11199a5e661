"""The JSON API: a program takes a circuit from nothing to a verdict, and is told plainly what is wrong."""

from uuid import UUID, uuid4

import pytest

from tests.cards import GOOD


@pytest.fixture
def api(visitor):
    def call(method, path, **body):
        return visitor.client.request(method, f"/api/v1{path}", json=body or None)

    return call


@pytest.fixture
def made(api):
    """A circuit made through the API, and who measures it with what."""
    shelf = api("GET", "/shelf").json()
    technician = shelf["technicians"][0]["uid"]
    vehicle = api("POST", "/vehicles", tag="LT-8").json()["uid"]
    job = api(
        "POST", "/jobs", vehicle_uid=vehicle, title="Check", technician_uid=technician, received_on="2026-11-25",
        promised_on="2026-11-27",
    ).json()["uid"]  # fmt: skip
    circuit = api(
        "POST", f"/jobs/{job}/circuits", name="Oil line",
        sensor_type_uid=next(s["uid"] for s in shelf["sensor_types"] if "P10" in s["name"]),
        pins=[{"cavity": c, "role": r} for c, r in zip("ABC", ("reference", "return", "signal"), strict=True)],
        stimuli=[{"label": "vented", "value": 0}, {"label": "pumped", "value": 460}],
    ).json()["uid"]  # fmt: skip
    meter = next(i["uid"] for i in shelf["instruments"] if i["name"] == "Meter 4")
    return {"job": job, "circuit": circuit, "by": {"technician_uid": technician, "instrument_uid": meter}}


# What the diagnosis may ask for beyond the proofs of a good circuit.
MORE = GOOD | {
    "live_jumped_v:C": 0.0, "live_unplugged_v:C": 0.01, "live_grounded_v:C": 0.0, "off_ohm:A": 950.0, "off_ohm:B": 0.4,
    "off_ohm:C": 420_000.0, "sensor_ohm:A": 5200.0, "lamp_negative:B": "dark", "lamp_negative_v:B": 0.0,
    "lamp_negative:C": "dark", "lamp_negative_v:C": 0.0,
}  # fmt: skip


def test_a_program_proves_a_circuit_by_answering_what_is_asked(api, made):
    path = f"/circuits/{made['circuit']}"
    while (step := api("GET", f"{path}/verdict").json()["next_test"]) is not None:
        test_point = step["action"] + (
            f":{step['cavity'] or ''}" if step["cavity"] or step["point"] is not None else ""
        )
        test_point += f":{step['point']}" if step["point"] is not None else ""
        body = {key: step[key] for key in ("action", "cavity", "point")} | {"value": MORE[test_point]} | made["by"]
        answer = api("POST", f"{path}/readings", **body)
        assert answer.status_code == 201, answer.text
        assert answer.json()["judgement"]["mark"] == "pass", answer.json()["judgement"]
    verdict = api("GET", f"{path}/verdict").json()
    assert verdict["level"] == "proved good"
    assert verdict["diagnosis"]["ranking"][0]["fault"] == "healthy"
    assert {p["mark"] for p in verdict["proofs"]} == {"pass"}
    whole = api("GET", f"/jobs/{made['job']}").json()
    assert len(whole["circuits"][0]["readings"]) >= len(GOOD)
    assert api("GET", path).json()["name"] == "Oil line"


def test_a_number_is_in_the_fixed_unit_and_text_is_as_typed(api, made):
    path = f"/circuits/{made['circuit']}/readings"
    for action, cavity, value, stored in [
        ("open_v", "A", "4,98 V", 4.98),
        ("open_v", "B", 0.012, 0.012),
        ("mated_v", "B", 3, 3.0),
        ("off_ohm", "A", "1.2k", 1200.0),
    ]:
        answer = api("POST", path, action=action, cavity=cavity, value=value, **made["by"])
        assert answer.json()["reading"]["value"] == pytest.approx(stored), answer.text
    live = api("POST", path, action="live_value", point=1, value=461, **made["by"]).json()["reading"]
    assert (live["value"], live["unit"]) == (pytest.approx(461), "kPa")


def test_a_reading_sent_twice_is_stored_once(api, made):
    body = {"uid": str(uuid4()), "action": "open_v", "cavity": "A", "value": "4.98"} | made["by"]
    path = f"/circuits/{made['circuit']}/readings"
    assert [api("POST", path, **body).status_code for _ in range(2)] == [201, 200]
    assert len(api("GET", path).json()) == 1


def test_a_correction_names_what_it_replaces(api, made):
    path = f"/circuits/{made['circuit']}/readings"
    body = {"action": "open_v", "cavity": "A"} | made["by"]
    first = api("POST", path, value=9.48, **body).json()["reading"]["uid"]
    assert api("POST", path, value=4.98, **body).status_code == 409
    second = api("POST", path, value=4.98, supersedes_uid=first, reason="mistyped", **body)
    assert second.status_code == 201
    assert [r["reading"]["value"] for r in api("GET", path).json()] == [4.98]
    both = api("GET", path + "?every=true").json()
    assert [r["is_current"] for r in both] == [False, True]


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "says"),
    [
        ("POST", "/vehicles", {"tag": "LT-7"}, 422, "already the name of a vehicle"),
        ("POST", "/vehicles", {"tag": ""}, 422, "tag"),
        ("POST", "/vehicles", {"tag": "N", "system_v": 48}, 422, "system of"),
        ("POST", "/vehicles", {"tag": "N", "wheels": 4}, 422, "wheels"),
        ("POST", "/vehicles", {"tag": "N\0"}, 422, "cannot be stored (U+0000)"),
        ("POST", "/jobs/import", {"format": "x"}, 422, "not a job file"),
        ("GET", "/jobs/abc", {}, 422, "uid"),
        ("GET", f"/jobs/{UUID(int=0)}", {}, 404, "There is no job"),
        ("GET", f"/circuits/{UUID(int=0)}/verdict", {}, 404, "There is no circuit"),
        ("DELETE", "/jobs", {}, 405, "/api/v1/openapi.json"),
        ("GET", "/nothing", {}, 404, "Check the address"),
    ],
)
def test_what_is_wrong_comes_as_problem_details(standing, method, path, body, status, says):
    answer = standing.client.request(method, f"/api/v1{path}", json=body or None)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()
    assert set(problem) >= {"type", "title", "status", "detail"}
    assert problem["status"] == status
    assert says in str(problem)


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"action": "open_v", "cavity": "A", "value": "abc"}, "“abc” is not a number."),
        ({"action": "open_v", "cavity": "Q", "value": 5}, "There is no test point"),
        ({"action": "paint", "cavity": "A", "value": 5}, "action"),
        ({"action": "lamp_positive", "cavity": "B", "value": "dark"}, "not safe on that pin yet"),
        ({"action": "open_v", "cavity": "A", "value": 40}, "cannot be right here"),
    ],
)
def test_a_reading_that_cannot_be_is_refused(api, made, body, says):
    answer = api("POST", f"/circuits/{made['circuit']}/readings", **(body | made["by"]))
    assert answer.status_code in {404, 422}
    assert says in str(answer.json())


def test_not_json_is_refused(visitor):
    answer = visitor.client.post("/api/v1/vehicles", content=b"{", headers={"Content-Type": "application/json"})
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"


def test_the_api_describes_itself_with_examples(visitor):
    spec = visitor.client.get("/api/v1/openapi.json").json()
    assert "/api/v1/circuits/{uid}/verdict" in spec["paths"]
    assert "open_v" in spec["info"]["description"]
    for name in ("VehicleIn", "JobIn", "CircuitIn", "ReadingIn"):
        properties = spec["components"]["schemas"][name]["properties"]
        assert any("examples" in p for p in properties.values()), name
