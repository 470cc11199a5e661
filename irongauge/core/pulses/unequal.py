"""Rings whose teeth stand unequal on purpose: a camshaft's wheel, one tooth more as an index.

What comes back alike in every turn, is no gap of left-out teeth and no smooth wave of the shaft, and is far more than a tooth
bent, is how the ring is made, or a chip on it: a capture alone cannot tell which. With the angles told each tooth is judged.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.entry import parse_plain_number
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.pulses.edges import local_period_s
from irongauge.core.pulses.findings import Finding
from irongauge.core.pulses.ring import RingFault, RingFigures, angles_of
from irongauge.errors import EntryError, quoted

Floats = NDArray[np.float64]

__all__ = [
    "UnequalRing",
    "angles_text",
    "checked_angles",
    "find_misfit",
    "find_unequal",
    "pitches_of",
    "read_angles",
    "unequal_ring",
]

_TURN = Limits(0.0, 360.0)
_FEWEST, _NEAREST_DEG = 2, 0.05  # teeth of a ring; nearer ones are one
_LEAST_TURNS, _MOST_TEETH = 4, 72  # so that what comes once is outvoted
_UNLIKE = 0.15  # of the mean pitch: a tooth that is bent stands less far out
_STEADY = 0.2  # of what the pitches differ by, that they may differ from turn to turn
_ALIKE = 0.12  # of a pitch, by which teeth that stand alike differ while the shaft turns unevenly
_GAP = (1.6, 4.5)  # pitches: one to three teeth are left out
_TURNS_UNEVENLY = 18  # teeth, from which on a shaft's swing is slow against the pitch
_MANY = 6  # teeth, among which one that is bent shows as such
_WAVE_PITCHES = 5  # a wave that is longer may be the shaft's own
_ROUGH = 0.5  # of what the pitches differ by, that must be left without such waves
_MOST_BENT = 2  # teeth of a ring
_SHOWN = 12  # angles that a sentence can hold


@dataclass(frozen=True)
class UnequalRing:
    """Angles of the teeth from the first captured, in degrees of a turn, and how many turns showed them."""

    angles_deg: tuple[float, ...]
    turns: float


def read_angles(typed: str, *, field: str = "angles") -> tuple[float, ...]:
    """Angles of one turn as they are typed, in degrees, sorted; none for an empty text.

    Apart by blanks, semicolons, or commas with or without a blank. A comma inside one of several that blanks part is a decimal
    mark. Raises `EntryError` with what was typed.
    """
    text = typed.replace("°", " ").strip()
    if not text:
        return ()
    parts = [part for part in re.split(r"[\s;]+|,(?=\s)|,$", text) if part]
    if len(parts) == 1:
        parts = [part for part in parts[0].split(",") if part]
    angles = [parse_plain_number(part, field=field, limits=_TURN, what="an angle in degrees") for part in parts]
    return checked_angles(angles, field=field, typed=typed)


def angles_text(angles_deg: Sequence[float]) -> str:
    """Angles as they may be typed."""
    return " ".join(f"{angle:g}" for angle in angles_deg)


def checked_angles(given: Sequence[float], *, field: str = "angles_deg", typed: str = "") -> tuple[float, ...]:
    """Angles from 0 to 360°, sorted, as those of a ring's teeth; `EntryError` for too few or many, and two in one place."""
    typed = typed or angles_text(given)
    angles = sorted(given)
    if not angles:
        return ()
    if angles[-1] == _TURN.high:
        angles = sorted({0.0, *angles[:-1]})  # a whole turn is where it began
    if len(angles) < _FEWEST or len(angles) > _MOST_TEETH:
        problem = f"{quoted(typed)} has {len(angles)} {'angle' if len(angles) == 1 else 'angles'}."
        raise EntryError(
            field, typed, problem, f"Type those of all teeth, {_FEWEST} to {_MOST_TEETH}: 0 20 90 180 270."
        )
    if any(b - a < _NEAREST_DEG for a, b in zip(angles, [*angles[1:], angles[0] + _TURN.high], strict=True)):
        raise EntryError(field, typed, f"{quoted(typed)} has two teeth in one place.", "Type each tooth once.")
    return tuple(angles)


def pitches_of(angles_deg: Sequence[float]) -> Floats:
    """The way from each tooth to the next, in mean pitches, shape (n,); the angles are sorted and of one turn."""
    angles = np.sort(np.asarray(angles_deg, dtype=float) % 360)
    pitches: Floats = np.diff(np.append(angles, angles[0] + 360)) * len(angles) / 360
    return pitches


