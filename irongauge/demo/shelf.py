"""What stands on the Shelf of Saltmarsh Depot: sensor types of invented makers, and the instruments of the shop."""

from __future__ import annotations

from datetime import date, timedelta
from uuid import UUID, uuid5

from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import Element, Endurance, Instrument, InstrumentKind, SensorType, Switching
from irongauge.core.sensors.families import Coil, Family, FrequencyCurve
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.thermocouple import ThermocoupleKind, ThermocoupleType
from irongauge.core.sensors.transfer import CurveKind, LinearCurve

__all__ = ["MORE_SENSORS", "SENSORS", "instruments_of", "uid_of"]

_NAMESPACE = UUID("5b0f6a7e-2c1d-4c57-9a52-7e5a17a4d0e0")


def uid_of(name: str) -> UUID:
    return uuid5(_NAMESPACE, name)


_RATIO, _VOLTS = CurveKind.RATIO, CurveKind.VOLTS
_GAUGE, _ABSOLUTE = PressureBase.GAUGE, PressureBase.ABSOLUTE


def _pressure(kind: CurveKind, low: float, high: float, kpa: tuple[float, float], base: PressureBase) -> LinearCurve:
    return LinearCurve(
        kind=kind,
        quantity=Quantity.PRESSURE,
        signal_low=low,
        signal_high=high,
        value_low=kpa[0],
        value_high=kpa[1],
        pressure_base=base,
    )


def _sensor(name: str, maker: str, family: Family, curve: LinearCurve, tolerance_pct: float) -> SensorType:
    return SensorType(
        uid=uid_of(name),
        name=name,
        maker=maker,
        family=family,
        supply_v=5.0,
        curve=curve,
        tolerance_pct_span=tolerance_pct,
        source=f"{maker} data sheet, as printed",
        bears=_BEARS.get(name, Endurance()),
    )


_BEARS = {
    "Orrin P10, 0–10 bar": Endurance(low_degc=-40, high_degc=125, overpressure_kpa=2000),
    "Orrin P250, 0–250 bar": Endurance(low_degc=-40, high_degc=105, overpressure_kpa=50_000),
    "Orrin B25, 20–250 kPa absolute": Endurance(low_degc=-40, high_degc=125, overpressure_kpa=500),
}
_AMPLIFIED, _WIPER = Family.RATIOMETRIC, Family.POTENTIOMETER
P10 = _sensor("Orrin P10, 0–10 bar", "Orrin", _AMPLIFIED, _pressure(_RATIO, 0.1, 0.9, (0, 1000), _GAUGE), 2.0)
P250 = _sensor("Orrin P250, 0–250 bar", "Orrin", _AMPLIFIED, _pressure(_RATIO, 0.1, 0.9, (0, 25000), _GAUGE), 1.5)
B25 = _sensor(
    "Orrin B25, 20–250 kPa absolute", "Orrin", _AMPLIFIED, _pressure(_VOLTS, 0.4, 4.65, (20, 250), _ABSOLUTE), 2.0
)
T90 = _sensor(
    "Fellgate T90, 0–90°",
    "Fellgate",
    _WIPER,
    LinearCurve(kind=_RATIO, quantity=Quantity.ANGLE, signal_low=0.1, signal_high=0.9, value_low=0.0, value_high=90.0),
    3.0,
)
L50 = _sensor(
    "Fellgate L50, 0–50 mm",
    "Fellgate",
    _WIPER,
    LinearCurve(kind=_RATIO, quantity=Quantity.LENGTH, signal_low=0.1, signal_high=0.9, value_low=0.0, value_high=0.05),
    3.0,
)
SENSORS = (P10, P250, B25, T90, L50)


def _plain(name: str, maker: str, family: Family, supply_v: float, element: Element | None) -> SensorType:
    """A sensor without a straight curve."""
    source = f"{maker} data sheet, as printed"
    return SensorType(
        uid=uid_of(name),
        name=name,
        maker=maker,
        family=family,
        supply_v=supply_v,
        curve=None,
        tolerance_pct_span=3.0,
        source=source,
        element=element,
    )


