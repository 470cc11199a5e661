"""What stands before the rows of a log: the names of its columns, their units, which are times, how numbers are written."""

from __future__ import annotations

import csv
import hashlib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from irongauge.core.traces.log_units import log_unit, split_heading
from irongauge.core.traces.sense_names import sense_of
from irongauge.core.traces.senses import Sense
from irongauge.errors import BadFileError
from irongauge.formats.capture_text import is_moment, rate_in
from irongauge.formats.columns import AmbiguousCommasError, Layout, cells_of, is_number, sniff
from irongauge.formats.number_styles import ODD_MARKS, NumberStyle, styles_of

__all__ = ["HEAD_BYTES", "TIME_UNITS", "LogPlan", "LongForm", "plan_of", "time_unit_of"]

HEAD_BYTES = 400_000  # of a file, in which its heading stands
TIME_UNITS = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "min": 60.0}
_UNIT_WORDS = {
    "sec": "s", "secs": "s", "seconds": "s", "second": "s", "msec": "ms", "milliseconds": "ms", "us": "µs", "usec": "µs",
    "minutes": "min", "μs": "µs",
}  # fmt: skip
_TIME_NAMES = {
    "time", "t", "timestamp", "zeit", "elapsed", "timestamps", "date", "datetime", "time stamp", "clock", "log time",
    "elapsed time", "temps", "tiempo", "tempo", "время", "offset", "rel time", "relative time",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class LogPlan:
    """How the rows are read: what parts them, the first of them, and of each column the name and unit."""

    mark: str
    first: int
    styles: tuple[NumberStyle, ...]
    has_odd_marks: bool
    width: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    times_at: tuple[int, ...]
    step_s: float | None
    long: LongForm | None
    logger: str

    @property
    def is_text(self) -> bool:
        """True where the numbers are not all written in one way that a parser knows."""
        own = {style for at, style in enumerate(self.styles) if at not in self.times_at}
        plain = own <= {NumberStyle.POINT} or (own <= {NumberStyle.COMMA} and self.mark != ",")
        return self.has_odd_marks or self.long is not None or not plain


@dataclass(frozen=True)
class LongForm:
    """Columns of a table that has a row for each value: where the channel's name stands, its value, perhaps its unit."""

    name_at: int
    value_at: int
    unit_at: int | None


def _is_cell(cell: str) -> bool:
    return is_number(cell) or is_moment(cell)


def plan_of(name: str, lines: Sequence[str]) -> LogPlan:
    """How the rows behind these first lines are read; `BadFileError` names the file, what is wrong with it, and what would do."""
    if not lines:
        raise BadFileError(
            name, f"Its first line is longer than {HEAD_BYTES:,} characters.", "Save it with a row to a line."
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
    body = [row for row in body if row != layout.headings[at]]  # some loggers say their names again and again
    times_at = _times_at(names, units, body)
    step = None if times_at else rate_in([" ".join(row) for row in layout.headings])
    if not times_at and step is None:
        raise BadFileError(
            name,
            "None of its columns has times that rise.",
            "A log needs a column of times, or its rate in the heading.",
        )
    width = max(len(names), *(len(next(csv.reader([line], delimiter=layout.mark), [])) for line in lines[first:][:50]))
    return LogPlan(
        mark=layout.mark,
        first=first,
        styles=styles_of(body, width),
        has_odd_marks=any(ODD_MARKS.search(line) for line in lines[first:]),
        width=width,
        names=names,
        units=units,
        times_at=times_at,
        step_s=None if step is None else 1 / step,
        long=_long_form(names, times_at, body),
        logger=_logger_of(layout.mark, lines[0] if at else "", [names[time] for time in times_at]),
    )


def _logger_of(mark: str, first_line: str, time_names: Sequence[str]) -> str:
    """What is the same in all files of a logger: its mark, how it begins but for numbers, what it calls the time."""
    plain = re.sub(r"[\d\W_]+", " ", first_line)[:60]
    return hashlib.sha256("\n".join((mark, plain, *time_names)).encode()).hexdigest()[:32]


_LONG_NAMES = {
    "name",
    "signal",
    "channel",
    "parameter",
    "pid",
    "sensor",
    "variable",
    "kanal",
    "bezeichnung",
    "signalname",
    "nom",
    "canal",
}
_LONG_VALUES = {"value", "wert", "valeur", "valor", "valore", "waarde", "reading", "messwert", "data"}
_LONG_UNITS = {"unit", "units", "einheit", "unité", "unidad", "eenheid", "unità"}


def _long_form(names: Sequence[str], times_at: Sequence[int], body: Sequence[Sequence[str]]) -> LongForm | None:
    """Where a table has a row for each value: a name in words that come again, and one value."""
    plain = [name.casefold().strip(" _") for name in names]
    name_at = next((at for at, word in enumerate(plain) if word in _LONG_NAMES), None)
    value_at = next((at for at, word in enumerate(plain) if word in _LONG_VALUES), None)
    if name_at is None or value_at is None or not times_at:
        return None
    named = [row[name_at] for row in body if name_at < len(row)]
    if not named or any(is_number(cell) for cell in named) or len(set(named)) > len(named) / 2:
        return None
    return LongForm(name_at, value_at, next((at for at, word in enumerate(plain) if word in _LONG_UNITS), None))


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
        known = [cell for cell in cells if cell and (log_unit(cell) is not None or time_unit_of(cell))]
        if known and len(known) >= 0.4 * len([cell for cell in cells if cell]):
            return tuple((*cells, *[""] * len(names))[: len(names)])
    return ("",) * len(names)


def time_unit_of(text: str) -> str:
    """The unit of times that a word is; empty for none."""
    word = text.strip("[]() ").casefold()
    return word if word in TIME_UNITS else _UNIT_WORDS.get(word, "")


_NUMBERED_TIME = re.compile(r"(?:t|time|zeit|temps|tiempo) ?\d+")
_TIME_OF = re.compile(r"(?P<before>.+) (?:time|zeit|temps|tiempo)|(?:time|zeit|temps|tiempo) (?P<behind>.+)")


def _times_at(names: Sequence[str], units: Sequence[str], body: Sequence[Sequence[str]]) -> tuple[int, ...]:
    """The columns of times: by their names, else the first that rises throughout and is nothing else by its name or unit.

    Some loggers write a column of times before each channel: then there are several.
    """

    def rises(at: int, falling: float = 0.1) -> bool:
        return _rises([row[at] for row in body if at < len(row) and row[at]], falling)

    plain = [" ".join(re.findall(r"\w+", split_heading(name)[0].replace("_", " ").casefold())) for name in names]
    named = [at for at, word in enumerate(plain) if word in _TIME_NAMES and rises(at)]
    of_one = [at for at in range(len(plain)) if _is_of_next(plain, at) and _is_time(names[at], units[at]) and rises(at)]
    own = sorted({*named, *of_one})
    if len(own) > 1 and own[0] == 0 and all(b - a > 1 for a, b in pairwise(own)):
        return tuple(own)
    if own:
        return ((named or own)[0],)
    first = next(
        (at for at in range(min(3, len(names))) if not _is_value(names[at], units[at]) and rises(at, 0.02)), None
    )
    return () if first is None else (first,)


def _is_value(name: str, unit: str) -> bool:
    """True for a column that is something else by its unit or its name."""
    label, written = split_heading(name)
    known = log_unit(unit or written)
    return (known is not None and known.label != "ms") or sense_of(label, known) is not Sense.OTHER


def _is_of_next(plain: Sequence[str], at: int) -> bool:
    """True for a column of times of the channel behind it: `t2`, or `oil time` before `oil`; a run time is a channel itself."""
    of = _TIME_OF.fullmatch(plain[at])
    if of is None or at + 1 >= len(plain):
        return _NUMBERED_TIME.fullmatch(plain[at]) is not None
    return plain[at + 1] == (of["before"] or of["behind"])


def _is_time(name: str, unit: str) -> bool:
    """True where the unit is one of times, or none is written."""
    written = unit or split_heading(name)[1]
    return not written or bool(time_unit_of(written))


def _rises(cells: Sequence[str], falling: float = 0.02) -> bool:
    """True for times: moments, or numbers that rise, but for a share that a logger wrote out of turn."""
    if len(cells) <= 1:
        return False
    if all(is_moment(cell) for cell in cells):
        return True
    if not all(is_number(cell) for cell in cells):
        return False
    values = [float(cell.replace(",", ".")) for cell in cells]
    falls = sum(b < a for a, b in pairwise(values))
    return values[-1] > values[0] and falls <= falling * len(values) and len(set(values)) > len(values) / 5
