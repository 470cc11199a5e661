"""A coil's volts: how they go with the speed, and whether they are the same at every tooth.

Volts over frequency are the flux that a tooth moves, whatever the speed; folded by the ring's teeth they show the air gap round
the turn. Leaves out what is wrong with it (`findings`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.edges import local_period_s
from irongauge.core.pulses.ring import RingFigures, number_teeth, turn_basis
from irongauge.core.pulses.train import WHOLE
from irongauge.core.pulses.waveform import Shape, WaveformFigures

Floats = NDArray[np.float64]

__all__ = ["Swing", "measure_swing"]

_LEAST_PULSES = 30  # a turn or two of the smallest rings
_VARIES = 1.3  # speeds this many times apart show how volts go with speed
_GROUPS = 12  # points of the line of volts over speed
_A_TURN = 31  # pulses that are taken for a turn where nobody knows its teeth
_LEAST_TURNS = 3  # so that what one turn alone shows is outvoted
_LOW_TOOTH = 0.2  # of the volts: a tooth of half height takes a quarter from the two swings beside it


@dataclass(frozen=True, kw_only=True)
class Swing:
    """Peak to peak. `volts_per_hz` is the median; `rise_power` the power of the speed with which volts rise, None where the speed
    hardly varied; `over_turn_pct` half of what they vary by as a wave over the turn, in % of their mean; `low_teeth` give
    markedly less than their neighbours, `low_pct` by how much.
    """

    volts_per_hz: float | None = None
    rise_power: float | None = None
    over_turn_pct: float | None = None
    low_teeth: tuple[int, ...] = ()
    low_pct: float = 0.0


def measure_swing(
    time_s: Floats, signal_v: Floats, figures: WaveformFigures, pulses_s: Floats, ring: RingFigures | None
) -> Swing:
    """The swing of every pulse of a coil; nothing of an output that switches."""
    if figures.shape is not Shape.SINE or len(pulses_s) < _LEAST_PULSES:
        return Swing()
    at = np.searchsorted(time_s, pulses_s)
    periods = np.diff(pulses_s)
    whole = periods < WHOLE * local_period_s(periods)
    swing_v = (np.maximum.reduceat(signal_v, at) - np.minimum.reduceat(signal_v, at))[:-1]
    flux = swing_v * periods
    turn_pct, low_teeth, low_pct = _over_turn(flux, whole, pulses_s, ring)
    teeth = _A_TURN if ring is None else ring.teeth - len(ring.missing)
    return Swing(
        volts_per_hz=float(np.median(flux[whole])),
        rise_power=_rise_power(periods[whole], swing_v[whole], teeth),
        over_turn_pct=turn_pct,
        low_teeth=low_teeth,
        low_pct=low_pct,
    )


def _rise_power(periods_s: Floats, swing_v: Floats, teeth: int) -> float | None:
    """Slope of the logarithms of volts and speed. Both are means over a turn: teeth that differ are no change of speed."""
    over = min(max(teeth, 2), len(periods_s) // 3)
    if over <= 1:
        return None
    weights = np.ones(over) / over
    hertz, volts = 1 / np.convolve(periods_s, weights, mode="valid"), np.convolve(swing_v, weights, mode="valid")
    order = np.argsort(hertz)
    # Of each group of like speeds the median, so that a spike or a lost pulse does not count.
    groups = [
        (float(np.median(f)), float(np.median(v)))
        for f, v in zip(np.array_split(hertz[order], _GROUPS), np.array_split(volts[order], _GROUPS), strict=True)
        if len(f)
    ]
    speeds, swings = (np.array(side) for side in zip(*groups, strict=True))
    if speeds.max() < _VARIES * speeds.min():
        return None
    return float(np.polyfit(np.log(speeds), np.log(np.maximum(swings, 1e-6)), 1)[0])


def _over_turn(
    flux: Floats, whole: NDArray[np.bool_], pulses_s: Floats, ring: RingFigures | None
) -> tuple[float | None, tuple[int, ...], float]:
    if ring is None or ring.turns < _LEAST_TURNS:
        return None, (), 0.0
    numbers, _ = number_teeth(pulses_s)
    place = numbers[:-1] % ring.teeth
    use = whole & ~np.isin(place, [(at + step) % ring.teeth for at in ring.missing for step in (-2, -1, 0, 1)])
    if not use.any():
        return None, (), 0.0
    # One turn's mean is taken for the speed's part, so that a loaded coil at a changing speed is no uneven ring.
    over = min(ring.teeth, len(flux))
    level = np.convolve(
        np.pad(flux, (over // 2, over - 1 - over // 2), mode="edge"), np.ones(over) / over, mode="valid"
    )
    share = flux / np.maximum(level, 1e-12)
    shares = {at: share[use & (place == at)] for at in range(ring.teeth)}
    shares = {at: of for at, of in shares.items() if len(of) >= _LEAST_TURNS - 1}
    places = np.array(list(shares), dtype=np.intp)
    if len(places) < 4:  # noqa: PLR2004  fewer teeth make no wave
        return None, (), 0.0
    folded = np.array([np.median(of) for of in shares.values()])
    basis = turn_basis(places, ring.teeth)
    middle = np.abs(folded - np.median(folded))
    calm = middle <= max(4 * 1.4826 * float(np.median(middle)), 0.02)
    weights = np.linalg.lstsq(basis[calm], folded[calm], rcond=None)[0] if calm.sum() > len(basis[0]) else np.zeros(3)
    rest, mean = folded - basis @ weights, max(float(weights[-1]), 1e-9)
    low = tuple(int(at) for at in places[rest < -_LOW_TOOTH * mean])
    worst = float(-rest.min() / mean) if low and weights[-1] > 0 else 0.0
    return 100 * float(np.hypot(*weights[:-1]) / mean), low, 100 * worst
