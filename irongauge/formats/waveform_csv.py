"""A captured waveform as scopes and loggers write it: two columns, time and volts, with any heading before them.

    Time (ms);Channel A (mV)
    0,000;12,4
    0,010;13,1

Comma, semicolon, tab or blanks between the columns; a point or a comma as the decimal mark; units in the heading as people write
them, or asked for; plain or gzip. At most five million samples are taken in, whatever the file says of itself, and a compressed
file is opened a piece at a time, so that a small one that unpacks to gigabytes is refused before it does.
"""

from __future__ import annotations

import gzip
import io
import math
import re
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import IO, TYPE_CHECKING

from irongauge.errors import BadFileError, quoted
from irongauge.formats.columns import IN_BRACKETS, AmbiguousCommasError, Layout, cells_of, is_number, number_of, sniff

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

__all__ = ["MOST_SAMPLES", "TIME_UNITS", "VOLT_UNITS", "Captured", "read_waveform", "write_waveform"]

MOST_SAMPLES = 5_000_000
_MOST_BYTES = 200_000_000
_PIECE = 1 << 20
_HEAD_LINES = 60
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
    name: str, file: IO[bytes], column: int | None = None, *, time_unit: str = "", volts_unit: str = ""
) -> Captured:
    """Read a capture; `BadFileError` names the file, what is wrong with it, and what would do.

    `column`, counted from 1, is the one that has the volts; without it the first that may. `time_unit` and `volts_unit`, one of
    `TIME_UNITS` and `VOLT_UNITS`, say what the file does not, or says wrongly; a unit that stands nowhere is asked for.
    """
    text = _unpacked(name, file)
    layout = _layout(name, text)
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
    import polars as pl  # noqa: PLC0415  a start does not wait for it

    decimals = max(6, math.ceil(-math.log10(float(time_s[-1] - time_s[0]) / len(time_s))) + 3)
    yield b"time (s),signal (V)\n"
    for at in range(0, len(time_s), _ROWS):
        rows = pl.DataFrame({"time": time_s[at : at + _ROWS], "signal": signal_v[at : at + _ROWS]})
        yield rows.write_csv(include_header=False, float_precision=decimals).encode()


def _bad(name: str, problem: str, would_do: str) -> BadFileError:
    return BadFileError(name, problem, would_do)


def _unpacked(name: str, file: IO[bytes]) -> bytes:
    """The file's text, at most so many bytes of it."""
    head = file.read(2)
    plain = _Joined(head, file)
    rest: io.BufferedIOBase | _Joined = gzip.GzipFile(fileobj=plain) if head == b"\x1f\x8b" else plain
    out = io.BytesIO()
    try:
        while piece := rest.read(_PIECE):
            out.write(piece)
            if out.tell() > _MOST_BYTES:
                problem = f"It holds more than {_MOST_BYTES // 1_000_000} MB of text."
                raise _bad(
                    name, problem, "Capture a shorter time, or at a lower rate: ten turns of the ring are enough."
                )
    except (OSError, EOFError, zlib.error) as error:
        raise _bad(name, "It is a compressed file that breaks off or is damaged.", "Save it again.") from error
    text = out.getvalue()
    if b"\0" in text[:4096] and not text.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise _bad(name, "It is not text.", "Save the capture as CSV, not in the scope's own format.")
    if text.startswith((b"\xff\xfe", b"\xfe\xff")):
        text = text.decode("utf-16", "replace").encode()
    return text.removeprefix(b"\xef\xbb\xbf")


class _Joined(io.RawIOBase):
    """The two bytes that were looked at, then the rest of the file."""

    def __init__(self, head: bytes, rest: IO[bytes]) -> None:
        self._head, self._rest = head, rest

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        if self._head:
            head, self._head = self._head, b""
            return head
        return self._rest.read(size)


@dataclass(frozen=True, kw_only=True)
class _Layout:
    mark: str
    decimal_comma: bool
    skip: int
    time_at: int
    volts_at: int
    width: int
    time_scale: float | None
    volts_scale: float | None
    scales: Mapping[int, float]
    others: Mapping[int, str]
    body: tuple[tuple[str, ...], ...]

    @property
    def note(self) -> str:
        """Which column is which, and in what unit."""
        names = [
            next(name for name, factor in units.items() if factor == scale)
            for units, scale in zip(_CHOICES, (self.time_scale, self.volts_scale), strict=True)
        ]
        return f"time in column {self.time_at + 1} ({names[0]}), volts in column {self.volts_at + 1} ({names[1]})"


