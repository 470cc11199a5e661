"""A job's days on the Floor, as a small picture."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

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
    """Two weeks around today; `words` says the same in a sentence."""

    width: float
    day_width: float
    days: tuple[Day, ...]
    today_x: float
    promised_x: float | None
    words: str
    late: bool


def draw_days(today: date, received_on: date, promised_on: date, *, done: bool) -> DayStrip:
    """The strip of a job: the days it is in the shop, today, and the day it is promised."""
    first = today - timedelta(days=_BACK)
    days = []
    for place in range(_DAYS):
        day = first + timedelta(days=place)
        kind = "stay" if received_on <= day <= promised_on else "free"
        if day.weekday() >= 5:  # noqa: PLR2004  Saturday and Sunday
            kind += " weekend"
        days.append(Day(place * _DAY_W, str(day.day), kind))
    ahead = (promised_on - first).days
    return DayStrip(
        width=_DAYS * _DAY_W,
        day_width=_DAY_W,
        days=tuple(days),
        today_x=_BACK * _DAY_W,
        promised_x=ahead * _DAY_W if 0 <= ahead < _DAYS else None,
        words=_promise(today, promised_on, done=done),
        late=not done and promised_on < today,
    )


def _promise(today: date, promised_on: date, *, done: bool) -> str:
    days = (promised_on - today).days
    name = f"{promised_on:%a} {promised_on.day} {promised_on:%b}"
    if done:
        return f"was promised {name}"
    if days < 0:
        return f"promised {name}, {-days} day{'s' if days < -1 else ''} late"
    return f"promised {'today' if days == 0 else 'tomorrow' if days == 1 else name}"
