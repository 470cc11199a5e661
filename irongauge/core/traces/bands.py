"""Peaks and bands: the least and greatest value with their moments, and how long a channel was beyond its band."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irongauge.core.traces.channels import Channel
from irongauge.core.traces.figures import joined, runs_of

__all__ = ["Peaks", "peaks_of"]

_MOST_PLACES = 200  # more than anybody looks through


@dataclass(frozen=True, kw_only=True)
class Peaks:
    """Ends of a channel with their moments, and seconds below and above a band with the places; in the channel's unit."""

    least: float
    least_s: float
    greatest: float
    greatest_s: float
    below_s: float
    above_s: float
    at_s: tuple[tuple[float, float], ...]


def peaks_of(channel: Channel, below: float | None = None, above: float | None = None) -> Peaks | None:
    """What a channel does at its ends, and beyond a band where one is given; None for one without values.

    A value holds until the next one, but for no longer than five usual steps.
    """
    has = np.isfinite(channel.value)
    times, value = channel.time_s[has], channel.value[has]
    if len(value) <= 1:  # nothing goes on between them
        return None
    steps = np.diff(times, append=times[-1])
    steps = np.minimum(steps, 5 * float(np.median(steps[:-1])))
    is_below = np.zeros(len(value), dtype=bool) if below is None else value < below
    is_above = np.zeros(len(value), dtype=bool) if above is None else value > above
    spans = [(float(times[a]), float(times[b])) for a, b in runs_of(is_below | is_above)]
    low, high = int(np.argmin(value)), int(np.argmax(value))
    return Peaks(
        least=float(value[low]),
        least_s=float(times[low]),
        greatest=float(value[high]),
        greatest_s=float(times[high]),
        below_s=float(steps[is_below].sum()),
        above_s=float(steps[is_above].sum()),
        at_s=tuple(joined(spans, 1.0)[:_MOST_PLACES]),
    )
