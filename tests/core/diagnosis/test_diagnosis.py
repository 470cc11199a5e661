"""The reasoning: what is predicted, which fault leads on which readings, and what must never happen."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irongauge.core.diagnosis.catalogue import draw, faults_of
from irongauge.core.diagnosis.electrical import Bench, lamp_current_a
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.session import Session
from tests.subjects import (
    BIASED,
    COIL,
    COMBO,
    FLOAT,
    FUEL,
    HALL,
    JUNCTION,
    NTC,
    PRESSURE,
    SUBJECTS,
)


def leading(subject, readings):
    session = Session(subject)
    for role_point, answer in readings:
        session.update(RolePoint(*role_point.split(":")), answer)
    return session.ranking()


def v(volts):
    return {"v": volts}


def lamp(volts, glow):
    return {"v": volts, "glow": glow}


# The order of the by-hand test and what each answer says, as rows: circuit, readings, the fault that must lead.
ROWS = {
    "all as it should be": (PRESSURE, [
        ("open_v:reference", v(4.98)), ("lamp_negative:reference", lamp(4.92, "dim")),
        ("lamp_positive:return", lamp(0.03, "bright")), ("mated_v:signal:x2", v(2.33)),
        ("mated_live:signal:x2", {"v": 2.32, "value": 4.55})], HEALTHY),
    "reads 5 V but collapses under the lamp": (PRESSURE, [
        ("open_v:reference", v(4.98)), ("lamp_negative:reference", lamp(0.09, "dark"))], "reference_resistance"),
    "no path to ground on the return": (PRESSURE, [
        ("open_v:reference", v(4.98)), ("lamp_positive:return", lamp(12.4, "dark")), ("off_ohm:return", {"ohm": "OL"})],
        "return_open"),
    "a path to ground on the signal": (PRESSURE, [
        ("open_v:reference", v(4.98)), ("lamp_positive:signal", lamp(0.15, "bright")), ("off_ohm:signal", {"ohm": 1.4}),
        ("lamp_positive:return", lamp(0.03, "bright"))], "signal_short_ground"),
    "comes back when the sharers come off": (PRESSURE, [
        ("open_v:reference", v(0.9)), ("sharers_off_v:reference", v(4.99))], "sharer_short"),
    "the lamp drives the wire and live data stays": (PRESSURE, [
        ("open_v:reference", v(4.98)), ("live:signal:lamp_positive", {"v": 0.0, "value": -1.25}),
        ("mated_v:signal:x2", v(2.32)), ("off_ohm:signal", {"ohm": "OL"})], "signal_open"),
    "good supply, signal at nothing": (PRESSURE, [
        ("mated_v:reference:x2", v(4.97)), ("mated_v:return:x2", v(0.01)), ("mated_v:signal:x2", v(0.06)),
        ("mated_v:signal:x1", v(0.06)), ("off_ohm:signal", {"ohm": 201_000.0})], "sensor_low"),
    "live volts right, value wrong": (PRESSURE, [
        ("mated_v:signal:x2", v(2.33)), ("mated_live:signal:x2", {"v": 2.32, "value": 8.1}),
        ("mated_live:signal:x1", {"v": 0.49, "value": -0.05})], "signal_live_scaling"),
    "no bias where there should be one": (BIASED, [
        ("open_v:reference", v(4.98)), ("open_v:signal", v(0.003)), ("live:signal:lamp_positive", {"v": 5.0, "value": 11.2}),
        # A cut wire would leave the input at its bias: only nothing at all on live data says that there is none.
        ("live:signal:unplugged", {"v": 0.0, "value": -1.25}), ("off_ohm:signal", {"ohm": "OL"})], "signal_pull_up_missing"),
    "two pull-ups in parallel": (BIASED, [
        ("open_v:signal", v(4.99)), ("off_ohm:signal", {"ohm": 7000.0}), ("open_v:reference", v(4.98))],
        "signal_pull_up_doubled"),
    "thermistor open": (NTC, [
        ("open_v:signal", v(5.0)), ("mated_v:signal:x1", v(5.0)), ("lamp_positive:return", lamp(0.03, "bright")),
        ("sensor_ohm:signal", {"ohm": "OL"})], "thermistor_open"),
    "thermistor healthy at both temperatures": (NTC, [
        ("mated_v:signal:x1", v(4.10)), ("mated_v:signal:x2", v(2.15)), ("mated_live:signal:x2", {"v": 2.15, "value": 80.0})],
        HEALTHY),
    "Hall output does not switch": (HALL, [
        ("mated_v:reference:present", v(4.97)), ("mated_v:signal:present", v(12.3)), ("mated_v:signal:absent", v(12.3)),
        ("off_ohm:signal", {"ohm": 4750.0}), ("open_v:signal", v(12.3)), ("lamp_positive:return", lamp(0.03, "bright"))],
        None),
    "coil open": (COIL, [("coil_ohm", {"ohm": "OL"}), ("ac_loose", {"vac": 0.0})], "coil_open"),
    "no pulses although the fuel runs past": (FUEL, [
        ("open_v:reference", v(12.4)), ("open_v:signal", v(0.004)), ("live:signal:unplugged", {"v": 0.0}),
        ("running::x1", {"vlow": 0.01, "vhigh": 0.01, "hz": 0.0, "pulse_ms": 0.0}), ("off_ohm:signal", {"ohm": "OL"})],
        "signal_pull_up_missing"),
    "too many pulses": (FUEL, [
        ("running::x1", {"vlow": 0.06, "vhigh": 5.0, "hz": 212.0, "pulse_ms": 2.45}),
        ("running_live::x1", {"hz": 212.0, "value": 162.0})], "fuel_contaminated"),
    # By the printed tables a K at 320 °C over 20 °C gives 13.040 − 0.798 mV, and a J 17.434 − 1.019 mV.
    "another pair of metals is fitted": (JUNCTION, [
        ("thermo_mv::x2", {"mv": 16.42}), ("mated_live:signal:x1", {"value": 20.5}), ("mated_live:signal:x2", {"value": 422.0}),
        ("loop_ohm", {"ohm": 6.0})], "junction_kind"),
    "falls when it is heated": (JUNCTION, [
        ("thermo_mv::x2", {"mv": 12.3}), ("mated_live:signal:x1", {"value": 31.0}), ("mated_live:signal:x2", {"value": -200.0}),
        ("loop_ohm", {"ohm": 8.0})], "pair_crossed"),
    "the contact does not close well": (FLOAT, [
        ("mated_v:signal:closed", v(1.12)), ("mated_v:signal:open", v(4.98)), ("sensor_ohm:signal:closed", {"ohm": 960.0})],
        "contact_resistance"),
    "an absolute sensor that reads nothing at the open port": (COMBO, [
        ("mated_v:signal:x1", v(0.5)), ("mated_v:signal:x2", v(2.5)), ("mated_live:signal:x1", {"v": 0.5, "value": 0.0}),
        ("mated_v:temperature:x1", v(2.64))], "gauge_for_absolute"),
    "kick the wrong way": (COIL, [
        ("coil_ohm", {"ohm": 790.0}), ("polarity", {"polarity": "-"}), ("counted", {"status": "ok"})], "coil_reversed"),
}  # fmt: skip


@pytest.mark.parametrize("name", ROWS)
def test_the_fault_that_the_readings_show_leads(name):
    subject, readings, fault = ROWS[name]
    ranked = leading(subject, readings)
    if fault is None:  # these readings leave two that only an inspection tells apart
        assert {ranked[0].fault, ranked[1].fault} == {"sensor_high", "target_far"}
    else:
        assert ranked[0].fault == fault, [(r.fault, round(r.probability, 3)) for r in ranked[:4]]


def test_what_healthy_predicts_is_what_a_hand_calculation_gives():
    """NTC 10 kΩ at 25 °C, beta 3435, 2.2 kΩ to 5 V, 80 °C: 1662.4 Ω and 2.1521 V."""
    bench = Bench(NTC, draw(NTC, (HEALTHY,), 200, np.random.default_rng(1)))
    assert np.median(bench.ntc_ohm(80.0)) == pytest.approx(1662.4, rel=0.01)
    assert np.median(bench.read(RolePoint("mated_v", "signal", "x2"))["v"].values) == pytest.approx(2.1521, abs=0.03)
    pressure = Bench(PRESSURE, draw(PRESSURE, (HEALTHY,), 200, np.random.default_rng(1)))
    # (0.1 + 0.8·4.6/10)·5 V = 2.34 V
    assert np.median(pressure.read(RolePoint("mated_v", "signal", "x2"))["v"].values) == pytest.approx(2.34, abs=0.03)


def test_the_lamp_takes_a_fifth_of_an_ampere_and_less_when_dim():
    assert lamp_current_a(np.array([12.0, 0.0, -12.0])) == pytest.approx([0.12, 0.0, -0.12])
    assert 0.06 < float(lamp_current_a(np.array(5.0))) < 0.08


@pytest.mark.parametrize("subject", SUBJECTS, ids=lambda s: s.family)
def test_every_fault_of_a_family_changes_something(subject):
    faults = faults_of(subject)
    assert faults[0] == HEALTHY
    assert len(set(faults)) == len(faults)
    healthy = draw(subject, (HEALTHY,), 1, np.random.default_rng(3))
    for fault in faults[1:]:
        faulty = draw(subject, (fault,), 1, np.random.default_rng(3))
        assert any(not np.array_equal(faulty[k], healthy[k], equal_nan=True) for k in healthy), fault


def test_a_fault_that_nobody_knows_is_refused():
    with pytest.raises(KeyError, match="no fault 'gremlins'"):
        draw(PRESSURE, ("gremlins",), 1, np.random.default_rng(0))


@settings(max_examples=8)
@given(st.permutations(ROWS["all as it should be"][1]))
def test_the_order_of_readings_makes_no_difference(readings):
    straight = {r.fault: r.probability for r in leading(*ROWS["all as it should be"][:2])}
    shuffled = {r.fault: r.probability for r in leading(PRESSURE, readings)}
    assert shuffled == pytest.approx(straight, abs=1e-9)


@pytest.mark.parametrize("name", [n for n, row in ROWS.items() if row[2]])
def test_a_reading_that_the_leader_predicts_does_not_lower_it(name):
    subject, readings, fault = ROWS[name]
    session = Session(subject)
    for role_point, answer in readings:
        session.update(RolePoint(*role_point.split(":")), answer)
    before = session.ranking()[0]
    extra = RolePoint("off_ohm", subject.pins[-1]) if subject is not COIL else RolePoint("leg_ohm", "plus")
    if extra in session.taken:
        return
    _, values, weights = session.predicted(extra, "ohm", fault, posterior=True)
    likeliest = float(values[weights.argmax()])
    session.update(extra, {"ohm": "OL" if likeliest > 5e7 else likeliest})
    after = {r.fault: r.probability for r in session.ranking()}[before.fault]
    assert after >= before.probability - 0.1


@pytest.mark.parametrize(
    "readings",
    [
        [("open_v:reference", v(-3.0))],
        [("open_v:reference", v(40.0))],
        [("open_v:reference", v(1e9))],
        [("off_ohm:return", {"ohm": 0.0})],
        [("mated_live:signal:x2", {"v": None, "comm": False})],
        [("mated_live:signal:x2", {})],
        [("sharers_off_v:reference", {"mv": 3.0})],
        [("paint:reference", v(5.0))],
    ],
    ids=["negative", "40 V", "huge", "no ohms", "silent", "missing", "another part", "unknown check"],
)
def test_impossible_and_missing_readings_never_break_it(readings):
    ranked = leading(PRESSURE, readings)
    assert sum(r.probability for r in ranked) == pytest.approx(1.0)
    assert all(0 <= r.probability <= 1 for r in ranked)


def test_one_impossible_reading_never_makes_it_sure():
    for volts in (-3.0, 40.0):
        assert leading(PRESSURE, [("open_v:reference", v(volts))])[0].probability < 0.9


def test_the_next_check_is_one_that_tells_something():
    session = Session(PRESSURE)
    role_points = (RolePoint("battery_v"), RolePoint("mated_live", "signal", "x2"), RolePoint("paint", "reference"))
    gains = session.gains(role_points)
    assert max(gains, key=lambda c: gains[c]) == role_points[1]
    assert gains[role_points[2]] == 0.0
    session.update(role_points[1], {"v": 2.32, "value": 4.55})
    assert role_points[1] not in session.gains(role_points)
