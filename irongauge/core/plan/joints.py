"""How two wires are joined, and where a return goes: both schools of the trade, and which suits this place, with why."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

__all__ = ["Joint", "JointAdvice", "JointPlace", "ReturnAdvice", "advise_joint", "advise_return", "offset_error"]

_HOT_DEGC = 110.0  # adhesive sleeves soften above; solder creeps long before it melts


class Joint(StrEnum):
    """Two schools."""

    SOLDER = "solder, under an adhesive sleeve"
    CRIMP = "crimp"


@dataclass(frozen=True, kw_only=True)
class JointPlace:
    """Where a joint is to be made. `moves_together` is true where both wires are held in the same way."""

    moves_together: bool = True
    vibrates: bool = False
    hot_degc: float | None = None
    opened_later: bool = False


@dataclass(frozen=True)
class JointAdvice:
    """Which joint, why, and what the other school would say."""

    joint: Joint
    reasons: tuple[str, ...]
    other: str


def advise_joint(place: JointPlace, school: Joint | None = None) -> JointAdvice:
    """Which joint suits a place. A shop's own school wins; the reasons stay, for or against it."""
    against_solder = []
    if not place.moves_together:
        against_solder.append("one side is fixed and the other moves: the stiff end of a soldered wire breaks there")
    if place.vibrates:
        against_solder.append("vibration works at the edge where the solder ends")
    if place.hot_degc is not None and place.hot_degc > _HOT_DEGC:
        against_solder.append(f"{place.hot_degc:g} °C softens the sleeve and creeps the solder")
    if place.opened_later:
        against_solder.append("it will be opened again: use a connector, or a crimp that is cut out")
    suited = Joint.CRIMP if against_solder else Joint.SOLDER
    reasons = tuple(against_solder) or ("both wires move together, and a sealed soldered joint keeps damp out",)
    chosen = suited if school is None else school
    other = (
        "A crimp with its own tool would serve as well."
        if suited is Joint.SOLDER and chosen is Joint.SOLDER
        else "Crimped by this shop’s school; soldering would serve as well."
        if suited is Joint.SOLDER
        else "Soldered by this shop’s school, against these reasons: hold both sides so that they move together."
        if chosen is Joint.SOLDER
        else "Solder only where both sides are held alike."
    )
    return JointAdvice(chosen, reasons, other)


@dataclass(frozen=True)
class ReturnAdvice:
    """Where a return goes, why, and the error that the body would make, in the value's unit."""

    to: str
    why: str
    error: float | None


def offset_error(offset_v: float, span: float, span_v: float) -> float:
    """Error in the value's unit that volts between two grounds make: `V·span/span_v`.

    >>> round(offset_error(0.05, 1000.0, 4.0), 2)
    12.5
    """
    return offset_v * span / span_v


def advise_return(*, own_supply: bool, offset_v: float, span: float | None, span_v: float | None) -> ReturnAdvice:
    """The controller's sensor ground, unless the device has a supply of its own; with what the offset would cost."""
    error = None if span is None or span_v is None else offset_error(offset_v, span, span_v)
    if own_supply:
        return ReturnAdvice(
            "a clean stud on the engine, beside its own supply’s ground",
            "It has a supply of its own, whose current must not run through the controller’s sensor ground.",
            error,
        )
    return ReturnAdvice(
        "the controller’s sensor ground",
        "It shares the controller’s reference, so every millivolt between body and sensor ground would be an error.",
        error,
    )
