"""One's own account, and for the foreman: who is here, with which role, on which devices and by which programs."""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.people.roles import Role, Scope
from irongauge.errors import EntryError, RefusedRequestError, SignInNeededError
from irongauge.store.database import Database
from irongauge.web.authentication import asking
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.people.forms import PersonForm, ProgramForm, RoleForm, without_secrets
from irongauge.web.permissions import OWN, RUN
from irongauge.workflows.people.accounts import (
    add_person,
    change_password,
    change_person,
    devices_of,
    invite,
    look_at_people,
    new_tablet_code,
    revoke_device,
    set_number,
)
from irongauge.workflows.people.tokens import add_program, revoke_program

router = APIRouter(include_in_schema=False)

_USUAL_END = timedelta(days=90)


@router.get("/me", dependencies=[OWN], name="me")
def me(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """What is one's own: password, number, devices, programs."""
    return _own_page(request, pages, database, state=FormState())


def _own_page(
    request: Request, pages: Pages, database: Database, *, state: FormState, status: int = 200, token: str = ""
) -> Response:
    who = asking(request)
    view = look_at_people(database)
    usual = {"ends_on": (view.today + _USUAL_END).isoformat(), "scope": Scope.LOOK}
    return pages.render(
        request,
        "me.html",
        status,
        view=view,
        account=view.account(who.person.uid),
        devices=devices_of(database, who.person),
        programs=[p for p in view.programs if p.person.uid == who.person.uid],
        state=state.over(usual),
        scopes=[(scope, f"{scope}") for scope in Scope],
        new_token=token,
    )


@router.post("/me/password", dependencies=[OWN], name="change_password")
def post_password(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Change one's password."""
    who, values = asking(request), posted.values
    if who.sign_in is None:
        raise SignInNeededError
    try:
        change_password(
            database, who.sign_in, values.get("old", ""), values.get("password", ""), values.get("repeated", "")
        )
    except EntryError as error:
        return _own_page(request, pages, database, state=without_secrets(values, {error.field: str(error)}), status=422)
    except RefusedRequestError as error:
        return _own_page(request, pages, database, state=without_secrets(values, {"old": str(error)}), status=429)
    return go_to(str(request.url_for("me")) + "?done=password")


@router.post("/me/number", dependencies=[OWN], name="set_number")
def post_number(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Set the number that is enough on a trusted device."""
    who, values = asking(request), posted.values
    if who.sign_in is None:
        raise SignInNeededError
    try:
        pepper = str(request.app.state.pepper)
        set_number(database, who.sign_in, values.get("pin", ""), values.get("password_now", ""), pepper)
    except EntryError as error:
        field = "password_now" if error.field == "old" else error.field
        return _own_page(request, pages, database, state=FormState({}, {field: str(error)}), status=422)
    except RefusedRequestError as error:
        state = FormState({}, {"password_now": str(error)})
        return _own_page(request, pages, database, state=state, status=429)
    return go_to(str(request.url_for("me")) + "?done=number")


@router.post("/me/devices/{uid}/revoke", dependencies=[OWN], name="revoke_own_device")
def post_revoke_own(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Trust one of one's devices no longer."""
    revoke_device(database, uid_or_missing("device", uid), asking(request).person)
    return go_to(request.url_for("me"))


@router.post("/me/programs", dependencies=[OWN], name="add_program")
def post_program(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Give a program a token."""
    form, state = read_form(ProgramForm, posted.values)
    if form is not None:
        try:
            token = add_program(database, asking(request).person, form.program, Scope(form.scope), form.ends_on)
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _own_page(request, pages, database, state=FormState(), token=token)
    return _own_page(request, pages, database, state=state, status=422)


@router.post("/me/programs/{uid}/revoke", dependencies=[OWN], name="revoke_own_program")
def post_revoke_program(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Make one of one's tokens worthless."""
    revoke_program(database, uid_or_missing("program", uid), asking(request).person)
    return go_to(request.url_for("me"))


@router.get("/people", dependencies=[RUN], name="people")
def people(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """Who is here, with which role."""
    return _people_page(request, pages, database, state=FormState())


def _people_page(
    request: Request,
    pages: Pages,
    database: Database,
    *,
    state: FormState,
    status: int = 200,
    code: tuple[str, str] | None = None,
    tablet_code: str = "",
) -> Response:
    view = look_at_people(database)
    return pages.render(
        request,
        "people.html",
        status,
        view=view,
        roles=list(Role),
        state=state,
        code=code,
        tablet_code=tablet_code,
        me=asking(request).person.uid,
    )


@router.post("/people", dependencies=[RUN], name="add_person")
def post_person(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Take somebody in."""
    form, state = read_form(PersonForm, posted.values)
    if form is not None:
        try:
            uid = add_person(database, form.name, Role(form.role))
        except EntryError as error:
            state = state.with_error(error)
        else:
            return _people_page(request, pages, database, state=FormState(), code=(form.name, invite(database, uid)))
    return _people_page(request, pages, database, state=state, status=422)


@router.post("/people/tablet-code", dependencies=[RUN], name="tablet_code")
def post_tablet_code(request: Request, database: DatabaseDep, pages: PagesDep, _posted: FormDep) -> Response:
    """Make a code by which one device becomes a tablet of the shop."""
    code = new_tablet_code(database, asking(request).person)
    return _people_page(request, pages, database, state=FormState(), tablet_code=code)


@router.post("/people/{uid}", dependencies=[RUN], name="change_person")
def post_role(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Change what somebody may do, or let somebody go."""
    form, state = read_form(RoleForm, posted.values)
    if form is None:
        raise state.first_error()
    change_person(database, uid_or_missing("person", uid), Role(form.role), has_left=form.has_left == "yes")
    return go_to(request.url_for("people"))


@router.post("/people/{uid}/invite", dependencies=[RUN], name="invite")
def post_invite(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, _posted: FormDep) -> Response:
    """Make a link by which somebody sets a password."""
    person_uid = uid_or_missing("person", uid)
    code = invite(database, person_uid)
    name = look_at_people(database).account(person_uid).person.name
    return _people_page(request, pages, database, state=FormState(), code=(name, code))


@router.post("/people/devices/{uid}/revoke", dependencies=[RUN], name="revoke_device")
def post_revoke(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Trust somebody's device no longer."""
    revoke_device(database, uid_or_missing("device", uid))
    return go_to(str(request.url_for("people")) + "#devices")


@router.post("/people/programs/{uid}/revoke", dependencies=[RUN], name="revoke_program")
def post_revoke_any_program(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Make anybody's token worthless."""
    revoke_program(database, uid_or_missing("program", uid))
    return go_to(str(request.url_for("people")) + "#programs")
