"""What a captured waveform says: levels, edges, frequency, duty, rise, jitter, noise, and whether it is a sine or a square.

Everything is done on whole arrays, so that five million samples take a second or two. Leaves out the ring that made the pulses
(`ring`) and reading files.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.edges import HYSTERESIS, Edges, find_edges, local_period_s, without_bounce

Floats = NDArray[np.float64]

__all__ = ["Shape", "WaveformFigures", "check_waveform", "measure_checked", "measure_waveform"]

_LEAST_EDGES = 3  # two periods
_OF_A_SINE = 0.03  # a coil's volts fall with the speed, so what is small counts as well
_SINE_SHARE = 0.17  # of all samples in the middle 40 % of the amplitude: a sine has 0.26, a square next to none
_FLAT_V = 0.02  # less amplitude than this is no signal
_NOISE_TO_MAD = 1.4826 / math.sqrt(20)  # third difference of samples (1, 3, 3, 1), as the standard deviation of one
_ALL_NOISE = 0.8  # of the standard deviation of all samples
_KEEPS_TO_ENDS = 0.4  # of all samples in the outer fifths either side: a sine has 0.59, noise 0.16
_STRETCHES, _STRETCH = 48, 4000  # samples that are enough to know the noise


class Shape(StrEnum):
    """What the waveform looks like."""

    SQUARE = "square"
    SINE = "sine"
    FLAT = "flat"


@dataclass(frozen=True, kw_only=True)
class WaveformFigures:
    """What was measured. None where the capture is too short or flat for it.

    `low_v` and `high_v` are the levels of a square wave, the least and greatest of a sine. `jitter_pct` is the robust standard
    deviation of one edge, from neighbouring periods' differences, in % of a period. `noise_v` is one sample's standard deviation
    on a level. `edges` are without a contact's chatter, of which there was some at `bounced` of them. `lively_v` is what the
    samples of a flat capture cover, where they jump about from one to the next.
    """

    shape: Shape
    low_v: float
    high_v: float
    noise_v: float
    frequency_hz: float | None
    duty_pct: float | None
    high_s: float | None
    low_s: float | None
    rise_s: float | None
    fall_s: float | None
    jitter_pct: float | None
    edges: Edges
    bounced: int = 0
    lively_v: float = 0.0


def measure_waveform(time_s: Floats, signal_v: Floats) -> WaveformFigures:
    """Everything that can be measured of a capture; arrays of shape (n,), times rising.

    Raises `ValueError` for fewer than eight samples, times that do not rise, or values that are not numbers.
    """
    check_waveform(time_s, signal_v)
    return measure_checked(time_s, signal_v)


def measure_checked(time_s: Floats, signal_v: Floats) -> WaveformFigures:
    """The same of a capture, or a stretch of one, that was checked."""
    low_v, high_v, shape = _levels(signal_v)
    noise_v = _noise_v(signal_v, low_v, high_v)
    least = _OF_A_SINE if shape is Shape.SINE else HYSTERESIS
    edges, bounced = without_bounce(
        find_edges(time_s, signal_v, low_v, high_v=high_v, noise_v=noise_v, hysteresis=least)
    )
    if shape is Shape.FLAT or len(edges.rising_s) < _LEAST_EDGES:
        return WaveformFigures(
            shape=shape,
            low_v=low_v,
            high_v=high_v,
            noise_v=noise_v,
            frequency_hz=None,
            duty_pct=None,
            high_s=None,
            low_s=None,
            rise_s=None,
            fall_s=None,
            jitter_pct=None,
            edges=edges,
            bounced=bounced,
            lively_v=_lively_v(signal_v) if shape is Shape.FLAT else 0.0,
        )
    rising = edges.rising_s
    periods = np.diff(rising)
    whole = _whole(periods)
    frequency = float(whole.sum() / periods[whole].sum())
    high_s, low_s = _widths(rising, edges.falling_s, whole)
    rise_s, fall_s = _slopes(time_s, signal_v, low_v, high_v, edges) if shape is Shape.SQUARE else (None, None)
    steady = periods[whole]
    jitter = None
    if len(steady) > _LEAST_EDGES:
        neighbours = np.diff(steady) / steady[1:]
        # Two periods share three edges, weights 1, 2, 1. From the median, so that a few teeth out of place are no jitter.
        spread = 1.4826 * float(np.median(np.abs(neighbours - np.median(neighbours))))
        jitter = 100 * spread / math.sqrt(6)
    duty = None if high_s is None or low_s is None else 100 * high_s / (high_s + low_s)
    return WaveformFigures(
        shape=shape,
        low_v=low_v,
        high_v=high_v,
        noise_v=noise_v,
        frequency_hz=frequency,
        duty_pct=duty,
        high_s=high_s,
        low_s=low_s,
        rise_s=rise_s,
        fall_s=fall_s,
        jitter_pct=jitter,
        edges=edges,
        bounced=bounced,
    )


_LEAST_SAMPLES = 8  # fewer show no level twice


def check_waveform(time_s: Floats, signal_v: Floats) -> None:
    """Raise `ValueError` for fewer than eight samples, times that do not rise, or values that are not numbers."""
    if len(time_s) != len(signal_v) or len(time_s) < _LEAST_SAMPLES:
        msg = f"a waveform has at least {_LEAST_SAMPLES} samples, each with a time and volts"
        raise ValueError(msg)
    if not (np.isfinite(time_s).all() and np.isfinite(signal_v).all()):
        msg = "every sample is a time and volts"
        raise ValueError(msg)
    if np.diff(time_s).min() <= 0:
        msg = "the times of a waveform rise from sample to sample"
        raise ValueError(msg)


def _levels(signal_v: Floats) -> tuple[float, float, Shape]:
    """Low and high level, and the shape that they are levels of."""
    # A few samples beyond everything are spikes, not levels; where that leaves nothing, the pulses are as short as spikes.
    lowest, least, most, highest = (float(v) for v in np.percentile(signal_v, (0.2, 1.0, 99.0, 99.8)))
    if most - least < _FLAT_V:
        least, most = lowest, highest
    if most - least < _FLAT_V or _is_noise(signal_v):
        middle = float(np.median(signal_v))
        return middle, middle, Shape.FLAT
    middle = (least + most) / 2
    near = np.abs(signal_v - middle) < 0.2 * (most - least)
    if float(near.mean()) > _SINE_SHARE:
        return least, most, Shape.SINE
    above = signal_v > middle
    if above.all() or not above.any():
        return least, most, Shape.SQUARE
    return float(np.median(signal_v[~above])), float(np.median(signal_v[above])), Shape.SQUARE


def _third_differences(signal_v: Floats) -> Floats:
    """Third differences of neighbours, which a wave leaves alone and edges disturb seldom; of stretches, where there are many."""
    if len(signal_v) > _STRETCHES * _STRETCH:
        starts = np.linspace(0, len(signal_v) - _STRETCH, _STRETCHES).astype(np.intp)
        looked_at = np.stack([signal_v[at : at + _STRETCH] for at in starts])
    else:
        looked_at = signal_v[np.newaxis]
    differences: Floats = np.abs(np.diff(looked_at, 3, axis=1)).ravel()
    return differences


def _is_noise(signal_v: Floats) -> bool:
    """True where one sample says nothing of the next: the noise is all there is."""
    whole = float(np.std(signal_v))
    return float(np.sqrt(np.mean(_third_differences(signal_v) ** 2) / 20)) > _ALL_NOISE * whole


def _lively_v(signal_v: Floats) -> float:
    """What the samples cover, where they keep to its two ends as a wave's do and noise does not; else 0."""
    least, most = (float(v) for v in np.percentile(signal_v, (1.0, 99.0)))
    at_an_end = np.abs(signal_v - (least + most) / 2) > 0.3 * (most - least)
    return most - least if most - least > _FLAT_V and float(at_an_end.mean()) > _KEEPS_TO_ENDS else 0.0


