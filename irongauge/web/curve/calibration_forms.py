"""Forms of the Curve room."""

from __future__ import annotations

import math
import re
from typing import Annotated

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Manner, Planned, PointReason, Setup, Stage, even_plan
from irongauge.core.measure.entry import parse_entry, parse_plain_number, parse_sensed, split_pressure_base
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import PressureBase, Quantity, rebase, standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Channel, Circuit, SensorType
from irongauge.core.sensors.conversion import Scale
from irongauge.core.sensors.transfer import CurveKind
from irongauge.core.shop import HEIGHT_M, Shop
from irongauge.errors import EntryError
from irongauge.web.forms import FormState, OptionalUid, PostedForm, choice, number, optional_number, text
from irongauge.workflows.curve.calibrate import CalibrationView

__all__ = [
    "LeaveOutForm",
    "PointForm",
    "SetupForm",
    "SignForm",
    "atmosphere_from",
    "setup_from_form",
    "setup_values",
    "value_from",
    "values_as_left",
]


_HEIGHT = re.compile(r"(?P<metres>[-−]?[\d.,]+)\s*m(etres?)?", re.IGNORECASE)


class SetupForm(PostedForm):
    """How a calibration is to be done."""

    circuit: OptionalUid = None
    sensor: OptionalUid = None
    channel: str = ""
    stage: Annotated[str, choice(*Stage)] = Stage.AS_FOUND
    manner: Annotated[str, choice(*Manner)] = Manner.FULL
    first: str = ""
    last: str = ""
    count: Annotated[float, number(1, 50, what="how many points")] = 5
    down: Annotated[str, choice("yes", "no")] = "no"
    meter_uid: OptionalUid = None
    gauge_uid: OptionalUid = None
    gauge_base: Annotated[str, choice("", *PressureBase)] = ""
    serial: Annotated[str, text(80, what="its number", needed=False)] = ""
    reference: Annotated[str, choice("once", "each", "none")] = "once"
    reference_v: str = ""
    pull_up_ohm: Annotated[float | None, optional_number(10, 1e6, what="the pull-up in ohms")] = None
    shunt_ohm: Annotated[float | None, optional_number(1, 2000, what="the shunt in ohms")] = None
    barometer: str = ""
    technician_uid: OptionalUid = None


class PointForm(PostedForm):
    """One point."""

    uid: OptionalUid = None
    place: Annotated[float, number(0, 999, what="which point")] = 0
    stimulus: str = ""
    reading: str = ""
    reference: str = ""
    seen_uid: OptionalUid = None
    reason: Annotated[str, choice("", *PointReason)] = ""


class LeaveOutForm(PostedForm):
    """Why a point is kept out of the line; nothing takes it in again."""

    why: Annotated[str, text(200, what="why", needed=False)] = ""
    seen_uid: OptionalUid = None


class SignForm(PostedForm):
    """Who signs a calibration."""

    technician_uid: OptionalUid = None
    remark: Annotated[str, text(400, what="a remark", needed=False)] = ""


def setup_values(
    shop: Shop, sensor: SensorType, circuit: Circuit | None, channel: Channel, standard_kpa: float, *, quick: bool
) -> FormState:
    """The form as it starts: five points over the range, up and down, or the atmosphere and one pumped point."""
    curve = channel.curve
    scale = Scale(shop.units[curve.quantity], None if curve.pressure_base is None else PressureBase.GAUGE, standard_kpa)
    ends = _usual_range(channel)
    if quick and curve.pressure_base is not None:
        atmosphere = scale.fixed(0.0, curve.pressure_base)
        ends = (atmosphere, atmosphere + 0.8 * (curve.value_high - atmosphere))
    low, high = _round_ends(*(scale.shown(v, curve.pressure_base) for v in ends))
    values = {
        "sensor": str(sensor.uid),
        "circuit": "" if circuit is None else str(circuit.uid),
        "channel": channel.name,
        "stage": Stage.AS_FOUND,
        "manner": Manner.QUICK if quick else Manner.FULL,
        "first": low,
        "last": high,
        "count": "5",
        "down": "yes",
        "gauge_base": "" if curve.pressure_base is None else PressureBase.GAUGE,
        "reference": "once",
    }
    pull_up = None
    if circuit is not None:
        pull_up = (
            circuit.pull_up if channel.name == "temperature" and sensor.curve is None else circuit.temperature_pull_up
        )
    if curve.kind is CurveKind.OHMS and pull_up is not None:
        values["pull_up_ohm"] = f"{pull_up.resistance_ohm:g}"
    if circuit is not None and circuit.shunt_ohm is not None:
        values["shunt_ohm"] = f"{circuit.shunt_ohm:g}"
    return FormState(values)


