"""One place where errors become pages or, under /api/, problem details (RFC 9457)."""

from __future__ import annotations

import secrets
from typing import Any, cast
from urllib.parse import urlencode

import structlog
from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import (
    DataError,
    DBAPIError,
    InterfaceError,
    OperationalError,
    PendingRollbackError,
    SQLAlchemyError,
)
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response

from irongauge.errors import (
    BadFileError,
    ChangedMeanwhileError,
    EntryError,
    InstrumentError,
    IronGaugeError,
    JobClosedError,
    NoShopError,
    NotAllowedError,
    NotFoundError,
    RefusedRequestError,
    SignInNeededError,
    StaleFormError,
    TooLargeError,
)
from irongauge.store.database import Database
from irongauge.web.forms import FormState
from irongauge.web.pages import Pages
from irongauge.web.people.forms import SECRET

__all__ = ["install_problem_handlers", "problem_json", "too_large"]

log = structlog.get_logger()

# error, status, name of the problem, heading for people
_KINDS: tuple[tuple[type[IronGaugeError], int, str, str], ...] = (
    (EntryError, 422, "entry", "That cannot be used"),
    (NoShopError, 409, "no-shop", "No shop yet"),
    (NotFoundError, 404, "not-found", "Not in this shop"),
    (StaleFormError, 409, "stale", "Something changed meanwhile"),
    (ChangedMeanwhileError, 409, "stale", "Something changed meanwhile"),
    (JobClosedError, 409, "job-closed", "This job is finished"),
    (InstrumentError, 409, "instrument", "The instrument does not do it"),
    (SignInNeededError, 401, "sign-in", "Who is there?"),
    (NotAllowedError, 403, "not-allowed", "You may not do this"),
    (RefusedRequestError, 403, "refused", "Not done"),
    (TooLargeError, 413, "too-large", "Too large"),
    (BadFileError, 422, "bad-file", "This file cannot be used"),
)
_HTTP = {
    400: ("bad-request", "That request cannot be read"),
    404: ("not-found", "There is no such page"),
    405: ("method", "That cannot be done here"),
    408: ("too-slow", "That took too long to arrive"),
    413: ("too-large", "Too large"),
    503: ("no-database", "The database does not answer"),
}


_DETAILS = {
    400: "The body is no JSON that can be read: it is broken, or nested too deeply. Send it again as plain JSON.",
    404: "Check the address, or go back to the Floor.",
    405: "Go back, and use the buttons of the page; programs find what may be done in /api/v1/openapi.json.",
}


def kind_of(error: IronGaugeError) -> tuple[int, str, str]:
    """The status, the kind and the title under which an error is told."""
    return next(
        ((status, name, title) for kind, status, name, title in _KINDS if isinstance(error, kind)),
        (400, "problem", "That did not work"),
    )


