"""A diagnosis under way: readings in, ranking and the next check out.

Every fault is a cloud of samples (see `catalogue`). A reading multiplies each sample's weight by how likely that sample
makes it; a fault's probability is the weight of its cloud. The spread with which predictions are compared has three
parts: what the instrument does not know, what healthy circuits of the same card differ by, and a share of the fault's
own range, so that a cloud of some dozens of samples stands for the whole of it. A small part of every likelihood is
flat: a slip of the probe or of the pen must not be able to rule anything out.

The next check is the one that is expected to lower the entropy of the ranking most (Lindley 1956, *On a measure of the
information provided by an experiment*), estimated on samples drawn from the weights.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.diagnosis.catalogue import HEALTHY, draw, faults_of
from irongauge.core.diagnosis.checks import (
    BRIGHT_ABOVE_A,
    DARK_BELOW_A,
    NO_CONTACT_V,
    Array,
    Check,
    Flags,
    Kind,
    Observation,
    Predicted,
)
from irongauge.core.diagnosis.electrical import Bench
from irongauge.core.diagnosis.reluctance import CoilBench
from irongauge.core.diagnosis.subject import Subject, SubjectFamily

__all__ = ["Ranked", "Session"]

PER_FAULT = 56
_SLIP = 0.004
_HEALTHY_PRIOR = 6.0  # to one fault's 1: most circuits that are tested are good
_FAULT_SHARE = 0.08
_TRIES = 40
_OVER_RANGE_OHM = 4e7
_MAYBE_OVER_RANGE_OHM = 1.2e7
_LEAST_OHM = 0.05
_OHM_KINDS = {Kind.OHMS: 0.04, Kind.SENSOR_OHMS: 0.3, Kind.THERMISTOR_OHMS: 0.2}
# Where a slip may land, in the unit of the kind.
_ANYWHERE = {Kind.VOLTS: 15.0, Kind.BATTERY_VOLTS: 15.0, Kind.MILLIVOLTS: 13_000.0, Kind.LIVE_VOLTS: 5.5}
_UNLIKELY = -7.0
_WORD_FITS, _WORD_DOES_NOT = math.log(0.985), math.log(0.01)


@dataclass(frozen=True)
class Ranked:
    """A fault and its probability on the readings so far."""

    fault: str
    probability: float


@dataclass(frozen=True)
class _Prepared:
    """One part of a check's answer in every sample, on the scale on which it is compared, with its spread."""

    kind: Kind
    values: Array
    spread: Array


