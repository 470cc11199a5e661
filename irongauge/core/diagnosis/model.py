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
from numpy.typing import NDArray

from irongauge.core.diagnosis.catalogue import draw, faults_of
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.electrical import Bench
from irongauge.core.diagnosis.family_rules import AnyBench, rules_of
from irongauge.core.diagnosis.faults import HEALTHY, words_of
from irongauge.core.diagnosis.parameters import Parameters
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
    glow_classes,
)
from irongauge.core.measure.quantities import ON_THE_WAY

__all__ = ["OHM_KINDS", "PER_FAULT", "AnswerPart", "CircuitModel", "bench_of", "model_of"]

# Fewer leave gaps in sizes of five decades; the widths below are in the gaps between so many.
PER_FAULT = 160
_ON_THE_WAY = 3  # times as many where the place on a wire is asked too, each stretch of which holds but its share
SLIP = 0.006  # of readings are taken at the wrong pin or typed wrongly
# Around each sample its neighbours show how densely the cloud lies: a reading may fall between them, and the scatter of
# healthy circuits, of which a few dozen samples show but a few in every direction, is worth about as many gaps as a bell
# has to its shoulder.
_NEIGHBOURS, _BETWEEN_GAPS, _SCATTER_GAPS = 3, 4.5, 45.0
_TWO_FIGURES = 3.0
_BOUNDED_GAPS = 9.0  # where a data sheet bounds what good ones differ by, little lies beyond
_OVER_RANGE_OHM = 4e7  # surely over a handheld meter's last range
_MAYBE_OVER_RANGE_OHM = 1.2e7  # over the last range of some
_LEAST_OHM = 0.05  # ohms are compared as logarithms
# One standard deviation as a share: a meter's; what a sensor's own ohms and a thermistor at an unknown room differ by.
OHM_KINDS = {Kind.OHMS: 0.04, Kind.DATA_OHMS: 0.015, Kind.SENSOR_OHMS: 0.3, Kind.THERMISTOR_OHMS: 0.2}
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
    Kind.MILLIAMPS: (0.03, 0.006),
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
    Kind.MILLIAMPS: 30.0,
}
_UNLIKELY = -7.0  # one in a thousand: a word that does not fit what is there
_WORD_FITS = math.log(0.985)
_WORD_PER_SLIP, _CERTAIN = 1.6, 3e-4  # words are answered wrongly a little oftener than numbers; never surely right
_HALF_LOG_2PI = 0.5 * math.log(2 * math.pi)
_SAME_METER_OHM = 0.01  # of two readings with one meter on one range: what it has wrong is the same in both
_LIVE_STEP_V = 0.008  # between the steps of 8 and of 10 bits
_SHORT_BELOW_OHM = 1e6  # a branch that is there at all

Place = tuple[RolePoint, str]  # one part of one check's answer
_VOLT_KINDS = {Kind.VOLTS, Kind.LIVE_VOLTS}
# A reading is weighed by its difference from another of the same circuit where that is known at least this much better.
_CLOSER = 0.7
_VALUE_SHARE = 0.006  # of the span: rounding of a shown value, and of the volts that it is made of


def bench_of(subject: CircuitUnderTest, p: Parameters) -> AnyBench:
    """The bench that reads circuits of this family."""
    return rules_of(subject.family).bench(subject, p)


@dataclass(frozen=True)
class Seen:
    """One part of an answer as read, with the standard uncertainty of its instrument where that is known, else 0.

    `unsure` is in the unit of the part, a share for ohms; a common instrument is taken where it knows better.
    """

    place: Place
    value: Observation
    unsure: float = 0.0


@dataclass(frozen=True)
class AnswerPart:
    """One part of a check's answer in every sample, on the scale on which it is compared, with its spread, `(n,)`."""

    kind: Kind
    values: Array
    spread: Array


