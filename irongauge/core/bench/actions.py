"""What a technician can do to a circuit, as a table: the vocabulary of readings.

Each action says what kind of answer it gives, the vehicle state it needs, what is physically possible, how it is asked
for, and the cautions that must stand beside it. Which of them a circuit needs, and in which order, is in `sequence`.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Limits, VehicleState
from irongauge.core.measure.units import Quantity
from irongauge.core.sensors.live_reader import Shown

__all__ = ["ACTIONS", "Action", "ActionSpec", "AnswerKind", "Lead", "Probe"]


class Action(StrEnum):
    """The actions, by the names that links, files and programs use."""

    BATTERY_V = "battery_v"
    BATTERY_LAMP = "battery_lamp"
    OPEN_V = "open_v"
    LAMP_NEGATIVE = "lamp_negative"
    LAMP_NEGATIVE_V = "lamp_negative_v"
    LAMP_POSITIVE = "lamp_positive"
    LIVE_LAMP_POSITIVE_V = "live_lamp_positive_v"
    LIVE_JUMPED_V = "live_jumped_v"
    MATED_V = "mated_v"
    LIVE_V = "live_v"
    LIVE_VALUE = "live_value"
    OFF_OHM = "off_ohm"
    SHARERS_OFF_V = "sharers_off_v"
    LIVE_UNPLUGGED_V = "live_unplugged_v"
    LIVE_GROUNDED_V = "live_grounded_v"
    SENSOR_OHM = "sensor_ohm"
    TURNING_LOW_V = "turning_low_v"
    TURNING_HIGH_V = "turning_high_v"
    FREQUENCY_HZ = "frequency_hz"
    PULSE_MS = "pulse_ms"
    LIVE_HZ = "live_hz"
    LIVE_RUNNING_VALUE = "live_running_value"
    COIL_OHM = "coil_ohm"
    LEG_OHM = "leg_ohm"
    AC_LOOSE_V = "ac_loose_v"
    AC_MATED_V = "ac_mated_v"
    POLARITY = "polarity"
    COUNTED = "counted"
    RING_PLACES = "ring_places"
    RING_UNEVEN_PCT = "ring_uneven_pct"
    LOOP_OHM = "loop_ohm"
    THERMO_V = "thermo_v"
    WIRE_OHM = "wire_ohm"
    LIVE_JUMPED_VALUE = "live_jumped_value"
    LIVE_UNPLUGGED_VALUE = "live_unplugged_value"
    LIVE_LAMP_POSITIVE_VALUE = "live_lamp_positive_value"
    LIVE_JUMPED_RETURN_VALUE = "live_jumped_return_value"
    WAY_V = "way_v"
    LOOP_MA = "loop_ma"
    LIVE_KILOHM_V = "live_kilohm_v"
    LIVE_KILOHM_VALUE = "live_kilohm_value"
    SHIELD_OHM = "shield_ohm"
    SHIELD_LIFTED_OHM = "shield_lifted_ohm"


class AnswerKind(StrEnum):
    """What the technician gives back."""

    VOLTS = "volts"
    OHMS = "ohms"
    GLOW = "glow"
    VALUE = "value"
    HERTZ = "hertz"
    MILLISECONDS = "milliseconds"
    PERCENT = "percent"
    MILLIAMPS = "milliamps"
    WORD = "word"


class Probe(StrEnum):
    """What touches the circuit."""

    METER = "meter"
    LAMP = "lamp"
    JUMPER = "jumper"
    RESISTOR = "resistor"
    SCREEN = "live data"
    SCOPE = "scope"


class Lead(StrEnum):
    """Where the other end of the probe goes."""

    BATTERY_NEGATIVE = "battery negative"
    BATTERY_POSITIVE = "battery positive"
    RETURN_PIN = "return pin"
    OTHER_PIN = "the other pin"
    SHIELD = "shield"


@dataclass(frozen=True, kw_only=True)
class ActionSpec:
    """One row of the table. `{pin}` in `ask` is filled with the pin's name; `possible` is in the fixed unit.

    `possible` is in multiples of the system voltage where `per_system_v` is set. `role_point`, `check_state` and `part` say
    which check of the diagnosis this is and which part of its answer; without a `check_state` it is the stimulus's.
    `words` are the answers of an action that is answered in words, each with the key that gives it on the Bench.
    """

    action: Action
    title: str
    ask: str
    answer: AnswerKind
    state: VehicleState
    probe: Probe
    lead: Lead
    plugged_in: bool
    possible: Limits | None = None
    per_system_v: bool = False
    impossible: str = ""
    cautions: tuple[str, ...] = ()
    role_point: str = ""
    check_state: str = ""
    part: str = "v"
    words: tuple[tuple[str, str], ...] = ()

    @property
    def reads_meter(self) -> bool:
        """True when the answer is read off a meter, whose accuracy then counts; a glow and live data are not."""
        of_meter = {AnswerKind.VOLTS, AnswerKind.OHMS, AnswerKind.MILLIAMPS}
        at_a_pin = self.probe in {Probe.METER, Probe.LAMP} and self.answer in of_meter
        return at_a_pin and self.action is not Action.LIVE_LAMP_POSITIVE_V

    @property
    def is_alternating(self) -> bool:
        """True where the meter stands on alternating volts."""
        return self.action in {Action.AC_LOOSE_V, Action.AC_MATED_V}

    @property
    def tells_faults_apart(self) -> bool:
        """True when the circuit's faults differ in it; the proofs of meter and lamp say nothing of the circuit."""
        return bool(self.role_point) and self.role_point != "battery_v"

    @property
    def from_live_data(self) -> bool:
        """True for a number that the controller shows, which may show nothing at all."""
        return self.role_point in {"live", "mated_live", "running_live"}

    @property
    def shown(self) -> Shown | None:
        """What of a channel the live data reader must show for this; None where it is read elsewhere."""
        if not self.from_live_data and self.role_point != "counted":
            return None
        return Shown.VALUE if self.part == "value" else Shown.SIGNAL

    @property
    def quantity(self) -> Quantity | None:
        """Quantity of the answer; None for a glow, and for a value whose quantity is the sensor's."""
        return {
            AnswerKind.VOLTS: Quantity.VOLTAGE,
            AnswerKind.OHMS: Quantity.RESISTANCE,
            AnswerKind.HERTZ: Quantity.FREQUENCY,
            AnswerKind.MILLISECONDS: Quantity.DURATION,
            AnswerKind.PERCENT: Quantity.SHARE,
            AnswerKind.MILLIAMPS: Quantity.CURRENT,
        }.get(self.answer)


