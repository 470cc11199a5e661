"""A controller's entry read back: does it fit the sensor, and if not, which slip explains it.

The entry is a form with the unit and base that it is believed to be in. It is held against the curve over the whole range;
where it does not fit, every slip that people make is tried, on the curve that was meant (another unit, base, sensor, reference,
pull-up) and on the figures that were typed (`slips`), and those that then explain them within the allowance are named, the
simplest first; two at once where one does not do.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from irongauge.core.controllers.breakpoints import best_cells
from irongauge.core.controllers.figures import Cells, ControllerForm, Input, Limit
from irongauge.core.controllers.slips import Slip, Undone, last_digit, rounding_of, undone
from irongauge.core.measure.units import PressureBase, show, show_pct, unit_for, units_of
from irongauge.core.sensors.conversion import Scale, reading_at, value_from_reading
from irongauge.core.sensors.thermistor import KELVIN
from irongauge.core.sensors.transfer import IN_VOLTS, Curve, CurveKind

__all__ = ["EntryVerdict", "Explained", "Slip", "check_entry", "check_limit"]

DEFAULT_ALLOWANCE_PCT = 0.5  # of span: what rounding to a usual display costs
_NOTHING_PCT = 1e-6  # of span: the rounding of the sums
_MOST_ROUNDING_PCT = 1.0  # of span: a coarser entry is no good one, whatever its digits
_ENDS_V = ((0.0, 5.0), (0.5, 4.5), (0.0, 3.3), (1.0, 5.0), (0.25, 4.75))  # what inputs and sensors end at
_SAME_REFERENCE = 0.001  # of it: a good meter's own error
_LEAST_CELLS = 3  # so that two tell which third is wrong
_LEAST_FOR_FIT = 6  # cells behind a cubic
_MUCH_BETTER = 0.8  # of the error: a table that costs hardly less is not worth its typing

_Curve = Callable[[NDArray[np.float64]], NDArray[np.float64]]


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
    shown (shown = offset + scale · right), in the entry's unit. `better` is a table of as many cells that costs less between.
    """

    slip: Slip
    sentence: str
    error_pct: float
    error_at: float
    offset: float
    scale: float
    others: tuple[Explained, ...] = ()
    better: Cells | None = None


def check_entry(
    seen: Input,
    form: ControllerForm,
    scale: Scale,
    *,
    presets: Sequence[tuple[str, Curve]] = (),
    allowance_pct: float = DEFAULT_ALLOWANCE_PCT,
    nominal_reference_v: float = 5.0,
) -> EntryVerdict:
    """Hold an entry against the sensor's curve. `scale` is the unit and base that the controller shows, `presets` are names
    and curves of other sensors whose figures may have been entered; `nominal_reference_v` is what the card says, beside what
    feeds the sensor here.
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
    rounding_pct = min(rounding_of(form) / span * 100, _MOST_ROUNDING_PCT)
    if error_pct <= allowance_pct or error_pct <= rounding_pct:
        apart = f"nowhere more than {show_pct(error_pct)} of span from" if error_pct > _NOTHING_PCT else "the same as"
        sentence = f"Right: {apart} the sensor's curve."
        if error_pct > allowance_pct:
            sentence += " Its last digit alone makes that; one more would do."
        return replace(found, sentence=sentence)
    tried = _Tried(seen=seen, form=form, grid=grid, scale=scale, span=span, allowance_pct=allowance_pct + rounding_pct)
    if isinstance(form, Cells):
        tried = _at_cells(tried, form)
        if tried.left_pct(tried.curve) <= tried.allowance_pct:
            return _too_few(found, tried, form, allowance_pct)
    explained = [*_explained(tried, presets, nominal_reference_v)]
    if explained:
        return replace(found, slip=explained[0].slip, sentence=explained[0].sentence, others=tuple(explained[1:4]))
    return _by_line(found, tried, allowance_pct, unit)


@dataclass(frozen=True, kw_only=True)
class _Meant:
    """A curve that may have been meant: the slip, what it is in a sentence, and its values at readings."""

    slip: Slip
    sentence: str
    wanted: _Curve


@dataclass(frozen=True, kw_only=True)
class _Tried:
    """An entry with what it is held against: over `grid`, or a table at its own cells, since its lines are not the curve's."""

    seen: Input
    form: ControllerForm
    grid: NDArray[np.float64]
    scale: Scale
    span: float
    allowance_pct: float

    def curve(self, readings: NDArray[np.float64]) -> NDArray[np.float64]:
        """What the sensor's own curve shows."""
        return self.seen.shown_at(readings, self.scale)

    @cached_property
    def right(self) -> NDArray[np.float64]:
        """The right values over the grid."""
        return self.curve(self.grid)

    @cached_property
    def shown(self) -> NDArray[np.float64]:
        """The entry's values over the grid."""
        return self.form.shown_at(self.grid)

    def left_pct(self, wanted: _Curve, form: ControllerForm | None = None) -> float:
        """What an explanation leaves, in % of the span that it gives; of a table at the cells that lie within the range."""
        form = form or self.form
        grid = self.grid
        if isinstance(form, Cells):
            low, high = self.seen.reading_range
            grid = np.array([reading for reading in form.readings if low <= reading <= high])
            if len(grid) <= 1:
                return math.inf
        values = wanted(grid)
        span = float(np.ptp(wanted(self.grid))) or self.span
        return float(abs(form.shown_at(grid) - values).max()) / span * 100


