"""What is not judged of a log is said with its reason."""

from uuid import uuid4

import pytest

from irongauge.core.traces.record import KeptChannel
from irongauge.core.traces.senses import Sense
from irongauge.core.traces.unjudged import unjudged


def kept(name, sense, unit, *, rows=1000, circuit=None):
    return KeptChannel(
        place=0, name=name, written_unit=unit, unit=unit, quantity=sense.quantity if unit else None, base=None, sense=sense,
        circuit_uid=circuit, rows=rows, times=0,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("channel", "why"),
    [
        (kept("Oil", Sense.OIL_PRESSURE, ""), "no unit is written"),
        (kept("Speed", Sense.ROAD_SPEED, ""), "no unit is written"),
        (kept("Boom", Sense.OTHER, "°"), "nobody has said what it is of"),
        (kept("Lambda", Sense.LAMBDA, "λ"), "no sensor’s wire"),
        (kept("Oil", Sense.OIL_PRESSURE, "kPa", rows=100), "told too seldom"),
        (kept("Oil", Sense.OIL_PRESSURE, "kPa"), None),
        (kept("Boom", Sense.OTHER, "°", circuit=uuid4()), None),
    ],
)
def test_a_channel_that_is_not_judged_is_named_with_the_reason(channel, why):
    said = unjudged([channel], 100.0)
    assert [s.split(":")[0] for s in said] == ([] if why is None else [channel.name])
    assert why is None or why in said[0]


def test_of_many_only_some_are_named():
    (said,) = unjudged([kept(f"X{n}", Sense.OTHER, "") for n in range(9)], 100.0)
    assert said.startswith("X0, X1, X2, X3, X4, X5 and 3 more: ")
