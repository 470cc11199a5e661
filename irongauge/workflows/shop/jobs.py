"""The Floor and its jobs: bring a vehicle in, add its circuits, hand it over."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from uuid import UUID, uuid4

from irongauge.core.people.review import Measured, may_review, who_tested
from irongauge.core.plan.kit import KitLine, open_lines
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import SIMULATOR_NAME, Job, Shop, Technician, Vehicle
from irongauge.errors import ChangedMeanwhileError, EntryError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.judging import CircuitFacts
from irongauge.workflows.bench.reader import remembered_reader
from irongauge.workflows.bench.verdicts import TimeLeft
from irongauge.workflows.plan.wirings import leave_by_wiring
from irongauge.workflows.shop.against import found_against
from irongauge.workflows.shop.kept import Kept, kept_of
from irongauge.workflows.shop.shelf import named
from irongauge.workflows.shop.view import (
    Depth,
    Gathered,
    JobView,
    People,
    clock,
    gathered,
    holds_words,
    now,
    people_of,
    require_open,
    require_shop,
    today,
)

__all__ = [
    "FloorView",
    "JobPage",
    "SheetPage",
    "add_circuit",
    "add_circuit_and_type",
    "add_job",
    "add_vehicle",
    "change_circuit",
    "hand_over",
    "judge_open_jobs",
    "look_at_arrivals",
    "look_at_circuit",
    "look_at_floor",
    "look_at_job",
    "look_at_jobs",
    "look_at_sheet",
    "reopen",
]


@dataclass(frozen=True)
class FloorView:
    """The shop's vehicles, jobs and people at a moment; `clock` is the shop's own."""

    shop: Shop
    clock: datetime
    vehicles: tuple[Vehicle, ...]
    jobs: tuple[JobView, ...]
    people: People

    @property
    def today(self) -> date:
        return self.clock.date()


@dataclass(frozen=True)
class JobPage:
    """A job as it is looked at; `kit_open` are the lines of its kit that are not there yet."""

    shop: Shop
    today: date
    view: JobView
    people: People
    kit_open: tuple[KitLine, ...] = ()


@dataclass(frozen=True)
class SheetPage:
    """A job for its Handover sheet, with what is kept of each circuit beside its readings, and everybody who tested it."""

    page: JobPage
    kept: dict[UUID, Kept]
    testers: frozenset[UUID]


def look_at_sheet(database: Database, job_uid: UUID) -> SheetPage:
    with database.unit() as store:
        read = _read(store, job_uid)
        testers = _testers(store, job_uid, read.found.circuits, read.kept)
    return SheetPage(read.page(database), read.kept, testers)


# What counts as testing, for who reviews: the tables of what was measured.
_TESTED = ("reading", "calibration", "calibration_point", "pulse_check", "cross_check", "controller_entry")


def _testers(store: Store, job_uid: UUID, circuits: Iterable[CircuitFacts], kept: dict[UUID, Kept]) -> frozenset[UUID]:
    """Everybody who measured something in a job, and who entered it in somebody else's name."""
    measured: list[Measured] = [reading for facts in circuits for reading in facts.readings]
    for of_circuit in kept.values():
        measured += [*of_circuit.calibrations, *of_circuit.pulses]
    return who_tested(store.people.who_entered(job_uid, _TESTED), measured)


_LATEST_DONE = 10
_FLOOR_S = 0.3  # for verdicts that no longer hold; what is left is judged at the next look


