"""Tables of people: how they come in, from which devices, their programs, links to a sheet, and the record of all changes.

Of a password, a code, a cookie or a token only a hash is kept. The record is append-only: a trigger of migration 0016 refuses
UPDATE, DELETE and TRUNCATE, and others write it, at the end of each transaction, for every table of `RECORDED`.
"""

from __future__ import annotations

from datetime import date, datetime
from uuid import UUID

from sqlalchemy import BigInteger, CheckConstraint, Computed, ForeignKey, Identity, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from irongauge.core.people.roles import Scope
from irongauge.store.models import Base, length, one_of

__all__ = [
    "AccountRow",
    "DeviceRow",
    "GuessRow",
    "ProgramRow",
    "RecordLineRow",
    "SheetLinkRow",
    "SignInRow",
    "TabletCodeRow",
]


class AccountRow(Base):
    """What somebody comes in with. Without one, a technician is only a name in the records."""

    __tablename__ = "account"
    __table_args__ = (CheckConstraint("(invited_hash IS NULL) = (invited_until IS NULL)", name="invited_whole"),)

    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"), primary_key=True)
    password_hash: Mapped[str | None]
    pin_hash: Mapped[str | None]
    invited_hash: Mapped[str | None]
    invited_until: Mapped[datetime | None]
    changed_at: Mapped[datetime]


class DeviceRow(Base):
    """A browser that somebody has come in with; until `trusted_until` it is a tablet of the shop, where a number is enough."""

    __tablename__ = "device"
    __table_args__ = (length("name", 80, 1), length("address", 60))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    name: Mapped[str]
    token_hash: Mapped[str] = mapped_column(unique=True)
    trusted_until: Mapped[datetime | None]
    address: Mapped[str]
    made_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]


class SignInRow(Base):
    """Somebody's stay on a device, from coming in until leaving."""

    __tablename__ = "sign_in"
    __table_args__ = (
        one_of("way", ("password", "number", "code", "demo")),
        length("ended_why", 60),
        CheckConstraint("ended_at IS NOT NULL OR ended_why = ''", name="ended_whole"),
        Index("ix_sign_in_technician_uid", "technician_uid", postgresql_where=text("ended_at IS NULL")),
    )

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    token_hash: Mapped[str] = mapped_column(unique=True)
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    device_uid: Mapped[UUID] = mapped_column(ForeignKey("device.uid"))
    way: Mapped[str]
    begun_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    ended_why: Mapped[str] = mapped_column(server_default=text("''"))


class GuessRow(Base):
    """A wrong password, number or code: for whom, and from which place; forgotten after a day."""

    __tablename__ = "guess"
    __table_args__ = (length("place", 80, 1), length("name", 80), Index("ix_guess_place_name", "place", "name"))

    number: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    place: Mapped[str]
    name: Mapped[str]
    at: Mapped[datetime]


class TabletCodeRow(Base):
    """A foreman's code that makes one device a tablet of the shop, once."""

    __tablename__ = "tablet_code"

    code_hash: Mapped[str] = mapped_column(primary_key=True)
    shop_uid: Mapped[UUID] = mapped_column(ForeignKey("shop.uid"))
    made_by_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    ends_at: Mapped[datetime]


class ProgramRow(Base):
    """A program that works in somebody's name, with a token and an end."""

    __tablename__ = "program"
    __table_args__ = (length("name", 80, 1), one_of("scope", Scope))

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    technician_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    name: Mapped[str]
    scope: Mapped[str]
    token_hash: Mapped[str] = mapped_column(unique=True)
    made_at: Mapped[datetime]
    ends_on: Mapped[date]
    used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]


class SheetLinkRow(Base):
    """An address that shows one job's sheet to whoever has it, until its end."""

    __tablename__ = "sheet_link"
    __table_args__ = (length("for_whom", 80, 1),)

    uid: Mapped[UUID] = mapped_column(primary_key=True)
    job_uid: Mapped[UUID] = mapped_column(ForeignKey("job.uid"))
    for_whom: Mapped[str]
    token_hash: Mapped[str] = mapped_column(unique=True)
    made_by_uid: Mapped[UUID] = mapped_column(ForeignKey("technician.uid"))
    made_at: Mapped[datetime]
    ends_on: Mapped[date]
    revoked_at: Mapped[datetime | None]


class RecordLineRow(Base):
    """A line of the record; its fields are those of `RecordLine`, sealed as `seal_of` says."""

    __tablename__ = "record_line"
    __table_args__ = (
        CheckConstraint("octet_length(seal) = 32", name="seal_whole"),
        Index("ix_record_line_job", "job", postgresql_where=text("job <> ''")),
        Index("ix_record_line_who_uid", "who_uid"),
        Index("ix_record_line_key", "key"),
    )

    number: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    at: Mapped[str]
    who: Mapped[str]
    what: Mapped[str]
    deed: Mapped[str]
    key: Mapped[str]
    job: Mapped[str]
    was: Mapped[str]
    became: Mapped[str]
    seal: Mapped[bytes]
    who_uid: Mapped[UUID | None] = mapped_column(Computed("(who::jsonb ->> 'uid')::uuid", persisted=True))
