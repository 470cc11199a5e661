"""Health rules as text that can be read, shipped ones and a shop's own: when something is so, what it means, what confirms it.

    oil pressure < 50 kPa while engine speed > 500 rpm and coolant temperature > 70 °C for 5 s
    coolant pressure follows boost pressure
    fuel pressure falls with demand by 40 kPa
    coolant pressure rises under boost pressure by 1.2 kPa
    oil pressure is rough by 25 kPa while engine speed > 500 rpm
    battery volts < 1.1 × system while engine speed > 1000 rpm for 80 %

A channel is named by what it is of (`Sense`), or by its own name in a log; `demand` is load times engine speed. A rule whose
channels a log lacks says nothing.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from irongauge.core.traces.channels import DEMAND, STANDS_FOR, Channel, Log
from irongauge.core.traces.engine import Gridded
from irongauge.core.traces.figures import ChannelFigures, joined, moving_mean, runs_of
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.log_units import LogUnit, log_unit
from irongauge.core.traces.senses import Sense
from irongauge.errors import EntryError

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

__all__ = ["SHIPPED_RULES", "HealthRule", "When", "apply_rules", "channels_lacking", "when_from"]


class _Verb(StrEnum):
    BELOW = "<"
    ABOVE = ">"
    FOLLOWS = "follows"
    FALLS_WITH = "falls with"
    ROUGH = "is rough by"
    RISES_UNDER = "rises under"


@dataclass(frozen=True, kw_only=True)
class _Clause:
    """A channel against an amount, or against another channel. `of_system` amounts are shares of the vehicle's volts."""

    channel: str
    verb: _Verb
    other: str = ""
    amount: float = 0.0
    unit: LogUnit | None = None
    of_system: bool = False


@dataclass(frozen=True)
class When:
    """A rule's condition as it is read: what must be so, while what, and for how long: in seconds, or as a share of the while."""

    subject: _Clause
    during: tuple[_Clause, ...]
    seconds: float
    text: str
    share: float = 0.0

    @property
    def channels(self) -> tuple[str, ...]:
        """The channels that it names, each once."""
        named = [name for clause in (self.subject, *self.during) for name in (clause.channel, clause.other) if name]
        return tuple(dict.fromkeys(named))


@dataclass(frozen=True, kw_only=True)
class HealthRule:
    """A rule: what it means where it holds, the check that would confirm it, and why it is believed."""

    name: str
    when: str
    means: str
    check: str
    why: str = ""


_AMOUNT = r"(?P<amount>[+-−]?\d+(?:[.,]\d+)?)\s*(?P<unit>[^\d\s].*)?"
_COMPARED = re.compile(rf"(?P<channel>.+?)\s*(?P<verb>[<>])\s*{_AMOUNT}")
_ROUGH = re.compile(rf"(?P<channel>.+?)\s+is rough by\s+{_AMOUNT}")
_FALLS = re.compile(rf"(?P<channel>.+?)\s+falls with\s+(?P<other>.+?)\s+by\s+{_AMOUNT}")
_RISES = re.compile(rf"(?P<channel>.+?)\s+rises under\s+(?P<other>.+?)\s+by\s+{_AMOUNT}")
_FOLLOWS = re.compile(r"(?P<channel>.+?)\s+follows\s+(?P<other>.+)")
_FOR = re.compile(r"\s+for\s+(\d+(?:[.,]\d+)?)\s*(s|min|%)\s*$")
_SHARE_S = 30.0  # that a share is taken of at least
_SYSTEM = re.compile(r"[×x*]\s*system", re.IGNORECASE)
_PATTERNS = (
    (_ROUGH, _Verb.ROUGH),
    (_FALLS, _Verb.FALLS_WITH),
    (_RISES, _Verb.RISES_UNDER),
    (_FOLLOWS, _Verb.FOLLOWS),
    (_COMPARED, None),
)
_WOULD_DO = "Such as: oil pressure < 50 kPa while engine speed > 500 rpm for 5 s."
_MOST_CLAUSES = 6  # a rule of more is not read any more


