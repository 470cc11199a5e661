"""Simulated pickups with something wrong, by name: for learning what a fault looks like, and for the demo."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from irongauge.instruments.pickup_words import SURPRISE, WRONGS
from irongauge.instruments.waveforms import Pickup, Ring, capture

Floats = NDArray[np.float64]

__all__ = ["PickupPlan", "simulate_pickup"]

_TURNS = 12
_SAMPLES_A_TOOTH = 100
_MOST_SAMPLES = 1_000_000


@dataclass(frozen=True)
class PickupPlan:
    """What is simulated: what is wrong, by its name of `WRONGS`, the ring's teeth, its speed, and a coil or a switch."""

    wrong: str
    teeth: int = 48
    turn_hz: float = 5.0
    is_coil: bool = False
    high_v: float = 5.0


@dataclass(frozen=True)
class _Change:
    """How a good ring and pickup are changed; `sweep` is how many times as fast it turns at the end."""

    ring: Mapping[str, Any] = field(default_factory=dict)
    pickup: Mapping[str, Any] = field(default_factory=dict)
    sweep: float = 1.0


def _changes(plan: PickupPlan, rng: np.random.Generator) -> Mapping[str, Callable[[], _Change]]:
    teeth = plan.teeth
    tooth, sign = int(rng.integers(1, teeth - 1)), float(rng.choice([-1, 1]))
    return {
        "nothing": _Change,
        "a tooth out of place": lambda: _Change({"late_pct": {tooth: sign * float(rng.uniform(4, 9))}}),
        "a tooth missing": lambda: _Change({"missing": frozenset({tooth})}),
        "a ring off its centre": lambda: _Change({"run_out_pct": float(rng.uniform(2, 6))}),
        "halves of a ring apart": lambda: _Change({"joint_pct": float(rng.uniform(4, 9))}),
        "two pull-ups": lambda: _Change({}, {"low_v": float(rng.uniform(1.1, 1.7))}),
        "noise": lambda: _Change({}, {"noise_v": 0.3}),
        "sparks": lambda: _Change({}, {"spikes": 14}),
        "a loose pin": lambda: _Change({}, {"dropouts": 3}),
        "lost below a speed": lambda: _Change({}, {"lost_below_hz": 0.8 * teeth * plan.turn_hz}, 0.2),
        "a wave that is cut": lambda: _Change({}, {"clip_v": 1.2}),
    }


def simulate_pickup(plan: PickupPlan, seed: int) -> tuple[Floats, Floats]:
    """Times and volts of a capture of some twelve turns; `ValueError` for a name that is none of `WRONGS` or `SURPRISE`."""
    rng = np.random.default_rng(seed)
    wrong = plan.wrong if plan.wrong != SURPRISE else str(rng.choice(WRONGS))
    if wrong not in WRONGS:
        msg = f"{wrong} is nothing that the simulated pickup knows"
        raise ValueError(msg)
    change = _changes(plan, rng)[wrong]()
    tooth_hz = plan.teeth * plan.turn_hz
    is_coil = plan.is_coil or wrong == "a wave that is cut"
    pickup = Pickup(high_v=plan.high_v, coil_v_per_hz=2.0 / tooth_hz if is_coil else None)
    seconds = _TURNS / plan.turn_hz
    rate_hz = min(_SAMPLES_A_TOOTH * tooth_hz, _MOST_SAMPLES / seconds)
    return capture(
        Ring(plan.teeth, **change.ring),
        replace(pickup, **change.pickup),
        turn_hz=(2 * plan.turn_hz / (1 + change.sweep), 2 * plan.turn_hz * change.sweep / (1 + change.sweep)),
        seconds=seconds,
        rate_hz=rate_hz,
        seed=seed,
    )
