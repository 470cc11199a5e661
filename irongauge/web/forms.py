"""The machinery of forms: field types with plain messages, and the state that a template shows again after an error."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date, time
from typing import Annotated, Any, TypeVar
from uuid import UUID
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import BaseModel, BeforeValidator, ConfigDict, ValidationError, ValidationInfo
from pydantic_core import PydanticCustomError

from irongauge.core.measure.entry import parse_entry, parse_number_in, parse_ratio
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.unit_names import unit_in_name
from irongauge.core.measure.units import Quantity
from irongauge.core.work.hours import clock_from
from irongauge.errors import EntryError, quoted

__all__ = [
    "Day",
    "FormState",
    "OptionalDay",
    "OptionalTime",
    "OptionalUid",
    "PostedForm",
    "Timezone",
    "choice",
    "in_its_words",
    "number",
    "optional_number",
    "read_form",
    "text",
    "told",
]


class PostedForm(BaseModel):
    """A form as a model. Every problem that its fields find is a sentence for people."""

    model_config = ConfigDict(extra="ignore", str_strip_whitespace=True, defer_build=True)


@dataclass(frozen=True)
class FormState:
    """What a form shows: the text in each field, and the message beside those that need one."""

    values: Mapping[str, str] = field(default_factory=dict)
    errors: Mapping[str, str] = field(default_factory=dict)

    def first_error(self) -> EntryError:
        """The first of the errors, to be raised again; there must be one."""
        name, problem = next(iter(self.errors.items()))
        return EntryError(name, self.values.get(name, ""), problem)

    def over(self, values: Mapping[str, str]) -> FormState:
        """This state with these values behind it: what was typed stays, the rest is filled in."""
        return FormState({**values, **self.values}, self.errors)

    def with_error(self, error: EntryError) -> FormState:
        """This state with one message more."""
        return FormState(self.values, {**self.errors, error.field: str(error)})


Model = TypeVar("Model", bound=PostedForm)
Read = TypeVar("Read")


def read_form(model: type[Model], posted: Mapping[str, str]) -> tuple[Model | None, FormState]:
    """The form's model, or None with the messages in the state; what was typed is in the state either way."""
    try:
        return model.model_validate(dict(posted)), FormState(posted)
    except ValidationError as error:
        messages: dict[str, str] = {}
        for problem in error.errors(include_url=False):
            name = str(problem["loc"][0]) if problem["loc"] else "form"
            text = "Nothing was chosen here." if problem["type"] == "missing" else problem["msg"]
            messages.setdefault(name, text)
        return None, FormState(posted, messages)


def told(check: Callable[[Any], Any]) -> BeforeValidator:
    """A validator that hands an `EntryError` on in its own words."""
    return BeforeValidator(lambda value: in_its_words(lambda: check(value)))


def in_its_words(check: Callable[[], Read]) -> Read:
    """What `check` gives, for a validator; an `EntryError` becomes the form's own problem in the same words."""
    try:
        return check()
    except EntryError as error:
        raise PydanticCustomError("entry", "{sentence}", {"sentence": str(error)}) from error


def text(longest: int, *, what: str, needed: bool = True, many_lines: bool = False) -> BeforeValidator:
    """A line of text, or many, of at most `longest` characters in all."""

    def check(value: Any) -> str:
        line = unicodedata.normalize("NFC", str(value or "")).strip()
        line = line.replace("\r\n", "\n") if many_lines else line
        if needed and not line:
            raise EntryError("", line, f"Type {what}.")
        if len(line) > longest:
            raise EntryError("", line, f"That is {len(line)} characters.", f"At most {longest} fit here.")
        if any(unicodedata.category(c) == "Cc" and not (many_lines and c in "\n\t") for c in line):
            raise EntryError("", line, "It has a character that cannot be shown.", "Type it again by hand.")
        return line

    return told(check)


def number(low: float, high: float, *, what: str) -> BeforeValidator:
    """A number whose unit stands in the label, and in the name of its field; it may be typed behind the number too."""
    return _number(low, high, what, is_needed=True)


def optional_number(low: float, high: float, *, what: str) -> BeforeValidator:
    """The same, or nothing."""
    return _number(low, high, what, is_needed=False)


def _number(low: float, high: float, what: str, *, is_needed: bool) -> BeforeValidator:
    def validate(value: Any, info: ValidationInfo) -> float | None:
        typed = str(value or "")
        if not is_needed and not typed.strip():
            return None
        unit, limits = unit_in_name(info.field_name or ""), Limits(low, high)
        return in_its_words(lambda: parse_number_in(typed, field="", unit=unit, limits=limits, what=what))

    return BeforeValidator(validate)


def optional_ratio() -> BeforeValidator:
    """A gear's ratio, as a number or as two wheels' teeth, or nothing."""

    def check(value: Any) -> float | None:
        typed = str(value or "")
        return parse_ratio(typed, field="") if typed.strip() else None

    return told(check)


def optional_ohms() -> BeforeValidator:
    """Ohms as a meter shows them, infinite where it is over its range, or nothing."""

    def check(value: Any) -> float | None:
        typed = str(value or "")
        if not typed.strip():
            return None
        ohm = parse_entry(typed, Quantity.RESISTANCE, field="", limits=Limits(0, 1e9), over_range=True).value
        return math.inf if ohm is None else ohm

    return told(check)


def choice(*words: str) -> BeforeValidator:
    """One word of a list."""

    def check(value: Any) -> str:
        if str(value) not in words:
            raise EntryError(
                "", str(value), f"{quoted(str(value))} is not one of the choices.", "Choose one from the list."
            )
        return str(value)

    return told(check)


def _day(value: Any) -> date | None:
    text = str(value or "").strip()
    if not text:
        return None
    try:
        day = date.fromisoformat(text)
    except ValueError:
        raise EntryError("", text, f"{quoted(text)} is not a date.", "Type it as year-month-day: 2026-11-25.") from None
    if not 2000 <= day.year <= 2100:  # noqa: PLR2004  a slip of the year
        raise EntryError("", text, f"{quoted(text)} is not a year of this shop.", "Type it as year-month-day.")
    return day


def _zone(value: Any) -> str:
    name = str(value or "")
    try:
        ZoneInfo(name)
    except (ValueError, OSError, ZoneInfoNotFoundError):
        raise EntryError("", name, f"{quoted(name)} is not a time zone.", "Choose one from the list.") from None
    return name


def _needed_day(value: Any) -> date:
    day = _day(value)
    if day is None:
        raise EntryError("", "", "Choose a day.")
    return day


def _uid(value: Any) -> UUID | None:
    text = str(value or "").strip()
    if not text:
        return None
    try:
        return UUID(text)
    except ValueError:
        raise EntryError("", text, f"{quoted(text)} is not one of the choices.", "Choose one from the list.") from None


Timezone = Annotated[str, told(_zone)]
Day = Annotated[date, told(_needed_day)]
OptionalDay = Annotated[date | None, told(_day)]
OptionalTime = Annotated[time | None, told(lambda value: clock_from(str(value or "")))]
OptionalUid = Annotated[UUID | None, told(_uid)]
