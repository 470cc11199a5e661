"""The input board by pointer and by keys: a function is put on another pin, and the list of what changes is there."""

from selenium.webdriver.common.by import By

from irongauge.demo.shelf import uid_of

INPUTS = f"/vehicles/{uid_of('LT-7')}/inputs"
DROP = """
const [uid, pin] = arguments;
const data = new DataTransfer();
const chip = document.querySelector(`[data-function="${uid}"]`), cell = document.querySelector(`[data-pin$=":${pin}"]`);
chip.dispatchEvent(new DragEvent('dragstart', {bubbles: true, dataTransfer: data}));
cell.dispatchEvent(new DragEvent('dragover', {bubbles: true, cancelable: true, dataTransfer: data}));
cell.dispatchEvent(new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer: data}));
"""


def cell(desk, pin):
    return desk.window.find_element(By.CSS_SELECTOR, f'[data-pin$=":{pin}"]').text


def test_a_function_is_dragged_to_another_pin_and_what_stands_wrong_there_is_told(desk):
    desk.go(INPUTS)
    button = uid_of("function winch button")
    desk.window.execute_script(DROP, str(button), "DI 1")
    assert "will switch on by itself" in desk.see(".asked-move")
    assert "Winch button" in cell(desk, "AI 6")
    desk.tab_to("Put it on DI 1")
    desk.press_and_load("\n")
    assert "Winch button" in desk.see(".chosen-function h2")
    assert "Two functions on one input." in cell(desk, "DI 1")
    assert "free" in cell(desk, "AI 6")
    assert desk.complaints() == []


def test_a_function_is_moved_by_keys_alone(desk):
    desk.go(f"{INPUTS}?function={uid_of('function old fan')}")
    desk.tab_to("Put it on")
    desk.press("no input")
    desk.tab_to("Put it there")
    desk.press_and_load("\n")
    desk.tab_to("Put it on no input")
    desk.press_and_load("\n")
    assert "on no input" in desk.see(".chosen-function h2")
    assert "free" in cell(desk, "DI 1")


def test_a_button_that_only_asks_keeps_the_token_out_of_the_address(desk):
    desk.go(f"/vehicles/{uid_of('G-12')}/power")
    desk.fill("Feed name", "Horn")
    desk.fill("Loads", "Horn; 4")
    desk.tab_to("Work it out")
    desk.press_and_load("\n")
    assert "name=Horn" in desk.window.current_url
    assert "token" not in desk.window.current_url
    assert "4 A steady on a fuse of 10 A" in desk.see(".feed")
    desk.tab_to("Keep it")
    desk.press_and_load("\n")
    assert "Horn" in desk.see("main")
    assert desk.window.current_url.endswith("/power"), "it was kept, so the token was sent then"
    assert desk.complaints() == []
