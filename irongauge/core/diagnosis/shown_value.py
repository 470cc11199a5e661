"""What a live data reader makes of a value: where it stops at either end, and what it shows once a fault is set.

Where nobody has said it, half of the samples have a reader that stops at the ends of the sensor's curve and half one that
goes on, so that a value at an end is taken for "at or beyond" until the volts behind it are known.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import SIGNAL, CircuitUnderTest
from irongauge.core.diagnosis.role_points import Array

__all__ = ["HEAT_SHOWN_DEGC", "reader_parameters", "shown_value", "stopped"]

HEAT_SHOWN_DEGC = (-40.0, 150.0)  # where temperature channels usually stop
_NO_STOP = 1e9  # beyond any value: a reader that goes on
_SEED = 5  # its own numbers, so that what a reader shows changes no other draw
# Between the ends of the curve and of the input: where controllers set a fault, as far as their makers say.
_FAULT_BELOW, _FAULT_ABOVE = (0.3, 0.95), (0.05, 0.7)


def reader_parameters(subject: CircuitUnderTest, per_fault: int, faults: int) -> Mapping[str, Array]:
    """Where the reader of each sample stops, `(faults·per_fault,)`, and the volts beyond which it shows a fault."""
    curve, reader = subject.curve, subject.reader
    rng = np.random.default_rng(_SEED)
    stops = rng.permutation(np.arange(per_fault) % 2 == 0)
    below, above = rng.uniform(*_FAULT_BELOW, per_fault), rng.uniform(*_FAULT_ABOVE, per_fault)
    low, high = (-_NO_STOP, _NO_STOP) if curve is None else sorted((curve.value_low, curve.value_high))
    found = {
        "reader_least": np.where(stops, low, -_NO_STOP) if reader.least is None else np.full(per_fault, reader.least),
        "reader_most": np.where(stops, high, _NO_STOP) if reader.most is None else np.full(per_fault, reader.most),
    }
    if reader.fault_value is not None and (curve is not None or subject.thermistor is not None):
        shares = (0.04, 0.96) if curve is None else sorted((curve.share_low, curve.share_high))
        found["fault_below_v"] = below * shares[0] * 5.0
        found["fault_above_v"] = (shares[1] + above * (1 - shares[1])) * 5.0
    return {name: np.tile(values, faults) for name, values in found.items()}


def shown_value(subject: CircuitUnderTest, p: Mapping[str, Array], signal: str, value: Array, volts: Array) -> Array:
    """What is shown of a value in the channel's unit, given the volts that it is made of."""
    if subject.is_thermistor(signal) and signal != SIGNAL:
        return np.clip(value, *HEAT_SHOWN_DEGC)  # nobody is asked about a second channel
    least, most = p["reader_least"], p["reader_most"]
    if subject.is_thermistor(signal):
        least, most = (np.where(np.abs(end) == _NO_STOP, usual, end)
                       for end, usual in zip((least, most), HEAT_SHOWN_DEGC, strict=True))  # fmt: skip
    shown = np.clip(value, least, most)
    if "fault_below_v" not in p:
        return shown
    out = (volts < p["fault_below_v"]) | (volts > p["fault_above_v"])
    return np.where(out, subject.reader.fault_value or 0.0, shown)


def stopped(subject: CircuitUnderTest, signal: str, value: Array) -> Array:
    """A value as a reader shows it whose ends somebody has told, without regard to faults."""
    if signal != SIGNAL:
        return value
    least, most = subject.reader.least, subject.reader.most
    return np.clip(value, -np.inf if least is None else least, np.inf if most is None else most)
