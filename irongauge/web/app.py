"""The application: settings in, a served shop out."""

from __future__ import annotations

import asyncio
import gc
import logging
import os
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import partial

import structlog
from anyio import to_thread
from fastapi import Depends, FastAPI
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope
from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

from irongauge import __version__
from irongauge.core.measure.units import load_tables
from irongauge.ending import end_after
from irongauge.settings import PARENT, Settings, get_settings, read_secret
from irongauge.store.database import Database
from irongauge.web import system
from irongauge.web.api.description import DESCRIPTION
from irongauge.web.authentication import ActsAsWhoAsks, check_access
from irongauge.web.bench import filling, reader
from irongauge.web.bench import routes as bench
from irongauge.web.floor import routes as floor
from irongauge.web.handover import routes as handover
from irongauge.web.head_requests import HeadsAsGets
from irongauge.web.job import routes as job
from irongauge.web.metrics import Measured
from irongauge.web.on_demand import api_on_demand, rooms_on_demand
from irongauge.web.pages import STATIC, Pages
from irongauge.web.permissions import check_routes
from irongauge.web.problems import install_problem_handlers, too_large
from irongauge.web.security import BodyLimits, FormTokens, Guard
from irongauge.web.shelf import routes as shelf
from irongauge.workflows.shop.jobs import judge_open_jobs

__all__ = ["create_app"]

# Requests that are worked on at once in a process. Python works on one at a time; with more, each waits for all the others, and
# fifty clients together get a third less.
_THREADS = 6
_FIRST_PAGE_S, _PARENT_S = 0.8, 1.0
_ROOMS = (
    system,
    floor,
    job,
    bench,
    filling,
    reader,
    handover,
    shelf,
)


class _KeptStatic(StaticFiles):
    """Static files; an address carries a version or a content hash, so a browser may keep what it got."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        response = await super().get_response(path, scope)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _configure_log(level: str) -> None:
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(
            logging.getLevelNamesMapping().get(level.upper(), logging.INFO)
        ),
        logger_factory=structlog.PrintLoggerFactory(),
        cache_logger_on_first_use=True,
    )


def _judge_again(database: Database) -> None:
    """After an update the verdicts that are kept may no longer hold: they are concluded while nobody waits for them."""
    try:
        judge_open_jobs(database)
    except Exception as error:  # noqa: BLE001  it is done again when a page needs it
        structlog.get_logger().warning("verdicts not judged again", why=type(error).__name__)


def _end_with_parent() -> None:
    """One of several processes ends when the one that started them does, even where that was killed: it holds their port."""
    parent = os.environ.get(PARENT, "")
    if not parent.isdecimal() or int(parent) == os.getpid():
        return

    def look() -> None:
        while os.getppid() == int(parent):
            time.sleep(_PARENT_S)

    end_after(look)


def create_app(settings: Settings | None = None) -> FastAPI:
    """The web application over the database that the settings name."""
    settings = settings or get_settings()
    _configure_log(settings.log_level)
    database = Database(settings.database_url)
    tokens = FormTokens(read_secret(settings))

    def get_ready() -> None:
        # One after the other: both frameworks quiet warnings for a moment while they load, which holds for one thread only.
        for load in (load_tables, rooms.load, partial(_judge_again, database)):
            load()

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        # Loading the unit tables takes the better part of a second. The Floor does not need them, so it goes first.
        gc.freeze()  # what is loaded stays; looking through it again and again would cost every page some milliseconds
        gc.set_threshold(20_000, 20, 20)
        loop = asyncio.get_running_loop()
        loop.call_later(_FIRST_PAGE_S, loop.run_in_executor, None, get_ready)
        to_thread.current_default_thread_limiter().total_tokens = _THREADS
        _end_with_parent()
        yield
        database.close()

    app = FastAPI(
        title="Iron Gauge",
        version=__version__,
        summary="Test and commission the sensor circuits of a vehicle.",
        description=DESCRIPTION,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        dependencies=[Depends(check_access)],
        lifespan=lifespan,
    )
    app.state.database = database
    app.state.tokens = tokens
    app.state.settings = settings
    app.state.pepper = read_secret(settings)
    app.state.pages = Pages(tokens, settings.local_dir / "templates")
    install_problem_handlers(app)
    for room in _ROOMS:
        check_routes(room.router.routes)
        app.include_router(room.router)
    app.mount("/static", _KeptStatic(directory=STATIC))
    api_on_demand(app)
    rooms = rooms_on_demand(app)
    app.add_middleware(GZipMiddleware, minimum_size=600, compresslevel=6)
    hosts = [host.strip().strip("[]") for host in settings.allowed_hosts.split(",")]
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=[*hosts, *(f"[{h}]" for h in hosts if ":" in h)])
    app.add_middleware(
        Guard,
        limits=BodyLimits(
            form_bytes=settings.form_limit_bytes,
            upload_bytes=settings.upload_limit_bytes,
            picture_bytes=settings.picture_limit_bytes,
            capture_bytes=settings.capture_limit_bytes,
            log_bytes=settings.log_limit_bytes,
        ),
        too_large=too_large,
    )
    app.add_middleware(HeadsAsGets)
    app.add_middleware(Measured)
    app.add_middleware(ActsAsWhoAsks)
    if settings.proxy:
        app.add_middleware(ProxyHeadersMiddleware, trusted_hosts=settings.proxy)
    return app
