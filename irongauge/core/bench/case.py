"""One circuit with what has been read of it so far: what every rule looks at.

Leaves out judging. The idea: a `BenchCase` is built once per request from the circuit and its readings, keeps the
newest reading of each test point, and answers questions in the words of the job (volts unplugged at the signal, volts on the
reference plugged in) with None where nothing has been read.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from uuid import UUID

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind, Probe
from irongauge.core.diagnosis.circuit_under_test import DRIVEN_FROM_V
from irongauge.core.measure.quantities import Glow, Limits, Reading, SupersedeReason, TestPoint
from irongauge.core.measure.units import PressureBase, show, show_ohms, show_volts
from irongauge.core.pulses.record import PulseMark
from irongauge.core.sensors.circuits import FAMILIES, Circuit, Instrument, Pin, Role
from irongauge.core.sensors.families import Family

__all__ = [
    "SHOP_LIMITS",
    "BenchCase",
    "LimitSpec",
    "ShopLimits",
    "confirmed_points",
    "current_readings",
    "evidence_from",
    "glow_of",
    "newest_at",
]


@dataclass(frozen=True, kw_only=True)
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

_PLAIN = {AnswerKind.HERTZ: "Hz", AnswerKind.MILLISECONDS: "ms", AnswerKind.PERCENT: "percent",
          AnswerKind.MILLIAMPS: "mA"}  # fmt: skip
_BATTERY_SHARE = 0.8  # of battery volts: above this a sensor wire is on the battery


def glow_of(reading: Reading | None) -> Glow | None:
    """The glow that a reading holds, if it holds one."""
    return Glow(reading.word) if reading is not None and reading.word in set(Glow) else None


def current_readings(readings: Iterable[Reading]) -> dict[TestPoint, Reading]:
    """The reading of each test point that no other supersedes and that was not taken back, in any order of coming."""
    readings = tuple(readings)
    superseded = {r.supersedes_uid for r in readings}
    return {r.test_point: r for r in readings if r.uid not in superseded and r.reason is not SupersedeReason.TAKEN_BACK}


def newest_at(readings: Iterable[Reading], test_point: TestPoint) -> Reading | None:
    """The last reading of a test point, which the next one supersedes, even one that was taken back."""
    readings = tuple(readings)
    superseded = {r.supersedes_uid for r in readings}
    return next((r for r in readings if r.test_point == test_point and r.uid not in superseded), None)


def evidence_from(readings: Iterable[Reading]) -> datetime | None:
    """When the last repair's proof began: what was read before it tells of another state of the circuit.

    A reading taken after a repair opens a new time, unless the one that it replaces is older than the time that is open
    already: then it belongs to the same round of measuring again.
    """
    by_uid = {r.uid: r for r in readings}
    start: datetime | None = None
    for reading in sorted(by_uid.values(), key=lambda r: r.taken_at):
        if reading.reason is not SupersedeReason.REPAIRED or reading.supersedes_uid is None:
            continue
        before = by_uid.get(reading.supersedes_uid)
        if start is None or (before is not None and before.taken_at >= start):
            start = reading.taken_at
    return start


def confirmed_points(readings: Iterable[Reading]) -> frozenset[TestPoint]:
    """Test points that were measured again and came out the same, so that a slip of the hand is ruled out."""
    by_uid = {r.uid: r for r in readings}
    same = set()
    for reading in by_uid.values():
        before = by_uid.get(reading.supersedes_uid) if reading.supersedes_uid else None
        if before is None or reading.reason is not SupersedeReason.AGAIN:
            continue
        if reading.value is None or before.value is None:
            agrees = reading.word == before.word
        else:
            agrees = abs(reading.value - before.value) <= 0.02 + 0.05 * abs(before.value)
        if agrees:
            same.add(reading.test_point)
    return frozenset(same & set(current_readings(by_uid.values())))


@dataclass(frozen=True, kw_only=True)
class BenchCase:
    """A circuit under test, its current readings, the instruments used and the limits in force.

    `system_v` is the vehicle's nominal voltage (12 or 24 V); `value_unit` the unit code in which sentences give the
    sensor's value, `heat_unit` that of a second, temperature channel; `atmosphere_kpa` what stands between gauge and
    absolute where the vehicle is tested. `pulses` are the newest checks of the sensor's pulses, one of each kind.
    `asked_way` is a place on the way of a wire that is asked for now, with how far along it lies. `found_roles` are what
    the readings as a whole leave no doubt about, where the card does not. `lacking` are the tools that the shop has none of.
    """

    circuit: Circuit
    readings: Mapping[TestPoint, Reading]
    instruments: Mapping[UUID, Instrument] = field(default_factory=dict)
    limits: ShopLimits = field(default_factory=ShopLimits)
    system_v: float = 12.0
    value_unit: str | None = "V"
    heat_unit: str = "degC"
    atmosphere_kpa: float = 101.325
    evidence_from: datetime | None = None
    confirmed: frozenset[TestPoint] = frozenset()
    pulses: tuple[PulseMark, ...] = ()
    asked_way: tuple[TestPoint, float] | None = None
    lacking: frozenset[Probe] = frozenset()
    found_roles: Mapping[str, Role] = field(default_factory=dict)

    @property
    def ways(self) -> Mapping[TestPoint, float]:
        """Places on the way of a wire that were read, or are asked for now, with how far along it they lie."""
        read = {point: reading.way_share for point, reading in self.readings.items() if reading.way_share is not None}
        return read if self.asked_way is None else dict([self.asked_way]) | read

    # What has been read

    def number(self, action: Action, cavity: str | None = None, point: int | None = None) -> float | None:
        """The number read at a test point, in its fixed unit; None where nothing was read, or a word."""
        reading = self.readings.get(TestPoint(action, cavity, point))
        return None if reading is None else reading.value

    def is_driven(self, cavity: str | None) -> bool:
        """True for a pin on whose wire volts were found with the connector off."""
        volts = self.number(Action.OPEN_V, cavity)
        return volts is not None and volts > DRIVEN_FROM_V

    def at(self, action: Action, role: Role, point: int | None = None) -> float | None:
        """The number read by an action at the pin that has this role; None if not read or if no pin has it yet."""
        pin = self.pin_of(role)
        return None if pin is None else self.number(action, pin.cavity, point)

    def points(self) -> range:
        """The places of the circuit's stimuli."""
        return range(len(self.circuit.stimuli))

    def stimulus_value(self, point: int) -> float | None:
        """The stimulus really applied at a point: as recorded with the signal reading, else as planned."""
        pin = self.pin_of(Role.SIGNAL)
        reading = None if pin is None else self.readings.get(TestPoint(Action.MATED_V, pin.cavity, point))
        if reading is None:
            reading = next(
                (r for r in self.readings.values() if r.test_point.point == point and r.stimulus_value is not None),
                None,
            )
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
        """What a reference may be: the shop's tolerance about its nominal, in volts."""
        nominal_v, part = self.circuit.reference_v, self.limits.reference_tolerance_pct / 100
        return Limits(nominal_v * (1 - part), nominal_v * (1 + part))

    @property
    def hold_v(self) -> float:
        """Volts that a real reference keeps under the lamp."""
        return self.circuit.reference_v * self.limits.reference_hold_pct / 100

    # Which pin is which

    def role_of(self, cavity: str) -> Role | None:
        """What a pin is for, as given, proved or found; None while nobody knows."""
        return self._roles.get(cavity)

    def proved_role_of(self, cavity: str) -> Role | None:
        """A pin's role as the card says it, or a reading of that very pin shows it: what safety goes by."""
        return self._proved_roles.get(cavity)

    def with_roles(self, found: Mapping[str, Role]) -> BenchCase:
        """The case once these roles are found."""
        return replace(self, found_roles=found).in_order()

    def with_legs(self) -> BenchCase:
        """The case of a coil of whose legs nobody knows which is which: the first is taken for plus.

        Unplugged, both legs of a coil and of a pair's input are alike; only the way of the kick differs, and that is said.
        """
        if self.circuit.family is not Family.RELUCTANCE or any(pin.role is not None for pin in self.circuit.pins):
            return self
        cavities = [pin.cavity for pin in self.circuit.pins]
        return replace(self, found_roles=dict(zip(cavities, FAMILIES[self.circuit.family].roles, strict=True)))

    def in_order(self) -> BenchCase:
        """The same case with each plugged-in reading at the test point that its pin's role gives it.

        A signal is read at its stimulus; a reference, a return, and a pin of which nobody knows what it is, once.
        """
        moved = {}
        for test_point in self.readings:
            if test_point.action != Action.MATED_V or test_point.point not in {None, 0}:
                continue
            follows = self.role_of(test_point.cavity or "") in {Role.SIGNAL, Role.TEMPERATURE}
            proper = replace(test_point, point=0 if follows else None)
            if proper != test_point and proper not in self.readings:
                moved[test_point] = proper
        if not moved:
            return self
        readings = {
            moved.get(test_point, test_point): replace(reading, test_point=moved.get(test_point, test_point))
            for test_point, reading in self.readings.items()
        }
        return replace(self, readings=readings)

    @property
    def roles_are_given(self) -> bool:
        """True when every pin's role is written on the card, or found by the readings as a whole."""
        return all(pin.role is not None or pin.cavity in self.found_roles for pin in self.circuit.pins)

    def given_role_of(self, cavity: str) -> Role | None:
        """A pin's role as the card or the readings as a whole give it."""
        return next(
            (pin.role or self.found_roles.get(cavity) for pin in self.circuit.pins if pin.cavity == cavity), None
        )

    def pin_of(self, role: Role) -> Pin | None:
        """The pin of a role; None while nobody knows which it is."""
        return self._pins.get(role)

    @property
    def is_known(self) -> bool:
        """True when every pin's role is written on the card or found."""
        return len(self._roles) == len(self.circuit.pins)

    @cached_property
    def _pins(self) -> dict[Role, Pin]:
        return {self._roles[pin.cavity]: pin for pin in self.circuit.pins if pin.cavity in self._roles}

    @cached_property
    def _roles(self) -> dict[str, Role]:
        return {**self._proved_roles, **self.found_roles}

    @cached_property
    def _proved_roles(self) -> dict[str, Role]:
        """Roles as written on the circuit, and for pins without one what the answers so far leave no doubt about."""
        known = {pin.cavity: pin.role for pin in self.circuit.pins if pin.role is not None}
        if len(known) == len(self.circuit.pins):
            return known
        unknown = [pin.cavity for pin in self.circuit.pins if pin.role is None]
        found, roles = dict(known), FAMILIES[self.circuit.family].roles
        for role, candidates in self._shown_by_lamp(unknown).items():
            if role in roles and role not in found.values() and len(candidates) == 1:
                found[candidates[0]] = role
        left = [c for c in unknown if c not in found]
        missing = [role for role in roles if role not in found.values()]
        if len(left) == 1 and len(missing) == 1:
            found[left[0]] = missing[0]
        return found

    def _shown_by_lamp(self, cavities: list[str]) -> dict[Role, list[str]]:
        """Pins by what the lamp showed of them: a reference holds it, a bias collapses under it, a return lights it."""
        under_lamp = [(c, v) for c in cavities if (v := self.number(Action.LAMP_NEGATIVE_V, c)) is not None]
        return {
            Role.REFERENCE: [c for c, v in under_lamp if v >= self.hold_v],
            Role.SIGNAL: [c for c, v in under_lamp if v < DRIVEN_FROM_V <= (self._open_v(c) or 0)],
            Role.RETURN: [c for c in cavities if self._lit(c)],
        }

    def _open_v(self, cavity: str) -> float | None:
        return self.number(Action.OPEN_V, cavity)

    def _lit(self, cavity: str) -> bool:
        return glow_of(self.readings.get(TestPoint(Action.LAMP_POSITIVE, cavity))) in {Glow.DIM, Glow.BRIGHT}

    # How it is said

    def pin_name(self, cavity: str) -> str:
        """`the signal, pin C (green)` or `pin C (green)`, for the middle of a sentence."""
        pin = next(p for p in self.circuit.pins if p.cavity == cavity)
        colour = f" ({pin.wire_colour})" if pin.wire_colour else ""
        role = self.role_of(cavity)
        return f"the {role}, pin {cavity}{colour}" if role is not None else f"pin {cavity}{colour}"

    def value_text(self, value: float, *, trim: bool = False) -> str:
        """The sensor's value in the shop's unit, with the pressure base where there is one."""
        base = self.circuit.sensor.pressure_base
        assert self.value_unit is not None  # only asked of sensors that show a value
        text = show(value, self.value_unit, trim=trim)
        return f"{text} absolute" if base is PressureBase.ABSOLUTE else text

    def reading_text(self, reading: Reading) -> str:
        """What was read, as a person says it."""
        if reading.word is not None:
            return reading.word
        assert reading.value is not None  # a Reading has one of the two
        return self.number_text(reading.test_point, reading.value)

    def senses_heat(self, test_point: TestPoint) -> bool:
        """True for the temperature channel of a sensor that has two."""
        return test_point.cavity is not None and self.role_of(test_point.cavity) is Role.TEMPERATURE

    def number_text(self, test_point: TestPoint, value: float) -> str:
        """A number that is read at a test point, as a person says it."""
        answer = ACTIONS[Action(test_point.action)].answer
        if answer is AnswerKind.VOLTS:
            return show_volts(value)
        if answer is AnswerKind.OHMS:
            return show_ohms(value)
        if answer in _PLAIN:
            return show(value, _PLAIN[answer], trim=True)
        if self.senses_heat(test_point):
            return show(value, self.heat_unit)
        return self.value_text(value)
