"""What people type in a measuring field: every form that is read, and every sentence that refuses one."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.entry import parse_entry, parse_plain_number, parse_ratio, parse_sensed, split_pressure_base
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.errors import EntryError

VOLTS = Limits(-1.2, 18.0)


def volts(typed, **more):
    return parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS, **more)


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        ("4.96", 4.96),
        ("4.96 V", 4.96),
        ("4.96V", 4.96),
        (" 4.96 volts ", 4.96),
        ("12mV", 0.012),
        ("12 mv", 0.012),
        ("0.012", 0.012),
        (".5", 0.5),
        ("5.", 5.0),
        ("+5", 5.0),
        ("-0.3", -0.3),
        ("−0.3", -0.3),
        ("4,96", 4.96),
        ("4,963", 4.963),  # cannot be four thousand volts
        ("４．９６", 4.96),  # full-width digits of some keyboards
        ("1.2e1", 12.0),
    ],
)
def test_volts_are_read_as_typed(typed, value):
    assert volts(typed).value == pytest.approx(value)


@pytest.mark.parametrize(
    ("typed", "problem", "would_do"),
    [
        ("", "Nothing was typed.", "Type volts, such as 4.96, 4.96 V or 12mV."),
        ("   ", "Nothing was typed.", "Type volts"),
        ("abc", "“abc” is not a number.", "Type volts"),
        ("4.9.6", "“4.9.6” is not a number.", "Type volts"),
        ("OL", "“OL” means that the meter was over its range", "Choose a higher range"),
        ("0.L", "“0.L” means that the meter was over its range", "Choose a higher range"),
        ("1e400", "is larger than any reading can be", "in V"),
        ("nan", "“nan” is not a number.", "Type volts"),
        ("12 A", "“A” is not a unit that fits here (V, mV).", "Type volts"),
        ("-3", "“-3” is −3 V, which cannot be right here", "Look at the meter"),
        ("40", "possible is −1.2 V to 18 V", "Look at the meter"),
        ("9" * 300, "That is 300 characters; a reading has at most 40.", "Type volts"),
        ("<b>5</b>", "“<b>5</b>” is not a number.", "Type volts"),
        ("5\x00", "is not a", "Type volts"),
    ],
)
def test_what_cannot_be_volts_is_refused_in_plain_words(typed, problem, would_do):
    with pytest.raises(EntryError) as refused:
        volts(typed)
    assert problem in str(refused.value)
    assert would_do in str(refused.value)
    assert refused.value.typed == typed


def test_a_comma_that_has_two_meanings_is_asked_about():
    with pytest.raises(EntryError, match=r"could be 1\.234 or 1234"):
        parse_entry("1,234", Quantity.RESISTANCE, limits=Limits(0, 1e8))


def test_a_comma_decimal_says_how_it_was_read():
    assert volts("4,96").note == "“4,96” was read as 4.960 V."
    assert volts("4.96").note == ""


@pytest.mark.parametrize(
    ("typed", "value"), [("1.2k", 1200.0), ("1.2 kΩ", 1200.0), ("0.4Ω", 0.4), ("2M", 2e6), ("320 ohms", 320.0)]
)
def test_ohms_take_their_prefix(typed, value):
    assert parse_entry(typed, Quantity.RESISTANCE, limits=Limits(0, 1e8)).value == pytest.approx(value)


@pytest.mark.parametrize("typed", ["-OL", "- OL", "−OL"])
def test_an_overload_has_no_sign(typed):
    """Meters show it of volts with the leads swapped; of ohms there is no such thing."""
    with pytest.raises(EntryError, match="is not a number"):
        parse_entry(typed, Quantity.RESISTANCE, over_range=True)


@pytest.mark.parametrize("typed", ["OL", "ol", "O.L", "0L", "overload", "∞"])
def test_an_ohmmeter_may_be_over_range(typed):
    entry = parse_entry(typed, Quantity.RESISTANCE, over_range=True)
    assert (entry.value, entry.word) == (None, "OL")


@pytest.mark.parametrize(
    ("typed", "kpa"),
    [
        ("4.6", 460.0),
        ("0.46 MPa", 460.0),
        ("460000 Pa", 460.0),
        ("3450 mmHg", 459.962),
        ("3450 Torr", 459.962),
        ("4.69 kg/cm2", 459.932),
        ("1849 inH2O", 460.105),
        ("460 kPa", 460.0),
        ("67 psi", 461.949),
        ("4600 mbar", 460.0),
        ("4,6 bar", 460.0),
    ],
)
def test_a_bare_pressure_is_in_the_shops_unit_and_a_typed_unit_wins(typed, kpa):
    assert parse_entry(typed, Quantity.PRESSURE, unit="bar").value == pytest.approx(kpa, rel=1e-5)


@pytest.mark.parametrize(
    ("typed", "rest", "base"),
    [
        ("0.8 bar gauge", "0.8 bar", "gauge"),
        ("0.8 bar g", "0.8 bar", "gauge"),
        ("180 kPa abs", "180 kPa", "absolute"),
        ("1.8 a", "1.8", "absolute"),
        ("1.8 A", "1.8 A", None),  # amperes are not a pressure
        ("0.8 bar", "0.8 bar", None),
        ("0.8", "0.8", None),
        ("gauge", "gauge", None),
        ("", "", None),
    ],
)
def test_a_pressure_base_typed_behind_a_value_is_taken_off(typed, rest, base):
    assert split_pressure_base(typed) == (rest, base)


@given(st.text(max_size=60))
def test_no_text_does_more_harm_than_a_refusal(typed):
    try:
        value = volts(typed).value
    except EntryError as error:
        sentence = str(error)
    else:
        sentence = f"{value} V"
        assert value in VOLTS
    assert sentence.strip()


@given(st.floats(-1.2, 18.0))
def test_a_printed_number_is_read_back(value):
    assert volts(repr(value)).value == pytest.approx(value, abs=1e-12)


@pytest.mark.parametrize("typed", ["", "x", "5 V", "1e400", "-1", "101", "nan"])
def test_a_plain_number_field_says_what_would_do(typed):
    with pytest.raises(EntryError, match="a number from 0 to 100"):
        parse_plain_number(typed, field="x", limits=Limits(0, 100), what="a share")


@pytest.mark.parametrize("typed", ["voltage", "Voltage present", "volts", "live"])
def test_an_ohmmeter_may_refuse(typed):
    assert parse_entry(typed, Quantity.RESISTANCE, over_range=True).word == "voltage present"
    with pytest.raises(EntryError):
        parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS)


@pytest.mark.parametrize(
    ("typed", "word"),
    [("no data", "no data"), ("No Data", "no data"), ("no contact", "no data"), ("not shown", "not shown"),
     ("it is not shown", "not shown"), ("not available", "not shown")],
)  # fmt: skip
def test_a_screen_may_show_no_number_for_two_reasons(typed, word):
    assert parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS, on_screen=True).word == word
    with pytest.raises(EntryError, match="is not a number"):
        parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS)


@pytest.mark.parametrize("typed", ["none", "Nothing", "--", "-", "n/a", "blank"])
def test_which_of_the_two_is_never_assumed(typed):
    with pytest.raises(EntryError, match="can mean two things") as refused:
        parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS, on_screen=True)
    assert "no data" in refused.value.would_do
    assert "not shown" in refused.value.would_do
    with pytest.raises(EntryError, match="is not a number"):
        parse_entry(typed, Quantity.VOLTAGE, limits=VOLTS)


def test_what_is_out_of_reach_is_said_in_the_unit_that_was_typed():
    with pytest.raises(EntryError) as refused:
        parse_entry("40 bar", Quantity.PRESSURE, limits=Limits(-100, 1100))
    assert "“40 bar” is 40 bar, which cannot be right here: possible is −1 bar to 11 bar." in str(refused.value)
    with pytest.raises(EntryError, match=r"possible is −14\.504 psi to 159\.542 psi"):
        parse_entry("600", Quantity.PRESSURE, unit="psi", limits=Limits(-100, 1100))


@pytest.mark.parametrize(
    ("typed", "rest", "base"),
    [
        ("20 inHg vacuum", "-20 inHg", PressureBase.GAUGE),
        ("20 inHg vac", "-20 inHg", PressureBase.GAUGE),
        ("-20 inHg Vacuum", "-20 inHg", PressureBase.GAUGE),
        ("0.8 bar gauge", "0.8 bar", PressureBase.GAUGE),
        ("180 kPa abs", "180 kPa", PressureBase.ABSOLUTE),
        ("20 inHg", "20 inHg", None),
    ],
)
def test_what_a_pressure_is_counted_from_may_stand_behind_it(typed, rest, base):
    assert split_pressure_base(typed) == (rest, base)
    if base is not None:
        sensed = parse_sensed(typed, Quantity.PRESSURE, field="x", unit="kPa", base=base)
        assert sensed.said is base
        assert sensed.value == pytest.approx(-67.728, abs=0.01) or "inHg" not in typed


@pytest.mark.parametrize(
    ("typed", "quantity", "unit", "base", "says"),
    [
        ("-280", Quantity.TEMPERATURE, "degC", None, "colder than anything can be"),
        ("-500 °F", Quantity.TEMPERATURE, "degC", None, "colder than anything can be"),
        ("-5 kPa abs", Quantity.PRESSURE, "bar", None, "below 0 absolute"),
        ("-5", Quantity.PRESSURE, "kPa", PressureBase.ABSOLUTE, "below 0 absolute"),
        ("-40 psi gauge", Quantity.PRESSURE, "bar", None, "nothing is emptier than a vacuum"),
    ],
)
def test_what_cannot_be_is_refused(typed, quantity, unit, base, says):
    with pytest.raises(EntryError, match=says):
        parse_sensed(typed, quantity, field="value", unit=unit, base=base)


def test_a_deep_vacuum_and_deep_cold_are_possible():
    assert parse_sensed("-101 kPa gauge", Quantity.PRESSURE, field="value", unit="bar").value == pytest.approx(-101)
    assert parse_sensed("-273", Quantity.TEMPERATURE, field="value", unit="degC").value == -273


@pytest.mark.parametrize(
    ("typed", "ratio"), [("3.73", 3.73), ("41:11", 41 / 11), ("3,73:1", 3.73), ("41 / 11", 41 / 11)]
)
def test_an_axle_is_read_as_a_number_or_as_two_gears(typed, ratio):
    assert parse_ratio(typed, field="axle") == pytest.approx(ratio)


@pytest.mark.parametrize("typed", ["41:0", "x", "0:3", "1000:1"])
def test_what_is_no_axle_is_refused(typed):
    with pytest.raises(EntryError, match=r"a ratio, such as 3\.73 or 41:11"):
        parse_ratio(typed, field="axle")


def test_a_comma_before_three_digits_is_asked_about_in_plain_numbers_too():
    with pytest.raises(EntryError, match=r"could be 1\.000 or 1000"):
        parse_plain_number("1,000", field="x", limits=Limits(0, 1e6), what="a number")
    assert parse_plain_number("1,000", field="x", limits=Limits(0, 10), what="a number") == 1.0
    assert parse_plain_number("1,000", field="x", limits=Limits(100, 2000), what="a number") == 1000.0
