"""How many samples a second a file has, where a line before its numbers says it in words."""

import pytest

from irongauge.formats.capture_text import rate_in


@pytest.mark.parametrize(
    "line",
    [
        "Rate: 10 Hz", "Sample rate,10", "sampling frequency 0.01 kHz", "Logging rate;10 Hz", "Rate [Hz],10",
        "Samples per second: 10", "Abtastrate: 10 Hz", "Abtastfrequenz 10 Hz", "Fréquence : 10 Hz", "Cadence 10 Hz",
        "Frecuencia de muestreo: 10 Hz", "Frequenza 10 Hz", "Sample interval: 100 ms", "Interval (ms),100", "Interval [s];0.1",
        "Sampling period (us): 100000", "Log interval 0.1 s", "dt=0.1", "Increment,1E-01",
    ],
)  # fmt: skip
def test_a_rate_is_read_in_any_words(line):
    assert rate_in(["Logger 3", line]) == pytest.approx(10)


@pytest.mark.parametrize(
    "line", ["time,wheel speed 2 [Hz]", "Rate", "Interval (ms)", "Driver 10", "Heart rate,Hz", "rpm (Hz)"]
)
def test_a_heading_is_no_rate(line):
    assert rate_in([line]) is None
