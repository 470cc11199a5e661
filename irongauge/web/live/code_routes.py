"""Trouble codes of a job: read, kept and cleared, and followed until they stay away."""

from __future__ import annotations

from uuid import uuid4

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.live.codes import CodesWhen
from irongauge.core.live.j1979 import PIDS
from irongauge.core.live.record import BusAsked
from irongauge.core.live.watching import LiveChannel
from irongauge.errors import EntryError, InstrumentError
from irongauge.store.database import Database
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.live.forms import CodesForm, PostedTo
from irongauge.web.live.page import shown_text
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.live.codes import ask_codes, look_at_codes, type_codes

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

_COOKIE = "iron_codes"


def _channel(name: str) -> LiveChannel:
    """The channel of a controller's parameter, by its name."""
    return next((LiveChannel(p.name, p.unit, p.sense) for p in PIDS.values() if p.name == name), LiveChannel(name))


@router.get("/jobs/{uid}/codes", dependencies=[LOOK], name="codes")
def get_codes(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """A job's trouble codes."""
    return _codes(request, database, pages, uid=uid, state=FormState())


def _codes(
    request: Request,
    database: Database,
    pages: Pages,
    *,
    uid: str,
    state: FormState,
    status: int = 200,
    trouble: str = "",
) -> Response:
    view = look_at_codes(database, uid_or_missing("job", uid))
    last = (recall(request, _COOKIE, 1) or [""])[0] or str(view.job.technician.uid)
    start = {"uid": str(uuid4()), "technician_uid": last, "when": CodesWhen.READ}
    return pages.render(
        request,
        "codes.html",
        status,
        view=view,
        job=view.job,
        state=state.over(start | {name: value for name, value in state.values.items() if value}),
        new_uid=uuid4(),
        trouble=trouble,
        whens=tuple(CodesWhen),
        names={t.uid: t.name for t in view.people},
        shown=lambda name, value: shown_text(_channel(name), value, view.shop),
    )


@router.post("/jobs/{uid}/codes/ask", dependencies=[MEASURE], name="ask_codes")
def post_ask(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Read the codes off the bus; with `clear` and its confirmation clear them, once they are kept."""
    form, state = read_form(PostedTo, posted.values)
    if form is None:
        raise state.first_error()
    clears = bool(posted.values.get("clear"))
    if clears and posted.values.get("sure") != "yes":
        error = EntryError("sure", "", "Nothing was cleared.", "Tick that they are to be cleared, then clear them.")
        return _codes(request, database, pages, uid=uid, state=state.with_error(error), status=422)
    if form.technician_uid is None:
        error = EntryError("technician_uid", "", "It is not said who asks.", "Choose who you are.")
        return _codes(request, database, pages, uid=uid, state=state.with_error(error), status=422)
    asked = BusAsked.CLEAR_CODES if clears else BusAsked.READ_CODES
    try:
        ask_codes(database, form.uid or uuid4(), uid_or_missing("job", uid), form.technician_uid, asked)
    except InstrumentError as error:
        return _codes(request, database, pages, uid=uid, state=state, status=409, trouble=str(error))
    response = go_to(request.url_for("codes", uid=uid))
    remember(response, _COOKIE, (form.technician_uid,))
    return response


@router.post("/jobs/{uid}/codes", dependencies=[MEASURE], name="type_codes")
def post_typed(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep codes that were typed."""
    form, state = read_form(CodesForm, posted.values)
    try:
        if form is None:
            raise state.first_error()
        if form.technician_uid is None:
            raise EntryError("technician_uid", "", "It is not said who read them.", "Choose who you are.")
        type_codes(
            database,
            form.uid or uuid4(),
            uid_or_missing("job", uid),
            form.technician_uid,
            stored=form.stored,
            pending=form.pending,
            when=CodesWhen(form.when),
            driven_km=form.driven_km,
        )
    except EntryError as error:
        return _codes(request, database, pages, uid=uid, state=state.with_error(error), status=422)
    response = go_to(request.url_for("codes", uid=uid))
    remember(response, _COOKIE, (form.technician_uid,))
    return response