def _at_cells(tried: _Tried, form: Cells) -> _Tried:
    """A table is held against the curve at its own cells; what their own digits cost is allowed."""
    low, high = tried.seen.reading_range
    cells = np.array([reading for reading in form.readings if low <= reading <= high])
    if len(cells) < _LEAST_CELLS:
        return tried
    half = last_digit(form.readings) / 2
    apart = tried.curve((cells + half).clip(low, high)) - tried.curve((cells - half).clip(low, high))
    digits_pct = min(float(abs(apart).max()) / 2 / tried.span * 100, _MOST_ROUNDING_PCT)
    return replace(tried, grid=cells, allowance_pct=tried.allowance_pct + digits_pct)


def _too_few(found: EntryVerdict, tried: _Tried, form: Cells, allowance_pct: float) -> EntryVerdict:
    """A table whose cells are all right: where its straight lines cost most, and the cells that would cost least."""
    reading_unit, first, last = unit_for(tried.seen.unit).label, form.readings[0], form.readings[-1]
    grid = tried.seen.grid()
    off_pct = abs(form.shown_at(grid) - tried.curve(grid)) / tried.span * 100
    inside = (grid >= first) & (grid <= last)
    between_pct = float(off_pct[inside].max(initial=0.0))
    beyond = grid[~inside & (off_pct > allowance_pct)]
    said = ["Every cell is right."]
    better = None
    if between_pct > allowance_pct:
        at = float(grid[inside][off_pct[inside].argmax()])
        after = sum(reading <= at for reading in form.readings)
        said.append(
            f"Between cells {after} and {after + 1}, at {at:.3g} {reading_unit}, its straight line is {show_pct(between_pct)} of "
            "span off."
        )
        better = best_cells(tried.seen, tried.scale, len(form.readings), (first, last))
        better_pct = float((abs(better.shown_at(grid) - tried.curve(grid))[inside]).max()) / tried.span * 100
        if better_pct > _MUCH_BETTER * between_pct:
            better = None
            said.append("More cells would do.")
        else:
            said.append(f"As many cells, closer where the curve bends, come to {show_pct(better_pct)}.")
    if len(beyond):
        side = " and ".join(
            f"{word} {end:.3g} {reading_unit}"
            for word, end, is_so in (
                ("below", first, bool((beyond < first).any())),
                ("above", last, bool((beyond > last).any())),
            )
            if is_so
        )
        said.append(f"The table ends before the sensor does: {side} it holds its last value.")
    return replace(found, slip=Slip.TOO_FEW, sentence=" ".join(said), better=better)


def _explained(tried: _Tried, presets: Sequence[tuple[str, Curve]], nominal_reference_v: float) -> Iterator[Explained]:
    """One slip, of the curve or of the fingers; else two, one of each."""
    meant = [*_meant(tried, presets, nominal_reference_v)]
    one = [Explained(m.slip, m.sentence, tried.left_pct(m.wanted)) for m in meant]
    ways = [*undone(tried.form)]
    one += [_by_fingers(way, tried.left_pct(tried.curve, way.form)) for way in ways]
    one += [*_wrong_cell(tried), *_of_a_thermistor(tried)]
    found = [e for e in one if e.left_pct <= tried.allowance_pct]
    if found:
        yield from found
        return
    for way in ways:
        for m in meant:
            left = tried.left_pct(m.wanted, way.form)
            if left <= tried.allowance_pct:
                yield Explained(
                    Slip.TWO, f"Two slips: {m.sentence[:1].lower()}{m.sentence[1:-1]}; and {way.words}.", left
                )


