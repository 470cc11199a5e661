"""Circuits of every family, as the diagnosis is given them."""

from irongauge.core.diagnosis.subject import InputKind, KnownInput, SignalCurve, Subject
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor

CURVE = SignalCurve(0.0, 10.0, 0.1, 0.9)
PULL_UP = KnownInput(InputKind.PULL_UP, 10_000.0, 5.0)
PULL_DOWN = KnownInput(InputKind.PULL_DOWN, 200_000.0)
PRESSURE = Subject(
    Family.RATIOMETRIC, sharers=2, inputs={"signal": PULL_DOWN}, curve=CURVE, stimuli={"x1": 0.0, "x2": 4.6}
)
BIASED = Subject(Family.RATIOMETRIC, sharers=2, inputs={"signal": PULL_UP}, curve=CURVE, stimuli={"x1": 0.0, "x2": 4.6})
NTC = Subject(
    Family.THERMISTOR,
    supply_v=None,
    inputs={"signal": KnownInput(InputKind.PULL_UP, 2200.0, 5.0)},
    thermistor=Thermistor(10_000.0, 3435.0),
    temperatures_degc={"x1": 25.0, "x2": 80.0},
)
HALL = Subject(Family.HALL, inputs={"signal": KnownInput(InputKind.PULL_UP, 4700.0, 12.0)}, sharers=1)
COIL = Subject(Family.RELUCTANCE, supply_v=None, coil=Coil(800.0, 12, (3.0, 6.0)))
FUEL = Subject(
    Family.FREQUENCY,
    supply_v=12.0,
    supply_from_battery=True,
    inputs={"signal": KnownInput(InputKind.PULL_UP, 4700.0, 5.0)},
    stimuli={"x1": 20.0},
    frequency=FrequencyCurve(0, 100, 50, 150, -40, 125, 1, 5),
)
JUNCTION = Subject(
    Family.THERMOCOUPLE,
    supply_v=None,
    thermocouple_uv_per_k=41.0,
    temperatures_degc={"x1": 20.0, "x2": 320.0},
    shielded=True,
)
FLOAT = Subject(Family.SWITCH, supply_v=None, inputs={"signal": KnownInput(InputKind.PULL_UP, 3300.0, 5.0)})
COMBO = Subject(
    Family.COMBO,
    sharers=1,
    inputs={"signal": PULL_DOWN, "temperature": KnownInput(InputKind.PULL_UP, 2490.0, 5.0)},
    curve=CURVE,
    stimuli={"x1": 1.0, "x2": 6.0},
    thermistor=Thermistor(2500.0, 3500.0),
    temperatures_degc={"x1": 22.0, "x2": 70.0},
    atmosphere=1.0,
)
SUBJECTS = [PRESSURE, BIASED, NTC, HALL, COIL, FUEL, JUNCTION, FLOAT, COMBO]
