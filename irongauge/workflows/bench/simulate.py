"""Practice: the simulated vehicle takes the readings of a job for practice, and the end tells what was hidden.

What is wrong with a circuit is decided by its identity, hidden, and mended by a reading taken after repair. No customer's job
is ever read so.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID, uuid4

import numpy as np

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.wiring import wiring_of
from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.faults import HEALTHY, words_of
from irongauge.core.diagnosis.strategy import cost_min, state_of
from irongauge.core.live.meter import SIMULATED
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.shop import SIMULATOR_NAME
from irongauge.errors import RefusedRequestError
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from irongauge.store.acting import in_others_names
from irongauge.store.database import Database
from irongauge.workflows.bench.readings import (
    BenchView,
    NewReading,
    Recorded,
    asked_test_point,
    look_at_bench,
    record_reading,
)
from irongauge.workflows.shop.jobs import add_circuit
from irongauge.workflows.shop.shelf import numbered
from irongauge.workflows.shop.view import Depth

__all__ = [
    "Debrief",
    "debrief",
    "hidden_fault",
    "may_simulate",
    "practise_again",
    "simulate_reading",
    "simulated_value",
]

_GOOD_SHARE = 0.2  # of simulated circuits have nothing wrong
_FEW_DIGITS = 4
_RESTED = 1.05  # times its nominal volts has a charged battery


def _simulator(view: BenchView) -> UUID | None:
    return next((t.uid for t in view.people.technicians if t.name == SIMULATOR_NAME), None)


def may_simulate(view: BenchView) -> bool:
    """True on a job for practice, for a circuit whose roles are known and that nobody has read with a meter of the world."""
    uid = _simulator(view)
    by_others = any(r.technician_uid != uid and not r.read_off.startswith(SIMULATED) for r in view.view.readings)
    is_practice = view.job.job.is_practice and uid is not None
    return is_practice and not by_others and view.view.assessment.case.is_known


def hidden_fault(case: BenchCase) -> str:
    """What is wrong with a simulated circuit: always the same for the same circuit."""
    faults = faults_of(wiring_of(case).subject)
    rng = np.random.default_rng(case.circuit.uid.int % 2**32)
    return HEALTHY if rng.random() < _GOOD_SHARE else str(rng.choice(faults[1:]))


def simulate_reading(database: Database, circuit_uid: UUID, point_text: str) -> Recorded:
    """Read a test point off the simulated vehicle and record it; `RefusedRequestError` where that may not be."""
    view = look_at_bench(database, circuit_uid, asked=point_text)
    uid = _simulator(view)
    if uid is None or not may_simulate(view):
        raise RefusedRequestError(
            "The simulator does not read this circuit.",
            "It reads circuits of jobs for practice that nobody else has read. Take the reading by hand.",
        )
    case = view.view.assessment.case
    test_point = asked_test_point(case, point_text)
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
    with in_others_names():
        return record_reading(database, circuit_uid, new)


@dataclass(frozen=True, kw_only=True)
class Debrief:
    """What was hidden in a practice circuit, whether the verdict found it, and what the way there cost.

    `titles` are the hidden fault's words, `looks` what would show it; `minutes` is what the readings take on a real vehicle,
    with the changes of state between them, of which there were `state_changes`.
    """

    titles: tuple[str, ...]
    looks: tuple[str, ...]
    found: bool
    is_repaired: bool
    readings: int
    minutes: float
    state_changes: int


def debrief(view: BenchView) -> Debrief | None:
    """The end of a practice circuit; None on a customer's job."""
    if not view.job.job.is_practice or not view.view.assessment.case.is_known:
        return None

    assessment = view.view.assessment
    hidden = hidden_fault(assessment.case)
    wiring = wiring_of(assessment.case)
    taken = [wiring.role_point_of(r.test_point) for r in view.view.readings]
    checks = [check for check in taken if check is not None]
    pairs = list(zip([None, *checks], checks, strict=False))
    is_repaired = _is_repaired(view.view.readings)
    # A healthy circuit has no fault to name: it is found where the verdict is good.
    named = set() if assessment.diagnosis is None else {suspect.fault for suspect in assessment.diagnosis.group}
    done = assessment.verdict.level
    return Debrief(
        titles=tuple(words.title for words in words_of(hidden)),
        looks=tuple(words.inspect for words in words_of(hidden) if words.code != HEALTHY),
        found=done.is_done if hidden == HEALTHY or is_repaired else hidden in named and not done.is_done,
        is_repaired=is_repaired,
        readings=len(view.view.readings),
        minutes=sum(cost_min(check, last) for last, check in pairs),
        state_changes=sum(last is None or state_of(last) is not state_of(check) for last, check in pairs),
    )


def practise_again(database: Database, circuit_uid: UUID) -> UUID:
    """Add a copy of a practice circuit with another hidden fault to its job; gives back the copy's identity."""
    view = look_at_bench(database, circuit_uid, Depth.MARKS)
    if not view.job.job.is_practice:
        raise RefusedRequestError("This job is not for practice.", "Start a job for practice from the Floor.")
    circuit = view.view.circuit
    stem, _, number = circuit.name.rpartition(" ")
    stem, last = (stem, int(number)) if stem and number.isdecimal() and len(number) < _FEW_DIGITS else (circuit.name, 1)
    with database.unit() as store:
        names = {c.name for c in store.circuits.of_jobs([view.job.job.uid])[view.job.job.uid]}
    again = replace(circuit, uid=uuid4(), name=numbered(stem[:70], names, last + 1))
    add_circuit(database, view.job.job.uid, again, reader_is_told=True)
    return again.uid


def _is_repaired(readings: tuple[Reading, ...]) -> bool:
    """True since the first reading that was taken after repair: what was hidden counts as put right."""
    return any(reading.reason is SupersedeReason.REPAIRED for reading in readings)


def simulated_value(
    case: BenchCase, test_point: TestPoint, readings: tuple[Reading, ...], fault: str | None = None
) -> float | str:
    """What the simulated vehicle gives at a test point, with the fault that its circuit hides unless another is named."""
    wiring = wiring_of(case)
    hidden = hidden_fault(case) if fault is None else fault
    fault = HEALTHY if _is_repaired(readings) else hidden
    subject = replace(wiring.subject, battery_v=_RESTED * case.system_v)
    return read_test_point(SimulatedVehicle(subject, fault, case.circuit.uid.int % 2**31), wiring, test_point)


def _answer(case: BenchCase, test_point: TestPoint, readings: tuple[Reading, ...]) -> str:
    """What the simulated vehicle gives, as it would be typed."""
    value = simulated_value(case, test_point, readings)
    if isinstance(value, str):
        return value
    return f"{value:.4g}" if ACTIONS[Action(test_point.action)].answer is AnswerKind.OHMS else f"{value:.6f}"
