"""The shop's own things: who works there, what stands on the floor, and the job that each vehicle is in for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time
from uuid import UUID

from irongauge.core.bench.case import ShopLimits
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import Quantity, units_of
from irongauge.core.people.record import Seal
from irongauge.core.plan.joints import Joint
from irongauge.core.work.hours import USUAL_HOURS, Shift

__all__ = [
    "HEIGHT_M",
    "MOST_BATTERIES",
    "SIMULATOR_NAME",
    "SYSTEM_VOLTS",
    "USUAL_TOOLS",
    "IssuedSheet",
    "Job",
    "Picture",
    "Promise",
    "Remark",
    "Shop",
    "Technician",
    "Vehicle",
    "VehicleChange",
    "VehicleNote",
    "default_units",
]

SIMULATOR_NAME = "The simulator"  # the technician who takes the readings of jobs for practice
MOST_BATTERIES = 8
SYSTEM_VOLTS = (12.0, 24.0)  # nominal, of road and rail vehicles
# Where vehicles are tested, metres above sea level: below the lowest shores and above the highest roads there are, and within
# the layer that the standard atmosphere's formula is for.
HEIGHT_M = Limits(-500.0, 9000.0)


USUAL_TOOLS = {"hand pump": 1, "scope": 1}  # what a shop has one of


def default_units() -> dict[Quantity, str]:
    """The unit codes a new shop starts with."""
    chosen = {quantity: units_of(quantity)[0].code for quantity in Quantity}
    chosen[Quantity.PRESSURE] = "bar"
    chosen[Quantity.LENGTH] = "mm"
    return chosen


@dataclass(frozen=True, kw_only=True)
class Shop:
    """A workshop: where it is, the units it reads in, its limits, how it joins wires (None: by the place), when it works,
    of which tools there are only so many, whether a foreman may review what he or she tested, and what its sheets are printed on
    (a4 or letter). `height_m` is above sea level.
    """

    uid: UUID
    name: str
    height_m: float = 0.0
    timezone: str = "UTC"
    units: dict[Quantity, str] = field(default_factory=default_units)
    limits: ShopLimits = field(default_factory=ShopLimits)
    joint_school: Joint | None = None
    hours: tuple[Shift, ...] = USUAL_HOURS
    tools: Mapping[str, int] = field(default_factory=lambda: dict(USUAL_TOOLS))
    foreman_alone: bool = False
    paper: str = "a4"


@dataclass(frozen=True)
class Technician:
    """A person who takes readings or reviews them."""

    uid: UUID
    name: str


@dataclass(frozen=True)
class Vehicle:
    """A vehicle or machine. `height_m` is where it is tested, which sets today's standard atmosphere; `batteries` is how many it
    has, None where nobody said.
    """

    uid: UUID
    tag: str
    description: str
    system_v: float = 12.0
    height_m: float = 0.0
    batteries: int | None = field(default=None, kw_only=True)

    @property
    def battery_off(self) -> str:
        """How its batteries come off, beside a step that needs them off; empty where it has one."""
        if self.batteries == 1:
            return ""
        if self.batteries is None:
            return "Where there are two batteries, take the negative cable off both."
        each = "both" if self.batteries == 2 else f"all {self.batteries}"  # noqa: PLR2004
        return f"{self.tag} has {self.batteries} batteries: take the negative cable off {each}."

    def __post_init__(self) -> None:
        if self.system_v not in SYSTEM_VOLTS:
            msg = f"a vehicle has a system of {SYSTEM_VOLTS} V, not {self.system_v}"
            raise ValueError(msg)
        if self.batteries is not None and not 1 <= self.batteries <= MOST_BATTERIES:
            msg = f"a vehicle has 1 to {MOST_BATTERIES} batteries, not {self.batteries}"
            raise ValueError(msg)


@dataclass(frozen=True)
class Promise:
    """Until when a job is promised: a day, and where it was told a time of that day; else until the shop closes."""

    on: date
    by: time | None = None

    @property
    def until(self) -> datetime:
        """Its end by the shop's clock: the latest moment of its day where no time was told."""
        return datetime.combine(self.on, self.by or time.max)

    def __str__(self) -> str:
        return self.on.isoformat() + ("" if self.by is None else f" {self.by:%H:%M}")


@dataclass(frozen=True, kw_only=True)
class Job:
    """One stay of a vehicle in the shop. It is open until `handed_over_at` is set, with who reviewed it: somebody who did not
    test, or with `reviewed_alone` a foreman who did.

    One for practice has simulated circuits with hidden faults; it is never handed over. `goes_first` puts it before all others
    in the order of the work.
    """

    uid: UUID
    number: int
    vehicle: Vehicle
    title: str
    received_on: date
    promise: Promise
    technician: Technician
    handed_over_at: datetime | None = None
    reviewed_by: Technician | None = None
    reviewed_alone: bool = False
    is_practice: bool = False
    goes_first: bool = False

    def __post_init__(self) -> None:
        if self.promise.on < self.received_on:
            msg = "a job is promised on or after the day it was received"
            raise ValueError(msg)
        if (self.handed_over_at is None) != (self.reviewed_by is None):
            msg = "a job that is handed over was reviewed by someone, and only such a one"
            raise ValueError(msg)
        if self.is_practice and self.handed_over_at is not None:
            msg = "a job for practice is not handed over"
            raise ValueError(msg)

    @property
    def name(self) -> str:
        """The job as it is called in a sentence."""
        return f"Job {self.number} on {self.vehicle.tag}"


@dataclass(frozen=True, kw_only=True)
class IssuedSheet:
    """A sheet as it was signed, without its bytes: `digest` is their SHA-256, `code` what is printed on it to find it again by,
    `seal` how far the record of changes went then.
    """

    job_uid: UUID
    revision: int
    issued_at: datetime
    reviewer: Technician
    code: str
    digest: str
    seal: Seal


@dataclass(frozen=True, kw_only=True)
class Remark:
    """Why a job was sent back by who reviews it; open until somebody says that it was seen to."""

    uid: UUID
    text: str
    by: Technician
    written_at: datetime
    answered_by: Technician | None = None
    answered_at: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class VehicleChange:
    """What was changed of a vehicle, or of the promise of one of its jobs: from what to what, by whom, when and why."""

    uid: UUID
    what: str
    old: str
    new: str
    changed_at: datetime
    why: str = ""
    job_uid: UUID | None = None
    technician_uid: UUID | None = None


@dataclass(frozen=True)
class VehicleNote:
    """Something worth knowing the next time that a vehicle comes in."""

    uid: UUID
    text: str
    technician_uid: UUID
    written_at: datetime


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A picture of a vehicle, without its bytes."""

    uid: UUID
    title: str
    media_type: str
    width: int
    height: int
    added_at: datetime
