"""Drives as a logger would have recorded them, with a known truth: a made vehicle with one thing wrong, or nothing.

Made from the vehicle's own physics (a shaft with inertia, a turbine that lags, oil that thins) and from what loggers
do: rates from 5 to 50 Hz, coarse steps, noise that the engine makes. Nothing here knows how faults are found.
"""

# ruff: noqa: PLR2004  a made vehicle's own figures

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FindingKind
from irongauge.core.traces.senses import Sense
from irongauge.instruments import drives as driven
from irongauge.instruments.drives import LOGGED

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

__all__ = ["FAULTS", "Drive", "made_drive"]


@dataclass(frozen=True)
class Drive:
    """A log, what was put into it, and in which channel; None for one that is well."""

    log: Log
    kind: FindingKind | None
    channels: tuple[str, ...]


_SENSORS = ("Oil pressure", "Fuel pressure", "Boost", "Crankcase pressure", "Coolant pressure")


def _between(made: driven.Drive, least_s: float, *, running: bool = True) -> int:
    """A place of the drive in its running part, so many seconds from its ends."""
    good = np.flatnonzero(made.running) if running else np.arange(len(made.time_s))
    first, last = int(good[0] + least_s * made.rate), int(good[-1] - least_s * made.rate)
    return int(made.rng.integers(first, max(first + 1, last)))


def _span(name: str) -> tuple[float, float]:
    span = LOGGED[name][4]
    assert span is not None
    return span


def _width(name: str) -> float:
    low, high = _span(name)
    return high - low


_Raw = dict[str, "Floats"]


