"""Units at the edges: one fixed unit per quantity inside, and the shop's choice outside.

Leaves out parsing of what is typed (see `entry`). The one idea: every unit in use is affine in the fixed unit, so Pint
is asked once for the two coefficients and after that a conversion is a multiplication and an addition.

Air–fuel ratios are lambda times the stoichiometric ratio of the fuel: petrol 14.7, as displays count it; diesel 14.5, propane
15.7, methane 17.2 and ethanol 9.0 by Heywood, Internal Combustion Engine Fundamentals (1988), table D.4; E85 by volume.

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
    "show_ohms",
    "show_pct",
    "show_split",
    "show_volts",
    "standard_atmosphere_kpa",
    "to_fixed",
    "unit_for",
    "units_of",
    "units_understood",
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
    CURRENT = "current"
    LAMBDA = "lambda"
    NUMBER = "number"

    @property
    def words(self) -> str:
        """As it is offered where a person chooses what is measured."""
        more = {Quantity.LAMBDA: "lambda, air–fuel ratio", Quantity.NUMBER: "a plain number"}
        return more.get(self, str(self))


class PressureBase(StrEnum):
    """What a pressure is measured from: today's atmosphere, or vacuum."""

    GAUGE = "gauge"
    ABSOLUTE = "absolute"


@dataclass(frozen=True, kw_only=True)
class Unit:
    """A unit a person may type or read: `code` in data, `label` on a page, `pint` for the conversion.

    One that is not `offered` is understood where it is typed, and chosen nowhere.
    """

    code: str
    label: str
    quantity: Quantity
    pint: str
    decimals: int
    aliases: tuple[str, ...] = ()
    offered: bool = True


def _typed(code: str, label: str, quantity: Quantity, pint: str, decimals: int, *aliases: str) -> Unit:
    """A unit that is understood where it is typed, and chosen nowhere."""
    return Unit(code=code, label=label, quantity=quantity, pint=pint, decimals=decimals, aliases=aliases, offered=False)


# What a display calls AFR is lambda times the ratio of its fuel; one that says no fuel means petrol's.
_FUELS: tuple[tuple[str, str, float, tuple[str, ...]], ...] = (
    ("afr_petrol", "AFR petrol", 14.7, ("AFR", "AFR gasoline", "AFR benzin", "air-fuel ratio", "A/F", ":1")),
    ("afr_diesel", "AFR diesel", 14.5, ()),
    ("afr_e85", "AFR E85", 9.8, ()),
    ("afr_lpg", "AFR LPG", 15.7, ("AFR propane", "AFR autogas")),
    ("afr_gas", "AFR natural gas", 17.2, ("AFR CNG", "AFR methane")),
)


def _mixture(code: str, label: str, _stoichiometric: float, aliases: tuple[str, ...]) -> Unit:
    return Unit(code=code, label=label, quantity=Quantity.LAMBDA, pint=code, decimals=2, aliases=aliases)


