"""How a process that stands beside another ends with it."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Callable

__all__ = ["end_after"]

_GRACE_S = 6.0  # what a server takes at most to finish its requests, and a second each way


def end_after(parent_has_ended: Callable[[], object]) -> None:
    """End this process once ``parent_has_ended`` returns, which is waited for in a thread of its own.

    It is asked to end first. An interrupt that arrives while Python collects garbage, or calls back from C, is printed
    and forgotten; whoever started it is gone, so nobody would ask again.
    """

    def wait() -> None:
        parent_has_ended()
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(_GRACE_S)
        os._exit(1)

    threading.Thread(target=wait, daemon=True, name="parent").start()
