"""What can be said of a circuit's faults, as data: suspects, next tests, evidence, bands, pins. `reasoning` makes it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.diagnosis.circuit_under_test import SIGNAL
from irongauge.core.diagnosis.faults import Standing
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.measure.units import show, show_volts

__all__ = [
    "Diagnosis",
    "DirectLook",
    "FoundInput",
    "NextTest",
    "Of",
    "PinGuess",
    "PredictedBand",
    "ReadingEvidence",
    "Suspect",
    "WhatIf",
]

PIN_SURE = 0.95  # as a verdict is given, so is a role


class Of(StrEnum):
    """Whose prediction a band is."""

    HEALTHY = "healthy"
    LEADING = "leading"


@dataclass(frozen=True, kw_only=True)
class Suspect:
    """One hypothesis: a fault, two of them, or none, with how likely it is and how large it must then be.

    `showing` is the part of its probability that readings speak for; the rest is of a size that none of them would show, and
    `unseen` says how large it could be then.
    """

    fault: str
    title: str
    probability: float
    sizes: tuple[str, ...]
    where: tuple[str, ...]
    do: tuple[str, ...]
    is_healthy: bool
    in_group: bool
    showing: float
    unseen: str
    against: str = ""


@dataclass(frozen=True)
class NextTest:
    """A check that may come next: the test points that it fills, what it is expected to tell, and what it takes."""

    role_point: RolePoint
    test_points: tuple[TestPoint, ...]
    gain_nats: float
    minutes: float


@dataclass(frozen=True, kw_only=True)
class ReadingEvidence:
    """One reading as evidence: what healthy and the leading fault predict for it, and what was seen."""

    test_point: TestPoint
    seen: str
    healthy: str
    leading: str
    weight: float
    explained: bool
    sentence: str


@dataclass(frozen=True, kw_only=True)
class PredictedBand:
    """Volts that a hypothesis predicts at a pin, unplugged or plugged in, from the 5th to the 95th percentile."""

    cavity: str
    plugged_in: bool
    point: int | None
    of: Of
    low_v: float
    high_v: float


@dataclass(frozen=True)
class PinGuess:
    """What a pin of unknown role most likely is."""

    cavity: str
    role: str
    probability: float

    @property
    def is_sure(self) -> bool:
        """True once it is as sure as a verdict."""
        return self.probability >= PIN_SURE


@dataclass(frozen=True)
class DirectLook:
    """A part that is looked at directly before the likeliest fault is named, and what was read there; "" where nothing was."""

    of: str
    test_points: tuple[TestPoint, ...]
    seen: str


@dataclass(frozen=True)
class FoundInput:
    """What the readings show of a controller input that the card leaves open: a pull-up, or that there is none.

    `ohm` is None where they do not tell its size.
    """

    signal: str
    to_v: float | None
    ohm: float | None

    @property
    def is_pulled_up(self) -> bool:
        """True for an input with a pull-up."""
        return self.to_v is not None

    @property
    def can_be_kept(self) -> bool:
        """True where a card has a place for just that: a pull-up with its ohms, or a signal input without one."""
        return self.ohm is not None if self.is_pulled_up else self.signal == SIGNAL

    @property
    def would_be(self) -> str:
        """What it would be if the input is meant otherwise, as the end of a fault's code."""
        return "pull_up_doubled" if self.is_pulled_up else "pull_up_missing"

    @property
    def meant(self) -> str:
        """What a good circuit's input is then meant to have."""
        return "have this pull-up alone" if self.is_pulled_up else "have no pull-up"

    @property
    def to_be_asked(self) -> str:
        """Where it stands, and what to do with the answer."""
        if self.is_pulled_up:
            return (
                "That is strong for this sensor, as two side by side would be: look in the harness and in the controller's "
                "settings for a second one. If there is one alone, keep it on the card."
            )
        return (
            "Look in the controller's settings or the wiring diagram. If none is wanted, keep that on the card. "
            "If one is wanted, it is missing: switch it on, or fit it."
        )

    @property
    def sentence(self) -> str:
        """It in words."""
        if self.to_v is None:
            return f"The {self.signal} input has no pull-up."
        size = "" if self.ohm is None else f", about {show(self.ohm, 'kohm', trim=True)}"
        return f"The {self.signal} input has a pull-up to {show_volts(self.to_v)}{size}."


@dataclass(frozen=True)
class WhatIf:
    """A reading that has not been taken, and the suspects that predict it."""

    reads: str
    suspects: tuple[Suspect, ...]


@dataclass(frozen=True, kw_only=True)
class Diagnosis:
    """Everything that can be said of a circuit's faults now.

    `chances_on_the_way` has by cavity, for each place that was read on its wire's way, the chance that what the leader blames
    lies nearer to the controller. `roles` are those of all pins by cavity, once they are sure and the card did not give them.
    `inputs` say what the readings show of controller inputs that the card leaves open.
    """

    standing: Standing
    suspects: tuple[Suspect, ...]
    group_probability: float
    next_tests: tuple[NextTest, ...]
    reasons: tuple[ReadingEvidence, ...]
    looks: tuple[DirectLook, ...]
    unexplained: tuple[TestPoint, ...]
    hangs_on: tuple[TestPoint, ...]
    bands: tuple[PredictedBand, ...]
    pins: tuple[PinGuess, ...]
    would_change: str
    inspect: str
    unfinished: TestPoint | None
    chances_on_the_way: Mapping[str, Mapping[str, float]]
    roles: Mapping[str, str]
    inputs: tuple[FoundInput, ...]

    @property
    def leader(self) -> Suspect:
        """The likeliest suspect."""
        return self.suspects[0]

    @property
    def group(self) -> tuple[Suspect, ...]:
        """The suspects that no check still to be made would tell from the likeliest, and that one."""
        return tuple(s for s in self.suspects if s.in_group)
