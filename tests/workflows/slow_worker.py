"""A worker that stops in the middle of a log, to be killed there."""

from __future__ import annotations

import os
import time

from irongauge.settings import Settings
from irongauge.workflows.shop.queue import run_worker
from irongauge.workflows.trace import logs


def main() -> None:
    logs._judge = lambda *_: time.sleep(60)  # what it would do after the rows are read
    run_worker(os.environ["DATABASE_URL"], Settings(backup_hours=0))
