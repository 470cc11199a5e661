"""A log as any logger writes it: a heading with names and units, perhaps a line of units, then rows.

    # RimeLog 3.1                      Time (s);Engine speed (rpm);Oil pressure [bar]
    time,rpm,oil_p                     0,00;720;3,4
    s,1/min,bar                        0,05;718;3,4
    0.00,720,3.4

Comma, semicolon, tab or upright stroke between the columns; a point or a comma as the decimal mark; times as seconds,
milliseconds, times of day, date and time, or one rate for all rows. What is no number is no value; a column without is left out.
"""

from __future__ import annotations

import gzip
import re
import zlib
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irongauge.core.traces.log_units import log_unit, split_heading
from irongauge.errors import BadFileError, quoted
from irongauge.formats.capture_text import is_moment, seconds_of
from irongauge.formats.log_headings import HEAD_BYTES, TIME_UNITS, LogPlan, plan_of, time_unit_of
from irongauge.formats.logs import LEAST_ROWS, LONGEST_S, MOST_CHANNELS, RawChannel, RawLog, named_apart, rising, spread
from irongauge.formats.number_styles import NumberStyle, as_number

if TYPE_CHECKING:
    import polars as pl
    from numpy.typing import NDArray

    Times = NDArray[np.float64]

__all__ = ["read_log_csv"]

_DAYS, _DAY_S = (20_000.0, 80_000.0), 86_400.0  # since 1900, as tables of figures count: 1954 to 2119
_QUICK_DAYS = 2e-4  # 17 s: a time that begins among those days and goes on by less is in days
_HEAD_LINES = 300
_MOST_BYTES = 2_000_000_000
_PIECE = 1 << 20
_EPOCH_S, _EPOCH_MS = 5e8, 5e11  # from here on a time counts from 1970: in seconds, in milliseconds
_SLOWEST_S, _QUICKEST_MS = 3.0, 4.0  # between two rows, from which a time without its unit is told to be s or ms


def read_log_csv(
    name: str, path: Path, *, time_unit: str = "", units_by_logger: Mapping[str, str] | None = None
) -> RawLog:
    """Read a log; `BadFileError` names the file, what is wrong with it, and what would do. `time_unit` says what it does not;
    where it is empty, `units_by_logger` may know what the times of such files are in.
    """
    import polars as pl

    plain = _plain(name, path)
    with plain.open("rb") as file:
        head = file.read(HEAD_BYTES)
    whole_head = len(head) < HEAD_BYTES
    lines = _decoded(head).splitlines() or [""]
    lines = (lines if whole_head else lines[:-1])[:_HEAD_LINES]
    plan = plan_of(name, lines)
    schema = {f"c{at}": pl.String if at in plan.times_at or plan.is_text else pl.Float32 for at in range(plan.width)}
    try:
        frame = pl.read_csv(
            plain,
            has_header=False,
            skip_rows=plan.first,
            separator=plan.mark,
            schema=schema,
            ignore_errors=True,  # what is no number is no value
            truncate_ragged_lines=True,
            missing_columns="insert",  # cells at the end of a row that a logger left out
            decimal_comma=NumberStyle.COMMA in plan.styles and not plan.is_text,
            encoding="utf8-lossy",
        )
    except (pl.exceptions.PolarsError, OSError) as error:
        raise BadFileError(name, "Its rows cannot be read.", "Save the log again as CSV.") from error
    finally:
        if plain != path:
            plain.unlink(missing_ok=True)
    if plan.is_text:
        kept = {*plan.times_at, *(() if plan.long is None else (plan.long.name_at, plan.long.unit_at))}
        numbers = (as_number(pl.col(f"c{at}"), plan.styles[at]) for at in range(plan.width) if at not in kept)
        frame = frame.with_columns(cells.cast(pl.Float32, strict=False) for cells in numbers)
    return _log_of(name, frame, plan, time_unit, (units_by_logger or {}).get(plan.logger, ""))


# From the file to plain text


def _plain(name: str, path: Path) -> Path:
    """The file as plain UTF-8 with one mark between cells: itself where it is that already, else a file beside it."""
    with path.open("rb") as file:
        head = file.read(4096)
    if head.startswith(b"\x1f\x8b"):
        path = _unpacked(name, path)
        with path.open("rb") as file:
            head = file.read(4096)
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        beside = path.with_suffix(".utf8")
        with path.open(encoding="utf-16", errors="replace") as old, beside.open("w", encoding="utf-8") as new:
            while piece := old.read(_PIECE):
                new.write(piece)
        return beside
    if b"\r" in head and b"\n" not in head:
        beside = path.with_suffix(".lines")
        with path.open("rb") as old, beside.open("wb") as rows:
            while part := old.read(_PIECE):
                rows.write(part.replace(b"\r", b"\n"))
        return beside
    if b"\0" in head:
        raise BadFileError(
            name, "It is not text.", "Save it as CSV, or hand in the MDF 4 file or the CAN trace itself."
        )
    return path


