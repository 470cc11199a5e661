"""The connector face: the harness half as one looks into it, with where the probe goes now.

meter ──●            lead at the pin that is asked for
┌───────│──────────┐
│  (A) (B) (C)     │  cavities, role badge below, wire colour as a word and a stripe
└──────────────────┘
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from irongauge.core.bench.actions import Lead, Probe
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.sequence import Test
from irongauge.core.sensors.circuits import Pin

__all__ = ["ConnectorFace", "draw_connector", "draw_plug", "stripes_of"]

WIDTH, HEIGHT = 290.0, 244.0
_HOUSING_Y, _PIN_Y, _RADIUS = 94.0, 136.0, 25.0

# How a wire colour word is drawn; a word that is not here is drawn without a stripe, the word itself always stands.
_STRIPES = {
    "red": "#c62828", "black": "#1c1c1c", "blue": "#1e5fb3", "green": "#2e7d32", "yellow": "#e0b400",
    "white": "#f5f5f0", "brown": "#6d4326", "orange": "#d9660b", "violet": "#6b3fa0", "grey": "#84898e", "pink": "#e58aa8",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Cavity:
    """One cavity as it is drawn: where, whose wire, in which colours, and whether the probe is there."""

    x: float
    cavity: str
    role: str
    colour: str
    stripes: tuple[str, ...]
    active: bool


@dataclass(frozen=True, kw_only=True)
class ConnectorFace:
    """`probe` and `lead` are words under the picture; `lead_x` is where the probe comes down, if it touches a pin."""

    width: float
    height: float
    housing_y: float
    pin_y: float
    radius: float
    housing_x: float
    housing_width: float
    cavities: tuple[Cavity, ...]
    probe: str
    is_lamp: bool
    lead_x: float | None
    where: str
    summary: str


_PROBE_WORDS = {
    Probe.METER: "Meter, red lead",
    Probe.LAMP: "Test lamp",
    Probe.JUMPER: "Jumper",
    Probe.RESISTOR: "1 kΩ resistor",
    Probe.SCREEN: "Live data",
    Probe.SCOPE: "Scope or counter",
}


def stripes_of(wire_colour: str) -> tuple[str, ...]:
    """How the words of a wire's colour are drawn, such as `red/white`; nothing for a word that is no colour."""
    words = wire_colour.lower().replace("-", "/").replace(" ", "/").split("/")
    return tuple(_STRIPES[word] for word in words if word in _STRIPES)


def draw_connector(case: BenchCase, test: Test | None) -> ConnectorFace:
    """The face for a circuit, with the probe of `test` on it."""
    known = [(pin, case.role_of(pin.cavity) or "") for pin in case.circuit.pins]
    cavities = _cavities(known, None if test is None else test.test_point.cavity)
    active = next((c for c in cavities if c.active), None)
    probe = "" if test is None else _PROBE_WORDS[test.spec.probe]
    where, is_lamp = "", False
    if test is not None and test.spec.probe is not Probe.SCREEN:
        is_lamp = test.spec.probe is Probe.LAMP
        where = _where(test)
    face = _face(cavities)
    if active is None:
        return replace(face, probe=probe, is_lamp=is_lamp, where=where)
    summary = f"{face.summary}. {probe} at pin {active.cavity}; {where}."
    return replace(face, probe=probe, is_lamp=is_lamp, lead_x=active.x, where=where, summary=summary)


def draw_plug(pins: Sequence[Pin]) -> ConnectorFace:
    """The face of a plug as its circuit's data has it, with nothing on it."""
    return _face(_cavities([(pin, pin.role or "") for pin in pins]))


def _cavities(pins: Sequence[tuple[Pin, str]], active: str | None = None) -> tuple[Cavity, ...]:
    pitch = min(86.0, (WIDTH - 40) / len(pins))
    first = WIDTH / 2 - pitch * (len(pins) - 1) / 2
    return tuple(
        Cavity(
            x=first + place * pitch,
            cavity=pin.cavity,
            role=role,
            colour=pin.wire_colour,
            stripes=stripes_of(pin.wire_colour),
            active=pin.cavity == active,
        )
        for place, (pin, role) in enumerate(pins)
    )


def _face(cavities: tuple[Cavity, ...]) -> ConnectorFace:
    named = (f"{c.cavity} {c.role or 'of unknown role'} {c.colour}".strip() for c in cavities)
    return ConnectorFace(
        width=WIDTH,
        height=HEIGHT,
        housing_y=_HOUSING_Y,
        pin_y=_PIN_Y,
        radius=_RADIUS,
        housing_x=cavities[0].x - 44,
        housing_width=cavities[-1].x - cavities[0].x + 88,
        cavities=cavities,
        probe="",
        is_lamp=False,
        lead_x=None,
        where="",
        summary="Connector with pins " + ", ".join(named),
    )


def _where(test: Test) -> str:
    other = {
        Lead.BATTERY_NEGATIVE: "battery negative",
        Lead.BATTERY_POSITIVE: "battery positive",
        Lead.RETURN_PIN: "the return pin",
        Lead.OTHER_PIN: "the other pin of the sensor",
        Lead.SHIELD: "battery negative",
    }[test.spec.lead]
    if test.spec.role_point == "loop_ma":
        return "In the opened supply lead, on mA"
    if test.test_point.cavity is None:
        return {Lead.OTHER_PIN: "Across the loose sensor", Lead.SHIELD: "Shield to battery negative"}.get(
            test.spec.lead, "Across the battery" if test.spec.role_point in {"", "battery_v"} else "Across its two pins"
        )
    if test.spec.probe is Probe.METER:
        return f"Black lead: {other}"
    return f"Other end: {other}"
