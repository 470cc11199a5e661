"""Which principle, which pull-up, what a fuel sensor says, how a gap is set, what a bus channel shows."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.principle import Looks, Principle, candidates, find_principle
from irongauge.core.pulses.signal_parts import (
    DUTIES,
    BusWiring,
    air_gap,
    bus_channel,
    decode_fuel,
    judge_bus,
    pull_up_for,
    settings_for,
)

LOOKS = [
    (
        "a Hall sensor",
        {"wires": 3, "supply_v": 12.1, "low_v": 0.2, "high_v": 4.9},
        Principle.SWITCHING,
        (False, False, False),
    ),
    (
        "two pull-ups",
        {"wires": 3, "supply_v": 12.1, "low_v": 1.1, "high_v": 11.8},
        Principle.SWITCHING,
        (False, False, True),
    ),
    (
        "no pull-up",
        {"wires": 3, "supply_v": 12.1, "low_v": 0.0, "high_v": 0.02},
        Principle.SWITCHING,
        (False, True, False),
    ),
    ("a coil by its ohms", {"wires": 2, "coil_ohm": 820.0}, Principle.RELUCTANCE, (True, False, False)),
    (
        "a coil by its volts",
        {"wires": 2, "ac_v": 1.4, "input_takes_sine": True},
        Principle.RELUCTANCE,
        (False, False, False),
    ),
    (
        "a contact",
        {"wires": 2, "low_v": 0.1, "high_v": 5.0},
        Principle.CONTACT,
        (False, False, False),
    ),
    ("nothing looked at", {"wires": 3}, Principle.UNCLEAR, (False, False, False)),
]


@pytest.mark.parametrize(("looks", "principle", "needs"), [row[1:] for row in LOOKS], ids=[row[0] for row in LOOKS])
def test_the_principle_follows_from_the_looks(looks, principle, needs):
    takes_sine = looks.get("input_takes_sine", False)
    looks = {name: value for name, value in looks.items() if name != "input_takes_sine"}
    found = find_principle(Looks(**looks), input_takes_sine=takes_sine)
    assert found.principle is principle
    assert (found.needs_conditioner, found.needs_pull_up, found.one_too_many) == needs
    assert found.reason


FAULTS = [
    ({"wires": 3, "supply_v": 0.1, "low_v": 0.0, "high_v": 0.0}, "no supply"),
    ({"wires": 2, "coil_ohm": 1.2}, "shorted coil or closed contact"),
    ({"wires": 2, "coil_ohm": math.inf}, ""),
    ({"wires": 2, "low_v": 1.4, "high_v": 12.0}, "contact does not close"),
    ({"wires": 2, "supply_v": 12.0, "low_v": 0.7, "high_v": 1.4}, ""),
]


@pytest.mark.parametrize(("looks", "fault"), FAULTS, ids=str)
def test_what_is_wrong_with_a_sensor_has_its_name(looks, fault):
    found = find_principle(Looks(**looks))
    assert found.fault == fault
    assert (found.mark is Mark.FAIL) == bool(fault)


def test_no_current_between_two_wires_has_three_names_and_a_way_to_tell_them():
    found = find_principle(Looks(wires=2, coil_ohm=math.inf))
    assert found.mark is Mark.UNDECIDED
    for name in ("an open coil", "an open reed contact", "a current sensor", "Turn the ring by a tooth"):
        assert name in found.reason
    assert find_principle(Looks(wires=2, low_v=0.7, high_v=1.4)).principle is Principle.CURRENT


@pytest.mark.parametrize("node", ["03", "3", "0x03", "3h"])
def test_a_module_id_is_a_number_however_it_is_written(node):
    (fault,) = BusWiring(node="3", other_nodes=("1", node)).faults()
    assert fault[0] == "node 3 twice on the bus"
    assert BusWiring(node="0x10", other_nodes=("16",)).faults()
    assert not BusWiring(node="0x10", other_nodes=("10",)).faults()


def test_a_need_that_pulses_cannot_meet_is_no_good_setting():
    """Two pulses a second cannot show what changes thrice a second, however the module is set."""
    told = judge_bus(BusWiring(), speeds_hz=(2.0, 400.0), pulses=1, frame_hz=30.0, duty=DUTIES["engine"])
    assert (told.mark, told.finding) == (Mark.FAIL, "too few pulses at the lowest speed")
    assert any("6 times as many" in sentence for sentence in told.sentences)
    good = judge_bus(BusWiring(), speeds_hz=(20.0, 400.0), pulses=1, frame_hz=30.0, duty=DUTIES["engine"])
    assert good.mark is Mark.PASS


@given(st.floats(3, 15), st.floats(10, 20_000), st.floats(0, 30))
def test_a_pull_up_sinks_little_and_rises_in_time(to_v, highest_hz, wire_m):
    found = pull_up_for(to_v, highest_hz, wire_m)
    if found.ohm is None:
        assert found.most_ohm < 10_000
    else:
        assert to_v / found.ohm <= 0.015 * (1 + 1e-9)
        rise_s = found.ohm * (wire_m * 100e-12 + 1e-9) * math.log(1 / 0.3)
        assert rise_s <= 0.1 / highest_hz * (1 + 1e-9)


FUEL = [
    (112.0, 2.74, (62.0, 31.775), ""),
    (50.0, 1.0, (0.0, -40.0), ""),
    (150.0, 5.0, (100.0, 125.0), ""),
    (0.0, None, (None, None), "no pull-up"),
    (176.0, 2.0, (None, 1.25), "contaminated"),
    (30.0, 2.0, (None, 1.25), "missed"),
    (100.0, 9.0, (50.0, None), "outside 1 to 5 ms"),
]


@pytest.mark.parametrize(("hz", "ms", "says", "fault"), FUEL)
def test_a_fuel_sensor_is_decoded_or_its_fault_named(hz, ms, says, fault):
    found = decode_fuel(hz, ms)
    assert (found.share_pct, found.temperature_degc) == says
    assert fault in found.fault


def test_an_air_gap_is_set_by_its_feeler_readings():
    round_ring = [1.0 + 0.2 * math.cos(2 * math.pi * at / 8) for at in range(8)]
    found = air_gap(round_ring, 0.8, 1.3)
    assert (found.run_out_mm, found.fits) == (pytest.approx(0.2), True)
    assert found.spread_mm == pytest.approx(0.4)
    assert "Move the sensor 0.50 mm towards the ring" in air_gap([1.5, 1.6, 1.4, 1.5], 0.8, 1.2).sentence
    assert "true the ring first" in air_gap([0.5, 1.5, 1.0], 0.8, 1.2).sentence
    with pytest.raises(ValueError, match="three or more"):
        air_gap([1.0, 1.1], 0.8, 1.2)


ODD = [
    ("a bent tooth on a true ring", [1.0, 1.0, 1.0, 1.4, 1.0, 1.0], 3),
    ("a bent tooth on a ring that is out of round", [1.2, 1.14, 1.0, 0.86, 1.3, 0.86, 1.0, 1.14], 4),
    ("out of round, no tooth odd", [1.2, 1.14, 1.0, 0.86, 0.8, 0.86, 1.0, 1.14], None),
    ("a leaf's width is nothing", [1.0, 1.05, 1.0, 1.0, 1.05, 1.0], None),
    ("two of them: neither stands alone", [1.0, 1.6, 1.0, 1.0, 1.6, 1.0, 1.0, 1.0], None),
    ("either of two that differ the other way", [1.5, 1.6, 1.4, 1.5, 1.5, 1.5], None),
    ("too few to tell", [1.0, 1.0, 1.0, 1.5], None),
]


@pytest.mark.parametrize(("readings", "odd"), [o[1:] for o in ODD], ids=[o[0] for o in ODD])
def test_an_odd_tooth_is_told_from_a_ring_that_is_out_of_round(readings, odd):
    assert air_gap(readings, 0.8, 1.6).odd == odd


@given(st.lists(st.floats(0.5, 2.0), min_size=6, max_size=24), st.integers(0, 23), st.floats(-0.4, 0.4))
def test_the_odd_tooth_is_the_one_that_leaving_each_out_in_turn_finds(leaves, place, bump):
    """Against NumPy's least squares, done once for every place that may be odd."""
    n = len(leaves)
    turn = np.arange(n) * 2 * np.pi / n
    readings = 1 + 0.2 * np.cos(turn + 1) + 0.06 * (np.array(leaves) - 1.25)
    readings[place % n] = max(readings[place % n] + bump, 0.0)
    on = np.c_[np.ones(n), np.cos(turn), np.sin(turn)]
    found = []
    for k in range(n):
        others = np.arange(n) != k
        circle = on @ np.linalg.lstsq(on[others], readings[others], rcond=None)[0]
        off = np.abs(readings - circle)
        assume(min(abs(off[others].max() - 0.05), abs(off[k] - 0.15)) > 1e-9)
        if off[others].max() <= 0.05 and off[k] >= 0.15:
            found.append(k)
    assert air_gap(list(readings), 0.5, 3.0).odd == (found[0] if len(found) == 1 else None)


