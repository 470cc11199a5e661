"""Entries in a controller as people type them, wrong in one way or two: what is typed is reckoned by hand from a sheet's figures.

Straight lines, thermistor dividers and rounding are written out here; nothing of how entries are made or read back is used.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.core.controllers.figures import Cells, ControllerForm, EndPoints, Input, OffsetSlope, Scaled, ZeroFive
from irongauge.core.controllers.reading_back import Slip
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.conversion import Feed, Scale
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, NtcCurve

__all__ = ["WRONG", "Entered", "draw_entry", "draw_good"]

_PER_KPA = {"kPa": 1.0, "bar": 0.01, "psi": 1 / 6.894757293168, "mbar": 10.0, "inHg": 1 / 3.386389}
_DECIMALS = {"kPa": 1, "bar": 3, "psi": 2, "mbar": 0, "inHg": 2}
_ATMOSPHERE_KPA = 101.325


@dataclass(frozen=True, kw_only=True)
class Entered:
    """An entry, what it should fit, and the names that are right for what was done to it."""

    seen: Input
    form: ControllerForm
    scale: Scale
    right: frozenset[Slip]


@dataclass
class _Sheet:
    """A sensor's sheet: volts at both ends at 5 V, its values in kPa, gauge or absolute; what is measured as reference."""

    low_v: float
    high_v: float
    low_kpa: float
    high_kpa: float
    base: PressureBase
    reference_v: float = 5.0

    def seen(self) -> Input:
        curve = LinearCurve(
            kind=CurveKind.RATIO,
            quantity=Quantity.PRESSURE,
            signal_low=self.low_v / 5,
            signal_high=self.high_v / 5,
            value_low=self.low_kpa,
            value_high=self.high_kpa,
            pressure_base=self.base,
        )
        return Input(curve, Feed(self.reference_v))


def _sheet(rng: np.random.Generator) -> _Sheet:
    absolute = bool(rng.integers(0, 2))
    low_kpa = float(rng.choice([10, 15, 20, 25])) if absolute else 0.0
    high_kpa = float(rng.choice([105, 250, 300, 400] if absolute else [160, 600, 1000, 1600, 2500]))
    low_v, high_v = ((0.5, 4.5), (0.4, 4.65), (0.3, 4.8), (0.25, 4.75))[int(rng.integers(4))]
    return _Sheet(low_v, high_v, low_kpa, high_kpa, PressureBase.ABSOLUTE if absolute else PressureBase.GAUGE)


@dataclass
class _Typed:
    """The two points of a line in volts and in the controller's unit, and how many decimals are typed."""

    v0: float
    v1: float
    y0: float
    y1: float
    decimals: int


def _typed(s: _Sheet, unit: str, base: PressureBase | None = None) -> _Typed:
    shift = 0.0 if base is None or base is s.base else _ATMOSPHERE_KPA * (1 if base is PressureBase.ABSOLUTE else -1)
    ratio = s.reference_v / 5
    per = _PER_KPA[unit]
    return _Typed(
        s.low_v * ratio, s.high_v * ratio, (s.low_kpa + shift) * per, (s.high_kpa + shift) * per, _DECIMALS[unit]
    )


def _form(t: _Typed, kind: str) -> ControllerForm:
    slope = (t.y1 - t.y0) / (t.v1 - t.v0)
    at_0 = t.y0 - slope * t.v0
    d = t.decimals
    if kind == "points":
        return EndPoints(round(t.v0, 3), round(t.v1, 3), round(t.y0, d), round(t.y1, d))
    if kind == "zero and five":
        return ZeroFive(round(at_0, d + 1), round(at_0 + 5 * slope, d + 1))
    if kind == "offset and slope":
        return OffsetSlope(round(at_0, d + 1), round(slope, d + 2))
    if kind == "scaled":
        divider = int(10 ** max(0, 5 - math.ceil(math.log10(max(abs(slope), 1e-9)))))
        return Scaled(round(slope / 1000 * divider * 10), divider * 10, round(at_0, d + 1))
    volts = np.linspace(t.v0, t.v1, 9)
    return Cells(tuple(np.round(volts, 3).tolist()), tuple(np.round(at_0 + slope * volts, d + 1).tolist()))


