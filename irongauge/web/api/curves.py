"""`POST /api/v1/curves/…`: the sums of the Curve room for programs. Nothing is stored."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Body

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import fitted_curve, judge_calibration
from irongauge.core.calibration.points import CalibrationPoint
from irongauge.core.controllers.cross_checks import (
    CheckKind,
    CrossVerdict,
    instruments_agree,
    own_regulator,
    sensors_agree,
    under_boost,
)
from irongauge.core.controllers.figures import Input, Limit, Target, forms_of
from irongauge.core.controllers.following import Displayed, clipped, displays_agree
from irongauge.core.controllers.line_loss import Arrival, line_loss
from irongauge.core.controllers.reading_back import check_entry, check_limit
from irongauge.core.measure.entry import check_possible
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import FIXED_UNIT, UNITS, PressureBase
from irongauge.core.sensors.conversion import Feed, Scale, evaluate, reading_quantity, reading_unit
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import degc_at_mv, mv_at_degc
from irongauge.core.sensors.transfer import Curve, LinearCurve, NtcCurve, TableCurve
from irongauge.errors import EntryError, as_sentence
from irongauge.formats.entries_text import figures_of, form_from_figures
from irongauge.web.api.bodies import PROBLEM
from irongauge.web.api.curve_models import (
    CheckIn,
    CheckOut,
    CompareIn,
    CompareOut,
    CurveIn,
    EvaluateIn,
    EvaluateOut,
    FeedIn,
    FitIn,
    FitOut,
    FittedPoint,
    FormOut,
    FormsIn,
    FormsOut,
    NtcIn,
    ThermocoupleIn,
    ThermocoupleOut,
)
from irongauge.web.permissions import LOOK

__all__ = ["router"]

router = APIRouter(prefix="/api/v1/curves")


def _refused(error: ValueError, field: str = "curve") -> EntryError:
    return EntryError(field, "", as_sentence(error))


def _curve(part: CurveIn) -> Curve:
    """The curve; `EntryError` where its points make none."""
    try:
        if part.ntc is not None:
            return NtcCurve(_thermistor(part.ntc))
        _possible(part, [value for _, value in part.points], "curve.points")
        if len(part.points) <= 1:
            raise EntryError("curve.points", "", "A curve has at least two points, or an NTC.")
        ordered = sorted(part.points, key=lambda point: point[1])
        if len(ordered) == 2:  # noqa: PLR2004
            (low, value_low), (high, value_high) = ordered
            return LinearCurve(
                kind=part.kind,
                quantity=part.quantity,
                signal_low=low,
                signal_high=high,
                value_low=value_low,
                value_high=value_high,
                pressure_base=part.pressure_base,
            )
        signals, values = zip(*ordered, strict=True)
        return TableCurve(part.kind, part.quantity, signals, values, part.pressure_base)
    except ValueError as error:
        raise _refused(error) from error


def _possible(part: CurveIn, values: Iterable[float], field: str) -> None:
    """Refuse values of a curve's quantity, in its fixed unit and on its base, that nothing has."""
    if part.ntc is None:
        for value in values:
            check_possible(value, part.quantity, part.pressure_base, field=field, typed=f"{value:g}")


def _thermistor(part: NtcIn) -> Thermistor:
    if part.points:
        return Thermistor.from_points(tuple(part.points))
    if part.ohm_25 is None or part.beta_k is None:
        raise EntryError("curve.ntc", "", "An NTC has its ohms at 25 °C and its beta, or at least three points.")
    return Thermistor(part.ohm_25, part.beta_k)


def _feed(part: FeedIn) -> Feed:
    return Feed(part.reference_v, part.pull_up_ohm, part.pull_up_v, part.shunt_ohm)


def _scale(unit: str | None, base: PressureBase | None, curve: Curve, atmosphere_kpa: float) -> Scale:
    code = FIXED_UNIT[curve.quantity] if unit is None else unit
    if code not in UNITS or UNITS[code].quantity is not curve.quantity:
        known = ", ".join(u.code for u in UNITS.values() if u.quantity is curve.quantity)
        raise EntryError("unit", code, f"“{code}” is not a unit of {curve.quantity}.", f"Known are {known}.")
    return Scale(code, (base or curve.pressure_base) if curve.pressure_base is not None else None, atmosphere_kpa)


