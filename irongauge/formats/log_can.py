"""A recorded CAN trace (candump, ASC, BLF), decoded with a DBC file: every signal of it that is on the bus becomes a channel.

Frames are read by python-can, and decoded by cantools.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import numpy as np

from irongauge.errors import BadFileError, as_sentence
from irongauge.formats.logs import LEAST_ROWS, MOST_CHANNELS, RawChannel, RawLog, named_apart, rising

if TYPE_CHECKING:
    from cantools.database.can import Database, Message

__all__ = ["CAN_SUFFIXES", "read_dbc", "read_log_can"]

CAN_SUFFIXES = {".log", ".asc", ".blf"}
_MOST_FRAMES = 20_000_000


def read_dbc(name: str, content: bytes) -> Database:
    """The description of a bus's frames. `BadFileError` for one that cannot be read or contradicts itself."""
    import cantools
    from cantools.database.errors import Error as DescriptionError

    try:
        found = cantools.database.load_string(content.decode("cp1252", "replace"), database_format="dbc", strict=True)
    except DescriptionError as error:
        raise BadFileError(
            name, as_sentence(error)[:300], "Mend the DBC file, or ask for one that is right."
        ) from error
    except Exception as error:
        raise BadFileError(name, "It is no DBC file that can be read.", "Hand in the bus’s DBC file.") from error
    assert not isinstance(found, cantools.database.diagnostics.Database)  # only DBC was asked for
    if not found.messages:
        raise BadFileError(name, "It describes no frames.", "Hand in the bus’s DBC file.")
    return found


def read_log_can(name: str, path: Path, dbc_name: str, dbc: bytes) -> RawLog:
    """Read a trace; `BadFileError` where it or its DBC file cannot be read, or nothing on the bus is described there."""
    messages = {(m.frame_id, m.is_extended_frame): m for m in read_dbc(dbc_name, dbc).messages}
    frames, unknown, taken, broken = _frames(name, path, messages)
    channels = [channel for one in taken.values() for channel in one.channels()]
    channels = [c for c in channels if len(c.time_s) >= LEAST_ROWS and np.isfinite(c.value).any()]
    if not channels:
        raise BadFileError(
            name, f"None of its {frames:,} frames is described by {dbc_name}.", "Hand in the DBC file of this bus."
        )
    if len(channels) > MOST_CHANNELS:
        raise BadFileError(name, f"It has {len(channels)} signals.", f"At most {MOST_CHANNELS} are taken in.")
    note = f"{frames:,} frames by {dbc_name}, {unknown:,} of them not described there{broken}"
    return RawLog(named_apart(channels), None, note)


def _frames(
    name: str, path: Path, messages: Mapping[tuple[int, bool], Message]
) -> tuple[int, int, dict[int, _Taken], str]:
    """How many frames there are, how many are not described, what was taken of the others, and whether the trace breaks off."""
    import can

    logging.getLogger("can").setLevel(logging.CRITICAL)
    taken: dict[int, _Taken] = {}
    frames = unknown = 0
    begin: float | None = None
    try:
        with can.LogReader(path) as reader:
            for frame in islice(reader, _MOST_FRAMES + 1):
                frames += 1
                begin = frame.timestamp if begin is None else begin
                message = messages.get((frame.arbitration_id, frame.is_extended_id))
                if message is None or frame.is_error_frame or frame.is_remote_frame:
                    unknown += 1
                else:
                    taken.setdefault(message.frame_id, _Taken(message)).take(frame.timestamp - begin, frame.data)
    except Exception as error:
        if frames < LEAST_ROWS:
            raise BadFileError(
                name, "It is no CAN trace that can be read.", "Save it as candump, ASC or BLF."
            ) from error
        return frames, unknown, taken, "; it breaks off"
    if frames > _MOST_FRAMES:
        raise BadFileError(name, f"It has over {_MOST_FRAMES:,} frames.", "Part the trace.")
    return frames, unknown, taken, ""


class _Taken:
    """What was taken of one message: times, and the values of each of its signals."""

    def __init__(self, message: Message) -> None:
        self._message = message
        self._values: dict[str, list[float]] = {signal.name: [] for signal in message.signals}
        self.times: list[float] = []

    def take(self, time_s: float, data: bytes | bytearray) -> None:
        try:
            told = cast("dict[str, Any]", self._message.decode(bytes(data), decode_choices=False, allow_truncated=True))
        except Exception:  # noqa: BLE001  a frame of another length tells nothing
            told = {}
        self.times.append(time_s)
        for name, values in self._values.items():
            value = told.get(name)
            values.append(float(value) if isinstance(value, int | float) else float("nan"))

    def channels(self) -> list[RawChannel]:
        units = {signal.name: signal.unit or "" for signal in self._message.signals}
        time_s = np.array(self.times)
        keep = rising(time_s)
        time_s = time_s if keep is None else time_s[keep]
        found = []
        for name, values in self._values.items():
            value = np.array(values, dtype=np.float32)
            found.append(RawChannel(name[:80], units[name][:20], time_s, value if keep is None else value[keep]))
        return found
