"""The small values that everything else passes around: limits, marks, and one reading as it was taken."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from uuid import UUID

__all__ = ["ON_THE_WAY", "Glow", "Limits", "Mark", "Reading", "SupersedeReason", "TestPoint", "VehicleState"]


ON_THE_WAY = "way_v"  # the action that is done at a place on the way of a wire


class Mark(StrEnum):
    """What a reading, or a set of them, is worth. Four different things, never fewer."""

    PASS = "pass"  # noqa: S105  a mark, not a word to enter with
    FAIL = "fail"
    UNDECIDED = "undecided"
    NOT_MEASURED = "not measured"

    @staticmethod
    def worst(marks: Iterable[Mark]) -> Mark:
        """What a set of marks is worth: one that fails, else one undecided, else good; of nothing, not measured."""
        found = set(marks)
        return next((mark for mark in (Mark.FAIL, Mark.UNDECIDED, Mark.PASS) if mark in found), Mark.NOT_MEASURED)


class Glow(StrEnum):
    """How a 12 V test lamp of about 0.12 A answers: dark below 20 mA, dim to 80 mA, bright above."""

    DARK = "dark"
    DIM = "dim"
    BRIGHT = "bright"


class VehicleState(StrEnum):
    """The state the vehicle was in when a reading was taken."""

    BATTERY_OFF = "battery off"
    KEY_OFF = "key off"
    KEY_ON = "key on, engine off"
    IDLE = "idle"


class SupersedeReason(StrEnum):
    """Why a reading stands in place of an earlier one."""

    MISTYPED = "mistyped"
    AGAIN = "measured again"
    REPAIRED = "after repair"
    TAKEN_BACK = "taken back"


@dataclass(frozen=True)
class Limits:
    """A closed interval in a fixed unit; either end may be open."""

    low: float = -math.inf
    high: float = math.inf

    def __post_init__(self) -> None:
        if math.isnan(self.low) or math.isnan(self.high) or self.low > self.high:
            msg = f"limits {self.low} to {self.high} are not an interval"
            raise ValueError(msg)

    def __contains__(self, value: float) -> bool:
        return self.low <= value <= self.high


@dataclass(frozen=True)
class TestPoint:
    """The place in a circuit's test that one reading fills.

    `action` is a word of `actions.ACTIONS`, `cavity` names the connector pin, `point` the stimulus (0 for the first), `place` a
    connector on the wire's way, where it is not read at the sensor. Written `open_v:B`, `mated_v:C:1` or `way_v:C@X12:3`, which
    is how it travels in links, forms and files.
    """

    action: str
    cavity: str | None = None
    point: int | None = None
    place: str = ""

    def __str__(self) -> str:
        parts = [self.action]
        if self.cavity is not None or self.point is not None:
            parts.append(self.cavity or "")
        if self.point is not None:
            parts.append(str(self.point))
        return ":".join(parts) + (f"@{self.place}" if self.place else "")

    @classmethod
    def from_text(cls, text: str) -> TestPoint:
        """The test point written that way; `ValueError` when it is not one."""
        text, _, place = text.partition("@") if text.startswith(f"{ON_THE_WAY}:") else (text, "", "")
        parts = text.split(":")
        if not parts[0] or len(parts) > 3:  # noqa: PLR2004  action, cavity, point
            msg = f"{text!r} is not a place in a test"
            raise ValueError(msg)
        cavity = parts[1] or None if len(parts) > 1 else None
        point = int(parts[2]) if len(parts) > 2 else None  # noqa: PLR2004
        return cls(parts[0], cavity, point, place)


@dataclass(frozen=True, kw_only=True)
class Reading:
    """One reading as taken; never changed afterwards, only superseded by another.

    Either `value` (in the fixed unit `unit`) or `word` (a lamp's glow, or `OL` for an ohmmeter over range) is set.
    `stimulus_value` is in the fixed unit of the circuit's sensor. `typed` is what the technician entered. `way_share` is how far
    along its wire a reading at a place on the way was taken: 0 at the controller, 1 at the sensor. `read_off` is what a meter
    or a bus itself said, where the entry was filled from it; `overdue_why` is why one was used whose calibration was due.
    """

    uid: UUID
    test_point: TestPoint
    value: float | None
    word: str | None
    unit: str | None
    state: VehicleState
    typed: str
    technician_uid: UUID
    taken_at: datetime
    instrument_uid: UUID | None = None
    stimulus_value: float | None = None
    stimulus_instrument_uid: UUID | None = None
    supersedes_uid: UUID | None = None
    reason: SupersedeReason | None = None
    way_share: float | None = None
    read_off: str = ""
    overdue_why: str = ""

    def __post_init__(self) -> None:
        if (self.value is None) == (self.word is None):
            msg = "a reading has either a value or a word"
            raise ValueError(msg)
        if self.value is not None and not math.isfinite(self.value):
            msg = f"a reading is a finite number, not {self.value}"
            raise ValueError(msg)
        if (self.supersedes_uid is None) != (self.reason is None):
            msg = "a reading that supersedes another says why, and only such a one"
            raise ValueError(msg)
        on_the_way = bool(self.test_point.place) and self.test_point.action == ON_THE_WAY
        if (
            on_the_way != bool(self.test_point.place)
            or on_the_way == (self.way_share is None)
            or not 0 <= (self.way_share or 0.0) <= 1
        ):
            msg = "a reading on the way of a wire says how far along it was taken, and no other does"
            raise ValueError(msg)
