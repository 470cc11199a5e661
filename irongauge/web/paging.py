"""A long list in pages: which part of it is shown, and where that stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

__all__ = ["Paged", "paged"]

_Thing = TypeVar("_Thing")
_LONGEST = 6  # digits of a page's number


@dataclass(frozen=True)
class Paged(Generic[_Thing]):
    """One page of a list: its things, its number from 1 on, how many pages there are, and the whole list's length."""

    things: Sequence[_Thing]
    number: int
    pages: int
    size: int
    total: int

    @property
    def first(self) -> int:
        """The place of its first thing in the whole list, from 1 on."""
        return (self.number - 1) * self.size + 1


def paged(things: Sequence[_Thing], typed: str, size: int) -> Paged[_Thing]:
    """The page that was asked for, or the nearest one that there is."""
    pages = max(1, -(-len(things) // size))
    is_number = typed.isascii() and typed.isdigit() and len(typed) <= _LONGEST
    number = min(max(int(typed), 1), pages) if is_number else 1
    first = (number - 1) * size
    return Paged(things[first : first + size], number, pages, size, len(things))
