"""Recorded logs: handed in, looked at, told what their channels are of, kept as what is usual for a vehicle."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Query
from starlette.datastructures import UploadFile
from starlette.requests import Request
from starlette.responses import JSONResponse, Response

from irongauge.core.measure.units import PressureBase, to_fixed
from irongauge.core.traces.record import KeptChannel, LogState
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.unjudged import unjudged
from irongauge.errors import EntryError
from irongauge.formats.log_headings import TIME_UNITS
from irongauge.store.database import Database
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, LOOK_BY_ITSELF, MEASURE
from irongauge.web.trace.forms import (
    MOST_S,
    BandsForm,
    ChannelForm,
    LogForm,
    RuleForm,
    TimesForm,
    meaning_from,
    rule_from,
    seconds_from,
)
from irongauge.web.trace.page import (
    channel_text,
    clock,
    drawn_at_first,
    finding_lines,
    picture_of,
    standing_text,
    taken_unit,
)
from irongauge.workflows.shop.queue import judge_later, read_later
from irongauge.workflows.trace.health_rules import add_rule, dry_run, look_at_rules, remove_rule
from irongauge.workflows.trace.log_channels import tell_channels, tell_time_unit
from irongauge.workflows.trace.logs import (
    NewLog,
    hand_in,
    look_at_log,
    look_at_logs,
    look_at_peaks,
    look_at_stretches,
    remove_log,
)
from irongauge.workflows.trace.normals import say_well, standings_of

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

TRACE_COOKIE = "iron_trace"
_BUS_SUFFIX = ".dbc"
_MOST_DBC = 10_000_000
_MOST_DRAWN, _LONGEST_PLACE = 12, 200


@router.get("/trace", dependencies=[LOOK], name="trace")
def get_logs(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The logs, and the form for one."""
    last = [*recall(request, TRACE_COOKIE, 2), "", ""]
    start = {"uid": str(uuid4()), "vehicle_uid": last[0], "technician_uid": last[1], **request.query_params}
    return _list(request, database, pages, FormState(start))


def _list(request: Request, database: Database, pages: Pages, state: FormState, status: int = 200) -> Response:
    view = look_at_logs(database)
    state = state.over({"uid": str(uuid4())})
    return pages.render(
        request, "trace.html", status, view=view, state=state, clock=clock, time_units=tuple(TIME_UNITS), tab="trace"
    )


