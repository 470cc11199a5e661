"""What is planned on the demo's machines: controllers and their inputs, a gauge feed, a harness joined to a kit's, kit lines."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from uuid import UUID

from irongauge.core.plan.board import PinAt, PullUpNeed
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.harness import Harness
from irongauge.core.plan.kit import KitKind, KitLine
from irongauge.core.plan.modules import FittedModule, ModuleKind, ModulePin, ModuleType, PinKind, PullUpFitted, Shows
from irongauge.core.plan.places import PlaceKind, ValuePlace
from irongauge.core.plan.record import KeptFeed, KeptMap, PlannedFunction
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Technician
from irongauge.demo.shelf import uid_of
from irongauge.formats.harness_csv import read_cavities, read_nodes, read_wires
from irongauge.store.repositories import Store
from irongauge.workflows.plan.plans import function_for

__all__ = ["MODULES", "add_plans"]


def _input(name: str, kind: PinKind, pull_up: PullUpFitted = PullUpFitted.NONE, ohm: float = 2200.0) -> ModulePin:
    has = pull_up is not PullUpFitted.NONE
    return ModulePin(
        name=name,
        kind=kind,
        most_v=5.0 if kind is PinKind.ANALOGUE else 16.0,
        bits=10 if kind is PinKind.ANALOGUE else None,
        pull_up=pull_up,
        pull_up_ohm=ohm if has else None,
        pull_up_v=5.0 if has else None,
    )


_A, _D, _F = PinKind.ANALOGUE, PinKind.DIGITAL, PinKind.FREQUENCY
_REFERENCE = ModulePin(name="REF", kind=PinKind.REFERENCE, reference_v=5.0, reference_ma=60.0)
_GROUND = ModulePin(name="SG", kind=PinKind.SENSOR_GROUND)
_POWER = ModulePin(name="B+", kind=PinKind.POWER)
MARRAM = ModuleType(
    uid=uid_of("module Marram"), name="Marram C8 controller", maker="Marram",
    pins=(
        *(_input(f"AI {n}", _A) for n in (1, 2, 3, 4)), _input("AI 5", _A, PullUpFitted.FIXED),
        _input("AI 6", _A, PullUpFitted.SWITCHABLE), _input("DI 1", _D, PullUpFitted.FIXED, 4700.0),
        _input("DI 2", _D, PullUpFitted.FIXED, 4700.0), replace(_input("FI 1", _F), most_v=100.0),
        _input("FI 2", _F, PullUpFitted.SWITCHABLE, 4700.0),
        ModulePin(name="OUT 1", kind=PinKind.OUTPUT), _REFERENCE, _GROUND, _POWER,
    ),
)  # fmt: skip
BRIM = ModuleType(
    uid=uid_of("module Brim"), name="Brim X4 input block", maker="Brim", kind=ModuleKind.EXPANSION, shows=Shows.VOLTS,
    pins=(
        *(_input(f"X{n}", _A, PullUpFitted.SWITCHABLE) for n in (1, 2, 3, 4)), ModulePin(name="BUS", kind=PinKind.BUS), _GROUND,
    ),
)  # fmt: skip
LANTERN = ModuleType(
    uid=uid_of("module Lantern"), name="Lantern G3 gauge display", maker="Lantern", kind=ModuleKind.DISPLAY,
    pins=(*(_input(f"G{n}", _A) for n in (1, 2, 3)), ModulePin(name="5V", kind=PinKind.REFERENCE, reference_v=5.0), _POWER),
)  # fmt: skip
MODULES = (MARRAM, BRIM, LANTERN)

_NODES = """place,kind,rows,columns,note,minutes,cover,cover_minutes
Spray pressure,sensor
Tank level arm,sensor
X4,connector,2,3,behind the cab wall; keep clear of the heater,3,cab wall,8
S2,splice,,,in the tunnel
Rime controller,module
"""
_WIRES = """wire,from,to,colour,mm2,length_m,shield
41,Spray pressure:A,X4:1,red,0.5,1.2,
42,Spray pressure:B,X4:2,black,0.5,1.2,
43,Spray pressure:C,X4:3,green,0.5,1.2,drained at the controller
44,X4:1,S2,red,0.75,2.6,
45,S2,Rime controller:REF,red,0.75,0.4,
46,X4:2,Rime controller:SG,black,0.75,3.0,
47,X4:3,Rime controller:CH 7,green,0.5,3.0,drained at the controller
48,Tank level arm:1,S2,orange,0.5,1.8,
"""
# LT-7's winch: along the frame to a plug behind the cab, and on to the controller.
_WINCH_NODES = """place,kind,rows,columns,note,minutes,cover,cover_minutes
Winch oil pressure,sensor
X12,connector,1,3,on the winch frame; salt water,4
X20,connector,2,4,behind the cab,3,rear panel,12
Controller,module
"""
_WINCH_WIRES = """wire,from,to,colour,mm2,length_m,shield
21,Winch oil pressure:1,X12:1,red/white,0.5,0.4,
22,Winch oil pressure:2,X12:2,black,0.5,0.4,
23,Winch oil pressure:3,X12:3,yellow,0.5,0.4,
24,X12:1,X20:1,red/white,0.5,3.2,
25,X12:2,X20:2,black,0.5,3.2,
26,X12:3,X20:3,yellow,0.5,3.2,
27,X20:1,Controller:REF,red/white,0.5,1.4,
28,X20:2,Controller:SG,black,0.5,1.4,
29,X20:3,Controller:AI 4,yellow,0.5,1.4,
"""
_OURS = "number,colour,function\n1,red,Reference\n2,black,Sensor ground\n3,green,Spray pressure\n4,,\n5,pink,Tank level\n6,,\n"
_THEIRS = (
    "number,colour,function\nA,orange,Reference\nB,brown,Sensor ground\nC,red,Spray pressure\nD,white,Illumination\n"
)


def add_plans(
    store: Store, shop_uid: UUID, jobs: dict[str, UUID], *, circuits: dict[str, Circuit], who: Technician, at: datetime
) -> None:
    """Plans of the four machines; `jobs` by vehicle tag, `circuits` by name."""
    for kind in MODULES:
        store.plans.save_module_type(shop_uid, kind)
    _launcher(store, circuits)
    _groomer(store)
    _de_icer(store, who, at)
    _locomotive(store, jobs, who, at)


def _launcher(store: Store, circuits: dict[str, Circuit]) -> None:
    """LT-7's controller is full, and two sensors are to be fitted."""
    vehicle, module = uid_of("LT-7"), FittedModule(uid_of("LT-7 controller"), "Controller", MARRAM)
    store.plans.add_module(vehicle, module)

    def at(pin: str) -> PinAt:
        return PinAt(module.uid, pin)

    ours = {
        "Throttle position": "AI 1", "Boost pressure": "AI 2", "Brake line pressure": "AI 3", "Winch oil pressure": "AI 4",
        "Coolant temperature": "AI 5", "Propeller shaft speed": "DI 2", "Axle speed": "FI 1", "Fuel composition": "FI 2",
    }  # fmt: skip
    functions = {}
    for name, pin in ours.items():
        function = replace(function_for(circuits[name]), uid=uid_of(f"function {name}"), at=at(pin), current_ma=8.0)
        if name == "Propeller shaft speed":
            function = replace(function, kinds=(_D, _F))
        functions[name] = replace(function, pull_up_on=name == "Fuel composition")
    button = PlannedFunction(
        uid=uid_of("function winch button"), name="Winch button", kinds=(_D, _A), pull_up=PullUpNeed.EITHER, at=at("AI 6"),
        on_reference=False,
    )  # fmt: skip
    fan = PlannedFunction(
        uid=uid_of("function old fan"),
        name="Old fan sensor",
        kinds=(_D, _A),
        at=at("DI 1"),
        in_use=False,
        on_reference=False,
    )
    for function in (*functions.values(), button, fan):
        store.plans.save_function(vehicle, function)
    store.wirings.save_harness(vehicle, Harness(read_nodes(_WINCH_NODES), read_wires(_WINCH_WIRES)))
    for number, (function, kind, name) in enumerate([
        (fan, PlaceKind.OUTPUT, "Fan relay on above 88 °C"), (fan, PlaceKind.LOG, "Fan"),
        (button, PlaceKind.OUTPUT, "Winch enable"),
        (functions["Boost pressure"], PlaceKind.TABLE, "Fuel limit"), (functions["Boost pressure"], PlaceKind.GAUGE, "Dash 2"),
        (functions["Boost pressure"], PlaceKind.WARNING, "Over-boost at 1.9 bar"),
    ]):  # fmt: skip
        place = ValuePlace(uid=uid_of(f"place {number}"), function_uid=function.uid, kind=kind, name=name)
        store.plans.save_place(place, None, None)


