"""The transfer curve with its points, and under it the error strip: how far each point is off, in % of span.

    4.5 V ┤            ╱▒      tolerance band about the nominal curve, points with the shape of their mark,
          │        ╱▒●         the line through them
    0.5 V ┼──●▒─────────────
     +2 % ┤ ░░░░░░░░░░░░░░░     the same points, error against value, with a whisker of ± U
     −2 % ┤   ┃       ┃

Both parts share the axis of values. Everything is placed in one 640-wide box; the template only draws it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from irongauge.core.calibration.judging import CalibrationResult
from irongauge.core.calibration.points import Run
from irongauge.core.measure.line import StraightLine
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import unit_for
from irongauge.core.sensors.conversion import Feed, Scale, reading_at, signal_to_reading
from irongauge.core.sensors.transfer import Curve, LinearCurve
from irongauge.web.axes import Axes, Tick, nice_ticks, path_through

__all__ = ["CurvePlot", "PlotDot", "draw_calibration"]

_HEIGHT, _LEFT, _RIGHT, _TOP, _BOTTOM = 500.0, 62.0, 628.0, 16.0, 300.0
_STRIP_TOP, _STRIP_BOTTOM = 334.0, 454.0
_STEPS = 40
_LEAST_STRIP = 1.5  # the strip shows at least this many tolerances either side


@dataclass(frozen=True, kw_only=True)
class PlotDot:
    """A point in both parts. `typed` is one that is still being typed; `cut` one whose error lies beyond the strip."""

    number: int
    x: float
    y: float
    error_y: float
    whisker_top: float
    whisker_bottom: float
    mark: str
    run: str
    left_out: bool
    typed: bool
    is_outlier: bool
    title: str


@dataclass(frozen=True, kw_only=True)
class CurvePlot:
    """`axes` are those of the curve, `strip` those of the errors below it, on the same values."""

    axes: Axes
    strip: Axes
    curve_path: str
    band_path: str
    line_path: str
    tolerance_top: float
    tolerance_bottom: float
    next_x: float | None
    dots: tuple[PlotDot, ...]
    x_title: str
    y_title: str
    words: str

    @property
    def error_ticks(self) -> tuple[Tick, ...]:
        """Round errors with their signs."""
        ticks = nice_ticks(self.strip.y_low, self.strip.y_high, 5)
        return tuple(Tick(self.strip.y(v), f"{v:+g}".replace("-", "−") if v else "0") for v in ticks)


@dataclass(frozen=True)
class _Frame:
    """Where a value of the curve and its reading lie, and how far off it is."""

    curve: Curve
    feed: Feed
    scale: Scale
    axes: Axes
    strip: Axes

    def x(self, value: float) -> float:
        shown: float = self.scale.shown(value, self.curve.pressure_base)
        return self.axes.x(shown)

    def at(self, value: float) -> tuple[float, float]:
        """The curve's own point at a value."""
        return self.x(value), self.axes.y(reading_at(self.curve, value, self.feed))


def draw_calibration(
    curve: Curve,
    feed: Feed,
    scale: Scale,
    *,
    result: CalibrationResult,
    tolerance_pct: float,
    reading_unit: str,
    next_value: float | None = None,
    typed: int | None = None,
) -> CurvePlot:
    """The picture of a calibration. `next_value` is the stimulus that is asked for, `typed` the index of the point that is
    still being typed.
    """
    frame = _frame(curve, feed, scale, result, tolerance_pct)
    values = [curve.value_low + (curve.value_high - curve.value_low) * at / _STEPS for at in range(_STEPS + 1)]
    if isinstance(curve, LinearCurve):
        values = [curve.value_low, curve.value_high]
    unit, reading = unit_for(scale.unit), unit_for(reading_unit)
    base = "" if scale.base is None else f" {scale.base}"
    return CurvePlot(
        axes=frame.axes,
        strip=frame.strip,
        curve_path=path_through(frame.at(v) for v in values),
        band_path=_band(frame, values, tolerance_pct / 100 * (curve.value_high - curve.value_low)),
        line_path="" if result.fit is None else _line(frame, result.fit.line),
        tolerance_top=frame.strip.y(tolerance_pct),
        tolerance_bottom=frame.strip.y(-tolerance_pct),
        next_x=None if next_value is None else frame.x(next_value),
        dots=tuple(_dots(frame, result, typed)),
        x_title=f"{curve.quantity}, {unit.label}{base}",
        y_title=reading.label,
        words=_words(result),
    )


