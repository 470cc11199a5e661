"""The volt ladder: three wires as columns, 0 V to battery, with windows, readings and lamp answers.

        reference      return       signal
        off    on     off    on    off    on
   12.6 ┬ battery, on a compressed upper part
    5.0 ┼ ▓▓  ▓▓                      ▓▓
    0   ┴              ▓▓    ▓▓    ▓▓

Sensor volts get four fifths of the height, since that is where the work is; the rest up to the battery is compressed
above a visible break.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.assessment import Assessment
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.expectations import WindowExpectation, expect
from irongauge.core.bench.judgement import Judgement
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.measure.units import show_volts
from irongauge.core.sensors.circuits import Pin, Role

__all__ = ["Ladder", "draw_ladder"]

WIDTH = 542.0
_TOP, _BOTTOM, _LEFT = 58.0, 352.0, 46.0
_GAP = 8.0
_PREDICTED_W = 7.0
_WORK_SHARE = 0.8
_LABEL_STEP = 19.0
_FLOOR_V = -0.3
_WIDEST, _ROOM_FOR_NAMES = 240.0, 150.0
_TALLEST_TICKS = 7
_CLOSE_TICKS = 18  # two labels nearer than this lie over each other
# Volts that are not those of a pin against battery negative.
_LIVE = {
    Action.LIVE_V, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_JUMPED_V, Action.LIVE_UNPLUGGED_V, Action.LIVE_GROUNDED_V,
    Action.AC_LOOSE_V, Action.AC_MATED_V, Action.THERMO_V, Action.WAY_V,
}  # fmt: skip


@dataclass(frozen=True)
class LadderBand:
    """An expected window in one lane. `state` is `now` for the asked reading, `done` or `open`."""

    x: float
    y: float
    width: float
    height: float
    state: str


@dataclass(frozen=True, kw_only=True)
class LadderPrediction:
    """What a good circuit, or the leading fault (`of`), gives in one lane: a narrow bar at the lane's edge."""

    x: float
    y: float
    width: float
    height: float
    of: str
    title: str


@dataclass(frozen=True, kw_only=True)
class Dot:
    """A reading: a tick at its true height `y`, and beside its text at `label_y` the shape of its mark.

    Close readings have their texts moved apart; `is_moved` says that a line has to lead back to the tick.
    """

    x: float
    y: float
    label_x: float
    label_y: float
    is_moved: bool
    mark: str
    text: str
    title: str


@dataclass(frozen=True)
class LampAnswer:
    """How the lamp glowed at a pin, below its column."""

    x: float
    y: float
    mark: str
    text: str


@dataclass(frozen=True, kw_only=True)
class Column:
    """One pin of the ladder, with a lane for unplugged and one for plugged in."""

    x: float
    width: float
    role: str
    cavity: str
    colour: str
    lanes: tuple[float, float]
    lane_width: float
    lane_names: tuple[str, str]


@dataclass(frozen=True)
class Tick:
    """A line of the ladder with its volts."""

    y: float
    text: str


@dataclass(frozen=True, kw_only=True)
class Ladder:
    """The whole drawing, in the order in which it is drawn."""

    width: float
    height: float
    top: float
    bottom: float
    left: float
    right: float
    break_y: float
    columns: tuple[Column, ...]
    ticks: tuple[Tick, ...]
    bands: tuple[LadderBand, ...]
    predicted: tuple[LadderPrediction, ...]
    dots: tuple[Dot, ...]
    lamps: tuple[LampAnswer, ...]
    summary: str


@dataclass(frozen=True)
class _Scale:
    """Volts to height, in two straight parts."""

    knee_v: float
    top_v: float

    def y(self, volts: float) -> float:
        volts = min(max(volts, _FLOOR_V), self.top_v)
        work_px = (_BOTTOM - _TOP) * _WORK_SHARE
        if volts <= self.knee_v:
            return _BOTTOM - work_px * (volts - _FLOOR_V) / (self.knee_v - _FLOOR_V)
        share = (volts - self.knee_v) / (self.top_v - self.knee_v)
        return _BOTTOM - work_px - (_BOTTOM - _TOP - work_px) * share