_P10 = {"kind": "ratio", "quantity": "pressure", "pressure_base": "gauge", "points": [[0.1, 0], [0.9, 1000]]}


@router.post(
    "/thermocouple", dependencies=[LOOK], summary="Millivolts and temperature of a thermocouple", responses=PROBLEM
)
def post_thermocouple(body: ThermocoupleIn) -> ThermocoupleOut:
    """By the reference functions of ITS-90, with the temperature of the terminals; give millivolts or a temperature."""
    if (body.mv is None) == (body.degc is None):
        raise EntryError("mv", "", "Give millivolts, or a temperature, and not both.")
    try:
        if body.mv is not None:
            mv, degc = body.mv, degc_at_mv(body.kind, body.mv, body.cold_degc)
        else:
            assert body.degc is not None
            mv, degc = mv_at_degc(body.kind, body.degc, body.cold_degc), body.degc
    except ValueError as error:
        raise _refused(error) from error
    return ThermocoupleOut(mv=mv, degc=degc)


@router.post("/evaluate", dependencies=[LOOK], summary="Readings to values, or values to readings", responses=PROBLEM)
def post_evaluate(
    body: Annotated[
        EvaluateIn,
        Body(openapi_examples={
            "Ratiometric, divided by the measured reference": {
                "value": {"curve": _P10, "feed": {"reference_v": 4.93}, "readings": [2.31], "unit": "bar"}},
            "NTC through a pull-up": {
                "value": {"curve": {"ntc": {"ohm_25": 10000, "beta_k": 3435}}, "feed": {"pull_up_ohm": 2200}, "values": [80]}},
        }),
    ],
) -> EvaluateOut:  # fmt: skip
    """Up to 100 000 at once. `unit` and `base` are those of the values, given or wanted."""
    if bool(body.readings) == bool(body.values):
        raise EntryError("readings", "", "Give readings, or values, and not both.")
    curve, feed = _curve(body.curve), _feed(body.feed)
    scale = _scale(body.unit, body.base, curve, body.atmosphere_kpa)

    with np.errstate(all="ignore"):
        if body.readings:
            found = evaluate(curve, np.array(body.readings), is_reading=True, feed=feed)
        else:
            given = scale.fixed(np.array(body.values), curve.pressure_base)
            _possible(body.curve, given.tolist(), "values")
            found = evaluate(curve, given, is_reading=False, feed=feed)
        shown = scale.shown(found.values, curve.pressure_base)
    return EvaluateOut(
        reading_unit=reading_unit(curve.kind, feed),
        unit=scale.unit,
        readings=found.readings.tolist(),
        signals=np.nan_to_num(found.signals, posinf=1e12, neginf=-1e12).tolist(),
        values=[v if np.isfinite(v) else None for v in shown.tolist()],
        outside=found.outside.tolist(),
    )


