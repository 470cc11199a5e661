"""Make room: the fewest moves that free the inputs which are wanted, or the proof that there are none.

Every function is put on one pin that it fits, every wanted one too, no pin gets two, and what is not in use may be freed. A move
costs one, so does freeing one, switching a pull-up, and taking a resistor out of the harness; of equal answers the one that keeps
the order of the pins is taken, so that the same board gives the same answer. Solved by CP-SAT of OR-Tools, which proves that its
answer is the least, or that there is none. Why there is none is said by Hall's theorem (1935): some functions together fit fewer
pins than they are.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING
from uuid import UUID, uuid5

from irongauge.core.plan.board import Function, PinAt, PullUpNeed, conflicts_on, may_share
from irongauge.core.plan.modules import FittedModule, ModulePin, ModuleType, PinKind, PullUpFitted
from irongauge.core.plan.room_shared import BoardPin, Chosen, Option, choose, fewest, is_plain
from irongauge.errors import RefusedRequestError

if TYPE_CHECKING:
    import networkx as nx
    from ortools.sat.python.cp_model import CpModel, IntVar

__all__ = ["Move", "MoveKind", "NoRoom", "Room", "Want", "make_room", "placement_cost"]

_NAMESPACE = UUID("5f0d0d0c-5c55-4f6c-9c0b-6f2c1f4f9b11")
_STEP = 10_000  # one move outweighs every choice between pins
_GIVE_UP_S = 20.0
_NOWHERE = PinAt(_NAMESPACE, "")  # no function stands there, so that a cost is that of going


@dataclass(frozen=True)
class Want:
    """So many inputs that are needed for something: read by one of `kinds`, with or without a pull-up. `shares` is with what they
    may share one, and with two `inputs` each is read by two at once.
    """

    count: int
    kinds: tuple[PinKind, ...]
    pull_up: PullUpNeed = PullUpNeed.EITHER
    most_v: float = 5.0
    name: str = "new"
    shares: str = field(default="", kw_only=True)
    inputs: int = field(default=1, kw_only=True)

    def functions(self) -> Iterable[Function]:
        """One function for each input that is wanted."""
        for number in range(1, self.count + 1):
            label = self.name if self.count == 1 else f"{self.name} {number}"
            yield Function(
                uid=uuid5(_NAMESPACE, f"{self.name}/{self.kinds}/{number}"),
                name=label,
                kinds=self.kinds,
                pull_up=self.pull_up,
                most_v=self.most_v,
                shares=self.shares,
                inputs=self.inputs,
            )


class MoveKind(StrEnum):
    """What is done."""

    MOVE = "move"
    FREE = "free"
    SWITCH_ON = "switch the pull-up on"
    SWITCH_OFF = "switch the pull-up off"
    TAKE_OUT = "take the resistor out"
    PLACE = "place"


@dataclass(frozen=True)
class Move:
    """One thing to do, with why. `to` is the pin that it is done on, `leaves` the one that a move leaves; `PLACE` is where a
    wanted function then goes, at no cost.
    """

    kind: MoveKind
    function: Function
    to: PinAt | None
    why: str
    leaves: PinAt | None = None


@dataclass(frozen=True)
class Room:
    """The fewest moves, in an order in which they can be done, and where what is wanted then goes."""

    moves: tuple[Move, ...]
    placed: tuple[Move, ...]

    @property
    def cost(self) -> int:
        """How many functions would have to move."""
        return len(self.moves)


@dataclass(frozen=True)
class NoRoom:
    """There is none: these functions together fit only these pins, which are fewer. `module` is the smallest that would do."""

    functions: tuple[Function, ...]
    pins: tuple[PinAt, ...]
    module: ModuleType | None

    @property
    def sentence(self) -> str:
        """Why nothing makes room, with the functions that stand in each other's way."""
        names = ", ".join(function.name for function in self.functions)
        if self.pins and len(self.functions) <= len(self.pins):
            text = f"No rearrangement does, whatever shares an input: there is none for {names}."
            return text + (
                f" The smallest module on the Shelf that would do: {self.module.name}." if self.module else ""
            )
        have = f"fit only {len(self.pins)} inputs" if len(self.pins) != 1 else "fit only one input"
        text = (
            f"No rearrangement does: {names} ({len(self.functions)}) together {have}."
            if self.pins
            else f"No input on the vehicle takes {names}."
        )
        return text + (f" The smallest module on the Shelf that would do: {self.module.name}." if self.module else "")


