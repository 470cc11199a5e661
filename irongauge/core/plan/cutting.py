"""Lengths to cut, what is left over, how thick the bundle gets, and the sleeve, clips and hole that it needs.

Outside diameters: ISO 6722-1, thin wall, greatest. A bundle laid by hand fills 0.7 of its circle: the densest packings of 7 and
19 equal circles fill 0.778 and 0.803 (Graham, Lubachevsky, Nurmela and Östergård 1998), a tenth less for hand work.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.plan.harness import Wire
from irongauge.core.plan.wires import next_metric_mm2

__all__ = ["Bundle", "Cut", "CutList", "bundle_of", "cut_list", "hose_error", "kind_of", "wire_diameter_mm"]

# mm² to mm over the insulation.
_OUTSIDE_MM = {
    0.13: 1.05, 0.22: 1.2, 0.35: 1.4, 0.5: 1.6, 0.75: 1.9, 1.0: 2.1, 1.25: 2.3, 1.5: 2.4, 2.0: 2.8, 2.5: 3.0, 3.0: 3.4,
    4.0: 3.7, 5.0: 4.2, 6.0: 4.3, 8.0: 5.0, 10.0: 6.0, 12.0: 6.5, 16.0: 7.2, 20.0: 7.8, 25.0: 8.7,
}  # fmt: skip
_FILL = 0.7  # of a round bundle's section that round wires take
SLEEVES_MM = (3, 4, 5, 6, 8, 10, 12, 15, 18, 20, 25, 30, 40, 50)  # bores that are sold
_FULL_SHARE = 0.8  # of a sleeve's bore: above it a bundle cannot be pulled through
_CLIP_EVERY_MM = 300  # at the widest; closer where the run bends or shakes
_GROMMET_SLACK_MM = 1.0
SPARE_PIGTAIL_M = 0.3  # shorter ends are of no use
_G = 9.80665


def wire_diameter_mm(area_mm2: float) -> float:
    """Over the insulation of a thin-wall wire of that or the next metric size; beyond the table in the same proportion."""
    size = next_metric_mm2(area_mm2)
    if size in _OUTSIDE_MM:
        return _OUTSIDE_MM[size]
    return _OUTSIDE_MM[25.0] * math.sqrt(area_mm2 / 25.0)


@dataclass(frozen=True)
class Bundle:
    """How thick wires get together, and what they go into; `sleeve_mm` is None where none is wide enough."""

    diameter_mm: float
    sleeve_mm: int | None
    hole_mm: int
    clip_every_mm: int


def bundle_of(areas_mm2: Sequence[float]) -> Bundle:
    """A bundle of wires: `D = √(Σd²/0.7)`, one alone its own diameter; the hole no larger than needed."""
    diameters = [wire_diameter_mm(area) for area in areas_mm2]
    diameter = diameters[0] if len(diameters) == 1 else math.sqrt(sum(d * d for d in diameters) / _FILL)
    sleeve = next((size for size in SLEEVES_MM if diameter <= _FULL_SHARE * size), None)
    through = diameter if sleeve is None else float(sleeve)
    return Bundle(diameter, sleeve, math.ceil(through + _GROMMET_SLACK_MM), _CLIP_EVERY_MM)


@dataclass(frozen=True)
class Cut:
    """One length to cut, from a roll or from an end that was left over."""

    wire: Wire
    length_m: float
    source: str


@dataclass(frozen=True)
class CutList:
    """All lengths, the longest of each colour and size first, and what is left: ends worth keeping as spare pigtails."""

    cuts: tuple[Cut, ...]
    rolls: tuple[tuple[str, float], ...]
    spares: tuple[tuple[str, float], ...]

    @property
    def pigtails(self) -> tuple[tuple[str, int], ...]:
        """How many spare pigtails of each kind the ends that are left give."""
        found: dict[str, int] = {}
        for kind, metres in self.spares:
            found[kind] = found.get(kind, 0) + int(metres / SPARE_PIGTAIL_M + 1e-9)
        return tuple(found.items())


def cut_list(
    wires: Sequence[Wire], *, loops_m: float = 0.1, slack_share: float = 0.05, ends: Sequence[tuple[str, float]] = ()
) -> CutList:
    """What to cut: each length with its slack and a service loop at both ends. Left-over `ends`, (kind, metres), serve first.

    The longest is cut first, from the shortest end that is long enough: what is left over is then long.
    """
    left: dict[str, list[float]] = {}
    for kind, metres in ends:
        left.setdefault(kind, []).append(metres)
    cuts, rolls = [], dict[str, float]()
    for wire in sorted(wires, key=lambda w: (_kind(w), -w.length_m, w.name)):
        kind, length_m = _kind(wire), wire.length_m * (1 + slack_share) + 2 * loops_m
        long_enough = [metres for metres in left.get(kind, []) if metres >= length_m]
        if long_enough:
            taken = min(long_enough)
            left[kind].remove(taken)
            left[kind].append(taken - length_m)
            cuts.append(Cut(wire, length_m, f"the left-over end of {taken:.2f} m"))
        else:
            rolls[kind] = rolls.get(kind, 0.0) + length_m
            cuts.append(Cut(wire, length_m, "the roll"))
    spares = [(kind, metres) for kind, lengths in left.items() for metres in lengths if metres >= SPARE_PIGTAIL_M]
    return CutList(tuple(cuts), tuple(sorted(rolls.items())), tuple(sorted(spares)))


def _kind(wire: Wire) -> str:
    return kind_of(wire.colour, wire.area_mm2)


def kind_of(colour: str, area_mm2: float) -> str:
    """A colour and a size as the list tells them apart."""
    return f"{colour.strip() or 'any colour'}, {area_mm2:.3g} mm²"


def hose_error(height_m: float, density_kg_m3: float = 850.0) -> float:
    """KPa that a hose full of liquid adds to a sensor below its port (or takes, above it): `ρ·g·h`; oil unless told.

    >>> round(hose_error(0.5, 1000.0), 3)
    4.903
    """
    return density_kg_m3 * _G * height_m / 1000
