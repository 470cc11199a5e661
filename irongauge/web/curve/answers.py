"""What the Curve room's tools show, worked out from what was typed."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from irongauge.core.controllers.figures import (
    Cells,
    Counts,
    EndPoints,
    FormKind,
    Forms,
    Input,
    Limit,
    OffsetSlope,
    Polynomial,
    Scaled,
    Target,
    ZeroFive,
    forms_of,
)
from irongauge.core.controllers.reading_back import EntryVerdict
from irongauge.core.measure.units import (
    FIXED_UNIT,
    PressureBase,
    rebase,
    show,
    show_pct,
    show_split,
    unit_for,
    units_of,
)
from irongauge.core.sensors.conversion import (
    Feed,
    Scale,
    reading_at,
    reading_quantity,
    reading_to_signal,
    value_from_reading,
)
from irongauge.core.sensors.transfer import LOOP_FAILS_BELOW_MA, LOOP_FAILS_FROM_MA, Curve, CurveKind, TableCurve
from irongauge.errors import EntryError
from irongauge.formats.entries_text import form_from_figures
from irongauge.web.curve.calibration_forms import value_from
from irongauge.web.curve.drawings import (
    CurveDrawing,
    draw_entry,
    draw_numbers,
    draw_point,
)
from irongauge.web.curve.forms import (
    CheckForm,
    ConvertForm,
    NumbersForm,
    Surroundings,
    feed_from,
    reading_from,
    readings_from,
    target_from,
)
from irongauge.workflows.curve.controllers import ToolSubject
from irongauge.workflows.curve.entries import KeptVerdict, entry_verdict, held_against

_POOR_PCT = 2.0  # a straight form that is further off than this does harm

__all__ = [
    "Converted",
    "Numbers",
    "ReadBack",
    "convert",
    "curve_drawn",
    "kept_verdicts",
    "numbers",
    "read_back",
]


@dataclass(frozen=True, kw_only=True)
class Converted:
    """One point of a curve, both ways: `reading` and `value` are what the other field shows."""

    reading: str
    value: str
    headline: str
    detail: str
    values: tuple[tuple[str, str, str], ...]  # unit, and the value on both bases (or only the first)
    warning: str


def curve_drawn(subject: ToolSubject, form: ConvertForm | NumbersForm, found: Converted | None) -> CurveDrawing:
    """The subject's curve as the controller sees it, with the point that was converted, where it has both figures."""
    assert subject.channel is not None  # the page asks only where there is one
    around = Surroundings(subject.shop, subject.height_m)
    feed = feed_from(form, subject.channel, subject.nominal_feed, subject.measured_reference_v)
    curve = subject.channel.curve
    scale = Scale(subject.shop.units[curve.quantity], curve.pressure_base, around.atmosphere(form.barometer)[0])
    has_point = found is not None and found.value
    point = (float(found.reading), float(found.value)) if found is not None and has_point else None
    return draw_point(Input(curve, feed), scale, point)


def convert(subject: ToolSubject, form: ConvertForm) -> Converted | None:
    """The point that was typed; None while nothing is. Raises `EntryError`."""
    assert subject.channel is not None  # the page asks only where there is one
    channel = subject.channel
    around = Surroundings(subject.shop, subject.height_m)
    atmosphere_kpa = around.atmosphere(form.barometer)[0]
    feed = feed_from(form, channel, subject.nominal_feed, subject.measured_reference_v)
    unit = subject.shop.units[channel.curve.quantity]
    scale = Scale(unit, channel.curve.pressure_base, atmosphere_kpa)
    side = form.side or ("reading" if form.reading.strip() else "value")
    typed = form.reading if side == "reading" else form.value
    if not typed.strip():
        return None
    if side == "reading":
        reading = reading_from(form.reading, channel, feed)
        value = value_from_reading(channel.curve, reading, feed)
    else:
        value = value_from(form.value, channel, scale)
        reading = reading_at(channel.curve, value, feed)
    return _converted(subject, feed, scale, (reading, value), follows="value" if side == "reading" else "reading")


