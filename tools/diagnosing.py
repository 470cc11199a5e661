"""`./iron measure diagnosis`: sessions on simulated circuits with hidden faults, and how often they are right.

A case is right when the hidden fault is first. Faults that no reading can tell apart are not merged into groups yet, so
this is stricter than what is promised of groups.
"""

from __future__ import annotations

import statistics
import time
from dataclasses import dataclass

import numpy as np

from irongauge.core.diagnosis import HEALTHY, InputKind, KnownInput, Session, Subject, SubjectFamily, faults_of
from irongauge.core.diagnosis.subject import SIGNAL, TEMPERATURE, Coil, SignalCurve, Thermistor
from irongauge.instruments import SimulatedVehicle
from irongauge.instruments.simulated import checks_of
from tools.figures import Figure, p95

__all__ = ["diagnosis_figures", "random_subject"]

_ENOUGH = 0.995
_LEAST_CHECKS, _MOST_CHECKS = 6, 12
_LEAST_GAIN_NATS = 0.004
_HEALTHY_EVERY = 5
_SLIP = 0.01
_BINS = ((0.0, 0.5), (0.5, 0.8), (0.8, 0.95), (0.95, 0.99), (0.99, 1.01))


@dataclass(frozen=True)
class _Outcome:
    fault: str
    first: str
    probability: float
    checks: int

    @property
    def right(self) -> bool:
        return self.first == self.fault


def random_subject(family: SubjectFamily, rng: np.random.Generator) -> Subject:
    """A circuit of a family as a shop might meet it."""
    ohm = float(np.exp(rng.uniform(np.log(1500), np.log(60_000))))
    kind = InputKind.PULL_UP if rng.random() < 0.6 else InputKind.PULL_DOWN  # noqa: PLR2004  most inputs have one
    plain = KnownInput(kind, ohm if kind is InputKind.PULL_UP else 20 * ohm, 5.0)
    biased = KnownInput(InputKind.PULL_UP, float(rng.uniform(1500, 10_000)), 5.0)
    inputs = {SIGNAL: biased if family in {SubjectFamily.HALL, SubjectFamily.THERMISTOR} else plain}
    if family is SubjectFamily.COMBO:
        inputs[TEMPERATURE] = biased
    curve = SignalCurve(0.0, 10.0, 0.1, 0.9)
    curved = family not in {SubjectFamily.HALL, SubjectFamily.THERMISTOR, SubjectFamily.RELUCTANCE}
    heated = family in {SubjectFamily.THERMISTOR, SubjectFamily.COMBO}
    out = family is SubjectFamily.CONTROLLER_OUT
    return Subject(
        family,
        supply_v=None if out else 5.0,
        supply_from_battery=out,
        sharers=0 if out else int(rng.integers(1, 5)),
        inputs={} if family is SubjectFamily.RELUCTANCE else inputs,
        curve=SignalCurve(0.0, 10.0, 0.0, 1.0) if out else curve if curved else None,
        stimuli={"x1": float(rng.uniform(1, 4)), "x2": float(rng.uniform(6, 9))},
        thermistor=Thermistor(2500, 3500) if heated else None,
        temperatures_degc={"x1": 22.0, "x2": float(rng.uniform(60, 90))} if heated else {},
        pot_ohm=4500.0 if family is SubjectFamily.POTENTIOMETER else None,
        coil=Coil(800.0, 12, (3.0, 6.0)) if family is SubjectFamily.RELUCTANCE else None,
        coil_differential=bool(rng.integers(0, 2)),
    )


def _run(subject: Subject, fault: str, seed: int, times: list[float]) -> _Outcome:
    vehicle, session = SimulatedVehicle(subject, fault, seed, slip=_SLIP), Session(subject)
    checks = checks_of(subject)
    for _ in range(_MOST_CHECKS):
        if len(session.taken) >= _LEAST_CHECKS and session.ranking()[0].probability > _ENOUGH:
            break
        gains = session.gains(checks)
        best = max(gains, key=lambda check: gains[check])
        if gains[best] < _LEAST_GAIN_NATS and len(session.taken) >= _LEAST_CHECKS:
            break
        answer = vehicle.ask(best)
        started = time.perf_counter()
        session.update(best, answer)
        session.ranking()
        session.gains(checks)
        times.append((time.perf_counter() - started) * 1000)
    top = session.ranking()[0]
    return _Outcome(fault, top.fault, top.probability, len(session.taken))


def diagnosis_figures(number: int) -> list[Figure]:
    """Figures over `number` cases, spread evenly over families; one in five is healthy."""
    families, rng = list(SubjectFamily), np.random.default_rng(20_261_125)
    outcomes: list[_Outcome] = []
    times: list[float] = []
    for case in range(number):
        subject = random_subject(families[case % len(families)], rng)
        faults = faults_of(subject)[1:]
        healthy = (case // len(families)) % _HEALTHY_EVERY == 0
        fault = HEALTHY if healthy else str(rng.choice(faults))
        outcomes.append(_run(subject, fault, 1_000_000 + case, times))
    good = [o for o in outcomes if o.fault == HEALTHY]
    bad = [o for o in outcomes if o.fault != HEALTHY]
    sure = [o for o in outcomes if o.probability >= 0.95]  # noqa: PLR2004  what is called sure
    figures = [
        Figure("cases", len(outcomes), ""),
        Figure("hidden fault first", _percent(outcomes, right=True), "%", "98 of groups"),
        Figure("sure and wrong, of all", 100 * sum(not o.right for o in sure) / len(outcomes), "%", "at most 0.5"),
        Figure("healthy called faulty", _percent(good, right=False), "%", "at most 0.5"),
        Figure("checks to a verdict, faulty, median", statistics.median(o.checks for o in bad), "", "at most 6"),
        Figure("reading to ranking and next check, p95", p95(times), "ms", "under 50"),
    ]
    for low, high in _BINS:
        said = [o for o in outcomes if low <= o.probability < high]
        if said:
            mean = 100 * statistics.mean(o.probability for o in said)
            figures.append(Figure(f"said {mean:.0f} % ({len(said)} cases): right", _percent(said, right=True), "%"))
    return figures


def _percent(outcomes: list[_Outcome], *, right: bool) -> float:
    return 100 * sum(o.right is right for o in outcomes) / max(len(outcomes), 1)
