"""What is wrong or doubtful with a measured waveform: rules from its figures, its pulses and its ring to findings.

Each finding has its mark, its sentence, what to do, and where in the capture it shows.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.ring import RingFault, RingFigures, RingFinding, number_teeth
from irongauge.core.pulses.train import LEAST_EDGES, WHOLE, PulseTrain
from irongauge.core.pulses.waveform import Shape, WaveformFigures
from irongauge.core.sensors.families import HIGH_FROM_SHARE, LOW_BELOW_V

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

__all__ = ["Finding", "find_in_levels", "find_in_pulses", "find_in_ring", "find_in_volts"]

_NOISY = 0.04  # of the amplitude, as one standard deviation
_SLOW_EDGE = 0.12  # of a period
_CUT_EDGE = 0.03  # of a period: steeper ones are no cut sine
_FLAT_TOP = 0.16  # of all samples within a fiftieth of an end: a sine has 0.09
_DROPPED = 1.6  # a period this many times the local one lacks a pulse
_LEAST_POWER = 0.7  # of the speed, with which a coil's volts rise
_HEAVY_RUN_OUT_PCT = 5.0  # of a pitch: hides an odd tooth of usual size
_MOST_PLACES = 400  # marks that a picture can still show
_SILENT_PERIODS = 4.0  # a gap of that many is no missing tooth


@dataclass(frozen=True, kw_only=True)
class Finding:
    """One thing that is wrong or doubtful. `at_s` are places in the capture where it shows, each `wide_s` long."""

    what: str
    mark: Mark
    sentence: str
    do: str
    at_s: tuple[float, ...] = ()
    wide_s: float = 0.0


_CUT_DO = "Widen the scope’s range. If it is still cut, something limits it: an input’s clamp, or a load."
_SLOW_DO = "Work out the pull-up under Which principle, and shorten the wire or lower its value."


def find_in_levels(figures: WaveformFigures, pull_up_v: float | None) -> list[Finding]:
    """Of a switching output: its two levels and how fast it goes from one to the other."""
    found: list[Finding] = []
    if figures.shape is Shape.FLAT or figures.frequency_hz is None:
        where = (
            f"{figures.low_v:.2f} V"
            if figures.shape is Shape.FLAT
            else f"{figures.low_v:.2f} to {figures.high_v:.2f} V"
        )
        said = f"The capture rests at {where}: no pulses that could be timed."
        do = "Turn the ring and capture again. If it was turning: supply, pull-up and air gap first."
        return [Finding(what="no pulses", mark=Mark.UNDECIDED, sentence=said, do=do)]
    slow_s = max(figures.rise_s or 0.0, figures.fall_s or 0.0)
    if figures.shape is not Shape.SQUARE:
        return []
    if figures.low_v < -figures.high_v / 4:  # no output to ground swings so far below it
        if slow_s * figures.frequency_hz < _CUT_EDGE:
            return []
        said = f"A coil’s wave is cut at {figures.low_v:.2f} and {figures.high_v:.2f} V."
        return [Finding(what="flat tops", mark=Mark.UNDECIDED, sentence=said, do=_CUT_DO)]
    if figures.low_v > LOW_BELOW_V:
        said = f"The low level is {figures.low_v:.2f} V and should be below {LOW_BELOW_V} V: two pull-ups, or a bad ground."
        do = "Unplug and look for the second pull-up (in the module, in the harness); then volts on the ground wire, plugged in."
        found.append(Finding(what="low level too high", mark=Mark.FAIL, sentence=said, do=do))
    if pull_up_v is not None and figures.high_v < HIGH_FROM_SHARE * pull_up_v:
        said = (
            f"The high level is {figures.high_v:.2f} V and should be above {HIGH_FROM_SHARE * pull_up_v:.2f} V "
            f"({100 * HIGH_FROM_SHARE:.0f} % of {pull_up_v:g} V): the pull-up is weak, or something loads the wire."
        )
        found.append(
            Finding(
                what="high level too low",
                mark=Mark.FAIL,
                sentence=said,
                do="Measure the pull-up, and what else is on the signal wire.",
            )
        )
    if slow_s * figures.frequency_hz > _SLOW_EDGE:
        said = (
            f"An edge takes {_time(slow_s)}, {100 * slow_s * figures.frequency_hz:.0f} % of a period: the pull-up is too weak "
            "for the wire’s capacitance."
        )
        found.append(Finding(what="slow edges", mark=Mark.UNDECIDED, sentence=said, do=_SLOW_DO))
    return found


_RING_DO = {
    RingFault.MISSING: "Look at the ring there: a tooth broken off, or a gap filled with rust or dirt. A gap that belongs there "
    "is typed as left out on purpose.",
    RingFault.UNEVEN: "Look at that tooth and the gaps beside it: bent, chipped, a burr or a chip of metal that sticks.",
    RingFault.RUN_OUT: "Feel the air gap round the ring. The ring sits off its centre, or the shaft is bent.",
    RingFault.JOINTS: "Loosen the halves and part the joints alike on both sides.",
}


def find_in_ring(ring: RingFigures, pulses_s: Floats, gap_teeth: int) -> list[Finding]:
    found = []
    missing = [] if _is_the_gap(ring, gap_teeth) else list(ring.findings)
    for finding in missing or [f for f in ring.findings if f.fault is not RingFault.MISSING]:
        mark = Mark.FAIL
        if finding.fault is RingFault.RUN_OUT and finding.size_pct < _HEAVY_RUN_OUT_PCT:
            mark = Mark.UNDECIDED
        at_s, wide_s = _places(ring, finding, pulses_s)
        found.append(
            Finding(
                what=str(finding.fault),
                mark=mark,
                sentence=finding.sentence,
                do=_RING_DO[finding.fault],
                at_s=at_s,
                wide_s=wide_s,
            )
        )
    return found


def _is_the_gap(ring: RingFigures, gap_teeth: int) -> bool:
    """True when the missing teeth are those left out on purpose: so many, side by side."""
    if gap_teeth == 0 or len(ring.missing) != gap_teeth:
        return False
    steps = [(b - a) % ring.teeth for a, b in zip(ring.missing, (*ring.missing[1:], ring.missing[0]), strict=True)]
    return gap_teeth == 1 or sum(step != 1 for step in steps) == 1


def _places(ring: RingFigures, finding: RingFinding, pulses_s: Floats) -> tuple[tuple[float, ...], float]:
    """Where a tooth's finding shows: every turn of it, as the two pitches about it. Run-out is everywhere, and so nowhere."""
    if finding.fault is RingFault.RUN_OUT:
        return (), 0.0
    numbers, times = number_teeth(pulses_s)
    pitch_s = float(times[-1] - times[0]) / max(int(numbers[-1]), 1)
    want = np.arange(finding.tooth, int(numbers[-1]) + 1, ring.teeth)
    at = np.interp(want, numbers, times) - pitch_s
    return _some(at[at >= 0]), 2 * pitch_s


