"""Lambda, air–fuel ratios and plain numbers: from the type on the Shelf to what a controller must be told."""

from __future__ import annotations

import pytest

from irongauge.core.controllers.figures import EndPoints, Input
from irongauge.core.controllers.reading_back import Slip, check_entry
from irongauge.core.measure.units import Quantity
from irongauge.core.sensors.conversion import Feed, Scale
from irongauge.core.sensors.transfer import CurveKind, LinearCurve

# A probe's own controller: 0 V at lambda 0.5, 5 V at 1.523; in petrol's figures 7.35 to 22.39.
WIDE = LinearCurve(
    kind=CurveKind.VOLTS, quantity=Quantity.LAMBDA, signal_low=0.0, signal_high=5.0, value_low=0.5, value_high=1.523
)


@pytest.mark.parametrize(
    ("typed", "low", "high"),
    [
        (("0.5", "1.523"), 0.5, 1.523),
        (("7.35 AFR", "22.39 AFR"), 0.5, 1.5231),
        (("4.9 AFR E85", "14.93 afr e85"), 0.5, 1.5235),
        (("7.35:1", "22,39:1"), 0.5, 1.5231),
    ],
)
def test_a_probe_is_put_on_the_shelf_as_its_sheet_has_it(visitor, typed, low, high):
    form = visitor.get("/shelf/sensor-types/new?family=ratiometric-3w").form("/shelf/sensor-types")
    kept = visitor.send(
        form, name="Skua wideband", quantity="lambda", kind="volts", signal_low="0 V", signal_high="5 V", value_low=typed[0],
        value_high=typed[1], supply_v="12", sure="yes",
    )  # fmt: skip
    assert kept.status == 200, kept.text
    sensors = visitor.client.get("/api/v1/shelf").json()["sensor_types"]
    curve = next(s for s in sensors if s["name"] == "Skua wideband")["curve"]
    assert curve["quantity"] == "lambda"
    assert (curve["value_low"], curve["value_high"]) == pytest.approx((low, high), abs=2e-4)


def test_a_mixture_is_no_pressure_and_nothing_is_leaner_than_none(visitor):
    form = visitor.get("/shelf/sensor-types/new?family=ratiometric-3w").form("/shelf/sensor-types")
    typed = {
        "name": "Odd",
        "quantity": "lambda",
        "kind": "volts",
        "signal_low": "0 V",
        "signal_high": "5 V",
        "supply_v": "12",
    }
    refused = visitor.send(form, **typed, value_low="-0.5", value_high="1.5")
    assert (refused.status, "less air than none" in refused.text) == (422, True), refused.text
    refused = visitor.send(form, **typed, value_low="7 bar", value_high="1.5")
    assert (refused.status, "is not a unit that fits here" in refused.text) == (422, True)
    assert refused.form("/shelf/sensor-types").fields["value_low"] == "7 bar"


@pytest.mark.parametrize(("shown", "times", "slip"), [
    ("afr_petrol", 14.7, Slip.RIGHT), ("afr_petrol", 9.8, Slip.WRONG_UNIT), ("afr_e85", 14.7, Slip.WRONG_UNIT),
    ("lambda", 1.0, Slip.RIGHT),
])  # fmt: skip
def test_figures_of_another_fuel_are_named(shown, times, slip):
    form = EndPoints(0.0, 5.0, round(0.5 * times, 3), round(1.523 * times, 3))
    found = check_entry(Input(WIDE, Feed()), form, Scale(shown, None, 101.325))
    assert found.slip is slip, found.sentence


def test_a_plain_number_has_no_unit_and_is_counted_as_it_stands(visitor):
    form = visitor.get("/shelf/sensor-types/new?family=ratiometric-3w").form("/shelf/sensor-types")
    kept = visitor.send(
        form, name="Skua load cell", quantity="number", kind="volts", signal_low="0.5 V", signal_high="4.5 V", value_low="0",
        value_high="2 500", supply_v="5", sure="yes",
    )  # fmt: skip
    assert kept.status == 200, kept.text
    uid = next(
        s["uid"] for s in visitor.client.get("/api/v1/shelf").json()["sensor_types"] if s["name"] == "Skua load cell"
    )
    page = visitor.get(f"/curve/convert?source=sensor:{uid}&reading=2.5&side=reading")
    assert "1250.000" in page.text
    assert "1250.000 ," not in page.text


@pytest.mark.parametrize(
    ("base", "typed", "status"), [("gauge", "10 bar gauge", 200), ("absolute", "10 bar gauge", 422)]
)
def test_a_base_typed_at_an_end_is_the_cards(visitor, base, typed, status):
    form = visitor.get("/shelf/sensor-types/new?family=ratiometric-3w").form("/shelf/sensor-types")
    told = visitor.send(
        form, name="Skua P", quantity="pressure", pressure_base=base, kind="volts", signal_low="0.5 V", signal_high="4.5 V",
        value_low="0.2 bar", value_high=typed, supply_v="5", sure="yes",
    )  # fmt: skip
    assert told.status == status
    assert ("is gauge, and the card says absolute" in told.text) == (status == 422)
