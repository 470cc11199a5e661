"""A log as any logger writes it: a heading with names and units, perhaps a line of units, then rows.

    # RimeLog 3.1                      Time (s);Engine speed (rpm);Oil pressure [bar]
    time,rpm,oil_p                     0,00;720;3,4
    s,1/min,bar                        0,05;718;3,4
    0.00,720,3.4

Comma, semicolon, tab or upright stroke between the columns; a point or a comma as the decimal mark; times as seconds,
milliseconds, times of day, date and time, or one rate for all rows. What is no number is no value; a column without is left out.
"""

from __future__ import annotations

import csv
import gzip
import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irongauge.core.traces.log_units import log_unit, split_heading
from irongauge.core.traces.sense_names import sense_of
from irongauge.core.traces.senses import Sense
from irongauge.errors import BadFileError, quoted
from irongauge.formats.capture_text import is_moment, rate_in, seconds_of
from irongauge.formats.columns import AmbiguousCommasError, Layout, cells_of, is_number, sniff
from irongauge.formats.logs import LEAST_ROWS, LONGEST_S, MOST_CHANNELS, RawChannel, RawLog, named_apart, rising, spread

if TYPE_CHECKING:
    import polars as pl
    from numpy.typing import NDArray

    Times = NDArray[np.float64]

__all__ = ["TIME_UNITS", "read_log_csv"]

TIME_UNITS = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "min": 60.0}
_DAYS, _DAY_S = (20_000.0, 80_000.0), 86_400.0  # since 1900, as tables of figures count: 1954 to 2119
_QUICK_DAYS = 2e-4  # 17 s: a time that begins among those days and goes on by less is in days
_UNIT_WORDS = {
    "sec": "s", "secs": "s", "seconds": "s", "second": "s", "msec": "ms", "milliseconds": "ms", "us": "µs", "usec": "µs",
    "minutes": "min", "μs": "µs",
}  # fmt: skip
_TIME_NAMES = {
    "time", "t", "timestamp", "zeit", "elapsed", "timestamps", "date", "datetime", "time stamp", "clock", "log time",
    "elapsed time", "temps", "tiempo", "tempo", "время", "offset", "rel time", "relative time",
}  # fmt: skip
_HEAD, _HEAD_LINES = 400_000, 300
_MOST_BYTES = 2_000_000_000
_PIECE = 1 << 20
_EPOCH_S, _EPOCH_MS = 5e8, 5e11  # from here on a time counts from 1970: in seconds, in milliseconds
_SLOWEST_S, _QUICKEST_MS = 3.0, 4.0  # between two rows, from which a time without its unit is told to be s or ms


@dataclass(frozen=True, kw_only=True)
class _Plan:
    """How the rows are read: what parts them, the first of them, and of each column the name and unit."""

    mark: str
    first: int
    comma: bool
    width: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    time_at: int | None
    step_s: float | None


def read_log_csv(name: str, path: Path, *, time_unit: str = "") -> RawLog:
    """Read a log; `BadFileError` names the file, what is wrong with it, and what would do. `time_unit` says what it does not."""
    import polars as pl

    plain = _plain(name, path)
    with plain.open("rb") as file:
        head = file.read(_HEAD)
    whole_head = len(head) < _HEAD
    lines = _decoded(head).splitlines() or [""]
    lines = (lines if whole_head else lines[:-1])[:_HEAD_LINES]
    plan = _plan(name, lines)
    text_at = [] if plan.time_at is None else [plan.time_at]
    by_hand = plan.comma and plan.mark == ","
    schema = {f"c{at}": pl.String if at in text_at or by_hand else pl.Float32 for at in range(plan.width)}
    try:
        frame = pl.read_csv(
            plain,
            has_header=False,
            skip_rows=plan.first,
            separator=plan.mark,
            schema=schema,
            ignore_errors=True,  # what is no number is no value
            truncate_ragged_lines=True,
            decimal_comma=plan.comma and not by_hand,
            encoding="utf8-lossy",
        )
    except (pl.exceptions.PolarsError, OSError) as error:
        raise BadFileError(name, "Its rows cannot be read.", "Save the log again as CSV.") from error
    finally:
        if plain != path:
            plain.unlink(missing_ok=True)
    if by_hand:
        plain_numbers = (
            pl.all().exclude([f"c{at}" for at in text_at]).str.strip_chars().str.replace(",", ".", literal=True)
        )
        frame = frame.with_columns(plain_numbers.cast(pl.Float32, strict=False))
    return _log_of(name, frame, plan, time_unit)


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


def _is_cell(cell: str) -> bool:
    return is_number(cell) or is_moment(cell)


