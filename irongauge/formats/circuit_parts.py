"""The parts of a job file that are about circuits, and what they are in core: also what the API gives and takes.

A part mirrors a dataclass of core field by field, so that renaming a field there changes no file.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC
from typing import Annotated, TypeVar
from uuid import UUID

from pydantic import Field, StringConstraints

from irongauge.core.bench.actions import Action
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.job_record import CircuitRecord
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint, VehicleState
from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import Quantity
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.sensors.circuits import (
    MOST_STIMULI,
    Circuit,
    Endurance,
    Instrument,
    InstrumentKind,
    Pin,
    PullUp,
    Role,
    SensorType,
    Stimulus,
)
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.sensors.live_reader import LiveReader
from irongauge.core.sensors.unreadable import MOST_UNREADABLE, Hindrance, Unreadable
from irongauge.formats.curve_parts import CalibrationPart, CurvePart, curve_from_part, curve_part
from irongauge.formats.elements import ElementPart, element_from_part, element_part
from irongauge.formats.parts import Day, FilePart, Finite, Long, Moment, Name, Positive, Short

__all__ = [
    "CircuitPart",
    "InstrumentPart",
    "PinPart",
    "PullUpPart",
    "ReaderPart",
    "ReadingPart",
    "SensorTypePart",
    "StimulusPart",
    "TechnicianPart",
    "circuit_from_part",
    "circuit_part",
    "instrument_from_part",
    "instrument_part",
    "named_in",
    "sensor_from_part",
    "sensor_part",
]

_SHOWN = Field(ge=-1e6, le=1e6)  # no screen shows more
Thing = TypeVar("Thing")


class TechnicianPart(FilePart):
    uid: UUID
    name: Name


class InstrumentPart(FilePart):
    """A meter has the three meter fields, a gauge the three gauge fields, a lamp none."""

    uid: UUID
    kind: InstrumentKind
    name: Name
    serial: Short = ""
    reading_pct: float | None = Field(None, ge=0, le=20, description="Meter: % of reading")
    digits: float | None = Field(None, ge=0, le=100, description="Meter: last digits")
    counts: int | None = Field(None, ge=1000, le=10_000_000, description="Meter: counts of its display")
    quantity: Quantity | None = Field(None, description="Gauge: what it measures")
    full_scale: Positive | None = Field(None, description="Gauge: full scale, fixed unit of its quantity")
    full_scale_pct: float | None = Field(None, ge=0, le=20, description="Gauge: % of full scale")
    due: Day | None = None


class SensorTypePart(FilePart):
    uid: UUID
    name: Name
    maker: Short = ""
    family: Family
    supply_v: float = Field(gt=0, le=32)
    curve: CurvePart | None = Field(None, description="Families with a straight curve")
    element: ElementPart | None = Field(None, description="Families with figures of their own kind")
    tolerance_pct_span: float = Field(gt=0, le=50)
    source: Long = ""
    fault_low_v: Finite | None = Field(None, description="No good signal lies below")
    fault_high_v: Finite | None = Field(None, description="No good signal lies above")
    bears_low_degc: Annotated[float, Field(ge=-273.15, le=2000)] | None = None
    bears_high_degc: Annotated[float, Field(ge=-273.15, le=2000)] | None = None
    overpressure_kpa: Annotated[float, Field(gt=0, le=1e6)] | None = Field(
        None, description="Greatest pressure that leaves it unharmed, on its curve's base"
    )


class PinPart(FilePart):
    cavity: Annotated[str, StringConstraints(min_length=1, max_length=4)]
    wire_colour: Annotated[str, StringConstraints(max_length=24)] = ""
    role: Role | None = None


class StimulusPart(FilePart):
    label: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    value: Finite | None = Field(None, description="Fixed unit; none for a state without one")
    temperature_degc: Finite | None = Field(None, description="Of the thermistor in a sensor that also has one")


class PullUpPart(FilePart):
    resistance_ohm: Positive
    to_v: Positive

    @classmethod
    def from_core(cls, pull_up: PullUp | None) -> PullUpPart | None:
        return None if pull_up is None else cls(resistance_ohm=pull_up.resistance_ohm, to_v=pull_up.to_v)

    def to_core(self) -> PullUp:
        return PullUp(self.resistance_ohm, self.to_v)


class ReadingPart(FilePart):
    """One reading. Either `value` with `unit`, or `word`."""

    uid: UUID
    action: Action
    cavity: str | None = None
    point: int | None = Field(None, ge=0, le=9)
    value: Finite | None = None
    unit: Annotated[str, StringConstraints(max_length=10)] | None = None
    word: Annotated[str, StringConstraints(max_length=12)] | None = None
    state: VehicleState
    typed: Annotated[str, StringConstraints(max_length=300)]
    stimulus_value: Finite | None = None
    instrument_uid: UUID | None = None
    stimulus_instrument_uid: UUID | None = None
    technician_uid: UUID
    taken_at: Moment
    supersedes_uid: UUID | None = None
    reason: SupersedeReason | None = None
    place: Annotated[str, StringConstraints(max_length=60)] = Field(
        "", description="Of `way_v`: where on the wire's way"
    )
    way_share: Annotated[float, Field(ge=0, le=1)] | None = Field(
        None, description="Of `way_v`: how far along, 0 at the controller and 1 at the sensor"
    )
    read_off: Annotated[str, StringConstraints(max_length=200)] = Field(
        "", description="What a meter or a bus itself said, where the entry was filled from it"
    )
    overdue_why: Annotated[str, StringConstraints(max_length=200)] = Field(
        "", description="Why an instrument was used whose calibration was due"
    )

    @classmethod
    def from_core(cls, reading: Reading) -> ReadingPart:
        return cls(
            uid=reading.uid,
            action=Action(reading.test_point.action),
            cavity=reading.test_point.cavity,
            point=reading.test_point.point,
            value=reading.value,
            unit=reading.unit,
            word=reading.word,
            state=reading.state,
            typed=reading.typed,
            stimulus_value=reading.stimulus_value,
            instrument_uid=reading.instrument_uid,
            stimulus_instrument_uid=reading.stimulus_instrument_uid,
            technician_uid=reading.technician_uid,
            taken_at=reading.taken_at.astimezone(UTC),
            supersedes_uid=reading.supersedes_uid,
            reason=reading.reason,
            place=reading.test_point.place,
            way_share=reading.way_share,
            read_off=reading.read_off,
            overdue_why=reading.overdue_why,
        )

    def to_core(self) -> Reading:
        return Reading(
            uid=self.uid,
            test_point=TestPoint(self.action, self.cavity, self.point, self.place),
            value=self.value,
            word=self.word,
            unit=self.unit,
            state=self.state,
            typed=self.typed,
            technician_uid=self.technician_uid,
            taken_at=self.taken_at,
            instrument_uid=self.instrument_uid,
            stimulus_value=self.stimulus_value,
            stimulus_instrument_uid=self.stimulus_instrument_uid,
            supersedes_uid=self.supersedes_uid,
            reason=self.reason,
            way_share=self.way_share,
            read_off=self.read_off,
            overdue_why=self.overdue_why,
        )


class ReaderPart(FilePart):
    """What the live data reader shows of a channel; ends and fault in the fixed unit of what the sensor senses.

    An end that is left out is not known.
    """

    shows_signal: Annotated[bool, Field(description="What the controller reads: volts, hertz or a count")] = True
    shows_value: Annotated[bool, Field(description="What it makes of it")] = True
    least: Annotated[Finite | None, _SHOWN, Field(description="Where a shown value stops at its low end")] = None
    most: Annotated[Finite | None, _SHOWN, Field(description="Where it stops at its high end")] = None
    fault_value: Annotated[Finite | None, _SHOWN, Field(description="What is shown once a fault is set")] = None

    @classmethod
    def from_core(cls, reader: LiveReader) -> ReaderPart:
        return cls(
            shows_signal=reader.shows_signal,
            shows_value=reader.shows_value,
            least=reader.least,
            most=reader.most,
            fault_value=reader.fault_value,
        )

    def to_core(self) -> LiveReader:
        return LiveReader(
            shows_signal=self.shows_signal,
            shows_value=self.shows_value,
            least=self.least,
            most=self.most,
            fault_value=self.fault_value,
        )


class UnreadablePart(FilePart):
    """A reading of which somebody said that it cannot be taken, and what is in the way."""

    test_point: Annotated[str, StringConstraints(max_length=80)]
    hindrance: Hindrance

    def to_core(self) -> Unreadable:
        test_point = TestPoint.from_text(self.test_point)
        if test_point.action not in set(Action):
            msg = f"it says that {self.test_point} cannot be read, which no circuit has"
            raise ValueError(msg)
        return Unreadable(test_point, self.hindrance)


class VerdictPart(FilePart):
    """What followed from a circuit's readings when the file was written. It is concluded anew wherever the file is read."""

    level: Annotated[str, StringConstraints(max_length=60)]
    headline: Annotated[str, StringConstraints(max_length=2000)]
    detail: Annotated[str, StringConstraints(max_length=4000)]


