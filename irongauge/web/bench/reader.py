"""What cannot be read of a circuit, and what the live data reader shows of it: a key on the Bench, and a short form."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.measure.entry import parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import from_fixed, rebase, standard_atmosphere_kpa, unit_for
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.live_reader import LiveReader
from irongauge.core.shop import Job, Shop
from irongauge.errors import EntryError, as_sentence
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, ShopDep, uid_or_missing
from irongauge.web.forms import FormState, PostedForm, choice, read_form, text
from irongauge.web.pages import go_to
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.workflows.bench.found_input import keep_input
from irongauge.workflows.bench.reader import known_controllers, tell_not_shown, tell_reader
from irongauge.workflows.bench.unreadable import tell_readable, tell_unreadable
from irongauge.workflows.shop.jobs import look_at_circuit, look_at_job
from irongauge.workflows.shop.shelf import add_usual_meter
from irongauge.workflows.shop.view import Depth

router = APIRouter(include_in_schema=False)

_SHOWS = {"both": (True, True), "value": (False, True), "signal": (True, False), "neither": (False, False)}
_ENDS = ("least", "most", "fault_value")
_BEYOND = 20  # times the sensor's range: no screen stops farther out


class ReaderForm(PostedForm):
    """What live data shows, as typed."""

    controller: Annotated[str, text(60, what="the type of controller", needed=False)] = ""
    shows: Annotated[str, choice(*_SHOWS)] = "both"
    least: str = ""
    most: str = ""
    fault_value: str = ""


@router.post("/circuits/{uid}/not-shown", dependencies=[MEASURE], name="not_shown")
def post_not_shown(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """The reader never shows this: not asked for again."""
    circuit = tell_not_shown(database, uid_or_missing("circuit", uid), posted.values.get("test_point", ""))
    address = request.url_for("bench", uid=circuit.uid).include_query_params(note=_said(circuit.reader))
    return go_to(address)


@router.post("/circuits/{uid}/cannot-be-read", dependencies=[MEASURE], name="cannot_be_read")
def post_cannot_be_read(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """Something is in the way of a reading: not asked for again."""
    told = (posted.values.get("test_point", ""), posted.values.get("hindrance", ""))
    circuit = tell_unreadable(database, uid_or_missing("circuit", uid), *told)
    note = f"Not asked for again: {told[1]}. It is kept with the circuit, under “Cannot be read here”."
    return go_to(request.url_for("bench", uid=circuit.uid).include_query_params(note=note))


@router.post("/circuits/{uid}/can-be-read", dependencies=[MEASURE], name="can_be_read")
def post_can_be_read(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """What was in the way is gone."""
    circuit = tell_readable(database, uid_or_missing("circuit", uid), posted.values.get("test_point", ""))
    return go_to(request.url_for("bench", uid=circuit.uid))


@router.post("/circuits/{uid}/keep-input", dependencies=[ARRANGE], name="keep_input")
def post_keep_input(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """What was found of an input, onto the card."""
    kept = keep_input(database, uid_or_missing("circuit", uid), posted.values.get("signal", ""))
    return go_to(request.url_for("bench", uid=uid).include_query_params(note=f"On the card: {kept.sentence}"))


@router.post("/circuits/{uid}/usual-meter", dependencies=[ARRANGE], name="usual_meter")
def post_usual_meter(request: Request, database: DatabaseDep, uid: str, posted: FormDep) -> Response:
    """The shop's meter, by how it shows 5 V, onto the Shelf."""
    meter = add_usual_meter(database, posted.values.get("shows", ""))
    note = f"“{meter.name}” is on the Shelf: readings are judged by it from now on."
    return go_to(request.url_for("bench", uid=uid_or_missing("circuit", uid)).include_query_params(note=note))


def _said(reader: LiveReader) -> str:
    hidden = [
        name for name, is_shown in (("volts", reader.shows_signal), ("the value", reader.shows_value)) if not is_shown
    ]
    return (
        f"Your reader does not show {' or '.join(hidden)} of this channel: not asked for again, "
        "and counted neither for nor against the circuit. It can be changed under “What live data shows”."
    )


