"""What the Bench's field can be filled from: a meter on the network, or the vehicle's bus."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query
from starlette.responses import JSONResponse, Response

from irongauge.core.bench.sequence import Test
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.web.bench.forms import ReadingForm
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.live.page import shown_text
from irongauge.web.permissions import LOOK_BY_ITSELF
from irongauge.workflows.bench.readings import BenchView, look_at_bench
from irongauge.workflows.live.meter import Filled, bus_shows, fill_from_bus, fill_from_meter, may_fill
from irongauge.workflows.live.watching import Shown
from irongauge.workflows.shop.view import Depth, now

__all__ = ["BusLine", "bus_line", "fill", "router"]

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True)
class BusLine:
    """What the bus shows of the asked channel, as a line beside the field."""

    text: str
    is_fresh: bool


def bus_line(database: Database, view: BenchView, asked: Test | None) -> BusLine | None:
    """What the bus shows for the asked step; None where that is not for a bus, or none is plugged in."""
    if asked is None or asked.spec.shown is None:
        return None
    shown = bus_shows(database, view, asked.test_point, asked.spec)
    return None if shown is None else _line(view, shown)


def _line(view: BenchView, shown: Shown) -> BusLine:
    name = f"{shown.channel.name} on the {'simulated ' if shown.is_simulated else ''}bus"
    if math.isnan(shown.value):
        return BusLine(f"{name}: nothing comes yet", is_fresh=False)
    age_s = max(0.0, (now() - shown.at).total_seconds())
    when = f"{age_s:.1f} s ago" if shown.is_fresh else f"old: {age_s:.0f} s ago"
    return BusLine(f"{name}: {shown_text(shown.channel, shown.value, view.shop)}, {when}", shown.is_fresh)


def fill(database: Database, view: BenchView, asked: Test, form: ReadingForm) -> Filled | None:
    """What the field is filled with where nothing was typed: off the chosen meter, else off the bus; None where neither can.

    `EntryError` beside the field where it should but does not.
    """
    instrument = view.people.instrument(form.instrument_uid)
    if instrument is not None and may_fill(asked.spec, instrument):
        return fill_from_meter(view, asked.test_point, asked.spec, instrument)
    if bus_line(database, view, asked) is not None:
        return fill_from_bus(database, view, asked.spec)
    return None


@router.get("/circuits/{uid}/bus", dependencies=[LOOK_BY_ITSELF], name="bus_now")
def get_bus(database: DatabaseDep, uid: str, test: Annotated[str, Query(max_length=60)]) -> Response:
    """The line again, as it is now."""
    view = look_at_bench(database, uid_or_missing("circuit", uid), Depth.MARKS)
    asked = next((t for t in view.view.assessment.tests if str(t.test_point) == test), None)
    line = None if asked is None else bus_line(database, view, asked)
    if line is None:
        raise NotFoundError("channel on the bus", test)
    return JSONResponse({"text": line.text, "is_fresh": line.is_fresh})