def _groomer(store: Store) -> None:
    """G-12's three gauges share one feed."""
    run = WireRun(supply_m=4.5, return_m=4.5, area_mm2=0.75, around_degc=50.0)
    loads = tuple(Load(name=name, steady_a=0.35, peak_a=0.9) for name in ("Oil gauge", "Tiller gauge", "Exhaust gauge"))
    heater = Load(name="Display heater", steady_a=2.8, peak_a=3.4, duty=0.4)
    feed = Feed(name="Cab gauges", fuse_a=5.0, run=run, loads=(*loads, heater), system_v=24.0)
    clock = Load(name="Hour counter", steady_a=0.02, keyed=False, sleep_ma=6.0)
    always = Feed(name="Always on", fuse_a=2.0, run=run, loads=(clock,), system_v=24.0, keyed=False)
    store.wirings.save_feed(uid_of("G-12"), KeptFeed(uid_of("feed gauges"), feed))
    store.wirings.save_feed(uid_of("G-12"), KeptFeed(uid_of("feed always"), always))
    store.plans.add_module(uid_of("G-12"), FittedModule(uid_of("G-12 display"), "Cab display", LANTERN))


def _de_icer(store: Store, who: Technician, at: datetime) -> None:
    """D-3 gets a gauge kit's harness joined to its own."""
    rime = ModuleType(
        uid=uid_of("module Rime"), name="Rime 12 controller", maker="Rimefall",
        pins=(*(_input(f"CH {n}", _A) for n in range(7, 13)), _REFERENCE, _GROUND, _POWER),
    )  # fmt: skip
    vehicle = uid_of("D-3")
    store.plans.save_module_type(uid_of("shop"), rime)
    store.plans.add_module(vehicle, FittedModule(uid_of("D-3 controller"), "Rime controller", rime))
    store.wirings.save_harness(vehicle, Harness(read_nodes(_NODES), read_wires(_WIRES)))
    store.wirings.keep_map(
        vehicle,
        KeptMap(
            uid=uid_of("map D-3"), name="Gauge kit on X4", ours=read_cavities(_OURS, "ours"),
            theirs=read_cavities(_THEIRS, "theirs"), kept_at=at, technician_uid=who.uid,
        ),
    )  # fmt: skip


