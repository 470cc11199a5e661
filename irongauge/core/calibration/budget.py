"""Where the uncertainty of a calibration's point comes from: its instruments, and what the points themselves show.

Contributions are standard uncertainties times their sensitivity (JCGM 100:2008, 5.1.2). Leaves out the decision.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.sensors.conversion import Feed, reading_per_reference, value_per_reading
from irongauge.core.sensors.transfer import Curve, CurveKind

__all__ = ["BudgetLine", "Seen", "Sources", "budget_of", "hysteresis_of", "repeats_of", "seen_in"]

_SQRT_3 = math.sqrt(3.0)  # from the half-width of a rectangle to its standard deviation (JCGM 100, 4.3.7)


@dataclass(frozen=True)
class BudgetLine:
    """One contribution to the uncertainty: its own standard uncertainty and unit, what it is multiplied by, and the
    result in the unit of the value.
    """

    source: str
    standard: float
    unit: str
    sensitivity: float
    contribution: float


@dataclass(frozen=True, kw_only=True)
class Sources:
    """Where uncertainty comes from in this set-up; all are standard uncertainties.

    `meter` reads signal and reference. `stimulus_u` is the reference instrument's, `atmosphere_u` that of the barometer
    where the gauge and the curve have different bases (else 0), both in the fixed unit of the value. `assumed_reference_u`
    is in volts, for points whose reference was not measured. The units are codes, for the budget.
    """

    meter: MeterSpec
    stimulus_u: float
    atmosphere_u: float = 0.0
    assumed_reference_u: float | None = None
    reading_unit: str = "V"
    unit: str = ""


@dataclass(frozen=True)
class Seen:
    """What the points themselves show of their uncertainty, in the unit of the value: the standard deviation of repeats with its
    degrees of freedom, and the greatest difference between up and down.
    """

    scatter: float | None
    freedom: int
    hysteresis: float


def seen_in(deviations: Sequence[tuple[CalibrationPoint, float]], span: float) -> Seen:
    """What the points themselves show of the sensor: its scatter and hysteresis, in the unit of its span."""
    repeats, hysteresis = repeats_of(deviations), hysteresis_of(deviations)
    return Seen(
        scatter=None if repeats is None else repeats[0] / 100 * span,
        freedom=0 if repeats is None else repeats[1],
        hysteresis=0.0 if hysteresis is None else hysteresis / 100 * span,
    )


def budget_of(
    curve: Curve, point: CalibrationPoint, value: float, *, feed: Feed, sources: Sources, seen: Seen
) -> tuple[BudgetLine, ...]:
    """Contributions to the error of one point, in the unit of the value (JCGM 100:2008, 5.1.2)."""
    per_reading = value_per_reading(curve, value, feed)
    per_reference = -per_reading * reading_per_reference(curve, value, feed)
    lines = _of_the_meter(curve, point, feed, sources, (per_reading, per_reference))
    lines.append(("reference instrument", sources.stimulus_u, sources.unit, 1.0))
    if point.stimulus_step:
        # A value read to a step lies anywhere within half a step either way (JCGM 100:2008, F.2.2.1).
        lines.append(("its last digit", point.stimulus_step / 2 / _SQRT_3, sources.unit, 1.0))
    if sources.atmosphere_u:
        lines.append(("atmosphere", sources.atmosphere_u, sources.unit, 1.0))
    if seen.scatter:
        lines.append(("scatter of repeats", seen.scatter, sources.unit, 1.0))
    if seen.hysteresis:
        # Where between up and down a reading lies is not known: half of it either way.
        lines.append(("hysteresis", seen.hysteresis / 2 / _SQRT_3, sources.unit, 1.0))
    return tuple(BudgetLine(name, u, unit, c, abs(c) * u) for name, u, unit, c in lines)


def _of_the_meter(
    curve: Curve, point: CalibrationPoint, feed: Feed, sources: Sources, per: tuple[float, float]
) -> list[tuple[str, float, str, float]]:
    """The meter's lines. Read with one range of one meter, signal and reference share its gain error, which then cancels as far
    as they are divided by each other (JCGM 100:2008, 5.2.2); its last digits do not.
    """
    meter, (per_reading, per_reference) = sources.meter, per
    reading_line = ("meter on the signal", meter.standard_uncertainty(point.reading), sources.reading_unit, per_reading)
    if not per_reference:
        return [reading_line]
    if point.reference_v is None and sources.assumed_reference_u is not None:
        return [reading_line, ("reference not measured", sources.assumed_reference_u, "V", per_reference)]
    reference_v = feed.pull_up_v if curve.kind is CurveKind.OHMS else feed.reference_v
    if meter.resolution(point.reading) != meter.resolution(reference_v):
        return [reading_line, ("meter on the reference", meter.standard_uncertainty(reference_v), "V", per_reference)]
    digits_u = meter.digits_uncertainty(reference_v)
    shared = per_reading * point.reading + per_reference * reference_v
    return [
        ("meter on the signal, digits", digits_u, sources.reading_unit, per_reading),
        ("meter on the reference, digits", digits_u, "V", per_reference),
        ("meter's gain, shared by both", meter.reading_pct / 100 / _SQRT_3 * reference_v, "V", shared / reference_v),
    ]


def _nearby(points: Sequence[tuple[CalibrationPoint, float]]) -> list[list[tuple[CalibrationPoint, float]]]:
    """Points grouped by nominal place: stimuli closer than 2 % of all that was covered belong together."""
    ordered = sorted(points, key=lambda pair: pair[0].stimulus)
    if not ordered:
        return []
    near = 0.02 * (ordered[-1][0].stimulus - ordered[0][0].stimulus)
    groups = [[ordered[0]]]
    for pair in ordered[1:]:
        if pair[0].stimulus - groups[-1][0][0].stimulus <= near:
            groups[-1].append(pair)
        else:
            groups.append([pair])
    return groups


def hysteresis_of(deviations: Sequence[tuple[CalibrationPoint, float]]) -> float | None:
    """Greatest difference between the mean errors up and down at one place, in % of span; None without both runs."""
    found = []
    for group in _nearby(deviations):
        runs: dict[Run, list[float]] = defaultdict(list)
        for point, error_pct in group:
            runs[point.run].append(error_pct)
        if len(runs) == len(Run):
            up, down = (math.fsum(runs[run]) / len(runs[run]) for run in Run)
            found.append(abs(up - down))
    return max(found, default=None)


def repeats_of(deviations: Sequence[tuple[CalibrationPoint, float]]) -> tuple[float, int] | None:
    """Pooled standard deviation of points repeated at one place in the same run, in % of span, and its degrees of freedom; None
    without repeats.
    """
    squares, freedom = 0.0, 0
    for group in _nearby(deviations):
        for run in Run:
            errors = [error_pct for point, error_pct in group if point.run is run]
            if len(errors) > 1:
                mean = math.fsum(errors) / len(errors)
                squares += math.fsum((e - mean) ** 2 for e in errors)
                freedom += len(errors) - 1
    return (math.sqrt(squares / freedom), freedom) if freedom else None
