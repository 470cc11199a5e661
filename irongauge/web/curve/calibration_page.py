"""What the page of one calibration shows, worked out."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from irongauge.core.calibration.budget import BudgetLine
from irongauge.core.calibration.judging import PointResult
from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import KeptPoint
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import rebase, show, show_difference, unit_for
from irongauge.core.sensors.conversion import reading_unit
from irongauge.core.sensors.transfer import CurveKind
from irongauge.web.curve.plot import CurvePlot, draw_calibration
from irongauge.workflows.curve.calibrate import CalibrationView, shown_scale
from irongauge.workflows.shop.view import today

__all__ = ["AskedPoint", "BudgetShown", "CalibrationPage", "Figure", "PointLine", "calibration_page", "fed_with"]


@dataclass(frozen=True, kw_only=True)
class AskedPoint:
    """The point that the page asks for: which, how to get there, and what stands in its fields already.

    At a turn the stimulus stays where the point before was taken: nothing lies beyond the end of a range to come from.
    """

    place: int
    of: int
    run: Run
    target: str
    current: KeptPoint | None
    is_turn: bool = False


@dataclass(frozen=True, kw_only=True)
class PointLine:
    """A line of the table of points."""

    number: int
    kept: KeptPoint
    result: PointResult
    stimulus: str
    reading: str
    expected: str
    error: str
    expanded_u: str
    is_outlier: bool
    earlier: tuple[KeptPoint, ...]


@dataclass(frozen=True)
class Figure:
    """A result by its name, with what it means behind it."""

    name: str
    text: str
    meaning: str


@dataclass(frozen=True)
class BudgetShown:
    """One line of the uncertainty budget, as text."""

    source: str
    standard: str
    multiplied: str
    contribution: str
    share_pct: float


@dataclass(frozen=True, kw_only=True)
class CalibrationPage:
    """Everything that the template of a calibration shows."""

    view: CalibrationView
    asked: AskedPoint | None
    plot: CurvePlot
    lines: tuple[PointLine, ...]
    figures: tuple[Figure, ...]
    budget: tuple[BudgetShown, ...]
    budget_at: str
    warnings: tuple[str, ...]
    outlier: str
    reading_label: str
    unit_label: str
    today: date
    may_sign: bool
    mark: Mark
    headline: str


_HEADLINES = {
    Mark.PASS: "Within tolerance at every point, by more than the uncertainty.",
    Mark.FAIL: "Out of tolerance.",
    Mark.UNDECIDED: "Too close to the tolerance to decide. Use a better gauge or meter.",
    Mark.NOT_MEASURED: "No point yet.",
}


def calibration_page(
    view: CalibrationView, typed: CalibrationView | None = None, place: int | None = None
) -> CalibrationPage:
    """The page. `typed` is the calibration as it would be with what stands in the fields; `place` a point to correct."""
    calibration = view.calibration
    asked = _asked(view, place)
    shown = view if typed is None else typed
    curve, feed = calibration.channel.curve, calibration.feed
    scale = shown_scale(view.shop, calibration)
    unit = reading_unit(curve.kind, feed)
    next_value = None
    if asked is not None and asked.place < len(calibration.setup.plan):
        next_value = calibration.setup.plan[asked.place].stimulus
    plot = draw_calibration(
        curve,
        feed,
        scale,
        result=shown.result,
        tolerance_pct=calibration.sensor.tolerance_pct_span,
        reading_unit=unit,
        next_value=next_value,
        typed=None if typed is None else len(typed.result.points) - 1,
    )
    return CalibrationPage(
        view=view,
        asked=asked,
        plot=plot,
        lines=_lines(view),
        figures=_figures(shown),
        budget=_budget(shown),
        budget_at=_budget_at(shown),
        warnings=_warnings(view),
        outlier=_outlier(shown),
        reading_label=unit_for(unit).label,
        unit_label=unit_for(scale.unit).label,
        today=today(view.shop),
        may_sign=bool(calibration.current) and calibration.signed_at is None and calibration.is_planned_done,
        mark=shown.result.mark,
        headline=_HEADLINES[shown.result.mark],
    )


def stimulus_text(view: CalibrationView, value: float, *, trim: bool = False) -> str:
    """A stimulus as the reference instrument shows it."""
    curve = view.calibration.channel.curve
    scale = shown_scale(view.shop, view.calibration)
    shown: float = rebase(value, curve.pressure_base, scale.base, scale.atmosphere_kpa)
    base = "" if scale.base is None else f" {scale.base}"
    return show(shown, scale.unit, trim=trim) + base


def reading_text(view: CalibrationView, reading: float) -> str:
    """A point's reading as a person says it."""
    unit = reading_unit(view.calibration.channel.curve.kind, view.calibration.feed)
    return show(reading, unit)


