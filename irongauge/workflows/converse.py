"""A whole diagnosis over JSON lines, for a program that holds the readings: an adapter, nothing more.

    in   {"new": "case-7", "spec": {…}, "labels": ["none", "supply_open", …], "actions": ["oc.supply", …]}
    out  {"ask": "oc.supply"}
    in   {"reading": {"v": 4.98}}
    …
    out  {"verdict": "ground_open", "confident": true, "ranked": [["ground_open", 0.99], …]}

The other side's words are translated into ours by the tables below, and back.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any, TextIO

from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest, InputKind, KnownInput, SignalCurve
from irongauge.core.diagnosis.faults import SURE, Standing
from irongauge.core.diagnosis.role_points import Observation, RolePoint
from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import stand
from irongauge.core.sensors.families import Coil, Family
from irongauge.core.sensors.thermistor import Thermistor

__all__ = ["check_from_action", "converse", "fault_from_label", "subject_from_spec"]

_MOST_CHECKS = 24  # readings taken once more among them
_SAME_LEAST, _SAME_SHARE = 0.02, 0.05  # what two readings of the same thing differ by, as on the Bench

_PINS = {
    "supply": "reference", "ground": "return", "signal": "signal", "signal_t": "temperature", "pos": "plus", "neg": "minus",
}  # fmt: skip
_STATES = {
    "unplugged": "unplugged", "lamppos": "lamp_positive", "jump_batneg": "jumped_battery", "jump_ground": "jumped_return",
    "jump_supply": "jumped_reference",
}  # fmt: skip
_AT_PIN = {"oc": "open_v", "lampneg": "lamp_negative", "lamppos": "lamp_positive"}
_ALONE = {
    "batt_v": RolePoint("battery_v"), "neigh.oc.supply": RolePoint("sharers_off_v", "reference"),
    "gdrop": RolePoint("return_drop"),
    "hall.rotating": RolePoint("rotating"), "vr.coil_r": RolePoint("coil_ohm"), "vr.ac_unplugged": RolePoint("ac_loose"),
    "vr.ac_plugged": RolePoint("ac_mated"), "vr.polarity": RolePoint("polarity"), "vr.live": RolePoint("counted"),
}  # fmt: skip
_WHOLE_FAULTS = {
    "none": "healthy", "swap_supply_signal": "reference_signal_crossed", "swap_ground_signal": "return_signal_crossed",
    "swap_supply_ground": "reference_return_crossed", "ground_chassis_offset": "return_on_body",
    "vref_neighbour_short": "sharer_short", "vref_regulator_fault": "reference_wrong", "ecu_unpowered": "controller_off",
    "sensor_dead_low": "sensor_low", "sensor_stuck_high": "sensor_high", "sensor_stuck_mid": "sensor_stuck",
    "sensor_offset": "sensor_offset", "sensor_gain": "sensor_gain", "wrong_range": "sensor_range",
    "therm_open": "thermistor_open", "therm_short": "thermistor_short", "therm_wrong_curve": "thermistor_curve",
    "hall_target_far": "target_far", "ao_wrong_scaling": "output_scaling", "vr_coil_open": "coil_open",
    "vr_shorted_turns": "coil_turns", "vr_reversed": "coil_reversed", "vr_leg_short_gnd": "coil_leg_ground",
    "vr_weak_gap": "gap_wide",
}  # fmt: skip
_AT_CHANNEL = {
    "pullup_missing": "pull_up_missing", "pullup_doubled": "pull_up_doubled", "ecu_wrong_channel": "live_channel",
    "ecu_scaling_wrong": "live_scaling",
}  # fmt: skip
_AT_WIRE = {
    "open": "open", "high_res": "resistance", "short_gnd": "short_ground", "short_bat": "short_battery",
    "short_supply": "short_reference",
}  # fmt: skip
_WIRE_FAULT = re.compile(r"(?P<wire>supply|ground|signal)_(?P<kind>open|high_res|short_\w+)")
_FAMILIES = {"analog-out-controller": Family.CONTROLLER_OUT}


def subject_from_spec(spec: Mapping[str, Any]) -> CircuitUnderTest:
    """What the other side says is known of a circuit, in our words."""
    family = _FAMILIES.get(spec["family"]) or Family(spec["family"])
    nominal = spec.get("supply_nominal")
    curve, ntc, coil = spec.get("curve"), spec.get("thermistor"), spec.get("coil")
    stimuli = spec.get("stimuli") or {}
    temperatures = stimuli if family is Family.THERMISTOR else spec.get("stimuli_t") or {}
    return CircuitUnderTest(
        family=family,
        supply_v=float(nominal) if isinstance(nominal, int | float) else None,
        supply_from_battery=spec.get("supply_source") == "battery",
        others_on_reference=int(spec.get("neighbours_on_rail") or 0),
        inputs={_PINS[name]: _input(text) for name, text in (spec.get("inputs") or {}).items() if text["known"]},
        curve=None if curve is None else _curve(curve),
        stimuli=stimuli,
        thermistor=None if ntc is None else Thermistor(ntc["r25"], ntc["beta"]),
        temperatures_degc=temperatures,
        pot_ohm=spec.get("pot_ohm"),
        low_when_present=spec.get("output_low_when_target_present", True),
        coil=None if coil is None else Coil(coil["ohm"], coil["tolerance_pct"], tuple(coil["vac_loose_expected"])),
        coil_differential=str(spec.get("ecu_input", "")).startswith("differential"),
    )


def _input(text: Mapping[str, Any]) -> KnownInput:
    kind = {"pullup": InputKind.PULL_UP, "pulldown": InputKind.PULL_DOWN, "none": InputKind.NONE}[text["kind"]]
    return KnownInput(kind, text.get("ohm"), None if text.get("to") is None else float(text["to"]))


def _curve(curve: Mapping[str, Any]) -> SignalCurve:
    if "ratio_at_xmin" in curve:
        shares = (curve["ratio_at_xmin"], curve["ratio_at_xmax"])
    else:
        shares = (curve["v_at_xmin"] / 5.0, curve["v_at_xmax"] / 5.0)
    return SignalCurve(curve["xmin"], curve["xmax"], *shares)


def check_from_action(action: str) -> RolePoint | None:
    """The check that an action of the other side is; None for one that we have no use for."""
    head, *rest = action.split(".")
    if action in _ALONE:
        role_point = _ALONE[action]
    elif head in _AT_PIN:
        role_point = RolePoint(_AT_PIN[head], _PINS[rest[0]])
    elif head == "live":
        role_point = RolePoint("live", _PINS[rest[1]] if len(rest) > 1 else "signal", _STATES[rest[0]])
    elif action.startswith(("koff.r.", "vr.leg_r.", "plug.v.")):
        role_point = RolePoint({"koff": "off_ohm", "vr": "leg_ohm", "plug": "mated_dc"}[head], _PINS[rest[1]])
    elif head == "plug" and rest[1] == "live":
        role_point = RolePoint("mated_live", _PINS[rest[2]] if len(rest) > 2 else "signal", rest[0])  # noqa: PLR2004  a channel
    elif head == "plug":
        role_point = RolePoint("mated_v", _PINS[rest[1]], rest[0])
    elif head == "sensor_r":
        role_point = RolePoint("sensor_ohm", _PINS[rest[0].removesuffix("_ground")])
    else:
        return None
    return role_point


def fault_from_label(label: str, family: Family) -> str:
    """Our name of a fault of the other side's; `KeyError` for one that we do not know."""
    base, _, channel = label.partition("@")
    signal = _PINS[channel or "signal"]
    if base in _WHOLE_FAULTS:
        return _WHOLE_FAULTS[base]
    if base in _AT_CHANNEL:
        return f"{signal}_{_AT_CHANNEL[base]}"
    match = _WIRE_FAULT.fullmatch(base)
    if match is None:
        raise KeyError(label)
    wire = _PINS[match["wire"]]
    if family is Family.RELUCTANCE:
        wire = {"signal": "plus", "return": "minus"}[wire]
    return f"{signal if wire == 'signal' else wire}_{_AT_WIRE[match['kind']]}"


