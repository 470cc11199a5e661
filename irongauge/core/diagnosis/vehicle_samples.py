"""What good circuits of one vehicle differ by, whatever sensor is on them: battery, grounds, leads, the wires themselves."""

from __future__ import annotations

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.parameters import NOT_THERE, Generator, Parameters, coin, log_uniform
from irongauge.core.diagnosis.role_points import Array

__all__ = ["vehicle_samples"]

_EARTH_V, _EARTH_TAIL_V = 0.013, 0.03  # 13 mV in two of three, 56 mV in one of twenty


def vehicle_samples(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """`n` samples of a vehicle, and of each pin's wire, each `(n,)`."""
    p = {
        "battery_v": _battery_v(subject, n, rng),
        "earth_v": _earth_v(np.abs(rng.normal(0.0, 1.0, n))),
        "earth_ohm": rng.uniform(0.04, 0.5, n),
        "on": np.ones(n),
        "constant_feed": coin(rng, n).astype(float),
        "jumper_ohm": log_uniform(rng, 0.03, 0.5, n),  # a short lead, and what two clips make on it
        "shield_controller_ohm": rng.uniform(0.1, 1.0, n),
        "shield_sensor_ohm": np.full(n, NOT_THERE),
    }
    for pin in subject.pins:
        p |= {
            f"wire.{pin}": rng.uniform(0.03, 0.15, n),
            f"to_ground.{pin}": np.full(n, NOT_THERE),
            f"to_battery.{pin}": np.full(n, NOT_THERE),
        }
    return p


def _earth_v(deviates: Array) -> Array:
    """How far a good controller's own ground lies above battery negative: what its own current makes in its own ground wire.

    Two thirds are within some millivolts; one in twenty has 40 to 80 mV, which is ordinary where the controller drives much.
    """
    return np.asarray(_EARTH_V * deviates + _EARTH_TAIL_V * np.maximum(deviates - 1.0, 0.0))


def _battery_v(subject: CircuitUnderTest, n: int, rng: Generator) -> Array:
    """As found, give or take what it does while one works; else anything that a battery at rest is met at."""
    if subject.battery_v is not None:
        return subject.battery_v + rng.uniform(-0.1, 0.1, n)
    return rng.uniform(11.4, 13.5, n) * subject.system_v / 12
