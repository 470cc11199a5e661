"""What people's fingers do to an entry's figures, undone: each way gives the entry as it may have been meant.

A slip of the fingers is of one figure or one column: a thousand times, a decimal point, a sign, two fields exchanged. Leaves out
what is wrong with the curve that was meant (another unit, sensor, reference).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from typing import TypeVar

from irongauge.core.controllers.figures import (
    Cells,
    ControllerForm,
    Counts,
    EndPoints,
    Limit,
    OffsetSlope,
    Scaled,
    ZeroFive,
)

__all__ = ["Slip", "Undone", "last_digit", "rounding_of", "undone"]


class Slip(StrEnum):
    """What may be wrong with an entry."""

    RIGHT = "right"
    WRONG_UNIT = "wrong unit"
    WRONG_BASE = "gauge for absolute"
    WRONG_UNIT_AND_BASE = "wrong unit and base"
    PRESET = "another sensor's figures"
    REVERSED = "ends exchanged"
    ENDS_OF_INPUT = "ends of the input for ends of the sensor"
    REFERENCE = "another reference"
    PULL_UP = "another pull-up"
    THERMISTOR = "another thermistor"
    CELL = "one wrong cell"
    TOO_FEW = "right cells, too few"
    THOUSAND = "a thousand times off"
    POINT = "a decimal point lost"
    SIGN = "a sign lost"
    EXCHANGED = "fields exchanged"
    TWO = "two slips"
    OFFSET = "offset"
    SLOPE = "slope"
    OFFSET_AND_SLOPE = "offset and slope"
    NOT_STRAIGHT = "a straight line for a curve"
    TOO_LOW = "limit too low"


@dataclass(frozen=True)
class Undone:
    """An entry with one slip undone, and what it was in words."""

    slip: Slip
    words: str
    form: ControllerForm


# Each form's figures in a person's words, in the order of its fields.
_WORDS = {
    EndPoints: ("the lower reading", "the higher reading", "the lower value", "the higher value"),
    ZeroFive: ("the value at 0 V", "the value at 5 V"),
    OffsetSlope: ("the offset", "the slope"),
    Scaled: ("the multiplier", "the divider", "the offset"),
    Counts: ("the offset", "the slope"),
}
_PLACES = (10.0, 0.1, 100.0, 0.01)  # what a decimal point in the wrong place makes of a figure
_Form = TypeVar("_Form", bound=ControllerForm)


def undone(form: ControllerForm) -> Iterator[Undone]:
    """Every way in which one slip of the fingers may have made the entry; the likeliest first."""
    if isinstance(form, Cells):
        yield from _of_cells(form)
        return
    if type(form) not in _WORDS:
        return
    yield from _exchanged(form)
    figures = [
        (name, words, float(getattr(form, name)))
        for name, words in zip((f.name for f in fields(form)), _WORDS[type(form)], strict=False)  # type: ignore[arg-type]
    ]
    for name, words, value in figures:
        yield from _made(Slip.SIGN, f"{words} has the wrong sign", form, {name: -value})
    if isinstance(form, OffsetSlope):
        yield from _made(Slip.SIGN, "both signs are wrong", form, {"offset": -form.offset, "slope": -form.slope})
    yield from _thousand(form)
    for name, words, value in figures:
        for times in _PLACES:
            wrong = f"{words} has its decimal point in the wrong place"
            yield from _made(Slip.POINT, wrong, form, {name: value * times})


def _made(slip: Slip, words: str, form: _Form, figures: dict[str, float]) -> Iterator[Undone]:
    """The form with other figures, where they make one."""
    whole = {name: round(value) if isinstance(getattr(form, name), int) else value for name, value in figures.items()}
    try:
        yield Undone(slip, words, replace(form, **whole))  # type: ignore[type-var]
    except ValueError:
        return


def _exchanged(form: ControllerForm) -> Iterator[Undone]:
    match form:
        case OffsetSlope():
            figures = {"offset": form.slope, "slope": form.offset}
            yield from _made(Slip.EXCHANGED, "offset and slope are exchanged", form, figures)
        case Scaled():
            figures = {"multiplier": form.divider, "divider": form.multiplier}
            yield from _made(Slip.EXCHANGED, "multiplier and divider are exchanged", form, figures)
        case ZeroFive():
            figures = {"shown_at_0": form.shown_at_5, "shown_at_5": form.shown_at_0}
            yield from _made(Slip.EXCHANGED, "the two values are exchanged", form, figures)
        case EndPoints():
            columns = {
                "reading_low": form.shown_low,
                "reading_high": form.shown_high,
                "shown_low": form.reading_low,
                "shown_high": form.reading_high,
            }
            yield from _made(Slip.EXCHANGED, "readings and values are exchanged", form, columns)
            for end in ("low", "high"):
                reading, shown = getattr(form, f"reading_{end}"), getattr(form, f"shown_{end}")
                swapped = {f"reading_{end}": shown, f"shown_{end}": reading}
                yield from _made(Slip.EXCHANGED, f"reading and value of the {end} point are exchanged", form, swapped)


_COLUMNS: dict[type, tuple[tuple[str, tuple[str, ...]], ...]] = {
    EndPoints: (("the readings", ("reading_low", "reading_high")), ("the values", ("shown_low", "shown_high"))),
    ZeroFive: (("the values", ("shown_at_0", "shown_at_5")),),
    OffsetSlope: (("the figures", ("offset", "slope")), ("the slope", ("slope",)), ("the offset", ("offset",))),
    Counts: (("the slope", ("per_count",)), ("the offset", ("offset",))),
    Scaled: (("the multiplier", ("multiplier",)), ("the divider", ("divider",)), ("the offset", ("offset",))),
}


def _thousand(form: ControllerForm) -> Iterator[Undone]:
    """A column in thousandths or thousands: mV for V, Pa for kPa."""
    for words, names in _COLUMNS[type(form)]:
        for times, said in ((1e-3, "1 000 times too great"), (1e3, "1 000 times too small")):
            figures = {name: getattr(form, name) * times for name in names}
            are = "are" if words.endswith("s") else "is"
            yield from _made(Slip.THOUSAND, f"{words} {are} {said} (milli for a whole, kilo for one)", form, figures)


def _of_cells(form: Cells) -> Iterator[Undone]:
    for times, said in ((1e-3, "1 000 times too great"), (1e3, "1 000 times too small")):
        words = f"are {said} (milli for a whole, kilo for one)"
        yield Undone(
            Slip.THOUSAND,
            f"the readings {words}",
            replace(form, readings=tuple(r * times for r in form.readings)),
        )
        yield Undone(Slip.THOUSAND, f"the values {words}", replace(form, shown=tuple(s * times for s in form.shown)))
    rows = sorted(zip(form.shown, form.readings, strict=True))
    shown, readings = (tuple(column) for column in zip(*rows, strict=True))
    if len(set(shown)) == len(shown):
        yield Undone(Slip.EXCHANGED, "readings and values are exchanged", Cells(shown, readings))
    yield Undone(Slip.EXCHANGED, "the order of the values is reversed", replace(form, shown=form.shown[::-1]))


def rounding_of(form: ControllerForm | Limit) -> float:
    """By how much an entry's values may be off for the last digit that was entered alone, as a half of it.

    Digits that a zero hides count as not entered, so that 700 is taken for a whole number.
    """
    values = {
        EndPoints: ("shown_low", "shown_high"),
        ZeroFive: ("shown_at_0", "shown_at_5"),
        Limit: ("shown",),
    }.get(type(form), ())
    figures = list(form.shown) if isinstance(form, Cells) else [getattr(form, name) for name in values]
    return last_digit(figures) / 2


def last_digit(figures: Sequence[float]) -> float:
    """What one step of the last digit is worth with which figures were entered; next to nothing where there are none."""
    places = max((len(f"{abs(figure):.10f}".rstrip("0").partition(".")[2]) for figure in figures), default=10)
    return float(10.0**-places)
