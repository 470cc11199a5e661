"""Readings of a well vehicle as somebody types them off a gauge: `4.2 bar at 88 °C; 4.1; 7+`.

One to a line, or parted by semicolons; a unit holds for those behind it until another is typed. `7+`, `>7` and `at least 7` are
of a gauge that stood at its stop. A temperature behind *at* says how warm the engine was then. Each is a witness of its own,
unlike those of one drive: nobody types a gauge that has not moved.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.units import FIXED_UNIT, UNITS, Quantity
from irongauge.core.traces.normals import Condition, NormalReading, condition_at
from irongauge.core.traces.senses import Sense
from irongauge.errors import EntryError, quoted

__all__ = ["MOST_TYPED", "SENSES_TYPED", "typed_readings"]

MOST_TYPED = 40  # at once: more is a log
# What a gauge or a screen shows of a vehicle that is well and runs. Boost is left to logs: of a gauge nobody knows whether it
# counts from vacuum as the log does.
SENSES_TYPED = tuple(
    sense
    for sense in Sense
    if sense.quantity in {Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.VOLTAGE, Quantity.LAMBDA}
    and sense not in {Sense.AIR_TEMPERATURE, Sense.OUTSIDE_TEMPERATURE, Sense.BAROMETER, Sense.SENSOR_VOLTS}
    and sense not in {Sense.BOOST_PRESSURE, Sense.MANIFOLD_PRESSURE}
)
_IN_MANY_UNITS = {Quantity.PRESSURE: "kPa, bar or psi", Quantity.TEMPERATURE: "°C or °F"}
_LINE = re.compile(
    r"(?P<least>>=?|≥|over|above|more than|at least|min\.?)?\s*(?P<number>[+\-−]?[\d.,]*\d)\s*(?P<plus>\+|or more|and more)?"
    r"\s*(?P<unit>[^\d@;]*?)\s*(?:(?:\bat\b|@)\s*(?P<heat>[+\-−]?\d.*))?",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class _Typed:
    value: float
    at_least: bool
    degc: float


def typed_readings(
    text: str, sense: Sense, condition: Condition, taken_at: datetime, field: str = "readings"
) -> tuple[NormalReading, ...]:
    """The readings of a sense, in the fixed unit of its quantity; `EntryError` names the line that is none, and what would do.

    The heat of `condition` holds where a line says no temperature.
    """
    quantity = sense.quantity
    assert quantity is not None  # of senses that are offered
    unit = UNITS[FIXED_UNIT[quantity]].label
    found = tuple(
        NormalReading(
            channel=str(sense),
            condition=replace(condition, heat=condition_at(one.degc, math.nan, math.nan).heat or condition.heat),
            value=one.value,
            unit=unit,
            taken_at=taken_at + timedelta(minutes=place),
            at_least=one.at_least,
        )
        for place, one in enumerate(_lines(text, quantity, field))
    )
    if not found:
        raise EntryError(
            field, text, "No reading is typed.", "Type one to a line, such as 4.2 bar at 88 °C, or 7+ bar."
        )
    if len(found) > MOST_TYPED:
        raise EntryError(
            field, text, f"{len(found)} readings are typed.", f"At most {MOST_TYPED}; hand in a log of more."
        )
    return found


def _lines(text: str, quantity: Quantity, field: str) -> Iterator[_Typed]:
    unit = ""
    for line in filter(None, (part.strip() for part in re.split(r"[\n;]+", text))):
        match = _LINE.fullmatch(line)
        if match is None:
            raise EntryError(
                field, text, f"{quoted(line)} is no reading.", "Type it as 4.2 bar, 4.2 bar at 88 °C, or 7+ bar."
            )
        unit = match["unit"] or unit
        if not unit and quantity in _IN_MANY_UNITS:
            would_do = f"Type it behind the number: {_IN_MANY_UNITS[quantity]}."
            raise EntryError(field, text, f"{quoted(line)} has no unit.", would_do)
        try:
            entry = parse_entry(f"{match['number']} {unit}".strip(), quantity, field=field)
            heat = match["heat"]
            degc = parse_entry(heat, Quantity.TEMPERATURE, field=field, unit="degC").value if heat else None
        except EntryError as error:
            raise EntryError(field, text, f"{quoted(line)}: {error.problem}", error.would_do) from error
        assert entry.value is not None  # numbers are all that fits the pattern
        yield _Typed(entry.value, bool(match["least"] or match["plus"]), math.nan if degc is None else degc)
