"""`./iron measure practice --cases FILE`: circuits made elsewhere, on the Bench's own path to the verdict that people read.

Each line of the file is a circuit with what is known of it, every reading that could be taken, and the admissible answers. The
card is filled with what a person would know: all that the file tells, or with `--unknown-inputs` nothing of the controller's
inputs, with `--unknown-roles` no pin's role, with `--unknown-meter` a meter of which nobody knows how good it is.
"""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.workflows.converse import family_of, fault_from_label, work_spec
from tools.figures import Figure, p95

__all__ = ["practice_figures"]

# The readings' own meter, in words of a data sheet: 0.5 % and two digits on 6000 counts, a usual one.
_METER = {"reading_pct": 0.5, "digits": 2, "counts": 6000}


@dataclass(frozen=True, kw_only=True)
class _Case:
    """One circuit of the file, and how much of it is told."""

    record: dict[str, Any]
    told: frozenset[str]


@dataclass(frozen=True, kw_only=True)
class _Outcome:
    """What came of one circuit."""

    name: str
    truth: str
    accepted: frozenset[str]
    leader: str
    said: str
    level: VerdictLevel
    is_sure: bool
    readings: int
    seconds: float

    @property
    def is_good(self) -> bool:
        """True for a circuit with nothing wrong."""
        return self.truth == "none"

    @property
    def is_wrong(self) -> bool:
        """True where something was said for sure, and it was not so."""
        return self.is_sure and self.said not in self.accepted


def _worked(case: _Case) -> _Outcome:
    record = case.record
    spec = dict(record["spec"])
    if "inputs" not in case.told:
        spec["inputs"] = {}
    spec["roles_known"] = "roles" in case.told
    if "meter" in case.told:
        spec["meter"] = _METER
    family = family_of(spec)
    started = time.perf_counter()
    worked = work_spec(spec, record["answers"], record["answers"].get)
    diagnosis = worked.found.diagnosis
    assert diagnosis is not None  # it was concluded
    return _Outcome(
        name=record["id"],
        truth=record["truth"]["fault"],
        accepted=frozenset(fault_from_label(label, family) for label in record["truth"]["accept"]),
        leader=diagnosis.leader.fault,
        said=worked.said,
        level=worked.level,
        is_sure=worked.is_sure,
        readings=worked.readings,
        seconds=time.perf_counter() - started,
    )


def practice_figures(cases: Path, told: frozenset[str], step: int = 1) -> list[Figure]:
    """Every `step`-th circuit of a file worked to its verdict; `told` are which of inputs, roles and meter the card knows."""
    records = [json.loads(line) for line in cases.read_text(encoding="utf-8").splitlines() if line.strip()]
    work = [_Case(record=record, told=told) for record in records[::step]]
    with ProcessPoolExecutor(mp_context=get_context("fork")) as pool:
        found = list(pool.map(_worked, work, chunksize=4))
    for one in found:
        if one.is_wrong or one.leader not in one.accepted:
            print(f"{one.name}: {one.truth}; said {one.level}, {one.said}{' (sure and wrong)' if one.is_wrong else ''}")
    return _figures(found)


def _share(found: Sequence[_Outcome], of: Callable[[_Outcome], bool]) -> float:
    return 100 * sum(map(of, found)) / max(1, len(found))


def _figures(found: Sequence[_Outcome]) -> list[Figure]:
    good, faulty = [o for o in found if o.is_good], [o for o in found if not o.is_good]
    return [
        Figure("circuits", len(found), ""),
        Figure("leader right", _share(found, lambda o: o.leader in o.accepted), "%", "at least 97 / 95 / 93"),
        Figure("sure and wrong", _share(found, lambda o: o.is_wrong), "%", "at most 0.5"),
        Figure("faults passed as good", sum(o.level.is_done and o.is_wrong for o in faulty), "", "0"),
        Figure("good circuits proved good", _share(good, lambda o: o.level.is_done), "%", "at least 95 / 92 / 90"),
        Figure("good ones called faulty", _share(good, lambda o: o.level is VerdictLevel.FAULT), "%", "at most 0.5"),
        *(
            Figure(f"readings to a verdict, {kind}, median", statistics.median(o.readings for o in some), "", most)
            for kind, some, most in (("faulty", faulty, "6 / 7 / 10"), ("good", good, "at most 14"))
            if some
        ),
        Figure(
            "a reading to the next question, p95", 1000 * p95([o.seconds / max(1, o.readings) for o in found]), "ms"
        ),
    ]
