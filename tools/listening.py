"""`./iron measure live`: a bus watched and recorded for minutes, its listener killed in between; what is lost, how old it is."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from uuid import uuid4

import httpx
from sqlalchemy import select

from irongauge.demo import load_demo
from irongauge.demo.shelf import uid_of
from irongauge.store.database import Database
from irongauge.store.live_models import LiveRecordingRow
from irongauge.store.migrate import migrate
from irongauge.workflows.live.watching import begin_recording, end_recording, want
from irongauge.workflows.trace.log_samples import whole_times
from irongauge.workflows.trace.logs import look_at_log, read_waiting
from tools.figures import Figure
from tools.serving import serving, throwaway_cluster

__all__ = ["live_figures"]

_PORT = uid_of("plug LT-7")


@dataclass
class _Browser:
    """What a browser was shown: when each sample was taken and when it came, and how many values each had."""

    taken_s: list[float] = field(default_factory=list)
    came_s: list[float] = field(default_factory=list)
    last: int = 0


def live_figures(number: int) -> list[Figure]:
    """`number` seconds are watched and recorded; the listener is killed in the middle, and the browser sleeps for a while too."""
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        want(database, _PORT)
        with serving(url, log_level="ERROR") as address, _listener(url) as kill:
            browser = _Browser()
            _watch(browser, address, 8)  # until the bus speaks
            uid = uuid4()
            begin_recording(database, uid, _PORT, None)
            first = len(browser.came_s)
            _watch(browser, address, number / 2)
            kill()
            _watch(browser, address, number / 4)
            time.sleep(min(20, number / 10))  # the tablet sleeps
            _watch(browser, address, number / 4)
            end_recording(database, _PORT)
            _watch(browser, address, 2)
        read_waiting(database, uid)
        with database.unit() as store:
            log = look_at_log(database, uid).log
            values = sum(store.traces.log(uid).channels[at].rows for at in range(len(log.channels)))
            times = whole_times(store, uid, 0)
            row = store.session.execute(select(LiveRecordingRow.begun_at, LiveRecordingRow.ended_at)).one()
            began, ended = row.begun_at.timestamp(), row.ended_at.timestamp()
            every = store.live.newest_samples(_PORT, log.added_at.replace(year=2000))
        recorded = {round(log.started_at.timestamp() + float(t), 2) for t in times} if log.started_at else set()
        told = sum(len(sample.values) for sample in every if began <= sample.at.timestamp() <= ended)
        database.close()
    seen = [round(t, 2) for t in browser.taken_s if began <= t <= ended]
    near = {round(t + d, 2) for t in recorded for d in (-0.01, 0.0, 0.01)}
    ages = [came - taken for taken, came in zip(browser.taken_s, browser.came_s, strict=True)][first:]
    live = sorted(age for age in ages if age < _SLEPT_S)
    gaps = sorted(b - a for a, b in zip(sorted(recorded), sorted(recorded)[1:], strict=False))
    return [
        Figure(f"values a second, over {number} s", told / (ended - began), "/s", "at least 50"),
        Figure("samples that a browser saw and the log does not have", sum(t not in near for t in seen), "", "0"),
        Figure("samples that the log has and a browser never saw", len(recorded) - len(set(seen) & near), "", "0"),
        Figure("values in the log", values, "", ""),
        Figure("age at the browser, p95", live[int(0.95 * len(live))], "s", "under 0.5"),
        Figure("age at the browser, median", live[len(live) // 2], "s", ""),
        Figure("longest hole, while the listener was killed", gaps[-1] if gaps else 0.0, "s", ""),
    ]


_SLEPT_S = 2.0  # what came while the browser slept is old when it comes, and is not what is asked


def _watch(browser: _Browser, address: str, seconds: float) -> None:
    """Watch as a browser does: connected again where it was, after every break."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        headers = {"Last-Event-ID": str(browser.last)} if browser.last else {}
        left = max(1.0, until - time.monotonic())
        with (
            contextlib.suppress(httpx.HTTPError),
            httpx.stream("GET", f"{address}/trace/live/{_PORT}/events", headers=headers, timeout=left + 5) as stream,
        ):
            number = 0
            for line in stream.iter_lines():
                if line.startswith("id: "):
                    number = int(line[4:])
                elif line.startswith('data: {"age_s"'):
                    came = time.time()
                    points = json.loads(line[6:])["points"]
                    browser.taken_s += [point[0] for point in points]
                    browser.came_s += [came] * len(points)
                elif not line and number:
                    browser.last = number
                if time.monotonic() > until:
                    break


@contextlib.contextmanager
def _listener(url: str) -> Iterator[Callable[[], None]]:
    """A listener process that is begun again where it ends, as the server does it; the block's value kills it."""
    over = threading.Event()
    running: list[subprocess.Popen[bytes]] = []

    def keep() -> None:
        while not over.is_set():
            command = [sys.executable, "-m", "irongauge", "listen"]
            running.append(subprocess.Popen(command, env={**os.environ, "DATABASE_URL": url}, stdin=subprocess.PIPE))
            running[-1].wait()
            over.wait(2)

    def kill() -> None:
        running[-1].send_signal(signal.SIGKILL)

    keeper = threading.Thread(target=keep, daemon=True)
    keeper.start()
    try:
        yield kill
    finally:
        over.set()
        running[-1].terminate()
        keeper.join(5)
