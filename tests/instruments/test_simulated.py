"""The simulated vehicle: it obeys its hidden fault, answers in the words of an instrument, and can be worked to a verdict."""

import pytest

from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.strategy import role_points_of
from irongauge.instruments.simulated import Habits, SimulatedVehicle
from tests.subjects import COIL, FLOAT, FUEL, HALL, JUNCTION, NTC, PRESSURE, SUBJECTS
from tests.worked import worked


def test_the_same_seed_is_the_same_vehicle():
    first, second = (SimulatedVehicle(PRESSURE, "return_open", seed=4) for _ in range(2))
    for role_point in role_points_of(PRESSURE):
        assert first.ask(role_point) == second.ask(role_point)


def test_asking_twice_differs_only_by_the_meters_noise():
    vehicle = SimulatedVehicle(PRESSURE, seed=4)
    readings = [vehicle.ask(RolePoint("open_v", "reference"))["v"] for _ in range(20)]
    assert 0 < max(readings) - min(readings) < 0.06


def test_a_fault_that_the_family_cannot_have_is_refused():
    with pytest.raises(ValueError, match="has no fault 'coil_open'"):
        SimulatedVehicle(PRESSURE, "coil_open")


@pytest.mark.parametrize(
    ("subject", "fault", "role_point", "part", "answer"),
    [
        (PRESSURE, "return_open", RolePoint("off_ohm", "return"), "ohm", "OL"),
        (PRESSURE, "return_open", RolePoint("lamp_positive", "return"), "glow", "dark"),
        (PRESSURE, HEALTHY, RolePoint("lamp_positive", "return"), "glow", "bright"),
        (PRESSURE, HEALTHY, RolePoint("lamp_negative", "reference"), "glow", "dim"),
        (PRESSURE, "controller_off", RolePoint("live", "signal", "unplugged"), "v", None),
        (COIL, "coil_reversed", RolePoint("polarity"), "polarity", "-"),
        (COIL, HEALTHY, RolePoint("counted"), "status", "ok"),
        (COIL, "controller_off", RolePoint("counted"), "status", "no contact"),
    ],
)
def test_it_answers_in_an_instruments_words(subject, fault, role_point, part, answer):
    assert SimulatedVehicle(subject, fault, seed=2).ask(role_point)[part] == answer


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: s.family)
def test_every_check_of_a_family_has_an_answer(subject):
    vehicle = SimulatedVehicle(subject, seed=1)
    for role_point in role_points_of(subject):
        assert vehicle.ask(role_point), role_point


@pytest.mark.parametrize(
    ("subject", "fault"),
    [
        (PRESSURE, HEALTHY),
        (PRESSURE, "reference_return_crossed"),
        (PRESSURE, "signal_open"),
        (NTC, "signal_short_ground"),
        (NTC, "thermistor_curve"),
        (HALL, "signal_pull_up_missing"),
        (COIL, "coil_open"),
        (FUEL, "fuel_contaminated"),
        (JUNCTION, "pair_crossed"),
        (FLOAT, "contact_resistance"),
    ],
    ids=lambda x: getattr(x, "family", x),
)
def test_a_hidden_fault_is_found(subject, fault):
    found = worked(subject, fault, seed=77)
    assert fault in found.group.faults
    assert found.group.probability > 0.9


def test_two_faults_are_hidden_at_once_and_drawn_otherwise_when_asked():
    both = SimulatedVehicle(PRESSURE, "return_open+signal_live_scaling", seed=4, habits=Habits.OTHER)
    assert both.ask(RolePoint("off_ohm", "return"))["ohm"] == "OL"
    with pytest.raises(ValueError, match="has no fault 'coil_open'"):
        SimulatedVehicle(PRESSURE, "return_open+coil_open")


def test_a_slip_is_another_pin_or_another_digit():
    hurried = SimulatedVehicle(PRESSURE, HEALTHY, seed=4, slip=1.0)
    steady = SimulatedVehicle(PRESSURE, HEALTHY, seed=4)
    asked = RolePoint("mated_v", "signal", "x2")
    assert abs(hurried.ask(asked)["v"] - steady.ask(asked)["v"]) > 0.2
