"""A harness as two lists in CSV, and pins of a module as one: read with every problem told at once, and written.

place,kind,rows,columns,note,minutes,cover,cover_minutes,plug,side
X12,connector,2,6,behind the seat,3,seat,8

wire,from,to,colour,mm2,length_m,shield,part_of
1,Oil pressure:A,X12:3,red,0.5,0.8,

pin,kind,most_v,bits,pull_up,pull_up_ohm,pull_up_v,reference_v,reference_ma
A1,analogue,5,10,fixed,2200,5,,
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from typing import TypeVar

from irongauge.core.measure.entry import parse_number_in
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.unit_names import unit_in_name
from irongauge.core.plan.harness import End, Harness, Node, NodeKind, Wire
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.modules import ModulePin, PinKind, PullUpFitted
from irongauge.core.plan.wire_sizes import parse_wire_mm2
from irongauge.core.sensors.licensed import PartOf
from irongauge.errors import BadListError, EntryError, quoted
from irongauge.formats.columns import MARKS, cells_of
from irongauge.formats.lists import lines_of, made_of_each

__all__ = [
    "NODE_COLUMNS",
    "PIN_COLUMNS",
    "WIRE_COLUMNS",
    "read_cavities",
    "read_nodes",
    "read_pins",
    "read_wires",
    "write_cavities",
    "write_nodes",
    "write_pins",
    "write_wires",
]

NODE_COLUMNS = ("place", "kind", "rows", "columns", "note", "minutes", "cover", "cover_minutes", "plug", "side")
WIRE_COLUMNS = ("wire", "from", "to", "colour", "mm2", "length_m", "shield", "part_of")
PIN_COLUMNS = ("pin", "kind", "most_v", "bits", "pull_up", "pull_up_ohm", "pull_up_v", "reference_v", "reference_ma")
CAVITY_COLUMNS = ("number", "colour", "function")
_MOST_ROWS = 10_000
_MARKS = tuple(mark for mark in MARKS if mark != " ")  # names have blanks in them
_AREA, _LENGTH, _MINUTES = Limits(0.05, 500.0), Limits(0.001, 1000.0), Limits(0.0, 1000.0)
# Headings as people write them, beside our own.
_SAME = {
    "name": "place", "connector": "place", "type": "kind", "id": "wire", "wire no": "wire", "start": "from", "end": "to",
    "color": "colour", "mm²": "mm2", "size": "mm2", "area_mm2": "mm2", "length": "length_m", "m": "length_m",
    "length (m)": "length_m",
    "screen": "shield", "cavity": "number", "no": "number", "pin no": "number", "max_v": "most_v", "ohm": "pull_up_ohm",
    "from_": "from", "terminal": "pin", "part of": "part_of", "min": "minutes", "reach_minutes": "minutes",
    "cover min": "cover_minutes", "put into": "plug", "towards": "side",
}  # fmt: skip
_Row = TypeVar("_Row")
Cells = dict[str, str]


def _rows(text: str, columns: Sequence[str], field: str) -> list[tuple[int, Cells]]:
    """Lines with their numbers, cells by column. A first line that names columns may put them in any order."""
    lines = lines_of(text)
    if len(lines) > _MOST_ROWS + 1:
        raise BadListError(field, [f"It has {len(lines)} lines; {_MOST_ROWS} are the most."])
    if not lines:
        return []
    mark = max(_MARKS, key=lines[0][1].count)
    parted = [(number, cells_of(line, mark)) for number, line in lines]
    named = [_SAME.get(cell.lower(), cell.lower()) for cell in parted[0][1]]
    if named[0] in columns and sum(name in columns for name in named) * 2 > len(named):
        _check_within(parted, len(named), field)
        return [(number, dict(zip(named, cells, strict=False))) for number, cells in parted[1:]]
    _check_within(parted, len(columns), field)
    return [(number, dict(zip(columns, cells, strict=False))) for number, cells in parted]


def _check_within(parted: Sequence[tuple[int, Sequence[str]]], most: int, field: str) -> None:
    """Refuse lines with more cells than there are columns for: what stands there would be lost."""
    over = [(number, len(cells)) for number, cells in parted if any(cell for cell in cells[most:])]
    if over:
        raise BadListError(
            field, [f"Line {number} has {count} cells, and there are {most} columns." for number, count in over]
        )


def _read(text: str, columns: Sequence[str], field: str, make: Callable[[Cells], _Row]) -> tuple[_Row, ...]:
    return made_of_each(_rows(text, columns, field), field, make)


def _number(cells: Cells, name: str, limits: Limits, default: float | None = None) -> float:
    typed = cells.get(name, "")
    if not typed and default is not None:
        return default
    what = f"a number under {name}"
    if name == "mm2":
        return parse_wire_mm2(typed, field=name, limits=limits, what=what, mm2_told=True)
    return parse_number_in(typed, field=name, unit=unit_in_name(name), limits=limits, what=what)


def _maybe(cells: Cells, name: str, limits: Limits) -> float | None:
    return _number(cells, name, limits) if cells.get(name) else None


def _word(cells: Cells, name: str, words: Sequence[str], default: str = "") -> str:
    typed = cells.get(name, "").lower() or default
    if typed not in words:
        raise EntryError(name, typed, f"{quoted(typed)} is not one of: {', '.join(words)}.")
    return typed


def _end(text: str) -> End:
    node, _, cavity = text.rpartition(":") if ":" in text else (text, "", "")
    return End(node.strip(), cavity.strip())


def _short(text: str, longest: int, what: str) -> str:
    if len(text) > longest or not text.isprintable():
        raise EntryError(
            what, text[:40], f"{quoted(text[:40])} is too long for {what}: {longest} letters are the most."
        )
    return text


def _node(cells: Cells) -> Node:
    return Node(
        name=_short(cells.get("place", ""), 40, "a place"),
        kind=NodeKind(_word(cells, "kind", tuple(NodeKind), NodeKind.CONNECTOR)),
        rows=int(_number(cells, "rows", Limits(1, 20), 1)),
        columns=int(_number(cells, "columns", Limits(1, 100), 1)),
        note=_short(cells.get("note", ""), 200, "a note"),
        reach_minutes=_maybe(cells, "minutes", _MINUTES),
        cover=_short(cells.get("cover", ""), 40, "a cover"),
        cover_minutes=_number(cells, "cover_minutes", _MINUTES, 0.0),
        plug=_short(cells.get("plug", ""), 40, "a plug"),
        side=_short(cells.get("side", ""), 40, "a side"),
    )


def _wire(cells: Cells) -> Wire:
    start, end = cells.get("from", ""), cells.get("to", "")
    if not start or not end:
        raise EntryError("from", start, "A wire goes from one end to another.", "Write X12:3, a place and its cavity.")
    return Wire(
        name=_short(cells.get("wire", ""), 40, "a wire’s name") or f"{start}–{end}"[:40],
        start=_end(_short(start, 60, "an end")),
        end=_end(_short(end, 60, "an end")),
        colour=_short(cells.get("colour", ""), 24, "a colour"),
        area_mm2=_number(cells, "mm2", _AREA, 0.5),
        length_m=_number(cells, "length_m", _LENGTH),
        shield=_short(cells.get("shield", ""), 40, "a shield"),
        part_of=_part_of(cells),
    )


def _part_of(cells: Cells) -> PartOf:
    """What a wire is part of, in the words of the list or one of them; nothing is not told."""
    typed = cells.get("part_of", "").strip().lower()
    if not typed:
        return PartOf.NOT_TOLD
    short = {"none": PartOf.NOTHING, "no": PartOf.NOTHING, "airbag": PartOf.RESTRAINT, "airbags": PartOf.RESTRAINT,
             "belts": PartOf.RESTRAINT, "srs": PartOf.RESTRAINT, "hv": PartOf.HIGH_VOLTAGE, "brake": PartOf.BRAKES}  # fmt: skip
    if typed in short:
        return short[typed]
    if typed not in set(PartOf):
        words = ", ".join(PartOf)
        raise EntryError("part_of", typed, f"{quoted(typed)} is not one of: {words}.")
    return PartOf(typed)


def _pin(cells: Cells) -> ModulePin:
    volts, ohms, amps = Limits(0.1, 100), Limits(10, 1e7), Limits(0.1, 10_000)
    bits = _maybe(cells, "bits", Limits(6, 24))
    return ModulePin(
        name=_short(cells.get("pin", ""), 20, "a pin"),
        kind=PinKind(_word(cells, "kind", tuple(PinKind))),
        most_v=_maybe(cells, "most_v", volts),
        bits=None if bits is None else int(bits),
        pull_up=PullUpFitted(_word(cells, "pull_up", tuple(PullUpFitted), PullUpFitted.NONE)),
        pull_up_ohm=_maybe(cells, "pull_up_ohm", ohms),
        pull_up_v=_maybe(cells, "pull_up_v", volts),
        reference_v=_maybe(cells, "reference_v", volts),
        reference_ma=_maybe(cells, "reference_ma", amps),
    )


def _cavity(cells: Cells) -> Cavity:
    number = _short(cells.get("number", ""), 10, "a cavity")
    if not number:
        raise EntryError("number", "", "A cavity has a number.")
    return Cavity(
        number, _short(cells.get("colour", ""), 24, "a colour"), _short(cells.get("function", ""), 60, "a function")
    )


def read_nodes(text: str, field: str = "nodes") -> tuple[Node, ...]:
    """Places of a harness; `BadListError` tells every bad line."""
    return _read(text, NODE_COLUMNS, field, _node)


def read_wires(text: str, field: str = "wires") -> tuple[Wire, ...]:
    """Wires of a harness; `BadListError` tells every bad line."""
    return _read(text, WIRE_COLUMNS, field, _wire)


def read_pins(text: str, field: str = "pins") -> tuple[ModulePin, ...]:
    """Pins of a module; `BadListError` tells every bad line."""
    return _read(text, PIN_COLUMNS, field, _pin)


def read_cavities(text: str, field: str) -> tuple[Cavity, ...]:
    """A connector's cavities; `BadListError` tells every bad line."""
    return _read(text, CAVITY_COLUMNS, field, _cavity)


