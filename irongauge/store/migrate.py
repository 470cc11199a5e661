"""Bring a database to the newest set of tables, or back."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import Engine, text

from irongauge.errors import SetupError

if TYPE_CHECKING:
    from alembic.config import Config

__all__ = ["NEWEST", "migrate", "migration_config", "tables_of"]

# The newest migration. It stands here so that a start with nothing to do need not load the migration tool; a test
# holds it against the folder.
NEWEST = "0036"

HERE = Path(__file__).resolve().parent / "migrations"
_LOCK = 8_470_001  # any number of our own: two processes that start together take turns


def migration_config() -> Config:
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(HERE))
    config.set_main_option("path_separator", "os")
    return config


def tables_of(engine: Engine) -> str | None:
    """The newest migration that a database has; None for an empty one."""
    with engine.connect() as connection:
        if connection.scalar(text("SELECT to_regclass('alembic_version')")) is None:
            return None
        found: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
        return found


def migrate(engine: Engine, revision: str = "head") -> bool:
    """Upgrade to `revision` (`head`), or downgrade to `base`. False when the database was there already.

    `SetupError` for one that a newer program has made.
    """
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        there = connection.scalar(text("SELECT to_regclass('alembic_version')"))
        current = connection.scalar(text("SELECT version_num FROM alembic_version")) if there else None
        if revision == "head" and current == NEWEST:
            return False
        if revision == "head" and current is not None and current > NEWEST:  # four digits, so text sorts as they do
            raise SetupError(
                f"This database was made by a newer Iron Gauge: its tables are {current}, and this program knows {NEWEST}. "
                "Start the newer program; nothing was touched."
            )
        from alembic import command

        config = migration_config()
        config.attributes["connection"] = connection
        (command.downgrade if revision == "base" else command.upgrade)(config, revision)
    return True
