"""What a thermocouple's page says and draws: its curve with the terminals and the tip on it, and what the meter shows between."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.units import Quantity, from_fixed, show, show_difference, unit_for
from irongauge.core.sensors.thermocouple import ThermocoupleType, degc_at_mv, mv_at_degc, range_degc, uv_per_k_at
from irongauge.core.shop import Shop
from irongauge.errors import EntryError, as_sentence
from irongauge.web.axes import Axes
from irongauge.web.forms import PostedForm, choice

__all__ = ["METALS", "Junction", "JunctionDrawing", "ThermocoupleForm", "draw_junction", "junction_of"]

# Colours differ from standard to standard, so a kind is told by its metals.
METALS = {
    "K": "nickel-chromium and nickel-aluminium",
    "J": "iron and copper-nickel",
    "T": "copper and copper-nickel",
    "E": "nickel-chromium and copper-nickel",
    "N": "nickel-chromium-silicon and nickel-silicon",
    "R": "platinum-13 % rhodium and platinum",
    "S": "platinum-10 % rhodium and platinum",
    "B": "platinum-30 % and -6 % rhodium",
}
_LEAST_MV = 0.1  # a shop meter's last digit
_STEPS = 60


class ThermocoupleForm(PostedForm):
    """`mine` are the fields that a person typed, the newest last: `mv` or `degc` follows the other."""

    kind: Annotated[str, choice(*ThermocoupleType)] = ThermocoupleType.K
    mine: str = ""
    mv: str = ""
    degc: str = ""
    cold: str = ""

    @property
    def from_mv(self) -> bool:
        """True where the temperature follows the millivolts."""
        if not self.mv.strip() or not self.degc.strip():
            return bool(self.mv.strip())
        last = [name for name in self.mine.split() if name in {"mv", "degc"}]
        return not last or last[-1] == "mv"


@dataclass(frozen=True, kw_only=True)
class Junction:
    """The figure, how it came, and what a shop's meter makes of it; `follows` is the field that was worked out, and its text."""

    kind: ThermocoupleType
    tip_degc: float
    cold_degc: float
    follows: tuple[str, str]
    headline: str
    detail: str
    caution: str


def junction_of(form: ThermocoupleForm, shop: Shop) -> Junction | None:
    """What the form's fields give; None while neither is typed. Raises `EntryError`, which names its field."""
    if not form.mv.strip() and not form.degc.strip():
        return None
    kind = ThermocoupleType(form.kind)
    unit = shop.units[Quantity.TEMPERATURE]
    if not form.cold.strip():
        would_do = "Measure at the terminals where the two metals end, such as 23."
        raise EntryError("cold", "", "Millivolts alone are a difference of temperatures.", would_do)
    cold = parse_entry(form.cold, Quantity.TEMPERATURE, field="cold", unit=unit).value
    assert cold is not None  # no over-range word is allowed here
    field = "mv" if form.from_mv else "degc"
    try:
        if form.from_mv:
            volts = parse_entry(form.mv, Quantity.VOLTAGE, field="mv", unit="mV").value
            assert volts is not None
            degc = degc_at_mv(kind, 1000 * volts, cold)
            headline, follows = show(degc, unit), ("degc", _typed(from_fixed(degc, unit), 1))
        else:
            value = parse_entry(form.degc, Quantity.TEMPERATURE, field="degc", unit=unit).value
            assert value is not None
            degc = value
            mv = mv_at_degc(kind, degc, cold)
            headline, follows = f"{_typed(mv, 3)} mV", ("mv", _typed(mv, 3))
    except ValueError as error:
        raise EntryError(field, getattr(form, field), as_sentence(error), "Check the kind and the leads.") from error
    least, most = range_degc(kind)
    uv_per_k = uv_per_k_at(kind, min(max(degc, least), most))
    return Junction(
        kind=kind,
        tip_degc=degc,
        cold_degc=cold,
        follows=follows,
        headline=headline,
        detail=f"Type {kind}, {METALS[kind]}, its terminals at {show(cold, unit)}; there it gives {uv_per_k:.1f} µV per K.",
        caution=f"One digit of {_LEAST_MV:g} mV is {show_difference(1000 * _LEAST_MV / uv_per_k, unit)} here, and the "
        "terminals count in full.",
    )


def _typed(value: float, decimals: int) -> str:
    """A number as it is typed, never `-0.0`."""
    return f"{round(value, decimals) + 0.0:.{decimals}f}"


@dataclass(frozen=True, kw_only=True)
class JunctionDrawing:
    """The curve of a pair of metals from 0 °C on; `cold` and `tip` lie on it, and the meter shows the way up between them."""

    axes: Axes
    path: str
    cold: tuple[float, float]
    tip: tuple[float, float]
    shown: str
    x_title: str
    y_title: str
    words: str


def draw_junction(found: Junction, shop: Shop) -> JunctionDrawing:
    """Temperatures along in the shop's unit, millivolts against a junction at 0 °C up."""
    unit = shop.units[Quantity.TEMPERATURE]
    least, most = range_degc(found.kind)
    ends = [min(max(at, least), most) for at in (0.0, found.cold_degc, found.tip_degc)]
    room = 0.06 * (max(ends) - min(ends)) or 5.0
    low, high = max(min(ends) - room, least), min(max(ends) + room, most)
    degc = [low + (high - low) * step / _STEPS for step in range(_STEPS + 1)]
    points = [(from_fixed(at, unit), mv_at_degc(found.kind, at, 0.0)) for at in degc]
    cold, tip = ((from_fixed(at, unit), mv_at_degc(found.kind, at, 0.0)) for at in ends[1:])
    axes = Axes.around([x for x, _ in points], [y for _, y in points], height=270.0, bottom=212.0)
    shown = f"{tip[1] - cold[1]:.3f} mV".replace("-", "−")
    label = unit_for(unit).label
    return JunctionDrawing(
        axes=axes,
        path=axes.path(points),
        cold=(axes.x(cold[0]), axes.y(cold[1])),
        tip=(axes.x(tip[0]), axes.y(tip[1])),
        shown=shown,
        x_title=f"temperature, {label}",
        y_title="mV against 0 °C",
        words=f"The curve of type {found.kind}: the terminals at {show(found.cold_degc, unit)} give {cold[1]:.3f} mV against "
        f"0 °C, the tip at {show(found.tip_degc, unit)} {tip[1]:.3f} mV; the meter shows the difference, {shown}",
    )
