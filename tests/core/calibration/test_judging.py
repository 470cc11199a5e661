"""Calibration: the line against independent libraries, the uncertainty against a GUM library, the decision by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

import GTC
import numpy as np
import pytest
import scipy.stats
from hypothesis import example, given
from hypothesis import strategies as st

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import _T_99_73, fitted_curve, judge_calibration
from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.measure.line import fit_line
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.uncertainty import MeterSpec, coverage_k, student_t
from irongauge.core.measure.units import PressureBase, Quantity, units_of
from irongauge.core.sensors.conversion import Feed, Scale, reading_at
from irongauge.core.sensors.transfer import CurveKind, TableCurve
from tests.curves import B25, N10, P10

FEED = Feed(5.0)
METER = MeterSpec(0.3, 2, 6000)
SOURCES = Sources(meter=METER, stimulus_u=4.6, unit="kPa")
EXACT = Sources(meter=MeterSpec(0.0, 0.0), stimulus_u=0.0)

finite = st.floats(-1000, 1000).map(lambda x: round(x, 6))


def _ups(curve, stimuli, shift=0.0, gain=1.0, feed=FEED, run=Run.UP):
    """Points of a sensor that is off by a shift (in the value) and a gain."""
    return [CalibrationPoint(stimulus=v, reading=reading_at(curve, v * gain + shift, feed), run=run) for v in stimuli]


@given(st.lists(st.tuples(finite, finite), min_size=3, max_size=40))
@example([(0.0, 0.03125), (0.015625, 0.0), (0.015625, 0.0), (-33.0, 73.0)])
def test_the_line_is_that_of_independent_libraries(pairs):
    x, y = np.array(pairs).T
    fit = fit_line(x.tolist(), y.tolist())
    if np.ptp(x) < 1e-3 or np.ptp(y) < 1e-3 or fit is None:
        return
    other = scipy.stats.linregress(x, y)
    scale = max(1.0, abs(y).max())
    if abs(other.slope) * np.ptp(x) < 1e-3 * scale:
        return  # a level line: its slope is all rounding
    assert fit.line.slope == pytest.approx(other.slope, rel=1e-9)
    assert fit.line.intercept == pytest.approx(other.intercept, abs=1e-9 * scale)
    slope, intercept = np.polyfit(x, y, 1)
    assert fit.line.slope == pytest.approx(slope, rel=1e-7)  # its own conditioning is no better
    assert fit.line.intercept == pytest.approx(intercept, abs=1e-7 * scale)
    if len(pairs) > 3 and fit.residual_sd > 1e-6 * scale:
        assert fit.r_squared == pytest.approx(other.rvalue**2, abs=1e-9)
        # The library's own errors lose their digits where the points lie almost on the line (they come from 1 - r²).
        slope_se, intercept_se = _standard_errors([(Fraction(a), Fraction(b)) for a, b in pairs])
        assert fit.slope_se == pytest.approx(slope_se, rel=1e-8)
        assert fit.intercept_se == pytest.approx(intercept_se, rel=1e-8)
        if 1 - other.rvalue**2 > 1e-6:
            assert fit.slope_se == pytest.approx(other.stderr, rel=1e-8)
            assert fit.intercept_se == pytest.approx(other.intercept_stderr, rel=1e-8)


def _standard_errors(pairs):
    """Those of slope and intercept, with exact fractions up to the last root."""
    n = len(pairs)
    mean_x, mean_y = (sum(values) / n for values in zip(*pairs, strict=True))
    about_x = sum((x - mean_x) ** 2 for x, _ in pairs)
    slope = sum((x - mean_x) * (y - mean_y) for x, y in pairs) / about_x
    left = sum((y - mean_y - slope * (x - mean_x)) ** 2 for x, y in pairs) / (n - 2)
    return math.sqrt(left / about_x), math.sqrt(left * (Fraction(1, n) + mean_x**2 / about_x))


def test_the_line_of_measured_points_agrees_to_the_ninth_digit():
    x = [0.0, 250.0, 500.0, 750.0, 1000.0, 1000.0, 750.0, 500.0, 250.0, 0.0]
    y = [0.502, 1.497, 2.503, 3.501, 4.499, 4.499, 3.507, 2.511, 1.503, 0.503]
    fit = fit_line(x, y)
    other = scipy.stats.linregress(x, y)
    slope, intercept = np.polyfit(x, y, 1)
    gtc = GTC.type_a.line_fit(x, y)
    assert fit.line.slope == pytest.approx(other.slope, rel=1e-12) == pytest.approx(slope, rel=1e-9)
    assert fit.line.intercept == pytest.approx(other.intercept, rel=1e-12) == pytest.approx(intercept, rel=1e-9)
    assert fit.slope_se == pytest.approx(GTC.uncertainty(gtc.a_b[1]), rel=1e-9)
    assert fit.intercept_se == pytest.approx(GTC.uncertainty(gtc.a_b[0]), rel=1e-9)


@given(
    st.sampled_from([P10, B25]),
    st.sampled_from(units_of(Quantity.PRESSURE)),
    st.sampled_from(list(PressureBase)),
    st.integers(2, 12),
)
def test_exact_points_return_the_curve_whatever_the_unit_and_base(curve, unit, base, count):
    scale = Scale(unit.code, base, 95.0)
    shown = [scale.shown(float(v), curve.pressure_base) for v in np.linspace(curve.value_low, curve.value_high, count)]
    points = _ups(curve, [scale.fixed(v, curve.pressure_base) for v in shown])
    found = judge_calibration(curve, points, 2.0, FEED, EXACT)
    own = fitted_curve(curve, found.fit)
    assert own.signal_low == pytest.approx(curve.signal_low, abs=1e-9)
    assert own.signal_high == pytest.approx(curve.signal_high, abs=1e-9)
    assert found.outlier is None
    assert found.zero_pct == pytest.approx(0, abs=1e-7)
    assert found.mark is Mark.PASS


@pytest.mark.parametrize("curve", [P10, B25, N10], ids=["ratio", "volts", "ntc"])
@pytest.mark.parametrize("share", [0.15, 0.5, 0.85])
def test_the_uncertainty_is_that_of_a_gum_library(curve, share):
    """The same model in GTC: value of the reading less the stimulus, every input with the same standard uncertainty."""
    feed = Feed(4.96, 2200.0, 4.97)
    stimulus = curve.value_low + share * (curve.value_high - curve.value_low)
    reading = reading_at(curve, stimulus, feed) * 1.004
    sources = Sources(meter=METER, stimulus_u=4.6, atmosphere_u=1.44)
    point = CalibrationPoint(stimulus=stimulus, reading=reading, stimulus_step=1.0)
    found = judge_calibration(curve, [point], 2.0, feed, sources).points[0]

    reference_v = 4.97 if curve is N10 else 4.96
    v, ref = (
        GTC.ureal(reading, METER.standard_uncertainty(reading)),
        GTC.ureal(reference_v, METER.standard_uncertainty(reference_v)),
    )
    if curve.kind is not CurveKind.VOLTS and METER.resolution(reading) == METER.resolution(reference_v):
        # One range of one meter: what it reads too high in % is the same for both.
        gain = GTC.ureal(1, METER.reading_pct / 100 / math.sqrt(3))
        v, ref = (x * gain + GTC.ureal(0, METER.digits_uncertainty(x)) for x in (reading, reference_v))
    if curve is N10:
        vs = ref
        ohm = 2200.0 * v / (vs - v)
        value = 1 / (1 / 298.15 + GTC.log(ohm / 10_000.0) / 3435.0) - 273.15
    else:
        signal = v / ref if curve.kind is CurveKind.RATIO else v
        value = curve.value_low + (signal - curve.signal_low) / (curve.signal_high - curve.signal_low) * curve.span
    error = value - GTC.ureal(stimulus, 4.6) - GTC.ureal(0, 0.5 / math.sqrt(3)) - GTC.ureal(0, 1.44)
    assert found.error == pytest.approx(GTC.value(error), rel=1e-9)
    assert found.expanded_u == pytest.approx(2 * GTC.uncertainty(error), rel=1e-9)
    assert sum(line.contribution**2 for line in found.budget) == pytest.approx((found.expanded_u / 2) ** 2)


# A sensor of 1 000 kPa span and ± 2 %: tolerance 20 kPa. The gauge alone gives U = 2 · 4.62 = 9.24 kPa.
DECISIONS = [
    ("well inside", 5.0, Mark.PASS),
    ("inside by less than U", 15.0, Mark.UNDECIDED),
    ("outside by less than U", 25.0, Mark.UNDECIDED),
    ("well outside", 35.0, Mark.FAIL),
    ("well outside below", -35.0, Mark.FAIL),
]


@pytest.mark.parametrize(("shift", "mark"), [d[1:] for d in DECISIONS], ids=[d[0] for d in DECISIONS])
def test_a_point_is_decided_by_guarded_acceptance(shift, mark):
    sources = Sources(meter=MeterSpec(0.0, 0.0), stimulus_u=1600 * 0.5 / 100 / math.sqrt(3))
    found = judge_calibration(P10, _ups(P10, [500.0], shift), 2.0, FEED, sources)
    assert found.points[0].mark is mark
    assert found.mark is mark
    assert found.points[0].expanded_u == pytest.approx(9.2376, abs=1e-3)


def test_the_whole_is_as_good_as_its_worst_point():
    good, bad = _ups(P10, [0.0, 500.0]), _ups(P10, [1000.0], 60.0)
    found = judge_calibration(P10, good + bad, 2.0, FEED, SOURCES)
    assert [p.mark for p in found.points] == [Mark.PASS, Mark.PASS, Mark.FAIL]
    assert found.mark is Mark.FAIL
    assert found.worst.point.stimulus == 1000.0
    assert judge_calibration(P10, [], 2.0, FEED, SOURCES).mark is Mark.NOT_MEASURED


def test_offset_and_span_are_told_apart():
    found = judge_calibration(P10, _ups(P10, [0, 250, 500, 750, 1000], 12.0), 2.0, FEED, SOURCES)
    assert (found.zero_pct, found.span_pct) == pytest.approx((1.2, 0.0), abs=1e-9)
    found = judge_calibration(P10, _ups(P10, [0, 250, 500, 750, 1000], gain=1.03), 2.0, FEED, SOURCES)
    assert (found.zero_pct, found.span_pct) == pytest.approx((0.0, 3.0), abs=1e-9)


def test_hysteresis_and_repeatability_come_from_the_runs():
    stimuli = [0.0, 250.0, 500.0, 750.0, 1000.0]
    points = _ups(P10, stimuli) + _ups(P10, stimuli[::-1], 4.0, run=Run.DOWN)
    found = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert found.hysteresis_pct == pytest.approx(0.4)
    assert found.repeatability_pct is None
    again = judge_calibration(P10, points + _ups(P10, [500.0], 2.0), 2.0, FEED, SOURCES)
    assert again.repeatability_pct == pytest.approx(0.2 / math.sqrt(2))  # two readings 2 kPa apart
    assert judge_calibration(P10, points[:5], 2.0, FEED, SOURCES).hysteresis_pct is None


def test_a_point_off_the_line_of_the_others_is_pointed_out_and_still_counts():
    points = _ups(P10, [0.0, 200.0, 400.0, 600.0, 800.0, 1000.0])
    points[3] = replace(points[3], reading=points[3].reading + 0.160)
    found = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert found.outlier.index == 3
    assert found.outlier.off_pct == pytest.approx(4.0, abs=1e-6)  # 160 mV of a span of 4 V
    assert found.fit.count == 6
    points[3] = replace(points[3], left_out="the hose slipped")
    without = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert without.fit.count == 5
    assert without.points[3].mark is Mark.FAIL  # left out of the line, not of the record
    assert without.linearity_pct == pytest.approx(0, abs=1e-9)


@given(st.integers(5, 15), st.floats(0.0005, 0.004), st.integers(0, 400))
def test_noise_alone_is_hardly_ever_called_an_outlier(count, sd_v, seed):
    """The limit of 99.73 % is per point; an accident of one seed must stay below three times that limit's reach."""
    rng = np.random.default_rng(seed)
    points = [
        replace(p, reading=p.reading + rng.normal(0, sd_v)) for p in _ups(P10, np.linspace(0, 1000, count).tolist())
    ]
    found = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert found.outlier is None or abs(found.outlier.off_pct) > 3 * found.outlier.scatter_pct


