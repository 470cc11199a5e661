"""The order of places on a way, against every search tree walked for every fault."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from irongauge.core.plan.halving import MOST_SPOTS, Spot, next_spot


def _trees(first, last):
    """Every order of measuring: the place, then what follows on either side; None where the stretch is found."""
    if first == last:
        yield None
        return
    for at in range(first, last):
        for left in _trees(first, at):
            for right in _trees(at + 1, last):
                yield at, left, right


def _minutes(tree, spots, stretch):
    """What one order takes for a fault in one stretch, each cover taken off once."""
    gone, off = 0.0, set()
    while tree is not None:
        at, left, right = tree
        spot = spots[at]
        if spot.cover and spot.cover not in off:
            gone += spot.cover_minutes
            off.add(spot.cover)
        gone += spot.minutes
        tree = left if stretch <= at else right
    return gone


def _least(spots, length_m):
    ends = [0.0, *(s.at_m for s in spots), length_m]
    shares = [(b - a) / length_m for a, b in pairwise(ends)]
    return min(
        sum(share * _minutes(tree, spots, n) for n, share in enumerate(shares)) for tree in _trees(0, len(spots))
    )


_COVERS = {"": 0.0, "seat": 12.0, "panel": 5.0}


@st.composite
def ways(draw):
    parts = draw(st.lists(st.floats(0.1, 5.0), min_size=2, max_size=6))
    gone, spots = 0.0, []
    for n, part in enumerate(parts[:-1]):
        gone += part
        cover = draw(st.sampled_from(sorted(_COVERS)))
        spots.append(
            Spot(
                name=f"X{n}",
                at_m=gone,
                minutes=draw(st.floats(0.5, 20.0)),
                cover=cover,
                cover_minutes=_COVERS[cover],
            )
        )
    return spots, gone + parts[-1]


@settings(max_examples=150, deadline=None)
@given(ways())
def test_no_order_finds_a_fault_in_fewer_minutes(way):
    spots, length_m = way
    found = next_spot(spots, length_m)
    assert found is not None
    assert found.expected_minutes == pytest.approx(_least(spots, length_m))
    assert found.minutes == pytest.approx(found.spot.minutes + found.spot.cover_minutes)


@pytest.mark.parametrize(("cover_minutes", "first"), [(2.0, "X20"), (40.0, "X12")])
def test_a_place_behind_a_cover_waits_where_the_cover_costs_more_than_it_tells(cover_minutes, first):
    """X12 at 0.4 of 5 m takes 4 min, X20 at 2.6 m 3 and its panel: 5 + 0.52 · 4 against 4 + 0.92 · 5, and 45.1 against 43.6."""
    near = Spot(name="X12", at_m=0.4, minutes=4)
    middle = Spot(name="X20", at_m=2.6, minutes=3, cover="rear panel", cover_minutes=cover_minutes)
    assert next_spot([near, middle], 5.0).spot.name == first


def test_two_places_behind_one_cover_cost_it_once():
    both = [Spot(name=f"X{n}", at_m=n + 1.0, minutes=1, cover="seat", cover_minutes=10) for n in range(2)]
    assert next_spot(both, 3.0).expected_minutes == pytest.approx(11 + 2 / 3)


def test_a_way_without_places_has_no_next_one_and_a_long_one_has():
    assert next_spot([], 3.0) is None
    long = [Spot(name=f"X{n}", at_m=n + 1.0, minutes=3) for n in range(60)]
    found = next_spot(long, 61.0)
    assert 20 < found.spot.at_m < 41
    assert found.expected_minutes < 3 * (MOST_SPOTS**0.5 + 1)
