"""What is found in logs: made drives with a known truth, and plain cases drawn by hand."""

from pathlib import Path

import numpy as np
import pytest

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.bands import peaks_of
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FINDINGS, FindingKind
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.senses import Sense
from tools.logging_drives import FAULTS, made_drive

DOCS = Path(__file__).parents[3] / "docs"
T = np.arange(0, 120, 0.1)


def channel(name, value, sense=Sense.OTHER, **more):
    return Channel(
        name=name, unit=more.pop("unit", "kPa"), quantity=more.pop("quantity", Quantity.PRESSURE), sense=sense, time_s=T,
        value=np.asarray(value, dtype=np.float32), **more,
    )  # fmt: skip


def wavy(mean, size, seed=1, noise=0.5):
    rng = np.random.default_rng(seed)
    return mean + size * np.sin(T / 7) + rng.normal(0, noise, len(T))


def engine(rpm=None):
    turns = np.where(T < 10, 0, 900 + 300 * np.sin(T / 11)) if rpm is None else rpm
    return channel("RPM", turns, Sense.ENGINE_SPEED, unit="rpm", quantity=None)


RUNNING = engine(900 + 300 * np.sin(T / 11))


def kinds(*channels, **more):
    return [(f.kind, f.channel) for f in judge_log(Log(channels, **more))]


@pytest.mark.parametrize("kind", FAULTS)
def test_what_was_put_into_a_drive_is_found_in_its_channel(kind):
    for seed in range(1000, 1008):
        made = made_drive(kind, seed)
        found = judge_log(made.log)
        assert any(f.kind is kind and {f.channel, *f.others} & set(made.channels) for f in found), (kind, seed)
        assert all(f.follow_up for f in found)


@pytest.mark.parametrize("kind", FindingKind)
def test_a_kind_has_its_row_its_drive_its_method_and_its_word_in_the_guide(kind):
    assert FINDINGS[kind].follow_up or kind is FindingKind.RULE  # a rule brings its own
    assert kind in FAULTS or kind is FindingKind.RULE, "nothing makes it in tools/logging_drives.py"
    method = (DOCS / "trace.md").read_text(encoding="utf-8").split("## What is found")[1].split("**Health rules**")[0]
    assert kind is FindingKind.RULE or kind in {
        cell.strip() for row in method.split("\n") for cell in row[2:].split(" | ")[0].split(";")
    }
    assert f"**{kind}**" in (DOCS / "guide" / "findings.md").read_text(encoding="utf-8")


def test_drives_that_are_well_have_nothing():
    said = [(seed, f.sentence) for seed in range(2000, 2040) for f in judge_log(made_drive(None, seed).log)]
    assert said == []


def test_a_cough_of_the_supply_is_told_from_a_loose_sensor():
    oil, fuel = wavy(300, 40), wavy(400, 30, seed=2)
    alone = oil.copy()
    alone[600:604] = 0
    one = channel("Oil", alone, Sense.OIL_PRESSURE, span=(0, 1000))
    other = channel("Fuel", fuel, Sense.FUEL_PRESSURE, span=(0, 700))
    assert kinds(RUNNING, one, other) == [(FindingKind.DROPOUT, "Oil")]
    both = fuel.copy()
    both[600:604] = 0
    assert kinds(RUNNING, one, channel("Fuel", both, Sense.FUEL_PRESSURE, span=(0, 700))) == [
        (FindingKind.SHARED, "Oil")
    ]


def test_a_switch_a_counter_and_a_channel_without_values_are_let_alone():
    others = [
        channel("Fan", (T > 60) * 1.0, unit="", quantity=None),
        channel("Hours", 4123.4 + T / 3600, unit="h", quantity=None),
        channel("Nothing", np.full(len(T), np.nan), unit="", quantity=None),
        channel("Still", np.full(len(T), 3.1), unit="", quantity=None),
    ]
    assert kinds(engine(), *others) == []


