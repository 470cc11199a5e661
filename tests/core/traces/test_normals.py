"""Normals: medians with a robust spread, where a value stands, trends with the chance that there is none."""

import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.normals import (
    Condition,
    JobLevel,
    NormalReading,
    condition_at,
    missing,
    normal_of,
    own_u,
    readings_of,
    standing_of,
    trend_of,
)
from irongauge.core.traces.senses import Sense
from irongauge.instruments.drives import LOGGED, drive, recorded
from tools.logging_drives import made_drive

HOT_IDLE = Condition("hot", "at idle")


def readings(*values, at_least=()):
    return [
        NormalReading(channel="oil pressure", condition=HOT_IDLE, value=v, unit="kPa", at_least=n in at_least,
                      taken_at=datetime(2026, 5, 1 + n, tzinfo=UTC))
        for n, v in enumerate(values)
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("degc", "rpm", "load", "text"),
    [
        (88, 720, 12, "hot, at idle"),
        (20, 0, 0, "cold, key on"),
        (60, 1500, 40, "warm, at 1000 to 1800 rpm, half load"),
        (90, 2100, 90, "hot, above 1800 rpm, full load"),
        (math.nan, 1500, math.nan, "at 1000 to 1800 rpm"),
        (math.nan, math.nan, math.nan, "any"),
    ],
)
def test_a_condition_is_said_in_words_and_read_back(degc, rpm, load, text):
    found = condition_at(degc, rpm, load)
    assert str(found) == text
    assert Condition.from_text(text) == found


def test_a_normal_is_a_median_that_one_odd_reading_does_not_move():
    # By hand: median of 1..5 and 90 is 3.5; |d| are 2.5 1.5 .5 .5 1.5 86.5, their median 1.5, times 1.4826.
    normal = normal_of(readings(1, 2, 3, 4, 5, 90))
    assert (normal.median, normal.count) == (3.5, 6)
    assert normal.spread == pytest.approx(1.5 * 1.4826)
    assert normal.since == datetime(2026, 5, 1, tzinfo=UTC)


@pytest.mark.parametrize(
    ("value", "mark"),
    [(140, Mark.PASS), (150, Mark.PASS), (175, Mark.UNDECIDED), (90, Mark.FAIL), (220, Mark.FAIL)],
)
def test_where_a_value_stands_has_a_doubtful_middle(value, mark):
    # Median 140, median of |d| 10: s = 14.8; with twelve readings a new one differs by 15.8: 2 of it 32, 3 of it 47.
    normal = normal_of(readings(120, 125, 130, 130, 135, 140, 140, 145, 150, 150, 155, 160))
    assert standing_of(value, normal).mark is mark


def test_two_readings_judge_nothing_and_an_instruments_own_uncertainty_counts():
    assert standing_of(1000, normal_of(readings(140, 141))).mark is Mark.UNDECIDED
    normal = normal_of(readings(*[140, 141, 139] * 4))
    assert standing_of(146, normal).mark is Mark.FAIL
    assert standing_of(146, normal, u=4).mark is Mark.PASS


def test_a_gauge_at_its_stop_is_at_least():
    normal = normal_of(readings(400, 400, 400, 390, at_least=(0, 1, 2)))
    assert normal.at_least
    assert standing_of(500, normal).mark is Mark.UNDECIDED
    assert standing_of(100, normal).mark is Mark.FAIL


def levels(rng, shift, jobs=5, count=12, between=0.0):
    found = []
    for job in range(jobs):
        values = rng.normal(shift * job / (jobs - 1) + rng.normal(0, between), 1, count)
        median = float(np.median(values))
        found.append(JobLevel(30.0 * job, median, 1.4826 * float(np.median(np.abs(values - median))), count))
    return found


def test_a_trend_of_three_standard_deviations_over_five_jobs_is_found_and_chance_is_not():
    rng = np.random.default_rng(5)
    found = sum(trend_of(levels(rng, 3)).is_one for _ in range(500))
    false = sum(trend_of(levels(rng, 0)).is_one for _ in range(1000))
    assert found >= 0.94 * 500
    assert false <= 0.01 * 1000


def test_jobs_that_differ_by_themselves_are_seldom_a_trend():
    rng = np.random.default_rng(6)
    assert sum(trend_of(levels(rng, 0, between=2.0)).is_one for _ in range(500)) <= 0.03 * 500


@pytest.mark.parametrize("days", [(), (1,), (1, 2), (1, 1, 1, 1)])
def test_a_trend_takes_three_days(days):
    assert trend_of([JobLevel(day, 1.0, 0.1, 5) for day in days]) is None


def test_equal_levels_are_no_trend_even_without_any_spread():
    trend = trend_of([JobLevel(day, 5.0, 0.0, 3) for day in range(4)])
    assert (trend.change, trend.is_one) == (0.0, False)


