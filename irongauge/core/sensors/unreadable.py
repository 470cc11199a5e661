"""Readings that cannot be taken of a circuit, each with what is in the way: kept on its card, so that nobody asks again."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import TestPoint

__all__ = ["MOST_UNREADABLE", "Hindrance", "Unreadable"]

MOST_UNREADABLE = 60  # more than any circuit has test points


class Hindrance(StrEnum):
    """What is in the way of a reading, in the words in which it is said."""

    NO_TOOL = "no tool for it"
    NO_PROBE = "no probe reaches the pin"
    NO_STIMULUS = "the sensor cannot be put to that"
    OTHER = "something is in the way"
    SHOP_HAS_NONE = "the shop has no such tool"


@dataclass(frozen=True)
class Unreadable:
    """One reading that somebody said cannot be taken; what else that holds for is in `core/bench/reach.py`."""

    test_point: TestPoint
    hindrance: Hindrance
