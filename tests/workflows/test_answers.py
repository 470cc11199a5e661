"""What is typed on the Bench for a value of live data and for a meter, as people write it."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import Action
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.measure.units import PressureBase
from irongauge.demo.saltmarsh import SHOP
from irongauge.demo.shelf import V800
from irongauge.errors import EntryError
from irongauge.workflows.bench import parse_answer
from tests.cards import SENSOR, circuit_of, empty

SHOWN = TestPoint(Action.LIVE_VALUE, None, 1)
AIR_KPA = 101.0
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