def test_a_bus_channel_trades_delay_for_resolution():
    slow = bus_channel(100.0, 4, 50.0)
    assert slow.delay_s == pytest.approx(0.06)
    assert slow.resolution_pct == pytest.approx(0.0025)
    assert bus_channel(10.0, 1, 50.0).update_hz == 10.0
    with pytest.raises(ValueError, match="one or more pulses"):
        bus_channel(10.0, 0, 50.0)


@given(st.floats(0.5, 500), st.floats(1, 100), st.floats(0.05, 20))
def test_recommended_settings_show_the_fastest_change_and_delay_by_no_more_than_a_part_of_it(low_hz, times, needed_hz):
    high_hz = low_hz * times
    best = settings_for(low_hz, high_hz, needed_hz)
    assert best.frame_hz == pytest.approx(10 * needed_hz)
    assert best.pulses >= 1
    slow = bus_channel(low_hz, best.pulses, best.frame_hz)
    if best.pulses > 1:  # one pulse is the least there is
        assert best.pulses / low_hz <= 0.25 / needed_hz + 1e-9
        assert best.pulses == 1000 or (best.pulses + 1) / low_hz > 0.25 / needed_hz
    assert bus_channel(high_hz, best.pulses, best.frame_hz).delay_s <= slow.delay_s
    assert f"{best.pulses} pulse" in best.sentence


