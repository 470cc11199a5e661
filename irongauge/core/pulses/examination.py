"""What a captured waveform is told to be good or bad for: figures, the ring behind it, and findings with their place in time.

`waveform` measures, `disturbances` knows what is no pulse, `train` sorts the pulses, `ring` looks at the teeth, `swing` at a
coil's volts, and the findings say what is wrong; here they are put together. Leaves out reading files and drawing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.disturbances import find_in_hum, find_in_sampling, taken_out
from irongauge.core.pulses.findings import Finding, find_in_levels, find_in_pulses, find_in_volts
from irongauge.core.pulses.ring import RingFault, RingFigures
from irongauge.core.pulses.ring_findings import find_in_ring
from irongauge.core.pulses.swing import measure_swing
from irongauge.core.pulses.train import SteepEdge, coded_widths_s, edge_s
from irongauge.core.pulses.turned import turned_of, without_a_ring
from irongauge.core.pulses.waveform import Shape, check_waveform, measure_checked

Floats = NDArray[np.float64]

__all__ = ["Examination", "RingResult", "examination_from", "examine"]


_JUMP = 25.0  # a step this many times the usual one is a gap
# Of millions these tell the rate; a piece with fewer samples tells nothing; more breaks are noise.
_ENOUGH_STEPS, _LEAST_STRETCH, _MOST_JUMPS = 100_000, 100, 40


@dataclass(frozen=True, kw_only=True)
class RingResult:
    """The ring as it is drawn: mean error of the pitch that begins at each tooth, in % of a pitch, and the teeth found wrong.

    `spread_pct` is the standard error of those means. `wrong` are the teeth of a finding, `missing` those that are not there,
    `made_deg` the angles of teeth that are made unequal.
    """

    teeth: int
    turns: float
    error_pct: tuple[float, ...]
    spread_pct: float
    run_out_pct: float
    missing: tuple[int, ...]
    wrong: tuple[int, ...]
    made_deg: tuple[float, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Examination:
    """Everything that was found of a capture. Figures are None where it is too short or too flat for them.

    `slowest_hz` and `fastest_hz` are means over five pulses. `volts_per_hz` is peak to peak, of a coil; `rise_power` the power of
    the speed with which its volts rise, 1 where they should be. `pulses` counts rising edges. `coded_widths_s` are the sorts of
    pulses of a sensor that sends words by their width; `angles_deg` of teeth that stand unequal, where nobody has said so.
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
    coded_widths_s: tuple[float, ...] = ()
    angles_deg: tuple[float, ...] = ()

    @property
    def mark(self) -> Mark:
        """The worst of the findings; good without any."""
        return Mark.worst([Mark.PASS, *(finding.mark for finding in self.findings)])

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
    lists = ("error_pct", "missing", "wrong", "made_deg")
    return Examination(
        **{
            **record,
            "shape": Shape(record["shape"]),
            "steep_edge": None if steep is None else SteepEdge(steep),
            "ring": None
            if ring is None
            else RingResult(**{**ring, **{name: tuple(ring.get(name, ())) for name in lists}}),
            "findings": tuple(findings),
            **{name: tuple(record.get(name, ())) for name in ("coded_widths_s", "angles_deg")},
        }
    )


