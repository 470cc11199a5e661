"""Waveforms from the physics of the part, not from the pickup that ships with the application: what a scope is shown in a shop.

A turning angle with its own unrest, the field that the teeth make of it, an output with its resistors and its capacitance (or a
coil: the field's derivative), what else gets onto the wire, and a scope with eight to twelve bits. The pulses are never placed
by their times, so that nothing here agrees with how they are looked for.

Each wave comes with what may be said of it: `right` are the findings one of which must be named (none: it must pass), `honest`
those that are no answer but no error either.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["KINDS", "FieldWave", "draw_wave"]

Floats = NDArray[np.float64]
_GRID = 36_000  # points of a turn at which the field is known
_NEAR = 0.85  # of a pitch
_STEEP = 0.05  # samples: an edge is over between two of them


@dataclass(frozen=True, kw_only=True)
class FieldWave:
    """A capture, what is told of it, and what may be said; `hertz` is the rate of the pitches, gaps counted, where it stands."""

    time_s: Floats
    signal_v: Floats
    told: Mapping[str, Any]
    right: frozenset[str]
    teeth: int | None
    hertz: float | None = None


@dataclass(kw_only=True)
class _Set:
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


def _field(s: _Set) -> Floats:
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


def _turned(s: _Set, time_s: Floats) -> Floats:
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


def _sent(low: NDArray[np.bool_], s: _Set) -> Floats:
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


def _captured(s: _Set) -> tuple[Floats, Floats]:
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


def _usual(rng: np.random.Generator, *, coil: bool) -> _Set:
    teeth = int(rng.integers(18, 70))
    s = _Set(rng=rng, teeth=teeth, turn_hz=float(rng.uniform(3, 40)), turns=float(rng.uniform(8, 24)))
    s.per_tooth = float(rng.uniform(45, 160))
    s.bits = int(rng.choice([8, 10, 12]))
    if coil:
        s.coil_v = float(10 ** rng.uniform(0.0, 1.3))
        s.noise_v = s.coil_v * float(rng.uniform(0.001, 0.008))
    else:
        s.low_v, s.high_v = float(rng.uniform(0.02, 0.5)), float(rng.uniform(4.6, 5.1))
        s.rise_tau, s.noise_v = float(rng.uniform(0.0, 0.02)), float(rng.uniform(0.002, 0.03))
    return s


_Made = tuple[_Set, dict[str, Any], set[str]]
_Make = Callable[[np.random.Generator], _Made]
_EITHER = {"missing tooth or index gap"}


def _told(s: _Set, *, teeth: bool = True) -> dict[str, Any]:
    told: dict[str, Any] = {} if s.coil_v is not None or s.shunt else {"pull_up_v": 5.0}
    if teeth:
        told |= {"teeth": s.teeth}
    return told


def _clean_hall(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    return s, _told(s, teeth=bool(rng.integers(0, 2))), set()


def _clean_coil(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    return s, _told(s, teeth=bool(rng.integers(0, 2))), set()


def _clean_sweep(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.end_turn_hz = s.turn_hz * float(rng.choice([0.5, 2.0, 3.0]))
    s.per_tooth *= 2
    return s, _told(s, teeth=bool(rng.integers(0, 2))), set()


def _gap_told(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.gap = int(rng.integers(1, 3))
    if rng.integers(0, 2):  # a gap just inside one end of the capture
        s.starts_at = (s.teeth - s.gap - 1.5) / s.teeth
    return s, {**_told(s), "gap_teeth": s.gap}, set()


def _gap_untold(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.gap = int(rng.integers(1, 3))
    return s, _told(s, teeth=False), _EITHER


def _gap_sweep(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.gap, s.end_turn_hz, s.per_tooth = int(rng.integers(1, 3)), s.turn_hz * float(rng.choice([0.4, 2.5])), 150.0
    return s, {**_told(s), "gap_teeth": s.gap}, set()


def _teeth_mistold(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.gap = 1
    return s, {**_told(s), "teeth": s.teeth + int(rng.choice([-1, 1])), "gap_teeth": 1}, {"teeth do not fit"}


def _missing(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.missing = (int(rng.integers(3, s.teeth - 3)),)
    return s, {**_told(s), "gap_teeth": 0}, {"missing tooth"}


def _late(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.per_tooth = max(s.per_tooth, 80)
    s.late = {int(rng.integers(3, s.teeth - 3)): float(rng.choice([-1, 1]) * rng.uniform(0.035, 0.1))}
    return s, _told(s), {"uneven tooth"}


def _late_slow_sampling(rng: np.random.Generator) -> _Made:
    s, told, _ = _late(rng)
    s.per_tooth = float(rng.uniform(2.2, 4.5))
    s.turns *= 2
    return s, told, {"sampled too slowly"}


def _ripple(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.ripple = ((float(rng.choice([2, 3, 4])), float(rng.uniform(0.015, 0.05))),)
    s.per_tooth = max(s.per_tooth, 80)  # what is less than a sample of a period nobody sees
    return s, _told(s, teeth=bool(rng.integers(0, 2))), {"speed swings with the turn"}


def _once_a_turn(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.ripple = ((1.0, float(rng.uniform(0.02, 0.08))),)
    return s, _told(s), {"speed swings with the turn", "run-out"}


def _gap_run_out(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.eccentric = float(rng.uniform(0.25, 0.6))
    return s, _told(s), {"volts vary over the turn"}


def _low_tooth(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.low_tooth = int(rng.integers(3, s.teeth - 3))
    return s, _told(s), {"volts vary over the turn", "uneven tooth", "missing tooth"}


def _bounce(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.bounce, s.teeth, s.per_tooth, s.turns = True, int(rng.choice([1, 2, 4, 6, 8])), 400.0, 40.0
    s.rise_tau = 0.0
    return s, _told(s), {"contact bounce"}


def _hum_standing(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.coil_v, s.hum_v, s.turn_hz, s.turns = 1e-6, float(rng.uniform(0.05, 0.8)), 5.0, 3.0
    s.noise_v = s.hum_v * 0.02
    return s, {}, {"mains hum"}


def _hum_under(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.coil_v = float(rng.uniform(0.3, 1.0))
    s.hum_v, s.turns, s.noise_v = s.coil_v * float(rng.uniform(0.2, 0.45)), 20.0, s.coil_v * 0.004
    s.turn_hz = float(rng.uniform(4, 12))
    return s, _told(s), {"mains hum"}


def _lost(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.pulses_lost = float(rng.uniform(0.2, 0.5)), float(rng.uniform(0.05, 0.3))
    if rng.integers(0, 2):
        s.end_turn_hz = s.turn_hz * 1.5
    return s, _told(s), {"pulses drop out"}


def _small(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.low_v, s.high_v, s.noise_v, s.bits = 0.02, 0.11, 0.001, 12
    return s, {"teeth": s.teeth}, {"small swing"}


def _below_ground(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.low_v, s.high_v = -float(rng.uniform(0.4, 0.9)), 4.6
    return s, {"teeth": s.teeth}, {"low level below ground"}


def _one_sided(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    s.coil_v = float(rng.uniform(2, 20))
    s.noise_v = s.coil_v * float(rng.uniform(0.001, 0.008))
    s.clamp = (-0.6, np.inf) if rng.integers(0, 2) else (-np.inf, 0.6)
    return s, _told(s), {"flat tops"}


def _cut(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=True)
    assert s.coil_v is not None
    at = float(rng.uniform(0.2, 0.4)) * s.coil_v
    s.clamp = (-at, at)
    return s, _told(s), {"flat tops"}


def _current(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    shunt_ohm = float(rng.choice([47.0, 100.0, 220.0]))
    s.low_v, s.high_v, s.shunt = 0.007 * shunt_ohm, 0.014 * shunt_ohm, True
    s.noise_v = 0.004 * s.high_v
    return s, {"teeth": s.teeth, "shunt_ohm": shunt_ohm}, set()


def _current_untold(rng: np.random.Generator) -> _Made:
    s, told, _ = _current(rng)
    return s, {"teeth": told["teeth"]}, {"two-wire current sensor"}


def _current_coded(rng: np.random.Generator) -> _Made:
    s, told, _ = _current(rng)
    s.protocol = "widths"
    s.per_tooth, s.rise_tau = float(rng.uniform(100, 200)), 0.0
    return s, told, set()


def _current_with_data(rng: np.random.Generator) -> _Made:
    s, told, _ = _current_coded(rng)
    s.protocol = "bits"
    return s, told, set()


def _two_pull_ups(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.low_v = float(rng.uniform(1.0, 2.0))
    return s, _told(s), {"low level too high"}


def _weak_pull_up(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.high_v = float(rng.uniform(2.0, 3.2))
    return s, _told(s), {"high level too low"}


def _slow(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.rise_tau = float(rng.uniform(0.09, 0.14))
    return s, _told(s), {"slow edges"}


def _spiked(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.spikes, s.rise_tau = 15, 0.0
    return s, _told(s), {"extra pulses"}


def _stands(x: Floats) -> Floats:
    """Braked to a stand, and away again."""
    return np.where(x < 0.4, 1 - x / 0.4, np.where(x < 0.6, 0.0, (x - 0.6) / 0.4))  # noqa: PLR2004


_SPEEDS: tuple[Callable[[Floats], Floats], ...] = (
    _stands,
    lambda x: 1 - np.exp(-3.5 * x),  # away against its own drag
    lambda x: np.exp(-2.5 * x),  # let run out
    lambda x: np.where(x < 0.35, 0.4 + 0.06 * np.sin(40 * x), 1 - 0.6 * np.exp(-6 * (x - 0.35))),  # noqa: PLR2004  a starter
)


def _changes(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=False)
    s.speed = _SPEEDS[int(rng.integers(0, len(_SPEEDS)))]
    s.turns, s.per_tooth = 30.0, 150.0
    return s, _told(s, teeth=bool(rng.integers(0, 2))), set()


def _little_hum(rng: np.random.Generator) -> _Made:
    s, told, right = _hum_under(rng)
    assert s.coil_v is not None
    s.hum_v = s.coil_v * float(rng.uniform(0.05, 0.075))  # of an amplitude of half of it
    return s, told if rng.integers(0, 2) else {}, right


def _unequal(rng: np.random.Generator) -> _Made:
    s = _usual(rng, coil=bool(rng.integers(0, 2)))
    s.teeth, s.per_tooth, s.turns = int(rng.integers(3, 13)), 200.0, 24.0
    s.late = {at: float(rng.choice([-1, 1]) * rng.uniform(0.12, 0.22)) for at in range(s.teeth)}
    s.late[0] = -0.2
    s.late[1] = 0.2
    return s, _told(s, teeth=bool(rng.integers(0, 2))), {"teeth stand unequal"}


def _angles(s: _Set) -> list[float]:
    return [(at + s.late.get(at, 0.0)) * 360 / s.teeth % 360 for at in range(s.teeth)]


def _unequal_told(rng: np.random.Generator) -> _Made:
    s, _, _ = _unequal(rng)
    return s, {**_told(s, teeth=False), "angles_deg": _angles(s)}, set()


def _unequal_bent(rng: np.random.Generator) -> _Made:
    s, _, _ = _unequal(rng)
    s.teeth = max(s.teeth, 5)
    told = {**_told(s, teeth=False), "angles_deg": _angles(s)}
    s.late[2] = s.late.get(2, 0.0) + float(rng.choice([-1, 1]) * rng.uniform(0.05, 0.1))
    return s, told, {"uneven tooth"}


KINDS: Mapping[str, _Make] = {
    "clean, switching": _clean_hall,
    "clean, coil": _clean_coil,
    "clean, speed changes": _clean_sweep,
    "index gap, told": _gap_told,
    "index gap, not told": _gap_untold,
    "index gap on a coil, fast sweep": _gap_sweep,
    "teeth mistold": _teeth_mistold,
    "a tooth missing": _missing,
    "a tooth out of place": _late,
    "sampled too slowly": _late_slow_sampling,
    "combustion or joint in the shaft": _ripple,
    "speed swings once a turn": _once_a_turn,
    "gap varies over the turn": _gap_run_out,
    "one low tooth": _low_tooth,
    "contact bounce": _bounce,
    "hum at a standstill": _hum_standing,
    "hum under a weak coil": _hum_under,
    "signal lost for a while": _lost,
    "a swing of 90 mV": _small,
    "low level below ground": _below_ground,
    "coil clamped to one side": _one_sided,
    "coil cut on both sides": _cut,
    "two-wire current sensor, shunt told": _current,
    "two-wire current sensor, not told": _current_untold,
    "two-wire current sensor, coded widths": _current_coded,
    "two-wire current sensor, data behind the pulse": _current_with_data,
    "two pull-ups": _two_pull_ups,
    "weak pull-up": _weak_pull_up,
    "slow edges": _slow,
    "spikes": _spiked,
    "away, run out, through a stand": _changes,
    "a little hum under a coil": _little_hum,
    "teeth made unequal, not told": _unequal,
    "teeth made unequal, told": _unequal_told,
    "teeth made unequal, told, one bent": _unequal_bent,
}


def draw_wave(kind: str, seed: int) -> FieldWave:
    """One wave of a kind; the same for the same seed."""
    s, told, right = KINDS[kind](np.random.default_rng([len(kind), seed]))
    time_s, signal_v = _captured(s)
    steady = s.end_turn_hz is None and s.speed is None and not s.hum_v and s.pulses_lost is None
    teeth = None if kind in {"hum at a standstill", "sampled too slowly"} else s.teeth
    return FieldWave(
        time_s=time_s,
        signal_v=signal_v,
        told=told,
        right=frozenset(right),
        teeth=teeth,
        hertz=s.teeth * s.turn_hz if steady and teeth else None,
    )
