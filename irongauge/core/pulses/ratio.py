"""Shown against true speed: the ratio to type in, its spread, whether an offset fits better, and which slip explains it.

A ratio box needs `new = old · true / shown`. Several pairs beat one: a line through the origin gives the ratio and its spread;
a line with an intercept that the pairs cannot do without says that it is no ratio problem at all.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from irongauge.core.measure.line import fit_line
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import COVERAGE_K, guarded_mark

__all__ = ["Explanation", "RatioFit", "SpeedPair", "explain_ratio", "fit_ratio", "measured_speed_kmh"]

_LEAST_FOR_OFFSET = 3  # two pairs fit any line
# Student's t, two-sided 95.45 %, by degrees of freedom from 1 (JCGM 100:2008, table G.2).
_T_95_45 = (13.97, 4.53, 3.31, 2.87, 2.65, 2.52, 2.43, 2.37, 2.32, 2.28)
_T_MANY = 2.13  # beyond the table
_LARGEST_SHIFT = 6  # teeth that may be miscounted or mistyped


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

    `spread_pct` is the standard deviation of the pairs' own ratios. `offset_kmh` is what shown is more than true at rest, with
    `offset_u` and `slope` of the line with intercept; `is_offset` says that the pairs cannot do without it.
    """

    ratio: float
    ratio_u: float | None
    spread_pct: float | None
    offset_kmh: float | None
    offset_u: float | None
    slope: float | None
    is_offset: bool

    @property
    def off_pct(self) -> float:
        """How much more the display shows than is true, in %."""
        return 100 * (1 / self.ratio - 1)

    @property
    def off_u_pct(self) -> float:
        """Expanded uncertainty of `off_pct` (k = 2); 0 from one pair, which says nothing of it."""
        return 0.0 if self.ratio_u is None else 100 * COVERAGE_K * self.ratio_u / self.ratio

    def judged(self, within_pct: float) -> Mark:
        """Whether the display is within an allowance of ± `within_pct`, by guarded acceptance."""
        return guarded_mark(self.off_pct, Limits(-within_pct, within_pct), self.off_u_pct, self.off_u_pct)

    def new_figure(self, old: float) -> float:
        """What to type in place of the old ratio (or pulses, times 1): new = old · true / shown."""
        return old * self.ratio


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
            ratio=ratio, ratio_u=ratio_u, spread_pct=spread, offset_kmh=None, offset_u=None, slope=None, is_offset=False
        )
    freedom = n - 2
    t = _T_95_45[freedom - 1] if freedom <= len(_T_95_45) else _T_MANY
    offset, offset_u = line.line.intercept, line.intercept_se
    # Half a unit of the display is no offset, however well the pairs agree.
    is_offset = abs(offset) > max(t * offset_u, 0.5)
    return RatioFit(
        ratio=ratio,
        ratio_u=ratio_u,
        spread_pct=spread,
        offset_kmh=offset,
        offset_u=offset_u,
        slope=line.line.slope,
        is_offset=is_offset,
    )


@dataclass(frozen=True)
class Explanation:
    """A slip that makes this ratio: what is entered, what it should be, the ratio that follows, and how near that is, in %."""

    what: str
    entered: float
    right: float
    ratio: float
    off_pct: float


def explain_ratio(  # noqa: PLR0913  each is one entry that may be wrong
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
    found = []
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
    if not found:
        simple = Fraction(ratio).limit_denominator(12)
        if simple != 1:
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
