"""`./iron measure curves`: how near the sums are to independent libraries, how fast, and how often entries are explained.

Speeds stand beside a bare multiplication of as many numbers, done in the same run.
"""

from __future__ import annotations

import math
import statistics
import time
from collections.abc import Callable
from dataclasses import replace

import GTC
import numpy as np
import scipy.stats

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import judge_calibration
from irongauge.core.calibration.points import CalibrationPoint
from irongauge.core.controllers.figures import EndPoints, FormKind, Input, OffsetSlope, Target, forms_of
from irongauge.core.controllers.reading_back import Slip, check_entry
from irongauge.core.measure.line import fit_line
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity, load_tables, units_of
from irongauge.core.sensors.conversion import Feed, Scale, evaluate, reading_at
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleType, degc_at_mv, mv_at_degc
from irongauge.core.sensors.transfer import Curve, CurveKind, LinearCurve, NtcCurve, TableCurve
from irongauge.formats.curve_table import read_table
from tests.curves import B25, P10
from tests.printed_tables import THERMOCOUPLES
from tools.figures import Figure, p95
from tools.wrong_entries import WRONG, draw_entry, draw_good, draw_table

__all__ = ["curve_figures"]

_POINTS, _ROUNDS = 100_000, 20
_ENTRIES, _GOOD, _TABLES = 800, 300, 300
_GAUGE, _ABSOLUTE = PressureBase.GAUGE, PressureBase.ABSOLUTE
_LINE, _AIR = P10, B25
_OTHER = replace(P10, value_high=1600.0)
_TABLE = TableCurve(
    CurveKind.VOLTS,
    Quantity.PRESSURE,
    tuple(0.5 + n / 500 for n in range(2000)),
    tuple(n / 2.0 for n in range(2000)),
    _GAUGE,
)
_NTC = NtcCurve(Thermistor.from_points(((-10, 9150), (30, 1680), (90, 243))))
_FEED = Feed(4.96, 2200.0, 4.96)


def curve_figures(cases: int = 2000) -> list[Figure]:
    """Everything about curves that is promised in numbers."""
    load_tables()
    rng = np.random.default_rng(20261125)
    return [*_agreement(rng), *_thermocouples(), *_speeds(), *_explained(rng, cases)]


def _thermocouples() -> list[Figure]:
    """The greatest difference from the printed tables, whose last digit is 1 µV; and of type K in °C, cold junction at 0 °C."""
    worst_mv, worst_k = 0.0, 0.0
    for letter, rows in THERMOCOUPLES.items():
        kind = ThermocoupleType(letter)
        for degc, mv in rows:
            worst_mv = max(worst_mv, abs(mv_at_degc(kind, degc) - mv))
            if kind is ThermocoupleType.K:
                worst_k = max(worst_k, abs(degc_at_mv(kind, mv) - degc))
    return [
        Figure("thermocouples of eight types, worst difference from the printed tables", worst_mv, "mV", "0.001"),
        Figure("type K, −200 to 1 300 °C, worst difference from its printed table", worst_k, "K", "0.05"),
    ]


def _milliseconds(work: Callable[[], object]) -> list[float]:
    times = []
    for _ in range(_ROUNDS):
        started = time.perf_counter()
        work()
        times.append((time.perf_counter() - started) * 1000)
    return times


def _agreement(rng: np.random.Generator) -> list[Figure]:
    """The greatest relative difference from SciPy, NumPy and GTC over random calibrations."""
    line, polynomial, budget = 0.0, 0.0, 0.0
    for _ in range(300):
        n = int(rng.integers(3, 40))
        values = np.sort(rng.uniform(0, 1000, n))
        signals = 0.1 + 0.0008 * values + rng.normal(0, 0.002, n)
        fit = fit_line(values.tolist(), signals.tolist())
        assert fit is not None
        other = scipy.stats.linregress(values, signals)
        slope, intercept = np.polyfit(values, signals, 1)
        line = max(line, abs(fit.line.slope / other.slope - 1), abs(fit.line.intercept / other.intercept - 1))
        assert fit.slope_se is not None
        assert fit.intercept_se is not None
        line = max(line, abs(fit.slope_se / other.stderr - 1), abs(fit.intercept_se / other.intercept_stderr - 1))
        polynomial = max(polynomial, abs(fit.line.slope / slope - 1), abs(fit.line.intercept / intercept - 1))
        budget = max(budget, _budget_difference(float(rng.uniform(50, 950)), float(rng.uniform(4.8, 5.2))))
    return [
        Figure("line against scipy.stats.linregress, relative", line, "", "at most 1e-9"),
        Figure("line against numpy.polyfit, relative", polynomial, "", "at most 1e-9"),
        Figure("uncertainty against GTC, relative", budget, "", "at most 1e-9"),
    ]


def _budget_difference(stimulus: float, reference_v: float) -> float:
    meter = MeterSpec(0.3, 2, 6000)
    reading = reading_at(_LINE, stimulus, Feed(reference_v)) * 1.003
    found = judge_calibration(
        _LINE,
        [CalibrationPoint(stimulus=stimulus, reading=reading)],
        2.0,
        Feed(reference_v),
        Sources(meter=meter, stimulus_u=4.6, atmosphere_u=1.4),
    ).points[0]
    v, ref = (GTC.ureal(x, meter.standard_uncertainty(x)) for x in (reading, reference_v))
    if meter.resolution(reading) == meter.resolution(reference_v):  # one range, whose gain both share
        gain = GTC.ureal(1, meter.reading_pct / 100 / math.sqrt(3))
        v, ref = (x * gain + GTC.ureal(0, meter.digits_uncertainty(x)) for x in (reading, reference_v))
    error = (v / ref - 0.1) / 0.8 * 1000 - GTC.ureal(stimulus, 4.6) - GTC.ureal(0, 1.4)
    return abs(found.expanded_u / (2 * float(GTC.uncertainty(error))) - 1)


