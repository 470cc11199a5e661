"""What is measured, as one shape for people and machines."""

from __future__ import annotations

import statistics
from dataclasses import dataclass

__all__ = ["Figure", "p95"]


@dataclass(frozen=True)
class Figure:
    """One measured number. `target` is what the design promises, where it promises one."""

    name: str
    value: float
    unit: str
    target: str = ""


def p95(times: list[float]) -> float:
    return statistics.quantiles(times, n=20)[-1]
