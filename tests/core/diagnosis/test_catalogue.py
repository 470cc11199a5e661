"""The catalogue of faults: each is a change that shows, to the right parameters, and no more."""

import numpy as np
import pytest

from irongauge.core.diagnosis.catalogue import draw, faults_of
from irongauge.core.diagnosis.changes import change
from irongauge.core.diagnosis.faults import FAULT_WORDS, HEALTHY, may_stand_together, splitting_inspection, words_of
from irongauge.core.diagnosis.model import model_of
from irongauge.core.diagnosis.parameters import NOT_THERE, log_uniform
from irongauge.core.diagnosis.role_points import NO_CONTACT_V, Kind
from irongauge.core.diagnosis.strategy import role_points_of
from tests.subjects import COIL, COMBO, FUEL, HALL, JUNCTION, NTC, PRESSURE, SUBJECTS

EVERY = [(subject, fault) for subject in SUBJECTS for fault in faults_of(subject) if fault != HEALTHY]
N = 24
# Which parameters of the pressure circuit each fault may write; all others stay as they are in the healthy circuit.
WRITES = {
    "reference_open": {"wire.reference"},
    "return_resistance": {"wire.return"},
    "reference_short_ground": {"to_ground.reference", "fuse"},
    "signal_short_ground": {"to_ground.signal"},
    "signal_short_battery": {"to_battery.signal"},
    "signal_short_reference": {"to_reference.signal"},
    "return_on_body": {"body_v"},
    "sharer_short": {"sharer_short_ohm"},
    "reference_wrong": {"supply_v"},
    "controller_off": {"on"},
    "sensor_offset": {"offset"},
    "sensor_gain": {"gain"},
    "sensor_range": {"range_low", "range_span"},
    "sensor_low": {"stuck_at"},
    "signal_clamped": {"clamp_share"},
    "signal_live_channel": {"other_channel.signal"},
    "signal_live_scaling": {"scale.signal", "shift.signal"},
    "signal_live_pegged": {"pegged.signal"},
    "reference_return_crossed": {"crossed"},
}


@pytest.mark.parametrize(("subject", "fault"), EVERY, ids=lambda x: x if isinstance(x, str) else str(x.family))
def test_every_fault_shows_in_some_check(subject, fault):
    """At its middle size some check reads otherwise than in any good circuit by more than the instrument's part."""
    model = model_of(subject)
    for role_point in role_points_of(subject):
        for name, part in model.parts(role_point).items():
            good, bad = model.sample_set(role_point, name, HEALTHY), model.sample_set(role_point, name, fault)
            apart = np.abs(good - bad) > 3 * model.instrument(Kind.VOLTS, good)
            if part.kind is Kind.GLOW:
                apart = np.digitize(np.abs(good), [0.02, 0.08]) != np.digitize(np.abs(bad), [0.02, 0.08])
            if apart.mean() > 0.3:
                return
    pytest.fail("no check shows it")


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: str(s.family))
def test_what_is_drawn_and_predicted_is_finite(subject):
    faults = faults_of(subject)
    p = draw(subject, faults, N, np.random.default_rng(3))
    assert {values.shape for values in p.values()} == {(len(faults) * N,)}
    assert not [name for name, values in p.items() if np.isinf(values).any()]
    model = model_of(subject)
    for role_point in role_points_of(subject):
        for part in model.parts(role_point).values():
            assert np.isfinite(part.values).all()
            assert (part.spread >= 0).all()


@pytest.mark.parametrize("fault", WRITES)
def test_a_fault_changes_its_own_parameters_only(fault):
    healthy, faulty = (draw(PRESSURE, (HEALTHY,), N, np.random.default_rng(5)) for _ in range(2))
    change(faulty, fault, slice(0, N), N, np.random.default_rng(6))
    changed = {name for name in healthy if not np.array_equal(healthy[name], faulty[name], equal_nan=True)}
    assert changed
    assert changed <= WRITES[fault]