def converse(lines_in: TextIO, lines_out: TextIO) -> None:
    """Diagnose one circuit after the other until the other side closes its end."""

    def say(message: Mapping[str, Any]) -> None:
        lines_out.write(json.dumps(message) + "\n")
        lines_out.flush()

    for line in lines_in:
        case = json.loads(line)
        if "new" in case:
            _diagnose(case, lines_in, say)


def _diagnose(case: Mapping[str, Any], lines_in: TextIO, say: Any) -> None:  # noqa: ANN401  a function of one message
    subject = subject_from_spec(case["spec"])
    labels = {fault_from_label(label, subject.family): label for label in case["labels"]}
    offered = set(faults_of(subject))
    possible = [
        fault for fault in labels if fault in offered or "pull_up" not in fault
    ]  # no sizes of what nobody knows
    session = Session(subject, possible, doubles=False)
    actions = {
        role_point: action for action in case["actions"] if (role_point := check_from_action(action)) is not None
    }
    actions.pop(RolePoint("battery_v"), None)
    last: RolePoint | None = None
    now = stand(session, tuple(actions), last)
    for _ in range(_MOST_CHECKS):
        if not now.choices:
            break
        role_point = now.choices[0].role_point
        say({"ask": actions[role_point]})
        answer = _observations(json.loads(lines_in.readline())["reading"] or {})
        session.update(role_point, answer, confirmed=_agrees(answer, session.taken.get(role_point)))
        last, now = role_point, stand(session, tuple(actions), role_point)
    ranked = session.ranking()
    settled = now.standing in {Standing.SETTLED, Standing.GROUPED} and now.group.probability >= SURE
    say(
        {
            "verdict": labels[ranked[0].fault],
            "confident": settled,
            "ranked": [[labels[r.fault], round(r.probability, 6)] for r in ranked[:5]],
        }
    )


def _agrees(answer: Mapping[str, Observation], before: Mapping[str, Observation] | None) -> bool:
    """True for a reading that was taken before and came out the same, as nearly as a meter gives it."""
    if before is None or before.keys() != answer.keys():
        return False
    for name, now in answer.items():
        was = before[name]
        if isinstance(now, float) and isinstance(was, float):
            if abs(now - was) > _SAME_LEAST + _SAME_SHARE * abs(was):
                return False
        elif now != was:
            return False
    return True


def _observations(reading: Mapping[str, Any]) -> dict[str, Observation]:
    """A reading's parts as the session takes them: numbers as float, words as they are, silence as None."""
    return {
        name: float(value) if isinstance(value, int | float) and not isinstance(value, bool) else value
        for name, value in reading.items()
        if name != "comm"
    }
