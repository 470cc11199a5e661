"""Handover: what is open, who tested with what, who reviewed; the sheet that is printed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Annotated, Any, cast
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.bench.next_tool import ToolOffer, tools_for
from irongauge.core.calibration.record import Calibration, result_of
from irongauge.core.calibration.record import in_force as calibrations_in_force
from irongauge.core.controllers.record import KeptCheck
from irongauge.core.live.codes import story_of
from irongauge.core.people.review import may_review
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.pulses.record import in_force as pulses_in_force
from irongauge.core.sensors.circuits import Instrument
from irongauge.core.shop import IssuedSheet
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError
from irongauge.formats.job_json import write_job
from irongauge.settings import Settings
from irongauge.store.database import Database
from irongauge.web.authentication import asking, local_path, who_asks
from irongauge.web.bench.page import EvidenceLine, evidence_line
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, PostedForm, read_form, text
from irongauge.web.handover.document import sheet_pdf
from irongauge.web.handover.signing import fingerprint, sign_pdf
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ANYBODY, HAND_OVER, LOOK, MEASURE
from irongauge.web.trace.page import usual_text
from irongauge.workflows.bench.readings import BenchView
from irongauge.workflows.live.codes import codes_of
from irongauge.workflows.people.anchors import note_end
from irongauge.workflows.people.tokens import links_of
from irongauge.workflows.shop.handovers import (
    CheckedSheet,
    answer_remark,
    check_sheet,
    issue_sheet,
    open_remarks,
    pdf_of,
    send_back,
    sheets_of,
)
from irongauge.workflows.shop.jobs import JobPage, SheetPage, hand_over, look_at_sheet, reopen
from irongauge.workflows.shop.kept import Kept
from irongauge.workflows.shop.shelf import logo_of
from irongauge.workflows.shop.transfer import export_job
from irongauge.workflows.shop.view import CircuitView
from irongauge.workflows.trace.normals import baseline_of

__all__ = ["sheet_of", "show_sheet"]

router = APIRouter(include_in_schema=False)

_EMPTY = FormState()
_LINK_LASTS = timedelta(days=30)


class RemarkForm(PostedForm):
    """A remark with which a job is sent back."""

    remark: Annotated[str, text(1000, what="what is to be seen to", many_lines=True)]


@dataclass(frozen=True)
class SheetCalibration:
    """A signed calibration in a line: what it is, its mark, its worst error and U, and what was odd about it."""

    calibration: Calibration
    mark: str
    text: str
    warnings: tuple[str, ...]


@dataclass(frozen=True)
class SheetCircuit:
    """A circuit as the sheet shows it."""

    view: CircuitView
    lines: tuple[EvidenceLine, ...]
    calibrations: tuple[SheetCalibration, ...]
    checks: tuple[KeptCheck, ...]
    pulses: tuple[KeptPulse, ...]


@dataclass(frozen=True)
class UsedInstrument:
    """An instrument that was used, and whether it was overdue."""

    instrument: Instrument
    overdue: bool


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """The Handover sheet of a job."""

    page: JobPage
    circuits: tuple[SheetCircuit, ...]
    instruments: tuple[UsedInstrument, ...]
    testers: tuple[str, ...]
    open_items: tuple[str, ...]
    tools: tuple[tuple[CircuitView, tuple[ToolOffer, ...]], ...] = ()


def _circuit_of_sheet(page: JobPage, view: CircuitView, curves: Kept) -> SheetCircuit:
    """A circuit with its readings, and what is in force of its calibrations and checks."""
    bench = BenchView(page.shop, page.view, view, page.people)
    lines = (evidence_line(bench, test) for test in view.assessment.tests)
    return SheetCircuit(
        view,
        tuple(line for line in lines if line.reading is not None),
        tuple(_calibration(page, c) for c in calibrations_in_force(curves.calibrations)),
        curves.checks,
        pulses_in_force(curves.pulses),
    )


def sheet_of(found: SheetPage) -> Sheet:
    """The sheet of a job as it stands."""
    page, kept = found.page, found.kept
    readings = [r for view in page.view.circuits for r in view.readings]
    signed = [c for curves in kept.values() for c in curves.calibrations if c.signed_at is not None]
    used = {r.instrument_uid for r in readings} | {r.stimulus_instrument_uid for r in readings}
    used |= {uid for c in signed for uid in (c.setup.meter_uid, c.setup.gauge_uid)}
    open_items = [
        f"{v.circuit.name}: {v.assessment.verdict.level}, {v.assessment.verdict.headline}"
        for v in page.view.standing
        if v.assessment.verdict.level is not VerdictLevel.GOOD
    ]
    instruments = tuple(UsedInstrument(i, i.overdue_on(page.today)) for i in page.people.instruments if i.uid in used)
    tools = [(view, tools_for(view.assessment)) for view in page.view.standing]
    called_for = tuple((view, offers) for view, offers in tools if offers)
    return Sheet(
        page=page,
        circuits=tuple(_circuit_of_sheet(page, view, kept[view.circuit.uid]) for view in page.view.standing),
        instruments=instruments,
        testers=tuple(sorted(page.people.technician_name(uid) for uid in found.testers)),
        open_items=tuple(open_items),
        tools=called_for,
    )


def _calibration(page: JobPage, record: Calibration) -> SheetCalibration:
    meter, gauge = (page.people.instrument(uid) for uid in (record.setup.meter_uid, record.setup.gauge_uid))
    result = result_of(record, meter, gauge)
    worst = result.worst
    assert worst is not None  # nothing without a point is signed
    day = record.started_at.date()
    late = tuple(f"{t.name} was out of date" for t in (meter, gauge) if t is not None and t.overdue_on(day))
    text = (
        f"{len(result.points)} points, worst error {worst.error_pct:+.2f} % of span (± {worst.expanded_u_pct:.2f} %), "
        f"tolerance ± {record.sensor.tolerance_pct_span:g} %"
    ).replace("-", "−")
    return SheetCalibration(record, result.mark, text, late)


def sheet_values(database: Database, found: SheetPage) -> dict[str, Any]:
    """What the sheet says, on the page and in the document."""
    page = found.page
    codes = codes_of(database, page.view.job.uid)
    return {
        "sheet": sheet_of(found),
        "baseline": [
            (f"{normal.channel.capitalize()} {normal.condition}", usual_text(normal), normal.count)
            for normal in baseline_of(database, page.view.job.vehicle)
        ],
        "codes": codes,
        "stories": story_of(codes),
    }


def _look(database: Database, job_uid: UUID) -> SheetPage:
    found = look_at_sheet(database, job_uid)
    if found.page.view.job.is_practice:
        raise RefusedRequestError("This job is for practice.", "It has no sheet: its readings are the simulator’s.")
    return found


def show_sheet(
    request: Request,
    database: Database,
    pages: Pages,
    *,
    job_uid: UUID,
    state: FormState = _EMPTY,
    status: int = 200,
    new_link: str = "",
    for_customer: bool = False,
) -> Response:
    """The Handover page of a job; `for_customer` shows the sheet and nothing else."""
    found, who = _look(database, job_uid), who_asks(request)
    page = found.page
    return pages.render(
        request,
        "handover.html",
        status,
        **sheet_values(database, found),
        state=state,
        tested_it=who is not None and who.person.uid in found.testers,
        may_alone=who is not None and may_review(who.person, found.testers, foreman_alone=page.shop.foreman_alone),
        links=() if for_customer else links_of(database, job_uid),
        issued=() if for_customer else sheets_of(database, job_uid),
        remarks=() if for_customer else open_remarks(database, job_uid),
        new_link=new_link,
        outside=for_customer,
        link_ends=(page.today + _LINK_LASTS).isoformat(),
    )


def _issue(database: Database, pages: Pages, job_uid: UUID, secret: str) -> IssuedSheet:
    """The signed sheet of a job that is handed over; made when it is signed, or where that was cut short, later."""

    def make(sheet: IssuedSheet) -> bytes:
        values = sheet_values(database, _look(database, job_uid))
        signed = {name: getattr(sheet, name) for name in ("code", "revision", "issued_at", "seal")}
        page = values["sheet"].page
        job_file = write_job(export_job(database, job_uid))
        pdf = sheet_pdf(pages, values | signed, job_file, paper=page.shop.paper, logo=logo_of(database))
        return sign_pdf(pdf, secret, page.shop.name, f"{page.view.job.name}, revision {sheet.revision}")

    return issue_sheet(database, job_uid, make)


@router.get("/jobs/{uid}/handover", dependencies=[LOOK], name="handover")
def handover(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """The sheet as it stands, with what is open."""
    return show_sheet(request, database, pages, job_uid=uid_or_missing("job", uid))


@router.post("/jobs/{uid}/handover", dependencies=[HAND_OVER], name="sign")
def sign(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, _posted: FormDep) -> Response:
    """Review the job and hand it over."""
    job_uid = uid_or_missing("job", uid)
    try:
        hand_over(database, job_uid, asking(request).person.uid)
    except RefusedRequestError as error:
        return show_sheet(
            request, database, pages, job_uid=job_uid, state=FormState({}, {"review": str(error)}), status=409
        )
    _issue(database, pages, job_uid, str(request.app.state.pepper))
    note_end(database, cast("Settings", request.app.state.settings).local_dir)
    return go_to(request.url_for("handover", uid=uid))


@router.post("/jobs/{uid}/reopen", dependencies=[HAND_OVER], name="reopen")
def post_reopen(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Open a job again that was handed over."""
    reopen(database, uid_or_missing("job", uid))
    return go_to(request.url_for("job", uid=uid))


