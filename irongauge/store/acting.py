"""Who acts: told to the database by every unit of work that writes, so that its record of changes can say so."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, replace
from uuid import UUID

from sqlalchemy import event, text
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

__all__ = ["NOBODY", "Acting", "acting", "acts_as", "in_others_names", "tell_who_acts"]


@dataclass(frozen=True, kw_only=True)
class Acting:
    """Somebody at work: a person, from an address, on a device or by a program of theirs. The server itself is nobody.

    With `own_name_only` the database refuses what is entered in somebody else's name. What is brought in from `elsewhere`, a
    file or the simulator, was not measured by who brings it.
    """

    uid: UUID | None = None
    name: str = ""
    address: str = ""
    device: str = ""
    program: str = ""
    request: str = ""
    own_name_only: bool = False
    elsewhere: bool = False

    def as_json(self) -> str:
        told = {name: str(value) for name, value in vars(self).items() if value}
        return json.dumps(told, ensure_ascii=False, sort_keys=True)


NOBODY = Acting()


class _Holder:
    """What a request's parts share: each runs in a copy of the request's context, which holds this one object."""

    def __init__(self, acting: Acting) -> None:
        self.acting = acting


_HOLDER: ContextVar[_Holder] = ContextVar("acting", default=_Holder(NOBODY))  # noqa: B039  it is never changed
_TOLD = "who was told"


def acting() -> Acting:
    """Who acts now."""
    return _HOLDER.get().acting


@contextmanager
def acts_as(who: Acting) -> Iterator[_Holder]:
    """In this block, and in all that it starts, `who` acts; the holder that it gives may be told of somebody else."""
    holder = _Holder(who)
    token = _HOLDER.set(holder)
    try:
        yield holder
    finally:
        _HOLDER.reset(token)


@contextmanager
def in_others_names() -> Iterator[None]:
    """What is written in this block names people who did it elsewhere: those of a job's file, or the simulator."""
    with acts_as(replace(acting(), own_name_only=False, elsewhere=True)):
        yield


def tell_who_acts(sessions: sessionmaker[Session]) -> None:
    """Have each session say who acts before its first write of a transaction; one that only reads says nothing."""

    def tell(session: Session) -> None:
        who = acting()
        if session.info.get(_TOLD) is not who:
            session.info[_TOLD] = who
            session.connection().execute(text("SELECT set_config('iron.who', :who, true)"), {"who": who.as_json()})

    def begun(session: Session, *_: object) -> None:
        session.info.pop(_TOLD, None)

    def flushed(session: Session, *_: object) -> None:
        tell(session)

    def executed(state: ORMExecuteState) -> None:
        if not state.is_select:
            tell(state.session)

    event.listen(sessions, "after_begin", begun)
    event.listen(sessions, "before_flush", flushed)
    event.listen(sessions, "do_orm_execute", executed)
