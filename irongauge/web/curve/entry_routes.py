"""An entry of a controller read back against the curve, and kept with the circuit."""

from __future__ import annotations

from contextlib import suppress

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.controllers.figures import FORM_WORDS, FormKind
from irongauge.errors import EntryError
from irongauge.formats.entries_text import FIGURES
from irongauge.store.database import Database
from irongauge.web.curve.answers import curve_drawn, kept_verdicts, read_back
from irongauge.web.curve.forms import (
    CheckForm,
    Surroundings,
    scale_from,
)
from irongauge.web.curve.tool_page import back_of, read_tool, source_of, subject_of, tool_page, typed_of, with_scale
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.navigation import way_back
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.curve.controllers import (
    ToolSubject,
    forget_entry,
    keep_entry,
)
from irongauge.workflows.curve.entries import KeptVerdict

router = APIRouter(include_in_schema=False)


@router.get("/curve/check", dependencies=[LOOK], name="check_entry")
def get_check(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The form that reads a controller's entries back."""
    return _check_page(request, database, pages, typed_of(request))


def _check_page(
    request: Request,
    database: Database,
    pages: Pages,
    typed: dict[str, str],
    error: EntryError | None = None,
) -> Response:
    subject = subject_of(request, database, typed)
    filled = _as_kept(subject, typed)
    typed = {"kind": FormKind.END_POINTS, "allowance_pct": "0.5", "name": _where_entered(subject), **filled, **typed}
    form, state = read_tool(CheckForm, typed)
    found = None
    kept: tuple[KeptVerdict, ...] = ()
    if form is not None and subject.channel is not None:
        try:
            kept = kept_verdicts(subject, form)
            found = read_back(subject, form, _figures(form, typed))
        except EntryError as slip:
            state = state.with_error(slip)
    if error is not None:
        state = state.with_error(error)
    state = with_scale(subject, form, state)
    plain = None
    if found is None and form is not None and subject.channel is not None:
        with suppress(EntryError):  # said beside its field already
            plain = curve_drawn(subject, form, None)
    return tool_page(
        request,
        pages,
        "check.html",
        subject=subject,
        state=state,
        status=422 if error is not None else 200,
        found=found,
        kept=kept,
        plain=plain,
        filled=filled.get("name", ""),
        form_words=FORM_WORDS,
        figures=FIGURES,
        tab="check",
    )


def _as_kept(subject: ToolSubject, typed: dict[str, str]) -> dict[str, str]:
    """What the controller was last known to hold for this circuit, where a reading led here and nothing is typed yet."""
    newest = next((entry for entry in subject.entries if entry.figures is not None), None)
    if newest is None or newest.figures is None or way_back(typed.get("back", "")) is None or "kind" in typed:
        return {}
    figures = {name: str(text) for name, text in newest.figures.items()}
    kind = figures.pop("kind")
    chosen = {"kind": kind, "unit": newest.unit, "base": newest.base or "", "name": newest.name}
    chosen["allowance_pct"] = figures.pop("allowance_pct", "0.5")
    return chosen | {_field(kind, name): text for name, text in figures.items()}


def _field(kind: str, name: str) -> str:
    """What a figure of a form is called on the page, where every form has its own."""
    return f"{kind.replace(' ', '_')}.{name}"


def _where_entered(subject: ToolSubject) -> str:
    """Where an entry most likely stands: the circuit's controller and channel."""
    circuit = subject.circuit
    return "" if circuit is None else ", ".join(filter(None, (circuit.controller, circuit.live_channel)))


def _figures(form: CheckForm, typed: dict[str, str]) -> dict[str, str]:
    """The fields of the form that was chosen."""
    kind = FormKind(form.kind)
    names = ("table",) if kind is FormKind.CELLS else tuple(name for name, _ in FIGURES[kind])
    return {name: typed.get(_field(kind, name), "") for name in names}


@router.post("/curve/check", dependencies=[MEASURE], name="keep_entry")
def post_entry(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Keep what was entered in a controller."""
    typed = posted.values
    subject = subject_of(request, database, typed)
    form, _ = read_tool(CheckForm, typed)
    try:
        if form is None or subject.circuit is None or subject.channel is None:
            raise EntryError("source", "", "An entry is kept with a circuit.", "Choose one of a job above.")
        if not form.name:
            raise EntryError("name", "", "Say where it is entered.", "Such as: engine controller, input 3.")
        if form.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who read it.")
        figures = _figures(form, typed)
        if read_back(subject, form, figures) is None:
            raise EntryError("name", form.name, "There are no figures to keep.", "Type what the controller holds.")
        scale = scale_from(form, subject.channel, Surroundings(subject.shop, subject.height_m))
        kept = {**figures, "kind": form.kind, "allowance_pct": f"{form.allowance_pct:g}"}
        keep_entry(
            database,
            subject.circuit.uid,
            form.name,
            figures=kept,
            unit=scale.unit,
            base=scale.base,
            technician_uid=form.technician_uid,
        )
    except EntryError as error:
        return _check_page(request, database, pages, typed, error)
    return go_to(request.url_for("check_entry").include_query_params(source=source_of(subject), **back_of(typed)))


@router.post("/circuits/{uid}/entries/forget", dependencies=[MEASURE], name="forget_entry")
def post_forget(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Forget an entry that is not there any more."""
    technician_uid = uid_or_missing("technician", posted.values.get("technician_uid", ""))
    forget_entry(database, uid_or_missing("circuit", uid), posted.values.get("name", "")[:80], technician_uid)
    return go_to(request.url_for("check_entry").include_query_params(source=f"circuit:{uid}"))
