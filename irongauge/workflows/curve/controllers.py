"""What controllers hold of a sensor, and checks of one thing against another, kept with the circuit."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID, uuid4

from irongauge.core.calibration.judging import fitted_curve
from irongauge.core.calibration.record import Calibration, result_of
from irongauge.core.controllers.cross_checks import CrossVerdict
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.measure.units import PressureBase
from irongauge.core.sensors.circuits import Channel, Circuit, SensorType
from irongauge.core.sensors.conversion import Feed
from irongauge.core.sensors.transfer import CurveKind, LinearCurve
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import People, now, open_job, people_of, require_shop

__all__ = [
    "ToolSubject",
    "as_left_curve",
    "circuit_worked_on",
    "forget_entry",
    "keep_check",
    "keep_entry",
    "look_at_shelf_types",
    "look_at_subject",
    "nominal_feed_of",
]


@dataclass(frozen=True, kw_only=True)
class ToolSubject:
    """What a tool works on, and what it can be chosen from. `channel` has the curve as left where a calibration is meant and its
    points give a line (`has_line`); `sensor` and `channel` are None on an empty Shelf.
    """

    shop: Shop
    people: People
    shelf: tuple[SensorType, ...]
    circuits: tuple[tuple[Job, Circuit], ...]
    sensor: SensorType | None
    channel: Channel | None
    circuit: Circuit | None
    job: Job | None
    calibration: Calibration | None
    calibrations: tuple[Calibration, ...]
    entries: tuple[KeptEntry, ...]
    checks: tuple[KeptCheck, ...]
    has_line: bool = False

    @property
    def measured_reference_v(self) -> float | None:
        """The reference that a calibrated sensor was read at, where its signal is a share of it; the mean of its points' own."""
        record = self.calibration
        if record is None or self.channel is None or self.channel.curve.kind is not CurveKind.RATIO:
            return None
        each = [p.reference_v for p in record.current if p.reference_v is not None]
        return record.setup.reference_v if not each else math.fsum(each) / len(each)

    @property
    def height_m(self) -> float:
        return self.shop.height_m if self.job is None else self.job.vehicle.height_m

    @property
    def nominal_feed(self) -> Feed:
        """The sensor's supply and the controller's pull-up, as the cards say."""
        assert self.sensor is not None  # asked only where there is one
        return nominal_feed_of(self.sensor, self.circuit)

    @property
    def title(self) -> str:
        """What it is, in a line."""
        if self.sensor is None or self.channel is None:
            return ""
        which = f", {self.channel.name}" if len(self.sensor.channels) > 1 else ""
        if self.calibration is not None:
            number = f" {self.calibration.setup.serial}" if self.calibration.setup.serial else ""
            if not self.has_line:
                return f"{self.sensor.name}{number}{which}, nominal: its calibration gives no line yet"
            return f"{self.sensor.name}{number}{which}, as calibrated ({self.calibration.setup.stage})"
        return f"{self.sensor.name}{which}, nominal"


def nominal_feed_of(sensor: SensorType, circuit: Circuit | None) -> Feed:
    """The sensor's supply and the controller's pull-up or shunt, as the cards say."""
    if circuit is None:
        return Feed(sensor.supply_v, None, sensor.supply_v)
    pull_up = circuit.pull_up if sensor.curve is None else circuit.temperature_pull_up
    if pull_up is None:
        return Feed(circuit.reference_v, None, circuit.reference_v, circuit.shunt_ohm)
    return Feed(circuit.reference_v, pull_up.resistance_ohm, pull_up.to_v)


def look_at_subject(
    database: Database,
    *,
    circuit_uid: UUID | None,
    sensor_uid: UUID | None,
    calibration_uid: UUID | None,
    channel: str,
    near_uid: UUID | None = None,
    may_start: bool = True,
) -> ToolSubject:
    """What a tool of the Curve room works on: a circuit's sensor, a type of the Shelf, or a calibrated sensor as left.

    Without any of them the circuit that stands nearest to `near_uid`, where somebody works on that, or else, where `may_start`,
    to what was read last in the shop; a type of the Shelf where no circuit follows a value. `channel` names one of its signals;
    the main one where it names none.
    """
    with database.unit() as store:
        shop = require_shop(store)
        shelf = tuple(s for s in store.shelf.sensor_types(shop.uid) if s.channels)
        people = people_of(store, shop)
        record = None if calibration_uid is None else store.calibrations.calibration(calibration_uid)
        if record is not None and record.circuit_uid is not None:
            circuit_uid = record.circuit_uid
        choices = _circuits(store, shop)
        if circuit_uid is None and sensor_uid is None and record is None:
            circuit_uid = _nearest(store, choices, near_uid, may_start=may_start)
        circuit = job = None
        entries: tuple[KeptEntry, ...] = ()
        checks: tuple[KeptCheck, ...] = ()
        calibrations: tuple[Calibration, ...] = ()
        if circuit_uid is not None:
            circuit, job_uid = store.circuits.circuit(circuit_uid)
            job = store.jobs.job(job_uid)
            entries = store.calibrations.entries_of([circuit_uid])[circuit_uid]
            checks = store.calibrations.checks_of([circuit_uid])[circuit_uid]
            calibrations = store.calibrations.of_circuits([circuit_uid])[circuit_uid]
        elif record is not None:
            calibrations = (record,)
        sensor = _sensor(store, shelf, record, circuit, sensor_uid)
    chosen = left = None
    if sensor is not None:
        wanted = record.setup.channel if record is not None else channel
        chosen = next((c for c in sensor.channels if c.name == wanted), sensor.channels[0])
        if record is not None:
            left = as_left_curve(record, people)
            chosen = chosen if left is None else Channel(chosen.name, left)
    return ToolSubject(
        shop=shop,
        people=people,
        shelf=shelf,
        circuits=choices,
        sensor=sensor,
        channel=chosen,
        circuit=circuit,
        job=job,
        calibration=record,
        calibrations=calibrations,
        entries=entries,
        checks=checks,
        has_line=left is not None,
    )


