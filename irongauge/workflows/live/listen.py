"""Holding the buses that somebody looks at: their values into the database, and what is asked of them onto the bus.

One process for each port at a time, by a lock in the database. A process that is killed loses nothing that was committed, and its
successor goes on with the recording that runs. While the database is away, what comes is kept here.
"""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from uuid import UUID, uuid4

import structlog
from sqlalchemy.exc import SQLAlchemyError

from irongauge.core.live.codes import CodeReading, CodesWhen
from irongauge.core.live.record import BusAsked, BusPort, BusRequest
from irongauge.errors import BadFileError, InstrumentError, IronGaugeError, NotFoundError
from irongauge.formats.log_can import read_dbc
from irongauge.instruments.can_port import CanAddress, CanPort
from irongauge.store.database import Database
from irongauge.workflows.live.meter import simulated_meter
from irongauge.workflows.live.simulated_bus import SimulatedSensors, simulated_controller
from irongauge.workflows.live.watching import end_recording
from irongauge.workflows.shop.queue import read_later
from irongauge.workflows.shop.view import now, require_shop

if TYPE_CHECKING:
    from cantools.database.can import Database as Frames

__all__ = ["Listener", "run_listener"]

log = structlog.get_logger()

_PERIOD_S, _LOOK_S, _PRUNE_S = 0.2, 0.5, 30.0
_KEPT = timedelta(minutes=20)
_LONGEST = timedelta(hours=4)  # of a recording: somebody has forgotten it
_SILENT_S = 2.0
_MOST_HELD = 15_000  # samples held while the database is away: most of an hour


def run_listener(url: str) -> None:
    """Hold whatever buses are wanted until the process is stopped."""
    database = Database(url)
    held: dict[UUID, Listener] = {}
    try:
        with simulated_meter():
            while True:
                with contextlib.suppress(SQLAlchemyError):  # the database may be away for a moment
                    with database.unit() as store:
                        wanted = store.live.wanted(now())
                    held = {uid: one for uid, one in held.items() if one.is_alive()}
                    for uid in wanted:
                        if uid not in held:
                            held[uid] = Listener(database, uid)
                            held[uid].start()
                time.sleep(_LOOK_S)
    finally:
        database.close()


