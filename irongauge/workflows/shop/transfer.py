"""A job as a file: written whole, and taken in from another shop.

What a file says that somebody did is a claim. That it was handed over, reviewed or signed is told as such and never becomes a
deed of this shop: the job is open here until somebody of this shop hands it over.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Protocol, TypeVar
from uuid import UUID

import structlog
from sqlalchemy.exc import IntegrityError

from irongauge.core.job_record import CircuitRecord, JobRecord
from irongauge.core.plan.harness import Harness
from irongauge.core.plan.record import VehiclePlan
from irongauge.core.sensors.circuits import Circuit, Instrument, SensorType
from irongauge.core.sensors.licensed import PartOf, licence_of
from irongauge.core.shop import Job, Shop, Technician, Vehicle
from irongauge.errors import BadFileError
from irongauge.store.acting import in_others_names
from irongauge.store.database import Database, broken_constraint
from irongauge.store.repositories import Store
from irongauge.workflows.plan.wirings import leave_by_wiring
from irongauge.workflows.shop.kept import Kept, kept_of
from irongauge.workflows.shop.view import gathered, people_of, require_shop
from irongauge.workflows.trace.normals import kept_normals

__all__ = ["Imported", "export_job", "import_job"]

log = structlog.get_logger()

_Named = TypeVar("_Named", Technician, Instrument, SensorType)


@dataclass(frozen=True)
class Imported:
    """The job that an import made, and what was done differently from the file, in sentences."""

    job_uid: UUID
    notes: tuple[str, ...]


class _Done(Protocol):
    """What somebody did."""

    @property
    def technician_uid(self) -> UUID | None:
        """Who did it."""


def _people_in(kept: Kept) -> set[UUID | None]:
    """Who stands in what is kept of one circuit beside its readings."""
    signers = {c.signed_by_uid for c in kept.calibrations}
    return signers | _done_by(kept.calibrations, kept.entries, kept.checks, kept.pulses)


def _done_by(*records: Iterable[_Done]) -> set[UUID | None]:
    return {record.technician_uid for group in records for record in group}


def export_job(database: Database, job_uid: UUID) -> JobRecord:
    """One job, whole, with the people and instruments that it names."""
    with database.unit() as store:
        shop = require_shop(store)
        job = store.jobs.job(job_uid)
        circuits = store.circuits.of_jobs([job_uid])[job_uid]
        readings = store.readings.of_circuits(c.uid for c in circuits)
        people = people_of(store, shop)
        kept = kept_of(store, circuits)
        kit, plan = store.kits.of_job(job_uid), store.plans.plan(job.vehicle)
        usual = (replace(r, log_uid=None, job_uid=None, uid=None) for r in kept_normals(store, job.vehicle))
        normals = tuple(sorted(usual, key=lambda r: (r.taken_at, r.channel, r.condition, r.value)))
        codes = store.live.codes(job_uid)
        (found,) = gathered(store, shop, people, (job,))
    verdicts = {v.circuit.uid: v.assessment.verdict for v in found.judged(database).circuits}
    every = [r for group in readings.values() for r in group]
    named = {job.technician.uid, None if job.reviewed_by is None else job.reviewed_by.uid}
    named |= _done_by(every, codes, plan.maps, plan.trials)
    named |= {line.done_by_uid for line in kit}.union(*map(_people_in, kept.values()))
    used = {uid for r in every for uid in (r.instrument_uid, r.stimulus_instrument_uid)}
    used |= {uid for c in kept.values() for k in c.calibrations for uid in (k.setup.meter_uid, k.setup.gauge_uid)}
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
        normals=normals,
        codes=codes,
    )


def _of_job(plan: VehiclePlan, circuits: set[UUID]) -> VehiclePlan:
    """A vehicle's plan without the ties to circuits of its other jobs."""
    functions = tuple(f if f.circuit_uid in circuits else replace(f, circuit_uid=None) for f in plan.functions)
    return replace(plan, functions=functions)


def import_job(database: Database, record: JobRecord, file_name: str) -> Imported:
    """Add a job from a file. What the Shelf already has is used as it stands here; a job that is here is refused."""
    try:
        with in_others_names(), database.unit() as store:
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
    job = taken_in.claims(record)
    keep = store.jobs.number_is_free(job.number)
    number = store.jobs.add_job(job, keep_number=keep)
    if not keep:
        taken_in.notes.append(f"Job number {job.number} is taken here; this one became {number}.")
    for circuit_record in record.circuits:
        store.circuits.add(job.uid, taken_in.as_safe(circuit_record.circuit))
        stored = store.readings.add_all(circuit_record.circuit.uid, circuit_record.readings)
        if stored != len(circuit_record.readings):
            problem = f"A reading of “{circuit_record.circuit.name}” stands in it twice, or in another job here."
            raise BadFileError(file_name, problem, "Nothing was imported. Export the job again.")
        _import_kept(store, shop, circuit_record)  # as drafts: what is signed in the file was told above
    store.kits.add(job.uid, record.kit)
    taken_in.plan(job.vehicle, record.plan)
    leave_by_wiring(store, store.jobs.job(job.uid).vehicle)
    taken_in.normals(job.vehicle, record)
    for reading in record.codes:
        store.live.add_codes(reading)
    return Imported(job.uid, tuple(taken_in.notes))


