"""`./iron measure diagnosis`: sessions on simulated circuits with hidden faults, and how often they are right.

The circuits are drawn otherwise than the reasoning supposes (`Habits.OTHER` of the simulated vehicle): wider, and with
other shapes. A case is right when the hidden fault is in the group that leads at the end. Beside it runs the fixed order
of the trade on the same vehicle, until the same reasoning would stop: what it costs to measure in that order.
"""

from __future__ import annotations

import statistics
import time
from collections import defaultdict
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context

import numpy as np

from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.circuit_under_test import (
    SIGNAL,
    TEMPERATURE,
    CircuitUnderTest,
    InputKind,
    KnownInput,
    SignalCurve,
)
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY, SURE, Standing, may_stand_together, words_of
from irongauge.core.diagnosis.role_points import Observation, RolePoint
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import role_points_of, stand
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType
from irongauge.instruments.makes import MAKES
from irongauge.instruments.simulated import Habits, SimulatedVehicle
from tools.figures import Figure, p95

__all__ = ["diagnosis_figures", "random_subject"]

_MOST_CHECKS = 24
_HEALTHY_EVERY = 5
_DOUBLE_EVERY = 10
_PER_SUBJECT = 10
_TIMED = 200  # cases
_SLIP = 0.01
_BINS = ((0.0, 0.5), (0.5, 0.8), (0.8, 0.95), (0.95, 0.99), (0.99, 1.01))


@dataclass(kw_only=True)
class _Outcome:
    family: str
    fault: str
    first: tuple[str, ...]
    probability: float
    role_points: int
    fixed: int
    standing: str
    times_ms: list[float] = field(default_factory=list)
    said: list[str] = field(default_factory=list)
    named_after: tuple[str, ...] = ()
    make: str = ""

    @property
    def right(self) -> bool:
        return self.fault in self.first

    @property
    def named(self) -> tuple[str, ...]:
        """Every single fault that the leading group names."""
        return tuple({one for fault in self.first for one in fault.split(DOUBLE_JOIN)})

    @property
    def is_double(self) -> bool:
        return DOUBLE_JOIN in self.fault


def random_subject(family: Family, rng: np.random.Generator) -> CircuitUnderTest:
    """A circuit of a family as a shop might meet it."""
    ohm = float(np.exp(rng.uniform(np.log(1500), np.log(60_000))))
    kind = InputKind.PULL_UP if rng.random() < 0.6 else InputKind.PULL_DOWN  # noqa: PLR2004  most inputs have one
    plain = KnownInput(kind, ohm if kind is InputKind.PULL_UP else 20 * ohm, 5.0)
    biased = KnownInput(InputKind.PULL_UP, float(rng.uniform(1500, 10_000)), 5.0)
    must_pull = {Family.HALL, Family.FREQUENCY, Family.THERMISTOR, Family.SWITCH}
    is_loop = family is Family.CURRENT_LOOP
    shunt_ohm = float(rng.choice([120.0, 150.0, 220.0, 249.0])) if is_loop else 150.0
    in_ma = SignalCurve(0.0, 10.0, 0.004 * shunt_ohm / 5, 0.020 * shunt_ohm / 5)
    inputs = {
        SIGNAL: KnownInput(InputKind.PULL_DOWN, shunt_ohm) if is_loop else biased if family in must_pull else plain
    }
    if family is Family.COMBO:
        inputs[TEMPERATURE] = biased
    curve = SignalCurve(0.0, 10.0, 0.1, 0.9)
    curved = family in {Family.RATIOMETRIC, Family.POTENTIOMETER, Family.COMBO}
    heated = family in {Family.THERMISTOR, Family.COMBO}
    out = family is Family.CONTROLLER_OUT
    battery_fed = out or is_loop or family is Family.FREQUENCY
    is_two_leg = family in {Family.RELUCTANCE, Family.THERMOCOUPLE}
    absolute = curved and rng.random() < 0.3  # noqa: PLR2004  some count from vacuum
    frequency = family is Family.FREQUENCY
    stimuli = {"x1": float(rng.uniform(1, 4)), "x2": float(rng.uniform(6, 9))}
    thermocouple = family is Family.THERMOCOUPLE
    hot = {"x1": 22.0, "x2": float(rng.uniform(60, 90))}
    return CircuitUnderTest(
        family=family,
        supply_v=None if battery_fed else 5.0,
        supply_from_battery=battery_fed,
        others_on_reference=0 if battery_fed else int(rng.integers(1, 5)),
        inputs={} if is_two_leg else inputs,
        curve=SignalCurve(0.0, 10.0, 0.0, 1.0) if out else in_ma if is_loop else curve if curved else None,
        stimuli={"x1": 20.0} if frequency else stimuli if curved or out or is_loop else {},
        thermistor=Thermistor(2500, 3500) if heated else None,
        temperatures_degc=hot if heated or thermocouple else {},
        pot_ohm=4500.0 if family is Family.POTENTIOMETER else None,
        coil=Coil(800.0, 12, (3.0, 6.0)) if family is Family.RELUCTANCE else None,
        coil_differential=bool(rng.integers(0, 2)),
        shielded=is_two_leg and bool(rng.integers(0, 2)),
        frequency=FrequencyCurve(
            value_low=0,
            value_high=100,
            hz_low=50,
            hz_high=150,
            degc_low=-40,
            degc_high=125,
            pulse_low_ms=1,
            pulse_high_ms=5,
        )
        if frequency
        else None,
        thermocouple=ThermocoupleKind(letter=ThermocoupleType.K) if thermocouple else None,
        atmosphere=1.0 if absolute else None,
    )


