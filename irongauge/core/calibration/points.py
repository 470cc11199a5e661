"""The points of a calibration: a known stimulus, and what was read with it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

__all__ = ["CalibrationPoint", "Run"]


class Run(StrEnum):
    """Which way the stimulus was being changed when a point was taken."""

    UP = "up"
    DOWN = "down"


@dataclass(frozen=True, kw_only=True)
class CalibrationPoint:
    """One point: the stimulus applied, the reading, and the reference where it was read with this point.

    `left_out` is the technician's reason for keeping it out of the line; it stays on the record and is judged like any.
    `stimulus_step` is the last digit that was read of the gauge.
    """

    stimulus: float
    reading: float
    run: Run = Run.UP
    reference_v: float | None = None
    stimulus_step: float = 0.0
    left_out: str = ""

    def __post_init__(self) -> None:
        if not math.isfinite(self.stimulus) or not math.isfinite(self.reading):
            msg = "a point is a finite stimulus and a finite reading"
            raise ValueError(msg)
