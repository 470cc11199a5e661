"""Proof before blame: which direct readings clear or convict which part of a circuit.

A part is named only when a direct reading of it convicts it and direct readings of what feeds it clear that: the reference at
the connector with the sensor plugged in or under the lamp; the return under load; the signal wire; what the controller shows
against the pin; the sensor's own volts at the pin. One table says which readings are direct for what, and one which of them
belong to each fault, in the order in which they are taken.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from irongauge.core.diagnosis.circuit_under_test import MINUS, PLUS, REFERENCE, RETURN, SIGNAL, CircuitUnderTest
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, words_of
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.sensors.families import Family

__all__ = ["DirectProof", "direct_proofs", "missing_proofs"]


@dataclass(frozen=True)
class DirectProof:
    """What is proved, in words for people, and the readings of which any one proves it. A group has to be whole."""

    of: str
    any_of: tuple[tuple[RolePoint, ...], ...]

    def is_there(self, taken: Collection[RolePoint]) -> bool:
        """True once one of its groups was read whole."""
        return bool(self.read_of(taken))

    def read_of(self, taken: Collection[RolePoint]) -> tuple[RolePoint, ...]:
        """The first group that was read whole, and with plugged-in readings the same at every stimulus; empty where none was."""
        whole = [group for group in self.any_of if all(point in taken for point in group)]
        if not whole or whole[0][0].kind != "mated_v":
            return whole[0] if whole else ()
        kinds = [point.kind for point in whole[0]]
        return tuple(point for group in whole if [p.kind for p in group] == kinds for point in group)


def _single(*points: RolePoint) -> tuple[tuple[RolePoint, ...], ...]:
    return tuple((point,) for point in points)


def _reference(subject: CircuitUnderTest) -> DirectProof:
    plugged = [RolePoint("mated_v", REFERENCE, state) for state in subject.states]
    return DirectProof("reference under load", _single(*plugged, RolePoint("lamp_negative", REFERENCE)))


def _reference_plugged(subject: CircuitUnderTest) -> DirectProof:
    plugged = [RolePoint("mated_v", REFERENCE, state) for state in subject.states]
    return DirectProof("reference at the plugged-in connector", _single(*plugged))


def _return(subject: CircuitUnderTest) -> DirectProof:
    plugged = [RolePoint("mated_v", RETURN, state) for state in subject.states]
    return DirectProof(
        "return under load", _single(RolePoint("return_drop"), *plugged, RolePoint("lamp_positive", RETURN))
    )


def _wire(signal: str) -> DirectProof:
    loose = [RolePoint(kind, signal) for kind in ("open_v", "lamp_positive", "lamp_negative", "off_ohm")]
    drives = (
        "kilohm",
        "lamp_positive",
        "jumped_return",
        "jumped_battery",
        "unplugged",
    )  # the one that drives it says the most
    return DirectProof("signal wire by itself", _single(*(RolePoint("live", signal, d) for d in drives), *loose))


def _pin(subject: CircuitUnderTest, signal: str) -> DirectProof:
    plugged = [RolePoint("mated_v", signal, state) for state in subject.states]
    return DirectProof("volts at the sensor's own pin", _single(*plugged, RolePoint("rotating")))


def _follows(subject: CircuitUnderTest, signal: str) -> DirectProof:
    both = [(RolePoint("mated_v", signal, s), RolePoint("mated_live", signal, s)) for s in subject.states]
    return DirectProof("what the controller shows against the pin", tuple(both))


def direct_proofs(subject: CircuitUnderTest, fault: str) -> tuple[DirectProof, ...]:
    """The direct readings without which a fault is not named, in the order in which they are taken."""
    found: dict[str, DirectProof] = {}
    for one in fault.split(DOUBLE_JOIN):
        for proof in _proofs_of(subject, one):
            found[proof.of] = proof
    return tuple(found.values())


def _proofs_of(subject: CircuitUnderTest, fault: str) -> tuple[DirectProof, ...]:
    if subject.is_two_leg or subject.family is Family.FREQUENCY:
        return _of_two_legs(fault) if subject.family is Family.RELUCTANCE else ()
    signal = next((s for s in subject.signals if fault.startswith(f"{s}_")), SIGNAL)
    place = words_of(fault)[0].place
    if place == "sensor":
        return _of_sensor(subject, fault)
    unplugged = DirectProof("reference unplugged", _single(RolePoint("open_v", REFERENCE)))
    loose = _single(RolePoint("open_v", signal), RolePoint("live", signal, "unplugged"))
    if subject.is_loop:  # only ohms or a known current tell a shunt from no shunt
        loose = _single(RolePoint("off_ohm", signal), RolePoint("live", signal, "kilohm"))
    resistance = (_pin(subject, signal),) if fault.endswith("_resistance") else ()
    return {
        f"live.{signal}": (_follows(subject, signal),),
        f"input.{signal}": (DirectProof("signal unplugged", loose),),
        f"wire.{REFERENCE}": (unplugged, _reference(subject)),
        f"wire.{RETURN}": (_return(subject),),
        f"wire.{signal}": (_wire(signal), *resistance),
        "feed": (unplugged,) if subject.has_reference else (),
        "cross": (DirectProof("two pins unplugged", _two_of_open(subject)),),
    }.get(place, ())


def _of_sensor(subject: CircuitUnderTest, fault: str) -> tuple[DirectProof, ...]:
    """The sensor is blamed last: what feeds it is cleared with the sensor plugged in, then its own pin convicts it."""
    if fault.startswith("thermistor"):
        signal = subject.signals[-1]
        loose = _single(RolePoint("sensor_ohm", signal))
        pins = DirectProof("the sensor itself", (*loose, *_pin(subject, signal).any_of))
        return (_wire(signal), pins)
    if subject.family is Family.SWITCH:
        return (_wire(SIGNAL), _pin(subject, SIGNAL))
    if subject.is_loop:
        in_loop = [RolePoint("loop_ma", "", state) for state in subject.states]
        pins = DirectProof("the sensor's own current", (*_single(*in_loop), *_pin(subject, SIGNAL).any_of))
        return (_reference_plugged(subject), _wire(SIGNAL), pins)
    return (_reference_plugged(subject), _return(subject), _wire(SIGNAL), _pin(subject, SIGNAL))


def _of_two_legs(fault: str) -> tuple[DirectProof, ...]:
    legs = tuple(RolePoint("off_ohm", leg) for leg in (PLUS, MINUS))
    kinds = {
        "coil_open": ("coil_ohm",), "coil_turns": ("coil_ohm",), "coil_reversed": ("polarity",),
        "gap_wide": ("coil_ohm", "ac_loose"),
    }  # fmt: skip
    said = {"coil_ohm": "resistance of the coil", "ac_loose": "AC of the coil by itself", "polarity": "polarity"}
    if fault in kinds:
        return tuple(DirectProof(said[kind], _single(RolePoint(kind))) for kind in kinds[fault])
    if fault == "coil_leg_ground":
        return (DirectProof("legs to the housing", _single(*(RolePoint("leg_ohm", leg) for leg in (PLUS, MINUS)))),)
    if fault.endswith(("_open", "_resistance")):
        return (DirectProof("both legs with the battery off", (legs,)),)
    return ()


def _two_of_open(subject: CircuitUnderTest) -> tuple[tuple[RolePoint, ...], ...]:
    opens = [RolePoint("open_v", pin) for pin in subject.pins]
    return tuple((a, b) for place, a in enumerate(opens) for b in opens[place + 1 :])


def missing_proofs(
    subject: CircuitUnderTest, fault: str, taken: Collection[RolePoint], available: Collection[RolePoint]
) -> tuple[DirectProof, ...]:
    """The proofs that a fault still lacks and that can be had; each with those of its readings that are not taken yet."""
    lacking = []
    for proof in direct_proofs(subject, fault):
        if proof.is_there(taken):
            continue
        groups = tuple(
            tuple(point for point in group if point not in taken)
            for group in proof.any_of
            if all(point in taken or point in available for point in group)
        )
        if groups:
            lacking.append(DirectProof(proof.of, groups))
    return tuple(lacking)
