"""Builders for the core's tests: a circuit, and a case from readings written as `slot: value`."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4, uuid5

from irongauge.core.bench.case import BenchCase, current_readings
from irongauge.core.measure.quantities import Reading, Slot, VehicleState
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import (
    FAMILIES,
    Circuit,
    Instrument,
    InstrumentKind,
    Pin,
    PullUp,
    Role,
    SensorType,
    Stimulus,
)
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.transfer import CurveKind, LinearCurve

NAMESPACE = UUID("11111111-2222-3333-4444-555555555555")
TECHNICIAN = uuid5(NAMESPACE, "technician")
METER = Instrument(uuid5(NAMESPACE, "meter"), InstrumentKind.METER, "Meter", meter=MeterSpec(0.3, 2, 6000))
CURVE = LinearCurve(CurveKind.RATIO, Quantity.PRESSURE, 0.1, 0.9, 0.0, 1000.0, PressureBase.GAUGE)
SENSOR = SensorType(uuid5(NAMESPACE, "sensor"), "P10", "Orrin", Family.RATIOMETRIC, 5.0, CURVE, 2.0)
ROLES = (Role.REFERENCE, Role.RETURN, Role.SIGNAL)
PULL_UP = PullUp(100_000.0, 5.0)

# A healthy 0 to 10 bar circuit without pull-up, vented and at 4.6 bar.
GOOD = {
    "battery_v": 12.6,
    "battery_lamp": "bright",
    "open_v:A": 4.98,
    "open_v:B": 0.002,
    "open_v:C": 0.010,
    "lamp_negative:A": "dim",
    "lamp_negative_v:A": 4.91,
    "lamp_positive:B": "bright",
    "lamp_positive:C": "dark",
    "live_lamp_positive_v:C": 5.0,
    "mated_v:A": 4.93,
    "mated_v:B": 0.011,
    "mated_v:C:0": 0.505,
    "live_v::0": 0.49,
    "live_value::0": 0.5,
    "mated_v:C:1": 2.31,
    "live_v::1": 2.30,
    "live_value::1": 461.0,
}
# The same with a 5 V pull-up on the input.
GOOD_BIASED = {k: v for k, v in GOOD.items() if k not in {"lamp_positive:C", "live_lamp_positive_v:C"}} | {
    "open_v:C": 4.97,
    "live_jumped_v:C": 0.01,
}


def circuit(*, known: bool = True, pull_up: PullUp | None = None, points: int = 2, sharers: str = "") -> Circuit:
    pins = tuple(Pin(c, role=role if known else None) for c, role in zip("ABC", ROLES, strict=True))
    stimuli = (Stimulus("vented", 0.0), Stimulus("pumped", 460.0))[:points]
    return Circuit(
        uuid5(NAMESPACE, "circuit"),
        "Brake",
        Family.RATIOMETRIC,
        pins,
        5.0,
        SENSOR,
        stimuli,
        pull_up,
        "AI 3",
        sharers=sharers,
    )


def circuit_of(sensor: SensorType) -> Circuit:
    """A circuit with this sensor, its pins known and named by letters, with all that its family may have."""
    known = FAMILIES[sensor.family]
    values = (None,) * len(known.states) or _VALUES[sensor.family]
    is_pair = sensor.family in {Family.RELUCTANCE, Family.THERMOCOUPLE}
    fed = sensor.family in {Family.FREQUENCY, Family.CONTROLLER_OUT}
    return Circuit(
        uuid5(NAMESPACE, sensor.name),
        "A circuit",
        sensor.family,
        tuple(Pin(cavity, role=role) for cavity, role in zip("ABCD", known.roles, strict=False)),
        12.0 if fed else 5.0,
        sensor,
        tuple(Stimulus(f"state {place}", value) for place, value in enumerate(values)),
        None if is_pair else PullUp(4700.0, 5.0),
        "AI 1",
        sharers="" if fed or is_pair else "Another",
        temperature_pull_up=PullUp(2200.0, 5.0) if sensor.family is Family.COMBO else None,
        battery_fed=fed,
        differential=sensor.family is Family.RELUCTANCE,
        shielded=is_pair,
    )


_VALUES: dict[Family, tuple[float | None, ...]] = {
    Family.RATIOMETRIC: (0.0, 460.0),
    Family.POTENTIOMETER: (0.0, 80.0),
    Family.THERMISTOR: (18.0, 80.0),
    Family.COMBO: (100.0, 180.0),
    Family.CONTROLLER_OUT: (20.0, 60.0),
    Family.FREQUENCY: (10.0,),
    Family.THERMOCOUPLE: (20.0, 320.0),
}


def reading(slot: str, value: float | str, second: int = 0) -> Reading:
    number = None if isinstance(value, str) else value
    word = value if isinstance(value, str) else None
    return Reading(
        uuid4(), Slot.from_text(slot), number, word, None if number is None else "V", VehicleState.KEY_ON, str(value),
        TECHNICIAN, datetime(2026, 3, 2, 9, 0, tzinfo=UTC) + timedelta(seconds=second), METER.uid,
    )  # fmt: skip


def case(values: dict[str, float | str], confirmed: tuple[str, ...] = (), **card: object) -> BenchCase:
    readings = [reading(slot, value, second) for second, (slot, value) in enumerate(values.items())]
    twice = frozenset(Slot.from_text(slot) for slot in confirmed)
    return BenchCase(circuit(**card), current_readings(readings), {METER.uid: METER}, value_unit="bar", confirmed=twice)  # type: ignore[arg-type]


def empty(sensor) -> BenchCase:
    return BenchCase(circuit_of(sensor), {}, {METER.uid: METER}, value_unit=sensor.unit if sensor.quantity else None,
                     atmosphere_kpa=101.0)  # fmt: skip
