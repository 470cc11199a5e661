"""A sensor's curve as a table: pasted from a sheet or read from a CSV file, and written as one.

    pressure (bar);signal (V)
    0,0;0,50
    10,0;4,50

Columns are parted by tabs, semicolons, commas or blanks; the decimal mark is a point or a comma. A heading may name the
columns in any order, with units in brackets or behind a blank; without one, the value stands first. At most 5 000 rows.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.measure.unit_names import units_named
from irongauge.core.measure.units import FIXED_UNIT, Quantity, Unit, from_fixed, to_fixed, unit_for, units_of
from irongauge.core.sensors.transfer import Curve, CurveKind
from irongauge.errors import EntryError, quoted
from irongauge.formats.columns import IN_BRACKETS, AmbiguousCommasError, cells_of, is_number, number_of, sniff

__all__ = ["MOST_ROWS", "TableText", "read_table", "write_table"]

MOST_ROWS = 5_000
LONGEST_TEXT = 400_000
_BEHIND = re.compile(r"[\s/,_](\S+)\s*$")
_SIGNAL_WORDS = {
    "signal",
    "volt",
    "volts",
    "voltage",
    "output",
    "reading",
    "resistance",
    "ohm",
    "ohms",
    "share",
    "ratio",
    "v",
}
_SIGNAL_QUANTITY = {
    CurveKind.VOLTS: Quantity.VOLTAGE,
    CurveKind.OHMS: Quantity.RESISTANCE,
    CurveKind.CURRENT: Quantity.CURRENT,
    CurveKind.HERTZ: Quantity.FREQUENCY,
    CurveKind.PULSE: Quantity.DURATION,
    CurveKind.RATIO: Quantity.SHARE,
    CurveKind.DUTY: Quantity.SHARE,
}
_SHARES = (CurveKind.RATIO, CurveKind.DUTY)


@dataclass(frozen=True)
class TableText:
    """What a table says: (signal, value) in the curve's units, in the order of the rows, and how it was read."""

    rows: tuple[tuple[float, float], ...]
    note: str


