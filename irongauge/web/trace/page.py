"""What the pages of the room Trace say: a log's picture, its findings with their marks, its channels and their peaks."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import from_fixed, rebase, show_split, standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.transfer import IN_VOLTS
from irongauge.core.shop import Vehicle
from irongauge.core.traces.findings import Gravity, LogFinding
from irongauge.core.traces.likely_units import unit_that_was_taken
from irongauge.core.traces.normals import Normal
from irongauge.core.traces.record import KeptChannel, KeptLog
from irongauge.core.traces.senses import Sense
from irongauge.workflows.trace.logs import LogView
from irongauge.workflows.trace.normals import StandingLine

__all__ = [
    "FindingLine",
    "channel_text",
    "clock",
    "drawn_at_first",
    "finding_lines",
    "picture_of",
    "standing_text",
    "taken_unit",
    "usual_text",
    "value_text",
]

_MOST_DRAWN = 6
_MARKS = {Gravity.WRONG: Mark.FAIL, Gravity.DOUBTFUL: Mark.UNDECIDED}
_SHOWN_FIRST = (
    Sense.ENGINE_SPEED, Sense.LOAD, Sense.OIL_PRESSURE, Sense.COOLANT_TEMPERATURE, Sense.BOOST_PRESSURE, Sense.BATTERY_VOLTS,
)  # fmt: skip
_MOST_PLACES = 400
_CURVE_STEPS = 24


@dataclass(frozen=True)
class FindingLine:
    """A finding with its number in the picture, its mark, and where it shows in words."""

    number: int
    mark: Mark
    finding: LogFinding
    where: str


def clock(seconds: float) -> str:
    """A time in a log as people read it.

    >>> clock(75.25), clock(3725.0)
    ('1:15.2', '1:02:05')
    """
    whole = timedelta(seconds=int(seconds))
    if seconds >= 3600:  # noqa: PLR2004  an hour
        return str(whole)
    return f"{int(seconds) // 60}:{seconds % 60:04.1f}"


def value_text(value: float, unit: str) -> str:
    """A value of a channel with four digits at most."""
    number = f"{value:.4g}" if abs(value) < 1e5 else f"{value:.0f}"  # noqa: PLR2004
    number = "0" if number == "-0" else number.replace("-", "−")
    return f"{number}{'' if unit in {'%', '°'} else ' '}{unit}".rstrip()


def channel_text(channel: KeptChannel, value: float) -> str:
    """A value of a channel, as its own display shows it where that splits its scale at zero."""
    return show_split(value) if channel.is_split else value_text(value, channel.unit)


def taken_unit(channel: KeptChannel) -> str:
    """The unit that a channel was taken to be in where its heading writes none; empty where it does, or none was."""
    return (
        ""
        if channel.written_unit or not channel.unit
        else unit_that_was_taken(channel.sense, channel.scale, channel.offset)
    )


def finding_lines(log: KeptLog) -> tuple[FindingLine, ...]:
    """What is surely wrong first, then what is only doubtful, each with its number."""
    ranked = sorted(log.findings, key=lambda f: f.spec.gravity is not Gravity.WRONG)
    return tuple(FindingLine(n, _MARKS[f.spec.gravity], f, _where(f)) for n, f in enumerate(ranked, 1))


def _where(finding: LogFinding) -> str:
    if not finding.at_s:
        return ""
    first = clock(finding.at_s[0][0])
    more = len(finding.at_s) - 1
    return f"at {first}" if not more else f"at {first} and {more} more place{'s' if more > 1 else ''}"


def drawn_at_first(log: KeptLog) -> tuple[int, ...]:
    """Channels that are drawn when a log is opened: those with findings, and those that say what the engine did."""
    found = {name for f in log.findings for name in (f.channel, *f.others[:1])}
    by_sense = {channel.sense: channel for channel in reversed(log.channels)}
    first = [by_sense[sense].place for sense in _SHOWN_FIRST if sense in by_sense]
    told = [channel.place for channel in log.channels if channel.name in found]
    chosen = [*first[:1], *told, *first[1:], *(c.place for c in log.channels)]
    return tuple(sorted(dict.fromkeys(chosen), key=chosen.index))[:_MOST_DRAWN]


def picture_of(view: LogView, lines: Sequence[FindingLine], drawn: Sequence[int]) -> str:
    """What the picture's script needs, as JSON."""
    places = [
        {"number": line.number, "channel": name, "from_s": a, "until_s": b}
        for line in lines
        for name in _marked(line.finding)
        for a, b in line.finding.at_s
    ]
    circuits: dict[UUID | None, Circuit] = {circuit.uid: circuit for circuit in view.circuits}
    told: dict[str, Any] = {
        "seconds": view.log.seconds,
        "drawn": list(drawn),
        "channels": [
            _channel(channel, circuits.get(channel.circuit_uid), view.vehicle) for channel in view.log.channels
        ],
        "places": places[:_MOST_PLACES],
    }
    return json.dumps(told)


def _marked(finding: LogFinding) -> tuple[str, ...]:
    """Channels in which a finding shows; an empty name stands for all of them."""
    return (finding.channel, *finding.others) if finding.spec.shows_in_all else (finding.channel,)


def _channel(channel: KeptChannel, circuit: Circuit | None, vehicle: Vehicle) -> dict[str, Any]:
    return {
        "place": channel.place,
        "name": channel.name,
        "unit": channel.unit,
        "low": channel.low,
        "high": channel.high,
        "split": [from_fixed(1.0, "inHg"), from_fixed(1.0, "psi")] if channel.is_split else None,
        "curve": None if circuit is None else _curve(channel, circuit, vehicle),
    }


def _curve(channel: KeptChannel, circuit: Circuit, vehicle: Vehicle) -> list[tuple[float, float]] | None:
    """The curve of a channel's sensor as pairs of volts and value, on the channel's base; None where it has none in volts."""
    curve = circuit.sensor.curve
    if curve is None or curve.quantity is not channel.quantity or curve.kind not in IN_VOLTS:
        return None
    air_kpa = standard_atmosphere_kpa(vehicle.height_m)
    steps = [curve.value_low + (curve.value_high - curve.value_low) * n / _CURVE_STEPS for n in range(_CURVE_STEPS + 1)]
    pairs = ((curve.value_to_signal_v(v, circuit.reference_v), v) for v in steps)
    base = channel.base or curve.pressure_base
    return [(round(float(v), 4), round(float(rebase(x, curve.pressure_base, base, air_kpa)), 4)) for v, x in pairs]


def usual_text(normal: Normal) -> str:
    """A normal with its spread, which has two digits; none is written where all readings were the same."""
    least = "at least " if normal.at_least else ""
    if not normal.spread:
        return least + value_text(normal.median, normal.unit)
    return f"{least}{value_text(normal.median, '')} ± {value_text(float(f'{normal.spread:.2g}'), normal.unit)}"


def standing_text(line: StandingLine) -> str:
    """Where a log's readings stand, in a sentence."""
    normal = line.normal
    since = "" if normal.since is None else f", since {normal.since:%b %Y}"
    count = f"{normal.count} reading{'' if normal.count == 1 else 's'}"
    return (
        f"{normal.channel.capitalize()} {normal.condition}: {value_text(line.value, normal.unit)}; this vehicle: "
        f"{usual_text(normal)}, {count}{since}"
    )
