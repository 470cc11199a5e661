"""Power: what a feed's fuse and wire must carry, and what is lost on the way.

The share of a fuse that may flow steadily and the drops are the shop's defaults. What a wire carries, and how long a fuse holds,
is in `wires`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.wires import (
    BLADE_FUSES_A,
    INSULATIONS_DEGC,
    area_carrying_mm2,
    area_for_drop_mm2,
    carries_a,
    drop_v,
    fuse_holds_s,
    next_awg,
    next_metric_mm2,
)

__all__ = [
    "Feed",
    "FeedVerdict",
    "Load",
    "Lost",
    "WireRun",
    "days_asleep",
    "fuse_would_do",
    "judge_feed",
    "next_fuse_a",
    "size_of_awg",
]

FUSE_SHARE = 0.8  # of a fuse's rating that may flow steadily (shop default)
SUPPLY_DROP_SHARE, RETURN_DROP_V = 0.03, 0.1  # shop defaults
_HOURS_S = 3600.0
_SLACK = 1 + 1e-9  # of a sum of tenths held against its limit


def next_fuse_a(steady_a: float, peak_a: float = 0.0) -> float | None:
    """The smallest blade fuse of which the steady amperes are no more than their share, and the peak no more than its rating."""
    return next((a for a in BLADE_FUSES_A if steady_a <= FUSE_SHARE * a * _SLACK and peak_a <= a * _SLACK), None)


def size_of_awg(size: int | None) -> str:
    """An American size as it is written: 18, or 2/0; in words beyond 4/0."""
    if size is None:
        return "beyond 4/0"
    return f"{1 - size}/0" if size <= 0 else str(size)


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
    """A wire to the loads and its return; `rated_a` is what its maker's sheet lets it carry, None where the table tells.

    `insulation_degc` is what its insulation bears, `circuits_together` how many loaded circuits lie in its loom, itself counted.
    """

    supply_m: float
    return_m: float
    area_mm2: float
    around_degc: float = 40.0
    insulation_degc: float = 70.0
    circuits_together: int = 1
    rated_a: float | None = None
    terminal_a: float | None = None

    @classmethod
    def of(cls, source: object) -> WireRun:
        """The run of anything that names its figures as a run does, beside whatever else it holds."""
        return cls(**{field.name: getattr(source, field.name) for field in fields(cls)})

    def __post_init__(self) -> None:
        if self.supply_m <= 0 or self.return_m <= 0 or self.area_mm2 <= 0 or self.circuits_together < 1:
            msg = "a wire has a length and an area above zero, and is in its loom itself"
            raise ValueError(msg)

    @property
    def carries_a(self) -> float:
        """What the weaker of wire and terminal carries."""
        wire_a = self._insulated_for(self.insulation_degc) if self.rated_a is None else self.rated_a
        return wire_a if self.terminal_a is None else min(wire_a, self.terminal_a)

    def _insulated_for(self, insulation_degc: float) -> float:
        together = self.circuits_together
        return carries_a(self.area_mm2, self.around_degc, insulation_degc=insulation_degc, circuits_together=together)

    def area_for_mm2(self, current_a: float) -> float:
        """The area that carries so much: by its maker's figure and the table's law from there, else by the table."""
        if self.rated_a is not None:
            return area_carrying_mm2(current_a * carries_a(self.area_mm2) / self.rated_a)
        insulation_degc, together = self.insulation_degc, self.circuits_together
        return area_carrying_mm2(
            current_a, self.around_degc, insulation_degc=insulation_degc, circuits_together=together
        )

    @property
    def is_too_hot(self) -> bool:
        """True where its insulation bears no more than what is around it, and no maker's figure says that it does."""
        return self.rated_a is None and self.around_degc >= self.insulation_degc

    def insulation_for_degc(self, current_a: float) -> float | None:
        """The coolest class of insulation by which this size carries so much; None where none does."""
        return next((degc for degc in INSULATIONS_DEGC if self._insulated_for(degc) * _SLACK >= current_a), None)


@dataclass(frozen=True, kw_only=True)
class Feed:
    """One fuse with its wire and what hangs on it; `shares_return` where something that is read has the same return."""

    name: str
    fuse_a: float
    run: WireRun
    loads: tuple[Load, ...] = ()
    system_v: float = 12.0
    keyed: bool = True
    shares_return: bool = True

    @property
    def steady_a(self) -> float:
        """What all its loads take while they are on, in A."""
        return sum(load.steady_a for load in self.loads)

    @property
    def peak_a(self) -> float:
        """All its loads starting at once, as they do when the key is turned or the fuse goes in."""
        return sum(load.steady_a if load.peak_a is None else load.peak_a for load in self.loads)

    @property
    def mean_a(self) -> float:
        """Over time, each for the share that it is on: what the alternator must give."""
        return sum(load.steady_a * load.duty for load in self.loads)

    @property
    def sleep_ma(self) -> float:
        """What all its loads take with the key off, in mA."""
        return sum(load.sleep_ma for load in self.loads)

    @property
    def fuses_a(self) -> tuple[float, ...]:
        """The blade fuses that carry its load, steady and at the start, and protect its wire."""
        least_a = next_fuse_a(self.steady_a, self.peak_a)
        most_a = self.run.carries_a * _SLACK
        return () if least_a is None else tuple(size for size in BLADE_FUSES_A if least_a <= size <= most_a)


