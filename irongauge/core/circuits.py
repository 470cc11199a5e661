"""What is under test: the circuit with its connector, its sensor type, and the instruments it is tested with."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from uuid import UUID

from irongauge.core.transfer import LinearCurve
from irongauge.core.uncertainty import GaugeSpec, MeterSpec

__all__ = [
    "FAMILIES",
    "Circuit",
    "Family",
    "FamilySpec",
    "Instrument",
    "InstrumentKind",
    "Pin",
    "PullUp",
    "Role",
    "SensorType",
    "Stimulus",
]


class Role(StrEnum):
    """What a wire of a sensor is for."""

    REFERENCE = "reference"
    RETURN = "return"
    SIGNAL = "signal"


class Family(StrEnum):
    """Electrical families that can be tested today."""

    RATIOMETRIC_3W = "ratiometric-3w"
    POTENTIOMETER_3W = "potentiometer-3w"


@dataclass(frozen=True)
class FamilySpec:
    """A family's name for people and the roles that its pins have, in the usual order."""

    title: str
    roles: tuple[Role, ...]


_THREE_WIRE = (Role.REFERENCE, Role.RETURN, Role.SIGNAL)
FAMILIES = {
    Family.RATIOMETRIC_3W: FamilySpec("Three-wire sensor with an amplified output", _THREE_WIRE),
    Family.POTENTIOMETER_3W: FamilySpec("Three-wire position sensor with a wiper", _THREE_WIRE),
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
    """A known value that the sensor is put to: `label` says how, `value` is in the fixed unit of the curve."""

    label: str
    value: float


@dataclass(frozen=True)
class SensorType:
    """A sensor as its maker sells it. `tolerance_pct_span` is the greatest error allowed, in % of the curve's span."""

    uid: UUID
    name: str
    maker: str
    family: Family
    supply_v: float
    curve: LinearCurve
    tolerance_pct_span: float
    source: str = ""

    def __post_init__(self) -> None:
        if self.supply_v <= 0 or self.tolerance_pct_span <= 0:
            msg = "a sensor type has a positive supply and a positive tolerance"
            raise ValueError(msg)


@dataclass(frozen=True)
class Circuit:
    """One sensor circuit: connector, supply, controller input and the sensor that is fitted."""

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
    sharers: str = ""

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


class InstrumentKind(StrEnum):
    """What an instrument is used for here."""

    METER = "meter"
    LAMP = "lamp"
    GAUGE = "gauge"


@dataclass(frozen=True)
class Instrument:
    """A meter, test lamp or pressure gauge of the shop, with what is known of how well it reads.

    A meter has a `meter` specification and a gauge a `gauge` one; a lamp has neither. `due` is when its next
    calibration falls due.
    """

    uid: UUID
    kind: InstrumentKind
    name: str
    serial: str = ""
    meter: MeterSpec | None = None
    gauge: GaugeSpec | None = None
    due: date | None = None

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
