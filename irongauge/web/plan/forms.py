"""Forms of the Plan room: modules and functions, what uses a value, room to be made, feeds, lists of wires, the kit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Annotated
from uuid import UUID, uuid4

from pydantic import BeforeValidator

from irongauge.core.measure.entry import parse_number_in, parse_plain_number
from irongauge.core.measure.quantities import Limits
from irongauge.core.plan.board import PinAt, PullUpNeed
from irongauge.core.plan.cutting import kind_of
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.modules import INPUTS, ModuleKind, ModuleType, PinKind, Shows
from irongauge.core.plan.places import PlaceKind, ValuePlace
from irongauge.core.plan.record import PlannedFunction
from irongauge.core.plan.room import Want
from irongauge.core.plan.wire_sizes import parse_wire_mm2
from irongauge.errors import BadListError, EntryError, as_sentence, quoted
from irongauge.formats.columns import cells_of
from irongauge.formats.harness_csv import read_pins
from irongauge.formats.lists import lines_of, made_of_each
from irongauge.web.forms import OptionalUid, PostedForm, choice, number, optional_number, text, told

__all__ = [
    "AssignForm",
    "FeedForm",
    "FitForm",
    "FunctionForm",
    "KitForm",
    "MapForm",
    "ModuleTypeForm",
    "PlaceForm",
    "RoomForm",
    "TickForm",
    "ends_from",
    "feed_from",
    "function_from",
    "function_values",
    "kit_lines_from",
    "loads_text",
    "module_type_from",
    "pin_from",
    "pin_text",
    "wants_from",
]

_READ_BY = {
    "analogue": (PinKind.ANALOGUE,),
    "digital": (PinKind.DIGITAL,),
    "digital or analogue": (PinKind.DIGITAL, PinKind.ANALOGUE),
    "frequency": (PinKind.FREQUENCY,),
    "frequency or digital": (PinKind.FREQUENCY, PinKind.DIGITAL),
    "thermocouple": (PinKind.THERMOCOUPLE,),
    "bus": (PinKind.BUS,),
    "output": (PinKind.OUTPUT,),
}
READ_BY = tuple(_READ_BY)
_AS_TYPED = {kinds: name for name, kinds in _READ_BY.items()}


class ModuleTypeForm(PostedForm):
    """A module type's card with its pins."""

    name: Annotated[str, text(80, what="a name")]
    maker: Annotated[str, text(60, what="its maker", needed=False)] = ""
    kind: Annotated[str, choice(*ModuleKind)] = ModuleKind.CONTROLLER
    shows: Annotated[str, choice(*Shows)] = Shows.ENGINEERING
    pins: str = ""


def module_type_from(form: ModuleTypeForm, uid: UUID | None = None) -> ModuleType:
    """The module type; `BadListError` tells every bad line of its pins."""
    pins = read_pins(form.pins)
    try:
        return ModuleType(
            uid=uid or uuid4(),
            name=form.name,
            maker=form.maker,
            kind=ModuleKind(form.kind),
            shows=Shows(form.shows),
            pins=pins,
        )
    except ValueError as error:
        raise BadListError("pins", [as_sentence(error)]) from error


class FitForm(PostedForm):
    """A module that is fitted."""

    type_uid: OptionalUid = None
    name: Annotated[str, text(60, what="what it is called on this vehicle")]


class FunctionForm(PostedForm):
    """A function that wants an input or an output."""

    uid: OptionalUid = None
    circuit_uid: OptionalUid = None
    name: Annotated[str, text(80, what="what is read")]
    read_by: Annotated[str, choice(*READ_BY)] = "analogue"
    pull_up: Annotated[str, choice(*PullUpNeed)] = PullUpNeed.EITHER
    most_v: Annotated[float, number(0.1, 100, what="the most volts on its wire")] = 5.0
    own_pull_up_ohm: Annotated[float | None, optional_number(10, 1e7, what="ohms")] = None
    current_ma: Annotated[float | None, optional_number(0, 10_000, what="milliamperes")] = None
    on_reference: Annotated[str, choice("", "yes")] = ""
    fed_by_uid: OptionalUid = None
    in_use: Annotated[str, choice("", "yes")] = ""
    movable: Annotated[str, choice("", "yes")] = ""
    shares: Annotated[str, text(60, what="with what it shares an input", needed=False)] = ""
    inputs: Annotated[str, choice("1", "2")] = "1"


