"""Live data: ways onto a bus, what is watched of a vehicle, what a channel shows now, recordings that become logs.

Whoever looks says so (`want`), and `listen` holds the bus as long as somebody does. Everything goes through the database, so that
any server shows what the one process that has the bus hears.
"""

from __future__ import annotations

import io
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.live.record import MOST_WATCHED, BusPort, LiveSample, Recording, Watched
from irongauge.core.live.watching import FRESH, LiveChannel, channel_of, is_fresh
from irongauge.core.measure.units import unit_for
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Shop, Technician, Vehicle
from irongauge.core.traces.normals import Normal, Standing, condition_at, own_u, standing_of
from irongauge.core.traces.senses import Sense
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError, quoted
from irongauge.formats.dbc_text import write_dbc
from irongauge.formats.logs import LEAST_ROWS
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import now, require_known, require_shop
from irongauge.workflows.trace.log_channels import circuits_of
from irongauge.workflows.trace.logs import NewLog, hand_in
from irongauge.workflows.trace.normals import look_at_normals

__all__ = [
    "INTERFACES",
    "LiveView",
    "Shown",
    "act",
    "add_port",
    "begin_recording",
    "change_port",
    "end_recording",
    "look_at_live",
    "newest",
    "normals_for",
    "plug",
    "port_in",
    "remove_port",
    "samples_after",
    "shown_of",
    "standing_now",
    "want",
    "watch",
]

WANTED_S = 20.0
LOOK_BACK, MINUTE = timedelta(seconds=10), timedelta(seconds=60)
# python-can's names of interfaces that Linux has by itself, and what they are called here.
INTERFACES = {
    "socketcan": "SocketCAN (an adapter of this machine, such as can0)",
    "udp_multicast": "frames on the local network (multicast)",
    "virtual": "simulated vehicle",
}
_BEFORE_LIVE_S = 0.6  # a listener learns within that what a simulated technician does


@dataclass(frozen=True, kw_only=True)
class LiveView:
    """Every way onto a bus, the one that is looked at, its vehicle, and what it told last.

    What came after sample `number` is of the last minute. `names` are the circuits of channels that bear another name.
    """

    shop: Shop
    ports: tuple[BusPort, ...]
    port: BusPort | None
    vehicles: tuple[Vehicle, ...]
    vehicle: Vehicle | None
    job_uid: UUID | None
    people: tuple[Technician, ...]
    recording: Recording | None
    values: Mapping[str, float]
    number: int
    names: Mapping[str, str]


@dataclass(frozen=True)
class Shown:
    """What a channel shows now: its value, when, and whether that is fresh."""

    channel: LiveChannel
    value: float
    at: datetime
    is_fresh: bool
    is_simulated: bool


# Ways onto a bus


def add_port(database: Database, port: BusPort) -> None:
    with database.unit() as store:
        shop = require_shop(store)
        if any(p.name.casefold() == port.name.casefold() for p in store.live.ports(shop.uid)):
            raise EntryError("name", port.name, f"{quoted(port.name)} is there already.", "Choose another name.")
        store.live.add_port(shop.uid, port)
    if port.vehicle_uid is not None:
        plug(database, port.uid, port.vehicle_uid)


def change_port(database: Database, port: BusPort) -> None:
    """Change a port's name, its interface and what describes its frames; an empty description leaves the one there is."""
    with database.unit() as store:
        shop = require_shop(store)
        store.live.port(port.uid, lock=True)
        if any(p.name.casefold() == port.name.casefold() and p.uid != port.uid for p in store.live.ports(shop.uid)):
            raise EntryError("name", port.name, f"{quoted(port.name)} is there already.", "Choose another name.")
        frames = {"frames": port.frames, "frames_name": port.frames_name} if port.frames else {}
        store.live.rewire(
            port.uid,
            name=port.name,
            interface=port.interface,
            channel=port.channel,
            bitrate=port.bitrate,
            is_simulated=port.is_simulated,
            **frames,
        )


