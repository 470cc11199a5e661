"""Units at the edges: one fixed unit per quantity inside, and the shop's choice outside.

Leaves out parsing of what is typed (see `entry`). The one idea: every unit in use is affine in the fixed unit, so Pint
is asked once for the two coefficients and after that a conversion is a multiplication and an addition.

Pressures convert as differences of pressure; which base they stand on (gauge or absolute) belongs to the curve, and
changing it is `rebase` with today's atmosphere.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cache, lru_cache
from typing import TYPE_CHECKING

from irongauge.core.measure.interpolation import Number

if TYPE_CHECKING:
    from pint import UnitRegistry

__all__ = [
    "FIXED_UNIT",
    "UNITS",
    "PressureBase",
    "Quantity",
    "Unit",
    "from_fixed",
    "load_tables",
    "rebase",
    "show",
    "show_chance",
    "show_difference",
    "show_pct",
    "show_volts",
    "standard_atmosphere_kpa",
    "to_fixed",
    "unit_for",
    "units_of",
]


class Quantity(StrEnum):
    """What is measured. Each has one fixed unit inside (`FIXED_UNIT`)."""

    VOLTAGE = "voltage"
    RESISTANCE = "resistance"
    PRESSURE = "pressure"
    TEMPERATURE = "temperature"
    LENGTH = "length"
    ANGLE = "angle"
    SHARE = "share"
    FREQUENCY = "frequency"
    DURATION = "duration"


class PressureBase(StrEnum):
    """What a pressure is measured from: today's atmosphere, or vacuum."""

    GAUGE = "gauge"
    ABSOLUTE = "absolute"


@dataclass(frozen=True)
class Unit:
    """A unit a person may type or read: `code` in data, `label` on a page, `pint` for the conversion."""

    code: str
    label: str
    quantity: Quantity
    pint: str
    decimals: int
    aliases: tuple[str, ...] = ()


_ALL_BUT = 0.995  # from here on a probability is called more than 99 %
# The first of each quantity is its fixed unit. Aliases are what people type; they are compared exactly first, then
# without regard to case where that leaves one meaning.
_TABLE = (
    Unit("V", "V", Quantity.VOLTAGE, "volt", 3, ("volt", "volts")),
    Unit("mV", "mV", Quantity.VOLTAGE, "millivolt", 1, ("millivolt", "millivolts")),
    Unit("ohm", "Ω", Quantity.RESISTANCE, "ohm", 1, ("Ω", "ohms", "R")),
    Unit("kohm", "kΩ", Quantity.RESISTANCE, "kiloohm", 3, ("kΩ", "k", "kohms")),
    Unit("Mohm", "MΩ", Quantity.RESISTANCE, "megaohm", 3, ("MΩ", "M")),
    Unit("kPa", "kPa", Quantity.PRESSURE, "kilopascal", 1),
    Unit("bar", "bar", Quantity.PRESSURE, "bar", 3, ("bars",)),
    Unit("psi", "psi", Quantity.PRESSURE, "psi", 2),
    Unit("inHg", "inHg", Quantity.PRESSURE, "inch_Hg", 2, ('"Hg',)),
    Unit("mbar", "mbar", Quantity.PRESSURE, "millibar", 1, ("hPa",)),
    Unit("degC", "°C", Quantity.TEMPERATURE, "degC", 1, ("°C", "C")),
    Unit("degF", "°F", Quantity.TEMPERATURE, "degF", 1, ("°F", "F")),
    Unit("m", "m", Quantity.LENGTH, "meter", 4),
    Unit("mm", "mm", Quantity.LENGTH, "millimeter", 1),
    Unit("in", "in", Quantity.LENGTH, "inch", 2, ("inch", "inches", '"')),
    Unit("deg", "°", Quantity.ANGLE, "degree", 1, ("°", "degree", "degrees")),
    Unit("percent", "%", Quantity.SHARE, "percent", 1, ("%",)),
    Unit("Hz", "Hz", Quantity.FREQUENCY, "hertz", 2, ("hertz",)),
    Unit("kHz", "kHz", Quantity.FREQUENCY, "kilohertz", 4),
    Unit("ms", "ms", Quantity.DURATION, "millisecond", 3),
    Unit("us", "µs", Quantity.DURATION, "microsecond", 1, ("µs", "μs")),
)
UNITS = {unit.code: unit for unit in _TABLE}
FIXED_UNIT = {quantity: next(u.code for u in _TABLE if u.quantity is quantity) for quantity in Quantity}


def unit_for(code: str) -> Unit:
    """The unit with that code; `KeyError` for a code outside the table, which is a fault of ours, not of a person."""
    return UNITS[code]


