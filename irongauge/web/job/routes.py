"""The Job: a vehicle's circuits and how far each is proved; its circuits' cards; its files."""

from __future__ import annotations

import re
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Query
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.bench.assessment import Proof
from irongauge.core.bench.next_tool import tools_for
from irongauge.core.sensors.circuits import FAMILIES, Circuit, SensorType
from irongauge.core.sensors.licensed import PartOf
from irongauge.errors import BadFileError, EntryError, JobClosedError
from irongauge.formats.job_json import write_job
from irongauge.formats.pictures import MOST_BYTES, CleanPicture, clean_picture
from irongauge.formats.readings_csv import write_readings
from irongauge.web.bench.connector import stripes_of
from irongauge.web.curve.drawings import draw_type
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, Posted, ShopDep, uid_or_missing
from irongauge.web.edit_conflicts import SEEN, changed_meanwhile, seen_text
from irongauge.web.forms import FormState, read_form
from irongauge.web.job.example import draw_job
from irongauge.web.job.forms import PINS, CircuitForm, circuit_from_form, circuit_values, new_circuit_values
from irongauge.web.job.new_type import NEW, NEW_TYPE_START, described_type
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.web.shelf.forms import SENSED
from irongauge.workflows.shop.examples import job_example
from irongauge.workflows.shop.handovers import open_remarks
from irongauge.workflows.shop.jobs import (
    JobPage,
    add_circuit,
    add_circuit_and_type,
    change_circuit,
    look_at_circuit,
    look_at_job,
)
from irongauge.workflows.shop.shelf import ShelfView, look_at_shelf
from irongauge.workflows.shop.transfer import export_job
from irongauge.workflows.shop.vehicles import add_picture
from irongauge.workflows.shop.view import Depth

router = APIRouter(include_in_schema=False)


@router.get("/jobs/{uid}", dependencies=[LOOK], name="job")
def job(
    request: Request,
    database: DatabaseDep,
    pages: PagesDep,
    uid: str,
    note: Annotated[list[str], Query(default_factory=list)],
) -> Response:
    """A job: what to do now, and its circuits."""
    page = look_at_job(database, uid_or_missing("job", uid))
    found = [{mark.proof: mark for mark in view.assessment.proofs} for view in page.view.standing]
    proofs = [proof for proof in Proof if any(proof in marks for marks in found)]
    tools = [tools_for(view.assessment) for view in page.view.standing]
    lines = list(zip(page.view.standing, found, tools, strict=True))
    return pages.render(
        request,
        "job.html",
        page=page,
        proofs=proofs,
        lines=lines,
        example=None if page.view.standing else draw_job(job_example(database, page.view.job.uid)),
        notes=[n[:300] for n in note[:20]],
        remarks=open_remarks(database, page.view.job.uid),
    )


@router.get("/jobs/{uid}/circuits/new", dependencies=[LOOK], name="new_circuit")
def new_circuit(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, sensor: str = "") -> Response:
    """The form for a circuit."""
    page = look_at_job(database, uid_or_missing("job", uid), Depth.MARKS)
    if page.view.job.handed_over_at is not None:
        raise JobClosedError(page.view.job.name)
    state = _with_sensor(new_circuit_values(page.view.job), sensor)
    return _circuit_page(request, pages, page, shelf=look_at_shelf(database), state=state, uid=None)


def _with_sensor(state: FormState, sensor_uid: str) -> FormState:
    """With the sensor type chosen that somebody went to put on the Shelf; one that is not there is no choice of the form."""
    return FormState({**state.values, "sensor_type_uid": sensor_uid}, state.errors) if sensor_uid else state


