"""A log's channels: times and values, what each is of as far as rules need to know, and units as loggers write them.

Values stand in the fixed unit of their quantity; speeds in km/h and turns in rpm, which are no quantity of a sensor here. What a
channel is of (`Sense`) is guessed from its name, and corrected once for each vehicle.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.unit_names import heading_unit, units_named
from irongauge.core.measure.units import FIXED_UNIT, UNITS, PressureBase, Quantity, to_fixed

Times = NDArray[np.float64]
Values = NDArray[np.float32]

__all__ = ["Channel", "Log", "LogUnit", "Sense", "log_unit", "sense_of", "split_heading"]


class Sense(StrEnum):
    """What a channel is of."""

    ENGINE_SPEED = "engine speed"
    ROAD_SPEED = "road speed"
    LOAD = "load"
    COOLANT_TEMPERATURE = "coolant temperature"
    OIL_TEMPERATURE = "oil temperature"
    AIR_TEMPERATURE = "air temperature"
    OIL_PRESSURE = "oil pressure"
    FUEL_PRESSURE = "fuel pressure"
    COOLANT_PRESSURE = "coolant pressure"
    BOOST_PRESSURE = "boost pressure"
    CRANKCASE_PRESSURE = "crankcase pressure"
    BAROMETER = "barometer"
    BATTERY_VOLTS = "battery volts"
    REFERENCE_VOLTS = "reference volts"
    OTHER = "other"

    @property
    def quantity(self) -> Quantity | None:
        """The quantity that a channel of it has; None where it may have any, or none of ours."""
        if self in {Sense.ENGINE_SPEED, Sense.ROAD_SPEED, Sense.OTHER}:
            return None
        if self is Sense.LOAD:
            return Quantity.SHARE
        if self.endswith("volts"):
            return Quantity.VOLTAGE
        return Quantity.TEMPERATURE if self.endswith("temperature") else Quantity.PRESSURE


@dataclass(frozen=True, kw_only=True)
class LogUnit:
    """A unit as a heading has it: its label as shown, the quantity, and how a value becomes one in the fixed unit.

    Some displays split a scale at zero, inches of mercury below and psi above: `scale_below` is then that of values below.
    """

    label: str = ""
    quantity: Quantity | None = None
    scale: float = 1.0
    offset: float = 0.0
    base: PressureBase | None = None
    scale_below: float | None = None

    def fixed(self, value: float) -> float:
        """A value as written, in the fixed unit."""
        scale = self.scale if self.scale_below is None or value >= 0 else self.scale_below
        return value * scale + self.offset

    def written(self, value: float) -> float:
        """A value in the fixed unit, as it would be written."""
        scale = self.scale if self.scale_below is None or value >= 0 else self.scale_below
        return (value - self.offset) / scale


_TURNS = dict.fromkeys(
    ("rpm", "1/min", "min-1", "min^-1", "min⁻¹", "r/min", "rev/min", "u/min", "об/мин", "tr/min"), 1.0
)
_SPEEDS = dict.fromkeys(("km/h", "kmh", "kph", "kmph"), 1.0) | {"mph": 1.609344, "mi/h": 1.609344, "m/s": 3.6}
_SPEEDS |= dict.fromkeys(("kn", "kt", "kts", "knots"), 1.852)
_SPLIT = {"inhg/psi", "psi/inhg", "inhg-psi", "psi/vac", "vac/psi", '"hg/psi', 'psi/"hg', "inhg|psi"}
_GAUGE, _ABSOLUTE = (
    re.compile(r"(?:[ _]*g|[ _(]*gauge\)?|\(g\))$"),
    re.compile(r"(?:[ _]*a|[ _(]*abs(?:olute)?\)?|\(a\))$"),
)


def log_unit(text: str) -> LogUnit | None:
    """The unit that a heading names; None where it is none that is known here.

    >>> log_unit("PSIg").scale
    6.894757293168
    """
    asked_as = " ".join(_IN_WHOLE.sub(r"\1", text.strip()).split())
    asked = asked_as.casefold()
    if asked.replace(" ", "") in _SPLIT:
        psi, inches = to_fixed(1.0, "psi"), to_fixed(1.0, "inHg")
        return LogUnit(label="kPa", quantity=Quantity.PRESSURE, scale=psi, base=PressureBase.GAUGE, scale_below=inches)
    if asked in _TURNS:
        return LogUnit(label="rpm")
    if asked in _SPEEDS:
        return LogUnit(label="km/h", scale=_SPEEDS[asked])
    named = heading_unit(asked_as)
    if named is not None:
        return _of_table(named.code)
    for pattern, base in ((_GAUGE, PressureBase.GAUGE), (_ABSOLUTE, PressureBase.ABSOLUTE)):
        rest = pattern.sub("", asked)
        bare = units_named(rest, Quantity.PRESSURE) if rest != asked else ()
        if len(bare) == 1:
            return replace(_of_table(bare[0].code), base=base)
    return None


def _of_table(code: str) -> LogUnit:
    zero = to_fixed(0.0, code)
    quantity = UNITS[code].quantity
    scale = round(to_fixed(1.0, code) - zero, 12)
    return LogUnit(label=UNITS[FIXED_UNIT[quantity]].label, quantity=quantity, scale=scale, offset=zero)


_IN_WHOLE = re.compile(r"\A[\[(](.*)[\])]\Z", re.DOTALL)
_IN_BRACKETS = re.compile(r"\s*[\[(]\s*([^\])]*?)\s*[\])]\s*$")
_BEHIND = re.compile(r"[\s_,:.-]+([A-Za-z°º%µΩ/0-9⁻^-]+)$")


def split_heading(heading: str) -> tuple[str, str]:
    """A heading's name and its unit as written, empty where it has none: `Oil P [bar]`, `RPM`, `Coolant temp (°C)`, `MAP_kPa`.

    >>> split_heading("MAP_kPa")
    ('MAP', 'kPa')
    """
    heading = heading.strip().strip('"')
    found = _IN_BRACKETS.search(heading)
    if found is not None and heading[: found.start()].strip():
        return heading[: found.start()].strip(), found[1]
    behind = _BEHIND.search(heading)
    if behind is not None and len(behind[1]) > 1 and log_unit(behind[1]) is not None:
        name = heading[: behind.start()].strip(" _,:.-")
        if name:
            return name, behind[1]
    return heading, ""


# What each sense is called, the most telling first; each word of a tuple must stand in the name.
_NAMES: tuple[tuple[Sense, tuple[str, ...]], ...] = (
    (Sense.ENGINE_SPEED, ("rpm", "engine speed", "engine rpm", "motordrehzahl", "drehzahl", "n engine", "eng speed")),
    (Sense.OIL_TEMPERATURE, ("oil temp", "eot", "t oil", "öl temp")),
    (Sense.COOLANT_TEMPERATURE, ("coolant temp", "ect", "clt", "water temp", "engine temp", "kühlmittel temp", "t coolant")),
    (Sense.AIR_TEMPERATURE, ("iat", "air temp", "intake temp", "act", "mat", "charge temp", "t air")),
    (Sense.OIL_PRESSURE, ("oil press", "oil p", "p oil", "eop", "öldruck", "oilp")),
    (Sense.FUEL_PRESSURE, ("fuel press", "rail press", "fuel p", "p fuel", "fuel rail", "frp")),
    (Sense.COOLANT_PRESSURE, ("coolant press", "water press", "p coolant", "coolant p")),
    (Sense.CRANKCASE_PRESSURE, ("crankcase", "blow by", "blowby", "ccp")),
    (Sense.BAROMETER, ("baro", "barometer", "ambient press", "atmospheric")),
    (Sense.BOOST_PRESSURE, ("boost", "manifold press", "map", "charge press", "intake press", "p manifold", "inlet press")),
    (Sense.REFERENCE_VOLTS, ("reference", "5v", "vref", "sensor supply")),
    (Sense.BATTERY_VOLTS, ("battery", "batt", "vbat", "vbatt", "system volt", "supply volt", "ubat", "alternator volt", "volts")),
    (Sense.ROAD_SPEED, ("road speed", "vehicle speed", "wheel speed", "vss", "speed", "velocity")),
    (Sense.LOAD, ("load", "throttle", "tps", "pedal", "torque", "accelerator", "app")),
)  # fmt: skip


def sense_of(name: str, unit: LogUnit | None) -> Sense:
    """What a channel is of, guessed from its name; `OTHER` where nothing tells, or its unit says otherwise."""
    plain = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    words = re.findall(r"[\w]+", plain.replace("_", " ").casefold())
    for sense, names in _NAMES:
        if any(_is_named(words, asked.split()) for asked in names) and _fits(sense, unit):
            return sense
    return Sense.ENGINE_SPEED if unit is not None and unit.label == "rpm" and len(words) == 1 else Sense.OTHER


def _is_named(words: list[str], asked: list[str]) -> bool:
    """True where every asked word begins a word of the name; short ones must be the whole word."""
    return all(any(word == part or (len(part) > 3 and word.startswith(part)) for word in words) for part in asked)  # noqa: PLR2004


def _fits(sense: Sense, unit: LogUnit | None) -> bool:
    if unit is None:
        return True
    if sense is Sense.ENGINE_SPEED:
        return unit.label == "rpm"
    if sense is Sense.ROAD_SPEED:
        return unit.label == "km/h"
    return unit.quantity is sense.quantity


@dataclass(frozen=True, kw_only=True, eq=False)
class Channel:
    """One channel: times in s from the log's start, rising, and values of the same shape (n,), not a number where there is none.

    `span` are the least and greatest value that its sensor can give, where that is known; `shares` names what it is fed from, the
    same for all that hang on it.
    """

    name: str
    unit: str
    quantity: Quantity | None
    sense: Sense
    time_s: Times
    value: Values
    span: tuple[float, float] | None = None
    base: PressureBase | None = None
    shares: str = ""

    def __post_init__(self) -> None:
        if self.time_s.shape != self.value.shape or self.time_s.ndim != 1:
            msg = f"{self.name}: as many values as times"
            raise ValueError(msg)


@dataclass(frozen=True, eq=False)
class Log:
    """Channels that were recorded together; their times count from one start. `system_v` is the vehicle's, 12 or 24."""

    channels: tuple[Channel, ...]
    system_v: float = 12.0
    atmosphere_kpa: float = 101.325

    def of(self, sense: Sense) -> Channel | None:
        """The first channel of that sense."""
        return next((c for c in self.channels if c.sense is sense), None)

    @property
    def seconds(self) -> float:
        """How long it is, to the last sample of any channel."""
        return max((float(c.time_s[-1]) for c in self.channels if len(c.time_s)), default=0.0)
