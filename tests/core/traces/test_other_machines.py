"""Logs of machines that the program was not made with: of a healthy one nothing is said, and a fault is called by its name."""

import numpy as np
import pytest

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FindingKind
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.rules import SHIPPED_RULES, apply_rules
from irongauge.core.traces.senses import Sense
from tools.other_machines import MACHINES, PUT, worked

T = np.arange(0, 400, 0.1)
RNG = np.random.default_rng(11)


@pytest.mark.parametrize("is_told", [False, True])
@pytest.mark.parametrize("machine", MACHINES)
def test_of_a_healthy_machine_nothing_is_said(machine, is_told):
    for seed in range(3000, 3012):
        log = worked(machine, seed, is_told=is_told).log
        assert [f.sentence for f in (*judge_log(log), *apply_rules(log, SHIPPED_RULES))] == [], seed


@pytest.mark.parametrize("machine", MACHINES)
@pytest.mark.parametrize("kind", PUT)
def test_what_is_put_into_its_work_is_called_by_its_name(machine, kind):
    found = []
    for seed in range(3000, 3010):
        made = worked(machine, seed, kind)
        slow = made.log.channels[0].time_s[1] > 0.3 and kind is not FindingKind.DROPOUT
        found += [] if slow else [any(f.kind is kind and f.channel == made.channel for f in judge_log(made.log))]
    assert sum(found) >= 0.9 * len(found) > 0


def channel(name, value, sense, unit="", quantity=None, **more):
    return Channel(
        name=name,
        unit=unit,
        quantity=quantity,
        sense=sense,
        time_s=T,
        value=np.asarray(value, dtype=np.float32),
        **more,
    )


SPEED = 50 + 30 * np.sin(T / 9) + 8 * np.sin(T / 2.3)
RPM = channel("RPM", 30 * SPEED, Sense.ENGINE_SPEED, "rpm")


def said(*channels, system_v=12.0):
    return [(f.kind, f.channel) for f in judge_log(Log((RPM, *channels), system_v))]


@pytest.mark.parametrize(
    ("name", "told", "late_s", "is_said"),
    [
        ("GPS speed", Sense.ROAD_SPEED, 1.4, False),  # it is reckoned from places
        ("Dash speed", Sense.ROAD_SPEED, 1.4, False),
        ("Speed 2", Sense.ROAD_SPEED, 1.4, True),
        ("GPS speed", Sense.ROAD_SPEED, 6.0, True),
    ],
)
def test_a_speed_is_late_only_beyond_what_it_is_by_nature(name, told, late_s, is_said):
    road = channel("Road speed", SPEED, Sense.ROAD_SPEED, "km/h")
    other = channel(name, np.interp(T - late_s, T, SPEED), told, "km/h")
    assert ((FindingKind.LAG, name) in said(road, other)) is is_said


@pytest.mark.parametrize(("more", "is_said"), [(1.10, False), (1.25, True)])
def test_a_dash_may_show_a_tenth_more(more, is_said):
    road = channel("Road speed", SPEED, Sense.ROAD_SPEED, "km/h")
    dash = channel("Road speed (dash)", SPEED * more, Sense.ROAD_SPEED, "km/h")
    assert (said(road, dash) != []) is is_said


def test_throttle_pedal_and_load_are_three_things_though_told_as_one():
    values = {"Throttle": SPEED * 0.7, "Pedal": SPEED * 0.9 - 5, "Engine load": SPEED}
    assert said(*(channel(n, v, Sense.LOAD, "%", Quantity.SHARE) for n, v in values.items())) == []


def test_a_pedal_whose_second_track_is_off_is_said_to_be():
    first = channel("Pedal", SPEED, Sense.LOAD, "%", Quantity.SHARE)
    second = channel("Pedal 2", SPEED + 7, Sense.LOAD, "%", Quantity.SHARE)
    assert [kind for kind, _ in said(first, second)] == [FindingKind.DISAGREES]


def test_boost_of_the_air_and_manifold_of_vacuum_are_not_compared():
    absolute = channel("MAP", 100 + SPEED, Sense.BOOST_PRESSURE, "kPa", Quantity.PRESSURE, base=PressureBase.ABSOLUTE)
    gauge = channel("Boost", SPEED, Sense.BOOST_PRESSURE, "kPa", Quantity.PRESSURE, base=PressureBase.GAUGE)
    assert said(absolute, gauge) == []


