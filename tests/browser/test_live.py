"""Watching a bus by hand: values that move, a bus that falls silent, the field of the Bench that fills itself."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from irongauge.demo.shelf import uid_of
from tools.holding import held

PLUG = uid_of("plug LT-7")


def _until(desk, check, seconds=15):
    return WebDriverWait(desk.window, seconds, ignored_exceptions=(Exception,)).until(lambda _: check())


def _find(desk, selector):
    return desk.window.find_element(By.CSS_SELECTOR, selector)


def test_values_move_and_a_bus_that_falls_silent_is_struck_through(desk, demo):
    with held(demo, PLUG):
        desk.go("/trace/live")
        _until(desk, lambda: _find(desk, "[data-fresh]").text == "fresh")
        first = _find(desk, "[data-line]").get_attribute("d")
        _until(desk, lambda: len(_find(desk, "[data-line]").get_attribute("d")) > len(first))
        assert "to" in _find(desk, "[data-reach]").text
    _until(desk, lambda: _find(desk, "[data-fresh]").text == "silent")
    assert "stale" in _find(desk, "[data-events]").get_attribute("class")
    with held(demo, PLUG):
        _until(desk, lambda: _find(desk, "[data-fresh]").text == "fresh")


def test_the_last_minute_and_its_reach_are_there_again_after_a_reload(desk, demo):
    with held(demo, PLUG):
        desk.go("/trace/live")
        _until(desk, lambda: _find(desk, "[data-line]").get_attribute("d").count("L") > 8)
        desk.go("/trace/live")
        _until(desk, lambda: _find(desk, "[data-line]").get_attribute("d").count("L") > 8, 3)
