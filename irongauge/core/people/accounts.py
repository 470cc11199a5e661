"""Who somebody is to the shop: a person with a role, the devices and programs they use, links they gave to customers."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from irongauge.core.people.roles import Deed, Role, Scope, may

__all__ = ["Account", "Device", "Person", "Program", "SheetLink", "SignIn"]


@dataclass(frozen=True, kw_only=True)
class Person:
    """Somebody of the shop. Who has left stays in the records, and cannot come in."""

    uid: UUID
    name: str
    role: Role
    has_left: bool = False

    def may(self, deed: Deed, scope: Scope | None = None) -> bool:
        """True where this person may do it, by a program's token only what that may too; nobody may who has left."""
        return not self.has_left and may(self.role, deed, scope)


@dataclass(frozen=True, kw_only=True)
class Account:
    """What a person comes in with; hashes, never what was typed."""

    person: Person
    password_hash: str | None = None
    pin_hash: str | None = None
    invited_hash: str | None = None
    invited_until: datetime | None = None

    @property
    def comes_in(self) -> bool:
        """True for somebody who has a password."""
        return self.password_hash is not None


@dataclass(frozen=True, kw_only=True)
class Device:
    """A browser; a tablet of the shop until `trusted_until`."""

    uid: UUID
    name: str
    address: str
    made_at: datetime
    seen_at: datetime
    trusted_until: datetime | None = None
    revoked_at: datetime | None = None

    def is_trusted(self, now: datetime) -> bool:
        """True while a number is enough on it: trusted, not past its time, and not revoked."""
        return self.revoked_at is None and self.trusted_until is not None and now < self.trusted_until


@dataclass(frozen=True, kw_only=True)
class SignIn:
    """Somebody's stay on a device."""

    uid: UUID
    person: Person
    device: Device
    way: str
    begun_at: datetime
    seen_at: datetime


@dataclass(frozen=True, kw_only=True)
class Program:
    """A program that works in a person's name."""

    uid: UUID
    person: Person
    name: str
    scope: Scope
    made_at: datetime
    ends_on: date
    used_at: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class SheetLink:
    """An address that shows one job's sheet to a customer."""

    uid: UUID
    job_uid: UUID
    for_whom: str
    made_at: datetime
    ends_on: date
