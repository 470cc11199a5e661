"""The strips of a vehicle's normals: everything inside the drawing, cold before hot, and a gauge at its stop drawn open."""

from datetime import UTC, datetime, timedelta
from uuid import UUID

import pytest

from irongauge.core.shop import Shop, Vehicle
from irongauge.core.traces.normals import Condition, JobLevel, NormalReading, normal_of
from irongauge.web.trace.normal_pictures import normal_pictures
from irongauge.workflows.trace.normals import NormalLine, NormalsView

START = datetime(2026, 3, 2, 9, tzinfo=UTC)


def read(condition, values, *, channel="oil pressure", at_least=False):
    """One reading a day."""
    normal = normal_of([
        NormalReading(
            channel=channel, condition=Condition.from_text(condition), value=value, unit="kPa", at_least=at_least,
            taken_at=START + timedelta(days=place),
        )
        for place, value in enumerate(values)
    ])  # fmt: skip
    levels = tuple(JobLevel(float(place), value, 0.0, 1) for place, value in enumerate(values))
    return NormalLine(normal=normal, levels=levels, trend=None, changed=())


def view_of(*lines):
    shop, vehicle = Shop(uid=UUID(int=1), name="Saltmarsh Depot"), Vehicle(UUID(int=2), "P-2", "", 24, 12.0)
    return NormalsView(shop=shop, vehicle=vehicle, lines=lines, missing=(), not_well=0, typed=())


@pytest.mark.parametrize(
    "values", [(180, 185, 190), (180.0,) * 3, (0.0, 0.0), (-5.0, 900.0, 1e6), (1e-12, 2e-12, 3e-12)], ids=str
)
def test_all_of_it_lies_inside_the_drawing(values):
    (picture,) = normal_pictures(view_of(read("hot, at idle", values), read("cold, key on", [0.0])))
    for row in picture.rows:
        for x in (*row.band, row.middle, row.newest):
            assert 250 <= x <= 560
        assert row.band[0] <= row.middle <= row.band[1]
        for x, y in row.over_time:
            assert 730 <= x <= 950
            assert row.y - 17.1 <= y <= row.y + 17.1  # its own line, at the most
        assert 0 < row.y < picture.height
    assert all(250 <= tick.at <= 560 for tick in picture.ticks)


def test_conditions_go_from_cold_to_hot_and_from_standing_to_fast():
    names = ["hot, at idle", "cold, above 1800 rpm, half load", "warm, key on", "cold, at idle", "cold, key on"]
    (picture,) = normal_pictures(view_of(*(read(name, [100.0, 101.0]) for name in names)))
    assert [str(row.line.normal.condition) for row in picture.rows] == [
        "cold, key on", "cold, at idle", "cold, above 1800 rpm, half load", "warm, key on", "hot, at idle",
    ]  # fmt: skip


def test_a_gauge_at_its_stop_is_open_to_more():
    (picture,) = normal_pictures(view_of(read("hot, at idle", [700.0] * 4, at_least=True)))
    (row,) = picture.rows
    assert row.band == (row.middle, 560)
    assert row.usual == "at least 700 kPa"


def test_the_newest_level_is_marked_by_where_it_stands():
    (picture,) = normal_pictures(view_of(read("hot, at idle", [180, 182, 181, 183, 300])))
    assert picture.rows[0].mark == "fail"
    (few,) = normal_pictures(view_of(read("hot, at idle", [180, 300])))
    assert few.rows[0].mark == "not measured"  # too few to judge by


def test_what_was_read_on_no_condition_comes_last():
    found = normal_pictures(view_of(read("any", [0.1], channel="A sensor: error"), read("hot, at idle", [1.0])))
    assert [p.channel for p in found] == ["oil pressure", "A sensor: error"]
