"""A vehicle's own normals: what a channel shows in a condition when the vehicle is well, and where a later value stands.

A condition is how hot the engine is, how fast it turns and how much it is loaded. A normal is the median of its readings with a
robust standard deviation, 1.4826 times the median absolute deviation (Hampel, The influence curve and its role in robust
estimation, 1974; the factor makes it that of a normal distribution), so that one odd reading moves neither.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.engine import STANDS_RPM, Engine, Gridded
from irongauge.core.traces.senses import SENSES, Sense
from irongauge.core.traces.single import SingleChannel

Floats = NDArray[np.float64]

__all__ = [
    "FEWEST",
    "FEWEST_LOGS",
    "HEATS",
    "LOADS",
    "SPEEDS",
    "Condition",
    "JobLevel",
    "Normal",
    "NormalReading",
    "Standing",
    "Trend",
    "condition_at",
    "missing",
    "normal_of",
    "own_u",
    "readings_of",
    "standing_of",
    "trend_of",
]

FEWEST, FEWEST_LOGS = 3, 2  # readings, and the logs that they are of, from which a normal is known
_OWN = 0.01
_OF_THE_DAY = {
    Sense.ROAD_SPEED,
    Sense.AIR_TEMPERATURE,
    Sense.BAROMETER,
}  # of the way and the weather, not of the vehicle
_MAD = 1.4826  # from the median deviation to the standard deviation of a bell
_GRID_S = 0.25  # fine enough for what lasts a second
_BLOCK_S = 6.0  # over which a reading is taken, and all has to be steady
_MOST_OF_ONE = 12  # readings of a condition from one log: a long log is no more witnesses than a short one
_COLD_DEGC, _HOT_DEGC = 40.0, 75.0
_IDLE_RPM, _WORK_RPM = 1000.0, 1800.0
_LIGHT_PCT, _FULL_PCT = 25.0, 65.0
_FAR, _DOUBT = 3.0, 2.0  # standard deviations from the median
_STEADY_RPM, _STEADY_PCT = 0.08, 12.0  # of the speed, that it may move within a reading; of load
_LEAST_LEVELS = 3  # through two, any line goes
_TREND_P = 0.001
# The 97.5 hundredths of χ²/ν for few degrees of freedom (any table), and one for more.
_SCATTER, _SCATTER_MANY = {1: 5.02, 2: 3.69, 3: 3.12, 4: 2.79, 5: 2.57, 6: 2.41, 7: 2.29, 8: 2.19}, 2.05


@dataclass(frozen=True, order=True)
class Condition:
    """How the engine is: `heat` cold, warm or hot, `speed` in words, `load` light, half or full; each empty where not known."""

    heat: str = ""
    speed: str = ""
    load: str = ""

    def __str__(self) -> str:
        return ", ".join(part for part in (self.heat, self.speed, self.load) if part) or "any"

    @classmethod
    def from_text(cls, text: str) -> Condition:
        """The condition that its words mean; what is not among them is left open."""
        parts = [part.strip() for part in text.split(",")]
        return cls(
            next((p for p in parts if p in HEATS), ""),
            next((p for p in parts if p in SPEEDS), ""),
            next((p for p in parts if p in LOADS), ""),
        )


HEATS = ("cold", "warm", "hot")
SPEEDS = ("key on", "at idle", "at 1000 to 1800 rpm", "above 1800 rpm")
LOADS = ("light load", "half load", "full load")


def condition_at(degc: float, rpm: float, load_pct: float) -> Condition:
    """The condition of these; what is not a number is not known.

    >>> str(condition_at(88.0, 720.0, 12.0))
    'hot, at idle'
    """
    heat = "" if math.isnan(degc) else HEATS[int(degc >= _COLD_DEGC) + int(degc >= _HOT_DEGC)]
    if math.isnan(rpm):
        return Condition(heat)
    if rpm < STANDS_RPM:
        return Condition(heat, SPEEDS[0])
    speed = SPEEDS[1 + int(rpm >= _IDLE_RPM) + int(rpm >= _WORK_RPM)]
    if speed == SPEEDS[1] or math.isnan(load_pct):
        return Condition(heat, speed)
    return Condition(heat, speed, LOADS[int(load_pct >= _LIGHT_PCT) + int(load_pct >= _FULL_PCT)])


@dataclass(frozen=True, kw_only=True)
class NormalReading:
    """One reading of a channel in a condition; `at_least` where the instrument stood at its stop."""

    channel: str
    condition: Condition
    value: float
    unit: str
    taken_at: datetime | None = None
    at_least: bool = False


def readings_of(
    log: Log, stretch_s: tuple[float, float] | None = None, started_at: datetime | None = None
) -> tuple[NormalReading, ...]:
    """Readings of every channel of a log, or of a stretch of it, wherever all was steady; at most twelve of a condition."""
    heat, speed, load = (log.of(s) for s in (Sense.COOLANT_TEMPERATURE, Sense.ENGINE_SPEED, Sense.LOAD))
    engine, grid = Engine.of(log), Gridded(log, _GRID_S)
    if len(grid.time_s) <= 1:  # no time goes by
        return ()
    steady = _Steady(grid, heat, speed, load, stretch_s or (0.0, math.inf))
    found: list[NormalReading] = []
    for channel in log.channels:
        is_driver = channel is speed or channel is load or channel is heat
        if is_driver or channel.sense in _OF_THE_DAY or not np.isfinite(channel.value).any():
            continue
        single = SingleChannel(log, channel, engine)
        taken = steady.readings(single)
        found += [
            NormalReading(
                channel=channel.name,
                condition=condition,
                value=value,
                unit=channel.unit,
                taken_at=started_at,
                at_least=channel.span is not None and value >= channel.span[1] - single.end,
            )
            for condition, value in taken
        ]
    return tuple(found)


class _Steady:
    """Blocks of some seconds in which speed and load are steady, each with its condition."""

    def __init__(
        self,
        grid: Gridded,
        heat: Channel | None,
        speed: Channel | None,
        load: Channel | None,
        stretch_s: tuple[float, float],
    ) -> None:
        self._grid = grid
        self._per = max(4, round(_BLOCK_S / grid.step_s))
        count = len(grid.time_s) // self._per
        self._begin_s = grid.time_s[: count * self._per : self._per]
        self._end_s = self._begin_s + (self._per - 1) * grid.step_s
        rpm, load_pct = self._cut(grid.of(speed)), self._cut(grid.of(load))
        medians = [np.median(self._cut(grid.of(c)), axis=1) for c in (heat, speed, load)]
        inside = (self._begin_s >= stretch_s[0]) & (self._end_s <= stretch_s[1])
        with np.errstate(invalid="ignore"):  # what is not known does not move
            moves = np.ptp(rpm, axis=1) > np.maximum(_STEADY_RPM * rpm.mean(axis=1), 60.0)
            moves |= np.ptp(load_pct, axis=1) > _STEADY_PCT
        self._places = np.flatnonzero(inside & ~moves)
        self._conditions = [condition_at(*(float(m[at]) for m in medians)) for at in self._places]

    def _cut(self, values: Floats) -> Floats:
        count = len(values) // self._per
        return values[: count * self._per].reshape(count, self._per)

    def readings(self, single: SingleChannel) -> list[tuple[Condition, float]]:
        """The condition and median of each block in which the channel is all there, spread over the log."""
        values = self._cut(self._grid.of(single.channel))
        medians = np.median(values, axis=1)
        usable = np.asarray(np.isfinite(values).all(axis=1))
        for one in single.excursions:
            usable &= (self._begin_s > one.until_s) | (self._end_s < one.from_s)
        by: dict[Condition, list[float]] = {}
        for at, condition in zip(self._places.tolist(), self._conditions, strict=True):
            if usable[at]:
                by.setdefault(condition, []).append(float(medians[at]))
        found = []
        for condition, taken in by.items():
            keep = np.unique(np.linspace(0, len(taken) - 1, min(_MOST_OF_ONE, len(taken))).round().astype(int))
            found += [(condition, taken[at]) for at in keep.tolist()]
        return found


@dataclass(frozen=True, kw_only=True)
class Normal:
    """What is usual: the median of so many readings, of so many logs, with its robust spread, in their unit, since when.

    `at_least` where most of them stood at the instrument's stop: the median is then only the least that it can be.
    """

    channel: str
    condition: Condition
    median: float
    spread: float
    count: int
    unit: str
    since: datetime | None = None
    at_least: bool = False
    logs: int = 1

    @property
    def is_known(self) -> bool:
        """Enough readings, and not of one drive alone: nothing differs within one as it does from one to the next."""
        return self.count >= FEWEST and self.logs >= FEWEST_LOGS


def normal_of(readings: Sequence[NormalReading]) -> Normal:
    """The normal of readings of one channel in one condition; at least one."""
    values = [r.value for r in readings]  # a few: NumPy would take longer to begin than to do it
    median = float(statistics.median(values))
    spread = _MAD * float(statistics.median(abs(value - median) for value in values))
    dated = [r.taken_at for r in readings if r.taken_at is not None]
    stopped = sum(r.at_least for r in readings)
    return Normal(
        channel=readings[0].channel,
        condition=readings[0].condition,
        median=median,
        spread=spread,
        count=len(readings),
        unit=readings[0].unit,
        since=min(dated, default=None),
        at_least=2 * stopped > len(readings),
        logs=len({r.taken_at for r in readings}),
    )


@dataclass(frozen=True, kw_only=True)
class _Follows:
    """How a channel moves within a condition: by a kelvin in its unit and as a share, by the engine's speed as a share of a
    share, by a per cent of load in its unit and as a share.
    """

    kelvin: float = 0.0
    kelvin_share: float = 0.0
    speed: float = 0.0
    load: float = 0.0
    load_share: float = 0.0


# Oil thins by some half per cent a kelvin and its pump turns with the engine; a closed cooling system gains what its water's
# vapour and air do, some 1.5 kPa a kelvin; a turbine's boost goes from nothing to some 140 kPa with load.
_FOLLOWS = {
    Sense.OIL_TEMPERATURE: _Follows(kelvin=1.2, load=0.15),
    Sense.OIL_PRESSURE: _Follows(kelvin_share=0.006, speed=1.0),
    Sense.COOLANT_PRESSURE: _Follows(kelvin=1.5, speed=0.1),
    Sense.BOOST_PRESSURE: _Follows(load=1.4, speed=0.1),
    Sense.CRANKCASE_PRESSURE: _Follows(load=0.015, speed=0.2),
    Sense.FUEL_PRESSURE: _Follows(load=0.25),
    Sense.BATTERY_VOLTS: _Follows(),
    Sense.REFERENCE_VOLTS: _Follows(),
    Sense.OTHER: _Follows(kelvin_share=0.003, speed=1.0, load_share=0.01),
}
# Standard deviations within a condition, as of values that are spread evenly over it.
_WIDE_K = {"cold": 13.0, "warm": 10.0, "hot": 5.0, "": 15.0}
_WIDE_SPEED = {"key on": 0.0, "at idle": 0.03, "at 1000 to 1800 rpm": 0.165, "above 1800 rpm": 0.15, "": 0.3}
_WIDE_PCT = {"light load": 7.0, "half load": 11.5, "full load": 10.0, "": 2.0}


def own_u(normal: Normal) -> float:
    """What a channel may differ by that is no change of the vehicle, as a standard uncertainty in its unit.

    1 % of what such a sensor covers, or of the value, and what the channel does within its condition: a drive of one day has
    another temperature, speed and load within it than that of another, however little the readings of one drive scatter.
    """
    try:
        sense = Sense(normal.channel)
    except ValueError:  # a channel by its own name
        sense = Sense.OTHER
    span, follows, level = SENSES[sense].usual_span, _FOLLOWS.get(sense, _FOLLOWS[Sense.OTHER]), abs(normal.median)
    kelvin, pct = _WIDE_K[normal.condition.heat], _WIDE_PCT[normal.condition.load]
    return math.hypot(
        _OWN * (level if span is None else span),
        kelvin * (follows.kelvin + follows.kelvin_share * level),
        _WIDE_SPEED[normal.condition.speed] * follows.speed * level,
        pct * (follows.load + follows.load_share * level),
    )


@dataclass(frozen=True)
class Standing:
    """Where a value stands against a normal: its mark, and so many standard deviations away."""

    mark: Mark
    apart: float


def standing_of(value: float, normal: Normal, u: float = 0.0, *, at_least: bool = False) -> Standing:
    """Where a value with its standard uncertainty `u` stands.

    A new reading differs from a median of n by s·√(1 + π/2n) (the median's own variance is π/2 of a mean's). Within two of it and
    u together is usual, beyond three is not; between them, and where the normal is not known yet, it cannot be told.
    """
    if not normal.is_known:
        return Standing(Mark.UNDECIDED, 0.0)
    sigma = math.hypot(normal.spread * math.sqrt(1 + math.pi / (2 * normal.count)), u)
    difference = value - normal.median
    apart = abs(difference) / sigma if sigma > 0 else (math.inf if difference else 0.0)
    only_more = (normal.at_least and difference > 0) or (at_least and difference < 0)
    if only_more or (normal.at_least and at_least):
        return Standing(Mark.UNDECIDED, apart)
    return Standing(Mark.PASS if apart <= _DOUBT else Mark.FAIL if apart > _FAR else Mark.UNDECIDED, apart)


# Over jobs


@dataclass(frozen=True)
class JobLevel:
    """A channel's level in one condition on one job: when, its median, spread and count."""

    day: float
    median: float
    spread: float
    count: int


