"""What a live data reader shows: its ends are numbers, in order, and each thing is shown or not."""

import math

import pytest

from irongauge.core.sensors.live_reader import LiveReader, Shown


@pytest.mark.parametrize(
    ("reader", "signal", "value"),
    [
        (LiveReader(), True, True),
        (LiveReader(shows_signal=False), False, True),
        (LiveReader(shows_value=False), True, False),
        (LiveReader(shows_signal=False, shows_value=False), False, False),
    ],
)
def test_a_reader_shows_volts_value_both_or_neither(reader, signal, value):
    assert reader.shows(Shown.SIGNAL) is signal
    assert reader.shows(Shown.VALUE) is value


@pytest.mark.parametrize(
    "ends",
    [{"least": 10.0, "most": 0.0}, {"least": 5.0, "most": 5.0}, {"least": math.nan}, {"most": math.inf},
     {"fault_value": -math.inf}],
)  # fmt: skip
def test_ends_that_cannot_be_are_refused(ends):
    with pytest.raises(ValueError, match="reader"):
        LiveReader(**ends)
