"""Calibration of one sensor: errors, the line through its points, and a decision with its uncertainty.

Points are a known stimulus and what is read at the controller's end (so that the loss of the line is part of the curve).
From them come the error of each point against the nominal curve, a least-squares line with intercept, linearity, hysteresis,
repeatability, residuals, a point that does not fit the others, and pass, fail or undecided by guarded acceptance.

Values are in the fixed unit of the curve's quantity and on its base; a stimulus on another base is moved before it comes here.
Errors in % are of the curve's span. Leaves out what a reading was typed as, and when.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from irongauge.core.calibration.budget import BudgetLine, Seen, Sources, budget_of, hysteresis_of, repeats_of, seen_in
from irongauge.core.calibration.points import CalibrationPoint
from irongauge.core.measure.line import FittedLine, fit_line
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import COVERAGE_K, combine, coverage_k, guarded_mark
from irongauge.core.measure.units import show
from irongauge.core.sensors.conversion import (
    Feed,
    reading_at,
    reading_to_signal,
    value_from_reading,
)
from irongauge.core.sensors.transfer import Curve, CurveKind, LinearCurve, TableCurve

__all__ = [
    "CalibrationResult",
    "Outlier",
    "PointResult",
    "fitted_curve",
    "judge_calibration",
]

_LEAST_FOR_OUTLIER = 5  # a line through four others leaves two degrees of freedom
# Student's t for a level of confidence of 99.73 %, by degrees of freedom from 1 (JCGM 100:2008, table G.2).
_T_99_73 = (235.80, 19.21, 9.22, 6.62, 5.51, 4.90, 4.53, 4.28, 4.09, 3.96)
_T_MANY = 3.6  # beyond the table; at ten it is 3.96, in the limit 3.0
_ON_ANY_LINE = 2  # points
_ROUNDING = 1e-9  # of the span: what is smaller is the computer's rounding, not the sensor's scatter


@dataclass(frozen=True, kw_only=True)
class PointResult:
    """A point judged: `value` is what the nominal curve makes of the reading, `error` that less the stimulus.

    `expanded_u` is of the error, with `coverage_k`, which is 2 but where few repeats say how far readings scatter; both
    also in % of span. `residual_pct` is from the fitted line, None without one.
    """

    point: CalibrationPoint
    value: float
    error: float
    error_pct: float
    expanded_u: float
    expanded_u_pct: float
    mark: Mark
    expected_reading: float
    budget: tuple[BudgetLine, ...]
    coverage_k: float = COVERAGE_K
    residual_pct: float | None = None
    note: str = ""


@dataclass(frozen=True)
class Outlier:
    """A point that lies off the line of the others: how far in % of span, and how far they scatter themselves."""

    index: int
    off_pct: float
    scatter_pct: float


@dataclass(frozen=True, kw_only=True)
class CalibrationResult:
    """A whole calibration. Percentages are of the span of the signal that the nominal curve gives.

    `zero_pct` and `span_pct` are the error at the low end of the range and the change of the span, from the line; `ends_u_pct`
    how well the line is known at both ends of the range (k = 2). `linearity_pct` is from the line of least squares,
    `linearity_ends_pct` from that through the two outermost points, `linearity_zero_pct` from the best that starts at the lowest.
    """

    points: tuple[PointResult, ...]
    fit: FittedLine | None
    linearity_pct: float | None
    linearity_ends_pct: float | None
    linearity_zero_pct: float | None
    hysteresis_pct: float | None
    repeatability_pct: float | None
    zero_pct: float | None
    span_pct: float | None
    ends_u_pct: tuple[float, float] | None
    outlier: Outlier | None
    mark: Mark
    tolerance: float
    notes: tuple[str, ...]

    @property
    def worst(self) -> PointResult | None:
        """The point with the greatest error."""
        return max(self.points, key=lambda p: abs(p.error), default=None)


def judge_calibration(
    curve: Curve, points: Sequence[CalibrationPoint], tolerance_pct: float, feed: Feed, sources: Sources
) -> CalibrationResult:
    """Everything that the points say about a sensor of that nominal curve.

    `feed.reference_v` serves the points that have no reference of their own.
    """
    span = curve.value_high - curve.value_low
    tolerance = tolerance_pct / 100 * span
    response = _Response(curve, feed)
    used = [at for at, p in enumerate(points) if not p.left_out and math.isfinite(response.of(p))]
    deviations = [(points[at], _deviation_pct(curve, points[at], feed)) for at in used]
    outlier = _outlier(response, points, used, sources)
    # A point that lies off the others is said as such, and is not what all of them are known to.
    seen = seen_in([d for at, d in zip(used, deviations, strict=True) if outlier is None or at != outlier.index], span)
    repeats, hysteresis = repeats_of(deviations), hysteresis_of(deviations)
    judged = [_judge_point(curve, p, tolerance, feed=feed, sources=sources, seen=seen) for p in points]
    fit = response.fit([points[at] for at in used])
    result = CalibrationResult(
        points=tuple(judged),
        fit=fit,
        linearity_pct=None,
        linearity_ends_pct=None,
        linearity_zero_pct=None,
        hysteresis_pct=hysteresis,
        repeatability_pct=None if repeats is None else repeats[0],
        zero_pct=None,
        span_pct=None,
        ends_u_pct=None,
        outlier=outlier,
        mark=Mark.worst(p.mark for p in judged),
        tolerance=tolerance,
        notes=(_no_line(len(used)),) if fit is None and used else (),
    )
    if fit is None:
        return result
    by_line = _by_line(result, fit, points, used, curve=curve, response=response)
    ends_u, taken = by_line.ends_u_pct, [points[at] for at in used]
    assert ends_u is not None  # there is a line
    if max(ends_u) <= tolerance_pct:
        return by_line
    mark = Mark.UNDECIDED if by_line.mark is Mark.PASS else by_line.mark
    return replace(by_line, notes=(_too_close(curve, taken, ends_u, tolerance_pct, sources.unit),), mark=mark)


def _by_line(
    result: CalibrationResult,
    fit: FittedLine,
    points: Sequence[CalibrationPoint],
    used: Sequence[int],
    *,
    curve: Curve,
    response: _Response,
) -> CalibrationResult:
    """The result with what the fitted line says: residuals, linearities, and both ends against the nominal curve."""
    full = response.full / 100
    off = {at: r / full for at, r in zip(used, fit.residuals, strict=True)}
    judged = [replace(p, residual_pct=off.get(at)) for at, p in enumerate(result.points)]
    linearity = ends_linearity = zero_linearity = None
    if fit.count > _ON_ANY_LINE:
        linearity = max(abs(r) for r in off.values())
        places = [(points[at].stimulus, response.of(points[at]) / full) for at in used]
        ends_linearity, zero_linearity = _other_linearities(places)
    zero, high_off = ((fit.line.signal_at(v) - response.nominal(v)) / full for v in (curve.value_low, curve.value_high))
    return replace(
        result,
        points=tuple(judged),
        linearity_pct=linearity,
        linearity_ends_pct=ends_linearity,
        linearity_zero_pct=zero_linearity,
        zero_pct=zero,
        span_pct=high_off - zero,
        ends_u_pct=_ends_u_pct(curve, [points[at] for at in used], [judged[at].expanded_u_pct for at in used]),
        notes=(_wrong_way(falls=fit.line.slope < 0),) if fit.line.slope * response.full < 0 else result.notes,
    )


def _wrong_way(*, falls: bool) -> str:
    way = "falls as the stimulus rises, and should rise" if falls else "rises with the stimulus, and should fall"
    return f"The signal {way}: exchanged wires, points typed at each other's place, or another sensor."


def _deviation_pct(curve: Curve, point: CalibrationPoint, feed: Feed) -> float:
    value = _value_read(curve, point, _feed_of(curve, point, feed))
    return (value - point.stimulus) / (curve.value_high - curve.value_low) * 100


def _other_linearities(places: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """Greatest distance from the line through the two outermost points, and from the best line that starts at the lowest; of
    (stimulus, response in % of span). Means of like stimuli count once.
    """
    ordered = sorted(places)
    low_x, high_x = ordered[0][0], ordered[-1][0]
    low_y, high_y = (
        math.fsum(y for x, y in ordered if x == end) / sum(x == end for x, _ in ordered) for end in (low_x, high_x)
    )
    ends_slope = (high_y - low_y) / (high_x - low_x)
    square = math.fsum((x - low_x) ** 2 for x, _ in ordered)
    zero_slope = math.fsum((x - low_x) * (y - low_y) for x, y in ordered) / square
    ends, zero = (max(abs(y - low_y - slope * (x - low_x)) for x, y in ordered) for slope in (ends_slope, zero_slope))
    return ends, zero


def _ends_u_pct(curve: Curve, points: Sequence[CalibrationPoint], expanded_pct: Sequence[float]) -> tuple[float, float]:
    """Expanded uncertainty of the line at both ends of the range, from that of each point (JCGM 100:2008, 5.1.2).

    The line of least squares is a weighted sum of the responses, `w = 1/n + (v − x̄)(x − x̄)/Σ(x − x̄)²` at a value v.
    """
    n = len(points)
    centre = math.fsum(p.stimulus for p in points) / n
    sxx = math.fsum((p.stimulus - centre) ** 2 for p in points)

    def at(value: float) -> float:
        weights = [1 / n + (value - centre) * (p.stimulus - centre) / sxx for p in points]
        return math.hypot(*(w * u for w, u in zip(weights, expanded_pct, strict=True)))

    return at(curve.value_low), at(curve.value_high)


def _too_close(
    curve: Curve, points: Sequence[CalibrationPoint], ends_u_pct: tuple[float, float], tolerance_pct: float, unit: str
) -> str:
    """That the points lie too close for the line's ends, and which second point would do."""
    stimuli = [p.stimulus for p in points]
    span = curve.value_high - curve.value_low
    u_pct = max(ends_u_pct) * (max(stimuli) - min(stimuli)) / span  # of one point, as far as it reaches the far end
    # Twice the wanted distance of two points halves what their line is not known by at its ends.
    apart = min(0.8, 1.5 * u_pct / tolerance_pct) * span
    near_low = math.fsum(stimuli) / len(stimuli) < (curve.value_low + curve.value_high) / 2
    wanted = min(min(stimuli) + apart, curve.value_high) if near_low else max(max(stimuli) - apart, curve.value_low)
    way = "or above" if near_low else "or below"
    said = f"{show(wanted, unit, trim=True)}" if unit else f"{wanted:.4g}"
    return (
        f"The points lie close together: at the ends of the range their line is known to ± {max(ends_u_pct):.1f} % of span only, "
        f"where {tolerance_pct:g} % is asked. Take another point at {said} {way}."
    )


