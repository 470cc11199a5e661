"""A log in ASAM MDF 4: every channel that has numbers, its groups' own times. Read by asammdf."""

from __future__ import annotations

import gc
import logging
from datetime import UTC
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irongauge.errors import BadFileError
from irongauge.formats.logs import LEAST_ROWS, MOST_CHANNELS, RawChannel, RawLog, named_apart, rising, spread

if TYPE_CHECKING:
    from asammdf import MDF
    from numpy.typing import NDArray

__all__ = ["read_log_mdf"]

_FIRST_YEAR = 1990  # a clock that was never set says an earlier one
_DO = "Save the measurement again from the program that recorded it."


def read_log_mdf(name: str, path: Path) -> RawLog:
    """Read a measurement; `BadFileError` for one that breaks off, is of an older version, or has no numbers."""
    from asammdf import MDF

    logging.getLogger("asammdf").setLevel(logging.CRITICAL)
    with path.open("rb") as file:
        head = file.read(16)
    if not head.startswith(b"MDF     4"):
        raise BadFileError(name, "It is no MDF 4 file, or its beginning is damaged.", "Save it as MDF 4 or as CSV.")
    try:
        with MDF(path) as mdf:
            started = mdf.header.start_time
            groups = [_of_group(mdf, at) for at in range(len(mdf.groups))]
    except Exception as error:
        # The library raises whatever a damaged block makes it stumble over.
        raise BadFileError(name, "It breaks off or is damaged.", _DO) from error
    gc.collect()  # the library's objects hold each other, and half a gigabyte of a large file
    groups = [group for group in groups if group and len(group[0].time_s) >= LEAST_ROWS]
    if not groups:
        raise BadFileError(name, "None of its channels has enough numbers.", f"A log has at least {LEAST_ROWS} rows.")
    if sum(map(len, groups)) > MOST_CHANNELS:
        raise BadFileError(name, f"It has {sum(map(len, groups))} channels.", f"At most {MOST_CHANNELS} are taken in.")
    begin = min(float(group[0].time_s[0]) for group in groups)
    channels: list[RawChannel] = []
    for group in groups:
        time_s = group[0].time_s - begin
        channels += [RawChannel(c.name, c.unit, time_s, c.value) for c in group]
    rows = max(len(group[0].time_s) for group in groups)
    started_at = started.astimezone(UTC) if started is not None and started.year > _FIRST_YEAR else None
    return RawLog(named_apart(channels), started_at, f"MDF 4, {len(channels)} channels, up to {rows:,} rows")


def _of_group(mdf: MDF, at: int) -> list[RawChannel]:
    """The channels of one group that have numbers, with one array of times."""
    master = mdf.masters_db.get(at)
    wanted = [(None, at, index) for index in range(len(mdf.groups[at].channels)) if index != master]
    if not wanted:
        return []
    signals = mdf.select(wanted, copy_master=False)
    time_s: NDArray[np.float64] | None = None
    keep: NDArray[np.int64] | None = None
    found = []
    for signal in signals:
        if signal.samples.dtype.kind not in "fiub" or signal.samples.ndim != 1 or not len(signal.timestamps):
            continue
        if time_s is None:
            whole = np.asarray(signal.timestamps, dtype=np.float64)
            keep = rising(whole)
            time_s = whole if keep is None else spread(whole[keep])
        value = signal.samples.astype(np.float32, copy=False)
        if signal.invalidation_bits is not None:
            value = np.where(signal.invalidation_bits, np.float32("nan"), value)
        found.append(
            RawChannel(signal.name[:80], (signal.unit or "")[:20], time_s, value if keep is None else value[keep])
        )
    return found
