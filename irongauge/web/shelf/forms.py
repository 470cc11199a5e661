"""Forms of the Shelf and of the shop itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Annotated, Any
from uuid import uuid4

from pydantic import BeforeValidator, ValidationInfo

from irongauge.core.bench.case import SHOP_LIMITS, ShopLimits
from irongauge.core.measure.entry import parse_number_in, parse_plain_number, parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.unit_names import plain_name
from irongauge.core.measure.units import (
    PressureBase,
    Quantity,
    from_fixed,
    rebase,
    show,
    standard_atmosphere_kpa,
    units_of,
)
from irongauge.core.plan.joints import Joint
from irongauge.core.sensors.circuits import (
    FAMILIES,
    Element,
    Endurance,
    SensorType,
    Switching,
    Wiper,
)
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, StraightCurve, TableCurve
from irongauge.core.shop import HEIGHT_M, Shop
from irongauge.errors import EntryError, as_sentence, quoted
from irongauge.formats.curve_table import read_table, write_table
from irongauge.web.forms import (
    FormState,
    PostedForm,
    Timezone,
    choice,
    in_its_words,
    number,
    optional_number,
    read_form,
    text,
)

__all__ = [
    "IN_UNITS",
    "SENSED",
    "FirstForm",
    "SensorTypeForm",
    "sensor_from_form",
    "sensor_values",
    "shop_from_posted",
    "shop_values",
]

# What the sensors of today can sense, in the order in which the form offers it.
SENSED = (
    Quantity.PRESSURE, Quantity.ANGLE, Quantity.LENGTH, Quantity.SHARE, Quantity.TEMPERATURE, Quantity.LAMBDA, Quantity.NUMBER,
)  # fmt: skip
# Of these a shop chooses the unit that it reads in.
IN_UNITS = tuple(quantity for quantity in SENSED if len(units_of(quantity)) > 1)


_MOST_MA = 30.0  # no loop carries more
_CHECK_UNITS = "Check %, volts and mA against each other."
_SIGNALS = Limits(-1000.0, 1000.0)  # in any of their units; what fits the kind is told once all fields are read


def _end_signal(what: str) -> BeforeValidator:
    """The signal at one end of the curve, or nothing, in the unit of its kind; the unit may stand behind it.

    A data sheet gives a ratiometric signal in volts as often as in % of the supply, so volts are taken as a share of that.
    """

    def check(value: Any, info: ValidationInfo) -> float | None:
        typed = str(value or "")
        if not typed.strip():
            return None
        is_loop = info.data.get("family") == Family.CURRENT_LOOP
        kind = CurveKind.CURRENT if is_loop else info.data.get("kind")
        return in_its_words(lambda: _signal_read(typed, kind, info.data.get("supply_v"), what))

    return BeforeValidator(check)


def _signal_read(typed: str, kind: str | None, supply_v: float | None, what: str) -> float:
    def read_in(unit: str) -> float:
        return parse_number_in(typed, field="", unit=unit, limits=_SIGNALS, what=what)

    if kind != CurveKind.RATIO:
        return read_in("mA" if kind == CurveKind.CURRENT else "V")
    if supply_v is not None and plain_name(typed).endswith(("v", "volt", "volts")):
        share_pct = float(f"{100 * read_in('V') / supply_v:.10g}")
        if not 0 <= share_pct <= 100:  # noqa: PLR2004  %
            problem = (
                f"{quoted(typed)} of a supply of {supply_v:g} V: {share_pct:g} is outside 0 to 100 % of the supply."
            )
            raise EntryError("", typed, problem, _CHECK_UNITS)
        return share_pct
    return read_in("percent")


class FirstForm(PostedForm):
    """What a new shop is asked for."""

    name: Annotated[str, text(80, what="the shop's name")]
    technician: Annotated[str, text(80, what="your name")]
    height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")]
    timezone: Timezone = "UTC"

    def to_core(self) -> Shop:
        """The shop, with an identity of its own."""
        return Shop(uid=uuid4(), name=self.name, height_m=self.height_m, timezone=self.timezone)


class SensorTypeForm(PostedForm):
    """A sensor type's card as its form sends it."""

    name: Annotated[str, text(80, what="the type's name")]
    maker: Annotated[str, text(80, what="its maker", needed=False)] = ""
    family: Annotated[str, choice(*Family)]
    supply_v: Annotated[float, number(1, 32, what="its supply in volts")]
    quantity: Annotated[str, choice(*SENSED)] = Quantity.PRESSURE
    pressure_base: Annotated[str, choice("", *PressureBase)] = ""
    kind: Annotated[str, choice(*CurveKind)] = CurveKind.RATIO
    signal_low: Annotated[float | None, _end_signal("the signal at the low end")]
    signal_high: Annotated[float | None, _end_signal("the signal at the high end")]
    value_low: str = ""
    value_high: str = ""
    shape: Annotated[str, choice("line", "table")] = "line"
    table: str = ""
    fault_low_v: Annotated[float | None, optional_number(-1, 32, what="volts")] = None
    fault_high_v: Annotated[float | None, optional_number(-1, 32, what="volts")] = None
    bears_low_degc: Annotated[float | None, optional_number(-273, 2000, what="a temperature in °C")] = None
    bears_high_degc: Annotated[float | None, optional_number(-273, 2000, what="a temperature in °C")] = None
    overpressure: Annotated[str, text(30, what="its overpressure", needed=False)] = ""
    ntc_by: Annotated[str, choice("beta", "points")] = "beta"
    ntc_points: str = ""
    sure: str = ""
    tolerance_pct_span: Annotated[float, number(0.05, 50, what="the tolerance in % of span")]
    ohm_25: Annotated[float | None, optional_number(1, 1e7, what="its ohms at 25 °C")] = None
    beta_k: Annotated[float | None, optional_number(500, 10_000, what="its beta in K")] = None
    track_ohm: Annotated[float | None, optional_number(50, 1e6, what="the ohms of its track")] = None
    low_when_present: Annotated[str, choice("yes", "no")] = "yes"
    coil_ohm: Annotated[float | None, optional_number(10, 1e5, what="the coil's ohms")] = None
    coil_tolerance_pct: Annotated[float | None, optional_number(0.5, 50, what="their tolerance in %")] = None
    loose_low_v: Annotated[float | None, optional_number(0.01, 200, what="the least AC volts")] = None
    loose_high_v: Annotated[float | None, optional_number(0.02, 300, what="the most AC volts")] = None
    hz_low: Annotated[float | None, optional_number(0.1, 20_000, what="the frequency at 0 %")] = None
    hz_high: Annotated[float | None, optional_number(0.1, 20_000, what="the frequency at 100 %")] = None
    pulse_low_ms: Annotated[float | None, optional_number(0.01, 500, what="the pulse at −40 °C")] = None
    pulse_high_ms: Annotated[float | None, optional_number(0.01, 500, what="the pulse at 125 °C")] = None
    thermocouple_type: Annotated[str, choice(*ThermocoupleType, "other")] = "K"
    uv_per_k: Annotated[float | None, optional_number(1, 100, what="microvolts per kelvin")] = None
    source: Annotated[str, text(200, what="where the curve is from", needed=False)] = ""