@dataclass(frozen=True)
class Trend:
    """Change over all jobs, in the unit, and the chance that there is none and the readings only scatter."""

    change: float
    chance_of_none: float

    @property
    def is_one(self) -> bool:
        """True where chance alone would seldom make it."""
        return self.chance_of_none < _TREND_P


def trend_of(levels: Sequence[JobLevel]) -> Trend | None:
    """A straight line through the levels of at least three jobs, each weighed by how well it is known; None for fewer.

    The variance of a job's median is π/2 · s²/n, with one s for all jobs. Where the levels scatter by more than chance makes of
    that (χ²/ν beyond its 97.5 hundredths), jobs differ by themselves: the line's uncertainty is then widened by the root of χ²/ν
    (Birge, The calculation of errors by the method of least squares, 1932), and the chance is of Student's distribution.
    """
    if min(len(levels), len({level.day for level in levels})) < _LEAST_LEVELS:
        return None
    day, y = np.array([level.day for level in levels]), np.array([level.median for level in levels])
    count = np.array([level.count for level in levels])
    spread = math.sqrt(float(count @ np.square([level.spread for level in levels])) / float(count.sum()))
    variance = np.maximum(math.pi / 2 * spread**2 / count, (1e-9 * (1 + np.abs(y).max())) ** 2)
    weight = 1 / variance
    middle = float(weight @ day) / float(weight.sum())
    sxx = float(weight @ (day - middle) ** 2)
    level = float(weight @ y) / float(weight.sum())
    slope = float(weight @ ((day - middle) * (y - level))) / sxx
    left = y - level - slope * (day - middle)
    free = len(levels) - 2
    birge = float(weight @ left**2) / free
    z = abs(slope) * math.sqrt(sxx)
    differ = birge > _SCATTER.get(free, _SCATTER_MANY)
    chance = _student(z / math.sqrt(birge), free) if differ else math.erfc(z / math.sqrt(2))
    return Trend(slope * float(day.max() - day.min()), chance)


