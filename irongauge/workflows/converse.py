"""A whole circuit worked over JSON lines, for a program that holds the readings: the Bench's own path, nothing beside it.

    in   {"new": "case-7", "spec": {…}, "labels": ["none", "supply_open", …], "actions": ["oc.supply", …]}
    out  {"ask": "oc.supply"}
    in   {"reading": {"v": 4.98}}
    …
    out  {"verdict": "ground_open", "confident": true, "level": "fault found", "group": ["ground_open"], "missing": [],
          "ranked": [["ground_open", 0.99], …]}

The spec becomes a circuit's card as a technician would type it; readings are asked for in the Bench's order, judged by its
limits, and the verdict is the one that Bench, sheet and API say. `roles_known: false` in the spec leaves the pins' roles
off the card, an input that is not `known` its resistor, `meter` is what the readings' own meter is good for. The other
side's words are translated into ours by the tables below, and back.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TextIO
from uuid import UUID

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import Assessment, VerdictLevel
from irongauge.core.bench.wiring import Wiring, wiring_of
from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest, InputKind, KnownInput, SignalCurve
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.measure.entry import NO_DATA
from irongauge.core.measure.quantities import Glow, TestPoint
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import (
    Circuit,
    Element,
    Pin,
    PullUp,
    Role,
    SensorType,
    Stimulus,
    Switching,
    Wiper,
)
from irongauge.core.sensors.families import Coil, Family
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import CurveKind, LinearCurve
from irongauge.core.shop import Vehicle
from irongauge.errors import EntryError
from irongauge.workflows.diagnose import Taken, diagnose_readings

__all__ = [
    "Worked",
    "check_from_action",
    "converse",
    "family_of",
    "fault_from_label",
    "subject_from_spec",
    "work_spec",
]

_MOST_CHECKS, _TWICE = 40, 2  # a reading that much hangs on is taken once more, and no third time
_NOBODY = UUID(int=0)
_KPA = {"bar": 100.0, "kPa": 1.0}
_OF_UNIT = {"%": Quantity.SHARE, "deg": Quantity.ANGLE, "mm": Quantity.LENGTH, "degC": Quantity.TEMPERATURE}
_CAVITIES = {"reference": "A", "return": "B", "signal": "C", "temperature": "D", "plus": "A", "minus": "B"}
_STATUS = {"ok": "ok", "sync errors": "ok", "no signal": "no signal", "no communication": "no contact"}
_SURE_LEVELS = {VerdictLevel.GOOD, VerdictLevel.WIRING, VerdictLevel.PART, VerdictLevel.FAULT}
_VENTED_KPA = 101.0  # a range that begins between vacuum and this is counted from vacuum

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


def family_of(spec: Mapping[str, Any]) -> Family:
    """The family that the other side says; `ValueError` for one that we do not know."""
    return _FAMILIES.get(spec["family"]) or Family(spec["family"])


def subject_from_spec(spec: Mapping[str, Any]) -> CircuitUnderTest:
    """What the other side says is known of a circuit, in our words."""
    family = family_of(spec)
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


@dataclass(frozen=True)
class Worked:
    """A circuit worked to its end: what the Bench says of it, and how many readings that took."""

    found: Assessment
    readings: int

    @property
    def level(self) -> VerdictLevel:
        return self.found.verdict.level

    @property
    def said(self) -> str:
        """What the verdict comes to: `healthy` for a circuit that is passed, else the fault that fits best."""
        assert self.found.diagnosis is not None  # it was concluded
        return HEALTHY if self.level.is_done else self.found.diagnosis.leader.fault

    @property
    def is_sure(self) -> bool:
        """True for what is said to be good, or a fault by its name: "out of limits" alone names none."""
        is_unnamed = self.level is VerdictLevel.FAULT and self.said == HEALTHY
        return self.level in _SURE_LEVELS and not is_unnamed


def work_spec(
    spec: Mapping[str, Any], actions: Collection[str], ask: Callable[[str], Mapping[str, Any] | None]
) -> Worked:
    """Work a circuit from an empty card to the Bench's verdict; `ask` gives the reading of one of the other side's actions."""
    return _OtherBench(spec, actions, ask).worked()


class _OtherBench:
    """A circuit of the other side on our Bench."""

    def __init__(
        self, spec: Mapping[str, Any], actions: Collection[str], ask: Callable[[str], Mapping[str, Any] | None]
    ) -> None:
        self._spec, self._ask = spec, ask
        self._circuit = _card(spec)
        self._actions = {point: action for action in actions if (point := check_from_action(action)) is not None}
        self._role_at = {_CAVITIES[_PINS[pin]]: _PINS[pin] for pin in spec["pins"]}
        self._meter = MeterSpec(**spec["meter"]) if "meter" in spec else None
        self._passed: set[TestPoint] = set()
        self._taken: list[Taken] = []
        self._seen: dict[str, Mapping[str, Any] | None] = {}
        self._asked = 0

    def worked(self) -> Worked:
        found = self._found([])
        while self._asked < _MOST_CHECKS:
            new = next(
                (got for points in self._wanted(found) if (got := self._read(wiring_of(found.case), *points))), None
            )
            if new is None:
                break
            found = self._with(new) or found
        return Worked(found, self._asked)

    def _found(self, new: Sequence[Taken]) -> Assessment:
        vehicle = Vehicle(uid=_NOBODY, tag="none", description="", system_v=12.0, height_m=0.0)
        return diagnose_readings(self._circuit, vehicle, [*self._taken, *new], meter=self._meter)

    def _with(self, new: Sequence[Taken]) -> Assessment | None:
        """What follows once these are read; those that nobody could type are left out."""
        try:
            found = self._found(new)
        except EntryError:
            self._passed |= {one.test_point for one in new[:1]}
            return self._with(new[1:]) if len(new) > 1 else None
        self._taken += new
        return found

    def _wanted(self, found: Assessment) -> Iterator[tuple[RolePoint | None, tuple[TestPoint, ...]]]:
        """What the Bench asks for next, first what it asks for first."""
        if found.next_test is not None:
            test_point = found.next_test.test_point
            yield wiring_of(found.case).role_point_of(test_point), (test_point,)
        assert found.diagnosis is not None  # it was concluded
        for one in found.diagnosis.next_tests:
            yield one.role_point, one.test_points

    def _read(self, wiring: Wiring, role_point: RolePoint | None, test_points: tuple[TestPoint, ...]) -> list[Taken]:
        """What the other side reads there; empty where it cannot, or where it was read twice."""
        if role_point is None:
            return []
        real = RolePoint(role_point.kind, self._role_at.get(role_point.pin, role_point.pin), role_point.state)
        action = self._actions.get(real)
        times = {p: sum(one.test_point == p for one in self._taken) for p in test_points}
        left = [p for p in test_points if p not in self._passed and times[p] < _TWICE]
        answer = self._answer(action, is_again=any(times.values())) if action is not None and left else None
        found = []
        for test_point in left:
            value = (
                None
                if answer is None
                else self._value(answer, wiring.part_of(real, test_point), test_point, str(action))
            )
            if value is None:
                self._passed.add(test_point)
            else:
                found.append(Taken(test_point, value))
        return found

    def _answer(self, action: str, *, is_again: bool) -> Mapping[str, Any] | None:
        """A reading with all of its parts: volts and value of live data are seen at one look."""
        if is_again or action not in self._seen:
            self._seen[action] = self._ask(action)
            self._asked += 1
        return self._seen[action]

    def _value(self, answer: Mapping[str, Any], part: str, test_point: TestPoint, action: str) -> float | str | None:
        """One part of an answer as it is typed on the Bench, in the fixed unit."""
        value = answer.get(part)
        if value is None:
            silent = "comm" in answer and ACTIONS[Action(test_point.action)].from_live_data
            return NO_DATA if silent else "no contact" if part == "status" and "comm" in answer else None
        if part == "status":
            return _STATUS.get(str(value), str(value))
        if isinstance(value, str):
            return str(Glow(value)) if part == "glow" else value
        number = float(value)
        if part == "mv":
            return number / 1000
        if part == "vac":
            return max(0.0, number)
        of_heat = "signal_t" in action or self._circuit.family is Family.THERMISTOR
        return number * _kpa_per_unit(self._spec) if part == "value" and not of_heat else number


def _kpa_per_unit(spec: Mapping[str, Any]) -> float:
    """What one of a pressure's units is in kPa; 1 for all else."""
    return _KPA.get((spec.get("curve") or {}).get("unit", ""), 1.0)


