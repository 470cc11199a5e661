"""Between the Bench's words and the diagnosis's: which slot is which check, and what a circuit's card says of it.

A slot names a cavity and a stimulus, since that is what a technician touches; a check names what the model knows. Where
roles are not written on the card, every way in which they may lie is a possible assignment of cavities.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import permutations

from irongauge.core.bench.actions import ACTIONS, Action, ActionSpec
from irongauge.core.bench.case import BenchCase
from irongauge.core.diagnosis.checks import Check, Observation
from irongauge.core.diagnosis.strategy import checks_of, required
from irongauge.core.diagnosis.subject import SIGNAL, TEMPERATURE, InputKind, KnownInput, SignalCurve, Subject
from irongauge.core.measure.entry import NO_DATA
from irongauge.core.measure.quantities import Reading, Slot
from irongauge.core.measure.units import PressureBase
from irongauge.core.sensors.circuits import FAMILIES, PullUp, Role, Switching, ThermocoupleKind, Wiper
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, StraightCurve

__all__ = ["Wiring", "subject_of", "wiring_of"]

_BATTERY_STEP_V = 0.25  # so that a new reading of the battery does not mean a new model
_CHANNEL_KINDS = {"live", "mated_live"}
_LAMPS = {"lamp_negative", "lamp_positive"}
# What can be asked of a pin whose role is not known, and of the channel that it must end in.
_OF_ANY_PIN = {"open_v", "lamp_negative", "lamp_positive", "off_ohm", "mated_v"}
# Never asked for: they can do harm (a lamp on a pair's input, battery or a jumper on the reference).
_NEVER_STATES = {"jumped_reference"}
_TYPICAL_TRACK_OHM = 4500.0
_STATES = {Family.HALL: ("absent", "present"), Family.SWITCH: ("open", "closed")}


def subject_of(case: BenchCase) -> Subject:
    """What the card says of the circuit, and what the battery was found at, as the diagnosis takes it."""
    circuit, sensor = case.circuit, case.circuit.sensor
    element = sensor.element
    values = {f"x{i + 1}": s.value for i, s in enumerate(circuit.stimuli) if s.value is not None}
    degrees = {f"x{i + 1}": 20.0 if s.temperature_degc is None else s.temperature_degc
               for i, s in enumerate(circuit.stimuli)}  # fmt: skip
    senses_heat = circuit.family in {Family.THERMISTOR, Family.THERMOCOUPLE}
    if senses_heat:  # the model of these is quick to make, so it can follow what was really applied
        degrees = {f"x{i + 1}": float(round(case.stimulus_value(i) or 0.0)) for i in case.points()}
    battery_v = case.number(Action.BATTERY_V)
    absolute = sensor.pressure_base is PressureBase.ABSOLUTE
    return Subject(
        circuit.family,
        supply_v=circuit.reference_v,
        supply_from_battery=circuit.battery_fed,
        sharers=circuit.sharer_count,
        inputs=_inputs(case),
        curve=None if sensor.curve is None else _curve(sensor.curve),
        stimuli={} if senses_heat else values,
        thermistor=element if isinstance(element, Thermistor) else None,
        temperatures_degc=degrees if senses_heat or isinstance(element, Thermistor) else {},
        pot_ohm=_track_ohm(case),
        low_when_present=element.low_when_present if isinstance(element, Switching) else True,
        coil=element if isinstance(element, Coil) else None,
        coil_differential=circuit.differential,
        shielded=circuit.shielded,
        frequency=element if isinstance(element, FrequencyCurve) else None,
        thermocouple_uv_per_k=element.uv_per_k if isinstance(element, ThermocoupleKind) else None,
        atmosphere=case.atmosphere_kpa if absolute else None,
        system_v=case.system_v,
        battery_v=None if battery_v is None else round(battery_v / _BATTERY_STEP_V) * _BATTERY_STEP_V,
        fixed_volts=sensor.curve is not None and sensor.curve.kind is CurveKind.VOLTS,
        full_scale_v=circuit.live_full_scale_v,
    )


def _track_ohm(case: BenchCase) -> float | None:
    if case.circuit.family is not Family.POTENTIOMETER:
        return None
    element = case.circuit.sensor.element
    return element.ohm if isinstance(element, Wiper) else _TYPICAL_TRACK_OHM


def _inputs(case: BenchCase) -> dict[str, KnownInput]:
    circuit, family = case.circuit, case.circuit.family
    inputs = {}
    if circuit.pull_up is not None:
        inputs[SIGNAL] = _pulled_up(circuit.pull_up)
    elif family in {Family.RATIOMETRIC, Family.POTENTIOMETER, Family.COMBO, Family.CONTROLLER_OUT}:
        inputs[SIGNAL] = KnownInput(InputKind.UNPULLED)
    if circuit.temperature_pull_up is not None and family is Family.COMBO:
        inputs[TEMPERATURE] = _pulled_up(circuit.temperature_pull_up)
    return inputs


def _pulled_up(pull_up: PullUp) -> KnownInput:
    return KnownInput(InputKind.PULL_UP, pull_up.resistance_ohm, pull_up.to_v)


def _curve(curve: StraightCurve) -> SignalCurve:
    full_v = 1.0 if curve.kind is CurveKind.RATIO else 5.0
    between = ((signal, (value - curve.value_low) / curve.span) for signal, value in curve.points[1:-1])
    return SignalCurve(
        curve.value_low,
        curve.value_high,
        curve.signal_low / full_v,
        curve.signal_high / full_v,
        tuple((part, signal / full_v) for signal, part in between),
    )


def wiring_of(case: BenchCase) -> Wiring:
    """The case's wiring, made once and kept with the case like its other derived properties."""
    kept: Wiring | None = case.__dict__.get("wiring")
    if kept is None:
        kept = case.__dict__["wiring"] = Wiring(case)
    return kept


