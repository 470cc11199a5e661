"""The simulated vehicle: it obeys its hidden fault, answers in the words of an instrument, and can be worked to a verdict."""

import pytest

from irongauge.core.diagnosis import HEALTHY, Check, Session
from irongauge.instruments import SimulatedVehicle
from irongauge.core.diagnosis.strategy import checks_of
from tests.core.test_diagnosis import COIL, HALL, NTC, PRESSURE, SUBJECTS


def test_the_same_seed_is_the_same_vehicle():
    first, second = (SimulatedVehicle(PRESSURE, "return_open", seed=4) for _ in range(2))
    for check in checks_of(PRESSURE):
        assert first.ask(check) == second.ask(check)


def test_asking_twice_differs_only_by_the_meters_noise():
    vehicle = SimulatedVehicle(PRESSURE, seed=4)
    readings = [vehicle.ask(Check("open_v", "reference"))["v"] for _ in range(20)]
    assert 0 < max(readings) - min(readings) < 0.06


def test_a_fault_that_the_family_cannot_have_is_refused():
    with pytest.raises(ValueError, match="has no fault 'coil_open'"):
        SimulatedVehicle(PRESSURE, "coil_open")


@pytest.mark.parametrize(
    ("subject", "fault", "check", "part", "answer"),
    [
        (PRESSURE, "return_open", Check("off_ohm", "return"), "ohm", "OL"),
        (PRESSURE, "return_open", Check("lamp_positive", "return"), "glow", "dark"),
        (PRESSURE, HEALTHY, Check("lamp_positive", "return"), "glow", "bright"),
        (PRESSURE, HEALTHY, Check("lamp_negative", "reference"), "glow", "dim"),
        (PRESSURE, "controller_off", Check("live", "signal", "unplugged"), "v", None),
        (COIL, "coil_reversed", Check("polarity"), "polarity", "-"),
        (COIL, HEALTHY, Check("counted"), "status", "ok"),
        (COIL, "controller_off", Check("counted"), "status", "no contact"),
    ],
)
def test_it_answers_in_an_instruments_words(subject, fault, check, part, answer):
    assert SimulatedVehicle(subject, fault, seed=2).ask(check)[part] == answer


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: s.family)
def test_every_check_of_a_family_has_an_answer(subject):
    vehicle = SimulatedVehicle(subject, seed=1)
    for check in checks_of(subject):
        assert vehicle.ask(check), check


def worked(subject, fault, seed):
    """A whole session: the best check, its answer, until one fault is sure."""
    vehicle, session, checks = SimulatedVehicle(subject, fault, seed), Session(subject), checks_of(subject)
    while len(session.taken) < 12 and (len(session.taken) < 5 or session.ranking()[0].probability < 0.995):
        gains = session.gains(checks)
        best = max(gains, key=lambda check: gains[check])
        session.update(best, vehicle.ask(best))
    return session.ranking()[0]


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
    ],
    ids=lambda x: getattr(x, "family", x),
)
def test_a_hidden_fault_is_found_in_a_dozen_checks(subject, fault):
    found = worked(subject, fault, seed=77)
    assert found.fault == fault
    assert found.probability > 0.9
