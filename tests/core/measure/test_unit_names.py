"""Units as people write them: on paper, on a phone's keyboard, as a meter's display or a resistor's print has them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.measure.entry import parse_entry, parse_number_in, parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.unit_names import units_named
from irongauge.core.measure.units import UNITS, PressureBase, Quantity
from irongauge.errors import EntryError


@pytest.mark.parametrize(
    ("typed", "ohm"),
    [
        ("200 mΩ", 0.2), ("200mohm", 0.2), ("200 mOhm", 0.2), ("350 milliohms", 0.35), ("0.2 Ohm", 0.2), ("0.2 OHMS", 0.2),
        ("2 MΩ", 2e6), ("2M", 2e6), ("2 Mohm", 2e6), ("2 Meg", 2e6), ("2 MEG", 2e6), ("2 megohm", 2e6),
        ("1.2K", 1200), ("1.2 kOhm", 1200), ("1.2 K ohms", 1200), ("1.2 kilo-ohm", 1200), ("1.2kΩ", 1200),
        ("4k7", 4700), ("4K7", 4700), ("4R7", 4.7), ("0r22", 0.22), ("2M2", 2.2e6), ("1k2 Ω", 1200), ("10k0", 10_000),
        ("1 234", 1234), ("12'500", 12_500), ("1,234.5", 1234.5), ("1.234,5", 1234.5), ("1,234,567", 1_234_567),
        ("1 234,5 Ω", 1234.5), ("12 345 678", 12_345_678), ("1.234", 1.234),
    ],
)  # fmt: skip
def test_ohms(typed, ohm):
    assert parse_entry(typed, Quantity.RESISTANCE).value == pytest.approx(ohm)


@pytest.mark.parametrize("typed", ["200 m", "200m", "200 MOHM", "200 M OHMS"])
def test_a_thousandth_and_a_million_are_asked_about_where_the_letter_does_not_tell_them(typed):
    with pytest.raises(EntryError, match="could be 200 mΩ or 200 MΩ") as refused:
        parse_entry(typed, Quantity.RESISTANCE)
    assert refused.value.would_do == "Type the unit as mΩ or MΩ."


@pytest.mark.parametrize(
    ("typed", "quantity", "value"),
    [
        ("4.96 VDC", Quantity.VOLTAGE, 4.96), ("4.96 V DC", Quantity.VOLTAGE, 4.96), ("4.96 Vdc", Quantity.VOLTAGE, 4.96),
        ("12 mVDC", Quantity.VOLTAGE, 0.012), ("12 MV", Quantity.VOLTAGE, 0.012), ("850 µV", Quantity.VOLTAGE, 0.00085),
        ("850 uV", Quantity.VOLTAGE, 0.00085), ("5 v.", Quantity.VOLTAGE, 5.0),
        ("29.92 in Hg", Quantity.PRESSURE, 101.32), ("29.92 in. Hg", Quantity.PRESSURE, 101.32),
        ('29.92 "Hg', Quantity.PRESSURE, 101.32), ("760 mm Hg", Quantity.PRESSURE, 101.32),
        ("67 PSI", Quantity.PRESSURE, 461.95), ("67 lbf/in²", Quantity.PRESSURE, 461.95), ("4.6 Bar", Quantity.PRESSURE, 460.0),
        ("460 KPA", Quantity.PRESSURE, 460.0), ("1 atm", Quantity.PRESSURE, 101.325), ("1 at", Quantity.PRESSURE, 98.0665),
        ("80 deg C", Quantity.TEMPERATURE, 80.0), ("80 degrees Celsius", Quantity.TEMPERATURE, 80.0),
        ("80ºC", Quantity.TEMPERATURE, 80.0), ("80°", Quantity.TEMPERATURE, 80.0),
        ("80 degrees", Quantity.TEMPERATURE, 80.0),
        ("176 deg. F", Quantity.TEMPERATURE, 80.0), ("176 Fahrenheit", Quantity.TEMPERATURE, 80.0),
        ("353.15 K", Quantity.TEMPERATURE, 80.0),
        ("2.7 msec", Quantity.DURATION, 2.7), ("2700 usec", Quantity.DURATION, 2.7), ("0.0027 s", Quantity.DURATION, 2.7),
        ("1.2 KHZ", Quantity.FREQUENCY, 1200.0), ("62 hertz", Quantity.FREQUENCY, 62.0),
        ("50 pct", Quantity.SHARE, 50.0), ("50 per cent", Quantity.SHARE, 50.0), ("50%", Quantity.SHARE, 50.0),
        ("2.5 cm", Quantity.LENGTH, 0.025), ("2 ft", Quantity.LENGTH, 0.6096), ("2'", Quantity.LENGTH, 0.6096),
        ("1″", Quantity.LENGTH, 0.0254), ("1”", Quantity.LENGTH, 0.0254), ("45°", Quantity.ANGLE, 45.0),
        ("45 deg.", Quantity.ANGLE, 45.0),
    ],
)  # fmt: skip
def test_units_as_they_are_written(typed, quantity, value):
    found = parse_sensed(
        typed, quantity, field="value", unit=next(u.code for u in UNITS.values() if u.quantity is quantity)
    )
    assert found.value == pytest.approx(value, rel=1e-4)


@pytest.mark.parametrize(
    ("typed", "kpa", "base"),
    [
        ("100 PSIG", 689.476, "gauge"), ("100 psia", 689.476, "absolute"), ("1.8 bara", 180.0, "absolute"),
        ("0.8 BARG", 80.0, "gauge"), ("0.8bar(g)", 80.0, "gauge"), ("180 kPa(abs)", 180.0, "absolute"),
        ("1.8 bar (a)", 180.0, "absolute"), ("180 kPa abs", 180.0, "absolute"), ("0.8 bar", 80.0, None),
    ],
)  # fmt: skip
def test_the_base_may_stand_at_the_unit(typed, kpa, base):
    found = parse_sensed(typed, Quantity.PRESSURE, field="value", unit="bar", base=PressureBase.GAUGE)
    assert (found.value, found.said) == (pytest.approx(kpa, rel=1e-5), base)


@pytest.mark.parametrize(
    ("typed", "alternating"), [("2.1 VAC", False), ("2.1 V~", False), ("2.1 V rms", False), ("2.1 VDC", True)]
)
def test_the_other_kind_of_current_is_not_taken(typed, alternating):
    with pytest.raises(EntryError, match=r"(alternating|direct) volts") as refused:
        parse_entry(typed, Quantity.VOLTAGE, alternating=alternating)
    assert refused.value.would_do == f"Put the meter on V {'AC' if alternating else 'DC'}, and read again."
    assert parse_entry(typed, Quantity.VOLTAGE, alternating=not alternating).value == 2.1


@pytest.mark.parametrize("typed", ["5 kV", "5 VA", "5 bar", "1,234 5", "1 2", "1 23", "4.9.6", "5 V 3"])
def test_what_is_no_volts_stays_refused(typed):
    with pytest.raises(EntryError):
        parse_entry(typed, Quantity.VOLTAGE)


def test_what_was_taken_apart_says_how_it_was_read():
    assert parse_entry("4k7", Quantity.RESISTANCE).note == "“4k7” was read as 4700.0 Ω."
    assert parse_entry("12 500", Quantity.RESISTANCE).note == "“12 500” was read as 12500.0 Ω."


def _names(unit):
    return sorted({unit.code, unit.label, *unit.aliases})


_ALL_NAMES = [(unit, name) for unit in UNITS.values() for name in _names(unit) if name]
_CHANGES = (
    str.upper,
    str.lower,
    str.title,
    str.swapcase,
    lambda n: f" {n} ",
    lambda n: n.replace(" ", ""),
    lambda n: n + ".",
)


@given(st.sampled_from(_ALL_NAMES), st.lists(st.sampled_from(_CHANGES), max_size=3))
def test_no_way_to_write_a_unit_is_taken_for_a_larger_or_smaller_one(named, changes):
    unit, name = named
    for change in changes:
        name = change(name)
    found = units_named(name, unit.quantity)
    own_name_of = {u.code for u in UNITS.values() if u.quantity is unit.quantity and name.strip(" .") in _names(u)}
    assert len(found) != 1 or found[0] is unit or found[0].code in own_name_of


@pytest.mark.parametrize(("unit", "name"), _ALL_NAMES, ids=lambda x: x if isinstance(x, str) else x.code)
def test_every_name_of_the_table_is_its_unit(unit, name):
    assert units_named(name, unit.quantity) == (unit,)


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [
        ("10", "A", 10), ("10A", "A", 10), ("10 amps", "A", 10), ("500 mA", "A", 0.5),
        ("350 mA", "mA", 350), ("0.35 A", "mA", 350),
        ("4k7", "ohm", 4700), ("100k", "ohm", 100_000), ("2.2 kΩ", "ohm", 2200), ("12 m", "m", 12), ("40 ft", "m", 12.192),
        ("1.5 mm²", "mm2", 1.5), ("1,5", "mm2", 1.5), ("1.5 sq mm", "mm2", 1.5),
        ("90 min", "minutes", 90), ("1.5 h", "minutes", 90),
        ("10 %", "percent", 10), ("176 °F", "degC", 80), ("80 °C", "degC", 80), ("0.8 mm", "mm", 0.8), ("12 V", "V", 12),
        ("60 s", "s", 60), ("100 miles", "km", 160.9344), ("1 000", "m", 1000), ("3.3", "", 3.3),
    ],
)  # fmt: skip
def test_a_number_may_have_its_labels_unit_behind_it_or_another_of_its_kind(typed, unit, value):
    found = parse_number_in(typed, field="x", unit=unit, limits=Limits(-1e6, 1e6), what="it")
    assert found == pytest.approx(value, rel=1e-9)


@pytest.mark.parametrize(
    ("typed", "unit", "says"),
    [
        ("5 bar", "V", "“bar” is not a unit that fits here"),
        ("5 A", "mm2", "not a plain number"), ("5 V", "", "not a plain number"),
        ("900 A", "A", "possible is 0 A to 100 A. Type the fuse."), ("2 h", "minutes", "outside what is possible"),
        ("OL", "ohm", "not a plain number"), ("", "A", "Nothing was typed"), ("9" * 60 + " A", "A", "not a plain number"),
    ],
)  # fmt: skip
def test_a_number_with_another_unit_or_out_of_reach_is_refused(typed, unit, says):
    with pytest.raises(EntryError, match=says):
        parse_number_in(typed, field="x", unit=unit, limits=Limits(0, 100), what="the fuse")


@given(st.sampled_from(sorted(UNITS)), st.floats(0.5, 99.5).map(lambda v: round(v, 4)))
def test_a_labels_own_unit_behind_a_number_changes_nothing(unit, value):
    limits = Limits(0, 100)
    bare = parse_number_in(f"{value}", field="x", unit=unit, limits=limits, what="it")
    assert parse_number_in(
        f"{value} {UNITS[unit].label}", field="x", unit=unit, limits=limits, what="it"
    ) == pytest.approx(bare, rel=1e-11)


@pytest.mark.parametrize("quantity", Quantity)
def test_every_quantity_can_be_typed_and_its_refusal_gives_an_example_that_can(quantity):
    assert parse_entry("5", quantity).value == 5
    with pytest.raises(EntryError) as refused:
        parse_entry("x", quantity)
    examples = refused.value.would_do.removesuffix(".").partition("such as ")[2].replace(" or ", ", ").split(", ")
    assert all(parse_entry(e, quantity, over_range=True) for e in examples if e)
