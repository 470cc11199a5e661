"""Small decisions about pulses: what a pull-up should be, what a fuel sensor says, how an air gap is set, what a bus channel can
show.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.measure.quantities import Mark
from irongauge.core.sensors.families import HIGH_FROM_SHARE

__all__ = [
    "DUTIES",
    "AirGap",
    "BusChannel",
    "BusSettings",
    "BusVerdict",
    "BusWiring",
    "Duty",
    "FuelReading",
    "PullUpAdvice",
    "air_gap",
    "bus_channel",
    "decode_fuel",
    "judge_bus",
    "pull_up_for",
    "settings_for",
]

# E12 (IEC 60063).
_STANDARD = (1000.0, 1200.0, 1500.0, 1800.0, 2200.0, 2700.0, 3300.0, 3900.0, 4700.0, 5600.0, 6800.0, 8200.0, 10_000.0)
_MOST_CURRENT_A = 0.015  # what a sensor's output transistor is usually good for, with room to spare
_FUEL_HZ = (45.0, 170.0)  # 50 to 150 Hz and its tolerance; beyond it says that something is wrong
_FUEL_DEGC = (-45.0, 130.0)  # the sensor's −40 to 125 °C and its tolerance
_RISE_SHARE = 0.1  # of a period, that the rise may take
_LEAF_MM = 0.05  # between one leaf of a feeler gauge and the next
_LEAST_FOR_ODD = 6  # places: a circle takes three, and one more each must be left to agree with it
_MOST_FOR_ODD = 240  # more than anybody feels round a ring


@dataclass(frozen=True)
class PullUpAdvice:
    """A pull-up between what the transistor can sink and what the wire's capacitance lets rise in time; None where none fits."""

    ohm: float | None
    least_ohm: float
    most_ohm: float
    sentence: str


def pull_up_for(
    to_v: float, highest_hz: float, wire_m: float, *, pf_per_m: float = 100.0, input_pf: float = 1000.0
) -> PullUpAdvice:
    """The standard value nearest the middle of what fits.

    The rise to the input's threshold, `R·C·ln(1/(1 − 0.7))`, may take a tenth of the shortest period; the current `V/R` stays
    below 15 mA. Capacitances are those of the wire per metre and of the input's filter.
    """
    if to_v <= 0 or highest_hz <= 0 or wire_m < 0:
        msg = "a pull-up has positive volts, a highest frequency and a length of wire"
        raise ValueError(msg)
    capacitance_f = (wire_m * pf_per_m + input_pf) * 1e-12
    most = _RISE_SHARE / highest_hz / (capacitance_f * math.log(1 / (1 - HIGH_FROM_SHARE)))
    least = to_v / _MOST_CURRENT_A
    fitting = [ohm for ohm in _STANDARD if least <= ohm <= most]
    if not fitting:
        sentence = (
            f"No standard value fits between {least:.0f} and {most:.0f} Ω: shorten the wire or use a driven output."
        )
        return PullUpAdvice(None, least, most, sentence)
    middle = math.sqrt(least * min(most, _STANDARD[-1]))
    chosen = min(fitting, key=lambda ohm: abs(math.log(ohm / middle)))
    rise_s = chosen * capacitance_f * math.log(1 / (1 - HIGH_FROM_SHARE))
    sentence = (
        f"{chosen:.0f} Ω: {1000 * to_v / chosen:.2g} mA, and up in {rise_s * 1e6:.2g} µs of a period of "
        f"{1e6 / highest_hz:.3g} µs."
    )
    return PullUpAdvice(chosen, least, most, sentence)


@dataclass(frozen=True)
class FuelReading:
    """Composition and temperature, or the fault that the signal means."""

    share_pct: float | None
    temperature_degc: float | None
    fault: str

    @property
    def mark(self) -> Mark:
        """Fail where it names a fault."""
        return Mark.FAIL if self.fault else Mark.PASS


