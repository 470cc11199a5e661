"""Thermocouples against the printed reference tables, and back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.sensors.thermocouple import ThermocoupleType, degc_at_mv, mv_at_degc, range_degc, uv_per_k_at

# °C and mV as IEC 60584-1 prints them.
TABLE = {
    "K": [(-200, -5.891), (-100, -3.554), (25, 1.000), (100, 4.096), (500, 20.644), (1000, 41.276), (1300, 52.410)],
    "J": [(-200, -7.890), (100, 5.269), (400, 21.848), (750, 42.281), (1200, 69.553)],
    "T": [(-200, -5.603), (100, 4.279), (200, 9.288), (400, 20.872)],
    "E": [(-200, -8.825), (100, 6.319), (500, 37.005), (1000, 76.373)],
    "N": [(-200, -3.990), (100, 2.774), (600, 20.613), (1300, 47.513)],
    "R": [(100, 0.647), (1000, 10.506), (1700, 20.222)],
    "S": [(100, 0.646), (1000, 9.587), (1700, 17.947)],
    "B": [(500, 1.242), (1000, 4.834), (1800, 13.591)],
}


@pytest.mark.parametrize(("kind", "degc", "mv"), [(kind, *row) for kind, rows in TABLE.items() for row in rows])
def test_the_printed_table_is_met_to_its_last_digit(kind, degc, mv):
    assert mv_at_degc(ThermocoupleType(kind), degc) == pytest.approx(mv, abs=6e-4)
    uv_per_k = uv_per_k_at(ThermocoupleType(kind), degc)
    assert degc_at_mv(ThermocoupleType(kind), mv) == pytest.approx(degc, abs=0.6 / uv_per_k + 1e-6)


@given(st.sampled_from(ThermocoupleType), st.floats(0, 1), st.floats(0, 40))
def test_back_is_where_it_came_from(kind, share, cold):
    low, high = range_degc(kind)
    degc = low + share * (high - low)
    assert degc_at_mv(kind, mv_at_degc(kind, degc, cold), cold) == pytest.approx(degc, abs=1e-5)


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
