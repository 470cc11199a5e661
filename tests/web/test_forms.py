"""The Shelf's and the job's forms: what is taken, and the message beside each field that does not fit."""

import pytest

SENSOR = {"name": "New type", "pressure_base": "gauge", "value_low": "0", "value_high": "10"}


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"name": ""}, "Type the type's name."),
        ({"name": "Orrin P10, 0–10 bar"}, "is already the name of a sensor type."),
        ({"pressure_base": ""}, "A pressure is gauge or absolute."),
        ({"signal_high": "10"}, "Both ends have the same signal."),
        ({"signal_high": "120"}, "120 is outside 0 to 100 % of the supply."),
        ({"kind": "volts", "signal_low": "0.5", "signal_high": "6"}, "6 is outside 0 to 5 V, which is its supply."),
        ({"signal_low": "ten"}, "“ten” is not a plain number."),
        ({"signal_low": "6 V"}, "“6 V” of a supply of 5 V: 120 is outside 0 to 100 % of the supply."),
        ({"kind": "volts", "signal_low": "10 %"}, "“%” is not a unit that fits here (V, mV)."),
        ({"signal_low": "4 mA"}, "“mA” is not a unit that fits here (%)."),
        ({"value_low": ""}, "Nothing was typed. Type a pressure"),
        ({"value_low": "10", "value_high": "0"}, "The high end is not above the low end."),
        ({"value_high": "10 V"}, "“V” is not a unit that fits here (kPa, bar, psi, inHg, mbar)."),
        ({"tolerance_pct_span": "0"}, "a number from 0.05 to 50"),
        ({"quantity": "colour"}, "“colour” is not one of the choices."),
        ({"family": "steam"}, "“steam” is not one of the choices."),
        ({"supply_v": "-5"}, "a number from 1 to 32"),
    ],
)
def test_a_sensor_type_that_does_not_fit_is_not_put_on_the_shelf(standing, fields, says):
    form = standing.get("/shelf/sensor-types/new").form("/sensor-types")
    page = standing.send(form, **(SENSOR | fields))
    assert page.status == 422
    assert says in page.text
    kept = page.form("/sensor-types").fields
    assert all(kept[name] == value for name, value in fields.items() if name not in {"quantity", "family"})
    assert len(standing.client.get("/api/v1/shelf").json()["sensor_types"]) == 14


@pytest.mark.parametrize(
    ("fields", "curve"),
    [
        ({}, ("ratio", "pressure", "gauge", 0.1, 0.9, 0.0, 1000.0)),
        ({"value_high": "145.038 psi"}, ("ratio", "pressure", "gauge", 0.1, 0.9, 0.0, 1000.0)),
        (
            {"kind": "volts", "signal_low": "0.4", "signal_high": "4.65", "value_low": "20 kPa", "value_high": "250 kPa",
             "pressure_base": "absolute"},
            ("volts", "pressure", "absolute", 0.4, 4.65, 20.0, 250.0),
        ),
        ({"quantity": "length", "value_high": "50"}, ("ratio", "length", None, 0.1, 0.9, 0.0, 0.05)),
        ({"quantity": "angle", "signal_low": "90", "signal_high": "10", "value_high": "90"},
         ("ratio", "angle", None, 0.9, 0.1, 0.0, 90.0)),
        ({"signal_low": "0.5 V", "signal_high": "4500mV"}, ("ratio", "pressure", "gauge", 0.1, 0.9, 0.0, 1000.0)),
        ({"signal_low": "10 %", "signal_high": "4,5 volts"}, ("ratio", "pressure", "gauge", 0.1, 0.9, 0.0, 1000.0)),
        ({"kind": "volts", "signal_low": "0,4 V", "signal_high": "4.65V"},
         ("volts", "pressure", "gauge", 0.4, 4.65, 0.0, 1000.0)),
    ],
    ids=["bar", "psi typed", "absolute volts", "millimetres", "falling", "volts of a share", "mixed", "volts with unit"],
)  # fmt: skip
def test_a_curve_is_kept_in_fixed_units(visitor, fields, curve):
    form = visitor.get("/shelf/sensor-types/new").form("/sensor-types")
    assert visitor.send(form, **(SENSOR | fields)).status == 200
    types = visitor.client.get("/api/v1/shelf").json()["sensor_types"]
    kept = next(t for t in types if t["name"] == "New type")["curve"]
    names = ("kind", "quantity", "pressure_base", "signal_low", "signal_high", "value_low", "value_high")
    assert [kept[n] for n in names] == [pytest.approx(v, rel=1e-5) if isinstance(v, float) else v for v in curve]


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"name": ""}, "Type what the shop calls it."),
        ({"name": "Meter 4"}, "is already the name of an instrument."),
        ({"reading_pct": ""}, "A meter needs this."),
        ({"counts": "7"}, "a number from 1000 to 2000000"),
        ({"kind": "gauge"}, "Nothing was typed. Type a pressure"),
        ({"kind": "gauge", "full_scale": "16"}, "A gauge needs this."),
        ({"kind": "gauge", "full_scale": "-1", "full_scale_pct": "1"}, "Type the end of its scale."),
        ({"due": "next spring"}, "“next spring” is not a date."),
        ({"due": "0206-11-25"}, "is not a year of this shop"),
        ({"kind": "crystal ball"}, "is not one of the choices"),
    ],
)
def test_an_instrument_that_does_not_fit_is_refused(standing, fields, says):
    form = standing.get("/shelf/instruments/new").form("/instruments")
    page = standing.send(form, **({"name": "New", "reading_pct": "0.5", "digits": "2", "counts": "6000"} | fields))
    assert page.status == 422
    assert says in page.text
    assert len(standing.client.get("/api/v1/shelf").json()["instruments"]) == 7


