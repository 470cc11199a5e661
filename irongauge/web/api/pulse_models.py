"""What `POST /api/v1/pulse/…` takes and gives, as models."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Literal

from pydantic import BaseModel, Field, model_validator

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import Examination
from irongauge.core.pulses.ratio import FigureKind
from irongauge.web.api.bodies import BodyIn

__all__ = [
    "AnalyseIn",
    "AnalyseOut",
    "ExplanationOut",
    "FindingOut",
    "KnownIn",
    "KnownOut",
    "RatioIn",
    "RatioOut",
    "RelateIn",
    "RelateOut",
    "RingOut",
]

# Wider than anything that is measured, and narrow enough that no sum of them is infinite.
Finite = Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)]
Positive = Annotated[float, Field(ge=1e-9, le=1e9, allow_inf_nan=False)]
Speed = Annotated[float, Field(ge=0.01, le=10_000, allow_inf_nan=False)]
Ratio = Annotated[float, Field(ge=1e-3, le=1e3, allow_inf_nan=False)]


class KnownIn(BodyIn):
    value: Positive
    relative_u: float = Field(0.0, ge=0, le=1, description="Relative standard uncertainty")


class RelateIn(BodyIn):
    """What is known, by name, in fixed units."""

    known: dict[str, KnownIn] = Field(max_length=20)


class KnownOut(BaseModel):
    value: float
    relative_u: float


class RelateOut(BaseModel):
    values: dict[str, KnownOut] = Field(description="Given and following; those that need more are in missing")
    contradiction: float = Field(description="Greatest share by which two ways to one quantity differ")
    missing: list[str]


class RatioIn(BodyIn):
    """Pairs of (shown, true), km/h; entries that may be wrong, with what they may be instead."""

    pairs: list[tuple[Speed, Speed]] = Field(min_length=1, max_length=2000)
    figure: float | None = Field(
        None, gt=0, le=1e9, description="The figure in the display now; with figure_is, what to type instead"
    )
    figure_is: FigureKind | None = None
    teeth: int | None = Field(None, gt=0, le=1000)
    axle_ratio: Ratio | None = None
    axle_ratios: list[Ratio] = Field(default=[], max_length=50)
    diameter_m: Ratio | None = None
    diameters_m: list[Ratio] = Field(default=[], max_length=50)

    @model_validator(mode="after")
    def _figure_whole(self) -> RatioIn:
        if (self.figure is None) != (self.figure_is is None):
            msg = "a figure goes with what it is (figure_is): that decides which way it has to change"
            raise ValueError(msg)
        return self


class ExplanationOut(BaseModel):
    what: str = Field(examples=["teeth"])
    entered: float
    right: float
    ratio: float
    off_pct: float


class RatioOut(BaseModel):
    ratio: float = Field(description="True over shown")
    new_figure: float | None = Field(description="What to type in place of figure; none where an offset fits better")
    ratio_u: float | None
    spread_pct: float | None
    offset_kmh: float | None = Field(description="Shown more than true, at every speed")
    offset_u: float | None
    is_offset: bool = Field(description="An offset fits better: not a ratio problem")
    explained: list[ExplanationOut]


class AnalyseIn(BodyIn):
    """A captured waveform, and what is known of its ring and input."""

    signal_v: list[Finite] = Field(min_length=8, max_length=200_000)
    rate_hz: float | None = Field(None, ge=1e-3, le=1e11, description="Samples per second; or time_s")
    time_s: list[Finite] | None = Field(None, max_length=200_000)
    teeth: int | None = Field(None, ge=2, le=1000, description="Places of the ring, those of a gap counted")
    gap_teeth: int | None = Field(
        None, ge=0, le=20, description="Left out on purpose, side by side; none where nobody knows"
    )
    pull_up_v: float | None = Field(None, ge=0.1, le=32)
    shunt_ohm: float | None = Field(None, gt=0, le=10_000, description="Of a two-wire current sensor")
    angles_deg: list[Annotated[float, Field(ge=0, le=360)]] = Field(
        default=[], max_length=72, description="Of teeth that stand unequal on purpose, from any of them, one turn"
    )


class FindingOut(BaseModel):
    what: str = Field(examples=["uneven tooth"])
    mark: Mark
    sentence: str
    do: str
    at_s: list[float] = Field(description="Where it shows, s from the capture's first sample; at most 400 places")
    wide_s: float


class RingOut(BaseModel):
    teeth: int
    turns: float
    error_pct: list[float] = Field(description="Mean error of the pitch that begins at each tooth, % of a pitch")
    spread_pct: float = Field(description="Standard error of those means")
    run_out_pct: float = Field(description="Amplitude of the once-per-turn wave in them")
    missing: list[int] = Field(description="Places, 0 for the first edge")
    wrong: list[int]
    made_deg: list[float] = Field(description="Angles of teeth that are made unequal, the first at 0; none where alike")


class AnalyseOut(BaseModel):
    mark: Mark
    headline: str
    shape: Literal["square", "sine", "flat"]
    seconds: float
    samples: int
    pulses: int
    low_v: float
    high_v: float
    middle_v: float
    noise_v: float = Field(description="Standard deviation of one sample on a level")
    frequency_hz: float | None
    slowest_hz: float | None
    fastest_hz: float | None
    duty_pct: float | None
    high_s: float | None
    low_s: float | None
    rise_s: float | None
    fall_s: float | None
    jitter_pct: float | None
    volts_per_hz: float | None = Field(description="Of a coil, peak to peak")
    rise_power: float | None = Field(description="Power of the speed with which a coil's volts rise; 1 is right")
    steep_edge: Literal["falling", "rising"] | None = Field(description="At which a tooth stands before a coil")
    ring: RingOut | None
    findings: list[FindingOut]
    angles_deg: list[float] = Field(description="Of teeth that stand unequal, where nobody has said so")

    @classmethod
    def from_core(cls, found: Examination) -> AnalyseOut:
        return cls.model_validate(asdict(found) | {"mark": found.mark, "headline": found.headline})