def _asked(view: CalibrationView, place: int | None) -> AskedPoint | None:
    calibration = view.calibration
    if calibration.signed_at is not None or (view.job is not None and view.job.handed_over_at is not None):
        return None
    at = calibration.next_place if place is None else place
    plan = calibration.setup.plan
    current = next((p for p in calibration.current if p.place == at), None)
    if place is not None and current is None:
        return _asked(view, None)
    planned = plan[at] if at < len(plan) else None
    run = current.run if current is not None else (planned.run if planned is not None else Run.UP)
    target = "" if planned is None else stimulus_text(view, planned.stimulus, trim=True)
    is_turn = planned is not None and at > 0 and plan[at - 1].stimulus == planned.stimulus
    return AskedPoint(place=at, of=max(len(plan), at + 1), run=run, target=target, current=current, is_turn=is_turn)


def fed_with(view: CalibrationView) -> str:
    """What the sensor was fed with, in words."""
    setup, record = view.calibration.setup, view.calibration
    if setup.pull_up_ohm is not None:
        return f"{setup.pull_up_ohm:g} Ω to {record.feed.pull_up_v:.3f} V"
    if record.channel.curve.kind is CurveKind.CURRENT:
        read = "read in mA" if setup.shunt_ohm is None else f"read over {setup.shunt_ohm:g} Ω"
        return f"{record.nominal_reference_v:g} V, {read}"
    if setup.reference_each:
        return "a reference that was read with every point"
    if setup.reference_v is not None:
        return f"a reference of {setup.reference_v:.3f} V, measured"
    return f"its nominal {record.nominal_reference_v:g} V, not measured"


def _lines(view: CalibrationView) -> tuple[PointLine, ...]:
    calibration, result = view.calibration, view.result
    unit = view.shop.units[calibration.channel.curve.quantity]
    gone: dict[int, list[KeptPoint]] = {}
    current = calibration.current
    for point in calibration.points:
        if point not in current:
            gone.setdefault(point.place, []).append(point)
    lines = []
    for at, (kept, found) in enumerate(zip(current, result.points, strict=True)):
        lines.append(
            PointLine(
                number=kept.place + 1,
                kept=kept,
                result=found,
                stimulus=stimulus_text(view, kept.stimulus),
                reading=reading_text(view, kept.reading),
                expected=reading_text(view, found.expected_reading),
                error=_signed(show_difference(found.error, unit)),
                expanded_u=show_difference(found.expanded_u, unit),
                is_outlier=result.outlier is not None and result.outlier.index == at,
                earlier=tuple(reversed(gone.get(kept.place, []))),
            )
        )
    return tuple(lines)


def _signed(text: str) -> str:
    return text if text.startswith("−") else f"+{text}"


def _pct(value: float) -> str:
    return f"{value:+.2f} %".replace("-", "−")


