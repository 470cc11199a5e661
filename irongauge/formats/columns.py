"""How a text file's columns are laid out: what parts them, where the numbers begin, what stands before them.

One sniffer serves all files.

    Time (ms);Channel A (mV)      headings, as many lines as there are before the first row of numbers
    0,000;12,4                    the mark: tab, semicolon, upright stroke, comma or blanks; a point or a comma in the numbers
    0,010;13,1

The mark is the one by which most lines become rows of numbers of one width. That needs no guess about the decimal mark: a
comma that stands inside numbers leaves cells that are none.
"""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from irongauge.errors import EntryError, quoted

__all__ = ["IN_BRACKETS", "MARKS", "AmbiguousCommasError", "Layout", "cells_of", "is_number", "number_of", "sniff"]

MARKS = ("\t", ";", "|", ",", " ")  # a blank stands for any number of them; the first that serves best is taken
IN_BRACKETS = re.compile(r"[\[(]\s*([^\])]+?)\s*[\])]")  # a unit behind a heading: `Time (ms)`, `p [bar]`
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
_BOTH_INSIDE_AND_BETWEEN = 4  # cells into which commas part two numbers that have decimal commas themselves
_LEAST_CELLS = 2
_LONGEST_LINE = 100_000


class AmbiguousCommasError(ValueError):
    """Commas stand both between and inside the numbers, so that nobody can tell them apart; `line` is one such line.

    Its text is the sentence for people.
    """

    def __init__(self, line: str) -> None:
        self.line = line
        super().__init__(f"{quoted(line)} has commas both between and inside its numbers.")


@dataclass(frozen=True)
class Layout:
    """What parts the cells, the headings before the numbers, the first row of numbers (counted from 0), and their width."""

    mark: str
    headings: tuple[tuple[str, ...], ...]
    first: int
    width: int


def is_number(cell: str) -> bool:
    """True for a plain number with a point or a comma as the decimal mark."""
    return _NUMBER.fullmatch(cell) is not None and cell.isascii()


def number_of(cell: str) -> float:
    """A plain number with a point or a comma; `ValueError` for what is none.

    >>> number_of("12,5")
    12.5
    """
    return float(cell.replace(",", "."))


def cells_of(line: str, mark: str) -> tuple[str, ...]:
    """A line's cells without blanks around them, quotes taken off, and without empty ones at its end.

    `EntryError` for a line that is no row of any table.
    """
    if len(line) > _LONGEST_LINE:
        problem = f"One of its lines has {len(line):,} characters, which is no row of a table."
        raise EntryError("file", line, problem, "Save it with a row to a line.")
    parted = line.split() if mark == " " else next(csv.reader([line], delimiter=mark, skipinitialspace=True), [])
    cells = [cell.strip().replace("−", "-") for cell in parted]
    while cells and not cells[-1]:
        cells.pop()
    return tuple(cells)


def sniff(lines: Sequence[str], is_value: Callable[[str], bool] = is_number, *, leading: bool = True) -> Layout | None:
    """The layout of the lines; None where no mark makes rows of at least two values.

    `is_value` says what counts as one (a drive has times of day). With `leading` the first two cells must be values, else any
    two. Raises `AmbiguousCommasError`.
    """
    best: tuple[int, Layout] | None = None
    for mark in MARKS:
        rows = [cells_of(line, mark) for line in lines]
        is_row = [_holds_values(row, is_value, leading=leading) for row in rows]
        widths = Counter(len(row) for row, good in zip(rows, is_row, strict=True) if good)
        if not widths:
            continue
        width, count = widths.most_common(1)[0]
        if best is None or count > best[0]:
            first = next(at for at, row in enumerate(rows) if is_row[at] and len(row) == width)
            best = count, Layout(mark, tuple(rows[:first]), first, width)
    if best is None:
        return None
    layout = best[1]
    body = [line for line in lines[layout.first :] if line.strip()]
    if layout.mark == "," and layout.width == _BOTH_INSIDE_AND_BETWEEN and not any("." in line for line in body):
        raise AmbiguousCommasError(body[0])
    return layout


def _holds_values(row: Sequence[str], is_value: Callable[[str], bool], *, leading: bool) -> bool:
    looked_at = row[:_LEAST_CELLS] if leading else row
    return sum(is_value(cell) for cell in looked_at) >= _LEAST_CELLS
