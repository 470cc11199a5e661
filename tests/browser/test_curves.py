"""The Curve room in a browser: a calibration by keyboard to its signature, an entry found wrong, a clear no."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

UP = (("0", "0.497"), ("2.5", "1.489"), ("5", "2.482"), ("7.5", "3.475"), ("10", "4.468"))
DOWN = (("10", "4.468"), ("7.5", "3.480"), ("5", "2.489"), ("2.5", "1.493"), ("0", "0.498"))


def _choose(desk, label, words):
    desk.tab_to(label)
    field = Select(desk.window.switch_to.active_element)
    field.select_by_visible_text(next(o.text for o in field.options if words in o.text))


def test_five_points_up_and_down_by_keyboard_to_a_signed_record(desk):
    desk.go("/")
    desk.tab_to("Curve")
    desk.press_and_load(Keys.ENTER)
    desk.tab_to("Calibrate Brake line pressure of LT-7")
    desk.press_and_load(Keys.ENTER)
    _choose(desk, "Calibrated by", "Ottoline")
    _choose(desk, "Reference instrument", "Dial 16 bar")
    _choose(desk, "Meter", "Meter 4")
    desk.fill("It reads", "4.963")
    desk.press_and_load(Keys.ENTER)
    for number, (stimulus, reading) in enumerate((*UP, *DOWN)):
        assert f"Point {number + 1} of 10" in desk.see(".ask-state")
        desk.press(stimulus + Keys.ENTER)  # to the field that is still empty
        desk.press(reading)
        if number == 3:  # the point stands in the picture before it is taken
            desk.until(lambda: desk.window.find_elements(By.CSS_SELECTOR, ".dot-typed"))
            assert len(desk.window.find_elements(By.CSS_SELECTOR, ".whisker")) == 4
        desk.press_and_load(Keys.ENTER)
    assert "All planned points are taken" in desk.see(".sign-off h2")
    assert "Within tolerance at every point" in desk.see(".result")
    for word in ("offset", "span", "linearity", "hysteresis"):
        assert word in desk.see(".figures")
    desk.tab_to("Remark")
    desk.press_and_load("by keyboard" + Keys.ENTER)
    assert "Signed" in desk.see(".sign-off")
    assert "by keyboard" in desk.see(".sign-off")
    assert not desk.window.find_elements(By.CSS_SELECTOR, ".ask")
    desk.tab_to("Its controller numbers")
    desk.press_and_load(Keys.ENTER)
    assert "as calibrated (as found)" in desk.see("h1")
    assert "offset and slope" in desk.see(".offers")
    assert desk.complaints() == []


def test_an_entry_is_read_back_as_it_is_typed_and_found_wrong(desk):
    desk.go(f"/curve/check?source=circuit:{desk.circuit('Brake line pressure')}")
    desk.press("0.5", Keys.TAB)
    desk.press("0", Keys.TAB)
    desk.press("4.5", Keys.TAB)
    desk.press("145.04")
    desk.until(lambda: "wrong unit" in desk.see(".entry-verdict"))
    assert "The figures are in psi, and bar is shown." in desk.see(".entry-why")
    Select(desk.window.find_element(By.ID, "f-unit")).select_by_visible_text("psi")
    desk.until(lambda: "right" in desk.see(".entry-verdict"))
    Select(desk.window.find_element(By.ID, "f-kind")).select_by_visible_text("The value at 0 V and at 5 V")
    desk.until(lambda: desk.window.find_element(By.NAME, "value_at_0_V_and_5_V.shown_at_0").is_displayed())
    assert not desk.window.find_element(By.NAME, "end_points.reading_low").is_displayed()
    assert desk.complaints() == []


def test_a_sensor_is_chosen_by_need_with_a_clear_no(desk):
    desk.go("/curve/choose")
    desk.press("0", Keys.TAB)
    desk.press("1.6")
    desk.until(lambda: "2.772 bar absolute" in desk.see("#live-choose"))
    clips = next(e.text for e in desk.window.find_elements(By.CSS_SELECTOR, ".fit.clips") if "B25" in e.text)
    assert (
        "No, it would clip: reads at most 2.5 bar absolute, and 2.772 bar absolute is needed: 0.272 bar short." in clips
    )
    desk.unfold("The controller’s input")
    desk.fill("Works at", "1830")
    desk.until(lambda: "2.572 bar absolute" in desk.see("#live-choose"))
    assert desk.complaints() == []


def test_a_value_follows_the_volts_and_the_volts_the_value(desk):
    desk.go(f"/curve/convert?source=circuit:{desk.circuit('Brake line pressure')}")
    desk.press("2.5")
    desk.until(lambda: desk.window.find_element(By.ID, "f-value").get_attribute("value") == "5")
    desk.press(Keys.TAB, Keys.NULL)
    value = desk.window.switch_to.active_element
    assert value.get_attribute("id") == "f-value"
    value.send_keys(Keys.CONTROL, "a")
    value.send_keys("7.5")
    desk.until(lambda: desk.window.find_element(By.ID, "f-reading").get_attribute("value") == "3.5")
    assert desk.complaints() == []


def test_second_thoughts_stand_beside_the_card_while_it_is_typed(desk):
    desk.go("/shelf/sensor-types/new")
    desk.fill("Name", "Loft B4, 20–250 kPa absolute")
    _choose(desk, "Pressure is", "gauge")
    desk.fill("Value there", "20 kPa")
    desk.window.find_element(By.NAME, "value_high").send_keys("250 kPa")
    desk.until(lambda: "Its name says absolute, and gauge was chosen." in desk.see("#live-doubts"))
    Select(desk.window.find_element(By.NAME, "shape")).select_by_value("table")
    desk.until(lambda: desk.window.find_element(By.NAME, "table").is_displayed())
    assert desk.complaints() == []


# Each comparison as a person would type it, and the words that must then stand there.
COMPARED = {
    "two instruments on one hose": ({"first": "300 kPa", "second": "309 kPa", "known_to": "3 kPa"}, "disagree"),
    "manifold against barometer at key on": ({"first": "99.8 kPa", "second": "108.1 kPa"}, "sensor is off"),
    "manifold against barometer under boost": (
        {"first": "2.51 bar", "second": "2.50 bar", "full_scale": "3.0 bar"},
        "the barometer stands in boosted air",
    ),
    "source against display": (
        {"pairs": "50 50\n100 100\n150 150\n200 200"},
        "The display shows what the source gives",
    ),
    "a signal that stops rising": ({"pairs": "1 50\n2 100\n3 150\n4 170\n5 170"}, "clipped"),
    "expected at the input against shown": ({"expected": "2.5", "shown": "2,2 V"}, "shows less than should arrive"),
    "a sensor on a regulator of its own": ({"supply_v": "5.20", "reference_v": "4.93"}, "not ratiometric"),
}


def test_every_comparison_can_be_typed_and_is_answered(desk):
    desk.go("/curve/compare")
    kinds = [o.text for o in Select(desk.window.find_element(By.ID, "f-kind")).options]
    assert set(kinds) == set(COMPARED)
    for kind, (typed, says) in COMPARED.items():
        desk.go("/curve/compare")
        Select(desk.window.find_element(By.ID, "f-kind")).select_by_visible_text(kind)
        for name, text in typed.items():
            field = desk.window.find_element(By.NAME, name)
            assert field.is_displayed(), (kind, name)
            field.send_keys(text)
        desk.until(lambda says=says: says in desk.see("#live-compare"))
        others = {name for of, (fields, _) in COMPARED.items() if of != kind for name in fields} - typed.keys()
        shown = {name for name in others if desk.window.find_element(By.NAME, name).is_displayed()}
        assert shown <= {"known_to", "full_scale"}, (kind, shown)
    assert desk.complaints() == []
