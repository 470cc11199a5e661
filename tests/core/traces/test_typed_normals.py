"""Readings of a well vehicle as people write them down beside a gauge."""

from datetime import UTC, datetime

import pytest

from irongauge.core.traces.normals import Condition, normal_of
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.typed_normals import MOST_TYPED, SENSES_TYPED, typed_readings
from irongauge.errors import EntryError

AT = datetime(2026, 3, 2, 12, tzinfo=UTC)
IDLE = Condition("hot", "at idle")


def typed(text, sense=Sense.OIL_PRESSURE, condition=IDLE):
    return typed_readings(text, sense, condition, AT)


@pytest.mark.parametrize(
    ("text", "kpa", "at_least"),
    [
        ("4.2 bar", 420, False), ("4,2 bar", 420, False), ("420 kPa", 420, False), ("61 psi", 420.58, False),
        ("−0.1 bar", -10, False),
        ("7+ bar", 700, True), ("7 + bar", 700, True), (">7 bar", 700, True), ("> 7 bar", 700, True), ("≥7 bar", 700, True),
        ("at least 7 bar", 700, True), ("At Least 100 psi", 689.48, True), ("over 7 bar", 700, True),
        ("7 or more bar", 700, True),
    ],
)  # fmt: skip
def test_one_reading_is_read_as_people_write_it(text, kpa, at_least):
    (found,) = typed(text)
    assert found.value == pytest.approx(kpa, abs=0.01)
    assert (found.unit, found.at_least, found.channel) == ("kPa", at_least, "oil pressure")


def test_a_unit_holds_for_those_behind_it_and_a_temperature_for_its_own():
    found = typed("1.8 bar at 92 °C; 1.9 @ 190 F\n2.6 at 30;2.0; 3 at 0 °C")
    assert [round(r.value, 6) for r in found] == [180, 190, 260, 200, 300]
    assert [r.condition.heat for r in found] == ["hot", "hot", "cold", "hot", "cold"]
    assert {r.condition.speed for r in found} == {"at idle"}


def test_four_idle_readings_with_their_temperature_make_a_normal():
    normal = normal_of(typed("1.8 bar at 88; 1.9 at 90; 1.85 at 91; 1.8 at 86"))
    assert normal.median == pytest.approx(182.5)
    assert normal.is_known
    assert not normal_of(typed("1.8 bar; 1.9")).is_known


def test_a_gauge_at_its_stop_makes_a_normal_that_is_the_least():
    assert normal_of(typed("7+ bar; 7+; >7; 6.8")).at_least


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "No reading is typed"), (" ; \n", "No reading is typed"), ("banana", "“banana” is no reading"),
        ("4.2 4.3 bar", "is no reading"),
        ("4.2", "“4.2” has no unit"), ("12 V", "“V” is not a unit that fits here"), ("4 bar; 4 furlongs", "“4 furlongs”"),
        ("4 bar at noon", "“4 bar at noon”"), ("4 bar;" * (MOST_TYPED + 1), f"{MOST_TYPED + 1} readings are typed"),
    ],
)  # fmt: skip
def test_what_is_no_reading_is_said_and_kept(text, says):
    with pytest.raises(EntryError, match=says) as error:
        typed(text)
    assert error.value.typed == text


def test_what_may_count_from_vacuum_or_from_the_air_is_left_to_logs():
    assert not {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE, Sense.BAROMETER} & set(SENSES_TYPED)


@pytest.mark.parametrize("sense", SENSES_TYPED)
def test_every_sense_that_is_offered_can_be_typed(sense):
    number = {"pressure": "1 bar", "temperature": "90 °C", "voltage": "5 V", "lambda": "1.0"}[sense.quantity]
    assert len(typed(number, sense)) == 1