@pytest.mark.parametrize("share", [0.003, 0.02, 0.5, 0.9])
def test_cells_that_a_logger_leaves_out_are_no_dropout(share):
    oil = 300 + SPEED + RNG.normal(0, 2, len(T))
    oil[RNG.random(len(T)) < share] = np.nan
    assert said(channel("Oil pressure", oil, Sense.OIL_PRESSURE, "kPa", Quantity.PRESSURE, span=(0, 1000))) == []


def test_a_channel_that_is_told_every_tenth_row_costs_no_more_than_its_rows():
    blank = np.full(200_000, np.nan, dtype=np.float32)
    time_s = np.arange(200_000) * 0.01
    channels = []
    for at in range(12):
        value = blank.copy()
        value[at % 10 :: 10] = 300 + 20 * np.sin(time_s[at % 10 :: 10] / 5)
        channels.append(
            Channel(
                name=f"Oil {at}",
                unit="kPa",
                quantity=Quantity.PRESSURE,
                sense=Sense.OTHER,
                time_s=time_s,
                value=value,
                span=(0, 700),
            )
        )
    assert judge_log(Log(tuple(channels))) == ()  # within the limit of a test: it was minutes


@pytest.mark.parametrize(
    ("volts", "is_said"), [(12.1, False), (13.3, False), (13.7, False), (10.4, True), (15.6, True)]
)
def test_a_battery_at_rest_may_be_fresh_from_the_charger(volts, is_said):
    rpm = channel("RPM", np.where(T < 20, 0, 1500), Sense.ENGINE_SPEED, "rpm")
    battery = np.where(T < 20, volts, 14.1) + RNG.normal(0, 0.02, len(T))
    found = judge_log(Log((rpm, channel("Battery", battery, Sense.BATTERY_VOLTS, "V", Quantity.VOLTAGE))))
    assert (FindingKind.KEY_ON in {f.kind for f in found}) is is_said


@pytest.mark.parametrize(
    ("air_kpa", "map_kpa", "is_said"),
    [(80.0, 80.6, False), (101.0, 101.5, False), (80.0, 88.0, True), (118.0, 101.0, True)],
)
def test_the_air_at_rest_is_that_of_the_place(air_kpa, map_kpa, is_said):
    rpm = channel("RPM", np.where(T < 20, 0, 1500 + 300 * np.sin(T / 5)), Sense.ENGINE_SPEED, "rpm")
    baro = channel("Baro", np.full(len(T), air_kpa), Sense.BAROMETER, "kPa", Quantity.PRESSURE)
    inlet = np.where(T < 20, map_kpa, 60 + 20 * np.sin(T / 5)) + RNG.normal(0, 0.2, len(T))
    found = judge_log(Log((rpm, baro, channel("MAP", inlet, Sense.BOOST_PRESSURE, "kPa", Quantity.PRESSURE))))
    assert (FindingKind.KEY_ON in {f.kind for f in found}) is is_said


@pytest.mark.parametrize(("unit", "quantity"), [("", None), ("V", Quantity.VOLTAGE)])
def test_a_number_of_an_unknown_unit_breaks_no_rule(unit, quantity):
    hot = channel("Coolant temperature", np.full(len(T), 90.0), Sense.COOLANT_TEMPERATURE, "°C", Quantity.TEMPERATURE)
    oil = channel("Oil pressure", 4.4 + RNG.normal(0, 0.02, len(T)), Sense.OIL_PRESSURE, unit, quantity)
    assert apply_rules(Log((RPM, hot, oil)), SHIPPED_RULES) == ()


@pytest.mark.parametrize(("low_share", "is_said"), [(0.3, False), (0.95, True)])
def test_charging_by_demand_lets_a_battery_be_for_a_while(low_share, is_said):
    rpm = channel("RPM", np.full(len(T), 2000.0), Sense.ENGINE_SPEED, "rpm")
    volts = np.where(T / T[-1] < low_share, 12.7, 14.3)
    found = apply_rules(
        Log((rpm, channel("Battery", volts, Sense.BATTERY_VOLTS, "V", Quantity.VOLTAGE))), SHIPPED_RULES
    )
    assert ([f.sentence for f in found] != []) is is_said
