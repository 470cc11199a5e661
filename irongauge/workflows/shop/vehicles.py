"""A vehicle: its card and promise with their history, its circuits of all jobs, notes and pictures, and what was handed over."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from uuid import UUID, uuid4

from irongauge.core.plan.record import VehiclePlan
from irongauge.core.shop import Job, Picture, Promise, Shop, Vehicle, VehicleChange, VehicleNote
from irongauge.errors import ChangedMeanwhileError, EntryError
from irongauge.formats.pictures import CleanPicture
from irongauge.store.database import Database
from irongauge.workflows.bench.verdicts import TimeLeft
from irongauge.workflows.shop.jobs import check_dates
from irongauge.workflows.shop.shelf import named
from irongauge.workflows.shop.view import (
    JobView,
    People,
    gathered,
    holds_words,
    now,
    people_of,
    require_known,
    require_open,
    require_shop,
    today,
)

__all__ = [
    "MOST_PICTURES",
    "VehicleView",
    "add_note",
    "add_picture",
    "change_vehicle",
    "find_vehicles",
    "look_at_picture",
    "look_at_vehicle",
    "move_promise",
    "remove_picture",
    "retire_circuit",
]

MOST_PICTURES = 40
_PAGE_S = 0.3  # for verdicts that no longer hold


@dataclass(frozen=True, kw_only=True)
class VehicleView:
    """A vehicle with everything that is known of it; jobs the newest first, connectors with how many cavities they have."""

    shop: Shop
    today: date
    vehicle: Vehicle
    jobs: tuple[JobView, ...]
    plan: VehiclePlan
    connectors: tuple[tuple[str, int], ...]
    notes: tuple[VehicleNote, ...]
    pictures: tuple[Picture, ...]
    changes: tuple[VehicleChange, ...]
    people: People


def find_vehicles(database: Database, asked: str) -> tuple[Shop, tuple[Vehicle, ...]]:
    """Vehicles whose tag or description holds every word that is asked for; all of them where nothing is."""
    with database.unit() as store:
        shop = require_shop(store)
        every = store.jobs.vehicles(shop.uid)
    return shop, tuple(v for v in every if holds_words(asked, f"{v.tag} {v.description}"))


def look_at_vehicle(database: Database, uid: UUID) -> VehicleView:
    with database.unit() as store:
        shop = require_shop(store)
        people, vehicle = people_of(store, shop), store.jobs.vehicle(uid)
        found = gathered(store, shop, people, store.jobs.jobs_of(uid))
        plan = store.plans.inputs(uid)
        notes, pictures = store.vehicles.notes(uid), store.vehicles.pictures(uid)
        changes = store.vehicles.changes(uid)
        connectors = store.wirings.connectors(uid)
    left = TimeLeft(_PAGE_S)
    jobs = tuple(job.judged(database, left=left) for job in found)
    return VehicleView(
        shop=shop,
        today=today(shop),
        vehicle=vehicle,
        jobs=jobs,
        plan=plan,
        connectors=connectors,
        notes=notes,
        pictures=pictures,
        changes=changes,
        people=people,
    )


_FIELDS = (("tag", "tag"), ("description", "description"), ("system_v", "system"), ("height_m", "height"),
           ("batteries", "batteries"))  # fmt: skip


def _shown(name: str, value: object) -> str:
    unit = {"system_v": " V", "height_m": " m"}.get(name, "")
    return f"{value:g}{unit}" if isinstance(value, float) else "" if value is None else str(value)


def change_vehicle(database: Database, vehicle: Vehicle, seen: Vehicle, technician_uid: UUID | None) -> None:
    """Write a changed card, and what it was before. `seen` is what the form was filled in from: where somebody else has changed
    it since, `ChangedMeanwhileError` says so and nothing is written.
    """
    with named("uq_vehicle_shop_uid_tag", "tag", vehicle.tag, "a vehicle"), database.unit() as store:
        old = store.jobs.vehicle(vehicle.uid, lock=True)
        require_known(store, technician_uid)
        if old != seen:
            changed = [label for name, label in _FIELDS if getattr(old, name) != getattr(seen, name)]
            raise ChangedMeanwhileError(f"the {', '.join(changed)} of {old.tag}")
        for name, label in _FIELDS:
            before, after = getattr(old, name), getattr(vehicle, name)
            if before != after:
                change = VehicleChange(
                    uid=uuid4(),
                    what=label,
                    old=_shown(name, before),
                    new=_shown(name, after),
                    changed_at=now(),
                    technician_uid=technician_uid,
                )
                store.vehicles.record(vehicle.uid, change)
        store.vehicles.change(vehicle)


def move_promise(
    database: Database,
    job_uid: UUID,
    promise: Promise,
    *,
    why: str,
    technician_uid: UUID | None,
    seen: Promise | None = None,
) -> Job:
    """Promise an open job for another day or time, with why; gives back the job as it is then."""
    with database.unit() as store:
        job = require_open(store, job_uid, "update")
        require_known(store, technician_uid)
        if seen is not None and seen != job.promise:
            raise ChangedMeanwhileError(f"the promise to {job.promise}")
        check_dates(job.received_on, promise.on)
        if promise != job.promise:
            change = VehicleChange(
                uid=uuid4(),
                what=f"promise of job {job.number}",
                old=str(job.promise),
                new=str(promise),
                changed_at=now(),
                why=why,
                job_uid=job.uid,
                technician_uid=technician_uid,
            )
            store.vehicles.record(job.vehicle.uid, change)
            store.jobs.move_promise(job.uid, promise)
        return replace(job, promise=promise)


def retire_circuit(database: Database, circuit_uid: UUID, why: str) -> UUID:
    """Say that a circuit is not there any more, and why, or with an empty `why` that it is there again; gives back its job.

    Its readings stay in the record; the hand-over does not wait for it.
    """
    with database.unit() as store:
        circuit, job_uid = store.circuits.circuit(circuit_uid)
        require_open(store, job_uid, "update")
        store.circuits.change(replace(circuit, retired_why=why))
        return job_uid


def add_note(database: Database, vehicle_uid: UUID, text: str, technician_uid: UUID) -> None:
    with database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        store.shops.technician(technician_uid)
        store.vehicles.add_note(vehicle_uid, VehicleNote(uuid4(), text, technician_uid, now()))


def add_picture(database: Database, vehicle_uid: UUID, title: str, clean: CleanPicture) -> UUID:
    """Keep a picture of a vehicle; gives back its identity."""
    picture = Picture(
        uid=uuid4(),
        title=title,
        media_type=clean.media_type,
        width=clean.width,
        height=clean.height,
        added_at=now(),
    )
    with database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        if len(store.vehicles.pictures(vehicle_uid)) >= MOST_PICTURES:
            problem = f"This vehicle has {MOST_PICTURES} pictures, which are the most."
            raise EntryError("file", title, problem, "Remove one first.")
        store.vehicles.add_picture(vehicle_uid, picture, clean.content)
    return picture.uid


def look_at_picture(database: Database, uid: UUID) -> tuple[Picture, bytes]:
    with database.unit() as store:
        return store.vehicles.picture(uid)


def remove_picture(database: Database, uid: UUID) -> None:
    with database.unit() as store:
        store.vehicles.remove_picture(uid)
