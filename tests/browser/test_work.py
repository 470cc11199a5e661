"""The order of the work by pointer: a step is dragged to somebody else and to another hour; a better plan is looked for."""

import json
import urllib.request
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from selenium.common.exceptions import NoSuchElementException, StaleElementReferenceException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from irongauge.core.work.hours import Shift
from irongauge.demo.shelf import uid_of
from irongauge.workflows.work.session import change_hours

HOSE = f"{uid_of('P-2')}/added:{uid_of('step hose')}"


def planned(desk):
    with urllib.request.urlopen(f"{desk.address}/api/v1/plan/session") as answer:
        return next(step for step in json.load(answer)["steps"] if step["key"] == HOSE)


def test_a_step_is_dragged_to_another_hour_and_person(desk, demo):
    tomorrow = datetime.now(ZoneInfo("Europe/London")) + timedelta(days=1)  # so that it matters not what time it is now
    change_hours(demo, None, (Shift(tomorrow.weekday(), 6 * 60, 18 * 60),))
    before = planned(desk)
    desk.go("/work")
    bar = desk.window.find_element(By.CSS_SELECTOR, f'[data-step="{HOSE}"] rect')
    lane = next(
        one
        for one in desk.window.find_elements(By.CSS_SELECTOR, "[data-lane]")
        if "Ottoline" in one.text and one.get_attribute("data-lane") != before["people"][0]
    )
    down = lane.rect["y"] + lane.rect["height"] / 2 - bar.rect["y"] - bar.rect["height"] / 2
    ActionChains(desk.window).move_to_element(bar).click_and_hold().move_by_offset(40, int(down / 2)).move_by_offset(
        40, int(down - down / 2)
    ).release().perform()
    desk.until(lambda: "step=" in desk.window.current_url)
    after = planned(desk)
    assert after["people"] == [str(uid_of("Ottoline Marsh"))]
    assert after["begins"] > before["begins"]
    assert after["waits_for"] == [{"kind": "the time that was set for it", "of": ""}]
    assert desk.complaints() == []


def button(window):
    return window.find_element(By.CSS_SELECTOR, "[data-better] button").text


def test_a_better_plan_is_looked_for_and_can_be_stopped(desk):
    desk.go("/work")
    desk.window.find_element(By.CSS_SELECTOR, "[data-better] button").click()
    desk.until(lambda: button(desk.window) == "Stop looking")
    desk.window.find_element(By.CSS_SELECTOR, "[data-better] button").click()
    said = desk.window.find_element(By.CSS_SELECTOR, ".lanes [aria-live]")

    def told():  # where one was found the page is loaded anew
        try:
            return said.text.startswith(("Looked", "A better plan"))
        except (NoSuchElementException, StaleElementReferenceException):
            return True

    desk.until(told)
    assert button(desk.window) == "Look for a better plan"
    assert desk.complaints() == []