def placement_cost(function: Function, at: PinAt, pin: ModulePin, *, is_on: bool = False) -> int | None:
    """How many things must be done for a function to be read well on a pin; None where it cannot be.

    `is_on` says that its switchable pull-up is on, as whatever stands there now has it. A function that stays where it is costs
    nothing, however badly it stands there.
    """
    if function.at == at:
        return 0
    if not function.movable and function.at is not None:
        return None
    cost, as_it_is = (1 if function.at is not None else 0), replace(function, at=at, pull_up_on=is_on)
    if not conflicts_on(pin, (as_it_is,)):
        return cost
    return cost + 1 if _one_change(as_it_is, pin) is not None else None


def _one_change(function: Function, pin: ModulePin) -> MoveKind | None:
    """The one thing to do so that a function stands well on a pin where it does not; None where one is not enough."""
    if pin.pull_up is PullUpFitted.SWITCHABLE:
        turned = replace(function, pull_up_on=not function.pull_up_on)
        if not conflicts_on(pin, (turned,)):
            return MoveKind.SWITCH_ON if turned.pull_up_on else MoveKind.SWITCH_OFF
    if function.own_pull_up_ohm is not None and not conflicts_on(pin, (replace(function, own_pull_up_ohm=None),)):
        return MoveKind.TAKE_OUT
    return None


def make_room(
    modules: Sequence[FittedModule],
    functions: Sequence[Function],
    wants: Sequence[Want],
    shelf: Sequence[ModuleType] = (),
) -> Room | NoRoom:
    """The fewest moves that give what is wanted, each with why; or why there is no room, and the smallest module of the Shelf
    that would make it.
    """
    wanted = [function for want in wants for function in want.functions()]
    standing = [function for function in functions if function.at is not None]
    pins = _pins_of(modules, standing)
    if not is_plain([*standing, *wanted]):
        shared = _choose(pins, standing, wanted)
        if shared is not None:
            return _told_shared(pins, standing, wanted, shared)
        fit = tuple(p.at for p in pins if any(p.pin.kind in f.kinds for f in wanted))
        return NoRoom(tuple(wanted), fit, _smallest(modules, standing, wanted, shelf))
    chosen = _solve(pins, standing, wanted)
    if chosen is not None:
        return _told(pins, standing, wanted, chosen)
    lacking, left = _too_few(pins, standing, wanted)
    return NoRoom(lacking, left, _smallest(modules, standing, wanted, shelf))


def _choose(pins: list[BoardPin], standing: Sequence[Function], wanted: Sequence[Function]) -> Chosen | None:
    try:
        return choose(pins, standing, wanted, _GIVE_UP_S)
    except TimeoutError as error:
        raise _not_found() from error


def _not_found() -> RefusedRequestError:
    problem = f"The fewest moves were not found in {_GIVE_UP_S:g} s."
    return RefusedRequestError(problem, "Ask for fewer inputs at once, or for one module.")