@router.post(
    "/fit", dependencies=[LOOK], summary="A calibration: errors, line, decision with its uncertainty", responses=PROBLEM
)
def post_fit(
    body: Annotated[
        FitIn,
        Body(openapi_examples={"Five points up": {"value": {
            "curve": _P10, "feed": {"reference_v": 4.963}, "tolerance_pct_span": 2, "stimulus_u": 4.6,
            "points": [{"stimulus": s, "reading": r} for s, r in
                       ((0, 0.498), (250, 1.495), (500, 2.486), (750, 3.48), (1000, 4.471))],
        }}}),
    ],
) -> FitOut:  # fmt: skip
    """Errors are against the nominal curve; the line is least squares of the signal on the stimulus."""
    curve, feed = _curve(body.curve), _feed(body.feed)
    _possible(body.curve, (p.stimulus for p in body.points), "points")
    assumed = None if body.reference_measured else 0.02 * feed.reference_v / 3**0.5
    sources = Sources(
        meter=MeterSpec(body.meter_reading_pct, body.meter_digits, body.meter_counts),
        stimulus_u=body.stimulus_u,
        atmosphere_u=body.atmosphere_u,
        assumed_reference_u=assumed,
        reading_unit=reading_unit(curve.kind, feed),
        unit=FIXED_UNIT[curve.quantity],
    )
    points = [
        CalibrationPoint(
            stimulus=p.stimulus,
            reading=p.reading,
            run=p.run,
            reference_v=p.reference_v,
            stimulus_step=p.stimulus_step,
            left_out=p.left_out,
        )
        for p in body.points
    ]
    found = judge_calibration(curve, points, body.tolerance_pct_span, feed, sources)
    fit = found.fit
    left = None if fit is None else fitted_curve(curve, fit)
    return FitOut(
        mark=found.mark,
        points=[
            FittedPoint(
                value=p.value,
                error=p.error,
                error_pct_span=p.error_pct,
                expanded_u=p.expanded_u,
                coverage_k=p.coverage_k,
                mark=p.mark,
                residual_pct_span=p.residual_pct,
                note=p.note,
                budget={line.source: line.contribution for line in p.budget},
            )
            for p in found.points
        ],
        slope=None if fit is None else fit.line.slope,
        intercept=None if fit is None else fit.line.intercept,
        slope_se=None if fit is None else fit.slope_se,
        intercept_se=None if fit is None else fit.intercept_se,
        residual_sd=None if fit is None else fit.residual_sd,
        linearity_pct_span=found.linearity_pct,
        linearity_ends_pct_span=found.linearity_ends_pct,
        linearity_zero_pct_span=found.linearity_zero_pct,
        ends_u_pct_span=found.ends_u_pct,
        hysteresis_pct_span=found.hysteresis_pct,
        repeatability_pct_span=found.repeatability_pct,
        zero_pct_span=found.zero_pct,
        span_pct=found.span_pct,
        outlier=None if found.outlier is None else found.outlier.index,
        as_left=None if left is None else list(left.points),
        notes=list(found.notes),
    )


@router.post("/forms", dependencies=[LOOK], summary="Every form that a controller may ask for", responses=PROBLEM)
def post_forms(
    body: Annotated[
        FormsIn,
        Body(openapi_examples={"In psi, whole numbers": {"value": {"curve": _P10, "unit": "psi", "decimals": 0}}}),
    ],
) -> FormsOut:
    """Rounded as the controller takes it, with what that costs."""
    curve, feed = _curve(body.curve), _feed(body.feed)
    target = Target(_scale(body.unit, body.base, curve, body.atmosphere_kpa), body.decimals, body.reading_decimals)
    try:
        made = forms_of(Input(curve, feed), target, body.readings, fault=(body.fault_low_v, body.fault_high_v))
    except ValueError as error:
        raise _refused(error, "readings") from error
    b = made.bands
    return FormsOut(
        forms=[
            FormOut(kind=o.kind, figures=figures_of(o.form), cost_pct_span=o.cost_pct)  # type: ignore[arg-type]
            for o in made.offered
        ],
        least=b.shown_low,
        greatest=b.shown_high,
        warn_low=b.warn_low,
        warn_high=b.warn_high,
        fault_low=b.fault_low,
        fault_high=b.fault_high,
    )


@router.post(
    "/check-entry", dependencies=[LOOK], summary="An entry read back, and the slip that explains it", responses=PROBLEM
)
def post_check(
    body: Annotated[
        CheckIn,
        Body(openapi_examples={"psi figures on a bar display": {"value": {
            "curve": _P10, "kind": "end points", "unit": "bar",
            "figures": {"reading_low": 0.5, "shown_low": 0, "reading_high": 4.5, "shown_high": 145.04},
        }}}),
    ],
) -> CheckOut:  # fmt: skip
    """Held against the curve over its whole range."""
    curve, feed = _curve(body.curve), _feed(body.feed)
    scale = _scale(body.unit, body.base, curve, body.atmosphere_kpa)
    figures = {name: str(value) for name, value in body.figures.items() if name != "cells"}
    cells = body.figures.get("cells")
    if cells is not None:
        try:
            figures["table"] = "\n".join(f"{float(value)!r}\t{float(reading)!r}" for reading, value in cells)
        except (TypeError, ValueError) as error:
            raise EntryError("figures.cells", str(cells)[:40], "Cells are pairs of a reading and a value.") from error
    entry = form_from_figures(body.kind, figures, scale.unit, reading_quantity(curve.kind, feed))
    seen = Input(curve, feed)
    if isinstance(entry, Limit):
        found = check_limit(seen, entry, scale)
    else:
        found = check_entry(
            seen,
            entry,
            scale,
            presets=[(p.name, _curve(p.curve)) for p in body.presets],
            allowance_pct=body.allowance_pct_span,
        )
    return CheckOut(
        slip=found.slip,
        sentence=found.sentence,
        error_pct_span=found.error_pct,
        error_at=found.error_at,
        offset=found.offset,
        scale=found.scale,
        others=[other.sentence for other in found.others],
    )