def units_of(quantity: Quantity) -> tuple[Unit, ...]:
    """All units of one quantity, the fixed one first."""
    return tuple(unit for unit in _TABLE if unit.quantity is quantity)


@lru_cache(maxsize=1)
def _registry() -> UnitRegistry[float]:
    import pint  # noqa: PLC0415  loading its tables takes a third of a second, and not every command converts

    return pint.UnitRegistry(cache_folder=None)


@cache
def _affine(code: str) -> tuple[float, float]:
    """Scale and offset such that `fixed = scale * value + offset`."""
    unit = UNITS[code]
    fixed = UNITS[FIXED_UNIT[unit.quantity]]
    if unit is fixed:
        return 1.0, 0.0
    quantity = _registry().Quantity
    at_0 = float(quantity(0.0, unit.pint).to(fixed.pint).magnitude)
    at_1 = float(quantity(1.0, unit.pint).to(fixed.pint).magnitude)
    return at_1 - at_0, at_0


def to_fixed(value: Number, code: str) -> Number:
    """A value in the named unit, in the fixed unit of its quantity.

    >>> round(to_fixed(14.6959, "psi"), 3)
    101.325
    """
    scale, offset = _affine(code)
    return value * scale + offset


def from_fixed(value: Number, code: str) -> Number:
    """A value in the fixed unit of its quantity, in the named unit: the inverse of `to_fixed`."""
    scale, offset = _affine(code)
    return (value - offset) / scale


def load_tables() -> None:
    """Have every unit's coefficients at hand, so that no page waits for them."""
    for unit in _TABLE:
        _affine(unit.code)


def show(value: float, code: str, decimals: int | None = None, *, trim: bool = False) -> str:
    """A value in its fixed unit as a person reads it: converted, rounded for display only, with its unit.

    `trim` leaves out zeros at the end, for values that were chosen rather than measured.

    >>> show(460.7, "bar")
    '4.607 bar'
    """
    unit = UNITS[code]
    number = f"{from_fixed(value, code):.{unit.decimals if decimals is None else decimals}f}"
    if trim and "." in number:
        number = number.rstrip("0").rstrip(".")
    number = number.replace("-", "−") if float(number) else number.lstrip("-")
    return f"{number}{'' if unit.label in {'°', '%'} else ' '}{unit.label}"


def show_difference(amount: float, code: str, decimals: int | None = None) -> str:
    """A difference of two values, given in the fixed unit: the same as `show`, but for °F, whose zero lies elsewhere.

    >>> show_difference(10.0, "degF")
    '18.0 °F'
    """
    return show(amount + to_fixed(0.0, code), code, decimals)


def show_pct(percent: float) -> str:
    """A percentage with as many digits as it deserves, without a sign.

    >>> show_pct(0.0377), show_pct(-7.5), show_pct(190.0)
    ('0.038 %', '7.5 %', '190 %')
    """
    size = abs(percent)
    return f"{size:.0f} %" if size >= 100 else f"{size:.2g} %"  # noqa: PLR2004


def show_volts(volts: float) -> str:
    """Volts as a meter would show them: millivolts near zero, else two decimals or three where the third is not 0.

    >>> show_volts(0.012), show_volts(4.963), show_volts(5.0)
    ('12 mV', '4.963 V', '5.00 V')
    """
    if abs(volts) < 0.2:  # noqa: PLR2004  below this a meter is on its millivolt range
        text, unit = f"{volts * 1000:.1f}".removesuffix(".0"), "mV"
    else:
        text = f"{volts:.3f}"
        text, unit = text.removesuffix("0"), "V"
    text = text.replace("-", "−") if float(text) else text.lstrip("-")
    return f"{text} {unit}"


def standard_atmosphere_kpa(height_m: float) -> float:
    """Atmospheric pressure at a height above sea level, in kPa, where no barometer is at hand.

    Source: ICAO standard atmosphere, troposphere, valid from −2 000 m to 11 000 m.

    >>> round(standard_atmosphere_kpa(1830), 3)
    81.188
    """
    return float(101.325 * (1.0 - 2.25577e-5 * height_m) ** 5.25588)


def rebase(value: Number, have: PressureBase | None, want: PressureBase | None, atmosphere_kpa: float) -> Number:
    """A pressure in kPa from one base on the other: absolute = gauge + atmosphere. Other quantities have no base."""
    if have is want or have is None or want is None:
        return value
    return value + atmosphere_kpa if want is PressureBase.ABSOLUTE else value - atmosphere_kpa


def show_chance(probability: float) -> str:
    """A probability in whole per cent; never all or nothing, which no reading can give."""
    if probability > _ALL_BUT:
        return "> 99 %"
    return "< 1 %" if probability < 1 - _ALL_BUT else f"{100 * probability:.0f} %"
