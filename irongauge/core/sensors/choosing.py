"""Which sensor type covers what a job needs, how much of its range that uses, and what is lost to the controller's steps.

Pressures are compared on each type's own base, with the atmosphere of the place where the vehicle works: a sensor of N kPa
absolute leaves only N less the atmosphere for boost.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import PressureBase, Quantity, rebase, show, show_difference
from irongauge.core.sensors.circuits import Channel, SensorType
from irongauge.core.sensors.conversion import Feed, reading_at, value_from_reading
from irongauge.core.sensors.transfer import LOOP_FAILS_FROM_MA, LOOP_MA, CurveKind

__all__ = ["Bearing", "Converter", "Fit", "Need", "Place", "fits_for"]

_POINTS = 64  # places over the needed range at which the worst step of a curve that is not straight is looked for
_BEST_FIRST = (Mark.PASS, Mark.UNDECIDED, Mark.FAIL)
_E24 = (
    1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
)  # fmt: skip
_GOOD_SHARE = 0.3  # of the range: below it the resolution is wasted


@dataclass(frozen=True)
class Need:
    """The least and greatest value expected, in the fixed unit of `quantity`, margin included; `base` of a pressure."""

    quantity: Quantity
    least: float
    greatest: float
    base: PressureBase | None = None
    atmosphere_kpa: float = 101.325

    def __post_init__(self) -> None:
        if self.least >= self.greatest:
            msg = "the greatest value expected lies above the least"
            raise ValueError(msg)

    def on(self, base: PressureBase | None) -> tuple[float, float]:
        """Both ends on a curve's own base."""
        low: float = rebase(self.least, self.base, base, self.atmosphere_kpa)
        high: float = rebase(self.greatest, self.base, base, self.atmosphere_kpa)
        return low, high


@dataclass(frozen=True, kw_only=True)
class Place:
    """What a sensor meets where it sits, None where nobody said: temperatures, and the greatest peak of a pressure.

    `peak` is in kPa on the base of the need: water hammer, a pump's relief, a boost spike.
    """

    low_degc: float | None = None
    high_degc: float | None = None
    peak_kpa: float | None = None


@dataclass(frozen=True)
class Bearing:
    """How a sensor stands one thing that it meets at its place."""

    mark: Mark
    sentence: str


@dataclass(frozen=True)
class Converter:
    """The controller's analogue input: steps of `full_scale_v / 2**bits`."""

    bits: int = 10
    full_scale_v: float = 5.0

    @property
    def step_v(self) -> float:
        """What one count is worth, in V."""
        return self.full_scale_v / 2.0**self.bits


@dataclass(frozen=True, kw_only=True)
class Fit:
    """How a type suits a need. `resolution` is in the fixed unit per step, at the worst place of the needed range.

    `short_low` and `short_high` are what its range lacks at either end, 0 where it reaches; `clip_v` is what it would
    stay at.
    """

    sensor: SensorType
    channel: Channel
    share_used: float
    resolution: float
    short_low: float
    short_high: float
    sentence: str
    bearings: tuple[Bearing, ...] = ()

    @property
    def covers(self) -> bool:
        """True where the sensor reaches both ends of what is asked for."""
        return self.short_low <= 0 and self.short_high <= 0

    @property
    def mark(self) -> Mark:
        """Whether it suits: a range that covers the need, and nothing at its place that it does not bear."""
        marks = {bearing.mark for bearing in self.bearings}
        if not self.covers or Mark.FAIL in marks:
            return Mark.FAIL
        return Mark.UNDECIDED if Mark.UNDECIDED in marks else Mark.PASS


def fits_for(
    need: Need, sensors: tuple[SensorType, ...], converter: Converter, unit: str, place: Place | None = None
) -> tuple[Fit, ...]:
    """Every type that senses the quantity: those that suit first, the most of the range used first; then those whose card
    does not say enough; then those that would clip, the least short first. `unit` is that of the sentences.
    """
    found = [
        replace(
            _fit(need, sensor, channel, converter, unit),
            bearings=_bearings(sensor, channel, need, place or Place(), unit),
        )
        for sensor in sensors
        for channel in sensor.channels
        if channel.curve.quantity is need.quantity
    ]
    return tuple(
        sorted(
            found,
            key=lambda f: (
                _BEST_FIRST.index(f.mark),
                not f.covers,
                -f.share_used if f.covers else max(f.short_low, f.short_high),
            ),
        )
    )


