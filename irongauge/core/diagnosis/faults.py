"""The faults by name: what each means, where it sits, how large it may be, and what to do about it.

One table serves the Bench, the programs' interface and the page of words in the documentation.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

__all__ = [
    "DOUBLE_JOIN",
    "FAULT_WORDS",
    "HEALTHY",
    "SURE",
    "FaultWords",
    "Size",
    "Standing",
    "may_stand_together",
    "splitting_inspection",
    "words_of",
]

HEALTHY = "healthy"
DOUBLE_JOIN = "+"
SURE = 0.95  # from this probability on a verdict is given
_WIRES = {
    "reference": "reference wire",
    "return": "return wire",
    "signal": "signal wire",
    "temperature": "temperature wire",
    "plus": "wire of the plus leg",
    "minus": "wire of the minus leg",
}
_CHANNELS = ("signal", "temperature")


class Standing(StrEnum):
    """How far the answer to what is wrong stands."""

    OPEN = "open"
    SETTLED = "settled"
    GROUPED = "cannot tell apart"
    CONTRADICTS = "readings contradict"


@dataclass(frozen=True)
class Size:
    """How large a fault is: the model's parameter, and how a number of it is said. `factor` and `less` come first."""

    parameter: str
    unit: str
    factor: float = 1.0
    less: float = 0.0


@dataclass(frozen=True, kw_only=True)
class FaultWords:
    """One fault. `place` is what two faults cannot both have; `title` may stand in the middle of a sentence."""

    code: str
    title: str
    where: str
    place: str
    do: str
    inspect: str
    size: Size | None = None


