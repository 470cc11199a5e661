"""`POST /api/v1/pulse/…`: the sums of the Pulse room for programs. Nothing is stored."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body

from irongauge.core.rolling import NAMES, Known, relate
from irongauge.core.speed_ratio import Pair, explain_ratio, fit_ratio
from irongauge.errors import EntryError
from irongauge.web.forms.pulse_api import (
    AnalyseIn,
    AnalyseOut,
    ExplanationOut,
    FindingOut,
    KnownOut,
    RatioIn,
    RatioOut,
    RelateIn,
    RelateOut,
    RingOut,
)

__all__ = ["router"]

router = APIRouter(prefix="/api/v1/pulse")

_PROBLEM: dict[int | str, dict[str, Any]] = {
    422: {"description": "Problem details", "content": {"application/problem+json": {}}}
}


@router.post("/relate", summary="Teeth, axle, tyre, speed, pulses: any from any", responses=_PROBLEM)
def post_relate(
    body: Annotated[
        RelateIn,
        Body(openapi_examples={"A shaft sensor at 30 km/h": {"value": {"known": {
            "teeth": {"value": 20}, "axle_ratio": {"value": 4.3}, "circumference_m": {"value": 2.26195, "relative_u": 0.01},
            "speed_m_per_s": {"value": 8.33333}}}}}),
    ],
) -> RelateOut:  # fmt: skip
    """By name, in fixed units: teeth, axle_ratio, circumference_m, wheel_hz, shaft_hz, frequency_hz, speed_m_per_s,
    pulses_per_m.
    """
    strange = sorted(set(body.known) - set(NAMES))
    if strange:
        raise EntryError(
            "known", strange[0], f"“{strange[0]}” is not a quantity here.", f"Known are {', '.join(NAMES)}."
        )
    found = relate({name: Known(k.value, k.relative_u) for name, k in body.known.items()})
    return RelateOut(
        values={n: KnownOut(value=k.value, relative_u=k.relative_u) for n, k in found.values.items()},
        contradiction=found.contradiction,
        missing=list(found.missing),
    )


@router.post("/ratio", summary="Shown against true speed", responses=_PROBLEM)
def post_ratio(
    body: Annotated[
        RatioIn,
        Body(
            openapi_examples={"Three pairs": {"value": {"pairs": [[50, 55.1], [80, 87.9], [100, 110.2]], "teeth": 20}}}
        ),
    ],
) -> RatioOut:
    """Pairs of (shown, true) in km/h: the ratio, its spread, whether an offset fits better, what would explain it."""
    found = fit_ratio([Pair(shown, true) for shown, true in body.pairs])
    explained = explain_ratio(
        found.ratio,
        teeth=body.teeth,
        axle_ratio=body.axle_ratio,
        axle_ratios=body.axle_ratios,
        diameter_m=body.diameter_m,
        diameters_m=body.diameters_m,
    )
    return RatioOut(
        ratio=found.ratio,
        ratio_u=found.ratio_u,
        spread_pct=found.spread_pct,
        offset_kmh=found.offset_kmh,
        offset_u=found.offset_u,
        is_offset=found.is_offset,
        explained=[
            ExplanationOut(what=e.what, entered=e.entered, right=e.right, ratio=e.ratio, off_pct=e.off_pct)
            for e in explained
        ],
    )


@router.post("/analyse", summary="A waveform: levels, frequency, duty, and the ring behind it", responses=_PROBLEM)
def post_analyse(
    body: Annotated[
        AnalyseIn,
        Body(openapi_examples={"Two hundred samples of a square wave": {"value": {
            "rate_hz": 1000, "signal_v": ([0.1] * 10 + [4.9] * 10) * 10}}}),
    ],
) -> AnalyseOut:  # fmt: skip
    """Samples at an even rate, or with times of their own. With `teeth`, or where they can be counted, the ring is examined."""
    import numpy as np  # noqa: PLC0415  a start does not wait for it

    from irongauge.core.tone_ring import examine_ring, teeth_of  # noqa: PLC0415
    from irongauge.core.waveform import measure_waveform  # noqa: PLC0415

    signal_v = np.array(body.signal_v)
    if body.time_s is not None:
        time_s = np.array(body.time_s)
    elif body.rate_hz is not None:
        time_s = np.arange(len(signal_v)) / body.rate_hz
    else:
        raise EntryError("rate_hz", "", "Give the rate of the samples, or a time for each.")
    try:
        found = measure_waveform(time_s, signal_v)
    except ValueError as error:
        raise EntryError("signal_v", "", f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    edges = found.edges.rising_s
    teeth = body.teeth or (teeth_of(edges) if len(edges) > _LEAST_FOR_RING else None)
    ring = None if teeth is None else examine_ring(edges, teeth)
    return AnalyseOut(
        shape=found.shape,
        low_v=found.low_v,
        high_v=found.high_v,
        noise_v=found.noise_v,
        frequency_hz=found.frequency_hz,
        duty_pct=found.duty_pct,
        high_s=found.high_s,
        low_s=found.low_s,
        rise_s=found.rise_s,
        fall_s=found.fall_s,
        jitter_pct=found.jitter_pct,
        rising_edges=len(edges),
        ring=None
        if ring is None
        else RingOut(
            teeth=ring.teeth,
            turns=ring.turns,
            error_pct=ring.error_pct.tolist(),
            run_out_pct=ring.run_out_pct,
            missing=list(ring.missing),
            findings=[
                FindingOut(fault=f.fault, tooth=f.tooth, size_pct=f.size_pct, sentence=f.sentence)
                for f in ring.findings
            ],
        ),
    )


_LEAST_FOR_RING = 30
