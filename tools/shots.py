"""`./iron shots`: retakes docs/screenshots from the demo shop, at 1280 × 800."""

from __future__ import annotations

import json
import sys
import time
import urllib.request
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from irongauge.demo import load_demo
from irongauge.demo.shelf import uid_of
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from tools.browser import chromium
from tools.holding import held
from tools.serving import serving, throwaway_cluster

TARGET = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
# What the brake line answers; a lamp's glow is a key that stands alone.
ANSWERS = {
    "battery_v": "12.58", "battery_lamp": "b", "open_v:A": "4.98", "open_v:B": "2mV", "open_v:C": "6mV",
    "lamp_negative:A": "g", "lamp_negative_v:A": "4.90", "lamp_positive:B": "b", "lamp_positive:C": "d",
    "live_lamp_positive_v:C": "5.00", "live_jumped_v:C": "0", "mated_v:A": "4.93", "mated_v:B": "11mV",
    "mated_v:C:0": "0.50", "live_v::0": "0.49", "live_value::0": "0.02", "mated_v:C:1": "2.28", "live_v::1": "2.27",
    "live_value::1": "4.51", "live_unplugged_v:C": "0", "off_ohm:C": "OL", "off_ohm:B": "0.3",
}  # fmt: skip
ENTERED = 15


def answer_step(window: webdriver.Chrome) -> None:
    """Answer the step that is asked for, and wait until the next is."""
    asked = window.find_element("css selector", "#ask-form input[name=uid]").get_attribute("value")
    typed = ANSWERS[str(window.find_element("css selector", "#ask-form input[name=test_point]").get_attribute("value"))]
    is_key = typed in {"b", "d", "g"}
    window.switch_to.active_element.send_keys(typed if is_key else typed + Keys.ENTER)
    WebDriverWait(window, 20, ignored_exceptions=[StaleElementReferenceException]).until(
        lambda w: w.find_element("css selector", "#ask-form input[name=uid]").get_attribute("value") != asked
    )


def take(window: webdriver.Chrome, address: str, database: Database) -> None:
    with urllib.request.urlopen(f"{address}/api/v1/jobs") as answer:
        jobs = {job["vehicle"]: job for job in json.load(answer)}
    circuits = {c["name"]: c["uid"] for job in jobs.values() for c in job["circuits"]}

    def shoot(name: str, path: str, theme: str = "light", settle_s: float = 0.0) -> None:
        window.get(f"{address}/")
        window.execute_script("localStorage.setItem('theme', arguments[0])", theme)
        window.get(address + path)
        time.sleep(settle_s)  # what the browser draws itself comes a moment later
        window.save_screenshot(str(TARGET / f"{name}.png"))

    window.get(f"{address}/circuits/{circuits['Brake line pressure']}/bench")
    for _ in range(ENTERED):
        answer_step(window)
    shoot("floor", "/")
    shoot("job", f"/jobs/{jobs['LT-7']['uid']}")
    window.get(address + f"/circuits/{circuits['Brake line pressure']}/bench")
    answer_step(window)
    window.save_screenshot(str(TARGET / "bench.png"))
    shoot("bench-fault-dark", f"/circuits/{circuits['Winch oil pressure']}/bench", "dark")
    shoot("people", "/people")
    shoot("handover", f"/jobs/{jobs['D-3']['uid']}/handover")
    shoot("shelf", "/shelf")
    boost = f"circuit:{circuits['Boost pressure']}"
    window.get(f"{address}/curve")
    record = window.find_element("css selector", ".proofs a[href*='/calibrations/']").get_attribute("href")
    shoot("curve-calibration", str(record).removeprefix(address))
    shoot("curve-numbers", f"/curve/numbers?source={boost}")
    shoot(
        "curve-entry-dark",
        f"/curve/check?source={boost}&unit=bar&base=gauge&end_points.reading_low=0.40"
        "&end_points.shown_low=0.20&end_points.reading_high=4.65&end_points.shown_high=2.50",
        "dark",
    )
    shoot("pulse", "/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&tyre_pct=3&speed=30&pulses=36500&circuit_uid=")
    shoot(
        "pulse-speed",
        f"/pulse/speed?pairs=50+55.1%0A80+87.9%0A100+110.2&old=1.25&old_is=multiplier&circuit_uid={circuits['Axle speed']}",
    )
    window.get(f"{address}/pulse/waveform")
    capture = window.find_element("css selector", ".capture-list a").get_attribute("href")
    shoot("pulse-waveform", str(capture).removeprefix(address), settle_s=1.0)
    launcher, de_icer = (uid_of(tag) for tag in ("LT-7", "D-3"))
    room = "count=1&want_kind=analogue&want_pull_up=either&want_name=Pump+pressure"
    shoot("plan-inputs", f"/vehicles/{launcher}/inputs?{room}")
    shoot("plan-wiring", f"/vehicles/{de_icer}/wiring")
    shoot("circuit-dark", f"/circuits/{circuits['Coolant temperature']}/card", "dark")
    shoot("work", f"/work?why={de_icer}")
    shoot("trace", f"/trace/logs/{uid_of('log taxiway.csv')}", settle_s=1.0)
    with held(database, uid_of("plug LT-7")):
        shoot("live", "/trace/live", settle_s=25.0)


def main() -> int:
    TARGET.mkdir(parents=True, exist_ok=True)
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        with serving(url) as address, chromium() as window:
            window.implicitly_wait(5)
            take(window, address, database)
        database.close()
    print(f"Taken into {TARGET}: {', '.join(sorted(p.name for p in TARGET.glob('*.png')))}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
