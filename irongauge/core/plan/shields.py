"""A shield as it is planned against the ohms that the Bench read of it: drained at the controller's end, and nowhere else."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.quantities import Mark

__all__ = ["Drain", "ShieldCheck", "check_shield", "drain_read", "drain_said"]

_DRAINED_BELOW_OHM = 20.0  # from there to battery negative, with the wire and its joints
_LIFTED_FROM_OHM = 1000.0  # what a shield that is drained nowhere else reads at least, damp connectors included


class Drain(StrEnum):
    """Where a shield is grounded."""

    CONTROLLER = "at the controller"
    SENSOR = "at the sensor"
    BOTH = "at both ends"
    NOWHERE = "nowhere"


@dataclass(frozen=True)
class ShieldCheck:
    """What is said of a shield, and what to do."""

    mark: Mark
    sentence: str


def drain_said(text: str) -> Drain | None:
    """Where a list of wires says that a shield is drained; None where it does not say it.

    >>> drain_said("drained at the controller")
    <Drain.CONTROLLER: 'at the controller'>
    """
    words = text.lower()
    if "both" in words or ("controller" in words and "sensor" in words):
        return Drain.BOTH
    if "nowhere" in words or "open" in words or "floating" in words:
        return Drain.NOWHERE
    if "sensor" in words:
        return Drain.SENSOR
    return Drain.CONTROLLER if "controller" in words or "module" in words else None


def drain_read(as_wired_ohm: float | None, lifted_ohm: float | None) -> Drain | None:
    """Where a shield is grounded by its ohms to battery negative, as wired and with its drain at the controller lifted.

    Ohms over the meter's range are infinite; None where one that is needed was not read, or is neither low nor high.
    """
    if as_wired_ohm is None:
        return None
    if as_wired_ohm >= _LIFTED_FROM_OHM:
        return Drain.NOWHERE
    if lifted_ohm is None or as_wired_ohm > _DRAINED_BELOW_OHM:
        return None
    if lifted_ohm >= _LIFTED_FROM_OHM:
        return Drain.CONTROLLER
    return Drain.BOTH if lifted_ohm <= _DRAINED_BELOW_OHM else None


def check_shield(said: Drain | None, read: Drain | None) -> ShieldCheck:
    """The list against the Bench. Right is the controller's end alone, whatever the list says."""
    if read is None and said in {None, Drain.CONTROLLER}:
        planned = "" if said is None else "Planned right, drained at the controller. "
        return ShieldCheck(Mark.NOT_MEASURED, f"{planned}Its ohms to ground tell, as wired and with the drain lifted.")
    where = said if read is None else read
    source = "the list" if read is None else "its ohms"
    if where is not Drain.CONTROLLER:
        do = "Drain it at the controller." if where is Drain.NOWHERE else "Lift it at the sensor’s end."
        return ShieldCheck(Mark.FAIL, f"By {source} it is grounded {where}. {do}")
    if said not in {None, read}:
        return ShieldCheck(Mark.UNDECIDED, f"Its ohms are right, and the list says {said}: change the list.")
    return ShieldCheck(Mark.PASS, "Drained at the controller only, as its ohms show.")
