"""A log's channels: times and values, and what each is of as far as rules need to know."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.log_units import log_unit
from irongauge.core.traces.sense_names import narrowed
from irongauge.core.traces.senses import Sense

Times = NDArray[np.float64]
Values = NDArray[np.float32]

__all__ = ["DEMAND", "STANDS_FOR", "Channel", "Log"]

DEMAND = "demand"  # load times engine speed, which fuel and air are asked by


STANDS_FOR = {
    Sense.LOAD: (Sense.THROTTLE, Sense.PEDAL),
    Sense.BOOST_PRESSURE: (Sense.MANIFOLD_PRESSURE,),
    Sense.ROAD_SPEED: (Sense.WHEEL_SPEED, Sense.SATELLITE_SPEED),
}


@dataclass(frozen=True, kw_only=True, eq=False)
class Channel:
    """One channel: times in s from the log's start, rising, and values of the same shape (n,), not a number where there is none.

    `span` are the least and greatest value that its sensor can give, where that is known; `shares` names what it is fed from, the
    same for all that hang on it.
    """

    name: str
    unit: str
    quantity: Quantity | None
    sense: Sense
    time_s: Times
    value: Values
    span: tuple[float, float] | None = None
    base: PressureBase | None = None
    shares: str = ""

    def __post_init__(self) -> None:
        if self.time_s.shape != self.value.shape or self.time_s.ndim != 1:
            msg = f"{self.name}: as many values as times"
            raise ValueError(msg)


@dataclass(frozen=True, eq=False)
class Log:
    """Channels that were recorded together; their times count from one start. `system_v` is the vehicle's, 12 or 24."""

    channels: tuple[Channel, ...]
    system_v: float = 12.0
    atmosphere_kpa: float = 101.325

    @cached_property
    def understood(self) -> Log:
        """The same, each channel's sense as narrow as its name tells: told as load, a pedal is still no throttle."""
        units = (log_unit(c.unit) for c in self.channels)
        found = (narrowed(c.sense, c.name, unit) for c, unit in zip(self.channels, units, strict=True))
        channels = (
            c if c.sense is sense else replace(c, sense=sense) for c, sense in zip(self.channels, found, strict=True)
        )
        return replace(self, channels=tuple(channels))

    def of(self, sense: Sense) -> Channel | None:
        """The first channel of that sense, else of what stands for it: a throttle for the load."""
        for one in (sense, *STANDS_FOR.get(sense, ())):
            for channel in self.channels:
                if channel.sense is one:
                    return channel
        return None

    @cached_property
    def demand(self) -> Channel | None:
        """Load times engine speed, in hundredths of an engine of 6000 rpm that is fully loaded; None where either is missing."""
        load, speed = self.of(Sense.LOAD), self.of(Sense.ENGINE_SPEED)
        if load is None or speed is None:
            return None
        has = np.isfinite(speed.value)
        if not has.any():
            return None
        rpm = np.interp(load.time_s, speed.time_s[has], speed.value[has])
        return replace(
            load, name=DEMAND, sense=Sense.OTHER, value=(load.value * rpm / 6000).astype(np.float32), span=None
        )

    @property
    def seconds(self) -> float:
        """How long it is, to the last sample of any channel."""
        return max((float(c.time_s[-1]) for c in self.channels if len(c.time_s)), default=0.0)
