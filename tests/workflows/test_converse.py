"""The session over JSON lines: every word of the other side has one of ours, and a whole case is carried through."""

import io
import json

import pytest

from irongauge.core.diagnosis.catalogue import faults_of
from irongauge.core.diagnosis.circuit_under_test import InputKind
from irongauge.core.sensors.families import Family
from irongauge.instruments.simulated import SimulatedVehicle
from irongauge.workflows.converse import check_from_action, converse, fault_from_label, subject_from_spec

SPEC = {
    "family": "thermistor-2w",
    "pins": ["signal", "ground"],
    "supply_nominal": None,
    "inputs": {"signal": {"known": True, "kind": "pullup", "ohm": 2200.0, "to": 5, "where": "ecu"}},
    "stimuli": {"x1": 25.0, "x2": 80.0},
    "thermistor": {"r25": 10000, "beta": 3435},
}
LABELS = [
    "none", "ground_open", "signal_open", "ground_high_res", "signal_high_res", "signal_short_gnd", "signal_short_bat",
    "signal_short_supply", "ground_chassis_offset", "ecu_unpowered", "pullup_missing", "pullup_doubled", "therm_open",
    "therm_short", "therm_wrong_curve", "ecu_wrong_channel", "ecu_scaling_wrong",
]  # fmt: skip
ACTIONS = [
    "batt_v", "oc.signal", "lampneg.signal", "lamppos.signal", "koff.r.signal", "oc.ground", "lamppos.ground", "koff.r.ground",
    "live.unplugged", "live.lamppos", "live.jump_ground", "plug.x1.signal", "plug.x1.live", "plug.x2.signal", "plug.x2.live",
    "gdrop", "sensor_r.signal_ground",
]  # fmt: skip


def test_a_spec_becomes_a_subject():
    subject = subject_from_spec(SPEC)
    assert subject.family is Family.THERMISTOR
    assert subject.inputs["signal"].kind is InputKind.PULL_UP
    assert subject.temperatures_degc == {"x1": 25.0, "x2": 80.0}
    # The other side has no word for live data that stands at the end of its scale.
    assert {fault_from_label(label, subject.family) for label in LABELS} == set(faults_of(subject)) - {
        "signal_live_pegged"
    }


@pytest.mark.parametrize(
    ("action", "role_point"),
    [
        ("batt_v", "battery_v"),
        ("oc.supply", "open_v:reference"),
        ("lampneg.ground", "lamp_negative:return"),
        ("lamppos.signal_t", "lamp_positive:temperature"),
        ("koff.r.pos", "off_ohm:plus"),
        ("live.jump_supply", "live:signal:jumped_reference"),
        ("live.lamppos.signal_t", "live:temperature:lamp_positive"),
        ("neigh.oc.supply", "sharers_off_v:reference"),
        ("plug.x1.signal_t", "mated_v:temperature:x1"),
        ("plug.x2.live", "mated_live:signal:x2"),
        ("plug.x2.live.signal_t", "mated_live:temperature:x2"),
        ("plug.absent.live", "mated_live:signal:absent"),
        ("plug.v.neg", "mated_dc:minus"),
        ("sensor_r.supply_ground", "sensor_ohm:reference"),
        ("vr.leg_r.neg", "leg_ohm:minus"),
        ("vr.live", "counted"),
    ],
)
def test_an_action_is_one_of_our_checks(action, role_point):
    assert str(check_from_action(action)) == role_point


def test_an_action_that_nobody_knows_is_left_alone():
    assert check_from_action("smell.it") is None


@pytest.mark.parametrize(
    ("label", "family", "fault"),
    [
        ("signal_high_res", Family.RELUCTANCE, "plus_resistance"),
        ("ground_open", Family.RELUCTANCE, "minus_open"),
        ("signal_short_bat@signal_t", Family.COMBO, "temperature_short_battery"),
        ("pullup_missing@signal_t", Family.COMBO, "temperature_pull_up_missing"),
        ("supply_short_gnd", Family.HALL, "reference_short_ground"),
        ("ecu_wrong_channel", Family.HALL, "signal_live_channel"),
    ],
)
def test_a_label_is_one_of_our_faults(label, family, fault):
    assert fault_from_label(label, family) == fault