_YELLOW = "Never on a yellow airbag or belt connector, nor on an orange cable."
_LAMP = f"Lamp only where the circuit can carry its 0.12 A: never on a controller output or a data bus. {_YELLOW}"
_LAMP_POSITIVE = (
    "Battery positive must not touch a wire that may be the reference: it would lift every sensor on it to about 11 V. "
    + _LAMP
)
_OHMS = f"Battery negative off first; ohms on a live circuit read wrong and can harm the meter. {_YELLOW}"
_FITTING = "Let fuel, coolant or oil pressure down before a fitting is opened; keep hands clear of belts and fans."

_KILOHM = (
    "A resistor of 1 kΩ, half a watt or more, and nothing less: battery volts straight on the signal would burn the input's "
    "shunt."
)
_IN_SERIES = (
    "Meter leads in the mA sockets, and back to volts after: on mA it is a short to whatever it touches. Never across "
    "the supply."
)
_PIERCE = "Do not pierce insulation; slide the probe in beside the seal."
_JUMP = "Jump only signal to return. Never jump the reference to anything."
_TURN = "Keep hands, sleeves and leads clear of what turns; chock the wheels, and use a hoist or stands that are made for it."

_SWAPPED_LEADS = (
    "Less than 0 V against battery negative means swapped meter leads; nothing here can read above battery voltage."
)
_VOLTS = Limits(-0.1, 1.5)  # of the system's nominal volts: a charging 12 V battery stays below 18 V
_READ_LIVE = "Read the volts that live data shows for this channel."


