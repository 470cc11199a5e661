"""A reference that several sensors share and that sags: all of them step at one moment and back at another, nothing else does.

Each step alone is too small for a dropout. Together, in channels of one reference and in no other, they are no chance; what the
driver or the load does shows in others too. Needs that circuits tell which sensors share a reference.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from irongauge.core.traces.figures import runs_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.single import SingleChannel

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

__all__ = ["find_sags"]

_LEAST_SENSORS, _LEAST_KINDS = 3, 2  # that step at once, and of so many quantities
_LEAST_TIMES = 2  # that it happens
_SIGMAS = 6.0  # of the usual change from value to value, robust
_LONGEST_S = 6.0  # that a sag is looked for over
_LONGEST_STEP_S = 0.5  # from value to value: slower ones do not tell a moment
_MOST_MOMENTS = 2000  # more is no sag, and no cheap search


@dataclass(frozen=True)
class _Steps:
    """Each change of a channel from one moment of a common grid to the next, in its usual ones."""

    one: SingleChannel
    size: Floats

    @property
    def is_step(self) -> Flags:
        return np.abs(self.size) > _SIGMAS


def find_sags(singles: tuple[SingleChannel, ...]) -> list[LogFinding]:
    """One finding for each reference that sags, again and again."""
    groups: dict[str, list[SingleChannel]] = defaultdict(list)
    for one in singles:
        if one.channel.shares and one.figures.step_s <= _LONGEST_STEP_S and len(one.figures.value) > 1:
            groups[one.channel.shares].append(one)
    found = []
    for shares, group in groups.items():
        if len(group) >= _LEAST_SENSORS:
            found += _of_group(shares, group, [one for one in singles if one not in group])
    return found


def _of_group(shares: str, group: list[SingleChannel], others: list[SingleChannel]) -> list[LogFinding]:
    grid = max(group, key=lambda one: len(one.figures.value)).figures.time_s
    inside = [_steps(one, grid) for one in group]
    together = np.sum([_widened(steps.is_step) for steps in inside], axis=0) >= _LEAST_SENSORS
    for one in others:
        if len(one.figures.value) > 1:
            together &= ~_widened(_steps(one, grid).is_step, 2)
    moments = runs_of(together).sum(axis=1) // 2  # the middle of each
    if not _LEAST_TIMES * 2 <= len(moments) <= _MOST_MOMENTS:
        return []
    spans, names = [], set()
    ended = -1
    for begin, end in pairwise(moments):
        if begin <= ended or grid[end] - grid[begin] > _LONGEST_S:
            continue
        both = [s.one for s in inside if _at(s, begin) * _at(s, end) < -(_SIGMAS**2) / 4]
        if len(both) >= _LEAST_SENSORS and len({one.channel.quantity for one in both}) >= _LEAST_KINDS:
            spans.append((float(grid[begin]), float(grid[end + 1])))
            names |= {one.channel.name for one in both}
            ended = end
    if len(spans) < _LEAST_TIMES:
        return []
    own = [one.channel.name for one in group if one.channel.name in names]
    said = (
        f"{', '.join(own[:-1])} and {own[-1]} step at the same moment and back, {len(spans)} times, and nothing else does: "
        f"that is {shares}, which feeds them, not the sensors."
    )
    return [
        LogFinding(
            kind=FindingKind.SHARED, channel=own[0], sentence=said, at_s=tuple(spans[:200]), others=tuple(own[1:])
        )
    ]


def _steps(one: SingleChannel, grid: Floats) -> _Steps:
    f = one.figures
    change = np.diff(np.interp(grid, f.time_s, f.value))
    usual = max(1.4826 * float(np.median(np.abs(change))), f.roughness, f.resolution / 2, 1e-9)
    return _Steps(one, change / usual)


def _widened(flags: Flags, by: int = 1) -> Flags:
    """True beside what is true as well: loggers ask one channel after the other."""
    wide = flags.copy()
    for shift in range(1, by + 1):
        wide[shift:] |= flags[:-shift]
        wide[:-shift] |= flags[shift:]
    return wide


def _at(steps: _Steps, place: int) -> float:
    """The greatest step about a place, with its sign."""
    near = steps.size[max(place - 1, 0) : place + 2]
    return float(near[np.argmax(np.abs(near))])
