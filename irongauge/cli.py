"""The commands behind `./iron demo` and `./iron serve`, and the two that stand alone: migrate, load-demo.

Each parses its arguments, calls what does the work, and turns a set-up problem into one clear line.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import gc
import http.client
import importlib
import os
import shutil
import signal
import socket
import ssl
import stat
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from functools import partial
from http import HTTPStatus
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, NoReturn

from irongauge.ending import end_after
from irongauge.errors import BadFileError, SetupError
from irongauge.settings import DEMO_PEOPLE, PARENT, Settings, get_settings, read_secret
from irongauge.worker import Worker

if TYPE_CHECKING:  # a wrong command must not wait for them
    from irongauge.lan import Opened
    from irongauge.store.database import Database

__all__ = ["main"]

_OF_A_FILE = {"backup", "restore"}
_OF_A_FOLDER = {"export", "import"}


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./iron", description="Iron Gauge")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, meaning in (
        ("demo", "load the demo shop and serve it"),
        ("serve", "serve the shop's own data with several worker processes"),
        ("migrate", "bring the database to the newest tables"),
        ("load-demo", "load the demo shop into an empty database"),
        ("converse", "diagnose circuits over JSON lines on standard input and output"),
        ("work", "take work from the queue: logs that are to be read"),
        ("listen", "hold the buses that somebody looks at"),
        ("audit", "check the record of changes, line by line"),
        ("backup", "write the whole shop into one file, while it goes on working"),
        ("restore", "put a backup into this machine's database"),
        ("export", "write the whole shop into a folder, in open formats"),
        ("import", "take in the jobs of such a folder"),
    ):
        made = commands.add_parser(name, help=meaning)
        if name in _OF_A_FILE:
            made.add_argument("file", type=Path, help="the backup")
            made.add_argument(
                "--key", type=Path, help="key file to encrypt it for, or to open it with; made if it is not there"
            )
        if name in _OF_A_FOLDER:
            made.add_argument("folder", type=Path, help="the folder")
        if name == "serve":
            made.add_argument("--lan", action="store_true", help="open it to this machine's network, over TLS")
        if name == "restore":
            made.add_argument("--replace", action="store_true", help="the shop that is there goes")
    return parser


def main(arguments: Sequence[str]) -> int:
    asked = _parser().parse_args(arguments)
    command = asked.command
    gc.disable()  # nothing made while starting is garbage; looking for it costs a tenth of the start
    if command == "converse":
        from irongauge.workflows.converse import converse

        converse(sys.stdin, sys.stdout)
        return 0
    signal.signal(signal.SIGTERM, _leave)
    settings = get_settings()
    # The database takes as long to start as the application to load, so they do it side by side.
    loading = threading.Thread(target=importlib.import_module, args=("irongauge.web.app",), daemon=True)
    try:
        importlib.import_module("irongauge.store.cluster")
        if command in {"demo", "serve"}:
            _check_port(settings)
            loading.start()
        with _database_url(settings) as url:
            if loading.ident is not None:
                loading.join()  # two threads that import one package at once may find it half there
            os.environ["DATABASE_URL"] = url
            get_settings.cache_clear()
            return _run(asked, url, settings)
    except (SetupError, BadFileError) as error:
        print(f"iron: {error}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"iron: {error.strerror or error} ({error.filename or 'system'}). {_hint(settings)}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        pass
    return 0


def _run(asked: argparse.Namespace, url: str, settings: Settings) -> int:
    """What a command does once its database is there."""
    command = asked.command
    if command in _OF_A_FILE:
        return _move_shop(asked, url, settings)
    _prepare_database(url, settings, demo=command in {"demo", "load-demo"})
    if command == "audit":
        return _audit(url, settings)
    if command in _OF_A_FOLDER:
        return _move_files(url, command, asked.folder.absolute())
    if command in {"work", "listen"}:
        _end_with_parent()
        _run_beside(url, command)
    if command in {"demo", "serve"}:
        read_secret(settings)
        os.environ[DEMO_PEOPLE] = str(command == "demo")
        get_settings.cache_clear()
        opened = _open(url, settings) if command == "serve" and asked.lan else None
        with Worker(url, "work"), Worker(url, "listen"):
            _serve(get_settings(), workers=1 if command == "demo" else settings.workers, opened=opened)
    return 0


def _move_shop(asked: argparse.Namespace, url: str, settings: Settings) -> int:
    """Write a backup of the database, or put one into it."""
    from irongauge.store.database import Database
    from irongauge.workflows.shop.backups import back_up_now, restore_now

    database = Database(url)
    try:
        if asked.command == "backup":
            made = back_up_now(database, settings, asked.file.absolute(), asked.key)
            said = "Kept and read back"
        else:
            made = restore_now(database, settings, asked.file.absolute(), asked.key, replace=asked.replace)
            said = "Restored and compared"
    finally:
        database.close()
    rows = sum(made.rows.values())
    size_mb = made.bytes_written / 1e6
    print(f"{said}: {rows} rows of {len(made.rows)} tables, {size_mb:.1f} MB, made {made.made_at:%Y-%m-%d %H:%M} UTC.")
    return 0


def _move_files(url: str, command: str, folder: Path) -> int:
    """Write a shop's files, or take jobs in from files."""
    from irongauge.store.database import Database
    from irongauge.workflows.shop.whole_shop import export_shop, import_jobs

    database = Database(url)
    try:
        if command == "export":
            done = export_shop(database, folder)
            print(", ".join(f"{count} {kind}" for kind, count in vars(done).items()) + f" in {folder}")
            return 0
        taken = import_jobs(database, folder)
    finally:
        database.close()
    for name, why in taken.refused:
        print(f"{name}: {why}")
    print(f"{taken.jobs} jobs were taken in, {len(taken.refused)} were not.")
    return 0 if taken.jobs or not taken.refused else 1


