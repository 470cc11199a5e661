"""A tyre as people type it: a size, a way across, a way round."""

import pytest

from irongauge.errors import EntryError
from irongauge.web.pulse.forms import circumference_m


@pytest.mark.parametrize(
    ("typed", "metres"),
    [
        ("0.72 m", 2.262), ("72 cm", 2.262), ("720 mm", 2.262), ("dia 0.72", 2.262), ("diameter 0.72 m", 2.262),
        ("⌀ 0.72 m", 2.262),
        ("d 1.6 m", 5.027), ("1.6 m across", 5.027), ("28 in", 2.234), ('28"', 2.234), ("28″", 2.234),
        ("c 2.26 m", 2.26), ("c2.26", 2.26), ("circumference 2.26", 2.26), ("Circ. 2.26 m", 2.26), ("2.26 m round", 2.26),
        ("2260 mm around", 2.26), ("r 0.36", 2.262), ("radius 0.36 m", 2.262), ("0.36 m radius", 2.262),
    ],
)  # fmt: skip
def test_a_length_says_which_way_it_goes_before_it_or_behind_it(typed, metres):
    assert circumference_m(typed) == pytest.approx(metres, abs=1e-3)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("2.26 m", "may be the way round"), ("720", "cannot be right here"), ("5 r", "cannot be right here"),
        ("c", "is not a number"),
        ("round", "is not a number"), ("205/55", "is no tyre size"), ("4.80-8", "not a unit that fits"),
        ("d -1 m", "is not a number"),
    ],
)  # fmt: skip
def test_what_is_no_tyre_is_told(typed, says):
    with pytest.raises(EntryError, match=says):
        circumference_m(typed)