def sensor_from_form(form: SensorTypeForm, shop: Shop) -> SensorType:
    """The sensor type; `EntryError` naming the field that does not fit the others."""
    family = Family(form.family)
    if family is Family.CURRENT_LOOP:  # it has one kind of signal, so nobody is asked
        form = form.model_copy(update={"kind": CurveKind.CURRENT})
    curve = _curve_from_form(form, shop) if FAMILIES[family].needs_curve else None
    in_volts = curve is not None and curve.kind is not CurveKind.CURRENT
    return SensorType(
        uid=uuid4(),
        name=form.name,
        maker=form.maker,
        family=family,
        supply_v=form.supply_v,
        curve=curve,
        tolerance_pct_span=form.tolerance_pct_span,
        source=form.source,
        element=_element_from_form(form, family),
        fault_low_v=form.fault_low_v if in_volts else None,
        fault_high_v=form.fault_high_v if in_volts else None,
        bears=_endurance(form, curve, shop),
    )


def _endurance(form: SensorTypeForm, curve: StraightCurve | None, shop: Shop) -> Endurance:
    """What it bears; the overpressure in any unit, on the curve's base unless it names the other."""
    low_degc, high_degc = form.bears_low_degc, form.bears_high_degc
    if low_degc is not None and high_degc is not None and low_degc >= high_degc:
        raise EntryError("bears_high_degc", f"{high_degc:g}", "It is not above the least.", "Exchange the two.")
    if curve is None or curve.quantity is not Quantity.PRESSURE or not form.overpressure:
        return Endurance(low_degc=low_degc, high_degc=high_degc)
    sensed = parse_sensed(
        form.overpressure, Quantity.PRESSURE, field="overpressure", unit=shop.units[Quantity.PRESSURE]
    )
    base, atmosphere_kpa = curve.pressure_base, standard_atmosphere_kpa(shop.height_m)
    most_kpa = float(rebase(sensed.value, sensed.said or base, base, atmosphere_kpa))
    if most_kpa < curve.value_high:
        end = show(curve.value_high, shop.units[Quantity.PRESSURE], trim=True)
        raise EntryError(
            "overpressure", form.overpressure, f"Its range goes to {end} already.", "Overpressure lies above its range."
        )
    return Endurance(low_degc=low_degc, high_degc=high_degc, overpressure_kpa=most_kpa)


