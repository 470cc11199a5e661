"""One reading against what it should be: pass, fail or undecided, and the reason in a sentence.

Decisions are guarded by the uncertainty of the instruments used. What is wanted of each reading is in `expectations`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property

from irongauge.core.bench.actions import Action
from irongauge.core.bench.case import BenchCase, glow_of
from irongauge.core.bench.expectations import (
    Expectation,
    GlowExpectation,
    WindowExpectation,
    WordExpectation,
    Words,
    expect,
    instrument_u,
    spoken,
)
from irongauge.core.measure.entry import NO_DATA, VOLTAGE_PRESENT
from irongauge.core.measure.quantities import Limits, Mark, Reading, TestPoint
from irongauge.core.measure.uncertainty import COVERAGE_K, combine, guarded_mark

__all__ = ["Judgement", "judge", "window_text"]


@dataclass(frozen=True)
class Judgement:
    """What one reading is worth. `uncertainty` is expanded (k = 2), in the fixed unit; None for a glow.

    A `soft` mark that is no pass convicts nothing by itself: the circuit as a whole decides.
    """

    mark: Mark
    words: Words = field(compare=False, repr=False)
    expectation: Expectation | None
    uncertainty: float | None = None
    soft: bool = False

    @cached_property
    def sentence(self) -> str:
        """The reason, in a sentence with the numbers."""
        return spoken(self.words)


_SAID = {
    VOLTAGE_PRESENT: "The meter finds voltage where there should be none: ohms mean nothing there. Something feeds this wire.",
    NO_DATA: "Live data shows nothing: the controller is silent, or the reader is not connected.",
}


def judge(case: BenchCase, reading: Reading) -> Judgement:
    """Judge one reading of the case against its expectation."""
    expectation = expect(case, reading.test_point)
    if isinstance(expectation, GlowExpectation):
        glow = glow_of(reading)
        assert glow is not None  # the entry form and the store accept nothing else for this action
        mark = Mark.PASS if glow in expectation.wanted else Mark.FAIL
        return Judgement(mark, f"Lamp {glow}: {expectation.means[glow]}", expectation, soft=expectation.soft)
    if expectation is None:
        return _unexpected(case, reading)
    if isinstance(expectation, WordExpectation):
        fits = reading.word in expectation.wanted
        wanted = " or ".join(sorted(expectation.wanted))
        words = (
            f"“{reading.word}”, as a good circuit."
            if fits
            else f"“{reading.word}”, where a good circuit gives “{wanted}”."
        )
        return Judgement(Mark.PASS if fits else Mark.FAIL, words, expectation, soft=expectation.soft)
    if reading.word in _SAID:
        return Judgement(Mark.FAIL, _SAID[reading.word], expectation)
    value = math.inf if reading.value is None else reading.value  # over range is more than any limit
    uncertainty = COVERAGE_K * combine(instrument_u(case, reading, value), expectation.other_u)
    window = expectation.window
    guards = [
        COVERAGE_K * combine(instrument_u(case, reading, end), expectation.other_u) for end in (window.low, window.high)
    ]
    mark = guarded_mark(value, window, *guards)

    def sentence() -> str:
        return _window_sentence(case, reading, expectation, mark=mark, value=value, guards=guards)

    # Inside its limits, if near one: undecided only for as long as something else speaks against the circuit.
    soft = expectation.soft or (mark is Mark.UNDECIDED and value in window)
    return Judgement(mark, sentence, expectation, uncertainty if math.isfinite(uncertainty) else None, soft)


def number_text(case: BenchCase, test_point: TestPoint, value: float) -> str:
    """A number of a test point's kind as a person reads it."""
    if math.isinf(value):
        return ""
    return case.number_text(test_point, value)


def window_text(case: BenchCase, test_point: TestPoint, window: Limits) -> str:
    """`4.75 to 5.25 V`, `at most 100 mV`, `at least 4.90 V`."""
    low, high = number_text(case, test_point, window.low), number_text(case, test_point, window.high)
    if low.endswith(" V") and high.endswith(" V") and math.isfinite(window.low + window.high):
        return f"{window.low:.2f} to {window.high:.2f} V".replace("-", "−")
    if math.isinf(window.high):
        return f"at least {low}"
    if math.isinf(window.low):
        return f"at most {high}"
    same_unit = low.rsplit(" ", 1)[-1] == high.rsplit(" ", 1)[-1] and " " in low
    return f"{low.rsplit(' ', 1)[0]} to {high}" if same_unit and "absolute" not in low else f"{low} to {high}"


def _window_sentence(
    case: BenchCase, reading: Reading, wanted: WindowExpectation, *, mark: Mark, value: float, guards: list[float]
) -> str:
    shown = case.reading_text(reading)
    window = window_text(case, reading.test_point, wanted.window)
    if mark is Mark.PASS:
        note = ""
        if wanted.aim is not None and value > wanted.aim:
            note = (
                f" Above the {number_text(case, reading.test_point, wanted.aim)} that a clean joint gives: look at it."
            )
        fits = f"{shown}, {window} wanted" if window.startswith("at ") else f"{shown} is within {window}"
        return f"{fits}. {spoken(wanted.inside)}{note}"
    if mark is Mark.UNDECIDED:
        near_low = abs(value - wanted.window.low) < abs(value - wanted.window.high)
        guard = guards[0] if near_low else guards[1]
        limit = wanted.window.low if near_low else wanted.window.high
        return (
            f"{shown} is too near the limit of {number_text(case, reading.test_point, limit)} to call: these instruments are "
            f"good to ± {number_text(case, reading.test_point, guard)} there. Measure with a better one."
        )
    low = value < wanted.window.low
    if math.isinf(value):
        return f"Over range, where {window} is wanted. {spoken(wanted.above)}"
    gap = wanted.window.low - value if low else value - wanted.window.high
    side = "below" if low else "above"
    gap_text = number_text(case, reading.test_point, gap).removesuffix(" absolute")
    return f"{shown} is {gap_text} {side} what is wanted ({window}). {spoken(wanted.below if low else wanted.above)}"


def _unexpected(case: BenchCase, reading: Reading) -> Judgement:
    """A reading of a pin whose role is not known yet: said, but not judged."""
    shown = case.reading_text(reading)
    hint = "Recorded; the next reading decides which wire this is."
    if reading.value is not None and reading.test_point.action == Action.OPEN_V:
        if case.near_reference(reading.value):
            hint = "This is the reference or a bias: the lamp will tell."
        elif reading.value < case.limits.absent_v:
            hint = "This is the return or the signal: the lamp will tell."
    return Judgement(Mark.UNDECIDED, f"{shown}. {hint}", None)
