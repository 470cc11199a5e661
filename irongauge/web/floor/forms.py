"""Forms of the Floor: a vehicle, a job."""

from __future__ import annotations

from typing import Annotated
from uuid import uuid4

from irongauge.core.shop import HEIGHT_M, Vehicle
from irongauge.web.forms import Day, OptionalDay, OptionalTime, OptionalUid, PostedForm, choice, number, text
from irongauge.web.vehicle.forms import BATTERIES, batteries_from

__all__ = ["ArrivalForm", "JobForm", "VehicleForm"]


class VehicleForm(PostedForm):
    """A vehicle that is brought in."""

    tag: Annotated[str, text(20, what="the number or tag that the shop calls it by")]
    description: Annotated[str, text(120, what="what it is", needed=False)] = ""
    system_v: Annotated[str, choice("12", "24")] = "12"
    height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")]
    batteries: Annotated[str, choice("", *BATTERIES)] = ""

    def to_core(self) -> Vehicle:
        """The vehicle, with an identity of its own."""
        return Vehicle(
            uid=uuid4(),
            tag=self.tag,
            description=self.description,
            system_v=float(self.system_v),
            height_m=self.height_m,
            batteries=batteries_from(self.batteries),
        )


class ArrivalForm(VehicleForm):
    """A vehicle that comes in, with what is to be done; without that it is only added."""

    title: Annotated[str, text(120, what="the complaint, or what is to be commissioned", needed=False)] = ""
    received_on: OptionalDay = None
    promised_on: OptionalDay = None
    promised_by: OptionalTime = None
    technician_uid: OptionalUid = None


class JobForm(PostedForm):
    """A job on a vehicle."""

    vehicle_uid: OptionalUid = None
    title: Annotated[str, text(120, what="the complaint, or what is to be commissioned")]
    received_on: Day
    promised_on: Day
    promised_by: OptionalTime = None
    technician_uid: OptionalUid = None
    is_practice: Annotated[str, choice("", "yes")] = ""