_AT_WIRE = (
    ("open", "{wire} open",
     "Find the break: tug test, then ohms from end to end with the battery off. Splice or re-pin it.",
     "ohms from end to end of the {wire}, battery off", None),
    ("resistance", "resistance in the {wire}",
     "Clean or remake the joint that has it: look for green copper, a loose crimp, water.",
     "volts across each joint of the {wire} with the lamp as load", Size("wire.{pin}", "Ω")),
    ("short_ground", "{wire} shorted to ground",
     "Look where the harness rubs on metal; unplug both ends and split the harness until the short clears.",
     "ohms from the {wire} to ground with both ends unplugged", Size("to_ground.{pin}", "Ω")),
    ("short_battery", "{wire} shorted to battery",
     "Look where it runs beside a feed; unplug both ends and find which feed it follows.",
     "volts on the {wire} with both ends unplugged", Size("to_battery.{pin}", "Ω")),
    ("short_reference", "{wire} shorted to the reference",
     "Look for bridged pins, water in the connector, chafed wires side by side.",
     "ohms between the {wire} and the reference, both ends unplugged", Size("to_reference.{pin}", "Ω")),
)  # fmt: skip
_AT_CHANNEL = (
    ("pull_up_missing", "pull-up missing on the {channel} input", "input.{channel}",
     "Switch the pull-up on in the controller's settings, or fit the one that the sensor needs.",
     "the controller's input settings", None),
    ("pull_up_doubled", "two pull-ups on the {channel} input", "input.{channel}",
     "Take one away: an external one left in, or the controller's own switched on beside it.",
     "the harness and the controller's input settings for a second pull-up", Size("second_pull_up_ohm.{channel}", "Ω")),
    ("pull_up_left", "a pull-up left on the {channel} wire", "input.{channel}",
     "This input needs none: take out the resistor that an earlier use left in the harness, or switch it off.",
     "the harness and the controller's input settings for a pull-up", Size("second_pull_up_ohm.{channel}", "Ω")),
    ("shunt_missing", "no shunt at the {channel} input", "input.{channel}",
     "Fit the shunt that the controller is scaled for, or switch its current input on.",
     "the input's settings and its resistor", None),
    ("shunt_wrong", "a shunt of another size at the {channel} input", "input.{channel}",
     "Fit the shunt that the controller is scaled for: every value is off by the same factor.",
     "the resistor at the input, with the battery off", Size("input_ohm.{channel}", "Ω")),
    ("live_channel", "live data shows another channel", "live.{channel}",
     "Assign this input to this sensor in the controller, and check what used it before.",
     "the input assignment in the controller", Size("other_channel_v.{channel}", "V")),
    ("live_scaling", "scaling wrong in the controller", "live.{channel}",
     "Enter the curve of the sensor that is fitted; compare two points after.",
     "the curve entered in the controller against the sensor's data", Size("scale.{channel}", "× the right slope")),
    ("live_pegged", "live data stuck at its limit", "live.{channel}",
     "The volts are right but the value does not follow: check the value's source and limits in the controller.",
     "the limits and the source of the value in the controller", None),
)  # fmt: skip
_WHOLE = (
    (HEALTHY, "nothing wrong", "circuit", "none", "Nothing.", "nothing", None),
    ("reference_signal_crossed", "reference and signal swapped in the plug", "connector", "cross",
     "Move the two pins to their own cavities, battery negative off.", "the cavities against the wiring diagram", None),
    ("return_signal_crossed", "return and signal swapped in the plug", "connector", "cross",
     "Move the two pins to their own cavities, battery negative off.", "the cavities against the wiring diagram", None),
    ("reference_return_crossed", "reference and return swapped in the plug", "connector", "cross",
     "Move the two pins to their own cavities, battery negative off. The sensor may have been harmed: test it after.",
     "the cavities against the wiring diagram", None),
    ("return_on_body", "return taken to the body, with an offset", "return wire", "wire.return",
     "Take the return to the controller's sensor ground; the body's offset is an error in every reading.",
     "where the return wire ends", Size("body_v", "V")),
    ("sharer_short", "reference pulled down by another sensor on it", "reference, other sensors", "feed",
     "Unplug the other sensors one at a time; the voltage comes back when the bad one is off.",
     "the other sensors on this reference, one by one", Size("sharer_short_ohm", "Ω")),
    ("reference_wrong", "reference dead or out of range at the controller", "controller", "feed",
     "Check the controller's supply and grounds; with those good, the regulator has failed.",
     "the reference at the controller's own pin", Size("supply_v", "V")),
    ("controller_off", "controller unpowered", "controller", "controller",
     "Check its fuse, its switched feed and its power grounds.", "volts and grounds at the controller's connector", None),
    ("sensor_low", "sensor dead low", "sensor", "sensor", "Wiring is good: replace the sensor.",
     "the sensor on a bench supply, or a known good one in its place", None),
    ("sensor_short", "sensor shorted inside, so that it pulls its supply down", "sensor", "sensor",
     "Wiring is good: the supply comes back when this sensor is unplugged. Replace it.",
     "ohms of the loose sensor from its supply to its return", Size("sensor_ohm", "Ω")),
    ("sensor_high", "sensor stuck high", "sensor", "sensor", "Wiring is good: replace the sensor.",
     "the sensor on a bench supply, or a known good one in its place", None),
    ("sensor_stuck", "sensor stuck in mid range", "sensor", "sensor", "Check its port or linkage, then replace the sensor.",
     "the port or linkage, then a known good sensor", Size("stuck_at", "% of its supply", 100)),
    ("sensor_offset", "sensor offset: reads a constant amount too high or low", "sensor", "sensor",
     "Check how it is mounted or indexed and its zero; then replace it or correct its curve.",
     "a third known point", Size("offset", "% of its supply", 100)),
    ("sensor_gain", "sensor's slope wrong", "sensor", "sensor", "Replace the sensor, or enter its measured curve.",
     "a third known point", Size("gain", "% of slope", 100, -1.0)),
    ("sensor_range", "a sensor of another range is fitted", "sensor", "sensor",
     "Compare the part number with the sensor data; fit the right one, or enter its curve.", "the part number on the sensor",
     Size("range_span", "× the span in its data")),
    ("output_scaling", "output set to another scale", "controller's output", "sensor",
     "Set the output's volts and range in the controller that makes it as the circuit data say.",
     "the output's settings in the controller that makes it", Size("range_span", "× the span in its data")),
    ("loop_low", "sensor lets no current through, or says by too little that it has failed", "sensor", "sensor",
     "Wiring is good: replace the sensor.", "a known good sensor in its place", Size("stuck_ma", "mA")),
    ("loop_high", "sensor says by too much current that it has failed", "sensor", "sensor",
     "Check whether what it measures is beyond its range; then replace the sensor.", "a known good sensor in its place",
     Size("stuck_ma", "mA")),
    ("loop_short", "sensor shorted inside, so that the supply stands on the input", "sensor", "sensor",
     "Replace the sensor, then check the shunt: it carried far more than 20 mA.", "ohms of the loose sensor",
     Size("bypass_ohm", "Ω")),
    ("loop_stuck", "sensor's current stuck", "sensor", "sensor", "Check its port, then replace the sensor.",
     "the port, then a known good sensor", Size("stuck_ma", "mA")),
    ("loop_offset", "sensor's current off by a constant", "sensor", "sensor",
     "Check its zero; then replace it or correct its curve.", "a third known point", Size("offset_ma", "mA")),
    ("gauge_for_absolute", "a gauge sensor fitted where an absolute one belongs", "sensor", "sensor",
     "Fit an absolute sensor; an open port must read today's atmosphere.", "the part number on the sensor", None),
    ("signal_clamped", "signal held down by a voltage clamp", "signal wire", "clamp",
     "Find the clamp between sensor and controller and take it out.", "the harness for a device on the signal wire",
     Size("clamp_share", "% of the supply", 100)),
    ("thermistor_open", "thermistor open", "sensor", "sensor", "Replace the sensor.",
     "ohms across the loose sensor", None),
    ("thermistor_short", "thermistor shorted", "sensor", "sensor", "Replace the sensor.",
     "ohms across the loose sensor", Size("ntc_short_ohm", "Ω")),
    ("thermistor_curve", "a thermistor of another curve is fitted", "sensor", "sensor",
     "Compare the part number with the sensor data; fit the right one, or enter its curve.",
     "ohms of the loose sensor in ice water",
     Size("ntc_factor", "× the ohms in its data")),
    ("target_far", "target too far from the sensor", "sensor's mounting", "sensor",
     "Set the gap with a feeler gauge to the maker's figure.", "the gap, with a feeler gauge", None),
    ("frequency_wrong", "sensor's frequency off by a constant", "sensor", "sensor", "Replace the sensor.",
     "a sample of known content", Size("frequency_shift_hz", "Hz")),
    ("fuel_contaminated", "frequency above its range: contaminated fuel", "fuel", "sensor",
     "Draw a fuel sample and let it stand; water settles out.", "a fuel sample", Size("frequency_over_hz", "Hz")),
    ("contact_open", "contact never closes", "switch", "sensor", "Replace the switch, or set its actuator.",
     "ohms across the loose switch while it is worked", None),
    ("contact_closed", "contact never opens", "switch", "sensor", "Replace the switch, or set its actuator.",
     "ohms across the loose switch while it is worked", None),
    ("contact_resistance", "contact has resistance when closed", "switch", "sensor", "Replace the switch.",
     "ohms across the loose, closed switch", Size("contact_ohm", "Ω")),
    ("coil_open", "coil open", "sensor", "sensor", "Replace the sensor.", "ohms across the loose sensor", None),
    ("coil_turns", "coil has shorted turns", "sensor", "sensor", "Replace the sensor.",
     "ohms across the loose sensor against its data", Size("coil_ohm", "Ω left")),
    ("coil_reversed", "coil connected the wrong way round", "connector", "sensor",
     "Exchange the two wires at the sensor's connector, battery negative off.", "the two wires against the diagram", None),
    ("coil_leg_ground", "a leg of the coil touches its housing", "sensor", "leg", "Replace the sensor.",
     "ohms from each leg to the housing", None),
    ("gap_wide", "air gap too wide", "sensor's mounting", "gap",
     "Set the gap with a feeler gauge, the same at all points of the ring.", "the gap, with a feeler gauge", None),
    ("ring_uneven", "a tooth of the ring is damaged", "tone ring", "ring",
     "Turn the ring past the sensor and look at every tooth.",
     "every tooth of the ring", Size("uneven_pct", "% of a period")),
    ("ring_joints", "the split ring's joints are unequal", "tone ring", "ring",
     "Loosen the halves and set both joints to the same gap.", "the two joints of the ring", Size("uneven_pct", "% of a period")),
    ("shield_both_ends", "shield grounded at both ends", "shield", "shield",
     "Lift the shield at the sensor's end; drain it at the controller only.", "the shield's two ends", None),
    ("shield_nowhere", "shield grounded nowhere", "shield", "shield", "Drain the shield at the controller's end.",
     "the shield's two ends", None),
    ("pair_crossed", "thermocouple wires swapped", "connector", "cross",
     "Exchange the two wires; the colours differ by national standard, so go by the metal or by a heat test.",
     "which wire a magnet attracts, against the sensor's data", None),
    ("junction_open", "thermocouple open", "sensor", "sensor", "Replace the thermocouple.", "ohms across the loose sensor", None),
    ("junction_reversed", "thermocouple made the wrong way round", "sensor", "sensor",
     "Exchange the two legs at the sensor, or replace it.", "millivolts of the loose sensor while it is warmed", None),
    ("junction_kind", "a thermocouple of another kind is fitted", "sensor", "sensor",
     "Compare colours and part number with the sensor data, or set the controller to this kind.",
     "the part number and the colours",
     Size("kind", "× the millivolts in its data")),
    ("junction_grounded", "thermocouple touches its sheath", "sensor", "leg",
     "Replace it where the controller needs an insulated one.", "ohms from a leg to the sheath", None),
)  # fmt: skip