def _element_from_form(form: SensorTypeForm, family: Family) -> Element | None:
    """The figures that this family needs beside a curve; `EntryError` naming the first that is missing."""
    element = FAMILIES[family].element
    return None if element is None else _ELEMENTS[element](form)


def _figure(form: SensorTypeForm, name: str) -> float:
    found: float | None = getattr(form, name)
    if found is None:
        raise EntryError(name, "", "This kind of sensor needs it.", "It stands in the data sheet.")
    return found


def _coil(form: SensorTypeForm) -> Coil:
    low_v, high_v = _figure(form, "loose_low_v"), _figure(form, "loose_high_v")
    if low_v >= high_v:
        raise EntryError("loose_high_v", f"{high_v:g}", "The most is not above the least.", "Exchange the two.")
    return Coil(_figure(form, "coil_ohm"), _figure(form, "coil_tolerance_pct"), (low_v, high_v))


def _frequency(form: SensorTypeForm) -> FrequencyCurve:
    if _figure(form, "hz_low") == _figure(form, "hz_high"):
        raise EntryError("hz_high", "", "Both ends have the same frequency.", "Type the frequency at each end.")
    return FrequencyCurve(
        value_low=0.0,
        value_high=100.0,
        hz_low=_figure(form, "hz_low"),
        hz_high=_figure(form, "hz_high"),
        degc_low=-40.0,
        degc_high=125.0,
        pulse_low_ms=_figure(form, "pulse_low_ms"),
        pulse_high_ms=_figure(form, "pulse_high_ms"),
    )


def _thermocouple(form: SensorTypeForm) -> ThermocoupleKind:
    if form.thermocouple_type == "other":
        return ThermocoupleKind(_figure(form, "uv_per_k"))
    return ThermocoupleKind(letter=ThermocoupleType(form.thermocouple_type))


def _thermistor(form: SensorTypeForm) -> Thermistor:
    """An NTC by its two figures, or through the points that were pasted as °C and Ω."""
    if form.ntc_by != "points":
        return Thermistor(_figure(form, "ohm_25"), _figure(form, "beta_k"))
    rows = read_table(form.ntc_points, CurveKind.OHMS, Quantity.TEMPERATURE, "degC", field="ntc_points").rows
    try:
        return Thermistor.from_points(tuple((degc, ohm) for ohm, degc in rows))
    except ValueError as error:
        raise EntryError("ntc_points", form.ntc_points[:40], as_sentence(error)) from error


def _switching(form: SensorTypeForm) -> Switching:
    return Switching(form.low_when_present == "yes")


def _wiper(form: SensorTypeForm) -> Wiper | None:
    return None if form.track_ohm is None else Wiper(form.track_ohm)


_ELEMENTS: dict[type, Callable[[SensorTypeForm], Element | None]] = {
    Thermistor: _thermistor,
    Coil: _coil,
    FrequencyCurve: _frequency,
    ThermocoupleKind: _thermocouple,
    Switching: _switching,
    Wiper: _wiper,
}


def _table_curve(form: SensorTypeForm, shop: Shop, quantity: Quantity, base: PressureBase | None) -> TableCurve:
    """A curve by the table that was pasted; the order of its rows does not matter."""
    kind = CurveKind(form.kind)
    rows = read_table(form.table, kind, quantity, shop.units[quantity]).rows
    ordered = sorted(rows, key=lambda row: row[1])
    for (s0, v0), (s1, v1) in pairwise(ordered):
        if v0 == v1:
            value = show(v0, shop.units[quantity], trim=True)
            problem = f"The value {value} stands in two rows, with the signals {s0:.4g} and {s1:.4g}."
            raise EntryError("table", form.table[:40], problem, "Keep one of them.")
    steps = [(b[0] - a[0], a, b) for a, b in pairwise(ordered)]
    rises = ordered[-1][0] >= ordered[0][0]
    for step, a, b in steps:
        if (step < 0) == rises and step:
            ends = " to ".join(show(v, shop.units[quantity], trim=True) for v in (a[1], b[1]))
            way = "falls" if rises else "rises"
            problem = f"From {ends} the signal {way} from {a[0]:.4g} to {b[0]:.4g}, against the rest of the table."
            raise EntryError("table", form.table[:40], problem, "A curve rises or falls throughout: check these rows.")
    try:
        return TableCurve(kind, quantity, tuple(s for s, _ in ordered), tuple(v for _, v in ordered), base)
    except ValueError as error:
        raise EntryError("table", form.table[:40], f"Here {error}.") from error