def _layout(name: str, text: bytes) -> _Layout:
    """How the first rows are laid out."""
    lines = _decoded(text[:200_000]).splitlines()[:_HEAD_LINES]
    if not lines:
        raise _bad(name, "It is empty.", "Save the capture as CSV.")
    try:
        layout = sniff(lines)
    except AmbiguousCommasError as error:
        raise _bad(
            name,
            f"{quoted(error.line)} has commas both between and inside its numbers.",
            "Save it with semicolons between the columns, or with decimal points.",
        ) from error
    if layout is None:
        raise _bad(name, "Its columns cannot be told apart.", "A capture has two columns of numbers: time and volts.")
    body = [row for row in (cells_of(line, layout.mark) for line in lines[layout.first :]) if row]
    comma = layout.mark != "," and any("," in cell for row in body for cell in row)
    found = _with_columns(name, layout, body, decimal_comma=comma)
    # A mark at the end of every row makes one more column, with nothing in it.
    marks = lines[layout.first].count(layout.mark) + 1
    return found if layout.mark == " " else replace(found, width=max(found.width, marks))


def _decoded(head: bytes) -> str:
    """A file's head as text: UTF-8, else what older scopes write, Latin-1 with its own micro sign."""
    try:
        return head.decode("utf-8")
    except UnicodeDecodeError as error:
        is_cut = error.start >= len(head) - 4  # in the middle of a character at the end of what was looked at
        return head[: error.start].decode("utf-8") if is_cut else head.decode("latin-1")


def _with_volts_in(name: str, layout: _Layout, column: int) -> _Layout:
    """The layout with the volts in the column that was asked for."""
    if not 1 <= column <= layout.width or column - 1 == layout.time_at:
        others = [str(at + 1) for at in range(layout.width) if at != layout.time_at]
        problem = f"Its column {column} has no volts: the time is in column {layout.time_at + 1}, of {layout.width}."
        raise _bad(name, problem, f"Volts may be in column {' or '.join(others)}.")
    return replace(layout, volts_at=column - 1, volts_scale=layout.scales.get(column - 1))


def _in_units(name: str, layout: _Layout, time_unit: str, volts_unit: str) -> _Layout:
    """The layout with both units known: as told, else as the headings have them; one that stands nowhere is asked for."""
    time_scale = _CHOICES[0].get(time_unit, layout.time_scale)
    volts_scale = _CHOICES[1].get(volts_unit, layout.volts_scale)
    if time_scale is None:
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


def _with_columns(name: str, layout: Layout, body: Sequence[Sequence[str]], *, decimal_comma: bool) -> _Layout:
    """Which column is which, by heading and unit, else the first that rises is the time."""
    if len(body) < _LEAST_ROWS:
        raise _bad(name, f"It has {len(body)} rows of numbers.", f"A waveform has at least {_LEAST_ROWS}.")
    width, headings = layout.width, layout.headings
    found: dict[str, tuple[int, float | None]] = {}
    for row in headings:
        if len(row) != width:
            continue
        for at, cell in enumerate(row):
            what, scale = _named(cell)
            if what and (what not in found or scale is not None):
                before = found.get(what)
                if before is None or before[0] == at:
                    found[what] = (at, scale if scale is not None else (before[1] if before else None))
    rising = [at for at in range(width) if _rises(body, at)]
    if "time" not in found:
        taken = found.get("volts", (-1, None))[0]
        free = [at for at in rising if at != taken]
        if not free:
            raise _bad(
                name, "No column rises from row to row, so none can be the time.", "Save the times with the samples."
            )
        found["time"] = (free[0], None)
    if "volts" not in found:
        found["volts"] = (next(at for at in range(width) if at != found["time"][0]), None)
    (time_at, time_scale), (volts_at, volts_scale) = found["time"], found["volts"]
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
    )


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


def _rises(body: Sequence[Sequence[str]], at: int) -> bool:
    numbers = []
    for row in body[:-1]:
        if at >= len(row) or not is_number(row[at]):
            return False
        numbers.append(number_of(row[at]))
    return len(numbers) > 1 and all(b > a for a, b in pairwise(numbers))


def _parsed(name: str, text: bytes, layout: _Layout) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Both columns, as numbers."""
    import polars as pl  # noqa: PLC0415  a start does not wait for it

    mark, body = layout.mark, text
    if mark == " ":  # blanks may be many: they become one tab
        body = re.sub(rb"[ \t]+", b"\t", re.sub(rb"(?m)^[ \t]+|[ \t]+$", b"", text))
        mark = "\t"
    names = [f"c{at}" for at in range(layout.width)]
    try:
        frame = pl.read_csv(
            body,
            separator=mark,
            has_header=False,
            new_columns=names,
            skip_rows=layout.skip,
            schema_overrides=dict.fromkeys(names, pl.Float64),
            columns=[layout.time_at, layout.volts_at],
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
    time, volts = (frame[f"c{at}"].to_numpy() for at in (layout.time_at, layout.volts_at))
    return time, volts


def _captured(name: str, columns: tuple[NDArray[np.float64], NDArray[np.float64]], layout: _Layout) -> Captured:
    import numpy as np  # noqa: PLC0415  a start does not wait for it

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