def _live(
    action: Action,
    title: str,
    ask: str,
    state: str,
    *cautions: str,
    probe: Probe = Probe.SCREEN,
    lead: Lead = Lead.BATTERY_NEGATIVE,
) -> ActionSpec:
    """Volts of live data with the connector off."""
    return ActionSpec(
        action=action,
        title=title,
        ask=ask,
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=probe,
        lead=lead,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_READ_LIVE,
        cautions=cautions,
        role_point="live",
        check_state=state,
    )


def _ohms(
    action: Action, title: str, ask: str, role_point: str, state: str = "", *, lead: Lead = Lead.OTHER_PIN
) -> ActionSpec:
    """Ohms of the loose sensor, or of the harness with the battery off."""
    loose = lead is Lead.OTHER_PIN
    return ActionSpec(
        action=action,
        title=title,
        ask=ask,
        answer=AnswerKind.OHMS,
        state=VehicleState.KEY_OFF if loose else VehicleState.BATTERY_OFF,
        probe=Probe.METER,
        lead=lead,
        plugged_in=False,
        possible=Limits(0.0, 100e6),
        impossible="Ohms cannot be negative: zero the leads.",
        cautions=() if loose else (_OHMS,),
        role_point=role_point,
        check_state=state,
        part="ohm",
    )


def _turning(
    action: Action,
    title: str,
    ask: str,
    *,
    answer: AnswerKind,
    role_point: str,
    part: str,
    possible: Limits,
    plugged_in: bool,
) -> ActionSpec:
    """What a meter or a scope shows while the shaft or the fuel makes the sensor work."""
    probe = Probe.SCOPE if answer is not AnswerKind.VOLTS else Probe.METER
    return ActionSpec(
        action=action,
        title=title,
        ask=ask,
        answer=answer,
        state=VehicleState.KEY_ON,
        probe=probe,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=plugged_in,
        possible=possible,
        per_system_v=answer is AnswerKind.VOLTS,
        impossible="Check the range and what the probe is on.",
        cautions=(_TURN,),
        role_point=role_point,
        part=part,
    )


def _word(action: Action, title: str, ask: str, role_point: str, part: str, *words: tuple[str, str]) -> ActionSpec:
    """An answer in a word."""
    probe = {"polarity": Probe.METER, "ring": Probe.SCOPE}.get(role_point, Probe.SCREEN)
    state = VehicleState.KEY_OFF if role_point == "polarity" else VehicleState.KEY_ON
    return ActionSpec(
        action=action,
        title=title,
        ask=ask,
        answer=AnswerKind.WORD,
        state=state,
        probe=probe,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=role_point == "counted",
        cautions=() if role_point == "polarity" else (_TURN,),
        role_point=role_point,
        part=part,
        words=words,
    )


def _value(
    action: Action,
    title: str,
    ask: str,
    role_point: str,
    state: str,
    *cautions: str,
    plugged_in: bool = False,
    probe: Probe = Probe.SCREEN,
    lead: Lead = Lead.BATTERY_NEGATIVE,
) -> ActionSpec:
    """The value that live data shows."""
    return ActionSpec(
        action=action,
        title=title,
        ask=ask,
        answer=AnswerKind.VALUE,
        state=VehicleState.KEY_ON,
        probe=probe,
        lead=lead,
        plugged_in=plugged_in,
        cautions=cautions,
        role_point=role_point,
        check_state=state,
        part="value",
    )


