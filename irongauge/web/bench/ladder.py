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

from irongauge.core.bench.actions import ACTIONS, Action, Answer
from irongauge.core.bench.assessment import Assessment
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.judgement import Judgement, WindowExpectation, expect
from irongauge.core.measure.quantities import Mark, Slot
from irongauge.core.measure.units import show_volts
from irongauge.core.sensors.circuits import Pin, Role

__all__ = ["Ladder", "draw_ladder"]

WIDTH, HEIGHT = 542.0, 452.0
_TOP, _BOTTOM, _LEFT = 58.0, 382.0, 46.0
_GAP = 8.0
_PREDICTED_W = 7.0
_WORK_SHARE = 0.8
_LABEL_STEP = 19.0
_FLOOR_V = -0.3
_WIDEST, _ROOM_FOR_NAMES = 240.0, 150.0
_TALLEST_TICKS = 7
# Volts that are not those of a pin against battery negative.
_LIVE = {
    Action.LIVE_V, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_JUMPED_V, Action.LIVE_UNPLUGGED_V, Action.LIVE_GROUNDED_V,
    Action.AC_LOOSE_V, Action.AC_MATED_V, Action.THERMO_V,
}  # fmt: skip


@dataclass(frozen=True)
class Band:
    """An expected window in one lane. `state` is `now` for the asked reading, `done` or `open`."""

    x: float
    y: float
    width: float
    height: float
    state: str


@dataclass(frozen=True)
class Predicted:
    """What a good circuit, or the leading fault (`of`), gives in one lane: a narrow bar at the lane's edge."""

    x: float
    y: float
    width: float
    height: float
    of: str
    title: str


@dataclass(frozen=True)
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
    x: float
    y: float
    mark: str
    text: str


@dataclass(frozen=True)
class Column:
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
    y: float
    text: str


@dataclass(frozen=True)
class Ladder:
    width: float
    height: float
    top: float
    bottom: float
    left: float
    right: float
    break_y: float
    columns: tuple[Column, ...]
    ticks: tuple[Tick, ...]
    bands: tuple[Band, ...]
    predicted: tuple[Predicted, ...]
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


def draw_ladder(assessment: Assessment, active: Slot | None) -> Ladder:
    """The ladder for a circuit; `active` is the slot that the Bench asks for now."""
    case = assessment.case
    highest = max([case.battery_v, *(r.value or 0.0 for s, r in case.readings.items() if _volts_slot(s))])
    scale = _Scale(case.circuit.reference_v * 1.12, max(highest, case.system_v) * 1.04)
    columns = tuple(_column(case, place, pin) for place, pin in enumerate(case.circuit.pins))
    bands, dots, lamps = [], [], []
    for column, pin in zip(columns, case.circuit.pins, strict=True):
        slots = [step.slot for step in assessment.steps if step.slot.cavity == pin.cavity]
        if case.role_of(pin.cavity) is Role.SIGNAL and active is not None and active.action == Action.LIVE_V:
            slots.append(active)
        bands += _bands(case, scale, column, slots, active)
        dots += _dots(assessment, scale, column, slots)
        lamps += _lamps(assessment, column, slots)
    return Ladder(
        WIDTH,
        HEIGHT,
        _TOP,
        _BOTTOM,
        _LEFT,
        columns[-1].x + columns[-1].width,
        scale.y(scale.knee_v),
        columns,
        _ticks(case, scale),
        tuple(bands),
        _predicted(assessment, scale, columns, active),
        tuple(dots),
        tuple(lamps),
        _summary(dots),
    )


def _volts_slot(slot: Slot) -> bool:
    """True for volts read at the pin itself; what live data shows while the pin is driven is no reading of the pin."""
    spec = ACTIONS[Action(slot.action)]
    return spec.answer is Answer.VOLTS and spec.action not in _LIVE


def _column(case: BenchCase, place: int, pin: Pin) -> Column:
    count = len(case.circuit.pins)
    width = min((WIDTH - _LEFT + _GAP) / count - _GAP, _WIDEST)
    x = _LEFT + place * (width + _GAP)
    role = case.role_of(pin.cavity)
    names = ("unplugged", "plugged in") if width >= _ROOM_FOR_NAMES else ("off", "on")
    return Column(x, width, role or "", pin.cavity, pin.wire_colour, (x, x + width / 2), width / 2, names)