_ALL_BUT = 0.995  # from here on a probability is called more than 99 %
# The first of each quantity is its fixed unit. Aliases are what people type; they are compared exactly first, then
# without regard to case where that leaves one meaning.
_TABLE = (
    Unit(
        code="V",
        label="V",
        quantity=Quantity.VOLTAGE,
        pint="volt",
        decimals=3,
        aliases=("volt", "volts", "V DC", "V=", "DC V"),
    ),
    Unit(
        code="mV",
        label="mV",
        quantity=Quantity.VOLTAGE,
        pint="millivolt",
        decimals=1,
        aliases=("millivolt", "millivolts", "mV DC"),
    ),
    _typed("uV", "µV", Quantity.VOLTAGE, "microvolt", 1, "microvolts"),
    Unit(code="ohm", label="Ω", quantity=Quantity.RESISTANCE, pint="ohm", decimals=1, aliases=("ohms", "R")),
    Unit(
        code="kohm",
        label="kΩ",
        quantity=Quantity.RESISTANCE,
        pint="kiloohm",
        decimals=3,
        aliases=("k", "kohms", "kilohm", "kilohms", "kiloohm", "kiloohms"),
    ),
    Unit(
        code="Mohm",
        label="MΩ",
        quantity=Quantity.RESISTANCE,
        pint="megaohm",
        decimals=3,
        aliases=("M", "Mohms", "meg", "megohm", "megohms", "megaohm", "megaohms"),
    ),
    _typed("mohm", "mΩ", Quantity.RESISTANCE, "milliohm", 1, "mohms", "milliohm", "milliohms"),
    Unit(code="kPa", label="kPa", quantity=Quantity.PRESSURE, pint="kilopascal", decimals=1, aliases=("kilopascals",)),
    Unit(code="bar", label="bar", quantity=Quantity.PRESSURE, pint="bar", decimals=3, aliases=("bars",)),
    Unit(
        code="psi",
        label="psi",
        quantity=Quantity.PRESSURE,
        pint="psi",
        decimals=2,
        aliases=("lb/in2", "lbf/in2", "lbs/in2"),
    ),
    Unit(
        code="inHg", label="inHg", quantity=Quantity.PRESSURE, pint="inch_Hg", decimals=2, aliases=('"Hg', "inches Hg")
    ),
    Unit(code="mbar", label="mbar", quantity=Quantity.PRESSURE, pint="millibar", decimals=1, aliases=("hPa",)),
    _typed("MPa", "MPa", Quantity.PRESSURE, "megapascal", 4),
    _typed("Pa", "Pa", Quantity.PRESSURE, "pascal", 0),
    _typed("mmHg", "mmHg", Quantity.PRESSURE, "millimeter_Hg", 1, "Torr"),  # apart by less than a millionth
    _typed("inH2O", "inH2O", Quantity.PRESSURE, "inch_H2O_60F", 2, '"H2O', "inWC"),
    _typed("kgcm2", "kg/cm²", Quantity.PRESSURE, "technical_atmosphere", 3, "kg/cm2", "kgf/cm2", "kgf/cm²", "at"),
    _typed("atm", "atm", Quantity.PRESSURE, "standard_atmosphere", 3),
    Unit(
        code="degC",
        label="°C",
        quantity=Quantity.TEMPERATURE,
        pint="degC",
        decimals=1,
        aliases=("C", "celsius", "deg celsius", "oC", "grad C"),
    ),
    Unit(
        code="degF",
        label="°F",
        quantity=Quantity.TEMPERATURE,
        pint="degF",
        decimals=1,
        aliases=("F", "fahrenheit", "deg fahrenheit", "oF"),
    ),
    _typed("K", "K", Quantity.TEMPERATURE, "kelvin", 1, "kelvin"),
    Unit(code="m", label="m", quantity=Quantity.LENGTH, pint="meter", decimals=4),
    Unit(code="mm", label="mm", quantity=Quantity.LENGTH, pint="millimeter", decimals=1),
    _typed("cm", "cm", Quantity.LENGTH, "centimeter", 2),
    _typed("ft", "ft", Quantity.LENGTH, "foot", 3, "feet", "foot", "'"),
    Unit(code="in", label="in", quantity=Quantity.LENGTH, pint="inch", decimals=2, aliases=("inch", "inches", '"')),
    Unit(code="deg", label="°", quantity=Quantity.ANGLE, pint="degree", decimals=1, aliases=("degree", "degrees")),
    Unit(code="percent", label="%", quantity=Quantity.SHARE, pint="percent", decimals=1, aliases=("pct", "per cent")),
    Unit(code="Hz", label="Hz", quantity=Quantity.FREQUENCY, pint="hertz", decimals=2, aliases=("hertz",)),
    Unit(code="kHz", label="kHz", quantity=Quantity.FREQUENCY, pint="kilohertz", decimals=4, aliases=("kilohertz",)),
    Unit(code="ms", label="ms", quantity=Quantity.DURATION, pint="millisecond", decimals=3, aliases=("msec",)),
    Unit(code="us", label="µs", quantity=Quantity.DURATION, pint="microsecond", decimals=1, aliases=("usec",)),
    _typed("s", "s", Quantity.DURATION, "second", 4, "sec"),
    Unit(
        code="mA",
        label="mA",
        quantity=Quantity.CURRENT,
        pint="milliampere",
        decimals=2,
        aliases=("milliamp", "milliamps"),
    ),
    Unit(code="A", label="A", quantity=Quantity.CURRENT, pint="ampere", decimals=4, aliases=("amp", "amps")),
    _typed("uA", "µA", Quantity.CURRENT, "microampere", 1, "microamps"),
    Unit(code="lambda", label="λ", quantity=Quantity.LAMBDA, pint="lambda_ratio", decimals=3),
    *(_mixture(*fuel) for fuel in _FUELS),
    Unit(code="number", label="", quantity=Quantity.NUMBER, pint="dimensionless", decimals=3),
)
UNITS = {unit.code: unit for unit in _TABLE}
FIXED_UNIT = {quantity: next(u.code for u in _TABLE if u.quantity is quantity) for quantity in Quantity}


