"""Making room: the fewest moves, against every arrangement tried in turn."""

from __future__ import annotations

import itertools
import random

import pytest

from irongauge.core.plan.board import PullUpNeed, conflicts_on
from irongauge.core.plan.modules import PullUpFitted
from irongauge.core.plan.room import MoveKind, NoRoom, Room, Want, make_room, placement_cost
from tests.core.plan.boards import A, D, F, at, function, module, pin

FIXED, SWITCHED = PullUpFitted.FIXED, PullUpFitted.SWITCHABLE


def fewest_by_trying(modules, functions, wants):
    """The least cost over every way to put functions on pins, or None; factorial, for small boards."""
    pins = [(at(m, p.name), p) for m in modules for p in m.type.pins]
    wanted = [f for want in wants for f in want.functions()]
    every = [*functions, *wanted]
    switched = {x for x, p in pins if p.pull_up is SWITCHED}
    on = {f.at for f in functions if f.pull_up_on and f.at in switched}
    best = None
    for freed in itertools.product(
        *[(False, True) if not f.in_use and f.movable and f.at else (False,) for f in every]
    ):
        kept = [f for f, out in zip(every, freed, strict=True) if not out]
        if len(kept) > len(pins):
            continue
        for chosen in itertools.permutations(pins, len(kept)):
            costs = [placement_cost(f, x, p, is_on=x in on) for f, (x, p) in zip(kept, chosen, strict=True)]
            if None not in costs:
                cost = sum(costs) + sum(freed)
                best = cost if best is None else min(best, cost)
    return best


def random_board(rng):
    pins = [
        pin(str(n), rng.choice((A, A, A, D, F)), rng.choice((PullUpFitted.NONE, PullUpFitted.NONE, FIXED, SWITCHED)),
            most_v=rng.choice((5.0, 5.0, 16.0)))
        for n in range(rng.randint(2, 6))
    ]  # fmt: skip
    fitted = module("m", *pins)
    functions = []
    for place in rng.sample(pins, rng.randint(1, len(pins))):
        kinds = (place.kind,) if rng.random() < 0.5 else tuple({place.kind, rng.choice((A, D, F))})
        functions.append(
            function(
                f"f{len(functions)}", kinds, at(fitted, place.name), pull_up=rng.choice(list(PullUpNeed)),
                own_pull_up_ohm=rng.choice((None, None, 4700.0)), in_use=rng.random() < 0.8, movable=rng.random() < 0.85,
                pull_up_on=rng.random() < 0.5, most_v=rng.choice((5.0, 5.0, 12.0)),
            )
        )  # fmt: skip
    want = Want(rng.randint(1, 2), (rng.choice((A, A, D, F)),), rng.choice(list(PullUpNeed)))
    return [fitted], functions, [want]


@pytest.mark.parametrize("seed", range(60))
def test_the_fewest_moves_are_those_that_trying_everything_finds(seed):
    modules, functions, wants = random_board(random.Random(seed))
    found, fewest = make_room(modules, functions, wants), fewest_by_trying(modules, functions, wants)
    assert isinstance(found, NoRoom) == (fewest is None)
    if isinstance(found, Room):
        assert found.cost == fewest
        _done(modules, functions, found)
    else:
        assert len(found.functions) > len(found.pins), "the proof: more functions than pins that they fit"


def _done(modules, functions, room):
    """Do the moves in their order: no pin is ever given to two, and what is placed stands well."""
    pins = {at(m, p.name): p for m in modules for p in m.type.pins}
    stands = {f.uid: f.at for f in functions}
    for move in room.moves:
        if move.kind is MoveKind.FREE:
            del stands[move.function.uid]
        elif move.kind is MoveKind.MOVE:
            stands[move.function.uid] = move.to
    switched = {move.function.uid for move in room.moves if move.kind is MoveKind.SWITCH_ON}
    for place in room.placed:
        assert place.to not in stands.values()
        stands[place.function.uid] = place.to
        on_pin = place.function if place.function.uid not in switched else _with_pull_up(place.function)
        assert not conflicts_on(pins[place.to], (on_pin,))
    assert len(set(stands.values())) == len(stands)


def _with_pull_up(placed):
    return function(placed.name, placed.kinds, pull_up=placed.pull_up, most_v=placed.most_v, pull_up_on=True)


def test_a_push_button_gives_its_analogue_input_up_for_a_sensor():
    controller = module("c", pin("A1"), pin("A2", A, FIXED), pin("D1", D))
    button = function("Winch button", (A, D), at(controller, "A2"), pull_up=PullUpNeed.EITHER)
    oil = function("Oil pressure", (A,), at(controller, "A1"))
    room = make_room([controller], [button, oil], [Want(1, (A,), PullUpNeed.NEEDED, name="Coolant")])
    assert [(m.kind, m.function.name, m.to.pin) for m in room.moves] == [(MoveKind.MOVE, "Winch button", "D1")]
    assert [m.to.pin for m in room.placed] == ["A2"]


def test_what_is_not_used_any_more_is_freed():
    controller = module("c", pin("A1"))
    old = function("Old boost", (A,), at(controller, "A1"), in_use=False)
    room = make_room([controller], [old], [Want(1, (A,))])
    assert [(m.kind, m.why) for m in room.moves] == [(MoveKind.FREE, "It is not used any more.")]