def _run(subject: CircuitUnderTest, fault: str, seed: int) -> _Outcome:
    vehicle = SimulatedVehicle(subject, fault, seed, slip=_SLIP, habits=Habits.OTHER)
    outcome = _one_session(subject, vehicle, fault)
    outcome.fixed = _fixed_order(subject, vehicle, role_points_of(subject))
    named = set(outcome.named) & set(fault.split(DOUBLE_JOIN))
    hidden = [f for f in fault.split(DOUBLE_JOIN) if f not in named]
    if named and hidden:  # put right what was found, then measure again
        mended = SimulatedVehicle(subject, DOUBLE_JOIN.join(hidden), seed, slip=_SLIP, habits=Habits.OTHER)
        outcome.named_after = _one_session(subject, mended, hidden[0]).named
    return outcome


def _one_session(subject: CircuitUnderTest, vehicle: SimulatedVehicle, fault: str) -> _Outcome:
    role_points = role_points_of(subject)
    session = Session(subject)
    times: list[float] = []
    said: list[str] = []
    last: RolePoint | None = None
    now = stand(session, role_points)
    while now.choices and len(said) < _MOST_CHECKS:
        role_point = now.choices[0].role_point
        answer = vehicle.ask(role_point)
        again = role_point in session.taken and _agrees(session, role_point, answer)
        started = time.perf_counter()
        session.update(role_point, answer, confirmed=again)
        last = role_point
        now = stand(session, role_points, last)
        times.append((time.perf_counter() - started) * 1000)
        said.append(f"{role_point} {answer} -> {now.group.faults[0]} {now.group.probability:.3f} {now.standing}")
    group = now.group
    return _Outcome(
        family=subject.family,
        fault=fault,
        first=group.faults,
        probability=group.probability,
        role_points=len(said),
        fixed=0,
        standing=now.standing,
        times_ms=times,
        said=said,
    )


def _agrees(session: Session, role_point: RolePoint, answer: Mapping[str, Observation]) -> bool:
    """True when a repeated answer comes out as before, within a tenth."""
    for name, before in session.taken[role_point].items():
        now = answer.get(name)
        if isinstance(before, float) and isinstance(now, float):
            if abs(now - before) > 0.02 + 0.05 * abs(before):
                return False
        elif before != now:
            return False
    return True


# The order of the trade: unplugged volts, lamps, the signal wire with live data, plugged in, live data, then the rest.
_ORDER = (
    "open_v", "lamp_negative", "lamp_positive", "live", "mated_dc", "return_drop", "mated_v", "loop_ma", "running", "rotating",
    "mated_live", "running_live", "counted", "coil_ohm", "loop_ohm", "thermo_mv", "sensor_ohm", "ac_loose", "ac_mated",
    "polarity", "ring", "leg_ohm", "sharers_off_v", "off_ohm", "wire_ohm", "shield_ohm",
)  # fmt: skip
_OF_THE_TRADE = {"live": {"lamp_positive", "jumped_return", "unplugged", "jumped_pair"}}


