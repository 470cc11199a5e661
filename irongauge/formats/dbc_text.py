"""The description of a bus's frames, as a DBC file: what the simulated controller sends, a frame for each channel."""

from __future__ import annotations

import re
from collections.abc import Iterable

__all__ = ["signal_name", "write_dbc"]

_FIRST_ID, _LONGEST = 0x300, 32
# Names, units, least and greatest of what the controller's own engine tells beyond SAE J1979.
_ENGINE = (
    ("Oil_pressure", "kPa", 0.0, 1000.0),
    ("Crankcase_pressure", "kPa", -10.0, 20.0),
    ("Coolant_pressure", "kPa", 0.0, 400.0),
    ("Sensor_reference", "V", 0.0, 6.0),
)


def signal_name(channel: str) -> str:
    """A channel's name as a DBC file can have it: letters, digits and underscores.

    >>> signal_name("AI 3"), signal_name("2nd axle")
    ('AI_3', 'C_2nd_axle')
    """
    name = re.sub(r"[^A-Za-z0-9]+", "_", channel).strip("_")[: _LONGEST - 4]
    return name if name[:1].isalpha() else f"C_{name}"


def write_dbc(channels: Iterable[tuple[str, str]]) -> bytes:
    """A DBC file of the engine's frame signals and, for each channel with its unit, its value and the volts at its input.

    Values are floats of 32 bits; volts are thousandths.
    """
    lines = ['VERSION ""', "", "NS_ :", "", "BS_:", "", "BU_: Controller", ""]
    floats = []
    named = [*_ENGINE, *((signal_name(name), unit, -1e6, 1e6) for name, unit in channels)]
    for place, (name, unit, low, high) in enumerate({row[0]: row for row in named}.values()):
        frame = _FIRST_ID + place
        lines += [
            f"BO_ {frame} {name}_frame: 8 Controller",
            f' SG_ {name} : 0|32@1- (1,0) [{low:g}|{high:g}] "{unit}" Vector__XXX',
        ]
        if place >= len(_ENGINE):
            lines.append(f' SG_ {name}_V : 32|16@1+ (0.001,0) [0|60] "V" Vector__XXX')
        lines.append("")
        floats.append(f"SIG_VALTYPE_ {frame} {name} : 1;")
    return "\n".join([*lines, *floats, ""]).encode("cp1252", "replace")
