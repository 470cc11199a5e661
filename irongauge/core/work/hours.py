"""Hours of work as people write them, and as windows of minutes from a moment on."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from irongauge.errors import EntryError, quoted

__all__ = ["USUAL_HOURS", "Shift", "clock_from", "clock_text", "hours_from", "hours_text", "windows_of"]

_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_TIME = re.compile(
    r"(?P<hour>\d{1,2})(?:\s?[:.h]\s?(?P<minute>\d{2})?(?::00)?)?\s*(?P<half>[ap]\.?m\.?)?(?:\s*(?:o.?clock|uhr|h))?",
    re.IGNORECASE,
)
_DAY_PART = re.compile(
    r"^\s*(?P<first>[a-z]{2,9})(?:\s*(?:-|–|to)\s*(?P<last>[a-z]{2,9}))?\s+(?P<rest>.+)$", re.IGNORECASE
)
_DAY_MIN = 24 * 60  # minutes


@dataclass(frozen=True, order=True)
class Shift:
    """A stretch of work on a weekday, 0 for Monday, in minutes of the day."""

    weekday: int
    first_min: int
    last_min: int


USUAL_HOURS = tuple(
    Shift(day, *span) for day in range(5) for span in ((450, 720), (765, 990))
)  # 7:30–12:00, 12:45–16:30


def hours_from(typed: str) -> tuple[Shift, ...]:
    """Hours such as `Mon-Fri 7:30-12:00, 12:45-16:30; Sat 8-12`; `EntryError` says what cannot be read. Nothing is no hours."""
    found: list[Shift] = []
    for part in re.split(r"[;\n]", typed):
        if not part.strip():
            continue
        match = _DAY_PART.match(part)
        if match is None:
            raise EntryError(
                "hours", typed, f"{quoted(part.strip())} has no days.", "Write: Mon-Fri 7:30-12:00, 12:45-16:30"
            )
        first = _weekday(match["first"], typed)
        last = first if match["last"] is None else _weekday(match["last"], typed)
        days = range(first, last + 1) if last >= first else (*range(first, 7), *range(last + 1))
        spans = [_span(span, typed) for span in match["rest"].split(",") if span.strip()]
        found += [Shift(day, a, b) for day in days for a, b in spans]
    found.sort()
    for one, other in pairwise(found):
        if one.weekday == other.weekday and other.first_min < one.last_min:
            raise EntryError("hours", typed, f"Two stretches on {_DAYS[one.weekday]} overlap.", "Write each once.")
    return tuple(found)


def _weekday(word: str, typed: str) -> int:
    found = [n for n, name in enumerate(_DAYS) if word[:2].lower() == name[:2].lower()]
    if not found:
        raise EntryError("hours", typed, f"{quoted(word)} is no day.", f"Write one of: {', '.join(_DAYS)}.")
    return found[0]


def _span(text: str, typed: str) -> tuple[int, int]:
    ends = re.split(r"\s*(?:-|–|to)\s*", text.strip())
    minutes = [minute for end in ends if (minute := _minute_of(end)) is not None]
    if len(ends) != 2 or len(minutes) != 2 or not 0 <= minutes[0] < minutes[1] <= _DAY_MIN:  # noqa: PLR2004
        raise EntryError("hours", typed, f"{quoted(text.strip())} is no stretch of a day.", "Write: 7:30-12:00")
    return minutes[0], minutes[1]


def _minute_of(typed: str) -> int | None:
    """The minute of the day of a time as people write it, by 24 hours or with am and pm; None where it is none."""
    words = {"noon": 12 * 60, "midday": 12 * 60, "midnight": _DAY_MIN}
    match = _TIME.fullmatch(typed.strip())
    if match is None:
        return words.get(typed.strip().lower())
    hour, minute, half = int(match["hour"]), int(match["minute"] or 0), (match["half"] or "").lower()
    if half:
        if not 1 <= hour <= 12:  # noqa: PLR2004
            return None
        hour = hour % 12 + (12 if half.startswith("p") else 0)
    found = hour * 60 + minute
    return found if minute < 60 and found <= _DAY_MIN else None  # noqa: PLR2004


def clock_from(typed: str, field: str = "") -> time | None:
    """A time of day such as `14:30`, `14.30`, `2 pm` or `noon`, or nothing; `EntryError` says what cannot be read."""
    if not typed.strip():
        return None
    minute = _minute_of(typed)
    if minute is None or minute >= _DAY_MIN:
        raise EntryError(field, typed, f"{quoted(typed.strip())} is no time of day.", "Write it as 14:30 or 2:30 pm.")
    return time(*divmod(minute, 60))


def clock_text(moment: time) -> str:
    """A time of day as the shop writes it: 14:30."""
    return _clock(moment.hour * 60 + moment.minute)


def hours_text(hours: Sequence[Shift]) -> str:
    """Hours as they are typed, days with the same ones together."""
    by_day = {day: tuple((s.first_min, s.last_min) for s in hours if s.weekday == day) for day in range(7)}
    parts, day = [], 0
    while day < len(_DAYS):
        last = day
        while last + 1 < len(_DAYS) and by_day[last + 1] == by_day[day]:
            last += 1
        if by_day[day]:
            days = _DAYS[day] if last == day else f"{_DAYS[day]}-{_DAYS[last]}"
            spans = ", ".join(f"{_clock(a)}-{_clock(b)}" for a, b in by_day[day])
            parts.append(f"{days} {spans}")
        day = last + 1
    return "; ".join(parts)


def _clock(minute: int) -> str:
    return f"{minute // 60}:{minute % 60:02d}"


def windows_of(
    hours: Sequence[Shift], start: datetime, days: int, timezone: str, off: Sequence[date] = ()
) -> tuple[tuple[int, int], ...]:
    """The stretches of work as minutes from `start` on, for so many days; `off` are days on which nobody works."""
    zone = ZoneInfo(timezone)
    first_day = start.astimezone(zone).date()
    found = []
    for n in range(days):
        day = first_day + timedelta(days=n)
        midnight = datetime.combine(day, time(), zone)
        for shift in sorted(hours):
            if shift.weekday != day.weekday() or day in off:
                continue
            ends = [
                int((midnight + timedelta(minutes=m) - start).total_seconds() // 60)
                for m in (shift.first_min, shift.last_min)
            ]
            if ends[1] > 0:
                found.append((max(ends[0], 0), ends[1]))
    return tuple(found)