def _predicted(
    assessment: Assessment, scale: _Scale, columns: tuple[Column, ...], active: Slot | None
) -> tuple[Predicted, ...]:
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
        bars.append(Predicted(x, y, _PREDICTED_W - 1, max(scale.y(band.low_v) - y, 3.0), band.of, title))
    return tuple(bars)


def _lane_x(column: Column, slot: Slot) -> float:
    return column.lanes[1 if ACTIONS[Action(slot.action)].plugged_in else 0]


def _bands(case: BenchCase, scale: _Scale, column: Column, slots: Iterable[Slot], active: Slot | None) -> list[Band]:
    bands = []
    for slot in slots:
        # What live data should show only repeats the pin's own window, so it is drawn while it is asked for.
        expectation = expect(case, slot) if _volts_slot(slot) or slot == active else None
        if not isinstance(expectation, WindowExpectation) or ACTIONS[Action(slot.action)].answer is not Answer.VOLTS:
            continue
        window = expectation.window
        high_v = scale.top_v if math.isinf(window.high) else window.high
        y = scale.y(high_v)
        state = "now" if slot == active else "done" if slot in case.readings else "open"
        bands.append(
            Band(
                _lane_x(column, slot) + 3,
                y,
                column.lane_width - 6 - 2 * _PREDICTED_W,
                max(scale.y(window.low) - y, 4.0),
                state,
            )
        )
    return sorted(bands, key=lambda band: band.state == "now")


def _dots(assessment: Assessment, scale: _Scale, column: Column, slots: Iterable[Slot]) -> list[Dot]:
    case = assessment.case
    dots: list[Dot] = []
    for lane in column.lanes:
        here = []
        for slot in slots:
            reading = case.readings.get(slot)
            if reading is None or reading.value is None or not _volts_slot(slot) or _lane_x(column, slot) != lane:
                continue
            here.append((scale.y(reading.value), slot, reading.value, assessment.judgements[slot]))
        here.sort(key=lambda item: item[0])
        lowest = _TOP - _LABEL_STEP
        for place, (y, slot, volts, judgement) in enumerate(here):
            room_below = _BOTTOM - _LABEL_STEP * (len(here) - 1 - place)
            label_y = min(max(y, lowest + _LABEL_STEP), room_below)
            lowest = label_y
            dots.append(_dot(case, lane, y, label_y, slot, volts, judgement))
    return dots


def _dot(  # noqa: PLR0913  a dot's place, what it stands for, what it is worth
    case: BenchCase, lane: float, y: float, label_y: float, slot: Slot, volts: float, judgement: Judgement
) -> Dot:
    title = f"{ACTIONS[Action(slot.action)].title}: {case.reading_text(case.readings[slot])}, {judgement.mark}"
    return Dot(
        lane + 12,
        y,
        lane + 22,
        label_y,
        abs(label_y - y) > 1,
        judgement.mark,
        show_volts(volts).removesuffix(" V"),
        title,
    )


def _lamps(assessment: Assessment, column: Column, slots: Iterable[Slot]) -> list[LampAnswer]:
    answers: list[LampAnswer] = []
    signs = {Action.LAMP_NEGATIVE: "−", Action.LAMP_POSITIVE: "+"}
    for slot in slots:
        reading = assessment.case.readings.get(slot)
        if reading is not None and Action(slot.action) in signs:
            text = f"lamp {signs[Action(slot.action)]} {reading.word}"
            mark = assessment.judgements[slot].mark
            answers.append(LampAnswer(column.x + 12, _BOTTOM + 26 + 21 * len(answers), mark, text))
    return answers


def _ticks(case: BenchCase, scale: _Scale) -> tuple[Tick, ...]:
    whole = range(int(scale.knee_v) + 1)
    step = max(1, math.ceil(len(whole) / _TALLEST_TICKS))
    ticks = [Tick(scale.y(v), str(v)) for v in whole[::step]]
    ticks.append(Tick(scale.y(case.battery_v), f"{case.battery_v:.1f}"))
    return tuple(ticks)


def _summary(dots: list[Dot]) -> str:
    failed = [dot.title for dot in dots if dot.mark == Mark.FAIL]
    return f"{len(dots)} voltage readings drawn. " + (
        "Out of limits: " + "; ".join(failed) if failed else "None is out."
    )
