"""What is lost between a sensor and the input that reads it: what should arrive against what the controller shows."""

from __future__ import annotations

from dataclasses import dataclass

from irongauge.core.controllers.cross_checks import CheckKind, CrossVerdict
from irongauge.core.measure.quantities import Limits, Mark
from irongauge.core.measure.uncertainty import COVERAGE_K, guarded_mark
from irongauge.core.measure.units import show_ohms, show_volts

__all__ = ["Arrival", "line_loss"]

_LEAST_PULLED_V = 1e-3  # between an input's resistor and what it pulls: less drives nothing through a wire
_WHERE = (
    "Measure at the controller's own pin, plugged in. As expected there: the controller scales it wrongly, or its sensor ground "
    "lies off the sensor's. As shown there: the signal wire or one of its joints."
)


@dataclass(frozen=True, kw_only=True)
class Arrival:
    """One signal at both ends of its wire, in V: what is `expected` at the input and what is `shown`, each with its standard
    uncertainty in `u_v` together; the sensor's whole span at the input; and the input's own resistor where it is known.
    """

    expected_v: float
    shown_v: float
    u_v: float
    span_v: float
    pull_ohm: float | None = None
    pull_to_v: float = 5.0

    @property
    def lost_v(self) -> float:
        """What is missing at the input; below zero where it shows more than there should be."""
        return self.expected_v - self.shown_v

    @property
    def wire_ohm(self) -> float | None:
        """Ohms in the signal wire that would do it through the input's own resistor: `r = R·(V − E)/(U − V)`, by the divider of
        wire and resistor between the sensor's E and the resistor's U. None where no wire does: nobody knows the input's
        resistor, or what is shown lies off its side.
        """
        if self.pull_ohm is None or abs(self.pull_to_v - self.shown_v) < _LEAST_PULLED_V:
            return None
        ohm = self.pull_ohm * (self.shown_v - self.expected_v) / (self.pull_to_v - self.shown_v)
        return ohm if ohm > 0 else None


def line_loss(arrival: Arrival, tolerance_pct: float) -> CrossVerdict:
    """Whether what is lost on the way is worth less than `tolerance_pct` of the sensor's span, with the cause if it is not."""
    error_pct = -arrival.lost_v / arrival.span_v * 100
    expanded_pct = COVERAGE_K * arrival.u_v / arrival.span_v * 100
    mark = guarded_mark(error_pct, Limits(-tolerance_pct, tolerance_pct), expanded_pct, expanded_pct)
    way = "less" if arrival.lost_v > 0 else "more"
    sentence = (
        f"The controller shows {show_volts(abs(arrival.lost_v))} {way} than should arrive: {abs(error_pct):.2g} % of the "
        f"sensor's span (± {expanded_pct:.2g}), where {tolerance_pct:g} % is allowed."
    )
    finding = {Mark.PASS: "arrives", Mark.UNDECIDED: "undecided"}.get(mark, f"shows {way} than should arrive")
    return CrossVerdict(
        kind=CheckKind.LINE,
        mark=mark,
        finding=finding,
        sentence=sentence,
        cause=_cause(arrival, mark),
        difference=-arrival.lost_v,
        expanded_u=COVERAGE_K * arrival.u_v,
    )


def _cause(arrival: Arrival, mark: Mark) -> str:
    if mark is Mark.PASS:
        return "The wire and its joints cost no more than that."
    if mark is Mark.UNDECIDED:
        return "Too close to call with these readings. Read both to one more digit, or at a value nearer the top of the range."
    if arrival.pull_ohm is None:
        return _WHERE
    if arrival.wire_ohm is None:
        return (
            f"No resistance in the signal wire does that: the input's {show_ohms(arrival.pull_ohm, trim=True)} "
            f"to {show_volts(arrival.pull_to_v)} would pull it the other way. Look at the controller's scaling and its ground."
        )
    return (
        f"About {show_ohms(float(f'{arrival.wire_ohm:.2g}'), trim=True)} in the signal wire would do it, with the input's "
        f"{show_ohms(arrival.pull_ohm, trim=True)} to {show_volts(arrival.pull_to_v)}. {_WHERE}"
    )
