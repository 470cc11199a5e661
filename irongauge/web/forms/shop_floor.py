"""Forms of the Floor, the Job and the Bench."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID, uuid4

from irongauge.core.case import BenchCase
from irongauge.core.circuits import FAMILIES, Circuit, Pin, PullUp, Role, SensorType, Stimulus
from irongauge.core.entry import parse_entry
from irongauge.core.quantities import Limits, Reason
from irongauge.core.shop import Job, Shop, Vehicle
from irongauge.core.units import from_fixed, show, unit_for
from irongauge.errors import EntryError
from irongauge.web.forms.base import Day, Form, FormState, OptionalUid, choice, number, optional_number, text

__all__ = [
    "CircuitForm",
    "JobForm",
    "ReadingForm",
    "ReviewForm",
    "VehicleForm",
    "circuit_from_form",
    "circuit_values",
    "new_circuit_values",
]

PINS = range(3)
POINTS = range(2)


class VehicleForm(Form):
    tag: Annotated[str, text(20, what="the number or tag that the shop calls it by")]
    description: Annotated[str, text(120, what="what it is", needed=False)] = ""
    system_v: Annotated[str, choice("12", "24")] = "12"
    height_m: Annotated[float, number(-400, 6000, what="the height above sea level in metres")]

    def to_core(self) -> Vehicle:
        return Vehicle(uuid4(), self.tag, self.description, float(self.system_v), self.height_m)


class JobForm(Form):
    vehicle_uid: OptionalUid = None
    title: Annotated[str, text(120, what="the complaint, or what is to be commissioned")]
    received_on: Day
    promised_on: Day
    technician_uid: OptionalUid = None


class ReadingForm(Form):
    uid: OptionalUid = None
    slot: Annotated[str, text(60, what="the step")]
    value: str = ""
    stimulus: str = ""
    technician_uid: OptionalUid = None
    instrument_uid: OptionalUid = None
    stimulus_instrument_uid: OptionalUid = None
    seen_uid: OptionalUid = None
    reason: Annotated[str, choice("", *Reason)] = ""


class ReviewForm(Form):
    reviewer_uid: OptionalUid = None


class CircuitForm(Form):
    name: Annotated[str, text(80, what="a name for the circuit")]
    sensor_type_uid: OptionalUid = None
    reference_v: Annotated[float, number(1, 32, what="the nominal reference in volts")]
    cavity_0: Annotated[str, text(4, what="the cavity's letter or number")]
    cavity_1: Annotated[str, text(4, what="the cavity's letter or number")]
    cavity_2: Annotated[str, text(4, what="the cavity's letter or number")]
    colour_0: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    colour_1: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    colour_2: Annotated[str, text(24, what="the wire's colour", needed=False)] = ""
    role_0: Annotated[str, choice("", *Role)] = ""
    role_1: Annotated[str, choice("", *Role)] = ""
    role_2: Annotated[str, choice("", *Role)] = ""
    pull_up_ohm: Annotated[float | None, optional_number(10, 10_000_000, what="the pull-up in ohms")]
    pull_up_to_v: Annotated[float | None, optional_number(1, 32, what="the volts that it pulls to")]
    label_0: Annotated[str, text(40, what="how the sensor is put there, such as vented")]
    label_1: Annotated[str, text(40, what="how it is put there", needed=False)] = ""
    stimulus_0: str = ""
    stimulus_1: str = ""
    live_channel: Annotated[str, text(40, what="the channel", needed=False)] = ""
    live_full_scale_v: Annotated[float, number(1, 32, what="the input's full scale in volts")]
    sharers: Annotated[str, text(200, what="the others", needed=False)] = ""

    def row(self, name: str, numbers: range) -> list[str]:
        """The texts of numbered fields, such as the three cavities."""
        return [getattr(self, f"{name}_{n}") for n in numbers]


def circuit_from_form(form: CircuitForm, sensor: SensorType, shop: Shop, uid: UUID) -> Circuit:
    """The circuit that the form describes; `EntryError` naming the field that does not fit the others."""
    pins = _pins(form)
    if (form.pull_up_ohm is None) != (form.pull_up_to_v is None):
        missing = "pull_up_ohm" if form.pull_up_ohm is None else "pull_up_to_v"
        raise EntryError(missing, "", "A pull-up has both ohms and volts.", "Fill in both, or neither.")
    pull_up = None
    if form.pull_up_ohm is not None and form.pull_up_to_v is not None:
        pull_up = PullUp(form.pull_up_ohm, form.pull_up_to_v)
    assert len(pins) == len(FAMILIES[sensor.family].roles)  # both families of today have three
    return Circuit(
        uid,
        form.name,
        sensor.family,
        pins,
        form.reference_v,
        sensor,
        _stimuli(form, sensor, shop),
        pull_up,
        form.live_channel,
        form.live_full_scale_v,
        form.sharers,
    )


def _pins(form: CircuitForm) -> tuple[Pin, ...]:
    cavities, colours = form.row("cavity", PINS), form.row("colour", PINS)
    roles = [Role(role) if role else None for role in form.row("role", PINS)]
    for n in PINS:
        if cavities[n] in cavities[:n]:
            raise EntryError(f"cavity_{n}", cavities[n], f"Cavity {cavities[n]} is named twice.", "Name each one once.")
        if ":" in cavities[n]:
            raise EntryError(f"cavity_{n}", cavities[n], "A cavity has no colon in its name.", "Type A or 1.")
        if roles[n] is not None and roles[n] in roles[:n]:
            problem = f"Two pins are the {roles[n]}."
            raise EntryError(f"role_{n}", str(roles[n]), problem, "Choose “not known” where you are not sure.")
    return tuple(Pin(*parts) for parts in zip(cavities, colours, roles, strict=True))


def _stimuli(form: CircuitForm, sensor: SensorType, shop: Shop) -> tuple[Stimulus, ...]:
    stimuli = []
    for n, (label, typed) in enumerate(zip(form.row("label", POINTS), form.row("stimulus", POINTS), strict=True)):
        if n > 0 and not label and not typed.strip():
            continue
        if not label:
            raise EntryError(f"label_{n}", "", "Say how the sensor is put there.", "Or empty its value as well.")
        stimuli.append(Stimulus(label, _stimulus_value(sensor, shop, n, typed)))
    return tuple(stimuli)


def _stimulus_value(sensor: SensorType, shop: Shop, n: int, typed: str) -> float:
    curve = sensor.curve
    limits = Limits(curve.value_low - 0.1 * curve.span, curve.value_high + 0.1 * curve.span)
    entry = parse_entry(
        typed,
        curve.quantity,
        field=f"stimulus_{n}",
        unit=shop.units[curve.quantity],
        limits=limits,
        impossible=f"The sensor goes from {show(curve.value_low, shop.units[curve.quantity])} to "
        f"{show(curve.value_high, shop.units[curve.quantity])}; choose a value that it can show.",
    )
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


def new_circuit_values(job: Job) -> FormState:
    """What a new circuit's form starts with."""
    values = {"reference_v": "5.0", "live_full_scale_v": "5.0", "label_0": "vented", "stimulus_0": "0"}
    values |= {f"cavity_{n}": "ABC"[n] for n in PINS} | {f"role_{n}": "" for n in PINS}
    assert job.handed_over_at is None  # the page is not offered for a closed job
    return FormState(values)


