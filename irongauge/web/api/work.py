"""`/api/v1/plan/session`: the order of the work by program, of a list that is sent or of the shop's own."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from irongauge.core.work.bounds import least_cost
from irongauge.core.work.plan import Plan
from irongauge.core.work.reasons import Remedy, remedy_for, waits_of
from irongauge.core.work.solver import improve
from irongauge.core.work.steps import After, Heat, Step, Technician, VehicleWork, Work, WorkState, problems_of
from irongauge.core.work.turns import entry_order, first_plan
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.web.api.bodies import ERRORS, PROBLEM, BodyIn, core_of, example
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.permissions import LOOK
from irongauge.workflows.work.session import look_at_work

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")

_MINUTES = 100 * 24 * 60  # that a list may span
_AT_LEAST = 0.1  # where the plain way finds no plan, the solver may
_Key = Annotated[str, Field(min_length=1, max_length=200)]
_Minute = Annotated[int, Field(ge=0, le=_MINUTES)]


class WorkStepIn(BodyIn):
    """A step; times are minutes from the start of the list."""

    key: _Key
    vehicle: _Key
    title: str = Field("", max_length=200)
    minutes: int = Field(ge=1, le=10_000)
    state: WorkState = WorkState.KEY_OFF
    heat: Heat = Heat.ANY
    people: int = Field(1, ge=1, le=2)
    place: str = Field("", max_length=40)
    tools: list[_Key] = Field(default=[], max_length=10)
    after: list[_Key] = Field(default=[], max_length=200)
    not_before: _Minute = 0
    only: list[_Key] = Field(default=[], max_length=100, description="Technicians who may do it; empty for all")
    pinned_at: _Minute | None = None

    def to_core(self) -> Step:
        return Step(
            key=self.key,
            vehicle=self.vehicle,
            title=self.title or self.key,
            minutes=self.minutes,
            state=self.state,
            heat=self.heat,
            people=self.people,
            place=self.place,
            tools=frozenset(self.tools),
            after=tuple(After(key) for key in self.after),
            not_before=self.not_before,
            only=frozenset(self.only),
            pinned_at=self.pinned_at,
        )


class WorkVehicleIn(BodyIn):
    key: _Key
    promise: int | None = Field(default=None, ge=-_MINUTES, le=_MINUTES)
    weight: int = Field(1, ge=1, le=10)
    state: WorkState = WorkState.KEY_OFF
    is_hot: bool = False
    goes_first: bool = False


class WorkTechnicianIn(BodyIn):
    key: _Key
    windows: list[tuple[_Minute, _Minute]] = Field(max_length=200, description="From and to, in order, not overlapping")


class WorkIn(BodyIn):
    steps: list[WorkStepIn] = Field(max_length=300)
    vehicles: list[WorkVehicleIn] = Field(min_length=1, max_length=50)
    technicians: list[WorkTechnicianIn] = Field(min_length=1, max_length=50)
    tools: dict[_Key, Annotated[int, Field(ge=0, le=99)]] = Field(default={}, max_length=50)
    places: dict[_Key, Annotated[int, Field(ge=0, le=99)]] = Field(default={}, max_length=50)
    effort: float = Field(
        0.0, ge=0, le=0.5, description="To look for a better plan, in the solver's own measure: 0.1 takes some seconds"
    )

    helps: bool = Field(default=False, description="Say what would keep each promise that is missed: takes seconds")

    def to_core(self) -> Work:
        _once("steps", [step.key for step in self.steps])
        _once("vehicles", [vehicle.key for vehicle in self.vehicles])
        _once("technicians", [technician.key for technician in self.technicians])
        known = {vehicle.key for vehicle in self.vehicles}
        for step in self.steps:
            if step.vehicle not in known:
                raise EntryError(
                    "steps", step.vehicle, f"{step.key} is on a vehicle that is not in the list.", "Send it too."
                )
        for technician in self.technicians:
            ends = [minute for window in technician.windows for minute in window]
            if ends != sorted(ends) or any(a == b for a, b in technician.windows):
                raise EntryError("windows", str(technician.windows), f"The windows of {technician.key} are not in order.",
                                 "Send them as [from, to], each after the one before.")  # fmt: skip
        return Work(
            steps=tuple(step.to_core() for step in self.steps),
            vehicles=tuple(VehicleWork(**vehicle.model_dump()) for vehicle in self.vehicles),
            technicians=tuple(Technician(t.key, tuple(t.windows)) for t in self.technicians),
            tools=self.tools,
            places=self.places,
        )


class WorkStepOut(BaseModel):
    key: str
    vehicle: str
    title: str
    start: int = Field(description="When the change before it begins, in minutes")
    begins: int
    end: int
    people: list[str]
    waits_for: list[dict[str, str]] = Field(description="What holds it where it is: kind and of what")


class WorkLateOut(BaseModel):
    vehicle: str
    late_min: int
    can_be_kept: bool | None = Field(
        description="False: proved that nothing would; null: not asked, or not told in time"
    )
    helps: list[dict[str, str]] = Field(description="The fewest things that would keep the promise: kind and of what")


class SessionOut(BaseModel):
    """A plan, or the problems for which there is none."""

    problems: list[str]
    steps: list[WorkStepOut] = []
    late: list[WorkLateOut] = []
    cost: int | None = None
    bound: int | None = Field(default=None, description="What no plan can cost less than")
    changes: int | None = None
    changes_min: int | None = None
    changes_by_entry: int | None = Field(default=None, description="Changes where each step is done as it was entered")
    changes_min_by_entry: int | None = None


def _once(field: str, keys: list[str]) -> None:
    double = next((key for key in keys if keys.count(key) > 1), None)
    if double is not None:
        raise EntryError(field, double, f"{double} is in it twice.", "Give each its own key.")


def _told(work: Work, plan: Plan, entered: Plan | None, *, helps: bool) -> SessionOut:
    late = []
    for vehicle in work.vehicles:
        minutes = plan.late_min(vehicle)
        if minutes:
            remedy = remedy_for(work, plan, vehicle) if helps else Remedy((), is_possible=None, done_at=0)
            found = [{"kind": one.kind, "of": one.key} for one in remedy.helps]
            late.append(WorkLateOut(vehicle=vehicle.key, late_min=minutes, can_be_kept=remedy.is_possible, helps=found))
    return SessionOut(
        problems=[],
        steps=[
            WorkStepOut(
                key=p.step.key,
                vehicle=p.step.vehicle,
                title=p.step.title,
                start=p.start,
                begins=p.begins,
                end=p.end,
                people=list(p.people),
                waits_for=[{"kind": w.kind, "of": w.of} for w in waits_of(work, plan, p.step.key)],
            )
            for p in plan.steps
        ],
        late=late,
        cost=plan.cost,
        bound=plan.bound,
        changes=plan.changes,
        changes_min=plan.setup_min,
        changes_by_entry=None if entered is None else entered.changes,
        changes_min_by_entry=None if entered is None else entered.setup_min,
    )


_LIST = {
    "steps": [
        {"key": "ohms", "vehicle": "LT-7", "title": "Ohms to ground", "minutes": 5, "state": "battery off"},
        {"key": "power", "vehicle": "LT-7", "title": "Power up", "minutes": 5, "state": "key on", "after": ["ohms"]},
        {"key": "join", "vehicle": "LT-7", "title": "Join the oil wire", "minutes": 25, "state": "battery off"},
    ],
    "vehicles": [{"key": "LT-7", "promise": 120}],
    "technicians": [{"key": "Bram", "windows": [[0, 240]]}],
    "tools": {"hand pump": 1},
}


@router.post("/plan/session", dependencies=[LOOK], summary="Who does which step when, and why", responses=PROBLEM)
def post_session(body: Annotated[WorkIn, example("Three steps of one vehicle", _LIST)]) -> SessionOut:
    work = core_of(body.to_core)
    problems = problems_of(work)
    if problems:
        return SessionOut(problems=list(problems))
    if not work.steps:
        return SessionOut(problems=["There are no steps."])
    plan = first_plan(work)
    if plan is None or body.effort:
        plan = improve(work, plan, body.effort or _AT_LEAST)
    if plan is None:
        return SessionOut(problems=["All this does not fit into the time that the technicians have."])
    return _told(
        work, plan if plan.bound else replace(plan, bound=least_cost(work)), entry_order(work), helps=body.helps
    )


class ShopSessionOut(SessionOut):
    """The plan of the shop's own list; minutes count from `start`."""

    start: datetime
    licensed: list[str] = Field(description="Circuits that are left to licensed work")


@router.get("/plan/session", dependencies=[LOOK], summary="The order of the work of the shop", responses=ERRORS)
def get_session(database: DatabaseDep, helps: bool = False) -> ShopSessionOut:  # noqa: FBT001, FBT002  a query parameter
    return _of_shop(database, None, helps=helps)


@router.get(
    "/vehicles/{uid}/session", dependencies=[LOOK], summary="The order of the work on a vehicle", responses=ERRORS
)
def get_vehicle_session(database: DatabaseDep, uid: str, helps: bool = False) -> ShopSessionOut:  # noqa: FBT001, FBT002  a query parameter
    return _of_shop(database, uid, helps=helps)


def _of_shop(database: Database, uid: str | None, *, helps: bool) -> ShopSessionOut:
    view = look_at_work(database, None if uid is None else uid_or_missing("vehicle", uid))
    plan = view.plan
    told = (
        SessionOut(problems=list(view.problems)) if plan is None else _told(view.work, plan, view.entered, helps=helps)
    )
    return ShopSessionOut(**told.model_dump(), start=view.start, licensed=list(view.licensed))
