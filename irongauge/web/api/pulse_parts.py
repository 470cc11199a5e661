"""`/api/v1/pulse/…` and `/api/v1/captures`: the smaller questions for programs, captures handed in, and what is kept."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

from fastapi import APIRouter, Depends, Query
from pydantic import BaseModel, Field

from irongauge.core.pulses.principle import Looks, PrincipleFound, find_principle
from irongauge.core.pulses.record import About, Capture, KeptPulse
from irongauge.core.pulses.signal_parts import (
    AirGap,
    BusChannel,
    BusSettings,
    FuelReading,
    PullUpAdvice,
    air_gap,
    bus_channel,
    decode_fuel,
    pull_up_for,
    settings_for,
)
from irongauge.core.pulses.unequal import checked_angles
from irongauge.errors import EntryError, as_sentence
from irongauge.web.api.bodies import MISSING, PROBLEM, BodyIn, body_file, example
from irongauge.web.api.pulse_models import AnalyseOut
from irongauge.web.deps import DatabaseDep, uid_or_missing
from irongauge.web.permissions import LOOK, MEASURE
from irongauge.workflows.pulse.captures import NewCapture, look_at_capture, look_at_captures, take_in
from irongauge.workflows.pulse.kept_checks import kept_pulses

__all__ = ["router"]

router = APIRouter(prefix="/api/v1")

Volts = Annotated[float | None, Field(ge=-32, le=300, allow_inf_nan=False)]
Hertz = Annotated[float, Field(ge=1e-3, le=1e6, allow_inf_nan=False)]


class PrincipleIn(BodyIn):
    """What was seen of the sensor; leave out what was not looked at."""

    wires: int = Field(ge=2, le=4, examples=[3])
    supply_v: Volts = None
    low_v: Volts = Field(None, description="The lower of the two states that the signal rests in")
    high_v: Volts = None
    ac_v: Volts = Field(None, description="Alternating volts of its own while it turns")
    coil_ohm: float | None = Field(
        None, ge=0, le=1e9, description="Between the two wires; 1e9 where the meter is over range"
    )
    input_takes_sine: bool = False


class PullUpIn(BodyIn):
    to_v: float = Field(ge=0.1, le=32, examples=[5.0])
    highest_hz: Hertz = Field(examples=[2000.0])
    wire_m: float = Field(ge=0, le=100, examples=[4.0])
    pf_per_m: float = Field(100.0, ge=1, le=10_000, description="Capacitance of the wire")
    input_pf: float = Field(1000.0, ge=1, le=1e6, description="Capacitance of the input's filter")


class AirGapIn(BodyIn):
    readings_mm: list[Annotated[float, Field(ge=0, lt=50)]] = Field(min_length=3, max_length=200)
    least_mm: float = Field(ge=0, lt=50)
    most_mm: float = Field(gt=0, lt=50)


class FuelIn(BodyIn):
    frequency_hz: float = Field(ge=0, le=10_000)
    low_pulse_ms: float | None = Field(None, ge=1e-6, le=1000)


class BusIn(BodyIn):
    low_hz: Hertz = Field(description="At the lowest speed")
    high_hz: Hertz = Field(description="At the highest speed")
    pulses: int = Field(1, ge=1, le=1000, description="Averaged")
    frame_hz: Hertz = 20.0
    needed_hz: Hertz = Field(1.0, description="The fastest change that must be seen, per second")
    tick_s: float = Field(1e-6, ge=1e-12, le=1)


class BusOut(BaseModel):
    lowest: BusChannel
    highest: BusChannel
    best: BusSettings


@router.post("/pulse/principle", dependencies=[LOOK], summary="How a speed sensor makes its pulses", responses=PROBLEM)
def post_principle(
    body: Annotated[PrincipleIn, example("A Hall switch", {"wires": 3, "supply_v": 12.1, "low_v": 0.2, "high_v": 4.9})],
) -> PrincipleFound:
    """Reluctance, Hall or optical, a contact, two-wire current, or unclear; what is wrong; what is needed, or one too many."""
    return find_principle(
        Looks(**body.model_dump(exclude={"input_takes_sine"})), input_takes_sine=body.input_takes_sine
    )


@router.post("/pulse/pull-up", dependencies=[LOOK], summary="A pull-up from rise time and current", responses=PROBLEM)
def post_pull_up(
    body: Annotated[PullUpIn, example("Four metres of wire", {"to_v": 5, "highest_hz": 2000, "wire_m": 4})],
) -> PullUpAdvice:
    return pull_up_for(**body.model_dump())


@router.post(
    "/pulse/air-gap", dependencies=[LOOK], summary="Feelers round a ring against the sensor's window", responses=PROBLEM
)
def post_air_gap(
    body: Annotated[
        AirGapIn, example("Four places", {"readings_mm": [1.0, 1.05, 1.1, 1.05], "least_mm": 0.8, "most_mm": 1.3})
    ],
) -> AirGap:
    """`move_mm` above 0 is away from the ring."""
    try:
        return air_gap(body.readings_mm, body.least_mm, body.most_mm)
    except ValueError as error:
        raise EntryError("least_mm", f"{body.least_mm:g}", as_sentence(error)) from error


@router.post(
    "/pulse/fuel",
    dependencies=[LOOK],
    summary="Composition and temperature from a fuel sensor's pulses",
    responses=PROBLEM,
)
def post_fuel(
    body: Annotated[FuelIn, example("A good one", {"frequency_hz": 112, "low_pulse_ms": 2.74})],
) -> FuelReading:
    return decode_fuel(body.frequency_hz, body.low_pulse_ms)


@router.post(
    "/pulse/bus",
    dependencies=[LOOK],
    summary="Delay, resolution and rate of a channel over a module",
    responses=PROBLEM,
)
def post_bus(
    body: Annotated[BusIn, example("A driveshaft", {"low_hz": 20, "high_hz": 400, "needed_hz": 5})],
) -> BusOut:
    low_hz, high_hz = sorted((body.low_hz, body.high_hz))
    lowest, highest = (
        bus_channel(hertz, body.pulses, body.frame_hz, tick_s=body.tick_s) for hertz in (low_hz, high_hz)
    )
    return BusOut(
        lowest=lowest, highest=highest, best=settings_for(low_hz, high_hz, body.needed_hz, tick_s=body.tick_s)
    )


# What is kept


class CaptureOut(BaseModel):
    uid: UUID
    name: str
    note: str
    taken_at: datetime
    circuit_uid: UUID | None
    kept: bool
    found: AnalyseOut


def _capture_out(capture: Capture) -> CaptureOut:
    found = capture.examination
    return CaptureOut(
        uid=capture.uid,
        name=capture.name,
        note=capture.note,
        taken_at=capture.taken_at,
        circuit_uid=capture.circuit_uid,
        kept=capture.kept_uid is not None,
        found=AnalyseOut.from_core(found),
    )


@router.post(
    "/captures",
    dependencies=[MEASURE],
    status_code=201,
    summary="Hand in a captured waveform",
    responses=PROBLEM,
    openapi_extra={"requestBody": {"required": True, "content": {"text/csv": {}, "application/gzip": {}}}},
)
def post_capture(
    database: DatabaseDep,
    file: Annotated[Any, Depends(body_file)],
    name: Annotated[str, Query(min_length=1, max_length=120)],
    *,
    teeth: Annotated[int | None, Query(ge=2, le=1000)] = None,
    gap_teeth: Annotated[int | None, Query(ge=0, le=20)] = None,
    pull_up_v: Annotated[float | None, Query(gt=0, le=32)] = None,
    shunt_ohm: Annotated[float | None, Query(gt=0, le=10_000)] = None,
    angles_deg: Annotated[
        tuple[float, ...], Query(max_length=72, description="Of teeth unequal on purpose, one turn")
    ] = (),
    circuit_uid: UUID | None = None,
    column: Annotated[int | None, Query(ge=1, le=200, description="Of the volts; else the first that may be")] = None,
    time_unit: Annotated[Literal["", "s", "ms", "µs", "ns"], Query(description="Where the file does not say it")] = "",
    volts_unit: Annotated[Literal["", "V", "mV"], Query(description="Likewise")] = "",
    rate_hz: Annotated[float | None, Query(gt=0, le=1e11, description="Of a file without times")] = None,
) -> CaptureOut:
    """The file itself as the body: CSV of time and volts, plain or gzip, up to five million samples. It is examined and
    stored.
    """
    uid = uuid4()
    new = NewCapture(
        uid=uid,
        name=name,
        about=About(
            teeth=teeth,
            gap_teeth=gap_teeth,
            pull_up_v=pull_up_v,
            shunt_ohm=shunt_ohm,
            angles_deg=checked_angles(angles_deg),
        ),
        circuit_uid=circuit_uid,
        column=column,
        time_unit=time_unit,
        volts_unit=volts_unit,
        rate_hz=rate_hz,
    )
    for _ in take_in(database, new, file):
        pass
    return _capture_out(look_at_capture(database, uid).capture)


@router.get("/captures", dependencies=[LOOK], summary="The newest captures")
def get_captures(database: DatabaseDep) -> list[CaptureOut]:
    captures, _ = look_at_captures(database, None)
    return [_capture_out(capture) for capture in captures]


@router.get("/captures/{uid}", dependencies=[LOOK], summary="A capture and what was found of it", responses=MISSING)
def get_capture(database: DatabaseDep, uid: str) -> CaptureOut:
    return _capture_out(look_at_capture(database, uid_or_missing("capture", uid)).capture)


@router.get(
    "/circuits/{uid}/pulses",
    dependencies=[LOOK],
    summary="Checks of a sensor's pulses, the newest first",
    responses=MISSING,
)
def get_pulses(database: DatabaseDep, uid: str) -> list[KeptPulse]:
    return list(kept_pulses(database, uid_or_missing("circuit", uid)))
