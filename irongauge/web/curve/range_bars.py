"""A sensor's range as a bar, what is needed of it laid over, and what it lacks beyond its ends; in % of the drawing."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.measure.units import show
from irongauge.core.sensors.choosing import Fit, Need

__all__ = ["RangeBar", "range_bar"]


@dataclass(frozen=True, kw_only=True)
class RangeBar:
    """Left edge and width of the range and of what is used of it; `lacks` are those of what is needed and not there."""

    left: float
    width: float
    used_left: float
    used: float
    lacks: tuple[tuple[float, float], ...]
    said: str


def range_bar(fit: Fit, need: Need, unit: str) -> RangeBar:
    """The bar of one fit, on the base of its own curve."""
    curve = fit.channel.curve
    low, high = need.on(curve.pressure_base)
    least, most = min(low, curve.value_low), max(high, curve.value_high)

    def at(value: float) -> float:
        return 100 * (value - least) / (most - least)

    # What a flat end or the controller's input cuts off is lacked like what lies beyond the range.
    first, last = (low + fit.short_low, high - fit.short_high)
    gaps = [(low, min(first, high)), (max(last, low), high)]
    said = " to ".join(show(end, unit, trim=True) for end in (curve.value_low, curve.value_high))
    return RangeBar(
        left=at(curve.value_low),
        width=at(curve.value_high) - at(curve.value_low),
        used_left=at(min(first, high)),
        used=max(at(last) - at(first), 0.0),
        lacks=tuple((at(a), at(b) - at(a)) for a, b in gaps if b > a),
        said=f"range {said}, {100 * fit.share_used:.0f} % used",
    )
