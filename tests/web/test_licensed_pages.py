"""On a circuit that is left to licensed work the Bench asks nothing and takes nothing, from a page or a program."""

import json
import re

import pytest
from sqlalchemy import text

from irongauge.demo.shelf import uid_of

LT7 = uid_of("LT-7")


@pytest.fixture
def airbags(demo, brake):
    with demo.engine.begin() as connection:
        connection.execute(text("UPDATE circuit SET name = 'Side airbags left' WHERE uid = :uid"), {"uid": brake})
    return brake


def test_the_bench_says_so_and_offers_no_step(visitor, airbags):
    page = visitor.get(f"/circuits/{airbags}/bench")
    assert page.status == 200
    assert "Left to licensed work" in page.text
    assert "it is of airbags and belts" in page.text
    assert not any("/readings" in form.action for form in page.reader.forms)
    assert visitor.get(f"/circuits/{airbags}/bench?test=lamp_negative:1").status == 404


@pytest.mark.parametrize(
    ("action", "cavity", "value"), [("open_v", "1", "4.98"), ("lamp_negative", "1", "bright"), ("off_ohm", "2", "0.4")]
)
def test_a_program_is_refused_with_the_reason(visitor, airbags, action, cavity, value):
    people = visitor.client.get("/api/v1/shelf").json()["technicians"]
    told = {"action": action, "cavity": cavity, "value": value, "technician_uid": people[0]["uid"]}
    answer = visitor.client.post(f"/api/v1/circuits/{airbags}/readings", json=told)
    assert answer.status_code == 422
    assert "left to licensed work" in answer.text


@pytest.mark.usefixtures("airbags")
def test_it_is_not_planned(visitor):
    assert "Side airbags left" in visitor.get("/work").text
    assert "Left to licensed work, and not planned" in visitor.get("/work").text


@pytest.fixture
def winch(visitor):
    """The circuit of LT-7 whose way is listed, and the form of its wiring."""
    uid = next(
        c["uid"]
        for job in visitor.client.get("/api/v1/jobs").json()
        for c in job["circuits"]
        if c["name"] == "Winch oil pressure"
    )
    page = visitor.get(f"/vehicles/{LT7}/wiring")
    return uid, page.form("/wiring")


@pytest.mark.parametrize(
    ("was", "becomes", "left"),
    [
        ("24,X12:1,X20:1,red/white,0.5,3.2", "24,X12:1,X20:1,red/white,0.5,3.2,,airbags and belts", True),
        ("24,X12:1,X20:1,red/white,0.5,3.2", "Gurtstraffer links,X12:1,X20:1,red/white,0.5,3.2", True),
        ("24,X12:1,X20:1,red/white,0.5,3.2", "Brake light feed,X12:1,X20:1,red/white,0.5,3.2,,none of these", False),
    ],
)
def test_a_wire_of_licensed_work_leaves_the_circuits_on_it_to_it(visitor, winch, was, becomes, left):
    uid, form = winch
    kept = visitor.send(form, wires=form.fields["wires"].replace(was, becomes))
    assert kept.status == 200
    assert ("Do not measure, cut or open it here" in kept.text) == left
    assert ("measure next at" in kept.text.split("Winch oil pressure")[1].split("Shields")[0]) != left or not left
    bench = visitor.get(f"/circuits/{uid}/bench").text
    assert ("Left to licensed work" in bench) == left
    assert ("Left to licensed work, and not planned" in visitor.get("/work").text) == left
    assert "could be left to licensed work" not in kept.text, "what nobody can deny is not asked about"


def test_a_wire_that_could_be_one_is_asked_about_and_stays_unmeasured_till_then(visitor, winch):
    _, form = winch
    renamed = form.fields["wires"].replace("24,X12:1", "Bremsdruck Geber,X12:1")
    asked = visitor.send(form, wires=renamed)
    assert "Bremsdruck Geber : by its name it could be left to licensed work" in asked.text.replace("Geber:", "Geber :")
    told = visitor.send(
        asked.form("/wiring"), wires=renamed.replace("red/white,0.5,3.2", "red/white,0.5,3.2,,none of these", 1)
    )
    assert "could be left to licensed work" not in told.text


def test_a_circuit_that_comes_onto_such_a_way_is_left_too(visitor, winch):
    uid, form = winch
    job = next(j for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    wires = "31,Bow thruster oil:1,X20:5,red,0.5,2,,high voltage\n32,X20:5,Controller:AI 9,red,0.5,1\n"
    nodes = form.fields["nodes"].rstrip() + "\nBow thruster oil,sensor\n"
    assert visitor.send(form, nodes=nodes, wires=form.fields["wires"].rstrip() + "\n" + wires).status == 200
    shelf = visitor.client.get("/api/v1/shelf").json()
    new = visitor.client.post(f"/api/v1/jobs/{job['uid']}/circuits", json={
        "name": "Bow thruster oil", "sensor_type_uid": next(s["uid"] for s in shelf["sensor_types"] if "P10" in s["name"]),
        "pins": [{"cavity": c, "role": r} for c, r in zip("123", ("reference", "return", "signal"), strict=True)],
        "stimuli": [{"label": "vented", "value": 0}, {"label": "pumped", "value": 460}],
    }).json()["uid"]  # fmt: skip
    assert "Left to licensed work" in visitor.get(f"/circuits/{new}/bench").text
    assert "Left to licensed work" not in visitor.get(f"/circuits/{uid}/bench").text


def test_what_lies_on_an_airbags_wire_cannot_be_denied_on_its_card(visitor, winch):
    uid, form = winch
    visitor.send(form, wires=form.fields["wires"].replace("24,X12:1", "Airbag feed,X12:1"))
    card = visitor.get(f"/circuits/{uid}/card").form("/card")
    assert card.fields["part_of"] == "airbags and belts"
    visitor.send(card, part_of="none of these")
    assert "Left to licensed work" in visitor.get(f"/circuits/{uid}/bench").text


def test_a_file_whose_harness_has_such_a_wire_leaves_its_circuits_to_it(visitor, winch):
    job = next(j["uid"] for j in visitor.client.get("/api/v1/jobs").json() if j["vehicle"] == "LT-7")
    file = visitor.client.get(f"/api/v1/jobs/{job}").text.replace('"name": "24"', '"name": "Airbag feed"')
    for old, new in ((str(LT7), str(uid_of("elsewhere"))), ('"tag": "LT-7"', '"tag": "LT-7b"')):
        file = file.replace(old, new)
    mine = json.loads(file)
    taken = {*re.findall(r"[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}", file)}
    shared = {t["uid"] for part in ("technicians", "instruments", "sensor_types") for t in mine[part]}
    shared |= {t["uid"] for t in mine["plan"]["module_types"]}
    for uid in taken - shared:
        file = file.replace(uid, str(uid_of(f"again {uid}")))
    told = visitor.client.post("/api/v1/jobs/import", content=file, headers={"Content-Type": "application/json"})
    assert told.status_code == 201, told.text
    uid = str(uid_of(f"again {winch[0]}"))
    assert "Left to licensed work" in visitor.get(f"/circuits/{uid}/bench").text
