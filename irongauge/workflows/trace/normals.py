"""A vehicle's own normals: from logs that were driven when it was well, and from the Bench; and where later readings stand."""

from __future__ import annotations

import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.calibration.record import Calibration, result_of
from irongauge.core.measure.quantities import Mark, Reading, VehicleState
from irongauge.core.measure.units import FIXED_UNIT, UNITS
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Shop, Vehicle, VehicleChange
from irongauge.core.traces.channels import Log
from irongauge.core.traces.fitted_engines import EngineFitting
from irongauge.core.traces.log_units import LogUnit
from irongauge.core.traces.normals import (
    WANTED,
    Condition,
    JobLevel,
    Normal,
    NormalReading,
    Standing,
    Trend,
    missing,
    normal_of,
    own_u,
    readings_of,
    standing_of,
    trend_of,
)
from irongauge.core.traces.record import KeptLog, KeptReading
from irongauge.core.traces.sense_names import sense_of
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.unusual import follow_up_of
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import require_shop
from irongauge.workflows.trace.fitted_engines import of_its_engine

__all__ = [
    "NormalLine",
    "NormalsView",
    "StandingLine",
    "baseline_of",
    "kept_normals",
    "look_at_normals",
    "readings_from",
    "say_well",
    "standing_of_reading",
    "standings_of",
    "unusual_logs",
]

_OF_BENCH = {VehicleState.KEY_ON: "key on", VehicleState.IDLE: "at idle"}
_DAY_S = 86_400.0


@dataclass(frozen=True, kw_only=True)
class NormalLine:
    """What is usual of a channel in a condition, its levels from drive to drive, their trend with those of logs that nobody
    called well, and what was changed on the vehicle in between.
    """

    normal: Normal
    levels: tuple[JobLevel, ...]
    trend: Trend | None
    changed: tuple[VehicleChange, ...]

    @property
    def rank(self) -> tuple[bool, bool]:
        """Hot at idle stands for all conditions of a channel, where it is known."""
        condition = self.normal.condition
        return condition.speed == "at idle", condition.heat == "hot"

    @property
    def has_trend(self) -> bool:
        return self.trend is not None and self.trend.is_one


@dataclass(frozen=True, kw_only=True)
class NormalsView:
    """A vehicle's normals, and what is not known of it yet; how many readings are of logs that nobody called well.

    `typed` are the readings that are of no log.
    """

    shop: Shop
    vehicle: Vehicle
    lines: tuple[NormalLine, ...]
    missing: tuple[tuple[Sense, Condition], ...]
    not_well: int
    typed: tuple[KeptReading, ...]
    engines: tuple[EngineFitting, ...] = ()
    vehicles: tuple[Vehicle, ...] = ()


@dataclass(frozen=True)
class StandingLine:
    """Where a log's readings of a channel in a condition stand."""

    value: float
    count: int
    normal: Normal
    standing: Standing

    @property
    def mark(self) -> Mark:
        return self.standing.mark

    @property
    def follow_up(self) -> str:
        """What to do about it; nothing where it is usual."""
        return follow_up_of(self.normal.channel, self.value - self.normal.median) if self.is_odd else ""

    @property
    def is_odd(self) -> bool:
        """True where it is not usual, or may not be; not where too little is known."""
        return self.normal.is_known and self.mark is not Mark.PASS


def readings_from(log: Log, kept: KeptLog) -> tuple[KeptReading, ...]:
    """The steady readings of a log, each by what its channel is of, else by its name."""
    by_name = {channel.name: channel for channel in kept.channels}
    taken_at = kept.started_at or kept.added_at
    return tuple(
        KeptReading(
            channel=_key(by_name[reading.channel].sense, reading.channel),
            condition=str(reading.condition),
            value=reading.value,
            unit=reading.unit,
            at_least=reading.at_least,
            taken_at=taken_at,
            log_uid=kept.uid,
            job_uid=kept.job_uid,
        )
        for reading in readings_of(log, kept.well_stretch_s)
    )


