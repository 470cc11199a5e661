"""Makes of parts that behave otherwise than the circuit model supposes, kept out of it on purpose.

A test against what the model itself draws proves only that it agrees with itself. Each make here bends a healthy circuit's
parameters beyond what the model draws, or what its instruments show, and nothing of it may be added to the model: it is what
`./iron measure diagnosis` reports on apart.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from irongauge.core.diagnosis.parameters import Parameters
from irongauge.core.diagnosis.role_points import NO_CONTACT_V, Kind

__all__ = ["MAKES", "Make"]

Generator = np.random.Generator


@dataclass(frozen=True)
class Make:
    """One behaviour: what it does to a circuit's parameters, and to what is shown of a kind of answer."""

    name: str
    bend: Callable[[Parameters, Generator], None] = lambda _p, _rng: None
    shown: Callable[[Kind, float, Generator], float] = lambda _kind, value, _rng: value


def _each(p: Parameters, prefix: str, low: float, high: float, rng: Generator) -> None:
    for name in [n for n in p if n.startswith(prefix)]:
        p[name] = p[name] * rng.uniform(low, high)


def _set(name: str, low: float, high: float) -> Callable[[Parameters, Generator], None]:
    def bend(p: Parameters, rng: Generator) -> None:
        if name in p:
            p[name] = np.full_like(p[name], rng.uniform(low, high))

    return bend


def _times(name: str, low: float, high: float) -> Callable[[Parameters, Generator], None]:
    return lambda p, rng: _each(p, name, low, high, rng)


def _tied_hard(p: Parameters, rng: Generator) -> None:
    if "idle_supply_ohm" in p:
        p["idle_supply_ohm"] = np.full_like(p["idle_supply_ohm"], rng.uniform(80, 400))
        p["supply_diode"] = np.ones_like(p["supply_diode"])


def _coarse_converter(kind: Kind, value: float, _rng: Generator) -> float:
    """Eight bits that read half a step low."""
    if kind is not Kind.LIVE_VOLTS or value == NO_CONTACT_V:
        return value
    step = 5.0 / 255
    return max(0.0, math.floor(value / step) * step)


def _offset_converter(kind: Kind, value: float, _rng: Generator) -> float:
    return value if kind is not Kind.LIVE_VOLTS or value == NO_CONTACT_V else max(0.0, value - 0.018)


def _cheap_meter(kind: Kind, value: float, rng: Generator) -> float:
    """One percent and five digits, always wrong the same way by half of it."""
    if kind not in {Kind.VOLTS, Kind.BATTERY_VOLTS}:
        return value
    return value * (1.005 + float(rng.normal(0, 0.002))) + 0.002


def _other_lamp(kind: Kind, value: float, _rng: Generator) -> float:
    return value * 1.18 if kind is Kind.GLOW else value


MAKES = (
    Make("an output that is shorted low without supply", _set("idle_return_ohm", 8, 50)),
    Make("an output tied hard to its supply pin without supply", _tied_hard),
    Make("an output that needs nearly all of its supply", _set("least_supply_v", 4.45, 4.65)),
    Make("a regulator that folds to a half", _set("supply_fold", 0.5, 0.65)),
    Make("a regulator that sags under load", _set("supply_ohm", 1.0, 1.8)),
    Make("a sensor that takes much current", _times("sensor_ohm", 0.25, 0.45)),
    Make("a converter of eight bits", shown=_coarse_converter),
    Make("a converter that reads low", shown=_offset_converter),
    Make("a converter with another full scale", _times("converter_gain.", 0.988, 1.012)),
    Make("a cheap meter", shown=_cheap_meter),
    Make("a lamp of more current", shown=_other_lamp),
    Make("a thermistor of five percent", _times("ntc_factor", 0.95, 1.05)),
    Make("wires with old joints", _times("wire.", 3, 8)),
    Make("a controller whose ground lies high", _set("earth_v", 0.03, 0.045)),
)