def _unpacked(name: str, path: Path) -> Path:
    beside, size = path.with_suffix(".plain"), 0
    try:
        with gzip.open(path) as packed, beside.open("wb") as new:
            while piece := packed.read(_PIECE):
                size += len(piece)
                if size > _MOST_BYTES:
                    raise BadFileError(
                        name, f"It holds more than {_MOST_BYTES // 1_000_000_000} GB of text.", "Part the log."
                    )
                new.write(piece)
    except (OSError, EOFError, zlib.error) as error:
        raise BadFileError(name, "It is a compressed file that breaks off or is damaged.", "Save it again.") from error
    return beside


# Headings


def _decoded(head: bytes) -> str:
    """Headings as they were written: programs of the trade write them in UTF-8 or in the code page of Western Windows."""
    try:
        return head.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        # What is cut off in the middle of a character is no other code page.
        return head.decode("utf-8-sig" if error.start > len(head) - 4 else "cp1252", "replace")


# Rows


@dataclass(frozen=True)
class _Base:
    """Times of some rows in s, and which rows of the table those are, in order; all where None."""

    time_s: Times
    keep: NDArray[np.int64] | None

    def of(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        return values if self.keep is None else values[self.keep]


def _log_of(name: str, frame: pl.DataFrame, plan: LogPlan, time_unit: str, usual_unit: str) -> RawLog:
    if frame.height < LEAST_ROWS:
        raise BadFileError(name, f"It has {frame.height} rows.", f"A log has at least {LEAST_ROWS}.")
    taken = ""
    if not plan.times_at:
        assert plan.step_s is not None  # else the plan was refused
        bases, started_at = {-1: _base(name, np.arange(frame.height, dtype=np.float64) * plan.step_s)}, None
        said = f"one row each {plan.step_s:g} s"
    else:
        read = {at: _times(name, frame[f"c{at}"], plan, (time_unit, usual_unit), at) for at in plan.times_at}
        _, started_at, said = read[plan.times_at[0]]
        taken = said if said in TIME_UNITS and not time_unit and not _written(plan, plan.times_at[0]) else ""
        bases = {at: _base(name, time_s) for at, (time_s, _, _) in read.items()}
    zero_s = min(float(base.time_s[0]) for base in bases.values())
    bases = {at: replace(base, time_s=base.time_s - zero_s) for at, base in bases.items()}
    channels, empty = (
        _long_channels(frame, plan, bases[plan.times_at[0]]) if plan.long else _channels(frame, plan, bases)
    )
    if not channels:
        raise BadFileError(name, "None of its columns has numbers.", "Save the log again as CSV.")
    if len(channels) > MOST_CHANNELS:
        raise BadFileError(name, f"It has {len(channels)} channels.", f"At most {MOST_CHANNELS} are taken in.")
    note = f"{frame.height:,} rows; time in {said}"
    first = next(iter(bases.values()))
    left_out = 0 if first.keep is None else frame.height - len(first.keep)
    note += f"; {left_out:,} rows left out, whose times go back or are none" if left_out else ""
    note += f"; without numbers: {', '.join(empty[:8])}" if empty else ""
    return RawLog(named_apart(channels), started_at, note, plan.logger, taken)


def _written(plan: LogPlan, at: int) -> str:
    """The unit of times that stands in the file."""
    return time_unit_of(plan.units[at]) or time_unit_of(split_heading(plan.names[at])[1])


def _base(name: str, time_s: Times) -> _Base:
    keep = rising(time_s)
    time_s = time_s if keep is None else spread(time_s[keep])
    if len(time_s) < LEAST_ROWS:
        raise BadFileError(name, "Its times do not rise.", "Save one drive to a file.")
    if time_s[-1] - time_s[0] > LONGEST_S:
        raise BadFileError(name, f"Its times go over {time_s[-1] - time_s[0]:.3g} s.", "Say the unit of its times.")
    return _Base(time_s, keep)


def _channels(frame: pl.DataFrame, plan: LogPlan, bases: Mapping[int, _Base]) -> tuple[list[RawChannel], list[str]]:
    """A channel for each column with numbers, on the times that stand nearest before it; and the names of those without."""
    channels, empty = [], []
    bare = Counter(split_heading(heading)[0] for heading in plan.names)
    for at, heading in enumerate(plan.names):
        if at in plan.times_at or not heading or at >= plan.width:
            continue
        own = frame[f"c{at}"]
        label, unit = split_heading(heading)
        if bare[label] > 1 and unit and log_unit(unit) is None:
            label, unit = heading, ""  # Speed and Speed (dash): what is no unit tells the two apart
        if own.null_count() == frame.height:
            empty.append(label)
            continue
        base = bases[max((b for b in bases if b < at), default=min(bases))]
        label = label[:80] or f"Column {at + 1}"
        channels.append(RawChannel(label, (plan.units[at] or unit)[:20], base.time_s, base.of(own.to_numpy())))
    return channels, empty


def _long_channels(frame: pl.DataFrame, plan: LogPlan, base: _Base) -> tuple[list[RawChannel], list[str]]:
    """A channel for each name of a table that has a row for each value."""
    assert plan.long is not None
    names = frame[f"c{plan.long.name_at}"].fill_null("").str.strip_chars().to_numpy()
    values = frame[f"c{plan.long.value_at}"].to_numpy()
    units = None if plan.long.unit_at is None else frame[f"c{plan.long.unit_at}"].fill_null("").to_numpy()
    rows = np.arange(frame.height) if base.keep is None else base.keep
    channels, empty = [], []
    for name in dict.fromkeys(str(n) for n in names[rows] if n):
        own = np.flatnonzero(names[rows] == name)
        label, unit = split_heading(name)
        if len(own) <= 1 or not np.isfinite(values[rows[own]]).any():
            empty.append(label)
            continue
        unit = unit if units is None else str(units[rows[own[0]]]).strip()
        channels.append(RawChannel(label[:80], unit[:20], base.time_s[own], values[rows[own]]))
    return channels, empty


def _times(
    name: str, cells: pl.Series, plan: LogPlan, units: tuple[str, str], at: int
) -> tuple[Times, datetime | None, str]:
    """Times in s as they stand, when the log began, and how they were read; `units` are what was told of this file, and what is
    known of the logger's others.
    """
    import polars as pl

    time_unit, usual_unit = units
    first = next((cell for cell in cells.head(50) if cell), "")
    if is_moment(first):
        moments = seconds_of(cells)
        return moments, _started(first), "times of day"
    plain = cells.to_frame("t").select(as_number(pl.col("t"), plan.styles[at]))["t"]
    values = plain.cast(pl.Float64, strict=False).to_numpy().astype(np.float64)
    if not np.isfinite(values).any():
        raise BadFileError(
            name, f"Its times, such as {quoted(first)}, cannot be read.", "Times are seconds, h:mm:ss or date and time."
        )
    written = _written(plan, at)
    if not time_unit and not written and _is_in_days(values):
        return values * _DAY_S, _DAY_ZERO + timedelta(days=float(values[np.isfinite(values)][0])), "days"
    unit = time_unit or written or usual_unit or _guessed(name, values)
    time_s = values * TIME_UNITS[unit]
    begin = float(time_s[np.isfinite(time_s)][0])
    started_at = datetime.fromtimestamp(begin, UTC) if _EPOCH_S < begin < _EPOCH_MS else None
    return time_s, started_at, unit


_DAY_ZERO = datetime(1899, 12, 30, tzinfo=UTC)


def _is_in_days(values: Times) -> bool:
    finite = values[np.isfinite(values)]
    steps = np.diff(finite[:20_000])
    steps = steps[steps > 0]
    return bool(len(steps)) and _DAYS[0] <= finite[0] <= _DAYS[1] and float(np.median(steps)) < _QUICK_DAYS


def _guessed(name: str, values: Times) -> str:
    """The unit of times that none is written of, from how far apart they are; asked for where that does not tell."""
    steps = np.diff(values[np.isfinite(values)][:20_000])
    steps = steps[steps > 0]
    if not len(steps):
        return "s"
    step, begin = float(np.median(steps)), float(np.nanmin(values))
    if begin > _EPOCH_MS or step >= _QUICKEST_MS:
        if begin > _EPOCH_MS or (step <= 1000 and begin < _EPOCH_S):  # noqa: PLR2004
            return "ms"
    elif step <= _SLOWEST_S and (step % 1 or begin > _EPOCH_S or step == 1):
        return "s"
    raise BadFileError(
        name, f"Its times come {step:g} apart, and no unit is written.", "Say whether they are s, ms, µs or min."
    )


_MONTHS = 12
_DAY_FIRST = re.compile(r"(\d{1,2})([./-])(\d{1,2})[./-](\d{4}),?[T ]+(.*)")


def _started(first: str) -> datetime | None:
    """When a log began; None where its date is missing, or may be of two days: 3/4/2031."""
    text = first.strip().replace(",", ".")
    dated = _DAY_FIRST.fullmatch(text)
    if dated is not None:
        a, mark, b, year, clock = dated.groups()
        is_american = mark == "/" and int(b) > _MONTHS >= int(a)
        if mark == "/" and int(a) <= _MONTHS and int(b) <= _MONTHS and a != b:
            return None
        day, month = (b, a) if is_american else (a, b)
        text = f"{year}-{int(month):02d}-{int(day):02d} {clock}"
    try:
        moment = datetime.fromisoformat(text.replace("/", "-").replace(" ", "T", 1))
    except ValueError:
        return None
    return moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)