@pytest.mark.parametrize(
    ("fields", "shown"),
    [
        ({"kind": "lamp"}, "New lamp none glow only none"),
        ({"kind": "meter", "reading_pct": "0,5", "digits": "2", "counts": "6000"}, "± 0.5 % + 2 digits of 6000"),
        ({"kind": "gauge", "full_scale": "232.06 psi", "full_scale_pct": "1"}, "± 1 % of 16.0 bar"),
        ({"kind": "lamp", "due": "2020-01-31"}, "overdue since 31 Jan 2020"),
    ],
    ids=["lamp", "meter", "gauge", "overdue"],
)
def test_an_instrument_stands_on_the_shelf_with_what_it_reads_to(visitor, fields, shown):
    form = visitor.get("/shelf/instruments/new").form("/instruments")
    assert shown in visitor.send(form, **({"name": "New"} | fields)).text


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"title": ""}, "Type the complaint, or what is to be commissioned."),
        ({"vehicle_uid": ""}, "Choose the vehicle."),
        ({"vehicle_uid": "tractor"}, "“tractor” is not one of the choices."),
        ({"technician_uid": ""}, "Choose who does the job."),
        ({"received_on": ""}, "Choose a day."),
        ({"received_on": "2026-02-30"}, "“2026-02-30” is not a date."),
        ({"received_on": "2026-11-25", "promised_on": "2026-11-24"}, "24.11.2026 is before the day it came in."),
    ],
)
def test_a_job_that_does_not_fit_is_not_started(standing, fields, says):
    shelf = standing.client.get("/api/v1/shelf").json()
    good = {
        "title": "Check",
        "vehicle_uid": shelf["vehicles"][0]["uid"],
        "technician_uid": shelf["technicians"][0]["uid"],
    }
    page = standing.send(standing.get("/jobs/new").form("/jobs"), **(good | fields))
    assert page.status == 422
    assert says in page.text
    assert len(standing.client.get("/api/v1/jobs").json()) == 6


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"name": ""}, "Type the shop's name."),
        ({"timezone": "Saltmarsh/Quay"}, "“Saltmarsh/Quay” is not a time zone."),
        ({"unit_pressure": "furlong"}, "“furlong” is not a unit of pressure."),
        ({"reference_tolerance_pct": "lots"}, "“lots” is not a plain number."),
        ({"absent_v": "3"}, "a number from 0.05 to 1"),
    ],
)
def test_settings_that_do_not_fit_change_nothing(standing, fields, says):
    form = standing.get("/shelf/shop").form("/shelf/shop")
    page = standing.send(form, **fields)
    assert page.status == 422
    assert says in page.text
    assert standing.get("/shelf/shop").form("/shelf/shop").fields == form.fields


def test_a_person_is_added_once(visitor):
    form = visitor.get("/people").form("/people")
    assert "Fen Archerwood" in visitor.send(form, name="Fen Archerwood").text
    page = visitor.send(form, name="fen archerwood")
    assert "is somebody here already" in page.text
    assert page.form("/people").fields["name"] == "fen archerwood"
