"""`/api/v1/…/logs`, rules and normals: logs handed in by program, what is found in them, what is usual for a vehicle."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

from fastapi import APIRouter, Depends, Query
from pydantic import BaseModel, Field

from irongauge.core.measure.units import PressureBase
from irongauge.core.traces.record import ChannelMeaning, KeptChannel, KeptLog, LogState
from irongauge.core.traces.senses import Sense
from irongauge.web.api.bodies import MISSING, PROBLEM, BodyIn, body_file, example
from irongauge.web.deps import DatabaseDep, ShopDep, uid_or_missing
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.shop.queue import judge_later, read_later
from irongauge.workflows.trace.health_rules import dry_run
from irongauge.workflows.trace.log_channels import tell_channels
from irongauge.workflows.trace.logs import NewLog, hand_in, look_at_log, look_at_logs
from irongauge.workflows.trace.normals import look_at_normals, say_well, standings_of

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")


class LogChannelOut(BaseModel):
    """A channel; `low` and `high` are its ends, in its unit."""

    name: str
    unit: str
    sense: Sense
    circuit_uid: UUID | None
    low: float | None
    high: float | None

    @classmethod
    def of(cls, channel: KeptChannel) -> LogChannelOut:
        return cls(
            name=channel.name,
            unit=channel.unit,
            sense=channel.sense,
            circuit_uid=channel.circuit_uid,
            low=channel.low,
            high=channel.high,
        )


class LogFindingOut(BaseModel):
    """What is found: in which channel, where, how large in its unit, and the check that would confirm it."""

    kind: str
    channel: str
    sentence: str
    follow_up: str
    at_s: list[tuple[float, float]]
    size: float | None
    others: list[str]
    blames: str


class LogOut(BaseModel):
    """A log; channels and findings once it is `ready`. `doing` says why it was refused, where it was."""

    uid: UUID
    vehicle_uid: UUID
    name: str
    state: LogState
    doing: str
    share: float
    seconds: float
    started_at: datetime | None
    is_well: bool
    channels: list[LogChannelOut]
    findings: list[LogFindingOut]

    @classmethod
    def of(cls, log: KeptLog) -> LogOut:
        return cls(
            uid=log.uid,
            vehicle_uid=log.vehicle_uid,
            name=log.name,
            state=log.state,
            doing=log.doing,
            share=log.share,
            seconds=log.seconds,
            started_at=log.started_at,
            is_well=log.is_well,
            channels=[LogChannelOut.of(channel) for channel in log.channels],
            findings=[
                LogFindingOut(
                    kind=f.kind,
                    channel=f.channel,
                    sentence=f.sentence,
                    follow_up=f.follow_up,
                    at_s=list(f.at_s),
                    size=f.size,
                    others=list(f.others),
                    blames=f.blames,
                )
                for f in log.findings
            ],
        )


class ChannelIn(BodyIn):
    """What a heading means, for every log of the vehicle."""

    heading: str = Field(min_length=1, max_length=90)
    sense: Sense = Sense.OTHER
    unit: str = Field("", max_length=20, description="Empty for the one as written")
    base: PressureBase | None = None
    circuit_uid: UUID | None = None

    def to_core(self) -> ChannelMeaning:
        return ChannelMeaning(
            heading=self.heading, sense=self.sense, unit=self.unit, base=self.base, circuit_uid=self.circuit_uid
        )


class WellIn(BodyIn):
    is_well: bool


class RuleIn(BodyIn):
    when: str = Field(min_length=1, max_length=300)


class RuleTriedOut(BaseModel):
    """What a rule says of a log; `lacks` are its channels that the log does not have."""

    log_uid: UUID
    holds: bool
    sentence: str
    lacks: list[str]


class NormalOut(BaseModel):
    """What is usual in a condition; the trend over all logs, with the chance that it is none."""

    channel: str
    condition: str
    median: float
    spread: float
    count: int
    unit: str
    since: datetime | None
    at_least: bool
    change: float | None
    chance_of_none: float | None


class NormalsOut(BaseModel):
    normals: list[NormalOut]
    missing: list[tuple[str, str]]


class StandingOut(BaseModel):
    """Where a log's readings stand: so many standard deviations from what is usual."""

    channel: str
    condition: str
    value: float
    count: int
    usual: float
    spread: float
    unit: str
    mark: str
    apart: float | None


