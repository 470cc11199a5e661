"""Power: what a wire and a fuse must carry, and what is lost on the way.

Sources. Copper 0.0172 Ω·mm²/m at 20 °C, 0.393 % more per kelvin (IEC 60228: 1/58.14 and 0.393 %/K). Metric sizes: ISO 6722-1 and
ISO 19642. American sizes: ASTM B258, d = 0.127 mm · 92^((36 − n)/39). Blade fuses: ISO 8820-3. What a wire may carry steadily:
IEC 60204-1, table 6, method B1 (single wires in a loom), 40 °C around it, PVC for 70 °C, and its factors for other temperatures;
sizes in between by the power law of their neighbours. Road vehicles' wires of thin wall for 105 °C carry more: where the maker's
sheet says so, it wins, and its amperes are typed with the wire.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

from irongauge.core.measure.quantities import Mark

__all__ = [
    "AWG_SIZES",
    "BLADE_FUSES_A",
    "COPPER_OHM_MM2_PER_M",
    "METRIC_MM2",
    "Feed",
    "FeedVerdict",
    "Load",
    "WireRun",
    "area_for_drop_mm2",
    "awg_mm2",
    "carries_a",
    "copper_ohm",
    "days_asleep",
    "drop_v",
    "judge_feed",
    "may_raise_fuse",
    "next_awg",
    "next_fuse_a",
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
_AT_40_DEGC, _LIMIT_DEGC = 40.0, 70.0  # for which that table holds: the air, and PVC
FUSE_SHARE = 0.8  # of a fuse's rating that may flow steadily (shop default)
SUPPLY_DROP_SHARE, RETURN_DROP_V = 0.03, 0.1  # shop defaults


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


def next_fuse_a(current_a: float) -> float | None:
    """The smallest blade fuse of which this is no more than the share that may flow steadily."""
    return next((size for size in BLADE_FUSES_A if current_a <= FUSE_SHARE * size * (1 + 1e-9)), None)


def carries_a(area_mm2: float, around_degc: float = _AT_40_DEGC) -> float:
    """Steady amperes of a wire in a loom; 0 at or above the insulation's temperature. Areas beyond the table take its last law.

    Temperatures scale by `√((70 − T)/(70 − 40))`, which is what the standard's factors are.
    """
    if around_degc >= _LIMIT_DEGC:
        return 0.0
    pairs = list(pairwise(_CARRIES))
    (low_mm2, low_a), (high_mm2, high_a) = next((pair for pair in pairs if area_mm2 <= pair[1][0]), pairs[-1])
    power = math.log(high_a / low_a) / math.log(high_mm2 / low_mm2)
    cool = math.sqrt((_LIMIT_DEGC - around_degc) / (_LIMIT_DEGC - _AT_40_DEGC))
    return float(low_a * (area_mm2 / low_mm2) ** power * cool)


@dataclass(frozen=True, kw_only=True)
class Load:
    """What hangs on a feed. `duty` is the share of the time that it is on; `sleep_ma` what it takes with the key off."""

    name: str
    steady_a: float
    peak_a: float | None = None
    duty: float = 1.0
    keyed: bool = True
    sleep_ma: float = 0.0

    def __post_init__(self) -> None:
        if self.steady_a < 0 or self.sleep_ma < 0 or not 0 <= self.duty <= 1:
            msg = f"{self.name}: its currents are not negative, and its duty lies from 0 to 1"
            raise ValueError(msg)
        if self.peak_a is not None and self.peak_a < self.steady_a:
            msg = f"{self.name}: its peak of {self.peak_a:g} A is below its steady {self.steady_a:g} A"
            raise ValueError(msg)


@dataclass(frozen=True, kw_only=True)
class WireRun:
    """A wire to the loads and its return; `rated_a` is what its maker's sheet lets it carry, None where the table tells."""

    supply_m: float
    return_m: float
    area_mm2: float
    around_degc: float = _AT_40_DEGC
    rated_a: float | None = None
    terminal_a: float | None = None

    def __post_init__(self) -> None:
        if self.supply_m <= 0 or self.return_m <= 0 or self.area_mm2 <= 0:
            msg = "a wire has a length and an area above zero"
            raise ValueError(msg)

    @property
    def carries_a(self) -> float:
        """What the weaker of wire and terminal carries."""
        wire_a = carries_a(self.area_mm2, self.around_degc) if self.rated_a is None else self.rated_a
        return wire_a if self.terminal_a is None else min(wire_a, self.terminal_a)


@dataclass(frozen=True, kw_only=True)
class Feed:
    """One fuse with its wire and what hangs on it."""

    name: str
    fuse_a: float
    run: WireRun
    loads: tuple[Load, ...] = ()
    system_v: float = 12.0
    keyed: bool = True

    @property
    def steady_a(self) -> float:
        """What all its loads take while they are on, in A."""
        return sum(load.steady_a for load in self.loads)

    @property
    def peak_a(self) -> float:
        """All of them steady, and the one whose peak is greatest starting."""
        return self.steady_a + max(((load.peak_a or load.steady_a) - load.steady_a for load in self.loads), default=0.0)

    @property
    def mean_a(self) -> float:
        """Over time, each for the share that it is on: what the alternator must give."""
        return sum(load.steady_a * load.duty for load in self.loads)

    @property
    def sleep_ma(self) -> float:
        """What all its loads take with the key off, in mA."""
        return sum(load.sleep_ma for load in self.loads)


