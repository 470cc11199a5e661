"""Logs of machines that share nothing with the demo's drives: an excavator, a tractor, a boat, a generator set, a delivery van.

Each is a day of work by plain physics of first order: a governor, pumps whose pressure is what the work asks, a thermostat,
slosh, charging by demand, loads that switch, eight-bit controllers, a dash that is slow. Nothing is wrong with them, unless a
fault is put in.
"""

# ruff: noqa: PLR2004  the figures of machines

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FindingKind
from irongauge.core.traces.log_units import log_unit, split_heading
from irongauge.core.traces.sense_names import sense_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

__all__ = ["MACHINES", "PUT", "Worked", "worked"]


@dataclass(frozen=True)
class Worked:
    """A log of a machine's work, what was put into it, and in which channel."""

    log: Log
    machine: str
    kind: FindingKind | None
    channel: str


def _lag(values: Floats, step_s: float, tau_s: float) -> Floats:
    """First-order lag."""
    share = 1 - np.exp(-step_s / tau_s)
    out = np.empty_like(values)
    level = values[0]
    for at, value in enumerate(values):
        level += share * (value - level)
        out[at] = level
    return out


def _holds(
    rng: np.random.Generator, time_s: Floats, each_s: tuple[float, float], levels: tuple[float, float]
) -> Floats:
    """Levels that are held for a while each, as work goes."""
    out, at = np.empty(len(time_s)), 0
    step_s = time_s[1] - time_s[0]
    while at < len(time_s):
        count = max(1, int(rng.uniform(*each_s) / step_s))
        out[at : at + count] = rng.uniform(*levels)
        at += count
    return out


def _on(rng: np.random.Generator, time_s: Floats, each_s: tuple[float, float], share: float) -> Floats:
    """1 or 0 for a while each, on for that share of them."""
    return np.asarray((_holds(rng, time_s, each_s, (0.0, 1.0)) > 1 - share) * 1.0)


@dataclass
class _Day:
    rng: np.random.Generator
    time_s: Floats
    step_s: float
    system_v: float
    runs: Floats
    rpm: Floats
    work: Floats
    """0 to 1: what is asked of the engine."""

    def noisy(self, values: Floats, sigma: float) -> Floats:
        return np.asarray(values + self.rng.normal(0, sigma, len(values)))

    @property
    def warm(self) -> Floats:
        """0 cold to 1 at the thermostat."""
        return np.asarray(1 - np.exp(-np.cumsum(self.runs * (0.4 + self.work)) * self.step_s / 260.0))


def _day(rng: np.random.Generator, *, idle: float, full: float, system_v: float, governed: bool) -> _Day:
    step_s = float(rng.choice([0.05, 0.1, 0.1, 0.2, 0.5, 1.0]))
    time_s = np.arange(0.0, float(rng.uniform(300, 1100)), step_s)
    starts, ends = rng.uniform(4, 14), time_s[-1] - rng.uniform(5, 20)
    runs = ((time_s > starts) & (time_s < ends)).astype(float)
    work = _lag(_holds(rng, time_s, (1.5, 14.0), (0.0, 1.0)) * _on(rng, time_s, (25, 90), 0.7), step_s, 0.5)
    asked = (
        np.where(_on(rng, time_s, (40, 160), 0.65) > 0, full * 0.93, idle) if governed else idle + (full - idle) * work
    )
    rpm = _lag(asked * runs, step_s, 0.9) - (120 * _lag(work, step_s, 0.6) if governed else 0)
    rpm = np.where(runs > 0, np.maximum(rpm, 0), _lag(asked * runs, step_s, 0.5))
    rpm = np.where(rpm < 60, 0.0, rpm + rng.normal(0, 6, len(rpm)))
    return _Day(rng, time_s, step_s, system_v, runs, rpm, work * runs)


def _oil_bar(day: _Day) -> Floats:
    """A gear pump and a relief valve; thin when hot: little is left at a hot idle."""
    thin = 1.0 - 0.62 * day.warm
    pressure = np.minimum(0.0024 * day.rpm * thin + 0.55 * (day.rpm > 300), 5.2 - 0.6 * day.warm)
    return day.noisy(_lag(pressure, day.step_s, 0.5), 0.03)


