"""Forms of the Floor, the Job and the Bench."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import Quantity, from_fixed, show, unit_for
from irongauge.core.sensors.circuits import FAMILIES, MOST_STIMULI, Circuit, Pin, PullUp, Role, SensorType, Stimulus
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.licensed import PartOf, licence_of
from irongauge.core.sensors.live_reader import UNTOLD
from irongauge.core.sensors.transfer import LOOP_MA
from irongauge.core.shop import Job, Shop
from irongauge.errors import EntryError, quoted
from irongauge.web.forms import FormState, OptionalUid, PostedForm, choice, number, optional_number, text

__all__ = [
    "PINS",
    "CircuitForm",
    "circuit_from_form",
    "circuit_values",
    "new_circuit_values",
]

PINS = range(4)
_FULL_LOOP_A, _LEAST_ACROSS_V = LOOP_MA[1] / 1000, 5.0  # no loop sensor works with less
POINTS = range(MOST_STIMULI)


class CircuitForm(PostedForm):
    """A circuit's card as its form sends it."""

    name: Annotated[str, text(80, what="a name for the circuit")]
    sensor_type_uid: OptionalUid = None
    reference_v: Annotated[float, number(1, 32, what="the nominal reference in volts")]
    cavity_0: Annotated[str, text(4, what="the cavity's letter or number")]
    cavity_1: Annotated[str, text(4, what="the cavity's letter or number")]
    cavity_2: Annotated[str, text(4, what="the cavity's letter or number", needed=False)] = ""
    cavity_3: Annotated[str, text(4, what="the cavity's letter or number", needed=False)] = ""
    colour_0: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    colour_1: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    colour_2: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    colour_3: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    role_0: Annotated[str, choice("", *Role)] = ""
    role_1: Annotated[str, choice("", *Role)] = ""
    role_2: Annotated[str, choice("", *Role)] = ""
    role_3: Annotated[str, choice("", *Role)] = ""
    pull_up_ohm: Annotated[float | None, optional_number(10, 10_000_000, what="the pull-up in ohms")]
    pull_up_to_v: Annotated[float | None, optional_number(1, 32, what="the voltage it pulls to")]
    temperature_pull_up_ohm: Annotated[float | None, optional_number(10, 10_000_000, what="the pull-up in ohms")] = None
    temperature_pull_up_to_v: Annotated[float | None, optional_number(1, 32, what="the voltage it pulls to")] = None
    shunt_ohm: Annotated[float | None, optional_number(1, 2000, what="the shunt in ohms")] = None
    battery_fed: Annotated[str, choice("no", "yes")] = "no"
    differential: Annotated[str, choice("no", "yes")] = "no"
    shielded: Annotated[str, choice("no", "yes")] = "no"
    unpulled: Annotated[str, choice("no", "yes")] = "no"
    to_wire: Annotated[str, choice("no", "yes")] = "no"
    part_of: Annotated[str, choice(*PartOf)] = PartOf.NOT_TOLD
    temperature_0: str = ""
    temperature_1: str = ""
    label_0: Annotated[str, text(40, what="how the sensor is put there, such as vented")]
    label_1: Annotated[str, text(40, what="how it is put there", needed=False)] = ""
    stimulus_0: str = ""
    stimulus_1: str = ""
    live_channel: Annotated[str, text(40, what="the channel", needed=False)] = ""
    live_full_scale_v: Annotated[float, number(1, 32, what="the input's full scale in volts")]
    others_on_reference: Annotated[str, text(200, what="the other sensors", needed=False)] = ""
    controller: Annotated[str, text(60, what="the type of controller", needed=False)] = ""

    def row(self, name: str, numbers: range) -> list[str]:
        """The texts of numbered fields, such as the three cavities."""
        return [getattr(self, f"{name}_{n}") for n in numbers]


def circuit_from_form(
    form: CircuitForm, sensor: SensorType, shop: Shop, uid: UUID, old: Circuit | None = None
) -> Circuit:
    """The circuit that the form describes, with what the `old` card says beside the form; `EntryError` naming the field that
    does not fit.
    """
    return Circuit(
        uid=uid,
        name=form.name,
        family=sensor.family,
        pins=_pins(form, sensor),
        reference_v=form.reference_v,
        sensor=sensor,
        pull_up=_pull_up(form, "pull_up"),
        stimuli=_stimuli(form, sensor, shop),
        live_channel=form.live_channel,
        live_full_scale_v=form.live_full_scale_v,
        others_on_reference=form.others_on_reference,
        temperature_pull_up=_pull_up(form, "temperature_pull_up") if sensor.family is Family.COMBO else None,
        battery_fed=form.battery_fed == "yes",
        differential=form.differential == "yes",
        shielded=form.shielded == "yes",
        unpulled=_unpulled(form),
        part_of=_part_of(form),
        to_wire=form.to_wire == "yes",
        controller=form.controller,
        reader=UNTOLD if old is None else old.reader,
        unreadable=() if old is None else old.unreadable,
        shunt_ohm=_shunt_ohm(form, sensor),
    )


