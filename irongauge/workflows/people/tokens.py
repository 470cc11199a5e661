"""What a secret lets in without its person being there: programs, and links to a sheet."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from uuid import UUID, uuid4

from irongauge.core.people.accounts import Person, Program, SheetLink
from irongauge.core.people.keys import SEEN_EVERY
from irongauge.core.people.roles import Scope
from irongauge.errors import EntryError, NotFoundError
from irongauge.store.database import Database
from irongauge.workflows.people.passwords import new_token, token_hash
from irongauge.workflows.shop.view import now, require_shop, today

__all__ = [
    "add_link",
    "add_program",
    "links_of",
    "revoke_link",
    "revoke_program",
    "sheet_of_link",
    "who_has_token",
]

_LONGEST = timedelta(days=366)


def _check_end(ends_on: date, day: date) -> None:
    if not day <= ends_on <= day + _LONGEST:
        raise EntryError("ends_on", ends_on.isoformat(), "It ends today at the earliest and in a year at the latest.")


def add_program(database: Database, person: Person, name: str, scope: Scope, ends_on: date) -> str:
    """Let a program work in a person's name; gives its token, which is shown once."""
    token = f"ig_{new_token()}"
    with database.unit() as store:
        _check_end(ends_on, today(require_shop(store)))
        program = Program(uid=uuid4(), person=person, name=name, scope=scope, made_at=now(), ends_on=ends_on)
        store.people.add_program(program, token_hash(token))
    return token


def revoke_program(database: Database, uid: UUID, only_of: Person | None = None) -> None:
    with database.unit() as store:
        shop = require_shop(store)
        there: Sequence[Program] = store.people.programs(shop.uid, None if only_of is None else only_of.uid)
        if all(program.uid != uid for program in there):
            raise NotFoundError("program", str(uid))
        store.people.revoke_programs(now(), uid=uid)


def who_has_token(database: Database, token: str) -> Program | None:
    """The program that a token belongs to, while it is good."""
    with database.unit() as store:
        shop = require_shop(store)
        found = store.people.program(token_hash(token), today(shop))
        if found is None or found.person.has_left:
            return None
        if found.used_at is None or now() - found.used_at > SEEN_EVERY:
            store.people.see_program(found.uid, now())
    return found


def add_link(database: Database, job_uid: UUID, for_whom: str, ends_on: date, made_by: Person) -> str:
    """An address that shows a job's sheet to a customer; gives its secret, which is shown once."""
    token = new_token()
    with database.unit() as store:
        _check_end(ends_on, today(require_shop(store)))
        job = store.jobs.job(job_uid)
        link = SheetLink(uid=uuid4(), job_uid=job.uid, for_whom=for_whom, made_at=now(), ends_on=ends_on)
        store.people.add_link(link, token_hash(token), made_by.uid)
    return token


def links_of(database: Database, job_uid: UUID) -> tuple[SheetLink, ...]:
    """The links to a job's sheet that are good."""
    with database.unit() as store:
        day = today(require_shop(store))
        return tuple(link for link in store.people.links(job_uid) if link.ends_on >= day)


def sheet_of_link(database: Database, token: str) -> UUID:
    """The job whose sheet a link shows."""
    with database.unit() as store:
        shop = require_shop(store)
        link = store.people.link(token_hash(token), today(shop))
    if link is None:
        raise NotFoundError("sheet", "this link")
    return link.job_uid


def revoke_link(database: Database, job_uid: UUID, uid: UUID) -> None:
    with database.unit() as store:
        if all(link.uid != uid for link in store.people.links(job_uid)):
            raise NotFoundError("link", str(uid))
        store.people.revoke_link(uid, now())
