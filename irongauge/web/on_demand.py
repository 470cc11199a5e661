"""Routes that are loaded when somebody first asks for one of them.

Until they are there one route stands in their place: it fits nothing, but loads them when a path of theirs is asked for. They
then follow it, so the same search for a route, or for a link's path, finds them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from threading import Lock
from typing import Any

from fastapi import APIRouter, FastAPI
from starlette.datastructures import URLPath
from starlette.routing import BaseRoute, Match, NoMatchFound
from starlette.types import Scope

from irongauge.web.permissions import check_routes

__all__ = ["RoutesOnDemand", "api_on_demand", "rooms_on_demand"]


class RoutesOnDemand(BaseRoute):
    """Stands at the end of the routes of `app`, where only what no other route fits arrives.

    `routers` imports and gives the routers; `is_theirs` tells a path that they may have. `links` are those by name whose paths
    are known without loading. A link by another name loads them, unless `has_links` is false: then no page links to them.
    """

    def __init__(
        self,
        app: FastAPI,
        routers: Callable[[], Sequence[APIRouter]],
        is_theirs: Callable[[str], bool],
        *,
        links: Mapping[str, str] | None = None,
        has_links: bool = True,
    ) -> None:
        self._app = app
        self._routers = routers
        self._is_theirs = is_theirs
        self._links = links or {}
        self._has_links = has_links
        self._lock = Lock()
        self._is_loaded = False
        app.router.routes.append(self)

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        """Whether a request is for one of these routes; makes them when one first is."""
        if scope["type"] == "http" and self._is_theirs(str(scope["path"])):
            self.load()
        return Match.NONE, {}

    def url_path_for(self, name: str, /, **path_params: Any) -> URLPath:
        """The path of one of these routes by its name."""
        if name in self._links and not path_params:
            return URLPath(self._links[name], protocol="http")
        if self._has_links:
            self.load()
        raise NoMatchFound(name, path_params)

    def load(self) -> None:
        """Import and include the routers, once."""
        with self._lock:
            if self._is_loaded:
                return
            for router in self._routers():
                check_routes(router.routes)
                self._app.include_router(router)
            self._is_loaded = True


def api_on_demand(app: FastAPI) -> RoutesOnDemand:
    """The programs' routes: a third of the time from start to first page, and no page needs them. `openapi.json` does."""
    api = RoutesOnDemand(app, _api_routers, lambda path: path.startswith("/api/"), has_links=False)
    describe = app.openapi

    def described() -> dict[str, Any]:
        api.load()
        return describe()

    app.openapi = described  # type: ignore[method-assign] # its own way to describe more
    return api


def rooms_on_demand(app: FastAPI) -> RoutesOnDemand:
    """Curve, Pulse, Plan, Trace and Vehicle: a fifth of the time from start to first page, and a shop starts on the Floor."""
    links = {
        "curve": "/curve",
        "pulse": "/pulse",
        "plan": "/plan",
        "trace": "/trace",
        "me": "/me",
        "guide": "/guide",
    }  # every page links to them, which must not load them
    return RoutesOnDemand(app, _room_routers, lambda path: not path.startswith(("/api/", "/static/")), links=links)


def _api_routers() -> tuple[APIRouter, ...]:
    from irongauge.web.api import (
        curves,
        diagnose,
        live,
        plan,
        plan_wiring,
        plan_writes,
        pulse,
        pulse_parts,
        shop,
        traces,
        work,
    )

    return (
        shop.router,
        curves.router,
        pulse.router,
        pulse_parts.router,
        diagnose.router,
        plan.router,
        plan_wiring.router,
        plan_writes.router,
        work.router,
        traces.router,
        live.router,
    )


def _room_routers() -> tuple[APIRouter, ...]:
    from irongauge.web.curve import calibration_routes, compare_routes, entry_routes, thermocouple_routes
    from irongauge.web.curve import routes as curve
    from irongauge.web.guide import routes as guide
    from irongauge.web.handover import link_routes
    from irongauge.web.live import code_routes
    from irongauge.web.live import routes as live
    from irongauge.web.people import entry_routes as ways_in
    from irongauge.web.people import record_routes
    from irongauge.web.people import routes as people
    from irongauge.web.plan import advice, inputs, kit, module_types, power, wiring
    from irongauge.web.pulse import capture_routes
    from irongauge.web.pulse import routes as pulse
    from irongauge.web.trace import normal_routes
    from irongauge.web.trace import routes as trace
    from irongauge.web.vehicle import routes as vehicle
    from irongauge.web.work import routes as work

    curve_and_pulse = (
        calibration_routes,
        curve,
        entry_routes,
        compare_routes,
        thermocouple_routes,
        pulse,
        capture_routes,
    )
    return tuple(
        room.router
        for room in (
            *curve_and_pulse,
            vehicle,
            inputs,
            wiring,
            power,
            kit,
            advice,
            module_types,
            work,
            trace,
            normal_routes,
            live,
            code_routes,
            ways_in,
            people,
            record_routes,
            link_routes,
            guide,
        )
    )
