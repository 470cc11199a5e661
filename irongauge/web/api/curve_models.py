"""What `POST /api/v1/curves/…` takes and gives, as models."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, Field

from irongauge.core.calibration.points import Run
from irongauge.core.controllers.cross_checks import CheckKind
from irongauge.core.controllers.figures import FormKind
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.thermocouple import ThermocoupleType
from irongauge.core.sensors.transfer import CurveKind
from irongauge.web.api.bodies import BodyIn

__all__ = [
    "CheckIn",
    "CheckOut",
    "CompareIn",
    "CompareOut",
    "CurveIn",
    "EvaluateIn",
    "EvaluateOut",
    "FeedIn",
    "FitIn",
    "FitOut",
    "FittedPoint",
    "FormOut",
    "FormsIn",
    "FormsOut",
    "NtcIn",
    "PointIn",
    "PresetIn",
    "ThermocoupleIn",
    "ThermocoupleOut",
]

_MOST = 100_000
# Wider than anything that is measured, and narrow enough that no sum of them is infinite.
Finite = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]
Positive = Annotated[float, Field(ge=1e-9, le=1e12, allow_inf_nan=False)]


class NtcIn(BodyIn):
    """An NTC by beta, or by three or more points of (°C, Ω)."""

    ohm_25: Annotated[float, Field(ge=1e-3, le=1e9)] | None = None
    beta_k: Annotated[float, Field(ge=100, le=20_000)] | None = None
    points: list[tuple[Finite, Positive]] = Field(default=[], max_length=5000)


class CurveIn(BodyIn):
    """A transfer curve: `points` of (signal, value) for a line (two) or a table, or `ntc`.

    Signals are shares of the reference (ratio), V (volts), Ω (ohms), mA (current), Hz (hertz), ms (pulse) or shares (duty);
    values stand in the fixed unit of the quantity.
    """

    kind: CurveKind = CurveKind.RATIO
    quantity: Quantity = Quantity.PRESSURE
    pressure_base: PressureBase | None = None
    points: list[tuple[Finite, Finite]] = Field(default=[], max_length=5000)
    ntc: NtcIn | None = None


class FeedIn(BodyIn):
    """What feeds the sensor. Without `pull_up_ohm` a thermistor is read in ohms; without `shunt_ohm` a loop in mA."""

    reference_v: Positive = 5.0
    pull_up_ohm: Positive | None = None
    pull_up_v: Positive = 5.0
    shunt_ohm: Positive | None = None


class ThermocoupleIn(BodyIn):
    kind: ThermocoupleType
    cold_degc: float = Field(ge=-60, le=150, description="Of the terminals where the two metals end")
    mv: float | None = Field(None, ge=-15, le=90)
    degc: float | None = Field(None, ge=-270, le=2000)


class ThermocoupleOut(BaseModel):
    mv: float
    degc: float


class EvaluateIn(BodyIn):
    """Readings at the controller's end (V, Ω, Hz, ms, %), or values; one of the two."""

    curve: CurveIn
    feed: FeedIn = FeedIn()
    readings: list[Finite] = Field(default=[], max_length=_MOST)
    values: list[Finite] = Field(default=[], max_length=_MOST)
    unit: str | None = Field(
        None, description="Unit code of the values; the fixed one where left out", examples=["bar"]
    )
    base: PressureBase | None = Field(None, description="Base of the values; the curve's own where left out")
    atmosphere_kpa: float = Field(101.325, gt=20, lt=130)


class EvaluateOut(BaseModel):
    reading_unit: str
    unit: str
    readings: list[float]
    signals: list[float]
    values: list[float | None] = Field(description="null where a reading has no value, as at a pull-up's supply")
    outside: list[bool] = Field(description="Outside the curve's range: the line is carried on")


class PointIn(BodyIn):
    stimulus: Finite = Field(description="Fixed unit, on the curve's base")
    reading: Finite
    run: Run = Run.UP
    reference_v: Positive | None = None
    stimulus_step: float = Field(
        0.0, ge=0, le=1e9, description="What the last digit of the reference instrument is worth"
    )
    left_out: str = ""


class FitIn(BodyIn):
    """A calibration: its points, and where uncertainty comes from (standard uncertainties in the fixed unit)."""

    curve: CurveIn
    feed: FeedIn = FeedIn()
    tolerance_pct_span: float = Field(gt=0, le=50)
    points: list[PointIn] = Field(min_length=1, max_length=2000)
    meter_reading_pct: float = Field(0.3, ge=0, le=20)
    meter_digits: float = Field(2, ge=0, le=100)
    meter_counts: int = Field(6000, ge=1000, le=2_000_000)
    stimulus_u: float = Field(0.0, ge=0, le=1e9, description="Standard uncertainty of the reference instrument")
    atmosphere_u: float = Field(0.0, ge=0, le=1e9)
    reference_measured: bool = True


