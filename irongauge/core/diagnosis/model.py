"""What every check would read on one circuit under every fault: clouds of samples, each check solved when first asked.

A model depends on the circuit's card alone, so it is kept and shared by all diagnoses of that circuit. The spread with
which a prediction is compared has three parts: what the instrument does not know, what healthy circuits of the same
card differ by, and the gaps between neighbouring samples, so that a cloud of some dozens of them stands for the whole.
A small part of every likelihood is flat: a slip of the probe or of the pen must not be able to rule anything out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from irongauge.core.diagnosis.catalogue import Parameters, draw, faults_of
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.electrical import Bench
from irongauge.core.diagnosis.faults import HEALTHY, words_of
from irongauge.core.diagnosis.reluctance import CoilBench
from irongauge.core.diagnosis.role_points import (
    BRIGHT_ABOVE_A,
    DARK_BELOW_A,
    NO_CONTACT_V,
    WORDS,
    Array,
    Flags,
    Kind,
    Observation,
    PredictedPart,
    RolePoint,
)
from irongauge.core.diagnosis.thermocouple import JunctionBench
from irongauge.core.sensors.families import Family

__all__ = ["OHM_KINDS", "PER_FAULT", "AnswerPart", "CircuitModel", "bench_of", "model_of"]

PER_FAULT = 88  # more change no ranking by a percent; fewer leave gaps in sizes of five decades
SLIP = 0.006  # of readings are taken at the wrong pin or typed wrongly
# Around each sample its neighbours show how densely the cloud lies: a reading may fall between them, and the scatter of
# healthy circuits, of which a few dozen samples show but a few in every direction, is worth about as many gaps as a bell
# has to its shoulder.
_NEIGHBOURS, _BETWEEN_GAPS, _SCATTER_GAPS = 3, 2.5, 25.0
_OVER_RANGE_OHM = 4e7  # surely over a handheld meter's last range
_MAYBE_OVER_RANGE_OHM = 1.2e7  # over the last range of some
_LEAST_OHM = 0.05  # ohms are compared as logarithms
# One standard deviation as a share: a meter's; what a sensor's own ohms and a thermistor at an unknown room differ by.
OHM_KINDS = {Kind.OHMS: 0.04, Kind.SENSOR_OHMS: 0.3, Kind.THERMISTOR_OHMS: 0.2}
# One standard deviation of the instrument: a fixed part in the unit of the kind, and a share of the reading.
_INSTRUMENT = {
    Kind.VOLTS: (0.005, 0.004),
    Kind.BATTERY_VOLTS: (0.12, 0.0),
    Kind.LIVE_VOLTS: (0.007, 0.002),
    Kind.MILLIVOLTS: (2.0, 0.004),
    Kind.THERMO_MILLIVOLTS: (0.03, 0.004),
    Kind.HERTZ: (0.05, 0.002),
    Kind.MILLISECONDS: (0.01, 0.005),
    Kind.PERCENT: (0.6, 0.03),
}
# How wide the ground is on which a slip may land, in the unit of the kind.
_ANYWHERE = {
    Kind.VOLTS: 15.0,
    Kind.BATTERY_VOLTS: 15.0,
    Kind.MILLIVOLTS: 13_000.0,
    Kind.LIVE_VOLTS: 5.5,
    Kind.THERMO_MILLIVOLTS: 60.0,
    Kind.HERTZ: 400.0,
    Kind.MILLISECONDS: 20.0,
    Kind.PERCENT: 100.0,
}
_UNLIKELY = -7.0  # one in a thousand: a word that does not fit what is there
_WORD_FITS, _WORD_DOES_NOT = math.log(0.985), math.log(0.01)  # words are answered wrongly about once in a hundred
_SHORT_BELOW_OHM = 1e6  # a branch that is there at all

AnyBench = Bench | CoilBench | JunctionBench


def bench_of(subject: CircuitUnderTest, p: Parameters) -> AnyBench:
    """The bench that reads circuits of this family."""
    if subject.family is Family.RELUCTANCE:
        return CoilBench(subject, p)
    if subject.family is Family.THERMOCOUPLE:
        return JunctionBench(subject, p)
    return Bench(subject, p)


@dataclass(frozen=True)
class AnswerPart:
    """One part of a check's answer in every sample, on the scale on which it is compared, with its spread, `(n,)`."""

    kind: Kind
    values: Array
    spread: Array


