"""How a vehicle is wired: harness, feeds and connector maps, the way of a blamed wire, shields held against readings."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from uuid import UUID, uuid4

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import current_readings
from irongauge.core.diagnosis.faults import SURE
from irongauge.core.measure.entry import OVER_RANGE
from irongauge.core.measure.quantities import Reading, TestPoint
from irongauge.core.plan.chain import Form, Trial
from irongauge.core.plan.harness import End, Harness, NextPlace, Path
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.record import KeptFeed, KeptMap
from irongauge.core.plan.shields import ShieldCheck, check_shield, drain_read, drain_said
from irongauge.core.sensors.circuits import Circuit, Role
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.shop import Vehicle
from irongauge.errors import BadListError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.readings import BenchView
from irongauge.workflows.plan.plans import PlanView, look_at_plan
from irongauge.workflows.shop.shelf import named
from irongauge.workflows.shop.view import now

__all__ = [
    "ShieldView",
    "WireWay",
    "keep_map",
    "keep_trial",
    "leave_by_wiring",
    "remove_feed",
    "save_feed",
    "save_harness",
    "shields_of",
    "system_of",
    "trials_of",
    "ways_of_blamed_wire",
]


_MOST_WIRES = 2000


def save_harness(database: Database, vehicle_uid: UUID, harness: Harness) -> None:
    """Write a harness whole; `BadListError` tells everything that contradicts itself, and nothing is written."""
    if len(harness.wires) > _MOST_WIRES:
        raise BadListError("wires", [f"It has {len(harness.wires)} wires; {_MOST_WIRES} are the most of one vehicle."])
    if harness.problems:
        raise BadListError("wires", harness.problems)
    with database.unit() as store:
        vehicle = store.jobs.vehicle(vehicle_uid)
        store.wirings.save_harness(vehicle_uid, harness)
        leave_by_wiring(store, vehicle)


def leave_by_wiring(store: Store, vehicle: Vehicle) -> None:
    """Leave circuits of open jobs to licensed work whose way leads through its wires. What a person said of a circuit stays,
    but that nothing of airbags or high voltage can be denied.
    """
    jobs = [job for job in store.jobs.jobs_of(vehicle.uid) if job.handed_over_at is None]
    circuits = [c for of in store.circuits.of_jobs([job.uid for job in jobs]).values() for c in of]
    plan = store.plans.plan(vehicle, power=False) if circuits else None
    for circuit in circuits:
        licence = None if plan is None else plan.licence_on_way(circuit)
        if licence is None or circuit.licence is not None:
            continue
        if circuit.part_of is PartOf.NOT_TOLD or not licence.can_be_denied:
            store.circuits.change(replace(circuit, part_of=PartOf(licence.value)))


@dataclass(frozen=True)
class WireWay:
    """The way of a wire that a verdict blames: its pin, the ends that it passes from the sensor on, the part of it in which the
    readings leave the fault, and the test point at the connector that halves that part.
    """

    cavity: str
    ends: tuple[End, ...]
    between: tuple[End, End]
    half: NextPlace | None

    @property
    def is_narrowed(self) -> bool:
        return self.between != (self.ends[0], self.ends[-1])

    @property
    def test_point(self) -> TestPoint | None:
        """What to read next; None where no connector lies between."""
        return None if self.half is None else TestPoint(Action.WAY_V, self.cavity, None, str(self.half.end))


def ways_of_blamed_wire(database: Database, bench: BenchView) -> tuple[WireWay, ...]:
    """Where to look next for a fault in a wire; empty where the verdict blames none, or no harness is known."""
    diagnosis = bench.view.assessment.diagnosis
    if diagnosis is None or diagnosis.leader.is_healthy:
        return ()
    blamed = [role for role in Role if any(f"{role} wire" in where for where in diagnosis.leader.where)]
    if not blamed:
        return ()
    plan = look_at_plan(database, bench.job.job.vehicle.uid, power=False)
    roles = {pin.cavity: pin.role for pin in bench.view.circuit.pins}
    ways = []
    for cavity, path in plan.plan.paths_of(bench.view.circuit):
        if roles[cavity] in blamed:
            read = diagnosis.chances_on_the_way.get(cavity, {})
            first, last = _part_left(path, read)
            part = path.part(first, last)
            ways.append(WireWay(cavity, path.ends, (first, last), plan.plan.harness.next_place(part)))
    return tuple(ways)


def _part_left(path: Path, chances: Mapping[str, float]) -> tuple[End, End]:
    """The ends between which the readings on the way leave a fault. `chances` are those that it lies nearer to the controller
    than a place.
    """
    first, last = path.ends[0], path.ends[-1]
    for end in path.ends[1:-1]:  # from the sensor to the controller
        chance = chances.get(str(end))
        if chance is None:
            continue
        if chance >= SURE:
            first = end
        elif chance <= 1 - SURE and last == path.ends[-1]:
            last = end
    return first, last


def save_feed(database: Database, vehicle_uid: UUID, kept: KeptFeed) -> None:
    with named("uq_feed_vehicle_uid_name", "name", kept.feed.name, "a feed here"), database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        store.wirings.save_feed(vehicle_uid, kept)


def remove_feed(database: Database, vehicle_uid: UUID, uid: UUID) -> None:
    with database.unit() as store:
        store.wirings.remove_feed(vehicle_uid, uid)


def keep_map(
    database: Database,
    vehicle_uid: UUID,
    name: str,
    *,
    ours: tuple[Cavity, ...],
    theirs: tuple[Cavity, ...],
    technician_uid: UUID,
) -> None:
    """Keep two connectors put together; one of the same name before it stays in the record."""
    with database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        store.shops.technician(technician_uid)
        kept = KeptMap(uid=uuid4(), name=name, ours=ours, theirs=theirs, kept_at=now(), technician_uid=technician_uid)
        store.wirings.keep_map(vehicle_uid, kept)


def keep_trial(
    database: Database, vehicle_uid: UUID, *, at: str, form: Form, worked: bool, note: str, technician_uid: UUID
) -> None:
    """Keep that an output of a conditioner was tried."""
    with database.unit() as store:
        store.jobs.vehicle(vehicle_uid)
        store.shops.technician(technician_uid)
        trial = Trial(
            uid=uuid4(), at=at, form=form, worked=worked, note=note, technician_uid=technician_uid, tried_at=now()
        )
        store.wirings.keep_trial(vehicle_uid, trial)


def trials_of(database: Database, vehicle_uid: UUID) -> tuple[Trial, ...]:
    """Outputs of conditioners that were tried on a vehicle, the oldest first."""
    with database.unit() as store:
        return store.wirings.trials(vehicle_uid)


def system_of(database: Database, vehicle_uid: UUID) -> float:
    """A vehicle's nominal volts."""
    with database.unit() as store:
        return store.jobs.vehicle(vehicle_uid).system_v


