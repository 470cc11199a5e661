"""Values as they come off a bus: how fresh they are, which circuit they are of, what they ran between.

A channel is a circuit's where it bears the name that its card gives for live data, or the circuit's own; the same with “V” behind
is its volts. Underscores and case do not matter, since a bus's description cannot have spaces in names.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.traces.log_units import log_unit
from irongauge.core.traces.senses import Sense

__all__ = ["FRESH", "LiveChannel", "Reach", "channel_of", "is_fresh", "widen"]

FRESH = timedelta(seconds=2)  # an older value may belong to what was done before


@dataclass(frozen=True)
class LiveChannel:
    """A channel of a bus: its name, its unit in words, what it is of."""

    name: str
    unit: str = ""
    sense: Sense = Sense.OTHER

    @property
    def quantity(self) -> Quantity | None:
        """What it measures; None where its unit does not tell."""
        known = log_unit(self.unit)
        return None if known is None else known.quantity

    @property
    def base(self) -> PressureBase | None:
        """What a pressure is counted from, where its unit tells."""
        known = log_unit(self.unit)
        return None if known is None else known.base


@dataclass(frozen=True)
class Reach:
    """The least and greatest of a value since somebody began to watch."""

    low: float
    high: float


def is_fresh(at: datetime | None, now: datetime) -> bool:
    """True for a value that came so lately that it is shown as being so now."""
    return at is not None and now - at <= FRESH


def widen(reaches: Mapping[str, Reach], values: Mapping[str, float]) -> dict[str, Reach]:
    """Reaches with another set of values in them."""
    wider = dict(reaches)
    for name, value in values.items():
        old = wider.get(name)
        wider[name] = Reach(value, value) if old is None else Reach(min(old.low, value), max(old.high, value))
    return wider


def _plain(name: str) -> str:
    return re.sub(r"[\s_.-]+", " ", name).strip().casefold()


def channel_of(circuit: Circuit, channels: Iterable[LiveChannel], *, volts: bool) -> LiveChannel | None:
    """The channel that shows a circuit's value, or with `volts` the volts at its input; None where the bus has none."""
    by_name = {_plain(channel.name): channel for channel in channels}
    for name in (circuit.live_channel, circuit.name):
        found = by_name.get(_plain(f"{name} V" if volts else name)) if name.strip() else None
        if found is not None and (not volts or found.quantity in {None, Quantity.VOLTAGE}):
            return found
    return None
