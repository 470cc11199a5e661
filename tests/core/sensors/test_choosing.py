"""Choosing a type by need, and second thoughts about a card."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import PressureBase, Quantity, standard_atmosphere_kpa
from irongauge.core.sensors.choosing import Converter, Need, Place, fits_for
from irongauge.core.sensors.circuits import Endurance, SensorType
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.plausibility import Weight, doubts_about
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, TableCurve
from irongauge.demo.shelf import R16

GAUGE, ABSOLUTE = PressureBase.GAUGE, PressureBase.ABSOLUTE


def _pressure(name, low, high, base, kind=CurveKind.RATIO, ends=(0.1, 0.9), **more):
    curve = LinearCurve(
        kind=kind,
        quantity=Quantity.PRESSURE,
        signal_low=ends[0],
        signal_high=ends[1],
        value_low=low,
        value_high=high,
        pressure_base=base,
    )
    return SensorType(
        uid=UUID(int=abs(hash(name)) % 2**64),
        name=name,
        maker="",
        family=Family.RATIOMETRIC,
        supply_v=5.0,
        curve=curve,
        tolerance_pct_span=2.0,
        **more,
    )


B25 = _pressure("B25", 20.0, 250.0, ABSOLUTE)
B40 = _pressure("B40", 20.0, 400.0, ABSOLUTE)
P10 = _pressure("P10", 0.0, 1000.0, GAUGE)
N10 = SensorType(
    uid=UUID(int=9),
    name="N10",
    maker="",
    family=Family.THERMISTOR,
    supply_v=5.0,
    curve=None,
    tolerance_pct_span=3.0,
    element=Thermistor(10_000.0, 3435.0),
)


def test_boost_at_a_height_needs_the_atmosphere_added():
    """1.6 bar of boost at 1 830 m: 160 + 81.188 = 241 kPa absolute fits 250; at sea level 261 does not."""
    high_up = Need(Quantity.PRESSURE, 0.0, 160.0, GAUGE, standard_atmosphere_kpa(1830))
    at_sea = replace(high_up, atmosphere_kpa=standard_atmosphere_kpa(0))
    assert [f.covers for f in fits_for(high_up, (B25,), Converter(), "kPa")] == [True]
    (no,) = fits_for(at_sea, (B25,), Converter(), "kPa")
    assert not no.covers
    assert no.short_high == pytest.approx(11.325)
    assert "would clip" in no.sentence
    assert "11.3 kPa short" in no.sentence
    assert "148.7 kPa is left above an atmosphere of 101.3 kPa" in no.sentence


@pytest.mark.parametrize(
    ("full_scale_v", "shunt_ohm", "step_kpa"),
    [(5.0, 220, 1600 / (16e-3 * 220) * 5 / 1024), (3.3, 150, 1600 / (16e-3 * 150) * 3.3 / 1024)],
)
def test_a_current_loop_is_reckoned_with_the_largest_shunt_that_fits_the_input(full_scale_v, shunt_ohm, step_kpa):
    (fit,) = fits_for(Need(Quantity.PRESSURE, 0.0, 1500.0, GAUGE), (R16,), Converter(10, full_scale_v), "kPa")
    assert fit.covers
    assert f"shunt of {shunt_ohm} Ω" in fit.sentence
    assert fit.resolution == pytest.approx(step_kpa)


@pytest.mark.parametrize(
    ("ends", "weight", "says"),
    [((4, 20), None, ""), ((0, 20), Weight.LOOK_AGAIN, "4 to 20 mA"), ((4, 50), Weight.CANNOT_BE, "carries 4 to 20")],
)
def test_a_current_outside_of_a_loop_is_doubted(ends, weight, says):
    doubts = doubts_about(replace(R16, curve=replace(R16.curve, signal_low=float(ends[0]), signal_high=float(ends[1]))))
    assert [d.weight for d in doubts] == ([] if weight is None else [weight])
    assert all(says in d.sentence for d in doubts)


def test_the_type_that_uses_most_of_its_range_comes_first():
    need = Need(Quantity.PRESSURE, 100.0, 240.0, ABSOLUTE)
    found = fits_for(need, (P10, B40, B25, N10), Converter(), "kPa")
    assert [f.sensor.name for f in found] == ["B25", "B40", "P10"]
    assert found[0].share_used == pytest.approx(140 / 230)
    # hand: a step of 5/1024 V over 0.8 · 5 V for 230 kPa
    assert found[0].resolution == pytest.approx(5 / 1024 / 4.0 * 230)
    assert fits_for(need, (B25,), Converter(12), "kPa")[0].resolution == pytest.approx(5 / 4096 / 4.0 * 230)


def test_a_flat_end_clips_like_the_end_of_a_range():
    flat = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 4.5, 4.5), (0.0, 80.0, 100.0))
    sensor = SensorType(
        uid=UUID(int=3),
        name="F",
        maker="",
        family=Family.CONTROLLER_OUT,
        supply_v=5.0,
        curve=flat,
        tolerance_pct_span=2.0,
    )
    (found,) = fits_for(Need(Quantity.SHARE, 0.0, 95.0), (sensor,), Converter(), "percent")
    assert found.short_high == pytest.approx(15.0)


def test_the_worst_step_of_a_thermistor_is_at_its_cold_or_hot_end():
    (found,) = fits_for(Need(Quantity.TEMPERATURE, 0.0, 130.0), (N10,), Converter(), "degC")
    (narrow,) = fits_for(Need(Quantity.TEMPERATURE, 30.0, 60.0), (N10,), Converter(), "degC")
    assert found.resolution > 3 * narrow.resolution


def test_a_need_without_extent_is_refused():
    with pytest.raises(ValueError, match="above the least"):
        Need(Quantity.PRESSURE, 5.0, 5.0, GAUGE)


CARDS = [
    ("nothing odd", P10, None, None),
    (
        "signal above the supply",
        _pressure("x", 0, 1000, GAUGE, CurveKind.VOLTS, (0.5, 5.5)),
        Weight.CANNOT_BE,
        "supply of 5 V",
    ),
    ("no live zero", _pressure("x", 0, 1000, GAUGE, CurveKind.VOLTS, (0.0, 5.0)), Weight.LOOK_AGAIN, "broken wire"),
    ("absolute below vacuum", _pressure("x", -100, 300, ABSOLUTE), Weight.CANNOT_BE, "below 0 kPa absolute"),
    ("gauge below vacuum", _pressure("x", -500, 300, GAUGE), Weight.CANNOT_BE, "below a vacuum"),
    ("absolute called gauge", _pressure("x", 20, 250, GAUGE), Weight.LOOK_AGAIN, "mostly absolute"),
    ("gauge called absolute", _pressure("x", 0, 60, ABSOLUTE), Weight.LOOK_AGAIN, "could not show the atmosphere"),
    ("name says another base", _pressure("B25 absolute", 0, 250, GAUGE), Weight.LOOK_AGAIN, "name says absolute"),
    ("name says another range", _pressure("P10, 0–10 bar", 0, 10, GAUGE), Weight.LOOK_AGAIN, "ends at 10 bar"),
    ("nonsense span", _pressure("x", 0, 0.5, GAUGE), Weight.LOOK_AGAIN, "unusual for pressure"),
    (
        "falling pressure",
        _pressure("x", 0, 1000, GAUGE, ends=(0.9, 0.1)),
        Weight.LOOK_AGAIN,
        "falls as the pressure rises",
    ),
    ("fault volts inside", _pressure("x", 0, 1000, GAUGE, fault_low_v=0.6), Weight.CANNOT_BE, "goes down to 0.5 V"),
    (
        "fault volts inside above",
        _pressure("x", 0, 1000, GAUGE, fault_high_v=4.4),
        Weight.CANNOT_BE,
        "goes up to 4.5 V",
    ),
    ("wide tolerance", replace(P10, tolerance_pct_span=20.0), Weight.LOOK_AGAIN, "20 % of span is unusual"),
]


@pytest.mark.parametrize(("card", "weight", "says"), [c[1:] for c in CARDS], ids=[c[0] for c in CARDS])
def test_a_card_gets_second_thoughts_with_the_reason(card, weight, says):
    found = doubts_about(card)
    if weight is None:
        assert found == ()
    else:
        assert [d for d in found if d.weight is weight and says in d.sentence]


def test_a_table_with_a_jump_or_a_flat_end_is_pointed_out():
    values = tuple(float(v) for v in range(0, 110, 10))
    jump = (0.5, 0.52, 0.54, 0.56, 0.58, 0.6, 4.3, 4.32, 4.34, 4.36, 4.38)
    card = SensorType(
        uid=UUID(int=1),
        name="x",
        maker="",
        family=Family.RATIOMETRIC,
        supply_v=5.0,
        curve=TableCurve(CurveKind.VOLTS, Quantity.SHARE, jump, values),
        tolerance_pct_span=2.0,
    )
    assert not [d for d in doubts_about(card) if "12 times" in d.sentence]  # under 10 times the mean slope
    fine = tuple(float(v) for v in range(31))
    jump = tuple(0.5 + 0.01 * v + (3.0 if v > 20 else 0.0) for v in fine)
    card = replace(card, curve=TableCurve(CurveKind.VOLTS, Quantity.SHARE, jump, fine))
    assert [
        d for d in doubts_about(card) if "From 20 % to 21 %" in d.sentence.replace("20%", "20 %").replace("21%", "21 %")
    ]
    flat = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 4.5, 4.5), (0.0, 80.0, 100.0))
    assert [d for d in doubts_about(replace(card, curve=flat)) if "flat above" in d.sentence]


def test_an_input_that_ends_before_the_signal_clips_it():
    """A share of 5 V up to 4.5 V on an input of 3.3 V: the line passes 3.3 V at 700 kPa of 1 000."""
    (found,) = fits_for(Need(Quantity.PRESSURE, 0.0, 990.0, GAUGE), (P10,), Converter(12, 3.3), "kPa")
    assert not found.covers
    assert found.short_high == pytest.approx(290.0)
    assert "reads at most 700 kPa gauge" in found.sentence
    assert "Its signal goes on to 4.5 V, and the input ends at 3.3 V" in found.sentence
    (fits,) = fits_for(Need(Quantity.PRESSURE, 0.0, 690.0, GAUGE), (P10,), Converter(12, 3.3), "kPa")
    assert fits.covers
    (none,) = fits_for(Need(Quantity.PRESSURE, 0.0, 690.0, GAUGE), (P10,), Converter(12, 0.4), "kPa")
    assert not none.covers
    assert "sees none of its signal" in none.sentence


SHEET = Endurance(low_degc=-40.0, high_degc=125.0, overpressure_kpa=2000.0)


@pytest.mark.parametrize(
    ("bears", "place", "mark", "says"),
    [
        (SHEET, Place(low_degc=-30, high_degc=110), Mark.PASS, "Bears the heat of 110 °C; its limit is 125 °C."),
        (SHEET, Place(low_degc=-40, high_degc=125), Mark.PASS, "Bears the cold of -40 °C"),
        (SHEET, Place(high_degc=140), Mark.FAIL, "Not for 140 °C: its limit is 125 °C."),
        (SHEET, Place(low_degc=-45), Mark.FAIL, "Not for -45 °C"),
        (SHEET, Place(peak_kpa=1900), Mark.PASS, "Bears a peak of 1900 kPa gauge; its limit is 2000 kPa."),
        (SHEET, Place(peak_kpa=2100), Mark.FAIL, "would harm it: it bears 2000 kPa gauge."),
        (Endurance(), Place(peak_kpa=900), Mark.PASS, "lies within its range"),
        (Endurance(), Place(peak_kpa=1100), Mark.UNDECIDED, "do not say whether it bears a peak of 1100 kPa"),
        (Endurance(), Place(high_degc=90), Mark.UNDECIDED, "do not say whether it bears 90 °C"),
    ],
)
def test_a_card_is_held_against_its_place(bears, place, mark, says):
    need = Need(Quantity.PRESSURE, 0.0, 800.0, GAUGE)
    (fit,) = fits_for(need, (replace(P10, bears=bears),), Converter(), "kPa", place)
    assert fit.covers
    assert fit.mark is mark
    assert any(says in bearing.sentence for bearing in fit.bearings)


def test_a_peak_is_put_on_the_base_of_each_curve():
    """300 kPa gauge at 1 830 m is 381.2 kPa absolute."""
    need = Need(Quantity.PRESSURE, 0.0, 160.0, GAUGE, standard_atmosphere_kpa(1830))
    sensor = replace(B40, bears=Endurance(overpressure_kpa=380.0))
    (fit,) = fits_for(need, (sensor,), Converter(), "kPa", Place(peak_kpa=300.0))
    assert "381.2 kPa absolute" in fit.bearings[0].sentence
    assert fit.mark is Mark.FAIL


def test_a_card_that_says_enough_stands_before_one_that_does_not():
    known, silent = replace(P10, name="known", bears=SHEET), replace(P10, name="silent", uid=UUID(int=3))
    found = fits_for(
        Need(Quantity.PRESSURE, 0.0, 950.0, GAUGE), (silent, known), Converter(), "kPa", Place(high_degc=100)
    )
    assert [fit.sensor.name for fit in found] == ["known", "silent"]


def test_only_a_pressure_sensor_bears_an_overpressure():
    with pytest.raises(ValueError, match="only a pressure sensor"):
        replace(N10, bears=SHEET)
    with pytest.raises(ValueError, match="below the greatest"):
        Endurance(low_degc=50, high_degc=50)
