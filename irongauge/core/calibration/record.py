"""A calibration as it is kept: how it was set up, each point as it was typed, who signed it.

Points are append-only like readings: one that was mistyped, taken again or left out is followed by another that names it.
Once signed, nothing is added; a correction is a new record that names the one it supersedes. What the points say is never
kept, but worked out again from them (`result_of`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from uuid import UUID

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import CalibrationResult, judge_calibration
from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.measure.uncertainty import UNKNOWN_METER
from irongauge.core.measure.units import FIXED_UNIT, PressureBase
from irongauge.core.sensors.circuits import Channel, Instrument, SensorType
from irongauge.core.sensors.conversion import Feed, reading_unit
from irongauge.core.sensors.transfer import CurveKind

__all__ = [
    "Calibration",
    "KeptPoint",
    "Manner",
    "Planned",
    "PointReason",
    "Setup",
    "Stage",
    "current_points",
    "even_plan",
    "points_to_judge",
    "result_of",
]

# What is taken where no instrument is named: a plain handheld meter, and a reference in the usual window of ± 2 %.
ASSUMED_REFERENCE_PCT = 2.0
# A barometer read to 0.1 kPa, and the weather's swing about the standard atmosphere of a height.
BAROMETER_KPA, WEATHER_KPA = 0.1, 2.5


class Stage(StrEnum):
    """Before anything was adjusted or replaced, or after."""

    AS_FOUND = "as found"
    AS_LEFT = "as left"


class Manner(StrEnum):
    """A whole calibration, or two points on the floor."""

    FULL = "full"
    QUICK = "quick"


class PointReason(StrEnum):
    """Why a point stands in place of an earlier one."""

    MISTYPED = "mistyped"
    AGAIN = "measured again"
    LEFT_OUT = "left out of the line"
    TAKEN_IN = "taken into the line again"


@dataclass(frozen=True)
class Planned:
    """A point to be taken: the stimulus in the fixed unit on the curve's base, and which way it is approached."""

    stimulus: float
    run: Run = Run.UP


@dataclass(frozen=True, kw_only=True)
class Setup:
    """How a calibration is done.

    `reference_v` was measured once, or is None; where `reference_each`, it is read with every point. `stimulus_base` is what
    the reference instrument counts from. `atmosphere_measured` tells a barometer from the height's standard atmosphere.
    """

    channel: str
    stage: Stage
    manner: Manner
    plan: tuple[Planned, ...]
    serial: str = ""
    meter_uid: UUID | None = None
    gauge_uid: UUID | None = None
    reference_v: float | None = None
    reference_each: bool = False
    pull_up_ohm: float | None = None
    pull_up_v: float = 5.0
    shunt_ohm: float | None = None
    stimulus_base: PressureBase | None = None
    atmosphere_kpa: float = 101.325
    atmosphere_measured: bool = False


@dataclass(frozen=True, kw_only=True)
class KeptPoint:
    """One point as it was taken; `place` counts the plan from 0, and goes on beyond it for points that were added.

    `stimulus` and `reading` are in fixed units, `stimulus_step` is the last digit that was typed of the stimulus.
    """

    uid: UUID
    place: int
    run: Run
    stimulus: float
    reading: float
    reference_v: float | None
    stimulus_step: float
    typed_stimulus: str
    typed_reading: str
    taken_at: datetime
    supersedes_uid: UUID | None = None
    reason: PointReason | None = None
    left_out: str = ""

    def __post_init__(self) -> None:
        if not (math.isfinite(self.stimulus) and math.isfinite(self.reading)) or self.place < 0:
            msg = "a point is a finite stimulus and a finite reading"
            raise ValueError(msg)
        if (self.supersedes_uid is None) != (self.reason is None):
            msg = "a point that supersedes another says why, and only such a one"
            raise ValueError(msg)

    def to_point(self) -> CalibrationPoint:
        """The point as it is reckoned with, without who took it and when."""
        return CalibrationPoint(
            stimulus=self.stimulus,
            reading=self.reading,
            run=self.run,
            reference_v=self.reference_v,
            stimulus_step=self.stimulus_step,
            left_out=self.left_out,
        )


