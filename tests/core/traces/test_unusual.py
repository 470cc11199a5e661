"""What is done about an unusual level: by its kind and its way, with the caution where pressure or heat can hurt."""

import pytest

from irongauge.core.traces.senses import Sense
from irongauge.core.traces.unusual import follow_up_of


@pytest.mark.parametrize(
    ("channel", "difference", "words"),
    [
        (
            Sense.COOLANT_PRESSURE,
            12.0,
            ("combustion gas", "cold and with the pressure let down", "leak-down"),
        ),
        (Sense.COOLANT_PRESSURE, -12.0, ("Let it cool", "pressure-test")),
        (Sense.OIL_PRESSURE, -80.0, ("level and grade", "gauge at the gallery")),
        (Sense.CRANKCASE_PRESSURE, 3.0, ("breather first", "leak-down")),
        (Sense.BATTERY_VOLTS, -0.6, ("alternator’s output",)),
        ("Hydraulic tank level", 1.0, ("another instrument", "before anything is replaced")),
    ],
)
def test_what_to_do_fits_the_kind_and_the_way(channel, difference, words):
    said = follow_up_of(str(channel), difference)
    assert all(word in said for word in words)
    assert said != follow_up_of(str(channel), -difference) or "another instrument" in said
