"""The lamp from battery positive, refused where it must not go: by the page, by its form, and by the programs' interface."""

import pytest

# What pins A (reference), B (return) and C (signal) of the brake circuit read unplugged, and where the lamp may then go.
CASES = [
    ("nothing read", {}, set()),
    ("only the reference read", {"A": "4.98"}, set()),
    ("all read, as they should be", {"A": "4.98", "B": "3mV", "C": "0.02"}, {"B", "C"}),
    ("the reference dead", {"A": "0.01", "B": "3mV", "C": "0.02"}, {"B", "C"}),
    ("a bias on the signal", {"A": "4.98", "B": "3mV", "C": "4.9"}, {"B"}),
    ("the return on the battery", {"A": "4.98", "B": "12.3", "C": "0.02"}, {"C"}),
]
POINTS = [("lamp_positive", "A"), ("lamp_positive", "B"), ("lamp_positive", "C"), ("live_lamp_positive_v", "A")]


@pytest.fixture
def fresh(visitor, jobs):
    """A three-wire circuit that nobody has read yet, and who reads it."""
    shelf = visitor.client.get("/api/v1/shelf").json()
    sensor = next(s for s in shelf["sensor_types"] if s["family"] == "ratiometric-3w")
    pins = [{"cavity": c, "role": r} for c, r in zip("ABC", ("reference", "return", "signal"), strict=True)]
    body = {"name": "Fresh", "sensor_type_uid": sensor["uid"], "reference_v": 5, "pins": pins,
            "stimuli": [{"label": "vented", "value": 0}]}  # fmt: skip
    made = visitor.client.post(f"/api/v1/jobs/{jobs['LT-7']['uid']}/circuits", json=body)
    assert made.status_code == 201, made.text
    return made.json()["uid"], shelf["technicians"][0]["uid"]


def _record(visitor, fresh, action, cavity, value):
    uid, who = fresh
    body = {"action": action, "cavity": cavity, "value": value, "technician_uid": who}
    return visitor.client.post(f"/api/v1/circuits/{uid}/readings", json=body)


@pytest.mark.parametrize(("open_v", "may"), [c[1:] for c in CASES], ids=[c[0] for c in CASES])
def test_page_form_and_programs_refuse_it_alike(visitor, fresh, open_v, may):
    uid, who = fresh
    form = visitor.get(f"/circuits/{uid}/bench").form("/readings")  # to be sent with other contents
    for cavity, value in open_v.items():
        assert _record(visitor, fresh, "open_v", cavity, value).status_code == 201
    for action, cavity in POINTS:
        allowed = action == "lamp_positive" and cavity in may
        value = "dark" if action == "lamp_positive" else "5"
        assert visitor.get(f"/circuits/{uid}/bench?test={action}:{cavity}").status == (200 if allowed else 404)
        if allowed:
            continue
        told = _record(visitor, fresh, action, cavity, value)
        assert told.status_code == 422, (action, cavity)
        assert "may be the reference" in told.json()["detail"]
        sent = visitor.send(form, test_point=f"{action}:{cavity}", value=value, technician_uid=who, seen_uid="")
        assert sent.status == 422
        assert "may be the reference" in sent.text
        kept = visitor.client.get(f"/api/v1/circuits/{uid}/readings").json()
        assert not any(r["reading"]["action"] == action and r["reading"]["cavity"] == cavity for r in kept)
