"""NTC thermistors: resistance against temperature, by beta, by three points or by a table.

One idea behind all three: the logarithm of the resistance is nearly straight over 1/T. Beta takes it as straight; three
points add the cubic term (Steinhart–Hart); a table is joined by straight lines in these coordinates, which follow the
part far closer than straight lines in ohms.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from irongauge.core.measure.interpolation import Number, between, segment_slope

__all__ = ["KELVIN", "Thermistor"]

KELVIN = 273.15  # 0 °C
_THREE = 3  # points of Steinhart and Hart


def _of(name: str, x: Number) -> Number:
    """A function of one number, or of an array of them."""
    if isinstance(x, (int, float)):
        found: float = getattr(math, name)(x)
        return found

    return getattr(np, {"asinh": "arcsinh", "asin": "arcsin"}.get(name, name))(x)  # type: ignore[no-any-return]


@dataclass(frozen=True)
class Thermistor:
    """An NTC by its resistance at 25 °C and its beta, or by `points` of (°C, Ω), temperatures rising.

    Three points are joined by the Steinhart–Hart equation, more by straight lines of ln R over 1/T; `ohm_25` and `beta_k`
    then follow from them (`from_points`).
    """

    ohm_25: float
    beta_k: float
    points: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "points", tuple((float(t), float(r)) for t, r in self.points))
        if self.ohm_25 <= 0 or self.beta_k <= 0:
            msg = "a thermistor has positive ohms at 25 °C and a positive beta"
            raise ValueError(msg)
        if self.points:
            _check_points(self.points)

    @classmethod
    def from_points(cls, points: tuple[tuple[float, float], ...]) -> Thermistor:
        """A thermistor through at least three points (°C, Ω) in any order; `ValueError` where they make no NTC."""
        ordered = tuple(sorted(points))
        _check_points(ordered)
        whole = cls(1.0, 1.0, ordered)
        if len(ordered) == _THREE:
            _check_cubic(whole)
        ohm_25, ohm_85 = whole.ohm_at(25.0), whole.ohm_at(85.0)
        return cls(ohm_25, math.log(ohm_25 / ohm_85) / (1 / (25 + KELVIN) - 1 / (85 + KELVIN)), ordered)

    @cached_property
    def coefficients(self) -> tuple[float, float, float]:
        """a, b and c of `1/T = a + b·ln R + c·(ln R)³`, in 1/K; c is 0 by beta.

        Source: Steinhart and Hart, Deep-Sea Research 15 (1968), 497, solved through three points.
        """
        if len(self.points) != _THREE:
            b = 1.0 / self.beta_k
            return 1 / (25 + KELVIN) - b * math.log(self.ohm_25), b, 0.0
        l1, l2, l3 = (math.log(ohm) for _, ohm in self.points)
        y1, y2, y3 = (1 / (degc + KELVIN) for degc, _ in self.points)
        g2, g3 = (y2 - y1) / (l2 - l1), (y3 - y1) / (l3 - l1)
        c = (g3 - g2) / (l3 - l2) / (l1 + l2 + l3)
        b = g2 - c * (l1 * l1 + l1 * l2 + l2 * l2)
        return y1 - (b + l1 * l1 * c) * l1, b, c

    @cached_property
    def _table(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        """1/T rising, and ln R at each."""
        hot_first = self.points[::-1]
        return tuple(1 / (t + KELVIN) for t, _ in hot_first), tuple(math.log(r) for _, r in hot_first)

    @property
    def _is_table(self) -> bool:
        return len(self.points) > _THREE

    def ohm_at(self, degc: Number) -> Number:
        """Its resistance at a temperature.

        >>> round(Thermistor(10_000, 3435).ohm_at(80.0), 1)
        1662.4
        """
        y = 1 / (degc + KELVIN)
        if self._is_table:
            return _of("exp", between(y, *self._table))
        a, b, c = self.coefficients
        return _of("exp", (y - a) / b if c == 0 else _root(a, b, c, y))

    def degc_at(self, ohm: Number) -> Number:
        """The temperature that makes a resistance; the inverse of `ohm_at`.

        >>> round(Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243))).degc_at(600.0), 3)
        59.592
        """
        log_ohm = _of("log", ohm)
        if self._is_table:
            inverse_t, logs = self._table
            return 1 / between(log_ohm, logs, inverse_t) - KELVIN
        a, b, c = self.coefficients
        return 1 / (a + b * log_ohm + c * log_ohm**3) - KELVIN

    def ohm_slope(self, degc: float) -> float:
        """Ω per K there; negative."""
        y, ohm = 1 / (degc + KELVIN), float(self.ohm_at(degc))
        if self._is_table:
            return -ohm * y * y * segment_slope(y, *self._table)
        _, b, c = self.coefficients
        return -ohm * y * y / (b + 3 * c * math.log(ohm) ** 2)


def _root(a: float, b: float, c: float, y: Number) -> Number:
    """The ln R of `a + b·ln R + c·(ln R)³ = y`, in closed form.

    Source: the depressed cubic t³ + p t + q = 0 by hyperbolic sines where it rises throughout (p > 0), else by sines, of whose
    three roots the middle one lies where it rises; both keep their digits for a small c.
    """
    p, q = b / c, (a - y) / c
    half = (abs(p) / 3) ** 0.5
    one, back = ("sinh", "asinh") if p > 0 else ("sin", "asin")
    log_ohm: Number = (-2 if p > 0 else 2) * half * _of(one, _of(back, q / (2 * half**3)) / 3)
    return log_ohm


_LEAST_DEGC, _MOST_DEGC = -60.0, 200.0  # beyond what vehicle thermistors are made for


def _check_cubic(thermistor: Thermistor) -> None:
    """Refuse three points through which no part's curve goes: it must fall throughout."""
    a, b, c = thermistor.coefficients
    if b > 0 and c >= 0:
        return
    if b > 0:
        half = (-b / c / 3) ** 0.5
        if all(abs((a - 1 / (t + KELVIN)) / c / (2 * half**3)) < 1 for t in (_LEAST_DEGC, _MOST_DEGC)):
            return
    apart = min(high[0] - low[0] for low, high in pairwise(thermistor.points))
    msg = (
        f"no thermistor's curve goes through these three points, of which two are {apart:g} K apart: "
        "points nearer than 20 K tell little beyond them, so take them further apart, or read the ohms again"
    )
    raise ValueError(msg)


def _check_points(points: tuple[tuple[float, float], ...]) -> None:
    if len(points) < _THREE:
        msg = "a thermistor by points needs at least three of them"
        raise ValueError(msg)
    if any(ohm <= 0 or degc <= -KELVIN for degc, ohm in points):
        msg = "a thermistor has positive ohms at temperatures above −273.15 °C"
        raise ValueError(msg)
    for (low_c, low_ohm), (high_c, high_ohm) in pairwise(points):
        if high_c <= low_c or high_ohm >= low_ohm:
            msg = f"an NTC falls as it warms, but {low_ohm:g} Ω at {low_c:g} °C is followed by {high_ohm:g} Ω at {high_c:g} °C"
            raise ValueError(msg)
