"""The Floor and its jobs: bring a vehicle in, add its circuits, hand it over, move a job between shops."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from typing import Literal, TypeVar
from uuid import UUID, uuid4

import structlog
from sqlalchemy.exc import IntegrityError

from irongauge.core.calibration.record import Calibration
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.job_record import CircuitRecord, JobRecord
from irongauge.core.plan.kit import KitLine, open_lines
from irongauge.core.plan.record import VehiclePlan
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.sensors.circuits import Circuit, Instrument, SensorType
from irongauge.core.shop import SIMULATOR_NAME, Job, Shop, Technician, Vehicle
from irongauge.errors import BadFileError, EntryError, JobClosedError, RefusedRequestError
from irongauge.store.database import Database, broken_constraint
from irongauge.store.repositories import Store
from irongauge.workflows.reader import remembered_reader
from irongauge.workflows.shelf import named
from irongauge.workflows.verdicts import TimeLeft
from irongauge.workflows.view import Depth, JobView, People, gathered, now, people_of, require_shop, today

__all__ = [
    "FloorView",
    "Imported",
    "JobPage",
    "Kept",
    "add_circuit",
    "add_job",
    "add_vehicle",
    "change_circuit",
    "export_job",
    "hand_over",
    "import_job",
    "judge_open_jobs",
    "look_at_arrivals",
    "look_at_circuit",
    "look_at_floor",
    "look_at_job",
    "look_at_jobs",
    "look_at_sheet",
    "reopen",
]


log = structlog.get_logger()

_Named = TypeVar("_Named", Technician, Instrument, SensorType)


@dataclass(frozen=True)
class FloorView:
    shop: Shop
    today: date
    vehicles: tuple[Vehicle, ...]
    jobs: tuple[JobView, ...]
    people: People


@dataclass(frozen=True)
class JobPage:
    """A job as it is looked at; `kit_open` are the lines of its kit that are not there yet."""

    shop: Shop
    today: date
    view: JobView
    people: People
    kit_open: tuple[KitLine, ...] = ()


@dataclass(frozen=True)
class Kept:
    """What is kept of a circuit's curve and its pulses: calibrations, the newest first, controller entries, cross-checks, pulse
    checks, the newest first.
    """

    calibrations: tuple[Calibration, ...]
    entries: tuple[KeptEntry, ...]
    checks: tuple[KeptCheck, ...]
    pulses: tuple[KeptPulse, ...]


def kept_of(store: Store, circuits: tuple[Circuit, ...]) -> dict[UUID, Kept]:
    uids = [circuit.uid for circuit in circuits]
    calibrations = store.calibrations.of_circuits(uids)
    entries, checks = store.calibrations.entries_of(uids), store.calibrations.checks_of(uids)
    pulses = store.pulses.checks_of(uids)
    return {uid: Kept(calibrations[uid], entries[uid], checks[uid], pulses[uid]) for uid in uids}


def look_at_sheet(database: Database, job_uid: UUID) -> tuple[JobPage, dict[UUID, Kept]]:
    """A job for its Handover sheet, with what is kept of each circuit beside its readings."""
    page = look_at_job(database, job_uid)
    with database.unit() as store:
        return page, kept_of(store, tuple(v.circuit for v in page.view.circuits))


@dataclass(frozen=True)
class Imported:
    """The job that an import made, and what was done differently from the file, in sentences."""

    job_uid: UUID
    notes: tuple[str, ...]


_LATEST_DONE = 10
_FLOOR_S = 0.3  # for verdicts that no longer hold; what is left is judged at the next look


def look_at_floor(database: Database, asked: str = "") -> FloorView:
    """The open jobs with their circuits assessed, and the latest that were handed over, without their circuits.

    `asked` leaves only those whose vehicle or title holds each of its words.
    """
    words = asked.lower().split()

    def fits(job: Job) -> bool:
        said = f"{job.vehicle.tag} {job.vehicle.description} {job.title} {job.number}".lower()
        return all(word in said for word in words)

    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        working = tuple(job for job in store.jobs.jobs(shop.uid, is_open=True) if fits(job))
        latest = store.jobs.jobs(shop.uid, is_open=False, limit=None if words else _LATEST_DONE)
        done = [JobView(job, ()) for job in latest if fits(job)][:_LATEST_DONE]
        found, vehicles = gathered(store, shop, people, working), store.jobs.vehicles(shop.uid)
    left = TimeLeft(_FLOOR_S)
    judged = tuple(job.judged(database, left=left) for job in found)
    return FloorView(shop, today(shop), vehicles, (*judged, *done), people)


def look_at_jobs(database: Database, *, is_open: bool | None, limit: int, offset: int) -> tuple[JobView, ...]:
    """A part of all jobs there ever were, with their circuits assessed; the open ones first."""
    with database.unit() as store:
        shop = require_shop(store)
        jobs = store.jobs.jobs(shop.uid, is_open=is_open, limit=limit, offset=offset)
        found = gathered(store, shop, people_of(store, shop), jobs)
    left = TimeLeft(_FLOOR_S)
    return tuple(job.judged(database, left=left) for job in found)


def judge_open_jobs(database: Database) -> None:
    """Conclude and keep every verdict of the open jobs that no longer holds: without hurry, so that no page has to."""
    with database.unit() as store:
        shop = store.shops.first()
        if shop is None:
            return
        found = gathered(store, shop, people_of(store, shop), store.jobs.jobs(shop.uid, is_open=True))
    for job in found:
        job.judged(database)


def look_at_arrivals(database: Database) -> FloorView:
    """What starting a job chooses from: the vehicles and the people, without the jobs that there are."""
    with database.unit() as store:
        shop = require_shop(store)
        return FloorView(shop, today(shop), store.jobs.vehicles(shop.uid), (), people_of(store, shop))


def look_at_job(database: Database, job_uid: UUID, depth: Depth = Depth.VERDICT) -> JobPage:
    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        (found,) = gathered(store, shop, people, (store.jobs.job(job_uid),))
        still = open_lines(store.plans.kit(job_uid))
    return JobPage(shop, today(shop), found.judged(database, depth), people, still)


def look_at_circuit(database: Database, circuit_uid: UUID) -> tuple[Circuit, UUID]:
    """A circuit as it was entered, and the job that it belongs to; nothing is judged."""
    with database.unit() as store:
        return store.circuits.circuit(circuit_uid)


def add_vehicle(database: Database, vehicle: Vehicle) -> None:
    with named("uq_vehicle_shop_uid_tag", "tag", vehicle.tag, "a vehicle"), database.unit() as store:
        store.jobs.add_vehicle(require_shop(store).uid, vehicle)


def add_job(database: Database, job: Job) -> int:
    """Add a job; gives back the number that it got. One for practice brings the simulator into the shop."""
    with database.unit() as store:
        if job.is_practice:
            people = store.shops.technicians(require_shop(store).uid)
            if all(person.name != SIMULATOR_NAME for person in people):
                store.shops.add_technician(require_shop(store).uid, Technician(uuid4(), SIMULATOR_NAME))
        return store.jobs.add_job(job)


def add_circuit(database: Database, job_uid: UUID, circuit: Circuit, *, reader_is_told: bool = False) -> None:
    """Add a circuit to an open job. What the reader shows is taken from the shop's last one on that controller, unless told."""
    with named("uq_circuit_job_uid_name", "name", circuit.name, "a circuit of this job"), database.unit() as store:
        _require_open(store, job_uid, "update")  # circuits of a job are counted, so they are added one after the other
        if not reader_is_told:
            circuit = replace(circuit, reader=remembered_reader(store, require_shop(store), circuit))
        store.circuits.add(job_uid, circuit)


