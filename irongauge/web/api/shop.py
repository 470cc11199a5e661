"""The JSON API: the same jobs, circuits, readings and verdicts for programs. Same workflows as the pages."""

from __future__ import annotations

import json
from datetime import date, time
from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter, Body, Query
from pydantic import BaseModel, Field
from starlette.responses import JSONResponse, Response

from irongauge.core.bench.actions import Action
from irongauge.core.bench.assessment import Assessment
from irongauge.core.bench.expectations import GlowExpectation, WindowExpectation, WordExpectation
from irongauge.core.bench.judgement import Judgement
from irongauge.core.job_record import CircuitRecord
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.sensors.circuits import MOST_STIMULI, Circuit, Pin, Stimulus
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.sensors.live_reader import UNTOLD
from irongauge.core.shop import HEIGHT_M, MOST_BATTERIES, Job, Promise, Vehicle
from irongauge.errors import EntryError, NotFoundError, as_sentence
from irongauge.formats.circuit_parts import (
    CircuitPart,
    PinPart,
    PullUpPart,
    ReaderPart,
    ReadingPart,
    StimulusPart,
    circuit_part,
    instrument_part,
    sensor_part,
)
from irongauge.formats.job_json import read_job, write_job
from irongauge.web.api.bodies import ERRORS, BodyIn
from irongauge.web.api.diagnose import DiagnosisOut, TestPointOut, diagnosis_out, test_point_out
from irongauge.web.deps import DatabaseDep
from irongauge.web.permissions import ARRANGE, LOOK, MEASURE
from irongauge.workflows.bench.reader import tell_reader
from irongauge.workflows.bench.readings import NewReading, look_at_bench, record_reading
from irongauge.workflows.shop.jobs import (
    add_circuit,
    add_job,
    add_vehicle,
    check_dates,
    look_at_arrivals,
    look_at_circuit,
    look_at_jobs,
)
from irongauge.workflows.shop.shelf import look_at_shelf
from irongauge.workflows.shop.transfer import export_job, import_job
from irongauge.workflows.shop.view import Depth

router = APIRouter(prefix="/api/v1")


class VehicleIn(BodyIn):
    tag: str = Field(min_length=1, max_length=20, examples=["LT-8"])
    description: str = Field("", max_length=120, examples=["Boat-launching tractor"])
    system_v: float = Field(12, examples=[12], description="12 or 24 V")
    height_m: float = Field(
        0, ge=HEIGHT_M.low, le=HEIGHT_M.high, examples=[12], description="Where it is tested, above sea level"
    )
    batteries: int | None = Field(None, ge=1, le=MOST_BATTERIES, description="Left out: not known")


class JobIn(BodyIn):
    vehicle_uid: UUID
    title: str = Field(min_length=1, max_length=120, examples=["Brake gauge reads low"])
    received_on: date = Field(examples=["2026-11-25"])
    promised_on: date = Field(examples=["2026-11-27"])
    promised_by: time | None = Field(None, examples=["14:30"], description="Left out: until the shop closes")
    technician_uid: UUID


class CircuitIn(BodyIn):
    """A circuit's card. Leave a pin's role out where it is not known."""

    name: str = Field(min_length=1, max_length=80, examples=["Oil pressure"])
    sensor_type_uid: UUID
    reference_v: float = Field(5.0, gt=0, le=32)
    pull_up: PullUpPart | None = None
    live_channel: str = Field("", max_length=40)
    live_full_scale_v: float = Field(5.0, gt=0, le=32)
    sharers: str = Field("", max_length=200, description="The other sensors on this reference, separated by commas")
    temperature_pull_up: PullUpPart | None = None
    battery_fed: bool = False
    differential: bool = False
    shielded: bool = False
    unpulled: bool = Field(default=False, description="The input is known to have no pull-up; else nobody knows")
    to_wire: bool = Field(default=False, description="Its wiring is still to be made")
    part_of: PartOf = Field(
        PartOf.NOT_TOLD, description="A system that is left to licensed work; not told: its name tells"
    )
    controller: str = Field("", max_length=60, description="Type of the controller")
    reader: ReaderPart | None = Field(None, description="Left out: as on this shop's last circuit of that controller")
    pins: list[PinPart] = Field(
        min_length=2,
        max_length=4,
        examples=[
            [
                {"cavity": "A", "wire_colour": "red", "role": "reference"},
                {"cavity": "B", "wire_colour": "black", "role": "return"},
                {"cavity": "C", "wire_colour": "blue", "role": "signal"},
            ]
        ],
    )
    stimuli: list[StimulusPart] = Field(
        min_length=1,
        max_length=MOST_STIMULI,
        examples=[[{"label": "vented", "value": 0}, {"label": "pumped", "value": 450}]],
    )