def unit_for(code: str) -> Unit:
    """The unit with that code; `KeyError` for a code outside the table, which is a fault of ours, not of a person."""
    return UNITS[code]


def units_of(quantity: Quantity) -> tuple[Unit, ...]:
    """The units of one quantity that are offered, the fixed one first."""
    return tuple(unit for unit in _TABLE if unit.quantity is quantity and unit.offered)


def units_understood(quantity: Quantity) -> tuple[Unit, ...]:
    """All units of one quantity that may be typed."""
    return tuple(unit for unit in _TABLE if unit.quantity is quantity)


@lru_cache(maxsize=1)
def _registry() -> UnitRegistry[float]:
    import pint

    registry: UnitRegistry[float] = pint.UnitRegistry(cache_folder=None)
    registry.define("lambda_ratio = [mixture]")
    for code, _, stoichiometric, _ in _FUELS:
        registry.define(f"{code} = lambda_ratio / {stoichiometric}")
    return registry


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
    return f"{number}{'' if unit.label in {'°', '%', ''} else ' '}{unit.label}"


def show_difference(amount: float, code: str, decimals: int | None = None) -> str:
    """A difference of two values, given in the fixed unit: the same as `show`, but for °F, whose zero lies elsewhere.

    >>> show_difference(10.0, "degF")
    '18.0 °F'
    """
    return show(amount + to_fixed(0.0, code), code, decimals)


def show_pct(percent: float) -> str:
    """A percentage with as many digits as it deserves, without a sign.

    >>> show_pct(0.0377), show_pct(-7.5), show_pct(99.7), show_pct(190.0)
    ('0.038 %', '7.5 %', '100 %', '190 %')
    """
    size = abs(percent)
    return f"{size:.0f} %" if size >= 99.5 else f"{size:.2g} %"  # noqa: PLR2004  from there two digits round to three


def show_split(gauge_kpa: float) -> str:
    """A pressure as displays show it that split their scale at zero: inches of mercury of vacuum below, psi above.

    >>> show_split(-33.86), show_split(68.9476)
    ('10.00 inHg vacuum', '10.00 psi')
    """
    return f"{show(-gauge_kpa, 'inHg')} vacuum" if gauge_kpa < 0 else show(gauge_kpa, "psi")


def show_ohms(ohm: float, *, trim: bool = False) -> str:
    """Ohms in the unit that a meter's range would have.

    >>> show_ohms(320.0, trim=True), show_ohms(4700.0), show_ohms(2.2e6)
    ('320 Ω', '4.700 kΩ', '2.200 MΩ')
    """
    unit = next((u for u, least in (("Mohm", 1e6), ("kohm", 1e3)) if abs(ohm) >= least), "ohm")
    return show(ohm, unit, trim=trim)


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
