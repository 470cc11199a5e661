"""Checks of a sensor's pulses, kept with its circuit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID, uuid4

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.record import PULSE_FAMILIES, KeptPulse, PulseKind
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Job, Shop
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import People, now, open_job, people_of

__all__ = [
    "Keeping",
    "PulseFinding",
    "keep_pulse",
    "keeping_of",
    "kept_pulses",
    "look_at_keeping",
    "nearest_pulse_circuit",
    "new_check",
]

_LONGEST_FINDING, _LONGEST_SENTENCE = 200, 2000


@dataclass(frozen=True)
class PulseFinding:
    """What a check found: its mark, a few words, and sentences."""

    mark: Mark
    finding: str
    sentences: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        return " ".join(self.sentences)


@dataclass(frozen=True, kw_only=True)
class Keeping:
    """Where a check can be kept: circuits of open jobs, those whose sensor makes pulses first, and who did it.

    `shop` and `people` are None before there is a shop. `kept` are the checks of the chosen circuit, the newest first, and
    `captures` names the capture by which a check is kept, where there is one.
    """

    shop: Shop | None
    people: People | None
    circuits: tuple[tuple[Job, Circuit], ...] = ()
    circuit: Circuit | None = None
    kept: tuple[KeptPulse, ...] = ()
    captures: Mapping[UUID, UUID] = field(default_factory=dict)

    @property
    def choices(self) -> list[tuple[str, str]]:
        """Value and text of every circuit that can be chosen."""
        return [(str(c.uid), f"{j.vehicle.tag} {c.name}") for j, c in self.circuits]


def keeping_of(store: Store, circuit_uid: UUID | None) -> Keeping:
    shop = store.shops.first()
    if shop is None:
        return Keeping(shop=None, people=None)
    jobs = store.jobs.jobs(shop.uid, is_open=True)
    circuits = store.circuits.of_jobs(job.uid for job in jobs)
    pairs = sorted(
        ((job, c) for job in jobs for c in circuits[job.uid]), key=lambda pair: pair[1].family not in PULSE_FAMILIES
    )
    chosen = next((c for _, c in pairs if c.uid == circuit_uid), None) or _closed(store, circuit_uid)
    kept = () if chosen is None else store.pulses.checks_of([chosen.uid])[chosen.uid]
    captures = store.pulses.captures_by(k.uid for k in kept if k.kind is PulseKind.WAVEFORM)
    return Keeping(
        shop=shop, people=people_of(store, shop), circuits=tuple(pairs), circuit=chosen, kept=kept, captures=captures
    )


def _closed(store: Store, circuit_uid: UUID | None) -> Circuit | None:
    """A circuit that cannot be chosen any more, since its job was handed over, but whose checks are still looked at."""
    if circuit_uid is None:
        return None
    try:
        return store.circuits.circuit(circuit_uid)[0]
    except NotFoundError:
        return None


def look_at_keeping(database: Database, circuit_uid: UUID | None) -> Keeping:
    with database.unit() as store:
        return keeping_of(store, circuit_uid)


def nearest_pulse_circuit(database: Database, circuit_uid: UUID) -> UUID | None:
    """This circuit where its sensor makes pulses, else one of the same job whose does; None where there is none."""
    with database.unit() as store:
        try:
            circuit, job_uid = store.circuits.circuit(circuit_uid)
        except NotFoundError:
            return None
        others = () if circuit.family in PULSE_FAMILIES else store.circuits.of_jobs([job_uid])[job_uid]
    return next((c.uid for c in (circuit, *others) if c.family in PULSE_FAMILIES), None)


def kept_pulses(database: Database, circuit_uid: UUID) -> tuple[KeptPulse, ...]:
    """Every check of a circuit's pulses, the newest first; `NotFoundError` for a circuit that is not there."""
    with database.unit() as store:
        store.circuits.circuit(circuit_uid)
        return store.pulses.checks_of([circuit_uid])[circuit_uid]


def new_check(kind: PulseKind, told: PulseFinding, given: Mapping[str, Any], technician_uid: UUID) -> KeptPulse:
    """A check made now; what is longer than the record takes is cut at its end."""
    finding, sentence = told.finding[:_LONGEST_FINDING], told.sentence[:_LONGEST_SENTENCE]
    return KeptPulse(
        uid=uuid4(),
        kind=kind,
        mark=told.mark,
        finding=finding,
        sentence=sentence,
        given=given,
        technician_uid=technician_uid,
        taken_at=now(),
    )


def keep_pulse(
    database: Database,
    circuit_uid: UUID,
    kind: PulseKind,
    *,
    told: PulseFinding,
    given: Mapping[str, Any],
    technician_uid: UUID,
) -> None:
    """Keep a check with a circuit; raises `JobClosedError` after hand-over, `NotFoundError` for who or what is not there."""
    with database.unit() as store:
        open_job(store, circuit_uid)
        store.shops.technician(technician_uid)
        store.pulses.add_check(circuit_uid, new_check(kind, told, given, technician_uid))
