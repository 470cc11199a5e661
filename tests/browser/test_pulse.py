"""The Pulse room in a browser: a capture handed in, walked through by keys and kept; the panel by keyboard; the road speed."""

from __future__ import annotations

import numpy as np
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

from irongauge.instruments.waveforms import Pickup, Ring, capture

# Two fingers put down 200 px apart, one of them drawn away to 600 px.
PINCH = """
const canvas = arguments[0];
const box = canvas.getBoundingClientRect();
canvas.setPointerCapture = () => {};
for (const [kind, id, x] of [["down", 1, 300], ["down", 2, 500], ["move", 2, 900], ["up", 1, 300], ["up", 2, 900]]) {
  const place = { pointerId: id, clientX: box.left + x, clientY: box.top + 80, bubbles: true };
  canvas.dispatchEvent(new PointerEvent(`pointer${kind}`, place));
}
"""


def _choose(desk, label, words):
    desk.tab_to(label)
    field = Select(desk.window.switch_to.active_element)
    field.select_by_visible_text(next(o.text for o in field.options if words in o.text))


@pytest.fixture
def uneven(tmp_path):
    taken = capture(Ring(36, late_pct={11: 7.0}), Pickup(), turn_hz=(4, 4), seconds=3.0, rate_hz=20_000, seed=3)
    path = tmp_path / "from-the-scope.csv"
    np.savetxt(path, np.column_stack(taken), fmt="%.6f", delimiter=";", header="time (s);A (V)", comments="")
    return path


def _press_button(desk, words):
    desk.tab_to(words)
    desk.press_and_load(Keys.ENTER)
    return True


def _hand_in(desk, path):
    desk.go("/pulse/waveform")
    desk.window.find_element(By.ID, "f-file").send_keys(str(path))
    desk.tab_to("Read the capture")
    desk.press(Keys.ENTER)


def _shown(desk):
    """The stretch on the canvas, as the page says it."""
    first, last = desk.see("[data-range]").split(" of ")[0].split(" to ")
    return float(first.split()[0]), float(last.split()[0])


def _inked(desk):
    """Whether anything but the ground is drawn on the waveform's canvas."""
    return desk.window.execute_script(
        "const c = document.querySelector('[data-wave]'), d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;"
        "const seen = new Set(); for (let i = 0; i < d.length; i += 4) seen.add(d[i] << 16 | d[i + 1] << 8 | d[i + 2]);"
        "return seen.size;"
    )


def test_a_capture_is_handed_in_walked_through_by_keys_and_kept(desk, uneven):
    _hand_in(desk, uneven)
    desk.until(lambda: "/pulse/captures/" in desk.window.current_url)
    desk.until(lambda: "of 36 stands" in desk.see(".wave-verdict"))
    assert "% of a pitch late" in desk.see(".wave-verdict")
    assert desk.see(".wave-main") == "144 Hz"
    desk.until(lambda: _inked(desk) > 20)
    begin, end = _shown(desk)
    desk.press("+")
    desk.until(lambda: _shown(desk)[1] - _shown(desk)[0] < 0.6 * (end - begin))
    at = _shown(desk)
    desk.press("n")
    desk.until(lambda: _shown(desk)[0] > at[0])
    desk.press(Keys.ARROW_LEFT)
    desk.press("0")
    desk.until(lambda: desk.see("[data-range]").startswith("0.00 s to 3.00 s"))
    assert desk.window.find_elements(By.CSS_SELECTOR, ".ring-tooth.wrong")
    assert len(desk.window.find_elements(By.CSS_SELECTOR, ".ring-tooth")) == 36
    _choose(desk, "Keep it with", "Propeller shaft speed")
    _choose(desk, "Captured by", "Ottoline")
    desk.tab_to("Keep it")
    while desk.window.switch_to.active_element.tag_name != "button":
        desk.press(Keys.TAB)
    desk.press_and_load(Keys.ENTER)
    assert "Kept with Propeller shaft speed" in desk.see(".kept-line")
    desk.go(f"/circuits/{desk.circuit('Propeller shaft speed')}/bench")
    assert "Captured waveform: uneven tooth" in desk.see(".pulse-marks")
    assert desk.complaints() == []


def test_a_waveform_is_moved_and_zoomed_by_mouse_and_touch(desk, uneven):
    _hand_in(desk, uneven)
    desk.until(lambda: desk.see("[data-range]") != "")
    canvas = desk.window.find_element(By.CSS_SELECTOR, "[data-wave]")
    begin, end = _shown(desk)
    ActionChains(desk.window).drag_and_drop_by_offset(canvas, -200, 0).perform()
    desk.until(lambda: _shown(desk)[0] > begin)
    moved = _shown(desk)
    assert moved[1] - moved[0] == pytest.approx(end - begin, abs=1)
    desk.window.execute_script(PINCH, canvas)
    desk.until(lambda: _shown(desk)[1] - _shown(desk)[0] < 0.5 * (end - begin))
    desk.window.find_element(By.XPATH, "//button[contains(., 'All')]").click()
    desk.until(lambda: "3.00 s" in desk.see("[data-range]"))
    desk.size(390, 800)
    desk.until(lambda: _inked(desk) > 10)
    assert desk.window.execute_script("return document.documentElement.scrollWidth") <= 390
    assert desk.complaints() == []


