"""What a technician can do to a circuit, as a table: the vocabulary of readings.

Each action says what kind of answer it gives, the vehicle state it needs, what is physically possible, how it is asked
for, and the cautions that must stand beside it. Which of them a circuit needs, and in which order, is in `sequence`.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Limits, VehicleState
from irongauge.core.measure.units import Quantity

__all__ = ["ACTIONS", "Action", "ActionSpec", "Answer", "Lead", "Probe"]


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
    SHIELD_OHM = "shield_ohm"
    SHIELD_LIFTED_OHM = "shield_lifted_ohm"


class Answer(StrEnum):
    """What the technician gives back."""

    VOLTS = "volts"
    OHMS = "ohms"
    GLOW = "glow"
    VALUE = "value"
    HERTZ = "hertz"
    MILLISECONDS = "milliseconds"
    PERCENT = "percent"
    WORD = "word"


class Probe(StrEnum):
    """What touches the circuit."""

    METER = "meter"
    LAMP = "lamp"
    JUMPER = "jumper"
    SCREEN = "live data"
    SCOPE = "scope"


class Lead(StrEnum):
    """Where the other end of the probe goes."""

    BATTERY_NEGATIVE = "battery negative"
    BATTERY_POSITIVE = "battery positive"
    RETURN_PIN = "return pin"
    OTHER_PIN = "the other pin"
    SHIELD = "shield"


@dataclass(frozen=True)
class ActionSpec:
    """One row of the table. `{pin}` in `ask` is filled with the pin's name; `possible` is in the fixed unit.

    `possible` is in multiples of the system voltage where `per_system_v` is set. `check`, `check_state` and `part` say
    which check of the diagnosis this is and which part of its answer; without a `check_state` it is the stimulus's.
    `words` are the answers of an action that is answered in words, each with the key that gives it on the Bench.
    """

    action: Action
    title: str
    ask: str
    answer: Answer
    state: VehicleState
    probe: Probe
    lead: Lead
    plugged_in: bool
    possible: Limits | None = None
    per_system_v: bool = False
    impossible: str = ""
    cautions: tuple[str, ...] = ()
    check: str = ""
    check_state: str = ""
    part: str = "v"
    words: tuple[tuple[str, str], ...] = ()

    @property
    def reads_meter(self) -> bool:
        """True when the answer is read off a meter, whose accuracy then counts; a glow and live data are not."""
        at_a_pin = self.probe in {Probe.METER, Probe.LAMP} and self.answer in {Answer.VOLTS, Answer.OHMS}
        return at_a_pin and self.action is not Action.LIVE_LAMP_POSITIVE_V

    @property
    def tells_faults_apart(self) -> bool:
        """True when the circuit's faults differ in it; the proofs of meter and lamp say nothing of the circuit."""
        return bool(self.check) and self.check != "battery_v"

    @property
    def from_live_data(self) -> bool:
        """True for a number that the controller shows, which may show nothing at all."""
        return self.check in {"live", "mated_live", "running_live"}

    @property
    def quantity(self) -> Quantity | None:
        """Quantity of the answer; None for a glow, and for a value whose quantity is the sensor's."""
        return {
            Answer.VOLTS: Quantity.VOLTAGE,
            Answer.OHMS: Quantity.RESISTANCE,
            Answer.HERTZ: Quantity.FREQUENCY,
            Answer.MILLISECONDS: Quantity.DURATION,
            Answer.PERCENT: Quantity.SHARE,
        }.get(self.answer)


_YELLOW = "Never on a yellow airbag or belt connector, nor on an orange cable."
_LAMP = f"Lamp only where the circuit can carry its 0.12 A: never on a controller output or a data bus. {_YELLOW}"
_LAMP_POSITIVE = (
    "Battery positive must not touch a wire that may be the reference: it would lift every sensor on it to about 11 V. "
    + _LAMP
)
_OHMS = f"Battery negative off first; ohms on a live circuit read wrong and can harm the meter. {_YELLOW}"
_FITTING = "Let fuel, coolant or oil pressure down before a fitting is opened; keep hands clear of belts and fans."

_TURN = "Keep hands, sleeves and leads clear of what turns; chock the wheels, and use a hoist or stands that are made for it."

_SWAPPED_LEADS = (
    "Less than 0 V against battery negative means swapped meter leads; more than the battery has is not there."
)
_VOLTS = Limits(-0.1, 1.5)  # of the system's nominal volts: a charging 12 V battery stays below 18 V