def sensor_values(sensor: SensorType, shop: Shop) -> FormState:
    """A sensor type's card as the form shows it, values in the shop's units."""
    values = {
        "name": sensor.name,
        "maker": sensor.maker,
        "family": sensor.family,
        "supply_v": f"{sensor.supply_v:g}",
        "tolerance_pct_span": f"{sensor.tolerance_pct_span:g}",
        "source": sensor.source,
        "quantity": sensor.quantity or Quantity.PRESSURE,
        "pressure_base": sensor.pressure_base or "",
    }
    for name, volts in (("fault_low_v", sensor.fault_low_v), ("fault_high_v", sensor.fault_high_v)):
        values[name] = "" if volts is None else f"{volts:g}"
    for name, degc in (("bears_low_degc", sensor.bears.low_degc), ("bears_high_degc", sensor.bears.high_degc)):
        values[name] = "" if degc is None else f"{degc:g}"
    if sensor.bears.overpressure_kpa is not None:
        values["overpressure"] = show(sensor.bears.overpressure_kpa, shop.units[Quantity.PRESSURE], trim=True)
    return FormState(values | _curve_values(sensor, shop) | _element_values(sensor))


def _curve_values(sensor: SensorType, shop: Shop) -> dict[str, str]:
    curve = sensor.curve
    if curve is None:
        return {}
    unit = shop.units[curve.quantity]
    scale = 100.0 if curve.kind is CurveKind.RATIO else 1.0
    values = {"kind": str(curve.kind), "shape": "table" if isinstance(curve, TableCurve) else "line"}
    if isinstance(curve, TableCurve):
        return values | {"table": write_table(curve, curve.points, unit)}
    return values | {
        "signal_low": f"{curve.signal_low * scale:.10g}",
        "signal_high": f"{curve.signal_high * scale:.10g}",
        "value_low": f"{from_fixed(curve.value_low, unit):.10g}",
        "value_high": f"{from_fixed(curve.value_high, unit):.10g}",
    }


def _element_values(sensor: SensorType) -> dict[str, str]:
    found: dict[str, float] = {}
    match sensor.element:
        case Thermistor() as ntc if ntc.points:
            return {"ntc_by": "points", "ntc_points": "\n".join(f"{t:.10g}\t{r:.10g}" for t, r in ntc.points)}
        case Thermistor() as ntc:
            found = {"ohm_25": ntc.ohm_25, "beta_k": ntc.beta_k}
        case Coil() as coil:
            low_v, high_v = coil.loose_vac
            found = {"coil_ohm": coil.ohm, "coil_tolerance_pct": coil.tolerance_pct}
            found |= {"loose_low_v": low_v, "loose_high_v": high_v}
        case FrequencyCurve() as f:
            found = {"hz_low": f.hz_low, "hz_high": f.hz_high}
            found |= {"pulse_low_ms": f.pulse_low_ms, "pulse_high_ms": f.pulse_high_ms}
        case Wiper() as wiper:
            found = {"track_ohm": wiper.ohm}
        case Switching() as switching:
            return {"low_when_present": "yes" if switching.low_when_present else "no"}
        case ThermocoupleKind() as pair:
            if pair.uv_per_k is None:
                return {"thermocouple_type": str(pair.letter)}
            return {"thermocouple_type": "other", "uv_per_k": f"{pair.uv_per_k:.10g}"}
    return {name: f"{figure:.10g}" for name, figure in found.items()}


