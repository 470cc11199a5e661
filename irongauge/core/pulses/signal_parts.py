"""Small decisions about pulses: which principle a sensor works on, what its pull-up should be, what a fuel sensor says, how an
air gap is set, what a bus channel can show.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Mark
from irongauge.core.sensors.families import HIGH_FROM_SHARE, LOW_BELOW_V

__all__ = [
    "DUTIES",
    "AirGap",
    "BusChannel",
    "BusSettings",
    "BusVerdict",
    "BusWiring",
    "Duty",
    "FuelReading",
    "Principle",
    "PrincipleFound",
    "PullUpAdvice",
    "air_gap",
    "bus_channel",
    "decode_fuel",
    "find_principle",
    "judge_bus",
    "pull_up_for",
    "settings_for",
]

# E12 (IEC 60063).
_STANDARD = (1000.0, 1200.0, 1500.0, 1800.0, 2200.0, 2700.0, 3300.0, 3900.0, 4700.0, 5600.0, 6800.0, 8200.0, 10_000.0)
_MOST_CURRENT_A = 0.015  # what a sensor's output transistor is usually good for, with room to spare
_FUEL_DEGC = (-45.0, 130.0)  # the sensor's −40 to 125 °C and its tolerance
_RISE_SHARE = 0.1  # of a period, that the rise may take


class Principle(StrEnum):
    """How a speed sensor makes its pulses."""

    RELUCTANCE = "reluctance"
    SWITCHING = "Hall or optical"
    UNCLEAR = "unclear"


@dataclass(frozen=True)
class PrincipleFound:
    """The principle, why, whether a conditioner is needed, whether a pull-up is, and whether there is one too many."""

    principle: Principle
    reason: str
    needs_conditioner: bool
    needs_pull_up: bool
    one_too_many: bool

    @property
    def mark(self) -> Mark:
        """A pull-up too few or too many fails; a principle that the looks leave unclear is undecided."""
        if self.one_too_many or self.needs_pull_up:
            return Mark.FAIL
        return Mark.UNDECIDED if self.principle is Principle.UNCLEAR else Mark.PASS


def find_principle(  # noqa: PLR0913  each is one look at the sensor
    wires: int,
    *,
    supply_v: float | None = None,
    low_v: float | None = None,
    high_v: float | None = None,
    ac_v: float | None = None,
    coil_ohm: float | None = None,
    input_takes_sine: bool = False,
) -> PrincipleFound:
    """Which principle, from the wires, a direct look (`low_v` and `high_v` are the two states that the signal rests in as the
    ring is turned slowly), and an alternating look (`ac_v` while it turns).

    Two wires with ohms of a coil or alternating volts of its own are reluctance; a supply and two resting states are a switch.
    """
    states = low_v is not None and high_v is not None and high_v - low_v > 1.0
    switches = wires >= 3 and supply_v is not None and supply_v > 1.0 and states  # noqa: PLR2004
    makes_ac = ac_v is not None and ac_v > 0.05  # noqa: PLR2004
    is_coil = coil_ohm is not None and 50 < coil_ohm < 10_000  # noqa: PLR2004
    if switches and low_v is not None and high_v is not None and supply_v is not None:
        reason = f"Three wires, {supply_v:.3g} V supply, and two resting states of {low_v:.2g} and {high_v:.3g} V."
        too_many = low_v > LOW_BELOW_V
        if too_many:
            reason += f" The low one lies above {LOW_BELOW_V} V: two pull-ups, or a bad ground."
        return PrincipleFound(
            Principle.SWITCHING, reason, needs_conditioner=False, needs_pull_up=False, one_too_many=too_many
        )
    if wires >= 3 and supply_v is not None and supply_v > 1.0 and high_v is not None and high_v < 0.5 and not makes_ac:  # noqa: PLR2004
        reason = "Three wires and a supply, but the signal never rises: an open collector without a pull-up."
        return PrincipleFound(
            Principle.SWITCHING, reason, needs_conditioner=False, needs_pull_up=True, one_too_many=False
        )
    if wires == 2 and (is_coil or makes_ac) and not states:  # noqa: PLR2004
        seen = f"{coil_ohm:.0f} Ω between them" if is_coil else f"{ac_v:.2g} V alternating of its own while it turns"
        return PrincipleFound(
            Principle.RELUCTANCE,
            f"Two wires and {seen}: a coil.",
            not input_takes_sine,
            needs_pull_up=False,
            one_too_many=False,
        )
    reason = "The looks do not agree, or one is missing. Count the wires, turn the ring slowly with the supply on, then fast."
    return PrincipleFound(Principle.UNCLEAR, reason, needs_conditioner=False, needs_pull_up=False, one_too_many=False)


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
        return Mark.FAIL if self.fault else Mark.PASS


def decode_fuel(frequency_hz: float, low_pulse_ms: float | None = None) -> FuelReading:
    """The common fuel composition sensor: 50 to 150 Hz for 0 to 100 %, a low pulse of 1 to 5 ms for −40 to 125 °C.

    >>> decode_fuel(112.0, 2.74)
    FuelReading(share_pct=62.0, temperature_degc=31.775, fault='')
    """
    degc = None if low_pulse_ms is None else round(-40 + (low_pulse_ms - 1) / 4 * 165, 9)
    if frequency_hz < 1:
        return FuelReading(None, None, "No pulses: no pull-up, or no supply.")
    if frequency_hz > 170:  # noqa: PLR2004
        return FuelReading(None, degc, "Above 170 Hz: contaminated fuel, water most likely.")
    if frequency_hz < 45:  # noqa: PLR2004
        return FuelReading(None, degc, "Below 45 Hz: a sensor fault, or pulses are missed.")
    fault = ""
    if degc is not None and not _FUEL_DEGC[0] <= degc <= _FUEL_DEGC[1]:
        fault = "The pulse's width lies outside 1 to 5 ms: the temperature is not to be believed."
    share = min(max(frequency_hz - 50.0, 0.0), 100.0)
    return FuelReading(round(share, 9), None if fault else degc, fault)


@dataclass(frozen=True, kw_only=True)
class AirGap:
    """Feeler readings round a ring, in mm: mean, spread, the once-per-turn part, and how far to move the sensor."""

    mean_mm: float
    spread_mm: float
    run_out_mm: float
    move_mm: float
    fits: bool
    sentence: str

    @property
    def mark(self) -> Mark:
        return Mark.PASS if self.fits else Mark.FAIL


def air_gap(readings_mm: Sequence[float], least_mm: float, most_mm: float) -> AirGap:
    """Readings evenly round the ring against the sensor's window. `move_mm` above 0 is away from the ring."""
    if len(readings_mm) < 3 or not all(0 <= r < 50 for r in readings_mm) or not 0 <= least_mm < most_mm:  # noqa: PLR2004
        msg = "an air gap needs three or more feeler readings in mm, and a window"
        raise ValueError(msg)
    n = len(readings_mm)
    mean = math.fsum(readings_mm) / n
    wave = math.hypot(
        *(
            2 / n * math.fsum(r * f(2 * math.pi * at / n) for at, r in enumerate(readings_mm))
            for f in (math.cos, math.sin)
        )
    )
    low, high = min(readings_mm), max(readings_mm)
    move = (least_mm + most_mm) / 2 - (low + high) / 2
    spread = high - low
    if spread > most_mm - least_mm:
        sentence = f"The gap varies by {spread:.2f} mm, more than the window of {most_mm - least_mm:.2f} mm: true the ring first."
        return AirGap(mean_mm=mean, spread_mm=spread, run_out_mm=wave, move_mm=move, fits=False, sentence=sentence)
    if low >= least_mm and high <= most_mm:
        return AirGap(
            mean_mm=mean,
            spread_mm=spread,
            run_out_mm=wave,
            move_mm=move,
            fits=True,
            sentence=f"{low:.2f} to {high:.2f} mm: within the window all round.",
        )
    way = "away from" if move > 0 else "towards"
    return AirGap(
        mean_mm=mean,
        spread_mm=spread,
        run_out_mm=wave,
        move_mm=move,
        fits=False,
        sentence=f"Move the sensor {abs(move):.2f} mm {way} the ring.",
    )


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


