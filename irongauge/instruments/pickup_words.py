"""What can be wrong with a simulated pickup, by name. It stands alone so that a form knows the names without the simulator."""

from __future__ import annotations

__all__ = ["SURPRISE", "WRONGS"]

WRONGS = (
    "nothing",
    "a tooth out of place",
    "a tooth missing",
    "a ring off its centre",
    "halves of a ring apart",
    "two pull-ups",
    "noise",
    "sparks",
    "a loose pin",
    "lost below a speed",
    "a wave that is cut",
)
SURPRISE = "something, do not tell me"
