"""References: what their sensors take of what a regulator gives, what one short takes down, and two on one measurement."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.measure.quantities import Mark

__all__ = ["RailBudget", "RailLoad", "TwoRegulators", "budget_of", "two_regulators"]

_TYPICAL_MA = 10.0  # of an amplified sensor whose sheet does not say
REGULATOR_PCT = 1.0  # what a regulator that nobody measured is good to
_CLOSE_SHARE = 0.8  # of the limit: above it, what nobody measured decides


@dataclass(frozen=True)
class RailLoad:
    """A sensor on a reference and what it takes; None where its sheet does not say."""

    name: str
    current_ma: float | None = None


@dataclass(frozen=True)
class RailBudget:
    """A reference's budget: its sum, its limit, and in words."""

    total_ma: float
    limit_ma: float | None
    mark: Mark
    sentence: str
    goes_down: tuple[str, ...]


def budget_of(loads: Sequence[RailLoad], limit_ma: float | None) -> RailBudget:
    """The sum against the limit. Sensors that do not say are counted with 10 mA, and leave a close sum undecided."""
    total_ma = sum(_TYPICAL_MA if load.current_ma is None else load.current_ma for load in loads)
    silent = sum(load.current_ma is None for load in loads)
    text = f"{total_ma:.3g} mA for {len(loads)} sensor{'' if len(loads) == 1 else 's'}"
    if silent:
        text += f", {silent} of them counted with {_TYPICAL_MA:g} mA"
    if limit_ma is None:
        mark, text = Mark.UNDECIDED, f"{text}; what the regulator gives is not known."
    elif total_ma > limit_ma:
        mark, text = Mark.FAIL, f"{text}: more than the {limit_ma:g} mA that it gives."
    elif silent and total_ma > _CLOSE_SHARE * limit_ma:
        mark, text = Mark.UNDECIDED, f"{text}, of {limit_ma:g} mA: close, so look the currents up."
    else:
        mark, text = Mark.PASS, f"{text}, of {limit_ma:g} mA."
    return RailBudget(total_ma, limit_ma, mark, text, tuple(load.name for load in loads))


@dataclass(frozen=True)
class TwoRegulators:
    """What it costs to feed a sensor from another regulator than the one that its input divides by, at the top of its range.

    `error` follows from the two nominal volts, `unsure` from what both regulators are good to; in the unit of the span.
    """

    error: float
    unsure: float


def two_regulators(
    supply_v: float, reference_v: float, shares: tuple[float, float], span: float, each_pct: float = REGULATOR_PCT
) -> TwoRegulators:
    """The value shown is that of `share · Vs / Vr`, so at the top the error is `share·(Vs/Vr − 1)` of the share's span.

    >>> round(two_regulators(5.1, 5.0, (0.1, 0.9), 1000.0).error, 9)  # 2 % of 0.9, over 0.8
    22.5
    """
    low, high = shares
    per_share = span / abs(high - low)
    top = max(low, high)
    return TwoRegulators(top * (supply_v / reference_v - 1) * per_share, top * 2 * each_pct / 100 * per_share)