def _import_kept(store: Store, shop: Shop, record: CircuitRecord) -> None:
    for calibration in record.calibrations:
        store.calibrations.add(shop.uid, replace(calibration, signed_at=None, signed_by_uid=None))
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
        self._next_count: dict[str, int] = {}

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

    def claims(self, record: JobRecord) -> Job:
        """The job without what the file claims of hand-over, review and signatures, which is told."""
        job = record.job
        if job.handed_over_at is not None or job.reviewed_by is not None:
            when = "" if job.handed_over_at is None else f" on {job.handed_over_at:%d %b %Y}"
            who = "" if job.reviewed_by is None else f", reviewed by {job.reviewed_by.name}"
            here = "Here it is open, till somebody of this shop hands it over."
            self.notes.append(f"The file says that it was handed over elsewhere{when}{who}. {here}")
        signed = sum(c.signed_at is not None for r in record.circuits for c in r.calibrations)
        if signed:
            are = f"{signed} calibration{'s are' if signed > 1 else ' is'} signed elsewhere"
            self.notes.append(f"The file says that {are}. Here nobody has signed it yet.")
        return replace(job, handed_over_at=None, reviewed_by=None)

    def as_safe(self, circuit: Circuit) -> Circuit:
        """A circuit without what the file claims of its safety: that one of brakes or steering by its name is none of them."""
        if circuit.part_of is not PartOf.NOTHING or licence_of(circuit.name) is None:
            return circuit
        told = f"“{circuit.name}” could be part of what is left to licensed work; the file says that it is not"
        self.notes.append(f"{told}. Look at it, and say so in its data.")
        return replace(circuit, part_of=PartOf.NOT_TOLD)

    def _as_safe_wires(self, harness: Harness) -> Harness:
        """The harness without what the file claims of its wires' safety."""
        doubted = [w for w in harness.wires if w.part_of is PartOf.NOTHING and licence_of(w.name) is not None]
        if doubted:
            names = ", ".join(f"“{wire.name}”" for wire in doubted[:5])
            self.notes.append(
                f"{names} could be wires of licensed work; the file says that they are not. Say so in the wiring."
            )
        wires = tuple(replace(w, part_of=PartOf.NOT_TOLD) if w in doubted else w for w in harness.wires)
        return Harness(harness.nodes, wires)

    def vehicle(self, vehicle: Vehicle) -> None:
        vehicles = {v.uid: v for v in self._store.jobs.vehicles(self._shop_uid)}
        if vehicle.uid not in vehicles:
            tag = self._free_name(vehicle.tag, {v.tag for v in vehicles.values()}, 20)
            self._store.jobs.add_vehicle(self._shop_uid, replace(vehicle, tag=tag))

    def plan(self, vehicle: Vehicle, plan: VehiclePlan) -> None:
        """Take a vehicle's plan in, unless one is here already."""
        plans = self._store.plans
        here = plans.plan(vehicle)
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
        self._what_is_read(vehicle, plan)
        wirings = self._store.wirings
        wirings.save_harness(vehicle.uid, self._as_safe_wires(plan.harness))
        for feed in plan.feeds:
            wirings.save_feed(vehicle.uid, feed)
        for kept in plan.maps:
            wirings.keep_map(vehicle.uid, kept)
        for trial in plan.trials:
            wirings.keep_trial(vehicle.uid, trial)

    def normals(self, vehicle: Vehicle, record: JobRecord) -> None:
        """Take in what is usual for a vehicle, unless something of that is known here already."""
        here = kept_normals(self._store, vehicle)
        if not here:
            self._store.traces.add_normal_readings(vehicle.uid, record.normals)
        elif record.normals and {(r.channel, r.value) for r in here} != {(r.channel, r.value) for r in record.normals}:
            self.notes.append(f"What is usual for {vehicle.tag} stays as it is here.")

    def _what_is_read(self, vehicle: Vehicle, plan: VehiclePlan) -> None:
        for function in plan.functions:
            self._store.plans.save_function(vehicle.uid, function)
        for place in plan.places:
            self._store.plans.save_place(replace(place, done=False), None, None)

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
        free, count = (
            name,
            self._next_count.get(name, 2),
        )  # many of one name are not counted from the beginning each time
        while free in taken:
            ending = f" ({count})"
            free, count = name[: longest - len(ending)] + ending, count + 1
        self._next_count[name] = count
        if free != name:
            self.notes.append(f"“{name}” is the name of something else here, so the one from the file is “{free}”.")
        taken.add(free)
        return free
