"""Everything that is said of pulses, held against what was approved."""

from irongauge.core.pulses.examination import examine
from irongauge.core.pulses.principle import Looks, find_principle
from irongauge.core.pulses.ratio import SpeedPair, explain_ratio, fit_ratio, measured_speed_kmh
from irongauge.core.pulses.rolling import Known, relate
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
from irongauge.core.pulses.tyre import tyre_from_code
from irongauge.instruments.waveforms import Pickup, Ring, capture
from tests.said import approved, text_of

COIL = Pickup(coil_v_per_hz=0.01)
CAPTURES = {
    "good": (Ring(24), Pickup(), {"teeth": 24}),
    "good, coil": (Ring(24), COIL, {"teeth": 24}),
    "a late tooth": (Ring(24, late_pct={7: 5}), Pickup(), {}),
    "two late teeth": (Ring(24, late_pct={3: 4, 15: -6}), Pickup(), {"teeth": 24}),
    "a missing tooth": (Ring(24, missing=frozenset({7})), COIL, {}),
    "a gap on purpose": (Ring(36, missing=frozenset({34, 35})), Pickup(), {"teeth": 36, "gap_teeth": 2}),
    "another gap than told": (Ring(36, missing=frozenset({35})), Pickup(), {"teeth": 36, "gap_teeth": 2}),
    "off its centre": (Ring(30, run_out_pct=3), Pickup(), {}),
    "halves apart": (Ring(30, joint_pct=6), COIL, {}),
    "two pull-ups": (Ring(24), Pickup(low_v=1.3, high_v=11.8), {}),
    "loaded": (Ring(24), Pickup(high_v=3), {"pull_up_v": 5.0}),
    "noise": (Ring(24), Pickup(noise_v=0.3), {}),
    "sparks": (Ring(24), Pickup(spikes=20), {}),
    "a loose pin": (Ring(24), Pickup(dropouts=3), {}),
    "a cut wave": (Ring(24), Pickup(coil_v_per_hz=0.01, clip_v=1.8), {}),
    "a weak pull-up": (Ring(24), Pickup(rise_s=1e-3), {}),
    "nothing turns": (Ring(24), Pickup(low_v=5), {}),
}


def _examined(ring, pickup, about):
    return examine(*capture(ring, pickup, turn_hz=(10, 10), seconds=2.0, rate_hz=20_000, seed=4), **about)


