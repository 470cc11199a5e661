"""What is said of a file that waits for a worker: how far it is, or that nobody takes it and what would help."""

from __future__ import annotations

from datetime import datetime, timedelta

from irongauge.workflows.shop.view import now

__all__ = ["UNSERVED", "is_unserved", "said_of_waiting"]

_UNSERVED_AFTER = timedelta(seconds=30)  # a worker that lives looks every five seconds
UNSERVED = (
    "No worker has taken it for half a minute. The file is kept. Start Iron Gauge again, or run `python -m irongauge work`: "
    "the reading then begins by itself."
)


def is_unserved(added_at: datetime, *, has_begun: bool) -> bool:
    """True for what waits longer than any worker that lives would let it."""
    return not has_begun and now() - added_at > _UNSERVED_AFTER


def said_of_waiting(doing: str, added_at: datetime, *, has_begun: bool) -> str:
    """What is being done with it, or that nobody does."""
    return UNSERVED if is_unserved(added_at, has_begun=has_begun) else doing
