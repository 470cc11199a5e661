"""Circuits of every family in the diagnosis's words: nothing is asked that cannot be read, and nothing read is lost."""

import pytest

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.sequence import can_be_read
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.circuit_under_test import TEMPERATURE
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import B25, L50, MORE_SENSORS, P10
from irongauge.formats.vocabulary import AT_A_STIMULUS
from tests.cards import empty, reading
from tools.benching import worked

SENSORS = (P10, B25, L50, *MORE_SENSORS)
HIDDEN = {
    "ratiometric-3w": "return_open", "potentiometer-3w": "signal_short_ground", "thermistor-2w": "thermistor_open",
    "hall-3w": "reference_open", "vr-2w": "coil_open", "frequency-3w": "signal_pull_up_missing",
    "thermocouple": "junction_open", "switch": "contact_open", "combo-4w": "temperature_open",
    "controller-out": "signal_open", "current-loop-2w": "signal_shunt_missing",
}  # fmt: skip


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


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_hidden_fault_of_every_family_is_found_step_by_step(sensor):
    case, said = worked(empty(sensor), HIDDEN[sensor.family])
    found = conclude(assess(case))
    assert HIDDEN[sensor.family] in {s.fault for s in found.diagnosis.group}, said
    assert found.verdict.level in {VerdictLevel.FAULT, VerdictLevel.GROUP}


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_a_good_circuit_of_every_family_is_proved_good(sensor):
    case, said = worked(empty(sensor), HEALTHY)
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
