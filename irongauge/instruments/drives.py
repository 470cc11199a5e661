"""A simulated vehicle with a logger in it: driven from key on through a start, idling and work at changing loads.

Made from the vehicle's own physics: a shaft with inertia, a turbine that lags, oil that thins as it warms, a thermostat. The
logger rounds to its steps, and what it measures has the noise that an engine makes. It knows nothing of how a log is judged.
"""

# ruff: noqa: PLR2004  a made vehicle's own figures

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.senses import Sense

Floats = NDArray[np.float64]

__all__ = ["AIR_KPA", "LOGGED", "Drive", "drive", "follow", "recorded"]

AIR_KPA = 101.2


@dataclass
class Drive:
    """A drive: times, the true value of each channel, and where the engine runs."""

    time_s: Floats
    values: dict[str, Floats]
    rng: np.random.Generator
    running: NDArray[np.bool_]

    @property
    def rate(self) -> float:
        return 1.0 / float(self.time_s[1] - self.time_s[0])


# Name: sense, quantity, unit, base, what its sensor covers, one standard deviation of its noise, step of the log.
LOGGED: dict[str, tuple[Sense, Quantity | None, str, PressureBase | None, tuple[float, float] | None, float, float]] = {
    "Engine speed": (Sense.ENGINE_SPEED, None, "rpm", None, None, 6.0, 1.0),
    "Load": (Sense.LOAD, Quantity.SHARE, "%", None, None, 0.2, 0.4),
    "Road speed": (Sense.ROAD_SPEED, None, "km/h", None, None, 0.1, 0.1),
    "Coolant temperature": (Sense.COOLANT_TEMPERATURE, Quantity.TEMPERATURE, "°C", None, (-40, 150), 0.05, 1.0),
    "Oil temperature": (Sense.OIL_TEMPERATURE, Quantity.TEMPERATURE, "°C", None, (-40, 160), 0.1, 0.5),
    "Air temperature": (Sense.AIR_TEMPERATURE, Quantity.TEMPERATURE, "°C", None, (-40, 130), 0.1, 0.5),
    "Oil pressure": (Sense.OIL_PRESSURE, Quantity.PRESSURE, "kPa", PressureBase.GAUGE, (0, 1000), 4.0, 0.5),
    "Fuel pressure": (Sense.FUEL_PRESSURE, Quantity.PRESSURE, "kPa", PressureBase.GAUGE, (0, 700), 3.0, 0.5),
    "Boost": (Sense.BOOST_PRESSURE, Quantity.PRESSURE, "kPa", PressureBase.ABSOLUTE, (20, 250), 0.8, 0.1),
    "Crankcase pressure": (Sense.CRANKCASE_PRESSURE, Quantity.PRESSURE, "kPa", PressureBase.GAUGE, (-5, 10), 0.05, 0.02),
    "Coolant pressure": (Sense.COOLANT_PRESSURE, Quantity.PRESSURE, "kPa", PressureBase.GAUGE, (0, 300), 0.8, 0.2),
    "Barometer": (Sense.BAROMETER, Quantity.PRESSURE, "kPa", PressureBase.ABSOLUTE, (50, 120), 0.05, 0.02),
    "Sensor reference": (Sense.REFERENCE_VOLTS, Quantity.VOLTAGE, "V", None, (4.5, 5.5), 0.003, 0.001),
    "Battery": (Sense.BATTERY_VOLTS, Quantity.VOLTAGE, "V", None, None, 0.02, 0.01),
}  # fmt: skip


