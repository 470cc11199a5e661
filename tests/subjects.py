"""Circuits of every family, as the diagnosis is given them."""

from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest, InputKind, KnownInput, SignalCurve
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType

CURVE = SignalCurve(0.0, 10.0, 0.1, 0.9)
PULL_UP = KnownInput(InputKind.PULL_UP, 10_000.0, 5.0)
PULL_DOWN = KnownInput(InputKind.PULL_DOWN, 200_000.0)
PRESSURE = CircuitUnderTest(
    family=Family.RATIOMETRIC,
    others_on_reference=2,
    inputs={"signal": PULL_DOWN},
    curve=CURVE,
    stimuli={"x1": 0.0, "x2": 4.6},
)
BIASED = CircuitUnderTest(
    family=Family.RATIOMETRIC,
    others_on_reference=2,
    inputs={"signal": PULL_UP},
    curve=CURVE,
    stimuli={"x1": 0.0, "x2": 4.6},
)
NTC = CircuitUnderTest(
    family=Family.THERMISTOR,
    supply_v=None,
    inputs={"signal": KnownInput(InputKind.PULL_UP, 2200.0, 5.0)},
    thermistor=Thermistor(10_000.0, 3435.0),
    temperatures_degc={"x1": 25.0, "x2": 80.0},
)
HALL = CircuitUnderTest(
    family=Family.HALL, inputs={"signal": KnownInput(InputKind.PULL_UP, 4700.0, 12.0)}, others_on_reference=1
)
COIL = CircuitUnderTest(family=Family.RELUCTANCE, supply_v=None, coil=Coil(800.0, 12, (3.0, 6.0)))
FUEL = CircuitUnderTest(
    family=Family.FREQUENCY,
    supply_v=12.0,
    supply_from_battery=True,
    inputs={"signal": KnownInput(InputKind.PULL_UP, 4700.0, 5.0)},
    stimuli={"x1": 20.0},
    frequency=FrequencyCurve(
        value_low=0,
        value_high=100,
        hz_low=50,
        hz_high=150,
        degc_low=-40,
        degc_high=125,
        pulse_low_ms=1,
        pulse_high_ms=5,
    ),
)
JUNCTION = CircuitUnderTest(
    family=Family.THERMOCOUPLE,
    supply_v=None,
    thermocouple=ThermocoupleKind(letter=ThermocoupleType.K),
    temperatures_degc={"x1": 20.0, "x2": 320.0},
    shielded=True,
)
FLOAT = CircuitUnderTest(
    family=Family.SWITCH, supply_v=None, inputs={"signal": KnownInput(InputKind.PULL_UP, 3300.0, 5.0)}
)
COMBO = CircuitUnderTest(
    family=Family.COMBO,
    others_on_reference=1,
    inputs={"signal": PULL_DOWN, "temperature": KnownInput(InputKind.PULL_UP, 2490.0, 5.0)},
    curve=CURVE,
    stimuli={"x1": 1.0, "x2": 6.0},
    thermistor=Thermistor(2500.0, 3500.0),
    temperatures_degc={"x1": 22.0, "x2": 70.0},
    atmosphere=1.0,
)
LOOP = CircuitUnderTest(
    family=Family.CURRENT_LOOP,
    supply_v=12.0,
    supply_from_battery=True,
    inputs={"signal": KnownInput(InputKind.PULL_DOWN, 150.0)},
    curve=SignalCurve(0.0, 16.0, 0.12, 0.6),
    stimuli={"x1": 0.0, "x2": 10.0},
)
SUBJECTS = [PRESSURE, BIASED, NTC, HALL, COIL, FUEL, JUNCTION, FLOAT, COMBO, LOOP]