class CircuitModel:
    """Clouds of `per_fault` samples for each of `faults`, in that order, and what every check would read on them."""

    def __init__(  # noqa: PLR0913  what the clouds are made of, and two ways to make them
        self,
        subject: CircuitUnderTest,
        faults: Sequence[str],
        p: Parameters,
        per_fault: int,
        base: CircuitModel | None = None,
        between: float = _BETWEEN_GAPS,
    ) -> None:
        """`base` is the model that knows how much healthy circuits differ; None when this one holds `healthy`.

        `between` is how many gaps to a sample's neighbours its prediction stands for.
        """
        self.subject = subject
        self.faults = tuple(faults)
        self.per_fault = per_fault
        self.n = len(self.faults) * per_fault
        self.p = p
        self.fault_of = np.repeat(np.arange(len(self.faults)), per_fault)
        self._base = base
        self._between = between
        self._sized = np.array([any(words.size is not None for words in words_of(fault)) for fault in self.faults])
        self._bench = bench_of(subject, p)
        self._parts: dict[RolePoint, dict[str, AnswerPart]] = {}
        self._healthy_spread: dict[tuple[RolePoint, str], float] = {}

    def parts(self, role_point: RolePoint) -> dict[str, AnswerPart]:
        """The parts of a check's answer; empty for a check that this circuit does not have."""
        if role_point not in self._parts:
            read = self._bench.read(role_point)
            self._parts[role_point] = {name: self._prepare(role_point, name, part) for name, part in read.items()}
        return self._parts[role_point]

    def healthy_spread(self, role_point: RolePoint, name: str) -> float:
        """How much healthy circuits of this card differ in one part of an answer."""
        if self._base is not None:
            return self._base.healthy_spread(role_point, name)
        if (role_point, name) not in self._healthy_spread:
            self.parts(role_point)
        return self._healthy_spread[role_point, name]

    def sample_set(self, role_point: RolePoint, name: str, fault: str) -> Array:
        """Every sample of one fault, in the unit of the part's kind."""
        part = self.parts(role_point)[name]
        place = self.faults.index(fault)
        values = part.values[place * self.per_fault : (place + 1) * self.per_fault]
        return np.exp(values) if part.kind in OHM_KINDS else values

    def _prepare(self, role_point: RolePoint, name: str, part: PredictedPart) -> AnswerPart:
        values = np.log(np.maximum(part.values, _LEAST_OHM)) if part.kind in OHM_KINDS else part.values
        sample_sets = np.clip(values, -50, 1000).reshape(len(self.faults), self.per_fault)
        gaps = _local_gaps(sample_sets)
        if self._base is None:
            at_home = gaps[self.faults.index(HEALTHY)]
            self._healthy_spread[role_point, name] = float(
                min(np.median(_SCATTER_GAPS * at_home), sample_sets[self.faults.index(HEALTHY)].std())
            )
        # What a fault of no size differs by is scatter; what one with a size differs by is mostly its size.
        most = np.where(self._sized, self.healthy_spread(role_point, name), sample_sets.std(axis=1))[:, None]
        scatter = np.minimum(_SCATTER_GAPS * gaps, most)
        return AnswerPart(part.kind, values, np.hypot(scatter, self._between * gaps).ravel())

    def value_span(self) -> float:
        return 120.0 if self.subject.curve is None else self.subject.curve.span

    def instrument(self, kind: Kind, values: Array | float) -> Array:
        """What the instrument does not know, one standard deviation, on the scale on which a kind is compared."""
        size = np.abs(np.asarray(values, dtype=float))
        if kind is Kind.LIVE_VALUE:
            return np.full_like(size, 0.004 * self.value_span())
        if kind in OHM_KINDS:
            return np.full_like(size, OHM_KINDS[kind])
        fixed, share = _INSTRUMENT[kind]
        return np.asarray(fixed + share * size)

    # Likelihoods

    def log_likelihood(  # noqa: PLR0911  one return for each kind of answer
        self, role_point: RolePoint, name: str, seen: Observation, slip: float = SLIP, unsure: float = 0.0
    ) -> Array | None:
        """Log likelihood of one part of an answer in every sample; None when this circuit's check has no such part.

        `unsure` is the standard uncertainty of the instrument that was used, in the unit of the kind, a share for ohms; a
        common one is taken where it knows better.
        """
        part = self.parts(role_point).get(name)
        if part is None or (seen is None and part.kind is Kind.LIVE_VALUE):
            return None
        if part.kind is Kind.GLOW:
            return _glow_likelihood(str(seen), part.values, slip)
        if part.kind is Kind.WORD:
            return np.where(part.values == _word(role_point.kind, seen), _WORD_FITS, _WORD_DOES_NOT)
        if seen is None:
            return np.where(part.values == NO_CONTACT_V, 0.0, _UNLIKELY)
        if part.kind in OHM_KINDS:
            return self._ohm_likelihood(seen, part, slip, unsure)
        if isinstance(seen, str):  # a word where a number belongs says nothing
            return np.zeros(self.n)
        spread = np.hypot(np.maximum(self.instrument(part.kind, seen), unsure), part.spread)
        fit = np.where(part.values == NO_CONTACT_V, -40.0, _normal(seen, part.values, spread))
        anywhere = _ANYWHERE.get(part.kind, 2 * self.value_span())
        return np.asarray(np.logaddexp(np.log(1 - slip) + fit, np.log(slip / anywhere)))

    def best_possible(  # noqa: PLR0913  a reading, and where it is held against
        self, role_point: RolePoint, name: str, seen: Observation, sample: int, slip: float = SLIP, unsure: float = 0.0
    ) -> float:
        """Log likelihood of an answer that hits a sample's prediction: what it must stay near to count as explained."""
        part = self.parts(role_point)[name]
        if part.kind in {Kind.GLOW, Kind.WORD} or not isinstance(seen, float):
            return 0.0
        at = math.log(max(seen, _LEAST_OHM)) if part.kind in OHM_KINDS else seen
        spread = math.hypot(max(float(self.instrument(part.kind, at)), unsure), float(part.spread[sample]))
        return math.log(1 - slip) - math.log(spread) - 0.92

    def _ohm_likelihood(self, seen: float | str, part: AnswerPart, slip: float, unsure: float) -> Array:
        live_wire = self._live_wire()
        if seen == "OL":
            ohm = np.exp(part.values)
            return np.where(ohm > _OVER_RANGE_OHM, 0.0, np.where(ohm > _MAYBE_OVER_RANGE_OHM, -1.5, _UNLIKELY))
        if isinstance(seen, str):  # voltage present: an ohmmeter refuses
            return np.where(live_wire, 0.0, _UNLIKELY)
        # Leads and contacts add some tenths of an ohm that nobody knows.
        instrument = max(OHM_KINDS[part.kind], unsure) + 0.25 / max(seen, 0.3)
        fit = _normal(np.log(max(seen, _LEAST_OHM)), part.values, np.hypot(instrument, part.spread))
        weighed = np.logaddexp(np.log(1 - slip) + fit, np.log(slip / 15.0))
        return np.where(live_wire, -6.0, weighed) if part.kind is Kind.OHMS else weighed

    def _live_wire(self) -> Flags:
        """Samples in which a wire is on a battery feed that stays on with the key off."""
        shorted = [self.p[f"to_battery.{pin}"] < _SHORT_BELOW_OHM for pin in self.subject.pins]
        return np.asarray(np.any(shorted, axis=0) & (self.p["constant_feed"] > 0))


