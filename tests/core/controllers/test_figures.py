"""What controllers ask for, and their entries read back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.controllers.figures import (
    Cells,
    Counts,
    EndPoints,
    FormKind,
    Input,
    Limit,
    OffsetSlope,
    Scaled,
    Target,
    ZeroFive,
    cost_pct,
    forms_of,
    line_of,
    spread,
)
from irongauge.core.controllers.reading_back import Slip, check_entry, check_limit
from irongauge.core.measure.units import PressureBase, Quantity, units_of
from irongauge.core.sensors.conversion import Feed, Scale
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, NtcCurve, TableCurve
from tests.curves import B25, FALLING, N10, P10
from tools.wrong_entries import draw_table

GAUGE, ABSOLUTE = PressureBase.GAUGE, PressureBase.ABSOLUTE
FUEL = LinearCurve(
    kind=CurveKind.HERTZ, quantity=Quantity.SHARE, signal_low=50.0, signal_high=150.0, value_low=0.0, value_high=100.0
)
BENT = TableCurve(CurveKind.VOLTS, Quantity.SHARE, (0.5, 1.0, 3.0, 4.5), (0.0, 20.0, 60.0, 100.0))
NTC = NtcCurve(Thermistor(10_000.0, 3435.0))
FEED = Feed(5.0, 2200.0)
BAR = Scale("bar", GAUGE)


P16, P250 = replace(P10, value_high=1600.0), replace(P10, value_high=25_000.0)


def test_every_form_of_a_ten_bar_sensor_is_what_the_sum_says():
    forms = forms_of(Input(P10, FEED), Target(BAR, decimals=2), fault=(0.25, 4.75))
    assert forms.of(FormKind.END_POINTS).form == EndPoints(0.5, 4.5, 0.0, 10.0)
    assert forms.of(FormKind.ZERO_FIVE).form == ZeroFive(-1.25, 11.25)
    assert forms.of(FormKind.OFFSET_SLOPE).form == OffsetSlope(-1.25, 2.5)
    assert forms.of(FormKind.SCALED).form == Scaled(1, 400, -1.25)
    cells = forms.of(FormKind.CELLS).form
    assert cells.readings == (0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 4.5)
    assert cells.shown == (0.0, 1.25, 2.5, 3.75, 5.0, 6.25, 7.5, 8.75, 10.0)
    assert (forms.bands.shown_low, forms.bands.shown_high) == (0.0, 10.0)
    assert (forms.bands.fault_low, forms.bands.fault_high) == (0.25, 4.75)
    assert max(o.cost_pct for o in forms.offered if o.kind is not FormKind.COUNTS) < 1e-9
    assert forms.of(FormKind.COUNTS).cost_pct < 1e-3


def test_rounding_costs_what_it_costs():
    forms = forms_of(Input(P10, FEED), Target(Scale("psi", GAUGE), decimals=0))
    shown = forms.of(FormKind.END_POINTS).form
    assert (shown.shown_low, shown.shown_high) == (0, 145)
    # 10 bar are 145.0377 psi: the top end is 0.0377 of 145.04 out
    assert forms.of(FormKind.END_POINTS).cost_pct == pytest.approx(0.0377 / 145.0377 * 100, rel=1e-2)


def test_a_straight_form_of_a_bent_curve_says_how_far_off_it_is():
    forms = forms_of(Input(BENT, FEED), Target(Scale("percent"), decimals=3), [0.5, 1.0, 3.0, 4.5])
    assert forms.of(FormKind.END_POINTS).cost_pct == pytest.approx(7.5, abs=0.1)  # at 1 V: 20 % and 12.5 %
    assert forms.of(FormKind.CELLS).cost_pct < 1e-9
    ntc = forms_of(
        Input(NTC, FEED),
        Target(Scale("degC"), decimals=1, reading_decimals=3),
        spread(*Input(NTC, FEED).reading_range, 33),
    )
    assert ntc.of(FormKind.OFFSET_SLOPE).cost_pct > 5 > ntc.of(FormKind.CELLS).cost_pct


def test_a_frequency_has_no_value_at_five_volts():
    forms = forms_of(Input(FUEL, FEED), Target(Scale("percent"), decimals=1))
    assert forms.of(FormKind.ZERO_FIVE) is None
    assert forms.of(FormKind.OFFSET_SLOPE).form == OffsetSlope(-50.0, 1.0)


def _exact(curve, unit, base):
    scale = Scale(unit.code, base, 97.0)
    return Input(curve, FEED), scale, Target(scale, decimals=12, reading_decimals=12)


def _wanted(curve, base):
    return base if curve.quantity is Quantity.PRESSURE else None


@given(
    st.sampled_from([P10, B25, FALLING]),
    st.data(),
    st.sampled_from(list(PressureBase)),
)
def test_forms_become_each_other_without_loss(curve, data, base):
    """Any form, taken as the curve that it is, gives every other form again."""
    unit = data.draw(st.sampled_from(units_of(curve.quantity)))
    seen, scale, target = _exact(curve, unit, _wanted(curve, base))
    grid = seen.grid()
    right = seen.shown_at(grid, scale)
    span = np.ptp(right)
    for offered in forms_of(seen, target).offered:
        if offered.kind is FormKind.SCALED:  # whole numbers: as near as 16 bits come
            assert offered.cost_pct < 0.02
            continue
        assert np.abs(offered.form.shown_at(grid) - right).max() <= 1e-9 * span + 1e-11
        at = np.array(seen.reading_range)
        again = EndPoints(*at, *offered.form.shown_at(at))
        line = OffsetSlope(
            again.shown_at(np.zeros(1))[0], again.shown_at(np.ones(1))[0] - again.shown_at(np.zeros(1))[0]
        )
        assert line.shown_at(grid) == pytest.approx(right, abs=1e-9 * span + 1e-11)


@given(st.sampled_from([P10, B25, FALLING]), st.data(), st.integers(2, 60), st.sampled_from(list(PressureBase)))
def test_a_table_read_back_gives_the_curve(curve, data, count, base):
    unit = data.draw(st.sampled_from(units_of(curve.quantity)))
    seen, scale, target = _exact(curve, unit, _wanted(curve, base))
    cells = forms_of(seen, target, spread(*seen.reading_range, count)).of(FormKind.CELLS).form
    line = line_of(seen, scale)
    back = np.polyfit(cells.readings, cells.shown, 1)
    assert back[0] == pytest.approx(line.slope, rel=1e-9)
    assert cost_pct(seen, scale, cells) < 1e-8
    assert check_entry(seen, cells, scale).slip is Slip.RIGHT


ATMOSPHERE_BAR = 1.01325
# The 10 bar sensor on a controller that shows bar gauge, entered in these ways.
ENTERED = [
    ("right", EndPoints(0.5, 4.5, 0.0, 10.0), BAR, Slip.RIGHT, "Right"),
    ("right, rounded", ZeroFive(-1.25, 11.26), BAR, Slip.RIGHT, "Right"),
    ("psi figures", EndPoints(0.5, 4.5, 0.0, 145.04), BAR, Slip.WRONG_UNIT, "in psi"),
    ("kPa figures as a table", Cells((0.5, 2.5, 4.5), (0.0, 500.0, 1000.0)), BAR, Slip.WRONG_UNIT, "in kPa"),
    ("gauge figures, absolute wanted", EndPoints(0.5, 4.5, 0.0, 10.0), Scale("bar", ABSOLUTE), Slip.WRONG_BASE, "low"),
    ("absolute figures, gauge wanted", EndPoints(0.5, 4.5, 1.013, 11.013), BAR, Slip.WRONG_BASE, "high"),
    ("psi absolute for bar gauge", EndPoints(0.5, 4.5, 14.7, 159.73), BAR, Slip.WRONG_UNIT_AND_BASE, "psi absolute"),
    ("another type's preset", EndPoints(0.5, 4.5, 0.0, 16.0), BAR, Slip.PRESET, "Orrin P16"),
    ("ends exchanged", EndPoints(0.5, 4.5, 10.0, 0.0), BAR, Slip.REVERSED, "exchanged"),
    ("0.3 bar high throughout", OffsetSlope(-0.95, 2.5), BAR, Slip.OFFSET, "0.3 bar too high"),
    ("slope 4 % high", OffsetSlope(-1.3, 2.6), BAR, Slip.SLOPE, "1.04 times"),
    ("offset and slope", OffsetSlope(-0.9, 2.6), BAR, Slip.OFFSET_AND_SLOPE, "both wrong"),
    ("multiplier of the wrong sensor", Scaled(1, 250, -2.0), BAR, Slip.PRESET, "Orrin P16"),
    ("a table with one wrong cell", Cells((0.5, 2.5, 4.5), (0.0, 5.8, 10.0)), BAR, Slip.CELL, "Cell 2 alone is wrong"),
]


@pytest.mark.parametrize(("form", "scale", "slip", "says"), [e[1:] for e in ENTERED], ids=[e[0] for e in ENTERED])
def test_an_entry_is_read_back_and_its_slip_named(form, scale, slip, says):
    verdict = check_entry(Input(P10, FEED), form, scale, presets=[("Orrin P250", P250), ("Orrin P16", P16)])
    assert verdict.slip is slip
    assert says in verdict.sentence


def test_a_bent_sensor_entered_as_a_line_is_told_to_use_the_table():
    verdict = check_entry(Input(BENT, FEED), EndPoints(0.5, 4.5, 0.0, 100.0), Scale("percent"))
    assert verdict.slip is Slip.NOT_STRAIGHT
    assert "table" in verdict.sentence
    assert verdict.error_pct == pytest.approx(7.5, abs=0.1)


@pytest.mark.parametrize(("cap", "slip"), [(10.0, Slip.RIGHT), (12.0, Slip.RIGHT), (8.0, Slip.TOO_LOW)])
def test_a_limit_must_not_hide_the_top_of_the_range(cap, slip):
    verdict = check_limit(Input(P10, FEED), Limit(cap), BAR)
    assert verdict.slip is slip
    assert ("20 % of the range" in verdict.sentence) == (slip is Slip.TOO_LOW)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: EndPoints(0.5, 0.5, 0, 10), "different readings"),
        (lambda: Cells((0.5,), (0,)), "at least two cells"),
        (lambda: Cells((0.5, 0.5), (0, 1)), "rise from cell to cell"),
        (lambda: Scaled(1, 0, 0.0), "divider is not 0"),
        (lambda: forms_of(Input(P10, FEED), Target(BAR), [1.0, 1.0]), "different readings"),
    ],
)
def test_figures_that_are_no_form_are_refused(make, says):
    with pytest.raises(ValueError, match=says):
        make()


def test_converter_counts_and_a_polynomial_are_forms_like_any():
    forms = forms_of(Input(P10, FEED), Target(BAR, 3))
    counts, polynomial = forms.of(FormKind.COUNTS), forms.of(FormKind.POLYNOMIAL)
    assert (counts.form.bits, counts.form.full_scale_v) == (10, 5.0)
    # 2.5 V are 512 of 1 024 steps, and 5 bar: −1.25 bar and 12.5/1 024 a step.
    assert counts.form.shown_at(np.array([2.5]))[0] == pytest.approx(5.0, abs=2e-3)
    assert counts.form.per_count == pytest.approx(12.5 / 1024, abs=1e-7)
    assert polynomial.form.powers == pytest.approx((-1.25, 2.5))
    assert max(counts.cost_pct, polynomial.cost_pct) < 0.02
    assert check_entry(Input(P10, FEED), counts.form, BAR).slip is Slip.RIGHT
    lost = Counts(1.25, counts.form.per_count)
    assert check_entry(Input(P10, FEED), lost, BAR).slip is Slip.SIGN
    with pytest.raises(ValueError, match="1 to 24 bits"):
        Counts(0.0, 1.0, 40)


def test_a_bent_curve_is_met_by_a_cubic_where_a_line_is_not():
    ntc = Input(N10, Feed(pull_up_ohm=2200.0))
    forms = forms_of(ntc, Target(Scale("degC"), 1))
    assert forms.of(FormKind.POLYNOMIAL).cost_pct < forms.of(FormKind.OFFSET_SLOPE).cost_pct


@pytest.mark.parametrize("seed", range(0, 40, 2))
def test_a_right_table_of_few_cells_is_never_one_wrong_cell(seed):
    """Every cell lies on the divider's curve; what the straight lines between cost is said as that."""
    entered = draw_table(seed)
    verdict = check_entry(entered.seen, entered.form, entered.scale)
    assert verdict.slip in {Slip.RIGHT, Slip.TOO_FEW}
    if verdict.better is not None:
        grid = entered.seen.grid()
        right = entered.seen.shown_at(grid, entered.scale)
        inside = (grid >= entered.form.readings[0]) & (grid <= entered.form.readings[-1])
        off, less = (abs(form.shown_at(grid) - right)[inside].max() for form in (entered.form, verdict.better))
        assert less < off
        assert len(verdict.better.readings) <= len(entered.form.readings)


def test_a_table_says_where_its_straight_lines_cost_most_and_offers_better_cells():
    """Nine cells evenly by volts, for 2.2 kΩ at a pull-up of 2.2 kΩ: they are far apart where it is cold and where it is hot."""
    volts = np.linspace(0.4, 4.7, 9).round(2)
    degc = 1 / (np.log(volts / (5 - volts)) / 3500 + 1 / 298.15) - 273.15
    seen = Input(NtcCurve(Thermistor(2200.0, 3500.0)), Feed(pull_up_ohm=2200.0))
    verdict = check_entry(seen, Cells(tuple(volts.tolist()), tuple(degc.round(1).tolist())), Scale("degC"))
    assert verdict.slip is Slip.TOO_FEW
    assert verdict.sentence.startswith("Every cell is right. Between cells 1 and 2, at 0.622 V")
    assert (
        "The table ends before the sensor does: below 0.4 V and above 4.7 V it holds its last value."
        in verdict.sentence
    )
    assert (verdict.better.readings[0], verdict.better.readings[-1]) == (0.4, 4.7)
    gaps = np.diff(verdict.better.readings)
    assert gaps[0] < gaps[4] > gaps[-1], "closer where the curve bends"
