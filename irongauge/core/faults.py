"""From readings to likely causes: the decision table of a three-wire circuit.

A `Condition` is one question that the readings answer with yes, no or not yet; a `Rule` is a fault that stands when all
of its conditions are yes. A rule with a "no" is ruled out; one without is still possible. Both tables are data, each
row with its sentence, so that what is claimed can be read here in one place. Faults that these readings cannot tell
apart are one rule, named as such, with the inspection that would split them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from irongauge.core.actions import Action
from irongauge.core.case import BIAS_FROM_V, BenchCase
from irongauge.core.circuits import Role
from irongauge.core.quantities import Glow, Mark, Slot

__all__ = ["CONDITIONS", "RULES", "Condition", "Finding", "Rule", "consider"]

REF, RET, SIG = Role.REFERENCE, Role.RETURN, Role.SIGNAL
_SHORT_OHM = 50.0
_LOW_SHARE, _HIGH_SHARE = 0.05, 0.95  # of the reference: no healthy sensor signal lies outside these
_SAME_SIGNAL_SHARE = 0.1  # two signals this close, against what the stimuli should make, are one signal

Answered = bool | None
Marks = Mapping[Slot, Mark]
Question = Callable[[BenchCase, Marks], Answered]


@dataclass(frozen=True)
class Condition:
    """A question to the readings. `reads` names the (action, role) pairs it looks at; `says` completes "because …"."""

    code: str
    says: str
    reads: tuple[tuple[Action, Role | None], ...]
    holds: Question


@dataclass(frozen=True)
class Rule:
    """One fault, or a group that cannot be told apart: when it stands, where it is, what to do about it.

    `also_explains` names readings that it makes fail besides those its conditions look at; `before_going_on` is set
    where further readings would only show the same fault.
    """

    code: str
    title: str
    where: str
    when: tuple[str, ...]
    do: str
    also_explains: tuple[tuple[Action, Role | None], ...] = ()
    before_going_on: bool = False


@dataclass(frozen=True)
class Finding:
    """A rule that stands, with the reasons from the readings and the readings it accounts for."""

    rule: Rule
    because: str
    explains: frozenset[Slot]


def _volts(action: Action, role: Role, holds: Callable[[BenchCase, float], bool]) -> Question:
    def ask(case: BenchCase, _marks: Marks) -> Answered:
        volts = case.at(action, role)
        return None if volts is None else holds(case, volts)

    return ask


def _glow(action: Action, role: Role, *glows: Glow) -> Question:
    def ask(case: BenchCase, _marks: Marks) -> Answered:
        glow = case.glow_at(action, role)
        return None if glow is None else glow in glows

    return ask


def _marked(action: Action, role: Role | None, *wanted: Mark) -> Question:
    """True when the readings of that action include one of these marks; no while they are all of another."""

    def ask(case: BenchCase, marks: Marks) -> Answered:
        slots = _slots(case, action, role)
        found = [marks[slot] for slot in slots if slot in marks]
        if any(mark in wanted for mark in found):
            return True
        return False if found and len(found) == len(slots) else None

    return ask


def _slots(case: BenchCase, action: Action, role: Role | None) -> list[Slot]:
    """The slots that an action at a role has: one, or one for each stimulus."""
    if role is None:
        return [Slot(action, None, point) for point in case.points()]
    pin = case.pin_of(role)
    if pin is None:
        return []
    if action is Action.MATED_V and role is SIG:
        return [Slot(action, pin.cavity, point) for point in case.points()]
    return [Slot(action, pin.cavity)]


def _signal_share(low: float, high: float) -> Question:
    """True when every plugged-in signal read so far lies in this share of the reference."""

    def ask(case: BenchCase, _marks: Marks) -> Answered:
        shares = [
            (volts - (case.at(Action.MATED_V, RET) or 0.0)) / case.driven_reference_v
            for point in case.points()
            if (volts := case.at(Action.MATED_V, SIG, point)) is not None
        ]
        return all(low <= share < high for share in shares) if shares else None

    return ask


def _signal_errors(case: BenchCase) -> list[tuple[float, float]] | None:
    """(expected, measured) signal volts at each stimulus, or None until two or more are in."""
    curve, reference_v = case.circuit.sensor.curve, case.driven_reference_v
    return_v = case.at(Action.MATED_V, RET) or 0.0
    pairs = []
    for point in case.points():
        volts = case.at(Action.MATED_V, SIG, point)
        if volts is not None:
            pairs.append((curve.value_to_signal_v(case.stimulus_value(point), reference_v), volts - return_v))
    return pairs if len(pairs) > 1 else None


def _stuck(case: BenchCase, _marks: Marks) -> Answered:
    pairs = _signal_errors(case)
    if pairs is None:
        return None
    expected, measured = [e for e, _ in pairs], [m for _, m in pairs]
    wanted_v, seen_v = max(expected) - min(expected), max(measured) - min(measured)
    return wanted_v > 0 and seen_v < _SAME_SIGNAL_SHARE * wanted_v


def _constant_error(case: BenchCase, _marks: Marks) -> Answered:
    pairs = _signal_errors(case)
    if pairs is None:
        return None
    errors = [measured - expected for expected, measured in pairs]
    tolerance_v = (
        case.circuit.sensor.tolerance_pct_span / 100 * case.circuit.sensor.curve.span_v(case.driven_reference_v)
    )
    return max(errors) - min(errors) <= tolerance_v


def _one_stimulus(case: BenchCase, _marks: Marks) -> Answered:
    return _signal_errors(case) is None


def _has_pull_up(case: BenchCase, _marks: Marks) -> Answered:
    return case.circuit.pull_up is not None


def _inverted(code: str) -> Question:
    def ask(case: BenchCase, marks: Marks) -> Answered:
        answer = CONDITIONS[code].holds(case, marks)
        return None if answer is None else not answer

    return ask


_OPEN, _MATED = Action.OPEN_V, Action.MATED_V
_CONDITION_TABLE = (
    Condition("ref_absent", "the reference is missing unplugged", ((_OPEN, REF),),
              _volts(_OPEN, REF, lambda c, v: v < c.limits.absent_v)),
    Condition("ref_low", "the reference is low unplugged", ((_OPEN, REF),),
              _volts(_OPEN, REF, lambda c, v: c.limits.absent_v <= v < c.reference_window().low)),
    Condition("ref_absent_or_low", "the reference is low or missing unplugged", ((_OPEN, REF),),
              _volts(_OPEN, REF, lambda c, v: v < c.reference_window().low)),
    Condition("ref_good", "the reference is right unplugged", ((_OPEN, REF),), _marked(_OPEN, REF, Mark.PASS)),
    Condition("ref_high", "the reference is above its window but below the battery", ((_OPEN, REF),),
              _volts(_OPEN, REF, lambda c, v: v > c.reference_window().high and not c.is_battery(v))),
    Condition("ref_on_battery", "the reference pin has battery volts", ((_OPEN, REF),),
              _volts(_OPEN, REF, lambda c, v: c.is_battery(v))),
    Condition("ref_holds", "it holds under the lamp", ((Action.LAMP_NEGATIVE_V, REF),),
              _marked(Action.LAMP_NEGATIVE_V, REF, Mark.PASS)),
    Condition("ref_collapses", "it collapses under the lamp", ((Action.LAMP_NEGATIVE_V, REF), (Action.LAMP_NEGATIVE, REF)),
              _volts(Action.LAMP_NEGATIVE_V, REF, lambda c, v: v < c.hold_v)),
    Condition("ref_shorted_ohm", "there are few ohms from it to ground with the battery off", ((Action.OFF_OHM, REF),),
              _volts(Action.OFF_OHM, REF, lambda _c, v: v < _SHORT_OHM)),
    Condition("ref_not_shorted_ohm", "there is no short to ground on it with the battery off", ((Action.OFF_OHM, REF),),
              _marked(Action.OFF_OHM, REF, Mark.PASS)),
    Condition("sharers_restore", "it comes back with the sharers unplugged", ((Action.SHARERS_OFF_V, REF),),
              _marked(Action.SHARERS_OFF_V, REF, Mark.PASS)),
    Condition("sharers_do_not_restore", "it stays away with the sharers unplugged", ((Action.SHARERS_OFF_V, REF),),
              _marked(Action.SHARERS_OFF_V, REF, Mark.FAIL)),
    Condition("ref_dragged", "the reference drops when the sensor is plugged in", ((_MATED, REF),),
              _volts(_MATED, REF, lambda c, v: v < c.reference_window().low)),
    Condition("ref_mated_good", "the reference is right plugged in", ((_MATED, REF),), _marked(_MATED, REF, Mark.PASS)),
    Condition("ret_near_ref", "the return pin reads like the reference", ((_OPEN, RET),),
              _volts(_OPEN, RET, lambda c, v: c.near_reference(v))),
    Condition("ret_dark", "the lamp from battery positive stays dark on the return", ((Action.LAMP_POSITIVE, RET),),
              _glow(Action.LAMP_POSITIVE, RET, Glow.DARK)),
    Condition("ret_lit", "the lamp lights on the return", ((Action.LAMP_POSITIVE, RET),),
              _glow(Action.LAMP_POSITIVE, RET, Glow.DIM, Glow.BRIGHT)),
    Condition("ret_raised_open", "the return is lifted with nothing plugged in", ((_OPEN, RET),),
              _volts(_OPEN, RET, lambda c, v: c.limits.return_limit_mv / 1000 < v <= BIAS_FROM_V)),
    Condition("ret_quiet_open", "the return is at nothing unplugged", ((_OPEN, RET),), _marked(_OPEN, RET, Mark.PASS)),
    Condition("ret_raised_mated", "the return is lifted plugged in", ((_MATED, RET),),
              _volts(_MATED, RET, lambda c, v: v > c.limits.return_limit_mv / 1000)),
    Condition("ret_mated_good", "the return is good plugged in", ((_MATED, RET),), _marked(_MATED, RET, Mark.PASS)),
    Condition("sig_absent", "nothing is on the signal pin unplugged", ((_OPEN, SIG),),
              _volts(_OPEN, SIG, lambda _c, v: v < BIAS_FROM_V)),
    Condition("sig_near_ref", "the signal pin reads like the reference unplugged", ((_OPEN, SIG),),
              _volts(_OPEN, SIG, lambda c, v: c.near_reference(v))),
    Condition("sig_driven", "the signal wire is driven unplugged", ((_OPEN, SIG),),
              _volts(_OPEN, SIG, lambda c, v: v > BIAS_FROM_V and not c.is_battery(v))),
    Condition("sig_on_battery", "the signal pin has battery volts", ((_OPEN, SIG),),
              _volts(_OPEN, SIG, lambda c, v: c.is_battery(v))),
    Condition("sig_holds", "it holds under the lamp", ((Action.LAMP_NEGATIVE_V, SIG), (Action.LAMP_NEGATIVE, SIG)),
              _volts(Action.LAMP_NEGATIVE_V, SIG, lambda c, v: v >= c.hold_v)),
    Condition("sig_collapses", "it collapses under the lamp", ((Action.LAMP_NEGATIVE_V, SIG),),
              _volts(Action.LAMP_NEGATIVE_V, SIG, lambda _c, v: v < BIAS_FROM_V)),
    Condition("sig_dark", "the lamp from battery positive stays dark on the signal", ((Action.LAMP_POSITIVE, SIG),),
              _glow(Action.LAMP_POSITIVE, SIG, Glow.DARK)),
    Condition("sig_lit", "the lamp lights on the signal", ((Action.LAMP_POSITIVE, SIG),),
              _glow(Action.LAMP_POSITIVE, SIG, Glow.DIM, Glow.BRIGHT)),
    Condition("sig_shorted_ohm", "there are few ohms from the signal to ground with the battery off",
              ((Action.OFF_OHM, SIG),), _volts(Action.OFF_OHM, SIG, lambda _c, v: v < _SHORT_OHM)),
    Condition("sig_not_shorted_ohm", "there is no short to ground on the signal with the battery off",
              ((Action.OFF_OHM, SIG),), _marked(Action.OFF_OHM, SIG, Mark.PASS)),
    Condition("wire_not_followed", "live data does not go to full scale with the lamp on the signal",
              ((Action.LIVE_LAMP_POSITIVE_V, SIG),), _marked(Action.LIVE_LAMP_POSITIVE_V, SIG, Mark.FAIL)),
    Condition("jump_not_followed", "live data does not fall when the signal is jumped to the return",
              ((Action.LIVE_JUMPED_V, SIG),), _marked(Action.LIVE_JUMPED_V, SIG, Mark.FAIL)),
    Condition("sig_mated_low", "the signal is at nothing plugged in", ((_MATED, SIG),), _signal_share(-99, _LOW_SHARE)),
    Condition("sig_mated_high", "the signal is at the reference plugged in", ((_MATED, SIG),),
              _signal_share(_HIGH_SHARE, 99)),
    Condition("sig_mated_between", "the signal is inside its working span", ((_MATED, SIG),),
              _signal_share(_LOW_SHARE, _HIGH_SHARE)),
    Condition("sig_mated_off", "the signal is off its curve", ((_MATED, SIG),), _marked(_MATED, SIG, Mark.FAIL)),
    Condition("sig_stuck", "it does not move with the stimulus", ((_MATED, SIG),), _stuck),
    Condition("sig_moves", "it moves with the stimulus", ((_MATED, SIG),), _inverted("sig_stuck")),
    Condition("error_constant", "the error is the same at every stimulus", ((_MATED, SIG),), _constant_error),
    Condition("error_grows", "the error changes with the stimulus", ((_MATED, SIG),), _inverted("error_constant")),
    Condition("one_stimulus", "only one stimulus has been read", (), _one_stimulus),
    Condition("live_v_off", "live data volts differ from the pin", ((Action.LIVE_V, None),),
              _marked(Action.LIVE_V, None, Mark.FAIL)),
    Condition("live_v_good", "live data volts agree with the pin", ((Action.LIVE_V, None),),
              _inverted("live_v_off")),
    Condition("live_value_off", "the live data value differs from the curve", ((Action.LIVE_VALUE, None),),
              _marked(Action.LIVE_VALUE, None, Mark.FAIL)),
    Condition("bias_expected", "the controller has a pull-up on this input", (), _has_pull_up),
    Condition("no_bias_expected", "the controller has no pull-up on this input", (), _inverted("bias_expected")),
)  # fmt: skip
CONDITIONS = {condition.code: condition for condition in _CONDITION_TABLE}

_AFTER_REF = ((Action.LAMP_NEGATIVE, REF), (Action.LAMP_NEGATIVE_V, REF), (Action.SHARERS_OFF_V, REF),
              (_MATED, REF), (_MATED, SIG), (Action.LIVE_V, None), (Action.LIVE_VALUE, None))  # fmt: skip
_AFTER_RET = (
    (_MATED, RET), (_MATED, SIG), (Action.LIVE_V, None), (Action.LIVE_VALUE, None), (Action.LIVE_JUMPED_V, SIG)
)  # fmt: skip
_AFTER_SIG = ((_MATED, SIG), (Action.LIVE_V, None), (Action.LIVE_VALUE, None),
              (Action.LIVE_LAMP_POSITIVE_V, SIG), (Action.LIVE_JUMPED_V, SIG))  # fmt: skip
_LIVE_TOO = ((Action.LIVE_V, None), (Action.LIVE_VALUE, None))

RULES = (
    Rule(
        "reference_short_battery", "Reference wire on the battery", "supply wire", ("ref_on_battery",),
        "Unplug every sensor on this reference now. Find where the supply wire touches a battery feed; the sensors that "
        "shared it may be harmed and need testing.",
        (*_AFTER_REF, *_AFTER_SIG), before_going_on=True,
    ),
    Rule(
        "reference_high", "Reference too high", "controller supply", ("ref_high",),
        "Measure the reference at the controller. If it is high there too, follow the maker's procedure for the controller.",
        _AFTER_REF,
    ),
    Rule(
        "reference_signal_crossed", "Reference and signal crossed", "connector", ("ref_absent", "sig_near_ref", "sig_holds"),
        "Compare both cavities with the wiring diagram; battery negative off, then swap the two terminals.",
        (*_AFTER_REF, *_AFTER_SIG, (Action.OFF_OHM, REF), (Action.OFF_OHM, SIG)), before_going_on=True,
    ),
    Rule(
        "reference_return_crossed", "Reference and return crossed", "connector", ("ref_absent", "ret_near_ref"),
        "Do not plug the sensor in. Compare both cavities with the wiring diagram; battery negative off, then swap the "
        "two terminals.",
        (*_AFTER_REF, *_AFTER_RET, (Action.OFF_OHM, REF), (Action.LAMP_NEGATIVE, RET), (Action.LAMP_NEGATIVE_V, RET)),
        before_going_on=True,
    ),
    Rule(
        "return_signal_crossed", "Return and signal crossed", "connector", ("ret_dark", "sig_lit"),
        "Compare both cavities with the wiring diagram; battery negative off, then swap the two terminals.",
        (*_AFTER_RET, *_AFTER_SIG), before_going_on=True,
    ),
    Rule(
        "sharer_pulls_down", "A sharer pulls the reference down", "another sensor on this reference",
        ("ref_absent_or_low", "sharers_restore"),
        "Plug the other sensors back one at a time; the reference drops when the bad one comes on. Test that circuit.",
        _AFTER_REF, before_going_on=True,
    ),
    Rule(
        "reference_short_ground", "Reference shorted to ground", "supply wire",
        ("ref_absent", "ref_shorted_ohm", "sharers_do_not_restore"),
        "Find where the supply wire is chafed or pinched. With the battery off, unplug along the harness until the ohms rise.",
        _AFTER_REF, before_going_on=True,
    ),
    Rule(
        "reference_absent", "No reference: wire open, controller supply dead, or controller without power",
        "supply wire or controller", ("ref_absent", "ref_not_shorted_ohm", "sharers_do_not_restore"),
        "Measure the reference at the controller's own connector. There: the wire is open. Not there: check the "
        "controller's power and ground, then its supply output.",
        _AFTER_REF, before_going_on=True,
    ),
    Rule(
        "reference_low", "Reference low at its source", "controller supply", ("ref_low", "sharers_do_not_restore"),
        "Measure the reference at the controller with this wire out. Still low: follow the maker's procedure for the "
        "controller. Right: the wire leaks to something.",
        _AFTER_REF, before_going_on=True,
    ),
    Rule(
        "reference_resistance", "High resistance in the supply wire, or the pin is only a bias", "supply wire",
        ("ref_good", "ref_collapses"),
        "Look for a green or loose terminal in the supply wire and measure the volts across each joint under the lamp. "
        "If all are clean, check in the diagram that this cavity is the reference.",
        _AFTER_REF, before_going_on=True,
    ),
    Rule(
        "sensor_drags_reference", "The sensor pulls the reference down", "sensor", ("ref_good", "ref_holds", "ref_dragged"),
        "Look for water or a bent pin in the connector; then fit a known good sensor and measure again.",
        _AFTER_SIG,
    ),
    Rule(
        "return_open", "Return wire open", "return wire", ("ret_dark", "sig_dark"),
        "Follow the return from this connector to the controller; look for a pushed-back terminal at either end.",
        _AFTER_RET, before_going_on=True,
    ),
    Rule(
        "return_open_biased", "Return wire open", "return wire", ("ret_dark", "bias_expected"),
        "Follow the return from this connector to the controller; look for a pushed-back terminal at either end.",
        _AFTER_RET, before_going_on=True,
    ),
    Rule(
        "return_on_body", "Return tied to the body, or it carries other current", "return wire",
        ("ret_lit", "ret_raised_open"),
        "Find where the return is joined to the body or to another load and part them; it belongs to the controller's "
        "sensor ground alone.",
        ((_MATED, RET), (_MATED, SIG), *_LIVE_TOO),
    ),
    Rule(
        "return_resistance", "Bad joint in the return", "return wire", ("ret_quiet_open", "ret_lit", "ret_raised_mated"),
        "Measure the volts across each joint of the return, plugged in; clean or remake the one that has them.",
        ((_MATED, SIG), *_LIVE_TOO),
    ),
    Rule(
        "signal_short_battery", "Signal wire on the battery", "signal wire", ("sig_on_battery",),
        "Leave the sensor unplugged. Find where the signal wire touches a battery feed.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "signal_short_reference", "Signal wire shorted to the reference", "signal wire",
        ("ref_good", "sig_near_ref", "sig_holds"),
        "Find where signal and supply wire touch: look into both connectors, then along the harness.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "bias_unexpected", "A pull-up that this circuit should not have", "controller input",
        ("no_bias_expected", "sig_driven", "sig_collapses"),
        "Check which input this wire goes to, and whether an added resistor was left in the harness; else correct the "
        "circuit's card.",
        ((_OPEN, SIG), (_MATED, SIG)),
    ),
    Rule(
        "signal_short_ground", "Signal wire shorted to ground", "signal wire", ("no_bias_expected", "ret_lit", "sig_lit"),
        "Find where the signal wire is chafed or pinched, or bridged to the return in a connector.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "signal_short_ground_biased", "Signal wire shorted to ground", "signal wire",
        ("bias_expected", "ref_good", "sig_absent", "sig_shorted_ohm"),
        "Find where the signal wire is chafed or pinched, or bridged to the return in a connector.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "bias_missing", "No bias: signal wire open, or pull-up missing", "signal wire or controller input",
        ("bias_expected", "ref_good", "sig_absent", "sig_not_shorted_ohm"),
        "Measure the bias at the controller's connector. There: the wire is open. Not there: the input has no pull-up, "
        "or this is another input.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "signal_open", "Signal wire open, or live data shows another channel", "signal wire or live data",
        ("sig_dark", "wire_not_followed"),
        "Check the channel in live data first. Then follow the signal wire to the controller; measure it at the "
        "controller's connector with the lamp on.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "signal_open_biased", "Signal or return wire open, or live data shows another channel", "signal wire or live data",
        ("jump_not_followed",),
        "Check the channel in live data first. Then follow signal and return to the controller.",
        _AFTER_SIG, before_going_on=True,
    ),
    Rule(
        "sensor_dead_low", "Sensor dead: no signal with good wiring", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_low"),
        "Look for a bent pin in the sensor, then fit a known good one and measure again.",
        _LIVE_TOO,
    ),
    Rule(
        "sensor_stuck_high", "Sensor stuck high with good wiring", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_high"),
        "Look for a bent pin in the sensor, then fit a known good one and measure again.",
        _LIVE_TOO,
    ),
    Rule(
        "sensor_stuck", "Sensor stuck: its signal does not follow the stimulus", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_between", "sig_mated_off", "sig_stuck"),
        "Make sure that the stimulus reaches the sensor (port open, linkage on); then fit a known good sensor.",
        _LIVE_TOO,
    ),
    Rule(
        "sensor_offset", "Sensor reads a constant amount off", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_between", "sig_mated_off", "sig_moves", "error_constant"),
        "Check the sensor's zero: mounting, a gauge type where absolute is fitted or the other way; then calibrate or "
        "replace it.",
        _LIVE_TOO,
    ),
    Rule(
        "sensor_gain", "Sensor of another range, or its gain is off", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_between", "sig_mated_off", "sig_moves", "error_grows"),
        "Compare the part number on the sensor with the circuit's card; if it is the right one, replace it.",
        _LIVE_TOO,
    ),
    Rule(
        "sensor_off_curve", "Signal off its curve: offset, gain, wrong range, or another stimulus than stated", "sensor",
        ("ref_mated_good", "ret_mated_good", "sig_mated_between", "sig_mated_off", "one_stimulus"),
        "Check the stimulus on a second gauge, then measure at another stimulus: a constant error is an offset, one that "
        "grows is the gain or the range.",
        _LIVE_TOO,
    ),
    Rule(
        "live_channel", "Live data does not follow the pin: wrong channel, or a bad joint in the signal wire",
        "signal wire or live data", ("live_v_off",),
        "Check which channel live data shows. If it is the right one, measure the signal at the controller's connector.",
        ((Action.LIVE_VALUE, None),),
    ),
    Rule(
        "live_scaling", "The controller's scaling is not this sensor's", "controller settings",
        ("live_v_good", "live_value_off"),
        "Enter this sensor's curve in the controller, or fit the sensor that its settings name.",
    ),
)  # fmt: skip


def consider(case: BenchCase, marks: Marks) -> tuple[tuple[Finding, ...], tuple[Rule, ...]]:
    """The rules that stand on the readings of this case, and those that no reading has ruled out.

    `marks` is what each reading in force was judged. Both answers keep the order of the table.
    """
    answers = {code: condition.holds(case, marks) for code, condition in CONDITIONS.items()}
    standing = [rule for rule in RULES if all(answers[code] for code in rule.when)]
    possible = tuple(rule for rule in RULES if not any(answers[code] is False for code in rule.when))
    return tuple(_finding(case, rule) for rule in standing), possible


def _finding(case: BenchCase, rule: Rule) -> Finding:
    conditions = [CONDITIONS[code] for code in rule.when]
    pairs = [*(pair for c in conditions for pair in c.reads), *rule.also_explains]
    slots = frozenset(slot for action, role in pairs for slot in _slots(case, action, role))
    because = ", and ".join(c.says for c in conditions if c.reads)
    return Finding(rule, f"Because {because}.", slots)
