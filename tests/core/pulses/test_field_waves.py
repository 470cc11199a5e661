"""Waveforms from the physics of the part: none is judged surely and wrongly, and what is hidden has its own name."""

import numpy as np
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


def test_a_ring_made_unequal_is_said_with_its_angles_and_judged_once_they_are_told():
    wave = draw_wave("teeth made unequal, told", 2)
    untold = examine(wave.time_s, wave.signal_v)
    (finding,) = untold.findings
    assert (finding.what, finding.mark, untold.ring) == ("teeth stand unequal", Mark.UNDECIDED, None)
    told = examine(wave.time_s, wave.signal_v, angles_deg=untold.angles_deg)
    assert (told.findings, told.angles_deg) == ((), ())
    assert told.ring.made_deg == pytest.approx(untold.angles_deg, abs=0.3)
    assert told.frequency_hz == pytest.approx(wave.hertz, rel=0.01)


def test_pulses_lost_of_a_ring_made_unequal_are_a_fault():
    wave = draw_wave("teeth made unequal, told", 2)
    low_v, third_s = wave.signal_v.min(), wave.time_s[-1] / 3
    lost = (wave.time_s > third_s) & (wave.time_s < third_s * 1.3)
    found = examine(wave.time_s, np.where(lost, low_v, wave.signal_v), **wave.told)
    assert ("pulses drop out", Mark.FAIL) in [(f.what, f.mark) for f in found.findings]


def test_angles_of_another_ring_do_not_fit_and_are_not_used():
    wave = draw_wave("teeth made unequal, told", 2)
    even = np.arange(len(wave.told["angles_deg"]) + 1) * 10.0
    found = examine(wave.time_s, wave.signal_v, angles_deg=even)
    assert [(f.what, f.mark) for f in found.findings] == [("angles do not fit", Mark.UNDECIDED)]
    assert found.ring is None


@pytest.mark.parametrize("hz", [3, 5, 7.3])
def test_two_joints_alike_are_said_whatever_the_sampling_beats_with(hz):
    """A ring of 60 with a joint of 1.3 mm at 20 mm a pitch on both sides: 6.4 % of a pitch wider, by hand."""
    angles = np.arange(60) * 20.0
    angles[1:] += 1.3
    angles[31:] += 1.3
    angles /= 1202.6
    time_s = np.arange(0, 3, 5e-5)
    off = (hz * time_s[:, None] - angles[None, :]) % 1
    signal_v = np.where((off < 0.5 / 60).any(axis=1), 0.2, 5.0)
    found = examine(time_s, signal_v, teeth=60)
    assert [f.what for f in found.findings] == ["both joints alike"]