@pytest.mark.parametrize("values", [[], [1.0], [np.nan] * 3, [1e30, -1e30] * 20, [np.inf] * 10, list(range(30))])
def test_odd_channels_do_not_break_it(values):
    time_s = np.arange(len(values)) * 0.1
    odd = Channel(
        name="Odd", unit="", quantity=None, sense=Sense.OTHER, time_s=time_s, value=np.array(values, dtype=np.float32)
    )
    judge_log(Log((odd,)))
    judge_log(Log((engine(), odd)))


def test_two_of_one_thing_that_do_not_agree_need_a_third_to_say_which():
    base = wavy(200, 60, noise=0.2)
    a = channel("Boost A", base, Sense.BOOST_PRESSURE, span=(0, 400), base=PressureBase.ABSOLUTE)
    b = channel("Boost B", base + 25, Sense.BOOST_PRESSURE, span=(0, 400), base=PressureBase.ABSOLUTE)
    c = channel("Boost C", base + 0.1, Sense.BOOST_PRESSURE, span=(0, 400), base=PressureBase.ABSOLUTE)
    (two,) = judge_log(Log((RUNNING, a, b)))
    assert (two.kind, two.blames) == (FindingKind.DISAGREES, "")
    assert "a third has to say" in two.sentence
    (three,) = judge_log(Log((RUNNING, a, b, c)))
    assert three.blames == "Boost B"
    assert "25" in three.sentence
    assert three.size == pytest.approx(25, abs=0.5)


def test_a_late_sensor_is_said_to_be_late_and_not_to_be_off():
    steps = np.repeat(np.random.default_rng(3).uniform(100, 250, 24), 50)
    late = np.concatenate((np.full(15, steps[0]), steps[:-15]))
    channels = [channel(n, v, Sense.BOOST_PRESSURE, span=(0, 400)) for n, v in (("First", steps), ("Second", late))]
    load = channel("Load", (steps - 100) / 2, Sense.LOAD, unit="%", quantity=Quantity.SHARE)
    (found,) = judge_log(Log((RUNNING, load, *channels)))
    assert (found.kind, found.channel, found.others) == (FindingKind.LAG, "Second", ("First",))
    assert found.size == pytest.approx(1.5, abs=0.11)


def test_twenty_four_volts_are_not_judged_as_twelve():
    volts = np.where(T < 10, 25.0, 28.2) + np.random.default_rng(1).normal(0, 0.02, len(T))
    battery = channel("Battery", volts, Sense.BATTERY_VOLTS, unit="V", quantity=Quantity.VOLTAGE)
    assert kinds(engine(), battery, system_v=24.0) == []
    assert kinds(engine(), battery, system_v=12.0) == [(FindingKind.OTHER_VEHICLE, "Battery")]
    low = channel("Battery", volts / 2, Sense.BATTERY_VOLTS, unit="V", quantity=Quantity.VOLTAGE)
    assert kinds(engine(), low, system_v=24.0) == [(FindingKind.OTHER_VEHICLE, "Battery")]


def test_peaks_have_their_moments_and_a_band_its_time():
    # A ramp from 0 to 119.9 in steps of 0.1: above 100 for the last 19.9 s, by hand.
    ramp = channel("Ramp", T)
    peaks = peaks_of(ramp, below=10, above=100)
    assert (peaks.least, peaks.least_s, peaks.greatest_s) == (0, 0, pytest.approx(119.9))
    assert peaks.below_s == pytest.approx(10.0, abs=0.01)
    assert peaks.above_s == pytest.approx(19.8, abs=0.11)
    assert len(peaks.at_s) == 2
    assert peaks_of(channel("None", np.full(len(T), np.nan))) is None


@pytest.mark.parametrize("end", [0.0, 1000.0], ids=["bottom", "top"])
def test_a_dropout_may_go_to_either_end_of_what_the_sensor_gives(end):
    """An open wire on an input with a pull-up goes to the top, on one with a pull-down to the bottom."""
    oil = wavy(300, 40)
    oil[600:604] = end
    assert kinds(RUNNING, channel("Oil", oil, Sense.OIL_PRESSURE, span=(0, 1000))) == [(FindingKind.DROPOUT, "Oil")]
