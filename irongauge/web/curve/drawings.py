"""What the Curve room's tools look like: a curve with the typed point on it, a controller's line over the right one, two readings
on one scale, what is needed over what each sensor has.

The axes are those of the controller: its reading along, the value that it shows up. Everything is placed here; the templates
only draw it, and no drawing says anything that its words do not.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from irongauge.core.controllers.figures import Cells, ControllerForm, Input
from irongauge.core.measure.units import from_fixed, rebase, show, standard_atmosphere_kpa, unit_for
from irongauge.core.sensors.choosing import Fit, Need
from irongauge.core.sensors.circuits import SensorType
from irongauge.core.sensors.conversion import Feed, Scale
from irongauge.core.shop import Shop
from irongauge.web.axes import Axes, Tick, nice_ticks, signed

__all__ = [
    "BandBar",
    "ChoiceDrawing",
    "CurveDrawing",
    "RangeDrawing",
    "ScaleDrawing",
    "draw_choice",
    "draw_entry",
    "draw_numbers",
    "draw_pairs",
    "draw_point",
    "draw_scale",
    "draw_type",
]

_STEPS = 81
_WIDE = 12.0


@dataclass(frozen=True, kw_only=True)
class CurveDrawing:
    """A curve in a frame; what is laid over it is empty or None where there is nothing of the kind.

    `point` is the typed one, `entry_path` the controller's line with `shade_path` between the two, `worst` where they are
    furthest apart (x, both ys), `cells` those of a table.
    """

    axes: Axes
    right_path: str
    x_title: str
    y_title: str
    words: str
    point: tuple[float, float] | None = None
    entry_path: str = ""
    shade_path: str = ""
    worst: tuple[float, float, float] | None = None
    worst_text: str = ""
    cells: tuple[tuple[float, float], ...] = ()
    band_path: str = ""
    dots: tuple[tuple[float, float], ...] = ()


def _grid(seen: Input) -> NDArray[np.float64]:
    low, high = seen.reading_range
    return np.geomspace(low, high, _STEPS) if _is_wide(seen) else np.linspace(low, high, _STEPS)


def _is_wide(seen: Input) -> bool:
    """True for ohms over more than a decade, as a thermistor has: drawn evenly most would lie at one end."""
    low, high = sorted(seen.reading_range)
    return seen.unit == "ohm" and low > 0 and high > _WIDE * low


def _titles(seen: Input, scale: Scale) -> tuple[str, str]:
    base = "" if scale.base is None else f" {scale.base}"
    return (
        f"at the controller’s end, {unit_for(seen.unit).label}",
        f"{seen.curve.quantity}, {unit_for(scale.unit).label}{base}",
    )


def draw_point(seen: Input, scale: Scale, point: tuple[float, float] | None) -> CurveDrawing:
    """The curve and, where there is one, the point (reading, value as shown) on it or beside its range."""
    grid = _grid(seen)
    right = seen.shown_at(grid, scale)
    xs, ys = [*map(float, grid)], [*map(float, right)]
    also_x, also_y = ([point[0]], [point[1]]) if point is not None else ([], [])
    is_log_x = _is_wide(seen) and min([*xs, *also_x]) > 0
    axes = Axes.around([*xs, *also_x], [*ys, *also_y], is_log_x=is_log_x)
    x_title, y_title = _titles(seen, scale)
    at = "" if point is None else f"; the point lies at {point[0]:.4g} and {point[1]:.5g}"
    return CurveDrawing(
        axes=axes,
        right_path=axes.path(zip(xs, ys, strict=True)),
        point=None if point is None else (axes.x(point[0]), axes.y(point[1])),
        x_title=x_title,
        y_title=y_title,
        words=f"The curve from {ys[0]:.5g} to {ys[-1]:.5g} {unit_for(scale.unit).label}{at}",
    )


def draw_type(sensor: SensorType, shop: Shop) -> CurveDrawing | None:
    """A type's first signal over its range, in the shop's unit and the curve's own base; None where it follows no value."""
    if not sensor.channels:
        return None
    curve = sensor.channels[0].curve
    scale = Scale(shop.units[curve.quantity], curve.pressure_base, standard_atmosphere_kpa(shop.height_m))
    seen = Input(curve, Feed(sensor.supply_v, None, sensor.supply_v))
    return replace(draw_point(seen, scale, None), x_title=f"signal, {unit_for(seen.unit).label}")


