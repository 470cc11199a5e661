"""The Curve room's tools. Each page is a form whose results follow what is typed; nothing is stored but what is kept by hand."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any, TypeVar
from uuid import UUID

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.calibration.record import Calibration
from irongauge.core.controllers.cross_checks import CheckKind
from irongauge.core.controllers.figures import FORM_WORDS, FormKind
from irongauge.core.measure.units import FIXED_UNIT, Quantity, from_fixed, units_of
from irongauge.core.sensors.choosing import Place, fits_for
from irongauge.core.sensors.circuits import InstrumentKind, SensorType
from irongauge.core.sensors.conversion import reading_quantity
from irongauge.core.shop import Shop
from irongauge.errors import EntryError
from irongauge.formats.entries_text import FIGURES, forms_csv, forms_json
from irongauge.store.database import Database
from irongauge.web.curve.answers import Compared, compared, convert, curve_drawn, kept_verdicts, numbers, read_back
from irongauge.web.curve.drawings import draw_choice
from irongauge.web.curve.forms import (
    BITS,
    GRADES,
    CheckForm,
    ChooseForm,
    CompareForm,
    ConvertForm,
    NumbersForm,
    Surroundings,
    feed_from,
    need_from,
    scale_from,
)
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, PostedForm, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.shelf.forms import SENSED
from irongauge.web.whereabouts import last_circuit, way_back
from irongauge.workflows.controllers import (
    ToolSubject,
    forget_entry,
    keep_check,
    keep_entry,
    look_at_shelf_types,
    look_at_subject,
    sensed_by,
    vehicle_worked_on,
)
from irongauge.workflows.entries import KeptVerdict
from irongauge.workflows.view import today

router = APIRouter(include_in_schema=False)

Model = TypeVar("Model", bound=PostedForm)


def _subject(request: Request, database: Database, typed: dict[str, str], *, may_start: bool = True) -> ToolSubject:
    """What the page's fields choose, else what is worked on. `source` is `sensor:…`, `circuit:…` or `calibration:…`."""
    chosen = dict(typed)
    what, _, uid = typed.get("source", "").partition(":")
    if what in {"sensor", "circuit", "calibration"}:
        chosen = {**dict.fromkeys(("sensor", "circuit", "calibration"), ""), what: uid}

    def named(name: str) -> UUID | None:
        return uid_or_missing(name, chosen[name]) if chosen.get(name) else None

    return look_at_subject(
        database,
        circuit_uid=named("circuit"),
        sensor_uid=named("sensor"),
        calibration_uid=named("calibration"),
        channel=typed.get("channel", ""),
        near_uid=last_circuit(request),
        may_start=may_start,
    )


def _source(subject: ToolSubject) -> str:
    if subject.calibration is not None:
        return f"calibration:{subject.calibration.uid}"
    if subject.circuit is not None:
        return f"circuit:{subject.circuit.uid}"
    return "" if subject.sensor is None else f"sensor:{subject.sensor.uid}"


def _sources(subject: ToolSubject) -> list[tuple[str, list[tuple[str, str]]]]:
    """What may be chosen, in groups: circuits of open jobs, this sensor's calibrations, types of the Shelf."""
    groups = [("In a job", [(f"circuit:{c.uid}", f"{j.vehicle.tag} {c.name}, nominal") for j, c in subject.circuits])]
    calibrated = [(f"calibration:{c.uid}", _calibration_name(c, subject)) for c in subject.calibrations if c.signed_at]
    if subject.calibration is not None and subject.calibration.signed_at is None:
        calibrated.insert(0, (_source(subject), _calibration_name(subject.calibration, subject)))
    shelf = [(f"sensor:{s.uid}", f"{s.name}, nominal") for s in subject.shelf]
    if subject.circuit is not None and all(c.uid != subject.circuit.uid for _, c in subject.circuits):
        groups[0][1].append((f"circuit:{subject.circuit.uid}", f"{subject.circuit.name}, nominal"))
    if (
        subject.sensor is not None
        and subject.calibration is None
        and all(s.uid != subject.sensor.uid for s in subject.shelf)
    ):
        shelf.append((f"sensor:{subject.sensor.uid}", f"{subject.sensor.name}, an earlier card"))
    return [
        (name, options) for name, options in [("Calibrated", calibrated), *groups, ("On the Shelf", shelf)] if options
    ]


