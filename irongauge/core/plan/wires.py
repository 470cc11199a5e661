"""Wires and fuses as they are made: what copper loses, what a size may carry, and when a blade fuse opens.

Sources. Copper 0.0172 Ω·mm²/m at 20 °C, 0.393 % more per kelvin (IEC 60228: 1/58.14 and 0.393 %/K). Metric sizes: ISO 6722-1 and
ISO 19642. American sizes: ASTM B258, d = 0.127 mm · 92^((36 − n)/39). Blade fuses, and the times they hold at least: ISO 8820-3.
What a wire may carry steadily: IEC 60204-1, table 6, method B1 (single wires in a loom), 40 °C around it, PVC for 70 °C, its
factors for other temperatures and for more loaded circuits in one loom (table D.2); sizes in between by the power law of their
neighbours. Hotter insulation carries more, by the heat that it lets go, `√((T_insulation − T)/30)`, and by the ohms of hot
copper; its classes are those of ISO 19642. Where the maker's sheet of the wire tells amperes, it wins: they are typed with it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

__all__ = [
    "AWG_SIZES",
    "BLADE_FUSES_A",
    "COPPER_OHM_MM2_PER_M",
    "INSULATIONS_DEGC",
    "METRIC_MM2",
    "area_carrying_mm2",
    "area_for_drop_mm2",
    "awg_mm2",
    "carries_a",
    "copper_ohm",
    "drop_v",
    "fuse_holds_s",
    "next_awg",
    "next_metric_mm2",
]

COPPER_OHM_MM2_PER_M = 0.0172  # at 20 °C: IEC 60028, 1/58 rounded
_PER_K = 0.00393  # IEC 60028, at 20 °C
METRIC_MM2 = (
    0.13, 0.22, 0.35, 0.5, 0.75, 1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0, 25.0, 30.0,
    35.0, 40.0, 50.0, 60.0, 70.0, 85.0, 95.0, 120.0,
)  # fmt: skip
AWG_SIZES = (28, 26, 24, 22, 20, 18, 16, 14, 12, 10, 8, 6, 4, 2, 1, 0, -1, -2, -3)  # 2/0 is −1, 4/0 is −3
BLADE_FUSES_A = (2.0, 3.0, 4.0, 5.0, 7.5, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0, 50.0, 60.0, 70.0, 80.0)
# mm² and A: IEC 60204-1:2016, table 6, B1; 0.2 and 0.5 mm² from its rows for electronics.
_CARRIES = (
    (0.2, 4.3), (0.5, 7.5), (0.75, 8.6), (1.0, 10.3), (1.5, 13.5), (2.5, 18.3), (4.0, 25.0), (6.0, 32.0), (10.0, 44.0),
    (16.0, 60.0), (25.0, 77.0), (35.0, 97.0),
)  # fmt: skip
_AT_DEGC, _PVC_DEGC = 40.0, 70.0  # for which that table holds: the air, and the insulation
INSULATIONS_DEGC = (70.0, 85.0, 100.0, 125.0, 150.0)  # PVC of a building, then classes A to D of road vehicles' wires
# Loaded circuits in one loom, and what each may still carry: IEC 60204-1, table D.2, B1; between them the greater number's.
_TOGETHER = ((1, 1.0), (2, 0.80), (4, 0.65), (6, 0.57), (9, 0.50))
# Times of its rating, and the seconds that a blade fuse holds at least: ISO 8820-3, the shortest of its times to open.
_HOLDS_S = ((1.1, 360_000.0), (1.35, 0.75), (1.6, 0.25), (2.0, 0.15), (3.5, 0.04), (6.0, 0.02))


def copper_ohm(length_m: float, area_mm2: float, temperature_degc: float = 20.0) -> float:
    """Ohms of a copper wire: `ρ·(1 + α·(T − 20 °C))·L/A`."""
    return COPPER_OHM_MM2_PER_M * (1 + _PER_K * (temperature_degc - 20.0)) * length_m / area_mm2


def drop_v(current_a: float, length_m: float, area_mm2: float, temperature_degc: float = 20.0) -> float:
    """Volts lost along a length of wire; for there and back the length is that of both.

    >>> round(drop_v(4.0, 6.0, 0.5), 4)
    0.8256
    """
    return current_a * copper_ohm(length_m, area_mm2, temperature_degc)


def area_for_drop_mm2(current_a: float, length_m: float, most_v: float, temperature_degc: float = 20.0) -> float:
    """The area at which a length of wire loses no more than so many volts."""
    return copper_ohm(length_m, 1.0, temperature_degc) * current_a / most_v


def awg_mm2(size: int) -> float:
    """Area of an American size; 0 is 1/0, −1 is 2/0.

    >>> round(awg_mm2(18), 3)
    0.823
    """
    diameter_mm = 0.127 * 92 ** ((36 - size) / 39)
    return float(math.pi / 4 * diameter_mm**2)


def next_metric_mm2(area_mm2: float) -> float | None:
    """The smallest metric size that is no smaller; None beyond the greatest."""
    return next((size for size in METRIC_MM2 if size >= area_mm2 * (1 - 1e-9)), None)


def next_awg(area_mm2: float) -> int | None:
    """The smallest American size that is no smaller; None beyond 4/0."""
    return next((size for size in AWG_SIZES if awg_mm2(size) >= area_mm2 * (1 - 1e-9)), None)


def carries_a(
    area_mm2: float, around_degc: float = _AT_DEGC, *, insulation_degc: float = _PVC_DEGC, circuits_together: int = 1
) -> float:
    """Steady amperes of a wire in a loom; 0 at or above the insulation's temperature. Areas beyond the table take its last law.

    >>> round(carries_a(1.5), 1), round(carries_a(1.5, 80.0), 1), round(carries_a(1.5, 80.0, insulation_degc=100.0), 1)
    (13.5, 0.0, 10.5)
    """
    low_mm2, low_a, power = _law(lambda mm2, _: area_mm2 <= mm2)
    share = _share(around_degc, insulation_degc, circuits_together)
    return float(low_a * (area_mm2 / low_mm2) ** power * share)


def area_carrying_mm2(
    current_a: float, around_degc: float = _AT_DEGC, *, insulation_degc: float = _PVC_DEGC, circuits_together: int = 1
) -> float:
    """The area that carries so much, whatever sizes are made; infinite where its insulation allows nothing.

    >>> round(area_carrying_mm2(13.5), 6)
    1.5
    """
    share = _share(around_degc, insulation_degc, circuits_together)
    if share == 0:
        return math.inf
    table_a = current_a / share
    low_mm2, low_a, power = _law(lambda _, amps: table_a <= amps)
    return float(low_mm2 * (table_a / low_a) ** (1 / power))


def _law(reaches: Callable[[float, float], bool]) -> tuple[float, float, float]:
    """The table's row below, its amperes, and the power by which it grows to the first row that reaches."""
    pairs = list(pairwise(_CARRIES))
    (low_mm2, low_a), (high_mm2, high_a) = next((pair for pair in pairs if reaches(*pair[1])), pairs[-1])
    return low_mm2, low_a, math.log(high_a / low_a) / math.log(high_mm2 / low_mm2)


def _share(around_degc: float, insulation_degc: float, circuits_together: int) -> float:
    """What is left of the table's amperes."""
    if around_degc >= insulation_degc:
        return 0.0
    cooler = (insulation_degc - around_degc) / (_PVC_DEGC - _AT_DEGC)
    hotter_copper = copper_ohm(1.0, 1.0, insulation_degc) / copper_ohm(1.0, 1.0, _PVC_DEGC)
    together = next((share for most, share in _TOGETHER if circuits_together <= most), _TOGETHER[-1][1])
    return math.sqrt(cooler / hotter_copper) * together


def fuse_holds_s(times_rating: float) -> float:
    """How long a blade fuse holds at least at so many times its rating; 0 beyond its table.

    >>> fuse_holds_s(1.32), fuse_holds_s(0.9)
    (0.75, inf)
    """
    if times_rating <= 1:
        return math.inf
    return next((seconds for most, seconds in _HOLDS_S if times_rating <= most * (1 + 1e-9)), 0.0)
