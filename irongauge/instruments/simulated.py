"""A simulated vehicle: one circuit with a hidden fault, hidden sizes and a noisy meter.

It obeys the same network as the reasoning, so it tests the weighing of evidence, not the physics; that is checked
against a circuit simulator and against readings of other origin. What it does not imitate: anything that changes with
time, and a technician who probes the wrong pin, unless `slip` says so.
"""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from irongauge.core.bench.actions import Action
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.catalogue import draw, faults_of
from irongauge.core.diagnosis.changes import change
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY
from irongauge.core.diagnosis.model import bench_of
from irongauge.core.diagnosis.parameters import Parameters
from irongauge.core.diagnosis.role_points import (
    BRIGHT_ABOVE_A,
    DARK_BELOW_A,
    NO_CONTACT_V,
    WORDS,
    Kind,
    Observation,
    PredictedPart,
    RolePoint,
)
from irongauge.core.measure.entry import NO_DATA
from irongauge.core.measure.quantities import TestPoint
from irongauge.instruments.makes import Make

__all__ = ["Habits", "SimulatedVehicle"]

_METER_SHARE, _METER_V, _METER_OHM = 0.002, 0.0005, 0.1
_LIVE_STEP_V = 5.0 / 1023
_OVER_RANGE_OHM = 6e7
_WORDED = {Kind.GLOW, Kind.WORD}
_OHMED = {Kind.OHMS, Kind.DATA_OHMS, Kind.SENSOR_OHMS, Kind.THERMISTOR_OHMS}


class Habits(StrEnum):
    """How the hidden circuit is drawn: as the reasoning supposes, or wider and in other shapes, as the world may be."""

    AS_SUPPOSED = "as supposed"
    OTHER = "other"


class SimulatedVehicle:
    """A circuit with `fault` hidden in it. The same seed is the same vehicle; two askings of one check differ by noise."""

    def __init__(
        self,
        subject: CircuitUnderTest,
        fault: str = HEALTHY,
        seed: int = 0,
        *,
        slip: float = 0.0,
        habits: Habits = Habits.AS_SUPPOSED,
        make: Make | None = None,
    ) -> None:
        """`fault` may be two joined by a plus. `slip` is the share of answers that come from another pin or have a wrong
        digit, as a hurried person's do. `make` is a behaviour that the reasoning does not know.
        """
        hidden = fault.split(DOUBLE_JOIN)
        unknown = [f for f in hidden if f not in faults_of(subject)]
        if unknown:
            msg = f"a {subject.family} circuit has no fault {unknown[0]!r}"
            raise ValueError(msg)
        self.subject = subject
        self.fault = fault
        self._rng = np.random.default_rng(seed)
        self._slip = slip
        p = draw(subject, (HEALTHY,), 1, self._rng)
        if habits is Habits.OTHER:
            _draw_otherwise(p, self._rng)
        self._make = make
        if make is not None:
            make.bend(p, self._rng)
        for one in hidden:
            change(p, one, slice(0, 1), 1, self._rng)
            if habits is Habits.OTHER:
                _size_otherwise(p, one, self._rng)
        self._live_wire = any(p[f"to_battery.{pin}"][0] < 1e6 for pin in subject.pins) and p["constant_feed"][0] > 0  # noqa: PLR2004
        self._bench = bench_of(subject, p)

    def ask(self, role_point: RolePoint) -> dict[str, Observation]:
        """What the technician reads, part by part; empty where the circuit does not have that check."""
        wrong_digit = False
        if self._slip and self._rng.random() < self._slip:
            others = [pin for pin in self.subject.pins if pin != role_point.pin]
            wrong_digit = role_point.kind not in _AT_ANY_PIN or self._rng.random() < 0.5  # noqa: PLR2004  one kind or the other
            if not wrong_digit:
                role_point = RolePoint(role_point.kind, str(self._rng.choice(others)), role_point.state)
        parts = self._bench.read(role_point).items()
        return {name: self._noisy(role_point, part, wrong_digit=wrong_digit) for name, part in parts}

    def _noisy(self, role_point: RolePoint, part: PredictedPart, *, wrong_digit: bool) -> Observation:
        value = float(part.values[0])
        if self._make is not None:
            value = self._make.shown(part.kind, value, self._rng)
        if value == NO_CONTACT_V:
            return None
        if part.kind in _WORDED:
            return self._in_a_word(role_point, part.kind, value)
        if wrong_digit:
            value *= float(self._rng.choice([0.1, 0.5, 10.0]))
        return self._as_shown(part.kind, value)

    def _in_a_word(self, role_point: RolePoint, kind: Kind, value: float) -> Observation:
        if kind is Kind.WORD:
            return WORDS[role_point.kind][value]
        current_a = abs(value) * (1 + self._rng.normal(0, 0.03))
        return "dark" if current_a < DARK_BELOW_A else "dim" if current_a < BRIGHT_ABOVE_A else "bright"

    def _as_shown(self, kind: Kind, value: float) -> Observation:
        if kind in _OHMED:
            if self._live_wire and kind is Kind.OHMS:
                return "voltage present"
            return "OL" if value > _OVER_RANGE_OHM else abs(self._read(value, _METER_OHM))
        if kind is Kind.LIVE_VOLTS:
            return round(value / _LIVE_STEP_V) * _LIVE_STEP_V
        if kind in {Kind.LIVE_VALUE, Kind.PERCENT}:
            return value
        if kind is Kind.THERMO_MILLIVOLTS:
            return self._read(value, 0.02)
        return self._read(value, 1.0 if kind is Kind.MILLIVOLTS else _METER_V)

    def _read(self, value: float, least: float) -> float:
        return float(value + self._rng.normal(0, _METER_SHARE * abs(value) / np.sqrt(3) + least / np.sqrt(3)))


