"""What a person types for a measured value, turned into a number in a fixed unit.

Accepts a point or a comma as the decimal mark, a unit typed with or without a space, an ohmmeter's over-range word. It
refuses, with a sentence that says what would do, whatever has two meanings or none; it never bends a value into range.
"""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass

from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.unit_names import ALTERNATING, DIRECT, plain_name, units_named
from irongauge.core.measure.units import (
    FIXED_UNIT,
    UNITS,
    PressureBase,
    Quantity,
    Unit,
    from_fixed,
    show,
    to_fixed,
    unit_for,
    units_of,
)
from irongauge.errors import EntryError, quoted

__all__ = [
    "LONGEST_ENTRY",
    "NOT_SHOWN",
    "NO_DATA",
    "OVER_RANGE",
    "VOLTAGE_PRESENT",
    "Entry",
    "Sensed",
    "check_possible",
    "parse_entry",
    "parse_number_in",
    "parse_plain_number",
    "parse_ratio",
    "parse_sensed",
    "split_pressure_base",
]

OVER_RANGE = "OL"
NO_DATA = "no data"  # live data shows nothing although this reader shows the channel: the controller is silent
NOT_SHOWN = "not shown"  # this reader never shows it, which says nothing of the circuit
VOLTAGE_PRESENT = "voltage present"  # what an ohmmeter says on a wire that is fed
LONGEST_ENTRY = 40  # longer is no number with a unit
_ABSOLUTE_ZERO_DEGC = -273.15
_DEEPEST_GAUGE_KPA = -110.0  # an atmosphere below its zero, with room for the weather

