"""Coming in: by name and password, by a number on a tablet of the shop, and as the first foreman."""

from __future__ import annotations

import json
from collections.abc import Mapping
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.people.accounts import Device
from irongauge.errors import EntryError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.web.authentication import coming_in, forget, keep_entered, local_path, require_from_here, who_asks
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.people.forms import TakeOverForm, without_secrets
from irongauge.web.permissions import ANYBODY, OWN
from irongauge.workflows.people.accounts import (
    Entered,
    come_in,
    come_in_as,
    come_in_by_number,
    go_out,
    look_at_people,
    make_first_foreman,
    needs_foreman,
)
from irongauge.workflows.shop.view import now

router = APIRouter(include_in_schema=False)

_KEPT, _KEPT_FOR, _NEXT = "kept", "kept_for", "next"


@router.get("/sign-in", dependencies=[ANYBODY], name="sign_in")
def sign_in(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The page at which one comes in."""
    if needs_foreman(database):
        return go_to(request.url_for("first_foreman"))
    return show_sign_in(request, pages, database, FormState({_NEXT: local_path(request.query_params.get("next", "/"))}))


def show_sign_in(request: Request, pages: Pages, database: Database, state: FormState, status: int = 200) -> Response:
    """The page to come in by. `state` carries where somebody wanted to go, and what was posted when nobody was in any more."""
    device = coming_in(request).device
    return pages.render(
        request,
        "sign_in.html",
        status,
        state=state,
        kept=_kept(state.values),
        quick=_quick(database, device),
        trusted=device is not None and device.is_trusted(now()),
    )


def keep_post(fields: Mapping[str, str], path: str) -> dict[str, str]:
    """A form that was posted too late, as the sign-in page carries it."""
    told = {name: value for name, value in fields.items() if name != "token"}
    return {_KEPT: json.dumps(told, ensure_ascii=False), _KEPT_FOR: path, _NEXT: "/"}


def _kept(values: Mapping[str, str]) -> dict[str, str]:
    try:
        kept = json.loads(values.get(_KEPT, "") or "{}")
    except ValueError:
        return {}
    return {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}


def _quick(database: Database, device: Device | None) -> list[tuple[str, str]]:
    """Who may take over by a number: on a tablet of the shop only, since the list tells who works here."""
    if device is None or not device.is_trusted(now()):
        return []
    return [
        (str(a.person.uid), a.person.name)
        for a in look_at_people(database).shown
        if a.pin_hash is not None and not a.person.has_left
    ]


def _go_on(request: Request, pages: Pages, entered: Entered, values: Mapping[str, str]) -> Response:
    """To the page that was asked for; with a form that was posted too late, to a page that sends it again."""
    kept = _kept(values)
    if entered.sign_in.way == "code":
        response: Response = go_to(request.url_for("me"))
    elif kept:
        response = pages.render(
            request,
            "carry_on.html",
            kept=kept,
            action=local_path(values.get(_KEPT_FOR, "/")),
            person=entered.sign_in.person,
        )
    else:
        response = go_to(local_path(values.get(_NEXT, "/")))
    keep_entered(response, entered)
    return response


@router.post("/sign-in", dependencies=[ANYBODY], name="come_in")
def post_sign_in(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Come in by name and password."""
    values = posted.values
    try:
        entered = come_in(
            database,
            values.get("name", ""),
            values.get("password", ""),
            coming_in(request),
            tablet_code=values.get("tablet_code", "")[:40],
        )
    except EntryError as error:
        state = without_secrets(values, {error.field: str(error)})
        return show_sign_in(request, pages, database, state, 422)
    except RefusedRequestError as error:
        state = without_secrets(values, {"password": str(error)})
        return show_sign_in(request, pages, database, state, 429)
    return _go_on(request, pages, entered, values)


@router.post("/sign-in/number", dependencies=[ANYBODY], name="come_in_by_number")
def post_number(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """On a tablet of the shop: whoever is in goes out, and the next one takes over."""
    values = posted.values
    form, state = read_form(TakeOverForm, values)
    try:
        if form is None or form.person_uid is None:
            raise EntryError("pin", "", "Choose who you are.")
        pepper = str(request.app.state.pepper)
        entered = come_in_by_number(database, form.person_uid, values.get("pin", ""), coming_in(request), pepper)
    except EntryError as error:
        return show_sign_in(request, pages, database, without_secrets(state.values, {"pin": str(error)}), 422)
    except RefusedRequestError as error:
        return show_sign_in(request, pages, database, without_secrets(state.values, {"pin": str(error)}), 403)
    _leave(request, database)
    return _go_on(request, pages, entered, values)


def _leave(request: Request, database: Database) -> None:
    who = who_asks(request)
    if who is not None and who.sign_in is not None:
        go_out(database, who.sign_in)


@router.post("/sign-out", dependencies=[OWN], name="sign_out")
def post_sign_out(request: Request, database: DatabaseDep, _posted: FormDep) -> Response:
    """Go out, on this device."""
    _leave(request, database)
    response = go_to(request.url_for("sign_in"))
    forget(response)
    return response


@router.post("/me/switch", dependencies=[OWN], name="switch")
def post_switch(request: Request, database: DatabaseDep, posted: FormDep) -> Response:
    """In the demo: be somebody else."""
    who = who_asks(request)
    if who is None or not who.in_demo:
        raise RefusedRequestError("That is for the demo only.", "Come in with a password.")
    entered = come_in_as(database, _uid(posted), coming_in(request))
    _leave(request, database)
    response = go_to(local_path(posted.values.get(_NEXT, "/")))
    keep_entered(response, entered)
    return response


def _uid(posted: Posted) -> UUID:
    form, _state = read_form(TakeOverForm, posted.values)
    if form is None or form.person_uid is None:
        raise EntryError("person_uid", "", "Choose who you are.")
    return form.person_uid


@router.get("/first-foreman", dependencies=[ANYBODY], name="first_foreman")
def first_foreman(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The form for the first who may do everything."""
    if not needs_foreman(database):
        return go_to(request.url_for("sign_in"))
    require_from_here(request)
    return _foreman_page(request, pages, database, FormState())


def _foreman_page(request: Request, pages: Pages, database: Database, state: FormState, status: int = 200) -> Response:
    names = [a.person.name for a in look_at_people(database).shown if not a.person.has_left]
    return pages.render(request, "first_foreman.html", status, state=state, names=names)


@router.post("/first-foreman", dependencies=[ANYBODY], name="make_first_foreman")
def post_first_foreman(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Make the first foreman, once."""
    require_from_here(request)
    values = posted.values
    try:
        name = values.get("name", "").strip()
        if not 0 < len(name) <= 80:  # noqa: PLR2004  what a name may have
            raise EntryError("name", name, "Type your name.")
        entered = make_first_foreman(
            database, name, values.get("password", ""), repeated=values.get("repeated", ""), coming=coming_in(request)
        )
    except EntryError as error:
        return _foreman_page(request, pages, database, without_secrets(values, {error.field: str(error)}), 422)
    response = go_to(request.url_for("floor"))
    keep_entered(response, entered)
    return response
