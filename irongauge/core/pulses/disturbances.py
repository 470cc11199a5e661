"""What is on a wire beside the pulses, or looks like them and is none: the mains' hum, and sampling that is too slow to tell."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.findings import Finding
from irongauge.core.pulses.waveform import Shape, WaveformFigures, measure_checked

Floats = NDArray[np.float64]

__all__ = ["Hum", "find_in_hum", "find_in_sampling", "taken_out"]

_MAINS_HZ = (50.0, 60.0)  # of all public networks
_NEAR = 0.01  # of the mains' rate, which its makers hold to 0.4 %, with what a short capture can tell
_LEAST_CYCLES = 5.0  # of the mains in a capture, to part its line from its neighbours
# Of the whole swing, as an amplitude: a tooth's edge then comes half a percent of its period early or late.
_LEAST_SHARE = 0.012
_TOLD_SHARE = 0.03  # of the whole swing: less is taken out, and is nothing to tell of a coil at work
_LEAST_AROUND = 9  # periods about each, that tell what is usual
# Of the unrest of the periods, that is left once the hum is out: a line of the ring's own is one of many.
_CALMS = 0.6
_STANDS_OUT = 3.0  # times its neighbours in the spectrum
_LINE, _SIDES = 3.0, (3.0, 4.5)  # widths of a line under a Hann window, in 1/duration, and where its neighbours are
_ENOUGH = 20_000  # samples that show the mains
_FEWEST_A_PERIOD = 8.0  # samples: an edge is then known to an eighth of a period, and no tooth from the next


@dataclass(frozen=True)
class Hum:
    """The mains on a wire: its rate in Hz and its amplitude in V."""

    hertz: float
    amplitude_v: float


def _is_only_hum(figures: WaveformFigures) -> bool:
    """True for an even sine at the rate of the mains: a coil that stands still gives one."""
    if figures.shape is not Shape.SINE or figures.frequency_hz is None:
        return False
    periods = np.diff(figures.edges.rising_s)
    even = float(np.percentile(periods, 90) / max(np.percentile(periods, 10), 1e-12)) < 1 + 5 * _NEAR
    return even and any(abs(figures.frequency_hz / hertz - 1) < _NEAR for hertz in _MAINS_HZ)


def taken_out(
    time_s: Floats, signal_v: Floats, figures: WaveformFigures, teeth: int | None
) -> tuple[Hum | None, Floats, WaveformFigures]:
    """The mains under a coil's wave, the wave without them, and its figures anew; the same wave where none are found.

    They stand out from their neighbours in the spectrum, and without them the periods are far more even. `teeth` tell how fast
    the ring turns, which has lines of its own. Of a switching output nothing is said: its levels hide them.
    """
    for hum in _lines_of_mains(time_s, signal_v, figures, teeth):
        rest_v = _without(time_s, signal_v, hum)
        rest = measure_checked(time_s, rest_v)
        if _unrest(rest.edges.rising_s, hum.hertz) < _CALMS * _unrest(figures.edges.rising_s, hum.hertz):
            return hum, rest_v, rest
    return None, signal_v, figures


def _lines_of_mains(time_s: Floats, signal_v: Floats, figures: WaveformFigures, teeth: int | None) -> Iterator[Hum]:
    """Lines of the spectrum at a rate of the mains that stand out from their neighbours."""
    seconds = float(time_s[-1] - time_s[0])
    if figures.shape is not Shape.SINE or figures.frequency_hz is None or seconds * _MAINS_HZ[0] < _LEAST_CYCLES:
        return
    every = max(1, len(time_s) // _ENOUGH)
    if every > 1:
        whole = len(time_s) // every * every
        time_s = time_s[:whole].reshape(-1, every).mean(axis=1)
        signal_v = signal_v[:whole].reshape(-1, every).mean(axis=1)
    swing_v = figures.high_v - figures.low_v
    steps = [side / seconds for side in _SIDES]
    if teeth is not None and figures.frequency_hz / teeth > 1 / seconds:
        steps.append(figures.frequency_hz / teeth)
    for hertz in _MAINS_HZ:
        if abs(figures.frequency_hz - hertz) < _LINE / seconds:
            continue
        size_v = _line_v(time_s, signal_v, hertz)
        beside_v = max(_line_v(time_s, signal_v, hertz + way * step) for step in steps for way in (-1, 1))
        if size_v > _LEAST_SHARE * swing_v and size_v > _STANDS_OUT * beside_v:
            yield Hum(hertz, size_v)


def _unrest(edges_s: Floats, hertz: float) -> float:
    """How far periods are from the median of those about them, over two cycles of the mains; a share."""
    periods = np.diff(edges_s)
    around = 2 * math.ceil(1 / hertz / max(float(np.median(periods)), 1e-12)) + 1
    width = min(max(around, _LEAST_AROUND), len(periods))
    about = np.median(np.lib.stride_tricks.sliding_window_view(periods, width), axis=1)
    inner = periods[width // 2 : width // 2 + len(about)]
    return float(np.median(np.abs(inner / about - 1)))


def _line_v(time_s: Floats, signal_v: Floats, hertz: float) -> float:
    """Amplitude of one line of the spectrum, under a Hann window."""
    window = np.hanning(len(time_s))
    turned = np.exp(-2j * np.pi * hertz * time_s)
    return float(2 * abs(((signal_v - signal_v.mean()) * window * turned).sum()) / window.sum())


def _without(time_s: Floats, signal_v: Floats, hum: Hum) -> Floats:
    """The wave less the sine of that rate that fits it best."""
    angle = 2 * np.pi * hum.hertz * time_s
    basis = np.stack((np.cos(angle), np.sin(angle), np.ones(len(time_s))))
    # Of three columns that are all but at right angles the normal equations lose no digit, and copy nothing of a large capture.
    weights = np.linalg.solve(basis @ basis.T, basis @ signal_v)
    rest: Floats = signal_v - weights[:2] @ basis[:2]
    return rest


_HUM_DO = (
    "Turn the ring at another speed, or unplug the mains lamp and chargers: hum keeps its rate, the ring does not."
)


def find_in_hum(figures: WaveformFigures, hum: Hum | None = None) -> list[Finding]:
    """Hum under a coil's wave, or alone: then nothing else can be said of the capture."""
    if hum is not None and hum.amplitude_v < _TOLD_SHARE * (figures.high_v - figures.low_v):
        return []
    if hum is not None:
        said = (
            f"Hum of {hum.hertz:g} Hz, ± {hum.amplitude_v:.2g} V, is under a wave of {figures.high_v - figures.low_v:.2g} V. "
            "It was taken out before the rest was looked at; an input cannot do so."
        )
    elif _is_only_hum(figures):
        said = (
            f"An even sine of {figures.frequency_hz:.1f} Hz, the rate of the mains: most likely hum in a coil that stands still, "
            "and no pulses of the ring."
        )
    else:
        return []
    return [Finding(what="mains hum", mark=Mark.UNDECIDED, sentence=said, do=_HUM_DO)]


def find_in_sampling(time_s: Floats, figures: WaveformFigures) -> list[Finding]:
    """Samples too few for what they are to show: nothing else can be said of such a capture."""
    rate_hz = (len(time_s) - 1) / float(time_s[-1] - time_s[0])
    if figures.lively_v:
        said = (
            f"The volts jump over {figures.lively_v:.2g} V from one sample to the next: pulses faster than {rate_hz:.3g} samples "
            "a second can show."
        )
    elif figures.frequency_hz is not None and rate_hz < _FEWEST_A_PERIOD * figures.frequency_hz:
        said = (
            f"There are {rate_hz / figures.frequency_hz:.1f} samples to a period, too few to tell one pulse from the next; even "
            "the frequency may be false."
        )
    else:
        return []
    do = "Capture again with twenty samples to a period or more: a higher rate, or a shorter time."
    return [Finding(what="sampled too slowly", mark=Mark.UNDECIDED, sentence=said, do=do)]
