"""What is wrong or doubtful with a measured waveform: rules from its figures, its pulses and its ring to findings.

Each finding has its mark, its sentence, what to do, and where in the capture it shows.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.ring import RingFault, RingFigures, number_teeth, swing_of_pitch
from irongauge.core.pulses.swing import Swing
from irongauge.core.pulses.train import LEAST_EDGES, WHOLE, PulseTrain, edge_s
from irongauge.core.pulses.waveform import Shape, WaveformFigures
from irongauge.core.sensors.families import HIGH_FROM_SHARE, LOW_BELOW_V, ONE_TO_TWO

Floats = NDArray[np.float64]

__all__ = ["Finding", "find_in_levels", "find_in_pulses", "find_in_volts", "longest_run", "some_places"]

_NOISY = 0.04  # of the amplitude, as one standard deviation
_SLOW_EDGE = 0.12  # of a period
_CURRENT_MA, _CURRENT_OFF = (7.0, 14.0, 28.0), 0.2  # levels of two-wire speed sensors
_LEAST_SHUNT_V = 0.03  # 7 mA over a few ohms
_BELOW_GROUND_V = -0.3  # less is a scope's own zero
_SMALL_SWING_V = 0.5  # between a low level and what the least sensitive logic calls high
_TURN_FAIL_PCT, _TURN_DOUBT_PCT = 30.0, 12.0  # of a coil's volts: a gap of 1 mm that varies by about 0.25 and 0.1 mm
_FLAT_TOP = 0.6  # of the samples near an end, that are nearest: half where a sine turns, all where it is cut
_NEAR_AN_END = (0.02, 0.05, 0.12)  # of the swing: a cut that noise blurs is wider
_AT_AN_END = 0.05  # of all samples, so that the end is a top and no single peak
_DROPPED = 1.6  # a period this many times the local one lacks a pulse
_OF_CHATTER = 0.05  # of the edges that chatter
_LEAST_POWER = 0.7  # of the speed, with which a coil's volts rise
_MOST_PLACES = 400  # marks that a picture can still show
_OVER = 3  # periods that tell a speed
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


def find_in_levels(figures: WaveformFigures, pull_up_v: float | None, shunt_ohm: float | None = None) -> list[Finding]:
    """Of a switching output: its two levels and how fast it goes from one to the other.

    `pull_up_v` is what it is pulled up to; `shunt_ohm` what a two-wire current sensor's current is read over.
    """
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
        said = (
            f"Flat at {figures.low_v:.2f} and at {figures.high_v:.2f} V, on both sides of ground: a coil’s wave that is cut, or "
            "a switching output seen through AC coupling."
        )
        return [Finding(what="flat tops", mark=Mark.UNDECIDED, sentence=said, do="Set the scope to DC. " + _CUT_DO)]
    found += _about_current(figures, shunt_ohm) if shunt_ohm is not None else _about_volts(figures, pull_up_v)
    if slow_s * figures.frequency_hz > _SLOW_EDGE:
        said = (
            f"An edge takes {_time(slow_s)}, {100 * slow_s * figures.frequency_hz:.0f} % of a period: the pull-up is too weak "
            "for the wire’s capacitance."
        )
        found.append(Finding(what="slow edges", mark=Mark.UNDECIDED, sentence=said, do=_SLOW_DO))
    return found


def _about_current(figures: WaveformFigures, shunt_ohm: float) -> list[Finding]:
    """A two-wire current sensor's levels: 7 and 14 mA, and 28 mA for the pulse of one that sends more than speed."""
    low_ma, high_ma = (1000 * volts / shunt_ohm for volts in (figures.low_v, figures.high_v))
    steps = [step for step in _CURRENT_MA if abs(low_ma / step - 1) <= _CURRENT_OFF]
    if steps and any(abs(high_ma / step - 1) <= _CURRENT_OFF and step > steps[0] for step in _CURRENT_MA):
        return []
    said = (
        f"The current runs from {low_ma:.1f} to {high_ma:.1f} mA over {shunt_ohm:g} Ω. A two-wire current sensor gives 7 and 14 "
        "mA (some 28 mA too), each within 20 %."
    )
    do = "Measure the shunt, and the supply at the sensor. A leak from wire to wire adds to both levels."
    return [Finding(what="current levels off", mark=Mark.FAIL, sentence=said, do=do)]


