"""A log from the file to its traces, by hand: handed in, read by a worker, walked through by keys, told what a channel is of."""

from __future__ import annotations

import io
from uuid import uuid4

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from irongauge.demo.shelf import uid_of
from irongauge.workflows.shop.queue import work_off
from irongauge.workflows.trace.logs import NewLog, hand_in, look_at_log, read_waiting
from tests.workflows.test_logs import as_csv
from tools.logging_drives import made_drive

LOG = uid_of("log taxiway.csv")


def _press(desk, selector):
    desk.window.execute_script("arguments[0].click()", desk.window.find_element(By.CSS_SELECTOR, selector))


def _range(desk):
    return desk.window.find_element(By.CSS_SELECTOR, "[data-range]").text


def test_a_log_is_handed_in_and_its_page_follows_the_worker(desk, demo, tmp_path):
    path = tmp_path / "drive.csv"
    path.write_bytes(as_csv(made_drive(None, 21).log))
    desk.go("/trace")
    Select(desk.window.find_element(By.NAME, "vehicle_uid")).select_by_value(str(uid_of("P-2")))
    desk.window.find_element(By.NAME, "file").send_keys(str(path))
    _press(desk, ".btn-go")
    desk.until(lambda: "It is being read" in desk.see("main"))
    work_off(demo)
    desk.until(lambda: "is found" in desk.see("#found-title"))


def test_traces_are_walked_through_by_keys_and_buttons(desk):
    desk.go(f"/trace/logs/{LOG}")
    desk.until(lambda: _range(desk).startswith("0:00 to 4:00"))
    _press(desk, "[data-finding]")
    desk.until(lambda: not _range(desk).startswith("0:00"))
    shown = _range(desk)
    desk.window.find_element(By.TAG_NAME, "body").send_keys("n")
    desk.until(lambda: _range(desk) != shown)
    shown = _range(desk)
    desk.window.find_element(By.TAG_NAME, "body").send_keys(Keys.ARROW_LEFT)
    desk.until(lambda: _range(desk) != shown)
    desk.window.find_element(By.TAG_NAME, "body").send_keys("0")
    desk.until(lambda: _range(desk).startswith("0:00 to 4:00"))


def test_channels_that_are_drawn_are_chosen(desk):
    desk.go(f"/trace/logs/{LOG}")
    canvas = desk.window.find_element(By.CSS_SELECTOR, "[data-traces]")
    before = canvas.size["height"]
    desk.window.execute_script("document.querySelector('details.more').open = true")
    _press(desk, ".trace-choose input:checked")
    desk.until(lambda: canvas.size["height"] < before)


def test_a_cloud_has_the_curve_or_what_is_the_same_laid_over(desk, demo):
    """Volts of the boost sensor against its value lie on its curve; two channels of one unit on what is the same."""
    rows = [
        f"{at / 10},{800 + at % 7},{0.4 + at * 0.01:.3f},{20 + at * 0.01 * 230 / 4.25:.2f},101.2" for at in range(400)
    ]
    uid = uuid4()
    content = ("Time (s),RPM,Boost volts (V),Boost (kPa),Baro (kPa)\n" + "\n".join(rows)).encode()
    hand_in(demo, NewLog(uid=uid, name="ramp.csv", vehicle_uid=uid_of("LT-7")), io.BytesIO(content))
    read_waiting(demo, uid)
    desk.go(f"/trace/logs/{uid}")
    names = {channel.name: str(channel.place) for channel in look_at_log(demo, uid).log.channels}
    desk.window.execute_script("document.querySelector('[data-cloud]').closest('details').open = true")
    for across, up, said in (
        ("Boost volts", "Boost", "curve of Boost"),
        ("Boost", "Boost volts", "curve of Boost"),
        ("Boost", "Baro", "both the same"),
        ("RPM", "Boost", ""),
    ):
        Select(desk.window.find_element(By.CSS_SELECTOR, "[data-cloud-x]")).select_by_value(names[across])
        Select(desk.window.find_element(By.CSS_SELECTOR, "[data-cloud-y]")).select_by_value(names[up])
        cloud = desk.window.find_element(By.CSS_SELECTOR, "[data-cloud]")
        desk.until(lambda cloud=cloud, said=said: cloud.get_attribute("data-expected") == said)
