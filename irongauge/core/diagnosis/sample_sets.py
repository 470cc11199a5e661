"""The samples of a diagnosis side by side: what each would answer, and which answers would tell them apart.

A `SampleSets` holds the samples of single faults and, once two at once are considered, those of pairs. A place in it is a
flat number over assignments of pins and samples.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.model import CircuitModel, Place, Seen
from irongauge.core.diagnosis.role_points import Array, Kind, RolePoint, glow_classes
from irongauge.core.diagnosis.sampling import Floats32, Integers, variation

__all__ = ["PER_GROUPED", "Drawn", "SampleSet", "SampleSets", "resolved"]

# Samples for each rival; total variation from which a reading tells two apart two times in three.
PER_GROUPED, _TELLS_APART = 20, 0.35


@dataclass(kw_only=True)
class SampleSet:
    """A model's samples with their prior weights, and each reading's log likelihood under every assignment, `(a, n)`, whole
    and by the parts of its answer; `peaks` are what a hit would have there.
    """

    model: CircuitModel
    log_prior: Array
    log_likelihoods: dict[RolePoint, Array] = field(default_factory=dict)
    parts: dict[RolePoint, dict[str, Array]] = field(default_factory=dict)
    peaks: dict[RolePoint, dict[str, Array]] = field(default_factory=dict)
    weighed: dict[tuple[Seen, Seen | None, float], tuple[Array, Array] | None] = field(default_factory=dict)


@dataclass(frozen=True)
class Drawn:
    """Samples drawn by weight: their assignment, cloud, place in it, and the hypothesis each belongs to."""

    assignment: Integers
    sample_set: Integers
    place: Integers
    hypothesis: Integers


class SampleSets(list[SampleSet]):
    """Clouds of samples, the single faults' first, under every assignment of pins; and the parts of answers asked for."""

    def __init__(
        self, first: SampleSet, assignments: tuple[Mapping[str, str], ...], asked: Mapping[str, frozenset[str]] | None
    ) -> None:
        super().__init__([first])
        self.taken: tuple[Place, ...] = ()
        self._beside: dict[Place, Place | None] = {}
        self.assignments = assignments
        self._asked = asked

    @property
    def model(self) -> CircuitModel:
        """The model of single faults."""
        return self[0].model

    def hypothesis_of(self) -> Integers:
        """The number of each sample's hypothesis, counted through all clouds, `(samples,)`."""
        offset, parts = 0, []
        for sample_set in self:
            parts.append(sample_set.model.fault_of + offset)
            offset += len(sample_set.model.faults)
        return np.concatenate(parts)

    def drawn(self, flat: Integers, sample_sets: list[SampleSet]) -> Drawn:
        """Which samples flat places mean, of the first of the clouds."""
        width = sum(sample_set.model.n for sample_set in sample_sets)
        assignment, sample = np.divmod(flat, width)
        edges = np.cumsum([sample_set.model.n for sample_set in sample_sets])
        sample_set = np.searchsorted(edges, sample, side="right")
        start = np.concatenate([[0], edges[:-1]])
        return Drawn(assignment, sample_set, sample - start[sample_set], self.hypothesis_of()[sample])

    def gathered(self, role_point: RolePoint, drawn: Drawn) -> dict[str, tuple[Kind, Array, Array]]:
        """Value and variance of each part of a check's answer in each drawn sample, beside what is read already."""
        if len(self) == len(self.assignments) == 1:
            real = resolved(role_point, self.assignments[0])
            known = {}
            for name in self.model.parts(real):
                beside = self.beside((real, name))
                part = self.model.part((real, name), beside)
                assert part is not None  # it is one of the check's, and `beside` has a difference
                variance = (
                    np.ones(len(drawn.place))
                    if part.kind in {Kind.GLOW, Kind.WORD}
                    else self.model.variance((real, name), beside, part, drawn.place)
                )
                known[name] = part.kind, part.values[drawn.place], variance
            return known
        parts: dict[str, tuple[Kind, Array, Array]] = {}
        for a, assignment in enumerate(self.assignments):
            real = resolved(role_point, assignment)
            for c, sample_set in enumerate(self):
                here = (drawn.assignment == a) & (drawn.sample_set == c)
                if not here.any():
                    continue
                for name, part in sample_set.model.parts(real).items():
                    if name not in parts:
                        parts[name] = part.kind, np.zeros(len(here)), np.ones(len(here))
                    _, values, variance = parts[name]
                    values[here] = part.values[drawn.place[here]]
                    if part.kind not in {Kind.GLOW, Kind.WORD}:
                        variance[here] = sample_set.model.variance((real, name), None, part, drawn.place[here])
        return parts

    def beside(self, place: Place) -> Place | None:
        """The part that was read already from which this one is known best; None while pins are unknown, or where none is."""
        if len(self.assignments) > 1:
            return None
        if place not in self._beside:
            own = (place[0], "v")
            taken = [*self.taken, own] if place[1] == "value" and self._is_asked(*own) else self.taken
            self._beside[place] = self.model.beside(place, taken)
        return self._beside[place]

    def look_at(self, taken: Sequence[Place]) -> None:
        """From now on these parts, by the pins' roles, have been read."""
        self.taken = tuple(taken)
        self._beside.clear()

    def fits(self, role_point: RolePoint, drawn: Drawn, tries: Integers) -> Floats32 | None:
        """How well each drawn sample would fit the answer that each of the `tries` among them would give."""
        total: Floats32 | None = None
        for name, (kind, values, variance) in self.gathered(role_point, drawn).items():
            if not self._is_asked(role_point, name):
                continue
            fits = _mutual_fit(kind, values, variance, tries)
            total = fits if total is None else total + fits
        return total

    # Telling apart

    def made_good(self, flat: Integers) -> Integers:
        """The healthy sample of the same circuit for each sample of the model of single faults; others as they are."""
        model, width = self.model, self.hypothesis_of().size
        assignment, sample = np.divmod(flat, width)
        healthy = model.faults.index(HEALTHY) * model.per_fault + sample % model.per_fault
        return np.asarray(assignment * width + np.where(sample < model.n, healthy, sample))

    def differ_from_good(self, rivals: Integers, role_points: Sequence[RolePoint]) -> list[bool]:
        """The same for rivals of a good circuit, each sample against the same circuit when it is good.

        Against all good circuits, a rival of which few samples are left would seem to differ by what those few are.
        """
        drawn = self.drawn(np.concatenate([self.made_good(rivals), rivals]), self)
        half = len(rivals)
        told = np.zeros(half // PER_GROUPED)
        for role_point in role_points:
            apart = np.zeros(half)
            for name, (kind, values, variance) in self.gathered(role_point, drawn).items():
                if not self._is_asked(role_point, name):
                    continue
                good, bad = values[:half], values[half:]
                if kind is Kind.GLOW:
                    here = glow_classes(good) != glow_classes(bad)
                elif kind is Kind.WORD:
                    here = good != bad
                else:
                    width = np.sqrt(variance[:half])
                    # Total variation of two bells of one width, erf(d / (2√2 width)), by its usual tanh.
                    here = np.tanh(np.abs(good - bad) / (np.sqrt(2 * np.pi) * width))
                apart = np.maximum(apart, here)
            told = np.maximum(told, apart.reshape(-1, PER_GROUPED).mean(axis=1))
        return [bool(t > _TELLS_APART) for t in told]

    def differ(self, chosen: Sequence[Integers], role_points: Sequence[RolePoint]) -> list[bool]:
        """For each set of samples but the first: whether some check would read otherwise in it than in the first."""
        drawn = self.drawn(np.concatenate(chosen), self)
        told, count = np.zeros(len(chosen) - 1), len(chosen)
        for role_point in role_points:
            fits = self.fits(role_point, drawn, np.arange(len(drawn.place)))
            if fits is None:
                continue
            likely = np.exp(fits).reshape(count, PER_GROUPED, count, PER_GROUPED).mean(axis=3) + np.float32(1e-12)
            of_leader = variation(likely[0, :, :1], likely[0, :, 1:]).mean(axis=0)
            own = np.einsum("rkr->rk", likely[1:, :, 1:])
            of_rivals = variation(likely[1:, :, 0], own).mean(axis=1)
            told = np.maximum(told, (of_leader + of_rivals) / 2)
        return [bool(t > _TELLS_APART) for t in told]

    def _is_asked(self, role_point: RolePoint, name: str) -> bool:
        return self._asked is None or name in self._asked.get(role_point.kind, ())


def resolved(role_point: RolePoint, assignment: Mapping[str, str]) -> RolePoint:
    """A check with its pin's role in place of its cavity, under one assignment."""
    return (
        RolePoint(role_point.kind, assignment.get(role_point.pin, role_point.pin), role_point.state)
        if assignment
        else role_point
    )


def _mutual_fit(kind: Kind, values: Array, variance: Array, tries: Integers) -> Floats32:
    tried = values[tries]
    if kind is Kind.GLOW:
        same = glow_classes(tried)[:, None] == glow_classes(values)[None]
        return np.where(same, np.float32(0), np.float32(-6))
    if kind is Kind.WORD:
        return np.where(tried[:, None] == values[None], np.float32(0), np.float32(-4.5))
    width = variance.astype(np.float32)
    fit = -0.5 * (tried[:, None] - values[None]).astype(np.float32) ** 2 / width
    fit -= 0.5 * np.log(width / width.min())
    return np.asarray(np.maximum(fit, np.float32(-8)), dtype=np.float32)
