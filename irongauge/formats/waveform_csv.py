"""A captured waveform as scopes and loggers write it: two columns, time and volts, with any heading before them.

    Time (ms);Channel A (mV)
    0,000;12,4
    0,010;13,1

Comma, semicolon, tab, upright stroke or blanks between the columns; a point or a comma as the decimal mark; times as numbers, as
clock times, or as one rate for all samples; units in the heading as people write them, or asked for. At most five million samples
are taken in, whatever the file says of itself.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import IO

import numpy as np
from numpy.typing import NDArray

from irongauge.errors import BadFileError
from irongauge.formats.capture_text import is_moment, plain_text, rate_in, seconds_of
from irongauge.formats.columns import IN_BRACKETS, AmbiguousCommasError, Layout, cells_of, is_number, number_of, sniff

__all__ = ["MOST_SAMPLES", "TIME_UNITS", "VOLT_UNITS", "Captured", "read_waveform", "write_waveform"]

MOST_SAMPLES = 5_000_000
_HEAD_LINES = 500  # settings of a scope, before the first sample
_LEAST_ROWS = 8
# Units as they are met in headings, small letters; MV is a slip of the shift key, since nothing here has a million volts.
_TIME_UNITS = dict.fromkeys(("s", "sec", "secs", "second", "seconds", "с", "сек", "секунды"), 1.0)
_TIME_UNITS |= dict.fromkeys(("ms", "msec", "msecs", "millisecond", "milliseconds", "мс", "мсек"), 1e-3)
_TIME_UNITS |= dict.fromkeys(("us", "µs", "μs", "usec", "µsec", "microsecond", "microseconds", "мкс"), 1e-6)
_TIME_UNITS |= dict.fromkeys(("ns", "nsec", "nanosecond", "nanoseconds", "нс"), 1e-9)
_VOLT_UNITS = dict.fromkeys(("v", "volt", "volts", "в", "вольт"), 1.0)
_VOLT_UNITS |= dict.fromkeys(("mv", "millivolt", "millivolts", "мв"), 1e-3)
_OTHER_UNITS = {
    "a", "ma", "hz", "khz", "rpm", "km/h", "mph", "m/s", "°c", "degc", "k", "bar", "kpa", "psi", "ohm", "ω", "%", "°",
}  # fmt: skip
_TIME_WORDS = {"time", "t", "zeit", "x-axis", "x", "время", "temps", "tiempo", "tempo", "timestamp"}
_VOLT_WORDS = {"volt", "volts", "voltage", "channel", "ch", "signal", "ampl", "u", "spannung", "напряжение", "tension"}
_UNIT_OF = re.compile(r"(?:vertical|horizontal|[xy](?:[ _-]?axis)?|time|signal|amplitude)[ _-]*units?", re.IGNORECASE)
_CHOICES = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "ns": 1e-9}, {"V": 1.0, "mV": 1e-3}
TIME_UNITS, VOLT_UNITS = (tuple(units) for units in _CHOICES)
_ENOUGH_STEPS = 100_000
_GAP = 20.0  # a step this many times the usual one is a gap


@dataclass(frozen=True)
class Captured:
    """Times from 0 in s and volts, shape (n,), and how the file was read."""

    time_s: NDArray[np.float64]
    signal_v: NDArray[np.float64]
    note: str


def read_waveform(
    name: str,
    file: IO[bytes],
    column: int | None = None,
    *,
    time_unit: str = "",
    volts_unit: str = "",
    rate_hz: float | None = None,
) -> Captured:
    """Read a capture; `BadFileError` names the file, what is wrong with it, and what would do.

    `column`, counted from 1, is the one that has the volts; without it the first that may. `time_unit` and `volts_unit`, one of
    `TIME_UNITS` and `VOLT_UNITS`, say what the file does not, or says wrongly; a unit that stands nowhere is asked for.
    `rate_hz`, samples a second, serves a file without times.
    """
    text = plain_text(name, file)
    layout = _layout(name, text, rate_hz)
    if column is not None:
        layout = _with_volts_in(name, layout, column)
    if layout.volts_at in layout.others:
        problem = f"Its column {layout.volts_at + 1} is in {layout.others[layout.volts_at]}, not volts."
        raise _bad(name, problem, "Save the channel in V or mV, or say which column has the volts.")
    layout = _in_units(name, layout, time_unit, volts_unit)
    columns = _parsed(name, text, layout)
    del text  # a large capture is not held twice
    return _captured(name, columns, layout)


_ROWS = 100_000  # written in one piece


def write_waveform(time_s: NDArray[np.float64], signal_v: NDArray[np.float64]) -> Iterator[bytes]:
    """A capture as CSV, piece by piece, with enough decimals to tell one time from the next."""
    import polars as pl

    decimals = max(6, math.ceil(-math.log10(float(time_s[-1] - time_s[0]) / len(time_s))) + 3)
    yield b"time (s),signal (V)\n"
    for at in range(0, len(time_s), _ROWS):
        rows = pl.DataFrame({"time": time_s[at : at + _ROWS], "signal": signal_v[at : at + _ROWS]})
        yield rows.write_csv(include_header=False, float_precision=decimals).encode()


def _bad(name: str, problem: str, would_do: str) -> BadFileError:
    return BadFileError(name, problem, would_do)


@dataclass(frozen=True, kw_only=True)
class _Layout:
    mark: str
    decimal_comma: bool
    skip: int
    time_at: int | None  # None for samples without times, whose step is the scale
    volts_at: int
    width: int
    time_scale: float | None
    volts_scale: float | None
    scales: Mapping[int, float]
    others: Mapping[int, str]
    body: tuple[tuple[str, ...], ...]
    is_clock: bool = False

    @property
    def note(self) -> str:
        """Which column is which, and in what unit."""
        if self.time_at is None:
            return f"volts alone, {_rate(self.time_scale or 1.0)} samples a second"
        names = [
            next((name for name, factor in units.items() if factor == scale), "numbers of samples")
            for units, scale in zip(_CHOICES, (self.time_scale, self.volts_scale), strict=True)
        ]
        if self.is_clock:
            names[0] = "clock"
        return f"time in column {self.time_at + 1} ({names[0]}), volts in column {self.volts_at + 1} ({names[1]})"


def _layout(name: str, text: bytes, rate_hz: float | None) -> _Layout:
    """How the first rows are laid out."""
    lines = _decoded(text[:200_000]).splitlines()[:_HEAD_LINES]
    if not lines:
        raise _bad(name, "It is empty.", "Save the capture as CSV.")
    try:
        layout = sniff(lines, _is_value) or sniff(lines, _is_value, leading=False)
    except AmbiguousCommasError as error:
        raise _bad(name, str(error), "Save it with semicolons between the columns, or with decimal points.") from error
    if layout is None:
        return _one_column(name, lines, rate_hz)
    body = [row for row in (cells_of(line, layout.mark) for line in lines[layout.first :]) if row]
    comma = layout.mark != "," and any("," in cell for row in body for cell in row)
    found = _with_columns(name, layout, body, decimal_comma=comma)
    # A mark at the end of every row makes one more column, with nothing in it.
    marks = lines[layout.first].count(layout.mark) + 1
    return found if layout.mark == " " else replace(found, width=max(found.width, marks))


def _is_value(cell: str) -> bool:
    return is_number(cell) or is_moment(cell)


def _one_column(name: str, lines: Sequence[str], rate_hz: float | None) -> _Layout:
    """Samples without times, whose rate was told or stands before them."""
    first = next(
        (at for at, line in enumerate(lines) if all(is_number(x.strip(" ;\t")) for x in lines[at : at + 3])), None
    )
    if first is None or len(lines) - first < _LEAST_ROWS:
        raise _bad(name, "Its columns cannot be told apart.", "A capture has two columns of numbers: time and volts.")
    rate_hz = rate_hz or rate_in(lines[:first])
    if rate_hz is None:
        problem = "It has one column of numbers and no times."
        raise _bad(name, problem, "Type its samples a second, or save the times with the samples.")
    rows = [line.strip(" ;\t") for line in lines[first:]]
    cells = [cell for line in lines[:first] for cell in re.split(r"[;\t|,]", line)]
    scales = [scale for cell in cells if (scale := _volts_of(cell)) is not None]
    return _Layout(
        mark="\t",
        decimal_comma=any("," in row for row in rows),
        skip=first,
        time_at=None,
        volts_at=0,
        width=1,
        time_scale=1 / rate_hz,
        volts_scale=scales[-1] if scales else None,
        scales={},
        others={},
        body=tuple((row,) for row in rows[:-1]),
    )


def _decoded(head: bytes) -> str:
    """A file's head as text: UTF-8, else what older scopes write, Latin-1 with its own micro sign."""
    try:
        return head.decode("utf-8")
    except UnicodeDecodeError as error:
        is_cut = error.start >= len(head) - 4  # in the middle of a character at the end of what was looked at
        return head[: error.start].decode("utf-8") if is_cut else head.decode("latin-1")