def _noise_v(signal_v: Floats, low_v: float, high_v: float) -> float:
    """Standard deviation of one sample."""
    differences = _third_differences(signal_v)
    if high_v > low_v:
        calm = differences[differences < 0.75 * (high_v - low_v)]
        differences = calm if len(calm) else differences
    return float(np.median(differences) * _NOISE_TO_MAD) if len(differences) else 0.0


def _whole(periods: Floats) -> NDArray[np.bool_]:
    """Periods that hold one pulse: those not far longer than their neighbours, where a pulse is missing."""
    whole: NDArray[np.bool_] = periods < 1.5 * local_period_s(periods)
    return whole if whole.any() else np.ones(len(periods), dtype=bool)


def _widths(rising: Floats, falling: Floats, whole: NDArray[np.bool_]) -> tuple[float | None, float | None]:
    """Mean time high and low over the whole periods."""
    at = np.searchsorted(falling, rising[:-1], side="right")
    inside = at < len(falling)
    inside[inside] &= falling[at[inside]] < rising[1:][inside]
    use = inside & whole
    if not use.any():
        return None, None
    high = falling[at[use]] - rising[:-1][use]
    low = rising[1:][use] - falling[at[use]]
    return float(high.mean()), float(low.mean())


_SLOPE_EDGES = 200  # the slope of an edge is settled by then


def _slopes(
    time_s: Floats, signal_v: Floats, low_v: float, high_v: float, edges: Edges
) -> tuple[float | None, float | None]:
    """Median time from 10 to 90 % of the way, over at most some hundred edges each way; at best one sample's distance."""
    span = high_v - low_v
    marks = (low_v + 0.1 * span, low_v + 0.9 * span)
    found = []
    for times, rises in ((edges.rising_s, True), (edges.falling_s, False)):
        chosen = times[:: max(1, len(times) // _SLOPE_EDGES)]
        took = [t for t in (_slope_at(time_s, signal_v, float(t), marks, rises=rises) for t in chosen) if t is not None]
        found.append(float(np.median(took)) if took else None)
    return found[0], found[1]


def _slope_at(
    time_s: Floats, signal_v: Floats, at_s: float, marks: tuple[float, float], *, rises: bool
) -> float | None:
    here = int(np.searchsorted(time_s, at_s))
    first, last = marks if rises else marks[::-1]
    start = here
    while start > 0 and (signal_v[start - 1] > first) == rises:
        start -= 1
    end = min(here, len(signal_v) - 1)
    while end < len(signal_v) - 1 and (signal_v[end] < last) == rises:
        end += 1
    if start == 0 or end == len(signal_v) - 1:
        return None
    begin_s = _crossing(time_s, signal_v, start - 1, first)
    end_s = _crossing(time_s, signal_v, end - 1, last)
    return max(end_s - begin_s, 0.0)


def _crossing(time_s: Floats, signal_v: Floats, at: int, level_v: float) -> float:
    v0, v1 = float(signal_v[at]), float(signal_v[at + 1])
    share = 0.5 if v1 == v0 else min(max((level_v - v0) / (v1 - v0), 0.0), 1.0)
    return float(time_s[at] + share * (time_s[at + 1] - time_s[at]))
