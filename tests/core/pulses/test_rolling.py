"""Teeth, axle, tyre, speed, pulses: any from any, and the ratio of shown to true speed."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.stats
from hypothesis import assume, given
from hypothesis import strategies as st

from irongauge.core.pulses.ratio import FigureKind, SpeedPair, explain_ratio, fit_ratio, measured_speed_kmh, new_figure
from irongauge.core.pulses.rolling import NAMES, Known, hand_spin_hz, relate, settle
from irongauge.core.pulses.tyre import tyre_from_code

MPH = 0.44704
INCH = 0.0254


def test_the_check_values_of_a_shaft_and_a_wheel():
    """20 teeth, axle 4.30, tyre 0.72 m, 30 km/h: 38 020.3 pulses per km and 316.836 Hz."""
    found = relate({"teeth": Known(20), "axle_ratio": Known(4.3), "circumference_m": Known(math.pi * 0.72),
                    "speed_m_per_s": Known(30 / 3.6)})  # fmt: skip
    assert found.values["pulses_per_m"].value * 1000 == pytest.approx(38_020.3, abs=0.05)
    assert found.values["frequency_hz"].value == pytest.approx(316.836, abs=5e-4)
    inches = relate({"teeth": Known(12), "axle_ratio": Known(3.55), "circumference_m": Known(math.pi * 31 * INCH),
                     "speed_m_per_s": Known(25 * MPH)})  # fmt: skip
    assert inches.values["frequency_hz"].value == pytest.approx(192.465, abs=5e-3)


def test_the_trade_s_own_constant_comes_out():
    """mph = rpm · d / 336.135 for a wheel of d inches."""
    found = relate({"circumference_m": Known(math.pi * 31 * INCH), "wheel_hz": Known(400 / 60)})
    assert found.values["speed_m_per_s"].value / MPH == pytest.approx(400 * 31 / 336.135, rel=1e-5)


figures = st.floats(0.05, 500)


@given(st.tuples(figures, figures, figures, figures), st.data())
def test_any_four_that_determine_the_rest_give_all_of_it_back(four, data):
    """From teeth, axle, tyre and speed everything follows; from any subset that determines all, the same comes back."""
    start = dict(zip(("teeth", "axle_ratio", "circumference_m", "speed_m_per_s"), map(Known, four), strict=True))
    whole = relate(start).values
    assert set(whole) == set(NAMES)
    names = data.draw(st.lists(st.sampled_from(NAMES), min_size=4, max_size=4, unique=True))
    back = relate({name: whole[name] for name in names})
    for name, known in back.values.items():
        assert known.value == pytest.approx(whole[name].value, rel=1e-9)
    assert back.contradiction < 1e-6


@given(figures, figures, st.floats(0, 0.1), st.floats(0, 0.1))
def test_uncertainties_of_a_product_add_as_squares(teeth, shaft_hz, u_teeth, u_shaft):
    found = relate({"teeth": Known(teeth, u_teeth), "shaft_hz": Known(shaft_hz, u_shaft)})
    assert found.values["frequency_hz"].relative_u == pytest.approx(math.hypot(u_teeth, u_shaft), abs=1e-12)
    assert "speed_m_per_s" in found.missing


def test_figures_that_contradict_are_said():
    found = relate({"teeth": Known(20), "shaft_hz": Known(10), "frequency_hz": Known(220)})
    assert found.contradiction == pytest.approx(0.1)
    assert relate({}).missing == NAMES
    with pytest.raises(ValueError, match="not a quantity"):
        relate({"gear": Known(1)})
    with pytest.raises(ValueError, match="above 0"):
        Known(0)


@pytest.mark.parametrize(
    ("code", "diameter_m"),
    [
        ("235/75R15", 0.7335),  # 15 · 25.4 + 2 · 235 · 0.75 mm
        ("LT 265/70 R 17", 0.8028),
        ("31x10.5R15", 0.7874),
        ("235/75R15 105T", 0.7335),
        ("295/80R22.5 152/148M", 1.0435),
        ("LT265/70R17 121S", 0.8028),
        ("205/65R16C 107/105T", 0.6729),
        ("11/22", None),
        ("", None),
    ],
)
def test_a_tyre_code_is_its_diameter_or_is_refused(code, diameter_m):
    if diameter_m is None:
        with pytest.raises(ValueError, match="is no tyre size"):
            tyre_from_code(code)
    else:
        assert tyre_from_code(code).diameter_m == pytest.approx(diameter_m, abs=5e-5)


@pytest.mark.parametrize(
    ("code", "diameter_mm"),
    [  # as makers' tables have them
        ("11R22.5", 1054),
        ("1100R20", 1085),
        ("12.00-20", 1125),
        ("12.00R20 154/150K", 1122),
        ("7.50R16", 802),
        ("7,50-16", 802),
        ("18.4R38", 1750),
        ("195R14", 666),
        ("195R14C 106/104Q", 666),
    ],
)
def test_a_size_without_a_height_is_known_to_two_per_cent(code, diameter_mm):
    tyre = tyre_from_code(code)
    assert tyre.diameter_m * 1000 == pytest.approx(diameter_mm, rel=0.02)
    assert tyre.known_pct == 2.0
    assert "taken as" in tyre.words


@pytest.mark.parametrize(
    ("code", "diameter_mm"),
    [  # as makers' tables have them, of tyres that say the height of their wall
        ("650/65R42", 1912),
        ("520/85R46 158A8", 2052),
        ("1050/50R32", 1863),
        ("12.5/80-18", 965),
        ("205 55 16", 632),
        ("205/55/16", 632),
        ("205-55-16 91V", 632),
        ("P235/75/15", 734),
        ("31x10.50R15LT", 787),
        ("15x6.00-6", 381),
    ],
)
def test_a_size_with_a_height_is_known_however_it_is_written(code, diameter_mm):
    tyre = tyre_from_code(code)
    assert tyre.diameter_m * 1000 == pytest.approx(diameter_mm, rel=0.005)
    assert tyre.known_pct == 0.0


@pytest.mark.parametrize("code", ["4.80-8", "195R8", "11R6", "1200/50R32", "205 55", "2055516"])
def test_what_says_too_little_is_no_size(code):
    with pytest.raises(ValueError, match="is no tyre size"):
        tyre_from_code(code)


def test_a_wheel_turned_by_hand():
    assert hand_spin_hz(10, 12.5, 48) == pytest.approx(38.4)
    with pytest.raises(ValueError, match="above 0"):
        hand_spin_hz(0, 1, 1)
    assert measured_speed_kmh(1000, 60) == pytest.approx(60.0)


@given(st.lists(st.tuples(st.floats(5, 200), st.floats(5, 200)), min_size=3, max_size=20))
def test_ratio_and_offset_are_those_of_an_independent_library(raw):
    shown, true = np.array(raw).T
    assume(np.ptp(true) > 1)
    found = fit_ratio([SpeedPair(a, b) for a, b in raw])
    origin = np.linalg.lstsq(shown[:, None], true, rcond=None)
    assert found.ratio == pytest.approx(float(origin[0][0]), rel=1e-9)
    assert found.ratio_u == pytest.approx(
        math.sqrt(max(float(origin[1][0]), 0) / (len(raw) - 1) / (shown @ shown)), rel=1e-6, abs=1e-9
    )
    other = scipy.stats.linregress(true, shown)
    if found.slope is not None and abs(other.slope) > 1e-3:
        assert found.slope == pytest.approx(other.slope, rel=1e-9)
        assert found.offset_kmh == pytest.approx(other.intercept, rel=1e-8, abs=1e-8)


def test_a_ratio_problem_is_told_from_an_offset():
    ratio = fit_ratio([SpeedPair(50, 55.1), SpeedPair(80, 87.9), SpeedPair(100, 110.2)])
    assert (ratio.ratio, ratio.is_offset) == (pytest.approx(1.1, abs=2e-3), False)
    offset = fit_ratio([SpeedPair(t + 6 + n, t) for t, n in ((20, 0.1), (40, -0.1), (60, 0.1), (80, -0.1), (100, 0.0))])
    assert offset.is_offset
    assert offset.offset_kmh == pytest.approx(6.0, abs=0.2)
    one = fit_ratio([SpeedPair(50, 55)])
    assert (one.ratio, one.ratio_u, one.spread_pct) == (pytest.approx(1.1), None, None)
    with pytest.raises(ValueError, match="at least one pair"):
        fit_ratio([])


@pytest.mark.parametrize(
    ("kind", "old", "shown", "true", "new"),
    [
        # By what the display does: it counts pulses and divides by the figure, or multiplies by it.
        (FigureKind.PULSES_PER_KM, 17_000, 50, 57, 14_912),
        (FigureKind.PULSES_PER_MILE, 27_359, 50, 57, 23_999),
        (FigureKind.TEETH, 20, 50, 52.63, 19.0),
        (FigureKind.AXLE_RATIO, 4.3, 50, 57.64, 3.73),
        (FigureKind.MULTIPLIER, 1.25, 50, 55, 1.375),
        (FigureKind.TYRE, 0.72, 50, 55.56, 0.80),
    ],
)
def test_the_figure_goes_the_way_that_puts_the_display_right(kind, old, shown, true, new):
    figure = new_figure(old, kind, fit_ratio([SpeedPair(shown, true)]).ratio)
    assert figure == pytest.approx(new, rel=1e-3)
    # What the display then shows, by its own sum, is what is true.
    shows = shown * (figure / old if kind in {FigureKind.MULTIPLIER, FigureKind.TYRE} else old / figure)
    assert shows == pytest.approx(true, rel=1e-9)


def test_few_pairs_say_less_than_many():
    two = fit_ratio([SpeedPair(50, 55), SpeedPair(100, 110.4)])
    assert two.coverage_k == 13.97  # JCGM 100:2008, table G.2, one degree of freedom
    many = fit_ratio([SpeedPair(40 + n, 1.1 * (40 + n) + 0.2 * (-1) ** n) for n in range(12)])
    assert 2.1 < many.coverage_k < 2.3
    assert fit_ratio([SpeedPair(50, 55)]).off_u_pct == 0.0


def test_an_offset_and_a_ratio_are_told_together():
    both = fit_ratio(
        [SpeedPair(1.08 * t + 6 + n, t) for t, n in ((20, 0.05), (40, -0.05), (60, 0.05), (80, -0.05), (100, 0.0))]
    )
    assert both.is_offset
    assert both.slope_is_off
    assert both.slope == pytest.approx(1.08, abs=0.003)
    alone = fit_ratio([SpeedPair(t + 6 + n, t) for t, n in ((20, 0.1), (40, -0.1), (60, 0.1), (80, -0.1), (100, 0.0))])
    assert not alone.slope_is_off


EXPLAINED = [
    (
        "both edges",
        0.5,
        {},
        ("every pulse counted twice, at both edges; or one wheel held while the other turned", 0.5),
    ),
    ("miles", 1.609, {"teeth": 20}, ("miles per hour shown as if they were km/h", 1.609344)),
    ("a tooth miscounted", 20 / 21, {"teeth": 20}, ("teeth", 21)),
    ("another axle", 4.3 / 3.73, {"axle_ratio": 4.3, "axle_ratios": (3.55, 3.73, 4.1)}, ("axle ratio", 3.73)),
    ("another tyre", 0.80 / 0.72, {"diameter_m": 0.72, "diameters_m": (0.76, 0.80)}, ("tyre diameter", 0.80)),
    ("a simple fraction", 0.7505, {}, ("a fraction", 3.0)),
    ("nothing near", 1.0423, {"axle_ratio": 4.3, "axle_ratios": (3.55,)}, None),
]


@pytest.mark.parametrize(("ratio", "known", "what"), [e[1:] for e in EXPLAINED], ids=[e[0] for e in EXPLAINED])
def test_a_simple_slip_explains_a_ratio(ratio, known, what):
    found = explain_ratio(ratio, **known)
    assert (found[0].what, found[0].right) == what if what else found == ()


BUILT = {"teeth": Known(20), "axle_ratio": Known(4.3), "circumference_m": Known(math.pi * 0.72)}


def test_what_moves_follows_what_was_typed_last():
    typed = {**BUILT, "speed_m_per_s": Known(30 / 3.6), "frequency_hz": Known(158.418)}
    by_frequency = settle(typed, ("speed_m_per_s", "frequency_hz"))
    assert by_frequency.values["speed_m_per_s"].value * 3.6 == pytest.approx(15, rel=1e-5)
    assert by_frequency.moved == {"speed_m_per_s"}
    by_speed = settle(typed, ("frequency_hz", "speed_m_per_s"))
    assert by_speed.values["frequency_hz"].value == pytest.approx(316.836, rel=1e-5)
    assert not by_frequency.contradicted
    assert not by_speed.contradicted


def test_a_figure_of_the_build_that_the_others_contradict_stays_and_is_said():
    found = settle({**BUILT, "pulses_per_m": Known(30.0)}, ("pulses_per_m", "teeth"))
    assert found.values["pulses_per_m"].value == 30.0
    assert found.contradicted["pulses_per_m"].value * 1000 == pytest.approx(38_020.3, abs=0.05)


def test_a_figure_that_somebody_rounded_contradicts_nothing():
    assert not settle({**BUILT, "pulses_per_m": Known(38.0)}, ()).contradicted


def test_a_tyre_known_to_three_per_cent_contradicts_only_beyond_that():
    loose = {**BUILT, "circumference_m": Known(math.pi * 0.72, 0.03 / math.sqrt(3))}
    assert not settle({**loose, "pulses_per_m": Known(38.9)}, ()).contradicted
    assert settle({**loose, "pulses_per_m": Known(41.0)}, ()).contradicted
