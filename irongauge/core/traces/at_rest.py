"""What channels show with the key on before the engine first turns, against what is known there.

Nothing is known of the weather nor, often, of the place: a barometer is believed wherever people drive, and an absolute pressure
is held against the barometer of the same log.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irongauge.core.measure.units import PressureBase
from irongauge.core.traces.channels import Log
from irongauge.core.traces.engine import Engine
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.single import SingleChannel

__all__ = ["at_key_on"]

_MAY_BE_ABSOLUTE = {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE, Sense.CRANKCASE_PRESSURE}
_BATTERY_SHARE = (0.85, 1.35)  # of the system volts, from a tired battery to an alternator in the cold
_ATMOSPHERE_KPA = (
    54.0,
    108.0,
)  # at 5000 m in a low (ICAO standard atmosphere), and the highest that is known at the sea
_SAME_AIR_KPA = 3.0  # that two sensors of a percent or two differ by in one air
_REST_VOLTS = (0.96, 1.15)  # of the system volts: half empty and lit up, to just off the charger
_SPAN_SHARE = 0.03  # that a sensor may be off by at rest
_SAME_AT_REST = {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE, Sense.CRANKCASE_PRESSURE, Sense.OIL_PRESSURE}
_MOVED_SHARE, _WARMED_K = 0.02, 15.0  # of the span; from which a drive has warmed it
_LEAST_S, _LEAST_VALUES, _BEFORE_S = 1.0, 3, 0.3
_VALUES = 8  # fewer tell nothing of the system


@dataclass(frozen=True)
class _Rest:
    """A channel's median while the engine has not turned yet."""

    single: SingleChannel
    value: float
    at_s: tuple[float, float]

    @property
    def slack(self) -> float:
        f = self.single.figures
        return _SPAN_SHARE * f.span + f.resolution

    @property
    def is_absolute(self) -> bool:
        """True where its base is told so, or where a pressure of unknown base is never near nothing."""
        channel, air_kpa = self.single.channel, self.single.log.atmosphere_kpa
        if channel.sense is Sense.BAROMETER:
            return True
        if channel.base is None and channel.sense in _MAY_BE_ABSOLUTE:
            return self.value > 0.3 * air_kpa and self.single.figures.low_high[0] > 0.1 * air_kpa
        return channel.base is PressureBase.ABSOLUTE

    def said(self, words: str, others: tuple[str, ...] = ()) -> LogFinding:
        single = self.single
        said = f"{single.channel.name}: {single.say(self.value)} with the key on and the engine at rest, where {words} is right."
        return LogFinding(
            kind=FindingKind.KEY_ON,
            channel=single.channel.name,
            sentence=said,
            at_s=(self.at_s,),
            size=self.value,
            others=others,
        )


def at_key_on(log: Log, singles: Sequence[SingleChannel], engine: Engine) -> list[LogFinding]:
    """Findings at rest; battery volts of another system first, which say that the log is of another vehicle."""
    found = [finding for single in singles for finding in _of_another_system(log, single)]
    odd = {finding.channel for finding in found}
    rests = [
        rest
        for single in singles
        if single.channel.quantity is not None
        and single.channel.name not in odd
        and (rest := _rest_of(single, engine)) is not None
    ]
    air = [rest for rest in rests if rest.single.channel.sense is Sense.BAROMETER and _is_air(rest.value)]
    for rest in rests:
        said = _judged(log, rest, air) or _drifted(log, rest, _rest_within(rest.single, engine.last_rest))
        found += [] if said is None else [said]
    return found


def _drifted(log: Log, first: _Rest, last: _Rest | None) -> LogFinding | None:
    """A pressure that is another with the engine at rest after the drive than before: its zero moved with the heat."""
    single = first.single
    heat = log.of(Sense.COOLANT_TEMPERATURE)
    if last is None or heat is None or single.channel.sense not in _SAME_AT_REST:
        return None
    has = np.isfinite(heat.value)
    warmed = np.interp([first.at_s[1], last.at_s[0]], heat.time_s[has], heat.value[has]) if has.any() else np.zeros(2)
    moved = last.value - first.value
    least = max(_SAME_AIR_KPA, _MOVED_SHARE * single.figures.span) + single.figures.resolution
    if abs(moved) < least or warmed[1] - warmed[0] < _WARMED_K:
        return None
    said = f"shows {single.say(moved)} more" if moved > 0 else f"shows {single.say(-moved)} less"
    return single.finding(
        FindingKind.DRIFT,
        f"{said} with the engine at rest after the drive than before it, {warmed[1] - warmed[0]:.0f} °C warmer.",
        [first.at_s, last.at_s],
        moved,
    )


