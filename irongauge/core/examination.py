"""What a captured waveform is told to be good or bad for: figures, the ring behind it, and findings with their place in time.

`waveform` measures and `tone_ring` looks at the teeth; here their figures become findings, each with its mark, its sentence, what
to do, and where in the capture it shows. Leaves out reading files and drawing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any

import numpy as np

from irongauge.core.quantities import Mark
from irongauge.core.tone_ring import RingFault, RingFigures, RingFinding, examine_ring, number_teeth, teeth_of
from irongauge.core.waveform import Shape, WaveformFigures, local_period_s, measure_waveform

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

__all__ = ["Examination", "Finding", "RingResult", "SteepEdge", "examination_from", "examine", "steep_edges"]

_LOW_V = 0.8  # a transistor to ground that is on stays below
_HIGH_SHARE = 0.7  # of the pull-up's supply: an input takes it for high from here on
_NOISY = 0.04  # of the amplitude, as one standard deviation
_SLOW_EDGE = 0.12  # of a period
_CUT_EDGE = 0.03  # of a period: steeper ones are no cut sine
_FLAT_TOP = 0.16  # of all samples within a fiftieth of an end: a sine has 0.09
_EXTRA = 1.25  # two periods that together are no longer than this many usual ones hold a pulse too many
_OF_A_SAMPLE = 0.8
_WHOLE = 1.5  # a period longer than this many local ones lacks a tooth, and is no slower pulse
_DROPPED = 1.6  # a period this many times the local one lacks a pulse
_RISES = (1.3, 0.7)  # speeds this many times apart show how volts go with speed, which is to be a power above that
_HEAVY_RUN_OUT_PCT = 5.0
_MOST_PLACES = 40
_LEAST_EDGES = 3
_LEAST_FOR_RING = 30
_MOST_EDGES_TO_COUNT = 20_000
_SILENT_PERIODS = 4.0
_SPEED_GROUPS = 12
_POLARITY = 2.0  # one edge lingers this many times longer than the other
_WANDERS = 1.5  # one edge's mean square is this many times the other's


class SteepEdge(StrEnum):
    """On which edge of a coil's wave a tooth stands before it."""

    FALLING = "falling"
    RISING = "rising"


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong or doubtful. `at_s` are places in the capture where it shows, each `wide_s` long."""

    what: str
    mark: Mark
    sentence: str
    do: str
    at_s: tuple[float, ...] = ()
    wide_s: float = 0.0


@dataclass(frozen=True)
class RingResult:
    """The ring as it is drawn: mean error of the pitch that begins at each tooth, in % of a pitch, and the teeth found wrong.

    `spread_pct` is the standard error of those means. `wrong` are the teeth of a finding, `missing` those that are not there.
    """

    teeth: int
    turns: float
    error_pct: tuple[float, ...]
    spread_pct: float
    run_out_pct: float
    missing: tuple[int, ...]
    wrong: tuple[int, ...]


@dataclass(frozen=True)
class Examination:
    """Everything that was found of a capture. Figures are None where it is too short or too flat for them.

    `slowest_hz` and `fastest_hz` are means over five pulses. `volts_per_hz` is peak to peak, of a coil; `rise_power` the power of
    the speed with which its volts rise, 1 where they should be. `pulses` counts rising edges.
    """

    shape: Shape
    seconds: float
    samples: int
    pulses: int
    low_v: float
    high_v: float
    middle_v: float
    noise_v: float
    frequency_hz: float | None
    slowest_hz: float | None
    fastest_hz: float | None
    duty_pct: float | None
    high_s: float | None
    low_s: float | None
    rise_s: float | None
    fall_s: float | None
    jitter_pct: float | None
    volts_per_hz: float | None
    rise_power: float | None
    steep_edge: SteepEdge | None
    ring: RingResult | None
    findings: tuple[Finding, ...]

    @property
    def mark(self) -> Mark:
        """The worst of the findings."""
        marks = {finding.mark for finding in self.findings}
        return next((mark for mark in (Mark.FAIL, Mark.UNDECIDED) if mark in marks), Mark.PASS)

    @property
    def headline(self) -> str:
        """What was found, in a few words."""
        if not self.findings:
            return "nothing wrong is found"
        first, others = self.findings[0].what, len(self.findings) - 1
        return f"{first}, and {others} more" if others else first


def examination_from(record: Mapping[str, Any]) -> Examination:
    """An examination from what `dataclasses.asdict` made of it, as it comes back from JSON."""
    steep, ring = record["steep_edge"], record["ring"]
    findings = (Finding(**{**f, "mark": Mark(f["mark"]), "at_s": tuple(f["at_s"])}) for f in record["findings"])
    lists = ("error_pct", "missing", "wrong")
    return Examination(
        **{
            **record,
            "shape": Shape(record["shape"]),
            "steep_edge": None if steep is None else SteepEdge(steep),
            "ring": None if ring is None else RingResult(**{**ring, **{name: tuple(ring[name]) for name in lists}}),
            "findings": tuple(findings),
        }
    )


def examine(
    time_s: Floats, signal_v: Floats, *, teeth: int | None = None, gap_teeth: int = 0, pull_up_v: float | None = None
) -> Examination:
    """Measure a capture and say what is wrong with it; arrays of shape (n,), times rising.

    `teeth` counts all places of the ring, those of a gap too; without it they are counted where something comes back each turn.
    `gap_teeth` are left out on purpose, side by side. `pull_up_v` is what an open output is pulled up to. Raises `ValueError`
    for fewer than eight samples, times that do not rise, or values that are no numbers.
    """
    figures = measure_waveform(time_s, signal_v)
    teeth = teeth or _counted(figures)
    steep, pulses_s = steep_edges(figures, teeth)
    seen = _Seen.of(time_s, signal_v, figures, pulses_s)
    ring = None
    if teeth is not None and seen.frequency_hz is not None:
        ring = examine_ring(seen.pulses_s, teeth, _edge_s(time_s, figures))
    findings = [
        *_of_levels(figures, pull_up_v),
        *([] if ring is None else _of_ring(ring, seen.pulses_s, gap_teeth)),
        *_of_pulses(seen, ring, gap_teeth),
        *_of_volts(seen),
    ]
    order = {Mark.FAIL: 0, Mark.UNDECIDED: 1}
    return Examination(
        figures.shape, float(time_s[-1] - time_s[0]), len(time_s), len(figures.edges.rising_s), figures.low_v, figures.high_v,
        figures.edges.middle_v, figures.noise_v, seen.frequency_hz, seen.slowest_hz, seen.fastest_hz, figures.duty_pct,
        figures.high_s, figures.low_s, figures.rise_s, figures.fall_s, figures.jitter_pct, seen.volts_per_hz, seen.rise_power,
        steep, None if ring is None else _ring_result(ring), tuple(sorted(findings, key=lambda f: order[f.mark])),
    )  # fmt: skip


@dataclass(frozen=True)
class _Seen:
    """A capture with what is worked out of its pulses once: the times of those that are the ring's, and `extra_s` of the others,
    speeds, and a coil's volts against them.
    """

    time_s: Floats
    signal_v: Floats
    figures: WaveformFigures
    pulses_s: Floats
    extra_s: Floats
    frequency_hz: float | None = None
    slowest_hz: float | None = None
    fastest_hz: float | None = None
    volts_per_hz: float | None = None
    rise_power: float | None = None

    @classmethod
    def of(cls, time_s: Floats, signal_v: Floats, figures: WaveformFigures, edges_s: Floats) -> _Seen:
        extra = _extra(edges_s)
        pulses_s, extra_s = np.delete(edges_s, extra), edges_s[extra]
        if figures.frequency_hz is None or len(pulses_s) < _LEAST_EDGES:
            return cls(time_s, signal_v, figures, pulses_s, extra_s)
        periods = np.diff(pulses_s)
        whole = periods[periods < _WHOLE * local_period_s(periods)]
        over = min(5, len(whole))
        means = np.convolve(whole, np.ones(over) / over, mode="valid")
        per_hz, power = _volts_against_speed(time_s, signal_v, figures, pulses_s)
        return cls(
            time_s, signal_v, figures, pulses_s, extra_s, float(1 / whole.mean()), float(1 / means.max()),
            float(1 / means.min()), per_hz, power,
        )  # fmt: skip


def _edge_s(time_s: Floats, figures: WaveformFigures) -> float:
    """How well the time of an edge is known: within most of a sample where it is steeper than the samples show."""
    return _OF_A_SAMPLE * float(np.median(np.diff(time_s[:1000]))) if figures.shape is Shape.SQUARE else 0.0


def _counted(figures: WaveformFigures) -> int | None:
    """Teeth of the ring, from what comes back each turn."""
    edges = figures.edges
    if len(edges.rising_s) < _LEAST_FOR_RING:
        return None
    for times in (edges.rising_s[:_MOST_EDGES_TO_COUNT], edges.falling_s[:_MOST_EDGES_TO_COUNT]):
        found = teeth_of(np.delete(times, _extra(times)))
        if found is not None:
            return found
    return None


def steep_edges(figures: WaveformFigures, teeth: int | None = None) -> tuple[SteepEdge | None, Floats]:
    """The edge of a coil's wave at which a tooth stands before it, where it tells, and the times of those edges.

    Between two teeth the wave passes its middle too. Over a gap it lingers there, on the other edge; without one, a ring's
    errors show at full size on a tooth's own edge and halved on the other, which stands between two teeth.
    """
    edges = figures.edges
    if figures.shape is not Shape.SINE or min(len(edges.rising_s), len(edges.falling_s)) < _LEAST_FOR_RING:
        return None, edges.rising_s
    lingers = [
        float(np.percentile(took, 99.5)) / max(float(np.median(took)), 1e-12)
        for took in (edges.rising_took_s, edges.falling_took_s)
    ]
    if max(lingers) > _POLARITY * min(lingers):
        falling = lingers[0] > lingers[1]
    else:
        wander = [_wander(times, teeth) for times in (edges.rising_s, edges.falling_s)]
        sizes = [size for size, _ in wander]
        if max(sizes) < max(_WANDERS * min(sizes), *(3 * chance for _, chance in wander)):
            return None, edges.rising_s
        falling = sizes[1] > sizes[0]
    return (SteepEdge.FALLING, edges.falling_s) if falling else (SteepEdge.RISING, edges.rising_s)


def _wander(times: Floats, teeth: int | None) -> tuple[float, float]:
    """Mean square of what comes back each turn, beyond a once-per-turn wave, and what chance alone makes of it; in %²."""
    ring = None if teeth is None else examine_ring(times, teeth)
    if ring is None:
        return 1.0, 1.0
    angle = 2 * np.pi * np.arange(ring.teeth) / ring.teeth
    basis = np.column_stack((np.ones(ring.teeth), np.cos(angle), np.sin(angle)))
    rest = ring.error_pct - basis @ np.linalg.lstsq(basis, ring.error_pct, rcond=None)[0]
    return float(np.mean(rest**2)), ring.spread_pct**2


def _extra(edges_s: Floats) -> NDArray[np.intp]:
    """Edges that came between two that are a usual period apart."""
    if len(edges_s) < 2 * _LEAST_EDGES:
        return np.empty(0, dtype=np.intp)
    periods = np.diff(edges_s)
    local = local_period_s(periods)
    both = edges_s[2:] - edges_s[:-2]
    usual = np.maximum(local[1:], local[:-1])
    near = np.flatnonzero(both < _EXTRA * usual)
    # One pulse too many makes its neighbours look so as well: of each run, the one whose neighbours stand a usual period apart.
    runs = np.split(near, np.flatnonzero(np.diff(near) > 1) + 1) if len(near) else []
    return np.array([run[np.argmin(np.abs(both[run] / usual[run] - 1))] + 1 for run in runs], dtype=np.intp)


def _volts_against_speed(
    time_s: Floats, signal_v: Floats, figures: WaveformFigures, pulses_s: Floats
) -> tuple[float | None, float | None]:
    """Of a coil: volts peak to peak per hertz, and the power of the speed with which they rise, where the speed varied enough."""
    if figures.shape is not Shape.SINE or len(pulses_s) < _LEAST_FOR_RING:
        return None, None
    at = np.searchsorted(time_s, pulses_s)
    periods = np.diff(pulses_s)
    whole = periods < _WHOLE * local_period_s(periods)
    high = np.maximum.reduceat(signal_v, at)[:-1][whole]
    low = np.minimum.reduceat(signal_v, at)[:-1][whole]
    order = np.argsort(periods[whole])
    hertz, swing_v = 1 / periods[whole][order], (high - low)[order]
    per_hz = float(np.median(swing_v / hertz))
    # Of each group of like speeds the median, so that a spike or a lost pulse does not count.
    groups = [
        (float(np.median(f)), float(np.median(v))) for f, v in zip(*_split(hertz, swing_v), strict=True) if len(f)
    ]
    speeds, swings = (np.array(side) for side in zip(*groups, strict=True))
    if speeds.max() < _RISES[0] * speeds.min():
        return per_hz, None
    return per_hz, float(np.polyfit(np.log(speeds), np.log(np.maximum(swings, 1e-6)), 1)[0])


def _split(hertz: Floats, swing_v: Floats) -> tuple[list[Floats], list[Floats]]:
    return np.array_split(hertz, _SPEED_GROUPS), np.array_split(swing_v, _SPEED_GROUPS)


# Findings


_CUT_DO = "Widen the scope’s range. If it is still cut, something limits it: an input’s clamp, or a load."
_SLOW_DO = "Work out the pull-up under Which principle, and shorten the wire or lower its value."


def _of_levels(figures: WaveformFigures, pull_up_v: float | None) -> list[Finding]:
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
        return [Finding("no pulses", Mark.UNDECIDED, said, do)]
    slow_s = max(figures.rise_s or 0.0, figures.fall_s or 0.0)
    if figures.shape is not Shape.SQUARE:
        return []
    if figures.low_v < -figures.high_v / 4:  # no output to ground swings so far below it
        if slow_s * figures.frequency_hz < _CUT_EDGE:
            return []
        said = f"A coil’s wave is cut at {figures.low_v:.2f} and {figures.high_v:.2f} V."
        return [Finding("flat tops", Mark.UNDECIDED, said, _CUT_DO)]
    if figures.low_v > _LOW_V:
        said = f"The low level is {figures.low_v:.2f} V and should be below {_LOW_V} V: two pull-ups, or a bad ground."
        do = "Unplug and look for the second pull-up (in the module, in the harness); then volts on the ground wire, plugged in."
        found.append(Finding("low level too high", Mark.FAIL, said, do))
    if pull_up_v is not None and figures.high_v < _HIGH_SHARE * pull_up_v:
        said = (
            f"The high level is {figures.high_v:.2f} V and should be above {_HIGH_SHARE * pull_up_v:.2f} V "
            f"({100 * _HIGH_SHARE:.0f} % of {pull_up_v:g} V): the pull-up is weak, or something loads the wire."
        )
        found.append(
            Finding("high level too low", Mark.FAIL, said, "Measure the pull-up, and what else is on the signal wire.")
        )
    if slow_s * figures.frequency_hz > _SLOW_EDGE:
        said = (
            f"An edge takes {_time(slow_s)}, {100 * slow_s * figures.frequency_hz:.0f} % of a period: the pull-up is too weak "
            "for the wire’s capacitance."
        )
        found.append(Finding("slow edges", Mark.UNDECIDED, said, _SLOW_DO))
    return found


_RING_DO = {
    RingFault.MISSING: "Look at the ring there: a tooth broken off, or a gap filled with rust or dirt. A gap that belongs there "
    "is typed as left out on purpose.",
    RingFault.UNEVEN: "Look at that tooth and the gaps beside it: bent, chipped, a burr or a chip of metal that sticks.",
    RingFault.RUN_OUT: "Feel the air gap round the ring. The ring sits off its centre, or the shaft is bent.",
    RingFault.JOINTS: "Loosen the halves and part the joints alike on both sides.",
}


def _of_ring(ring: RingFigures, pulses_s: Floats, gap_teeth: int) -> list[Finding]:
    found = []
    missing = [] if _is_the_gap(ring, gap_teeth) else list(ring.findings)
    for finding in missing or [f for f in ring.findings if f.fault is not RingFault.MISSING]:
        mark = Mark.FAIL
        if finding.fault is RingFault.RUN_OUT and finding.size_pct < _HEAVY_RUN_OUT_PCT:
            mark = Mark.UNDECIDED
        at_s, wide_s = _places(ring, finding, pulses_s)
        found.append(Finding(str(finding.fault), mark, finding.sentence, _RING_DO[finding.fault], at_s, wide_s))
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
    return tuple(float(t) for t in at[at >= 0][:_MOST_PLACES]), 2 * pitch_s


def _of_pulses(seen: _Seen, ring: RingFigures | None, gap_teeth: int) -> list[Finding]:
    """Pulses that are too many, that drop out now and then, or that stop while the ring still turns."""
    if seen.frequency_hz is None:
        return []
    found = []
    times, extra_s = seen.pulses_s, seen.extra_s
    if len(extra_s):
        said = f"{_count(len(extra_s), 'pulse')} too many came in between: noise pick-up that an input would count."
        do = "Keep the wire away from ignition and alternator, twist or shield it, and look at the sensor’s ground."
        at_s = tuple(float(t) for t in extra_s[:_MOST_PLACES])
        found.append(Finding("extra pulses", Mark.FAIL, said, do, at_s, 1 / seen.frequency_hz))
    dropped = _dropped(times, ring)
    if len(dropped):
        said = (
            f"{_count(len(dropped), 'time')} pulses are missing where no tooth is missing: they drop out now and then."
        )
        do = "Wiggle connector and harness while it turns; then the air gap, which may open with vibration."
        wide_s = float(np.median(times[dropped + 1] - times[dropped]))
        found.append(
            Finding(
                "pulses drop out", Mark.FAIL, said, do, tuple(float(t) for t in times[dropped][:_MOST_PLACES]), wide_s
            )
        )
    found += _stops(seen, max(gap_teeth, len(ring.missing) if ring is not None else 0))
    return found


def _dropped(times: Floats, ring: RingFigures | None) -> NDArray[np.intp]:
    """Edges after which a pulse is missing that is not a tooth's, between regular ones on either side."""
    periods = np.diff(times)
    if len(periods) < 2 * _LEAST_EDGES:
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


