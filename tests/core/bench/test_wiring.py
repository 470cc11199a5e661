"""Circuits of every family in the diagnosis's words: nothing is asked that cannot be read, and nothing read is lost."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, confirmed_points, current_readings
from irongauge.core.bench.sequence import can_be_read
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.circuit_under_test import TEMPERATURE
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.sensors.families import Family
from irongauge.demo.saltmarsh import B25, L50, MORE_SENSORS, P10
from irongauge.formats.vocabulary import AT_A_STIMULUS
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from tests.cards import METER, TECHNICIAN, empty, reading

SENSORS = (P10, B25, L50, *MORE_SENSORS)
HIDDEN = {
    "ratiometric-3w": "return_open", "potentiometer-3w": "signal_short_ground", "thermistor-2w": "thermistor_open",
    "hall-3w": "reference_open", "vr-2w": "coil_open", "frequency-3w": "signal_pull_up_missing",
    "thermocouple": "junction_open", "switch": "contact_open", "combo-4w": "temperature_open",
    "controller-out": "signal_open",
}  # fmt: skip
MOST_READINGS = 45


@pytest.mark.parametrize("sensor", SENSORS, ids=lambda s: s.name)
def test_every_check_has_slots_that_can_be_read_and_lead_back_to_it(sensor):
    case = empty(sensor)
    wiring = Wiring(case)
    assert wiring.role_points
    for role_point in wiring.role_points:
        for test_point in wiring.test_points_of(role_point):
            assert wiring.role_point_of(test_point) == role_point
            assert can_be_read(case, test_point), test_point
            assert TestPoint.from_text(str(test_point)) == test_point
            spec = ACTIONS[Action(test_point.action)]
            at_a_pin = "{pin}" in spec.ask or role_point.pin == TEMPERATURE  # the second channel is named by its cavity
            assert (test_point.cavity is not None) == at_a_pin, test_point
            assert test_point.point is None or spec.role_point in AT_A_STIMULUS, test_point


@pytest.mark.parametrize("sensor", SENSORS, ids=lambda s: s.name)
def test_what_must_be_proved_can_be_asked_for(sensor):
    wiring = Wiring(empty(sensor))
    for role_point in wiring.required:
        assert wiring.test_points_of(role_point), role_point


def worked(sensor, fault: str) -> tuple[BenchCase, list[str]]:
    """A circuit worked from the first step to a verdict, each reading taken off the simulated vehicle."""
    case = empty(sensor)
    wiring = Wiring(case)
    vehicle = SimulatedVehicle(replace(wiring.subject, battery_v=12.6), fault, 3)
    readings: list[Reading] = []
    said: list[str] = []
    while len(readings) < MOST_READINGS:
        case = replace(case, readings=current_readings(readings), confirmed=confirmed_points(readings))
        found = conclude(assess(case))
        if found.next_test is None:
            break
        test_point = found.next_test.test_point
        said.append(str(test_point))
        before = case.readings.get(test_point)
        again = {} if before is None else {"supersedes_uid": before.uid, "reason": SupersedeReason.AGAIN}
        readings.append(replace(_read(wiring, vehicle, test_point, len(readings)), **again))
    return case, said


def _read(wiring: Wiring, vehicle: SimulatedVehicle, test_point: TestPoint, second: int) -> Reading:
    spec = ACTIONS[Action(test_point.action)]
    value = read_test_point(vehicle, wiring, test_point)
    number = None if isinstance(value, str) else float(value)
    return Reading(
        uid=uuid4(),
        test_point=test_point,
        value=number,
        word=value if isinstance(value, str) else None,
        unit=None if number is None else "V",
        state=spec.state,
        typed=str(value),
        technician_uid=TECHNICIAN,
        taken_at=datetime(2026, 3, 2, 9, tzinfo=UTC) + timedelta(seconds=second),
        instrument_uid=METER.uid,
    )


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_hidden_fault_of_every_family_is_found_step_by_step(sensor):
    case, said = worked(sensor, HIDDEN[sensor.family])
    found = conclude(assess(case))
    assert HIDDEN[sensor.family] in {s.fault for s in found.diagnosis.group}, said
    assert found.verdict.level in {VerdictLevel.FAULT, VerdictLevel.GROUP}


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_good_circuit_of_every_family_is_proved_good(sensor):
    case, said = worked(sensor, HEALTHY)
    fuel_in_the_tank = sensor.family is Family.FREQUENCY  # one value, so the slope stays open
    wanted = VerdictLevel.WIRING if fuel_in_the_tank else VerdictLevel.GOOD
    assert conclude(assess(case)).verdict.level is wanted, said


def test_millivolts_are_handed_on_as_millivolts():
    for sensor, point in (
        (P10, "mated_v:B"),
        (next(s for s in MORE_SENSORS if s.family is Family.THERMOCOUPLE), "thermo_v:A:0"),
    ):
        made = empty(sensor)
        read = reading(point, 0.0123)
        assert Wiring(made).observation(read) == ("mv", pytest.approx(12.3)), sensor.name
