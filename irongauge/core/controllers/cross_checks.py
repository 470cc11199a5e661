"""Checks of one thing against another at one moment: two instruments on a hose, two sensors in one manifold, two supplies.

None of them needs a calibrated standard; each says what its readings can and cannot tell, with the uncertainty. Values are
in the fixed unit of their quantity; `u` is a standard uncertainty, U = 2 u.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import COVERAGE_K, combine, guarded_mark
from irongauge.core.measure.units import show_difference

__all__ = [
    "CheckKind",
    "CrossVerdict",
    "instruments_agree",
    "instruments_differ",
    "own_regulator",
    "sensors_agree",
    "under_boost",
]

_LEAST_BOOST = 1.1  # any engine that is charged makes more under load
# What weather adds at most: the highest reduced to sea level is 108.5 kPa (World Meteorological Organization).
_WEATHER_KPA = 7.5
_AT_SCALE = 0.98  # of full scale: what a clipped sensor shows at least
_RATIO_RISES = 1.02  # more than two good sensors differ by, as a share


class CheckKind(StrEnum):
    """What is held against what."""

    INSTRUMENTS = "two instruments on one hose"
    KEY_ON = "manifold against barometer at key on"
    BOOST = "manifold against barometer under boost"
    DISPLAY = "source against display"
    CLIPPED = "a signal that stops rising"
    REGULATOR = "a sensor on a regulator of its own"
    LINE = "expected at the input against shown"


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
    shown = f"They differ by {apart}; combined uncertainty ± {known}."
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
    atmosphere_kpa: float = 101.325,
) -> CrossVerdict:
    """Under boost the ratio of manifold to barometer must rise above 1; two clipped sensors read 1.0 and hide it.

    `u_kpa` is the manifold's, `barometer_u_kpa` the other's where it has its own; `full_scale_kpa` the least full scale of the
    two, where known; `atmosphere_kpa` the open air, of which a barometer shows no more than the weather adds.
    """
    ratio = manifold_kpa / barometer_kpa
    barometer_u_kpa = u_kpa if barometer_u_kpa is None else barometer_u_kpa
    expanded = COVERAGE_K * combine(u_kpa / barometer_kpa, barometer_u_kpa * manifold_kpa / barometer_kpa**2)
    most_air_kpa = atmosphere_kpa + _WEATHER_KPA
    is_charged = barometer_kpa - COVERAGE_K * barometer_u_kpa > most_air_kpa
    full_kpa = math.inf if full_scale_kpa is None else full_scale_kpa
    rises = ratio - expanded > 1.0 and ratio > _RATIO_RISES
    pegged = max(manifold_kpa, barometer_kpa) >= _AT_SCALE * full_kpa
    both = " Both stand at full scale as well." if barometer_kpa >= _AT_SCALE * full_kpa and not rises else ""
    charged = (
        f"It shows {barometer_kpa:.0f} kPa, and open air here has at most {most_air_kpa:.0f} kPa.{both} Find where its port or "
        "hose leads, and lead it to open air; or it reads by another sensor’s scale."
    )
    # The first that is so is what is found.
    findings: tuple[tuple[bool, Mark, str, str], ...] = (
        (
            is_charged and (manifold_kpa > most_air_kpa or ratio + expanded >= 1.0), Mark.FAIL,
            "the barometer stands in boosted air",
            charged,
        ),
        (
            rises and pegged, Mark.UNDECIDED, "at full scale",
            f"One of them stands at full scale ({full_kpa:.0f} kPa): the boost may be higher than it can show.",
        ),
        (rises, Mark.PASS, "rises", "Boost reaches the manifold sensor, and neither is clipped."),
        (
            ratio + expanded < 1.0, Mark.FAIL, "below 1",
            "The manifold reads below the barometer under boost: exchanged sensors, or a hose that is off or blocked.",
        ),
        (
            pegged, Mark.FAIL, "both clipped",
            "Both stand at full scale, so the ratio says nothing. Look at their volts, and at which types are fitted.",
        ),
        (
            ratio + expanded > _LEAST_BOOST, Mark.UNDECIDED, "undecided",
            "It may have risen, or not: put more load on the engine, or read both to one more digit.",
        ),
        (
            True, Mark.FAIL, "does not rise",
            "No boost arrives (hose off, blocked, leaking), or none was made. Put the engine under load and read again.",
        ),
    )  # fmt: skip
    _, mark, finding, cause = next(of for of in findings if of[0])
    return CrossVerdict(
        kind=CheckKind.BOOST,
        mark=mark,
        finding=finding,
        sentence=f"The ratio is {ratio:.3f} (± {expanded:.3f}).",
        cause=cause,
        difference=ratio,
        expanded_u=expanded,
    )


def own_regulator(
    sensor_supply_v: float,
    controller_reference_v: float,
    share: float,
    *,
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