def _speeds() -> list[Figure]:
    readings = np.linspace(0.5, 4.5, _POINTS)
    curves: dict[str, Curve] = {"line": _LINE, "table of 2 000 points": _TABLE, "NTC by three points": _NTC}
    bare = statistics.median(_milliseconds(lambda: readings * 1.7 + 0.3))
    figures = []
    for name, curve in curves.items():
        values = np.linspace(curve.value_low, curve.value_high, _POINTS)
        for way, given, is_reading in (("to values", readings, True), ("to readings", values, False)):
            times = _milliseconds(lambda c=curve, g=given, r=is_reading: evaluate(c, g, is_reading=r, feed=_FEED))  # type: ignore[misc]
            figures.append(Figure(f"100 000 points {way}, {name}, p95", p95(times), "ms", "under 50"))
            figures.append(Figure("  as a multiple of a bare multiplication", statistics.median(times) / bare, "×"))
    points = [
        CalibrationPoint(stimulus=float(v), reading=reading_at(_LINE, float(v), _FEED))
        for v in np.linspace(0, 1000, 20)
    ]
    judged = _milliseconds(
        lambda: judge_calibration(_LINE, points, 2.0, _FEED, Sources(meter=MeterSpec(0.3, 2), stimulus_u=4.6))
    )
    text = "bar;V\n" + "\n".join(f"{n / 200:.3f};{0.5 + n / 500:.4f}".replace(".", ",") for n in range(2000))
    read = _milliseconds(lambda: read_table(text, CurveKind.VOLTS, Quantity.PRESSURE, "bar"))
    return [
        *figures,
        Figure("a calibration of 20 points judged, p95", p95(judged), "ms"),
        Figure("2 000 pasted rows read, p95", p95(read), "ms"),
    ]


def _explained(rng: np.random.Generator, cases: int) -> list[Figure]:
    """Entries with a known slip, rounded as a person would, and how often the slip is named."""
    kinds = list(WRONG)
    wrong = [draw_entry(kinds[seed % len(kinds)], 3000 + seed) for seed in range(_ENTRIES)]
    named = sum(check_entry(e.seen, e.form, e.scale).slip in e.right for e in wrong)
    good = [draw_good(3000 + seed) for seed in range(_GOOD)]
    condemned = sum(check_entry(e.seen, e.form, e.scale).slip is not Slip.RIGHT for e in good)
    tables = [draw_table(seed) for seed in range(_TABLES)]
    said = [check_entry(e.seen, e.form, e.scale).slip in e.right for e in tables]
    right = 0
    for _ in range(cases):
        slip, curve, form, scale = _slipped(rng)
        verdict = check_entry(Input(curve, Feed()), form, scale, presets=[("P16", _OTHER)])
        right += verdict.slip is slip
    return [
        Figure(
            f"{_ENTRIES} wrong entries of {len(kinds)} kinds, by hand: named rightly",
            100 * named / _ENTRIES,
            "%",
            "at least 97",
        ),
        Figure(f"  of {_GOOD} good ones condemned", float(condemned), "", "0"),
        Figure(f"{_TABLES // 2} right tables of a thermistor condemned", float(said[::2].count(False)), "", "0"),
        Figure(f"  of {_TABLES // 2} wrong ones named rightly", 200 * sum(said[1::2]) / _TABLES, "%", "at least 97"),
        Figure(f"slips of {cases} entries of our own forms named rightly", 100 * right / cases, "%"),
    ]


def _slipped(rng: np.random.Generator) -> tuple[Slip, LinearCurve, EndPoints | OffsetSlope, Scale]:
    slip = rng.choice(
        np.array([Slip.RIGHT, Slip.WRONG_UNIT, Slip.WRONG_BASE, Slip.PRESET, Slip.REVERSED, Slip.OFFSET, Slip.SLOPE])
    )
    curve = _LINE if slip == Slip.PRESET or rng.integers(2) else _AIR
    own = curve.pressure_base
    units = [u for u in units_of(Quantity.PRESSURE) if u.code != "mbar"]
    unit = units[int(rng.integers(len(units)))]
    scale = Scale(unit.code, own)
    shown_as = scale
    if slip == Slip.WRONG_UNIT:
        shown_as = Scale(rng.choice(np.array([u.code for u in units if u is not unit])).item(), own)
    if slip == Slip.WRONG_BASE:
        shown_as = Scale(unit.code, _ABSOLUTE if own is _GAUGE else _GAUGE)
    made = _OTHER if slip == Slip.PRESET else curve
    decimals = 2 + max(0, -math.floor(math.log10(Scale(shown_as.unit).shown(230.0, None))) + 1)
    offered = forms_of(Input(made, Feed()), Target(shown_as, decimals)).of(FormKind.END_POINTS)
    assert offered is not None
    form = offered.form
    assert isinstance(form, EndPoints)
    span = form.shown_high - form.shown_low
    if slip == Slip.REVERSED:
        form = EndPoints(form.reading_low, form.reading_high, form.shown_high, form.shown_low)
    if slip == Slip.OFFSET:
        shift = span * float(rng.uniform(0.02, 0.1)) * (1 if rng.integers(2) else -1)
        form = EndPoints(form.reading_low, form.reading_high, form.shown_low + shift, form.shown_high + shift)
    if slip == Slip.SLOPE:
        gain = 1 + float(rng.uniform(0.02, 0.15))
        form = EndPoints(form.reading_low, form.reading_high, form.shown_low, form.shown_low + gain * span)
    return Slip(str(slip)), curve, form, scale
