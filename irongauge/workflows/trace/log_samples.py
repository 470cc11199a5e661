"""A log's samples as they are stored: packed into bytes, read again whole or a stretch at a time."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.stretch import BLOCK, Stretch, even_step_s, overview_of, stretch_of
from irongauge.core.traces.record import KeptChannel
from irongauge.store.repositories import Store
from irongauge.store.repositories.traces import ChannelBytes, TimesBytes
from irongauge.store.trace_models import LogChannelRow, LogTimesRow

Times = NDArray[np.float64]
Values = NDArray[np.float32]

__all__ = ["channel_bytes", "in_unit", "stretch", "times_bytes", "whole_times", "whole_values"]


def times_bytes(time_s: Times) -> TimesBytes:
    step_s = even_step_s(time_s)
    begin_s = float(time_s[0])
    if step_s is not None:
        return TimesBytes(len(time_s), begin_s, step_s, b"", b"")
    times = time_s.astype("<f8")
    return TimesBytes(len(time_s), begin_s, None, times.tobytes(), times[::BLOCK].tobytes())


def channel_bytes(channel: KeptChannel, value: Values) -> ChannelBytes:
    values = np.where(np.isfinite(value), value, np.float32("nan")).astype("<f4", copy=False)
    return ChannelBytes(channel, values.tobytes(), overview_of(values).astype("<f4", copy=False).tobytes())


def whole_times(store: Store, uid: UUID, place: int) -> Times:
    rows, begin_s, step_s = store.traces.times(uid, place)
    if step_s is not None:
        return begin_s + np.arange(rows, dtype=np.float64) * np.float64(step_s)
    return np.frombuffer(store.traces.times_part(uid, place, LogTimesRow.times, 0, 8 * rows), dtype="<f8")


def whole_values(store: Store, uid: UUID, channel: KeptChannel) -> Values:
    """All values of a channel, as its file has them."""
    raw = store.traces.channel_part(uid, channel.place, LogChannelRow.content, 0, 4 * channel.rows)
    return np.frombuffer(raw, dtype="<f4")


def in_unit(values: Values, channel: KeptChannel) -> Values:
    """Values of a channel in its unit."""
    if (channel.scale, channel.offset, channel.scale_below) == (1.0, 0.0, None):
        return values
    exact = values.astype(np.float64)
    scale = channel.scale if channel.scale_below is None else np.where(exact < 0, channel.scale_below, channel.scale)
    return (exact * scale + channel.offset).astype(np.float32)


def stretch(store: Store, uid: UUID, channel: KeptChannel, span_s: tuple[float, float], columns: int) -> Stretch:
    """What a picture of a stretch needs of a channel, in at most so many columns; times beyond the log are taken as its ends."""
    rows, begin_s, step_s = store.traces.times(uid, channel.times)
    blocks_s = None
    if step_s is None:
        count = -(-rows // BLOCK)
        raw = store.traces.times_part(uid, channel.times, LogTimesRow.overview_times, 0, 8 * count)
        blocks_s = np.frombuffer(raw, dtype="<f8")
        at = [BLOCK * max(int(np.searchsorted(blocks_s, moment, side="right")) - 1, 0) for moment in span_s]
        first, last = at[0], at[1] + BLOCK
    else:
        first, last = (int((moment - begin_s) / step_s) for moment in span_s)
    # One more on either side, so that the line leaves the picture at its edges.
    first, last = min(max(first - 1, 0), rows - 1), min(max(last + 2, 0), rows - 1)
    count = last - first + 1
    if count <= columns * BLOCK:
        raw = store.traces.channel_part(uid, channel.place, LogChannelRow.content, 4 * first, 4 * count)
        values = in_unit(np.frombuffer(raw, dtype="<f4"), channel)
        if step_s is not None:
            times = begin_s + np.arange(first, first + count, dtype=np.float64) * np.float64(step_s)
        else:
            part = store.traces.times_part(uid, channel.times, LogTimesRow.times, 8 * first, 8 * count)
            times = np.frombuffer(part, dtype="<f8")
        return stretch_of(times, values, values, columns)
    block, blocks = first // BLOCK, -(-count // BLOCK)
    raw = store.traces.channel_part(uid, channel.place, LogChannelRow.overview, 8 * block, 8 * blocks)
    pairs = in_unit(np.frombuffer(raw, dtype="<f4"), channel).reshape(-1, 2)
    if step_s is not None:
        times = begin_s + np.arange(block, block + len(pairs), dtype=np.float64) * np.float64(BLOCK * step_s)
    else:
        assert blocks_s is not None  # times that do not come evenly have an overview
        times = blocks_s[block : block + len(pairs)]
    return stretch_of(times, pairs[:, 0], pairs[:, 1], columns)
