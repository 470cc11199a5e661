"""What is planned for a vehicle, as data: the parts of job files and of the API. Names and units are those of the core."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC
from typing import Annotated
from uuid import UUID

from pydantic import Field, StringConstraints

from irongauge.core.plan.board import Function, PinAt, PullUpNeed
from irongauge.core.plan.chain import Form, Trial
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.harness import End, Harness, Node, NodeKind, Wire
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.modules import FittedModule, ModuleKind, ModulePin, ModuleType, PinKind, PullUpFitted, Shows
from irongauge.core.plan.places import PlaceKind, ValuePlace
from irongauge.core.plan.record import KeptFeed, KeptMap, PlannedFunction, VehiclePlan
from irongauge.core.sensors.licensed import PartOf
from irongauge.formats.parts import FilePart, Long, Moment, Name

__all__ = [
    "CavityPart",
    "EndPart",
    "FeedPart",
    "FunctionPart",
    "HarnessPart",
    "KitLinePart",
    "LoadPart",
    "ModulePart",
    "ModulePinPart",
    "ModuleTypePart",
    "NodePart",
    "PlanPart",
    "WirePart",
    "kit_from_parts",
    "kit_parts",
    "module_type_from_part",
    "module_type_part",
    "plan_from_part",
    "plan_part",
]

Label = Annotated[str, StringConstraints(min_length=1, max_length=40)]
Volts = Annotated[float, Field(ge=0.1, le=100, allow_inf_nan=False)]
Ohms = Annotated[float, Field(ge=10, le=1e7, allow_inf_nan=False)]
Milliamps = Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)]
Amps = Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
Fuse = Annotated[float, Field(ge=0.1, le=500, allow_inf_nan=False)]
Metres = Annotated[float, Field(ge=0.001, le=1000, allow_inf_nan=False)]
Area = Annotated[float, Field(ge=0.05, le=500, allow_inf_nan=False)]
Minutes = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]
Part = Annotated[str, StringConstraints(max_length=40)]
Degrees = Annotated[float, Field(ge=-60, le=200, allow_inf_nan=False)]
Price = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class ModulePinPart(FilePart):
    name: Annotated[str, StringConstraints(min_length=1, max_length=20)]
    kind: PinKind
    most_v: Volts | None = None
    bits: Annotated[int, Field(ge=6, le=24)] | None = None
    pull_up: PullUpFitted = PullUpFitted.NONE
    pull_up_ohm: Ohms | None = None
    pull_up_v: Volts | None = None
    reference_v: Volts | None = None
    reference_ma: Annotated[float, Field(ge=0.1, le=10_000)] | None = None

    def to_core(self) -> ModulePin:
        return ModulePin(**dict(self))


class ModuleTypePart(FilePart):
    uid: UUID
    name: Name
    maker: Annotated[str, StringConstraints(max_length=60)] = ""
    kind: ModuleKind = ModuleKind.CONTROLLER
    shows: Shows = Shows.ENGINEERING
    pins: list[ModulePinPart] = Field(min_length=1, max_length=400)


class ModulePart(FilePart):
    uid: UUID
    name: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    type_uid: UUID


class PinAtPart(FilePart):
    module_uid: UUID
    pin: Annotated[str, StringConstraints(max_length=20)]


class FunctionPart(FilePart):
    """Something that is read. `module_uid` and `pin` say where; both are left out where it is on no input."""

    uid: UUID
    name: Name
    kinds: list[PinKind] = Field(min_length=1, max_length=9, description="Inputs that can read it, the best first")
    pull_up: PullUpNeed = PullUpNeed.EITHER
    most_v: Volts = 5.0
    own_pull_up_ohm: Ohms | None = Field(None, description="A resistor in the harness or the sensor")
    module_uid: UUID | None = None
    pin: Annotated[str, StringConstraints(max_length=20)] | None = None
    pull_up_on: bool = False
    in_use: bool = True
    movable: bool = True
    reserved: bool = False
    circuit_uid: UUID | None = None
    current_ma: Milliamps | None = None
    on_reference: bool = True
    fed_by_uid: UUID | None = Field(None, description="The module whose reference it hangs on, where another reads it")
    shares: Annotated[str, StringConstraints(max_length=60)] = Field(
        "", description="Functions with the same words here may stand on one input"
    )
    inputs: int = Field(1, ge=1, le=2, description="How many inputs read it at once")
    also_at: PinAtPart | None = Field(None, description="Its second input")
    also_on: bool = False

    def to_core(self) -> PlannedFunction:
        figures = {name: value for name, value in self if name not in {"module_uid", "pin", "kinds", "also_at"}}
        at = None if self.module_uid is None or self.pin is None else PinAt(self.module_uid, self.pin)
        also = None if self.also_at is None else PinAt(self.also_at.module_uid, self.also_at.pin)
        return PlannedFunction(**figures, kinds=tuple(self.kinds), at=at, also_at=also)

    @classmethod
    def of(cls, function: Function) -> FunctionPart:
        figures = {name: value for name, value in asdict(function).items() if name not in {"at", "kinds"}}
        at = function.at
        return cls(
            **figures,
            kinds=list(function.kinds),
            module_uid=None if at is None else at.module_uid,
            pin=None if at is None else at.pin,
        )


class PlacePart(FilePart):
    uid: UUID
    function_uid: UUID
    kind: PlaceKind
    name: Name
    done: bool = False
    was_at: PinAtPart | None = Field(
        None, description="The input that it still points to, where its function has left it"
    )

    def to_core(self) -> ValuePlace:
        at = None if self.was_at is None else PinAt(self.was_at.module_uid, self.was_at.pin)
        return ValuePlace(
            uid=self.uid, function_uid=self.function_uid, kind=self.kind, name=self.name, done=self.done, was_at=at
        )


class NodePart(FilePart):
    name: Label
    kind: NodeKind = NodeKind.CONNECTOR
    rows: int = Field(1, ge=1, le=20)
    columns: int = Field(1, ge=1, le=100)
    note: Long = ""
    reach_minutes: Minutes | None = Field(None, description="To get at it and measure there; left out: as is usual")
    cover: Part = Field("", description="What comes off first")
    cover_minutes: Minutes = 0.0
    plug: Part = Field("", description="Adapter: the sensor or connector whose plug it is put into")
    side: Part = Field("", description="Adapter: a place to which its side of the plug leads")


class EndPart(FilePart):
    node: Label
    cavity: Annotated[str, StringConstraints(max_length=20)] = ""

    def to_core(self) -> End:
        return End(self.node, self.cavity)


class WirePart(FilePart):
    name: Label
    start: EndPart
    end: EndPart
    colour: Annotated[str, StringConstraints(max_length=24)] = ""
    area_mm2: Area = 0.5
    length_m: Metres
    shield: Annotated[str, StringConstraints(max_length=40)] = ""
    part_of: PartOf = Field(PartOf.NOT_TOLD, description="Where it is left to licensed work; not told: its name tells")

    def to_core(self) -> Wire:
        figures = {name: value for name, value in self if name not in {"start", "end"}}
        return Wire(**figures, start=self.start.to_core(), end=self.end.to_core())


class HarnessPart(FilePart):
    nodes: list[NodePart] = Field(default=[], max_length=2000)
    wires: list[WirePart] = Field(default=[], max_length=2000)

    def to_core(self) -> Harness:
        return Harness(tuple(Node(**dict(n)) for n in self.nodes), tuple(w.to_core() for w in self.wires))


class LoadPart(FilePart):
    name: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    steady_a: Amps
    peak_a: Annotated[float, Field(ge=0, le=5000)] | None = None
    duty: float = Field(1.0, ge=0, le=1)
    keyed: bool = True
    sleep_ma: Milliamps = 0.0
    branch_m: float = Field(0.0, ge=0, le=1000, description="From where the common wires end, one way")
    branch_mm2: Area | None = Field(None, description="Left out: as thick as the common wire")
    own_return: bool = Field(False, description="Its return leads back by itself")


class FeedPart(FilePart):
    uid: UUID | None = None
    name: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    fuse_a: Fuse
    supply_m: Metres
    return_m: Metres
    area_mm2: Area
    around_degc: Degrees = 40.0
    insulation_degc: Annotated[float, Field(ge=60, le=300)] = 70.0
    circuits_together: Annotated[int, Field(ge=1, le=50)] = 1
    rated_a: Fuse | None = Field(None, description="What the wire's maker lets it carry")
    terminal_a: Fuse | None = None
    keyed: bool = True
    shares_return: bool = Field(True, description="Something that is read has the same return")
    loads: list[LoadPart] = Field(default=[], max_length=100)

    def to_core(self, system_v: float) -> Feed:
        loads = tuple(Load(**dict(load)) for load in self.loads)
        return Feed(
            name=self.name,
            fuse_a=self.fuse_a,
            run=WireRun.of(self),
            loads=loads,
            system_v=system_v,
            keyed=self.keyed,
            shares_return=self.shares_return,
        )

    @classmethod
    def of(cls, kept: KeptFeed) -> FeedPart:
        feed = kept.feed
        loads = [LoadPart(**asdict(load)) for load in feed.loads]
        return cls(
            uid=kept.uid,
            name=feed.name,
            fuse_a=feed.fuse_a,
            keyed=feed.keyed,
            shares_return=feed.shares_return,
            loads=loads,
            **asdict(feed.run),
        )


class CavityPart(FilePart):
    number: Annotated[str, StringConstraints(min_length=1, max_length=10)]
    colour: Annotated[str, StringConstraints(max_length=24)] = ""
    function: Annotated[str, StringConstraints(max_length=60)] = ""

    def to_core(self) -> Cavity:
        return Cavity(self.number, self.colour, self.function)


class MapPart(FilePart):
    uid: UUID
    name: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    ours: list[CavityPart] = Field(max_length=400)
    theirs: list[CavityPart] = Field(max_length=400)
    kept_at: Moment
    technician_uid: UUID


class TrialPart(FilePart):
    """An output of a conditioner that was tried at what takes it."""

    uid: UUID
    at: Name
    form: Form
    worked: bool
    note: Annotated[str, StringConstraints(max_length=200)] = ""
    technician_uid: UUID
    tried_at: Moment


class KitLinePart(FilePart):
    uid: UUID
    kind: KitKind
    text: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    price: Price | None = None
    done_by_uid: UUID | None = None
    done_at: Moment | None = None


class PlanPart(FilePart):
    """Everything that is planned and wired on the job's vehicle."""

    module_types: list[ModuleTypePart] = Field(default=[], max_length=50)
    modules: list[ModulePart] = Field(default=[], max_length=50)
    functions: list[FunctionPart] = Field(default=[], max_length=1000)
    places: list[PlacePart] = Field(default=[], max_length=5000)
    harness: HarnessPart = HarnessPart()
    feeds: list[FeedPart] = Field(default=[], max_length=200)
    maps: list[MapPart] = Field(default=[], max_length=200)
    trials: list[TrialPart] = Field(default=[], max_length=500)


