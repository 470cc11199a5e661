"""Counts and times of requests for local scraping, and a line of log for each that a person waited for. Pure ASGI.

No names and no values are in either: a route stands as it is written, `/circuits/{uid}/bench`. Several processes of one server
keep their counts in files that each of them reads, so any of them gives the whole.
"""

from __future__ import annotations

import os
import time
from functools import cache
from http import HTTPStatus
from pathlib import Path
from typing import Any

import structlog
from starlette.types import ASGIApp, Message, Receive, Scope, Send

__all__ = ["Measured", "metrics_text", "share_counts"]

_FILES = "PROMETHEUS_MULTIPROC_DIR"
_SLOW_S, _ENDLESS = 1.0, "/events"
_BUCKETS = (0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 10.0)

log = structlog.get_logger()


def share_counts(folder: Path) -> None:
    """Before the processes start: where they keep their counts, empty."""
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.glob("*.db"):
        old.unlink(missing_ok=True)
    os.environ[_FILES] = str(folder)


class Measured:
    """Counts each request by route, method and status, and times it."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._count, self._time = _kept()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].startswith("/static/"):
            await self._app(scope, receive, send)
            return
        begun, status = time.perf_counter(), 500

        async def noting(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        try:
            await self._app(scope, receive, noting)
        finally:
            took = time.perf_counter() - begun
            route = getattr(scope.get("route"), "path", "none")
            self._count.labels(route, scope["method"], str(status)).inc()
            took = 0.0 if route.endswith(_ENDLESS) else took  # one that lasts as long as somebody looks is not slow
            self._time.labels(route).observe(took)
            if status >= HTTPStatus.INTERNAL_SERVER_ERROR or took > _SLOW_S:
                request = scope.get("state", {}).get("request_id", "")
                log.warning(
                    "slow request" if status < HTTPStatus.INTERNAL_SERVER_ERROR else "server error",
                    request=request, route=route, method=scope["method"], status=status, ms=round(took * 1000),
                )  # fmt: skip


@cache
def _kept() -> tuple[Any, Any]:
    """Counts and times by route, made once for a process however many applications it holds."""
    from prometheus_client import Counter, Histogram

    return (
        Counter("irongauge_requests", "Requests answered", ("route", "method", "status")),
        Histogram("irongauge_request_seconds", "Time to the last byte", ("route",), buckets=_BUCKETS),
    )


def metrics_text() -> tuple[bytes, str]:
    """All counts as Prometheus takes them, and the media type."""
    from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, generate_latest
    from prometheus_client.multiprocess import MultiProcessCollector

    registry = REGISTRY
    if os.environ.get(_FILES):
        registry = CollectorRegistry()
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    return generate_latest(registry), CONTENT_TYPE_LATEST