def values_as_left(before: CalibrationView) -> dict[str, str]:
    """The set-up of a calibration, for the same sensor after it was adjusted: same instruments, same points."""
    record = before.calibration
    setup, curve = record.setup, record.channel.curve
    base = setup.stimulus_base if curve.pressure_base is not None else None
    scale = Scale(before.shop.units[curve.quantity], base, setup.atmosphere_kpa)
    ups = [p.stimulus for p in setup.plan if p.run is setup.plan[0].run] if setup.plan else []
    values = {
        "stage": Stage.AS_LEFT,
        "serial": setup.serial,
        "meter_uid": str(setup.meter_uid or ""),
        "gauge_uid": str(setup.gauge_uid or ""),
        "gauge_base": setup.stimulus_base or "",
        "down": "yes" if len(ups) < len(setup.plan) else "no",
        "reference": "each" if setup.reference_each else "none" if setup.reference_v is None else "once",
        "pull_up_ohm": "" if setup.pull_up_ohm is None else f"{setup.pull_up_ohm:g}",
        "shunt_ohm": "" if setup.shunt_ohm is None else f"{setup.shunt_ohm:g}",
    }
    if ups:
        first, last = (f"{float(scale.shown(v, curve.pressure_base)):.6g}" for v in (ups[0], ups[-1]))
        values |= {"first": first, "last": last, "count": str(len(ups))}
    return values


def _round_ends(low: float, high: float) -> tuple[str, str]:
    """Two ends that a dial can be brought to: rounded inwards to a tenth of the span's decade.

    >>> _round_ends(-0.8118, 1.488)
    ('-0.8', '1.4')
    """
    step = 10.0 ** math.floor(math.log10(high - low) - 1)
    return f"{math.ceil(low / step - 1e-9) * step + 0.0:.6g}", f"{math.floor(high / step + 1e-9) * step + 0.0:.6g}"


def _usual_range(channel: Channel) -> tuple[float, float]:
    if channel.curve.kind is CurveKind.OHMS:
        return 0.0, 100.0  # ice water and boiling water, which every shop has
    return channel.curve.value_low, channel.curve.value_high


def atmosphere_from(typed: str, standard_kpa: float, shop: Shop, field: str = "barometer") -> tuple[float, bool]:
    """Today's atmosphere in kPa, and whether it was read of a barometer rather than taken by a height.

    A height may be typed in its place, such as 1830 m.
    """
    if not typed.strip():
        return standard_kpa, False
    height = _HEIGHT.fullmatch(typed.strip())
    if height is not None:
        height_m = parse_plain_number(
            height["metres"], field=field, limits=HEIGHT_M, what="a height above sea level in metres"
        )
        return standard_atmosphere_kpa(height_m), False
    entry = parse_entry(
        split_pressure_base(typed)[0],
        Quantity.PRESSURE,
        field=field,
        unit=shop.units[Quantity.PRESSURE],
        limits=Limits(30.0, 115.0),
        impossible="A barometer shows 60 to 108 kPa where people work. Type its unit too, such as 1013 mbar.",
    )
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value, True