def look_at_floor(database: Database, asked: str = "") -> FloorView:
    """The open jobs with their circuits assessed, and the latest that were handed over, without their circuits.

    `asked` leaves only those whose vehicle or title holds each of its words.
    """

    def fits(job: Job) -> bool:
        return holds_words(asked, f"{job.vehicle.tag} {job.vehicle.description} {job.title} {job.number}")

    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        working = tuple(job for job in store.jobs.jobs(shop.uid, is_open=True) if fits(job))
        latest = store.jobs.jobs(shop.uid, is_open=False, limit=None if asked else _LATEST_DONE)
        done = [JobView(job, ()) for job in latest if fits(job)][:_LATEST_DONE]
        found, vehicles = gathered(store, shop, people, working), store.jobs.vehicles(shop.uid)
    left = TimeLeft(_FLOOR_S)
    judged = _with_against(database, people, [job.judged(database, left=left) for job in found])
    return FloorView(shop, clock(shop), vehicles, (*judged, *done), people)


def _with_against(database: Database, people: People, views: Sequence[JobView]) -> list[JobView]:
    """Jobs with what speaks against those that are proved; the others have enough to do."""
    proved = {view.job.uid: view for view in views if view.may_be_handed_over}
    if not proved:
        return list(views)
    with database.unit() as store:
        kept = kept_of(store, [v.circuit for view in proved.values() for v in view.circuits])
        for uid, view in proved.items():
            against = found_against(store, people, view.job, [v.circuit for v in view.circuits], kept)
            proved[uid] = replace(view, against=against)
    return [proved.get(view.job.uid, view) for view in views]


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
        return FloorView(shop, clock(shop), store.jobs.vehicles(shop.uid), (), people_of(store, shop))


@dataclass(frozen=True)
class _Read:
    """What a job's page is made of, as it was read; it is judged after the unit of work."""

    shop: Shop
    people: People
    found: Gathered
    kit_open: tuple[KitLine, ...]
    kept: dict[UUID, Kept]

    def page(self, database: Database, depth: Depth = Depth.VERDICT) -> JobPage:
        return JobPage(self.shop, today(self.shop), self.found.judged(database, depth), self.people, self.kit_open)


def _read(store: Store, job_uid: UUID, depth: Depth = Depth.VERDICT) -> _Read:
    """A job from the store; for the marks alone without what other rooms keep of it."""
    shop = require_shop(store)
    people = people_of(store, shop)
    (found,) = gathered(store, shop, people, (store.jobs.job(job_uid),))
    kept = kept_of(store, found.every_circuit) if depth is Depth.VERDICT else {}
    if depth is Depth.VERDICT and not found.job.handed_over_at:
        found = replace(found, against=found_against(store, people, found.job, found.every_circuit, kept))
    return _Read(shop, people, found, open_lines(store.kits.of_job(job_uid)), kept)


def look_at_job(database: Database, job_uid: UUID, depth: Depth = Depth.VERDICT) -> JobPage:
    with database.unit() as store:
        read = _read(store, job_uid, depth)
    return read.page(database, depth)


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


def add_circuit_and_type(database: Database, job_uid: UUID, circuit: Circuit) -> None:
    """Add a circuit whose sensor's type is not on the Shelf yet: both or neither."""
    with (
        named("uq_sensor_type_shop_uid_name", "type_name", circuit.sensor.name, "a sensor type"),
        named("uq_circuit_job_uid_name", "name", circuit.name, "a circuit of this job"),
        database.unit() as store,
    ):
        shop = require_shop(store)
        # Circuits of a job are counted, so they are added one after the other.
        job = require_open(store, job_uid, "update")
        store.shelf.add_sensor_type(shop.uid, circuit.sensor)
        store.circuits.add(job_uid, replace(circuit, reader=remembered_reader(store, shop, circuit)))
        leave_by_wiring(store, job.vehicle)


def add_circuit(database: Database, job_uid: UUID, circuit: Circuit, *, reader_is_told: bool = False) -> None:
    """Add a circuit to an open job. What the reader shows is taken from the shop's last one on that controller, unless told."""
    with named("uq_circuit_job_uid_name", "name", circuit.name, "a circuit of this job"), database.unit() as store:
        # Circuits of a job are counted, so they are added one after the other.
        job = require_open(store, job_uid, "update")
        if not reader_is_told:
            circuit = replace(circuit, reader=remembered_reader(store, require_shop(store), circuit))
        store.circuits.add(job_uid, circuit)
        leave_by_wiring(store, job.vehicle)


