"""A sensor's own figures as data: there and back, and figures that cannot be."""

import pytest
from pydantic import TypeAdapter, ValidationError

from irongauge.core.sensors.circuits import Switching, Wiper
from irongauge.core.sensors.families import Coil, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType
from irongauge.demo.shelf import MORE_SENSORS
from irongauge.formats.circuit_parts import sensor_from_part, sensor_part
from irongauge.formats.elements import ElementPart, element_from_part, element_part

ADAPTER: TypeAdapter[ElementPart] = TypeAdapter(ElementPart)
ELEMENTS = [
    Thermistor(10_000.0, 3435.0),
    Coil(800.0, 12.0, (3.0, 6.0)),
    FrequencyCurve(
        value_low=0.0,
        value_high=100.0,
        hz_low=50.0,
        hz_high=150.0,
        degc_low=-40.0,
        degc_high=125.0,
        pulse_low_ms=1.0,
        pulse_high_ms=5.0,
    ),
    Switching(low_when_present=False),
    ThermocoupleKind(41.0),
    ThermocoupleKind(letter=ThermocoupleType.N),
    Wiper(4500.0),
    None,
]


@pytest.mark.parametrize("element", ELEMENTS, ids=lambda e: type(e).__name__)
def test_an_element_is_written_and_read_back(element):
    assert element_from_part(element_part(element)) == element


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: s.name)
def test_a_sensor_type_of_every_family_is_written_and_read_back(sensor):
    assert sensor_from_part(sensor_part(sensor)) == sensor


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "thermistor", "ohm_25": 0, "beta_k": 3435},
        {"kind": "thermistor", "ohm_25": 10_000},
        {"kind": "thermistor", "ohm_25": "ten", "beta_k": 3435},
        {"kind": "coil", "ohm": 800, "tolerance_pct": 0, "loose_vac": [3, 6]},
        {"kind": "coil", "ohm": 800, "tolerance_pct": 10, "loose_vac": [3]},
        {"kind": "frequency", "hz_low": 50},
        {"kind": "thermocouple", "uv_per_k": -41},
        {"kind": "thermocouple", "type": "X"},
        {"kind": "thermocouple", "uv_per_k": float("inf")},
        {"kind": "wiper", "ohm": 4500, "colour": "blue"},
        {"kind": "steam"},
        {"ohm": 4500},
    ],
    ids=str,
)
def test_figures_that_cannot_be_are_refused(data):
    with pytest.raises(ValidationError):
        ADAPTER.validate_python(data)


@pytest.mark.parametrize("figures", [{}, {"uv_per_k": 41, "type": "K"}], ids=["neither", "both"])
def test_a_thermocouple_has_its_type_or_its_microvolts(figures):
    part = ADAPTER.validate_python({"kind": "thermocouple", **figures})
    with pytest.raises(ValueError, match="its letter, or microvolts"):
        element_from_part(part)


def test_a_coil_whose_most_is_below_its_least_is_refused():
    part = ADAPTER.validate_python({"kind": "coil", "ohm": 800, "tolerance_pct": 10, "loose_vac": [6, 3]})
    with pytest.raises(ValueError, match="least to a most"):
        element_from_part(part)
