"""Live data: what is watched, recording, ways onto a bus; a stream of values for the browser."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from datetime import UTC, datetime
from functools import partial
from typing import Annotated
from uuid import UUID, uuid4

import anyio.to_thread
from fastapi import APIRouter, Header, Query
from fastapi.sse import EventSourceResponse, ServerSentEvent
from sqlalchemy.exc import OperationalError
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.live.record import BusPort
from irongauge.core.live.watching import is_fresh
from irongauge.errors import EntryError, NotFoundError
from irongauge.formats.log_can import read_dbc
from irongauge.store.database import Database
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.live.forms import PortForm, PostedTo, port_from, watched_from
from irongauge.web.live.page import Board, shown_text, shown_unit, watched_of
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, LOOK_BY_ITSELF, MEASURE
from irongauge.workflows.live.watching import (
    INTERFACES,
    LiveView,
    add_port,
    begin_recording,
    change_port,
    end_recording,
    look_at_live,
    newest,
    normals_for,
    plug,
    remove_port,
    samples_after,
    want,
    watch,
)
from irongauge.workflows.shop.queue import read_later
from irongauge.workflows.shop.view import now

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

_COOKIE = "iron_live"
_MOST_DBC = 10_000_000
_LOOK_S, _SILENT_S, _WANT_S = 0.2, 2.0, 5.0
_MOST_AT_ONCE = 500


@router.get("/trace/live", dependencies=[LOOK], name="live")
def get_live(request: Request, database: DatabaseDep, pages: PagesDep, port: str = "") -> Response:
    """The vehicles whose bus is watched, and what is shown of them."""
    uid = uid_or_missing("bus port", port) if port else None
    return _live(request, database, pages, uid=uid, state=FormState())


def _live(
    request: Request, database: Database, pages: Pages, *, uid: UUID | None, state: FormState, status: int = 200
) -> Response:
    view = look_at_live(database, uid)
    board = None if view.port is None else _board(view.port, view)
    technician = (recall(request, _COOKIE, 1) or [""])[0]
    return pages.render(
        request,
        "live.html",
        status,
        view=view,
        tiles=[] if board is None else board.tiles(),
        watched={} if view.port is None else {one.channel: one for one in watched_of(view.port)},
        shown=partial(shown_text, shop=view.shop),
        shown_unit=partial(shown_unit, shop=view.shop),
        interfaces=tuple(INTERFACES.items()),
        state=state,
        new_uid=uuid4(),
        technician=technician,
        is_fresh=view.port is not None and is_fresh(view.port.heard_at, now()),
        tab="live",
    )


def _board(port: BusPort, view: LiveView) -> Board:
    """The tiles as the page begins with them; where they stand against the normals comes with the stream."""
    board = Board(port, view.shop, {})
    board.values |= view.values
    return board


@router.get(
    "/trace/live/{uid}/events", dependencies=[LOOK_BY_ITSELF], name="live_events", response_class=EventSourceResponse
)
async def get_events(
    database: DatabaseDep,
    shop: ShopDep,
    uid: str,
    after: Annotated[int, Query(ge=0, le=2**62)] = 0,
    last_event_id: Annotated[str, Header(max_length=30)] = "",
) -> AsyncIterator[ServerSentEvent]:
    """What a bus tells, sample after sample. A browser that slept says where it was, and is told all since then."""
    port_uid = uid_or_missing("bus port", uid)
    at = int(last_event_id) if last_event_id.isascii() and last_event_id.isdecimal() else after
    in_thread = anyio.to_thread.run_sync
    board: Board | None = None
    quiet_s, wanted_s = 0.0, _WANT_S
    while True:
        try:
            if wanted_s >= _WANT_S:
                await in_thread(want, database, port_uid)
                wanted_s = 0.0
            if board is None or board.needs_again:
                board = await in_thread(_fresh_board, database, port_uid, shop, after, at)
            samples = await in_thread(samples_after, database, port_uid, at, _MOST_AT_ONCE)
        except NotFoundError:
            return  # it was removed while somebody looked
        except OperationalError:
            samples = ()  # the database is away for a moment; what it keeps comes after it
        if samples:
            at, quiet_s = samples[-1].number, 0.0
            yield ServerSentEvent(
                event="values", id=str(at), data=board.event(samples, datetime.now(UTC)) if board else {}
            )
        else:
            quiet_s += _LOOK_S
            if quiet_s >= _SILENT_S:
                quiet_s = 0.0
                yield ServerSentEvent(event="silent", data={"trouble": await in_thread(_trouble, database, port_uid)})
        if len(samples) < _MOST_AT_ONCE:
            await asyncio.sleep(_LOOK_S)
            wanted_s += _LOOK_S


def _fresh_board(database: Database, uid: UUID, shop: ShopDep, since: int, until: int) -> Board:
    """A board that has seen what came since somebody began to watch, as far as that was told already."""
    port, _ = newest(database, uid)
    board = Board(port, shop, {} if port.vehicle_uid is None else normals_for(database, port.vehicle_uid))
    at = since
    while at < until and (samples := samples_after(database, uid, at, _MOST_AT_ONCE)):
        board.take([sample for sample in samples if sample.number <= until])
        at = samples[-1].number
    return board


def _trouble(database: Database, uid: UUID) -> str:
    try:
        port, _ = newest(database, uid)
    except (NotFoundError, OperationalError):
        return "The database does not answer."
    return port.trouble or "Nothing comes off the bus."


@router.post("/trace/live/ports", dependencies=[ARRANGE], name="add_port")
def post_port(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Add a port."""
    return _keep_port(request, database, pages, posted, None)


