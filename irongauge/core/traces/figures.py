"""Figures of one channel from which its findings follow: steps of its values, roughness, runs, jumps, how far it goes.

Each is a few passes over the samples, so that a million of them are looked at in well under a second. Robust throughout: medians
and quartiles (the median of |d| over 0.6745 for a standard deviation, Hampel 1974), since a log has what is looked for in it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from irongauge.core.traces.channels import Channel
from irongauge.core.traces.senses import SENSES

Floats = NDArray[np.float64]
Values = NDArray[np.float32]
Flags = NDArray[np.bool_]
Places = NDArray[np.int64]

__all__ = ["ChannelFigures", "joined", "moving_mean", "reach_of", "runs_of"]

_GREATEST = 1e12  # beyond it no channel of a vehicle says anything
_REACH_SAMPLED = 20_000
_SAMPLED = 60_000  # values are enough for a quantile
_NORMAL = 0.6745  # of a standard deviation lies half of a normal distribution
_SECOND = 6**0.5  # of a second difference of independent values
_WINDOW_S = 2.0


def runs_of(flags: Flags) -> Places:
    """Where flags are set without a break: first and last place of each run, shape (n, 2)."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], flags, [False])).astype(np.int8)))
    return np.column_stack((edges[::2], edges[1::2] - 1)) if len(edges) else np.empty((0, 2), dtype=np.int64)


def joined(spans: list[tuple[float, float]], gap_s: float) -> list[tuple[float, float]]:
    """Stretches in order, those nearer to each other than a gap made one."""
    found: list[tuple[float, float]] = []
    for begin, end in sorted(spans):
        if found and begin - found[-1][1] <= gap_s:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((begin, end))
    return found


def moving_mean(values: Floats, per: int) -> Floats:
    """The mean of so many values about each place, that goes on at both ends with what is there; shape (n,)."""
    padded = np.pad(values, (per // 2, per - 1 - per // 2), mode="edge")
    sums = np.cumsum(np.concatenate(([0.0], padded)))
    return np.asarray((sums[per:] - sums[:-per]) / per)


def reach_of(values: Values) -> float:
    """From the least to the greatest of values spread over all of them; 0 where there is none."""
    sample = values[:: max(1, len(values) // _REACH_SAMPLED)]
    return float(np.nanmax(sample) - np.nanmin(sample)) if np.isfinite(sample).any() else 0.0


def _thinned(values: Values) -> Values:
    return values[:: max(1, len(values) // _SAMPLED)]


@dataclass(frozen=True, eq=False)
class ChannelFigures:
    """A channel and what is measured of it, each figure once it is asked for. `time_s` and `value` are without gaps in values."""

    channel: Channel

    @cached_property
    def has_value(self) -> Flags:
        """Which samples are numbers that a sensor can give, `(samples,)`."""
        has = np.abs(self.channel.value) < _GREATEST
        return np.broadcast_to(np.True_, has.shape) if has.all() else has  # of a million values that all are: one byte

    @cached_property
    def time_s(self) -> Floats:
        """The moments of those samples."""
        return self.channel.time_s if self.has_value.all() else self.channel.time_s[self.has_value]

    @cached_property
    def value(self) -> Values:
        """Their values, in the fixed unit."""
        return self.channel.value if self.has_value.all() else self.channel.value[self.has_value]

    @cached_property
    def step_s(self) -> float:
        """The usual time from one value to the next."""
        if len(self.time_s) <= 1:  # there is none
            return 1.0
        return float(np.median(np.diff(_thinned_times(self.time_s)))) or 1.0

    @cached_property
    def low_high(self) -> tuple[float, float]:
        """Where nearly all values lie: the 0.5 and 99.5 hundredths."""
        low, high = np.quantile(_thinned(self.value), (0.005, 0.995)) if len(self.value) else (0.0, 0.0)
        return float(low), float(high)

    @cached_property
    def swing(self) -> float:
        """From its usual low to its usual high."""
        return self.low_high[1] - self.low_high[0]

    @cached_property
    def usual_span(self) -> float | None:
        """What its sensor covers, else what such a sensor covers as a rule; None where nothing tells."""
        known = self.channel.span
        return known[1] - known[0] if known is not None else SENSES[self.channel.sense].usual_span

    @cached_property
    def span(self) -> float:
        """What its sensor covers or such a one does, else what the log shows of it."""
        return max(self.swing, self.usual_span or 0.0)

    @cached_property
    def resolution(self) -> float:
        """The least step between two values that it takes; 0 where it never changes."""
        taken = np.unique(self.value[: _SAMPLED * 2])
        if len(taken) <= 1:
            return 0.0
        steps = np.diff(taken.astype(np.float64))
        return float(np.quantile(steps, 0.05))

    @cached_property
    def roughness(self) -> float:
        """One standard deviation of what changes from value to value and is no slope."""
        return _rough(_pieces(self.value))

    @cached_property
    def windows(self) -> tuple[Places, Floats]:
        """First places of windows of two seconds, and the roughness in each, shape (n,)."""
        per = max(8, round(_WINDOW_S / self.step_s))
        count = len(self.value) // per
        if count == 0:
            return np.empty(0, dtype=np.int64), np.empty(0)
        second = np.diff(self.value[: count * per].reshape(count, per), 2, axis=1)
        rough = np.median(np.abs(second), axis=1) / (_NORMAL * _SECOND)
        # Values of few steps differ seldom: their mean square tells more than a median that is 0.
        spread = np.sqrt(np.mean(np.square(second), axis=1)) / _SECOND
        rough = np.where(rough > 0, rough, np.minimum(spread, self.resolution))
        return np.arange(count) * per, rough.astype(np.float64)

    @cached_property
    def renewed_s(self) -> float:
        """The usual time from one change of its value to the next, while it changes: how often it is really told."""
        at = self.time_s[1:][np.diff(self.value) != 0][:_SAMPLED]
        return float(np.quantile(np.diff(at), 0.25)) if len(at) > 1 else self.step_s

    @property
    def jumps(self) -> Values:
        """What changes from each value to the next, shape (n − 1,). Not kept: of all channels it would be another log."""
        return np.diff(self.value)


def _thinned_times(times: Floats) -> Floats:
    return times[: _SAMPLED * 2]


def _pieces(values: Values) -> Values:
    """Second differences of short pieces spread over the values."""
    if len(values) <= _SAMPLED:
        return np.diff(values, 2)
    per, pieces = 600, _SAMPLED // 600
    starts = np.linspace(0, len(values) - per, pieces).astype(int)
    return np.concatenate([np.diff(values[at : at + per], 2) for at in starts])


def _rough(second: Values) -> float:
    if not len(second):
        return 0.0
    return float(np.median(np.abs(second))) / (_NORMAL * _SECOND)