def _with_volts_in(name: str, layout: _Layout, column: int) -> _Layout:
    """The layout with the volts in the column that was asked for."""
    if layout.time_at is None:
        raise _bad(name, f"It has one column, not {column}.", "Leave the column empty.")
    if not 1 <= column <= layout.width or column - 1 == layout.time_at:
        others = [str(at + 1) for at in range(layout.width) if at != layout.time_at]
        problem = f"Its column {column} has no volts: the time is in column {layout.time_at + 1}, of {layout.width}."
        raise _bad(name, problem, f"Volts may be in column {' or '.join(others)}.")
    return replace(layout, volts_at=column - 1, volts_scale=layout.scales.get(column - 1))


def _in_units(name: str, layout: _Layout, time_unit: str, volts_unit: str) -> _Layout:
    """The layout with both units known: as told, else as the headings have them; one that stands nowhere is asked for."""
    time_scale = layout.time_scale
    if layout.time_at is not None and not layout.is_clock:
        time_scale = _CHOICES[0].get(time_unit, time_scale)
    volts_scale = _CHOICES[1].get(volts_unit, layout.volts_scale)
    if time_scale is None and layout.time_at is not None:
        steps = sorted(b - a for a, b in pairwise(_numbers_in(layout.body, layout.time_at)))
        step = steps[len(steps) // 2] if steps else 0.0
        rates = " or ".join(f"{_rate(step * _CHOICES[0][u])} samples a second as {u}" for u in ("s", "ms") if step > 0)
        problem = f"Its times name no unit: {rates or 'they may be s or ms'}."
        raise _bad(name, problem, "Choose under “Times are in”, and take it in again.")
    if volts_scale is None:
        volts = _numbers_in(layout.body, layout.volts_at) or [0.0]
        ends = " to ".join(f"{end:.4g}" for end in dict.fromkeys((min(volts), max(volts))))
        problem = f"Its volts name no unit: they begin with {ends}, which may be V or mV."
        raise _bad(name, problem, "Choose under “Volts are in”, and take it in again.")
    return replace(layout, time_scale=time_scale, volts_scale=volts_scale)


def _rate(step_s: float) -> str:
    """Samples a second to four figures, as a person reads them: `10 000`."""
    return f"{float(f'{1 / step_s:.4g}'):,.10g}".replace(",", "\N{NO-BREAK SPACE}")


def _numbers_in(body: Sequence[Sequence[str]], at: int) -> list[float]:
    return [number_of(row[at]) for row in body if at < len(row) and is_number(row[at])]


def _columns_named(width: int, headings: Sequence[Sequence[str]]) -> dict[str, tuple[int, float | None]]:
    """Which column is which by its headings, and what one of it is worth; a second heading may give what the first did not."""
    found: dict[str, tuple[int, float | None]] = {}
    rows = [row for row in headings if len(row) == width and not _is_unit_of_axis(row)]
    for at, cell in ((at, cell) for row in rows for at, cell in enumerate(row)):
        what, scale = _named(cell)
        before = found.get(what)
        if not what or (before is not None and (scale is None or before[0] != at)):
            continue
        found[what] = (at, scale)
    return found


def _is_unit_of_axis(row: Sequence[str]) -> bool:
    """True for a line such as `Vertical Units,V`, which says the unit of an axis and not what stands in a column."""
    return bool(row) and _UNIT_OF.fullmatch(row[0].strip()) is not None


def _units_of_axes(headings: Sequence[Sequence[str]]) -> dict[str, float]:
    """What one unit of time and of volts is worth by such lines."""
    scales: dict[str, float] = {}
    for row in filter(_is_unit_of_axis, headings):
        for cell in row[1:]:
            what, scale = _named(cell)
            if what and scale is not None:
                scales.setdefault(what, scale)
    return scales


def _with_columns(name: str, layout: Layout, body: Sequence[Sequence[str]], *, decimal_comma: bool) -> _Layout:
    """Which column is which, by heading and unit, else the first that rises is the time."""
    if len(body) < _LEAST_ROWS:
        raise _bad(name, f"It has {len(body)} rows of numbers.", f"A waveform has at least {_LEAST_ROWS}.")
    width, headings = layout.width, layout.headings
    found = _columns_named(width, headings)
    clocks = [at for at in range(width) if all(at < len(row) and is_moment(row[at]) for row in body[:-1])]
    if clocks:
        found["time"] = (clocks[0], 1.0)
    elif "time" not in found:
        found["time"] = (_rising(name, body, width, found.get("volts", (-1, None))[0]), None)
    if "volts" not in found:
        found["volts"] = (next(at for at in range(width) if at != found["time"][0]), None)
    (time_at, _), (volts_at, _) = found["time"], found["volts"]
    time_scale, volts_scale = _scales(found, headings, body)
    scales = {at: scale for row in headings for at, cell in enumerate(row) if (scale := _volts_of(cell)) is not None}
    others = {
        at: match[1]
        for row in headings
        for at, cell in enumerate(row)
        if (match := IN_BRACKETS.search(cell)) is not None and match[1].casefold() in _OTHER_UNITS
    }
    return _Layout(
        mark=layout.mark,
        decimal_comma=decimal_comma,
        skip=layout.first,
        time_at=time_at,
        volts_at=volts_at,
        width=width,
        time_scale=time_scale,
        volts_scale=volts_scale,
        scales=scales,
        others=others,
        body=tuple(tuple(row) for row in body[:-1]),
        is_clock=time_at in clocks,
    )


def _scales(
    found: Mapping[str, tuple[int, float | None]], headings: Sequence[Sequence[str]], body: Sequence[Sequence[str]]
) -> tuple[float | None, float | None]:
    """What one unit of time and one of volts is worth: by their headings, by the rate of numbered samples, by the axes' units."""
    (time_at, time_scale), (_, volts_scale) = found["time"], found["volts"]
    axes, rate_hz = _units_of_axes(headings), rate_in([" ".join(row) for row in headings])
    if time_scale is None and rate_hz is not None and _counts(body, time_at):
        time_scale = 1 / rate_hz
    time_scale = axes.get("time") if time_scale is None else time_scale
    return time_scale, axes.get("volts") if volts_scale is None else volts_scale


def _rising(name: str, body: Sequence[Sequence[str]], width: int, taken: int) -> int:
    """The first column, but for one, that rises as a time does."""
    found = next((at for at in range(width) if at != taken and _rises(body, at)), None)
    if found is None:
        problem = "No column rises from row to row, so none can be the time."
        raise _bad(name, problem, "Save the times with the samples.")
    return found


def _volts_of(cell: str) -> float | None:
    """What one unit of a heading is in volts, where it names one."""
    what, scale = _named(cell)
    return scale if what == "volts" else None


def _named(cell: str) -> tuple[str, float | None]:
    """Whether a heading is of the time or the volts, and its scale where it names a unit: `Time (ms)`, `t/ms`, `signal_mv`."""
    said = cell.casefold().replace("\ufffds", "µs")  # a micro sign of another character set
    match = IN_BRACKETS.search(said)
    parts = [part for part in re.split(r"[\s_/,;:\[\]()]+", said) if part]
    unit = match[1] if match is not None else parts[-1] if parts else ""
    if unit in _TIME_UNITS:
        return "time", _TIME_UNITS[unit]
    if unit in _VOLT_UNITS:
        return "volts", _VOLT_UNITS[unit]
    if set(parts) & _TIME_WORDS:
        return "time", None
    return ("volts", None) if set(parts) & _VOLT_WORDS else ("", None)


def _counts(body: Sequence[Sequence[str]], at: int) -> bool:
    """True for a column that numbers the samples: each one more than the one before."""
    numbers = _numbers_in(body, at)
    return len(numbers) > 1 and all(b - a == 1 for a, b in pairwise(numbers))


def _rises(body: Sequence[Sequence[str]], at: int) -> bool:
    numbers = []
    for row in body[:-1]:
        if at >= len(row) or not is_number(row[at]):
            return False
        numbers.append(number_of(row[at]))
    return len(numbers) > 1 and all(b > a for a, b in pairwise(numbers))


def _parsed(name: str, text: bytes, layout: _Layout) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Both columns, as numbers."""
    import polars as pl

    mark, body = layout.mark, text
    if mark == " ":  # blanks may be many: they become one tab
        body = re.sub(rb"[ \t]+", b"\t", re.sub(rb"(?m)^[ \t]+|[ \t]+$", b"", text))
        mark = "\t"
    names = [f"c{at}" for at in range(layout.width)]
    wanted = [layout.volts_at] if layout.time_at is None else [layout.time_at, layout.volts_at]
    kinds: dict[str, type[pl.DataType]] = dict.fromkeys(names, pl.Float64)
    if layout.is_clock:
        kinds[f"c{layout.time_at}"] = pl.String
    try:
        frame = pl.read_csv(
            body,
            separator=mark,
            has_header=False,
            new_columns=names,
            skip_rows=layout.skip,
            schema_overrides=kinds,
            columns=wanted,
            decimal_comma=layout.decimal_comma,
            truncate_ragged_lines=True,
            ignore_errors=True,
            n_rows=MOST_SAMPLES + 1,
        )
    except pl.exceptions.PolarsError as error:
        raise _bad(name, "Its rows cannot be read as numbers.", "Save the capture as CSV, time and volts.") from error
    if frame.height > MOST_SAMPLES:
        problem = f"It has more than {MOST_SAMPLES:,} samples."
        raise _bad(name, problem, "Capture a shorter time, or at a lower rate: ten turns of the ring are enough.")
    volts = frame[f"c{layout.volts_at}"].to_numpy()
    if layout.time_at is None:
        return np.arange(len(volts), dtype=float), volts
    times = frame[f"c{layout.time_at}"]
    return seconds_of(times) if layout.is_clock else times.to_numpy(), volts


def _captured(name: str, columns: tuple[NDArray[np.float64], NDArray[np.float64]], layout: _Layout) -> Captured:
    time, volts = columns
    good = np.isfinite(time) & np.isfinite(volts)
    dropped = int((~good).sum())
    if good.sum() < _LEAST_ROWS:
        raise _bad(name, f"It has {int(good.sum())} rows of numbers.", f"A waveform has at least {_LEAST_ROWS}.")
    if dropped > 0.01 * len(good) + 3:
        bad = int(np.flatnonzero(~good)[0]) + layout.skip + 1
        raise _bad(name, f"{dropped:,} of its rows are not numbers, the first is row {bad}.", "Save the capture again.")
    if dropped:
        time, volts = time[good], volts[good]
    del good, columns
    time_s = time - time[0]
    assert layout.time_scale is not None  # both were asked for
    assert layout.volts_scale is not None
    time_s *= layout.time_scale
    signal_v = volts if layout.volts_scale == 1 else volts * layout.volts_scale
    del time, volts
    steps = np.diff(time_s)
    if steps.min() <= 0:
        back = int(np.flatnonzero(steps <= 0)[0]) + layout.skip + 2
        raise _bad(
            name,
            f"Its time goes back or stands at row {back}.",
            "Save one capture to a file, with enough decimals of time.",
        )
    usual = float(np.median(steps[:_ENOUGH_STEPS]))
    notes = [f"{len(time_s):,} samples, {layout.note}"]
    if dropped:
        notes.append(f"{dropped} rows that are not numbers left out")
    gaps = int((steps > _GAP * usual).sum())
    if gaps:
        notes.append(f"{gaps} gap{'s' if gaps > 1 else ''} in time")
    return Captured(time_s, signal_v, "; ".join(notes) + ".")