@dataclass(frozen=True, kw_only=True)
class Lost:
    """Volts lost on one way of a feed: while its loads run, while they all start, and what is allowed."""

    steady_v: float
    peak_v: float
    most_v: float


@dataclass(frozen=True, kw_only=True)
class FeedVerdict:
    """A feed held against fuse, wire and drop. `checks` are mark and sentence, worst counts; `missing` what nobody typed.

    `fuses_a` are the blade fuses that would do, which `fuse_sentence` says; `needed_mm2` is the area that keeps both drops and
    carries the fuse that is in, with the sizes to buy.
    """

    checks: tuple[tuple[Mark, str], ...]
    missing: tuple[str, ...]
    there: Lost
    back: Lost
    fuses_a: tuple[float, ...]
    fuse_sentence: str
    needed_mm2: float
    metric_mm2: float | None
    awg: int | None

    @property
    def mark(self) -> Mark:
        """The worst of its checks."""
        return Mark.worst(mark for mark, _ in self.checks)


def judge_feed(feed: Feed) -> FeedVerdict:
    """Load and start against fuse, fuse against wire and terminal, and the volts lost there and back in the warm wire."""
    run = feed.run
    share_v = SUPPLY_DROP_SHARE * feed.system_v
    there = _lost(feed, run.supply_m, share_v)
    back = _lost(feed, run.return_m, RETURN_DROP_V if feed.shares_return else share_v)
    needed_mm2 = max(
        area_for_drop_mm2(feed.steady_a, run.supply_m, there.most_v, run.around_degc),
        area_for_drop_mm2(feed.steady_a, run.return_m, back.most_v, run.around_degc),
        run.area_for_mm2(feed.fuse_a),
    )
    why = ": what shares this return reads off by as much" if feed.shares_return else ""
    return FeedVerdict(
        checks=(*_of_fuse(feed), _of_drop("supply", there), _of_drop("return", back, why)),
        missing=_missing(feed),
        there=there,
        back=back,
        fuses_a=feed.fuses_a,
        fuse_sentence=_fuse_sentence(feed),
        needed_mm2=needed_mm2,
        metric_mm2=next_metric_mm2(needed_mm2),
        awg=next_awg(needed_mm2),
    )


def _lost(feed: Feed, length_m: float, most_v: float) -> Lost:
    area_mm2, degc = feed.run.area_mm2, feed.run.around_degc
    return Lost(
        steady_v=drop_v(feed.steady_a, length_m, area_mm2, degc),
        peak_v=drop_v(feed.peak_a, length_m, area_mm2, degc),
        most_v=most_v,
    )


def _of_fuse(feed: Feed) -> list[tuple[Mark, str]]:
    """The fuse against the load, its start and the wire."""
    share = feed.steady_a / feed.fuse_a
    checks = [
        _told(
            share <= FUSE_SHARE * _SLACK,
            f"{feed.steady_a:.3g} A steady on a fuse of {feed.fuse_a:g} A: {100 * share:.0f} %, at most "
            f"{100 * FUSE_SHARE:.0f} %.",
        )
    ]
    if feed.peak_a > feed.steady_a:
        checks.append(_start_on(feed, feed.fuse_a))
    carried_a = feed.run.carries_a
    if feed.fuse_a <= carried_a * _SLACK:
        checks.append((Mark.PASS, f"The fuse of {feed.fuse_a:g} A protects a wire that carries {carried_a:.3g} A."))
    else:
        checks.append((Mark.FAIL, _unprotected(feed)))
    return checks


def _start_on(feed: Feed, fuse_a: float) -> tuple[Mark, str]:
    """All loads starting at once on a fuse, by the shortest time that its standard lets it hold."""
    start = f"{feed.peak_a:.3g} A while all its loads start"
    if feed.peak_a <= fuse_a * _SLACK:
        return Mark.PASS, f"{start}: the fuse of {fuse_a:g} A holds it."
    times = feed.peak_a / fuse_a
    holds_s = fuse_holds_s(times)
    if holds_s == 0:
        return Mark.FAIL, f"{start} is {times:.2g} times the fuse of {fuse_a:g} A: it opens at once."
    if holds_s >= _HOURS_S:
        return Mark.PASS, f"{start}: the fuse of {fuse_a:g} A holds {100 * times:.0f} % for hours."
    return Mark.UNDECIDED, (
        f"{start} is {100 * times:.0f} % of the fuse of {fuse_a:g} A, which may open after {holds_s:g} s. "
        f"How long does the start last?"
    )


