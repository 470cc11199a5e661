"""Where a value is used: everything that refers to an input, and what must change before it is moved or removed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from uuid import UUID

__all__ = ["Change", "PlaceKind", "ValuePlace", "changes_for", "may_be_removed"]


class PlaceKind(StrEnum):
    """What can refer to an input or to a sensor's value."""

    TABLE = "table"
    OUTPUT = "output’s condition"
    GAUGE = "gauge"
    LOG = "log channel"
    WARNING = "warning"
    FIGURES = "curve’s figures"


@dataclass(frozen=True, kw_only=True)
class ValuePlace:
    """One place that uses a function's value. One that is done has been changed, by whom and when is told elsewhere."""

    uid: UUID
    function_uid: UUID
    kind: PlaceKind
    name: str
    done: bool = False


@dataclass(frozen=True)
class Change:
    """What is to be changed at a place, and whether something may happen by itself until then."""

    place: ValuePlace
    sentence: str
    is_armed: bool


def changes_for(places: Sequence[ValuePlace], old_input: str, new_input: str | None) -> tuple[Change, ...]:
    """What changes when a function leaves an input, those that may act by themselves first, what is done last."""
    found = []
    for place in places:
        is_armed = place.kind is PlaceKind.OUTPUT and not place.done
        to = f"point it to {new_input}" if new_input else "take it out, or give it another value"
        sentence = f"{place.kind.capitalize()} {place.name}: {to}."
        if is_armed:
            sentence += f" Until then it follows whatever stands on {old_input}, and will switch on by itself."
        found.append(Change(place, sentence, is_armed))
    return tuple(sorted(found, key=lambda c: (c.place.done, not c.is_armed, c.place.kind, c.place.name)))


def may_be_removed(places: Sequence[ValuePlace]) -> bool:
    """True when no place is left that uses the value."""
    return all(place.done for place in places)