def test_without_room_the_proof_and_the_smallest_module_are_told():
    controller = module("c", pin("A1"), pin("D1", D))
    oil = function("Oil pressure", (A,), at(controller, "A1"))
    big = module("Six inputs", *(pin(f"X{n}") for n in range(6)))
    small = module("Two inputs", pin("X1"), pin("X2"))
    wrong = module("One button", pin("B", D))
    found = make_room([controller], [oil], [Want(1, (A,), name="Boost")], [big.type, wrong.type, small.type])
    assert isinstance(found, NoRoom)
    assert {f.name for f in found.functions} == {"Oil pressure", "Boost"}
    assert found.sentence == (
        "No rearrangement does: Oil pressure, Boost (2) together fit only one input. "
        "The smallest module on the Shelf that would do: Two inputs."
    )
    nothing = make_room([controller], [oil], [Want(1, (F,), name="Speed")])
    assert nothing.sentence == "No input on the vehicle takes Speed."


def test_two_that_must_change_places_are_told_as_two_moves():
    """A ring: each pin is the other's."""
    controller = module("c", pin("A1", A, FIXED), pin("A2"))
    ntc = function("Coolant", (A,), at(controller, "A2"), pull_up=PullUpNeed.NEEDED, own_pull_up_ohm=None)
    driven = function("Oil", (A,), at(controller, "A1"), pull_up=PullUpNeed.UNWANTED)
    room = make_room([controller], [ntc, driven], [])
    assert room.cost == 0, "nothing is wanted, so nothing is moved however badly it stands"
    plus = make_room([controller, module("d", pin("D1", D))], [ntc, driven], [Want(1, (D,))])
    assert plus.cost == 0
    assert plus.placed[0].to.pin == "D1"


def test_the_same_board_gives_the_same_answer():
    for seed in range(5):
        board = random_board(random.Random(seed))
        assert make_room(*board) == make_room(*board)


@pytest.mark.parametrize(
    ("more", "target", "cost"),
    [
        ({}, pin("x"), 1),
        ({}, pin("x", D), None),
        ({"movable": False}, pin("x"), None),
        ({"pull_up": PullUpNeed.NEEDED}, pin("x"), None),
        ({"pull_up": PullUpNeed.NEEDED}, pin("x", A, FIXED), 1),
        ({"pull_up": PullUpNeed.NEEDED}, pin("x", A, SWITCHED), 2),
        ({"pull_up": PullUpNeed.NEEDED, "own_pull_up_ohm": 4700.0}, pin("x", A, FIXED), 2),
        ({"pull_up": PullUpNeed.UNWANTED}, pin("x", A, FIXED), None),
        ({"pull_up": PullUpNeed.UNWANTED}, pin("x", A, SWITCHED), 1),
        ({"most_v": 12.0}, pin("x"), None),
        ({"most_v": 12.0}, pin("x", most_v=16.0), 1),
    ],
)
def test_what_it_costs_to_go_to_a_pin(more, target, cost):
    controller = module("c", pin("old"), target)
    moved = function("f", (A,), at(controller, "old"), **more)
    assert placement_cost(moved, at(controller, "x"), target) == cost
    assert placement_cost(moved, at(controller, "old"), pin("old")) == 0, "to stay costs nothing, however it stands"


@pytest.mark.parametrize(
    ("more", "cost"),
    [
        ({"pull_up": PullUpNeed.UNWANTED}, 2),  # it must be switched off
        ({"pull_up": PullUpNeed.NEEDED}, 1),  # it is on already
        ({"pull_up": PullUpNeed.EITHER}, 1),  # and may stay on
        ({"pull_up": PullUpNeed.EITHER, "own_pull_up_ohm": 4700.0}, 2),
    ],
)
def test_a_pull_up_that_is_on_counts(more, cost):
    controller = module("c", pin("old"), pin("x", A, SWITCHED))
    moved = function("f", (A,), at(controller, "old"), **more)
    assert placement_cost(moved, at(controller, "x"), pin("x", A, SWITCHED), is_on=True) == cost


def test_a_pull_up_that_a_new_sensor_must_not_have_is_switched_off_as_a_step_of_its_own():
    controller = module("c", pin("A1", A, SWITCHED), pin("D1", D))
    button = function("Button", (D, A), at(controller, "A1"), pull_up_on=True)
    room = make_room([controller], [button], [Want(1, (A,), PullUpNeed.UNWANTED, name="Pressure")])
    assert [(m.kind, m.function.name, m.to.pin) for m in room.moves] == [
        (MoveKind.MOVE, "Button", "D1"),
        (MoveKind.SWITCH_OFF, "Pressure", "A1"),
    ]
    assert room.moves[1].why == "The 2200 Ω of this input are on now, and it must not have them."


def test_the_smaller_of_two_sets_that_fit_too_few_pins_is_named():
    """One frequency input for two, or three analogue inputs for four: the shorter sentence is told."""
    controller = module("c", pin("A1"), pin("A2"), pin("A3"), pin("F1", F))
    held = [function(f"a{n}", (A,), at(controller, f"A{n}")) for n in (1, 2, 3)] + [
        function("f", (F,), at(controller, "F1"))
    ]
    found = make_room([controller], held, [Want(1, (A,), name="more"), Want(1, (F,), name="speed")])
    assert {f.name for f in found.functions} == {"f", "speed"}
    assert [place.pin for place in found.pins] == ["F1"]
