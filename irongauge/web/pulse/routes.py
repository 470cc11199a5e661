"""The Pulse room's questions: each is a form whose answer follows what is typed, and can be kept with a circuit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, cast
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.pulses.ratio import FigureKind
from irongauge.core.pulses.record import PulseKind
from irongauge.core.pulses.signal_parts import DUTIES
from irongauge.errors import BadFileError, EntryError, as_sentence
from irongauge.store.database import Database
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.pulse.answers import Answer, bus, fuel, gap, principle, relation, speed
from irongauge.web.pulse.forms import SPEED_UNITS, KeepForm, RelateForm, SpeedForm
from irongauge.web.pulse.part_forms import BusForm, FuelForm, GapForm, PrincipleForm
from irongauge.web.remembered import recall, remember
from irongauge.workflows.pulses import Keeping, keep_pulse, look_at_keeping

__all__ = ["PULSE_COOKIE", "chosen_last", "router"]

router = APIRouter(include_in_schema=False)

PULSE_COOKIE = "iron_pulse"
_LONGEST_TYPED = 20_000
_NOT_GIVEN = {"token", "circuit_uid", "technician_uid", "last"}


@dataclass(frozen=True, kw_only=True)
class Question:
    """One page of the room: its address and name, its form, what answers it, and what its fields start with."""

    name: str
    path: str
    kind: PulseKind
    model: type[KeepForm]
    answer: Callable[[Any], Answer | None]
    start: Mapping[str, str] = field(default_factory=dict)

    @property
    def template(self) -> str:
        return f"{self.name}.html"


_SPEEDS = {"unit": "km/h"}
QUESTIONS = (
    Question(name="pulse", path="/pulse", kind=PulseKind.EXPECTED, model=RelateForm, answer=relation, start=_SPEEDS),
    Question(
        name="pulse_speed",
        path="/pulse/speed",
        kind=PulseKind.SPEED,
        model=SpeedForm,
        answer=speed,
        start={**_SPEEDS, "within_pct": "1"},
    ),
    Question(
        name="pulse_principle",
        path="/pulse/principle",
        kind=PulseKind.PRINCIPLE,
        model=PrincipleForm,
        answer=principle,
        start={"wires": "3", "sine": "no"},
    ),
    Question(
        name="pulse_gap",
        path="/pulse/gap",
        kind=PulseKind.GAP,
        model=GapForm,
        answer=gap,
        start={"least_mm": "0.8", "most_mm": "1.3"},
    ),
    Question(name="pulse_fuel", path="/pulse/fuel", kind=PulseKind.FUEL, model=FuelForm, answer=fuel),
    Question(
        name="pulse_bus",
        path="/pulse/bus",
        kind=PulseKind.BUS,
        model=BusForm,
        answer=bus,
        start={"pulses": "1", "frame_hz": "20", "needed_hz": "1", "tick_us": "1", "harness": "not known"},
    ),
)


def chosen_last(request: Request) -> dict[str, str]:
    """The circuit and the person that were chosen last on this device."""
    return dict(zip(("circuit_uid", "technician_uid"), recall(request, PULSE_COOKIE, 2), strict=False))


@dataclass(frozen=True)
class _Asked:
    """A question with what was typed, its answer, and where that can be kept."""

    question: Question
    form: KeepForm | None
    state: FormState
    found: Answer | None
    keeping: Keeping

    @property
    def given(self) -> dict[str, str]:
        """The text of every field that the answer comes from."""
        return {k: v for k, v in self.state.values.items() if v.strip() and k not in _NOT_GIVEN}

    @property
    def is_kept(self) -> bool:
        """True when the newest check of this kind was made from the same fields."""
        newest = next((k for k in self.keeping.kept if k.kind is self.question.kind), None)
        return newest is not None and dict(newest.given) == self.given


def _ask(database: Database, question: Question, typed: Mapping[str, str]) -> _Asked:
    form, state = read_form(question.model, {**question.start, **typed})
    found = None
    if form is not None:
        try:
            found = question.answer(form)
            if found is not None and found.fields:
                state = FormState({**state.values, **found.fields}, state.errors)
        except EntryError as error:
            state = state.with_error(error)
    keeping = look_at_keeping(database, None if form is None else form.circuit_uid)
    return _Asked(question, form, state, found, keeping)


def _show(request: Request, pages: Pages, asked: _Asked, status: int = 200) -> Response:
    return pages.render(
        request,
        asked.question.template,
        status,
        asked=asked,
        state=asked.state,
        found=asked.found,
        keeping=asked.keeping,
        units=list(SPEED_UNITS),
        figures=list(FigureKind),
        duties=list(DUTIES),
        tab=asked.question.name,
    )


def _typed(values: Mapping[str, str]) -> dict[str, str]:
    return {n: v[:_LONGEST_TYPED].replace("\r\n", "\n") for n, v in values.items() if n != "token"}


def _page_of(question: Question) -> Callable[..., Response]:
    def get_question(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
        return _show(request, pages, _ask(database, question, {**chosen_last(request), **_typed(request.query_params)}))

    return get_question


def _keeper_of(question: Question) -> Callable[..., Response]:
    def post_question(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
        typed = _typed(posted.values)
        asked = _ask(database, question, typed)
        try:
            circuit_uid, technician_uid = _where(asked)
            if not asked.is_kept:
                told = cast("Answer", asked.found).told
                assert told is not None  # else it was refused just now
                keep_pulse(database, circuit_uid, question.kind, told, asked.given, technician_uid)
        except EntryError as error:
            refused = _Asked(question, asked.form, asked.state.with_error(error), asked.found, asked.keeping)
            return _show(request, pages, refused, 422)
        response = go_to(request.url_for(question.name).include_query_params(**typed))
        remember(response, PULSE_COOKIE, (circuit_uid, technician_uid))
        return response

    return post_question


@router.post("/pulse/speed/track", name="read_track")
def post_track(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Pairs from a satellite track and the display's log, put into the page's field, where they can be looked at and changed."""
    question = next(q for q in QUESTIONS if q.kind is PulseKind.SPEED)
    typed = _typed(posted.values)
    into = typed.pop("into", "pairs")
    try:
        text = _pairs_text(posted, typed.get("unit", "km/h"))
    except EntryError as error:
        asked = _ask(database, question, typed)
        refused = _Asked(question, asked.form, asked.state.with_error(error), asked.found, asked.keeping)
        return _show(request, pages, refused, 422)
    typed["after" if into == "after" else "pairs"] = text
    return go_to(request.url_for(question.name).include_query_params(**typed))


