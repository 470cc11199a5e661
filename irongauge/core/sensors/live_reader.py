"""What a technician's live data reader shows of a channel: without that, an empty or a stopped figure says nothing."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

__all__ = ["UNTOLD", "LiveReader", "Shown"]


class Shown(StrEnum):
    """The two things that a reader may show of a channel: what the controller reads, and what it makes of it."""

    SIGNAL = "signal"
    VALUE = "value"


@dataclass(frozen=True, kw_only=True)
class LiveReader:
    """What the reader shows of a channel, as far as anybody has said.

    `least` and `most` are where a shown value stops, in the fixed unit of what the sensor senses, and `fault_value` is what
    is shown in its place once the controller has set a fault; each None while it is not known.
    """

    shows_signal: bool = True
    shows_value: bool = True
    least: float | None = None
    most: float | None = None
    fault_value: float | None = None

    def __post_init__(self) -> None:
        if not all(math.isfinite(end) for end in (self.least, self.most, self.fault_value) if end is not None):
            msg = "what a reader shows at its ends is a number"
            raise ValueError(msg)
        if self.least is not None and self.most is not None and self.least >= self.most:
            msg = "a reader's value stops lower at its low end than at its high one"
            raise ValueError(msg)

    def shows(self, what: Shown) -> bool:
        """True for what this reader shows of a channel."""
        return self.shows_value if what is Shown.VALUE else self.shows_signal


UNTOLD = LiveReader()  # nobody has said anything yet: taken to show both, its ends not known
