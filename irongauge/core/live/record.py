"""A way onto a vehicle's bus as it is kept, what is asked of it, and recordings of what it told."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any
from uuid import UUID

from irongauge.core.live.watching import LiveChannel

__all__ = ["MOST_WATCHED", "BusAsked", "BusPort", "BusRequest", "LiveSample", "Recording", "Watched"]

MOST_WATCHED = 12  # as many as can be read at a glance


class BusAsked(StrEnum):
    """What may be asked of a bus beside its values."""

    READ_CODES = "read codes"
    CLEAR_CODES = "clear codes"


@dataclass(frozen=True)
class Watched:
    """A channel that is watched large, with a band in its own unit that it is to stay within."""

    channel: str
    below: float | None = None
    above: float | None = None

    def is_beyond(self, value: float) -> bool:
        """True for a value outside what is watched for."""
        return (self.below is not None and value < self.below) or (self.above is not None and value > self.above)


@dataclass(frozen=True, kw_only=True)
class BusPort:
    """A way onto a bus: python-can's interface, channel and bits a second, and the vehicle that it is plugged in to.

    `frames` is the description of what comes by itself, where one is handed in; `wired` counts the changes for which an open one
    has to be opened anew. A simulated one has its bus inside the process; `memory` is what its controller keeps, and `acts` the
    test point, by circuit, that a simulated technician does. `trouble` says why nothing comes.
    """

    uid: UUID
    name: str
    interface: str
    channel: str
    bitrate: int = 500_000
    vehicle_uid: UUID | None = None
    frames_name: str = ""
    frames: bytes = b""
    is_simulated: bool = False
    wired: int = 0
    memory: Mapping[str, Any] = field(default_factory=dict)
    acts: Mapping[str, str] = field(default_factory=dict)
    acted_at: datetime | None = None
    watched: tuple[Watched, ...] = ()
    channels: tuple[LiveChannel, ...] = ()
    heard_at: datetime | None = None
    trouble: str = ""


@dataclass(frozen=True)
class LiveSample:
    """What a bus told at a moment, by the names of its channels; `number` counts up."""

    number: int
    at: datetime
    values: Mapping[str, float]


@dataclass(frozen=True, kw_only=True)
class Recording:
    """A stretch of what a bus tells that is kept as a log, which takes its identity."""

    uid: UUID
    port_uid: UUID
    vehicle_uid: UUID
    technician_uid: UUID | None
    begun_at: datetime
    ended_at: datetime | None = None


@dataclass(frozen=True, kw_only=True)
class BusRequest:
    """Codes asked for on a job: done once `done_at` is set, without success where there is `trouble`."""

    uid: UUID
    port_uid: UUID
    job_uid: UUID
    technician_uid: UUID
    asked: BusAsked
    done_at: datetime | None = None
    trouble: str = ""