def _volts(day: _Day, *, by_demand: bool) -> Floats:
    """Rest, cranking, then charging, by demand or always; consumers pull it down by their own steps."""
    share = day.system_v / 12.0
    loads = _holds(day.rng, day.time_s, (20, 80), (0.0, 0.35))
    charged = np.where(day.work > 0.75, 12.9, 14.4) if by_demand else np.full(len(day.time_s), 14.1)
    rest = float(day.rng.uniform(12.3, 13.35))
    volts = np.where(day.rpm > 500, _lag(charged, day.step_s, 2.0) - loads, rest - loads / 2)
    first = int(np.argmax(day.runs > 0))
    volts[max(0, first - int(0.8 / day.step_s)) : first + 1] -= 2.0
    return day.noisy(volts * share, 0.02 * share)


def _coolant_c(day: _Day, start_c: float) -> Floats:
    swing = 2.5 * np.sin(day.time_s / 37.0) * (day.warm > 0.9)
    return day.noisy(start_c + (88 - start_c) * day.warm + swing, 0.1)


def _slosh(day: _Day, level: float) -> Floats:
    return np.asarray(
        np.clip(level - day.time_s / 4000 + _lag(_holds(day.rng, day.time_s, (1, 5), (-6, 6)), day.step_s, 0.8), 0, 100)
    )


def _hydraulic_bar(day: _Day) -> Floats:
    """Open centre at rest, what the work asks else, cut by a relief valve; spools snap shut."""
    asked = (
        18
        + 330 * np.where(day.work > 0.25, day.work, 0.0)
        + _lag(_holds(day.rng, day.time_s, (0.3, 2.5), (-25, 45)), day.step_s, 0.1)
    )
    return day.noisy(np.where(day.rpm > 300, np.clip(asked, 12, 320), 0.0), 1.2)


def _steps_of(values: Floats, step: float) -> Floats:
    return np.round(values / step) * step


def _excavator(rng: np.random.Generator) -> tuple[_Day, dict[str, Floats]]:
    day = _day(rng, idle=900, full=2100, system_v=24.0, governed=True)
    pump = _hydraulic_bar(day)
    return day, {
        "Engine speed [rpm]": day.rpm,
        "Pump pressure 1 [bar]": pump,
        "Pump pressure 2 [bar]": day.noisy(pump * 0.93 + 4, 1.5),
        "Pilot pressure [bar]": day.noisy(np.where(day.rpm > 300, 38.0, 0.0), 0.25),
        "Hydraulic oil temperature [°C]": day.noisy(15 + 45 * day.warm, 0.1),
        "Boom angle [°]": _lag(_holds(rng, day.time_s, (2, 9), (-20, 60)), day.step_s, 1.5),
        "Engine oil pressure [bar]": _oil_bar(day),
        "Coolant temperature [°C]": _steps_of(_coolant_c(day, 12), 1.0),
        "Battery voltage [V]": _volts(day, by_demand=False),
        "Fuel level [%]": _steps_of(_slosh(day, 62), 100 / 255),
        "Charge pressure [bar]": day.noisy(np.where(day.rpm > 300, 24.0 + day.work, 0.0), 0.3),
        "Consumer current [A]": day.noisy(_holds(rng, day.time_s, (5, 40), (4, 60)), 0.3),
    }


def _tractor(rng: np.random.Generator) -> tuple[_Day, dict[str, Floats]]:
    day = _day(rng, idle=850, full=2200, system_v=12.0, governed=True)
    speed = _lag(_holds(rng, day.time_s, (20, 120), (0, 32)) * day.runs, day.step_s, 3.0)
    boost = np.maximum(0.0, 1.5 * _lag(day.work, day.step_s, 0.9) * (day.rpm / 2200))
    return day, {
        "Motordrehzahl (1/min)": _steps_of(day.rpm, 8.0),
        "Geschwindigkeit (km/h)": speed,
        "GPS Geschwindigkeit (km/h)": np.interp(day.time_s - 1.4, day.time_s, speed),
        "Zapfwellendrehzahl (1/min)": day.rpm * 0.26 * _on(rng, day.time_s, (50, 200), 0.5),
        "Motorlast (%)": _steps_of(100 * day.work, 100 / 255),
        "Ladedruck (bar)": day.noisy(boost, 0.01),
        "Öldruck (bar)": _oil_bar(day),
        "Kühlmitteltemperatur (°C)": _coolant_c(day, -4),
        "Getriebeöltemperatur (°C)": day.noisy(-4 + 60 * day.warm, 0.1),
        "Hubwerksposition (%)": _lag(_holds(rng, day.time_s, (6, 60), (0, 100)), day.step_s, 1.0),
        "Batteriespannung (V)": _volts(day, by_demand=True),
        "Tankinhalt (%)": _slosh(day, 35),
    }


