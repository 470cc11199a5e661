"""Captured waveforms: taken in with their progress told, drawn a stretch at a time, kept with a circuit.

The numbers package is loaded with the first capture that is looked at, so what needs it is imported where it is used.
"""

from __future__ import annotations

import json
import os
import secrets
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from queue import SimpleQueue
from typing import Annotated, Any
from uuid import UUID, uuid4

import structlog
from fastapi import APIRouter, Query
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse

from irongauge.core.pulses.unequal import angles_text
from irongauge.errors import BadFileError, EntryError, IronGaugeError
from irongauge.formats.waveform_csv import TIME_UNITS, VOLT_UNITS
from irongauge.instruments.pickup_words import SURPRISE, WRONGS
from irongauge.instruments.pickups import PickupPlan, simulate_pickup
from irongauge.store.database import Database
from irongauge.web.cookies import remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.web.pulse.capture_forms import (
    CaptureForm,
    KeepCaptureForm,
    SimulatedForm,
    TellForm,
    about_from,
    identity_from,
)
from irongauge.web.pulse.capture_page import capture_page
from irongauge.web.pulse.routes import PULSE_COOKIE, chosen_last
from irongauge.workflows.pulse.captures import (
    NewCapture,
    Progress,
    capture_file,
    hand_in_capture,
    keep_capture,
    look_at_capture,
    look_at_captures,
    look_at_stretch,
    look_at_waiting,
    remove_capture,
    take_in,
    take_simulated,
    tell_capture,
)
from irongauge.workflows.shop.queue import read_capture_later
from irongauge.workflows.shop.waiting import UNSERVED

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

log = structlog.get_logger()

_readers = ThreadPoolExecutor(2, thread_name_prefix="captures")  # at a stop of the server, what was begun is finished
_LARGE_BYTES, _LOOK_S = 2_000_000, 0.3  # what is read while a page waits for it; the rest a worker reads
_STREAM = "text/event-stream"  # passed on as it comes, never held back to be compressed
_START = {"wrong": SURPRISE, "kind": "switch", "sim_teeth": "48", "turn_hz": "5"}


