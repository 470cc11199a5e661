"""A wire's size as it stands on its reel: in mm², or as an American size."""

from __future__ import annotations

import re
from collections.abc import Sequence

from irongauge.core.measure.entry import parse_number_in
from irongauge.core.measure.quantities import Limits
from irongauge.core.plan.wires import AWG_SIZES, METRIC_MM2, awg_mm2
from irongauge.errors import EntryError, quoted

__all__ = ["parse_wire_mm2"]

# 18, 2/0 or as many noughts; the size before or after its unit.
_SIZE = r"(?P<{0}>\d/0|0{{2,4}}|\d{{1,2}})"
_AWG = re.compile(rf"(?:awg|#)\s*{_SIZE.format('a')}|{_SIZE.format('b')}\s*(?:awg|ga|gauge)\.?", re.IGNORECASE)
_AUGHT = re.compile(r"\d/0|0{2,4}")
_WHOLE = re.compile(r"\d{1,2}")
_MOST_AUGHTS, _THINNEST = 4, 36  # ASTM B258 goes on, and no vehicle has them
# From here a whole number without its unit is more often a gauge than a wire as thick as a battery's cable.
_ASKED_FROM = 7


def parse_wire_mm2(typed: str, *, field: str, limits: Limits, what: str, mm2_told: bool = False) -> float:
    """The area of a wire: `1.5`, `1.5 mm²`, `18 AWG`, `#18`, `2/0`, `00`; `EntryError` for a size that is none, or could be both.

    A whole number such as 18 could be both; with `mm2_told`, by a column's heading, only where no wire of so many mm² is made.

    >>> round(parse_wire_mm2("18 AWG", field="x", limits=Limits(0.05, 240), what="the wire"), 3)
    0.823
    """
    text = typed.strip()
    match = _AWG.fullmatch(f"{text} AWG" if _AUGHT.fullmatch(text) else text)
    if match is None:
        if _WHOLE.fullmatch(text):
            _ask_for_unit(text, field, METRIC_MM2 if mm2_told else ())
        return parse_number_in(typed, field=field, unit="mm2", limits=limits, what=what)
    size = _size_of(match["a"] or match["b"])
    if size is None:
        raise EntryError(field, typed, f"{quoted(typed)} is no American size.", "Type one from 36 to 4/0, or the mm².")
    return parse_number_in(f"{awg_mm2(size):.4g}", field=field, unit="mm2", limits=limits, what=what)


def _size_of(written: str) -> int | None:
    """The number of an American size: 0 is 1/0, −1 is 2/0 or 00; None where there is no such."""
    if "/" in written:
        return 1 - int(written[0]) if 1 <= int(written[0]) <= _MOST_AUGHTS else None
    size = 1 - len(written) if set(written) == {"0"} else int(written)
    return size if size <= _THINNEST else None


def _ask_for_unit(text: str, field: str, made_mm2: Sequence[float]) -> None:
    size = int(text)
    if size < _ASKED_FROM or size not in AWG_SIZES or size in made_mm2:
        return
    problem = f"{quoted(text)} could be {text} mm² or AWG {text} ({awg_mm2(size):.3g} mm²)."
    raise EntryError(field, text, problem, f"Type {text} AWG or {text} mm².")