def draw_ladder(assessment: Assessment, active: TestPoint | None) -> Ladder:
    """The ladder for a circuit; `active` is the test point that the Bench asks for now."""
    case = assessment.case
    highest = max([case.battery_v, *(r.value or 0.0 for s, r in case.readings.items() if _volts_point(s))])
    scale = _Scale(case.circuit.reference_v * 1.12, max(highest, case.system_v) * 1.04)
    columns = tuple(_column(case, place, pin) for place, pin in enumerate(case.circuit.pins))
    bands, dots, lamps = [], [], []
    for column, pin in zip(columns, case.circuit.pins, strict=True):
        test_points = [test.test_point for test in assessment.tests if test.test_point.cavity == pin.cavity]
        if case.role_of(pin.cavity) is Role.SIGNAL and active is not None and active.action == Action.LIVE_V:
            test_points.append(active)
        bands += _bands(case, scale, column, test_points, active)
        dots += _dots(assessment, scale, column, test_points)
        lamps += _lamps(assessment, column, test_points)
    return Ladder(
        width=WIDTH,
        height=max([_BOTTOM, *(lamp.y for lamp in lamps)]) + 14,
        top=_TOP,
        bottom=_BOTTOM,
        left=_LEFT,
        right=columns[-1].x + columns[-1].width,
        break_y=scale.y(scale.knee_v),
        columns=columns,
        ticks=_ticks(case, scale),
        bands=tuple(bands),
        predicted=_predicted(assessment, scale, columns, active),
        dots=tuple(dots),
        lamps=tuple(lamps),
        summary=_summary(dots),
    )


def _volts_point(test_point: TestPoint) -> bool:
    """True for volts read at the pin itself; what live data shows while the pin is driven is no reading of the pin."""
    spec = ACTIONS[Action(test_point.action)]
    return spec.answer is AnswerKind.VOLTS and spec.action not in _LIVE


def _column(case: BenchCase, place: int, pin: Pin) -> Column:
    count = len(case.circuit.pins)
    width = min((WIDTH - _LEFT + _GAP) / count - _GAP, _WIDEST)
    x = _LEFT + place * (width + _GAP)
    role = case.role_of(pin.cavity)
    names = ("unplugged", "plugged in") if width >= _ROOM_FOR_NAMES else ("off", "on")
    return Column(
        x=x,
        width=width,
        role=role or "",
        cavity=pin.cavity,
        colour=pin.wire_colour,
        lanes=(x, x + width / 2),
        lane_width=width / 2,
        lane_names=names,
    )


def _predicted(
    assessment: Assessment, scale: _Scale, columns: tuple[Column, ...], active: TestPoint | None
) -> tuple[LadderPrediction, ...]:
    """The bars of what healthy and the leading fault predict, at the asked stimulus or the last one that was read."""
    if assessment.diagnosis is None:
        return ()
    points = [s.point for s in assessment.case.readings if s.point is not None]
    point = active.point if active is not None and active.point is not None else points[-1] if points else 0
    bars = []
    for band in assessment.diagnosis.bands:
        column = next((c for c in columns if c.cavity == band.cavity), None)
        if column is None or (
            band.point is not None and band.point != point and column.role in {"signal", "temperature"}
        ):
            continue
        right = column.lanes[1 if band.plugged_in else 0] + column.lane_width
        x = right - _PREDICTED_W * (2 if band.of == "healthy" else 1) - 1
        y = scale.y(band.high_v)
        title = f"{'A good circuit' if band.of == 'healthy' else 'The leading fault'}: {band.low_v:.2f} to {band.high_v:.2f} V"
        bars.append(
            LadderPrediction(
                x=x, y=y, width=_PREDICTED_W - 1, height=max(scale.y(band.low_v) - y, 3.0), of=band.of, title=title
            )
        )
    return tuple(bars)


def _lane_x(column: Column, test_point: TestPoint) -> float:
    return column.lanes[1 if ACTIONS[Action(test_point.action)].plugged_in else 0]


