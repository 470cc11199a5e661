"""Bring a database to the newest set of tables, or back."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, text

__all__ = ["migrate", "migration_config"]

HERE = Path(__file__).resolve().parent / "migrations"
_LOCK = 8_470_001  # any number of our own: two processes that start together take turns


def migration_config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(HERE))
    config.set_main_option("path_separator", "os")
    return config


def migrate(engine: Engine, revision: str = "head") -> bool:
    """Upgrade to `revision` (`head`), or downgrade to `base`. False when the database was there already."""
    config = migration_config()
    head = ScriptDirectory.from_config(config).get_current_head()
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        there = connection.scalar(text("SELECT to_regclass('alembic_version')"))
        current = connection.scalar(text("SELECT version_num FROM alembic_version")) if there else None
        if revision == "head" and current == head:
            return False
        config.attributes["connection"] = connection
        (command.downgrade if revision == "base" else command.upgrade)(config, revision)
    return True