def decode_fuel(frequency_hz: float, low_pulse_ms: float | None = None) -> FuelReading:
    """The common fuel composition sensor: 50 to 150 Hz for 0 to 100 %, a low pulse of 1 to 5 ms for −40 to 125 °C.

    >>> decode_fuel(112.0, 2.74)
    FuelReading(share_pct=62.0, temperature_degc=31.775, fault='')
    """
    degc = None if low_pulse_ms is None else round(-40 + (low_pulse_ms - 1) / 4 * 165, 9)
    if frequency_hz < 1:
        return FuelReading(None, None, "No pulses: no pull-up, or no supply.")
    if frequency_hz > _FUEL_HZ[1]:
        return FuelReading(None, degc, "Above 170 Hz: contaminated fuel, water most likely.")
    if frequency_hz < _FUEL_HZ[0]:
        return FuelReading(None, degc, "Below 45 Hz: a sensor fault, or pulses are missed.")
    fault = ""
    if degc is not None and not _FUEL_DEGC[0] <= degc <= _FUEL_DEGC[1]:
        fault = "The pulse's width lies outside 1 to 5 ms: the temperature is not to be believed."
    share = min(max(frequency_hz - 50.0, 0.0), 100.0)
    return FuelReading(round(share, 9), None if fault else degc, fault)


@dataclass(frozen=True, kw_only=True)
class AirGap:
    """Feeler readings round a ring, in mm: mean, spread, the once-per-turn part, and how far to move the sensor.

    `odd` is the place, from 0, that the once-per-turn part does not explain: a bent or chipped tooth, or a slip of the feeler.
    """

    mean_mm: float
    spread_mm: float
    run_out_mm: float
    move_mm: float
    fits: bool
    helps_to_move: bool
    sentence: str
    odd: int | None = None

    @property
    def mark(self) -> Mark:
        """Fail where the gap does not fit."""
        return Mark.PASS if self.fits else Mark.FAIL


def air_gap(readings_mm: Sequence[float], least_mm: float, most_mm: float) -> AirGap:
    """Readings evenly round the ring against the sensor's window. `move_mm` above 0 is away from the ring."""
    if len(readings_mm) < 3 or not all(0 <= r < 50 for r in readings_mm) or not 0 <= least_mm < most_mm:  # noqa: PLR2004
        msg = "an air gap needs three or more feeler readings in mm, and a window"
        raise ValueError(msg)
    mean, turns = _once_a_turn(readings_mm)
    low, high = min(readings_mm), max(readings_mm)
    move = (least_mm + most_mm) / 2 - (low + high) / 2
    spread = high - low
    fits = low >= least_mm and high <= most_mm
    if spread > most_mm - least_mm:
        sentence = f"The gap varies by {spread:.2f} mm, more than the window of {most_mm - least_mm:.2f} mm: true the ring first."
    elif fits:
        sentence = f"{low:.2f} to {high:.2f} mm: within the window all round."
    else:
        sentence = f"Move the sensor {abs(move):.2f} mm {'away from' if move > 0 else 'towards'} the ring."
    return AirGap(
        mean_mm=mean,
        spread_mm=spread,
        run_out_mm=math.hypot(*turns),
        move_mm=move,
        fits=fits,
        helps_to_move=not fits and spread <= most_mm - least_mm,
        sentence=sentence,
        odd=_odd_one(readings_mm, mean, turns),
    )


def _once_a_turn(readings_mm: Sequence[float]) -> tuple[float, tuple[float, float]]:
    """Mean, and the cosine and sine parts that go round once, of readings evenly round a ring."""
    n = len(readings_mm)
    parts = [
        2 / n * math.fsum(r * f(2 * math.pi * at / n) for at, r in enumerate(readings_mm)) for f in (math.cos, math.sin)
    ]
    return math.fsum(readings_mm) / n, (parts[0], parts[1])


def _odd_one(readings_mm: Sequence[float], mean: float, turns: tuple[float, float]) -> int | None:
    """The one place that stands out of a ring that may be out of round: without it the others lie on a circle within a feeler's
    leaf, and it is three leaves and more away from that circle. `mean` and `turns` are those of all readings (`_once_a_turn`).

    Source: leaving out place k of a least-squares fit moves the residual of place j to e_j + h_jk e_k / (1 - h_kk), its own to
    e_k / (1 - h_kk); for a mean and one turn over n even places h_jk = (1 + 2 cos(2π(j - k)/n)) / n.
    """
    n = len(readings_mm)
    if not _LEAST_FOR_ODD <= n <= _MOST_FOR_ODD:
        return None
    c, s = turns
    turn = [2 * math.pi * at / n for at in range(n)]
    off = [r - mean - c * math.cos(a) - s * math.sin(a) for r, a in zip(readings_mm, turn, strict=True)]
    pull = [(1 + 2 * math.cos(a)) / n for a in turn]
    found = []
    for k in range(n):
        alone = off[k] / (1 - pull[0])
        rest = max(abs(off[j] + pull[(j - k) % n] * alone) for j in range(n) if j != k)
        if rest <= _LEAF_MM and abs(alone) >= 3 * _LEAF_MM:
            found.append(k)
    return found[0] if len(found) == 1 else None  # where either of two may be it, neither is said


