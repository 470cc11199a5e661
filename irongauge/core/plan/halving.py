"""Where to measure next on a way, so that the stretch with the fault is found in the fewest minutes to be expected.

A reading at a place says on which side of it the fault lies. A fault is as likely in one metre as in another. A place takes its
own minutes, and a cover those of taking it off once, whatever lies behind it. The order is an optimal search tree with those
costs: `E(i…j) = min over places k of c(k) + P(i…k)·E(i…k) + P(k+1…j)·E(k+1…j)`, by dynamic programming (Knuth, The Art of
Computer Programming 3, 6.2.2), with the covers that are off as part of the state.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

__all__ = ["MOST_SPOTS", "NextSpot", "Spot", "next_spot"]

MOST_SPOTS = 12  # that are weighed against each other; of a longer way, so many spread over it


@dataclass(frozen=True, kw_only=True)
class Spot:
    """A place where a way can be measured: `at_m` from its start, `minutes` to get at it and to measure, and its `cover`, which
    takes `cover_minutes` off and on again.
    """

    name: str
    at_m: float
    minutes: float
    cover: str = ""
    cover_minutes: float = 0.0


@dataclass(frozen=True)
class NextSpot:
    """The place to measure next, what that takes, and what finding the stretch takes in all, as is to be expected."""

    spot: Spot
    minutes: float
    expected_minutes: float


def next_spot(spots: Sequence[Spot], length_m: float) -> NextSpot | None:
    """The next place of a way of that length; None where there is none. `spots` stand in their order along it."""
    if len(spots) > MOST_SPOTS:
        step = (len(spots) - 1) / (MOST_SPOTS - 1)
        spots = [spots[round(n * step)] for n in range(MOST_SPOTS)]
    ends_m = [0.0, *(spot.at_m for spot in spots), length_m]

    def cost(spot: Spot, off: frozenset[str]) -> float:
        return spot.minutes + (spot.cover_minutes if spot.cover and spot.cover not in off else 0.0)

    @cache
    def best(first: int, last: int, off: frozenset[str]) -> tuple[float, int]:
        """Minutes to be expected for a fault in stretches `first` to `last`, and the place to begin with."""
        if first == last:
            return 0.0, -1
        whole_m = ends_m[last + 1] - ends_m[first]
        tried = []
        for at in range(first, last):
            then = off | {spots[at].cover} if spots[at].cover else off
            share = (ends_m[at + 1] - ends_m[first]) / whole_m
            rest = share * best(first, at, then)[0] + (1 - share) * best(at + 1, last, then)[0]
            tried.append((cost(spots[at], off) + rest, at))
        return min(tried)

    if not spots:
        return None
    expected, at = best(0, len(spots), frozenset())
    return NextSpot(spots[at], cost(spots[at], frozenset()), expected)