class Session:
    """The diagnosis of one circuit. The order of `update`s makes no difference."""

    def __init__(self, subject: Subject, faults: Sequence[str] | None = None, seed: int = 1) -> None:
        """`faults` limits what is thought possible; it must hold `healthy`."""
        self.subject = subject
        self.faults = tuple(faults or faults_of(subject))
        self._rng = np.random.default_rng(seed)
        self._p = draw(subject, self.faults, PER_FAULT, self._rng)
        reluctance = subject.family is SubjectFamily.RELUCTANCE
        self._bench: Bench | CoilBench = (CoilBench if reluctance else Bench)(subject, self._p)
        self._n = len(self.faults) * PER_FAULT
        self._fault_of = np.repeat(np.arange(len(self.faults)), PER_FAULT)
        prior = np.array([_HEALTHY_PRIOR if fault == HEALTHY else 1.0 for fault in self.faults])
        self._log_weight = np.log((prior / prior.sum())[self._fault_of] / PER_FAULT)
        self._prepared: dict[Check, dict[str, _Prepared]] = {}
        self.taken: dict[Check, dict[str, Observation]] = {}

    # Readings in

    def update(self, check: Check, answer: dict[str, Observation]) -> None:
        """Weigh one check's answer: its parts by name, as `Bench.read` names them. Parts that nobody predicts are left."""
        self.taken[check] = answer
        for name, part in self._parts(check).items():
            if name in answer and not (answer[name] is None and part.kind is Kind.LIVE_VALUE):
                self._log_weight = self._log_weight + self._log_likelihood(answer[name], part)

    # Ranking out

    def ranking(self) -> tuple[Ranked, ...]:
        """Every fault with its probability, the likeliest first."""
        probabilities, _ = self._probabilities()
        order = np.argsort(-probabilities, kind="stable")
        return tuple(Ranked(self.faults[i], float(probabilities[i])) for i in order)

    def gains(self, checks: Sequence[Check]) -> dict[Check, float]:
        """Expected fall of the ranking's entropy, in nats, for each check that has not been taken."""
        probabilities, weights = self._probabilities()
        return {c: self._gain(c, probabilities, weights) for c in checks if c not in self.taken}

    def _probabilities(self) -> tuple[Array, Array]:
        weights = np.exp(self._log_weight - self._log_weight.max())
        weights /= weights.sum()
        return self._by_fault(self._fault_of, weights), weights

    def _by_fault(self, faults: NDArray[np.int_], weights: Array) -> Array:
        return np.asarray(np.bincount(faults, weights, minlength=len(self.faults)), dtype=float)

    # Predictions

    def _parts(self, check: Check) -> dict[str, _Prepared]:
        if check not in self._prepared:
            self._prepared[check] = {name: self._prepare(part) for name, part in self._bench.read(check).items()}
        return self._prepared[check]

    def _prepare(self, part: Predicted) -> _Prepared:
        values = np.log(np.maximum(part.values, _LEAST_OHM)) if part.kind in _OHM_KINDS else part.values
        clouds = np.clip(values, -50, 400).reshape(len(self.faults), PER_FAULT).std(axis=1)
        healthy = clouds[self.faults.index(HEALTHY)]
        spread = np.hypot(healthy, _FAULT_SHARE * clouds)[self._fault_of]
        return _Prepared(part.kind, values, spread)

    def _instrument(self, kind: Kind, values: Array | float) -> Array:
        """What the instrument does not know, one standard deviation, on the scale on which a kind is compared."""
        size = np.abs(np.asarray(values, dtype=float))
        if kind is Kind.LIVE_VALUE:
            return np.full_like(size, 0.004 * self._value_span())
        if kind in _OHM_KINDS:
            return np.full_like(size, _OHM_KINDS[kind])
        fixed, share = {
            Kind.VOLTS: (0.004, 0.0035),
            Kind.BATTERY_VOLTS: (0.12, 0.0),
            Kind.LIVE_VOLTS: (0.006, 0.0),
            Kind.MILLIVOLTS: (2.0, 0.004),
        }[kind]
        return np.asarray(fixed + share * size)

    def _value_span(self) -> float:
        return 120.0 if self.subject.curve is None else self.subject.curve.span

    # Likelihoods

    def _log_likelihood(self, seen: Observation, part: _Prepared) -> Array:
        """Log likelihood of one part of an answer in every sample."""
        if part.kind is Kind.GLOW:
            return _glow_likelihood(str(seen), part.values)
        if part.kind is Kind.WORD:
            return np.where(part.values == _word(seen), _WORD_FITS, _WORD_DOES_NOT)
        if seen is None:
            return np.where(part.values == NO_CONTACT_V, 0.0, _UNLIKELY)
        if part.kind in _OHM_KINDS:
            return self._ohm_likelihood(seen, part)
        assert isinstance(seen, float)  # words are ohms', glows or statuses
        spread = np.hypot(self._instrument(part.kind, seen), part.spread)
        fit = _normal(seen, part.values, spread)
        fit = np.where(part.values == NO_CONTACT_V, -40.0, fit)
        anywhere = _ANYWHERE.get(part.kind, 2 * self._value_span())
        return np.asarray(np.logaddexp(np.log(1 - _SLIP) + fit, np.log(_SLIP / anywhere)))

    def _ohm_likelihood(self, seen: float | str, part: _Prepared) -> Array:
        live_wire = self._live_wire()
        if seen == "OL":
            ohm = np.exp(part.values)
            return np.where(ohm > _OVER_RANGE_OHM, 0.0, np.where(ohm > _MAYBE_OVER_RANGE_OHM, -1.5, _UNLIKELY))
        if isinstance(seen, str):  # voltage present: an ohmmeter refuses
            return np.where(live_wire, 0.0, _UNLIKELY)
        # Leads and contacts add some tenths of an ohm that nobody knows.
        instrument = _OHM_KINDS[part.kind] + 0.25 / max(seen, 0.3)
        fit = _normal(np.log(max(seen, _LEAST_OHM)), part.values, np.hypot(instrument, part.spread))
        weighed = np.logaddexp(np.log(1 - _SLIP) + fit, np.log(_SLIP / 15.0))
        return np.where(live_wire, -6.0, weighed) if part.kind is Kind.OHMS else weighed

    def _live_wire(self) -> Flags:
        """Samples in which a wire is on a battery feed that stays on with the key off."""
        shorted = [self._p[f"to_battery.{pin}"] < 1e6 for pin in self.subject.pins]  # noqa: PLR2004  any short
        return np.asarray(np.any(shorted, axis=0) & (self._p["constant_feed"] > 0))

    # Information

    def _gain(self, check: Check, probabilities: Array, weights: Array) -> float:
        parts = self._parts(check)
        if not parts:
            return 0.0
        drawn = self._rng.choice(self._n, _TRIES, p=weights)
        kept = weights > 1e-7  # noqa: PLR2004  what weighs nothing changes nothing
        fits = np.zeros((_TRIES, int(kept.sum())))
        for part in parts.values():
            fits += self._mutual_fit(part, drawn, kept)
        after = np.exp(fits - fits.max(axis=1, keepdims=True)) * weights[kept]
        after /= after.sum(axis=1, keepdims=True)
        by_fault = np.stack([self._by_fault(self._fault_of[kept], row) for row in after])
        return float(_entropy(probabilities[None])[0] - _entropy(by_fault).mean())

    def _mutual_fit(self, part: _Prepared, drawn: NDArray[np.int_], kept: Flags) -> Array:
        """How well each kept sample would fit the answer that each drawn one would give, `(tries, kept)`."""
        values, told = part.values[kept], part.values[drawn]
        if part.kind is Kind.GLOW:
            edges = [DARK_BELOW_A, BRIGHT_ABOVE_A]
            same = np.digitize(np.abs(told), edges)[:, None] == np.digitize(np.abs(values), edges)[None]
            return np.where(same, 0.0, -6.0)
        if part.kind is Kind.WORD:
            return np.where(told[:, None] == values[None], 0.0, -4.5)
        variance = self._instrument(part.kind, values) ** 2 + part.spread[kept] ** 2
        fit = -0.5 * (told[:, None] - values[None]) ** 2 / variance - 0.5 * np.log(variance / variance.min())
        return np.asarray(np.maximum(fit, -8.0))


