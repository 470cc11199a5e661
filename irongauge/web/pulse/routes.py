"""The Pulse room's questions: each is a form whose answer follows what is typed, and can be kept with a circuit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, cast
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.pulses.ratio import FigureKind
from irongauge.core.pulses.record import PulseKind
from irongauge.core.pulses.signal_parts import DUTIES
from irongauge.core.pulses.track import steady_pairs
from irongauge.errors import BadFileError, EntryError, as_sentence
from irongauge.formats.drive_log import read_drive
from irongauge.store.database import Database
from irongauge.web.cookies import recall, remember
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted
from irongauge.web.forms import FormState, read_form
from irongauge.web.navigation import last_circuit, way_back
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.web.pulse.answers import Answer, bus, fuel, gap, principle, relation, speed
from irongauge.web.pulse.forms import SPEED_UNITS, KeepForm, RelateForm, SpeedForm
from irongauge.web.pulse.part_forms import BusForm, FuelForm, GapForm, PrincipleForm
from irongauge.workflows.pulse.kept_checks import Keeping, keep_pulse, look_at_keeping, nearest_pulse_circuit
from irongauge.workflows.shop.known import KnownFigure, example_of, known_figures

__all__ = ["PULSE_COOKIE", "chosen_last", "router"]

router = APIRouter(include_in_schema=False)

PULSE_COOKIE = "iron_pulse"
_LONGEST_TYPED = 20_000
_NOT_GIVEN = {"token", "circuit_uid", "technician_uid", "mine", "back"}


@dataclass(frozen=True, kw_only=True)
class Question:
    """One page of the room: its address and name, its form, what answers it, what its fields start with, and an example that is
    drawn pale until something is typed, where the shop has none of its own.
    """

    name: str
    path: str
    kind: PulseKind
    model: type[KeepForm]
    answer: Callable[[Any], Answer | None]
    start: Mapping[str, str] = field(default_factory=dict)
    example: Mapping[str, str] = field(default_factory=dict)

    @property
    def template(self) -> str:
        """The template of its page."""
        return f"{self.name}.html"


_SPEEDS = {"unit": "km/h"}
QUESTIONS = (
    Question(
        name="pulse",
        path="/pulse",
        kind=PulseKind.EXPECTED,
        model=RelateForm,
        answer=relation,
        start=_SPEEDS,
        example={"teeth": "20", "axle_ratio": "4.3", "tyre": "0.72 m", "speed": "30"},
    ),
    Question(
        name="pulse_speed",
        path="/pulse/speed",
        kind=PulseKind.SPEED,
        model=SpeedForm,
        answer=speed,
        start={**_SPEEDS, "within_pct": "1"},
        example={"pairs": "20 22.1\n35 38.4\n50 55.2"},
    ),
    Question(
        name="pulse_principle",
        path="/pulse/principle",
        kind=PulseKind.PRINCIPLE,
        model=PrincipleForm,
        answer=principle,
        start={"wires": "3", "sine": "no"},
        example={"supply_v": "12.1", "low_v": "0.2", "high_v": "4.9"},
    ),
    Question(
        name="pulse_gap",
        path="/pulse/gap",
        kind=PulseKind.GAP,
        model=GapForm,
        answer=gap,
        start={"least_mm": "0.8", "most_mm": "1.3"},
        example={"readings": "1.00 1.05 1.10 1.15 1.10 1.40 1.00 0.95"},
    ),
    Question(
        name="pulse_fuel",
        path="/pulse/fuel",
        kind=PulseKind.FUEL,
        model=FuelForm,
        answer=fuel,
        example={"frequency_hz": "112", "pulse_ms": "2.74"},
    ),
    Question(
        name="pulse_bus",
        path="/pulse/bus",
        kind=PulseKind.BUS,
        model=BusForm,
        answer=bus,
        start={"pulses": "1", "frame_hz": "20", "needed_hz": "1", "tick_us": "1", "harness": "not known"},
        example={"low_hz": "14", "high_hz": "600", "frame_hz": "20", "pulses": "4"},
    ),
)


def chosen_last(request: Request, database: Database) -> dict[str, str]:
    """The circuit of pulses nearest to where this device last worked, and the person that was chosen last on it."""
    chosen = dict(zip(("circuit_uid", "technician_uid"), recall(request, PULSE_COOKIE, 2), strict=False))
    last_uid = last_circuit(request)
    nearest_uid = None if last_uid is None else nearest_pulse_circuit(database, last_uid)
    return chosen if nearest_uid is None else {**chosen, "circuit_uid": str(nearest_uid)}


@dataclass(frozen=True, kw_only=True)
class _Asked:
    """A question with what was typed, its answer, and where that can be kept.

    `known` are figures that the circuit holds already; `sample` is what the example gives, while nothing is typed.
    """

    question: Question
    form: KeepForm | None
    state: FormState
    found: Answer | None
    keeping: Keeping
    known: Mapping[str, KnownFigure] = field(default_factory=dict)
    example: Mapping[str, str] = field(default_factory=dict)
    sample: Answer | None = None

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
    known = _known_of(database, question, typed)
    filled = {name: figure.text for name, figure in known.items() if name not in typed}
    form, state = read_form(question.model, {**question.start, **filled, **typed})
    found = None
    if form is not None:
        try:
            found = question.answer(form)
            if found is not None and found.fields:
                state = FormState({**state.values, **found.fields}, state.errors)
        except EntryError as error:
            state = state.with_error(error)
    keeping = look_at_keeping(database, None if form is None else form.circuit_uid)
    asked = _Asked(question=question, form=form, state=state, found=found, keeping=keeping, known=known)
    if asked.state.errors or (found is not None and found.told is not None) or _holds(asked):
        return asked
    return _with_example(database, asked)


def _known_of(database: Database, question: Question, typed: Mapping[str, str]) -> dict[str, KnownFigure]:
    try:
        circuit_uid = UUID(typed.get("circuit_uid", ""))
    except ValueError:
        return {}
    return known_figures(database, circuit_uid, question.kind)


def _holds(asked: _Asked) -> bool:
    """True once a field that the example fills holds something."""
    return any(
        asked.state.values.get(name, "").strip() for name in asked.question.example if name not in asked.question.start
    )


def _with_example(database: Database, asked: _Asked) -> _Asked:
    """With an example beside the empty fields: the shop's own last one, else one that is made up."""
    question = asked.question
    for example in (example_of(database, question.kind), question.example):
        try:
            form, _ = read_form(question.model, {**question.start, **example})
            sample = None if form is None else question.answer(form)
        except EntryError:  # kept before something more was asked
            continue
        if sample is not None and sample.told is not None and getattr(sample, "drawing", True) is not None:
            return replace(asked, example=example, sample=sample)
    return asked


