"""The ring behind the pulses: missing and uneven teeth with their place, run-out, the joints of a split ring.

The shaft's own speed is taken out by the mean period over exactly one turn around each tooth, in which a ring's errors cancel.
What is left, folded by the number of teeth and averaged over the turns, is the ring: a once-per-turn wave is run-out, a single
step there and back is a tooth out of place, two steps half a turn apart are the joints of a split ring.
"""

from __future__ import annotations

import math
import warnings
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.edges import local_period_s

Floats = NDArray[np.float64]

__all__ = [
    "RingFault",
    "RingFigures",
    "RingFinding",
    "angles_of",
    "examine_ring",
    "number_teeth",
    "swing_of_pitch",
    "teeth_of",
    "turn_basis",
]

_LEAST_TURNS = 3  # so that one turn's slip shows against two others
_SIGMAS = 6.0  # of the mean over the turns, before a tooth is called uneven
_LEAST_PCT = 1.0  # of a pitch: smaller is no finding, whatever its significance
_EXPLAINS, _AS_WELL = 25.0, 0.6  # F ratios: enough to say a number of teeth, and to prefer a divisor of it
_TOLD_AS_WELL = 0.1  # of what the best explains, where its F ratio is enough
_TELLS = 0.004  # of a pitch: what comes back but is smaller is the sampling's beat, no tooth
_OF_A_BEAT = 1.25  # of what sampling leaves open: an edge at either end of a period
_ALIKE = 0.25  # of what two joints are off, that they may differ by
_MOST_WAVES = 6  # a turn: cylinders of a crankshaft, joints of a shaft
_TEETH_TO_A_WAVE = 5  # fewer would let a wave through single teeth
_LEAST_FOR_WAVES, _LEAST_WAVES = 48, 4  # pulses, and waves among them, before one counts
_PULSES_TO_A_WAVE = 4
_OF_A_WAVE = 0.65  # of a sample: the beat of periods a sample long or short has 2/π as its first wave
_LEAST_SWING = 0.005  # of the speed: less is any shaft's
_ONE_LINE = 2.5  # times those three to six lines beside it
_WAVE_STANDS_OUT = 8.0  # times the median line of the spectrum
_OF_ENOUGH, _STANDS_OUT = 0.25, 2.5  # an F ratio that does where one tooth stands out by so many times what tells
_OF_ITS_WAVES = 0.3  # of the waves, that single teeth must be
_FEWEST_FOR_A_WAVE, _NEARLY_ALL = 6, 0.7  # teeth, and the share of what is left of them
_MOST = 0.6
_MOST_GAPS = 6  # a turn
_MISSING = 1.6  # a period this many times the local one lacks a tooth


class RingFault(StrEnum):
    """What is wrong with a ring."""

    MISSING = "missing tooth"
    UNEVEN = "uneven tooth"
    RUN_OUT = "run-out"
    SWINGS = "speed swings with the turn"
    JOINTS = "unequal joints"
    OPEN_JOINTS = "both joints alike"


@dataclass(frozen=True)
class RingFinding:
    """One finding. `tooth` counts from the first edge of the capture, 0 for it; `size_pct` is in % of a pitch."""

    fault: RingFault
    tooth: int
    size_pct: float
    sentence: str


@dataclass(frozen=True, kw_only=True)
class RingFigures:
    """A ring of `teeth`, missing ones counted, over `turns`.

    `error_pct` has for each tooth the mean error of the period that begins there, in % of a pitch, shape (teeth,); `spread_pct`
    the standard error of those means; `frequency_hz` counts pitches, gaps too, over whole turns; `run_out_pct` the amplitude
    of the once-per-turn wave in them. `made_deg` are the angles of teeth that are made unequal, none where they stand alike.
    """

    teeth: int
    turns: float
    frequency_hz: float
    error_pct: Floats
    spread_pct: float
    run_out_pct: float
    missing: tuple[int, ...]
    findings: tuple[RingFinding, ...]
    made_deg: tuple[float, ...] = ()


