from __future__ import annotations

import json
import urllib.request
from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.wait import WebDriverWait

from tools.browser import chromium, set_size
from tools.serving import serving

AXE = next((Path(__file__).parent / "vendor").glob("axe-core-*/axe.min.js")).read_text(encoding="utf-8")


class Desk:
    """A person at the browser: types, presses keys, looks."""

    def __init__(self, window, address: str) -> None:
        self.window = window
        self.address = address
        with urllib.request.urlopen(f"{address}/api/v1/jobs") as answer:
            self.jobs = {job["vehicle"]: job for job in json.load(answer)}

    def go(self, path: str) -> None:
        self.window.get(self.address + path)

    def circuit(self, name: str) -> str:
        return next(c["uid"] for job in self.jobs.values() for c in job["circuits"] if c["name"] == name)

    def links(self, part: str) -> list:
        """Links of this page whose address has that part."""
        return self.window.find_elements(By.CSS_SELECTOR, f'a[href*="{part}"]')

    def link(self, page: str, part: str) -> str:
        """The path behind the first link of a page that leads to an editor of such a thing."""
        self.go(page)
        found = next(a.get_attribute("href") for a in self.links(part) if a.get_attribute("href").endswith("/edit"))
        return found.split(self.address)[1]

    def see(self, selector: str) -> str:
        return self.window.find_element(By.CSS_SELECTOR, selector).text

    def until(self, holds: Callable[[], object]) -> None:
        """Wait until something holds; long, since a machine that does three things at once is no fault of the page."""
        soon = WebDriverWait(self.window, 60, ignored_exceptions=(Exception,))
        soon.until(lambda _: holds())

    def press(self, *keys: str) -> None:
        """Keys into whatever has the focus."""
        self.window.switch_to.active_element.send_keys(*keys)

    def press_and_load(self, *keys: str) -> None:
        """Keys that lead to another page; waits until it is there."""
        old = self.window.find_element(By.TAG_NAME, "html")
        self.press(*keys)
        self.until(lambda: _gone(old) and self.window.execute_script("return document.readyState") == "complete")

    def tab_to(self, words: str) -> None:
        """Tab until the focus is on something with these words."""
        for _ in range(80):
            active = self.window.switch_to.active_element
            name = active.accessible_name or active.text
            if active.tag_name != "body" and words in name:
                return
            ActionChains(self.window).send_keys(
                Keys.TAB
            ).perform()  # keys sent to a file field itself are a file's name
        msg = f"the keyboard does not reach {words!r}"
        raise AssertionError(msg)

    def fill(self, label: str, text: str) -> None:
        self.tab_to(label)
        self.press(Keys.CONTROL, "a")
        self.press(text)

    def unfold(self, words: str) -> None:
        """Open what is folded away under these words."""
        self.tab_to(words)
        self.press(Keys.ENTER)

    def theme(self, name: str) -> None:
        self.window.execute_script("localStorage.setItem('theme', arguments[0])", name)

    def shown_theme(self) -> str:
        return self.window.execute_script("return document.documentElement.dataset.bsTheme")

    def turn_theme(self, name: str) -> None:
        """The theme of the page as it stands and of all later ones."""
        self.theme(name)
        self.window.execute_script(
            "document.documentElement.dataset.bsTheme = arguments[0];"
            "document.body.offsetWidth; document.getAnimations().forEach(one => one.finish())",
            name,
        )  # colours that still fade are none that anybody reads by

    def size(self, width: int, height: int) -> None:
        set_size(self.window, width, height)

    def violations(self, *rules: str) -> list[str]:
        """What axe-core finds wrong with the page as it stands, by these rules or by all."""
        if not self.window.execute_script("return 'axe' in window"):
            self.window.execute_script(AXE)
        found = self.window.execute_async_script(
            "const done = arguments[1]; axe.run(document, arguments[0]).then(r => done(r.violations.map("
            "v => `${v.id}: ${v.nodes.map(n => n.target + ' ' + n.failureSummary).join(' | ')}`)))",
            {"runOnly": list(rules)} if rules else {},
        )
        return list(found)

    def complaints(self) -> list[str]:
        """What the browser's own console complains of, but for answers that a test provokes."""
        return [
            e["message"]
            for e in self.window.get_log("browser")
            if "422" not in e["message"] and "409" not in e["message"]
        ]


def _gone(element) -> bool:
    try:
        element.is_enabled()
    except (StaleElementReferenceException, WebDriverException):
        return True
    return False


@pytest.fixture(scope="session")
def window():
    with chromium() as made:
        yield made


@pytest.fixture(scope="module")
def standing_address(standing_demo):
    with serving(standing_demo.engine.url.render_as_string(hide_password=False)) as address:
        yield address


@pytest.fixture
def looker(window, standing_address):
    """A person who only looks, at a shop that the module's tests share."""
    yield from _seated(window, standing_address)


@pytest.fixture
def desk(window, demo):
    """A person at a shop of their own."""
    with serving(demo.engine.url.render_as_string(hide_password=False)) as address:
        yield from _seated(window, address)


def _seated(window, address):
    made = Desk(window, address)
    made.size(1280, 800)
    made.go("/nothing")  # any page of its address will do to set a theme
    made.theme("light")
    made.complaints()
    yield made
    window.get("about:blank")