@router.post("/compare", dependencies=[LOOK], summary="One thing held against another", responses=PROBLEM)
def post_compare(
    body: Annotated[
        CompareIn,
        Body(openapi_examples={
            "Two instruments": {"value": {"kind": "two instruments on one hose", "first": 455, "second": 450,
                                          "first_u": 4.62, "second_u": 3.0}},
            "A display": {"value": {"kind": "source against display", "tolerance": 2.5,
                                    "pairs": [[50, 38], [100, 88], [150, 138], [200, 188]]}},
        }),
    ],
) -> CompareOut:  # fmt: skip
    """Two instruments, manifold against barometer (key on, under boost), a display, a clipped signal, an own regulator,
    or the volts expected at an input (`first`) against those shown (`second`).
    """
    if body.unit not in UNITS:
        raise EntryError("unit", body.unit, f"“{body.unit}” is not a unit.", f"Known are {', '.join(UNITS)}.")
    found = _compared(body)
    return CompareOut(
        kind=found.kind,
        mark=found.mark,
        finding=found.finding,
        sentence=found.sentence,
        cause=found.cause,
        difference=found.difference,
        expanded_u=found.expanded_u,
    )


def _needed(
    body: CompareIn, *names: Literal["first", "second", "sensor_supply_v", "controller_reference_v"]
) -> list[float]:
    found = []
    for name in names:
        value: float | None = getattr(body, name)
        if value is None:
            raise EntryError(name, "", f"“{body.kind}” needs {name}.")
        found.append(value)
    return found


def _compared_volts(body: CompareIn, u: float) -> CrossVerdict:
    if body.kind is CheckKind.LINE:
        expected_v, shown_v = _needed(body, "first", "second")
        arrival = Arrival(
            expected_v=expected_v,
            shown_v=shown_v,
            u_v=u,
            span_v=body.span_v,
            pull_ohm=body.pull_ohm,
            pull_to_v=body.pull_to_v,
        )
        return line_loss(arrival, body.tolerance_pct_span)
    supply_v, reference_v = _needed(body, "sensor_supply_v", "controller_reference_v")
    return own_regulator(
        supply_v,
        reference_v,
        body.share,
        span_share=body.span_share,
        tolerance_pct=body.tolerance_pct_span,
        u_v=body.first_u,
    )


def _compared(body: CompareIn) -> CrossVerdict:
    u = (body.first_u**2 + body.second_u**2) ** 0.5
    if body.kind in {CheckKind.REGULATOR, CheckKind.LINE}:
        return _compared_volts(body, u)
    if body.kind is CheckKind.DISPLAY:
        sources = [a for a, _ in body.pairs] or [0.0]
        tolerance = body.tolerance or 0.01 * (max(sources) - min(sources)) or 1.0
        return displays_agree([Displayed(a, b) for a, b in body.pairs], u, tolerance, body.unit)
    if body.kind is CheckKind.CLIPPED:
        return clipped([a for a, _ in body.pairs], [b for _, b in body.pairs], body.second_u, body.unit)
    first, second = _needed(body, "first", "second")
    if body.kind is CheckKind.INSTRUMENTS:
        return instruments_agree(first, body.first_u, second, body.second_u, body.unit)
    if first <= 0 or second <= 0:
        raise EntryError("first", f"{first:g}", "Manifold and barometer are absolute pressures, so they are above 0.")
    if body.kind is CheckKind.KEY_ON:
        return sensors_agree(first, second, u, body.atmosphere_kpa)
    return under_boost(
        first,
        second,
        body.first_u,
        body.full_scale_kpa,
        barometer_u_kpa=body.second_u,
        atmosphere_kpa=body.atmosphere_kpa,
    )
