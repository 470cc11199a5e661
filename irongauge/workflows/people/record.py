"""The record of changes, as it is looked at and checked."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from irongauge.core.people.record import Checked, Ledger, RecordLine, Seal, check_seals
from irongauge.core.shop import Job, Shop, Technician
from irongauge.formats.record_csv import write_record
from irongauge.store.database import Database
from irongauge.store.recorded import recorded_rows, tables_recorded, triggers_off
from irongauge.workflows.shop.view import require_shop

__all__ = ["RecordView", "check_record", "look_at_record", "record_file"]


_MOST_OF_A_TABLE = 5  # problems that are told of one


@dataclass(frozen=True, kw_only=True)
class RecordView:
    """Lines of the record, the newest first. `is_known` is false where a job was asked for that there is not."""

    shop: Shop
    lines: tuple[RecordLine, ...]
    technicians: tuple[Technician, ...]
    job: Job | None = None
    is_known: bool = True


def look_at_record(
    database: Database, *, job_number: int | None, person: UUID | None, before: int | None, limit: int
) -> RecordView:
    with database.unit() as store:
        shop = require_shop(store)
        people = store.shops.technicians(shop.uid)
        job = None if job_number is None else store.jobs.numbered(shop.uid, job_number)
        if job_number is not None and job is None:
            return RecordView(shop=shop, lines=(), technicians=people, is_known=False)
        lines = store.people.lines(job="" if job is None else str(job.uid), who=person, before=before, limit=limit)
    return RecordView(shop=shop, lines=lines, technicians=people, job=job)


def record_file(database: Database, path: Path) -> None:
    """Write the whole record into a file, as CSV."""
    with database.unit() as store, path.open("w", encoding="utf-8", newline="") as file:
        file.writelines(write_record(store.people.all_lines()))


def check_record(database: Database, known: Iterable[Seal]) -> Checked:
    """Check the record against itself and against seals that were written down elsewhere, and every table's rows against it."""
    ledger = Ledger(tables_recorded())
    with database.unit() as store:
        checked = check_seals(ledger.follow(store.people.all_lines()), known)
        for table in tables_recorded():
            found = list(ledger.differences(table, recorded_rows(store.session, table)))
            checked.problems += found[:_MOST_OF_A_TABLE]
            if len(found) > _MOST_OF_A_TABLE:
                checked.problems.append(f"and {len(found) - _MOST_OF_A_TABLE} more of {table}")
        checked.problems += [f"changes of {table} are not written down" for table in triggers_off(store.session)]
    return checked
