"""Current loops: what is read against Ohm's law by hand, and what is never asked of a shunt that is made for 20 mA."""

import pytest

from irongauge.core.bench.actions import ACTIONS, Action, Lead, Probe
from irongauge.core.bench.assessment import VerdictLevel, assess
from irongauge.core.bench.case import BenchCase, current_readings
from irongauge.core.bench.reasoning import diagnose
from irongauge.core.bench.sequence import is_allowed, tests_of
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.model import model_of
from irongauge.core.diagnosis.network import Network
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import required, role_points_of, stand
from irongauge.core.measure.quantities import TestPoint
from irongauge.demo.shelf import R16
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from tests.cards import METER, circuit_of, reading
from tests.subjects import LOOP

# 0 to 16 bar as 4 to 20 mA over 150 Ω, at 12.6 V: 10 bar are 14 mA (4 + 10·16/16), so 2.10 V over the shunt.
GOOD = {
    "battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 12.55, "open_v:B": 0.0, "lamp_negative:A": "bright",
    "off_ohm:B": 150.3, "live_kilohm_v:B": 1.64, "lamp_negative_v:A": 12.46, "mated_v:A": 12.5, "mated_v:B:0": 0.602,
    "mated_v:B:1": 2.098, "live_v::0": 0.60, "live_v::1": 2.10, "live_value::0": 1.0, "live_value::1": 999.0,
}  # fmt: skip


def _case(values):
    readings = [reading(point, value, second) for second, (point, value) in enumerate(values.items())]
    return BenchCase(
        circuit=circuit_of(R16), readings=current_readings(readings), instruments={METER.uid: METER}, value_unit="bar"
    )


@pytest.mark.parametrize(
    ("across_v", "current_a", "expected_a"),
    [(0.0, 0.012, 0.0), (-12.0, 0.012, 0.0), (7.9, 0.012, 0.0), (9.0, 0.012, 0.012), (24.0, 0.004, 0.004)],
)
def test_a_two_wire_sensor_lets_its_current_through_once_it_has_its_volts(across_v, current_a, expected_a):
    net = Network(1)
    net.source("plus", across_v, 1e-3)
    net.two_wire("plus", "minus", current_a, 8.0, 25.0)
    net.resistor("minus", "0", 1e-2)  # an ammeter
    assert net.solve()["minus"][0] / 1e-2 == pytest.approx(expected_a, abs=2e-6)


@pytest.mark.parametrize(
    ("check", "part", "fault", "expected", "within"),
    [
        ("mated_v:signal:x1", "v", HEALTHY, 4e-3 * 150, 0.03),
        ("mated_v:signal:x2", "v", HEALTHY, 14e-3 * 150, 0.05),
        ("loop_ma::x2", "ma", HEALTHY, 14.0, 0.2),
        ("off_ohm:signal", "ohm", HEALTHY, 150.0, 4.0),
        ("off_ohm:signal", "ohm", "signal_open", 1e8, 9e9),
        ("live:signal:kilohm", "v", HEALTHY, 12.5 * 150 / 1150, 0.1),
        ("live:signal:kilohm", "v", "signal_open", 0.0, 0.01),
        ("mated_v:signal:x2", "v", "reference_open", 0.0, 0.05),
        ("loop_ma::x2", "ma", "signal_short_ground", 14.0, 0.2),  # the sensor is good; its volts do not arrive
        ("mated_v:signal:x2", "v", "reference_signal_crossed", 12.5, 0.8),  # the pin is on the supply
        ("loop_ma::x2", "ma", "reference_signal_crossed", 0.0, 0.01),  # a diode keeps the wrong way round out
    ],
)
def test_what_is_read_is_what_ohm_and_kirchhoff_say(check, part, fault, expected, within):
    kind, pin, state = (*check.split(":"), "", "")[:3]
    read = model_of(LOOP).sample_set(RolePoint(kind, pin, state), part, fault)
    middle = sorted(read)[len(read) // 2]
    assert abs(middle - expected) <= within


@pytest.mark.parametrize("fault", faults_of(LOOP))
def test_every_fault_is_found_or_left_among_its_like(fault):
    vehicle, session, last = SimulatedVehicle(LOOP, fault, seed=4), Session(LOOP), None
    role_points = role_points_of(LOOP)
    now = stand(session, role_points)
    for _ in range(30):
        if not now.choices:
            break
        last = now.choices[0].role_point
        session.update(last, vehicle.ask(last), confirmed=last in session.taken)
        now = stand(session, role_points, last)
    assert fault in now.group.faults


def test_nothing_is_done_to_the_signal_that_its_shunt_would_not_bear():
    asked = {str(point) for point in role_points_of(LOOP)} | {str(point) for point in required(LOOP)}
    assert not [a for a in asked if "lamp_positive" in a or "jumped" in a or a == "lamp_negative:signal"]
    case = _case({"open_v:A": 12.5, "open_v:B": 0.0})
    for action in (Action.LAMP_POSITIVE, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_GROUNDED_V):
        assert not is_allowed(case, TestPoint(action, "B"))
    spec = ACTIONS[Action.LIVE_KILOHM_V]
    assert spec.probe is Probe.RESISTOR
    assert spec.lead is Lead.OTHER_PIN
    assert "1 kΩ" in spec.cautions[0]
    assert "Never across the supply" in " ".join(ACTIONS[Action.LOOP_MA].cautions)


def test_a_good_loop_is_proved_good_on_the_bench():
    case = _case(GOOD)
    assert [test.test_point for test in tests_of(case) if test.test_point not in case.readings] == []
    assert assess(case).verdict.level is VerdictLevel.GOOD


@pytest.mark.parametrize(
    ("changed", "named"),
    [
        # A shunt of 250 Ω where 150 belongs: all volts 5/3 of what they should be, and the ohms say so.
        ({"off_ohm:B": 250.0, "live_kilohm_v:B": 2.51, "mated_v:B:0": 1.0, "mated_v:B:1": 3.5,
          "live_v::0": 1.0, "live_v::1": 3.5, "live_value::0": 266.0, "live_value::1": 1933.0}, "signal_shunt_wrong"),
        # 8 mA more or less makes no other reading of the wires: the sensor itself is off by 1 mA.
        ({"mated_v:B:0": 0.752, "mated_v:B:1": 2.25, "live_v::0": 0.75, "live_v::1": 2.25, "live_value::0": 100.0,
          "live_value::1": 1100.0}, "loop_offset"),
        # Scaled for 0 to 10 bar in the controller: good volts, values at 10/16.
        ({"live_value::0": 0.6, "live_value::1": 625.0}, "signal_live_scaling"),
    ],
    ids=["shunt", "offset", "scaling"],
)  # fmt: skip
def test_what_is_wrong_is_named_from_readings_made_by_hand(changed, named):
    found = diagnose(_case(GOOD | changed))
    assert named in {suspect.fault for suspect in found.group}


def test_the_simulator_reads_every_test_point_of_a_loop():
    wiring = wiring_of(_case({}))
    vehicle = SimulatedVehicle(wiring.subject, "loop_low", seed=3)
    read = {
        p: read_test_point(vehicle, wiring, p) for point in wiring.role_points for p in wiring.test_points_of(point)
    }
    assert read[TestPoint(Action.LOOP_MA, None, 1)] < 4
    assert read[TestPoint(Action.OFF_OHM, "B")] == pytest.approx(150, rel=0.05)
