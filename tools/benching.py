"""`./iron measure bench`: every fault of every family through the Bench itself, test by test as it asks, to its verdict.

The sessions that `diagnosis` measures have neither marks nor verdicts: what a technician reads at the end is measured here. The
circuits are the sample shop's sensors on plain cards, the readings those of the simulated vehicle.
"""

from __future__ import annotations

from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from multiprocessing import get_context
from uuid import uuid4

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.case import BenchCase, confirmed_points, current_readings
from irongauge.core.bench.wiring import Wiring, wiring_of
from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.demo.shelf import MORE_SENSORS
from irongauge.instruments.simulated import SimulatedVehicle, read_test_point
from tests.cards import METER, TECHNICIAN, case, empty
from tools.figures import Figure

__all__ = ["bench_figures", "worked"]

_MOST_READINGS = 45
_CARDS = (case({}, others_on_reference="boost, oil"), *map(empty, MORE_SENSORS))
_BATTERY_V = 12.6  # a charged one: the set-up is not what is measured


def worked(begun: BenchCase, fault: str, seed: int = 3) -> tuple[BenchCase, list[str]]:
    """A circuit worked from the first test to a verdict, each reading taken off the simulated vehicle; and what was asked."""
    made, wiring = begun, wiring_of(begun)
    vehicle = SimulatedVehicle(replace(wiring.subject, battery_v=_BATTERY_V), fault, seed)
    readings: list[Reading] = []
    asked: list[str] = []
    while len(readings) < _MOST_READINGS:
        made = replace(begun, readings=current_readings(readings), confirmed=confirmed_points(readings))
        found = conclude(assess(made))
        if found.next_test is None:
            break
        test_point = found.next_test.test_point
        asked.append(str(test_point))
        before = made.readings.get(test_point)
        reading = _read(wiring, vehicle, test_point, len(readings))
        if before is not None:
            reading = replace(reading, supersedes_uid=before.uid, reason=SupersedeReason.AGAIN)
        readings.append(reading)
    return made, asked


def _read(wiring: Wiring, vehicle: SimulatedVehicle, test_point: TestPoint, second: int) -> Reading:
    value = read_test_point(vehicle, wiring, test_point)
    number = None if isinstance(value, str) else float(value)
    return Reading(
        uid=uuid4(),
        test_point=test_point,
        value=number,
        word=value if isinstance(value, str) else None,
        unit=None if number is None else "V",
        state=ACTIONS[Action(test_point.action)].state,
        typed=str(value),
        technician_uid=TECHNICIAN,
        taken_at=datetime(2026, 3, 2, 9, tzinfo=UTC) + timedelta(seconds=second),
        instrument_uid=METER.uid,
    )


def _outcomes(work: tuple[int, int]) -> list[tuple[str, str, bool]]:
    """Hidden fault, verdict and whether the fault is in the leading group, for every fault of one sensor."""
    place, seed = work
    found = []
    for fault in faults_of(wiring_of(_CARDS[place]).subject):
        told = conclude(assess(worked(_CARDS[place], fault, seed)[0]))
        assert told.diagnosis is not None  # it was just concluded
        found.append((fault, str(told.verdict.level), fault in {s.fault for s in told.diagnosis.group}))
    return found


def bench_figures(number: int) -> list[Figure]:
    """Figures over every fault of every sensor, each in as many circuits as make about `number` cases, at least one."""
    seeds = max(1, round(number / 250))
    work = [(place, seed) for seed in range(1, seeds + 1) for place in range(len(_CARDS))]
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        outcomes = [outcome for share in pool.map(_outcomes, work) for outcome in share]
    bad = [(level, right) for fault, level, right in outcomes if fault != HEALTHY]
    good = Counter(level for fault, level, _ in outcomes if fault == HEALTHY)
    done = sum(count for level, count in good.items() if VerdictLevel(level).is_done)
    named = [right for level, right in bad if level in {VerdictLevel.FAULT, VerdictLevel.GROUP}]
    called_good = sum(VerdictLevel(level).is_done for level, _ in bad)

    def share(count: float, whole: int) -> float:
        return 100 * count / max(whole, 1)

    return [
        Figure("through the Bench: cases", len(outcomes), ""),
        Figure("through the Bench: fault or group named", share(len(named), len(bad)), "%"),
        Figure(
            "through the Bench: named and wrong, of all faulty", share(named.count(False), len(bad)), "%", "at most 0.5"
        ),
        Figure("through the Bench: faults that pass every mark", share(called_good, len(bad)), "%"),
        Figure("through the Bench: healthy proved", share(done, good.total()), "%", "at least 90"),
    ]
