"""What the Curve room says of two things that should agree, worked out from what was typed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from irongauge.core.controllers.cross_checks import (
    CheckKind,
    CrossVerdict,
    instruments_agree,
    instruments_differ,
    own_regulator,
    sensors_agree,
    under_boost,
)
from irongauge.core.controllers.following import Displayed, clipped, displays_agree
from irongauge.core.controllers.line_loss import Arrival, line_loss
from irongauge.core.measure.entry import parse_entry, parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.uncertainty import GaugeSpec, combine
from irongauge.core.measure.units import PressureBase, Quantity, from_fixed, rebase, show, to_fixed
from irongauge.core.sensors.circuits import Instrument
from irongauge.core.sensors.conversion import Scale, reading_at, reading_quantity, reading_range
from irongauge.core.sensors.transfer import CurveKind
from irongauge.errors import EntryError
from irongauge.formats.curve_table import read_table
from irongauge.web.curve.calibration_forms import value_from
from irongauge.web.curve.drawings import CurveDrawing, ScaleDrawing, draw_pairs, draw_scale
from irongauge.web.curve.forms import CompareForm, Surroundings
from irongauge.workflows.curve.controllers import ToolSubject

__all__ = ["Compared", "compared"]

_USUAL_KPA = 0.25  # standard uncertainty of an engine's pressure as live data show it
_INPUT_V = Limits(-1.0, 60.0)
_USUAL_SPAN_V = 4.0  # of a sensor of which nothing is known: 0.5 to 4.5 V
_LIVE_STEP_V = 5 / 1024  # of live data, where nobody knows it: ten bits over 5 V
_USUAL_SHARE = 0.001  # of the greatest value shown: what a display is taken to be read to


@dataclass(frozen=True)
class Compared:
    """A comparison's verdict, and both readings as they are drawn."""

    verdict: CrossVerdict
    scale: ScaleDrawing | None = None
    pairs: CurveDrawing | None = None


def compared(subject: ToolSubject, form: CompareForm) -> Compared | None:
    """A comparison; None while a field that it needs is empty. Raises `EntryError`."""
    return _BY_KIND[CheckKind(form.kind)](subject, form)


def _atmosphere_kpa(subject: ToolSubject, form: CompareForm) -> float:
    return Surroundings(subject.shop, subject.height_m).atmosphere(form.barometer)[0]


def _in_air(subject: ToolSubject, form: CompareForm) -> Compared | None:
    """A manifold sensor against a barometer, at key on or under boost."""
    if not form.first.strip() or not form.second.strip():
        return None
    atmosphere_kpa, unit = _atmosphere_kpa(subject, form), subject.shop.units[Quantity.PRESSURE]
    a, b = (_absolute(getattr(form, f), f, unit, atmosphere_kpa) for f in ("first", "second"))
    u_a = _else(_known_to(form.known_to, "known_to", Quantity.PRESSURE, unit), _USUAL_KPA)
    u_b = _else(_known_to(form.known_to_second, "known_to_second", Quantity.PRESSURE, unit), u_a)
    drawn = draw_scale([("manifold", form.first, a, 2 * u_a), ("barometer", form.second, b, 2 * u_b)], unit)
    if CheckKind(form.kind) is CheckKind.KEY_ON:
        return Compared(sensors_agree(a, b, combine(u_a, u_b), atmosphere_kpa), drawn)
    full = _absolute(form.full_scale, "full_scale", unit, atmosphere_kpa) if form.full_scale.strip() else None
    return Compared(under_boost(a, b, u_a, full, barometer_u_kpa=u_b, atmosphere_kpa=atmosphere_kpa), drawn)