def _calibration_name(calibration: Calibration, subject: ToolSubject) -> str:
    where = subject.circuit.name if subject.circuit is not None else calibration.sensor.name
    day = calibration.started_at.date()
    return f"{where}, {calibration.setup.stage} {day.day} {day:%b %Y}" + ("" if calibration.signed_at else " (open)")


def _typed(request: Request) -> dict[str, str]:
    return {name: value[:20_000] for name, value in request.query_params.items()}


def _page(  # noqa: PLR0913  what every tool shows
    request: Request,
    pages: Pages,
    template: str,
    subject: ToolSubject,
    state: FormState,
    status: int = 200,
    **values: Any,
) -> Response:
    state = FormState({**state.values, "source": _source(subject), "channel": _channel(subject)}, state.errors)
    curve = None if subject.channel is None else subject.channel.curve
    return pages.render(
        request,
        template,
        status,
        subject=subject,
        state=state,
        sources=_sources(subject),
        kind=None if curve is None else curve.kind,
        units=() if curve is None else units_of(curve.quantity),
        back=way_back(state.values.get("back", "")),
        **values,
    )


def _back_of(typed: dict[str, str]) -> dict[str, str]:
    return {"back": typed["back"]} if way_back(typed.get("back", "")) else {}


def _channel(subject: ToolSubject) -> str:
    return "" if subject.channel is None else subject.channel.name


def _read(model: type[Model], typed: dict[str, str]) -> tuple[Model | None, FormState]:
    return read_form(model, {k: v for k, v in typed.items() if k not in {"sensor", "circuit", "calibration"} or v})


