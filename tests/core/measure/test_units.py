"""Units and pressures. The numbers are the published conversions, rounded as their tables print them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.units import (
    UNITS,
    PressureBase,
    from_fixed,
    rebase,
    show,
    show_volts,
    standard_atmosphere_kpa,
    to_fixed,
)


@pytest.mark.parametrize(
    ("fixed", "unit", "value"),
    [
        (101.325, "psi", 14.6959),
        (101.325, "inHg", 29.9213),
        (101.325, "bar", 1.01325),
        (101.325, "mbar", 1013.25),
        (1000.0, "MPa", 1.0),
        (0.101325, "Pa", 101.325),
        (101.325, "mmHg", 759.99989),  # 133.322 387 415 Pa
        (101.325, "inH2O", 407.1893),  # 248.840 Pa, water at 60 °F
        (98.0665, "kgcm2", 1.0),
        (0.0, "K", 273.15),
        (80.0, "degF", 176.0),
        (-40.0, "degF", -40.0),
        (0.0254, "in", 1.0),
        (0.05, "mm", 50.0),
        (4.96, "mV", 4960.0),
        (1200.0, "kohm", 1.2),
        (1.0, "afr_petrol", 14.7),
        (0.85, "afr_petrol", 12.495),
        (1.0, "afr_diesel", 14.5),
        (1.0, "afr_e85", 9.8),
        (1.05, "afr_lpg", 16.485),
        (1.0, "afr_gas", 17.2),
    ],
)
def test_a_value_converts_as_published(fixed, unit, value):
    assert from_fixed(fixed, unit) == pytest.approx(value, rel=4e-6)
    assert to_fixed(value, unit) == pytest.approx(fixed, rel=5e-6)


@pytest.mark.parametrize(("height_m", "kpa"), [(0, 101.325), (640, 93.869), (1830, 81.188), (3000, 70.109)])
def test_the_standard_atmosphere_falls_with_height(height_m, kpa):
    assert standard_atmosphere_kpa(height_m) == pytest.approx(kpa, abs=5e-4)


@given(st.sampled_from(sorted(UNITS)), st.floats(-1e6, 1e6))
def test_there_and_back_is_the_same_value(code, value):
    assert from_fixed(to_fixed(value, code), code) == pytest.approx(value, rel=1e-9, abs=1e-6)


@given(st.floats(-100, 1000), st.floats(60, 110))
def test_gauge_and_absolute_are_inverses(gauge_kpa, atmosphere_kpa):
    absolute = rebase(gauge_kpa, PressureBase.GAUGE, PressureBase.ABSOLUTE, atmosphere_kpa)
    assert rebase(absolute, PressureBase.ABSOLUTE, PressureBase.GAUGE, atmosphere_kpa) == pytest.approx(
        gauge_kpa, abs=1e-9
    )


@pytest.mark.parametrize(
    ("volts", "text"),
    [(0.0, "0 mV"), (0.012, "12 mV"), (-0.0004, "−0.4 mV"), (4.963, "4.963 V"), (12.6, "12.60 V"), (-0.3, "−0.30 V")],
)
def test_volts_read_as_on_a_meter(volts, text):
    assert show_volts(volts) == text


def test_a_chosen_value_is_shown_without_zeros_at_the_end():
    assert show(450.0, "bar", trim=True) == "4.5 bar"
    assert show(0.0, "bar", trim=True) == "0 bar"
    assert show(45.0, "deg") == "45.0°"