def _bearings(sensor: SensorType, channel: Channel, need: Need, place: Place, unit: str) -> tuple[Bearing, ...]:
    """What its card says of each thing that the place was told to have."""
    found = []
    if place.low_degc is not None:
        found.append(_stands("cold", place.low_degc, sensor.bears.low_degc, at_least=False))
    if place.high_degc is not None:
        found.append(_stands("heat", place.high_degc, sensor.bears.high_degc, at_least=True))
    if place.peak_kpa is not None and channel.curve.quantity is Quantity.PRESSURE:
        base = channel.curve.pressure_base
        peak_kpa = rebase(place.peak_kpa, need.base, base, need.atmosphere_kpa)
        shown = f"{show(peak_kpa, unit, trim=True)} {base}"
        bears_kpa = sensor.bears.overpressure_kpa
        if bears_kpa is None and peak_kpa <= channel.curve.value_high:
            found.append(Bearing(Mark.PASS, f"A peak of {shown} lies within its range."))
        elif bears_kpa is None:
            found.append(
                Bearing(Mark.UNDECIDED, f"Its data do not say whether it bears a peak of {shown}: see the data sheet.")
            )
        elif peak_kpa <= bears_kpa:
            found.append(
                Bearing(Mark.PASS, f"Bears a peak of {shown}; its limit is {show(bears_kpa, unit, trim=True)}.")
            )
        else:
            found.append(
                Bearing(
                    Mark.FAIL, f"A peak of {shown} would harm it: it bears {show(bears_kpa, unit, trim=True)} {base}."
                )
            )
    return tuple(found)


def _stands(what: str, degc: float, limit_degc: float | None, *, at_least: bool) -> Bearing:
    if limit_degc is None:
        return Bearing(Mark.UNDECIDED, f"Its data do not say whether it bears {degc:g} °C: see the data sheet.")
    if (degc <= limit_degc) if at_least else (degc >= limit_degc):
        return Bearing(Mark.PASS, f"Bears the {what} of {degc:g} °C; its limit is {limit_degc:g} °C.")
    return Bearing(Mark.FAIL, f"Not for {degc:g} °C: its limit is {limit_degc:g} °C.")


def _fit(need: Need, sensor: SensorType, channel: Channel, converter: Converter, unit: str) -> Fit:
    curve = channel.curve
    low, high = need.on(curve.pressure_base)
    reach_low, reach_high = curve.value_low, curve.value_high
    told = getattr(curve, "usable_range", None)
    if told is not None:  # a flat end of a table clips as much as the end of the range does
        reach_low, reach_high = told
    (reach_low, reach_high), is_cut = _seen_by(sensor, channel, converter, (reach_low, reach_high))
    slack = 1e-9 * (curve.value_high - curve.value_low)
    short_low, short_high = (gap if gap > slack else 0.0 for gap in (reach_low - low, high - reach_high))
    share = (min(high, reach_high) - max(low, reach_low)) / (curve.value_high - curve.value_low)
    resolution = _resolution(sensor, channel, converter, max(low, reach_low), min(high, reach_high))
    base = "" if curve.pressure_base is None else f" {curve.pressure_base}"
    if reach_high <= reach_low:
        sentence = f"No, the input of {converter.full_scale_v:g} V sees none of its signal."
    elif short_high > 0 or short_low > 0:
        sentence = _clips(need, (reach_low, reach_high), (short_low, short_high), base, unit)
    else:
        ends = " to ".join(show(end, unit, trim=True) for end in (reach_low, reach_high))
        sentence = f"Covers it: {100 * share:.0f} % of {ends}{base}"
        sentence += " is used." if share >= _GOOD_SHARE else " is used, so most of its range is given away."
    middle_ohm = _middle_ohm(channel)
    if middle_ohm is not None:
        sentence += (
            f" Reckoned with a pull-up of {middle_ohm:.0f} Ω, the middle of its own ohms; another one moves the worst place."
            ""
        )
    if curve.kind is CurveKind.CURRENT:
        shunt_ohm = _largest_shunt_ohm(converter)
        sentence += (
            f" Reckoned with a shunt of {shunt_ohm:g} Ω, the largest that keeps a failed loop's 21 mA within the input; of its "
            f"supply it takes {LOOP_MA[1] / 1000 * shunt_ohm:.1f} V."
        )
    if is_cut:
        top_v = _top_v(sensor, channel, converter)
        sentence += (
            f" Its signal goes on to {top_v:.3g} V, and the input ends at {converter.full_scale_v:g} V: a "
            "divider before the input would show the rest."
        )
    return Fit(
        sensor=sensor,
        channel=channel,
        share_used=max(share, 0.0),
        resolution=resolution,
        short_low=short_low,
        short_high=short_high,
        sentence=sentence,
    )


