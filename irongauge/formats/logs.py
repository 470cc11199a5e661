"""A recorded log as a file has it, whatever its format: channels by name, with their units as written, times and values."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

Times = NDArray[np.float64]
Values = NDArray[np.float32]

__all__ = ["LEAST_ROWS", "LONGEST_S", "MOST_CHANNELS", "RawChannel", "RawLog", "named_apart", "rising", "spread"]

MOST_CHANNELS, LEAST_ROWS = 1000, 20
_OUT_OF_TURN = 5.0  # usual steps back, from which the clock began anew
LONGEST_S = 40 * 86_400.0  # more than a month is no log of a vehicle


@dataclass(frozen=True, eq=False)
class RawChannel:
    """A channel: its name, its unit as written (empty where none is), times in s from the log's start, and values, shape (n,)."""

    name: str
    unit: str
    time_s: Times
    value: Values


@dataclass(frozen=True, eq=False)
class RawLog:
    """Channels in the file's order; those recorded together share one array of times. `note` says how it was read.

    `logger` is the same for files that are written alike; `taken_unit` that of times of which the file does not say it.
    """

    channels: tuple[RawChannel, ...]
    started_at: datetime | None
    note: str
    logger: str = ""
    taken_unit: str = ""


def rising(time_s: Times) -> NDArray[np.int64] | None:
    """Which rows to keep, in the order of their times; None where they rise already.

    Rows that a logger wrote a little out of turn are put back; where its clock begins anew, only what goes on is kept.
    """
    if np.all(np.diff(time_s) > 0):
        return None
    kept = np.flatnonzero(np.isfinite(time_s))
    times = time_s[kept]
    steps = np.diff(times)
    usual = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
    if np.all(steps >= -_OUT_OF_TURN * usual):
        return kept[np.argsort(times, kind="stable")]
    most = np.maximum.accumulate(times)
    return kept[np.concatenate(([True], times[1:] >= most[:-1]))] if len(times) else kept


def spread(time_s: Times) -> Times:
    """Times that never fall, those that are told by the same stamp laid evenly until the next one."""
    first = np.concatenate(([True], np.diff(time_s) > 0))
    if first.all():
        return time_s
    at = np.flatnonzero(first)
    last_step = float(time_s[at[-1]] - time_s[at[-2]]) / (at[-1] - at[-2]) if len(at) > 1 else 0.0
    ends = np.append(at, len(time_s))
    moments = np.append(time_s[at], time_s[at[-1]] + max(last_step, 1e-9) * (len(time_s) - at[-1]))
    return np.asarray(np.interp(np.arange(len(time_s)), ends, moments))


def named_apart(channels: Sequence[RawChannel]) -> tuple[RawChannel, ...]:
    """The channels with names that differ: a second of one name gets a number."""
    seen: Counter[str] = Counter()
    found = []
    for channel in channels:
        seen[channel.name.casefold()] += 1
        count = seen[channel.name.casefold()]
        name = channel.name if count == 1 else f"{channel.name} ({count})"
        found.append(RawChannel(name, channel.unit, channel.time_s, channel.value))
    return tuple(found)
