"""Entries of a controller that are kept with a circuit, held against the curve of its sensor."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from irongauge.core.calibration.record import Calibration, Stage
from irongauge.core.controllers.figures import FormKind, Input, Limit
from irongauge.core.controllers.reading_back import EntryVerdict, Slip, check_entry, check_limit
from irongauge.core.controllers.record import KeptEntry
from irongauge.core.measure.units import standard_atmosphere_kpa, unit_for
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.conversion import Scale, reading_quantity
from irongauge.core.sensors.transfer import Curve
from irongauge.errors import EntryError
from irongauge.formats.entries_text import EntryForm, form_from_figures
from irongauge.workflows.curve.controllers import as_left_curve, nominal_feed_of
from irongauge.workflows.shop.view import People

__all__ = ["KeptVerdict", "entries_to_change", "entry_verdict", "held_against"]


@dataclass(frozen=True)
class KeptVerdict:
    """An entry kept with the circuit, and what it is worth against a curve; None where its unit is none of the sensor."""

    entry: KeptEntry
    kind: str
    verdict: EntryVerdict | None

    @property
    def fits(self) -> bool:
        return self.verdict is not None and self.verdict.slip is Slip.RIGHT


def entry_verdict(
    seen: Input,
    entry: EntryForm,
    scale: Scale,
    *,
    allowance_pct: float,
    presets: Sequence[tuple[str, Curve]] = (),
    nominal_v: float = 5.0,
) -> EntryVerdict:
    """What an entry is worth, whatever its form."""
    if isinstance(entry, Limit):
        return check_limit(seen, entry, scale)
    return check_entry(seen, entry, scale, presets=presets, allowance_pct=allowance_pct, nominal_reference_v=nominal_v)


def held_against(
    entries: Iterable[KeptEntry],
    seen: Input,
    atmosphere_kpa: float,
    presets: Sequence[tuple[str, Curve]] = (),
    nominal_v: float = 5.0,
) -> tuple[KeptVerdict, ...]:
    """Every kept entry of a circuit: after a swap of the sensor, those that must be changed together."""
    found = []
    for kept in entries:
        figures = dict(kept.figures or {})
        kind = FormKind(figures.pop("kind"))
        allowance_pct = float(figures.pop("allowance_pct", 0.5))
        verdict = None
        if unit_for(kept.unit).quantity is seen.curve.quantity:
            entry = form_from_figures(kind, figures, kept.unit, reading_quantity(seen.curve.kind, seen.feed))
            scale = Scale(kept.unit, kept.base, atmosphere_kpa)
            verdict = entry_verdict(
                seen, entry, scale, allowance_pct=allowance_pct, presets=presets, nominal_v=nominal_v
            )
        found.append(KeptVerdict(kept, kind, verdict))
    return tuple(found)


def entries_to_change(
    circuit: Circuit,
    height_m: float,
    entries: Sequence[KeptEntry],
    records: Iterable[Calibration],
    people: People,
) -> tuple[tuple[KeptEntry, ...], bool]:
    """The entries that do not fit the sensor that is fitted now, and whether it is its own curve, of a signed calibration."""
    if not entries or not circuit.sensor.channels:
        return (), False
    channel = circuit.sensor.channels[0]
    signed = [
        record
        for record in records
        if record.signed_at is not None
        and record.setup.stage is Stage.AS_LEFT
        and record.setup.channel == channel.name
        and record.sensor == circuit.sensor
    ]
    newest = max(signed, key=lambda record: record.signed_at or record.started_at, default=None)
    own = None if newest is None else as_left_curve(newest, people)
    seen = Input(own or channel.curve, nominal_feed_of(circuit.sensor, circuit))
    found = []
    for kept in entries:
        try:
            (held,) = held_against([kept], seen, standard_atmosphere_kpa(height_m))
        except (EntryError, ValueError):  # figures of a sensor whose reading has another unit
            found.append(kept)
        else:
            found += [] if held.fits else [kept]
    return tuple(found), own is not None