def _about_volts(figures: WaveformFigures, pull_up_v: float | None) -> list[Finding]:
    """The two levels of an output that switches to ground."""
    found: list[Finding] = []
    swing_v = figures.high_v - figures.low_v
    if (
        pull_up_v is None
        and figures.low_v > _LEAST_SHUNT_V
        and ONE_TO_TWO[0] < figures.high_v / figures.low_v < ONE_TO_TWO[1]
    ):
        said = (
            f"The levels {figures.low_v:.2f} and {figures.high_v:.2f} V stand as 1 to {figures.high_v / figures.low_v:.1f}, as a "
            "two-wire current sensor’s do over a shunt; a switching output’s low level would be too high."
        )
        do = "For a current sensor type its shunt in Ω. Else type what the output is pulled up to, and look for a second pull-up."
        return [Finding(what="two-wire current sensor", mark=Mark.UNDECIDED, sentence=said, do=do)]
    if figures.low_v < _BELOW_GROUND_V:
        said = f"The low level is {figures.low_v:.2f} V, below ground, where a switching output cannot pull it."
        do = "Set the scope to DC and its zero right, clip its ground to the sensor’s; then volts between the two grounds."
        found.append(Finding(what="low level below ground", mark=Mark.UNDECIDED, sentence=said, do=do))
    if swing_v < _SMALL_SWING_V and pull_up_v is None:
        said = f"It swings by {_volts(swing_v)} only, which no input for a switching output would see."
        do = "Look at the probe’s ratio and the pull-up. For a current sensor type its shunt in Ω."
        found.append(Finding(what="small swing", mark=Mark.UNDECIDED, sentence=said, do=do))
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
    return found


def find_in_pulses(
    time_s: Floats, figures: WaveformFigures, train: PulseTrain, ring: RingFigures | None, swing: Swing
) -> list[Finding]:
    """Edges that chatter, pulses that are too many, that drop out now and then, or that stop while the ring still turns."""
    if train.frequency_hz is None:
        return []
    found = []
    if figures.bounced:
        said = (
            f"{_count(figures.bounced, 'edge')} chatter: a contact that bounces, which a fast input would count several times. "
            "Here each was counted once."
        )
        do = "Set the input’s filter to longer than the chatter, or fit a capacitor; a worn reed or switch is replaced."
        found.append(Finding(what="contact bounce", mark=Mark.UNDECIDED, sentence=said, do=do))
    if train.a_turn:
        return found + _drop_out(train.pulses_s, _silent_turns(train), Mark.FAIL)
    times, extra_s = train.pulses_s, train.extra_s
    if ring is None and (swing_pct := 100 * swing_of_pitch(times, edge_s(time_s, figures))):
        said = f"The pitch swings by ± {swing_pct:.1f} % again and again: the shaft turns unevenly, or the ring is off centre."
        do = "Type the ring’s teeth, and capture at another speed and load: what stays the same in % is the ring’s."
        found.append(Finding(what=str(RingFault.SWINGS), mark=Mark.UNDECIDED, sentence=said, do=do))
    if len(extra_s) > _OF_CHATTER * figures.bounced:  # fewer are chatter that lasted longer
        said = f"{_count(len(extra_s), 'pulse')} too many came in between: noise pick-up that an input would count."
        do = "Keep the wire away from ignition and alternator, twist or shield it, and look at the sensor’s ground."
        at_s = some_places(extra_s)
        found.append(
            Finding(what="extra pulses", mark=Mark.FAIL, sentence=said, do=do, at_s=at_s, wide_s=1 / train.frequency_hz)
        )
    dropped = _dropped(times, ring)
    silent = _silences(times, 0 if ring is None else len(ring.missing))
    dropped = np.union1d(dropped, silent).astype(np.intp)
    mark = Mark.UNDECIDED if ring is None and len(dropped) < LEAST_EDGES and not len(silent) else Mark.FAIL
    found += _drop_out(times, dropped, mark)
    found += _stops(time_s, figures, train, swing, len(ring.missing) if ring is not None else 0)
    return found


def _drop_out(times: Floats, dropped: NDArray[np.intp], mark: Mark) -> list[Finding]:
    """That pulses are missing after those edges; undecided where a ring of unknown teeth may have a gap there."""
    if not len(dropped):
        return []
    times_word = _count(len(dropped), "time")
    said = f"{times_word} pulses are missing where no tooth is missing: they drop out now and then."
    if mark is Mark.UNDECIDED:
        said = f"{times_word} pulses are missing: they drop out, or the ring has a gap that came so often."
    do = "Wiggle connector and harness while it turns; then the air gap, which may open with vibration."
    wide_s = float(np.median(times[dropped + 1] - times[dropped]))
    at_s = some_places(times[dropped])
    return [Finding(what="pulses drop out", mark=mark, sentence=said, do=do, at_s=at_s, wide_s=wide_s)]


def _silent_turns(train: PulseTrain) -> NDArray[np.intp]:
    """Edges of unequal teeth after which nothing came for longer than their widest step takes."""
    times, teeth = train.pulses_s, train.a_turn
    at = np.arange(teeth, len(times) - 1 - teeth)
    turn_s = np.maximum(times[at] - times[at - teeth], times[at + 1 + teeth] - times[at + 1])
    long = at[times[at + 1] - times[at] > _DROPPED * train.widest * turn_s / teeth]
    return np.array([edge for edge in long if not _stood(times, int(edge), teeth)], dtype=np.intp)


def longest_run(train: PulseTrain) -> Floats:
    """The longest run of pulses without a silence in it."""
    times = train.pulses_s
    silences = _silent_turns(train) if train.a_turn else _silences(times, 0)
    ends = np.concatenate(([0], silences + 1, [len(times)]))
    at = int(np.argmax(np.diff(ends)))
    return times[ends[at] : ends[at + 1]]


