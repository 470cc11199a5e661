"""Lists as people type them, a thing to a line: every bad line is told at once, and nothing is taken from such a list."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

from irongauge.errors import BadListError, EntryError, as_sentence

__all__ = ["lines_of", "made_of_each"]

_MOST_TOLD = 20  # of the problems of one list; the rest is counted
_Row = TypeVar("_Row")
_Made = TypeVar("_Made")


def lines_of(text: str) -> list[tuple[int, str]]:
    """The lines that hold something, with their numbers as an editor counts them."""
    return [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]


def made_of_each(rows: Iterable[tuple[int, _Row]], field: str, make: Callable[[_Row], _Made]) -> tuple[_Made, ...]:
    """Every row made into what it says; `BadListError` with all that is wrong, each with its line, for the field it is from."""
    found, problems = [], []
    for number, row in rows:
        try:
            found.append(make(row))
        except EntryError as error:
            problems.append(f"Line {number}: {error}")
        except ValueError as error:
            problems.append(f"Line {number}: {as_sentence(error)}")
    if problems:
        more = len(problems) - _MOST_TOLD
        raise BadListError(field, problems[:_MOST_TOLD] + ([f"And {more} more."] if more > 0 else []))
    return tuple(found)
