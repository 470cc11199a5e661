"""A circuit of every sensor of the Shelf, every one of its test points read, on the Bench as a person would meet it."""

from dataclasses import replace
from uuid import uuid5

import pytest

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.sensors.circuits import PullUp, Stimulus
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS, SENSORS
from irongauge.workflows.bench.readings import look_at_bench
from irongauge.workflows.bench.simulate import hidden_fault, simulate_reading
from irongauge.workflows.shop.jobs import add_circuit, look_at_floor
from irongauge.workflows.shop.shelf import look_at_shelf
from tests.cards import circuit_of, empty

# What the inputs of the Shelf's families are pulled up with, where it is not the tests' usual 4.7 kΩ.
_WEAK = {Family.RATIOMETRIC: PullUp(100_000.0, 5.0), Family.POTENTIOMETER: PullUp(100_000.0, 5.0)}


def _good_circuit(sensor):
    """One in which the simulator hides nothing."""
    circuit = circuit_of(sensor)
    if sensor.family in _WEAK:
        low, high = sensor.curve.value_low, sensor.curve.value_high
        at = (Stimulus("low", low), Stimulus("high", low + 0.8 * (high - low)))
        circuit = replace(circuit, pull_up=_WEAK[sensor.family], stimuli=at)
    for n in range(200):
        circuit = replace(circuit, uid=uuid5(circuit.uid, str(n)), name=f"Every point of {sensor.name}"[:60])
        if hidden_fault(replace(empty(sensor), circuit=circuit)) == HEALTHY:
            return circuit
    raise AssertionError


@pytest.mark.parametrize("sensor", [*SENSORS, *MORE_SENSORS], ids=lambda s: s.name)
def test_all_that_a_good_circuit_of_its_kind_can_be_asked_is_answered_and_blames_nothing(demo, sensor):
    practice = next(view.job for view in look_at_floor(demo).jobs if view.job.is_practice)
    circuit = _good_circuit(next(s for s in look_at_shelf(demo).sensor_types if s.uid == sensor.uid))
    add_circuit(demo, practice.uid, circuit)
    for test in look_at_bench(demo, circuit.uid).view.assessment.tests:
        simulate_reading(demo, circuit.uid, str(test.test_point))
    view = look_at_bench(demo, circuit.uid).view
    assert len(view.readings) >= len(view.assessment.tests) > 5
    assert view.assessment.verdict.level is not VerdictLevel.FAULT, view.assessment.verdict
    assert view.assessment.diagnosis.leader.is_healthy