def _card(spec: Mapping[str, Any]) -> Circuit:
    """The circuit's card as a technician would type it from what the other side says is known."""
    family = family_of(spec)
    sensor = _sensor(spec, family)
    known = spec.get("roles_known", True)
    return Circuit(
        uid=_NOBODY,
        name="Circuit",
        family=family,
        pins=tuple(Pin(_CAVITIES[_PINS[pin]], role=Role(_PINS[pin]) if known else None) for pin in spec["pins"]),
        reference_v=sensor.supply_v,
        sensor=sensor,
        stimuli=_stimuli(spec, family),
        pull_up=_pull_up(spec, "signal"),
        temperature_pull_up=_pull_up(spec, "signal_t") if family is Family.COMBO else None,
        unpulled=(spec.get("inputs") or {}).get("signal", {}).get("kind") == "none",
        live_channel="AI 1",
        others_on_reference=", ".join("abcdefgh"[: int(spec.get("neighbours_on_rail") or 0)]),
        battery_fed=spec.get("supply_source") == "battery",
        differential=str(spec.get("ecu_input", "")).startswith("differential"),
    )


def _pull_up(spec: Mapping[str, Any], name: str) -> PullUp | None:
    told = (spec.get("inputs") or {}).get(name) or {}
    return PullUp(float(told["ohm"]), float(told["to"])) if told.get("known") and told.get("kind") == "pullup" else None


