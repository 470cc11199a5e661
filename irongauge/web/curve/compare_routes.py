"""Two things that should agree, compared, and kept with the circuit."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.controllers.cross_checks import CheckKind
from irongauge.core.measure.units import Quantity
from irongauge.core.sensors.circuits import InstrumentKind
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.web.curve.comparing import Compared, compared
from irongauge.web.curve.forms import (
    GRADES,
    CompareForm,
)
from irongauge.web.curve.tool_page import back_of, read_tool, source_of, subject_of, tool_page, typed_of
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep
from irongauge.web.forms import read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.web.shelf.forms import SENSED
from irongauge.workflows.curve.controllers import (
    ToolSubject,
    keep_check,
)

router = APIRouter(include_in_schema=False)


@router.get("/curve/compare", dependencies=[LOOK], name="compare")
def get_compare(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """What should agree, asked for its readings."""
    return _compare_page(request, database, pages, typed_of(request))


def _compare_page(
    request: Request, database: Database, pages: Pages, typed: dict[str, str], error: EntryError | None = None
) -> Response:
    typed = {"kind": CheckKind.INSTRUMENTS, "quantity": "pressure", "tolerance_pct": "2", **typed}
    subject = subject_of(request, database, typed, may_start=False)
    form, state = read_tool(CompareForm, typed)
    found = None
    if form is not None:
        try:
            found = compared(subject, form)
        except EntryError as slip:
            state = state.with_error(slip)
    if error is not None:
        state = state.with_error(error)
    quantity = Quantity(typed["quantity"]) if typed["quantity"] in set(Quantity) else Quantity.PRESSURE
    nothing_typed = form is not None and not (form.first or form.second or form.pairs or form.supply_v or form.expected)
    return tool_page(
        request,
        pages,
        "compare.html",
        subject=subject,
        state=state,
        status=422 if error is not None else 200,
        found=found,
        sample=_example_of(subject, typed) if nothing_typed and not state.errors else None,
        kinds=list(CheckKind),
        grades=[(grade, f"{grade} % of full scale") for grade in GRADES],
        sensed=SENSED,
        unit=subject.shop.units[quantity],
        gauges=[i for i in subject.people.usable if i.kind is InstrumentKind.GAUGE and i.gauge is not None],
        tab="compare",
    )


_EXAMPLES: dict[CheckKind, dict[str, str]] = {
    CheckKind.INSTRUMENTS: {"first": "300 kPa", "second": "309 kPa", "known_to": "3 kPa", "quantity": "pressure"},
    CheckKind.KEY_ON: {"first": "99.8 kPa", "second": "101.1 kPa"},
    CheckKind.BOOST: {"first": "182 kPa", "second": "101.1 kPa"},
    CheckKind.DISPLAY: {"pairs": "50 48\n100 98\n150 148\n200 198"},
    CheckKind.CLIPPED: {"pairs": "1 50\n2 100\n3 150\n4 170\n5 170"},
    CheckKind.REGULATOR: {"supply_v": "5.02", "reference_v": "4.93"},
    CheckKind.LINE: {"expected": "2.50 V", "shown": "2.38 V"},
}


def _example_of(subject: ToolSubject, typed: dict[str, str]) -> Compared | None:
    """What the chosen comparison looks like, until something is typed."""
    form, _ = read_form(CompareForm, {**typed, **_EXAMPLES.get(CheckKind(typed["kind"]), {})})
    return None if form is None else compared(subject, form)


@router.post("/curve/compare", dependencies=[MEASURE], name="keep_check")
def post_compare(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Keep a comparison."""
    typed = posted.values
    subject = subject_of(request, database, typed)
    form, _ = read_tool(CompareForm, typed)
    try:
        if form is None or subject.circuit is None:
            raise EntryError("source", "", "A comparison is kept with a circuit.", "Choose one of a job.")
        if form.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who read it.")
        found = compared(subject, form)
        if found is None:
            raise EntryError("first", form.first, "There is nothing to keep yet.", "Type both readings.")
        given = {k: v[:2000] for k, v in typed.items() if v and k not in {"token", "technician_uid", "source"}}
        keep_check(database, subject.circuit.uid, found.verdict, given, form.technician_uid)
    except EntryError as error:
        return _compare_page(request, database, pages, typed, error)
    address = request.url_for("compare").include_query_params(
        source=source_of(subject), kind=form.kind, **back_of(typed)
    )
    return go_to(address)
