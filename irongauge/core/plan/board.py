"""The input board: what stands on each pin of a vehicle's modules, and what is wrong there.

A function is something that is read: a sensor's signal, a push button. It may be assigned to a pin or to none yet. Conflicts
are told, never refused: the wiring that is met on a vehicle is as it is.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from types import MappingProxyType
from uuid import UUID

from irongauge.core.plan.modules import FittedModule, ModulePin, PinKind, PullUpFitted

__all__ = [
    "Conflict",
    "ConflictKind",
    "Function",
    "PinAt",
    "PinState",
    "PinView",
    "PullUpNeed",
    "board_of",
    "conflicts_on",
    "is_lifted",
    "may_share",
]

_DOUBTFUL_SHARE = 1.02  # of an input's greatest volts: a reference of 5.0 V is met at 5.1 V


class PullUpNeed(StrEnum):
    """Whether a function needs a resistor to a supply on its wire."""

    NEEDED = "needs a pull-up"
    UNWANTED = "without pull-up"
    EITHER = "either"


@dataclass(frozen=True, order=True)
class PinAt:
    """A pin of a module in the vehicle."""

    module_uid: UUID
    pin: str


@dataclass(frozen=True, kw_only=True)
class Function:
    """Something that is read. `kinds` are the pins that can read it, the best first.

    `most_v` is the greatest volts that it puts on its wire; `own_pull_up_ohm` a resistor to a supply that sits in the harness or
    the sensor. One that is not `in_use` may be freed; one that is not `movable` stays where it is. `pull_up_on` says whether a
    switchable pull-up of its pin is on. A reserved one is planned, not wired.

    Functions with the same words in `shares` may stand on one input, such as switches of which any one is to be seen. One with
    two `inputs` is read by two at once, the second at `also_at`, with its switch `also_on`.
    """

    uid: UUID
    name: str
    kinds: tuple[PinKind, ...]
    pull_up: PullUpNeed = PullUpNeed.EITHER
    most_v: float = 5.0
    own_pull_up_ohm: float | None = None
    at: PinAt | None = None
    pull_up_on: bool = False
    in_use: bool = True
    movable: bool = True
    reserved: bool = False
    circuit_uid: UUID | None = None
    shares: str = ""
    inputs: int = 1
    also_at: PinAt | None = None
    also_on: bool = False

    @property
    def stands_at(self) -> tuple[PinAt, ...]:
        """The inputs that it is on."""
        return tuple(at for at in (self.at, self.also_at) if at is not None)

    @property
    def legs(self) -> tuple[Function, ...]:
        """The function as it stands on each of its inputs."""
        if self.also_at is None:
            return (self,)
        second = replace(self, at=self.also_at, pull_up_on=self.also_on, also_at=self.at, also_on=self.pull_up_on)
        return (self, second)

    def __post_init__(self) -> None:
        if not self.kinds:
            msg = f"{self.name} is read by no kind of input"
            raise ValueError(msg)
        if self.inputs not in {1, 2} or (
            self.also_at is not None and (self.inputs == 1 or self.at in {None, self.also_at})
        ):
            msg = f"{self.name} is read by one input or by two different ones"
            raise ValueError(msg)
        if self.own_pull_up_ohm is not None and self.own_pull_up_ohm <= 0:
            msg = f"the pull-up of {self.name} has positive ohms"
            raise ValueError(msg)


class PinState(StrEnum):
    """How a pin stands."""

    FREE = "free"
    USED = "used"
    RESERVED = "reserved"
    CONFLICT = "in conflict"


class ConflictKind(StrEnum):
    """What can be wrong on a pin."""

    SHARED = "two functions on one input"
    HALF = "second input missing"
    WRONG_KIND = "wrong kind of input"
    PULL_UP_MISSING = "pull-up missing"
    PULL_UP_DOUBLED = "two pull-ups"
    PULL_UP_UNWANTED = "pull-up not wanted"
    TOO_MANY_VOLTS = "too many volts"


@dataclass(frozen=True)
class Conflict:
    """One thing that is wrong, in a sentence with its numbers, and what to do."""

    kind: ConflictKind
    sentence: str
    do: str


@dataclass(frozen=True)
class PinView:
    """A pin of the board with what stands on it."""

    at: PinAt
    pin: ModulePin
    functions: tuple[Function, ...]
    conflicts: tuple[Conflict, ...]

    @property
    def state(self) -> PinState:
        """What stands on the pin, the worst first."""
        if self.conflicts:
            return PinState.CONFLICT
        if not self.functions:
            return PinState.FREE
        return PinState.RESERVED if all(function.reserved for function in self.functions) else PinState.USED


def board_of(modules: Sequence[FittedModule], functions: Sequence[Function]) -> tuple[PinView, ...]:
    """Every pin of every module, in their order, with its functions and conflicts."""
    on_pin: dict[PinAt, list[Function]] = defaultdict(list)
    pins = {PinAt(module.uid, pin.name): pin for module in modules for pin in module.type.pins}
    lifted: dict[
        tuple[UUID, PinAt], ModulePin
    ] = {}  # a function on a pin, and the pin of its other input that lifts it
    for function in functions:
        for leg in function.legs:
            if leg.at is not None:
                on_pin[leg.at].append(leg)
        for leg, other in zip(function.legs, reversed(function.legs), strict=True):
            if (
                function.also_at is not None
                and leg.at is not None
                and other.at in pins
                and is_lifted(pins[other.at], other)
            ):
                lifted[function.uid, leg.at] = pins[other.at]
    return tuple(
        PinView(
            at, pin, found, conflicts_on(pin, found, {f.uid: lifted[f.uid, at] for f in found if (f.uid, at) in lifted})
        )
        for at, pin in pins.items()
        for found in [tuple(on_pin.get(at, ()))]
    )


def is_lifted(pin: ModulePin, function: Function) -> bool:
    """True where a pin's own resistor is on the function's wire."""
    return pin.pull_up is PullUpFitted.FIXED or (pin.pull_up is PullUpFitted.SWITCHABLE and function.pull_up_on)


def may_share(functions: Sequence[Function]) -> bool:
    """True where all of them may stand on one input: they share it by name, need it alike, and bring no resistors."""
    first = functions[0]
    return bool(first.shares) and all(
        (f.shares, f.pull_up, f.own_pull_up_ohm, f.inputs) == (first.shares, first.pull_up, None, 1) for f in functions
    )


def conflicts_on(
    pin: ModulePin, functions: Sequence[Function], lifted: Mapping[UUID, ModulePin] = MappingProxyType({})
) -> tuple[Conflict, ...]:
    """What is wrong with these functions on this pin; `lifted` are those that their other input lifts, with that one."""
    found: list[Conflict] = []
    if len(functions) > 1 and not may_share(functions):
        names = ", ".join(function.name for function in functions)
        found.append(
            Conflict(
                ConflictKind.SHARED, f"{names} stand on one input.", "Move all but one: each reads the other’s signal."
            )
        )
    for function in functions:
        found += _misfits(pin, function, lifted.get(function.uid))
    return tuple(found)


def _misfits(pin: ModulePin, function: Function, lifts: ModulePin | None) -> list[Conflict]:
    found = []
    name = function.name
    if pin.kind not in function.kinds:
        wanted = " or ".join(function.kinds)
        found.append(
            Conflict(
                ConflictKind.WRONG_KIND,
                f"{name} needs {wanted}; this pin is {pin.kind}.",
                f"Move it to a pin that is {wanted}.",
            )
        )
        return found
    if pin.most_v is not None and function.most_v > pin.most_v * _DOUBTFUL_SHARE:
        found.append(
            Conflict(
                ConflictKind.TOO_MANY_VOLTS,
                f"{name} gives up to {function.most_v:g} V; this input takes {pin.most_v:g} V.",
                "It may be damaged: use a divider, or another input.",
            )
        )
    inside = is_lifted(pin, function)
    if function.inputs > 1 and function.also_at is None:
        found.append(
            Conflict(ConflictKind.HALF, f"{name} is read by two inputs, and stands on one.", "Put it on a second one.")
        )
    if inside and lifts is not None:
        found.append(
            Conflict(
                ConflictKind.PULL_UP_DOUBLED,
                f"{name} is lifted by the {pin.pull_up_ohm:g} Ω here and by the {lifts.pull_up_ohm:g} Ω of {lifts.name}.",
                "Switch one of them off."
                if PullUpFitted.SWITCHABLE in {pin.pull_up, lifts.pull_up}
                else "Use an input without.",
            )
        )
    if function.pull_up is PullUpNeed.NEEDED and not inside and function.own_pull_up_ohm is None and lifts is None:
        switch = (
            f"Switch on the input’s {pin.pull_up_ohm:g} Ω."
            if pin.pull_up is PullUpFitted.SWITCHABLE
            else "Fit a resistor from the signal to its supply, or use an input that has one."
        )
        found.append(Conflict(ConflictKind.PULL_UP_MISSING, f"{name} needs a pull-up, and none is there.", switch))
    if inside and pin.pull_up_ohm is not None:
        if function.own_pull_up_ohm is not None:
            both_ohm = 1 / (1 / pin.pull_up_ohm + 1 / function.own_pull_up_ohm)
            found.append(
                Conflict(
                    ConflictKind.PULL_UP_DOUBLED,
                    f"{name} brings {function.own_pull_up_ohm:g} Ω and the input has {pin.pull_up_ohm:g} Ω: together "
                    f"{both_ohm:.4g} Ω.",
                    "Take the resistor out of the harness"
                    + (", or switch the input’s off." if pin.pull_up is PullUpFitted.SWITCHABLE else "."),
                )
            )
        elif function.pull_up is PullUpNeed.UNWANTED:
            found.append(
                Conflict(
                    ConflictKind.PULL_UP_UNWANTED,
                    f"{name} drives its own signal; the input’s {pin.pull_up_ohm:g} Ω to {pin.pull_up_v:g} V lifts it.",
                    "Switch it off." if pin.pull_up is PullUpFitted.SWITCHABLE else "Use an input without one.",
                )
            )
    return found
