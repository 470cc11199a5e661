"""Circuits on the Bench whose sensor's curve is not straight: judged and reasoned about by the curve that it has."""

from __future__ import annotations

from dataclasses import replace
from uuid import uuid4

import numpy as np
import pytest

from irongauge.core.bench.assessment import assess
from irongauge.core.diagnosis.circuit_under_test import SignalCurve
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, TableCurve
from irongauge.instruments.simulated import SimulatedVehicle
from tests.cards import GOOD, SENSOR, case
from tests.subjects import NTC, PRESSURE
from tests.worked import worked

# Half the signal over the first fifth of the range: at 460 kPa it gives 0.625 of the reference, not 0.468.
BENT = TableCurve(CurveKind.RATIO, Quantity.PRESSURE, (0.1, 0.5, 0.9), (0.0, 200.0, 1000.0), PressureBase.GAUGE)
BENT_SENSOR = replace(SENSOR, uid=uuid4(), name="Bent", curve=BENT)
SH = Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243)))


def _bent(values):
    straight = case(values)
    return replace(straight, circuit=replace(straight.circuit, sensor=BENT_SENSOR))


def test_the_expected_volts_are_those_of_the_table():
    reference_v = GOOD["mated_v:A"] - GOOD["mated_v:B"]
    right_v = BENT.value_to_signal_v(460.0, reference_v) + GOOD["mated_v:B"]
    good = assess(_bent(GOOD | {"mated_v:C:1": round(right_v, 3)}))
    assert good.judgements[TestPoint.from_text("mated_v:C:1")].mark is Mark.PASS
    straight = assess(_bent(GOOD))
    assert straight.judgements[TestPoint.from_text("mated_v:C:1")].mark is Mark.FAIL


def test_the_window_follows_the_slope_of_the_table():
    """± 2 % of 1 000 kPa is 40 mV where the table is steep and 10 mV where it is not, of 5 V."""
    steep, gentle = (np.ptp(BENT.window_v(value, 20.0, 5.0)) / 2 for value in (100.0, 600.0))
    assert steep == pytest.approx(0.2)
    assert gentle == pytest.approx(0.05)


BENT_SUBJECT = replace(PRESSURE, curve=SignalCurve(0.0, 10.0, 0.1, 0.9, ((0.2, 0.5),)), stimuli={"x1": 0.0, "x2": 4.6})
SH_SUBJECT = replace(NTC, thermistor=SH)


@pytest.mark.parametrize("subject", [BENT_SUBJECT, SH_SUBJECT], ids=["table", "three points"])
@pytest.mark.parametrize("fault", [HEALTHY, "return_open", "signal_open"])
def test_a_session_on_a_curved_sensor_ends_with_what_is_hidden(subject, fault):
    found = worked(subject, fault, seed=5)
    assert fault in found.group.faults


def test_live_data_of_a_thermistor_by_points_is_its_own_temperature():
    vehicle = SimulatedVehicle(SH_SUBJECT, HEALTHY, seed=5)
    (state, degc), *_ = sorted(SH_SUBJECT.temperatures_degc.items())
    answer = vehicle.ask(RolePoint("mated_live", "signal", state))
    assert answer["value"] == pytest.approx(degc, abs=3.0)
