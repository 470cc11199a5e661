"""`./iron measure plan`: fewest moves against every arrangement, how fast room is found, wire sums, and a full harness served."""

from __future__ import annotations

import math
import random
import time
from collections.abc import Sequence
from uuid import UUID, uuid5

import httpx
import numpy as np
import pint

from irongauge.core.plan.board import Function, PinAt, PullUpNeed
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.harness import End, Harness, Node, NodeKind, Wire
from irongauge.core.plan.modules import FittedModule, ModulePin, ModuleType, PinKind, PullUpFitted
from irongauge.core.plan.power import judge_feed
from irongauge.core.plan.room import NoRoom, Want, make_room
from irongauge.core.plan.wires import AWG_SIZES, METRIC_MM2, area_for_drop_mm2, drop_v, next_awg, next_metric_mm2
from irongauge.demo import load_demo
from irongauge.demo.shelf import uid_of
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from irongauge.workflows.plan.wirings import save_harness
from tools.feeding import nodal_v
from tools.figures import Figure, p95
from tools.serving import serving, throwaway_cluster
from tools.sharing import fewest_shared, shared_board

__all__ = ["plan_figures"]

_SPACE = UUID("0b6b5f1e-0d0f-4c1b-8f1a-6a1f0f6c2a77")
_KINDS = (PinKind.ANALOGUE, PinKind.ANALOGUE, PinKind.DIGITAL, PinKind.FREQUENCY)
_LARGE = (8, 40)  # modules, pins of each


