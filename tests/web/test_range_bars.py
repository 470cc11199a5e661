"""A sensor's range as a bar: what is used of it, and what it lacks."""

import pytest

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.choosing import Converter, Need, fits_for
from irongauge.web.curve.range_bars import range_bar
from tests.cards import SENSOR


@pytest.mark.parametrize(
    ("least", "greatest", "used", "lacks"),
    [(0.0, 500.0, (0.0, 50.0), ()), (250.0, 1000.0, (25.0, 75.0), ()), (0.0, 1250.0, (0.0, 80.0), ((80.0, 20.0),))],
)
def test_the_bar_is_the_range_with_what_is_needed_on_it(least, greatest, used, lacks):
    need = Need(Quantity.PRESSURE, least, greatest, PressureBase.GAUGE)
    (fit,) = fits_for(need, (SENSOR,), Converter(), "kPa")
    bar = range_bar(fit, need, "kPa")
    assert (bar.used_left, bar.used) == pytest.approx(used)
    assert [pytest.approx(gap) for gap in lacks] == list(bar.lacks)
    assert bar.said.startswith("range 0 kPa to 1000 kPa, ")
