"""The base of every part of a file, and the kinds of text, number and time that they are made of.

A file is held to the limits that a form has: what is beyond them would be taken in, and break a page later.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, get_args

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, model_validator

__all__ = ["Day", "FilePart", "Finite", "Long", "Moment", "Name", "Positive", "Short"]

_FIRST_YEAR, _LAST_YEAR = 2000, 2100
_MOST = 1e9  # no instrument of this trade shows more: 1 GΩ


def _of_our_time(moment: datetime) -> datetime:
    if not _FIRST_YEAR <= moment.year <= _LAST_YEAR:
        msg = f"{moment.year} is not a year of a shop: {_FIRST_YEAR} to {_LAST_YEAR}"
        raise ValueError(msg)
    return moment


Name = Annotated[str, StringConstraints(min_length=1, max_length=80)]
Short = Annotated[str, StringConstraints(max_length=80)]
Long = Annotated[str, StringConstraints(max_length=200)]
Finite = Annotated[float, Field(ge=-_MOST, le=_MOST, allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, le=_MOST, allow_inf_nan=False)]
Day = Annotated[date, Field(ge=date(_FIRST_YEAR, 1, 1), le=date(_LAST_YEAR, 12, 31))]
Moment = Annotated[AwareDatetime, AfterValidator(_of_our_time)]


class FilePart(BaseModel):
    """Every name must be known, and true and false are no numbers."""

    model_config = ConfigDict(extra="forbid")

    @model_validator(mode="before")
    @classmethod
    def _no_flag_is_a_number(cls, told: object) -> object:
        """JSON's true and false would be taken for 1 and 0."""
        if isinstance(told, dict):
            for name, value in told.items():
                field = cls.model_fields.get(name)
                if isinstance(value, bool) and field is not None and not _may_be_a_flag(field.annotation):
                    msg = f"{name} is {str(value).lower()}, which is no value here"
                    raise ValueError(msg)
        return told


def _may_be_a_flag(annotation: object) -> bool:
    """True where a field takes true and false, or anything."""
    parts = get_args(annotation)
    return (
        annotation is bool
        or annotation is Any
        or any(_may_be_a_flag(part) for part in parts if not isinstance(part, str))
    )
