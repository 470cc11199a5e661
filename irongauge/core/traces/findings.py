"""What can be found in a log, each with the check that would confirm it, since a log alone proves no part bad."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

__all__ = ["FOLLOW_UP", "FindingKind", "LogFinding"]


class FindingKind(StrEnum):
    """What is found."""

    DROPOUT = "dropout"
    SHARED = "drops together"
    HOLE = "hole in the log"
    PEGGED = "pegged"
    CLAMPED = "clamped"
    STUCK = "stuck"
    NOISE = "noise"
    STEP = "step"
    DRIFT = "drifts with temperature"
    LAG = "late"
    DISAGREES = "two do not agree"
    KEY_ON = "wrong at key on"
    COARSE = "steps too coarse"
    RIPPLE = "ripple of the alternator"
    OUTSIDE = "beyond its curve"
    OTHER_VEHICLE = "of another vehicle"
    RULE = "rule"


FOLLOW_UP = {
    FindingKind.DROPOUT: "Wiggle its connector and harness while the Bench shows its signal; then measure under load.",
    FindingKind.SHARED: "Measure their reference and sensor ground while it happens, not the sensors.",
    FindingKind.HOLE: "The logger lost its bus or its power: check its own plug before any sensor.",
    FindingKind.PEGGED: "Measure its signal at the sensor: a short, an open wire and a range too small all read like this.",
    FindingKind.CLAMPED: "Compare with a gauge in parallel, and look for a limit in the controller’s figures.",
    FindingKind.STUCK: "Unplug the sensor: if the value stays, the controller or the logger holds it.",
    FindingKind.NOISE: "Measure its shield, its ground and its way beside the alternator’s and the ignition’s wires.",
    FindingKind.STEP: "Look for what was switched at that moment, and measure its ground against battery negative then.",
    FindingKind.DRIFT: "Warm the sensor and its plug one at a time, and compare with a gauge that stays cool.",
    FindingKind.LAG: "Look for a hose that is long or half blocked, and for a filter in the controller’s figures.",
    FindingKind.DISAGREES: "Put a gauge or a known state beside both, and calibrate the one that is off.",
    FindingKind.KEY_ON: "Vent the sensor and read it on the Bench: at rest it has to show what is known there.",
    FindingKind.COARSE: "Look at the log’s own format and at the input; a sensor of a smaller range would show more.",
    FindingKind.RIPPLE: "Measure AC volts at the battery with loads on; a diode or a brush of the alternator may be gone.",
    FindingKind.OUTSIDE: "Read the controller’s figures back against its curve: a sensor cannot give that.",
    FindingKind.OTHER_VEHICLE: "Look whether the log is of this vehicle, and at the system volts in its data.",
    FindingKind.RULE: "",
}


@dataclass(frozen=True, kw_only=True)
class LogFinding:
    """One thing that is found: in which channel, where, how large, and with which others.

    `at_s` are places in the log, each from and until; `size` is in the channel's unit. `others` are channels that changed at the
    same moment, or that it was compared with. `blames` says which of several channels is off, where that can be told.
    """

    kind: FindingKind
    channel: str
    sentence: str
    follow_up: str
    at_s: tuple[tuple[float, float], ...] = ()
    size: float | None = None
    others: tuple[str, ...] = ()
    blames: str = ""
