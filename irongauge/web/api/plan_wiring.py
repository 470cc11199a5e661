"""`/api/v1/plan/…`: power, harnesses, connectors, joints and signal chains for programs."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.chain import Form, Side, Stage, first_mismatch
from irongauge.core.plan.cutting import bundle_of, cut_list
from irongauge.core.plan.joints import Joint, JointPlace, advise_joint, advise_return
from irongauge.core.plan.marrying import marry
from irongauge.core.plan.power import days_asleep, fuse_would_do, judge_feed
from irongauge.formats.plan_parts import (
    CavityPart,
    EndPart,
    FeedPart,
    HarnessPart,
    WirePart,
)
from irongauge.web.api.bodies import MISSING, PROBLEM, BodyIn, core_of, example
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.workflows.plan.wirings import save_harness

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")


class FeedIn(BodyIn):
    feed: FeedPart
    system_v: float = Field(12.0, ge=5, le=60)
    try_fuse_a: float | None = Field(None, ge=0.1, le=500, description="Another fuse: would it do?")
    battery_ah: float = Field(70.0, ge=1, le=5000)


class CheckOut(BaseModel):
    mark: Mark
    sentence: str


class FeedOut(BaseModel):
    mark: Mark
    checks: list[CheckOut]
    steady_a: float
    peak_a: float
    mean_a: float
    missing: list[str] = Field(description="What the sums would need, and nobody told")
    supply_drop_v: float
    return_drop_v: float
    supply_drop_peak_v: float
    return_drop_peak_v: float
    fuses_a: list[float] = Field(description="The blade fuses that carry its load and its start, and protect its wire")
    fuse_sentence: str
    needed_mm2: float | None = Field(description="None where no wire of the table carries the fuse")
    metric_mm2: float | None
    awg: int | None = Field(description="0 is 1/0, −1 is 2/0")
    tried_fuse: CheckOut | None
    days_asleep: float | None


_FEED = {"feed": {"name": "Gauges", "fuse_a": 5, "supply_m": 3, "return_m": 3, "area_mm2": 0.5,
                  "loads": [{"name": "Oil gauge", "steady_a": 4.0}]}, "try_fuse_a": 7.5}  # fmt: skip


@router.post("/plan/feed", dependencies=[LOOK], summary="A fuse, its wire and its loads", responses=PROBLEM)
def post_feed(body: Annotated[FeedIn, example("4 A over 6 m of 0.5 mm²", _FEED)]) -> FeedOut:
    feed = core_of(lambda: body.feed.to_core(body.system_v))
    verdict = judge_feed(feed)
    tried = None if body.try_fuse_a is None else fuse_would_do(feed, body.try_fuse_a)
    asleep = days_asleep(feed.sleep_ma, body.battery_ah)
    return FeedOut(
        mark=verdict.mark,
        checks=[CheckOut(mark=mark, sentence=sentence) for mark, sentence in verdict.checks],
        steady_a=feed.steady_a,
        peak_a=feed.peak_a,
        mean_a=feed.mean_a,
        missing=list(verdict.missing),
        supply_drop_v=verdict.there.steady_v,
        return_drop_v=verdict.back.steady_v,
        supply_drop_peak_v=verdict.there.peak_v,
        return_drop_peak_v=verdict.back.peak_v,
        fuses_a=list(verdict.fuses_a),
        fuse_sentence=verdict.fuse_sentence,
        needed_mm2=verdict.needed_mm2 if verdict.metric_mm2 is not None else None,
        metric_mm2=verdict.metric_mm2,
        awg=verdict.awg,
        tried_fuse=None if tried is None else CheckOut(mark=tried[0], sentence=tried[1]),
        days_asleep=asleep if feed.sleep_ma > 0 else None,
    )


class HarnessIn(BodyIn):
    harness: HarnessPart
    start: EndPart | None = None
    end: EndPart | None = None


class PathOut(BaseModel):
    wires: list[str]
    ends: list[EndPart]
    length_m: float
    measure_next_at: EndPart | None = Field(description="Where a reading shortens the search most for its minutes")
    minutes: float | None = Field(description="What measuring there takes, with its cover")
    expected_minutes: float | None = Field(description="What finding the stretch takes in all, as is to be expected")
    licence: str | None = Field(description="Whose work it is, where a wire on the way is left to licensed work")


class HarnessOut(BaseModel):
    problems: list[str]
    path: PathOut | None


_HARNESS: dict[str, Any] = {
    "harness": {"nodes": [{"name": "Oil", "kind": "sensor"}, {"name": "X1", "kind": "connector", "columns": 3},
                          {"name": "Controller", "kind": "module"}],
                "wires": [{"name": "1", "start": {"node": "Oil", "cavity": "A"}, "end": {"node": "X1", "cavity": "1"},
                           "length_m": 1.2},
                          {"name": "2", "start": {"node": "X1", "cavity": "1"}, "end": {"node": "Controller", "cavity": "A1"},
                           "length_m": 3.0}]},
    "start": {"node": "Oil", "cavity": "A"}, "end": {"node": "Controller", "cavity": "A1"},
}  # fmt: skip


@router.post(
    "/plan/harness",
    dependencies=[LOOK],
    summary="What contradicts itself in a harness, and the way between two ends",
    responses=PROBLEM,
)
def post_harness(body: Annotated[HarnessIn, example("A sensor through a connector", _HARNESS)]) -> HarnessOut:
    harness = core_of(body.harness.to_core)
    path = None
    if body.start is not None and body.end is not None:
        found = harness.path(body.start.to_core(), body.end.to_core())
        if found is not None:
            following = harness.next_place(found)
            path = PathOut(
                wires=[wire.name for wire in found.wires],
                ends=[EndPart(node=end.node, cavity=end.cavity) for end in found.ends],
                length_m=found.length_m,
                measure_next_at=None
                if following is None
                else EndPart(node=following.end.node, cavity=following.end.cavity),
                minutes=None if following is None else following.minutes,
                expected_minutes=None if following is None else following.expected_minutes,
                licence=next((wire.licence for wire in found.wires if wire.licence is not None), None),
            )
    return HarnessOut(problems=list(harness.problems), path=path)


class CutIn(BodyIn):
    wires: list[WirePart] = Field(min_length=1, max_length=2000)
    loops_m: float = Field(0.1, ge=0, le=5)
    slack_share: float = Field(0.05, ge=0, le=1)
    left_over: list[tuple[Annotated[str, Field(max_length=80)], Annotated[float, Field(gt=0, le=1000)]]] = Field(
        default=[], max_length=200, description="Kind such as “red, 0.5 mm²” and metres"
    )


class CutOut(BaseModel):
    cuts: list[dict[str, str | float]]
    rolls: dict[str, float]
    spares: list[tuple[str, float]]
    bundle_mm: float
    sleeve_mm: int | None
    hole_mm: int
    clip_every_mm: int


@router.post(
    "/plan/cut",
    dependencies=[LOOK],
    summary="Lengths to cut, what is left over, and how thick the bundle gets",
    responses=PROBLEM,
)
def post_cut(
    body: Annotated[CutIn, example("Two wires", {"wires": _HARNESS["harness"]["wires"]})],
) -> CutOut:
    wires = core_of(lambda: [wire.to_core() for wire in body.wires])
    found = cut_list(wires, loops_m=body.loops_m, slack_share=body.slack_share, ends=body.left_over)
    bundle = bundle_of([wire.area_mm2 for wire in wires])
    return CutOut(
        cuts=[{"wire": cut.wire.name, "length_m": cut.length_m, "from": cut.source} for cut in found.cuts],
        rolls=dict(found.rolls),
        spares=list(found.spares),
        bundle_mm=bundle.diameter_mm,
        sleeve_mm=bundle.sleeve_mm,
        hole_mm=bundle.hole_mm,
        clip_every_mm=bundle.clip_every_mm,
    )


class JoinIn(BodyIn):
    ours: list[CavityPart] = Field(max_length=400)
    theirs: list[CavityPart] = Field(max_length=400)


class JoinedOut(BaseModel):
    ours: CavityPart | None
    theirs: CavityPart | None
    by: str
    notes: list[str]


_JOIN = {"ours": [{"number": "1", "colour": "red", "function": "Reference"}],
         "theirs": [{"number": "A", "colour": "orange", "function": "reference"}]}  # fmt: skip


@router.post("/plan/connectors", dependencies=[LOOK], summary="Two connectors put together", responses=PROBLEM)
def post_connectors(body: Annotated[JoinIn, example("By their function", _JOIN)]) -> list[JoinedOut]:
    rows = marry([c.to_core() for c in body.ours], [c.to_core() for c in body.theirs])
    return [
        JoinedOut(
            ours=None if row.ours is None else CavityPart(**asdict(row.ours)),
            theirs=None if row.theirs is None else CavityPart(**asdict(row.theirs)),
            by=row.by,
            notes=list(row.notes),
        )
        for row in rows
    ]


class JointIn(BodyIn):
    moves_together: bool = True
    vibrates: bool = False
    hot_degc: float | None = Field(None, ge=-60, le=1000)
    opened_later: bool = False
    school: Joint | None = None


class JointOut(BaseModel):
    joint: Joint
    reasons: list[str]
    other: str


@router.post("/plan/joint", dependencies=[LOOK], summary="Which joint suits a place, and why", responses=PROBLEM)
def post_joint(body: Annotated[JointIn, example("Where it shakes", {"vibrates": True})]) -> JointOut:
    place = JointPlace(**{name: value for name, value in body if name != "school"})
    advice = advise_joint(place, body.school)
    return JointOut(joint=advice.joint, reasons=list(advice.reasons), other=advice.other)


class ReturnIn(BodyIn):
    own_supply: bool = False
    offset_v: float = Field(ge=-5, le=5, description="Between body and sensor ground")
    span: float | None = Field(None, gt=0, le=1e9, description="Of the sensor, in any unit")
    span_v: float | None = Field(None, ge=1e-3, le=100, description="Volts over that span")


class ReturnOut(BaseModel):
    to: str
    why: str
    error: float | None = Field(description="In the unit of the span")


@router.post(
    "/plan/return",
    dependencies=[LOOK],
    summary="Where a return goes, and what a ground offset would cost",
    responses=PROBLEM,
)
def post_return(
    body: Annotated[ReturnIn, example("50 mV of 4 V for 10 bar", {"offset_v": 0.05, "span": 10, "span_v": 4})],
) -> ReturnOut:
    advice = advise_return(own_supply=body.own_supply, offset_v=body.offset_v, span=body.span, span_v=body.span_v)
    return ReturnOut(**asdict(advice))


class SideIn(BodyIn):
    form: Form
    least_v: float | None = Field(None, ge=0, le=1000)
    most_v: float | None = Field(None, ge=0, le=1000)
    pulses_per_km: float | None = Field(None, gt=1e-6, le=1e9)
    pull_up: bool | None = None


class StageIn(BodyIn):
    name: str = Field(min_length=1, max_length=80)
    takes: SideIn | None = None
    gives: SideIn | None = None


class ChainIn(BodyIn):
    stages: list[StageIn] = Field(min_length=2, max_length=20)


class MismatchOut(BaseModel):
    matches: bool
    giver: str = ""
    taker: str = ""
    sentence: str = ""
    do: str = ""


_CHAIN = {"stages": [{"name": "Axle coil", "gives": {"form": "sine", "most_v": 40}},
                     {"name": "Controller", "takes": {"form": "square wave"}}]}  # fmt: skip


@router.post(
    "/plan/chain", dependencies=[LOOK], summary="The first stages of a signal that do not match", responses=PROBLEM
)
def post_chain(body: Annotated[ChainIn, example("A coil at a square input", _CHAIN)]) -> MismatchOut:
    def side(part: SideIn | None) -> Side | None:
        return None if part is None else Side(**dict(part))

    found = first_mismatch([Stage(stage.name, side(stage.takes), side(stage.gives)) for stage in body.stages])
    return MismatchOut(matches=True) if found is None else MismatchOut(matches=False, **asdict(found))


@router.put(
    "/vehicles/{uid}/harness",
    dependencies=[ARRANGE],
    summary="Write a vehicle's harness, whole",
    status_code=204,
    responses=MISSING,
)
def put_harness(
    database: DatabaseDep,
    uid: str,
    body: Annotated[HarnessPart, example("A sensor and a module", _HARNESS["harness"])],
) -> None:
    """Everything that contradicts itself is told at once, and nothing is written."""
    save_harness(database, uid_or_missing("vehicle", uid), core_of(body.to_core))