@dataclass(frozen=True)
class BusChannel:
    """What a channel over an expansion module shows: delay, resolution and update rate at a speed."""

    delay_s: float
    resolution_pct: float
    update_hz: float


def bus_channel(frequency_hz: float, pulses_averaged: int, frame_hz: float, *, tick_s: float = 1e-6) -> BusChannel:
    """Averaging N pulses delays by N/f, and a frame waits up to its period more; the period is counted in ticks."""
    if frequency_hz <= 0 or pulses_averaged < 1 or frame_hz <= 0 or tick_s <= 0:
        msg = "a channel has a frequency, one or more pulses to average, a frame rate and a tick"
        raise ValueError(msg)
    took = pulses_averaged / frequency_hz
    return BusChannel(took + 1 / frame_hz, 100 * tick_s / took, min(frame_hz, frequency_hz))


@dataclass(frozen=True)
class Duty:
    """What a channel is watched for: the fastest change that must be seen, per second, and why."""

    needed_hz: float
    reason: str


DUTIES = {
    "fan": Duty(
        0.2, "A fan’s speed changes over seconds: 2 frames a second show it, and more pulses averaged steady it."
    ),
    "pump or alternator": Duty(1.0, "It follows the engine: ten frames a second show every change that matters."),
    "engine": Duty(3.0, "An engine picks up within a third of a second: 30 frames a second show it."),
    "driveshaft for traction": Duty(
        5.0, "A wheel that slips does so within a fifth of a second: 50 frames a second or more."
    ),
}
_TIMES_FASTER = 10.0  # a frame rate this many times the fastest change shows it
_MOST_PULSES = 1000  # that a module averages
_OF_A_CHANGE = 0.25  # of the fastest change's time, that averaging may delay


def _ms(seconds: float) -> str:
    """A time in ms to three figures, without a power of ten."""
    return f"{float(f'{1000 * seconds:.3g}'):.10g} ms"


@dataclass(frozen=True)
class BusSettings:
    """Recommended frame rate and pulses to average, and why. `meets` is False where the pulses themselves come too slowly."""

    frame_hz: float
    pulses: int
    sentence: str
    meets: bool = True


def settings_for(low_hz: float, high_hz: float, needed_hz: float, *, tick_s: float = 1e-6) -> BusSettings:
    """Ten frames for the fastest change; as many pulses averaged as keep their delay at the lowest speed below a quarter of it.

    At least one pulse is counted. `ValueError` for a frequency or a rate that is not above 0.
    """
    if not 0 < low_hz <= high_hz or needed_hz <= 0:
        msg = "a channel has a lowest and a highest frequency, and a fastest change"
        raise ValueError(msg)
    frame_hz = _TIMES_FASTER * needed_hz
    pulses = max(1, min(_MOST_PULSES, math.floor(_OF_A_CHANGE / needed_hz * low_hz)))
    slow = bus_channel(low_hz, pulses, frame_hz, tick_s=tick_s)
    fast = bus_channel(high_hz, pulses, frame_hz, tick_s=tick_s)
    sentence = (
        f"Best: {frame_hz:g} frames a second and {pulses} pulse{'s' if pulses > 1 else ''} averaged, which is "
        f"{_ms(slow.delay_s)} late at the lowest speed and {_ms(fast.delay_s)} at the highest, in "
        f"steps of {max(slow.resolution_pct, fast.resolution_pct):.2g} % at most."
    )
    meets = low_hz >= needed_hz / _OF_A_CHANGE
    if not meets:
        sentence += (
            f" That is not enough at the lowest speed: one pulse takes {_ms(1 / low_hz)}, and a change every "
            f"{_ms(1 / needed_hz)} is to be seen. More teeth would do, {math.ceil(needed_hz / _OF_A_CHANGE / low_hz)} times "
            "as many."
        )
    return BusSettings(frame_hz, pulses, sentence, meets)