def _show(request: Request, pages: Pages, asked: _Asked, status: int = 200) -> Response:
    return pages.render(
        request,
        asked.question.template,
        status,
        asked=asked,
        state=asked.state,
        found=asked.found,
        sample=asked.sample,
        back=way_back(asked.state.values.get("back", "")),
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
        typed = _typed(request.query_params)
        start = {} if "circuit_uid" in typed else chosen_last(request, database)
        return _show(request, pages, _ask(database, question, {**start, **typed}))

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
                keep_pulse(
                    database, circuit_uid, question.kind, told=told, given=asked.given, technician_uid=technician_uid
                )
        except EntryError as error:
            refused = replace(asked, state=asked.state.with_error(error))
            return _show(request, pages, refused, 422)
        response = go_to(request.url_for(question.name).include_query_params(**typed))
        remember(response, PULSE_COOKIE, (circuit_uid, technician_uid))
        return response

    return post_question


@router.post("/pulse/speed/track", dependencies=[LOOK], name="read_track")
def post_track(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Pairs from a satellite track and the display's log, put into the page's field, where they can be looked at and changed."""
    question = next(q for q in QUESTIONS if q.kind is PulseKind.SPEED)
    typed = _typed(posted.values)
    into = typed.pop("into", "pairs")
    try:
        text = _pairs_text(posted, typed.get("unit", "km/h"))
    except EntryError as error:
        asked = _ask(database, question, typed)
        refused = replace(asked, state=asked.state.with_error(error))
        return _show(request, pages, refused, 422)
    typed["after" if into == "after" else "pairs"] = text
    return go_to(request.url_for(question.name).include_query_params(**typed))


def _pairs_text(posted: Posted, unit: str) -> str:
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
    router.add_api_route(_question.path, _page_of(_question), dependencies=[LOOK], name=_question.name)
    router.add_api_route(
        _question.path, _keeper_of(_question), methods=["POST"], dependencies=[MEASURE], name=f"keep_{_question.name}"
    )
