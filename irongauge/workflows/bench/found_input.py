"""What the Bench found of a controller's input, kept on the circuit's card."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from irongauge.core.bench.diagnosed import FoundInput
from irongauge.core.sensors.circuits import Circuit, PullUp, Role
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.workflows.bench.readings import look_at_bench
from irongauge.workflows.shop.jobs import change_circuit

__all__ = ["keep_input"]


def keep_input(database: Database, circuit_uid: UUID, signal: str) -> FoundInput:
    """Write on the card what the readings show of an input now; `NotFoundError` where they show nothing that a card can hold."""
    view = look_at_bench(database, circuit_uid).view
    found = view.assessment.diagnosis
    kept = next((i for i in found.inputs if i.signal == signal and i.can_be_kept), None) if found is not None else None
    if kept is None:
        raise NotFoundError("input", signal)
    change_circuit(database, _with_input(view.circuit, kept), view.circuit)
    return kept


def _with_input(circuit: Circuit, kept: FoundInput) -> Circuit:
    if kept.to_v is None or kept.ohm is None:
        return replace(circuit, unpulled=True)
    pull_up = PullUp(kept.ohm, kept.to_v)
    return (
        replace(circuit, temperature_pull_up=pull_up)
        if kept.signal == Role.TEMPERATURE
        else replace(circuit, pull_up=pull_up)
    )