def function_from(form: FunctionForm, old: PlannedFunction | None) -> PlannedFunction:
    """The function with its typed card, where it stands now."""
    fresh = PlannedFunction(
        uid=uuid4() if old is None else old.uid,
        name=form.name,
        kinds=_READ_BY[form.read_by],
        pull_up=PullUpNeed(form.pull_up),
        most_v=form.most_v,
        own_pull_up_ohm=form.own_pull_up_ohm,
        circuit_uid=form.circuit_uid,
        current_ma=form.current_ma,
        on_reference=form.on_reference == "yes",
        fed_by_uid=form.fed_by_uid if form.on_reference == "yes" else None,
        in_use=form.in_use == "yes",
        movable=form.movable == "yes",
        shares=form.shares,
        inputs=int(form.inputs),
    )
    if old is None:
        return fresh
    also_at = old.also_at if fresh.inputs > 1 else None
    return replace(
        fresh,
        at=old.at,
        pull_up_on=old.pull_up_on,
        reserved=old.reserved,
        circuit_uid=old.circuit_uid,
        also_at=also_at,
        also_on=old.also_on and also_at is not None,
    )


def function_values(function: PlannedFunction) -> dict[str, str]:
    """A function's card as its form shows it."""

    def told(value: float | None) -> str:
        return "" if value is None else f"{value:g}"

    return {
        "uid": str(function.uid),
        "name": function.name,
        "read_by": _AS_TYPED.get(function.kinds, "analogue"),
        "pull_up": function.pull_up,
        "most_v": told(function.most_v),
        "own_pull_up_ohm": told(function.own_pull_up_ohm),
        "current_ma": told(function.current_ma),
        "fed_by_uid": str(function.fed_by_uid or ""),
        "on_reference": "yes" if function.on_reference else "",
        "in_use": "yes" if function.in_use else "",
        "movable": "yes" if function.movable else "",
        "shares": function.shares,
        "inputs": str(function.inputs),
        "circuit_uid": str(function.circuit_uid or ""),
    }


class AssignForm(PostedForm):
    """A function put on a pin; `warned` once the person has seen what still reads the pin that it leaves."""

    function_uid: OptionalUid = None
    at: str = ""
    seen: str = ""
    warned: Annotated[str, choice("", "yes")] = ""
    pull_up_on: Annotated[str, choice("", "yes")] = ""
    reserved: Annotated[str, choice("", "yes")] = ""
    also_at: str = ""
    also_on: Annotated[str, choice("", "yes")] = ""


def pin_from(typed: str) -> PinAt | None:
    """`module uid:pin` as a pin; nothing is no pin."""
    module, _, pin = typed.partition(":")
    if not typed:
        return None
    try:
        return PinAt(UUID(module), pin[:40])
    except ValueError as error:
        raise EntryError("at", typed, "That is no pin of this vehicle.", "Choose one from the board.") from error


def pin_text(at: PinAt | None) -> str:
    """A pin as forms carry it; empty for none."""
    return "" if at is None else f"{at.module_uid}:{at.pin}"


class PlaceForm(PostedForm):
    """A place where a function's value must be entered."""

    function_uid: OptionalUid = None
    kind: Annotated[str, choice(*PlaceKind)] = PlaceKind.TABLE
    name: Annotated[str, text(80, what="which one it is")]

    def to_core(self) -> ValuePlace:
        """The place, with an identity of its own."""
        if self.function_uid is None:
            raise EntryError("function_uid", "", "Choose whose value is used.")
        return ValuePlace(uid=uuid4(), function_uid=self.function_uid, kind=PlaceKind(self.kind), name=self.name)


class TickForm(PostedForm):
    """A line that is ticked."""

    technician_uid: OptionalUid = None
    open_again: Annotated[str, choice("", "yes")] = ""

    def who(self) -> UUID | None:
        """Who ticks it off, or None where it is to be open again; `EntryError` where nobody was chosen."""
        if not self.open_again and self.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who ticks it.")
        return None if self.open_again else self.technician_uid


