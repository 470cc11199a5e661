"""Which tool the readings call for: read off by hand from what a technician would open next."""

from __future__ import annotations

import pytest

from irongauge.core.bench.assessment import assess
from irongauge.core.bench.next_tool import Tool, tools_for
from tests.cards import GOOD, case

WRONG_VALUE = GOOD | {"live_value::0": 40.0, "live_value::1": 500.0}
CALLED = [
    ("nothing yet", {}, set()),
    ("all good", GOOD, set()),
    ("volts right, value wrong", WRONG_VALUE, {Tool.READ_BACK}),
    ("volts wrong too", WRONG_VALUE | {"mated_v:C:1": 1.0}, set()),
    ("a low reference", GOOD | {"mated_v:A": 3.1}, {Tool.OTHER_SENSORS}),
    ("a high reference is no other sensor's", GOOD | {"mated_v:A": 6.0}, set()),
]


@pytest.mark.parametrize(("values", "tools"), [c[1:] for c in CALLED], ids=[c[0] for c in CALLED])
def test_readings_call_for_a_tool(values, tools):
    assert {offer.tool for offer in tools_for(assess(case(values)))} == tools


def test_every_offer_says_why():
    for values in (WRONG_VALUE, GOOD | {"mated_v:A": 3.1}):
        assert all(offer.why.endswith(".") for offer in tools_for(assess(case(values))))


def test_a_return_that_drops_volts_explains_the_value_and_nothing_is_offered():
    values = WRONG_VALUE | {"mated_v:B": 0.4}
    assert Tool.READ_BACK not in {offer.tool for offer in tools_for(assess(case(values)))}
