"""Forms of the vehicle's page."""

from __future__ import annotations

from typing import Annotated

from irongauge.core.shop import HEIGHT_M, MOST_BATTERIES, Vehicle
from irongauge.web.forms import Day, OptionalTime, OptionalUid, PostedForm, choice, number, text

__all__ = ["BATTERIES", "CardForm", "NoteForm", "PictureForm", "PromiseForm", "RetireForm", "batteries_from"]


BATTERIES = tuple(str(number) for number in range(1, MOST_BATTERIES + 1))


def batteries_from(typed: str) -> int | None:
    """How many batteries, None where nobody says."""
    return int(typed) if typed else None


class CardForm(PostedForm):
    """The card, and beside it what the page showed, so that nobody's change is written over unseen."""

    tag: Annotated[str, text(20, what="the number or tag that the shop calls it by")]
    description: Annotated[str, text(120, what="what it is", needed=False)] = ""
    system_v: Annotated[str, choice("12", "24")] = "12"
    height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")]
    batteries: Annotated[str, choice("", *BATTERIES)] = ""
    seen_batteries: Annotated[str, choice("", *BATTERIES)] = ""
    seen_tag: str = ""
    seen_description: str = ""
    seen_system_v: Annotated[str, choice("12", "24")] = "12"
    seen_height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height that the page showed")]
    technician_uid: OptionalUid = None

    def card_of(self, vehicle: Vehicle) -> Vehicle:
        """The vehicle's card that the form describes."""
        return Vehicle(
            uid=vehicle.uid,
            tag=self.tag,
            description=self.description,
            system_v=float(self.system_v),
            height_m=self.height_m,
            batteries=batteries_from(self.batteries),
        )

    def seen_of(self, vehicle: Vehicle) -> Vehicle:
        """The card that was looked at when the form was made."""
        return Vehicle(
            uid=vehicle.uid,
            tag=self.seen_tag,
            description=self.seen_description,
            system_v=float(self.seen_system_v),
            height_m=self.seen_height_m,
            batteries=batteries_from(self.seen_batteries),
        )


class PromiseForm(PostedForm):
    """By when a job is promised."""

    promised_on: Day
    promised_by: OptionalTime = None
    seen_promised_on: Day
    seen_promised_by: OptionalTime = None
    why: Annotated[str, text(200, what="why it moves")]
    technician_uid: OptionalUid = None


class NoteForm(PostedForm):
    """A note on a vehicle."""

    note: Annotated[str, text(2000, what="what is worth knowing the next time", many_lines=True)]
    technician_uid: OptionalUid = None


class PictureForm(PostedForm):
    """A picture of a vehicle."""

    title: Annotated[str, text(120, what="what it shows", needed=False)] = ""


class RetireForm(PostedForm):
    """Why a circuit is not there any more."""

    why: Annotated[str, text(200, what="why it is not there any more", needed=False)] = ""
