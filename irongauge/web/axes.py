"""A frame with two axes for the server's drawings: where a pair of numbers lies in it, and the round numbers beside it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

__all__ = ["Axes", "Tick", "decade_ticks", "nice_ticks", "path_through", "signed"]


@dataclass(frozen=True)
class Tick:
    """A line of the grid: where, and what stands beside it."""

    at: float
    text: str


def signed(value: float) -> str:
    """A number in few digits, with a real minus sign."""
    return f"{value:.6g}".replace("-", "−")


def nice_ticks(low: float, high: float, most: int = 6) -> tuple[float, ...]:
    """Round numbers between two ends, at most about `most` of them.

    >>> nice_ticks(0.0, 10.0)
    (0.0, 2.0, 4.0, 6.0, 8.0, 10.0)
    """
    raw = (high - low) / max(most - 1, 1)
    size = 10.0 ** math.floor(math.log10(raw))
    step = next(size * m for m in (1, 2, 2.5, 5, 10) if size * m >= raw * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return tuple(round(at * step, 10) + 0.0 for at in range(first, last + 1))


def decade_ticks(low: float, high: float, most: int = 7) -> tuple[float, ...]:
    """Ones, twos and fives of every decade between two ends above 0, or the ones alone where those are too many.

    >>> decade_ticks(30.0, 1200.0)
    (50.0, 100.0, 200.0, 500.0, 1000.0)
    """
    decades = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    for steps in ((1, 2, 5), (1, 3), (1,)):
        found = tuple(float(f"{step}e{n}") for n in decades for step in steps if low <= float(f"{step}e{n}") <= high)
        if len(found) <= most:
            break
    return found


def path_through(points: Iterable[tuple[float, float]]) -> str:
    """An SVG path of straight lines; empty without points."""
    text = " L".join(f"{x:.1f} {y:.1f}" for x, y in points)
    return f"M{text}" if text else ""


@dataclass(frozen=True, kw_only=True)
class Axes:
    """A box in a drawing and the numbers at its edges: `x_low` at `left`, `y_low` at `bottom`. With `is_log_x` every decade of x,
    which is above 0 then, is as wide as the next.

    Something beyond an edge is drawn a little beyond it, so that it is seen and still inside the drawing.
    """

    x_low: float
    x_high: float
    y_low: float
    y_high: float
    width: float = 640.0
    height: float = 400.0
    left: float = 64.0
    right: float = 620.0
    top: float = 22.0
    bottom: float = 340.0
    is_log_x: bool = False

    @classmethod
    def around(
        cls, xs: Sequence[float], ys: Sequence[float], *, margin: float = 0.06, is_log_x: bool = False, **box: float
    ) -> Axes:
        """Axes that hold every x and every y, with some room."""
        if is_log_x:
            x_low, x_high = (math.exp(end) for end in _with_room([math.log(x) for x in xs], margin))
        else:
            x_low, x_high = _with_room(xs, margin)
        y_low, y_high = _with_room(ys, margin)
        return cls(x_low=x_low, x_high=x_high, y_low=y_low, y_high=y_high, is_log_x=is_log_x, **box)

    def x(self, value: float) -> float:
        """Where a value lies across, in the drawing's units."""
        if self.is_log_x:
            ends = math.log(self.x_low), math.log(self.x_high)
            return self._at(math.log(max(value, self.x_low / 10)), *ends, self.left, self.right)
        return self._at(value, self.x_low, self.x_high, self.left, self.right)

    def y(self, value: float) -> float:
        """Where a value lies down, in the drawing's units."""
        return self._at(value, self.y_low, self.y_high, self.bottom, self.top)

    @staticmethod
    def _at(value: float, low: float, high: float, first: float, last: float) -> float:
        share = min(max((value - low) / (high - low), -0.03), 1.03)
        return round(first + (last - first) * share, 1)

    def path(self, points: Iterable[tuple[float, float]]) -> str:
        """The path through points given in values."""
        return path_through((self.x(x), self.y(y)) for x, y in points)

    @property
    def x_ticks(self) -> tuple[Tick, ...]:
        """Marks along the bottom, with their text."""
        values = decade_ticks(self.x_low, self.x_high) if self.is_log_x else nice_ticks(self.x_low, self.x_high, 7)
        return tuple(Tick(self.x(v), signed(v)) for v in values)

    @property
    def y_ticks(self) -> tuple[Tick, ...]:
        """Marks up the side, with their text."""
        return tuple(Tick(self.y(v), signed(v)) for v in nice_ticks(self.y_low, self.y_high, 6))


def _with_room(values: Sequence[float], margin: float) -> tuple[float, float]:
    low, high = min(values), max(values)
    room = margin * (high - low) or abs(high) * margin or 1.0
    return low - room, high + room
