"""A bus that is held while somebody looks at it: for tests and screenshots."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from uuid import UUID

from sqlalchemy import text

from irongauge.store.database import Database
from irongauge.workflows.live.listen import Listener
from irongauge.workflows.live.watching import look_at_live, want

__all__ = ["held", "until"]

_LET_GO = (
    "UPDATE bus_port SET wanted_until = NULL",
    "UPDATE live_recording SET ended_at = begun_at WHERE ended_at IS NULL",
    "UPDATE bus_request SET done_at = asked_at WHERE done_at IS NULL",
)


def until(holds: Callable[[], object], within_s: float = 60.0) -> None:
    """Wait until something holds, since a bus is a world of its own."""
    end = time.monotonic() + within_s
    while not holds():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.1)


@contextmanager
def held(database: Database, uid: UUID, *, speaks: bool = True) -> Iterator[None]:
    """A port that somebody looks at, with a listener on it; the block begins once it speaks."""
    want(database, uid)
    listener = Listener(database, uid)
    listener.start()
    if speaks:
        until(lambda: look_at_live(database, uid).values)
    try:
        yield
    finally:
        end = time.monotonic() + 60
        while listener.is_alive() and time.monotonic() < end:  # a page that is open wants it again
            with database.unit() as store:
                for statement in _LET_GO:
                    store.session.execute(text(statement))
            listener.join(timeout=0.3)
