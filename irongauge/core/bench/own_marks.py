"""Whether a fault's own marks bear it out: no pin is moved and no part replaced where all that speaks of it passes.

A diagnosis weighs all readings together and may name a part of which every reading taken is right. Likely or not, that is no
ground for a repair: what was read at the part itself has to be out, or at least undecided.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.judgement import Judgement
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, FAULT_WORDS
from irongauge.core.measure.quantities import Mark, TestPoint
from irongauge.core.sensors.circuits import Role

__all__ = ["Proof", "own_marks_pass", "own_parts", "part_read"]


class Proof(StrEnum):
    """The five things that a circuit must be proved at before hand-over."""

    REFERENCE = "reference"
    RETURN = "return"
    SIGNAL_WIRE = "signal wire"
    SIGNAL = "signal"
    LIVE = "live data"


_WIRE = frozenset({Proof.SIGNAL_WIRE, Proof.SIGNAL, Proof.LIVE})
# By the place of a fault, as its words name it: what has to be out before it is acted on. Of an input no limit speaks: what hangs
# on it shows in readings that are all within theirs.
_OWN: Mapping[str, frozenset[Proof]] = {
    "wire.reference": frozenset({Proof.REFERENCE}),
    "wire.return": frozenset({Proof.RETURN}),
    "wire.signal": _WIRE,
    "wire.temperature": _WIRE,
    "live.signal": frozenset({Proof.LIVE, Proof.SIGNAL_WIRE}),  # an unplugged channel is read to prove its wire
    "live.temperature": frozenset({Proof.LIVE, Proof.SIGNAL_WIRE}),
    "cross": frozenset({Proof.REFERENCE, Proof.RETURN, Proof.SIGNAL_WIRE, Proof.SIGNAL}),
    "feed": frozenset({Proof.REFERENCE}),
    "sensor": frozenset({Proof.SIGNAL}),
    "clamp": _WIRE,
}
_OF_FAULT: Mapping[str, frozenset[Proof]] = {
    "sensor_short": frozenset(
        {Proof.SIGNAL, Proof.REFERENCE}
    ),  # of a sensor's faults the one that shows where it is fed
    "thermistor_curve": frozenset(
        {Proof.SIGNAL, Proof.LIVE}
    ),  # the controller reads its ohms more closely than a window of volts
    "pair_crossed": frozenset({Proof.LIVE, Proof.SIGNAL_WIRE}),  # good by itself, wrong only where it arrives
}
_BY_ROLE = {
    Role.REFERENCE: Proof.REFERENCE, Role.RETURN: Proof.RETURN, Role.SIGNAL: Proof.SIGNAL_WIRE,
    Role.TEMPERATURE: Proof.SIGNAL_WIRE, Role.PLUS: Proof.SIGNAL_WIRE, Role.MINUS: Proof.SIGNAL_WIRE,
}  # fmt: skip


def part_read(case: BenchCase, test_point: TestPoint, proof: Proof | None) -> Proof | None:
    """What a reading speaks of: the proof that it counts towards, or for a follow-up the wire or part it is taken at."""
    if proof is not None:
        return proof
    if test_point.action == Action.SENSOR_OHM:
        return Proof.SIGNAL
    role = None if test_point.cavity is None else case.role_of(test_point.cavity)
    return None if role is None else _BY_ROLE[role]


def own_marks_pass(fault: str, judged: Iterable[tuple[Proof | None, Judgement]]) -> bool:
    """True where a fault, or each of two, has marks of its own and none of them is out or undecided.

    `judged` are the readings with what each speaks of.
    """
    out = {part for part, judgement in judged if judgement.mark in {Mark.FAIL, Mark.UNDECIDED}}
    return any(own and not own & out for own in map(own_parts, fault.split(DOUBLE_JOIN)))


def own_parts(fault: str) -> frozenset[Proof]:
    """What is read at the part that one fault is of; empty for one with no marks of its own."""
    return _OF_FAULT.get(fault) or _OWN.get(FAULT_WORDS[fault].place, frozenset())
