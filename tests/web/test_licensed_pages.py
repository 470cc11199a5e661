"""On a circuit that is left to licensed work the Bench asks nothing and takes nothing, from a page or a program."""

import pytest
from sqlalchemy import text


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
