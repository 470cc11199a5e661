"""What an empty page shows instead: something of the shop's own, else something made up, until there is the real thing."""

from dataclasses import replace
from uuid import uuid4

import pytest

from irongauge.core.plan.harness import Harness
from irongauge.demo.saltmarsh import SHOP
from irongauge.demo.shelf import uid_of
from irongauge.web.job.example import draw_job
from irongauge.workflows.plan.wirings import save_harness
from irongauge.workflows.shop.examples import fed_example, job_example, planned_example, wired_example
from irongauge.workflows.shop.jobs import add_circuit, look_at_floor, look_at_job
from tests.cards import circuit

_BARE = uid_of("P-2")


def _job_without_circuits(demo):
    return next(view.job for view in look_at_floor(demo).jobs if not view.circuits)


def _some_sensor(demo):
    some = next(view for view in look_at_floor(demo).jobs if view.circuits)
    return look_at_job(demo, some.job.uid).view.circuits[0].circuit.sensor


def test_a_job_without_circuits_shows_the_newest_other_job_of_the_shop(demo, visitor):
    job = _job_without_circuits(demo)
    found = job_example(demo, job.uid)
    others = [view for view in look_at_floor(demo).jobs if view.circuits and not view.job.is_practice]
    assert found.job.received_on == max(view.job.received_on for view in others)
    page = visitor.get(f"/jobs/{job.uid}")
    assert f"An example, {found.job.vehicle.tag}, job {found.job.number}" in page.text
    assert page.response.text.count("<figcaption>") == min(3, len(found.standing))
    other = visitor.get(f"/jobs/{found.job.uid}")
    assert "An example" not in other.text


def test_it_goes_with_the_first_circuit_and_a_practice_job_is_never_shown(demo, visitor):
    job = _job_without_circuits(demo)
    practice = next(view.job for view in look_at_floor(demo).jobs if view.job.is_practice)
    assert job_example(demo, job.uid).job.uid != practice.uid
    add_circuit(demo, job.uid, replace(circuit(), uid=uuid4(), sensor=_some_sensor(demo)))
    assert "An example" not in visitor.get(f"/jobs/{job.uid}").text


def test_without_any_job_a_plug_is_made_up():
    made = draw_job(None)
    assert made.whose == ""
    (one,) = made.circuits
    assert one.face.summary == "Connector with pins A reference red, B return black, C signal green"


def test_what_is_done_is_drawn_first(demo):
    view = next(view for view in look_at_floor(demo).jobs if len(view.standing) > 3 and not view.job.is_practice)
    drawn = [c.level.is_done for c in draw_job(view).circuits]
    assert drawn == sorted(drawn, reverse=True)
    assert len(drawn) == 3


@pytest.mark.parametrize(
    ("page", "example", "has"),
    [("wiring", wired_example, "D-3"), ("power", fed_example, "G-12"), ("inputs", planned_example, "LT-7")],
)
def test_a_bare_vehicle_shows_what_another_one_has(demo, visitor, page, example, has):
    bare = _BARE if page != "inputs" else uid_of("BOARD")
    assert example(demo, bare) is not None
    assert example(demo, bare).vehicle.uid != bare
    shown = visitor.get(f"/vehicles/{bare}/{page}")
    assert f"{example(demo, bare).vehicle.tag}" in shown.text
    assert "An example" in shown.text
    assert "An example" not in visitor.get(f"/vehicles/{uid_of(has)}/{page}").text


def test_a_shop_with_one_vehicle_has_only_words(demo, visitor):
    for view in look_at_floor(demo).vehicles:
        save_harness(demo, view.uid, Harness((), ()))
    assert wired_example(demo, _BARE) is None
    page = visitor.get(f"/vehicles/{_BARE}/wiring")
    assert page.status == 200
    assert "An example" not in page.text


def test_a_new_shop_shows_what_was_made_up_and_no_search(newcomer):
    first = newcomer.get("/").form("/first")
    typed = {"name": SHOP.name, "technician": "Ottoline Marsh", "height_m": "40 ft"}
    page = newcomer.send(first, **typed, password="heather and peat 77", repeated="heather and peat 77")
    assert "An example, made up: it goes when the first vehicle is here." in page.text
    assert "Filter by name" not in page.text
    for path, until in (("/trace", "the first log is read"), ("/pulse/waveform", "the first capture is read")):
        assert f"An example, made up: it goes when {until}." in newcomer.get(path).text
