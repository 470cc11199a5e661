"""What is found between channels: which of two is late, how far two of one thing are apart, what drifts with temperature."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.engine import Engine, Gridded
from irongauge.core.traces.figures import moving_mean, runs_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.sense_names import is_indicator, stem_of
from irongauge.core.traces.senses import BY_HAND, SENSES, SPEEDS, Sense
from irongauge.core.traces.single import SingleChannel

Floats = NDArray[np.float64]

__all__ = ["between_channels"]

_COMPARED = {
    Sense.ENGINE_SPEED,
    Sense.ROAD_SPEED,
    Sense.WHEEL_SPEED,
    Sense.SATELLITE_SPEED,
    Sense.THROTTLE,
    Sense.PEDAL,
    Sense.COOLANT_TEMPERATURE,
    Sense.OIL_TEMPERATURE,
    Sense.AIR_TEMPERATURE,
    Sense.OIL_PRESSURE,
    Sense.FUEL_PRESSURE,
    Sense.COOLANT_PRESSURE,
    Sense.BOOST_PRESSURE,
    Sense.MANIFOLD_PRESSURE,
    Sense.CRANKCASE_PRESSURE,
    Sense.BAROMETER,
    Sense.BATTERY_VOLTS,
}  # fmt: skip  two of one of these have to agree
_BY_HOSE = {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE, Sense.OIL_PRESSURE, Sense.FUEL_PRESSURE, Sense.CRANKCASE_PRESSURE,
            Sense.COOLANT_PRESSURE}  # fmt: skip
_SHOWN_LATE = "Look at how often it is sent and how it is smoothed: the display’s or the controller’s figures say so."
_INDICATOR_LATE_S = 2.5  # a needle that is damped, on a slow bus
_CLOCK_S, _LEAST_THINGS = 1.5, 2  # from which clocks are apart; of how many things they have to be
_SLOW_KMH, _DASH_MORE, _TYRES = (
    20.0,
    0.16,
    0.08,
)  # below it 4 km/h are much; a tenth and 4 km/h at 60; worn and oversized tyres
_STILL, _MOVING = 0.004, 0.08  # of the span, within which one is still, and by more than which the other moves
_CUT_SHARE, _CUT_POINTS, _CUT_FLAT, _CUT_MOSTLY = (
    0.06,
    50,
    0.01,
    0.9,
)  # beyond the most; places; of the most, that is flat; of them
_GRID_S = 0.1  # as fine as most loggers are
_DRIFT_STEP_S, _BLOCK_S = 0.5, 10.0  # a drift is slower than either
_LONGEST_LAG_S, _LEAST_LAG_S = 8.0, 0.3  # by which one channel may be late, and from which it is said
_TOGETHER = 0.75  # correlation from which two channels are of one thing
_LEAST_POINTS = 200
_OFFSET_SHARE, _SLOPE_OFF = 0.03, 0.06  # of the span; of one
_SAME_K = 8.0  # that two temperatures of one thing may differ
_MOST_PAIRS = 400
_DRIFT_SHARE, _DRIFT_FIT, _DRIFT_BLOCKS = 0.04, 0.5, 6
_LEAST_WARMING_K = 15.0
_MAY_DRIFT = {Sense.REFERENCE_VOLTS, Sense.FUEL_PRESSURE}


def between_channels(log: Log, singles: tuple[SingleChannel, ...]) -> list[LogFinding]:
    """Findings between channels. Those of one sense are compared with each other."""
    found = [*_of_one_thing(log, singles)]
    engine, grid = Engine.of(log), Gridded(log, _DRIFT_STEP_S)
    for single in singles:
        drift = _drift(log, single, engine, grid)
        found += [] if drift is None else [drift]
    return found


# Two of one thing


def _of_one_thing(log: Log, singles: tuple[SingleChannel, ...]) -> list[LogFinding]:
    groups = _grouped(singles)
    every = [_pairs_of(log, group) for group in groups]
    clocks = _two_clocks([pair for pairs in every for pair in pairs])
    apart = _named_in(clocks)
    found = [*clocks]
    for group, pairs in zip(groups, every, strict=True):
        found += _of_group(group, pairs, apart)
    return found


def _grouped(singles: tuple[SingleChannel, ...]) -> list[list[SingleChannel]]:
    """The channels that are of one thing each, in one unit and counted from the same."""
    groups: dict[tuple[object, ...], list[SingleChannel]] = {}
    for one in singles:
        sense = one.channel.sense
        if sense in _COMPARED and len(one.figures.value) >= _LEAST_POINTS:
            thing = Sense.ROAD_SPEED if sense in SPEEDS and sense is not Sense.ENGINE_SPEED else sense
            # Two pressures of one sense may count from vacuum and from the air; two pedals are one thing by their name.
            which = (one.channel.base, stem_of(one.channel.name) if sense in BY_HAND else "")
            groups.setdefault((thing, one.channel.unit, *which), []).append(one)
    return list(groups.values())


def _named_in(findings: list[LogFinding]) -> set[str]:
    return {name for finding in findings for name in (finding.channel, *finding.others)}


def _of_group(group: list[SingleChannel], pairs: list[_Pair], apart: set[str]) -> list[LogFinding]:
    """What stands still or is cut off while another moves, what is late, and what does not agree; not those of another clock."""
    fixed = [finding for pair in pairs if (finding := pair.fixed() or pair.cut()) is not None]
    of_one_clock = [p for p in pairs if not p.names & ({finding.channel for finding in fixed} | apart)]
    late = [finding for pair in of_one_clock if (finding := pair.lag()) is not None]
    told = _named_in(late)
    off = [p for p in of_one_clock if not p.names <= told and p.is_off]
    once = {finding.channel: finding for finding in fixed}.values()
    return [*once, *_latest(late), *_blamed(off, of_one_clock, group)]


def _pairs_of(log: Log, group: list[SingleChannel]) -> list[_Pair]:
    grid = Gridded(log, max(_GRID_S, *(one.figures.step_s for one in group)))
    return [_Pair.of(a, b, grid) for a, b in list(combinations(group, 2))[:_MOST_PAIRS]]


def _latest(late: list[LogFinding]) -> list[LogFinding]:
    """One finding for each late channel, however many it is later than."""
    by_name: dict[str, LogFinding] = {}
    for finding in late:
        there = by_name.get(finding.channel)
        others = finding.others if there is None else (*there.others, *finding.others)
        by_name[finding.channel] = replace(there or finding, others=others)
    return list(by_name.values())


def _two_clocks(pairs: list[_Pair]) -> list[LogFinding]:
    """Channels of different things that are all apart by the same time, or ever more so: they were written by two clocks."""
    shifts = [(pair, shift) for pair in pairs if (shift := pair.shift) is not None]
    found: list[LogFinding] = []
    for grows in (False, True):
        apart = [
            (p, s) for p, s in shifts if s.grows == grows and abs(s.late_s if not grows else s.drift_s) >= _CLOCK_S
        ]
        things = {p.a.channel.sense for p, _ in apart}
        if len(things) >= _LEAST_THINGS:
            sizes = np.array([abs(s.drift_s if grows else s.late_s) for _, s in apart])
            if np.ptp(sizes) <= 0.2 * sizes.max() + 2 * max(p.step_s for p, _ in apart):
                found.append(_said_of_clocks(apart, float(np.median(sizes)), grows=grows))
    return found[:1]


def _said_of_clocks(apart: list[tuple[_Pair, _Shift]], size_s: float, *, grows: bool) -> LogFinding:
    pairs = [(p.a, p.b) if (s.drift_s if grows else s.late_s) > 0 else (p.b, p.a) for p, s in apart]
    first, later = (tuple(dict.fromkeys(pair[at].channel.name for pair in pairs)) for at in (0, 1))
    how = f"come ever later, by {size_s:.1f} s over the log" if grows else f"all come {size_s:.1f} s later"
    return LogFinding(
        kind=FindingKind.CLOCKS,
        channel=later[0],
        sentence=f"{' and '.join(later)} {how} than {' and '.join(first)}: two clocks wrote them.",
        size=size_s,
        others=(*later[1:], *(name for name in first if name not in later)),
    )


def _blamed(off: list[_Pair], pairs: list[_Pair], group: list[SingleChannel]) -> list[LogFinding]:
    """Pairs that do not agree; where a third tells which is off, that one alone."""
    if not off:
        return []
    for one in group:
        of_it = [p for p in pairs if p.a is one or p.b is one]
        rest = [p for p in pairs if p not in of_it]
        is_alone = all(p in off for p in of_it) and not any(p in off for p in rest)
        if rest and len(of_it) > 1 and is_alone:
            other = of_it[0].a if of_it[0].b is one else of_it[0].b
            names = tuple(o.channel.name for o in group if o is not one)
            return [of_it[0].said(one, other, blames=one.channel.name, others=names)]
    return [p.said(p.a, p.b) for p in off[:3]]


@dataclass(frozen=True)
class _Shift:
    """How late one channel is against another over the whole log, by how much more at its end than at its begin, if it grows."""

    late_s: float
    drift_s: float
    grows: bool


@dataclass(frozen=True, eq=False)
class _Pair:
    """Two channels of one thing on one grid of times, without what either does in a moment."""

    a: SingleChannel
    b: SingleChannel
    step_s: float
    x: Floats
    y: Floats

    @property
    def names(self) -> set[str]:
        return {self.a.channel.name, self.b.channel.name}

    @classmethod
    def of(cls, a: SingleChannel, b: SingleChannel, grid: Gridded) -> _Pair:
        x, y = grid.of(a.channel), grid.of(b.channel)
        good = np.isfinite(x) & np.isfinite(y)
        for one in (a, b):
            for excursion in one.excursions:
                first, last = np.searchsorted(grid.time_s, (excursion.from_s - 0.5, excursion.until_s + 0.5))
                good[first : last + 1] = False
        return cls(a, b, grid.step_s, np.where(good, x, np.nan), np.where(good, y, np.nan))

    @property
    def _span(self) -> float:
        return max(self.a.figures.span, self.b.figures.span)

    @cached_property
    def _both(self) -> NDArray[np.bool_]:
        """Where both have a value."""
        return np.isfinite(self.x) & np.isfinite(self.y)

    @property
    def _either_way(self) -> tuple[tuple[SingleChannel, SingleChannel, Floats, Floats], ...]:
        """One and the other with their values, and the other way round."""
        return (self.a, self.b, self.x, self.y), (self.b, self.a, self.y, self.x)

    def fixed(self) -> LogFinding | None:
        """One that has a single value while the other moves."""
        good = self._both
        for one, other, mine, theirs in self._either_way if np.count_nonzero(good) >= _LEAST_POINTS else ():
            moves = float(np.quantile(theirs[good], 0.99) - np.quantile(theirs[good], 0.01))
            is_still = float(np.ptp(mine[good])) <= _STILL * other.figures.span
            if is_still and moves > _MOVING * other.figures.span + 4 * other.figures.resolution:
                value = one.say(float(np.median(mine[good])))
                said = f"stays at {value} all along, while {other.channel.name} moves by {other.say(moves)}."
                span = (float(one.figures.time_s[0]), float(one.figures.time_s[-1]))
                found = one.finding(FindingKind.STUCK, said, [span], float(np.median(mine[good])))
                return replace(found, others=(other.channel.name,))
        return None

    def cut(self) -> LogFinding | None:
        """One that never passes a value that the other passes again and again."""
        good = self._both
        for one, other, mine, theirs in self._either_way if np.count_nonzero(good) >= _LEAST_POINTS else ():
            most = float(np.max(mine[good]))
            shown = _DASH_MORE if is_indicator(other.channel.name) else _CUT_SHARE
            beyond = good & (theirs > most + shown * abs(most))
            if (
                np.count_nonzero(beyond) >= _CUT_POINTS
                and np.mean(mine[beyond] > most - _CUT_FLAT * abs(most)) > _CUT_MOSTLY
            ):
                greatest = other.say(float(np.max(theirs[good])))
                said = f"never passes {one.say(most)}, where {other.channel.name} goes to {greatest}."
                spans = [(float(self.step_s * a), float(self.step_s * b)) for a, b in runs_of(beyond)]
                return replace(one.finding(FindingKind.CLAMPED, said, spans, most), others=(other.channel.name,))
        return None

    @cached_property
    def shift(self) -> _Shift | None:
        """By how much the second comes later than the first, where shifting it makes them agree much better."""
        x, y = _filled(self.x), _filled(self.y)
        if len(x) < _LEAST_POINTS or x.std() == 0 or y.std() == 0:
            return None
        most = min(int(_LONGEST_LAG_S / self.step_s), len(x) // 4)
        x, y = _changes(x, self.step_s), _changes(y, self.step_s)
        fit = _fits(x, y, most)
        best = int(np.argmax(fit))
        third = len(x) // 3
        ends = [_best_shift(x[part], y[part], most) for part in (slice(0, third), slice(2 * third, None))]
        drift_s = 0.0 if None in ends else float((ends[1] or 0) - (ends[0] or 0)) * self.step_s
        grows = abs(drift_s) >= _CLOCK_S / 2
        if not grows and (fit[best] < _TOGETHER or 1 - fit[best] > 0.6 * (1 - fit[most])):
            return None
        return _Shift(
            float(best - most) * self.step_s, 1.5 * drift_s, grows
        )  # from the middle of one third to that of the other

    def lag(self) -> LogFinding | None:
        """Which of them comes later than it may by nature."""
        shift = self.shift
        if shift is None or shift.grows:
            return None
        first, last = (self.a, self.b) if shift.late_s > 0 else (self.b, self.a)
        if abs(shift.late_s) < max(_LEAST_LAG_S, _may_be_late_s(first, last), 2 * self.step_s):
            return None
        is_shown = is_indicator(last.channel.name)
        return LogFinding(
            kind=FindingKind.LAG,
            channel=last.channel.name,
            sentence=f"{last.channel.name} comes {abs(shift.late_s):.1f} s after {first.channel.name}.",
            follow_up=_SHOWN_LATE if is_shown or last.channel.sense not in _BY_HOSE else "",
            size=abs(shift.late_s),
            others=(first.channel.name,),
        )

    @property
    def _line(self) -> tuple[float, float]:
        """Offset and slope of y over x, robust: through the medians of the lowest and the highest third (Tukey's line)."""
        good = self._both
        x, y = self.x[good], self.y[good]
        order = np.argsort(x, kind="stable")
        third = max(1, len(x) // 3)
        low, high = order[:third], order[-third:]
        x0, x1, y0, y1 = (float(np.median(v)) for v in (x[low], x[high], y[low], y[high]))
        if x1 - x0 < 0.1 * self._span:
            return float(np.median(y - x)), 1.0
        slope = (y1 - y0) / (x1 - x0)
        return y0 - slope * x0, slope

    @property
    def is_off(self) -> bool:
        good = self._both
        if np.count_nonzero(good) < _LEAST_POINTS:
            return False
        apart = np.abs(np.median(self.y[good] - self.x[good]))
        if self.a.channel.sense in SPEEDS and self.a.channel.sense is not Sense.ENGINE_SPEED:
            return self._is_another_speed(good)
        if self.a.channel.quantity is Quantity.TEMPERATURE:
            return bool(apart > _SAME_K)
        _, slope = self._line
        moves = self.a.figures.swing > 0.2 * self._span
        least = _OFFSET_SHARE * self._span + self.a.figures.resolution + self.b.figures.resolution
        return bool(apart > least or (moves and abs(slope - 1) > _SLOPE_OFF and apart > least / 3))

    def _is_another_speed(self, good: NDArray[np.bool_]) -> bool:
        """A dash shows up to a tenth and 4 km/h more (UNECE regulation 39), wheels turn apart in bends, tyres wear."""
        moving = good & (np.minimum(self.x, self.y) > _SLOW_KMH)
        if np.count_nonzero(moving) < _LEAST_POINTS:
            return False
        ratio = float(np.median(self.y[moving] / self.x[moving]))
        shown = _DASH_MORE if is_indicator(self.a.channel.name) or is_indicator(self.b.channel.name) else _TYRES
        return not 1 / (1 + shown) <= ratio <= 1 + shown

    def said(
        self, one: SingleChannel, other: SingleChannel, *, blames: str = "", others: tuple[str, ...] = ()
    ) -> LogFinding:
        turned = self.a is one  # the line is of b over a; wanted is one over other
        pair = _Pair(other, one, self.step_s, self.y, self.x) if turned else self
        offset, slope = pair._line  # noqa: SLF001  of the same class
        apart = float(np.nanmedian(pair.y - pair.x))
        if abs(slope - 1) > _SLOPE_OFF:
            how = f"its slope is {slope:.2f} of the other’s, its offset {one.say(offset)}"
        else:
            how = f"it is off by a constant {one.say(apart)}"
        by = (
            f"; {' and '.join(others)} agree, so this one is off"
            if blames
            else "; which of them is off, a third has to say"
        )
        return LogFinding(
            kind=FindingKind.DISAGREES,
            channel=one.channel.name,
            sentence=f"{one.channel.name} does not agree with {other.channel.name}: {how}{by}.",
            size=apart,
            others=others or (other.channel.name,),
            blames=blames,
        )


def _filled(values: Floats) -> Floats:
    """Without gaps: the last value goes on."""
    good = np.isfinite(values)
    if not good.any():
        return values[:0]
    at = np.maximum.accumulate(np.where(good, np.arange(len(values)), -1))
    return np.asarray(values[np.clip(at, int(np.argmax(good)), None)])


def _changes(values: Floats, step_s: float) -> Floats:
    """What changes within some seconds: neither noise nor slow common ways tell which is late."""
    narrow, wide = (max(1, round(seconds / step_s)) for seconds in (0.6, 8.0))
    return moving_mean(values, narrow) - moving_mean(values, wide)


def _best_shift(x: Floats, y: Floats, most: int) -> int | None:
    """The shift at which two pieces fit best; None where they do not fit at any."""
    if len(x) <= 2 * most or x.std() == 0 or y.std() == 0:
        return None
    fit = _fits(x, y, most)
    best = int(np.argmax(fit))
    return best - most if fit[best] >= _TOGETHER else None


def _may_be_late_s(first: SingleChannel, last: SingleChannel) -> float:
    """How late a channel may come and nothing is wrong: by what it is, by where it is shown, and by how seldom it is told."""
    own = SENSES[last.channel.sense].late_s
    shown = _INDICATOR_LATE_S if is_indicator(last.channel.name) else 0.0
    return max(own, shown) + max(0.0, last.figures.renewed_s - first.figures.renewed_s)


def _fits(x: Floats, y: Floats, most: int) -> Floats:
    """The correlation of y, shifted by −most to +most places, with x: all of them by one Fourier transform."""
    x, y = x - x.mean(), y - y.mean()
    size = float(np.sqrt((x @ x) * (y @ y)))
    if size == 0:
        return np.zeros(2 * most + 1)
    width = 1 << (len(x) + most).bit_length()
    product = np.fft.irfft(np.conj(np.fft.rfft(x, width)) * np.fft.rfft(y, width), width)
    return np.asarray(np.concatenate((product[-most:] if most else [], product[: most + 1])) / size)


# With temperature


def _drift(log: Log, single: SingleChannel, engine: Engine, grid: Gridded) -> LogFinding | None:
    """A channel that moves with the engine's temperature beyond what speed and load make of it.

    A least-squares fit over means of ten seconds (so that noise does not count as many witnesses) of speed, load, their squares,
    and the temperature; it tells only where the temperature explains most of what the others leave. What warms up by nature
    (temperatures, oil and coolant pressure), and what a way uphill moves (barometer), is left out.
    """
    channel = single.channel
    heat = log.of(Sense.COOLANT_TEMPERATURE) or log.of(Sense.OIL_TEMPERATURE)
    if channel.sense not in _MAY_DRIFT or heat is None or len(single.figures.value) < _LEAST_POINTS:
        return None
    wanted = tuple(c for c in (channel, heat, log.of(Sense.LOAD), engine.speed) if c is not None)
    per = max(1, round(_BLOCK_S / grid.step_s))
    runs = engine.runs_at(grid.time_s)
    blocks = [_means(np.where(runs, grid.of(c), np.nan), per) for c in wanted]
    good = np.all(np.isfinite(blocks), axis=0)
    y, t, *drivers = [values[good] for values in blocks]
    if len(y) < _DRIFT_BLOCKS + 2 * len(drivers) or t.max() - t.min() < _LEAST_WARMING_K:
        return None
    base = np.column_stack([np.ones(len(y)), *drivers, *(d**2 for d in drivers)])
    slope, explained = _partial(base, t, y)
    return _drift_said(single, heat, t, slope, explained)


def _partial(base: Floats, t: Floats, y: Floats) -> tuple[float, float]:
    """Slope of y over t beside the columns of a base, and the share of what the base leaves of y that it explains."""
    scale = np.abs(base).max(axis=0)
    base = base / np.where(scale > 0, scale, 1.0)
    y_left = y - base @ np.linalg.lstsq(base, y, rcond=None)[0]
    t_left = t - base @ np.linalg.lstsq(base, t, rcond=None)[0]
    slope = float(t_left @ y_left) / (float(t_left @ t_left) or 1.0)
    left = y_left - slope * t_left
    return slope, 1.0 - float(left @ left) / (float(y_left @ y_left) or 1.0)


def _drift_said(single: SingleChannel, heat: Channel, t: Floats, slope: float, explained: float) -> LogFinding | None:
    size = slope * float(t.max() - t.min())
    if abs(size) < max(_DRIFT_SHARE * single.figures.span, 3 * single.figures.resolution) or explained < _DRIFT_FIT:
        return None
    way = "rises" if size > 0 else "falls"
    said = (
        f"{single.channel.name}: {way} by {single.say(abs(size))} as {heat.name} goes from {float(t.min()):.0f} to "
        f"{float(t.max()):.0f} °C at the same speed and load."
    )
    return LogFinding(
        kind=FindingKind.DRIFT,
        channel=single.channel.name,
        sentence=said,
        size=size,
        others=(heat.name,),
    )


def _means(values: Floats, per: int) -> Floats:
    count = len(values) // per
    return np.asarray(values[: count * per].reshape(count, per).mean(axis=1))
