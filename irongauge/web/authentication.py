"""Who is asking, and may they? Asked for every route before anything else, against what the route says (`permissions.py`)."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from typing import cast
from urllib.parse import urlsplit

from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Receive, Scope, Send

from irongauge.core.people.accounts import Person, Program, SignIn
from irongauge.core.people.roles import DEEDS_OF_ROLE, Deed, Role
from irongauge.errors import NoShopError, NotAllowedError, RefusedRequestError, SignInNeededError
from irongauge.settings import Settings
from irongauge.store.acting import NOBODY, Acting, acts_as
from irongauge.store.database import Database
from irongauge.web.permissions import permission_of
from irongauge.web.security import check_same_origin
from irongauge.workflows.people.accounts import ComingIn, Entered, first_foreman, known_device, who_is_in
from irongauge.workflows.people.tokens import who_has_token

__all__ = [
    "ActsAsWhoAsks",
    "Who",
    "asking",
    "check_access",
    "coming_in",
    "forget",
    "keep_entered",
    "local_path",
    "require_from_here",
    "who_asks",
]

_PERSON, _DEVICE = "iron_person", "iron_device"
_DEVICE_S = 400 * 86400
_LOOPBACK = {"127.0.0.1", "::1"}
_FORWARDED = ("x-forwarded-for", "forwarded", "x-real-ip")


@dataclass(frozen=True, kw_only=True)
class Who:
    """Whoever asks: a person, on a page or by a program."""

    person: Person
    sign_in: SignIn | None = None
    program: Program | None = None
    in_demo: bool = False

    def may(self, deed: Deed | str) -> bool:
        """Whether the person may do it; templates name a deed by its word in the table."""
        named = Deed[deed] if isinstance(deed, str) and deed in Deed.__members__ else Deed(deed)
        return self.person.may(named, None if self.program is None else self.program.scope)


def who_asks(request: Request) -> Who | None:
    """Whoever was found to be asking; None on pages that are open to everybody."""
    return cast("Who | None", getattr(request.state, "who", None))


def asking(request: Request) -> Who:
    """Whoever asks, on a route that lets nobody in who is nobody."""
    who = who_asks(request)
    if who is None:
        raise SignInNeededError
    return who


class ActsAsWhoAsks:
    """Pure ASGI: gives each request a place that says who acts in it, which `check_access` fills."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        with acts_as(NOBODY) as holder:
            scope.setdefault("state", {})["acting"] = holder
            scope["state"]["request_id"] = secrets.token_hex(6)
            await self._app(scope, receive, send)


def check_access(request: Request) -> None:
    """Let a request in: from our own pages, by somebody who may do what the route is for."""
    check_same_origin(request)
    database = cast("Database", request.app.state.database)
    permission = permission_of(request.scope["route"])
    if permission.machines:
        return
    needed = permission.deed
    who = _who(request, database, counts=not permission.by_itself)
    if who is not None:
        request.state.who = who
        request.state.acting.acting = _acting(request, who)
    if needed is None:
        return
    if who is None:
        if _has_shop(database):
            raise SignInNeededError
        if needed is not Deed.LOOK:
            raise NoShopError
        return  # a database without a shop has nothing that is somebody's
    if not who.may(needed):
        raise NotAllowedError(*_why_not(who, needed))


def _has_shop(database: Database) -> bool:
    with database.unit() as store:
        return store.shops.first() is not None


def _who(request: Request, database: Database, *, counts: bool) -> Who | None:
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    if scheme.lower() == "bearer":
        program = who_has_token(database, token.strip()) if request.url.path.startswith("/api/") else None
        return None if program is None else Who(person=program.person, program=program)
    settings = cast("Settings", request.app.state.settings)
    in_demo = settings.demo_people and is_from_here(request)
    cookie = request.cookies.get(_PERSON, "")
    sign_in = who_is_in(database, cookie, counts=counts) if cookie else None
    if sign_in is not None:
        return Who(person=sign_in.person, sign_in=sign_in, in_demo=in_demo)
    if in_demo:
        person = first_foreman(database)
        return None if person is None else Who(person=person, in_demo=True)
    return None


def _acting(request: Request, who: Who) -> Acting:
    return Acting(
        uid=who.person.uid,
        name=who.person.name,
        address=address_of(request),
        device=who.sign_in.device.name if who.sign_in else "",
        program=who.program.name if who.program else "",
        request=request.state.request_id,
        own_name_only=not who.may(Deed.FOR_OTHERS),
    )


def _why_not(who: Who, needed: Deed) -> tuple[str, str]:
    roles = [role for role in Role if needed in DEEDS_OF_ROLE[role]]
    if who.program is not None and needed in DEEDS_OF_ROLE[who.person.role]:
        return f"The token of {who.program.name} may not do this.", "Give it a wider scope, or do it on a page."
    by = "a foreman" if roles == [Role.FOREMAN] else f"a {roles[0]}"
    article = "an" if who.person.role is Role.APPRENTICE else "a"
    return (
        f"That is for {by} to do; {who.person.name} is {article} {who.person.role} here.",
        "Nothing was changed. Ask somebody who may, or hand the tablet over.",
    )


# Where a request comes from, and its cookies


def address_of(request: Request) -> str:
    """The address that a request came from, as far as it is known."""
    return request.client.host if request.client else ""


def is_from_here(request: Request) -> bool:
    """True for a browser on the server's own machine; not for one behind a proxy there, whether or not that is believed."""
    return address_of(request) in _LOOPBACK and not any(name in request.headers for name in _FORWARDED)


_SYSTEMS = ("Android", "iPad", "iPhone", "Windows", "Macintosh", "CrOS", "Linux")
_BROWSERS = (("Edg/", "Edge"), ("Firefox/", "Firefox"), ("Chrome/", "Chrome"), ("Safari/", "Safari"))


def coming_in(request: Request) -> ComingIn:
    """From where somebody comes in."""
    agent = request.headers.get("user-agent", "")
    browser = next((name for sign, name in _BROWSERS if sign in agent), "A browser")
    system = next((name for name in _SYSTEMS if name in agent), "")
    device = known_device(cast("Database", request.app.state.database), request.cookies.get(_DEVICE, ""))
    return ComingIn(browser=f"{browser} on {system}" if system else browser, address=address_of(request), device=device)


def keep_entered(response: Response, entered: Entered) -> None:
    """Put what somebody came in with into cookies: a new one each time, so that an old one is worth nothing.

    Over TLS each is bound to the host where it leaves (`security.Guard`).
    """
    response.set_cookie(_PERSON, entered.token, httponly=True, samesite="strict")
    if entered.device_token is not None:
        response.set_cookie(
            _DEVICE,
            entered.device_token,
            max_age=_DEVICE_S,
            httponly=True,
            samesite="strict",
        )


def forget(response: Response) -> None:
    """Take the sign-in off this device."""
    response.delete_cookie(_PERSON, httponly=True, samesite="strict")


def local_path(text: str) -> str:
    """A path of this server that somebody wanted to go to; the Floor for anything else (ASVS 5.1.5)."""
    try:
        parts = urlsplit(text)
    except ValueError:
        return "/"
    fits = text.startswith("/") and not text.startswith(("//", "/\\")) and not parts.scheme and not parts.netloc
    return text if fits and text.isprintable() else "/"


def require_from_here(request: Request) -> None:
    """Refuse what only somebody at the server's own machine may ask for."""
    if not is_from_here(request):
        raise RefusedRequestError(
            "That is for the server’s own machine only.", "Open Iron Gauge in a browser of that machine."
        )