def _table() -> dict[str, FaultWords]:
    rows: dict[str, FaultWords] = {}
    for pin, wire in _WIRES.items():
        for kind, title, do, inspect, size in _AT_WIRE:
            at = None if size is None else Size(size.parameter.format(pin=pin), size.unit)
            rows[f"{pin}_{kind}"] = FaultWords(
                code=f"{pin}_{kind}",
                title=title.format(wire=wire),
                where=wire,
                place=f"wire.{pin}",
                do=do,
                inspect=inspect.format(wire=wire),
                size=at,
            )
    for channel in _CHANNELS:
        for kind, title, place, do, inspect, size in _AT_CHANNEL:
            at = None if size is None else Size(size.parameter.format(channel=channel), size.unit)
            where = f"controller, {channel} input"
            code = f"{channel}_{kind}"
            rows[code] = FaultWords(
                code=code,
                title=title.format(channel=channel),
                where=where,
                place=place.format(channel=channel),
                do=do,
                inspect=inspect,
                size=at,
            )
    whole = (
        FaultWords(code=code, title=title, where=where, place=place, do=do, inspect=inspect, size=size)
        for code, title, where, place, do, inspect, size in _WHOLE
    )
    return rows | {words.code: words for words in whole}


FAULT_WORDS = _table()


@lru_cache(maxsize=1024)
def words_of(fault: str) -> tuple[FaultWords, ...]:
    """The words of a fault, or of both where two are joined."""
    return tuple(FAULT_WORDS[code] for code in fault.split(DOUBLE_JOIN))


def may_stand_together(first: str, second: str) -> bool:
    """True for two faults that a circuit can have at once and that do not change the same thing."""
    a, b = FAULT_WORDS[first], FAULT_WORDS[second]
    alone = {"none", "controller"}
    return a.place != b.place and not {a.place, b.place} & alone


def splitting_inspection(faults: Sequence[str]) -> str:
    """What to look at to tell faults apart that no reading separates."""
    looks = dict.fromkeys(w.inspect for fault in faults for w in words_of(fault) if w.code != HEALTHY)
    return "; ".join(looks)