def _live(action: Action, title: str, ask: str, state: str, *cautions: str, probe: Probe = Probe.SCREEN) -> ActionSpec:
    """Volts of live data with the connector off."""
    lead = Lead.BATTERY_NEGATIVE
    return ActionSpec(action, title, ask, Answer.VOLTS, VehicleState.KEY_ON, probe, lead, plugged_in=False,
                      possible=Limits(-0.1, 1.5), per_system_v=True,
                      impossible="Read the volts that live data shows for this channel.", cautions=cautions,
                      check="live", check_state=state)  # fmt: skip


def _ohms(  # noqa: PLR0913  the columns of the table
    action: Action, title: str, ask: str, check: str, state: str = "", *, lead: Lead = Lead.OTHER_PIN
) -> ActionSpec:
    """Ohms of the loose sensor, or of the harness with the battery off."""
    loose = lead is Lead.OTHER_PIN
    return ActionSpec(action, title, ask, Answer.OHMS, VehicleState.KEY_OFF if loose else VehicleState.BATTERY_OFF,
                      Probe.METER, lead, plugged_in=False, possible=Limits(0.0, 100e6),
                      impossible="Ohms cannot be less than nothing: zero the leads.",
                      cautions=() if loose else (_OHMS,), check=check, check_state=state, part="ohm")  # fmt: skip


def _turning(  # noqa: PLR0913  the columns of the table
    action: Action, title: str, ask: str, answer: Answer, check: str, part: str, possible: Limits, *, plugged_in: bool
) -> ActionSpec:
    """What a meter or a scope shows while the shaft or the fuel makes the sensor work."""
    probe = Probe.SCOPE if answer is not Answer.VOLTS else Probe.METER
    return ActionSpec(action, title, ask, answer, VehicleState.KEY_ON, probe, Lead.BATTERY_NEGATIVE,
                      plugged_in=plugged_in, possible=possible, per_system_v=answer is Answer.VOLTS,
                      impossible="Check the range and what the probe is on.", cautions=(_TURN,), check=check,
                      part=part)  # fmt: skip


def _word(action: Action, title: str, ask: str, check: str, part: str, *words: tuple[str, str]) -> ActionSpec:
    """An answer in a word."""
    probe = {"polarity": Probe.METER, "ring": Probe.SCOPE}.get(check, Probe.SCREEN)
    state = VehicleState.KEY_OFF if check == "polarity" else VehicleState.KEY_ON
    return ActionSpec(action, title, ask, Answer.WORD, state, probe, Lead.BATTERY_NEGATIVE, plugged_in=check == "counted",
                      cautions=() if check == "polarity" else (_TURN,), check=check, part=part, words=words)  # fmt: skip


def _value(  # noqa: PLR0913  the columns of the table
    action: Action, title: str, ask: str, check: str, state: str, *, plugged_in: bool
) -> ActionSpec:
    """The value that live data shows."""
    return ActionSpec(action, title, ask, Answer.VALUE, VehicleState.KEY_ON, Probe.SCREEN, Lead.BATTERY_NEGATIVE,
                      plugged_in=plugged_in, check=check, check_state=state, part="value")  # fmt: skip


