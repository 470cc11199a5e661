"""Logs: handed in, read by whichever worker takes them, judged, drawn a stretch at a time.

A file waits in the database until it is read, so that any worker may take it, and one that is killed loses nothing.
"""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.stretch import Stretch
from irongauge.core.measure.units import PressureBase, rebase, standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.core.traces.bands import Peaks, peaks_of
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import LogFinding
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.record import ChannelMeaning, KeptChannel, KeptLog, KeptReading, KeptRule, LogState
from irongauge.core.traces.rules import SHIPPED_RULES, HealthRule, apply_rules
from irongauge.errors import BadFileError, EntryError, IronGaugeError, NotFoundError, quoted
from irongauge.formats.log_can import CAN_SUFFIXES, read_log_can
from irongauge.formats.log_csv import read_log_csv
from irongauge.formats.log_mdf import read_log_mdf
from irongauge.formats.logs import RawLog
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import now, require_known, require_shop
from irongauge.workflows.shop.waiting import said_of_waiting
from irongauge.workflows.trace.log_channels import circuits_of, meant
from irongauge.workflows.trace.log_samples import (
    channel_bytes,
    in_unit,
    stretch,
    times_bytes,
    whole_times,
    whole_values,
)
from irongauge.workflows.trace.normals import readings_from, unusual_logs

Times = NDArray[np.float64]
Values = NDArray[np.float32]


__all__ = [
    "LogView",
    "LogsView",
    "NewLog",
    "hand_in",
    "judge_again",
    "log_of",
    "look_at_log",
    "look_at_logs",
    "look_at_peaks",
    "look_at_stretches",
    "read_waiting",
    "remove_log",
]

MOST_LISTED = 60
_PIECE = 8 << 20
MOST_BYTES = 1_200_000_000


@dataclass(frozen=True, kw_only=True)
class NewLog:
    """A log that is handed in: the form's own identity, the file's name, its vehicle, what is told of it. `dbc` describes a bus's
    frames.
    """

    uid: UUID
    name: str
    vehicle_uid: UUID
    technician_uid: UUID | None = None
    time_unit: str = ""
    dbc_name: str = ""
    dbc: bytes = b""


@dataclass(frozen=True, kw_only=True)
class LogView:
    """A log with its vehicle, the circuits that its channels may be of, and what the vehicle's headings mean."""

    shop: Shop
    log: KeptLog
    vehicle: Vehicle
    job: Job | None
    circuits: tuple[Circuit, ...]
    meanings: Mapping[str, ChannelMeaning]


def hand_in(database: Database, new: NewLog, file: IO[bytes]) -> None:
    """Keep a log's file, to be read by a worker; a `uid` that is there already is the same log."""
    with database.unit() as store:
        shop = require_shop(store)
        if store.traces.has_log(new.uid):
            return
        vehicle = store.jobs.vehicle(new.vehicle_uid)
        require_known(store, new.technician_uid)
        job = next((j for j in store.jobs.jobs(shop.uid, is_open=True) if j.vehicle.uid == vehicle.uid), None)
        name = "".join(c if c.isprintable() else " " for c in new.name)[:120] or "log"
        log = KeptLog(
            uid=new.uid,
            vehicle_uid=vehicle.uid,
            job_uid=None if job is None else job.uid,
            name=name,
            note="",
            state=LogState.WAITING,
            doing="Waiting to be read",
            share=0.0,
            seconds=0.0,
            started_at=None,
            added_at=now(),
            technician_uid=new.technician_uid,
        )
        store.traces.add_log(log, {"time_unit": new.time_unit, "dbc_name": new.dbc_name})
        size, digest = 0, hashlib.sha256()
        for place, piece in enumerate(iter(lambda: file.read(_PIECE), b"")):
            size += len(piece)
            digest.update(piece)
            if size > MOST_BYTES:
                raise EntryError(
                    "file",
                    new.name,
                    f"It is larger than {MOST_BYTES // 1_000_000} MB.",
                    "Part the log, or pack it with gzip.",
                )
            store.traces.add_piece(new.uid, 0, place, piece)
        if size == 0:
            raise EntryError("file", new.name, "It is empty.", "Choose a log.")
        store.traces.tell(new.uid, digest=digest.digest())
        _check_new(store, new, digest.digest())
        if new.dbc:
            store.traces.add_piece(new.uid, 1, 0, new.dbc)


