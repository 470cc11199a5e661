"""`/api/v1/plan/…`: boards, room, power, harnesses, connectors and joints for programs; and a vehicle's plan as it is kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Annotated, Any, TypeVar
from uuid import UUID

from fastapi import APIRouter, Body
from pydantic import BaseModel, ConfigDict, Field

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.board import PinAt, PullUpNeed, board_of
from irongauge.core.plan.chain import Form, Side, Stage, first_mismatch
from irongauge.core.plan.cutting import bundle_of, cut_list
from irongauge.core.plan.joints import Joint, JointPlace, advise_joint, advise_return
from irongauge.core.plan.marrying import marry
from irongauge.core.plan.modules import FittedModule, PinKind
from irongauge.core.plan.power import days_asleep, judge_feed, may_raise_fuse
from irongauge.core.plan.rails import RailLoad, budget_of
from irongauge.core.plan.room import NoRoom, Want, make_room
from irongauge.errors import EntryError, as_sentence
from irongauge.formats.plan_parts import (
    CavityPart,
    EndPart,
    FeedPart,
    FunctionPart,
    HarnessPart,
    KitLinePart,
    ModulePart,
    ModuleTypePart,
    PlanPart,
    WirePart,
    kit_parts,
    module_type_from_part,
    module_type_part,
    plan_part,
)
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.workflows.plans import look_at_kit, look_at_module_types, look_at_plan, save_harness, save_module_type

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")

_PROBLEM: dict[int | str, dict[str, Any]] = {
    422: {"description": "Problem details", "content": {"application/problem+json": {}}}
}
_MISSING: dict[int | str, dict[str, Any]] = {
    404: {"description": "Not in this shop", "content": {"application/problem+json": {}}}
}
Made = TypeVar("Made")


class _In(BaseModel):
    model_config = ConfigDict(extra="forbid")


def _example(name: str, value: dict[str, Any]) -> Any:
    return Body(openapi_examples={name: {"value": value}})


def _core(make: Callable[[], Made]) -> Made:
    """What the core makes of a body; what it refuses is the caller's to put right."""
    try:
        return make()
    except ValueError as error:
        raise EntryError("body", "", as_sentence(error)) from error


class BoardIn(_In):
    """Module types, which of them are fitted, and what is read on them."""

    module_types: list[ModuleTypePart] = Field(min_length=1, max_length=50)
    modules: list[ModulePart] = Field(max_length=50)
    functions: list[FunctionPart] = Field(max_length=1000)

    def modules_of(self) -> tuple[FittedModule, ...]:
        types = {part.uid: module_type_from_part(part) for part in self.module_types}
        missing = next((m.name for m in self.modules if m.type_uid not in types), None)
        if missing is not None:
            msg = f"module {missing} is of a type that is not in it"
            raise ValueError(msg)
        return tuple(FittedModule(m.uid, m.name, types[m.type_uid]) for m in self.modules)


class WantIn(_In):
    count: int = Field(ge=1, le=50)
    kinds: list[PinKind] = Field(min_length=1, max_length=9)
    pull_up: PullUpNeed = PullUpNeed.EITHER
    most_v: float = Field(5.0, ge=0.1, le=100)
    name: str = Field("new", min_length=1, max_length=60)


class RoomIn(BoardIn):
    wants: list[WantIn] = Field(min_length=1, max_length=10)


class AtOut(BaseModel):
    module_uid: UUID
    pin: str


class PinOut(BaseModel):
    at: AtOut
    kind: PinKind
    state: str
    functions: list[str]
    conflicts: list[dict[str, str]]


class MoveOut(BaseModel):
    kind: str
    function: str
    function_uid: UUID
    to: AtOut | None
    why: str


class RoomOut(BaseModel):
    """`moves` are the fewest, in their order; without room they are none and `sentence` says why."""

    has_room: bool
    sentence: str
    moves: list[MoveOut] = []
    placed: list[MoveOut] = []
    smallest_module_uid: UUID | None = None


_TYPE: dict[str, Any] = {"uid": "6ba7b810-9dad-11d1-80b4-00c04fd430c8", "name": "C2", "pins": [
    {"name": "A1", "kind": "analogue", "most_v": 5}, {"name": "D1", "kind": "digital", "most_v": 16}]}  # fmt: skip
