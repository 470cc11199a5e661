"""The technician's path by keyboard alone, from the Floor to the sheet; and what a slip on the way looks like."""

import base64

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

# What may be asked on the brake line circuit, and what is answered: a number with Enter, or one key for the lamp.
ANSWERS = {
    "across the battery. What": "12.58",
    "test lamp across the battery": "b",
    "Measure the reference, pin A (red)": "4.98",
    "Measure the return, pin B (black)": "2mV",
    "Measure the signal, pin C (blue)": "6 mV",
    "from battery negative to the reference": "g",
    "Lamp still on the reference": "4,90",
    "from battery positive to the return": "b",
    "from battery positive to the signal": "d",
    "Lamp from battery positive on the signal": "5.00",
    "Probe the reference": "4.93",
    "Probe the return": "11mV",
    "Vented: 0 bar. Connector on. Probe the signal": "0.50",
    "Vented: 0 bar. What volts": "0.49",
    "Vented: 0 bar. What value": "0.02",
    "Pedal held: 4.5 bar. Connector on. Probe the signal": "2.28",
    "Pedal held: 4.5 bar. What volts": "2.27",
    "Pedal held: 4.5 bar. What value": "4.51",
    "Jump the signal, pin C (blue) to the return": "0.00",
    "Jump the signal, pin C (blue) to battery negative": "0.00",
    "Connector off: what volts does live data show": "0.01",
    "ohms from the reference, pin A (red) to its return": "5.2k",
    "Unplug every other sensor": "4.98",
}


def answer(desk, typed):
    desk.press_and_load(typed if len(typed) == 1 else typed + Keys.ENTER)


def test_a_circuit_is_proved_by_keyboard_alone(desk):
    desk.go("/")
    desk.tab_to("Brake gauge reads low")
    desk.press_and_load(Keys.ENTER)
    desk.tab_to("Bench for Brake line pressure")
    desk.press_and_load(Keys.ENTER)
    for _ in range(2 * len(ANSWERS)):
        asked = desk.see(".ask h2")
        if asked == "Proved good. Next:":
            break
        answer(desk, next(typed for words, typed in ANSWERS.items() if words.lower() in asked.lower()))
        assert desk.see(".saved").startswith("pass"), desk.see(".saved")
    assert "Proved good" in desk.see(".verdict")
    assert "Proved good. Next:" in desk.see(".ask h2")
    desk.unfold("readings good")
    signal = next(
        line.text for line in desk.window.find_elements(By.CSS_SELECTOR, ".line") if "signal (C), pedal" in line.text
    )
    assert "With the measured reference (4.919 V across the sensor) that is 4.516 bar" in signal
    desk.press("j")
    desk.tab_to("Handover sheet")
    desk.press_and_load(Keys.ENTER)
    sheet = desk.see(".paper")
    assert (
        "Brake line pressure\nproved good" in sheet.replace(" \n", "\n") or "Brake line pressure proved good" in sheet
    )
    assert "Winch oil pressure: fault found" in sheet
    assert desk.complaints() == []


def test_a_slip_is_pointed_out_kept_and_corrected(desk):
    desk.go(f"/circuits/{desk.circuit('Brake line pressure')}/bench?test=open_v:A")
    answer(desk, "4.9.8")
    field = desk.window.switch_to.active_element
    assert field.get_attribute("value") == "4.9.8"
    assert field.get_attribute("aria-invalid") == "true"
    problem = desk.window.find_element(By.ID, field.get_attribute("aria-describedby"))
    assert "“4.9.8” is not a number. Type volts, such as 4.96, 4.96 V or 12mV." in problem.text
    answer(desk, "9.48")  # the wrong text is selected, so typing replaces it
    assert desk.see(".saved").startswith("fail")
    desk.press_and_load("c")
    assert "Takes the place of 9.48 V" in desk.see(".reason")
    assert desk.window.find_element(By.CSS_SELECTOR, "input[value=mistyped]").is_selected()
    answer(desk, "4.98")
    assert desk.see(".saved").startswith("pass")
    desk.unfold("reading good")
    line = next(
        e.text
        for e in desk.window.find_elements(By.CSS_SELECTOR, ".line")
        if "Unplugged volts: reference (A)" in e.text
    )
    assert "before: 9.48 V (mistyped)" in line
    assert desk.complaints() == []


