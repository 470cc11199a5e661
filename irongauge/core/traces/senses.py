"""What a log's channel is of, and what its values may do by nature.

What a channel is of is guessed from its name and unit, and corrected once for each vehicle.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.units import Quantity

__all__ = ["BY_HAND", "DRIVERS", "SENSES", "SPEEDS", "Sense", "SenseSpec"]


class Sense(StrEnum):
    """What a channel is of."""

    ENGINE_SPEED = "engine speed"
    ROAD_SPEED = "road speed"
    WHEEL_SPEED = "wheel speed"
    SATELLITE_SPEED = "satellite speed"
    LOAD = "load"
    THROTTLE = "throttle"
    PEDAL = "pedal"
    COOLANT_TEMPERATURE = "coolant temperature"
    OIL_TEMPERATURE = "oil temperature"
    AIR_TEMPERATURE = "air temperature"
    OUTSIDE_TEMPERATURE = "outside temperature"
    EXHAUST_TEMPERATURE = "exhaust temperature"
    OIL_PRESSURE = "oil pressure"
    FUEL_PRESSURE = "fuel pressure"
    COOLANT_PRESSURE = "coolant pressure"
    BOOST_PRESSURE = "boost pressure"
    MANIFOLD_PRESSURE = "manifold pressure"
    CRANKCASE_PRESSURE = "crankcase pressure"
    BAROMETER = "barometer"
    BATTERY_VOLTS = "battery volts"
    REFERENCE_VOLTS = "reference volts"
    SENSOR_VOLTS = "sensor volts"
    LAMBDA = "lambda"
    ACCELERATION = "acceleration"
    INJECTION_TIME = "injection time"
    IGNITION_ANGLE = "ignition angle"
    FUEL_LEVEL = "fuel level"
    ALTITUDE = "altitude"
    GEAR = "gear"
    SWITCH = "switch"
    OTHER = "other"

    @property
    def quantity(self) -> Quantity | None:
        """The quantity that a channel of it has; None where it may have any, or none of ours."""
        return SENSES[self].quantity


@dataclass(frozen=True, kw_only=True)
class SenseSpec:
    """What is known of all channels of one sense.

    `usual_span` is what such a sensor covers as a rule, in the fixed unit. `late_s` is how late it may come by nature: a
    satellite's speed is reckoned from places. `is_wired` is true where a sensor's own wire is behind it, so that a dropout or
    noise is one of the wiring; `is_quick` where it moves as fast as any fault would make it. `rests_low` and `rests_high`: it may
    stand at that end of its range for minutes, and nothing is wrong. `likely` is where half of its values lie on any vehicle that
    runs, in the fixed unit.
    """

    quantity: Quantity | None = None
    usual_span: float | None = None
    late_s: float = 0.3
    is_wired: bool = True
    is_quick: bool = False
    rests_low: bool = False
    rests_high: bool = False
    likely: tuple[float, float] | None = None


def _temperature(span_k: float, likely: tuple[float, float]) -> SenseSpec:
    return SenseSpec(quantity=Quantity.TEMPERATURE, usual_span=span_k, late_s=5.0, likely=likely)


def _pressure(span_kpa: float, *, late_s: float = 0.3, rests_low: bool = False) -> SenseSpec:
    return SenseSpec(quantity=Quantity.PRESSURE, usual_span=span_kpa, late_s=late_s, rests_low=rests_low)


_SPEED = SenseSpec(is_quick=True, rests_low=True)
_HELD = SenseSpec(quantity=Quantity.SHARE, is_quick=True, rests_low=True, rests_high=True)
SENSES: Mapping[Sense, SenseSpec] = {
    Sense.ENGINE_SPEED: _SPEED,
    Sense.ROAD_SPEED: _SPEED,
    Sense.WHEEL_SPEED: _SPEED,
    Sense.SATELLITE_SPEED: SenseSpec(late_s=3.0, is_wired=False, is_quick=True, rests_low=True),
    Sense.LOAD: SenseSpec(quantity=Quantity.SHARE, is_wired=False, is_quick=True, rests_low=True, rests_high=True),
    Sense.THROTTLE: _HELD,
    Sense.PEDAL: _HELD,
    Sense.COOLANT_TEMPERATURE: _temperature(150.0, (-40.0, 135.0)),
    Sense.OIL_TEMPERATURE: _temperature(150.0, (-40.0, 165.0)),
    Sense.AIR_TEMPERATURE: _temperature(120.0, (-40.0, 130.0)),
    Sense.OUTSIDE_TEMPERATURE: _temperature(90.0, (-50.0, 60.0)),
    Sense.EXHAUST_TEMPERATURE: _temperature(1000.0, (-50.0, 1200.0)),
    Sense.OIL_PRESSURE: _pressure(700.0),
    Sense.FUEL_PRESSURE: _pressure(700.0),
    Sense.COOLANT_PRESSURE: _pressure(200.0, rests_low=True),
    Sense.BOOST_PRESSURE: _pressure(200.0, rests_low=True),
    Sense.MANIFOLD_PRESSURE: _pressure(200.0, rests_low=True),
    Sense.CRANKCASE_PRESSURE: _pressure(10.0, rests_low=True),
    Sense.BAROMETER: _pressure(50.0, late_s=10.0),
    Sense.BATTERY_VOLTS: SenseSpec(quantity=Quantity.VOLTAGE, usual_span=16.0, late_s=2.0, likely=(7.0, 33.0)),
    Sense.REFERENCE_VOLTS: SenseSpec(quantity=Quantity.VOLTAGE, usual_span=1.0),
    Sense.SENSOR_VOLTS: SenseSpec(quantity=Quantity.VOLTAGE, usual_span=5.0),
    Sense.LAMBDA: SenseSpec(is_wired=False, is_quick=True, rests_high=True, likely=(0.5, 3.0)),
    Sense.ACCELERATION: SenseSpec(is_wired=False, is_quick=True),
    Sense.INJECTION_TIME: SenseSpec(quantity=Quantity.DURATION, is_wired=False, is_quick=True, rests_low=True),
    Sense.IGNITION_ANGLE: SenseSpec(quantity=Quantity.ANGLE, is_wired=False, is_quick=True, rests_low=True, rests_high=True),
    Sense.FUEL_LEVEL: SenseSpec(quantity=Quantity.SHARE, is_wired=False, is_quick=True, rests_low=True, rests_high=True),
    Sense.ALTITUDE: SenseSpec(quantity=Quantity.LENGTH, late_s=5.0, is_wired=False),
    Sense.GEAR: SenseSpec(is_wired=False, is_quick=True, rests_low=True, rests_high=True),
    Sense.SWITCH: SenseSpec(is_wired=False, is_quick=True, rests_low=True, rests_high=True),
    Sense.OTHER: SenseSpec(),
}  # fmt: skip
SPEEDS = frozenset({Sense.ENGINE_SPEED, Sense.ROAD_SPEED, Sense.WHEEL_SPEED, Sense.SATELLITE_SPEED})
DRIVERS = frozenset(
    {Sense.ENGINE_SPEED, Sense.LOAD, Sense.THROTTLE, Sense.PEDAL}
)  # what they change comes some moments after them
BY_HAND = frozenset({Sense.THROTTLE, Sense.PEDAL, Sense.LOAD})