def _key(sense: Sense, name: str) -> str:
    return name[:90] if sense is Sense.OTHER else str(sense)


def say_well(database: Database, log_uid: UUID, *, is_well: bool, stretch_s: tuple[float, float] | None = None) -> bool:
    """Say that the vehicle was well on this log, so that its readings are its normals, or take that back.

    With `stretch_s` only a stretch of it counts. True where its readings have to be taken anew.
    """
    with database.unit() as store:
        log = store.traces.log(log_uid, lock=True)
        if stretch_s is not None and not 0 <= stretch_s[0] < stretch_s[1] <= log.seconds + 1:
            problem = f"A stretch of this log lies between 0 and {log.seconds:.1f} s."
            raise EntryError("from_s", "", problem, "Type when it begins and when it ends, in s or as m:ss.")
        begin, end = stretch_s or (None, None)
        store.traces.tell(log_uid, is_well=is_well, well_from_s=begin, well_until_s=end)
        return stretch_s != log.well_stretch_s


def look_at_normals(database: Database, vehicle_uid: UUID) -> NormalsView:
    with database.unit() as store:
        shop = require_shop(store)
        vehicle = store.jobs.vehicle(vehicle_uid)
        well, others = _readings(store, vehicle)
        changes = store.vehicles.changes(vehicle_uid)
        meanings = store.traces.meanings(vehicle_uid).values()
        names = store.traces.channel_senses(vehicle_uid)
        own = {reading.uid for reading in store.traces.normal_readings(vehicle_uid)}
        engines = tuple(one for one in store.traces.engine_fittings() if one.vehicle_uid == vehicle_uid)
        vehicles = tuple(one for one in store.jobs.vehicles(shop.uid) if one.uid != vehicle_uid)
    lines = tuple(_line(group, others, changes) for group in _grouped(well).values())
    senses = {meaning.sense for meaning in meanings} | set(names)
    return NormalsView(
        shop=shop,
        vehicle=vehicle,
        lines=lines,
        missing=missing([line.normal for line in lines], senses),
        not_well=len(others),
        typed=tuple(r for r in reversed(well) if r.log_uid is None and r.uid in own),
        engines=engines,
        vehicles=vehicles,
    )


def baseline_of(database: Database, vehicle: Vehicle) -> tuple[Normal, ...]:
    """What is known of a vehicle at idle, cold and hot, as it stands on its sheet."""
    wanted = {(str(sense), str(condition)) for sense, condition in WANTED}
    with database.unit() as store:
        grouped = _grouped(kept_normals(store, vehicle))
    normals = (normal_of([_plain(r) for r in group]) for (*key, _), group in grouped.items() if tuple(key) in wanted)
    return tuple(normal for normal in normals if normal.is_known)


def standings_of(database: Database, log: KeptLog) -> tuple[StandingLine, ...]:
    """Where the readings of a log stand against the vehicle's normals, which are made without it; the farthest first."""
    with database.unit() as store:
        well, others = _readings(store, store.jobs.vehicle(log.vehicle_uid))
    return _standings(log, well, others)


def unusual_logs(store: Store, logs: Sequence[KeptLog]) -> frozenset[UUID]:
    """Those of the logs of which a reading is not usual, by what the vehicle's other logs and its gauges showed."""
    found, fittings = set(), store.traces.engine_fittings()
    for vehicle_uid in dict.fromkeys(log.vehicle_uid for log in logs):
        usual = of_its_engine(store, vehicle_uid, fittings)
        of_it = [log for log in logs if log.vehicle_uid == vehicle_uid]
        found |= {log.uid for log in of_it if any(line.is_odd for line in _standings(log, usual.well, usual.others))}
    return frozenset(found)