def test_question_mark_shows_and_hides_the_keys(desk):
    desk.go(f"/circuits/{desk.circuit('Brake line pressure')}/bench")
    keys = desk.window.find_element(By.CSS_SELECTOR, ".keys")
    desk.until(lambda: not keys.is_displayed())
    desk.press("?")
    desk.until(keys.is_displayed)
    assert "glows dim" in keys.text
    desk.press("?")
    desk.until(lambda: not keys.is_displayed())
    assert desk.window.switch_to.active_element.get_attribute("value") == "", "the key is not typed into the field"


def test_enter_alone_never_answers_for_the_lamp(desk):
    desk.go(f"/circuits/{desk.circuit('Brake line pressure')}/bench?test=battery_lamp")
    desk.press(Keys.ENTER)
    assert "test lamp across the battery" in desk.see(".ask h2")
    assert desk.window.find_elements(By.CSS_SELECTOR, ".saved") == []


def test_a_vehicle_its_job_and_a_circuit_are_made_by_keyboard(desk):
    desk.go("/")
    desk.tab_to("Bring a vehicle in")
    desk.press_and_load(Keys.ENTER)
    desk.fill("Tag", "LT-8")
    desk.press_and_load(Keys.ENTER)
    desk.fill("Complaint", "Second tractor")
    desk.tab_to("Technician")
    desk.press("Sun")
    desk.tab_to("Start it")
    desk.press_and_load(Keys.ENTER)
    desk.fill("Circuit", "Lift pressure")
    desk.tab_to("Sensor fitted")
    desk.press("Orrin P10")
    desk.tab_to("Second test value: how")
    desk.fill("Value there", "4.5")
    desk.tab_to("Add it and go to the Bench")
    desk.press_and_load(Keys.ENTER)
    assert desk.see(".crumbs [aria-current]") == "Lift pressure"
    answer(desk, "12.6")
    answer(desk, "b")
    assert "the signal" not in desk.see(".ask h2"), "roles are not known yet"
    assert desk.complaints() == []


@pytest.mark.parametrize(("paper", "width", "height"), [("A4", 8.27, 11.69), ("Letter", 8.5, 11.0)])
def test_the_sheet_prints_on_both_papers(desk, paper, width, height):
    desk.go(f"/jobs/{desk.jobs['P-2']['uid']}/handover")
    pdf = base64.b64decode(
        desk.window.execute_cdp_cmd("Page.printToPDF", {"paperWidth": width, "paperHeight": height})["data"]
    )
    assert 1 <= pdf.count(b"/Type /Page\n") <= 2, f"two circuits fit on two {paper} pages"
    desk.window.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    desk.size(int((width - 1.1) * 96), 1000)  # the page's width less its margins
    try:
        assert desk.window.execute_script("return document.documentElement.scrollWidth <= innerWidth")
        assert not desk.window.find_element(By.CSS_SELECTOR, "header.top").is_displayed()
        assert not desk.window.find_element(By.CSS_SELECTOR, ".hand").is_displayed()
    finally:
        desk.window.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": ""})


def test_a_form_that_is_left_for_the_shelf_is_there_again(desk):
    new = f"/jobs/{desk.jobs['LT-7']['uid']}/circuits/new"
    desk.go(new)
    desk.fill("Circuit", "Clutch pressure with a long name")
    desk.window.find_element("css selector", "a[data-comes-back]").click()
    desk.go(new)
    assert desk.window.find_element("name", "name").get_attribute("value") == "Clutch pressure with a long name"
    assert "is here again" in desk.see("[data-given-back]")
    desk.go(new)
    assert desk.window.find_element("name", "name").get_attribute("value") == "", "it is given back once"


def test_a_job_that_is_left_for_a_new_vehicle_comes_back_with_that_vehicle(desk):
    desk.go("/jobs/new")
    desk.fill("Complaint", "Crane does not stop")
    desk.window.find_element("css selector", "a[data-comes-back]").click()
    desk.fill("Tag", "C-9")
    desk.press_and_load(Keys.ENTER)
    assert desk.window.find_element("name", "title").get_attribute("value") == "Crane does not stop"
    chosen = desk.window.find_element("css selector", "[name=vehicle_uid] option:checked").text
    assert chosen.startswith("C-9"), "what the way back chose stays"
