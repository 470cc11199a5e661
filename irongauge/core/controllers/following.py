"""Checks of one thing against another over several points: a display against its source, a signal against what drives it.

Values are in the fixed unit of their quantity; `u` is a standard uncertainty, U = 2 u.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irongauge.core.controllers.cross_checks import CheckKind, CrossVerdict
from irongauge.core.measure.line import FittedLine, fit_line
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.uncertainty import COVERAGE_K
from irongauge.core.measure.units import show, show_difference

__all__ = ["Displayed", "clipped", "displays_agree"]

_LEAST_POINTS = 3  # two points fit any line
_SHARE = 0.02  # of what was covered: a change smaller than this is none
_SIGMAS = 3.3  # of a slope, by chance in one of a thousand
_LEAST_TAU = 0.3  # a rise that is clipped at a fourth of what was covered still has more


@dataclass(frozen=True)
class Displayed:
    """One moment: the value at the source, and what the other end shows."""

    source: float
    shown: float


def displays_agree(pairs: Sequence[Displayed], u: float, tolerance: float, unit: str) -> CrossVerdict:
    """A source's value against what another controller shows of it, over several points.

    `u` is the standard uncertainty of one difference, `tolerance` what may remain; both in the fixed unit. A constant difference
    is an offset between two grounds, a proportional one a wrong scale, a fixed value an input that is not connected, and one
    that stops following is clipped.
    """
    kind = CheckKind.DISPLAY
    if len(pairs) < _LEAST_POINTS:
        return CrossVerdict(
            kind=kind, mark=Mark.NOT_MEASURED, finding="too few", sentence=f"{len(pairs)} of at least three points are here.",
            cause="Offset and scale cannot be told apart from fewer: add a low, a middle and a high point.",
        )  # fmt: skip
    sources, shown = [p.source for p in pairs], [p.shown for p in pairs]
    covered = max(sources) - min(sources)
    moved = max(shown) - min(shown)
    expanded = COVERAGE_K * u
    if covered <= 2 * expanded:
        return CrossVerdict(
            kind=kind, mark=Mark.UNDECIDED, finding="not moved", sentence="The source hardly moved between the points.",
            cause="Take points over the whole range: low, middle and high.",
        )  # fmt: skip
    trend = _trend(sources, shown, u)
    if moved <= _SHARE * covered or trend == 0:
        stays, moves = show(sum(shown) / len(shown), unit), show_difference(covered, unit)
        words = f"The display stays at {stays} while the source moves by {moves}."
        return CrossVerdict(
            kind=kind,
            mark=Mark.FAIL,
            finding="fixed",
            sentence=words,
            cause="The display's input is not connected, or it is another channel.",
        )
    return _followed(pairs, u, tolerance, unit)


def _followed(pairs: Sequence[Displayed], u: float, tolerance: float, unit: str) -> CrossVerdict:
    """A display that moves with its source: how well."""
    kind, expanded = CheckKind.DISPLAY, COVERAGE_K * u
    sources = [p.source for p in pairs]
    covered = max(sources) - min(sources)
    differences = [p.shown - p.source for p in pairs]
    worst = max(differences, key=abs)
    if max(abs(d) for d in differences) <= tolerance:
        words = f"Nowhere more than {show_difference(abs(worst), unit)} apart, over {len(pairs)} points."
        if max(abs(d) for d in differences) + expanded > tolerance:
            cause = "Within the tolerance, but by less than the readings' own uncertainty."
            return CrossVerdict(
                kind=kind,
                mark=Mark.UNDECIDED,
                finding="undecided",
                sentence=words,
                cause=cause,
                difference=worst,
                expanded_u=expanded,
            )
        return CrossVerdict(
            kind=kind,
            mark=Mark.PASS,
            finding="good",
            sentence=words,
            cause="The display shows what the source gives.",
            difference=worst,
            expanded_u=expanded,
        )
    flat = _flat_end(pairs, max(_SHARE * covered, expanded), tolerance + expanded)
    if flat is None and abs(worst) <= tolerance + expanded:
        words = (
            f"Up to {show_difference(abs(worst), unit)} apart, over {len(pairs)} points, where "
            f"{show_difference(tolerance, unit)} is allowed."
        )
        return CrossVerdict(
            kind=kind,
            mark=Mark.UNDECIDED,
            finding="undecided",
            sentence=words,
            cause=f"Each difference is known to ± {show_difference(expanded, unit)}, so that may be over the limit or not. "
            "Read both to one more digit.",
            difference=worst,
            expanded_u=expanded,
        )
    if flat is not None:
        words = f"The display follows up to {show(flat, unit)} and stays there while the source goes on."
        cause = "The display's scale, or an input that clamps, ends there. Widen its range, or compare the volts at both ends."
        return CrossVerdict(kind=kind, mark=Mark.FAIL, finding="clipped", sentence=words, cause=cause)
    last = _last_alone(pairs, tolerance + expanded)
    if last is not None:
        before = sorted(p.source for p in pairs)[-2]
        words = (
            f"It follows up to {show(before, unit)}; at {show(last.source, unit)} it shows {show(last.shown, unit)}."
        )
        cause = "Clipped, or another scale from there on: take one more point between the two, and one above."
        return CrossVerdict(kind=kind, mark=Mark.FAIL, finding="stops following", sentence=words, cause=cause)
    return _offset_or_slope(fit_line(sources, [p.shown for p in pairs]), differences, sources, u, unit)


def _offset_or_slope(
    fit: FittedLine | None, differences: Sequence[float], sources: Sequence[float], u: float, unit: str
) -> CrossVerdict:
    """Offset, slope or both, by which of the two a line through the differences cannot do without."""
    kind = CheckKind.DISPLAY
    n = len(differences)
    if fit is None:
        return CrossVerdict(
            kind=kind, mark=Mark.FAIL, finding="no relation",
            sentence="What the display shows does not go with the source at all.",
            cause="Look whether it is this source's channel, and read both at the same moment.",
        )  # fmt: skip
    mean = math.fsum(differences) / n
    centre = math.fsum(sources) / n
    sxx = math.fsum((s - centre) ** 2 for s in sources)
    floor = max(u, fit.residual_sd or 0.0)
    slope_u = floor / math.sqrt(sxx)
    offset_u = floor * math.sqrt(1 / n + centre * centre / sxx)
    slope_off, offset = fit.line.slope - 1.0, fit.line.intercept
    has_slope = abs(slope_off) > COVERAGE_K * slope_u
    has_offset = abs(offset) > COVERAGE_K * offset_u
    scale_words = f"the scale is {fit.line.slope:.4g} (± {COVERAGE_K * slope_u:.2g}) times the right one"
    offset_words = f"{show_difference(abs(mean), unit)} (± {show_difference(COVERAGE_K * floor / math.sqrt(n), unit)})"
    side = "high" if mean > 0 else "low"
    if has_slope and not has_offset:
        return CrossVerdict(
            kind=kind, mark=Mark.FAIL, finding="slope", sentence=f"The difference grows with the value: {scale_words}.",
            cause="Another sensor's scale is entered at the display, or another unit. Enter this curve there.",
            difference=slope_off, expanded_u=COVERAGE_K * slope_u,
        )  # fmt: skip
    if not has_slope:
        return CrossVerdict(
            kind=kind, mark=Mark.FAIL, finding="offset", sentence=f"The display is {offset_words} {side} throughout.",
            cause="The two controllers do not share a ground: read the millivolts between their grounds under load. "
            "For a pressure of about one atmosphere, suspect gauge set for absolute.",
            difference=mean, expanded_u=COVERAGE_K * floor / math.sqrt(n),
        )  # fmt: skip
    return CrossVerdict(
        kind=kind, mark=Mark.FAIL, finding="offset and slope",
        sentence=f"Both differ: {scale_words}, and at 0 the display shows {show(offset, unit)}.",
        cause="Enter this curve's two points at the display, then compare again; what remains constant is the ground.",
        difference=mean, expanded_u=COVERAGE_K * offset_u,
    )  # fmt: skip


def _trend(driver: Sequence[float], signal: Sequence[float], u: float) -> int:
    """1 where the signal rises with its driver, −1 where it falls, 0 where what it does may be chance.

    The slope of least squares against what scatter of `u` alone makes of it, and the signal must go with its driver in order, by
    Kendall's τ, which asks for no known scatter. The range of n readings grows with n, so that it tells nothing.
    """
    fit = fit_line(driver, signal)
    if fit is None:
        return 0
    centre = math.fsum(driver) / len(driver)
    sxx = math.fsum((x - centre) ** 2 for x in driver)
    if abs(fit.line.slope) * math.sqrt(sxx) < _SIGMAS * u:
        return 0
    pairs = [
        (a, b)
        for at, a in enumerate(zip(driver, signal, strict=True))
        for b in list(zip(driver, signal, strict=True))[:at]
    ]
    agree = sum(math.copysign(1, (a[0] - b[0]) * (a[1] - b[1])) for a, b in pairs if (a[0] - b[0]) * (a[1] - b[1]) != 0)
    return 0 if abs(agree) < _LEAST_TAU * len(pairs) else int(math.copysign(1, agree))


def _last_alone(pairs: Sequence[Displayed], allowed: float) -> Displayed | None:
    """The highest point, where it alone falls short of its source and all the others, two at least, show it."""
    *rest, last = sorted(pairs, key=lambda p: p.source)
    agree = len(rest) > 1 and all(abs(p.shown - p.source) <= allowed for p in rest)
    return last if agree and last.source - last.shown > allowed else None


def _flat_end(pairs: Sequence[Displayed], least: float, allowed: float) -> float | None:
    """The value at which the display stops following a rising source, None where it follows throughout.

    It takes two points on the flat, and before it two on a rise, or one that shows its source within what is allowed.
    """
    ordered = sorted(pairs, key=lambda p: p.source)
    top = ordered[-1].shown
    level = [p for p in ordered if abs(p.shown - top) <= least / 2]
    if len(level) <= 1 or level[-1].source - level[0].source <= 2 * least:
        return None
    rest = [p for p in ordered if p not in level]
    if len(rest) == 1:
        falls_short = all(p.source - p.shown > allowed for p in level)
        return top if abs(rest[0].shown - rest[0].source) <= allowed and rest[0].shown < top and falls_short else None
    return top if len(rest) > 1 and rest[-1].shown - rest[0].shown > least else None


def clipped(driver: Sequence[float], signal: Sequence[float], u: float, unit: str) -> CrossVerdict:
    """A value that stops rising while what drives it rises on is a clamp, or a sensor at full scale.

    `driver` and `signal` have shape (n,); `u` is the standard uncertainty of one value of the signal.
    """
    kind = CheckKind.CLIPPED
    pairs = [Displayed(d, s) for d, s in zip(driver, signal, strict=True)]
    if len(pairs) < _LEAST_POINTS + 1:
        return CrossVerdict(
            kind=kind,
            mark=Mark.NOT_MEASURED,
            finding="too few",
            sentence=f"{len(pairs)} of at least four points are here.",
            cause="Take two points where it still rises and two above.",
        )
    covered = max(driver) - min(driver)
    moved = max(signal) - min(signal)
    trend = _trend(driver, signal, u)
    if covered == 0 or trend == 0:
        return CrossVerdict(kind=kind, mark=Mark.FAIL, finding="fixed", sentence="The signal does not go with what drives it.",
                            cause="It is not connected, or it stands at one end already.")  # fmt: skip
    if trend < 0:
        return CrossVerdict(
            kind=kind, mark=Mark.FAIL, finding="falls", sentence="It falls as what drives it rises.",
            cause="Exchanged ends, exchanged columns, or another channel. A sensor whose signal falls is compared by its value.",
        )  # fmt: skip
    level = max(_SHARE * moved, COVERAGE_K * u)
    ordered = sorted(pairs, key=lambda p: p.source)
    top = ordered[-1].shown
    flat = [p for p in ordered if abs(p.shown - top) <= level]
    run = flat[-1].source - flat[0].source
    before = [p for p in ordered if p.source < flat[0].source]
    slope = (before[-1].shown - before[0].shown) / (before[-1].source - before[0].source) if len(before) > 1 else 0.0
    if len(flat) > 1 and slope * run > 3 * level:
        return CrossVerdict(
            kind=kind,
            mark=Mark.FAIL,
            finding="clipped",
            sentence=f"It stops at {show(top, unit)} while what drives it rises on by {run:.4g}.",
            cause="An input that clamps, a table that ends, or a sensor at full scale: compare the volts at its pin with the "
            "end of its curve.",
            difference=top,
            expanded_u=COVERAGE_K * u,
        )
    return CrossVerdict(
        kind=kind,
        mark=Mark.PASS,
        finding="rises throughout",
        sentence=f"It rises up to {show(top, unit)} without a flat end.",
        cause="No clamp in what was covered.",
        difference=top,
        expanded_u=COVERAGE_K * u,
    )
