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
    assert len(found) == 11
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
    assert told["tried_fuse"]["mark"] == "pass"
    assert told["fuses_a"] == [5, 7.5]


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


TYPE = str(uid_of("module Lantern"))
MODULE, FUNCTION, FEED = (f"6ba7b81{n}-9dad-11d1-80b4-00c04fd430c8" for n in (1, 2, 3))


def test_a_plan_is_written_by_program_and_taken_down_again(visitor):
    client, vehicle = visitor.client, f"/api/v1/vehicles/{uid_of('D-3')}"
    function = {"uid": FUNCTION, "name": "Tank float", "kinds": ["analogue"], "module_uid": MODULE, "pin": "G2"}
    feed = {
        "name": "Lamps",
        "fuse_a": 10,
        "supply_m": 2,
        "return_m": 2,
        "area_mm2": 1,
        "loads": [{"name": "Lamp", "steady_a": 5}],
    }
    module = {"uid": MODULE, "name": "Gauges", "type_uid": TYPE}
    assert client.put(f"{vehicle}/functions/{FUNCTION}", json=function).status_code == 422, (
        "its module is not fitted yet"
    )
    for address, body in ((f"modules/{MODULE}", module), (f"functions/{FUNCTION}", function), (f"feeds/{FEED}", feed)):
        for _ in range(2):
            assert client.put(f"{vehicle}/{address}", json=body).status_code == 204, address
    plan = client.get(f"{vehicle}/plan").json()
    assert [f["pin"] for f in plan["functions"] if f["name"] == "Tank float"] == ["G2"]
    assert [f["fuse_a"] for f in plan["feeds"] if f["name"] == "Lamps"] == [10]
    assert client.delete(f"{vehicle}/modules/{MODULE}").status_code == 403, "something stands on it"
    for address in (f"functions/{FUNCTION}", f"feeds/{FEED}", f"modules/{MODULE}"):
        assert client.delete(f"{vehicle}/{address}").status_code == 204
    assert client.get(f"{vehicle}/plan").json() == {**plan, "modules": [m for m in plan["modules"] if m["uid"] != MODULE],
        "module_types": [t for t in plan["module_types"] if t["uid"] != TYPE],
        "functions": [f for f in plan["functions"] if f["uid"] != FUNCTION],
        "feeds": [f for f in plan["feeds"] if f["uid"] != FEED]}  # fmt: skip


def test_what_belongs_to_another_vehicle_is_not_written_over(visitor):
    client, other = visitor.client, f"/api/v1/vehicles/{uid_of('D-3')}"
    plan = client.get(f"/api/v1/vehicles/{uid_of('LT-7')}/plan").json()
    function = plan["functions"][0] | {"module_uid": None, "pin": None}
    assert client.put(f"{other}/functions/{function['uid']}", json=function).status_code == 404
    module = plan["modules"][0]
    assert client.put(f"{other}/modules/{module['uid']}", json=module).status_code == 404
    feed = client.get(f"/api/v1/vehicles/{uid_of('G-12')}/plan").json()["feeds"][0]
    assert client.put(f"{other}/feeds/{feed['uid']}", json=feed).status_code == 404
    assert client.delete(f"{other}/feeds/{feed['uid']}").status_code == 404
    assert client.get(f"/api/v1/vehicles/{uid_of('LT-7')}/plan").json() == plan


@pytest.mark.parametrize(
    ("change", "status"),
    [({"pin": "AI 99"}, 422), ({"fed_by_uid": FEED}, 422), ({"uid": MODULE}, 422), ({"circuit_uid": FEED}, 404),
     ({"kinds": []}, 422), ({"most_v": 1e9}, 422), ({"name": "Boost pressure"}, 422)],
    ids=["pin", "reference", "uid", "circuit", "kinds", "volts", "name"],
)  # fmt: skip
def test_a_function_that_cannot_be_is_refused(visitor, change, status):
    vehicle = f"/api/v1/vehicles/{uid_of('LT-7')}"
    plan = visitor.client.get(f"{vehicle}/plan").json()
    function = next(f for f in plan["functions"] if f["name"] == "Winch button")
    assert visitor.client.put(f"{vehicle}/functions/{function['uid']}", json=function | change).status_code == status
    assert visitor.client.get(f"{vehicle}/plan").json() == plan


def test_trials_and_a_kit_are_written_by_program(visitor):
    client, vehicle, job = visitor.client, uid_of("LT-7"), uid_of("job LT-7")
    by = client.get("/api/v1/shelf").json()["technicians"][0]["uid"]
    trial = {"at": "Squarer to display", "form": "square wave", "worked": False, "technician_uid": by}
    assert client.post(f"/api/v1/vehicles/{vehicle}/trials", json=trial).status_code == 204
    assert client.post(f"/api/v1/vehicles/{vehicle}/trials", json=trial | {"technician_uid": FEED}).status_code == 404
    (kept,) = client.get(f"/api/v1/vehicles/{vehicle}/plan").json()["trials"]
    assert {name: kept[name] for name in trial} == trial
    lines = client.post(f"/api/v1/jobs/{job}/kit", json=[{"text": "Sleeve, 6 mm", "price": 2.4}]).json()
    line = next(found for found in lines if found["text"] == "Sleeve, 6 mm")
    assert client.post(f"/api/v1/kit/{line['uid']}/tick", json={"technician_uid": by}).status_code == 204
    ticked = next(found for found in client.get(f"/api/v1/jobs/{job}/kit").json() if found["uid"] == line["uid"])
    assert (ticked["price"], ticked["done_by_uid"]) == (2.4, by)
    assert client.delete(f"/api/v1/kit/{line['uid']}").status_code == 204
    assert line["uid"] not in {found["uid"] for found in client.get(f"/api/v1/jobs/{job}/kit").json()}
    assert client.delete(f"/api/v1/kit/{line['uid']}").status_code == 404
