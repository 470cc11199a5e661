"""Sensor transfer curves, both ways.

This slice knows the straight line through two points, as a share of the reference (ratiometric) or in volts. A curve
is data: its values stand in the fixed unit of its quantity and its pressure base is part of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.units import FIXED_UNIT, PressureBase, Quantity

__all__ = ["CurveKind", "LinearCurve"]


class CurveKind(StrEnum):
    """What the two signal figures of a curve are: shares of the measured reference, or volts."""

    RATIO = "ratio"
    VOLTS = "volts"


@dataclass(frozen=True)
class LinearCurve:
    """A straight line from (`signal_low`, `value_low`) to (`signal_high`, `value_high`).

    `signal_*` are shares of the reference (0.1 for 10 %) when `kind` is RATIO, else volts. A falling line (a signal
    that drops as the value rises) is allowed; two equal signals or two equal values are not a curve.
    """

    kind: CurveKind
    quantity: Quantity
    signal_low: float
    signal_high: float
    value_low: float
    value_high: float
    pressure_base: PressureBase | None = None

    def __post_init__(self) -> None:
        if self.signal_low == self.signal_high or self.value_low >= self.value_high:
            msg = "a curve needs two different signals and a value that rises from its first point to its second"
            raise ValueError(msg)
        if (self.quantity is Quantity.PRESSURE) != (self.pressure_base is not None):
            msg = "a pressure curve says gauge or absolute, and no other curve does"
            raise ValueError(msg)

    @property
    def unit(self) -> str:
        """Code of the fixed unit of its values."""
        return FIXED_UNIT[self.quantity]

    @property
    def span(self) -> float:
        """Value at the second point less value at the first, in the fixed unit."""
        return self.value_high - self.value_low

    def span_v(self, reference_v: float) -> float:
        """Signal change over the whole span, as positive volts."""
        return abs(self._signal_to_v(self.signal_high, reference_v) - self._signal_to_v(self.signal_low, reference_v))

    def value_to_signal_v(self, value: float, reference_v: float) -> float:
        """Volts between signal and return that the sensor gives at a value, with the reference it really gets."""
        share = (value - self.value_low) / self.span
        return self._signal_to_v(self.signal_low + share * (self.signal_high - self.signal_low), reference_v)

    def signal_v_to_value(self, signal_v: float, reference_v: float) -> float:
        """The value, in the fixed unit, that makes this signal; the inverse of `value_to_signal_v`.

        A ratiometric signal is divided by the *measured* reference.

        >>> curve = LinearCurve(CurveKind.RATIO, Quantity.PRESSURE, 0.1, 0.9, 0.0, 1000.0, PressureBase.GAUGE)
        >>> round(curve.signal_v_to_value(2.31, 4.93), 1)
        460.7
        """
        signal = signal_v / reference_v if self.kind is CurveKind.RATIO else signal_v
        share = (signal - self.signal_low) / (self.signal_high - self.signal_low)
        return self.value_low + share * self.span

    def _signal_to_v(self, signal: float, reference_v: float) -> float:
        return signal * reference_v if self.kind is CurveKind.RATIO else signal