def _sensor(spec: Mapping[str, Any], family: Family) -> SensorType:
    nominal, curve = spec.get("supply_nominal"), spec.get("curve")
    by_source = 12.0 if spec.get("supply_source") == "battery" else 5.0
    return SensorType(
        uid=_NOBODY,
        name="Sensor",
        maker="",
        family=family,
        supply_v=float(nominal) if isinstance(nominal, int | float) else by_source,
        curve=None if curve is None else _sensor_curve(curve),
        tolerance_pct_span=(curve or {}).get("healthy_within_pct_of_span") or 2.5,
        element=_element(spec, family),
    )


def _sensor_curve(curve: Mapping[str, Any]) -> LinearCurve:
    ratio = "ratio_at_xmin" in curve
    name = "ratio" if ratio else "v"
    pressure = curve["unit"] in _KPA
    kpa = _KPA.get(curve["unit"], 1.0)
    absolute = pressure and 0 < curve["xmin"] * kpa < _VENTED_KPA
    base = PressureBase.ABSOLUTE if absolute else PressureBase.GAUGE
    return LinearCurve(
        kind=CurveKind.RATIO if ratio else CurveKind.VOLTS,
        quantity=Quantity.PRESSURE if pressure else _OF_UNIT.get(curve["unit"], Quantity.SHARE),
        signal_low=curve[f"{name}_at_xmin"],
        signal_high=curve[f"{name}_at_xmax"],
        value_low=curve["xmin"] * kpa,
        value_high=curve["xmax"] * kpa,
        pressure_base=base if pressure else None,
    )


def _element(spec: Mapping[str, Any], family: Family) -> Element | None:
    ntc, coil = spec.get("thermistor"), spec.get("coil")
    if ntc is not None:
        return Thermistor(ntc["r25"], ntc["beta"])
    if coil is not None:
        return Coil(coil["ohm"], coil["tolerance_pct"], tuple(coil["vac_loose_expected"]))
    if family is Family.POTENTIOMETER:
        return Wiper(spec["pot_ohm"])
    return Switching(spec.get("output_low_when_target_present", True)) if family is Family.HALL else None


def _stimuli(spec: Mapping[str, Any], family: Family) -> tuple[Stimulus, ...]:
    if family is Family.HALL:
        return (Stimulus("target away", None), Stimulus("target at it", None))
    if family is Family.RELUCTANCE:
        return (Stimulus("turning", None),)
    values, degrees = spec.get("stimuli") or {}, spec.get("stimuli_t") or {}
    kpa = _kpa_per_unit(spec)
    return tuple(Stimulus(name, value * kpa, degrees.get(name)) for name, value in values.items())


def converse(lines_in: TextIO, lines_out: TextIO) -> None:
    """Work one circuit after the other until the other side closes its end."""

    def say(message: Mapping[str, Any]) -> None:
        lines_out.write(json.dumps(message) + "\n")
        lines_out.flush()

    for line in lines_in:
        case = json.loads(line)
        if "new" in case:
            say(_diagnosed(case, lines_in, say))


def _diagnosed(case: Mapping[str, Any], lines_in: TextIO, say: Callable[[Mapping[str, Any]], None]) -> dict[str, Any]:
    def ask(action: str) -> Mapping[str, Any] | None:
        say({"ask": action})
        reading: Mapping[str, Any] | None = json.loads(lines_in.readline())["reading"]
        return reading

    worked = work_spec(case["spec"], case["actions"], ask)
    family = family_of(case["spec"])
    labels = {fault_from_label(label, family): label for label in case["labels"]}
    diagnosis = worked.found.diagnosis
    assert diagnosis is not None  # it was concluded
    ranked = [(s.fault, s.probability) for s in diagnosis.suspects if s.fault in labels] or [("healthy", 0.0)]
    said = worked.said if worked.said in labels else ranked[0][0]
    return {
        "verdict": labels[said],
        "confident": worked.is_sure and worked.said in labels,
        "level": worked.level,
        "group": [labels.get(s.fault, s.fault) for s in diagnosis.group],
        "missing": [t.title for t in worked.found.left],
        "ranked": [[labels[fault], round(chance, 6)] for fault, chance in ranked[:5]],
        "readings": worked.readings,
    }