def _check_new(store: Store, new: NewLog, digest: bytes) -> None:
    """Refuse a file that is there already: under another vehicle it would stand as what that one does."""
    there = store.traces.log_of_file(digest, new.uid)
    if there is not None:
        tag = store.jobs.vehicle(there.vehicle_uid).tag
        problem = f"This very file is there already, as {quoted(there.name)} of {tag}."
        raise EntryError("file", new.name, problem, "Open that one; take it away first where it is of another vehicle.")


# Reading


def read_waiting(database: Database, uid: UUID) -> None:
    """Read a log that waits, judge it and keep what it says; one that was begun by a worker that is gone is begun again."""
    with database.unit() as store:
        log = store.traces.log(uid, lock=True)
        if log.state not in {LogState.WAITING, LogState.READING}:
            return
        store.traces.tell(uid, state=LogState.READING, doing="Reading the rows", share=0.02)
    try:
        raw = _raw(database, log)
        columns = {at: (channel.time_s, channel.value) for at, channel in enumerate(raw.channels)}
        read = replace(log, started_at=raw.started_at, channels=_channels(database, log, raw))
        # The database stores what is judged meanwhile: each takes about as long as the other.
        with ThreadPoolExecutor(1) as storing:
            stored = storing.submit(_keep, database, read, raw)
            with database.unit() as store:
                whole = _log_with(store, read, columns)
            found, readings = _judged(database, read, whole)
            stored.result()
        _keep_judged(database, read, found, readings)
    except IronGaugeError as error:
        _refuse(database, uid, str(error))
    except Exception:
        _refuse(database, uid, "Something broke while it was read. Nothing of it is kept; hand it in again, or as CSV.")
        raise  # the worker tells of it
    with database.unit() as store:
        store.traces.drop_pieces(uid)


def _refuse(database: Database, uid: UUID, why: str) -> None:
    with database.unit() as store:
        store.traces.drop_channels(uid)
        store.traces.drop_pieces(uid)
        store.traces.tell(uid, state=LogState.REFUSED, doing=why[:300], share=0.0)


def _raw(database: Database, log: KeptLog) -> RawLog:
    suffix = Path(log.name).suffix.casefold()
    with tempfile.TemporaryDirectory(prefix="irongauge-log-") as folder:
        path = Path(folder) / f"log{suffix if suffix.isascii() and len(suffix) < 8 else ''}"  # noqa: PLR2004
        with database.unit() as store:
            given, usual = store.traces.given(log.uid), store.traces.time_units(require_shop(store).uid)
            with path.open("wb") as file:
                for piece in store.traces.pieces(log.uid, 0):
                    file.write(piece)
            dbc = b"".join(store.traces.pieces(log.uid, 1))
        with path.open("rb") as file:
            head = file.read(64)
        if head.startswith(b"MDF "):
            return read_log_mdf(log.name, path)
        if suffix in CAN_SUFFIXES and (dbc or suffix != ".log" or head.lstrip().startswith(b"(")):
            if not dbc:
                do = "Hand it in again together with the DBC file of its bus."
                raise BadFileError(log.name, "It is a CAN trace, and nothing says what its frames mean.", do)
            return read_log_can(log.name, path, given["dbc_name"], dbc)
        return read_log_csv(log.name, path, time_unit=given["time_unit"], units_by_logger=usual)


def _channels(database: Database, log: KeptLog, raw: RawLog) -> tuple[KeptChannel, ...]:
    """A log's channels as their headings are meant, each with the number of its times."""
    with database.unit() as store:
        own = store.traces.meanings(log.vehicle_uid)
        meanings = (store.traces.meanings_by_logger(raw.logger, log.vehicle_uid) if raw.logger else {}) | own
        store.traces.tell(log.uid, logger=raw.logger, taken_unit=raw.taken_unit, doing="Judging", share=0.5)
    bases: dict[int, int] = {}
    return tuple(
        meant(c, meanings.get(c.name.casefold()), at, bases.setdefault(id(c.time_s), len(bases)))
        for at, c in enumerate(raw.channels)
    )


