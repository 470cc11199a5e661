"""What a job without circuits shows: a job of the shop's own as it will look, or, where there is none, one made up."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.sensors.circuits import Pin, Role
from irongauge.web.bench.connector import ConnectorFace, draw_plug
from irongauge.workflows.shop.view import JobView

__all__ = ["ExampleCircuit", "JobExample", "draw_job"]

_MOST = 3
_PINS = (Pin("A", "red", Role.REFERENCE), Pin("B", "black", Role.RETURN), Pin("C", "green", Role.SIGNAL))


@dataclass(frozen=True)
class ExampleCircuit:
    """A circuit's plug, with how far it is proved below it."""

    name: str
    face: ConnectorFace
    level: VerdictLevel


@dataclass(frozen=True)
class JobExample:
    """`whose` is the vehicle and the job, empty for one that was made up."""

    whose: str
    circuits: tuple[ExampleCircuit, ...]


def draw_job(view: JobView | None) -> JobExample:
    """The first circuits of a job, those that are done before the others: what it comes to."""
    if view is None:
        return JobExample("", (ExampleCircuit("Oil pressure", draw_plug(_PINS), VerdictLevel.GOOD),))
    drawn = (
        ExampleCircuit(of.circuit.name, draw_plug(of.circuit.pins), of.assessment.verdict.level)
        for of in sorted(view.standing, key=lambda of: not of.assessment.verdict.level.is_done)[:_MOST]
    )
    return JobExample(f"{view.job.vehicle.tag}, job {view.job.number}", tuple(drawn))