def _written(columns: Sequence[str], rows: Sequence[Sequence[object]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows([_row_of(row) for row in rows])
    return out.getvalue()


def _row_of(row: Sequence[object]) -> list[str]:
    """A line's cells, without empty ones at its end."""
    cells = ["" if cell is None else _cell(cell) for cell in row]
    while cells and not cells[-1]:
        cells.pop()
    return cells


def _cell(value: object) -> str:
    return f"{value:.10g}" if isinstance(value, float) else str(value)


def write_nodes(harness: Harness) -> str:
    return _written(
        NODE_COLUMNS,
        [
            (
                n.name,
                n.kind,
                n.rows,
                n.columns,
                n.note,
                n.reach_minutes,
                n.cover,
                n.cover_minutes or None,
                n.plug,
                n.side,
            )
            for n in harness.nodes
        ],
    )


def write_wires(harness: Harness) -> str:
    return _written(
        WIRE_COLUMNS,
        [(w.name, w.start, w.end, w.colour, w.area_mm2, w.length_m, w.shield, _told(w.part_of)) for w in harness.wires],
    )


def _told(part_of: PartOf) -> str | None:
    return None if part_of is PartOf.NOT_TOLD else str(part_of)


def write_pins(pins: Sequence[ModulePin]) -> str:
    return _written(
        PIN_COLUMNS,
        [
            (p.name, p.kind, p.most_v, p.bits, p.pull_up, p.pull_up_ohm, p.pull_up_v, p.reference_v, p.reference_ma)
            for p in pins
        ],
    )


def write_cavities(cavities: Sequence[Cavity]) -> str:
    return _written(CAVITY_COLUMNS, [(c.number, c.colour, c.function) for c in cavities])
