"""One circuit with what has been read of it so far: what every rule looks at.

Leaves out judging. The idea: a `BenchCase` is built once per request from the circuit and its readings, keeps the
newest reading of each slot, and answers questions in the words of the job (volts unplugged at the signal, volts on the
reference plugged in) with None where nothing has been read.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from uuid import UUID

from irongauge.core.actions import ACTIONS, Action, Answer
from irongauge.core.circuits import Circuit, Instrument, Pin, Role
from irongauge.core.quantities import Glow, Limits, Reading, Slot
from irongauge.core.units import PressureBase, show, show_volts

__all__ = ["SHOP_LIMITS", "BenchCase", "LimitSpec", "ShopLimits", "current_readings", "glow_of"]


@dataclass(frozen=True)
class ShopLimits:
    """The limits a shop may set for itself; what each means and may be stands in `SHOP_LIMITS`."""

    reference_tolerance_pct: float = 5.0
    reference_hold_pct: float = 94.0
    return_limit_mv: float = 100.0
    return_aim_mv: float = 50.0
    absent_v: float = 0.3
    live_match_mv: float = 50.0
    live_scaling_pct_span: float = 2.0


@dataclass(frozen=True)
class LimitSpec:
    """How one shop limit is named, bounded and explained."""

    name: str
    title: str
    unit: str
    allowed: Limits
    meaning: str


SHOP_LIMITS = (
    LimitSpec(
        "reference_tolerance_pct",
        "Reference may differ from nominal by",
        "%",
        Limits(0.5, 20),
        "Unplugged and plugged in.",
    ),
    LimitSpec(
        "reference_hold_pct",
        "Reference holds under the lamp above",
        "% of nominal",
        Limits(50, 99),
        "94 % of 5 V is 4.7 V.",
    ),
    LimitSpec("return_limit_mv", "Return drop at most", "mV", Limits(5, 1000), "Plugged in, to battery negative."),
    LimitSpec("return_aim_mv", "Return drop should stay below", "mV", Limits(1, 1000), "Above it passes with a note."),
    LimitSpec("absent_v", "A wire counts as dead below", "V", Limits(0.05, 1.0), "Unplugged, to battery negative."),
    LimitSpec("live_match_mv", "Live data volts may differ from the pin by", "mV", Limits(5, 500), "Plugged in."),
    LimitSpec(
        "live_scaling_pct_span",
        "Live data value may differ from the curve by",
        "% of span",
        Limits(0.1, 20),
        "Of the volts that live data itself shows.",
    ),
)

BIAS_FROM_V = 1.0  # above this an unplugged wire is driven by something, so no lamp from battery positive may touch it
_BATTERY_SHARE = 0.8  # of battery volts: above this a sensor wire is on the battery


def glow_of(reading: Reading | None) -> Glow | None:
    """The glow that a reading holds, if it holds one."""
    return Glow(reading.word) if reading is not None and reading.word in set(Glow) else None


def current_readings(readings: Iterable[Reading]) -> dict[Slot, Reading]:
    """The reading of each slot that no other supersedes. The order in which readings come makes no difference."""
    readings = tuple(readings)
    superseded = {r.supersedes_uid for r in readings}
    return {r.slot: r for r in readings if r.uid not in superseded}


@dataclass(frozen=True)
class BenchCase:
    """A circuit under test, its current readings, the instruments used and the limits in force.

    `system_v` is the vehicle's nominal voltage (12 or 24 V); `value_unit` the unit code in which sentences give the
    sensor's value; `atmosphere_kpa` what stands between gauge and absolute where the vehicle is tested.
    """

    circuit: Circuit
    readings: Mapping[Slot, Reading]
    instruments: Mapping[UUID, Instrument] = field(default_factory=dict)
    limits: ShopLimits = field(default_factory=ShopLimits)
    system_v: float = 12.0
    value_unit: str = "V"
    atmosphere_kpa: float = 101.325

    # What has been read

    def number(self, action: Action, cavity: str | None = None, point: int | None = None) -> float | None:
        reading = self.readings.get(Slot(action, cavity, point))
        return None if reading is None else reading.value

    def at(self, action: Action, role: Role, point: int | None = None) -> float | None:
        """The number read by an action at the pin that has this role; None if not read or if no pin has it yet."""
        pin = self.pin_of(role)
        return None if pin is None else self.number(action, pin.cavity, point)

    def glow_at(self, action: Action, role: Role) -> Glow | None:
        pin = self.pin_of(role)
        return None if pin is None else glow_of(self.readings.get(Slot(action, pin.cavity)))

    def points(self) -> range:
        return range(len(self.circuit.stimuli))

    def stimulus_value(self, point: int) -> float:
        """The stimulus really applied at a point: as recorded with the signal reading, else as planned."""
        pin = self.pin_of(Role.SIGNAL)
        reading = None if pin is None else self.readings.get(Slot(Action.MATED_V, pin.cavity, point))
        if reading is not None and reading.stimulus_value is not None:
            return reading.stimulus_value
        return self.circuit.stimuli[point].value

    @property
    def battery_v(self) -> float:
        """Battery volts as read, else the system's nominal."""
        return self.number(Action.BATTERY_V) or self.system_v

    @property
    def driven_reference_v(self) -> float:
        """What the sensor really gets, plugged in: measured reference less measured return; nominal until measured."""
        reference_v = self.at(Action.MATED_V, Role.REFERENCE)
        return_v = self.at(Action.MATED_V, Role.RETURN)
        if reference_v is None:
            return self.circuit.reference_v
        driven_v = reference_v - (return_v or 0.0)
        # A reference at or under its return drives nothing; the nominal keeps the sums finite, the readings fail anyway.
        return driven_v if driven_v > self.limits.absent_v else self.circuit.reference_v

    def is_battery(self, volts: float) -> bool:
        """True for volts that can only come from the battery, not from a sensor supply."""
        return volts >= max(_BATTERY_SHARE * self.battery_v, 1.3 * self.circuit.reference_v)

    def near_reference(self, volts: float) -> bool:
        """True for volts that may be the reference: within twice its tolerance."""
        return abs(volts / self.circuit.reference_v - 1) * 100 <= 2 * self.limits.reference_tolerance_pct

    def reference_window(self) -> Limits:
        nominal_v, part = self.circuit.reference_v, self.limits.reference_tolerance_pct / 100
        return Limits(nominal_v * (1 - part), nominal_v * (1 + part))

    @property
    def hold_v(self) -> float:
        """Volts that a real reference keeps under the lamp."""
        return self.circuit.reference_v * self.limits.reference_hold_pct / 100

    # Which pin is which

    def role_of(self, cavity: str) -> Role | None:
        return self._roles.get(cavity)

    def pin_of(self, role: Role) -> Pin | None:
        return self._pins.get(role)

    @cached_property
    def _pins(self) -> dict[Role, Pin]:
        return {self._roles[pin.cavity]: pin for pin in self.circuit.pins if pin.cavity in self._roles}

    @cached_property
    def _roles(self) -> dict[str, Role]:
        """Roles as written on the circuit, and for pins without one what the answers so far leave no doubt about."""
        known = {pin.cavity: pin.role for pin in self.circuit.pins if pin.role is not None}
        if len(known) == len(self.circuit.pins):
            return known
        unknown = [pin.cavity for pin in self.circuit.pins if pin.role is None]
        found = dict(known)

        def settle(role: Role, candidates: list[str]) -> None:
            if role not in found.values() and len(candidates) == 1:
                found[candidates[0]] = role

        held = [(c, self.number(Action.LAMP_NEGATIVE_V, c)) for c in unknown]
        settle(Role.REFERENCE, [c for c, v in held if v is not None and v >= self.hold_v])
        settle(Role.SIGNAL, [c for c, v in held if v is not None and v < BIAS_FROM_V <= (self._open_v(c) or 0)])
        lit = [c for c in unknown if self._lit(c)]
        settle(Role.RETURN, lit)
        left = [c for c in unknown if c not in found]
        missing = [role for role in (Role.REFERENCE, Role.RETURN, Role.SIGNAL) if role not in found.values()]
        if len(left) == 1 and len(missing) == 1:
            found[left[0]] = missing[0]
        return found

    def _open_v(self, cavity: str) -> float | None:
        return self.number(Action.OPEN_V, cavity)

    def _lit(self, cavity: str) -> bool:
        return glow_of(self.readings.get(Slot(Action.LAMP_POSITIVE, cavity))) in {Glow.DIM, Glow.BRIGHT}

    # How it is said

    def pin_name(self, cavity: str) -> str:
        """`the signal, pin C (green)` or `pin C (green)`, for the middle of a sentence."""
        pin = next(p for p in self.circuit.pins if p.cavity == cavity)
        colour = f" ({pin.wire_colour})" if pin.wire_colour else ""
        role = self.role_of(cavity)
        return f"the {role}, pin {cavity}{colour}" if role is not None else f"pin {cavity}{colour}"

    def value_text(self, value: float, *, trim: bool = False) -> str:
        """The sensor's value in the shop's unit, with the pressure base where there is one."""
        base = self.circuit.sensor.curve.pressure_base
        text = show(value, self.value_unit, trim=trim)
        return f"{text} absolute" if base is PressureBase.ABSOLUTE else text

    def reading_text(self, reading: Reading) -> str:
        """What was read, as a person says it."""
        if reading.word is not None:
            return reading.word
        assert reading.value is not None  # a Reading has one of the two
        answer = ACTIONS[Action(reading.slot.action)].answer
        if answer is Answer.VOLTS:
            return show_volts(reading.value)
        if answer is Answer.OHMS:
            return show(reading.value, "kohm" if abs(reading.value) >= 1000 else "ohm")  # noqa: PLR2004
        return self.value_text(reading.value)
