"""Volts lost on the way to an input, held against the nodes of sensor, wire and input summed by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.controllers.line_loss import Arrival, line_loss
from irongauge.core.measure.quantities import Mark


def _at_the_input(sensor_v, wire_ohm, pull_ohm, pull_to_v):
    """Kirchhoff at the input's node: (E − V)/r + (U − V)/R = 0."""
    return (sensor_v / wire_ohm + pull_to_v / pull_ohm) / (1 / wire_ohm + 1 / pull_ohm)


@given(
    sensor_v=st.floats(0.5, 4.5),
    wire_ohm=st.floats(20, 5000),
    pull_ohm=st.sampled_from([1000.0, 4700.0, 51_000.0]),
    pull_to_v=st.sampled_from([0.0, 5.0]),
)
def test_the_wire_that_would_do_it_is_the_wire_that_did(sensor_v, wire_ohm, pull_ohm, pull_to_v):
    shown_v = _at_the_input(sensor_v, wire_ohm, pull_ohm, pull_to_v)
    arrival = Arrival(
        expected_v=sensor_v, shown_v=shown_v, u_v=0.005, span_v=4.0, pull_ohm=pull_ohm, pull_to_v=pull_to_v
    )
    assert arrival.wire_ohm == pytest.approx(wire_ohm, rel=1e-6)
    other = Arrival(expected_v=shown_v, shown_v=sensor_v, u_v=0.005, span_v=4.0, pull_ohm=pull_ohm, pull_to_v=pull_to_v)
    assert other.wire_ohm is None, "away from its resistor no wire takes it"


@pytest.mark.parametrize(
    ("shown_v", "pull_ohm", "mark", "says"),
    [
        (
            2.50,
            None,
            Mark.PASS,
            "0 mV more than should arrive: 0 % of the sensor's span (± 0.25), where 2 % is allowed",
        ),
        (2.44, None, Mark.PASS, "60 mV less than should arrive: 1.5 %"),
        (2.42, None, Mark.UNDECIDED, "Too close to call"),
        (2.38, None, Mark.FAIL, "Measure at the controller's own pin"),
        (2.62, 4700.0, Mark.FAIL, "About 240 Ω in the signal wire would do it, with the input's 4.7 kΩ to 5.00 V."),
        (2.38, 4700.0, Mark.FAIL, "No resistance in the signal wire does that"),
    ],
)
def test_what_is_missing_is_said_with_its_cause(shown_v, pull_ohm, mark, says):
    found = line_loss(Arrival(expected_v=2.5, shown_v=shown_v, u_v=0.005, span_v=4.0, pull_ohm=pull_ohm), 2.0)
    assert found.mark is mark
    assert says in f"{found.sentence} {found.cause}"