def _told_shared(
    pins: list[BoardPin], standing: Sequence[Function], wanted: Sequence[Function], chosen: Chosen
) -> Room:
    """The chosen options as moves: what is freed first, then what moves, then the switches and resistors."""
    moves: list[Move] = []
    waiting: list[tuple[Function, PinAt, PinAt]] = []
    on: dict[PinAt, list[Function]] = defaultdict(list)
    for function, option in zip(standing, chosen, strict=False):
        if option is None:
            moves.append(Move(MoveKind.FREE, function, function.at, "It is not used any more."))
            continue
        for at in function.stands_at:
            on[at].append(function)
        to = [pins[number].at for number in option.pins]
        leaving = [at for at in function.stands_at if at not in to]
        coming = [at for at in to if at not in function.stands_at]
        waiting += [(function, old, new) for old, new in zip(leaving, coming, strict=True)]
    moves += _in_turn(waiting, on)
    placed: list[Move] = []
    turned: set[PinAt] = set()
    for function, option in zip([*standing, *wanted], chosen, strict=True):
        if option is None:
            continue
        moves += _changes(pins, function, option, turned)
        if function in wanted:
            fits = [(pins[n].at, f"It fits this {pins[n].pin.kind} input.") for n in option.pins]
            placed += [Move(MoveKind.PLACE, function, at, why) for at, why in fits]
    return Room(tuple(moves), tuple(placed))


def _in_turn(waiting: list[tuple[Function, PinAt, PinAt]], on: dict[PinAt, list[Function]]) -> Iterable[Move]:
    """Moves whose pin is empty by then, or held by what shares it; a ring is opened by unplugging one."""
    while waiting:
        ready = next((w for w in waiting if not on[w[2]] or may_share([w[0], *on[w[2]]])), waiting[0])
        waiting.remove(ready)
        function, old, new = ready
        why = f"It can be read on {' or '.join(function.kinds)}; this makes room where it stands."
        if on[new]:
            why = f"It may share this input with {', '.join(f.name for f in on[new])}."
        on[old].remove(function)
        on[new].append(function)
        yield Move(MoveKind.MOVE, function, new, why, old)


def _changes(pins: list[BoardPin], function: Function, option: Option, turned: set[PinAt]) -> Iterable[Move]:
    """What must be done beside moving, a switch once for all who share its input."""
    for number, to_on in option.switched:
        spot = pins[number]
        if spot.at not in turned:
            turned.add(spot.at)
            kind = MoveKind.SWITCH_ON if to_on else MoveKind.SWITCH_OFF
            yield Move(kind, function, spot.at, _WHY[kind].format(spot.pin.pull_up_ohm))
    if option.without_resistor:
        spot = next((pins[n] for n in option.pins if pins[n].pin.pull_up_ohm is not None), pins[option.pins[0]])
        ohm = spot.pin.pull_up_ohm or function.own_pull_up_ohm
        yield Move(MoveKind.TAKE_OUT, function, spot.at, _WHY[MoveKind.TAKE_OUT].format(ohm))


def _pins_of(modules: Sequence[FittedModule], standing: Sequence[Function]) -> list[BoardPin]:
    on = {leg.at for function in standing for leg in function.legs if leg.pull_up_on}
    return [
        BoardPin(at, pin, is_on=pin.pull_up is PullUpFitted.SWITCHABLE and at in on)
        for module in modules
        for pin in module.type.pins
        if pin.is_input or pin.kind is PinKind.OUTPUT
        for at in [PinAt(module.uid, pin.name)]
    ]


def _classes(pins: list[BoardPin]) -> dict[BoardPin, list[int]]:
    """Pins that are alike in all but their name, by number: what fits one of them fits all."""
    found: dict[BoardPin, list[int]] = {}
    for number, place in enumerate(pins):
        found.setdefault(replace(place, at=_NOWHERE, pin=replace(place.pin, name="")), []).append(number)
    return found


def _costs(classes: Sequence[BoardPin], functions: Sequence[Function]) -> list[dict[int, int]]:
    """For each function the classes of pins that it can go to, by number, and what that costs; to stay costs nothing."""
    found = []
    for function in functions:
        costs = [placement_cost(function, place.at, place.pin, is_on=place.is_on) for place in classes]
        found.append({number: cost for number, cost in enumerate(costs) if cost is not None})
    return found


