"""A whole log judged: each channel by itself, what changed with it at the same moment, and channels against each other."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.at_rest import at_key_on
from irongauge.core.traces.channels import Log
from irongauge.core.traces.engine import Engine
from irongauge.core.traces.figures import reach_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.mistaken import mistaken
from irongauge.core.traces.noise import noise_of
from irongauge.core.traces.pairs import between_channels
from irongauge.core.traces.sags import find_sags
from irongauge.core.traces.senses import DRIVERS, Sense
from irongauge.core.traces.single import Excursion, SingleChannel

__all__ = ["judge_log"]

_TOGETHER_S = 0.15  # that two sensors on one reference may be told apart in time
_LEVEL_S = 3.0  # either side of a step, that its level is taken over
_STAYS = 0.7  # of a step, that has to stay
_MOVES = 0.12  # of its swing, that another channel does at the same moment
_DRIVES = 0.25  # of its reach, that one of them moves where it drives what moves with it
_NO_CHANCE = 6.0  # standard deviations of a median's difference, which is 1.25 of a mean's
_MOSTLY = 0.6  # of the moments
_MANY = 0.3  # of the channels, that a hole of the log takes
_LEAST_MANY = 3  # channels that share a hole, samples that make a level
_MOST_STEPS = 30
_OF_SENSORS = {
    Quantity.PRESSURE,
    Quantity.TEMPERATURE,
    Quantity.VOLTAGE,
    Quantity.ANGLE,
    Quantity.LENGTH,
    Quantity.SHARE,
}
_AT_ONCE = 2  # channels that are looked at
_SLOWEST_S = 0.3  # between values, beyond which a machine's own change looks like a step
_STEP_K = 6.0  # no temperature here changes by that at once


def judge_log(log: Log, progress: Callable[[float], None] | None = None) -> tuple[LogFinding, ...]:
    """Everything that is found in a log, in the order of its channels; `progress` is told the share that is done."""
    log = log.understood
    engine = Engine.of(log)
    singles = tuple(SingleChannel(log, channel, engine) for channel in log.channels)
    found = mistaken(singles)
    wrong = {name for finding in found for name in (finding.channel, *finding.others)}
    singles = tuple(
        single for single in singles if single.channel.name not in wrong
    )  # of these nothing else can be said
    with ThreadPoolExecutor(_AT_ONCE) as pool:  # NumPy lets the other go on while it counts
        for at, own in enumerate(pool.map(lambda one: [*one.findings(), *noise_of(one)], singles)):
            found += own
            if progress is not None:
                progress(0.8 * (at + 1) / len(singles))
    found += at_key_on(log, singles, engine)
    dropped = _dropouts(log, singles)
    found += dropped
    if not any(finding.kind is FindingKind.SHARED for finding in dropped):
        found += find_sags(singles)
    between = between_channels(log, singles)
    late = {finding.channel for finding in between if finding.kind is FindingKind.LAG}
    found += _steps(tuple(one for one in singles if one.channel.name not in late), engine, found)
    found += between
    order = {channel.name: at for at, channel in enumerate(log.channels)}
    return tuple(sorted(found, key=lambda one: order.get(one.channel, -1)))


# Dropouts, and what they mean together


def _dropouts(log: Log, singles: tuple[SingleChannel, ...]) -> list[LogFinding]:
    having = [one for one in singles if one.excursions]
    holes = _holes(singles)
    found: list[LogFinding] = []
    if holes:
        at_s = tuple((one.from_s, one.until_s) for one in holes)
        said = f"Channels are without a value together {_times(len(holes))}: the log has a hole there, and no sensor."
        found.append(LogFinding(kind=FindingKind.HOLE, channel="", sentence=said,
                                at_s=at_s))  # fmt: skip
    own = {
        one: [
            e for e in one.excursions if not any(e.meets(h, _TOGETHER_S) for h in holes) and not _is_driven(one, e, log)
        ]
        for one in having
    }
    done: set[int] = set()
    for one in having:
        together = _together(one, own)
        if together and id(one) not in done:
            group = (one, *together)
            done |= {id(other) for other in group}
            found.append(_shared(group, own[one]))
    found += [_dropout(one, own[one], log) for one in having if own[one] and id(one) not in done]
    return found


def _is_driven(one: SingleChannel, excursion: Excursion, log: Log) -> bool:
    """True where speed or load do as much at that moment, and it does not go to an end of what its sensor gives."""
    known = one.channel.span
    if np.isnan(excursion.to) or one.spec.is_quick:
        return False
    if (
        known is None
        and one.figures.usual_span is not None
        and abs(excursion.to) <= one.end
        and one.is_cut_out(excursion)
    ):
        return False
    if known is not None and not known[0] + one.end < excursion.to < known[1] - one.end:
        return False
    for sense in (Sense.ENGINE_SPEED, Sense.LOAD):
        driver = log.of(sense)
        if driver is not None and len(driver.value):
            a, b = np.searchsorted(driver.time_s, (excursion.from_s - 1.0, excursion.until_s + 1.0))
            inside = driver.value[a : b + 1]
            if len(inside) and np.nanmax(inside) - np.nanmin(inside) > _DRIVES * reach_of(driver.value):
                return True
    return False


def _holes(singles: tuple[SingleChannel, ...]) -> list[Excursion]:
    """Stretches in which most channels of a log have no value: the logger's, and no sensor's."""
    if len(singles) < _LEAST_MANY:
        return []
    fullest = max(singles, key=lambda one: len(one.blanks)).blanks
    least = max(_LEAST_MANY, _MANY * len(singles))
    return [e for e in fullest if sum(any(e.meets(o, 0.0) for o in one.blanks) for one in singles) >= least]


def _together(one: SingleChannel, own: dict[SingleChannel, list[Excursion]]) -> tuple[SingleChannel, ...]:
    """Other sensors of which most excursions come with those of this one."""
    mine = own[one]
    if not mine or one.channel.quantity not in _OF_SENSORS:
        return ()
    found = []
    for other, theirs in own.items():
        if other is one or not theirs or other.channel.quantity not in _OF_SENSORS:
            continue
        with_it = sum(any(e.meets(m, _TOGETHER_S) for m in mine) for e in theirs)
        if with_it >= _MOSTLY * min(len(mine), len(theirs)):
            found.append(other)
    return tuple(found)


def _times(count: int) -> str:
    return "once" if count == 1 else "twice" if count == 2 else f"{count} times"  # noqa: PLR2004


def _shared(group: tuple[SingleChannel, ...], excursions: list[Excursion]) -> LogFinding:
    names = [one.channel.name for one in group]
    what = next((one.channel.shares for one in group if one.channel.shares), "")
    of = f"{what}, which feeds them" if what else "the reference or the ground that they share"
    said = (
        f"{', '.join(names[:-1])} and {names[-1]} drop at the same moment, {_times(len(excursions))}: that is {of}, not the "
        "sensors."
    )
    return LogFinding(
        kind=FindingKind.SHARED,
        channel=names[0],
        sentence=said,
        at_s=tuple((e.from_s, e.until_s) for e in excursions[:200]),
        others=tuple(names[1:]),
    )


def _dropout(one: SingleChannel, excursions: list[Excursion], log: Log) -> LogFinding:
    longest = max(e.until_s - e.from_s for e in excursions)
    values = [e.to for e in excursions if not np.isnan(e.to)]
    to = f"to {one.say(float(np.median(values)))}" if values else "to no value"
    also = _also_changed(one, excursions, log)
    said = f"{one.channel.name}: drops {to} {_times(len(excursions))}, for {max(longest, one.figures.step_s):.2g} s at most"
    said += f"; {' and '.join(also)} changed with it." if also else "; nothing else changed with it."
    return LogFinding(
        kind=FindingKind.DROPOUT,
        channel=one.channel.name,
        sentence=said,
        at_s=tuple((e.from_s, e.until_s) for e in excursions[:200]),
        size=float(np.median(values)) if values else None,
        others=also,
    )


def _also_changed(one: SingleChannel, excursions: list[Excursion], log: Log) -> tuple[str, ...]:
    """Channels that change by much at most of the moments."""
    moments = np.array([e.from_s for e in excursions[:200]])
    others = (c for c in log.channels if c is not one.channel)
    return tuple(c.name for c in others if _share_moving(c.time_s, c.value, moments) > _MOSTLY)[:4]


def _share_moving(times: NDArray[np.float64], values: NDArray[np.float32], moments: NDArray[np.float64]) -> float:
    """Share of the moments at which a channel changes by much within a second."""
    if len(times) < 8:  # noqa: PLR2004
        return 0.0
    sample = values[:: max(1, len(values) // 20_000)]
    swing = float(np.nanquantile(sample, 0.99) - np.nanquantile(sample, 0.01)) if np.isfinite(sample).any() else 0.0
    if swing <= 0:
        return 0.0
    before = values[np.clip(np.searchsorted(times, moments - 0.5), 0, len(values) - 1)]
    after = values[np.clip(np.searchsorted(times, moments + 0.5), 0, len(values) - 1)]
    return float(np.mean(np.nan_to_num(np.abs(after - before)) > 2 * _MOVES * swing))


# Steps that stay


def _steps(singles: tuple[SingleChannel, ...], engine: Engine, told: list[LogFinding]) -> list[LogFinding]:
    """Steps that stay; where a stretch that was told of already begins or ends is none."""
    edges: dict[str, list[float]] = {}
    for one in told:
        edges.setdefault(one.channel, []).extend(moment for span in one.at_s for moment in span)
    found = []
    for single in singles:
        is_quick = single.spec.is_quick or not single.spec.is_wired or single.channel.sense is Sense.BATTERY_VOLTS
        is_slow = single.figures.step_s > _SLOWEST_S and single.channel.quantity is not Quantity.TEMPERATURE
        if single.channel.quantity not in _OF_SENSORS or is_quick or is_slow or single.channel.sense is Sense.OTHER:
            continue
        near = np.array(edges.get(single.channel.name, []))
        steps = [
            step
            for step in _levels(single)
            if not np.any(np.abs(near - step[0]) <= 1.0) and _is_by_itself(single, step, singles, engine)
        ]
        if steps:
            _, size = max(steps, key=lambda step: abs(step[1]))
            said = (
                f"{single.channel.name}: steps by {single.say(size)} and stays, with nothing else that changed"
                f"{'' if len(steps) == 1 else f'; {len(steps)} such steps'}."
            )
            found.append(
                LogFinding(
                    kind=FindingKind.STEP,
                    channel=single.channel.name,
                    sentence=said,
                    at_s=tuple((m, m) for m, _ in steps),
                    size=size,
                )
            )
    return found


def _levels(single: SingleChannel) -> list[tuple[float, float]]:
    """Moments at which the level changes at once and stays, with by how much."""
    f = single.figures
    least = max(single.jump, _STEP_K if single.channel.quantity is Quantity.TEMPERATURE else 0.0)
    if least <= 0 or len(f.value) < 2 * 8:
        return []
    places = np.flatnonzero(np.abs(f.jumps) >= least * 0.7)
    if len(places) > 20 * _MOST_STEPS:
        return []
    found: list[tuple[float, float]] = []
    for at in places:
        moment = float(f.time_s[at + 1])
        if any(e.from_s - 1.0 <= moment <= e.until_s + 1.0 for e in single.excursions):
            continue
        before = f.value[np.searchsorted(f.time_s, moment - _LEVEL_S) : at + 1]
        after = f.value[at + 1 : np.searchsorted(f.time_s, moment + _LEVEL_S)]
        if min(len(before), len(after)) < _LEAST_MANY:
            continue
        size = float(np.median(after) - np.median(before))
        own = float(f.value[at + 1] - f.value[at])
        rest = max(float(np.ptp(before)), float(np.ptp(after)))
        if abs(size) >= _STAYS * least and size * own > 0 and abs(own) >= _STAYS * abs(size) and rest < 0.6 * abs(size):
            found.append((moment, size))
    return found[:_MOST_STEPS]


def _is_by_itself(
    single: SingleChannel, step: tuple[float, float], singles: tuple[SingleChannel, ...], engine: Engine
) -> bool:
    moment = step[0]
    if engine.is_near_change(moment) or not engine.runs_at(np.array([moment]))[0]:
        return False
    for other in singles:
        if other is single or other.channel.sense is Sense.BATTERY_VOLTS:
            continue
        times, values = other.channel.time_s, other.channel.value
        if other.figures.swing > 0 and len(times) > 1:
            first, middle, last = np.searchsorted(times, (moment - 1.5, moment, moment + 1.5))
            before, after = values[first:middle], values[middle:last]
            differs = _differ(before[np.isfinite(before)], after[np.isfinite(after)], _MOVES * other.figures.swing)
            if differs and (other.channel.sense in DRIVERS or _at_once(times, values, moment, differs)):
                return False
    return True


def _at_once(times: NDArray[np.float64], values: NDArray[np.float32], moment: float, by: float) -> bool:
    """True where most of a change happens within less than half a second of a moment."""
    first, last = np.clip(np.searchsorted(times, (moment - 0.4, moment + 0.4)), 1, len(times) - 1)
    return abs(float(values[last] - values[first - 1])) >= by / 2


def _differ(before: NDArray[np.float32], after: NDArray[np.float32], least: float) -> float:
    """By how much the level changes, where that is so much, and more than chance makes of what is between the values; else 0."""
    if not len(before) or not len(after):
        return 0.0
    apart = abs(float(np.median(after)) - float(np.median(before)))
    sigma = max(float(before.std()), float(after.std()))
    is_one = apart > least and apart > _NO_CHANCE * sigma * (1 / len(before) + 1 / len(after)) ** 0.5
    return apart if is_one else 0.0
