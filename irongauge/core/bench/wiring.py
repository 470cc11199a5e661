"""Between the Bench's words and the diagnosis's: which test point is which check, and what a circuit's card says of it.

A test point names a cavity and a stimulus, since that is what a technician touches; a check names what the model knows. Where
roles are not written on the card, every way in which they may lie is a possible assignment of cavities.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import permutations

from irongauge.core.bench.actions import ACTIONS, Action, ActionSpec
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.reach import hindrance_of
from irongauge.core.diagnosis.circuit_under_test import (
    SIGNAL,
    TEMPERATURE,
    CircuitUnderTest,
    InputKind,
    KnownInput,
    SignalCurve,
)
from irongauge.core.diagnosis.role_points import Observation, RolePoint
from irongauge.core.diagnosis.strategy import required, role_points_of
from irongauge.core.measure.entry import NO_DATA
from irongauge.core.measure.quantities import ON_THE_WAY, Reading, TestPoint
from irongauge.core.measure.units import PressureBase
from irongauge.core.sensors.circuits import FAMILIES, PullUp, Role, Switching, Wiper
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.live_reader import Shown
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind
from irongauge.core.sensors.transfer import CurveKind, StraightCurve

__all__ = ["Wiring", "subject_of", "track_ohm", "wiring_of"]

_BATTERY_STEP_V = 0.25  # so that a new reading of the battery does not mean a new model
_CHANNEL_KINDS = {"live", "mated_live"}
_LAMPS = {"lamp_negative", "lamp_positive"}
# What can be asked of a pin whose role is not known, and of the channel that it must end in.
_OF_ANY_PIN = {"open_v", "lamp_negative", "lamp_positive", "off_ohm", "mated_v"}
# Never asked for: they can do harm (a lamp on a pair's input, battery or a jumper on the reference).
_NEVER_STATES = {"jumped_reference"}
_TYPICAL_TRACK_OHM = 4500.0  # position sensors have 1 to 10 kΩ; near the middle of that in decades
_STATES = {Family.HALL: ("absent", "present"), Family.SWITCH: ("open", "closed")}


def subject_of(case: BenchCase) -> CircuitUnderTest:
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
    return CircuitUnderTest(
        family=circuit.family,
        supply_v=circuit.reference_v,
        supply_from_battery=circuit.battery_fed,
        others_on_reference=circuit.other_count,
        inputs=_inputs(case),
        curve=None if circuit.seen_curve is None else _curve(circuit.seen_curve),
        stimuli={} if senses_heat else values,
        thermistor=element if isinstance(element, Thermistor) else None,
        temperatures_degc=degrees if senses_heat or isinstance(element, Thermistor) else {},
        pot_ohm=track_ohm(case),
        low_when_present=element.low_when_present if isinstance(element, Switching) else True,
        coil=element if isinstance(element, Coil) else None,
        coil_differential=circuit.differential,
        shielded=circuit.shielded,
        frequency=element if isinstance(element, FrequencyCurve) else None,
        thermocouple=element if isinstance(element, ThermocoupleKind) else None,
        atmosphere=case.atmosphere_kpa if absolute else None,
        system_v=case.system_v,
        battery_v=None if battery_v is None else round(battery_v / _BATTERY_STEP_V) * _BATTERY_STEP_V,
        fixed_volts=circuit.seen_curve is not None and circuit.seen_curve.kind is CurveKind.VOLTS,
        full_scale_v=circuit.live_full_scale_v,
        reader=circuit.reader,
        ways=_ways(case),
        tolerance_share=sensor.tolerance_pct_span / 100,
    )


def _ways(case: BenchCase) -> dict[str, tuple[tuple[str, float], ...]]:
    """The places that were read on the way of each pin's wire, where its role is known."""
    found: dict[str, list[tuple[str, float]]] = {}
    for test_point, share in case.ways.items():
        role = case.role_of(test_point.cavity or "")
        if role is not None:
            found.setdefault(str(role), []).append((test_point.place, share))
    return {role: tuple(sorted(places)) for role, places in sorted(found.items())}


def track_ohm(case: BenchCase) -> float | None:
    """Ohms from end to end of a potentiometer's track, a usual one where none is told; None for another family."""
    if case.circuit.family is not Family.POTENTIOMETER:
        return None
    element = case.circuit.sensor.element
    return element.ohm if isinstance(element, Wiper) else _TYPICAL_TRACK_OHM


