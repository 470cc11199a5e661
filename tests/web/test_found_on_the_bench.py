"""What the Bench finds out by itself and keeps: a controller's input on the card, the shop's meter on the Shelf."""

import pytest

from irongauge.core.measure.uncertainty import USUAL_METERS
from irongauge.store.database import Database
from tests.cards import GOOD
from tests.web.test_pages import bench, record

BRAKE_READ = {k: v for k, v in GOOD.items() if not k.startswith("live_value")}


def blank_card(visitor, uid):
    form = visitor.get(f"/circuits/{uid}/card").form("/card")
    assert visitor.send(form, pull_up_ohm="", pull_up_to_v="", unpulled="no").status == 200


def test_what_hangs_on_an_input_is_kept_on_the_card(visitor, brake):
    blank_card(visitor, brake)
    for point, value in BRAKE_READ.items():
        assert record(visitor, brake, point, value=str(value)).status == 200, point
    page = visitor.get(bench(brake))
    assert "The signal input has no pull-up." in page.text
    page = visitor.send(page.form("/keep-input"))
    assert page.status == 200
    assert "On the card: The signal input has no pull-up." in page.text
    card = visitor.client.get(f"/api/v1/circuits/{brake}").json()
    assert card["unpulled"] is True
    assert "/keep-input" not in visitor.get(bench(brake)).text


FLOATING = GOOD | {"live_value::0": "0.005 bar", "live_value::1": "4.61 bar"}


def test_an_input_that_floats_is_one_question_with_one_tap(visitor, brake):
    blank_card(visitor, brake)
    for point, value in FLOATING.items():
        assert record(visitor, brake, point, value=str(value)).status == 200, point
    for _ in range(2):  # what alone decides is read twice
        page = record(visitor, brake, "off_ohm:C", value="OL")
    page = visitor.get(bench(brake))
    assert "Is the signal input meant to have no pull-up?" in page.text
    assert page.text.count("Keep it on the card") == 0  # the question has the only button
    assert visitor.client.get(f"/api/v1/circuits/{brake}/verdict").json()["headline"].startswith("Good, if")
    page = visitor.send(page.form("/keep-input"))
    assert "Proved good. Next:" in page.text


@pytest.mark.parametrize("signal", ["", "temperature", "nonsense"])
def test_what_the_readings_do_not_show_is_not_kept(visitor, brake, signal):
    form = visitor.get(bench(brake)).form("/readings")
    form.action = f"/circuits/{brake}/keep-input"
    assert visitor.send(form, signal=signal).status == 404


def test_a_shop_without_a_meter_is_asked_once_which_it_has(visitor, brake, demo: Database):
    with demo.engine.begin() as connection:
        nothing = "reading_pct = NULL, digits = NULL, counts = NULL"
        connection.exec_driver_sql(f"UPDATE instrument SET kind = 'lamp', {nothing} WHERE kind = 'meter'")
    page = visitor.get(bench(brake))
    assert "How does your meter show 5 V?" in page.text
    form = page.form("/usual-meter")
    assert visitor.send(form, shows="about 5").status == 422
    page = visitor.send(form, shows="4.980")
    assert page.status == 200
    assert "How does your meter show 5 V?" not in page.text
    meters = [i for i in visitor.client.get("/api/v1/shelf").json()["instruments"] if i["kind"] == "meter"]
    assert [(m["reading_pct"], m["counts"]) for m in meters] == [(0.5, 6000)]


@pytest.mark.parametrize("shows", USUAL_METERS)
def test_a_usual_meter_shows_five_volts_as_it_says(shows):
    digits = len(shows.partition(".")[2])
    assert USUAL_METERS[shows].resolution(float(shows)) == pytest.approx(10**-digits)
