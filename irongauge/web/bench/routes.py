"""The Bench: one circuit, the next step, every reading judged, the verdict."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from uuid import UUID, uuid4

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.actions import AnswerKind
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.sequence import Test, is_allowed, test_at
from irongauge.core.measure.entry import NO_DATA
from irongauge.core.measure.quantities import SupersedeReason
from irongauge.errors import EntryError, NotFoundError, NotShownError, StaleFormError
from irongauge.store.database import Database
from irongauge.web.authentication import who_asks
from irongauge.web.bench.filling import bus_line, fill
from irongauge.web.bench.forms import ReadingForm, stimulus_text
from irongauge.web.bench.page import BenchPage, bench_page
from irongauge.web.bench.reader import post_not_shown
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.navigation import note_circuit
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.web.trace.page import standing_text
from irongauge.workflows.bench.cards import point_named
from irongauge.workflows.bench.readings import (
    BenchView,
    NewReading,
    Recorded,
    look_ahead,
    look_at_bench,
    record_reading,
    take_back,
)
from irongauge.workflows.bench.simulate import practise_again, simulate_reading
from irongauge.workflows.live.meter import Filled
from irongauge.workflows.plan.wirings import ways_of_blamed_wire
from irongauge.workflows.shop.handovers import open_remarks
from irongauge.workflows.shop.view import Depth, today
from irongauge.workflows.trace.normals import standing_of_reading

router = APIRouter(include_in_schema=False)

_CHOICES_COOKIE = "iron_bench"


@router.get("/circuits/{uid}/bench", dependencies=[LOOK], name="bench")
def bench(
    request: Request,
    database: DatabaseDep,
    pages: PagesDep,
    *,
    uid: str,
    test: str = "",
    saved: str = "",
    note: str = "",
    why: str = "",
    ahead: str = "",
    value: str = "",
    hidden: str = "",
) -> Response:
    """The Bench at its next step, or at the one that is asked for."""
    circuit_uid = uid_or_missing("circuit", uid)
    view = look_at_bench(database, circuit_uid, asked=test)
    asked = _test_for(view, test)
    seen, state = None, None
    if ahead and asked is not None:
        try:
            seen = look_ahead(database, circuit_uid, str(asked.test_point), value[:400])
        except EntryError as error:
            seen = look_ahead(database, circuit_uid, str(asked.test_point), "")
            state = FormState(errors={"value": str(error)})
    page = bench_page(view, asked, saved, note[:300], seen, show_hidden=hidden == "show")
    page = replace(page, bus=bus_line(database, view, asked), stands=_stands(database, view, page))
    if asked is None:
        page = replace(page, wire_ways=ways_of_blamed_wire(database, view))
    fresh = _fresh_state(request, page, why)
    values = {**fresh.values, "value": value[:400]}
    state = FormState(values, {} if state is None else state.errors)
    return _render(request, database, pages, page=page, state=state)


def _render(
    request: Request, database: Database, pages: Pages, *, page: BenchPage, state: FormState, status: int = 200
) -> Response:
    remarks = open_remarks(database, page.bench.job.job.uid)
    day = today(page.bench.shop)
    response = pages.render(request, "bench.html", status, page=page, state=state, remarks=remarks, today=day)
    note_circuit(response, page.bench.view.circuit.uid)
    return response


@router.post("/circuits/{uid}/simulate", dependencies=[MEASURE], name="simulate")
def simulate(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Let the practice vehicle take the reading."""
    recorded = simulate_reading(database, uid_or_missing("circuit", uid), posted.values.get("test_point", ""))
    return go_to(request.url_for("bench", uid=uid).include_query_params(saved=recorded.reading.uid))


