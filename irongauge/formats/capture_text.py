"""A capture's file as plain text of plain numbers: unpacked, and rid of what one program or another writes its own way.

    "0,0010";"4,98"      decimal commas in quotes become points
    1 000 000;4 980      blanks between thousands go
    12:30:10,5           times of day and dates stay, and are read as seconds by `seconds_of`

Blank lines go, and a line may end with a carriage return alone. Leaves out which column is which.
"""

from __future__ import annotations

import gzip
import io
import re
import zlib
from collections.abc import Sequence
from typing import IO, TYPE_CHECKING

import numpy as np

from irongauge.errors import BadFileError

if TYPE_CHECKING:
    import polars as pl
    from numpy.typing import NDArray

__all__ = ["is_moment", "plain_text", "rate_in", "seconds_of"]

_MOST_BYTES = 200_000_000
_PIECE = 1 << 20
_LOOKED_AT = 200_000  # bytes from which it is told how the rest is written
_MOMENT = re.compile(
    r"((?P<date>\d{4}-\d\d-\d\d|\d{4}[/.]\d{1,2}[/.]\d{1,2}|\d{1,2}[./-]\d{1,2}[./-](?:\d{4}|\d\d))(?:T|,? ))?"
    r"(?P<hours>\d{1,2}:)?(?P<minutes>\d{1,2}):(?P<seconds>\d\d([.,:]\d+)?)"
    r" ?(?P<half>[AaPp]\.?[Mm]\.?)?(?P<zone>Z|[+-]\d\d:?\d\d)?"
)
_QUOTED_COMMA = re.compile(rb'"\s*([+-]?\d*),(\d+)\s*"')
_BLANK_THOUSANDS = re.compile(rb"(?<=\d)(?: |\xc2\xa0|\xe2\x80\xaf|\xa0)(?=\d{3}(?:\D|$))")
_OF_ROWS = 0.2  # of the rows have blanks between thousands: small numbers have none
_DAY_S = 86_400.0
# `Sample rate: 10 kHz`, `Sampling Rate;10000`, `fs = 1 MS/s`; `Interval,1.0E-03 s`, `dt 20 µs`
_RATE = re.compile(
    r"\b(?:sampl\w*[ _-]*(?:rate|frequency)|fs)\b\W*([\d.,]+(?:e[+-]?\d+)?)\s*([kmg]?)(?:hz|s?/s|sps|samples|\W|$)",
    re.IGNORECASE,
)
_STEP = re.compile(
    r"\b(?:(?:sampl\w*[ _-]*)?(?:interval|period|increment)|x[ _-]?increment|dt|delta[ _-]?t)\b[^\d+-]*"
    r"([\d.,]+(?:e[+-]?\d+)?)\W*(s|sec|ms|us|µs|ns)?\b",
    re.IGNORECASE,
)
_STEP_FIRST = re.compile(  # `Interval (ms),100`
    r"\b(?:interval|period|increment)\w*\s*[\[(]\s*(s|sec|ms|us|µs|ns)\s*[\])][^\d\n+-]*([\d.,]+(?:e[+-]?\d+)?)",
    re.IGNORECASE,
)
# A word for a rate in the languages of loggers, where Hz stand behind its number.
_SO_MANY_HERTZ = re.compile(
    r"\b(?:\w*rate|frequency|\w*frequenz|fréquence|frecuencia|frequenza|cadence|taux|tasa)\b[^\d\n]*([\d.,]+)\s*([km]?)hz\b",
    re.IGNORECASE,
)
_EACH_SECOND = re.compile(
    r"\b(?:samples|readings|rows|values)\s*(?:per|/)\s*s(?:ec(?:ond)?)?\b[^\d\n]*([\d.,]+)", re.IGNORECASE
)
_HERTZ_FIRST = re.compile(r"[\[(]\s*([kmg]?)hz\s*[\])][^\d\n]*([\d.,]+(?:e[+-]?\d+)?)", re.IGNORECASE)  # `Rate [Hz],10`
_MANY = {"": 1.0, "k": 1e3, "m": 1e6, "g": 1e9}
_STEP_UNITS = {"s": 1.0, "sec": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9}


def plain_text(name: str, file: IO[bytes]) -> bytes:
    """The file's text in UTF-8, at most so many bytes of it, its numbers plain. Raises `BadFileError`."""
    text = _unpacked(name, file)
    if text.startswith((b"\xff\xfe", b"\xfe\xff")):
        text = text.decode("utf-16", "replace").encode()
    elif b"\0" in text[:4096]:
        raise BadFileError(name, "It is not text.", "Save the capture as CSV, not in the scope's own format.")
    text = text.removeprefix(b"\xef\xbb\xbf")
    head = text[:_LOOKED_AT]
    if b"\r" in head and b"\n" not in head:
        text = text.replace(b"\r", b"\n")
        head = text[:_LOOKED_AT]
    if re.search(rb"\n[ \t\r]*\n", head):
        text = re.sub(rb"\n(?:[ \t\r]*\n)+", b"\n", text)
    if _QUOTED_COMMA.search(head):
        text = _QUOTED_COMMA.sub(rb"\1.\2", text)
    parted = sum(head.count(mark) for mark in (b";", b"\t", b"|", b","))
    if len(_BLANK_THOUSANDS.findall(head)) > _OF_ROWS * head.count(b"\n") and parted > head.count(b"\n") / 2:
        text = _BLANK_THOUSANDS.sub(b"", text)
    return text