def _student(t: float, free: int) -> float:
    """The chance of |t| or more, of Student's distribution: by the exact finite sums for whole degrees of freedom (Abramowitz and
    Stegun 26.7.3 and 26.7.4).
    """
    theta = math.atan(t / math.sqrt(free))
    cos, sin = math.cos(theta), math.sin(theta)
    if free == 1:
        return 1 - 2 * theta / math.pi
    term, total = (cos, cos) if free % 2 else (1.0, 1.0)
    for k in range(2 if free % 2 else 1, free - 1, 2):
        term *= cos * cos * k / (k + 1)
        total += term
    within = 2 / math.pi * (theta + sin * total) if free % 2 else sin * total
    return max(0.0, 1 - within)


# What is not known yet

_OF_ENGINE = (
    Sense.OIL_PRESSURE,
    Sense.FUEL_PRESSURE,
    Sense.BATTERY_VOLTS,
    Sense.COOLANT_PRESSURE,
    Sense.CRANKCASE_PRESSURE,
)
WANTED = tuple(
    (sense, Condition(heat, speed)) for sense in _OF_ENGINE for heat, speed in (("cold", "at idle"), ("hot", "at idle"))
)


def missing(known: Iterable[Normal], senses: Iterable[Sense]) -> tuple[tuple[Sense, Condition], ...]:
    """Conditions in which nothing is known yet of what a vehicle has, to be read when it is well."""
    there = {(normal.channel, normal.condition) for normal in known if normal.is_known}
    has = set(senses)
    return tuple(
        (sense, condition) for sense, condition in WANTED if sense in has and (str(sense), condition) not in there
    )
