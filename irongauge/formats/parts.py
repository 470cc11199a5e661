"""The base of every part of a file, and the kinds of text and number that they are made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

__all__ = ["FilePart", "Finite", "Long", "Name", "Positive", "Short"]

Name = Annotated[str, StringConstraints(min_length=1, max_length=80)]
Short = Annotated[str, StringConstraints(max_length=80)]
Long = Annotated[str, StringConstraints(max_length=200)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]


class FilePart(BaseModel):
    model_config = ConfigDict(extra="forbid")