_MORE = (
    _live(Action.LIVE_UNPLUGGED_V, "Live data unplugged", "Connector off: what volts does live data show for {pin}?",
          "unplugged"),
    _live(Action.LIVE_GROUNDED_V, "Live data with the signal grounded",
          "Jump {pin} to battery negative: what volts does live data show for this channel?", "jumped_battery",
          "Jump only the signal. Never jump the reference to anything.", probe=Probe.JUMPER),
    _ohms(Action.SENSOR_OHM, "Ohms of the loose sensor", "Sensor in the hand: ohms from {pin} to its return pin.", "sensor_ohm"),
    _turning(Action.TURNING_LOW_V, "Least volts while turning", "Target turning past it: the least volts on {pin}.",
             Answer.VOLTS, "rotating", "vlow", Limits(-0.1, 1.5), plugged_in=True),
    _turning(Action.TURNING_HIGH_V, "Greatest volts while turning", "Target turning past it: the greatest volts on {pin}.",
             Answer.VOLTS, "rotating", "vhigh", Limits(-0.1, 1.5), plugged_in=True),
    _turning(Action.FREQUENCY_HZ, "Frequency at the pin", "Connector on: the frequency on {pin}; 0 when it stands still.",
             Answer.HERTZ, "running", "hz", Limits(0, 5000), plugged_in=True),
    _turning(Action.PULSE_MS, "Pulse width at the pin", "Connector on: the width of the low pulse on {pin}; 0 for none.",
             Answer.MILLISECONDS, "running", "pulse_ms", Limits(0, 1000), plugged_in=True),
    _turning(Action.LIVE_HZ, "Live data frequency", "What frequency does live data show for this channel?",
             Answer.HERTZ, "running_live", "hz", Limits(0, 5000), plugged_in=True),
    _value(Action.LIVE_RUNNING_VALUE, "Live data value", "What value does live data show for this sensor?",
           "running_live", "", plugged_in=True),
    _ohms(Action.COIL_OHM, "Ohms of the coil", "Sensor in the hand: ohms between its two pins.", "coil_ohm"),
    _ohms(Action.LEG_OHM, "Ohms from a leg to the housing", "Sensor in the hand: ohms from {pin} to its metal housing.",
          "leg_ohm"),
    _turning(Action.AC_LOOSE_V, "AC volts, unplugged", "Turning at the stated speed: AC volts across the loose sensor.",
             Answer.VOLTS, "ac_loose", "vac", Limits(0, 10), plugged_in=False),
    _turning(Action.AC_MATED_V, "AC volts, plugged in", "Turning at the stated speed: AC volts from {pin} to the other leg.",
             Answer.VOLTS, "ac_mated", "vac", Limits(0, 10), plugged_in=True),
    _word(Action.POLARITY, "Kick when iron comes near",
          "Meter plus on the plus leg: which way does it kick when iron comes near?",
          "polarity", "polarity", ("+", "p"), ("-", "m"), ("none", "n")),
    _word(Action.COUNTED, "What the controller counts", "Turning: what does the controller say of this channel?",
          "counted", "status", ("ok", "o"), ("no signal", "n"), ("no contact", "x")),
    _word(Action.RING_PLACES, "Odd places on the ring", "On a scope, over one turn: in how many places is the spacing odd?",
          "ring", "places", ("none", "0"), ("one", "1"), ("two", "2")),
    _turning(Action.RING_UNEVEN_PCT, "How odd they are", "By how much does the oddest spacing differ from the others?",
             Answer.PERCENT, "ring", "uneven_pct", Limits(0, 200), plugged_in=False),
    _ohms(Action.LOOP_OHM, "Ohms of the thermocouple", "Sensor in the hand: ohms between its two pins.", "loop_ohm"),
    ActionSpec(Action.THERMO_V, "Millivolts of the thermocouple",
               "Sensor in the hand: volts between its pins, plus lead on {pin}.",
               Answer.VOLTS, VehicleState.KEY_OFF, Probe.METER, Lead.OTHER_PIN, plugged_in=False,
               possible=Limits(-0.01, 0.01), per_system_v=True,
               impossible="A thermocouple gives some millivolts: type 2.1mV.",
               cautions=("Exhaust parts burn: let nothing hot touch hands or wires.",), check="thermo_mv",
               part="mv"),
    _ohms(Action.WIRE_OHM, "Ohms of a wire, end to end", "Battery negative off: ohms of the wire of {pin} from end to end.",
          "wire_ohm", lead=Lead.BATTERY_NEGATIVE),
    _value(Action.LIVE_JUMPED_VALUE, "Live data with the pair jumped",
           "Jump the two harness pins: what temperature does live data show?", "live", "jumped_pair", plugged_in=False),
    _value(Action.LIVE_UNPLUGGED_VALUE, "Live data unplugged", "Connector off: what temperature does live data show?",
           "live", "unplugged", plugged_in=False),
    _ohms(Action.SHIELD_OHM, "Ohms of the shield to ground", "Battery negative off: ohms from the shield to battery negative.",
          "shield_ohm", "as_wired", lead=Lead.SHIELD),
    _ohms(Action.SHIELD_LIFTED_OHM, "Ohms of the lifted shield",
          "Lift the drain at the controller: ohms from the shield to battery negative.", "shield_ohm", "lifted",
          lead=Lead.SHIELD),
)  # fmt: skip


