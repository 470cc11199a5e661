"""The Pulse room's smaller questions: which principle and pull-up, the fuel sensor, the air gap, a channel over a bus."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.signal_parts import (
    FuelReading,
    Principle,
    air_gap,
    bus_channel,
    decode_fuel,
    find_principle,
    pull_up_for,
)
from irongauge.errors import EntryError, quoted
from irongauge.web.deps import PagesDep
from irongauge.web.forms.base import Form, choice, number, optional_number, read_form

__all__ = ["router"]

router = APIRouter(include_in_schema=False)


class PrincipleForm(Form):
    wires: Annotated[str, choice("2", "3", "4")] = "3"
    supply_v: Annotated[float | None, optional_number(0, 32, what="volts")] = None
    low_v: Annotated[float | None, optional_number(-5, 32, what="volts")] = None
    high_v: Annotated[float | None, optional_number(-5, 32, what="volts")] = None
    ac_v: Annotated[float | None, optional_number(0, 300, what="volts")] = None
    coil_ohm: Annotated[float | None, optional_number(0, 1e7, what="ohms")] = None
    sine: Annotated[str, choice("no", "yes")] = "no"
    to_v: Annotated[float | None, optional_number(1, 32, what="volts")] = None
    highest_hz: Annotated[float | None, optional_number(0.1, 100_000, what="a frequency")] = None
    wire_m: Annotated[float | None, optional_number(0, 100, what="metres")] = None


class FuelForm(Form):
    frequency_hz: Annotated[float | None, optional_number(0, 10_000, what="the frequency in Hz")] = None
    pulse_ms: Annotated[float | None, optional_number(0.01, 1000, what="the low pulse in ms")] = None


class GapForm(Form):
    readings: str = ""
    least_mm: Annotated[float, number(0, 20, what="the least gap in mm")] = 0.8
    most_mm: Annotated[float, number(0.01, 20, what="the greatest gap in mm")] = 1.3


class BusForm(Form):
    low_hz: Annotated[float | None, optional_number(0.01, 100_000, what="the lowest frequency")] = None
    high_hz: Annotated[float | None, optional_number(0.01, 100_000, what="the highest frequency")] = None
    pulses: Annotated[float, number(1, 1000, what="how many pulses")] = 1
    frame_hz: Annotated[float, number(0.1, 1000, what="frames a second")] = 20
    needed_hz: Annotated[float, number(0.01, 1000, what="the fastest change, per second")] = 1
    tick_us: Annotated[float, number(0.001, 10_000, what="the module's clock tick in µs")] = 1
    nodes: str = ""
    node: str = ""


@dataclass(frozen=True)
class Told:
    """What a small question gets: a mark, a headline, and sentences."""

    mark: str
    headline: str
    sentences: tuple[str, ...]


def _typed(request: Request) -> dict[str, str]:
    return {name: value[:4000] for name, value in request.query_params.items()}


@router.get("/pulse/principle", name="pulse_principle")
def get_principle(request: Request, pages: PagesDep) -> Response:
    form, state = read_form(PrincipleForm, {"wires": "3", "sine": "no", **_typed(request)})
    told = None if form is None else _principle(form)
    return pages.render(request, "pulse_principle.html", state=state, found=told, tab="principle")


def _principle(form: PrincipleForm) -> Told | None:
    looks = (form.supply_v, form.low_v, form.high_v, form.ac_v, form.coil_ohm)
    sentences = []
    mark, headline = "not measured", "Look at the sensor"
    if any(look is not None for look in looks):
        found = find_principle(
            int(form.wires),
            supply_v=form.supply_v,
            low_v=form.low_v,
            high_v=form.high_v,
            ac_v=form.ac_v,
            coil_ohm=form.coil_ohm,
            input_takes_sine=form.sine == "yes",
        )
        clear = found.principle is not Principle.UNCLEAR
        mark = "pass" if clear and not found.one_too_many else "undecided" if not found.one_too_many else "fail"
        headline = found.principle
        sentences.append(found.reason)
        if found.needs_conditioner:
            sentences.append("The input takes no sine: a conditioner that makes a square of it is needed.")
        if found.needs_pull_up:
            sentences.append("It needs one pull-up, at the controller or at the sensor, not at both.")
    if form.to_v is not None and form.highest_hz is not None and form.wire_m is not None:
        sentences.append(f"Pull-up: {pull_up_for(form.to_v, form.highest_hz, form.wire_m).sentence}")
    return Told(mark, headline, tuple(sentences)) if sentences else None


@router.get("/pulse/fuel", name="pulse_fuel")
def get_fuel(request: Request, pages: PagesDep) -> Response:
    form, state = read_form(FuelForm, _typed(request))
    told = None
    if form is not None and form.frequency_hz is not None:
        told = _fuel(decode_fuel(form.frequency_hz, form.pulse_ms))
    return pages.render(request, "pulse_fuel.html", state=state, found=told, tab="fuel")


def _fuel(found: FuelReading) -> Told:
    parts = []
    if found.share_pct is not None:
        parts.append(f"{found.share_pct:.1f} %")
    if found.temperature_degc is not None:
        parts.append(f"{found.temperature_degc:.1f} °C")
    return Told(
        "fail" if found.fault else "pass", ", ".join(parts) or "no reading", (found.fault,) if found.fault else ()
    )


@router.get("/pulse/gap", name="pulse_gap")
def get_gap(request: Request, pages: PagesDep) -> Response:
    form, state = read_form(GapForm, {"least_mm": "0.8", "most_mm": "1.3", **_typed(request)})
    told = None
    if form is not None and form.readings.strip():
        try:
            told = _gap(form)
        except EntryError as error:
            state = state.with_error(error)
    return pages.render(request, "pulse_gap.html", state=state, found=told, tab="gap")


def _gap(form: GapForm) -> Told:
    readings = []
    for part in form.readings.replace(";", " ").split():
        try:
            readings.append(float(part.rstrip(",").replace(",", ".")))
        except ValueError:
            problem = f"{quoted(part)} is not a number."
            raise EntryError("readings", form.readings, problem, "Type the feelers in mm: 1.0 1.05 1.1 1.0") from None
    try:
        found = air_gap(readings, form.least_mm, form.most_mm)
    except ValueError as error:
        raise EntryError("readings", form.readings, f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    return Told(
        "pass" if found.fits else "fail",
        f"{found.mean_mm:.2f} mm on average",
        (found.sentence, f"Spread {found.spread_mm:.2f} mm; once a turn ± {found.run_out_mm:.2f} mm."),
    )


@router.get("/pulse/bus", name="pulse_bus")
def get_bus(request: Request, pages: PagesDep) -> Response:
    start = {"pulses": "1", "frame_hz": "20", "needed_hz": "1", "tick_us": "1"}
    form, state = read_form(BusForm, {**start, **_typed(request)})
    told = None if form is None else _bus(form)
    return pages.render(request, "pulse_bus.html", state=state, found=told, tab="bus")


_TIMES_FASTER = 10.0  # a frame rate this many times the fastest change shows it


def _bus(form: BusForm) -> Told | None:
    if form.low_hz is None or form.high_hz is None:
        return None
    slow, fast = (
        bus_channel(hz, int(form.pulses), form.frame_hz, tick_s=form.tick_us * 1e-6)
        for hz in sorted((form.low_hz, form.high_hz))
    )
    sentences = [
        f"{end}: {seen.delay_s * 1000:.3g} ms late, to {seen.resolution_pct:.2g} %, {seen.update_hz:.3g} new values a second."
        for end, seen in (("Lowest speed", slow), ("Highest speed", fast))
    ]
    wanted = _TIMES_FASTER * form.needed_hz
    enough = form.frame_hz >= wanted
    if not enough:
        sentences.append(f"Set {wanted:g} frames a second or more: ten times the fastest change that must be seen.")
    ids = [part for part in form.nodes.replace(",", " ").split() if part]
    twice = form.node.strip() in ids if form.node.strip() else False
    if twice:
        sentences.append(f"Node {form.node.strip()} is on the bus already: each module needs an id of its own.")
    return Told("pass" if enough and not twice else "fail", "fast enough" if enough else "too slow", tuple(sentences))