def _fixed_order(subject: CircuitUnderTest, vehicle: SimulatedVehicle, role_points: tuple[RolePoint, ...]) -> int:
    """How many checks the fixed order takes until the same reasoning is sure, or has done them all."""
    session = Session(subject)
    ordered = sorted(role_points, key=lambda role_point: _ORDER.index(role_point.kind))
    ordered = [c for c in ordered if c.kind not in _OF_THE_TRADE or c.state in _OF_THE_TRADE[c.kind]]
    for count, role_point in enumerate(ordered, start=1):
        session.update(role_point, vehicle.ask(role_point))
        if session.ranking()[0].probability >= SURE - 0.1 and stand(session, role_points).standing is not Standing.OPEN:
            return count
    return len(ordered)


def cases_of(number: int) -> list[tuple[CircuitUnderTest, str, int]]:
    """Spread evenly over families; of ten in a row two are healthy and one has two faults."""
    families, rng = list(Family), np.random.default_rng(20_261_125)
    cases = []
    for case in range(number):
        place, turn = divmod(case, _PER_SUBJECT)
        if turn == 0:
            subject = random_subject(families[place % len(families)], rng)
        faults = faults_of(subject)[1:]
        fault = HEALTHY if turn % _HEALTHY_EVERY == 0 else str(rng.choice(faults))
        if turn == _DOUBLE_EVERY - 1:
            second = [f for f in faults if may_stand_together(fault, f)]
            fault = DOUBLE_JOIN.join(sorted([fault, str(rng.choice(second))])) if second else fault
        cases.append((subject, fault, 1_000_000 + case))
    return cases


def _run_of_make(subject: CircuitUnderTest, fault: str, seed: int) -> _Outcome:
    """One case with a make that the model does not have."""
    make = MAKES[seed % len(MAKES)]
    outcome = _one_session(subject, SimulatedVehicle(subject, fault, seed, habits=Habits.OTHER, make=make), fault)
    outcome.make = make.name
    return outcome


def _share_of_makes(cases: list[tuple[CircuitUnderTest, str, int]]) -> list[_Outcome]:
    return [_run_of_make(*case) for case in cases if DOUBLE_JOIN not in case[1]]


def _share_of_cases(cases: list[tuple[CircuitUnderTest, str, int]]) -> list[_Outcome]:
    return [_run(*case) for case in cases]


def outcomes_of(number: int) -> tuple[list[_Outcome], list[_Outcome]]:
    """What came out of cases as the model supposes them, only wider; and of the same with makes that it does not have."""
    cases = cases_of(number)
    by_subject = [cases[i : i + _PER_SUBJECT] for i in range(0, len(cases), _PER_SUBJECT)]
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        own = [outcome for group in pool.map(_share_of_cases, by_subject) for outcome in group]
        foreign = [outcome for group in pool.map(_share_of_makes, by_subject) for outcome in group]
    return own, foreign


def _condemned(outcome: _Outcome) -> bool:
    """True for a good sensor that is named for certain."""
    hidden = words_of(outcome.fault)[0].place if outcome.fault != HEALTHY else ""
    named = words_of(outcome.first[0])[0].place if outcome.first[0] != HEALTHY else ""
    return outcome.probability >= SURE and named == "sensor" and hidden != "sensor" and not outcome.right


def _of_makes(outcomes: list[_Outcome]) -> list[Figure]:
    bad = [o for o in outcomes if o.fault != HEALTHY]
    good = [o for o in outcomes if o.fault == HEALTHY]
    wrong = [o for o in outcomes if o.probability >= SURE and not o.right]
    surely_good = [o for o in good if o.right and o.probability >= SURE and o.standing is not Standing.OPEN]
    figures = [
        Figure("other makes: cases", len(outcomes), ""),
        Figure("other makes: right group first", _percent(outcomes), "%", "at least 97"),
        Figure("other makes: sure and wrong", 100 * len(wrong) / len(outcomes), "%", "at most 0.5"),
        Figure(
            "other makes: good sensor condemned",
            100 * sum(map(_condemned, outcomes)) / len(outcomes),
            "%",
            "at most 0.3",
        ),
        Figure("other makes: healthy surely good", 100 * len(surely_good) / max(len(good), 1), "%", "at least 90"),
        Figure("other makes: checks, faulty, median", statistics.median(o.role_points for o in bad), "", "at most 7"),
    ]
    for make in MAKES:
        some = [o for o in outcomes if o.make == make.name]
        if some:
            figures.append(Figure(f"right group first: {make.name}", _percent(some), "%"))
    return figures


