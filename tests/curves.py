"""Curves of sensors, by which several tests reckon."""

from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, NtcCurve
from tests.cards import CURVE

__all__ = ["B25", "FALLING", "N10", "P10"]

P10 = CURVE
B25 = LinearCurve(
    kind=CurveKind.VOLTS,
    quantity=Quantity.PRESSURE,
    signal_low=0.40,
    signal_high=4.65,
    value_low=20.0,
    value_high=250.0,
    pressure_base=PressureBase.ABSOLUTE,
)
FALLING = LinearCurve(
    kind=CurveKind.RATIO, quantity=Quantity.ANGLE, signal_low=0.9, signal_high=0.1, value_low=0.0, value_high=90.0
)
N10 = NtcCurve(Thermistor(10_000.0, 3435.0))
