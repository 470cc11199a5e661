"""What the Pulse room's questions look like: the ring with its feelers, speeds against each other, time on a bus.

Everything is placed here in fixed boxes; the templates only draw it. No drawing says anything that its words do not.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.pulses.ratio import RatioFit, SpeedPair
from irongauge.core.pulses.signal_parts import AirGap
from irongauge.web.axes import Axes, Tick, nice_ticks, path_through, signed

__all__ = [
    "BusDrawing",
    "FuelDrawing",
    "GapDrawing",
    "SpeedDrawing",
    "draw_bus",
    "draw_fuel",
    "draw_gap",
    "draw_speeds",
]

# The ring with its feelers

_RING_MM, _MIDDLE = 96.0, 190.0  # the ring's radius on the drawing, and its middle both ways
_FULL = 62.0  # how far the widest gap stands from the ring


@dataclass(frozen=True, kw_only=True)
class Feeler:
    """One reading: its dot, its text outside, and how it stands: `in`, `out` or `odd`."""

    x: float
    y: float
    foot_x: float
    foot_y: float
    text_x: float
    text_y: float
    text: str
    kind: str


@dataclass(frozen=True, kw_only=True)
class GapDrawing:
    """The ring, its window as two circles, and what was read round it. `move` is how far the sensor moves, up being away."""

    feelers: tuple[Feeler, ...]
    inner: float
    outer: float
    move: str
    away: bool
    words: str


def draw_gap(readings_mm: Sequence[float], window_mm: tuple[float, float], found: AirGap) -> GapDrawing:
    """The readings round the ring, the first at the top and then clockwise, their gaps drawn larger than they are."""
    most = max(*readings_mm, window_mm[1]) * 1.05
    feelers = []
    for at, gap in enumerate(readings_mm):
        angle = 2 * math.pi * at / len(readings_mm)
        foot, dot, text = (_round(r, angle) for r in (_RING_MM, _RING_MM + _FULL * gap / most, _RING_MM + _FULL + 20))
        kind = "odd" if at == found.odd else "in" if window_mm[0] <= gap <= window_mm[1] else "out"
        feelers.append(
            Feeler(
                x=dot[0],
                y=dot[1],
                foot_x=foot[0],
                foot_y=foot[1],
                text_x=text[0],
                text_y=round(text[1] + 6, 1),
                text=f"{gap:.2f}",
                kind=kind,
            )
        )
    out = sum(f.kind == "out" for f in feelers)
    odd = "" if found.odd is None else f"; place {found.odd + 1} stands out of the ring"
    return GapDrawing(
        feelers=tuple(feelers),
        inner=round(_RING_MM + _FULL * window_mm[0] / most, 1),
        outer=round(_RING_MM + _FULL * window_mm[1] / most, 1),
        move=f"{abs(found.move_mm):.2f} mm" if found.helps_to_move else "",
        away=found.move_mm > 0,
        words=f"{len(feelers)} places round the ring, {out} outside the window{odd}",
    )


def _round(radius: float, angle: float) -> tuple[float, float]:
    return round(_MIDDLE + radius * math.sin(angle), 1), round(_MIDDLE - radius * math.cos(angle), 1)


# Shown against true


@dataclass(frozen=True, kw_only=True)
class SpeedDrawing:
    """Shown over true speed: where a right display lies, what is allowed about it, the points and the line through them."""

    axes: Axes
    right_path: str
    band_path: str
    line_path: str
    dots: tuple[tuple[float, float], ...]
    left_dots: tuple[tuple[float, float], ...]
    offset: tuple[float, str] | None
    unit: str
    words: str


def draw_speeds(
    pairs: Sequence[SpeedPair],
    after: Sequence[SpeedPair],
    fit: RatioFit,
    within_pct: float,
    unit: tuple[str, float],
) -> SpeedDrawing:
    """`unit` is a name and how many km/h it has. The line is that of the ratio, or of ratio and offset where one is meant."""
    name, kmh = unit
    seen = [(p.true_kmh / kmh, p.shown_kmh / kmh) for p in pairs]
    left = [(p.true_kmh / kmh, p.shown_kmh / kmh) for p in after]
    most = 1.08 * max(max(x, y) for x, y in [*seen, *left])
    axes = Axes(x_low=0, x_high=most, y_low=0, y_high=most, height=420.0, bottom=370.0)
    share = within_pct / 100
    if fit.is_offset and fit.slope is not None and fit.offset_kmh is not None:
        offset_kmh, slope = fit.offset_kmh, fit.slope
    else:
        offset_kmh, slope = 0.0, 1 / fit.ratio
    line = [(x, offset_kmh / kmh + slope * x) for x in (0.0, most)]
    way = "high" if fit.off_pct > 0 else "low"
    return SpeedDrawing(
        axes=axes,
        right_path=axes.path([(0, 0), (most, most)]),
        band_path=axes.path([(0, 0), (most, most * (1 + share)), (most, most * (1 - share))]) + " Z",
        line_path=axes.path(line),
        dots=tuple((axes.x(x), axes.y(y)) for x, y in seen),
        left_dots=tuple((axes.x(x), axes.y(y)) for x, y in left),
        offset=(axes.y(offset_kmh / kmh), f"{signed(round(offset_kmh / kmh, 1))} {name} at rest")
        if fit.is_offset
        else None,
        unit=name,
        words=f"{len(seen)} pairs, shown over true; the line through them lies {abs(fit.off_pct):.1f} % {way}",
    )


# A fuel sensor's two scales


@dataclass(frozen=True, kw_only=True)
class FuelDrawing:
    """One period with its low pulse, and where both figures lie on their scales (None while not typed)."""

    pulse_path: str
    low_x: tuple[float, float] | None
    hertz_x: float | None
    pulse_x: float | None
    words: str


_SCALE = (40.0, 560.0)
_HZ, _MS = (30.0, 190.0), (0.5, 5.5)  # at the ends of the two scales
_FUEL_TOP, _FUEL_BOTTOM = 26.0, 96.0


def fuel_x(value: float, ends: tuple[float, float]) -> float:
    """Where a figure lies on a scale of the fuel drawing, just beyond its end where it is beyond it."""
    share = min(max((value - ends[0]) / (ends[1] - ends[0]), -0.02), 1.02)
    return round(_SCALE[0] + (_SCALE[1] - _SCALE[0]) * share, 1)


def draw_fuel(hertz: float | None, pulse_ms: float | None) -> FuelDrawing:
    """The pulse as a scope would show it, three periods wide, drawn to scale while both figures make one."""
    share = 0.3
    low_x = None
    if hertz and pulse_ms is not None:
        share = min(max(pulse_ms * hertz / 1000, 0.02), 0.98)
    period = (_SCALE[1] - _SCALE[0]) / 3
    points = []
    for at in range(3):
        start = _SCALE[0] + at * period
        fall = start + (1 - share) * period
        points += [(start, _FUEL_TOP), (fall, _FUEL_TOP), (fall, _FUEL_BOTTOM), (start + period, _FUEL_BOTTOM)]
        if at == 0 and hertz and pulse_ms is not None:
            low_x = (round(fall, 1), round(start + period, 1))
    return FuelDrawing(
        pulse_path=path_through(points),
        low_x=low_x,
        hertz_x=None if hertz is None else fuel_x(hertz, _HZ),
        pulse_x=None if pulse_ms is None else fuel_x(pulse_ms, _MS),
        words="One pulse of the sensor: its frequency says the composition, its low part the temperature",
    )


# Time on a bus


@dataclass(frozen=True, kw_only=True)
class BusDrawing:
    """The fastest change as it happens, the frames that go out meanwhile, and how late the channel shows it."""

    change_path: str
    shown_path: str
    frames: tuple[float, ...]
    frames_cut: bool
    delay: tuple[float, float]
    delay_text: str
    ticks: tuple[Tick, ...]
    words: str


_BUS = (50.0, 630.0)
_BUS_TOP, _BUS_BOTTOM = 30.0, 110.0
_MOST_FRAMES = 120


def draw_bus(low_hz: float, pulses: int, frame_hz: float, needed_hz: float) -> BusDrawing:
    """At the lowest speed, where a channel is latest: a change that takes 1/needed, what comes out of averaging and frames."""
    change_s, frame_s = 1 / needed_hz, 1 / frame_hz
    average_s = pulses / low_hz
    late_s = average_s + frame_s
    whole_s = max(1.6 * change_s + late_s, 3 * frame_s)

    def x(seconds: float) -> float:
        return round(_BUS[0] + (_BUS[1] - _BUS[0]) * min(seconds / whole_s, 1.0), 1)

    def y(share: float) -> float:
        return round(_BUS_BOTTOM + (_BUS_TOP - _BUS_BOTTOM) * min(max(share, 0.0), 1.0), 1)

    begin_s = 0.3 * change_s
    count = min(int(whole_s / frame_s) + 1, _MOST_FRAMES)
    shown, last = [(x(0.0), y(0.0))], y(0.0)
    for at in range(count):
        now = at * frame_s
        level = y((now - begin_s - average_s) / change_s)
        shown += [(x(now), last), (x(now), level)]
        last = level
    end = y((whole_s - begin_s - average_s) / change_s) if count == _MOST_FRAMES else last
    middle_s = begin_s + 0.5 * change_s
    late = f"{1000 * late_s:.3g} ms late" if late_s < 1 else f"{late_s:.3g} s late"
    return BusDrawing(
        change_path=path_through([(x(0), y(0)), (x(begin_s), y(0)), (x(begin_s + change_s), y(1)), (x(whole_s), y(1))]),
        shown_path=path_through([*shown, (x(whole_s), end)]),
        frames=tuple(x(at * frame_s) for at in range(count)),
        frames_cut=count == _MOST_FRAMES,
        delay=(x(middle_s), x(middle_s + late_s)),
        delay_text=late,
        ticks=tuple(Tick(x(s), f"{signed(s)} s") for s in nice_ticks(0.0, whole_s, 6)),
        words=f"A change that takes {change_s:.3g} s, {min(count, int(change_s / frame_s))} frames while it lasts, shown {late}",
    )
