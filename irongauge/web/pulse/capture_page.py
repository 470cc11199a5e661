"""What the page of a captured waveform shows: its figures, its findings numbered, and what its picture needs."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from irongauge.core.pulses.examination import Examination
from irongauge.core.pulses.record import Capture, KeptPulse, about_of
from irongauge.core.pulses.signal_parts import decode_fuel
from irongauge.core.pulses.unequal import angles_text
from irongauge.core.pulses.waveform import Shape
from irongauge.core.sensors.families import Family
from irongauge.web.pulse.ring_drawing import RingDrawing, draw_ring
from irongauge.workflows.pulse.kept_checks import Keeping

__all__ = ["CapturePage", "FigureLine", "capture_page"]

_PULSES_SHOWN = 24
_VARIES = 1.06  # a speed whose ends are this many times apart varied
_COIL_VOLTS = 1.0  # peak to peak, that a page says the speed for


@dataclass(frozen=True)
class FigureLine:
    """One figure: its name, its text with unit, and what it means."""

    name: str
    text: str
    meaning: str = ""


@dataclass(frozen=True, kw_only=True)
class CapturePage:
    """A capture as its page shows it. `picture` is what the script that draws it starts from, as JSON."""

    capture: Capture
    headline: str
    main_figure: str
    figures: tuple[FigureLine, ...]
    ring: RingDrawing | None
    picture: str
    is_kept: bool
    angles: str


def capture_page(capture: Capture, keeping: Keeping) -> CapturePage:
    """Everything that the template of a capture shows."""
    found = capture.examination
    by = next((k for k in keeping.kept if k.uid == capture.kept_uid), None)
    is_fuel = keeping.circuit is not None and keeping.circuit.family is Family.FREQUENCY
    return CapturePage(
        capture=capture,
        headline=_headline(found),
        main_figure="no pulses" if found.frequency_hz is None else hertz(found.frequency_hz),
        figures=(*_figures(found), *(_of_fuel(found) if is_fuel else [])),
        ring=None if found.ring is None else draw_ring(found.ring),
        picture=json.dumps(_picture(capture)),
        is_kept=by is not None and _same(capture, by),
        angles=angles_text(found.angles_deg),
    )


def _headline(found: Examination) -> str:
    if not found.findings:
        return "Nothing wrong is found"
    others = len(found.findings) - 1
    return found.findings[0].sentence + (f" And {others} more." if others else "")


def _same(capture: Capture, kept: KeptPulse) -> bool:
    """True while nothing else was told of the ring since it was kept."""
    given = {name: kept.given.get(name) for name in asdict(capture.about)}
    return about_of(given) == capture.about


def _picture(capture: Capture) -> dict[str, object]:
    """Levels, findings with their places, and the stretch that is shown first: some pulses about the first finding."""
    found = capture.examination
    wide = found.seconds if found.frequency_hz is None else min(_PULSES_SHOWN / found.frequency_hz, found.seconds)
    first = next((f.at_s[0] + f.wide_s / 2 for f in found.findings if f.at_s), wide / 2)
    begin = min(max(first - wide / 2, 0.0), found.seconds - wide)
    levels = [] if found.shape is Shape.FLAT else [("low", found.low_v), ("high", found.high_v)]
    return {
        "seconds": found.seconds,
        "from_s": begin,
        "until_s": begin + wide,
        "levels": [{"name": name, "volts": volts} for name, volts in levels],
        "findings": [
            {"number": number, "what": f.what, "at_s": f.at_s, "wide_s": f.wide_s}
            for number, f in enumerate(found.findings, 1)
            if f.at_s
        ],
    }


def _figures(found: Examination) -> list[FigureLine]:
    return [*_of_speed(found), *_of_wave(found), *_of_coil(found), *_of_ring(found), *_of_capture(found)]


def _of_speed(found: Examination) -> list[FigureLine]:
    slow, fast = found.slowest_hz, found.fastest_hz
    if slow is None or fast is None or fast < _VARIES * slow:
        return []
    return [FigureLine("Speed", f"{slow:.3g} to {fast:.3g} Hz", "over five pulses")]


def _of_wave(found: Examination) -> list[FigureLine]:
    """Levels of any wave; times of a square one."""
    if found.shape is Shape.FLAT:
        return []
    is_coil = found.shape is Shape.SINE
    swing = f"{found.high_v - found.low_v:.2f} V peak to peak" if is_coil else ""
    lines = [FigureLine("Levels", f"{found.low_v:.2f} to {found.high_v:.2f} V".replace("-", "−"), swing)]
    if found.duty_pct is not None and found.high_s is not None and found.low_s is not None and not is_coil:
        meaning = f"{span(found.high_s)} high, {span(found.low_s)} low"
        lines.append(FigureLine("High", f"{found.duty_pct:.1f} %", meaning))
    if found.rise_s is not None and found.fall_s is not None:
        lines.append(FigureLine("Edges", f"{span(found.rise_s)} up, {span(found.fall_s)} down", "from 10 to 90 %"))
    return lines


def _of_coil(found: Examination) -> list[FigureLine]:
    lines = []
    if found.volts_per_hz:
        meaning = f"peak to peak; {_COIL_VOLTS:g} V from {hertz(_COIL_VOLTS / found.volts_per_hz)}"
        lines.append(FigureLine("Coil", f"{1000 * found.volts_per_hz:.3g} mV per Hz", meaning))
    if found.rise_power is not None:
        text = f"to the power {found.rise_power:.2f}"
        lines.append(FigureLine("Volts with speed", text, "1 is in proportion, as it should be"))
    if found.steep_edge is not None:
        meaning = "set the input to that one, or swap the leads"
        lines.append(FigureLine("Tooth stands at", f"the {found.steep_edge} edge", meaning))
    return lines


def _of_ring(found: Examination) -> list[FigureLine]:
    if found.ring is None:
        return []
    return [
        FigureLine("Ring", f"{found.ring.teeth} teeth", f"{found.ring.turns:.1f} turns in view"),
        FigureLine("Run-out", f"± {found.ring.run_out_pct:.2f} %", "of a pitch, once a turn"),
    ]


def _of_capture(found: Examination) -> list[FigureLine]:
    lines = []
    if found.jitter_pct is not None:
        lines.append(FigureLine("Jitter", f"{found.jitter_pct:.2g} %", "of a period, one edge"))
    lines.append(FigureLine("Noise", f"± {1000 * 2 * found.noise_v:.2g} mV", "on a level, k = 2"))
    lines.append(FigureLine("Pulses", f"{found.pulses:,}", f"in {span(found.seconds)}, {found.samples:,} samples"))
    return lines


def _of_fuel(found: Examination) -> list[FigureLine]:
    """What the common fuel composition sensor says with these pulses."""
    if found.frequency_hz is None:
        return []
    fuel = decode_fuel(found.frequency_hz, None if found.low_s is None else 1000 * found.low_s)
    parts = [] if fuel.share_pct is None else [f"{fuel.share_pct:.1f} %"]
    parts += [] if fuel.temperature_degc is None else [f"{fuel.temperature_degc:.1f} °C"]
    return [
        FigureLine("As a fuel sensor", ", ".join(parts) or "no reading", fuel.fault or "composition and temperature")
    ]


def hertz(value: float) -> str:
    """A frequency in words."""
    return f"{value / 1000:.4g} kHz" if value >= 10_000 else f"{value:.4g} Hz"  # noqa: PLR2004


def span(seconds: float) -> str:
    """A span of time in the unit that suits it."""
    for least, factor, unit in ((1.0, 1.0, "s"), (1e-3, 1e3, "ms")):
        if seconds >= least:
            return f"{seconds * factor:.4g} {unit}"
    return f"{seconds * 1e6:.3g} µs"
