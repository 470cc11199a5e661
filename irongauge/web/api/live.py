"""`/api/v1/vehicles/…/live` and trouble codes of a job: what a bus tells now, and what its controller keeps, by program."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter
from pydantic import BaseModel, Field

from irongauge.core.live.codes import CodesWhen
from irongauge.core.live.record import BusAsked
from irongauge.errors import NotFoundError
from irongauge.formats.job_json import CodesPart
from irongauge.web.api.bodies import MISSING, PROBLEM, BodyIn, example
from irongauge.web.deps import DatabaseDep, ShopDep, uid_or_missing
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.live.codes import ask_codes, look_at_codes, type_codes
from irongauge.workflows.live.watching import begin_recording, end_recording, look_at_live, port_in
from irongauge.workflows.shop.queue import read_later

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")


class LiveValueOut(BaseModel):
    """A channel and its newest value of the last ten seconds, in its unit."""

    channel: str
    unit: str
    value: float | None


class LiveOut(BaseModel):
    """What a bus tells: when something came last, why nothing comes, and the recording that runs."""

    port: str
    heard_at: datetime | None
    trouble: str
    recording_since: datetime | None
    values: list[LiveValueOut]


class CodeStoryOut(BaseModel):
    """What became of a code; settled once it stayed away over a drive after it was cleared."""

    code: str
    state: str
    is_settled: bool


class JobCodesOut(BaseModel):
    """Every reading of a job's codes as in a job file, the oldest first, and what became of each code."""

    readings: list[CodesPart]
    stories: list[CodeStoryOut]


class CodesIn(BodyIn):
    """Codes off a handheld reader."""

    technician_uid: UUID
    stored: list[str] = Field(default=[], max_length=100)
    pending: list[str] = Field(default=[], max_length=100)
    when: CodesWhen = CodesWhen.READ
    driven_km: float | None = Field(None, ge=0, le=1e6)


class AskIn(BodyIn):
    """Codes that are to be read off the bus; with `clear` they are kept, then cleared."""

    technician_uid: UUID
    clear: bool = False


@router.get("/vehicles/{uid}/live", dependencies=[LOOK], summary="What a vehicle's bus tells now", responses=MISSING)
def get_live(database: DatabaseDep, uid: str) -> LiveOut:
    """Asking wakes the bus: the first answer may hold nothing yet."""
    view = look_at_live(database, port_in(database, uid_or_missing("vehicle", uid)))
    if view.port is None:
        raise NotFoundError("bus port", uid)
    return LiveOut(
        port=view.port.name,
        heard_at=view.port.heard_at,
        trouble=view.port.trouble,
        recording_since=None if view.recording is None else view.recording.begun_at,
        values=[LiveValueOut(channel=c.name, unit=c.unit, value=view.values.get(c.name)) for c in view.port.channels],
    )


@router.post(
    "/vehicles/{uid}/live/recording",
    dependencies=[MEASURE],
    status_code=204,
    summary="Begin to record",
    responses=MISSING,
)
def post_recording(database: DatabaseDep, uid: str) -> None:
    begin_recording(database, uuid4(), port_in(database, uid_or_missing("vehicle", uid)), None)


@router.delete(
    "/vehicles/{uid}/live/recording",
    dependencies=[MEASURE],
    summary="End the recording: it becomes a log",
    responses=MISSING,
)
def delete_recording(database: DatabaseDep, shop: ShopDep, uid: str) -> UUID:
    """The log's identity; it is read in the background like any other."""
    log_uid = end_recording(database, port_in(database, uid_or_missing("vehicle", uid)))
    read_later(database, log_uid, shop.uid)
    return log_uid


@router.get("/jobs/{uid}/codes", dependencies=[LOOK], summary="A job's trouble codes", responses=MISSING)
def get_codes(database: DatabaseDep, uid: str) -> JobCodesOut:
    view = look_at_codes(database, uid_or_missing("job", uid))
    return JobCodesOut(
        readings=[CodesPart.from_core(reading) for reading in view.readings],
        stories=[CodeStoryOut(code=s.code, state=s.state, is_settled=s.is_settled) for s in view.stories],
    )


@router.post(
    "/jobs/{uid}/codes",
    dependencies=[MEASURE],
    status_code=204,
    summary="Keep codes off a handheld reader",
    responses=PROBLEM,
)
def post_codes(
    database: DatabaseDep,
    uid: str,
    body: Annotated[
        CodesIn, example("two", {"technician_uid": str(UUID(int=1)), "stored": ["P0522"], "pending": ["P0118"]})
    ],
) -> None:
    type_codes(
        database,
        uuid4(),
        uid_or_missing("job", uid),
        body.technician_uid,
        stored=" ".join(body.stored),
        pending=" ".join(body.pending),
        when=body.when,
        driven_km=body.driven_km,
    )


@router.post(
    "/jobs/{uid}/codes/ask",
    dependencies=[MEASURE],
    status_code=204,
    summary="Read codes off the bus, or clear them",
    responses=PROBLEM,
)
def post_ask(database: DatabaseDep, uid: str, body: AskIn) -> None:
    """What is there is read and kept before anything is cleared."""
    asked = BusAsked.CLEAR_CODES if body.clear else BusAsked.READ_CODES
    ask_codes(database, uuid4(), uid_or_missing("job", uid), body.technician_uid, asked)
