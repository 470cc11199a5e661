"""What the simulated controller says of a vehicle's circuits: their hidden faults show there as they do at the pins.

On a job for practice each circuit hides what it hides on the Bench; on any other all are well but for what the port's memory
names under `hidden`. What the asked step has the technician do (`acts`) is done at once.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING
from uuid import UUID

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.live.record import BusPort
from irongauge.core.measure.quantities import Reading, TestPoint
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.live_reader import Shown
from irongauge.formats.dbc_text import signal_name
from irongauge.instruments.can_port import CanAddress
from irongauge.instruments.simulated_controller import Memory, SimulatedController
from irongauge.store.database import Database
from irongauge.workflows.bench.judging import CircuitFacts
from irongauge.workflows.bench.simulate import simulated_value
from irongauge.workflows.shop.view import people_of, require_shop

if TYPE_CHECKING:
    from cantools.database.can import Database as Frames

__all__ = ["SimulatedSensors", "simulated_controller"]

_LOW_V, _HIGH_V = 0.25, 4.75  # beyond which a controller takes an input for faulty
_JITTER = 0.0005
_CODES = "P1A"


class SimulatedSensors:
    """The channels of a vehicle's circuits by their signals' names, and the codes that their volts call for."""

    def __init__(self, database: Database, port: BusPort) -> None:
        self._database = database
        self._hidden: Mapping[str, str] = port.memory.get("hidden", {})
        self._known: dict[UUID, tuple[object, dict[str, float], str]] = {}
        self._rng = random.Random(port.uid.int)  # noqa: S311  nothing is secret
        self._seen: object = None
        self.refresh(port)

    def __call__(self) -> dict[str, float]:
        told = {name: value for _, values, _ in list(self._known.values()) for name, value in values.items()}
        return {name: value * (1 + self._rng.gauss(0, _JITTER)) for name, value in told.items()}

    def faults(self) -> tuple[str, ...]:
        return tuple(code for _, _, code in list(self._known.values()) if code)

    def refresh(self, port: BusPort) -> None:
        """Work out again what has changed: what the technician does, and what was repaired."""
        if port.vehicle_uid is None:
            return
        with self._database.unit() as store:
            shop = require_shop(store)
            jobs = [job for job in store.jobs.jobs_of(port.vehicle_uid) if job.handed_over_at is None]
            circuits = store.circuits.of_jobs([job.uid for job in jobs])
            uids = [c.uid for job in jobs for c in circuits[job.uid]]
            readings = store.readings.of_circuits(uids)
            seen = (port.acts, {uid: len(taken) for uid, taken in readings.items()})
            if seen == self._seen:
                return
            self._seen = seen
            instruments = people_of(store, shop).instruments
        for job in jobs:
            for place, circuit in enumerate(circuits[job.uid]):
                taken = readings[circuit.uid]
                act = port.acts.get(str(circuit.uid), "")
                key = (act, len(taken))
                if self._known.get(circuit.uid, (None,))[0] != key:
                    case = CircuitFacts.of(shop, job, circuit, readings=taken, instruments=instruments).case()
                    fault = None if job.is_practice else self._hidden.get(str(circuit.uid), HEALTHY)
                    self._known[circuit.uid] = (key, *_told(case, circuit, taken, fault=fault, act=act, place=place))


def _told(
    case: BenchCase, circuit: Circuit, taken: tuple[Reading, ...], *, fault: str | None, act: str, place: int
) -> tuple[dict[str, float], str]:
    """A circuit's signals, and the code that it calls for."""
    name = signal_name(circuit.live_channel or circuit.name)
    if not case.is_known:
        return {}, ""
    found: dict[str, float] = {}
    at_rest: dict[str, float] = {}
    for action, signal in ((Action.LIVE_VALUE, name), (Action.LIVE_V, f"{name}_V")):
        value = _value(case, TestPoint(action, None, 0), taken, fault)
        if value is not None:
            found[signal] = at_rest[signal] = value
    if act:
        test_point = TestPoint.from_text(act)
        signal = name if ACTIONS[Action(test_point.action)].shown is Shown.VALUE else f"{name}_V"
        found.pop(signal, None)
        value = _value(case, test_point, taken, fault)
        if value is not None:
            found[signal] = value
    volts = at_rest.get(f"{name}_V")
    is_off = volts is None or volts < _LOW_V or volts > _HIGH_V
    code = (
        f"{_CODES}{2 * place % 256 + int(volts is not None and volts > _HIGH_V):02X}"
        if is_off and fault != HEALTHY
        else ""
    )
    return found, code


def _value(case: BenchCase, test_point: TestPoint, taken: tuple[Reading, ...], fault: str | None) -> float | None:
    """What a step's live data shows; None where the circuit has no such step or its channel is silent."""
    try:
        if wiring_of(case).role_point_of(test_point) is None:
            return None
        value = simulated_value(case, test_point, taken, fault)
    except (KeyError, ValueError, AssertionError, IndexError):
        return None
    return None if isinstance(value, str) else value


def simulated_controller(
    database: Database,
    port: BusPort,
    address: CanAddress,
    frames: Frames,
    sensors: SimulatedSensors,
) -> AbstractContextManager[SimulatedController]:
    """The controller of a simulated port, with what it kept; what it learns is kept in turn."""

    def keep(memory: Memory) -> None:
        with database.unit() as store:
            store.live.tell_port(port.uid, memory={**port.memory, **memory.as_dict()})

    return SimulatedController(
        address,
        frames,
        Memory.from_dict(port.memory),
        seed=port.uid.int % 2**31,
        sensors=sensors,
        faults=sensors.faults,
        keep=keep,
    )