def when_from(text: str) -> When:
    """A condition as it is written; `EntryError` names what cannot be read of it."""
    plain = " ".join(text.split())
    lasting = _FOR.search(plain)
    seconds = share = 0.0
    if lasting is not None:
        amount = float(lasting[1].replace(",", "."))
        seconds = amount * {"min": 60.0, "s": 1.0, "%": 0.0}[lasting[2]]
        share = amount / 100 if lasting[2] == "%" else 0.0
        plain = plain[: lasting.start()]
    subject, _, rest = plain.partition(" while ")
    during = [part for part in re.split(r"\s+and\s+", rest) if part.strip()]
    if len(during) > _MOST_CLAUSES:
        raise EntryError("when", text, f"A rule has at most {_MOST_CLAUSES} conditions.", _WOULD_DO)
    clauses = tuple(_clause(text, part) for part in during)
    if any(clause.verb not in {_Verb.ABOVE, _Verb.BELOW} for clause in clauses):
        raise EntryError("when", text, "Behind “while” stand comparisons with < or >.", _WOULD_DO)
    return When(_clause(text, subject), clauses, seconds, plain, share)


def _clause(text: str, part: str) -> _Clause:
    for pattern, verb in _PATTERNS:
        found = pattern.fullmatch(part.strip())
        if found is not None:
            parts = found.groupdict()
            amount = float((parts.get("amount") or "0").replace(",", ".").replace("−", "-"))
            unit_text = (parts.get("unit") or "").strip()
            of_system = _SYSTEM.fullmatch(unit_text) is not None
            unit = None if of_system or not unit_text else log_unit(unit_text)
            if unit_text and not of_system and unit is None:
                raise EntryError("when", text, f"“{unit_text}” is no unit that is known here.", _WOULD_DO)
            return _Clause(
                channel=parts["channel"].strip().casefold(),
                verb=verb or _Verb(parts["verb"]),
                other=(parts.get("other") or "").strip().casefold(),
                amount=amount,
                unit=unit,
                of_system=of_system,
            )
    raise EntryError("when", text, f"“{part.strip()}” cannot be read as a condition.", _WOULD_DO)


SHIPPED_RULES = (
    HealthRule(
        name="Coolant pressure that follows boost",
        when="coolant pressure follows boost pressure",
        means="rises and falls with boost within seconds: combustion gas may get into the coolant. With temperature it "
        "would rise slowly.",
        check="Test the coolant for combustion gas, cold and with the pressure let down, and do a leak-down test.",
        why="Coolant expands with heat over minutes; only gas under pressure moves it in seconds.",
    ),
    HealthRule(
        name="Coolant pressure that rises under boost",
        when="coolant pressure rises under boost pressure by 1.2 kPa while engine speed > 400 rpm",
        means="rises whenever the engine is loaded, and bleeds off slowly: combustion gas may get into the coolant.",
        check="Test the coolant for combustion gas, cold and with the pressure let down, and do a leak-down test.",
        why="Heat takes minutes to come; what comes within two seconds of load is gas.",
    ),
    HealthRule(
        name="Crankcase pressure under load",
        when="crankcase pressure > 2.5 kPa while load > 60 % for 3 s",
        means="stands high under load: rings or a blocked breather.",
        check="Look at the breather first, then do a leak-down test.",
        why="What passes the rings grows with cylinder pressure; a free breather keeps it within a few kPa.",
    ),
    HealthRule(
        name="Fuel pressure that sags",
        when="fuel pressure falls with demand by 40 kPa while engine speed > 400 rpm and fuel pressure < 1500 kPa",
        means="sags with demand: filter, pump or its supply.",
        check="Put a gauge in parallel, and measure the pump’s volts under load.",
        why="A regulator holds its pressure at any demand that the pump can meet.",
    ),
    HealthRule(
        name="Oil pressure low when hot at idle",
        when="oil pressure < 50 kPa while engine speed > 500 rpm and coolant temperature > 70 °C for 5 s",
        means="is low when hot.",
        check="Put a mechanical gauge in parallel before anything is taken apart; look at level and viscosity.",
        why="A rule of the trade: half a bar at hot idle is the least that is taken; the maker’s own figure wins.",
    ),
    HealthRule(
        name="Oil pressure low at work",
        when="oil pressure < 100 kPa while engine speed > 1500 rpm for 3 s",
        means="is low at working speed.",
        check="Stop. Put a mechanical gauge in parallel before it runs on; look at level.",
        why="A rule of the trade: 10 psi for each thousand turns; the maker’s own figure wins.",
    ),
    HealthRule(
        name="Rough oil pressure",
        when="oil pressure is rough by 25 kPa while engine speed > 500 rpm",
        means="is rough: air in the oil, a relief valve that hunts, or the sensor’s wiring.",
        check="Look at level and foam; read a mechanical gauge in parallel; take an oil sample.",
        why="A pump’s own pulses are damped by its galleries.",
    ),
    HealthRule(
        name="Charging too low",
        when="battery volts < 1.1 × system while engine speed > 1000 rpm for 80 %",
        means="hardly ever reaches charging volts.",
        check="Measure the drop from the alternator to the battery, both ways, with loads on.",
        why="A lead battery takes no charge below about 2.2 V for each cell; who charges by demand lets it be for a while.",
    ),
    HealthRule(
        name="Charging too high",
        when="battery volts > 1.25 × system while engine speed > 500 rpm for 5 s",
        means="is above what a battery bears.",
        check="Measure at the battery itself, then look at the regulator’s sense wire and ground.",
        why="Above 2.5 V for each cell a lead battery gases.",
    ),
    HealthRule(
        name="Coolant too hot",
        when="coolant temperature > 115 °C for 10 s",
        means="is too hot.",
        check="Read a thermometer on the housing; look at level, fan and thermostat, cold and with the pressure let down.",
        why="Near the boiling point of coolant under the usual cap.",
    ),
)

