"""The unit of a channel whose heading writes none, told by what its numbers can be of on a vehicle that ran.

Only where one unit fits and no other: between the ranges are gaps, and what lies in one of them stays without a unit. It is said
beside the channel that it was taken so.
"""

from __future__ import annotations

from collections.abc import Mapping

from irongauge.core.traces.log_units import log_unit
from irongauge.core.traces.senses import Sense

__all__ = ["likely_unit", "unit_that_was_taken"]

_Ranges = tuple[tuple[str, float, float], ...]
# Between which the greatest value of a drive lies, in each unit.
_PRESSURE: _Ranges = (("bar", 1.5, 12.0), ("psi", 25.0, 150.0), ("kPa", 170.0, 1500.0), ("mbar", 1700.0, 15_000.0))
_HOT: _Ranges = (("°C", 55.0, 128.0), ("°F", 140.0, 265.0), ("K", 325.0, 400.0))
_GREATEST: Mapping[Sense, _Ranges] = {
    Sense.OIL_PRESSURE: _PRESSURE,
    Sense.FUEL_PRESSURE: (("bar", 2.0, 8.0), ("psi", 30.0, 120.0), ("kPa", 200.0, 800.0), ("mbar", 2000.0, 8000.0)),
    Sense.COOLANT_PRESSURE: (("bar", 0.4, 3.0), ("psi", 5.0, 30.0), ("kPa", 45.0, 300.0)),
    Sense.MANIFOLD_PRESSURE: (("bar", 0.7, 4.0), ("kPa", 70.0, 400.0), ("mbar", 700.0, 4000.0)),
    Sense.BAROMETER: (
        ("bar", 0.6, 1.08), ("psi", 8.7, 15.6), ("inHg", 18.0, 32.0), ("kPa", 60.0, 108.0), ("mbar", 600.0, 1080.0),
    ),
    Sense.COOLANT_TEMPERATURE: _HOT,
    Sense.OIL_TEMPERATURE: _HOT,
    Sense.AIR_TEMPERATURE: (("°C", -30.0, 45.0), ("K", 250.0, 360.0)),
    Sense.BATTERY_VOLTS: (("V", 9.0, 33.0), ("mV", 9000.0, 33_000.0)),
    Sense.REFERENCE_VOLTS: (("V", 4.0, 13.0), ("mV", 4000.0, 13_000.0)),
    Sense.SENSOR_VOLTS: (("V", 0.5, 5.6), ("mV", 500.0, 5600.0)),
    Sense.THROTTLE: (("%", 2.0, 140.0),),
    Sense.PEDAL: (("%", 2.0, 140.0),),
    Sense.LOAD: (("%", 12.0, 130.0),),
    Sense.ENGINE_SPEED: (("rpm", 500.0, 14_000.0),),
}  # fmt: skip


def likely_unit(sense: Sense, greatest: float | None) -> str:
    """The only unit in which that can be the greatest value of such a channel; empty where none is, or several are.

    >>> likely_unit(Sense.OIL_PRESSURE, 4.4), likely_unit(Sense.OIL_PRESSURE, 18.0)
    ('bar', '')
    """
    if greatest is None:
        return ""
    fitting = [unit for unit, low, high in _GREATEST.get(sense, ()) if low <= greatest <= high]
    return fitting[0] if len(fitting) == 1 else ""


def unit_that_was_taken(sense: Sense, scale: float, offset: float) -> str:
    """Which of the likely units has that scale and offset; empty for none."""
    for code, _, _ in _GREATEST.get(sense, ()):
        unit = log_unit(code)
        if unit is not None and (unit.scale, unit.offset) == (scale, offset):
            return code
    return ""
