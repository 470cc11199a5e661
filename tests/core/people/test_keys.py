from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.people.keys import pin_problem, wait_s

NOW = datetime(2026, 11, 25, 9, 0, tzinfo=UTC)


def ago(*seconds):
    return [NOW - timedelta(seconds=s) for s in seconds]


@pytest.mark.parametrize("pin", ["739105", "80421967", "100200"])
def test_numbers_that_will_do(pin):
    assert pin_problem(pin) is None


@pytest.mark.parametrize(
    "pin",
    ["", "73910", "739105739", "73910a", "７３９１０５", "123456", "456789", "987654", "111111", "112233", "73 9105"],
)
def test_numbers_that_will_not(pin):
    assert pin_problem(pin)


@pytest.mark.parametrize(
    ("failures", "wait"),
    [
        ([], 0),
        (ago(1, 2, 3, 4), 0),
        (ago(0, 1, 2, 3, 4), 15),
        (ago(10, 11, 12, 13, 14), 5),
        (ago(0, 1, 2, 3, 4, 5), 30),
        (ago(*range(20)), 900),
        (ago(901, 902, 903, 904, 905, 906), 0),
    ],
)
def test_how_long_one_place_waits_before_it_guesses_again(failures, wait):
    assert wait_s(failures, NOW) == pytest.approx(wait)


@given(st.integers(1, 60))
def test_no_place_guesses_a_hundred_times_in_an_hour(step_s):
    """However patient it is: it tries each time that it may."""
    tried, moment = [], NOW
    while moment < NOW + timedelta(hours=1):
        if wait_s(tried, moment) == 0:
            tried.append(moment)
        moment += timedelta(seconds=step_s)
    assert len(tried) < 100
