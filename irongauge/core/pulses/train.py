"""The pulses of a measured waveform, one after the other: which of them are the ring's, how fast they come, a coil's edges.

A ring's pulses are those left when what came in between is taken out; of a coil's two edges, those at which a tooth stands before
it. Leaves out saying what is wrong.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.edges import local_period_s
from irongauge.core.pulses.ring import examine_ring, teeth_of, turn_basis
from irongauge.core.pulses.waveform import Shape, WaveformFigures

Floats = NDArray[np.float64]

__all__ = [
    "LEAST_EDGES",
    "WHOLE",
    "PulseTrain",
    "SteepEdge",
    "coded_widths_s",
    "count_teeth",
    "edge_s",
    "pulse_train",
    "steep_edges",
    "unequal_train",
]

LEAST_EDGES = 3  # two periods
WHOLE = 1.5  # a period longer than this many local ones lacks a tooth, and is no slower pulse
_EXTRA = 1.25  # two periods that together are no longer than this many usual ones hold a pulse too many
_OF_A_SAMPLE = 1.05  # floor of a finding: an even rate beats with the teeth, and that does not average out
_LEAST_FOR_RING = 30  # pulses: a turn or two of the smallest rings
_MOST_EDGES_TO_COUNT = 20_000  # tells the number of teeth as well as all of them
_NEXT_WIDTH, _MOST_WIDTHS = 1.4, 6  # words by width double from one to the next
_OF_A_WIDTH, _ALL_WIDTHS = 0.02, 0.95  # of the pulses: a sort is no chance, and nearly all are of some sort
_POLARITY = 2.0  # one edge lingers this many times longer than the other
_WANDERS = 1.5  # one edge's mean square is this many times the other's


class SteepEdge(StrEnum):
    """On which edge of a coil's wave a tooth stands before it."""

    FALLING = "falling"
    RISING = "rising"


@dataclass(frozen=True, kw_only=True)
class PulseTrain:
    """The times of the pulses that are the ring's, and `extra_s` of those that came in between; speeds.

    `slowest_hz` and `fastest_hz` are means over five pulses, over a turn where the teeth stand unequal on purpose; None where
    the capture does not tell. `a_turn` of unequal teeth, 0 of even ones, with the `widest` step between two of them in mean ones.
    """

    pulses_s: Floats
    extra_s: Floats
    a_turn: int = 0
    widest: float = 1.0
    frequency_hz: float | None = None
    slowest_hz: float | None = None
    fastest_hz: float | None = None


def pulse_train(figures: WaveformFigures, edges_s: Floats) -> PulseTrain:
    """What the given edges of a measured waveform are, as pulses."""
    extra = _extra(edges_s)
    pulses_s, extra_s = np.delete(edges_s, extra), edges_s[extra]
    if figures.frequency_hz is None or len(pulses_s) < LEAST_EDGES:
        return PulseTrain(pulses_s=pulses_s, extra_s=extra_s)
    periods = np.diff(pulses_s)
    whole = periods[periods < WHOLE * local_period_s(periods)]
    over = min(5, len(whole))
    means = np.convolve(whole, np.ones(over) / over, mode="valid")
    return PulseTrain(
        pulses_s=pulses_s,
        extra_s=extra_s,
        frequency_hz=float(1 / whole.mean()),
        slowest_hz=float(1 / means.max()),
        fastest_hz=float(1 / means.min()),
    )


def unequal_train(edges_s: Floats, pitches: Floats) -> PulseTrain:
    """The pulses of a ring whose teeth stand unequal: none of them is too many, and only whole turns tell the speed."""
    teeth = len(pitches)
    turn_hz = teeth / (edges_s[teeth:] - edges_s[:-teeth])
    return PulseTrain(
        pulses_s=edges_s,
        extra_s=edges_s[:0],
        a_turn=teeth,
        widest=float(pitches.max()),
        frequency_hz=float(1 / np.mean(1 / turn_hz)),
        slowest_hz=float(turn_hz.min()),
        fastest_hz=float(turn_hz.max()),
    )


def edge_s(time_s: Floats, figures: WaveformFigures) -> float:
    """How well the time of an edge is known: within a sample where it is steeper than the samples show."""
    return _OF_A_SAMPLE * float(np.median(np.diff(time_s[:1000]))) if figures.shape is Shape.SQUARE else 0.0


