"""The Floor: vehicles in the shop, what each waits for, what is promised when. And the first start of a shop."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from typing import cast
from urllib.parse import urlencode
from uuid import uuid4
from zoneinfo import available_timezones

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.people.roles import Deed
from irongauge.core.shop import Job, Promise, Shop, Vehicle
from irongauge.errors import BadFileError, EntryError, NoShopError
from irongauge.formats.job_json import read_job
from irongauge.settings import Settings
from irongauge.store.database import Database
from irongauge.web.authentication import coming_in, keep_entered, require_from_here, who_asks
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep
from irongauge.web.floor.forms import ArrivalForm, JobForm
from irongauge.web.floor.strips import DayStrip, draw_days
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import as_moment, go_to
from irongauge.web.paging import paged
from irongauge.web.people.forms import without_secrets
from irongauge.web.permissions import ANYBODY, ARRANGE, ARRANGE_FOR_OTHERS, LOOK
from irongauge.web.shelf.forms import FirstForm
from irongauge.workflows.people.accounts import make_first_foreman
from irongauge.workflows.shop.backups import last_backup
from irongauge.workflows.shop.jobs import FloorView, add_job, add_vehicle, check_dates, look_at_arrivals, look_at_floor
from irongauge.workflows.shop.transfer import import_job
from irongauge.workflows.shop.view import JobView

router = APIRouter(include_in_schema=False)

_MOST_NOTES = 12  # in the address of the page that shows them


@dataclass(frozen=True)
class FloorLine:
    """One job on the Floor."""

    view: JobView
    strip: DayStrip
    waits_for: str
    level: str  # how it stands, as one of the mark words

    @property
    def is_stuck(self) -> bool:
        """True where it waits for somebody to look at something, not only to go on."""
        return self.view.job.handed_over_at is None and (self.level in set(_OUT.values()) or self.strip.late)

    @property
    def is_ready(self) -> bool:
        """True for a job that may leave."""
        return self.view.job.handed_over_at is None and self.view.may_be_handed_over


class Only(StrEnum):
    """What the Floor is narrowed to."""

    STUCK = "stuck"
    DUE = "due today"
    READY = "ready to leave"


@dataclass(frozen=True)
class Ahead:
    """What leaves next, and what is stuck, over the whole Floor."""

    first: FloorLine | None
    stuck: tuple[FloorLine, ...]
    counts: Mapping[Only, int]


def look_ahead(lines: Sequence[FloorLine], today: date) -> Ahead:
    """Which job leaves first, which are stuck, and how many each choice of the list would show."""
    staying = [line for line in lines if line.view.job.handed_over_at is None and not line.view.job.is_practice]
    first = min(staying, key=lambda line: (line.view.job.promise.until, not line.is_ready), default=None)
    counts = {only: sum(_is_among(line, only, today) for line in lines) for only in Only}
    return Ahead(first, tuple(line for line in staying if line.is_stuck and line is not first), counts)


def _is_among(line: FloorLine, only: Only, today: date) -> bool:
    job = line.view.job
    if only is Only.DUE:
        return job.handed_over_at is None and job.promise.on <= today
    return line.is_stuck if only is Only.STUCK else line.is_ready


def floor_lines(floor: FloorView) -> list[FloorLine]:
    """The jobs as lines, with what each waits for."""
    return [FloorLine(view, draw_days(floor.clock, view.job), *_waits_for(view)) for view in floor.jobs]


# What a job waits for before anything else, the worst first, with the mark that stands beside it.
_OUT = {VerdictLevel.FAULT: "fail", VerdictLevel.CONTRADICTS: "undecided", VerdictLevel.GROUP: "undecided"}


def _waits_for(view: JobView) -> tuple[str, str]:
    if view.job.handed_over_at is not None:
        return "Handed over", "pass"
    if not view.standing:
        return "Add its circuits", "not measured"
    out = [v for level in _OUT for v in view.standing if v.assessment.verdict.level is level]
    if out:
        more = f" (and {len(out) - 1} more)" if len(out) > 1 else ""
        verdict = out[0].assessment.verdict
        return f"{out[0].circuit.name}: {verdict.headline}{more}", _OUT[verdict.level]
    if view.may_be_handed_over:
        said = {VerdictLevel.WIRING: "without its slope", VerdictLevel.PART: "not read whole"}
        rest = "".join(f", {view.levels[level]} {words}" for level, words in said.items() if view.levels[level])
        return f"Ready to hand over{rest}", "pass"
    to_prove = sum(not v.assessment.verdict.level.is_done for v in view.standing)
    return f"{to_prove} of {len(view.standing)} circuits to prove", "not measured"


_LINES = 20  # of the list on one page


_MOST_IDLE = 24  # named on the Floor; all of them stand in Plan


@router.get("/", dependencies=[LOOK], name="floor")
def floor(
    request: Request, database: DatabaseDep, pages: PagesDep, *, q: str = "", which: str = "", page: str = ""
) -> Response:
    """The Floor: what leaves next, and what is stuck."""
    asked = q[:100].strip()
    try:
        view = look_at_floor(database, asked)
    except NoShopError:
        state = FormState({"height_m": "0", "timezone": "UTC"})
        return pages.render(request, "first.html", state=state, zones=sorted(available_timezones()))
    busy = {line.job.vehicle.uid for line in view.jobs if line.job.handed_over_at is None}
    idle = [] if asked else [vehicle for vehicle in view.vehicles if vehicle.uid not in busy]
    lines = floor_lines(view)
    narrowed = Only(which) if which in set(Only) else None
    among = [line for line in lines if narrowed is None or _is_among(line, narrowed, view.today)]
    return pages.render(
        request,
        "floor.html",
        floor=view,
        shown=paged(among, page, _LINES),
        ahead=look_ahead(lines, view.today),
        narrowed=narrowed,
        idle=idle[:_MOST_IDLE],
        more_idle=len(idle[_MOST_IDLE:]),
        asked=asked,
        backup=_backup_line(request, database, view.shop),
    )


def _backup_line(request: Request, database: Database, shop: Shop) -> tuple[str, bool] | None:
    """For a foreman: when the last backup was made, and whether that is a reason to look after it. The demo keeps none."""
    who, settings = who_asks(request), cast("Settings", request.app.state.settings)
    if who is None or who.in_demo or not who.may(Deed.RUN) or settings.backup_hours <= 0:
        return None
    last = last_backup(database, settings.backup_hours)
    made = "No backup has been made yet." if last.made_at is None else f"Last backup: {as_moment(last.made_at, shop)}."
    return (f"{made} The newest try failed: {last.problem}", True) if last.problem else (made, last.is_late)


@router.post("/first", dependencies=[ANYBODY], name="first")
def first(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Set the shop up."""
    values = posted.values
    form, state = read_form(FirstForm, values)
    if form is not None:
        require_from_here(request)
        try:
            entered = make_first_foreman(
                database,
                form.technician,
                values.get("password", ""),
                repeated=values.get("repeated", ""),
                coming=coming_in(request),
                shop=form.to_core(),
            )
        except EntryError as error:
            state = state.with_error(error)
        else:
            response = go_to(request.url_for("floor"))
            keep_entered(response, entered)
            return response
    state = without_secrets(state.values, state.errors)
    return pages.render(request, "first.html", 422, state=state, zones=sorted(available_timezones()))


