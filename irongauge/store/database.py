"""The engine, and one unit of work: everything in it is committed together, or nothing is."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import sessionmaker

from irongauge.store.acting import tell_who_acts
from irongauge.store.repositories import Store

__all__ = ["Database", "broken_constraint", "psycopg_url"]


def psycopg_url(url: str) -> str:
    """A PostgreSQL address as anyone writes it, for the driver that we use."""
    for prefix in ("postgresql://", "postgres://"):
        if url.startswith(prefix):
            return "postgresql+psycopg://" + url.removeprefix(prefix)
    return url


def broken_constraint(error: IntegrityError) -> str:
    """The name of the constraint that a write broke; empty where the driver does not say."""
    diagnostics = getattr(error.orig, "diag", None)
    return str(getattr(diagnostics, "constraint_name", None) or "")


class Database:
    """One shop database. Safe to share between threads; each unit of work has a connection of its own."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(
            psycopg_url(url), pool_size=8, max_overflow=8, connect_args={"connect_timeout": 5}
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        tell_who_acts(self._sessions)

    @contextmanager
    def unit(self) -> Iterator[Store]:
        """A unit of work, committed when the block ends and rolled back when it raises."""
        with self._sessions.begin() as session:
            yield Store(session)

    @contextmanager
    def turn(self, number: int) -> Iterator[None]:
        """The block runs in one process at a time, of all that work on this database, for each `number`."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text("SELECT pg_advisory_lock(:number)"), {"number": number})
            try:
                yield
            finally:
                connection.execute(text("SELECT pg_advisory_unlock(:number)"), {"number": number})

    def answers(self) -> bool:
        """True when the database answers a query; raises the driver's error when it does not."""
        with self.engine.connect() as connection:
            return bool(connection.execute(text("SELECT 1")).scalar_one())

    def close(self) -> None:
        self.engine.dispose()