def count_teeth(figures: WaveformFigures, resolution_s: float, told: int | None = None) -> int | None:
    """Teeth of the ring, from what comes back each turn; `resolution_s` is how well an edge's time is known, `told` what
    somebody said.
    """
    edges = figures.edges
    if len(edges.rising_s) < 2 * LEAST_EDGES:
        return None
    for times in (edges.rising_s[:_MOST_EDGES_TO_COUNT], edges.falling_s[:_MOST_EDGES_TO_COUNT]):
        found = teeth_of(np.delete(times, _extra(times)), resolution_s, told=told)
        if found is not None:
            return found
    return None


def coded_widths_s(figures: WaveformFigures) -> tuple[float, ...]:
    """The widths of the high pulses where they come in two to six sorts: a sensor that sends words by them. Else nothing."""
    edges = figures.edges
    if figures.shape is not Shape.SQUARE or len(edges.rising_s) < _LEAST_FOR_RING:
        return ()
    after = np.searchsorted(edges.falling_s, edges.rising_s)
    inside = after < len(edges.falling_s)
    widths = np.sort(edges.falling_s[after[inside]] - edges.rising_s[inside])
    parts = np.split(widths, np.flatnonzero(widths[1:] > _NEXT_WIDTH * widths[:-1]) + 1)
    sorts = [part for part in parts if len(part) >= max(2, _OF_A_WIDTH * len(widths))]
    held = all(np.ptp(part) < (_NEXT_WIDTH - 1) * float(np.median(part)) for part in sorts)
    many = 1 < len(sorts) <= _MOST_WIDTHS and sum(len(part) for part in sorts) > _ALL_WIDTHS * len(widths)
    return tuple(float(np.median(part)) for part in sorts) if held and many else ()


def steep_edges(figures: WaveformFigures, teeth: int | None = None) -> tuple[SteepEdge | None, Floats]:
    """The edge of a coil's wave at which a tooth stands before it, where it tells, and the times of those edges.

    Between two teeth the wave passes its middle too. Over a gap it lingers there, on the other edge; without one, a ring's
    errors show at full size on a tooth's own edge and halved on the other, which stands between two teeth.
    """
    edges = figures.edges
    if figures.shape is not Shape.SINE or min(len(edges.rising_s), len(edges.falling_s)) < _LEAST_FOR_RING:
        return None, edges.rising_s
    sides = (edges.rising_took_s, edges.falling_took_s)
    usual_s = max(min(float(np.median(took)) for took in sides), 1e-12)
    lingers = [float(np.percentile(took, 99.5)) / usual_s for took in sides]
    if max(lingers) > _POLARITY * min(lingers):
        falling = lingers[0] > lingers[1]
    else:
        wander = [_wander(times, teeth) for times in (edges.rising_s, edges.falling_s)]
        sizes = [size for size, _ in wander]
        if max(sizes) < max(_WANDERS * min(sizes), *(3 * chance for _, chance in wander)):
            return None, edges.rising_s
        falling = sizes[1] > sizes[0]
    return (SteepEdge.FALLING, edges.falling_s) if falling else (SteepEdge.RISING, edges.rising_s)


def _wander(times: Floats, teeth: int | None) -> tuple[float, float]:
    """Mean square of what comes back each turn, beyond a once-per-turn wave, and what chance alone makes of it; in %²."""
    ring = None if teeth is None else examine_ring(times, teeth)
    if ring is None:
        return 1.0, 1.0
    basis = turn_basis(np.arange(ring.teeth), ring.teeth)
    rest = ring.error_pct - basis @ np.linalg.lstsq(basis, ring.error_pct, rcond=None)[0]
    return float(np.mean(rest**2)), ring.spread_pct**2


def _extra(edges_s: Floats) -> NDArray[np.intp]:
    """Edges that came between two that are a usual period apart."""
    if len(edges_s) < 2 * LEAST_EDGES:
        return np.empty(0, dtype=np.intp)
    periods = np.diff(edges_s)
    local = local_period_s(periods)
    both = edges_s[2:] - edges_s[:-2]
    usual = np.maximum(local[1:], local[:-1])
    near = np.flatnonzero(both < _EXTRA * usual)
    # One pulse too many makes its neighbours look so as well: of each run, the one whose neighbours stand a usual period apart.
    runs = np.split(near, np.flatnonzero(np.diff(near) > 1) + 1) if len(near) else []
    return np.array([run[np.argmin(np.abs(both[run] / usual[run] - 1))] + 1 for run in runs], dtype=np.intp)