def _stops(seen: _Seen, missing: int) -> list[Finding]:
    """Silence at either end while the speed just before it was far from a stand."""
    times = seen.pulses_s
    edge_v = seen.figures.edges.high_threshold_v - seen.figures.edges.low_threshold_v
    found = []
    for which, edges, until_s in (
        ("before", -times[:12][::-1], -float(seen.time_s[0])),
        ("after", times[-12:], float(seen.time_s[-1])),
    ):
        periods = np.diff(edges)
        if len(periods) < 2 * _LEAST_EDGES:
            continue
        period_s = float(np.median(periods[-5:]))
        silent_s = until_s - float(edges[-1])
        if silent_s < (_SILENT_PERIODS + missing) * period_s:
            continue
        whole = periods < _WHOLE * np.median(periods)
        slope, level = np.polyfit(edges[1:][whole], 1 / periods[whole], 1)
        last_hz = float(slope * edges[-1] + level)
        then_hz = float(slope * (edges[-1] + _SILENT_PERIODS * period_s) + level)
        # What a coil gives at that speed must be well above what counts as an edge here, or its silence says nothing.
        heard = seen.volts_per_hz is None or seen.volts_per_hz * then_hz > 3 * edge_v
        if then_hz < 0.6 * last_hz or not heard:
            continue
        moment_s = abs(float(edges[-1]))
        said = f"No pulses {which} {_time(moment_s)}, where it still turned at {last_hz:.3g} Hz: the signal is lost below that."
        do = "Set the air gap nearer, within the maker’s window, and look at the input’s threshold and the coil’s ohms."
        begin_s = moment_s if which == "after" else moment_s - silent_s
        found.append(Finding("signal lost below a speed", Mark.FAIL, said, do, (begin_s,), silent_s))
    return found


