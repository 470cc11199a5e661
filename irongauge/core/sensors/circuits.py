"""What is under test: the circuit with its connector, its sensor type, and the instruments it is tested with."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum
from typing import Any
from uuid import UUID

from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import FIXED_UNIT, PressureBase, Quantity
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.licensed import Licence, PartOf, licence_of
from irongauge.core.sensors.live_reader import UNTOLD, LiveReader
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind
from irongauge.core.sensors.transfer import IN_VOLTS, Curve, CurveKind, LinearCurve, NtcCurve, StraightCurve, over_shunt
from irongauge.core.sensors.unreadable import Unreadable

__all__ = [
    "FAMILIES",
    "MOST_STIMULI",
    "Channel",
    "Circuit",
    "Element",
    "Endurance",
    "FamilySpec",
    "Instrument",
    "InstrumentKind",
    "Pin",
    "PullUp",
    "Role",
    "SensorType",
    "Stimulus",
    "Switching",
    "Wiper",
    "element_from_data",
    "element_to_data",
]


MOST_STIMULI = 2  # a circuit is proved at two: one for the offset, one for the slope


class Role(StrEnum):
    """What a wire of a sensor is for."""

    REFERENCE = "reference"
    RETURN = "return"
    SIGNAL = "signal"
    TEMPERATURE = "temperature"
    PLUS = "plus"
    MINUS = "minus"


@dataclass(frozen=True, kw_only=True)
class FamilySpec:
    """A family's name for people, the roles that its pins have in the usual order, and what its sensor's card must say.

    `states` name the states that it is put to where these have no value; a family with values has none.
    """

    title: str
    roles: tuple[Role, ...]
    needs_curve: bool = False
    element: type | None = None
    states: tuple[str, ...] = ()
    quantity: Quantity | None = None


@dataclass(frozen=True)
class Wiper:
    """The track of a position sensor with a wiper."""

    ohm: float


@dataclass(frozen=True)
class Switching:
    """An output that is a transistor to ground: whether it is low while the target is there."""

    low_when_present: bool = True


Element = Thermistor | Coil | FrequencyCurve | Wiper | Switching | ThermocoupleKind

# The figures of each element by the names that they have in files and in the database, beside those of the fields here: a
# field that is renamed changes no file.
_ELEMENTS: dict[str, tuple[Callable[..., Element], dict[str, str]]] = {
    "thermistor": (Thermistor, {"ohm_25": "ohm_25", "beta_k": "beta_k", "points": "points"}),
    "coil": (Coil, {"ohm": "ohm", "tolerance_pct": "tolerance_pct", "loose_vac": "loose_vac"}),
    "frequency": (
        FrequencyCurve,
        {
            "value_low": "value_low",
            "value_high": "value_high",
            "hz_low": "hz_low",
            "hz_high": "hz_high",
            "degc_low": "degc_low",
            "degc_high": "degc_high",
            "pulse_low_ms": "pulse_low_ms",
            "pulse_high_ms": "pulse_high_ms",
        },
    ),
    "wiper": (Wiper, {"ohm": "ohm"}),
    "switching": (Switching, {"low_when_present": "low_when_present"}),
    "thermocouple": (ThermocoupleKind, {"uv_per_k": "uv_per_k", "type": "letter"}),
}


def element_to_data(element: Element) -> dict[str, Any]:
    """An element as plain data: its `kind` and its figures by their names in files."""
    kind, (_, names) = next((kind, row) for kind, row in _ELEMENTS.items() if type(element) is row[0])
    return {"kind": kind, **{key: getattr(element, field) for key, field in names.items()}}


def element_from_data(data: Mapping[str, Any]) -> Element:
    """The element that plain data describes; `ValueError` when it is none."""
    try:
        made, names = _ELEMENTS[str(data.get("kind"))]
        figures = {
            names[key]: tuple(value) if isinstance(value, list) else value
            for key, value in data.items()
            if key != "kind"
        }
        return made(**figures)
    except (KeyError, TypeError) as error:
        msg = f"{data!r} describes no sensor element"
        raise ValueError(msg) from error


_TWO = (Role.SIGNAL, Role.RETURN)
_THREE = (Role.REFERENCE, Role.RETURN, Role.SIGNAL)
_PAIR = (Role.PLUS, Role.MINUS)
FAMILIES = {
    Family.RATIOMETRIC: FamilySpec(title="Three-wire sensor with an amplified output", roles=_THREE, needs_curve=True),
    Family.POTENTIOMETER: FamilySpec(
        title="Three-wire position sensor with a wiper", roles=_THREE, needs_curve=True, element=Wiper
    ),
    Family.THERMISTOR: FamilySpec(
        title="Two-wire temperature sensor (NTC)", roles=_TWO, element=Thermistor, quantity=Quantity.TEMPERATURE
    ),
    Family.COMBO: FamilySpec(
        title="Four-wire pressure and temperature sensor",
        roles=(*_THREE, Role.TEMPERATURE),
        needs_curve=True,
        element=Thermistor,
    ),
    Family.HALL: FamilySpec(
        title="Three-wire Hall or optical switch",
        roles=_THREE,
        element=Switching,
        states=("target away", "target there"),
    ),
    Family.FREQUENCY: FamilySpec(
        title="Three-wire frequency sensor, such as fuel composition",
        roles=_THREE,
        element=FrequencyCurve,
        quantity=Quantity.SHARE,
    ),
    Family.CONTROLLER_OUT: FamilySpec(
        title="Powered controller with a 0 to 5 V output", roles=_THREE, needs_curve=True
    ),
    Family.RELUCTANCE: FamilySpec(
        title="Two-wire reluctance (coil) sensor", roles=_PAIR, element=Coil, states=("turning",)
    ),
    Family.THERMOCOUPLE: FamilySpec(
        title="Thermocouple", roles=_PAIR, element=ThermocoupleKind, quantity=Quantity.TEMPERATURE
    ),
    Family.SWITCH: FamilySpec(title="Switch to ground", roles=_TWO, states=("open", "closed")),
    Family.CURRENT_LOOP: FamilySpec(
        title="Two-wire current sensor, 4 to 20 mA", roles=(Role.REFERENCE, Role.SIGNAL), needs_curve=True
    ),
}


@dataclass(frozen=True)
class Pin:
    """One cavity of the harness connector. `role` is None until it is known."""

    cavity: str
    wire_colour: str = ""
    role: Role | None = None


@dataclass(frozen=True)
class PullUp:
    """The resistor in the controller that puts a bias on an unplugged signal wire."""

    resistance_ohm: float
    to_v: float

    def __post_init__(self) -> None:
        if self.resistance_ohm <= 0 or self.to_v <= 0:
            msg = "a pull-up has positive ohms and pulls to positive volts"
            raise ValueError(msg)


@dataclass(frozen=True)
class Stimulus:
    """A known state that the sensor is put to: `label` says how.

    `value` is in the fixed unit of what it senses; None for a state without one, such as a target there or away.
    `temperature_degc` is that of the thermistor in a sensor that also has one.
    """

    label: str
    value: float | None
    temperature_degc: float | None = None


@dataclass(frozen=True)
class Channel:
    """One signal of a sensor that follows a value, and the curve that it follows."""

    name: str
    curve: Curve


@dataclass(frozen=True, kw_only=True)
class Endurance:
    """What a sensor's data sheet says it bears at its place; None where it does not say.

    `overpressure_kpa` is the greatest pressure that leaves it unharmed, on the base of its curve.
    """

    low_degc: float | None = None
    high_degc: float | None = None
    overpressure_kpa: float | None = None

    def __post_init__(self) -> None:
        if self.low_degc is not None and self.high_degc is not None and self.low_degc >= self.high_degc:
            msg = "the least temperature that it bears lies below the greatest"
            raise ValueError(msg)


@dataclass(frozen=True, kw_only=True)
class SensorType:
    """A sensor as its maker sells it. `tolerance_pct_span` is the greatest error allowed, in % of the curve's span.

    Below `fault_low_v` and above `fault_high_v`, where given, no signal of a good circuit lies.
    """

    uid: UUID
    name: str
    maker: str
    family: Family
    supply_v: float
    curve: StraightCurve | None
    tolerance_pct_span: float
    source: str = ""
    element: Element | None = None
    fault_low_v: float | None = None
    fault_high_v: float | None = None
    bears: Endurance = Endurance()

    def __post_init__(self) -> None:
        spec = FAMILIES[self.family]
        if self.supply_v <= 0 or self.tolerance_pct_span <= 0:
            msg = "a sensor type has a positive supply and a positive tolerance"
            raise ValueError(msg)
        if spec.needs_curve != (self.curve is not None):
            msg = f"a {self.family} sensor has {'a' if spec.needs_curve else 'no'} straight curve"
            raise ValueError(msg)
        # The track of a wiper may be left out: it is then taken for a usual one.
        if spec.element is not Wiper and (self.element is not None) != (spec.element is not None):
            msg = f"a {self.family} sensor {'lacks' if spec.element else 'has no'} figures of its own kind"
            raise ValueError(msg)
        if self.element is not None and not isinstance(self.element, spec.element or ()):
            msg = f"a {self.family} sensor is not described by a {type(self.element).__name__}"
            raise ValueError(msg)
        is_loop = self.family is Family.CURRENT_LOOP
        if self.curve is not None and self.curve.kind not in ((CurveKind.CURRENT,) if is_loop else IN_VOLTS):
            msg = f"the curve of a {self.family} sensor is in {'mA' if is_loop else 'volts or a share of its supply'}"
            raise ValueError(msg)
        if self.fault_low_v is not None and self.fault_high_v is not None and self.fault_low_v >= self.fault_high_v:
            msg = "the fault volts below the range are lower than those above it"
            raise ValueError(msg)
        if self.bears.overpressure_kpa is not None and self.quantity is not Quantity.PRESSURE:
            msg = "only a pressure sensor bears an overpressure"
            raise ValueError(msg)

    @property
    def quantity(self) -> Quantity | None:
        """What it senses; None for one that only switches or turns."""
        return FAMILIES[self.family].quantity if self.curve is None else self.curve.quantity

    @property
    def unit(self) -> str | None:
        """Code of the fixed unit of its values."""
        return None if self.quantity is None else FIXED_UNIT[self.quantity]

    @property
    def pressure_base(self) -> PressureBase | None:
        """What its pressure is counted from; None where it senses no pressure."""
        return None if self.curve is None else self.curve.pressure_base

    @property
    def channels(self) -> tuple[Channel, ...]:
        """What it can be calibrated for: a curve for each signal that follows a value, the main one first."""
        found = [] if self.curve is None else [Channel("signal", self.curve)]
        match self.element:
            case Thermistor():
                found.append(Channel("temperature", NtcCurve(self.element)))
            case FrequencyCurve() as f:
                found.append(
                    Channel(
                        "frequency",
                        LinearCurve(
                            kind=CurveKind.HERTZ,
                            quantity=Quantity.SHARE,
                            signal_low=f.hz_low,
                            signal_high=f.hz_high,
                            value_low=f.value_low,
                            value_high=f.value_high,
                        ),
                    )
                )
                found.append(
                    Channel(
                        "pulse",
                        LinearCurve(
                            kind=CurveKind.PULSE,
                            quantity=Quantity.TEMPERATURE,
                            signal_low=f.pulse_low_ms,
                            signal_high=f.pulse_high_ms,
                            value_low=f.degc_low,
                            value_high=f.degc_high,
                        ),
                    )
                )
        return tuple(found)

    @property
    def value_limits(self) -> tuple[float, float]:
        """Least and greatest value that it can show, in the fixed unit."""
        if self.curve is not None:
            return self.curve.value_low, self.curve.value_high
        if isinstance(self.element, FrequencyCurve):
            return self.element.value_low, self.element.value_high
        return (-55.0, 1300.0) if self.family is Family.THERMOCOUPLE else (-55.0, 200.0)


@dataclass(frozen=True, kw_only=True)
class Circuit:
    """One sensor circuit: connector, supply, controller input and the sensor that is fitted.

    `controller` names the type of controller that reads it, and `reader` what live data shows of it there. One with a
    `retired_why` is not there any more: its record stays, and a hand-over does not wait for it. `shunt_ohm` is the resistor at
    the input of a current loop. Without a `pull_up` it is not known what hangs on the input, unless it is `unpulled`: known to
    have none. `unreadable` are readings of which somebody said that they cannot be taken. `part_of` says whether it is of a
    system that is left to licensed work, `to_wire` that its wiring is still to be made.
    """

    uid: UUID
    name: str
    family: Family
    pins: tuple[Pin, ...]
    reference_v: float
    sensor: SensorType
    stimuli: tuple[Stimulus, ...]
    pull_up: PullUp | None = None
    live_channel: str = ""
    live_full_scale_v: float = 5.0
    others_on_reference: str = ""
    temperature_pull_up: PullUp | None = None
    controller: str = ""
    reader: LiveReader = UNTOLD
    battery_fed: bool = False
    differential: bool = False
    shielded: bool = False
    retired_why: str = ""
    shunt_ohm: float | None = None
    unpulled: bool = False
    unreadable: tuple[Unreadable, ...] = ()
    part_of: PartOf = PartOf.NOT_TOLD
    to_wire: bool = False

    def __post_init__(self) -> None:
        cavities = [pin.cavity for pin in self.pins]
        roles = [pin.role for pin in self.pins if pin.role is not None]
        allowed = FAMILIES[self.family].roles
        if len(cavities) != len(allowed) or len(set(cavities)) != len(cavities):
            msg = f"{self.family} has {len(allowed)} pins, each in a cavity of its own"
            raise ValueError(msg)
        if len(set(roles)) != len(roles) or not set(roles) <= set(allowed):
            msg = "each role belongs to one pin"
            raise ValueError(msg)
        if self.reference_v <= 0 or self.live_full_scale_v <= 0 or not self.stimuli:
            msg = "a circuit has a positive reference, a positive full scale and at least one stimulus"
            raise ValueError(msg)
        if (self.family is Family.CURRENT_LOOP) != (self.shunt_ohm is not None) or (self.shunt_ohm or 1.0) <= 0:
            msg = "a current loop, and nothing else, is read over a shunt of positive ohms"
            raise ValueError(msg)
        if self.unpulled and self.pull_up is not None:
            msg = "an input has a pull-up, or is known to have none"
            raise ValueError(msg)
        states = FAMILIES[self.family].states
        if states and len(self.stimuli) != len(states):
            msg = f"a {self.family} circuit is put to {len(states)} states: {', '.join(states)}"
            raise ValueError(msg)
        if any((stimulus.value is None) != bool(states) for stimulus in self.stimuli):
            msg = "a state has a value where the sensor senses one, and none where it only switches or turns"
            raise ValueError(msg)

    @property
    def licence(self) -> Licence | None:
        """Whose work it is, where it is left to those who are licensed for it."""
        return licence_of(self.name, self.part_of)

    @property
    def seen_curve(self) -> StraightCurve | None:
        """The sensor's curve as the input sees it: of a current loop in volts over the shunt."""
        curve = self.sensor.curve
        return curve if curve is None or self.shunt_ohm is None else over_shunt(curve, self.shunt_ohm)

    @property
    def shows_slope(self) -> bool:
        """False where what it senses is put to one value only: that proves the wiring, and any slope goes through it."""
        values = {stimulus.value for stimulus in self.stimuli}
        return None in values or len(values) > 1

    @property
    def other_count(self) -> int:
        """How many other sensors the card names on this reference."""
        return len([name for name in self.others_on_reference.replace(";", ",").split(",") if name.strip()])