@router.get("/pulse/waveform", dependencies=[LOOK], name="pulse_waveform")
def get_captures(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The newest captures, and the form for one."""
    start = {**_START, **chosen_last(request, database), **request.query_params}
    return _list(request, database, pages, FormState({**start, "uid": str(uuid4())}))


def _list(request: Request, database: Database, pages: Pages, state: FormState, status: int = 200) -> Response:
    form, _ = read_form(TellForm, {"circuit_uid": state.values.get("circuit_uid", "")})
    captures, keeping = look_at_captures(database, None if form is None else form.circuit_uid)
    return pages.render(
        request,
        "pulse_waveform.html",
        status,
        state=state,
        captures=captures,
        keeping=keeping,
        wrongs=[SURPRISE, *WRONGS],
        time_units=TIME_UNITS,
        volt_units=VOLT_UNITS,
        tab="pulse_waveform",
    )


@router.post("/pulse/captures", dependencies=[MEASURE], name="take_capture")
def post_capture(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Take a file in: as a stream of what is being done where the page's script asks for one, else as a page at its end."""
    form, state = read_form(CaptureForm, posted.values)
    streams = _STREAM in request.headers.get("accept", "")
    try:
        if form is None:
            raise state.first_error()
        column = None if form.column is None else int(form.column)
        new = NewCapture(
            uid=identity_from(form.uid),
            name=_name_of(posted),
            about=about_from(form),
            circuit_uid=form.circuit_uid,
            column=column,
            time_unit=form.time_unit,
            volts_unit=form.volts_unit,
            rate_hz=form.rate_hz,
        )
    except EntryError as error:
        if streams:
            return StreamingResponse(_said({"refused": str(error), "field": error.field}), 422, media_type=_STREAM)
        return _list(request, database, pages, state.with_error(error), 422)
    there = str(request.url_for("capture", uid=str(new.uid)))
    # The upload is closed with the request's form; the work goes on with a handle of its own, also when its page is left.
    upload = posted.files["file"].file
    upload.seek(0, os.SEEK_END)
    is_large = upload.tell() > _LARGE_BYTES
    upload.seek(0)
    file = os.fdopen(_handle(upload), "rb")
    if is_large:
        read_capture_later(database, new.uid, hand_in_capture(database, new, file))
        response: Response = (
            StreamingResponse(_waited(database, new.uid, there), media_type=_STREAM) if streams else go_to(there)
        )
        remember(response, PULSE_COOKIE, (form.circuit_uid, form.technician_uid))
        return response
    work = take_in(database, new, file)
    if streams:
        response = StreamingResponse(_told(_started(work), there), media_type=_STREAM)
    else:
        try:
            for _ in work:
                pass
        except BadFileError as error:
            return _list(request, database, pages, FormState(state.values, {**state.errors, "file": str(error)}), 422)
        response = go_to(there)
    remember(response, PULSE_COOKIE, (form.circuit_uid, form.technician_uid))
    return response


def _name_of(posted: Posted) -> str:
    upload = posted.files.get("file")
    if upload is None or not upload.filename:
        raise EntryError("file", "", "No file was chosen.", "Choose a capture saved as CSV, plain or gzip.")
    return upload.filename.replace("\\", "/").rsplit("/", 1)[-1][:120]


def _handle(upload: Any) -> int:
    """A handle on the upload that stays open when the upload is closed."""
    upload.rollover()
    return os.dup(upload.fileno())


def _said(*messages: dict[str, Any]) -> Iterator[bytes]:
    for message in messages:
        yield json.dumps(message).encode() + b"\n"


def _started(work: Iterator[Progress]) -> SimpleQueue[Progress | Exception | None]:
    """The steps of the work as they are done, then None, or what stopped it. Nobody has to listen for it to be finished."""
    steps: SimpleQueue[Progress | Exception | None] = SimpleQueue()

    def run() -> None:
        try:
            for step in work:
                steps.put(step)
            steps.put(None)
        except Exception as error:  # noqa: BLE001  whatever it is, the page that listens is told
            steps.put(error)

    _readers.submit(run)
    return steps


def _told(steps: SimpleQueue[Progress | Exception | None], there: str) -> Iterator[bytes]:
    """One line of JSON for every step, then where the capture is, or why it was refused."""
    while isinstance(step := steps.get(), Progress):
        yield from _said({"doing": step.doing, "share": step.share})
    if step is None:
        yield from _said({"done": there})
    elif isinstance(step, IronGaugeError):
        yield from _said({"refused": str(step), "field": "file"})
    else:
        log.error("a capture was not taken in", exc_info=step)
        yield from _said(
            {"refused": "Something broke while it was read. Nothing was stored; try again.", "field": "file"}
        )


def _waited(database: Database, uid: UUID, there: str) -> Iterator[bytes]:
    """As `_told`, of a capture that a worker reads; it is read as well when nobody listens any more."""
    while (waiting := look_at_waiting(database, uid)) is not None:
        if waiting.refused:
            yield from _said({"refused": waiting.refused, "field": "file"})
            return
        yield from _said({"doing": waiting.doing, "share": waiting.share})
        if waiting.doing == UNSERVED:
            break  # its own page says so, and what would help
        time.sleep(_LOOK_S)
    yield from _said({"done": there})


@router.post("/pulse/captures/simulated", dependencies=[MEASURE], name="simulate_capture")
def post_simulated(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Let the simulated scope take one."""
    form, state = read_form(SimulatedForm, posted.values)
    if form is None:
        return _list(request, database, pages, state, 422)
    uid = identity_from(form.uid)
    plan = PickupPlan(form.wrong, int(form.sim_teeth), form.turn_hz, form.kind == "coil")
    named = "hidden" if form.wrong == SURPRISE else form.wrong
    new = NewCapture(uid=uid, name=f"Simulated, {named}", circuit_uid=form.circuit_uid)
    take_simulated(database, new, simulate_pickup(plan, secrets.randbits(32)))
    return go_to(request.url_for("capture", uid=str(uid)))


@router.get("/pulse/captures/{uid}", dependencies=[LOOK], name="capture")
def get_capture(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """A capture with what is found in it."""
    return _page(request, database, pages, uid_or_missing("capture", uid))


def _page(request: Request, database: Database, pages: Pages, uid: UUID, refused: FormState | None = None) -> Response:
    waiting = look_at_waiting(database, uid)
    if waiting is not None:
        return pages.render(request, "capture_waiting.html", waiting=waiting, uid=uid, tab="pulse_waveform")
    view = look_at_capture(database, uid)
    capture, keeping = view.capture, view.keeping
    state = refused
    if state is None:
        last = chosen_last(request, database)
        told = asdict(capture.about)
        angles = angles_text(told.pop("angles_deg"))
        typed = {name: "" if value is None else f"{value:g}" for name, value in told.items()} | {"angles": angles}
        where = str(capture.circuit_uid) if capture.circuit_uid is not None else last.get("circuit_uid", "")
        state = FormState({**typed, "circuit_uid": where, "technician_uid": last.get("technician_uid", "")})
    return pages.render(
        request,
        "capture.html",
        200 if refused is None else 422,
        page=capture_page(capture, keeping),
        found=capture.examination,
        capture=capture,
        keeping=keeping,
        state=state,
        tab="pulse_waveform",
    )


@router.get("/pulse/captures/{uid}/stretch", dependencies=[LOOK], name="stretch")
def get_stretch(
    database: DatabaseDep,
    uid: str,
    from_s: Annotated[float, Query(allow_inf_nan=False)],
    until_s: Annotated[float, Query(allow_inf_nan=False)],
    columns: Annotated[int, Query(ge=10, le=2000)] = 1200,
) -> Response:
    """What the picture needs of a stretch: times, and the least and greatest volts of every column."""
    found = look_at_stretch(database, uid_or_missing("capture", uid), from_s, until_s, columns)
    return JSONResponse(
        {
            "time_s": [round(t, 9) for t in found.time_s.tolist()],
            "low_v": [round(v, 4) for v in found.low.tolist()],
            "high_v": [round(v, 4) for v in found.high.tolist()],
        }
    )


@router.get("/pulse/captures/{uid}/samples.csv", dependencies=[LOOK], name="capture_csv")
def get_samples(database: DatabaseDep, uid: str) -> Response:
    """Its samples as a table."""
    name, pieces = capture_file(database, uid_or_missing("capture", uid))
    plain = "".join(c if c.isascii() and (c.isalnum() or c in "._-") else "-" for c in name)[:80] or "capture"
    stem = plain.removesuffix(".gz").removesuffix(".csv")
    headers = {"Content-Disposition": f'attachment; filename="{stem}.csv"'}
    return StreamingResponse(pieces, media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/pulse/captures/{uid}/look", dependencies=[MEASURE], name="tell_capture")
def post_tell(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Say how a capture is to be read; it is looked at anew."""
    capture_uid = uid_or_missing("capture", uid)
    form, state = read_form(TellForm, posted.values)
    try:
        if form is None:
            return _page(request, database, pages, capture_uid, state)
        tell_capture(database, capture_uid, about_from(form))
    except EntryError as error:
        return _page(request, database, pages, capture_uid, state.with_error(error))
    return go_to(request.url_for("capture", uid=uid))


@router.post("/pulse/captures/{uid}/keep", dependencies=[MEASURE], name="keep_capture")
def post_keep(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep what it shows as a check of a circuit."""
    capture_uid = uid_or_missing("capture", uid)
    form, state = read_form(KeepCaptureForm, posted.values)
    try:
        if form is None:
            return _page(request, database, pages, capture_uid, state)
        if form.circuit_uid is None:
            raise EntryError("circuit_uid", "", "A capture is kept with a circuit.", "Choose one of an open job.")
        if form.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who captured it.")
        keep_capture(database, capture_uid, form.circuit_uid, form.technician_uid, form.accepted.rstrip("."))
    except EntryError as error:
        return _page(request, database, pages, capture_uid, state.with_error(error))
    response = go_to(request.url_for("capture", uid=uid))
    remember(response, PULSE_COOKIE, (form.circuit_uid, form.technician_uid))
    return response


@router.post("/pulse/captures/{uid}/remove", dependencies=[ARRANGE], name="remove_capture")
def post_remove(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Remove a capture."""
    remove_capture(database, uid_or_missing("capture", uid))
    return go_to(request.url_for("pulse_waveform"))