def _local_gaps(sample_sets: Array) -> Array:
    """How far apart each cloud's values lie around each of its samples, `(sample_sets, samples)`."""
    count = sample_sets.shape[1]
    order = np.argsort(sample_sets, axis=1)
    ranked = np.take_along_axis(sample_sets, order, axis=1)
    reach = min(_NEIGHBOURS, (count - 1) // 2)
    above = np.minimum(np.arange(count) + reach, count - 1)
    below = np.maximum(np.arange(count) - reach, 0)
    gaps = np.empty_like(sample_sets)
    np.put_along_axis(gaps, order, (ranked[:, above] - ranked[:, below]) / np.maximum(above - below, 1), axis=1)
    return gaps


@lru_cache(maxsize=24)
def model_of(subject: CircuitUnderTest, faults: tuple[str, ...] | None = None, seed: int = 1) -> CircuitModel:
    """The model of a circuit, kept. `faults` limits what is thought possible; it must hold `healthy`."""
    chosen = faults or faults_of(subject)
    return CircuitModel(subject, chosen, draw(subject, chosen, PER_FAULT, np.random.default_rng(seed)), PER_FAULT)


def _normal(seen: float, expected: Array, spread: Array) -> Array:
    return np.asarray(-0.5 * ((seen - expected) / spread) ** 2 - np.log(spread) - 0.5 * np.log(2 * np.pi))


def _glow_likelihood(glow: str, current_a: Array, slip: float) -> Array:
    """A glow is judged by eye, so its borders at 20 and 80 mA are soft."""
    lit = 1 / (1 + np.exp(-np.clip((np.abs(current_a) - DARK_BELOW_A) / 0.0025, -40, 40)))
    bright = 1 / (1 + np.exp(-np.clip((np.abs(current_a) - BRIGHT_ABOVE_A) / 0.005, -40, 40)))
    chance = {"dark": 1 - lit, "dim": lit - bright, "bright": bright}.get(glow, np.ones_like(lit))
    return np.asarray(np.log(np.clip(chance, 0, 1) * (1 - slip) + slip / 3))


def _word(kind: str, seen: Observation) -> float:
    """The number that stands for a word; one that no circuit gives for a word that this check does not have."""
    return next((number for number, word in WORDS[kind].items() if word == seen), math.nan)
