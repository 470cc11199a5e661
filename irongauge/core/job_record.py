"""A job with everything that belongs to it: what is written to a file, and read back."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field
from uuid import UUID

from irongauge.core.bench.assessment import Verdict
from irongauge.core.calibration.record import Calibration
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.live.codes import CodeReading
from irongauge.core.measure.quantities import Reading
from irongauge.core.plan.kit import KitLine
from irongauge.core.plan.record import VehiclePlan
from irongauge.core.pulses.record import KeptPulse
from irongauge.core.sensors.circuits import Circuit, Instrument
from irongauge.core.shop import Job, Technician
from irongauge.core.traces.record import KeptReading

__all__ = ["CircuitRecord", "JobRecord"]


@dataclass(frozen=True, kw_only=True)
class CircuitRecord:
    """A circuit and every reading ever taken on it, superseded ones too, oldest first; likewise its calibrations, what
    controllers hold of its sensor, its cross-checks, and the checks of its pulses. `verdict` is what followed from them when it
    was written; it is said to who reads a file, and never taken from one.
    """

    circuit: Circuit
    readings: tuple[Reading, ...]
    calibrations: tuple[Calibration, ...] = ()
    entries: tuple[KeptEntry, ...] = ()
    checks: tuple[KeptCheck, ...] = ()
    pulses: tuple[KeptPulse, ...] = ()
    verdict: Verdict | None = field(default=None, compare=False)


@dataclass(frozen=True)
class JobRecord:
    """One job, whole. `technicians` and `instruments` are those that the job or its readings name; `plan` is what is planned on
    its vehicle, `normals` the readings of what is usual for it, `codes` its trouble codes as they were read, the oldest first.
    """

    job: Job
    technicians: tuple[Technician, ...]
    instruments: tuple[Instrument, ...]
    circuits: tuple[CircuitRecord, ...]
    _: KW_ONLY
    kit: tuple[KitLine, ...] = ()
    plan: VehiclePlan = field(default_factory=VehiclePlan)
    normals: tuple[KeptReading, ...] = ()
    codes: tuple[CodeReading, ...] = ()

    def __post_init__(self) -> None:
        people = {t.uid for t in self.technicians}
        tools = {i.uid for i in self.instruments}
        for record in self.circuits:
            before: set[object] = set()
            for reading in record.readings:
                if reading.technician_uid not in people:
                    self._broken(record, "names a technician who is not in the file")
                if {reading.instrument_uid, reading.stimulus_instrument_uid} - tools - {None}:
                    self._broken(record, "names an instrument that is not in the file")
                if reading.supersedes_uid is not None and reading.supersedes_uid not in before:
                    self._broken(record, "supersedes one that does not come before it")
                before.add(reading.uid)
            self._check_curves(record, people, tools)
        planned = {line.done_by_uid for line in self.kit} | {kept.technician_uid for kept in self.plan.maps}
        planned |= {reading.technician_uid for reading in self.codes}
        if planned - people - {None}:
            msg = "a line of the kit, a connector map or a reading of codes names a technician who is not in the file"
            raise ValueError(msg)
        circuits = {record.circuit.uid for record in self.circuits}
        if {function.circuit_uid for function in self.plan.functions} - circuits - {None}:
            msg = "a function of the plan names a circuit that is not in the file"
            raise ValueError(msg)

    def _check_curves(self, record: CircuitRecord, people: set[UUID], tools: set[UUID]) -> None:
        named = {c.technician_uid for c in record.calibrations} | {c.signed_by_uid for c in record.calibrations}
        named |= {e.technician_uid for e in record.entries} | {c.technician_uid for c in record.checks}
        named |= {p.technician_uid for p in record.pulses}
        if named - people - {None}:
            self._broken(record, "names a technician who is not in the file", "a record of the curve or the pulses")
        used = {uid for c in record.calibrations for uid in (c.setup.meter_uid, c.setup.gauge_uid)}
        if used - tools - {None}:
            self._broken(record, "names an instrument that is not in the file", "a calibration")

    @staticmethod
    def _broken(record: CircuitRecord, how: str, what: str = "a reading") -> None:
        msg = f"{what} of circuit “{record.circuit.name}” {how}"
        raise ValueError(msg)