def find_in_pulses(
    time_s: Floats, figures: WaveformFigures, train: PulseTrain, ring: RingFigures | None, gap_teeth: int
) -> list[Finding]:
    """Pulses that are too many, that drop out now and then, or that stop while the ring still turns."""
    if train.frequency_hz is None:
        return []
    found = []
    times, extra_s = train.pulses_s, train.extra_s
    if len(extra_s):
        said = f"{_count(len(extra_s), 'pulse')} too many came in between: noise pick-up that an input would count."
        do = "Keep the wire away from ignition and alternator, twist or shield it, and look at the sensor’s ground."
        at_s = _some(extra_s)
        found.append(
            Finding(what="extra pulses", mark=Mark.FAIL, sentence=said, do=do, at_s=at_s, wide_s=1 / train.frequency_hz)
        )
    dropped = _dropped(times, ring)
    if len(dropped):
        said = (
            f"{_count(len(dropped), 'time')} pulses are missing where no tooth is missing: they drop out now and then."
        )
        do = "Wiggle connector and harness while it turns; then the air gap, which may open with vibration."
        wide_s = float(np.median(times[dropped + 1] - times[dropped]))
        found.append(
            Finding(
                what="pulses drop out", mark=Mark.FAIL, sentence=said, do=do, at_s=_some(times[dropped]), wide_s=wide_s
            )
        )
    found += _stops(time_s, figures, train, max(gap_teeth, len(ring.missing) if ring is not None else 0))
    return found


def _dropped(times: Floats, ring: RingFigures | None) -> NDArray[np.intp]:
    """Edges after which a pulse is missing that is not a tooth's, between regular ones on either side."""
    periods = np.diff(times)
    if len(periods) < 2 * LEAST_EDGES:
        return np.empty(0, dtype=np.intp)
    numbers, _ = number_teeth(times)
    long = np.diff(numbers) > 1
    if ring is not None and ring.missing:
        lacking = (numbers[:-1] + 1) % ring.teeth
        long &= ~np.isin(lacking, ring.missing)
    at = np.flatnonzero(long)
    at = at[(at > 1) & (at < len(periods) - 1)]
    before, after = periods[at - 2], periods[at + 1]  # the one just before may be cut where the loss begins
    regular = np.abs(before / after - 1) < 0.25  # noqa: PLR2004  turned by hand, one pitch differs from the next but one
    several = periods[at] / ((before + after) / 2)
    return at[regular & (several > _DROPPED)]


