"""Checks of one thing against another: two instruments on a hose, two sensors in one manifold, a source and its display.

None of them needs a calibrated standard; each says what its readings can and cannot tell, with the uncertainty. Values are
in the fixed unit of their quantity; `u` is a standard uncertainty, U = 2 u.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.line import FittedLine, fit_line
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import COVERAGE_K, combine, guarded_mark
from irongauge.core.measure.units import show, show_difference

__all__ = [
    "CheckKind",
    "CrossVerdict",
    "Displayed",
    "clipped",
    "displays_agree",
    "instruments_agree",
    "instruments_differ",
    "own_regulator",
    "sensors_agree",
    "under_boost",
]

_LEAST_POINTS = 3  # two points fit any line
_SHARE = 0.02  # of what was covered: a change smaller than this is none
_LEAST_BOOST = 1.1  # any engine that is charged makes more under load
_SIGMAS = 3.3  # of a slope, by chance in one of a thousand
_LEAST_TAU = 0.3  # a rise that is clipped at a fourth of what was covered still has more
_RATIO_RISES = 1.02  # more than two good sensors differ by, as a share


class CheckKind(StrEnum):
    """What is held against what."""

    INSTRUMENTS = "two instruments on one hose"
    KEY_ON = "manifold against barometer at key on"
    BOOST = "manifold against barometer under boost"
    DISPLAY = "source against display"
    CLIPPED = "a signal that stops rising"
    REGULATOR = "a sensor on a regulator of its own"


@dataclass(frozen=True, kw_only=True)
class CrossVerdict:
    """What a check found: the mark, what it is (`good`, `offset`, `slope`, …), a sentence, the likely cause and what to do.

    `difference` and `expanded_u` are in the unit that the sentence uses, where the check has one figure.
    """

    kind: CheckKind
    mark: Mark
    finding: str
    sentence: str
    cause: str
    difference: float | None = None
    expanded_u: float | None = None


def instruments_agree(a: float, u_a: float, b: float, u_b: float, unit: str) -> CrossVerdict:
    """Two instruments on one hose agree when they differ by no more than their combined U.

    Source: the E_n number of ISO 13528:2022, 9.7: |a − b| / √(Ua² + Ub²) ≤ 1. `unit` is a code, for the sentence.
    """
    expanded = COVERAGE_K * combine(u_a, u_b)
    difference = a - b
    agree = abs(difference) <= expanded
    apart, known = show_difference(abs(difference), unit), show_difference(expanded, unit)
    shown = f"They differ by {apart}; together they know it to ± {known}."
    if agree:
        return CrossVerdict(
            kind=CheckKind.INSTRUMENTS,
            mark=Mark.PASS,
            finding="agree",
            sentence=shown,
            cause="Either may be used here, to that.",
            difference=difference,
            expanded_u=expanded,
        )
    return CrossVerdict(
        kind=CheckKind.INSTRUMENTS,
        mark=Mark.FAIL,
        finding="disagree",
        sentence=shown,
        cause="One of them is out, or the hose leaks between them. Vent both and look at their zero; then try a third.",
        difference=difference,
        expanded_u=expanded,
    )


def instruments_differ(a: float, b: float, unit: str) -> CrossVerdict:
    """Two instruments of which one is known to nothing: how far they differ, and what would settle it."""
    difference = abs(a - b)
    settles = show_difference(difference / math.sqrt(2), unit)
    return CrossVerdict(
        kind=CheckKind.INSTRUMENTS,
        mark=Mark.UNDECIDED,
        finding="grade not known",
        sentence=f"They differ by {show_difference(difference, unit)}.",
        cause=f"If each is good to no better than ± {settles}, they agree; else one of them is out. Choose the grade on their "
        "dials with the full scale, or type what each reading is good to.",
        difference=a - b,
    )


def sensors_agree(
    manifold_kpa: float, barometer_kpa: float, u_kpa: float, atmosphere_kpa: float, limit_kpa: float = 2.0
) -> CrossVerdict:
    """Key on, engine off: a manifold and a barometric sensor stand in the same air, so they agree within `limit_kpa`.

    `u_kpa` is that of the difference; `atmosphere_kpa` is known otherwise, to name the one that is out.
    """
    difference = manifold_kpa - barometer_kpa
    expanded = COVERAGE_K * u_kpa
    mark = guarded_mark(difference, Limits(-limit_kpa, limit_kpa), expanded, expanded)
    words = (
        f"The manifold reads {manifold_kpa:.1f} kPa and the barometer {barometer_kpa:.1f} kPa: "
        f"{abs(difference):.1f} kPa apart (± {expanded:.1f}), where up to {limit_kpa:g} kPa is allowed."
    )
    off = {"manifold": manifold_kpa - atmosphere_kpa, "barometric": barometer_kpa - atmosphere_kpa}
    worst = max(off, key=lambda name: abs(off[name]))
    if mark is Mark.PASS:
        return CrossVerdict(
            kind=CheckKind.KEY_ON,
            mark=mark,
            finding="agree",
            sentence=words,
            cause="Both see the same air.",
            difference=difference,
            expanded_u=expanded,
        )
    if mark is Mark.UNDECIDED:
        cause = (
            "Too close to the limit for these readings. Read both to one more digit, or compare at the sensor's volts."
        )
        return CrossVerdict(
            kind=CheckKind.KEY_ON,
            mark=mark,
            finding="undecided",
            sentence=words,
            cause=cause,
            difference=difference,
            expanded_u=expanded,
        )
    cause = (
        f"The {worst} sensor is {abs(off[worst]):.1f} kPa off today's atmosphere ({atmosphere_kpa:.1f} kPa): check its scaling, "
        "its return, and whether it is set as gauge."
    )
    return CrossVerdict(
        kind=CheckKind.KEY_ON,
        mark=mark,
        finding=f"{worst} sensor is off",
        sentence=words,
        cause=cause,
        difference=difference,
        expanded_u=expanded,
    )


def under_boost(
    manifold_kpa: float,
    barometer_kpa: float,
    u_kpa: float,
    full_scale_kpa: float | None = None,
    *,
    barometer_u_kpa: float | None = None,
) -> CrossVerdict:
    """Under boost the ratio of manifold to barometer must rise above 1; two clipped sensors read 1.0 and hide it.

    `u_kpa` is the manifold's, `barometer_u_kpa` the other's where it has its own; `full_scale_kpa` the least full scale of the
    two, where known.
    """
    ratio = manifold_kpa / barometer_kpa
    barometer_u_kpa = u_kpa if barometer_u_kpa is None else barometer_u_kpa
    expanded = COVERAGE_K * combine(u_kpa / barometer_kpa, barometer_u_kpa * manifold_kpa / barometer_kpa**2)
    words = f"The ratio is {ratio:.3f} (± {expanded:.3f})."
    pegged = full_scale_kpa is not None and max(manifold_kpa, barometer_kpa) >= 0.98 * full_scale_kpa
    if ratio - expanded > 1.0 and ratio > _RATIO_RISES:
        cause = "Boost reaches the manifold sensor, and neither is clipped."
        if pegged:
            return CrossVerdict(
                kind=CheckKind.BOOST, mark=Mark.UNDECIDED, finding="at full scale", sentence=words,
                cause=f"One of them stands at full scale ({full_scale_kpa:.0f} kPa): the boost may be higher than it can show.",
                difference=ratio, expanded_u=expanded,
            )  # fmt: skip
        return CrossVerdict(
            kind=CheckKind.BOOST,
            mark=Mark.PASS,
            finding="rises",
            sentence=words,
            cause=cause,
            difference=ratio,
            expanded_u=expanded,
        )
    if ratio + expanded < 1.0:
        cause = (
            "The manifold reads below the barometer under boost: exchanged sensors, or a hose that is off or blocked."
        )
        return CrossVerdict(
            kind=CheckKind.BOOST,
            mark=Mark.FAIL,
            finding="below 1",
            sentence=words,
            cause=cause,
            difference=ratio,
            expanded_u=expanded,
        )
    if ratio + expanded > _LEAST_BOOST and not pegged and manifold_kpa <= 1.3 * 101.325:
        return CrossVerdict(
            kind=CheckKind.BOOST,
            mark=Mark.UNDECIDED,
            finding="undecided",
            sentence=words,
            cause="It may have risen, or not: put more load on the engine, or read both to one more digit.",
            difference=ratio,
            expanded_u=expanded,
        )
    cause = (
        "Both stand at full scale, so the ratio says nothing. Look at their volts, and at which types are fitted."
        if pegged or manifold_kpa > 1.3 * 101.325
        else "No boost arrives (hose off, blocked, leaking), or none was made. Put the engine under load and read again."
    )
    finding = "both clipped" if pegged or manifold_kpa > 1.3 * 101.325 else "does not rise"
    return CrossVerdict(
        kind=CheckKind.BOOST,
        mark=Mark.FAIL,
        finding=finding,
        sentence=words,
        cause=cause,
        difference=ratio,
        expanded_u=expanded,
    )


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
    flat = _flat_end(pairs, max(_SHARE * covered, expanded))
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


def _flat_end(pairs: Sequence[Displayed], least: float) -> float | None:
    """The value at which the display stops following a rising source, None where it follows throughout.

    It takes two points on the flat, and agreement of the display with a line before it.
    """
    ordered = sorted(pairs, key=lambda p: p.source)
    top = ordered[-1].shown
    level = [p for p in ordered if abs(p.shown - top) <= least / 2]
    if len(level) < 2 or level[-1].source - level[0].source <= 2 * least:  # noqa: PLR2004
        return None
    rest = [p for p in ordered if p not in level]
    return top if len(rest) >= 2 and rest[-1].shown - rest[0].shown > least else None  # noqa: PLR2004


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


def own_regulator(  # noqa: PLR0913  two supplies, what they feed, and what may remain
    sensor_supply_v: float,
    controller_reference_v: float,
    share: float,
    span_share: float,
    tolerance_pct: float,
    u_v: float,
) -> CrossVerdict:
    """A ratiometric sensor fed by its own regulator while the controller divides by another reference.

    At a signal of `share` of its supply the controller sees `share · Vs / Vr`; the error in % of span is
    `share · (Vs / Vr − 1) / span_share`. `u_v` is the standard uncertainty of each supply.
    """
    error_pct = share * (sensor_supply_v / controller_reference_v - 1.0) / span_share * 100
    expanded = COVERAGE_K * share / span_share * 100 * combine(u_v, u_v) / controller_reference_v
    mark = guarded_mark(error_pct, Limits(-tolerance_pct, tolerance_pct), expanded, expanded)
    words = (
        f"Fed with {sensor_supply_v:.3f} V and divided by {controller_reference_v:.3f} V, it reads "
        f"{abs(error_pct):.2f} % of span {'high' if error_pct > 0 else 'low'} at the top of its range (± {expanded:.2f})."
    )
    cause = {
        Mark.PASS: "Small enough today; the two supplies drift apart with heat.",
        Mark.UNDECIDED: "Too close to the tolerance for this meter. Read both supplies with a better one.",
    }.get(mark, "Feed the sensor from the controller's own reference, or let the controller read the sensor's supply.")
    finding = {Mark.PASS: "small", Mark.UNDECIDED: "undecided"}.get(mark, "not ratiometric")
    return CrossVerdict(
        kind=CheckKind.REGULATOR,
        mark=mark,
        finding=finding,
        sentence=words,
        cause=cause,
        difference=error_pct,
        expanded_u=expanded,
    )
