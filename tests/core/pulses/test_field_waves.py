"""Waveforms from the physics of the part: none is judged surely and wrongly, and what is hidden has its own name."""

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import examine
from tools.field_waves import KINDS, draw_wave
from tools.pulsing import Outcome, outcome_of


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_wave_is_named_and_nothing_else_fails(kind):
    waves = [draw_wave(kind, seed) for seed in (1, 2)]
    found = [outcome_of(wave, examine(wave.time_s, wave.signal_v, **wave.told)) for wave in waves]
    assert Outcome.RIGHT in found
    assert Outcome.WRONG not in found


def test_a_wave_that_passes_with_its_fault_counts_as_sure_and_wrong():
    wave, clean = draw_wave("two pull-ups", 1), draw_wave("clean, switching", 1)
    passed = examine(clean.time_s, clean.signal_v)
    assert outcome_of(wave, passed) is Outcome.WRONG
    assert outcome_of(clean, examine(wave.time_s, wave.signal_v, **wave.told)) is Outcome.WRONG


def test_the_mains_are_taken_out_from_under_a_coil_before_its_ring_is_judged():
    wave = draw_wave("hum under a weak coil", 1)
    found = examine(wave.time_s, wave.signal_v, **wave.told)
    assert [finding.what for finding in found.findings] == ["mains hum"]
    assert "Hum of 50 Hz" in found.findings[0].sentence
    assert found.ring.teeth == wave.told["teeth"]


def test_teeth_that_the_gap_contradicts_are_said_and_not_used():
    wave = draw_wave("teeth mistold", 1)
    (finding,) = examine(wave.time_s, wave.signal_v, **wave.told).findings
    assert finding.mark is Mark.UNDECIDED
    assert f"{wave.told['teeth']} teeth were typed" in finding.sentence
    assert f"comes back every {wave.teeth} places" in finding.sentence


def test_words_by_width_are_told_as_such():
    wave = draw_wave("two-wire current sensor, coded widths", 1)
    narrow, wide = examine(wave.time_s, wave.signal_v, **wave.told).coded_widths_s
    assert wide == pytest.approx(2 * narrow, rel=0.15)


def test_a_current_that_leaks_beside_the_sensor_fails():
    wave = draw_wave("two-wire current sensor, shunt told", 1)
    found = examine(wave.time_s, wave.signal_v * 1.5, **wave.told)
    assert [(f.what, f.mark) for f in found.findings] == [("current levels off", Mark.FAIL)]
    assert "10.5 to 21.0 mA" in found.findings[0].sentence
