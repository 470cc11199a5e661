"""Circuits with what is known of them, as every room looks at them."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import UTC, date, datetime
from enum import Enum
from functools import lru_cache
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.bench.assessment import Assessment, VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, ShopLimits, confirmed_slots, current_readings, evidence_from
from irongauge.core.measure.quantities import Reading
from irongauge.core.measure.units import Quantity, standard_atmosphere_kpa
from irongauge.core.pulses.record import PulseMark
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Job, Shop, Technician, Vehicle
from irongauge.errors import JobClosedError, NoShopError
from irongauge.store.repositories import Store

__all__ = [
    "CircuitView",
    "Depth",
    "JobView",
    "People",
    "assessed",
    "bench_case",
    "circuit_views",
    "now",
    "open_job",
    "people_of",
    "require_shop",
    "today",
]


def now() -> datetime:
    """This moment, to the microsecond that PostgreSQL keeps."""
    return datetime.now(UTC)


def today(shop: Shop) -> date:
    """Today where the shop is."""
    return now().astimezone(ZoneInfo(shop.timezone)).date()


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
class JobView:
    """A job and its circuits."""

    job: Job
    circuits: tuple[CircuitView, ...]

    @property
    def levels(self) -> Counter[VerdictLevel]:
        """How many circuits stand at each verdict."""
        return Counter(view.assessment.verdict.level for view in self.circuits)

    @property
    def may_be_handed_over(self) -> bool:
        """True when there is something tested, and all of it is proved good."""
        return bool(self.circuits) and set(self.levels) == {VerdictLevel.GOOD}


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


def open_job(store: Store, circuit_uid: UUID) -> tuple[Circuit, Job]:
    """A circuit and its job, held open until the unit of work ends; `JobClosedError` after hand-over."""
    circuit, job_uid = store.circuits.circuit(circuit_uid)
    job = store.jobs.job(job_uid, "share")
    if job.handed_over_at is not None:
        raise JobClosedError(job.name)
    return circuit, job


def bench_case(
    shop: Shop, job: Job, circuit: Circuit, readings: tuple[Reading, ...], instruments: tuple[Instrument, ...]
) -> BenchCase:
    return _Facts.of(shop, job, circuit, readings, instruments).case()


@dataclass(frozen=True)
class _Facts:
    """Everything that what is said of a circuit depends on: the key under which answers are kept.

    `value_unit` and `heat_unit` are the codes of the units in which the shop reads what the sensor senses, None for one
    that only switches, and what a second, temperature channel does.
    """

    circuit: Circuit
    readings: tuple[Reading, ...]
    instruments: tuple[Instrument, ...]
    limits: ShopLimits
    vehicle: Vehicle
    value_unit: str | None
    heat_unit: str
    pulses: tuple[PulseMark, ...]

    @classmethod
    def of(  # noqa: PLR0913  everything that counts
        cls,
        shop: Shop,
        job: Job,
        circuit: Circuit,
        readings: tuple[Reading, ...],
        instruments: tuple[Instrument, ...],
        pulses: tuple[PulseMark, ...] = (),
    ) -> _Facts:
        quantity = circuit.sensor.quantity
        value_unit = None if quantity is None else shop.units[quantity]
        heat_unit = shop.units[Quantity.TEMPERATURE]
        return cls(circuit, readings, instruments, shop.limits, job.vehicle, value_unit, heat_unit, pulses)

    def case(self) -> BenchCase:
        return BenchCase(
            self.circuit,
            current_readings(self.readings),
            {i.uid: i for i in self.instruments},
            self.limits,
            self.vehicle.system_v,
            self.value_unit,
            self.heat_unit,
            standard_atmosphere_kpa(self.vehicle.height_m),
            evidence_from(self.readings),
            confirmed_slots(self.readings),
            self.pulses,
        )


@lru_cache(maxsize=256)
def _assessed(facts: _Facts) -> Assessment:
    """An assessment, kept: it is a pure function of values, and the Floor asks again for circuits that did not change."""
    return assess(facts.case())


@lru_cache(maxsize=64)
def _concluded(facts: _Facts) -> Assessment:
    return conclude(_assessed(facts))


class Depth(Enum):
    """How much is asked of circuits: their marks alone, or the diagnosis as well, which takes longer."""

    MARKS = "marks"
    FAULTS = "faults"
    ALL = "all"


def assessed(  # noqa: PLR0913  who asks, of what, how deep
    shop: Shop,
    job: Job,
    circuit: Circuit,
    readings: tuple[Reading, ...],
    people: People,
    pulses: tuple[PulseMark, ...],
    depth: Depth = Depth.ALL,
) -> Assessment:
    """What can be said of a circuit on its readings and the checks of its pulses, by this shop's limits and in its units.

    `FAULTS` asks for the diagnosis only where some reading is out.
    """
    facts = _Facts.of(shop, job, circuit, readings, people.instruments, pulses)
    marks = _assessed(facts)
    if depth is Depth.ALL or (depth is Depth.FAULTS and marks.verdict.level is VerdictLevel.FAULT):
        return _concluded(facts)
    return marks


def circuit_views(
    store: Store, shop: Shop, people: People, jobs: tuple[Job, ...], depth: Depth = Depth.MARKS
) -> tuple[JobView, ...]:
    """The jobs with their circuits assessed, in a handful of queries however many there are."""
    circuits = store.circuits.of_jobs(job.uid for job in jobs)
    uids = [c.uid for group in circuits.values() for c in group]
    readings, pulses = store.readings.of_circuits(uids), store.pulses.marks_of(uids)
    return tuple(
        JobView(
            job,
            tuple(
                CircuitView(c, readings[c.uid], assessed(shop, job, c, readings[c.uid], people, pulses[c.uid], depth))
                for c in circuits[job.uid]
            ),
        )
        for job in jobs
    )