class ReadingIn(BodyIn):
    """One reading. `value` is a number in the fixed unit, or text as on the Bench; a glow is dark, dim or bright."""

    uid: UUID | None = Field(None, description="Your own identity for it: the same one sent twice is stored once")
    action: Action = Field(examples=["open_v"])
    cavity: str | None = Field(None, max_length=4, examples=["A"])
    point: int | None = Field(None, ge=0, lt=MOST_STIMULI, description="Which stimulus, 0 for the first")
    place: str = Field("", max_length=60, description="Of `way_v`: a connector on the wire's way, such as X12:3")
    value: float | str = Field(examples=["4.98 V"])
    technician_uid: UUID
    instrument_uid: UUID | None = None
    stimulus: float | str | None = Field(None, description="What the gauge shows, if not as planned")
    stimulus_instrument_uid: UUID | None = None
    overdue_why: str = Field(
        "", max_length=200, description="Why an instrument is used whose calibration was due; else refused"
    )
    supersedes_uid: UUID | None = Field(None, description="The reading of this place that it takes the place of")
    reason: SupersedeReason | None = None


class JudgementOut(BaseModel):
    mark: str = Field(examples=["pass"])
    sentence: str
    low: float | None = Field(default=None, description="Lower end of what is wanted, fixed unit")
    high: float | None = None
    wanted_glow: list[str] | None = None
    wanted_word: list[str] | None = None
    expanded_uncertainty: float | None = Field(default=None, description="k = 2, fixed unit")


class ReadingOut(BaseModel):
    reading: ReadingPart
    is_current: bool
    judgement: JudgementOut | None = Field(description="Of the reading in force; none for one that was superseded")


class ProofOut(BaseModel):
    proof: str
    mark: str
    taken: int
    wanted: int


class VerdictOut(BaseModel):
    """The assessment of a circuit on the readings in force."""

    level: str = Field(examples=["not proved yet"])
    headline: str
    detail: str
    proofs: list[ProofOut]
    diagnosis: DiagnosisOut | None
    next_test: TestPointOut | None
    measure_again: list[str]


class RecordedOut(ReadingOut):
    """A reading as stored, with the verdict that follows."""

    note: str = Field(description="How an unusual entry was understood")
    verdict: VerdictOut


@router.get("/jobs", dependencies=[LOOK], summary="Jobs, open ones first, a part of the list at a time")
def jobs(
    database: DatabaseDep,
    response: Response,
    *,
    is_open: Annotated[
        bool | None, Query(alias="open", description="Only open ones, or only those handed over")
    ] = None,
    limit: Annotated[int, Query(ge=1, le=500, description="How many at the most")] = 100,
    offset: Annotated[int, Query(ge=0, le=10_000_000, description="How many of the list to pass over")] = 0,
) -> list[dict[str, Any]]:
    """A `Link` header names the next part where there may be one (RFC 8288)."""
    found = look_at_jobs(database, is_open=is_open, limit=limit, offset=offset)
    if len(found) == limit:
        kind = "" if is_open is None else f"open={str(is_open).lower()}&"
        response.headers["Link"] = f'</api/v1/jobs?{kind}limit={limit}&offset={offset + limit}>; rel="next"'
    return [
        {
            "uid": v.job.uid,
            "number": v.job.number,
            "vehicle": v.job.vehicle.tag,
            "title": v.job.title,
            "promised_on": v.job.promise.on,
            "promised_by": v.job.promise.by,
            "handed_over_at": v.job.handed_over_at,
            "circuits": [
                {
                    "uid": c.circuit.uid,
                    "name": c.circuit.name,
                    "level": c.assessment.verdict.level,
                    "headline": c.assessment.verdict.headline,
                }
                for c in v.circuits
            ],
        }
        for v in found
    ]


@router.get("/shelf", dependencies=[LOOK], summary="Sensor types, instruments and technicians, with their identities")
def shelf(database: DatabaseDep) -> dict[str, Any]:
    view = look_at_shelf(database)
    return {
        "sensor_types": [sensor_part(s) for s in view.sensor_types],
        "instruments": [instrument_part(i) for i in view.people.usable],
        "technicians": [{"uid": t.uid, "name": t.name} for t in view.people.technicians],
        "vehicles": [
            {"uid": v.uid, "tag": v.tag, "description": v.description} for v in look_at_arrivals(database).vehicles
        ],
    }


