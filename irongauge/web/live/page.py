"""What the pages of live data show: tiles with a value each, in the shop's units, with band, reach and standing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from irongauge.core.live.record import MOST_WATCHED, BusPort, LiveSample, Watched
from irongauge.core.live.watching import LiveChannel, Reach, widen
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import from_fixed, to_fixed, unit_for
from irongauge.core.shop import Shop
from irongauge.core.traces.log_units import log_unit
from irongauge.core.traces.normals import Normal
from irongauge.core.traces.senses import Sense
from irongauge.web.trace.page import value_text
from irongauge.workflows.live.watching import standing_now

__all__ = ["Board", "Tile", "from_shown", "shown_text", "shown_unit", "watched_of"]

_FIRST = (
    Sense.ENGINE_SPEED, Sense.COOLANT_TEMPERATURE, Sense.OIL_PRESSURE, Sense.LOAD, Sense.BOOST_PRESSURE, Sense.BATTERY_VOLTS,
)  # fmt: skip
_MOST_FIRST = 6
# Always so many, since a figure that comes and goes is hard to read.
_DECIMALS = {"bar": 2, "V": 2, "psi": 1, "inHg": 1}
_USUAL = {Mark.PASS: "As usual.", Mark.FAIL: "Not usual.", Mark.UNDECIDED: "May not be usual."}


def shown_unit(channel: LiveChannel, shop: Shop) -> str:
    """The unit that a channel is shown in: the shop's where it has one for that, with what a pressure counts from."""
    known = log_unit(channel.unit)
    if known is None or known.quantity is None:
        return channel.unit
    base = "" if known.base is None else f" {known.base}"
    return f"{unit_for(shop.units[known.quantity]).label}{base}"


def _shown(channel: LiveChannel, value: float, shop: Shop) -> float:
    known = log_unit(channel.unit)
    if known is None or known.quantity is None:
        return value
    return from_fixed(known.fixed(value), shop.units[known.quantity])


def from_shown(channel: LiveChannel, value: float, shop: Shop) -> float:
    """A value that was typed in the shown unit, in the channel's own."""
    known = log_unit(channel.unit)
    if known is None or known.quantity is None:
        return value
    return known.written(to_fixed(value, shop.units[known.quantity]))


def shown_text(channel: LiveChannel, value: float, shop: Shop) -> str:
    """A value with its unit, in as many digits as can be read at a glance."""
    unit = shown_unit(channel, shop)
    value = _shown(channel, value, shop)
    decimals = _DECIMALS.get(unit.split(" ")[0])
    if decimals is not None:
        return f"{value:.{decimals}f} {unit}".replace("-", "−")
    if abs(value) >= 100:  # noqa: PLR2004
        return value_text(round(value), unit)
    return value_text(float(f"{value:.3g}") if abs(value) >= 1 else round(value, 2), unit)


def watched_of(port: BusPort) -> tuple[Watched, ...]:
    """What is watched: as chosen, else what tells most of an engine."""
    if port.watched:
        return port.watched[:MOST_WATCHED]
    by_sense = {channel.sense: channel for channel in reversed(port.channels)}
    first = [by_sense[sense] for sense in _FIRST if sense in by_sense] or list(port.channels)
    return tuple(Watched(channel.name) for channel in first[:_MOST_FIRST])


@dataclass(frozen=True, kw_only=True)
class Tile:
    """One value large: its text, what it ran between, its band and whether it is beyond, and where it stands."""

    name: str
    text: str
    unit: str
    reach: str
    band: str
    is_beyond: bool
    mark: str
    standing: str


class Board:
    """The tiles of a port, with what each ran between since somebody began to watch."""

    def __init__(self, port: BusPort, shop: Shop, normals: Mapping[tuple[str, str], Normal]) -> None:
        self._port = port
        self._shop = shop
        self._normals = normals
        self._channels = {channel.name: channel for channel in port.channels}
        self._watched = [one for one in watched_of(port) if one.channel in self._channels]
        self._reaches: dict[str, Reach] = {}
        self.values: dict[str, float] = {}

    @property
    def needs_again(self) -> bool:
        """True before the bus has told what it has."""
        return not self._channels

    def take(self, samples: Sequence[LiveSample]) -> None:
        """Take new samples in: the last values, and how far each tile's scale reaches."""
        for sample in samples:
            self.values |= sample.values
            own = {w.channel: v for w in self._watched if (v := sample.values.get(w.channel)) is not None}
            self._reaches = widen(self._reaches, own)

    def tiles(self) -> list[Tile]:
        """The tiles, in their order."""
        return [self._tile(self._channels[one.channel], one) for one in self._watched]

    def _tile(self, channel: LiveChannel, watched: Watched) -> Tile:
        value = self.values.get(channel.name)
        reach = self._reaches.get(channel.name)
        mark, standing = ("", "") if value is None else self._standing(channel, value)
        text, _, unit = ("–", "", "") if value is None else shown_text(channel, value, self._shop).partition(" ")
        return Tile(
            name=channel.name,
            text=text,
            unit=unit or shown_unit(channel, self._shop),
            reach="" if reach is None else f"{self._plain(channel, reach.low)} to {self._plain(channel, reach.high)}",
            band=self._band(channel, watched),
            is_beyond=value is not None and watched.is_beyond(value),
            mark=mark,
            standing=standing,
        )

    def _plain(self, channel: LiveChannel, value: float) -> str:
        return shown_text(channel, value, self._shop).partition(" ")[0]

    def _band(self, channel: LiveChannel, watched: Watched) -> str:
        parts = [
            f"{word} {shown_text(channel, end, self._shop)}"
            for word, end in (("not below", watched.below), ("not above", watched.above))
            if end is not None
        ]
        return ", ".join(parts)

    def _standing(self, channel: LiveChannel, value: float) -> tuple[str, str]:
        found = standing_now(channel, value, self.values, self._port, self._normals)
        if found is None:
            return "", ""
        normal, standing = found
        usual = LiveChannel(channel.name, normal.unit)
        since = "" if normal.since is None else f", since {normal.since:%B}"
        at_least = "at least " if normal.at_least else ""
        spread = shown_text(usual, normal.median, self._shop)
        return _USUAL[standing.mark], f"{normal.condition}: usually {at_least}{spread} ({normal.count} readings{since})"

    def event(self, samples: Sequence[LiveSample], now: datetime) -> dict[str, Any]:
        """What a browser is told after these samples: how old the newest is, the tiles, and points to draw."""
        self.take(samples)
        names = [watched.channel for watched in self._watched]
        return {
            "age_s": round((now - samples[-1].at).total_seconds(), 3),
            "tiles": [asdict(tile) for tile in self.tiles()],
            "points": [
                [round(sample.at.timestamp(), 2), *(_number(sample.values.get(name)) for name in names)]
                for sample in samples
            ],
        }


def _number(value: float | None) -> float | None:
    return None if value is None else float(f"{value:.5g}")
