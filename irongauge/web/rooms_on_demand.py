"""The Curve and Pulse rooms, loaded when one of their pages or addresses is asked for, or once the first page is out.

A shop starts on the Floor. Their modules take a fifth of the time from start to first page. Until they are there one route
stands in their place, the last of all: it fits nothing, but loads them when no other route fits.
"""

from __future__ import annotations

from threading import Lock
from typing import Any

from fastapi import FastAPI
from starlette.datastructures import URLPath
from starlette.routing import BaseRoute, Match, NoMatchFound
from starlette.types import Scope

__all__ = ["RoomsOnDemand"]

_DOORS = {"curve": "/curve", "pulse": "/pulse"}  # every page links to them, which must not load them


class RoomsOnDemand(BaseRoute):
    """Stands behind all other routes until the rooms are loaded, whose routes then follow it."""

    def __init__(self, app: FastAPI) -> None:
        self._app = app
        self._lock = Lock()
        self._is_loaded = False

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        if scope["type"] == "http" and not str(scope["path"]).startswith(("/api/", "/static/")):
            self.load()
        return Match.NONE, {}

    def url_path_for(self, name: str, /, **path_params: Any) -> URLPath:
        if name in _DOORS and not path_params:
            return URLPath(_DOORS[name], protocol="http")
        self.load()
        raise NoMatchFound(name, path_params)

    def load(self) -> None:
        """Import and include the rooms, once."""
        with self._lock:
            if self._is_loaded:
                return
            from irongauge.web.curve import calibration_routes  # noqa: PLC0415  the point of it
            from irongauge.web.curve import routes as curve  # noqa: PLC0415  the point of it
            from irongauge.web.pulse import capture_routes  # noqa: PLC0415  the point of it
            from irongauge.web.pulse import routes as pulse  # noqa: PLC0415  the point of it

            for room in (calibration_routes, curve, pulse, capture_routes):
                self._app.include_router(room.router)
            self._is_loaded = True
