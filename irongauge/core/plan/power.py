"""Power: what a feed's fuse and wire must carry, and what is lost on the way.

The share of a fuse that may flow steadily and the drops are the shop's defaults. What a wire carries, and how long a fuse holds,
is in `wires`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.feeds import FUSE_SHARE, SLACK, Feed, next_fuse_a
from irongauge.core.plan.wires import (
    BLADE_FUSES_A,
    area_carrying_mm2,
    area_for_drop_mm2,
    fuse_holds_s,
    next_awg,
    next_metric_mm2,
)

__all__ = ["FeedVerdict", "Lost", "days_asleep", "fuse_would_do", "judge_feed", "size_of_awg"]

SUPPLY_DROP_SHARE, RETURN_DROP_V = 0.03, 0.1  # shop defaults
_HOURS_S = 3600.0


def size_of_awg(size: int | None) -> str:
    """An American size as it is written: 18, or 2/0; in words beyond 4/0."""
    if size is None:
        return "beyond 4/0"
    return f"{1 - size}/0" if size <= 0 else str(size)


@dataclass(frozen=True)
class Lost:
    """Volts lost on one way of a feed: while its loads run, while they all start, what is allowed, and to which load."""

    steady_v: float
    peak_v: float
    most_v: float
    load: str = ""


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
    """Load and start against fuse, fuse against wires and terminal, and the volts lost there and back in the warm wires."""
    share_v = SUPPLY_DROP_SHARE * feed.system_v
    there = _farthest(feed, share_v)
    most_v = RETURN_DROP_V if feed.shares_return else share_v
    back = Lost(feed.common_v(back=True), feed.common_v(back=True, starting=True), most_v)
    why = ": what shares this return reads off by as much" if feed.shares_return else ""
    needed_mm2 = _needed_mm2(feed, there, back)
    return FeedVerdict(
        checks=(
            *_of_fuse(feed),
            *_of_branches(feed),
            _of_drop("supply wire", there),
            _of_drop("return wire", back, why),
            *_of_way_back(feed, share_v),
        ),
        missing=_missing(feed),
        there=there,
        back=back,
        fuses_a=feed.fuses_a,
        fuse_sentence=_fuse_sentence(feed),
        needed_mm2=needed_mm2,
        metric_mm2=next_metric_mm2(needed_mm2),
        awg=next_awg(needed_mm2),
    )


def _farthest(feed: Feed, most_v: float) -> Lost:
    """What is lost on the way there, to the load that loses most."""
    worst = max(feed.loads, key=feed.lost_v, default=None)
    if worst is None:
        return Lost(0.0, 0.0, most_v)
    peak_v = max(feed.lost_v(load, starting=True) for load in feed.loads)
    return Lost(feed.lost_v(worst), peak_v, most_v, worst.name if worst.branch_m else "")


def _of_way_back(feed: Feed, most_v: float) -> list[tuple[Mark, str]]:
    """The whole way back from the load that loses most, where loads have branches or returns of their own."""
    own = [load for load in feed.loads if load.branch_m or load.own_return]
    if not own:
        return []
    worst = max(own, key=lambda load: feed.lost_v(load, back=True))
    lost = Lost(feed.lost_v(worst, back=True), feed.lost_v(worst, back=True, starting=True), most_v, worst.name)
    return [_of_drop("wires back", lost)]


def _needed_mm2(feed: Feed, there: Lost, back: Lost) -> float:
    """The area of the common wires that keeps the drops, with what the branches lose, and carries the fuse."""
    run = feed.run
    own_v = max((feed.branch_v(load) for load in feed.loads), default=0.0)
    shared_a = sum(load.steady_a for load in feed.loads if not load.own_return)
    if there.most_v <= own_v:
        return math.inf
    return max(
        area_for_drop_mm2(feed.steady_a, run.supply_m, there.most_v - own_v, run.around_degc),
        area_for_drop_mm2(shared_a, run.return_m, back.most_v, run.around_degc),
        run.area_for_mm2(feed.fuse_a),
    )


def _of_branches(feed: Feed) -> list[tuple[Mark, str]]:
    """Branches that the fuse does not protect."""
    found = []
    for load in feed.loads:
        carried_a = feed.branch_carries_a(load)
        if load.branch_mm2 is None or feed.fuse_a <= carried_a * SLACK:
            continue
        area_mm2 = next_metric_mm2(
            area_carrying_mm2(feed.fuse_a, feed.run.around_degc, insulation_degc=feed.run.insulation_degc)
        )
        take = "" if area_mm2 is None else f" or wires of {area_mm2:g} mm²"
        told = f"The fuse of {feed.fuse_a:g} A does not protect the branch to {load.name}"
        carries = f"{load.branch_mm2:.3g} mm² carries only {carried_a:.3g} A"
        found.append((Mark.FAIL, f"{told}: {carries}. Give it a fuse of its own{take}."))
    return found


def _of_fuse(feed: Feed) -> list[tuple[Mark, str]]:
    """The fuse against the load, its start and the wire."""
    share = feed.steady_a / feed.fuse_a
    checks = [
        _told(
            share <= FUSE_SHARE * SLACK,
            f"{feed.steady_a:.3g} A steady on a fuse of {feed.fuse_a:g} A: {100 * share:.0f} %, at most "
            f"{100 * FUSE_SHARE:.0f} %.",
        )
    ]
    if feed.peak_a > feed.steady_a:
        checks.append(_start_on(feed, feed.fuse_a))
    carried_a = feed.run.carries_a
    if feed.fuse_a <= carried_a * SLACK:
        checks.append((Mark.PASS, f"The fuse of {feed.fuse_a:g} A protects a wire that carries {carried_a:.3g} A."))
    else:
        checks.append((Mark.FAIL, _unprotected(feed)))
    return checks


def _start_on(feed: Feed, fuse_a: float) -> tuple[Mark, str]:
    """All loads starting at once on a fuse, by the shortest time that its standard lets it hold."""
    start = f"{feed.peak_a:.3g} A while all its loads start"
    if feed.peak_a <= fuse_a * SLACK:
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
    of = "" if not lost.load else f" {'from' if way == 'wires back' else 'to'} {lost.load}"
    is_good = lost.steady_v <= lost.most_v * SLACK
    digits = 2 if is_good else _digits_apart(lost.steady_v, lost.most_v)
    return _told(
        is_good, f"{_volts(lost.steady_v, digits)} drop in the {way}{of}, at most {lost.most_v:.2g} V{why}{start}."
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
    weak = min(feed.loads, key=feed.branch_carries_a, default=None)
    if weak is not None and feed.branch_carries_a(weak) < min(least_a, feed.run.carries_a):
        return (
            f"No one fuse would do: the loads need {least_a:g} A, and the branch to {weak.name} carries "
            f"{feed.branch_carries_a(weak):.3g} A. Give it a fuse of its own."
        )
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
    checks = [*_of_fuse(tried), *_of_branches(tried)]
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