def _standings(log: KeptLog, well: Sequence[KeptReading], others: Sequence[KeptReading]) -> tuple[StandingLine, ...]:
    mine = _grouped(reading for reading in (*well, *others) if reading.log_uid == log.uid)
    known = _grouped(reading for reading in well if reading.log_uid != log.uid)
    found = []
    for key, own in mine.items():
        if key in known:
            normal = normal_of([_plain(reading) for reading in known[key]])
            value = statistics.median(reading.value for reading in own)
            stopped = sum(reading.at_least for reading in own)
            u = own_u(normal)
            standing = standing_of(value, normal, u, at_least=2 * stopped > len(own))
            found.append(StandingLine(value, len(own), normal, standing))
    return tuple(sorted(found, key=lambda line: -line.standing.apart))


def kept_normals(store: Store, vehicle: Vehicle) -> tuple[KeptReading, ...]:
    """The readings of logs that were driven when the vehicle was well, and those that came with a file."""
    return of_its_engine(store, vehicle.uid, store.traces.engine_fittings()).well


def _readings(store: Store, vehicle: Vehicle) -> tuple[tuple[KeptReading, ...], tuple[KeptReading, ...]]:
    """Readings that tell what is usual, those of the Bench too, and those of logs that nobody called well."""
    found = of_its_engine(store, vehicle.uid, store.traces.engine_fittings(), _of_bench(store, vehicle))
    return (*found.well, *_of_curve_and_pulse(store, vehicle)), found.others


def _of_bench(store: Store, vehicle: Vehicle) -> list[KeptReading]:
    """Values that live data showed on the Bench, of jobs that were handed over: the vehicle was well then."""
    jobs = {job.uid: job for job in store.jobs.jobs_of(vehicle.uid) if job.handed_over_at is not None}
    circuits = store.circuits.of_jobs(jobs)
    readings = store.readings.of_circuits([c.uid for group in circuits.values() for c in group])
    found = []
    for job_uid, group in circuits.items():
        for circuit in group:
            gone = {reading.supersedes_uid for reading in readings[circuit.uid]}
            for reading in readings[circuit.uid]:
                told = None if reading.uid in gone else _of_reading(circuit, reading, job_uid)
                found += [] if told is None else [told]
    return found


def _of_reading(circuit: Circuit, reading: Reading, job_uid: UUID | None) -> KeptReading | None:
    """A value of a running vehicle that live data showed; None for any other reading, since a pumped value is no normal."""
    spec, condition = ACTIONS.get(Action(reading.test_point.action)), _OF_BENCH.get(reading.state)
    if spec is None or spec.answer is not AnswerKind.VALUE or reading.value is None or reading.unit is None:
        return None
    if condition is None or reading.stimulus_value is not None or reading.test_point.point is not None:
        return None
    unit = UNITS[reading.unit]
    fixed = LogUnit(label=UNITS[FIXED_UNIT[unit.quantity]].label, quantity=unit.quantity)
    return KeptReading(
        channel=_key(sense_of(circuit.name, fixed), circuit.name),
        condition=condition,
        value=reading.value,
        unit=unit.label,
        at_least=False,
        taken_at=reading.taken_at,
        job_uid=job_uid,
    )


def standing_of_reading(
    database: Database, vehicle: Vehicle, circuit: Circuit, reading: Reading
) -> StandingLine | None:
    """Where a value that live data shows of a running vehicle stands; None where it is no such value, or nothing is known."""
    told = _of_reading(circuit, reading, None)
    if told is None:
        return None
    with database.unit() as store:
        well, _ = _readings(store, vehicle)
    known = [r for r in well if (r.channel, r.condition, r.unit) == (told.channel, told.condition, told.unit)]
    if not known:
        return None
    normal = normal_of([_plain(r) for r in known])
    return StandingLine(told.value, 1, normal, standing_of(told.value, normal, own_u(normal)))


# Figures of a kept waveform that a later one of the same circuit is held against, with their units.
_OF_WAVEFORMS = {"low_v": ("low level", "V"), "high_v": ("high level", "V"), "jitter_pct": ("jitter", "%")}


_Told = tuple[str, str, float, datetime]  # channel, unit, value, when