@dataclass(frozen=True)
class ShieldView:
    """A circuit's shield: as its list says and as the Bench read it."""

    circuit: Circuit
    check: ShieldCheck


def shields_of(database: Database, view: PlanView) -> tuple[ShieldView, ...]:
    """Every shielded circuit of a vehicle, the newest job's first, its list held against its readings."""
    shielded = [c for _, c in view.circuits if c.shielded]
    if not shielded:
        return ()
    with database.unit() as store:
        readings = store.readings.of_circuits([c.uid for c in shielded])
    found = []
    for circuit in shielded:
        ends = {str(end.node) for _, path in view.plan.paths_of(circuit) for end in path.ends}
        wires = [w for w in view.plan.harness.wires if {w.start.node, w.end.node} & (ends | {circuit.name})]
        said = next((drain for w in wires if w.shield and (drain := drain_said(w.shield)) is not None), None)
        current = current_readings(readings[circuit.uid])
        ohms = [_ohm_read(current.get(TestPoint(a))) for a in (Action.SHIELD_OHM, Action.SHIELD_LIFTED_OHM)]
        found.append(ShieldView(circuit, check_shield(said, drain_read(*ohms))))
    return tuple(found)


def _ohm_read(reading: Reading | None) -> float | None:
    """Ohms as read, endless where the meter was over its range; None where nothing was read."""
    if reading is None:
        return None
    return math.inf if reading.word == OVER_RANGE else reading.value
