"""A diagnosis under way: readings in, ranking and the next check out.

A reading multiplies the weight of each sample of the model's clouds by how likely that sample makes it; a fault's
probability is the weight of its cloud. Where it is not known which pin is which, every sample is weighed under every
assignment of pins, so that faults and roles are found together. Where a reading stays that no single fault explains,
the leading faults are joined with every second fault that can stand beside them, and these pairs are weighed too.

The next check is the one that is expected to lower the entropy of the ranking most for its cost (Lindley 1956, *On a
measure of the information provided by an experiment*), estimated on samples drawn from the weights. No verdict may hang
on one reading alone: while it does, the next check is chosen as if that reading had not been taken, so that it is either
borne out or shown to be a slip.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping, Sequence

import numpy as np

from irongauge.core.diagnosis.changes import crossing_of
from irongauge.core.diagnosis.choosing import expected_gains, told_apart
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.doubles import double_sample_set, likely_doubles
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY, words_of
from irongauge.core.diagnosis.model import OHM_KINDS, CircuitModel, model_of
from irongauge.core.diagnosis.ranked import Group, Ranked
from irongauge.core.diagnosis.role_points import (
    Array,
    Flags,
    Kind,
    RolePoint,
)
from irongauge.core.diagnosis.sample_sets import SampleSet, SampleSets, resolved
from irongauge.core.diagnosis.sampling import (
    COARSE,
    Integers,
    flattened,
)
from irongauge.core.diagnosis.sizes import ReadParts, Sized, sized_by
from irongauge.core.diagnosis.weighing import Readings

__all__ = ["Session"]

# To a usual fault's 1: most circuits that are tested are good, and few have a clamp left in.
_PRIOR = {HEALTHY: 6.0, "signal_clamped": 0.2}
_READINGS_FOR_DOUBLES = 4  # with fewer, two faults explain anything
_DOUBT = 0.15  # share of the evidence that is kept where the answer is to be shown wrong
# Rivals below one in two thousand, or of a leader that is not one, tell nothing.
_LEAST_GROUPED, _GROUPED_FROM, _MOST_RIVALS = 5e-4, 0.4, 10
_UNEXPLAINED_NATS = 6.0  # a likelihood of one four-hundredth of a hit's
_SAID_BY = 8.0  # samples whose spread is said of a hypothesis: the one or two that fit best would show none
_SHOWS_NATS = 2.0  # less is within what one reading scatters by
_WORD_AT_BORDER = -4.0  # a glow that is merely between two words


class Session:
    """The diagnosis of one circuit. The order of `update`s makes no difference.

    `assignments` maps the pins' names as they stand in checks to what each may be, one map for each way in which that
    may be; left out, checks name the pins by what they are.
    """

    def __init__(
        self,
        subject: CircuitUnderTest,
        faults: Sequence[str] | None = None,
        *,
        assignments: Sequence[Mapping[str, str]] = ({},),
        asked: Mapping[str, frozenset[str]] | None = None,
        doubles: bool = True,
        seed: int = 1,
    ) -> None:
        """`faults` limits what is thought possible; it must hold `healthy`. Without `doubles` only single faults are.

        `asked` are the parts of an answer that will be given, by kind of check; left out, all that the circuit has.
        """
        self.subject = subject
        self.assignments = tuple(assignments)
        self._readings = Readings(self.assignments)
        self._doubles_wanted = doubles
        self._doubles_for: tuple[RolePoint, ...] | None = None
        self._sizes: dict[tuple[str, str], Sized] = {}
        self._kept_weights: dict[RolePoint | None, Array] = {}
        model = model_of(subject, None if faults is None else tuple(faults), seed)
        prior = np.array([_PRIOR.get(fault, 1.0) for fault in model.faults])
        log_prior = np.log((prior / prior.sum())[model.fault_of] / model.per_fault / len(self.assignments))
        self._is_stale = False
        self._weighed_sets = SampleSets(SampleSet(model=model, log_prior=log_prior), self.assignments, asked)
        self._seed = seed

    @property
    def _sample_sets(self) -> SampleSets:
        """The clouds, weighed by all that was read: once for however many readings came in since they were last asked for."""
        if self._is_stale:
            self._is_stale = False
            del self._weighed_sets[1:]
            self._weighed_sets.look_at(self._readings.weigh(self._weighed_sets[0]))
        return self._weighed_sets

    @property
    def taken(self) -> Mapping[RolePoint, ReadParts]:
        """The checks that were made, with their answers."""
        return self._readings.taken

    @property
    def model(self) -> CircuitModel:
        """The model of single faults."""
        return self._weighed_sets.model

    @property
    def has_doubles(self) -> bool:
        """True when two faults at once are being considered."""
        self._consider_doubles()
        return len(self._sample_sets) > 1

    @property
    def hypotheses(self) -> tuple[str, ...]:
        """What is thought possible now, in the order of the samples' numbers."""
        return tuple(fault for sample_set in self._sample_sets for fault in sample_set.model.faults)

    # Readings in

    def update(
        self,
        role_point: RolePoint,
        answer: ReadParts,
        *,
        confirmed: bool = False,
        unsure: Mapping[str, float] | None = None,
    ) -> None:
        """Weigh one check's answer: its parts by name, as the bench names them; parts that nobody predicts are left.

        A `confirmed` answer was taken twice and came out the same, so a slip is as good as ruled out. An answer to a
        check that was taken before takes the earlier one's place. `unsure` is the standard uncertainty of parts that were
        read with an instrument whose specification is known, in the unit of the part, a share for ohms.
        """
        self._readings.take(role_point, answer, confirmed=confirmed, unsure=unsure or {})
        self._is_stale = True
        self._doubles_for = None
        self._sizes.clear()
        self._kept_weights.clear()

    # Ranking out

    def ranking(self, without: RolePoint | None = None) -> tuple[Ranked, ...]:
        """Every fault with its probability, the likeliest first; as if one reading had not been taken, if asked."""
        probabilities = self._probabilities(self._weights(without))
        order = np.argsort(-probabilities, kind="stable")
        names = self.hypotheses
        return tuple(Ranked(names[i], float(probabilities[i])) for i in order)

    def showing(self, fault: str) -> float:
        """The part of a fault's probability that readings speak for: of samples that fit better than the same circuit when good.

        What is left holds its probability by the prior alone: a fault too small for any of the readings to show.
        """
        base = self._sample_sets[0]
        found = self._own(fault, posterior=True)
        if found is None:
            return 0.0
        if found[0] is not base or fault == HEALTHY:
            return float(found[1].sum())
        model, weights = base.model, found[1]
        own = np.flatnonzero(model.fault_of == model.faults.index(fault))
        good = model.faults.index(HEALTHY) * model.per_fault + own % model.per_fault
        log_weights = self._log_weights(base) - base.log_prior
        better = log_weights[:, own] - log_weights[:, good] > _SHOWS_NATS
        return float((weights[:, own] * (better & self._apart(own, good))).sum())

    def _apart(self, some: Integers, others: Integers) -> Flags:
        """For pairs of samples under each assignment: whether any check that was made reads otherwise, `(assignments, pairs)`.

        A sample that reads as its twin does may still be weighed otherwise, by how densely its neighbours lie.
        """
        model = self.model
        found: Flags = np.zeros((len(self.assignments), len(some)), dtype=bool)
        for role_point, answer in self.taken.items():
            for place, assignment in enumerate(self.assignments):
                parts = model.parts(resolved(role_point, assignment))
                for name in answer.keys() & parts.keys():
                    found[place] |= model.reads_apart(parts[name], some, others)
        return found

    def pin_probabilities(self) -> dict[str, dict[str, float]]:
        """For each pin of unknown role, how probable it is that its wire is the one of each role.

        Under a crossing the wire at a pin is another than the sensor expects there; what is told is the wire's.
        """
        weights, hypothesis_of = self._weights(), self._sample_sets.hypothesis_of()
        found: dict[str, dict[str, float]] = {pin: {} for pin in self.assignments[0]}
        for fault in range(len(self.hypotheses)):
            swap = crossing_of(self.hypotheses[fault])
            by_assignment = weights[:, hypothesis_of == fault].sum(axis=1)
            for assignment, chance in zip(self.assignments, by_assignment, strict=True):
                for pin, role in assignment.items():
                    wire = swap.get(role, role)
                    found[pin][wire] = found[pin].get(wire, 0.0) + float(chance)
        return found

    def assignment(self) -> Mapping[str, str]:
        """What each pin is for, by the likeliest of the assignments; empty where checks name roles themselves."""
        return self.likeliest_assignment()[0]

    def likeliest_assignment(self) -> tuple[Mapping[str, str], float]:
        """The likeliest of the assignments, with its probability."""
        if len(self.assignments) == 1:
            return self.assignments[0], 1.0
        chances = self._weights().sum(axis=1)
        return self.assignments[int(chances.argmax())], float(chances.max())

    def _weights(self, without: RolePoint | None = None) -> Array:
        """Weight of each sample under each assignment, `(assignments, samples)`, all together 1."""
        self._consider_doubles()
        if without not in self._kept_weights:
            log_weights = np.concatenate(
                [self._log_weights(sample_set, without) for sample_set in self._sample_sets], axis=1
            )
            weights = np.exp(log_weights - log_weights.max())
            self._kept_weights[without] = weights / weights.sum()
        return self._kept_weights[without]

    def _log_weights(self, sample_set: SampleSet, without: RolePoint | None = None) -> Array:
        total = np.broadcast_to(sample_set.log_prior, (len(self.assignments), sample_set.model.n)).copy()
        for role_point, fits in sample_set.log_likelihoods.items():
            if role_point != without:
                total += COARSE * fits
        return total

    def _probabilities(self, weights: Array) -> Array:
        by_sample = weights.sum(axis=0)
        return np.asarray(
            np.bincount(self._sample_sets.hypothesis_of(), by_sample, minlength=len(self.hypotheses)), dtype=float
        )

    # What a hypothesis says

    def _own(self, fault: str, *, posterior: bool) -> tuple[SampleSet, Array] | None:
        """A hypothesis's cloud, and the weights of its samples under each assignment, zero for those of others."""
        place = next((i for i, sample_set in enumerate(self._sample_sets) if fault in sample_set.model.faults), None)
        if place is None:
            return None
        sample_set = self._sample_sets[place]
        own = sample_set.model.fault_of == sample_set.model.faults.index(fault)
        if not posterior:
            return sample_set, np.broadcast_to(own / own.sum(), (len(self.assignments), len(own))).copy()
        start = sum(other.model.n for other in self._sample_sets[:place])
        weights = self._weights()[:, start : start + sample_set.model.n] * own
        return sample_set, weights

    def predicted(
        self, role_point: RolePoint, name: str, fault: str, *, posterior: bool
    ) -> tuple[Kind, Array, Array] | None:
        """What a hypothesis predicts for one part of an answer: its kind, values in its unit, and their weights.

        With `posterior` as the readings leave the hypothesis, else as it stood before them. None for a part that the
        circuit does not have.
        """
        self._consider_doubles()
        found = self._own(fault, posterior=posterior)
        if found is None:
            return None
        sample_set, weights = found
        if weights.sum() <= 0:
            return self.predicted(role_point, name, fault, posterior=False) if posterior else None
        kinds, values, shares = [], [], []
        for assignment, row in zip(self.assignments, weights, strict=True):
            part = sample_set.model.parts(resolved(role_point, assignment)).get(name)
            if part is None or row.max() < 1e-3 * weights.max():
                continue
            row = flattened(row, _SAID_BY) if posterior else row  # noqa: PLW2901  what few samples give is too narrow a range
            kept = row > row.max() * 1e-6
            kinds.append(part.kind)
            told = self._at_size(fault, part.kind, part.values)[kept] if posterior else part.values[kept]
            values.append(np.exp(told) if part.kind in OHM_KINDS else told)
            shares.append(row[kept])
        if not kinds:
            return None
        return kinds[0], np.concatenate(values), np.concatenate(shares) / np.concatenate(shares).sum()

    def support(self, role_point: RolePoint, fault: str) -> float:
        """Log likelihood of a reading that was taken under a hypothesis, over all of its samples."""
        found = self._own(fault, posterior=False)
        assert found is not None  # asked of hypotheses that stand
        sample_set, weights = found
        total = float((np.exp(sample_set.log_likelihoods[role_point]) * weights).sum())
        return float(np.log(total + 1e-30))

    def parameter(self, fault: str, name: str) -> tuple[float, float, float] | None:
        """Middle, 10th and 90th percentile of one of a hypothesis's parameters, as the readings leave it.

        The samples lie far apart, so each is first moved to where it would have given the readings: by the slope of the
        parameter over the two readings that it shows in most (regression adjustment; Beaumont, Zhang & Balding 2002,
        *Approximate Bayesian computation in population genetics*).
        """
        sized = self._sized(fault, name)
        return None if sized is None else sized.told

    def chance_below(self, fault: str, name: str, limit: float) -> float | None:
        """The chance that one of a hypothesis's parameters lies below a limit, as the readings leave it."""
        self._consider_doubles()
        found = self._own(fault, posterior=True)
        if found is None or name not in found[0].model.p:
            return None
        sample_set, weights = found
        own = sample_set.model.fault_of == sample_set.model.faults.index(fault)
        by_sample = weights.sum(axis=0)[own]
        total = float(by_sample.sum())
        return None if total <= 0 else float(by_sample[sample_set.model.p[name][own] < limit].sum()) / total

    def _sized(self, fault: str, name: str) -> Sized | None:
        """A hypothesis's samples of one parameter, and where the readings move them."""
        self._consider_doubles()
        if (fault, name) in self._sizes:
            return self._sizes[fault, name]
        found = self._own(fault, posterior=True)
        if found is None or name not in found[0].model.p:
            return None
        sample_set, weights = found
        own = sample_set.model.fault_of == sample_set.model.faults.index(fault)
        by_sample = weights.sum(axis=0)[own]
        sized = sized_by(sample_set, own, by_sample, name=name, taken=self.taken, assignment=self.assignment())
        if sized is not None:
            self._sizes[fault, name] = sized
        return sized

    def _at_size(self, fault: str, kind: Kind, values: Array) -> Array:
        """What samples predict, moved with the size of their fault to where the readings have it."""
        size = None if DOUBLE_JOIN in fault else words_of(fault)[0].size
        sized = None if size is None or kind in {Kind.GLOW, Kind.WORD} else self._sized(fault, size.parameter)
        return values if sized is None else sized.carried(values)

    # What hangs on what

    def unexplained(self) -> tuple[RolePoint, ...]:
        """Readings that the leading hypothesis leaves to a slip."""
        if not self.taken:
            return ()
        return self._unexplained_by(self._weights_of_leader())

    def _weights_of_leader(self) -> Array:
        """The weights of the leading hypothesis's samples, zero for those of others."""
        weights = self._weights()
        leader = int(np.argmax(self._probabilities(weights)))
        return np.asarray(weights * (self._sample_sets.hypothesis_of() == leader))

    def _unexplained_by(self, weights: Array) -> tuple[RolePoint, ...]:
        """Readings that the sample of the greatest weight leaves to a slip."""
        sample_set, at = self._heaviest(weights)
        found = []
        for role_point, answer in self.taken.items():
            for name, fits in sample_set.parts[role_point].items():
                seen, fit = answer[name], float(fits[at])
                at_a_border = not isinstance(seen, float) and fit > _WORD_AT_BORDER
                least = float(sample_set.peaks[role_point][name][at]) - _UNEXPLAINED_NATS
                if fit < least and not at_a_border:
                    found.append(role_point)
                    break
        return tuple(found)

    def surprise(self, but: Collection[RolePoint] = ()) -> tuple[float, RolePoint | None]:
        """By how much the readings are farther from the best explanation than its own would be, and the farthest of them.

        A posterior predictive check (Gelman, Carlin, Stern & Rubin, *Bayesian Data Analysis*, 6.3): twice what each number lacks
        of a hit is about chi-square with one degree of freedom. Given in standard deviations of their sum. `but` are readings
        that are left out, since they are taken for slips.
        """
        sample_set, at = self._heaviest(self._weights_of_leader())
        lacks = {
            (role_point, name): 2 * float(sample_set.peaks[role_point][name][at] - fits[at])
            for role_point in self.taken
            if role_point not in but
            for name, fits in sample_set.parts[role_point].items()
            if isinstance(self.taken[role_point][name], float)
        }
        if not lacks:
            return 0.0, None
        farthest = max(lacks, key=lambda part: lacks[part])[0]
        return (sum(lacks.values()) - len(lacks)) / math.sqrt(2 * len(lacks)), farthest

    def _heaviest(self, weights: Array) -> tuple[SampleSet, tuple[int, int]]:
        """The set that holds the sample of the greatest weight, and its place in it: assignment and sample."""
        a, sample = (int(place) for place in np.unravel_index(int(np.argmax(weights)), weights.shape))
        for sample_set in self._sample_sets:
            if sample < sample_set.model.n:
                return sample_set, (a, sample)
            sample -= sample_set.model.n
        raise IndexError(sample)

    def hangs_on(self, faults: Sequence[str]) -> RolePoint | None:
        """The one reading without which these faults together would fall below one half; None if there is none."""
        worst, weakest = None, 0.5
        for role_point in self.taken:
            if role_point in self._readings.confirmed:
                continue
            left = sum(r.probability for r in self.ranking(role_point) if r.fault in faults)
            if left < weakest:
                worst, weakest = role_point, left
        return worst

    def unconfirmed(self, role_points: Iterable[RolePoint]) -> tuple[RolePoint, ...]:
        """Those of the readings that were not taken twice with the same result."""
        return tuple(role_point for role_point in role_points if role_point not in self._readings.confirmed)

    # Groups

    def leading_group(self, remaining: Iterable[RolePoint], least: float = 0.0) -> Group:
        """The likeliest fault, and those that none of the checks still to be made would tell from it.

        Where even all the likeliest together stay below `least`, the likeliest alone is given. Two faults at once stand
        with the likelier of them alone: once that is put right, the readings tell whether there was a second.
        """
        ranked = self.ranking()
        if ranked[0].probability < _GROUPED_FROM or sum(r.probability for r in ranked[:_MOST_RIVALS]) < least:
            return Group(ranked[:1])
        leader, rivals = ranked[0], [r for r in ranked[1:_MOST_RIVALS] if r.probability > _LEAST_GROUPED]
        left = [role_point for role_point in remaining if role_point not in self.taken]
        named = [r.fault for r in rivals]
        apart = told_apart(
            self._sample_sets,
            self._weights(),
            self.hypotheses,
            leader=leader.fault,
            rivals=named,
            role_points=left,
            seed=self._seed,
        )
        group = [leader, *(r for r, told in zip(rivals, apart, strict=True) if not told or self._are_alike(leader, r))]
        if DOUBLE_JOIN in leader.fault:
            alone = next(r for r in ranked if r.fault in leader.fault.split(DOUBLE_JOIN))
            group += [alone] if alone not in group else []
        return Group(tuple(group))

    def _are_alike(self, one: Ranked, other: Ranked) -> bool:
        """True for two shorts to the battery's feeds where the supply is one of them: which it is, the harness shows."""
        ends = ("_short_battery", "_short_reference")
        return self.subject.supply_from_battery and one.fault.endswith(ends) and other.fault.endswith(ends)

    # Information

    def gains(
        self, role_points: Sequence[RolePoint], without: RolePoint | None = None, *, doubting: bool = False
    ) -> dict[RolePoint, float]:
        """Expected fall of the ranking's entropy, in nats, for each check that has not been taken.

        With `without`, as if that reading had not been taken; it is then itself among the checks that may be.
        `doubting` takes every reading for a sixth of what it said: which check would best show that all is otherwise.
        """
        self._consider_doubles()
        left = [role_point for role_point in role_points if role_point not in self.taken or role_point == without]
        if len(self._sample_sets) > 1:  # pairs are new to every check: solve those that tell most of single faults
            first = self._gains_of(left, self._sample_sets[:1], without, doubting=doubting)
            left = sorted(left, key=lambda role_point: -first[role_point])[:_READINGS_FOR_DOUBLES]
        return self._gains_of(left, self._sample_sets, without, doubting=doubting)

    def _gains_of(
        self, left: Sequence[RolePoint], of: list[SampleSet], without: RolePoint | None, *, doubting: bool
    ) -> dict[RolePoint, float]:
        weights = self._weights(without)[:, : sum(sample_set.model.n for sample_set in of)]
        weights = weights**_DOUBT if doubting else weights
        return expected_gains(self._sample_sets, of, weights, left, self._seed + len(self.taken))

    # Two faults at once

    def _consider_doubles(self) -> None:
        """Join the leading faults with a second one where they leave two readings unexplained, or one that is no slip."""
        key = tuple(sorted(self.taken, key=str))
        if not self._doubles_wanted or self._doubles_for == key:
            return
        self._doubles_for = key
        del self._sample_sets[1:]
        base = self._sample_sets[0]
        log_weights = self._log_weights(base)
        best = float(log_weights.max())
        weights = np.exp(log_weights - best)
        unexplained = self._unexplained_by(weights) if self.taken else ()
        if len(unexplained) <= 1 and not set(unexplained) & self._readings.confirmed:
            return
        doubles = likely_doubles(base, weights)
        if doubles:
            more = double_sample_set(self.subject, base, doubles, weights=weights, best=best, seed=self._seed)
            self._readings.weigh(more)
            self._sample_sets.append(more)