_FORMS = ("points", "zero and five", "offset and slope", "scaled", "cells")
_LINES = _FORMS[:4]
_Wrong = Callable[[np.random.Generator], Entered]


def _entered(s: _Sheet, form: ControllerForm, unit: str, *right: Slip) -> Entered:
    return Entered(seen=s.seen(), form=form, scale=Scale(unit, s.base, _ATMOSPHERE_KPA), right=frozenset(right))


def _pick(rng: np.random.Generator, kinds: tuple[str, ...] = _FORMS) -> tuple[_Sheet, str, str]:
    return _sheet(rng), str(rng.choice(list(_PER_KPA))), str(rng.choice(list(kinds)))


def _thousand(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng, ("points", "cells", "offset and slope", "zero and five"))
    t = _typed(s, unit)
    times = float(rng.choice([1000, 0.001]))
    if kind in {"points", "cells"} and rng.integers(0, 2):
        t.v0, t.v1 = t.v0 * 1000, t.v1 * 1000  # millivolts
    else:
        t.y0, t.y1, t.decimals = t.y0 * times, t.y1 * times, t.decimals + (3 if times < 1 else 0)
    also = [Slip.WRONG_UNIT] if unit in {"bar", "mbar"} else []  # which are a thousand apart
    return _entered(s, _form(t, kind), unit, Slip.THOUSAND, *also)


def _exchanged(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng, ("offset and slope", "scaled", "points"))
    form = _form(_typed(s, unit), kind)
    if isinstance(form, OffsetSlope):
        form = OffsetSlope(form.slope, form.offset)
    elif isinstance(form, Scaled):
        form = Scaled(form.divider, form.multiplier, form.offset)
    elif isinstance(form, EndPoints):
        form = EndPoints(form.shown_low, form.shown_high, form.reading_low, form.reading_high)
    return _entered(s, form, unit, Slip.EXCHANGED)


def _sign(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng, ("offset and slope", "scaled"))
    form = _form(_typed(s, unit), kind)
    assert isinstance(form, OffsetSlope | Scaled)
    changed = (
        OffsetSlope(-form.offset, form.slope)
        if isinstance(form, OffsetSlope)
        else Scaled(form.multiplier, form.divider, -form.offset)
    )
    return _entered(s, changed, unit, Slip.SIGN)


def _point(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng, ("points", "zero and five", "offset and slope"))
    form = _form(_typed(s, unit), kind)
    times = float(rng.choice([10, 100, 0.1]))
    if isinstance(form, EndPoints):
        form = EndPoints(form.reading_low, form.reading_high, form.shown_low, form.shown_high * times)
    elif isinstance(form, ZeroFive):
        form = ZeroFive(form.shown_at_0, form.shown_at_5 * times)
    elif isinstance(form, OffsetSlope):
        form = OffsetSlope(form.offset, form.slope * times)
    also = [Slip.WRONG_UNIT] if unit in {"kPa", "mbar", "bar"} else []  # which are tens apart
    return _entered(s, form, unit, Slip.POINT, *also)


def _nominal(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng)
    form = _form(_typed(s, unit), kind)
    s.reference_v = float(rng.choice([4.88, 4.9, 4.93, 5.06, 5.1]))
    return _entered(s, form, unit, Slip.REFERENCE)


def _ends(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng)
    t = _typed(s, unit)
    t.v0, t.v1 = 0.0, 5.0
    return _entered(s, _form(t, kind), unit, Slip.ENDS_OF_INPUT)