def read_table(text: str, kind: CurveKind, quantity: Quantity, unit: str, *, field: str = "table") -> TableText:
    """The rows of a pasted table. `unit` is the code of the unit of values whose heading names none.

    A share is read in per cent. Raises `EntryError` that names the row for whatever is not two numbers.
    """
    if len(text) > LONGEST_TEXT:
        raise EntryError(
            field, text[:40], f"That is {len(text):,} characters.", f"At most {MOST_ROWS:,} rows fit here."
        )
    lines = [(number, line.strip()) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if not lines:
        raise EntryError(field, text, "Nothing was pasted.", "Paste two columns: the value and the signal.")
    heading, body = _part(lines, field)
    if len(body) > MOST_ROWS:
        raise EntryError(field, text[:40], f"That is {len(body):,} rows.", f"At most {MOST_ROWS:,} fit here.")
    columns = _columns(heading, kind, quantity, unit, field)
    rows = [_row(number, cells, columns, field) for number, cells in body]
    if len(rows) <= 1:
        raise EntryError(field, text[:40], "That is one row.", "A curve needs at least two.")
    return TableText(tuple(rows), columns.note(len(rows)))


@dataclass(frozen=True, kw_only=True)
class _Columns:
    value_at: int
    value_unit: Unit
    signal_at: int
    signal_unit: Unit
    is_share: bool
    has_heading: bool

    def note(self, count: int) -> str:
        order = ("value", "signal") if self.value_at < self.signal_at else ("signal", "value")
        said = "by its heading" if self.has_heading else "without a heading"
        return (
            f"{count} rows, {order[0]} before {order[1]} {said}; values in {self.value_unit.label}, "
            f"signals in {self.signal_unit.label}."
        )


def _part(
    lines: Sequence[tuple[int, str]], field: str
) -> tuple[tuple[str, ...] | None, list[tuple[int, tuple[str, ...]]]]:
    """The heading, None where there is none, and every row's cells; `EntryError` that names the row that is not two numbers."""
    try:
        layout = sniff([line for _, line in lines])
    except AmbiguousCommasError as error:
        raise EntryError(field, error.line, str(error), "Put a semicolon or a tab between the columns.") from error
    mark = "," if layout is None else layout.mark
    first = 1 if layout is None else layout.first
    parted = [(number, cells_of(line, mark)) for number, line in lines[first:]]
    bad = next((n for n, row in parted if len(row) <= 1 or not (is_number(row[0]) and is_number(row[1]))), None)
    if layout is None or first > 1 or bad is not None:
        number = lines[-1][0] if bad is None else bad
        line = next(line for n, line in lines if n == number)
        problem = f"Row {number}, {quoted(line)}, is not two numbers."
        would_do = "Give a value and a signal in each row, parted by a tab, semicolon or comma."
        raise EntryError(field, line, problem, would_do)
    return (layout.headings[-1] if layout.headings else None), parted


def _columns(heading: Sequence[str] | None, kind: CurveKind, quantity: Quantity, unit: str, field: str) -> _Columns:
    is_share = kind in _SHARES
    signal_quantity = _SIGNAL_QUANTITY[kind]
    value_unit, signal_unit = unit_for(unit), unit_for(FIXED_UNIT[signal_quantity])
    if heading is None:
        return _Columns(
            value_at=0,
            value_unit=value_unit,
            signal_at=1,
            signal_unit=signal_unit,
            is_share=is_share,
            has_heading=False,
        )
    found: dict[str, tuple[int, Unit]] = {}
    for at, name in enumerate(heading[:2]):
        what, named = _heading(name, quantity, signal_quantity, field)
        if what in found:
            raise EntryError(field, name, f"Both columns look like the {what}.", "Name one signal and the other value.")
        if what:
            found[what] = (at, named or (signal_unit if what == "signal" else value_unit))
    if "signal" not in found:
        at = 1 - found["value"][0] if "value" in found else 1
        found["signal"] = (at, signal_unit)
    if "value" not in found:
        found["value"] = (1 - found["signal"][0], value_unit)
    (value_at, its_unit), (signal_at, other_unit) = found["value"], found["signal"]
    return _Columns(
        value_at=value_at,
        value_unit=its_unit,
        signal_at=signal_at,
        signal_unit=other_unit,
        is_share=is_share,
        has_heading=True,
    )


def _heading(name: str, quantity: Quantity, signal_quantity: Quantity, field: str) -> tuple[str, Unit | None]:
    """Which column a heading is, and its unit where it names one."""
    bracketed = IN_BRACKETS.search(name)
    match = bracketed or _BEHIND.search(name)
    word = "" if match is None else match[1]
    for candidate in (word, name.strip()):
        for what, of in (("signal", signal_quantity), ("value", quantity)):
            named = units_named(candidate, of)
            if len(named) == 1 and (bracketed is not None or named[0].offered):  # “at” is a word before it is a unit
                return (_by_word(name) if signal_quantity is quantity else what), named[0]
    if bracketed is not None:
        known = ", ".join(u.label for u in (*units_of(quantity), *units_of(signal_quantity)))
        raise EntryError(
            field, name, f"{quoted(name)}: {quoted(word)} is not a unit that fits here.", f"Known are {known}."
        )
    return _by_word(name), None


def _by_word(name: str) -> str:
    words = set(re.findall(r"[a-z]+", name.casefold()))
    if words & _SIGNAL_WORDS:
        return "signal"
    return "value" if words else ""


def _row(number: int, cells: Sequence[str], columns: _Columns, field: str) -> tuple[float, float]:
    numbers = []
    for at, unit in ((columns.signal_at, columns.signal_unit), (columns.value_at, columns.value_unit)):
        text = cells[at]
        numbers.append(to_fixed(number_of(text), unit.code))
    signal, value = numbers
    if not (abs(signal) < 1e12 and abs(value) < 1e12):  # noqa: PLR2004  also refuses what is infinite
        raise EntryError(
            field, " ".join(cells), f"Row {number} holds a number that no sensor gives.", "Check its digits."
        )
    return (signal / 100 if columns.is_share else signal), value


def write_table(curve: Curve, points: Sequence[tuple[float, float]], unit: str) -> str:
    """Points of (signal, value) as CSV with a heading that `read_table` reads, values in `unit`."""
    share = curve.kind in _SHARES
    signal_unit = unit_for(FIXED_UNIT[_SIGNAL_QUANTITY[curve.kind]])
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow((f"{curve.quantity} ({unit_for(unit).label})", f"signal ({signal_unit.label})"))
    for signal, value in points:
        writer.writerow((repr(from_fixed(value, unit)), repr(signal * 100 if share else signal)))
    return out.getvalue()
