"""The kit check: what must be there before work starts, ticked by whom and when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from uuid import UUID

__all__ = ["KitKind", "KitLine", "open_lines", "total_price"]


class KitKind(StrEnum):
    """What a line of the list is."""

    PART = "part"
    UPDATE = "module update"
    SEALANT = "sealant and torque"
    SPARE = "spare to hand over"
    TOOL = "tool"


@dataclass(frozen=True, kw_only=True)
class KitLine:
    """One line; it is ticked where `done_at` is set. `price` is in the shop's currency, None where there is none."""

    uid: UUID
    kind: KitKind
    text: str
    price: float | None = None
    done_by_uid: UUID | None = None
    done_at: datetime | None = None

    def __post_init__(self) -> None:
        if (self.done_by_uid is None) != (self.done_at is None):
            msg = "a ticked line says who ticked it and when"
            raise ValueError(msg)


def open_lines(lines: Sequence[KitLine]) -> tuple[KitLine, ...]:
    """What is not there yet."""
    return tuple(line for line in lines if line.done_at is None)


def total_price(lines: Sequence[KitLine]) -> float:
    """The prices that are known, added up."""
    return sum(line.price for line in lines if line.price is not None)
