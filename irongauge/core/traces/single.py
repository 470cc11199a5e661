"""What is found in one channel by itself: dropouts, flat ends, stuck values, noise, coarse steps, what cannot be."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.engine import Engine
from irongauge.core.traces.figures import ChannelFigures, joined, reach_of, runs_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.senses import SENSES, Sense, SenseSpec

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

__all__ = ["Excursion", "SingleChannel"]

_JUMP_SHARE, _JUMP_ROUGH, _JUMP_STEPS = 0.12, 12.0, 3.0  # of the span; times the roughness; times the resolution
_LONGEST_DROP_S, _LONGEST_HOLE_S = 2.0, 10.0
_NOTHING = 0.02  # of what it goes up to
_AT_ONCE = 0.75  # of its depth, from one value to the next
_COMES_BACK = 0.35  # of its depth, that a dropout may end beside where it began
_AROUND_S, _CLEAR, _SECOND = 2.0, 8.0, 6**0.5  # an excursion is that many times what the channel does beside it
_MOST_JUMPS = 4000  # beyond, it is noise
_BEYOND = 0.25  # of the swing, beyond all that the channel does else
_AT_END = 0.015  # of the span
_BEYOND_ENDS, _LEAST_OUT = 0.02, 2  # of the span, that noise at an end may go beyond it; more values in a row
_FLAT_S, _FLAT_SHARE, _FLAT_SAMPLES, _FLAT_TIMES = 0.8, 0.004, 12, 5.0
_BESIDE, _HEAPED = 3.5, 5.0  # steps beside an end; times as many values at it as at each step beside
_FOLLOW_LOAD = {Sense.MANIFOLD_PRESSURE, Sense.BOOST_PRESSURE}
_UNMOVED_S, _ASKED = 15.0, 0.15  # at one value; of that time, in which the engine is asked for something
_LOADED, _TURNS = 0.5, 0.45  # of the load's reach and of the highest speed, from which it is
_WARM_S = 120.0  # from a log's start, in which a probe warms up
_STUCK_S, _STUCK_K_S, _STUCK_TIMES = 10.0, 90.0, 25.0  # what a thermostat holds stays for a while
_COARSE_K, _COARSE_V, _COARSE_RPM, _COARSE_SHARE, _COARSE_OF_SPAN = (
    2.5,
    0.15,
    60.0,
    0.04,
    0.005,
)  # K, V, rpm, share, of the span
_HELD = {Sense.THROTTLE, Sense.PEDAL}  # by a foot, that lets go and comes back within a second
_BELOW_REST = 0.01  # of the span below all that it does else, where a foot cannot bring it
_BLANK_S, _MOST_BLANKS = 0.25, 200  # shorter or more often, cells are left out by the logger
_LEAST_BLANK, _MOST_BLANK, _CHANCE = (
    1e-3,
    0.98,
    0.01,
)  # share of cells that are left out; of logs with such a run by chance
_MOST_PLACES = 200  # more than anybody looks through
_VALUES = 8  # fewer tell nothing


@dataclass(frozen=True)
class Excursion:
    """A value that leaves and comes back: from and until, and where it went (not a number for none)."""

    from_s: float
    until_s: float
    to: float

    def meets(self, other: Excursion, slack_s: float) -> bool:
        """True where the two overlap, give or take a slack."""
        return self.from_s <= other.until_s + slack_s and other.from_s <= self.until_s + slack_s


@dataclass(frozen=True, eq=False)
class SingleChannel:
    """A channel of a log, and what is found in it."""

    log: Log
    channel: Channel
    engine: Engine
    figures: ChannelFigures = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "figures", ChannelFigures(self.channel))

    @property
    def spec(self) -> SenseSpec:
        """What is known of all channels of its sense."""
        return SENSES[self.channel.sense]

    @property
    def is_unknown(self) -> bool:
        """True where nobody knows what it is of, nor what its sensor can give: anything that it does may be its own."""
        return self.channel.sense is Sense.OTHER and self.channel.span is None

    @property
    def is_position(self) -> bool:
        """True for a position, a level or a share of which nobody knows what moves it: it rests wherever it was left."""
        return self.channel.sense is Sense.OTHER and self.channel.quantity in {
            Quantity.SHARE,
            Quantity.ANGLE,
            Quantity.LENGTH,
        }

    # What it does in a moment

    @cached_property
    def jump(self) -> float:
        """What it has to change by at once to be no change of its own."""
        f = self.figures
        return max(_JUMP_SHARE * f.span, _JUMP_ROUGH * f.roughness, _JUMP_STEPS * f.resolution)

    @cached_property
    def excursions(self) -> tuple[Excursion, ...]:
        """Where it leaves and comes back, and where a sensor's channel has no values, in order."""
        found = [*(self.blanks if self.spec.is_wired else ()), *self._left_and_back()]
        return tuple(sorted(found, key=lambda one: one.from_s))

    @cached_property
    def blanks(self) -> tuple[Excursion, ...]:
        """Where it has no value for longer than its logger leaves out cells by chance or by turns."""
        has, times = self.figures.has_value, self.channel.time_s
        if has.all() or not has.any():
            return ()
        runs = runs_of(~has)
        runs = runs[(runs[:, 0] > 0) & (runs[:, 1] < len(has) - 1)]
        # So many in a row come by chance once in a hundred such logs, where each cell is left out with that likelihood.
        share = float(np.clip(np.mean(~has), _LEAST_BLANK, _MOST_BLANK))
        least = np.log(_CHANCE / len(has)) / np.log(share)
        rows = runs[:, 1] - runs[:, 0] + 1
        lasting = times[runs[:, 1] + 1] - times[runs[:, 0]]
        runs = runs[(rows >= least) & (lasting >= _BLANK_S) & (lasting <= _LONGEST_HOLE_S)]
        if len(runs) > _MOST_BLANKS:
            return ()
        return tuple(Excursion(float(times[first]), float(times[last]), float("nan")) for first, last in runs)

    def _left_and_back(self) -> list[Excursion]:
        f, jump = self.figures, self.jump
        if len(f.value) < _VALUES or jump <= 0 or not self.spec.is_wired:
            return []
        big = np.flatnonzero(np.abs(f.jumps) >= jump / 2)
        if len(big) > _MOST_JUMPS:
            return []
        found: list[Excursion] = []
        times, value = f.time_s, f.value
        last_end = -1
        for at in big:
            if at <= last_end:
                continue
            back = self._back(int(at), big)
            if back is not None:
                inside = value[at + 1 : back + 1]
                low, high = float(inside.min()), float(inside.max())
                to = low if value[at] - low > high - value[at] else high
                if abs(to - float(value[at])) >= jump:
                    found.append(Excursion(float(times[at + 1]), float(times[back]), to))
                    last_end = back
        found = [one for one in found if self._is_out_of_place(one, found)]
        return self._to_one_low(found) if self.is_unknown else found

    def _to_one_low(self, found: list[Excursion]) -> list[Excursion]:
        """Of a channel that nobody knows, those that go down to one value again and again: a wire, and not its work."""
        if self.channel.quantity is None or len(found) <= 1:
            return []
        lowest = min(one.to for one in found)
        low = [one for one in found if one.to <= lowest + self.end]
        return low if len(low) > 1 and lowest <= self._low_high_without(tuple(found))[0] + self.end else []

    def _back(self, at: int, big: NDArray[np.int64]) -> int | None:
        """The last place before it is back where it was before `at`; None where it does not come back in time."""
        times, value = self.figures.time_s, self.figures.value
        start = float(value[at])
        for end in big[np.searchsorted(big, at, side="right") :]:
            if times[end] - times[at] > _LONGEST_DROP_S:
                return None
            depth = float(np.max(np.abs(value[at + 1 : end + 1] - start)))
            after = float(value[min(end + 1, len(value) - 1)])
            if depth >= self.jump and abs(after - start) <= _COMES_BACK * depth:
                return int(end)
        return None

    def _is_out_of_place(self, one: Excursion, every: list[Excursion]) -> bool:
        """True where it goes to the end of what its sensor gives, or farther than the channel ever does else."""
        if self.engine.is_near_change(one.from_s):
            return False
        if self.channel.sense in _HELD:
            return one.to < self._low_high_without(tuple(every))[0] - _BELOW_REST * self.figures.span
        if self.spec.is_quick:  # to nothing at once, and back
            return abs(one.to) <= _NOTHING * self.figures.low_high[1] and not self._is_restless_around(one)
        lasts = one.until_s - one.from_s >= 2 * self.figures.step_s
        if lasts and self.is_cut_out(one):
            return True
        return not self._is_restless_around(one) and (self._is_at_end(one) or self._is_beyond(one, every))

    def _is_at_end(self, one: Excursion) -> bool:
        known = self.channel.span
        if known is None:
            return self.is_cut_out(one)
        return one.to <= known[0] + self.end or one.to >= known[1] - self.end

    def _is_beyond(self, one: Excursion, every: list[Excursion]) -> bool:
        low, high = self._low_high_without(tuple(every))
        return one.to < low - _BEYOND * (high - low) or one.to > high + _BEYOND * (high - low)

    def is_cut_out(self, one: Excursion) -> bool:
        """True where it is at nothing, or at the most that it ever shows, at once, stands still there, and is back at once."""
        f = self.figures
        if abs(one.to) > self.end and one.to < float(np.nanmax(f.value)) - self.end:
            return False
        first, last = np.searchsorted(f.time_s, (one.from_s, one.until_s))
        inside = f.value[first : last + 1]
        edges = [f.value[at + 1] - f.value[at] for at in (max(first - 1, 0), min(last, len(f.value) - 2))]
        depth = abs(one.to - float(f.value[max(first - 1, 0)]))
        is_still = float(inside.max() - inside.min()) <= max(f.resolution, 0.05 * depth)
        return is_still and min(abs(float(edge)) for edge in edges) >= _AT_ONCE * depth

    def _is_restless_around(self, one: Excursion) -> bool:
        """True where it goes up and down so much just before and after, that the excursion is a part of that."""
        f = self.figures
        a, b, c, d = np.searchsorted(
            f.time_s,
            (one.from_s - _AROUND_S, one.from_s - f.step_s / 2, one.until_s + f.step_s * 1.5, one.until_s + _AROUND_S),
        )
        around = np.concatenate((np.diff(f.value[a:b], 2), np.diff(f.value[c:d], 2)))
        if len(around) < 4:  # noqa: PLR2004
            return False
        rough = float(np.sqrt(np.mean(np.square(around)))) / _SECOND
        return rough > abs(one.to - float(f.value[max(b - 1, 0)])) / _CLEAR

    @property
    def end(self) -> float:
        """How near to an end of what its sensor gives counts as there."""
        return _AT_END * self.figures.span + self.figures.resolution / 2

    def _low_high_without(self, every: tuple[Excursion, ...]) -> tuple[float, float]:
        keep = ~self.inside(every, self.figures.time_s)
        rest = self.figures.value[keep]
        return (float(rest.min()), float(rest.max())) if len(rest) else self.figures.low_high

    @staticmethod
    def inside(every: tuple[Excursion, ...], times: Floats, around_s: float = 0.0) -> Flags:
        """Which of these times lie in any excursion, or so near to one."""
        found = np.zeros(len(times), dtype=bool)
        for one in every:
            first, last = np.searchsorted(times, (one.from_s - around_s, one.until_s + around_s))
            found[first : last + 1] = True
        return found

    # Its findings

    def findings(self) -> list[LogFinding]:
        """All but noise, and dropouts, of which it takes the other channels to say what they mean."""
        if len(self.figures.value) < _VALUES:
            return []
        pegged = self._all_along()
        if pegged:
            return pegged
        flat = self._flat_ends()
        stuck = [] if flat else self._stuck()
        return [*flat, *stuck, *self._coarse(), *self._outside()]

    def finding(
        self, kind: FindingKind, sentence: str, at_s: list[tuple[float, float]], size: float | None = None
    ) -> LogFinding:
        """A finding of this channel; `sentence` goes on behind its name."""
        return LogFinding(
            kind=kind,
            channel=self.channel.name,
            sentence=f"{self.channel.name}: {sentence}",
            at_s=tuple(at_s[:_MOST_PLACES]),
            size=size,
        )

    def say(self, value: float) -> str:
        """A value with the channel's unit, with as many digits as its range deserves."""
        size = max(self.figures.span, abs(value), 1e-9)
        decimals = max(0, min(3, 2 - int(np.floor(np.log10(size)))))
        number = f"{value:.{decimals}f}".replace("-", "−")
        return f"{number}{'' if self.channel.unit in {'%', '°'} else ' '}{self.channel.unit}".rstrip()

    @cached_property
    def _is_rough(self) -> bool:
        """True where its values differ from one to the next, so that many equal ones in a row are no chance."""
        f = self.figures
        if f.resolution == 0:
            return False
        changes = float(np.mean(np.diff(f.value[: 1 << 17]) != 0)) if len(f.value) > 1 else 0.0
        return changes > 0.3  # noqa: PLR2004  of the values differ from the one before

    def _all_along(self) -> list[LogFinding]:
        """A sensor's channel that has one value at or beyond the end of what its sensor gives, while the engine runs."""
        f, known = self.figures, self.channel.span
        if known is None or f.swing > self.end or not self.spec.is_wired or not self.engine.runs_at(f.time_s).any():
            return []
        value = float(np.median(f.value))
        is_top, is_bottom = value >= known[1] - self.end, value <= known[0] + self.end
        if (is_top and self.spec.rests_high) or (is_bottom and self.spec.rests_low) or not (is_top or is_bottom):
            return []
        said = f"pegged at the {'top' if is_top else 'bottom'} of its range, {self.say(value)}, all along."
        return [self.finding(FindingKind.PEGGED, said, [(float(f.time_s[0]), float(f.time_s[-1]))], value)]

    def _flat_ends(self) -> list[LogFinding]:
        if self.is_position or not self.spec.is_wired or self.channel.sense is Sense.BATTERY_VOLTS:
            return []
        f = self.figures
        own = f.value[~self.inside(self.excursions, f.time_s)] if self.excursions else f.value
        if not len(own):
            return []
        ends = []
        if not self.spec.rests_high:
            ends.append(self._flat_end(float(own.max()), is_top=True))
        if not self.spec.rests_low:
            ends.append(self._flat_end(float(own.min()), is_top=False))
        return [found for found in ends if found is not None]

    def _flat_end(self, end: float, *, is_top: bool) -> LogFinding | None:
        """Its greatest or least value, where it stays there for too long: pegged at an end of its range, or cut off below it."""
        f, known = self.figures, self._is_known_end(end, is_top=is_top)
        may_be_cut = is_top and self._is_rough and self.channel.quantity is not Quantity.TEMPERATURE
        if not known and (f.usual_span is None or not may_be_cut):
            return None
        spans = self._spans_at(end)
        total = sum(b - a for a, b in spans)
        all_of_it = 0.9 * (f.time_s[-1] - f.time_s[0])
        if total < max(_FLAT_S, _FLAT_SHARE * self.log.seconds) or (not known and total > all_of_it):
            return None
        if known:
            said = f"pegged at the {'top' if is_top else 'bottom'} of its range, {self.say(end)}, for {total:.1f} s in all."
            return self.finding(FindingKind.PEGGED, said, joined(spans, 1.0), end)
        said = f"never passes {self.say(end)}: it is cut off there, for {total:.1f} s in all."
        return self.finding(FindingKind.CLAMPED, said, joined(spans, 1.0), end)

    def _spans_at(self, end: float) -> list[tuple[float, float]]:
        """Where it stays at an end for longer than it stays anywhere, while the engine runs; or every moment there, where so many
        values are just there that it must be cut off.
        """
        f = self.figures
        at_end = np.abs(f.value - np.float32(end)) <= f.resolution / 2 + 1e-6 * abs(end)
        if self.excursions:
            at_end &= ~self.inside(self.excursions, f.time_s, f.step_s)
        runs = runs_of(at_end)
        if not self._is_heaped(end, at_end):
            least = max(_FLAT_SAMPLES / 2, _FLAT_TIMES * self._usual_run(end))
            runs = runs[
                (runs[:, 1] - runs[:, 0] >= least) & (f.time_s[runs[:, 1]] - f.time_s[runs[:, 0]] >= _FLAT_S / 2)
            ]
        spans = ((float(f.time_s[a]), float(f.time_s[b])) for a, b in runs)
        return [span for span in spans if self._may_not_rest(span)]

    def _is_heaped(self, end: float, at_end: Flags) -> bool:
        """True where many values stand just at an end, and few beside it: noise would spread them."""
        f = self.figures
        if f.resolution == 0 or not self._is_rough:
            return False
        beside = (np.abs(f.value - np.float32(end)) <= _BESIDE * f.resolution) & ~at_end
        there = int(np.count_nonzero(at_end))
        return bool(there * f.step_s >= 2 * _FLAT_S and there >= _HEAPED * (np.count_nonzero(beside) / _BESIDE + 1))

    def _may_not_rest(self, span: tuple[float, float]) -> bool:
        """False while the engine stands: pressures rest at nothing then."""
        middle = np.array([(span[0] + span[1]) / 2])
        return bool(self.engine.runs_at(middle)[0])

    def _rests_at_end(self, span: tuple[float, float]) -> bool:
        """True where it stands at an end at which such a channel may rest."""
        f = self.figures
        if span[0] < _WARM_S and not self.spec.is_wired:  # a probe that is heated up says one value until it is
            return True
        value, known = float(f.value[np.searchsorted(f.time_s, span[0])]), self.channel.span or f.low_high
        return (self.spec.rests_low and value <= known[0] + self.end) or (
            self.spec.rests_high and value >= known[1] - self.end
        )

    def _is_known_end(self, end: float, *, is_top: bool) -> bool:
        known = self.channel.span
        return known is not None and abs(end - known[1 if is_top else 0]) <= self.end

    @cached_property
    def _runs(self) -> NDArray[np.int64]:
        return runs_of(self.figures.jumps == 0)

    def _usual_run(self, but_at: float | None = None) -> float:
        """How many values in a row it usually does not change by at most; runs at one value may be left out."""
        runs = self._runs
        if but_at is not None and len(runs):
            runs = runs[np.abs(self.figures.value[runs[:, 0]] - but_at) > self.figures.resolution / 2]
        lengths = runs[:, 1] - runs[:, 0] + 1
        return float(np.quantile(lengths, 0.9)) if len(lengths) > 10 else 1.0  # noqa: PLR2004

    def _stuck(self) -> list[LogFinding]:
        f = self.figures
        is_quick = self.spec.is_quick and self.channel.sense is not Sense.LAMBDA
        if is_quick or self.is_unknown or self.is_position:
            return []
        runs, usual = self._runs, self._usual_run()
        if not len(runs):
            return []
        is_slow = self.channel.quantity is Quantity.TEMPERATURE or self.spec.is_quick
        least_s = _STUCK_K_S if is_slow else _STUCK_S
        long = runs[runs[:, 1] - runs[:, 0] + 1 >= _STUCK_TIMES * usual] if self._is_rough else runs[:0]
        spans = [(float(f.time_s[first]), float(f.time_s[last + 1])) for first, last in long]
        spans = [s for s in spans if s[1] - s[0] >= least_s and self._may_not_rest(s) and not self._rests_at_end(s)]
        spans = spans or self._unmoved(runs)
        if not spans:
            return []
        at = int(np.searchsorted(f.time_s, spans[0][0]))
        said = (
            f"stuck at {self.say(float(f.value[at]))} for {sum(b - a for a, b in spans):.0f} s while the engine runs."
        )
        return [self.finding(FindingKind.STUCK, said, spans, float(f.value[at]))]

    def _unmoved(self, runs: NDArray[np.int64]) -> list[tuple[float, float]]:
        """Where the pressure behind the throttle or the turbine stays at a value, and it is loaded and let go meanwhile."""
        f, load = self.figures, self.log.of(Sense.LOAD)
        if self.channel.sense not in _FOLLOW_LOAD or load is None:
            return []
        runs = runs[f.time_s[runs[:, 1] + 1] - f.time_s[runs[:, 0]] >= _UNMOVED_S]
        if not len(runs):
            return []
        has = np.isfinite(load.value)
        times, value = load.time_s[has], load.value[has]
        rpm, reach = self.engine.rpm_at(times), reach_of(value)
        asks = (value > np.min(value, initial=np.inf) + _LOADED * reach) & (rpm > _TURNS * np.nanmax(rpm, initial=0.0))
        found = []
        for first, last in runs:
            begin, end = float(f.time_s[first]), float(f.time_s[last + 1])
            inside = slice(*np.searchsorted(times, (begin, end)))
            if len(value[inside]) < _VALUES:
                continue
            if np.mean(asks[inside]) > _ASKED and np.ptp(value[inside]) > _LOADED * reach:
                found.append((begin, end))
        return found

    def _coarse(self) -> list[LogFinding]:
        f = self.figures
        if f.resolution == 0 or not self.spec.is_wired or self.channel.sense in {Sense.ROAD_SPEED, Sense.WHEEL_SPEED}:
            return []
        if self.channel.quantity is Quantity.TEMPERATURE:
            least = _COARSE_K
        elif self.channel.sense is Sense.BATTERY_VOLTS:
            least = _COARSE_V * self.log.system_v / 12.0
        elif self.channel.sense is Sense.ENGINE_SPEED:
            least = _COARSE_RPM
        elif f.usual_span is None:
            return []
        else:
            thin = slice(None, None, max(1, len(f.value) // 60_000))
            running = f.value[thin][self.engine.runs_at(f.time_s[thin])]
            swing = float(np.quantile(running, 0.99) - np.quantile(running, 0.01)) if len(running) else f.swing
            least = max(_COARSE_SHARE * swing, _COARSE_OF_SPAN * f.span)
        taken = len(np.unique(f.value[: 1 << 17]))
        if f.resolution <= least or taken < 4:  # noqa: PLR2004  something that is only on or off
            return []
        said = f"told in steps of {self.say(f.resolution)}, which is too coarse to see a trend or a fault."
        return [self.finding(FindingKind.COARSE, said, [], f.resolution)]

    def _outside(self) -> list[LogFinding]:
        f, known = self.figures, self.channel.span
        if known is None:
            return []
        slack = _BEYOND_ENDS * (known[1] - known[0]) + f.resolution
        out = (f.value < known[0] - slack) | (f.value > known[1] + slack)
        if self.excursions:
            out &= ~self.inside(self.excursions, f.time_s)
        runs = runs_of(out)
        runs = runs[runs[:, 1] - runs[:, 0] >= _LEAST_OUT]
        spans = [(float(f.time_s[a]), float(f.time_s[b])) for a, b in runs]
        if sum(b - a for a, b in spans) < 0.3:  # noqa: PLR2004  s
            return []
        values = f.value[out]
        worst = float(values.max() if values.max() > known[1] else values.min())
        said = f"shows {self.say(worst)}; its curve goes from {self.say(known[0])} to {self.say(known[1])}."
        return [self.finding(FindingKind.OUTSIDE, said, joined(spans, 1.0), worst)]
