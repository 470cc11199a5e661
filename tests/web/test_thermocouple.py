"""The thermocouple page: one figure from the other, what follows what, and where things stand in its drawing.

The figures are those of the printed tables of NIST Monograph 175.
"""

from __future__ import annotations

from urllib.parse import urlencode

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.sensors.thermocouple import ThermocoupleType, range_degc
from irongauge.demo.saltmarsh import SHOP
from irongauge.web.curve.junction import ThermocoupleForm, draw_junction, junction_of

PAGE = "/curve/thermocouple"


def asked(visitor, **typed):
    return visitor.get(f"{PAGE}?{urlencode(typed)}")


@pytest.mark.parametrize(
    ("typed", "headline", "follows"),
    [
        ({"kind": "K", "cold": "0", "degc": "650"}, "27.025 mV", ("mv", "27.025")),
        ({"kind": "K", "cold": "25", "degc": "650"}, "26.025 mV", ("mv", "26.025")),
        ({"kind": "K", "cold": "0", "mv": "4.096"}, "100.0 °C", ("degc", "100.0")),
        ({"kind": "J", "cold": "0", "mv": "5.269"}, "100.0 °C", ("degc", "100.0")),
        ({"kind": "T", "cold": "20", "mv": "-0.79"}, "0.0 °C", ("degc", "0.0")),
        ({"kind": "K", "cold": "77 °F", "degc": "1202 °F"}, "26.025 mV", ("mv", "26.025")),
        ({"kind": "K", "cold": "0", "mv": "4096 µV"}, "100.0 °C", ("degc", "100.0")),
        # Both stand there: the one that was typed last is the given one.
        ({"kind": "K", "cold": "0", "mv": "1", "degc": "650", "mine": "mv cold degc"}, "27.025 mV", ("mv", "27.025")),
        (
            {"kind": "K", "cold": "0", "mv": "4.096", "degc": "650", "mine": "degc mv cold"},
            "100.0 °C",
            ("degc", "100.0"),
        ),
        ({"kind": "K", "cold": "0", "mv": "4.096", "degc": "650", "mine": "nonsense"}, "100.0 °C", ("degc", "100.0")),
        # One was emptied: it follows again, whatever was typed last.
        ({"kind": "K", "cold": "0", "mv": "", "degc": "650", "mine": "degc mv"}, "27.025 mV", ("mv", "27.025")),
    ],
)
def test_the_one_that_was_not_typed_follows(standing, typed, headline, follows):
    page = asked(standing, **typed)
    assert page.status == 200
    assert headline in page.text
    name, text = follows
    assert page.form(PAGE).fields[name] == text
    assert page.response.text.count(">follows</p>") == 1


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ({"mv": "5"}, "Millivolts alone are a difference of temperatures"),
        ({"mv": "5", "cold": "warm"}, "warm"),
        ({"mv": "five", "cold": "20"}, "five"),
        ({"mv": "500", "cold": "20"}, "Check the kind and the leads"),
        ({"degc": "9000", "cold": "20"}, "9000"),
        ({"degc": "OL", "cold": "20"}, "OL"),
        ({"kind": "X", "mv": "5", "cold": "20"}, "X"),
    ],
)
def test_what_cannot_be_is_said_and_stays_typed(standing, typed, said):
    page = asked(standing, **typed)
    assert page.status == 422
    assert said in page.text
    fields = page.form(PAGE).fields
    assert {name: fields[name] for name in typed if name != "kind"} == {n: t for n, t in typed.items() if n != "kind"}
    assert "plot-curve" not in page.response.text


def test_an_example_stands_there_until_something_is_typed(standing):
    page = standing.get(PAGE)
    assert "An example" in page.text
    assert 'placeholder="320"' in page.response.text
    assert "follows</p>" not in page.response.text
    assert page.form(PAGE).fields["degc"] == ""
    assert "An example" not in asked(standing, cold="20").text


def test_the_kind_is_that_of_the_circuit_last_worked_on_and_the_answer_is_noted_with_its_vehicle(visitor, jobs):
    circuits = {c["name"]: c["uid"] for tag in ("LT-7", "G-12") for c in jobs[tag]["circuits"]}
    visitor.get(f"/circuits/{circuits['Brake line pressure']}/bench")
    assert "has it" not in visitor.get(PAGE).text
    back = f"/circuits/{circuits['Exhaust temperature']}/bench"
    visitor.get(back)
    assert "as Exhaust temperature of G-12 has it" in visitor.get(PAGE).text
    page = asked(visitor, kind="J", cold="0", mv="5.269", back=back)
    assert "has it" not in page.text
    form = page.form("/notes")
    noted = visitor.send(form)
    assert noted.status == 200
    assert back in asked(visitor, back=back).reader.links
    vehicle = form.action.split("/")[2]
    assert "Thermocouple: 100.0 °C. Type J" in visitor.get(f"/vehicles/{vehicle}").text


@given(
    st.sampled_from(ThermocoupleType),
    st.floats(-20.0, 90.0),
    st.floats(0.0, 1.0),
)
def test_the_meter_shows_the_way_up_from_the_terminals_to_the_tip(kind, cold, share):
    least, most = range_degc(kind)
    cold = max(cold, least)
    tip = least + (most - least) * share
    found = junction_of(ThermocoupleForm(kind=kind, cold=f"{cold:.2f}", degc=f"{tip:.2f}", mine="degc"), SHOP)
    drawn = draw_junction(found, SHOP)
    mv = float(found.follows[1])
    assert float(drawn.shown.removesuffix(" mV").replace("−", "-")) == pytest.approx(mv, abs=2e-3)
    rise = (drawn.cold[1] - drawn.tip[1]) / (drawn.axes.bottom - drawn.axes.top)
    assert rise * (drawn.axes.y_high - drawn.axes.y_low) == pytest.approx(mv, abs=0.02 + abs(mv) * 0.01)
    for x, y in (drawn.cold, drawn.tip):
        assert drawn.axes.left <= x <= drawn.axes.right
        assert drawn.axes.top <= y <= drawn.axes.bottom
