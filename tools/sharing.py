"""Boards whose functions share inputs or are read by two, and the fewest moves on them by trying everything."""

# ruff: noqa: PLR2004  chances of a draw

from __future__ import annotations

import itertools
import random
from collections.abc import Mapping, Sequence
from uuid import UUID

from irongauge.core.plan.board import Function, PinAt, PullUpNeed
from irongauge.core.plan.modules import FittedModule, ModulePin, ModuleType, PinKind, PullUpFitted
from irongauge.core.plan.room import Want

__all__ = ["fewest_shared", "shared_board"]

_A, _D = PinKind.ANALOGUE, PinKind.DIGITAL
_FIXED, _SWITCHED, _NONE = PullUpFitted.FIXED, PullUpFitted.SWITCHABLE, PullUpFitted.NONE
_NEEDED, _UNWANTED, _EITHER = PullUpNeed.NEEDED, PullUpNeed.UNWANTED, PullUpNeed.EITHER
_Choice = tuple[tuple[str, ...], bool]  # the pins that a function is then on, and whether it is freed


def _pin(name: str, kind: PinKind, pull_up: PullUpFitted, most_v: float) -> ModulePin:
    has = pull_up is not _NONE
    return ModulePin(
        name=name,
        kind=kind,
        most_v=most_v,
        pull_up=pull_up,
        pull_up_ohm=2200.0 if has else None,
        pull_up_v=5.0 if has else None,
    )


def _stands_well(one: Function, pins: Sequence[ModulePin], switches: Mapping[str, bool], *, resistor: bool) -> bool:
    """By the physics of its wire: right kind and volts at each input, and as many resistors to a supply as it bears."""
    if any(p.kind not in one.kinds or one.most_v > (p.most_v or 0.0) * 1.02 for p in pins):
        return False
    lifted = sum(p.pull_up is _FIXED or (p.pull_up is _SWITCHED and switches[p.name]) for p in pins) + resistor
    outside = lifted - resistor
    return {_NEEDED: lifted == 1, _UNWANTED: outside == 0, _EITHER: lifted <= 1}[one.pull_up]


def fewest_shared(fitted: FittedModule, functions: Sequence[Function], wants: Sequence[Want]) -> int | None:
    """The least cost over every set of pins of each function, every switch and every resistor; None where nothing does."""
    pins = fitted.type.pins
    names = [p.name for p in pins]
    now = {
        p.name: p.pull_up is _SWITCHED
        and any(leg.pull_up_on for f in functions for leg in f.legs if leg.at == PinAt(fitted.uid, p.name))
        for p in pins
    }
    every = [*functions, *(f for want in wants for f in want.functions())]
    switchable = [p.name for p in pins if p.pull_up is _SWITCHED]
    best: int | None = None
    choices: list[list[_Choice]] = []
    for one in every:
        here = tuple(sorted(x.pin for x in one.stands_at))
        count = len(here) or one.inputs
        sets = [tuple(sorted(c)) for c in itertools.combinations(names, count)] if one.movable or not here else [here]
        choices.append([(c, False) for c in sets] + ([((), True)] if here and not one.in_use and one.movable else []))
    for states in itertools.product((False, True), repeat=len(switchable)):
        switches = now | dict(zip(switchable, states, strict=True))
        for chosen in itertools.product(*choices):
            cost = _cost(every, chosen, pins, now, switches)
            if cost is not None and (best is None or cost < best):
                best = cost
    return best


def _cost(
    every: Sequence[Function],
    chosen: Sequence[_Choice],
    pins: Sequence[ModulePin],
    now: Mapping[str, bool],
    switches: Mapping[str, bool],
) -> int | None:
    """What an arrangement costs with the switches so; None where something that is moved stands badly."""
    by_name = {p.name: p for p in pins}
    on: dict[str, list[Function]] = {}
    moved_on: dict[str, bool] = {}
    cost = 0
    for one, (where, freed) in zip(every, chosen, strict=True):
        here = {x.pin for x in one.stands_at}
        cost += 1 if freed else len(here - set(where))
        for name in where:
            on.setdefault(name, []).append(one)
        if not freed and set(where) != here:
            spots = [by_name[name] for name in where]
            resistor = one.own_pull_up_ohm is not None
            if not _stands_well(one, spots, switches, resistor=resistor):
                if not resistor or not _stands_well(one, spots, switches, resistor=False):
                    return None
                cost += 1
            for name in where:
                moved_on[name] = True
    for name, there in on.items():
        first = there[0]
        if len(there) > 1 and not (
            first.shares
            and all(
                (f.shares, f.pull_up, f.own_pull_up_ohm, f.inputs) == (first.shares, first.pull_up, None, 1)
                for f in there
            )
        ):
            return None
        cost += moved_on.get(name, False) and switches[name] != now[name]
    return cost if all(switches[n] == now[n] or moved_on.get(n) for n in now) else None


def shared_board(rng: random.Random) -> tuple[FittedModule, list[Function], list[Want]]:
    """A small module with functions of which some share inputs and some are read by two, and something that is wanted."""
    pins = [
        _pin(str(n), rng.choice((_A, _A, _D)), rng.choice((_NONE, _NONE, _FIXED, _SWITCHED)), rng.choice((5.0, 16.0)))
        for n in range(rng.randint(3, 5))
    ]
    uid = UUID(int=rng.getrandbits(128))
    fitted = FittedModule(uid, "m", ModuleType(uid=uid, name="m", pins=tuple(pins)))
    free, functions = [p.name for p in pins], []
    rng.shuffle(free)
    kind = {p.name: p.kind for p in pins}
    for n in range(rng.randint(1, 3)):
        if not free:
            break
        first = free.pop()
        two = rng.random() < 0.35 and any(kind[x] is kind[first] for x in free)
        second = next((x for x in free if kind[x] is kind[first]), None) if two else None
        if second is not None:
            free.remove(second)
        functions.append(
            Function(
                uid=UUID(int=rng.getrandbits(128)),
                name=f"f{n}",
                kinds=(_A, _D) if rng.random() < 0.5 else (kind[first],),
                at=PinAt(uid, first),
                pull_up=rng.choice(list(PullUpNeed)),
                own_pull_up_ohm=rng.choice((None, None, 4700.0)),
                in_use=rng.random() < 0.85,
                movable=rng.random() < 0.85,
                pull_up_on=rng.random() < 0.4,
                shares="" if two else rng.choice(("", "doors", "doors")),
                inputs=2 if second else 1,
                also_at=PinAt(uid, second) if second else None,
                also_on=rng.random() < 0.3,
            )
        )
    want = Want(
        1,
        (rng.choice((_A, _D)),),
        rng.choice(list(PullUpNeed)),
        shares=rng.choice(("", "doors")),
        inputs=rng.choice((1, 1, 2)),
    )
    return fitted, functions, [want]
