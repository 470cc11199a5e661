"""Steps set before others, circuits still to be wired and batteries that come off, in the order of the work."""

from __future__ import annotations

import pytest

from irongauge.demo.shelf import uid_of
from tests.web.visitor import circuit

API = "/api/v1/plan/session"
P2 = str(uid_of("P-2"))


def test_a_step_is_set_before_another_and_never_in_a_circle(visitor):
    lt7 = uid_of("LT-7")
    form = visitor.get(f"/vehicles/{lt7}/work").form("/work/steps")
    test = next(k for k in (s["key"] for s in visitor.client.get(API).json()["steps"]) if k.startswith(f"{lt7}/fit:"))
    added = visitor.send(form, vehicle_uid=str(lt7), title="Wash the frame", minutes="20", before=test)
    assert added.status == 200
    assert "it was set before" in visitor.client.get("/work", params={"step": test}).text
    steps = {s["key"]: s for s in visitor.client.get(API).json()["steps"]}
    wash = next(key for key, s in steps.items() if s["title"] == "Wash the frame")
    assert steps[wash]["end"] <= steps[test]["start"]
    shown = visitor.get(f"/work?step={wash}")
    before = shown.form("/work/before")
    assert before.fields["before"] == test
    circle = visitor.send(visitor.get(f"/work?step={test}").form("/work/before"), before=wash)
    assert circle.status == 422
    assert "waits for “Wash the frame” itself" in circle.text
    nowhere = visitor.send(before, before=f"{lt7}/nothing")
    assert (nowhere.status, "a step that is not there" in nowhere.text) == (422, True)
    assert visitor.send(before, before="").status == 200
    assert "it was set before" not in visitor.client.get("/work", params={"step": test}).text
    assert visitor.send(visitor.get(f"/work?step={wash}").form("/work/before"), before=f"{lt7}/hand over").status == 200


def test_a_circuit_that_is_still_to_be_wired_is_tested_after_it(visitor):
    job = next(
        j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "P-2" and not j["handed_over_at"]
    )
    shelf = visitor.client.get("/api/v1/shelf").json()
    new = visitor.client.post(f"/api/v1/jobs/{job['uid']}/circuits", json={
        "name": "Sand box level", "sensor_type_uid": next(s["uid"] for s in shelf["sensor_types"] if "P10" in s["name"]),
        "pins": [{"cavity": c, "role": r} for c, r in zip("123", ("reference", "return", "signal"), strict=True)],
        "stimuli": [{"label": "vented", "value": 0}, {"label": "pumped", "value": 460}], "to_wire": True,
    }).json()["uid"]  # fmt: skip
    steps = {s["key"]: s for s in visitor.client.get(f"/api/v1/vehicles/{P2}/session").json()["steps"]}
    fit, check, up = (steps[f"{P2}/{what}:{new}"] for what in ("fit", "check", "power"))
    tests = [s for key, s in steps.items() if key.startswith(f"{P2}/test:{new}")]
    assert fit["end"] <= check["start"] < check["end"] <= up["start"]
    assert tests
    assert all(up["end"] <= s["start"] for s in tests)
    technician = shelf["technicians"][0]["uid"]
    meter = next(i["uid"] for i in shelf["instruments"] if i["name"] == "Meter 4")
    read = visitor.client.post(f"/api/v1/circuits/{new}/readings", json={
        "action": "battery_v", "value": 12.6, "technician_uid": technician, "instrument_uid": meter})  # fmt: skip
    assert read.status_code == 201, read.text
    after = {s["key"] for s in visitor.client.get(f"/api/v1/vehicles/{P2}/session").json()["steps"]}
    assert f"{P2}/fit:{new}" not in after, "what is measured is wired"


@pytest.mark.parametrize(
    ("batteries", "says"),
    [("", "Where there are two batteries, take the negative cable off both."), ("1", None),
     ("2", "LT-7 has 2 batteries: take the negative cable off both."),
     ("4", "LT-7 has 4 batteries: take the negative cable off all 4."),
     ("8", "LT-7 has 8 batteries: take the negative cable off all 8.")],
)  # fmt: skip
def test_every_battery_comes_off_where_a_step_needs_it(visitor, batteries, says):
    lt7 = uid_of("LT-7")
    card = visitor.get(f"/vehicles/{lt7}").form(f"/vehicles/{lt7}")
    assert visitor.send(card, batteries=batteries).status == 200
    steps = visitor.client.get(f"/api/v1/vehicles/{lt7}/session").json()["steps"]
    off = next(s["key"] for s in steps if s["key"].startswith(f"{lt7}/fit:"))
    step = visitor.get(f"/work?step={off}").text
    bench = visitor.get(f"/circuits/{circuit(visitor, 'Brake line pressure')}/bench?test=off_ohm:B").text
    for page in (step, bench):
        assert (says in page) if says else ("two batteries" not in page and "has " + batteries not in page)
