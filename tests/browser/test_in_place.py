"""Questions drawn, in a browser: what is typed is drawn, the guide opens over it, and nothing typed is lost."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select


def test_the_guide_opens_over_what_is_typed_and_closes_again(desk):
    desk.go("/pulse/gap")
    desk.fill("Feelers", "1.0 1.1 1.2")
    desk.tab_to("Guide to this page")
    desk.press(Keys.ENTER)
    desk.until(lambda: "Air gap" in desk.see("[data-help-dialog]"))
    assert desk.violations() == []
    desk.press(Keys.ESCAPE)
    desk.until(lambda: not desk.window.find_element(By.CSS_SELECTOR, "[data-help-dialog]").is_displayed())
    assert desk.window.find_element(By.ID, "f-readings").get_attribute("value") == "1.0 1.1 1.2"
    desk.go("/shelf")
    desk.press("?")
    desk.until(lambda: "Sensor type" in desk.see("[data-help-dialog]"))
    desk.press("?")
    desk.until(lambda: not desk.window.find_element(By.CSS_SELECTOR, "[data-help-dialog]").is_displayed())
    assert desk.complaints() == []


def test_the_guide_is_searched_while_one_types(desk):
    desk.go("/guide")
    desk.press("hyst")
    desk.until(lambda: "a calibration" in desk.see("#live-guide"))
    assert desk.complaints() == []


def test_feelers_are_drawn_as_they_are_typed_and_the_example_goes(desk):
    desk.go("/pulse/gap?circuit_uid=")
    assert "An example" in desk.see("#live-drawing")
    desk.fill("Feelers", "1.0 1.0 1.0 1.5 1.0 1.0")
    desk.until(lambda: len(desk.window.find_elements(By.CSS_SELECTOR, ".feeler")) == 6)
    desk.until(lambda: len(desk.window.find_elements(By.CSS_SELECTOR, ".feeler.odd")) == 1)
    assert "An example" not in desk.see("#live-drawing")
    assert desk.complaints() == []


def test_a_contradiction_stands_at_its_field_and_goes_when_it_is_emptied(desk):
    desk.go("/pulse?circuit_uid=")
    for label, typed in (("Teeth", "20"), ("Axle ratio", "4.3"), ("Tyre", "0.72 m"), ("Pulses", "30000")):
        desk.fill(label, typed)
    desk.until(lambda: "others give" in desk.see("#say-tyre") + desk.see("#say-axle_ratio") + desk.see("#say-teeth"))
    desk.tab_to("Pulses")
    desk.press(Keys.CONTROL, "a")
    desk.press(Keys.DELETE, Keys.TAB)
    desk.until(lambda: desk.window.find_element(By.ID, "f-pulses").get_attribute("value") == "38020.35")
    assert "follows" in desk.window.find_element(By.ID, "f-pulses").get_attribute("class")
    assert desk.complaints() == []


def test_the_connector_shows_as_many_cavities_as_the_sensor_has(desk):
    desk.go(f"/jobs/{desk.jobs['LT-7']['uid']}/circuits/new")

    def shown():
        return sum(e.is_displayed() for e in desk.window.find_elements(By.CSS_SELECTOR, ".cavity-in"))

    assert shown() == 3
    sensor = Select(desk.window.find_element(By.ID, "f-sensor_type_uid"))
    for words, count in (("with NTC", 4), ("V800 coil", 2), ("Not on the Shelf", 3)):
        sensor.select_by_visible_text(next(o.text for o in sensor.options if words in o.text))
        desk.until(lambda count=count: shown() == count)
    assert desk.window.find_element(By.CSS_SELECTOR, ".type-here").is_displayed()
    desk.window.find_element(By.ID, "f-type_value_low").send_keys("0 bar")
    Select(desk.window.find_element(By.ID, "f-type_pressure_base")).select_by_value("gauge")
    desk.window.find_element(By.ID, "f-type_value_high").send_keys("6 bar")
    desk.window.find_element(By.ID, "f-type_name").send_keys("Gull S6")
    desk.until(
        lambda: (
            "from 0 to 6 bar" in desk.window.find_element(By.CSS_SELECTOR, "#live-type svg").get_attribute("aria-label")
        ),
    )
    desk.window.find_element(By.ID, "f-colour_1").send_keys("red/white")
    desk.until(lambda: len(desk.window.find_elements(By.CSS_SELECTOR, "#wire-1 path[stroke]")) == 2)
    assert desk.complaints() == []


def test_the_bench_keeps_question_ladder_verdict_and_last_readings_on_one_screen(desk):
    desk.size(1280, 800)
    desk.go(f"/circuits/{desk.circuit('Boost pressure')}/bench")
    for part in ("#ask-title", ".ladder", ".verdict", ".newest"):
        box = desk.window.find_element(By.CSS_SELECTOR, part).rect
        assert box["y"] + box["height"] <= 800, part
    assert len(desk.window.find_elements(By.CSS_SELECTOR, ".newest li")) == 3
    desk.window.execute_script("window.scrollTo(0, document.body.scrollHeight)")
    top = "return document.querySelector('.stay').getBoundingClientRect().top"
    desk.until(lambda: 0 <= desk.window.execute_script(top) < 100)
    assert desk.complaints() == []


def test_what_was_folded_open_is_open_on_the_next_page(desk):
    desk.go("/curve/convert")
    desk.unfold("What feeds it")
    desk.go("/curve/check")
    desk.until(lambda: desk.window.find_element(By.CSS_SELECTOR, "details[data-remember=feed]").get_attribute("open"))
    assert desk.complaints() == []


def test_the_floor_follows_what_is_typed(desk):
    desk.go("/")
    desk.fill("Filter by name", "groomer")
    desk.until(lambda: len(desk.window.find_elements(By.CSS_SELECTOR, ".floor-line")) == 1)
    assert "G-12" in desk.see(".floor")
    assert desk.complaints() == []