@dataclass(frozen=True, kw_only=True)
class Calibration:
    """One record. `points` has every one of them, superseded ones too, oldest first."""

    uid: UUID
    sensor: SensorType
    setup: Setup
    technician_uid: UUID
    started_at: datetime
    points: tuple[KeptPoint, ...] = ()
    circuit_uid: UUID | None = None
    signed_at: datetime | None = None
    signed_by_uid: UUID | None = None
    remark: str = ""
    supersedes_uid: UUID | None = None

    @property
    def channel(self) -> Channel:
        """The signal that is calibrated."""
        return next(c for c in self.sensor.channels if c.name == self.setup.channel)

    @property
    def current(self) -> tuple[KeptPoint, ...]:
        """The points that count, by their place."""
        return current_points(self.points)

    @property
    def next_place(self) -> int:
        """The place that the next point takes: the first of the plan that is free, or one beyond the last."""
        taken = {p.place for p in self.points}
        free = next((at for at in range(len(self.setup.plan)) if at not in taken), None)
        return max(taken, default=-1) + 1 if free is None else free

    @property
    def is_planned_done(self) -> bool:
        """True once every planned point has been taken."""
        return self.next_place >= len(self.setup.plan)

    @property
    def nominal_reference_v(self) -> float:
        """Volts that the channel is fed with by its card: its pull-up's, or the sensor's supply."""
        return self.setup.pull_up_v if self.channel.curve.kind is CurveKind.OHMS else self.sensor.supply_v

    @property
    def feed(self) -> Feed:
        """What the sensor is fed with, where a point has no reference of its own."""
        reference_v = self.setup.reference_v or self.sensor.supply_v
        pull_up_v = self.setup.reference_v or self.setup.pull_up_v
        return Feed(reference_v, self.setup.pull_up_ohm, pull_up_v, self.setup.shunt_ohm)


def current_points(points: Sequence[KeptPoint]) -> tuple[KeptPoint, ...]:
    """Those that no other supersedes."""
    gone = {p.supersedes_uid for p in points}
    return tuple(sorted((p for p in points if p.uid not in gone), key=lambda p: p.place))


def points_to_judge(points: Sequence[KeptPoint]) -> list[CalibrationPoint]:
    """The points as they are judged. Who reads 2.50 once reads the dial to that step: zeros left out at others say nothing."""
    step = min((p.stimulus_step for p in points), default=0.0)
    return [replace(p.to_point(), stimulus_step=step) for p in points]


def even_plan(low: float, high: float, count: int, *, down: bool) -> tuple[Planned, ...]:
    """`count` stimuli evenly from `low` to `high` (which may lie below it), then, where `down`, back again."""
    if count < 1 or (count > 1 and low == high):
        msg = "a plan has at least one point, and two ends that differ"
        raise ValueError(msg)
    ups = [low if count == 1 else low + (high - low) * at / (count - 1) for at in range(count)]
    rising = high >= low
    first, second = (Run.UP, Run.DOWN) if rising else (Run.DOWN, Run.UP)
    plan = [Planned(v, first) for v in ups]
    return tuple(plan + [Planned(v, second) for v in reversed(ups)] if down else plan)


def sources_of(calibration: Calibration, meter: Instrument | None, gauge: Instrument | None) -> Sources:
    """The uncertainties of a set-up, by the specifications of its instruments."""
    setup, curve = calibration.setup, calibration.channel.curve
    bases_differ = setup.stimulus_base is not None and setup.stimulus_base is not curve.pressure_base
    half_kpa = BAROMETER_KPA if setup.atmosphere_measured else WEATHER_KPA
    needs_reference = setup.reference_v is None
    assumed_v = ASSUMED_REFERENCE_PCT / 100 * calibration.nominal_reference_v / math.sqrt(3)
    return Sources(
        meter=UNKNOWN_METER if meter is None or meter.meter is None else meter.meter,
        stimulus_u=0.0 if gauge is None or gauge.gauge is None else gauge.gauge.standard_uncertainty(),
        atmosphere_u=half_kpa / math.sqrt(3) if bases_differ else 0.0,
        assumed_reference_u=assumed_v if needs_reference else None,
        reading_unit=reading_unit(curve.kind, calibration.feed),
        unit=FIXED_UNIT[curve.quantity],
    )


def result_of(calibration: Calibration, meter: Instrument | None, gauge: Instrument | None) -> CalibrationResult:
    """What the current points say."""
    return judge_calibration(
        calibration.channel.curve,
        points_to_judge(calibration.current),
        calibration.sensor.tolerance_pct_span,
        calibration.feed,
        sources_of(calibration, meter, gauge),
    )


def in_force(calibrations: Sequence[Calibration]) -> tuple[Calibration, ...]:
    """Of a circuit's calibrations, the newest first, the signed ones that no later record corrects, the oldest first.

    So the error as found stands before that as left.
    """
    corrected = {c.supersedes_uid for c in calibrations if c.signed_at is not None}
    return tuple(c for c in reversed(calibrations) if c.signed_at is not None and c.uid not in corrected)
