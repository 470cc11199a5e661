"""Filling the Bench's field: from a meter on the network, or from the vehicle's bus where the step asks for live data."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC

from irongauge.core.bench.actions import Action, ActionSpec, AnswerKind
from irongauge.core.live.meter import SIMULATED, MeterFunction
from irongauge.core.live.watching import LiveChannel
from irongauge.core.measure.entry import OVER_RANGE
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.measure.units import from_fixed, rebase
from irongauge.core.sensors.circuits import Instrument
from irongauge.core.sensors.live_reader import Shown as ReaderShows
from irongauge.core.traces.log_units import log_unit
from irongauge.errors import EntryError, InstrumentError
from irongauge.instruments.network_meter import read_meter
from irongauge.instruments.simulated_meter import SimulatedMeter
from irongauge.settings import get_settings
from irongauge.store.database import Database
from irongauge.workflows.bench.readings import BenchView
from irongauge.workflows.bench.simulate import may_simulate, simulated_value
from irongauge.workflows.live.watching import Shown, act, shown_of, wait_for

__all__ = ["Filled", "bus_shows", "fill_from_bus", "fill_from_meter", "may_fill", "simulated_meter"]

_WORD_VALUES = {OVER_RANGE: "9.9E37"}


@dataclass(frozen=True)
class Filled:
    """What stands in the field now, and what meter or bus said itself."""

    typed: str
    read_off: str


def may_fill(spec: ActionSpec, instrument: Instrument | None) -> bool:
    """True where a step's reading can come off that meter by itself."""
    return instrument is not None and bool(instrument.address) and _function_of(spec) is not None


def _function_of(spec: ActionSpec) -> MeterFunction | None:
    if not spec.reads_meter:
        return None
    if spec.action in {Action.AC_LOOSE_V, Action.AC_MATED_V}:
        return MeterFunction.AC_VOLTS
    return {
        AnswerKind.VOLTS: MeterFunction.DC_VOLTS,
        AnswerKind.OHMS: MeterFunction.OHMS,
        AnswerKind.MILLIAMPS: MeterFunction.MILLIAMPS,
    }.get(spec.answer)


def fill_from_meter(view: BenchView, test_point: TestPoint, spec: ActionSpec, instrument: Instrument) -> Filled:
    """What the meter shows for a step; `EntryError` beside the field where it does not or is set otherwise.

    The simulated meter's probes touch the simulated vehicle, so it reads circuits for practice only.
    """
    function = _function_of(spec)
    assert function is not None  # nothing else is asked for
    address, before = instrument.address, ""
    if address == SIMULATED:
        if not may_simulate(view):
            problem = "The simulated meter reads circuits of jobs for practice that nobody else has read."
            raise EntryError("value", "", problem, "Choose another meter, or type what it shows.")
        address, before = f"127.0.0.1:{_meter_port()}", _probe(view, test_point, function)
    try:
        shows = read_meter(address, function, before)
    except InstrumentError as error:
        raise EntryError("value", "", error.problem, error.would_do) from error
    kind = f"{SIMULATED} meter, " if instrument.address == SIMULATED else ""
    return Filled(shows.typed, f"{kind}{instrument.name}: {shows.said}"[:200])


def _probe(view: BenchView, test_point: TestPoint, function: MeterFunction) -> str:
    """What the simulated technician holds the probes to."""
    case = view.view.assessment.case
    value = simulated_value(case, test_point, view.view.readings)
    if isinstance(value, str):
        value = float(_WORD_VALUES.get(value, "nan"))
    if function is MeterFunction.MILLIAMPS:
        value /= 1000
    return f"SIM:PROB {function},{value:.7g}"


def _meter_port() -> int:
    settings = get_settings()
    return settings.meter_port or settings.port % 65535 + 1


@contextlib.contextmanager
def simulated_meter() -> Iterator[None]:
    """The simulated meter, while the block runs; without one where its port is taken, since another demo has it then."""
    with contextlib.ExitStack() as stack:
        with contextlib.suppress(OSError):
            stack.enter_context(SimulatedMeter(_meter_port()))
        yield


# The bus


def bus_shows(database: Database, view: BenchView, test_point: TestPoint, spec: ActionSpec) -> Shown | None:
    """What the bus shows for a live data step; None where it is none, or no bus has the circuit's channel.

    A simulated bus speaks for circuits for practice only.
    """
    volts = _volts_of(spec)
    if volts is None:
        return None
    shown = shown_of(database, view.view.circuit, view.job.job.vehicle.uid, volts=volts)
    if shown is None or (shown.is_simulated and not view.job.job.is_practice):
        return None
    if shown.is_simulated:
        act(database, view.view.circuit.uid, view.job.job.vehicle.uid, str(test_point))
    return shown


def _volts_of(spec: ActionSpec) -> bool | None:
    """Whether a step asks live data for volts or for the value; None for any other step."""
    if spec.shown is ReaderShows.VALUE and spec.answer is AnswerKind.VALUE:
        return False
    return True if spec.shown is not None and spec.answer is AnswerKind.VOLTS else None


def fill_from_bus(database: Database, view: BenchView, spec: ActionSpec) -> Filled:
    """What the bus shows for a live data step now; `EntryError` beside the field where that is not fresh."""
    volts = _volts_of(spec)
    shown = wait_for(database, view.view.circuit, view.job.job.vehicle.uid, volts=bool(volts))
    if shown is None:
        raise EntryError("value", "", "Nothing was entered.", "Type what live data shows.")
    if not shown.is_fresh:
        problem = f"The bus sends nothing on {shown.channel.name} now."
        raise EntryError("value", "", problem, "Look at the plug; or answer D where it should and does not.")
    at = shown.at.astimezone(UTC)
    source = f"{SIMULATED} bus" if shown.is_simulated else "bus"
    said = f"{source}, {shown.channel.name}: {shown.value:.6g} {shown.channel.unit}".strip()
    return Filled(_typed(shown.channel, shown.value, view), f"{said} at {at:%H:%M:%S} UTC"[:200])


def _typed(channel: LiveChannel, value: float, view: BenchView) -> str:
    """A value of the bus as it is typed into the field: in the shop's unit, on the base that the circuit's curve counts from."""
    case = view.view.assessment.case
    known = log_unit(channel.unit)
    if known is None or known.quantity is None:
        return f"{value:.6g}"
    fixed = known.fixed(value)
    base = case.circuit.sensor.pressure_base
    if known.base is not None and base is not None and known.base is not base:
        fixed = rebase(fixed, known.base, base, case.atmosphere_kpa)
    if not math.isfinite(fixed):
        return ""
    return f"{from_fixed(fixed, view.shop.units[known.quantity]):.5g}"
