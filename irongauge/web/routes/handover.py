"""Handover: what is open, who tested with what, who reviewed; the sheet that is printed."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.assessment import VerdictLevel
from irongauge.core.circuits import Instrument
from irongauge.errors import EntryError, RefusedRequestError
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms.base import FormState, read_form
from irongauge.web.forms.shop_floor import ReviewForm
from irongauge.web.pages import Pages, go_to
from irongauge.web.views.bench_page import EvidenceLine, evidence_line
from irongauge.workflows.bench import BenchView
from irongauge.workflows.jobs import JobPage, hand_over, look_at_job, reopen
from irongauge.workflows.view import CircuitView

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True)
class SheetCircuit:
    view: CircuitView
    lines: tuple[EvidenceLine, ...]


@dataclass(frozen=True)
class UsedInstrument:
    instrument: Instrument
    overdue: bool


@dataclass(frozen=True)
class Sheet:
    """The Handover sheet of a job."""

    page: JobPage
    circuits: tuple[SheetCircuit, ...]
    instruments: tuple[UsedInstrument, ...]
    testers: tuple[str, ...]
    open_items: tuple[str, ...]


def sheet_of(page: JobPage) -> Sheet:
    readings = [r for view in page.view.circuits for r in view.readings]
    used = {r.instrument_uid for r in readings} | {r.stimulus_instrument_uid for r in readings}
    testers = sorted({page.people.technician_name(r.technician_uid) for r in readings})
    circuits = []
    for view in page.view.circuits:
        bench = BenchView(page.shop, page.view, view, page.people)
        lines = (evidence_line(bench, step) for step in view.assessment.steps)
        circuits.append(SheetCircuit(view, tuple(line for line in lines if line.reading is not None)))
    open_items = [
        f"{v.circuit.name}: {v.assessment.verdict.level}, {v.assessment.verdict.headline}"
        for v in page.view.circuits
        if v.assessment.verdict.level is not VerdictLevel.GOOD
    ]
    instruments = tuple(UsedInstrument(i, i.overdue_on(page.today)) for i in page.people.instruments if i.uid in used)
    return Sheet(page, tuple(circuits), instruments, tuple(testers), tuple(open_items))


def _show(request: Request, pages: Pages, page: JobPage, state: FormState, status: int = 200) -> Response:
    return pages.render(request, "handover.html", status, sheet=sheet_of(page), state=state)


@router.get("/jobs/{uid}/handover", name="handover")
def handover(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    return _show(request, pages, look_at_job(database, uid_or_missing("job", uid)), FormState())


@router.post("/jobs/{uid}/handover", name="sign")
def sign(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    job_uid = uid_or_missing("job", uid)
    form, state = read_form(ReviewForm, posted.values)
    try:
        if form is None or form.reviewer_uid is None:
            raise EntryError("reviewer_uid", "", "Choose who reviewed the job.")
        hand_over(database, job_uid, form.reviewer_uid)
    except EntryError as error:
        return _show(request, pages, look_at_job(database, job_uid), state.with_error(error), 422)
    except RefusedRequestError as error:
        refused = FormState(state.values, {"reviewer_uid": str(error)})
        return _show(request, pages, look_at_job(database, job_uid), refused, 409)
    return go_to(request.url_for("handover", uid=uid))


@router.post("/jobs/{uid}/reopen", name="reopen")
def post_reopen(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    reopen(database, uid_or_missing("job", uid))
    return go_to(request.url_for("job", uid=uid))
