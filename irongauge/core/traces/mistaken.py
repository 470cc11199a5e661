"""Channels that are not what their heading says: in another unit, or two that are swapped."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.single import SingleChannel

__all__ = ["mistaken"]

_LEAST, _SAMPLED = 50, 5000  # values; enough for a median


def mistaken(singles: Sequence[SingleChannel]) -> list[LogFinding]:
    """What cannot be under its heading, but could be under another or in another unit."""
    odd = [one for one in singles if len(one.figures.value) >= _LEAST and not _is_likely(one, _middle(one))]
    found: list[LogFinding] = []
    for a, b in combinations(odd, 2):
        if _is_likely(a, _middle(b)) and _is_likely(b, _middle(a)):
            found.append(_swapped(a, b))
    told = {name for finding in found for name in (finding.channel, *finding.others)}
    return found + [said for one in odd if one.channel.name not in told and (said := _of_another_unit(one)) is not None]


def _middle(one: SingleChannel) -> float:
    thin = slice(None, None, max(1, len(one.figures.value) // _SAMPLED))
    times, value = one.figures.time_s[thin], one.figures.value[thin]
    running = value[one.engine.runs_at(times)]
    return float(np.median(running if len(running) else value))


def _is_likely(one: SingleChannel, value: float) -> bool:
    return one.spec.likely is None or one.spec.likely[0] <= value <= one.spec.likely[1]


def _swapped(a: SingleChannel, b: SingleChannel) -> LogFinding:
    f = a.figures
    said = (
        f"{a.say(_middle(a))} cannot be, nor {b.say(_middle(b))} of {b.channel.name}: each is what the other should be."
    )
    finding = a.finding(FindingKind.SWAPPED, said, [(float(f.time_s[0]), float(f.time_s[-1]))])
    return LogFinding(
        kind=finding.kind,
        channel=finding.channel,
        sentence=finding.sentence,
        at_s=finding.at_s,
        others=(b.channel.name,),
    )


def _of_another_unit(one: SingleChannel) -> LogFinding | None:
    """Degrees Fahrenheit under °C, kelvin under °C: the two that nobody can overlook once they are said."""
    if one.channel.quantity is not Quantity.TEMPERATURE:
        return None
    value = _middle(one)
    for unit, celsius in (("°F", (value - 32.0) / 1.8), ("K", value - 273.15)):
        if _is_likely(one, celsius):
            f = one.figures
            said = f"{one.say(value)} cannot be; as {unit} the numbers would be {celsius:.0f} °C."
            return one.finding(FindingKind.SCALE, said, [(float(f.time_s[0]), float(f.time_s[-1]))], value)
    return None