def change_circuit(database: Database, circuit: Circuit) -> None:
    """Correct a circuit's card; its readings stay and are judged against the corrected card."""
    with named("uq_circuit_job_uid_name", "name", circuit.name, "a circuit of this job"), database.unit() as store:
        _old, job_uid = store.circuits.circuit(circuit.uid)
        _require_open(store, job_uid)
        store.circuits.change(circuit)


def hand_over(database: Database, job_uid: UUID, reviewer_uid: UUID) -> None:
    """Close a job whose circuits are all proved, if need be without a slope; refused, saying what is open, for any other.

    It is judged before it is locked; where somebody added something in between, nothing is signed.
    """
    with database.unit() as store:
        shop = require_shop(store)
        _require_open(store, job_uid)
        if store.jobs.job(job_uid).is_practice:
            raise RefusedRequestError("This job is for practice.", "It has no vehicle to hand over.")
        store.shops.technician(reviewer_uid)
        (seen,) = gathered(store, shop, people_of(store, shop), (store.jobs.job(job_uid),))
    view = seen.judged(database)
    if not view.may_be_handed_over:
        still_open = [v.circuit.name for v in view.standing if not v.assessment.verdict.level.is_done]
        problem = (
            f"Not every circuit is proved good: {', '.join(still_open)}."
            if still_open
            else "This job has no circuit yet."
        )
        raise RefusedRequestError(problem, "Nothing was signed. Finish them on the Bench first.")
    with database.unit() as store:
        _require_open(store, job_uid, "update")
        (now_there,) = gathered(store, shop, people_of(store, shop), (store.jobs.job(job_uid),))
        if now_there.circuits != seen.circuits:
            raise RefusedRequestError("Somebody added to this job meanwhile.", "Nothing was signed. Look at it again.")
        store.jobs.hand_over(job_uid, now(), reviewer_uid)


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
        kept = kept_of(store, circuits)
        kit, plan = store.plans.kit(job_uid), store.plans.plan(job.vehicle.uid, job.vehicle.system_v)
        (found,) = gathered(store, shop, people, (job,))
    verdicts = {v.circuit.uid: v.assessment.verdict for v in found.judged(database).circuits}
    every = [r for group in readings.values() for r in group]
    named: set[UUID | None] = {job.technician.uid, *(r.technician_uid for r in every)}
    if job.reviewed_by is not None:
        named.add(job.reviewed_by.uid)
    used = {r.instrument_uid for r in every} | {r.stimulus_instrument_uid for r in every}
    for curves in kept.values():
        named |= {c.technician_uid for c in curves.calibrations} | {c.signed_by_uid for c in curves.calibrations}
        named |= {e.technician_uid for e in curves.entries} | {c.technician_uid for c in curves.checks}
        named |= {p.technician_uid for p in curves.pulses}
        used |= {uid for c in curves.calibrations for uid in (c.setup.meter_uid, c.setup.gauge_uid)}
    named |= {line.done_by_uid for line in kit} | {m.technician_uid for m in plan.maps}
    return JobRecord(
        job,
        tuple(t for t in people.technicians if t.uid in named),
        tuple(i for i in people.instruments if i.uid in used),
        tuple(
            CircuitRecord(
                circuit=c,
                readings=readings[c.uid],
                calibrations=kept[c.uid].calibrations[::-1],
                entries=kept[c.uid].entries,
                checks=kept[c.uid].checks,
                pulses=kept[c.uid].pulses,
                verdict=verdicts[c.uid],
            )
            for c in circuits
        ),
        kit=kit,
        plan=_of_job(plan, {c.uid for c in circuits}),
    )