def _keep(database: Database, log: KeptLog, raw: RawLog) -> None:
    """Store channels and times."""
    with database.unit() as store:
        store.traces.drop_channels(log.uid)
        done: set[int] = set()
        for kept, channel in zip(log.channels, raw.channels, strict=True):
            if kept.times not in done:
                done.add(kept.times)
                store.traces.add_times(log.uid, kept.times, times_bytes(channel.time_s))
            store.traces.add_channel(log.uid, channel_bytes(kept, channel.value))
        seconds = max(float(c.time_s[-1]) for c in raw.channels)
        store.traces.tell(log.uid, note=raw.note[:1000], seconds=seconds, started_at=raw.started_at)


# Judging


def log_of(store: Store, log: KeptLog) -> Log:
    """A kept log's channels with their values, and what their circuits say of them."""
    times = {place: whole_times(store, log.uid, place) for place in {c.times for c in log.channels}}
    return _log_with(store, log, {c.place: (times[c.times], whole_values(store, log.uid, c)) for c in log.channels})


def _log_with(store: Store, log: KeptLog, columns: Mapping[int, tuple[Times, Values]]) -> Log:
    """A log's channels with these times and values, as the file has them, by their places."""
    vehicle = store.jobs.vehicle(log.vehicle_uid)
    atmosphere_kpa = standard_atmosphere_kpa(vehicle.height_m)
    circuits = {uid: store.circuits.circuit(uid)[0] for uid in {c.circuit_uid for c in log.channels} if uid is not None}
    channels = []
    for kept in log.channels:
        circuit = None if kept.circuit_uid is None else circuits[kept.circuit_uid]
        span, base = _span_of(kept, circuit, atmosphere_kpa)
        time_s, value = columns[kept.place]
        channels.append(
            Channel(
                name=kept.name,
                unit=kept.unit,
                quantity=kept.quantity,
                sense=kept.sense,
                time_s=time_s,
                value=in_unit(value, kept),
                span=span,
                base=base,
                shares=_shared_supply(circuit),
            )
        )
    return Log(tuple(channels), vehicle.system_v, atmosphere_kpa)


def _shared_supply(circuit: Circuit | None) -> str:
    """What a sensor is fed from together with others."""
    if circuit is None or circuit.battery_fed:
        return ""
    return f"the reference of {circuit.controller or 'the controller'}"


def _span_of(
    kept: KeptChannel, circuit: Circuit | None, atmosphere_kpa: float
) -> tuple[tuple[float, float] | None, PressureBase | None]:
    """What the channel's sensor can give, on the channel's base; nothing where no circuit says."""
    curve = None if circuit is None else circuit.sensor.curve
    if curve is None or curve.quantity is not kept.quantity:
        return None, kept.base
    base = kept.base or curve.pressure_base
    low, high = (
        rebase(value, curve.pressure_base, base, atmosphere_kpa) for value in (curve.value_low, curve.value_high)
    )
    return (min(low, high), max(low, high)), base


def judge_again(database: Database, uid: UUID) -> None:
    """Judge a log that is read, with what is now told of its channels, and keep what is found."""
    with database.unit() as store:
        kept = store.traces.log(uid)
        log = log_of(store, kept)
    _keep_judged(database, kept, *_judged(database, kept, log))


def _judged(database: Database, kept: KeptLog, log: Log) -> tuple[list[LogFinding], tuple[KeptReading, ...]]:
    """What is found in a log, and its steady readings."""
    with database.unit() as store:
        rules = (*SHIPPED_RULES, *(_rule(own) for own in store.traces.rules(require_shop(store).uid)))
    found = [*judge_log(log, _teller(database, kept.uid)), *apply_rules(log, rules)]
    return found, readings_from(log, kept)


