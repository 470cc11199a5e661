"""What to do next, and when to stop: what a check costs, what it is worth, and how far the answer stands.

A check is worth the information it is expected to bring, per minute. Minutes are what the trade takes for it, with those
for a change of state (connector, battery cable, stimulus) from what was done last, and with a surcharge for risk.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.diagnosis.circuit_under_test import (
    DRIVEN_FROM_V,
    REFERENCE,
    RETURN,
    SIGNAL,
    CircuitUnderTest,
)
from irongauge.core.diagnosis.family_rules import rules_of
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY, SURE, Standing
from irongauge.core.diagnosis.proof import missing_proofs
from irongauge.core.diagnosis.ranked import Group
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.sample_sets import resolved
from irongauge.core.diagnosis.session import Session

__all__ = [
    "Choice",
    "Stand",
    "Standing",
    "State",
    "choices",
    "cost_min",
    "next_test",
    "required",
    "role_points_of",
    "stand",
    "state_of",
]

_HANDLING_MIN = 1.5  # to put the probes on, read, and write down
_LEAST_GAIN_NATS = 0.004  # less is the scatter of its estimate
_STOP_AT = 0.98  # asking goes on to here, so that what is said from `SURE` on holds
# Standard deviations by which the readings together may be farther from the best explanation than its own would be: beyond the
# first the farthest is read once more, beyond the second nothing is said for sure.
_SURPRISED, _TOO_SURPRISED = 5.0, 8.0
_LEAST_READINGS = 5  # before any verdict: what the model finds needless is what catches it where it is wrong


class State(StrEnum):
    """What the vehicle and the connector must be in for a check."""

    UNPLUGGED = "key on, connector off"
    PLUGGED = "key on, connector on"
    TURNING = "turning, connector on"
    TURNING_LOOSE = "turning, connector off"
    BATTERY_OFF = "battery off, connector off"
    SHARERS_OFF = "key on, other sensors unplugged"
    LOOSE = "sensor in the hand"


_STATE = {
    "battery_v": State.UNPLUGGED, "open_v": State.UNPLUGGED, "lamp_negative": State.UNPLUGGED,
    "lamp_positive": State.UNPLUGGED, "live": State.UNPLUGGED, "off_ohm": State.BATTERY_OFF,
    "sharers_off_v": State.SHARERS_OFF, "mated_v": State.PLUGGED, "mated_live": State.PLUGGED, "mated_dc": State.PLUGGED,
    "return_drop": State.PLUGGED, "rotating": State.TURNING, "running": State.PLUGGED, "running_live": State.PLUGGED,
    "loop_ma": State.PLUGGED, "way_v": State.PLUGGED,
    "counted": State.TURNING, "ac_mated": State.TURNING, "ac_loose": State.TURNING_LOOSE, "ring": State.TURNING_LOOSE,
    "polarity": State.LOOSE, "sensor_ohm": State.LOOSE, "coil_ohm": State.LOOSE, "leg_ohm": State.LOOSE,
    "loop_ohm": State.LOOSE, "thermo_mv": State.LOOSE, "wire_ohm": State.BATTERY_OFF, "shield_ohm": State.BATTERY_OFF,
}  # fmt: skip
# Minutes to get into a state from another.
_ENTER_MIN = {
    State.UNPLUGGED: 0.5, State.PLUGGED: 0.5, State.TURNING: 2.0, State.TURNING_LOOSE: 2.0, State.BATTERY_OFF: 1.5,
    State.SHARERS_OFF: 4.0, State.LOOSE: 0.5,
}  # fmt: skip
# Minutes on top: a lamp or a jumper to clip on, wires to lift at the controller.
_EXTRA_MIN = {
    "lamp_negative": 0.3, "lamp_positive": 0.5, "live": 0.3, "ring": 2.0, "wire_ohm": 2.0, "shield_ohm": 1.0, "running": 0.5,
    "loop_ma": 1.5, "way_v": 2.0,
}  # fmt: skip
_STIMULUS_MIN = 0.7  # pump up, let it settle


# Some faults read much alike until one check is made; it is asked for however sure the answer seems.
_BORNE_OUT_BY = {
    "reference_short_ground": ("sharers_off_v", "off_ohm"), "reference_wrong": ("sharers_off_v", "off_ohm"),
    "sharer_short": ("sharers_off_v",),
    "return_open": ("off_ohm",), "return_resistance": ("off_ohm",), "signal_short_ground": ("off_ohm",),
    "reference_open": ("off_ohm",), "signal_open": ("off_ohm",), "signal_live_channel": ("off_ohm",),
}  # fmt: skip


@dataclass(frozen=True)
class Choice:
    """A check that may come next, with the information it is expected to bring and what it takes."""

    role_point: RolePoint
    gain_nats: float
    minutes: float

    @property
    def worth(self) -> float:
        """What it tells for its time, in nats a minute."""
        return self.gain_nats / self.minutes


@dataclass(frozen=True)
class Stand:
    """How far the answer stands: the leading group, the one reading that it hangs on, those it leaves unexplained."""

    standing: Standing
    group: Group
    hangs_on: RolePoint | None
    unexplained: tuple[RolePoint, ...]
    choices: tuple[Choice, ...]


def state_of(role_point: RolePoint) -> State:
    """The state of the vehicle that a check needs."""
    return _STATE[role_point.kind]


def cost_min(role_point: RolePoint, last: RolePoint | None) -> float:
    """Minutes that a check takes after `last`."""
    minutes = _HANDLING_MIN + _EXTRA_MIN.get(role_point.kind, 0.0)
    if last is None or state_of(last) is not state_of(role_point):
        minutes += _ENTER_MIN[state_of(role_point)]
    if role_point.state in {"x2", "present", "closed"} and (last is None or last.state != role_point.state):
        minutes += _STIMULUS_MIN
    return minutes


def choices(
    session: Session,
    role_points: Sequence[RolePoint],
    last: RolePoint | None,
    without: RolePoint | None = None,
    *,
    doubting: bool = False,
) -> tuple[Choice, ...]:
    """The checks not taken yet, the one that brings most per minute first."""
    gains = session.gains(role_points, without, doubting=doubting)
    found = [Choice(role_point, gain, cost_min(role_point, last)) for role_point, gain in gains.items()]
    return tuple(sorted(found, key=lambda c: -c.worth))


def role_points_of(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check that can be done to a circuit of this family, the plug-in ones at each state that it has."""
    ways = (RolePoint("way_v", pin, place) for pin, places in subject.ways.items() for place, _ in places)
    return (*rules_of(subject.family).role_points(subject), *ways)