_MORE = (
    _live(Action.LIVE_UNPLUGGED_V, "Live data unplugged", "Connector off: what volts does live data show for {pin}?",
          "unplugged"),
    _live(Action.LIVE_GROUNDED_V, "Live data with the signal grounded",
          "Jump {pin} to battery negative: what volts does live data show for this channel?", "jumped_battery",
          "Jump only the signal. Never jump the reference to anything.", probe=Probe.JUMPER),
    _ohms(Action.SENSOR_OHM, "Ohms of the loose sensor", "Sensor in the hand: ohms from {pin} to its return pin.", "sensor_ohm"),
    _turning(Action.TURNING_LOW_V, "Least volts while turning", "Target turning past it: the least volts on {pin}.",
             answer=AnswerKind.VOLTS, role_point="rotating", part="vlow", possible=_VOLTS, plugged_in=True),
    _turning(Action.TURNING_HIGH_V, "Greatest volts while turning", "Target turning past it: the greatest volts on {pin}.",
             answer=AnswerKind.VOLTS, role_point="rotating", part="vhigh", possible=_VOLTS, plugged_in=True),
    _turning(Action.FREQUENCY_HZ, "Frequency at the pin", "Connector on: the frequency on {pin}; 0 when it stands still.",
             answer=AnswerKind.HERTZ, role_point="running", part="hz", possible=Limits(0, 5000), plugged_in=True),
    _turning(Action.PULSE_MS, "Pulse width at the pin", "Connector on: the width of the low pulse on {pin}; 0 for none.",
             answer=AnswerKind.MILLISECONDS, role_point="running", part="pulse_ms", possible=Limits(0, 1000), plugged_in=True),
    _turning(Action.LIVE_HZ, "Live data frequency", "What frequency does live data show for this channel?",
             answer=AnswerKind.HERTZ, role_point="running_live", part="hz", possible=Limits(0, 5000), plugged_in=True),
    _value(Action.LIVE_RUNNING_VALUE, "Live data value", "What value does live data show for this sensor?",
           "running_live", "", _TURN, plugged_in=True),
    _ohms(Action.COIL_OHM, "Ohms of the coil", "Sensor in the hand: ohms between its two pins.", "coil_ohm"),
    _ohms(Action.LEG_OHM, "Ohms from a leg to the housing", "Sensor in the hand: ohms from {pin} to its metal housing.",
          "leg_ohm"),
    _turning(Action.AC_LOOSE_V, "AC volts, unplugged", "Turning at the stated speed: AC volts across the loose sensor.",
             answer=AnswerKind.VOLTS, role_point="ac_loose", part="vac", possible=Limits(0, 10), plugged_in=False),
    _turning(Action.AC_MATED_V, "AC volts, plugged in", "Turning at the stated speed: AC volts from {pin} to the other leg.",
             answer=AnswerKind.VOLTS, role_point="ac_mated", part="vac", possible=Limits(0, 10), plugged_in=True),
    _word(Action.POLARITY, "Kick when iron comes near",
          "Meter plus on the plus leg: which way does it kick when iron comes near?",
          "polarity", "polarity", ("+", "p"), ("-", "m"), ("none", "n")),
    _word(Action.COUNTED, "What the controller counts", "Turning: what does the controller show for this channel?",
          "counted", "status", ("ok", "o"), ("no signal", "n"), ("no contact", "x")),
    _word(Action.RING_PLACES, "Odd places on the ring", "On a scope, over one turn: in how many places is the spacing odd?",
          "ring", "places", ("none", "0"), ("one", "1"), ("two", "2")),
    _turning(Action.RING_UNEVEN_PCT, "How odd they are", "By how much does the oddest spacing differ from the others?",
             answer=AnswerKind.PERCENT, role_point="ring", part="uneven_pct", possible=Limits(0, 200), plugged_in=False),
    _ohms(Action.LOOP_OHM, "Ohms of the thermocouple", "Sensor in the hand: ohms between its two pins.", "loop_ohm"),
    ActionSpec(action=Action.THERMO_V, title="Millivolts of the thermocouple",
               ask="Sensor in the hand: volts between its pins, plus lead on {pin}.",
               answer=AnswerKind.VOLTS, state=VehicleState.KEY_OFF, probe=Probe.METER, lead=Lead.OTHER_PIN, plugged_in=False,
               possible=Limits(-0.01, 0.01), per_system_v=True,
               impossible="A thermocouple gives some millivolts: type 2.1mV.",
               cautions=("Exhaust parts burn: let nothing hot touch hands or wires.",), role_point="thermo_mv",
               part="mv"),
    _ohms(Action.WIRE_OHM, "Ohms of a wire, end to end", "Battery negative off: ohms of the wire of {pin} from end to end.",
          "wire_ohm", lead=Lead.BATTERY_NEGATIVE),
    _value(Action.LIVE_JUMPED_VALUE, "Live data with the pair jumped",
           "Jump the two harness pins: what temperature does live data show?", "live", "jumped_pair"),
    _value(Action.LIVE_UNPLUGGED_VALUE, "Live data value unplugged",
           "Connector off: what value does live data show for this channel?", "live", "unplugged"),
    ActionSpec(action=Action.WAY_V, title="Volts on the way",
               ask="Everything plugged in. Probe the wire of {pin} at {place} from the back, to battery negative.",
               answer=AnswerKind.VOLTS, state=VehicleState.KEY_ON, probe=Probe.METER, lead=Lead.BATTERY_NEGATIVE, plugged_in=True,
               possible=_VOLTS, per_system_v=True, impossible=_SWAPPED_LEADS, cautions=(_PIERCE,), role_point="way_v"),
    ActionSpec(action=Action.LOOP_MA, title="Current in the loop",
               ask="Connector on, the supply lead opened and the meter on mA in it: the current.",
               answer=AnswerKind.MILLIAMPS, state=VehicleState.KEY_ON, probe=Probe.METER, lead=Lead.OTHER_PIN, plugged_in=True,
               possible=Limits(-0.5, 500.0), impossible="A loop carries 4 to 20 mA: type 12.4 mA, or 0.0124 A.",
               cautions=(_IN_SERIES,), role_point="loop_ma", part="ma"),
    _live(Action.LIVE_KILOHM_V, "Live data with 1 kΩ in the sensor's place",
          "Connector off, 1 kΩ from {pin} to the supply pin: what volts does live data show for this channel?", "kilohm",
          _KILOHM, probe=Probe.RESISTOR, lead=Lead.OTHER_PIN),
    _value(Action.LIVE_KILOHM_VALUE, "Live data value with 1 kΩ in the sensor's place",
           "Connector off, 1 kΩ from {pin} to the supply pin: what value does live data show for this channel?", "live",
           "kilohm", _KILOHM, probe=Probe.RESISTOR, lead=Lead.OTHER_PIN),
    _value(Action.LIVE_LAMP_POSITIVE_VALUE, "Live data value with the lamp on the signal",
           "Lamp from battery positive on {pin}: what value does live data show for this channel?", "live",
           "lamp_positive", _LAMP_POSITIVE, probe=Probe.LAMP, lead=Lead.BATTERY_POSITIVE),
    _value(Action.LIVE_JUMPED_RETURN_VALUE, "Live data value with the signal jumped to the return",
           "Jump {pin} to the return pin in the harness: what value does live data show for this channel?", "live",
           "jumped_return", _JUMP, probe=Probe.JUMPER, lead=Lead.RETURN_PIN),
    _ohms(Action.SHIELD_OHM, "Ohms of the shield to ground", "Battery negative off: ohms from the shield to battery negative.",
          "shield_ohm", "as_wired", lead=Lead.SHIELD),
    _ohms(Action.SHIELD_LIFTED_OHM, "Ohms of the lifted shield",
          "Lift the drain at the controller: ohms from the shield to battery negative.", "shield_ohm", "lifted",
          lead=Lead.SHIELD),
)  # fmt: skip


