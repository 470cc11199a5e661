"""Rendering: one template environment, and what every page has (theme, navigation, form token, asset addresses)."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from datetime import date, datetime
from functools import cached_property
from pathlib import Path
from typing import Any
from urllib.parse import quote
from zoneinfo import ZoneInfo

from jinja2 import Environment, FileSystemBytecodeCache, FileSystemLoader, StrictUndefined, select_autoescape
from starlette.datastructures import URL
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse

from irongauge.core.measure.units import show, show_chance, show_difference, show_pct, show_volts, unit_for
from irongauge.core.sensors.circuits import Instrument, SensorType, Switching
from irongauge.core.sensors.families import Coil, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind
from irongauge.core.shop import MOST_BATTERIES, Promise, Shop
from irongauge.core.work.hours import clock_text
from irongauge.web.security import SESSION_COOKIE, FormTokens

__all__ = ["STYLES", "Pages", "as_moment", "go_to"]

HERE = Path(__file__).resolve().parent
STATIC = HERE / "static"
# In this order: what is common first, then a room each; those behind `narrow` say themselves what a narrow screen changes.
_ROOMS = (
    "floor", "job", "bench", "connector", "evidence", "forms", "shelf", "curve", "pulse", "plan", "live", "handover",
    "questions", "guide", "narrow", "work", "trace", "people",
)  # fmt: skip
STYLES = ("app.css", *(f"styles/{room}.css" for room in _ROOMS))
_SESSION_S = 90 * 24 * 3600


def go_to(address: Any) -> RedirectResponse:
    """After a form was taken: look at the result, so that a reload sends nothing again."""
    return RedirectResponse(str(address), status_code=303)


class _Addresses:
    """Paths of pages by name, worked out once for each name: looking through all routes costs a page of fifty links some ms."""

    def __init__(self) -> None:
        self._formats: dict[tuple[str, ...], str] = {}

    def of(self, request: Request) -> Callable[..., URL]:
        """What templates call: `url(name, uid=…)` gives a path on this server."""

        def address(name: str, **params: Any) -> URL:
            key = (name, *params)
            path = self._formats.get(key)
            if path is None:
                marks = {param: f"\0{param}\0" for param in params}
                path = self._formats[key] = str(request.app.url_path_for(name, **marks))
            for param, value in params.items():
                path = path.replace(f"\0{param}\0", quote(str(value), safe=""))
            return URL(path)

        return address


class Pages:
    """Templates and what they share."""

    def __init__(self, tokens: FormTokens, cache: Path) -> None:
        """`cache` is a folder where compiled templates are kept between starts."""
        self._tokens = tokens
        self._addresses = _Addresses()
        cache.mkdir(parents=True, exist_ok=True)
        self._environment = Environment(
            loader=FileSystemLoader([HERE / "templates", *sorted(HERE.glob("*/templates"))]),
            autoescape=select_autoescape(["html"]),
            undefined=StrictUndefined,
            trim_blocks=True,
            lstrip_blocks=True,
            auto_reload=False,
            bytecode_cache=FileSystemBytecodeCache(str(cache)),
        )
        self._environment.globals.update(
            asset=self._asset, icons=self._icons, zip=zip, STYLES=STYLES, MOST_BATTERIES=MOST_BATTERIES
        )
        self._environment.filters.update(
            chance=show_chance,
            volts=show_volts,
            quantity=show,
            difference=show_difference,
            pct=show_pct,
            unit=lambda code: unit_for(code).label,
            day=_day,
            promise=_promise,
            moment=as_moment,
            options=_options,
            element=_element,
            due_note=_due_note,
        )

    def render(self, request: Request, template: str, status: int = 200, **values: Any) -> HTMLResponse:
        """A page. `values` are what its template names; a missing one is an error, not a blank."""
        session, cookie = self._tokens.session(request), None
        if session is None:
            session, cookie = self._tokens.new_session()
        text = self._environment.get_template(template).render(
            request=request,
            url=self._addresses.of(request),
            token=self._tokens.token(session),
            who=getattr(request.state, "who", None),
            **values,
        )
        response = HTMLResponse(text, status)
        if cookie is not None:
            response.set_cookie(SESSION_COOKIE, cookie, max_age=_SESSION_S, httponly=True, samesite="strict")
        return response

    def text(self, template: str, **values: Any) -> str:
        """A document that is no page: it has no links and no forms."""
        return self._environment.get_template(template).render(**values)

    def _asset(self, name: str) -> str:
        """Address of one of our own static files, with its content's hash so that it can be kept for ever."""
        return f"/static/{name}?v={self._hashes[name]}" if name in self._hashes else f"/static/{name}"

    @cached_property
    def _hashes(self) -> dict[str, str]:
        own = [p for p in STATIC.rglob("*") if p.is_file() and "vendor" not in p.parts]
        return {str(p.relative_to(STATIC)): hashlib.sha256(p.read_bytes()).hexdigest()[:12] for p in own}

    @cached_property
    def _icon_file(self) -> str:
        (found,) = STATIC.glob("vendor/lucide-*/icons.svg")
        return f"/static/{found.relative_to(STATIC)}"

    def _icons(self, name: str) -> str:
        return f"{self._icon_file}#{name}"


def _options(things: Iterable[Any], value: str = "", *texts: str) -> list[tuple[str, str]]:
    """What a choice offers: each thing's `value` attribute, and its `texts` attributes joined; things themselves as text."""
    if not value:
        return [(str(thing), str(thing)) for thing in things]
    return [
        (str(getattr(thing, value)), ", ".join(str(text) for name in texts if (text := getattr(thing, name))))
        for thing in things
    ]


def _element(sensor: SensorType) -> str:
    """A sensor's own figures in a line, where it has no straight curve."""
    match sensor.element:
        case Thermistor():
            count = len(sensor.element.points)
            by = f", by {count} points" if count else ""
            return f"{sensor.element.ohm_25:.5g} Ω at 25 °C, beta {sensor.element.beta_k:.5g} K{by}"
        case Coil():
            least, most = sensor.element.loose_vac
            return f"coil {sensor.element.ohm:g} Ω ± {sensor.element.tolerance_pct:g} %, {least:g} to {most:g} V AC"
        case FrequencyCurve():
            return f"{sensor.element.hz_low:g} Hz at 0 %, {sensor.element.hz_high:g} Hz at 100 %"
        case ThermocoupleKind():
            pair = sensor.element
            return f"{pair.uv_per_k:g} µV per K" if pair.letter is None else f"type {pair.letter}"
        case Switching():
            return "low with the target there" if sensor.element.low_when_present else "high with the target there"
    return "contact to ground"


_SOON_DAYS = 14


def _due_note(instrument: Instrument, today: date) -> str:
    """Behind an instrument's name in a choice: that its calibration was due, or soon is."""
    if instrument.due is None or (instrument.due - today).days > _SOON_DAYS:
        return ""
    return (
        f", overdue since {_day(instrument.due)}" if instrument.overdue_on(today) else f", due {_day(instrument.due)}"
    )


def _day(day: date) -> str:
    return f"{day.day} {day:%b %Y}"


def _promise(promise: Promise) -> str:
    return _day(promise.on) + ("" if promise.by is None else f" by {clock_text(promise.by)}")


def as_moment(moment: datetime, shop: Shop) -> str:
    """A moment in the shop's time."""
    here = moment.astimezone(ZoneInfo(shop.timezone))
    return f"{here.day} {here:%b %H:%M}"
