"""What a tool's fields can be filled with before anybody types: figures that the circuit's readings and checks hold already."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from irongauge.core.bench.actions import Action
from irongauge.core.measure.quantities import Reading, SupersedeReason
from irongauge.core.pulses.record import KeptPulse, PulseKind
from irongauge.core.sensors.circuits import Circuit, Role
from irongauge.errors import NotFoundError
from irongauge.store.database import Database
from irongauge.store.repositories import Store

__all__ = ["KnownFigure", "example_of", "known_figures"]


@dataclass(frozen=True)
class KnownFigure:
    """A field's text, and where it is known from."""

    text: str
    source: str


_FROM_BENCH = "read on the Bench"
# Which reading fills which field of a question, with the role of the pin that it is read at, if that matters.
_READINGS: Mapping[PulseKind, tuple[tuple[str, Action, Role | None], ...]] = {
    PulseKind.PRINCIPLE: (
        ("supply_v", Action.MATED_V, Role.REFERENCE),
        ("supply_v", Action.OPEN_V, Role.REFERENCE),
        ("coil_ohm", Action.COIL_OHM, None),
        ("ac_v", Action.AC_MATED_V, None),
        ("ac_v", Action.AC_LOOSE_V, None),
        ("low_v", Action.TURNING_LOW_V, None),
        ("high_v", Action.TURNING_HIGH_V, None),
    ),
    PulseKind.FUEL: (("frequency_hz", Action.FREQUENCY_HZ, None), ("pulse_ms", Action.PULSE_MS, None)),
}
_BUILD = ("teeth", "axle_ratio", "tyre")
# Which checks of the vehicle say how it is built or set, and which of their fields.
_CHECKS: Mapping[PulseKind, tuple[tuple[PulseKind, tuple[str, ...]], ...]] = {
    PulseKind.EXPECTED: ((PulseKind.EXPECTED, _BUILD), (PulseKind.SPEED, _BUILD)),
    PulseKind.SPEED: ((PulseKind.SPEED, (*_BUILD, "old", "old_is", "unit")), (PulseKind.EXPECTED, _BUILD)),
    PulseKind.GAP: ((PulseKind.GAP, ("least_mm", "most_mm")),),
    PulseKind.BUS: ((PulseKind.BUS, ("low_hz", "high_hz", "node", "nodes", "frame_hz", "pulses")),),
}


def known_figures(database: Database, circuit_uid: UUID, kind: PulseKind) -> dict[str, KnownFigure]:
    """What the circuit's readings, and the checks of its vehicle's circuits, say for the fields of a question.

    Empty for a circuit that is not there.
    """
    with database.unit() as store:
        try:
            circuit, job_uid = store.circuits.circuit(circuit_uid)
        except NotFoundError:
            return {}
        found = _from_checks(store, circuit, job_uid, kind)
        if kind in _READINGS:
            readings = store.readings.of_circuits([circuit_uid])[circuit_uid]
            found |= _from_readings(circuit, readings, kind)
    if kind is PulseKind.PRINCIPLE:
        found["wires"] = KnownFigure(str(len(circuit.pins)), "from the circuit’s data")
    return found


def _from_readings(circuit: Circuit, readings: Sequence[Reading], kind: PulseKind) -> dict[str, KnownFigure]:
    superseded = {r.supersedes_uid for r in readings}
    roles = {pin.cavity: pin.role for pin in circuit.pins}
    found: dict[str, KnownFigure] = {}
    for name, action, role in _READINGS[kind]:
        for r in readings:
            stands = r.uid not in superseded and r.reason is not SupersedeReason.TAKEN_BACK
            fits = role is None or roles.get(r.test_point.cavity or "") is role
            if name in found or not stands or Action(r.test_point.action) is not action or not fits:
                continue
            if r.value is not None:
                found[name] = KnownFigure(f"{r.value:.5g}", _FROM_BENCH)
            elif r.word == "OL":
                found[name] = KnownFigure("OL", _FROM_BENCH)
    return found


def _from_checks(store: Store, circuit: Circuit, job_uid: UUID, kind: PulseKind) -> dict[str, KnownFigure]:
    """The newest that this circuit's checks say, else those of the other circuits of the same job."""
    if kind not in _CHECKS:
        return {}
    others = [c for c in store.circuits.of_jobs([job_uid])[job_uid] if c.uid != circuit.uid]
    checks = store.pulses.checks_of([circuit.uid, *(c.uid for c in others)])
    found: dict[str, KnownFigure] = {}
    for of in (circuit, *others):
        for asked, names in _CHECKS[kind]:
            newest = next((k for k in checks[of.uid] if k.kind is asked), None)
            if newest is not None:
                found = {**_fields(newest, names, of), **found}
    return found


def _fields(check: KeptPulse, names: Sequence[str], of: Circuit) -> dict[str, KnownFigure]:
    source = f"as kept with {of.name}"
    return {n: KnownFigure(text, source) for n in names if (text := str(check.given.get(n, "")).strip())}


def example_of(database: Database, kind: PulseKind) -> dict[str, str]:
    """The fields of the newest check of this kind in the shop, as an example of its own; empty where there is none."""
    with database.unit() as store:
        given = store.pulses.newest_given(kind)
    return {name: str(text) for name, text in given.items() if isinstance(text, str)}
