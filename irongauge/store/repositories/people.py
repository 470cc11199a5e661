"""People: how they come in, their devices, programs and links, and the record of changes."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from datetime import date, datetime
from uuid import UUID

from sqlalchemy import ColumnElement, Row, Select, delete, func, select, update
from sqlalchemy.orm import Session

from irongauge.core.people.accounts import Account, Device, Person, Program, SheetLink, SignIn
from irongauge.core.people.record import RecordLine, Seal
from irongauge.core.people.roles import Role, Scope
from irongauge.errors import NotFoundError
from irongauge.store.handover_models import BackupRow
from irongauge.store.models import ShopRow, TechnicianRow
from irongauge.store.people_models import (
    AccountRow,
    DeviceRow,
    GuessRow,
    ProgramRow,
    RecordLineRow,
    SheetLinkRow,
    SignInRow,
    TabletCodeRow,
)

__all__ = ["PeopleRepository"]

_AT_ONCE = 5_000  # lines of the record in memory


def _person_of(row: TechnicianRow) -> Person:
    return Person(uid=row.uid, name=row.name, role=Role(row.role), has_left=row.has_left)


def _device_of(row: DeviceRow) -> Device:
    return Device(
        uid=row.uid,
        name=row.name,
        address=row.address,
        made_at=row.made_at,
        seen_at=row.seen_at,
        trusted_until=row.trusted_until,
        revoked_at=row.revoked_at,
    )


def _account_of(row: Row[TechnicianRow, AccountRow | None]) -> Account:
    technician, account = row
    if account is None:
        return Account(person=_person_of(technician))
    return Account(
        person=_person_of(technician),
        password_hash=account.password_hash,
        pin_hash=account.pin_hash,
        invited_hash=account.invited_hash,
        invited_until=account.invited_until,
    )


def _program_of(row: Row[ProgramRow, TechnicianRow]) -> Program:
    program, technician = row
    return Program(
        uid=program.uid,
        person=_person_of(technician),
        name=program.name,
        scope=Scope(program.scope),
        made_at=program.made_at,
        ends_on=program.ends_on,
        used_at=program.used_at,
    )


def _link_of(row: SheetLinkRow) -> SheetLink:
    return SheetLink(uid=row.uid, job_uid=row.job_uid, for_whom=row.for_whom, made_at=row.made_at, ends_on=row.ends_on)


def _line_of(row: RecordLineRow) -> RecordLine:
    return RecordLine(
        number=row.number,
        at=row.at,
        who=row.who,
        what=row.what,
        deed=row.deed,
        key=row.key,
        job=row.job,
        was=row.was,
        became=row.became,
        seal=row.seal,
    )


class PeopleRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    # People and what they come in with

    def _accounts(self) -> Select[TechnicianRow, AccountRow]:
        joined = select(TechnicianRow, AccountRow)
        return joined.outerjoin(AccountRow, AccountRow.technician_uid == TechnicianRow.uid)

    def accounts(self, shop_uid: UUID) -> tuple[Account, ...]:
        query = self._accounts().where(TechnicianRow.shop_uid == shop_uid).order_by(TechnicianRow.name)
        return tuple(_account_of(row) for row in self._session.execute(query))

    def account(self, uid: UUID, *, lock: bool = False) -> Account:
        if lock:
            self._session.execute(select(TechnicianRow.uid).where(TechnicianRow.uid == uid).with_for_update())
        row = self._session.execute(self._accounts().where(TechnicianRow.uid == uid)).first()
        if row is None:
            raise NotFoundError("person", str(uid))
        return _account_of(row)

    def account_named(self, shop_uid: UUID, name: str) -> Account | None:
        """By name, in capitals or not; None for nobody, and where two differ in capitals alone."""
        of_shop = self._accounts().where(TechnicianRow.shop_uid == shop_uid)
        rows = self._session.execute(of_shop.where(func.lower(TechnicianRow.name) == name.lower())).all()
        return _account_of(rows[0]) if len(rows) == 1 else None

    def has_foreman(self, shop_uid: UUID) -> bool:
        """True where somebody can come in who may run the shop."""
        query = self._accounts().where(
            TechnicianRow.shop_uid == shop_uid,
            TechnicianRow.role == Role.FOREMAN,
            ~TechnicianRow.has_left,
            AccountRow.password_hash.is_not(None),
        )
        return self._session.execute(query.limit(1)).first() is not None

    def first_of_role(self, role: Role) -> Person | None:
        """The first by name in the first shop; in one query, since the demo asks for each page."""
        query = select(TechnicianRow).join(ShopRow, ShopRow.uid == TechnicianRow.shop_uid)
        query = query.where(TechnicianRow.role == role, ~TechnicianRow.has_left)
        row = self._session.scalars(query.order_by(ShopRow.made_at, ShopRow.uid, TechnicianRow.name).limit(1)).first()
        return None if row is None else _person_of(row)

    def set_role(self, uid: UUID, role: Role, *, has_left: bool) -> None:
        self._session.execute(
            update(TechnicianRow).where(TechnicianRow.uid == uid).values(role=role, has_left=has_left)
        )

    def set_account(self, uid: UUID, now: datetime, **values: str | datetime | None) -> None:
        """Write some of `password_hash`, `pin_hash`, `invited_hash` and `invited_until`."""
        row = self._session.get(AccountRow, uid)
        if row is None:
            row = AccountRow(technician_uid=uid, changed_at=now)
            self._session.add(row)
        for name, value in values.items():
            setattr(row, name, value)
        row.changed_at = now
        self._session.flush()

    # Guessing

    def hold_guesses(self, place: str, name: str) -> None:
        """Until the unit of work ends, nobody else guesses at that name or from that place: what is counted here stays so."""
        for held in (f"guess at {name}", f"guess from {place}"):
            self._session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended(held, 0))))

    def guesses(self, since: datetime, *, place: str | None = None, name: str | None = None) -> tuple[datetime, ...]:
        """When somebody guessed since then, the oldest first: from one place, at one name, or both."""
        query = select(GuessRow.at).where(GuessRow.at >= since)
        if place is not None:
            query = query.where(GuessRow.place == place)
        if name is not None:
            query = query.where(GuessRow.name == name)
        return tuple(self._session.scalars(query.order_by(GuessRow.at)))

    def add_guess(self, place: str, name: str, at: datetime, forget_before: datetime) -> None:
        self._session.execute(delete(GuessRow).where(GuessRow.at < forget_before))
        self._session.add(GuessRow(place=place, name=name, at=at))
        self._session.flush()

    def forget_guesses(self, place: str, name: str) -> None:
        self._session.execute(delete(GuessRow).where(GuessRow.place == place, GuessRow.name == name))

    # Devices and stays

    def add_tablet_code(self, shop_uid: UUID, code_hash: str, made_by_uid: UUID, ends_at: datetime) -> None:
        """Keep a foreman's code for a new tablet; the one before is good no more."""
        self._session.execute(delete(TabletCodeRow).where(TabletCodeRow.shop_uid == shop_uid))
        self._session.add(
            TabletCodeRow(code_hash=code_hash, shop_uid=shop_uid, made_by_uid=made_by_uid, ends_at=ends_at)
        )
        self._session.flush()

    def use_tablet_code(self, shop_uid: UUID, code_hash: str, now: datetime) -> bool:
        """True where that code is good; it is used up."""
        query = delete(TabletCodeRow).where(
            TabletCodeRow.shop_uid == shop_uid, TabletCodeRow.code_hash == code_hash, TabletCodeRow.ends_at > now
        )
        return self._session.execute(query.returning(TabletCodeRow.code_hash)).first() is not None

    def has_come_in_by_password(self, person_uid: UUID, device_uid: UUID) -> bool:
        """True where somebody has come in on a device with a password before."""
        query = select(SignInRow.uid).where(
            SignInRow.technician_uid == person_uid, SignInRow.device_uid == device_uid, SignInRow.way == "password"
        )
        return self._session.execute(query.limit(1)).first() is not None

    def set_way(self, uid: UUID, way: str) -> None:
        self._session.execute(update(SignInRow).where(SignInRow.uid == uid).values(way=way))

    def device(self, token_hash: str) -> Device | None:
        row = self._session.scalars(select(DeviceRow).where(DeviceRow.token_hash == token_hash)).first()
        return None if row is None else _device_of(row)

    def add_device(self, shop_uid: UUID, device: Device, token_hash: str) -> None:
        self._session.add(
            DeviceRow(
                uid=device.uid,
                shop_uid=shop_uid,
                name=device.name,
                token_hash=token_hash,
                trusted_until=device.trusted_until,
                address=device.address,
                made_at=device.made_at,
                seen_at=device.seen_at,
            )
        )
        self._session.flush()

    def see_device(self, uid: UUID, now: datetime, address: str, trusted_until: datetime | None) -> None:
        values = {"seen_at": now, "address": address, "trusted_until": trusted_until}
        self._session.execute(update(DeviceRow).where(DeviceRow.uid == uid).values(values))

    def devices(self, shop_uid: UUID, person_uid: UUID | None = None) -> tuple[Device, ...]:
        """Those that are not revoked, the last seen first; of one person: where that person has come in."""
        query = select(DeviceRow).where(DeviceRow.shop_uid == shop_uid, DeviceRow.revoked_at.is_(None))
        if person_uid is not None:
            theirs = select(SignInRow.device_uid).where(SignInRow.technician_uid == person_uid)
            query = query.where(DeviceRow.uid.in_(theirs))
        return tuple(
            _device_of(row) for row in self._session.scalars(query.order_by(DeviceRow.seen_at.desc()).limit(200))
        )

    def revoke_device(self, uid: UUID, now: datetime) -> None:
        self._session.execute(update(DeviceRow).where(DeviceRow.uid == uid).values(revoked_at=now, trusted_until=None))
        self.end_sign_ins(now, "device revoked", SignInRow.device_uid == uid)

    def add_sign_in(self, sign_in: SignIn, token_hash: str) -> None:
        self._session.add(
            SignInRow(
                uid=sign_in.uid,
                token_hash=token_hash,
                technician_uid=sign_in.person.uid,
                device_uid=sign_in.device.uid,
                way=sign_in.way,
                begun_at=sign_in.begun_at,
                seen_at=sign_in.seen_at,
            )
        )
        self._session.flush()

    def sign_in(self, token_hash: str) -> SignIn | None:
        """The stay that a browser's cookie stands for, while it has not been ended."""
        query = (
            select(SignInRow, TechnicianRow, DeviceRow)
            .join(TechnicianRow, TechnicianRow.uid == SignInRow.technician_uid)
            .join(DeviceRow, DeviceRow.uid == SignInRow.device_uid)
            .where(SignInRow.token_hash == token_hash, SignInRow.ended_at.is_(None))
        )
        found = self._session.execute(query).first()
        if found is None:
            return None
        row, technician, device = found
        return SignIn(
            uid=row.uid,
            person=_person_of(technician),
            device=_device_of(device),
            way=row.way,
            begun_at=row.begun_at,
            seen_at=row.seen_at,
        )

    def see_sign_in(self, uid: UUID, now: datetime) -> None:
        self._session.execute(update(SignInRow).where(SignInRow.uid == uid).values(seen_at=now))

    def end_sign_in(self, uid: UUID, now: datetime, why: str) -> None:
        self.end_sign_ins(now, why, SignInRow.uid == uid)

    def end_sign_ins_of(self, person_uid: UUID, now: datetime, why: str, *, but: UUID | None = None) -> None:
        """End every stay of a person, but for one."""
        more = () if but is None else (SignInRow.uid != but,)
        self.end_sign_ins(now, why, SignInRow.technician_uid == person_uid, *more)

    def end_sign_ins(self, now: datetime, why: str, *which: ColumnElement[bool]) -> None:
        query = update(SignInRow).where(SignInRow.ended_at.is_(None), *which)
        self._session.execute(query.values(ended_at=now, ended_why=why))

    # Programs and links

    def programs(self, shop_uid: UUID, person_uid: UUID | None = None) -> tuple[Program, ...]:
        query = (
            select(ProgramRow, TechnicianRow)
            .join(TechnicianRow, TechnicianRow.uid == ProgramRow.technician_uid)
            .where(TechnicianRow.shop_uid == shop_uid, ProgramRow.revoked_at.is_(None))
        )
        if person_uid is not None:
            query = query.where(ProgramRow.technician_uid == person_uid)
        return tuple(_program_of(row) for row in self._session.execute(query.order_by(ProgramRow.made_at)))

    def program(self, token_hash: str, today: date) -> Program | None:
        query = (
            select(ProgramRow, TechnicianRow)
            .join(TechnicianRow, TechnicianRow.uid == ProgramRow.technician_uid)
            .where(
                ProgramRow.token_hash == token_hash,
                ProgramRow.revoked_at.is_(None),
                ProgramRow.ends_on >= today,
            )
        )
        row = self._session.execute(query).first()
        return None if row is None else _program_of(row)

    def add_program(self, program: Program, token_hash: str) -> None:
        self._session.add(
            ProgramRow(
                uid=program.uid,
                technician_uid=program.person.uid,
                name=program.name,
                scope=program.scope,
                token_hash=token_hash,
                made_at=program.made_at,
                ends_on=program.ends_on,
            )
        )
        self._session.flush()

    def see_program(self, uid: UUID, now: datetime) -> None:
        self._session.execute(update(ProgramRow).where(ProgramRow.uid == uid).values(used_at=now))

    def revoke_programs(self, now: datetime, *, uid: UUID | None = None, of_person: UUID | None = None) -> None:
        query = update(ProgramRow).where(ProgramRow.revoked_at.is_(None))
        if uid is not None:
            query = query.where(ProgramRow.uid == uid)
        if of_person is not None:
            query = query.where(ProgramRow.technician_uid == of_person)
        self._session.execute(query.values(revoked_at=now))

    def links(self, job_uid: UUID) -> tuple[SheetLink, ...]:
        query = select(SheetLinkRow).where(SheetLinkRow.job_uid == job_uid, SheetLinkRow.revoked_at.is_(None))
        return tuple(_link_of(row) for row in self._session.scalars(query.order_by(SheetLinkRow.made_at)))

    def link(self, token_hash: str, today: date) -> SheetLink | None:
        query = select(SheetLinkRow).where(
            SheetLinkRow.token_hash == token_hash, SheetLinkRow.revoked_at.is_(None), SheetLinkRow.ends_on >= today
        )
        row = self._session.scalars(query).first()
        return None if row is None else _link_of(row)

    def add_link(self, link: SheetLink, token_hash: str, made_by: UUID) -> None:
        self._session.add(
            SheetLinkRow(
                uid=link.uid,
                job_uid=link.job_uid,
                for_whom=link.for_whom,
                token_hash=token_hash,
                made_by_uid=made_by,
                made_at=link.made_at,
                ends_on=link.ends_on,
            )
        )
        self._session.flush()

    def revoke_link(self, uid: UUID, now: datetime) -> None:
        self._session.execute(update(SheetLinkRow).where(SheetLinkRow.uid == uid).values(revoked_at=now))

    # Backups

    def last_backup(self) -> tuple[datetime | None, str]:
        """When the last one was made, if ever, and why the newest try failed, if it did."""
        made = select(func.max(BackupRow.made_at)).where(BackupRow.problem == "")
        newest = select(BackupRow.problem).order_by(BackupRow.number.desc()).limit(1)
        return self._session.scalar(made), self._session.scalar(newest) or ""

    def note_backup(self, at: datetime, name: str, bytes_written: int, problem: str) -> None:
        self._session.add(BackupRow(made_at=at, name=name, bytes_written=bytes_written, problem=problem))
        self._session.flush()

    # The record

    def lines(
        self, *, job: str = "", who: UUID | None = None, before: int | None = None, limit: int = 100
    ) -> tuple[RecordLine, ...]:
        """Lines of the record, the newest first; of one job or one person only, or those before a number."""
        query = select(RecordLineRow).order_by(RecordLineRow.number.desc()).limit(limit)
        if job:
            query = query.where(RecordLineRow.job == job)
        if who is not None:
            query = query.where(RecordLineRow.who_uid == who)
        if before is not None:
            query = query.where(RecordLineRow.number < before)
        return tuple(_line_of(row) for row in self._session.scalars(query))

    def all_lines(self) -> Iterator[RecordLine]:
        """The whole record, the oldest line first, a few thousand in memory at a time."""
        query = select(RecordLineRow).order_by(RecordLineRow.number)
        for row in self._session.scalars(query.execution_options(yield_per=_AT_ONCE)):
            yield _line_of(row)
            self._session.expunge(row)

    def end_of_record(self) -> Seal | None:
        query = select(RecordLineRow.number, RecordLineRow.seal).order_by(RecordLineRow.number.desc()).limit(1)
        row = self._session.execute(query).first()
        return None if row is None else Seal(row.number, row.seal)

    def who_entered(self, job_uid: UUID, tables: Collection[str]) -> set[UUID]:
        """Who entered what was measured in a job, in whoever's name."""
        query = select(RecordLineRow.who_uid).where(
            RecordLineRow.job == str(job_uid),
            RecordLineRow.what.in_(tables),
            RecordLineRow.deed == "INSERT",
            RecordLineRow.who_uid.is_not(None),
            ~RecordLineRow.who.contains('"elsewhere"'),
        )
        return {uid for uid in self._session.scalars(query.distinct()) if uid is not None}