_NO_DATA_TEXT = re.compile(r"no\s*(data|contact|connection)", re.IGNORECASE)
_NOT_SHOWN_TEXT = re.compile(r"(it )?(is )?not\s*(shown|there|available|supported)", re.IGNORECASE)
_EMPTY_TEXT = re.compile(r"(none|nothing|empty|blank|n\.?/?a\.?|-+)", re.IGNORECASE)
_VOLTAGE_TEXT = re.compile(r"(volts?|voltage|live)(\s+present)?", re.IGNORECASE)
_OVER_RANGE_TEXT = re.compile(r"([o0]\.?l\.?|over\s*-?\s*(load|range)|∞|open)", re.IGNORECASE)
# 4.96 V | -12mV | 4,963 | 1.2e3 ohm | .5 k
_NUMBER = re.compile(r"(?P<number>[+-]?(\d+([.,]\d*)?|[.,]\d+)(e[+-]?\d+)?)\s*(?P<unit>[^\d.,].*)?", re.IGNORECASE)
_OF_TWO = re.compile(r"(?P<driven>\d+([.,]\d+)?)\s*[:/]\s*(?P<driving>\d+([.,]\d+)?)")
_RATIOS = Limits(0.1, 100.0)  # of any vehicle's axle
# 4k7 | 4R7 | 2M2: the letter stands where the point would (IEC 60062)
_LETTER_FOR_POINT = re.compile(r"(?P<whole>[+-]?\d+)(?P<letter>[RrKkM])(?P<part>\d+)\s*(?:Ω|ohms?)?")
# 1 234 | 12'500.5 | 1,234.5 | 1.234,5 | 1,234,567: groups of three behind a mark that cannot be the decimal one
_GROUPED = re.compile(
    r"(?P<whole>[+-]?[1-9]\d{0,2}(?:(?P<mark>[ '’.,])\d{3}(?:(?P=mark)\d{3})*))(?P<part>(?!(?P=mark))[.,]\d+)?(?![\d.,])"
)
_THREE_AFTER_COMMA = re.compile(r"[+-]?[1-9]\d{0,2},\d{3}")
_BASE = re.compile(r"(?P<rest>.*\S)\s+\(?(?P<base>g|a|(?i:gauge|gage|abs|absolute|vac|vacuum))\)?")
# Without a space: psig, BARA, kPa(g), bar(abs)
_BASE_AT_UNIT = re.compile(r"(?P<rest>.*(psi|bar|kpa|mpa|hpa))\s*\(?(?P<base>g|a|gauge|abs)\)?", re.IGNORECASE)
_BARE_DEGREES = frozenset({"o", "deg"})
# Units of labels that are none of the table's: what may stand behind the number, and what one of it is worth.
_SIZES: Mapping[str, Mapping[str, float]] = {
    "mm2": dict.fromkeys(("mm2", "sqmm", "qmm"), 1.0),
    "minutes": dict.fromkeys(("min", "mins", "minute", "minutes"), 1.0)
    | dict.fromkeys(("h", "hr", "hrs", "hour", "hours"), 60.0),
    "km": {"km": 1.0, "mi": 1.609344, "mile": 1.609344, "miles": 1.609344},
}
_KINDS = {
    Quantity.VOLTAGE: ("volts", "4.96, 4.96 V or 12mV"),
    Quantity.RESISTANCE: ("ohms", "320, 1.2k or OL"),
    Quantity.PRESSURE: ("a pressure", "4.6 bar, 460 kPa or 67 psi"),
    Quantity.TEMPERATURE: ("a temperature", "80 or 176 °F"),
    Quantity.LENGTH: ("a length", "25 mm or 1 in"),
    Quantity.ANGLE: ("an angle", "45"),
    Quantity.SHARE: ("a percentage", "50"),
    Quantity.FREQUENCY: ("a frequency", "62 or 62 Hz"),
    Quantity.DURATION: ("a time", "2.7 or 2.7 ms"),
    Quantity.CURRENT: ("a current", "12.4 mA or 0.4 A"),
    Quantity.LAMBDA: ("a lambda or an air–fuel ratio", "0.98 or 14.4 AFR"),
    Quantity.NUMBER: ("a number", "120"),
}


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A typed value in the fixed unit of its quantity, or the over-range word. `note` says how it was read, if at all
    surprising; `step` is what the last digit that was typed is worth.
    """

    value: float | None
    word: str | None
    unit: str
    typed: str
    note: str = ""
    step: float = 0.0


@dataclass(frozen=True)
class Sensed:
    """A typed value of what a sensor senses, in its fixed unit, and the pressure base that was typed with it, if one was.

    `note` and `step` are those of an `Entry`.
    """

    value: float
    said: PressureBase | None
    note: str
    step: float


def parse_entry(
    typed: str,
    quantity: Quantity,
    *,
    field: str = "value",
    unit: str | None = None,
    limits: Limits | None = None,
    over_range: bool = False,
    on_screen: bool = False,
    alternating: bool = False,
    impossible: str = "",
) -> Entry:
    """Read what was typed in a field of one quantity.

    `unit` is the code of the unit that a bare number is in (the fixed unit unless given); `limits` in the fixed unit
    is what is physically possible, with `impossible` the sentence on what to check when a value is not; `over_range`
    allows `OL` and `voltage present`, `on_screen` allows `no data` and `not shown`; `alternating` volts may say that they are,
    others that they are not. Raises `EntryError` with the typed text otherwise.
    """
    kind, example = _KINDS[quantity]
    would_do = f"Type {kind}, such as {example}."
    fixed = FIXED_UNIT[quantity]
    text = _as_typed(typed)
    if not text:
        raise EntryError(field, typed, "Nothing was typed.", would_do)
    if len(text) > LONGEST_ENTRY:
        problem = f"That is {len(text)} characters; a reading has at most {LONGEST_ENTRY}."
        raise EntryError(field, typed, problem, would_do)
    if on_screen:
        word = _screen_word(text, field, typed)
        if word is not None:
            return Entry(value=None, word=word, unit=fixed, typed=typed)
    if over_range and _VOLTAGE_TEXT.fullmatch(text):
        return Entry(value=None, word=VOLTAGE_PRESENT, unit=fixed, typed=typed)
    if _OVER_RANGE_TEXT.fullmatch(text):
        if over_range:
            return Entry(value=None, word=OVER_RANGE, unit=fixed, typed=typed)
        problem = f"{quoted(typed)} means that the meter was over its range, so there is no number to record."
        raise EntryError(field, typed, problem, "Choose a higher range or automatic, check the leads, and read again.")
    ungrouped = _ungrouped(text, is_ohms=quantity is Quantity.RESISTANCE)
    match = _NUMBER.fullmatch(ungrouped)
    if match is None:
        raise EntryError(field, typed, f"{quoted(typed)} is not a number.", would_do)
    named = None if match["unit"] is None else _without_current(match["unit"].strip(), field, typed, alternating)
    chosen = _named_unit(named, quantity, field, typed, would_do) or unit_for(unit or fixed)
    value = _to_number(match["number"], chosen, field, typed, limits)
    if limits is not None and value not in limits:
        read, low, high = (show(v, chosen.code, 3, trim=True) for v in (value, limits.low, limits.high))
        problem = f"{quoted(typed)} is {read}, which cannot be right here: possible is {low} to {high}."
        raise EntryError(field, typed, problem, impossible or "Look at the meter again.")
    note = f"“{typed.strip()}” was read as {show(value, fixed)}." if "," in text or ungrouped != text else ""
    return Entry(value=value, word=None, unit=fixed, typed=typed, note=note, step=_last_digit(match["number"], chosen))


def _as_typed(typed: str) -> str:
    """What was typed with the signs of one kind of keyboard, without blanks around it."""
    return unicodedata.normalize("NFKC", typed).replace("−", "-").strip()


def _ungrouped(text: str, *, is_ohms: bool = False) -> str:
    """A number whose thousands are set apart, without what sets them apart; one that may be read in two ways stays as it is.

    Ohms as they stand on a part, `4k7`, are given as `4.7 k`.
    """
    lettered = _LETTER_FOR_POINT.fullmatch(text) if is_ohms else None
    if lettered is not None:
        return f"{lettered['whole']}.{lettered['part']} {lettered['letter']}"
    match = _GROUPED.match(text)
    if match is None:
        return text
    whole, mark, part = match["whole"], match["mark"], match["part"]
    if mark in ".," and part is None and whole.count(mark) == 1:
        return text
    return whole.replace(mark, "") + (part or "").replace(",", ".") + text[match.end() :]


def _without_current(unit: str, field: str, typed: str, alternating: bool) -> str:  # noqa: FBT001  passed on
    """Volts without the kind of current behind them; refused where the meter stood on the other kind."""
    plain = plain_name(unit)
    if plain in (DIRECT if alternating else ALTERNATING):
        kinds = ("direct", "alternating") if alternating else ("alternating", "direct")
        problem = f"{quoted(typed)} is {kinds[0]} volts, and this asks for {kinds[1]} ones."
        raise EntryError(field, typed, problem, f"Put the meter on V {'AC' if alternating else 'DC'}, and read again.")
    if plain in ALTERNATING:
        return "mV" if plain.startswith("m") else "V"
    return unit


def _screen_word(text: str, field: str, typed: str) -> str | None:
    """What is typed where live data shows no number: the two reasons for that are worlds apart, so neither is assumed."""
    if _NO_DATA_TEXT.fullmatch(text):
        return NO_DATA
    if _NOT_SHOWN_TEXT.fullmatch(text):
        return NOT_SHOWN
    if _EMPTY_TEXT.fullmatch(text):
        problem = f"{quoted(typed)} can mean two things."
        would_do = (
            f"Type “{NO_DATA}” where the reader should show this and shows nothing now, "
            f"or “{NOT_SHOWN}” where your reader never shows it."
        )
        raise EntryError(field, typed, problem, would_do)
    return None


def split_pressure_base(typed: str) -> tuple[str, PressureBase | None]:
    """A typed pressure without the base that was written behind it, and that base: `0.8 bar gauge`, `180 kPa abs`, `20 inHg vac`.

    >>> split_pressure_base("0.8 bar gauge")
    ('0.8 bar', <PressureBase.GAUGE: 'gauge'>)
    """
    match = _BASE.fullmatch(typed.strip()) or _BASE_AT_UNIT.fullmatch(typed.strip())
    if match is None:
        return typed, None
    base = match["base"].casefold()
    if base.startswith("vac"):  # how far below the atmosphere, said without a sign
        rest = match["rest"].strip()
        return rest if rest[:1] in "-−" else f"-{rest.lstrip('+')}", PressureBase.GAUGE
    return match["rest"], PressureBase.ABSOLUTE if base.startswith("a") else PressureBase.GAUGE


def parse_sensed(
    typed: str,
    quantity: Quantity,
    *,
    field: str,
    unit: str,
    base: PressureBase | None = None,
    limits: Limits | None = None,
    impossible: str = "",
) -> Sensed:
    """Read a value of what a sensor senses; a pressure may say behind it whether it is gauge or absolute, else it is on `base`.

    `limits` are as for `parse_entry`, but that a pressure's low end is vacuum, whatever they say.
    """
    bare, said = split_pressure_base(typed) if quantity is Quantity.PRESSURE else (typed, None)
    if limits is not None and quantity is Quantity.PRESSURE:
        limits = Limits(_DEEPEST_GAUGE_KPA if (said or base) is PressureBase.GAUGE else 0.0, limits.high)
    entry = parse_entry(bare, quantity, field=field, unit=unit, limits=limits, impossible=impossible)
    assert entry.value is not None  # no over-range word is allowed here
    check_possible(entry.value, quantity, said or base, field=field, typed=typed)
    return Sensed(entry.value, said, entry.note, entry.step)


def check_possible(value: float, quantity: Quantity, base: PressureBase | None, *, field: str, typed: str) -> None:
    """Refuse what physics does not have, in its fixed unit: less than absolute zero, than a vacuum, than no air."""
    if quantity is Quantity.TEMPERATURE and value < _ABSOLUTE_ZERO_DEGC:
        problem = f"{quoted(typed)} is colder than anything can be (−273.15 °C)."
        raise EntryError(field, typed, problem, "Check the sign and the unit.")
    if quantity is Quantity.LAMBDA and value < 0:
        problem = f"{quoted(typed)} is less air than none."
        raise EntryError(field, typed, problem, "Check the sign and the unit.")
    if quantity is not Quantity.PRESSURE or base is None:
        return
    if base is PressureBase.ABSOLUTE and value < 0:
        problem = f"{quoted(typed)} is below 0 absolute, and nothing is emptier than a vacuum."
        raise EntryError(field, typed, problem, "Type “gauge” behind it, or check the sign.")
    if base is PressureBase.GAUGE and value < _DEEPEST_GAUGE_KPA:
        problem = (
            f"{quoted(typed)} is more than an atmosphere below the atmosphere, and nothing is emptier than a vacuum."
        )
        raise EntryError(field, typed, problem, "Check the unit and the sign.")


def parse_plain_number(typed: str, *, field: str, limits: Limits, what: str) -> float:
    """Read a number without a unit, such as a height or a percentage whose unit stands in the label."""
    text = _as_typed(typed)
    would_do = f"Type {what}: a number from {limits.low:.10g} to {limits.high:.10g}."
    if not text:
        raise EntryError(field, typed, "Nothing was typed.", would_do)
    match = _NUMBER.fullmatch(_ungrouped(text))
    if len(text) > LONGEST_ENTRY or match is None or match["unit"]:
        raise EntryError(field, typed, f"{quoted(typed)} is not a plain number.", would_do)
    value = float(match["number"].replace(",", "."))
    thousands = float(match["number"].replace(",", "")) if _THREE_AFTER_COMMA.fullmatch(match["number"]) else value
    if value != thousands and value in limits and thousands in limits:
        raise _which(match["number"], field, typed)
    value = value if value in limits else thousands
    if not math.isfinite(value) or value not in limits:
        raise EntryError(field, typed, f"{quoted(typed)} is outside what is possible.", would_do)
    return value


def parse_number_in(typed: str, *, field: str, unit: str, limits: Limits, what: str) -> float:
    """Read a number whose unit stands in the label, and may stand behind the number too: `10 A`, `4k7`, `40 ft`, `1.5 mm²`.

    `unit` is a code of the table of units, or `mm2`, `minutes` or `km`; `limits` are in it, and so is what is given back.
    """
    match = _NUMBER.fullmatch(_ungrouped(_as_typed(typed)))
    behind = None if match is None else match["unit"]
    if match is None or behind is None:
        return parse_plain_number(typed, field=field, limits=limits, what=what)
    scale = _SIZES.get(unit, {}).get(plain_name(behind))
    if scale is not None:
        within = Limits(limits.low / scale, limits.high / scale)
        return parse_plain_number(match["number"], field=field, limits=within, what=what) * scale
    if unit not in UNITS or len(typed) > LONGEST_ENTRY:
        return parse_plain_number(typed, field=field, limits=limits, what=what)
    fixed = Limits(to_fixed(limits.low, unit), to_fixed(limits.high, unit))
    more = f"Type {what}."
    value = parse_entry(typed, unit_for(unit).quantity, field=field, unit=unit, limits=fixed, impossible=more).value
    assert value is not None  # no over-range word is allowed here
    return float(f"{from_fixed(value, unit):.12g}")  # there and back leaves a trace in the last digits


def parse_ratio(typed: str, *, field: str) -> float:
    """Read a gear's ratio, as a number or as the teeth of its two wheels: `3.73`, `41:11`, `3.73:1`."""
    match = _OF_TWO.fullmatch(typed.strip())
    if match is not None and float(match["driving"].replace(",", ".")) > 0:
        value = float(match["driven"].replace(",", ".")) / float(match["driving"].replace(",", "."))
        if value in _RATIOS:
            return value
    return parse_plain_number(typed, field=field, limits=_RATIOS, what="a ratio, such as 3.73 or 41:11")


