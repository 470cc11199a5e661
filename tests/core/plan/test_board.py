"""What stands on each pin, and what is wrong there."""

from __future__ import annotations

import pytest

from irongauge.core.plan.board import ConflictKind, PinState, PullUpNeed, board_of
from irongauge.core.plan.modules import ModulePin, ModuleType, PinKind, PullUpFitted
from tests.core.plan.boards import SPACE, A, D, at, function, module, pin

PLAIN, PULLED, SWITCHED = pin("1"), pin("2", A, PullUpFitted.FIXED), pin("3", A, PullUpFitted.SWITCHABLE)
BUTTON = pin("4", D)
CONTROLLER = module("controller", PLAIN, PULLED, SWITCHED, BUTTON)
NTC = {"pull_up": PullUpNeed.NEEDED}


def only(name, **more):
    """The one view of a pin with a function on it."""
    views = board_of([CONTROLLER], [function("x", place=at(CONTROLLER, name), **more)])
    return next(view for view in views if view.pin.name == name)


@pytest.mark.parametrize(
    ("name", "more", "kind", "says"),
    [
        ("1", {}, None, ""),
        ("1", {"most_v": 5.1}, None, ""),
        ("1", {"most_v": 12.0}, ConflictKind.TOO_MANY_VOLTS, "up to 12 V; this input takes 5 V"),
        ("1", NTC, ConflictKind.PULL_UP_MISSING, "needs a pull-up, and none is there"),
        ("1", NTC | {"own_pull_up_ohm": 1000.0}, None, ""),
        ("2", NTC, None, ""),
        # 2.2 kΩ beside 4.7 kΩ: 1/(1/2200 + 1/4700) = 1498.6 Ω
        ("2", NTC | {"own_pull_up_ohm": 4700.0}, ConflictKind.PULL_UP_DOUBLED, "together 1499 Ω"),
        ("2", {"pull_up": PullUpNeed.UNWANTED}, ConflictKind.PULL_UP_UNWANTED, "2200 Ω to 5 V lifts it"),
        ("3", NTC, ConflictKind.PULL_UP_MISSING, "none is there"),
        ("3", NTC | {"pull_up_on": True}, None, ""),
        ("3", {"pull_up": PullUpNeed.UNWANTED, "pull_up_on": True}, ConflictKind.PULL_UP_UNWANTED, "lifts it"),
        ("4", {}, ConflictKind.WRONG_KIND, "needs analogue; this pin is digital"),
    ],
)
def test_a_function_on_a_pin_is_judged(name, more, kind, says):
    view = only(name, **more)
    assert [conflict.kind for conflict in view.conflicts] == ([] if kind is None else [kind])
    assert says in "".join(conflict.sentence for conflict in view.conflicts)
    assert view.state is (PinState.USED if kind is None else PinState.CONFLICT)


@pytest.mark.parametrize(
    ("name", "more", "do"),
    [
        ("1", {"most_v": 12.0}, "It may be damaged: use a divider, or another input."),
        ("1", NTC, "Fit a resistor from the signal to its supply, or use an input that has one."),
        ("3", NTC, "Switch on the input’s 2200 Ω."),
        ("2", NTC | {"own_pull_up_ohm": 4700.0}, "Take the resistor out of the harness."),
        (
            "3",
            NTC | {"own_pull_up_ohm": 4700.0, "pull_up_on": True},
            "Take the resistor out of the harness, or switch the input’s off.",
        ),
        ("2", {"pull_up": PullUpNeed.UNWANTED}, "Use an input without one."),
        ("3", {"pull_up": PullUpNeed.UNWANTED, "pull_up_on": True}, "Switch it off."),
        ("4", {}, "Move it to a pin that is analogue."),
    ],
)
def test_a_conflict_says_what_to_do(name, more, do):
    assert [conflict.do for conflict in only(name, **more).conflicts] == [do]


def test_volts_just_over_a_nominal_input_are_no_conflict_and_more_are():
    assert only("1", most_v=5.1).conflicts == ()
    assert only("1", most_v=5.11).conflicts[0].kind is ConflictKind.TOO_MANY_VOLTS


def test_a_pin_is_free_reserved_or_shared():
    place = at(CONTROLLER, "1")
    assert board_of([CONTROLLER], [])[0].state is PinState.FREE
    assert board_of([CONTROLLER], [function("x", place=place, reserved=True)])[0].state is PinState.RESERVED
    both = board_of([CONTROLLER], [function("x", place=place), function("y", place=place)])[0]
    assert both.conflicts[0].kind is ConflictKind.SHARED
    assert both.conflicts[0].sentence == "x, y stand on one input."
    assert both.conflicts[0].do == "Move all but one: each reads the other’s signal."
    half = board_of([CONTROLLER], [function("x", place=place, reserved=True), function("y", place=place)])[0]
    assert half.state is PinState.CONFLICT


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (
            lambda: ModulePin(
                name="1", kind=PinKind.OUTPUT, pull_up=PullUpFitted.FIXED, pull_up_ohm=1.0, pull_up_v=5.0
            ),
            "only an",
        ),
        (lambda: ModulePin(name="1", kind=A, pull_up=PullUpFitted.FIXED), "has ohms and volts"),
        (lambda: ModulePin(name="1", kind=PinKind.REFERENCE), "says its volts"),
        (lambda: ModulePin(name="1", kind=A, most_v=-5.0), "positive"),
        (lambda: ModuleType(uid=SPACE, name="x", pins=(PLAIN, PLAIN)), "named twice"),
        (lambda: ModuleType(uid=SPACE, name="x"), "at least one pin"),
        (lambda: function("x", kinds=()), "no kind of input"),
    ],
)
def test_what_cannot_be_is_refused(make, says):
    with pytest.raises(ValueError, match=says):
        make()
