"""What `POST /api/v1/pulse/…` takes and gives, as models."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

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

Finite = Annotated[float, Field(allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid")


class KnownIn(_In):
    value: Positive
    relative_u: float = Field(0.0, ge=0, le=1, description="Relative standard uncertainty")


class RelateIn(_In):
    """What is known, by name, in fixed units."""

    known: dict[str, KnownIn] = Field(max_length=20)


class KnownOut(BaseModel):
    value: float
    relative_u: float


class RelateOut(BaseModel):
    values: dict[str, KnownOut] = Field(description="Given and following; those that need more are in missing")
    contradiction: float = Field(description="Greatest share by which two ways to one quantity differ")
    missing: list[str]


class RatioIn(_In):
    """Pairs of (shown, true), km/h; entries that may be wrong, with what they may be instead."""

    pairs: list[tuple[Positive, Positive]] = Field(min_length=1, max_length=2000)
    teeth: int | None = Field(None, gt=0, le=1000)
    axle_ratio: Positive | None = None
    axle_ratios: list[Positive] = Field(default=[], max_length=50)
    diameter_m: Positive | None = None
    diameters_m: list[Positive] = Field(default=[], max_length=50)


class ExplanationOut(BaseModel):
    what: str = Field(examples=["teeth"])
    entered: float
    right: float
    ratio: float
    off_pct: float


class RatioOut(BaseModel):
    ratio: float = Field(description="True over shown: new = old · ratio")
    ratio_u: float | None
    spread_pct: float | None
    offset_kmh: float | None = Field(description="Shown more than true, at every speed")
    offset_u: float | None
    is_offset: bool = Field(description="An offset fits better: not a ratio problem")
    explained: list[ExplanationOut]


class AnalyseIn(_In):
    """A captured waveform."""

    signal_v: list[Finite] = Field(min_length=8, max_length=200_000)
    rate_hz: Positive | None = Field(None, description="Samples per second; or time_s")
    time_s: list[Finite] | None = Field(None, max_length=200_000)
    teeth: int | None = Field(None, ge=2, le=1000)


class FindingOut(BaseModel):
    fault: str = Field(examples=["uneven tooth"])
    tooth: int
    size_pct: float
    sentence: str


class RingOut(BaseModel):
    teeth: int
    turns: float
    error_pct: list[float] = Field(description="Mean error of the pitch that begins at each tooth, % of a pitch")
    run_out_pct: float
    missing: list[int]
    findings: list[FindingOut]


class AnalyseOut(BaseModel):
    shape: str = Field(examples=["square"])
    low_v: float
    high_v: float
    noise_v: float
    frequency_hz: float | None
    duty_pct: float | None
    high_s: float | None
    low_s: float | None
    rise_s: float | None
    fall_s: float | None
    jitter_pct: float | None
    rising_edges: int
    ring: RingOut | None
