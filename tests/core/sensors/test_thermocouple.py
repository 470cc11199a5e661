"""Thermocouples against the printed reference tables, and back."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.sensors.thermocouple import (
    ThermocoupleKind,
    ThermocoupleType,
    degc_at_mv,
    mv_at_degc,
    range_degc,
    uv_per_k_at,
)
from tests.printed_tables import THERMOCOUPLES as PRINTED


@pytest.mark.parametrize(("kind", "degc", "mv"), [(kind, *row) for kind, rows in PRINTED.items() for row in rows])
def test_the_printed_table_is_met_to_its_last_digit(kind, degc, mv):
    assert mv_at_degc(ThermocoupleType(kind), degc) == pytest.approx(mv, abs=6e-4)
    uv_per_k = uv_per_k_at(ThermocoupleType(kind), degc)
    assert degc_at_mv(ThermocoupleType(kind), mv) == pytest.approx(degc, abs=0.6 / uv_per_k + 1e-6)


@given(st.sampled_from(ThermocoupleType), st.floats(0, 1), st.floats(0, 40))
def test_back_is_where_it_came_from(kind, share, cold):
    low, high = range_degc(kind)
    degc = low + share * (high - low)
    assert degc_at_mv(kind, mv_at_degc(kind, degc, cold), cold) == pytest.approx(degc, abs=1e-5)


@pytest.mark.parametrize("kind", ThermocoupleType)
def test_a_column_of_temperatures_meets_the_function_between_the_points_of_its_grid(kind):
    low, high = range_degc(kind)
    degc = np.linspace(low, high, 777)
    pair = ThermocoupleKind(letter=kind)
    exact = [mv_at_degc(kind, d) for d in degc]
    assert np.abs(pair.mv_at(degc) - exact).max() < 6e-5
    assert np.abs(pair.degc_at(pair.mv_at(degc)) - degc).max() < 1e-6


def test_a_pair_without_a_letter_is_a_straight_line():
    pair = ThermocoupleKind(41.0)
    assert pair.mv_at(np.array([100.0])) == pytest.approx([4.1])
    assert pair.degc_at(np.array([4.1])) == pytest.approx([100.0])


def test_the_terminals_are_added_by_the_function_not_by_one_slope():
    """20.000 mV with terminals at 25 °C are 508 °C; 41 µV/K would say 513."""
    assert degc_at_mv(ThermocoupleType.K, 20.0, 25.0) == pytest.approx(508.34, abs=0.05)


@pytest.mark.parametrize(("ask", "says"), [
    (lambda: mv_at_degc(ThermocoupleType.K, 1400), "from -270 to 1372 °C"),
    (lambda: degc_at_mv(ThermocoupleType.T, 40.0), "never 40 mV"),
    (lambda: degc_at_mv(ThermocoupleType.K, -7.0), "never -7 mV"),
])  # fmt: skip
def test_what_no_pair_gives_is_refused_with_what_it_does_give(ask, says):
    with pytest.raises(ValueError, match=says):
        ask()
