"""The Floor and its jobs: bring a vehicle in, add its circuits, hand it over, move a job between shops."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from typing import Literal
from uuid import UUID

from sqlalchemy.exc import IntegrityError

from irongauge.core.assessment import VerdictLevel
from irongauge.core.circuits import Circuit
from irongauge.core.record import CircuitRecord, JobRecord
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.errors import BadFileError, EntryError, JobClosedError, NotFoundError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shelf import name_taken
from irongauge.workflows.view import JobView, People, circuit_views, now, people_of, require_shop, today

__all__ = [
    "FloorView",
    "Imported",
    "JobPage",
    "add_circuit",
    "add_job",
    "add_vehicle",
    "change_circuit",
    "export_job",
    "hand_over",
    "import_job",
    "look_at_floor",
    "look_at_job",
    "reopen",
]


@dataclass(frozen=True)
class FloorView:
    shop: Shop
    today: date
    vehicles: tuple[Vehicle, ...]
    jobs: tuple[JobView, ...]
    people: People


@dataclass(frozen=True)
class JobPage:
    shop: Shop
    today: date
    view: JobView
    people: People


@dataclass(frozen=True)
class Imported:
    """The job that an import made, and what was done differently from the file, in sentences."""

    job_uid: UUID
    notes: tuple[str, ...]


def look_at_floor(database: Database) -> FloorView:
    with database.unit() as store:
        shop = require_shop(store)
        jobs = store.jobs.jobs(shop.uid)
        views = circuit_views(store, shop, jobs)
        return FloorView(shop, today(shop), store.jobs.vehicles(shop.uid), views, people_of(store, shop))


def look_at_job(database: Database, job_uid: UUID) -> JobPage:
    with database.unit() as store:
        shop = require_shop(store)
        (view,) = circuit_views(store, shop, (store.jobs.job(job_uid),))
        return JobPage(shop, today(shop), view, people_of(store, shop))


def add_vehicle(database: Database, vehicle: Vehicle) -> None:
    try:
        with database.unit() as store:
            store.jobs.add_vehicle(require_shop(store).uid, vehicle)
    except IntegrityError as error:
        raise name_taken("tag", vehicle.tag, "vehicle") from error


def add_job(database: Database, job: Job) -> int:
    """Add a job; gives back the number that it got."""
    with database.unit() as store:
        return store.jobs.add_job(job)


def add_circuit(database: Database, job_uid: UUID, circuit: Circuit) -> None:
    try:
        with database.unit() as store:
            _require_open(store, job_uid)
            store.circuits.add(job_uid, circuit)
    except IntegrityError as error:
        raise name_taken("name", circuit.name, "circuit of this job") from error


def change_circuit(database: Database, circuit: Circuit) -> None:
    """Correct a circuit's card; its readings stay and are judged against the corrected card."""
    try:
        with database.unit() as store:
            _old, job_uid = store.circuits.circuit(circuit.uid)
            _require_open(store, job_uid)
            store.circuits.change(circuit)
    except IntegrityError as error:
        raise name_taken("name", circuit.name, "circuit of this job") from error


def hand_over(database: Database, job_uid: UUID, reviewer_uid: UUID) -> None:
    """Close a job whose circuits are all proved good; refused, saying what is open, for any other."""
    with database.unit() as store:
        shop = require_shop(store)
        _require_open(store, job_uid, "update")
        store.shops.technician(reviewer_uid)
        store.jobs.hand_over(job_uid, now(), reviewer_uid)
        # Judged after the lock is held, so that no reading slips in between the look and the signature.
        (view,) = circuit_views(store, shop, (store.jobs.job(job_uid),))
        if not view.may_be_handed_over:
            open_names = ", ".join(
                v.circuit.name for v in view.circuits if v.assessment.verdict.level is not VerdictLevel.GOOD
            )
            problem = f"Not every circuit is proved good: {open_names}." if open_names else "This job has no circuit yet."
            raise RefusedRequestError(problem, "Nothing was signed. Finish them on the Bench first.")


def reopen(database: Database, job_uid: UUID) -> None:
    with database.unit() as store:
        store.jobs.hand_over(job_uid, None, None)


def export_job(database: Database, job_uid: UUID) -> JobRecord:
    """One job, whole, with the people and instruments that it names."""
    with database.unit() as store:
        shop = require_shop(store)
        job = store.jobs.job(job_uid)
        circuits = store.circuits.of_jobs([job_uid])[job_uid]
        readings = store.readings.of_circuits(c.uid for c in circuits)
        people = people_of(store, shop)
    every = [r for group in readings.values() for r in group]
    named = {job.technician.uid} | {r.technician_uid for r in every}
    if job.reviewed_by is not None:
        named.add(job.reviewed_by.uid)
    used = {r.instrument_uid for r in every} | {r.stimulus_instrument_uid for r in every}
    return JobRecord(
        job,
        tuple(t for t in people.technicians if t.uid in named),
        tuple(i for i in people.instruments if i.uid in used),
        tuple(CircuitRecord(c, readings[c.uid]) for c in circuits),
    )


