"""The programs' routes, loaded when the first program asks.

Their modules and models take a third of the time from start to first page, and no page needs them. Until they are there one
route stands in their place: it fits nothing, but loads them when a path of theirs is asked for. `openapi.json` asks too.
"""

from __future__ import annotations

from threading import Lock
from typing import Any

from fastapi import FastAPI
from starlette.datastructures import URLPath
from starlette.routing import BaseRoute, Match, NoMatchFound
from starlette.types import Scope

from irongauge.core.bench.actions import ACTIONS

__all__ = ["DESCRIPTION", "ApiOnDemand"]

DESCRIPTION = (
    "Values in answers stand in the fixed unit of their quantity (V, Ω, kPa, °C, m, °, %). A reading may be sent as a "
    'number in that unit or as it would be typed (`"12mV"`, `"4.6 bar"`, `"OL"`). Errors are problem details '
    "(RFC 9457). State-changing requests are JSON.\n\nActions: "
    + "; ".join(f"`{a}` {s.title} ({s.answer}, {s.state})" for a, s in ACTIONS.items())
)


class ApiOnDemand(BaseRoute):
    """Stands before the programs' routes until they are loaded."""

    def __init__(self, app: FastAPI) -> None:
        self._app = app
        self._lock = Lock()
        self._is_loaded = False
        self._describe = app.openapi
        app.openapi = self._openapi  # type: ignore[method-assign] # its own way to describe more

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        if scope["type"] == "http" and str(scope["path"]).startswith("/api/"):
            self.load()
        return Match.NONE, {}

    def url_path_for(self, name: str, /, **path_params: Any) -> URLPath:
        raise NoMatchFound(name, path_params)  # no page links to them

    def load(self) -> None:
        """Import and include the routers, once."""
        with self._lock:
            if self._is_loaded:
                return
            from irongauge.web.api import curves, diagnose, pulse, pulse_parts, shop  # noqa: PLC0415  the point of it

            for module in (shop, curves, pulse, pulse_parts, diagnose):
                self._app.include_router(module.router)
            self._is_loaded = True

    def _openapi(self) -> dict[str, Any]:
        self.load()
        return self._describe()
