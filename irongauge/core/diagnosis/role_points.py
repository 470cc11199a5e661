"""What can be done to a circuit, and the kinds of answers that come back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "BRIGHT_ABOVE_A",
    "DARK_BELOW_A",
    "NO_CONTACT_V",
    "WORDS",
    "Array",
    "Flags",
    "Kind",
    "Observation",
    "PredictedPart",
    "RolePoint",
    "glow_classes",
]

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

# A 12 V lamp of 0.12 A is dark below the first and bright above the second.
DARK_BELOW_A, BRIGHT_ABOVE_A = 0.020, 0.080

# What the numbers of a check that is answered in words stand for.
WORDS: Mapping[str, Mapping[float, str]] = {
    "polarity": {1.0: "+", -1.0: "-", 0.0: "none"},
    "counted": {0.0: "no signal", 1.0: "ok", 2.0: "no contact"},
    "ring": {0.0: "none", 1.0: "one", 2.0: "two"},
}

# Stands for live data that does not come at all, since the controller is silent.
NO_CONTACT_V = -99.0


class Kind(StrEnum):
    """What an observation is, which decides how well it is known and how it is compared."""

    VOLTS = "volts"
    BATTERY_VOLTS = "volts that follow the battery"
    MILLIVOLTS = "millivolts"
    OHMS = "ohms"
    DATA_OHMS = "ohms that a data sheet bounds"
    SENSOR_OHMS = "ohms of a sensor, loosely known"
    THERMISTOR_OHMS = "ohms of a thermistor at about the room's temperature"
    GLOW = "glow"
    LIVE_VOLTS = "live data volts"
    LIVE_VALUE = "live data value"
    WORD = "word"
    THERMO_MILLIVOLTS = "millivolts of a thermocouple"
    HERTZ = "hertz"
    MILLISECONDS = "milliseconds"
    PERCENT = "percent"
    MILLIAMPS = "milliamps"


@dataclass(frozen=True)
class RolePoint:
    """One thing to do. Written `open_v:reference` or `mated_v:signal:x1`.

    | kind | pin | state |
    | --- | --- | --- |
    | battery_v | | |
    | open_v, lamp_negative, lamp_positive, off_ohm | the harness pin, connector off | |
    | sharers_off_v | the reference, every other sensor on it unplugged | |
    | live | the channel, connector off | unplugged, lamp_positive, jumped_battery, jumped_return, jumped_reference, jumped_pair |
    | live | of a current loop, as well | kilohm |
    | mated_v, mated_live | the pin or channel, connector on | x1, x2, absent, present, open, closed |
    | way_v | the pin, at a place on its wire's way | the place |
    | loop_ma | in the supply lead of the plugged-in sensor | x1, x2 |
    | return_drop | | |
    | rotating, ring | | |
    | running, running_live | | x1 |
    | thermo_mv | across the loose thermocouple | x1, x2 |
    | loop_ohm, wire_ohm | the loose thermocouple; a wire from end to end | |
    | shield_ohm | | as_wired, lifted |
    | sensor_ohm | from this pin to the return, sensor off | |
    | coil_ohm, ac_loose, ac_mated, polarity, counted | | |
    | leg_ohm, mated_dc | the leg | |
    """

    kind: str
    pin: str = ""
    state: str = ""

    def __str__(self) -> str:
        return ":".join(part for part in (self.kind, self.pin, self.state) if part)


@dataclass(frozen=True)
class PredictedPart:
    """What one part of a check's answer would be in every sample, `(n,)`, in the unit of its kind."""

    kind: Kind
    values: Array


# One part of an answer as read: a number, a word (a glow, `OL`, `voltage present`, a status), or None for silent live data.
Observation = float | str | None


def glow_classes(current_a: Array) -> NDArray[np.int_]:
    """0 for dark, 1 for dim, 2 for bright, of currents through the lamp either way; any shape."""
    return np.digitize(np.abs(current_a), [DARK_BELOW_A, BRIGHT_ABOVE_A])