def _plan(name: str, lines: Sequence[str]) -> _Plan:
    if not lines:
        raise BadFileError(
            name, f"Its first line is longer than {_HEAD:,} characters.", "Save it with a row to a line."
        )
    if not any(line.strip() for line in lines):
        raise BadFileError(name, "It is empty.", "Save the log as CSV.")
    try:
        layout = sniff(lines, _is_cell, leading=False)
    except AmbiguousCommasError as error:
        do = "Save it with semicolons between the columns, or with decimal points."
        raise BadFileError(name, str(error), do) from error
    if layout is None:
        raise BadFileError(
            name, "No rows of at least two numbers are in it.", "A log has a column of times and one for each channel."
        )
    if layout.mark == " ":
        raise BadFileError(
            name, "Only blanks are between its columns.", "Save it with commas, semicolons or tabs between them."
        )
    at, names = _heading(layout)
    if not names:
        do = "The first line names the channels, such as time (s),engine speed (rpm),oil pressure (bar)."
        raise BadFileError(name, "No line of it names its columns.", do)
    units = _units(layout, at, names)
    first = _first_row(layout, lines, at)
    body = [cells_of(line, layout.mark) for line in lines[first:] if line.strip()]
    time_at = _time_at(names, units, body)
    step = None if time_at is not None else rate_in([" ".join(row) for row in layout.headings])
    if time_at is None and step is None:
        raise BadFileError(
            name,
            "None of its columns has times that rise.",
            "A log needs a column of times, or its rate in the heading.",
        )
    comma = any("," in cell and is_number(cell) for row in body[:50] for cell in row)
    return _Plan(
        mark=layout.mark,
        first=first,
        comma=comma,
        width=max(
            len(names), *(len(next(csv.reader([line], delimiter=layout.mark))) for line in lines[first : first + 50])
        ),
        names=names,
        units=units,
        time_at=time_at,
        step_s=None if step is None else 1 / step,
    )


def _heading(layout: Layout) -> tuple[int, tuple[str, ...]]:
    """Which line of the heading names the columns, and the names: the one with most words, for nearly half of the columns."""
    best = 0
    found: tuple[int, tuple[str, ...]] = (0, ())
    for at, row in enumerate(layout.headings):
        words = min(sum(bool(cell) and not _is_cell(cell) for cell in row), layout.width)
        if words > max(best, 1, 0.4 * layout.width - 1) and any(log_unit(cell) is None for cell in row if cell):
            best, found = words, (at, tuple(cell.lstrip("#").strip() for cell in row))
    return found


def _first_row(layout: Layout, lines: Sequence[str], heading_at: int) -> int:
    """The first row of values behind the heading: a channel may be silent at first, so that its rows are shorter."""
    for at in range(heading_at + 1, layout.first):
        cells = [cell for cell in cells_of(lines[at], layout.mark) if cell]
        values = sum(_is_cell(cell) for cell in cells)
        if values and values >= len(cells) / 2:
            return at
    return layout.first


def _units(layout: Layout, at: int, names: tuple[str, ...]) -> tuple[str, ...]:
    """The units of a line behind the names, where most of its cells are some; empty where none is."""
    for row in layout.headings[at + 1 :]:
        cells = [cell.strip("[]() ") for cell in row]
        known = [cell for cell in cells if cell and (log_unit(cell) is not None or _time_unit(cell))]
        if known and len(known) >= 0.4 * len([cell for cell in cells if cell]):
            return tuple((*cells, *[""] * len(names))[: len(names)])
    return ("",) * len(names)


def _time_unit(text: str) -> str:
    word = text.strip("[]() ").casefold()
    return word if word in TIME_UNITS else _UNIT_WORDS.get(word, "")


def _time_at(names: Sequence[str], units: Sequence[str], body: Sequence[Sequence[str]]) -> int | None:
    """The column of times: by its name, else the first that rises throughout and is nothing else by its name or unit."""
    plain = [re.sub(r"[^\w ]", " ", split_heading(name)[0].replace("_", " ")).casefold().strip() for name in names]
    named = [at for at, word in enumerate(plain) if word in _TIME_NAMES]
    for at in named:
        if _rises([row[at] for row in body if at < len(row)]):
            return at
    for at in range(min(3, len(names))):
        name, unit = split_heading(names[at])
        known = log_unit(units[at] or unit)
        is_value = (known is not None and known.label != "ms") or sense_of(name, known) is not Sense.OTHER
        if at not in named and not is_value and _rises([row[at] for row in body if at < len(row)]):
            return at
    return None