class InstrumentKind(StrEnum):
    """What an instrument is used for here."""

    METER = "meter"
    LAMP = "lamp"
    GAUGE = "gauge"


@dataclass(frozen=True, kw_only=True)
class Instrument:
    """A meter, test lamp or pressure gauge of the shop, with what is known of how well it reads.

    A meter has a `meter` specification and a gauge a `gauge` one; a lamp has neither. `due` is when its next calibration falls
    due, `address` where a meter is on the network. One that is `retired` was replaced by a changed card, and only records still
    name it.
    """

    uid: UUID
    kind: InstrumentKind
    name: str
    serial: str = ""
    meter: MeterSpec | None = None
    gauge: GaugeSpec | None = None
    due: date | None = None
    address: str = field(default="", compare=False)
    retired: bool = field(default=False, compare=False)

    def __post_init__(self) -> None:
        if (self.kind is InstrumentKind.METER) != (self.meter is not None):
            msg = "a meter, and nothing else, has a meter specification"
            raise ValueError(msg)
        if (self.kind is InstrumentKind.GAUGE) != (self.gauge is not None):
            msg = "a gauge, and nothing else, has a gauge specification"
            raise ValueError(msg)

    def overdue_on(self, day: date) -> bool:
        """True when its calibration was due before that day."""
        return self.due is not None and self.due < day
