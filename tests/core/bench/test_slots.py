"""Circuits of every family in the diagnosis's words: nothing is asked that cannot be read, and nothing read is lost."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, confirmed_slots, current_readings
from irongauge.core.bench.sequence import can_be_read
from irongauge.core.bench.slots import Wiring
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.subject import TEMPERATURE
from irongauge.core.measure.quantities import Reading, Reason, Slot
from irongauge.demo.saltmarsh import B25, L50, MORE_SENSORS, P10
from irongauge.formats.vocabulary import AT_A_STIMULUS
from irongauge.instruments.simulated import SimulatedVehicle, read_slot
from tests.cards import METER, TECHNICIAN, empty

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
    assert wiring.checks
    for check in wiring.checks:
        for slot in wiring.slots_of(check):
            assert wiring.check_of(slot) == check
            assert can_be_read(case, slot), slot
            assert Slot.from_text(str(slot)) == slot
            spec = ACTIONS[Action(slot.action)]
            at_a_pin = "{pin}" in spec.ask or check.pin == TEMPERATURE  # the second channel is named by its cavity
            assert (slot.cavity is not None) == at_a_pin, slot
            assert slot.point is None or spec.check in AT_A_STIMULUS, slot


@pytest.mark.parametrize("sensor", SENSORS, ids=lambda s: s.name)
def test_what_must_be_proved_can_be_asked_for(sensor):
    wiring = Wiring(empty(sensor))
    for check in wiring.required:
        assert wiring.slots_of(check), check


def worked(sensor, fault: str) -> tuple[BenchCase, list[str]]:
    """A circuit worked from the first step to a verdict, each reading taken off the simulated vehicle."""
    case = empty(sensor)
    wiring = Wiring(case)
    vehicle = SimulatedVehicle(replace(wiring.subject, battery_v=12.6), fault, 3)
    readings: list[Reading] = []
    said: list[str] = []
    while len(readings) < MOST_READINGS:
        case = replace(case, readings=current_readings(readings), confirmed=confirmed_slots(readings))
        found = conclude(assess(case))
        if found.next_step is None:
            break
        slot = found.next_step.slot
        said.append(str(slot))
        before = case.readings.get(slot)
        again = {} if before is None else {"supersedes_uid": before.uid, "reason": Reason.AGAIN}
        readings.append(replace(_read(wiring, vehicle, slot, len(readings)), **again))
    return case, said


def _read(wiring: Wiring, vehicle: SimulatedVehicle, slot: Slot, second: int) -> Reading:
    spec = ACTIONS[Action(slot.action)]
    value = read_slot(vehicle, wiring, slot)
    number = None if isinstance(value, str) else float(value)
    return Reading(uuid4(), slot, number, value if isinstance(value, str) else None, None if number is None else "V",
                   spec.state, str(value), TECHNICIAN, datetime(2026, 3, 2, 9, tzinfo=UTC) + timedelta(seconds=second),
                   METER.uid)  # fmt: skip


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_hidden_fault_of_every_family_is_found_step_by_step(sensor):
    case, said = worked(sensor, HIDDEN[sensor.family])
    found = conclude(assess(case))
    assert HIDDEN[sensor.family] in {s.fault for s in found.diagnosis.group}, said
    assert found.verdict.level in {VerdictLevel.FAULT, VerdictLevel.GROUP}


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_good_circuit_of_every_family_is_proved_good(sensor):
    case, said = worked(sensor, HEALTHY)
    assert conclude(assess(case)).verdict.level is VerdictLevel.GOOD, said
