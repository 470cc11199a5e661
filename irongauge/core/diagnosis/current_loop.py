"""A two-wire current sensor: it lets as much current through as its value says, whatever the wires add, and a shunt makes volts.

    supply ──[wire]── h.reference ──(4 to 20 mA)── h.signal ──[wire]── in.signal ──[shunt]── earth

Below 3.6 mA and above 21 mA it says that it has failed (NAMUR NE 43); 4 to 20 mA are those of IEC 60381-1. It needs some
volts to work with, so a resistance in its wires shows only once it leaves too few.
"""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import REFERENCE, SIGNAL, CircuitUnderTest
from irongauge.core.diagnosis.network import Network, Solution
from irongauge.core.diagnosis.parameters import NOT_THERE, Generator, Parameters
from irongauge.core.diagnosis.role_points import Array, RolePoint
from irongauge.core.diagnosis.wired import wired_faults, wired_samples
from irongauge.core.sensors.transfer import LOOP_MA

__all__ = [
    "KILOHM",
    "loop_faults",
    "loop_required",
    "loop_role_points",
    "loop_samples",
    "loop_sensor",
    "sensor_ma",
    "through_ma",
]

LOOP_FAULTS = (
    f"{SIGNAL}_shunt_missing", f"{SIGNAL}_shunt_wrong", "loop_low", "loop_high", "loop_short", "loop_stuck", "loop_offset",
    "sensor_gain", "sensor_range",
)  # fmt: skip
KILOHM = 1000.0  # a resistor that takes the sensor's place: about half of 20 mA from 12 V
_LEAST_MA, _MOST_MA = 3.6, 21.5  # what a good sensor is held between
_KNEE_OHM = 25.0  # over so many volts per ampere it comes to its current
_LEAST_OFF_MA = 0.01  # what the best of them are trimmed to
_FULL_V = 5.0  # what the shares of the curve are of


def loop_parameters(tolerance_share: float, n: int, rng: Generator) -> Parameters:
    """What good loops differ by, each `(n,)`: volts that they need, what they let through beside, ohms, current.

    The current's own scatter is the part of the tolerance that is not in the gain, at two standard deviations.
    """
    low_ma, high_ma = LOOP_MA
    return {
        "lift_off_v": rng.uniform(5.0, 8.2, n),
        "bypass_ohm": np.full(n, NOT_THERE),
        "offset_ma": rng.normal(0.0, max(_LEAST_OFF_MA, tolerance_share / 4 * (high_ma - low_ma)), n),
        "stuck_ma": np.full(n, np.nan),
        "kilohm": KILOHM * (1 + rng.uniform(-0.03, 0.03, n)),
    }


def sensor_ma(subject: CircuitUnderTest, p: Parameters, value: float) -> Array:
    """The current that the sensor sets at a value, in mA, with its fault."""
    curve, known = subject.curve, subject.inputs[SIGNAL]
    assert curve is not None  # a loop has one
    assert known.ohm is not None  # and its shunt is on the card
    place = ((value - curve.value_low) / curve.span - p["range_low"]) / p["range_span"] * p["gain"]
    nominal_ma = np.asarray(curve.share_at(np.clip(place, -0.1, 1.2))) * _FULL_V / known.ohm * 1000
    made = np.clip(nominal_ma + p["offset_ma"], _LEAST_MA, _MOST_MA)
    return np.where(np.isnan(p["stuck_ma"]), made, p["stuck_ma"])


def loop_sensor(net: Network, subject: CircuitUnderTest, p: Parameters, value: float) -> None:
    """Add the sensor, put to a value."""
    reference, signal = f"h.{REFERENCE}", f"h.{SIGNAL}"
    net.two_wire(reference, signal, sensor_ma(subject, p, value) / 1000, p["lift_off_v"], _KNEE_OHM)
    net.resistor(reference, signal, p["bypass_ohm"])


def through_ma(subject: CircuitUnderTest, p: Parameters, solution: Solution, value: float) -> Array:
    """What a meter in the loop shows, in mA: with too few volts across it the sensor lets less through than it should."""
    across_v = solution.across(f"h.{REFERENCE}", f"h.{SIGNAL}")
    most = np.maximum(across_v - p["lift_off_v"], 0.0) / _KNEE_OHM
    return np.minimum(sensor_ma(subject, p, value) / 1000, most) * 1000 + across_v / p["bypass_ohm"] * 1000


# What the catalogue, the strategy and the samples know of the family


def loop_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a current loop, `healthy` first."""
    return wired_faults(subject, LOOP_FAULTS)


def loop_samples(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """`n` good loops, each parameter `(n,)`."""
    return wired_samples(subject, n, rng) | loop_parameters(subject.tolerance_share, n, rng)


def loop_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check of a loop. No lamp and no jumper from the supply on the signal: the shunt at the input is made for 20 mA."""
    at_pins = [RolePoint(kind, pin) for kind in ("open_v", "off_ohm") for pin in subject.pins]
    live = [RolePoint("live", SIGNAL, drive) for drive in ("unplugged", "kilohm")]
    plugged = [RolePoint("mated_v", pin, state) for pin in subject.pins for state in subject.states]
    follows = [
        RolePoint(kind, pin, s) for kind, pin in (("loop_ma", ""), ("mated_live", SIGNAL)) for s in subject.states
    ]
    sharers = [RolePoint("sharers_off_v", REFERENCE)] if subject.others_on_reference else []
    return (*at_pins, RolePoint("lamp_negative", REFERENCE), *live, *plugged, *follows, *sharers)


def loop_required(subject: CircuitUnderTest, _driven: Collection[str]) -> tuple[RolePoint, ...]:
    """What proves a loop."""
    plugged = [RolePoint(kind, SIGNAL, state) for kind in ("mated_v", "mated_live") for state in subject.states]
    return (RolePoint("open_v", REFERENCE), RolePoint("lamp_negative", REFERENCE), RolePoint("open_v", SIGNAL),
            RolePoint("off_ohm", SIGNAL), RolePoint("live", SIGNAL, "kilohm"),
            RolePoint("mated_v", REFERENCE, subject.states[0]), *plugged)  # fmt: skip
