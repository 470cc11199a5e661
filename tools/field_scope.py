"""A waveform from the physics of the part: a set-up, the field its teeth make, what a scope captures of it.

A turning angle with its own unrest, the field that the teeth make of it, an output with its resistors and its capacitance (or a
coil: the field's derivative), what else gets onto the wire, and a scope with eight to twelve bits. The pulses are never placed
by their times, so that nothing here agrees with how they are looked for.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

__all__ = ["SetUp", "captured"]

Floats = NDArray[np.float64]
_GRID = 36_000  # points of a turn at which the field is known
_NEAR = 0.85  # of a pitch
_STEEP = 0.05  # samples: an edge is over between two of them


@dataclass(kw_only=True)
class SetUp:
    """A set-up that is drawn anew for each wave and then bent by what is wrong."""

    rng: np.random.Generator
    teeth: int = 48
    gap: int = 0
    turn_hz: float = 10.0
    end_turn_hz: float | None = None
    turns: float = 12.0
    late: dict[int, float] = field(default_factory=dict)
    missing: tuple[int, ...] = ()
    eccentric: float = 0.0
    low_tooth: int | None = None
    ripple: tuple[tuple[float, float], ...] = ()
    per_tooth: float = 80.0
    coil_v: float | None = None
    low_v: float = 0.1
    high_v: float = 5.0
    rise_tau: float = 0.004
    noise_v: float = 0.01
    bits: int = 10
    hum_v: float = 0.0
    bounce: bool = False
    pulses_lost: tuple[float, float] | None = None
    spikes: int = 0
    clamp: tuple[float, float] = (-np.inf, np.inf)
    starts_at: float | None = None
    shunt: bool = False
    speed: Callable[[Floats], Floats] | None = None  # of the share of the capture that is gone, in turn_hz
    protocol: str = ""


def _smooth(x: Floats) -> Floats:
    return 0.5 * (1 + np.tanh(x))


def _field(s: SetUp) -> Floats:
    """The field over one turn: a bump for each tooth, wider and lower the larger the gap there."""
    turn = np.arange(_GRID) / _GRID
    total = np.zeros(_GRID)
    width, soft = s.rng.uniform(0.4, 0.55), (0.16 if s.coil_v is not None else s.rng.uniform(0.05, 0.14))
    stand = np.sort([at + s.late.get(at, 0.0) for at in range(s.teeth)])
    nearest = min(1.0, float(np.diff(np.append(stand, stand[0] + s.teeth)).min()))
    if nearest < _NEAR:  # teeth that stand near each other are narrow, or a sensor would not part them
        width, soft = width * nearest, soft * nearest
    left_out = set(range(s.teeth - s.gap, s.teeth)) | set(s.missing)
    for at in range(s.teeth):
        if at in left_out:
            continue
        off = ((turn - (at + s.late.get(at, 0.0)) / s.teeth + 0.5) % 1 - 0.5) * s.teeth
        size = 0.4 if at == s.low_tooth else 1.0
        total += size * (_smooth((off + width / 2) / soft) - _smooth((off - width / 2) / soft))
    if s.eccentric:
        gap_mm = 1 + s.eccentric * np.cos(2 * np.pi * turn)
        total = (total - total.mean()) * np.exp(-1.2 * (gap_mm - 1))
    return total


def _turned(s: SetUp, time_s: Floats) -> Floats:
    """Turns gone at each time."""
    end = s.turn_hz if s.end_turn_hz is None else s.end_turn_hz
    turns = s.turn_hz * time_s + (end - s.turn_hz) / (2 * time_s[-1]) * time_s**2
    if s.speed is not None:
        turns = s.turn_hz * np.cumsum(s.speed(time_s / time_s[-1])) * (time_s[1] - time_s[0])
    start = s.rng.uniform() if s.starts_at is None else s.starts_at
    for order, share in s.ripple:
        turns = turns + share / (2 * np.pi * order) * np.sin(2 * np.pi * order * turns + s.rng.uniform(0, 6.28))
    found: Floats = turns + start
    return found


def _comparator(wave: Floats, low: float, high: float) -> NDArray[np.bool_]:
    """True while the field is held high, with the part's own hysteresis."""
    state = np.where(wave > high, 1, np.where(wave < low, 0, -1))
    known = np.flatnonzero(state >= 0)
    if len(known) == 0:
        return np.zeros(len(wave), dtype=bool)
    at = np.searchsorted(known, np.arange(len(wave)), side="right") - 1
    held: NDArray[np.bool_] = state[known[np.maximum(at, 0)]] > 0
    return held