def _cases():
    three = {"supply_v": 12.1, "low_v": 0.2, "high_v": 5.0}
    known = {
        "teeth": Known(20.0),
        "axle_ratio": Known(4.3),
        "circumference_m": Known(2.2619),
        "speed_m_per_s": Known(8.333),
    }
    off = [SpeedPair(50, 46), SpeedPair(80, 76), SpeedPair(110, 106), SpeedPair(120, 116)]
    ratio = [SpeedPair(50, 55.1), SpeedPair(80, 87.9), SpeedPair(100, 110.2)]
    wiring = {"node": "12", "other_nodes": ("11", "12"), "firmware": "2.1", "host_firmware": "2.3"}
    time_s, signal_v = capture(Ring(24), Pickup(), turn_hz=(10, 10), seconds=1.0, rate_hz=20_000, seed=4)
    fast = capture(Ring(24, late_pct={7: 5}), Pickup(), turn_hz=(90, 90), seconds=0.5, rate_hz=200_000, seed=4)
    stops = capture(Ring(24), Pickup(), turn_hz=(12, 0.01), seconds=3.0, rate_hz=20_000, seed=4)
    heard = capture(
        Ring(24), Pickup(coil_v_per_hz=0.01, lost_below_hz=100.0), turn_hz=(12, 1), seconds=3.0, rate_hz=20_000, seed=4
    )
    return {f"capture: {name}": _examined(*row) for name, row in CAPTURES.items()} | {
        "capture: that does not begin at 0": examine(time_s + 5.0, signal_v),
        "capture: fast, with a late tooth": examine(*fast),
        "capture: that comes to a stand": examine(*stops),
        "capture: lost below a speed": examine(*heard),
        "principle: three wires and two states": find_principle(Looks(wires=3, **three)),
        "principle: a low level too high": find_principle(Looks(wires=3, supply_v=12.1, low_v=1.3, high_v=5.0)),
        "principle: at the border": find_principle(Looks(wires=3, supply_v=12.1, low_v=0.8, high_v=5.0)),
        "principle: no pull-up": find_principle(Looks(wires=3, supply_v=12.1, low_v=0.0, high_v=0.1)),
        "principle: a coil by its ohms": find_principle(Looks(wires=2, coil_ohm=820.0)),
        "principle: a coil by its volts": find_principle(Looks(wires=2, ac_v=0.8), input_takes_sine=True),
        "principle: two wires and nothing else": find_principle(Looks(wires=2)),
        "principle: three wires and nothing else": find_principle(Looks(wires=3)),
        "principle: three wires that make volts": find_principle(Looks(wires=3, ac_v=1.0)),
        "principle: ohms that no coil has": find_principle(Looks(wires=2, coil_ohm=20_000.0)),
        "principle: states a volt apart": find_principle(Looks(wires=3, supply_v=12.1, low_v=0.2, high_v=1.2)),
        "principle: states that hardly differ": find_principle(Looks(wires=3, supply_v=12.1, low_v=3.0, high_v=3.5)),
        "principle: a supply of a volt": find_principle(Looks(wires=3, supply_v=1.0, low_v=0.2, high_v=5.0)),
        "principle: ohms at the border": find_principle(Looks(wires=2, coil_ohm=50.0)),
        "pull-up: a short wire": pull_up_for(5.0, 500.0, 2.0),
        "pull-up: a long wire, fast": pull_up_for(12.0, 8000.0, 9.0),
        "pull-up: too long and too fast": pull_up_for(5.0, 200_000.0, 30.0),
        **{f"fuel: {hz:g} Hz, {ms} ms": decode_fuel(hz, ms) for hz, ms in
           ((112.0, 2.74), (50.0, 1.0), (150.0, 5.0), (47.0, 0.9), (44.9, 2.0), (0.0, None), (155.0, 3.0), (170.0, 3.0),
            (171.0, 3.0), (100.0, 6.0), (100.0, None), (112.3456, 2.7))},
        "gap: as it should be": air_gap([1.0, 1.05, 1.1, 1.0], 0.8, 1.3),
        "gap: too wide": air_gap([1.6, 1.7, 1.6, 1.65], 0.8, 1.3),
        "gap: too narrow": air_gap([0.3, 0.35, 0.3, 0.3], 0.8, 1.3),
        "gap: off its centre": air_gap([0.6, 1.0, 1.6, 1.0], 0.8, 1.3),
        "bus: a channel": bus_channel(120.0, 4, 50.0),
        "bus: a slow one": bus_channel(2.0, 1, 10.0, tick_s=1e-4),
        "bus: settings": settings_for(20.0, 400.0, 5.0),
        "bus: settings that cannot be": settings_for(0.5, 4.0, 50.0),
        "bus: all wrong": judge_bus(BusWiring(**wiring, inside_ohm=4700.0, pulled_up_in_harness=True), speeds_hz=None,
                                    pulses=4, frame_hz=50.0),
        "bus: no pull-up": judge_bus(BusWiring(inside_ohm=0.0, pulled_up_in_harness=False), speeds_hz=(400, 20), pulses=4,
                                     frame_hz=50.0, duty=DUTIES["fan"]),
        "bus: as it should be": judge_bus(BusWiring(node="3", other_nodes=("4",)), speeds_hz=(20, 400), pulses=1,
                                          frame_hz=200.0, needed_hz=2.0),
        "bus: not set for it": judge_bus(BusWiring(), speeds_hz=(20, 400), pulses=60, frame_hz=5.0, needed_hz=20.0),
        "bus: nothing known": judge_bus(BusWiring(), speeds_hz=None, pulses=4, frame_hz=50.0),
        "ratio: of three": fit_ratio(ratio),
        "ratio: of one": fit_ratio(ratio[:1]),
        "ratio: an offset": fit_ratio(off),
        "ratio: explained by an axle": explain_ratio(4.1 / 3.73, axle_ratio=3.73, axle_ratios=[3.55, 4.1]),
        "ratio: explained by a tooth": explain_ratio(20 / 19, teeth=20),
        "ratio: explained by a tyre": explain_ratio(0.74 / 0.72, diameter_m=0.72, diameters_m=[0.70, 0.74]),
        "ratio: explained by teeth or an axle": explain_ratio(20 / 19, teeth=20, axle_ratio=3.8, axle_ratios=[4.0, 4.3]),
        "ratio: explained by nothing": explain_ratio(1.37, teeth=40),
        "speed of a timed way": measured_speed_kmh(1000.0, 60.0),
        "related": relate(known),
        "a tyre": tyre_from_code("315/80 R22.5"),
    }  # fmt: skip


SAID = ("pulses", _cases)


def test_what_is_said_of_pulses_is_what_was_approved():
    assert text_of(_cases()) == approved("pulses")
