"""Where a person stands: the circuit last worked on at this device, and the page that a tool was opened from."""

from __future__ import annotations

import re
from dataclasses import dataclass
from uuid import UUID

from starlette.requests import Request
from starlette.responses import Response

from irongauge.web.cookies import recall, remember

__all__ = ["Back", "last_circuit", "note_circuit", "way_back"]

_COOKIE = "iron_at"
_UID = "[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}"
# The pages that a tool is opened from, and what they are called.
_PAGES = tuple(
    (re.compile(pattern.replace("UID", _UID)), name)
    for pattern, name in (
        ("/circuits/UID/bench", "the Bench"),
        ("/jobs/UID", "the Job"),
        ("/jobs/UID/handover", "the Handover sheet"),
        ("/jobs/UID/circuits/new", "the new circuit"),
        ("/circuits/UID/card", "the circuit data"),
        ("/vehicles/UID", "the vehicle"),
        ("/vehicles/UID/inputs", "the inputs"),
        ("/calibrations/UID", "the calibration"),
        ("/curve", "Curve"),
    )
)


@dataclass(frozen=True)
class Back:
    """A page of this shop, and what it is called."""

    href: str
    name: str


def way_back(path: str) -> Back | None:
    """The page that a tool was opened from; None for anything that is no such page, since it comes from an address."""
    return next((Back(path, name) for pattern, name in _PAGES if pattern.fullmatch(path)), None)


def note_circuit(response: Response, circuit_uid: UUID) -> None:
    """Remember on this device that this circuit is worked on."""
    remember(response, _COOKIE, (circuit_uid,))


def last_circuit(request: Request) -> UUID | None:
    """The circuit last worked on at this device; None where there is none, or the cookie was tampered with."""
    try:
        return UUID(recall(request, _COOKIE, 1)[0])
    except (ValueError, IndexError):
        return None