def module_type_part(kind: ModuleType) -> ModuleTypePart:
    pins = [ModulePinPart(**asdict(pin)) for pin in kind.pins]
    return ModuleTypePart(uid=kind.uid, name=kind.name, maker=kind.maker, kind=kind.kind, shows=kind.shows, pins=pins)


def module_type_from_part(part: ModuleTypePart) -> ModuleType:
    """The module type; `ValueError` where its pins contradict themselves."""
    return ModuleType(
        uid=part.uid,
        name=part.name,
        maker=part.maker,
        kind=part.kind,
        shows=part.shows,
        pins=tuple(pin.to_core() for pin in part.pins),
    )


def plan_part(plan: VehiclePlan) -> PlanPart:
    types = {module.type.uid: module.type for module in plan.modules}
    return PlanPart(
        module_types=[module_type_part(kind) for kind in sorted(types.values(), key=lambda t: t.name)],
        modules=[ModulePart(uid=m.uid, name=m.name, type_uid=m.type.uid) for m in plan.modules],
        functions=[FunctionPart.of(function) for function in plan.functions],
        places=[PlacePart(**asdict(place)) for place in plan.places],
        harness=HarnessPart(
            nodes=[NodePart(**asdict(node)) for node in plan.harness.nodes],
            wires=[WirePart(**asdict(wire)) for wire in plan.harness.wires],
        ),
        feeds=[FeedPart.of(kept) for kept in plan.feeds],
        maps=[
            MapPart(
                uid=kept.uid,
                name=kept.name,
                ours=[CavityPart(**asdict(c)) for c in kept.ours],
                theirs=[CavityPart(**asdict(c)) for c in kept.theirs],
                kept_at=kept.kept_at.astimezone(UTC),
                technician_uid=kept.technician_uid,
            )
            for kept in plan.maps
        ],
        trials=[TrialPart(**{**asdict(t), "tried_at": t.tried_at.astimezone(UTC)}) for t in plan.trials],
    )


