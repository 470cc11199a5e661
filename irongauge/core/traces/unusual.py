"""What to do about a level that is not usual for a vehicle: the test that tells fault from harmless, by kind and by way."""

from __future__ import annotations

from irongauge.core.traces.senses import Sense

__all__ = ["follow_up_of"]

_GAS = (
    "Test the coolant for combustion gas, cold and with the pressure let down, and do a leak-down test, before anything is "
    "judged."
)
_AGAIN = "Measure it again with another instrument, warm and at the same speed, before anything is replaced."
# By what it is of: what to do where it is lower than usual, and where it is higher.
_DO: dict[str, tuple[str, str]] = {
    Sense.COOLANT_PRESSURE: (
        "Let it cool, then pressure-test the cooling system and its cap; look for wet hoses.",
        _GAS,
    ),
    Sense.COOLANT_TEMPERATURE: (
        "See whether the thermostat closes: the radiator’s outlet stays cold until it is warm.",
        "Look at the coolant’s level when it is cold, then the fan and the thermostat.",
    ),
    Sense.OIL_PRESSURE: (
        "Look at the oil’s level and grade, then measure it with a gauge at the gallery, hot.",
        "Measure it with a gauge at the gallery, hot; a relief valve that sticks, or cold thick oil, gives more.",
    ),
    Sense.FUEL_PRESSURE: (
        "Measure the pump’s supply volts under load, then its pressure with a gauge, and the filter.",
        "Measure it with a gauge, then look at the return line and the regulator.",
    ),
    Sense.BOOST_PRESSURE: (
        "Look for a leak between turbine and inlet with air of low pressure, and at the hose to the sensor.",
        "Look at the wastegate and its hose, and compare the sensor with a gauge.",
    ),
    Sense.CRANKCASE_PRESSURE: (_AGAIN, "Look at the breather first, then do a leak-down test."),
    Sense.BATTERY_VOLTS: (
        "Measure at the battery and at the alternator’s output with consumers on; then its belt and grounds.",
        "Measure at the battery; more there too is the regulator, more in the log alone is a ground.",
    ),
    Sense.REFERENCE_VOLTS: (
        "Measure the reference at a sensor, plugged in, then with its sensors unplugged one after the other.",
        "Measure the reference at a sensor, plugged in; look for a wire that touches battery positive.",
    ),
}


def follow_up_of(channel: str, difference: float) -> str:
    """What to do next about a channel, by what it is of, that is so much above its usual level, or below where negative."""
    lower, higher = _DO.get(channel, (_AGAIN, _AGAIN))
    return higher if difference > 0 else lower