def _unprotected(feed: Feed) -> str:
    run = feed.run
    if run.is_too_hot:
        better_degc = run.insulation_for_degc(feed.fuse_a)
        take = (
            "a thicker wire with hotter insulation" if better_degc is None else f"one insulated for {better_degc:g} °C"
        )
        bears = f"A wire insulated for {run.insulation_degc:g} °C"
        return f"{bears} carries nothing with {run.around_degc:g} °C around it: take {take}."
    weaker = "wire" if run.terminal_a is None or run.carries_a < run.terminal_a else "terminals"
    carry = "carries" if weaker == "wire" else "carry"
    return f"The fuse of {feed.fuse_a:g} A is too big: the {weaker} {carry} only {run.carries_a:.3g} A and would burn first."


def _of_drop(way: str, lost: Lost, why: str = "") -> tuple[Mark, str]:
    start = f"; {_volts(lost.peak_v)} while all start" if lost.peak_v > lost.steady_v else ""
    is_good = lost.steady_v <= lost.most_v * _SLACK
    digits = 2 if is_good else _digits_apart(lost.steady_v, lost.most_v)
    return _told(
        is_good, f"{_volts(lost.steady_v, digits)} drop in the {way} wire, at most {lost.most_v:.2g} V{why}{start}."
    )


def _digits_apart(volts: float, most_v: float) -> int:
    """How many digits it takes for what is too much not to look like the limit; two where those do."""
    return next((n for n in range(2, 7) if f"{volts:.{n}g}" != f"{most_v:.{n}g}"), 7)


def _missing(feed: Feed) -> tuple[str, ...]:
    """What the sums would need, and nobody typed."""
    if not feed.loads:
        return ("No load is typed: the fuse is held against its wire alone.",)
    unknown = [load.name for load in feed.loads if load.peak_a is None]
    if not unknown:
        return ()
    names = ", ".join(unknown)
    return (f"No peak is typed for {names}: the start is reckoned with what flows steadily.",)


def _fuse_sentence(feed: Feed) -> str:
    """The range of fuses that would do, or why none does."""
    sizes = feed.fuses_a
    if sizes:
        largest = "" if len(sizes) == 1 else f" to {sizes[-1]:g}"
        return f"A fuse of {sizes[0]:g}{largest} A would do."
    least_a = next_fuse_a(feed.steady_a, feed.peak_a)
    if least_a is None:
        return f"No fuse would do: {max(BLADE_FUSES_A):g} A is the largest. Part the loads."
    run, carried_a = feed.run, feed.run.carries_a
    does = f"No fuse would do: the load needs {least_a:g} A, and the wire carries {carried_a:.3g} A."
    if run.terminal_a is not None and run.terminal_a < least_a:
        return f"{does} Its terminals must carry {least_a:g} A."
    area_mm2 = run.area_for_mm2(least_a)
    metric_mm2 = next_metric_mm2(area_mm2)
    if metric_mm2 is None:
        return does
    return f"{does} Take a wire of {metric_mm2:g} mm² (AWG {size_of_awg(next_awg(area_mm2))})."


def fuse_would_do(feed: Feed, fuse_a: float) -> tuple[Mark, str]:
    """Whether another fuse may go in: it carries the load, bears the start and protects wire and terminals; with the figure."""
    tried = replace(feed, fuse_a=fuse_a)
    checks = _of_fuse(tried)
    worst = Mark.worst(mark for mark, _ in checks)
    word = {Mark.PASS: "Yes", Mark.UNDECIDED: "Perhaps", Mark.FAIL: "No"}[worst]
    text = f"{word}. {' '.join(sentence for mark, sentence in checks if mark is worst)}"
    if fuse_a not in BLADE_FUSES_A:
        text += f" {fuse_a:g} A is no size of a blade fuse."
    if worst is not Mark.FAIL and judge_feed(tried).mark is Mark.FAIL:
        text += " It does not put the rest right: see the other lines."
    return worst, text


def _told(good: bool, sentence: str) -> tuple[Mark, str]:  # noqa: FBT001
    return (Mark.PASS if good else Mark.FAIL), sentence


def _volts(volts: float, digits: int = 2) -> str:
    """With the digits that its lengths allow, unless more are asked for."""
    return f"{1000 * volts:.{digits}g} mV" if volts < 0.1 else f"{volts:.{digits}g} V"  # noqa: PLR2004  as a meter switches its range


def days_asleep(sleep_ma: float, battery_ah: float, share: float = 0.5) -> float:
    """Days until a battery is down by a share of what it holds; infinite where nothing is taken."""
    return math.inf if sleep_ma <= 0 else battery_ah * share / (sleep_ma / 1000) / 24
