"""Shown against true speed: the ratio to type in, its spread, whether an offset fits better, and which slip explains it.

What to type depends on what the figure is: a multiplier or a tyre makes the shown speed larger, so `new = old · true / shown`;
pulses per distance, teeth and an axle ratio are divided by, so `new = old · shown / true`. Several pairs beat one: a line through
the origin gives the ratio and its spread; a line with an intercept that the pairs cannot do without says that it is an offset, or
an offset and a ratio together.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from irongauge.core.measure.line import fit_line
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import guarded_mark, student_t

__all__ = [
    "Explanation",
    "FigureKind",
    "RatioFit",
    "SpeedPair",
    "explain_ratio",
    "fit_ratio",
    "measured_speed_kmh",
    "new_figure",
]

_LEAST_FOR_OFFSET = 3  # two pairs fit any line
_LARGEST_SHIFT = 6  # teeth that may be miscounted or mistyped
_LEAST_SLOPE_OFF = 0.005  # a slope this near to 1 is within what a display rounds
_LEAST_OFFSET_KMH = 0.5  # half a unit of the display is no offset, however well the pairs agree
# Slips by a factor of their own, whatever is entered: what happened, and the true over the shown speed that it makes.
_SLIPS = (
    ("every pulse counted twice, at both edges; or one wheel held while the other turned", 0.5),
    ("every second pulse missed", 2.0),
    ("miles per hour shown as if they were km/h", 1.609344),
    ("km/h shown as if they were miles per hour", 1 / 1.609344),
)


class FigureKind(StrEnum):
    """What the figure in a display is: it decides whether the speed shown grows or falls with it."""

    MULTIPLIER = "multiplier"
    TYRE = "tyre diameter or circumference"
    PULSES_PER_KM = "pulses per km"
    PULSES_PER_MILE = "pulses per mile"
    TEETH = "teeth"
    AXLE_RATIO = "axle ratio"

    @property
    def raises_speed(self) -> bool:
        """True where a larger figure shows a higher speed."""
        return self in {FigureKind.MULTIPLIER, FigureKind.TYRE}


def new_figure(old: float, kind: FigureKind, ratio: float) -> float:
    """What to type in place of a figure, where true is `ratio` times shown.

    Source: shown ∝ frequency · tyre · multiplier / (pulses per distance · teeth · axle ratio).

    >>> round(new_figure(17_000, FigureKind.PULSES_PER_KM, 57 / 50))
    14912
    >>> round(new_figure(1.25, FigureKind.MULTIPLIER, 1.1), 3)
    1.375
    """
    return old * ratio if kind.raises_speed else old / ratio


@dataclass(frozen=True)
class SpeedPair:
    """A shown and a true speed at one moment, in km/h."""

    shown_kmh: float
    true_kmh: float

    def __post_init__(self) -> None:
        if not (0 < self.shown_kmh < math.inf and 0 < self.true_kmh < math.inf):
            msg = "shown and true speeds are above 0"
            raise ValueError(msg)


@dataclass(frozen=True, kw_only=True)
class RatioFit:
    """`ratio` is true over shown, by a line through the origin; `ratio_u` its standard uncertainty, None from one pair.

    `spread_pct` is the standard deviation of the pairs' own ratios, with `freedom` degrees of freedom. `offset_kmh` is what shown
    is more than true at rest, with `offset_u`, and `slope` (its standard uncertainty `slope_u`) of the line with intercept;
    `is_offset` says that the pairs cannot do without it.
    """

    ratio: float
    ratio_u: float | None
    spread_pct: float | None
    offset_kmh: float | None
    offset_u: float | None
    slope: float | None
    is_offset: bool
    freedom: int = 0
    slope_u: float | None = None

    @property
    def off_pct(self) -> float:
        """How much more the display shows than is true, in %."""
        return 100 * (1 / self.ratio - 1)

    @property
    def off_u_pct(self) -> float:
        """Expanded uncertainty of `off_pct` (95.45 %, by Student's t); 0 from one pair, which says nothing of it."""
        return 0.0 if self.ratio_u is None else 100 * self.coverage_k * self.ratio_u / self.ratio

    @property
    def coverage_k(self) -> float:
        """Student's t for the pairs that there are: two say far less than many."""
        return _t(self.freedom)

    @property
    def slope_is_off(self) -> bool:
        """True where an offset does not explain it alone: the slope of shown on true differs from 1 as well."""
        if not self.is_offset or self.slope is None or self.slope_u is None:
            return False
        return abs(self.slope - 1) > max(_t(self.freedom - 1) * self.slope_u, _LEAST_SLOPE_OFF)

    def judged(self, within_pct: float) -> Mark:
        """Whether the display is within an allowance of ± `within_pct`, by guarded acceptance."""
        return guarded_mark(self.off_pct, Limits(-within_pct, within_pct), self.off_u_pct, self.off_u_pct)


def fit_ratio(pairs: Sequence[SpeedPair]) -> RatioFit:
    """Least squares of true on shown through the origin; `ValueError` without a pair.

    Source: for y = r·x, r = Σxy/Σx² and u(r) = s/√Σx² with n − 1 degrees of freedom.

    >>> round(fit_ratio([SpeedPair(50, 55), SpeedPair(100, 110)]).ratio, 3)
    1.1
    """
    if not pairs:
        msg = "a ratio needs at least one pair of shown and true speed"
        raise ValueError(msg)
    x, y = [p.shown_kmh for p in pairs], [p.true_kmh for p in pairs]
    n, sxx = len(pairs), math.fsum(a * a for a in x)
    ratio = math.fsum(a * b for a, b in zip(x, y, strict=True)) / sxx
    ratio_u = spread = None
    if n > 1:
        squares = math.fsum((b - ratio * a) ** 2 for a, b in zip(x, y, strict=True))
        ratio_u = math.sqrt(squares / (n - 1) / sxx)
        own = [b / a for a, b in zip(x, y, strict=True)]
        mean = math.fsum(own) / n
        spread = 100 * math.sqrt(math.fsum((r - mean) ** 2 for r in own) / (n - 1)) / mean
    line = fit_line(y, x)  # shown on true: its intercept is what is shown at rest
    if line is None or n < _LEAST_FOR_OFFSET or line.intercept_se is None:
        return RatioFit(
            ratio=ratio,
            ratio_u=ratio_u,
            spread_pct=spread,
            offset_kmh=None,
            offset_u=None,
            slope=None,
            is_offset=False,
            freedom=n - 1,
        )
    offset, offset_u = line.line.intercept, line.intercept_se
    is_offset = abs(offset) > max(_t(n - 2) * offset_u, _LEAST_OFFSET_KMH)
    return RatioFit(
        ratio=ratio,
        ratio_u=ratio_u,
        spread_pct=spread,
        offset_kmh=offset,
        offset_u=offset_u,
        slope=line.line.slope,
        is_offset=is_offset,
        freedom=n - 1,
        slope_u=line.slope_se,
    )


def _t(freedom: int) -> float:
    """Student's t, two-sided 95.45 %; 0 where there is nothing to take it of."""
    if freedom < 1:
        return 0.0
    return student_t(freedom)


@dataclass(frozen=True)
class Explanation:
    """A slip that makes this ratio: what is entered, what it should be, the ratio that follows, and how near that is, in %."""

    what: str
    entered: float
    right: float
    ratio: float
    off_pct: float


def explain_ratio(
    ratio: float,
    *,
    teeth: int | None = None,
    axle_ratios: Sequence[float] = (),
    axle_ratio: float | None = None,
    diameters_m: Sequence[float] = (),
    diameter_m: float | None = None,
    within_pct: float = 0.7,
) -> tuple[Explanation, ...]:
    """Which entry would explain a ratio of true over shown, the nearest first.

    Shown is proportional to frequency / (teeth · axle) · circumference, so a wrong count of teeth gives true/shown =
    entered/right, a wrong axle likewise, and a wrong tyre right/entered. `axle_ratios` and `diameters_m` are those that the
    vehicle may have. Without any of them a simple fraction is tried.
    """
    found = [_explained(what, 1.0, made, made, ratio) for what, made in _SLIPS]
    told = len(found)
    if teeth is not None:
        others = (teeth + shift for shift in range(-_LARGEST_SHIFT, _LARGEST_SHIFT + 1) if shift)
        found += [_explained("teeth", teeth, other, teeth / other, ratio) for other in others if other > 0]
    if axle_ratio is not None:
        found += [
            _explained("axle ratio", axle_ratio, other, axle_ratio / other, ratio)
            for other in axle_ratios
            if other != axle_ratio
        ]
    if diameter_m is not None:
        found += [
            _explained("tyre diameter", diameter_m, other, other / diameter_m, ratio)
            for other in diameters_m
            if other != diameter_m
        ]
    if len(found) == told:
        simple = Fraction(ratio).limit_denominator(12)
        if simple != 1 and float(simple) not in {made for _, made in _SLIPS}:
            found.append(
                _explained("a fraction", float(simple.denominator), float(simple.numerator), float(simple), ratio)
            )
    near = [e for e in found if e.off_pct <= within_pct]
    return tuple(sorted(near, key=lambda e: e.off_pct))


def _explained(what: str, entered: float, right: float, made: float, ratio: float) -> Explanation:
    return Explanation(what, entered, right, made, 100 * abs(made / ratio - 1))


def measured_speed_kmh(distance_m: float, seconds: float) -> float:
    """True speed over a measured distance, held steady."""
    if distance_m <= 0 or seconds <= 0:
        msg = "a measured distance and its time are above 0"
        raise ValueError(msg)
    return distance_m / seconds * 3.6
