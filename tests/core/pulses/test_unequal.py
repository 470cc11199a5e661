"""Rings whose teeth stand unequal on purpose: angles as they are typed, and edges placed by hand arithmetic."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.pulses.unequal import pitches_of, read_angles, unequal_ring
from irongauge.errors import EntryError

CAM = (0.0, 21.6, 90.0, 180.0, 270.0)


def edges(angles_deg, turns=12, turn_s=0.2, quickens=0.0):
    """Times of the teeth of so many turns, each a share shorter than the one before."""
    begins = np.concatenate(([0.0], np.cumsum(turn_s * (1 - quickens) ** np.arange(turns))))
    return np.array([a + (b - a) * angle / 360 for a, b in pairwise(begins) for angle in angles_deg])


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("", ()),
        ("0 21.6 90 180 270", CAM),
        ("0 21,6 90 180 270", CAM),
        ("0, 21.6, 90, 180, 270", CAM),
        ("0; 21,6; 90; 180; 270", CAM),
        ("0° 21.6° 90° 180° 270°", CAM),
        ("270 180 90 21.6 0", CAM),
        ("0,90,180,270", (0.0, 90.0, 180.0, 270.0)),
        ("90 180 270 360", (0.0, 90.0, 180.0, 270.0)),
    ],
)
def test_angles_are_read_as_people_write_them(typed, read):
    assert read_angles(typed) == read


@pytest.mark.parametrize(
    ("typed", "problem"),
    [
        ("90", "has 1 angle."),
        ("0 90 banana", "banana"),
        ("0 90 400", "400"),
        ("-10 90", "-10"),
        ("0 90 90", "two teeth in one place"),
        (" ".join(str(n) for n in range(80)), "has 80 angles"),
    ],
)
def test_what_is_no_list_of_angles_is_refused_in_its_own_words(typed, problem):
    with pytest.raises(EntryError, match=problem):
        read_angles(typed)


@pytest.mark.parametrize("quickens", [0.0, 0.03])
@pytest.mark.parametrize("angles", [CAM, (0, 72, 180, 288), (0, 10, 60, 120, 180, 240, 300)])
def test_a_pattern_that_comes_back_each_turn_is_found_with_its_angles(angles, quickens):
    found = unequal_ring(edges(angles, quickens=quickens))
    assert found.turns == pytest.approx(12)
    first = np.sort(pitches_of(found.angles_deg))
    assert first == pytest.approx(np.sort(pitches_of(angles)), abs=0.05)


@given(teeth=st.integers(2, 60), gap=st.integers(0, 3), turns=st.integers(4, 12))
def test_teeth_that_stand_alike_with_or_without_a_gap_are_no_pattern(teeth, gap, turns):
    if gap >= teeth // 3:
        gap = 0
    assert unequal_ring(edges(np.arange(teeth - gap) * 360 / teeth, turns)) is None


@given(teeth=st.integers(12, 60), waves=st.integers(1, 2), size=st.floats(0.02, 0.2))
def test_a_shaft_that_turns_unevenly_is_no_pattern(teeth, waves, size):
    angles = np.arange(teeth) * 360 / teeth
    swung = angles + size * 360 / (2 * np.pi * waves) * np.sin(np.radians(waves * angles))
    assert unequal_ring(edges(swung)) is None


def test_one_bent_tooth_of_many_is_left_to_the_ring():
    angles = np.arange(24) * 15.0
    angles[7] += 3
    assert unequal_ring(edges(angles)) is None


def test_a_pulse_lost_once_makes_no_pattern():
    times = np.delete(edges(np.arange(6) * 60.0, 15), 40)
    assert unequal_ring(times) is None