def _unpacked(name: str, file: IO[bytes]) -> bytes:
    head = file.read(2)
    plain = _Joined(head, file)
    rest: io.BufferedIOBase | _Joined = gzip.GzipFile(fileobj=plain) if head == b"\x1f\x8b" else plain
    out = io.BytesIO()
    try:
        while piece := rest.read(_PIECE):
            out.write(piece)
            if out.tell() > _MOST_BYTES:
                problem = f"It holds more than {_MOST_BYTES // 1_000_000} MB of text."
                do = "Capture a shorter time, or at a lower rate: ten turns of the ring are enough."
                raise BadFileError(name, problem, do)
    except (OSError, EOFError, zlib.error) as error:
        raise BadFileError(name, "It is a compressed file that breaks off or is damaged.", "Save it again.") from error
    return out.getvalue()


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


def is_moment(cell: str) -> bool:
    """True for a time of day, with or without its date: `12:30:10.5`, `30:10`, `2026-11-28T12:30:10Z`."""
    return _MOMENT.fullmatch(cell.strip()) is not None


def seconds_of(cells: pl.Series) -> NDArray[np.float64]:
    """Times of day as seconds, not a number where a cell is none; a day that ends in between goes on."""
    import polars as pl

    column = cells.str.strip_chars().str.extract_groups(f"^{_MOMENT.pattern}$").struct
    hours = column.field("hours").str.strip_chars_end(":").cast(pl.Float64).fill_null(0.0).to_numpy()
    minutes = column.field("minutes").cast(pl.Float64).to_numpy()
    seconds = column.field("seconds").str.replace("[,:]", ".").cast(pl.Float64).to_numpy()
    half = column.field("half")
    if half.null_count() < len(half):  # 12 am is midnight, 12 pm is noon
        hours = hours % 12 + 12 * half.str.starts_with("p").fill_null(value=False).to_numpy()
        hours = hours + 12 * half.str.starts_with("P").fill_null(value=False).to_numpy()
    of_day = hours * 3600 + minutes * 60 + seconds - _east_s(column.field("zone"))
    dates = column.field("date")
    if dates.null_count() == 0 and dates.str.contains(r"^\d{4}-").all():
        days = dates.str.to_date(strict=False).to_physical().fill_null(0).to_numpy()
        return np.asarray(of_day + (days - days[0]) * _DAY_S)
    # Other dates are written day first or month first: that a day ends is told by the time of day alone.
    steps = np.diff(of_day)
    back = np.concatenate(([0.0], np.cumsum(np.nan_to_num(steps) < -_DAY_S / 2)))
    return np.asarray(of_day + back * _DAY_S)


def _east_s(zones: pl.Series) -> NDArray[np.float64]:
    """How far clocks are ahead of UTC, in s: it changes within a log when summer time ends."""
    import polars as pl

    if zones.null_count() == len(zones):
        return np.zeros(len(zones))
    sign = zones.str.slice(0, 1).replace_strict({"+": 1.0, "-": -1.0}, default=0.0).fill_null(0.0)
    hours = zones.str.slice(1, 2).cast(pl.Float64, strict=False).fill_null(0.0)
    minutes = zones.str.slice(-2).cast(pl.Float64, strict=False).fill_null(0.0)
    return np.asarray((sign * (hours * 3600 + minutes * 60)).to_numpy())


def rate_in(lines: Sequence[str]) -> float | None:
    """Samples a second, where a line before the numbers tells the rate or the step."""
    for line in lines:
        step_first = _STEP_FIRST.search(line)
        if step_first is not None and (seconds := _number(step_first[2])):
            return 1 / (seconds * _STEP_UNITS[step_first[1].lower()])
        each = _EACH_SECOND.search(line)
        if each is not None and (hertz := _number(each[1])):
            return hertz
        rate, step, first = (
            _RATE.search(line) or _SO_MANY_HERTZ.search(line),
            _STEP.search(line),
            _HERTZ_FIRST.search(line),
        )
        if first is not None and (hertz := _number(first[2])):
            return hertz * _MANY[first[1].lower()]
        if rate is not None and (hertz := _number(rate[1])):
            return hertz * _MANY[rate[2].lower()]
        if step is not None and (seconds := _number(step[1])):
            return 1 / (seconds * _STEP_UNITS[(step[2] or "s").lower()])
    return None


def _number(text: str) -> float | None:
    try:
        return float(text.strip(".,").replace(",", "."))
    except ValueError:
        return None