_BOARD = {
    "module_types": [_TYPE],
    "modules": [{"uid": "6ba7b811-9dad-11d1-80b4-00c04fd430c8", "name": "controller", "type_uid": _TYPE["uid"]}],
    "functions": [{"uid": "6ba7b812-9dad-11d1-80b4-00c04fd430c8", "name": "Winch button", "kinds": ["digital", "analogue"],
                   "module_uid": "6ba7b811-9dad-11d1-80b4-00c04fd430c8", "pin": "A1"}],
}  # fmt: skip


def _at(at: PinAt | None) -> AtOut | None:
    return None if at is None else AtOut(module_uid=at.module_uid, pin=at.pin)


@router.post("/plan/board", summary="What stands on each pin, and what is wrong there", responses=_PROBLEM)
def post_board(body: Annotated[BoardIn, _example("A button on an analogue input", _BOARD)]) -> list[PinOut]:
    views = _core(lambda: board_of(body.modules_of(), [f.to_core() for f in body.functions]))
    return [
        PinOut(
            at=AtOut(module_uid=view.at.module_uid, pin=view.at.pin),
            kind=view.pin.kind,
            state=view.state,
            functions=[function.name for function in view.functions],
            conflicts=[{"kind": c.kind, "sentence": c.sentence, "do": c.do} for c in view.conflicts],
        )
        for view in views
    ]


@router.post("/plan/room", summary="The fewest moves that free inputs, or the proof of none", responses=_PROBLEM)
def post_room(
    body: Annotated[
        RoomIn,
        _example("One analogue input", {**_BOARD, "wants": [{"count": 1, "kinds": ["analogue"], "name": "Oil"}]}),
    ],
) -> RoomOut:
    def find() -> Any:
        wants = [Want(w.count, tuple(w.kinds), w.pull_up, w.most_v, w.name) for w in body.wants]
        shelf = [module_type_from_part(part) for part in body.module_types]
        return make_room(body.modules_of(), [f.to_core() for f in body.functions], wants, shelf)

    found = _core(find)
    if isinstance(found, NoRoom):
        smallest = None if found.module is None else found.module.uid
        return RoomOut(has_room=False, sentence=found.sentence, smallest_module_uid=smallest)

    def told(move: Any) -> MoveOut:
        return MoveOut(
            kind=move.kind,
            function=move.function.name,
            function_uid=move.function.uid,
            to=_at(move.to),
            why=move.why,
        )

    text = f"{found.cost} move{'' if found.cost == 1 else 's'}, and no fewer would do."
    return RoomOut(
        has_room=True, sentence=text, moves=[told(m) for m in found.moves], placed=[told(m) for m in found.placed]
    )


class FeedIn(_In):
    feed: FeedPart
    system_v: float = Field(12.0, ge=5, le=60)
    try_fuse_a: float | None = Field(None, ge=0.1, le=500, description="A greater fuse: does the wire carry it?")
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
    supply_drop_v: float
    return_drop_v: float
    fuse_a: float | None = Field(description="The smallest blade fuse for its load")
    needed_mm2: float | None = Field(description="None where no wire of the table carries the fuse")
    metric_mm2: float | None
    awg: int | None = Field(description="0 is 1/0, −1 is 2/0")
    may_raise_fuse: bool | None
    raise_sentence: str
    days_asleep: float | None


_FEED = {"feed": {"name": "Gauges", "fuse_a": 5, "supply_m": 3, "return_m": 3, "area_mm2": 0.5,
                  "loads": [{"name": "Oil gauge", "steady_a": 4.0}]}, "try_fuse_a": 7.5}  # fmt: skip


@router.post("/plan/feed", summary="A fuse, its wire and its loads", responses=_PROBLEM)
def post_feed(body: Annotated[FeedIn, _example("4 A over 6 m of 0.5 mm²", _FEED)]) -> FeedOut:
    feed = _core(lambda: body.feed.to_core(body.system_v))
    verdict = judge_feed(feed)
    raised = None if body.try_fuse_a is None else may_raise_fuse(feed, body.try_fuse_a)
    asleep = days_asleep(feed.sleep_ma, body.battery_ah)
    return FeedOut(
        mark=verdict.mark,
        checks=[CheckOut(mark=mark, sentence=sentence) for mark, sentence in verdict.checks],
        steady_a=feed.steady_a,
        peak_a=feed.peak_a,
        mean_a=feed.mean_a,
        supply_drop_v=verdict.supply_drop_v,
        return_drop_v=verdict.return_drop_v,
        fuse_a=verdict.fuse_a,
        needed_mm2=verdict.needed_mm2 if verdict.metric_mm2 is not None else None,
        metric_mm2=verdict.metric_mm2,
        awg=verdict.awg,
        may_raise_fuse=None if raised is None else raised[0],
        raise_sentence="" if raised is None else raised[1],
        days_asleep=asleep if feed.sleep_ma > 0 else None,
    )