def _modules_of(part: PlanPart) -> tuple[FittedModule, ...]:
    types = {kind.uid: module_type_from_part(kind) for kind in part.module_types}
    untyped = next((module.name for module in part.modules if module.type_uid not in types), None)
    if untyped is not None:
        msg = f"module {untyped} is of a type that is not in it"
        raise ValueError(msg)
    return tuple(FittedModule(module.uid, module.name, types[module.type_uid]) for module in part.modules)


def _check_stand_on(modules: Sequence[FittedModule], functions: Sequence[PlannedFunction]) -> None:
    """Refuse functions on pins, or on the reference of modules, that are not there."""
    pins = {PinAt(module.uid, pin.name) for module in modules for pin in module.type.pins}
    lost = next((f.name for f in functions if not pins.issuperset(f.stands_at)), None)
    if lost is not None:
        msg = f"{lost} is on a pin that is not in it"
        raise ValueError(msg)
    fitted = {module.uid for module in modules} | {None}
    strange = next((f.name for f in functions if f.fed_by_uid not in fitted), None)
    if strange is not None:
        msg = f"{strange} hangs on the reference of a module that is not in it"
        raise ValueError(msg)


def plan_from_part(part: PlanPart, system_v: float) -> VehiclePlan:
    """The plan; `ValueError` where it contradicts itself: a module of no type, a pin of no module, a harness with problems."""
    modules = _modules_of(part)
    functions = tuple(function.to_core() for function in part.functions)
    _check_stand_on(modules, functions)
    known = {function.uid for function in functions}
    if any(place.function_uid not in known for place in part.places):
        msg = "a place uses a function that is not in it"
        raise ValueError(msg)
    harness = part.harness.to_core()
    if harness.problems:
        msg = harness.problems[0].rstrip(".")
        raise ValueError(msg)
    return VehiclePlan(
        modules=modules,
        functions=functions,
        places=tuple(place.to_core() for place in part.places),
        harness=harness,
        feeds=tuple(KeptFeed(feed.uid, feed.to_core(system_v)) for feed in part.feeds if feed.uid is not None),
        maps=tuple(
            KeptMap(
                uid=kept.uid,
                name=kept.name,
                ours=tuple(c.to_core() for c in kept.ours),
                theirs=tuple(c.to_core() for c in kept.theirs),
                kept_at=kept.kept_at,
                technician_uid=kept.technician_uid,
            )
            for kept in part.maps
        ),
        trials=tuple(Trial(**dict(trial)) for trial in part.trials),
    )


def kit_parts(lines: Sequence[KitLine]) -> list[KitLinePart]:
    return [
        KitLinePart(**{**asdict(line), "done_at": None if line.done_at is None else line.done_at.astimezone(UTC)})
        for line in lines
    ]


def kit_from_parts(parts: Sequence[KitLinePart]) -> tuple[KitLine, ...]:
    """The lines; `ValueError` where one is ticked by nobody."""
    return tuple(KitLine(**dict(part)) for part in parts)