def _audit(url: str, settings: Settings) -> int:
    from irongauge.audit import audit
    from irongauge.store.database import Database

    database = Database(url)
    try:
        return 0 if audit(database, settings) else 1
    finally:
        database.close()


def _run_beside(url: str, command: str) -> None:
    """Run what stands beside a server until it is stopped."""
    gc.enable()
    if command == "work":
        from irongauge.workflows.shop.queue import run_worker

        run_worker(url, get_settings())
    else:
        from irongauge.workflows.live.listen import run_listener

        run_listener(url)


def _end_with_parent() -> None:
    """A worker that a server started has a pipe as its input, which ends when the server does, however that ends."""
    if stat.S_ISFIFO(os.fstat(0).st_mode):
        end_after(partial(os.read, 0, 1))


def _leave(_signal: int, _frame: FrameType | None) -> NoReturn:
    """Leave as after Ctrl-C, so that the database is stopped on the way out."""
    raise KeyboardInterrupt


def _hint(settings: Settings) -> str:
    free_mb = shutil.disk_usage(settings.local_dir.parent).free // 1_000_000
    return f"{free_mb} MB are free on the disk of {settings.local_dir}."


_ORPHANS_END_S = 6.0  # what the processes of a server that was killed take at most to see it, and to end


def _check_port(settings: Settings) -> None:
    """Refuse a port that is taken; one that our own server held, and was killed, is waited for till its processes have ended."""
    until = time.monotonic() + _ORPHANS_END_S
    while (problem := _port_problem(settings)) is not None:
        if problem.errno != errno.EADDRINUSE or time.monotonic() > until:
            raise SetupError(
                f"Port {settings.port} on {settings.host} cannot be used ({problem.strerror}). Stop the program that has it, "
                f"or choose another port: IRON_PORT={settings.port + 1} ./iron demo"
            ) from problem
        time.sleep(0.1)


def _port_problem(settings: Settings) -> OSError | None:
    """Why the port cannot be used; None where it can."""
    family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    with socket.socket(family) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError as error:
            return error
    return None


@contextlib.contextmanager
def _database_url(settings: Settings) -> Iterator[str]:
    """The database to use: DATABASE_URL, else the private cluster, started and stopped here."""
    if settings.database_url:
        yield settings.database_url
        return
    from irongauge.store.cluster import Cluster

    cluster = Cluster(settings.local_dir)
    if cluster.kept_elsewhere and not cluster.data.exists():
        print(f"The user postgres cannot enter {settings.local_dir}, so the database is kept in {cluster.data}.")
    with cluster.running() as url:
        yield url