class ReferenceIn(_In):
    sensors: dict[str, float | None] = Field(max_length=100, description="mA by name, null where its sheet is silent")
    limit_ma: float | None = Field(None, gt=0, le=10_000)


class ReferenceOut(BaseModel):
    total_ma: float
    limit_ma: float | None
    mark: Mark
    sentence: str
    goes_down: list[str]


@router.post("/plan/reference", summary="What the sensors on a reference take of it", responses=_PROBLEM)
def post_reference(
    body: Annotated[ReferenceIn, _example("Two sensors", {"sensors": {"Oil": 8, "Boost": None}, "limit_ma": 60})],
) -> ReferenceOut:
    _core(lambda: _all_possible(list(body.sensors.values())))
    budget = budget_of([RailLoad(name, ma) for name, ma in body.sensors.items()], body.limit_ma)
    return ReferenceOut(**{**asdict(budget), "goes_down": list(budget.goes_down)})


def _all_possible(currents: list[float | None]) -> None:
    if any(ma is not None and not 0 <= ma <= 10_000 for ma in currents):  # noqa: PLR2004  mA of any regulator
        msg = "a sensor takes 0 to 10 000 mA"
        raise ValueError(msg)


class HarnessIn(_In):
    harness: HarnessPart
    start: EndPart | None = None
    end: EndPart | None = None


class PathOut(BaseModel):
    wires: list[str]
    ends: list[EndPart]
    length_m: float
    measure_next_at: EndPart | None = Field(description="The connector that halves the way")


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
    "/plan/harness", summary="What contradicts itself in a harness, and the way between two ends", responses=_PROBLEM
)
def post_harness(body: Annotated[HarnessIn, _example("A sensor through a connector", _HARNESS)]) -> HarnessOut:
    harness = _core(body.harness.to_core)
    path = None
    if body.start is not None and body.end is not None:
        found = harness.path(body.start.to_core(), body.end.to_core())
        if found is not None:
            half = harness.halving_place(found)
            path = PathOut(
                wires=[wire.name for wire in found.wires],
                ends=[EndPart(node=end.node, cavity=end.cavity) for end in found.ends],
                length_m=found.length_m,
                measure_next_at=None if half is None else EndPart(node=half.node, cavity=half.cavity),
            )
    return HarnessOut(problems=list(harness.problems), path=path)


class CutIn(_In):
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
    "/plan/cut", summary="Lengths to cut, what is left over, and how thick the bundle gets", responses=_PROBLEM
)
def post_cut(
    body: Annotated[CutIn, _example("Two wires", {"wires": _HARNESS["harness"]["wires"]})],
) -> CutOut:
    wires = _core(lambda: [wire.to_core() for wire in body.wires])
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


class JoinIn(_In):
    ours: list[CavityPart] = Field(max_length=400)
    theirs: list[CavityPart] = Field(max_length=400)


class JoinedOut(BaseModel):
    ours: CavityPart | None
    theirs: CavityPart | None
    by: str
    notes: list[str]


_JOIN = {"ours": [{"number": "1", "colour": "red", "function": "Reference"}],
         "theirs": [{"number": "A", "colour": "orange", "function": "reference"}]}  # fmt: skip


@router.post("/plan/connectors", summary="Two connectors put together", responses=_PROBLEM)
def post_connectors(body: Annotated[JoinIn, _example("By their function", _JOIN)]) -> list[JoinedOut]:
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


class JointIn(_In):
    moves_together: bool = True
    vibrates: bool = False
    hot_degc: float | None = Field(None, ge=-60, le=1000)
    opened_later: bool = False
    school: Joint | None = None


class JointOut(BaseModel):
    joint: Joint
    reasons: list[str]
    other: str


@router.post("/plan/joint", summary="Which joint suits a place, and why", responses=_PROBLEM)
def post_joint(body: Annotated[JointIn, _example("Where it shakes", {"vibrates": True})]) -> JointOut:
    place = JointPlace(**{name: value for name, value in body if name != "school"})
    advice = advise_joint(place, body.school)
    return JointOut(joint=advice.joint, reasons=list(advice.reasons), other=advice.other)