@router.post("/circuits/{uid}/practise-again", dependencies=[MEASURE], name="practise_again")
def again(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Begin a practice circuit anew, with another fault hidden in it."""
    fresh_uid = practise_again(database, uid_or_missing("circuit", uid))
    return go_to(request.url_for("bench", uid=fresh_uid))


@router.post("/circuits/{uid}/readings/{reading_uid}/back", dependencies=[MEASURE], name="take_back")
def back(request: Request, database: DatabaseDep, uid: str, reading_uid: str, posted: FormDep) -> Response:
    """Take the last reading back; it stays in the record."""
    circuit_uid = uid_or_missing("circuit", uid)
    technician_uid = uid_or_missing("technician", posted.values.get("technician_uid", ""))
    taken = take_back(database, circuit_uid, uid_or_missing("reading", reading_uid), technician_uid)
    address = request.url_for("bench", uid=uid).include_query_params(test=taken.test_point)
    return go_to(address)


@router.post("/circuits/{uid}/readings", dependencies=[MEASURE], name="record")
def record(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Record a reading, or send the form back with what is wrong and everything that was typed."""
    circuit_uid = uid_or_missing("circuit", uid)
    values = dict(posted.values) | ({"value": NO_DATA} if posted.values.get("no_data") else {})
    form, state = read_form(ReadingForm, values)
    test_point = posted.values.get("test_point", "")
    ask_again = partial(_again, request, database, pages, circuit_uid=circuit_uid, test_point=test_point)
    if form is None:
        return ask_again(state=state, status=422)
    try:
        if not form.value.strip():
            filled = _fill(database, circuit_uid, form)
            if filled is not None:
                values = {**state.values, "value": filled.typed, "read_off": filled.read_off}
                return ask_again(state=FormState(values), status=200, is_filled=True)
        recorded = _record(database, circuit_uid, form)
    except NotShownError:
        return post_not_shown(request, database, uid, posted)
    except EntryError as error:
        try:
            return ask_again(state=state.with_error(error), status=422)
        except NotFoundError:
            raise error from None  # the Bench does not ask for this, so there is no field beside which to say why
    except StaleFormError as error:
        stale = FormState({**state.values, "reason": SupersedeReason.AGAIN}, {"value": str(error)})
        return ask_again(state=stale, status=409, forget_form=True)
    address = request.url_for("bench", uid=uid).include_query_params(saved=recorded.reading.uid)
    if recorded.note:
        address = address.include_query_params(note=recorded.note)
    response = go_to(address)
    chosen = (form.technician_uid, form.instrument_uid, form.stimulus_instrument_uid)
    remember(response, _CHOICES_COOKIE, chosen)
    return response


def _stands(database: DatabaseDep, view: BenchView, page: BenchPage) -> tuple[str, str] | None:
    """Where the reading that was just saved stands against what is usual for the vehicle, if that is known."""
    if page.saved is None or page.saved.reading is None or page.saved.test.spec.answer is not AnswerKind.VALUE:
        return None
    line = standing_of_reading(database, view.job.job.vehicle, view.view.circuit, page.saved.reading)
    return None if line is None else (line.mark, standing_text(line))


def _fill(database: DatabaseDep, circuit_uid: UUID, form: ReadingForm) -> Filled | None:
    view = look_at_bench(database, circuit_uid, Depth.MARKS, asked=form.test_point)
    asked = _test_for(view, form.test_point)
    return None if asked is None else fill(database, view, asked, form)


def _record(database: DatabaseDep, circuit_uid: UUID, form: ReadingForm) -> Recorded:
    if form.technician_uid is None:
        raise EntryError("technician_uid", "", "Choose who takes the reading.")
    new = NewReading(
        uid=form.uid or uuid4(),
        test_point=form.test_point,
        typed=form.value,
        technician_uid=form.technician_uid,
        instrument_uid=form.instrument_uid,
        stimulus_typed=form.stimulus,
        stimulus_instrument_uid=form.stimulus_instrument_uid,
        seen_uid=form.seen_uid,
        reason=SupersedeReason(form.reason) if form.reason else None,
        read_off=form.read_off,
        overdue_why=form.overdue_why,
    )
    return record_reading(database, circuit_uid, new)


def _again(
    request: Request,
    database: DatabaseDep,
    pages: Pages,
    *,
    circuit_uid: UUID,
    test_point: str,
    state: FormState,
    status: int,
    forget_form: bool = False,
    is_filled: bool = False,
) -> Response:
    """The Bench again with the typed text in place. `forget_form` gives the next try an identity of its own."""
    view = look_at_bench(database, circuit_uid, asked=test_point)
    asked = _test_for(view, test_point)
    page = replace(bench_page(view, asked, "", ""), bus=bus_line(database, view, asked), filled=is_filled)
    current = page.asked.current if page.asked is not None else None
    values = dict(state.values)
    values["seen_uid"] = str(current.uid) if current is not None else ""
    if forget_form or not values.get("uid"):
        values["uid"] = str(uuid4())
    return _render(request, database, pages, page=page, state=FormState(values, state.errors), status=status)


def _test_for(view: BenchView, text: str) -> Test | None:
    """The step that was asked for, else the next one."""
    assessment = view.view.assessment
    if text:
        test_point = next((test for test in assessment.tests if str(test.test_point) == text), None)
        if test_point is None:
            test_point = _other_test(assessment.case, text)
        if not is_allowed(assessment.case, test_point.test_point):
            raise NotFoundError("test point", text)
        return test_point
    return assessment.next_test


def _other_test(case: BenchCase, text: str) -> Test:
    """A step that a good circuit does not need, such as one that the diagnosis asks for."""
    test_point = point_named(text)
    if not is_allowed(case, test_point):
        raise NotFoundError("test point", text)
    return test_at(case, test_point)


def _said_before(page: BenchPage, meter: str) -> str:
    """Why an instrument that is overdue was used for the last reading of this circuit: it is not typed for every one."""
    said = (r.overdue_why for r in reversed(page.bench.view.readings) if str(r.instrument_uid) == meter)
    return next((why for why in said if why), "")


def _fresh_state(request: Request, page: BenchPage, why: str) -> FormState:
    """A new form: an identity of its own, and the person and instruments chosen last on this device."""
    asked, people = page.asked, page.bench.people
    if asked is None:
        return FormState()
    technician, meter, gauge = recall(request, _CHOICES_COOKIE, 3) or ("", "", "")
    if technician not in {str(t.uid) for t in people.technicians}:
        who = who_asks(request)
        has_come_in = who is not None and who.sign_in is not None
        technician = str(who.person.uid if who and has_come_in else page.bench.job.job.technician.uid)
    if meter not in {str(i.uid) for i in asked.meters}:
        in_date = [i for i in asked.meters if not i.overdue_on(today(page.bench.shop))]
        meter = str((in_date or list(asked.meters))[0].uid) if asked.meters else ""
    if gauge not in {str(i.uid) for i in asked.gauges}:
        gauge = ""
    test_point = asked.test.test_point
    return FormState(
        {
            "uid": str(uuid4()),
            "seen_uid": "" if asked.current is None else str(asked.current.uid),
            "value": "",
            "read_off": "",
            "overdue_why": _said_before(page, meter),
            "stimulus": ""
            if test_point.point is None
            else stimulus_text(page.bench.view.assessment.case, test_point.point),
            "technician_uid": technician,
            "instrument_uid": meter,
            "stimulus_instrument_uid": gauge,
            "reason": why if why in set(SupersedeReason) else _usual_reason(page),
        }
    )


def _usual_reason(page: BenchPage) -> str:
    """Why a reading is most likely taken again: after a repair, where it is older than the repair's first proof."""
    asked = page.asked
    if asked is None or asked.current is None:
        return ""
    repaired_at = page.bench.view.assessment.case.evidence_from
    return (
        SupersedeReason.REPAIRED
        if repaired_at is not None and asked.current.taken_at < repaired_at
        else SupersedeReason.AGAIN
    )
