"""One job as JSON, whole: reader, writer and published schema (docs/formats.md).

    {"format": "iron-gauge/job", "version": 2, "job": {…}, "vehicle": {…}, "technicians": […], "instruments": […],
     "sensor_types": […], "circuits": [{…, "pins": […], "stimuli": […], "readings": […], "calibrations": […],
     "controller_entries": […], "cross_checks": […], "pulse_checks": […]}], "kit": […],
     "plan": {"modules": […], "functions": […], "harness": {…}, "feeds": […]}, "normals": […],
     "codes": […]}

Values stand in the fixed unit of their quantity (V, Ω, kPa, °C, m, °, %). What was read, and what was typed, is kept;
what follows from it is computed again from the same facts: a verdict stands in it for who reads it, and is not read back.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime, time
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field, StringConstraints, ValidationError

from irongauge.core.job_record import CircuitRecord, JobRecord
from irongauge.core.live.codes import CodeReading, CodesWhen
from irongauge.core.shop import HEIGHT_M, MOST_BATTERIES, SYSTEM_VOLTS, Job, Promise, Technician, Vehicle
from irongauge.core.traces.record import KeptReading
from irongauge.errors import BadFileError
from irongauge.formats.circuit_parts import (
    CircuitPart,
    InstrumentPart,
    SensorTypePart,
    TechnicianPart,
    circuit_from_part,
    circuit_part,
    instrument_from_part,
    instrument_part,
    named_in,
    sensor_from_part,
    sensor_part,
)
from irongauge.formats.parts import Day, FilePart, Moment
from irongauge.formats.plan_parts import KitLinePart, PlanPart, kit_from_parts, kit_parts, plan_from_part, plan_part

__all__ = ["FORMAT", "VERSION", "CodesPart", "JobFile", "job_schema", "read_job", "utc", "write_job"]

FORMAT = "iron-gauge/job"
VERSION = 2
_READ = (1, 2)


class VehiclePart(FilePart):
    uid: UUID
    tag: Annotated[str, StringConstraints(min_length=1, max_length=20)]
    description: Annotated[str, StringConstraints(max_length=120)] = ""
    system_v: Literal[12, 24] = 12
    height_m: float = Field(0, ge=HEIGHT_M.low, le=HEIGHT_M.high)
    batteries: int | None = Field(None, ge=1, le=MOST_BATTERIES)


class JobPart(FilePart):
    uid: UUID
    number: int = Field(ge=1, le=9_999_999)
    title: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    received_on: Day
    promised_on: Day
    promised_by: Annotated[time | None, Field(description="By the shop's clock; left out: until the shop closes")] = (
        None
    )
    technician_uid: UUID
    handed_over_at: Moment | None = None
    reviewed_by_uid: UUID | None = None
    is_practice: bool = Field(False, description="Simulated circuits with hidden faults; never handed over")


class NormalPart(FilePart):
    """A reading of a channel in a condition, in its unit; `at_least` where the instrument stood at its stop."""

    channel: Annotated[str, StringConstraints(min_length=1, max_length=90)]
    condition: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    value: float = Field(ge=-1e12, le=1e12)
    unit: Annotated[str, StringConstraints(max_length=20)] = ""
    at_least: bool = False
    taken_at: Moment


_Code = Annotated[str, StringConstraints(pattern=r"^[PCBU][0-3][0-9A-F]{3}$")]
_Called = Annotated[str, StringConstraints(max_length=60)]
_Told = Annotated[dict[_Called, Annotated[float, Field(ge=-1e9, le=1e9)]], Field(max_length=60)]


class CodesPart(FilePart):
    """Trouble codes as they were at a moment; `frozen` is the freeze frame of `frozen_code`, `values` what was so then."""

    uid: UUID
    taken_at: Moment
    technician_uid: UUID | None = None
    source: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    when: CodesWhen = CodesWhen.READ
    stored: list[_Code] = Field(default=[], max_length=200)
    pending: list[_Code] = Field(default=[], max_length=200)
    permanent: list[_Code] = Field(default=[], max_length=200)
    not_told: list[_Called] = Field(default=[], max_length=20, description="What the controller would not tell")
    frozen_code: _Code | Literal[""] = ""
    frozen: _Told = Field(default={}, description="By name")
    values: _Told = Field(default={}, description="By name")

    @classmethod
    def from_core(cls, reading: CodeReading) -> CodesPart:
        return cls(
            uid=reading.uid,
            taken_at=reading.taken_at.astimezone(UTC),
            technician_uid=reading.technician_uid,
            source=reading.source,
            when=reading.when,
            stored=list(reading.stored),
            pending=list(reading.pending),
            permanent=list(reading.permanent),
            not_told=list(reading.not_told),
            frozen_code=reading.frozen_code,
            frozen=dict(reading.frozen),
            values=dict(reading.values),
        )

    def to_core(self, job_uid: UUID) -> CodeReading:
        told = self.model_dump()
        told |= {name: tuple(told[name]) for name in ("stored", "pending", "permanent", "not_told")}
        return CodeReading(job_uid=job_uid, **told)


class JobFile(FilePart):
    """A job of Iron Gauge, version 2. What version 1 had not may be left out."""

    format: Literal["iron-gauge/job"] = "iron-gauge/job"
    version: Literal[1, 2] = 2
    job: JobPart
    vehicle: VehiclePart
    technicians: list[TechnicianPart] = Field(max_length=5000)
    instruments: list[InstrumentPart] = Field(max_length=2000)
    sensor_types: list[SensorTypePart] = Field(max_length=2000)
    circuits: list[CircuitPart] = Field(max_length=200)
    kit: list[KitLinePart] = Field(default=[], max_length=500)
    plan: PlanPart = Field(default=PlanPart(), description="What is planned on the vehicle")
    normals: list[NormalPart] = Field(
        default=[], max_length=20_000, description="Readings of what is usual for the vehicle, taken when it was well"
    )
    codes: list[CodesPart] = Field(default=[], max_length=1000, description="Trouble codes as they were read")


def write_job(record: JobRecord) -> str:
    """The job as JSON text, indented, keys in the order of the schema, and the same text for the same job."""
    job = record.job
    sensors = {r.circuit.sensor.uid: r.circuit.sensor for r in record.circuits}
    sensors |= {c.sensor.uid: c.sensor for r in record.circuits for c in r.calibrations}
    file = JobFile(
        job=JobPart(
            uid=job.uid,
            number=job.number,
            title=job.title,
            received_on=job.received_on,
            promised_on=job.promise.on,
            promised_by=job.promise.by,
            technician_uid=job.technician.uid,
            handed_over_at=None if job.handed_over_at is None else job.handed_over_at.astimezone(UTC),
            reviewed_by_uid=None if job.reviewed_by is None else job.reviewed_by.uid,
            is_practice=job.is_practice,
        ),
        vehicle=VehiclePart(
            uid=job.vehicle.uid,
            tag=job.vehicle.tag,
            description=job.vehicle.description,
            system_v=24 if job.vehicle.system_v == max(SYSTEM_VOLTS) else 12,
            height_m=job.vehicle.height_m,
            batteries=job.vehicle.batteries,
        ),
        technicians=[TechnicianPart(uid=t.uid, name=t.name) for t in record.technicians],
        instruments=[instrument_part(i) for i in record.instruments],
        sensor_types=[sensor_part(s) for s in sorted(sensors.values(), key=lambda s: (s.name, s.uid))],
        circuits=[circuit_part(r) for r in record.circuits],
        kit=kit_parts(record.kit),
        plan=plan_part(record.plan),
        normals=[
            NormalPart(
                channel=r.channel,
                condition=r.condition,
                value=r.value,
                unit=r.unit,
                at_least=r.at_least,
                taken_at=r.taken_at.astimezone(UTC),
            )
            for r in record.normals
        ],
        codes=[CodesPart.from_core(reading) for reading in record.codes],
    )
    return json.dumps(file.model_dump(mode="json"), ensure_ascii=False, indent=2) + "\n"


def read_job(name: str, content: bytes) -> JobRecord:
    """Read a file's content; `BadFileError` names the file, the place in it and what is wrong there."""
    try:
        data = json.loads(content.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise BadFileError(name, "This is not JSON.", "Choose a job file that was exported from Iron Gauge.") from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise BadFileError(name, "This is JSON, but not a job file.", f'A job file has "format": "{FORMAT}".')
    if data.get("version") not in _READ:
        raise BadFileError(
            name,
            f"It is version {str(data.get('version'))[:20]} of the format.",
            f"This server reads versions {' and '.join(str(number) for number in _READ)}.",
        )
    try:
        return _to_record(JobFile.model_validate(data))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        place = ".".join(str(part) for part in first["loc"])
        more = f" ({error.error_count()} places in all.)" if error.error_count() > 1 else ""
        raise BadFileError(
            name, f"At {place}: {first['msg']}.{more}", "See the published schema in docs/formats.md."
        ) from error
    except ValueError as error:
        raise BadFileError(name, f"It contradicts itself: {error}.", "Export the job again.") from error


def job_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the file."""
    schema = JobFile.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "iron-gauge/job-2.schema.json", **schema}


def _to_record(file: JobFile) -> JobRecord:
    technicians = {t.uid: Technician(t.uid, t.name) for t in file.technicians}
    sensors = {s.uid: sensor_from_part(s) for s in file.sensor_types}
    job, vehicle = file.job, file.vehicle
    return JobRecord(
        Job(
            uid=job.uid,
            number=job.number,
            vehicle=Vehicle(
                uid=vehicle.uid,
                tag=vehicle.tag,
                description=vehicle.description,
                system_v=float(vehicle.system_v),
                height_m=vehicle.height_m,
                batteries=vehicle.batteries,
            ),
            title=job.title,
            received_on=job.received_on,
            promise=Promise(job.promised_on, job.promised_by),
            technician=named_in(technicians, job.technician_uid, "technician"),
            handed_over_at=job.handed_over_at,
            reviewed_by=None
            if job.reviewed_by_uid is None
            else named_in(technicians, job.reviewed_by_uid, "technician"),
            is_practice=job.is_practice,
        ),
        tuple(technicians.values()),
        tuple(instrument_from_part(i) for i in file.instruments),
        tuple(
            CircuitRecord(
                circuit=circuit_from_part(c, sensors),
                readings=tuple(reading.to_core() for reading in c.readings),
                calibrations=tuple(record.to_core(c.uid, sensors) for record in c.calibrations),
                entries=tuple(c.controller_entries),
                checks=tuple(c.cross_checks),
                pulses=tuple(c.pulse_checks),
            )
            for c in file.circuits
        ),
        kit=kit_from_parts(file.kit),
        plan=plan_from_part(file.plan, float(vehicle.system_v)),
        normals=tuple(KeptReading(**one.model_dump()) for one in file.normals),
        codes=tuple(one.to_core(job.uid) for one in file.codes),
    )


def utc(moment: datetime) -> str:
    """A moment as files write it."""
    return moment.astimezone(UTC).isoformat().replace("+00:00", "Z")
