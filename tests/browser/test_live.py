"""Watching a bus by hand: values that move, a bus that falls silent, the field of the Bench that fills itself."""

from __future__ import annotations

from selenium.webdriver.common.by import By

from irongauge.demo.shelf import uid_of
from tools.holding import held

PLUG = uid_of("plug LT-7")


def _find(desk, selector):
    return desk.window.find_element(By.CSS_SELECTOR, selector)


def test_values_move_and_a_bus_that_falls_silent_is_struck_through(desk, demo):
    with held(demo, PLUG):
        desk.go("/trace/live")
        desk.until(lambda: _find(desk, "[data-fresh]").text == "fresh")
        first = _find(desk, "[data-line]").get_attribute("d")
        desk.until(lambda: len(_find(desk, "[data-line]").get_attribute("d")) > len(first))
        assert "to" in _find(desk, "[data-reach]").text
    desk.until(lambda: _find(desk, "[data-fresh]").text == "silent")
    assert "stale" in _find(desk, "[data-events]").get_attribute("class")
    with held(demo, PLUG):
        desk.until(lambda: _find(desk, "[data-fresh]").text == "fresh")


def test_the_last_minute_and_its_reach_are_there_again_after_a_reload(desk, demo):
    with held(demo, PLUG):
        desk.go("/trace/live")
        desk.until(lambda: _find(desk, "[data-line]").get_attribute("d").count("L") > 8)
        desk.go("/trace/live")
        desk.until(lambda: _find(desk, "[data-line]").get_attribute("d"))
        assert _find(desk, "[data-line]").get_attribute("d").count("L") > 8


def test_a_value_the_page_was_not_made_for_loads_it_anew_once(desk, demo):
    """Events go on coming while a slow page is on its way: were each to ask for it again, it would never be there."""
    with held(demo, PLUG):
        desk.go("/trace/live")
        desk.until(lambda: _find(desk, "[data-fresh]").text == "fresh")
        asked = desk.window.execute_async_script(
            "const [done] = arguments; const on = Alpine.$data(document.querySelector('[data-events]'));"
            "const source = on.source; const told = {age_s: 0, points: [], tiles: [{name: 'new'}, {name: 'newer'}]};"
            "let left = 0; window.addEventListener('beforeunload', () => { left += 1; });"
            "on.take(told); done([left, source.readyState])"
        )
        assert asked == [1, 2], "asked for once, and listens no more"
        desk.until(lambda: _find(desk, "[data-fresh]").text == "fresh")
