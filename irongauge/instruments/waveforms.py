"""A simulated pickup over a turning ring: the waveform that a scope would capture, with what is hidden in it known.

It stands in for a scope in the demo and in tests. It knows teeth out of place, missing teeth, an eccentric ring, unequal
joints, a speed that sweeps, jitter, noise, an offset, clipping; square outputs behind a pull-up and reluctance coils whose
volts rise with speed. It does not imitate ringing, reflections or a scope's own bandwidth.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

__all__ = ["Pickup", "Ring", "capture"]


@dataclass(frozen=True)
class Ring:
    """A ring of `teeth`. `late_pct` moves teeth along the ring, in % of a pitch; `run_out_pct` is the amplitude of the pitch's
    once-per-turn swing; `joint_pct` widens the gap after the last tooth and narrows that half a turn away.
    """

    teeth: int = 60
    late_pct: Mapping[int, float] = field(default_factory=dict)
    missing: frozenset[int] = frozenset()
    run_out_pct: float = 0.0
    joint_pct: float = 0.0

    def places(self) -> Floats:
        """Where each tooth stands, in turns, shape (teeth,)."""
        n = self.teeth
        at = np.arange(n) / n
        # A place that swings by a·sin(φ)/2π makes a pitch that swings by a·cos(φ).
        at = at + self.run_out_pct / 100 / (2 * np.pi) * np.sin(2 * np.pi * at)
        at[n // 2 :] -= self.joint_pct / 100 / n
        for tooth, late in self.late_pct.items():
            at[tooth] += late / 100 / n
        return at


@dataclass(frozen=True)
class Pickup:
    """What turns teeth into volts. `duty` is the share of a pitch that is high; `coil_v_per_hz` makes it a reluctance coil."""

    low_v: float = 0.1
    high_v: float = 5.0
    duty: float = 0.5
    rise_s: float = 2e-6
    noise_v: float = 0.01
    jitter_pct: float = 0.05
    offset_v: float = 0.0
    clip_v: float = np.inf
    coil_v_per_hz: float | None = None


def capture(  # noqa: PLR0913  what is turned, how it is seen, and how it is sampled
    ring: Ring, pickup: Pickup, *, turn_hz: tuple[float, float], seconds: float, rate_hz: float, seed: int
) -> tuple[Floats, Floats]:
    """Times and volts of a capture while the ring's speed goes evenly from one to the other, in turns per second."""
    rng = np.random.default_rng(seed)
    time_s = np.arange(int(seconds * rate_hz)) / rate_hz
    begin, end = turn_hz
    turned = begin * time_s + (end - begin) / (2 * seconds) * time_s**2 + float(rng.uniform(0, 0.9 / ring.teeth))
    whole = int(np.ceil(turned[-1])) + 2
    places = np.concatenate([ring.places() + turn for turn in range(-1, whole)])
    kept = np.concatenate([np.array([tooth not in ring.missing for tooth in range(ring.teeth)])] * (whole + 1))
    places = places + rng.normal(0, pickup.jitter_pct / 100 / ring.teeth, len(places))
    if pickup.coil_v_per_hz is not None:
        # The phase runs from tooth to tooth; between the neighbours of a missing one it stands still for a pitch.
        phase = np.interp(turned, places, np.arange(len(places)))
        here = np.clip(np.floor(phase).astype(int), 0, len(kept) - 2)
        speed = ring.teeth * np.gradient(turned, time_s)
        signal = np.sin(2 * np.pi * phase) * pickup.coil_v_per_hz * speed * kept[here]
    else:
        rising, falling = places[kept], places[kept] + pickup.duty / ring.teeth
        stamps = np.empty(2 * len(rising))
        stamps[::2], stamps[1::2] = rising, falling
        levels = np.tile([0.0, 1.0, 1.0, 0.0], len(rising))
        soft = pickup.rise_s * np.interp(stamps, turned, np.gradient(turned, time_s)) / 2
        corners = np.empty(4 * len(rising))
        corners[0::4], corners[1::4] = stamps[::2] - soft[::2], stamps[::2] + soft[::2]
        corners[2::4], corners[3::4] = stamps[1::2] - soft[1::2], stamps[1::2] + soft[1::2]
        signal = pickup.low_v + (pickup.high_v - pickup.low_v) * np.interp(turned, corners, levels)
    signal = signal + pickup.offset_v + rng.normal(0, pickup.noise_v, len(time_s))
    return time_s, np.clip(signal, -pickup.clip_v, pickup.clip_v)