def remove_port(database: Database, uid: UUID) -> None:
    """Remove a way onto a bus; one that is recording is refused, since its recording would go with it."""
    with database.unit() as store:
        store.live.port(uid, lock=True)
        if store.live.recording(uid) is not None:
            raise RefusedRequestError("A recording is running there.", "End it first, so that its log is kept.")
        store.live.remove_port(uid)


def plug(database: Database, uid: UUID, vehicle_uid: UUID | None) -> None:
    """Say which vehicle a port is plugged in to. A simulated one then speaks for that vehicle's circuits."""
    with database.unit() as store:
        port = store.live.port(uid, lock=True)
        if store.live.recording(uid) is not None:
            raise RefusedRequestError("A recording is running there.", "End it before you unplug.")
        told: dict[str, object] = {
            "vehicle_uid": vehicle_uid,
            "heard_at": None,
            "trouble": "",
            "acts": {},
            "channels": [],
        }
        if port.is_simulated and vehicle_uid is not None:
            store.jobs.vehicle(vehicle_uid)
            channels = [(c.live_channel or c.name, _unit_of(c)) for c in circuits_of(store, vehicle_uid)]
            told |= {"frames": write_dbc(channels), "frames_name": "simulated.dbc"}
        store.live.rewire(uid, **told)


def _unit_of(circuit: Circuit) -> str:
    unit = "" if circuit.sensor.unit is None else unit_for(circuit.sensor.unit).label
    base = circuit.sensor.pressure_base
    return f"{unit} {base}" if base is not None else unit


def want(database: Database, uid: UUID) -> None:
    """Somebody looks at a port."""
    with database.unit() as store:
        store.live.want(uid, now() + timedelta(seconds=WANTED_S))


def watch(database: Database, uid: UUID, watched: Sequence[Watched]) -> None:
    """Choose what is shown large, with its bands."""
    if len(watched) > MOST_WATCHED:
        problem = f"{len(watched)} channels are chosen."
        raise EntryError("channels", "", problem, f"At most {MOST_WATCHED} can be watched at once.")
    for one in watched:
        if one.below is not None and one.above is not None and one.below >= one.above:
            problem = f"The band of {one.channel} ends below where it begins."
            raise EntryError("channels", "", problem, "Exchange its two ends, or empty one.")
    with database.unit() as store:
        port = store.live.port(uid, lock=True)
        known = {channel.name for channel in port.channels}
        store.live.tell_watched(uid, [one for one in watched if one.channel in known or not known])


# Looking


def look_at_live(database: Database, uid: UUID | None = None) -> LiveView:
    """A port, the first one unless another is named, and what it told in the last seconds."""
    with database.unit() as store:
        shop = require_shop(store)
        ports = store.live.ports(shop.uid)
        port = next((p for p in ports if uid in {None, p.uid}), None)
        if port is None and uid is not None:
            raise NotFoundError("bus port", str(uid))
        vehicles = store.jobs.vehicles(shop.uid)
        values: dict[str, float] = {}
        number = 0
        if port is not None:
            store.live.want(port.uid, now() + timedelta(seconds=WANTED_S))
            samples = store.live.newest_samples(port.uid, now() - MINUTE)
            for sample in reversed(samples):
                if sample.at >= now() - LOOK_BACK:
                    values |= sample.values
            number = samples[-1].number - 1 if samples else store.live.newest_number(port.uid)
        vehicle = None if port is None else next((v for v in vehicles if v.uid == port.vehicle_uid), None)
        return LiveView(
            shop=shop,
            ports=ports,
            port=port,
            vehicles=vehicles,
            vehicle=vehicle,
            job_uid=None if vehicle is None else _open_job(store, vehicle.uid),
            people=store.shops.technicians(shop.uid),
            recording=None if port is None else store.live.recording(port.uid),
            values=values,
            number=number,
            names={} if vehicle is None or port is None else _names(port, circuits_of(store, vehicle.uid)),
        )