def examine(
    time_s: Floats,
    signal_v: Floats,
    *,
    teeth: int | None = None,
    gap_teeth: int | None = None,
    pull_up_v: float | None = None,
    shunt_ohm: float | None = None,
    angles_deg: Sequence[float] = (),
) -> Examination:
    """Measure a capture and say what is wrong with it; arrays of shape (n,), times rising.

    `teeth` counts all places of the ring, those of a gap too; without it they are counted where something comes back each turn.
    `gap_teeth` are left out on purpose, side by side; None where nobody said. `pull_up_v` is what an open output is pulled up to,
    `shunt_ohm` what a two-wire current sensor's current is read over. `angles_deg` are those of teeth that stand unequal on
    purpose, from any tooth and either way round; they tell the number of teeth. Raises `ValueError` for fewer than eight samples,
    times that do not rise, or values that are not numbers.
    """
    check_waveform(time_s, signal_v)
    seconds, samples = float(time_s[-1] - time_s[0]), len(time_s)
    time_s, signal_v, gaps = _longest_stretch(time_s, signal_v)
    figures = measure_checked(time_s, signal_v)
    no_pulses = [*find_in_sampling(time_s, figures), *find_in_hum(figures)]
    hum = None
    if no_pulses:
        turned = without_a_ring(figures, teeth)
    else:
        hum, signal_v, figures = taken_out(time_s, signal_v, figures, teeth)
        turned = turned_of(figures, edge_s(time_s, figures), teeth, angles_deg)
    train, ring = turned.train, turned.ring
    swing = measure_swing(time_s, signal_v, figures, turned.held_s, None if train.a_turn else ring)
    findings = [*gaps, *no_pulses]
    if not no_pulses:
        findings += [
            *find_in_hum(figures, hum),
            *find_in_levels(figures, pull_up_v, shunt_ohm),
            *turned.unfit,
            *([] if ring is None else find_in_ring(ring, turned.held_s, gap_teeth, swing.over_turn_pct)),
            *find_in_pulses(time_s, figures, train, ring, swing),
            *find_in_volts(signal_v, figures, swing),
        ]
    order = {Mark.FAIL: 0, Mark.UNDECIDED: 1}
    return Examination(
        shape=figures.shape,
        seconds=seconds,
        samples=samples,
        pulses=len(figures.edges.rising_s),
        low_v=figures.low_v,
        high_v=figures.high_v,
        middle_v=figures.edges.middle_v,
        noise_v=figures.noise_v,
        frequency_hz=train.frequency_hz if ring is None else ring.frequency_hz,
        slowest_hz=train.slowest_hz,
        fastest_hz=train.fastest_hz,
        duty_pct=figures.duty_pct,
        high_s=figures.high_s,
        low_s=figures.low_s,
        rise_s=figures.rise_s,
        fall_s=figures.fall_s,
        jitter_pct=None if train.a_turn else figures.jitter_pct,  # steps that differ are no unrest
        volts_per_hz=swing.volts_per_hz,
        rise_power=swing.rise_power,
        steep_edge=turned.steep,
        ring=None if ring is None else _ring_result(ring),
        findings=tuple(sorted(findings, key=lambda f: order[f.mark])),
        coded_widths_s=() if no_pulses else coded_widths_s(figures),
        angles_deg=turned.angles_deg,
    )


def _longest_stretch(time_s: Floats, signal_v: Floats) -> tuple[Floats, Floats, list[Finding]]:
    """The longest stretch without a jump in time, and the finding that there is one: nothing can be counted across it."""
    if len(time_s) < 2 * _LEAST_STRETCH:
        return time_s, signal_v, []
    steps = np.diff(time_s)
    jumps = np.flatnonzero(steps > _JUMP * float(np.median(steps[:_ENOUGH_STEPS])))
    if len(jumps) == 0:
        return time_s, signal_v, []
    ends = np.concatenate(([0], jumps + 1, [len(time_s)]))
    at = int(np.argmax(np.diff(ends)))
    first, last = int(ends[at]), int(ends[at + 1])
    if last - first < _LEAST_STRETCH:
        return time_s, signal_v, []
    count = f"{len(jumps)} time{'s' if len(jumps) > 1 else ''}"
    said = (
        f"Time jumps {count}, first after {time_s[jumps[0]]:.4g} s: samples are missing. "
        f"Only {time_s[first]:.4g} to {time_s[last - 1]:.4g} s was looked at."
    )
    at_s = tuple(float(time_s[jump]) for jump in jumps[:_MOST_JUMPS])
    wide_s = float(np.median(steps[jumps]))
    found = Finding(
        what="a gap in the capture",
        mark=Mark.UNDECIDED,
        sentence=said,
        do="Capture it again in one piece.",
        at_s=at_s,
        wide_s=wide_s,
    )
    return time_s[first:last], signal_v[first:last], [found]


def _ring_result(ring: RingFigures) -> RingResult:
    wrong = {f.tooth for f in ring.findings if f.fault in {RingFault.UNEVEN, RingFault.JOINTS, RingFault.OPEN_JOINTS}}
    return RingResult(
        teeth=ring.teeth,
        turns=ring.turns,
        error_pct=tuple(round(float(e), 4) for e in ring.error_pct),
        spread_pct=ring.spread_pct,
        run_out_pct=ring.run_out_pct,
        missing=ring.missing,
        wrong=tuple(sorted(wrong)),
        made_deg=ring.made_deg,
    )