def _feed(sensor: SensorType, channel: Channel, converter: Converter) -> Feed:
    return Feed(
        sensor.supply_v,
        pull_up_ohm=_middle_ohm(channel),
        pull_up_v=sensor.supply_v,
        shunt_ohm=_largest_shunt_ohm(converter) if channel.curve.kind is CurveKind.CURRENT else None,
    )


def _largest_shunt_ohm(converter: Converter) -> float:
    """The largest resistor of the E24 series (IEC 60063) that keeps a failed loop's 21 mA within the input."""
    most_ohm = converter.full_scale_v / (LOOP_FAILS_FROM_MA / 1000)
    decade = 10.0 ** math.floor(math.log10(most_ohm))
    return max(step * decade for step in _E24 if step * decade <= most_ohm)


def _top_v(sensor: SensorType, channel: Channel, converter: Converter) -> float:
    """The greatest volts of a signal over its range."""
    curve, feed = channel.curve, _feed(sensor, channel, converter)
    return max(reading_at(curve, curve.value_low, feed), reading_at(curve, curve.value_high, feed))


def _seen_by(
    sensor: SensorType, channel: Channel, converter: Converter, reach: tuple[float, float]
) -> tuple[tuple[float, float], bool]:
    """The part of a range whose volts the input takes, and whether it cuts some off; signals that are no volts are let alone."""
    curve, feed = channel.curve, _feed(sensor, channel, converter)
    if channel.name in {"frequency", "pulse"}:
        return reach, False
    volts = [reading_at(curve, value, feed) for value in reach]
    if max(volts) <= converter.full_scale_v:
        return reach, False
    cut = value_from_reading(curve, converter.full_scale_v, feed)
    low, high = reach
    seen = (min(max(cut, low), high), high) if volts[0] > volts[1] else (low, max(min(cut, high), low))
    return (seen if min(volts) < converter.full_scale_v else (low, low)), True


def _clips(need: Need, reach: tuple[float, float], short: tuple[float, float], base: str, unit: str) -> str:
    """The no, with its number."""
    parts = []
    if short[1] > 0:
        parts.append(
            f"reads at most {show(reach[1], unit, trim=True)}{base}, and {show(reach[1] + short[1], unit)}{base} is needed: "
            f"{show_difference(short[1], unit)} short"
        )
    if short[0] > 0:
        parts.append(
            f"starts at {show(reach[0], unit, trim=True)}{base}, and {show(reach[0] - short[0], unit)}{base} is needed: "
            f"{show_difference(short[0], unit)} short"
        )
    text = "No, it would clip: " + "; it ".join(parts) + "."
    if short[1] > 0 and need.base is PressureBase.GAUGE and base.strip() == PressureBase.ABSOLUTE:
        left = reach[1] - need.atmosphere_kpa
        text += (
            f" Of its range {show(max(left, 0.0), unit)} is left above an atmosphere of {need.atmosphere_kpa:.1f} kPa."
        )
    return text


def _resolution(sensor: SensorType, channel: Channel, converter: Converter, low: float, high: float) -> float:
    """Value per step of the converter at the worst place between two values; 0 where the signal is not volts."""
    feed = _feed(sensor, channel, converter)
    if channel.name in {"frequency", "pulse"} or high <= low:
        return 0.0
    places = [low + (high - low) * at / _POINTS for at in range(_POINTS + 1)]
    volts = [reading_at(channel.curve, place, feed) for place in places]
    worst = 0.0
    for at in range(_POINTS):
        rise_v = abs(volts[at + 1] - volts[at])
        if rise_v > 0:
            worst = max(worst, (places[at + 1] - places[at]) / rise_v * converter.step_v)
    return worst


def _middle_ohm(channel: Channel) -> float | None:
    """The pull-up that suits a thermistor best: its resistance in the middle of its range."""
    if channel.name != "temperature":
        return None
    curve = channel.curve
    return math.sqrt(curve.signal_at(curve.value_low) * curve.signal_at(curve.value_high))
