"""Noise of one channel: broad noise, single values beside its course, a tooth of a wheel, the alternator's ripple.

What speed and load move is none, so that noise is looked for where they are calm, and has to last; where a logger is slow, a
value that jumps from row to row is the machine's own.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.figures import joined, reach_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.single import SingleChannel

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]
Places = NDArray[np.int64]

__all__ = ["noise_of"]

_WINDOW_S, _CALM = 2.0, 0.2  # of their reach, that speed and load may move in a window
_TIMES, _SHARE, _SHARE_UNKNOWN, _LEAST_S = 5.0, 0.015, 0.08, 4.0
# Calm windows, of which all have to be loud but for that share: noise stays, a gear change does not, a foot rests now and then.
_LASTING, _HELD_LASTING = (5, 0.5), (15, 0.1)
_ALWAYS = 0.023  # of the span, in the quietest fifth of windows, where 0.03 seems as little: ten values scatter so
_ALWAYS_K = 0.008  # of a temperature, that nothing shakes
_SLOWEST_S, _SLOWEST_K_S = (
    0.25,
    1.1,
)  # between values, beyond which noise is not judged; of a temperature, that nothing moves at once
_HELD = {Sense.THROTTLE, Sense.PEDAL}
_SPIKE_SHARE, _SPIKE_TIMES, _LEAST_SPIKES, _EACH_S = (
    0.02,
    10.0,
    20,
    15.0,
)  # of the span; at least so often while the engine runs
_SPIKE_STEP_S, _HELD_STEP_S = 0.25, 0.025  # slower than that, a single value beside the course may be true
_TURNING = {Sense.WHEEL_SPEED, Sense.ROAD_SPEED, Sense.ENGINE_SPEED}
_SAME_DEPTH, _SLOWEST_TURN = (
    0.35,
    10.0,
)  # of the depth, that a tooth's dips scatter by; km/h or rpm below which it is not looked for
_STRETCH_S = 30.0  # apart, from which single values are two stretches
_RIPPLE_V, _RIPPLE_TIMES = 0.10, 3.0  # one standard deviation, at 12 V; of what it is at rest


@dataclass(frozen=True)
class _Windows:
    """Windows of two seconds in which nothing else was found: first places, roughness, and how many values each has."""

    starts: Places
    rough: Floats
    per: int

    @classmethod
    def of(cls, one: SingleChannel) -> _Windows:
        f = one.figures
        starts, rough = f.windows
        per = max(8, round(_WINDOW_S / f.step_s))
        if one.excursions and len(starts):
            last = np.minimum(starts + per, len(f.time_s) - 1)
            hit = one.inside(one.excursions, f.time_s, 2.0)
            before = np.concatenate(([0], np.cumsum(hit)))
            keep = before[last + 1] == before[starts]
            starts, rough = starts[keep], rough[keep]
        return cls(starts, rough, per)

    def spans(self, one: SingleChannel, which: Flags) -> list[tuple[float, float]]:
        times = one.figures.time_s
        return [(float(times[a]), float(times[min(a + self.per, len(times) - 1)])) for a in self.starts[which]]


def noise_of(one: SingleChannel) -> list[LogFinding]:
    """All of these in one channel."""
    if len(one.figures.value) < 2 * 8 or one.figures.span <= 0:
        return []
    if one.channel.sense is Sense.BATTERY_VOLTS:
        return _ripple(one, _Windows.of(one))
    if one.channel.sense in _TURNING:
        return _tooth(one)
    if one.is_unknown or not one.spec.is_wired or (one.spec.is_quick and one.channel.sense not in _HELD):
        return []
    return _broad(one, _Windows.of(one)) or _single_values(one)


def _broad(one: SingleChannel, windows: _Windows) -> list[LogFinding]:
    f = one.figures
    slowest_s = _SLOWEST_K_S if one.channel.quantity is Quantity.TEMPERATURE else _SLOWEST_S
    if not len(windows.starts) or f.step_s > slowest_s:
        return []
    quiet = float(np.quantile(windows.rough, 0.2))
    share = _SHARE if f.usual_span is not None else _SHARE_UNKNOWN
    least = max(_TIMES * quiet, share * f.span, 1.5 * f.resolution)
    is_held = one.channel.sense in _HELD
    calm = np.ones(len(windows.starts), dtype=bool) if is_held else _is_calm(one, f.time_s[windows.starts])
    always_share = _ALWAYS_K if one.channel.quantity is Quantity.TEMPERATURE else _ALWAYS
    always = f.usual_span is not None and quiet > max(always_share * f.span, 1.5 * f.resolution)
    loud = np.zeros(len(calm), dtype=bool)
    at = np.flatnonzero(calm)
    if always:
        loud[:] = True
    elif len(at):
        is_own = is_held or (one.channel.sense is Sense.OTHER and one.channel.quantity is not Quantity.TEMPERATURE)
        per, share = _HELD_LASTING if is_own else _LASTING
        loud[at] = (_lasting(windows.rough[at], per, share) > least) & (windows.rough[at] > least)
    spans = windows.spans(one, loud)
    if sum(b - a for a, b in spans) < _LEAST_S:
        return []
    size = float(np.median(windows.rough[loud]))
    against = "all along" if always else f"against {one.say(quiet)} where it is quiet"
    said = f"noise of {one.say(size)} (one standard deviation) {against}."
    return [one.finding(FindingKind.NOISE, said, joined(spans, f.step_s * 2), size)]


def _lasting(values: Floats, per: int, share: float) -> Floats:
    """The greatest of that quantile of so many neighbours that a place is among: high only where it stays high."""
    if len(values) < per:
        return np.zeros(len(values))
    low = np.quantile(np.lib.stride_tricks.sliding_window_view(values, per), share, axis=1)
    padded = np.concatenate((np.full(per - 1, -np.inf), low, np.full(per - 1, -np.inf)))
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, per).max(axis=1))


def _is_calm(one: SingleChannel, starts_s: Floats) -> Flags:
    """Where neither speed nor load moves by much within a window: what they drive moves with them."""
    calm = np.ones(len(starts_s), dtype=bool)
    for sense in (Sense.ENGINE_SPEED, Sense.LOAD):
        channel = one.log.of(sense)
        has = None if channel is None or channel is one.channel else np.isfinite(channel.value)
        if channel is not None and has is not None and has.any():
            times, value = channel.time_s[has], channel.value[has]
            at = np.searchsorted(times, starts_s[:, None] + np.linspace(-0.5, _WINDOW_S + 0.5, 9)[None, :])
            seen = value[np.clip(at, 0, len(value) - 1)]
            calm &= np.ptp(seen, axis=1) <= _CALM * reach_of(value)
    return calm


# Single values beside the course


def _beside(one: SingleChannel) -> tuple[Floats, Floats]:
    """The course (the median of five values about each) and how far each value is beside it."""
    value = one.figures.value
    padded = np.pad(value, 2, mode="edge")
    a, b, c, d, e = (padded[at : at + len(value)] for at in range(5))
    # The median of five is that of the fifth and of two that four leave, the greater of the lesser and the lesser of the greater.
    low = np.maximum(np.minimum(a, b), np.minimum(c, d))
    high = np.minimum(np.maximum(a, b), np.maximum(c, d))
    course = np.maximum(np.minimum(e, low), np.minimum(np.maximum(e, low), high)).astype(np.float64)
    return course, value - course


def _alone(beside: Floats, least: Floats | float) -> Flags:
    """Values that are far beside the course where both neighbours are not."""
    far = np.abs(beside) > least
    near = np.abs(beside) > np.asarray(least) / 2
    neighbours = np.concatenate((near[1:], [False])) | np.concatenate(([False], near[:-1]))
    return far & ~neighbours


def _single_values(one: SingleChannel) -> list[LogFinding]:
    """Single values beside the course while the engine runs, to changing depths: sparks and switching, no loose wire."""
    f = one.figures
    if f.step_s > (_HELD_STEP_S if one.channel.sense in _HELD else _SPIKE_STEP_S):
        return []
    course, beside = _beside(one)
    least = max(_SPIKE_SHARE * f.span, _SPIKE_TIMES * f.roughness, 3 * f.resolution)
    alone = np.flatnonzero(_alone(beside, least))
    alone = alone[one.engine.runs_at(f.time_s[alone])]
    if len(alone) < max(_LEAST_SPIKES, len(f.time_s) * f.step_s / _EACH_S):
        return []
    ends = (course + beside)[alone]
    if float(np.quantile(ends, 0.75) - np.quantile(ends, 0.25)) <= 0.02 * f.span:
        return []
    moments = f.time_s[alone]
    size = float(np.quantile(np.abs(beside[alone]), 0.9))
    said = f"{len(moments)} single values are beside its course by up to {one.say(size)} as the engine runs: sparks, switching."
    return [one.finding(FindingKind.NOISE, said, joined([(float(m), float(m)) for m in moments], _STRETCH_S), size)]


def _tooth(one: SingleChannel) -> list[LogFinding]:
    """Dips or peaks of one value and of the same share of the speed, again and again: a tooth that is damaged or missing."""
    f = one.figures
    if f.step_s > _SPIKE_STEP_S:
        return []
    course, beside = _beside(one)
    least = np.maximum(0.04 * np.abs(course), np.maximum(_SPIKE_TIMES * f.roughness, 3 * f.resolution))
    alone = _alone(beside, least) & (course > _SLOWEST_TURN)
    if np.count_nonzero(alone) < _LEAST_SPIKES:
        return []
    depth = beside[alone] / course[alone]
    low, middle, high = np.quantile(depth, (0.25, 0.5, 0.75))
    if high - low > _SAME_DEPTH * abs(middle):
        return []
    moments = f.time_s[alone]
    share = f"{100 * abs(middle):.0f} % of the speed"
    said = f"{len(moments)} single values are beside its course by {share}, always the same: one tooth."
    spans = joined([(float(m), float(m)) for m in moments], _STRETCH_S)
    return [one.finding(FindingKind.TOOTH, said, spans, float(100 * middle))]


def _ripple(one: SingleChannel, windows: _Windows) -> list[LogFinding]:
    f = one.figures
    if not one.engine.is_known or not len(windows.starts) or f.step_s > _SLOWEST_S:
        return []
    ends_s = f.time_s[np.minimum(windows.starts + windows.per, len(f.time_s) - 1)]
    begins_s = f.time_s[windows.starts]
    runs = one.engine.runs_at(begins_s) & one.engine.runs_at(ends_s)
    stands = one.engine.stands_at(begins_s) & one.engine.stands_at(ends_s)
    if not runs.any():
        return []
    running = float(np.median(windows.rough[runs]))
    quiet = float(np.median(windows.rough[stands])) if stands.any() else 0.0
    if running < max(_RIPPLE_V * one.log.system_v / 12.0, _RIPPLE_TIMES * quiet):
        return []
    said = f"ripples by {one.say(running)} (one standard deviation) while the engine runs, {one.say(quiet)} at rest."
    return [one.finding(FindingKind.RIPPLE, said, joined(windows.spans(one, runs), f.step_s * 2), running)]