def diagnosis_figures(number: int) -> list[Figure]:
    """Figures over `number` cases."""
    outcomes, foreign = outcomes_of(number)
    single = [o for o in outcomes if not o.is_double]
    double = [o for o in outcomes if o.is_double]
    good = [o for o in single if o.fault == HEALTHY]
    bad = [o for o in single if o.fault != HEALTHY]
    sure = [o for o in single if o.probability >= SURE]
    at_once = [o for o in double if set(o.fault.split(DOUBLE_JOIN)) <= set(o.named)]
    both = [o for o in double if set(o.fault.split(DOUBLE_JOIN)) <= {*o.named, *o.named_after}]
    taken, fixed = sum(o.role_points for o in bad), sum(o.fixed for o in bad)
    figures = [
        Figure("cases", len(outcomes), ""),
        Figure("right group first, single faults and healthy", _percent(single), "%", "at least 98"),
        Figure("sure and wrong, of all", 100 * sum(not o.right for o in sure) / len(single), "%", "at most 0.5"),
        Figure("healthy called faulty", 100 - _percent(good), "%", "at most 0.5"),
        Figure(
            "checks to a verdict, single faults, median", statistics.median(o.role_points for o in bad), "", "at most 6"
        ),
        Figure("fewer checks than in the fixed order", 100 * (1 - taken / fixed), "%", "at least 30"),
        Figure("two faults, both named at once", 100 * len(at_once) / max(len(double), 1), "%"),
        Figure(
            "two faults, both named, the first put right between",
            100 * len(both) / max(len(double), 1),
            "%",
            "at least 80",
        ),
        Figure("answers that name one fault alone", 100 * sum(len(o.first) == 1 for o in bad) / len(bad), "%"),
        *_of_makes(foreign),
        *_speeds(cases_of(_TIMED)),
    ]
    for low, high in _BINS:
        said = [o for o in single if low <= o.probability < high]
        if said:
            mean = 100 * statistics.mean(o.probability for o in said)
            figures.append(Figure(f"said {mean:.0f} % ({len(said)} cases): right", _percent(said), "%"))
    by_family: dict[str, list[_Outcome]] = defaultdict(list)
    for outcome in single:
        by_family[outcome.family].append(outcome)
    figures += [Figure(f"right group first: {family}", _percent(some), "%") for family, some in by_family.items()]
    return figures


def _speeds(cases: list[tuple[CircuitUnderTest, str, int]]) -> list[Figure]:
    """Times in this process alone, once the pool is idle: the first look at a circuit's model, and each reading after it."""
    cold: list[float] = []
    times: dict[bool, list[float]] = {False: [], True: []}
    for place, (subject, fault, seed) in enumerate(cases):
        if place % _PER_SUBJECT == 0:
            started = time.perf_counter()
            stand(Session(subject), role_points_of(subject))
            cold.append((time.perf_counter() - started) * 1000)
        vehicle = SimulatedVehicle(subject, fault, seed, slip=_SLIP, habits=Habits.OTHER)
        times[DOUBLE_JOIN in fault] += _one_session(subject, vehicle, fault).times_ms
    return [
        Figure("reading to ranking and next check, p95", p95(times[False]), "ms", "under 50"),
        Figure("reading to ranking and next check, median", statistics.median(times[False]), "ms"),
        Figure("reading to ranking and next check, two faults, p95", p95(times[True]), "ms"),
        Figure("model of a new circuit, slowest", max(cold), "ms", "under 1000"),
        Figure("model of a new circuit, median", statistics.median(cold), "ms"),
    ]


def _percent(outcomes: list[_Outcome]) -> float:
    return 100 * sum(o.right for o in outcomes) / max(len(outcomes), 1)