def _rises(cells: Sequence[str]) -> bool:
    if len(cells) <= 1:
        return False
    if all(is_moment(cell) for cell in cells):
        return True
    if not all(is_number(cell) for cell in cells):
        return False
    values = [float(cell.replace(",", ".")) for cell in cells]
    falls = sum(b < a for a, b in pairwise(values))
    return values[-1] > values[0] and falls <= len(values) / 50 and len(set(values)) > len(values) / 5


# Rows


def _log_of(name: str, frame: pl.DataFrame, plan: _Plan, time_unit: str) -> RawLog:
    if frame.height < LEAST_ROWS:
        raise BadFileError(name, f"It has {frame.height} rows.", f"A log has at least {LEAST_ROWS}.")
    if plan.time_at is None:
        assert plan.step_s is not None  # else the plan was refused
        time_s, started_at = np.arange(frame.height, dtype=np.float64) * plan.step_s, None
        said = f"one row each {plan.step_s:g} s"
    else:
        time_s, started_at, said = _times(name, frame[f"c{plan.time_at}"], plan, time_unit)
    keep = rising(time_s)
    time_s = time_s if keep is None else spread(time_s[keep])
    if len(time_s) < LEAST_ROWS:
        raise BadFileError(name, "Its times do not rise.", "Save one drive to a file.")
    if time_s[-1] - time_s[0] > LONGEST_S:
        raise BadFileError(name, f"Its times go over {time_s[-1] - time_s[0]:.3g} s.", "Say the unit of its times.")
    time_s = time_s - time_s[0]
    channels, empty = [], []
    for at, heading in enumerate(plan.names):
        if at == plan.time_at or not heading or at >= plan.width:
            continue
        own = frame[f"c{at}"]
        label, unit = split_heading(heading)
        if own.null_count() == frame.height:
            empty.append(label)
            continue
        value = own.to_numpy()
        channels.append(
            RawChannel(
                label[:80] or f"Column {at + 1}",
                (plan.units[at] or unit)[:20],
                time_s,
                value if keep is None else value[keep],
            )
        )
    if not channels:
        raise BadFileError(name, "None of its columns has numbers.", "Save the log again as CSV.")
    if len(channels) > MOST_CHANNELS:
        raise BadFileError(name, f"It has {len(channels)} channels.", f"At most {MOST_CHANNELS} are taken in.")
    note = f"{frame.height:,} rows; time in {said}"
    left_out = 0 if keep is None else frame.height - len(keep)
    note += f"; {left_out:,} rows left out, whose times go back or are none" if left_out else ""
    note += f"; without numbers: {', '.join(empty[:8])}" if empty else ""
    return RawLog(named_apart(channels), started_at, note)


def _times(name: str, cells: pl.Series, plan: _Plan, time_unit: str) -> tuple[Times, datetime | None, str]:
    """Times in s as they stand, when the log began, and how they were read."""
    import polars as pl

    assert plan.time_at is not None
    first = next((cell for cell in cells.head(50) if cell), "")
    if is_moment(first):
        moments = seconds_of(cells)
        return moments, _started(first), "times of day"
    plain = cells.str.strip_chars()
    plain = plain.str.replace(",", ".", literal=True) if plan.comma else plain
    values = plain.cast(pl.Float64, strict=False).to_numpy().astype(np.float64)
    if not np.isfinite(values).any():
        raise BadFileError(
            name, f"Its times, such as {quoted(first)}, cannot be read.", "Times are seconds, h:mm:ss or date and time."
        )
    written = _time_unit(plan.units[plan.time_at]) or _time_unit(split_heading(plan.names[plan.time_at])[1])
    if not time_unit and not written and _is_in_days(values):
        return values * _DAY_S, _DAY_ZERO + timedelta(days=float(values[np.isfinite(values)][0])), "days"
    unit = time_unit or written or _guessed(name, values)
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


_DAY_FIRST = re.compile(r"(\d{1,2})([./-])(\d{1,2})[./-](\d{4}),?[T ]+(.*)")


def _started(first: str) -> datetime | None:
    """When a log began; None where its date is missing, or may be of two days: 3/4/2031."""
    text = first.strip().replace(",", ".")
    dated = _DAY_FIRST.fullmatch(text)
    if dated is not None:
        a, mark, b, year, clock = dated.groups()
        is_american = mark == "/" and int(b) > 12 >= int(a)  # noqa: PLR2004  months
        if mark == "/" and int(a) <= 12 and int(b) <= 12 and a != b:  # noqa: PLR2004  months
            return None
        day, month = (b, a) if is_american else (a, b)
        text = f"{year}-{int(month):02d}-{int(day):02d} {clock}"
    try:
        moment = datetime.fromisoformat(text.replace("/", "-").replace(" ", "T", 1))
    except ValueError:
        return None
    return moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)