def setup_from_form(form: SetupForm, shop: Shop, sensor: SensorType, standard_kpa: float, pull_up_v: float) -> Setup:
    """The set-up; `EntryError` naming the field that does not fit."""
    channel = next((c for c in sensor.channels if c.name == form.channel), None)
    if channel is None:
        raise EntryError("channel", form.channel, "Choose which of its signals is calibrated.")
    atmosphere_kpa, measured = atmosphere_from(form.barometer, standard_kpa, shop)
    curve = channel.curve
    gauge_base = PressureBase(form.gauge_base) if form.gauge_base and curve.pressure_base is not None else None
    if curve.pressure_base is not None and gauge_base is None:
        raise EntryError("gauge_base", "", "A dial counts from the atmosphere or from vacuum.", "Choose which.")
    scale = Scale(shop.units[curve.quantity], gauge_base, atmosphere_kpa)
    manner = Manner(form.manner)
    reference_v = None
    divides = curve.kind is CurveKind.RATIO or (curve.kind is CurveKind.OHMS and form.pull_up_ohm is not None)
    if divides and form.reference == "once":
        reference_v = _volts(form.reference_v)
    return Setup(
        channel=channel.name,
        stage=Stage(form.stage),
        manner=manner,
        plan=_plan(form, channel, scale, manner),
        serial=form.serial,
        meter_uid=form.meter_uid,
        gauge_uid=form.gauge_uid,
        reference_v=reference_v,
        reference_each=divides and form.reference == "each",
        pull_up_ohm=form.pull_up_ohm if curve.kind is CurveKind.OHMS else None,
        pull_up_v=pull_up_v,
        shunt_ohm=form.shunt_ohm if curve.kind is CurveKind.CURRENT else None,
        stimulus_base=gauge_base,
        atmosphere_kpa=atmosphere_kpa,
        atmosphere_measured=measured,
    )


def _volts(typed: str) -> float:
    if not typed.strip():
        raise EntryError(
            "reference_v", "", "The signal is a share of this.", "Read it plugged in, or choose “not measured” above."
        )
    entry = parse_entry(typed, Quantity.VOLTAGE, field="reference_v", limits=Limits(1.0, 32.0))
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


def _plan(form: SetupForm, channel: Channel, scale: Scale, manner: Manner) -> tuple[Planned, ...]:
    first, last = (_planned(form, channel, scale, name) for name in ("first", "last"))
    count = int(form.count)
    if manner is Manner.QUICK:
        if first == last:
            raise EntryError(
                "last", form.last, "The pumped point is the same as the first.", "Choose one further away."
            )
        return Planned(first), Planned(last, Run.UP if last > first else Run.DOWN)
    if count > 1 and first == last:
        raise EntryError("last", form.last, "The last point is the same as the first.", "Choose one further away.")
    return even_plan(first, last, count, down=form.down == "yes")


def value_from(typed: str, channel: Channel, scale: Scale, field: str = "value") -> float:
    """A value in the fixed unit on the curve's base; typed in any unit and on either base, else as `scale` says."""
    curve = channel.curve
    sensed = parse_sensed(typed, curve.quantity, field=field, unit=scale.unit, base=scale.base)
    value: float = rebase(sensed.value, sensed.said or scale.base, curve.pressure_base, scale.atmosphere_kpa)
    return value


def _planned(form: SetupForm, channel: Channel, scale: Scale, name: str) -> float:
    """A planned stimulus on the curve's base; typed as the reference instrument shows it."""
    typed: str = getattr(form, name)
    curve = channel.curve
    value = value_from(typed, channel, scale, name)
    span = curve.value_high - curve.value_low
    if not curve.value_low - 0.25 * span <= value <= curve.value_high + 0.25 * span:
        raise EntryError(
            name,
            typed,
            "That is far outside this sensor's range.",
            "Check the unit, and whether the dial counts from the atmosphere or from vacuum.",
        )
    return value
