"""What became of trouble codes: only a drive after clearing settles one."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

import pytest

from irongauge.core.live.codes import CodeReading, CodeStory, CodesWhen, codes_from_text, story_of

START = datetime(2026, 3, 2, 9, tzinfo=ZoneInfo("UTC"))
WARM_UPS, KM = "Warm-ups since clearing", "Distance since clearing"


def _reading(when: str, stored: str = "", pending: str = "", **values: float) -> CodeReading:
    return CodeReading(
        uid=uuid4(), job_uid=uuid4(), taken_at=START, technician_uid=None, source="bus", when=CodesWhen(when),
        stored=tuple(stored.split()), pending=tuple(pending.split()),
        values={{"warm": WARM_UPS, "km": KM}[name]: value for name, value in values.items()},
    )  # fmt: skip


READ, BEFORE, AFTER = CodesWhen.READ, CodesWhen.BEFORE_CLEARING, CodesWhen.AFTER_CLEARING


@pytest.mark.parametrize(
    ("readings", "state", "is_settled"),
    [
        ([(READ, "P0522")], "is stored", False),
        ([(READ, "", "P0522")], "is pending", False),
        ([(BEFORE, "P0522"), (AFTER,)], "was cleared, and the vehicle has not been driven since", False),
        ([(BEFORE, "P0522"), (AFTER,), (READ,)], "was cleared, and the vehicle has not been driven since", False),
        ([(BEFORE, "P0522"), (AFTER,), (READ, "", "P0522")], "is back, and pending", False),
        ([(BEFORE, "P0522"), (AFTER, "P0522")], "is stored", False),  # it was never gone
        ([(READ, "P0522"), (READ,)], "went without being cleared, so it may come again", False),
    ],
)
def test_a_code_is_open_until_a_drive_shows_otherwise(
    readings: list[tuple[str, ...]], state: str, is_settled: object
) -> None:
    (story,) = story_of([_reading(*one) for one in readings])
    assert (story.code, story.state, story.is_settled) == ("P0522", state, is_settled)


@pytest.mark.parametrize(
    ("driven", "said"),
    [({"warm": 2.0}, "after 2 warm-ups"), ({"warm": 1.0, "km": 4.0}, "after 1 warm-up"), ({"km": 11.6}, "after 12 km")],
)
def test_a_drive_after_clearing_settles_it(driven: dict[str, float], said: str) -> None:
    (story,) = story_of([_reading(BEFORE, "P0522"), _reading(AFTER), _reading(READ, **driven)])
    assert story.is_settled
    assert story.state == f"was cleared and did not come back {said}"


def test_a_drive_before_clearing_settles_nothing() -> None:
    before = replace(_reading(BEFORE, "P0522", warm=30.0), taken_at=START - timedelta(days=1))
    (story,) = story_of([before, _reading(AFTER, warm=0.0), _reading(READ, km=0.4)])
    assert not story.is_settled


def test_a_permanent_code_goes_by_itself_alone() -> None:
    before = _reading("before clearing", "P0522")
    cleared = replace(_reading("just after clearing"), permanent=("P0522",))
    assert story_of([before, cleared])[0].state.startswith("is kept as permanent")
    assert not story_of([before, cleared])[0].is_settled
    gone = _reading("read", warm=1)
    assert story_of([before, cleared, gone])[0].is_settled
    assert story_of([cleared, gone])[0] == CodeStory(
        "P0522", "was kept as permanent, and the controller has let it go by itself", is_settled=True
    )


def test_what_was_not_told_is_said() -> None:
    assert replace(_reading("read", "P0522"), not_told=("pending",)).text == "P0522 stored; not told: pending"


def test_each_code_has_a_story_of_its_own() -> None:
    stories = story_of([_reading(BEFORE, "P0522 P0118"), _reading(AFTER), _reading(READ, "P0118", warm=1.0)])
    assert [(s.code, s.is_settled) for s in stories] == [("P0522", True), ("P0118", False)]


@pytest.mark.parametrize(
    ("typed", "codes", "others"),
    [
        ("P0522", ("P0522",), ()),
        (" p0522;U0100\nP0522 ", ("P0522", "U0100"), ()),
        ("P522 P4000 none", (), ("P522", "P4000", "none")),
        ("", (), ()),
    ],
)
def test_codes_are_read_as_people_type_them(typed: str, codes: tuple[str, ...], others: tuple[str, ...]) -> None:
    assert codes_from_text(typed) == (codes, others)
