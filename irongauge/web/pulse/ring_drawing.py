"""A tooth ring seen from its shaft: every pitch's error as a bar on its place, teeth found wrong or missing marked.

Tooth 1, at the top, is the first edge of the capture; the ring goes clockwise. Bars outwards are pitches too wide, inwards too
narrow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from irongauge.core.pulses.examination import RingResult

__all__ = ["RingDrawing", "ToothDrawing", "draw_ring"]

_RADIUS, _TOOTH, _BAR = 92.0, 9.0, 38.0
_LEAST_SCALE_PCT = 2.0
_MOST_LABELS = 6


@dataclass(frozen=True, kw_only=True)
class ToothDrawing:
    """One place of the ring: the tooth's outline, its pitch's bar from the ring outwards or inwards, and what it is."""

    outline: str
    bar: tuple[float, float, float, float]
    kind: str
    title: str
    label: str
    label_x: float
    label_y: float


@dataclass(frozen=True)
class RingDrawing:
    """All places, and what the longest bar stands for, in % of a pitch."""

    teeth: tuple[ToothDrawing, ...]
    scale_pct: float
    summary: str


def draw_ring(ring: RingResult) -> RingDrawing:
    """The ring with its teeth, the odd ones marked."""
    present = [e for at, e in enumerate(ring.error_pct) if not _beside_gap(ring, at)]
    scale = max(_LEAST_SCALE_PCT, *(abs(e) for e in present)) if present else _LEAST_SCALE_PCT
    labels = {*ring.wrong, *ring.missing}
    teeth = tuple(
        _tooth(ring, at, scale, is_named=at in labels and len(labels) <= _MOST_LABELS) for at in range(ring.teeth)
    )
    worst = max(present, key=abs, default=0.0)
    summary = f"Ring of {ring.teeth} teeth over {ring.turns:.1f} turns; greatest pitch error {worst:+.1f} %"
    return RingDrawing(teeth, scale, summary.replace("-", "−"))


def _beside_gap(ring: RingResult, at: int) -> bool:
    return any((at + shift) % ring.teeth in ring.missing for shift in (0, 1))


def _ways(ring: RingResult) -> list[tuple[float, float]]:
    """Where each tooth stands and how far the next is, in radians."""
    at = [math.radians(angle) for angle in ring.made_deg] or [2 * math.pi * n / ring.teeth for n in range(ring.teeth)]
    return [(angle, after - angle) for angle, after in pairwise([*at, at[0] + 2 * math.pi])]


def _tooth(ring: RingResult, at: int, scale_pct: float, *, is_named: bool) -> ToothDrawing:
    ways = _ways(ring)
    angle, after = ways[at]
    step = min(way for _, way in ways)
    kind = "missing" if at in ring.missing else "wrong" if at in ring.wrong else "even"
    inner = _RADIUS - _TOOTH
    corners = [_at(r, angle + side * step / 4) for r, side in ((inner, -1), (_RADIUS, -1), (_RADIUS, 1), (inner, 1))]
    error = 0.0 if _beside_gap(ring, at) else ring.error_pct[at]
    middle = angle + after / 2
    length = _BAR * max(-1.0, min(1.0, error / scale_pct))
    base = _RADIUS + 4 if error >= 0 else _RADIUS - _TOOTH - 4
    x0, y0 = _at(base, middle)
    x1, y1 = _at(base + length, middle)
    label_x, label_y = _at(_RADIUS + _BAR + 16, angle)
    title = f"Tooth {at + 1}: " + ("missing" if kind == "missing" else f"the pitch after it is {error:+.2f} % off")
    return ToothDrawing(
        outline="M" + " L".join(f"{x:.2f} {y:.2f}" for x, y in corners) + " Z",
        bar=(round(x0, 2), round(y0, 2), round(x1, 2), round(y1, 2)),
        kind=kind,
        title=title.replace("-", "−"),
        label=str(at + 1) if is_named else "",
        label_x=round(label_x, 2),
        label_y=round(label_y + 5, 2),
    )


def _at(radius: float, angle: float) -> tuple[float, float]:
    """Clockwise from the top."""
    return radius * math.sin(angle), -radius * math.cos(angle)
