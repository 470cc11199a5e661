"""The electrical families of sensors, and what the data sheets of coils and frequency sensors say."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

__all__ = ["HIGH_FROM_SHARE", "LOW_BELOW_V", "ONE_TO_TWO", "Coil", "Family", "FrequencyCurve"]

# Levels of a square wave (shop defaults of the trade): a transistor to ground that is on stays below the one; an input takes for
# high what lies above the other share of the pull-up's supply.
LOW_BELOW_V = 0.8
HIGH_FROM_SHARE = 0.7
# What the two levels of a two-wire current sensor stand as over a shunt: 14 mA is twice 7 mA, 20 % off either way.
ONE_TO_TWO = (1.6, 2.5)


class Family(StrEnum):
    """Electrical families that can be reasoned about."""

    RATIOMETRIC = "ratiometric-3w"
    POTENTIOMETER = "potentiometer-3w"
    THERMISTOR = "thermistor-2w"
    COMBO = "combo-4w"
    HALL = "hall-3w"
    FREQUENCY = "frequency-3w"
    CONTROLLER_OUT = "controller-out"
    RELUCTANCE = "vr-2w"
    THERMOCOUPLE = "thermocouple"
    SWITCH = "switch"
    CURRENT_LOOP = "current-loop-2w"


@dataclass(frozen=True)
class Coil:
    """A reluctance coil: resistance, and the volts rms (least, most) that it gives unplugged at the stated speed."""

    ohm: float
    tolerance_pct: float
    loose_vac: tuple[float, float]

    def __post_init__(self) -> None:
        if self.ohm <= 0 or not 0 < self.tolerance_pct < 100 or not 0 < self.loose_vac[0] < self.loose_vac[1]:  # noqa: PLR2004
            msg = "a coil has positive ohms, a tolerance and volts from a least to a most"
            raise ValueError(msg)


@dataclass(frozen=True, kw_only=True)
class FrequencyCurve:
    """A straight line from hertz to the main value, and one from the pulse's width to the temperature."""

    value_low: float
    value_high: float
    hz_low: float
    hz_high: float
    degc_low: float
    degc_high: float
    pulse_low_ms: float
    pulse_high_ms: float
