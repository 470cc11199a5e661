"""The Pulse room: what a frequency sensor should read, and the road speed. Results follow what is typed; nothing is stored."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.rolling import Known, hand_spin_hz, settle
from irongauge.core.speed_ratio import Explanation, RatioFit, explain_ratio, fit_ratio
from irongauge.errors import EntryError
from irongauge.web.deps import PagesDep
from irongauge.web.forms.base import FormState, read_form
from irongauge.web.forms.pulse import (
    SPEED_UNITS,
    RelateForm,
    SpeedForm,
    circumference_m,
    known_from,
    pairs_from,
    shown_fields,
)
from irongauge.web.pages import Pages

__all__ = ["router"]

router = APIRouter(include_in_schema=False)

_WIDE_PCT = 2.0


@dataclass(frozen=True)
class Line:
    """One quantity that follows: its name, its figure and unit, and the uncertainty that it inherits, where there is one."""

    name: str
    text: str
    pct: str
    is_last: bool


@dataclass(frozen=True)
class Relation:
    lines: tuple[Line, ...]
    fields: dict[str, str]
    needs: str
    spin: str


_SHOWN = (
    ("frequency", "frequency_hz", "At the sensor", "Hz"),
    ("speed", "speed_m_per_s", "Road speed", ""),
    ("pulses", "pulses_per_m", "Pulses", ""),
    ("rpm", "shaft_hz", "Shaft", "rpm"),
    ("", "wheel_hz", "Wheel", "rpm"),
    ("tyre", "circumference_m", "Tyre, across", "m"),
    ("axle_ratio", "axle_ratio", "Axle ratio", ""),
    ("teeth", "teeth", "Teeth", ""),
)


@router.get("/pulse", name="pulse")
def get_relate(request: Request, pages: PagesDep) -> Response:
    typed = {"unit": "km/h", **{k: v[:200] for k, v in request.query_params.items()}}
    form, state = read_form(RelateForm, typed)
    found = None
    if form is not None:
        try:
            found = _related(form)
            shown = {k: v for k, v in found.fields.items() if k != form.last}
            state = FormState({**state.values, **shown}, state.errors)
        except EntryError as error:
            state = state.with_error(error)
    return _render(request, pages, "pulse.html", state, found=found, tab="relate")


def _render(request: Request, pages: Pages, template: str, state: FormState, **values: Any) -> Response:
    return pages.render(request, template, state=state, units=list(SPEED_UNITS), **values)


def _related(form: RelateForm) -> Relation:
    known = known_from(form)
    last = {name: field for field, name, _, _ in _SHOWN if field}
    found = settle(known, next((name for name, field in last.items() if field == form.last), None))
    fields = shown_fields(found.values, form.unit)
    units = {"speed": form.unit, "pulses": "per km" if form.unit == "km/h" else "per mile"}
    lines = []
    for field, name, title, unit in _SHOWN:
        if name not in found.values:
            continue
        value = found.values[name]
        text = fields.get(field, f"{value.value * 60:.6g}").removesuffix(" m")
        pct = 200 * value.relative_u
        lines.append(
            Line(title, f"{text} {units.get(field, unit)}".strip(), f"± {pct:.2g} %" if pct else "", field == form.last)
        )
    return Relation(tuple(lines), fields, _needs(found.missing, bool(known)), _spin(form, found.values))


def _needs(missing: tuple[str, ...], any_typed: bool) -> str:  # noqa: FBT001
    if not any_typed:
        return "Type what you know, in any field: the others follow."
    if "frequency_hz" in missing or "speed_m_per_s" in missing:
        return (
            "More is needed for the rest: teeth, axle ratio and tyre tie the sensor to the road; a speed or a frequency sets "
            "it going."
        )
    return ""


def _spin(form: RelateForm, values: Mapping[str, Known]) -> str:
    """What a wheel turned by hand should give."""
    if form.turns is None or form.seconds is None:
        return ""
    teeth, axle, around = (values.get(name) for name in ("teeth", "axle_ratio", "circumference_m"))
    if teeth is None:
        return "For the hand-spin check the number of teeth is needed."
    ratio = 1.0 if axle is None else axle.value
    hertz = hand_spin_hz(form.turns, form.seconds, teeth.value * ratio)
    text = f"{form.turns:g} turns of the wheel in {form.seconds:g} s: {hertz:.4g} Hz at the sensor"
    if around is not None:
        kmh = form.turns / form.seconds * around.value * 3.6
        shown = kmh / SPEED_UNITS[form.unit][0]
        text += f", and the display should show {shown:.3g} {form.unit}"
    return text + "."


@dataclass(frozen=True)
class Speed:
    """What the pairs say, and what to type."""

    fit: RatioFit
    count: int
    new: str
    sentence: str
    explained: tuple[Explanation, ...]


@router.get("/pulse/speed", name="pulse_speed")
def get_speed(request: Request, pages: PagesDep) -> Response:
    typed = {"unit": "km/h", **{k: v[:20_000] for k, v in request.query_params.items()}}
    form, state = read_form(SpeedForm, typed)
    found = None
    if form is not None:
        try:
            found = _speed(form)
        except EntryError as error:
            state = state.with_error(error)
    return _render(request, pages, "pulse_speed.html", state, found=found, tab="speed")


def _speed(form: SpeedForm) -> Speed | None:
    pairs = pairs_from(form)
    if not pairs:
        return None
    fit = fit_ratio(pairs)
    kmh, _ = SPEED_UNITS[form.unit]
    axles = _numbers(form.axles, "axles")
    tyres = [circumference_m(t, "tyres") for t in form.tyres.replace(";", ",").split(",") if t.strip()]
    explained = explain_ratio(
        fit.ratio,
        teeth=None if form.teeth is None else round(form.teeth),
        axle_ratio=form.axle_ratio,
        axle_ratios=axles,
        diameter_m=circumference_m(form.tyre) if form.tyre.strip() else None,
        diameters_m=tyres,
    )
    new = "" if form.old is None else f"{fit.new_figure(form.old):.5g}"
    return Speed(fit, len(pairs), new, _sentence(fit, kmh, form.unit), explained)


def _numbers(typed: str, field: str) -> list[float]:
    found = []
    for part in typed.replace(";", " ").split():
        try:
            found.append(float(part.rstrip(",").replace(",", ".")))
        except ValueError:
            raise EntryError(field, typed, f"“{part[:40]}” is not a number.", "Type them as 3.55 3.73 4.1.") from None
    return [f for f in found if f > 0]


def _sentence(fit: RatioFit, kmh: float, unit: str) -> str:
    if fit.is_offset and fit.offset_kmh is not None and fit.offset_u is not None:
        return (
            f"An offset fits better than a ratio: the display is {abs(fit.offset_kmh) / kmh:.2g} {unit} "
            f"{'high' if fit.offset_kmh > 0 else 'low'} at every speed (± {2 * fit.offset_u / kmh:.2g}). That is no ratio "
            "problem: look for noise pick-up at rest, or an offset that is entered in the display."
        )
    if fit.spread_pct is None:
        return "One pair gives a ratio, but not how far to trust it. Take two more at other speeds."
    if fit.spread_pct > _WIDE_PCT:
        return (
            f"The pairs differ by {fit.spread_pct:.1f} % among themselves: take them again, held steady, before you type "
            "anything."
        )
    return f"The pairs agree within {fit.spread_pct:.2g} %."
