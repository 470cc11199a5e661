"""Channels: units and names as loggers and people write them."""

import pytest

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.likely_units import likely_unit, unit_that_was_taken
from irongauge.core.traces.log_units import log_unit, split_heading
from irongauge.core.traces.sense_names import sense_of
from irongauge.core.traces.senses import Sense


@pytest.mark.parametrize(
    ("written", "label", "base", "value", "fixed"),
    [
        ("rpm", "rpm", None, 720, 720),
        ("1/min", "rpm", None, 720, 720),
        ("U/min", "rpm", None, 720, 720),
        ("mph", "km/h", None, 10, 16.09344),
        ("m/s", "km/h", None, 10, 36),
        ("°F", "°C", None, 212, 100),
        ("deg C", "°C", None, 88, 88),
        ("ºC", "°C", None, 88, 88),
        ("psi", "kPa", None, 14.6959, 101.325),
        ("PSIg", "kPa", PressureBase.GAUGE, 10, 68.9476),
        ("bar (abs)", "kPa", PressureBase.ABSOLUTE, 1, 100),
        ("kPa_a", "kPa", PressureBase.ABSOLUTE, 101, 101),
        ("inHg", "kPa", None, 29.9213, 101.325),
        ("hPa", "kPa", None, 1013.25, 101.325),
        ("[V]", "V", None, 12.4, 12.4),
        ("mV", "V", None, 500, 0.5),
        ("%", "%", None, 40, 40),
        ("C", "°C", None, 88, 88),
        ("F", "°C", None, 212, 100),
        ("kPa(a)", "kPa", PressureBase.ABSOLUTE, 101, 101),
        ("[bar(g)]", "kPa", PressureBase.GAUGE, 1, 100),
        ("lb/in2", "kPa", None, 14.6959, 101.325),
        ("Torr", "kPa", None, 760, 101.325),
        ("VDC", "V", None, 12.4, 12.4),
        ("kOhm", "Ω", None, 2.2, 2200),
        ("Grad C", "°C", None, 88, 88),
        ("K", "°C", None, 373.15, 100),
        ("mps", "km/h", None, 10, 36),
        ("g", "m/s²", None, 1, 9.80665),
    ],
)
def test_units_are_known_as_they_are_written(written, label, base, value, fixed):
    # Factors: the international foot and pound, NIST SP 811; the psi and inHg rows are domain check values.
    unit = log_unit(written)
    assert (unit.label, unit.base) == (label, base)
    assert value * unit.scale + unit.offset == pytest.approx(fixed, rel=2e-5)


@pytest.mark.parametrize("written", ["", "gear", "on/off", "kg", "bara bar", "∞", "m", "k", "s", "at", "MOHM"])
def test_what_is_no_unit_here_is_none(written):
    assert log_unit(written) is None


@pytest.mark.parametrize(
    ("heading", "name", "unit"),
    [
        ("Oil P [bar]", "Oil P", "bar"),
        ("Coolant temp (°C)", "Coolant temp", "°C"),
        ("MAP_kPa", "MAP", "kPa"),
        ("RPM", "RPM", ""),
        ("Battery V", "Battery V", ""),  # one letter may be anything
        ('"Boost, psi"', "Boost", "psi"),
        ("(ms)", "(ms)", ""),
        ("battery_V", "battery", "V"),
        ("Air / C", "Air", "C"),
        ("Drosselklappe / %", "Drosselklappe", "%"),
        ("speed_mps", "speed", "mps"),
        ("Exhaust lambda", "Exhaust lambda", ""),
    ],
)
def test_a_heading_is_parted_into_name_and_unit(heading, name, unit):
    assert split_heading(heading) == (name, unit)