@router.get("/vehicles/new", dependencies=[LOOK], name="new_vehicle")
def new_vehicle(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The form for a vehicle."""
    view = look_at_arrivals(database)
    today = view.today.isoformat()
    start = {"system_v": "12", "height_m": f"{view.shop.height_m:g}", "received_on": today, "promised_on": today}
    return pages.render(request, "vehicle_form.html", floor=view, state=FormState(start))


@router.post("/vehicles", dependencies=[ARRANGE], name="add_vehicle")
def post_vehicle(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """A vehicle comes in: it is added, unless the shop knows it, and its job is started where it is said what is to be done."""
    form, state = read_form(ArrivalForm, posted.values)
    view = look_at_arrivals(database)
    if form is not None:
        known = next((v for v in view.vehicles if v.tag == form.tag), None) if form.title else None
        vehicle = known or form.to_core()
        try:
            job = _arriving_job(request, form, vehicle, view) if form.title else None
            if known is None:
                add_vehicle(database, vehicle)
            if job is not None:
                add_job(database, job)
        except EntryError as error:
            state = state.with_error(error)
        else:
            if job is not None:
                return go_to(request.url_for("new_circuit", uid=job.uid))
            return go_to(request.url_for("new_job").include_query_params(vehicle=vehicle.uid))
    return pages.render(request, "vehicle_form.html", 422, floor=view, state=state)


def _arriving_job(request: Request, form: ArrivalForm, vehicle: Vehicle, view: FloorView) -> Job:
    who = who_asks(request)
    wanted = form.technician_uid or (None if who is None else who.person.uid)
    technician = next((t for t in view.people.technicians if t.uid == wanted), None)
    if technician is None:
        raise EntryError("technician_uid", "", "Choose who does the job.")
    received_on = form.received_on or view.today
    promised_on = form.promised_on or received_on
    check_dates(received_on, promised_on)
    return Job(
        uid=uuid4(),
        number=1,
        vehicle=vehicle,
        title=form.title,
        received_on=received_on,
        promise=Promise(promised_on, form.promised_by),
        technician=technician,
    )


@router.get("/jobs/new", dependencies=[LOOK], name="new_job")
def new_job(request: Request, database: DatabaseDep, pages: PagesDep, vehicle: str = "") -> Response:
    """The form for a job."""
    view = look_at_arrivals(database)
    today = view.today.isoformat()
    known = vehicle if vehicle in {str(v.uid) for v in view.vehicles} else ""
    who = who_asks(request)
    oneself = "" if who is None else str(who.person.uid)
    state = FormState({"vehicle_uid": known, "technician_uid": oneself, "received_on": today, "promised_on": today})
    return pages.render(request, "job_form.html", floor=view, state=state)


@router.post("/jobs", dependencies=[ARRANGE_FOR_OTHERS], name="add_job")
def post_job(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Start a job."""
    view = look_at_arrivals(database)
    form, state = read_form(JobForm, posted.values)
    if form is not None:
        try:
            job = _job_from_form(form, view)
        except EntryError as error:
            state = state.with_error(error)
        else:
            add_job(database, job)
            return go_to(request.url_for("new_circuit", uid=job.uid))
    return pages.render(request, "job_form.html", 422, floor=view, state=state)


def _job_from_form(form: JobForm, view: FloorView) -> Job:
    vehicle: Vehicle | None = next((v for v in view.vehicles if v.uid == form.vehicle_uid), None)
    if vehicle is None:
        raise EntryError("vehicle_uid", "", "Choose the vehicle.", "If it is not listed, add it on the Floor first.")
    technician = next((t for t in view.people.technicians if t.uid == form.technician_uid), None)
    if technician is None:
        raise EntryError("technician_uid", "", "Choose who does the job.")
    check_dates(form.received_on, form.promised_on)
    return Job(
        uid=uuid4(),
        number=1,
        vehicle=vehicle,
        title=form.title,
        received_on=form.received_on,
        promise=Promise(form.promised_on, form.promised_by),
        technician=technician,
        is_practice=form.is_practice == "yes",
    )


@router.post("/jobs/import", dependencies=[ARRANGE], name="import_job")
def post_import(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Take a job in from a file; nothing of it is taken where any of it does not fit."""
    file = posted.files.get("file")
    try:
        if file is None or not file.filename:
            raise BadFileError("no file", "No file was chosen.", "Choose a job file that was exported from Iron Gauge.")
        imported = import_job(database, read_job(file.filename, file.file.read()), file.filename)
    except BadFileError as error:
        view = look_at_floor(database)
        lines = floor_lines(view)
        return pages.render(
            request,
            "floor.html",
            422,
            floor=view,
            shown=paged(lines, "", _LINES),
            ahead=look_ahead(lines, view.today),
            narrowed=None,
            idle=[],
            asked="",
            import_error=str(error),
            backup=None,
        )
    address = request.url_for("job", uid=imported.job_uid)
    notes = list(imported.notes[:_MOST_NOTES])
    if len(imported.notes) > _MOST_NOTES:
        notes.append(
            f"And {len(imported.notes) - _MOST_NOTES} more things were taken in under another name or as they stand here."
        )
    return go_to(address.replace(query=urlencode([("note", note) for note in notes])))
