"""Sheets as they were signed, and remarks with which jobs were sent back."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from uuid import UUID

from sqlalchemy import Select, select, update
from sqlalchemy.orm import Session, aliased

from irongauge.core.people.record import Seal
from irongauge.core.shop import IssuedSheet, Remark
from irongauge.store.handover_models import IssuedSheetRow, JobRemarkRow
from irongauge.store.models import TechnicianRow
from irongauge.store.repositories.shops import technician_of

__all__ = ["HandoverRepository"]


def _sheet_of(row: IssuedSheetRow, reviewer: TechnicianRow) -> IssuedSheet:
    return IssuedSheet(
        job_uid=row.job_uid,
        revision=row.revision,
        issued_at=row.issued_at,
        reviewer=technician_of(reviewer),
        code=row.code,
        digest=row.digest,
        seal=Seal(row.record_number, row.record_seal),
    )


class HandoverRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    @staticmethod
    def _sheets() -> Select[IssuedSheetRow, TechnicianRow]:
        return select(IssuedSheetRow, TechnicianRow).join(
            TechnicianRow, TechnicianRow.uid == IssuedSheetRow.reviewer_uid
        )

    def sheets(self, job_uid: UUID) -> tuple[IssuedSheet, ...]:
        """The signed sheets of a job, the first one first."""
        query = self._sheets().where(IssuedSheetRow.job_uid == job_uid).order_by(IssuedSheetRow.revision)
        return tuple(_sheet_of(row, reviewer) for row, reviewer in self._session.execute(query))

    def sheet_with_code(self, code: str) -> IssuedSheet | None:
        found = self._session.execute(self._sheets().where(IssuedSheetRow.code == code)).first()
        return None if found is None else _sheet_of(*found)

    def pdf(self, job_uid: UUID, revision: int) -> bytes | None:
        query = select(IssuedSheetRow.pdf).where(IssuedSheetRow.job_uid == job_uid, IssuedSheetRow.revision == revision)
        return self._session.scalar(query)

    def all_sheets(self) -> Iterator[tuple[IssuedSheet, bytes]]:
        """Every signed sheet with its bytes, one in memory at a time."""
        query = self._sheets().order_by(IssuedSheetRow.issued_at)
        for row, reviewer in self._session.execute(query).all():
            yield _sheet_of(row, reviewer), self.pdf(row.job_uid, row.revision) or b""

    def add_sheet(self, sheet: IssuedSheet, pdf: bytes) -> None:
        self._session.add(
            IssuedSheetRow(
                job_uid=sheet.job_uid,
                revision=sheet.revision,
                issued_at=sheet.issued_at,
                reviewer_uid=sheet.reviewer.uid,
                code=sheet.code,
                digest=sheet.digest,
                record_number=sheet.seal.number,
                record_seal=sheet.seal.seal,
                pdf=pdf,
            )
        )
        self._session.flush()

    def remarks(self, job_uid: UUID) -> tuple[Remark, ...]:
        """Why a job was sent back, the newest remark first."""
        answered = aliased(TechnicianRow)
        query = (
            select(JobRemarkRow, TechnicianRow, answered)
            .join(TechnicianRow, TechnicianRow.uid == JobRemarkRow.by_uid)
            .outerjoin(answered, answered.uid == JobRemarkRow.answered_by_uid)
            .where(JobRemarkRow.job_uid == job_uid)
            .order_by(JobRemarkRow.written_at.desc())
        )
        return tuple(
            Remark(
                uid=row.uid,
                text=row.text,
                by=technician_of(by),
                written_at=row.written_at,
                answered_by=None if answerer is None else technician_of(answerer),
                answered_at=row.answered_at,
            )
            for row, by, answerer in self._session.execute(query)
        )

    def add_remark(self, job_uid: UUID, remark: Remark) -> None:
        self._session.add(
            JobRemarkRow(
                uid=remark.uid, job_uid=job_uid, text=remark.text, by_uid=remark.by.uid, written_at=remark.written_at
            )
        )
        self._session.flush()

    def answer_remarks(self, job_uid: UUID, by_uid: UUID, at: datetime, uid: UUID | None = None) -> None:
        """Say that a remark was seen to, or every one of a job."""
        query = update(JobRemarkRow).where(JobRemarkRow.job_uid == job_uid, JobRemarkRow.answered_at.is_(None))
        if uid is not None:
            query = query.where(JobRemarkRow.uid == uid)
        self._session.execute(query.values(answered_at=at, answered_by_uid=by_uid))
