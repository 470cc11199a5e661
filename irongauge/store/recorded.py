"""What the record of changes is held against: each recorded table's rows as they stand, in the words of their lines."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

from irongauge.store.models import Base

__all__ = ["NOT_RECORDED", "recorded_rows", "tables_recorded", "triggers_off"]

# What the server works out or notes by itself, and what is too large to be written twice.
NOT_RECORDED = frozenset({
    "bus_request", "capture_piece", "capture_waiting", "guess", "live_sample", "log_channel", "log_piece", "log_times",
    "normal_reading", "record_line", "shop_logo", "tablet_code", "verdict", "work_plan",
})  # fmt: skip
# Tables of which only these columns are looked at, since others are large.
_PARTS = {
    "bus_port": ("uid", "name", "interface", "channel", "bitrate", "vehicle_uid", "frames_name", "is_simulated"),
    "capture": ("uid", "circuit_uid", "kept_uid", "name", "note", "samples", "seconds", "taken_at"),
    "picture": ("uid", "vehicle_uid", "title", "media_type", "width", "height", "added_at"),
}


def tables_recorded() -> dict[str, tuple[str, ...]]:
    """Every table whose rows the record tells, with the columns by which one row is known."""
    return {
        table.name: tuple(column.name for column in table.primary_key)
        for table in Base.metadata.sorted_tables
        if table.name not in NOT_RECORDED
    }


def triggers_off(session: Session) -> tuple[str, ...]:
    """Recorded tables whose changes are not written down now, since the trigger that does it is gone or switched off."""
    query = (
        "SELECT tgrelid::regclass::text FROM pg_trigger "
        "WHERE tgname = 'record_' || tgrelid::regclass::text AND tgenabled <> 'D'"
    )
    on = set(session.scalars(text(query)))
    return tuple(sorted(set(tables_recorded()) - on))


def recorded_rows(session: Session, table: str) -> Iterator[dict[str, Any]]:
    """The rows of a table as the record's lines have them: without secrets, and what is noted all the time."""
    if table in _PARTS:
        said = "jsonb_build_object(" + ", ".join(f"'{column}', t.{column}" for column in _PARTS[table]) + ")"
    else:
        said = "to_jsonb(t) - CAST(:left_out AS text[])"
    query = text(f"SELECT {said} FROM {table} t")  # noqa: S608  our own tables
    left_out = {} if table in _PARTS else {"left_out": _left_out(session, table)}
    rows = session.execute(query, left_out, execution_options={"yield_per": 2000})
    yield from (row[0] for row in rows)


def _left_out(session: Session, table: str) -> list[str]:
    """The columns that the table's trigger leaves out: its first argument."""
    query = text("SELECT encode(tgargs, 'escape') FROM pg_trigger WHERE tgname = :name")
    told = session.scalar(query, {"name": f"record_{table}"}) or ""
    return told.split("\\000", 1)[0].split(",")
