"""Units of a log's channels as loggers write them, and headings parted into name and unit.

Values stand in the fixed unit of their quantity; speeds in km/h, turns in rpm and accelerations in m/s², which are no quantity of
a sensor here.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from irongauge.core.measure.unit_names import heading_unit, units_named
from irongauge.core.measure.units import FIXED_UNIT, UNITS, PressureBase, Quantity, to_fixed

__all__ = ["LogUnit", "log_unit", "split_heading"]


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
_SPEEDS = dict.fromkeys(("km/h", "kmh", "kph", "kmph"), 1.0) | {
    "mph": 1.609344,
    "mi/h": 1.609344,
    "m/s": 3.6,
    "mps": 3.6,
}
_SPEEDS |= dict.fromkeys(("kn", "kt", "kts", "knots"), 1.852)
_G = 9.80665  # m/s², standard acceleration of gravity (NIST SP 330)
_ACCELERATIONS = {"g": _G} | dict.fromkeys(("m/s²", "m/s2", "m/s^2", "mps2"), 1.0)
_MIXTURES = {"λ": "λ", "lambda": "λ", "afr": "AFR"}
_KELVIN = {"K", "kelvin", "Kelvin", "°K"}
_OURS = {
    **{name: LogUnit(label="rpm", scale=scale) for name, scale in _TURNS.items()},
    **{name: LogUnit(label="km/h", scale=scale) for name, scale in _SPEEDS.items()},
    **{name: LogUnit(label="m/s²", scale=scale) for name, scale in _ACCELERATIONS.items()},
    **{name: LogUnit(label=label) for name, label in _MIXTURES.items()},
}
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
    if asked_as in _KELVIN:
        return LogUnit(label="°C", quantity=Quantity.TEMPERATURE, offset=-273.15)
    if asked in _OURS:
        return _OURS[asked]
    named = heading_unit(asked_as)
    return _of_table(named.code) if named is not None else _with_base(asked)


def _with_base(asked: str) -> LogUnit | None:
    """A pressure's unit that says what it counts from: `PSIg`, `bar (abs)`."""
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
_IN_BRACKETS = re.compile(r"\s*[\[({]\s*([^\])}]*?)\s*[\])}]\s*$")
_ONE_LETTER = re.compile(
    r"(?:_|\s/\s)([VCFKg]|(?<=/\s)[%°1λ-])$"
)  # behind a stroke a single letter is a unit: `battery_V`, `Air / C`
_BEHIND = re.compile(r"[\s_,:./-]+([A-Za-z°º%µΩ/0-9⁻^-]+)$")


def split_heading(heading: str) -> tuple[str, str]:
    """A heading's name and its unit as written, empty where it has none: `Oil P [bar]`, `RPM`, `Coolant temp (°C)`, `MAP_kPa`.

    >>> split_heading("MAP_kPa")
    ('MAP', 'kPa')
    """
    heading = heading.strip().strip('"')
    found = _IN_BRACKETS.search(heading)
    if found is not None and heading[: found.start()].strip():
        return heading[: found.start()].strip(), found[1]
    letter = _ONE_LETTER.search(heading)
    if letter is not None and heading[: letter.start()].strip(" _,:.-/"):
        return heading[: letter.start()].strip(" _,:.-/"), letter[1]
    behind = _BEHIND.search(heading)
    if behind is not None and len(behind[1]) > 1 and log_unit(behind[1]) is not None:
        name = heading[: behind.start()].strip(" _,:.-/")
        if name and (behind[1] != "lambda" or "lambda" in name):  # which is a name as well
            return name, behind[1]
    return heading, ""