def import_job(database: Database, record: JobRecord, file_name: str) -> Imported:
    """Add a job from a file. What the Shelf already has is used as it stands here; a job that is here is refused."""
    try:
        with database.unit() as store:
            return _import(store, require_shop(store), record, file_name)
    except IntegrityError as error:
        problem = "It does not fit together, or parts of it are in another job here already."
        raise BadFileError(file_name, problem, "Nothing was imported. Export the job again.") from error


def _import(store: Store, shop: Shop, record: JobRecord, file_name: str) -> Imported:
    job = record.job
    try:
        there = store.jobs.job(job.uid)
    except NotFoundError:
        pass
    else:
        problem = f"{there.name} is this very job, so it is not added twice."
        raise BadFileError(file_name, problem, "Open it on the Floor.")
    notes: list[str] = []
    known_people = {t.uid: t for t in store.shops.technicians(shop.uid)}
    known_names = {t.name for t in known_people.values()}
    for technician in record.technicians:
        if technician.uid not in known_people:
            name = _free_name(technician.name, known_names, notes)
            store.shops.add_technician(shop.uid, replace(technician, name=name))
    known_tools = {i.uid: i for i in store.shelf.instruments(shop.uid)}
    tool_names = {i.name for i in known_tools.values()}
    for instrument in record.instruments:
        if instrument.uid not in known_tools:
            store.shelf.add_instrument(
                shop.uid, replace(instrument, name=_free_name(instrument.name, tool_names, notes))
            )
        elif known_tools[instrument.uid] != instrument:
            notes.append(f"Instrument “{instrument.name}” is kept as it stands on this Shelf.")
    known_sensors = {s.uid: s for s in store.shelf.sensor_types(shop.uid)}
    sensor_names = {s.name for s in known_sensors.values()}
    for sensor in {r.circuit.sensor.uid: r.circuit.sensor for r in record.circuits}.values():
        if sensor.uid not in known_sensors:
            store.shelf.add_sensor_type(shop.uid, replace(sensor, name=_free_name(sensor.name, sensor_names, notes)))
        elif known_sensors[sensor.uid] != sensor:
            notes.append(f"Sensor type “{sensor.name}” is kept as it stands on this Shelf.")
    vehicles = {v.uid: v for v in store.jobs.vehicles(shop.uid)}
    if job.vehicle.uid not in vehicles:
        tag = _free_name(job.vehicle.tag, {v.tag for v in vehicles.values()}, notes)
        store.jobs.add_vehicle(shop.uid, replace(job.vehicle, tag=tag))
    keep = store.jobs.number_is_free(job.number)
    number = store.jobs.add_job(job, keep_number=keep)
    if not keep:
        notes.append(f"Job number {job.number} is taken here; this one became {number}.")
    for circuit_record in record.circuits:
        store.circuits.add(job.uid, circuit_record.circuit)
        for reading in circuit_record.readings:
            if not store.readings.add(circuit_record.circuit.uid, reading):
                problem = f"A reading of “{circuit_record.circuit.name}” stands in it twice, or in another job here."
                raise BadFileError(file_name, problem, "Nothing was imported. Export the job again.")
    return Imported(job.uid, tuple(notes))


def _free_name(name: str, taken: set[str], notes: list[str]) -> str:
    """The name, or the name with a number when something else here has it already."""
    free, count = name, 2
    while free in taken:
        ending = f" ({count})"
        free, count = name[: (20 if len(name) <= 20 else 80) - len(ending)] + ending, count + 1  # noqa: PLR2004
    if free != name:
        notes.append(f"“{name}” is the name of something else here, so the one from the file is “{free}”.")
    taken.add(free)
    return free


def _require_open(store: Store, job_uid: UUID, lock: Literal["share", "update"] = "share") -> Job:
    job = store.jobs.job(job_uid, lock)
    if job.handed_over_at is not None:
        raise JobClosedError(job.name)
    return job


def check_dates(received_on: date, promised_on: date) -> None:
    """Raise `EntryError` when a job would be promised before it came in."""
    if promised_on < received_on:
        problem = f"{promised_on:%d.%m.%Y} is before the day it came in."
        raise EntryError("promised_on", promised_on.isoformat(), problem, "Choose the same day or a later one.")
