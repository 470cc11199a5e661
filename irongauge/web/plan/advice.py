"""Joints, returns, hoses and signal chains: smaller questions of wiring, each answered with why."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import zip_longest
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.entry import parse_plain_number
from irongauge.core.measure.quantities import Limits
from irongauge.core.plan.chain import FORMS_IN_ORDER, Form, Mismatch, Side, Stage, first_mismatch, next_form
from irongauge.core.plan.cutting import hose_error
from irongauge.core.plan.joints import Joint, JointPlace, ReturnAdvice, advise_joint, advise_return
from irongauge.core.sensors.circuits import Circuit
from irongauge.errors import EntryError, quoted
from irongauge.formats.lists import lines_of, made_of_each
from irongauge.store.database import Database
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, OptionalUid, PostedForm, choice, number, optional_number, read_form, text
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.plan.plans import look_at_plan
from irongauge.workflows.plan.wirings import keep_trial, trials_of

router = APIRouter(include_in_schema=False)

_FIGURES = Limits(1e-9, 1e9)  # no voltage and no count of pulses is greater
_YES_NO = ("yes", "no")
_START = """Axle coil; gives sine 40 V
Squarer; takes sine; gives square wave 5 V 8000/km pull-up
Display; takes square wave 4000/km"""
_FORMS = {str(form): form for form in Form} | {
    "level": Form.LEVEL,
    "volts": Form.LEVEL,
    "square": Form.SQUARE,
    "ohms": Form.OHMS,
    "millivolts": Form.MILLIVOLTS,
    "bus": Form.BUS,
}


class AdviceForm(PostedForm):
    """Where a joint is wanted, and what is known of it."""

    together: Annotated[str, choice(*_YES_NO)] = "yes"
    vibrates: Annotated[str, choice("", "yes")] = ""
    opened: Annotated[str, choice("", "yes")] = ""
    hot_degc: Annotated[float | None, optional_number(-60, 1000, what="a temperature in °C")] = None
    school: Annotated[str, choice("", *Joint)] = ""
    circuit: OptionalUid = None
    own_supply: Annotated[str, choice("", "yes")] = ""
    offset_mv: Annotated[float, number(-5000, 5000, what="millivolts")] = 50
    height_m: Annotated[float | None, optional_number(-20, 20, what="metres")] = None
    density: Annotated[float, number(1, 20_000, what="kg per m³")] = 850
    stages: str = _START
    at: Annotated[str, text(80, what="where it was tried", needed=False)] = ""


def _returned(form: AdviceForm, circuit: Circuit | None) -> tuple[ReturnAdvice, str]:
    """Where the return goes, and the unit of what an offset costs there."""
    curve = None if circuit is None else circuit.sensor.curve
    span = span_v = None
    if circuit is not None and curve is not None:
        span = curve.span
        low_v, high_v = (curve.value_to_signal_v(v, circuit.reference_v) for v in (curve.value_low, curve.value_high))
        span_v = abs(high_v - low_v)
    own = form.own_supply == "yes"
    advice = advise_return(own_supply=own, offset_v=form.offset_mv / 1000, span=span, span_v=span_v)
    return advice, "" if circuit is None or circuit.sensor.unit is None else circuit.sensor.unit


def stages_from(typed: str) -> tuple[Stage, ...]:
    """Lines of `name; takes …; gives …`; `BadListError` tells every line that cannot be read."""
    found = made_of_each(lines_of(typed), "stages", _stage)
    if len(found) <= 1:  # a chain has two ends
        raise EntryError("stages", typed, "A chain has two stages or more.", "Write one to a line.")
    return found


def _stage(line: str) -> Stage:
    name, *sides = (part.strip() for part in line.split(";"))
    told: dict[str, Side] = {}
    for side in sides:
        verb, _, rest = side.partition(" ")
        if verb.lower() not in {"takes", "gives"}:
            raise EntryError("stages", side, f"{quoted(side)} begins with neither takes nor gives.")
        told[verb.lower()] = _side(rest)
    return Stage(name[:80], told.get("takes"), told.get("gives"))


def _side(typed: str) -> Side:
    """`square wave 5 V 8000/km pull-up` as a side."""
    words = typed.lower().replace("pull up", "pull-up")
    name = next((n for n in sorted(_FORMS, key=len, reverse=True) if words.startswith(n)), None)
    if name is None:
        raise EntryError("stages", typed, f"{quoted(typed)} is no kind of signal.", f"Write one of: {', '.join(Form)}.")
    rest = words[len(name) :].replace("/ km", "/km").split()
    most_v = pulses = pull_up = None
    for word, after in zip_longest(rest, rest[1:], fillvalue=""):
        if word.endswith("/km"):
            pulses = _figure(word.removesuffix("/km"), typed)
        elif word == "pull-up":
            pull_up = True
        elif after == "v" or word.endswith("v"):
            most_v = _figure(word.removesuffix("v"), typed) if word != "v" else most_v
    return Side(form=_FORMS[name], most_v=most_v, pulses_per_km=pulses, pull_up=pull_up)


def _figure(word: str, typed: str) -> float:
    try:
        return parse_plain_number(word, field="stages", limits=_FIGURES, what="a figure above zero")
    except EntryError as error:
        raise EntryError("stages", typed, error.problem, error.would_do) from error


class TrialForm(PostedForm):
    """An output of a conditioner that was tried."""

    at: Annotated[str, text(80, what="between which two, such as squarer to display")]
    tried: Annotated[str, choice(*Form)] = FORMS_IN_ORDER[0]
    worked: Annotated[str, choice("no", "yes")] = "no"
    note: Annotated[str, text(200, what="a note", needed=False)] = ""
    technician_uid: OptionalUid = None


@router.post("/vehicles/{uid}/trials", dependencies=[MEASURE], name="keep_trial")
def post_trial(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep that an output was tried, and whether it worked."""
    vehicle_uid = uid_or_missing("vehicle", uid)
    form, state = read_form(TrialForm, posted.values)
    if form is not None:
        if form.technician_uid is not None:
            keep_trial(
                database,
                vehicle_uid,
                at=form.at,
                form=Form(form.tried),
                worked=form.worked == "yes",
                note=form.note,
                technician_uid=form.technician_uid,
            )
            return go_to(f"{request.url_for('joints', uid=uid).include_query_params(at=form.at)}#chain")
        state = state.with_error(EntryError("technician_uid", "", "Choose who tried it."))
    return _page(request, database, pages, vehicle_uid=vehicle_uid, typed=posted.values, tried=state)