def _bands(
    case: BenchCase, scale: _Scale, column: Column, test_points: Iterable[TestPoint], active: TestPoint | None
) -> list[LadderBand]:
    bands = []
    for test_point in test_points:
        # What live data should show only repeats the pin's own window, so it is drawn while it is asked for.
        expectation = expect(case, test_point) if _volts_point(test_point) or test_point == active else None
        if (
            not isinstance(expectation, WindowExpectation)
            or ACTIONS[Action(test_point.action)].answer is not AnswerKind.VOLTS
        ):
            continue
        window = expectation.window
        high_v = scale.top_v if math.isinf(window.high) else window.high
        y = scale.y(high_v)
        state = "now" if test_point == active else "done" if test_point in case.readings else "open"
        bands.append(
            LadderBand(
                _lane_x(column, test_point) + 3,
                y,
                column.lane_width - 6 - 2 * _PREDICTED_W,
                max(scale.y(window.low) - y, 4.0),
                state,
            )
        )
    return sorted(bands, key=lambda band: band.state == "now")


def _dots(assessment: Assessment, scale: _Scale, column: Column, test_points: Iterable[TestPoint]) -> list[Dot]:
    case = assessment.case
    dots: list[Dot] = []
    for lane in column.lanes:
        here = []
        for test_point in test_points:
            reading = case.readings.get(test_point)
            if (
                reading is None
                or reading.value is None
                or not _volts_point(test_point)
                or _lane_x(column, test_point) != lane
            ):
                continue
            here.append((scale.y(reading.value), test_point, reading.value, assessment.judgements[test_point]))
        here.sort(key=lambda item: item[0])
        lowest = _TOP - _LABEL_STEP
        for place, (y, test_point, volts, judgement) in enumerate(here):
            room_below = _BOTTOM - _LABEL_STEP * (len(here) - 1 - place)
            label_y = min(max(y, lowest + _LABEL_STEP), room_below)
            lowest = label_y
            dots.append(_dot(case, lane, y, label_y=label_y, test_point=test_point, volts=volts, judgement=judgement))
    return dots


def _dot(
    case: BenchCase, lane: float, y: float, *, label_y: float, test_point: TestPoint, volts: float, judgement: Judgement
) -> Dot:
    title = (
        f"{ACTIONS[Action(test_point.action)].title}: {case.reading_text(case.readings[test_point])}, {judgement.mark}"
    )
    return Dot(
        x=lane + 12,
        y=y,
        label_x=lane + 22,
        label_y=label_y,
        is_moved=abs(label_y - y) > 1,
        mark=judgement.mark,
        text=show_volts(volts).removesuffix(" V"),
        title=title,
    )


def _lamps(assessment: Assessment, column: Column, test_points: Iterable[TestPoint]) -> list[LampAnswer]:
    answers: list[LampAnswer] = []
    signs = {Action.LAMP_NEGATIVE: "−", Action.LAMP_POSITIVE: "+"}
    for test_point in test_points:
        reading = assessment.case.readings.get(test_point)
        if reading is not None and Action(test_point.action) in signs:
            text = f"lamp {signs[Action(test_point.action)]} {reading.word}"
            mark = assessment.judgements[test_point].mark
            answers.append(LampAnswer(column.x + 12, _BOTTOM + 26 + 21 * len(answers), mark, text))
    return answers


def _ticks(case: BenchCase, scale: _Scale) -> tuple[Tick, ...]:
    whole = range(int(scale.knee_v) + 1)
    step = max(1, math.ceil(len(whole) / _TALLEST_TICKS))
    battery = Tick(scale.y(case.battery_v), f"{case.battery_v:.1f}")
    ticks = [Tick(scale.y(v), str(v)) for v in whole[::step]]
    return (*(tick for tick in ticks if abs(tick.y - battery.y) >= _CLOSE_TICKS), battery)


def _summary(dots: list[Dot]) -> str:
    failed = [dot.title for dot in dots if dot.mark == Mark.FAIL]
    return f"{len(dots)} voltage readings drawn. " + (
        "Out of limits: " + "; ".join(failed) if failed else "None is out."
    )
