"""Which engine was where when, by a shop's own story."""

from datetime import UTC, datetime
from uuid import UUID, uuid4

import pytest

from irongauge.core.traces.fitted_engines import EngineFitting, stretches_of

A, B, C = UUID(int=1), UUID(int=2), UUID(int=3)


def at(month):
    return datetime(2031, month, 1, tzinfo=UTC)


def fitted(vehicle, engine, month):
    return EngineFitting(uid=uuid4(), vehicle_uid=vehicle, engine=engine, fitted_at=at(month))


# The 4711 is A's first; in March it goes to B, where the 4712 was, and A gets the 4713; in July it comes back to A.
STORY = [
    fitted(A, "4711", 1), fitted(B, "4712", 1), fitted(B, "4711", 3), fitted(A, "4713", 4), fitted(A, "4711", 7),
    fitted(C, "9000", 2),
]  # fmt: skip


def test_nobody_told_of_an_engine():
    assert stretches_of(STORY, UUID(int=9)) is None
    assert stretches_of([], A) is None


@pytest.mark.parametrize(
    ("vehicle", "month", "has"),
    [
        (A, 2, True),
        (A, 3, False),
        (A, 5, False),
        (A, 8, True),
        (B, 2, False),
        (B, 5, True),
        (B, 7, False),
        (C, 5, False),
    ],
)
def test_an_engine_is_where_it_was_last_fitted_and_nowhere_else(vehicle, month, has):
    stretches = stretches_of(STORY, A)
    assert any(one.has(vehicle, at(month)) for one in stretches) is has


def test_the_engine_that_is_in_a_vehicle_now_counts_whoever_it_was_with():
    assert {one.vehicle_uid for one in stretches_of(STORY, C)} == {C}
    back = [*STORY, fitted(B, "4713", 8)]
    found = {(one.vehicle_uid, one.since, one.until) for one in stretches_of(back, B)}
    assert found == {(B, at(8), None), (A, at(4), at(7))}


def test_letters_of_a_number_may_be_written_small():
    story = [fitted(A, "TD-9b", 1), fitted(B, "td-9B", 5)]
    assert {one.vehicle_uid for one in stretches_of(story, B)} == {A, B}