def _cell(rng: np.random.Generator) -> Entered:
    s, unit, _ = _pick(rng)
    form = _form(_typed(s, unit), "cells")
    assert isinstance(form, Cells)
    shown, at = list(form.shown), int(rng.integers(0, 9))
    shown[at] += float(rng.choice([-1, 1]) * rng.uniform(0.03, 0.4)) * (shown[-1] - shown[0])
    return _entered(s, Cells(form.readings, tuple(shown)), unit, Slip.CELL)


def _unit_or_base(rng: np.random.Generator) -> Entered:
    s, unit, kind = _pick(rng)
    if rng.integers(0, 2):
        other = str(rng.choice([u for u in _PER_KPA if u != unit]))
        return _entered(
            s, _form(_typed(s, other), kind), unit, Slip.WRONG_UNIT, Slip.POINT
        )  # kPa and mbar are ten apart
    base = PressureBase.GAUGE if s.base is PressureBase.ABSOLUTE else PressureBase.ABSOLUTE
    return _entered(s, _form(_typed(s, unit, base), kind), unit, Slip.WRONG_BASE)


def _two(rng: np.random.Generator) -> Entered:
    """Another unit and millivolts, or another unit and exchanged fields, or the wrong base and a sign."""
    s, unit, _ = _pick(rng)
    other = str(rng.choice([u for u in _PER_KPA if u != unit and {u, unit} != {"kPa", "mbar"}]))
    t = _typed(s, other)
    if rng.integers(0, 2):
        t.v0, t.v1 = t.v0 * 1000, t.v1 * 1000
        return _entered(s, _form(t, "points"), unit, Slip.TWO)
    form = _form(t, "offset and slope")
    assert isinstance(form, OffsetSlope)
    return _entered(s, OffsetSlope(form.slope, form.offset), unit, Slip.TWO)


_NTCS = ((10_000.0, 3435.0), (2_200.0, 3500.0), (2_500.0, 3390.0), (5_000.0, 3950.0), (1_000.0, 3700.0))


def _divider(ohm_25: float, beta_k: float, pull_up_ohm: float) -> Cells:
    """A table as it is worked out by hand: every ten degrees the divider's volts."""
    rows = []
    for degc in range(-40, 151, 10):
        ohm = ohm_25 * math.exp(beta_k * (1 / (degc + 273.15) - 1 / 298.15))
        rows.append((round(5 * ohm / (ohm + pull_up_ohm), 3), float(degc)))
    rows.sort()
    return Cells(tuple(v for v, _ in rows), tuple(t for _, t in rows))


def _of_thermistor(rng: np.random.Generator) -> Entered:
    own, other = rng.permutation(len(_NTCS))[:2]
    pull_up_ohm = float(rng.choice([1000, 2200, 2490, 3300, 4700]))
    seen = Input(NtcCurve(Thermistor(*_NTCS[own])), Feed(pull_up_ohm=pull_up_ohm))
    if rng.integers(0, 2):
        form, slip = _divider(*_NTCS[other], pull_up_ohm), Slip.THERMISTOR
    else:
        others = [r for r in (1000, 1500, 2200, 2700, 3300, 4700, 10_000) if abs(r - pull_up_ohm) > pull_up_ohm / 5]
        wrong_ohm = float(rng.choice(others))
        form, slip = _divider(*_NTCS[own], wrong_ohm), Slip.PULL_UP
    return Entered(seen=seen, form=form, scale=Scale("degC"), right=frozenset({slip}))


_FEW = (5, 6, 8, 9, 10, 12, 16, 17)  # cells that controllers have


def _degc_at(volts: NDArray[np.float64], ohm_25: float, beta_k: float, pull_up_ohm: float) -> NDArray[np.float64]:
    """The temperature at which the divider gives so many volts of 5."""
    logs = np.log(pull_up_ohm * volts / (5 - volts) / ohm_25)
    return np.asarray(1 / (logs / beta_k + 1 / 298.15) - 273.15)


