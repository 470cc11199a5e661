"""A capture's samples as they are stored: packed into bytes, and read again whole or a stretch at a time."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.stretch import BLOCK, Stretch, even_step_s, overview_of, stretch_of
from irongauge.core.pulses.record import Capture
from irongauge.store.pulse_models import CaptureRow
from irongauge.store.repositories import Store
from irongauge.store.repositories.pulses import Samples

Floats = NDArray[np.float64]

__all__ = ["packed", "stretch", "whole"]


def packed(time_s: Floats, signal_v: Floats) -> tuple[float | None, Samples]:
    """The step between samples, None where it varies, and the bytes that are stored."""
    volts = signal_v.astype("<f4")
    signal, overview = volts.tobytes(), overview_of(volts).astype("<f4").tobytes()
    step_s = even_step_s(time_s)
    if step_s is not None:
        return step_s, Samples(signal, overview)
    times = time_s.astype("<f8")
    return None, Samples(signal, overview, times.tobytes(), times[::BLOCK].tobytes())


def whole(store: Store, capture: Capture) -> tuple[Floats, Floats]:
    """Times and volts of every sample."""
    samples = store.pulses.samples(capture.uid)
    signal_v = np.frombuffer(samples.signal, dtype="<f4").astype(np.float64)
    if capture.step_s is not None:
        return _even(0, capture.samples, capture.step_s), signal_v
    return np.frombuffer(samples.times, dtype="<f8"), signal_v


def stretch(store: Store, capture: Capture, from_s: float, until_s: float, columns: int) -> Stretch:
    """What a picture of a stretch needs, in at most so many columns; times outside the capture are taken as its ends."""
    blocks_s: Floats | None = None
    if capture.step_s is None:
        blocks_s = _floats(store, capture, CaptureRow.overview_times, 0, -1)
    first, last = (_index(capture, blocks_s, moment) for moment in (from_s, until_s))
    # One more on either side, so that the line leaves the picture at its edges.
    first, last = max(first - 1, 0), min(last + (BLOCK if blocks_s is not None else 2), capture.samples - 1)
    count = last - first + 1
    if count <= columns * BLOCK:
        raw = store.pulses.part(capture.uid, CaptureRow.signal, 4 * first, 4 * count)
        volts = np.frombuffer(raw, dtype="<f4")
        if capture.step_s is not None:
            return stretch_of(_even(first, count, capture.step_s), volts, volts, columns)
        return stretch_of(_floats(store, capture, CaptureRow.times, first, count), volts, volts, columns)
    block, blocks = first // BLOCK, -(-count // BLOCK)
    raw = store.pulses.part(capture.uid, CaptureRow.overview, 8 * block, 8 * blocks)
    pairs = np.frombuffer(raw, dtype="<f4").reshape(-1, 2)
    if blocks_s is None:
        assert capture.step_s is not None  # else the blocks have times of their own
        blocks_s = _even(block, len(pairs), BLOCK * capture.step_s)
    else:
        blocks_s = blocks_s[block : block + len(pairs)]
    return stretch_of(blocks_s, pairs[:, 0], pairs[:, 1], columns)


def _even(first: int, count: int, step_s: float) -> Floats:
    return np.arange(first, first + count, dtype=np.float64) * np.float64(step_s)


def _index(capture: Capture, blocks_s: Floats | None, moment_s: float) -> int:
    """The sample at or just before a moment; the first of its block where the samples do not come evenly."""
    if blocks_s is None:
        assert capture.step_s is not None
        at = int(min(max(moment_s, 0.0), capture.seconds) / capture.step_s)
    else:
        at = BLOCK * max(int(np.searchsorted(blocks_s, moment_s, side="right")) - 1, 0)
    return min(at, capture.samples - 2)


def _floats(store: Store, capture: Capture, column: object, first: int, count: int) -> Floats:
    length = 8 * (capture.samples if count < 0 else count)
    assert column is CaptureRow.times or column is CaptureRow.overview_times
    return np.frombuffer(store.pulses.part(capture.uid, column, 8 * first, length), dtype="<f8")