def change_circuit(database: Database, circuit: Circuit, was: Circuit) -> None:
    """Correct a circuit's card; its readings stay and are judged against the corrected card.

    `was` is the card that was looked at: where it is another one by now, `ChangedMeanwhileError` says so and nothing is written.
    """
    with named("uq_circuit_job_uid_name", "name", circuit.name, "a circuit of this job"), database.unit() as store:
        _old, job_uid = store.circuits.circuit(circuit.uid)
        job = require_open(store, job_uid, "update")
        store.session.expire_all()  # what was read before the lock may be old
        if store.circuits.circuit(circuit.uid)[0] != was:
            raise ChangedMeanwhileError(f"the data of {was.name}")
        store.circuits.change(circuit)
        leave_by_wiring(store, job.vehicle)


def hand_over(database: Database, job_uid: UUID, reviewer_uid: UUID) -> None:
    """Close a job whose circuits are all proved, if need be without a slope; refused, saying what is open, for any other.

    Who tested does not review, unless the shop lets a foreman do it alone. It is judged before it is locked; where somebody
    added something in between, nothing is signed.
    """
    with database.unit() as store:
        require_open(store, job_uid)
        if store.jobs.job(job_uid).is_practice:
            raise RefusedRequestError("This job is for practice.", "It has no vehicle to hand over.")
        store.shops.technician(reviewer_uid)
        seen = _read(store, job_uid)
    shop, view = seen.shop, seen.found.judged(database)
    if not view.may_be_handed_over:
        raise RefusedRequestError(*_why_not_ready(view))
    with database.unit() as store:
        require_open(store, job_uid, "update")
        (now_there,) = gathered(store, shop, people_of(store, shop), (store.jobs.job(job_uid),))
        if now_there.circuits != seen.found.circuits:
            raise RefusedRequestError("Somebody added to this job meanwhile.", "Nothing was signed. Look at it again.")
        kept = kept_of(store, now_there.every_circuit)
        testers, person = _testers(store, job_uid, now_there.circuits, kept), store.people.account(reviewer_uid).person
        alone = reviewer_uid in testers
        if not may_review(person, testers, foreman_alone=shop.foreman_alone):
            problem = f"{person.name} tested this job." if alone else f"{person.name} may not review a job."
            raise RefusedRequestError(problem, "Nothing was signed. Somebody else reviews it.")
        moment = now()
        store.jobs.hand_over(job_uid, moment, reviewer_uid, alone=alone)
        store.handovers.answer_remarks(job_uid, reviewer_uid, moment)


def _why_not_ready(view: JobView) -> tuple[str, str]:
    """What keeps a job from being handed over, and what to do."""
    still_open = [v.circuit.name for v in view.standing if not v.assessment.verdict.level.is_done]
    if still_open:
        problem = f"Not every circuit is proved good: {', '.join(still_open)}."
        return problem, "Nothing was signed. Finish them on the Bench first."
    if view.left_behind:
        return f"{view.left_behind[0].title}.", "Nothing was signed. Change it, and tick it off under Inputs."
    if view.against:
        return view.against[0].said, "Nothing was signed. Put it right, and look again there."
    return "This job has no circuit yet.", "Nothing was signed."


def reopen(database: Database, job_uid: UUID) -> None:
    with database.unit() as store:
        store.jobs.hand_over(job_uid, None, None)


def check_dates(received_on: date, promised_on: date) -> None:
    """Raise `EntryError` when a job would be promised before it came in."""
    if promised_on < received_on:
        problem = f"{promised_on:%d.%m.%Y} is before the day it came in."
        raise EntryError("promised_on", promised_on.isoformat(), problem, "Choose the same day or a later one.")