class CircuitPart(FilePart):
    uid: UUID
    name: Name
    family: Family
    reference_v: float = Field(gt=0, le=32)
    pull_up: PullUpPart | None = None
    sensor_type_uid: UUID
    live_channel: Annotated[str, StringConstraints(max_length=40)] = ""
    live_full_scale_v: float = Field(5.0, gt=0, le=32)
    sharers: Long = Field("", description="Others on this reference, separated by commas")
    temperature_pull_up: PullUpPart | None = None
    battery_fed: bool = Field(default=False, description="Supplied from the battery, not from a reference")
    differential: bool = Field(default=False, description="A pair's input takes both legs against each other")
    shielded: bool = False
    unpulled: bool = Field(default=False, description="The input is known to have no pull-up; else nobody knows")
    to_wire: bool = Field(default=False, description="Its wiring is still to be made")
    part_of: PartOf = Field(
        PartOf.NOT_TOLD, description="A system that is left to licensed work; not told: its name tells"
    )
    controller: Annotated[str, StringConstraints(max_length=60)] = Field("", description="Type of the controller")
    retired_why: Annotated[str, StringConstraints(max_length=200)] = Field(
        "", description="Not there any more, and why"
    )
    shunt_ohm: Positive | None = Field(None, description="At the input of a current loop, and of no other")
    reader: ReaderPart = ReaderPart()
    unreadable: list[UnreadablePart] = Field(default=[], max_length=MOST_UNREADABLE)
    pins: list[PinPart] = Field(max_length=10)
    stimuli: list[StimulusPart] = Field(min_length=1, max_length=MOST_STIMULI)
    readings: list[ReadingPart] = Field(default=[], max_length=5000)
    calibrations: list[CalibrationPart] = Field(default=[], max_length=500, description="Oldest first")
    controller_entries: list[KeptEntry] = Field(default=[], max_length=500)
    cross_checks: list[KeptCheck] = Field(default=[], max_length=500)
    pulse_checks: list[KeptPulse] = Field(default=[], max_length=500, description="Newest first")
    verdict: VerdictPart | None = Field(None, description="As it stood; not read back")


