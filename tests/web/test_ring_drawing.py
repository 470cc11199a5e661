"""The drawing of a tooth ring, and the figures beside it."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime
from uuid import uuid4

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import RingResult, examine
from irongauge.core.pulses.record import About, Capture, KeptPulse, PulseKind
from irongauge.instruments.waveforms import Pickup, Ring, capture
from irongauge.web.pulse.capture_page import capture_page, hertz, span
from irongauge.web.pulse.ring_drawing import draw_ring
from irongauge.workflows.pulse.kept_checks import Keeping

NOW = datetime(2026, 11, 20, 9, tzinfo=UTC)
EVEN = RingResult(teeth=24, turns=12.0, error_pct=(0.0,) * 24, spread_pct=0.01, run_out_pct=0.0, missing=(), wrong=())


def _length(tooth):
    x0, y0, x1, y1 = tooth.bar
    return math.hypot(x1, y1) - math.hypot(x0, y0)


def test_bars_go_outwards_where_a_pitch_is_wide_and_inwards_where_it_is_narrow():
    errors = [0.0] * 24
    errors[5], errors[6] = 6.0, -6.0
    drawn = draw_ring(replace(EVEN, error_pct=tuple(errors), wrong=(6,)))
    assert drawn.scale_pct == 6.0
    assert _length(drawn.teeth[5]) == pytest.approx(38, abs=0.1)
    assert _length(drawn.teeth[6]) == pytest.approx(-38, abs=0.1)
    assert _length(drawn.teeth[0]) == pytest.approx(0, abs=0.01)
    assert [t.kind for t in drawn.teeth].count("wrong") == 1
    assert (drawn.teeth[6].kind, drawn.teeth[6].label) == ("wrong", "7")
    assert "greatest pitch error" in drawn.summary


def test_small_errors_are_not_blown_up_and_the_first_tooth_stands_at_the_top():
    drawn = draw_ring(replace(EVEN, error_pct=(0.3, *(0.0,) * 23)))
    assert drawn.scale_pct == 2.0
    assert _length(drawn.teeth[0]) == pytest.approx(38 * 0.15, abs=0.1)
    xs = [float(pair.split()[0]) for pair in drawn.teeth[0].outline.strip("MZ ").split(" L")]
    ys = [float(pair.split()[1]) for pair in drawn.teeth[0].outline.strip("MZ ").split(" L")]
    assert sum(xs) == pytest.approx(0, abs=0.05)
    assert max(ys) < 0


def test_a_gap_is_outlined_and_does_not_set_the_scale():
    errors = [0.0] * 24
    errors[3], errors[4] = 40.0, -40.0  # a coil's wave is bent about a gap
    drawn = draw_ring(replace(EVEN, error_pct=tuple(errors), missing=(4,)))
    assert drawn.teeth[4].kind == "missing"
    assert drawn.scale_pct == 2.0
    assert _length(drawn.teeth[3]) == 0
    many = draw_ring(replace(EVEN, missing=tuple(range(8))))
    assert {t.label for t in many.teeth} == {""}


# Figures

SQUARE = capture(Ring(24, late_pct={7: 5}), Pickup(), turn_hz=(5, 5), seconds=2, rate_hz=10_000, seed=1)
COIL = capture(
    Ring(36, missing=frozenset({3, 4})), Pickup(coil_v_per_hz=0.01), turn_hz=(4, 9), seconds=3, rate_hz=20_000, seed=1
)


def _made(taken, **about):
    found = examine(*taken, **about)
    return Capture(
        uid=uuid4(),
        name="bench.csv",
        note="",
        samples=found.samples,
        seconds=found.seconds,
        step_s=1e-4,
        about=About(**about),
        examination=found,
        taken_at=NOW,
    )


def _figures(made):
    return {line.name: line.text for line in capture_page(made, Keeping(shop=None, people=None)).figures}


def test_a_square_wave_is_told_by_its_levels_its_times_and_its_ring():
    page = capture_page(_made(SQUARE), Keeping(shop=None, people=None))
    figures = {line.name: line.text for line in page.figures}
    assert page.main_figure == "120 Hz"
    assert page.headline.endswith("% of a pitch late.")
    assert figures["High"] == "50.0 %"
    assert figures["Ring"] == "24 teeth"
    assert "Coil" not in figures
    assert "As a fuel sensor" not in figures


def test_a_coil_is_told_by_its_volts_and_the_edge_of_its_teeth():
    figures = _figures(_made(COIL, teeth=36, gap_teeth=2))
    assert figures["Coil"] == "20 mV per Hz"
    assert figures["Tooth stands at"] == "the falling edge"
    assert (
        figures["Volts with speed"].startswith("to the power 1.0") or figures["Volts with speed"] == "to the power 0.99"
    )
    assert "High" not in figures
    assert (
        capture_page(_made(COIL, teeth=36, gap_teeth=2), Keeping(shop=None, people=None)).headline
        == "Nothing wrong is found"
    )


def test_the_picture_begins_at_the_first_finding_and_names_every_place():
    made = _made(SQUARE)
    page = capture_page(made, Keeping(shop=None, people=None))
    finding = made.examination.findings[0]
    assert f'"at_s": [{finding.at_s[0]}' in page.picture
    begin = float(page.picture.split('"from_s": ')[1].split(",")[0])
    until = float(page.picture.split('"until_s": ')[1].split(",")[0])
    assert begin <= finding.at_s[0] <= until
    assert until - begin == pytest.approx(24 / 120, rel=0.01)


def test_a_capture_is_kept_as_long_as_nothing_else_is_told_of_it():
    kept = KeptPulse(
        uid=uuid4(),
        kind=PulseKind.WAVEFORM,
        mark=Mark.FAIL,
        finding="x",
        sentence="",
        given={"teeth": 24, "gap_teeth": None, "pull_up_v": None},
        technician_uid=uuid4(),
        taken_at=NOW,
    )
    made = replace(_made(SQUARE, teeth=24), kept_uid=kept.uid)
    assert capture_page(made, Keeping(shop=None, people=None, kept=(kept,))).is_kept
    assert not capture_page(replace(made, about=About(teeth=48)), Keeping(shop=None, people=None, kept=(kept,))).is_kept
    assert not capture_page(replace(made, kept_uid=None), Keeping(shop=None, people=None, kept=(kept,))).is_kept


@pytest.mark.parametrize(
    ("seconds", "text"), [(2.5, "2.5 s"), (0.0125, "12.5 ms"), (3.2e-6, "3.2 µs"), (0.9999, "999.9 ms")]
)
def test_a_span_has_the_unit_that_suits_it(seconds, text):
    assert span(seconds) == text


@pytest.mark.parametrize(("value", "text"), [(62.44, "62.44 Hz"), (9999.0, "9999 Hz"), (12_345.0, "12.35 kHz")])
def test_a_frequency_has_the_unit_that_suits_it(value, text):
    assert hertz(value) == text