_GRID_S = 0.2  # five times a second
_TOGETHER, _LEAST_MOVE = 0.8, 0.25  # correlation of two channels' changes; of its swing, that the leader has to move
_LEAST_POINTS = 100
_MOST_PLACES = 100


def apply_rules(log: Log, rules: Sequence[HealthRule]) -> tuple[LogFinding, ...]:
    """What holds of a log of all these rules; one that cannot be read, or has no channels here, says nothing."""
    found = []
    log = log.understood
    gridded = Gridded(log, _GRID_S)
    for rule in rules:
        try:
            when = when_from(rule.when)
        except EntryError:
            continue
        named = {name: _named(log, name) for name in when.channels}
        channels = {name: channel for name, channel in named.items() if channel is not None}
        if len(channels) == len(named) and _are_in_their_units(when, channels):
            hit = _hit(log, gridded, rule, when, channels)
            found += [] if hit is None else [hit]
    return tuple(found)


def _are_in_their_units(when: When, channels: dict[str, Channel]) -> bool:
    """True where each channel is known to be in what its amount is of: 4.4 of an unknown unit is not 4.4 kPa."""
    return all(
        clause.unit is None
        or (
            channels[clause.channel].quantity is clause.unit.quantity
            and (clause.unit.quantity is not None or channels[clause.channel].unit in {clause.unit.label, ""})
        )
        for clause in (when.subject, *when.during)
    )


def channels_lacking(when: When, channels: Sequence[tuple[str, Sense]]) -> tuple[str, ...]:
    """Channels of a rule that none of these is, by name or by what it is of."""
    there = {name.casefold() for name, _ in channels} | {
        str(sense) for _, sense in channels if sense is not Sense.OTHER
    }
    there |= {str(sense) for sense, instead in STANDS_FOR.items() if there & {str(one) for one in instead}}
    there |= {DEMAND} if {str(Sense.LOAD), str(Sense.ENGINE_SPEED)} <= there else set()
    return tuple(name for name in when.channels if name not in there)


def _named(log: Log, name: str) -> Channel | None:
    own = next((c for c in log.channels if c.name.casefold() == name), None)
    if own is None and name == DEMAND:
        return log.demand
    return own or (log.of(Sense(name)) if name in set(Sense) - {Sense.OTHER} else None)