class CircuitModel:
    """Clouds of `per_fault` samples for each of `faults`, in that order, and what every check would read on them."""

    def __init__(
        self,
        subject: CircuitUnderTest,
        faults: Sequence[str],
        p: Parameters,
        *,
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
        self._denser = per_fault / PER_FAULT if base is None else 1.0
        # Samples of pairs are drawn anew for each, so that no column of theirs is one circuit.
        self._strata = _strata(subject, p, per_fault) if base is None else ()
        self._sized = np.array([any(words.size is not None for words in words_of(fault)) for fault in self.faults])
        self._bench = bench_of(subject, p)
        self._parts: dict[RolePoint, dict[str, AnswerPart]] = {}
        self._differences: dict[tuple[Place, Place], AnswerPart | None] = {}
        self._known: dict[tuple[Place, Place | None], float] = {}
        self._healthy_spread: dict[tuple[object, ...], float] = {}

    def parts(self, role_point: RolePoint) -> dict[str, AnswerPart]:
        """The parts of a check's answer; empty for a check that this circuit does not have."""
        if role_point not in self._parts:
            read = self._bench.read(role_point)
            self._parts[role_point] = {name: self._prepare(role_point, name, part) for name, part in read.items()}
        return self._parts[role_point]

    def sample_set(self, role_point: RolePoint, name: str, fault: str) -> Array:
        """Every sample of one fault, in the unit of the part's kind."""
        part = self.parts(role_point)[name]
        place = self.faults.index(fault)
        values = part.values[place * self.per_fault : (place + 1) * self.per_fault]
        return np.exp(values) if part.kind in OHM_KINDS else values

    def _prepare(self, role_point: RolePoint, name: str, part: PredictedPart) -> AnswerPart:
        values = np.log(np.maximum(part.values, _LEAST_OHM)) if part.kind in OHM_KINDS else part.values
        return AnswerPart(part.kind, values, self._spread((role_point, name), part.kind, values))

    def _spread(self, key: tuple[object, ...], kind: Kind, values: Array) -> Array:
        """How far around each sample its prediction stands for the ground between, on the scale on which it is compared."""
        scatter_gaps = _BOUNDED_GAPS if kind is Kind.DATA_OHMS else _SCATTER_GAPS
        sets = np.clip(values, -50, 1000).reshape(len(self.faults), self.per_fault)
        gaps, scatters = self._gaps_and_scatters(sets)
        if self._base is None:
            home = self.faults.index(HEALTHY)
            scattered = np.minimum(np.median(scatter_gaps * gaps[home]), scatters[home])
            self._healthy_spread[key] = float(np.median(scattered))
        healthy = self._healthy_spread[key] if self._base is None else self._base_spread(key)
        # What a fault of no size differs by is scatter; what one with a size differs by is mostly its size.
        most = np.where(self._sized[:, None], healthy, scatters)
        scatter = np.minimum(scatter_gaps * gaps, most)
        # A scaling that is wrong has two figures, of which so many samples show few together.
        wider = _TWO_FIGURES if kind is Kind.LIVE_VALUE and key[0] == "difference" else 1.0
        return np.hypot(scatter, wider * self._between * gaps).ravel()

    def _gaps_and_scatters(self, sets: Array) -> tuple[Array, Array]:
        """Gaps to each sample's neighbours, and the standard deviation of its cloud, both `(faults, samples)`.

        Where the card leaves an input open, a cloud is one of several kinds of it, and what lies between two kinds is no ground
        that a circuit could be on.
        """
        gaps, scatters = _local_gaps(sets), np.broadcast_to(sets.std(axis=1)[:, None], sets.shape).copy()
        for stratum in self._strata:
            scatters[:, stratum] = sets[:, stratum].std(axis=1)[:, None]
            gaps[:, stratum] = np.minimum(gaps[:, stratum], _local_gaps(sets[:, stratum]))
        return gaps * self._denser, scatters

    def _base_spread(self, key: tuple[object, ...]) -> float:
        """The spread among good circuits, which the model that holds them knows."""
        base = self._base
        assert base is not None  # asked only of models of two faults
        if key not in base._healthy_spread:  # noqa: SLF001  the same class
            if key[0] == "difference":
                base.part(key[1], key[2])  # type: ignore[arg-type]
            else:
                base.parts(key[0])  # type: ignore[arg-type]
        return base._healthy_spread[key]  # noqa: SLF001  the same class

    def value_span(self) -> float:
        """The range of the value, in its fixed unit; of a thermistor what controllers show, in kelvins."""
        return 120.0 if self.subject.curve is None else self.subject.curve.span

    # Two readings of one circuit share most of what is not known of it: the second is weighed by its difference.

    def part(self, place: Place, beside: Place | None) -> AnswerPart | None:
        """One part of an answer, or its difference from another one: a value's from what its own volts make."""
        if beside is None:
            return self.parts(place[0]).get(place[1])
        if (place, beside) not in self._differences:
            self._differences[place, beside] = self._difference(place, beside)
        return self._differences[place, beside]

    def _difference(self, place: Place, beside: Place) -> AnswerPart | None:
        one, other = self.parts(place[0]).get(place[1]), self.parts(beside[0]).get(beside[1])
        if one is None or other is None:
            return None
        base = other.values
        if one.kind is Kind.LIVE_VALUE:
            made = self.value_at(base, place[0].pin)
            if made is None:
                return None
            base = made
        silent = (one.values == NO_CONTACT_V) | (other.values == NO_CONTACT_V)
        values = np.where(silent, NO_CONTACT_V, one.values - base)
        return AnswerPart(one.kind, values, self._spread(("difference", place, beside), one.kind, values))

    def value_at(self, volts: Array, signal: str) -> Array | None:
        """What a controller that is scaled rightly makes of volts; None where that is not known."""
        return self._bench.value_at(volts, signal) if isinstance(self._bench, Bench) else None

    def beside(self, place: Place, taken: Sequence[Place]) -> Place | None:
        """The part that was read already from which this one is known best; None where its own prediction is as good."""
        if self._base is not None:
            return self._base.beside(place, taken)
        part = self.parts(place[0]).get(place[1])
        if part is None:
            return None
        if part.kind is Kind.LIVE_VALUE:
            own = (place[0], "v")
            return own if own in taken and self.part(place, own) is not None else None
        if part.kind not in _VOLT_KINDS and part.kind is not Kind.OHMS:
            return None
        on_one_wire = [t for t in taken if t[0].kind == place[0].kind == ON_THE_WAY and t[0].pin == place[0].pin]
        if on_one_wire:  # two places on one wire are the same, or the fault lies between them
            return on_one_wire[-1]
        best, least = None, _CLOSER * self._closeness(place, None)
        for other in taken:
            known_to = self._closeness(place, other)
            if known_to < least:
                best, least = other, known_to
        return best

    def _closeness(self, place: Place, other: Place | None) -> float:
        """How well a good circuit's answer is known from another one, or by itself; endless where they do not compare."""
        if (place, other) not in self._known:
            self._known[place, other] = self._known_from(place, other)
        return self._known[place, other]

    def _known_from(self, place: Place, other: Place | None) -> float:
        part = self.parts(place[0])[place[1]]
        if other is None:
            return self._known_to(part, self._healthy_median(part))
        alike = _VOLT_KINDS if part.kind in _VOLT_KINDS else {part.kind}
        against = self.parts(other[0]).get(other[1])
        if other[0] == place[0] or against is None or against.kind not in alike:
            return math.inf
        difference = self.part(place, other)
        assert difference is not None  # both parts are there
        of_other = float(self.instrument(against.kind, self._healthy_median(against)))
        return math.hypot(self._known_to(difference, self._healthy_median(part)), of_other)

    def _healthy_median(self, part: AnswerPart) -> float:
        return float(np.median(self._of_healthy(part.values)))

    def _known_to(self, part: AnswerPart, at: float) -> float:
        """How well a good circuit's answer is known before it is read: the scatter of good circuits and the instrument."""
        return math.hypot(float(self._of_healthy(part.values).std()), float(self.instrument(part.kind, at)))

    def _of_healthy(self, values: Array) -> Array:
        first = self.faults.index(HEALTHY) * self.per_fault
        return values[first : first + self.per_fault]

    def instrument(self, kind: Kind, values: Array | float) -> Array:
        """What the instrument does not know, one standard deviation, on the scale on which a kind is compared."""
        size = np.abs(np.asarray(values, dtype=float))
        if kind is Kind.LIVE_VALUE:
            return np.full_like(size, 0.004 * self.value_span())
        if kind in OHM_KINDS:
            return np.full_like(size, OHM_KINDS[kind])
        fixed, share = _INSTRUMENT[kind]
        return np.asarray(fixed + share * size)

    def reads_apart(self, part: AnswerPart, some: NDArray[np.int_], others: NDArray[np.int_]) -> Flags:
        """For pairs of samples: whether an instrument could tell one's answer from the other's."""
        one, other = part.values[some], part.values[others]
        if part.kind is Kind.WORD:
            return np.asarray(one != other)
        if part.kind is Kind.GLOW:
            return np.asarray(glow_classes(one) != glow_classes(other))
        return np.asarray(np.abs(one - other) > self.instrument(part.kind, other))

    # Likelihoods

    def weigh(  # noqa: PLR0911  one return for each kind of answer
        self, seen: Seen, beside: Seen | None = None, slip: float = SLIP
    ) -> tuple[Array, Array] | None:
        """Log likelihood of one part of an answer in every sample, and of an answer that would hit each sample's prediction.

        With `beside` it is weighed by its difference from that part, which was read as well. None when this circuit's check has
        no such part. The second array is what a reading must stay near to count as explained.
        """
        if beside is not None and not (isinstance(seen.value, float) and isinstance(beside.value, float)):
            beside = None
        part = self.part(seen.place, None if beside is None else beside.place)
        if part is None or (seen.value is None and part.kind is Kind.LIVE_VALUE):
            return None
        nothing = np.zeros(self.n)
        if part.kind is Kind.GLOW:
            return _glow_likelihood(str(seen.value), part.values, slip), nothing
        if part.kind is Kind.WORD:
            wrong = math.log(max(slip, _CERTAIN) * _WORD_PER_SLIP)
            fits = part.values == _word(seen.place[0].kind, seen.value)
            return np.where(fits, _WORD_FITS, wrong), nothing
        if seen.value is None:
            return np.where(part.values == NO_CONTACT_V, 0.0, _UNLIKELY), nothing
        if part.kind in OHM_KINDS and (beside is None or isinstance(seen.value, str)):
            return self._ohm_likelihood(seen, part, slip)
        if isinstance(seen.value, str):  # a word where a number belongs says nothing
            return nothing, nothing
        fits, spread = self._number_likelihood(seen, beside, part, slip)
        own = self.parts(seen.place[0])[seen.place[1]]
        if beside is not None and own.kind not in {Kind.LIVE_VALUE, *OHM_KINDS}:
            # Where a fault makes one of the two what it is, the other is known better by itself than by the difference.
            alone, own_spread = self._number_likelihood(seen, None, own, slip)
            fits, spread = np.where(own_spread < spread, alone, fits), np.minimum(own_spread, spread)
        return fits, np.log(1 - slip) - np.log(spread) - _HALF_LOG_2PI

    def _number_likelihood(self, seen: Seen, beside: Seen | None, part: AnswerPart, slip: float) -> tuple[Array, Array]:
        """Log likelihood of a number in every sample, by itself or by its difference, and the spread that it is compared with."""
        at, instrument = self._measured(part.kind, seen, beside)
        spread = np.hypot(instrument, part.spread)
        fit = np.where(part.values == NO_CONTACT_V, -40.0, _normal(at, part.values, spread))
        fits = np.logaddexp(np.log(1 - slip) + fit, np.log(slip / self._anywhere(part.kind)))
        return np.asarray(fits), np.asarray(spread)

    def chance_of_slip(self, seen: Seen, fits: Array, slip: float) -> Array:
        """The chance, in every sample, that a number was read wrongly: the flat part of its likelihood over the whole."""
        kind = self.parts(seen.place[0])[seen.place[1]].kind
        if not isinstance(seen.value, float) or kind in {Kind.GLOW, Kind.WORD}:
            return np.zeros(self.n)
        return np.exp(np.minimum(math.log(slip / self._anywhere(kind)) - fits, 0.0))

    def _anywhere(self, kind: Kind) -> float:
        """How wide the ground is on which a slip may land."""
        return 15.0 if kind in OHM_KINDS else _ANYWHERE.get(kind, 2 * self.value_span())

    def _measured(self, kind: Kind, seen: Seen, beside: Seen | None) -> tuple[float, float]:
        """What was seen, on the scale on which it is compared, and how well the instrument knows it."""
        assert isinstance(seen.value, float)  # words are weighed otherwise
        own = max(float(self.instrument(kind, seen.value)), seen.unsure)
        if beside is None:
            return seen.value, own
        assert isinstance(beside.value, float)  # likewise
        if kind in OHM_KINDS:
            return math.log(max(seen.value, _LEAST_OHM) / max(beside.value, _LEAST_OHM)), _SAME_METER_OHM
        if kind is Kind.LIVE_VALUE:
            signal, step = seen.place[0].pin, _LIVE_STEP_V
            at = np.array([beside.value, beside.value + step, beside.value - step])
            made = self.value_at(at, signal)
            assert made is not None  # else there is no difference to compare with
            slope = float(abs(made[1] - made[2])) / (2 * step)
            return seen.value - float(made[0]), math.hypot(_VALUE_SHARE * self.value_span(), slope * step)
        other = self.parts(beside.place[0])[beside.place[1]].kind
        return seen.value - beside.value, math.hypot(
            own, max(float(self.instrument(other, beside.value)), beside.unsure)
        )

    def variance(self, place: Place, beside: Place | None, part: AnswerPart, rows: NDArray[np.int_]) -> Array:
        """Variance with which an answer yet to come would be compared in the samples `rows`."""
        spread = part.spread[rows]
        if beside is None:
            return np.asarray(self.instrument(part.kind, part.values[rows]) ** 2 + spread**2)
        if part.kind in OHM_KINDS:
            return np.asarray(_SAME_METER_OHM**2 + spread**2)
        if part.kind is Kind.LIVE_VALUE:
            return np.asarray((2 * _VALUE_SHARE * self.value_span()) ** 2 + spread**2)
        one, other = self.parts(place[0])[place[1]], self.parts(beside[0])[beside[1]]
        own = self.instrument(one.kind, one.values[rows]) ** 2 + self.instrument(other.kind, other.values[rows]) ** 2
        return np.asarray(own + spread**2)

    def _ohm_likelihood(self, seen: Seen, part: AnswerPart, slip: float) -> tuple[Array, Array]:
        live_wire, nothing = self._live_wire(), np.zeros(self.n)
        if seen.value == "OL":
            ohm = np.exp(part.values)
            fits = np.where(ohm > _OVER_RANGE_OHM, 0.0, np.where(ohm > _MAYBE_OVER_RANGE_OHM, -1.5, _UNLIKELY))
            return fits, nothing
        if not isinstance(seen.value, float):  # voltage present: an ohmmeter refuses
            return np.where(live_wire, 0.0, _UNLIKELY), nothing
        # Leads and contacts add some tenths of an ohm that nobody knows.
        instrument = max(OHM_KINDS[part.kind], seen.unsure) + 0.25 / max(seen.value, 0.3)
        spread = np.hypot(instrument, part.spread)
        fit = _normal(math.log(max(seen.value, _LEAST_OHM)), part.values, spread)
        weighed = np.logaddexp(np.log(1 - slip) + fit, np.log(slip / 15.0))
        peak = np.log(1 - slip) - np.log(spread) - _HALF_LOG_2PI
        return (np.where(live_wire, -6.0, weighed) if part.kind is Kind.OHMS else weighed), peak

    def _live_wire(self) -> Flags:
        """Samples in which a wire is on a battery feed that stays on with the key off."""
        shorted = [self.p[f"to_battery.{pin}"] < _SHORT_BELOW_OHM for pin in self.subject.pins]
        return np.asarray(np.any(shorted, axis=0) & (self.p["constant_feed"] > 0))


def _strata(subject: CircuitUnderTest, p: Parameters, per_fault: int) -> tuple[NDArray[np.int_], ...]:
    """The samples of a cloud by the kind of input that each has; empty where the card leaves none open."""
    kinds = [
        np.round(p[name][:per_fault])
        for signal in subject.signals
        if signal not in subject.inputs and not subject.is_two_leg
        for name in (f"pulled_up.{signal}", f"pulled_down.{signal}", f"from_battery.{signal}", f"input_v.{signal}")
    ]
    if not kinds:
        return ()
    _, stratum_of = np.unique(np.array(kinds), axis=1, return_inverse=True)
    strata = [np.flatnonzero(stratum_of.ravel() == stratum) for stratum in range(int(stratum_of.max()) + 1)]
    return tuple(stratum for stratum in strata if len(stratum) > _NEIGHBOURS)


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
    per_fault = PER_FAULT * (_ON_THE_WAY if subject.ways else 1)
    return CircuitModel(
        subject, chosen, draw(subject, chosen, per_fault, np.random.default_rng(seed)), per_fault=per_fault
    )


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