@router.get("/vehicles/{uid}/joints", dependencies=[LOOK], name="joints")
def get_joints(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """Which joint suits a place, and where a return goes."""
    typed = {name: value[:4000] for name, value in request.query_params.items()}
    return _page(request, database, pages, vehicle_uid=uid_or_missing("vehicle", uid), typed=typed)


def _page(
    request: Request,
    database: Database,
    pages: Pages,
    *,
    vehicle_uid: UUID,
    typed: Mapping[str, str],
    tried: FormState | None = None,
) -> Response:
    view = look_at_plan(database, vehicle_uid, wiring=False, power=False)
    trials = trials_of(database, vehicle_uid)
    form, state = read_form(AdviceForm, dict(typed))
    values = {"together": "yes", "offset_mv": "50", "density": "850", "stages": _START, **typed}
    shown = FormState(values, state.errors if tried is None else tried.errors)
    asked = form or AdviceForm()
    circuit = next((c for _, c in view.circuits if c.uid == asked.circuit), None)
    mismatch: Mismatch | None = None
    try:
        mismatch = first_mismatch(stages_from(asked.stages))
    except EntryError as error:
        shown = shown.with_error(error)
    upcoming = next_form(trials, asked.at) if asked.at else FORMS_IN_ORDER[0]
    shown = FormState({"tried": str(upcoming or ""), **shown.values}, shown.errors)
    place = JointPlace(
        moves_together=asked.together == "yes",
        vibrates=asked.vibrates == "yes",
        hot_degc=asked.hot_degc,
        opened_later=asked.opened == "yes",
    )
    back, unit = _returned(asked, circuit)
    return pages.render(
        request,
        "joints.html",
        422 if shown.errors else 200,
        view=view,
        vehicle=view.vehicle,
        state=shown,
        advice=advise_joint(place, Joint(asked.school) if asked.school else view.shop.joint_school),
        trials=trials,
        next_form=upcoming,
        forms=tuple(Form),
        schools=tuple(Joint),
        back=back,
        unit=unit,
        shop_units=view.shop.units,
        circuit=circuit,
        hose_kpa=None if asked.height_m is None else hose_error(asked.height_m, asked.density),
        mismatch=mismatch,
        chain_told="stages" not in shown.errors,
        order=FORMS_IN_ORDER,
        tab="joints",
    )