def draw_table(seed: int) -> Entered:
    """A table of few cells for a thermistor, evenly by volts or by temperature, in °C or °F, rounded as it is typed: half of them
    right, the others with one wrong cell, in the other unit, upside down, or for another pull-up.
    """
    rng = np.random.default_rng([77, seed])
    ohm_25 = float(rng.choice([1000, 2000, 2200, 2500, 3000, 5000, 10_000, 20_000]))
    beta_k, pull_up_ohm = (
        float(rng.uniform(3300, 4000)),
        float(rng.choice([1000, 1500, 2200, 2490, 3300, 4700, 10_000])),
    )
    degc = np.linspace(
        float(rng.choice([110, 120, 130, 150])), float(rng.choice([-40, -30, -20])), int(rng.choice(_FEW))
    )
    ohm = ohm_25 * np.exp(beta_k * (1 / (degc + 273.15) - 1 / 298.15))
    volts = 5 * ohm / (ohm + pull_up_ohm)
    if seed % 4 == 0:
        volts = np.linspace(volts[0], volts[-1], len(volts))
    volts = np.unique(np.round(volts, int(rng.choice([2, 3]))))
    kind = "right" if seed % 2 == 0 else str(rng.choice(["cell", "unit", "reversed", "pull-up"]))
    told = _degc_at(volts, ohm_25, beta_k, pull_up_ohm * (1.5 if kind == "pull-up" else 1.0))
    unit = str(rng.choice(["degC", "degF"]))
    shown = np.round(told * 1.8 + 32 if (unit == "degF") != (kind == "unit") else told, int(rng.choice([0, 1])))
    if kind == "cell":
        shown[int(rng.integers(len(shown)))] += 25
    if kind == "reversed":
        shown = shown[::-1]
    right = {
        "right": {Slip.RIGHT, Slip.TOO_FEW},
        "cell": {Slip.CELL},
        "unit": {Slip.WRONG_UNIT},
        "reversed": {Slip.REVERSED, Slip.EXCHANGED},
        "pull-up": {Slip.PULL_UP},
    }[kind]
    seen = Input(NtcCurve(Thermistor(ohm_25, beta_k)), Feed(pull_up_ohm=pull_up_ohm))
    form = Cells(tuple(map(float, volts)), tuple(map(float, shown)))
    return Entered(seen=seen, form=form, scale=Scale(unit), right=frozenset(right))


WRONG: Mapping[str, _Wrong] = {
    "a thousand times off": _thousand,
    "fields exchanged": _exchanged,
    "a sign lost": _sign,
    "a decimal point lost": _point,
    "nominal for the measured reference": _nominal,
    "0 and 5 V for the sensor's ends": _ends,
    "one wrong cell": _cell,
    "another unit or base": _unit_or_base,
    "another thermistor or pull-up": _of_thermistor,
    "two slips": _two,
}


def draw_entry(kind: str, seed: int) -> Entered:
    """One wrong entry of a kind; the same for the same seed."""
    return WRONG[kind](np.random.default_rng([len(kind), seed]))


def draw_good(seed: int) -> Entered:
    """A right entry, rounded as people do."""
    rng = np.random.default_rng([99, seed])
    if seed % 5 == 0:
        ntc, pull_up_ohm = _NTCS[int(rng.integers(len(_NTCS)))], float(rng.choice([1000, 2200, 3300]))
        seen = Input(NtcCurve(Thermistor(*ntc)), Feed(pull_up_ohm=pull_up_ohm))
        return Entered(seen=seen, form=_divider(*ntc, pull_up_ohm), scale=Scale("degC"), right=frozenset({Slip.RIGHT}))
    s, unit, kind = _pick(rng)
    s.reference_v = float(rng.choice([5.0, 4.93, 5.04]))
    return _entered(s, _form(_typed(s, unit), kind), unit, Slip.RIGHT)
