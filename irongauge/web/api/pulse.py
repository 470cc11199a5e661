"""`POST /api/v1/pulse/…`: the sums of the Pulse room for programs. Nothing is stored."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Body

from irongauge.core.pulses.examination import examine
from irongauge.core.pulses.ratio import SpeedPair, explain_ratio, fit_ratio, new_figure
from irongauge.core.pulses.rolling import NAMES, Known, relate
from irongauge.core.pulses.unequal import checked_angles
from irongauge.errors import EntryError, as_sentence
from irongauge.web.api.bodies import PROBLEM
from irongauge.web.api.pulse_models import (
    AnalyseIn,
    AnalyseOut,
    ExplanationOut,
    KnownOut,
    RatioIn,
    RatioOut,
    RelateIn,
    RelateOut,
)
from irongauge.web.permissions import LOOK

__all__ = ["router"]

router = APIRouter(prefix="/api/v1/pulse")


@router.post(
    "/relate", dependencies=[LOOK], summary="Teeth, axle, tyre, speed, pulses: any from any", responses=PROBLEM
)
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


@router.post("/ratio", dependencies=[LOOK], summary="Shown against true speed", responses=PROBLEM)
def post_ratio(
    body: Annotated[
        RatioIn,
        Body(
            openapi_examples={
                "Three pairs": {
                    "value": {
                        "pairs": [[50, 55.1], [80, 87.9], [100, 110.2]],
                        "teeth": 20,
                        "figure": 17000,
                        "figure_is": "pulses per km",
                    }
                }
            }
        ),
    ],
) -> RatioOut:
    """Pairs of (shown, true) in km/h: the ratio, its spread, whether an offset fits better, what would explain it."""
    found = fit_ratio([SpeedPair(shown, true) for shown, true in body.pairs])
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
        new_figure=None
        if body.figure is None or body.figure_is is None or found.is_offset
        else new_figure(body.figure, body.figure_is, found.ratio),
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


@router.post(
    "/analyse",
    dependencies=[LOOK],
    summary="A waveform: levels, frequency, duty, and the ring behind it",
    responses=PROBLEM,
)
def post_analyse(
    body: Annotated[
        AnalyseIn,
        Body(openapi_examples={"Two hundred samples of a square wave": {"value": {
            "rate_hz": 1000, "signal_v": ([0.1] * 10 + [4.9] * 10) * 10}}}),
    ],
) -> AnalyseOut:  # fmt: skip
    """Samples at an even rate, or with times of their own. With `teeth`, or where they can be counted, the ring is examined."""
    signal_v = np.array(body.signal_v)
    if body.time_s is not None:
        time_s = np.array(body.time_s)
    elif body.rate_hz is not None:
        time_s = np.arange(len(signal_v)) / body.rate_hz
    else:
        raise EntryError("rate_hz", "", "Give the rate of the samples, or a time for each.")
    try:
        found = examine(
            time_s,
            signal_v,
            teeth=body.teeth,
            gap_teeth=body.gap_teeth,
            pull_up_v=body.pull_up_v,
            shunt_ohm=body.shunt_ohm,
            angles_deg=checked_angles(body.angles_deg),
        )
    except ValueError as error:
        raise EntryError("signal_v", "", as_sentence(error)) from error
    return AnalyseOut.from_core(found)
