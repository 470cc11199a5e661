"""Backups by themselves: one every so often, the oldest go, and the Floor says when the last one was made."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

import structlog
from sqlalchemy.exc import SQLAlchemyError

from irongauge.core.people.record import Seal
from irongauge.errors import SetupError
from irongauge.settings import Settings, keep_secret, read_secret
from irongauge.store.backup import Backup, read_backup, write_backup
from irongauge.store.database import Database
from irongauge.store.migrate import NEWEST, migrate, tables_of
from irongauge.workflows.people.anchors import note_end, note_restore
from irongauge.workflows.people.record import check_record
from irongauge.workflows.shop.view import now

__all__ = [
    "LastBackup",
    "back_up_if_due",
    "back_up_now",
    "backup_folder",
    "copy_before_migration",
    "keep_backing_up",
    "last_backup",
    "restore_now",
]

log = structlog.get_logger()

_TURN = 8_470_018
_LOOK_S = 300.0
_LATE = 2.0  # times the hours between two


@dataclass(frozen=True)
class LastBackup:
    """When the last backup was made, if one ever was; `problem` is why the newest try failed."""

    made_at: datetime | None
    problem: str
    is_late: bool


def backup_folder(settings: Settings) -> Path:
    return settings.backup_dir or settings.local_dir / "backups"


def last_backup(database: Database, hours: float) -> LastBackup:
    with database.unit() as store:
        made_at, problem = store.people.last_backup()
    is_late = hours > 0 and (made_at is None or now() - made_at > timedelta(hours=_LATE * hours))
    return LastBackup(made_at, problem, is_late)


def back_up_now(database: Database, settings: Settings, path: Path, key: Path | None) -> Backup:
    """Write a backup, and note that it was made or why not."""
    url = database.engine.url.render_as_string(hide_password=False)
    moment = now()
    try:
        made = write_backup(url, path, secret=read_secret(settings), key=key)
    except SetupError as error:
        _note(database, moment, path, 0, str(error))
        raise
    _note(database, moment, path, made.bytes_written, "")
    return made


def _note(database: Database, moment: datetime, path: Path, bytes_written: int, problem: str) -> None:
    """Say in the database what became of a backup; in one of an older program there is no place for it."""
    if tables_of(database.engine) == NEWEST:
        with database.unit() as store:
            store.people.note_backup(moment, path.name[:255], bytes_written, problem[:500])


def restore_now(database: Database, settings: Settings, path: Path, key: Path | None, *, replace: bool) -> Backup:
    """Put a backup into the database, its tables brought up to date and its record checked before it takes the old one's place.

    The server's secret comes with one that is encrypted, where there is none here. `SetupError` where the record does not hold.
    """
    url = database.engine.url.render_as_string(hide_password=False)
    database.close()

    def make_ready(there: str) -> None:
        beside = Database(there)
        try:
            migrate(beside.engine)
            problems = check_record(beside, []).problems
        finally:
            beside.close()
        if problems:
            raise SetupError(f"The record in this backup does not hold: {problems[0]} Nothing was changed.")

    held, secret = read_backup(url, path, key=key, replace=replace, make_ready=make_ready)
    keep_secret(settings, secret, replace=replace)
    gone = note_restore(settings.local_dir, Seal(held.record_number, bytes.fromhex(held.record_seal)))
    if gone:
        log.warning("an older backup was restored", lines_of_the_record_gone=gone)
    return held


def copy_before_migration(url: str, settings: Settings, there: str) -> Path:
    """A backup of a database as it is before its tables are changed."""
    path = backup_folder(settings) / f"before-{NEWEST}-{now():%Y-%m-%dT%H%M%S}.zip"
    write_backup(url, path, secret=read_secret(settings), key=settings.backup_key)
    log.info("copied before migration", tables=there, name=path.name)
    return path


def back_up_if_due(database: Database, settings: Settings) -> Backup | None:
    """One of however many servers makes the backup that is due, and removes those beyond what is kept."""
    if settings.backup_hours <= 0:
        return None
    with database.turn(_TURN):
        with database.unit() as store:
            made_at, _problem = store.people.last_backup()
            if store.shops.first() is None:
                return None
        if made_at is not None and now() - made_at < timedelta(hours=settings.backup_hours):
            return None
        folder = backup_folder(settings)
        made = back_up_now(database, settings, folder / f"iron-gauge-{now():%Y-%m-%dT%H%M%S}.zip", settings.backup_key)
    for old in sorted(folder.glob("iron-gauge-*.zip"))[: -settings.backup_keep]:
        old.unlink(missing_ok=True)
    return made


def keep_backing_up(database: Database, settings: Settings) -> None:
    """Look every few minutes, in a thread of its own, until the process ends."""

    def look() -> None:
        over = threading.Event()
        while not over.wait(_LOOK_S):
            try:
                back_up_if_due(database, settings)
                note_end(database, settings.local_dir)
            except (SetupError, SQLAlchemyError, OSError) as error:
                log.warning("no backup was made", why=type(error).__name__)

    threading.Thread(target=look, daemon=True, name="backups").start()