def _curve_from_form(form: SensorTypeForm, shop: Shop) -> StraightCurve:
    """The straight line by two points, or the table."""
    quantity, kind = Quantity(form.quantity), CurveKind(form.kind)
    base = PressureBase(form.pressure_base) if form.pressure_base else None
    if quantity is Quantity.PRESSURE and base is None:
        raise EntryError(
            "pressure_base", "", "A pressure is gauge or absolute.", "Choose which one the data sheet says."
        )
    if quantity is not Quantity.PRESSURE:
        base = None
    if form.shape == "table":
        return _table_curve(form, shop, quantity, base)
    low, high = form.signal_low, form.signal_high
    if low is None or high is None:
        missing = "signal_low" if low is None else "signal_high"
        raise EntryError(
            missing, "", "Type the signal at this end.", "In % of the supply, in volts, or a loop's in mA."
        )
    if low == high:
        raise EntryError("signal_high", f"{high:g}", "Both ends have the same signal.", "Type the signal at each end.")
    most = {CurveKind.RATIO: 100.0, CurveKind.CURRENT: _MOST_MA}.get(kind, form.supply_v)
    for name, signal in (("signal_low", low), ("signal_high", high)):
        if not 0 <= signal <= most:
            what = {CurveKind.RATIO: "0 to 100 % of the supply", CurveKind.CURRENT: f"0 to {most:g} mA"}
            problem = f"{signal:g} is outside {what.get(kind, f'0 to {most:g} V, which is its supply')}."
            raise EntryError(name, f"{signal:g}", problem, _CHECK_UNITS)
    scale = 0.01 if kind is CurveKind.RATIO else 1.0
    values = [
        _end(typed, quantity, base, shop, name)
        for name, typed in (("value_low", form.value_low), ("value_high", form.value_high))
    ]
    if values[0] >= values[1]:
        raise EntryError(
            "value_high", form.value_high, "The high end is not above the low end.", "Swap the two points."
        )
    return LinearCurve(
        kind=kind,
        quantity=quantity,
        signal_low=low * scale,
        signal_high=high * scale,
        value_low=values[0],
        value_high=values[1],
        pressure_base=base,
    )


def _end(typed: str, quantity: Quantity, base: PressureBase | None, shop: Shop, name: str) -> float:
    """The value at one end of a range; a pressure may say its base, which is then the card's."""
    sensed = parse_sensed(typed, quantity, field=name, unit=shop.units[quantity])
    if sensed.said is not None and sensed.said is not base:
        raise EntryError(
            name, typed, f"{quoted(typed)} is {sensed.said}, and the card says {base}.", "Choose one of the two."
        )
    return sensed.value


def shop_values(shop: Shop) -> FormState:
    """The shop's own form as it starts."""
    values = {"name": shop.name, "height_m": f"{shop.height_m:g}", "timezone": shop.timezone}
    values |= {f"unit_{quantity}": shop.units[quantity] for quantity in IN_UNITS}
    values["joint_school"] = shop.joint_school or ""
    values["paper"] = shop.paper
    values["foreman_alone"] = "yes" if shop.foreman_alone else "no"
    values |= {spec.name: f"{getattr(shop.limits, spec.name):g}" for spec in SHOP_LIMITS}
    return FormState(values)


class _ShopForm(PostedForm):
    name: Annotated[str, text(80, what="the shop's name")]
    height_m: Annotated[float, number(HEIGHT_M.low, HEIGHT_M.high, what="the height above sea level in metres")]
    timezone: Timezone
    joint_school: Annotated[str, choice("", *Joint)] = ""
    foreman_alone: Annotated[str, choice("yes", "no")] = "no"
    paper: Annotated[str, choice("a4", "letter")] = "a4"


def shop_from_posted(shop: Shop, posted: dict[str, str]) -> tuple[Shop | None, FormState]:
    """The changed shop, or None with the messages: its form has one field per unit and per limit of their tables."""
    form, state = read_form(_ShopForm, posted)
    errors = dict(state.errors)
    units = dict(shop.units)
    for quantity in IN_UNITS:
        code = posted.get(f"unit_{quantity}", "")
        if code not in {unit.code for unit in units_of(quantity)}:
            errors[f"unit_{quantity}"] = f"{quoted(code)} is not a unit of {quantity}. Choose one from the list."
        units[quantity] = code
    limits = {}
    for spec in SHOP_LIMITS:
        try:
            limits[spec.name] = parse_plain_number(
                posted.get(spec.name, ""), field=spec.name, limits=spec.allowed, what="a limit"
            )
        except EntryError as error:
            errors[spec.name] = str(error)
    if form is None or errors:
        return None, FormState(posted, errors)
    changed = replace(
        shop,
        name=form.name,
        height_m=form.height_m,
        timezone=form.timezone,
        units=units,
        limits=ShopLimits(**limits),
        joint_school=Joint(form.joint_school) if form.joint_school else None,
        foreman_alone=form.foreman_alone == "yes",
        paper=form.paper,
    )
    return changed, state
