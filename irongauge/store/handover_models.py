"""Tables of the hand-over and of backups: sheets as they were signed, remarks with which a job was sent back, backups made."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index, LargeBinary, text
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.store.models import Base, length

__all__ = ["BackupRow", "IssuedSheetRow", "JobRemarkRow", "ShopLogoRow"]


class IssuedSheetRow(Base):
    """A sheet as it was signed: it stays byte for byte, whatever becomes of the job. A trigger refuses UPDATE and DELETE."""

    __tablename__ = "issued_sheet"
    __table_args__ = (
        length("code", 20, 8),
        CheckConstraint("revision BETWEEN 1 AND 999", name="revision_possible"),
        CheckConstraint("char_length(digest) = 64", name="digest_whole"),
        CheckConstraint("octet_length(record_seal) = 32", name="record_seal_whole"),
    )

    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"), primary_key=True)
    revision: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    issued_at: Mapped[datetime]
    reviewer_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    code: Mapped[str] = mapped_column(unique=True)
    digest: Mapped[str]
    record_number: Mapped[int] = mapped_column(BigInteger)
    record_seal: Mapped[bytes]
    pdf: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class JobRemarkRow(Base):
    """Why a job was sent back by who reviews it, until somebody says that it was seen to."""

    __tablename__ = "job_remark"
    __table_args__ = (
        length("text", 1000, 1),
        CheckConstraint("(answered_at IS NULL) = (answered_by_uid IS NULL)", name="answered_whole"),
        Index("ix_job_remark_job_uid", "job_uid"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    text: Mapped[str]
    by_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    written_at: Mapped[datetime]
    answered_at: Mapped[datetime | None]
    answered_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))


class ShopLogoRow(Base):
    """The picture at the head of a shop's sheets."""

    __tablename__ = "shop_logo"
    __table_args__ = (length("media_type", 40, 1),)

    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"), primary_key=True)
    media_type: Mapped[str]
    content: Mapped[bytes] = mapped_column(LargeBinary)


class BackupRow(Base):
    """A backup that was made, or why none was."""

    __tablename__ = "backup"
    __table_args__ = (length("name", 255), length("problem", 500))

    number: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    made_at: Mapped[datetime]
    name: Mapped[str]
    bytes_written: Mapped[int] = mapped_column(BigInteger, server_default=text("0"))
    problem: Mapped[str] = mapped_column(server_default=text("''"))
