"""A record of a drive: a GPX track, or a table of times with speeds or places.

    time;speed (km/h)          2026-11-20T09:00:01Z,54.1203,-3.2311
    0,0;48,3                   2026-11-20T09:00:02Z,54.1205,-3.2311

Comma, semicolon or tab between the columns, a point or a comma as the decimal mark; times as seconds, as h:mm:ss, or as date and
time; speeds in km/h, mph or m/s by the heading; places as degrees under lat and lon.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from irongauge.core.pulses.track import Track, speed_from_places
from irongauge.errors import BadFileError, quoted
from irongauge.formats.columns import IN_BRACKETS, AmbiguousCommasError, cells_of, is_number, number_of, sniff

__all__ = ["read_drive"]

_LATEST_S = 1e11  # since 1970 or since the start; far beyond, sums cannot hold seconds apart
_MOST_ROWS = 500_000
_HEAD_LINES = 60  # in which the heading must stand
_LEAST_ROWS = 20
_UNITS = {
    "mph": 1.609344, "mi/h": 1.609344, "km/h": 1.0, "kmh": 1.0, "kph": 1.0, "m/s": 3.6,
    "kn": 1.852, "kt": 1.852, "kts": 1.852, "knot": 1.852, "knots": 1.852,
}  # fmt: skip
_UNIT_WORD = re.compile(r"[a-z]+(?:/[a-z]+)?")
_MS = re.compile(r"[\[(]\s*ms\s*[\])]")
_DATE = re.compile(r"\d{4}-\d\d-\d\d")
_CLOCK = re.compile(r"(?:(\d+):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)")
_TIME, _SPEED, _LAT, _LON = ("time", "t", "timestamp", "zeit", "date"), ("speed", "v", "velocity"), ("lat", "latitude"), (
    "lon", "long", "lng", "longitude",
)  # fmt: skip


def read_drive(name: str, content: bytes) -> Track:
    """The speeds of a drive; `BadFileError` names the file, what is wrong with it, and what would do."""
    head = content[:2000].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if head.startswith((b"<?xml", b"<gpx")):
        return _from_gpx(name, content)
    if b"\0" in head:
        raise BadFileError(name, "It is not text.", "Save it as GPX or as CSV.")
    return _from_table(name, content.decode("utf-8-sig", "replace"))


def _from_gpx(name: str, content: bytes) -> Track:
    import gpxpy
    import gpxpy.gpx

    if b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise BadFileError(name, "It declares entities, which no track needs.", "Export the track again.")
    try:
        track = gpxpy.parse(content.decode("utf-8-sig"))
    except (gpxpy.gpx.GPXException, UnicodeDecodeError, ValueError) as error:
        raise BadFileError(name, "It is not GPX that can be read.", "Export the track again.") from error
    points = [p for t in track.tracks for s in t.segments for p in s.points if p.time is not None][: _MOST_ROWS + 1]
    moments = [_utc(p.time) for p in points if p.time is not None]
    return _track(name, moments, [], [(p.latitude, p.longitude) for p in points], has_clock=True)


def _utc(moment: datetime) -> float:
    return (moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)).timestamp()


@dataclass(frozen=True, kw_only=True)
class _Columns:
    time: int
    speed: int | None
    lat: int | None
    lon: int | None
    kmh: float
    time_scale: float


def _from_table(name: str, text: str) -> Track:
    lines = text.splitlines()[: _MOST_ROWS + 100]
    try:
        layout = sniff(lines[:_HEAD_LINES], _is_value, leading=False)
    except AmbiguousCommasError as error:
        raise BadFileError(
            name, str(error), "Save it with semicolons between the columns, or with decimal points."
        ) from error
    mark = "," if layout is None else layout.mark
    rows = [cells_of(line, mark) for line in lines]
    try:
        at = next((n for n, row in enumerate(rows[:_HEAD_LINES]) if _columns(row) is not None), None)
    except _UnknownUnitError as error:
        problem = f"{quoted(str(error))} is in a unit that is not known here."
        raise BadFileError(name, problem, f"Speeds may be in {', '.join(_UNITS)}.") from error
    if at is None:
        problem = "No line of it names its columns."
        raise BadFileError(name, problem, "It needs a heading such as time,speed (km/h) or time,lat,lon.")
    columns = _columns(rows[at])
    assert columns is not None  # it was found just now
    moments: list[float] = []
    speeds: list[float] = []
    places: list[tuple[float, float]] = []
    has_clock = False
    for number, row in enumerate(rows[at + 1 :], at + 2):
        if not any(cell.strip() for cell in row):
            continue
        moment, is_clock = _moment(name, number, _cell(row, columns.time))
        has_clock = has_clock or is_clock
        moments.append(moment if is_clock else moment * columns.time_scale)
        if columns.speed is not None:
            speeds.append(_number(name, number, _cell(row, columns.speed)) * columns.kmh)
        elif columns.lat is not None and columns.lon is not None:
            places.append(
                (_number(name, number, _cell(row, columns.lat)), _number(name, number, _cell(row, columns.lon)))
            )
    return _track(name, moments, speeds, places, has_clock=has_clock)


def _is_value(cell: str) -> bool:
    return is_number(cell) or _CLOCK.fullmatch(cell) is not None or _DATE.match(cell) is not None


def _columns(row: Sequence[str]) -> _Columns | None:
    """Which column is which, or None for a line that is no heading."""
    words = [re.findall(r"[a-z]+", cell.casefold()) for cell in row]

    def first(names: Sequence[str]) -> int | None:
        return next((at for at, cell in enumerate(words) if set(cell) & set(names)), None)

    time, speed, lat, lon = first(_TIME), first(_SPEED), first(_LAT), first(_LON)
    if speed is None:
        speed = next((at for at, cell in enumerate(row) if _kmh_of(cell) is not None), None)
    if time is None or (speed is None and (lat is None or lon is None)):
        return None
    kmh = 1.0 if speed is None else _kmh_of(row[speed])
    if kmh is None and speed is not None and IN_BRACKETS.search(row[speed]) is not None:
        raise _UnknownUnitError(row[speed])
    return _Columns(
        time=time,
        speed=speed,
        lat=lat,
        lon=lon,
        kmh=1.0 if kmh is None else kmh,
        time_scale=1e-3 if _MS.search(row[time].casefold()) else 1.0,
    )


class _UnknownUnitError(ValueError):
    """The heading of the speeds names a unit that is none of ours."""


def _kmh_of(heading: str) -> float | None:
    """Km/h in one of the unit that a heading names; None where it names none."""
    words = _UNIT_WORD.findall(heading.casefold())
    return next((_UNITS[word] for word in words if word in _UNITS), None)


def _cell(row: Sequence[str], at: int) -> str:
    return row[at].strip() if at < len(row) else ""


def _number(name: str, number: int, cell: str) -> float:
    try:
        return number_of(cell)
    except ValueError:
        problem = f"Row {number} has {quoted(cell)} where a number should be."
        raise BadFileError(name, problem, "Save it again, or take that row out.") from None


def _moment(name: str, number: int, cell: str) -> tuple[float, bool]:
    """A time in s, and whether it is of a clock that others share."""
    clock = _CLOCK.fullmatch(cell)
    if clock is not None:
        hours, minutes, seconds = clock.groups()
        return int(hours or 0) * 3600 + int(minutes) * 60 + float(seconds.replace(",", ".")), False
    if "-" in cell[1:] or "T" in cell:
        try:
            return _utc(datetime.fromisoformat(cell)), True
        except ValueError:
            problem = f"Row {number} has {quoted(cell)} where a time should be."
            raise BadFileError(name, problem, "Times are seconds, h:mm:ss, or 2026-11-20T09:00:01Z.") from None
    return _number(name, number, cell), False


def _track(
    name: str, moments: list[float], speeds: list[float], places: list[tuple[float, float]], *, has_clock: bool
) -> Track:

    if len(moments) > _MOST_ROWS:
        raise BadFileError(name, f"It has more than {_MOST_ROWS:,} rows.", "Save the drive alone.")
    if len(moments) < _LEAST_ROWS:
        raise BadFileError(name, f"It has {len(moments)} timed rows.", f"A drive has at least {_LEAST_ROWS}.")
    time_s = np.array(moments)
    values = np.array(speeds or places, dtype=float)
    if not (np.isfinite(time_s).all() and np.isfinite(values).all()):
        raise BadFileError(name, "Some of its rows are not numbers.", "Save it again.")
    if np.abs(time_s).max() > _LATEST_S:
        raise BadFileError(name, f"Its times go to {np.abs(time_s).max():.4g} s.", "A drive is timed in seconds.")
    if places and np.any(np.abs(values) > (90.0, 180.0)):
        raise BadFileError(
            name, "It has a latitude beyond 90° or a longitude beyond 180°.", "Check which column is which."
        )
    rises = np.concatenate(([True], np.diff(np.maximum.accumulate(time_s)) > 0))  # the same moment twice counts once
    time_s, values = time_s[rises], values[rises]
    if len(time_s) < _LEAST_ROWS:
        raise BadFileError(name, "Its times do not rise.", "Save one drive to a file.")
    speed_kmh = values if speeds else speed_from_places(time_s, values[:, 0], values[:, 1])
    return Track(time_s, speed_kmh, has_clock)