@dataclass(frozen=True)
class _Ways:
    """What may become of a function, as variables of the model: it stays, goes to a class of pins, or is freed."""

    here: int | None
    stay: IntVar | None
    go: dict[int, IntVar]
    out: IntVar | None

    @property
    def every(self) -> list[IntVar]:
        return [*self.go.values(), *(variable for variable in (self.stay, self.out) if variable is not None)]


def _ways_of(model: CpModel, function: Function, row: Mapping[int, int], number_at: Mapping[PinAt, int]) -> _Ways:
    """Where a function may be, as variables of which one is true: it stays, goes to a kind of pin, or is freed."""
    here = None if function.at is None else number_at.get(function.at)
    may_be_freed = function.at is not None and not function.in_use and function.movable
    stay = None if here is None else model.new_bool_var("")
    go = {kind: model.new_bool_var("") for kind in row}
    ways = _Ways(here, stay, go, model.new_bool_var("") if may_be_freed else None)
    model.add_exactly_one(ways.every)
    return ways


def _solve(pins: list[BoardPin], standing: Sequence[Function], wanted: Sequence[Function]) -> list[int | None] | None:
    """For each function, those standing first, its pin, or None where it is freed; None for all where there is no way."""
    from ortools.sat.python import cp_model

    every, classes = [*standing, *wanted], _classes(pins)
    costs = _costs(list(classes), every)
    members = list(classes.values())
    number_at = {place.at: number for number, place in enumerate(pins)}
    model = cp_model.CpModel()
    ways = [_ways_of(model, function, row, number_at) for function, row in zip(every, costs, strict=True)]
    staying: dict[int, list[IntVar]] = defaultdict(list)
    for way in ways:
        if way.here is not None and way.stay is not None:
            staying[way.here].append(way.stay)
    for kind, group in enumerate(members):
        coming = [way.go[kind] for way in ways if kind in way.go]
        model.add(sum(coming) + sum(variable for number in group for variable in staying[number]) <= len(group))
    for together in staying.values():
        model.add_at_most_one(together)
    moves = [(_STEP * row[kind] + kind) * way.go[kind] for way, row in zip(ways, costs, strict=True) for kind in row]
    model.minimize(sum(moves) + sum(_STEP * way.out for way in ways if way.out is not None))
    try:
        is_true = fewest(model, _GIVE_UP_S)
    except TimeoutError as error:
        raise _not_found() from error
    return None if is_true is None else _pins_chosen(members, ways, is_true)


def _pins_chosen(
    members: list[list[int]], ways: Sequence[_Ways], is_true: Callable[[IntVar], bool]
) -> list[int | None]:
    """The pin of each function: its own where it stays, else the first that is left of the class that it goes to."""
    stays = [way.here if way.stay is not None and is_true(way.stay) else None for way in ways]
    held = set(stays)
    left = [[number for number in group if number not in held] for group in members]
    chosen: list[int | None] = []
    for way, staying in zip(ways, stays, strict=True):
        kind = next((kind for kind, variable in way.go.items() if is_true(variable)), None)
        chosen.append(staying if kind is None else left[kind].pop(0))
    return chosen


def _told(
    pins: list[BoardPin], standing: Sequence[Function], wanted: Sequence[Function], chosen: list[int | None]
) -> Room:
    """The chosen pins as moves: what is freed first, then moves whose pin is empty by then, chains from their open end."""
    moves: list[Move] = []
    waiting: list[tuple[Function, BoardPin]] = []
    taken = {function.at for function in standing}
    for function, number in zip(standing, chosen, strict=False):
        if number is None:
            moves.append(Move(MoveKind.FREE, function, function.at, "It is not used any more."))
            taken.discard(function.at)
        elif pins[number].at != function.at:
            waiting.append((function, pins[number]))
    while waiting:
        # A ring is opened by unplugging one.
        ready = next((pair for pair in waiting if pair[1].at not in taken), waiting[0])
        waiting.remove(ready)
        function, place = ready
        moves += _one_move(function, place)
        taken.discard(function.at)
        taken.add(place.at)
    placed: list[Move] = []
    for function, number in zip(wanted, chosen[len(standing) :], strict=True):
        assert number is not None  # what is wanted is never freed
        moves += _adjustments(function, pins[number])
        placed.append(Move(MoveKind.PLACE, function, pins[number].at, f"It fits this {pins[number].pin.kind} input."))
    return Room(tuple(moves), tuple(placed))


