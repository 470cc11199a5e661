"""Faults with their probabilities, and those of them that belong together."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["Group", "Ranked"]


@dataclass(frozen=True)
class Ranked:
    """A fault, or two joined by a plus, and its probability on the readings so far."""

    fault: str
    probability: float


@dataclass(frozen=True)
class Group:
    """Faults that no check still to be made would tell apart, the likeliest first, with their probability together."""

    members: tuple[Ranked, ...]

    @property
    def probability(self) -> float:
        """That it is one of its members."""
        return min(1.0, sum(m.probability for m in self.members))

    @property
    def faults(self) -> tuple[str, ...]:
        """The names of its members, the likeliest first."""
        return tuple(m.fault for m in self.members)
