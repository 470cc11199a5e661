"""Circuits with what is known of them, as every room looks at them."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import UTC, date, datetime
from enum import Enum
from typing import Literal
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.bench.assessment import Assessment, VerdictLevel
from irongauge.core.measure.quantities import Reading
from irongauge.core.plan.places import LeftBehind
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Job, Shop, Technician
from irongauge.errors import JobClosedError, NoShopError, NotAllowedError
from irongauge.store.acting import acting
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.judging import CircuitFacts, marked
from irongauge.workflows.bench.verdicts import KeptVerdicts, TimeLeft, with_verdict

__all__ = [
    "Against",
    "CircuitView",
    "Depth",
    "Gathered",
    "JobView",
    "People",
    "clock",
    "gathered",
    "holds_words",
    "now",
    "open_job",
    "people_of",
    "require_known",
    "require_open",
    "require_own_name",
    "require_shop",
    "today",
]


def now() -> datetime:
    """This moment, to the microsecond that PostgreSQL keeps."""
    return datetime.now(UTC)


def today(shop: Shop) -> date:
    """Today where the shop is."""
    return clock(shop).date()


def clock(shop: Shop) -> datetime:
    """This moment by the shop's own clock, without its zone."""
    return now().astimezone(ZoneInfo(shop.timezone)).replace(tzinfo=None)


def require_shop(store: Store) -> Shop:
    shop = store.shops.first()
    if shop is None:
        raise NoShopError
    return shop


@dataclass(frozen=True)
class CircuitView:
    """One circuit, every reading of it (oldest first), and the assessment of the current ones."""

    circuit: Circuit
    readings: tuple[Reading, ...]
    assessment: Assessment


@dataclass(frozen=True)
class Against:
    """Something that another room found against a job: by what, on what, and what it is; of a circuit where it has one."""

    by: str
    on: str
    sentence: str
    circuit_uid: UUID | None = None

    @property
    def said(self) -> str:
        """All of it in a line."""
        return f"{self.on}, {self.by}: {self.sentence}"


@dataclass(frozen=True)
class JobView:
    """A job and its circuits, what still reads an input that was left, and what other rooms found against it."""

    job: Job
    circuits: tuple[CircuitView, ...]
    left_behind: tuple[LeftBehind, ...] = ()
    against: tuple[Against, ...] = ()

    def against_circuit(self, uid: UUID) -> tuple[Against, ...]:
        """What was found against one of its circuits."""
        return tuple(one for one in self.against if one.circuit_uid == uid)

    @property
    def standing(self) -> tuple[CircuitView, ...]:
        """The circuits that are there: those that were retired stay in the record only."""
        return tuple(view for view in self.circuits if not view.circuit.retired_why)

    @property
    def levels(self) -> Counter[VerdictLevel]:
        """How many circuits stand at each verdict."""
        return Counter(view.assessment.verdict.level for view in self.standing)

    @property
    def may_be_handed_over(self) -> bool:
        """True when there is something tested, all of it is proved, at one point or at more, nothing reads an old input, and no
        other room found something against it.
        """
        is_proved = bool(self.standing) and all(level.is_done for level in self.levels)
        return is_proved and not self.left_behind and not self.against


@dataclass(frozen=True)
class People:
    """Who and what a page needs to name."""

    technicians: tuple[Technician, ...]
    instruments: tuple[Instrument, ...]

    @property
    def usable(self) -> tuple[Instrument, ...]:
        """The instruments that may be chosen; the others are only named by what was read with them."""
        return tuple(i for i in self.instruments if not i.retired)

    def technician_name(self, uid: UUID) -> str:
        return next((t.name for t in self.technicians if t.uid == uid), "someone no longer listed")

    def instrument(self, uid: UUID | None) -> Instrument | None:
        return next((i for i in self.instruments if i.uid == uid), None)


def people_of(store: Store, shop: Shop) -> People:
    return People(store.shops.technicians(shop.uid), store.shelf.instruments(shop.uid))


def require_open(store: Store, job_uid: UUID, lock: Literal["share", "update"] = "share") -> Job:
    """A job, held open until the unit of work ends; `JobClosedError` after hand-over."""
    job = store.jobs.job(job_uid, lock)
    if job.handed_over_at is not None:
        raise JobClosedError(job.name)
    return job


def open_job(store: Store, circuit_uid: UUID) -> tuple[Circuit, Job]:
    """A circuit and its job, held open until the unit of work ends; `JobClosedError` after hand-over."""
    circuit, job_uid = store.circuits.circuit(circuit_uid)
    return circuit, require_open(store, job_uid)


def require_known(store: Store, technician_uid: UUID | None) -> None:
    """Raise `NotFoundError` where somebody is named who is not in this shop; nobody may be named."""
    if technician_uid is not None:
        store.shops.technician(technician_uid)


def require_own_name(technician_uid: UUID | None) -> None:
    """Refuse a deed in the name of somebody else, by whoever may not do that; the database refuses it of what is new."""
    who = acting()
    if who.own_name_only and technician_uid not in {None, who.uid}:
        raise NotAllowedError(
            "That was entered in the name of somebody else, which only a foreman may do.", "Nothing was saved."
        )


def holds_words(asked: str, said: str) -> bool:
    """True where every word that is asked for is in what is said, in capitals or not; nothing asked for is in everything."""
    return all(word in said.lower() for word in asked.lower().split())


class Depth(Enum):
    """How much is asked of circuits: their marks alone, or the verdict that every page shows."""

    MARKS = "marks"
    VERDICT = "verdict"


@dataclass(frozen=True)
class Gathered:
    """A job and the facts of its circuits, as they were read from the store, with the verdicts kept: nothing is judged yet."""

    job: Job
    circuits: tuple[CircuitFacts, ...]
    kept: KeptVerdicts
    left_behind: tuple[LeftBehind, ...] = ()
    against: tuple[Against, ...] = ()

    @property
    def every_circuit(self) -> tuple[Circuit, ...]:
        """Its circuits, without what was read of them."""
        return tuple(facts.circuit for facts in self.circuits)

    def judged(self, database: Database, depth: Depth = Depth.VERDICT, left: TimeLeft | None = None) -> JobView:
        """The job with its circuits judged, in `left` where time counts. It belongs after the unit of work."""
        left = left or TimeLeft()

        def assessed(facts: CircuitFacts) -> Assessment:
            if depth is Depth.MARKS:
                return marked(facts)
            return with_verdict(database, facts, self.kept.get(facts.circuit.uid), left)

        views = tuple(CircuitView(f.circuit, f.readings, assessed(f)) for f in self.circuits)
        return JobView(self.job, views, self.left_behind, self.against)


def gathered(store: Store, shop: Shop, people: People, jobs: tuple[Job, ...]) -> tuple[Gathered, ...]:
    """The facts of the jobs' circuits, in a handful of queries however many there are."""
    circuits = store.circuits.of_jobs(job.uid for job in jobs)
    uids = [c.uid for group in circuits.values() for c in group]
    readings, pulses = store.readings.of_circuits(uids), store.pulses.marks_of(uids)
    kept = store.verdicts.of_circuits(uids)
    left_behind = store.plans.left_behind({job.vehicle.uid for job in jobs if job.handed_over_at is None})
    return tuple(
        Gathered(
            job,
            tuple(
                CircuitFacts.of(
                    shop, job, c, readings=readings[c.uid], instruments=people.instruments, pulses=pulses[c.uid]
                )
                for c in circuits[job.uid]
            ),
            kept,
            left_behind.get(job.vehicle.uid, ()) if job.handed_over_at is None else (),
        )
        for job in jobs
    )