def _node(typed: str) -> int | str:
    """A module's id as a number however it is written: `03`, `3`, `0x10`, `10h`; else its name."""
    text = typed.strip().casefold()
    hexadecimal = (
        text.removeprefix("0x") if text.startswith("0x") else text.removesuffix("h") if text.endswith("h") else ""
    )
    try:
        return int(hexadecimal, 16) if hexadecimal else int(text)
    except ValueError:
        return text


@dataclass(frozen=True, kw_only=True)
class BusWiring:
    """A module on a bus: its id and those of the others, its firmware and what the host expects, and its pull-up.

    `inside_ohm` is the module's own pull-up, 0 when it is switched off; None, like `pulled_up_in_harness`, when not known.
    """

    node: str = ""
    other_nodes: tuple[str, ...] = ()
    firmware: str = ""
    host_firmware: str = ""
    inside_ohm: float | None = None
    pulled_up_in_harness: bool | None = None

    def faults(self) -> tuple[tuple[str, str], ...]:
        """A double id, another firmware, a pull-up too few or too many: in a few words, and as a sentence."""
        wrong = []
        if self.node and _node(self.node) in {_node(other) for other in self.other_nodes}:
            said = f"Node {self.node} is on the bus already: each module needs an id of its own."
            wrong.append((f"node {self.node} twice on the bus", said))
        if self.firmware and self.host_firmware and self.firmware != self.host_firmware:
            said = (
                f"The module has firmware {self.firmware} and the host expects {self.host_firmware}: bring one to the "
                "other’s, by the maker’s procedure, before looking for anything else."
            )
            wrong.append(("firmware that the host does not expect", said))
        if self.inside_ohm == 0 and self.pulled_up_in_harness is False:
            said = (
                "Neither the module nor the harness pulls the signal up: an open output never rises. Set one of them."
            )
            wrong.append(("no pull-up", said))
        if self.inside_ohm and self.pulled_up_in_harness:
            said = (
                f"The module pulls up with {self.inside_ohm:g} Ω, and one is still in the harness: take that one out."
            )
            wrong.append(("two pull-ups", said))
        return tuple(wrong)


@dataclass(frozen=True)
class BusVerdict:
    """What is said of a channel over a bus."""

    mark: Mark
    finding: str
    sentences: tuple[str, ...]


def judge_bus(
    wiring: BusWiring,
    *,
    speeds_hz: tuple[float, float] | None,
    pulses: int,
    frame_hz: float,
    duty: Duty | None = None,
    needed_hz: float = 0.0,
    tick_s: float = 1e-6,
) -> BusVerdict | None:
    """Judge how a module is wired and set; None where neither its speeds nor a fault of its wiring are known.

    `speeds_hz` are both ends of what it counts, in any order; `needed_hz` is the fastest change to be seen, for no usual duty.
    """
    wrong = wiring.faults()
    sentences = [sentence for _, sentence in wrong]
    enough, unmet = True, "not set for what it watches"
    if speeds_hz is not None:
        low_hz, high_hz = sorted(speeds_hz)
        for end, hertz in (("Lowest speed", low_hz), ("Highest speed", high_hz)):
            seen = bus_channel(hertz, pulses, frame_hz, tick_s=tick_s)
            sentences.append(
                f"{end}: {_ms(seen.delay_s)} late, in steps of {seen.resolution_pct:.2g} %, "
                f"{seen.update_hz:.3g} new values a second."
            )
        better = settings_for(low_hz, high_hz, needed_hz if duty is None else duty.needed_hz, tick_s=tick_s)
        enough = better.meets and frame_hz >= better.frame_hz and pulses <= better.pulses
        if not better.meets:
            unmet = "too few pulses at the lowest speed"
        sentences.append(better.sentence)
        if duty is not None:
            sentences.append(duty.reason)
    elif not wrong:
        return None
    settings = "set as it should be" if enough else unmet
    finding = "; ".join(short for short, _ in wrong) or settings
    return BusVerdict(Mark.PASS if enough and not wrong else Mark.FAIL, finding, tuple(sentences))
