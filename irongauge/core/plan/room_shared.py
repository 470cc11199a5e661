"""Making room on boards where functions may share an input, or are read by two: pin by pin, where `room` goes by kinds of pins.

What one input may take, what a pair of inputs asks of their resistors, and a switch that serves all who share its input are
counted as they are; everything else is as in `room`.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, product
from typing import TYPE_CHECKING

from irongauge.core.plan.board import Function, PinAt, conflicts_on, is_lifted
from irongauge.core.plan.modules import ModulePin, PullUpFitted

if TYPE_CHECKING:
    from ortools.sat.python.cp_model import CpModel, IntVar, LinearExpr

__all__ = ["BoardPin", "Chosen", "Option", "choose", "fewest", "is_plain"]

_STEP = 10_000  # one move outweighs every choice between pins


@dataclass(frozen=True)
class BoardPin:
    """A pin, and whether its switchable pull-up is on now."""

    at: PinAt
    pin: ModulePin
    is_on: bool = False


@dataclass(frozen=True)
class Option:
    """What may become of a function: the pins that it is then on, and what must be changed for it to stand well there.

    `switched` are pins whose switch is turned, to on or off; `without_resistor` takes its own out.
    """

    pins: tuple[int, ...]
    moves: int = 0
    switched: tuple[tuple[int, bool], ...] = ()
    without_resistor: bool = False


# For each function its option, None where it is freed.
Chosen = tuple[Option | None, ...]


def is_plain(functions: Sequence[Function]) -> bool:
    """True where nothing may be shared, and nothing is read by two."""
    return not any(function.shares or function.inputs > 1 for function in functions)


def _group(function: Function) -> tuple[str, str] | None:
    """What it shares inputs by; None for one that has its own."""
    if not function.shares or function.inputs > 1 or function.own_pull_up_ohm is not None:
        return None
    return function.shares, function.pull_up


def options_of(function: Function, spots: Sequence[BoardPin], number_at: Mapping[PinAt, int]) -> Iterator[Option]:
    """Every way in which a function may stand: as it does, at no cost and however badly; or well, where it is movable."""
    here = tuple(number_at[at] for at in function.stands_at if at in number_at)
    if here:
        yield Option(here)
    if function.at is not None and not function.movable:
        return
    fitting = [number for number, spot in enumerate(spots) if spot.pin.kind in function.kinds]
    for pins in combinations(fitting, len(here) or function.inputs):
        if set(pins) == set(here):
            continue
        found = _made_well(function, [spots[pin] for pin in pins])
        if found is not None:
            switched, without = found
            turned = tuple((pin, on) for pin, on in zip(pins, switched, strict=True) if on != spots[pin].is_on)
            yield Option(pins, len(set(here) - set(pins)), turned, without)


def _made_well(function: Function, spots: Sequence[BoardPin]) -> tuple[tuple[bool, ...], bool] | None:
    """The states of the pins' switches, and whether the own resistor goes, with the fewest changes; None where nothing does."""
    ways = [(True, False) if spot.pin.pull_up is PullUpFitted.SWITCHABLE else (spot.is_on,) for spot in spots]
    best: tuple[int, tuple[bool, ...], bool] | None = None
    for without in (False, True) if function.own_pull_up_ohm is not None else (False,):
        bare = replace(function, own_pull_up_ohm=None) if without else function
        for states in product(*ways):
            changes = without + sum(on != spot.is_on for on, spot in zip(states, spots, strict=True))
            if (best is None or changes < best[0]) and _stands_well(bare, spots, states):
                best = changes, states, without
    return None if best is None else best[1:]


def _stands_well(function: Function, spots: Sequence[BoardPin], states: Sequence[bool]) -> bool:
    legs = [
        replace(function, at=spot.at, pull_up_on=on, also_at=None, inputs=1)
        for spot, on in zip(spots, states, strict=True)
    ]
    for leg, spot in zip(legs, spots, strict=True):
        others = [s.pin for s, f in zip(spots, legs, strict=True) if s is not spot and is_lifted(s.pin, f)]
        if conflicts_on(spot.pin, (leg,), {function.uid: others[0]} if others else {}):
            return False
    return True


def _cost(option: Option) -> int:
    """What taking an option costs: its moves, a resistor that is taken out, and pins far down the list last."""
    return _STEP * (option.moves + option.without_resistor) + sum(option.pins)


def _may_be_freed(function: Function) -> bool:
    return function.at is not None and not function.in_use and function.movable


def choose(
    spots: Sequence[BoardPin], standing: Sequence[Function], wanted: Sequence[Function], most_s: float
) -> Chosen | None:
    """The options with the fewest changes; None where there are none. `TimeoutError` where they were not found in time."""
    from ortools.sat.python import cp_model

    every, model = [*standing, *wanted], cp_model.CpModel()
    number_at = {spot.at: number for number, spot in enumerate(spots)}
    options = [list(options_of(function, spots, number_at)) for function in every]
    taken = [[model.new_bool_var("") for _ in of] for of in options]
    freed = [model.new_bool_var("") if _may_be_freed(f) else None for f in every]
    for taken_or_freed in ([*ways, *([] if out is None else [out])] for ways, out in zip(taken, freed, strict=True)):
        if not taken_or_freed:
            return None
        model.add_exactly_one(taken_or_freed)
    costs = _occupied(model, every, options, taken) + [_STEP * out for out in freed if out is not None]
    pairs = [list(zip(of, ways, strict=True)) for of, ways in zip(options, taken, strict=True)]
    model.minimize(sum(costs) + sum(_cost(option) * way for ways in pairs for option, way in ways))
    is_true = fewest(model, most_s)
    if is_true is None:
        return None
    return tuple(next((o for o, v in ways if is_true(v)), None) for ways in pairs)


def fewest(model: CpModel, most_s: float) -> Callable[[IntVar], bool] | None:
    """What is true in the solution that costs least; None where there is none, `TimeoutError` where it was not proved in time."""
    from ortools.sat.python import cp_model

    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1  # with one, the same board gives the same answer
    solver.parameters.max_time_in_seconds = most_s
    status = solver.solve(model)
    if status == cp_model.INFEASIBLE:
        return None
    if status != cp_model.OPTIMAL:
        raise TimeoutError
    return solver.boolean_value


def _occupied(
    model: CpModel, every: Sequence[Function], options: Sequence[Sequence[Option]], taken: Sequence[Sequence[IntVar]]
) -> list[LinearExpr]:
    """One function, or one that is shared, on each pin; gives back the costs of switches, each turned once for all who share."""
    alone: dict[int, list[IntVar]] = defaultdict(list)
    shared: dict[int, dict[tuple[str, str], list[IntVar]]] = defaultdict(lambda: defaultdict(list))
    turned: dict[tuple[int, object], list[IntVar]] = defaultdict(list)
    for number, (function, of, ways) in enumerate(zip(every, options, taken, strict=True)):
        group = _group(function)
        for option, variable in zip(of, ways, strict=True):
            for pin in option.pins:
                if group is None:
                    alone[pin].append(variable)
                else:
                    shared[pin][group].append(variable)
            for pin, _ in option.switched:
                turned[pin, number if group is None else group].append(variable)
    for pin in {*alone, *shared}:
        used = []
        for members in shared[pin].values():
            there = model.new_bool_var("")
            model.add_max_equality(there, members)
            used.append(there)
        model.add_at_most_one([*alone[pin], *used])
    costs: list[LinearExpr] = []
    for members in turned.values():
        once = model.new_bool_var("")
        model.add_max_equality(once, members)
        costs.append(_STEP * once)
    return costs
