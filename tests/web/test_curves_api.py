"""`POST /api/v1/curves/…`: every example of the description answered, known figures, and bad input told plainly."""

from __future__ import annotations

import pytest

P10 = {"kind": "ratio", "quantity": "pressure", "pressure_base": "gauge", "points": [[0.1, 0], [0.9, 1000]]}
NTC = {"ntc": {"ohm_25": 10000, "beta_k": 3435}}
NAMES = ("evaluate", "fit", "forms", "check-entry", "compare")


@pytest.fixture
def curves(standing):
    def call(name, **body):
        return standing.client.post(f"/api/v1/curves/{name}", json=body)

    return call


def test_every_example_of_the_description_is_answered(standing, curves):
    paths = standing.client.get("/api/v1/openapi.json").json()["paths"]
    for name in NAMES:
        examples = paths[f"/api/v1/curves/{name}"]["post"]["requestBody"]["content"]["application/json"]["examples"]
        for example in examples.values():
            assert curves(name, **example["value"]).status_code == 200, (name, example)


LOOP = {"kind": "current", "quantity": "pressure", "pressure_base": "gauge", "points": [[4, 0], [20, 1600]]}


@pytest.mark.parametrize(
    ("feed", "readings", "bar"),
    [
        ({}, [12.0, 20.0], [8.0, 16.0]),
        ({"shunt_ohm": 250}, [1.0, 3.0], [0.0, 8.0]),
        ({"shunt_ohm": 120}, [1.92], [12.0]),
    ],
    ids=["in the loop", "over 250 Ω", "over 120 Ω"],
)
def test_a_loop_is_read_in_ma_or_over_its_shunt(curves, feed, readings, bar):
    """4 mA are 0 and 20 mA the end (IEC 60381-1); over 250 Ω they are 1 and 5 V."""
    found = curves("evaluate", curve=LOOP, feed=feed, readings=readings, unit="bar").json()
    assert found["values"] == pytest.approx(bar)


def test_a_reading_is_divided_by_the_measured_reference(curves):
    found = curves("evaluate", curve=P10, feed={"reference_v": 4.93}, readings=[2.31, 5.0], unit="bar").json()
    assert found["values"] == pytest.approx([4.607, 11.427], abs=5e-4)
    assert found["outside"] == [False, True]
    absolute = curves("evaluate", curve=P10, readings=[0.5], unit="kPa", base="absolute", atmosphere_kpa=95.0).json()
    assert absolute["values"] == pytest.approx([95.0])


def test_values_become_readings_through_a_pull_up_and_an_open_circuit_has_none(curves):
    feed = {"pull_up_ohm": 2200}
    assert curves("evaluate", curve=NTC, feed=feed, values=[80]).json()["readings"] == pytest.approx([2.1521], abs=1e-4)
    back = curves("evaluate", curve=NTC, feed=feed, readings=[2.1521, 5.0]).json()
    assert back["values"][0] == pytest.approx(80.0, abs=0.01)
    assert back["values"][1] is None


def test_a_calibration_is_judged_with_its_budget(curves):
    points = [{"stimulus": s, "reading": r} for s, r in ((0, 0.5), (500, 2.5), (1000, 4.70))]
    found = curves("fit", curve=P10, tolerance_pct_span=2, stimulus_u=4.6, points=points).json()
    assert [p["mark"] for p in found["points"]] == ["pass", "pass", "fail"]
    assert found["mark"] == "fail"
    assert found["points"][2]["error"] == pytest.approx(50.0)
    assert found["points"][2]["budget"]["reference instrument"] == 4.6
    assert len(found["as_left"]) == 2
    one = curves("fit", curve=P10, tolerance_pct_span=2, points=points[:1]).json()
    assert one["slope"] is None
    assert "need a second one" in one["notes"][0]


def test_forms_come_in_the_unit_and_rounding_wanted(curves):
    found = curves("forms", curve=P10, unit="psi", decimals=0, readings=[0.5, 2.5, 4.5]).json()
    forms = {f["kind"]: f for f in found["forms"]}
    assert forms["table"]["figures"] == {"cells": [[0.5, 0], [2.5, 73], [4.5, 145]]}
    assert forms["end points"]["cost_pct_span"] == pytest.approx(0.026, abs=1e-3)
    assert found["greatest"] == 145


def test_an_entry_is_explained(curves):
    figures = {"reading_low": 0.5, "shown_low": 0, "reading_high": 4.5, "shown_high": 145.04}
    found = curves("check-entry", curve=P10, kind="end points", unit="bar", figures=figures).json()
    assert found["slip"] == "wrong unit"
    table = {"cells": [[0.5, 0], [4.5, 16]]}
    p16 = {"name": "P16", "curve": P10 | {"points": [[0.1, 0], [0.9, 1600]]}}
    found = curves("check-entry", curve=P10, kind="table", unit="bar", figures=table, presets=[p16]).json()
    assert (found["slip"], "P16" in found["sentence"]) == ("another sensor's figures", True)
    assert (
        curves("check-entry", curve=P10, kind="limit", unit="bar", figures={"shown": 8}).json()["slip"]
        == "limit too low"
    )