@router.post("/jobs/{uid}/circuits/look", dependencies=[LOOK], name="look_circuit")
def look_circuit(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """The connector and the sensor's curve as they are being typed. Nothing is kept."""
    page = look_at_job(database, uid_or_missing("job", uid), Depth.MARKS)
    return _circuit_page(request, pages, page, shelf=look_at_shelf(database), state=FormState(posted.values), uid=None)


@router.post("/jobs/{uid}/circuits", dependencies=[ARRANGE], name="add_circuit")
def post_circuit(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Add a circuit, with its sensor type where that is new too."""
    job_uid = uid_or_missing("job", uid)
    return _take_circuit(request, database, pages, posted=posted, job_uid=job_uid, uid=None)


@router.get("/circuits/{uid}/card", dependencies=[LOOK], name="circuit_card")
def circuit_card(
    request: Request, database: DatabaseDep, pages: PagesDep, *, shop: ShopDep, uid: str, sensor: str = ""
) -> Response:
    """A circuit's card."""
    circuit, job_uid = look_at_circuit(database, uid_or_missing("circuit", uid))
    page = look_at_job(database, job_uid, Depth.MARKS)
    values = circuit_values(circuit, shop).values
    state = _with_sensor(FormState({**values, SEEN: seen_text(values)}), sensor)
    return _circuit_page(request, pages, page, shelf=look_at_shelf(database), state=state, uid=circuit.uid)


@router.post("/circuits/{uid}/card", dependencies=[ARRANGE], name="change_circuit")
def post_card(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Change a circuit's card; its readings are judged anew."""
    circuit, job_uid = look_at_circuit(database, uid_or_missing("circuit", uid))
    return _take_circuit(request, database, pages, posted=posted, job_uid=job_uid, uid=circuit.uid)


def _take_circuit(
    request: Request, database: DatabaseDep, pages: Pages, *, posted: Posted, job_uid: UUID, uid: UUID | None
) -> Response:
    """Add a circuit to a job, or change the card of the one with `uid`."""
    page, shelf = look_at_job(database, job_uid, Depth.MARKS), look_at_shelf(database)
    is_new_type = uid is None and posted.values.get("sensor_type_uid") == NEW
    form, state = read_form(CircuitForm, {**posted.values, **({"sensor_type_uid": ""} if is_new_type else {})})
    state = FormState(posted.values, state.errors)
    if form is None:
        return _circuit_page(request, pages, page, shelf=shelf, state=state, uid=uid, status=422)
    try:
        picture = _plug_picture(posted)
        if is_new_type:
            described = described_type(posted.values, page.shop)
            refused = described.refused(sure=posted.values.get("type_sure") == "yes")
            if described.sensor is None or described.is_example or refused:
                missing = (
                    {"type_value_high": "Type the values at both ends of its range."} if described.is_example else {}
                )
                state = FormState(state.values, {**state.errors, **missing, **refused})
                return _circuit_page(request, pages, page, shelf=shelf, state=state, uid=uid, status=422)
            circuit = circuit_from_form(form, described.sensor, page.shop, uuid4())
            add_circuit_and_type(database, job_uid, circuit)
        elif uid is None:
            circuit = circuit_from_form(form, _chosen_sensor(form, shelf), page.shop, uuid4())
            add_circuit(database, job_uid, circuit)
        else:
            old = next(v.circuit for v in page.view.circuits if v.circuit.uid == uid)
            newer = changed_meanwhile(posted.values, circuit_values(old, page.shop).values, state)
            if newer is not None:
                return _circuit_page(request, pages, page, shelf=shelf, state=newer, uid=uid, status=409)
            circuit = circuit_from_form(form, _chosen_sensor(form, shelf), page.shop, uid, old)
            _check_fixed(old, circuit)
            change_circuit(database, circuit, old)
        if picture is not None:
            add_picture(database, page.view.job.vehicle.uid, f"Plug of {circuit.name}", picture)
    except EntryError as error:
        return _circuit_page(request, pages, page, shelf=shelf, state=state.with_error(error), uid=uid, status=422)
    return go_to(request.url_for("bench", uid=circuit.uid))


def _chosen_sensor(form: CircuitForm, shelf: ShelfView) -> SensorType:
    sensor = next((s for s in shelf.sensor_types if s.uid == form.sensor_type_uid), None)
    if sensor is None:
        raise EntryError("sensor_type_uid", "", "Choose the sensor that is fitted.", "Or describe its type below.")
    return sensor


def _plug_picture(posted: Posted) -> CleanPicture | None:
    """The picture of the plug that came with the form; `EntryError` for a file that is none."""
    file = posted.files.get("plug")
    if file is None or not file.filename:
        return None
    try:
        return clean_picture(file.filename, file.file.read(MOST_BYTES + 1))
    except BadFileError as error:
        raise EntryError("plug", file.filename[:120], str(error)) from error


def _check_fixed(old: Circuit, changed: Circuit) -> None:
    """Cavities and stimuli stay once a circuit exists, since its readings refer to them; a second one may be added."""
    for n, (was, now) in enumerate(zip(old.pins, changed.pins, strict=True)):
        if was.cavity != now.cavity:
            problem = f"This cavity is {was.cavity} in the readings."
            raise EntryError(
                f"cavity_{n}", now.cavity, problem, "Its name stays; add a new circuit if it is another one."
            )
    if len(changed.stimuli) < len(old.stimuli):
        problem = f"This circuit is read at {len(old.stimuli)} stimuli."
        raise EntryError("label_1", "", problem, "Keep them; change how they are named or their values.")


def _circuit_page(
    request: Request,
    pages: Pages,
    page: JobPage,
    *,
    shelf: ShelfView,
    state: FormState,
    uid: UUID | None,
    status: int = 200,
) -> Response:
    chosen = state.values.get("sensor_type_uid", "")
    sensor = next((s for s in shelf.sensor_types if str(s.uid) == chosen), None)
    described = described_type(state.values, page.shop) if chosen == NEW else None
    seen = None if described is None else described.sensor
    return pages.render(
        request,
        "circuit_form.html",
        status,
        page=page,
        shelf=shelf,
        state=state.over(NEW_TYPE_START),
        circuit_uid=uid,
        wires=_UNKNOWN_WIRES if sensor is None else len(FAMILIES[sensor.family].roles),
        stripes=[stripes_of(state.values.get(f"colour_{n}", "")) for n in PINS],
        sensed=SENSED,
        systems=tuple(PartOf),
        type_drawing=None if seen is None else draw_type(seen, page.shop),
        type_is_example=described is not None and described.is_example,
        doubts=() if described is None else described.doubts,
    )


_UNKNOWN_WIRES = 3  # what most sensors have


@router.get("/jobs/{uid}/export.json", dependencies=[LOOK], name="export_job")
def export(database: DatabaseDep, uid: str) -> Response:
    """The job as a file."""
    record = export_job(database, uid_or_missing("job", uid))
    return _download(write_job(record), "application/json", f"{record.job.vehicle.tag}-job-{record.job.number}.json")


@router.get("/jobs/{uid}/readings.csv", dependencies=[LOOK], name="readings_csv")
def readings_csv(database: DatabaseDep, uid: str) -> Response:
    """Its readings as a table."""
    record = export_job(database, uid_or_missing("job", uid))
    name = f"{record.job.vehicle.tag}-job-{record.job.number}-readings.csv"
    return _download(write_readings(record), "text/csv; charset=utf-8", name)


def _download(content: str, media_type: str, name: str) -> Response:
    safe = re.sub(r"[^A-Za-z0-9._-]+", "-", name)
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{safe}"'})
