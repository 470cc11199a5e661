"""`/api/v1/plan`: its examples work, odd bodies are refused with a sentence, and sums are those of the core."""

from __future__ import annotations

import pytest

from irongauge.demo.shelf import uid_of

API = "/api/v1/plan"


def examples(standing):
    for path, methods in standing.client.get("/api/v1/openapi.json").json()["paths"].items():
        if path.startswith(API):
            for example in methods["post"]["requestBody"]["content"]["application/json"]["examples"].values():
                yield path, example["value"]


def test_every_example_works(standing):
    found = list(examples(standing))
    assert len(found) == 10
    for path, body in found:
        answer = standing.client.post(path, json=body)
        assert answer.status_code == 200, (path, answer.text)


def body_of(standing, name):
    return next(body for path, body in examples(standing) if path == f"{API}/{name}")


def test_the_check_value_of_a_drop(standing):
    """0.5 mm² copper, 6 m there and back, 4 A: 0.8256 V."""
    body = body_of(standing, "feed")
    body["feed"] |= {"around_degc": 20, "area_mm2": 0.5}
    told = standing.client.post(f"{API}/feed", json=body).json()
    assert told["supply_drop_v"] + told["return_drop_v"] == pytest.approx(0.8256, abs=1e-12)
    assert told["may_raise_fuse"] is True


def test_room_is_told_with_its_moves_or_with_the_proof(standing):
    body = body_of(standing, "room")
    told = standing.client.post(f"{API}/room", json=body).json()
    assert [(m["function"], m["to"]["pin"]) for m in told["moves"]] == [("Winch button", "D1")]
    assert told["placed"][0]["to"]["pin"] == "A1"
    body["wants"][0]["count"] = 2
    told = standing.client.post(f"{API}/room", json=body).json()
    assert not told["has_room"]
    assert "No rearrangement does" in told["sentence"]
    assert told["smallest_module_uid"] == body["module_types"][0]["uid"]


def test_a_harness_is_checked_and_halved(standing):
    body = body_of(standing, "harness")
    told = standing.client.post(f"{API}/harness", json=body).json()
    assert told["path"]["measure_next_at"] == {"node": "X1", "cavity": "1"}
    assert told["path"]["length_m"] == pytest.approx(4.2)
    body["harness"]["wires"][0]["end"]["cavity"] = "9"
    told = standing.client.post(f"{API}/harness", json=body).json()
    assert told["problems"] == ["Wire 1: X1 has no cavity 9."]
    assert told["path"] is None


@pytest.mark.parametrize(
    ("name", "change", "says"),
    [
        ("feed", {"feed": {"name": "x", "fuse_a": 5, "supply_m": 0, "return_m": 1, "area_mm2": 1}}, "0.001"),
        ("feed", {"feed": {"name": "x", "fuse_a": 5, "supply_m": 1, "return_m": 1, "area_mm2": 1,
                           "loads": [{"name": "Fan", "steady_a": 5, "peak_a": 2}]}}, "Fan: its peak of 2 A is below"),
        ("reference", {"sensors": {"a": -3}}, "A sensor takes 0 to 10 000 mA."),
        ("board", {"modules": [{"uid": "6ba7b811-9dad-11d1-80b4-00c04fd430c8", "name": "m",
                                "type_uid": "6ba7b811-9dad-11d1-80b4-00c04fd430c8"}]}, "of a type that is not in it"),
        ("board", {"module_types": [{"uid": "6ba7b810-9dad-11d1-80b4-00c04fd430c8", "name": "C2", "pins": [
            {"name": "A", "kind": "analogue"}, {"name": "A", "kind": "digital"}]}]}, "named twice"),
        ("chain", {"stages": [{"name": "alone"}]}, "at least 2"),
        ("return", {"offset_v": 99}, "less than or equal to 5"),
    ],
)  # fmt: skip
def test_a_body_that_cannot_be_is_refused_with_a_sentence(standing, name, change, says):
    answer = standing.client.post(f"{API}/{name}", json=body_of(standing, name) | change)
    assert answer.status_code == 422
    assert says in answer.text


def test_module_types_and_a_harness_go_out_and_in(visitor):
    client = visitor.client
    types = {t["name"]: t for t in client.get("/api/v1/module-types").json()}
    block = types["Brim X4 input block"]
    block["pins"][0]["most_v"] = 10.0
    assert client.put(f"/api/v1/module-types/{block['uid']}", json=block).status_code == 204
    changed = next(t for t in client.get("/api/v1/module-types").json() if t["uid"] == block["uid"])
    assert changed["pins"][0]["most_v"] == 10.0
    assert client.put(f"/api/v1/module-types/{types['Rime 12 controller']['uid']}", json=block).status_code == 422
    vehicle = f"/api/v1/vehicles/{uid_of('D-3')}"
    harness = client.get(f"{vehicle}/plan").json()["harness"]
    harness["wires"] = harness["wires"][:3]
    assert client.put(f"{vehicle}/harness", json=harness).status_code == 204
    harness["wires"][0]["end"]["node"] = "X77"
    refused = client.put(f"{vehicle}/harness", json=harness)
    assert (refused.status_code, "goes to X77, which is not there" in refused.text) == (422, True)
    assert len(client.get(f"{vehicle}/plan").json()["harness"]["wires"]) == 3