@router.post("/vehicles", dependencies=[ARRANGE], status_code=201, responses=ERRORS, summary="Bring a vehicle in")
def post_vehicle(database: DatabaseDep, body: VehicleIn) -> dict[str, UUID]:
    try:
        vehicle = Vehicle(
            uid=uuid4(),
            tag=body.tag.strip(),
            description=body.description.strip(),
            system_v=body.system_v,
            height_m=body.height_m,
            batteries=body.batteries,
        )
    except ValueError as error:
        raise EntryError("system_v", f"{body.system_v:g}", f"{error}.".capitalize()) from error
    add_vehicle(database, vehicle)
    return {"uid": vehicle.uid}


@router.post("/jobs", dependencies=[ARRANGE], status_code=201, responses=ERRORS, summary="Start a job")
def post_job(database: DatabaseDep, body: JobIn) -> dict[str, UUID | int]:
    floor = look_at_arrivals(database)
    vehicle = next((v for v in floor.vehicles if v.uid == body.vehicle_uid), None)
    technician = next((t for t in floor.people.technicians if t.uid == body.technician_uid), None)
    if vehicle is None:
        raise NotFoundError("vehicle", str(body.vehicle_uid))
    if technician is None:
        raise NotFoundError("technician", str(body.technician_uid))
    check_dates(body.received_on, body.promised_on)
    job = Job(
        uid=uuid4(),
        number=1,
        vehicle=vehicle,
        title=body.title.strip(),
        received_on=body.received_on,
        promise=Promise(body.promised_on, body.promised_by),
        technician=technician,
    )
    return {"uid": job.uid, "number": add_job(database, job)}


@router.get(
    "/jobs/{uid}", dependencies=[LOOK], responses=ERRORS, summary="One job, whole, in the published file format"
)
def job(database: DatabaseDep, uid: UUID) -> Response:
    return Response(write_job(export_job(database, uid)), media_type="application/json")


@router.post(
    "/jobs/import",
    dependencies=[ARRANGE],
    status_code=201,
    responses=ERRORS,
    summary="Add a job from a file of the published format",
)
def post_import(database: DatabaseDep, body: Annotated[dict[str, Any], Body()]) -> dict[str, Any]:
    imported = import_job(database, read_job("request", json.dumps(body).encode()), "request")
    return {"uid": imported.job_uid, "notes": imported.notes}


@router.post(
    "/jobs/{uid}/circuits", dependencies=[ARRANGE], status_code=201, responses=ERRORS, summary="Add a circuit to a job"
)
def post_circuit(database: DatabaseDep, uid: UUID, body: CircuitIn) -> dict[str, UUID]:
    sensor = next((s for s in look_at_shelf(database).sensor_types if s.uid == body.sensor_type_uid), None)
    if sensor is None:
        raise NotFoundError("sensor type", str(body.sensor_type_uid))
    try:
        circuit = Circuit(
            uid=uuid4(),
            name=body.name.strip(),
            family=sensor.family,
            pins=tuple(Pin(p.cavity, p.wire_colour, p.role) for p in body.pins),
            reference_v=body.reference_v,
            sensor=sensor,
            stimuli=tuple(Stimulus(s.label, s.value, s.temperature_degc) for s in body.stimuli),
            pull_up=None if body.pull_up is None else body.pull_up.to_core(),
            live_channel=body.live_channel,
            live_full_scale_v=body.live_full_scale_v,
            others_on_reference=body.sharers,
            temperature_pull_up=None if body.temperature_pull_up is None else body.temperature_pull_up.to_core(),
            battery_fed=body.battery_fed,
            differential=body.differential,
            shielded=body.shielded,
            unpulled=body.unpulled,
            part_of=body.part_of,
            to_wire=body.to_wire,
            controller=body.controller.strip(),
            reader=UNTOLD if body.reader is None else body.reader.to_core(),
        )
    except ValueError as error:
        raise EntryError("pins", "", f"{error}.".capitalize()) from error
    add_circuit(database, uid, circuit, reader_is_told=body.reader is not None)
    return {"uid": circuit.uid}


@router.get("/circuits/{uid}", dependencies=[LOOK], responses=ERRORS, summary="One circuit's card")
def circuit(database: DatabaseDep, uid: UUID) -> CircuitPart:
    found, _job_uid = look_at_circuit(database, uid)
    return circuit_part(CircuitRecord(circuit=found, readings=()))