@dataclass(frozen=True, kw_only=True)
class FeedVerdict:
    """A feed held against fuse, wire and drop. `checks` are mark and sentence, worst counts.

    `fuse_a` is the smallest blade fuse for its load, `needed_mm2` the area that keeps both drops and carries the fuse, with the
    sizes to buy.
    """

    checks: tuple[tuple[Mark, str], ...]
    supply_drop_v: float
    return_drop_v: float
    fuse_a: float | None
    needed_mm2: float
    metric_mm2: float | None
    awg: int | None

    @property
    def mark(self) -> Mark:
        """The worst of its checks."""
        marks = {mark for mark, _ in self.checks}
        return next(mark for mark in (Mark.FAIL, Mark.UNDECIDED, Mark.PASS) if mark in marks)


def judge_feed(feed: Feed) -> FeedVerdict:
    """Load against fuse, fuse against wire and terminal, and the volts lost there and back at the wire's temperature."""
    run, steady_a = feed.run, feed.steady_a
    there_v = drop_v(steady_a, run.supply_m, run.area_mm2, run.around_degc)
    back_v = drop_v(steady_a, run.return_m, run.area_mm2, run.around_degc)
    most_there_v = SUPPLY_DROP_SHARE * feed.system_v
    fuse_a = next_fuse_a(steady_a)
    needed_mm2 = max(
        area_for_drop_mm2(steady_a, run.supply_m, most_there_v, run.around_degc),
        area_for_drop_mm2(steady_a, run.return_m, RETURN_DROP_V, run.around_degc),
        _area_for_a(feed.fuse_a, run.around_degc),
    )
    checks = [
        _told(
            steady_a <= FUSE_SHARE * feed.fuse_a * (1 + 1e-9),
            f"{steady_a:.3g} A steady on a fuse of {feed.fuse_a:g} A: {100 * steady_a / feed.fuse_a:.0f} %, at most "
            f"{100 * FUSE_SHARE:.0f} %.",
        ),
        _told(
            feed.fuse_a <= run.carries_a * (1 + 1e-9),
            f"The fuse of {feed.fuse_a:g} A protects a wire that carries {run.carries_a:.3g} A.",
        ),
        _told(
            there_v <= most_there_v * (1 + 1e-9),
            f"{_volts(there_v)} lost on the way there, at most {most_there_v:.2g} V.",
        ),
        _told(
            back_v <= RETURN_DROP_V * (1 + 1e-9), f"{_volts(back_v)} lost on the way back, at most {RETURN_DROP_V:g} V."
        ),
    ]
    if feed.peak_a > feed.fuse_a:
        moment = f"{feed.peak_a:.3g} A for a moment is more than the fuse of {feed.fuse_a:g} A"
        checks.append((Mark.UNDECIDED, f"{moment}: how long it lasts decides. See the fuse’s time curve."))
    return FeedVerdict(
        checks=tuple(checks),
        supply_drop_v=there_v,
        return_drop_v=back_v,
        fuse_a=fuse_a,
        needed_mm2=needed_mm2,
        metric_mm2=next_metric_mm2(needed_mm2),
        awg=next_awg(needed_mm2),
    )


def may_raise_fuse(feed: Feed, fuse_a: float) -> tuple[bool, str]:
    """Whether a greater fuse may go in: only where wire and terminals carry it; with the figure."""
    carried_a = feed.run.carries_a
    may = fuse_a <= carried_a * (1 + 1e-9)
    weaker = "wire and terminals carry" if feed.run.terminal_a is None else "the weaker of wire and terminal carries"
    text = f"{'Yes' if may else 'No'}: {weaker} {carried_a:.3g} A, and {fuse_a:g} A would be allowed to flow."
    if may and judge_feed(replace(feed, fuse_a=fuse_a)).mark is Mark.FAIL:
        text += " But it does not put the rest right: see the other lines."
    return may, text


def _told(good: bool, sentence: str) -> tuple[Mark, str]:  # noqa: FBT001
    return (Mark.PASS if good else Mark.FAIL), sentence


def _volts(volts: float) -> str:
    """With the digits that its lengths allow."""
    return f"{1000 * volts:.2g} mV" if volts < 0.1 else f"{volts:.2g} V"  # noqa: PLR2004  as a meter switches its range


def _area_for_a(current_a: float, around_degc: float) -> float:
    """The least area of the metric sizes that carries so much; infinite where none does."""
    return next((size for size in METRIC_MM2 if carries_a(size, around_degc) >= current_a), math.inf)


def days_asleep(sleep_ma: float, battery_ah: float, share: float = 0.5) -> float:
    """Days until a battery is down by a share of what it holds; infinite where nothing is taken."""
    return math.inf if sleep_ma <= 0 else battery_ah * share / (sleep_ma / 1000) / 24
