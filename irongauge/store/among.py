"""One column among many values, in a statement that is the same however many they are."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

from sqlalchemy import ColumnElement, any_, literal
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import InstrumentedAttribute
from sqlalchemy.types import Uuid

__all__ = ["among"]


def among(
    column: InstrumentedAttribute[UUID] | InstrumentedAttribute[UUID | None], uids: Iterable[UUID]
) -> ColumnElement[bool]:
    """`column = ANY(uids)`: as `IN`, but that the driver need not read a mark for each of them again."""
    return column == any_(literal(list(uids), ARRAY(Uuid)))