def test_a_file_that_is_no_capture_is_refused_beside_it_and_stays_chosen(desk, tmp_path):
    path = tmp_path / "notes.csv"
    path.write_text("just some words\n" * 50)
    _hand_in(desk, path)
    desk.until(lambda: "cannot be told apart" in desk.see("[data-refused]"))
    chosen = desk.window.execute_script("return document.getElementById('f-file').files[0].name")
    assert chosen == "notes.csv"
    assert desk.window.find_element(By.XPATH, "//button[contains(., 'Read the capture')]").is_enabled()
    assert desk.complaints() == []


def test_what_it_should_read_follows_the_keys_both_ways(desk):
    desk.go("/pulse")
    for typed in ("20", "4.3", "0.72 m"):
        desk.press(typed, Keys.TAB)
    desk.fill("Road speed", "30")
    desk.until(lambda: "316.836 Hz" in desk.see("#live-answer"))
    desk.until(lambda: desk.window.find_element(By.ID, "f-frequency").get_attribute("value") == "316.836")
    desk.fill("At the sensor", "158.418")
    desk.until(lambda: desk.window.find_element(By.ID, "f-speed").get_attribute("value") == "15")
    desk.until(lambda: "38020.3" in desk.see("#live-answer"))
    desk.unfold("turned by hand")
    desk.fill("Turns of the wheel", "10")
    assert desk.complaints() == []


# Answers are held back until they are let go: what a slow server looks like to whoever types on.
HOLD = """
window.held = [];
const fetched = window.fetch;
window.fetch = (...asked) => fetched(...asked).then((answer) => new Promise((go) => window.held.push(() => go(answer))));
"""
# In one breath: another field is typed into and left, and the answer from before that key arrives.
TYPE_AND_LET_GO = """
const field = document.getElementById(arguments[0]);
field.focus();
field.value = arguments[1];
field.dispatchEvent(new InputEvent("input", { bubbles: true }));
field.blur();
window.held.splice(0).forEach((go) => go());
"""


def test_an_answer_from_before_a_key_never_empties_the_field_that_was_typed_into(desk):
    desk.go("/pulse")
    desk.window.execute_script(HOLD)
    desk.fill("Teeth", "20")
    desk.until(lambda: desk.window.execute_script("return window.held.length") == 1)
    for name, typed in (("f-axle_ratio", "4.3"), ("f-tyre", "0.72 m"), ("f-speed", "30")):
        desk.window.execute_script(TYPE_AND_LET_GO, name, typed)
        desk.until(lambda: desk.window.execute_script("return window.held.length") == 1)
    values = [desk.window.find_element(By.ID, f"f-{n}").get_attribute("value") for n in ("axle_ratio", "tyre", "speed")]
    assert values == ["4.3", "0.72 m", "30"]
    desk.window.execute_script("window.held.splice(0).forEach((go) => go())")
    desk.until(lambda: "316.836 Hz" in desk.see("#live-answer"))
    assert desk.complaints() == []


def test_pairs_of_speed_give_one_figure_and_are_kept_as_found(desk):
    desk.go("/pulse/speed")
    desk.press("50 55.1", Keys.ENTER, "80 87.9", Keys.ENTER, "100 110.2")
    desk.fill("Figure in the display now", "1.25")
    desk.until(lambda: "Choose what that figure is" in desk.see(".under-number"))
    _choose(desk, "That figure is", "multiplier")
    desk.until(lambda: desk.see(".big-number") == "1.3761")
    assert "one person drives" in desk.see(".caution")
    _choose(desk, "Belongs to", "Axle speed")
    desk.until(lambda: "Air gap" in desk.see(".kept-pulses"))  # what is kept follows the choice
    typed = desk.window.find_element(By.CSS_SELECTOR, ".track-panel [name=old]")
    assert typed.get_attribute("value") == "1.25"  # files that are handed in lose nothing that was typed
    _choose(desk, "Done by", "Bram")
    desk.until(
        lambda: desk.window.find_element(By.CSS_SELECTOR, ".keep-form [name=technician_uid]").get_attribute("value"),
    )
    # Leaving the last field asks once more, and the answer puts another button in the place of this one.
    desk.until(lambda: _press_button(desk, "Keep with Axle speed"))
    assert "Kept with Axle speed" in desk.see(".kept-line")
    assert "Road speed: as found, it reads 9.17" in desk.see(".kept-pulses")
    desk.fill("Check drive", "55 55.1")
    desk.press(Keys.ENTER, "110 110.2")
    desk.until(lambda: "as left" in desk.see(".entry-verdict"))
    assert desk.complaints() == []
