"""What is wrong or doubtful with a ring: its findings with their place in the capture, a gap, teeth that were told wrongly."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.findings import Finding, some_places
from irongauge.core.pulses.ring import RingFault, RingFigures, RingFinding, number_teeth

Floats = NDArray[np.float64]

__all__ = ["GAP_OR_TOOTH", "find_in_ring", "find_in_teeth"]

GAP_OR_TOOTH = "missing tooth or index gap"
_HEAVY_RUN_OUT_PCT = 5.0  # of a pitch: hides an odd tooth of usual size
_WIDEST_GAP = 3  # teeth that are left out side by side as an index


_RING_DO = {
    RingFault.MISSING: "Look at the ring there: a tooth broken off, or a gap filled with rust or dirt. A gap that belongs there "
    "is typed as left out on purpose.",
    RingFault.UNEVEN: "Look at that tooth and the gaps beside it: bent, chipped, a burr or a chip of metal that sticks.",
    RingFault.RUN_OUT: "Feel the air gap round the ring: off its centre, or the shaft is bent. Capture again at another speed "
    "and load: what stays the same in % is the ring’s.",
    RingFault.SWINGS: "Capture again at another speed and load, or with the shaft driven evenly: what stays the same in % is the "
    "ring’s.",
    RingFault.JOINTS: "Loosen the halves and part the joints alike on both sides.",
    RingFault.OPEN_JOINTS: "The halves are made for a thinner shaft, or something lies between them: look into both joints.",
}


def find_in_ring(
    ring: RingFigures, pulses_s: Floats, gap_teeth: int | None, over_turn_pct: float | None
) -> list[Finding]:
    """What the folded turns show. `gap_teeth` are left out on purpose, None where nobody said.

    Run-out fails only where a coil's volts (`over_turn_pct`) swing with it; else the shaft's own unrest looks the same.
    """
    missing = [f for f in ring.findings if f.fault is RingFault.MISSING]
    others = [f for f in ring.findings if f.fault is not RingFault.MISSING]
    found = []
    if missing and gap_teeth is None and _is_the_gap(ring, len(missing)) and len(missing) <= _WIDEST_GAP:
        found.append(_gap_or_tooth(ring, missing[0], pulses_s))
        missing = []
    elif gap_teeth and _is_the_gap(ring, gap_teeth):
        missing = []
    for finding in [*missing, *others]:
        mark = Mark.FAIL
        if finding.fault is RingFault.SWINGS or (
            finding.fault is RingFault.RUN_OUT and not _heavy(finding, over_turn_pct)
        ):
            mark = Mark.UNDECIDED
        at_s, wide_s = _places(ring, finding, pulses_s)
        found.append(
            Finding(
                what=str(finding.fault),
                mark=mark,
                sentence=finding.sentence,
                do=_RING_DO[finding.fault],
                at_s=at_s,
                wide_s=wide_s,
            )
        )
    return found


def _heavy(finding: RingFinding, over_turn_pct: float | None) -> bool:
    return finding.size_pct >= _HEAVY_RUN_OUT_PCT and (over_turn_pct or 0.0) > _HEAVY_RUN_OUT_PCT


def _gap_or_tooth(ring: RingFigures, finding: RingFinding, pulses_s: Floats) -> Finding:
    gap = len(ring.missing)
    wide = "one place" if gap == 1 else f"{gap} places side by side"
    said = (
        f"A gap of {wide} comes once in {ring.teeth}: an index gap that belongs there, or "
        f"{'a tooth' if gap == 1 else 'teeth'} broken off."
    )
    do = (
        f"If the ring is made so, type {ring.teeth} teeth in all and {gap} left out on purpose (0 where none is). If not, look "
        "at the ring there."
    )
    at_s, wide_s = _places(ring, finding, pulses_s)
    return Finding(what=GAP_OR_TOOTH, mark=Mark.UNDECIDED, sentence=said, do=do, at_s=at_s, wide_s=wide_s)


def find_in_teeth(told: int | None, counted: int | None) -> list[Finding]:
    """Teeth that were told and that the capture contradicts."""
    if told is None or counted is None or told % counted == 0 or counted % told == 0:
        return []
    said = (
        f"{told} teeth were typed, but what the ring shows comes back every {counted} places. {counted} is used here."
    )
    do = "Count the ring’s places again, a gap’s too, and type them."
    return [Finding(what="teeth do not fit", mark=Mark.UNDECIDED, sentence=said, do=do)]


def _is_the_gap(ring: RingFigures, gap_teeth: int) -> bool:
    """True when the missing teeth are so many, side by side."""
    if gap_teeth == 0 or len(ring.missing) != gap_teeth:
        return False
    steps = [(b - a) % ring.teeth for a, b in zip(ring.missing, (*ring.missing[1:], ring.missing[0]), strict=True)]
    return gap_teeth == 1 or sum(step != 1 for step in steps) == 1


def _places(ring: RingFigures, finding: RingFinding, pulses_s: Floats) -> tuple[tuple[float, ...], float]:
    """Where a tooth's finding shows: every turn of it, as the two pitches about it. Waves are everywhere, and so nowhere."""
    if finding.fault in {RingFault.RUN_OUT, RingFault.SWINGS}:
        return (), 0.0
    numbers, times = number_teeth(pulses_s)
    pitch_s = float(times[-1] - times[0]) / max(int(numbers[-1]), 1)
    want = np.arange(finding.tooth, int(numbers[-1]) + 1, ring.teeth)
    at = np.interp(want, numbers, times) - pitch_s
    return some_places(at[at >= 0]), 2 * pitch_s