@router.post("/trace/live/{uid}/port", dependencies=[ARRANGE], name="change_port")
def post_change(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep, uid: str) -> Response:
    """Change a port."""
    return _keep_port(request, database, pages, posted, uid_or_missing("bus port", uid))


def _keep_port(request: Request, database: Database, pages: Pages, posted: Posted, uid: UUID | None) -> Response:
    form, state = read_form(PortForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        name, frames = _frames(posted)
        port = port_from(form, uid, name, frames)
        if uid is None:
            add_port(database, port)
        else:
            change_port(database, port)
    except EntryError as error:
        return _live(request, database, pages, uid=uid, state=state.with_error(error), status=422)
    return go_to(request.url_for("live").include_query_params(port=port.uid))


def _frames(posted: Posted) -> tuple[str, bytes]:
    """The description of the bus's frames, read once to see whether it can be."""
    file = posted.files.get("frames")
    if file is None or not file.filename:
        return "", b""
    content = file.file.read(_MOST_DBC + 1)
    name = str(file.filename)[-120:]
    if len(content) > _MOST_DBC:
        raise EntryError("frames", name, "It is larger than 10 MB.", "Choose the bus’s DBC file.")
    read_dbc(name, content)
    return name, content


@router.post("/trace/live/{uid}/remove", dependencies=[ARRANGE], name="remove_port")
def post_remove(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Remove a port."""
    remove_port(database, uid_or_missing("bus port", uid))
    return go_to(request.url_for("live"))


@router.post("/trace/live/{uid}/plug", dependencies=[MEASURE], name="plug")
def post_plug(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Say to which vehicle a port is plugged."""
    vehicle = posted.values.get("vehicle_uid", "")
    plug(database, uid_or_missing("bus port", uid), uid_or_missing("vehicle", vehicle) if vehicle else None)
    return go_to(request.url_for("live").include_query_params(port=uid))


@router.post("/trace/live/{uid}/watch", dependencies=[MEASURE], name="watch")
def post_watch(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Say what is watched for."""
    port_uid = uid_or_missing("bus port", uid)
    view = look_at_live(database, port_uid)
    try:
        assert view.port is not None  # it was asked for by its identity
        watch(database, port_uid, watched_from(posted.values, view.port.channels, view.shop))
    except EntryError as error:
        return _live(
            request, database, pages, uid=port_uid, state=FormState(posted.values).with_error(error), status=422
        )
    return go_to(request.url_for("live").include_query_params(port=uid))


@router.post("/trace/live/{uid}/record", dependencies=[MEASURE], name="begin_recording")
def post_record(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Begin to record."""
    form, state = read_form(PostedTo, posted.values)
    if form is None:
        raise state.first_error()
    begin_recording(database, form.uid or uuid4(), uid_or_missing("bus port", uid), form.technician_uid)
    response = go_to(request.url_for("live").include_query_params(port=uid))
    remember(response, _COOKIE, (form.technician_uid,))
    return response


@router.post("/trace/live/{uid}/end", dependencies=[MEASURE], name="end_recording")
def post_end(request: Request, database: DatabaseDep, shop: ShopDep, uid: str, _posted: FormDep) -> Response:
    """End the recording; it becomes a log."""
    log_uid = end_recording(database, uid_or_missing("bus port", uid))
    read_later(database, log_uid, shop.uid)
    return go_to(request.url_for("log", uid=str(log_uid)))