def test_the_table_of_student_s_t_is_right():
    for freedom, t in enumerate(_T_99_73, 1):
        assert t == pytest.approx(scipy.stats.t.ppf(1 - 0.0027 / 2, freedom), rel=2e-3)


@pytest.mark.parametrize(
    ("points", "says"),
    [
        (_ups(P10, [500.0]), "One point gives an error, but no line"),
        (_ups(P10, [500.0, 500.0]), "same stimulus"),
    ],
    ids=["one point", "two equal points"],
)
def test_points_without_a_line_say_so_and_are_judged(points, says):
    found = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert found.fit is None
    assert says in found.notes[0]
    assert found.mark is Mark.PASS


def test_the_reference_of_each_point_is_divided_out():
    points = [
        CalibrationPoint(stimulus=v, reading=reading_at(P10, v, Feed(ref)), reference_v=ref)
        for v, ref in ((0, 4.9), (500, 5.0), (1000, 5.1))
    ]
    found = judge_calibration(P10, points, 2.0, FEED, SOURCES)
    assert [p.error for p in found.points] == pytest.approx([0, 0, 0], abs=1e-9)
    assert found.linearity_pct == pytest.approx(0, abs=1e-9)


def test_a_reference_that_was_not_measured_widens_the_uncertainty():
    point = _ups(P10, [1000.0])
    known = judge_calibration(P10, point, 2.0, FEED, SOURCES).points[0]
    assumed = judge_calibration(P10, point, 2.0, FEED, replace(SOURCES, assumed_reference_u=0.0577)).points[0]
    assert assumed.expanded_u > 2 * known.expanded_u
    assert "reference not measured" in [line.source for line in assumed.budget]