@router.get("/circuits/{uid}/reader", dependencies=[LOOK], name="reader")
def reader(request: Request, database: DatabaseDep, pages: PagesDep, shop: ShopDep, uid: str) -> Response:
    """The form for what the reader shows."""
    circuit, job = _circuit(database, uid)
    return _page(request, database, pages, shop=shop, circuit=circuit, job=job, state=FormState(_values(circuit, shop)))


@router.post("/circuits/{uid}/reader", dependencies=[MEASURE], name="tell_reader")
def post_reader(
    request: Request, database: DatabaseDep, pages: PagesDep, *, shop: ShopDep, uid: str, posted: FormDep
) -> Response:
    """Keep what the reader shows; typed text stays where it is refused."""
    circuit, job = _circuit(database, uid)
    form, state = read_form(ReaderForm, posted.values)
    if form is None:
        return _page(request, database, pages, shop=shop, circuit=circuit, job=job, state=state, status=422)
    try:
        told = _reader_of(form, circuit, shop, job)
    except EntryError as error:
        return _page(
            request, database, pages, shop=shop, circuit=circuit, job=job, state=state.with_error(error), status=422
        )
    tell_reader(database, circuit.uid, told, form.controller)
    return go_to(request.url_for("bench", uid=circuit.uid))


def _circuit(database: DatabaseDep, uid: str) -> tuple[Circuit, Job]:
    circuit, job_uid = look_at_circuit(database, uid_or_missing("circuit", uid))
    return circuit, look_at_job(database, job_uid, Depth.MARKS).view.job


def _values(circuit: Circuit, shop: Shop) -> dict[str, str]:
    shown = circuit.reader.shows_signal, circuit.reader.shows_value
    values = {"controller": circuit.controller, "shows": next(name for name, both in _SHOWS.items() if both == shown)}
    quantity = circuit.sensor.quantity
    if quantity is not None:
        unit = unit_for(shop.units[quantity])
        for end in _ENDS:
            value = getattr(circuit.reader, end)
            values[end] = "" if value is None else f"{from_fixed(value, unit.code):.6g} {unit.label}"
    return values


def _reader_of(form: ReaderForm, circuit: Circuit, shop: Shop, job: Job) -> LiveReader:
    shows_signal, shows_value = _SHOWS[form.shows]
    ends = {end: _end(end, getattr(form, end), circuit, shop, job) for end in _ENDS}
    try:
        return LiveReader(shows_signal=shows_signal, shows_value=shows_value, **ends)
    except ValueError as error:
        raise EntryError("most", form.most, as_sentence(error), "Exchange the two, or empty one.") from error


def _end(field: str, typed: str, circuit: Circuit, shop: Shop, job: Job) -> float | None:
    """A value as the reader shows it, in the fixed unit and on the curve's base; None where the field is empty."""
    sensor = circuit.sensor
    if not typed.strip() or sensor.quantity is None:
        return None
    low, high = sensor.value_limits
    reach = _BEYOND * (high - low)
    sensed = parse_sensed(
        typed,
        sensor.quantity,
        field=field,
        unit=shop.units[sensor.quantity],
        base=sensor.pressure_base,
        limits=Limits(low - reach, high + reach),
        impossible="Look at the reader again.",
    )
    if sensed.said is None or sensed.said is sensor.pressure_base:
        return sensed.value
    return rebase(sensed.value, sensed.said, sensor.pressure_base, standard_atmosphere_kpa(job.vehicle.height_m))


def _page(
    request: Request,
    database: DatabaseDep,
    pages: PagesDep,
    *,
    shop: Shop,
    circuit: Circuit,
    job: Job,
    state: FormState,
    status: int = 200,
) -> Response:
    quantity = circuit.sensor.quantity
    base = f" {circuit.sensor.pressure_base}" if circuit.sensor.pressure_base is not None else ""
    return pages.render(
        request,
        "reader.html",
        status,
        circuit=circuit,
        job=job,
        state=state,
        unit="" if quantity is None else unit_for(shop.units[quantity]).label + base,
        has_value=quantity is not None,
        controllers=known_controllers(database, shop),
    )
