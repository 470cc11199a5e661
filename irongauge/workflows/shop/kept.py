"""What is kept of circuits beside their readings, in a handful of queries however many there are."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from irongauge.core.calibration.record import Calibration
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.sensors.circuits import Circuit
from irongauge.store.repositories import Store

__all__ = ["Kept", "kept_of"]


@dataclass(frozen=True)
class Kept:
    """What is kept of a circuit's curve and its pulses: calibrations, the newest first, controller entries, cross-checks, pulse
    checks, the newest first.
    """

    calibrations: tuple[Calibration, ...]
    entries: tuple[KeptEntry, ...]
    checks: tuple[KeptCheck, ...]
    pulses: tuple[KeptPulse, ...]


def kept_of(store: Store, circuits: Iterable[Circuit]) -> dict[UUID, Kept]:
    """What is kept of each circuit, by its id."""
    uids = [circuit.uid for circuit in circuits]
    calibrations = store.calibrations.of_circuits(uids)
    entries, checks = store.calibrations.entries_of(uids), store.calibrations.checks_of(uids)
    pulses = store.pulses.checks_of(uids)
    return {uid: Kept(calibrations[uid], entries[uid], checks[uid], pulses[uid]) for uid in uids}