def _stops(time_s: Floats, figures: WaveformFigures, train: PulseTrain, missing: int) -> list[Finding]:
    """Silence at either end while the speed just before it was far from a stand."""
    times = train.pulses_s
    edge_v = figures.edges.high_threshold_v - figures.edges.low_threshold_v
    found = []
    for which, edges, until_s in (
        ("before", -times[:12][::-1], -float(time_s[0])),
        ("after", times[-12:], float(time_s[-1])),
    ):
        periods = np.diff(edges)
        if len(periods) < 2 * LEAST_EDGES:
            continue
        period_s = float(np.median(periods[-5:]))
        silent_s = until_s - float(edges[-1])
        if silent_s < (_SILENT_PERIODS + missing) * period_s:
            continue
        whole = periods < WHOLE * np.median(periods)
        slope, level = np.polyfit(edges[1:][whole], 1 / periods[whole], 1)
        last_hz = float(slope * edges[-1] + level)
        then_hz = float(slope * (edges[-1] + _SILENT_PERIODS * period_s) + level)
        # What a coil gives at that speed must be well above what counts as an edge here, or its silence says nothing.
        heard = train.volts_per_hz is None or train.volts_per_hz * then_hz > 3 * edge_v
        if then_hz < 0.6 * last_hz or not heard:
            continue
        moment_s = abs(float(edges[-1]))
        said = f"No pulses {which} {_time(moment_s)}, where it still turned at {last_hz:.3g} Hz: the signal is lost below that."
        do = "Set the air gap nearer, within the maker’s window, and look at the input’s threshold and the coil’s ohms."
        begin_s = moment_s if which == "after" else moment_s - silent_s
        found.append(
            Finding(
                what="signal lost below a speed", mark=Mark.FAIL, sentence=said, do=do, at_s=(begin_s,), wide_s=silent_s
            )
        )
    return found


def find_in_volts(signal_v: Floats, figures: WaveformFigures, train: PulseTrain) -> list[Finding]:
    """Noise on the levels, and of a coil its swing: cut tops, volts that do not rise with the speed."""
    found: list[Finding] = []
    span_v = figures.high_v - figures.low_v
    if figures.shape is Shape.FLAT:
        return found
    if figures.noise_v > _NOISY * span_v:
        said = (
            f"Noise of ± {_volts(2 * figures.noise_v)} rides on a swing of {_volts(span_v)}: pick-up, or a poor ground."
        )
        do = "Look at the shield’s one ground, at the ground wire, and at what runs beside the harness."
        found.append(Finding(what="noise pick-up", mark=Mark.UNDECIDED, sentence=said, do=do))
    if figures.shape is not Shape.SINE:
        return found
    near = span_v / 50
    shares = [float(np.mean(end)) for end in (signal_v > figures.high_v - near, signal_v < figures.low_v + near)]
    if min(shares) > _FLAT_TOP and figures.low_v > -figures.high_v / 4:
        said = "It goes slowly between two levels: the pull-up is too weak for the wire’s capacitance."
        found.append(Finding(what="slow edges", mark=Mark.UNDECIDED, sentence=said, do=_SLOW_DO))
    elif max(shares) > _FLAT_TOP:
        said = f"The wave is cut at {figures.high_v if shares[0] >= shares[1] else figures.low_v:.2f} V."
        found.append(Finding(what="flat tops", mark=Mark.UNDECIDED, sentence=said, do=_CUT_DO))
    if train.rise_power is not None and train.rise_power < _LEAST_POWER:
        said = f"Its volts rise with the speed to the power {train.rise_power:.2f} only; a coil’s rise in proportion."
        do = "Measure the coil’s ohms and what loads it; look at whether the wave is cut."
        found.append(Finding(what="volts do not rise with speed", mark=Mark.UNDECIDED, sentence=said, do=do))
    return found


def _some(at_s: Floats) -> tuple[float, ...]:
    """All of the places, or so many of them spread over the capture."""
    return tuple(float(t) for t in at_s[:: -(-len(at_s) // _MOST_PLACES) or 1])


def _count(number: int, word: str) -> str:
    return f"{number:,} {word}{'s' if number > 1 else ''}"


def _time(seconds: float) -> str:
    """A moment or a span, in the unit that suits it."""
    for least, factor, unit in ((1.0, 1.0, "s"), (1e-3, 1e3, "ms"), (0.0, 1e6, "µs")):
        if abs(seconds) >= least:
            return f"{seconds * factor:.4g} {unit}"
    return f"{seconds:g} s"


def _volts(volts: float) -> str:
    return f"{volts * 1000:.3g} mV" if volts < 1 else f"{volts:.3g} V"
