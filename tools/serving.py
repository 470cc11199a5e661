"""The real application over a real, throw-away database, in this process: for tests, screenshots and measuring."""

from __future__ import annotations

import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from irongauge.settings import ROOT, Settings
from irongauge.store.cluster import Cluster, free_port
from irongauge.web.app import create_app
from irongauge.web.request_limits import PatientProtocol

__all__ = ["serving", "throwaway_cluster"]


@contextmanager
def throwaway_cluster() -> Iterator[str]:
    """The address of a database of its own, gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="irongauge-") as folder:
        home = Path(folder)
        home.chmod(0o755)  # as root, the server's user has to enter it
        with Cluster(home, durable=False).running() as url:
            yield url


@contextmanager
def serving(database_url: str, **settings: object) -> Iterator[str]:
    """The application served on a free loopback port; gives its address."""
    port = free_port()
    made = Settings.model_validate(
        {
            "database_url": database_url,
            "port": port,
            "secret": "for a throw-away server",
            "demo_people": True,
            "local_dir": ROOT / ".local" / "served",  # not where a shop's own files are
            **settings,
        }
    )
    server = uvicorn.Server(
        uvicorn.Config(
            create_app(made),
            host="127.0.0.1",
            port=port,
            log_level="warning",
            timeout_keep_alive=75,
            http=PatientProtocol,
            proxy_headers=False,
        )
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    deadline = time.monotonic() + 60
    while not server.started:
        if time.monotonic() > deadline or not thread.is_alive():
            msg = "the application did not start"
            raise RuntimeError(msg)
        time.sleep(0.02)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join(60)  # one that is left behind leaves its connections to whatever is tested next
