"""Tables as they come out of sheets, in every order and with every mark; and the forms of a controller written and read."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.controllers.figures import FormKind
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, TableCurve
from irongauge.errors import EntryError
from irongauge.formats.curve_table import MOST_ROWS, read_table, write_table
from irongauge.formats.entries_text import form_from_figures

TEN_BAR = ((0.5, 0.0), (4.5, 1000.0))
READ = [
    ("tab", "0\t0.5\n10\t4.5", TEN_BAR),
    ("semicolon, decimal comma", "0,0;0,50\n10,0;4,50", TEN_BAR),
    ("comma", "0,0.5\n10,4.5", TEN_BAR),
    ("comma and a blank", "0, 0.5\n10, 4.5", TEN_BAR),
    ("blanks, decimal comma", "0   0,5\n10  4,5", TEN_BAR),
    ("heading in another order, with units", "Signal (mV)\tPressure [kPa]\n500\t0\n4500\t1000", TEN_BAR),
    ("heading with bare units", "psi;V\n0;0.5\n145.0377;4.5", TEN_BAR),
    ("units as people write them", "Press. (PSI);Out (mV DC)\n0;500\n145.0377;4500", TEN_BAR),
    ("heading with capitals", "BAR;VOLTS\n0;0.5\n10;4.5", TEN_BAR),
    ("a unit that is offered nowhere", "Pressure (kg/cm²);V\n0;0.5\n10.1972;4.5", TEN_BAR),
    ("a word that is a unit too", "value at;signal\n0;0.5\n10;4.5", TEN_BAR),
    ("heading of words", "voltage;value\n0.5;0\n4.5;10", TEN_BAR),
    ("a third column and blank lines", "p (bar);u (V);remark\n\n0;0.5;cold\n10;4.5;cold\n", TEN_BAR),
    ("a typographic minus", "−1\t0.1\n10\t4.5", ((0.1, -100.0), (4.5, 1000.0))),
]


@pytest.mark.parametrize(("text", "rows"), [r[1:] for r in READ], ids=[r[0] for r in READ])
def test_a_table_is_read_however_it_was_pasted(text, rows):
    found = read_table(text, CurveKind.VOLTS, Quantity.PRESSURE, "bar")
    for row, wanted in zip(found.rows, rows, strict=True):
        assert row == pytest.approx(wanted, rel=1e-5)


@pytest.mark.parametrize("heading", ["Temp (deg C);R (Ohm)", "°C;OHMS", "T [celsius];R [Ω]", "temp deg C;Ohms"])
def test_ohms_over_degrees_however_they_are_written(heading):
    found = read_table(f"{heading}\n0;5600\n80;320", CurveKind.OHMS, Quantity.TEMPERATURE, "degC")
    assert sorted(found.rows) == [(320.0, 80.0), (5600.0, 0.0)]


def test_a_share_is_read_in_per_cent():
    assert read_table("0 10\n10 90", CurveKind.RATIO, Quantity.PRESSURE, "bar").rows == ((0.1, 0.0), (0.9, 1000.0))


REFUSED = [
    ("nothing", "  \n", "Nothing was pasted."),
    ("one row", "0;0.5", "That is one row."),
    ("words", "0;0.5\nten;4.5", "Row 2, “ten;4.5”, is not two numbers."),
    ("one column", "0\n10", "is not two numbers"),
    ("commas inside and between", "0,0,0,5\n10,0,4,5", "commas both between and inside its numbers"),
    ("a unit of something else", "p (mm);V\n0;1\n1;2", "“mm” is not a unit that fits here"),
    ("two signals", "signal (V);output (V)\n0;1\n1;2", "Both columns look like the signal."),
    ("too many rows", "\n".join(f"{n};{n}" for n in range(MOST_ROWS + 1)), "At most 5,000 fit here."),
    ("far too long", "1;2\n" * 110_000, "characters"),
    ("a number beyond all sense", "0;1\n1e300;2", "no sensor gives"),
]


@pytest.mark.parametrize(("text", "says"), [r[1:] for r in REFUSED], ids=[r[0] for r in REFUSED])
def test_what_is_no_table_is_told(text, says):
    with pytest.raises(EntryError) as error:
        read_table(text, CurveKind.VOLTS, Quantity.PRESSURE, "bar")
    assert says in str(error.value)


def test_two_thousand_rows_are_read():
    text = "bar;V\n" + "\n".join(f"{n / 200:.3f};{0.5 + n / 500:.4f}".replace(".", ",") for n in range(2000))
    assert len(read_table(text, CurveKind.VOLTS, Quantity.PRESSURE, "bar").rows) == 2000


@given(
    st.lists(st.tuples(st.floats(0.001, 1), st.floats(0.001, 50)), min_size=1, max_size=30),
    st.sampled_from(["bar", "psi", "kPa", "inHg"]),
    st.sampled_from([CurveKind.VOLTS, CurveKind.RATIO]),
)
def test_a_written_table_is_read_back(steps, unit, kind):
    signals, values = [0.05], [0.0]
    for signal, value in steps:
        signals.append(signals[-1] + signal)
        values.append(values[-1] + value)
    curve = TableCurve(kind, Quantity.PRESSURE, tuple(signals), tuple(values), PressureBase.GAUGE)
    rows = read_table(write_table(curve, curve.points, unit), kind, Quantity.PRESSURE, "mbar").rows
    assert [s for s, _ in rows] == pytest.approx(signals, rel=1e-12)
    assert [v for _, v in rows] == pytest.approx(values, rel=1e-9, abs=1e-9)


def test_a_straight_curve_is_written_by_its_two_ends():
    curve = LinearCurve(
        kind=CurveKind.RATIO, quantity=Quantity.ANGLE, signal_low=0.1, signal_high=0.9, value_low=0.0, value_high=90.0
    )
    assert write_table(curve, curve.points, "deg").splitlines() == ["angle (°),signal (%)", "0.0,10.0", "90.0,90.0"]


@pytest.mark.parametrize(
    ("kind", "figures", "says"),
    [
        (FormKind.SCALED, {"multiplier": "1.5", "divider": "10", "offset": "0"}, "whole number"),
        (FormKind.CELLS, {"table": "0;1\n5;1"}, "Give each reading once."),
        (FormKind.LIMIT, {"shown": "x"}, "is not a number"),
        (FormKind.COUNTS, {"bits": "10.5", "full_scale_v": "5", "offset": "0", "per_count": "1"}, "whole bits"),
        (FormKind.POLYNOMIAL, {"p0": "1"}, "Nothing was typed"),
    ],
)
def test_figures_of_an_entry_that_cannot_be_are_told(kind, figures, says):
    with pytest.raises(EntryError) as error:
        form_from_figures(kind, figures, "bar", Quantity.VOLTAGE)
    assert says in str(error.value)


def test_figures_may_carry_their_units():
    """`0.5 V` and `500 mV` are the same reading, `145 psi` and `10 bar` nearly the same value."""
    figures = {"reading_low": "0.5 V", "shown_low": "0", "reading_high": "4500 mV", "shown_high": "1000 kPa"}
    form = form_from_figures(FormKind.END_POINTS, figures, "bar", Quantity.VOLTAGE)
    assert (form.reading_low, form.reading_high, form.shown_high) == (0.5, 4.5, 10.0)
    cubic = form_from_figures(FormKind.POLYNOMIAL, {"p0": "-1.25", "p1": "2.5"}, "bar", Quantity.VOLTAGE)
    assert cubic.powers == (-1.25, 2.5, 0.0, 0.0)