def _shunt_ohm(form: CircuitForm, sensor: SensorType) -> float | None:
    """The resistor at a loop's input: its full current must fit the input, and leave the sensor what it needs of its supply."""
    if sensor.family is not Family.CURRENT_LOOP:
        return None
    ohm = form.shunt_ohm
    if ohm is None:
        raise EntryError("shunt_ohm", "", "A current loop is read over a shunt.", "Type its ohms, such as 150.")
    full_v = _FULL_LOOP_A * ohm
    if full_v > form.live_full_scale_v:
        most = form.live_full_scale_v / _FULL_LOOP_A
        problem = f"20 mA make {full_v:.1f} V over it, and the input ends at {form.live_full_scale_v:g} V."
        raise EntryError("shunt_ohm", f"{ohm:g}", problem, f"At most {most:.0f} Ω fit this input.")
    if form.reference_v - full_v < _LEAST_ACROSS_V:
        problem = f"At 20 mA it takes {full_v:.1f} of {form.reference_v:g} V, so that the sensor keeps too little."
        would_do = "Most sensors need 6 V and more: see its sheet, and check the shunt and the supply."
        raise EntryError("shunt_ohm", f"{ohm:g}", problem, would_do)
    return ohm


def _part_of(form: CircuitForm) -> PartOf:
    """What the card says; asked where nobody said it and the name could be of brakes or steering."""
    part_of = PartOf(form.part_of)
    named = licence_of(form.name)
    if part_of is PartOf.NOT_TOLD and named is not None and named.can_be_denied:
        problem = f"{quoted(form.name)} could be part of the {named}, which are left to licensed work."
        raise EntryError("part_of", "", problem, "Say whether it is. A gauge’s own sensor is none of these.")
    return part_of


def _unpulled(form: CircuitForm) -> bool:
    if form.unpulled == "yes" and form.pull_up_ohm is not None:
        problem = "A pull-up is typed, and the input is said to have none."
        raise EntryError("unpulled", "", problem, "Empty its ohms and volts, or choose that nobody knows.")
    return form.unpulled == "yes"


def _pull_up(form: CircuitForm, name: str) -> PullUp | None:
    ohm, to_v = getattr(form, f"{name}_ohm"), getattr(form, f"{name}_to_v")
    if (ohm is None) != (to_v is None):
        missing = f"{name}_ohm" if ohm is None else f"{name}_to_v"
        raise EntryError(missing, "", "A pull-up has both ohms and volts.", "Fill in both, or neither.")
    return None if ohm is None or to_v is None else PullUp(ohm, to_v)


def _pins(form: CircuitForm, sensor: SensorType) -> tuple[Pin, ...]:
    wanted = FAMILIES[sensor.family].roles
    used = [n for n in PINS if getattr(form, f"cavity_{n}")]
    if len(used) != len(wanted):
        problem = f"{sensor.name} has {len(wanted)} wires, and {len(used)} cavities are named."
        would_do = "Name one more." if len(used) < len(wanted) else "Empty the rows that are too many."
        raise EntryError(f"cavity_{min(len(wanted), PINS[-1])}", "", problem, would_do)
    cavities, colours = form.row("cavity", PINS), form.row("colour", PINS)
    roles = [Role(role) if role else None for role in form.row("role", PINS)]
    for n in used:
        if roles[n] is not None and roles[n] not in wanted:
            can = ", ".join(wanted)
            raise EntryError(f"role_{n}", str(roles[n]), f"{sensor.name} has no {roles[n]} wire.", f"It has: {can}.")
        if cavities[n] in cavities[:n]:
            raise EntryError(f"cavity_{n}", cavities[n], f"Cavity {cavities[n]} is named twice.", "Name each one once.")
        if ":" in cavities[n]:
            raise EntryError(f"cavity_{n}", cavities[n], "A cavity has no colon in its name.", "Type A or 1.")
        if roles[n] is not None and roles[n] in roles[:n]:
            problem = f"Two pins are the {roles[n]}."
            raise EntryError(f"role_{n}", str(roles[n]), problem, "Choose “not known” where you are not sure.")
    return tuple(Pin(cavities[n], colours[n], roles[n]) for n in used)