def _no_value(reading: str, feed: Feed, *, is_open: bool) -> Converted:
    problem = f"{reading} leaves no ohms: a short to ground."
    if is_open:
        problem = f"{reading} is no less than the pull-up's supply of {feed.pull_up_v:g} V: an open circuit."
    return Converted(reading="", value="", headline="no value", detail=problem, values=(), warning="")


def _in_every_unit(curve: Curve, value: float, scale: Scale) -> tuple[tuple[str, str, str], ...]:
    """A value in each unit, a pressure on both of its bases."""
    rows = []
    for other in units_of(curve.quantity):
        bases: tuple[PressureBase | None, ...] = (None,) if curve.pressure_base is None else tuple(PressureBase)
        shown = [show(rebase(value, curve.pressure_base, b, scale.atmosphere_kpa), other.code) for b in bases]
        rows.append((other.label, shown[0], shown[1] if len(shown) > 1 else ""))
    if curve.pressure_base is not None:
        gauge_kpa = rebase(value, curve.pressure_base, PressureBase.GAUGE, scale.atmosphere_kpa)
        rows.append(("inHg below 0, psi above", show_split(gauge_kpa), ""))
    return tuple(rows)


def _beyond_the_supply(curve: Curve, reading: float, unit: str, feed: Feed) -> str:
    if curve.kind is not CurveKind.RATIO or 0 <= reading <= feed.reference_v:
        return ""
    beyond = "above its own reference" if reading > 0 else "below 0"
    return f"{show(reading, unit)} lies {beyond}: no good sensor gives that. Look for a short or an open ground."


def _no_current(curve: Curve, signal: float) -> str:
    if curve.kind is not CurveKind.CURRENT or LOOP_FAILS_BELOW_MA < signal < LOOP_FAILS_FROM_MA:
        return ""
    side = "too little" if signal <= LOOP_FAILS_BELOW_MA else "too much"
    return (
        f"{show(signal, 'mA')} is no value: a loop says by {side} current that it is broken or its sensor has failed."
    )


def _out_of_range(curve: Curve, value: float, scale: Scale, base: str) -> str:
    slack = 1e-9 * (curve.value_high - curve.value_low)
    if curve.value_low - slack <= value <= curve.value_high + slack:
        return ""
    ends = (show(v, scale.unit, trim=True) for v in (curve.value_low, curve.value_high))
    return f"Outside its range of {' to '.join(ends)}{base}: the line is carried on, a real sensor may not be."


def _on_a_level(curve: Curve, signal: float, scale: Scale, base: str) -> str:
    level = curve.level_at(signal) if isinstance(curve, TableCurve) else None
    return "" if level is None else _level(level, scale, base)


def _converted(
    subject: ToolSubject, feed: Feed, scale: Scale, point: tuple[float, float], *, follows: str
) -> Converted:
    """What is said of a point of reading and value; the one that `follows` from the other stands first."""
    reading, value = point
    assert subject.channel is not None
    curve = subject.channel.curve
    unit = FIXED_UNIT[reading_quantity(curve.kind, feed)]
    if not math.isfinite(value):
        return _no_value(show(reading, unit), feed, is_open=reading > 0)
    base = "" if curve.pressure_base is None else f" {curve.pressure_base}"
    signal = reading_to_signal(curve.kind, reading, feed)
    detail = {
        CurveKind.RATIO: f"{signal * 100:.2f} % of the reference, {feed.reference_v:g} V",
        CurveKind.OHMS: f"{show(signal, 'ohm')}" + (f" through {feed.pull_up_ohm:g} Ω" if feed.pull_up_ohm else ""),
        CurveKind.CURRENT: f"{show(signal, 'mA')}" + (f" over {feed.shunt_ohm:g} Ω" if feed.shunt_ohm else ""),
    }.get(curve.kind, "")
    warning = _beyond_the_supply(curve, reading, unit, feed) or _no_current(curve, signal)
    warning = warning or _out_of_range(curve, value, scale, base) or _on_a_level(curve, signal, scale, base)
    shown_value = f"{show(value, scale.unit)}{base}"
    return Converted(
        reading=f"{reading:.5g}",
        value=f"{scale.shown(value, curve.pressure_base):.6g}",
        headline=shown_value if follows == "value" else show(reading, unit),
        detail=(f"{show(reading, unit)} at the controller’s end" if follows == "value" else shown_value)
        + (f"; {detail}" if detail else ""),
        values=_in_every_unit(curve, value, scale),
        warning=warning,
    )


