"""What endpoints share: the base of a body, its example, and the core's refusals as sentences."""

from __future__ import annotations

import tempfile
from collections.abc import AsyncIterator, Callable
from typing import IO, Any, TypeVar

from fastapi import Body
from starlette.requests import Request

from irongauge.errors import EntryError, as_sentence
from irongauge.formats.parts import FilePart

__all__ = ["ERRORS", "MISSING", "PROBLEM", "BodyIn", "body_file", "core_of", "example"]

_TOLD = {"description": "Problem details", "content": {"application/problem+json": {}}}
# What an endpoint may answer beside its result, for the description: a body that cannot be used, what is not in this shop, and
# for the shop's own things what others did meanwhile.
PROBLEM: dict[int | str, dict[str, Any]] = {422: _TOLD}
MISSING: dict[int | str, dict[str, Any]] = PROBLEM | {404: _TOLD | {"description": "Not in this shop"}}
ERRORS: dict[int | str, dict[str, Any]] = {404: _TOLD, 409: _TOLD, 422: _TOLD}
Made = TypeVar("Made")


class BodyIn(FilePart):
    """A body in which every name must be known, as in a file."""


def example(name: str, value: dict[str, Any]) -> Any:
    """A body that the description shows, and that works as it stands."""
    return Body(openapi_examples={name: {"value": value}})


def core_of(make: Callable[[], Made]) -> Made:
    """What the core makes of a body; what it refuses is the caller's to put right."""
    try:
        return make()
    except ValueError as error:
        raise EntryError("body", "", as_sentence(error)) from error


_PIECE = 1 << 20


async def body_file(request: Request) -> AsyncIterator[IO[bytes]]:
    """The request's body, on the disk where it is large."""
    with tempfile.SpooledTemporaryFile(_PIECE) as file:
        async for piece in request.stream():
            file.write(piece)
        file.seek(0)
        yield file