@router.put(
    "/circuits/{uid}/reader",
    dependencies=[ARRANGE],
    responses=ERRORS,
    summary="Say what the live data reader shows of a circuit's channel",
)
def put_reader(database: DatabaseDep, uid: UUID, body: ReaderPart) -> ReaderPart:
    try:
        reader = body.to_core()
    except ValueError as error:
        raise EntryError("reader", "", as_sentence(error)) from error
    return ReaderPart.from_core(tell_reader(database, uid, reader).reader)


@router.get("/circuits/{uid}/readings", dependencies=[LOOK], responses=ERRORS, summary="Readings with their judgements")
def readings(
    database: DatabaseDep, uid: UUID, *, every: Annotated[bool, Query(description="Superseded ones too")] = False
) -> list[ReadingOut]:
    bench = look_at_bench(database, uid, Depth.MARKS)
    return [out for r in bench.view.readings if (out := _reading_out(bench.view.assessment, r)).is_current or every]


@router.post(
    "/circuits/{uid}/readings",
    dependencies=[MEASURE],
    status_code=201,
    responses=ERRORS | {201: {"model": RecordedOut}},
    summary="Record a reading",
)
def post_reading(database: DatabaseDep, uid: UUID, body: ReadingIn) -> Response:
    new = NewReading(
        uid=body.uid or uuid4(),
        test_point=str(TestPoint(body.action, body.cavity, body.point, body.place)),
        typed=_as_typed(body.value),
        technician_uid=body.technician_uid,
        instrument_uid=body.instrument_uid,
        stimulus_typed="" if body.stimulus is None else _as_typed(body.stimulus),
        stimulus_instrument_uid=body.stimulus_instrument_uid,
        seen_uid=body.supersedes_uid,
        reason=body.reason,
        overdue_why=body.overdue_why,
        in_fixed_unit=True,
    )
    recorded = record_reading(database, uid, new)
    out = RecordedOut(
        **_reading_out(recorded.assessment, recorded.reading).model_dump(),
        note=recorded.note,
        verdict=_verdict_out(recorded.assessment),
    )
    return JSONResponse(out.model_dump(mode="json"), 201 if recorded.is_new else 200)


def _as_typed(value: float | str) -> str:
    return value if isinstance(value, str) else f"{value:.12g}"


@router.get(
    "/circuits/{uid}/verdict", dependencies=[LOOK], responses=ERRORS, summary="What can be said of a circuit now"
)
def verdict(database: DatabaseDep, uid: UUID) -> VerdictOut:
    return _verdict_out(look_at_bench(database, uid).view.assessment)


def _verdict_out(assessment: Assessment) -> VerdictOut:
    test = assessment.next_test
    return VerdictOut(
        level=assessment.verdict.level,
        headline=assessment.verdict.headline,
        detail=assessment.verdict.detail,
        proofs=[ProofOut(proof=p.proof, mark=p.mark, taken=p.taken, wanted=p.wanted) for p in assessment.proofs],
        diagnosis=None if assessment.diagnosis is None else diagnosis_out(assessment, assessment.diagnosis),
        next_test=None if test is None else test_point_out(assessment, test.test_point),
        measure_again=[str(test.test_point) for test in assessment.measure_again],
    )


def _reading_out(assessment: Assessment, reading: Reading) -> ReadingOut:
    current = assessment.case.readings.get(reading.test_point)
    is_current = current is not None and current.uid == reading.uid
    judgement = assessment.judgements.get(reading.test_point) if is_current else None
    return ReadingOut(
        reading=ReadingPart.from_core(reading),
        is_current=is_current,
        judgement=None if judgement is None else _judgement_out(judgement),
    )


def _judgement_out(judgement: Judgement) -> JudgementOut:
    expectation = judgement.expectation
    out = JudgementOut(mark=judgement.mark, sentence=judgement.sentence, expanded_uncertainty=judgement.uncertainty)
    if isinstance(expectation, WindowExpectation):
        ends = (expectation.window.low, expectation.window.high)
        out.low, out.high = (None if abs(end) == float("inf") else end for end in ends)
    elif isinstance(expectation, GlowExpectation):
        out.wanted_glow = sorted(expectation.wanted)
    elif isinstance(expectation, WordExpectation):
        out.wanted_word = sorted(expectation.wanted)
    return out