@router.post("/jobs/{uid}/send-back", dependencies=[HAND_OVER], name="send_back")
def post_send_back(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Send a job back to who tested it, with a remark."""
    job_uid = uid_or_missing("job", uid)
    form, state = read_form(RemarkForm, posted.values)
    if form is None:
        return show_sheet(request, database, pages, job_uid=job_uid, state=state, status=422)
    send_back(database, job_uid, form.remark, asking(request).person.uid)
    return go_to(request.url_for("job", uid=uid))


@router.post("/jobs/{uid}/remarks/{remark_uid}/answer", dependencies=[MEASURE], name="answer_remark")
def post_answer(request: Request, database: DatabaseDep, uid: str, remark_uid: str, posted: FormDep) -> Response:
    """Answer a remark."""
    by_uid = asking(request).person.uid
    answer_remark(database, uid_or_missing("job", uid), uid_or_missing("remark", remark_uid), by_uid)
    return go_to(local_path(posted.values.get("next", f"/jobs/{uid}")))


@router.get("/jobs/{uid}/sheet.pdf", dependencies=[LOOK], name="sheet_pdf")
def sheet_document(database: DatabaseDep, pages: PagesDep, uid: str, paper: str = "") -> Response:
    """The sheet as it stands now, not signed."""
    job_uid = uid_or_missing("job", uid)
    values = sheet_values(database, _look(database, job_uid)) | {"code": ""}
    kind = paper if paper in {"a4", "letter"} else values["sheet"].page.shop.paper
    job_file = write_job(export_job(database, job_uid))
    return _pdf(sheet_pdf(pages, values, job_file, paper=kind, logo=logo_of(database)), "sheet.pdf")


@router.get("/jobs/{uid}/sheets/{revision}.pdf", dependencies=[LOOK], name="issued_sheet")
def issued_sheet(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, revision: str) -> Response:
    """A signed sheet, byte for byte as it was signed."""
    job_uid = uid_or_missing("job", uid)
    if revision == "newest":
        revision = str(_issue(database, pages, job_uid, str(request.app.state.pepper)).revision)
    if not (revision.isascii() and revision.isdecimal() and len(revision) < 4):  # noqa: PLR2004  there are 999 at the most
        raise NotFoundError("sheet", f"revision {revision}")
    return _pdf(pdf_of(database, job_uid, int(revision)), f"sheet-{revision}.pdf")


def _pdf(content: bytes, name: str) -> Response:
    return Response(
        content, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{name}"'}
    )


@router.get("/check", dependencies=[ANYBODY], name="check_sheet")
def check(request: Request, pages: PagesDep, code: str = "") -> Response:
    """The form by which a printed sheet is checked."""
    return _check_page(request, pages, FormState({"code": code[:40]}))


def _check_page(
    request: Request, pages: Pages, state: FormState, checked: CheckedSheet | None = None, status: int = 200
) -> Response:
    key = fingerprint(str(request.app.state.pepper))
    return pages.render(request, "check_sheet.html", status, state=state, checked=checked, key=key, outside=True)


@router.post("/check", dependencies=[ANYBODY], name="check_this_sheet")
def post_check(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """For whoever holds a sheet: is it one of this shop's, the newest, and unchanged?"""
    state = FormState(posted.values)
    file = posted.files.get("file")
    content = file.file.read() if file is not None and file.filename else None
    try:
        checked = check_sheet(database, posted.values.get("code", ""), content)
    except EntryError as error:
        return _check_page(request, pages, state.with_error(error), status=422)
    return _check_page(request, pages, state, checked)