def _keep_judged(
    database: Database, log: KeptLog, found: Sequence[LogFinding], readings: Sequence[KeptReading]
) -> None:
    with database.unit() as store:
        store.traces.drop_normal_readings(log.uid)
        store.traces.add_normal_readings(log.vehicle_uid, readings)
        store.traces.tell_findings(log.uid, found)
        store.traces.tell(log.uid, state=LogState.READY, doing="", share=1.0)


def _teller(database: Database, uid: UUID) -> Callable[[float], None]:
    told = [0.5]

    def tell(share: float) -> None:
        at = 0.5 + 0.5 * share
        if at - told[0] >= 0.05:  # noqa: PLR2004  seldom enough to cost nothing
            told[0] = at
            with database.unit() as store:
                store.traces.tell(uid, share=at)

    return tell


def _rule(own: KeptRule) -> HealthRule:
    return HealthRule(name=own.name, when=own.when, means=own.means, check=own.check, why=own.why)


# Looking


@dataclass(frozen=True)
class LogsView:
    """The newest logs, which of them have a reading that is not usual, and the vehicles that one may be of."""

    shop: Shop
    logs: tuple[KeptLog, ...]
    unusual: frozenset[UUID]
    vehicles: tuple[Vehicle, ...]

    def tag(self, log: KeptLog) -> str:
        return next((v.tag for v in self.vehicles if v.uid == log.vehicle_uid), "")


def look_at_logs(database: Database, vehicle_uid: UUID | None = None) -> LogsView:
    with database.unit() as store:
        shop = require_shop(store)
        if vehicle_uid is not None:
            store.jobs.vehicle(vehicle_uid)  # which is not found where it is not
        logs = store.traces.logs(vehicle_uid, MOST_LISTED)
        unusual = unusual_logs(store, [log for log in logs if log.state is LogState.READY and not log.findings])
        return LogsView(shop, logs, unusual, store.jobs.vehicles(shop.uid))


def look_at_log(database: Database, uid: UUID) -> LogView:
    with database.unit() as store:
        shop = require_shop(store)
        log = store.traces.log(uid)
        if log.state is LogState.WAITING:
            log = replace(log, doing=said_of_waiting(log.doing, log.added_at, has_begun=False))
        vehicle = store.jobs.vehicle(log.vehicle_uid)
        job = None if log.job_uid is None else store.jobs.job(log.job_uid)
        return LogView(
            shop=shop,
            log=log,
            vehicle=vehicle,
            job=job,
            circuits=circuits_of(store, vehicle.uid),
            meanings=store.traces.meanings(vehicle.uid),
        )


def look_at_stretches(
    database: Database, uid: UUID, places: Sequence[int], span_s: tuple[float, float], columns: int
) -> Iterator[tuple[KeptChannel, Stretch]]:
    """A stretch of each of these channels, at most so many columns of it."""
    with database.unit() as store:
        log = store.traces.log(uid)
        by_place = {channel.place: channel for channel in log.channels}
        for place in places:
            if place not in by_place:
                raise NotFoundError("channel", str(place))
            yield by_place[place], stretch(store, uid, by_place[place], span_s, columns)


def look_at_peaks(
    database: Database, uid: UUID, place: int | None, band: tuple[float | None, float | None]
) -> tuple[tuple[KeptChannel, Peaks], ...]:
    """The ends of each channel of a log with their moments; the band is that of one channel."""
    found = []
    with database.unit() as store:
        log = store.traces.log(uid)
        for kept in log.channels:  # one at a time: a large log is never whole in the server
            (channel,) = log_of(store, replace(log, channels=(kept,))).channels
            peaks = peaks_of(channel, *(band if kept.place == place else (None, None)))
            if peaks is not None:
                found.append((kept, peaks))
    return tuple(found)


def remove_log(database: Database, uid: UUID) -> UUID:
    """Remove a log with all that it says of the vehicle's normals; gives back its vehicle."""
    with database.unit() as store:
        log = store.traces.log(uid, lock=True)
        store.traces.remove_log(uid)
        return log.vehicle_uid
