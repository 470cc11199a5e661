"""Functions that share an input, and those read by two: what is wrong, and the fewest moves against every arrangement."""

from __future__ import annotations

import itertools
import random
from dataclasses import replace

import pytest

from irongauge.core.plan.board import ConflictKind, PullUpNeed, board_of
from irongauge.core.plan.modules import PullUpFitted
from irongauge.core.plan.room import MoveKind, NoRoom, Room, Want, make_room
from tests.core.plan.boards import A, D, F, at, function, module, pin
from tools.sharing import fewest_shared, shared_board

FIXED, NEEDED = PullUpFitted.FIXED, PullUpNeed.NEEDED


@pytest.mark.parametrize("seed", range(120))
def test_the_fewest_moves_are_those_that_trying_everything_finds(seed):
    fitted, functions, wants = shared_board(random.Random(seed))
    found, fewest = make_room([fitted], functions, wants), fewest_shared(fitted, functions, wants)
    assert isinstance(found, NoRoom) == (fewest is None), (found, fewest)
    if isinstance(found, Room):
        assert found.cost == fewest, (found.moves, fewest)
        _done(fitted, functions, found)


def _done(fitted, functions, room):
    """Do the moves one by one: what is placed or moved stands well at the end, and no input is held by two that may not share."""
    stands = {f.uid: f for f in functions}
    for move in room.moves:
        one = stands.get(move.function.uid)
        if one is None:
            continue
        if move.kind is MoveKind.FREE:
            del stands[move.function.uid]
        elif move.kind is MoveKind.MOVE:
            changed = {"also_at": move.to} if move.leaves == one.also_at else {"at": move.to}
            stands[one.uid] = replace(one, **changed)
        elif move.kind is MoveKind.TAKE_OUT:
            stands[one.uid] = replace(one, own_pull_up_ohm=None)
    for uid, where in itertools.groupby(room.placed, key=lambda p: p.function.uid):
        first, *second = where
        stands[uid] = replace(first.function, at=first.to, also_at=second[0].to if second else None)
    held = [p for p in board_of([fitted], list(stands.values())) if len(p.functions) > 1]
    assert not [c for p in held for c in p.conflicts if c.kind is ConflictKind.SHARED and any(
        f.uid in {m.function.uid for m in (*room.moves, *room.placed)} for f in p.functions)]  # fmt: skip


DOORS = {"kinds": (A, D), "shares": "doors"}


def test_switches_of_one_signal_make_room_on_one_input():
    controller = module("c", pin("D1", D), pin("D2", D))
    left = function("Door left", place=at(controller, "D1"), **DOORS)
    right = function("Door right", place=at(controller, "D2"), **DOORS)
    room = make_room([controller], [left, right], [Want(1, (D,), name="Beacon")])
    assert [(m.kind, m.function.name, m.to.pin) for m in room.moves] == [(MoveKind.MOVE, "Door right", "D1")]
    assert room.moves[0].why == "It may share this input with Door left."
    assert [m.to.pin for m in room.placed] == ["D2"]
    alone = make_room([controller], [replace(left, shares=""), right], [Want(1, (D,))])
    assert isinstance(alone, NoRoom)
    assert "there is none for new" in alone.sentence


def test_one_that_may_share_needs_no_room_of_its_own():
    controller = module("c", pin("D1", D))
    door = function("Door left", place=at(controller, "D1"), **DOORS)
    room = make_room([controller], [door], [Want(1, (D,), name="Door right", shares="doors")])
    assert (room.moves, [m.to.pin for m in room.placed]) == ((), ["D1"])


def test_what_two_inputs_read_is_lifted_once():
    controller = module("c", pin("A1", A, FIXED), pin("A2", A, FIXED), pin("A3"))
    coolant = function("Coolant", pull_up=NEEDED, place=at(controller, "A1"), inputs=2, also_at=at(controller, "A2"))
    views = {p.pin.name: p for p in board_of([controller], [coolant])}
    assert [c.kind for c in views["A1"].conflicts] == [ConflictKind.PULL_UP_DOUBLED]
    assert views["A1"].conflicts[0].sentence == "Coolant is lifted by the 2200 Ω here and by the 2200 Ω of A2."
    well = replace(coolant, also_at=at(controller, "A3"))
    assert not [c for p in board_of([controller], [well]) for c in p.conflicts], (
        "the other input’s resistor is enough for both"
    )
    half = replace(coolant, also_at=None)
    assert [c.kind for p in board_of([controller], [half]) for c in p.conflicts] == [ConflictKind.HALF]


def test_two_inputs_are_found_for_one_sensor():
    controller, logger = module("c", pin("A1", A, FIXED), pin("A2", A, FIXED)), module("l", pin("L1"))
    room = make_room([controller, logger], [], [Want(1, (A,), NEEDED, name="Coolant", inputs=2)])
    assert sorted(m.to.pin for m in room.placed) == ["A1", "L1"]
    assert room.moves == ()


@pytest.mark.parametrize(
    "changed",
    [
        {"inputs": 3},
        {"inputs": 0},
        {"also_at": "A2"},
        {"inputs": 2, "also_at": "A1"},
        {"inputs": 2, "place": None, "also_at": "A2"},
    ],
)
def test_a_function_is_read_by_one_input_or_by_two_different_ones(changed):
    controller = module("c", pin("A1"), pin("A2"))
    told = {"place": at(controller, "A1"), "kinds": (F,)} | changed
    told |= {"also_at": at(controller, told["also_at"])} if told.get("also_at") else {}
    with pytest.raises(ValueError, match="one input or by two different ones"):
        function("Oil", **told)


def test_who_share_an_input_need_it_alike_and_bring_no_resistor():
    controller = module("c", pin("D1", D))
    left = function("Left", place=at(controller, "D1"), **DOORS)
    for other, shared in (
        ({}, True),
        ({"pull_up": NEEDED}, False),
        ({"own_pull_up_ohm": 4700.0}, False),
        ({"shares": "seats"}, False),
    ):
        right = function("Right", place=at(controller, "D1"), **(DOORS | other))
        kinds = [c.kind for p in board_of([controller], [left, right]) for c in p.conflicts]
        assert (ConflictKind.SHARED not in kinds) == shared, other