def _boat(rng: np.random.Generator) -> tuple[_Day, dict[str, Floats]]:
    day = _day(rng, idle=650, full=3600, system_v=12.0, governed=False)
    speed = _lag(np.sqrt(np.maximum(day.rpm, 0) / 3600) * 22, day.step_s, 4.0)
    return day, {
        "rpm": day.rpm,
        "oil press psi": _oil_bar(day) * 14.5,
        "water temp °F": (_coolant_c(day, 16)) * 1.8 + 32,
        "boost psi": np.maximum(
            0, 11 * _lag(day.work, day.step_s, 1.1) * day.rpm / 3600 + rng.normal(0, 0.05, len(day.rpm))
        ),
        "volts V": _volts(day, by_demand=False),
        "speed kn": speed,
        "rudder deg": _lag(_holds(rng, day.time_s, (3, 15), (-25, 25)), day.step_s, 0.7),
        "trim %": _lag(_holds(rng, day.time_s, (20, 80), (0, 60)), day.step_s, 1.2),
        "fuel level %": _slosh(day, 48),
        "fuel press psi": day.noisy(np.where(day.rpm > 60, 43.0 + 2 * day.work, 8.0), 0.3),
    }


def _generator_set(rng: np.random.Generator) -> tuple[_Day, dict[str, Floats]]:
    day = _day(rng, idle=1500, full=1500, system_v=24.0, governed=True)
    turns = np.asarray((day.rpm > 1300) * 1.0)
    power = np.asarray(_lag(_holds(rng, day.time_s, (8, 60), (0, 90)), day.step_s, 0.2) * _lag(turns, day.step_s, 0.5))
    return day, {
        "Engine speed (1/min)": day.rpm,
        "Active power (kW)": power,
        "Frequency (Hz)": day.noisy(day.rpm / 30, 0.02),
        "Oil pressure (kPa)": _oil_bar(day) * 100,
        "Oil temperature (°C)": day.noisy(20 + 75 * day.warm, 0.2),
        "Coolant temperature (°C)": _coolant_c(day, 38),
        "Exhaust temperature (°C)": day.noisy(_lag(40 + 60 * day.warm + 4.2 * power, day.step_s, 8), 1.0),
        "Crankcase pressure (mbar)": day.noisy(0.5 + 0.06 * power, 0.3),
        "Battery (V)": _volts(day, by_demand=False),
        "Day tank (%)": 60 - day.time_s / 90 + 30 * _on(rng, day.time_s, (150, 300), 0.3),
    }


def _van(rng: np.random.Generator) -> tuple[_Day, dict[str, Floats]]:
    day = _day(rng, idle=780, full=4200, system_v=12.0, governed=False)
    speed = _lag(_holds(rng, day.time_s, (8, 50), (0, 100)) * day.runs, day.step_s, 5.0)
    pedal = np.clip(100 * _lag(_holds(rng, day.time_s, (0.8, 7), (-40, 100)), day.step_s, 0.15) / 100, 0, 100)
    burning = _on(rng, day.time_s, (120, 300), 0.4)  # the filter is burnt clean
    air = float(rng.uniform(84, 102))
    manifold = air + 110 * _lag(day.work, day.step_s, 0.7) * (day.rpm > 1200)
    return day, {
        "RPM": _steps_of(day.rpm, 0.25),
        "Vehicle speed (km/h)": _steps_of(speed, 1.0),
        "Dash speed (km/h)": _steps_of(_lag(speed * 1.04 + 2 * (speed > 3), day.step_s, 0.8), 1.0),
        "Accelerator (%)": pedal,
        "Throttle (%)": _lag(np.where(burning, 35.0, 92.0) * day.runs, day.step_s, 0.3),
        "Engine load (%)": _steps_of(100 * day.work, 100 / 255),
        "MAP (kPa)": _steps_of(np.where(day.rpm > 60, manifold, air), 1.0),
        "Baro (kPa)": np.full(len(day.time_s), np.round(air)),
        "Rail pressure (bar)": day.noisy(
            np.where(day.rpm > 300, 300 + 1100 * _lag(day.work, day.step_s, 0.3), 0.0), 6.0
        ),
        "Coolant temp (°C)": _steps_of(_coolant_c(day, 21), 1.0),
        "Intake air temp (°C)": _steps_of(24 + 12 * _lag(day.work, day.step_s, 20.0), 1.0),
        "EGT before filter (°C)": day.noisy(_lag(150 + 250 * day.work + 330 * burning, day.step_s, 9.0), 2.0),
        "Gear": np.floor(np.clip(speed / 22, 0, 5)) * _on(rng, day.time_s, (2, 9), 0.92),
        "Battery voltage (V)": _volts(day, by_demand=True),
        "Air mass (mg)": day.noisy(300 + 700 * day.work, 8.0) * (day.rpm > 60),
    }


