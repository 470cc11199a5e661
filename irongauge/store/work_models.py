"""The tables of the order of the work: what people said of steps, and better plans that were found."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.core.work.record import Status
from irongauge.core.work.steps import Heat, StepKind, WorkState
from irongauge.store.models import Base, length, one_of

__all__ = ["WorkEventRow", "WorkPlanRow", "WorkStepRow"]


class WorkStepRow(Base):
    """What was said of a step: one that a person added has a title and all that it needs, one that came by itself only what was
    changed.
    """

    __tablename__ = "work_step"
    __table_args__ = (
        length("key", 200, 1),
        length("title", 120),
        length("why", 200),
        length("caution", 200),
        length("back_title", 120),
        CheckConstraint("(back_title = '') = (back_minutes IS NULL)", name="back_whole"),
        CheckConstraint("back_minutes BETWEEN 1 AND 10000", name="back_minutes_possible"),
        one_of("state", WorkState),
        one_of("heat", Heat),
        one_of("status", Status),
        CheckConstraint("minutes BETWEEN 1 AND 10000", name="minutes_possible"),
        CheckConstraint("people BETWEEN 1 AND 2", name="people_possible"),
        CheckConstraint("(status = 'open') = (status_at IS NULL)", name="status_has_time"),
        UniqueConstraint("vehicle_uid", "key"),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"))
    key: Mapped[str]
    title: Mapped[str]
    minutes: Mapped[int | None]
    state: Mapped[str | None]
    heat: Mapped[str | None]
    people: Mapped[int | None]
    tools: Mapped[list[str]] = mapped_column(JSONB)
    after: Mapped[list[str]] = mapped_column(JSONB)
    before: Mapped[list[str]] = mapped_column(JSONB, server_default=text("'[]'::jsonb"))
    behind: Mapped[list[str]] = mapped_column(JSONB, server_default=text("'[]'::jsonb"))
    back_title: Mapped[str] = mapped_column(server_default=text("''"))
    back_minutes: Mapped[int | None]
    caution: Mapped[str] = mapped_column(server_default=text("''"))
    not_before: Mapped[datetime | None]
    pinned_at: Mapped[datetime | None]
    only_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    status: Mapped[str]
    status_at: Mapped[datetime | None]
    status_by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    why: Mapped[str]


class WorkEventRow(Base):
    """What was said of a step, one row each time, none ever changed: what was done stays told, and times are learned from it."""

    __tablename__ = "work_event"
    __table_args__ = (
        length("key", 200, 1),
        length("why", 200),
        one_of("kind", StepKind),
        one_of("status", Status),
        CheckConstraint("usual_min BETWEEN 1 AND 10000", name="usual_possible"),
    )

    number: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    vehicle_uid: Mapped[UUID] = mapped_column(ForeignKey("vehicle.uid"))
    key: Mapped[str] = mapped_column(index=True)
    title: Mapped[str]
    kind: Mapped[str]
    usual_min: Mapped[int]
    status: Mapped[str]
    at: Mapped[datetime]
    by_uid: Mapped[UUID | None] = mapped_column(ForeignKey("technician.uid"))
    why: Mapped[str]


class WorkPlanRow(Base):
    """The best plan that was found of a list of work, by the digest of the list."""

    __tablename__ = "work_plan"
    __table_args__ = (CheckConstraint("char_length(digest) = 64", name="digest_whole"),)

    digest: Mapped[str] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"), index=True)
    found_at: Mapped[datetime]
    steps: Mapped[list[Any]] = mapped_column(JSONB)
