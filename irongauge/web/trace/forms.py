"""Forms of the room Trace: a log, what a channel is of, a shop's own rule, bands."""

from __future__ import annotations

import re
from typing import Annotated
from uuid import uuid4

from irongauge.core.measure.units import PressureBase
from irongauge.core.traces.normals import HEATS, LOADS, SPEEDS, Condition
from irongauge.core.traces.record import ChannelMeaning, KeptRule
from irongauge.core.traces.rules import when_from
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.typed_normals import SENSES_TYPED
from irongauge.errors import EntryError, quoted
from irongauge.formats.log_headings import TIME_UNITS
from irongauge.web.forms import OptionalDay, OptionalUid, PostedForm, choice, optional_number, text

__all__ = [
    "MOST_S",
    "BandsForm",
    "ChannelForm",
    "EngineForm",
    "LogForm",
    "NormalsForm",
    "RuleForm",
    "TimesForm",
    "meaning_from",
    "rule_from",
    "seconds_from",
]


class LogForm(PostedForm):
    """A log that is handed in."""

    uid: OptionalUid = None
    vehicle_uid: OptionalUid = None
    technician_uid: OptionalUid = None
    time_unit: Annotated[str, choice("", *TIME_UNITS)] = ""


class ChannelForm(PostedForm):
    """What a channel is of; `heading` is its name in the log."""

    heading: Annotated[str, text(90, what="the channel")]
    sense: Annotated[str, choice(*Sense)] = Sense.OTHER
    unit: Annotated[str, text(20, what="the unit", needed=False)] = ""
    base: Annotated[str, choice("", *PressureBase)] = ""
    circuit_uid: OptionalUid = None


class TimesForm(PostedForm):
    """What a log's times are in."""

    time_unit: Annotated[str, choice(*TIME_UNITS)]


class EngineForm(PostedForm):
    """An engine that was fitted."""

    engine_uid: OptionalUid = None
    engine: Annotated[str, text(60, what="the engine’s number or name")]
    fitted_on: OptionalDay = None
    came_from: OptionalUid = None


class RuleForm(PostedForm):
    """A health rule, in words."""

    name: Annotated[str, text(80, what="a name for the rule")]
    when: Annotated[str, text(300, what="when it holds")]
    means: Annotated[str, text(200, what="what it means")]
    check: Annotated[str, text(200, what="the check that would confirm it")]
    why: Annotated[str, text(300, what="why it is believed", needed=False)] = ""


class NormalsForm(PostedForm):
    """Readings of a vehicle that was well, off a gauge."""

    uid: OptionalUid = None
    sense: Annotated[str, choice(*SENSES_TYPED)]
    readings: Annotated[str, text(2000, what="a reading", many_lines=True)]
    heat: Annotated[str, choice("", *HEATS)] = ""
    speed: Annotated[str, choice("", *SPEEDS)] = ""
    load: Annotated[str, choice("", *LOADS)] = ""
    read_on: OptionalDay = None

    @property
    def condition(self) -> Condition:
        """How the engine was; at idle and with the key on nobody asks for its load."""
        return Condition(self.heat, self.speed, self.load if self.speed in SPEEDS[2:] else "")


class BandsForm(PostedForm):
    """Ends of a band, in the channel's unit."""

    below: Annotated[float | None, optional_number(-1e6, 1e6, what="the lower end")] = None
    above: Annotated[float | None, optional_number(-1e6, 1e6, what="the upper end")] = None


def meaning_from(form: ChannelForm) -> ChannelMeaning:
    """What a channel means, as it was typed."""
    return ChannelMeaning(
        heading=form.heading,
        sense=Sense(form.sense),
        unit=form.unit,
        base=PressureBase(form.base) if form.base else None,
        circuit_uid=form.circuit_uid,
    )


def rule_from(form: RuleForm) -> KeptRule:
    """A shop's own rule; `EntryError` where its condition cannot be read."""
    when_from(form.when)
    return KeptRule(uid=uuid4(), name=form.name, when=form.when, means=form.means, check=form.check, why=form.why)


MOST_S = 1e9


def seconds_from(typed: str, field: str) -> float | None:
    """A time in a log as people type it, in s; None for nothing typed.

    >>> seconds_from("1:20.5", "from_s"), seconds_from("75", "from_s"), seconds_from("1:02:03", "from_s")
    (80.5, 75.0, 3723.0)
    """
    text_typed = typed.strip().replace(",", ".")
    if not text_typed:
        return None
    parts = text_typed.split(":")
    if len(parts) > 3 or not all(re.fullmatch(r"[0-9]{1,7}(\.[0-9]{0,3})?", part) for part in parts):  # noqa: PLR2004
        raise EntryError(field, typed, f"{quoted(typed)} is no time in the log.", "Type it as 80 or 1:20.")
    seconds = 0.0
    for part in parts:
        seconds = 60 * seconds + float(part)
    return seconds