def test_all_faults_are_put_into_the_same_circuits_with_sizes_from_the_same_numbers():
    faults = (HEALTHY, "signal_short_battery", "signal_short_reference", "return_resistance", "signal_resistance")
    p = draw(PRESSURE, faults, N, np.random.default_rng(1))
    by_fault = {name: values.reshape(len(faults), N) for name, values in p.items()}
    assert (by_fault["supply_v"] == by_fault["supply_v"][0]).all()
    assert by_fault["to_battery.signal"][1] == pytest.approx(by_fault["to_reference.signal"][2])
    assert by_fault["wire.return"][3] == pytest.approx(by_fault["wire.signal"][4])
    assert (by_fault["to_battery.signal"][0] == NOT_THERE).all()


@pytest.mark.parametrize(("low", "high"), [(0.1, 80), (4, 9e4), (1e7, 1e9)])
def test_sizes_leave_no_gap_and_are_as_likely_in_every_decade(low, high):
    drawn = np.sort(np.log(log_uniform(np.random.default_rng(2), low, high, 64)))
    assert drawn[0] >= np.log(low)
    assert drawn[-1] <= np.log(high)
    assert np.diff(drawn).max() <= 2 * (np.log(high) - np.log(low)) / 64 + 1e-9


def test_a_fault_that_there_is_not_is_refused():
    p = draw(PRESSURE, (HEALTHY,), 1, np.random.default_rng(0))
    with pytest.raises(KeyError, match="moon"):
        change(p, "moon", slice(0, 1), 1, np.random.default_rng(0))


@pytest.mark.parametrize(
    ("subject", "has", "lacks"),
    [
        (
            PRESSURE,
            {"sharer_short", "sensor_range", "signal_pull_up_left"},
            {"thermistor_open", "target_far", "coil_open"},
        ),
        (NTC, {"thermistor_open", "signal_pull_up_missing"}, {"reference_open", "sensor_offset", "sharer_short"}),
        (HALL, {"target_far", "sensor_high"}, {"sensor_offset", "signal_live_scaling"}),
        (COIL, {"coil_turns", "ring_joints", "gap_wide"}, {"signal_open", "shield_nowhere"}),
        (FUEL, {"fuel_contaminated", "frequency_wrong"}, {"sharer_short", "reference_wrong"}),
        (JUNCTION, {"junction_kind", "pair_crossed", "shield_nowhere"}, {"plus_short_ground", "coil_open"}),
        (COMBO, {"temperature_open", "gauge_for_absolute", "thermistor_curve"}, {"target_far", "coil_open"}),
    ],
    ids=["pressure", "ntc", "hall", "coil", "fuel", "thermocouple", "combo"],
)
def test_a_family_has_the_faults_that_it_can_have(subject, has, lacks):
    faults = set(faults_of(subject))
    assert has <= faults
    assert not lacks & faults
    assert faults <= set(FAULT_WORDS)


@pytest.mark.parametrize(
    ("one", "other", "may"),
    [
        ("return_open", "sensor_offset", True),
        ("return_open", "return_resistance", False),
        ("reference_open", "signal_open", True),
        ("sensor_low", "sensor_high", False),
        ("healthy", "return_open", False),
        ("controller_off", "return_open", False),
        ("signal_pull_up_missing", "signal_pull_up_doubled", False),
    ],
)
def test_two_faults_stand_together_unless_they_change_the_same_thing(one, other, may):
    assert may_stand_together(one, other) is may
    assert may_stand_together(other, one) is may


def test_a_pair_has_the_words_of_both_and_a_group_one_inspection_for_each():
    assert [w.code for w in words_of("return_open+sensor_low")] == ["return_open", "sensor_low"]
    look = splitting_inspection(("sensor_high", "target_far", "sensor_high+target_far", "healthy"))
    assert look.count(";") == 1
    assert "feeler gauge" in look


def test_a_silent_controller_shows_nothing_in_live_data():
    model = model_of(PRESSURE)
    role_point = next(c for c in role_points_of(PRESSURE) if c.kind == "mated_live")
    assert (model.sample_set(role_point, "v", "controller_off") == NO_CONTACT_V).all()