_TABLE = (
    ActionSpec(
        action=Action.BATTERY_V,
        title="Meter on the battery",
        ask="Put the meter across the battery. What does it show?",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.METER,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=Limits(0.0, 1.5),
        per_system_v=True,
        impossible="Swap the leads if the meter shows a negative voltage; else check its range.",
        cautions=("Keep metal tools off the battery posts.",),
        role_point="battery_v",
    ),
    ActionSpec(
        action=Action.BATTERY_LAMP,
        title="Lamp on the battery",
        ask="Put the test lamp across the battery. How does it glow?",
        answer=AnswerKind.GLOW,
        state=VehicleState.KEY_ON,
        probe=Probe.LAMP,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
    ),
    ActionSpec(
        action=Action.OPEN_V,
        title="Unplugged volts",
        ask="Connector off. Measure {pin} to battery negative.",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.METER,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        role_point="open_v",
    ),
    ActionSpec(
        action=Action.LAMP_NEGATIVE,
        title="Lamp from battery negative",
        ask="Lamp from battery negative to {pin}. How does it glow?",
        answer=AnswerKind.GLOW,
        state=VehicleState.KEY_ON,
        probe=Probe.LAMP,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        cautions=(_LAMP,),
        role_point="lamp_negative",
        part="glow",
    ),
    ActionSpec(
        action=Action.LAMP_NEGATIVE_V,
        title="Volts under the lamp",
        ask="Lamp still on {pin}: measure that pin to battery negative.",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.LAMP,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        cautions=(_LAMP,),
        role_point="lamp_negative",
    ),
    ActionSpec(
        action=Action.LAMP_POSITIVE,
        title="Lamp from battery positive",
        ask="Lamp from battery positive to {pin}. How does it glow?",
        answer=AnswerKind.GLOW,
        state=VehicleState.KEY_ON,
        probe=Probe.LAMP,
        lead=Lead.BATTERY_POSITIVE,
        plugged_in=False,
        cautions=(_LAMP_POSITIVE,),
        role_point="lamp_positive",
        part="glow",
    ),
    _live(
        Action.LIVE_LAMP_POSITIVE_V,
        "Live data with the lamp on the signal",
        "Lamp from battery positive on {pin}: what volts does live data show for this channel?",
        "lamp_positive",
        _LAMP_POSITIVE,
        probe=Probe.LAMP,
        lead=Lead.BATTERY_POSITIVE,
    ),
    _live(
        Action.LIVE_JUMPED_V,
        "Live data with the signal jumped to the return",
        "Jump {pin} to the return pin in the harness: what volts does live data show for this channel?",
        "jumped_return",
        _JUMP,
        probe=Probe.JUMPER,
        lead=Lead.RETURN_PIN,
    ),
    ActionSpec(
        action=Action.MATED_V,
        title="Plugged-in volts",
        ask="Connector on. Probe {pin} from the back, to battery negative.",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.METER,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        cautions=(_PIERCE,),
        role_point="mated_v",
    ),
    ActionSpec(
        action=Action.LIVE_V,
        title="Live data volts",
        ask="What volts does live data show for this channel?",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.SCREEN,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_READ_LIVE,
        cautions=(_FITTING,),
        role_point="mated_live",
    ),
    ActionSpec(
        action=Action.LIVE_VALUE,
        title="Live data value",
        ask="What value does live data show for this sensor?",
        answer=AnswerKind.VALUE,
        state=VehicleState.KEY_ON,
        probe=Probe.SCREEN,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        cautions=(_FITTING,),
        role_point="mated_live",
        part="value",
    ),
    ActionSpec(
        action=Action.OFF_OHM,
        title="Ohms with the battery off",
        ask="Battery negative off, connector off. Measure ohms from {pin} to the battery negative cable.",
        answer=AnswerKind.OHMS,
        state=VehicleState.BATTERY_OFF,
        probe=Probe.METER,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=Limits(0.0, 100e6),
        impossible="Ohms cannot be negative: there is still voltage on the wire, or the leads need zeroing.",
        cautions=(_OHMS,),
        role_point="off_ohm",
        part="ohm",
    ),
    ActionSpec(
        action=Action.SHARERS_OFF_V,
        title="Reference with the other sensors unplugged",
        ask="Unplug every other sensor on this reference. Measure {pin} to battery negative.",
        answer=AnswerKind.VOLTS,
        state=VehicleState.KEY_ON,
        probe=Probe.METER,
        lead=Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        role_point="sharers_off_v",
    ),
    *_MORE,
)
ACTIONS = {spec.action: spec for spec in _TABLE}
