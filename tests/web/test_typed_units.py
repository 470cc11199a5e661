"""Numbers in forms, typed with their units the way people write them."""

from urllib.parse import urlencode

import pytest

from tests.web.visitor import circuit

FEED = {
    "name": "Gauges", "fuse_a": "5A", "supply_m": "6 ft", "return_m": "2 m", "area_mm2": "18 AWG", "around_degc": "104 °F",
    "rated_a": "14 A", "terminal_a": "", "keyed": "yes", "loads": "Oil gauge; 0.4 A; 900 mA; 50 %; 5 mA", "try_fuse_a": "7.5 A",
}  # fmt: skip


@pytest.fixture
def power(jobs, visitor):
    page = visitor.get(f"/jobs/{jobs['LT-7']['uid']}")
    return f"{page.link('/vehicles/')}/power"


def test_a_feed_is_worked_out_and_kept_as_typed_with_units(visitor, power):
    looked = visitor.get(f"{power}?{urlencode(FEED)}")
    assert looked.status == 200
    assert "5 A, 0.823 mm²" in looked.text
    assert "0.4 A steady, 0.9 A while all start" in looked.text
    kept = visitor.send(looked.form("/power"), **FEED)
    assert "5 A, 0.823 mm²" in kept.text
    assert "5 mA are taken" in kept.text


@pytest.mark.parametrize(
    ("name", "typed", "says"),
    [
        ("fuse_a", "5 V", "“V” is not a unit that fits here"),
        ("fuse_a", "900 A", "possible is 0.5 A to 500 A"),
        ("area_mm2", "44 AWG", "no American size"),
        ("supply_m", "2 bar", "“bar” is not a unit that fits here"),
        ("loads", "Oil gauge; 0.4 V", "“V” is not a unit that fits here"),
    ],
)
def test_a_unit_that_does_not_fit_is_told_and_stays(visitor, power, name, typed, says):
    page = visitor.get(f"{power}?{urlencode({**FEED, name: typed})}")
    assert page.status == 422
    assert says in page.text
    assert page.form("/power").fields[name] == typed


def test_a_pull_up_is_typed_as_it_stands_on_the_part(visitor):
    path = f"/circuits/{circuit(visitor, 'Coolant temperature')}/card"
    page = visitor.get(path)
    assert visitor.send(page.form("/card"), pull_up_ohm="2k2").status == 200
    assert visitor.get(path).form("/card").fields["pull_up_ohm"] == "2200"
    refused = visitor.send(visitor.get(path).form("/card"), pull_up_ohm="2 mΩ")
    assert refused.status == 422
    assert refused.form("/card").fields["pull_up_ohm"] == "2 mΩ"


def test_a_height_in_feet_is_kept_in_metres(visitor):
    form = visitor.get("/shelf/shop").form("/shelf/shop")
    assert visitor.send(form, height_m="1 000 ft").status == 200
    assert visitor.get("/shelf/shop").form("/shelf/shop").fields["height_m"] == "304.8"


def test_wires_are_listed_with_their_units(visitor, power):
    path = power.replace("/power", "/wiring")
    form = visitor.get(path).form("/wiring")
    rows = ("wire,from,to,colour,mm2,length_m", "W1,A1:1,X9:1,red,20 AWG,1.2 m", "W2,A1:2,X9:2,black,0.75 mm²,4 ft")
    kept = visitor.send(form, nodes="A1,connector,1,3,\nX9,connector,1,3,", wires="\n".join(rows))
    assert kept.status == 200
    lines = kept.form("/wiring").fields["wires"].splitlines()
    assert any("0.51" in line and "1.2" in line for line in lines)
    assert any("0.75" in line and "1.219" in line for line in lines)