def _of_volts(seen: _Seen) -> list[Finding]:
    """Noise on the levels, and of a coil its swing: cut tops, volts that do not rise with the speed."""
    figures = seen.figures
    found: list[Finding] = []
    span_v = figures.high_v - figures.low_v
    if figures.shape is Shape.FLAT:
        return found
    if figures.noise_v > _NOISY * span_v:
        said = (
            f"Noise of ± {_volts(2 * figures.noise_v)} rides on a swing of {_volts(span_v)}: pick-up, or a poor ground."
        )
        do = "Look at the shield’s one ground, at the ground wire, and at what runs beside the harness."
        found.append(Finding("noise pick-up", Mark.UNDECIDED, said, do))
    if figures.shape is not Shape.SINE:
        return found
    near = span_v / 50
    shares = [
        float(np.mean(end)) for end in (seen.signal_v > figures.high_v - near, seen.signal_v < figures.low_v + near)
    ]
    if min(shares) > _FLAT_TOP and figures.low_v > -figures.high_v / 4:
        said = "It goes slowly between two levels: the pull-up is too weak for the wire’s capacitance."
        found.append(Finding("slow edges", Mark.UNDECIDED, said, _SLOW_DO))
    elif max(shares) > _FLAT_TOP:
        said = f"The wave is cut at {figures.high_v if shares[0] >= shares[1] else figures.low_v:.2f} V."
        found.append(Finding("flat tops", Mark.UNDECIDED, said, _CUT_DO))
    if seen.rise_power is not None and seen.rise_power < _RISES[1]:
        said = f"Its volts rise with the speed to the power {seen.rise_power:.2f} only; a coil’s rise in proportion."
        do = "Measure the coil’s ohms and what loads it; look at whether the wave is cut."
        found.append(Finding("volts do not rise with speed", Mark.UNDECIDED, said, do))
    return found


def _ring_result(ring: RingFigures) -> RingResult:
    wrong = {f.tooth for f in ring.findings if f.fault in {RingFault.UNEVEN, RingFault.JOINTS}}
    return RingResult(
        ring.teeth,
        ring.turns,
        tuple(round(float(e), 4) for e in ring.error_pct),
        ring.spread_pct,
        ring.run_out_pct,
        ring.missing,
        tuple(sorted(wrong)),
    )


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
