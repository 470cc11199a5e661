"""What every request passes through: size limits, same-origin check, security headers; and the token of every form.

Pure ASGI, so that a body is counted as it arrives and nothing is buffered twice.
"""

from __future__ import annotations

import asyncio
import re
import secrets
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from urllib.parse import urlsplit

from itsdangerous import BadSignature, URLSafeSerializer
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from irongauge.errors import RefusedRequestError, TooLargeError
from irongauge.web.request_limits import BODY_S

__all__ = ["SESSION_COOKIE", "BodyLimits", "FormTokens", "Guard", "check_same_origin"]

SESSION_COOKIE = "iron_session"
# A sensor type may come with a table of thousands of rows, a drive with a log and a track.
_TAKE_FILES = ("/api/", "/shelf/sensor-types", "/shelf/modules", "/pulse/speed")
_TAKE_LISTS = ("/check", "/import", "/wiring", "/maps")
_TAKES_LOG = re.compile(r"/api/v1/vehicles/[^/]+/logs")
_TAKE_CAPTURES = ("/pulse/captures", "/api/v1/captures")
_SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


@dataclass(frozen=True)
class BodyLimits:
    """The largest body that is taken in: of a form, of one with a file, a list or an API request, a picture, a capture, a log."""

    form_bytes: int
    upload_bytes: int
    picture_bytes: int
    capture_bytes: int
    log_bytes: int


class Guard:
    """Refuses bodies over the limit and adds the security headers.

    A declared size is answered by `too_large` before the body is read; a count stops a body that declared none or lied.
    """

    def __init__(
        self,
        app: ASGIApp,
        limits: BodyLimits,
        too_large: Callable[[Request, TooLargeError], Response],
    ) -> None:
        self._app = app
        self._too_large = too_large
        self._limits = limits

    def _limit_of(self, path: str) -> int:
        if path in _TAKE_CAPTURES:
            return self._limits.capture_bytes
        if path == "/trace/logs" or _TAKES_LOG.fullmatch(path):
            return self._limits.log_bytes
        if path.endswith(("/pictures", "/logo")):
            return self._limits.picture_bytes
        takes_files = path.startswith(_TAKE_FILES) or path.endswith(_TAKE_LISTS)
        return self._limits.upload_bytes if takes_files else self._limits.form_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        path: str = scope["path"]
        limit = self._limit_of(path)
        is_secure = scope["scheme"] == "https"
        if is_secure:
            scope["headers"] = _own_cookies(scope["headers"])
        declared = Headers(scope=scope).get("content-length", "")

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    headers.setdefault(name, value)
                if is_secure:
                    headers.setdefault("Strict-Transport-Security", "max-age=31536000")
                    message["headers"] = _for_this_host(message["headers"])
                if not path.startswith("/static/"):
                    headers.setdefault("Cache-Control", "no-store")
            await send(message)

        if declared.isdigit() and int(declared) > limit:
            answer = self._too_large(Request(scope), TooLargeError(limit))
            await answer(scope, receive, with_headers)
            return
        await self._app(scope, _counted(receive, limit), with_headers)


_OF_HOST = b"__Host-"
_RawHeaders = Iterable[tuple[bytes, bytes]]


def _own_cookies(headers: _RawHeaders) -> list[tuple[bytes, bytes]]:
    """Over TLS only cookies count that this very host has set, and no neighbour of its domain: the prefix says so, and goes."""

    def own(value: bytes) -> bytes:
        parts = (part.strip() for part in value.split(b";"))
        return b"; ".join(part.removeprefix(_OF_HOST) for part in parts if part.startswith(_OF_HOST))

    return [(name, own(value) if name == b"cookie" else value) for name, value in headers]


def _for_this_host(headers: _RawHeaders) -> list[tuple[bytes, bytes]]:
    """Every cookie that goes out over TLS, for this host and over TLS only (RFC 6265bis, 4.1.3.2)."""

    def of_host(value: bytes) -> bytes:
        return _OF_HOST + value + (b"" if b"; secure" in value.lower() else b"; Secure")

    return [(name, of_host(value) if name == b"set-cookie" else value) for name, value in headers]


def _counted(receive: Receive, limit: int) -> Receive:
    """The body as it arrives, up to a size, and not waited for longer than `BODY_S` between two parts."""
    taken, is_whole = 0, False

    async def counted() -> Message:
        nonlocal taken, is_whole
        if is_whole:  # all that can come now is that the client goes
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), BODY_S)
        except TimeoutError as error:
            raise HTTPException(408, "What you sent did not come to an end. Send it again.") from error
        is_whole = not message.get("more_body", False)
        if message["type"] == "http.request":
            taken += len(message.get("body", b""))
            if taken > limit:
                raise HTTPException(413, str(TooLargeError(limit)))
        return message

    return counted


def check_same_origin(request: Request) -> None:
    """Refuse a state-changing request that a browser says comes from another site."""
    if request.method in _SAFE_METHODS:
        return
    fetch_site = request.headers.get("sec-fetch-site", "same-origin")
    origin = request.headers.get("origin")
    other = origin is not None and _host_of(origin) != request.headers.get("host")
    if fetch_site not in {"same-origin", "none"} or other:
        raise RefusedRequestError("This request came from another site.", "Open Iron Gauge itself and do it there.")


def _host_of(origin: str) -> str | None:
    """The host and port that an origin names; None where it is none, such as `null` or a bracket that is never closed."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


class FormTokens:
    """Ties each form to the browser that it was made for: a signed session cookie, and a token signed from it."""

    def __init__(self, secret: str) -> None:
        self._sessions = URLSafeSerializer(secret, salt="session")
        self._forms = URLSafeSerializer(secret, salt="form")

    def session(self, request: Request) -> str | None:
        """The browser's session, if its cookie is one of ours."""
        try:
            return str(self._sessions.loads(request.cookies.get(SESSION_COOKIE, "")))
        except BadSignature:
            return None

    def new_session(self) -> tuple[str, str]:
        """A fresh session and the cookie value that carries it."""
        session = secrets.token_urlsafe(18)
        return session, str(self._sessions.dumps(session))

    def token(self, session: str) -> str:
        """The token that a form of this session must send back."""
        return str(self._forms.dumps(session))

    def check(self, request: Request, token: str) -> None:
        """Raise `RefusedRequestError` unless the token was made for this browser."""
        session = self.session(request)
        try:
            fits = session is not None and self._forms.loads(token) == session
        except BadSignature:
            fits = False
        if not fits:
            raise RefusedRequestError(
                "This page has lost its connection to this browser (cookies cleared, or another server).",
                "Nothing was saved. Open the page again and enter what is listed below.",
            )