def test_readings_come_from_steady_stretches_alone():
    log = made_drive(None, 4).log
    every = readings_of(log)
    oil = [r for r in every if r.channel == "Oil pressure" and r.condition.speed == "at idle"]
    assert len(oil) > 0
    for condition in {r.condition for r in every}:
        assert sum(r.channel == "Oil pressure" and r.condition == condition for r in every) <= 12
    assert {r.channel for r in every} & {"Engine speed", "Load", "Coolant temperature"} == set()
    first = readings_of(log, stretch_s=(0.0, 60.0))
    assert 0 < len(first) < len(every)


def test_one_drive_alone_makes_no_normal_that_judges():
    day = datetime(2026, 5, 1, tzinfo=UTC)
    one = normal_of([replace(r, taken_at=day) for r in readings(*[14.16] * 6)])
    assert (one.logs, one.is_known) == (1, False)
    assert standing_of(13.0, one).mark is Mark.UNDECIDED
    two = replace(normal_of(readings(*[14.16] * 6)), channel="battery volts")
    assert standing_of(14.17, two, own_u(two)).mark is Mark.PASS
    assert standing_of(13.0, two, own_u(two)).mark is Mark.FAIL


@pytest.mark.parametrize(
    ("channel", "condition", "median", "least", "most"),
    [  # by hand, from how wide the condition is
        ("oil pressure", "hot, at idle", 140.0, 8, 13),  # 1 % of what it covers, 5 K and 3 % of the speed
        ("oil pressure", "hot, at 1000 to 1800 rpm, half load", 300.0, 50, 53),  # 231 rpm of 1400
        ("oil temperature", "cold, at idle", 12.0, 15, 16),  # anything from frost to 40 °C is cold
        ("boost pressure", "hot, at 1000 to 1800 rpm, half load", 130.0, 15, 17),  # 11.5 % of load
        ("battery volts", "hot, at 1000 to 1800 rpm, half load", 14.2, 0.1, 0.3),
        ("a channel by its own name", "hot, at idle", 200.0, 5, 9),
    ],
)
def test_a_wide_condition_leaves_room_for_what_happens_within_it(
    channel: str, condition: str, median: float, least: float, most: float
) -> None:
    normal = replace(normal_of(readings(*[median] * 6)), channel=channel, condition=Condition.from_text(condition))
    assert least <= own_u(normal) <= most


def test_drives_of_one_vehicle_are_usual_for_it_and_weak_oil_at_idle_is_not() -> None:
    """Twelve made vehicles, three drives each that are well; a fourth is held against them, then with 0.5 of its oil pressure."""
    total = wrong = found = missed = looked = 0
    for vehicle in range(12):
        known = [r for day in range(3) for r in driven(vehicle, 100 * vehicle + day, day)]
        marks = stand(known, driven(vehicle, 100 * vehicle + 50, 99))
        total += len(marks)
        wrong += sum(mark is Mark.FAIL for mark in marks.values())
        weak = stand(known, driven(vehicle, 100 * vehicle + 51, 99, oil=0.5))
        looked += ("oil pressure", "hot, at idle") in weak
        missed += weak.get(("oil pressure", "hot, at idle")) is Mark.PASS
        found += weak.get(("oil pressure", "hot, at idle")) is Mark.FAIL
    assert total > 200
    assert wrong <= 0.01 * total
    assert looked > 4
    assert missed == 0
    assert found >= 0.7 * looked


def driven(vehicle: int, seed: int, day: int, *, oil: float = 1.0) -> tuple[NormalReading, ...]:
    """The steady readings of a drive of a made vehicle."""
    made = drive(np.random.default_rng(seed), 240.0, 10.0, is_cold=True, of_vehicle=np.random.default_rng([7, vehicle]))
    channels = []
    for name, values in recorded(made).items():
        sense, quantity, unit, base, _, _, _ = LOGGED[name]
        value = values.astype(np.float32) * (oil if name == "Oil pressure" else 1.0)
        channels.append(
            Channel(
                name=str(sense), unit=unit, quantity=quantity, sense=sense, time_s=made.time_s, value=value, base=base
            )
        )
    return readings_of(Log(tuple(channels)), None, datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=day))


def stand(known: Sequence[NormalReading], mine: Sequence[NormalReading]) -> dict[tuple[str, str], Mark]:
    found = {}
    for key in {(r.channel, r.condition) for r in mine} & {(r.channel, r.condition) for r in known}:
        normal = normal_of([r for r in known if (r.channel, r.condition) == key])
        value = float(np.median([r.value for r in mine if (r.channel, r.condition) == key]))
        found[key[0], str(key[1])] = standing_of(value, normal, own_u(normal)).mark
    return found


def test_what_is_not_known_yet_is_asked_for():
    assert (Sense.OIL_PRESSURE, HOT_IDLE) in missing([], [Sense.OIL_PRESSURE, Sense.AIR_TEMPERATURE])
    known = normal_of(readings(140, 141, 139))
    assert (Sense.OIL_PRESSURE, HOT_IDLE) not in missing([known], [Sense.OIL_PRESSURE])
    assert missing([], []) == ()