ODD = [
    ("above the reference", P10, CalibrationPoint(stimulus=1000.0, reading=5.05), "short to supply"),
    ("below zero", P10, CalibrationPoint(stimulus=0.0, reading=-0.02), "exchanged leads"),
    ("stimulus outside the range", P10, CalibrationPoint(stimulus=1200.0, reading=4.9), "outside the sensor's range"),
    ("thermistor at its supply", N10, CalibrationPoint(stimulus=20.0, reading=5.0), "no value behind this reading"),
]


@pytest.mark.parametrize(("curve", "point", "says"), [o[1:] for o in ODD], ids=[o[0] for o in ODD])
def test_an_odd_point_is_judged_and_said(curve, point, says):
    found = judge_calibration(curve, [point], 2.0, Feed(5.0, 2200.0), SOURCES)
    assert says in found.points[0].note


def test_a_bent_curve_is_fitted_in_its_value():
    bent = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 1.0, 3.0, 4.5), (0.0, 20.0, 60.0, 100.0))
    found = judge_calibration(bent, _ups(bent, [10, 30, 50, 70, 90], 1.0), 3.0, FEED, EXACT)
    assert (found.fit.line.intercept, found.fit.line.slope) == pytest.approx((1.0, 1.0))
    assert found.zero_pct == pytest.approx(1.0)
    assert fitted_curve(bent, found.fit) is None