def number_teeth(edges_s: Floats) -> tuple[NDArray[np.int64], Floats]:
    """Each edge's number, gaps of missing teeth counted, and its time."""
    periods = np.diff(edges_s)
    local = local_period_s(periods)
    steps = np.where(periods > _MISSING * local, np.rint(periods / local), 1.0).astype(np.int64)
    return np.concatenate(([0], np.cumsum(np.maximum(steps, 1)))), edges_s


def teeth_of(edges_s: Floats, resolution_s: float = 0.0, most: int = 200, told: int | None = None) -> int | None:
    """The number of teeth, from what comes back every turn; None where nothing does, as on a perfect ring.

    A gap that comes back is taken first; else the number of teeth whose folding explains most of the periods' variation. Only
    single teeth tell: a smooth wave may be the shaft's own, and what is below `resolution_s` the beat of the sampling. A number
    that was told and explains nearly as much is the one.
    """
    numbers, times = number_teeth(edges_s)
    gaps = numbers[:-1][np.diff(numbers) > 1]
    for a_turn in range(1, min(_MOST_GAPS, len(gaps) // _LEAST_TURNS) + 1):
        apart = gaps[a_turn:] - gaps[:-a_turn]
        # So many gaps as there were turns: a few lost pulses may lie equally far apart by chance.
        if (apart == apart[0]).all() and len(gaps) >= a_turn * (int(numbers[-1]) // int(apart[0]) - 1):
            return int(apart[0])
    if len(edges_s) != len(numbers) or len(gaps):
        return None
    periods = np.diff(times)
    width = min(len(periods) | 1, 31)
    if len(periods) < 2 * width:
        return None
    trend = np.convolve(periods, np.ones(width) / width, mode="valid")
    rest = periods[width // 2 : width // 2 + len(trend)] / trend - 1.0
    total = float((rest**2).sum())
    tells = max(_TELLS, _OF_A_BEAT * resolution_s / float(np.median(periods)))
    ratios, shares = {}, {}
    for teeth in range(3, min(most, len(rest) // _LEAST_TURNS) + 1):
        turns = len(rest) // teeth
        folded = _folded(rest, teeth)
        # What folding explains beyond what it would of noise alone, as an F ratio.
        explained = turns * float((folded**2).sum())
        left = max(total - explained, 1e-18)
        shares[teeth] = explained
        ratios[teeth] = (explained / teeth) / (left / max(len(rest) - teeth, 1))
    best = max(ratios, key=lambda teeth: ratios[teeth], default=None)
    if best is not None and told in ratios and ratios[told] > _EXPLAINS and shares[told] > _TOLD_AS_WELL * shares[best]:
        return told  # the sampling's beat with the teeth comes back later than the ring does
    # The fewer teeth, the likelier that chance alone folds well.
    enough = _EXPLAINS * (1 + 10 / (best or 1))
    if best is None or ratios[best] < _OF_ENOUGH * enough:
        return None
    return _least_that_shows(rest, ratios, best, tells if ratios[best] >= enough else _STANDS_OUT * tells, tells)


def _least_that_shows(
    rest: Floats, ratios: dict[int, float], best: int, least_shown: float, tells: float
) -> int | None:
    """A multiple of the right number explains nearly as much, so the least that divides it and shows its tooth as well counts."""
    shown = _AS_WELL * _single(_folded(rest, best), tells)
    divisors = (t for t in sorted(ratios) if best % t == 0 and ratios[t] >= _AS_WELL * ratios[best])
    least = next((t for t in divisors if _single(_folded(rest, t), tells) >= shown), best)
    # So few may be waves of the shaft.
    return least if least >= _FEWEST_FOR_A_WAVE and _single(_folded(rest, least), tells) >= least_shown else None


def _folded(rest: Floats, teeth: int) -> Floats:
    """The mean over the turns of each place, shape (teeth,)."""
    turns = len(rest) // teeth
    folded: Floats = rest[: turns * teeth].reshape(turns, teeth).mean(axis=0)
    return folded


def swing_of_pitch(edges_s: Floats, resolution_s: float = 0.0) -> float:
    """Amplitude of the one slow wave that stands out of the periods, as a share of them; 0 where none does.

    It needs no number of teeth. A wave shorter than four pulses may be teeth that differ, one longer than a fourth of the capture
    a speed that was changed.
    """
    periods = np.diff(edges_s)
    count = len(periods)
    if count < _LEAST_FOR_WAVES or (periods > _MISSING * local_period_s(periods)).any():
        return 0.0
    at = np.linspace(-1, 1, count)
    # A shaft that runs out slows evenly from tooth to tooth, so that its speed, not its period, is a line of their number.
    trend = 1 / np.polynomial.polynomial.polyval(at, np.polynomial.polynomial.polyfit(at, 1 / periods, 3))
    rest = periods / trend - 1
    sizes = _lines(rest)
    slow = sizes[_LEAST_WAVES : count // _PULSES_TO_A_WAVE]
    best = float(slow.max(initial=0.0))
    limit = max(
        _LEAST_SWING, _OF_A_WAVE * resolution_s / float(np.median(periods)), _WAVE_STANDS_OUT * float(np.median(sizes))
    )
    if best <= limit:
        return 0.0
    # What a start or a stop leaves is slow and falls off evenly; a wave of the shaft or the ring is one line.
    waves = _LEAST_WAVES + int(np.argmax(slow))
    beside = np.concatenate((sizes[max(1, waves - 6) : waves - 2], sizes[waves + 3 : waves + 7]))
    return best if best > _ONE_LINE * float(beside.max()) else 0.0


def _lines(rest: Floats) -> Floats:
    """Amplitudes of the waves in it, by their number, under a Hann window."""
    window = np.hanning(len(rest))
    sizes: Floats = 2 * np.abs(np.fft.rfft(rest * window)) / window.sum()
    return sizes


def _single(folded: Floats, apart: float) -> float:
    """The greatest error of one tooth of a folded turn, beyond smooth waves over the turn; 0 where those are far greater, so that
    what is left may be theirs.
    """
    waves, _ = _waves(folded, np.ones(len(folded), dtype=bool), apart)
    single = float(np.abs(folded - waves).max())
    return single if single > _OF_ITS_WAVES * float(np.abs(waves).max()) else 0.0


def examine_ring(
    edges_s: Floats, teeth: int, resolution_s: float = 0.0, pitches: Floats | None = None
) -> RingFigures | None:
    """The ring of so many teeth; None from fewer than three turns.

    `resolution_s` is how well an edge's time is known at best: where the sampling beats with the teeth, averaging over the turns
    does not better it. `pitches` are those of a ring whose teeth stand unequal on purpose, in mean pitches, shape (teeth,), from
    any of its teeth and either way round: errors are then about them.
    """
    numbers, times = number_teeth(edges_s) if pitches is None else (np.arange(len(edges_s)), edges_s)
    span = int(numbers[-1])
    if teeth <= 1 or span < _LEAST_TURNS * teeth:
        return None
    # Missing teeth get the time between their neighbours, so that one turn is always `teeth` apart.
    every = np.interp(np.arange(span + 1), numbers, times)
    seen = np.zeros(span + 1, dtype=bool)
    seen[numbers] = True
    turn_s = every[teeth:] - every[:-teeth]
    half = teeth // 2
    first = np.arange(half, span - (teeth - half) + 1)
    pitch_s = turn_s[first - half] / teeth
    if len(first) > len(pitch_s):
        first = first[: len(pitch_s)]
    last = min(len(first), span - half)
    first, pitch_s = first[:last], pitch_s[:last]
    error = (every[first + 1] - every[first]) / pitch_s - 1.0
    place = first % teeth
    usable = seen[first] & seen[first + 1]
    usable &= _steady(error, usable, teeth)
    counts = np.bincount(place[usable], minlength=teeth)
    sums = np.bincount(place[usable], weights=error[usable], minlength=teeth)
    mean = np.where(counts > 0, sums / np.maximum(counts, 1), 0.0)
    made = np.zeros(teeth) if pitches is None else _as_it_lies(mean + 1, pitches) - 1
    rest = error[usable] - mean[place[usable]]
    freedom = max(int(usable.sum()) - int((counts > 0).sum()), 1)
    scatter = math.sqrt(float((rest**2).sum()) / freedom)
    spread = scatter / math.sqrt(max(float(np.median(counts[counts > 0])), 1.0))
    mean -= made
    missing = _missing_places(numbers, teeth)
    known = counts > 0
    for gap in missing:  # a coil's wave is bent at both ends of a gap
        known[[(gap - 1) % teeth, gap, (gap + 1) % teeth]] = False
    least = max(_LEAST_PCT / 100, _OF_A_BEAT * resolution_s / float(np.median(pitch_s)))
    limits = _wave_limits(spread, teeth, resolution_s / float(np.median(pitch_s)))
    wave, fitted = _waves(mean, known, least, limits)
    sizes = np.zeros(len(limits))
    sizes[: len(fitted)] = fitted
    single = _one_wave(mean - wave) if known.all() else None
    if single is not None and single[1] > limits[single[0] - 1]:
        order, size, more = single
        wave = wave + more
        sizes[order - 1] = max(size, sizes[order - 1])
    figures = _findings(mean - wave, known, max(_SIGMAS * spread, least), limits=limits, waves=sizes, missing=missing)
    return RingFigures(
        teeth=teeth,
        turns=span / teeth,
        frequency_hz=_pitches_a_second(every, teeth),
        error_pct=100 * mean,
        spread_pct=100 * spread,
        run_out_pct=100 * float(sizes[0]),
        missing=missing,
        findings=figures,
        made_deg=() if pitches is None else angles_of(made + 1, 2),
    )


def angles_of(pitches: Floats, digits: int) -> tuple[float, ...]:
    """Angles in degrees of teeth that stand so far apart, the first at 0."""
    at = np.concatenate(([0.0], np.cumsum(pitches)[:-1])) * 360 / pitches.sum()
    return tuple(round(float(angle), digits) for angle in at)


def _as_it_lies(seen: Floats, pitches: Floats) -> Floats:
    """The pitches as the ring is made, turned and, where that fits better, mirrored to those seen."""
    ways = [np.roll(one, -by) for one in (pitches, pitches[::-1]) for by in range(len(pitches))]
    return min(ways, key=lambda one: float(((one - seen) ** 2).sum()))


def _pitches_a_second(every: Floats, teeth: int) -> float:
    """Over whole turns, in which a ring's errors and a shaft's swing cancel."""
    pitches = (len(every) - 1) // teeth * teeth
    return float(pitches / (every[pitches] - every[0]))


def _missing_places(numbers: NDArray[np.int64], teeth: int) -> tuple[int, ...]:
    """Places at which no edge came in most turns."""
    came = np.bincount(numbers % teeth, minlength=teeth)
    turns = numbers[-1] / teeth
    return tuple(int(at) for at in np.flatnonzero(came < 0.3 * turns))


def turn_basis(places: NDArray[np.intp], teeth: int, most: int = 1) -> Floats:
    """Waves over the turn at the given places, as columns: cosine and sine of each order up to `most`, and a level last."""
    angle = 2 * np.pi * places / teeth
    waves = [wave(order * angle) for order in range(1, most + 1) for wave in (np.cos, np.sin)]
    return np.column_stack([*waves, np.ones(len(places))])


def _waves(mean: Floats, known: NDArray[np.bool_], apart: float, limits: Floats | None = None) -> tuple[Floats, Floats]:
    """The level of the folded errors and the smooth waves in them, once a turn and more often, by least squares over the
    teeth that are there; and the amplitude of each wave. Those no greater than their `limits` are left out of the first;
    errors are not told apart that differ by less than `apart`.

    Single teeth out of place must not pull them, so they are fitted again without those far from the first fit.
    """
    most = min(_MOST_WAVES, max(1, len(mean) // _TEETH_TO_A_WAVE))
    basis = turn_basis(np.arange(len(mean)), len(mean), most)
    # Started without what stands out, since a few steps of the pitch make a wave of their own.
    middle = float(np.median(mean[known])) if known.any() else 0.0
    use = _most_of(known, np.abs(mean - middle) <= max(_far(np.abs(mean - middle)[known]), apart))
    weights: Floats = np.zeros(2 * most + 1)
    for _ in range(4):
        if use.sum() < 2 * most + 2:
            return np.full(len(mean), middle), np.zeros(most)
        weights = np.asarray(np.linalg.lstsq(basis[use], mean[use], rcond=None)[0], dtype=np.float64)
        off = np.abs(mean - basis @ weights)
        use = _most_of(known, off <= max(_far(off[known]), apart))
    sizes = np.hypot(*weights[:-1].reshape(-1, 2).T)
    if limits is not None:
        weights[:-1] *= np.repeat(sizes > limits[:most], 2)
    if known.all():
        weights[-1] = 0.0  # errors about a whole turn's mean have no level
    return basis @ weights, sizes


def _most_of(known: NDArray[np.bool_], near: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Those that are near, where they are most of what is known; few of them would bend a fit as they like."""
    both: NDArray[np.bool_] = known & near
    return both if both.sum() >= _MOST * known.sum() else known


def _one_wave(rest: Floats) -> tuple[int, float, Floats] | None:
    """A wave of one order that is nearly all of what is left of few teeth: its order, amplitude, and itself.

    One tooth out of place has all orders alike, so that none of them is nearly all.
    """
    lines = np.fft.rfft(rest)
    lines[0] = 0.0
    power = np.abs(lines) ** 2
    order = int(np.argmax(power))
    if len(rest) < _FEWEST_FOR_A_WAVE or order == 0 or power[order] < _NEARLY_ALL * power.sum():
        return None
    only = np.zeros_like(lines)
    only[order] = lines[order]
    wave: Floats = np.fft.irfft(only, len(rest))
    return order, float(np.abs(wave).max()), wave


def _far(sizes: Floats) -> float:
    """What lies further than this is no part of the scatter: four robust standard deviations."""
    return 4 * 1.4826 * float(np.median(sizes)) + 1e-12 if len(sizes) else 0.0


def _steady(error: Floats, usable: NDArray[np.bool_], teeth: int) -> NDArray[np.bool_]:
    """Errors that are like those of the same tooth in other turns: what comes once, as a lost pulse does, is not the ring's."""
    turns = -(-len(error) // teeth)
    row = np.full(turns * teeth, np.nan)
    row[: len(error)] = np.where(usable, error, np.nan)
    table = row.reshape(turns, teeth)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # a tooth that is missing in every turn has no median
        off = np.abs(table - np.nanmedian(table, axis=0)).ravel()[: len(error)]
    known = off[np.isfinite(off)]
    steady: NDArray[np.bool_] = off <= max(
        8 * 1.4826 * float(np.median(known)) if len(known) else 0.0, _LEAST_PCT / 200
    )
    return steady


def _wave_limits(spread: float, teeth: int, resolution: float) -> Floats:
    """The least amplitude of a wave, once a turn and more often, that is no chance, shape (teeth // 2,).

    The mean of n teeth is known √(n/2) times as well as one of them. The beat of the sampling makes one
    period in m a sample longer, whose first wave, of order n/m, has 2/m of it.
    """
    chance = max(_SIGMAS * spread / math.sqrt(teeth / 2), 0.5 * _LEAST_PCT / 100)
    orders = np.arange(1, max(teeth // 2, 1) + 1)
    limits: Floats = np.maximum(chance, resolution * np.minimum(2 * orders / teeth, 2 / 3))
    return limits


def _findings(
    rest: Floats,
    known: NDArray[np.bool_],
    limit: float,
    *,
    limits: Floats,
    waves: Floats,
    missing: tuple[int, ...],
) -> tuple[RingFinding, ...]:
    teeth = len(rest)
    found = [RingFinding(RingFault.MISSING, at, 100.0, f"Tooth {at + 1} of {teeth} is missing.") for at in missing]
    for order, size in enumerate(waves, 1):
        if size <= limits[order - 1]:
            continue
        said = f"The pitch swings by ± {100 * size:.1f} % "
        if order == 1:
            said += "once a turn: run-out, or the shaft itself turns unevenly."
            found.append(RingFinding(RingFault.RUN_OUT, 0, 100 * size, said))
        else:
            said += f"{order} times a turn, smoothly: the shaft turns unevenly (combustion, a joint), which is no ring's fault."
            found.append(RingFinding(RingFault.SWINGS, 0, 100 * size, said))
    out = [int(at) for at in np.flatnonzero(known & (np.abs(rest) > limit))]
    found += _uneven(rest, out, teeth, limit)
    return tuple(found)


def _joints(rest: Floats, first: int, second: int, limit: float) -> RingFinding:
    """Two gaps half a turn apart: by how much they differ, or, where that is less than can be told, how far both are off."""
    both = f"after teeth {first + 1} and {second + 1}"
    one, other = float(rest[first]), float(rest[second])
    apart, mean = abs(one - other), (one + other) / 2
    if one * other > 0 and apart < max(_ALIKE * abs(mean), limit):
        way = "wider" if mean > 0 else "narrower"
        said = (
            f"The gaps {both} are both {100 * abs(mean):.1f} % of a pitch {way} than the rest: the joints stand alike."
        )
        return RingFinding(RingFault.OPEN_JOINTS, first, 100 * abs(mean), said)
    return RingFinding(
        RingFault.JOINTS,
        first,
        100 * apart,
        f"The gaps {both} differ by {100 * apart:.1f} % of a pitch: unequal joints.",
    )


def _uneven(rest: Floats, out: list[int], teeth: int, limit: float) -> list[RingFinding]:
    """Steps in the pitch: one there and one back about one tooth is that tooth; two half a turn apart are joints."""
    found: list[RingFinding] = []
    left = set(out)
    for at in sorted(out, key=lambda a: -abs(rest[a])):
        if at not in left:
            continue
        left.discard(at)
        after, before = (at + 1) % teeth, (at - 1) % teeth
        other = max((after, before), key=lambda a: -rest[a] * math.copysign(1.0, rest[at]))
        size = 100 * float(abs(rest[at]))
        if other in left and rest[other] * rest[at] < 0:
            left.discard(other)
            tooth = max(at, other) if {at, other} != {0, teeth - 1} else 0
            way = "late" if rest[(tooth - 1) % teeth] > 0 else "early"
            found.append(
                RingFinding(
                    RingFault.UNEVEN, tooth, size, f"Tooth {tooth + 1} of {teeth} stands {size:.1f} % of a pitch {way}."
                )
            )
            continue
        across = next((a for a in left if abs((a - at) % teeth - teeth / 2) <= 1), None)
        if across is not None:
            left.discard(across)
            found.append(_joints(rest, min(at, across), max(at, across), limit))
            continue
        found.append(
            RingFinding(
                RingFault.UNEVEN, at, size, f"The gap after tooth {at + 1} of {teeth} is {size:.1f} % of a pitch off."
            )
        )
    return found