def _names(port: BusPort, circuits: Sequence[Circuit]) -> dict[str, str]:
    """The circuits whose channels a bus has under another name."""
    found = {}
    for circuit in circuits:
        for volts in (False, True):
            channel = channel_of(circuit, port.channels, volts=volts)
            if channel is not None and channel.name.casefold() != circuit.name.casefold():
                found[channel.name] = circuit.name
    return found


def _open_job(store: Store, vehicle_uid: UUID) -> UUID | None:
    jobs = [job for job in store.jobs.jobs_of(vehicle_uid) if job.handed_over_at is None]
    return max(jobs, key=lambda job: job.number).uid if jobs else None


def samples_after(database: Database, uid: UUID, number: int, most: int = 500) -> tuple[LiveSample, ...]:
    with database.unit() as store:
        return store.live.samples(uid, number, most)


def newest(database: Database, uid: UUID) -> tuple[BusPort, Recording | None]:
    """A port as it is now, and its recording."""
    with database.unit() as store:
        return store.live.port(uid), store.live.recording(uid)


def port_in(database: Database, vehicle_uid: UUID) -> UUID:
    """The port that is plugged in to a vehicle; `NotFoundError` where none is."""
    with database.unit() as store:
        vehicle = store.jobs.vehicle(vehicle_uid)
        port = store.live.port_of(vehicle_uid)
    if port is None:
        raise NotFoundError("bus port", f"plugged in to {vehicle.tag}")
    return port.uid


def normals_for(database: Database, vehicle_uid: UUID) -> dict[tuple[str, str], Normal]:
    """A vehicle's normals by what they are of and their condition, to hold live values against."""
    lines = look_at_normals(database, vehicle_uid).lines
    return {(line.normal.channel, str(line.normal.condition)): line.normal for line in lines if line.normal.is_known}


def standing_now(
    channel: LiveChannel,
    value: float,
    values: Mapping[str, float],
    port: BusPort,
    normals: Mapping[tuple[str, str], Normal],
) -> tuple[Normal, Standing] | None:
    """Where a live value stands against the vehicle's normals for how its engine is now; None where nothing is known of that."""

    def of(sense: Sense) -> float:
        return next((values[c.name] for c in port.channels if c.sense is sense and c.name in values), float("nan"))

    condition = condition_at(of(Sense.COOLANT_TEMPERATURE), of(Sense.ENGINE_SPEED), of(Sense.LOAD))
    key = channel.name if channel.sense is Sense.OTHER else str(channel.sense)
    normal = normals.get((key, str(condition)))
    if normal is None or normal.unit != channel.unit.split(" ")[0]:
        return None
    return normal, standing_of(value, normal, own_u(normal))


# One circuit


def shown_of(database: Database, circuit: Circuit, vehicle_uid: UUID, *, volts: bool) -> Shown | None:
    """What the bus shows of a circuit now; None where no port is plugged in to its vehicle or that does not have its channel.

    Where nothing came yet its value is not a number.
    """
    with database.unit() as store:
        port = store.live.port_of(vehicle_uid)
        if port is None:
            return None
        moment = now()
        store.live.want(port.uid, moment + timedelta(seconds=WANTED_S))
        channel = channel_of(circuit, port.channels, volts=volts)
        if channel is None and not port.channels:  # the bus is being asked what it has
            channel = LiveChannel(circuit.live_channel or circuit.name)
        if channel is None:
            return None
        since = moment - LOOK_BACK
        if port.acted_at is not None:  # what came before the simulated technician did it is of something else
            since = max(since, port.acted_at + timedelta(seconds=_BEFORE_LIVE_S))
        newest_first = store.live.newest_samples(port.uid, since)
    sample = next((s for s in newest_first if channel.name in s.values), None)
    if sample is None:
        return Shown(
            channel, float("nan"), port.heard_at or moment - LOOK_BACK, is_fresh=False, is_simulated=port.is_simulated
        )
    fresh = is_fresh(sample.at, moment)
    return Shown(channel, sample.values[channel.name], sample.at, is_fresh=fresh, is_simulated=port.is_simulated)


