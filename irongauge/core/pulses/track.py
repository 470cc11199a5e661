"""A drive as two records of speed, the display's and the true one, laid over each other and read where both were held steady.

A satellite track lags, a log starts when it likes: the shift at which the two speeds go together best is found first. Leaves out
reading files.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.ratio import SpeedPair

Floats = NDArray[np.float64]

__all__ = ["Steady", "Track", "distance_m", "speed_from_places", "steady_pairs"]

_EARTH_M = 6_371_008.8  # mean radius, IUGG
_GRID_S = 0.5  # satellite receivers give one to ten fixes a second
_LEAST_OVERLAP_S, _LONGEST_S = 60.0, 86_400.0  # a minute of driving; a day
_CLOCKS_APART_S = 120.0  # what a display's clock may be wrong by
_FITS = 0.9  # correlation of the two speeds
_LONGEST_GAP_S = 5.0  # between two fixes or log lines: speed changes in more
_WINDOW_S = 8.0  # speed is held that long on purpose
_HELD = (1.0, 0.03)  # km/h, or a share: what a steady speed may vary by
_SLOWEST_KMH = 8.0  # below it a satellite's speed is noise
_MOST_PAIRS = 60  # as many as a page can list
_NO_SPREAD = 1e-6  # (km/h)⁴, of a speed that stands all the time
_SPREAD_S = 2.0  # either side, over which a track's speed is taken


@dataclass(frozen=True)
class Track:
    """Speeds in km/h at times in s, arrays of shape (n,), times rising; with `has_clock` in seconds since 1970, UTC."""

    time_s: Floats
    speed_kmh: Floats
    has_clock: bool = False


@dataclass(frozen=True)
class Steady:
    """Pairs of shown and true speed where both were held, and by how much the true one came later, in s."""

    pairs: tuple[SpeedPair, ...]
    later_s: float
    correlation: float


def distance_m(latitude_deg: Floats, longitude_deg: Floats) -> Floats:
    """Way from each place to the next, shape (n − 1,), on a sphere of the earth's mean radius (haversine).

    >>> round(float(distance_m(np.array([0.0, 1.0]), np.array([0.0, 0.0]))[0]))
    111195
    """
    lat, lon = np.radians(latitude_deg), np.radians(longitude_deg)
    half = np.sin(np.diff(lat) / 2) ** 2 + np.cos(lat[:-1]) * np.cos(lat[1:]) * np.sin(np.diff(lon) / 2) ** 2
    way: Floats = 2 * _EARTH_M * np.arcsin(np.sqrt(np.minimum(half, 1.0)))
    return way


def speed_from_places(time_s: Floats, latitude_deg: Floats, longitude_deg: Floats) -> Floats:
    """Speed in km/h at each place, from the way over two seconds either side."""
    gone = np.concatenate(([0.0], np.cumsum(distance_m(latitude_deg, longitude_deg))))
    before, after = np.maximum(time_s - _SPREAD_S, time_s[0]), np.minimum(time_s + _SPREAD_S, time_s[-1])
    way = np.interp(after, time_s, gone) - np.interp(before, time_s, gone)
    speed: Floats = 3.6 * way / (after - before)
    return speed


def steady_pairs(shown: Track, true: Track) -> Steady:
    """Pairs from stretches of eight seconds over which both speeds were held; at most sixty, spread over the drive.

    Raises `ValueError`, in words for people, where the two do not fit each other or nothing was held.
    """
    later_s, correlation = _shift(shown, true)
    if correlation < _FITS:
        msg = (
            f"the two speeds do not go together at any shift in time (correlation {correlation:.2f}): "
            "the logs are from different drives"
        )
        raise ValueError(msg)
    begin = max(shown.time_s[0], true.time_s[0] - later_s)
    end = min(shown.time_s[-1], true.time_s[-1] - later_s)
    grid = np.arange(begin, end, _GRID_S)
    display = _where_known(shown, grid)
    real = _where_known(true, grid + later_s)
    pairs = _held(display, real)
    if not pairs:
        msg = f"no stretch was held steady for {_WINDOW_S:g} s: hold three or more speeds, each for ten seconds"
        raise ValueError(msg)
    every = math.ceil(len(pairs) / _MOST_PAIRS)
    return Steady(tuple(pairs[::every]), later_s, correlation)


def _where_known(track: Track, at_s: Floats) -> Floats:
    """Speeds at given times; not a number in a gap of the record (a tunnel, a paused log), which nothing bridges."""
    speed: Floats = np.interp(at_s, track.time_s, track.speed_kmh)
    after = np.clip(np.searchsorted(track.time_s, at_s), 1, len(track.time_s) - 1)
    speed[track.time_s[after] - track.time_s[after - 1] > _LONGEST_GAP_S] = np.nan
    return speed


def _held(display: Floats, real: Floats) -> list[SpeedPair]:
    width = round(_WINDOW_S / _GRID_S)
    pairs, at = [], 0
    while at + width <= len(real):
        mine, theirs = display[at : at + width], real[at : at + width]
        if _is_held(mine) and _is_held(theirs) and real[at] > _SLOWEST_KMH and mine.min() > 0:
            pairs.append(SpeedPair(float(mine.mean()), float(theirs.mean())))
            at += width
        else:
            at += 1
    return pairs


def _is_held(speed_kmh: Floats) -> bool:
    if np.isnan(speed_kmh).any():
        return False
    return float(np.ptp(speed_kmh)) <= max(_HELD[0], _HELD[1] * float(speed_kmh.mean()))


def _shift(shown: Track, true: Track) -> tuple[float, float]:
    """By how much later the true speed stands in its record, and the correlation there."""
    step = _GRID_S
    for record in (shown, true):
        if record.time_s[-1] - record.time_s[0] > _LONGEST_S:
            msg = "a record of more than a day is no drive: its times may be in ms, which its heading should say"
            raise ValueError(msg)
    mine = np.interp(np.arange(shown.time_s[0], shown.time_s[-1], step), shown.time_s, shown.speed_kmh)
    theirs = np.interp(np.arange(true.time_s[0], true.time_s[-1], step), true.time_s, true.speed_kmh)
    least = round(_LEAST_OVERLAP_S / step)
    if min(len(mine), len(theirs)) < least:
        msg = f"each record must be at least {_LEAST_OVERLAP_S:g} s long"
        raise ValueError(msg)
    lags, correlation = _correlations(mine, theirs, least)
    later = true.time_s[0] - shown.time_s[0] + lags * step
    if shown.has_clock and true.has_clock:
        near = np.abs(later) <= _CLOCKS_APART_S
        if not near.any():
            msg = "the two clocks are of different times: the logs are from different drives"
            raise ValueError(msg)
        later, correlation = later[near], correlation[near]
    best = int(np.argmax(correlation))
    return float(later[best]), float(correlation[best])


def _correlations(mine: Floats, theirs: Floats, least: int) -> tuple[Floats, Floats]:
    """Correlation over the overlap, for every shift by whole steps that leaves enough of one."""
    size = 1 << (len(mine) + len(theirs)).bit_length()

    def sums(left: Floats, right: Floats) -> Floats:
        """Σ left[i] · right[i + lag] for every lag, the negative ones at the end."""
        found: Floats = np.fft.irfft(np.fft.rfft(right, size) * np.conj(np.fft.rfft(left, size)), size)
        return found

    ones_m, ones_t = np.ones(len(mine)), np.ones(len(theirs))
    # About the mean speeds, so that large numbers do not cancel.
    m, t = mine - mine.mean(), theirs - theirs.mean()
    n = np.maximum(np.rint(sums(ones_m, ones_t)), 1.0)
    sum_m, sum_t = sums(m, ones_t), sums(ones_m, t)
    covariance = sums(m, t) - sum_m * sum_t / n
    spread = (sums(m * m, ones_t) - sum_m**2 / n) * (sums(ones_m, t * t) - sum_t**2 / n)
    correlation = np.where(spread > _NO_SPREAD, covariance / np.sqrt(np.maximum(spread, _NO_SPREAD)), 0.0)
    index = np.arange(size)
    lags = np.where(index < len(theirs), index, index - size)
    usable = (n >= max(least, 0.5 * min(len(mine), len(theirs)))) & (lags > -len(mine))
    return lags[usable].astype(float), correlation[usable]