def _hit(log: Log, gridded: Gridded, rule: HealthRule, when: When, channels: dict[str, Channel]) -> LogFinding | None:
    grid = gridded.time_s
    values = {name: gridded.of(channel) for name, channel in channels.items()}
    during = np.ones(len(grid), dtype=bool)
    for clause in when.during:
        during &= _holds(clause, values[clause.channel], log.system_v)
    subject, channel = when.subject, channels[when.subject.channel]
    at_s: list[tuple[float, float]] = []
    if subject.verb in {_Verb.ABOVE, _Verb.BELOW}:
        holds = during & _holds(subject, values[subject.channel], log.system_v)
        at_s = _lasting(grid, holds, when.seconds)
        if when.share and not _is_share(
            when.share, during & np.isfinite(values[subject.channel]), holds, gridded.step_s
        ):
            at_s = []
        inside = _inside(grid, at_s)
        size = float(np.nanmedian(values[subject.channel][inside])) if at_s else 0.0
        said = f"{_shown(channel, size)} for {sum(b - a for a, b in at_s):.0f} s in all"
    elif subject.verb is _Verb.RISES_UNDER:
        size = _rise(values[subject.channel], values[subject.other], during, gridded.step_s)
        said = f"{_shown(channel, size)} more in two seconds than without load"
        at_s = [(0.0, float(grid[-1]))] if size >= _amount(subject, log.system_v) else []
    elif subject.verb is _Verb.ROUGH:
        size, said = _rough(channel, grid, during)
        at_s = _lasting(grid, during, 0.0) if size >= _amount(subject, log.system_v) else []
    elif subject.verb is _Verb.FOLLOWS:
        size, said = _follows(values[subject.channel], values[subject.other], during, grid)
        said = f"{said} with {channels[subject.other].name}"
        at_s = [(0.0, float(grid[-1]))] if size >= _TOGETHER else []
    else:
        size = _fall(values[subject.channel], values[subject.other], during)
        said = f"{_shown(channel, size)} less where {channels[subject.other].name} is high"
        at_s = [(0.0, float(grid[-1]))] if size >= _amount(subject, log.system_v) else []
    if not at_s:
        return None
    return LogFinding(
        kind=FindingKind.RULE,
        channel=channel.name,
        sentence=f"{channel.name} {rule.means.rstrip('.')} ({said}).",
        follow_up=rule.check,
        at_s=tuple(at_s[:_MOST_PLACES]),
        size=size,
        others=tuple(c.name for c in channels.values() if c is not channel),
    )


def _shown(channel: Channel, value: float) -> str:
    return f"{value:.3g} {channel.unit}".replace("-", "−").rstrip()


def _amount(clause: _Clause, system_v: float) -> float:
    """The amount in the channel's fixed unit; a difference, for what is a width."""
    if clause.of_system:
        return clause.amount * system_v
    if clause.unit is None:
        return clause.amount
    is_width = clause.verb in {_Verb.ROUGH, _Verb.FALLS_WITH, _Verb.RISES_UNDER}
    return clause.amount * clause.unit.scale + (0.0 if is_width else clause.unit.offset)


def _holds(clause: _Clause, values: Floats, system_v: float) -> Flags:
    amount = _amount(clause, system_v)
    with np.errstate(invalid="ignore"):
        return values < amount if clause.verb is _Verb.BELOW else values > amount


def _is_share(least: float, during: Flags, holds: Flags, step_s: float) -> bool:
    """True where it holds for that share of the time, and the time is long enough to have one."""
    total = int(np.count_nonzero(during))
    return bool(total * step_s >= _SHARE_S and np.count_nonzero(holds) >= least * total)


def _lasting(grid: Floats, flags: Flags, seconds: float) -> list[tuple[float, float]]:
    spans = [(float(grid[a]), float(grid[b])) for a, b in runs_of(flags)]
    return joined([span for span in spans if span[1] - span[0] >= seconds], 0.5)


def _inside(grid: Floats, at_s: list[tuple[float, float]]) -> Flags:
    found = np.zeros(len(grid), dtype=bool)
    for first, last in at_s:
        found |= (grid >= first) & (grid <= last)
    return found