def _no_line(count: int) -> str:
    if count == 1:
        return "One point gives an error, but no line: slope and offset need a second one at another stimulus."
    return (
        "All points have the same stimulus (or the same signal), so no line goes through them. Take one further away."
    )


def _feed_of(curve: Curve, point: CalibrationPoint, feed: Feed) -> Feed:
    """The feed with the reference that was read at this point: for a thermistor that is what the pull-up hangs on."""
    if point.reference_v is None:
        return feed
    if curve.kind is CurveKind.OHMS:
        return replace(feed, pull_up_v=point.reference_v)
    return replace(feed, reference_v=point.reference_v)


@dataclass(frozen=True)
class _Response:
    """What the line is laid through: the signal of a straight curve, else the value that the nominal curve makes of it."""

    curve: Curve
    feed: Feed

    def of(self, point: CalibrationPoint) -> float:
        own = _feed_of(self.curve, point, self.feed)
        if isinstance(self.curve, LinearCurve):
            return reading_to_signal(self.curve.kind, point.reading, own)
        return value_from_reading(self.curve, point.reading, own)

    def nominal(self, value: float) -> float:
        return self.curve.signal_at(value) if isinstance(self.curve, LinearCurve) else value

    @property
    def full(self) -> float:
        """The span of the response; negative for a falling signal, so that percentages keep the sign of the value."""
        return self.nominal(self.curve.value_high) - self.nominal(self.curve.value_low)

    def fit(self, points: Sequence[CalibrationPoint]) -> FittedLine | None:
        return fit_line([p.stimulus for p in points], [self.of(p) for p in points])