def _of_job(plan: VehiclePlan, circuits: set[UUID]) -> VehiclePlan:
    """A vehicle's plan without the ties to circuits of its other jobs."""
    functions = tuple(f if f.circuit_uid in circuits else replace(f, circuit_uid=None) for f in plan.functions)
    return replace(plan, functions=functions)


def import_job(database: Database, record: JobRecord, file_name: str) -> Imported:
    """Add a job from a file. What the Shelf already has is used as it stands here; a job that is here is refused."""
    try:
        with database.unit() as store:
            return _import(store, require_shop(store), record, file_name)
    except IntegrityError as error:
        log.warning("import refused by the database", constraint=broken_constraint(error))
        problem = "It does not fit together, or parts of it are in another job here already."
        raise BadFileError(file_name, problem, "Nothing was imported. Export the job again.") from error


def _import(store: Store, shop: Shop, record: JobRecord, file_name: str) -> Imported:
    job, taken_in = record.job, _TakenIn(store, shop)
    if store.jobs.has_job(job.uid):
        problem = f"{store.jobs.job(job.uid).name} is this very job, so it is not added twice."
        raise BadFileError(file_name, problem, "Open it on the Floor.")
    taken_in.shelf(record)
    taken_in.vehicle(job.vehicle)
    keep = store.jobs.number_is_free(job.number)
    number = store.jobs.add_job(job, keep_number=keep)
    if not keep:
        taken_in.notes.append(f"Job number {job.number} is taken here; this one became {number}.")
    for circuit_record in record.circuits:
        store.circuits.add(job.uid, circuit_record.circuit)
        stored = store.readings.add_all(circuit_record.circuit.uid, circuit_record.readings)
        if stored != len(circuit_record.readings):
            problem = f"A reading of “{circuit_record.circuit.name}” stands in it twice, or in another job here."
            raise BadFileError(file_name, problem, "Nothing was imported. Export the job again.")
        _import_kept(store, shop, circuit_record)
    store.plans.add_kit_lines(job.uid, record.kit)
    taken_in.plan(job.vehicle, record.plan)
    return Imported(job.uid, tuple(taken_in.notes))