def _nearest(
    store: Store, choices: Sequence[tuple[Job, Circuit]], near_uid: UUID | None, *, may_start: bool
) -> UUID | None:
    """Of circuits that can be chosen: the one worked on, else one of its vehicle; else, where `may_start`, what was read last,
    or the newest job's.
    """
    if near_uid is not None:
        if any(c.uid == near_uid for _, c in choices):
            return near_uid
        near = _with_vehicle(store, near_uid)
        beside = next((c.uid for job, c in choices if near is not None and job.vehicle.uid == near[1].uid), None)
        if beside is not None:
            return beside
    if not may_start or not choices:
        return None
    read_uid = store.readings.newest_circuit(c.uid for _, c in choices)
    return read_uid or max(choices, key=lambda pair: pair[0].received_on)[1].uid


def _sensor(
    store: Store,
    shelf: tuple[SensorType, ...],
    record: Calibration | None,
    circuit: Circuit | None,
    sensor_uid: UUID | None,
) -> SensorType | None:
    if record is not None:
        return record.sensor
    if circuit is not None:
        found = circuit.sensor
    elif sensor_uid is not None:
        found = store.shelf.sensor_type(sensor_uid)
    else:
        return next((s for s in shelf if s.curve is not None), shelf[0] if shelf else None)
    if not found.channels:
        raise NotFoundError("curve", found.name)
    return found


def as_left_curve(record: Calibration, people: People) -> LinearCurve | None:
    """The calibrated sensor's own curve, where its points give one."""
    setup = record.setup
    result = result_of(record, people.instrument(setup.meter_uid), people.instrument(setup.gauge_uid))
    return None if result.fit is None else fitted_curve(record.channel.curve, result.fit)


def _circuits(store: Store, shop: Shop) -> tuple[tuple[Job, Circuit], ...]:
    """Circuits of open jobs whose sensor follows a value."""
    open_jobs = {job.uid: job for job in store.jobs.jobs(shop.uid, is_open=True)}
    circuits = store.circuits.of_jobs(open_jobs)
    return tuple((open_jobs[uid], c) for uid, group in circuits.items() for c in group if c.sensor.channels)


def look_at_shelf_types(database: Database) -> tuple[Shop, tuple[SensorType, ...]]:
    """The shop, and the sensor types whose signal follows a value."""
    with database.unit() as store:
        shop = require_shop(store)
        return shop, tuple(s for s in store.shelf.sensor_types(shop.uid) if s.channels)


def circuit_worked_on(database: Database, circuit_uid: UUID | None) -> tuple[Circuit, Vehicle] | None:
    """A circuit with its vehicle; None where there is no such circuit."""
    if circuit_uid is None:
        return None
    with database.unit() as store:
        return _with_vehicle(store, circuit_uid)


def _with_vehicle(store: Store, circuit_uid: UUID) -> tuple[Circuit, Vehicle] | None:
    try:
        circuit, job_uid = store.circuits.circuit(circuit_uid)
    except NotFoundError:
        return None
    return circuit, store.jobs.job(job_uid).vehicle


def keep_check(
    database: Database, circuit_uid: UUID, verdict: CrossVerdict, given: dict[str, str], technician_uid: UUID
) -> None:
    """Keep a cross-check with its circuit."""
    with database.unit() as store:
        open_job(store, circuit_uid)
        store.calibrations.add_check(circuit_uid, KeptCheck(uuid4(), verdict, given, technician_uid, now()))


def keep_entry(
    database: Database,
    circuit_uid: UUID,
    name: str,
    *,
    figures: dict[str, str],
    unit: str,
    base: PressureBase | None,
    technician_uid: UUID,
) -> None:
    """Keep what a controller holds under a name; a later one of that name takes its place."""
    entry = KeptEntry(
        uid=uuid4(), name=name, figures=figures, unit=unit, base=base, technician_uid=technician_uid, entered_at=now()
    )
    _add_entry(database, circuit_uid, entry)


def forget_entry(database: Database, circuit_uid: UUID, name: str, technician_uid: UUID) -> None:
    """Say that an entry is no longer there; the record keeps that it was."""
    entry = KeptEntry(
        uid=uuid4(), name=name, figures=None, unit="", base=None, technician_uid=technician_uid, entered_at=now()
    )
    _add_entry(database, circuit_uid, entry)


def _add_entry(database: Database, circuit_uid: UUID, entry: KeptEntry) -> None:
    with database.unit() as store:
        open_job(store, circuit_uid)
        store.calibrations.add_entry(circuit_uid, entry)
