"""A vehicle's normals drawn: for each channel a strip with what is usual by condition, and its level from drive to drive."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.traces.normals import HEATS, LOADS, SPEEDS, Condition, Normal, own_u, standing_of
from irongauge.web.axes import Tick, nice_ticks, signed
from irongauge.web.trace.page import usual_text
from irongauge.workflows.trace.normals import NormalLine, NormalsView

__all__ = ["ChannelPicture", "ConditionRow", "normal_pictures"]

_LEFT, _RIGHT = 250.0, 560.0  # of the strip, under what was read
_OVER_LEFT, _OVER_RIGHT = 730.0, 950.0  # of its levels from drive to drive
_ROW, _TOP = 34.0, 34.0
_HALF, _MOST_DRIVES = 11.0, 24
_ONE_NUMBER = 1e-9  # of a channel that never was anything else
_USUAL = 2.0  # standard deviations that a band is wide to either side, as a reading within is usual


@dataclass(frozen=True, kw_only=True)
class ConditionRow:
    """One condition's line of a picture: where its band, its middle and its newest level lie, and its levels in order of time."""

    line: NormalLine
    y: float
    usual: str
    band: tuple[float, float]
    middle: float
    newest: float
    mark: str
    over_time: tuple[tuple[float, float], ...]
    over_band: tuple[float, float]


@dataclass(frozen=True, kw_only=True)
class ChannelPicture:
    """A channel with its conditions on one scale."""

    channel: str
    unit: str
    first: NormalLine
    rows: tuple[ConditionRow, ...]
    ticks: tuple[Tick, ...]
    height: float
    has_trend: bool


def normal_pictures(view: NormalsView) -> tuple[ChannelPicture, ...]:
    """A picture of each channel, those of logs and gauges first; a channel that was read in two units has two."""
    by_channel: dict[tuple[str, str], list[NormalLine]] = {}
    for line in sorted(view.lines, key=_order):
        by_channel.setdefault((line.normal.channel, line.normal.unit), []).append(line)
    return tuple(_picture(lines) for lines in by_channel.values())


def _order(line: NormalLine) -> tuple[bool, str, int, int, int]:
    """Channels by name, what has no condition last; within one from cold to hot, from standing to fast, from light to full."""
    condition = line.normal.condition
    return (
        condition == Condition(),
        line.normal.channel.casefold(),
        (*HEATS, "").index(condition.heat),
        (*SPEEDS, "").index(condition.speed),
        (*LOADS, "").index(condition.load),
    )


def _picture(lines: Sequence[NormalLine]) -> ChannelPicture:
    normals = [line.normal for line in lines]
    reach = [_reach(n) for n in normals]
    ends = [end for pair in reach for end in pair] + [level.median for line in lines for level in line.levels]
    low, high = min(ends), max(ends)
    if high - low < _ONE_NUMBER:
        low, high = low - 1, high + 1
    margin = (high - low) * 0.04
    low, high = low - margin, high + margin

    def x(value: float) -> float:
        return round(_LEFT + (_RIGHT - _LEFT) * (value - low) / (high - low), 1)

    days = [level.day for line in lines for level in line.levels]
    begin, end = min(days), max(days)

    def over(day: float) -> float:
        share = 0.5 if end == begin else (day - begin) / (end - begin)
        return round(_OVER_LEFT + (_OVER_RIGHT - _OVER_LEFT) * share, 1)

    rows = []
    for place, (line, (least, most)) in enumerate(zip(lines, reach, strict=True)):
        y = _TOP + _ROW * (place + 0.5)
        span = max(most - least, *(abs(one.median - line.normal.median) * 2 for one in line.levels), 1e-9)

        def up(value: float, *, y: float = y, middle: float = line.normal.median, span: float = span) -> float:
            return round(y - (value - middle) / span * 2 * _HALF, 1)

        newest = line.levels[-1].median
        standing = standing_of(newest, line.normal, own_u(line.normal))
        rows.append(
            ConditionRow(
                line=line,
                y=y,
                usual=usual_text(line.normal),
                band=(x(least), x(high if line.normal.at_least else most)),
                middle=x(line.normal.median),
                newest=x(newest),
                mark=str(standing.mark) if line.normal.is_known else "not measured",
                over_time=tuple((over(one.day), up(one.median)) for one in line.levels[-_MOST_DRIVES:]),
                over_band=(up(most), up(least)),
            )
        )
    first = max(lines, key=lambda line: line.rank)
    ticks = tuple(Tick(x(value), signed(value)) for value in nice_ticks(low, high, 5))
    return ChannelPicture(
        channel=normals[0].channel,
        unit=normals[0].unit,
        first=first,
        rows=tuple(rows),
        ticks=ticks,
        height=_TOP + _ROW * len(rows) + 8,
        has_trend=any(line.has_trend for line in lines),
    )


def _reach(normal: Normal) -> tuple[float, float]:
    """The ends of what is usual: two standard deviations of its readings and of the channel itself."""
    u = _USUAL * (normal.spread**2 + own_u(normal) ** 2) ** 0.5
    return (normal.median if normal.at_least else normal.median - u), normal.median + u
