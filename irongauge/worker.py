"""A process beside the server, for the queue or for the buses: started with it, started again where it ends, and gone with it."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from types import TracebackType
from typing import Self

__all__ = ["Worker"]

_AGAIN_S = 2.0  # after a worker has ended, so that one that cannot start does not keep the machine busy

_GRACE_S = 5.0  # for what it is doing, once it is asked to end


class Worker:
    """Keeps one process of a command running over a database while its block runs. It ends too when this process is killed."""

    def __init__(self, url: str, command: str) -> None:
        self._command = command
        self._environment = {**os.environ, "DATABASE_URL": url}
        self._is_over = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._keeper = threading.Thread(target=self._keep, daemon=True, name="worker keeper")

    def __enter__(self) -> Self:
        self._keeper.start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._is_over.set()
        if self._process is not None:
            self._process.terminate()
        self._keeper.join(timeout=_GRACE_S)
        if self._keeper.is_alive() and self._process is not None:
            self._process.kill()  # the queue and the listener are made to survive it
            self._keeper.join(timeout=_GRACE_S)

    def _keep(self) -> None:
        # The first page does not wait for it.
        while not self._is_over.wait(_AGAIN_S):
            # Its standard input is a pipe that nobody writes to: it ends with this process, however that ends.
            self._process = subprocess.Popen(
                [sys.executable, "-m", "irongauge", self._command], env=self._environment, stdin=subprocess.PIPE
            )
            self._process.wait()