def _stimuli(form: CircuitForm, sensor: SensorType, shop: Shop) -> tuple[Stimulus, ...]:
    states = FAMILIES[sensor.family].states
    if states:
        labels = form.row("label", POINTS)
        return tuple(Stimulus(labels[n] or state, None) for n, state in enumerate(states))
    stimuli = []
    for n, (label, typed) in enumerate(zip(form.row("label", POINTS), form.row("stimulus", POINTS), strict=True)):
        if n > 0 and not label and not typed.strip():
            continue
        if not label:
            raise EntryError(f"label_{n}", "", "Say how the sensor is put there.", "Or empty its value as well.")
        if n > 0 and not typed.strip():
            problem = "A second value proves the slope."
            raise EntryError(
                f"stimulus_{n}", "", problem, "Type it; or empty how it is put there, to prove the wiring only."
            )
        warmth = _temperature(form, shop, n) if sensor.family is Family.COMBO else None
        stimuli.append(Stimulus(label, _stimulus_value(sensor, shop, n, typed), warmth))
    return tuple(stimuli)


def _temperature(form: CircuitForm, shop: Shop, n: int) -> float | None:
    typed = getattr(form, f"temperature_{n}")
    if not typed.strip():
        return None
    unit = shop.units[Quantity.TEMPERATURE]
    return parse_entry(typed, Quantity.TEMPERATURE, field=f"temperature_{n}", unit=unit, limits=Limits(-60, 200)).value


def _stimulus_value(sensor: SensorType, shop: Shop, n: int, typed: str) -> float:
    assert sensor.quantity is not None  # a sensor without one is put to states
    unit = shop.units[sensor.quantity]
    low, high = sensor.value_limits
    entry = parse_entry(
        typed,
        sensor.quantity,
        field=f"stimulus_{n}",
        unit=unit,
        limits=Limits(low - 0.1 * (high - low), high + 0.1 * (high - low)),
        impossible=f"The sensor goes from {show(low, unit)} to {show(high, unit)}; choose a value that it can show.",
    )
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


def new_circuit_values(job: Job) -> FormState:
    """What a new circuit's form starts with."""
    values = {"reference_v": "5.0", "live_full_scale_v": "5.0", "label_0": "vented", "stimulus_0": "0"}
    values |= {"label_1": "pumped"}  # its value is asked for: one point does not prove a slope
    values |= {f"cavity_{n}": "ABCD"[n] for n in PINS} | {f"role_{n}": "" for n in PINS}
    assert job.handed_over_at is None  # the page is not offered for a closed job
    return FormState(values)


def circuit_values(circuit: Circuit, shop: Shop) -> FormState:
    """A circuit's card as its form shows it."""
    quantity = circuit.sensor.quantity
    unit = None if quantity is None else shop.units[quantity]
    other = circuit.temperature_pull_up
    values = {
        "name": circuit.name,
        "sensor_type_uid": str(circuit.sensor.uid),
        "reference_v": f"{circuit.reference_v:g}",
        "pull_up_ohm": "" if circuit.pull_up is None else f"{circuit.pull_up.resistance_ohm:.10g}",
        "pull_up_to_v": "" if circuit.pull_up is None else f"{circuit.pull_up.to_v:g}",
        "shunt_ohm": "" if circuit.shunt_ohm is None else f"{circuit.shunt_ohm:g}",
        "live_channel": circuit.live_channel,
        "live_full_scale_v": f"{circuit.live_full_scale_v:g}",
        "others_on_reference": circuit.others_on_reference,
        "controller": circuit.controller,
        "temperature_pull_up_ohm": "" if other is None else f"{other.resistance_ohm:.10g}",
        "temperature_pull_up_to_v": "" if other is None else f"{other.to_v:g}",
    }
    values["part_of"] = circuit.part_of
    flags = ("battery_fed", "differential", "shielded", "unpulled", "to_wire")
    values |= {flag: "yes" if getattr(circuit, flag) else "no" for flag in flags}
    for n, pin in enumerate(circuit.pins):
        values |= {f"cavity_{n}": pin.cavity, f"colour_{n}": pin.wire_colour, f"role_{n}": pin.role or ""}
    for n, stimulus in enumerate(circuit.stimuli):
        values[f"label_{n}"] = stimulus.label
        if stimulus.value is not None and unit is not None:
            values[f"stimulus_{n}"] = f"{from_fixed(stimulus.value, unit):.6g} {unit_for(unit).label}"
        if stimulus.temperature_degc is not None:
            warmth = shop.units[Quantity.TEMPERATURE]
            warm = f"{from_fixed(stimulus.temperature_degc, warmth):.6g} {unit_for(warmth).label}"
            values[f"temperature_{n}"] = warm
    return FormState(values)
