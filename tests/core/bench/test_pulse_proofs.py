"""How checks of a sensor's pulses count beside its readings: towards the five proofs, and in the verdict."""

from __future__ import annotations

from dataclasses import replace

import pytest

from irongauge.core.bench.assessment import Proof, VerdictLevel, assess, conclude
from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.record import PulseKind, PulseMark
from tests.cards import GOOD, PULLED_DOWN, case


def _assessed(*pulses, readings=GOOD | PULLED_DOWN):
    return assess(replace(case(readings), pulses=tuple(PulseMark(kind, mark, "as it is") for kind, mark in pulses)))


def _marks(assessment):
    return {p.proof: p.mark for p in assessment.proofs}


COUNTS = [
    (PulseKind.WAVEFORM, Proof.SIGNAL),
    (PulseKind.GAP, Proof.SIGNAL),
    (PulseKind.FUEL, Proof.SIGNAL),
    (PulseKind.PRINCIPLE, Proof.SIGNAL_WIRE),
    (PulseKind.SPEED, Proof.LIVE),
    (PulseKind.BUS, Proof.LIVE),
]


@pytest.mark.parametrize(("kind", "proof"), COUNTS)
@pytest.mark.parametrize("mark", [Mark.FAIL, Mark.UNDECIDED, Mark.PASS])
def test_a_check_sets_the_proof_that_it_belongs_to_and_no_other(kind, proof, mark):
    found = _assessed((kind, mark))
    assert _marks(found) == {p: mark if p is proof else Mark.PASS for p in Proof}
    before = {p.proof: p.wanted for p in _assessed().proofs}
    after = {p.proof: p.wanted for p in found.proofs}
    assert after == {p: before[p] + (p is proof) for p in Proof}


def test_a_failed_check_is_a_fault_though_every_reading_is_good():
    found = _assessed((PulseKind.WAVEFORM, Mark.FAIL), (PulseKind.GAP, Mark.UNDECIDED))
    assert found.verdict.level is VerdictLevel.FAULT
    assert found.verdict.headline == "Captured waveform: as it is"
    assert [p.kind for p in found.pulses_out] == [PulseKind.WAVEFORM]
    told = conclude(found)
    assert told.verdict == found.verdict
    assert told.next_test is None


def test_an_undecided_check_keeps_the_circuit_open():
    found = _assessed((PulseKind.SPEED, Mark.UNDECIDED))
    assert (found.verdict.level, found.verdict.headline) == (VerdictLevel.OPEN, "Road speed: as it is")
    assert [p.kind for p in found.pulses_out] == [PulseKind.SPEED]


def test_good_checks_and_what_is_only_expected_leave_it_proved():
    found = _assessed((PulseKind.WAVEFORM, Mark.PASS), (PulseKind.EXPECTED, Mark.NOT_MEASURED))
    assert found.verdict.level is VerdictLevel.GOOD
    assert found.pulses_out == ()


def test_a_good_check_does_not_stand_in_for_a_reading():
    readings = {test_point: value for test_point, value in GOOD.items() if not test_point.startswith("mated_v:C")}
    assert len(readings) < len(GOOD)
    assert _marks(_assessed((PulseKind.WAVEFORM, Mark.PASS), readings=readings))[Proof.SIGNAL] is Mark.NOT_MEASURED


def test_a_reading_that_is_out_is_named_before_a_check_that_failed():
    test_point = next(s for s in GOOD if s.startswith("mated_v:A"))
    found = _assessed((PulseKind.WAVEFORM, Mark.FAIL), readings={**GOOD, test_point: "3.2"})
    assert found.verdict.headline.startswith("Out of limits:")
