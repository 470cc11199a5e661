"""What people call a unit: with and without spaces, signs and capitals, written out or shortened."""

from __future__ import annotations

import re
import unicodedata
from functools import cache

from irongauge.core.measure.units import Quantity, Unit, units_understood

__all__ = ["ALTERNATING", "DIRECT", "heading_unit", "plain_name", "unit_in_name", "units_named"]

# What a meter shows behind its volts, as `plain_name` has it.
ALTERNATING = frozenset({"vac", "v~", "vrms", "vacrms", "acv", "mvac", "mv~"})
DIRECT = frozenset({"vdc", "v=", "mvdc", "dcv"})
_SIGNS = str.maketrans({"μ": "u", "ω": "ohm", "°": "o", "′": "'", "’": "'", "”": '"', "“": '"', "−": "-"})
_BETWEEN = re.compile(r"[\s._-]+")
_DEGREES = re.compile(r"deg(ree)?s?")
_OHMS_OF_TWO_SIZES = frozenset({"m", "mohm", "mohms"})


def plain_name(name: str) -> str:
    """A unit's name without capitals, spaces, points and hyphens, its signs as letters.

    >>> plain_name("kΩ"), plain_name("in. Hg"), plain_name("Degrees C"), plain_name("µs")
    ('kohm', 'inhg', 'degc', 'us')
    """
    text = unicodedata.normalize("NFKC", name).casefold().translate(_SIGNS).replace("''", '"')
    return _DEGREES.sub("deg", _BETWEEN.sub("", text))


@cache
def _names_of(quantity: Quantity) -> dict[str, tuple[Unit, ...]]:
    found: dict[str, tuple[Unit, ...]] = {}
    for unit in units_understood(quantity):
        for name in {plain_name(n) for n in (unit.code, unit.label, *unit.aliases) if n}:
            found[name] = (*found.get(name, ()), unit)
    return found


def units_named(name: str, quantity: Quantity) -> tuple[Unit, ...]:
    """The units of a quantity that a name may stand for: one, none, or several that only the person can tell apart.

    Capitals count only where they are all that tells a thousandth from a million: `mΩ` is one and `MΩ` the other, but a
    bare `m`, or `OHM` in capitals, may be either, and a small `ω` says that small letters say nothing.
    """
    plain = plain_name(name)
    found = _names_of(quantity).get(plain, ())
    if quantity is Quantity.RESISTANCE and plain in _OHMS_OF_TWO_SIZES:
        milli, mega = (_names_of(quantity)[word][0] for word in ("milliohm", "megohm"))
        typed = name.strip(" .-_")
        is_mega, rest = typed.startswith("M"), typed[1:].strip(" .-_")
        in_odd_capitals = (rest.isascii() and rest.isupper()) or rest == "ω"
        if (not rest and not is_mega) or in_odd_capitals:
            return (milli, mega)
        return (mega,) if is_mega else (milli,)
    return found


# Names that say enough at the head of a column although they are one letter, and the one that is a word before it is a unit.
_SHORT_HEADINGS = frozenset({"v", "a", "c", "f", "%", "o"})
_A_WORD = "at"


def heading_unit(name: str) -> Unit | None:
    """The unit that the head of a column names, of whatever quantity; None where that may be several, or none.

    >>> heading_unit("deg. C").code, heading_unit("PSI").code, heading_unit("m")
    ('degC', 'psi', None)
    """
    plain = plain_name(name)
    if (len(plain) <= 1 and plain not in _SHORT_HEADINGS) or plain == _A_WORD:
        return None
    sensed = (quantity for quantity in Quantity if quantity is not Quantity.NUMBER)  # “number” heads a count of rows
    found = [unit for quantity in sensed for unit in units_named(name, quantity)]
    return found[0] if len(found) == 1 else None


# Units at the end of the names of our own fields and columns.
_ENDINGS = {
    "v": "V", "mv": "mV", "ohm": "ohm", "m": "m", "mm": "mm", "mm2": "mm2", "degc": "degC", "hz": "Hz", "ms": "ms",
    "us": "us", "a": "A", "ma": "mA", "pct": "percent", "minutes": "minutes", "seconds": "s", "km": "km",
}  # fmt: skip


def unit_in_name(name: str) -> str:
    """The code of the unit in the name of a field or a column of ours; empty where it has none.

    >>> unit_in_name("pull_up_ohm"), unit_in_name("tolerance_pct_span"), unit_in_name("teeth")
    ('ohm', 'percent', '')
    """
    *before, last = name.split("_")
    return _ENDINGS.get(last) or next((_ENDINGS[part] for part in before if len(part) > 1 and part in _ENDINGS), "")