@dataclass(frozen=True)
class Wiring:
    """A case in the diagnosis's words."""

    case: BenchCase
    subject: Subject = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "subject", subject_of(self.case))

    @cached_property
    def states(self) -> tuple[str, ...]:
        """The check's name of the state at each point."""
        family = self.case.circuit.family
        return _STATES.get(family, tuple(f"x{i + 1}" for i in self.case.points()))

    @cached_property
    def is_known(self) -> bool:
        """True when the card says of every pin what it is for."""
        return all(pin.role is not None for pin in self.case.circuit.pins)

    @cached_property
    def assignments(self) -> tuple[Mapping[str, str], ...]:
        """Every way in which the cavities may have their roles, given those that the card knows."""
        pins, roles = self.case.circuit.pins, FAMILIES[self.case.circuit.family].roles
        ways = (dict(zip((p.cavity for p in pins), way, strict=True)) for way in permutations(roles))
        return tuple(
            {cavity: str(role) for cavity, role in way.items()}
            for way in ways
            if all(pin.role is None or way[pin.cavity] is pin.role for pin in pins)
        )

    @cached_property
    def checks(self) -> tuple[Check, ...]:
        """Every check that may be asked for, pins named by cavity, channels by what they are."""
        found: dict[Check, None] = {}
        for check in checks_of(self.subject):
            for named in self._named(check):
                if self.slots_of(named):
                    found[named] = None
        return tuple(found)

    @cached_property
    def required(self) -> tuple[Check, ...]:
        """What a good circuit must have been read at, as far as the roles are known."""
        return tuple(named for check in required(self.subject) for named in self._named(check))

    def _named(self, check: Check) -> list[Check]:
        if check.state in _NEVER_STATES or (check.kind in _LAMPS and self.subject.is_pair):
            return []
        if check.kind in _CHANNEL_KINDS or not check.pin:
            return [check]
        if self.is_known:
            pin = self.case.pin_of(Role(check.pin))
            return [] if pin is None else [Check(check.kind, pin.cavity, check.state)]
        if check.kind not in _OF_ANY_PIN or (check.state and check.state != self.states[0]):
            return []
        return [Check(check.kind, pin.cavity, check.state) for pin in self.case.circuit.pins]

    @cached_property
    def parts(self) -> Mapping[str, frozenset[str]]:
        """The parts of an answer that are asked for, by kind of check."""
        found: dict[str, set[str]] = {}
        for check in self.checks:
            names = {self.part_of(check, slot) for slot in self.slots_of(check)}
            found.setdefault(check.kind, set()).update(names)
        return {kind: frozenset(names) for kind, names in found.items()}

    @staticmethod
    def part_of(check: Check, slot: Slot) -> str:
        """Which part of a check's answer a slot holds."""
        return "mv" if check.kind == "return_drop" else ACTIONS[Action(slot.action)].part

    # Slots and checks

    def slots_of(self, check: Check) -> tuple[Slot, ...]:
        """The slots that a check's answer fills, in the order in which they are asked; empty when none does."""
        specs = [s for s in ACTIONS.values() if s.check == check.kind and s.check_state in {"", check.state}]
        if check.kind in {"mated_dc", "return_drop"}:
            specs = [ACTIONS[Action.MATED_V]]
        if self.case.circuit.family is Family.THERMOCOUPLE and check.kind in _CHANNEL_KINDS:
            specs = [s for s in specs if s.part == "value"]  # its channel shows a temperature, never volts
        elif check.kind == "live":
            specs = [s for s in specs if s.part == "v"]
        slots = [slot for spec in specs if (slot := self._slot(spec, check)) is not None]
        return tuple(slots)

    def _slot(self, spec: ActionSpec, check: Check) -> Slot | None:
        cavity = self._cavity(spec, check)
        if "{pin}" in spec.ask and cavity is None:
            return None
        role = None if cavity is None else self.case.role_of(cavity)
        if check.kind == "mated_v" and role is Role.RETURN and self.is_known:
            return None  # read as the return's drop
        if check.kind == "mated_v" and role is not Role.SIGNAL and role is not Role.TEMPERATURE:
            return Slot(spec.action, cavity) if check.state == self.states[0] else None
        if check.kind == "mated_live" and spec.part == "value" and self.case.circuit.sensor.quantity is None:
            return None
        point = self.states.index(check.state) if check.state in self.states and not spec.check_state else None
        return Slot(spec.action, cavity, point)

    def _cavity(self, spec: ActionSpec, check: Check) -> str | None:
        if check.kind == "return_drop":
            pin = self.case.pin_of(Role.RETURN)
        elif check.kind in _CHANNEL_KINDS:
            pin = self.case.pin_of(Role(check.pin))
            if "{pin}" not in spec.ask and check.pin == SIGNAL:
                return None
        elif check.pin:
            return check.pin
        elif "{pin}" in spec.ask:
            pin = self.case.pin_of(Role.PLUS if self.subject.is_pair else Role.SIGNAL)
        else:
            return None
        return None if pin is None else pin.cavity

    @cached_property
    def _by_slot(self) -> dict[Slot, Check]:
        return {slot: check for check in (*self.checks, *self.required) for slot in self.slots_of(check)}

    def check_of(self, slot: Slot) -> Check | None:
        """The check whose answer a slot holds; None for one that the diagnosis has no use for."""
        return self._by_slot.get(slot)

    def observation(self, reading: Reading) -> tuple[str, Observation]:
        """A reading as the part of its check's answer that it is."""
        spec = ACTIONS[Action(reading.slot.action)]
        check = self.check_of(reading.slot)
        if reading.word is not None:
            return spec.part, None if reading.word == NO_DATA else reading.word
        assert reading.value is not None  # a reading has one of the two
        if check is not None and check.kind in {"return_drop", "thermo_mv"}:
            return "mv", reading.value * 1000
        return spec.part, reading.value + self._shift(reading)

    def _shift(self, reading: Reading) -> float:
        """What a reading would have shown at the planned stimulus instead of the one that was really applied."""
        curve, point = self.case.circuit.sensor.curve, reading.slot.point
        if curve is None or point is None:
            return 0.0
        planned, applied = self.case.circuit.stimuli[point].value, self.case.stimulus_value(point)
        if planned is None or applied is None or planned == applied or self.case.senses_heat(reading.slot):
            return 0.0
        if reading.slot.action == Action.LIVE_VALUE:
            return planned - applied
        if reading.slot.cavity is not None and self.case.role_of(reading.slot.cavity) is not Role.SIGNAL:
            return 0.0
        reference_v = self.case.circuit.reference_v
        return curve.value_to_signal_v(planned, reference_v) - curve.value_to_signal_v(applied, reference_v)
