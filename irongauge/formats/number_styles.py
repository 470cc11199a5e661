"""How the numbers of each column are written: a decimal point or comma, and what parts thousands.

`1,087` is a little more than one where commas are decimal marks, and more than a thousand where points are: the other cells of
the file tell, or `987` in the same column. A column in which both stand has its decimal mark last: `1.087,5`.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import Enum, auto
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import polars as pl

__all__ = ["ODD_MARKS", "NumberStyle", "as_number", "styles_of"]


class NumberStyle(Enum):
    """What commas and points are in a column."""

    POINT = auto()
    COMMA = auto()
    POINT_AND_THOUSANDS = auto()  # 1,087.5
    COMMA_AND_THOUSANDS = auto()  # 1.087,5


_LIKE_ONE = re.compile(r"[+\-−]?[\d.,]*\d[\d.,]*(?:[eE][+-]?\d+)?")
_PARTED = "(\\d)['’\u00a0\u202f](\\d)"  # 12'500, or with a narrow blank: never a decimal mark
ODD_MARKS = re.compile(f"−|{_PARTED}")  # what no parser of tables knows in a number
_GROUPS = {mark: re.compile(rf"[+\-−]?[1-9]\d{{0,2}}(?:{re.escape(mark)}\d{{3}})+") for mark in ",."}
_DECIMAL = {
    mark: re.compile(rf"[+\-−]?(?:0?|\d+){re.escape(mark)}(?:\d{{1,2}}|\d{{4,}})?(?:[eE][+-]?\d+)?") for mark in ",."
}
_HUNDREDS = re.compile(r"[+\-−]?[1-9]\d\d")
_BELOW_ONE = {mark: re.compile(rf"[+\-−]?0?{re.escape(mark)}\d+") for mark in ",."}


def styles_of(rows: Sequence[Sequence[str]], width: int) -> tuple[NumberStyle, ...]:
    """The style of each of so many columns, from rows of cells."""
    plain = [[re.sub(_PARTED, r"\1\2", cell) for cell in row] for row in rows]
    columns = [[row[at] for row in plain if at < len(row) and _LIKE_ONE.fullmatch(row[at])] for at in range(width)]
    sure = {mark: any(_is_surely_decimal(cell, mark) for cells in columns for cell in cells) for mark in ",."}
    return tuple(_style_of(cells, sure) for cells in columns)


def _is_surely_decimal(cell: str, mark: str) -> bool:
    return bool(_DECIMAL[mark].fullmatch(cell) or _BELOW_ONE[mark].fullmatch(cell))


def _style_of(cells: Sequence[str], sure: dict[str, bool]) -> NumberStyle:
    both = next((cell for cell in cells if "," in cell and "." in cell), None)
    if both is not None:
        is_point_last = both.rindex(".") > both.rindex(",")
        return NumberStyle.POINT_AND_THOUSANDS if is_point_last else NumberStyle.COMMA_AND_THOUSANDS
    commas, points = ([cell for cell in cells if mark in cell] for mark in ",.")
    if commas and not points:
        return NumberStyle.POINT_AND_THOUSANDS if _are_groups(cells, commas, ",", sure) else NumberStyle.COMMA
    is_grouped = points and not commas and _are_groups(cells, points, ".", sure)
    return NumberStyle.COMMA_AND_THOUSANDS if is_grouped else NumberStyle.POINT


def _are_groups(cells: Sequence[str], marked: Sequence[str], mark: str, sure: dict[str, bool]) -> bool:
    """True where the mark parts thousands: the file has the other one for decimals, or the column has hundreds without any."""
    if sure[mark] or not all(_GROUPS[mark].fullmatch(cell) for cell in marked):
        return False
    return sure["." if mark == "," else ","] or any(_HUNDREDS.fullmatch(cell) for cell in cells)


def as_number(cells: pl.Expr, style: NumberStyle) -> pl.Expr:
    """Cells of text with a plain decimal point and a plain minus."""
    plain = cells.str.strip_chars().str.replace("−", "-", literal=True).str.replace_all(_PARTED, "${1}${2}")
    if style is NumberStyle.POINT_AND_THOUSANDS:
        return plain.str.replace_all(",", "", literal=True)
    if style is NumberStyle.COMMA_AND_THOUSANDS:
        plain = plain.str.replace_all(".", "", literal=True)
    return plain if style is NumberStyle.POINT else plain.str.replace(",", ".", literal=True)
