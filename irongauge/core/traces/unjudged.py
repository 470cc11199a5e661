"""What of a log was not judged, and why: so that nothing found is not taken for nothing wrong."""

from __future__ import annotations

from collections.abc import Sequence

from irongauge.core.traces.record import KeptChannel
from irongauge.core.traces.senses import SENSES, SPEEDS, Sense

__all__ = ["unjudged"]

_MOST_NAMED = 6
_SLOWEST_S = 0.3  # between rows, beyond which neither noise nor steps are looked for


def unjudged(channels: Sequence[KeptChannel], seconds: float) -> tuple[str, ...]:
    """One sentence for each reason, with the channels that it holds of and what would do."""
    unitless = [c.name for c in channels if not c.unit and (c.sense.quantity is not None or c.sense in SPEEDS)]
    unknown = [c.name for c in channels if c.sense is Sense.OTHER and c.circuit_uid is None]
    computed = [c.name for c in channels if c.sense is not Sense.OTHER and not SENSES[c.sense].is_wired]
    slow = [c.name for c in channels if c.rows > 1 and seconds / (c.rows - 1) > _SLOWEST_S]
    return tuple(
        f"{_named(names)}: {why}"
        for names, why in (
            (unitless, "no unit is written, so that no health rule and no rest at key on is held against it. Say it below."),
            (unknown, "nobody has said what it is of, so that only a wire that drops out again and again is looked for."),
            (computed, "no sensor’s wire is behind it: dropouts and noise are not looked for."),
            (slow, "told too seldom for noise and steps to be told from the machine’s own."),
        )
        if names
    )  # fmt: skip


def _named(names: Sequence[str]) -> str:
    more = len(names) - _MOST_NAMED
    return ", ".join(names[:_MOST_NAMED]) + (f" and {more} more" if more > 0 else "")