def _by_fingers(way: Undone, left_pct: float) -> Explained:
    return Explained(way.slip, f"{way.words[:1].upper()}{way.words[1:]}. Put that right and it fits.", left_pct)


def _wrong_cell(tried: _Tried) -> Iterator[Explained]:
    """A table of which one cell alone is off: which, and what belongs there."""
    form = tried.form
    if not isinstance(form, Cells) or len(form.readings) < _LEAST_CELLS:
        return
    low, high = tried.seen.reading_range
    right = [float(tried.seen.shown_at(min(max(r, low), high), tried.scale)) for r in form.readings]
    off = [abs(a - b) for a, b in zip(form.shown, right, strict=True)]
    worst = max(range(len(off)), key=lambda at: off[at])
    rest = max(o for at, o in enumerate(off) if at != worst)
    unit, reading_unit = unit_for(tried.scale.unit).label, unit_for(tried.seen.unit).label
    said = (
        f"Cell {worst + 1} alone is wrong: at {form.readings[worst]:.4g} {reading_unit} it says {form.shown[worst]:.5g} {unit}, "
        f"where {right[worst]:.5g} {unit} belongs."
    )
    yield Explained(Slip.CELL, said, rest / tried.span * 100)


def _of_a_thermistor(tried: _Tried) -> Iterator[Explained]:
    """Another pull-up or another thermistor, where a table of one is held against its curve."""
    curve, feed, form = tried.seen.curve, tried.seen.feed, tried.form
    if curve.kind is not CurveKind.OHMS or feed.pull_up_ohm is None or not isinstance(form, Cells):
        return

    # At its own cells, since a table's straight lines between them are not the thermistor's.
    volts, shown = np.array(form.readings), np.array(form.shown)
    degc = tried.scale.fixed(shown, curve.pressure_base)
    told = (volts > 0) & (volts < feed.pull_up_v) & (degc > -KELVIN)
    if told.sum() < _LEAST_CELLS:
        return
    volts, degc, span = volts[told], degc[told], float(np.ptp(degc[told])) or 1.0
    # What pull-up each cell needs for the thermistor's own ohms at the temperature shown.
    ohm = float(np.median(curve.signal_at(degc) * (feed.pull_up_v - volts) / volts))
    if ohm > 0:
        other = replace(feed, pull_up_ohm=ohm)
        said = f"The figures are for a pull-up of about {_ohms(ohm)}, and {_ohms(feed.pull_up_ohm)} is there."
        left = float(np.abs(value_from_reading(curve, volts, other) - degc).max()) / span * 100
        yield Explained(Slip.PULL_UP, said, left)
    if told.sum() < _LEAST_FOR_FIT:
        return
    # ln R over 1/T is straight for an NTC, with a cubic's bend (Steinhart–Hart).
    logs, inverse = np.log(feed.pull_up_ohm * volts / (feed.pull_up_v - volts)), 1 / (degc + KELVIN)
    powers = np.polynomial.polynomial.polyfit(logs, inverse, 3)
    left = float(np.abs(1 / np.polynomial.polynomial.polyval(logs, powers) - KELVIN - degc).max()) / span * 100
    order = np.argsort(inverse)
    at_25 = float(np.exp(np.interp(1 / (25 + KELVIN), inverse[order], logs[order])))
    said = f"These are the figures of another thermistor, of about {_ohms(at_25)} at 25 °C, through this pull-up."
    yield Explained(Slip.THERMISTOR, said, left)


def _ohms(ohm: float) -> str:
    return show(float(f"{ohm:.3g}"), "kohm" if ohm >= 1000 else "ohm", trim=True)  # noqa: PLR2004


def _line_between(right: NDArray[np.float64], shown: NDArray[np.float64]) -> tuple[float, float]:
    x, y = right - right.mean(), shown - shown.mean()
    gain = float((x * y).sum() / (x * x).sum())
    return float(shown.mean() - gain * right.mean()), gain


