"""The readings of a diagnosis, and how they weigh in the samples of a cloud."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from irongauge.core.diagnosis.model import SLIP, Place, Seen
from irongauge.core.diagnosis.role_points import Array, RolePoint
from irongauge.core.diagnosis.sample_sets import SampleSet, resolved
from irongauge.core.diagnosis.sizes import ReadParts

__all__ = ["Readings"]

_CONFIRMED_SLIP = 1e-4  # the same slip twice
_SURELY = 1e-9  # keeps logarithms finite


class Readings:
    """What was read, check by check, under the `assignments` that pins may have."""

    def __init__(self, assignments: Sequence[Mapping[str, str]]) -> None:
        self.assignments = tuple(assignments)
        self.taken: dict[RolePoint, ReadParts] = {}
        self.confirmed: set[RolePoint] = set()
        self._unsure: dict[RolePoint, dict[str, float]] = {}

    def take(self, role_point: RolePoint, answer: ReadParts, *, confirmed: bool, unsure: Mapping[str, float]) -> None:
        """Keep an answer in place of an earlier one; see `Session.update`."""
        self.taken[role_point] = {**answer}
        self._unsure[role_point] = {**unsure}
        if confirmed:
            self.confirmed.add(role_point)
        else:
            self.confirmed.discard(role_point)

    def weigh(self, sample_set: SampleSet) -> list[Place]:
        """Weigh every reading in every sample, in an order that does not depend on that of the reading; gives what was read.

        A reading is weighed by its difference from another where the two share most of what is not known: volts at the pin and
        in live data, a value and its volts, both legs of a coil. So what they say together is counted once.
        """
        shape = (len(self.assignments), sample_set.model.n)
        before: list[Place] = []
        slipped: dict[Place, Array] = {}
        for role_point in sorted(self.taken, key=str):
            parts: dict[str, Array] = {}
            peaks: dict[str, Array] = {}
            names = sorted(self.taken[role_point])  # `v` comes after `value`, which is weighed by it
            for place, assignment in enumerate(self.assignments):
                real = resolved(role_point, assignment)
                known = [*before, *((real, name) for name in names if isinstance(self.taken[role_point][name], float))]
                for name in names:
                    beside = self._beside(sample_set, (real, name), known)
                    seen, slip = self._seen(role_point, real, name), self._slip(role_point)
                    found = self._weighed(sample_set, seen, beside, slip)
                    if found is not None and beside is not None and beside.place in slipped:
                        found = self._unless_slipped(sample_set, seen, slip, found, slipped[beside.place])
                    if found is not None:
                        slipped[real, name] = sample_set.model.chance_of_slip(seen, found[0], slip)
                        parts.setdefault(name, np.zeros(shape))[place] = found[0]
                        peaks.setdefault(name, np.zeros(shape))[place] = found[1]
            answer = self.taken[role_point]
            if len(self.assignments) == 1:
                real = resolved(role_point, self.assignments[0])
                before += [(real, name) for name in names if isinstance(answer[name], float)]
            sample_set.parts[role_point], sample_set.peaks[role_point] = parts, peaks
            sample_set.log_likelihoods[role_point] = sum(parts.values(), np.zeros(shape))
        return before

    @staticmethod
    def _weighed(sample_set: SampleSet, seen: Seen, beside: Seen | None, slip: float) -> tuple[Array, Array] | None:
        """The same sum as before for a reading beside which nothing has changed."""
        key = (seen, beside, slip)
        if key not in sample_set.weighed:
            sample_set.weighed[key] = sample_set.model.weigh(seen, beside, slip)
        return sample_set.weighed[key]

    def _unless_slipped(
        self, sample_set: SampleSet, seen: Seen, slip: float, found: tuple[Array, Array], other_slipped: Array
    ) -> tuple[Array, Array]:
        """A reading beside another one: where that one is a slip, nothing can stand beside it, and it is weighed alone."""
        alone = self._weighed(sample_set, seen, None, slip)
        if alone is None:
            return found
        near, far = np.log1p(-np.minimum(other_slipped, 1 - _SURELY)), np.log(np.maximum(other_slipped, _SURELY))
        return np.logaddexp(near + found[0], far + alone[0]), found[1]

    def _seen(self, role_point: RolePoint, real: RolePoint, name: str) -> Seen:
        return Seen((real, name), self.taken[role_point][name], self._unsure[role_point].get(name, 0.0))

    def _beside(self, sample_set: SampleSet, place: Place, known: Sequence[Place]) -> Seen | None:
        """The reading beside which a part is weighed, where there is one; none while it is not known which pin is which."""
        if len(self.assignments) > 1:
            return None
        other = sample_set.model.beside(place, [k for k in known if k != place])
        if other is None:
            return None
        taken = next(r for r in self.taken if resolved(r, self.assignments[0]) == other[0])
        return self._seen(taken, other[0], other[1])

    def _slip(self, role_point: RolePoint) -> float:
        return _CONFIRMED_SLIP if role_point in self.confirmed else SLIP