MACHINES: dict[str, Callable[[np.random.Generator], tuple[_Day, dict[str, Floats]]]] = {
    "excavator": _excavator, "tractor": _tractor, "boat": _boat, "generator set": _generator_set, "van": _van,
}  # fmt: skip
_OIL = {
    "excavator": "Engine oil pressure [bar]", "tractor": "Öldruck (bar)", "boat": "oil press psi",
    "generator set": "Oil pressure (kPa)", "van": "MAP (kPa)",
}  # fmt: skip


def _loose(day: _Day, values: Floats) -> Floats:
    out = values.copy()
    where = np.flatnonzero(day.rpm > 500)
    for at in day.rng.choice(where[20:-20], 6, replace=False):
        out[at : at + max(2, int(day.rng.uniform(0.2, 1.2) / day.step_s))] = 0.0
    return out


def _held(day: _Day, values: Floats) -> Floats:
    first = int(np.flatnonzero(day.rpm > 500)[0] + 60 / day.step_s)
    out = values.copy()
    out[first : first + int(120 / day.step_s)] = out[first]
    return out


def _rough(day: _Day, values: Floats) -> Floats:
    span = float(np.quantile(values, 0.98) - np.quantile(values, 0.02))
    return np.where(day.rpm > 500, values + day.rng.normal(0, 0.15 * span, len(values)), values)


PUT: dict[FindingKind, Callable[[_Day, Floats], Floats]] = {
    FindingKind.DROPOUT: _loose, FindingKind.STUCK: _held, FindingKind.NOISE: _rough,
}  # fmt: skip


def worked(machine: str, seed: int, kind: FindingKind | None = None, *, is_told: bool = False) -> Worked:
    """A day of that machine; the same seed gives the same. Its headings say units; told, sensors have what they cover as well."""
    rng = np.random.default_rng([seed, sorted(MACHINES).index(machine)])
    day, values = MACHINES[machine](rng)
    name = _OIL[machine]
    if kind is not None:
        values[name] = PUT[kind](day, values[name])
    channels = tuple(_channel(heading, day, value) for heading, value in values.items())
    if is_told:
        channels = tuple(replace(channel, span=_span(channel)) for channel in channels)
    return Worked(Log(channels, day.system_v), machine, kind, split_heading(name)[0])


def _span(channel: Channel) -> tuple[float, float] | None:
    """What its sensor covers, as somebody would have bought it."""
    if channel.quantity is Quantity.PRESSURE:
        most = next(
            end for end in (5, 100, 250, 700, 1000, 2500, 5000, 40_000, 250_000) if end >= 1.02 * channel.value.max()
        )
        return 0.0, float(most)
    spans = {
        Quantity.TEMPERATURE: (-40.0, 1100.0 if channel.value.max() > 150 else 150.0),
        Quantity.SHARE: (0.0, 100.0),
        Quantity.ANGLE: (-90.0, 90.0),
    }
    return None if channel.quantity is None else spans.get(channel.quantity)


def _channel(heading: str, day: _Day, value: Floats) -> Channel:
    name, written = split_heading(heading)
    unit = log_unit(written) if written else None
    fixed = value if unit is None else value * unit.scale + unit.offset
    return Channel(
        name=name,
        unit=written if unit is None else unit.label,
        quantity=None if unit is None else unit.quantity,
        sense=sense_of(name, unit),
        time_s=day.time_s,
        value=fixed.astype(np.float32),
        base=None if unit is None else unit.base,
    )
