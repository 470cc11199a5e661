"""A job's days on the Floor, as a small picture."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from irongauge.core.shop import Job
from irongauge.core.work.hours import clock_text

__all__ = ["DayStrip", "draw_days"]

_DAYS, _DAY_W = 14, 26.0
_BACK = 5


@dataclass(frozen=True)
class Day:
    """A day of the strip."""

    x: float
    text: str
    kind: str  # before, stay, today, promised, after


@dataclass(frozen=True, kw_only=True)
class DayStrip:
    """Two weeks around today; `words` says the same in a sentence. `shapes` are the boxes of all days of a kind, as one path."""

    width: float
    day_width: float
    days: tuple[Day, ...]
    shapes: tuple[tuple[str, str], ...]
    today_x: float
    promised_x: float | None
    words: str
    late: bool


def draw_days(clock: datetime, job: Job) -> DayStrip:
    """The strip of a job: the days it is in the shop, today, and the day it is promised; `clock` is the shop's own."""
    first = clock.date() - timedelta(days=_BACK)
    days = []
    for place in range(_DAYS):
        day = first + timedelta(days=place)
        kind = "stay" if job.received_on <= day <= job.promise.on else "free"
        if day.weekday() >= 5:  # noqa: PLR2004  Saturday and Sunday
            kind += " weekend"
        days.append(Day(place * _DAY_W, str(day.day), kind))
    ahead = (job.promise.on - first).days
    return DayStrip(
        width=_DAYS * _DAY_W,
        day_width=_DAY_W,
        days=tuple(days),
        shapes=tuple(
            (kind, _boxes([day.x for day in days if day.kind == kind])) for kind in dict.fromkeys(d.kind for d in days)
        ),
        today_x=_BACK * _DAY_W,
        promised_x=ahead * _DAY_W if 0 <= ahead < _DAYS else None,
        words=_promise(clock, job),
        late=_is_late(clock, job),
    )


def _boxes(xs: list[float]) -> str:
    return "".join(f"M{x + 1:g} 4h{_DAY_W - 2:g}v22h-{_DAY_W - 2:g}z" for x in xs)


def _is_late(clock: datetime, job: Job) -> bool:
    return job.handed_over_at is None and job.promise.until < clock


def _promise(clock: datetime, job: Job) -> str:
    on, at = job.promise.on, job.promise.by
    days = (on - clock.date()).days
    name = f"{on:%a} {on.day} {on:%b}"
    by = "" if at is None else f" by {clock_text(at)}"
    if job.handed_over_at is not None:
        return f"was promised {name}{by}"
    if days < 0:
        return f"promised {name}{by}, {-days} day{'s' if days < -1 else ''} late"
    late = ", late" if _is_late(clock, job) else ""
    return f"promised {'today' if days == 0 else 'tomorrow' if days == 1 else name}{by}{late}"
