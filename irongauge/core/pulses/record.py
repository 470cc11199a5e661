"""What is kept of a sensor's pulses: checks with what they found, and captured waveforms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any
from uuid import UUID

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import Examination
from irongauge.core.sensors.families import Family

__all__ = ["PULSE_FAMILIES", "About", "Capture", "KeptPulse", "PulseKind", "PulseMark", "about_of", "in_force"]

PULSE_FAMILIES = frozenset({Family.HALL, Family.FREQUENCY, Family.RELUCTANCE})


class PulseKind(StrEnum):
    """What was checked or worked out."""

    EXPECTED = "what it should read"
    PRINCIPLE = "principle and pull-up"
    WAVEFORM = "captured waveform"
    GAP = "air gap"
    SPEED = "road speed"
    FUEL = "fuel sensor"
    BUS = "bus channel"


@dataclass(frozen=True, kw_only=True)
class KeptPulse:
    """A check as it is kept with a circuit: what it found, and the text of every field that it was found from.

    The newest of a kind counts. What only says what to expect has the mark `not measured`.
    """

    uid: UUID
    kind: PulseKind
    mark: Mark
    finding: str
    sentence: str
    given: Mapping[str, Any]
    technician_uid: UUID
    taken_at: datetime

    @property
    def caution(self) -> str:
        """What is to be known of a check that was kept before more was asked; empty for others."""
        if self.kind is PulseKind.SPEED and self.given.get("old") and not self.given.get("old_is"):
            return (
                "What kind of figure it is was not asked then: the one named is right for a multiplier or a tyre only. "
                "Pulses per km, teeth and an axle ratio go the other way."
            )
        return ""


@dataclass(frozen=True)
class PulseMark:
    """The newest check of a kind, as far as it counts towards a circuit's proofs."""

    kind: PulseKind
    mark: Mark
    finding: str


@dataclass(frozen=True, kw_only=True)
class About:
    """What is told of a capture; None where nobody said.

    `teeth` are the ring's places, those of a gap too; `gap_teeth` are left out on purpose, side by side. An output is pulled up
    to `pull_up_v`, or its current is read over `shunt_ohm`. `angles_deg` are those of teeth that stand unequal on purpose, sorted
    from any of them; none where they stand alike.
    """

    teeth: int | None = None
    gap_teeth: int | None = None
    pull_up_v: float | None = None
    shunt_ohm: float | None = None
    angles_deg: tuple[float, ...] = ()


def about_of(record: Mapping[str, Any]) -> About:
    """What was told of a capture, from what `dataclasses.asdict` made of it, as it comes back from JSON."""
    return About(**{**record, "angles_deg": tuple(record.get("angles_deg") or ())})


@dataclass(frozen=True, kw_only=True)
class Capture:
    """A captured waveform, without its samples.

    `step_s` is the time from sample to sample, None where it varies. `about` is what was told when it was examined. `kept_uid`
    names the check by which it is kept with a circuit.
    """

    uid: UUID
    name: str
    note: str
    samples: int
    seconds: float
    step_s: float | None
    about: About
    examination: Examination
    taken_at: datetime
    circuit_uid: UUID | None = None
    kept_uid: UUID | None = None


def in_force(checks: Sequence[KeptPulse]) -> tuple[KeptPulse, ...]:
    """Of a circuit's checks, the newest first, those that count now: the newest of each kind, kinds in their order.

    Of the road speed the one before it counts too, and stands first: as found before as left.
    """
    chosen: list[KeptPulse] = []
    for kind in PulseKind:
        most = 2 if kind is PulseKind.SPEED else 1
        chosen += [check for check in checks if check.kind is kind][:most][::-1]
    return tuple(chosen)
