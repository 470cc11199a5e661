"""Let the simulated vehicle take a reading: for learning the Bench where there is nothing to measure.

A shop has it when one of its technicians bears the simulator's name, as in the demo. It reads circuits that nobody else
has read; what is wrong with one is decided by its identity, hidden, and mended by a reading taken after repair.
"""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID, uuid4

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.case import BenchCase
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.errors import RefusedRequestError
from irongauge.store.database import Database
from irongauge.workflows.bench import BenchView, NewReading, Recorded, look_at_bench, record_reading

__all__ = ["SIMULATOR_NAME", "hidden_fault", "may_simulate", "simulate_reading"]

SIMULATOR_NAME = "The simulator"
_GOOD_SHARE = 0.2  # of simulated circuits have nothing wrong
_RESTED = 1.05  # times its nominal volts has a charged battery


def _simulator(view: BenchView) -> UUID | None:
    return next((t.uid for t in view.people.technicians if t.name == SIMULATOR_NAME), None)


def may_simulate(view: BenchView) -> bool:
    """True in a shop with a simulator, on a circuit whose roles are known and that nobody else has read."""
    uid = _simulator(view)
    by_others = any(r.technician_uid != uid for r in view.view.readings)
    return uid is not None and not by_others and view.view.assessment.case.is_known


def hidden_fault(case: BenchCase) -> str:
    """What is wrong with a simulated circuit: always the same for the same circuit."""
    import numpy as np  # noqa: PLC0415  the Floor's marks need no numbers package

    from irongauge.core.bench.wiring import wiring_of  # noqa: PLC0415  the Floor's marks need no numbers package
    from irongauge.core.diagnosis.catalogue import faults_of  # noqa: PLC0415  the Floor's marks need no numbers package

    faults = faults_of(wiring_of(case).subject)
    rng = np.random.default_rng(case.circuit.uid.int % 2**32)
    return HEALTHY if rng.random() < _GOOD_SHARE else str(rng.choice(faults[1:]))


def simulate_reading(database: Database, circuit_uid: UUID, point_text: str) -> Recorded:
    """Read a test point off the simulated vehicle and record it; `RefusedRequestError` where that may not be."""
    view = look_at_bench(database, circuit_uid)
    uid = _simulator(view)
    if uid is None or not may_simulate(view):
        raise RefusedRequestError("The simulator does not read this circuit.", "Take the reading by hand.")
    case, test_point = view.view.assessment.case, TestPoint.from_text(point_text)
    current = case.readings.get(test_point)
    new = NewReading(
        uid=uuid4(),
        test_point=point_text,
        typed=_answer(case, test_point, view.view.readings),
        technician_uid=uid,
        seen_uid=None if current is None else current.uid,
        reason=None if current is None else SupersedeReason.AGAIN,
        in_fixed_unit=True,
    )
    return record_reading(database, circuit_uid, new)


def _answer(case: BenchCase, test_point: TestPoint, readings: tuple[Reading, ...]) -> str:
    """What the simulated vehicle gives, as it would be typed."""
    from irongauge.core.bench.wiring import wiring_of  # noqa: PLC0415  the Floor's marks need no numbers package
    from irongauge.instruments.simulated import SimulatedVehicle, read_test_point  # noqa: PLC0415  the Floor's marks need no numbers package

    wiring = wiring_of(case)
    mended = any(r.reason is SupersedeReason.REPAIRED for r in readings)
    fault = HEALTHY if mended else hidden_fault(case)
    subject = replace(wiring.subject, battery_v=_RESTED * case.system_v)
    value = read_test_point(SimulatedVehicle(subject, fault, case.circuit.uid.int % 2**31), wiring, test_point)
    if isinstance(value, str):
        return value
    return f"{value:.4g}" if ACTIONS[Action(test_point.action)].answer is AnswerKind.OHMS else f"{value:.6f}"
