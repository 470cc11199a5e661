"""When the engine stands, is cranked, idles and runs, as its speed tells; and channels laid on one grid of times."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.figures import runs_of
from irongauge.core.traces.senses import Sense

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

__all__ = ["STANDS_RPM", "Engine", "Gridded"]

STANDS_RPM, RUNS_RPM = 50.0, 400.0  # below it stands; from here on it runs, between them it is cranked
_NO_STOP_S = 2.5  # between two running ones, in which it did not really stop
_AROUND_S = 3.0  # of a start or a stop, in which nothing is at rest
_MOST_POINTS = 20_000


@dataclass(frozen=True)
class Engine:
    """A log's engine. Without a channel of its speed nothing is known of it."""

    speed: Channel | None

    @classmethod
    def of(cls, log: Log) -> Engine:
        """What a log tells of the engine."""
        return cls(log.of(Sense.ENGINE_SPEED))

    @property
    def is_known(self) -> bool:
        """True where the log has its speed."""
        return len(self._told[0]) > 0

    def rpm_at(self, time_s: Floats) -> Floats:
        """Its speed at those times, the last that was told; not a number where none is known."""
        times, values = self._told
        if not len(times):
            return np.full(len(time_s), np.nan)
        at = np.clip(np.searchsorted(times, time_s, side="right") - 1, 0, len(times) - 1)
        return values[at].astype(np.float64)

    def runs_at(self, time_s: Floats) -> Flags:
        """Where it runs; everywhere, where its speed is not known."""
        return self.rpm_at(time_s) >= RUNS_RPM if self.is_known else np.ones(len(time_s), dtype=bool)

    def stands_at(self, time_s: Floats) -> Flags:
        """Where it stands, at each of some moments; nowhere while its speed is not known."""
        return self.rpm_at(time_s) < STANDS_RPM if self.is_known else np.zeros(len(time_s), dtype=bool)

    @cached_property
    def changes_s(self) -> Floats:
        """When it starts to turn, or stops."""
        times, rpm = self._told
        if not len(times):
            return np.empty(0)
        turns = rpm >= STANDS_RPM
        for first, last in runs_of(~turns):
            if first > 0 and last < len(times) - 1 and times[last + 1] - times[first - 1] <= _NO_STOP_S:
                turns[first : last + 1] = True  # it cannot stop and start again in that time: its speed is not told
        return np.asarray(times[1:][np.diff(turns.astype(np.int8)) != 0])

    def is_near_change(self, moment_s: float, around_s: float = _AROUND_S) -> bool:
        """True where it was started or stopped about that moment."""
        return bool(np.any(np.abs(self.changes_s - moment_s) <= around_s))

    @cached_property
    def first_rest(self) -> tuple[float, float] | None:
        """The first stretch in which it stands, from the log's start on; None where the log begins with it turning."""
        times, stands = self._told[0], self._standing
        if not len(stands) or stands[0, 0] > 0:
            return None
        return float(times[0]), float(times[stands[0, 1]])

    @cached_property
    def last_rest(self) -> tuple[float, float] | None:
        """The last stretch in which it stands, up to the log's end; None where it turns then, or never turned."""
        times, stands = self._told[0], self._standing
        if not len(stands) or stands[-1, 1] < len(times) - 1 or stands[-1, 0] == 0:
            return None
        return float(times[stands[-1, 0]]) + _AROUND_S, float(times[-1])

    @cached_property
    def _told(self) -> tuple[Floats, NDArray[np.float32]]:
        """When its speed is told, and the speeds; empty where none is."""
        if self.speed is None:
            return np.empty(0), np.empty(0, dtype=np.float32)
        has = np.isfinite(self.speed.value)
        return self.speed.time_s[has], self.speed.value[has]

    @cached_property
    def _standing(self) -> NDArray[np.int64]:
        """Where it stands, as first and last of what is told."""
        return runs_of(self._told[1] < STANDS_RPM)


class Gridded:
    """A log's channels at the same even times, each laid there once it is asked for.

    The step is made longer where the log is so long that it would be more points than are needed to compare anything.
    """

    def __init__(self, log: Log, step_s: float) -> None:
        self.step_s = max(step_s, log.seconds / _MOST_POINTS)
        self.time_s = np.arange(0.0, log.seconds + self.step_s / 2, self.step_s)
        self._values: dict[int, Floats] = {}

    def of(self, channel: Channel | None) -> Floats:
        """The last value that was told at each time; not a number before the first, where none was told, and for no channel."""
        if channel is None:
            return np.full(len(self.time_s), np.nan)
        found = self._values.get(id(channel))
        if found is None:
            found = self._values[id(channel)] = self._laid(channel)
        return found

    def _laid(self, channel: Channel) -> Floats:
        if not len(channel.time_s):
            return np.full(len(self.time_s), np.nan)
        at = np.searchsorted(channel.time_s, self.time_s, side="right") - 1
        found = np.where(at >= 0, channel.value[np.clip(at, 0, None)], np.nan).astype(np.float64)
        if np.isfinite(found).all():
            return found
        has = np.isfinite(channel.value)
        times, values = channel.time_s[has], channel.value[has].astype(np.float64)
        if not len(times):
            return np.full(len(self.time_s), np.nan)
        at = np.searchsorted(times, self.time_s, side="right") - 1
        return np.where(at >= 0, values[np.clip(at, 0, None)], np.nan)
