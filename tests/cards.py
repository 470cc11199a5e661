"""Builders for the core's tests: a circuit, and a case from readings written as `test_point: value`."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4, uuid5

from irongauge.core.bench.case import BenchCase, current_readings
from irongauge.core.measure.quantities import Reading, TestPoint, VehicleState
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
METER = Instrument(
    uid=uuid5(NAMESPACE, "meter"), kind=InstrumentKind.METER, name="Meter", meter=MeterSpec(0.3, 2, 6000)
)
CURVE = LinearCurve(
    kind=CurveKind.RATIO,
    quantity=Quantity.PRESSURE,
    signal_low=0.1,
    signal_high=0.9,
    value_low=0.0,
    value_high=1000.0,
    pressure_base=PressureBase.GAUGE,
)
SENSOR = SensorType(
    uid=uuid5(NAMESPACE, "sensor"),
    name="P10",
    maker="Orrin",
    family=Family.RATIOMETRIC,
    supply_v=5.0,
    curve=CURVE,
    tolerance_pct_span=2.0,
)
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
PULLED_DOWN = {"off_ohm:C": 210_000.0}  # what tells that input from one that floats
# The same with a 5 V pull-up on the input.
GOOD_BIASED = {k: v for k, v in GOOD.items() if k not in {"lamp_positive:C", "live_lamp_positive_v:C"}} | {
    "open_v:C": 4.97,
    "live_jumped_v:C": 0.01,
}


def circuit(
    *,
    known: bool = True,
    pull_up: PullUp | None = None,
    points: int = 2,
    others_on_reference: str = "",
    unpulled: bool = False,
) -> Circuit:
    pins = tuple(Pin(c, role=role if known else None) for c, role in zip("ABC", ROLES, strict=True))
    stimuli = (Stimulus("vented", 0.0), Stimulus("pumped", 460.0))[:points]
    return Circuit(
        uid=uuid5(NAMESPACE, "circuit"),
        name="Oil line",
        family=Family.RATIOMETRIC,
        pins=pins,
        reference_v=5.0,
        sensor=SENSOR,
        stimuli=stimuli,
        pull_up=pull_up,
        live_channel="AI 3",
        others_on_reference=others_on_reference,
        unpulled=unpulled,
    )


def circuit_of(sensor: SensorType) -> Circuit:
    """A circuit with this sensor, its pins known and named by letters, with all that its family may have."""
    known = FAMILIES[sensor.family]
    values = (None,) * len(known.states) or _VALUES[sensor.family]
    is_two_leg = sensor.family in {Family.RELUCTANCE, Family.THERMOCOUPLE}
    is_loop = sensor.family is Family.CURRENT_LOOP
    fed = is_loop or sensor.family in {Family.FREQUENCY, Family.CONTROLLER_OUT}
    return Circuit(
        uid=uuid5(NAMESPACE, sensor.name),
        name="A circuit",
        family=sensor.family,
        pins=tuple(Pin(cavity, role=role) for cavity, role in zip("ABCD", known.roles, strict=False)),
        reference_v=12.0 if fed else 5.0,
        sensor=sensor,
        stimuli=tuple(Stimulus(f"state {place}", value) for place, value in enumerate(values)),
        pull_up=None if is_two_leg or is_loop else PullUp(4700.0, 5.0),
        live_channel="AI 1",
        others_on_reference="" if fed or is_two_leg else "Another",
        temperature_pull_up=PullUp(2200.0, 5.0) if sensor.family is Family.COMBO else None,
        battery_fed=fed,
        differential=sensor.family is Family.RELUCTANCE,
        shielded=is_two_leg,
        shunt_ohm=150.0 if is_loop else None,
    )


_VALUES: dict[Family, tuple[float | None, ...]] = {
    Family.RATIOMETRIC: (0.0, 460.0),
    Family.POTENTIOMETER: (0.0, 80.0),
    Family.THERMISTOR: (18.0, 80.0),
    Family.COMBO: (100.0, 180.0),
    Family.CONTROLLER_OUT: (20.0, 60.0),
    Family.FREQUENCY: (10.0,),
    Family.THERMOCOUPLE: (20.0, 320.0),
    Family.CURRENT_LOOP: (0.0, 1000.0),
}


def reading(test_point: str, value: float | str, second: int = 0) -> Reading:
    number = None if isinstance(value, str) else value
    word = value if isinstance(value, str) else None
    return Reading(
        uid=uuid4(),
        test_point=TestPoint.from_text(test_point),
        value=number,
        word=word,
        unit=None if number is None else "V",
        state=VehicleState.KEY_ON,
        typed=str(value),
        technician_uid=TECHNICIAN,
        taken_at=datetime(2026, 3, 2, 9, 0, tzinfo=UTC) + timedelta(seconds=second),
        instrument_uid=METER.uid,
    )


def case(values: dict[str, float | str], confirmed: tuple[str, ...] = (), **card: object) -> BenchCase:
    readings = [reading(test_point, value, second) for second, (test_point, value) in enumerate(values.items())]
    twice = frozenset(TestPoint.from_text(test_point) for test_point in confirmed)
    return BenchCase(
        circuit=circuit(**card),  # type: ignore[arg-type]
        readings=current_readings(readings),
        instruments={METER.uid: METER},
        value_unit="bar",
        confirmed=twice,
    )


def empty(sensor: SensorType) -> BenchCase:
    return BenchCase(
        circuit=circuit_of(sensor),
        readings={},
        instruments={METER.uid: METER},
        value_unit=sensor.unit if sensor.quantity else None,
        atmosphere_kpa=101.0,
    )