def _level(level: tuple[float, float], scale: Scale, base: str) -> str:
    low, high = (show(v, scale.unit, trim=True) for v in level)
    return f"The curve is level there: this reading means anything from {low} to {high}{base}."


@dataclass(frozen=True, kw_only=True)
class OfferedText:
    """A form as a card: its lines as they are typed in, and what rounding costs."""

    kind: FormKind
    lines: tuple[tuple[str, str], ...]
    cells: tuple[tuple[str, str], ...]
    copy: str
    cost: str
    is_poor: bool


@dataclass(frozen=True, kw_only=True)
class Numbers:
    """Everything a controller may ask for."""

    forms: Forms
    target: Target
    cards: tuple[OfferedText, ...]
    bands: tuple[tuple[str, str], ...]
    reading_unit: str
    drawing: CurveDrawing


def _seen(subject: ToolSubject, form: NumbersForm) -> Input:
    assert subject.channel is not None
    return Input(
        subject.channel.curve, feed_from(form, subject.channel, subject.nominal_feed, subject.measured_reference_v)
    )


def numbers(subject: ToolSubject, form: NumbersForm) -> Numbers:
    """Every form of the subject's curve. Raises `EntryError`."""
    assert subject.channel is not None
    assert subject.sensor is not None
    seen = _seen(subject, form)
    target = target_from(form, subject.channel, Surroundings(subject.shop, subject.height_m))
    sensor = subject.sensor
    readings = readings_from(form.cells, seen)
    try:
        forms = forms_of(
            seen,
            target,
            readings,
            fault=(sensor.fault_low_v, sensor.fault_high_v),
            warn=(form.warn_low, form.warn_high),
        )
    except ValueError as error:
        raise EntryError(
            "cells", form.cells, f"Here {error}.", "Type how many cells, or list different readings."
        ) from error
    reading_label = unit_for(seen.unit).label
    cards = tuple(_card(o.kind, o.form, o.cost_pct, target, reading_label) for o in forms.offered)
    offered = forms.of(FormKind.END_POINTS)
    is_poor = offered is not None and offered.cost_pct > _POOR_PCT
    table = next((o.form for o in forms.offered if isinstance(o.form, Cells)), None)
    drawing = draw_numbers(seen, target.scale, offered.form if offered is not None and is_poor else None, table)
    return Numbers(
        forms=forms,
        target=target,
        cards=cards,
        bands=_bands(forms, target, reading_label),
        reading_unit=seen.unit,
        drawing=drawing,
    )