def instrument_part(instrument: Instrument) -> InstrumentPart:
    meter, gauge = instrument.meter, instrument.gauge
    return InstrumentPart(
        uid=instrument.uid,
        kind=instrument.kind,
        name=instrument.name,
        serial=instrument.serial,
        reading_pct=None if meter is None else meter.reading_pct,
        digits=None if meter is None else meter.digits,
        counts=None if meter is None else meter.counts,
        quantity=None if gauge is None else gauge.quantity,
        full_scale=None if gauge is None else gauge.full_scale,
        full_scale_pct=None if gauge is None else gauge.full_scale_pct,
        due=instrument.due,
    )


def sensor_part(sensor: SensorType) -> SensorTypePart:
    return SensorTypePart(
        uid=sensor.uid,
        name=sensor.name,
        maker=sensor.maker,
        family=sensor.family,
        supply_v=sensor.supply_v,
        curve=curve_part(sensor.curve),
        element=element_part(sensor.element),
        tolerance_pct_span=sensor.tolerance_pct_span,
        source=sensor.source,
        fault_low_v=sensor.fault_low_v,
        fault_high_v=sensor.fault_high_v,
        bears_low_degc=sensor.bears.low_degc,
        bears_high_degc=sensor.bears.high_degc,
        overpressure_kpa=sensor.bears.overpressure_kpa,
    )