def test_a_label_that_nobody_knows_is_said():
    with pytest.raises(KeyError, match="gremlins"):
        fault_from_label("gremlins", Family.HALL)


class OtherSide:
    """The program at the other end: a simulated vehicle that is asked line by line."""

    def __init__(self, fault):
        self.vehicle = SimulatedVehicle(subject_from_spec(SPEC), fault, seed=5)
        self.to_send = [json.dumps({"new": "1", "spec": SPEC, "labels": LABELS, "actions": ACTIONS})]
        self.asked, self.verdict = [], None

    def __iter__(self):
        return self

    def __next__(self):
        if not self.to_send:
            raise StopIteration
        return self.to_send.pop(0)

    def readline(self):
        return self.to_send.pop(0)

    def write(self, text):
        message = json.loads(text)
        if "ask" in message:
            self.asked.append(message["ask"])
            self.to_send.append(json.dumps({"reading": self.vehicle.ask(check_from_action(message["ask"]))}))
        else:
            self.verdict = message

    def flush(self):
        pass


@pytest.mark.parametrize(
    ("fault", "label"),
    [("healthy", "none"), ("signal_open", "signal_open"), ("signal_pull_up_missing", "pullup_missing")],
)
def test_a_whole_case_is_carried_through(fault, label):
    other = OtherSide(fault)
    converse(other, other)
    assert other.verdict["verdict"] == label
    assert other.verdict["confident"]
    assert other.verdict["ranked"][0][0] == label
    assert other.verdict["level"] == ("proved good" if label == "none" else "fault found")
    assert label in other.verdict["group"]
    assert other.verdict["missing"] == [] or label != "none"
    assert 5 <= len(set(other.asked)) <= 12
    assert len(other.asked) <= len(set(other.asked)) + 2  # a reading on which all hangs is taken once more


NOBODYS = {
    "family": "ratiometric-3w", "pins": ["supply", "ground", "signal"], "supply_nominal": 5.0, "supply_source": "ecu",
    "neighbours_on_rail": 1, "inputs": {"signal": {"known": False}}, "stimuli": {"x1": 0.0, "x2": 4.6}, "roles_known": False,
    "curve": {"unit": "bar", "xmin": 0, "xmax": 10, "ratio_at_xmin": 0.1, "ratio_at_xmax": 0.9},
    "meter": {"reading_pct": 0.5, "digits": 2, "counts": 6000},
}  # fmt: skip
_WIRES = ("supply", "ground", "signal")
EVERY_ACTION = [
    *(f"{kind}.{pin}" for kind in ("oc", "lampneg", "lamppos", "koff.r") for pin in _WIRES), "live.unplugged", "live.lamppos",
    "live.jump_ground", "live.jump_batneg", "neigh.oc.supply", "gdrop", "sensor_r.supply_ground",
    *(f"plug.{state}.{what}" for state in ("x1", "x2") for what in (*_WIRES, "live")),
]  # fmt: skip


class OfNobodysPins(OtherSide):
    """The same of three wires of which nobody knows which is which, nor what hangs on the input."""

    def __init__(self, fault):
        super().__init__("healthy")
        self.vehicle = SimulatedVehicle(subject_from_spec(NOBODYS), fault, seed=5)
        labels = ["none", "supply_open", "ground_open", "signal_open", "sensor_dead_low", "supply_short_gnd"]
        self.to_send = [json.dumps({"new": "1", "spec": NOBODYS, "labels": labels, "actions": EVERY_ACTION})]


@pytest.mark.parametrize(("fault", "label"), [("healthy", "none"), ("sensor_low", "sensor_dead_low")])
def test_three_wires_that_nobody_knows_are_worked_to_the_same_verdict(fault, label):
    other = OfNobodysPins(fault)
    converse(other, other)
    assert other.verdict["verdict"] == label
    assert other.verdict["confident"]
    assert [a for a in other.asked[:3] if a.startswith("oc.")] == other.asked[:3], "the volts of every pin come first"
    assert len(other.asked) <= 16


def test_nothing_said_is_nothing_answered():
    out = io.StringIO()
    converse(io.StringIO(""), out)
    assert out.getvalue() == ""