class ReturnIn(_In):
    own_supply: bool = False
    offset_v: float = Field(ge=-5, le=5, description="Between body and sensor ground")
    span: float | None = Field(None, gt=0, le=1e9, description="Of the sensor, in any unit")
    span_v: float | None = Field(None, ge=1e-3, le=100, description="Volts over that span")


class ReturnOut(BaseModel):
    to: str
    why: str
    error: float | None = Field(description="In the unit of the span")


@router.post("/plan/return", summary="Where a return goes, and what a ground offset would cost", responses=_PROBLEM)
def post_return(
    body: Annotated[ReturnIn, _example("50 mV of 4 V for 10 bar", {"offset_v": 0.05, "span": 10, "span_v": 4})],
) -> ReturnOut:
    advice = advise_return(own_supply=body.own_supply, offset_v=body.offset_v, span=body.span, span_v=body.span_v)
    return ReturnOut(**asdict(advice))


class SideIn(_In):
    form: Form
    least_v: float | None = Field(None, ge=0, le=1000)
    most_v: float | None = Field(None, ge=0, le=1000)
    pulses_per_km: float | None = Field(None, gt=1e-6, le=1e9)
    pull_up: bool | None = None


class StageIn(_In):
    name: str = Field(min_length=1, max_length=80)
    takes: SideIn | None = None
    gives: SideIn | None = None


class ChainIn(_In):
    stages: list[StageIn] = Field(min_length=2, max_length=20)


class MismatchOut(BaseModel):
    matches: bool
    giver: str = ""
    taker: str = ""
    sentence: str = ""
    do: str = ""


_CHAIN = {"stages": [{"name": "Axle coil", "gives": {"form": "sine", "most_v": 40}},
                     {"name": "Controller", "takes": {"form": "square wave"}}]}  # fmt: skip


@router.post("/plan/chain", summary="The first stages of a signal that do not match", responses=_PROBLEM)
def post_chain(body: Annotated[ChainIn, _example("A coil at a square input", _CHAIN)]) -> MismatchOut:
    def side(part: SideIn | None) -> Side | None:
        return None if part is None else Side(**dict(part))

    found = first_mismatch([Stage(stage.name, side(stage.takes), side(stage.gives)) for stage in body.stages])
    return MismatchOut(matches=True) if found is None else MismatchOut(matches=False, **asdict(found))


@router.get("/module-types", summary="Module types of the Shelf, with their pins")
def get_module_types(database: DatabaseDep) -> list[ModuleTypePart]:
    return [module_type_part(kind) for kind in look_at_module_types(database)[1]]


@router.put(
    "/module-types/{uid}",
    summary="Put a module type on the Shelf, or change its card",
    status_code=204,
    responses=_PROBLEM,
)
def put_module_type(
    database: DatabaseDep, uid: UUID, body: Annotated[ModuleTypePart, _example("Two inputs", _TYPE)]
) -> None:
    if body.uid != uid:
        raise EntryError("uid", str(body.uid), "The body has another uid than its address.", "Send it to its own.")
    save_module_type(database, _core(lambda: module_type_from_part(body)))


@router.put(
    "/vehicles/{uid}/harness",
    summary="Write a vehicle's harness, whole",
    status_code=204,
    responses=_MISSING | _PROBLEM,
)
def put_harness(
    database: DatabaseDep,
    uid: str,
    body: Annotated[HarnessPart, _example("A sensor and a module", _HARNESS["harness"])],
) -> None:
    """Everything that contradicts itself is told at once, and nothing is written."""
    save_harness(database, uid_or_missing("vehicle", uid), _core(body.to_core))


@router.get("/vehicles/{uid}/plan", summary="What is planned and wired on a vehicle", responses=_MISSING)
def get_vehicle_plan(database: DatabaseDep, uid: str) -> PlanPart:
    return plan_part(look_at_plan(database, uid_or_missing("vehicle", uid)).plan)


@router.get("/jobs/{uid}/kit", summary="A job's kit", responses=_MISSING)
def get_job_kit(database: DatabaseDep, uid: str) -> list[KitLinePart]:
    return kit_parts(look_at_kit(database, uid_or_missing("job", uid)).lines)
