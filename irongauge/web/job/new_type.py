"""A sensor type described in the circuit's own form: its fields carry `type_` before the name that they have on the Shelf."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from irongauge.core.sensors.circuits import SensorType
from irongauge.core.sensors.plausibility import Doubt, Weight, doubts_about
from irongauge.core.shop import Shop
from irongauge.errors import EntryError
from irongauge.web.forms import read_form
from irongauge.web.shelf.forms import SensorTypeForm, sensor_from_form

__all__ = ["NEW", "NEW_TYPE_START", "DescribedType", "described_type"]

NEW = "new"  # what the choice of the sensor says, where its type is described here
_PREFIX = "type_"
NEW_TYPE_START = {
    "type_family": "ratiometric-3w",
    "type_quantity": "pressure",
    "type_kind": "ratio",
    "type_signal_low": "10",
    "type_signal_high": "90",
    "type_tolerance_pct_span": "2",
}
_EXAMPLE = {
    "type_name": "example",
    "type_pressure_base": "gauge",
    "type_value_low": "0 bar",
    "type_value_high": "10 bar",
}


@dataclass(frozen=True)
class DescribedType:
    """The type as far as it was typed: None where it is none yet, with the messages by the form's own field names."""

    sensor: SensorType | None
    errors: Mapping[str, str]
    doubts: tuple[Doubt, ...] = ()
    is_example: bool = False

    def refused(self, *, sure: bool) -> dict[str, str]:
        """Why it cannot go on the Shelf: what is wrong, what cannot be, and what is doubtful until it is confirmed."""
        wrong = dict(self.errors)
        for doubt in self.doubts:
            if doubt.weight is Weight.CANNOT_BE or not sure:
                wrong.setdefault(f"{_PREFIX}{doubt.field}", doubt.sentence)
        return wrong


def described_type(values: Mapping[str, str], shop: Shop) -> DescribedType:
    """What the form's own fields make; an example of a curve while none of its ends is typed."""
    is_example = not any(values.get(f"{_PREFIX}{end}", "").strip() for end in ("value_low", "value_high"))
    typed = {**NEW_TYPE_START, **values, **(_EXAMPLE if is_example else {})}
    fields = {name.removeprefix(_PREFIX): text for name, text in typed.items() if name.startswith(_PREFIX)}
    form, state = read_form(SensorTypeForm, {"supply_v": values.get("reference_v", "5.0"), **fields})
    if form is None:
        return DescribedType(None, {f"{_PREFIX}{name}": said for name, said in state.errors.items()})
    try:
        sensor = sensor_from_form(form, shop)
    except EntryError as error:
        return DescribedType(None, {f"{_PREFIX}{error.field}": str(error)})
    return DescribedType(sensor, {}, () if is_example else tuple(doubts_about(sensor)), is_example)
