"""The plan as lanes: one for each technician or each vehicle, days side by side, each only as long as somebody works on it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from irongauge.core.work.plan import Plan, PlannedStep
from irongauge.core.work.reasons import critical
from irongauge.core.work.record import Status
from irongauge.core.work.steps import WorkState
from irongauge.workflows.work.work_list import WorkView

__all__ = ["Bar", "DayColumn", "Lanes", "draw_lanes"]

_LEFT, _WIDTH, _TOP, _LANE, _BAR = 150.0, 1200.0, 46.0, 68.0, 42.0
_RUN_GAP = 24.0  # bars of one vehicle that are nearer to each other bear its name once
_TAG_CHARACTER = 8.0  # is about as wide
_GAP = 10.0  # between two days
_DAY_MIN = 24 * 60
_MOST_DAYS = 5
_STATE_NAME = {state: str(state).replace(" ", "-") for state in WorkState}


@dataclass(frozen=True, kw_only=True)
class Bar:
    """A step in its lane; the first part of it, `change_width`, is what is changed before."""

    key: str
    x: float
    y: float
    width: float
    change_width: float
    state: str
    vehicle: str
    tag: str
    title: str
    said: str
    is_critical: bool
    is_late: bool
    is_started: bool
    is_chosen: bool


@dataclass(frozen=True, kw_only=True)
class DayColumn:
    """A day on which somebody works: where it lies, its name, its hours, and the minute of the plan at its left edge."""

    x: float
    width: float
    name: str
    hours: tuple[tuple[float, str], ...]
    first_minute: int
    per_minute: float


@dataclass(frozen=True)
class Lane:
    """A technician's lane, with the technician's key, or a vehicle's, with none."""

    key: str
    name: str
    y: float
    free: tuple[tuple[float, float], ...]


@dataclass(frozen=True, kw_only=True)
class Lanes:
    """The whole picture. `more_days` are those that do not fit."""

    width: float
    height: float
    lane_height: float
    days: tuple[DayColumn, ...]
    lanes: tuple[Lane, ...]
    bars: tuple[Bar, ...]
    now_x: float | None
    more_days: int
    said: str
    by_vehicle: bool


def _bars(
    view: WorkView, plan: Plan, days: tuple[DayColumn, ...], at: Mapping[str, float], *, chosen: str, by_vehicle: bool
) -> list[Bar]:
    """A bar for each step in the lane of each who does it, or in its vehicle's with their first names."""
    critical_keys = {key for v in view.late for key in critical(view.work, plan, v.key)}
    late = {v.key for v in view.late}
    owned = [(p, owner) for p in plan.steps for owner in ([p.step.vehicle] if by_vehicle else p.people)]
    drawn = [
        (planned, _bar(view, planned, days, y=at[owner], critical_keys=critical_keys, late=late, chosen=chosen))
        for planned, owner in owned
    ]
    if not by_vehicle:
        return [bar for _, bar in drawn if bar is not None]
    return [replace(bar, tag=_first_names(view, planned)) for planned, bar in drawn if bar is not None]


def draw_lanes(view: WorkView, plan: Plan, chosen: str, *, by_vehicle: bool = False) -> Lanes:
    """The lanes of everybody who works, or of every vehicle that has a step."""
    days, more = _days(view, plan)
    workers = [t for t in view.work.technicians if t.windows]
    owners = [v.key for v in view.work.vehicles if plan.of_vehicle(v.key)] if by_vehicle else [t.key for t in workers]
    at = {key: _TOP + n * _LANE for n, key in enumerate(owners)}
    if by_vehicle:
        lanes = tuple(Lane("", view.tag(key), y, ()) for key, y in at.items())
    else:
        lanes = tuple(Lane(t.key, view.who([t.key]), at[t.key], tuple(_spans(days, t.windows))) for t in workers)
    bars = _bars(view, plan, days, at, chosen=chosen, by_vehicle=by_vehicle)
    first = days[0] if days else None
    now_x = None if first is None or first.first_minute > 0 else first.x - first.first_minute * first.per_minute
    return Lanes(
        width=_WIDTH,
        height=_TOP + len(lanes) * _LANE + 8,
        lane_height=_LANE,
        days=days,
        lanes=lanes,
        bars=_tagged_once(bars),
        by_vehicle=by_vehicle,
        now_x=now_x,
        more_days=more,
        said=f"{len(plan.steps)} steps of {len(view.jobs)} vehicles for {len(workers)} technicians",
    )


