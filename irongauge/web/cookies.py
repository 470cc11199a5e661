"""The person and the instruments chosen last on this device, kept in a cookie for the next form."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from starlette.requests import Request
from starlette.responses import Response

__all__ = ["recall", "remember"]

_THIRTY_DAYS_S = 30 * 86400


def remember(response: Response, cookie: str, chosen: Sequence[UUID | None]) -> None:
    """Keep what was chosen, in its order; nothing chosen is kept as such."""
    kept = ".".join(str(uid or "") for uid in chosen)
    response.set_cookie(cookie, kept, max_age=_THIRTY_DAYS_S, httponly=True, samesite="strict")


def recall(request: Request, cookie: str, count: int) -> list[str]:
    """What was chosen last, `count` texts that may be anything; empty if nothing of that length is kept."""
    kept = request.cookies.get(cookie, "").split(".")
    return kept if len(kept) == count else []