def _normal(seen: float, expected: Array, spread: Array) -> Array:
    return np.asarray(-0.5 * ((seen - expected) / spread) ** 2 - np.log(spread) - 0.5 * np.log(2 * np.pi))


def _glow_likelihood(glow: str, current_a: Array) -> Array:
    """A glow is judged by eye, so its borders at 20 and 80 mA are soft."""
    lit = 1 / (1 + np.exp(-np.clip((np.abs(current_a) - DARK_BELOW_A) / 0.0025, -40, 40)))
    bright = 1 / (1 + np.exp(-np.clip((np.abs(current_a) - BRIGHT_ABOVE_A) / 0.005, -40, 40)))
    chance = {"dark": 1 - lit, "dim": lit - bright, "bright": bright}[glow]
    return np.asarray(np.log(np.clip(chance, 0, 1) * (1 - _SLIP) + _SLIP / 3))


def _word(seen: Observation) -> float:
    """A status or a polarity as the number that stands for it."""
    words = {"+": 1.0, "-": -1.0, "ok": 1.0, "no signal": 0.0, "no contact": 2.0}
    return words.get(str(seen), 0.0)


def _entropy(probabilities: Array) -> Array:
    """Entropy of each row, in nats."""
    safe = np.maximum(probabilities, 1e-12)
    return np.asarray(-(probabilities * np.log(safe)).sum(axis=1))
