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

__all__ = ["LEAST_ROWS", "LONGEST_S", "MOST_CHANNELS", "RawChannel", "RawLog", "named_apart", "rising"]

MOST_CHANNELS, LEAST_ROWS = 1000, 20
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
    """Channels in the file's order; those recorded together share one array of times. `note` says how it was read."""

    channels: tuple[RawChannel, ...]
    started_at: datetime | None
    note: str


def rising(time_s: Times) -> NDArray[np.bool_] | None:
    """Which rows to keep so that times rise; None where they all do."""
    if np.all(np.diff(time_s) > 0):
        return None
    most = np.maximum.accumulate(np.nan_to_num(time_s, nan=-np.inf))
    return np.concatenate(([bool(np.isfinite(time_s[0]))], np.diff(most) > 0)) & np.isfinite(time_s)


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