_TABLE = (
    ActionSpec(
        Action.BATTERY_V,
        "Meter on the battery",
        "Put the meter across the battery. What does it show?",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.METER,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=Limits(0.0, 1.5),
        per_system_v=True,
        impossible="Swap the leads if the meter shows less than nothing; else check its range.",
        cautions=("Keep metal tools off the battery posts.",),
        check="battery_v",
    ),
    ActionSpec(
        Action.BATTERY_LAMP,
        "Lamp on the battery",
        "Put the test lamp across the battery. How does it glow?",
        Answer.GLOW,
        VehicleState.KEY_ON,
        Probe.LAMP,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
    ),
    ActionSpec(
        Action.OPEN_V,
        "Unplugged volts",
        "Connector off. Measure {pin} to battery negative.",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.METER,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        check="open_v",
    ),
    ActionSpec(
        Action.LAMP_NEGATIVE,
        "Lamp from battery negative",
        "Lamp from battery negative to {pin}. How does it glow?",
        Answer.GLOW,
        VehicleState.KEY_ON,
        Probe.LAMP,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        cautions=(_LAMP,),
        check="lamp_negative",
        part="glow",
    ),
    ActionSpec(
        Action.LAMP_NEGATIVE_V,
        "Volts under the lamp",
        "Lamp still on {pin}: measure that pin to battery negative.",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.LAMP,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        cautions=(_LAMP,),
        check="lamp_negative",
    ),
    ActionSpec(
        Action.LAMP_POSITIVE,
        "Lamp from battery positive",
        "Lamp from battery positive to {pin}. How does it glow?",
        Answer.GLOW,
        VehicleState.KEY_ON,
        Probe.LAMP,
        Lead.BATTERY_POSITIVE,
        plugged_in=False,
        cautions=(_LAMP_POSITIVE,),
        check="lamp_positive",
        part="glow",
    ),
    ActionSpec(
        Action.LIVE_LAMP_POSITIVE_V,
        "Live data with the lamp on the signal",
        "Lamp from battery positive on {pin}: what volts does live data show for this channel?",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.LAMP,
        Lead.BATTERY_POSITIVE,
        plugged_in=False,
        possible=Limits(-0.1, 1.5),
        per_system_v=True,
        impossible="Read the volts that live data shows for this channel.",
        cautions=(_LAMP_POSITIVE,),
        check="live",
        check_state="lamp_positive",
    ),
    ActionSpec(
        Action.LIVE_JUMPED_V,
        "Live data with the signal jumped to the return",
        "Jump {pin} to the return pin in the harness: what volts does live data show for this channel?",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.JUMPER,
        Lead.RETURN_PIN,
        plugged_in=False,
        possible=Limits(-0.1, 1.5),
        per_system_v=True,
        impossible="Read the volts that live data shows for this channel.",
        cautions=("Jump only signal to return. Never jump the reference to anything.",),
        check="live",
        check_state="jumped_return",
    ),
    ActionSpec(
        Action.MATED_V,
        "Plugged-in volts",
        "Connector on. Probe {pin} from the back, to battery negative.",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.METER,
        Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        cautions=("Do not pierce insulation; slide the probe in beside the seal.",),
        check="mated_v",
    ),
    ActionSpec(
        Action.LIVE_V,
        "Live data volts",
        "What volts does live data show for this channel?",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.SCREEN,
        Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        possible=Limits(-0.1, 1.5),
        per_system_v=True,
        impossible="Read the volts that live data shows for this channel.",
        cautions=(_FITTING,),
        check="mated_live",
    ),
    ActionSpec(
        Action.LIVE_VALUE,
        "Live data value",
        "What value does live data show for this sensor?",
        Answer.VALUE,
        VehicleState.KEY_ON,
        Probe.SCREEN,
        Lead.BATTERY_NEGATIVE,
        plugged_in=True,
        cautions=(_FITTING,),
        check="mated_live",
        part="value",
    ),
    ActionSpec(
        Action.OFF_OHM,
        "Ohms with the battery off",
        "Battery negative off, connector off. Measure ohms from {pin} to the battery negative cable.",
        Answer.OHMS,
        VehicleState.BATTERY_OFF,
        Probe.METER,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=Limits(0.0, 100e6),
        impossible="Ohms cannot be less than nothing: there is still voltage on the wire, or the leads need zeroing.",
        cautions=(_OHMS,),
        check="off_ohm",
        part="ohm",
    ),
    ActionSpec(
        Action.SHARERS_OFF_V,
        "Reference with the sharers unplugged",
        "Unplug every other sensor on this reference. Measure {pin} to battery negative.",
        Answer.VOLTS,
        VehicleState.KEY_ON,
        Probe.METER,
        Lead.BATTERY_NEGATIVE,
        plugged_in=False,
        possible=_VOLTS,
        per_system_v=True,
        impossible=_SWAPPED_LEADS,
        check="sharers_off_v",
    ),
    *_MORE,
)
ACTIONS = {spec.action: spec for spec in _TABLE}