def problem_json(status: int, name: str, title: str, detail: str, **more: Any) -> JSONResponse:
    """A problem details object; `type` is a name relative to the API's own documentation."""
    body = {"type": f"/problems/{name}", "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(body, status, media_type="application/problem+json")


def _answer(request: Request, status: int, name: str, title: str, detail: str, **more: Any) -> Response:
    if request.url.path.startswith("/api/"):
        return problem_json(status, name, title, detail, **more)
    posted = getattr(request.state, "posted", None)
    typed = {} if posted is None else {k: v for k, v in posted.values.items() if v and k not in _NOT_TYPED}
    pages = cast("Pages", request.app.state.pages)
    return pages.render(
        request, "problem.html", status, title=title, detail=detail, typed=typed, reference=more.get("reference")
    )


# What PostgreSQL says of a character that it cannot store, in text and in JSON.
_NUL_SIGNS = ("NUL (0x00)", "\\u0000")
_NOT_TYPED = {"token", "uid", "seen_uid", "test_point", "kept", "kept_for"} | SECRET


def too_large(request: Request, error: TooLargeError) -> Response:
    """The answer to a body that says it is over the limit, before any of it is read; a line of text for a page's own script."""
    if "text/event-stream" in request.headers.get("accept", ""):
        return Response(f"{error}\n", 413, media_type="text/plain; charset=utf-8")
    return _answer(request, 413, "too-large", "Too large", str(error))


def _kept_form(request: Request, typed: dict[str, str]) -> Response:
    """A form that came when nobody was in any more: the page to come in by, with all that was typed."""
    from irongauge.web.people.entry_routes import keep_post, show_sign_in  # noqa: PLC0415  a room on demand

    pages, database = cast("Pages", request.app.state.pages), cast("Database", request.app.state.database)
    return show_sign_in(request, pages, database, FormState(keep_post(typed, request.url.path)), 401)


def install_problem_handlers(app: FastAPI) -> None:
    """Let every error become a page or an answer in plain words."""

    @app.exception_handler(IronGaugeError)
    def _on_purpose(request: Request, error: IronGaugeError) -> Response:
        status, name, title = kind_of(error)
        more = {"errors": [{"field": error.field, "typed": error.typed[:300]}]} if isinstance(error, EntryError) else {}
        return _answer(request, status, name, title, str(error), **more)

    @app.exception_handler(HTTPException)
    def _http(request: Request, error: HTTPException) -> Response:
        name, title = _HTTP.get(error.status_code, ("problem", "That did not work"))
        detail = _DETAILS.get(error.status_code) or str(error.detail)
        answer = _answer(request, error.status_code, name, title, detail)
        answer.headers.update(error.headers or {})  # such as what may be done there
        return answer

    @app.exception_handler(RequestValidationError)
    def _api_validation(request: Request, error: RequestValidationError) -> Response:
        problems = [
            {
                "field": ".".join(str(part) for part in e["loc"][1:]),
                "detail": e["msg"],
                "typed": str(e.get("input"))[:300],
            }
            for e in error.errors()
        ]
        first = problems[0]
        detail = f"{first['field'] or 'The request'}: {first['detail']}."
        return _answer(request, 422, "entry", "That cannot be used", detail, errors=problems)

    @app.exception_handler(Exception)
    def _unforeseen(request: Request, error: Exception) -> Response:
        return _fault(request, error)

    _install_database_handlers(app)
    _install_sign_in_handler(app)


def _fault(request: Request, error: Exception) -> Response:
    reference = secrets.token_hex(4)
    log.error("unforeseen error", reference=reference, path=request.url.path, exc_info=error)
    detail = f"This is a fault of Iron Gauge, not of yours. Its reference is {reference}. Nothing was half saved."
    return _answer(request, 500, "fault", "Something broke here", detail, reference=reference)


def _install_database_handlers(app: FastAPI) -> None:
    @app.exception_handler(OperationalError)
    @app.exception_handler(PoolTimeoutError)
    @app.exception_handler(PendingRollbackError)
    def _no_database(request: Request, error: SQLAlchemyError) -> Response:
        log.error("database does not answer", error=str(getattr(error, "orig", error)))
        detail = "What a page has shown as saved is safe. Nothing of this request was saved; try again in a moment."
        return _answer(request, 503, "no-database", "The database does not answer", detail)

    @app.exception_handler(DataError)
    def _not_storable(request: Request, error: DataError) -> Response:
        if not any(sign in str(error.orig) for sign in _NUL_SIGNS):
            return _fault(request, error)
        detail = (
            "It holds a character that cannot be stored (U+0000). Nothing was saved; take it out and send it again."
        )
        return _answer(request, 422, "entry", "That cannot be used", detail)

    @app.exception_handler(DBAPIError)
    def _other_name(request: Request, error: DBAPIError) -> Response:
        if error.connection_invalidated or isinstance(error, InterfaceError):  # it went away in the middle of this
            return _no_database(request, error)
        if getattr(error.orig, "sqlstate", "") != "IG001":
            return _fault(request, error)
        detail = "That was entered in the name of somebody else, which only a foreman may do. Nothing was saved."
        return _answer(request, 403, "not-allowed", "You may not do this", detail)


def _install_sign_in_handler(app: FastAPI) -> None:
    @app.exception_handler(SignInNeededError)
    async def _sign_in(request: Request, error: SignInNeededError) -> Response:
        is_page = request.headers.get("sec-fetch-mode", "navigate") == "navigate"
        if request.url.path.startswith("/api/") or not is_page:
            answer = problem_json(401, "sign-in", "Who is there?", str(error))
            answer.headers["WWW-Authenticate"] = "Bearer"
            return answer
        if request.method == "GET":
            wanted = request.url.path + (f"?{request.url.query}" if request.url.query else "")
            return RedirectResponse(f"/sign-in?{urlencode({'next': wanted})}", status_code=303)
        async with request.form(max_files=2, max_fields=100) as form:
            typed = {name: value for name, value in form.multi_items() if isinstance(value, str)}
        return await run_in_threadpool(_kept_form, request, typed)