def circuit_values(circuit: Circuit, shop: Shop) -> FormState:
    """A circuit's card as its form shows it."""
    unit = shop.units[circuit.sensor.curve.quantity]
    values = {
        "name": circuit.name,
        "sensor_type_uid": str(circuit.sensor.uid),
        "reference_v": f"{circuit.reference_v:g}",
        "pull_up_ohm": "" if circuit.pull_up is None else f"{circuit.pull_up.resistance_ohm:.10g}",
        "pull_up_to_v": "" if circuit.pull_up is None else f"{circuit.pull_up.to_v:g}",
        "live_channel": circuit.live_channel,
        "live_full_scale_v": f"{circuit.live_full_scale_v:g}",
        "sharers": circuit.sharers,
    }
    for n, pin in enumerate(circuit.pins):
        values |= {f"cavity_{n}": pin.cavity, f"colour_{n}": pin.wire_colour, f"role_{n}": pin.role or ""}
    for n, stimulus in enumerate(circuit.stimuli):
        text = f"{from_fixed(stimulus.value, unit):.6g} {unit_for(unit).label}"
        values |= {f"label_{n}": stimulus.label, f"stimulus_{n}": text}
    return FormState(values)


def stimulus_text(case: BenchCase, point: int) -> str:
    """The stimulus of a point as the Bench's field starts with it: a number in the shop's unit."""
    return f"{from_fixed(case.stimulus_value(point), case.value_unit):.5g}"
