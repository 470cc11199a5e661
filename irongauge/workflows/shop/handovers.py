"""Signed sheets and remarks: what a review leaves behind."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from uuid import UUID, uuid4

from sqlalchemy.exc import IntegrityError

from irongauge.core.people.record import FIRST_SEAL, Seal
from irongauge.core.shop import IssuedSheet, Remark, Shop
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.workflows.people.passwords import new_code
from irongauge.workflows.shop.view import now, require_open, require_shop

__all__ = [
    "CheckedSheet",
    "answer_remark",
    "check_sheet",
    "check_sheets",
    "issue_sheet",
    "open_remarks",
    "pdf_of",
    "send_back",
    "sheets_of",
]


@dataclass(frozen=True)
class CheckedSheet:
    """A signed sheet that was asked for by its code; `is_same` says of a file that was held against it whether it is that one."""

    shop: Shop
    sheet: IssuedSheet
    job_name: str
    is_newest: bool
    is_same: bool | None = None


def sheets_of(database: Database, job_uid: UUID) -> tuple[IssuedSheet, ...]:
    with database.unit() as store:
        return store.handovers.sheets(job_uid)


def pdf_of(database: Database, job_uid: UUID, revision: int) -> bytes:
    with database.unit() as store:
        found = store.handovers.pdf(job_uid, revision)
    if found is None:
        raise NotFoundError("sheet", f"revision {revision}")
    return found


def issue_sheet(database: Database, job_uid: UUID, make: Callable[[IssuedSheet], bytes]) -> IssuedSheet:
    """The signed sheet of a job that is handed over: made once for each time that it was.

    `make` gives the document of a sheet whose digest is not known yet. Where two ask at once, one document is kept.
    """
    while True:
        with database.unit() as store:
            job = store.jobs.job(job_uid)
            if job.handed_over_at is None or job.reviewed_by is None:
                raise RefusedRequestError("This job is not handed over.", "It has no signed sheet yet.")
            there = store.handovers.sheets(job_uid)
            seal = store.people.end_of_record() or Seal(0, FIRST_SEAL)
        if there and there[-1].issued_at == job.handed_over_at:
            return there[-1]
        sheet = IssuedSheet(
            job_uid=job_uid,
            revision=len(there) + 1,
            issued_at=job.handed_over_at,
            reviewer=job.reviewed_by,
            code=new_code(),
            digest="",
            seal=seal,
        )
        pdf = make(sheet)
        done = replace(sheet, digest=hashlib.sha256(pdf).hexdigest())
        try:
            with database.unit() as store:
                store.handovers.add_sheet(done, pdf)
        except IntegrityError:
            continue  # somebody else was first; theirs is found at the next look
        return done


def check_sheet(database: Database, code: str, file: bytes | None = None) -> CheckedSheet:
    """What the record says of a sheet by the code that is printed on it; with a file, whether it is that sheet."""
    typed = code.strip().lower()
    with database.unit() as store:
        shop = require_shop(store)
        found = store.handovers.sheet_with_code(typed[:20])
        if found is None:
            raise EntryError("code", code[:40], "No sheet of this shop has that code.", "It looks like abcd-efgh-jkmn.")
        job = store.jobs.job(found.job_uid)
        newest = store.handovers.sheets(found.job_uid)[-1]
    is_same = None if file is None else hashlib.sha256(file).hexdigest() == found.digest
    return CheckedSheet(shop, found, job.name, newest.revision == found.revision, is_same)


def check_sheets(database: Database) -> tuple[list[IssuedSheet], list[str]]:
    """Every signed sheet, and what is wrong with any: its bytes are not those that were signed."""
    sheets, problems = [], []
    with database.unit() as store:
        for sheet, pdf in store.handovers.all_sheets():
            sheets.append(sheet)
            if hashlib.sha256(pdf).hexdigest() != sheet.digest:
                problems.append(f"the sheet {sheet.code}, revision {sheet.revision}, is not as it was signed")
    return sheets, problems


def send_back(database: Database, job_uid: UUID, text: str, by_uid: UUID) -> None:
    """Send a job back to those who test it, with what is to be seen to."""
    with database.unit() as store:
        require_open(store, job_uid, "update")
        by = store.shops.technician(by_uid)
        store.handovers.add_remark(job_uid, Remark(uid=uuid4(), text=text, by=by, written_at=now()))


def open_remarks(database: Database, job_uid: UUID) -> tuple[Remark, ...]:
    """What a job was sent back for and nobody has seen to yet."""
    with database.unit() as store:
        return tuple(remark for remark in store.handovers.remarks(job_uid) if remark.answered_at is None)


def answer_remark(database: Database, job_uid: UUID, remark_uid: UUID, by_uid: UUID) -> None:
    with database.unit() as store:
        require_open(store, job_uid)
        if all(remark.uid != remark_uid for remark in store.handovers.remarks(job_uid)):
            raise NotFoundError("remark", str(remark_uid))
        store.handovers.answer_remarks(job_uid, by_uid, now(), remark_uid)
