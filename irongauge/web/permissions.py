"""Who may use a route, said where the route is written: `@router.get("/shelf", dependencies=[LOOK])`.

The words are those of the table in `core/people/roles.py`. An application with a route that does not say it is not made.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import cast

from fastapi import Depends
from fastapi.params import Depends as Marker
from fastapi.routing import APIRoute
from starlette.routing import BaseRoute

from irongauge.core.people.roles import Deed

__all__ = [
    "ANYBODY",
    "ARRANGE",
    "ARRANGE_FOR_OTHERS",
    "HAND_OVER",
    "LOOK",
    "LOOK_BY_ITSELF",
    "MACHINES",
    "MEASURE",
    "OWN",
    "RUN",
    "RUN_FOR_OTHERS",
    "SIGN",
    "Permission",
    "check_routes",
    "permission_of",
    "permissions_of",
]


@dataclass(frozen=True, kw_only=True)
class Permission:
    """What somebody must be allowed to do to use a route; `deed` is None where nobody needs to have come in.

    What a page asks `by_itself` keeps nobody signed in. A technician whom a form `names_others` is not the one who did it: whose
    job, whose hours, whose step. Nobody is looked for where only `machines` ask.
    """

    deed: Deed | None
    by_itself: bool = False
    names_others: bool = False
    machines: bool = False

    async def __call__(self) -> None:
        """Nothing by itself: `check_access` asks for it before anything else of the route."""


def _marker(
    deed: Deed | None, *, by_itself: bool = False, names_others: bool = False, machines: bool = False
) -> Marker:
    return cast(
        "Marker",
        Depends(Permission(deed=deed, by_itself=by_itself, names_others=names_others, machines=machines)),
    )


ANYBODY, MACHINES = _marker(None), _marker(None, machines=True)
OWN, LOOK, MEASURE, ARRANGE = (_marker(deed) for deed in (Deed.OWN, Deed.LOOK, Deed.MEASURE, Deed.ARRANGE))
SIGN, HAND_OVER, RUN = (_marker(deed) for deed in (Deed.SIGN, Deed.HAND_OVER, Deed.RUN))
LOOK_BY_ITSELF = _marker(Deed.LOOK, by_itself=True)
ARRANGE_FOR_OTHERS, RUN_FOR_OTHERS = (_marker(deed, names_others=True) for deed in (Deed.ARRANGE, Deed.RUN))


def permission_of(route: APIRoute) -> Permission:
    """What a route says; `LookupError` where it says nothing, or two things."""
    said = [marker.dependency for marker in route.dependencies if isinstance(marker.dependency, Permission)]
    if len(said) != 1:
        msg = f"{sorted(route.methods or ())} {route.path} says {len(said)} times who may use it"
        raise LookupError(msg)
    return said[0]


def check_routes(routes: Iterable[BaseRoute]) -> None:
    """Raise `LookupError` unless every route says once who may use it."""
    for route in routes:
        if isinstance(route, APIRoute):
            permission_of(route)


def permissions_of(routes: Iterable[BaseRoute]) -> dict[str, Deed | None]:
    """The whole table, such as `POST /jobs/{uid}/handover`: `Deed.HAND_OVER`."""
    return {
        f"{method} {route.path}": permission_of(route).deed
        for route in routes
        if isinstance(route, APIRoute)
        for method in sorted(route.methods or ())
    }
