"""What people call a unit: with and without spaces, signs and capitals, written out or shortened."""

from __future__ import annotations

import re
import unicodedata
from functools import cache

from irongauge.core.measure.units import Quantity, Unit, units_understood

__all__ = ["ALTERNATING", "DIRECT", "plain_name", "units_named"]

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
        for name in {plain_name(n) for n in (unit.code, unit.label, *unit.aliases)}:
            found[name] = (*found.get(name, ()), unit)
    return found


def units_named(name: str, quantity: Quantity) -> tuple[Unit, ...]:
    """The units of a quantity that a name may stand for: one, none, or several that only the person can tell apart.

    Capitals count only where they are all that tells a thousandth from a million: `mΩ` is one and `MΩ` the other, but a
    bare `m`, or `OHM` in capitals, may be either.
    """
    plain = plain_name(name)
    found = _names_of(quantity).get(plain, ())
    if quantity is Quantity.RESISTANCE and plain in _OHMS_OF_TWO_SIZES:
        milli, mega = (_names_of(quantity)[word][0] for word in ("milliohm", "megohm"))
        typed = name.strip()
        is_mega, rest = typed.startswith("M"), typed[1:].strip()
        shouted = rest.isascii() and rest.isupper()
        if (not rest and not is_mega) or shouted:
            return (milli, mega)
        return (mega,) if is_mega else (milli,)
    return found