@pytest.mark.parametrize(
    ("name", "unit", "sense"),
    [
        ("RPM", "rpm", Sense.ENGINE_SPEED),
        ("Motordrehzahl", "1/min", Sense.ENGINE_SPEED),
        ("Engine Speed", "rpm", Sense.ENGINE_SPEED),
        ("Fan speed", "rpm", Sense.OTHER),
        ("VehicleSpeed", "km/h", Sense.ROAD_SPEED),
        ("ECT", "°C", Sense.COOLANT_TEMPERATURE),
        ("Coolant Temperature", "°C", Sense.COOLANT_TEMPERATURE),
        ("Coolant level", "%", Sense.OTHER),
        ("OilP", "bar", Sense.OIL_PRESSURE),
        ("oil_pressure", "psi", Sense.OIL_PRESSURE),
        ("Engine oil temp", "°C", Sense.OIL_TEMPERATURE),
        ("MAP", "kPa", Sense.MANIFOLD_PRESSURE),
        ("Bitmap", "", Sense.OTHER),
        ("Vbat", "V", Sense.BATTERY_VOLTS),
        ("Throttle position", "%", Sense.THROTTLE),
        ("Throttle position", "V", Sense.SENSOR_VOLTS),
        ("Crankcase pressure", "kPa", Sense.CRANKCASE_PRESSURE),
        ("Baro", "hPa", Sense.BAROMETER),
        ("Sensor reference", "V", Sense.REFERENCE_VOLTS),
        # Ordinary spelling in seven languages, as manuals of vehicles and machines have it.
        ("Kühlmitteltemperatur", "°C", Sense.COOLANT_TEMPERATURE),
        ("Température liquide de refroidissement", "°C", Sense.COOLANT_TEMPERATURE),
        ("Koelvloeistoftemperatuur", "°C", Sense.COOLANT_TEMPERATURE),
        ("Temperatura refrigerante", "", Sense.COOLANT_TEMPERATURE),
        ("Temperatura płynu chłodzącego", "°C", Sense.COOLANT_TEMPERATURE),
        ("Öldruck", "bar", Sense.OIL_PRESSURE),
        ("Pression d'huile", "bar", Sense.OIL_PRESSURE),
        ("Oliedruk", "kPa", Sense.OIL_PRESSURE),
        ("presión_de_aceite", "bar", Sense.OIL_PRESSURE),
        ("Pressione olio", "", Sense.OIL_PRESSURE),
        ("Ciśnienie oleju", "bar", Sense.OIL_PRESSURE),
        ("T_OIL", "°C", Sense.OIL_TEMPERATURE),
        ("P_CLT", "", Sense.COOLANT_PRESSURE),
        ("Régime moteur", "tr/min", Sense.ENGINE_SPEED),
        ("Motortoerental", "1/min", Sense.ENGINE_SPEED),
        ("Drosselklappe 2", "%", Sense.THROTTLE),
        ("Pédale d'accélérateur", "%", Sense.PEDAL),
        ("Gaspedaal", "%", Sense.PEDAL),
        ("Vertikalbeschleunigung", "g", Sense.ACCELERATION),
        ("Versnelling", "", Sense.GEAR),
        ("Vitesse satellite", "km/h", Sense.SATELLITE_SPEED),
        ("Wheel speed RR", "km/h", Sense.WHEEL_SPEED),
        ("Manifold pressure", "psi", Sense.MANIFOLD_PRESSURE),
        ("Ladedruck", "mbar", Sense.BOOST_PRESSURE),
        ("Luftdruck", "hPa", Sense.BAROMETER),
        ("Tension batterie", "V", Sense.BATTERY_VOLTS),
        ("Oil pressure sensor voltage", "V", Sense.SENSOR_VOLTS),
        ("Mariposa tensión", "", Sense.SENSOR_VOLTS),
        ("Sonda lambda", "λ", Sense.LAMBDA),
        # What is not surely the engine's stays other.
        ("Hydraulic oil temperature", "°C", Sense.OTHER),
        ("Charge pressure", "bar", Sense.OTHER),
        ("Water pressure", "bar", Sense.OTHER),
        ("Gear oil temperature", "°C", Sense.OTHER),
        ("Getriebeöltemperatur", "°C", Sense.OTHER),
        ("Brake pressure", "bar", Sense.OTHER),
        ("PTO speed", "rpm", Sense.OTHER),
        ("Turbo speed", "rpm", Sense.OTHER),
        ("Alternator current", "A", Sense.OTHER),
        ("Battery temp", "°C", Sense.OTHER),
    ],
)
def test_what_a_channel_is_of_is_guessed_from_its_name_and_unit(name, unit, sense):
    assert sense_of(name, log_unit(unit)) is sense


def test_every_sense_has_the_quantity_that_its_name_says():
    assert Sense.OIL_TEMPERATURE.quantity is Quantity.TEMPERATURE
    assert Sense.CRANKCASE_PRESSURE.quantity is Sense.BAROMETER.quantity is Quantity.PRESSURE
    assert Sense.BATTERY_VOLTS.quantity is Quantity.VOLTAGE
    assert Sense.ENGINE_SPEED.quantity is None


@pytest.mark.parametrize(
    ("written", "kpa"),
    # NIST SP 811: 1 inHg = 3.386389 kPa, 1 psi = 6.894757 kPa.
    [(-10.0, -33.86389), (0.0, 0.0), (21.0, 144.7899)],
)
def test_a_scale_that_is_split_at_zero_counts_inches_below_and_psi_above(written: float, kpa: float) -> None:
    for name in ("inHg/psi", "PSI/inHg", "psi / vac"):
        unit = log_unit(name)
        assert unit is not None
        assert unit.base is PressureBase.GAUGE
        assert unit.fixed(written) == pytest.approx(kpa, abs=1e-3)
        assert unit.written(unit.fixed(written)) == pytest.approx(written)


@pytest.mark.parametrize(
    ("sense", "greatest", "unit"),
    [
        # What gauges and scan tools show of a warm engine, by manuals: 4 to 5 bar, 60 to 70 psi, 87 °C, 190 °F, 14.2 V.
        (Sense.OIL_PRESSURE, 5.1, "bar"),
        (Sense.OIL_PRESSURE, 68.0, "psi"),
        (Sense.OIL_PRESSURE, 480.0, "kPa"),
        (Sense.COOLANT_TEMPERATURE, 91.0, "°C"),
        (Sense.COOLANT_TEMPERATURE, 196.0, "°F"),
        (Sense.COOLANT_TEMPERATURE, 364.0, "K"),
        (Sense.BAROMETER, 29.9, "inHg"),
        (Sense.BAROMETER, 1013.0, "mbar"),
        (Sense.BAROMETER, 14.7, "psi"),
        (Sense.BATTERY_VOLTS, 14.2, "V"),
        (Sense.BATTERY_VOLTS, 14_200.0, "mV"),
        # What may be in two units stays without: a cold engine in °F or a hot one, a boost gauge, an unknown thing.
        (Sense.COOLANT_TEMPERATURE, 133.0, ""),
        (Sense.OIL_PRESSURE, 18.0, ""),
        (Sense.AIR_TEMPERATURE, 70.0, ""),
        (Sense.BOOST_PRESSURE, 20.0, ""),
        (Sense.OTHER, 5.0, ""),
        (Sense.OIL_PRESSURE, None, ""),
    ],
)
def test_a_unit_that_is_not_written_is_taken_only_where_one_alone_fits(sense, greatest, unit):
    assert likely_unit(sense, greatest) == unit
    if unit:
        known = log_unit(unit)
        assert unit_that_was_taken(sense, known.scale, known.offset) == unit
