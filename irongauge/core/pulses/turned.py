"""A measured waveform's pulses as those of a ring: which are its teeth, what each turn shows of them, what was told wrongly.

Of a ring whose teeth stand alike the pulses are numbered and its turns folded; of one that is made unequal only with its angles
told, and until then it is said that it is. Leaves out what is wrong with the teeth (`ring_findings`) and with the pulses.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from irongauge.core.pulses.findings import Finding, longest_run
from irongauge.core.pulses.ring import RingFigures, examine_ring
from irongauge.core.pulses.ring_findings import find_in_teeth
from irongauge.core.pulses.train import PulseTrain, SteepEdge, count_teeth, pulse_train, steep_edges, unequal_train
from irongauge.core.pulses.unequal import UnequalRing, find_misfit, find_unequal, pitches_of, unequal_ring
from irongauge.core.pulses.waveform import WaveformFigures

Floats = NDArray[np.float64]

__all__ = ["Turned", "turned_of", "without_a_ring"]

_LEAST_TURNS = 3  # that a ring of told angles is judged from


@dataclass(frozen=True, kw_only=True)
class Turned:
    """Pulses and their ring, None where its teeth are not known. `held_s` is the run of pulses that it is from, `unfit` what does
    not fit what was told, `angles_deg` those of teeth that stand unequal, where nobody has said so.
    """

    steep: SteepEdge | None
    train: PulseTrain
    held_s: Floats
    ring: RingFigures | None = None
    unfit: tuple[Finding, ...] = ()
    angles_deg: tuple[float, ...] = ()


def without_a_ring(figures: WaveformFigures, teeth: int | None) -> Turned:
    """The pulses of a capture that shows too little to look for a ring."""
    return _bare(*steep_edges(figures, teeth), figures)


def _bare(steep: SteepEdge | None, pulses_s: Floats, figures: WaveformFigures) -> Turned:
    train = pulse_train(figures, pulses_s)
    return Turned(steep=steep, train=train, held_s=train.pulses_s)


def turned_of(
    figures: WaveformFigures, resolution_s: float, told_teeth: int | None, told_angles_deg: Sequence[float]
) -> Turned:
    """The pulses with their ring, from what was told of it; `resolution_s` is how well an edge's time is known."""
    counted = count_teeth(figures, resolution_s, told_teeth)
    unfit = [] if len(told_angles_deg) else find_in_teeth(told_teeth, counted)
    teeth = counted if unfit or told_teeth is None else told_teeth
    steep, pulses_s = steep_edges(figures, teeth)
    bare = replace(_bare(steep, pulses_s, figures), unfit=tuple(unfit))
    if bare.train.frequency_hz is None:
        return bare
    seen = unequal_ring(pulses_s, resolution_s)
    if len(told_angles_deg) and len(pulses_s) > _LEAST_TURNS * len(told_angles_deg):
        return _as_told(steep, pulses_s, pitches_of(told_angles_deg), seen, resolution_s)
    if seen is not None and not len(told_angles_deg):
        train, unlike = unequal_train(pulses_s, pitches_of(seen.angles_deg)), tuple(find_unequal(seen, told_teeth))
        return replace(bare, train=train, unfit=unlike, angles_deg=seen.angles_deg)
    if teeth is None:
        return bare
    held_s = longest_run(bare.train)  # nobody knows how many teeth went by in a silence
    return replace(bare, held_s=held_s, ring=examine_ring(held_s, teeth, resolution_s))


def _as_told(
    steep: SteepEdge | None, pulses_s: Floats, pitches: Floats, seen: UnequalRing | None, resolution_s: float
) -> Turned:
    """A ring of unequal teeth by the angles that were told; without it where they do not fit."""
    train = unequal_train(pulses_s, pitches)
    held_s = longest_run(train)
    ring = examine_ring(held_s, len(pitches), resolution_s, pitches)
    unfit = () if ring is None else tuple(find_misfit(ring, seen))
    return Turned(steep=steep, train=train, held_s=held_s, ring=None if unfit else ring, unfit=unfit)