COMPARED = [
    ({"kind": "expected at the input against shown", "first": 2.5, "second": 2.62, "first_u": 0.005, "second_u": 0.002,
      "pull_ohm": 4700}, "shows more than should arrive"),
    ({"kind": "manifold against barometer at key on", "first": 106, "second": 101, "first_u": 0.2, "second_u": 0.2},
     "manifold sensor is off"),
    ({"kind": "manifold against barometer under boost", "first": 105, "second": 105, "full_scale_kpa": 105}, "both clipped"),
    ({"kind": "a signal that stops rising", "pairs": [[1, 10], [2, 20], [3, 30], [4, 30], [5, 30]]}, "clipped"),
    ({"kind": "a sensor on a regulator of its own", "sensor_supply_v": 5.1, "controller_reference_v": 4.95,
      "first_u": 0.005}, "not ratiometric"),
]  # fmt: skip


@pytest.mark.parametrize(("body", "finding"), COMPARED, ids=[b["kind"] for b, _ in COMPARED])
def test_one_thing_is_held_against_another(curves, body, finding):
    assert curves("compare", **body).json()["finding"] == finding


BAD = [
    ("one point", "evaluate", {"curve": P10 | {"points": [[0.1, 0]]}, "values": [1]}, "at least two points"),
    ("two equal points", "evaluate", {"curve": P10 | {"points": [[0.1, 0], [0.1, 5]]}, "values": [1]}, "two different signals"),
    ("no base", "evaluate", {"curve": {**P10, "pressure_base": None}, "values": [1]}, "gauge or absolute"),
    ("not monotone", "evaluate", {"curve": P10 | {"points": [[0.1, 0], [0.5, 5], [0.3, 9]]}, "values": [1]}, "throughout"),
    ("NTC that rises", "evaluate", {"curve": {"ntc": {"points": [[0, 1], [10, 2], [20, 3]]}}, "values": [1]}, "as it warms"),
    ("half an NTC", "evaluate", {"curve": {"ntc": {"ohm_25": 100}}, "values": [1]}, "its beta, or at least three"),
    ("nothing given", "evaluate", {"curve": P10}, "Give readings, or values"),
    ("another quantity's unit", "evaluate", {"curve": P10, "values": [1], "unit": "degC"}, "not a unit of pressure"),
    ("not a number", "evaluate", {"curve": P10, "values": ["x"]}, "valid number"),
    ("below a vacuum", "evaluate", {"curve": P10, "values": [-300], "unit": "bar"}, "emptier than a vacuum"),
    ("below 0 absolute", "evaluate", {"curve": P10, "values": [-20], "base": "absolute"}, "emptier than a vacuum"),
    ("a curve below a vacuum", "forms", {"curve": P10 | {"points": [[0.1, -30_000], [0.9, 0]]}, "unit": "bar"}, "emptier"),
    ("colder than anything", "evaluate", {"curve": P10 | {"quantity": "temperature", "pressure_base": None}, "values": [-300]},
     "colder than anything"),
    ("a point below a vacuum", "fit", {"curve": P10, "tolerance_pct_span": 2, "points": [{"stimulus": -30_000, "reading": 0.5}]},
     "emptier than a vacuum"),
    ("no tolerance", "fit", {"curve": P10, "tolerance_pct_span": 0, "points": []}, "greater than 0"),
    ("equal cells", "forms", {"curve": P10, "unit": "bar", "readings": [1, 1]}, "different readings"),
    ("figure missing", "check-entry", {"curve": P10, "kind": "end points", "unit": "bar", "figures": {}}, "Nothing was typed"),
    ("cells no pairs", "check-entry", {"curve": P10, "kind": "table", "unit": "bar", "figures": {"cells": [1]}}, "pairs"),
    ("divider 0", "check-entry", {"curve": P10, "kind": "multiplier and divider", "unit": "bar",
                                  "figures": {"multiplier": 1, "divider": 0, "offset": 0}}, "not 0"),
    ("a reading missing", "compare", {"kind": "two instruments on one hose", "first": 1}, "needs second"),
    ("gauge for absolute", "compare", {"kind": "manifold against barometer at key on", "first": 0, "second": 1}, "above 0"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "body", "says"), [b[1:] for b in BAD], ids=[b[0] for b in BAD])
def test_what_cannot_be_is_a_problem_with_its_reason(curves, name, body, says):
    answer = curves(name, **body)
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    assert says in answer.json()["detail"]