class RoomForm(PostedForm):
    """For what room is wanted on the controllers."""

    count: Annotated[float, number(1, 20, what="how many")] = 1
    want_kind: Annotated[str, choice(*INPUTS)] = PinKind.ANALOGUE
    want_pull_up: Annotated[str, choice(*PullUpNeed)] = PullUpNeed.EITHER
    want_name: Annotated[str, text(60, what="what for", needed=False)] = ""
    want_shares: Annotated[str, text(60, what="with what it shares an input", needed=False)] = ""
    want_inputs: Annotated[str, choice("1", "2")] = "1"


def wire_mm2(low: float, high: float, *, what: str) -> BeforeValidator:
    """A wire's size, in mm² or as an American one."""
    return told(lambda v: parse_wire_mm2(str(v or ""), field="", limits=Limits(low, high), what=what))


def wants_from(form: RoomForm) -> tuple[Want, ...]:
    """What is wanted; `EntryError` for half an input."""
    if form.count != int(form.count):
        raise EntryError("count", f"{form.count:g}", "Inputs come whole.", "Type a whole number.")
    pull_up = PullUpNeed(form.want_pull_up)
    return (Want(int(form.count), (PinKind(form.want_kind),), pull_up, name=form.want_name or "New sensor",
                 shares=form.want_shares, inputs=int(form.want_inputs)),)  # fmt: skip


class FeedForm(PostedForm):
    """A feed with its fuse, its wire and its loads."""

    uid: OptionalUid = None
    name: Annotated[str, text(60, what="what the fuse feeds")]
    fuse_a: Annotated[float, number(0.5, 500, what="the fuse in amperes")] = 10
    supply_m: Annotated[float, number(0.01, 200, what="the length there in metres")] = 2
    return_m: Annotated[float, number(0.01, 200, what="the length back in metres")] = 2
    area_mm2: Annotated[float, wire_mm2(0.05, 240, what="the wire in mm² or AWG")] = 1
    around_degc: Annotated[float, number(-40, 150, what="the temperature around it in °C")] = 40
    insulation_degc: Annotated[float, number(60, 300, what="what its insulation bears in °C")] = 70
    circuits_together: Annotated[float, number(1, 50, what="how many loaded circuits lie in its loom")] = 1
    rated_a: Annotated[float | None, optional_number(0.1, 500, what="amperes")] = None
    terminal_a: Annotated[float | None, optional_number(0.1, 500, what="amperes")] = None
    keyed: Annotated[str, choice("yes", "no")] = "yes"
    shares_return: Annotated[str, choice("yes", "no")] = "yes"
    loads: str = ""
    try_fuse_a: Annotated[float | None, optional_number(0.5, 500, what="the other fuse in amperes")] = None


def feed_from(form: FeedForm, system_v: float) -> Feed:
    """The feed with its loads, a line each; `BadListError` tells every bad line."""
    run = WireRun(
        supply_m=form.supply_m,
        return_m=form.return_m,
        area_mm2=form.area_mm2,
        around_degc=form.around_degc,
        insulation_degc=form.insulation_degc,
        circuits_together=round(form.circuits_together),
        rated_a=form.rated_a,
        terminal_a=form.terminal_a,
    )
    return Feed(
        name=form.name,
        fuse_a=form.fuse_a,
        run=run,
        loads=_loads(form.loads, keyed=form.keyed == "yes"),
        system_v=system_v,
        keyed=form.keyed == "yes",
        shares_return=form.shares_return == "yes",
    )


_LOAD_CELLS = (
    ("steady A", "A"),
    ("peak A", "A"),
    ("duty in %", "percent"),
    ("sleep mA", "mA"),
    ("metres of its branch", "m"),
)
_OWN = {"": False, "no": False, "own": True, "yes": True, "own return": True}


def _loads(typed: str, *, keyed: bool) -> tuple[Load, ...]:
    """Lines of `name; steady A; peak A; duty %; sleep mA; branch m; branch wire; own`; all but the first two may be left out."""
    return made_of_each(lines_of(typed), "loads", partial(_load, keyed=keyed))


