"""What comes next and when to stop: costs of the trade, proofs, re-readings, and what is never said too soon."""

from itertools import pairwise

import pytest

from irongauge.core.diagnosis.faults import HEALTHY, SURE, Standing
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import (
    State,
    choices,
    cost_min,
    next_test,
    required,
    role_points_of,
    stand,
    state_of,
)
from irongauge.instruments.simulated import SimulatedVehicle
from tests.subjects import BIASED, COIL, COMBO, FLOAT, FUEL, HALL, JUNCTION, NTC, PRESSURE, SUBJECTS

OPEN, MATED, OHMS, SHARERS = (
    RolePoint("open_v", "signal"),
    RolePoint("mated_v", "signal", "x1"),
    RolePoint("off_ohm", "signal"),
    RolePoint("sharers_off_v", "reference"),
)


@pytest.mark.parametrize(
    ("role_point", "last", "minutes"),
    [
        (OPEN, OPEN, 1.5),
        (OPEN, None, 2.0),
        (MATED, OPEN, 2.0),
        (MATED, RolePoint("mated_v", "reference", "x1"), 1.5),
        (RolePoint("mated_v", "signal", "x2"), MATED, 2.2),
        (OHMS, OPEN, 3.0),
        (SHARERS, OPEN, 5.5),
        (RolePoint("lamp_positive", "return"), OPEN, 2.0),
        (RolePoint("wire_ohm", "plus"), OHMS, 3.5),
        (RolePoint("ring"), RolePoint("coil_ohm"), 5.5),
    ],
    ids=str,
)
def test_a_check_takes_the_minutes_of_the_trade(role_point, last, minutes):
    assert cost_min(role_point, last) == pytest.approx(minutes)


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: str(s.family))
def test_every_check_has_a_state_and_every_proof_can_be_made(subject):
    role_points = role_points_of(subject)
    assert len(set(role_points)) == len(role_points)
    assert all(state_of(role_point) in State for role_point in role_points)
    assert set(required(subject)) <= set(role_points)


@pytest.mark.parametrize(
    ("subject", "wanted"),
    [
        (
            PRESSURE,
            {
                "open_v:reference",
                "lamp_positive:return",
                "live:signal:lamp_positive",
                "return_drop",
                "mated_v:signal:x2",
            },
        ),
        (BIASED, {"live:signal:jumped_return", "mated_live:signal:x1"}),
        (NTC, {"open_v:signal", "live:signal:jumped_return", "mated_live:signal:x2"}),
        (HALL, {"rotating", "mated_v:signal:absent", "mated_v:signal:present"}),
        (COIL, {"coil_ohm", "polarity", "counted", "leg_ohm:plus"}),
        (FUEL, {"running:x1", "running_live:x1", "lamp_negative:reference"}),
        (JUNCTION, {"loop_ohm", "thermo_mv:x2", "shield_ohm:as_wired", "shield_ohm:lifted"}),
        (FLOAT, {"mated_v:signal:open", "mated_v:signal:closed"}),
        (COMBO, {"mated_v:temperature:x2", "live:temperature:jumped_return"}),
    ],
    ids=["pressure", "biased", "ntc", "hall", "coil", "fuel", "thermocouple", "switch", "combo"],
)
def test_a_good_circuit_is_proved_by_what_the_trade_wants(subject, wanted):
    assert wanted <= {str(role_point) for role_point in required(subject)}


def test_the_best_per_minute_comes_first_and_none_twice():
    session = Session(PRESSURE)
    found = choices(session, role_points_of(PRESSURE), None)
    assert len({c.role_point for c in found}) == len(found)
    assert all(a.worth >= b.worth for a, b in pairwise(found))
    first = found[0].role_point
    session.update(first, SimulatedVehicle(PRESSURE, HEALTHY, 1).ask(first))
    assert first not in {c.role_point for c in choices(session, role_points_of(PRESSURE), first)}


def worked(subject, fault, seed, most=30):
    """A session worked to its end, each reading taken again where that is asked."""
    vehicle, session = SimulatedVehicle(subject, fault, seed), Session(subject)
    role_points, said = role_points_of(subject), []
    now = stand(session, role_points)
    while now.choices and len(said) < most:
        role_point = now.choices[0].role_point
        session.update(role_point, vehicle.ask(role_point), confirmed=role_point in session.taken)
        said.append(role_point)
        now = stand(session, role_points, role_point)
    return session, now, said


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: str(s.family))
def test_a_good_circuit_is_not_settled_before_every_proof_is_in(subject):
    session, now, said = worked(subject, HEALTHY, 2)
    assert now.standing is Standing.SETTLED, said
    assert now.group.faults[0] == HEALTHY
    assert set(required(subject)) <= set(session.taken)


@pytest.mark.parametrize("seed", range(4))
def test_no_fault_is_said_on_fewer_than_five_checks(seed):
    _, now, said = worked(PRESSURE, "reference_open", seed)
    assert now.group.probability >= SURE
    assert len(set(said)) >= 5


def test_a_short_of_the_reference_is_borne_out_with_the_sharers_off_and_by_ohms():
    session, now, _ = worked(PRESSURE, "reference_short_ground", 3)
    assert "reference_short_ground" in now.group.faults
    assert {"sharers_off_v", "off_ohm"} <= {role_point.kind for role_point in session.taken}


def test_a_slip_is_read_once_more_and_then_counts_no_longer():
    session, _, _ = worked(PRESSURE, HEALTHY, 4)
    odd = RolePoint("mated_v", "reference", "x1")
    session.update(odd, {"v": 0.5})
    now = stand(session, role_points_of(PRESSURE), odd)
    assert now.standing is Standing.OPEN
    assert odd in {choice.role_point for choice in now.choices}
    session.update(odd, {"v": 4.99})
    assert stand(session, role_points_of(PRESSURE), odd).group.faults[0] == HEALTHY


def test_what_was_read_twice_is_no_slip():
    session, _, _ = worked(PRESSURE, HEALTHY, 4)
    odd = RolePoint("mated_v", "reference", "x1")
    session.update(odd, {"v": 0.5}, confirmed=True)
    now = stand(session, role_points_of(PRESSURE), odd)
    assert not (now.standing is Standing.SETTLED and now.group.faults == (HEALTHY,))


def test_two_faults_are_said_with_the_one_to_put_right_first():
    _, now, said = worked(PRESSURE, "return_resistance+signal_live_scaling", 8)
    named = {one for fault in now.group.faults for one in fault.split("+")}
    assert named & {"return_resistance", "signal_live_scaling"}, said
    if "+" in now.group.faults[0]:
        assert any("+" not in fault for fault in now.group.faults)


def test_where_each_check_can_be_made_once_only_none_is_asked_for_twice():
    vehicle, session, said = SimulatedVehicle(NTC, "thermistor_short", 3), Session(NTC), []
    while (role_point := next_test(session, role_points_of(NTC), said[-1] if said else None)) is not None:
        session.update(role_point, vehicle.ask(role_point))
        said.append(role_point)
    assert len(set(said)) == len(said)
    assert session.ranking()[0].fault == "thermistor_short"