def _figures(view: CalibrationView) -> tuple[Figure, ...]:
    """The results that the points allow, each with what it is."""
    result = view.result
    found = []
    worst = result.worst
    if worst is not None:
        where = stimulus_text(view, worst.point.stimulus)
        found.append(Figure("worst error", _pct(worst.error_pct), f"of span, at {where}"))
    if result.fit is not None and result.zero_pct is not None and result.span_pct is not None:
        found.append(Figure("offset", _pct(result.zero_pct), "of span, at the low end of the line"))
        found.append(Figure("span", _pct(result.span_pct), "how much the line is longer than it should be"))
    if result.linearity_pct is not None:
        found.append(Figure("linearity", f"{result.linearity_pct:.2f} %", "greatest distance from the best line"))
    if result.linearity_ends_pct is not None and result.linearity_zero_pct is not None:
        others = f"{result.linearity_ends_pct:.2f} and {result.linearity_zero_pct:.2f} %"
        found.append(Figure("by its ends, from its zero", others, "as other sheets reckon it"))
    if result.hysteresis_pct is not None:
        found.append(Figure("hysteresis", f"{result.hysteresis_pct:.2f} %", "greatest difference, up against down"))
    if result.repeatability_pct is not None:
        found.append(Figure("repeatability", f"{result.repeatability_pct:.2f} %", "standard deviation of repeats"))
    return tuple(found)


def _budget(view: CalibrationView) -> tuple[BudgetShown, ...]:
    worst = view.result.worst
    if worst is None:
        return ()
    unit = view.shop.units[view.calibration.channel.curve.quantity]
    total = sum(line.contribution**2 for line in worst.budget) or 1.0
    return tuple(_budget_line(line, unit, total) for line in worst.budget if line.contribution)


def _budget_line(line: BudgetLine, unit: str, total: float) -> BudgetShown:
    if line.unit == "V":
        own = f"{line.standard * 1000:.1f} mV"
    else:
        own = show_difference(line.standard, unit if line.sensitivity == 1.0 else line.unit, 3)
    each = show_difference(abs(line.sensitivity), unit, 4)
    multiplied = "1" if line.sensitivity == 1.0 else f"{each} per {unit_for(line.unit).label}"
    share = line.contribution**2 / total * 100
    return BudgetShown(line.source, own, multiplied, show_difference(line.contribution, unit), share)


def _budget_at(view: CalibrationView) -> str:
    worst = view.result.worst
    if worst is None:
        return ""
    unit = view.shop.units[view.calibration.channel.curve.quantity]
    return (
        f"At {stimulus_text(view, worst.point.stimulus)}: U = {show_difference(worst.expanded_u, unit)} "
        f"({worst.expanded_u_pct:.2f} % of span), k = {worst.coverage_k:.3g}."
    )


def _warnings(view: CalibrationView) -> tuple[str, ...]:
    """What a reader of the record must know: instruments out of date or not named, a reference that was assumed."""
    calibration, setup = view.calibration, view.calibration.setup
    day = calibration.started_at.date()
    found = list(view.result.notes)
    for tool, missing in (
        (view.meter, "No meter is named: a plain handheld (1 % + 3 digits) was taken."),
        (view.gauge, "No reference instrument is named: its uncertainty is missing from U."),
    ):
        if tool is None:
            found.append(missing)
        elif tool.overdue_on(day):
            assert tool.due is not None  # or it could not be overdue
            found.append(f"{tool.name} was out of date: its calibration was due {tool.due:%d %b %Y}.")
    if setup.reference_v is None and any(line.source == "reference not measured" for line in _all_budget(view)):
        found.append(
            f"The reference was not measured: {calibration.nominal_reference_v:g} V ± 2 % was taken, which widens U."
        )
    return tuple(found)


def _all_budget(view: CalibrationView) -> list[BudgetLine]:
    return [line for point in view.result.points for line in point.budget]


def _outlier(view: CalibrationView) -> str:
    outlier = view.result.outlier
    if outlier is None:
        return ""
    return (
        f"Point {outlier.index + 1} lies {abs(outlier.off_pct):.2f} % of span off the line of the others, which scatter by "
        f"{outlier.scatter_pct:.2f} %. Take it again. It counts until you leave it out, with a reason."
    )
