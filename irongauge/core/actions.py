"""What a technician can do to a circuit, as a table: the vocabulary of readings.

Each action says what kind of answer it gives, the vehicle state it needs, what is physically possible, how it is asked
for, and the cautions that must stand beside it. Which of them a circuit needs, and in which order, is in `sequence`.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.quantities import Limits, VehicleState
from irongauge.core.units import Quantity

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


class Answer(StrEnum):
    """What the technician gives back."""

    VOLTS = "volts"
    OHMS = "ohms"
    GLOW = "glow"
    VALUE = "value"


class Probe(StrEnum):
    """What touches the circuit."""

    METER = "meter"
    LAMP = "lamp"
    JUMPER = "jumper"
    SCREEN = "live data"


class Lead(StrEnum):
    """Where the other end of the probe goes."""

    BATTERY_NEGATIVE = "battery negative"
    BATTERY_POSITIVE = "battery positive"
    RETURN_PIN = "return pin"


@dataclass(frozen=True)
class ActionSpec:
    """One row of the table. `{pin}` in `ask` is filled with the pin's name; `possible` is in the fixed unit.

    `possible` is in multiples of the system voltage where `per_system_v` is set.
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

    @property
    def reads_meter(self) -> bool:
        """True when the answer is read off a meter, whose accuracy then counts; a glow and live data are not."""
        at_a_pin = self.probe in {Probe.METER, Probe.LAMP} and self.answer in {Answer.VOLTS, Answer.OHMS}
        return at_a_pin and self.action is not Action.LIVE_LAMP_POSITIVE_V

    @property
    def quantity(self) -> Quantity | None:
        """Quantity of the answer; None for a glow, and for a value whose quantity is the sensor's."""
        return {Answer.VOLTS: Quantity.VOLTAGE, Answer.OHMS: Quantity.RESISTANCE}.get(self.answer)


_YELLOW = "Never on a yellow airbag or belt connector, nor on an orange cable."
_LAMP = f"Lamp only where the circuit can carry its 0.12 A: never on a controller output or a data bus. {_YELLOW}"
_LAMP_POSITIVE = (
    "Battery positive must not touch a wire that may be the reference: it would lift every sensor on it to about 11 V. "
    + _LAMP
)
_OHMS = f"Battery negative off first; ohms on a live circuit read wrong and can harm the meter. {_YELLOW}"
_FITTING = "Let fuel, coolant or oil pressure down before a fitting is opened; keep hands clear of belts and fans."

_SWAPPED_LEADS = (
    "Less than 0 V against battery negative means swapped meter leads; more than the battery has is not there."
)
_VOLTS = Limits(-0.1, 1.5)  # of the system's nominal volts: a charging 12 V battery stays below 18 V

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
    ),
)
ACTIONS = {spec.action: spec for spec in _TABLE}