def _stood(times: Floats, at: int, over: int) -> bool:
    """True where the ring may have come to a stand in the period after that edge, or started in it: its speed, from two times so
    many periods, is nought within it by a straight line.
    """
    for edges in (times[: at + 1], -times[:at:-1]):  # as it came, and run backwards
        if len(edges) <= 2 * over:
            continue
        last_s, before_s = edges[-1] - edges[-1 - over], edges[-1 - over] - edges[-1 - 2 * over]
        slower = 1 / before_s - 1 / last_s
        if slower > 0:
            stands_s = (last_s + before_s) / 2 / last_s / slower - last_s / 2
            if stands_s <= times[at + 1] - times[at]:
                return True
    return False


def _silences(times: Floats, missing: int) -> NDArray[np.intp]:
    """Edges after which nothing came for several periods, at a speed that before and after was far from a stand."""
    periods = np.diff(times)
    found = []
    for at in np.flatnonzero(periods > (_SILENT_PERIODS + missing) * float(np.median(periods))):
        before, after = periods[max(at - 5, 0) : at], periods[at + 1 : at + 6]
        if min(len(before), len(after)) < LEAST_EDGES:
            continue
        # A ring that came to a stand and started again slows down before and is slow after.
        if periods[at] > (_SILENT_PERIODS + missing) * max(float(np.median(before)), float(np.median(after))) and (
            before[-1] < 1.5 * before[0] and after[0] < 1.5 * after[-1] and not _stood(times, int(at), _OVER)
        ):
            found.append(int(at))
    return np.array(found, dtype=np.intp)


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
    lost = at[regular & (several > _DROPPED)]
    return lost[[not _stood(times, int(edge), _OVER) for edge in lost]] if len(lost) else lost


def _stops(time_s: Floats, figures: WaveformFigures, train: PulseTrain, swing: Swing, missing: int) -> list[Finding]:
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
        heard = swing.volts_per_hz is None or swing.volts_per_hz * then_hz > 3 * edge_v
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


def find_in_volts(signal_v: Floats, figures: WaveformFigures, swing: Swing) -> list[Finding]:
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
    shares = [
        max(_flat_share(signal_v, end_v, near * span_v, is_high=is_high) for near in _NEAR_AN_END)
        for end_v, is_high in ((figures.high_v, True), (figures.low_v, False))
    ]
    if min(shares) > _FLAT_TOP and figures.low_v > -figures.high_v / 4:
        said = "It goes slowly between two levels: the pull-up is too weak for the wire’s capacitance."
        found.append(Finding(what="slow edges", mark=Mark.UNDECIDED, sentence=said, do=_SLOW_DO))
    elif max(shares) > _FLAT_TOP:
        said = f"The wave is cut at {figures.high_v if shares[0] >= shares[1] else figures.low_v:.2f} V."
        found.append(Finding(what="flat tops", mark=Mark.UNDECIDED, sentence=said, do=_CUT_DO))
    found += _over_turn(swing)
    if swing.rise_power is not None and swing.rise_power < _LEAST_POWER:
        said = f"Its volts rise with the speed to the power {swing.rise_power:.2f} only; a coil’s rise in proportion."
        do = "Measure the coil’s ohms and what loads it; look at whether the wave is cut."
        found.append(Finding(what="volts do not rise with speed", mark=Mark.UNDECIDED, sentence=said, do=do))
    return found


def _flat_share(signal_v: Floats, end_v: float, near_v: float, *, is_high: bool) -> float:
    """Of the samples within four steps of an end those within one; 0 where the end is a peak of few samples."""
    nearest, near = (
        float(np.mean(signal_v > end_v - step if is_high else signal_v < end_v + step)) for step in (near_v, 4 * near_v)
    )
    return nearest / near if nearest > _AT_AN_END else 0.0


def _over_turn(swing: Swing) -> list[Finding]:
    """A coil's volts that are not the same at every tooth."""
    do = (
        "Feel the air gap round the ring, and the bearing’s play; look at the ring there for a chipped or filled tooth."
    )
    if swing.low_teeth:
        which = ", ".join(str(at + 1) for at in swing.low_teeth[:4])
        said = f"The volts are {swing.low_pct:.0f} % lower at tooth {which} than beside it: worn, chipped, or covered with dirt."
        return [Finding(what="volts vary over the turn", mark=Mark.FAIL, sentence=said, do=do)]
    if swing.over_turn_pct is None or swing.over_turn_pct < _TURN_DOUBT_PCT:
        return []
    mark = Mark.FAIL if swing.over_turn_pct >= _TURN_FAIL_PCT else Mark.UNDECIDED
    said = f"The volts swing by ± {swing.over_turn_pct:.0f} % over the turn: the air gap changes, by run-out or a bearing’s play."
    return [Finding(what="volts vary over the turn", mark=mark, sentence=said, do=do)]


def some_places(at_s: Floats) -> tuple[float, ...]:
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