@dataclass(frozen=True)
class BusSettings:
    """Recommended frame rate and pulses to average, and why."""

    frame_hz: float
    pulses: int
    sentence: str


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
        f"{1000 * slow.delay_s:.3g} ms late at the lowest speed and {1000 * fast.delay_s:.3g} ms at the highest, in "
        f"steps of {max(slow.resolution_pct, fast.resolution_pct):.2g} % at most."
    )
    return BusSettings(frame_hz, pulses, sentence)


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
        if self.node and self.node in self.other_nodes:
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


def judge_bus(  # noqa: PLR0913  each is one thing known of the channel
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
    enough = True
    if speeds_hz is not None:
        low_hz, high_hz = sorted(speeds_hz)
        for end, hertz in (("Lowest speed", low_hz), ("Highest speed", high_hz)):
            seen = bus_channel(hertz, pulses, frame_hz, tick_s=tick_s)
            sentences.append(
                f"{end}: {seen.delay_s * 1000:.3g} ms late, in steps of {seen.resolution_pct:.2g} %, "
                f"{seen.update_hz:.3g} new values a second."
            )
        better = settings_for(low_hz, high_hz, needed_hz if duty is None else duty.needed_hz, tick_s=tick_s)
        enough = frame_hz >= better.frame_hz and pulses <= better.pulses
        sentences.append(better.sentence)
        if duty is not None:
            sentences.append(duty.reason)
    elif not wrong:
        return None
    settings = "set as it should be" if enough else "not set for what it watches"
    finding = "; ".join(short for short, _ in wrong) or settings
    return BusVerdict(Mark.PASS if enough and not wrong else Mark.FAIL, finding, tuple(sentences))
