"""What can be found in a log: one row each, with its gravity, the check that would confirm it, since a log alone proves no part
bad, and what does the same on a healthy vehicle.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

__all__ = ["FINDINGS", "FindingKind", "FindingSpec", "Gravity", "LogFinding"]


class FindingKind(StrEnum):
    """What is found."""

    DROPOUT = "dropout"
    SHARED = "drops together"
    HOLE = "hole in the log"
    PEGGED = "pegged"
    CLAMPED = "clamped"
    STUCK = "stuck"
    NOISE = "noise"
    TOOTH = "a tooth"
    STEP = "step"
    DRIFT = "drifts with temperature"
    LAG = "late"
    CLOCKS = "two clocks"
    DISAGREES = "two do not agree"
    KEY_ON = "wrong at key on"
    COARSE = "steps too coarse"
    RIPPLE = "ripple of the alternator"
    OUTSIDE = "beyond its curve"
    SCALE = "of another unit"
    SWAPPED = "two are swapped"
    OTHER_VEHICLE = "of another vehicle"
    RULE = "rule"


class Gravity(StrEnum):
    """How much is said by a finding: surely wrong, or only to be looked at."""

    WRONG = "wrong"
    DOUBTFUL = "doubtful"


@dataclass(frozen=True, kw_only=True)
class FindingSpec:
    """One row: how grave it is, the check that would confirm it, and what harmless things read alike.

    `shows_in_all` is true where it shows in every channel that it names, not only in the first.
    """

    gravity: Gravity
    follow_up: str
    harmless: str = ""
    shows_in_all: bool = False


FINDINGS: Mapping[FindingKind, FindingSpec] = {
    FindingKind.DROPOUT: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Wiggle its connector and harness while the Bench shows its signal; then measure under load.",
        harmless="a channel that the logger writes only now and then",
    ),
    FindingKind.SHARED: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Measure their reference and sensor ground while it happens, not the sensors.",
        harmless="a controller that starts again",
        shows_in_all=True,
    ),
    FindingKind.HOLE: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="The logger lost its bus or its power: check its own plug before any sensor.",
        harmless="a recording that was stopped and begun again",
    ),
    FindingKind.PEGGED: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Measure its signal at the sensor: a short, an open wire and a range too small all read like this.",
        harmless="a value that is meant to rest at its end, such as a closed throttle",
    ),
    FindingKind.CLAMPED: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Compare with a gauge in parallel, and look for a limit in the controller’s figures.",
        harmless="a regulator or a relief valve that holds it there",
    ),
    FindingKind.STUCK: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Unplug the sensor: if the value stays, the controller or the logger holds it.",
        harmless="a machine that stands still",
    ),
    FindingKind.NOISE: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Measure its shield, its ground and its way beside the alternator’s and the ignition’s wires.",
        harmless="a pump or a rough road that really shakes it",
    ),
    FindingKind.TOOTH: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Turn it by hand and look at each tooth of its ring, then capture a turn in Pulse.",
        harmless="a ring with a tooth left out on purpose",
    ),
    FindingKind.STEP: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="Look for what was switched at that moment, and measure its ground against battery negative then.",
        harmless="something that was switched",
    ),
    FindingKind.DRIFT: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="Warm the sensor and its plug one at a time, and compare with a gauge that stays cool.",
        harmless="a fluid that thins as it warms",
    ),
    FindingKind.LAG: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="Look for a hose that is long or half blocked, and for a filter in the controller’s figures.",
        harmless="a value that comes from a satellite or over a slow bus",
    ),
    FindingKind.CLOCKS: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="Set both loggers by one clock, or shift one by what is said, before they are compared.",
        harmless="boxes that were started one after the other",
        shows_in_all=True,
    ),
    FindingKind.DISAGREES: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Put a gauge or a known state beside both, and calibrate the one that is off.",
        harmless="two places that really differ",
    ),
    FindingKind.KEY_ON: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Vent the sensor and read it on the Bench: at rest it has to show what is known there.",
        harmless="pressure that was still in the line",
    ),
    FindingKind.COARSE: FindingSpec(
        gravity=Gravity.DOUBTFUL,
        follow_up="Look at the log’s own format and at the input; a sensor of a smaller range would show more.",
        harmless="a logger that writes few digits",
    ),
    FindingKind.RIPPLE: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Measure AC volts at the battery with loads on; a diode or a brush of the alternator may be gone.",
        harmless="loads that switch on and off",
    ),
    FindingKind.OUTSIDE: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Read the controller’s figures back against its curve: a sensor cannot give that.",
        harmless="a unit that was told wrongly",
    ),
    FindingKind.SCALE: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Say its unit under its name in this log, and look at what the logger or the controller is set to.",
        harmless="a heading that nobody changed",
    ),
    FindingKind.SWAPPED: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Wake one of the two alone and see which name moves: two inputs or two names are crossed.",
        harmless="two headings that were mixed up",
        shows_in_all=True,
    ),
    FindingKind.OTHER_VEHICLE: FindingSpec(
        gravity=Gravity.WRONG,
        follow_up="Look whether the log is of this vehicle, and at the system volts in its data.",
    ),
    FindingKind.RULE: FindingSpec(
        gravity=Gravity.DOUBTFUL, follow_up="", harmless="a rule that does not fit this vehicle"
    ),
}


@dataclass(frozen=True, kw_only=True)
class LogFinding:
    """One thing that is found: in which channel, where, how large, and with which others.

    `at_s` are places in the log, each from and until; `size` is in the channel's unit. `others` are channels that changed at the
    same moment, or that it was compared with. `blames` says which of several channels is off, where that can be told.
    `follow_up` is its kind's, where it is not given.
    """

    kind: FindingKind
    channel: str
    sentence: str
    follow_up: str = ""
    at_s: tuple[tuple[float, float], ...] = ()
    size: float | None = None
    others: tuple[str, ...] = ()
    blames: str = ""

    def __post_init__(self) -> None:
        if not self.follow_up:
            object.__setattr__(self, "follow_up", self.spec.follow_up)

    @property
    def spec(self) -> FindingSpec:
        """The row of its kind."""
        return FINDINGS[self.kind]