def _instruments(subject: ToolSubject, form: CompareForm) -> Compared | None:
    """Two instruments on one hose; where only one says gauge or absolute, the other is taken to mean the same."""
    if not form.first.strip() or not form.second.strip():
        return None
    quantity = Quantity(form.quantity)
    unit, atmosphere_kpa = subject.shop.units[quantity], _atmosphere_kpa(subject, form)
    first, second = (parse_sensed(getattr(form, f), quantity, field=f, unit=unit) for f in ("first", "second"))
    base = first.said or second.said
    b = second.value if second.said is None else rebase(second.value, second.said, base, atmosphere_kpa)
    tools = [subject.people.instrument(uid) for uid in (form.first_uid, form.second_uid)]
    u_a, u_b = (_tool_u(tool, form, quantity, unit) for tool in tools)
    names = [name if tool is None else tool.name for name, tool in zip(("first", "second"), tools, strict=True)]
    drawn = draw_scale(
        [(names[0], form.first, first.value, 2 * (u_a or 0.0)), (names[1], form.second, b, 2 * (u_b or 0.0))], unit
    )
    if u_a is None or u_b is None:
        return Compared(instruments_differ(first.value, b, unit), drawn)
    return Compared(instruments_agree(first.value, u_a, b, u_b, unit), drawn)


def _absolute(typed: str, field: str, unit: str, atmosphere_kpa: float) -> float:
    """A pressure in kPa absolute; those of the engine's sensors are absolute unless typed otherwise."""
    sensed = parse_sensed(typed, Quantity.PRESSURE, field=field, unit=unit)
    value: float = rebase(sensed.value, sensed.said, PressureBase.ABSOLUTE, atmosphere_kpa)
    if value <= 0:
        raise EntryError(
            field, typed, "Nothing lies at or below 0 absolute.", "Type “gauge” behind it if it is a gauge pressure."
        )
    return value


def _tool_u(tool: Instrument | None, form: CompareForm, quantity: Quantity, unit: str) -> float | None:
    """An instrument's standard uncertainty: by the Shelf, as typed, or by its grade; None where nothing is known."""
    if tool is not None and tool.gauge is not None:
        return tool.gauge.standard_uncertainty()
    if form.grade and form.full_scale.strip():
        full = parse_sensed(form.full_scale, quantity, field="full_scale", unit=unit).value
        return GaugeSpec(quantity, full, float(form.grade)).standard_uncertainty() if full > 0 else None
    return _known_to(form.known_to, "known_to", quantity, unit)


def _known_to(typed: str, field: str, quantity: Quantity, unit: str) -> float | None:
    """The standard uncertainty of one reading: ± what was typed, rectangular; None where nothing was."""
    return _amount(typed, field, quantity, unit) / 3**0.5 if typed.strip() else None


def _else(known: float | None, usual: float) -> float:
    """What is known, 0 too, or else what is usual."""
    return usual if known is None else known


def _amount(typed: str, field: str, quantity: Quantity, unit: str) -> float:
    """A difference in the fixed unit, typed with or without its unit."""
    entry = parse_entry(typed, quantity, field=field, unit=unit)
    assert entry.value is not None  # no over-range word is allowed here
    return abs(entry.value - to_fixed(0.0, unit))


def _followed(subject: ToolSubject, form: CompareForm) -> Compared | None:
    """A display over several points, or a signal against what drives it."""
    if not form.pairs.strip():
        return None
    quantity = Quantity(form.quantity)
    unit = subject.shop.units[quantity]
    rows = _pairs(form.pairs)
    shown = [to_fixed(b, unit) for _, b in rows]
    u = _else(_known_to(form.known_to, "known_to", quantity, unit), _USUAL_SHARE * max(abs(v) for v in shown))
    if CheckKind(form.kind) is CheckKind.CLIPPED:
        return Compared(clipped([a for a, _ in rows], shown, u, unit), pairs=draw_pairs(rows, None, unit))
    sources = [to_fixed(a, unit) for a, _ in rows]
    tolerance = 0.01 * (max(sources) - min(sources))
    if form.tolerance.strip():
        tolerance = _amount(form.tolerance, "tolerance", quantity, unit)
    verdict = displays_agree([Displayed(a, b) for a, b in zip(sources, shown, strict=True)], u, tolerance, unit)
    allowed = from_fixed(to_fixed(0.0, unit) + tolerance, unit)
    return Compared(verdict, pairs=draw_pairs(rows, allowed, unit))


def _pairs(text: str) -> list[tuple[float, float]]:
    """Two columns of plain numbers: the source (or what drives it), then what is shown."""
    table = read_table(text, CurveKind.VOLTS, Quantity.RESISTANCE, "ohm", field="pairs")
    return [(value, signal) for signal, value in table.rows]


