"""`POST /api/v1/diagnose`: a whole diagnosis without a job, for programs; and how a diagnosis is written as JSON."""

from __future__ import annotations

from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter, Body
from pydantic import BaseModel, ConfigDict, Field

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import Assessment, VerdictLevel
from irongauge.core.bench.diagnosed import Diagnosis, NextTest, Suspect
from irongauge.core.bench.sequence import test_at
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import MOST_STIMULI
from irongauge.core.shop import HEIGHT_M, Vehicle
from irongauge.errors import EntryError, quoted
from irongauge.formats.circuit_parts import CircuitPart, SensorTypePart, circuit_from_part, sensor_from_part
from irongauge.formats.vocabulary import actions_text, faults_text
from irongauge.web.permissions import LOOK
from irongauge.workflows.diagnose import Taken, diagnose_readings

__all__ = ["DiagnosisOut", "diagnosis_out", "router"]

router = APIRouter(prefix="/api/v1")

_ANY = UUID(int=1)


class SensorIn(SensorTypePart):
    """A sensor type as in a job file; its identity may be left out."""

    uid: UUID = Field(default=_ANY, description="Not used")


class CircuitCardIn(CircuitPart):
    """A circuit's card as in a job file; identities and readings are left out."""

    uid: UUID = Field(default_factory=uuid4, description="Not used")
    sensor_type_uid: UUID = Field(default=_ANY, description="Not used")


class TakenIn(BaseModel):
    """One reading: a number in the fixed unit of its answer, or text as it would be typed on the Bench."""

    model_config = ConfigDict(extra="forbid")

    action: Action = Field(examples=["open_v"], description=f"Actions, with what is answered: {actions_text()}")
    cavity: str | None = Field(None, max_length=4, examples=["A"])
    point: int | None = Field(None, ge=0, lt=MOST_STIMULI, description="Which stimulus, 0 for the first")
    value: float | str = Field(examples=[4.98, "12mV", "dark", "OL"])


class DiagnoseIn(BaseModel):
    """What is known of a circuit, and what was read of it so far, in any order; readings may be missing or repeated."""

    model_config = ConfigDict(extra="forbid")

    system_v: float = Field(12, description="12 or 24 V")
    height_m: float = Field(
        0, ge=HEIGHT_M.low, le=HEIGHT_M.high, description="Above sea level; sets the standard atmosphere"
    )
    sensor: SensorIn
    circuit: CircuitCardIn
    readings: list[TakenIn] = Field(default=[], max_length=500)


class SuspectOut(BaseModel):
    """One hypothesis: `healthy`, a fault, or two joined by a plus."""

    fault: str = Field(examples=["return_resistance"], description=f"Faults: {faults_text()}")
    title: str = Field(examples=["about 320 Ω of resistance in the return wire"])
    probability: float
    sizes: list[str] = Field(description="How large it must be, where it has a size")
    where: list[str]
    do: list[str] = Field(description="Repair or inspection")
    in_group: bool = Field(description="One of those that no check still to be made tells from the likeliest")
    against: str = Field(description="The reading that speaks most against it")


class ReasonOut(BaseModel):
    test_point: str
    seen: str
    healthy: str = Field(description="What a good circuit predicts")
    leading: str = Field(description="What the likeliest fault predicts")
    weight_nats: float = Field(description="Log of how many times better the likeliest predicts it than a good circuit")
    explained: bool
    sentence: str


class LookOut(BaseModel):
    """A part that is looked at directly before the likeliest fault is named."""

    of: str = Field(examples=["return under load"])
    seen: str = Field(examples=["12 mV"], description="Empty where nothing was read there")
    test_points: list[str]


class TestPointOut(BaseModel):
    action: Action
    cavity: str | None
    point: int | None
    ask: str
    state: str
    cautions: list[str]


class NextOut(BaseModel):
    """A check that may come next, by what it is expected to tell for its minutes. Its test points are one handling."""

    test_points: list[TestPointOut]
    gain_nats: float = Field(description="Expected fall of the ranking's entropy")
    cost_min: float = Field(description="Minutes it takes, with the change of state that it needs")


class PinOut(BaseModel):
    cavity: str
    role: str
    probability: float


class DiagnosisOut(BaseModel):
    """Ranking, group, reasons and next checks."""

    ranking: list[SuspectOut]
    group: list[str] = Field(description="The likeliest and those that no check would tell from it")
    group_probability: float
    inspect: str = Field(description="The inspection that would split the group")
    reasons: list[ReasonOut]
    looks: list[LookOut] = Field(description="The direct readings of the likeliest and of what feeds it")
    unexplained: list[str] = Field(description="Test points to check again: the likeliest does not explain them")
    hangs_on: list[str] = Field(description="The one reading without which the answer would fall")
    would_change: str
    next_tests: list[NextOut]
    pins: list[PinOut] = Field(description="What pins of unknown role most likely are")


class VerdictWithDiagnosis(BaseModel):
    """The verdict on the readings, and the diagnosis behind it."""

    level: str = Field(
        examples=["fault found"],
        description="; ".join(VerdictLevel),
    )
    headline: str
    detail: str
    diagnosis: DiagnosisOut


