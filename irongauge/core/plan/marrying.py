"""Two harnesses put together: cavity by cavity, matched by function, then by number, then by colour, and what contradicts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

__all__ = ["Cavity", "Joined", "MatchedBy", "marry"]


@dataclass(frozen=True)
class Cavity:
    """One cavity of a connector list: its number, the wire's colour, what it is for. Empty ones have neither."""

    number: str
    colour: str = ""
    function: str = ""

    @property
    def is_empty(self) -> bool:
        """True where nothing is known to be in it."""
        return not self.colour.strip() and not self.function.strip()


class MatchedBy(StrEnum):
    """By what two cavities were matched."""

    FUNCTION = "function"
    NUMBER = "number"
    COLOUR = "colour"
    NOTHING = "nothing"


@dataclass(frozen=True)
class Joined:
    """One row of the new map: what goes to what, by what it was matched, and what to look at."""

    ours: Cavity | None
    theirs: Cavity | None
    by: MatchedBy
    notes: tuple[str, ...] = ()


_LEFT_OVER = "Nothing on our side: cap it, or find what it is for."


def _clashes(by: MatchedBy, ours: Cavity, theirs: Cavity) -> bool:
    """True where both have functions, which did not match, so that a number or a colour must not."""
    return by is not MatchedBy.FUNCTION and bool(_plain(ours.function) and _plain(theirs.function))


def marry(ours: Sequence[Cavity], theirs: Sequence[Cavity]) -> tuple[Joined, ...]:
    """The new map, in the order of our list, then what is left of theirs.

    A function matches whatever its number and colour; what has none is matched by its number, then by a colour that only one has
    on either side.
    """
    left = [cavity for cavity in theirs if not cavity.is_empty]
    rows: dict[int, tuple[Cavity, MatchedBy]] = {}
    for by, key in (
        (MatchedBy.FUNCTION, lambda c: _plain(c.function)),
        (MatchedBy.NUMBER, lambda c: c.number.strip().lower()),
        (MatchedBy.COLOUR, lambda c: _plain(c.colour)),
    ):
        open_ours = [index for index, cavity in enumerate(ours) if not cavity.is_empty and index not in rows]
        for index in open_ours:
            mine = key(ours[index])
            same = [cavity for cavity in left if key(cavity) == mine]
            rivals = [other for other in open_ours if key(ours[other]) == mine]
            if mine and len(same) == len(rivals) == 1 and not _clashes(by, ours[index], same[0]):
                rows[index] = (same[0], by)
                left.remove(same[0])
    told = [
        Joined(cavity, rows[index][0], rows[index][1], _notes(cavity, rows[index][0]))
        if index in rows
        else Joined(cavity, None, MatchedBy.NOTHING, (_alone(cavity),))
        for index, cavity in enumerate(ours)
    ]
    told += [
        Joined(None, cavity, MatchedBy.NOTHING, ("Nothing on our side: cap it, or find what it is for.",))
        for cavity in left
    ]
    return tuple(_with_colour_clashes(told))


def _plain(text: str) -> str:
    return " ".join(text.lower().replace("/", " ").replace("-", " ").split())


def _alone(cavity: Cavity) -> str:
    return "Empty: put a plug in." if cavity.is_empty else "Nothing on the other side fits it: look it up."


def _notes(ours: Cavity, theirs: Cavity) -> tuple[str, ...]:
    notes = []
    if ours.colour and theirs.colour and _plain(ours.colour) != _plain(theirs.colour):
        notes.append(f"The colour changes on the way: {ours.colour} to {theirs.colour}. Label both.")
    if ours.number.strip().lower() != theirs.number.strip().lower():
        notes.append(f"The number changes: {ours.number} to {theirs.number}.")
    return tuple(notes)


def _with_colour_clashes(rows: list[Joined]) -> list[Joined]:
    """Where a wire's colour stands on the other side too, but with another function: the mistake that is made by eye."""
    theirs: dict[str, Cavity] = {}
    for row in rows:
        if row.theirs is not None and row.theirs.colour:
            theirs.setdefault(_plain(row.theirs.colour), row.theirs)
    found = []
    for row in rows:
        other = theirs.get(_plain(row.ours.colour)) if row.ours is not None and row.ours.colour else None
        if other is None or row.ours is None or other == row.theirs or not (other.function and row.ours.function):
            found.append(row)
            continue
        note = f"Same colour, other function: their {other.colour} in {other.number} is {other.function}."
        found.append(Joined(row.ours, row.theirs, row.by, (*row.notes, note)))
    return found
