"""A log as it is kept: what was handed in and how far its reading is, its channels, and what a vehicle's headings mean."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from uuid import UUID

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.traces.findings import LogFinding
from irongauge.core.traces.senses import Sense

__all__ = ["ChannelMeaning", "KeptChannel", "KeptLog", "KeptReading", "KeptRule", "LogState"]


class LogState(StrEnum):
    """How far a log is."""

    WAITING = "waiting"
    READING = "reading"
    READY = "ready"
    REFUSED = "refused"


@dataclass(frozen=True, kw_only=True)
class ChannelMeaning:
    """What a heading means on a vehicle, once for all its logs: what it is of, its unit as chosen ("" for as written), its base,
    the circuit whose sensor it shows.
    """

    heading: str
    sense: Sense = Sense.OTHER
    unit: str = ""
    base: PressureBase | None = None
    circuit_uid: UUID | None = None


@dataclass(frozen=True, kw_only=True)
class KeptChannel:
    """A channel of a kept log without its values: where it stands, how many rows, from what to what, on which times.

    Values are kept as the file has them; in the unit they are `scale` times that and `offset`, or `scale_below` times those that
    are below zero, where the scale is split there.
    """

    place: int
    name: str
    written_unit: str
    unit: str
    quantity: Quantity | None
    base: PressureBase | None
    sense: Sense
    circuit_uid: UUID | None
    rows: int
    times: int
    scale: float = 1.0
    offset: float = 0.0
    low: float | None = None
    high: float | None = None
    scale_below: float | None = None

    @property
    def is_split(self) -> bool:
        """True where its display shows inches of mercury below zero and psi above."""
        return self.scale_below is not None


@dataclass(frozen=True, kw_only=True)
class KeptLog:
    """A log: its vehicle, the file's name, how far its reading is, and once it is ready its channels and findings.

    One that `is_well` was driven when the vehicle was well: its readings are among the vehicle's normals, those of
    `well_stretch_s` only where it is told. `logger` is the same for files that are written alike; `taken_unit` that of times of
    which the file does not say it.
    """

    uid: UUID
    vehicle_uid: UUID
    job_uid: UUID | None
    name: str
    note: str
    state: LogState
    doing: str
    share: float
    seconds: float
    started_at: datetime | None
    added_at: datetime
    technician_uid: UUID | None
    is_well: bool = False
    well_stretch_s: tuple[float, float] | None = None
    logger: str = ""
    taken_unit: str = ""
    channels: tuple[KeptChannel, ...] = ()
    findings: tuple[LogFinding, ...] = ()


@dataclass(frozen=True, kw_only=True)
class KeptRule:
    """A shop's own health rule."""

    uid: UUID
    name: str
    when: str
    means: str
    check: str
    why: str


@dataclass(frozen=True, kw_only=True)
class KeptReading:
    """A reading of what is usual, by the name of what it is of, with the log and the job that it is from."""

    channel: str
    condition: str
    value: float
    unit: str
    at_least: bool
    taken_at: datetime
    log_uid: UUID | None = None
    job_uid: UUID | None = None
    uid: UUID | None = None
