"""Forms of the order of the work."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Annotated
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from irongauge.core.shop import Shop
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.steps import Heat, WorkState
from irongauge.errors import EntryError, quoted
from irongauge.formats.lists import lines_of, made_of_each
from irongauge.web.forms import OptionalUid, PostedForm, choice, number, text

__all__ = [
    "AddForm",
    "BeforeForm",
    "CoverForm",
    "HoursForm",
    "PinForm",
    "StatusForm",
    "cover_from",
    "moment_from",
    "said_from",
    "tools_from",
    "tools_text",
]

_MOST_TOOLS, _MOST_OF_A_TOOL = 50, 99
_MOMENT = re.compile(r"(\d{4}-\d{2}-\d{2})[T ](\d{1,2}:\d{2})")


class StatusForm(PostedForm):
    """How far a step is."""

    key: Annotated[str, text(200, what="which step")]
    status: Annotated[str, choice(*Status)]
    technician_uid: OptionalUid = None
    why: Annotated[str, text(200, what="why", needed=False)] = ""
    confirmed: Annotated[str, choice("", "yes")] = ""


class PinForm(PostedForm):
    """When a step is to be done, and by whom."""

    key: Annotated[str, text(200, what="which step")]
    at: str = ""
    only_uid: OptionalUid = None


class AddForm(PostedForm):
    """A step that the plan does not know."""

    vehicle_uid: OptionalUid = None
    title: Annotated[str, text(120, what="what is to be done")]
    minutes: Annotated[float, number(1, 10_000, what="its minutes")] = 30
    state: Annotated[str, choice(*WorkState)] = WorkState.KEY_OFF
    heat: Annotated[str, choice(*Heat)] = Heat.ANY
    people: Annotated[str, choice("1", "2")] = "1"
    tool: Annotated[str, text(40, what="a tool", needed=False)] = ""
    after: str = ""
    before: str = ""
    not_before: str = ""
    caution: Annotated[str, text(200, what="a caution", needed=False)] = ""


class CoverForm(PostedForm):
    """What lies over a place, so that it is taken off once."""

    cover: Annotated[str, text(100, what="what is opened up")]
    cover_minutes: Annotated[float, number(1, 10_000, what="its minutes")] = 5
    back: Annotated[str, text(100, what="how it is closed again")]
    back_minutes: Annotated[float, number(1, 10_000, what="its minutes")] = 5
    cover_heat: Annotated[str, choice(*Heat)] = Heat.ANY
    cover_caution: Annotated[str, text(200, what="a caution", needed=False)] = ""


class BeforeForm(PostedForm):
    """A step set before another, or before none."""

    key: Annotated[str, text(200, what="which step")]
    before: str = ""


class HoursForm(PostedForm):
    """When somebody works."""

    worker_uid: OptionalUid = None  # whose they are; empty for the shop's
    hours: str = ""
    own: Annotated[str, choice("", "shop")] = ""


def moment_from(typed: str, shop: Shop, field: str) -> datetime | None:
    """A day and a time as the browser's field gives them, where the shop is; nothing is none."""
    if not typed.strip():
        return None
    match = _MOMENT.fullmatch(typed.strip()[:16])
    try:
        if match is None:
            raise ValueError
        made = datetime.strptime(f"{match[1]} {match[2]}", "%Y-%m-%d %H:%M")  # noqa: DTZ007  its zone follows
        if not 2000 <= made.year <= 2200:  # noqa: PLR2004  no work is planned beyond
            raise ValueError
    except ValueError:
        raise EntryError(field, typed, f"{quoted(typed)} is no day and time.", "Such as 2026-12-03 10:30.") from None
    return made.replace(tzinfo=ZoneInfo(shop.timezone))


def said_from(form: AddForm, shop: Shop) -> SaidOfStep:
    """The step that a person adds; `EntryError` naming the field that does not fit."""
    if form.vehicle_uid is None:
        raise EntryError("vehicle_uid", "", "Choose the vehicle.")
    if form.minutes != int(form.minutes):
        raise EntryError("minutes", f"{form.minutes:g}", "Minutes come whole.", "Type a whole number.")
    uid: UUID = uuid4()
    return SaidOfStep(
        uid=uid,
        vehicle_uid=form.vehicle_uid,
        key=f"{form.vehicle_uid}/added:{uid}",
        title=form.title,
        minutes=int(form.minutes),
        state=WorkState(form.state),
        heat=Heat(form.heat),
        people=int(form.people),
        tools=(form.tool,) if form.tool else (),
        after=(form.after,) if form.after else (),
        before=(form.before,) if form.before else (),
        caution=form.caution,
        not_before=moment_from(form.not_before, shop, "not_before"),
    )


def cover_from(form: CoverForm, vehicle_uid: UUID, values: Mapping[str, str]) -> SaidOfStep:
    """What is opened up and closed again, with the circuits that are behind it, each ticked by its own field."""
    uid = uuid4()
    return SaidOfStep(
        uid=uid,
        vehicle_uid=vehicle_uid,
        key=f"{vehicle_uid}/added:{uid}",
        title=form.cover,
        minutes=round(form.cover_minutes),
        back_title=form.back,
        back_minutes=round(form.back_minutes),
        heat=Heat(form.cover_heat),
        behind=tuple(sorted(name.removeprefix("behind.") for name in values if name.startswith("behind."))),
        caution=form.cover_caution,
    )


def tools_from(typed: str) -> dict[str, int]:
    """Lines of `hand pump: 2`; `BadListError` tells every line that is none."""
    found = dict(made_of_each(lines_of(typed), "tools", _tool))
    if len(found) > _MOST_TOOLS:
        raise EntryError("tools", "", f"That is {len(found)} tools.", f"At most {_MOST_TOOLS} are planned with.")
    return found


def _tool(line: str) -> tuple[str, int]:
    name, _, count = (part.strip() for part in line.rpartition(":"))
    if not name or not count.isascii() or not count.isdigit() or int(count) > _MOST_OF_A_TOOL:
        raise EntryError("tools", line, f"{quoted(line.strip())} is no tool with a number.", "Write: hand pump: 1")
    return name[:40], int(count)


def tools_text(shop: Shop) -> str:
    """The shop's tools as they are typed: a line for each."""
    return "\n".join(f"{name}: {count}" for name, count in shop.tools.items())
