"""Proof at the part itself: nothing is moved or replaced where every reading of it passes."""

import pytest

from irongauge.core.bench.judgement import Judgement
from irongauge.core.bench.own_marks import Proof, own_marks_pass
from irongauge.core.diagnosis.faults import DOUBLE_JOIN
from irongauge.core.measure.quantities import Mark


def marks(**by_part):
    return [(Proof[name.upper()], Judgement(mark, "", None)) for name, mark in by_part.items()]


@pytest.mark.parametrize(
    ("fault", "out", "may_be_acted_on"),
    [
        ("reference_return_crossed", {"reference": Mark.PASS, "return": Mark.PASS, "live": Mark.FAIL}, False),
        ("reference_return_crossed", {"reference": Mark.FAIL}, True),
        ("sensor_low", {"reference": Mark.PASS, "signal": Mark.PASS, "live": Mark.FAIL}, False),
        ("sensor_low", {"signal": Mark.FAIL}, True),
        ("sensor_low", {"signal": Mark.UNDECIDED}, True),
        ("sensor_low", {"reference": Mark.FAIL}, False),
        ("sensor_short", {"reference": Mark.FAIL}, True),
        ("return_resistance", {"return": Mark.PASS, "signal": Mark.FAIL}, False),
        ("return_resistance", {"return": Mark.FAIL}, True),
        ("signal_live_scaling", {"live": Mark.FAIL}, True),
        ("signal_live_scaling", {"signal": Mark.FAIL}, False),
        ("controller_off", {}, True),
        ("pair_crossed", {"live": Mark.FAIL}, True),
        ("pair_crossed", {"signal": Mark.FAIL}, False),
        ("ring_uneven", {}, True),
        (f"return_resistance{DOUBLE_JOIN}sensor_low", {"return": Mark.FAIL, "signal": Mark.PASS}, False),
        (f"return_resistance{DOUBLE_JOIN}sensor_low", {"return": Mark.FAIL, "signal": Mark.FAIL}, True),
    ],
)
def test_a_fault_is_acted_on_only_where_its_own_marks_bear_it_out(fault, out, may_be_acted_on):
    assert own_marks_pass(fault, marks(**out)) is not may_be_acted_on