def _pair(first, second, read=(0.0, 0.0)):
    return [
        CalibrationPoint(stimulus=at, reading=reading_at(P10, at, Feed(5.0)) + off, reference_v=5.0)
        for at, off in zip((first, second), read, strict=True)
    ]


def test_two_points_too_close_pass_nothing_and_say_which_would_do():
    """505 against 500 of 1 000 kPa: a millivolt either way moves the ends of their line by volts."""
    sources = Sources(meter=METER, stimulus_u=1.0, unit="kPa")
    close = judge_calibration(P10, _pair(500.0, 505.0, (0.0, 0.004)), 2.0, Feed(5.0), sources)
    assert close.mark is Mark.UNDECIDED
    assert max(close.ends_u_pct) > 20
    (note,) = close.notes
    assert "where 2 % is asked" in note
    wanted = float(note.split("point at ")[1].split(" kPa")[0])
    far = judge_calibration(P10, _pair(500.0, wanted), 2.0, Feed(5.0), sources)
    assert (far.mark, far.notes) == (Mark.PASS, ())
    assert max(far.ends_u_pct) <= 2.0


def test_repeats_that_scatter_are_part_of_the_uncertainty():
    """Twice each, 0.8 % of span apart at random: U = 0.04 % would pass them."""
    points = [
        CalibrationPoint(stimulus=at, reading=reading_at(P10, at + off, Feed(5.0)), reference_v=5.0)
        for at, off in [(200, 8), (200, -8), (500, -7), (500, 9), (800, 6), (800, -8)]
    ]
    found = judge_calibration(P10, points, 2.0, Feed(5.0), EXACT)
    scatter_pct = found.repeatability_pct
    for point in found.points:
        assert point.coverage_k == 3.31  # Student's t of three degrees of freedom, since nothing else contributes
        assert point.expanded_u_pct == pytest.approx(3.31 * scatter_pct, rel=1e-6)
        assert point.mark is Mark.UNDECIDED


def test_many_certain_contributions_bring_k_back_to_two():
    """Welch and Satterthwaite: a scatter of a tenth of the whole leaves 3 · 10⁴ degrees of freedom."""
    assert coverage_k(1.0, 0.1, 3) == 2.0
    assert coverage_k(1.0, 1.0, 1) == 13.97
    assert coverage_k(1.0, 0.5, 1) == student_t(16) == 2.17


def test_hysteresis_is_part_of_the_uncertainty():
    points = [
        CalibrationPoint(stimulus=at, reading=reading_at(P10, at + off, Feed(5.0)), run=run, reference_v=5.0)
        for run, off in ((Run.UP, -6.0), (Run.DOWN, 6.0))
        for at in (200.0, 800.0)
    ]
    found = judge_calibration(P10, points, 2.0, Feed(5.0), EXACT)
    assert found.hysteresis_pct == pytest.approx(1.2)
    assert found.points[0].expanded_u == pytest.approx(2 * 12.0 / 2 / math.sqrt(3), rel=1e-6)


def test_linearity_by_three_lines():
    """A bow of 1 % of span at the middle of three points: 2/3 of it from the best line, all of it from the ends."""
    points = _ups(P10, [0.0, 500.0, 1000.0])
    points[1] = replace(points[1], reading=points[1].reading + 0.01 * 0.8 * FEED.reference_v)
    found = judge_calibration(P10, points, 2.0, FEED, EXACT)
    assert found.linearity_pct == pytest.approx(2 / 3)
    assert found.linearity_ends_pct == pytest.approx(1.0)
    assert found.linearity_zero_pct == pytest.approx(0.8)