def _pairs_text(posted: Posted, unit: str) -> str:
    from irongauge.core.pulses.track import steady_pairs  # noqa: PLC0415  a start does not wait for the numbers package
    from irongauge.formats.drive_log import read_drive  # noqa: PLC0415

    read = []
    for name in ("log", "track"):
        upload = posted.files.get(name)
        if upload is None or not upload.filename:
            raise EntryError(name, "", "No file was chosen.", "Both are needed, of the same drive.")
        try:
            read.append(read_drive(upload.filename[:120], upload.file.read()))
        except BadFileError as error:
            raise EntryError(name, upload.filename[:120], str(error)) from error
    try:
        found = steady_pairs(*read)
    except ValueError as error:
        raise EntryError("track", "", as_sentence(error)) from error
    kmh, _ = SPEED_UNITS.get(unit, SPEED_UNITS["km/h"])
    return "\n".join(f"{p.shown_kmh / kmh:.2f} {p.true_kmh / kmh:.2f}" for p in found.pairs)


def _where(asked: _Asked) -> tuple[UUID, UUID]:
    """The circuit and the person that an answer is kept with."""
    if asked.state.errors:
        raise asked.state.first_error()
    if asked.found is None or asked.found.told is None:
        raise EntryError("circuit_uid", "", "There is nothing to keep yet.", "Type what you measured first.")
    if asked.keeping.circuit is None:
        raise EntryError("circuit_uid", "", "An answer is kept with a circuit.", "Choose one of an open job.")
    if asked.form is None or asked.form.technician_uid is None:
        raise EntryError("technician_uid", "", "Choose who did it.")
    return asked.keeping.circuit.uid, asked.form.technician_uid


for _question in QUESTIONS:
    router.add_api_route(_question.path, _page_of(_question), name=_question.name)
    router.add_api_route(_question.path, _keeper_of(_question), methods=["POST"], name=f"keep_{_question.name}")
