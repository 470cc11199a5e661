"""A sensor's own figures as data: one flat object with `kind`, in the job file and at the programs' interface."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from irongauge.core.sensors.circuits import Element, element_from_data, element_to_data
from irongauge.core.sensors.thermocouple import ThermocoupleType
from irongauge.formats.parts import FilePart, Finite, Positive

__all__ = ["ElementPart", "element_from_part", "element_part"]


class ThermistorPart(FilePart):
    """An NTC by its resistance at 25 °C and its beta; by points as well, where its sheet gives those."""

    kind: Literal["thermistor"] = "thermistor"
    ohm_25: Positive
    beta_k: Positive
    points: list[tuple[Finite, Positive]] = Field(
        default=[], max_length=5000, description="°C and Ω: three for Steinhart–Hart, or a table"
    )


class CoilPart(FilePart):
    """A reluctance coil, and the volts rms that it gives unplugged at the speed at which it is tested."""

    kind: Literal["coil"] = "coil"
    ohm: Positive
    tolerance_pct: float = Field(gt=0, lt=100)
    loose_vac: tuple[Positive, Positive] = Field(description="Least and most, V rms")


class FrequencyPart(FilePart):
    """A frequency sensor: hertz against its value, width of the low pulse against its temperature."""

    kind: Literal["frequency"] = "frequency"
    value_low: Finite
    value_high: Finite
    hz_low: Positive
    hz_high: Positive
    degc_low: Finite
    degc_high: Finite
    pulse_low_ms: Positive
    pulse_high_ms: Positive


class WiperPart(FilePart):
    """The track of a position sensor."""

    kind: Literal["wiper"] = "wiper"
    ohm: Positive


class SwitchingPart(FilePart):
    """An output that is a transistor to ground."""

    kind: Literal["switching"] = "switching"
    low_when_present: bool = True


class ThermocouplePart(FilePart):
    """The pair of metals by its letter, or where it has none by its microvolts per kelvin: one of the two."""

    kind: Literal["thermocouple"] = "thermocouple"
    uv_per_k: Positive | None = None
    type: ThermocoupleType | None = None


ElementPart = Annotated[
    ThermistorPart | CoilPart | FrequencyPart | WiperPart | SwitchingPart | ThermocouplePart,
    Field(discriminator="kind"),
]
_ADAPTER: TypeAdapter[ElementPart] = TypeAdapter(ElementPart)


def element_part(element: Element | None) -> ElementPart | None:
    """The element as data."""
    return None if element is None else _ADAPTER.validate_python(element_to_data(element))


def element_from_part(part: ElementPart | None) -> Element | None:
    """The element that data describes; `ValueError` for figures that contradict each other."""
    return None if part is None else element_from_data(part.model_dump())