def unequal_ring(edges_s: Floats, resolution_s: float = 0.0) -> UnequalRing | None:
    """The pattern of unequal teeth that comes back each turn, of the fewest teeth that show it; None where none does.

    `resolution_s` is how well an edge's time is known.
    """
    for teeth in range(2, min(_MOST_TEETH, len(edges_s) // _LEAST_TURNS) + 1):
        pitch = _folded(edges_s, teeth, resolution_s)
        if pitch is not None:
            if _is_the_rings(pitch) or not _is_rough(pitch):
                return None
            return UnequalRing(angles_of(pitch, 1), len(edges_s) / teeth)
    return None


def _folded(edges_s: Floats, teeth: int, resolution_s: float) -> Floats | None:
    """Median of each pitch over the turns, in mean pitches, where they are steady and not all alike."""
    half = teeth // 2
    turn_s = edges_s[teeth:] - edges_s[:-teeth]
    first = np.arange(half, half + len(turn_s))
    # The mean over the turn about each pitch takes a changing speed out.
    share = (edges_s[first + 1] - edges_s[first]) * teeth / turn_s
    turns = len(share) // teeth
    if turns < _LEAST_TURNS - 1:
        return None
    # Where a turn begins is put back, so that the first pitch is that after the first edge.
    table = np.roll(share[: turns * teeth].reshape(turns, teeth), half, axis=1)
    pitch: Floats = np.median(table, axis=0)
    off = np.abs(pitch - 1)
    each = np.abs(table - pitch)
    apart = max(float(np.quantile(each, 0.9)), float(np.median(each, axis=0).max()))
    steady = _STEADY * float(np.std(pitch)) + 1.25 * resolution_s * teeth / float(np.median(turn_s))
    return None if off.max() < _UNLIKE or apart > steady else pitch


def _is_the_rings(pitch: Floats) -> bool:
    """True for what `ring` has better words for: but for gaps of left-out teeth all are alike, or one tooth of many stands out
    of its place.
    """
    count = len(pitch)
    around = local_period_s(np.tile(pitch, 3))[count : 2 * count] if count >= _TURNS_UNEVENLY else np.median(pitch)
    steps = pitch / around
    gaps = (steps > _GAP[0]) & (steps < _GAP[1])
    by_a_gap = gaps | np.roll(gaps, 1) | np.roll(gaps, -1)  # a coil's wave is bent there
    off = np.flatnonzero(~by_a_gap & (np.abs(steps - 1) >= _ALIKE))
    if len(off) == 0:
        return True
    beside = len(off) == 2 and (off[1] - off[0]) in {1, count - 1}  # noqa: PLR2004  two
    return count >= _MANY and beside and abs(float(steps[off].sum()) - 2) < _ALIKE


def _is_rough(pitch: Floats) -> bool:
    """False for what smooth waves over the turn explain, as the shaft makes them."""
    lines = np.fft.rfft(pitch - pitch.mean())
    lines[: len(pitch) // _WAVE_PITCHES + 1] = 0.0
    rest = np.fft.irfft(lines, len(pitch))
    return float(np.std(rest)) >= _ROUGH * float(np.std(pitch))


def find_unequal(ring: UnequalRing, told_teeth: int | None) -> list[Finding]:
    """That the teeth stand unequal, where nobody has said that they should."""
    said = _where(ring)
    if told_teeth is not None and told_teeth != len(ring.angles_deg):
        said += f" {told_teeth} teeth were typed."
    do = (
        "If the ring is made so, say so: each tooth is then judged by its angle. If its teeth should stand alike, look for a "
        "chip of metal, a burr, or a bent tooth."
    )
    return [Finding(what="teeth stand unequal", mark=Mark.UNDECIDED, sentence=said, do=do)]


def _where(ring: UnequalRing) -> str:
    """Where its pulses stand, in a sentence."""
    count = len(ring.angles_deg)
    if count <= _SHOWN:
        where = "at " + ", ".join(f"{angle:g}" for angle in ring.angles_deg) + "°"
    else:
        steps = pitches_of(ring.angles_deg)
        odd = np.flatnonzero(np.abs(steps / np.median(steps) - 1) >= _UNLIKE)[:_SHOWN]
        where = ", ".join(f"{steps[at] * 360 / count:.2g}° after pulse {at + 1}" for at in odd)
        where += f", where {np.median(steps) * 360 / count:.3g}° is usual"
    return f"{count} pulses a turn stand unequal, alike in every turn: {where}."


def find_misfit(ring: RingFigures, seen: UnequalRing | None) -> list[Finding]:
    """That the angles typed are not those of the ring: more teeth are out of their place than are ever bent."""
    off = sum(found.fault is not RingFault.RUN_OUT for found in ring.findings)
    if seen is not None and len(seen.angles_deg) % ring.teeth and ring.teeth % len(seen.angles_deg):
        said = f"{ring.teeth} angles were typed. {_where(seen)}"
    elif off > _MOST_BENT:
        said = f"{ring.teeth} angles were typed, but {off} teeth would be out of their place."
        said += "" if seen is None else " " + _where(seen)
    else:
        return []
    do = "Type the angles anew, from any tooth, all of one turn of this ring; or leave them empty."
    return [Finding(what="angles do not fit", mark=Mark.UNDECIDED, sentence=said, do=do)]
