"""A wire's size as it stands on its reel: in mm², or as an American size."""

from __future__ import annotations

import re

from irongauge.core.measure.entry import parse_number_in
from irongauge.core.measure.quantities import Limits
from irongauge.core.plan.power import awg_mm2
from irongauge.errors import EntryError, quoted

__all__ = ["parse_wire_mm2"]

_SIZE = r"(?P<{0}>\d{{1,2}})(?P<{0}_aught>/0)?"
_AWG = re.compile(rf"(?:awg|#)\s*{_SIZE.format('a')}|{_SIZE.format('b')}\s*(?:awg|ga|gauge)\.?", re.IGNORECASE)
_AUGHT = re.compile(r"[1-4]/0")
_MOST_AUGHTS, _THINNEST = 4, 36  # ASTM B258 goes from 4/0 to thinner than 36, which no vehicle has


def parse_wire_mm2(typed: str, *, field: str, limits: Limits, what: str) -> float:
    """The area of a wire: `1.5`, `1.5 mm²`, `18 AWG`, `#18`, `2/0`; `EntryError` for a size that is none.

    >>> round(parse_wire_mm2("18 AWG", field="x", limits=Limits(0.05, 240), what="the wire"), 3)
    0.823
    """
    text = typed.strip()
    match = _AWG.fullmatch(f"{text} AWG" if _AUGHT.fullmatch(text) else text)
    if match is None:
        return parse_number_in(typed, field=field, unit="mm2", limits=limits, what=what)
    number = int(match["a"] or match["b"])
    is_aught = bool(match["a_aught"] or match["b_aught"])
    if number > (_MOST_AUGHTS if is_aught else _THINNEST) or (is_aught and number == 0):
        raise EntryError(field, typed, f"{quoted(typed)} is no American size.", "Type one from 36 to 4/0, or the mm².")
    area_mm2 = awg_mm2(1 - number if is_aught else number)
    return parse_number_in(f"{area_mm2:.4g}", field=field, unit="mm2", limits=limits, what=what)