def _named_unit(typed_unit: str | None, quantity: Quantity, field: str, typed: str, would_do: str) -> Unit | None:
    if typed_unit is None:
        return None
    name = typed_unit.strip()
    if quantity is Quantity.TEMPERATURE and plain_name(name) in _BARE_DEGREES:
        return None
    # "MV" would be a million volts; a slip of the shift key on the first letter is read as what a meter can show.
    found = units_named(name, quantity)
    if len(found) == 1:
        return found[0]
    if found:
        number = typed.strip()[: -len(name)].strip()
        problem = f"{quoted(typed)} could be {' or '.join(f'{number} {u.label}' for u in found)}."
        raise EntryError(field, typed, problem, f"Type the unit as {' or '.join(u.label for u in found)}.")
    names = ", ".join(u.label for u in units_of(quantity))
    raise EntryError(field, typed, f"{quoted(name)} is not a unit that fits here ({names}).", would_do)


def _which(number: str, field: str, typed: str) -> EntryError:
    """The question that a comma before three digits asks."""
    problem = f"{quoted(typed)} could be {number.replace(',', '.')} or {number.replace(',', '')}."
    return EntryError(field, typed, problem, "Type it with a point, or without the comma.")


def _last_digit(number: str, unit: Unit) -> float:
    mantissa, _, exponent = number.replace(",", ".").lower().partition("e")
    step = 10.0 ** (int(exponent or 0) - len(mantissa.partition(".")[2]))
    return abs(to_fixed(step, unit.code) - to_fixed(0.0, unit.code))


def _to_number(number: str, unit: Unit, field: str, typed: str, limits: Limits | None) -> float:
    value = to_fixed(float(number.replace(",", ".")), unit.code)
    if _THREE_AFTER_COMMA.fullmatch(number):
        thousands = to_fixed(float(number.replace(",", "")), unit.code)
        if limits is None or (thousands in limits and value in limits):
            raise _which(number, field, typed)
    if not math.isfinite(value):
        problem = f"{quoted(typed)} is larger than any reading can be."
        raise EntryError(field, typed, problem, f"Type what the meter shows in {unit.label}.")
    return value
