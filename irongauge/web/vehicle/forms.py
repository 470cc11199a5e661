"""Forms of the vehicle's page."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator
from pydantic_core import PydanticCustomError

from irongauge.core.shop import HEIGHT_M, Vehicle
from irongauge.errors import EntryError
from irongauge.web.forms import Day, OptionalUid, PostedForm, choice, number, text

__all__ = ["CardForm", "NoteForm", "PictureForm", "PromiseForm", "RetireForm", "long_text"]


def long_text(longest: int, what: str) -> BeforeValidator:
    """Text of several lines."""

    def check(value: Any) -> str:
        typed = str(value or "").replace("\r\n", "\n").strip()
        try:
            if not typed:
                raise EntryError("", "", f"Type {what}.")
            if len(typed) > longest:
                raise EntryError("", "", f"That is {len(typed)} characters.", f"At most {longest} fit here.")
        except EntryError as error:
            raise PydanticCustomError("entry", "{sentence}", {"sentence": str(error)}) from error
        return typed

    return BeforeValidator(check)


class CardForm(PostedForm):
    """The card, and beside it what the page showed, so that nobody's change is written over unseen."""

    tag: Annotated[str, text(20, what="the number or tag that the shop calls it by")]
    description: Annotated[str, text(120, what="what it is", needed=False)] = ""
    system_v: Annotated[str, choice("12", "24")] = "12"
    height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")]
    seen_tag: str = ""
    seen_description: str = ""
    seen_system_v: Annotated[str, choice("12", "24")] = "12"
    seen_height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height that the page showed")]
    technician_uid: OptionalUid = None

    def card_of(self, vehicle: Vehicle) -> Vehicle:
        return Vehicle(vehicle.uid, self.tag, self.description, float(self.system_v), self.height_m)

    def seen_of(self, vehicle: Vehicle) -> Vehicle:
        return Vehicle(vehicle.uid, self.seen_tag, self.seen_description, float(self.seen_system_v), self.seen_height_m)


class PromiseForm(PostedForm):
    promised_on: Day
    seen_promised_on: Day
    why: Annotated[str, text(200, what="why it moves")]
    technician_uid: OptionalUid = None


class NoteForm(PostedForm):
    text: Annotated[str, long_text(2000, "what is worth knowing the next time")]
    technician_uid: OptionalUid = None


class PictureForm(PostedForm):
    title: Annotated[str, text(120, what="what it shows", needed=False)] = ""


class RetireForm(PostedForm):
    why: Annotated[str, text(200, what="why it is not there any more", needed=False)] = ""
