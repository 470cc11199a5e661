"""What is typed on the Bench for a value of live data and for a meter, as people write it."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.measure.quantities import Limits, TestPoint
from irongauge.core.measure.units import FIXED_UNIT, PressureBase
from irongauge.demo.saltmarsh import SHOP
from irongauge.demo.shelf import V800
from irongauge.errors import EntryError
from irongauge.workflows.bench.readings import parse_answer
from tests.cards import SENSOR, circuit_of, empty

SHOWN = TestPoint(Action.LIVE_VALUE, None, 1)
_NUMBERS = set(AnswerKind) - {AnswerKind.GLOW, AnswerKind.VALUE, AnswerKind.WORD}
ABSOLUTE = replace(SENSOR, curve=replace(SENSOR.curve, pressure_base=PressureBase.ABSOLUTE))


@pytest.mark.parametrize(
    ("sensor", "typed", "kpa", "note"),
    [
        (SENSOR, "4.6", 460.0, ""),
        (SENSOR, "4.6 bar gauge", 460.0, ""),
        (SENSOR, "66.7 psig", 459.88, ""),
        (SENSOR, "5.61 bar abs", 460.0, "“5.61 bar abs” was read as 4.600 bar gauge, with 1.010 bar of air."),
        (SENSOR, "5.61 bara", 460.0, "“5.61 bara” was read as 4.600 bar gauge, with 1.010 bar of air."),
        (ABSOLUTE, "4.6 bar abs", 460.0, ""),
        (ABSOLUTE, "3.59 barg", 460.0, "“3.59 barg” was read as 4.600 bar absolute, with 1.010 bar of air."),
    ],
)
def test_a_screen_may_count_its_pressure_from_the_other_base(sensor, typed, kpa, note):
    entry = parse_answer(SHOP, empty(sensor), SHOWN, typed)
    assert entry.value == pytest.approx(kpa, abs=0.02)
    assert (entry.note, entry.typed) == (note, typed)


def test_a_screen_without_a_number_stays_a_word():
    assert parse_answer(SHOP, empty(SENSOR), SHOWN, "no data").word == "no data"


def test_a_coil_is_read_on_alternating_volts():
    case = replace(empty(SENSOR), circuit=circuit_of(V800))
    point = TestPoint(Action.AC_LOOSE_V, None, 0)
    assert parse_answer(SHOP, case, point, "2.1 VAC").value == 2.1
    with pytest.raises(EntryError, match="Put the meter on V AC"):
        parse_answer(SHOP, case, point, "2.1 VDC")
    with pytest.raises(EntryError, match="Put the meter on V DC"):
        parse_answer(SHOP, empty(SENSOR), TestPoint(Action.OPEN_V, "A", None), "0.02 VAC")


@pytest.mark.parametrize("spec", [s for s in ACTIONS.values() if s.answer in _NUMBERS], ids=lambda s: s.action)
def test_every_number_that_the_bench_asks_for_can_be_typed(spec):
    limits = spec.possible or Limits(0.0, 10.0)
    typed = f"{(limits.low + limits.high) / 2:g}" if spec.answer is not AnswerKind.OHMS else "320"
    entry = parse_answer(SHOP, empty(SENSOR), TestPoint(spec.action, "A", 0), typed)
    assert entry.value == pytest.approx(float(typed))
    assert entry.unit == FIXED_UNIT[spec.quantity]


@pytest.mark.parametrize("typed", ["12.4 mA", "12.4", "0.0124 A", "12400 µA"])
def test_a_loops_current_is_read(typed):
    assert parse_answer(SHOP, empty(SENSOR), TestPoint(Action.LOOP_MA), typed).value == pytest.approx(12.4)


def test_a_loop_at_twelve_amperes_is_no_loop():
    with pytest.raises(EntryError, match="A loop carries 4 to 20 mA"):
        parse_answer(SHOP, empty(SENSOR), TestPoint(Action.LOOP_MA), "12.4 A")
