"""A controller's entry read back: does it fit the sensor, and if not, which slip explains it.

The entry is a form with the unit and base that it is believed to be in. It is held against the curve over the whole range;
where it does not fit, every slip that people make is tried on the curve, and those that then explain the figures within the
allowance are named, the simplest first.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING

from irongauge.core.controllers.figures import ControllerForm, Input, Limit
from irongauge.core.measure.units import PressureBase, show, show_pct, unit_for, units_of
from irongauge.core.sensors.conversion import Scale, value_from_reading
from irongauge.core.sensors.transfer import Curve

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

__all__ = ["EntryVerdict", "Explained", "Slip", "check_entry", "check_limit"]

DEFAULT_ALLOWANCE_PCT = 0.5  # of span: what rounding to a usual display costs
_NOTHING_PCT = 1e-6  # of span: the rounding of the sums


class Slip(StrEnum):
    """What may be wrong with an entry."""

    RIGHT = "right"
    WRONG_UNIT = "wrong unit"
    WRONG_BASE = "gauge for absolute"
    WRONG_UNIT_AND_BASE = "wrong unit and base"
    PRESET = "another sensor's figures"
    REVERSED = "ends exchanged"
    OFFSET = "offset"
    SLOPE = "slope"
    OFFSET_AND_SLOPE = "offset and slope"
    NOT_STRAIGHT = "a straight line for a curve"
    TOO_LOW = "limit too low"


@dataclass(frozen=True)
class Explained:
    """A slip that explains the figures, with the sentence for it and what is left unexplained, in % of span."""

    slip: Slip
    sentence: str
    left_pct: float


@dataclass(frozen=True, kw_only=True)
class EntryVerdict:
    """`slip` is the simplest that explains the entry; `others` explain it as well. `error_pct` is the greatest error over
    the range, in % of span, and `error_at` the reading where it is; `offset` and `scale` turn the right value into what is
    shown (shown = offset + scale · right), in the entry's unit.
    """

    slip: Slip
    sentence: str
    error_pct: float
    error_at: float
    offset: float
    scale: float
    others: tuple[Explained, ...] = ()


def check_entry(
    seen: Input,
    form: ControllerForm,
    scale: Scale,
    presets: Sequence[tuple[str, Curve]] = (),
    allowance_pct: float = DEFAULT_ALLOWANCE_PCT,
) -> EntryVerdict:
    """Hold an entry against the sensor's curve. `scale` is the unit and base that the controller shows, `presets` are names
    and curves of other sensors whose figures may have been entered.
    """
    grid = seen.grid()
    right = seen.shown_at(grid, scale)
    shown = form.shown_at(grid)
    span = float(right.max() - right.min())
    off = shown - right
    worst = int(abs(off).argmax())
    error_pct = float(abs(off[worst])) / span * 100
    offset, gain = _line_between(right, shown)
    found = EntryVerdict(
        slip=Slip.RIGHT, sentence="", error_pct=error_pct, error_at=float(grid[worst]), offset=offset, scale=gain
    )
    unit = unit_for(scale.unit).label
    if error_pct <= allowance_pct:
        apart = f"nowhere more than {show_pct(error_pct)} of span from" if error_pct > _NOTHING_PCT else "the same as"
        sentence = f"Right: {apart} the sensor's curve."
        return replace(found, sentence=sentence)
    tried = _Tried(seen, grid, shown, scale, span)
    explained = [e for e in _explanations(tried, presets) if e.left_pct <= allowance_pct]
    if explained:
        return replace(found, slip=explained[0].slip, sentence=explained[0].sentence, others=tuple(explained[1:]))
    return _by_line(found, tried, right, allowance_pct, unit)


@dataclass(frozen=True)
class _Tried:
    seen: Input
    grid: NDArray[np.float64]
    shown: NDArray[np.float64]
    scale: Scale
    span: float

    def left_pct(self, wanted: NDArray[np.float64]) -> float:
        """What an explanation leaves, in % of the span that it gives."""
        span = float(wanted.max() - wanted.min()) or self.span
        return float(abs(self.shown - wanted).max()) / span * 100


def _line_between(right: NDArray[np.float64], shown: NDArray[np.float64]) -> tuple[float, float]:
    x, y = right - right.mean(), shown - shown.mean()
    gain = float((x * y).sum() / (x * x).sum())
    return float(shown.mean() - gain * right.mean()), gain


def _explanations(tried: _Tried, presets: Sequence[tuple[str, Curve]]) -> Iterator[Explained]:
    """Slips of the unit, the base, the sensor chosen and the order of the ends, each as the curve would then be shown."""
    seen, scale = tried.seen, tried.scale
    have = unit_for(scale.unit)
    bases: tuple[PressureBase | None, ...] = (scale.base,)
    if scale.base is not None:
        bases = (scale.base, *(b for b in PressureBase if b is not scale.base))
    for base in bases:
        for unit in units_of(have.quantity):
            if unit is have and base is scale.base:
                continue
            other = replace(scale, unit=unit.code, base=base)
            left = tried.left_pct(seen.shown_at(tried.grid, other))
            yield Explained(*_unit_or_base(scale, other), left)
    yield from _presets(tried, presets)
    low, high = seen.shown_ends(scale)
    right = seen.shown_at(tried.grid, scale)
    yield Explained(
        Slip.REVERSED,
        "The two ends are exchanged: the value falls where the sensor's rises. Swap the values of the two points.",
        tried.left_pct(low + high - right),
    )


def _unit_or_base(scale: Scale, other: Scale) -> tuple[Slip, str]:
    unit, wanted = unit_for(other.unit).label, unit_for(scale.unit).label
    if other.base is scale.base:
        return (
            Slip.WRONG_UNIT,
            f"The figures are in {unit}, and {wanted} is shown. Enter them in {wanted}, or set {unit}.",
        )
    shift = f"one atmosphere ({show(scale.atmosphere_kpa, scale.unit)})"
    if other.unit == scale.unit:
        side = "low" if scale.base is PressureBase.ABSOLUTE else "high"
        sentence = f"The figures are {other.base}, and {scale.base} is wanted: every value is {shift} too {side}."
        return Slip.WRONG_BASE, sentence
    return (
        Slip.WRONG_UNIT_AND_BASE,
        f"The figures are in {unit} {other.base}, and {wanted} {scale.base} is wanted.",
    )


def _presets(tried: _Tried, presets: Sequence[tuple[str, Curve]]) -> Iterator[Explained]:
    """The other sensors of the same quantity, the nearest first."""
    own = tried.seen.curve
    found = []
    for name, curve in presets:
        if curve == own or curve.quantity is not own.quantity or curve.kind is not own.kind:
            continue
        made = value_from_reading(curve, tried.grid, tried.seen.feed)
        wanted = tried.scale.shown(made, curve.pressure_base)
        sentence = f"These are the figures of another sensor, {name}."
        found.append(Explained(Slip.PRESET, sentence, tried.left_pct(wanted)))
    yield from sorted(found, key=lambda e: e.left_pct)


def _by_line(
    found: EntryVerdict, tried: _Tried, right: NDArray[np.float64], allowance_pct: float, unit: str
) -> EntryVerdict:
    """An entry that no known slip explains, as an offset, a slope, or both; or as a curve that is not this one."""
    allowance = allowance_pct / 100 * tried.span
    off = tried.shown - right
    mean = float((off.max() + off.min()) / 2)
    if float(abs(off - mean).max()) <= allowance:
        side = "high" if mean > 0 else "low"
        return replace(
            found,
            slip=Slip.OFFSET,
            sentence=f"Every value is {abs(mean):.4g} {unit} too {side}, whatever the reading. The slope is right.",
        )
    # A slope about the value 0, or about the low end of the range: both are entered by one wrong figure.
    for about, where in ((0.0, "0"), (float(right.min()), f"{float(right.min()):.4g} {unit}")):
        x = right - about
        gain = float((x * (tried.shown - about)).sum() / (x * x).sum())
        if float(abs(tried.shown - about - gain * x).max()) <= allowance:
            return replace(
                found,
                slip=Slip.SLOPE,
                sentence=f"The slope is {gain:.4g} times the right one: it agrees at {where} and is "
                f"{show_pct(found.error_pct)} of span off at worst.",
            )
    straight = found.offset + found.scale * right
    if float(abs(tried.shown - straight).max()) <= allowance:
        return replace(
            found,
            slip=Slip.OFFSET_AND_SLOPE,
            sentence=f"Offset and slope are both wrong: shown is {found.scale:.4g} times the right value "
            f"{'+' if found.offset >= 0 else '−'} {abs(found.offset):.4g} {unit}.",
        )
    return replace(
        found,
        slip=Slip.NOT_STRAIGHT,
        sentence=f"The entry has another shape than the sensor's curve: {show_pct(found.error_pct)} of span off at "
        f"{found.error_at:.3g} {unit_for(tried.seen.unit).label}. Enter the table of cells.",
    )


def check_limit(seen: Input, limit: Limit, scale: Scale) -> EntryVerdict:
    """A cap must lie at or above the greatest value that the sensor can show, or it hides the top of its range."""
    low, high = seen.shown_ends(scale)
    unit = unit_for(scale.unit).label
    short_pct = max(high - limit.shown, 0.0) / abs(high - low) * 100
    if limit.shown >= high:
        return EntryVerdict(
            slip=Slip.RIGHT,
            sentence=f"Right: the limit lies at or above the sensor's greatest, {high:.4g} {unit}.",
            error_pct=0.0,
            error_at=seen.reading_range[1],
            offset=0.0,
            scale=1.0,
        )
    return EntryVerdict(
        slip=Slip.TOO_LOW,
        sentence=f"The limit hides the top {show_pct(short_pct)} of the range: the sensor shows up to {high:.4g} {unit}. "
        "Raise it with the rest.",
        error_pct=short_pct,
        error_at=seen.reading_range[1],
        offset=0.0,
        scale=1.0,
    )