def _card(kind: FormKind, form: object, cost_pct: float, target: Target, reading_label: str) -> OfferedText:
    unit = unit_for(target.scale.unit).label
    d, r = target.decimals, target.reading_decimals
    lines: list[tuple[str, str]] = []
    cells: list[tuple[str, str]] = []
    match form:
        case EndPoints():
            lines = [
                (f"{form.reading_low:.{r}f} {reading_label}", f"{form.shown_low:.{d}f} {unit}"),
                (f"{form.reading_high:.{r}f} {reading_label}", f"{form.shown_high:.{d}f} {unit}"),
            ]
        case ZeroFive():
            lines = [("0 V", f"{form.shown_at_0:.{d}f} {unit}"), ("5 V", f"{form.shown_at_5:.{d}f} {unit}")]
        case OffsetSlope():
            more = d + (1 if reading_label == "V" else 4)
            lines = [
                ("offset", f"{form.offset:.{d}f} {unit}"),
                ("slope", f"{form.slope:.{more}f} {unit} per {reading_label}"),
            ]
        case Scaled():
            counts = "mV" if form.counts == 1000 else reading_label  # noqa: PLR2004
            lines = [
                (f"{counts} ×", f"{form.multiplier}"),
                ("÷", f"{form.divider}"),
                ("plus", f"{form.offset:.{d}f} {unit}"),
            ]
        case Counts():
            lines = [
                ("converter", f"{form.bits} bits over {form.full_scale_v:g} V"),
                ("at 0", f"{form.offset:.{d}f} {unit}"),
                ("per step", f"{form.per_count:.{d + 4}f} {unit}"),
            ]
        case Polynomial():
            lines = [
                (f"V{'⁰¹²³'[power]} ×" if power else "at 0 V", f"{figure:.7g} {unit}".replace("-", "−"))
                for power, figure in enumerate(form.powers)
            ]
        case Cells():
            cells = [(f"{a:.{r}f}", f"{b:.{d}f}") for a, b in zip(form.readings, form.shown, strict=True)]
    rows = cells or lines
    cost = "rounding costs nothing" if cost_pct < 5e-4 else f"costs {show_pct(cost_pct)} of span"  # noqa: PLR2004
    text = "\n".join(f"{a}\t{b}" for a, b in rows).replace("−", "-")
    return OfferedText(
        kind=kind,
        lines=tuple(lines),
        cells=tuple(cells),
        copy=text,
        cost=cost,
        is_poor=cost_pct > _POOR_PCT and not cells,
    )


def _bands(forms: Forms, target: Target, reading_label: str) -> tuple[tuple[str, str], ...]:
    unit, d, r = unit_for(target.scale.unit).label, target.decimals, target.reading_decimals
    b = forms.bands
    return (
        ("least", f"{b.shown_low:.{d}f} {unit}"),
        ("greatest", f"{b.shown_high:.{d}f} {unit}"),
        ("warn below", f"{b.warn_low:.{d}f} {unit}"),
        ("warn above", f"{b.warn_high:.{d}f} {unit}"),
        ("fault below", f"{b.fault_low:.{r}f} {reading_label}"),
        ("fault above", f"{b.fault_high:.{r}f} {reading_label}"),
    )


@dataclass(frozen=True)
class ReadBack:
    """An entry's verdict, and its line over the right one; a limit has none."""

    verdict: EntryVerdict
    drawing: CurveDrawing | None


def read_back(subject: ToolSubject, form: CheckForm, figures: Mapping[str, str]) -> ReadBack | None:
    """An entry held against the subject's curve; None while nothing is typed. Raises `EntryError`."""
    assert subject.channel is not None
    kind = FormKind(form.kind)
    if not any(str(v).strip() for v in figures.values()):
        return None
    seen = _seen(subject, form)
    target = target_from(form, subject.channel, Surroundings(subject.shop, subject.height_m))
    entry = form_from_figures(kind, figures, target.scale.unit, reading_quantity(subject.channel.curve.kind, seen.feed))
    verdict = entry_verdict(
        seen,
        entry,
        target.scale,
        allowance_pct=form.allowance_pct,
        presets=_presets(subject),
        nominal_v=_nominal_v(subject),
    )
    return ReadBack(verdict, None if isinstance(entry, Limit) else draw_entry(seen, target.scale, entry))


def _presets(subject: ToolSubject) -> list[tuple[str, Curve]]:
    return [(sensor.name, channel.curve) for sensor in subject.shelf for channel in sensor.channels]


def _nominal_v(subject: ToolSubject) -> float:
    return 5.0 if subject.sensor is None else subject.sensor.supply_v


def kept_verdicts(subject: ToolSubject, form: NumbersForm) -> tuple[KeptVerdict, ...]:
    """Every kept entry of the circuit against the curve as it is chosen now."""
    if subject.channel is None:
        return ()
    atmosphere_kpa = Surroundings(subject.shop, subject.height_m).atmosphere(form.barometer)[0]
    return held_against(subject.entries, _seen(subject, form), atmosphere_kpa, _presets(subject), _nominal_v(subject))