def _locomotive(store: Store, jobs: dict[str, UUID], who: Technician, at: datetime) -> None:
    """What D-3 and LT-7 need before work starts; P-2 got an exhaust probe with a controller of its own."""
    probe = ModuleType(
        uid=uid_of("module W5"), name="Rimefall W5 probe controller", maker="Rimefall", shows=Shows.ENGINEERING,
        pins=(_POWER, ModulePin(name="GND", kind=PinKind.SENSOR_GROUND), ModulePin(name="0–5 V", kind=PinKind.OUTPUT)),
    )  # fmt: skip
    store.plans.save_module_type(uid_of("shop"), probe)
    store.plans.add_module(uid_of("P-2"), FittedModule(uid_of("P-2 probe"), "Exhaust probe", probe))
    lines = [
        KitLine(uid=uid_of("kit 1"), kind=KitKind.PART, text="Orrin P10 for the second circuit", price=84.5, done_by_uid=who.uid,
                done_at=at),
        KitLine(uid=uid_of("kit 2"), kind=KitKind.UPDATE, text="Marram C8: version 4.2 before it is mounted"),
        KitLine(uid=uid_of("kit 3"), kind=KitKind.SEALANT, text="Thread tape clear of the first threads; 18 Nm"),
        KitLine(uid=uid_of("kit 4"), kind=KitKind.SPARE, text="Two spare pigtails, red and black 0.5 mm²"),
    ]  # fmt: skip
    store.kits.add(jobs["LT-7"], lines)