def _import_kept(store: Store, shop: Shop, record: CircuitRecord) -> None:
    for calibration in record.calibrations:
        store.calibrations.add(shop.uid, calibration)
        if calibration.signed_at is not None and calibration.signed_by_uid is not None:
            store.calibrations.sign(
                calibration.uid, calibration.signed_at, calibration.signed_by_uid, calibration.remark
            )
    for entry in record.entries:
        store.calibrations.add_entry(record.circuit.uid, entry)
    for check in record.checks:
        store.calibrations.add_check(record.circuit.uid, check)
    for pulse in record.pulses:
        store.pulses.add_check(record.circuit.uid, pulse)


class _TakenIn:
    """Brings what a file's job needs onto this shop's Shelf and Floor; `notes` says what came out differently."""

    def __init__(self, store: Store, shop: Shop) -> None:
        self._store = store
        self._shop_uid = shop.uid
        self.notes: list[str] = []

    def shelf(self, record: JobRecord) -> None:
        """Add the people, instruments and sensor types that are new here; keep those that are known as they stand."""
        store, shop_uid = self._store, self._shop_uid
        people = {t.uid: t for t in store.shops.technicians(shop_uid)}
        for technician in self._new(record.technicians, people):
            store.shops.add_technician(shop_uid, technician)
        tools = {i.uid: i for i in store.shelf.instruments(shop_uid)}
        for instrument in self._new(record.instruments, tools):
            store.shelf.add_instrument(shop_uid, instrument)
        known = {s.uid: s for s in store.shelf.sensor_types(shop_uid, replaced=True)}
        fitted = {r.circuit.sensor.uid: r.circuit.sensor for r in record.circuits}
        fitted |= {c.sensor.uid: c.sensor for r in record.circuits for c in r.calibrations}
        for sensor in self._new(tuple(fitted.values()), known):
            store.shelf.add_sensor_type(shop_uid, sensor)

    def vehicle(self, vehicle: Vehicle) -> None:
        vehicles = {v.uid: v for v in self._store.jobs.vehicles(self._shop_uid)}
        if vehicle.uid not in vehicles:
            tag = self._free_name(vehicle.tag, {v.tag for v in vehicles.values()}, 20)
            self._store.jobs.add_vehicle(self._shop_uid, replace(vehicle, tag=tag))

    def plan(self, vehicle: Vehicle, plan: VehiclePlan) -> None:
        """Take a vehicle's plan in, unless one is here already."""
        plans = self._store.plans
        here = plans.plan(vehicle.uid, vehicle.system_v)
        if plan == VehiclePlan():
            return
        if here != VehiclePlan():
            if _of_job(here, set()) != _of_job(plan, set()):
                self.notes.append(f"What is planned on {vehicle.tag} stays as it is here.")
            return
        types = {kind.uid: kind for kind in plans.module_types(self._shop_uid)}
        names = {kind.name for kind in types.values()}
        for module in plan.modules:
            if module.type.uid not in types:
                kind = replace(module.type, name=self._free_name(module.type.name, names, 80))
                plans.save_module_type(self._shop_uid, kind)
                types[kind.uid] = kind
            plans.add_module(vehicle.uid, module)
        for function in plan.functions:
            plans.save_function(vehicle.uid, function)
        for place in plan.places:
            plans.save_place(replace(place, done=False), None, None)
        plans.save_harness(vehicle.uid, plan.harness)
        for feed in plan.feeds:
            plans.save_feed(vehicle.uid, feed)
        for kept in plan.maps:
            plans.keep_map(vehicle.uid, kept)

    def _new(self, things: tuple[_Named, ...], known: dict[UUID, _Named]) -> list[_Named]:
        """Those of `things` that are not known here, under names that are free."""
        names = {thing.name for thing in known.values()}
        new = []
        for thing in things:
            if thing.uid not in known:
                new.append(replace(thing, name=self._free_name(thing.name, names, 80)))
            elif known[thing.uid] != thing:
                self.notes.append(f"“{thing.name}” is kept as it stands on this Shelf.")
        return new

    def _free_name(self, name: str, taken: set[str], longest: int) -> str:
        """The name, or the name with a number when something else here has it already."""
        free, count = name, 2
        while free in taken:
            ending = f" ({count})"
            free, count = name[: longest - len(ending)] + ending, count + 1
        if free != name:
            self.notes.append(f"“{name}” is the name of something else here, so the one from the file is “{free}”.")
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