def _of_pulses(circuit: Circuit, check: KeptPulse) -> list[_Told]:
    if check.mark is not Mark.PASS:
        return []
    given = ((what, unit, check.given.get(name)) for name, (what, unit) in _OF_WAVEFORMS.items())
    return [
        (f"{circuit.name}: {what}", unit, float(value), check.taken_at)
        for what, unit, value in given
        if isinstance(value, int | float)
    ]


def _of_calibration(circuit: Circuit, record: Calibration, instruments: Mapping[UUID, Instrument]) -> list[_Told]:
    signed_at = record.signed_at
    if signed_at is None:
        return []
    tools = (record.setup.meter_uid, record.setup.gauge_uid)
    result = result_of(record, *(instruments.get(uid) if uid else None for uid in tools))
    if result.mark is not Mark.PASS:
        return []
    ends = (("zero", result.zero_pct), ("span", result.span_pct))
    return [(f"{circuit.name}: error of its {what}", "%", pct, signed_at) for what, pct in ends if pct is not None]


def _of_curve_and_pulse(store: Store, vehicle: Vehicle) -> list[KeptReading]:
    """What sensors did on a calibration and in a waveform, of jobs that were handed over: zero, span, levels, jitter."""
    jobs = {job.uid: job for job in store.jobs.jobs_of(vehicle.uid) if job.handed_over_at is not None}
    circuits = [(job_uid, c) for job_uid, group in store.circuits.of_jobs(jobs).items() for c in group]
    uids = [c.uid for _, c in circuits]
    pulses, calibrations = store.pulses.checks_of(uids), store.calibrations.of_circuits(uids)
    if not any(pulses.values()) and not any(calibrations.values()):
        return []
    instruments = {i.uid: i for i in store.shelf.instruments(require_shop(store).uid)}
    found = []
    for job_uid, circuit in circuits:
        told = [one for check in pulses[circuit.uid] for one in _of_pulses(circuit, check)]
        told += [one for c in calibrations[circuit.uid] for one in _of_calibration(circuit, c, instruments)]
        found += [
            KeptReading(
                channel=name[:90], condition="any", value=value, unit=unit, at_least=False, taken_at=at, job_uid=job_uid
            )
            for name, unit, value, at in told
        ]
    return found


def _grouped(readings: Iterable[KeptReading]) -> dict[tuple[str, str, str], list[KeptReading]]:
    found: dict[tuple[str, str, str], list[KeptReading]] = {}
    for reading in readings:
        found.setdefault((reading.channel, reading.condition, reading.unit), []).append(reading)
    return dict(sorted(found.items()))


def _plain(reading: KeptReading) -> NormalReading:
    return NormalReading(
        channel=reading.channel,
        condition=Condition.from_text(reading.condition),
        value=reading.value,
        unit=reading.unit,
        taken_at=reading.taken_at,
        at_least=reading.at_least,
    )


def _line(well: Sequence[KeptReading], others: Sequence[KeptReading], changes: Sequence[VehicleChange]) -> NormalLine:
    key = well[0].channel, well[0].condition, well[0].unit
    every = [*well, *(r for r in others if (r.channel, r.condition, r.unit) == key)]
    trend = trend_of(_levels(every))
    first, last = min(r.taken_at for r in every), max(r.taken_at for r in every)
    between = tuple(c for c in changes if first <= c.changed_at <= last) if trend is not None and trend.is_one else ()
    levels = tuple(sorted(_levels(well), key=lambda level: level.day))
    return NormalLine(normal=normal_of([_plain(r) for r in well]), levels=levels, trend=trend, changed=between)


def _levels(readings: Sequence[KeptReading]) -> list[JobLevel]:
    """One level for each log or job."""
    by: dict[UUID | datetime, list[KeptReading]] = {}
    for reading in readings:
        by.setdefault(reading.log_uid or reading.job_uid or reading.taken_at, []).append(reading)
    found = []
    for group in by.values():
        normal = normal_of([_plain(r) for r in group])
        day = min(r.taken_at for r in group).timestamp() / _DAY_S
        found.append(JobLevel(day, normal.median, normal.spread, normal.count))
    return found
