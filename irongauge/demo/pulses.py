"""Pulse checks and a captured waveform of the sample shop: the launcher's axle sensor, whose ring has a tooth out of place."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from uuid import UUID

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import examine
from irongauge.core.pulses.record import About, Capture, KeptPulse, PulseKind
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Technician
from irongauge.instruments.waveforms import Pickup, Ring, capture
from irongauge.store.repositories import Store
from irongauge.workflows.pulse.samples import packed

__all__ = ["add_pulses"]

_TEETH, _SEED = 48, 7
_EXPECTED = {
    "teeth": "48",
    "axle_ratio": "1",
    "tyre": "0.92 m",
    "speed": "20",
    "unit": "km/h",
    "turns": "10",
    "seconds": "8",
}
_GAP = {"readings": "0.95 1.00 1.10 1.05", "least_mm": "0.8", "most_mm": "1.3"}
_FUEL = {"frequency_hz": "60.4", "pulse_ms": "2.41"}


def add_pulses(
    store: Store,
    shop_uid: UUID,
    uid: Callable[[str], UUID],
    *,
    axle: Circuit,
    fuel: Circuit,
    who: Technician,
    began: datetime,
) -> None:
    """What the axle's sensor should read, its air gap, the fuel sensor's pulses; and a capture that nobody has kept yet."""
    for circuit, kind, mark, finding, sentence, given in (
        (axle, PulseKind.EXPECTED, Mark.NOT_MEASURED, "expect 92.2637 Hz",
         "Road speed 20 km/h. 10 turns of the wheel in 8 s: 60 Hz at the sensor, and the display should show 13 km/h.",
         _EXPECTED),
        (axle, PulseKind.GAP, Mark.PASS, "0.95 to 1.10 mm: within the window all round",
         "Mean 1.02 mm; spread 0.15 mm; once a turn ± 0.08 mm.", _GAP),
        (fuel, PulseKind.FUEL, Mark.PASS, "10.4 %, 18.2 °C", "", _FUEL),
    ):  # fmt: skip
        check = KeptPulse(
            uid=uid(f"{circuit.name} {kind}"),
            kind=kind,
            mark=mark,
            finding=finding,
            sentence=sentence,
            given=given,
            technician_uid=who.uid,
            taken_at=began,
        )
        store.pulses.add_check(circuit.uid, check)
        began += timedelta(minutes=6)
    ring = Ring(_TEETH, late_pct={16: 6.5}, run_out_pct=1.2)
    taken = capture(ring, Pickup(coil_v_per_hz=0.02), turn_hz=(1.1, 1.5), seconds=7.0, rate_hz=10_000, seed=_SEED)
    step_s, samples = packed(*taken)
    found = examine(*taken, teeth=_TEETH, gap_teeth=0)
    made = Capture(
        uid=uid("capture of the axle"),
        name="axle-turned-by-hand.csv",
        note="70,000 samples, time in column 1 (s), volts in column 2 (mV).",
        samples=found.samples,
        seconds=found.seconds,
        step_s=step_s,
        about=About(teeth=_TEETH, gap_teeth=0),
        examination=found,
        taken_at=began,
        circuit_uid=axle.uid,
    )
    store.pulses.add_capture(shop_uid, made, samples)
