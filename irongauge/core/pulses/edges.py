"""The edges of a wave: when it passes the middle between its two levels, and which passages are only chatter.

Two thresholds (hysteresis) decide *that* an edge came, and the crossing of the middle between them, on the straight line between
two samples, decides *when*. A contact that bounces makes several passages of one edge.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

__all__ = ["HYSTERESIS", "Edges", "find_edges", "local_period_s", "without_bounce"]

HYSTERESIS = 0.12  # of the amplitude, either side of the middle
_AROUND = 9  # periods whose median is the usual one: four on either side outvote two that are odd
_BRIEF = 0.25  # of the longest time on a level nearby: shorter ones may be chatter
_NEAR = 8  # times on a level either side, which is more than a contact chatters at an edge
_CHATTER = 0.5  # of the times on a level beside it, that a contact's chatter may last
_LEAST_CHATTER, _OFTEN = 3, 0.02  # edges that chatter, and the share of all passages: fewer are spikes beside an edge


@dataclass(frozen=True, kw_only=True)
class Edges:
    """Times at which the middle was crossed upwards and downwards, in s; `middle_v` and the two thresholds.

    `rising_took_s` and `falling_took_s` have for each of them the time from the last sample beyond the one threshold to the first
    beyond the other: short where the wave is steep, long where it lingers about its middle.
    """

    rising_s: Floats
    falling_s: Floats
    rising_took_s: Floats
    falling_took_s: Floats
    middle_v: float
    low_threshold_v: float
    high_threshold_v: float


def find_edges(
    time_s: Floats,
    signal_v: Floats,
    low_v: float,
    *,
    high_v: float,
    noise_v: float = 0.0,
    hysteresis: float = HYSTERESIS,
) -> Edges:
    """Where the signal crosses the middle between two levels, once for each time that it passes both thresholds: a share
    `hysteresis` of the amplitude, or five times the noise, either side of the middle.
    """
    middle = (low_v + high_v) / 2
    half = max(hysteresis * (high_v - low_v), min(5 * noise_v, 0.35 * (high_v - low_v)))
    down, up = middle - half, middle + half
    state = np.zeros(len(signal_v), dtype=np.int8)
    state[signal_v > up] = 1
    state[signal_v < down] = -1
    told = np.flatnonzero(state)
    if len(told) == 0 or high_v <= low_v:
        nothing = np.empty(0)
        return Edges(
            rising_s=nothing,
            falling_s=nothing,
            rising_took_s=nothing,
            falling_took_s=nothing,
            middle_v=middle,
            low_threshold_v=down,
            high_threshold_v=up,
        )
    turned = np.flatnonzero(np.diff(state[told])) + 1
    after, before = told[turned], told[turned - 1]
    rises = state[after] > 0
    at = np.where(rises, _last_side(signal_v <= middle, after), _last_side(signal_v >= middle, after))
    at = np.maximum(at, before)
    v0, v1 = signal_v[at], signal_v[at + 1]
    step = np.where(v1 == v0, 1.0, v1 - v0)
    times = time_s[at] + np.clip((middle - v0) / step, 0.0, 1.0) * (time_s[at + 1] - time_s[at])
    took = time_s[after] - time_s[before]
    return Edges(
        rising_s=times[rises],
        falling_s=times[~rises],
        rising_took_s=took[rises],
        falling_took_s=took[~rises],
        middle_v=middle,
        low_threshold_v=down,
        high_threshold_v=up,
    )


def _last_side(is_side: NDArray[np.bool_], after: NDArray[np.intp]) -> NDArray[np.intp]:
    """For each index, the last one before it at which the signal was still on the old side."""
    places = np.flatnonzero(is_side)
    if len(places) == 0:
        return after - 1
    found = np.searchsorted(places, after, side="left") - 1
    return np.minimum(places[np.maximum(found, 0)], after - 1)


def local_period_s(periods_s: Floats) -> Floats:
    """The median of each period and its eight neighbours."""
    width = min(len(periods_s), _AROUND)
    # Mirrored at both ends: the last one repeated would outvote its neighbours where it is a gap.
    padded = np.pad(periods_s, (width // 2, width - 1 - width // 2), mode="reflect")
    medians: Floats = np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)
    return medians


def without_bounce(edges: Edges) -> tuple[Edges, int]:
    """The edges without the chatter of a contact, each at its first passage, and how many edges chattered.

    Chatter is an even number of brief times on a level between two long ones: the wave ends on its new level. An odd number is
    a pulse that came or went between, which is left alone, as are pulses that are brief themselves.
    """
    rises = np.concatenate((np.ones(len(edges.rising_s), bool), np.zeros(len(edges.falling_s), bool)))
    times = np.concatenate((edges.rising_s, edges.falling_s))
    order = np.argsort(times)
    times, rises = times[order], rises[order]
    if len(times) < _NEAR:
        return edges, 0
    on_level_s = np.diff(times)
    brief = on_level_s < _BRIEF * _longest_near(on_level_s)
    starts = np.flatnonzero(brief & ~np.concatenate(([False], brief[:-1])))
    ends = np.flatnonzero(brief & ~np.concatenate((brief[1:], [False]))) + 1
    inside = (starts > 0) & (ends < len(on_level_s))
    cut_off = list(zip(starts[~inside], ends[~inside], strict=True))
    starts, ends = starts[inside], ends[inside]
    if len(starts) == 0:
        return edges, 0
    lasts_s = times[ends] - times[starts]
    # The level that it ends on begins with its first passage.
    beside_s = np.minimum(on_level_s[starts - 1], on_level_s[ends] + lasts_s)
    chatters = ((ends - starts) % 2 == 0) & (lasts_s < _CHATTER * beside_s)
    if chatters.sum() < max(_LEAST_CHATTER, _OFTEN * len(times)):
        return edges, 0
    keep = np.ones(len(times), dtype=bool)
    for start, end in cut_off:  # an edge whose chatter the capture's end cut off
        keep[start : end + 1] = False
    for start, end in zip(starts[chatters], ends[chatters], strict=True):
        keep[start + 1 : end + 1] = False
    took = np.concatenate((edges.rising_took_s, edges.falling_took_s))[order]
    times, rises, took = times[keep], rises[keep], took[keep]
    cleaned = replace(
        edges,
        rising_s=times[rises],
        falling_s=times[~rises],
        rising_took_s=took[rises],
        falling_took_s=took[~rises],
    )
    return cleaned, int(chatters.sum())


def _longest_near(on_level_s: Floats) -> Floats:
    padded = np.pad(on_level_s, _NEAR, mode="edge")
    longest: Floats = np.lib.stride_tricks.sliding_window_view(padded, 2 * _NEAR + 1).max(axis=1)
    return longest