def _rough(channel: Channel, grid: Floats, during: Flags) -> tuple[float, str]:
    """One standard deviation of what is no slope, over the windows in which the conditions hold."""
    figures = ChannelFigures(channel)
    starts, rough = figures.windows
    if not len(starts):
        return 0.0, ""
    at = np.clip(np.searchsorted(grid, figures.time_s[starts]), 0, len(grid) - 1)
    inside = rough[during[at]]
    size = float(np.median(inside)) if len(inside) else 0.0
    return size, f"{_shown(channel, size)}, one standard deviation"


def _changes(values: Floats, step_s: float) -> Floats:
    """What changes within a few seconds: the slow way is taken off."""
    return values - moving_mean(values, max(3, round(6.0 / step_s)))


def _follows(values: Floats, leader: Floats, during: Flags, grid: Floats) -> tuple[float, str]:
    """The correlation of both channels' changes, at the shift up to two seconds at which it is greatest."""
    good = np.isfinite(values) & np.isfinite(leader)
    if np.count_nonzero(good & during) < _LEAST_POINTS:
        return 0.0, ""
    step_s = float(grid[1] - grid[0])
    first, last = int(np.argmax(good)), len(good) - int(np.argmax(good[::-1]))
    y, x = (np.nan_to_num(v[first:last], nan=float(np.nanmedian(v))) for v in (values, leader))
    keep = during[first:last]
    if not _moves(x):
        return 0.0, ""
    dy, dx = _changes(y, step_s), _changes(x, step_s)
    best = 0.0
    for shift in range(int(2.0 / step_s) + 1):
        a, b, inside = dx[: len(dx) - shift], dy[shift:], keep[shift:]
        if np.count_nonzero(inside) >= _LEAST_POINTS:
            a, b = a[inside] - a[inside].mean(), b[inside] - b[inside].mean()
            size = float(np.sqrt((a @ a) * (b @ b)))
            best = max(best, float(a @ b) / size if size > 0 else 0.0)
    return best, f"correlation {best:.2f}"


def _rise(values: Floats, driver: Floats, during: Flags, step_s: float) -> float:
    """How much more it rises within two seconds where its driver is in its upper seventh than where it is in its lower half."""
    good = during & np.isfinite(values) & np.isfinite(driver)
    per = max(1, round(1.0 / step_s))
    if np.count_nonzero(good) < _LEAST_POINTS or len(values) <= 4 * per:
        return 0.0
    level = moving_mean(np.nan_to_num(values, nan=float(np.nanmedian(values))), per)
    leader = moving_mean(np.nan_to_num(driver, nan=float(np.nanmedian(driver))), per)
    rises = level[2 * per :] - level[: -2 * per]
    good, leader = good[: len(rises)], leader[: len(rises)]
    low, high = np.quantile(leader[good], (0.5, 0.85)) if good.any() else (0.0, 0.0)
    loaded, idle = good & (leader > high), good & (leader < low)
    if min(np.count_nonzero(loaded), np.count_nonzero(idle)) < _LEAST_POINTS / 4:
        return 0.0
    return float(np.mean(rises[loaded]) - np.mean(rises[idle]))


def _moves(values: Floats) -> bool:
    """True where the leader goes up and down at all."""
    swing = float(np.quantile(values, 0.99) - np.quantile(values, 0.01))
    return swing > 0 and float(np.std(values)) > _LEAST_MOVE * swing / 4


def _fall(values: Floats, driver: Floats, during: Flags) -> float:
    """How much lower a channel is where its driver is in its highest quarter than where it is in its lowest."""
    good = during & np.isfinite(values) & np.isfinite(driver)
    if np.count_nonzero(good) < _LEAST_POINTS:
        return 0.0
    y, x = values[good], driver[good]
    low, high = np.quantile(x, (0.25, 0.9))
    if high - low < _LEAST_MOVE * float(x.max() - x.min()):
        return 0.0
    return float(np.median(y[x <= low]) - np.median(y[x >= high]))
