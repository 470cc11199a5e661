"""A whole guided session by keyboard on a circuit with a hidden fault: the Bench asks, a simulated vehicle answers."""

import json
import urllib.request
from uuid import UUID

import pytest
from selenium.common.exceptions import NoSuchElementException
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.wiring import Wiring
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.measure.quantities import TestPoint
from irongauge.instruments.simulated import SimulatedVehicle
from irongauge.workflows.bench.readings import look_at_bench

KEYS = {"dark": "d", "dim": "g", "bright": "b"}


def simulated(demo, uid, fault):
    """The vehicle, and a function from the test point that is asked to what would be typed."""
    vehicle = SimulatedVehicle(Wiring(look_at_bench(demo, uid).view.assessment.case).subject, fault, seed=5)

    def read(test_point):
        if test_point.action == Action.BATTERY_LAMP:
            return "bright"
        wiring = Wiring(look_at_bench(demo, uid).view.assessment.case)
        role_point = (
            RolePoint("battery_v") if test_point.action == Action.BATTERY_V else wiring.role_point_of(test_point)
        )
        role_point = RolePoint(
            role_point.kind, wiring.assignments[0].get(role_point.pin, role_point.pin), role_point.state
        )
        spec = ACTIONS[Action(test_point.action)]
        part = "mv" if role_point.kind == "return_drop" else spec.part
        value = vehicle.ask(role_point)[part]
        if value is None or isinstance(value, str):
            return value or "0"
        unit = (
            "mV" if part == "mv" else f" {wiring.case.circuit.sensor.unit}" if spec.answer is AnswerKind.VALUE else ""
        )
        return f"{value:.4f}{unit}"

    return read


def hall_circuit(desk):
    """A Hall circuit that nobody has read, made through the programs' interface."""

    def send(path, **body):
        request = urllib.request.Request(
            f"{desk.address}/api/v1{path}", json.dumps(body).encode(), {"Content-Type": "application/json"}
        )
        return json.load(urllib.request.urlopen(request))

    shelf = json.load(urllib.request.urlopen(f"{desk.address}/api/v1/shelf"))
    pins = [{"cavity": c, "role": r} for c, r in zip("ABC", ("reference", "return", "signal"), strict=True)]
    return send(
        f"/jobs/{desk.jobs['LT-7']['uid']}/circuits", name="Drum speed", pins=pins,
        sensor_type_uid=next(s["uid"] for s in shelf["sensor_types"] if "Hall" in s["name"]),
        pull_up={"resistance_ohm": 4700, "to_v": 5}, sharers="Throttle position",
        stimuli=[{"label": "target away"}, {"label": "target there"}],
    )["uid"]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "fault", "says"),
    [
        ("Brake line pressure", "signal_open", "Signal wire open"),
        ("Coolant temperature", "thermistor_short", "Thermistor shorted"),
        ("Hall", "signal_pull_up_missing", "Pull-up missing on the signal input"),
    ],
    ids=["three-wire", "thermistor", "Hall"],
)
def test_a_hidden_fault_is_found_by_doing_what_is_asked(desk, demo, name, fault, says):
    uid = UUID(hall_circuit(desk) if name == "Hall" else desk.circuit(name))
    read = simulated(demo, uid, fault)
    desk.go(f"/circuits/{uid}/bench")
    asked = []
    while len(asked) < 24:
        try:
            form = desk.window.find_element(By.ID, "ask-form")
        except NoSuchElementException:
            break
        test_point = form.find_element(By.NAME, "test_point").get_attribute("value")
        asked.append(test_point)
        typed = read(TestPoint.from_text(test_point))
        desk.press_and_load(KEYS[typed] if typed in KEYS else typed + Keys.ENTER)
        assert desk.window.find_elements(By.CSS_SELECTOR, ".saved"), desk.see(".ask")
    verdict = desk.see(".verdict")
    assert verdict.startswith("fail") or "Fault found" in verdict, (asked, verdict)
    assert says in verdict
    assert "Repair, then retest" in desk.see(".ask h2")
    assert len(asked) <= 16, asked
    assert desk.complaints() == []


def test_an_answer_can_be_looked_at_before_it_is_given_and_taken_back_after(desk):
    uid = desk.circuit("Brake line pressure")
    desk.go(f"/circuits/{uid}/bench?test=open_v:A")
    desk.press("0.02")
    desk.tab_to("What if?")
    desk.press_and_load(Keys.ENTER)
    assert "If it reads 20 mV, this is left" in desk.see(".ahead")
    assert "reference" in desk.see(".left-over")
    assert not desk.window.find_elements(By.CSS_SELECTOR, ".saved"), "nothing was recorded"
    desk.go(f"/circuits/{uid}/bench?test=open_v:A")
    desk.press_and_load("4.98" + Keys.ENTER)
    desk.press_and_load("u")
    assert "the reference, pin A" in desk.see(".ask h2")
    line = next(e for e in desk.window.find_elements(By.CSS_SELECTOR, ".line") if "reference (A)" in e.text)
    assert "4.98" not in line.text.split("Wanted")[0]
    assert desk.complaints() == []


def test_a_practice_circuit_is_read_by_the_simulator_and_tells_its_fault_on_demand(desk):
    board = desk.circuit("Oil pressure")
    desk.go(f"/circuits/{board}/bench")
    desk.press_and_load("s")
    assert "V" in desk.see(".saved-head")
    desk.window.find_element(By.LINK_TEXT, "Show what is hidden").click()
    assert "1 reading ·" in desk.see(".debrief")
    desk.go(f"/circuits/{desk.circuit('Brake line pressure')}/bench")
    assert not desk.window.find_elements(By.CSS_SELECTOR, ".simulate"), "a customer's job"