def required(subject: CircuitUnderTest, driven: Collection[str] = ()) -> tuple[RolePoint, ...]:
    """What must have been read before a circuit counts as good, whatever its probability: one proof after the other.

    `driven` are signals on which volts were found unplugged: such a wire is proved by pulling it down, any other by driving it.
    The ring of a coil sensor takes a scope; without one the circuit is proved, and said to be proved but for the ring.
    """
    return rules_of(subject.family).required(subject, driven)


def stand(session: Session, role_points: Sequence[RolePoint], last: RolePoint | None = None) -> Stand:
    """Where the diagnosis stands, and what should come next; no choices when it is settled or nothing would tell more."""
    unexplained = session.unexplained()
    left = [role_point for role_point in role_points if role_point not in session.taken]
    ordered = None
    if session.has_doubles:  # grouping by every check would solve every check for the pairs
        ordered = choices(session, left, last)
        left = [c.role_point for c in ordered]
    group = session.leading_group(left, SURE)
    is_sure = group.probability >= _STOP_AT
    hangs_on = session.hangs_on(group.faults) if is_sure else None
    if not is_sure or hangs_on is not None:
        if ordered is None or hangs_on is not None:
            ordered = choices(session, role_points, last, hangs_on)
        useful = tuple(c for c in ordered if c.gain_nats > _LEAST_GAIN_NATS)
        if useful:
            return Stand(Standing.OPEN, group, hangs_on, unexplained, useful)
    elif left and _wants_more(session, group, role_points):
        proofs = _proofs(session, group, role_points)
        ordered = choices(session, tuple(proofs or left), last, doubting=True)
        return Stand(Standing.OPEN, group, None, unexplained, ordered)
    return _nothing_left(session, group, unexplained, hangs_on, last)