def _first_names(view: WorkView, planned: PlannedStep) -> str:
    return ", ".join(view.who([key]).split()[0] for key in planned.people)


def _tagged_once(bars: list[Bar]) -> tuple[Bar, ...]:
    """Of bars of one lane that follow each other and would bear the same tag only the first keeps it; so does only one that is
    clear of the tag before it.
    """
    found: list[Bar] = []
    last: Bar | None = None
    clear_from = (0.0, 0.0)  # the lane, and where the tag that was kept last ends
    for bar in sorted(bars, key=lambda bar: (bar.y, bar.x)):
        goes_on = last is not None and (last.y, last.tag) == (bar.y, bar.tag) and bar.x - last.x - last.width < _RUN_GAP
        is_kept = not goes_on and (bar.y, bar.x) >= clear_from
        found.append(bar if is_kept else replace(bar, tag=""))
        if is_kept:
            clear_from = (bar.y, bar.x + _TAG_CHARACTER * (len(bar.tag) + 1))
        last = bar
    return tuple(found)


def _days(view: WorkView, plan: Plan) -> tuple[tuple[DayColumn, ...], int]:
    """The days that have steps, the first five; each from the first to the last minute that anybody works on it."""
    spans: dict[str, tuple[int, int]] = {}
    for t in view.work.technicians:
        for first, last in t.windows:
            name = view.at(first).strftime("%a %d %b")
            a, b = spans.get(name, (first, last))
            spans[name] = (min(a, first), max(b, last))
    worked = {view.at(p.start).strftime("%a %d %b") for p in plan.steps}
    used = [(name, a, b) for name, (a, b) in sorted(spans.items(), key=lambda item: item[1]) if name in worked]
    shown = used[:_MOST_DAYS]
    if not shown:
        return (), 0
    width = (_WIDTH - _LEFT - _GAP * len(shown)) / len(shown)
    columns = []
    for n, (name, a, b) in enumerate(shown):
        x, per_minute = _LEFT + n * (width + _GAP), width / (b - a)
        hours = tuple(
            (x + (m - a) * per_minute, f"{view.at(m).hour}")
            for m in range(a, b + 1)
            if view.at(m).minute == 0 and view.at(m).hour % (1 if len(shown) < 3 else 2) == 0  # noqa: PLR2004
        )
        columns.append(DayColumn(x=x, width=width, name=name, hours=hours, first_minute=a, per_minute=per_minute))
    return tuple(columns), len(used) - len(shown)


def _place(days: tuple[DayColumn, ...], minute: int) -> float | None:
    for day in days:
        x = day.x + (minute - day.first_minute) * day.per_minute
        if day.x - 0.01 <= x <= day.x + day.width + 0.01:
            return x
    return None


def _spans(days: tuple[DayColumn, ...], windows: tuple[tuple[int, int], ...]) -> list[tuple[float, float]]:
    found = []
    for first, last in windows:
        a, b = _place(days, first), _place(days, last)
        if a is not None and b is not None:
            found.append((a, b - a))
    return found


def _bar(
    view: WorkView,
    planned: PlannedStep,
    days: tuple[DayColumn, ...],
    *,
    y: float,
    critical_keys: set[str],
    late: set[str],
    chosen: str,
) -> Bar | None:
    step = planned.step
    x, begins, end = (_place(days, m) for m in (planned.start, planned.begins, planned.end))
    if x is None or begins is None or end is None:
        return None
    tag = view.tag(step.vehicle)
    when = f"{view.at(planned.begins):%a %H:%M} to {view.at(planned.end):%H:%M}"
    return Bar(
        key=step.key,
        x=x,
        y=y + _LANE - _BAR - 5,
        width=max(end - x, 3.0),
        change_width=begins - x,
        state=_STATE_NAME[step.state],
        vehicle=step.vehicle,
        tag=tag,
        title=step.title,
        said=f"{tag} {step.title}, {step.state}, {when}, {view.who(planned.people)}",
        is_critical=step.key in critical_keys,
        is_late=step.vehicle in late,
        is_started=view.status(step.key) is Status.STARTED,
        is_chosen=step.key == chosen,
    )