def _meant(tried: _Tried, presets: Sequence[tuple[str, Curve]], nominal_reference_v: float) -> Iterator[_Meant]:
    """Slips of the unit, the base, the sensor chosen, the ends and what feeds it, each as the curve would then be shown."""
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
            slip, sentence = _unit_or_base(scale, other)
            yield _Meant(slip=slip, sentence=sentence, wanted=partial(_shown, seen, other))
    yield from _presets(tried, presets)
    low, high = seen.shown_ends(scale)
    yield _Meant(
        slip=Slip.REVERSED,
        sentence="The two ends are exchanged: the value falls where the sensor's rises. Swap the values of the two points.",
        wanted=lambda readings: low + high - tried.curve(readings),
    )
    yield from _of_the_feed(tried, nominal_reference_v)


def _of_the_feed(tried: _Tried, nominal_reference_v: float) -> Iterator[_Meant]:
    """The ends of the input for those of the sensor; the nominal reference for the one measured, or the other way."""
    seen, scale = tried.seen, tried.scale
    if seen.unit != "V" or seen.curve.kind not in IN_VOLTS:
        return
    for other_v in dict.fromkeys((nominal_reference_v, 5.0)):
        if seen.curve.kind is not CurveKind.RATIO or abs(other_v / seen.feed.reference_v - 1) < _SAME_REFERENCE:
            continue
        other = replace(seen, feed=replace(seen.feed, reference_v=other_v))
        sentence = (
            f"The figures are for a reference of {other_v:g} V, and {seen.feed.reference_v:g} V is measured. Enter the volts at "
            "this one, unless the controller divides by its reference itself."
        )
        yield _Meant(slip=Slip.REFERENCE, sentence=sentence, wanted=partial(_shown, other, scale))
    low, high = seen.shown_ends(scale)
    at_low, at_high = (reading_at(seen.curve, v, seen.feed) for v in (seen.curve.value_low, seen.curve.value_high))
    rises = at_high > at_low
    for ends in _ENDS_V:
        first, last = ends if rises else ends[::-1]
        if {round(at_low, 3), round(at_high, 3)} == {first, last}:
            continue
        sentence = (
            f"The ends are entered at {ends[0]:g} and {ends[1]:g} V, but the sensor's lie at {at_low:.3g} and {at_high:.3g} V: "
            "type those with the two values."
        )
        whole = partial(_straight, (first, low), (last, high))
        yield _Meant(slip=Slip.ENDS_OF_INPUT, sentence=sentence, wanted=whole)


def _shown(seen: Input, scale: Scale, readings: NDArray[np.float64]) -> NDArray[np.float64]:
    return seen.shown_at(readings, scale)


def _straight(
    start: tuple[float, float], end: tuple[float, float], readings: NDArray[np.float64]
) -> NDArray[np.float64]:
    return start[1] + (readings - start[0]) / (end[0] - start[0]) * (end[1] - start[1])


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


def _presets(tried: _Tried, presets: Sequence[tuple[str, Curve]]) -> Iterator[_Meant]:
    """The other sensors of the same quantity, the nearest first."""
    own = tried.seen.curve
    found = []
    for name, curve in presets:
        if curve == own or curve.quantity is not own.quantity or curve.kind is not own.kind:
            continue
        wanted = partial(_of_preset, curve, tried.seen, tried.scale)
        sentence = f"These are the figures of another sensor, {name}."
        found.append(_Meant(slip=Slip.PRESET, sentence=sentence, wanted=wanted))
    yield from sorted(found, key=lambda m: tried.left_pct(m.wanted))


def _of_preset(curve: Curve, seen: Input, scale: Scale, readings: NDArray[np.float64]) -> NDArray[np.float64]:
    return scale.shown(value_from_reading(curve, readings, seen.feed), curve.pressure_base)


def _by_line(found: EntryVerdict, tried: _Tried, allowance_pct: float, unit: str) -> EntryVerdict:
    """An entry that no known slip explains, as an offset, a slope, or both; or as a curve that is not this one."""
    allowance = allowance_pct / 100 * tried.span
    right = tried.right
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
    # 689 for 689.476 is that number to its last digit, and 15 inHg the end of 15 whatever the sums' last bit.
    if limit.shown >= high - min(rounding_of(limit), 0.002 * abs(high - low)):
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
