"""What hangs on a controller's input, and how far it moves a sensor's own volts."""

from __future__ import annotations

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.wiring import track_ohm
from irongauge.core.sensors.circuits import Role

__all__ = ["loaded_v"]

_STRONGEST_OHM = 4700.0  # a pull-up of an amplified sensor's input that nobody wrote down
_WEAKEST_OHM = 90_000.0  # a pull-down that nobody wrote down is no stronger
_OUTPUT_OHM = 150.0  # of an amplified output, at most


def loaded_v(case: BenchCase, volts: float) -> float:
    """What a sensor's own `volts` become with its input on them: a pull-up lifts a wiper, a pull-down lowers it.

    A divider of the source's inner ohms and the input's; a wiper's are those of both parts of its track beside each other.
    """
    inner_ohm = _OUTPUT_OHM
    ohm = track_ohm(case)
    if ohm is not None:
        share = min(max(volts / case.circuit.reference_v, 0.0), 1.0)
        inner_ohm += ohm * share * (1 - share)
    to_v, load_ohm = _load(case)
    return volts + (to_v - volts) * inner_ohm / (inner_ohm + load_ohm)


def _load(case: BenchCase) -> tuple[float, float]:
    """What the input pulls to and through how much, by the card; where it says nothing, the most that the readings allow."""
    pull_up = case.circuit.pull_up
    if pull_up is not None:
        return pull_up.to_v, pull_up.resistance_ohm
    signal = case.pin_of(Role.SIGNAL)
    if signal is not None and not case.circuit.unpulled and case.is_driven(signal.cavity):
        return case.at(Action.OPEN_V, Role.SIGNAL) or 0.0, _STRONGEST_OHM
    return 0.0, _WEAKEST_OHM
