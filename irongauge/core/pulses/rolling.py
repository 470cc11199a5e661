"""Teeth, shaft, axle, tyre, speed, pulses: any of them from any others, with the uncertainty that they bring.

Every relation is a product, so in logarithms all of them are straight: one small linear system answers every question, both
ways, says what is not determined yet, and finds figures that contradict each other.

    speed = wheel · circumference      shaft = wheel · axle      frequency = shaft · teeth
    pulses per metre = teeth · axle / circumference
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

__all__ = ["NAMES", "Known", "Related", "Settled", "hand_spin_hz", "relate", "settle"]

# The quantities and their fixed units inside: whole numbers of teeth, a bare ratio, m, turns per second, Hz, m/s, 1/m.
NAMES = (
    "teeth",
    "axle_ratio",
    "circumference_m",
    "wheel_hz",
    "shaft_hz",
    "frequency_hz",
    "speed_m_per_s",
    "pulses_per_m",
)
_AT = {name: at for at, name in enumerate(NAMES)}
# Each row sums to 0 over the logarithms.
_RELATIONS: tuple[dict[str, float], ...] = (
    {"speed_m_per_s": 1, "wheel_hz": -1, "circumference_m": -1},
    {"shaft_hz": 1, "wheel_hz": -1, "axle_ratio": -1},
    {"frequency_hz": 1, "shaft_hz": -1, "teeth": -1},
    {"pulses_per_m": 1, "teeth": -1, "axle_ratio": -1, "circumference_m": 1},
)
_TINY = 1e-9  # relative: the rounding of the sums


@dataclass(frozen=True)
class Known:
    """A figure that was typed or measured, with its relative standard uncertainty."""

    value: float
    relative_u: float = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.value < math.inf or self.relative_u < 0:
            msg = "every quantity is a number above 0"
            raise ValueError(msg)


@dataclass(frozen=True)
class Related:
    """What follows: each quantity that is determined, and how far the given figures contradict each other.

    `contradiction` is the greatest factor, as a share, by which two ways to one quantity differ; 0 where there is one way.
    `missing` are those that need another figure first.
    """

    values: Mapping[str, Known]
    contradiction: float
    missing: tuple[str, ...]


def relate(known: Mapping[str, Known]) -> Related:
    """All that follows from what is known; `ValueError` for a name that is none of `NAMES`.

    Figures that contradict are met in the middle (least squares of the logarithms), and the contradiction is said.

    >>> found = relate({"teeth": Known(20), "axle_ratio": Known(4.3), "circumference_m": Known(math.pi * 0.72)})
    >>> round(found.values["pulses_per_m"].value * 1000, 1)
    38020.3
    """
    unknown_names = set(known) - set(NAMES)
    if unknown_names:
        msg = f"{', '.join(sorted(unknown_names))} is not a quantity of a shaft and a wheel"
        raise ValueError(msg)
    rows = np.zeros((len(_RELATIONS), len(NAMES)))
    for at, relation in enumerate(_RELATIONS):
        for name, power in relation.items():
            rows[at, _AT[name]] = power
    given = [name for name in NAMES if name in known]
    open_names = [name for name in NAMES if name not in known]
    logs = np.array([math.log(known[name].value) for name in given])
    spread = np.array([known[name].relative_u for name in given])
    right = -rows[:, [_AT[n] for n in given]] if given else np.zeros((len(_RELATIONS), 0))
    left = rows[:, [_AT[n] for n in open_names]]
    inverse = np.linalg.pinv(left, rcond=_TINY)
    weights = inverse @ right
    # A quantity is determined where moving along what the relations leave free does not move it.
    free = np.eye(len(open_names)) - inverse @ left
    values = dict(known)
    missing = []
    for at, name in enumerate(open_names):
        if np.abs(free[at]).max(initial=0.0) > _TINY:
            missing.append(name)
            continue
        relative = math.sqrt(float(np.sum((weights[at] * spread) ** 2)))
        values[name] = Known(math.exp(float(weights[at] @ logs)), relative)
    off = right @ logs - left @ (weights @ logs)
    contradiction = math.expm1(float(np.abs(off).max(initial=0.0)))
    return Related(values, contradiction if contradiction > _TINY else 0.0, tuple(missing))


# What a vehicle is built with, the firmest first: a count and a gear stay, a tyre's roundness gives way.
_BUILT = ("teeth", "axle_ratio", "circumference_m", "pulses_per_m")
# What moves: it follows the rest when something else is typed.
_RUNNING = ("speed_m_per_s", "frequency_hz", "shaft_hz", "wheel_hz")
_AGREES = 0.005  # relative: figures as near as this are the same figure, rounded by somebody


@dataclass(frozen=True)
class Settled:
    """What follows, and where what was typed contradicts the rest: the figure that the others give there.

    `moved` are figures that were typed, but follow the rest now.
    """

    values: Mapping[str, Known]
    missing: tuple[str, ...]
    contradicted: Mapping[str, Known]
    moved: frozenset[str]


def settle(typed: Mapping[str, Known], recent: Sequence[str] = ()) -> Settled:
    """What follows from what a person typed, `recent` naming it from the oldest to the newest.

    The newest counts first, then what the vehicle is built with, then what moves, the newer before the older; each only where it
    is not determined by those before. Something that moves then follows; a figure of the build that the others contradict does
    not: it stays, and what the others give is said.

    >>> everything = {"teeth": Known(20), "shaft_hz": Known(10), "frequency_hz": Known(150)}
    >>> round(settle(everything, ("shaft_hz", "frequency_hz")).values["shaft_hz"].value, 6)
    7.5
    """
    newest_first = [*reversed(recent)]
    running = sorted(_RUNNING, key=lambda name: newest_first.index(name) if name in newest_first else len(newest_first))
    order = [name for name in dict.fromkeys((*newest_first[:1], *_BUILT, *running)) if name in typed]
    chosen: dict[str, Known] = {}
    found = relate(chosen)
    contradicted = {}
    for name in order:
        if name not in found.values:
            chosen[name] = typed[name]
            found = relate(chosen)
        elif name in _BUILT and _differ(typed[name], found.values[name]):
            contradicted[name] = found.values[name]
    built = {name: typed[name] for name in _BUILT if name in typed}
    moved = frozenset(name for name in typed if name in _RUNNING and name not in chosen)
    return Settled({**found.values, **built}, found.missing, contradicted, moved)


def _differ(a: Known, b: Known) -> bool:
    allowed = max(_AGREES, 2 * math.hypot(a.relative_u, b.relative_u))
    return abs(math.log(a.value / b.value)) > allowed


def hand_spin_hz(turns: float, seconds: float, pulses_per_turn: float) -> float:
    """The mean frequency while a wheel is turned by hand."""
    if turns <= 0 or seconds <= 0 or pulses_per_turn <= 0:
        msg = "turns, seconds and pulses per turn are above 0"
        raise ValueError(msg)
    return turns * pulses_per_turn / seconds