@router.post("/trace/logs", dependencies=[MEASURE], name="hand_in_log")
def post_log(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep, shop: ShopDep) -> Response:
    """Take a log in."""
    form, state = read_form(LogForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        log, bus = _files(posted)
        if form.vehicle_uid is None:
            raise EntryError("vehicle_uid", "", "Choose the vehicle that it was recorded on.")
        dbc = b"" if bus is None else bus.file.read(_MOST_DBC + 1)
        if len(dbc) > _MOST_DBC:
            raise EntryError(
                "bus", str(bus.filename if bus else ""), "It is larger than 10 MB.", "Choose the bus’s DBC file."
            )
        new = NewLog(
            uid=form.uid or uuid4(),
            name=_plain_name(log),
            vehicle_uid=form.vehicle_uid,
            technician_uid=form.technician_uid,
            time_unit=form.time_unit,
            dbc_name="" if bus is None else _plain_name(bus),
            dbc=dbc,
        )
        log.file.seek(0)
        hand_in(database, new, log.file)
    except EntryError as error:
        return _list(request, database, pages, state.with_error(error), 422)
    read_later(database, new.uid, shop.uid)
    response = go_to(request.url_for("log", uid=str(new.uid)))
    remember(response, TRACE_COOKIE, (form.vehicle_uid, form.technician_uid))
    return response


def _files(posted: Posted) -> tuple[UploadFile, UploadFile | None]:
    """The log, and the description of its bus where there is one, whichever field each came in."""
    files = [f for f in posted.files.values() if f.filename]
    bus = next((f for f in files if str(f.filename).casefold().endswith(_BUS_SUFFIX)), None)
    log = next((f for f in files if f is not bus), None)
    if log is None:
        do = "Choose a log as CSV, MDF 4, or a CAN trace with its DBC file."
        raise EntryError("file", "", "No log was chosen.", do)
    return log, bus


def _plain_name(upload: UploadFile) -> str:
    return PurePath(str(upload.filename).replace("\\", "/")).name[:120]


@router.get("/trace/logs/{uid}", dependencies=[LOOK], name="log")
def get_log(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, channel: int | None = None) -> Response:
    """A log with what is found in it."""
    return _log(request, database, pages, uid=uid_or_missing("log", uid), state=FormState(), chosen=channel)


def _log(
    request: Request,
    database: Database,
    pages: Pages,
    *,
    uid: UUID,
    state: FormState,
    status: int = 200,
    chosen: int | None = None,
) -> Response:
    view = look_at_log(database, uid)
    log = view.log
    lines = finding_lines(log)
    drawn = drawn_at_first(log)
    told = next((c for c in log.channels if c.place == chosen), None)
    if told is not None:
        meaning = view.meanings.get(told.name.casefold())
        state = state.over(
            {
                "heading": told.name,
                "sense": told.sense,
                "unit": "" if meaning is None else meaning.unit,
                "base": told.base or "",
                "circuit_uid": "" if told.circuit_uid is None else str(told.circuit_uid),
            }
        )
    standings = standings_of(database, log) if log.state is LogState.READY else ()
    return pages.render(
        request,
        "log.html",
        status,
        view=view,
        log=log,
        lines=lines,
        drawn=drawn,
        picture=picture_of(view, lines, drawn) if log.state is LogState.READY else "",
        told=told,
        state=state,
        senses=tuple(Sense),
        bases=tuple(PressureBase),
        standings=[(line.mark, standing_text(line), line.follow_up) for line in standings if line.is_odd][:40],
        usual_count=sum(line.normal.is_known and not line.is_odd for line in standings),
        circuits={str(c.uid): c.name for c in view.circuits},
        clock=clock,
        shown=channel_text,
        taken=taken_unit,
        time_units=tuple(TIME_UNITS),
        not_judged=unjudged(log.channels, log.seconds),
        tab="trace",
    )


@router.get("/trace/logs/{uid}/state", dependencies=[LOOK_BY_ITSELF], name="log_state")
def get_state(database: DatabaseDep, uid: str) -> Response:
    """How far the reading of a log is."""
    log = look_at_log(database, uid_or_missing("log", uid)).log
    return JSONResponse({"state": log.state, "doing": log.doing, "share": log.share})


@router.get("/trace/logs/{uid}/stretch", dependencies=[LOOK], name="log_stretch")
def get_stretch(
    database: DatabaseDep,
    uid: str,
    from_s: Annotated[float, Query(allow_inf_nan=False)],
    *,
    until_s: Annotated[float, Query(allow_inf_nan=False)],
    channels: Annotated[str, Query(max_length=200)],
    columns: Annotated[int, Query(ge=10, le=2000)] = 1200,
) -> Response:
    """What the picture needs of a stretch: for each channel times, and the least and greatest value of every column."""
    places = [place for place in map(_place_of, channels.split(",")) if place is not None][:_MOST_DRAWN]
    found = look_at_stretches(
        database, uid_or_missing("log", uid), places, (min(from_s, until_s), max(from_s, until_s)), columns
    )
    return JSONResponse(
        [
            {
                "place": channel.place,
                "time_s": [round(t, 6) for t in one.time_s.tolist()],
                "low": [_number(v) for v in one.low.tolist()],
                "high": [_number(v) for v in one.high.tolist()],
            }
            for channel, one in found
        ]
    )


def _place_of(text: str) -> int | None:
    """A channel's place as a form or an address has it; None for what is none."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) <= _LONGEST_PLACE else None


def _number(value: float) -> float | None:
    return None if value != value else float(f"{value:.6g}")  # noqa: PLR0124  not a number


@router.get("/trace/logs/{uid}/peaks", dependencies=[LOOK], name="log_peaks")
def get_peaks(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """Peaks of every channel; of one beyond a band too, where a band is asked for."""
    form, state = read_form(BandsForm, request.query_params)
    place = request.query_params.get("place", "")
    view = look_at_log(database, uid_or_missing("log", uid))
    chosen = _place_of(place)
    told = next((c for c in view.log.channels if c.place == chosen), None)
    band = (None, None) if form is None else (_end(told, form.below), _end(told, form.above))
    peaks = look_at_peaks(database, view.log.uid, chosen, band)
    return pages.render(
        request,
        "log_peaks.html",
        200 if form is not None else 422,
        view=view,
        log=view.log,
        peaks=peaks,
        chosen=chosen,
        state=state,
        clock=clock,
        shown=channel_text,
        tab="trace",
    )


def _end(channel: KeptChannel | None, typed: float | None) -> float | None:
    """An end of a band in the channel's unit; on a split scale it was typed in inHg below zero and psi above."""
    if typed is None or channel is None or not channel.is_split:
        return typed
    return to_fixed(typed, "inHg" if typed < 0 else "psi")


@router.post("/trace/logs/{uid}/channel", dependencies=[MEASURE], name="tell_channel")
def post_channel(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, posted: FormDep, shop: ShopDep
) -> Response:
    """Say what a channel means; the log is looked at anew."""
    log_uid = uid_or_missing("log", uid)
    form, state = read_form(ChannelForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        if tell_channels(database, log_uid, [meaning_from(form)]):
            judge_later(database, log_uid, shop.uid)
    except EntryError as error:
        chosen = _place_of(posted.values.get("place", ""))
        return _log(request, database, pages, uid=log_uid, state=state.with_error(error), status=422, chosen=chosen)
    return go_to(request.url_for("log", uid=uid).replace(fragment="channels"))


@router.post("/trace/logs/{uid}/times", dependencies=[MEASURE], name="tell_times")
def post_times(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, posted: FormDep, shop: ShopDep
) -> Response:
    """Say what its times are in; the log is looked at anew, and its logger's next files are read so."""
    log_uid = uid_or_missing("log", uid)
    form, state = read_form(TimesForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        if tell_time_unit(database, log_uid, form.time_unit):
            judge_later(database, log_uid, shop.uid)
    except EntryError as error:
        return _log(request, database, pages, uid=log_uid, state=state.with_error(error), status=422)
    return go_to(request.url_for("log", uid=uid))


@router.post("/trace/logs/{uid}/well", dependencies=[MEASURE], name="say_well")
def post_well(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, posted: FormDep, shop: ShopDep
) -> Response:
    """Say that the vehicle was well on it."""
    log_uid = uid_or_missing("log", uid)
    try:
        is_well = posted.values.get("is_well") == "yes"
        ends = [seconds_from(posted.values.get(name, ""), name) for name in ("from_s", "until_s")] if is_well else []
        stretch = (ends[0] or 0.0, ends[1] or MOST_S) if any(end is not None for end in ends) else None
        if stretch is not None and stretch[1] == MOST_S:
            stretch = (stretch[0], look_at_log(database, log_uid).log.seconds)
        if say_well(database, log_uid, is_well=is_well, stretch_s=stretch):
            judge_later(database, log_uid, shop.uid)
    except EntryError as error:
        return _log(request, database, pages, uid=log_uid, state=FormState(posted.values).with_error(error), status=422)
    return go_to(request.url_for("log", uid=uid))


@router.post("/trace/logs/{uid}/remove", dependencies=[ARRANGE], name="remove_log")
def post_remove(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Remove a log."""
    remove_log(database, uid_or_missing("log", uid))
    return go_to(request.url_for("trace"))


# Rules


@router.get("/trace/rules", dependencies=[LOOK], name="rules")
def get_rules(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The shop's own rules."""
    return _rules(request, database, pages, FormState())


def _rules(request: Request, database: Database, pages: Pages, state: FormState, status: int = 200) -> Response:
    when = request.query_params.get("when", "")
    tried = None
    if when and not state.errors:
        state = FormState(dict(request.query_params))
        try:
            tried = dry_run(database, when)
        except EntryError as error:
            state, status = state.with_error(error), 422
    return pages.render(
        request, "rules.html", status, view=look_at_rules(database), state=state, tried=tried, clock=clock, tab="rules"
    )


@router.post("/trace/rules", dependencies=[ARRANGE], name="add_rule")
def post_rule(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Add a rule."""
    form, state = read_form(RuleForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        add_rule(database, rule_from(form))
    except EntryError as error:
        return _rules(request, database, pages, state.with_error(error), 422)
    return go_to(request.url_for("rules"))


@router.post("/trace/rules/{uid}/remove", dependencies=[ARRANGE], name="remove_rule")
def post_remove_rule(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Remove a rule."""
    remove_rule(database, uid_or_missing("rule", uid))
    return go_to(request.url_for("rules"))
