"""Writing a vehicle's plan by program: modules, functions, feeds, trials of a conditioner, and a job's kit."""

from __future__ import annotations

from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter
from pydantic import Field

from irongauge.core.plan.chain import Form
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.record import KeptFeed
from irongauge.errors import EntryError
from irongauge.formats.plan_parts import FeedPart, FunctionPart, KitLinePart, ModulePart, kit_parts
from irongauge.web.api.bodies import ERRORS, MISSING, BodyIn, core_of, example
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.permissions import ARRANGE, MEASURE
from irongauge.workflows.plan.kits import add_kit_lines, look_at_kit, remove_kit_line, tick_kit_line
from irongauge.workflows.plan.plans import fit_module, remove_function, remove_module, save_function
from irongauge.workflows.plan.wirings import keep_trial, remove_feed, save_feed, system_of

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")

_UID = "6ba7b812-9dad-11d1-80b4-00c04fd430c8"


def _same_uid(body: UUID | None, address: UUID) -> None:
    if body is not None and body != address:
        raise EntryError("uid", str(body), "The body has another uid than its address.", "Send it to its own.")


@router.put(
    "/vehicles/{uid}/modules/{module_uid}",
    dependencies=[ARRANGE],
    summary="Fit a module to a vehicle",
    status_code=204,
    responses=ERRORS,
)
def put_module(
    database: DatabaseDep,
    uid: str,
    module_uid: UUID,
    body: Annotated[ModulePart, example("A controller", {"uid": _UID, "name": "Controller", "type_uid": _UID})],
) -> None:
    _same_uid(body.uid, module_uid)
    fit_module(database, uid_or_missing("vehicle", uid), body.type_uid, body.name, module_uid)


@router.delete(
    "/vehicles/{uid}/modules/{module_uid}",
    dependencies=[ARRANGE],
    summary="Take a module out; refused while something stands on it",
    status_code=204,
    responses=ERRORS,
)
def delete_module(database: DatabaseDep, uid: str, module_uid: UUID) -> None:
    remove_module(database, uid_or_missing("vehicle", uid), module_uid)


_FUNCTION: dict[str, Any] = {"uid": _UID, "name": "Winch button", "kinds": ["digital", "analogue"]}


@router.put(
    "/vehicles/{uid}/functions/{function_uid}",
    dependencies=[ARRANGE],
    summary="Add something that is read on a vehicle, or change its card and its input",
    status_code=204,
    responses=ERRORS,
)
def put_function(
    database: DatabaseDep,
    uid: str,
    function_uid: UUID,
    body: Annotated[FunctionPart, example("A button", _FUNCTION)],
) -> None:
    """What uses its value is to be changed when its input changes: those places are open again."""
    _same_uid(body.uid, function_uid)
    save_function(database, uid_or_missing("vehicle", uid), core_of(body.to_core))


@router.delete(
    "/vehicles/{uid}/functions/{function_uid}",
    dependencies=[ARRANGE],
    summary="Remove a function; refused while a place that uses its value has not been changed",
    status_code=204,
    responses=ERRORS,
)
def delete_function(database: DatabaseDep, uid: str, function_uid: UUID) -> None:
    remove_function(database, uid_or_missing("vehicle", uid), function_uid)


_FEED: dict[str, Any] = {"name": "Gauges", "fuse_a": 5, "supply_m": 3, "return_m": 3, "area_mm2": 0.5,
                         "loads": [{"name": "Oil gauge", "steady_a": 0.4}]}  # fmt: skip


@router.put(
    "/vehicles/{uid}/feeds/{feed_uid}",
    dependencies=[ARRANGE],
    summary="Add a feed, or write it anew",
    status_code=204,
    responses=ERRORS,
)
def put_feed(
    database: DatabaseDep, uid: str, feed_uid: UUID, body: Annotated[FeedPart, example("Three gauges", _FEED)]
) -> None:
    _same_uid(body.uid, feed_uid)
    vehicle_uid = uid_or_missing("vehicle", uid)
    system_v = system_of(database, vehicle_uid)
    save_feed(database, vehicle_uid, KeptFeed(feed_uid, core_of(lambda: body.to_core(system_v))))


@router.delete(
    "/vehicles/{uid}/feeds/{feed_uid}",
    dependencies=[ARRANGE],
    summary="Remove a feed",
    status_code=204,
    responses=ERRORS,
)
def delete_feed(database: DatabaseDep, uid: str, feed_uid: UUID) -> None:
    remove_feed(database, uid_or_missing("vehicle", uid), feed_uid)


class TrialIn(BodyIn):
    at: str = Field(min_length=1, max_length=80, description="Between which two, such as “Squarer to display”")
    form: Form
    worked: bool
    note: str = Field("", max_length=200)
    technician_uid: UUID


_TRIAL = {"at": "Squarer to display", "form": "square wave", "worked": False, "technician_uid": _UID}


@router.post(
    "/vehicles/{uid}/trials",
    dependencies=[MEASURE],
    summary="Keep that an output of a conditioner was tried, and whether it worked",
    status_code=204,
    responses=MISSING,
)
def post_trial(database: DatabaseDep, uid: str, body: Annotated[TrialIn, example("A square wave", _TRIAL)]) -> None:
    keep_trial(database, uid_or_missing("vehicle", uid), **dict(body))


class KitLineIn(BodyIn):
    kind: KitKind = KitKind.PART
    text: str = Field(min_length=1, max_length=200)
    price: float | None = Field(None, ge=0, le=1e6)


@router.post(
    "/jobs/{uid}/kit", dependencies=[ARRANGE], summary="Add lines to a job's kit", status_code=201, responses=MISSING
)
def post_kit(database: DatabaseDep, uid: str, body: list[KitLineIn]) -> list[KitLinePart]:
    job_uid = uid_or_missing("job", uid)
    lines = core_of(lambda: [KitLine(uid=uuid4(), kind=b.kind, text=b.text, price=b.price) for b in body])
    add_kit_lines(database, job_uid, lines)
    return kit_parts(look_at_kit(database, job_uid).lines)


class TickIn(BodyIn):
    technician_uid: UUID | None = Field(description="Who ticks it; null opens it again")


@router.post(
    "/kit/{uid}/tick",
    dependencies=[MEASURE],
    summary="Tick a line of a kit, or open it again",
    status_code=204,
    responses=MISSING,
)
def post_tick(
    database: DatabaseDep, uid: str, body: Annotated[TickIn, example("Open", {"technician_uid": None})]
) -> None:
    tick_kit_line(database, uid_or_missing("kit line", uid), body.technician_uid)


@router.delete(
    "/kit/{uid}", dependencies=[ARRANGE], summary="Remove a line of a kit", status_code=204, responses=MISSING
)
def delete_kit_line(database: DatabaseDep, uid: str) -> None:
    remove_kit_line(database, uid_or_missing("kit line", uid))