def circuit_part(record: CircuitRecord) -> CircuitPart:
    circuit = record.circuit
    return CircuitPart(
        uid=circuit.uid,
        name=circuit.name,
        family=circuit.family,
        reference_v=circuit.reference_v,
        pull_up=PullUpPart.from_core(circuit.pull_up),
        sensor_type_uid=circuit.sensor.uid,
        live_channel=circuit.live_channel,
        live_full_scale_v=circuit.live_full_scale_v,
        sharers=circuit.others_on_reference,
        temperature_pull_up=PullUpPart.from_core(circuit.temperature_pull_up),
        battery_fed=circuit.battery_fed,
        differential=circuit.differential,
        shielded=circuit.shielded,
        unpulled=circuit.unpulled,
        part_of=circuit.part_of,
        to_wire=circuit.to_wire,
        controller=circuit.controller,
        retired_why=circuit.retired_why,
        shunt_ohm=circuit.shunt_ohm,
        reader=ReaderPart.from_core(circuit.reader),
        unreadable=[UnreadablePart(test_point=str(u.test_point), hindrance=u.hindrance) for u in circuit.unreadable],
        pins=[PinPart(cavity=p.cavity, wire_colour=p.wire_colour, role=p.role) for p in circuit.pins],
        stimuli=[
            StimulusPart(label=s.label, value=s.value, temperature_degc=s.temperature_degc) for s in circuit.stimuli
        ],
        readings=[ReadingPart.from_core(reading) for reading in record.readings],
        calibrations=[CalibrationPart.from_core(c) for c in record.calibrations],
        controller_entries=[replace(e, entered_at=e.entered_at.astimezone(UTC)) for e in record.entries],
        cross_checks=[replace(c, taken_at=c.taken_at.astimezone(UTC)) for c in record.checks],
        pulse_checks=[replace(p, taken_at=p.taken_at.astimezone(UTC)) for p in record.pulses],
        verdict=None
        if record.verdict is None
        else VerdictPart(level=record.verdict.level, headline=record.verdict.headline, detail=record.verdict.detail),
    )


def named_in(things: dict[UUID, Thing], uid: UUID, kind: str) -> Thing:
    if uid not in things:
        msg = f"it names the {kind} {uid}, who is not in it"
        raise ValueError(msg)
    return things[uid]


def instrument_from_part(part: InstrumentPart) -> Instrument:
    meter = gauge = None
    if part.reading_pct is not None and part.digits is not None and part.counts is not None:
        meter = MeterSpec(part.reading_pct, part.digits, part.counts)
    if part.quantity is not None and part.full_scale is not None and part.full_scale_pct is not None:
        gauge = GaugeSpec(part.quantity, part.full_scale, part.full_scale_pct)
    return Instrument(
        uid=part.uid, kind=part.kind, name=part.name, serial=part.serial, meter=meter, gauge=gauge, due=part.due
    )


def sensor_from_part(part: SensorTypePart) -> SensorType:
    """The sensor type; `ValueError` when its family needs other figures."""
    return SensorType(
        uid=part.uid,
        name=part.name,
        maker=part.maker,
        family=part.family,
        supply_v=part.supply_v,
        curve=None if part.curve is None else curve_from_part(part.curve),
        tolerance_pct_span=part.tolerance_pct_span,
        source=part.source,
        element=element_from_part(part.element),
        fault_low_v=part.fault_low_v,
        fault_high_v=part.fault_high_v,
        bears=Endurance(
            low_degc=part.bears_low_degc, high_degc=part.bears_high_degc, overpressure_kpa=part.overpressure_kpa
        ),
    )


def circuit_from_part(part: CircuitPart, sensors: dict[UUID, SensorType]) -> Circuit:
    """The circuit, with its sensor type found by its uid; `ValueError` when it contradicts itself."""
    return Circuit(
        uid=part.uid,
        name=part.name,
        family=part.family,
        pins=tuple(Pin(p.cavity, p.wire_colour, p.role) for p in part.pins),
        reference_v=part.reference_v,
        sensor=named_in(sensors, part.sensor_type_uid, "sensor type"),
        stimuli=tuple(Stimulus(s.label, s.value, s.temperature_degc) for s in part.stimuli),
        pull_up=None if part.pull_up is None else part.pull_up.to_core(),
        live_channel=part.live_channel,
        live_full_scale_v=part.live_full_scale_v,
        others_on_reference=part.sharers,
        temperature_pull_up=None if part.temperature_pull_up is None else part.temperature_pull_up.to_core(),
        battery_fed=part.battery_fed,
        differential=part.differential,
        shielded=part.shielded,
        unpulled=part.unpulled and part.pull_up is None,
        part_of=part.part_of,
        to_wire=part.to_wire,
        controller=part.controller,
        retired_why=part.retired_why,
        shunt_ohm=part.shunt_ohm,
        reader=part.reader.to_core(),
        unreadable=tuple(one.to_core() for one in part.unreadable),
    )