def _prepare_database(url: str, settings: Settings, *, demo: bool) -> None:
    from sqlalchemy.exc import OperationalError

    from irongauge.store.database import Database
    from irongauge.store.migrate import NEWEST, migrate, tables_of

    database = Database(url)
    try:
        there = tables_of(database.engine)
        if there is not None and there < NEWEST:
            from irongauge.workflows.shop.backups import copy_before_migration

            copy = copy_before_migration(url, settings, there)
            print(f"The tables are brought from {there} to {NEWEST}. As they were they are kept in {copy}")
        migrate(database.engine)
        if demo and not _has_shop(database):
            from irongauge.demo import load_demo

            load_demo(database)
    except OperationalError as error:
        problem = str(error.orig).strip().splitlines()[0] if error.orig else "no answer"
        raise SetupError(
            f"The database does not answer: {problem.rstrip('.')}. Check DATABASE_URL and that the server runs."
        ) from error
    finally:
        database.close()


def _has_shop(database: Database) -> bool:
    with database.unit() as store:
        return store.shops.first() is not None


def _open(url: str, settings: Settings) -> Opened:
    """Open the server to its network; its processes are told by their environment which names they may be asked for by."""
    from irongauge.lan import open_to_lan
    from irongauge.store.database import Database
    from irongauge.workflows.people.accounts import needs_foreman

    database = Database(url)
    try:
        with database.unit() as store:
            has_shop = store.shops.first() is not None
        opened = open_to_lan(settings, has_foreman=has_shop and not needs_foreman(database))
    finally:
        database.close()
    os.environ["IRON_HOST"] = "0.0.0.0"  # noqa: S104  it was asked for, and nobody comes in without a name
    os.environ["IRON_ALLOWED_HOSTS"] = ",".join((settings.allowed_hosts, *opened.addresses))
    get_settings.cache_clear()
    return opened


def _serve(settings: Settings, workers: int, opened: Opened | None) -> None:
    import uvicorn

    from irongauge.web.metrics import share_counts

    gc.enable()

    class AnnouncingServer(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
                _announce(settings)

    options = {
        "host": settings.host,
        "port": settings.port,
        "factory": True,
        "log_level": "warning",
        "access_log": False,
        "server_header": False,
        "proxy_headers": False,  # only a proxy that is named is believed: `create_app`
        "timeout_graceful_shutdown": 3,
        "http": "irongauge.web.request_limits:PatientProtocol",
    }
    if opened is not None:
        options |= {"ssl_certfile": str(opened.certificate), "ssl_keyfile": str(opened.key)}
        print(opened.told(settings.port), flush=True)
    if workers == 1 and opened is None:
        AnnouncingServer(uvicorn.Config("irongauge.web.app:create_app", **options)).run()  # type: ignore[arg-type]
        return
    share_counts(settings.local_dir / "counts")
    os.environ[PARENT] = str(os.getpid())  # the processes end with this one, however it ends
    threading.Thread(target=_announce_once_it_answers, args=(settings, opened is not None), daemon=True).start()
    uvicorn.run("irongauge.web.app:create_app", workers=workers, **options)  # type: ignore[arg-type]


def _announce_once_it_answers(settings: Settings, is_secure: bool) -> None:  # noqa: FBT001  the thread's argument
    """Say that it is ready when a request is answered, not before."""
    host = "127.0.0.1" if settings.host in {"0.0.0.0", "::"} else settings.host  # noqa: S104  read, not listened on
    while True:
        connection = (
            # Only whether this machine's own server answers is asked; its certificate is for others to look at.
            http.client.HTTPSConnection(host, settings.port, timeout=5, context=ssl._create_unverified_context())  # noqa: S323, SLF001
            if is_secure
            else http.client.HTTPConnection(host, settings.port, timeout=5)
        )
        try:
            connection.request("GET", "/healthz")
            if connection.getresponse().status == HTTPStatus.OK:
                _announce(settings, "https" if is_secure else "http")
                return
        except OSError:
            time.sleep(0.2)
        finally:
            connection.close()


def _announce(settings: Settings, scheme: str = "http") -> None:
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    host = "127.0.0.1" if host == "0.0.0.0" else host  # noqa: S104  read, not listened on
    print(f"Iron Gauge is ready: {scheme}://{host}:{settings.port}  (Ctrl-C stops it)", flush=True)
