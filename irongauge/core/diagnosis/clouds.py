"""The samples of a diagnosis side by side: what each would answer, and which answers would tell them apart.

A `Clouds` holds the samples of single faults and, once two at once are considered, those of pairs. A place in it is a
flat number over assignments of pins and samples.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from irongauge.core.diagnosis.checks import BRIGHT_ABOVE_A, DARK_BELOW_A, Array, Check, Kind
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.model import Model
from irongauge.core.diagnosis.sampling import Floats, Integers, variation

__all__ = ["PER_GROUPED", "Cloud", "Clouds", "Drawn", "resolved"]

PER_GROUPED, _TELLS_APART = 20, 0.35


@dataclass
class Cloud:
    """A model's samples with their prior weights, and each reading's log likelihood under every assignment, `(a, n)`, whole
    and by the parts of its answer.
    """

    model: Model
    log_prior: Array
    log_likelihoods: dict[Check, Array]
    parts: dict[Check, dict[str, Array]]


@dataclass(frozen=True)
class Drawn:
    """Samples drawn by weight: their assignment, cloud, place in it, and the hypothesis each belongs to."""

    assignment: Integers
    cloud: Integers
    place: Integers
    hypothesis: Integers


class Clouds(list[Cloud]):
    """Clouds of samples, the single faults' first, under every assignment of pins; and the parts of answers asked for."""

    def __init__(
        self, first: Cloud, assignments: tuple[Mapping[str, str], ...], asked: Mapping[str, frozenset[str]] | None
    ) -> None:
        super().__init__([first])
        self.assignments = assignments
        self._asked = asked

    @property
    def model(self) -> Model:
        """The model of single faults."""
        return self[0].model

    def hypothesis_of(self) -> Integers:
        offset, parts = 0, []
        for cloud in self:
            parts.append(cloud.model.fault_of + offset)
            offset += len(cloud.model.faults)
        return np.concatenate(parts)

    def drawn(self, flat: Integers, clouds: list[Cloud]) -> Drawn:
        width = sum(cloud.model.n for cloud in clouds)
        assignment, sample = np.divmod(flat, width)
        edges = np.cumsum([cloud.model.n for cloud in clouds])
        cloud = np.searchsorted(edges, sample, side="right")
        start = np.concatenate([[0], edges[:-1]])
        return Drawn(assignment, cloud, sample - start[cloud], self.hypothesis_of()[sample])

    def gathered(self, check: Check, drawn: Drawn) -> dict[str, tuple[Kind, Array, Array]]:
        """Value and spread of each part of a check's answer in each drawn sample."""
        if len(self) == len(self.assignments) == 1:
            known = self.model.parts(resolved(check, self.assignments[0]))
            return {name: (p.kind, p.values[drawn.place], p.spread[drawn.place]) for name, p in known.items()}
        parts: dict[str, tuple[Kind, Array, Array]] = {}
        for a, assignment in enumerate(self.assignments):
            real = resolved(check, assignment)
            for c, cloud in enumerate(self):
                here = (drawn.assignment == a) & (drawn.cloud == c)
                if not here.any():
                    continue
                for name, part in cloud.model.parts(real).items():
                    if name not in parts:
                        parts[name] = part.kind, np.zeros(len(here)), np.ones(len(here))
                    _, values, spread = parts[name]
                    values[here], spread[here] = part.values[drawn.place[here]], part.spread[drawn.place[here]]
        return parts

    def fits(self, check: Check, drawn: Drawn, tries: Integers) -> Floats | None:
        """How well each drawn sample would fit the answer that each of the `tries` among them would give."""
        total: Floats | None = None
        for name, (kind, values, spread) in self.gathered(check, drawn).items():
            if not self._is_asked(check, name):
                continue
            fits = self._mutual_fit(kind, values, spread, tries)
            total = fits if total is None else total + fits
        return total

    def _mutual_fit(self, kind: Kind, values: Array, spread: Array, tries: Integers) -> Floats:
        told = values[tries]
        if kind is Kind.GLOW:
            edges = [DARK_BELOW_A, BRIGHT_ABOVE_A]
            same = np.digitize(np.abs(told), edges)[:, None] == np.digitize(np.abs(values), edges)[None]
            return np.where(same, np.float32(0), np.float32(-6))
        if kind is Kind.WORD:
            return np.where(told[:, None] == values[None], np.float32(0), np.float32(-4.5))
        variance = (self.model.instrument(kind, values) ** 2 + spread**2).astype(np.float32)
        fit = -0.5 * (told[:, None] - values[None]).astype(np.float32) ** 2 / variance
        fit -= 0.5 * np.log(variance / variance.min())
        return np.asarray(np.maximum(fit, np.float32(-8)), dtype=np.float32)

    # Telling apart

    def made_good(self, flat: Integers) -> Integers:
        """The healthy sample of the same circuit for each sample of the model of single faults; others as they are."""
        model, width = self.model, self.hypothesis_of().size
        assignment, sample = np.divmod(flat, width)
        healthy = model.faults.index(HEALTHY) * model.per_fault + sample % model.per_fault
        return np.asarray(assignment * width + np.where(sample < model.n, healthy, sample))

    def differ_from_good(self, rivals: Integers, checks: Sequence[Check]) -> list[bool]:
        """The same for rivals of a good circuit, each sample against the same circuit when it is good.

        Against all good circuits, a rival of which few samples are left would seem to differ by what those few are.
        """
        drawn = self.drawn(np.concatenate([self.made_good(rivals), rivals]), self)
        half = len(rivals)
        told = np.zeros(half // PER_GROUPED)
        for check in checks:
            apart = np.zeros(half)
            for name, (kind, values, spread) in self.gathered(check, drawn).items():
                if not self._is_asked(check, name):
                    continue
                good, bad = values[:half], values[half:]
                if kind is Kind.GLOW:
                    edges = [DARK_BELOW_A, BRIGHT_ABOVE_A]
                    here = np.digitize(np.abs(good), edges) != np.digitize(np.abs(bad), edges)
                elif kind is Kind.WORD:
                    here = good != bad
                else:
                    width = np.hypot(self.model.instrument(kind, good), spread[:half])
                    # Total variation of two bells of one width, erf(d / (2√2 width)), by its usual tanh.
                    here = np.tanh(np.abs(good - bad) / (np.sqrt(2 * np.pi) * width))
                apart = np.maximum(apart, here)
            told = np.maximum(told, apart.reshape(-1, PER_GROUPED).mean(axis=1))
        return [bool(t > _TELLS_APART) for t in told]

    def differ(self, chosen: Sequence[Integers], checks: Sequence[Check]) -> list[bool]:
        """For each set of samples but the first: whether some check would read otherwise in it than in the first."""
        drawn = self.drawn(np.concatenate(chosen), self)
        told, count = np.zeros(len(chosen) - 1), len(chosen)
        for check in checks:
            fits = self.fits(check, drawn, np.arange(len(drawn.place)))
            if fits is None:
                continue
            likely = np.exp(fits).reshape(count, PER_GROUPED, count, PER_GROUPED).mean(axis=3) + np.float32(1e-12)
            of_leader = variation(likely[0, :, :1], likely[0, :, 1:]).mean(axis=0)
            own = np.einsum("rkr->rk", likely[1:, :, 1:])
            of_rivals = variation(likely[1:, :, 0], own).mean(axis=1)
            told = np.maximum(told, (of_leader + of_rivals) / 2)
        return [bool(t > _TELLS_APART) for t in told]

    def _is_asked(self, check: Check, name: str) -> bool:
        return self._asked is None or name in self._asked.get(check.kind, ())


def resolved(check: Check, assignment: Mapping[str, str]) -> Check:
    return Check(check.kind, assignment.get(check.pin, check.pin), check.state) if assignment else check
