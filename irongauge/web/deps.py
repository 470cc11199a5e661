"""What routes ask for: the database, the pages, a posted form."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Annotated, cast
from uuid import UUID

from fastapi import Depends
from starlette.datastructures import FormData, UploadFile
from starlette.requests import Request

from irongauge.core.people.roles import Deed
from irongauge.core.shop import Shop
from irongauge.errors import EntryError, NotFoundError
from irongauge.store.database import Database
from irongauge.web.authentication import who_asks
from irongauge.web.pages import Pages
from irongauge.web.permissions import permission_of
from irongauge.web.security import FormTokens
from irongauge.workflows.shop.view import require_shop

__all__ = ["DatabaseDep", "FormDep", "PagesDep", "Posted", "ShopDep", "uid_or_missing"]


def _database(request: Request) -> Database:
    return cast("Database", request.app.state.database)


def _pages(request: Request) -> Pages:
    return cast("Pages", request.app.state.pages)


DatabaseDep = Annotated[Database, Depends(_database)]
PagesDep = Annotated[Pages, Depends(_pages)]


def _shop(database: DatabaseDep) -> Shop:
    with database.unit() as store:
        return require_shop(store)


ShopDep = Annotated[Shop, Depends(_shop)]


class Posted:
    """A form as it was sent, after its token was checked. The newest of two fields of one name counts."""

    def __init__(self, form: FormData) -> None:
        self.values = {name: value for name, value in form.multi_items() if isinstance(value, str)}
        self.files = {name: value for name, value in form.multi_items() if isinstance(value, UploadFile)}


async def _posted(request: Request) -> AsyncIterator[Posted]:
    async with request.form(max_files=2, max_fields=100) as form:  # which closes the files that came with it
        posted = Posted(form)
        request.state.posted = posted
        tokens = cast("FormTokens", request.app.state.tokens)
        tokens.check(request, posted.values.get("token", ""))
        for name, value in posted.values.items():
            if "\0" in value:  # which no database stores
                problem = "It has a character that cannot be shown."
                raise EntryError(name, value.replace("\0", "�"), problem, "Type it again by hand.")
        _in_own_name(request, posted.values)
        yield posted


def _in_own_name(request: Request, values: dict[str, str]) -> None:
    """What somebody did is in the name of who posts it, unless that is a foreman who enters it for another."""
    who = who_asks(request)
    claims = "technician_uid" in values and not permission_of(request.scope["route"]).names_others
    if claims and who is not None and not who.may(Deed.FOR_OTHERS):
        values["technician_uid"] = str(who.person.uid)


FormDep = Annotated[Posted, Depends(_posted)]


def uid_or_missing(what: str, text: str) -> UUID:
    """A link's identity; a link that cannot be one leads to the same page as one that leads nowhere."""
    try:
        return UUID(text)
    except ValueError:
        raise NotFoundError(what, text) from None