def wait_for(database: Database, circuit: Circuit, vehicle_uid: UUID, *, volts: bool) -> Shown | None:
    """As `shown_of`, but waits a moment for a fresh value: the bus may have been left alone until now."""
    until = time.monotonic() + FRESH.total_seconds() + 1.0
    while True:
        shown = shown_of(database, circuit, vehicle_uid, volts=volts)
        if shown is None or shown.is_fresh or time.monotonic() > until:
            return shown
        time.sleep(0.15)


def act(database: Database, circuit_uid: UUID, vehicle_uid: UUID, test_point: str) -> None:
    """The simulated technician does what a live data step asks for; nothing where the vehicle's port is a real one."""
    with database.unit() as store:
        port = store.live.port_of(vehicle_uid)
        if port is None or not port.is_simulated or port.acts.get(str(circuit_uid)) == test_point:
            return
        store.live.tell_port(port.uid, acts={**port.acts, str(circuit_uid): test_point}, acted_at=now())


# Recording


def begin_recording(database: Database, uid: UUID, port_uid: UUID, technician_uid: UUID | None) -> None:
    """Keep what comes from now on. The same identity twice is one recording; a second one at once is refused."""
    with database.unit() as store:
        port = store.live.port(port_uid, lock=True)
        require_known(store, technician_uid)
        if port.vehicle_uid is None:
            raise RefusedRequestError(
                "It is not said which vehicle this is plugged in to.", "Choose the vehicle first."
            )
        running = store.live.recording(port_uid)
        recording = Recording(
            uid=uid, port_uid=port_uid, vehicle_uid=port.vehicle_uid, technician_uid=technician_uid, begun_at=now()
        )
        if running is None:
            store.live.begin_recording(recording)
        elif running.uid != uid:
            raise RefusedRequestError("A recording is running there already.", "End it first.")


def end_recording(database: Database, port_uid: UUID) -> UUID:
    """End the recording that runs and hand it in as a log; gives back the log's identity."""
    with database.unit() as store:
        shop = require_shop(store)
        port = store.live.port(port_uid)
        recording = store.live.recording(port_uid, lock=True)
        if recording is None:
            raise RefusedRequestError("No recording is running.", "Begin one.")
        moment = now()
        samples = tuple(store.live.recorded(recording, moment))
        content = _as_csv(port, samples)
        store.live.end_recording(recording.uid, moment)
        begun = recording.begun_at.astimezone(ZoneInfo(shop.timezone))
        new = NewLog(
            uid=recording.uid,
            name=f"Live {begun:%Y-%m-%d %H.%M}.csv",
            vehicle_uid=recording.vehicle_uid,
            technician_uid=recording.technician_uid,
        )
    if len(samples) < LEAST_ROWS:
        said = f"It held {len(samples)} rows" if samples else "Nothing came off the bus while it ran"
        problem = f"The recording is ended. {said}; a log needs {LEAST_ROWS}."
        raise RefusedRequestError(problem, "Look whether the bus speaks, then record for some seconds more.")
    hand_in(database, new, io.BytesIO(content))
    return recording.uid


def _as_csv(port: BusPort, samples: Sequence[LiveSample]) -> bytes:
    """What was recorded, as a logger would write it: a time from 1970 in s, and a column for each channel with its unit."""
    names = list(dict.fromkeys(name for sample in samples for name in sample.values))
    if not names:
        return b""
    units = {channel.name: channel.unit for channel in port.channels}
    headings = [f"{name} ({units[name]})" if units.get(name) else name for name in names]
    out = io.StringIO()
    out.write(",".join(["Time (s)", *(f'"{heading}"' for heading in headings)]) + "\n")
    for sample in samples:
        cells = ("" if (value := sample.values.get(name)) is None else f"{value:.7g}" for name in names)
        out.write(f"{sample.at.timestamp():.3f},{','.join(cells)}\n")
    return out.getvalue().encode()