class FittedPoint(BaseModel):
    value: float
    error: float
    error_pct_span: float
    expanded_u: float
    coverage_k: float
    mark: str
    residual_pct_span: float | None
    note: str
    budget: dict[str, float] = Field(
        description="Contribution of each source, standard uncertainty in the value's unit"
    )


class FitOut(BaseModel):
    mark: str
    points: list[FittedPoint]
    slope: float | None = Field(description="Signal per value; of a curve that is not straight, shown value per value")
    intercept: float | None
    slope_se: float | None
    intercept_se: float | None
    residual_sd: float | None
    linearity_pct_span: float | None
    linearity_ends_pct_span: float | None
    linearity_zero_pct_span: float | None
    ends_u_pct_span: tuple[float, float] | None = Field(description="How well the line is known at both ends, k = 2")
    hysteresis_pct_span: float | None
    repeatability_pct_span: float | None
    zero_pct_span: float | None
    span_pct: float | None
    outlier: int | None = Field(description="Index of a point that does not fit the others; it still counts")
    as_left: list[tuple[float, float]] | None = Field(description="(signal, value) at both ends of the fitted line")
    notes: list[str]


class FormsIn(BodyIn):
    """What a controller wants."""

    curve: CurveIn
    feed: FeedIn = FeedIn()
    unit: str = Field(examples=["psi"])
    base: PressureBase | None = None
    atmosphere_kpa: float = Field(101.325, gt=20, lt=130)
    decimals: int = Field(1, ge=0, le=12)
    reading_decimals: int = Field(2, ge=0, le=12)
    readings: list[Finite] = Field(default=[], max_length=512, description="Of the table's cells; nine where left out")
    fault_low_v: Finite | None = None
    fault_high_v: Finite | None = None


class FormOut(BaseModel):
    kind: FormKind
    figures: dict[str, Any]
    cost_pct_span: float = Field(description="Greatest difference from the curve over its range")


class FormsOut(BaseModel):
    forms: list[FormOut]
    least: float
    greatest: float
    warn_low: float
    warn_high: float
    fault_low: float
    fault_high: float


class PresetIn(BodyIn):
    name: str = Field(min_length=1, max_length=80)
    curve: CurveIn


class CheckIn(BodyIn):
    """An entry as a controller holds it. A table's figures are `{"cells": [[reading, value], …]}`."""

    curve: CurveIn
    feed: FeedIn = FeedIn()
    kind: FormKind
    figures: dict[str, Any] = Field(
        examples=[{"reading_low": 0.5, "shown_low": 0, "reading_high": 4.5, "shown_high": 145}]
    )
    unit: str = Field(examples=["bar"])
    base: PressureBase | None = None
    atmosphere_kpa: float = Field(101.325, gt=20, lt=130)
    allowance_pct_span: float = Field(0.5, gt=0, le=20)
    presets: list[PresetIn] = Field(
        default=[], max_length=500, description="Other sensors whose figures may stand there"
    )


class CheckOut(BaseModel):
    slip: str = Field(examples=["wrong unit"])
    sentence: str
    error_pct_span: float
    error_at: float
    offset: float = Field(description="shown = offset + scale · right")
    scale: float
    others: list[str]


class CompareIn(BodyIn):
    """One of the checks; the fields that each needs are named with it."""

    kind: CheckKind
    first: Finite | None = Field(None, description="Instrument, manifold; fixed unit")
    second: Finite | None = Field(None, description="Instrument, barometer; fixed unit")
    first_u: float = Field(0.25, ge=0, le=1e9, description="Standard uncertainty")
    second_u: float = Field(0.25, ge=0, le=1e9)
    atmosphere_kpa: float = Field(101.325, gt=20, lt=130)
    full_scale_kpa: Positive | None = None
    pairs: list[tuple[Finite, Finite]] = Field(default=[], max_length=2000, description="Source (or driver) and shown")
    tolerance: Positive | None = None
    sensor_supply_v: Positive | None = None
    controller_reference_v: Positive | None = None
    share: float = Field(0.9, gt=0, le=1, description="Share of the supply at the top of the range")
    span_share: float = Field(0.8, gt=0, le=1)
    span_v: Positive = Field(4.0, description="Of the sensor at the input")
    pull_ohm: Positive | None = Field(None, description="The input's own resistor, and the volts that it goes to")
    pull_to_v: float = Field(5.0, ge=0, le=32)
    tolerance_pct_span: Positive = 2.0
    unit: str = Field("kPa", description="Unit code of the sentences")


class CompareOut(BaseModel):
    kind: CheckKind
    mark: str
    finding: str = Field(examples=["offset"])
    sentence: str
    cause: str
    difference: float | None
    expanded_u: float | None
