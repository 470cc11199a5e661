"""`./iron shots`: retakes docs/screenshots from the demo shop, at 1280 × 800."""

from __future__ import annotations

import json
import sys
import urllib.request
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.common.keys import Keys

from irongauge.demo import load_demo
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from tools.browser import chromium
from tools.serving import serving, throwaway_cluster

TARGET = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
# What has been entered on the brake line when its picture is taken: numbers end with Enter, a lamp key stands alone.
ENTERED = ("12.58", "b", "4.98", "2mV", "6mV", "g", "4.90", "b", "d", "5.00", "4.93", "11mV", "0.50", "0.49", "0.02")


def take(window: webdriver.Chrome, address: str) -> None:
    with urllib.request.urlopen(f"{address}/api/v1/jobs") as answer:
        jobs = {job["vehicle"]: job for job in json.load(answer)}
    circuits = {c["name"]: c["uid"] for job in jobs.values() for c in job["circuits"]}

    def shoot(name: str, path: str, theme: str = "light") -> None:
        window.get(f"{address}/")
        window.execute_script("localStorage.setItem('theme', arguments[0])", theme)
        window.get(address + path)
        window.save_screenshot(str(TARGET / f"{name}.png"))

    window.get(f"{address}/circuits/{circuits['Brake line pressure']}/bench")
    for typed in ENTERED:
        window.switch_to.active_element.send_keys(typed if len(typed) == 1 else typed + Keys.ENTER)
        window.find_element("css selector", ".saved")
    shoot("floor", "/")
    shoot("job", f"/jobs/{jobs['LT-7']['uid']}")
    window.get(address + f"/circuits/{circuits['Brake line pressure']}/bench")
    window.switch_to.active_element.send_keys("2.28" + Keys.ENTER)
    window.save_screenshot(str(TARGET / "bench.png"))
    shoot("bench-fault-dark", f"/circuits/{circuits['Blade tilt angle']}/bench", "dark")
    shoot("handover", f"/jobs/{jobs['D-3']['uid']}/handover")
    shoot("shelf", "/shelf")


def main() -> int:
    TARGET.mkdir(parents=True, exist_ok=True)
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        database.close()
        with serving(url) as address, chromium() as window:
            window.implicitly_wait(5)
            take(window, address)
    print(f"Taken into {TARGET}: {', '.join(sorted(p.name for p in TARGET.glob('*.png')))}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