def _one_move(function: Function, place: BoardPin) -> list[Move]:
    kinds = " or ".join(function.kinds)
    why = f"It can be read on {kinds}; this makes room where it stands."
    return [Move(MoveKind.MOVE, function, place.at, why, function.at), *_adjustments(function, place)]


def _adjustments(function: Function, place: BoardPin) -> list[Move]:
    """What else must be done for a function to stand well on a pin."""
    as_it_is = replace(function, at=place.at, pull_up_on=place.is_on)
    change = None if not conflicts_on(place.pin, (as_it_is,)) else _one_change(as_it_is, place.pin)
    return [] if change is None else [Move(change, function, place.at, _WHY[change].format(place.pin.pull_up_ohm))]


_WHY = {
    MoveKind.SWITCH_ON: "It needs the {:g} Ω of this input.",
    MoveKind.SWITCH_OFF: "The {:g} Ω of this input are on now, and it must not have them.",
    MoveKind.TAKE_OUT: "This input has {:g} Ω of its own; two would be too strong.",
}


_Node = tuple[str, int]


def _reached_from(start: _Node, graph: nx.Graph, matching: Mapping[_Node, _Node]) -> tuple[set[_Node], set[_Node]]:
    """Functions and pins on alternating paths from a function that the matching leaves out."""
    functions, places, queue = {start}, set(), [start]
    while queue:
        for place in graph[queue.pop()]:
            places.add(place)
            holder = matching[place]
            if holder not in functions:
                functions.add(holder)
                queue.append(holder)
    return functions, places


def _too_few(
    pins: list[BoardPin], standing: Sequence[Function], wanted: Sequence[Function]
) -> tuple[tuple[Function, ...], tuple[PinAt, ...]]:
    """A set of functions that fit fewer pins than they are: those reached by alternating paths from one that a greatest
    matching leaves out.
    """
    import networkx as nx

    every = [function for function in standing if function.in_use or not function.movable] + list(wanted)
    classes = _classes(pins)
    costs, members = _costs(list(classes), every), list(classes.values())
    graph = nx.Graph()
    left = [("f", index) for index in range(len(every))]
    graph.add_nodes_from(left)
    graph.add_edges_from(
        (("f", i), ("p", number)) for i, row in enumerate(costs) for kind in row for number in members[kind]
    )
    graph.add_edges_from(
        (("f", i), ("p", n)) for i, f in enumerate(every) for n, place in enumerate(pins) if f.at == place.at
    )
    matching = nx.bipartite.hopcroft_karp_matching(graph, left)
    reached: set[tuple[str, int]] = set()
    reached_pins: set[tuple[str, int]] = set()
    # The fewest that already are too many make the shortest sentence.
    for start in [node for node in left if node not in matching]:
        functions, places = _reached_from(start, graph, matching)
        if not reached or len(functions) < len(reached):
            reached, reached_pins = functions, places
    return (
        tuple(every[index] for _, index in sorted(reached)),
        tuple(pins[number].at for _, number in sorted(reached_pins)),
    )


def _smallest(
    modules: Sequence[FittedModule],
    standing: Sequence[Function],
    wanted: Sequence[Function],
    shelf: Sequence[ModuleType],
) -> ModuleType | None:
    """The module type with the fewest pins that makes room."""
    for kind in sorted(shelf, key=lambda t: (len(t.pins), t.name)):
        added = FittedModule(uuid5(_NAMESPACE, str(kind.uid)), kind.name, kind)
        pins = _pins_of([*modules, added], standing)
        find = _solve if is_plain([*standing, *wanted]) else _choose
        if find(pins, standing, wanted) is not None:
            return kind
    return None
