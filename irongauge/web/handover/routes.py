"""Handover: what is open, who tested with what, who reviewed; the sheet that is printed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.calibration.record import Calibration, result_of
from irongauge.core.calibration.record import in_force as calibrations_in_force
from irongauge.core.controllers.record import KeptCheck
from irongauge.core.live.codes import story_of
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.pulses.record import in_force as pulses_in_force
from irongauge.core.sensors.circuits import Instrument
from irongauge.errors import RefusedRequestError
from irongauge.store.database import Database
from irongauge.web.bench.page import EvidenceLine, evidence_line
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState
from irongauge.web.gate import who_asks
from irongauge.web.pages import Pages, go_to
from irongauge.web.trace.page import usual_text
from irongauge.workflows.bench import BenchView
from irongauge.workflows.codes import codes_of
from irongauge.workflows.jobs import JobPage, Kept, hand_over, look_at_sheet, may_review_alone, reopen
from irongauge.workflows.normals import baseline_of
from irongauge.workflows.people import links_of
from irongauge.workflows.view import CircuitView

__all__ = ["sheet_of", "show_sheet"]

router = APIRouter(include_in_schema=False)

_EMPTY = FormState()
_LINK_LASTS = timedelta(days=30)


@dataclass(frozen=True)
class SheetCalibration:
    """A signed calibration in a line: what it is, its mark, its worst error and U, and what was odd about it."""

    calibration: Calibration
    mark: str
    text: str
    warnings: tuple[str, ...]


@dataclass(frozen=True)
class SheetCircuit:
    view: CircuitView
    lines: tuple[EvidenceLine, ...]
    calibrations: tuple[SheetCalibration, ...]
    checks: tuple[KeptCheck, ...]
    pulses: tuple[KeptPulse, ...]


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


def sheet_of(page: JobPage, kept: dict[UUID, Kept]) -> Sheet:
    readings = [r for view in page.view.circuits for r in view.readings]
    signed = [c for curves in kept.values() for c in curves.calibrations if c.signed_at is not None]
    used = {r.instrument_uid for r in readings} | {r.stimulus_instrument_uid for r in readings}
    used |= {uid for c in signed for uid in (c.setup.meter_uid, c.setup.gauge_uid)}
    who = {r.technician_uid for r in readings} | {c.technician_uid for c in signed}
    who |= {p.technician_uid for curves in kept.values() for p in curves.pulses}
    testers = sorted(page.people.technician_name(uid) for uid in who)
    circuits = []
    for view in page.view.standing:
        bench = BenchView(page.shop, page.view, view, page.people)
        lines = (evidence_line(bench, test) for test in view.assessment.tests)
        curves = kept[view.circuit.uid]
        circuits.append(
            SheetCircuit(
                view,
                tuple(line for line in lines if line.reading is not None),
                tuple(_calibration(page, c) for c in calibrations_in_force(curves.calibrations)),
                curves.checks,
                pulses_in_force(curves.pulses),
            )
        )
    open_items = [
        f"{v.circuit.name}: {v.assessment.verdict.level}, {v.assessment.verdict.headline}"
        for v in page.view.standing
        if v.assessment.verdict.level is not VerdictLevel.GOOD
    ]
    instruments = tuple(UsedInstrument(i, i.overdue_on(page.today)) for i in page.people.instruments if i.uid in used)
    return Sheet(page, tuple(circuits), instruments, tuple(testers), tuple(open_items))


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


def show_sheet(  # noqa: PLR0913  what the page is made of
    request: Request,
    database: Database,
    pages: Pages,
    job_uid: UUID,
    state: FormState = _EMPTY,
    status: int = 200,
    *,
    new_link: str = "",
    for_customer: bool = False,
) -> Response:
    """The Handover page of a job; `for_customer` shows the sheet and nothing else."""
    found = look_at_sheet(database, job_uid)
    page = found.page
    if page.view.job.is_practice:
        raise RefusedRequestError("This job is for practice.", "It has no sheet: its readings are the simulator’s.")
    baseline = [
        (f"{normal.channel.capitalize()} {normal.condition}", usual_text(normal), normal.count)
        for normal in baseline_of(database, page.view.job.vehicle)
    ]
    codes, who = codes_of(database, job_uid), who_asks(request)
    return pages.render(
        request,
        "handover.html",
        status,
        sheet=sheet_of(page, found.kept),
        tested_it=who is not None and who.person.uid in found.testers,
        may_alone=who is not None and may_review_alone(page.shop, who.person),
        baseline=baseline,
        state=state,
        codes=codes,
        stories=story_of(codes),
        links=() if for_customer else links_of(database, job_uid),
        new_link=new_link,
        outside=for_customer,
        link_ends=(page.today + _LINK_LASTS).isoformat(),
    )


@router.get("/jobs/{uid}/handover", name="handover")
def handover(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    return show_sheet(request, database, pages, uid_or_missing("job", uid))


@router.post("/jobs/{uid}/handover", name="sign")
def sign(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, _posted: FormDep) -> Response:
    job_uid = uid_or_missing("job", uid)
    who = who_asks(request)
    assert who is not None  # nobody else is let in here
    try:
        hand_over(database, job_uid, who.person.uid)
    except RefusedRequestError as error:
        return show_sheet(request, database, pages, job_uid, FormState({}, {"review": str(error)}), 409)
    return go_to(request.url_for("handover", uid=uid))


@router.post("/jobs/{uid}/reopen", name="reopen")
def post_reopen(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    reopen(database, uid_or_missing("job", uid))
    return go_to(request.url_for("job", uid=uid))