class Listener(threading.Thread):
    """Holds one bus until nobody looks at it any more, or its wiring changes."""

    def __init__(self, database: Database, uid: UUID) -> None:
        super().__init__(daemon=True, name=f"listener {uid}")
        self._database = database
        self._uid = uid
        self._held: list[tuple[datetime, Mapping[str, float]]] = []
        self._heard_at = time.monotonic()
        self._pruned_at = 0.0
        self._was_away = False
        self._last: BusPort | None = None

    def run(self) -> None:
        try:
            with self._database.turn(self._uid.int % 2**62):
                with self._database.unit() as store:
                    port = store.live.port(self._uid)
                self._hold(port)
        except (SQLAlchemyError, NotFoundError):
            log.info(
                "bus left", port=str(self._uid)
            )  # the database is away, or the port was removed; looked at again soon
        except IronGaugeError as error:
            self._tell_trouble(str(error))
            time.sleep(_SILENT_S)

    def _hold(self, port: BusPort) -> None:
        with contextlib.ExitStack() as stack:
            frames = self._frames_of(port)
            # Two processes may each simulate a vehicle of their own.
            name = f"{port.channel} {os.getpid()}" if port.is_simulated else port.channel
            address = CanAddress("virtual" if port.is_simulated else port.interface, name, port.bitrate)
            sensors = None
            if port.is_simulated and frames is not None:
                sensors = SimulatedSensors(self._database, port)
                stack.enter_context(simulated_controller(self._database, port, address, frames, sensors))
            bus = stack.enter_context(CanPort(address, frames))
            while True:
                begun = time.monotonic()
                now_port = self._tick(bus)
                if now_port is None or now_port.wired != port.wired:
                    return
                if sensors is not None:
                    sensors.refresh(now_port)
                time.sleep(max(0.0, begun + _PERIOD_S - time.monotonic()))

    def _frames_of(self, port: BusPort) -> Frames | None:
        with self._database.unit() as store:
            content = store.live.frames(port.uid)
        if not content:
            return None

        try:
            return read_dbc(port.frames_name, content)
        except BadFileError as error:
            raise InstrumentError(str(error), "Hand in another description of its frames.") from error

    def _tick(self, bus: CanPort) -> BusPort | None:
        """Read the bus once and tell the database; None where nobody looks any more."""
        values: dict[str, float] = {}
        trouble = ""
        try:
            values = bus.values()
        except InstrumentError as error:
            trouble = str(error)
        values |= bus.heard()
        moment = now()
        if values:
            self._held.append((moment, values))
            self._heard_at = time.monotonic()
            del self._held[:-_MOST_HELD]
        trouble = trouble if time.monotonic() - self._heard_at > _SILENT_S else ""
        try:
            return self._tell(bus, moment, trouble)
        except SQLAlchemyError:
            if not self._held:
                raise
            time.sleep(_PERIOD_S)  # what came is held until the database is back
            self._was_away = True
            return self._last

    def _tell(self, bus: CanPort, moment: datetime, trouble: str) -> BusPort | None:
        with self._database.unit() as store:
            port = store.live.port(self._uid)
            if self._held:
                store.live.add_samples(self._uid, self._held)
                store.live.tell_port(self._uid, heard_at=self._held[-1][0], trouble=trouble)
            elif trouble[:300] != port.trouble:
                store.live.tell_port(self._uid, trouble=trouble[:300])
            channels = bus.channels()
            if channels != port.channels:
                store.live.tell_channels(self._uid, channels)
            requests = store.live.requests(self._uid)
            recording = store.live.recording(self._uid)
            is_wanted = self._uid in store.live.wanted(moment)
            if time.monotonic() - self._pruned_at > _PRUNE_S:
                store.live.drop_samples(self._uid, moment - _KEPT)
                self._pruned_at = time.monotonic()
        self._held.clear()
        self._last = port
        for request in requests:
            self._do(bus, port, request)
        if recording is not None and moment - recording.begun_at > _LONGEST:
            self._end_recording()
        # The lock went with the database: it is taken anew by a successor.
        return port if is_wanted and not self._was_away else None

    def _end_recording(self) -> None:
        with contextlib.suppress(IronGaugeError):
            uid = end_recording(self._database, self._uid)
            with self._database.unit() as store:
                shop = require_shop(store)
            read_later(self._database, uid, shop.uid)

    def _tell_trouble(self, trouble: str) -> None:
        """Say why the bus cannot be held, and answer what is asked of it."""
        with self._database.unit() as store:
            store.live.tell_port(self._uid, trouble=trouble[:300])
            for request in store.live.requests(self._uid):
                store.live.close_request(request.uid, now(), trouble)

    # Codes

    def _do(self, bus: CanPort, port: BusPort, request: BusRequest) -> None:
        trouble = ""
        with self._database.unit() as store:
            if store.live.request(request.uid).done_at is not None:
                return  # who asked has given up
        try:
            if request.asked is BusAsked.READ_CODES:
                self._keep_codes(bus, port, request, CodesWhen.READ)
            else:
                # What is there is kept before it is cleared: where that fails, nothing is cleared.
                self._keep_codes(bus, port, request, CodesWhen.BEFORE_CLEARING)
                bus.clear()
                self._keep_codes(bus, port, request, CodesWhen.AFTER_CLEARING)
        except InstrumentError as error:
            trouble = str(error)
        with self._database.unit() as store:
            store.live.close_request(request.uid, now(), trouble)

    def _keep_codes(self, bus: CanPort, port: BusPort, request: BusRequest, when: CodesWhen) -> None:
        told = bus.codes()
        reading = CodeReading(
            uid=uuid4(),
            job_uid=request.job_uid,
            taken_at=now(),
            technician_uid=request.technician_uid,
            source=f"{port.name}{', simulated' if port.is_simulated else ''}"[:120],
            when=when,
            stored=told.stored,
            pending=told.pending,
            permanent=told.permanent,
            not_told=told.not_told,
            frozen_code=told.frozen_code,
            frozen=told.frozen,
            values=told.values,
        )
        with self._database.unit() as store:
            store.live.add_codes(reading)
