"""A simulated pickup over a turning ring: the waveform that a scope would capture, with what is hidden in it known.

It stands in for a scope in the demo and in tests. It knows teeth out of place, missing teeth, an eccentric ring, unequal
joints, a speed that sweeps, jitter, noise, spikes, an offset, clipping, a signal that is lost below a speed or now and then;
square outputs behind a pull-up and reluctance coils whose volts rise with speed. It does not imitate ringing, reflections or
a scope's own bandwidth.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
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


@dataclass(frozen=True, kw_only=True)
class Pickup:
    """What turns teeth into volts. `duty` is the share of a pitch that is high; `coil_v_per_hz` makes it a reluctance coil, whose
    volts fall through the middle as a tooth stands before it, or rise there with `reversed_leads`.

    `lost_below_hz` is where the pulses stop, `dropouts` how many times a few of them are lost, `spikes` how many short ones of
    `spike_v` come from elsewhere.
    """

    low_v: float = 0.1
    high_v: float = 5.0
    duty: float = 0.5
    rise_s: float = 2e-6
    noise_v: float = 0.01
    jitter_pct: float = 0.05
    offset_v: float = 0.0
    clip_v: float = np.inf
    coil_v_per_hz: float | None = None
    reversed_leads: bool = False
    lost_below_hz: float = 0.0
    dropouts: int = 0
    spikes: int = 0
    spike_v: float = 6.0


def capture(
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
    tooth_hz = ring.teeth * np.gradient(turned, time_s)
    if pickup.coil_v_per_hz is not None:
        # A tooth stands before the coil where the phase is whole; about a missing one the volts stand still for a pitch.
        phase = np.interp(turned, places, np.arange(len(places)))
        here = np.clip(np.rint(phase).astype(int), 0, len(kept) - 1)
        swing = -np.sin(2 * np.pi * phase) * (-1.0 if pickup.reversed_leads else 1.0)
        heard = kept[here] & ~_lost(rng, pickup, tooth_hz, rate_hz)
        signal = swing * pickup.coil_v_per_hz * tooth_hz * heard
    else:
        signal = _square(ring, pickup, time_s, turned, places[kept])
        signal = np.where(_lost(rng, pickup, tooth_hz, rate_hz), pickup.high_v, signal)
    signal = signal + pickup.offset_v + rng.normal(0, pickup.noise_v, len(time_s))
    for at in rng.integers(0, len(time_s), pickup.spikes):
        signal[at : at + max(3, int(rate_hz / tooth_hz[at] / 12))] += pickup.spike_v * rng.choice([-1.0, 1.0])
    return time_s, np.clip(signal, -pickup.clip_v, pickup.clip_v)


def _square(ring: Ring, pickup: Pickup, time_s: Floats, turned: Floats, places: Floats) -> Floats:
    """Volts of an output that switches at each place, before anything disturbs them."""
    stamps = np.empty(2 * len(places))
    stamps[::2], stamps[1::2] = places, places + pickup.duty / ring.teeth
    levels = np.tile([0.0, 1.0, 1.0, 0.0], len(places))
    soft = pickup.rise_s * np.interp(stamps, turned, np.gradient(turned, time_s)) / 2
    corners = np.empty(4 * len(places))
    corners[0::4], corners[1::4] = stamps[::2] - soft[::2], stamps[::2] + soft[::2]
    corners[2::4], corners[3::4] = stamps[1::2] - soft[1::2], stamps[1::2] + soft[1::2]
    signal: Floats = pickup.low_v + (pickup.high_v - pickup.low_v) * np.interp(turned, corners, levels)
    return signal


def _lost(rng: np.random.Generator, pickup: Pickup, tooth_hz: Floats, rate_hz: float) -> NDArray[np.bool_]:
    """Where no pulse comes through."""
    gone: NDArray[np.bool_] = tooth_hz < pickup.lost_below_hz
    for at in rng.integers(len(tooth_hz) // 10, len(tooth_hz) * 8 // 10, pickup.dropouts):
        gone[at : at + int(4 * rate_hz / tooth_hz[at])] = True
    return gone