def _is_air(value_kpa: float) -> bool:
    return _ATMOSPHERE_KPA[0] <= value_kpa <= _ATMOSPHERE_KPA[1]


def _rest_of(single: SingleChannel, engine: Engine) -> _Rest | None:
    return _rest_within(single, engine.first_rest)


def _rest_within(single: SingleChannel, rest: tuple[float, float] | None) -> _Rest | None:
    f = single.figures
    if rest is None or rest[1] - rest[0] < _LEAST_S:
        return None
    inside = (f.time_s >= rest[0]) & (f.time_s <= rest[1] - _BEFORE_S)
    if np.count_nonzero(inside) < _LEAST_VALUES:
        return None
    return _Rest(single, float(np.median(f.value[inside])), rest)


def _judged(log: Log, rest: _Rest, air: Sequence[_Rest]) -> LogFinding | None:
    sense, single = rest.single.channel.sense, rest.single
    if sense is Sense.BAROMETER:
        low, high = _ATMOSPHERE_KPA
        words = f"an atmosphere, {single.say(low)} to {single.say(high)},"
        return None if _is_air(rest.value) else rest.said(words)
    if sense in {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE} and rest.is_absolute:
        return _of_air(rest, air)
    if sense in {Sense.BOOST_PRESSURE, Sense.CRANKCASE_PRESSURE, Sense.OIL_PRESSURE} and not rest.is_absolute:
        return None if abs(rest.value) <= rest.slack else rest.said("nothing")
    if sense is Sense.BATTERY_VOLTS:
        low, high = (share * log.system_v for share in _REST_VOLTS)
        return None if low - rest.slack <= rest.value <= high + rest.slack else rest.said(f"{low:.1f} to {high:.1f} V")
    if sense is Sense.REFERENCE_VOLTS:
        return None if 4.9 - rest.slack <= rest.value <= 5.1 + rest.slack else rest.said("5 V")
    return None


def _of_air(rest: _Rest, air: Sequence[_Rest]) -> LogFinding | None:
    """An absolute pressure before the first turn is the atmosphere, which a barometer of the same log knows."""
    if not air:
        words = f"an atmosphere, {rest.single.say(_ATMOSPHERE_KPA[0])} to {rest.single.say(_ATMOSPHERE_KPA[1])},"
        return None if _is_air(rest.value) else rest.said(words)
    known = air[0]
    if (
        abs(rest.value - known.value)
        <= _SAME_AIR_KPA + rest.single.figures.resolution + known.single.figures.resolution
    ):
        return None
    name = known.single.channel.name
    return rest.said(f"the atmosphere, {rest.single.say(known.value)} by {name},", (name,))


def _of_another_system(log: Log, single: SingleChannel) -> list[LogFinding]:
    """Battery volts of a vehicle of 24 V on one of 12 V, or the other way: the log is not of this vehicle."""
    f = single.figures
    if single.channel.sense is not Sense.BATTERY_VOLTS or len(f.value) < _VALUES:
        return []
    volts, own_v = float(np.median(f.value)), log.system_v
    other_v = 36.0 - own_v  # 12 and 24 are the two there are
    low, high = _BATTERY_SHARE
    if low * own_v <= volts <= high * own_v or not low * other_v <= volts <= high * other_v:
        return []
    said = f"{single.say(volts)} is of a vehicle of {other_v:.0f} V; this one has {own_v:.0f} V."
    return [single.finding(FindingKind.OTHER_VEHICLE, said, [(float(f.time_s[0]), float(f.time_s[-1]))], volts)]