def _nothing_left(
    session: Session,
    group: Group,
    unexplained: tuple[RolePoint, ...],
    hangs_on: RolePoint | None,
    last: RolePoint | None,
) -> Stand:
    """Where no new check would tell more: one is read once more, or this is what there is to say."""
    again = _once_more(session, group, unexplained)
    if again is not None:
        once_more = choices(session, [again], last, again, doubting=True)
        return Stand(Standing.OPEN, group, None if again in unexplained else again, unexplained, once_more)
    surprise, farthest = session.surprise(unexplained)
    if surprise > _SURPRISED and farthest is not None and session.unconfirmed([farthest]):
        once_more = choices(session, [farthest], last, farthest, doubting=True)
        return Stand(Standing.OPEN, group, None, (*unexplained, farthest), once_more)
    if surprise > _TOO_SURPRISED and farthest is not None:
        return Stand(Standing.CONTRADICTS, group, hangs_on, (farthest, *unexplained), ())
    if group.probability >= SURE and _may_be_slips(session, unexplained):
        return Stand(Standing.SETTLED if _is_one(group) else Standing.GROUPED, group, hangs_on, unexplained, ())
    return Stand(Standing.CONTRADICTS if unexplained else Standing.GROUPED, group, hangs_on, unexplained, ())


def _once_more(session: Session, group: Group, unexplained: Sequence[RolePoint]) -> RolePoint | None:
    """What is read once more before anything is said: what would be left to a slip, or what alone makes the leader lead."""
    doubtful = session.unconfirmed(unexplained)
    if doubtful and group.probability >= _STOP_AT:
        return doubtful[0]
    leader = group.members[0]
    role_point = None if leader.probability >= SURE else session.hangs_on([leader.fault])
    if role_point is None:
        return None
    left = next(r.probability for r in session.ranking(role_point) if r.fault == leader.fault)
    return role_point if left < leader.probability / 2 else None


def _wants_more(session: Session, group: Group, role_points: Sequence[RolePoint]) -> bool:
    """True while a sure answer still lacks the proofs of a good circuit, or the few readings that any verdict needs."""
    if len(session.taken) < _LEAST_READINGS:
        return True
    return bool(_proofs(session, group, role_points))


def _proofs(session: Session, group: Group, role_points: Sequence[RolePoint]) -> set[RolePoint]:
    """What a sure answer must still be borne out by: a good circuit's proofs, or the check that the trade makes first."""
    leader, assignment = group.faults[0], session.assignment()
    places = {
        resolved(role_point, assignment): role_point for role_point in role_points
    }  # by role, as proofs are written
    taken = {resolved(role_point, assignment) for role_point in session.taken}
    if leader == HEALTHY:
        wanted = set(required(session.subject, _driven(session, assignment)))
    else:
        wanted = {point for point in places if _bears_out(point, leader)}
        lacking = missing_proofs(session.subject, leader, taken, places)
        if lacking:  # what feeds a part before the part: one proof after the other
            wanted |= {point for group in lacking[0].any_of for point in group}
    return {places[role_point] for role_point in wanted if role_point in places and role_point not in taken}


def _driven(session: Session, assignment: Mapping[str, str]) -> frozenset[str]:
    """Signals on which volts were found unplugged."""
    return frozenset(
        real.pin
        for role_point, answer in session.taken.items()
        if (real := resolved(role_point, assignment)).kind == "open_v"
        and isinstance(volts := answer.get("v"), float)
        and volts > DRIVEN_FROM_V
    )


def _bears_out(role_point: RolePoint, leader: str) -> bool:
    """True for the check that the trade makes to bear a fault out."""
    kinds = {kind for fault in leader.split(DOUBLE_JOIN) for kind in _BORNE_OUT_BY.get(fault, ())}
    if role_point.kind not in kinds or role_point.pin not in {REFERENCE, RETURN, SIGNAL}:
        return False
    return role_point.kind == "sharers_off_v" or leader.startswith(role_point.pin)


def next_test(session: Session, role_points: Sequence[RolePoint], last: RolePoint | None = None) -> RolePoint | None:
    """The check to make next where each can be made once only; None when the answer stands or nothing would tell more."""
    now = stand(session, role_points, last)
    return next((c.role_point for c in now.choices if c.role_point not in session.taken), None)


def _may_be_slips(session: Session, unexplained: Sequence[RolePoint]) -> bool:
    """True where all that a verdict leaves unexplained may be slips: one in a dozen readings, and none that decides.

    What bears the leader out speaks against it, and for good, when it came out otherwise twice.
    """
    if len(unexplained) > 1 + len(session.taken) // 12:
        return False
    leader, assignment = session.ranking()[0].fault, session.assignment()
    doubtful = session.unconfirmed(unexplained)
    return not any(_bears_out(resolved(point, assignment), leader) for point in unexplained if point not in doubtful)


def _is_one(group: Group) -> bool:
    """True when the group is healthy with what no reading would ever show, or one fault by far."""
    return group.faults[0] == HEALTHY or len(group.members) == 1 or group.members[0].probability >= SURE