def _inputs(case: BenchCase) -> dict[str, KnownInput]:
    circuit, family = case.circuit, case.circuit.family
    inputs = {}
    if circuit.pull_up is not None:
        inputs[SIGNAL] = _pulled_up(circuit.pull_up)
    elif circuit.shunt_ohm is not None:
        inputs[SIGNAL] = KnownInput(InputKind.PULL_DOWN, circuit.shunt_ohm)
    elif circuit.unpulled:
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
    subject: CircuitUnderTest = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "subject", subject_of(self.case))

    @cached_property
    def states(self) -> tuple[str, ...]:
        """The check's name of the state at each point."""
        family = self.case.circuit.family
        return _STATES.get(family, tuple(f"x{i + 1}" for i in self.case.points()))

    @cached_property
    def is_known(self) -> bool:
        """True when it is given of every pin what it is for."""
        return self.case.roles_are_given

    @cached_property
    def assignments(self) -> tuple[Mapping[str, str], ...]:
        """Every way in which the cavities may have their roles, given those that the card knows."""
        pins, roles = self.case.circuit.pins, FAMILIES[self.case.circuit.family].roles
        ways = (dict(zip((p.cavity for p in pins), way, strict=True)) for way in permutations(roles))
        return tuple(
            {cavity: str(role) for cavity, role in way.items()}
            for way in ways
            if all((role := self.case.given_role_of(pin.cavity)) is None or way[pin.cavity] is role for pin in pins)
        )

    @cached_property
    def role_points(self) -> tuple[RolePoint, ...]:
        """Every check that may be asked for, pins named by cavity, channels by what they are."""
        return tuple(role_point for role_point in self._all_role_points if self.in_reach_of(role_point))

    @cached_property
    def _all_role_points(self) -> tuple[RolePoint, ...]:
        """The same, also those of which nothing can be read here."""
        named = (named for role_point in role_points_of(self.subject) for named in self._named(role_point))
        return tuple(dict.fromkeys(role_point for role_point in named if self.test_points_of(role_point)))

    @cached_property
    def required(self) -> tuple[RolePoint, ...]:
        """What a good circuit must have been read at, as far as the roles are known."""
        driven = {
            str(role)
            for pin in self.case.circuit.pins
            if (role := self.case.role_of(pin.cavity)) is not None and self.case.is_driven(pin.cavity)
        }
        return tuple(named for role_point in required(self.subject, driven) for named in self._named(role_point))

    def _named(self, role_point: RolePoint) -> list[RolePoint]:
        if role_point.state in _NEVER_STATES or (role_point.kind in _LAMPS and self.subject.is_two_leg):
            return []
        if role_point.kind in _CHANNEL_KINDS or not role_point.pin:
            return [role_point]
        if self.is_known:
            pin = self.case.pin_of(Role(role_point.pin))
            return [] if pin is None else [RolePoint(role_point.kind, pin.cavity, role_point.state)]
        if role_point.kind not in _OF_ANY_PIN or (role_point.state and role_point.state != self.states[0]):
            return []
        return [RolePoint(role_point.kind, pin.cavity, role_point.state) for pin in self.case.circuit.pins]

    @cached_property
    def parts(self) -> Mapping[str, frozenset[str]]:
        """The parts of an answer that are asked for, by kind of check."""
        found: dict[str, set[str]] = {}
        for role_point in self.role_points:
            names = {self.part_of(role_point, test_point) for test_point in self.in_reach_of(role_point)}
            found.setdefault(role_point.kind, set()).update(names)
        return {kind: frozenset(names) for kind, names in found.items()}

    @staticmethod
    def part_of(role_point: RolePoint, test_point: TestPoint) -> str:
        """Which part of a check's answer a test point holds."""
        return "mv" if role_point.kind == "return_drop" else ACTIONS[Action(test_point.action)].part

    # Test points and checks

    def test_points_of(self, role_point: RolePoint) -> tuple[TestPoint, ...]:
        """The test points that a check's answer fills, in the order in which they are asked; empty when none does."""
        reader = self.case.circuit.reader
        specs = [
            s for s in ACTIONS.values() if s.role_point == role_point.kind and s.check_state in {"", role_point.state}
        ]
        if role_point.kind in {"mated_dc", "return_drop"}:
            specs = [ACTIONS[Action.MATED_V]]
        if self.case.circuit.family is Family.THERMOCOUPLE and role_point.kind in _CHANNEL_KINDS:
            specs = [s for s in specs if s.shown is Shown.VALUE]  # its channel shows a temperature, never volts
        elif role_point.kind == "live":
            wanted = Shown.SIGNAL if reader.shows_signal else Shown.VALUE
            specs = [s for s in specs if s.shown is wanted]
        specs = [s for s in specs if s.shown is None or reader.shows(s.shown)]
        test_points = [test_point for spec in specs if (test_point := self._test_point(spec, role_point)) is not None]
        return tuple(test_points)

    def in_reach_of(self, role_point: RolePoint) -> tuple[TestPoint, ...]:
        """The same without those of which somebody said that they cannot be read."""
        return tuple(point for point in self.test_points_of(role_point) if hindrance_of(self.case, point) is None)

    def _test_point(self, spec: ActionSpec, role_point: RolePoint) -> TestPoint | None:
        cavity = self._cavity(spec, role_point)
        if role_point.kind == ON_THE_WAY:
            return TestPoint(spec.action, cavity, None, role_point.state)
        if "{pin}" in spec.ask and cavity is None:
            return None
        role = None if cavity is None else self.case.role_of(cavity)
        if role_point.kind == "mated_v" and role is Role.RETURN and self.is_known:
            return None  # read as the return's drop
        if role_point.kind == "mated_v" and role is not Role.SIGNAL and role is not Role.TEMPERATURE:
            return TestPoint(spec.action, cavity) if role_point.state == self.states[0] else None
        if role_point.kind in _CHANNEL_KINDS and not self._is_told_apart(spec, role_point, cavity):
            return None
        point = (
            self.states.index(role_point.state) if role_point.state in self.states and not spec.check_state else None
        )
        return TestPoint(spec.action, cavity, point)

    def _is_told_apart(self, spec: ActionSpec, role_point: RolePoint, cavity: str | None) -> bool:
        """False for what a channel cannot show, and for the temperature's as long as nobody knows its pin: it would be taken for
        the signal's.
        """
        if role_point.pin == TEMPERATURE and cavity is None:
            return False
        return spec.part != "value" or self.case.circuit.sensor.quantity is not None

    def _cavity(self, spec: ActionSpec, role_point: RolePoint) -> str | None:
        if role_point.kind == "return_drop":
            pin = self.case.pin_of(Role.RETURN)
        elif role_point.kind in _CHANNEL_KINDS:
            pin = self.case.pin_of(Role(role_point.pin))
            if "{pin}" not in spec.ask and role_point.pin == SIGNAL:
                return None
        elif role_point.pin:
            return role_point.pin
        elif "{pin}" in spec.ask:
            pin = self.case.pin_of(Role.PLUS if self.subject.is_two_leg else Role.SIGNAL)
        else:
            return None
        return None if pin is None else pin.cavity

    @cached_property
    def _by_test_point(self) -> dict[TestPoint, RolePoint]:
        return {
            test_point: role_point
            for role_point in (*self._all_role_points, *self.required)
            for test_point in self.test_points_of(role_point)
        }

    def role_point_of(self, test_point: TestPoint) -> RolePoint | None:
        """The check whose answer a test point holds; None for one that the diagnosis has no use for."""
        return self._by_test_point.get(test_point)

    def observation(self, reading: Reading) -> tuple[str, Observation]:
        """A reading as the part of its check's answer that it is."""
        spec = ACTIONS[Action(reading.test_point.action)]
        role_point = self.role_point_of(reading.test_point)
        if reading.word is not None:
            return spec.part, None if reading.word == NO_DATA else reading.word
        assert reading.value is not None  # a reading has one of the two
        if role_point is not None and role_point.kind in {"return_drop", "thermo_mv"}:
            return "mv", reading.value * 1000
        return spec.part, reading.value + self._shift(reading)

    def _shift(self, reading: Reading) -> float:
        """What a reading would have shown at the planned stimulus instead of the one that was really applied."""
        circuit, point = self.case.circuit, reading.test_point.point
        in_ma = reading.test_point.action == Action.LOOP_MA
        curve = circuit.sensor.curve if in_ma else circuit.seen_curve
        if curve is None or point is None:
            return 0.0
        planned, applied = self.case.circuit.stimuli[point].value, self.case.stimulus_value(point)
        if planned is None or applied is None or planned == applied or self.case.senses_heat(reading.test_point):
            return 0.0
        if reading.test_point.action == Action.LIVE_VALUE:
            return planned - applied
        if reading.test_point.cavity is not None and self.case.role_of(reading.test_point.cavity) is not Role.SIGNAL:
            return 0.0
        reference_v = self.case.circuit.reference_v
        return curve.value_to_signal_v(planned, reference_v) - curve.value_to_signal_v(applied, reference_v)