def _judge_point(
    curve: Curve, point: CalibrationPoint, tolerance: float, *, feed: Feed, sources: Sources, seen: Seen
) -> PointResult:
    own = _feed_of(curve, point, feed)
    span = curve.value_high - curve.value_low
    value = _value_read(curve, point, own)
    expected = reading_at(curve, point.stimulus, own)
    if not math.isfinite(value):
        note = "There is no value behind this reading: it lies at 0, or at or beyond the supply."
        return PointResult(
            point=point,
            value=point.stimulus,
            error=span,
            error_pct=100.0,
            expanded_u=0.0,
            expanded_u_pct=0.0,
            mark=Mark.FAIL,
            expected_reading=expected,
            budget=(),
            note=note,
        )
    budget = budget_of(curve, point, value, feed=own, sources=sources, seen=seen)
    combined = combine(*(line.contribution for line in budget))
    k = COVERAGE_K if seen.scatter is None else coverage_k(combined, seen.scatter, seen.freedom)
    expanded = k * combined
    error = value - point.stimulus
    mark = guarded_mark(error, Limits(-tolerance, tolerance), expanded, expanded)
    return PointResult(
        point=point,
        value=value,
        error=error,
        error_pct=error / span * 100,
        expanded_u=expanded,
        expanded_u_pct=expanded / span * 100,
        mark=mark,
        expected_reading=expected,
        budget=budget,
        coverage_k=k,
        note=_note(curve, point, own),
    )