@router.get("/curve/convert", name="convert")
def get_convert(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    typed = _typed(request)
    subject = _subject(request, database, typed)
    form, state = _read(ConvertForm, typed)
    found = None
    if form is not None and subject.channel is not None:
        try:
            found = convert(subject, form)
        except EntryError as error:
            state = state.with_error(error)
    unit, drawing = "V", None
    if subject.channel is not None and form is not None:
        with suppress(EntryError):  # said beside its field already
            drawing = curve_drawn(subject, form, found)
        feed = feed_from(form, subject.channel, subject.nominal_feed, subject.measured_reference_v)
        unit = FIXED_UNIT[reading_quantity(subject.channel.curve.kind, feed)]
    return _page(
        request, pages, "convert.html", subject, state, found=found, tab="convert", reading_unit=unit, drawing=drawing
    )


@router.get("/curve/choose", name="choose")
def get_choose(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    shop, shelf = look_at_shelf_types(database)
    start = {"quantity": "pressure", "base": "gauge", "margin_pct": "10", "bits": "10", "full_scale_v": "5",
             "height_m": f"{shop.height_m:g}"}  # fmt: skip
    sensed_here = sensed_by(database, last_circuit(request))
    if sensed_here is not None:
        start |= {"quantity": sensed_here[0], "base": sensed_here[1] or ""}
    typed = {**start, **_typed(request)}
    form, state = read_form(ChooseForm, typed)
    found, need, place = None, None, Place()
    quantity = Quantity(typed["quantity"]) if typed["quantity"] in set(Quantity) else Quantity.PRESSURE
    sample = not (typed.get("least", "").strip() or typed.get("greatest", "").strip() or state.errors)
    if sample:
        form, _ = read_form(ChooseForm, {**typed, **_example_need(quantity, shelf, shop)})
    if form is not None and form.least.strip() and form.greatest.strip():
        try:
            need, converter, place = need_from(form, shop)
            found = fits_for(need, shelf, converter, shop.units[quantity], place)
        except EntryError as error:
            state = state.with_error(error)
    drawing = None
    if found and need is not None and form is not None:
        drawing = draw_choice(found, need, form.margin_pct, shop.units[quantity], place.peak_kpa)
    return pages.render(
        request,
        "choose.html",
        shop=shop,
        found=found,
        need=need,
        drawing=drawing,
        sample=sample,
        vehicle=vehicle_worked_on(database, last_circuit(request)),
        back=way_back(typed.get("back", "")),
        sensed=SENSED,
        unit=shop.units[quantity],
        bits=BITS,
        tab="choose",
        state=state,
    )


def _example_need(quantity: Quantity, shelf: Sequence[SensorType], shop: Shop) -> dict[str, str]:
    """Most of the range of a sensor of this shop, as an example; nothing where none senses the quantity."""
    curve = next((c.curve for s in shelf for c in s.channels if c.curve.quantity is quantity), None)
    if curve is None:
        return {}
    unit = shop.units[quantity]
    low, high = (
        from_fixed(v, unit) for v in (curve.value_low, curve.value_low + 0.7 * (curve.value_high - curve.value_low))
    )
    return {"least": f"{low:.3g}", "greatest": f"{high:.3g}", "base": curve.pressure_base or ""}


@router.get("/curve/numbers", name="numbers")
def get_numbers(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    return _numbers_page(request, database, pages, "numbers.html")


@router.get("/curve/numbers/slip", name="numbers_slip")
def get_slip(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    return _numbers_page(request, database, pages, "slip.html")


def _numbers_page(request: Request, database: Database, pages: Pages, template: str) -> Response:
    typed = _typed(request)
    subject = _subject(request, database, typed)
    form, state = _read(NumbersForm, typed)
    found = None
    kept: tuple[KeptVerdict, ...] = ()
    if form is not None and subject.channel is not None:
        try:
            found = numbers(subject, form)
            kept = kept_verdicts(subject, form)
        except EntryError as error:
            state = state.with_error(error)
    state = _with_scale(subject, form, state)
    return _page(
        request,
        pages,
        template,
        subject,
        state,
        found=found,
        kept=kept,
        tab="numbers",
        today=today(subject.shop),
    )


def _with_scale(subject: ToolSubject, form: NumbersForm | None, state: FormState) -> FormState:
    """The unit, base and decimals in force, in fields that were left to follow."""
    if subject.channel is None or form is None:
        return state
    try:
        scale = scale_from(form, subject.channel, Surroundings(subject.shop, subject.height_m))
    except EntryError:
        return state
    return FormState({**state.values, "unit": scale.unit, "base": scale.base or ""}, state.errors)


@router.get("/curve/numbers.json", name="numbers_json")
def numbers_json(request: Request, database: DatabaseDep) -> Response:
    subject, found = _numbers_file(request, database)
    text = forms_json(subject.title, found.forms, found.target, found.reading_unit)
    return _file(text, "application/json", "controller-numbers.json")


@router.get("/curve/numbers.csv", name="numbers_csv")
def numbers_csv(request: Request, database: DatabaseDep) -> Response:
    _, found = _numbers_file(request, database)
    return _file(
        forms_csv(found.forms, found.target, found.reading_unit), "text/csv; charset=utf-8", "controller-table.csv"
    )


def _numbers_file(request: Request, database: Database) -> tuple[ToolSubject, Any]:
    typed = _typed(request)
    subject = _subject(request, database, typed)
    form, state = _read(NumbersForm, typed)
    if form is None or subject.channel is None:
        field, problem = next(iter(state.errors.items()), ("source", "There is no curve on the Shelf."))
        raise EntryError(field, typed.get(field, ""), problem)
    return subject, numbers(subject, form)


def _file(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/curve/check", name="check_entry")
def get_check(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    return _check_page(request, database, pages, _typed(request))


def _check_page(
    request: Request,
    database: Database,
    pages: Pages,
    typed: dict[str, str],
    error: EntryError | None = None,
) -> Response:
    subject = _subject(request, database, typed)
    filled = _as_kept(subject, typed)
    typed = {"kind": FormKind.END_POINTS, "allowance_pct": "0.5", "name": _where_entered(subject), **filled, **typed}
    form, state = _read(CheckForm, typed)
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
    state = _with_scale(subject, form, state)
    plain = None
    if found is None and form is not None and subject.channel is not None:
        with suppress(EntryError):  # said beside its field already
            plain = curve_drawn(subject, form, None)
    return _page(
        request,
        pages,
        "check.html",
        subject,
        state,
        422 if error is not None else 200,
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
    prefix = kind.replace(" ", "_")
    chosen = {"kind": kind, "unit": newest.unit, "base": newest.base or "", "name": newest.name}
    chosen["allowance_pct"] = figures.pop("allowance_pct", "0.5")
    return chosen | {f"{prefix}.{name}": text for name, text in figures.items()}


def _where_entered(subject: ToolSubject) -> str:
    """Where an entry most likely stands: the circuit's controller and channel."""
    circuit = subject.circuit
    return "" if circuit is None else ", ".join(filter(None, (circuit.controller, circuit.live_channel)))


def _figures(form: CheckForm, typed: dict[str, str]) -> dict[str, str]:
    """The fields of the form that was chosen."""
    kind = FormKind(form.kind)
    names = ("table",) if kind is FormKind.CELLS else tuple(name for name, _ in FIGURES[kind])
    prefix = kind.replace(" ", "_")
    return {name: typed.get(f"{prefix}.{name}", "") for name in names}


@router.post("/curve/check", name="keep_entry")
def post_entry(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    typed = posted.values
    subject = _subject(request, database, typed)
    form, _ = _read(CheckForm, typed)
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
        keep_entry(database, subject.circuit.uid, form.name, kept, scale.unit, scale.base, form.technician_uid)
    except EntryError as error:
        return _check_page(request, database, pages, typed, error)
    return go_to(request.url_for("check_entry").include_query_params(source=_source(subject), **_back_of(typed)))


@router.post("/circuits/{uid}/entries/forget", name="forget_entry")
def post_forget(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    technician_uid = uid_or_missing("technician", posted.values.get("technician_uid", ""))
    forget_entry(database, uid_or_missing("circuit", uid), posted.values.get("name", "")[:80], technician_uid)
    return go_to(request.url_for("check_entry").include_query_params(source=f"circuit:{uid}"))


@router.get("/curve/compare", name="compare")
def get_compare(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    return _compare_page(request, database, pages, _typed(request))


def _compare_page(
    request: Request, database: Database, pages: Pages, typed: dict[str, str], error: EntryError | None = None
) -> Response:
    typed = {"kind": CheckKind.INSTRUMENTS, "quantity": "pressure", "tolerance_pct": "2", **typed}
    subject = _subject(request, database, typed, may_start=False)
    form, state = _read(CompareForm, typed)
    found = None
    if form is not None:
        try:
            found = compared(subject, form)
        except EntryError as slip:
            state = state.with_error(slip)
    if error is not None:
        state = state.with_error(error)
    quantity = Quantity(typed["quantity"]) if typed["quantity"] in set(Quantity) else Quantity.PRESSURE
    nothing_typed = form is not None and not (form.first or form.second or form.pairs or form.supply_v)
    return _page(
        request,
        pages,
        "compare.html",
        subject,
        state,
        422 if error is not None else 200,
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
}


def _example_of(subject: ToolSubject, typed: dict[str, str]) -> Compared | None:
    """What the chosen comparison looks like, until something is typed."""
    form, _ = read_form(CompareForm, {**typed, **_EXAMPLES.get(CheckKind(typed["kind"]), {})})
    return None if form is None else compared(subject, form)


@router.post("/curve/compare", name="keep_check")
def post_compare(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    typed = posted.values
    subject = _subject(request, database, typed)
    form, _ = _read(CompareForm, typed)
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
        source=_source(subject), kind=form.kind, **_back_of(typed)
    )
    return go_to(address)