def _load(line: str, *, keyed: bool) -> Load:
    name, *cells = cells_of(line, next((mark for mark in ";\t" if mark in line), ","))
    figures = [_figure(cell, *of) for cell, of in zip(cells, _LOAD_CELLS, strict=False)]
    wire, own, *more = [*cells[len(_LOAD_CELLS) :], "", ""]
    if any(more) or own.lower() not in _OWN:
        raise EntryError(
            "loads", line, f"{quoted(own or more[0])} is not understood at the end.", "Write “own”, or nothing."
        )
    if not name or not figures or figures[0] is None:
        raise EntryError("loads", line, f"{quoted(line)} has no name or no amperes.", "Write: Oil gauge; 0.4")
    steady_a, peak_a, duty_pct, sleep_ma, branch_m = (figures + [None] * 5)[:5]
    branch_mm2 = None
    if wire:
        branch_mm2 = parse_wire_mm2(
            wire, field="loads", limits=Limits(0.05, 240), what="the branch's wire in mm² or AWG"
        )
    return Load(
        name=name[:60],
        steady_a=steady_a or 0.0,
        peak_a=peak_a,
        duty=1.0 if duty_pct is None else duty_pct / 100,
        keyed=keyed,
        sleep_ma=sleep_ma or 0.0,
        branch_m=branch_m or 0.0,
        branch_mm2=branch_mm2,
        own_return=_OWN[own.lower()],
    )


def _figure(cell: str, what: str, unit: str) -> float | None:
    return parse_number_in(cell, field="loads", unit=unit, limits=Limits(0, 5000), what=what) if cell else None


def loads_text(feed: Feed) -> str:
    """The loads as they are typed."""
    lines = []
    for load in feed.loads:
        cells = [load.name, f"{load.steady_a:g}", "" if load.peak_a is None else f"{load.peak_a:g}"]
        cells += ["" if load.duty == 1 else f"{100 * load.duty:g}", "" if not load.sleep_ma else f"{load.sleep_ma:g}"]
        cells += [
            f"{load.branch_m:g}" if load.branch_m else "",
            "" if load.branch_mm2 is None else f"{load.branch_mm2:.4g} mm²",
        ]
        cells.append("own" if load.own_return else "")
        lines.append("; ".join(cells).rstrip("; "))
    return "\n".join(lines)


def ends_from(typed: str) -> tuple[tuple[str, float], ...]:
    """Lines of `colour; wire; metres` of what was left over; `BadListError` tells every bad line."""
    return made_of_each(lines_of(typed), "ends", _end)


def _end(line: str) -> tuple[str, float]:
    cells = cells_of(line, next((mark for mark in ";\t" if mark in line), ","))
    if len(cells) != 3:  # noqa: PLR2004
        raise EntryError("ends", line, f"{quoted(line)} is no colour, wire and length.", "Write: red; 0.5 mm²; 1.4")
    area_mm2 = parse_wire_mm2(
        cells[1], field="ends", limits=Limits(0.05, 240), what="a wire in mm² or AWG", mm2_told=True
    )
    metres = parse_number_in(cells[2], field="ends", unit="m", limits=Limits(0.01, 1000), what="metres")
    return kind_of(cells[0], area_mm2), metres


class MapForm(PostedForm):
    """How an old connector's wires go to a new one's."""

    map_name: Annotated[str, text(60, what="what is joined", needed=False)] = ""
    ours: str = ""
    theirs: str = ""
    technician_uid: OptionalUid = None
    keep: Annotated[str, choice("", "yes")] = ""


class KitForm(PostedForm):
    """Lines of a kit."""

    kind: Annotated[str, choice(*KitKind)] = KitKind.PART
    lines: str = ""


def kit_lines_from(form: KitForm, values: Mapping[str, str]) -> tuple[KitLine, ...]:
    """A line for each line typed; a price may stand behind a semicolon. `BadListError` tells every bad one."""
    found = made_of_each(lines_of(form.lines), "lines", partial(_kit_line, KitKind(form.kind)))
    if not found:
        raise EntryError("lines", values.get("lines", ""), "Nothing was typed.", "Write a line for each part.")
    return found


def _kit_line(kind: KitKind, line: str) -> KitLine:
    name, _, price = line.partition(";")
    amount = _price(price.strip()) if price.strip() else None
    if not name.strip() or len(name.strip()) > 200:  # noqa: PLR2004  what the table holds
        raise EntryError("lines", line, f"{quoted(line)} is empty or too long.", "At most 200 letters fit.")
    return KitLine(uid=uuid4(), kind=kind, text=name.strip(), price=amount)


def _price(typed: str) -> float:
    return parse_plain_number(typed.strip("£€$ "), field="lines", limits=Limits(0, 1e6), what="a price")