@router.post(
    "/vehicles/{uid}/logs",
    dependencies=[MEASURE],
    status_code=202,
    summary="Hand in a recorded log",
    responses=MISSING,
    openapi_extra={"requestBody": {"required": True, "content": {"text/csv": {}, "application/octet-stream": {}}}},
)
def post_log(
    database: DatabaseDep,
    shop: ShopDep,
    uid: str,
    *,
    file: Annotated[Any, Depends(body_file)],
    name: Annotated[str, Query(min_length=1, max_length=120)],
    time_unit: Annotated[Literal["", "s", "ms", "µs", "min"], Query(description="Where the file does not say it")] = "",
) -> LogOut:
    """The file itself as the body: CSV of any logger, plain or gzip, or MDF 4. A worker reads it; ask again until it is ready."""
    new = NewLog(uid=uuid4(), name=name, vehicle_uid=uid_or_missing("vehicle", uid), time_unit=time_unit)
    hand_in(database, new, file)
    read_later(database, new.uid, shop.uid)
    return LogOut.of(look_at_log(database, new.uid).log)


@router.get(
    "/vehicles/{uid}/logs", dependencies=[LOOK], summary="Logs of a vehicle, the newest first", responses=MISSING
)
def get_logs(database: DatabaseDep, uid: str) -> list[LogOut]:
    """Without their channels."""
    return [LogOut.of(log) for log in look_at_logs(database, uid_or_missing("vehicle", uid)).logs]


@router.get("/logs/{uid}", dependencies=[LOOK], summary="A log with what is found in it", responses=MISSING)
def get_log(database: DatabaseDep, uid: str) -> LogOut:
    return LogOut.of(look_at_log(database, uid_or_missing("log", uid)).log)


@router.post(
    "/logs/{uid}/channels", dependencies=[MEASURE], status_code=204, summary="Say what headings mean", responses=MISSING
)
def post_channels(
    database: DatabaseDep,
    shop: ShopDep,
    uid: str,
    body: Annotated[list[ChannelIn], Field(min_length=1, max_length=1000)],
) -> None:
    """They hold for every later log of the vehicle; this one is judged again."""
    log_uid = uid_or_missing("log", uid)
    if tell_channels(database, log_uid, [one.to_core() for one in body]):
        judge_later(database, log_uid, shop.uid)


@router.post(
    "/logs/{uid}/well",
    dependencies=[MEASURE],
    status_code=204,
    summary="Say that the vehicle was well on a log",
    responses=MISSING,
)
def post_well(database: DatabaseDep, uid: str, body: Annotated[WellIn, example("well", {"is_well": True})]) -> None:
    say_well(database, uid_or_missing("log", uid), is_well=body.is_well)


@router.get("/logs/{uid}/standings", dependencies=[LOOK], summary="Where a log's readings stand", responses=MISSING)
def get_standings(database: DatabaseDep, uid: str) -> list[StandingOut]:
    log = look_at_log(database, uid_or_missing("log", uid)).log
    return [
        StandingOut(
            channel=line.normal.channel,
            condition=str(line.normal.condition),
            value=line.value,
            count=line.count,
            usual=line.normal.median,
            spread=line.normal.spread,
            unit=line.normal.unit,
            mark=line.mark,
            apart=line.standing.apart if line.standing.apart < _FAR else None,
        )
        for line in standings_of(database, log)
    ]


_FAR = 1e9  # where all readings were the same, one that differs is any number of deviations away


@router.get("/vehicles/{uid}/normals", dependencies=[LOOK], summary="What is usual for a vehicle", responses=MISSING)
def get_normals(database: DatabaseDep, uid: str) -> NormalsOut:
    view = look_at_normals(database, uid_or_missing("vehicle", uid))
    return NormalsOut(
        normals=[
            NormalOut(
                channel=line.normal.channel,
                condition=str(line.normal.condition),
                median=line.normal.median,
                spread=line.normal.spread,
                count=line.normal.count,
                unit=line.normal.unit,
                since=line.normal.since,
                at_least=line.normal.at_least,
                change=None if line.trend is None else line.trend.change,
                chance_of_none=None if line.trend is None else line.trend.chance_of_none,
            )
            for line in view.lines
        ],
        missing=[(str(sense), str(condition)) for sense, condition in view.missing],
    )


@router.post("/traces/rule", dependencies=[LOOK], summary="Try a health rule on the newest logs", responses=PROBLEM)
def post_rule(
    database: DatabaseDep,
    body: Annotated[RuleIn, example("oil", {"when": "oil pressure < 50 kPa while engine speed > 500 rpm for 5 s"})],
) -> list[RuleTriedOut]:
    return [
        RuleTriedOut(
            log_uid=tried.log.uid,
            holds=tried.finding is not None,
            sentence="" if tried.finding is None else tried.finding.sentence,
            lacks=list(tried.lacks),
        )
        for tried in dry_run(database, body.when)
    ]