def _value_read(curve: Curve, point: CalibrationPoint, feed: Feed) -> float:
    """The value that the nominal curve makes of a reading; on a level stretch the one nearest the stimulus."""
    level = (
        curve.level_at(reading_to_signal(curve.kind, point.reading, feed)) if isinstance(curve, TableCurve) else None
    )
    if level is None:
        return value_from_reading(curve, point.reading, feed)
    return min(max(point.stimulus, level[0]), level[1])


def _note(curve: Curve, point: CalibrationPoint, feed: Feed) -> str:
    """What is odd about a point, whatever its error."""
    if curve.kind is CurveKind.RATIO and point.reading > feed.reference_v:
        return "The signal is above the reference: suspect a short to supply or the wrong pin, and go to the Bench."
    if point.reading < 0:
        return "The signal is below 0: suspect exchanged leads or a lifted ground."
    # A stimulus typed in another unit reaches an end to within its last digit.
    slack = max(1e-6 * (curve.value_high - curve.value_low), point.stimulus_step / 2)
    if not curve.value_low - slack <= point.stimulus <= curve.value_high + slack:
        return "The stimulus lies outside the sensor's range."
    return ""


def _outlier(
    response: _Response, points: Sequence[CalibrationPoint], used: Sequence[int], sources: Sources
) -> Outlier | None:
    """The point furthest from the line of the others, where that is further than chance (99.73 %) takes it.

    What the meter itself cannot tell never makes one.
    """
    if len(used) < _LEAST_FOR_OUTLIER:
        return None
    found: list[tuple[float, Outlier]] = []
    for at in used:
        point = points[at]
        others = [points[i] for i in used if i != at]
        fit = response.fit(others)
        if fit is None or fit.residual_sd is None:
            continue
        freedom = len(others) - 2
        t = _T_99_73[freedom - 1] if freedom <= len(_T_99_73) else _T_MANY
        # The others' scatter is an estimate from few, so it counts t times; the meter's own is known, so it counts thrice.
        limit = max(t * fit.residual_sd, 3 * _step(response, point, sources), _ROUNDING * abs(response.full))
        mean = math.fsum(p.stimulus for p in others) / len(others)
        sxx = math.fsum((p.stimulus - mean) ** 2 for p in others)
        reach = limit * math.sqrt(1 + 1 / len(others) + (point.stimulus - mean) ** 2 / sxx)
        off = response.of(point) - fit.line.signal_at(point.stimulus)
        if abs(off) > reach:
            full = response.full / 100
            found.append((abs(off) / reach, Outlier(at, off / full, fit.residual_sd / abs(full))))
    return max(found, key=lambda pair: pair[0])[1] if found else None


def _step(response: _Response, point: CalibrationPoint, sources: Sources) -> float:
    """The meter's standard uncertainty at a point, in the unit of the response."""
    bumped = replace(point, reading=point.reading + sources.meter.standard_uncertainty(point.reading))
    moved = response.of(bumped) - response.of(point)
    return abs(moved) if math.isfinite(moved) else 0.0


def fitted_curve(curve: Curve, fit: FittedLine) -> LinearCurve | None:
    """The sensor's own straight curve over its nominal range, as left; None for one that is not straight or does not move."""
    if not isinstance(curve, LinearCurve):
        return None
    low, high = (fit.line.signal_at(v) for v in (curve.value_low, curve.value_high))
    try:
        return replace(curve, signal_low=low, signal_high=high)
    except ValueError:
        return None  # the signal is stuck: it makes no curve
