"""What a technician knows of a circuit before measuring: the wiring diagram and the sensor's data sheet, no more."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from irongauge.core.measure.interpolation import Number, between
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.live_reader import UNTOLD, LiveReader
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind

__all__ = ["CircuitUnderTest", "InputKind", "KnownInput", "SignalCurve"]

REFERENCE, RETURN, SIGNAL, TEMPERATURE = "reference", "return", "signal", "temperature"
PLUS, MINUS = "plus", "minus"
DRIVEN_FROM_V = (
    1.0  # above this an unplugged wire is driven by something, so no lamp from battery positive may touch it
)


_TWO_WIRE = {Family.THERMISTOR, Family.RELUCTANCE, Family.THERMOCOUPLE, Family.SWITCH}


class InputKind(StrEnum):
    """What the controller hangs on a signal wire."""

    PULL_UP = "pull-up"
    PULL_DOWN = "pull-down"
    NONE = "none"
    UNPULLED = "no pull-up"  # all that a card says: whether something pulls it down is not known


@dataclass(frozen=True)
class KnownInput:
    """A controller input as the diagram gives it. `to_v` is what a pull-up pulls to."""

    kind: InputKind
    ohm: float | None = None
    to_v: float | None = None


@dataclass(frozen=True)
class SignalCurve:
    """Share of the supply (or of 5 V, for an output in fixed volts) at both ends of a value's range.

    A straight line, unless `between` gives the points in the middle as (part of the range, share).
    """

    value_low: float
    value_high: float
    share_low: float
    share_high: float
    between: tuple[tuple[float, float], ...] = ()

    @property
    def span(self) -> float:
        """From the low end of the range to its high one, in the unit of the value."""
        return self.value_high - self.value_low

    def share_at(self, part: Number) -> Number:
        """The share at a part of the range, 0 for its low end and 1 for its high one."""
        if not self.between:
            return self.share_low + (self.share_high - self.share_low) * part
        return between(part, (0.0, *(p for p, _ in self.between), 1.0), self._shares)

    def part_at(self, share: Number) -> Number:
        """The part of the range that makes a share; the inverse of `share_at`."""
        if not self.between:
            return (share - self.share_low) / (self.share_high - self.share_low)
        pairs = dict(zip(self._shares, (0.0, *(p for p, _ in self.between), 1.0), strict=True))
        shares = sorted(pairs)
        return between(share, shares, [pairs[s] for s in shares])

    @property
    def _shares(self) -> tuple[float, ...]:
        return (self.share_low, *(share for _, share in self.between), self.share_high)


@dataclass(frozen=True, kw_only=True)
class CircuitUnderTest:
    """A circuit to reason about.

    `stimuli` are the values at `x1` and `x2` that the sensor can be put to; `temperatures_degc` those of the NTC part.
    `inputs` holds the inputs that are known, by signal; one that is not in it is unknown. `atmosphere` is today's, in the
    curve's unit, where the curve counts from vacuum. `system_v` is the vehicle's nominal voltage, 12 or 24; `battery_v` what its
    battery was found at. `fixed_volts` says that the curve's shares are of 5 V and not of the supply. `ways` are places on the
    way of a pin's wire, each with how far along it lies from the controller, 0 to 1. `tolerance_share` is how far a good
    sensor may be off, as a share of its span.
    """

    family: Family
    supply_v: float | None = 5.0
    supply_from_battery: bool = False
    others_on_reference: int = 0
    inputs: Mapping[str, KnownInput] = field(default_factory=dict)
    curve: SignalCurve | None = None
    stimuli: Mapping[str, float] = field(default_factory=dict)
    thermistor: Thermistor | None = None
    temperatures_degc: Mapping[str, float] = field(default_factory=dict)
    pot_ohm: float | None = None
    low_when_present: bool = True
    coil: Coil | None = None
    coil_differential: bool = False
    shielded: bool = False
    frequency: FrequencyCurve | None = None
    thermocouple: ThermocoupleKind | None = None
    atmosphere: float | None = None
    system_v: float = 12.0
    battery_v: float | None = None
    fixed_volts: bool = False
    full_scale_v: float = 5.0
    reader: LiveReader = UNTOLD
    ways: Mapping[str, tuple[tuple[str, float], ...]] = field(default_factory=dict)
    tolerance_share: float = 0.016

    def __hash__(self) -> int:
        return hash(repr(self))

    @property
    def has_reference(self) -> bool:
        """True where the sensor is supplied by a wire of its own."""
        return self.family not in _TWO_WIRE

    @property
    def is_loop(self) -> bool:
        """True for a current that a shunt at the input makes volts of."""
        return self.family is Family.CURRENT_LOOP

    @property
    def in_volts(self) -> bool:
        """True where the shares of the curve are of 5 V, not of the supply."""
        return self.fixed_volts or self.is_loop or self.family is Family.CONTROLLER_OUT

    @property
    def is_two_leg(self) -> bool:
        """True for a sensor between two legs that makes its own volts."""
        return self.family in {Family.RELUCTANCE, Family.THERMOCOUPLE}

    @property
    def switches(self) -> bool:
        """True for an output that is a transistor to ground."""
        return self.family in {Family.HALL, Family.FREQUENCY}

    @property
    def states(self) -> tuple[str, ...]:
        """The states that the sensor can be put to, plugged in."""
        if self.family is Family.SWITCH:
            return ("open", "closed")
        if self.family is Family.HALL:
            return ("absent", "present")
        return tuple(sorted({*self.stimuli, *self.temperatures_degc})) or ("x1",)

    @property
    def pins(self) -> tuple[str, ...]:
        """What the pins are for, in the usual order."""
        if self.is_two_leg:
            return (PLUS, MINUS)
        if self.is_loop:
            return (REFERENCE, SIGNAL)
        pins = (REFERENCE, RETURN, SIGNAL) if self.has_reference else (RETURN, SIGNAL)
        return (*pins, TEMPERATURE) if self.family is Family.COMBO else pins

    @property
    def signals(self) -> tuple[str, ...]:
        """Those of the pins that carry a signal."""
        return tuple(pin for pin in self.pins if pin in {SIGNAL, TEMPERATURE})

    def is_thermistor(self, signal: str) -> bool:
        """True where a signal is that of a thermistor against a pull-up."""
        return self.family is Family.THERMISTOR or signal == TEMPERATURE
