"""Which principle a speed sensor works on, from the wires and what a meter shows between them; and when it is a fault instead."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Mark
from irongauge.core.sensors.families import LOW_BELOW_V, ONE_TO_TWO

__all__ = ["Looks", "Principle", "PrincipleFound", "candidates", "find_principle"]

_SUPPLIED_V = 1.0  # less is no supply
_STATES_APART_V = 1.0  # of a switch's two resting states
_LEVELS_APART_V = 0.2  # of a current sensor's two levels over its shunt, at least
_AC_V = 0.05  # of its own while it turns: less is pick-up
_COIL_OHM = (50.0, 10_000.0)  # between which speed sensors' coils are wound
_TWO_WIRES = 2  # a coil, a current sensor, a switch; others have three
_SHORT_OHM = 10.0  # a coil's own wire has more


class Principle(StrEnum):
    """How a speed sensor makes its pulses."""

    RELUCTANCE = "reluctance"
    SWITCHING = "Hall or optical"
    CONTACT = "reed contact"
    CURRENT = "two-wire current"
    UNCLEAR = "unclear"


@dataclass(frozen=True, kw_only=True)
class PrincipleFound:
    """The principle, why, whether a conditioner is needed, whether a pull-up is, and whether there is one too many.

    `fault` names what is wrong with the sensor or its supply, in a few words.
    """

    principle: Principle
    reason: str
    needs_conditioner: bool = False
    needs_pull_up: bool = False
    one_too_many: bool = False
    fault: str = ""

    @property
    def mark(self) -> Mark:
        """A fault, a pull-up too few or too many fails; a principle that the looks leave unclear is undecided."""
        if self.fault or self.one_too_many or self.needs_pull_up:
            return Mark.FAIL
        return Mark.UNDECIDED if self.principle is Principle.UNCLEAR else Mark.PASS


@dataclass(frozen=True, kw_only=True)
class Looks:
    """What was looked at; None where it was not.

    `low_v` and `high_v` are the two states that the signal rests in as the ring is turned slowly, `ac_v` what alternates while it
    turns. `coil_ohm` is read between the two wires, unplugged, infinite where the meter shows over range.
    """

    wires: int
    supply_v: float | None = None
    low_v: float | None = None
    high_v: float | None = None
    ac_v: float | None = None
    coil_ohm: float | None = None

    @property
    def has_states(self) -> bool:
        """True where the signal was found at two levels."""
        return self.low_v is not None and self.high_v is not None and self.high_v - self.low_v > _STATES_APART_V

    @property
    def is_supplied(self) -> bool:
        """True where volts were found at its supply."""
        return self.supply_v is not None and self.supply_v > _SUPPLIED_V

    @property
    def makes_ac(self) -> bool:
        """True where it was found to make a voltage of its own."""
        return self.ac_v is not None and self.ac_v > _AC_V


def find_principle(looks: Looks, *, input_takes_sine: bool = False) -> PrincipleFound:
    """Which principle, and what is wrong where the looks say so."""
    found = _of_two(looks, input_takes_sine=input_takes_sine) if looks.wires == _TWO_WIRES else _of_three(looks)
    if found is not None:
        return found
    reason = "The looks do not agree, or one is missing. Count the wires, turn the ring slowly with the supply on, then fast."
    return PrincipleFound(principle=Principle.UNCLEAR, reason=reason)


def _of_three(looks: Looks) -> PrincipleFound | None:
    if looks.supply_v is not None and not looks.is_supplied:
        reason = (
            f"The supply at the plug is {looks.supply_v:.2g} V: a Hall or optical sensor cannot give pulses without one. Find "
            "the supply first (fuse, controller, wire, ground)."
        )
        return PrincipleFound(principle=Principle.SWITCHING, reason=reason, fault="no supply")
    if looks.is_supplied and looks.has_states:
        assert looks.low_v is not None
        reason = (
            f"Three wires, {looks.supply_v:.3g} V supply, and two resting states of {looks.low_v:.2g} and {looks.high_v:.3g} "
            "V."
        )
        too_many = looks.low_v > LOW_BELOW_V
        if too_many:
            reason += f" The low one lies above {LOW_BELOW_V} V: two pull-ups, or a bad ground."
        return PrincipleFound(principle=Principle.SWITCHING, reason=reason, one_too_many=too_many)
    if looks.is_supplied and looks.high_v is not None and looks.high_v < 0.5 and not looks.makes_ac:  # noqa: PLR2004
        reason = "Three wires and a supply, but the signal never rises: an open collector without a pull-up."
        return PrincipleFound(principle=Principle.SWITCHING, reason=reason, needs_pull_up=True)
    return None


def _of_two(looks: Looks, *, input_takes_sine: bool) -> PrincipleFound | None:
    return _by_states(looks) or _by_coil(looks, input_takes_sine=input_takes_sine)


def _by_states(looks: Looks) -> PrincipleFound | None:
    """Two wires by the two states that they rest in."""
    if looks.low_v is not None and looks.high_v is not None and looks.low_v > 0:
        is_current = ONE_TO_TWO[0] < looks.high_v / looks.low_v < ONE_TO_TWO[1] and not looks.makes_ac
        if is_current:
            reason = (
                f"Two wires whose signal rests at {looks.low_v:.2g} and {looks.high_v:.2g} V, as 1 to 2: a supplied sensor that "
                "draws 7 or 14 mA, read over a shunt. It needs no pull-up, and its ohms say nothing."
            )
            return PrincipleFound(principle=Principle.CURRENT, reason=reason)
    if looks.has_states:
        reason = (
            f"Two wires that rest at {looks.low_v:.2g} and {looks.high_v:.3g} V: a contact to ground, pulled up by the input."
            ""
        )
        too_many = looks.low_v is not None and looks.low_v > LOW_BELOW_V
        fault = "contact does not close" if too_many else ""
        if too_many:
            reason += f" Closed, it should rest below {LOW_BELOW_V} V: a worn contact, or a bad ground."
        return PrincipleFound(principle=Principle.CONTACT, reason=reason, fault=fault)
    return None


def _by_coil(looks: Looks, *, input_takes_sine: bool) -> PrincipleFound | None:
    """Two wires by their ohms, and by what they give while the ring turns."""
    ohm = looks.coil_ohm
    if looks.makes_ac or (ohm is not None and _COIL_OHM[0] < ohm < _COIL_OHM[1]):
        seen = (
            f"{ohm:.0f} Ω between them"
            if ohm is not None
            else f"{looks.ac_v:.2g} V alternating of its own while it turns"
        )
        return PrincipleFound(
            principle=Principle.RELUCTANCE,
            reason=f"Two wires and {seen}: a coil.",
            needs_conditioner=not input_takes_sine,
        )
    if ohm is None:
        return None
    if ohm < _SHORT_OHM:
        reason = (
            f"{ohm:.2g} Ω between the two wires: a shorted coil, or a reed contact that is closed. Turn the ring by a tooth: "
            "only a contact opens."
        )
        return PrincipleFound(principle=Principle.UNCLEAR, reason=reason, fault="shorted coil or closed contact")
    if math.isinf(ohm) or ohm >= _COIL_OHM[1]:
        reason = (
            "No current passes between the two wires: an open coil, an open reed contact, or a current sensor, whose ohms say "
            "nothing. Turn the ring by a tooth with the ohmmeter on: a contact closes. Then look at both levels plugged in: a "
            "current sensor rests at 1 to 2."
        )
        return PrincipleFound(principle=Principle.UNCLEAR, reason=reason)
    return None


def candidates(looks: Looks) -> dict[Principle, str]:
    """The four principles, each with what rules it out; empty where nothing that was looked at does."""
    two = looks.wires == _TWO_WIRES
    count = "two wires" if two else f"{looks.wires} wires"
    ohm, low_v, high_v = looks.coil_ohm, looks.low_v, looks.high_v
    coil = switching = contact = current = ""
    if not two:
        coil = contact = current = f"{count}: it has two"
    else:
        switching = "two wires: it has three, one of them a supply"
        if low_v is not None and high_v is not None and high_v - low_v > _LEVELS_APART_V:
            # A meter on alternating volts shows something of a square wave too: levels at rest say more.
            ratio = math.inf if low_v <= 0 else high_v / low_v
            if not looks.makes_ac:
                coil = "rests at two levels: a coil gives nothing at rest"
            if ONE_TO_TWO[0] < ratio < ONE_TO_TWO[1] and not looks.has_states:
                contact = "rests at 1 to 2: a closed contact rests near 0 V"
            elif not ONE_TO_TWO[0] < ratio < ONE_TO_TWO[1]:
                current = "its levels are not as 1 to 2"
        elif looks.makes_ac:
            contact = f"{looks.ac_v:.2g} V of its own while it turns: a contact makes none"
            current = f"{looks.ac_v:.2g} V of its own while it turns: it swings about 0"
        if not looks.has_states and ohm is not None and _COIL_OHM[0] < ohm < _COIL_OHM[1]:
            contact = contact or f"{ohm:.0f} Ω between them: a contact is open or shorted"
    return {
        Principle.RELUCTANCE: coil,
        Principle.SWITCHING: switching,
        Principle.CONTACT: contact,
        Principle.CURRENT: current,
    }