def _lagged(target: Floats, tau: float) -> Floats:
    """A resistor into a capacitance on the rise, a transistor on the fall; `tau` in samples."""
    if tau < _STEEP:
        return target
    out = np.empty_like(target)
    level, keep = target[0], np.exp(-1 / tau)
    for at, wanted in enumerate(target):
        level = wanted if wanted < level else wanted + (level - wanted) * keep
        out[at] = level
    return out


def _bounced(low: NDArray[np.bool_], rng: np.random.Generator, samples: int) -> NDArray[np.bool_]:
    """Contacts that chatter for a few samples at each edge."""
    out = low.copy()
    for edge in np.flatnonzero(np.diff(low.astype(np.int8))) + 1:
        at = edge + int(rng.integers(1, samples))
        for _ in range(int(rng.integers(1, 4))):
            wide = int(rng.integers(1, samples))
            out[at : at + wide] = ~low[at : at + wide]
            at += wide + int(rng.integers(1, samples))
    return out


def _sent(low: NDArray[np.bool_], s: SetUp) -> Floats:
    """A current sensor that sends at each tooth: a pulse whose width is a word, or one of double current with bits behind it."""
    volts = np.full(len(low), s.low_v)
    unit = max(3, int(0.04 * s.per_tooth))
    for edge in np.flatnonzero(np.diff(low.astype(np.int8)) > 0) + 1:
        if s.protocol == "widths":
            wide = unit * (2 if s.rng.uniform() < 0.8 else 4)  # noqa: PLR2004
            volts[edge : edge + wide] = s.high_v
            continue
        volts[edge : edge + unit] = 2 * s.high_v
        for bit, is_one in enumerate(s.rng.integers(0, 2, 8)):
            at = edge + unit * (bit + 2)
            half = unit // 2
            volts[at + (half if is_one else 0) : at + (unit if is_one else half)] = s.high_v
    return volts


def captured(s: SetUp) -> tuple[Floats, Floats]:
    rate_hz = s.per_tooth * s.teeth * max(s.turn_hz, s.end_turn_hz or 0.0)
    seconds = 2 * s.turns / (s.turn_hz + (s.end_turn_hz or s.turn_hz))
    # An edge that a resistor slows is timed finer than the scope's samples are.
    finer = 4 if s.coil_v is None and s.rise_tau * s.per_tooth > _STEEP else 1
    n = int(seconds * rate_hz) * finer
    time_s = np.arange(n) / (rate_hz * finer)
    turned = _turned(s, time_s)
    profile = _field(s)
    grid = np.arange(_GRID + 1) / _GRID
    wave = np.interp(turned % 1, grid, np.append(profile, profile[0]))
    if s.coil_v is not None:
        flux_rate = np.gradient(wave, time_s)
        usual = float(np.percentile(np.abs(flux_rate), 97))
        volts = s.coil_v / 2 * flux_rate / usual
    else:
        low = _comparator(
            wave, float(profile.min() + 0.4 * np.ptp(profile)), float(profile.min() + 0.6 * np.ptp(profile))
        )
        if s.bounce:
            low = _bounced(low, s.rng, max(2, int(0.03 * s.per_tooth)))
        volts = (
            _sent(low, s) if s.protocol else _lagged(np.where(low, s.low_v, s.high_v), s.rise_tau * s.per_tooth * finer)
        )
        time_s, volts = time_s[::finer], volts[::finer]
        n = len(time_s)
    if s.pulses_lost is not None:
        begin, wide = s.pulses_lost
        gone = (time_s > begin * seconds) & (time_s < (begin + wide) * seconds)
        volts = np.where(gone, 0.0 if s.coil_v is not None else s.low_v, volts)
    if s.hum_v:
        volts = volts + s.hum_v * np.sin(2 * np.pi * 50.0 * time_s + s.rng.uniform(0, 6))
    for at in s.rng.integers(n // 20, n - n // 20, s.spikes):
        wide = max(2, int(0.05 * s.per_tooth))
        volts[at : at + wide] += s.rng.choice([-1, 1]) * (s.high_v if s.coil_v is None else s.coil_v)
    volts = np.clip(volts, *s.clamp) + s.rng.normal(0, s.noise_v, n)
    full = 1.2 * max(float(np.abs(volts).max()), 0.05)
    step = 2 * full / 2**s.bits
    return time_s, np.round(volts / step) * step