def draw_entry(seen: Input, scale: Scale, form: ControllerForm) -> CurveDrawing:
    """What a controller makes of its readings, over what it should, the difference shaded and its worst place marked."""
    grid = _grid(seen)
    right, shown = seen.shown_at(grid, scale), form.shown_at(grid)
    worst = int(abs(shown - right).argmax())
    xs, ys, zs = ([*map(float, values)] for values in (grid, right, shown))
    axes = Axes.around(xs, [*ys, *zs], is_log_x=_is_wide(seen))
    between = [*zip(xs, ys, strict=True), *reversed([*zip(xs, zs, strict=True)])]
    off = float(shown[worst] - right[worst])
    unit = unit_for(scale.unit).label
    x_title, y_title = _titles(seen, scale)
    text = f"{signed(float(f'{off:.3g}'))} {unit}"
    return CurveDrawing(
        axes=axes,
        right_path=axes.path(zip(xs, ys, strict=True)),
        entry_path=axes.path(zip(xs, zs, strict=True)),
        shade_path=axes.path(between) + " Z",
        worst=(axes.x(xs[worst]), axes.y(ys[worst]), axes.y(zs[worst])),
        worst_text=text,
        cells=_cells(axes, form) if isinstance(form, Cells) else (),
        x_title=x_title,
        y_title=y_title,
        words=f"The controller's line over the right one; worst {text} at {xs[worst]:.4g} {unit_for(seen.unit).label}",
    )


def draw_numbers(seen: Input, scale: Scale, line: ControllerForm | None, table: Cells | None) -> CurveDrawing:
    """The curve with the cells of its table on it and, where it is not straight, the line that a two-figure form would make."""
    base = draw_point(seen, scale, None) if line is None else draw_entry(seen, scale, line)
    cells = () if table is None else _cells(base.axes, table)
    return replace(base, cells=cells, words=base.words + (f", {len(cells)} cells" if cells else ""))


def _cells(axes: Axes, table: Cells) -> tuple[tuple[float, float], ...]:
    return tuple((axes.x(x), axes.y(y)) for x, y in zip(table.readings, table.shown, strict=True))


def draw_pairs(rows: Sequence[tuple[float, float]], tolerance: float | None, unit: str) -> CurveDrawing:
    """Shown over its source, where `tolerance` says that both are in one unit: where they agree, what is allowed about that, and
    the pairs. Without one, the signal over whatever drives it, joined in their order along.
    """
    xs, ys = [x for x, _ in rows], [y for _, y in rows]
    label = unit_for(unit).label
    if tolerance is None:
        axes = Axes.around(xs, ys)
        right, band, along = axes.path(sorted(rows)), "", "what drives it"
    else:
        axes = Axes.around([*xs, *ys], [*xs, *ys])
        low, high = axes.x_low, axes.x_high
        right, along = axes.path([(low, low), (high, high)]), f"source, {label}"
        corners = [(low, low + tolerance), (high, high + tolerance), (high, high - tolerance), (low, low - tolerance)]
        band = axes.path(corners) + " Z"
    return CurveDrawing(
        axes=axes,
        right_path=right,
        band_path=band,
        dots=tuple((axes.x(x), axes.y(y)) for x, y in rows),
        x_title=along,
        y_title=f"shown, {label}",
        words=f"{len(rows)} pairs, shown over source",
    )


# Two readings on one scale


@dataclass(frozen=True, kw_only=True)
class BandBar:
    """One reading with the band that it is known to: as typed, and both ends."""

    name: str
    typed: str
    text: str
    x: float
    band: tuple[float, float]
    y: float


@dataclass(frozen=True, kw_only=True)
class ScaleDrawing:
    """Two readings on one scale; `shared` is where their bands overlap, `gap` what lies between them where they do not."""

    bars: tuple[BandBar, ...]
    ticks: tuple[Tick, ...]
    shared: tuple[float, float] | None
    gap: tuple[float, float] | None
    unit: str
    words: str


_SCALE = (40.0, 600.0)