N10 = _plain("Corrie N10, 10 kΩ NTC", "Corrie", Family.THERMISTOR, 5.0, Thermistor(10_000.0, 3435.0))
H3 = _plain("Corrie H3 Hall switch", "Corrie", Family.HALL, 5.0, Switching())
V800 = _plain("Orrin V800 coil, 800 Ω", "Orrin", Family.RELUCTANCE, 5.0, Coil(800.0, 12.0, (3.0, 6.0)))
F150 = _plain(
    "Fellgate F150, fuel composition",
    "Fellgate",
    Family.FREQUENCY,
    12.0,
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
)
K41 = _plain("Corrie K41 thermocouple", "Corrie", Family.THERMOCOUPLE, 5.0, ThermocoupleKind(letter=ThermocoupleType.K))
S1 = _plain("Fellgate S1 oil level switch", "Fellgate", Family.SWITCH, 5.0, None)
PT4 = SensorType(
    uid=uid_of("PT4"),
    name="Orrin PT4, 20–250 kPa with NTC",
    maker="Orrin",
    family=Family.COMBO,
    supply_v=5.0,
    curve=_pressure(_RATIO, 0.1, 0.9, (20, 250), _ABSOLUTE),
    tolerance_pct_span=2.0,
    source="Orrin data sheet, as printed",
    element=Thermistor(2500.0, 3500.0),
)
W5 = SensorType(
    uid=uid_of("W5"),
    name="Rimefall W5 exhaust controller, 0–5 V",
    maker="Rimefall",
    family=Family.CONTROLLER_OUT,
    supply_v=12.0,
    curve=LinearCurve(
        kind=_VOLTS, quantity=Quantity.SHARE, signal_low=0.0, signal_high=5.0, value_low=0.0, value_high=100.0
    ),
    tolerance_pct_span=2.0,
    source="Rimefall sheet, as printed",
)
R16 = SensorType(
    uid=uid_of("R16"),
    name="Rimefall R16, 0–16 bar, 4–20 mA",
    maker="Rimefall",
    family=Family.CURRENT_LOOP,
    supply_v=12.0,
    curve=_pressure(CurveKind.CURRENT, 4.0, 20.0, (0, 1600), _GAUGE),
    tolerance_pct_span=1.0,
    source="Rimefall sheet, as printed",
    bears=Endurance(low_degc=-25, high_degc=85, overpressure_kpa=3200),
)
MORE_SENSORS = (N10, H3, V800, F150, K41, S1, PT4, W5, R16)


def instruments_of(day: date) -> dict[str, Instrument]:
    meter, lamp, gauge = InstrumentKind.METER, InstrumentKind.LAMP, InstrumentKind.GAUGE
    kpa = Quantity.PRESSURE
    made = (
        Instrument(
            uid=uid_of("m4"),
            kind=meter,
            name="Meter 4",
            serial="TP-20417",
            meter=MeterSpec(0.3, 2, 6000),
            due=day + timedelta(days=141),
        ),
        Instrument(
            uid=uid_of("m7"),
            kind=meter,
            name="Meter 7 (network)",
            serial="simulated",
            meter=MeterSpec(0.05, 3, 60000),
            due=day + timedelta(days=230),
            address="simulated",
        ),
        Instrument(
            uid=uid_of("m2"),
            kind=meter,
            name="Meter 2 (spare)",
            serial="TP-08833",
            meter=MeterSpec(0.8, 3, 2000),
            due=day - timedelta(days=23),
        ),
        Instrument(uid=uid_of("l1"), kind=lamp, name="Lamp 1", serial=""),
        Instrument(
            uid=uid_of("g16"),
            kind=gauge,
            name="Dial 16 bar",
            serial="HW-551",
            meter=None,
            gauge=GaugeSpec(kpa, 1600, 0.5),
            due=day + timedelta(days=63),
        ),
        Instrument(
            uid=uid_of("g250"),
            kind=gauge,
            name="Dial 250 bar",
            serial="HW-560",
            meter=None,
            gauge=GaugeSpec(kpa, 25000, 0.5),
            due=day + timedelta(days=63),
        ),
        Instrument(
            uid=uid_of("gv"),
            kind=gauge,
            name="Hand pump dial",
            serial="HW-302",
            meter=None,
            gauge=GaugeSpec(kpa, 250, 0.6),
            due=day + timedelta(days=12),
        ),
    )
    return {i.name: i for i in made}