_EXAMPLE: dict[str, Any] = {
    "sensor": {
        "name": "Orrin P10", "family": "ratiometric-3w", "supply_v": 5, "tolerance_pct_span": 2,
        "curve": {"kind": "ratio", "quantity": "pressure", "pressure_base": "gauge", "signal_low": 0.1,
                  "signal_high": 0.9, "value_low": 0, "value_high": 1000},
    },
    "circuit": {
        "name": "Oil pressure", "family": "ratiometric-3w", "reference_v": 5,
        "pins": [{"cavity": "A", "role": "reference"}, {"cavity": "B", "role": "return"}, {"cavity": "C", "role": "signal"}],
        "stimuli": [{"label": "vented", "value": 0}, {"label": "pumped", "value": 450}],
    },
    "readings": [
        {"action": "open_v", "cavity": "A", "value": 4.98},
        {"action": "open_v", "cavity": "B", "value": "3mV"},
        {"action": "lamp_positive", "cavity": "B", "value": "dark"},
        {"action": "off_ohm", "cavity": "B", "value": "OL"},
    ],
}  # fmt: skip


@router.post(
    "/diagnose",
    dependencies=[LOOK],
    summary="Weigh readings of a circuit that is in no job; nothing is stored",
    responses={422: {"description": "Problem details", "content": {"application/problem+json": {}}}},
)
def post_diagnose(
    body: Annotated[DiagnoseIn, Body(openapi_examples={"An open return": {"value": _EXAMPLE}})],
) -> VerdictWithDiagnosis:
    """Send all that was read so far, do one of `next_tests`, send again with its answers, until none is left."""
    try:
        vehicle = Vehicle(uid=uuid4(), tag="none", description="", system_v=body.system_v, height_m=body.height_m)
        sensor = sensor_from_part(body.sensor)
        part = body.circuit.model_copy(update={"sensor_type_uid": sensor.uid, "family": sensor.family})
        circuit = circuit_from_part(part, {sensor.uid: sensor})
    except ValueError as error:
        raise EntryError("circuit", "", f"{error}.".capitalize()) from error
    if circuit.licence is not None:
        problem = f"{quoted(circuit.name)} is of {circuit.licence}: it is left to licensed work, and nothing is asked of it here."
        raise EntryError("circuit", circuit.name, problem, "If it is none, say so in part_of, or change its name.")
    taken = [Taken(TestPoint(r.action, r.cavity, r.point), r.value) for r in body.readings]
    found = diagnose_readings(circuit, vehicle, taken)
    assert found.diagnosis is not None  # it was just concluded
    return VerdictWithDiagnosis(
        level=found.verdict.level,
        headline=found.verdict.headline,
        detail=found.verdict.detail,
        diagnosis=diagnosis_out(found, found.diagnosis),
    )


def diagnosis_out(assessment: Assessment, found: Diagnosis) -> DiagnosisOut:
    """A diagnosis as JSON."""
    return DiagnosisOut(
        ranking=[_suspect_out(s) for s in found.suspects],
        group=[s.fault for s in found.group],
        group_probability=found.group_probability,
        inspect=found.inspect,
        reasons=[
            ReasonOut(
                test_point=str(r.test_point),
                seen=r.seen,
                healthy=r.healthy,
                leading=r.leading,
                weight_nats=r.weight,
                explained=r.explained,
                sentence=r.sentence,
            )
            for r in found.reasons
        ],
        looks=[LookOut(of=k.of, seen=k.seen, test_points=[str(t) for t in k.test_points]) for k in found.looks],
        unexplained=[str(test_point) for test_point in found.unexplained],
        hangs_on=[str(test_point) for test_point in found.hangs_on],
        would_change=found.would_change,
        next_tests=[_next_out(assessment, check) for check in found.next_tests],
        pins=[PinOut(cavity=g.cavity, role=g.role, probability=g.probability) for g in found.pins],
    )


def _suspect_out(suspect: Suspect) -> SuspectOut:
    return SuspectOut(
        fault=suspect.fault,
        title=suspect.title,
        probability=suspect.probability,
        sizes=list(suspect.sizes),
        where=list(suspect.where),
        do=list(suspect.do),
        in_group=suspect.in_group,
        against=suspect.against,
    )


def _next_out(assessment: Assessment, check: NextTest) -> NextOut:
    return NextOut(
        test_points=[test_point_out(assessment, test_point) for test_point in check.test_points],
        gain_nats=check.gain_nats,
        cost_min=check.minutes,
    )


def test_point_out(assessment: Assessment, test_point: TestPoint) -> TestPointOut:
    """How to ask for one test point, as JSON."""
    test = test_at(assessment.case, test_point)
    return TestPointOut(
        action=ACTIONS[Action(test_point.action)].action,
        cavity=test_point.cavity,
        point=test_point.point,
        ask=test.ask,
        state=test.spec.state,
        cautions=list(test.cautions),
    )