def plan_figures(number: int) -> list[Figure]:
    """Everything about planning that is promised in numbers."""
    rng = random.Random(20261129)  # noqa: S311
    return [*_room_figures(rng, max(number // 4, 50)), *_wire_figures(), *_feed_figures(1000), *_served()]


def _pin(rng: random.Random, name: str) -> ModulePin:
    pull_up = rng.choice((PullUpFitted.NONE, PullUpFitted.NONE, PullUpFitted.FIXED, PullUpFitted.SWITCHABLE))
    has = pull_up is not PullUpFitted.NONE
    return ModulePin(
        name=name,
        kind=rng.choice(_KINDS),
        most_v=rng.choice((5.0, 16.0)),
        pull_up=pull_up,
        pull_up_ohm=2200.0 if has else None,
        pull_up_v=5.0 if has else None,
    )


def _board(
    rng: random.Random, modules: int, pins: int, full: float
) -> tuple[list[FittedModule], list[Function], list[Want]]:
    """Modules with pins at random, most of them taken, and something that is wanted."""
    fitted, functions = [], []
    for number in range(modules):
        uid = uuid5(_SPACE, f"{number}/{rng.random()}")
        kind = ModuleType(uid=uid, name=f"M{number}", pins=tuple(_pin(rng, str(n)) for n in range(pins)))
        fitted.append(FittedModule(uid, kind.name, kind))
        for pin in kind.pins:
            if rng.random() < full:
                kinds = (pin.kind,) if rng.random() < 0.4 else tuple({pin.kind, rng.choice(_KINDS)})  # noqa: PLR2004
                functions.append(
                    Function(
                        uid=uuid5(_SPACE, f"{uid}/{pin.name}"),
                        name=f"F{number}.{pin.name}",
                        kinds=kinds,
                        pull_up=rng.choice(list(PullUpNeed)),
                        own_pull_up_ohm=rng.choice((None, None, 4700.0)),
                        at=PinAt(uid, pin.name),
                        pull_up_on=pin.pull_up is PullUpFitted.SWITCHABLE and rng.random() < 0.5,  # noqa: PLR2004
                        in_use=rng.random() < 0.9,  # noqa: PLR2004
                        movable=rng.random() < 0.85,  # noqa: PLR2004
                        most_v=rng.choice((5.0, 5.0, 12.0)),
                    )
                )
    want = Want(rng.randint(1, 2), (rng.choice(_KINDS),), rng.choice(list(PullUpNeed)))
    return fitted, functions, [want]


def _cost(function: Function, at: PinAt, pin: ModulePin, *, is_on: bool) -> int | None:
    """What a function costs on a pin, by trying its switch and its resistor each way; None where no one change is enough."""
    if function.at == at:
        return 0
    if (function.at is not None and not function.movable) or pin.kind not in function.kinds:
        return None
    if function.most_v > pin.most_v:  # type: ignore[operator]  # every pin of these boards says its volts
        return None
    found = []
    for resistor in {function.own_pull_up_ohm is not None, False}:
        for switch in {is_on, not is_on} if pin.pull_up is PullUpFitted.SWITCHABLE else {False}:
            inside = pin.pull_up is PullUpFitted.FIXED or switch
            changes = (resistor != (function.own_pull_up_ohm is not None)) + (switch != is_on)
            fits = {PullUpNeed.NEEDED: inside != resistor, PullUpNeed.UNWANTED: not inside}
            if changes <= 1 and fits.get(function.pull_up, not (inside and resistor)):
                found.append(changes)
    return None if not found else min(found) + (function.at is not None)


def fewest(modules: Sequence[FittedModule], functions: Sequence[Function], wants: Sequence[Want]) -> int | None:
    """The least cost of all arrangements, over every set of taken pins; None where there is none. For small boards."""
    pins = [(PinAt(m.uid, p.name), p) for m in modules for p in m.type.pins]
    on = {function.at for function in functions if function.pull_up_on}
    best: dict[int, int] = {0: 0}
    for function in (*functions, *(f for want in wants for f in want.functions())):
        costs = [_cost(function, at, pin, is_on=at in on) for at, pin in pins]
        following: dict[int, int] = {}
        for taken, cost in best.items():
            if not function.in_use and function.movable and function.at is not None:
                following[taken] = min(following.get(taken, cost + 1), cost + 1)
            for place, added in enumerate(costs):
                if added is not None and not taken >> place & 1:
                    key = taken | 1 << place
                    following[key] = min(following.get(key, cost + added), cost + added)
        best = following
    return min(best.values(), default=None)


def _room_figures(rng: random.Random, boards: int) -> list[Figure]:
    wrong = without = 0
    for _ in range(boards):
        board = _board(rng, rng.choice((1, 1, 2)), 4, 0.7)
        found, least = make_room(*board), fewest(*board)
        without += isinstance(found, NoRoom)
        wrong += (None if isinstance(found, NoRoom) else found.cost) != least
    shared = 0
    for _ in range(boards):
        fitted, functions, wants = shared_board(rng)
        answer, least = make_room([fitted], functions, wants), fewest_shared(fitted, functions, wants)
        shared += (None if isinstance(answer, NoRoom) else answer.cost) != least
    times = []
    for _ in range(40):
        board = _board(rng, *_LARGE, 0.97)
        started = time.perf_counter()
        make_room(*board)
        times.append(time.perf_counter() - started)
    return [
        Figure(f"fewest moves other than every arrangement gives, of {boards} boards of up to 8 pins", wrong, "", "0"),
        Figure("  of them proved to have no room", without, ""),
        Figure(f"the same, of {boards} boards whose functions share inputs or are read by two", shared, "", "0"),
        Figure("8 modules of 40 pins, room found or refuted, p95", p95(times), "s", "1"),
    ]


def _wire_figures() -> list[Figure]:
    """Drops and sizes against the same law in SI units by a units library, and against the printed sizes by search."""
    units: pint.UnitRegistry[float] = pint.UnitRegistry()
    rng = random.Random(7)  # noqa: S311
    worst, sizes = 0.0, 0
    for _ in range(500):
        amps, metres, mm2, degc = (
            rng.uniform(0.1, 60),
            rng.uniform(0.1, 40),
            rng.uniform(0.1, 60),
            rng.uniform(-40, 110),
        )
        resistivity = units.Quantity(1.72e-8, "ohm*m") * (1 + 0.00393 * (degc - 20))
        ohm = (resistivity * units.Quantity(metres, "m") / units.Quantity(mm2, "mm**2")).to("ohm")
        volts = (ohm * units.Quantity(amps, "A")).to("V").magnitude
        worst = max(worst, abs(drop_v(amps, metres, mm2, degc) / volts - 1))
        worst = max(worst, abs(area_for_drop_mm2(amps, metres, volts, degc) / mm2 - 1))
        right = min((size for size in METRIC_MM2 if size >= mm2), default=None)
        sizes += next_metric_mm2(mm2) != right
        diameters = {n: 0.127 * 92 ** ((36 - n) / 39) for n in AWG_SIZES}
        wide = [n for n, d in diameters.items() if math.pi / 4 * d * d >= mm2]
        sizes += next_awg(mm2) != max(wide, default=None)
    return [
        Figure("drop and area, worst relative difference from a units library", worst, "", "1e-9"),
        Figure("next size up other than the list gives, of 1 000", sizes, "", "0"),
    ]


# IEC 60204-1, table 6, B1 as printed, on logarithms; the blade fuses of ISO 8820-3 with the shortest times to open.
_B1 = {0.2: 4.3, 0.5: 7.5, 0.75: 8.6, 1.0: 10.3, 1.5: 13.5, 2.5: 18.3, 4.0: 25.0, 6.0: 32.0, 10.0: 44.0, 16.0: 60.0,
       25.0: 77.0, 35.0: 97.0}  # fmt: skip
_FUSES = (2, 3, 4, 5, 7.5, 10, 15, 20, 25, 30, 35, 40, 50, 60, 70, 80)


def _feed_figures(feeds: int) -> list[Figure]:
    """Which fuses carry a feed's load, steady and at the start, and protect its wire, against an enumeration of them all."""
    rng = random.Random(8)  # noqa: S311
    fuses = drops = wires = 0
    for _ in range(feeds):
        amps = [(steady := rng.uniform(0.1, 6), steady * rng.uniform(1, 3)) for _ in range(rng.randint(1, 4))]
        mm2, there_m, back_m = rng.choice(list(_B1)), rng.uniform(0.3, 9), rng.uniform(0.3, 9)
        feed = Feed(
            name="x",
            fuse_a=rng.choice(_FUSES),
            run=WireRun(supply_m=there_m, return_m=back_m, area_mm2=mm2),
            loads=tuple(Load(name=str(n), steady_a=steady, peak_a=peak) for n, (steady, peak) in enumerate(amps)),
        )
        steady_a, peak_a = math.fsum(a for a, _ in amps), math.fsum(p for _, p in amps)
        verdict = judge_feed(feed)
        fuses += list(verdict.fuses_a) != [a for a in _FUSES if steady_a <= 0.8 * a and peak_a <= a <= _B1[mm2]]
        ohm = 0.0172 * (1 + 0.00393 * 20) / mm2
        lost = (verdict.there.steady_v, verdict.back.steady_v, verdict.there.peak_v, verdict.back.peak_v)
        right = (steady_a * ohm * there_m, steady_a * ohm * back_m, peak_a * ohm * there_m, peak_a * ohm * back_m)
        drops += not np.allclose(lost, right, rtol=1e-9)
        wires += verdict.awg != _least_awg(feed.fuse_a, steady_a, there_m, back_m)
    return [
        Figure(f"fuses that would do, other than an enumeration gives, of {feeds} feeds", fuses, "", "0"),
        Figure("  their volts lost, steady and at the start, that differ", drops, "", "0"),
        Figure("  their American wire sizes that differ", wires, "", "0"),
        Figure(
            f"of {feeds} with branches and own returns, volts or fuses that differ from nodes",
            _branched(feeds),
            "",
            "0",
        ),
    ]


def _branched(feeds: int) -> int:
    """Feeds whose loads have branches, of which a drop differs from the network's nodes or the fuses from an enumeration."""
    rng = random.Random(11)  # noqa: S311
    wrong = 0
    for _ in range(feeds):
        loads = []
        for n in range(rng.randint(1, 5)):
            steady_a, metres = rng.uniform(0.1, 5), rng.choice((0.0, rng.uniform(0.2, 6)))
            loads.append(
                Load(
                    name=str(n),
                    steady_a=steady_a,
                    peak_a=steady_a * rng.uniform(1, 3),
                    branch_m=metres,
                    branch_mm2=rng.choice((None, *list(_B1)[1:8])) if metres else None,
                    own_return=rng.random() < 0.3,  # noqa: PLR2004
                )
            )
        mm2 = rng.choice(list(_B1)[1:])
        run = WireRun(supply_m=rng.uniform(0.3, 9), return_m=rng.uniform(0.3, 9), area_mm2=mm2)
        feed = Feed(name="x", fuse_a=rng.choice(_FUSES), run=run, loads=tuple(loads))
        steady, start = [load.steady_a for load in loads], [load.start_a for load in loads]
        same = True
        for amps, starting in ((steady, False), (start, True)):
            each, join_v = nodal_v(feed, amps)
            ours = [
                (feed.lost_v(load, starting=starting), feed.lost_v(load, back=True, starting=starting))
                for load in loads
            ]
            same = same and np.allclose(ours, each, rtol=1e-6, atol=1e-6)
            same = same and math.isclose(
                feed.common_v(back=True, starting=starting), join_v, rel_tol=1e-6, abs_tol=1e-6
            )
        weakest = min(_B1[area] for area in (mm2, *(load.branch_mm2 or mm2 for load in loads)))
        right = [a for a in _FUSES if math.fsum(steady) <= 0.8 * a and math.fsum(start) <= a <= weakest]
        wrong += not same or list(judge_feed(feed).fuses_a) != right
    return wrong


def _least_awg(fuse_a: float, steady_a: float, there_m: float, back_m: float) -> int | None:
    """The thinnest American size that carries the fuse and loses no more than 0.36 V there and 0.1 V back, by trying each."""
    logs = np.log(list(_B1)), np.log(list(_B1.values()))
    slopes = np.diff(logs[1]) / np.diff(logs[0])
    for size in sorted(AWG_SIZES, reverse=True):
        mm2 = math.pi / 4 * (0.127 * 92 ** ((36 - size) / 39)) ** 2
        row = int(np.clip(np.searchsorted(logs[0], math.log(mm2)) - 1, 0, len(slopes) - 1))
        carries = math.exp(logs[1][row] + slopes[row] * (math.log(mm2) - logs[0][row]))
        ohm = 0.0172 * (1 + 0.00393 * 20) / mm2
        if carries >= fuse_a and steady_a * ohm * there_m <= 0.36 and steady_a * ohm * back_m <= 0.1:  # noqa: PLR2004
            return size
    return None


def _many_wires(count: int) -> Harness:
    """A harness of so many wires: sensors, connectors of 24 cavities, one controller."""
    nodes = [Node(name="Rime controller", kind=NodeKind.MODULE), Node(name="Spray pressure", kind=NodeKind.SENSOR)]
    nodes += [Node(name=f"X{n}", kind=NodeKind.CONNECTOR, rows=2, columns=12) for n in range(1, count // 48 + 2)]
    wires = []
    for n in range(count // 2):
        plug, cavity = f"X{n // 24 + 1}", str(n % 24 + 1)
        start = End("Spray pressure", "ABC"[n]) if n < 3 else End(f"Sensor {n}", "A")  # noqa: PLR2004
        if n >= 3:  # noqa: PLR2004
            nodes.append(Node(name=f"Sensor {n}", kind=NodeKind.SENSOR))
        wires.append(Wire(name=f"{2 * n}", start=start, end=End(plug, cavity), colour="red", length_m=1.0 + n / 100))
        wires.append(
            Wire(name=f"{2 * n + 1}", start=End(plug, cavity), end=End("Rime controller", f"P{n}"), length_m=2.0)
        )
    return Harness(tuple(nodes), tuple(wires))


def _served() -> list[Figure]:
    launcher, de_icer, groomer = (uid_of(tag) for tag in ("LT-7", "D-3", "G-12"))
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        own, inputs = f"/vehicles/{launcher}", f"/vehicles/{launcher}/inputs"
        pages = (own, inputs, f"/vehicles/{groomer}/power", f"/vehicles/{de_icer}/wiring")
        with serving(url) as address, httpx.Client(base_url=address, timeout=60) as client:
            usual = [_times(client, path) for path in pages]
            save_harness(database, de_icer, _many_wires(400))
            full = _times(client, f"/vehicles/{de_icer}/wiring")
        database.close()
    return [
        Figure("a vehicle with 400 wires drawn and served, p95", p95(full), "ms", "100"),
        Figure("pages of the Plan room, demo data, slowest p95", max(p95(times) for times in usual), "ms", "50"),
    ]


def _times(client: httpx.Client, path: str) -> list[float]:
    for _ in range(3):
        client.get(path).raise_for_status()
    times = []
    for _ in range(40):
        started = time.perf_counter()
        client.get(path).raise_for_status()
        times.append((time.perf_counter() - started) * 1000)
    return times
