"""`/api/v1/plan/…`: boards, room and references for programs; module types, and a vehicle's plan as it is kept."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.board import PinAt, PullUpNeed, board_of
from irongauge.core.plan.modules import FittedModule, PinKind
from irongauge.core.plan.rails import RailLoad, budget_of
from irongauge.core.plan.room import NoRoom, Want, make_room
from irongauge.errors import EntryError
from irongauge.formats.plan_parts import (
    FunctionPart,
    KitLinePart,
    ModulePart,
    ModuleTypePart,
    PlanPart,
    kit_parts,
    module_type_from_part,
    module_type_part,
    plan_part,
)
from irongauge.web.api.bodies import MISSING, PROBLEM, BodyIn, core_of, example
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.permissions import ARRANGE, LOOK
from irongauge.workflows.plan.kits import look_at_kit
from irongauge.workflows.plan.plans import look_at_module_types, look_at_plan, save_module_type

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")


class BoardIn(BodyIn):
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


class WantIn(BodyIn):
    count: int = Field(ge=1, le=50)
    kinds: list[PinKind] = Field(min_length=1, max_length=9)
    pull_up: PullUpNeed = PullUpNeed.EITHER
    most_v: float = Field(5.0, ge=0.1, le=100)
    name: str = Field("new", min_length=1, max_length=60)
    shares: str = Field("", max_length=60, description="May stand on one input with functions of the same words")
    inputs: int = Field(1, ge=1, le=2, description="How many inputs read each at once")


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
    leaves: AtOut | None = None
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


@router.post(
    "/plan/board", dependencies=[LOOK], summary="What stands on each pin, and what is wrong there", responses=PROBLEM
)
def post_board(body: Annotated[BoardIn, example("A button on an analogue input", _BOARD)]) -> list[PinOut]:
    views = core_of(lambda: board_of(body.modules_of(), [f.to_core() for f in body.functions]))
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


@router.post(
    "/plan/room",
    dependencies=[LOOK],
    summary="The fewest moves that free inputs, or the proof of none",
    responses=PROBLEM,
)
def post_room(
    body: Annotated[
        RoomIn,
        example("One analogue input", {**_BOARD, "wants": [{"count": 1, "kinds": ["analogue"], "name": "Oil"}]}),
    ],
) -> RoomOut:
    def find() -> Any:
        wants = [
            Want(w.count, tuple(w.kinds), w.pull_up, w.most_v, w.name, shares=w.shares, inputs=w.inputs)
            for w in body.wants
        ]
        shelf = [module_type_from_part(part) for part in body.module_types]
        return make_room(body.modules_of(), [f.to_core() for f in body.functions], wants, shelf)

    found = core_of(find)
    if isinstance(found, NoRoom):
        smallest = None if found.module is None else found.module.uid
        return RoomOut(has_room=False, sentence=found.sentence, smallest_module_uid=smallest)

    def told(move: Any) -> MoveOut:
        return MoveOut(
            kind=move.kind,
            function=move.function.name,
            function_uid=move.function.uid,
            to=_at(move.to),
            leaves=_at(move.leaves),
            why=move.why,
        )

    text = f"{found.cost} move{'' if found.cost == 1 else 's'}, and no fewer would do."
    return RoomOut(
        has_room=True, sentence=text, moves=[told(m) for m in found.moves], placed=[told(m) for m in found.placed]
    )


class ReferenceIn(BodyIn):
    sensors: dict[str, float | None] = Field(max_length=100, description="mA by name, null where its sheet is silent")
    limit_ma: float | None = Field(None, gt=0, le=10_000)


class ReferenceOut(BaseModel):
    total_ma: float
    limit_ma: float | None
    mark: Mark
    sentence: str
    goes_down: list[str]


@router.post(
    "/plan/reference", dependencies=[LOOK], summary="What the sensors on a reference take of it", responses=PROBLEM
)
def post_reference(
    body: Annotated[ReferenceIn, example("Two sensors", {"sensors": {"Oil": 8, "Boost": None}, "limit_ma": 60})],
) -> ReferenceOut:
    core_of(lambda: _all_possible(list(body.sensors.values())))
    budget = budget_of([RailLoad(name, ma) for name, ma in body.sensors.items()], body.limit_ma)
    return ReferenceOut(**{**asdict(budget), "goes_down": list(budget.goes_down)})


def _all_possible(currents: list[float | None]) -> None:
    if any(ma is not None and not 0 <= ma <= 10_000 for ma in currents):  # noqa: PLR2004  mA of any regulator
        msg = "a sensor takes 0 to 10 000 mA"
        raise ValueError(msg)


@router.get("/module-types", dependencies=[LOOK], summary="Module types of the Shelf, with their pins")
def get_module_types(database: DatabaseDep) -> list[ModuleTypePart]:
    return [module_type_part(kind) for kind in look_at_module_types(database)[1]]


@router.put(
    "/module-types/{uid}",
    dependencies=[ARRANGE],
    summary="Put a module type on the Shelf, or change its card",
    status_code=204,
    responses=PROBLEM,
)
def put_module_type(
    database: DatabaseDep, uid: UUID, body: Annotated[ModuleTypePart, example("Two inputs", _TYPE)]
) -> None:
    if body.uid != uid:
        raise EntryError("uid", str(body.uid), "The body has another uid than its address.", "Send it to its own.")
    save_module_type(database, core_of(lambda: module_type_from_part(body)))


@router.get(
    "/vehicles/{uid}/plan", dependencies=[LOOK], summary="What is planned and wired on a vehicle", responses=MISSING
)
def get_vehicle_plan(database: DatabaseDep, uid: str) -> PlanPart:
    return plan_part(look_at_plan(database, uid_or_missing("vehicle", uid)).plan)


@router.get("/jobs/{uid}/kit", dependencies=[LOOK], summary="A job's kit", responses=MISSING)
def get_job_kit(database: DatabaseDep, uid: str) -> list[KitLinePart]:
    return kit_parts(look_at_kit(database, uid_or_missing("job", uid)).lines)