def _dropout(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    to = float("nan") if made.rng.random() < 0.3 else float(made.rng.choice(_span(name)))
    for _ in range(int(made.rng.integers(1, 7))):
        at, length = _between(made, 6), max(1, int(made.rng.uniform(0.1, 1.2) * made.rate))
        raw[name][at : at + length] = to
    return (name,)


def _shared(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    other = str(made.rng.choice([s for s in _SENSORS if s != name]))
    for _ in range(int(made.rng.integers(1, 6))):
        at, length = _between(made, 6), max(1, int(made.rng.uniform(0.1, 1.0) * made.rate))
        for one in (name, other):
            raw[one][at : at + length] = _span(one)[0]
    return name, other


def _hole(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    for _ in range(int(made.rng.integers(1, 4))):
        at, length = _between(made, 6), max(2, int(made.rng.uniform(0.3, 3.0) * made.rate))
        for values in raw.values():
            values[at : at + length] = np.nan
    return ("",)


def _pegged(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    at, length = _between(made, 20), int(made.rng.uniform(3, 40) * made.rate)
    raw[name][at : at + length] = float(made.rng.choice(_span(name)))
    return (name,)


def _clamped(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    name = str(made.rng.choice(["Boost", "Oil pressure"]))
    sigma, step = LOGGED[name][5:]
    own = raw[name][made.running]
    limit = min(float(np.quantile(own, made.rng.uniform(0.7, 0.93))), float(own.max()) - 4 * sigma)
    raw[name] = np.minimum(raw[name], round(limit / step) * step)
    return (name,)


def _stuck(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    at, length = _between(made, 25), int(made.rng.uniform(16, 60) * made.rate)
    raw[name][at : at + length] = raw[name][at]
    return (name,)


def _noise(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    loud, step = _width(name) * made.rng.uniform(0.03, 0.09), LOGGED[name][6]
    at, length = _between(made, 20), int(made.rng.uniform(8, 60) * made.rate)
    where = slice(None) if made.rng.random() < 0.3 else slice(at, at + length)
    noisy = raw[name][where] + made.rng.normal(0, loud, len(raw[name][where]))
    raw[name][where] = np.clip(noisy, *_span(name))
    raw[name] = np.round(raw[name] / step) * step
    return (name,)


def _step(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    names = ["Fuel pressure", "Coolant pressure", "Barometer", "Oil temperature", "Crankcase pressure"]
    name = str(made.rng.choice(names))
    half, edge = int(2.5 * made.rate), int(8 * made.rate)

    def is_calm(at: int) -> bool:
        load, rpm = (made.values[n][at - half : at + half] for n in ("Load", "Engine speed"))
        return float(load.max() - load.min()) < 4 and float(rpm.max() - rpm.min()) < 120

    calm = [
        at for at in np.flatnonzero(made.running).tolist()[edge : -edge : max(1, int(made.rate / 2))] if is_calm(at)
    ]
    at = int(made.rng.choice(calm)) if calm else _between(made, 10)
    up = 1.0 if raw[name][at] <= sum(_span(name)) / 2 else -1.0
    raw[name][at:] += up * _width(name) * made.rng.uniform(0.16, 0.3)
    return (name,)


def _drifting(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    name = str(made.rng.choice(["Fuel pressure", "Sensor reference"]))
    heat = made.values["Coolant temperature"]
    share = float(made.rng.uniform(0.07, 0.15)) * float(made.rng.choice([-1, 1]))
    raw[name] += (heat - heat[0]) / 60 * _width(name) * share
    return (name,)


def _key_on(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    name = str(made.rng.choice(["Oil pressure", "Boost", "Crankcase pressure", "Barometer"]))
    raw[name] += _width(name) * made.rng.uniform(0.1, 0.2)
    return (name,)


def _coarse(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    own = float(np.quantile(raw[name], 0.99) - np.quantile(raw[name], 0.01))
    coarse = max(own * made.rng.uniform(0.08, 0.15), _width(name) * 0.012)
    raw[name] = np.round(raw[name] / coarse) * coarse
    return (name,)


def _ripple(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    raw["Battery"] += np.where(made.running, made.rng.normal(0, made.rng.uniform(0.18, 0.5), len(made.time_s)), 0)
    return ("Battery",)


def _outside(made: driven.Drive, raw: _Raw, name: str) -> tuple[str, ...]:
    at, length = _between(made, 15), int(made.rng.uniform(3, 20) * made.rate)
    raw[name][at : at + length] += _width(name) * 1.2
    return (name,)


def _of_a_24_v_machine(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    raw["Battery"] = raw["Battery"] * 2 + made.rng.uniform(-0.3, 0.3)
    return ("Battery",)


_PUT = {
    FindingKind.DROPOUT: _dropout, FindingKind.SHARED: _shared, FindingKind.HOLE: _hole, FindingKind.PEGGED: _pegged,
    FindingKind.CLAMPED: _clamped, FindingKind.STUCK: _stuck, FindingKind.NOISE: _noise, FindingKind.STEP: _step,
    FindingKind.DRIFT: _drifting, FindingKind.KEY_ON: _key_on, FindingKind.COARSE: _coarse, FindingKind.RIPPLE: _ripple,
    FindingKind.OUTSIDE: _outside, FindingKind.OTHER_VEHICLE: _of_a_24_v_machine,
}  # fmt: skip
_SECOND_OF = {FindingKind.LAG: ("Boost",), FindingKind.DISAGREES: ("Boost", "Oil pressure", "Coolant temperature")}


def _tooth(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    """One tooth of the ring is short: once a turn the speed is told too low."""
    turn = np.cumsum(np.maximum(raw["Road speed"], 0.0)) / (
        float(made.rng.uniform(8, 16)) * float(raw["Road speed"].max())
    )
    once = np.diff(np.floor(turn), prepend=0.0) > 0
    raw["Road speed"] = np.where(once & (raw["Road speed"] > 12), raw["Road speed"] * 0.87, raw["Road speed"])
    return ("Road speed",)


def _clocks(made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    """A second box tells the speeds too, by a clock of its own."""
    late_s = float(made.rng.uniform(3.0, 6.0))
    for name in ("Engine speed", "Road speed"):
        raw[f"{name} 2"] = np.interp(made.time_s - late_s, made.time_s, raw[name])
    return ("Engine speed 2", "Road speed 2")


def _in_fahrenheit(_made: driven.Drive, raw: _Raw, _name: str) -> tuple[str, ...]:
    raw["Coolant temperature"] = raw["Coolant temperature"] * 1.8 + 32
    return ("Coolant temperature",)


_PUT_LATER = {
    FindingKind.TOOTH: _tooth,
    FindingKind.CLOCKS: _clocks,
    FindingKind.SCALE: _in_fahrenheit,
}
FAULTS = (*_PUT, *_SECOND_OF, *_PUT_LATER, FindingKind.SWAPPED)


def made_drive(kind: FindingKind | None, seed: int) -> Drive:
    """A drive with that wrong, or with nothing; the same seed gives the same."""
    rng = np.random.default_rng([seed, 0 if kind is None else 1 + FAULTS.index(kind)])
    rate = float(rng.choice([5.0, 10.0, 20.0, 50.0]))
    made = driven.drive(rng, float(rng.uniform(240, 600)), rate, is_cold=kind is FindingKind.DRIFT)
    channels: tuple[str, ...] = ()
    if kind in _SECOND_OF:
        base = str(rng.choice(_SECOND_OF[kind]))
        channels = (f"{base} 2", base)
        made.values[channels[0]] = _second(made, kind, base)
        if kind is FindingKind.DISAGREES and rng.random() < 0.5:
            made.values[f"{base} 3"] = made.values[base]
    elif kind is None and rng.random() < 0.3:
        made.values["Boost 2"] = made.values["Boost"]
    raw = driven.recorded(made)
    put = None if kind is None else (_PUT | _PUT_LATER).get(kind)
    if put is not None:
        channels = put(made, raw, str(rng.choice(_SENSORS)))
    # Nobody has mapped the channels to their circuits yet, in a third of the logs; an end cannot be told from a limit there.
    is_mapped = kind in {FindingKind.PEGGED, FindingKind.OUTSIDE} or rng.random() < 2 / 3
    logged = [_channel(name, made.time_s, value, is_mapped=is_mapped) for name, value in raw.items()]
    more = [] if kind is FindingKind.HOLE else _others(made)
    if kind is FindingKind.SWAPPED:
        logged, channels = _swapped(made, logged)
    return Drive(Log((*logged, *more), 12.0, driven.AIR_KPA), kind, channels)


def _swapped(made: driven.Drive, logged: list[Channel]) -> tuple[list[Channel], tuple[str, ...]]:
    """The battery's volts stand under a lambda's name, and the other way."""
    mixture = (1.0 + 0.02 * made.rng.standard_normal(len(made.time_s))).astype(np.float32)
    volts = next(c for c in logged if c.name == "Battery")
    probe = replace(volts, name="Lambda", unit="λ", quantity=None, sense=Sense.LAMBDA, span=None)
    rest = [replace(c, value=mixture) if c is volts else c for c in logged]
    return [*rest, probe], ("Battery", "Lambda")


def _second(made: driven.Drive, kind: FindingKind, base: str) -> Floats:
    """A second sensor of the same thing, late or off."""
    rng, clean = made.rng, made.values[base]
    if kind is FindingKind.LAG:
        return np.asarray(np.interp(made.time_s - rng.uniform(0.6, 3.0), made.time_s, clean))
    if base == "Coolant temperature":
        return np.asarray(clean + float(rng.choice([-1, 1])) * rng.uniform(12, 25))
    is_slope = rng.random() < 0.4
    off = clean * rng.uniform(0.8, 0.9) if is_slope else clean + _width(base) * rng.uniform(0.06, 0.15)
    return np.where(made.running, off, clean)


def _channel(name: str, time_s: Floats, value: Floats, *, is_mapped: bool) -> Channel:
    sense, quantity, unit, base, known, _, _ = LOGGED[name.split(" 2", maxsplit=1)[0].split(" 3", maxsplit=1)[0]]
    return Channel(
        name=name,
        unit=unit,
        quantity=quantity,
        sense=sense,
        time_s=time_s,
        value=value.astype(np.float32),
        span=known if is_mapped else None,
        base=base if is_mapped else None,
    )


def _others(made: driven.Drive) -> list[Channel]:
    """What loggers write beside sensors: gears, switches, counters, times, angles, ratios."""
    rng, n = made.rng, len(made.time_s)
    load, rpm = made.values["Load"], made.values["Engine speed"]
    columns = {
        ("Gear", ""): np.where(made.running & (load > 10), np.clip(np.floor(rpm / 420), 0, 6), 0),
        ("Fan", ""): (made.values["Coolant temperature"] > 85).astype(float),
        ("Injection time", "ms"): np.where(
            made.running, np.round((1.2 + load * 0.11 + rng.normal(0, 0.02, n)) / 0.05) * 0.05, 0
        ),
        ("Lambda", ""): np.where(
            made.running, np.round(1 + 0.03 * np.sin(made.time_s * 5) - load / 700 + rng.normal(0, 0.01, n), 3), 2
        ),
        ("Ignition angle", "°"): np.where(made.running, np.round(12 + rpm / 150 - load / 8), 0),
        ("Hour counter", "h"): np.round(8123.4 + made.time_s / 3600, 1),
        ("Learned idle", "%"): np.full(n, 3.1),
        ("Spare input", "V"): np.round(0.4 + 0.3 * np.abs(driven.follow(rng.normal(0, 1, n), made.rate, 0.1)), 2),
    }
    some = rng.permutation(len(columns))[: int(rng.integers(0, 6))].tolist()
    return [
        Channel(
            name=name, unit=unit, quantity=None, sense=Sense.OTHER, time_s=made.time_s, value=values.astype(np.float32)
        )
        for at, ((name, unit), values) in enumerate(columns.items())
        if at in some
    ]
