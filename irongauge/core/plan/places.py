"""Where a value is used: everything that refers to an input, and what must change before it is moved or removed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from uuid import UUID

from irongauge.core.plan.board import PinAt

__all__ = ["Change", "LeftBehind", "PlaceKind", "ValuePlace", "changes_for", "may_be_removed", "moved_from", "uses_now"]


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
    """One place that uses a function's value. One that is done has been changed, by whom and when is told elsewhere.

    `was_at` is the pin that it still points to, where its function was moved since.
    """

    uid: UUID
    function_uid: UUID
    kind: PlaceKind
    name: str
    done: bool = False
    was_at: PinAt | None = None

    @property
    def title(self) -> str:
        """What it is and its name, as a sentence begins with it."""
        return f"{self.kind.capitalize()} {self.name}"

    @property
    def may_switch(self) -> bool:
        """True for one that makes something happen by itself."""
        return self.kind is PlaceKind.OUTPUT


@dataclass(frozen=True)
class Change:
    """What is to be changed at a place, and whether something may happen by itself until then."""

    place: ValuePlace
    sentence: str
    is_armed: bool


@dataclass(frozen=True, kw_only=True)
class LeftBehind:
    """A place that still points to the input which its function has left. Inputs are told by name; `here` is empty for none.

    `stands_there` names what stands on the old input now.
    """

    place: ValuePlace
    function: str
    old_input: str
    here: str
    stands_there: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """What is to be done, in one line."""
        to = f"Point it to {self.here}" if self.here else "Take it out"
        return f"{self.place.kind.capitalize()} “{self.place.name}” still reads {self.old_input}. {to}"

    @property
    def change(self) -> Change:
        """The old pin, what stands there now, and where it belongs."""
        there = ", ".join(self.stands_there) or "nothing"
        to = f"Point it to {self.here}" if self.here else "Take it out, or give it another value"
        sentence = (
            f"{self.place.title} still reads {self.old_input}, where {there} "
            f"{'stand' if len(self.stands_there) > 1 else 'stands'} now. {to}: {self.function} "
            f"{f'is on {self.here}' if self.here else 'is on no input'}."
        )
        if self.place.may_switch:
            sentence += (
                f" Until then it follows {there if self.stands_there else 'whatever is put'} on {self.old_input}"
            )
            sentence += " and can switch on by itself."
        return Change(self.place, sentence, self.place.may_switch)


def changes_for(places: Sequence[ValuePlace], old_input: str, new_input: str | None) -> tuple[Change, ...]:
    """What changes when a function leaves an input, those that may act by themselves first: said before it is done."""
    to = f"point it to {new_input}" if new_input else "take it out, or point it elsewhere"
    found = []
    for place in places:
        sentence = f"{place.title}: {to}."
        if place.may_switch:
            sentence += f" Until then it follows whatever stands on {old_input}, and will switch on by itself."
        found.append(Change(place, sentence, place.may_switch))
    return _armed_first(found)


def uses_now(
    places: Sequence[ValuePlace], here: str | None, left_behind: Callable[[ValuePlace], LeftBehind]
) -> tuple[Change, ...]:
    """How each place that uses a function stands now; `left_behind` tells of one that points to an input that was left."""
    found = []
    for place in places:
        if place.was_at is not None and not place.done:
            found.append(left_behind(place).change)
        elif here is None:
            found.append(Change(place, f"{place.title}: it is on no input yet.", is_armed=False))
        else:
            found.append(Change(place, f"{place.title} reads {here}.", is_armed=False))
    return _armed_first(found)


def _armed_first(changes: Sequence[Change]) -> tuple[Change, ...]:
    """Those that may act by themselves first, what is done last."""
    return tuple(sorted(changes, key=lambda c: (c.place.done, not c.is_armed, c.place.kind, c.place.name)))


def moved_from(place: ValuePlace, left: PinAt | None, to: PinAt | None) -> PinAt | None:
    """The pin that a place still points to once its function goes from one to another; None where it comes back to it.

    What was not changed since an earlier move points further back.
    """
    points_to = place.was_at if place.was_at is not None and not place.done else left
    return None if points_to == to else points_to


def may_be_removed(places: Sequence[ValuePlace]) -> bool:
    """True when no place is left that uses the value."""
    return all(place.done for place in places)