def test_what_duties_need_is_what_their_reasons_say():
    assert [round(10 * duty.needed_hz) for duty in DUTIES.values()] == [2, 10, 30, 50]
    for duty in DUTIES.values():
        frames = {"2": "2 frames", "10": "ten frames", "30": "30 frames", "50": "50 frames"}[
            f"{10 * duty.needed_hz:.0f}"
        ]
        assert frames in duty.reason


@pytest.mark.parametrize(("low_hz", "high_hz", "needed_hz"), [(0, 1, 1), (5, 2, 1), (1, 2, 0)])
def test_settings_for_no_speeds_are_refused(low_hz, high_hz, needed_hz):
    with pytest.raises(ValueError, match="a lowest and a highest frequency"):
        settings_for(low_hz, high_hz, needed_hz)


RULED_OUT = [
    ("three wires", {"wires": 3}, {Principle.SWITCHING}),
    ("two wires, nothing measured", {"wires": 2}, {Principle.RELUCTANCE, Principle.CONTACT, Principle.CURRENT}),
    ("a winding's ohms", {"wires": 2, "coil_ohm": 820.0}, {Principle.RELUCTANCE, Principle.CURRENT}),
    ("volts of its own", {"wires": 2, "ac_v": 0.8}, {Principle.RELUCTANCE}),
    ("levels as 1 to 2", {"wires": 2, "low_v": 0.7, "high_v": 1.4}, {Principle.CURRENT}),
    ("a contact's levels", {"wires": 2, "low_v": 0.1, "high_v": 5.0}, {Principle.CONTACT}),
    (
        "open says nothing of a coil that is broken",
        {"wires": 2, "coil_ohm": math.inf},
        {Principle.RELUCTANCE, Principle.CONTACT, Principle.CURRENT},
    ),
]


@pytest.mark.parametrize(("looks", "left"), [r[1:] for r in RULED_OUT], ids=[r[0] for r in RULED_OUT])
def test_measurements_rule_principles_out(looks, left):
    found = candidates(Looks(**looks))
    assert {principle for principle, out in found.items() if not out} == left


@given(
    st.builds(
        Looks,
        wires=st.sampled_from([2, 3, 4]),
        supply_v=st.none() | st.floats(0, 30),
        low_v=st.none() | st.floats(-1, 10),
        high_v=st.none() | st.floats(-1, 30),
        ac_v=st.none() | st.floats(0, 100),
        coil_ohm=st.none() | st.floats(0, 1e6) | st.just(math.inf),
    )
)
def test_what_is_found_is_never_struck_through(looks):
    found = find_principle(looks).principle
    assert found is Principle.UNCLEAR or candidates(looks)[found] == ""