def read_test_point(vehicle: SimulatedVehicle, wiring: Wiring, test_point: TestPoint) -> float | str:
    """One test point of the Bench as the vehicle gives it: a number in its unit, or a word. The lamp is always good."""
    if test_point.action == Action.BATTERY_LAMP:
        return "bright"
    role_point = RolePoint("battery_v")
    if test_point.action != Action.BATTERY_V:
        found = wiring.role_point_of(test_point)
        assert found is not None  # nothing else is asked for
        role_point = RolePoint(found.kind, wiring.assignments[0].get(found.pin, found.pin), found.state)
    part = wiring.part_of(role_point, test_point)
    value = vehicle.ask(role_point)[part]
    if value is None:
        return NO_DATA
    return value / 1000 if part == "mv" and isinstance(value, float) else value


def _draw_otherwise(p: Parameters, rng: np.random.Generator) -> None:
    """Redraw a healthy circuit's scatter: wider, flat where the reasoning supposes bells, in decades where it is flat."""
    spans = {
        "battery_v": (0.985, 1.02), "supply_v": (0.982, 1.018), "internal_v": (0.985, 1.015), "supply_ohm": (0.5, 2.0),
        "supply_limit_a": (0.7, 1.8), "sharers_ohm": (0.6, 1.8), "sensor_ohm": (0.7, 1.5), "output_ohm": (0.3, 2.5),
        "pot_ohm": (0.93, 1.07), "ntc_factor": (0.98, 1.02), "switch_ohm": (0.5, 2.0), "loose_vac": (0.95, 1.05),
        "kind": (0.992, 1.008), "leak_ohm": (0.5, 2.0),
    }  # fmt: skip
    for name, span in spans.items():
        if name in p:
            p[name] = p[name] * rng.uniform(*span)
    for name in [n for n in p if n.startswith("wire.")]:
        p[name] = np.array([10 ** rng.uniform(-2, -0.4)])
    p["earth_v"] = np.array([abs(rng.normal(0, 0.012))])
    for name in ("offset", "gain"):
        if name in p:
            p[name] = np.array([(name == "gain") + rng.uniform(-0.008, 0.008)])


# Sizes of faults: the range in which they are drawn, evenly in the cube root: neither flat nor even in every decade.
_SIZES = {
    "resistance": ("wire", 4.0, 8e4), "short_ground": ("to_ground", 0.05, 60.0), "short_battery": ("to_battery", 0.05, 30.0),
    "short_reference": ("to_reference", 0.05, 30.0),
}  # fmt: skip


def _size_otherwise(p: Parameters, fault: str, rng: np.random.Generator) -> None:
    pin, _, kind = fault.partition("_")
    if kind in _SIZES and f"{_SIZES[kind][0]}.{pin}" in p:
        name, low, high = _SIZES[kind]
        p[f"{name}.{pin}"] = np.array([rng.uniform(low ** (1 / 3), high ** (1 / 3)) ** 3])
    elif fault in {"sensor_range", "output_scaling"}:
        p["range_low"] = rng.choice([0.0, 0.0, -0.1, 0.1, 0.2], 1)
        p["range_span"] = rng.choice([0.4, 0.5, 0.6, 0.75, 1.3, 1.5, 2.0, 2.5, 3.0], 1) * rng.uniform(0.95, 1.05)
    elif fault == "return_on_body":
        p["body_v"] = np.array([rng.triangular(0.03, 0.15, 0.8)])
    elif fault == "sharer_short":
        p["sharer_short_ohm"] = np.array([rng.triangular(0.2, 10, 50)])
    elif fault == "reference_wrong":
        p["supply_v"] = p["supply_v"] * 0 + rng.choice([rng.uniform(0, 4.3), rng.uniform(5.6, 7.5)])


_AT_ANY_PIN = {"open_v", "lamp_negative", "lamp_positive", "off_ohm", "mated_v", "mated_dc", "leg_ohm"}
