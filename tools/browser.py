"""Headless Chromium from Debian's packages, through Selenium: for the browser tests, the screenshots and the measuring."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

__all__ = ["chromium"]

_ARGUMENTS = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--hide-scrollbars",
    "--force-color-profile=srgb",
    "--lang=en-GB",
)


@contextmanager
def chromium(width: int = 1280, height: int = 800) -> Iterator[webdriver.Chrome]:
    """A fresh browser with an empty profile. Raises `RuntimeError` when Chromium or its driver is missing."""
    browser, driver = shutil.which("chromium"), shutil.which("chromedriver")
    if browser is None or driver is None:
        msg = "chromium or chromedriver is missing; ./iron test installs both"
        raise RuntimeError(msg)
    with tempfile.TemporaryDirectory(prefix="irongauge-chromium-", ignore_cleanup_errors=True) as profile:
        options = Options()
        options.binary_location = browser
        for argument in (*_ARGUMENTS, f"--user-data-dir={profile}", f"--window-size={width},{height}"):
            options.add_argument(argument)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        window = webdriver.Chrome(options=options, service=Service(driver))
        try:
            set_size(window, width, height)
            # Without it keys may arrive as at a window in the background: behind the text instead of over what is selected.
            window.execute_cdp_cmd("Emulation.setFocusEmulationEnabled", {"enabled": True})
            yield window
        finally:
            window.quit()


def set_size(window: webdriver.Chrome, width: int, height: int) -> None:
    """Make the page itself that large, whatever the window's frame takes."""
    window.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
    )
