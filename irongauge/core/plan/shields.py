"""A shield as it is planned against the ohms that the Bench read of it: drained at the controller's end, and nowhere else."""

from __future__ import annotations

import re
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


_ENDS = {
    Drain.CONTROLLER: re.compile(r"controller|module|\b(ecu|ecm|pcm|plc)\b|control unit"),
    Drain.SENSOR: re.compile(r"sensor|probe|pick-?up"),
}
_CLAUSES = re.compile(r"[,;/+&.]|\b(?:and|but|while)\b")
_OPEN = re.compile(
    r"\b(open|floating|floats|lifted|cut|insulated|isolated|free|nowhere|none|not|"
    r"un-?(?:drained|grounded|earthed|connected|terminated|bonded))\b"
)
_GROUNDED = re.compile(r"\b(drain\w*|ground\w*|earth\w*|bond\w*|connect\w*|terminat\w*|tied)\b")
_EVERYWHERE = re.compile(r"\bboth\b|\beach end\b")


@dataclass(frozen=True)
class ShieldCheck:
    """What is said of a shield, and what to do."""

    mark: Mark
    sentence: str


def drain_said(text: str) -> Drain | None:
    """Where a list of wires says that a shield is drained; None where it does not say it.

    Each clause tells of the end that it names.

    >>> drain_said("drained at the controller, open at the sensor")
    <Drain.CONTROLLER: 'at the controller'>
    """
    grounded: dict[Drain, bool] = {}
    here = True  # what the clause before said of its end holds until another verb comes
    for clause in _CLAUSES.split(text.lower()):
        here = not _OPEN.search(clause) if _OPEN.search(clause) or _GROUNDED.search(clause) else here
        named = [end for end, words in _ENDS.items() if words.search(clause)]
        if not named and (_EVERYWHERE.search(clause) or not here):
            named = [end for end in _ENDS if end not in grounded]
        grounded |= dict.fromkeys(named, here)
    at = {end for end, is_grounded in grounded.items() if is_grounded}
    if len(at) == 1:
        return at.pop()
    if at:
        return Drain.BOTH
    return Drain.NOWHERE if len(grounded) == len(_ENDS) else None


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
