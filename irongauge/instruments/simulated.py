"""A simulated vehicle: one circuit with a hidden fault, hidden sizes and a noisy meter.

It obeys the same network as the reasoning, so it tests the weighing of evidence, not the physics; that is checked
against a circuit simulator and against readings of other origin. What it does not imitate: anything that changes with
time, and a technician who probes the wrong pin, unless `slip` says so.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irongauge.core.diagnosis.catalogue import HEALTHY, draw, faults_of
from irongauge.core.diagnosis.checks import (
    BRIGHT_ABOVE_A,
    DARK_BELOW_A,
    NO_CONTACT_V,
    Check,
    Kind,
    Observation,
    Predicted,
)
from irongauge.core.diagnosis.electrical import Bench
from irongauge.core.diagnosis.reluctance import STATUS, CoilBench
from irongauge.core.diagnosis.subject import MINUS, PLUS, REFERENCE, Subject, SubjectFamily

__all__ = ["SimulatedVehicle", "checks_of"]

_METER_SHARE, _METER_V, _METER_OHM = 0.002, 0.0005, 0.1
_LIVE_STEP_V = 5.0 / 1023
_OVER_RANGE_OHM = 6e7
_WORDED = {Kind.GLOW, Kind.WORD}
_OHMED = {Kind.OHMS, Kind.SENSOR_OHMS, Kind.THERMISTOR_OHMS}
_POLARITY = {1.0: "+", -1.0: "-", 0.0: "none"}


class SimulatedVehicle:
    """A circuit with `fault` hidden in it. The same seed is the same vehicle; two askings of one check differ by noise."""

    def __init__(self, subject: Subject, fault: str = HEALTHY, seed: int = 0, slip: float = 0.0) -> None:
        """`slip` is the share of answers that come from another pin or a wrong digit, as a hurried person's do."""
        if fault not in faults_of(subject):
            msg = f"a {subject.family} circuit has no fault {fault!r}"
            raise ValueError(msg)
        self.subject = subject
        self.fault = fault
        self._rng = np.random.default_rng(seed)
        self._slip = slip
        p = draw(subject, (fault,), 1, self._rng)
        self._live_wire = any(p[f"to_battery.{pin}"][0] < 1e6 for pin in subject.pins) and p["constant_feed"][0] > 0  # noqa: PLR2004
        reluctance = subject.family is SubjectFamily.RELUCTANCE
        self._bench: Bench | CoilBench = (CoilBench if reluctance else Bench)(subject, p)

    def ask(self, check: Check) -> dict[str, Observation]:
        """What the technician reads, part by part; empty where the circuit does not have that check."""
        return {name: self._noisy(name, part) for name, part in self._bench.read(check).items()}

    def _noisy(self, name: str, part: Predicted) -> Observation:
        value = float(part.values[0])
        if value == NO_CONTACT_V:
            return None
        if part.kind in _WORDED:
            return self._in_a_word(name, part.kind, value)
        if self._slip and self._rng.random() < self._slip and part.kind in {Kind.VOLTS, Kind.OHMS}:
            value *= float(self._rng.choice([0.1, 10.0, 0.0]))
        return self._as_shown(part.kind, value)

    def _in_a_word(self, name: str, kind: Kind, value: float) -> str:
        if kind is Kind.WORD:
            words = _POLARITY if name == "polarity" else {number: word for word, number in STATUS.items()}
            return words[value]
        current_a = abs(value) * (1 + self._rng.normal(0, 0.03))
        return "dark" if current_a < DARK_BELOW_A else "dim" if current_a < BRIGHT_ABOVE_A else "bright"

    def _as_shown(self, kind: Kind, value: float) -> Observation:
        if kind in _OHMED:
            if self._live_wire and kind is Kind.OHMS:
                return "voltage present"
            return "OL" if value > _OVER_RANGE_OHM else abs(self._read(value, _METER_OHM))
        if kind is Kind.LIVE_VOLTS:
            return round(value / _LIVE_STEP_V) * _LIVE_STEP_V
        if kind is Kind.LIVE_VALUE:
            return value
        return self._read(value, 1.0 if kind is Kind.MILLIVOLTS else _METER_V)

    def _read(self, value: float, least: float) -> float:
        return float(value + self._rng.normal(0, _METER_SHARE * abs(value) / np.sqrt(3) + least / np.sqrt(3)))


def checks_of(subject: Subject) -> tuple[Check, ...]:
    """Every check that can be done to a circuit of this family, the plug-in ones at each stimulus that it has."""
    pins: Sequence[str] = subject.pins
    at_pins = [Check(kind, pin) for kind in ("open_v", "lamp_negative", "lamp_positive", "off_ohm") for pin in pins]
    if subject.family is SubjectFamily.RELUCTANCE:
        legs = [Check(kind, leg) for kind in ("mated_dc", "leg_ohm") for leg in (PLUS, MINUS)]
        return (*at_pins, *legs, *(Check(k) for k in ("coil_ohm", "ac_loose", "ac_mated", "polarity", "counted")))
    states = ("absent", "present") if subject.family is SubjectFamily.HALL else ("x1", "x2")
    drives = ["unplugged", "lamp_positive", "jumped_battery", "jumped_return"]
    if subject.has_reference and not subject.supply_from_battery:
        drives.append("jumped_reference")
    checks = [*at_pins, Check("return_drop")]
    checks += [Check("live", signal, drive) for signal in subject.signals for drive in drives]
    checks += [Check("mated_v", pin, state) for pin in pins for state in states]
    checks += [Check("mated_live", signal, state) for signal in subject.signals for state in states]
    if subject.has_reference:
        checks.append(Check("sensor_ohm", REFERENCE))
    if subject.sharers and subject.has_reference:
        checks.append(Check("sharers_off_v", REFERENCE))
    if subject.family is SubjectFamily.HALL:
        checks.append(Check("rotating"))
    checks += [Check("sensor_ohm", s) for s in subject.signals if subject.is_thermistor(s)]
    return tuple(checks)