def drive(
    rng: np.random.Generator,
    seconds: float,
    rate: float,
    *,
    is_cold: bool,
    air_kpa: float = AIR_KPA,
    of_vehicle: np.random.Generator | None = None,
) -> Drive:
    """A vehicle from key on through a start, idling, and work at changing loads.

    `of_vehicle` draws what belongs to the vehicle, so that several drives may be of one; without it each is of another.
    """
    own = rng if of_vehicle is None else of_vehicle
    n = int(seconds * rate)
    t = np.arange(n) / rate
    start_s, crank_s = rng.uniform(4, 12), rng.uniform(0.6, 1.6)
    stop_s = seconds - rng.uniform(5, 15) if rng.random() < 0.5 else np.inf
    running = (t >= start_s + crank_s) & (t < stop_s)
    cranking = (t >= start_s) & (t < start_s + crank_s)
    # What the driver asks for: pieces of some seconds, some short stabs, and idling between.
    asked = np.zeros(n)
    at = start_s + rng.uniform(8, 25)
    while at < seconds:
        length = float(rng.choice([rng.uniform(0.6, 2.5), rng.uniform(5, 40)]))
        level = float(rng.choice([0.0, rng.uniform(10, 60), rng.uniform(60, 100)], p=[0.3, 0.45, 0.25]))
        asked[(t >= at) & (t < at + length)] = level
        at += length + (rng.uniform(0, 6) if rng.random() < 0.4 else 0.0)
    load = follow(asked, rate, rng.uniform(0.08, 0.3))
    wobble = follow(rng.normal(0, 1, n), rate, 1.5) * np.sqrt(rate) * 1.2
    load = np.clip(np.where(running, load + np.where(load > 3, wobble, 0) + 8, 0), 0, 100)
    idle = own.uniform(620, 900)
    gear = np.repeat(rng.uniform(10, 30, n // int(rate * 12) + 1), int(rate * 12))[:n]
    rpm = follow(
        np.where(running, idle + (load - 8) * gear * 0.9, np.where(cranking, 220, 0)), rate, rng.uniform(0.25, 0.7)
    )
    rpm = np.where(
        cranking, 200 + 40 * np.sin(2 * np.pi * 3 * t), np.where(running, rpm, np.where(t < start_s, 0, rpm))
    )
    rpm[rpm < 30] = 0
    speed = np.maximum(follow(np.where(load > 20, (rpm - idle) / gear / 3, 0), rate, 4.0), 0)
    heat = follow(np.where(running, 1.0, 0.0) + load / 60, rate, rng.uniform(80, 250))
    first = rng.uniform(-5, 35) if is_cold or rng.random() < 0.7 else rng.uniform(60, 80)
    air = min(first, rng.uniform(0, 30))
    coolant = np.minimum(first + heat * 75, 84 + 3 * np.sin(2 * np.pi * t / rng.uniform(40, 90)) + heat * 2)
    coolant = np.maximum(coolant, min(first, 80))
    oil_t = first + (coolant - first) * 0.2 + follow((coolant - first) * 0.8 + load * 0.12, rate, 60)
    thin = np.exp(-(oil_t - 20) / 75)
    oil = np.where(rpm > 0, np.minimum(80 + rpm * 0.17 * (0.45 + thin), 480 + 0.01 * rpm), 0)
    oil = follow(oil, rate, 0.25)
    boost = follow(
        air_kpa + np.where(running, (load / 100) ** 1.4 * np.clip(rpm / 1600, 0, 1) * 110 - 2, 0),
        rate,
        own.uniform(0.3, 0.9),
    )
    primed = t >= rng.uniform(0.5, 2.0)
    fuel = follow(np.where(primed, 380.0 - load * own.uniform(0.05, 0.25), 0.0), rate, 0.4)
    crank = follow(np.where(running, 0.3 + load * own.uniform(0.004, 0.012), 0), rate, 0.8)
    cool_p = np.maximum(0, (coolant - 20) * own.uniform(0.8, 1.5)) + rpm * 0.004
    volts = np.where(running, 14.2 - 0.0008 * load, np.where(cranking, 10.2 + 0.5 * np.sin(2 * np.pi * 3 * t), 12.5))
    volts = follow(volts, rate, 0.3) if rate > 10 else volts
    height = np.cumsum(speed / 3.6 / rate * rng.uniform(-0.02, 0.02))
    values = {
        "Engine speed": rpm, "Load": load, "Road speed": speed, "Coolant temperature": coolant, "Oil temperature": oil_t,
        "Air temperature": air + heat * 9 + (boost - air_kpa) * 0.1, "Oil pressure": oil, "Fuel pressure": fuel, "Boost": boost,
        "Crankcase pressure": crank, "Coolant pressure": cool_p, "Barometer": air_kpa - height * 0.012, "Battery": volts,
        "Sensor reference": np.full(n, own.uniform(4.97, 5.03)),
    }  # fmt: skip
    return Drive(t, values, rng, running)


def follow(asked: Floats, rate: float, tau_s: float) -> Floats:
    """A first-order lag, by the exact step of its time constant; begins where it is asked to be."""
    share = 1 - float(np.exp(-1 / (rate * tau_s)))
    found, at = [], float(asked[0])
    for value in asked.tolist():
        at += share * (value - at)
        found.append(at)
    return np.array(found)


def recorded(made: Drive) -> dict[str, Floats]:
    """What the logger wrote: with noise, in its steps."""
    found = {}
    for name in made.values:
        base = name.split(" 2")[0].split(" 3")[0]
        _, _, _, _, span, sigma, step = LOGGED[base]
        clean = made.values[name]
        resting = (clean == 0) | (
            ~made.running & (base in {"Oil pressure", "Crankcase pressure"}) & (np.abs(clean) < 1)
        )
        pulses = sigma * np.where(made.running, 1.0, 0.35)
        value = clean + np.where(resting & (base != "Barometer"), 0.15, 1.0) * pulses * made.rng.normal(
            0, 1, len(clean)
        )
        if base in {"Engine speed", "Load", "Road speed"}:
            value = np.where(clean <= 0, 0, np.maximum(value, 0))
        if span is not None:
            value = np.clip(value, span[0], span[1])
        found[name] = np.round(value / step) * step
    return found
