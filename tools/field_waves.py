"""Waveforms of all kinds that a scope is shown in a shop, from the physics of the part (`field_scope`).

Each wave comes with what may be said of it: `right` are the findings one of which must be named (none: it must pass), `honest`
those that are no answer but no error either.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tools.field_scope import SetUp, captured

__all__ = ["KINDS", "FieldWave", "draw_wave"]

Floats = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class FieldWave:
    """A capture, what is told of it, and what may be said; `hertz` is the rate of the pitches, gaps counted, where it stands."""

    time_s: Floats
    signal_v: Floats
    told: Mapping[str, Any]
    right: frozenset[str]
    teeth: int | None
    hertz: float | None = None


def _usual(rng: np.random.Generator, *, coil: bool) -> SetUp:
    teeth = int(rng.integers(18, 70))
    s = SetUp(rng=rng, teeth=teeth, turn_hz=float(rng.uniform(3, 40)), turns=float(rng.uniform(8, 24)))
    s.per_tooth = float(rng.uniform(45, 160))
    s.bits = int(rng.choice([8, 10, 12]))
    if coil:
        s.coil_v = float(10 ** rng.uniform(0.0, 1.3))
        s.noise_v = s.coil_v * float(rng.uniform(0.001, 0.008))
    else:
        s.low_v, s.high_v = float(rng.uniform(0.02, 0.5)), float(rng.uniform(4.6, 5.1))
        s.rise_tau, s.noise_v = float(rng.uniform(0.0, 0.02)), float(rng.uniform(0.002, 0.03))
    return s


_Made = tuple[SetUp, dict[str, Any], set[str]]
_Make = Callable[[np.random.Generator], _Made]
_EITHER = {"missing tooth or index gap"}


def _told(s: SetUp, *, teeth: bool = True) -> dict[str, Any]:
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


def _angles(s: SetUp) -> list[float]:
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
    time_s, signal_v = captured(s)
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
