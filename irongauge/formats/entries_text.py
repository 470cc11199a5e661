"""The forms that controllers ask for, as CSV and as JSON, and the figures of an entry read from text."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from typing import Any

from irongauge.core.controllers.figures import (
    Bands,
    Cells,
    Counts,
    EndPoints,
    FormKind,
    Forms,
    Limit,
    OffsetSlope,
    Polynomial,
    Scaled,
    Target,
    ZeroFive,
)
from irongauge.core.measure.entry import parse_entry, parse_plain_number
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import UNITS, Quantity, from_fixed, unit_for
from irongauge.core.sensors.transfer import CurveKind
from irongauge.errors import EntryError
from irongauge.formats.curve_table import read_table

__all__ = ["EntryForm", "figures_of", "form_from_figures", "forms_csv", "forms_json"]

EntryForm = EndPoints | ZeroFive | OffsetSlope | Scaled | Counts | Polynomial | Cells | Limit
# The figures of each form, by the names of its fields in pages, files and programs.
FIGURES: dict[FormKind, tuple[tuple[str, str], ...]] = {
    FormKind.END_POINTS: (
        ("reading_low", "the reading at the low end"),
        ("shown_low", "the value there"),
        ("reading_high", "the reading at the high end"),
        ("shown_high", "the value there"),
    ),
    FormKind.ZERO_FIVE: (("shown_at_0", "the value at 0 V"), ("shown_at_5", "the value at 5 V")),
    FormKind.OFFSET_SLOPE: (("offset", "the value at 0"), ("slope", "how much it grows per volt")),
    FormKind.SCALED: (("multiplier", "the multiplier"), ("divider", "the divider"), ("offset", "the offset")),
    FormKind.COUNTS: (
        ("bits", "the bits of the converter"),
        ("full_scale_v", "its full scale in volts"),
        ("offset", "the value at 0"),
        ("per_count", "how much it grows per step"),
    ),
    FormKind.POLYNOMIAL: (
        ("p0", "the value at 0"),
        ("p1", "times the volts"),
        ("p2", "times the volts squared"),
        ("p3", "times the volts cubed"),
    ),
    FormKind.LIMIT: (("shown", "the limit"),),
}
_ANY = Limits(-1e9, 1e9)


def form_from_figures(kind: FormKind, figures: Mapping[str, str], unit: str, reading: Quantity) -> EntryForm:
    """An entry from what was typed of it. A table stands in `table` as two columns: value, then reading.

    Raises `EntryError` naming the figure that cannot be used.
    """
    if kind is FormKind.CELLS:
        return _cells(figures.get("table", ""), unit, reading)
    read = {name: _figure(str(figures.get(name, "")), name, what, unit, reading) for name, what in FIGURES[kind]}
    try:
        return _made(kind, read, 1000.0 if reading is Quantity.VOLTAGE else 1.0)
    except ValueError as error:
        last = FIGURES[kind][-1][0]
        raise EntryError(last, str(figures.get(last, "")), f"Here {error}.") from error


def _figure(typed: str, name: str, what: str, unit: str, reading: Quantity) -> float:
    """One figure, in the controller's unit or the reading's; with a unit behind it where one is a reading or a value."""
    if name.startswith("reading"):
        entry = parse_entry(typed, reading, field=name)
        assert entry.value is not None  # no over-range word is allowed here
        return entry.value
    if name.startswith(("shown", "offset")) and typed.strip():
        entry = parse_entry(typed, unit_for(unit).quantity, field=name, unit=unit)
        assert entry.value is not None
        return float(f"{from_fixed(entry.value, unit):.12g}")  # without the conversion's last bit
    if name in {"p2", "p3"} and not typed.strip():
        return 0.0  # a power that is not used
    return parse_plain_number(typed, field=name, limits=_ANY, what=what)


def _made(  # noqa: PLR0911  one return for each form
    kind: FormKind, read: Mapping[str, float], counts: float
) -> EntryForm:
    if kind is FormKind.END_POINTS:
        ends = sorted(((read["reading_low"], read["shown_low"]), (read["reading_high"], read["shown_high"])))
        return EndPoints(ends[0][0], ends[1][0], ends[0][1], ends[1][1])
    if kind is FormKind.ZERO_FIVE:
        return ZeroFive(read["shown_at_0"], read["shown_at_5"])
    if kind is FormKind.OFFSET_SLOPE:
        return OffsetSlope(read["offset"], read["slope"])
    if kind is FormKind.SCALED:
        for name in ("multiplier", "divider"):
            if read[name] != int(read[name]):
                raise EntryError(name, f"{read[name]:g}", f"The {name} is a whole number.", "Type it without decimals.")
        return Scaled(int(read["multiplier"]), int(read["divider"]), read["offset"], counts)
    if kind is FormKind.COUNTS:
        if read["bits"] != int(read["bits"]):
            raise EntryError("bits", f"{read['bits']:g}", "A converter has whole bits.", "Type 10, 12 or 16.")
        return Counts(read["offset"], read["per_count"], int(read["bits"]), read["full_scale_v"])
    if kind is FormKind.POLYNOMIAL:
        return Polynomial(tuple(read[name] for name, _ in FIGURES[kind]))
    return Limit(read["shown"])


_TABLE_KIND = {
    Quantity.VOLTAGE: CurveKind.VOLTS,
    Quantity.FREQUENCY: CurveKind.HERTZ,
    Quantity.DURATION: CurveKind.PULSE,
    Quantity.RESISTANCE: CurveKind.OHMS,
    Quantity.CURRENT: CurveKind.CURRENT,
    Quantity.SHARE: CurveKind.DUTY,
}


def _cells(text: str, unit: str, reading: Quantity) -> Cells:
    rows = read_table(text, _TABLE_KIND[reading], unit_for(unit).quantity, unit).rows
    ordered = sorted((signal, from_fixed(value, unit)) for signal, value in rows)
    try:
        return Cells(tuple(s for s, _ in ordered), tuple(v for _, v in ordered))
    except ValueError as error:
        raise EntryError("table", text[:40], f"Here {error}.", "Give each reading once.") from error


def figures_of(form: EntryForm) -> dict[str, Any]:  # noqa: PLR0911  one return for each form
    """A form's figures by name; a table's cells as [reading, value] pairs."""
    match form:
        case Cells():
            return {"cells": [list(row) for row in zip(form.readings, form.shown, strict=True)]}
        case EndPoints():
            return {
                "reading_low": form.reading_low,
                "reading_high": form.reading_high,
                "shown_low": form.shown_low,
                "shown_high": form.shown_high,
            }
        case ZeroFive():
            return {"shown_at_0": form.shown_at_0, "shown_at_5": form.shown_at_5}
        case OffsetSlope():
            return {"offset": form.offset, "slope": form.slope}
        case Scaled():
            return {
                "multiplier": form.multiplier,
                "divider": form.divider,
                "offset": form.offset,
                "counts": form.counts,
            }
        case Counts():
            return {
                "bits": form.bits,
                "full_scale_v": form.full_scale_v,
                "offset": form.offset,
                "per_count": form.per_count,
            }
        case Polynomial():
            return {f"p{power}": figure for power, figure in enumerate(form.powers)}
    return {"shown": form.shown}


def _bands_data(bands: Bands) -> dict[str, float]:
    return {
        "shown_low": bands.shown_low,
        "shown_high": bands.shown_high,
        "warn_low": bands.warn_low,
        "warn_high": bands.warn_high,
        "fault_low": bands.fault_low,
        "fault_high": bands.fault_high,
    }


def forms_json(title: str, forms: Forms, target: Target, reading_unit: str) -> str:
    """Every form with its cost, for programs and for the record."""
    scale = target.scale
    body = {
        "sensor": title,
        "unit": scale.unit,
        "pressure_base": scale.base,
        "reading_unit": reading_unit,
        "atmosphere_kpa": scale.atmosphere_kpa,
        "forms": {
            offered.kind: {**figures_of(offered.form), "cost_pct_span": offered.cost_pct}  # type: ignore[arg-type]
            for offered in forms.offered
        },
        "bands": _bands_data(forms.bands),
    }
    return json.dumps(body, indent=2, ensure_ascii=False) + "\n"


def forms_csv(forms: Forms, target: Target, reading_unit: str) -> str:
    """The table of cells with a heading that can be pasted back in."""
    cells = forms.of(FormKind.CELLS)
    assert cells is not None  # every input has a table
    assert isinstance(cells.form, Cells)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow((f"value ({UNITS[target.scale.unit].label})", f"reading ({unit_for(reading_unit).label})"))
    for reading, shown in zip(cells.form.readings, cells.form.shown, strict=True):
        writer.writerow((f"{shown:.{max(target.decimals, 0)}f}", f"{reading:g}"))
    return out.getvalue()