def _regulator(subject: ToolSubject, form: CompareForm) -> Compared | None:
    if form.supply_v is None or form.reference_v is None:
        return None
    share, span_share = 0.9, 0.8
    curve = None if subject.channel is None else subject.channel.curve
    if curve is not None and curve.kind is CurveKind.RATIO:
        ends = [curve.signal_at(v) for v in (curve.value_low, curve.value_high)]
        share, span_share = max(ends), abs(ends[1] - ends[0])
    meter = next((i.meter for i in subject.people.usable if i.meter is not None), None)
    u_v = 0.02 if meter is None else meter.standard_uncertainty(form.supply_v)
    verdict = own_regulator(
        form.supply_v, form.reference_v, share, span_share=span_share, tolerance_pct=form.tolerance_pct, u_v=u_v
    )
    volts = [("own supply", f"{form.supply_v:g} V", form.supply_v, 2 * u_v)]
    volts += [("controller’s reference", f"{form.reference_v:g} V", form.reference_v, 2 * u_v)]
    return Compared(verdict, draw_scale(volts, "V"))


def _line(subject: ToolSubject, form: CompareForm) -> Compared | None:
    """What should arrive at an input against what the controller shows of it."""
    if not form.expected.strip() or not form.shown.strip():
        return None
    channel = subject.channel
    feed = None if channel is None else subject.nominal_feed
    in_volts = (
        channel is not None and feed is not None and reading_quantity(channel.curve.kind, feed) is Quantity.VOLTAGE
    )
    expected_v, shown_v = (_at_input_v(subject, form, name, by_curve=in_volts) for name in ("expected", "shown"))
    span_v = _USUAL_SPAN_V
    if in_volts and channel is not None and feed is not None:
        low_v, high_v = reading_range(channel.curve, feed)
        span_v = abs(high_v - low_v)
    meter = next((i.meter for i in subject.people.usable if i.meter is not None), None)
    u_v = 0.02 if meter is None else meter.standard_uncertainty(expected_v)
    pull = None if subject.circuit is None else subject.circuit.pull_up
    arrival = Arrival(
        expected_v=expected_v,
        shown_v=shown_v,
        u_v=combine(u_v, _LIVE_STEP_V / 12**0.5),
        span_v=span_v,
        pull_ohm=None if pull is None else pull.resistance_ohm,
        pull_to_v=5.0 if pull is None else pull.to_v,
    )
    drawn = draw_scale(
        [("expected", form.expected, expected_v, 2 * u_v), ("shown", form.shown, shown_v, _LIVE_STEP_V / 3**0.5)], "V"
    )
    return Compared(line_loss(arrival, form.tolerance_pct), drawn)


def _at_input_v(subject: ToolSubject, form: CompareForm, name: str, *, by_curve: bool) -> float:
    """Volts as typed, or those that the sensor's curve gives for a value typed with its unit."""
    typed: str = getattr(form, name)
    try:
        entry = parse_entry(typed, Quantity.VOLTAGE, field=name, limits=_INPUT_V)
    except EntryError as no_volts:
        channel = subject.channel
        if not by_curve or channel is None or typed.strip().replace(",", ".").replace(".", "").isdigit():
            raise
        unit = subject.shop.units[channel.curve.quantity]
        scale = Scale(unit, channel.curve.pressure_base, _atmosphere_kpa(subject, form))
        try:
            value = value_from(typed, channel, scale, name)
        except EntryError:
            example = show(to_fixed(3.0, unit), unit, trim=True)
            would_do = f"Type volts, such as 2.38, or a value with its unit, such as {example}."
            raise EntryError(name, typed, no_volts.problem, would_do) from None
        return float(reading_at(channel.curve, value, subject.nominal_feed))
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


_BY_KIND: dict[CheckKind, Callable[[ToolSubject, CompareForm], Compared | None]] = {
    CheckKind.INSTRUMENTS: _instruments,
    CheckKind.KEY_ON: _in_air,
    CheckKind.BOOST: _in_air,
    CheckKind.DISPLAY: _followed,
    CheckKind.CLIPPED: _followed,
    CheckKind.REGULATOR: _regulator,
    CheckKind.LINE: _line,
}