def draw_scale(readings: Sequence[tuple[str, str, float, float]], unit: str) -> ScaleDrawing:
    """`readings` are two of (name, as typed, value, expanded uncertainty) in the fixed unit of `unit`."""
    shown = [
        (name, typed, from_fixed(v, unit), from_fixed(v - u, unit), from_fixed(v + u, unit))
        for name, typed, v, u in readings
    ]
    low, high = min(s[3] for s in shown), max(s[4] for s in shown)
    room = 0.25 * (high - low) or abs(high) * 0.05 or 1.0
    low, high = low - room, high + room

    def x(value: float) -> float:
        return round(_SCALE[0] + (_SCALE[1] - _SCALE[0]) * (value - low) / (high - low), 1)

    first, last = max(s[3] for s in shown), min(s[4] for s in shown)
    label = unit_for(unit).label
    bars = tuple(
        BandBar(
            name=name,
            typed=typed,
            text=f"{signed(float(f'{v:.5g}'))} {label}",
            x=x(v),
            band=(x(a), x(b)),
            y=46.0 + 64.0 * at,
        )
        for at, (name, typed, v, a, b) in enumerate(shown)
    )
    meets = first <= last
    how = "overlap" if meets else "do not meet"
    return ScaleDrawing(
        bars=bars,
        ticks=tuple(Tick(x(v), signed(v)) for v in nice_ticks(low, high, 6)),
        shared=(x(first), x(last)) if meets else None,
        gap=None if meets else (x(last), x(first)),
        unit=label,
        words=f"{bars[0].name} {bars[0].text}, {bars[1].name} {bars[1].text}: their bands {how}",
    )


# What is needed over what each sensor has


@dataclass(frozen=True, kw_only=True)
class RangeDrawing:
    """A sensor's range on the scale of all: its ends, what is used of it, what is lacked, and from where it is harmed."""

    left: float
    width: float
    used: tuple[float, float] | None
    lacks: tuple[tuple[float, float], ...]
    harm: float | None
    goes_on: bool
    said: str


@dataclass(frozen=True, kw_only=True)
class ChoiceDrawing:
    """The need and, on the same scale, every sensor's range, in the order of the fits; in a drawing 1000 wide."""

    need: tuple[float, float]
    margin: tuple[float, float]
    ticks: tuple[Tick, ...]
    ranges: tuple[RangeDrawing, ...]
    peak: float | None
    unit: str


_ROOM = 1.3  # how far the scale goes beyond the need, in its widths; a wider range goes on beyond the drawing


def draw_choice(
    fits: Sequence[Fit], need: Need, margin_pct: float, unit: str, peak_kpa: float | None = None
) -> ChoiceDrawing:
    """On the base of the need, in the shop's unit."""
    share = margin_pct / 100
    bare_high = (need.greatest + share * need.least) / (1 + share)
    span = need.greatest - need.least

    def on_need(fit: Fit, value: float) -> float:
        value_here: float = rebase(value, fit.channel.curve.pressure_base, need.base, need.atmosphere_kpa)
        return value_here

    ends = [on_need(f, v) for f in fits for v in (f.channel.curve.value_low, f.channel.curve.value_high)]
    least = max(min([need.least, *ends]), need.least - _ROOM * span)
    most = min(max([need.greatest, *ends, *([] if peak_kpa is None else [peak_kpa])]), need.greatest + _ROOM * span)
    room = 0.03 * (most - least)
    least, most = least - room, most + room

    def x(value: float) -> float:
        return round(1000 * min(max((value - least) / (most - least), 0.0), 1.0), 1)

    ranges = []
    for fit in fits:
        curve = fit.channel.curve
        low, high = on_need(fit, curve.value_low), on_need(fit, curve.value_high)
        first, last = need.least + fit.short_low, need.greatest - fit.short_high
        gaps = [(need.least, min(first, need.greatest)), (max(last, need.least), need.greatest)]
        harm_kpa = fit.sensor.bears.overpressure_kpa
        said = " to ".join(show(end, unit, trim=True) for end in (curve.value_low, curve.value_high))
        ranges.append(
            RangeDrawing(
                left=x(low),
                width=round(x(high) - x(low), 1),
                used=(x(max(first, low)), round(max(x(last) - x(max(first, low)), 0.0), 1)) if last > first else None,
                lacks=tuple((x(a), round(x(b) - x(a), 1)) for a, b in gaps if b > a),
                harm=None if harm_kpa is None or on_need(fit, harm_kpa) > most else x(on_need(fit, harm_kpa)),
                goes_on=high > most,
                said=f"range {said}, {100 * fit.share_used:.0f} % used",
            )
        )
    shown_low, shown_high = from_fixed(least, unit), from_fixed(most, unit)
    scale = (most - least) / (shown_high - shown_low)
    return ChoiceDrawing(
        need=(x(need.least), x(bare_high)),
        margin=(x(bare_high), x(need.greatest)),
        ticks=tuple(Tick(x(least + (v - shown_low) * scale), signed(v)) for v in nice_ticks(shown_low, shown_high, 7)),
        ranges=tuple(ranges),
        peak=None if peak_kpa is None else x(peak_kpa),
        unit=unit_for(unit).label + ("" if need.base is None else f" {need.base}"),
    )