def _frame(curve: Curve, feed: Feed, scale: Scale, result: CalibrationResult, tolerance_pct: float) -> _Frame:
    ends = [curve.value_low, curve.value_high, *(p.point.stimulus for p in result.points)]
    shown = [scale.shown(v, curve.pressure_base) for v in ends]
    margin = 0.04 * (max(shown) - min(shown))
    readings = [reading_at(curve, v, feed) for v in (curve.value_low, curve.value_high)]
    readings += [p.point.reading for p in result.points]
    gap = 0.1 * (max(readings) - min(readings))
    far = [abs(p.error_pct) + p.expanded_u_pct for p in result.points]
    reach = max(_LEAST_STRIP * tolerance_pct, min(max(far, default=0.0) * 1.1, 6 * tolerance_pct))
    axes = Axes(
        x_low=min(shown) - margin,
        x_high=max(shown) + margin,
        y_low=min(readings) - gap,
        y_high=max(readings) + gap,
        height=_HEIGHT,
        left=_LEFT,
        right=_RIGHT,
        top=_TOP,
        bottom=_BOTTOM,
    )
    return _Frame(
        curve, feed, scale, axes, replace(axes, y_low=-reach, y_high=reach, top=_STRIP_TOP, bottom=_STRIP_BOTTOM)
    )


def _band(frame: _Frame, values: Sequence[float], tolerance: float) -> str:
    """Where a sensor within its tolerance reads: the curve moved by the tolerance in the value, either way."""
    upper, lower = [], []
    for value in values:
        ends = [frame.axes.y(reading_at(frame.curve, value + part, frame.feed)) for part in (-tolerance, tolerance)]
        upper.append((frame.x(value), min(ends)))
        lower.append((frame.x(value), max(ends)))
    return path_through([*upper, *reversed(lower)]) + " Z"


def _line(frame: _Frame, line: StraightLine) -> str:
    """The fitted line; of a curve that is not straight the line is through values, and bent back through the curve."""
    curve = frame.curve
    points = []
    for at in range(_STEPS + 1):
        value = curve.value_low + (curve.value_high - curve.value_low) * at / _STEPS
        if isinstance(curve, LinearCurve):
            reading = signal_to_reading(curve.kind, line.signal_at(value), frame.feed)
        else:
            reading = reading_at(curve, line.signal_at(value), frame.feed)
        points.append((frame.x(value), frame.axes.y(reading)))
    return path_through(points)


def _dots(frame: _Frame, result: CalibrationResult, typed: int | None) -> list[PlotDot]:
    dots = []
    for at, found in enumerate(result.points):
        point = found.point
        dots.append(
            PlotDot(
                number=at + 1,
                x=frame.x(point.stimulus),
                y=frame.axes.y(point.reading),
                error_y=frame.strip.y(found.error_pct),
                whisker_top=frame.strip.y(found.error_pct + found.expanded_u_pct),
                whisker_bottom=frame.strip.y(found.error_pct - found.expanded_u_pct),
                mark=found.mark,
                run="down" if point.run is Run.DOWN else "up",
                left_out=bool(point.left_out),
                typed=at == typed,
                is_outlier=result.outlier is not None and result.outlier.index == at,
                title=f"point {at + 1}: {found.error_pct:+.2f} % of span, {found.mark}",
            )
        )
    return dots


def _words(result: CalibrationResult) -> str:
    counts = {mark: sum(p.mark is mark for p in result.points) for mark in (Mark.PASS, Mark.FAIL, Mark.UNDECIDED)}
    said = ", ".join(f"{count} {mark}" for mark, count in counts.items() if count)
    return f"Transfer curve with {len(result.points)} points" + (f": {said}" if said else "")
